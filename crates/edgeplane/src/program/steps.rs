//! Pools, damage types and the steps of hits and heals.

use super::ids::{FormulaId, PoolId, StatusId};
use super::names::{ONLY_TYPE, look_up};
use super::resolve::Compiler;
use super::scope::Scope;
use super::tree::{Read, Role};
use crate::rules::{CapChange, DamageTypeRule, FlowRule, Named, PoolRule, Ruleset, Skips, StartRule, StepRule, Word};
use crate::text::{Code, Diagnostic};

/// A pool of the ruleset.
#[derive(Clone, Debug)]
pub struct PoolPlan {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// The cap; `None` only while a broken ruleset is checked.
    pub cap: Option<FormulaId>,
    /// The amount at the start of a fight.
    pub start: StartPlan,
    /// The gains over time.
    pub regen: Option<FlowPlan>,
    /// The losses over time.
    pub decay: Option<FlowPlan>,
    /// The effect of a change of the cap on the amount.
    pub on_cap_change: CapChange,
    /// Whether a combatant is defeated when it becomes empty.
    pub defeat: bool,
    /// The attributes on which its cap and its flow depend; see [`super::dirty`].
    pub(crate) reads: u64,
}

impl PoolPlan {
    /// Whether its amount changes over time.
    pub fn flows(&self) -> bool {
        self.regen.is_some() || self.decay.is_some()
    }
}

/// The initial amount of a pool.
#[derive(Clone, Copy, Debug)]
pub enum StartPlan {
    /// The cap.
    Full,
    /// Empty.
    Empty,
    /// This amount, limited by the cap.
    Amount(FormulaId),
}

/// A regeneration or a decay.
#[derive(Clone, Copy, Debug)]
#[non_exhaustive]
pub struct FlowPlan {
    /// Per second, or per portion.
    pub amount: FormulaId,
    /// Seconds between portions; `None` for a continuous flow.
    pub every: Option<FormulaId>,
}

/// The steps that a hit or a heal skips.
#[derive(Clone, Debug, Default)]
pub(crate) struct SkipsPlan {
    all: bool,
    names: Vec<String>,
}

impl SkipsPlan {
    pub(crate) fn pass(&self, step: &StepPlan) -> bool {
        (self.all && !step.always) || self.names.contains(&step.name)
    }
}

/// A damage type of the ruleset.
#[derive(Clone, Debug)]
pub struct DamageTypeInfo {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// Hit steps that this type skips.
    pub(crate) skips: SkipsPlan,
}

/// A step of hits or heals.
#[derive(Clone, Debug)]
pub struct StepPlan {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// A condition; the step is skipped if it is false.
    pub when: Option<FormulaId>,
    /// The new amount.
    pub amount: Option<FormulaId>,
    /// The hit ends here and is reported with this word.
    pub stop: Option<String>,
    /// This pool of the target soaks as much as it holds.
    pub soak: Option<PoolId>,
    /// The mark that it sets, by number.
    pub mark: Option<u16>,
    /// `skips = "all"` does not skip it.
    pub always: bool,
    /// Only for these damage types, by number.
    pub(crate) types: Option<Vec<u16>>,
    /// Only for these tags.
    pub(crate) tags: Option<Vec<String>>,
    /// Skipped without a report unless this combatant has this status.
    pub(crate) owned: Option<(Role, StatusId)>,
    /// The step after which its status has inserted it.
    pub(crate) after: Option<String>,
}

impl Compiler<'_> {
    pub(crate) fn pools(&mut self, rules: &Ruleset) {
        for Named { name, rule, .. } in &rules.pools {
            let plan = self.pool(name, rule);
            self.program.pools.push(plan);
        }
    }

    fn pool(&mut self, name: &str, rule: &PoolRule) -> PoolPlan {
        let start = match &rule.start {
            StartRule::Full => StartPlan::Full,
            StartRule::Empty => StartPlan::Empty,
            StartRule::Amount(formula) => {
                self.number(formula, Scope::ATTRIBUTE).map_or(StartPlan::Full, StartPlan::Amount)
            }
        };
        let mut plan = PoolPlan {
            name: name.to_owned(),
            about: rule.about.clone(),
            cap: rule.max.as_ref().and_then(|max| self.number(max, Scope::ATTRIBUTE)),
            start,
            regen: rule.regen.as_ref().and_then(|flow| self.flow(flow)),
            decay: rule.decay.as_ref().and_then(|flow| self.flow(flow)),
            on_cap_change: rule.on_cap_change,
            defeat: rule.defeat,
            reads: 0,
        };
        let flows = [plan.regen, plan.decay].into_iter().flatten();
        let formulas = plan.cap.into_iter().chain(flows.flat_map(|flow| [Some(flow.amount), flow.every]).flatten());
        plan.reads = formulas.fold(0, |bits, formula| bits | self.program.dirty_reads(formula));
        plan
    }

    fn flow(&mut self, rule: &FlowRule) -> Option<FlowPlan> {
        let every = match &rule.every {
            Some(every) => Some(self.number(every, Scope::ATTRIBUTE)?),
            None => None,
        };
        Some(FlowPlan { amount: self.number(&rule.amount, Scope::ATTRIBUTE)?, every })
    }

    pub(crate) fn damage_types(&mut self, rules: &Ruleset) {
        for Named { name, rule: DamageTypeRule { skips, about }, .. } in &rules.damage_types {
            let steps: Vec<_> = rules.all_hit_steps().collect();
            let skips = self.skips(skips, &steps, "hit step");
            self.program.damage_types.push(DamageTypeInfo { name: name.clone(), about: about.clone(), skips });
        }
        if rules.damage_types.is_empty() {
            let info = DamageTypeInfo { name: ONLY_TYPE.to_owned(), about: String::new(), skips: SkipsPlan::default() };
            self.program.damage_types.push(info);
        }
    }

    /// Resolves skips; unknown steps are reported, and steps that cannot be skipped.
    pub(crate) fn skips(&mut self, skips: &Skips, steps: &[&Named<StepRule>], what: &str) -> SkipsPlan {
        let words = match skips {
            Skips::All => return SkipsPlan { all: true, names: Vec::new() },
            Skips::Named(words) => words,
        };
        for word in words {
            if let Some(step) = steps.iter().find(|step| step.name == word.text && step.rule.always) {
                let message = format!("`{}` has `always = true` and cannot be skipped", word.text);
                self.out.push(Diagnostic::at(Code::KeyConflict, word.span, message).label(step.span, "said here"));
            }
            if !steps.iter().any(|step| step.name == word.text) {
                let message = format!("no {what} is called `{}`", word.text);
                let diagnostic = Diagnostic::at(Code::UnknownName, word.span, message);
                self.out.push(diagnostic.nearest(&word.text, steps.iter().map(|step| step.name.as_str())));
            }
        }
        SkipsPlan { all: false, names: words.iter().map(|word| word.text.clone()).collect() }
    }

    pub(crate) fn steps(&mut self, rules: &Ruleset) {
        self.program.marks = self.names.marks.clone();
        self.program.hit_steps = rules.hit_steps.iter().map(|step| self.step(step, Scope::HIT_STEP)).collect();
        // Ordered by name, never by files or tables, whose order must not change a hit.
        let mut by_name: Vec<usize> = (0..rules.statuses.len()).collect();
        by_name.sort_by(|a, b| rules.statuses[*a].name.cmp(&rules.statuses[*b].name));
        let steps = |index: usize| rules.statuses[index].rule.hit_steps.iter().map(move |step| (index, step));
        let mut waiting: Vec<(usize, &Named<StepRule>)> = by_name.into_iter().flat_map(steps).collect();
        // A step may refer to one of another status, which may come later by name.
        while !waiting.is_empty() {
            let there = |(_, step): &(usize, &Named<StepRule>)| {
                let anchor = step.rule.owned.as_ref().and_then(|owned| owned.before.as_ref().or(owned.after.as_ref()));
                anchor.is_none_or(|word| self.program.hit_steps.iter().any(|other| other.name == word.text))
            };
            let (ready, later): (Vec<_>, Vec<_>) = waiting.iter().copied().partition(there);
            let next = if ready.is_empty() { &later } else { &ready };
            for (index, step) in next {
                self.owned_step(step, StatusId(*index as u16));
            }
            waiting = if ready.is_empty() { Vec::new() } else { later };
        }
        self.program.heal_steps = rules.heal_steps.iter().map(|step| self.step(step, Scope::HEAL_STEP)).collect();
    }

    /// Inserts a step of a status at the position that it names, otherwise last.
    fn owned_step(&mut self, step: &Named<StepRule>, status: StatusId) {
        let Some(owned) = &step.rule.owned else { return };
        let role = if owned.taken { Role::Target } else { Role::Caster };
        let scope = Scope { owner: true, owner_is_target: owned.taken, ..Scope::HIT_STEP };
        if self.program.hit_steps.iter().any(|other| other.name == step.name) {
            let message = format!("another hit step is called `{}`", step.name);
            self.out.push(Diagnostic::at(Code::DuplicateName, step.span, message));
            return;
        }
        self.given = vec![("stacks", Read::Standing(role, self.stack_slot(status)))];
        let mut plan = self.step(step, scope);
        self.given.clear();
        plan.owned = Some((role, status));
        let named = owned.before.as_ref().or(owned.after.as_ref());
        let place = named.map(|word| (word, self.program.hit_steps.iter().position(|other| other.name == word.text)));
        match place {
            None => self.program.hit_steps.push(plan),
            Some((_, Some(place))) if owned.before.is_some() => self.program.hit_steps.insert(place, plan),
            Some((word, Some(place))) => {
                // After the steps already inserted there.
                let beside = |other: &StepPlan| other.after.as_ref() == Some(&word.text);
                let there = self.program.hit_steps[place + 1..].iter().take_while(|other| beside(other)).count();
                plan.after = Some(word.text.clone());
                self.program.hit_steps.insert(place + 1 + there, plan);
            }
            Some((word, None)) => {
                let known: Vec<&str> = self.program.hit_steps.iter().map(|step| step.name.as_str()).collect();
                let message = format!("no hit step is called `{}`", word.text);
                let diagnostic = Diagnostic::at(Code::UnknownName, word.span, message);
                self.out.push(diagnostic.nearest(&word.text, known));
            }
        }
    }

    fn step(&mut self, step: &Named<StepRule>, scope: Scope) -> StepPlan {
        let Named { name, rule, .. } = step;
        if let Some(types) = rule.types.as_ref().filter(|_| !scope.typed) {
            let span = types.first().map_or(step.span, |word| word.span);
            self.out.push(Diagnostic::at(Code::NotHere, span, "a heal has no damage type"));
        }
        let types = rule.types.as_ref().map(|words| {
            let look = |word: &Word| {
                look_up(&self.names.damage_types, &word.text, word.span, "damage type", self.out).map(|id| id.0)
            };
            words.iter().filter_map(look).collect()
        });
        StepPlan {
            name: name.clone(),
            about: rule.about.clone(),
            when: rule.when.as_ref().and_then(|when| self.truth(when, scope)),
            amount: rule.amount.as_ref().and_then(|amount| self.number(amount, scope)),
            stop: rule.stop.as_ref().map(|stop| stop.text.clone()),
            soak: rule
                .soak
                .as_ref()
                .and_then(|pool| look_up(&self.names.pools, &pool.text, pool.span, "pool", self.out)),
            mark: rule
                .mark
                .as_ref()
                .and_then(|mark| self.names.marks.iter().position(|known| *known == mark.text))
                .map(|i| i as u16),
            always: rule.always,
            types,
            tags: rule.tags.as_ref().map(|tags| tags.iter().map(|tag| tag.text.clone()).collect()),
            owned: None,
            after: None,
        }
    }
}
