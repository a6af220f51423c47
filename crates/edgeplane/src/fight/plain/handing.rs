//! Handing the statuses of a plain fight back to the engine.

use super::lane::{Held, Lane};
use super::plan::PlainPlan;
use crate::fight::engine::{Engine, Outcome};
use crate::fight::event::Observer;
use crate::fight::held::Instance;
use crate::program::{Chance, CombatantId};

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// Statuses, and all numbers that hang on them, as the engine has them.
    /// `again` if that has been done before in this fight.
    pub(super) fn hand_back(&mut self, plan: &PlainPlan, lane: &Lane, again: bool) -> Outcome<()> {
        self.state.next_serial = lane.next_serial;
        for who in self.setup.ids() {
            let mut changes = 0;
            for (status, held) in plan.statuses.all().iter().zip(&lane.held[who.index()]) {
                let (id, layout) = (status.id, &self.program.layout);
                changes |= self.program.status(id).changes;
                let place = self.program.place(who, layout.stacks(id));
                self.state.memory.set(place, f64::from(held.stacks));
            }
            self.hand_back_statuses(plan, lane, who);
            self.count_tags(plan, who);
            self.state.new_version(who);
            self.schedule_statuses(who);
            // Whoever falls now loses all of them, and is as it began: as it still stands there, the first time.
            if again || !self.is_empty(who) {
                self.derive_again(who, changes)?;
            }
        }
        Ok(())
    }

    /// In the order in which they came.
    fn hand_back_statuses(&mut self, plan: &PlainPlan, lane: &Lane, who: CombatantId) {
        let state = &mut *self.state;
        state.spare.append(&mut state.statuses[who.index()]);
        let there = || plan.statuses.all().iter().zip(&lane.held[who.index()]).filter(|(_, held)| held.stacks > 0);
        let mut after = None;
        loop {
            let later = there().filter(|(_, held)| after.is_none_or(|serial| held.serial > serial));
            let Some((status, held)) = later.min_by_key(|(_, held)| held.serial) else { break };
            after = Some(held.serial);
            let mut one = state.spare.pop().unwrap_or_else(|| Instance::roomy(self.program));
            one.status = status.id;
            fill(&mut one, held);
            one.next = held.next(status);
            if status.ends_apart {
                one.stack_ends.extend_from_slice(held.each_end());
            }
            state.statuses[who.index()].push(one);
        }
    }

    fn count_tags(&mut self, plan: &PlainPlan, who: CombatantId) {
        for status in plan.statuses.all() {
            for tag in &self.program.status(status.id).tag_ids {
                let with = |one: &&Instance| self.program.status(one.status).tag_ids.contains(tag);
                let count = self.state.statuses[who.index()].iter().filter(with).count();
                let place = self.program.place(who, self.program.layout.tagged(*tag));
                self.state.memory.set(place, count as f64);
            }
        }
    }
}

fn fill(one: &mut Instance, held: &Held) {
    (one.serial, one.stacks, one.caster) = (held.serial, held.stacks, held.caster);
    (one.started, one.full, one.ends) = (held.started, held.full, held.ends);
    (one.rhythm, one.beats, one.period) = (held.rhythm, held.beats, held.period);
    (one.ticks_made, one.ticks, one.rank) = (held.ticks_made, held.ticks, 0.0);
    (one.held, one.warned) = (0, false);
    one.stack_ends.clear();
    one.kept.clear();
    one.triggers.clear();
}
