//! Effects.

use super::*;

/// A step of a hit.
#[derive(Clone, Copy)]
enum HitStep {
    Edge,
    Own(usize, Step),
    Guard,
    Resist,
    Blank,
    Shell,
}

impl Model<'_> {
    /// The same, if its condition holds.
    pub(crate) fn effect_if(
        &mut self,
        who: usize,
        source: Source,
        target: usize,
        effect: Effect,
        order: usize,
        only: Only,
    ) {
        if only.likely != Some(false) && only.above.is_none_or(|above| self.share(target) > above) {
            self.effect(who, source, target, effect, order);
        }
    }

    pub(crate) fn effect(&mut self, who: usize, source: Source, target: usize, effect: Effect, order: usize) {
        let leaves_zone = |zone: usize| self.aftermath && !self.world.zones[zone].carried;
        let comes_to_defeated = match effect {
            Effect::Call(..) | Effect::Revive(_) | Effect::Win | Effect::Report => true,
            Effect::Zone(zone) => leaves_zone(zone),
            _ => false,
        };
        if !self.all[target].stands && (!comes_to_defeated || self.all[target].absent) {
            return;
        }
        let (caster, to) = (id(who), id(target));
        match effect {
            Effect::Damage(base, per) => {
                self.hit(who, source, target, base + self.might(who) * per, Blow::of(Type::Blow))
            }
            Effect::InOrder(base) => {
                let halved = (1..order).fold(base, |amount, _| amount * 0.5);
                self.hit(who, source, target, halved, Blow::of(Type::Blow));
            }
            Effect::Cold(base, skips_all) => {
                self.hit(who, source, target, base, Blow { skips_all, ..Blow::of(Type::Cold) });
            }
            Effect::Pure(base) => self.hit(who, source, target, base, Blow::of(Type::Pure)),
            Effect::Asked(base) => self.hit(who, source, target, 1.5 * base + who as f64, Blow::of(Type::Pure)),
            Effect::Report => {
                let numbers = [self.might(who), 1.0, 0.0, 0.0];
                let report = ReportId(0);
                self.report(Event::Reported { caster, target: to, source, report, numbers, count: 2 });
            }
            Effect::Winding(base) => self.hit(who, source, target, base, Blow { pool: WIND, ..Blow::of(Type::Pure) }),
            Effect::Piercing(base) => {
                self.hit(who, source, target, base, Blow { skips_guard: true, ..Blow::of(Type::Blow) });
            }
            Effect::Keen(base) => self.hit(who, source, target, base, Blow { loud: true, ..Blow::of(Type::Blow) }),
            Effect::HealKind(amount, skips) => self.heal(who, source, target, HEALTH, amount, (true, skips)),
            Effect::Teach(ability) => {
                let had = self.known(target);
                if self.can_have(target, ability) {
                    let slot = self.world.abilities[ability].slot;
                    for other in 0..had.len() {
                        if slot.is_some() && self.world.abilities[other].slot == slot {
                            self.all[target].own[other] = false;
                        }
                    }
                    self.all[target].own[ability] = true;
                }
                self.hand_over(who, source, target, &had);
            }
            Effect::Take(ability) => self.take_ability(who, source, target, ability),
            Effect::TakeLoud => {
                for ability in 0..self.world.abilities.len() {
                    if self.world.abilities[ability].loud {
                        self.take_ability(who, source, target, ability);
                    }
                }
            }
            Effect::HealWind(amount) => self.heal(who, source, target, WIND, amount, (false, false)),
            Effect::Shield(amount) => self.restore(who, source, target, SHELL, amount),
            Effect::Far(base) => {
                let far = if self.world.is_placed() { self.apart(who, target) } else { 0.0 };
                self.hit(who, source, target, base + far, Blow::of(Type::Blow));
            }
            Effect::Grown(base) => {
                self.hit(who, source, target, base + 2.0 * self.all[who].level, Blow::of(Type::Blow));
            }
            Effect::Heal(amount) => self.heal(who, source, target, HEALTH, amount, (false, false)),
            Effect::Drain(amount) => {
                let (taken, over, left) = self.take(target, WIND, amount);
                if taken > 0.0 {
                    self.all[target].hurt_by = Some((caster, source));
                }
                let pool = PoolId(WIND as u16);
                self.report(Event::Drained { caster, target: to, source, pool, taken, over, left });
            }
            Effect::Restore(amount) => self.restore(who, source, target, WIND, amount),
            Effect::Apply(status) => self.apply(who, source, target, status, None, 1),
            Effect::ApplyMore(status, stacks, lasts) => self.apply(who, source, target, status, Some(lasts), stacks),
            Effect::Leech(amount) => {
                let before = self.amount(target, WIND);
                self.effect(who, source, target, Effect::Drain(amount), 1);
                let taken = before - self.amount(target, WIND);
                if self.all[who].stands {
                    self.restore(who, source, who, WIND, taken * 0.5);
                }
            }
            Effect::CleanseKind(buff) => {
                let of_kind = |held: &&Held| {
                    let status = self.status(held.status);
                    status.is_buff == buff && status.cleansable
                };
                if let Some(serial) = self.all[target].held.iter().rfind(of_kind).map(|held| held.serial) {
                    self.lose(target, serial, LostReason::Cleansed);
                }
            }
            Effect::Interrupt => self.interrupt(target, who, source),
            Effect::InterruptLoud => {
                if let Doing::Casting(ability, _) = self.all[target].doing
                    && self.world.abilities[ability].loud
                {
                    self.interrupt(target, who, source);
                }
            }
            Effect::InterruptOne(one) => {
                if matches!(self.all[target].doing, Doing::Casting(ability, _) if ability == one) {
                    self.interrupt(target, who, source);
                }
            }
            Effect::CleanseWet => {
                let wet = |held: &&Held| self.status(held.status).wet && self.status(held.status).cleansable;
                if let Some(serial) = self.all[target].held.iter().find(wet).map(|held| held.serial) {
                    self.lose(target, serial, LostReason::Cleansed);
                }
            }
            Effect::ConsumeWet => {
                for status in 0..self.world.statuses.len() {
                    if self.world.statuses[status].wet {
                        self.use_up(target, status, 1);
                    }
                }
            }
            Effect::Win => {
                let side = self.side_of(who);
                self.won = Some(match self.won {
                    Some(other) if other != Some(side) => None,
                    _ => Some(side),
                });
            }
            Effect::Push(metres) => self.shift(who, target, source, metres),
            Effect::Pull(metres) => self.shift(who, target, source, -metres),
            Effect::Leap(metres) => self.leap(who, target, source, metres),
            Effect::Zone(zone) => self.place_zone(who, source, target, zone),
            Effect::Threat(amount) => {
                self.threaten(target, who, amount);
                let threat = self.all[target].threat[who];
                self.report(Event::Threatened { caster, target: to, source, amount, threat });
            }
            Effect::Wear(piece) => self.wear(target, piece),
            Effect::TakeOff(piece) => self.take_off(target, piece),
            Effect::Learn(amount) => self.learn(target, who, amount),
            Effect::Call(character, count) => self.call(who, source, character, count),
            Effect::Consume(status, stacks) => self.use_up(target, status, stacks.unwrap_or(u32::MAX)),
            Effect::Cleanse(status) | Effect::Transfer(status) if !self.world.statuses[status].cleansable => {}
            Effect::Cleanse(status) => self.take_away(target, status, LostReason::Cleansed),
            Effect::Transfer(status) => {
                let there = self.held(target, status).cloned();
                self.take_away(target, status, LostReason::Transferred);
                if let Some(held) = there {
                    // A status held by a zone or a use then lasts for its own duration.
                    let left = || if held.ends < FOREVER { held.ends - self.now } else { FOREVER };
                    let left = held.zones.is_empty().then(left);
                    self.apply(who, source, who, status, left, held.stacks);
                }
            }
            Effect::Extend(status, by) => self.move_end(target, status, |end, _| end + by),
            Effect::Shorten(status, by) => self.move_end(target, status, |end, now| (end - by.min(end)).max(now)),
            Effect::Toggle(status) if self.held(target, status).is_some() => self.use_up(target, status, u32::MAX),
            Effect::Toggle(status) => self.apply(who, source, target, status, None, 1),
            Effect::Revive(amount) => self.revive(who, source, target, amount),
        }
    }

    pub(super) fn restore(&mut self, who: usize, source: Source, target: usize, pool: usize, amount: f64) {
        let (gained, over, left) = self.add(target, pool, amount);
        let (caster, target, pool) = (id(who), id(target), PoolId(pool as u16));
        self.report(Event::Restored { caster, target, source, pool, gained, over, left });
    }

    /// Whether a combatant can ever have an ability.
    fn can_have(&self, who: usize, ability: usize) -> bool {
        let rule = self.rule_of(who);
        let mut all = self.world.statuses.iter().chain(&self.world.worn);
        let brought = all.any(|status| status.brings == Some(ability));
        rule.abilities.contains(&ability) || rule.can_learn.contains(&ability) || brought
    }

    fn take_ability(&mut self, who: usize, source: Source, target: usize, ability: usize) {
        let had = self.known(target);
        self.all[target].own[ability] = false;
        self.hand_over(who, source, target, &had);
    }

    /// A heal, with its tag, and skipping the step that it skips.
    fn heal(
        &mut self,
        who: usize,
        source: Source,
        target: usize,
        pool: usize,
        initial: f64,
        (kind, skips): (bool, bool),
    ) {
        let initial = initial * self.part;
        let mut amount = if self.share(target) <= 0.5 && !skips { initial * 1.5 } else { initial };
        if kind {
            amount += 2.0;
        }
        let amount = if self.world.floors { amount.floor() } else { amount };
        let (healed, over, left) = self.add(target, pool, amount);
        let (caster, to, stopped) = (id(who), id(target), None);
        self.report(Event::Healed {
            caster,
            target: to,
            source,
            pool: PoolId(pool as u16),
            initial,
            amount,
            healed,
            over,
            left,
            stopped,
        });
        for eyes in 0..self.all.len() {
            if healed > 0.0 && self.all[eyes].stands && self.side_of(eyes) != self.side_of(who) {
                self.threaten(eyes, who, 0.5 * healed);
            }
        }
        let about = Details { amount: healed, ..Details::default() };
        self.raise(TriggerEvent::HealGiven, who, Some(target), &about);
        self.raise(TriggerEvent::HealTaken, target, Some(who), &about);
    }

    /// The steps of all hits in order, including those of statuses in the order of their names.
    fn steps(&self) -> Vec<HitStep> {
        let own = |after: bool| {
            let fits = move |step: Step| (step.is_after_guard() == after).then_some(step);
            let all = self.world.by_name().into_iter();
            all.filter_map(move |index| Some(HitStep::Own(index, self.status(index).step.and_then(fits)?)))
        };
        let mut steps = vec![HitStep::Edge];
        steps.extend(own(false));
        steps.push(HitStep::Guard);
        steps.extend(own(true));
        steps.extend([HitStep::Resist, HitStep::Blank, HitStep::Shell]);
        steps
    }

    fn has(&self, who: usize, status: usize) -> bool {
        self.all[who].held.iter().any(|held| held.status == status)
    }

    pub(super) fn hit(&mut self, who: usize, source: Source, target: usize, initial: f64, blow: Blow) {
        let (caster, initial) = (id(who), initial.max(0.0) * self.part);
        let ability = match source {
            Source::Ability(ability) => Some(usize::from(ability.0)),
            _ => None,
        };
        let of_ability = ability.filter(|_| !self.by_zone);
        let is_loud = blow.loud || of_ability.is_some_and(|ability| self.world.abilities[ability].loud);
        let (mut amount, mut cut, mut stopped, mut all_soaked) = (initial, false, None, 0.0);
        for (index, step) in self.steps().into_iter().enumerate() {
            let step_id = StepId(index as u16);
            let soaks = match step {
                HitStep::Own(status, Step::Soaks) if self.has(target, status) => Some(WIND),
                HitStep::Shell => Some(SHELL),
                _ => None,
            };
            if let Some(pool) = soaks {
                let (soaked, rest, left) = self.take(target, pool, amount);
                if soaked > 0.0 {
                    (amount, all_soaked) = (rest, all_soaked + soaked);
                    let pool = PoolId(pool as u16);
                    self.report(Event::Soaked { target: id(target), step: step_id, pool, amount: soaked, left });
                }
            }
            if blow.skips_all {
                continue;
            }
            match step {
                HitStep::Edge if is_loud => (amount, cut) = (amount + 1.0, true),
                HitStep::Own(status, Step::HalvesTaken) if self.has(target, status) => amount *= 0.5,
                HitStep::Own(status, Step::AddsDealt) if self.has(who, status) => amount += 2.0,
                HitStep::Own(status, Step::Marks) if self.has(who, status) && is_loud => cut = true,
                HitStep::Own(status, Step::Turns)
                    if self.has(target, status) && blow.kind == Type::Cold && amount <= 6.0 =>
                {
                    stopped = Some(step_id);
                }
                HitStep::Guard if blow.kind == Type::Blow && !blow.skips_guard => {
                    amount = (amount * (100.0 - self.rule_of(target).guard.min(90.0)) / 100.0).max(0.0);
                }
                HitStep::Resist => amount *= 1.0 - self.resistance(target, blow.kind),
                HitStep::Blank if blow.kind == Type::Cold && self.amount(target, SHELL) >= 15.0 => {
                    stopped = Some(step_id);
                }
                _ => {}
            }
            if stopped.is_some() {
                amount = 0.0;
                break;
            }
        }
        let amount = if self.world.floors { amount.floor() } else { amount };
        let (dealt, over, left) = self.take(target, blow.pool, amount);
        if dealt > 0.0 {
            self.all[target].hurt_by = Some((caster, source));
            self.threaten(target, who, dealt);
        }
        self.report(Event::Hit {
            caster,
            target: id(target),
            source,
            damage_type: DamageTypeId(blow.kind as u16),
            pool: PoolId(blow.pool as u16),
            initial,
            amount,
            dealt,
            over,
            left,
            stopped,
            marks: u64::from(cut),
        });
        let about = Details { amount: dealt, cut, ability, ..Details::default() };
        if stopped.is_some() {
            return self.raise(TriggerEvent::HitAvoided, target, Some(who), &about);
        }
        if amount > 0.0 {
            self.raise(TriggerEvent::HitDealt, who, Some(target), &about);
            self.raise(TriggerEvent::HitTaken, target, Some(who), &about);
        }
        if all_soaked > 0.0 {
            self.raise(TriggerEvent::HitSoaked, target, Some(who), &Details { amount: all_soaked, ..about });
        }
    }

    pub(super) fn threaten(&mut self, eyes: usize, whom: usize, amount: f64) {
        if self.world.threat {
            let threat = &mut self.all[eyes].threat[whom];
            *threat = (*threat + amount).max(0.0);
        }
    }

    pub(super) fn interrupt(&mut self, who: usize, by: usize, source: Source) {
        let Doing::Casting(ability, _) = self.all[who].doing else { return };
        let rule = &self.world.abilities[ability];
        (self.all[who].doing, self.all[who].keeps) = (Doing::Idle, None);
        (self.all[who].wants, self.all[who].aims) = (None, None);
        self.report(Event::Interrupted { who: id(who), ability: ability_id(ability), by: id(by), source });
        let about = Details { ability: Some(ability), ..Details::default() };
        self.raise(TriggerEvent::Interrupted, who, Some(by), &about);
        // Releases that have happened are paid for and counted.
        if std::mem::take(&mut self.all[who].row) > 0 {
            if rule.counts == Counts::End {
                self.count_use(who, ability, self.now);
            }
        } else if !rule.pays_at_release && rule.refund > 0.0 && rule.cost > 0.0 {
            self.effect(who, Source::Ability(ability_id(ability)), who, Effect::Restore(rule.cost * rule.refund), 1);
        }
        self.let_go(who, IN_USE);
    }

    pub(super) fn revive(&mut self, who: usize, source: Source, target: usize, amount: f64) {
        if self.all[target].stands {
            return;
        }
        self.all[target].pools.iter_mut().for_each(|(_, since)| *since = self.now);
        self.all[target].stands = true;
        self.all[target].hurt_by = None;
        self.dress(target, false);
        self.spend_points(target);
        self.put(target, HEALTH, amount.min(self.cap(target, HEALTH)));
        self.report(Event::Revived { target: id(target), caster: id(who), source });
    }
}
