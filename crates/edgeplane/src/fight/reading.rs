//! What a game asks of a fight about statuses: lists for players, and where an attribute comes from.

use serde::Serialize;

use super::event::Observer;
use super::held::{Held, seconds_left};
use super::inflict::Dose;
use super::limits::FightError;
use super::outcomes::By;
use super::pointed::with_engine;
use super::state::State;
use super::{Fight, FightErrorKind, Provider};
use crate::program::{
    CombatantId, Draws, Frame, Holding, Memory, ModifierKind, Slot, StatusId, StatusKind, TextPart, Time, plain,
};

/// A status as a game shows it.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct HeldStatus {
    /// Which.
    pub status: StatusId,
    /// Who inflicted it.
    pub caster: CombatantId,
    /// Good or bad for its owner.
    pub kind: StatusKind,
    /// The name under which the game finds its picture.
    pub icon: String,
    /// The text for players, with its values as they are now.
    pub text: String,
    /// How many stacks.
    pub stacks: u32,
    /// Seconds until it ends; none for one that does not end by itself.
    pub remaining: Option<f64>,
    /// The share of its full duration that remains; 1 for one that does not end by itself.
    pub share: f64,
    /// It ends within the time that the status calls soon.
    pub expiring: bool,
    /// Not for players' eyes.
    pub hidden: bool,
}

/// One thing that makes an attribute what it is.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Contribution {
    /// The status.
    pub status: StatusId,
    /// In which way it changes the attribute.
    pub kind: ModifierKind,
    /// By how much.
    pub amount: f64,
}

impl<C: Provider> Fight<C> {
    /// Applies a status by hand: a script, a potion, a test. Whether it was taken on.
    ///
    /// # Errors
    /// When a formula has no value, or statuses answer to each other without end.
    pub fn inflict<O: Observer>(
        &mut self,
        status: StatusId,
        caster: CombatantId,
        target: CombatantId,
        stacks: u32,
        observer: &mut O,
    ) -> Result<bool, FightError> {
        let by = By::of_status(caster, status, caster, caster);
        let done = with_engine!(self, observer, O, |engine, _| {
            let done = engine.inflict(&by, target, status, Dose { stacks, duration: None });
            done.and_then(|done| engine.answer().map(|()| done))
        });
        done.map_err(|error| *error)
    }

    /// Takes all instances of a status away by hand. Whether there was one.
    ///
    /// # Errors
    /// As for [`Fight::inflict`].
    pub fn remove_status<O: Observer>(
        &mut self,
        status: StatusId,
        target: CombatantId,
        observer: &mut O,
    ) -> Result<bool, FightError> {
        with_engine!(self, observer, O, |engine, _| engine.remove_all(status, target)).map_err(|error| *error)
    }

    /// The statuses of a combatant, in the order in which they came, hidden ones included.
    ///
    /// # Errors
    /// When a value that a text shows cannot be computed.
    pub fn statuses(&mut self, who: CombatantId) -> Result<Vec<HeldStatus>, FightError> {
        (0..self.state.statuses[who.index()].len()).map(|index| self.held_status(who, index)).collect()
    }

    fn held_status(&mut self, who: CombatantId, index: usize) -> Result<HeldStatus, FightError> {
        let program = &self.setup.program;
        let State { memory, statuses, scratch, now, .. } = &mut self.state;
        let one = &statuses[who.index()][index];
        let plan = program.status(one.status);
        let saved = memory.locals();
        one.load(memory, *now);
        let frame = Frame::new(program, one.caster, who, 0, now.micros());
        let mut text = String::new();
        for part in &plan.text {
            match part {
                TextPart::Words(words) => text.push_str(words),
                TextPart::Value(formula) => {
                    let value = program.number(*formula, memory, &frame, &mut self.chance, &mut scratch.draws);
                    let fail = |fault| FightError { at: *now, kind: FightErrorKind::Fault(fault) };
                    text.push_str(&plain(value.map_err(fail)?));
                }
            }
        }
        memory.set_locals(&saved);
        let ends = one.end() < Time::NEVER;
        let remaining = ends.then(|| seconds_left(one.ends, *now));
        let share = if ends && one.full > Time::ZERO {
            ((one.ends - *now).seconds() / one.full.seconds()).min(1.0)
        } else {
            1.0
        };
        Ok(HeldStatus {
            status: one.status,
            caster: one.caster,
            kind: plan.kind,
            icon: plan.icon.clone(),
            text,
            stacks: one.stacks,
            remaining,
            share,
            expiring: ends && plan.warn.is_some_and(|warn| one.ends - *now <= warn),
            hidden: plan.hidden,
        })
    }

    /// What statuses add to an attribute of a combatant, in the order in which they came.
    ///
    /// # Errors
    /// When a modifier has no value.
    pub fn contributions(&mut self, who: CombatantId, slot: Slot) -> Result<Vec<Contribution>, FightError> {
        let program = &self.setup.program;
        let State { memory, statuses, now, .. } = &mut self.state;
        let held = Held { instances: &statuses[who.index()], now: *now };
        let saved = memory.locals();
        let mut found = Vec::new();
        for index in 0..held.count() {
            let status = held.status(index);
            for modifier in program.status(status).modifiers.iter().filter(|one| one.covers(slot)) {
                held.load(index, memory);
                let frame = Frame::new(program, who, who, slot.0 - modifier.slot.0, 0.0);
                let amount = program.number(modifier.amount, memory, &frame, &mut self.chance, &mut Draws::default());
                let fail = |fault| FightError { at: *now, kind: FightErrorKind::Fault(fault) };
                found.push(Contribution { status, kind: modifier.kind, amount: amount.map_err(fail)? });
            }
        }
        memory.set_locals(&saved);
        Ok(found)
    }

    /// The numbers of the fight.
    pub(crate) fn memory(&self) -> &Memory {
        &self.state.memory
    }

    /// All stacks of a status on a combatant.
    pub fn stacks(&self, who: CombatantId, status: StatusId) -> u32 {
        self.state.stack_counts(who, status) as u32
    }
}
