//! All the ways in which the effects of an ability can end.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::ability::{EffectLine, EndingLine, apply_effects};
use crate::error::Error;
use crate::fight::{Branching, Event, Fight, Observer, Sampler, Source, seed_of_trial};
use crate::program::{AbilityId, CombatantId, PoolId, Setup, Time};
use crate::study::statistics::Estimate;

/// Uniform draws are cut into so many parts when all that can happen is walked through.
const PARTS: u32 = 25;
/// Beyond so many branches an ability is sampled instead.
const MOST_BRANCHES: u32 = 50_000;
/// How often, then.
const SAMPLES: u64 = 20_000;

/// What arrived, by how it arrived.
pub(super) struct Arrived {
    pub(super) effect: &'static str,
    pub(super) pool: PoolId,
    pub(super) initial: f64,
    pub(super) amount: f64,
    pub(super) left: f64,
    pub(super) change: f64,
    pub(super) ending: String,
    pub(super) damage_type: Option<String>,
}

impl Arrived {
    pub(super) fn of(setup: &Setup, event: Event) -> Option<Self> {
        let program = setup.program();
        // What statuses do is explained with them.
        let of_ability = |source| matches!(source, Source::Ability(_));
        let ending = |stopped: Option<String>, marks: u64| {
            let mut names: Vec<&str> = program
                .marks()
                .iter()
                .enumerate()
                .filter(|(bit, _)| marks >> bit & 1 == 1)
                .map(|(_, name)| name.as_str())
                .collect();
            names.extend(stopped.as_deref());
            if names.is_empty() { "plain".to_owned() } else { names.join(", ") }
        };
        match event {
            Event::Hit { source, pool, initial, amount, dealt, left, stopped, marks, damage_type, .. }
                if of_ability(source) =>
            {
                let stop = stopped.and_then(|step| program.hit_steps()[step.index()].stop.clone());
                let damage_type = Some(program.damage_types()[damage_type.index()].name.clone());
                Some(Self {
                    effect: "damage",
                    pool,
                    initial,
                    amount,
                    left,
                    change: dealt,
                    ending: ending(stop, marks),
                    damage_type,
                })
            }
            Event::Healed { source, pool, initial, amount, healed, left, stopped, .. } if of_ability(source) => {
                let stop = stopped.and_then(|step| program.heal_steps()[step.index()].stop.clone());
                Some(Self {
                    effect: "heal",
                    pool,
                    initial,
                    amount,
                    left,
                    change: -healed,
                    ending: ending(stop, 0),
                    damage_type: None,
                })
            }
            Event::Restored { source, pool, gained, over, left, .. } if of_ability(source) => {
                let amount = gained + over;
                Some(Self {
                    effect: "restore",
                    pool,
                    initial: amount,
                    amount,
                    left,
                    change: -gained,
                    ending: ending(None, 0),
                    damage_type: None,
                })
            }
            Event::Drained { source, pool, taken, over, left, .. } if of_ability(source) => {
                let amount = taken + over;
                Some(Self {
                    effect: "drain",
                    pool,
                    initial: amount,
                    amount,
                    left,
                    change: taken,
                    ending: ending(None, 0),
                    damage_type: None,
                })
            }
            _ => None,
        }
    }
}

/// All that one effect came to, over many runs.
#[derive(Default)]
pub(super) struct Gathered {
    endings: BTreeMap<String, [f64; 4]>,
    weight: f64,
    sum: f64,
    squares: f64,
}

impl Gathered {
    fn add(&mut self, ending: String, weight: f64, amount: f64) {
        let [chance, sum, least, greatest] = self.endings.entry(ending).or_insert([0.0, 0.0, f64::INFINITY, 0.0]);
        *chance += weight;
        *sum += weight * amount;
        *least = least.min(amount);
        *greatest = greatest.max(amount);
        self.weight += weight;
        self.sum += weight * amount;
        self.squares += weight * amount * amount;
    }

    pub(super) fn fill(self, effect: &mut EffectLine) {
        let (mean, total) = (self.sum / self.weight, self.weight);
        let deviation = (self.squares / total - mean * mean).max(0.0).sqrt();
        effect.over_all = Estimate { mean, low: mean, high: mean, deviation };
        let line = |(ending, [chance, sum, least, greatest]): (String, [f64; 4])| EndingLine {
            ending,
            chance: chance / total,
            mean: if chance > 0.0 { sum / chance } else { 0.0 },
            least,
            greatest,
        };
        effect.endings = self.endings.into_iter().map(line).collect();
        effect.endings.sort_by(|a, b| b.chance.total_cmp(&a.chance));
        let takes = effect.effect == "damage" || effect.effect == "drain";
        let some = effect.endings.iter().filter(|ending| ending.greatest > 0.0);
        let best = some.clone().map(|ending| ending.greatest).fold(0.0, f64::max);
        let worst = some.map(|ending| ending.least).filter(|least| *least > 0.0).fold(f64::INFINITY, f64::min);
        if takes && mean > 0.0 && worst.is_finite() && effect.against > 0.0 {
            effect.to_empty = Some([best, mean, worst].map(|amount| (effect.against / amount).ceil() as u32));
        }
    }
}

struct Arrivals<'a> {
    setup: &'a Setup,
    list: Vec<Arrived>,
}

impl Observer for Arrivals<'_> {
    fn event(&mut self, _: Time, event: Event) {
        self.list.extend(Arrived::of(self.setup, event));
    }
}

/// Walks through every branch, or samples where there are too many.
pub(super) fn all_that_can_happen(
    setup: &Arc<Setup>,
    ability: AbilityId,
    target: CombatantId,
) -> Result<(All, bool), Error> {
    let mut gathered = All::new();
    let mut fight = Fight::with_chance(Arc::clone(setup), Branching::new(PARTS), 0);
    for _ in 0..MOST_BRANCHES {
        let mut arrivals = Arrivals { setup, list: Vec::new() };
        apply_effects(&mut fight, ability, target, &mut arrivals)?;
        let weight = fight.chance_mut().weight();
        gather(&mut gathered, arrivals, weight);
        if !fight.chance_mut().next_branch() {
            return Ok((gathered, true));
        }
        fight.restart(0);
    }
    gathered.clear();
    let mut fight = Fight::with_chance(Arc::clone(setup), Sampler::default(), 0);
    for sample in 0..SAMPLES {
        fight.restart(seed_of_trial(0, sample));
        let mut arrivals = Arrivals { setup, list: Vec::new() };
        apply_effects(&mut fight, ability, target, &mut arrivals)?;
        gather(&mut gathered, arrivals, 1.0);
    }
    Ok((gathered, false))
}

/// What identifies an effect among the others: its kind, its pool, its damage type, and its number among
/// those that are alike in these. Effects that do not always happen cannot be identified by order alone.
pub(super) type Which = (&'static str, PoolId, Option<String>, usize);

/// All effects with what they came to.
pub(super) type All = BTreeMap<Which, Gathered>;

impl Arrived {
    /// What identifies it; `before` are those that came before it.
    pub(super) fn which(&self, before: &[Which]) -> Which {
        let alike = |one: &&Which| (one.0, one.1, &one.2) == (self.effect, self.pool, &self.damage_type);
        let number = before.iter().filter(alike).count();
        (self.effect, self.pool, self.damage_type.clone(), number)
    }
}

fn gather(gathered: &mut All, arrivals: Arrivals<'_>, weight: f64) {
    let mut before = Vec::new();
    for arrived in arrivals.list {
        let which = arrived.which(&before);
        before.push(which.clone());
        gathered.entry(which).or_default().add(arrived.ending, weight, arrived.amount);
    }
}
