//! Choosing what to do next.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, Refusal};
use super::pools::CROSSINGS;
use super::state::{Choice, Doing, State};
use super::timeline::{Phase, Timer};
use crate::program::{
    AbilityId, AbilityPlan, Aim, Chance, CombatantId, FormulaId, Frame, LinkedLine, PoolId, QuickCondition, SiteId,
    StatusId, StreamId, Time, TriggerEvent, flow,
};

/// What came of a quick look.
enum Look {
    /// An ability, by its place among all abilities of all combatants, its target, and what the pool
    /// that pays it holds.
    Use(u32, CombatantId, f64),
    /// Nothing is possible now; the soonest of what was refused.
    Nothing(Time),
    /// From this line on it takes a longer look; the soonest of what was refused so far.
    Longer { line: u32, wake: Time },
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// Everyone who is ready chooses; then all choices are carried out. Choices are made on the
    /// same state, so that who is asked first gains nothing.
    #[inline]
    pub(super) fn choose_all(&mut self) -> Outcome<()> {
        if std::mem::take(&mut self.state.choosers) == 1 {
            let who = self.state.chooser;
            // The one that was noted may have fallen since, and another be meant.
            if std::mem::take(&mut self.state.actors[who].chooses) {
                return self.act(who);
            }
        }
        self.choose_together()
    }

    #[inline(never)]
    fn choose_together(&mut self) -> Outcome<()> {
        for rank in 0..self.state.order.len() {
            let who = self.state.order[rank];
            if self.state.actors[who].chooses {
                let choice = self.choose(who)?;
                self.state.actors[who].lines.choice = choice;
            }
        }
        for rank in 0..self.state.order.len() {
            let who = self.state.order[rank];
            if std::mem::take(&mut self.state.actors[who].chooses) {
                self.carry_out(who, self.state.actors[who].lines.choice)?;
            }
        }
        Ok(())
    }

    #[inline]
    fn carry_out(&mut self, who: CombatantId, choice: Choice) -> Outcome<()> {
        match choice {
            Some(place) => self.start(who, place as usize),
            None => {
                self.wait(who);
                Ok(())
            }
        }
    }

    /// Idle combatants look again when something has changed that can change their choice.
    pub(super) fn wake_watchers(&mut self) -> Outcome<()> {
        let everyone = std::mem::take(&mut self.state.someone_fell);
        let changed = std::mem::take(&mut self.state.changed);
        for index in 0..self.state.actors.len() {
            let who = CombatantId(index as u16);
            let actor = &mut self.state.actors[who];
            let own = std::mem::take(&mut actor.changed);
            if actor.doing != Doing::Idle || actor.chooses || actor.by_hand || !actor.stands {
                continue;
            }
            let short = actor.short;
            if actor.led && self.leader.is_some() {
                if everyone || own != 0 {
                    self.will_choose(who);
                }
                continue;
            }
            let watch = self.setup.linked[index].watch;
            let touched = own & watch.own != 0 || changed & watch.others != 0;
            let looks =
                everyone || (short && own & watch.costs != 0) || (touched && self.has_turned(who, own | changed)?);
            if looks {
                self.will_choose(who);
            }
        }
        Ok(())
    }

    /// What was known of a combatant's conditions holds no more.
    pub(super) fn forget_conditions(&mut self, who: CombatantId) {
        let actor = &mut self.state.actors[who];
        actor.lines.known &= self.setup.linked[who.index()].unconditional;
    }

    /// Whether a condition of the policy that reads what has changed holds now and did not at the
    /// last look, or the other way round. Where that cannot be told, it may have.
    fn has_turned(&mut self, who: CombatantId, changed: u64) -> Outcome<bool> {
        let setup = self.setup;
        let linked = &setup.linked[who.index()];
        if linked.watch.blind {
            return Ok(true);
        }
        let wanted = self.state.actors[who].lines.wanted;
        for (bit, line) in linked.lines.iter().enumerate() {
            let Some(when) = line.when.filter(|_| line.reads & changed != 0) else { continue };
            let quick = self.quick_condition(line.quick);
            let holds = if quick.is_finite() { quick } else { self.asks_quietly(who, when)? };
            if (holds == 0.0) == (wanted >> bit & 1 == 1) {
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// The same for some lines, without a longer look: those that need one may have turned.
    #[inline]
    pub(super) fn may_have_turned(&self, who: CombatantId, mut lines: u64) -> bool {
        let linked = &self.setup.linked[who.index()];
        let wanted = self.state.actors[who].lines.wanted;
        while lines != 0 {
            let bit = lines.trailing_zeros();
            lines &= lines - 1;
            let Some(line) = linked.lines.get(bit as usize) else { return true };
            let holds = self.quick_condition(line.quick);
            if !holds.is_finite() || (holds == 0.0) == (wanted >> bit & 1 == 1) {
                return true;
            }
        }
        linked.watch.blind
    }

    #[inline(never)]
    fn asks_quietly(&mut self, who: CombatantId, when: FormulaId) -> Outcome<f64> {
        let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
        self.quiet_number(when, &frame)
    }

    /// The time has come to look at conditions that change as time passes.
    #[inline(never)]
    pub(super) fn poll(&mut self, who: CombatantId) -> Outcome<()> {
        let actor = &self.state.actors[who];
        if actor.wake <= self.state.now || self.has_turned(who, u64::MAX)? {
            self.ready(who);
            return Ok(());
        }
        self.set_wake(who);
        Ok(())
    }

    /// Sets the timer of an idle combatant: for its wake, or before that for another poll.
    #[inline]
    fn set_wake(&mut self, who: CombatantId) {
        let actor = &mut self.state.actors[who];
        let rank = actor.rank;
        let next_poll = self.state.now + actor.poll_every;
        actor.polls = next_poll < actor.wake;
        let at = if actor.polls { next_poll } else { actor.wake };
        if at == Time::NEVER {
            self.state.timeline.clear(who, Timer::Act);
        } else {
            self.state.timeline.set(who, rank, Timer::Act, at, Phase::Ready);
        }
    }

    /// The first use of the policy that is wanted and possible; if there is none, it is noted when to
    /// look again.
    #[inline(never)]
    fn choose(&mut self, who: CombatantId) -> Outcome<Choice> {
        match self.quick_look(who) {
            Look::Use(place, target, _) => {
                let actor = &mut self.state.actors[who];
                (actor.target, actor.many) = (target, false);
                Ok(Some(place))
            }
            Look::Nothing(wake) => {
                self.note_wake(who, wake, false);
                Ok(None)
            }
            Look::Longer { line, wake } => self.longer_look(who, line, wake),
        }
    }

    /// The same for one who chooses alone, and carries it out.
    #[inline(always)]
    fn act(&mut self, who: CombatantId) -> Outcome<()> {
        match self.quick_look(who) {
            Look::Use(place, target, before) => self.start_at_once(who, place as usize, target, before),
            Look::Nothing(wake) => {
                self.note_wake(who, wake, false);
                self.wait(who);
                Ok(())
            }
            Look::Longer { line, wake } => {
                let choice = self.longer_look(who, line, wake)?;
                self.carry_out(who, choice)
            }
        }
    }

    /// A look that goes on for as long as there is nothing out of the ordinary: conditions that are
    /// known or are one comparison, abilities that need nothing but a cooldown, one known cost and one
    /// target. It calls nothing, so that the compiler can keep all of it in registers.
    #[inline(always)]
    fn quick_look(&mut self, who: CombatantId) -> Look {
        let linked = &self.setup.linked[who.index()];
        let State { actors, in_hand, memory, now, .. } = &mut *self.state;
        let now = *now;
        let actor = &actors[who];
        let refusals_matter = actor.listens & TriggerEvent::AbilityRefused.bit() != 0;
        if O::DETAIL || linked.careful || actor.bound || refusals_matter {
            return Look::Longer { line: 0, wake: Time::NEVER };
        }
        let (known, wanted) = (actor.lines.known, actor.lines.wanted);
        let mut wake = Time::NEVER;
        let mut lines = linked.all & (wanted | !known);
        while lines != 0 {
            let bit = lines.trailing_zeros();
            let mask = 1_u64 << bit;
            lines ^= mask;
            let Some(line) = linked.lines.get(bit as usize) else { break };
            if known & mask == 0 {
                let holds = memory.condition(line.quick, now.micros());
                if line.fleeting || !holds.is_finite() {
                    return Look::Longer { line: bit, wake };
                }
                let actor = &mut actors[who];
                actor.lines.known |= mask;
                if holds == 0.0 {
                    actor.lines.wanted &= !mask;
                    continue;
                }
                actor.lines.wanted |= mask;
            }
            let Some(hand) = in_hand.get(line.place as usize) else { break };
            if !hand.plain {
                return Look::Longer { line: bit, wake };
            }
            if hand.ready > now {
                // The commonest refusal, before anything else is looked at.
                wake = wake.min(hand.ready);
                let reason = Refusal::NotReady { until: hand.ready };
                self.observer.event(now, Event::Refused { who, ability: line.ability, reason });
                continue;
            }
            let before = if hand.free { 0.0 } else { memory.pool_amount(hand.cost_from as usize, now.micros()) };
            let paid = hand.free || before >= hand.cost;
            if !paid || !actors[hand.target].stands {
                return Look::Longer { line: bit, wake };
            }
            return Look::Use(line.place, hand.target, before);
        }
        Look::Nothing(wake)
    }

    #[inline(always)]
    pub(super) fn note_wake(&mut self, who: CombatantId, wake: Time, short: bool) {
        let actor = &mut self.state.actors[who];
        actor.wake = wake;
        if short != actor.short {
            self.watch_costs(who, short);
        }
    }

    /// The same without shortcuts, from some line on.
    #[inline(never)]
    fn longer_look(&mut self, who: CombatantId, first: u32, mut wake: Time) -> Outcome<Choice> {
        let setup = self.setup;
        if self.state.actors[who].led && self.leader.is_some() {
            return self.led_look(who);
        }
        if let Some(site) = setup.linked[who.index()].draws {
            return self.drawn_look(who, site);
        }
        self.begin_look(who);
        let actor = &self.state.actors[who];
        let (known, wanted) = (if O::DETAIL { 0 } else { actor.lines.known }, actor.lines.wanted);
        let mut short = false;
        for (bit, line) in setup.linked[who.index()].lines.iter().enumerate().skip(first as usize) {
            let mask = 1_u64 << (bit & 63);
            if known & mask == 0 || bit > 63 {
                if !self.wants(who, line, mask)? {
                    continue;
                }
            } else if wanted & mask == 0 {
                continue;
            }
            match self.possible(who, line.place as usize, !line.aims)? {
                None => {
                    self.aim(who);
                    return Ok(Some(line.place));
                }
                Some(reason) => {
                    self.refuse(who, line.ability, reason);
                    self.note_far(who, reason);
                    short |= matches!(reason, Refusal::CannotAfford { .. });
                    wake = wake.min(reason.until().unwrap_or(Time::NEVER));
                }
            }
        }
        let wake = self.plan_course(who, wake)?;
        self.note_wake(who, wake, short);
        Ok(None)
    }

    /// All uses that are wanted and possible are looked at, and chance chooses one by weight.
    #[inline(never)]
    fn drawn_look(&mut self, who: CombatantId, site: SiteId) -> Outcome<Choice> {
        let setup = self.setup;
        self.begin_look(who);
        let (mut wake, mut short, mut total) = (Time::NEVER, false, 0.0);
        let mut weighed = std::mem::take(&mut self.state.scratch.weighed);
        weighed.clear();
        for (bit, line) in setup.linked[who.index()].lines.iter().enumerate() {
            if !self.wants(who, line, 1_u64.checked_shl(bit as u32).unwrap_or(0))? {
                continue;
            }
            if let Some(reason) = self.possible(who, line.place as usize, !line.aims)? {
                self.refuse(who, line.ability, reason);
                self.note_far(who, reason);
                short |= matches!(reason, Refusal::CannotAfford { .. });
                wake = wake.min(reason.until().unwrap_or(Time::NEVER));
                continue;
            }
            let target = self.state.scratch.picked.first().copied().unwrap_or(who);
            let frame = Frame::new(self.program, who, target, 0, self.state.now.micros());
            let weight = line.weight.map_or(Ok(1.0), |weight| self.positive(weight, &frame))?;
            total += weight;
            weighed.push((total, line.place));
        }
        let place = self.draw_of(who, site, total, &weighed);
        self.state.scratch.weighed = weighed;
        let Some(place) = place else {
            let wake = self.plan_course(who, wake)?;
            self.note_wake(who, wake, short);
            return Ok(None);
        };
        // Other lines have been looked at since its targets were picked.
        self.possible(who, place as usize, true)?;
        self.aim(who);
        Ok(Some(place))
    }

    /// One of several by weight, which stand summed up; what is certain draws nothing.
    fn draw_of(&mut self, who: CombatantId, site: SiteId, total: f64, weighed: &[(f64, u32)]) -> Option<u32> {
        let possible = weighed.iter().zip(std::iter::once(0.0).chain(weighed.iter().map(|(sum, _)| *sum)));
        let mut possible = possible.filter(|((sum, _), before)| sum > before).map(|((sum, place), _)| (*sum, *place));
        if possible.clone().count() <= 1 {
            return possible.next().map(|(_, place)| place);
        }
        let stream = StreamId(u32::from(who.0) * self.program.sites.len() as u32 + site.0);
        let drawn = self.chance.uniform(stream) * total;
        possible.clone().find(|(sum, _)| drawn < *sum).or(possible.last()).map(|(_, place)| place)
    }

    /// Whether a line of the policy is wanted, where that has to be asked.
    #[inline(never)]
    fn wants(&mut self, who: CombatantId, line: &LinkedLine, mask: u64) -> Outcome<bool> {
        let Some(when) = line.when else { return Ok(true) };
        let quick = if O::DETAIL { f64::NAN } else { self.quick_condition(line.quick) };
        let wanted = if quick.is_finite() { quick != 0.0 } else { self.asks(who, line, when)? };
        let actor = &mut self.state.actors[who];
        actor.lines.wanted = if wanted { actor.lines.wanted | mask } else { actor.lines.wanted & !mask };
        if !line.fleeting {
            actor.lines.known |= mask;
        }
        if O::DETAIL && !wanted {
            self.tell(Event::Unwanted { who, ability: line.ability });
        }
        Ok(wanted)
    }

    /// While something cannot be paid, what it is paid from is worth a look.
    #[cold]
    fn watch_costs(&mut self, who: CombatantId, short: bool) {
        let watch = self.setup.linked[who.index()].watch;
        let actor = &mut self.state.actors[who];
        actor.short = short;
        actor.watch = if short { watch.own | watch.costs } else { watch.own };
        let own = if actor.listens & CROSSINGS != 0 || actor.led { u64::MAX } else { actor.watch };
        actor.alert = own | self.setup.watched | self.setup.defeating;
    }

    /// A condition that needs no look-up; NaN for any other.
    #[inline(always)]
    fn quick_condition(&self, quick: QuickCondition) -> f64 {
        self.state.memory.condition(quick, self.state.now.micros())
    }

    #[inline(never)]
    fn asks(&mut self, who: CombatantId, line: &LinkedLine, when: FormulaId) -> Outcome<bool> {
        let mut target = who;
        if line.aims {
            self.pick_targets(who, self.program.ability(line.ability))?;
            target = self.state.scratch.picked.first().copied().unwrap_or(who);
        }
        let frame = Frame::new(self.program, who, target, 0, self.state.now.micros());
        Ok(self.number(when, &frame)? != 0.0)
    }

    #[inline(always)]
    fn wait(&mut self, who: CombatantId) {
        let wake = self.state.actors[who].wake;
        if self.setup.is_placed {
            self.take_course(who);
        }
        self.set_wake(who);
        self.tell(Event::Waits { who, until: (wake < Time::NEVER).then_some(wake) });
    }

    /// Why an ability cannot be used now. If it can, its targets lie in the scratch room.
    #[inline(never)]
    pub(super) fn possible(&mut self, who: CombatantId, place: usize, pick: bool) -> Outcome<Option<Refusal>> {
        let hand = self.state.in_hand[place];
        if !hand.had {
            return Ok(Some(Refusal::NotIts));
        }
        if let Some(by) = self.forbidden(who, hand.ability) {
            return Ok(Some(Refusal::Forbidden { by }));
        }
        if let Some(unlock) = hand.unlock {
            let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
            if self.number(unlock, &frame)? == 0.0 {
                return Ok(Some(Refusal::Locked));
            }
        }
        let until = hand.ready;
        if until > self.state.now {
            return Ok(Some(Refusal::NotReady { until }));
        }
        if hand.special {
            let refusal = self.out_of_stock(who, place)?;
            if refusal.is_some() {
                return Ok(refusal);
            }
        }
        if pick {
            match hand.aim {
                Aim::Picked => self.pick_targets(who, self.program.ability(hand.ability))?,
                aim => self.pick_one(who, aim),
            }
        }
        if self.state.scratch.picked.is_empty() {
            return Ok(Some(Refusal::NoTarget));
        }
        if hand.reaches {
            let refusal = self.too_far(who, hand.ability)?;
            if refusal.is_some() {
                return Ok(refusal);
            }
        }
        if hand.simply_paid {
            return Ok(if hand.free { None } else { self.too_dear(who, hand.cost_pool, hand.cost) });
        }
        self.affordable(who, self.program.ability(hand.ability))
    }

    #[cold]
    #[inline(never)]
    pub(super) fn affordable(&mut self, who: CombatantId, ability: &AbilityPlan) -> Outcome<Option<Refusal>> {
        let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
        for (pool, amount) in &ability.cost {
            let cost = self.positive(*amount, &frame)?;
            let refusal = self.too_dear(who, *pool, cost);
            if refusal.is_some() {
                return Ok(refusal);
            }
        }
        Ok(None)
    }

    #[inline]
    fn too_dear(&self, who: CombatantId, pool: PoolId, cost: f64) -> Option<Refusal> {
        let has = self.amount(who, pool);
        (has < cost).then(|| Refusal::CannotAfford { pool, cost, has, until: self.when_it_holds(who, pool, cost) })
    }

    /// The status that forbids an ability, if one does.
    fn forbidden(&self, who: CombatantId, ability: AbilityId) -> Option<StatusId> {
        let actor = &self.state.actors[who];
        let tags = self.program.ability(ability).forbidden_by;
        if actor.forbids_act.is_some() || actor.forbids_tags & tags == 0 {
            return actor.forbids_act;
        }
        let held = self.state.statuses[who.index()].iter().map(|one| one.status);
        held.into_iter().find(|status| self.program.status(*status).forbids_tags & tags != 0)
    }

    /// The first moment at which a pool in flow will hold `wanted`, to the microsecond.
    #[cold]
    #[inline(never)]
    fn when_it_holds(&self, who: CombatantId, pool: PoolId, wanted: f64) -> Option<Time> {
        let first = self.program.place(who, self.program.layout.pool(pool));
        flow::when_it_holds(self.state.memory.pool_numbers(first)?, wanted, self.state.now.micros())
    }
}
