//! Abilities and what they bring about.

use super::quick_hits::QuickHit;
use super::ids::{DamageTypeId, FormulaId, PoolId, SiteId, StepId};
use super::names::look_up;
use super::resolve::Compiler;
use super::scope::Scope;
use super::steps::StepPlan;
use crate::rules::{AbilityRule, Formula, Named, OutcomeKind, OutcomeRule, Pick, Receiver, Ruleset, SideRule, Word};
use crate::text::{Code, Diagnostic};

/// An ability of the ruleset.
#[derive(Clone, Debug)]
pub struct AbilityPlan {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// Its tags.
    pub tags: Vec<String>,
    /// What it spends when the cast starts.
    pub cost: Vec<(PoolId, FormulaId)>,
    /// Seconds from the release until it is ready again.
    pub cooldown: Option<FormulaId>,
    /// Seconds of wind-up.
    pub cast: Option<FormulaId>,
    /// Seconds of lock-out after the release.
    pub recovery: Option<FormulaId>,
    /// Locked unless true.
    pub unlock: Option<FormulaId>,
    /// From whose ranks its targets are.
    pub side: SideRule,
    /// Which of them.
    pub pick: PickPlan,
    /// How many at most.
    pub count: u32,
    /// What it brings about, in order.
    pub does: Vec<OutcomePlan>,
}

/// Which of those who can be targeted.
#[derive(Clone, Copy, Debug)]
pub enum PickPlan {
    /// In the order of the encounter.
    First,
    /// Least share of the pool that defeats.
    Weakest(Option<PoolId>),
    /// Greatest share of the pool that defeats.
    Strongest(Option<PoolId>),
    /// Any.
    Random(SiteId),
    /// Least value of a formula.
    Lowest(FormulaId),
}

/// One outcome.
#[derive(Clone, Debug)]
pub enum OutcomePlan {
    /// A hit.
    Hit(StepsEffect),
    /// A heal.
    Heal(StepsEffect),
    /// A pool changed past all steps.
    Pool(PoolEffect),
}

impl OutcomePlan {
    /// Who receives it.
    pub fn to(&self) -> Receiver {
        match self {
            Self::Hit(effect) | Self::Heal(effect) => effect.to,
            Self::Pool(effect) => effect.to,
        }
    }
}

/// A hit or a heal: an amount on its way through steps into a pool.
#[derive(Clone, Debug)]
pub struct StepsEffect {
    /// Who receives it.
    pub to: Receiver,
    /// The amount that enters the first step.
    pub amount: FormulaId,
    /// How far chance spreads it, and where that is drawn.
    pub spread: Option<(FormulaId, SiteId)>,
    /// The damage type; the first for a heal.
    pub damage_type: DamageTypeId,
    /// The steps that it goes through. Types, tags and skips are settled already.
    pub steps: Vec<StepCode>,
    /// The pool at the end of the way.
    pub pool: PoolId,
    /// The way in its quickest form, if it has one.
    pub(crate) quick: Option<QuickHit>,
}

/// What a step does, as the engine needs it: nothing but ids, one after the other.
#[derive(Clone, Copy, Debug)]
pub struct StepCode {
    /// The step.
    pub id: StepId,
    /// Passed by unless true.
    pub when: Option<FormulaId>,
    /// The amount that leaves the step.
    pub amount: Option<FormulaId>,
    /// This pool takes what it can.
    pub soak: Option<PoolId>,
    /// The mark that it sets.
    pub mark: Option<u16>,
    /// The way ends here.
    pub stops: bool,
}

/// A pool changed past all steps.
#[derive(Clone, Copy, Debug)]
pub struct PoolEffect {
    /// Who receives it.
    pub to: Receiver,
    /// Restore or drain.
    pub kind: PoolEffectKind,
    /// The pool.
    pub pool: PoolId,
    /// How much.
    pub amount: FormulaId,
}

/// Which way a pool is changed.
#[derive(Clone, Copy, Debug)]
pub enum PoolEffectKind {
    /// It gains.
    Restore,
    /// It loses; the caster gains a share of that, if one is given.
    Drain(Option<FormulaId>),
}

impl Compiler<'_> {
    pub(crate) fn abilities(&mut self, rules: &Ruleset) {
        for named in &rules.abilities {
            let plan = self.ability(named, rules);
            self.program.abilities.push(plan);
        }
    }

    fn optional(&mut self, formula: &Option<Formula>, scope: Scope) -> Option<FormulaId> {
        formula.as_ref().and_then(|formula| self.number(formula, scope))
    }

    fn ability(&mut self, named: &Named<AbilityRule>, rules: &Ruleset) -> AbilityPlan {
        let rule = &named.rule;
        let cost = rule.cost.iter().filter_map(|(pool, amount)| {
            let pool = look_up(&self.names.pools, &pool.text, pool.span, "pool", self.out);
            let amount = self.number(amount, Scope::PRICE);
            pool.zip(amount)
        });
        AbilityPlan {
            cost: cost.collect(),
            name: named.name.clone(),
            about: rule.about.clone(),
            tags: texts(&rule.tags),
            cooldown: self.optional(&rule.cooldown, Scope::TIMING),
            cast: self.optional(&rule.cast, Scope::TIMING),
            recovery: self.optional(&rule.recovery, Scope::TIMING),
            unlock: rule.unlock.as_ref().and_then(|unlock| self.truth(unlock, Scope::PRICE)),
            side: rule.targets.side,
            pick: self.pick(&rule.targets.pick, &named.name),
            count: rule.targets.count,
            does: rule.does.iter().filter_map(|outcome| self.outcome(outcome, &rule.tags, rules)).collect(),
        }
    }

    fn pick(&mut self, pick: &Pick, ability: &str) -> PickPlan {
        match pick {
            Pick::First => PickPlan::First,
            Pick::Weakest => PickPlan::Weakest(self.program.defeat_pool()),
            Pick::Strongest => PickPlan::Strongest(self.program.defeat_pool()),
            Pick::Random => PickPlan::Random(self.site(&format!("ability.{ability}.targets.pick"))),
            Pick::Lowest(formula) => self.number(formula, Scope::SCORE).map_or(PickPlan::First, PickPlan::Lowest),
        }
    }

    fn outcome(&mut self, rule: &OutcomeRule, ability_tags: &[Word], rules: &Ruleset) -> Option<OutcomePlan> {
        let all_tags = |tags: &[Word]| tags.iter().chain(ability_tags).map(|tag| tag.text.clone()).collect::<Vec<_>>();
        match &rule.kind {
            OutcomeKind::Damage { amount, spread, damage_type, skips, tags, pool } => {
                let (amount, spread) = self.amount(amount, spread, rule);
                let skips = self.step_names(skips, &rules.hit_steps, "hit step");
                let damage_type = self.damage_type(damage_type, rule);
                let pool = self.receiving_pool(pool, rule);
                let of_type = &self.program.damage_types[damage_type?.index()].skips;
                let passes = |name: &String| skips.contains(name) || of_type.contains(name);
                let steps = applicable(&self.program.hit_steps, damage_type?, &all_tags(tags), passes);
                Some(OutcomePlan::Hit(StepsEffect {
                    to: rule.to,
                    amount: amount?,
                    spread,
                    damage_type: damage_type?,
                    quick: self.program.quick_hit(amount?, spread, damage_type?, &steps),
                    steps,
                    pool: pool?,
                }))
            }
            OutcomeKind::Heal { amount, spread, skips, tags, pool } => {
                let (amount, spread) = self.amount(amount, spread, rule);
                let skips = self.step_names(skips, &rules.heal_steps, "heal step");
                let pool = self.receiving_pool(pool, rule);
                let first = DamageTypeId(0);
                let steps = applicable(&self.program.heal_steps, first, &all_tags(tags), |name| {
                    skips.contains(name)
                });
                Some(OutcomePlan::Heal(StepsEffect {
                    to: rule.to,
                    amount: amount?,
                    spread,
                    damage_type: first,
                    quick: None,
                    steps,
                    pool: pool?,
                }))
            }
            OutcomeKind::Restore { pool, amount } => self.pool_effect(rule, pool, amount, PoolEffectKind::Restore),
            OutcomeKind::Drain { pool, amount, to_caster } => {
                let share = self.optional(to_caster, Scope::OUTCOME);
                self.pool_effect(rule, pool, amount, PoolEffectKind::Drain(share))
            }
        }
    }

    fn amount(
        &mut self,
        amount: &Formula,
        spread: &Option<Formula>,
        rule: &OutcomeRule,
    ) -> (Option<FormulaId>, Option<(FormulaId, SiteId)>) {
        let amount = self.number(amount, Scope::OUTCOME);
        let spread =
            self.optional(spread, Scope::OUTCOME).map(|spread| (spread, self.site(&format!("{}.spread", rule.path))));
        (amount, spread)
    }

    fn pool_effect(
        &mut self,
        rule: &OutcomeRule,
        pool: &Word,
        amount: &Formula,
        kind: PoolEffectKind,
    ) -> Option<OutcomePlan> {
        let pool = look_up(&self.names.pools, &pool.text, pool.span, "pool", self.out);
        let amount = self.number(amount, Scope::OUTCOME);
        Some(OutcomePlan::Pool(PoolEffect { to: rule.to, kind, pool: pool?, amount: amount? }))
    }

    fn damage_type(&mut self, word: &Option<Word>, rule: &OutcomeRule) -> Option<DamageTypeId> {
        match word {
            Some(word) => look_up(&self.names.damage_types, &word.text, word.span, "damage type", self.out),
            None if self.names.damage_types.len() == 1 => Some(DamageTypeId(0)),
            None => {
                let names: Vec<&str> = self.names.damage_types.keys().map(String::as_str).collect();
                let help = format!("one of {}", crate::text::diagnostic::listed(&names));
                let message = format!("`{}` needs a key `type`: there is more than one damage type", rule.path);
                self.out.push(Diagnostic::at(Code::MissingKey, rule.span, message).help(help));
                None
            }
        }
    }

    fn receiving_pool(&mut self, word: &Option<Word>, rule: &OutcomeRule) -> Option<PoolId> {
        if let Some(word) = word {
            return look_up(&self.names.pools, &word.text, word.span, "pool", self.out);
        }
        let pool = self.program.defeat_pool();
        if pool.is_none() {
            let message = format!("`{}` does not say which pool it reaches", rule.path);
            let help = "give it `pool = \"…\"`, or mark just one pool with `defeat = true`";
            self.out.push(Diagnostic::at(Code::MissingKey, rule.span, message).help(help));
        }
        pool
    }
}

fn texts(words: &[Word]) -> Vec<String> {
    words.iter().map(|word| word.text.clone()).collect()
}

/// The steps that an outcome goes through, as far as that is known before the fight.
fn applicable(
    steps: &[StepPlan],
    damage_type: DamageTypeId,
    tags: &[String],
    passes: impl Fn(&String) -> bool,
) -> Vec<StepCode> {
    let goes_through = |step: &StepPlan| {
        !passes(&step.name)
            && step.types.as_ref().is_none_or(|types| types.contains(&damage_type.0))
            && step.tags.as_ref().is_none_or(|wanted| wanted.iter().any(|tag| tags.contains(tag)))
    };
    let through = steps.iter().enumerate().filter(|(_, step)| goes_through(step));
    let code = |(index, step): (usize, &StepPlan)| StepCode {
        id: StepId(index as u16),
        when: step.when,
        amount: step.amount,
        soak: step.soak,
        mark: step.mark,
        stops: step.stop.is_some(),
    };
    through.map(code).collect()
}
