//! Warnings about abilities that are never used, and about amounts mistaken for shares.

use super::Program;
use super::characters::CharacterPlan;
use super::ids::{AbilityId, FormulaId, PoolId};
use super::layout::{Layout, pool_slot};
use super::ops::BinaryOp;
use super::resolve::CompiledFormula;
use super::tree::{PoolPart, Read, Tree, TreeKind};
use crate::numbers::plain;
use crate::rules::{AbilityRule, CharacterRule, Named, Ruleset};
use crate::text::{Code, Diagnostic, Diagnostics, Span};

/// Reports costs that nobody can pay, abilities that no policy chooses, and pools compared with a share.
pub(super) fn never_used(rules: &Ruleset, program: &Program, out: &mut Diagnostics) {
    rules.abilities.iter().for_each(|named| never_affordable(program, named, out));
    rules.characters.iter().for_each(|named| never_chosen(rules, program, named, out));
    program.formulas.iter().for_each(|formula| amounts_as_shares(program, formula, out));
    unused(rules, program, out);
}

/// Rules to which nothing in the ruleset refers.
fn unused(rules: &Ruleset, program: &Program, out: &mut Diagnostics) {
    let mut say = |what: &str, name: &str, span: Span| {
        out.push(Diagnostic::warning(Code::Unused, span, format!("nothing uses the {what} `{name}`")));
    };
    let bodies = rules.functions.iter().filter_map(|named| named.rule.is.as_ref());
    let texts: Vec<&str> = program.formulas.iter().map(|one| one.source.text.as_str()).collect();
    let texts: Vec<&str> = texts.into_iter().chain(bodies.map(|body| body.text.as_str())).collect();
    let called = |name: &str| texts.iter().any(|text| calls(text, name));
    for named in rules.curves.iter().filter(|named| !called(&named.name)) {
        say("curve", &named.name, named.span);
    }
    for named in rules.functions.iter().filter(|named| !called(&named.name)) {
        say("formula", &named.name, named.span);
    }
    let chosen =
        |name: &str| rules.characters.iter().any(|one| one.rule.policy.as_ref().is_some_and(|word| word.text == name));
    for named in rules.policies.iter().filter(|named| !chosen(&named.name)) {
        say("policy", &named.name, named.span);
    }
    for named in rules.abilities.iter().filter(|named| !is_had(rules, &named.name)) {
        say("ability", &named.name, named.span);
    }
}

/// Whether a formula calls a function of this name.
fn calls(text: &str, name: &str) -> bool {
    let is_word = |c: char| c.is_alphanumeric() || c == '_' || c == '.';
    text.match_indices(name)
        .any(|(at, _)| !text[..at].ends_with(is_word) && text[at + name.len()..].trim_start().starts_with('('))
}

/// Whether any combatant can have an ability, or a script uses it.
pub(super) fn is_had(rules: &Ruleset, ability: &str) -> bool {
    let abilities = rules.characters.iter().flat_map(|one| one.rule.abilities.iter().flatten());
    let learned = rules.characters.iter().flat_map(|one| one.rule.can_learn.iter().flatten());
    let brought = rules.statuses.iter().flat_map(|one| &one.rule.abilities);
    abilities.chain(learned).chain(brought).any(|word| word.text == ability) || is_scripted(rules, ability)
}

fn is_scripted(rules: &Ruleset, ability: &str) -> bool {
    let mut moments = rules.encounters.iter().flat_map(|encounter| &encounter.rule.script);
    moments.any(|moment| moment.ability.text == ability)
}

/// A cost above the cap of every owner of the ability.
fn never_affordable(program: &Program, Named { name, rule, .. }: &Named<AbilityRule>, out: &mut Diagnostics) {
    let Some(ability) = program.find_ability(name) else { return };
    let owners: Vec<&CharacterPlan> = acting(program).filter(|plan| plan.abilities.contains(&ability)).collect();
    for (word, cost) in &rule.cost {
        let (Some(pool), Some(amount)) = (program.find_pool(&word.text), cost.as_number()) else { continue };
        let caps: Option<Vec<f64>> = owners.iter().map(|plan| fixed_cap(program, plan, pool)).collect();
        let most = caps.and_then(|caps| caps.into_iter().max_by(f64::total_cmp));
        if let Some(most) = most.filter(|most| *most < amount) {
            let message = format!(
                "nobody can afford `{name}`: it costs {} {}, and the maximum of its owners is {}",
                plain(amount),
                word.text,
                plain(most)
            );
            out.push(Diagnostic::warning(Code::NeverAffordable, cost.span, message));
        }
    }
}

/// Characters that can take part in a fight.
fn acting(program: &Program) -> impl Iterator<Item = &CharacterPlan> {
    program.characters.iter().filter(|plan| !plan.template && !plan.block.is_empty())
}

/// The maximum amount of a pool of a character, if nothing can change its cap.
fn fixed_cap(program: &Program, plan: &CharacterPlan, pool: PoolId) -> Option<f64> {
    let cap = program.pools[pool.index()].cap.filter(|_| plan.pools[pool.index()])?;
    let place = program.layout.pool(pool).index() + usize::from(pool_slot::CAP);
    is_fixed(program, plan, cap).then(|| plan.block.get(place).copied()).flatten()
}

/// Whether a formula over a combatant's own attributes is constant throughout a fight.
fn is_fixed(program: &Program, plan: &CharacterPlan, formula: FormulaId) -> bool {
    let mut fixed = true;
    program.formula(formula).each_read(|read| {
        fixed &= match read {
            Read::Attribute(_, Layout::LEVEL) => !program.levels.in_fight,
            Read::Attribute(_, slot) => {
                let attribute = plan.attributes.iter().find(|attribute| attribute.slot == slot);
                let formulas = attribute.map(|one| [Some(one.base), one.min, one.max].into_iter().flatten());
                program.modifiers_of(slot).is_empty()
                    && formulas.is_some_and(|mut formulas| formulas.all(|one| is_fixed(program, plan, one)))
            }
            _ => false,
        };
    });
    fixed
}

/// An ability that the policy of its owner never chooses. Abilities used by a script count as used.
fn never_chosen(rules: &Ruleset, program: &Program, named: &Named<CharacterRule>, out: &mut Diagnostics) {
    let plan = acting(program).find(|plan| plan.name == named.name);
    let Some(plan) = plan.filter(|plan| !plan.policy.name.is_empty()) else { return };
    let chosen = |ability: AbilityId| plan.policy.uses.iter().any(|line| line.ability == ability);
    for word in named.rule.abilities.iter().flatten() {
        let Some(ability) = program.find_ability(&word.text) else { continue };
        if !chosen(ability) && !is_scripted(rules, &word.text) {
            let message =
                format!("`{}` has `{}`, but its policy `{}` never uses it", named.name, word.text, plan.policy.name);
            out.push(Diagnostic::warning(Code::NeverChosen, word.span, message));
        }
    }
}

/// `self.health < 0.3` and `self.health < 30%`, if the pool holds far more than that.
fn amounts_as_shares(program: &Program, formula: &CompiledFormula, out: &mut Diagnostics) {
    let mut found: Vec<(Span, PoolId)> = Vec::new();
    formula.tree.any(&mut |part| {
        if let TreeKind::Binary(op, a, b) = &part.kind
            && matches!(op, BinaryOp::Less | BinaryOp::AtMost | BinaryOp::Greater | BinaryOp::AtLeast)
            && !part.called
        {
            let pool = if is_share(b) { amount_of(a) } else { amount_of(b).filter(|_| is_share(a)) };
            found.extend(pool.map(|pool| (formula.source.place(part.range.clone()), pool)));
        }
        false
    });
    for (span, pool) in found {
        let name = &program.pools[pool.index()].name;
        let small = |plan: &CharacterPlan| fixed_cap(program, plan, pool).is_some_and(|cap| cap <= 2.0);
        if acting(program).any(small) {
            continue;
        }
        let message = format!("`{name}` is an amount, but is compared with a number below 1");
        let help =
            format!("a share of its cap is `self.{name}.share` or `target.{name}.share`: `self.{name}.share < 30%`");
        out.push(Diagnostic::warning(Code::AmountAsShare, span, message).help(help));
    }
}

/// The pool whose amount is compared.
fn amount_of(tree: &Tree) -> Option<PoolId> {
    match tree.kind {
        TreeKind::Read(Read::Pool(_, pool, PoolPart::Amount)) => Some(pool),
        _ => None,
    }
}

/// A number between 0 and 1.
fn is_share(tree: &Tree) -> bool {
    matches!(tree.kind, TreeKind::Constant(value) if value > 0.0 && value < 1.0)
}
