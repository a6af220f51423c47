//! Warnings about keys without effect.

use super::Program;
use super::layout::Layout;
use super::tree::Read;
use crate::rules::{
    AbilityRule, CapChange, CharacterRule, DurationRule, EffectKind, EffectRule, Formula, Named, Pick, PolicyRule,
    Reapply, Receiver, Ruleset, Selector, SideRule, StatusRule, StepRule, Subject, TriggerEvent, TriggerRule,
    UseMoment, Word, ZoneRule,
};
use crate::text::{Code, Diagnostic, Diagnostics, Span};

/// Reports every key of a valid ruleset that changes nothing.
pub(super) fn idle(rules: &Ruleset, program: &Program, out: &mut Diagnostics) {
    let mut idle = Idle { rules, program, out };
    rules.abilities.iter().for_each(|named| idle.ability(named));
    rules.statuses.iter().for_each(|named| idle.status(named));
    rules.zones.iter().for_each(|named| idle.zone(named));
    rules.policies.iter().for_each(|named| idle.policy(named));
    rules.characters.iter().for_each(|named| idle.character(named));
    rules.effects().for_each(|effect| idle.effect(effect));
    idle.sets();
    idle.pools();
    idle.levels();
    idle.ground();
}

struct Idle<'a> {
    rules: &'a Ruleset,
    program: &'a Program,
    out: &'a mut Diagnostics,
}

fn constant(formula: &Option<Formula>) -> Option<f64> {
    formula.as_ref().and_then(Formula::as_number)
}

/// Whether a time is absent or 0.
fn none(time: &Option<Formula>) -> bool {
    time.is_none() || constant(time) == Some(0.0)
}

impl Idle<'_> {
    fn say(&mut self, span: Span, key: &str, because: &str) {
        let message = format!("`{key}` has no effect: {because}");
        self.out.push(Diagnostic::warning(Code::NoEffect, span, message));
    }

    fn ability(&mut self, Named { name, span, rule }: &Named<AbilityRule>) {
        let key = |key: &str| format!("ability.{name}.{key}");
        let at_once = none(&rule.cast) && rule.sustain.is_none() && rule.releases.is_none();
        let instant = at_once && none(&rule.recovery);
        if let Some(refund) = &rule.refund {
            if rule.cost.is_empty() {
                self.say(refund.span, &key("refund"), "it costs nothing");
            } else if at_once {
                self.say(refund.span, &key("refund"), "it has no cast time, so nothing can interrupt it");
            } else if rule.cost_at == UseMoment::Release {
                self.say(refund.span, &key("refund"), "its cost is paid at the release, not before");
            }
        }
        if rule.cost_at != UseMoment::Start && rule.cost.is_empty() {
            self.say(*span, &key("cost_at"), "it costs nothing");
        }
        let stocked = rule.charges.is_some() || rule.uses.is_some() || rule.shared_cooldown.is_some();
        if rule.cooldown_from != UseMoment::Release && rule.cooldown.is_none() && !stocked {
            self.say(*span, &key("cooldown_from"), "it has no cooldown, charges or limited uses");
        }
        if rule.mobile && instant {
            self.say(*span, &key("mobile"), "it takes no time");
        }
        if let Some(status) = rule.during.first().filter(|_| instant) {
            self.say(status.span, &key("during"), "it takes no time");
        }
        if let Some(releases) = rule.releases.as_ref().filter(|releases| releases.count == 1) {
            self.say(releases.every.span, &key("releases"), "it has one release with and without it");
        }
        self.targets(name, *span, rule);
    }

    fn targets(&mut self, name: &str, span: Span, rule: &AbilityRule) {
        let key = |key: &str| format!("ability.{name}.{key}");
        let targets = &rule.targets;
        if targets.side == SideRule::Caster {
            if targets.count != 1 {
                self.say(span, &key("targets.count"), "its only target is its caster");
            }
            if !matches!(targets.pick, Pick::First) {
                self.say(span, &key("targets.pick"), "its only target is its caster");
            }
            if let Some(travel) = &rule.travel {
                self.say(travel.span, &key("travel"), "its only target is its caster");
            }
        }
        let sustained = rule.sustain.iter().flat_map(|sustain| &sustain.does);
        let mut all = rule.does.iter().chain(sustained);
        let revives = |effect: &EffectRule| matches!(effect.kind, EffectKind::Revive(_));
        if targets.defeated && !all.clone().any(revives) {
            self.say(span, &key("targets.state"), "none of its effects revives");
        }
        if let Some(effect) = all.find(|effect| revives(effect)) {
            let target = effect.to.unwrap_or_default() == Receiver::Target;
            if !target || !targets.defeated {
                self.say(
                    effect.span,
                    &effect.path,
                    "its receivers stand; `targets = { state = \"defeated\" }` selects defeated ones",
                );
            }
        }
    }

    fn status(&mut self, named: &Named<StatusRule>) {
        let Named { name, span, rule } = named;
        let of = if rule.worn { "gear" } else { "status" };
        let endless = matches!(rule.duration, DurationRule::Endless);
        if rule.warn.is_some() && endless && !self.is_timed(name) {
            self.say(*span, &format!("{of}.{name}.warn"), "it does not end by itself");
        }
        if rule.every.as_ref().is_some_and(|every| every.does.is_empty()) && !self.reads_ticks(name) {
            self.say(*span, &format!("{of}.{name}.every"), "its ticks have no effects, and nothing in it reads `tick`");
        }
        for (number, on) in rule.on.iter().enumerate() {
            self.trigger(&format!("{of}.{name}.on.{number}"), *span, on);
        }
        let ticks = rule.every.iter().flat_map(|every| &every.does).chain(&rule.at_max);
        for effect in ticks.filter(|effect| matches!(effect.kind, EffectKind::Revive(_))) {
            self.say(effect.span, &effect.path, "its receivers stand");
        }
    }

    /// Whether something in a status depends on its number of ticks.
    fn reads_ticks(&self, status: &str) -> bool {
        let of = format!("status.{status}.");
        let own = self.program.formulas.iter().filter(|formula| formula.source.path.starts_with(&of));
        let mut found = false;
        own.for_each(|formula| formula.each_read(|read| found |= matches!(read, Read::Local(Layout::TICK))));
        found
    }

    /// Whether some application gives a status its own duration.
    fn is_timed(&self, name: &str) -> bool {
        let by_sets = self.rules.gear_sets.iter().flat_map(|set| &set.rule.worn).flat_map(|(_, given)| given);
        by_sets.into_iter().any(|one| one.status.text == name && one.duration.is_some())
            || self.rules.effects().any(|effect| match &effect.kind {
                EffectKind::Apply { status, duration, .. } => status.text == name && duration.is_some(),
                _ => false,
            })
    }

    fn trigger(&mut self, path: &str, span: Span, on: &TriggerRule) {
        match (on.event, on.share) {
            (TriggerEvent::PoolBelow, Some(1.0)) => self.say(span, path, "no pool is ever above its cap"),
            (TriggerEvent::PoolAbove, Some(0.0)) => self.say(span, path, "no pool is ever below 0"),
            _ => {}
        }
        let by_defeat = |receiver: Receiver| match (on.event, on.of) {
            (TriggerEvent::Defeated, Subject::Owner) => receiver == Receiver::Owner,
            (TriggerEvent::Defeated, Subject::Others | Subject::Enemies) => receiver == Receiver::Other,
            (TriggerEvent::AllyDefeated | TriggerEvent::EnemyDefeated, _) => receiver == Receiver::Other,
            _ => false,
        };
        // After a revival, all following effects reach the receiver.
        let mut revived = false;
        for effect in &on.does {
            let defeated = by_defeat(effect.to.unwrap_or(Receiver::Owner));
            match &effect.kind {
                EffectKind::Revive(_) if !defeated && on.event != TriggerEvent::Defeated => {
                    self.say(effect.span, &effect.path, "its receivers stand");
                }
                EffectKind::Revive(_) => revived = true,
                EffectKind::Call { .. } | EffectKind::Win | EffectKind::Report(..) => {}
                EffectKind::Zone(word) => {
                    let carried = |zone: &&Named<ZoneRule>| zone.name == word.text && zone.rule.carried;
                    if defeated && !revived && self.rules.zones.iter().any(|zone| carried(&zone)) {
                        self.say(effect.span, &effect.path, "a defeated combatant cannot carry a zone");
                    }
                }
                _ if defeated && !revived => {
                    self.say(effect.span, &effect.path, "its receiver is defeated by then");
                }
                _ => {}
            }
        }
    }

    fn zone(&mut self, Named { name, span, rule }: &Named<ZoneRule>) {
        let avoided = |policy: &Named<PolicyRule>| {
            let mut words = policy.rule.avoid.iter();
            words.any(|word| word.text == *name || rule.tags.iter().any(|tag| tag.text == word.text))
        };
        let does_nothing = rule.apply.is_empty() && rule.enters.is_empty() && rule.leaves.is_empty();
        if does_nothing && !self.rules.policies.iter().any(avoided) {
            self.say(*span, &format!("zone.{name}"), "it has no status, and no effects on entering or leaving");
        }
    }

    /// Reaches and radii have no meaning if no encounter has positions. One warning stands for all of them.
    fn ground(&mut self) {
        let is_placed = self.program.encounters.iter().any(|encounter| !encounter.places.is_empty());
        if self.program.encounters.is_empty() || is_placed {
            return;
        }
        let reach = self
            .rules
            .abilities
            .iter()
            .find_map(|named| Some(("ability", named.name.as_str(), "reach", named.rule.reach.as_ref()?)));
        let radius = || {
            self.rules
                .zones
                .iter()
                .find_map(|named| Some(("zone", named.name.as_str(), "radius", named.rule.radius.as_ref()?)))
        };
        if let Some((of, name, key, formula)) = reach.or_else(radius) {
            let (span, key) = (formula.span, format!("{of}.{name}.{key}"));
            self.say(span, &key, "no encounter has positions; `distance = 10` places its sides that far apart");
        }
    }

    fn policy(&mut self, Named { name, rule, .. }: &Named<PolicyRule>) {
        let Some(target) = &rule.target else { return };
        let characters = self.program.characters.iter().filter(|plan| plan.policy.name == *name);
        let mut abilities = characters.flat_map(|plan| &plan.abilities);
        let leaves = |named: &Named<AbilityRule>| matches!(named.rule.targets.pick, Pick::Policy);
        if !abilities.any(|ability| self.rules.abilities.get(ability.index()).is_some_and(leaves)) {
            let key = format!("policy.{name}.target");
            self.say(target.span, &key, "no ability of its users has `pick = \"policy\"`");
        }
    }

    fn character(&mut self, Named { name, rule, .. }: &Named<CharacterRule>) {
        for word in rule.statuses.iter().flatten() {
            let timed = |status: &&Named<StatusRule>| {
                status.name == word.text && matches!(status.rule.duration, DurationRule::Seconds(_))
            };
            if self.rules.statuses.iter().any(|status| timed(&status)) {
                let because = format!(
                    "`{name}` has it from the start, and therefore permanently; for a limited time, use `statuses` of a member of an encounter"
                );
                self.say(word.span, &format!("status.{}.duration", word.text), &because);
            }
        }
        for word in rule.can_learn.iter().flatten() {
            let gives =
                |effect: &EffectRule| matches!(&effect.kind, EffectKind::Give(given) if given.text == word.text);
            if !self.rules.effects().any(gives) {
                self.say(word.span, &format!("character.{name}.can_learn"), &format!("nothing gives `{}`", word.text));
            }
        }
        let needs = self.rules.levels.as_ref().is_some_and(|levels| levels.needs.is_some());
        if let Some(reward) = rule.reward.as_ref().filter(|_| !needs) {
            self.say(reward.span, &format!("character.{name}.reward"), "`[levels]` has no `needs`");
        }
    }

    fn effect(&mut self, effect: &EffectRule) {
        if constant(&effect.chance) == Some(0.0) {
            self.say(effect.span, &effect.path, "its chance is 0");
        }
        match &effect.kind {
            EffectKind::Apply { status, stacks: Some(stacks), .. } => {
                let stacks_up = |one: &Named<StatusRule>| one.name == status.text && one.rule.reapply == Reapply::Stack;
                if stacks.as_number() != Some(1.0) && !self.rules.statuses.iter().any(stacks_up) {
                    let because = format!("`{}` has one stack, because it has no `reapply = \"stack\"`", status.text);
                    self.say(stacks.span, &format!("{}.stacks", effect.path), &because);
                }
            }
            EffectKind::Lengthen { status: Selector::Name(status), .. } => {
                let endless = |one: &Named<StatusRule>| {
                    one.name == status.text && matches!(one.rule.duration, DurationRule::Endless)
                };
                if self.rules.statuses.iter().any(endless) && !self.is_timed(&status.text) {
                    self.say(status.span, &effect.path, &format!("`{}` does not end by itself", status.text));
                }
            }
            EffectKind::Cleanse(filter) | EffectKind::Transfer(filter) => {
                let Some(word) = &filter.status else { return };
                let kept = |one: &Named<StatusRule>| one.name == word.text && !one.rule.cleansable;
                if self.rules.statuses.iter().any(kept) {
                    self.say(word.span, &effect.path, &format!("`{}` has `cleansable = false`", word.text));
                }
            }
            EffectKind::Damage { tags, .. } => self.tags(effect, tags, "hit"),
            EffectKind::Heal { tags, .. } => self.tags(effect, tags, "heal"),
            EffectKind::Give(word) if !self.can_have(&word.text) => {
                let because = format!("no character can have `{0}`; for example can_learn = [\"{0}\"]", word.text);
                self.say(word.span, &effect.path, &because);
            }
            EffectKind::Take(Selector::Name(word)) if !self.can_have(&word.text) => {
                self.say(word.span, &effect.path, &format!("no character can have `{}`", word.text));
            }
            EffectKind::TakeOff(word) if !self.can_wear(&word.text) => {
                self.say(word.span, &effect.path, &format!("nobody ever wears `{}`", word.text));
            }
            EffectKind::Experience(amount) if self.rules.levels.as_ref().is_none_or(|one| one.needs.is_none()) => {
                self.say(amount.span, &effect.path, "`[levels]` has no `needs`");
            }
            _ => {}
        }
    }

    /// Tags of an effect are only used by steps, so a tag that no step names is probably misspelt.
    fn tags(&mut self, effect: &EffectRule, tags: &[Word], what: &str) {
        let steps: Vec<&Named<StepRule>> =
            if what == "hit" { self.rules.all_hit_steps().collect() } else { self.rules.heal_steps.iter().collect() };
        let asked: Vec<&str> =
            steps.iter().flat_map(|step| step.rule.tags.iter().flatten()).map(|tag| tag.text.as_str()).collect();
        for tag in tags.iter().filter(|tag| !asked.contains(&tag.text.as_str())) {
            let message = format!("`{}.tags` has no effect: no {what} step names `{}`", effect.path, tag.text);
            let warning = Diagnostic::warning(Code::NoEffect, tag.span, message);
            self.out.push(warning.nearest(&tag.text, asked.iter().copied()));
        }
    }

    fn can_have(&self, ability: &str) -> bool {
        let characters = self.rules.characters.iter();
        let mut had = characters.flat_map(|one| one.rule.abilities.iter().chain(&one.rule.can_learn).flatten());
        had.any(|word| word.text == ability)
            || self.rules.statuses.iter().flat_map(|one| &one.rule.abilities).any(|word| word.text == ability)
    }

    fn can_wear(&self, piece: &str) -> bool {
        let mut worn = self.rules.characters.iter().flat_map(|one| one.rule.gear.iter().flatten());
        worn.any(|one| one.piece.text == piece)
            || self.rules.effects().any(|effect| matches!(&effect.kind, EffectKind::Wear(word) if word.text == piece))
    }

    fn sets(&mut self) {
        for Named { name, span, rule } in &self.rules.gear_sets {
            let of_set =
                |piece: &&Named<crate::rules::GearRule>| piece.rule.set.as_ref().is_some_and(|set| set.text == *name);
            let pieces = self.rules.gear.iter().filter(of_set).count() as u32;
            for (needed, _) in rule.worn.iter().filter(|(needed, _)| *needed > pieces) {
                let have = if pieces == 1 { "1 piece belongs".to_owned() } else { format!("{pieces} pieces belong") };
                self.say(*span, &format!("gear_set.{name}.worn.{needed}"), &format!("{have} to the set"));
            }
        }
    }

    fn pools(&mut self) {
        for Named { name, span, rule } in &self.rules.pools {
            if rule.on_cap_change != CapChange::Keep && constant(&rule.max).is_some() {
                self.say(*span, &format!("pools.{name}.on_cap_change"), "its cap is a number and never changes");
            }
        }
    }

    fn levels(&mut self) {
        let Some(levels) = self.rules.levels.as_ref().filter(|levels| levels.needs.is_none()) else { return };
        let key = match (levels.in_fight, levels.most) {
            (true, _) => "levels.in_fight",
            (false, Some(_)) => "levels.most",
            (false, None) => return,
        };
        self.say(levels.span, key, "`needs` is missing: for example needs = \"100 * level\"");
    }
}
