//! An ability of one character on another: the commonest way step by step, and all that can happen.

use std::collections::BTreeMap;
use std::sync::Arc;

use serde::Serialize;

use super::character::{AbilityLine, Shown, ability_line};
use crate::error::Error;
use crate::fight::{Branching, Event, Fight, Likely, Observer, Provider, Sampler, StepResult, seed_of_trial};
use crate::program::{AbilityId, CharacterId, CombatantId, FormulaId, PoolId, Program, Reading, Setup, Time};
use crate::rules::SideRule;
use crate::study::statistics::{Estimate, mean_estimate};

/// Uniform draws are cut into so many parts when all that can happen is walked through.
const PARTS: u32 = 25;
/// Beyond so many branches an ability is sampled instead.
const MOST_BRANCHES: u32 = 50_000;
/// How often, then.
const SAMPLES: u64 = 20_000;

/// A formula as it was evaluated.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Worked {
    /// Which key of the rule: "when", "amount", "spread".
    pub key: String,
    /// The formula with values in place of names.
    pub worked: String,
    /// What it gave; 1 and 0 for truths.
    pub value: f64,
    /// Whether it is a truth.
    pub truth: bool,
    /// Whether it is nothing but one draw, which then stands in `worked`.
    pub draw: bool,
}

/// A step of a hit as it went.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct StepLine {
    /// Its name.
    pub step: String,
    /// The amount that entered.
    pub before: f64,
    /// The amount that left.
    pub after: f64,
    /// "passed by", "applied", "stopped".
    pub result: String,
    /// Its formulas.
    pub worked: Vec<Worked>,
}

/// One way in which an outcome can end.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct EndingLine {
    /// "dodged", "critical", "plain".
    pub ending: String,
    /// How likely, 0 to 1.
    pub chance: f64,
    /// Mean amount that reaches the pool when it ends so.
    pub mean: f64,
    /// The least amount.
    pub least: f64,
    /// The greatest amount.
    pub greatest: f64,
}

/// One outcome of an ability, explained.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct OutcomeLine {
    /// "damage", "heal", "restore", "drain".
    pub outcome: String,
    /// The damage type of a hit.
    pub damage_type: Option<String>,
    /// The pool that it reaches.
    pub pool: String,
    /// The amount that enters the first step.
    pub initial: f64,
    /// Where that comes from.
    pub worked: Vec<Worked>,
    /// The steps, with every chance going the likelier way and every spread in its middle.
    pub steps: Vec<StepLine>,
    /// The amount that arrives in that case.
    pub amount: f64,
    /// All the ways in which it can end.
    pub endings: Vec<EndingLine>,
    /// Mean and deviation over all of them.
    pub over_all: Estimate,
    /// Amount of the receiving pool at the start of a fight.
    pub against: f64,
    /// How many such outcomes empty the pool: at best, on average, at worst (of those that do
    /// anything). `None` where nothing arrives, or nothing is taken.
    pub to_empty: Option<[u32; 3]>,
}

/// An ability of one character on another, explained.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct AbilityExplanation {
    /// The ability.
    pub ability: AbilityLine,
    /// Who uses it.
    pub from: String,
    /// On whom.
    pub on: String,
    /// Its outcomes, in order.
    pub outcomes: Vec<OutcomeLine>,
    /// Whether all that can happen was walked through; otherwise it was sampled.
    pub exact: bool,
}

/// Explains what an ability of one character does to another at the start of a fight.
///
/// # Errors
/// [`Error::Fight`] when a formula has no value.
pub fn explain_ability(
    program: &Arc<Program>,
    ability: AbilityId,
    from: CharacterId,
    on: CharacterId,
) -> Result<AbilityExplanation, Error> {
    let sides = match program.ability(ability).side {
        SideRule::Allies => vec![("one".to_owned(), vec![from, on])],
        SideRule::Caster => vec![("one".to_owned(), vec![from])],
        _ => vec![("one".to_owned(), vec![from]), ("other".to_owned(), vec![on])],
    };
    let setup = Arc::new(Setup::between(program, &sides));
    let target = CombatantId(if setup.combatants.len() > 1 { 1 } else { 0 });
    let mut walk = Walk { setup: &setup, worked: Vec::new(), steps: Vec::new(), outcomes: Vec::new() };
    bring_about(&mut Fight::with_chance(Arc::clone(&setup), Likely, 0), ability, target, &mut walk)?;
    let mut outcomes = walk.outcomes;
    let (gathered, exact) = all_that_can_happen(&setup, ability, target)?;
    for (outcome, gathered) in outcomes.iter_mut().zip(gathered) {
        gathered.fill(outcome);
    }
    let name = |id: CharacterId| program.characters()[id.index()].name.clone();
    let on = if target == CombatantId(0) { from } else { on };
    Ok(AbilityExplanation {
        ability: ability_line(&Shown { setup: &setup, memory: &setup.memory }, CombatantId(0), ability),
        from: name(from),
        on: name(on),
        outcomes,
        exact,
    })
}

fn bring_about<C: Provider, O: Observer>(
    fight: &mut Fight<C>,
    ability: AbilityId,
    target: CombatantId,
    observer: &mut O,
) -> Result<(), Error> {
    let done = fight.bring_about(CombatantId(0), ability, target, observer);
    done.map_err(|error| Error::of_fight(&error, fight.setup()))
}

/// Writes down one run with all its arithmetic.
struct Walk<'a> {
    setup: &'a Setup,
    worked: Vec<Worked>,
    steps: Vec<StepLine>,
    outcomes: Vec<OutcomeLine>,
}

/// What arrived, told apart by how.
struct Arrived {
    outcome: &'static str,
    pool: PoolId,
    initial: f64,
    amount: f64,
    left: f64,
    change: f64,
    ending: String,
    damage_type: Option<String>,
}

impl Arrived {
    fn of(setup: &Setup, event: Event) -> Option<Self> {
        let program = setup.program();
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
            Event::Hit { pool, initial, amount, dealt, left, stopped, marks, damage_type, .. } => {
                let stop = stopped.and_then(|step| program.hit_steps()[step.index()].stop.clone());
                let damage_type = Some(program.damage_types()[damage_type.index()].name.clone());
                Some(Self {
                    outcome: "damage",
                    pool,
                    initial,
                    amount,
                    left,
                    change: dealt,
                    ending: ending(stop, marks),
                    damage_type,
                })
            }
            Event::Healed { pool, initial, amount, healed, left, stopped, .. } => {
                let stop = stopped.and_then(|step| program.heal_steps()[step.index()].stop.clone());
                Some(Self {
                    outcome: "heal",
                    pool,
                    initial,
                    amount,
                    left,
                    change: -healed,
                    ending: ending(stop, 0),
                    damage_type: None,
                })
            }
            Event::Restored { pool, gained, over, left, .. } => {
                let amount = gained + over;
                Some(Self {
                    outcome: "restore",
                    pool,
                    initial: amount,
                    amount,
                    left,
                    change: -gained,
                    ending: ending(None, 0),
                    damage_type: None,
                })
            }
            Event::Drained { pool, taken, over, left, .. } => {
                let amount = taken + over;
                Some(Self {
                    outcome: "drain",
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

impl Observer for Walk<'_> {
    const DETAIL: bool = true;

    fn formula(&mut self, _: Time, formula: FormulaId, reading: &Reading) {
        let compiled = self.setup.program().formula(formula);
        let key = compiled.source.path.rsplit('.').next().unwrap_or_default().to_owned();
        let truth = compiled.kind == crate::formula::Kind::Truth;
        self.worked.push(Worked {
            key,
            worked: compiled.with_values(reading),
            value: reading.value,
            truth,
            draw: compiled.is_one_draw(),
        });
    }

    fn event(&mut self, _: Time, event: Event) {
        let program = self.setup.program();
        if let Event::Stepped { step, heal, before, after, result } = event {
            let steps = if heal { program.heal_steps() } else { program.hit_steps() };
            let result = match result {
                StepResult::Passed => "passed by",
                StepResult::Applied => "applied",
                StepResult::Stopped => "stopped",
            };
            // The first formulas of an outcome are its amount and spread, not a step's.
            let keep = if self.steps.is_empty() {
                self.worked.iter().take_while(|worked| !matches!(worked.key.as_str(), "when" | "amount")).count()
            } else {
                0
            };
            let worked = self.worked.split_off(keep);
            if self.steps.is_empty() {
                self.steps.push(StepLine {
                    step: String::new(),
                    before,
                    after: before,
                    result: String::new(),
                    worked: std::mem::take(&mut self.worked),
                });
            }
            self.steps.push(StepLine {
                step: steps[step.index()].name.clone(),
                before,
                after,
                result: result.to_owned(),
                worked,
            });
        }
        let Some(arrived) = Arrived::of(self.setup, event) else { return };
        let mut steps = std::mem::take(&mut self.steps);
        let worked = if steps.is_empty() { std::mem::take(&mut self.worked) } else { steps.remove(0).worked };
        self.outcomes.push(OutcomeLine {
            outcome: arrived.outcome.to_owned(),
            damage_type: arrived.damage_type,
            pool: program.pools()[arrived.pool.index()].name.clone(),
            initial: arrived.initial,
            worked,
            steps,
            amount: arrived.amount,
            endings: Vec::new(),
            over_all: mean_estimate(0.0, 0.0, 0),
            against: arrived.left + arrived.change,
            to_empty: None,
        });
    }
}

/// All that one outcome came to, over many runs.
#[derive(Default)]
struct Gathered {
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

    fn fill(self, outcome: &mut OutcomeLine) {
        let (mean, total) = (self.sum / self.weight, self.weight);
        let deviation = (self.squares / total - mean * mean).max(0.0).sqrt();
        outcome.over_all = Estimate { mean, low: mean, high: mean, deviation };
        let line = |(ending, [chance, sum, least, greatest]): (String, [f64; 4])| EndingLine {
            ending,
            chance: chance / total,
            mean: if chance > 0.0 { sum / chance } else { 0.0 },
            least,
            greatest,
        };
        outcome.endings = self.endings.into_iter().map(line).collect();
        outcome.endings.sort_by(|a, b| b.chance.total_cmp(&a.chance));
        let takes = outcome.outcome == "damage" || outcome.outcome == "drain";
        let some = outcome.endings.iter().filter(|ending| ending.greatest > 0.0);
        let best = some.clone().map(|ending| ending.greatest).fold(0.0, f64::max);
        let worst = some.map(|ending| ending.least).filter(|least| *least > 0.0).fold(f64::INFINITY, f64::min);
        if takes && mean > 0.0 && worst.is_finite() && outcome.against > 0.0 {
            outcome.to_empty = Some([best, mean, worst].map(|amount| (outcome.against / amount).ceil() as u32));
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
fn all_that_can_happen(
    setup: &Arc<Setup>,
    ability: AbilityId,
    target: CombatantId,
) -> Result<(Vec<Gathered>, bool), Error> {
    let mut gathered = Vec::new();
    let mut fight = Fight::with_chance(Arc::clone(setup), Branching::new(PARTS), 0);
    for _ in 0..MOST_BRANCHES {
        let mut arrivals = Arrivals { setup, list: Vec::new() };
        bring_about(&mut fight, ability, target, &mut arrivals)?;
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
        bring_about(&mut fight, ability, target, &mut arrivals)?;
        gather(&mut gathered, arrivals, 1.0);
    }
    Ok((gathered, false))
}

fn gather(gathered: &mut Vec<Gathered>, arrivals: Arrivals<'_>, weight: f64) {
    for (index, arrived) in arrivals.list.into_iter().enumerate() {
        if gathered.len() <= index {
            gathered.push(Gathered::default());
        }
        gathered[index].add(arrived.ending, weight, arrived.amount);
    }
}
