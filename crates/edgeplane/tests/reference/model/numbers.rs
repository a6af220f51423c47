//! Attributes and pools.

use super::*;

impl Model<'_> {
    pub(super) fn status(&self, status: usize) -> Option<&crate::reference::world::Status> {
        self.world.statuses.get(status)
    }

    pub(super) fn period(&self, status: usize) -> Option<(u64, Effect)> {
        self.status(status).and_then(|status| status.period)
    }

    /// What a status is triggered to do, those of gear included.
    pub(super) fn trigger(&self, status: usize) -> Option<Trigger> {
        match self.status(status) {
            Some(status) => status.trigger,
            None => {
                let amount = self.world.gear_of_status(status)?.restores?;
                let does = Effect::Restore(amount);
                Some(Trigger {
                    event: TriggerEvent::HitTaken,
                    of: None,
                    cooldown: 1_000_000,
                    does,
                    to_other: false,
                    uses: None,
                    loud: false,
                    above: None,
                })
            }
        }
    }

    pub(in crate::reference) fn cap(&self, who: usize, pool: usize) -> f64 {
        match pool {
            WIND => 40.0,
            SHELL => 30.0,
            _ => self.rule_of(who).vigour,
        }
    }

    pub(super) fn amount(&self, who: usize, pool: usize) -> f64 {
        let (amount, since) = self.all[who].pools[pool];
        if pool != WIND {
            return amount;
        }
        (amount + 2.0 * ((self.now - since) as f64 / 1e6)).clamp(0.0, 40.0)
    }

    pub(super) fn share(&self, who: usize) -> f64 {
        self.amount(who, HEALTH) / self.cap(who, HEALTH)
    }

    pub(super) fn might(&self, who: usize) -> f64 {
        let (mut add, mut percent, mut times) = (0.0, 0.0, 1.0);
        for held in &self.all[who].held {
            match self.status(held.status) {
                Some(status) => {
                    add += status.might * f64::from(held.stacks);
                    percent += status.percent;
                    times *= status.times;
                }
                None => add += self.world.gear_of_status(held.status).map_or(3.0, |gear| gear.might),
            }
        }
        let base = self.rule_of(who).might + self.all[who].level - 1.0;
        let value = (base + add) * (1.0 + percent / 100.0) * times;
        let held = || self.all[who].held.iter().filter_map(|held| self.status(held.status));
        let least = held().filter_map(|status| status.at_least).fold(f64::NEG_INFINITY, f64::max);
        let most = held().filter_map(|status| status.at_most).fold(f64::INFINITY, f64::min);
        value.max(least).min(most)
    }

    pub(super) fn put(&mut self, who: usize, pool: usize, amount: f64) {
        self.all[who].pools[pool] = (amount, self.now);
    }

    /// Takes what there is: what was taken, what found nothing, what is left.
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
