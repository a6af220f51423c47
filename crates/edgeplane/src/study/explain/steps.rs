//! Explains damage types, and the steps of hits and heals.

use super::origins::users;
use super::rule::{RuleExplanation, names, text};
use crate::program::{DamageTypeId, Effect, Program, Role, StepPlan, StepsEffect};

/// The list of steps.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Of {
    Hits,
    Heals,
}

impl Of {
    pub(super) fn steps(self, program: &Program) -> &[StepPlan] {
        match self {
            Self::Hits => program.hit_steps(),
            Self::Heals => program.heal_steps(),
        }
    }

    fn way(self, effect: &Effect) -> Option<&StepsEffect> {
        match (self, effect) {
            (Self::Hits, Effect::Hit(way)) | (Self::Heals, Effect::Heal(way)) => Some(way),
            _ => None,
        }
    }
}

pub(super) fn damage_type(program: &Program, index: usize) -> RuleExplanation {
    let info = &program.damage_types()[index];
    let mut explained = RuleExplanation::of("damage_type", &info.name, &info.about);
    let for_type = |step: &StepPlan| step.types.as_ref().is_none_or(|types| types.contains(&(index as u16)));
    let (passed, others): (Vec<_>, Vec<_>) = program.hit_steps().iter().partition(|step| info.skips.pass(step));
    explained.add("goes through", names(others.iter().filter(|step| for_type(step)).map(|step| &step.name)));
    explained.add("skips", names(passed.iter().map(|step| &step.name)));
    let per_type = program.attributes().iter().filter(|attribute| attribute.per_type);
    explained.add("has its own", names(per_type.map(|attribute| &attribute.name)));
    let deals = |effect: &Effect| Of::Hits.way(effect).is_some_and(|hit| hit.damage_type == DamageTypeId(index as u16));
    explained.add("dealt by", users(program, &deals).join(", "));
    explained
}

pub(super) fn step(program: &Program, of: Of, index: usize) -> RuleExplanation {
    let steps = of.steps(program);
    let plan = &steps[index];
    let (kind, what) = if of == Of::Hits { ("hit_step", "hit") } else { ("heal_step", "heal") };
    let mut step = RuleExplanation::of(kind, &plan.name, &plan.about);
    step.add("is", format!("step {} of {} of a {what}", index + 1, steps.len()));
    step.add("given by", owner(program, plan));
    step.add("when", text(program, plan.when, ""));
    let types = plan.types.iter().flatten().map(|number| &program.damage_types()[usize::from(*number)].name);
    step.add("types", names(types));
    step.add("tags", names(plan.tags.iter().flatten()));
    step.add("amount", text(program, plan.amount, ""));
    let soaks = |pool: crate::program::PoolId| format!("as much as is in {}", program.pools()[pool.index()].name);
    step.add("soaks", plan.soak.map_or_else(String::new, soaks));
    step.add("marks", plan.mark.map_or_else(String::new, |mark| format!("hit.{}", program.marks()[usize::from(mark)])));
    step.add("ends", plan.stop.as_ref().map_or_else(String::new, |stop| format!("the {what}, reported as {stop}")));
    step.add("always", if plan.always { "\"all\" does not skip it" } else { "" });
    if of == Of::Hits {
        let skipping = program.damage_types().iter().filter(|info| info.skips.pass(plan));
        step.add("skipped by", names(skipping.map(|info| &info.name)));
    }
    let goes = |effect: &Effect| {
        of.way(effect).is_some_and(|way| way.steps.iter().any(|step| usize::from(step.id.0) == index))
    };
    step.add("applies to", users(program, &goes).join(", "));
    step
}

/// The status that adds a step, and whether to hits dealt or taken.
fn owner(program: &Program, plan: &StepPlan) -> String {
    let Some((role, status)) = plan.owned else { return String::new() };
    let hits = if role == Role::Caster { "deals" } else { "takes" };
    format!("{}, for what its owner {hits}", program.status(status).name)
}
