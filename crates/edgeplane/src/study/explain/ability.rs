//! Explains an ability of one character used on another: the most likely case step by step, and all possible results.

use std::sync::Arc;

use serde::Serialize;

use super::arrivals::{Arrived, Which, all_that_can_happen, effect_of};
use super::beforehand::Beforehand;
use super::character::{AbilityLine, Shown, ability_line};
use crate::error::Error;
use crate::fight::{Event, EventMask, Fight, Likely, Observer, RandomSource, StepResult};
use crate::program::{
    AbilityId, CharacterId, CombatantId, Effect, EffectPlan, FormulaId, PoolEffectKind, PoolId, Program, Reading,
    Setup, Time,
};
use crate::rules::Receiver;
use crate::rules::SideRule;
use crate::study::moments::Values;
use crate::study::statistics::Estimate;

/// An evaluated formula.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Worked {
    /// The key of the rule: "when", "amount", "spread".
    pub key: String,
    /// The formula with values in place of names.
    pub worked: String,
    /// The result; 1 or 0 for conditions.
    pub value: f64,
    /// Whether it is a condition.
    pub truth: bool,
    /// Whether it is a single draw, whose result is then part of `worked`.
    pub draw: bool,
}

/// A step that a hit has passed.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct StepLine {
    /// Its name.
    pub step: String,
    /// The amount that entered.
    pub before: f64,
    /// The amount that left.
    pub after: f64,
    /// "skipped", "applied", "stopped".
    pub result: String,
    /// Its formulas.
    pub worked: Vec<Worked>,
}

/// One possible result of an effect.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct EndingLine {
    /// "dodged", "critical", "plain".
    pub ending: String,
    /// The probability, 0 to 1.
    pub chance: f64,
    /// The mean amount that reaches the pool with this result.
    pub mean: f64,
    /// The minimum amount.
    pub least: f64,
    /// The maximum amount.
    pub greatest: f64,
}

/// One effect of an ability, explained.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct EffectLine {
    /// "damage", "heal", "restore", "drain".
    pub effect: String,
    /// The damage type of a hit.
    pub damage_type: Option<String>,
    /// The character that receives it.
    pub to: String,
    /// The pool that it changes.
    pub pool: String,
    /// The amount that enters the first step.
    pub initial: f64,
    /// The arithmetic of that amount.
    pub worked: Vec<Worked>,
    /// The steps if every chance has its more likely outcome and every spread is at its midpoint.
    pub steps: Vec<StepLine>,
    /// The final amount in that case.
    pub amount: f64,
    /// All possible results.
    pub endings: Vec<EndingLine>,
    /// The mean and standard deviation over all of them.
    pub over_all: Estimate,
    /// It is repeated by each tick of a sustained ability.
    pub each_tick: bool,
    /// The initial amount of the pool.
    pub against: f64,
    /// The number of such effects that empty the pool: at best, on average, at worst (among those with an effect).
    /// `None` if nothing reaches the pool, or nothing is taken.
    pub to_empty: Option<[u32; 3]>,
}

/// An effect in words.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct AlsoLine {
    /// "applies", "cleanses" and so on.
    pub effect: &'static str,
    /// Its object: "waterlogged, 2 stacks".
    pub what: String,
    /// Its receiver.
    pub to: &'static str,
    /// Its condition, if there is one.
    pub only: String,
}

/// The total that several effects of one use take from a pool.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct UsesLine {
    /// The owner of the pool.
    pub of: String,
    /// The pool.
    pub pool: String,
    /// The initial amount.
    pub against: f64,
    /// The average amount taken by a use, without ticks of a sustained ability.
    pub each_use: f64,
    /// The number of uses that empty the pool at that rate.
    pub uses: u32,
}

/// An ability of one character used on another, explained.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct AbilityExplanation {
    /// The ability.
    pub ability: AbilityLine,
    /// The caster.
    pub from: String,
    /// The target.
    pub on: String,
    /// Initial statuses: "silt_crab has waterlogged, 3 stacks".
    pub beforehand: Vec<String>,
    /// Its effects with amounts, in order.
    pub effects: Vec<EffectLine>,
    /// For each pool from which several of them take.
    pub uses_to_empty: Vec<UsesLine>,
    /// Its other effects, in order, including amounts whose conditions exclude these two characters.
    pub also: Vec<AlsoLine>,
    /// Whether all possible results were enumerated; otherwise they were sampled.
    pub exact: bool,
}

/// Explains the effects of an ability of one character on another at the start of a fight.
///
/// # Errors
/// [`Error::Fight`] if a formula has no value.
pub fn explain_ability(
    program: &Arc<Program>,
    ability: AbilityId,
    from: CharacterId,
    on: CharacterId,
) -> Result<AbilityExplanation, Error> {
    explain_ability_with(program, ability, from, on, &Beforehand::default())
}

/// The same with initial statuses. If the caster uses the ability on itself, it is the target whatever `on` is; `on`
/// then stands on the other side, where effects on enemies reach it.
///
/// # Errors
/// [`Error::Fight`] if a formula has no value; [`Error::NotApplied`] for a status that one of them cannot have.
pub fn explain_ability_with(
    program: &Arc<Program>,
    ability: AbilityId,
    from: CharacterId,
    on: CharacterId,
    with: &Beforehand,
) -> Result<AbilityExplanation, Error> {
    let side = program.ability(ability).side;
    let sides = match side {
        SideRule::Allies | SideRule::Others => vec![("one".to_owned(), vec![from, on])],
        // A caster that is its own target has the other character as an opponent, for effects that reach others.
        SideRule::Caster if from == on => vec![("one".to_owned(), vec![from])],
        _ => vec![("one".to_owned(), vec![from]), ("other".to_owned(), vec![on])],
    };
    let setup = Arc::new(Setup::between(program, &sides));
    let target = CombatantId(if side == SideRule::Caster { 0 } else { 1 });
    let every = Arc::new(Setup::between(&Arc::new(without_chances(program, ability)), &sides));
    let mut walk = Walk {
        setup: &every,
        worked: Vec::new(),
        steps: Vec::new(),
        effects: Vec::new(),
        effect: String::new(),
        known: Vec::new(),
        ticks: false,
    };
    apply_effects(&mut Fight::with_chance(Arc::clone(&every), Likely, 0), ability, (target, with), &mut walk)?;
    let (mut effects, known) = (walk.effects, walk.known);
    let (mut gathered, exact) = all_that_can_happen(&setup, ability, (target, with))?;
    for (effect, which) in effects.iter_mut().zip(&known) {
        gathered.effects.remove(which).unwrap_or_default().fill(effect, gathered.weight);
    }
    let mut start = Fight::with_chance(Arc::clone(&setup), Likely, 0);
    begin(&mut start, with)?;
    let name = |id: CharacterId| program.characters()[id.index()].name.clone();
    let beforehand = with.in_words(program, &name(from), &name(on));
    let on = if target == CombatantId(0) { from } else { on };
    let (from, on) = (name(from), name(on));
    Ok(AbilityExplanation {
        beforehand,
        ability: ability_line(&Shown { setup: &setup, memory: start.memory() }, CombatantId(0), ability),
        from,
        on,
        uses_to_empty: uses_to_empty(&effects),
        effects,
        also: {
            let plan = program.ability(ability);
            let during = plan.during.iter().map(|status| AlsoLine {
                effect: "has meanwhile",
                what: program.status(*status).name.clone(),
                to: Receiver::Caster.name(),
                only: String::new(),
            });
            let ticks = plan.sustain.iter().flat_map(|sustain| &sustain.does);
            let is_listed = |effect: &EffectPlan| {
                let path = amount_of(&effect.effect).and_then(|amount| effect_of(program.formula(amount)));
                path.is_some_and(|path| known.iter().any(|(of, ..)| of == path))
            };
            let others = plan.does.iter().chain(ticks).filter(|effect| !is_listed(effect));
            during.chain(others.map(|effect| effect_line(program, effect))).collect()
        },
        exact,
    })
}

/// The rules with the chances of all effects of an ability set to 1: an effect is shown even if it rarely happens.
fn without_chances(program: &Program, ability: AbilityId) -> Program {
    let mut program = program.clone();
    let plan = &mut program.abilities[ability.index()];
    let ticks = plan.sustain.iter_mut().flat_map(|sustain| &mut sustain.does);
    plan.does.iter_mut().chain(ticks).for_each(|effect| effect.chance = None);
    program
}

fn uses_to_empty(effects: &[EffectLine]) -> Vec<UsesLine> {
    let takes = |effect: &&EffectLine| effect.to_empty.is_some() && !effect.each_tick;
    let mut lines: Vec<UsesLine> = Vec::new();
    for (index, first) in effects.iter().enumerate().filter(|(_, effect)| takes(effect)) {
        let alike = |effect: &&EffectLine| takes(effect) && (&effect.to, &effect.pool) == (&first.to, &first.pool);
        let is_first = !effects[..index].iter().any(|effect| alike(&effect));
        if is_first && effects.iter().filter(alike).count() > 1 {
            let each_use = effects.iter().filter(alike).map(|effect| effect.over_all.mean).sum::<f64>();
            let uses = (first.against / each_use).ceil() as u32;
            lines.push(UsesLine {
                of: first.to.clone(),
                pool: first.pool.clone(),
                against: first.against,
                each_use,
                uses,
            });
        }
    }
    lines
}

fn in_stacks(count: &str) -> String {
    if count == "1" { ", 1 stack".to_owned() } else { format!(", {count} stacks") }
}

fn amount_of(effect: &Effect) -> Option<FormulaId> {
    match effect {
        Effect::Hit(hit) | Effect::Heal(hit) => Some(hit.amount),
        Effect::Pool(change) => Some(change.amount),
        _ => None,
    }
}

/// Any effect in words.
pub(super) fn effect_line(program: &Program, effect: &EffectPlan) -> AlsoLine {
    let pool = |pool: PoolId| &program.pools()[pool.index()].name;
    let text = |formula: FormulaId| program.formula(formula).source.text.clone();
    let name = |status| program.status(status).name.clone();
    let (word, what) = match &effect.effect {
        Effect::Hit(hit) => {
            let kind = &program.damage_types()[hit.damage_type.index()].name;
            let kind = if program.damage_types().len() > 1 { format!(" of {kind}") } else { String::new() };
            ("hits", format!("{} for {}{kind}", pool(hit.pool), text(hit.amount)))
        }
        Effect::Heal(heal) => ("heals", format!("{} by {}", pool(heal.pool), text(heal.amount))),
        Effect::Pool(change) => {
            let word = if matches!(change.kind, PoolEffectKind::Restore) { "restores" } else { "drains" };
            (word, format!("{} by {}", pool(change.pool), text(change.amount)))
        }
        Effect::Apply(status, stacks, duration) => {
            let stacks = stacks.map(|stacks| in_stacks(&text(stacks)));
            let duration = duration.map(|duration| format!(", for {} s", text(duration)));
            ("applies", [Some(name(*status)), stacks, duration].into_iter().flatten().collect())
        }
        Effect::Cleanse(filter) => ("cleanses", program.name_filter(filter)),
        Effect::Transfer(filter) => ("transfers", program.name_filter(filter)),
        Effect::Consume(status, stacks) => {
            let stacks = stacks.map_or_else(String::new, |stacks| in_stacks(&text(stacks)));
            ("consumes", format!("{}{stacks}", program.name_statuses(status)))
        }
        Effect::Lengthen(status, by, shorter) => (
            if *shorter { "shortens" } else { "extends" },
            format!("{} by {} s", program.name_statuses(status), text(*by)),
        ),
        Effect::Zone(zone) => ("places", program.zone(*zone).name.clone()),
        Effect::Call(character, count) => {
            let count = count.map_or_else(|| "1".to_owned(), text);
            ("calls", format!("{count} {}", program.characters[character.index()].name))
        }
        Effect::Shift(metres, nearer) => (if *nearer { "pulls" } else { "pushes" }, format!("{} m", text(*metres))),
        Effect::Threat(amount) => ("adds threat", text(*amount)),
        Effect::Leap(metres) => ("leaps", format!("to within {} m", text(*metres))),
        Effect::Toggle(status) => ("toggles", program.status(*status).name.clone()),
        Effect::Win => ("wins", "the fight, for its side".to_owned()),
        Effect::Wear(piece) => ("puts on", program.gear[piece.index()].name.clone()),
        Effect::TakeOff(piece) => ("takes off", program.gear[piece.index()].name.clone()),
        Effect::HandOver(what) => ("gives", program.ability(*what).name.clone()),
        Effect::TakeBack(abilities) => ("takes", program.name_abilities(abilities)),
        Effect::Interrupt(None) => ("interrupts", "the cast under way".to_owned()),
        Effect::Interrupt(Some(which)) => ("interrupts", format!("a cast of {}", program.name_abilities(which))),
        Effect::Revive(amounts) => {
            let amount = |(pool, amount): &(PoolId, FormulaId)| {
                format!("{} {}", text(*amount), program.pools()[pool.index()].name)
            };
            ("revives", format!("with {}", amounts.iter().map(amount).collect::<Vec<_>>().join(", ")))
        }
        Effect::Experience(amount) => ("gives experience", text(*amount)),
        Effect::Report(report, numbers) => {
            let numbers = numbers.iter().map(|number| text(*number)).collect::<Vec<_>>().join(", ");
            let with = if numbers.is_empty() { String::new() } else { format!(" with {numbers}") };
            ("reports", format!("{}{with}", program.reports()[report.index()]))
        }
    };
    let chance = effect.chance.map(|(chance, _)| format!("chance {}", text(chance)));
    let when = effect.when.map(|when| format!("when {}", text(when)));
    let within = effect.within.map(|within| format!("within {} m", text(within)));
    let only = within.into_iter().chain(chance).chain(when).collect::<Vec<_>>().join(", ");
    AlsoLine { effect: word, what, to: effect.to.name(), only }
}

pub(super) fn apply_effects<C: RandomSource, O: Observer>(
    fight: &mut Fight<C>,
    ability: AbilityId,
    (target, with): (CombatantId, &Beforehand),
    observer: &mut O,
) -> Result<(), Error> {
    begin(fight, with)?;
    fight.apply_effects(CombatantId(0), ability, target, observer).map_err(Error::from)
}

/// Applies the initial state of both; a caster that is its own target may be alone.
fn begin<C: RandomSource>(fight: &mut Fight<C>, with: &Beforehand) -> Result<(), Error> {
    let other = fight.setup().ids().last().unwrap_or_default();
    with.begin(fight, other)
}

/// Records one run with all its arithmetic.
struct Walk<'a> {
    setup: &'a Setup,
    worked: Vec<Worked>,
    steps: Vec<StepLine>,
    effects: Vec<EffectLine>,
    /// The effect to which the last formula belonged.
    effect: String,
    known: Vec<Which>,
    /// The following effects belong to a tick.
    ticks: bool,
}

impl Observer for Walk<'_> {
    fn wants(&self) -> EventMask {
        EventMask::DETAIL
    }

    fn formula(&mut self, _: Time, formula: FormulaId, reading: &Reading) {
        let compiled = self.setup.program().formula(formula);
        if let Some(effect) = effect_of(compiled).filter(|effect| *effect != self.effect) {
            // Values read by the previous effect are not part of this one's amount.
            if self.steps.is_empty() {
                self.worked.clear();
            }
            effect.clone_into(&mut self.effect);
        }
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
                StepResult::Passed => "skipped",
                StepResult::Applied => "applied",
                StepResult::Stopped => "stopped",
            };
            // The first formulas of an effect are its amount and spread, not those of a step.
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
        self.ticks |= matches!(event, Event::Sustained { .. });
        let Some(arrived) = Arrived::of(self.setup, event) else {
            if !matches!(event, Event::Stepped { .. } | Event::Soaked { .. }) {
                // Formulas that are not part of the amount: of a status, or of the condition of an effect.
                self.worked.clear();
                self.steps.clear();
            }
            return;
        };
        self.known.push(arrived.which(&self.effect, &self.known));
        let mut steps = std::mem::take(&mut self.steps);
        let worked = if steps.is_empty() { std::mem::take(&mut self.worked) } else { steps.remove(0).worked };
        self.effects.push(EffectLine {
            effect: arrived.effect.to_owned(),
            damage_type: arrived.damage_type,
            to: program.characters()[self.setup.combatants[arrived.target.index()].character.index()].name.clone(),
            pool: program.pools()[arrived.pool.index()].name.clone(),
            initial: arrived.initial,
            worked,
            steps,
            amount: arrived.amount,
            endings: Vec::new(),
            over_all: Values::default().estimate(),
            each_tick: self.ticks,
            against: arrived.left + arrived.change,
            to_empty: None,
        });
    }
}
