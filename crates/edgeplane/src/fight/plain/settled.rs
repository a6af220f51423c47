//! Numbers that hang on stacks, settled beforehand for each number of them.
//!
//! What a status does to attributes hangs on its stacks and on nothing else here, so a cooldown or a factor of a hit has
//! one value for each combination of the stacks that it hangs on: few, since most hang on none or one. A *cursor* says
//! which holds now; a change of stacks moves the cursors of all that hangs on them.

use super::plan::MOST_FIGHTERS;
use crate::program::{
    CombatantId, FormulaId, Holding, Layout, Memory, Operand, Program, Read, Role, Setup, Slot, StatusId, dirty,
};
use crate::rules::ModifierKind;

pub(super) const MOST_STATUSES: usize = 8;
pub(super) const MOST_CURSORS: usize = 256;
pub(super) const MOST_SHIFTS: usize = 512;
/// So many numbers of one kind are settled beforehand, and no more.
const MOST_SETTLED: usize = 4096;

/// How far a cursor moves for each stack.
#[derive(Clone, Copy, Debug)]
pub(super) struct Shift {
    pub(super) cursor: u16,
    pub(super) by: u32,
}

/// Stacks that something hangs on: of which status of whom, and the most of them.
#[derive(Clone, Copy, Debug)]
struct Axis {
    who: CombatantId,
    status: usize,
    most: u32,
}

/// Who acts on whom, and what is read of either, see [`dirty`].
#[derive(Clone, Copy, Debug)]
pub(super) struct Reads {
    pub(super) caster: CombatantId,
    pub(super) target: CombatantId,
    pub(super) of: [u64; 2],
}

impl Reads {
    pub(super) fn own(who: CombatantId, of: u64) -> Self {
        Self { caster: who, target: who, of: [of, 0] }
    }

    /// What a formula reads as well, if that is nothing but attributes and stacks.
    pub(super) fn and(mut self, program: &Program, formula: FormulaId) -> Option<Self> {
        let compiled = program.formula(formula);
        let mut fine = !compiled.draws();
        compiled.each_read(|read| match read {
            Read::Attribute(role, slot) => self.note(role, dirty::bit(slot)),
            Read::Typed(role, slot) => self.note(role, dirty::bits(slot, program.layout.types)),
            Read::Standing(role, slot) if slot.0 >= program.layout.statuses => self.note(role, dirty::bit(slot)),
            Read::Local(Layout::STACKS) => {}
            _ => fine = false,
        });
        fine.then_some(self)
    }

    /// What an operand reads as well.
    pub(super) fn and_operand(mut self, operand: Operand) -> Self {
        if let Some((role, slot)) = operand.of_somebody() {
            self.note(role, dirty::bit(slot));
        }
        self
    }

    fn note(&mut self, role: Role, bits: u64) {
        self.of[usize::from(role == Role::Target)] |= bits;
    }
}

/// Settles numbers one kind after the other.
pub(super) struct Settling<'a> {
    pub(super) setup: &'a Setup,
    pub(super) statuses: Vec<StatusId>,
    /// What changes with each status of each fighter; nothing for one that it cannot have.
    affects: Vec<[Option<u64>; MOST_STATUSES]>,
    pub(super) cursors: Vec<u32>,
    pub(super) shifts: Vec<[Vec<Shift>; MOST_STATUSES]>,
    memory: Memory,
}

/// Statuses of one combatant with so many stacks.
struct Stacked<'a>(&'a [(StatusId, u32)]);

impl Holding for Stacked<'_> {
    fn count(&self) -> usize {
        self.0.len()
    }

    fn status(&self, index: usize) -> StatusId {
        self.0[index].0
    }

    fn load(&self, index: usize, memory: &mut Memory) {
        memory.set_local(Layout::STACKS, f64::from(self.0[index].1));
    }
}

impl<'a> Settling<'a> {
    /// `holds`: which of these statuses each fighter may come to have. Nothing, if what they do together hangs on more
    /// than their stacks.
    pub(super) fn new(setup: &'a Setup, statuses: &[StatusId], holds: &[[bool; MOST_STATUSES]]) -> Option<Self> {
        let mut affects = Vec::new();
        for (who, holds) in setup.ids().zip(holds) {
            let held = |status: &usize| holds.get(*status).copied().unwrap_or(false);
            let ids: Vec<StatusId> = (0..statuses.len()).filter(held).map(|status| statuses[status]).collect();
            if !in_any_order(&setup.program, &ids) {
                return None;
            }
            let mut of = [None; MOST_STATUSES];
            for status in (0..statuses.len()).filter(held) {
                of[status] = Some(affected(setup, who, statuses[status]));
            }
            affects.push(of);
        }
        Some(Self {
            setup,
            statuses: statuses.to_vec(),
            affects,
            cursors: Vec::new(),
            shifts: vec![Default::default(); MOST_FIGHTERS],
            memory: setup.memory.clone(),
        })
    }

    /// Whether any status can change one of these numbers of a fighter.
    pub(super) fn may_change(&self, who: CombatantId, reads: u64) -> bool {
        self.affects[who.index()].iter().flatten().any(|affected| affected & reads != 0)
    }

    fn axes(&self, reads: Reads, own: Option<(CombatantId, usize)>) -> Vec<Axis> {
        let mut axes: Vec<Axis> = Vec::new();
        for (who, of) in [(reads.caster, reads.of[0]), (reads.target, reads.of[1])] {
            for (status, affected) in self.affects[who.index()].iter().enumerate() {
                let hangs = affected.is_some_and(|affected| affected & of != 0) || own == Some((who, status));
                if hangs && !axes.iter().any(|axis| (axis.who, axis.status) == (who, status)) {
                    let most = self.setup.program.status(self.statuses[status]).max_stacks;
                    axes.push(Axis { who, status, most });
                }
            }
        }
        axes
    }

    /// Settles something for all stacks that it hangs on; gives its cursor. `own` is the status at hand, of which `make`
    /// is told the stacks: never none, since it is not asked then.
    pub(super) fn settle<T>(
        &mut self,
        all: &mut Vec<T>,
        reads: Reads,
        own: Option<(CombatantId, usize)>,
        mut make: impl FnMut(&Setup, &mut Memory, u32) -> Option<T>,
    ) -> Option<u16> {
        let axes = self.axes(reads, own);
        let entries = axes.iter().try_fold(1_usize, |all, axis| all.checked_mul(axis.most as usize + 1))?;
        if all.len().checked_add(entries)? > MOST_SETTLED || self.cursors.len() >= MOST_CURSORS {
            return None;
        }
        let cursor = self.cursors.len() as u16;
        self.cursors.push(all.len() as u32);
        let mut by = 1;
        for axis in &axes {
            self.shifts[axis.who.index()][axis.status].push(Shift { cursor, by });
            by *= axis.most + 1;
        }
        for entry in 0..entries {
            let mut rest = entry as u32;
            let mut at_hand = 1;
            let mut stacks = Vec::new();
            for axis in &axes {
                let mut number = rest % (axis.most + 1);
                rest /= axis.most + 1;
                if own == Some((axis.who, axis.status)) {
                    number = number.max(1);
                    at_hand = number;
                }
                stacks.push((axis.who, self.statuses[axis.status], number));
            }
            self.take_on(&stacks)?;
            all.push(make(self.setup, &mut self.memory, at_hand)?);
        }
        Some(cursor)
    }

    /// Puts the numbers of a fight to where they are with so many stacks.
    fn take_on(&mut self, stacks: &[(CombatantId, StatusId, u32)]) -> Option<()> {
        let program = &self.setup.program;
        self.memory.copy_from(&self.setup.memory);
        for who in self.setup.ids() {
            let of_who = stacks.iter().filter(|(owner, _, number)| *owner == who && *number > 0);
            let held: Vec<(StatusId, u32)> = of_who.map(|(_, status, number)| (*status, *number)).collect();
            let mut changes = 0;
            for (status, number) in &held {
                let plan = program.status(*status);
                changes |= plan.changes;
                self.memory.set(program.place(who, program.layout.stacks(*status)), f64::from(*number));
                for tag in &plan.tag_ids {
                    let place = program.place(who, program.layout.tagged(*tag));
                    self.memory.set(place, self.memory.at(place) + 1.0);
                }
            }
            if changes != 0 {
                let plan = &program.characters[self.setup.combatants[who.index()].character.index()];
                program.compute_attributes(plan, &mut self.memory, who, &[], &Stacked(&held), changes).ok()?;
            }
        }
        Some(())
    }
}

/// Every number of its owner that hangs on a status.
fn affected(setup: &Setup, who: CombatantId, status: StatusId) -> u64 {
    let program = &setup.program;
    let mut found = program.status(status).changes;
    for attribute in &program.characters[setup.combatants[who.index()].character.index()].attributes {
        if attribute.reads & found != 0 {
            found |= dirty::bit(attribute.slot);
        }
    }
    for hidden in &program.hidden {
        if hidden.reads & found != 0 {
            found |= dirty::bits(hidden.slot, if hidden.typed { program.layout.types } else { 1 });
        }
    }
    found | program.counted(status)
}

/// Whether it is all the same in which order these statuses came: no more than two numbers are added up or multiplied
/// for an attribute, which comes to the same either way to the last bit; with three it need not.
fn in_any_order(program: &Program, statuses: &[StatusId]) -> bool {
    let modifiers = || statuses.iter().flat_map(|status| &program.status(*status).modifiers);
    modifiers().flat_map(|one| one.slot.0..one.slot.0 + one.slots).all(|slot| {
        let covering: Vec<_> = modifiers().filter(|one| one.covers(Slot(slot))).collect();
        covering.len() == 1 || covering.len() == 2 && covering.iter().all(|one| one.kind != ModifierKind::Set)
    })
}
