//! Warnings about abilities that somebody has and never uses, and about amounts that are taken for shares.

use super::Program;
use super::characters::CharacterPlan;
use super::ids::{AbilityId, FormulaId, PoolId};
use super::layout::{Layout, pool_slot};
use super::lints::warn;
use super::ops::BinaryOp;
use super::resolve::CompiledFormula;
use super::tree::{PoolPart, Read, Tree, TreeKind};
use super::worked::plain;
use crate::rules::{AbilityRule, CharacterRule, Named, Ruleset};
use crate::text::{Code, Diagnostics, Span};

/// Reports what nobody can pay for, what no policy chooses, and pools that are compared with a share of themselves.
pub(super) fn never_used(rules: &Ruleset, program: &Program, out: &mut Diagnostics) {
    rules.abilities.iter().for_each(|named| never_affordable(program, named, out));
    rules.characters.iter().for_each(|named| never_chosen(rules, program, named, out));
    program.formulas.iter().for_each(|formula| amounts_as_shares(program, formula, out));
}

/// A cost above the cap of everybody who has the ability.
fn never_affordable(program: &Program, Named { name, rule, .. }: &Named<AbilityRule>, out: &mut Diagnostics) {
    let Some(ability) = program.find_ability(name) else { return };
    let owners: Vec<&CharacterPlan> = acting(program).filter(|plan| plan.abilities.contains(&ability)).collect();
    for (word, cost) in &rule.cost {
        let (Some(pool), Some(amount)) = (program.find_pool(&word.text), cost.as_number()) else { continue };
        let caps: Option<Vec<f64>> = owners.iter().map(|plan| fixed_cap(program, plan, pool)).collect();
        let most = caps.and_then(|caps| caps.into_iter().max_by(f64::total_cmp));
        if let Some(most) = most.filter(|most| *most < amount) {
            let message = format!(
                "nobody can afford `{name}`: it costs {} {}, and nobody who has it holds more than {}",
                plain(amount),
                word.text,
                plain(most)
            );
            out.push(warn(Code::NeverAffordable, cost.span, message));
        }
    }
}

/// Characters that can be put into a fight.
fn acting(program: &Program) -> impl Iterator<Item = &CharacterPlan> {
    program.characters.iter().filter(|plan| !plan.template && !plan.block.is_empty())
}

/// The most that a pool of somebody ever holds, if nothing can change that.
fn fixed_cap(program: &Program, plan: &CharacterPlan, pool: PoolId) -> Option<f64> {
    let cap = program.pools[pool.index()].cap.filter(|_| plan.pools[pool.index()])?;
    let place = program.layout.pool(pool).index() + usize::from(pool_slot::CAP);
    is_fixed(program, plan, cap).then(|| plan.block.get(place).copied()).flatten()
}

/// Whether a formula over somebody's own attributes has the same value throughout a fight.
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

/// An ability that a policy never chooses, in the hands of somebody who chooses by it. What a script uses is used.
fn never_chosen(rules: &Ruleset, program: &Program, named: &Named<CharacterRule>, out: &mut Diagnostics) {
    let plan = acting(program).find(|plan| plan.name == named.name);
    let Some(plan) = plan.filter(|plan| !plan.policy.name.is_empty()) else { return };
    let scripted = |name: &str| {
        let mut moments = rules.encounters.iter().flat_map(|encounter| &encounter.rule.script);
        moments.any(|moment| moment.ability.text == name)
    };
    let chosen = |ability: AbilityId| plan.policy.uses.iter().any(|line| line.ability == ability);
    for word in named.rule.abilities.iter().flatten() {
        let Some(ability) = program.find_ability(&word.text) else { continue };
        if !chosen(ability) && !scripted(&word.text) {
            let message =
                format!("`{}` has `{}`, and its policy `{}` never uses it", named.name, word.text, plan.policy.name);
            out.push(warn(Code::NeverChosen, word.span, message));
        }
    }
}

/// `self.health < 0.3` and `self.health < 30%`, where the pool holds more than that by far.
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
        let message = format!("`{name}` is an amount, and is compared with less than 1");
        let help =
            format!("for a share of its cap: `{name}.share` behind whose it is, as in `self.{name}.share < 30%`");
        out.push(warn(Code::AmountAsShare, span, message).help(help));
    }
}

/// The pool whose amount this is.
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
