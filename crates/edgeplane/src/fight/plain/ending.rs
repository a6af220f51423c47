//! The end of a duel in which nothing answers to a defeat.

use super::lane::Lane;
use super::plan::PlainPlan;
use crate::fight::engine::{Engine, Outcome};
use crate::fight::event::{Ending, Event, Observer};
use crate::fight::state::Doing;
use crate::fight::timeline::Due;
use crate::program::{Chance, CombatantId, Layout, Setup, flow};

/// Whether the first defeat ends the fights of a setup, and nobody loses statuses by it.
pub(super) fn ends_at_once(setup: &Setup, plan: &PlainPlan) -> bool {
    plan.duel && plan.statuses.len() == 0 && setup.script.vital.is_empty()
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// As [`Engine::settle_defeats`], which finds out about everything that there is not here.
    pub(super) fn end_at_once(&mut self, plan: &PlainPlan, lane: &Lane) -> Outcome<Ending> {
        let empty = |who: CombatantId| {
            let pool = plan.defeats.filter(|_| plan.fighters[who].mortal);
            pool.is_some_and(|pool| flow::amount(&lane.bodies[who.index()].pools[pool], lane.micros) <= 0.0)
        };
        let [first, second] = [lane.order[0], lane.order[1]];
        let falls = [first, second].map(empty);
        for (who, _) in [first, second].into_iter().zip(falls).filter(|(_, falls)| *falls) {
            self.fall_at_once(who);
        }
        self.state.someone_fell = true;
        self.give_experience()?;
        let winner = if falls[0] { second } else { first };
        Ok(self.end(if falls[0] && falls[1] { Ending::AllFell } else { Ending::Won(plan.fighters[winner].side) }))
    }

    fn fall_at_once(&mut self, who: CombatantId) {
        let state = &mut *self.state;
        let actor = &mut state.actors[who];
        (actor.stands, actor.doing) = (false, Doing::Idle);
        if std::mem::take(&mut actor.chooses) {
            state.choosers -= 1;
        }
        let by = actor.hurt_by;
        state.timeline.set_act(who, Due::NOTHING);
        state.memory.set(self.program.place(who, Layout::STANDS), 0.0);
        for one in [CombatantId(0), CombatantId(1)] {
            let place = self.program.place(one, if one == who { Layout::ALLIES } else { Layout::ENEMIES });
            state.memory.set(place, state.memory.at(place) - 1.0);
            state.new_version(one);
        }
        self.tell(Event::Fell { who, by });
        if self.plan_of(who).worth.is_some() {
            self.state.scratch.worthy.push(who);
        }
    }
}
