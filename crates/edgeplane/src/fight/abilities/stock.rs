//! Abilities with more state than a cooldown: charges, limited uses, shared cooldowns, several releases, and
//! availability after another ability.

use super::super::engine::{Engine, FightResult, emit};
use super::super::events::UnavailableReason;
use super::super::space::zones::IN_USE;
use super::super::state::timers::Phase;
use super::super::state::{Doing, EffectContext};
use crate::program::{AbilityId, AbilityPlan, CombatantId, Time};
use crate::rules::UseMoment;

impl Engine<'_> {
    /// The reason why such an ability cannot be used, in addition to the reasons that apply to every ability.
    pub(in crate::fight) fn out_of_stock(
        &mut self,
        who: CombatantId,
        index: usize,
    ) -> FightResult<Option<UnavailableReason>> {
        let plan = self.program.ability(self.setup.abilities[index].ability);
        let now = self.state.now;
        let ability = &self.state.abilities[index];
        if plan.uses.is_some_and(|uses| ability.used >= uses) {
            return Ok(Some(UnavailableReason::UsedUp));
        }
        if let Some((most, _)) = plan.charges
            && let Some(charges) = self.state.charges_mut(self.setup, index)
            && charges.refill(most, now) == 0
        {
            let until = charges.next;
            return Ok(Some(UnavailableReason::NoCharge { until }));
        }
        let Some((after, within)) = plan.after else { return Ok(None) };
        let not_open = Some(UnavailableReason::NotOpen { after });
        let opener = self.state.ability_index(self.setup, who, after);
        let opened = opener.map_or(Time::NEVER, |opener| self.state.abilities[opener].released);
        if opened == Time::NEVER {
            return Ok(not_open);
        }
        let Some(within) = within else { return Ok(None) };
        let closes = opened + Time::from_seconds(self.positive(within, &self.frame(who, who))?);
        if closes < now {
            return Ok(not_open);
        }
        // Whatever else keeps it closed is a different reason from then on.
        self.until = self.until.min(closes + Time(1));
        Ok(None)
    }

    /// Counts a use: the cooldown starts at this time, and a charge is spent.
    pub(super) fn count_use(&mut self, who: CombatantId, index: usize, from: Time) -> FightResult<()> {
        let plan = self.program.ability(self.setup.abilities[index].ability);
        let cooldown = self.time_of(who, plan.cooldown)?;
        self.state.abilities[index].ready = from + cooldown;
        let regain = match plan.charges {
            Some((most, regain)) => Some((most, self.time_of(who, Some(regain))?)),
            None => None,
        };
        let now = self.state.now;
        self.state.abilities[index].used += 1;
        if let Some((most, regain)) = regain
            && let Some(charges) = self.state.charges_mut(self.setup, index)
        {
            // Uses that begin at this time have the same time.
            if charges.refill(most, now) == most || charges.next == from + charges.regain {
                charges.next = from + regain;
            }
            charges.regain = regain;
            charges.left = charges.left.saturating_sub(1);
        }
        if let Some((shared, time)) = plan.shared_cooldown {
            let time = if time.is_some() { self.time_of(who, time)? } else { cooldown };
            self.keep_waiting(who, shared, from + time);
        }
        let table = &self.setup.abilities[index];
        self.reopen(who, table.lines | table.shares);
        self.note_abilities(who);
        Ok(())
    }

    /// Puts all abilities with a shared cooldown on cooldown, at least until a given time.
    fn keep_waiting(&mut self, who: CombatantId, shared: u16, until: Time) {
        let policy = &self.setup.policies[who.index()];
        for index in policy.first as usize..(policy.first + policy.count) as usize {
            let plan = self.program.ability(self.setup.abilities[index].ability);
            if plan.shared_cooldown.is_some_and(|(other, _)| other == shared) {
                let ability = &mut self.state.abilities[index];
                ability.ready = ability.ready.max(until);
            }
        }
    }

    /// Completes the start of such an ability.
    pub(super) fn start_special(&mut self, who: CombatantId, index: usize, this_use: u16) -> FightResult<()> {
        let id = self.setup.abilities[index].ability;
        let plan = self.program.ability(id);
        if plan.cost_at == UseMoment::Start {
            self.pay_for(who, index)?;
        }
        if plan.cooldown_from == UseMoment::Start {
            self.count_use(who, index, self.state.now)?;
        }
        for status in &plan.during {
            // Effects of the start can interrupt the cast to which they belong; nothing more of it happens then.
            if self.is_under_way(who, this_use) {
                self.hold(IN_USE, &EffectContext::of_ability(who, id), who, *status)?;
            }
        }
        if !self.is_under_way(who, this_use) {
            self.release_holds(IN_USE, who)?;
        }
        Ok(())
    }

    /// Releases such an ability, for the first time or again.
    pub(super) fn release_special(&mut self, who: CombatantId, index: usize) -> FightResult<()> {
        let id = self.setup.abilities[index].ability;
        let plan = self.program.ability(id);
        if let (Some(sustain), true) = (&plan.sustain, self.state.who(who).sustains) {
            return self.sustain_tick(who, index, sustain);
        }
        if self.state.who(who).releases_left == 0 {
            if plan.cost_at == UseMoment::Release {
                if let Some(reason) = self.affordable(who, plan)? {
                    self.report_unavailable(who, index, reason);
                    return self.end_use(who, index);
                }
                self.pay_for(who, index)?;
            }
            if plan.cooldown_from == UseMoment::Release {
                self.count_use(who, index, self.state.now)?;
            }
            self.state.who_mut(who).releases_left = plan.releases.map_or(1, |(count, _)| count as u16);
        }
        self.next_release(who, index, plan)
    }

    fn next_release(&mut self, who: CombatantId, index: usize, plan: &AbilityPlan) -> FightResult<()> {
        let (now, id) = (self.state.now, self.setup.abilities[index].ability);
        let this_use = self.state.who(who).uses_begun;
        self.state.who_mut(who).releases_left -= 1;
        let left = self.state.who(who).releases_left;
        self.state.abilities[index].released = now;
        let opens = self.setup.abilities[index].opens;
        self.touch(who, opens);
        let last = left == 0 && plan.sustain.is_none();
        if last {
            self.count_at_end(who, index, plan)?;
        }
        emit!(self, Released { caster: who, ability: id, ready: self.state.abilities[index].ready });
        if last {
            // The cast is over, so its own effects cannot interrupt it.
            let recovery = self.recovery_of(who, index)?;
            self.recover(who, recovery);
            self.effects_of_release(who, id, plan)?;
            return self.release_use_when_idle(who);
        }
        // A release counts even if its effects end the sequence.
        self.state.who_mut(who).releases_left = left.max(1);
        let reached = self.effects_of_release(who, id, plan)?;
        if !self.is_under_way(who, this_use) {
            return Ok(());
        }
        if let (Some(sustain), true) = (&plan.sustain, reached) {
            return self.begin_sustaining(who, index, sustain);
        }
        match plan.releases.filter(|_| left > 0 && reached) {
            Some((_, every)) => {
                self.state.who_mut(who).releases_left = left;
                let next = now + self.time_of(who, Some(every))?;
                self.set_act(who, next, Phase::Release);
                Ok(())
            }
            None => {
                self.count_at_end(who, index, plan)?;
                self.end_use(who, index)
            }
        }
    }

    /// Counts the end of a use, if the cooldown starts there.
    pub(super) fn count_at_end(&mut self, who: CombatantId, index: usize, plan: &AbilityPlan) -> FightResult<()> {
        if plan.cooldown_from != UseMoment::End {
            return Ok(());
        }
        let ends = self.state.now + self.recovery_of(who, index)?;
        self.count_use(who, index, ends)
    }

    /// Ends a use: the caster recovers, and statuses held during the use end.
    pub(super) fn end_use(&mut self, who: CombatantId, index: usize) -> FightResult<()> {
        let combatant = self.state.who_mut(who);
        (combatant.releases_left, combatant.sustains) = (0, false);
        let recovery = self.recovery_of(who, index)?;
        self.recover(who, recovery);
        self.release_use_when_idle(who)
    }

    fn release_use_when_idle(&mut self, who: CombatantId) -> FightResult<()> {
        if self.state.who(who).doing == Doing::Idle { self.release_holds(IN_USE, who) } else { Ok(()) }
    }

    /// Applies the effects of a release to its targets; returns whether any of them stands.
    fn effects_of_release(&mut self, who: CombatantId, id: AbilityId, plan: &AbilityPlan) -> FightResult<bool> {
        match plan.travel.filter(|_| self.setup.is_placed) {
            Some(speed) => self.send_out(who, id, speed),
            None => self.effects_on_aimed(&EffectContext::of_ability(who, id), &plan.does),
        }
    }
}
