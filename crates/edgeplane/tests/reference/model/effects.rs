//! What effects do.

use super::*;

impl Model<'_> {
    /// The same, only above a share of the receiver's health.
    pub(in crate::reference) fn effect_if(
        &mut self,
        who: usize,
        source: Source,
        target: usize,
        effect: Effect,
        order: usize,
        above: Option<f64>,
    ) {
        if above.is_none_or(|above| self.share(target) > above) {
            self.effect(who, source, target, effect, order);
        }
    }

    pub(in crate::reference) fn effect(
        &mut self,
        who: usize,
        source: Source,
        target: usize,
        effect: Effect,
        order: usize,
    ) {
        let leaves_zone = |zone: usize| self.aftermath && !self.world.zones[zone].carried;
        let comes_to_defeated = match effect {
            Effect::Call(..) | Effect::Revive(_) | Effect::Win => true,
            Effect::Zone(zone) => leaves_zone(zone),
            _ => false,
        };
        if !self.all[target].stands && (!comes_to_defeated || self.all[target].absent) {
            return;
        }
        let (caster, to) = (id(who), id(target));
        match effect {
            Effect::Damage(base, per) => self.hit(who, source, target, base + self.might(who) * per, Type::Blow),
            Effect::InOrder(base) => {
                let halved = (1..order).fold(base, |amount, _| amount * 0.5);
                self.hit(who, source, target, halved, Type::Blow);
            }
            Effect::Cold(base, false) => self.hit(who, source, target, base, Type::Cold),
            Effect::Cold(base, true) => self.hit(who, source, target, base, Type::Pure),
            Effect::Shield(amount) => self.restore(who, source, target, SHELL, amount),
            Effect::Far(base) => {
                let far = if self.world.is_placed() { self.apart(who, target) } else { 0.0 };
                self.hit(who, source, target, base + far, Type::Blow);
            }
            Effect::Grown(base) => self.hit(who, source, target, base + 2.0 * self.all[who].level, Type::Blow),
            Effect::Heal(initial) => {
                let amount = if self.share(target) <= 0.5 { initial * 1.5 } else { initial };
                let (healed, over, left) = self.add(target, HEALTH, amount);
                for eyes in 0..self.all.len() {
                    if healed > 0.0 && self.all[eyes].stands && self.all[eyes].side != self.all[who].side {
                        self.threaten(eyes, who, 0.5 * healed);
                    }
                }
                let (pool, stopped) = (PoolId(HEALTH as u16), None);
                self.report(Event::Healed {
                    caster,
                    target: to,
                    source,
                    pool,
                    initial,
                    amount,
                    healed,
                    over,
                    left,
                    stopped,
                });
                self.raise(TriggerEvent::HealTaken, target, Some(who));
            }
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
                // Less than what flows in a step makes for moments between two steps.
                self.close_call.set(self.close_call.get() || taken * 0.5 % 0.125 != 0.0);
                if self.all[who].stands {
                    self.restore(who, source, who, WIND, taken * 0.5);
                }
            }
            Effect::CleanseKind(buff) => {
                let of_kind = |held: &&Held| {
                    self.status(held.status).is_some_and(|status| status.is_buff == buff && status.cleansable)
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
            Effect::CleanseWet => {
                let wet = |held: &&Held| self.status(held.status).is_some_and(|status| status.wet && status.cleansable);
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
                let side = self.all[who].side;
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
                    // What a zone or a use has held lasts for its own time then.
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

    /// Steps of statuses before the guard: of whoever deals the hit and of whoever takes it, in the order of their names.
    pub(super) fn through_statuses(&self, who: usize, target: usize, mut amount: f64) -> f64 {
        for (index, status) in self.world.statuses.iter().enumerate() {
            let has = |one: usize| self.all[one].held.iter().any(|held| held.status == index);
            match status.step {
                Some(Step::HalvesTaken) if has(target) => amount *= 0.5,
                Some(Step::AddsDealt) if has(who) => amount += 2.0,
                _ => {}
            }
        }
        amount
    }

    pub(super) fn hit(&mut self, who: usize, source: Source, target: usize, initial: f64, kind: Type) {
        let (caster, initial) = (id(who), initial.max(0.0));
        let mut amount = initial;
        if kind != Type::Pure {
            amount = self.through_statuses(who, target, amount);
        }
        if kind == Type::Blow {
            let guard = self.rule_of(target).guard.min(90.0);
            amount = (amount * (100.0 - guard) / 100.0).max(0.0);
        }
        let (soaked, rest, left) = self.take(target, SHELL, amount);
        if soaked > 0.0 {
            amount = rest;
            let (step, pool) = (self.shell, PoolId(SHELL as u16));
            self.report(Event::Soaked { target: id(target), step, pool, amount: soaked, left });
        }
        let (dealt, over, left) = self.take(target, HEALTH, amount);
        if dealt > 0.0 {
            self.all[target].hurt_by = Some((caster, source));
            self.threaten(target, who, dealt);
        }
        let (damage_type, pool) = (DamageTypeId(u16::from(kind != Type::Blow)), PoolId(HEALTH as u16));
        self.report(Event::Hit {
            caster,
            target: id(target),
            source,
            damage_type,
            pool,
            initial,
            amount,
            dealt,
            over,
            left,
            stopped: None,
            marks: 0,
        });
        if amount > 0.0 {
            self.raise(TriggerEvent::HitDealt, who, Some(target));
            self.raise(TriggerEvent::HitTaken, target, Some(who));
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
        self.all[who].doing = Doing::Idle;
        self.report(Event::Interrupted { who: id(who), ability: ability_id(ability), by: id(by), source });
        // What took effect has been had for its cost, and counts.
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
        self.all[target].stands = true;
        self.all[target].hurt_by = None;
        self.dress(target, false);
        self.put(target, HEALTH, amount.min(self.cap(target, HEALTH)));
        self.report(Event::Revived { target: id(target), caster: id(who), source });
    }
}
