//! Attributes and pools.

use super::*;

impl Model<'_> {
    pub(super) fn status(&self, status: usize) -> &Status {
        self.world.status(status)
    }

    /// The period of a status, and the effect of its ticks.
    pub(super) fn period(&self, held: &Held) -> Option<(u64, Effect)> {
        self.status(held.status).period.map(|(_, does)| (held.period, does))
    }

    /// The triggered effect of a status.
    pub(super) fn trigger(&self, status: usize) -> Option<Trigger> {
        self.status(status).trigger
    }

    /// The side of a combatant: that of its latest charmer, or its own.
    pub(crate) fn side_of(&self, who: usize) -> usize {
        self.all[who].held.iter().rev().find_map(|held| held.side).unwrap_or(self.all[who].side)
    }

    pub(crate) fn cap(&self, who: usize, pool: usize) -> f64 {
        match pool {
            WIND => 40.0,
            SHELL if self.rule_of(who).has_shell => 30.0,
            SHELL => 0.0,
            _ => self.all[who].vigour.unwrap_or(self.rule_of(who).vigour) + self.sum(who, |status| status.vigour),
        }
    }

    fn sum(&self, who: usize, of: impl Fn(&Status) -> f64) -> f64 {
        self.all[who].held.iter().map(|held| of(self.status(held.status))).sum()
    }

    /// The resistance of a combatant to a damage type.
    pub(super) fn resistance(&self, who: usize, kind: Type) -> f64 {
        let of = |status: &Status| match status.resists {
            Some((all, by)) if all || kind == Type::Cold => by,
            _ => 0.0,
        };
        self.sum(who, of).clamp(-0.5, 0.75)
    }

    pub(crate) fn amount(&self, who: usize, pool: usize) -> f64 {
        let (amount, since) = self.all[who].pools[pool];
        // Nothing flows while its owner is defeated.
        if !self.all[who].stands && !self.all[who].absent {
            return amount;
        }
        let seconds = (self.now - since) as f64 / 1e6;
        match pool {
            // A portion comes at every half second of the fight.
            WIND if self.world.portions => (amount + (self.now / 500_000 - since / 500_000) as f64).clamp(0.0, 40.0),
            WIND => (amount + 2.0 * seconds).clamp(0.0, 40.0),
            SHELL if self.world.decays => (amount - seconds).max(0.0),
            _ => amount,
        }
    }

    pub(super) fn share(&self, who: usize) -> f64 {
        self.amount(who, HEALTH) / self.cap(who, HEALTH)
    }

    pub(super) fn might(&self, who: usize) -> f64 {
        let (mut add, mut percent, mut times) = (0.0, 0.0, 1.0);
        for held in &self.all[who].held {
            let status = self.status(held.status);
            add += status.might * f64::from(held.stacks);
            percent += status.percent;
            times *= status.times;
        }
        let own = self.rule_of(who).might + self.all[who].level - 1.0;
        let base = self.all[who].might.unwrap_or(own);
        let value = (base + add) * (1.0 + percent / 100.0) * times;
        let set = self.all[who].held.iter().rev().find_map(|held| self.status(held.status).set);
        let value = set.unwrap_or(value);
        let held = || self.all[who].held.iter().map(|held| self.status(held.status));
        let least = held().filter_map(|status| status.at_least).fold(f64::NEG_INFINITY, f64::max);
        let most = held().filter_map(|status| status.at_most).fold(f64::INFINITY, f64::min);
        value.max(least).min(most)
    }

    pub(super) fn put(&mut self, who: usize, pool: usize, amount: f64) {
        let before = self.share(who);
        self.all[who].pools[pool] = (amount, self.now);
        // Between two steps the model evaluates nothing, and such times differ by less than a flow in one step.
        let flows = pool == WIND && !self.world.portions;
        self.close_call.set(self.close_call.get() || (flows && amount % 0.125 != 0.0));
        let moved = Some((before, self.share(who)));
        // A combatant that has not joined crosses nothing.
        if pool == HEALTH && !self.all[who].absent {
            self.raise(TriggerEvent::PoolBelow, who, None, &Details { moved, ..Details::default() });
            self.raise(TriggerEvent::PoolAbove, who, None, &Details { moved, ..Details::default() });
        }
    }

    /// Adjusts the health of a combatant after a change of its cap.
    pub(super) fn follow_cap(&mut self, who: usize) {
        let (before, cap) = (self.all[who].cap, self.cap(who, HEALTH));
        if before == cap || !self.all[who].stands || self.dressing {
            return;
        }
        let had = self.amount(who, HEALTH);
        let left = match self.world.cap_rule {
            CapRule::Keep => had,
            CapRule::Scale => had / before * cap,
            CapRule::Shift => cap - (before - had),
        };
        let left = left.clamp(0.0, cap);
        (self.all[who].cap, self.all[who].pools[HEALTH]) = (cap, (left, self.now));
        self.report(Event::CapChanged { who: id(who), pool: PoolId(HEALTH as u16), cap, left });
        let details = Details { moved: Some((had / before, left / cap)), ..Details::default() };
        self.raise(TriggerEvent::PoolBelow, who, None, &details);
        self.raise(TriggerEvent::PoolAbove, who, None, &details);
    }

    /// Takes as much as there is; returns the amount taken, the excess, and the rest.
    pub(super) fn take(&mut self, who: usize, pool: usize, amount: f64) -> (f64, f64, f64) {
        let (before, dust) = (self.amount(who, pool), 1e-9 * self.cap(who, pool));
        if before == 0.0 {
            return (0.0, amount, 0.0);
        }
        let left = before - amount;
        let (taken, over, left) = if left > dust {
            (amount, 0.0, left)
        } else if left >= -dust {
            (amount, 0.0, 0.0)
        } else {
            (before, amount - before, 0.0)
        };
        self.put(who, pool, left);
        (taken, over, left)
    }

    pub(super) fn add(&mut self, who: usize, pool: usize, amount: f64) -> (f64, f64, f64) {
        let (before, cap) = (self.amount(who, pool), self.cap(who, pool));
        let room = cap - before - amount;
        let (added, over, left) = if room > 1e-9 * cap {
            (amount, 0.0, before + amount)
        } else if room >= -1e-9 * cap {
            (amount, 0.0, cap)
        } else {
            (cap - before, amount - (cap - before), cap)
        };
        if added > 0.0 {
            self.put(who, pool, left);
        }
        (added, over, left)
    }
}
