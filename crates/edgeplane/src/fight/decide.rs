//! Choosing what to do next.

use super::Provider;
use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, Refusal};
use super::pools::CROSSINGS;
use super::state::{Choice, Doing};
use super::timeline::{Phase, Timer};
use crate::program::{
    AbilityId, AbilityPlan, Aim, CombatantId, FormulaId, Frame, LinkedLine, PickPlan, PoolId, QuickCondition, StatusId,
    StreamId, Time, guarded, pool_slot,
};
use crate::rules::SideRule;

impl<C: Provider, O: Observer> Engine<'_, C, O> {
    /// Everyone who is ready chooses; then all choices are carried out. Choices are made on the
    /// same state, so that who is asked first gains nothing.
    #[inline]
    pub(super) fn choose_all(&mut self) -> Outcome<()> {
        if std::mem::take(&mut self.state.choosers) == 1 {
            let who = self.state.chooser;
            // The one that was noted may have fallen since, and another be meant.
            if std::mem::take(&mut self.state.actors[who.index()].chooses) {
                let choice = self.choose(who)?;
                return self.carry_out(who, choice);
            }
        }
        self.choose_together()
    }

    #[inline(never)]
    fn choose_together(&mut self) -> Outcome<()> {
        let mut choices = std::mem::take(&mut self.state.scratch.choices);
        choices.clear();
        for rank in 0..self.state.order.len() {
            let who = self.state.order[rank];
            if std::mem::take(&mut self.state.actors[who.index()].chooses) {
                choices.push((who, self.choose(who)?));
            }
        }
        for (who, choice) in choices.drain(..) {
            self.carry_out(who, choice)?;
        }
        self.state.scratch.choices = choices;
        Ok(())
    }

    #[inline(always)]
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
            let actor = &mut self.state.actors[index];
            let own = std::mem::take(&mut actor.changed);
            if actor.doing != Doing::Idle || actor.chooses || actor.by_hand || !actor.stands {
                continue;
            }
            let (who, short) = (CombatantId(index as u16), actor.short);
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
        let actor = &mut self.state.actors[who.index()];
        actor.known &= self.setup.linked[who.index()].unconditional;
    }

    /// Forgets those conditions that read pools which have changed.
    #[inline(never)]
    fn forget_stale(&mut self, who: CombatantId) {
        let actor = &mut self.state.actors[who.index()];
        let stale = std::mem::take(&mut actor.stale);
        for (bit, line) in self.setup.linked[who.index()].lines.iter().enumerate().take(64) {
            if line.reads & stale != 0 {
                actor.known &= !(1 << bit);
            }
        }
    }

    /// Whether a condition of the policy that reads what has changed holds now and did not at the
    /// last look, or the other way round. Where that cannot be told, it may have.
    fn has_turned(&mut self, who: CombatantId, changed: u64) -> Outcome<bool> {
        let setup = self.setup;
        let linked = &setup.linked[who.index()];
        if linked.watch.blind {
            return Ok(true);
        }
        let wanted = self.state.actors[who.index()].wanted;
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

    #[inline(never)]
    fn asks_quietly(&mut self, who: CombatantId, when: FormulaId) -> Outcome<f64> {
        let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
        self.quiet_number(when, &frame)
    }

    /// The time has come to look at conditions that change as time passes.
    #[inline(never)]
    pub(super) fn poll(&mut self, who: CombatantId) -> Outcome<()> {
        let actor = &self.state.actors[who.index()];
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
        let actor = &mut self.state.actors[who.index()];
        let rank = actor.rank as usize;
        let next_poll = self.state.now + actor.poll_every;
        actor.polls = next_poll < actor.wake;
        let at = if actor.polls { next_poll } else { actor.wake };
        if at == Time::NEVER {
            self.state.timeline.clear(rank, Timer::Act);
        } else {
            self.state.timeline.set(rank, Timer::Act, at, Phase::Ready);
        }
    }

    /// The first use of the policy that is wanted and possible; if there is none, it is noted when to
    /// look again.
    #[inline]
    fn choose(&mut self, who: CombatantId) -> Outcome<Choice> {
        let setup = self.setup;
        if self.state.actors[who.index()].stale != 0 {
            self.forget_stale(who);
        }
        let actor = &self.state.actors[who.index()];
        let (known, wanted) = (if O::DETAIL { 0 } else { actor.known }, actor.wanted);
        let free = !actor.bound;
        let (mut wake, mut short) = (Time::NEVER, false);
        for (bit, line) in setup.linked[who.index()].lines.iter().enumerate() {
            let mask = 1_u64 << (bit & 63);
            if known & mask == 0 || bit > 63 {
                if !self.wants(who, line, mask)? {
                    continue;
                }
            } else if wanted & mask == 0 {
                continue;
            }
            let place = line.place as usize;
            let hand = &self.state.in_hand[place];
            if hand.plain && free {
                // The commonest refusal, before anything else is looked at.
                let until = hand.ready;
                if until > self.state.now {
                    wake = wake.min(until);
                    self.refuse(who, line.ability, Refusal::NotReady { until });
                    continue;
                }
                let now = self.state.now.micros();
                let paid = hand.free || self.state.memory.pool_amount(hand.cost_from as usize, now) >= hand.cost;
                let target = hand.target;
                if paid && self.state.actors[target.index()].stands {
                    let actor = &mut self.state.actors[who.index()];
                    (actor.target, actor.many) = (target, false);
                    return Ok(Some(line.place));
                }
            }
            match self.possible(who, place, !line.aims)? {
                None => {
                    self.aim(who);
                    return Ok(Some(line.place));
                }
                Some(reason) => {
                    self.refuse(who, line.ability, reason);
                    short |= matches!(reason, Refusal::CannotAfford { .. });
                    wake = wake.min(reason.until().unwrap_or(Time::NEVER));
                }
            }
        }
        let actor = &mut self.state.actors[who.index()];
        actor.wake = wake;
        if short != actor.short {
            self.watch_costs(who, short);
        }
        Ok(None)
    }

    /// Whether a line of the policy is wanted, where that has to be asked.
    #[inline(never)]
    fn wants(&mut self, who: CombatantId, line: &LinkedLine, mask: u64) -> Outcome<bool> {
        let Some(when) = line.when else { return Ok(true) };
        let quick = if O::DETAIL { f64::NAN } else { self.quick_condition(line.quick) };
        let wanted = if quick.is_finite() { quick != 0.0 } else { self.asks(who, line, when)? };
        let actor = &mut self.state.actors[who.index()];
        actor.wanted = if wanted { actor.wanted | mask } else { actor.wanted & !mask };
        if !line.fleeting {
            actor.known |= mask;
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
        let actor = &mut self.state.actors[who.index()];
        actor.short = short;
        actor.watch = if short { watch.own | watch.costs } else { watch.own };
        let own = if actor.listens & CROSSINGS != 0 { u64::MAX } else { actor.watch };
        actor.alert = own | self.setup.watched | self.setup.defeating;
    }

    /// The target that is found without a longer look.
    fn one_target(&self, who: CombatantId, aim: Aim) -> Option<CombatantId> {
        match aim {
            Aim::Itself => Some(who),
            Aim::Picked => None,
            Aim::FirstEnemy => {
                let side = self.setup.combatants[who.index()].side;
                let others = self.setup.combatants.iter().zip(&self.state.actors);
                let first = others.enumerate().find(|(_, (plan, actor))| plan.side != side && actor.stands);
                first.map(|(index, _)| CombatantId(index as u16))
            }
        }
    }

    /// A condition that needs no look-up; NaN for any other.
    #[inline(always)]
    fn quick_condition(&self, quick: QuickCondition) -> f64 {
        let memory = &self.state.memory;
        match quick {
            QuickCondition::Ask => f64::NAN,
            QuickCondition::ShareBelow(pool, limit) => {
                let (share, limit) =
                    (memory.pool_share(pool as usize, self.state.now.micros()), memory.at(limit as usize));
                if (share - limit).is_finite() { if share < limit { 1.0 } else { 0.0 } } else { f64::NAN }
            }
            QuickCondition::Share(op, pool, limit) => {
                guarded(op, memory.pool_share(pool as usize, self.state.now.micros()), memory.at(limit as usize))
            }
            QuickCondition::Two(op, a, b) => guarded(op, memory.at(a as usize), memory.at(b as usize)),
        }
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
        let wake = self.state.actors[who.index()].wake;
        self.set_wake(who);
        self.tell(Event::Waits { who, until: (wake < Time::NEVER).then_some(wake) });
    }

    /// Why an ability cannot be used now. If it can, its targets lie in the scratch room.
    #[inline(never)]
    pub(super) fn possible(&mut self, who: CombatantId, place: usize, pick: bool) -> Outcome<Option<Refusal>> {
        let hand = self.state.in_hand[place];
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
        if pick {
            match hand.aim {
                Aim::Picked => self.pick_targets(who, self.program.ability(hand.ability))?,
                aim => self.pick_one(who, aim),
            }
        }
        if self.state.scratch.picked.is_empty() {
            return Ok(Some(Refusal::NoTarget));
        }
        if hand.simply_paid {
            return Ok(if hand.free { None } else { self.too_dear(who, hand.cost_pool, hand.cost) });
        }
        self.affordable(who, self.program.ability(hand.ability))
    }

    #[cold]
    #[inline(never)]
    fn affordable(&mut self, who: CombatantId, ability: &AbilityPlan) -> Outcome<Option<Refusal>> {
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
        let actor = &self.state.actors[who.index()];
        let tags = self.program.ability(ability).forbidden_by;
        if actor.forbids_act.is_some() || actor.forbids_tags & tags == 0 {
            return actor.forbids_act;
        }
        let held = self.state.statuses[who.index()].iter().map(|one| one.status);
        held.into_iter().find(|status| self.program.status(*status).forbids_tags & tags != 0)
    }

    #[inline]
    fn pick_one(&mut self, who: CombatantId, aim: Aim) {
        let one = self.one_target(who, aim);
        self.state.scratch.picked.clear();
        self.state.scratch.picked.extend(one);
    }

    /// The first moment at which a pool in flow will hold `wanted`, to the microsecond.
    #[cold]
    #[inline(never)]
    fn when_it_holds(&self, who: CombatantId, pool: PoolId, wanted: f64) -> Option<Time> {
        let first = self.program.place(who, self.program.layout.pool(pool));
        let slot = |slot: u16| self.state.memory.at(first + usize::from(slot));
        let (rate, every, now) = (slot(pool_slot::RATE), slot(pool_slot::EVERY), self.state.now.micros());
        if rate <= 0.0 || slot(pool_slot::CAP) < wanted {
            return None;
        }
        let missing = wanted - self.state.memory.pool_amount(first, now);
        let guess = if every == 0.0 {
            now + (missing / rate * 1e6).ceil()
        } else {
            ((now / every).floor() + (missing / rate).ceil()) * every
        };
        if guess >= Time::NEVER.micros() {
            return None;
        }
        // Rounding can put the guess off by one; the moment is settled by asking the pool itself.
        let unit = if every == 0.0 { 1.0 } else { every };
        let holds = |at: f64| self.state.memory.pool_amount(first, at) >= wanted;
        let mut at = guess;
        while at - unit > now && holds(at - unit) {
            at -= unit;
        }
        while !holds(at) {
            at += unit;
        }
        Some(Time(at as u64))
    }

    /// Puts whom an ability would be used on into the scratch room.
    #[inline(never)]
    pub(super) fn pick_targets(&mut self, who: CombatantId, ability: &AbilityPlan) -> Outcome<()> {
        let mut picked = std::mem::take(&mut self.state.scratch.picked);
        picked.clear();
        match (ability.side, ability.pick) {
            (SideRule::Caster, _) => picked.push(who),
            (_, PickPlan::First) => {
                let possible = self.setup.ids().filter(|other| self.can_be_targeted(who, *other, ability.side));
                picked.extend(possible.take(ability.count as usize));
            }
            _ => {
                picked.extend(self.setup.ids().filter(|other| self.can_be_targeted(who, *other, ability.side)));
                self.arrange(who, ability, &mut picked)?;
                picked.truncate(ability.count as usize);
            }
        }
        self.state.scratch.picked = picked;
        Ok(())
    }

    #[inline]
    fn can_be_targeted(&self, who: CombatantId, other: CombatantId, side: SideRule) -> bool {
        let same = self.setup.combatants[who.index()].side == self.setup.combatants[other.index()].side;
        let fits = match side {
            SideRule::Enemies => !same,
            SideRule::Allies => same,
            SideRule::Caster => who == other,
            SideRule::Everyone => true,
        };
        fits && self.state.actors[other.index()].stands
    }

    /// Puts those picked first to the front.
    fn arrange(&mut self, who: CombatantId, ability: &AbilityPlan, picked: &mut [CombatantId]) -> Outcome<()> {
        if let PickPlan::Random(site) = ability.pick {
            let stream = StreamId(u32::from(who.0) * self.program.sites.len() as u32 + site.0);
            for front in 0..picked.len().min(ability.count as usize) {
                let left = (picked.len() - front) as u32;
                let chosen = if left > 1 { self.chance.pick(stream, left) as usize } else { 0 };
                picked.swap(front, front + chosen);
            }
            return Ok(());
        }
        let mut scored = std::mem::take(&mut self.state.scratch.scored);
        scored.clear();
        for other in picked.iter() {
            scored.push((self.score(who, *other, ability.pick)?, *other));
        }
        // Stable: among equals the order of the encounter decides.
        scored.sort_by(|a, b| a.0.total_cmp(&b.0));
        for (place, (_, other)) in picked.iter_mut().zip(&scored) {
            *place = *other;
        }
        self.state.scratch.scored = scored;
        Ok(())
    }

    fn score(&mut self, who: CombatantId, other: CombatantId, pick: PickPlan) -> Outcome<f64> {
        let share = |pool: Option<PoolId>| pool.map_or(0.0, |pool| self.share(other, pool));
        match pick {
            PickPlan::Weakest(pool) => Ok(share(pool)),
            PickPlan::Strongest(pool) => Ok(-share(pool)),
            PickPlan::Lowest(formula) => {
                let frame = Frame::new(self.program, who, other, 0, self.state.now.micros());
                self.number(formula, &frame)
            }
            PickPlan::First | PickPlan::Random(_) => Ok(0.0),
        }
    }
}
