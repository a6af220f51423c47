//! Applying effects: receivers, conditions, and effects on statuses.

mod gear;
mod hit;
mod levels;
pub(super) mod pools;
mod revive;
mod threat;

use super::engine::{Engine, FightResult, emit};
use super::state::EffectContext;
use super::state::record::seconds_left;
use super::statuses::apply::Dose;
use crate::numbers::Extremes;
use crate::program::{CombatantId, Effect, EffectPlan, FilterPlan, FormulaId, Frame, LostReason, StatusId, Time};
use crate::rules::{CleansePick, MOST_NUMBERS, Receiver, SideRule};

impl Engine<'_> {
    /// Applies a list of effects; `target` receives those without `to`.
    pub(super) fn effects(
        &mut self,
        by: &EffectContext,
        target: CombatantId,
        effects: &[EffectPlan],
    ) -> FightResult<()> {
        for effect in effects {
            match effect.to {
                Receiver::Target => self.effect(by, target, effect)?,
                Receiver::Caster => self.effect(by, by.applier, effect)?,
                Receiver::Other => by.other.map_or(Ok(()), |other| self.effect(by, other, effect))?,
                Receiver::Owner => self.effect(by, by.owner, effect)?,
                Receiver::Allies | Receiver::Others | Receiver::Enemies | Receiver::Everyone => {
                    self.effect_on_side(by, effect)?;
                }
            }
        }
        Ok(())
    }

    fn effect_on_side(&mut self, by: &EffectContext, effect: &EffectPlan) -> FightResult<()> {
        let side = match effect.to {
            Receiver::Allies => SideRule::Allies,
            Receiver::Others => SideRule::Others,
            Receiver::Everyone => SideRule::Everyone,
            _ => SideRule::Enemies,
        };
        let within = match effect.within {
            Some(within) if self.setup.is_placed => self.positive(within, &self.frame(by.caster, by.owner))?,
            _ => f64::INFINITY,
        };
        // A status can make a later receiver untargetable or move it to another side.
        let mut receivers = std::mem::take(&mut self.scratch.receivers);
        receivers.clear();
        receivers.extend_from_slice(self.targets_of(by.owner, side));
        for who in &receivers {
            let who = *who;
            if within == f64::INFINITY || self.within(by.owner, who, within) {
                self.effect(by, who, effect)?;
            }
        }
        self.scratch.receivers = receivers;
        Ok(())
    }

    /// Applies one effect to one receiver, if its condition and chance allow.
    #[inline]
    pub(super) fn effect(&mut self, by: &EffectContext, target: CombatantId, effect: &EffectPlan) -> FightResult<()> {
        if !self.state.stands(target) && !self.reaches_defeated(by, target, &effect.effect) {
            return Ok(());
        }
        if (effect.when.is_some() || effect.chance.is_some()) && !self.effect_applies(by, target, effect)? {
            return Ok(());
        }
        match &effect.effect {
            Effect::Hit(effect) => self.hit(by, target, effect),
            Effect::Heal(effect) => self.heal(by, target, effect),
            Effect::Pool(effect) => self.pool_effect(by, target, effect),
            other => self.rarer_effect(by, target, other),
        }
    }

    /// Effects with a defeated receiver still call reinforcements, win, revive, place zones at its position, and
    /// report. Nothing affects an absent combatant.
    fn reaches_defeated(&self, by: &EffectContext, target: CombatantId, effect: &Effect) -> bool {
        let reaches = match effect {
            Effect::Call(..) | Effect::Win | Effect::Report(..) | Effect::Revive(_) => true,
            Effect::Zone(zone) => by.aftermath && !self.program.zone(*zone).carried,
            _ => false,
        };
        reaches && !self.state.who(target).absent
    }

    #[inline(never)]
    pub(super) fn effect_applies(
        &mut self,
        by: &EffectContext,
        target: CombatantId,
        effect: &EffectPlan,
    ) -> FightResult<bool> {
        let frame = self.frame(by.caster, target);
        if let Some(when) = effect.when
            && self.number(when, &frame)? == 0.0
        {
            return Ok(false);
        }
        let Some((chance, site)) = effect.chance else { return Ok(true) };
        let chance = self.number(chance, &frame)?;
        Ok(self.chance.chance(frame.stream(site), chance))
    }

    #[inline(never)]
    fn rarer_effect(&mut self, by: &EffectContext, target: CombatantId, effect: &Effect) -> FightResult<()> {
        let frame = self.frame(by.caster, target);
        match effect {
            Effect::Zone(zone) => self.place_zone(by, target, *zone),
            Effect::Call(character, count) => {
                let count = self.whole(*count, &frame, 1)?;
                self.call(by, *character, count)
            }
            Effect::Apply(status, stacks, duration) => {
                let stacks = self.whole(*stacks, &frame, 1)?;
                let duration = match duration {
                    Some(duration) => Some(self.positive(*duration, &frame)?),
                    None => None,
                };
                if stacks > 0 {
                    self.apply(by, target, *status, Dose { stacks, duration })?;
                }
                Ok(())
            }
            Effect::Cleanse(filter) => self.take_away(by, target, filter, false),
            Effect::Transfer(filter) => self.take_away(by, target, filter, true),
            Effect::Consume(statuses, stacks) => {
                let stacks = self.whole(*stacks, &frame, u32::MAX)?;
                statuses.iter().try_for_each(|status| self.use_up(target, *status, stacks))
            }
            Effect::Lengthen(statuses, seconds, shorter) => {
                let seconds = Time::from_seconds(self.positive(*seconds, &frame)?);
                statuses.iter().try_for_each(|status| self.lengthen(target, *status, seconds, *shorter))
            }
            Effect::Interrupt(which) => self.interrupt_if(target, by, which.as_deref()),
            Effect::Revive(amounts) => self.revive(by, target, amounts),
            Effect::Experience(amount) => {
                let amount = self.number(*amount, &frame)?.larger(0.0);
                self.learn(target, by.caster, amount)
            }
            Effect::Report(report, formulas) => {
                let mut numbers = [0.0; MOST_NUMBERS];
                for (number, formula) in numbers.iter_mut().zip(formulas) {
                    *number = self.number(*formula, &frame)?;
                }
                let (report, count) = (*report, formulas.len() as u8);
                emit!(self, Reported { caster: by.caster, target, source: by.source, report, numbers, count });
                Ok(())
            }
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
            Effect::TakeBack(abilities) => {
                abilities.iter().for_each(|ability| self.take_back(by, target, *ability));
                Ok(())
            }
            Effect::Leap(metres) => {
                let metres = self.positive(*metres, &frame)?;
                if self.setup.is_placed {
                    self.leap(by, target, metres);
                }
                Ok(())
            }
            Effect::Toggle(status) if self.state.statuses.oldest(target, *status).is_some() => {
                self.use_up(target, *status, u32::MAX)
            }
            Effect::Toggle(status) => {
                self.apply(by, target, *status, Dose { stacks: 1, duration: None })?;
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

    /// A number of stacks, rounded down.
    fn whole(&mut self, formula: Option<FormulaId>, frame: &Frame, default: u32) -> FightResult<u32> {
        match formula {
            Some(formula) => Ok(self.positive(formula, frame)?.smaller(f64::from(u32::MAX)) as u32),
            None => Ok(default),
        }
    }

    /// Removes the statuses that match a filter, and transfers them to the caster if requested.
    fn take_away(
        &mut self,
        by: &EffectContext,
        target: CombatantId,
        filter: &FilterPlan,
        transfers: bool,
    ) -> FightResult<()> {
        let program = self.program;
        let means = |status: StatusId| {
            let plan = program.status(status);
            let tagged = filter.tags.is_empty() || filter.tags.iter().any(|tag| plan.tag_ids.contains(tag));
            plan.cleansable
                && filter.status.is_none_or(|only| only == status)
                && filter.kind.is_none_or(|kind| kind == plan.kind)
                && tagged
        };
        let mut meant = std::mem::take(&mut self.scratch.meant);
        meant.clear();
        let statuses = &self.state.statuses;
        let held = statuses.of(target).filter(|index| means(statuses.get(*index).status));
        meant.extend(held.map(|index| (statuses.reference(index), statuses.get(index).ends)));
        match filter.pick {
            CleansePick::Oldest => {}
            CleansePick::Newest => meant.reverse(),
            // Serials are unique and in order of time, so the order is well-defined.
            CleansePick::Longest => meant.sort_unstable_by_key(|(one, ends)| (std::cmp::Reverse(*ends), one.serial)),
        }
        for (one, ends) in meant.drain(..).take(filter.count as usize) {
            let Some(index) = self.state.statuses.find(one) else { continue };
            let record = self.state.statuses.get(index);
            let (status, stacks, is_held) = (record.status, record.stacks, record.is_held());
            let mut doses = std::mem::take(&mut self.scratch.doses);
            doses.clear();
            if transfers && self.state.statuses.ends_apart(index) {
                // Each stack keeps its own end time.
                doses.extend(self.state.statuses.ends(index).map(|end| (1, end)));
            } else if transfers {
                doses.push((stacks, ends));
            }
            self.lose(index, if transfers { LostReason::Transferred } else { LostReason::Cleansed })?;
            // A status held by a zone or a use has no remaining time: the transferred one lasts for its own duration.
            if is_held && program.status(status).duration.is_none() {
                doses.clear();
            }
            for (stacks, ends) in doses.drain(..) {
                let duration = (!is_held).then(|| seconds_left(ends, self.state.now));
                self.apply(by, by.caster, status, Dose { stacks, duration })?;
            }
            self.scratch.doses = doses;
        }
        self.scratch.meant = meant;
        Ok(())
    }

    /// Consumes stacks: of the oldest instance first, and among its stacks those that end first.
    fn use_up(&mut self, target: CombatantId, status: StatusId, mut stacks: u32) -> FightResult<()> {
        while stacks > 0 {
            let Some(index) = self.state.statuses.oldest(target, status) else { return Ok(()) };
            let held = self.state.statuses.get(index).stacks;
            if held <= stacks {
                stacks -= held;
                self.lose(index, LostReason::Consumed)?;
                continue;
            }
            if self.state.statuses.ends_apart(index) {
                self.state.statuses.cut_ends(index, stacks);
                self.state.statuses.count_ends(index);
                self.schedule(index);
            } else {
                self.state.statuses.get_mut(index).stacks -= stacks;
            }
            return self.stacks_changed(index, held);
        }
        Ok(())
    }

    fn lengthen(&mut self, target: CombatantId, status: StatusId, by: Time, shorter: bool) -> FightResult<()> {
        let now = self.state.now;
        let moved = move |end: Time| match (end >= Time::NEVER, shorter) {
            (true, _) => end,
            (false, true) => (end - by).max(now),
            (false, false) => end + by,
        };
        let mut next = self.state.statuses.oldest(target, status);
        while let Some(index) = next {
            next = self.state.statuses.next_of_kind(index);
            if self.state.statuses.get(index).ends < Time::NEVER {
                self.state.statuses.move_ends(index, moved);
                let until = self.state.statuses.get(index).ends;
                // A later end is announced again.
                let record = self.state.statuses.get_mut(index);
                record.set_warned(record.is_warned() && shorter);
                self.schedule(index);
                emit!(self, StatusMoved { target, status, until });
            }
        }
        Ok(())
    }
}
