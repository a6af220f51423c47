//! Explains an attribute or a pool: what sets, changes and reads it.

use super::origins::users;
use super::rule::{RuleExplanation, names, text};
use crate::program::{
    AttributeInfo, AttributePlan, CharacterPlan, CompiledFormula, Effect, FlowPlan, FormulaId, PoolId, PoolPlan,
    Program, Read, StartPlan,
};
use crate::rules::CapChange;

/// An attribute; for a per-type attribute, all its types.
pub(super) fn attribute(program: &Program, info: &AttributeInfo) -> RuleExplanation {
    let mut attribute = RuleExplanation::of("attribute", &info.name, &info.about);
    attribute.add("is", if info.per_type { "one value for each damage type" } else { "" });
    attribute.add("base", text(program, info.base, ""));
    attribute.add("at least", text(program, info.min, ""));
    attribute.add("at most", text(program, info.max, ""));
    let slots = slots(program, info);
    for (number, slot) in slots.clone().enumerate() {
        let of_type = |plan: &CharacterPlan| plan.attributes.iter().find(|plan| plan.slot.0 == slot).copied();
        let own = |plan: &AttributePlan| Some(plan.base) != info.base;
        let said = program.characters().iter().filter(|plan| !plan.template).filter_map(|character| {
            let plan = of_type(character).filter(own)?;
            Some(format!("{} {}", character.name, program.formula(plan.base).source.text))
        });
        let said = said.collect::<Vec<_>>().join(", ");
        let of = if info.per_type { format!("{}: ", program.damage_types()[number].name) } else { String::new() };
        attribute.add("base of", if said.is_empty() { said } else { format!("{of}{said}") });
    }
    for status in program.statuses() {
        let touches = status.modifiers.iter().filter(|modifier| {
            let last = modifier.slot.0 + modifier.slots;
            modifier.slot.0 < slots.end && slots.start < last
        });
        for modifier in touches {
            let amount = &program.formula(modifier.amount).source.text;
            let one_type = info.per_type && modifier.slots == 1;
            let of = usize::from(modifier.slot.0 - slots.start);
            let of = if one_type { format!(", {}", program.damage_types()[of].name) } else { String::new() };
            attribute.add("changed by", format!("{}: {} {amount}{of}", status.name, modifier.kind.name()));
        }
    }
    if info.name == "speed" {
        attribute.add("read by", "walking speed in metres per second");
    }
    let is_meant =
        |read: Read| matches!(read, Read::Attribute(_, slot) | Read::Typed(_, slot) if slots.contains(&slot.0));
    add_readers(&mut attribute, program, "read by", &reads(&is_meant));
    attribute
}

fn slots(program: &Program, info: &AttributeInfo) -> std::ops::Range<u16> {
    info.slot.0..info.slot.0 + if info.per_type { program.layout.types } else { 1 }
}

pub(super) fn pool(program: &Program, id: PoolId) -> RuleExplanation {
    let plan: &PoolPlan = &program.pools()[id.index()];
    let mut pool = RuleExplanation::of("pool", &plan.name, &plan.about);
    pool.add("cap", text(program, plan.cap, ""));
    pool.add(
        "begins",
        match plan.start {
            StartPlan::Full => "full".to_owned(),
            StartPlan::Empty => "empty".to_owned(),
            StartPlan::Amount(amount) => format!("with {}", text(program, Some(amount), "")),
        },
    );
    let flow = |flow: Option<FlowPlan>| {
        let every = |every: FormulaId| format!(" every {} s", text(program, Some(every), ""));
        let per = |flow: FlowPlan| flow.every.map_or_else(|| " a second".to_owned(), every);
        flow.map_or_else(String::new, |flow| format!("{}{}", text(program, Some(flow.amount), ""), per(flow)))
    };
    pool.add("regains", flow(plan.regen));
    pool.add("decays by", flow(plan.decay));
    pool.add(
        "on cap change",
        match plan.on_cap_change {
            CapChange::Keep => "keeps its amount",
            CapChange::Scale => "keeps its share",
            CapChange::Shift => "shifts by as much",
        },
    );
    pool.add("at zero", if plan.defeat { "its owner is defeated" } else { "" });
    let everybody = program.characters().iter().filter(|plan| !plan.template);
    let without = everybody.clone().any(|plan| !plan.pools[id.index()]);
    let has = everybody.filter(|plan| plan.pools[id.index()]);
    pool.add("owners", if without { names(has.map(|plan| &plan.name)) } else { "everybody".to_owned() });
    let costs = program.abilities().iter().filter(|plan| {
        let sustained = plan.sustain.iter().flat_map(|sustain| &sustain.cost);
        plan.cost.iter().chain(sustained).any(|(pool, _)| *pool == id)
    });
    pool.add("paid for", names(costs.map(|plan| &plan.name)));
    let hits = |effect: &Effect| matches!(effect, Effect::Hit(hit) if hit.pool == id);
    pool.add("hit by", users(program, &hits).join(", "));
    let heals = |effect: &Effect| matches!(effect, Effect::Heal(heal) if heal.pool == id);
    pool.add("healed by", users(program, &heals).join(", "));
    let soaks = program.hit_steps().iter().filter(|step| step.soak == Some(id));
    pool.add("soaks in", names(soaks.map(|step| &step.name)));
    let changes = |effect: &Effect| match effect {
        Effect::Pool(effect) => effect.pool == id,
        Effect::Revive(amounts) => amounts.iter().any(|(pool, _)| *pool == id),
        _ => false,
    };
    pool.add("changed by", users(program, &changes).join(", "));
    let is_meant = |read: Read| matches!(read, Read::Pool(_, pool, _) if pool == id);
    add_readers(&mut pool, program, "read by", &reads(&is_meant));
    pool
}

/// Formulas that read a kind of value.
pub(super) fn reads(is_meant: &dyn Fn(Read) -> bool) -> impl Fn(&CompiledFormula) -> bool {
    move |formula| {
        let mut is_read = false;
        formula.each_read(|read| is_read |= is_meant(read));
        is_read
    }
}

/// The rules with a matching formula, each once: one line for each section.
pub(super) fn add_readers(
    explained: &mut RuleExplanation,
    program: &Program,
    what: &'static str,
    is_meant: &dyn Fn(&CompiledFormula) -> bool,
) {
    let mut found: Vec<(&str, Vec<&str>)> = Vec::new();
    for formula in &program.formulas {
        let mut path = formula.source.path.split('.');
        let (Some(section), Some(name), true) = (path.next(), path.next(), is_meant(formula)) else { continue };
        match found.iter_mut().find(|(of, _)| *of == section) {
            Some((_, names)) if names.contains(&name) => {}
            Some((_, names)) => names.push(name),
            None => found.push((section, vec![name])),
        }
    }
    for (section, names) in found {
        explained.add(what, format!("{section}: {}", names.join(", ")));
    }
}
