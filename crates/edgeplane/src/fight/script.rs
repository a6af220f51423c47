//! What the encounter has happen by itself: who joins, and abilities that nobody uses.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, Source};
use super::outcomes::By;
use super::triggers::Circumstance;
use crate::program::{
    AbilityId, Chance, CharacterId, CombatantId, JoinPlan, Layout, MomentEffect, PoolId, SideId, TriggerEvent,
    pool_slot,
};
use crate::rules::Receiver;

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// Everything that the script has for this moment, in its order.
    pub(super) fn run_script(&mut self) -> Outcome<()> {
        let setup = self.setup;
        for (index, moment) in setup.script.moments.iter().enumerate() {
            let (at, times) = self.state.script[index];
            if times == 0 || at > self.state.now {
                continue;
            }
            self.state.script[index] = (at + moment.every, times - 1);
            match &moment.does {
                MomentEffect::Join(who) => self.join(*who, None)?,
                MomentEffect::Bring(ability, who) => {
                    for one in who {
                        self.bring_by_itself(*one, *ability)?;
                    }
                }
            }
        }
        self.state.schedule_script();
        Ok(())
    }

    /// An ability takes effect without being used: no cost, no cooldown, and its targets at any distance.
    fn bring_by_itself(&mut self, who: CombatantId, id: AbilityId) -> Outcome<()> {
        if !self.state.actors[who].stands {
            return Ok(());
        }
        let program = self.program;
        let (ability, by) = (program.ability(id), By::of_ability(who, id));
        self.tell(Event::Scripted { who, ability: id });
        self.pick_targets(who, ability)?;
        // What it brings about may need the scratch room itself.
        let picked = std::mem::take(&mut self.state.scratch.picked);
        for outcome in &ability.does {
            if outcome.to != Receiver::Target {
                self.bring_all(&by, who, std::slice::from_ref(outcome))?;
                continue;
            }
            for target in &picked {
                self.bring(&by, *target, outcome)?;
            }
        }
        self.state.scratch.picked = picked;
        self.answer()
    }

    /// Those of a character who wait to be called join, as many as there are and are wanted.
    pub(super) fn call(&mut self, by: &By, character: CharacterId, count: u32) -> Outcome<()> {
        let side = self.setup.combatants[by.owner.index()].side;
        let waits = |engine: &Self, who: &CombatantId| {
            let plan = &engine.setup.combatants[who.index()];
            let called = engine.setup.script.joins(*who) == JoinPlan::Called;
            called && plan.character == character && plan.side == side && engine.state.absent[who.index()]
        };
        for _ in 0..count {
            let Some(who) = self.setup.ids().find(|who| waits(self, who)) else { break };
            self.join(who, Some((by.owner, by.source)))?;
        }
        Ok(())
    }

    /// Somebody begins to take part, as it would have at the start.
    fn join(&mut self, who: CombatantId, by: Option<(CombatantId, Source)>) -> Outcome<()> {
        self.state.actors[who].stands = true;
        self.state.absent[who.index()] = false;
        self.state.memory.set(self.program.place(who, Layout::STANDS), 1.0);
        let side = self.setup.combatants[who.index()].side;
        for other in self.setup.ids() {
            let slot = if self.setup.combatants[other.index()].side == side { Layout::ALLIES } else { Layout::ENEMIES };
            let place = self.program.place(other, slot);
            self.state.memory.set(place, self.state.memory.at(place) + 1.0);
            self.state.new_version(other);
            self.forget_conditions(other);
        }
        self.begin_pools(who);
        self.tell(Event::Joined { who, by });
        self.dressing = true;
        self.dress(who)?;
        self.dressing = false;
        self.raise(TriggerEvent::FightBegan, who, Circumstance::default());
        if self.state.timeline.has_empty_timers() {
            self.schedule_empty(who);
        }
        // Everyone looks again, as when somebody falls; and whoever comes with nothing left falls at once.
        (self.state.someone_fell, self.state.someone_hurt, self.state.attention) = (true, true, true);
        self.state.moved |= self.setup.is_placed || self.has_zones();
        if !self.state.actors[who].by_hand {
            self.will_choose(who);
        }
        Ok(())
    }

    /// What flows has not flowed while nobody was there.
    fn begin_pools(&mut self, who: CombatantId) {
        for pool in 0..self.program.pools.len() as u16 {
            let first = self.program.place(who, self.program.layout.pool(PoolId(pool)));
            let amount = self.setup.memory.at(first + usize::from(pool_slot::AMOUNT));
            self.state.memory.set_pool(first, amount, self.state.now.micros());
        }
    }

    /// Whether a side has not lost: somebody stands or is still to come at a given moment, and nobody vital has fallen.
    pub(super) fn holds_out(&self, side: SideId) -> bool {
        let script = &self.setup.script;
        let of_side = |who: &CombatantId| self.setup.combatants[who.index()].side == side;
        let stands = |who: CombatantId| self.state.actors[who].stands;
        let absent = |who: CombatantId| self.state.absent[who.index()];
        let there = |who: CombatantId| stands(who) || (absent(who) && matches!(script.joins(who), JoinPlan::At(_)));
        let fallen = |who: &&CombatantId| of_side(who) && !stands(**who) && !absent(**who);
        self.setup.ids().any(|who| of_side(&who) && there(who)) && !script.vital.iter().any(|who| fallen(&who))
    }
}
