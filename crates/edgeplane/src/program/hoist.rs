//! Hoisting: parts of formulas that read only one combatant's attributes are computed when these change, not when they
//! are read.
//!
//! Every maximal part of a formula that reads only attributes of one combatant becomes a hidden attribute. Hidden
//! attributes are computed whether they are needed or not, so one without a value (a division by a zero attribute) is
//! stored as NaN and becomes an error only when it is read.
//!
//! Parts that only the formulas of an ability read from its caster are computed for the characters that can have the
//! ability, and abilities that no character has together share slots. If another combatant causes the effects of an
//! ability (an encounter's script, a call of the game, an explanation), its formulas are evaluated completely.

use super::Program;
use super::code::{Emitter, Shape};
use super::ids::{CharacterId, Slot};
use super::resolve::Compiler;
use super::tree::{Read, Role, Tree, TreeKind};
use crate::rules::{Ruleset, Word};

/// A hidden attribute.
#[derive(Clone, Debug)]
pub(crate) struct Hidden {
    /// First slot.
    pub(crate) slot: Slot,
    /// Whether it has a value for each damage type.
    pub(crate) typed: bool,
    pub(crate) shape: Shape,
    /// Its inputs; see [`super::dirty`].
    pub(crate) reads: u64,
    /// The combatants for which it is read.
    readers: Readers,
    /// The tree, normalised to the owner's own attributes and without locations, to detect duplicates.
    tree: Tree,
}

/// A slot of hidden attributes that no character has together, with all characters for which it is read.
#[derive(Clone, Debug)]
pub(crate) struct SharedSlot {
    slot: Slot,
    readers: Readers,
}

/// The characters for which something is read.
#[derive(Clone, Debug, Default)]
pub(crate) enum Readers {
    /// Of any.
    #[default]
    All,
    /// Only these, in order.
    These(Vec<CharacterId>),
}

impl Readers {
    pub(crate) fn contains(&self, one: CharacterId) -> bool {
        match self {
            Self::All => true,
            Self::These(these) => these.binary_search(&one).is_ok(),
        }
    }

    /// Those that are not among the others.
    fn without(&self, others: &Self) -> Self {
        match (self, others) {
            (_, Self::All) => Self::These(Vec::new()),
            (Self::All, Self::These(_)) => Self::All,
            (Self::These(these), Self::These(_)) => {
                Self::These(these.iter().copied().filter(|one| !others.contains(*one)).collect())
            }
        }
    }

    /// Whether any of the others is among them.
    fn meet(&self, others: &Self) -> bool {
        match (self, others) {
            (_, Self::These(others)) => others.iter().any(|one| self.contains(*one)),
            (Self::These(these), Self::All) => !these.is_empty(),
            (Self::All, Self::All) => true,
        }
    }

    fn join(&mut self, others: &Self) {
        match (&mut *self, others) {
            (Self::These(these), Self::These(others)) => {
                these.extend(others);
                these.sort_unstable();
                these.dedup();
            }
            _ => *self = Self::All,
        }
    }
}

/// The maximum number of slots for hoisting: offsets are 16 bits wide.
const MOST_SLOTS: u16 = 60_000;

/// What the attributes read by a tree have in common.
struct Reads {
    role: Role,
    typed: bool,
}

impl Program {
    /// The tree with its hoistable parts replaced by reads of hidden attributes.
    pub(crate) fn hoist(&mut self, tree: &Tree, first_local: u16, readers: &Readers) -> Tree {
        let simple = matches!(tree.kind, TreeKind::Constant(_) | TreeKind::Read(_));
        let room = self.layout.stride < MOST_SLOTS;
        match reads(tree).filter(|_| !simple && room) {
            Some(reads) => {
                // Any combatant can be a target.
                let readers = if reads.role == Role::Target { &Readers::All } else { readers };
                let slot = self.hidden_slot(tree, reads.typed, first_local, readers);
                let read = if reads.typed { Read::Typed(reads.role, slot) } else { Read::Attribute(reads.role, slot) };
                Tree { kind: TreeKind::Read(read), range: tree.range.clone(), called: tree.called }
            }
            None => self.hoist_parts(tree, first_local, readers),
        }
    }

    fn hoist_parts(&mut self, tree: &Tree, first_local: u16, readers: &Readers) -> Tree {
        let mut part = |tree: &Tree| Box::new(self.hoist(tree, first_local, readers));
        let kind = match &tree.kind {
            TreeKind::Constant(_) | TreeKind::Read(_) => tree.kind.clone(),
            TreeKind::Unary(op, a) => TreeKind::Unary(*op, part(a)),
            TreeKind::Binary(op, a, b) => TreeKind::Binary(*op, part(a), part(b)),
            TreeKind::And(a, b) => TreeKind::And(part(a), part(b)),
            TreeKind::Or(a, b) => TreeKind::Or(part(a), part(b)),
            TreeKind::Curve(curve, x) => TreeKind::Curve(*curve, part(x)),
            TreeKind::Near(counted, metres) => TreeKind::Near(*counted, part(metres)),
            TreeKind::Roll(site, p) => TreeKind::Roll(*site, part(p)),
            TreeKind::Streak(streak, p) => TreeKind::Streak(*streak, part(p)),
            TreeKind::Between(site, a, b) => TreeKind::Between(*site, part(a), part(b)),
            TreeKind::Dice(site, a, b) => TreeKind::Dice(*site, part(a), part(b)),
            TreeKind::Let(local, a, b) => TreeKind::Let(*local, part(a), part(b)),
            TreeKind::Game(call, stand_in) => TreeKind::Game(*call, part(stand_in)),
            TreeKind::If(parts) => TreeKind::If(Box::new(parts.each_ref().map(|tree| *part(tree)))),
            TreeKind::Lerp(parts) => TreeKind::Lerp(Box::new(parts.each_ref().map(|tree| *part(tree)))),
        };
        Tree { kind, range: tree.range.clone(), called: tree.called }
    }

    fn hidden_slot(&mut self, tree: &Tree, typed: bool, first_local: u16, readers: &Readers) -> Slot {
        let own = as_own(tree);
        let room = |slot: Slot| self.shared_slots.iter().position(|room| room.slot == slot);
        let known = self.hidden.iter().position(|known| {
            let is_free = |room: usize| !self.shared_slots[room].readers.meet(&readers.without(&known.readers));
            known.typed == typed && known.tree == own && room(known.slot).is_none_or(is_free)
        });
        if let Some(known) = known {
            let room = room(self.hidden[known].slot);
            self.hidden[known].readers.join(readers);
            if let Some(room) = room {
                self.shared_slots[room].readers.join(readers);
            }
            return self.hidden[known].slot;
        }
        let slot = match self.shared_slots.iter_mut().find(|room| !typed && !room.readers.meet(readers)) {
            Some(room) => {
                room.readers.join(readers);
                room.slot
            }
            None => {
                let slot = Slot(self.layout.stride);
                self.layout.stride += if typed { self.layout.types } else { 1 };
                if !typed {
                    self.shared_slots.push(SharedSlot { slot, readers: readers.clone() });
                }
                slot
            }
        };
        let shape = Emitter::compile(self, &own, first_local);
        let reads = self.dirty_reads_of(&own);
        self.hidden.push(Hidden { slot, typed, shape, reads, readers: readers.clone(), tree: own });
        slot
    }

    /// Records which hidden attributes are computed for which characters, once all of them are known.
    pub(super) fn with_hidden(mut self) -> Self {
        for (id, plan) in (0..).map(CharacterId).zip(&mut self.characters) {
            let read = (0..).zip(&self.hidden).filter(|(_, hidden)| hidden.readers.contains(id));
            let (hidden, reads): (Vec<u32>, Vec<u64>) = read.map(|(index, hidden)| (index, hidden.reads)).unzip();
            (plan.hidden, plan.hidden_reads) = (hidden, reads.iter().fold(0, |all, reads| all | reads));
        }
        self
    }
}

impl Compiler<'_> {
    /// The characters that can have each ability.
    pub(super) fn who_has_abilities(&mut self, rules: &Ruleset) -> Vec<Readers> {
        let mut having = vec![Vec::new(); rules.abilities.len()];
        for (id, named) in (0..).map(CharacterId).zip(&rules.characters) {
            let lineage = self.lineage(named, rules);
            let had = lineage.iter().find_map(|rule| rule.abilities.as_deref()).unwrap_or_default();
            let can_learn = lineage.iter().find_map(|rule| rule.can_learn.as_deref()).unwrap_or_default();
            let brought = rules.statuses.iter().flat_map(|status| &status.rule.abilities);
            let ability = |word: &Word| self.names.abilities.get(&word.text);
            for ability in had.iter().chain(can_learn).chain(brought).filter_map(ability) {
                let having: &mut Vec<CharacterId> = &mut having[ability.index()];
                if having.last() != Some(&id) {
                    having.push(id);
                }
            }
        }
        having.into_iter().map(Readers::These).collect()
    }
}

/// The inputs of a tree, if it reads only attributes of one combatant.
fn reads(tree: &Tree) -> Option<Reads> {
    let mut found: Option<Reads> = None;
    let mut bound = Vec::new();
    let mut mixed = false;
    tree.any(&mut |part| {
        match &part.kind {
            TreeKind::Read(Read::Attribute(role, _)) => mixed |= add(&mut found, *role, false),
            TreeKind::Read(Read::Typed(role, _)) => mixed |= add(&mut found, *role, true),
            TreeKind::Read(Read::Local(local)) => mixed |= !bound.contains(local),
            TreeKind::Read(_)
            | TreeKind::Near(..)
            | TreeKind::Roll(..)
            | TreeKind::Streak(..)
            | TreeKind::Between(..)
            | TreeKind::Dice(..)
            | TreeKind::Game(..) => mixed = true,
            TreeKind::Let(local, _, _) => bound.push(*local),
            _ => {}
        }
        mixed
    });
    found.filter(|_| !mixed)
}

fn add(found: &mut Option<Reads>, role: Role, typed: bool) -> bool {
    match found {
        Some(reads) => {
            reads.typed |= typed;
            reads.role != role
        }
        None => {
            *found = Some(Reads { role, typed });
            false
        }
    }
}

/// The tree in terms of the owner's own attributes, without locations, for comparison.
fn as_own(tree: &Tree) -> Tree {
    let mut own = tree.clone();
    own.each_mut(&mut |part| {
        (part.range, part.called) = (0..0, false);
        if let TreeKind::Read(Read::Attribute(role, _) | Read::Typed(role, _)) = &mut part.kind {
            *role = Role::Caster;
        }
    });
    own
}

impl Tree {
    /// Visits every node, this one first.
    fn each_mut(&mut self, visit: &mut impl FnMut(&mut Tree)) {
        visit(self);
        match &mut self.kind {
            TreeKind::Constant(_) | TreeKind::Read(_) => {}
            TreeKind::Unary(_, a)
            | TreeKind::Curve(_, a)
            | TreeKind::Near(_, a)
            | TreeKind::Roll(_, a)
            | TreeKind::Streak(_, a)
            | TreeKind::Game(_, a) => {
                a.each_mut(visit);
            }
            TreeKind::Binary(_, a, b)
            | TreeKind::And(a, b)
            | TreeKind::Or(a, b)
            | TreeKind::Between(_, a, b)
            | TreeKind::Dice(_, a, b)
            | TreeKind::Let(_, a, b) => {
                a.each_mut(visit);
                b.each_mut(visit);
            }
            TreeKind::If(parts) | TreeKind::Lerp(parts) => parts.iter_mut().for_each(|part| part.each_mut(visit)),
        }
    }
}
