//! Abilities of which there is more to keep than when their cooldown ends: charges, a number of uses,
//! a cooldown that others share, several releases, and those that are open only after another one.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, Refusal};
use super::outcomes::By;
use super::state::Doing;
use super::timeline::{Phase, Timer};
use super::zones::IN_USE;
use crate::program::{AbilityId, Chance, CombatantId, Frame, InHand, Setup, Time};
use crate::rules::UseMoment;

/// What is kept of one ability in the hands of one combatant.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Stock {
    /// How often it was used.
    used: u32,
    /// How many charges there were at the last use, or when one was last regained.
    charges: u32,
    /// When the next one is regained, and how long each of those after it takes.
    next: Time,
    regain: Time,
    /// When it last took effect.
    released: Option<Time>,
}

impl Stock {
    /// For each ability of each combatant.
    pub(super) fn all(setup: &Setup) -> Vec<Self> {
        vec![Self::default(); setup.in_hand.len()]
    }

    /// As a fight begins.
    pub(super) fn reset(all: &mut [Self], setup: &Setup) {
        for (stock, hand) in all.iter_mut().zip(&setup.in_hand) {
            let charges = setup.program.ability(hand.ability).charges.map_or(0, |(most, _)| most);
            *stock = Self { charges, ..Self::default() };
        }
    }

    /// As it is when a fight is over: what was being regained is regained further on.
    pub(super) fn at_rest(&self, now: Time) -> Self {
        let left = if self.next > now { self.next - now } else { Time::ZERO };
        Self { next: left, released: None, ..*self }
    }

    /// The charges at a moment.
    fn refill(&mut self, most: u32, now: Time) -> u32 {
        while self.charges < most && self.next <= now {
            self.charges += 1;
            self.next = self.next + self.regain;
            if self.regain == Time::ZERO {
                self.charges = most;
            }
        }
        self.charges
    }
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// What keeps such an ability from being used, beyond what keeps any.
    pub(super) fn out_of_stock(&mut self, who: CombatantId, place: usize) -> Outcome<Option<Refusal>> {
        let plan = self.program.ability(self.state.in_hand[place].ability);
        let now = self.state.now;
        let stock = &mut self.state.stock[place];
        if plan.uses.is_some_and(|uses| stock.used >= uses) {
            return Ok(Some(Refusal::UsedUp));
        }
        if let Some((most, _)) = plan.charges
            && stock.refill(most, now) == 0
        {
            return Ok(Some(Refusal::NoCharge { until: stock.next }));
        }
        let Some((after, within)) = plan.after else { return Ok(None) };
        let opener = self.state.ready_index(self.setup, who, after);
        let opened = opener.and_then(|opener| self.state.stock[opener].released);
        let not_open = Ok(Some(Refusal::NotOpen { after }));
        let Some(opened) = opened else { return not_open };
        let Some(within) = within else { return Ok(None) };
        let frame = Frame::new(self.program, who, who, 0, now.micros());
        let closes = opened + Time::from_seconds(self.positive(within, &frame)?);
        if closes < now { not_open } else { Ok(None) }
    }

    /// A use counts: its cooldown runs from this moment on, and a charge is spent.
    pub(super) fn count_use(&mut self, who: CombatantId, place: usize, from: Time) -> Outcome<Time> {
        let id = self.state.in_hand[place].ability;
        let plan = self.program.ability(id);
        let cooldown = self.asked_time(who, plan.cooldown)?;
        let ready = from + cooldown;
        self.state.in_hand[place].ready = ready;
        let regain = match plan.charges {
            Some((most, regain)) => Some((most, self.asked_time(who, Some(regain))?)),
            None => None,
        };
        let now = self.state.now;
        let stock = &mut self.state.stock[place];
        stock.used += 1;
        if let Some((most, regain)) = regain {
            // What begins at this very moment takes the time of this moment.
            if stock.refill(most, now) == most || stock.next == from + stock.regain {
                stock.next = from + regain;
            }
            stock.regain = regain;
            stock.charges = stock.charges.saturating_sub(1);
        }
        if let Some((shared, time)) = plan.shared_cooldown {
            let time = if time.is_some() { self.asked_time(who, time)? } else { cooldown };
            self.keep_waiting(who, shared, from + time);
        }
        Ok(ready)
    }

    /// All abilities of a shared cooldown wait, at least until a moment.
    fn keep_waiting(&mut self, who: CombatantId, shared: u16, until: Time) {
        let program = self.program;
        let first = self.setup.linked[who.index()].first as usize;
        let number = program.characters[self.setup.combatants[who.index()].character.index()].abilities.len();
        for hand in &mut self.state.in_hand[first..first + number] {
            if program.ability(hand.ability).shared_cooldown.is_some_and(|(other, _)| other == shared) {
                hand.ready = hand.ready.max(until);
            }
        }
    }

    /// What remains to be done when such an ability has been started.
    pub(super) fn special_start(&mut self, who: CombatantId, place: usize) -> Outcome<()> {
        let id = self.state.in_hand[place].ability;
        let plan = self.program.ability(id);
        self.state.actors[who].releases_left = 0;
        self.state.actors[who].sustains = false;
        for status in &plan.during {
            self.hold(IN_USE, &By::of_ability(who, id), who, *status)?;
        }
        if plan.cost_at == UseMoment::Start {
            self.pay_all(who, id)?;
        }
        if plan.cooldown_from == UseMoment::Start {
            self.count_use(who, place, self.state.now)?;
        }
        Ok(())
    }

    /// Such an ability takes effect, for the first time or again.
    #[inline(never)]
    pub(super) fn special_release(&mut self, who: CombatantId, place: usize) -> Outcome<()> {
        let id = self.state.in_hand[place].ability;
        let plan = self.program.ability(id);
        let now = self.state.now;
        if let (Some(sustain), true) = (&plan.sustain, self.state.actors[who].sustains) {
            return self.beat_of(who, id, sustain);
        }
        if self.state.actors[who].releases_left == 0 {
            if plan.cost_at == UseMoment::Release {
                if let Some(refusal) = self.affordable(who, plan)? {
                    self.refuse(who, id, refusal);
                    return self.recover_from(who, self.state.in_hand[place].recovery, id);
                }
                self.pay_all(who, id)?;
            }
            if plan.cooldown_from == UseMoment::Release {
                self.count_use(who, place, now)?;
            }
            self.state.actors[who].releases_left = plan.releases.map_or(1, |(count, _)| count);
        }
        self.state.actors[who].releases_left -= 1;
        let left = self.state.actors[who].releases_left;
        let recovery = self.state.in_hand[place].recovery;
        let recovery = if recovery == InHand::ASK { self.asked_time(who, plan.recovery)? } else { recovery };
        if left == 0 && plan.cooldown_from == UseMoment::End && plan.sustain.is_none() {
            self.count_use(who, place, now + recovery)?;
        }
        self.state.stock[place].released = Some(now);
        self.tell(Event::Released { caster: who, ability: id, ready: self.state.in_hand[place].ready });
        let reached = self.bring_release(who, id)?;
        if let (Some(sustain), true, Doing::Casting(_)) = (&plan.sustain, reached, self.state.actors[who].doing) {
            return self.begin_sustaining(who, id, sustain);
        }
        match plan.releases.filter(|_| left > 0 && reached) {
            Some((_, every)) => {
                let next = now + self.asked_time(who, Some(every))?;
                let actor = &mut self.state.actors[who];
                if let Doing::Casting(_) = actor.doing {
                    actor.until = next;
                    let rank = actor.rank;
                    self.state.timeline.set(who, rank, Timer::Act, next, Phase::Release);
                }
                Ok(())
            }
            None => {
                self.state.actors[who].releases_left = 0;
                self.recover_from(who, recovery, id)
            }
        }
    }

    /// Recovers, if that takes any time; what was held during the use ends with that.
    pub(super) fn recover_from(&mut self, who: CombatantId, recovery: Time, id: AbilityId) -> Outcome<()> {
        self.recover(who, recovery, id)?;
        if self.state.actors[who].doing == Doing::Idle { self.let_go(IN_USE, who) } else { Ok(()) }
    }

    /// Brings about what an ability does to those that it is aimed at; whether any of them stands.
    fn bring_release(&mut self, who: CombatantId, id: AbilityId) -> Outcome<bool> {
        let (target, many) = (self.state.actors[who].target, self.state.actors[who].many);
        if let Some(speed) = self.program.ability(id).travel.filter(|_| self.setup.is_placed) {
            return self.send_out(who, id, speed);
        }
        if many {
            let stands = self.any_target_stands(who);
            self.release_on_many(who, id)?;
            return Ok(stands);
        }
        if !self.state.actors[target].stands {
            self.tell(Event::Lost { caster: who, ability: id });
            return Ok(false);
        }
        self.bring_all(&By::of_ability(who, id), target, &self.program.ability(id).does)?;
        Ok(true)
    }
}
