//! Explains points and gauntlets.

use super::rule::{RuleExplanation, names, text};
use super::status::modifiers;
use crate::program::{GauntletPlan, MOST_POINTS, Program, StatusPlan};

/// A point; the plan is that of the status that represents it.
pub(super) fn point(program: &Program, plan: &StatusPlan) -> RuleExplanation {
    let mut point = RuleExplanation::of("point", &plan.name, &plan.about);
    for line in modifiers(program, plan) {
        point.add("each gives", format!("{}: {} {}", line.attribute, line.kind.name(), line.formula));
    }
    if f64::from(plan.max_stacks) < MOST_POINTS {
        point.add("at most", plan.max_stacks.to_string());
    }
    point.add("to spend", text(program, program.levels.points, " in all"));
    let spends = |character: &&crate::program::CharacterPlan| {
        !character.template && character.spends.iter().any(|spent| program.status(*spent).name == plan.name)
    };
    point.add("spent by", names(program.characters().iter().filter(spends).map(|character| &character.name)));
    point
}

pub(super) fn gauntlet(program: &Program, plan: &GauntletPlan) -> RuleExplanation {
    let mut gauntlet = RuleExplanation::of("gauntlet", &plan.name, &plan.about);
    gauntlet.add("side", plan.side.clone());
    let encounters = plan.stages.iter().map(|(encounter, _)| &program.encounters()[encounter.index()].name);
    gauntlet.add("encounters", names(encounters));
    gauntlet.add("keeps", names(plan.keeps.iter().map(|pool| &program.pools()[pool.index()].name)));
    for (pool, gained) in &plan.rests {
        let gained = text(program, Some(*gained), "");
        gauntlet.add("rests", format!("{} gains {gained}", program.pools()[pool.index()].name));
    }
    gauntlet.add("keeps uses", if plan.keeps_uses { "limited uses and charges stay used" } else { "" });
    let back =
        if plan.defeated_return { "the defeated return in the next encounter" } else { "the defeated do not return" };
    gauntlet.add("defeated", back);
    gauntlet
}
