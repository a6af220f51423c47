//! All possible results of the effects of an ability.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::ability::{EffectLine, EndingLine, apply_effects};
use super::beforehand::Beforehand;
use crate::error::Error;
use crate::fight::{Branching, Event, EventMask, Fight, Observer, Sampler, Source, seed_of_trial};
use crate::numbers::Extremes;
use crate::program::{AbilityId, CombatantId, CompiledFormula, FormulaId, PoolId, Reading, Setup, Time};
use crate::study::statistics::Estimate;

/// The number of parts into which uniform draws are divided for enumeration.
const PARTS: u32 = 25;
/// The number of branches beyond which an ability is sampled instead.
const MOST_BRANCHES: u32 = 50_000;
/// The number of samples in that case.
const SAMPLES: u64 = 20_000;

/// The amounts, by kind of result.
pub(super) struct Arrived {
    pub(super) effect: &'static str,
    pub(super) target: CombatantId,
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
        // Effects of statuses are explained with these.
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
            Event::Hit { target, source, pool, initial, amount, dealt, left, stopped, marks, damage_type, .. }
                if of_ability(source) =>
            {
                let stop = stopped.and_then(|step| program.hit_steps()[step.index()].stop.clone());
                let damage_type = Some(program.damage_types()[damage_type.index()].name.clone());
                Some(Self {
                    effect: "damage",
                    target,
                    pool,
                    initial,
                    amount,
                    left,
                    change: dealt,
                    ending: ending(stop, marks),
                    damage_type,
                })
            }
            Event::Healed { target, source, pool, initial, amount, healed, left, stopped, .. }
                if of_ability(source) =>
            {
                let stop = stopped.and_then(|step| program.heal_steps()[step.index()].stop.clone());
                Some(Self {
                    effect: "heal",
                    target,
                    pool,
                    initial,
                    amount,
                    left,
                    change: -healed,
                    ending: ending(stop, 0),
                    damage_type: None,
                })
            }
            Event::Restored { target, source, pool, gained, over, left, .. } if of_ability(source) => {
                let amount = gained + over;
                Some(Self {
                    effect: "restore",
                    target,
                    pool,
                    initial: amount,
                    amount,
                    left,
                    change: -gained,
                    ending: ending(None, 0),
                    damage_type: None,
                })
            }
            Event::Drained { target, source, pool, taken, over, left, .. } if of_ability(source) => {
                let amount = taken + over;
                Some(Self {
                    effect: "drain",
                    target,
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

/// The path of an ability's effect to which a formula belongs: `ability.boathook.does.0`.
pub(super) fn effect_of(formula: &CompiledFormula) -> Option<&str> {
    let (effect, _) = formula.source.path.rsplit_once('.')?;
    let is_effect = effect.starts_with("ability.") && effect.ends_with(|last: char| last.is_ascii_digit());
    is_effect.then_some(effect)
}

/// The result of an effect that does not happen.
const NOTHING: &str = "does not happen";

/// The results of one effect over many runs.
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
        *least = least.smaller(amount);
        *greatest = greatest.larger(amount);
        self.weight += weight;
        self.sum += weight * amount;
        self.squares += weight * amount * amount;
    }

    /// The weight of all runs, whether or not the effect happened.
    pub(super) fn fill(mut self, effect: &mut EffectLine, all: f64) {
        if all - self.weight > 1e-9 * all {
            self.add(NOTHING.to_owned(), all - self.weight, 0.0);
        }
        let (mean, total) = (self.sum / self.weight, self.weight);
        let deviation = (self.squares / total - mean * mean).larger(0.0).sqrt();
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
        let best = some.clone().map(|ending| ending.greatest).fold(0.0, f64::larger);
        let worst = some.map(|ending| ending.least).filter(|least| *least > 0.0).fold(f64::INFINITY, f64::smaller);
        if takes && mean > 0.0 && worst.is_finite() && effect.against > 0.0 {
            effect.to_empty = Some([best, mean, worst].map(|amount| (effect.against / amount).ceil() as u32));
        }
    }
}

struct Arrivals<'a> {
    setup: &'a Setup,
    effect: String,
    list: Vec<(String, Arrived)>,
}

impl Observer for Arrivals<'_> {
    fn wants(&self) -> EventMask {
        EventMask::DETAIL
    }

    fn formula(&mut self, _: Time, formula: FormulaId, _: &Reading) {
        if let Some(effect) = effect_of(self.setup.program().formula(formula)).filter(|effect| *effect != self.effect) {
            effect.clone_into(&mut self.effect);
        }
    }

    fn event(&mut self, _: Time, event: Event) {
        self.list.extend(Arrived::of(self.setup, event).map(|arrived| (self.effect.clone(), arrived)));
    }
}

/// Enumerates all branches, or samples if there are too many.
pub(super) fn all_that_can_happen(
    setup: &Arc<Setup>,
    ability: AbilityId,
    on: (CombatantId, &Beforehand),
) -> Result<(All, bool), Error> {
    let mut gathered = All::default();
    let arrivals = || Arrivals { setup, effect: String::new(), list: Vec::new() };
    let mut fight = Fight::with_chance(Arc::clone(setup), Branching::new(PARTS), 0);
    for _ in 0..MOST_BRANCHES {
        let mut arrivals = arrivals();
        apply_effects(&mut fight, ability, on, &mut arrivals)?;
        let weight = fight.chance_mut().weight();
        gather(&mut gathered, arrivals, weight);
        if !fight.chance_mut().next_branch() {
            return Ok((gathered, true));
        }
        fight.restart(0);
    }
    gathered = All::default();
    let mut fight = Fight::with_chance(Arc::clone(setup), Sampler::default(), 0);
    for sample in 0..SAMPLES {
        fight.restart(seed_of_trial(0, sample));
        let mut arrivals = arrivals();
        apply_effects(&mut fight, ability, on, &mut arrivals)?;
        gather(&mut gathered, arrivals, 1.0);
    }
    Ok((gathered, false))
}

/// The identity of an effect: its path, receiver, kind, pool, damage type, and its number among those that are equal in
/// these. Effects that do not always happen cannot be identified by order alone.
pub(super) type Which = (String, CombatantId, &'static str, PoolId, Option<String>, usize);

/// All effects with their results.
#[derive(Default)]
pub(super) struct All {
    pub(super) effects: BTreeMap<Which, Gathered>,
    /// The total weight of all runs.
    pub(super) weight: f64,
}

impl Arrived {
    /// Identifies an effect, given those before it.
    pub(super) fn which(&self, effect: &str, before: &[Which]) -> Which {
        let with = |number| (effect.to_owned(), self.target, self.effect, self.pool, self.damage_type.clone(), number);
        (0..).map(with).find(|which| !before.contains(which)).unwrap_or_else(|| with(usize::MAX))
    }
}

fn gather(gathered: &mut All, arrivals: Arrivals<'_>, weight: f64) {
    gathered.weight += weight;
    let mut before = Vec::new();
    for (effect, arrived) in arrivals.list {
        let which = arrived.which(&effect, &before);
        before.push(which.clone());
        gathered.effects.entry(which).or_default().add(arrived.ending, weight, arrived.amount);
    }
}
