//! Finds the sources of an effect or a status: every rule that contains it.

use crate::program::{AbilityPlan, Effect, EffectPlan, Program, StatusId, WornStatus};

/// The names of all rules with an effect: abilities, statuses, zones, causes.
pub(super) fn users(program: &Program, is_meant: &dyn Fn(&Effect) -> bool) -> Vec<String> {
    let has = |effects: &[EffectPlan]| effects.iter().any(|effect| is_meant(&effect.effect));
    let of_ability = |plan: &&AbilityPlan| has(&plan.does) || plan.sustain.iter().any(|sustain| has(&sustain.does));
    let abilities = program.abilities().iter().filter(of_ability).map(|plan| &plan.name);
    let statuses = program.statuses().iter().filter(|plan| {
        let ticks = plan.every.iter().any(|every| has(&every.does));
        ticks || has(&plan.at_max) || plan.triggers.iter().any(|trigger| has(&trigger.does))
    });
    let zones = program.zones.iter().filter(|plan| has(&plan.enters) || has(&plan.leaves)).map(|plan| &plan.name);
    let causes = program.causes.iter().filter(|plan| has(&plan.does)).map(|plan| &plan.name);
    abilities.chain(statuses.map(|plan| &plan.name)).chain(zones).chain(causes).cloned().collect()
}

/// All sources of a status.
pub(super) fn origins(program: &Program, status: StatusId) -> Vec<String> {
    let is_meant = |effect: &Effect| matches!(effect, Effect::Apply(id, ..) | Effect::Toggle(id) if *id == status);
    let mut all = users(program, &is_meant);
    let during = program.abilities().iter().filter(|plan| plan.during.contains(&status));
    all.extend(during.map(|plan| format!("during {}", plan.name)));
    let inside = program.zones.iter().filter(|plan| plan.statuses.contains(&status));
    all.extend(inside.map(|plan| format!("inside {}", plan.name)));
    let gives = |worn: &[WornStatus]| worn.iter().any(|worn| worn.status == status);
    // The effect of a piece of gear itself is a status with the name of the piece.
    let name = &program.status(status).name;
    let pieces = program.gear.iter().filter(|piece| gives(&piece.statuses) && piece.name != *name);
    all.extend(pieces.map(|piece| format!("wearing {}", piece.name)));
    for (set, steps) in program.gear_set_names.iter().zip(&program.gear_sets) {
        let least = steps.iter().filter(|(_, given)| gives(given)).map(|(pieces, _)| pieces).min();
        all.extend(least.map(|pieces| format!("{pieces} pieces of {set}")));
    }
    let own = program.characters().iter().filter(|plan| !plan.template);
    let from_the_start = own.filter(|plan| plan.statuses.contains(&status) || gives(&plan.worn));
    all.extend(from_the_start.map(|plan| format!("{} from the start", plan.name)));
    let begun = program.encounters().iter().filter(|plan| plan.begins.iter().any(|one| one.statuses.contains(&status)));
    all.extend(begun.map(|plan| format!("the start of {}", plan.name)));
    all
}
