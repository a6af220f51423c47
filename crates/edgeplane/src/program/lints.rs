//! Warnings about a valid ruleset that probably does not mean what it says.

use super::Program;
use super::characters::CharacterPlan;
use super::ids::{AbilityId, CharacterId, CombatantId, FormulaId, GearId, Slot};
use super::never_used::is_had;
use super::steps::StartPlan;
use super::tree::{PoolPart, Read, TreeKind};
use crate::numbers::plain;
use crate::rules::{
    AbilityRule, DurationRule, EffectKind, EffectRule, Formula, Joins, ModifierKind, Named, PaceRule, Reapply, Ruleset,
    Selector, StatusRule, TriggerEvent,
};
use crate::text::{Code, Diagnostic, Diagnostics};

/// Reports everything suspicious about a valid ruleset.
pub(super) fn lint(rules: &Ruleset, program: &Program, out: &mut Diagnostics) {
    let lints = Lints { rules, program };
    for named in &rules.statuses {
        lints.never_ticks(named, out);
        lints.never_full(named, out);
        lints.forbids_nothing(named, out);
        match (named.rule.point, named.rule.worn) {
            (true, _) => lints.never_spent(named, out),
            (_, true) => lints.never_worn(named, out),
            _ => lints.never_applied(named, out),
        }
        lints.never_triggers(named, out);
        lints.ends_at_once(named, out);
        lints.percent_as_share(named, out);
    }
    for named in &rules.abilities {
        lints.shares_nothing(named, out);
        lints.never_open(named, out);
    }
    lints.helps_enemies(out);
    lints.never_joins(out);
    lints.never_placed(out);
    lints.chances_above_one(out);
    lints.unread_attributes(out);
}

struct Lints<'a> {
    rules: &'a Ruleset,
    program: &'a Program,
}

fn duration(rule: &StatusRule) -> Option<f64> {
    match &rule.duration {
        DurationRule::Seconds(seconds) => seconds.as_number(),
        DurationRule::Endless => None,
    }
}

impl Lints<'_> {
    fn never_ticks(&self, named: &Named<StatusRule>, out: &mut Diagnostics) {
        let (rule, name) = (&named.rule, &named.name);
        let Some(every) = &rule.every else { return };
        let PaceRule::Period(pace) = &every.pace else { return };
        let (Some(lasts), Some(period)) = (duration(rule), pace.as_number()) else { return };
        if period > lasts && !every.first_now && !every.part_tick && !self.is_held(name) && !self.is_prolonged(named) {
            let renews = !every.restart
                && matches!(rule.reapply, Reapply::Refresh | Reapply::Extend | Reapply::Longest | Reapply::Stack);
            let ticks = if renews { "ticks only if it is renewed in time" } else { "never ticks" };
            let message = format!("`{name}` {ticks}: it lasts {lasts} s, and its period is {period} s");
            let help = "shorten the period, or give it `first_tick = \"now\"` or `part_tick = true`";
            out.push(Diagnostic::warning(Code::NeverTicks, pace.span, message).help(help));
        }
    }

    /// Stacks that end before the next one can be applied.
    fn never_full(&self, named: &Named<StatusRule>, out: &mut Diagnostics) {
        let (rule, name) = (&named.rule, &named.name);
        let Some(most) = rule.max_stacks.filter(|most| *most > 1) else { return };
        let beyond = rule.on.iter().find(|on| on.stacks.is_some_and(|stacks| stacks > most));
        if let Some(on) = beyond {
            let message = format!("`{name}` has at most {most} stacks; {} are never reached", on.stacks.unwrap_or(0));
            out.push(Diagnostic::warning(Code::NeverFull, named.span, message));
            return;
        }
        let Some(lasts) = duration(rule) else { return };
        let mut slowest: Option<(f64, &str)> = None;
        for effect in self.rules.effects().filter(|effect| applies(effect, name)) {
            let EffectKind::Apply { stacks, .. } = &effect.kind else { continue };
            let Some(ability) = self.ability_of(effect) else { return };
            let Some(cooldown) = ability.rule.cooldown.as_ref().and_then(Formula::as_number) else { return };
            let at_once = stacks.as_ref().map_or(Some(1.0), Formula::as_number);
            let alone = !self.used_by_several(&ability.name);
            if !alone
                || slowest.is_some()
                || cooldown <= lasts
                || at_once.is_none_or(|stacks| stacks >= f64::from(most))
            {
                return;
            }
            slowest = Some((cooldown, &ability.name));
        }
        if let Some((cooldown, ability)) = slowest {
            let message = format!(
                "`{name}` hardly ever reaches its {most} stacks: it lasts {lasts} s, and `{ability}` comes every {cooldown} s"
            );
            out.push(Diagnostic::warning(Code::NeverFull, named.span, message));
        }
    }

    /// Whether several combatants have an ability in some encounter.
    fn used_by_several(&self, ability: &str) -> bool {
        let Some(id) = self.program.find_ability(ability) else { return false };
        let has = |character: &&CharacterId| self.program.characters[character.index()].abilities.contains(&id);
        self.program
            .encounters
            .iter()
            .any(|encounter| encounter.sides.iter().flat_map(|(_, members)| members).filter(has).count() > 1)
    }

    /// The ability to which an effect belongs; `None` for one of a status.
    fn ability_of(&self, effect: &EffectRule) -> Option<&Named<AbilityRule>> {
        let name = effect.path.strip_prefix("ability.")?.split('.').next()?;
        self.rules.abilities.iter().find(|ability| ability.name == name)
    }

    fn shares_nothing(&self, named: &Named<AbilityRule>, out: &mut Diagnostics) {
        let Some(shared) = &named.rule.shared_cooldown else { return };
        let others = || self.rules.abilities.iter().filter(|other| other.name != named.name);
        let names =
            || others().filter_map(|other| other.rule.shared_cooldown.as_ref()).map(|other| other.name.text.as_str());
        if !names().any(|name| name == shared.name.text) {
            let message = format!("`{}` shares the cooldown `{}` with no other ability", named.name, shared.name.text);
            out.push(
                Diagnostic::warning(Code::SharesNothing, shared.name.span, message).nearest(&shared.name.text, names()),
            );
        }
    }

    /// An ability that requires a preceding ability which one of its owners lacks.
    fn never_open(&self, named: &Named<AbilityRule>, out: &mut Diagnostics) {
        let Some(after) = &named.rule.after else { return };
        let id = |name: &str| self.program.find_ability(name);
        let (Some(mine), Some(opener)) = (id(&named.name), id(&after.ability.text)) else { return };
        let lacks = |abilities: &[AbilityId]| abilities.contains(&mine) && !abilities.contains(&opener);
        let who = self.program.characters.iter().find(|plan| !plan.template && lacks(&plan.abilities));
        if let Some(who) = who {
            let message =
                format!("`{}` is never available to `{}`, which lacks `{}`", named.name, who.name, after.ability.text);
            let help = format!("add `{}` to the abilities of `{}`", after.ability.text, who.name);
            out.push(Diagnostic::warning(Code::NeverOpen, after.ability.span, message).help(help));
        }
    }

    /// A heal for the targets of an ability without `targets`: by default they are enemies.
    fn helps_enemies(&self, out: &mut Diagnostics) {
        for effect in self.rules.effects().filter(|effect| effect.to.is_none()) {
            let what = match &effect.kind {
                EffectKind::Heal { .. } => "heals",
                EffectKind::Wear(_) => "gives gear to",
                EffectKind::Experience(_) => "gives experience to",
                _ => continue,
            };
            let Some(ability) = self.ability_of(effect).filter(|ability| !ability.rule.targets.names_side) else {
                continue;
            };
            let message = format!("`{}` {what} its targets, which are enemies unless it says otherwise", ability.name);
            let help = "add `targets = \"self\"` or `\"allies\"` to the ability, or `to = \"caster\"` to the effect; \
                        `targets = \"enemies\"` if enemies are meant";
            out.push(Diagnostic::warning(Code::HelpsEnemies, effect.span, message).help(help));
        }
    }

    fn forbids_nothing(&self, named: &Named<StatusRule>, out: &mut Diagnostics) {
        let tags: Vec<&str> =
            self.rules.abilities.iter().flat_map(|one| &one.rule.tags).map(|tag| tag.text.as_str()).collect();
        for word in &named.rule.forbids {
            let known = ["act", "move"].contains(&word.text.as_str()) || tags.contains(&word.text.as_str());
            if !known {
                let message = format!("`{}` forbids `{}`, and no ability has that tag", named.name, word.text);
                let choices = tags.iter().copied().chain(["act", "move"]);
                out.push(Diagnostic::warning(Code::ForbidsNothing, word.span, message).nearest(&word.text, choices));
            }
        }
    }

    fn is_applied(&self, name: &str) -> bool {
        self.is_held(name) || self.rules.effects().any(|effect| applies(effect, name))
    }

    /// Whether something can give a status more time than its own duration.
    fn is_prolonged(&self, named: &Named<StatusRule>) -> bool {
        let is_meant = |status: &Selector| match status {
            Selector::Name(word) => word.text == named.name,
            Selector::Tag(word) => named.rule.tags.iter().any(|tag| tag.text == word.text),
        };
        self.rules.effects().any(|effect| match &effect.kind {
            EffectKind::Apply { status, duration: Some(_), .. } => status.text == named.name,
            EffectKind::Lengthen { status, shorter: false, .. } => is_meant(status),
            _ => false,
        })
    }

    /// Whether a status is held for as long as something else lasts, whatever its own duration.
    fn is_held(&self, name: &str) -> bool {
        let held = self.rules.characters.iter().flat_map(|one| one.rule.statuses.iter().flatten());
        let by_gear = self.rules.gear.iter().flat_map(|piece| &piece.rule.statuses);
        let by_sets = self.rules.gear_sets.iter().flat_map(|set| &set.rule.worn).flat_map(|(_, given)| given);
        let by_sets = by_sets.map(|one| &one.status);
        let while_used = self.rules.abilities.iter().flat_map(|ability| &ability.rule.during);
        let by_zones = self.rules.zones.iter().flat_map(|zone| &zone.rule.apply);
        by_zones.chain(while_used).chain(held).chain(by_gear).chain(by_sets).any(|word| word.text == name)
    }

    fn never_placed(&self, out: &mut Diagnostics) {
        let placed = |name: &str| {
            self.rules.effects().any(|effect| matches!(&effect.kind, EffectKind::Zone(word) if word.text == name))
        };
        for zone in self.rules.zones.iter().filter(|zone| !placed(&zone.name)) {
            let message = format!("nothing places the zone `{}`", zone.name);
            let help = format!("for example: does = [{{ zone = \"{}\" }}]", zone.name);
            out.push(Diagnostic::warning(Code::NeverPlaced, zone.span, message).help(help));
        }
    }

    /// Members that wait to be called, and calls, must refer to each other.
    fn never_joins(&self, out: &mut Diagnostics) {
        let called = self.rules.effects().filter_map(|effect| match &effect.kind {
            EffectKind::Call { character, .. } => Some(character),
            _ => None,
        });
        let called: Vec<_> = called.collect();
        let sides = self.rules.encounters.iter().flat_map(|encounter| &encounter.rule.sides);
        let waiting = sides.flat_map(|side| &side.members).filter(|member| member.joins == Joins::Called);
        let waiting: Vec<_> = waiting.collect();
        for member in &waiting {
            let name = &member.character.text;
            if !called.iter().any(|word| word.text == *name) {
                let message = format!("`{name}` waits to be called, but nothing calls it");
                let help = format!("for example: does = [{{ call = \"{name}\" }}]");
                out.push(Diagnostic::warning(Code::NeverJoins, member.span, message).help(help));
            }
        }
        for word in called {
            if !waiting.iter().any(|member| member.character.text == word.text) {
                let message = format!("no `{}` waits to be called in any encounter", word.text);
                let help = format!("for example: {{ character = \"{}\", joins = \"called\" }}", word.text);
                out.push(Diagnostic::warning(Code::NeverJoins, word.span, message).help(help));
            }
        }
    }

    fn never_worn(&self, named: &Named<StatusRule>, out: &mut Diagnostics) {
        let by_chance = self.program.characters.iter().flat_map(|plan| &plan.chancy);
        let put_on = self
            .rules
            .effects()
            .any(|effect| matches!(&effect.kind, EffectKind::Wear(word) if word.text == named.name));
        let mut worn = self.program.characters.iter().flat_map(|plan| &plan.pieces);
        let same = |piece: &GearId| self.program.gear[piece.index()].name == named.name;
        if !put_on && !worn.any(same) && !by_chance.into_iter().any(|chancy| same(&chancy.piece)) {
            let message = format!("nobody wears `{}`", named.name);
            let help = format!("for example: gear = [\"{}\"]", named.name);
            out.push(Diagnostic::warning(Code::NeverWorn, named.span, message).help(help));
        }
    }

    fn never_spent(&self, named: &Named<StatusRule>, out: &mut Diagnostics) {
        let mut spent = self.program.characters.iter().flat_map(|plan| &plan.spends);
        if !spent.any(|point| self.program.status(*point).name == named.name) {
            let message = format!("nobody spends points on `{}`", named.name);
            let help = format!("for example: spends = [\"{}\"]", named.name);
            out.push(Diagnostic::warning(Code::NeverSpent, named.span, message).help(help));
        }
    }

    fn never_applied(&self, named: &Named<StatusRule>, out: &mut Diagnostics) {
        if !self.is_applied(&named.name) {
            let message = format!("nothing applies `{}`", named.name);
            let help = format!("for example: does = [{{ apply = \"{}\" }}]", named.name);
            out.push(Diagnostic::warning(Code::NeverApplied, named.span, message).help(help));
        }
    }

    fn never_triggers(&self, named: &Named<StatusRule>, out: &mut Diagnostics) {
        for on in &named.rule.on {
            let name = |which: &Option<Selector>| match which {
                Some(Selector::Name(word)) => Some(word.clone()),
                _ => None,
            };
            let because = if let Some(word) = name(&on.status).filter(|word| !self.is_applied(&word.text)) {
                Some((word.span, format!("nothing applies `{}`", word.text)))
            } else if let Some(word) = name(&on.ability).filter(|word| !is_had(self.rules, &word.text)) {
                Some((word.span, format!("no character has `{}`", word.text)))
            } else if let Some(when) = on.when.as_ref().filter(|when| self.is_false(when)) {
                Some((when.span, "its condition is never true".to_owned()))
            } else if on.event == TriggerEvent::Renewed && named.rule.reapply == Reapply::Separate {
                Some((named.span, "every application is a separate instance".to_owned()))
            } else {
                None
            };
            if let Some((span, because)) = because {
                let message = format!("`{}` never triggers on {}: {because}", named.name, on.event.name());
                out.push(Diagnostic::warning(Code::NeverTriggers, span, message));
            }
        }
    }

    /// A `while` about pools is not a switch: a status that has ended does not come back by itself.
    fn ends_at_once(&self, named: &Named<StatusRule>, out: &mut Diagnostics) {
        let program = self.program;
        let status = program.find_status(&named.name);
        let holds = status.and_then(|status| program.status(status).holds_while);
        let (Some(status), Some(holds), Some(rule)) = (status, holds, &named.rule.holds_while) else { return };
        // Other initial statuses can change attributes, and caps with them.
        let mut is_known = true;
        program.formula(holds).each_read(|read| {
            is_known &= match read {
                Read::Pool(_, _, PoolPart::Share) => true,
                Read::Pool(_, pool, PoolPart::Amount) => !matches!(program.pools[pool.index()].start, StartPlan::Full),
                _ => false,
            };
        });
        let begins_elsewhere = |plan: &CharacterPlan| {
            let members = self.rules.encounters.iter().flat_map(|one| &one.rule.sides).flat_map(|side| &side.members);
            members.filter(|member| member.character.text == plan.name).any(|member| !member.start.is_empty())
        };
        let fails = |plan: &&CharacterPlan| {
            is_known
                && plan.statuses.contains(&status)
                && !plan.block.is_empty()
                && !begins_elsewhere(plan)
                && program.own_value(holds, &program.memory_of(&plan.block), CombatantId(0)) == Some(0.0)
        };
        if let Some(plan) = program.characters.iter().find(fails) {
            let message =
                format!("`{}` of `{}` ends at once: this is false when a fight begins", named.name, plan.name);
            let help = "let a trigger such as `pool_below` or `pool_above` apply it";
            out.push(Diagnostic::warning(Code::NoEffect, rule.span, message).help(help));
        }
    }

    /// `percent = 20` is 20 %; 0.2 and `"20%"` are a fifth of one percent.
    fn percent_as_share(&self, named: &Named<StatusRule>, out: &mut Diagnostics) {
        for modifier in named.rule.modify.iter().filter(|one| one.kind == ModifierKind::Percent) {
            let Some(value) = modifier.amount.as_number().filter(|value| *value != 0.0 && value.abs() < 1.0) else {
                continue;
            };
            let message = format!("`{}` is {}, less than one percent", modifier.amount.path, plain(value));
            let help = format!("{} % is written {}", plain(value * 100.0), plain(value * 100.0));
            out.push(Diagnostic::warning(Code::AmountAsShare, modifier.amount.span, message).help(help));
        }
    }

    fn is_false(&self, when: &Formula) -> bool {
        let compiled = self.program.formulas.iter().find(|formula| formula.source.path == when.path);
        compiled.is_some_and(|formula| matches!(formula.tree.kind, TreeKind::Constant(0.0)))
    }

    fn chances_above_one(&self, out: &mut Diagnostics) {
        let of_outcomes = self.rules.effects().filter_map(|effect| effect.chance.as_ref());
        let triggers = self.rules.statuses.iter().flat_map(|status| &status.rule.on);
        let resists = self.rules.statuses.iter().filter_map(|status| status.rule.resist.as_ref());
        for chance in of_outcomes.chain(triggers.filter_map(|on| on.chance.as_ref())).chain(resists) {
            if let Some(least) = self.least_chance(chance).filter(|least| *least > 1.0) {
                let message = format!(
                    "`{}` is a chance of {} or more at the start of a fight: chances are from 0 to 1",
                    chance.path,
                    plain(least)
                );
                let help = format!("in percent: `({}) * 1%`", chance.text);
                out.push(Diagnostic::warning(Code::ChanceAboveOne, chance.span, message).help(help));
            }
        }
        for formula in &self.program.formulas {
            formula.tree.any(&mut |part| {
                if let TreeKind::Roll(_, chance) | TreeKind::Streak(_, chance) = &part.kind
                    && let TreeKind::Constant(value) = chance.kind
                    && value > 1.0
                    && !part.called
                {
                    let message = format!("`roll` takes a chance from 0 to 1, and {value} is always true");
                    let span = formula.source.place(chance.range.clone());
                    out.push(
                        Diagnostic::warning(Code::ChanceAboveOne, span, message)
                            .help(format!("{value} % is `{value}%`")),
                    );
                }
                false
            });
        }
    }

    /// The minimum of a chance at the start of a fight, if only attributes of the caster decide it.
    fn least_chance(&self, chance: &Formula) -> Option<f64> {
        let program = self.program;
        let index = program.formulas.iter().position(|formula| formula.source.path == chance.path)?;
        let mut is_steady = program.formulas[index].steady;
        program.formulas[index].each_read(|read| is_steady &= matches!(read, Read::Attribute(..)));
        let ability = chance.path.strip_prefix("ability.").and_then(|path| path.split('.').next());
        let ability = ability.and_then(|name| program.find_ability(name));
        let acts = |plan: &&CharacterPlan| {
            !plan.template && !plan.block.is_empty() && ability.is_none_or(|ability| plan.abilities.contains(&ability))
        };
        let value = |plan: &CharacterPlan| {
            let memory = program.memory_of(&plan.block);
            program.own_value(FormulaId(index as u32), &memory, CombatantId(0))
        };
        let values = program.characters.iter().filter(|plan| is_steady && acts(plan)).filter_map(value);
        values.min_by(f64::total_cmp)
    }

    fn unread_attributes(&self, out: &mut Diagnostics) {
        let mut read = vec![false; usize::from(self.program.layout.pools)];
        for formula in &self.program.formulas {
            formula.each_read(|part| match part {
                Read::Attribute(_, slot) => read[slot.index()] = true,
                Read::Typed(_, slot) => {
                    (0..self.program.layout.types).for_each(|of| read[slot.plus(of).index()] = true);
                }
                _ => {}
            });
        }
        for (named, info) in self.rules.attributes.iter().zip(&self.program.attributes) {
            // The attribute for walking speed is read by the ground.
            if named.name == "speed" && self.program.encounters.iter().any(|one| !one.places.is_empty()) {
                continue;
            }
            let slots = if info.per_type { self.program.layout.types } else { 1 };
            if !(0..slots).any(|of| read[Slot(info.slot.0 + of).index()]) {
                let message = format!("nothing reads the attribute `{}`", named.name);
                out.push(Diagnostic::warning(Code::UnreadAttribute, named.span, message));
            }
        }
    }
}

fn applies(effect: &EffectRule, name: &str) -> bool {
    matches!(&effect.kind, EffectKind::Apply { status, .. } | EffectKind::Toggle(status) if status.text == name)
}
