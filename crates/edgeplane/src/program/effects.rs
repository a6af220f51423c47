//! Effects of abilities, ticks and triggers.

use super::Program;
use super::hit_code::StepsEffect;
use super::ids::{
    AbilityId, CharacterId, DamageTypeId, FormulaId, GearId, PoolId, ReportId, SiteId, StatusId, StepId, ZoneId,
};
use super::names::look_up;
use super::resolve::Compiler;
use super::scope::Scope;
use super::steps::StepPlan;
use crate::rules::{
    AbilityRule, CleansePick, EffectKind, EffectRule, Formula, Named, Receiver, Ruleset, Selector, StatusFilter,
    StatusKind, StatusRule, Word,
};
use crate::text::{Code, Diagnostic};

/// One effect.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct EffectPlan {
    /// Its receivers.
    pub to: Receiver,
    /// For a side: only combatants within this many metres of the one whose side is meant.
    pub within: Option<FormulaId>,
    /// A condition.
    pub when: Option<FormulaId>,
    /// A chance.
    pub chance: Option<(FormulaId, SiteId)>,
    /// What it is.
    pub effect: Effect,
}

/// What an effect does.
#[derive(Clone, Debug)]
pub enum Effect {
    /// A hit.
    Hit(StepsEffect),
    /// A heal.
    Heal(StepsEffect),
    /// A change of a pool without steps.
    Pool(PoolEffect),
    /// Applies a status: which one, how many stacks, for how long.
    Apply(StatusId, Option<FormulaId>, Option<FormulaId>),
    /// Removes statuses.
    Cleanse(FilterPlan),
    /// Transfers statuses of the receiver to the caster.
    Transfer(FilterPlan),
    /// Consumes stacks of statuses; all of them if no number is given.
    Consume(Vec<StatusId>, Option<FormulaId>),
    /// Extends or shortens statuses by a number of seconds.
    Lengthen(Vec<StatusId>, FormulaId, bool),
    /// Moves the caster to within this many metres of the receiver.
    Leap(FormulaId),
    /// Applies a status if it is absent, and removes it if it is present.
    Toggle(StatusId),
    /// Changes the threat of the caster for the receiver.
    Threat(FormulaId),
    /// Interrupts the current cast, if it is one of these abilities; any if none are given.
    Interrupt(Option<Vec<AbilityId>>),
    /// The caster's side wins.
    Win,
    /// Sends a report to the game, with numbers.
    Report(ReportId, Vec<FormulaId>),
    /// Puts a piece of gear on the receiver.
    Wear(GearId),
    /// Takes a piece of gear off the receiver.
    TakeOff(GearId),
    /// Gives an ability to the receiver.
    HandOver(AbilityId),
    /// Takes these abilities from the receiver.
    TakeBack(Vec<AbilityId>),
    /// Revives a defeated receiver, with these amounts in its pools.
    Revive(Vec<(PoolId, FormulaId)>),
    /// Gives experience to the receiver.
    Experience(FormulaId),
    /// Moves the receiver away from the caster by this many metres, or toward it.
    Shift(FormulaId, bool),
    /// Places a zone around the receiver.
    Zone(ZoneId),
    /// Lets this many waiting members of a character join the caster's side.
    Call(CharacterId, Option<FormulaId>),
}

/// The statuses selected by a filter.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct FilterPlan {
    /// Only this one.
    pub status: Option<StatusId>,
    /// Only of this kind.
    pub kind: Option<StatusKind>,
    /// Only with one of these tags.
    pub tags: Vec<u16>,
    /// The maximum number.
    pub count: u32,
    /// Which statuses are selected first.
    pub pick: CleansePick,
}

impl Program {
    /// Statuses in words.
    pub(crate) fn name_statuses(&self, statuses: &[StatusId]) -> String {
        statuses.iter().map(|status| self.status(*status).name.as_str()).collect::<Vec<_>>().join(" or ")
    }

    /// Abilities in words.
    pub(crate) fn name_abilities(&self, abilities: &[AbilityId]) -> String {
        abilities.iter().map(|ability| self.ability(*ability).name.as_str()).collect::<Vec<_>>().join(" or ")
    }

    /// The statuses that a filter means, in words.
    pub(crate) fn name_filter(&self, filter: &FilterPlan) -> String {
        if let Some(status) = filter.status {
            return self.status(status).name.clone();
        }
        let count = if filter.count == u32::MAX { "all".to_owned() } else { filter.count.to_string() };
        let kind = filter.kind.map_or("status", StatusKind::name);
        let tags: Vec<&str> = filter.tags.iter().map(|tag| self.tags[usize::from(*tag)].as_str()).collect();
        let tags = if tags.is_empty() { String::new() } else { format!(" tagged {}", tags.join(" or ")) };
        let pick = match filter.pick {
            CleansePick::Oldest => "the oldest",
            CleansePick::Newest => "the newest",
            CleansePick::Longest => "the one with most time left",
        };
        format!("{count} {kind}{tags}, {pick} first")
    }
}

/// The context of a list of effects, and what effects may contain there.
pub(crate) struct Place {
    pub(crate) scope: Scope,
    /// The default receiver.
    pub(crate) to: Receiver,
    /// The possible receivers.
    pub(crate) receivers: &'static [(Receiver, &'static str)],
}

impl Place {
    pub(crate) const ABILITY: Self = Self {
        scope: Scope::EFFECT,
        to: Receiver::Target,
        receivers: &[
            (Receiver::Target, "target"),
            (Receiver::Caster, "caster"),
            (Receiver::Allies, "allies"),
            (Receiver::Others, "others"),
            (Receiver::Enemies, "enemies"),
            (Receiver::Everyone, "everyone"),
        ],
    };
    /// Effects brought about by a game.
    pub(crate) const CAUSE: Self = Self { scope: Scope::CAUSE, ..Self::ABILITY };
    pub(crate) const TICK: Self = Self {
        scope: Scope::TICK,
        to: Receiver::Owner,
        receivers: &[
            (Receiver::Owner, "owner"),
            (Receiver::Caster, "caster"),
            (Receiver::Allies, "allies"),
            (Receiver::Others, "others"),
            (Receiver::Enemies, "enemies"),
            (Receiver::Everyone, "everyone"),
        ],
    };
    /// A trigger with another participant.
    pub(crate) const TRIGGER: Self = Self {
        scope: Scope::TRIGGER,
        to: Receiver::Owner,
        receivers: &[
            (Receiver::Owner, "owner"),
            (Receiver::Other, "other"),
            (Receiver::Caster, "caster"),
            (Receiver::Allies, "allies"),
            (Receiver::Others, "others"),
            (Receiver::Enemies, "enemies"),
            (Receiver::Everyone, "everyone"),
        ],
    };
    /// A trigger that concerns the owner only.
    pub(crate) const LONE_TRIGGER: Self = Self {
        receivers: &[
            (Receiver::Owner, "owner"),
            (Receiver::Caster, "caster"),
            (Receiver::Allies, "allies"),
            (Receiver::Others, "others"),
            (Receiver::Enemies, "enemies"),
            (Receiver::Everyone, "everyone"),
        ],
        ..Self::TRIGGER
    };
}

/// A change of a pool without steps.
#[derive(Clone, Copy, Debug)]
#[non_exhaustive]
pub struct PoolEffect {
    /// Restore or drain.
    pub kind: PoolEffectKind,
    /// The pool.
    pub pool: PoolId,
    /// The amount.
    pub amount: FormulaId,
}

/// The direction of a change of a pool.
#[derive(Clone, Copy, Debug)]
pub enum PoolEffectKind {
    /// The pool gains the amount.
    Restore,
    /// The pool loses the amount; the caster gains this share of it, if given.
    Drain(Option<FormulaId>),
}

impl Compiler<'_> {
    /// Compiles a list of effects; `tags` are those of the ability or status to which they belong.
    pub(crate) fn effects(
        &mut self,
        list: &[EffectRule],
        tags: &[Word],
        place: &Place,
        rules: &Ruleset,
    ) -> Vec<EffectPlan> {
        list.iter().filter_map(|rule| self.effect(rule, tags, place, rules)).collect()
    }

    fn effect(&mut self, rule: &EffectRule, tags: &[Word], place: &Place, rules: &Ruleset) -> Option<EffectPlan> {
        let to = self.receiver(rule, place);
        let within = rule.within.as_ref().map(|within| self.number(within, Scope { target: false, ..place.scope }));
        // `self` is unambiguous only if the receiver is the owner, or the owner acts.
        let foreign = place.scope.owner_is_target && to != Some(Receiver::Owner);
        let scope = Scope { owner: place.scope.owner && !foreign, ..place.scope };
        let when = rule.when.as_ref().map(|when| self.truth(when, scope));
        let chance = rule.chance.as_ref().map(|chance| self.number(chance, scope));
        let chance = chance.map(|chance| Some((chance?, self.site(&format!("{}.chance", rule.path)))));
        let effect = self.act(rule, tags, scope, rules);
        let (when, chance) =
            (when.map_or(Some(None), |when| when.map(Some))?, chance.map_or(Some(None), |c| c.map(Some))?);
        let within = within.map_or(Some(None), |within| within.map(Some))?;
        Some(EffectPlan { to: to?, within, when, chance, effect: effect? })
    }

    fn receiver(&mut self, rule: &EffectRule, place: &Place) -> Option<Receiver> {
        // A call has no target: it is one call, however many targets there are.
        let own = if place.to == Receiver::Target { Receiver::Caster } else { place.to };
        let of_side = matches!(rule.kind, EffectKind::Call { .. } | EffectKind::Win);
        let to = rule.to.unwrap_or(if of_side { own } else { place.to });
        if place.receivers.iter().any(|(receiver, _)| *receiver == to) {
            return Some(to);
        }
        let names: Vec<&str> = place.receivers.iter().map(|(_, name)| *name).collect();
        let message = format!("`to = \"{}\"` means nobody {}", to.name(), place.scope.place);
        let help = format!("one of {}", crate::text::diagnostic::listed(&names));
        self.out.push(Diagnostic::at(Code::NotHere, rule.to_span, message).help(help));
        None
    }

    fn act(&mut self, rule: &EffectRule, own_tags: &[Word], scope: Scope, rules: &Ruleset) -> Option<Effect> {
        let all_tags = |tags: &[Word]| tags.iter().chain(own_tags).map(|tag| tag.text.clone()).collect::<Vec<_>>();
        match &rule.kind {
            EffectKind::Damage { amount, spread, damage_type, skips, tags, pool } => {
                let (amount, spread) = self.amount(amount, spread, rule, scope);
                let steps: Vec<_> = rules.all_hit_steps().collect();
                let skips = self.skips(skips, &steps, "hit step");
                let damage_type = self.damage_type(damage_type, rule);
                let pool = self.receiving_pool(pool, rule);
                let of_type = &self.program.damage_types[damage_type?.index()].skips;
                let passes = |step: &StepPlan| skips.pass(step) || of_type.pass(step);
                let steps = applicable(&self.program.hit_steps, damage_type?, &all_tags(tags), passes);
                Some(Effect::Hit(self.program.steps_effect(amount?, spread, damage_type?, &steps, pool?)))
            }
            EffectKind::Heal { amount, spread, skips, tags, pool } => {
                let (amount, spread) = self.amount(amount, spread, rule, scope);
                let steps: Vec<_> = rules.heal_steps.iter().collect();
                let skips = self.skips(skips, &steps, "heal step");
                let pool = self.receiving_pool(pool, rule);
                let first = DamageTypeId(0);
                let steps = applicable(&self.program.heal_steps, first, &all_tags(tags), |step| skips.pass(step));
                Some(Effect::Heal(self.program.steps_effect(amount?, spread, first, &steps, pool?)))
            }
            EffectKind::Restore { pool, amount } => self.pool_effect(pool, amount, PoolEffectKind::Restore, scope),
            EffectKind::Drain { pool, amount, to_caster } => {
                let share = self.optional(to_caster, scope);
                self.pool_effect(pool, amount, PoolEffectKind::Drain(share), scope)
            }
            EffectKind::Apply { status, stacks, duration } => {
                let status = self.status_named(status);
                let (stacks, duration) = (self.optional(stacks, scope), self.optional(duration, scope));
                Some(Effect::Apply(status?, stacks, duration))
            }
            EffectKind::Cleanse(filter) => self.filter(filter).map(Effect::Cleanse),
            EffectKind::Transfer(filter) => self.filter(filter).map(Effect::Transfer),
            EffectKind::Consume { status, stacks } => {
                let status = self.statuses_selected(status, rules);
                let stacks = self.optional(stacks, scope);
                Some(Effect::Consume(status?, stacks))
            }
            EffectKind::Lengthen { status, by, shorter } => {
                let (status, by) = (self.statuses_selected(status, rules), self.number(by, scope));
                Some(Effect::Lengthen(status?, by?, *shorter))
            }
            EffectKind::Interrupt(None) => Some(Effect::Interrupt(None)),
            EffectKind::Interrupt(Some(which)) => {
                self.abilities_selected(which, rules).map(|which| Effect::Interrupt(Some(which)))
            }
            EffectKind::Revive(amounts) => self.revive(amounts, rule, scope),
            EffectKind::Experience(amount) => self.number(amount, scope).map(Effect::Experience),
            EffectKind::Report(name, numbers) => {
                let numbers: Option<Vec<_>> = numbers.iter().map(|number| self.number(number, scope)).collect();
                Some(Effect::Report(self.report_named(name), numbers?))
            }
            EffectKind::Win => Some(Effect::Win),
            EffectKind::Wear(piece) => self.piece_named(piece).map(Effect::Wear),
            EffectKind::TakeOff(piece) => self.piece_named(piece).map(Effect::TakeOff),
            EffectKind::Give(what) => self.ability_named(what).map(Effect::HandOver),
            EffectKind::Take(what) => self.abilities_selected(what, rules).map(Effect::TakeBack),
            EffectKind::Leap(metres) => Some(Effect::Leap(self.number(metres, scope)?)),
            EffectKind::Toggle(status) => self.status_named(status).map(Effect::Toggle),
            EffectKind::Threat(amount) => {
                if rules.threat.is_none() {
                    self.no_threat(rule.span);
                }
                Some(Effect::Threat(self.number(amount, scope)?))
            }
            EffectKind::Zone(zone) => {
                look_up(&self.names.zones, &zone.text, zone.span, "zone", self.out).map(Effect::Zone)
            }
            EffectKind::Call { character, count } => {
                let kind = "character";
                let id = look_up(&self.names.characters, &character.text, character.span, kind, self.out);
                let count = self.optional(count, scope);
                Some(Effect::Call(id?, count))
            }
            EffectKind::Shift { metres, nearer } => Some(Effect::Shift(self.number(metres, scope)?, *nearer)),
        }
    }

    pub(super) fn ability_named(&mut self, word: &Word) -> Option<AbilityId> {
        look_up(&self.names.abilities, &word.text, word.span, "ability", self.out)
    }

    pub(super) fn status_named(&mut self, word: &Word) -> Option<StatusId> {
        look_up(&self.names.statuses, &word.text, word.span, "status", self.out)
    }

    /// Abilities by name or tag. A tag that no ability has is reported.
    pub(super) fn abilities_selected(&mut self, which: &Selector, rules: &Ruleset) -> Option<Vec<AbilityId>> {
        let tag = match which {
            Selector::Name(word) => return self.ability_named(word).map(|ability| vec![ability]),
            Selector::Tag(tag) => tag,
        };
        let tagged = |one: &Named<AbilityRule>| one.rule.tags.iter().any(|word| word.text == tag.text);
        let all = (0..).map(AbilityId).zip(&rules.abilities).filter(|(_, one)| tagged(one));
        let found: Vec<AbilityId> = all.map(|(id, _)| id).collect();
        if found.is_empty() {
            let message = format!("no ability has the tag `{}`", tag.text);
            let known = rules.abilities.iter().flat_map(|one| &one.rule.tags).map(|word| word.text.as_str());
            self.out.push(Diagnostic::at(Code::UnknownName, tag.span, message).nearest(&tag.text, known));
            return None;
        }
        Some(found)
    }

    /// The same for statuses.
    pub(super) fn statuses_selected(&mut self, which: &Selector, rules: &Ruleset) -> Option<Vec<StatusId>> {
        let tag = match which {
            Selector::Name(word) => return self.status_named(word).map(|status| vec![status]),
            Selector::Tag(tag) => tag,
        };
        self.status_tag(tag)?;
        let tagged = |one: &Named<StatusRule>| one.rule.tags.iter().any(|word| word.text == tag.text);
        let all = (0..).map(StatusId).zip(&rules.statuses).filter(|(_, one)| tagged(one));
        Some(all.map(|(id, _)| id).collect())
    }

    /// A revived combatant must have an amount in each pool that defeats.
    fn revive(&mut self, amounts: &[(Word, Formula)], rule: &EffectRule, scope: Scope) -> Option<Effect> {
        let mut pools = Vec::new();
        for (word, amount) in amounts {
            let pool = look_up(&self.names.pools, &word.text, word.span, "pool", self.out);
            pools.push((pool?, self.number(amount, scope)?));
        }
        let mut defeating = self.program.pools.iter().enumerate().filter(|(_, pool)| pool.defeat);
        if let Some((_, missing)) = defeating.find(|(index, _)| pools.iter().all(|(pool, _)| pool.index() != *index)) {
            let message = format!("a revived combatant would be defeated at once: its `{}` is empty", missing.name);
            let help = format!("for example: revive = {{ {} = 20 }}", missing.name);
            self.out.push(Diagnostic::at(Code::MissingKey, rule.span, message).help(help));
        }
        Some(Effect::Revive(pools))
    }

    fn filter(&mut self, rule: &StatusFilter) -> Option<FilterPlan> {
        let status = rule.status.as_ref().map(|word| self.status_named(word));
        let tags = rule.tags.iter().filter_map(|tag| self.status_tag(tag)).collect();
        let status = status.map_or(Some(None), |status| status.map(Some))?;
        Some(FilterPlan { status, kind: rule.kind, tags, count: rule.count, pick: rule.pick })
    }

    /// A tag that some status has; an unknown tag is reported.
    pub(crate) fn status_tag(&mut self, word: &Word) -> Option<u16> {
        let found = self.names.tags.get(&word.text);
        if found.is_none() {
            let message = format!("no status has the tag `{}`", word.text);
            let known = self.names.tags.names().map(String::as_str);
            self.out.push(Diagnostic::at(Code::UnknownName, word.span, message).nearest(&word.text, known));
        }
        found
    }

    fn amount(
        &mut self,
        amount: &Formula,
        spread: &Option<Formula>,
        rule: &EffectRule,
        scope: Scope,
    ) -> (Option<FormulaId>, Option<(FormulaId, SiteId)>) {
        let amount = self.number(amount, scope);
        let spread = self.optional(spread, scope).map(|spread| (spread, self.site(&format!("{}.spread", rule.path))));
        (amount, spread)
    }

    fn pool_effect(&mut self, pool: &Word, amount: &Formula, kind: PoolEffectKind, scope: Scope) -> Option<Effect> {
        let pool = look_up(&self.names.pools, &pool.text, pool.span, "pool", self.out);
        let amount = self.number(amount, scope);
        Some(Effect::Pool(PoolEffect { kind, pool: pool?, amount: amount? }))
    }

    fn damage_type(&mut self, word: &Option<Word>, rule: &EffectRule) -> Option<DamageTypeId> {
        match word {
            Some(word) => look_up(&self.names.damage_types, &word.text, word.span, "damage type", self.out),
            None if self.names.damage_types.len() == 1 => Some(DamageTypeId(0)),
            None => {
                let names: Vec<&str> = self.names.damage_types.names().map(String::as_str).collect();
                let help = format!("one of {}", crate::text::diagnostic::listed(&names));
                let message = format!("`{}` needs a key `type`: there is more than one damage type", rule.path);
                self.out.push(Diagnostic::at(Code::MissingKey, rule.span, message).help(help));
                None
            }
        }
    }

    fn receiving_pool(&mut self, word: &Option<Word>, rule: &EffectRule) -> Option<PoolId> {
        if let Some(word) = word {
            return look_up(&self.names.pools, &word.text, word.span, "pool", self.out);
        }
        let pool = self.program.defeat_pool();
        if pool.is_none() {
            let message = format!("`{}` does not name a pool", rule.path);
            let help = "add `pool = \"…\"`, or set `defeat = true` for exactly one pool";
            self.out.push(Diagnostic::at(Code::MissingKey, rule.span, message).help(help));
        }
        pool
    }
}

/// The steps of an effect, as far as they are known before the fight.
fn applicable<'a>(
    steps: &'a [StepPlan],
    damage_type: DamageTypeId,
    tags: &[String],
    passes: impl Fn(&StepPlan) -> bool,
) -> Vec<(StepId, &'a StepPlan)> {
    let goes_through = |step: &StepPlan| {
        !passes(step)
            && step.types.as_ref().is_none_or(|types| types.contains(&damage_type.0))
            && step.tags.as_ref().is_none_or(|wanted| wanted.iter().any(|tag| tags.contains(tag)))
    };
    let numbered = (0..).map(StepId).zip(steps);
    numbered.filter(|(_, step)| goes_through(step)).collect()
}
