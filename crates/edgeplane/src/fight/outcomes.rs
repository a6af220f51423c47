//! Bringing outcomes about: who receives them, whether they happen, and those that are about statuses.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, Source};
use super::inflict::Dose;
use super::state::Doing;
use super::timeline::Timer;
use super::triggers::Circumstance;
use super::zones::IN_USE;
use crate::program::{
    AbilityId, Chance, CombatantId, Effect, FilterPlan, FormulaId, Frame, LostReason, OutcomePlan, StatusId, Time,
    TriggerEvent,
};
use crate::rules::{CleansePick, Receiver, UseMoment};

/// Whose outcome it is, and of what.
#[derive(Clone, Copy, PartialEq)]
pub(super) struct By {
    /// Who acts.
    pub(super) caster: CombatantId,
    pub(super) source: Source,
    /// Who has the status; the one who acts, for an ability.
    pub(super) owner: CombatantId,
    /// Who inflicted the status; the one who acts, for an ability.
    pub(super) inflictor: CombatantId,
    /// The other one in what a trigger answers to.
    pub(super) other: Option<CombatantId>,
    /// The part of it that happens, for a part of a tick.
    pub(super) part: f64,
}

impl By {
    #[inline(always)]
    pub(super) fn of_ability(caster: CombatantId, ability: AbilityId) -> Self {
        let source = Source::Ability(ability);
        Self { caster, source, owner: caster, inflictor: caster, other: None, part: 1.0 }
    }

    /// The ability, if it is one.
    #[inline]
    pub(super) fn ability(&self) -> Option<AbilityId> {
        match self.source {
            Source::Ability(ability) => Some(ability),
            Source::Status(_) => None,
        }
    }

    pub(super) fn of_status(caster: CombatantId, status: StatusId, owner: CombatantId, inflictor: CombatantId) -> Self {
        Self { caster, source: Source::Status(status), owner, inflictor, other: None, part: 1.0 }
    }
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// Brings a list of outcomes about; `target` receives those that do not say who.
    #[inline(never)]
    pub(super) fn bring_all(&mut self, by: &By, target: CombatantId, outcomes: &[OutcomePlan]) -> Outcome<()> {
        for outcome in outcomes {
            let receiver = match outcome.to {
                Receiver::Target => target,
                Receiver::Caster => by.inflictor,
                _ => {
                    self.bring_to_others(by, outcome)?;
                    continue;
                }
            };
            self.bring(by, receiver, outcome)?;
        }
        Ok(())
    }

    /// The same for the target of an ability, which stands. Nearly all abilities are one hit and
    /// nothing else.
    #[inline(always)]
    pub(super) fn bring_ability(&mut self, by: &By, target: CombatantId, outcomes: &[OutcomePlan]) -> Outcome<()> {
        if let [OutcomePlan { to: Receiver::Target, when: None, chance: None, effect: Effect::Hit(effect) }] = outcomes
        {
            self.hit_apart(by, target, effect)
        } else {
            self.bring_all(by, target, outcomes)
        }
    }

    #[inline(never)]
    fn bring_to_others(&mut self, by: &By, outcome: &OutcomePlan) -> Outcome<()> {
        let side = self.setup.combatants[by.owner.index()].side;
        match outcome.to {
            Receiver::Other => by.other.map_or(Ok(()), |other| self.bring(by, other, outcome)),
            Receiver::Allies | Receiver::Enemies => {
                for who in self.setup.ids() {
                    let ally = self.setup.combatants[who.index()].side == side;
                    if ally == (outcome.to == Receiver::Allies) {
                        self.bring(by, who, outcome)?;
                    }
                }
                Ok(())
            }
            _ => self.bring(by, by.owner, outcome),
        }
    }

    /// Brings one outcome about for one who receives it, if it happens at all.
    #[inline]
    pub(super) fn bring(&mut self, by: &By, target: CombatantId, outcome: &OutcomePlan) -> Outcome<()> {
        // Who falls can still call others, or win by that.
        let of_side = matches!(outcome.effect, Effect::Call(..) | Effect::Win);
        if !self.state.actors[target].stands && !of_side {
            return Ok(());
        }
        if (outcome.when.is_some() || outcome.chance.is_some()) && !self.happens(by, target, outcome)? {
            return Ok(());
        }
        match &outcome.effect {
            Effect::Hit(effect) => self.hit_apart(by, target, effect),
            Effect::Heal(effect) => self.heal(by, target, effect),
            Effect::Pool(effect) => self.pool_effect(by, target, effect),
            other => self.bring_status(by, target, other),
        }
    }

    #[inline(never)]
    fn happens(&mut self, by: &By, target: CombatantId, outcome: &OutcomePlan) -> Outcome<bool> {
        let frame = Frame::new(self.program, by.caster, target, 0, self.state.now.micros());
        if let Some(when) = outcome.when
            && self.number(when, &frame)? == 0.0
        {
            return Ok(false);
        }
        let Some((chance, site)) = outcome.chance else { return Ok(true) };
        let chance = self.number(chance, &frame)?;
        Ok(self.chance.chance(frame.stream(site), chance))
    }

    #[inline(never)]
    fn bring_status(&mut self, by: &By, target: CombatantId, effect: &Effect) -> Outcome<()> {
        let frame = Frame::new(self.program, by.caster, target, 0, self.state.now.micros());
        match effect {
            Effect::Zone(zone) => self.place_zone(by, target, *zone),
            Effect::Call(character, count) => {
                let count = self.whole(*count, &frame, 1)?;
                self.call(by, *character, count)
            }
            Effect::Inflict(status, stacks, duration) => {
                let stacks = self.whole(*stacks, &frame, 1)?;
                let duration = match duration {
                    Some(duration) => Some(self.positive(*duration, &frame)?),
                    None => None,
                };
                if stacks > 0 {
                    self.inflict(by, target, *status, Dose { stacks, duration })?;
                }
                Ok(())
            }
            Effect::Cleanse(filter) => self.take_away(by, target, filter, false),
            Effect::Transfer(filter) => self.take_away(by, target, filter, true),
            Effect::Consume(status, stacks) => {
                let stacks = self.whole(*stacks, &frame, u32::MAX)?;
                self.use_up(target, *status, stacks)
            }
            Effect::Lengthen(status, seconds, shorter) => {
                let seconds = self.positive(*seconds, &frame)?;
                self.lengthen(target, *status, Time::from_seconds(seconds), *shorter)
            }
            Effect::Interrupt => self.interrupt(target, by),
            Effect::Win => {
                self.decide_for(by);
                Ok(())
            }
            Effect::Wear(piece) => self.wear(target, *piece),
            Effect::TakeOff(piece) => self.take_off(target, *piece),
            Effect::HandOver(what) => {
                self.give(by, target, *what);
                Ok(())
            }
            Effect::TakeBack(what) => {
                self.take_back(by, target, *what);
                Ok(())
            }
            Effect::Leap(metres) => {
                let metres = self.positive(*metres, &frame)?;
                if self.setup.is_placed {
                    self.leap(by, target, metres);
                }
                Ok(())
            }
            Effect::Toggle(status) if self.state.statuses[target.index()].iter().any(|one| one.status == *status) => {
                self.use_up(target, *status, u32::MAX)
            }
            Effect::Toggle(status) => {
                self.inflict(by, target, *status, Dose { stacks: 1, duration: None })?;
                Ok(())
            }
            Effect::Threat(amount) => {
                let amount = self.number(*amount, &frame)?;
                self.threaten(by, target, amount);
                Ok(())
            }
            Effect::Shift(metres, nearer) => {
                let metres = self.positive(*metres, &frame)?;
                if self.setup.is_placed {
                    self.shift(target, by, if *nearer { -metres } else { metres });
                }
                Ok(())
            }
            Effect::Hit(_) | Effect::Heal(_) | Effect::Pool(_) => Ok(()),
        }
    }

    /// A number of stacks: whole, rounded down.
    fn whole(&mut self, formula: Option<FormulaId>, frame: &Frame, default: u32) -> Outcome<u32> {
        match formula {
            Some(formula) => Ok(self.positive(formula, frame)?.min(f64::from(u32::MAX)) as u32),
            None => Ok(default),
        }
    }

    /// Takes statuses away that a filter means, and gives them to the one who acts, if it says so.
    fn take_away(&mut self, by: &By, target: CombatantId, filter: &FilterPlan, transfers: bool) -> Outcome<()> {
        let program = self.program;
        let meant = |status: StatusId| {
            let plan = program.status(status);
            let tagged = filter.tags.is_empty() || filter.tags.iter().any(|tag| plan.tag_ids.contains(tag));
            !plan.sticky
                && filter.status.is_none_or(|only| only == status)
                && filter.kind.is_none_or(|kind| kind == plan.kind)
                && tagged
        };
        let mut serials = std::mem::take(&mut self.state.scratch.meant);
        serials.clear();
        let held = self.state.statuses[target.index()].iter().filter(|one| meant(one.status));
        serials.extend(held.map(|one| (one.serial, one.ends)));
        match filter.pick {
            CleansePick::Oldest => {}
            CleansePick::Newest => serials.reverse(),
            // Serials are in order of time, so no two are alike and the order is settled.
            CleansePick::Longest => serials.sort_unstable_by_key(|(serial, ends)| (std::cmp::Reverse(*ends), *serial)),
        }
        for (serial, ends) in serials.drain(..).take(filter.count as usize) {
            let Some(index) = self.state.held(target, serial) else { continue };
            let one = &self.state.statuses[target.index()][index];
            let (status, stacks) = (one.status, one.stacks);
            let left = super::held::seconds_left(ends, self.state.now);
            self.lose(target, index, if transfers { LostReason::Transferred } else { LostReason::Cleansed })?;
            if transfers {
                self.inflict(by, by.caster, status, Dose { stacks, duration: Some(left) })?;
            }
        }
        self.state.scratch.meant = serials;
        Ok(())
    }

    /// Uses up stacks, of the oldest first.
    fn use_up(&mut self, target: CombatantId, status: StatusId, mut stacks: u32) -> Outcome<()> {
        while stacks > 0 {
            let Some(index) = self.state.statuses[target.index()].iter().position(|one| one.status == status) else {
                return Ok(());
            };
            let one = &mut self.state.statuses[target.index()][index];
            if one.stacks <= stacks {
                stacks -= one.stacks;
                self.lose(target, index, LostReason::Consumed)?;
                continue;
            }
            one.stacks -= stacks;
            if !one.stack_ends.is_empty() {
                one.stack_ends.sort();
                one.stack_ends.drain(..stacks as usize);
            }
            let left = one.stacks;
            let total = self.state.stack_counts(target, status) as u32;
            self.tell(Event::StatusStacks { target, status, stacks: left, total });
            return self.status_changed(target, status);
        }
        Ok(())
    }

    fn lengthen(&mut self, target: CombatantId, status: StatusId, by: Time, shorter: bool) -> Outcome<()> {
        let now = self.state.now;
        let plan = self.program.status(status);
        let moved = |end: Time| match (end >= Time::NEVER, shorter) {
            (true, _) => end,
            (false, true) => (end - by).max(now),
            (false, false) => end + by,
        };
        for index in 0..self.state.statuses[target.index()].len() {
            let one = &mut self.state.statuses[target.index()][index];
            if one.status == status && one.ends < Time::NEVER {
                one.ends = moved(one.ends);
                one.stack_ends.iter_mut().for_each(|end| *end = moved(*end));
                one.schedule(plan, now);
                let until = one.ends;
                self.tell(Event::StatusMoved { target, status, until });
            }
        }
        self.schedule_statuses(target);
        Ok(())
    }

    /// Breaks the cast of a combatant, if one is under way.
    pub(super) fn interrupt(&mut self, who: CombatantId, by: &By) -> Outcome<()> {
        let actor = &mut self.state.actors[who];
        let Doing::Casting(place) = actor.doing else { return Ok(()) };
        actor.doing = Doing::Idle;
        self.state.timeline.clear(who, Timer::Act);
        let ability = self.state.in_hand[place as usize].ability;
        self.tell(Event::Interrupted { who, ability, by: by.caster, source: by.source });
        // What took effect has been had for its cost, and counts.
        let actor = &mut self.state.actors[who];
        actor.sustains = false;
        if std::mem::take(&mut actor.releases_left) == 0 {
            self.pay_back(who, ability)?;
        } else if self.program.ability(ability).cooldown_from == UseMoment::End {
            self.count_use(who, place as usize, self.state.now)?;
        }
        self.let_go(IN_USE, who)?;
        self.ready(who);
        let how = Circumstance { other: Some(by.caster), ability: Some(ability), ..Circumstance::default() };
        self.raise(TriggerEvent::Interrupted, who, how);
        Ok(())
    }

    fn pay_back(&mut self, who: CombatantId, ability: AbilityId) -> Outcome<()> {
        let plan = self.program.ability(ability);
        let Some(refund) = plan.refund.filter(|_| plan.cost_at == UseMoment::Start) else { return Ok(()) };
        let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
        let share = self.positive(refund, &frame)?;
        for (pool, cost) in &plan.cost {
            let amount = self.positive(*cost, &frame)? * share;
            self.restore(&By::of_ability(who, ability), who, *pool, amount);
        }
        Ok(())
    }
}
