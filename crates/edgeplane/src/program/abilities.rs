//! Abilities and their effects.

use super::effects::{EffectPlan, Place};
use super::hoist::Readers;
use super::ids::{AbilityId, FormulaId, PoolId, SiteId, StatusId};
use super::layout::LEAST_REACH;
use super::names::look_up;
use super::resolve::Compiler;
use super::scope::Scope;
use crate::numbers::Extremes;
use crate::rules::{AbilityRule, AreaRule, Formula, Named, Pick, Ruleset, SideRule, UseMoment, Word};

/// An ability of the ruleset.
#[derive(Clone, Debug)]
pub struct AbilityPlan {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// Its slot among the abilities of a combatant.
    pub slot: Option<String>,
    /// The caster keeps walking during cast and recovery.
    pub mobile: bool,
    /// Its tags.
    pub tags: Vec<String>,
    /// The cost paid when the cast starts.
    pub cost: Vec<(PoolId, FormulaId)>,
    /// Seconds from the release until it is ready again.
    pub cooldown: Option<FormulaId>,
    /// Cast time in seconds.
    pub cast: Option<FormulaId>,
    /// Recovery in seconds after the release.
    pub recovery: Option<FormulaId>,
    /// The share of its cost that an interrupted cast refunds.
    pub refund: Option<FormulaId>,
    /// Statuses that the caster has from the start of the cast to the end of the recovery.
    pub during: Vec<StatusId>,
    /// Locked unless true.
    pub unlock: Option<FormulaId>,
    /// Charges: the maximum, and the seconds until one is regained.
    pub charges: Option<(u32, FormulaId)>,
    /// The maximum number of uses in one fight.
    pub uses: Option<u32>,
    /// The number of its shared cooldown, and the seconds for which it puts the others on cooldown; their own cooldowns
    /// if not given.
    pub shared_cooldown: Option<(u16, Option<FormulaId>)>,
    /// When its cost is paid.
    pub cost_at: UseMoment,
    /// When its cooldown starts; a charge and a use are spent then, too.
    pub cooldown_from: UseMoment,
    /// The number of releases and the seconds between them.
    pub releases: Option<(u32, FormulaId)>,
    /// It is sustained after its release.
    pub sustain: Option<SustainPlan>,
    /// The ability after which it is available, and for how many seconds.
    pub after: Option<(AbilityId, Option<FormulaId>)>,
    /// Other abilities are available after it.
    pub(crate) opens: bool,
    /// The maximum distance to the picked target in metres.
    pub reach: Option<FormulaId>,
    /// The travel speed in metres per second.
    pub travel: Option<FormulaId>,
    /// Additional targets by position.
    pub area: Area,
    /// The side of its targets.
    pub side: SideRule,
    /// It targets defeated combatants instead of standing ones.
    pub defeated: bool,
    /// How its targets are picked.
    pub pick: PickPlan,
    /// The maximum number of targets.
    pub count: u32,
    /// Its effects, in order.
    pub does: Vec<EffectPlan>,
    /// Its tags that some status forbids, one bit each.
    pub(crate) forbidden_by: u64,
    /// The attributes on which its times and its cost depend; see [`super::dirty`].
    pub(crate) reads: u64,
    /// The characters whose formulas it can contain.
    pub(crate) users: Readers,
    /// The maximum distance to the picked target in metres by reach and area, if these are plain numbers; infinite if
    /// it has neither.
    pub(crate) fixed_reach: Option<f64>,
}

/// How an ability is sustained.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct SustainPlan {
    /// Seconds between ticks.
    pub every: FormulaId,
    /// The cost of each tick.
    pub cost: Vec<(PoolId, FormulaId)>,
    /// The maximum time in seconds.
    pub longest: Option<FormulaId>,
    /// It ends at the first tick at which this is false.
    pub holds_while: Option<FormulaId>,
    /// The effects of each tick.
    pub does: Vec<EffectPlan>,
}

/// Additional targets around the picked one; see [`AreaRule`].
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Area {
    /// Nobody.
    #[default]
    None,
    /// Everyone around the picked target, or around the caster.
    Circle { radius: FormulaId, around_caster: bool },
    /// Everyone in a sector from the caster.
    Cone { degrees: FormulaId, length: FormulaId },
    /// Everyone in a strip from the caster.
    Line { width: FormulaId, length: FormulaId },
    /// One after the other, each near the previous one.
    Chain { within: FormulaId },
}

impl Area {
    /// The length of a cone or a line.
    pub(crate) fn length(self) -> Option<FormulaId> {
        match self {
            Self::Cone { length, .. } | Self::Line { length, .. } => Some(length),
            Self::None | Self::Circle { .. } | Self::Chain { .. } => None,
        }
    }

    /// The maximum distance from the caster to any target in it, if that is limited.
    pub(crate) fn needs_within(self) -> Option<FormulaId> {
        match self {
            Self::Circle { radius, around_caster: true } => Some(radius),
            other => other.length(),
        }
    }
}

impl PickPlan {
    /// Whether it is picked by chance.
    pub(crate) fn is_drawn(self) -> bool {
        matches!(self, Self::Random(_))
    }
}

/// The order in which targets are picked.
#[derive(Clone, Copy, Debug)]
pub enum PickPlan {
    /// In the order of the encounter.
    First,
    /// The smallest distance first.
    Nearest,
    /// The greatest distance first.
    Farthest,
    /// The smallest share of the pool that defeats first.
    Weakest(Option<PoolId>),
    /// The greatest share of the pool that defeats first.
    Strongest(Option<PoolId>),
    /// By chance.
    Random(SiteId),
    /// The smallest value of a formula first.
    Lowest(FormulaId),
    /// The highest score of the caster's policy first.
    Policy,
}

impl AbilityPlan {
    /// Whether it depends on positions.
    pub(crate) fn is_about_places(&self) -> bool {
        self.reach.is_some() || self.area != Area::None || matches!(self.pick, PickPlan::Nearest | PickPlan::Farthest)
    }

    /// Whether the picked target has to be within a distance.
    pub(crate) fn has_reach(&self) -> bool {
        self.reach.is_some() || self.area.length().is_some()
    }

    /// Whether it has conditions other than cooldown, cost and targets.
    pub(crate) fn is_special(&self) -> bool {
        self.charges.is_some()
            || self.uses.is_some()
            || self.shared_cooldown.is_some()
            || self.releases.is_some()
            || self.sustain.is_some()
            || self.after.is_some()
            || self.opens
            || !self.during.is_empty()
            || self.cost_at != UseMoment::Start
            || self.cooldown_from != UseMoment::Release
    }
}

impl Compiler<'_> {
    pub(crate) fn abilities(&mut self, rules: &Ruleset) {
        for (named, users) in rules.abilities.iter().zip(self.who_has_abilities(rules)) {
            self.readers = users;
            let plan = self.ability(named, rules);
            let users = std::mem::take(&mut self.readers);
            self.program.abilities.push(AbilityPlan { users, ..plan });
        }
    }

    /// Tags that some status forbids, as bits.
    fn forbidden_bits(&self, tags: &[Word]) -> u64 {
        let bit = |tag: &Word| self.names.forbidden.iter().position(|known| *known == tag.text);
        tags.iter().filter_map(bit).filter(|bit| *bit < 64).fold(0, |bits, bit| bits | 1 << bit)
    }

    pub(crate) fn optional(&mut self, formula: &Option<Formula>, scope: Scope) -> Option<FormulaId> {
        formula.as_ref().and_then(|formula| self.number(formula, scope))
    }

    fn ability(&mut self, named: &Named<AbilityRule>, rules: &Ruleset) -> AbilityPlan {
        let rule = &named.rule;
        let mut plan = AbilityPlan {
            cost: self.costs(&rule.cost),
            name: named.name.clone(),
            about: rule.about.clone(),
            tags: texts(&rule.tags),
            cooldown: self.optional(&rule.cooldown, Scope::TIMING),
            cast: self.optional(&rule.cast, Scope::TIMING),
            recovery: self.optional(&rule.recovery, Scope::TIMING),
            unlock: rule.unlock.as_ref().and_then(|unlock| self.truth(unlock, Scope::PRICE)),
            charges: rule.charges.as_ref().and_then(|rule| Some((rule.max, self.number(&rule.regain, Scope::TIMING)?))),
            uses: rule.uses,
            shared_cooldown: self.shared_cooldown(rule, rules),
            cost_at: rule.cost_at,
            cooldown_from: rule.cooldown_from,
            releases: rule
                .releases
                .as_ref()
                .and_then(|rule| Some((rule.count, self.number(&rule.every, Scope::TIMING)?))),
            sustain: self.sustain(rule, rules),
            after: self.after(rule),
            opens: rules
                .abilities
                .iter()
                .any(|other| other.rule.after.as_ref().is_some_and(|after| after.ability.text == named.name)),
            reach: self.optional(&rule.reach, Scope::REACH),
            travel: self.optional(&rule.travel, Scope::REACH),
            area: self.area(&rule.targets.area),
            side: rule.targets.side,
            pick: self.pick(&rule.targets.pick, &named.name),
            count: rule.targets.count,
            does: self.effects(&rule.does, &rule.tags, &Place::ABILITY, rules),
            mobile: rule.mobile,
            defeated: rule.targets.defeated,
            slot: rule.slot.as_ref().map(|slot| slot.text.clone()),
            refund: self.optional(&rule.refund, Scope::TIMING),
            during: rule.during.iter().filter_map(|word| self.status_named(word)).collect(),
            forbidden_by: self.forbidden_bits(&rule.tags),
            reads: 0,
            users: Readers::All,
            fixed_reach: None,
        };
        let metres = |formula: Option<FormulaId>| match formula {
            Some(formula) => self.program.formula(formula).as_number().filter(|metres| *metres >= 0.0),
            None => Some(f64::INFINITY),
        };
        let by_area = metres(plan.area.length());
        plan.fixed_reach =
            metres(plan.reach).zip(by_area).map(|(reach, length)| reach.smaller(length).larger(LEAST_REACH));
        let times = [plan.cast, plan.recovery, plan.cooldown].into_iter().flatten();
        let formulas = times.chain(plan.cost.iter().map(|(_, cost)| *cost));
        plan.reads = formulas.fold(0, |bits, formula| bits | self.program.dirty_reads(formula));
        plan
    }

    fn shared_cooldown(&mut self, rule: &AbilityRule, rules: &Ruleset) -> Option<(u16, Option<FormulaId>)> {
        let shared = rule.shared_cooldown.as_ref()?;
        let mut names = rules.abilities.iter().filter_map(|other| other.rule.shared_cooldown.as_ref());
        let number = names.position(|other| other.name.text == shared.name.text)?;
        Some((number as u16, self.optional(&shared.time, Scope::TIMING)))
    }

    fn costs(&mut self, costs: &[(Word, Formula)]) -> Vec<(PoolId, FormulaId)> {
        let cost = |(pool, amount): &(Word, Formula)| {
            let pool = look_up(&self.names.pools, &pool.text, pool.span, "pool", self.out);
            let amount = self.number(amount, Scope::PRICE);
            pool.zip(amount)
        };
        costs.iter().filter_map(cost).collect()
    }

    fn sustain(&mut self, rule: &AbilityRule, rules: &Ruleset) -> Option<SustainPlan> {
        let sustain = rule.sustain.as_ref()?;
        let every = self.number(&sustain.every, Scope::TIMING);
        Some(SustainPlan {
            cost: self.costs(&sustain.cost),
            longest: self.optional(&sustain.longest, Scope::TIMING),
            holds_while: sustain.holds_while.as_ref().and_then(|holds| self.truth(holds, Scope::POLICY)),
            does: self.effects(&sustain.does, &rule.tags, &Place::ABILITY, rules),
            every: every?,
        })
    }

    fn after(&mut self, rule: &AbilityRule) -> Option<(AbilityId, Option<FormulaId>)> {
        let after = rule.after.as_ref()?;
        let opener = look_up(&self.names.abilities, &after.ability.text, after.ability.span, "ability", self.out)?;
        Some((opener, self.optional(&after.within, Scope::WINDOW)))
    }

    fn area(&mut self, area: &AreaRule) -> Area {
        let mut size = |formula: &Formula| self.number(formula, Scope::REACH);
        let compiled = match area {
            AreaRule::None => None,
            AreaRule::Circle { radius, around_caster } => {
                size(radius).map(|radius| Area::Circle { radius, around_caster: *around_caster })
            }
            AreaRule::Cone { degrees, length } => {
                size(degrees).zip(size(length)).map(|(degrees, length)| Area::Cone { degrees, length })
            }
            AreaRule::Line { width, length } => {
                size(width).zip(size(length)).map(|(width, length)| Area::Line { width, length })
            }
            AreaRule::Chain { within } => size(within).map(|within| Area::Chain { within }),
        };
        compiled.unwrap_or_default()
    }

    fn pick(&mut self, pick: &Pick, ability: &str) -> PickPlan {
        match pick {
            Pick::First => PickPlan::First,
            Pick::Policy => PickPlan::Policy,
            Pick::Nearest => PickPlan::Nearest,
            Pick::Farthest => PickPlan::Farthest,
            Pick::Weakest => PickPlan::Weakest(self.program.defeat_pool()),
            Pick::Strongest => PickPlan::Strongest(self.program.defeat_pool()),
            Pick::Random => PickPlan::Random(self.site(&format!("ability.{ability}.targets.pick"))),
            Pick::Lowest(formula) => self.number(formula, Scope::SCORE).map_or(PickPlan::First, PickPlan::Lowest),
        }
    }
}

pub(super) fn texts(words: &[Word]) -> Vec<String> {
    words.iter().map(|word| word.text.clone()).collect()
}
