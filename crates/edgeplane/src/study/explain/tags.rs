//! Explains tags: the rules that carry a tag, and those that refer to it.

use super::origins::users;
use super::quantity::{add_readers, reads};
use super::rule::{RuleExplanation, names};
use crate::program::{Effect, Program, Read, StepPlan, plain};

/// All tags, each once: of abilities, statuses and zones, and those named by steps.
pub(super) fn all(program: &Program) -> Vec<&String> {
    let steps = program.hit_steps().iter().chain(program.heal_steps());
    let abilities = program.abilities().iter().flat_map(|plan| &plan.tags);
    let statuses = program.statuses().iter().flat_map(|plan| &plan.tags);
    let zones = program.zones().iter().flat_map(|plan| &plan.tags);
    let mut tags: Vec<&String> = Vec::new();
    for tag in abilities.chain(statuses).chain(zones).chain(steps.flat_map(|step| step.tags.iter().flatten())) {
        if !tags.contains(&tag) {
            tags.push(tag);
        }
    }
    tags
}

pub(super) fn tag(program: &Program, index: usize) -> RuleExplanation {
    let name = all(program)[index];
    let mut tag = RuleExplanation::of("tag", name, "");
    let mut carried = |what: &str, by: String| tag.add("carried by", section(what, by));
    carried("ability", names(program.abilities().iter().filter(|plan| plan.tags.contains(name)).map(|one| &one.name)));
    carried("status", names(program.statuses().iter().filter(|plan| plan.tags.contains(name)).map(|one| &one.name)));
    carried("zone", names(program.zones().iter().filter(|plan| plan.tags.contains(name)).map(|one| &one.name)));
    if let Some(bit) = program.forbidden.iter().position(|forbidden| forbidden == name) {
        let forbids = program.statuses().iter().filter(|plan| plan.forbids_tags >> bit & 1 == 1);
        tag.add("forbidden by", names(forbids.map(|plan| &plan.name)));
    }
    let asks = |step: &&StepPlan| step.tags.as_ref().is_some_and(|tags| tags.contains(name));
    tag.add("hit steps", names(program.hit_steps().iter().filter(asks).map(|step| &step.name)));
    tag.add("heal steps", names(program.heal_steps().iter().filter(asks).map(|step| &step.name)));
    let Some(number) = program.tags.iter().position(|of_status| of_status == name) else { return tag };
    of_statuses(&mut tag, program, number as u16);
    tag
}

/// Properties that only tags of statuses have.
fn of_statuses(tag: &mut RuleExplanation, program: &Program, number: u16) {
    let ends = |effect: &Effect| match effect {
        Effect::Cleanse(filter) | Effect::Transfer(filter) => filter.tags.contains(&number),
        _ => false,
    };
    tag.add("named by", users(program, &ends).join(", "));
    let immune = program.statuses().iter().filter(|plan| plan.immune.contains(&number)).map(|plan| &plan.name);
    tag.add("kept off by", section("status", names(immune)));
    let immune = program.characters().iter().filter(|plan| !plan.template && plan.immune.contains(&number));
    tag.add("kept off by", section("character", names(immune.map(|plan| &plan.name))));
    for diminish in program.diminish.iter().filter(|diminish| diminish.tag == number) {
        let shares: Vec<String> = diminish.steps.iter().map(|step| format!("{} %", plain(step * 100.0))).collect();
        let window = plain(diminish.window.seconds());
        tag.add("diminishes", format!("durations in sequence: {}; restarts after {window} s", shares.join(", ")));
    }
    if let Some(slot) = program.tag_slots[usize::from(number)] {
        let counts = |read: Read| matches!(read, Read::Attribute(_, at) | Read::Standing(_, at) if at == slot);
        add_readers(tag, program, "read by", &reads(&counts));
    }
}

fn section(what: &str, by: String) -> String {
    if by.is_empty() { by } else { format!("{what}: {by}") }
}
