//! Hoisting: what reads only one combatant's attributes is computed when those change, not when it
//! is read.
//!
//! Every largest part of a formula that reads nothing but one combatant's attributes becomes a
//! hidden attribute. Hidden attributes are computed for every combatant, also for those that will
//! never need them, so one that has no value (a division by a zero attribute) is kept as a NaN, and
//! becomes an error only if it is read.

use super::Program;
use super::code::{Emitter, Shape};
use super::ids::Slot;
use super::tree::{Read, Role, Tree, TreeKind};

/// A hidden attribute.
#[derive(Clone, Debug)]
pub(crate) struct Hidden {
    /// First slot.
    pub(crate) slot: Slot,
    /// Whether it has a value for each damage type.
    pub(crate) typed: bool,
    pub(crate) shape: Shape,
    /// What it reads, see [`super::dirty`].
    pub(crate) reads: u64,
    /// The tree, read as the owner's own, to find out whether it is already there.
    tree: Tree,
}

/// Beyond so many slots nothing more is hoisted: offsets are 16 bits wide.
const MOST_SLOTS: u16 = 60_000;

/// What the attributes that a tree reads have in common.
struct Reads {
    role: Role,
    typed: bool,
}

impl Program {
    /// The tree with its hoistable parts replaced by reads of hidden attributes.
    pub(crate) fn hoist(&mut self, tree: &Tree, first_local: u16) -> Tree {
        let simple = matches!(tree.kind, TreeKind::Constant(_) | TreeKind::Read(_));
        let room = self.layout.stride < MOST_SLOTS;
        match reads(tree).filter(|_| !simple && room) {
            Some(reads) => {
                let slot = self.hidden_slot(tree, reads.typed, first_local);
                let read = if reads.typed { Read::Typed(reads.role, slot) } else { Read::Attribute(reads.role, slot) };
                Tree { kind: TreeKind::Read(read), range: tree.range.clone(), called: tree.called }
            }
            None => self.hoist_parts(tree, first_local),
        }
    }

    fn hoist_parts(&mut self, tree: &Tree, first_local: u16) -> Tree {
        let mut part = |tree: &Tree| Box::new(self.hoist(tree, first_local));
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

    fn hidden_slot(&mut self, tree: &Tree, typed: bool, first_local: u16) -> Slot {
        let own = as_own(tree);
        if let Some(known) = self.hidden.iter().find(|known| known.typed == typed && same(&known.tree, &own)) {
            return known.slot;
        }
        let slot = Slot(self.layout.stride);
        self.layout.stride += if typed { self.layout.types } else { 1 };
        let shape = Emitter::compile(self, &own, first_local);
        let reads = self.dirty_reads_of(&own);
        self.hidden.push(Hidden { slot, typed, shape, reads, tree: own });
        slot
    }
}

/// What a tree reads, if that is nothing but attributes of one combatant.
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

fn as_own(tree: &Tree) -> Tree {
    let mut own = tree.clone();
    own.each_mut(&mut |part| {
        if let TreeKind::Read(Read::Attribute(role, _) | Read::Typed(role, _)) = &mut part.kind {
            *role = Role::Caster;
        }
    });
    own
}

/// Equal but for where they were written.
fn same(a: &Tree, b: &Tree) -> bool {
    let strip = |tree: &Tree| {
        let mut bare = tree.clone();
        bare.each_mut(&mut |part| {
            part.range = 0..0;
            part.called = false;
        });
        bare
    };
    strip(a) == strip(b)
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
