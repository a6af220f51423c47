//! Choosing what to do next.

use super::Provider;
use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, Refusal};
use super::state::Doing;
use super::timeline::{Phase, Timer};
use crate::program::{AbilityId, AbilityPlan, CombatantId, Frame, PickPlan, PoolId, StreamId, Time, Watch, pool_slot};
use crate::rules::SideRule;

impl<C: Provider, O: Observer> Engine<'_, C, O> {
    /// Everyone who is ready chooses; then all choices are carried out. Choices are made on the
    /// same state, so that who is asked first gains nothing. Returns who acted last.
    pub(super) fn choose_all(&mut self) -> Outcome<Option<(CombatantId, Option<AbilityId>)>> {
        self.wake_watchers();
        let mut choices = std::mem::take(&mut self.state.scratch.choices);
        choices.clear();
        for rank in 0..self.state.order.len() {
            let who = self.state.order[rank];
            if std::mem::take(&mut self.state.actors[who.index()].chooses) {
                let (ability, wake) = self.choose(who)?;
                choices.push((who, ability, wake));
            }
        }
        let last = choices.last().map(|(who, ability, _)| (*who, *ability));
        for (who, ability, wake) in choices.drain(..) {
            match ability {
                Some(ability) => self.start(who, ability)?,
                None => self.wait(who, wake),
            }
        }
        self.state.scratch.choices = choices;
        Ok(last)
    }

    /// Idle combatants look again when something has changed that their policy reads.
    fn wake_watchers(&mut self) {
        if self.state.changed == 0 && !self.state.someone_fell {
            return;
        }
        let everyone = std::mem::take(&mut self.state.someone_fell);
        let changed = std::mem::take(&mut self.state.changed);
        for index in 0..self.state.actors.len() {
            let own = std::mem::take(&mut self.state.actors[index].changed);
            let watch = self.watch(CombatantId(index as u16));
            let actor = &mut self.state.actors[index];
            let idle = actor.stands && !actor.by_hand && actor.doing == Doing::Idle;
            actor.chooses |= idle && (everyone || own & watch.own != 0 || changed & watch.others != 0);
        }
    }

    fn watch(&self, who: CombatantId) -> Watch {
        self.program.characters[self.setup.combatants[who.index()].character.index()].policy.watch
    }

    /// The first use of the policy that is wanted and possible, else when to look again.
    fn choose(&mut self, who: CombatantId) -> Outcome<(Option<AbilityId>, Option<Time>)> {
        let program = self.program;
        let policy = &program.characters[self.setup.combatants[who.index()].character.index()].policy;
        let mut wake: Option<Time> = None;
        let mut unwanted = false;
        for line in &policy.uses {
            let ability = program.ability(line.ability);
            if let Some(when) = line.when {
                if line.aims {
                    self.pick_targets(who, ability)?;
                }
                let target = self.state.scratch.picked.first().copied().filter(|_| line.aims).unwrap_or(who);
                let frame = Frame::new(program, who, target, 0, self.state.now.micros());
                if self.number(when, &frame)? == 0.0 {
                    unwanted = true;
                    if O::DETAIL {
                        self.tell(Event::Unwanted { who, ability: line.ability });
                    }
                    continue;
                }
            }
            match self.possible(who, line.ability, !line.aims)? {
                None => {
                    self.aim(who);
                    return Ok((Some(line.ability), None));
                }
                Some(reason) => {
                    self.tell(Event::Refused { who, ability: line.ability, reason });
                    wake = earliest(wake, reason.until());
                }
            }
        }
        if unwanted && policy.watch.time {
            wake = earliest(wake, Some(self.state.now + policy.reaction));
        }
        Ok((None, wake))
    }

    fn wait(&mut self, who: CombatantId, wake: Option<Time>) {
        let rank = self.state.rank[who.index()];
        match wake {
            Some(at) => self.state.timeline.set(rank, Timer::Act, at, Phase::Ready),
            None => self.state.timeline.clear(rank, Timer::Act),
        }
        self.tell(Event::Waits { who, until: wake });
    }

    /// Why an ability cannot be used now. If it can, its targets lie in the scratch room.
    pub(super) fn possible(&mut self, who: CombatantId, id: AbilityId, pick: bool) -> Outcome<Option<Refusal>> {
        let program = self.program;
        let ability = program.ability(id);
        let frame = Frame::new(program, who, who, 0, self.state.now.micros());
        if let Some(unlock) = ability.unlock
            && self.number(unlock, &frame)? == 0.0
        {
            return Ok(Some(Refusal::Locked));
        }
        let Some(index) = self.state.ready_index(self.setup, who, id) else { return Ok(Some(Refusal::NotIts)) };
        let until = self.state.ready[index];
        if until > self.state.now {
            return Ok(Some(Refusal::NotReady { until }));
        }
        if pick {
            self.pick_targets(who, ability)?;
        }
        if self.state.scratch.picked.is_empty() {
            return Ok(Some(Refusal::NoTarget));
        }
        self.affordable(who, ability, &frame)
    }

    fn affordable(&mut self, who: CombatantId, ability: &AbilityPlan, frame: &Frame) -> Outcome<Option<Refusal>> {
        for (pool, amount) in &ability.cost {
            let cost = self.positive(*amount, frame)?;
            let has = self.amount(who, *pool);
            if has < cost {
                let until = self.when_it_holds(who, *pool, cost);
                return Ok(Some(Refusal::CannotAfford { pool: *pool, cost, has, until }));
            }
        }
        Ok(None)
    }

    /// The first moment at which a pool in flow will hold `wanted`, to the microsecond.
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

fn earliest(a: Option<Time>, b: Option<Time>) -> Option<Time> {
    match (a, b) {
        (Some(a), Some(b)) => Some(a.min(b)),
        (a, b) => a.or(b),
    }
}
