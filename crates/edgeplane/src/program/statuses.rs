//! Compiled statuses.

use super::abilities::texts;
use super::dirty;
use super::effects::{EffectPlan, Place};
use super::ids::{AbilityId, FormulaId, PoolId, SiteId, Slot, StatusId};
use super::inputs::Inputs;
use super::names::look_up;
use super::resolve::Compiler;
use super::scope::Scope;
use super::status_words::StatusWords;
use super::time::Time;
use crate::rules::{
    DurationRule, LostReason, MOST_KEPT_APART, ModifierKind, ModifierRule, Named, PaceRule, Reapply, Ruleset,
    StackTimer, StatusKind, StatusRule, Subject, TriggerEvent, TriggerRule, Untargetable, Word,
};
use crate::text::{Code, Diagnostic};

/// A status of the ruleset.
#[derive(Clone, Debug)]
pub struct StatusPlan {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// The name under which a game finds its icon; by default its own name.
    pub icon: String,
    /// The text for players.
    pub text: Vec<TextPart>,
    /// Good or bad for its owner.
    pub kind: StatusKind,
    /// Its tags.
    pub tags: Vec<String>,
    /// The duration in seconds; unlimited without one.
    pub duration: Option<FormulaId>,
    /// It ends as soon as this is false.
    pub holds_while: Option<FormulaId>,
    /// The effect of a further application.
    pub reapply: Reapply,
    /// There is a separate record for each caster.
    pub per_caster: bool,
    /// The effect of further stacks on the time.
    pub stack_timer: StackTimer,
    /// The maximum number of stacks.
    pub max_stacks: u32,
    /// The maximum number of instances.
    pub max_instances: u32,
    /// The maximum remaining seconds after an extension.
    pub longest: Option<FormulaId>,
    /// The rank for `strongest`.
    pub rank: Option<FormulaId>,
    /// Its modifiers.
    pub modifiers: Vec<ModifierPlan>,
    /// Its ticks.
    pub every: Option<EveryPlan>,
    /// Its triggers.
    pub triggers: Vec<TriggerPlan>,
    /// Its owner cannot start abilities.
    pub forbids_act: bool,
    /// Its owner picks the combatant that applied it before all others.
    pub taunts: bool,
    /// Its owner cannot move.
    pub forbids_move: bool,
    /// It interrupts a cast.
    pub interrupts: bool,
    /// Tags of statuses to which its owner is immune, by number.
    pub immune: Vec<u16>,
    /// The chance that the target resists it.
    pub resist: Option<(FormulaId, SiteId)>,
    /// It is hidden from players.
    pub hidden: bool,
    /// It represents a worn piece of gear.
    pub worn: bool,
    /// It represents a point.
    pub point: bool,
    /// It cannot be cleansed.
    pub cleansable: bool,
    /// The time before its end at which it is announced.
    pub warn: Option<Time>,
    /// The effects of reaching the maximum of stacks.
    pub at_max: Vec<EffectPlan>,
    /// The stacks are consumed then.
    pub consume: bool,
    /// Values kept from its application.
    pub kept: Vec<FormulaId>,
    /// Its tags, by number.
    pub(crate) tag_ids: Vec<u16>,
    /// Tags of abilities that it forbids, one bit each.
    pub(crate) forbids_tags: u64,
    /// The inputs of its `while`: the combatant that applied it is the caster, its owner the target.
    pub(crate) holds: Inputs,
    /// The numbers of its owner that count it: its stacks and its tags; see [`dirty`].
    pub(crate) counted: u64,
    /// Its tags that formulas read, and the slots of their counts.
    pub(crate) counted_tags: Vec<(u16, Slot)>,
    /// The optional data of each instance.
    pub(crate) words: StatusWords,
    /// The attributes that it changes; see [`dirty`].
    pub(crate) changes: u64,
    /// Those that change with every tick.
    pub(crate) changes_by_tick: u64,
    /// Events of its owner that trigger it, one bit each.
    pub(crate) listens: u32,
    /// Events of others that trigger it.
    pub(crate) watches: u32,
    /// Abilities that it grants to its owner.
    pub abilities: Vec<AbilityId>,
    /// Its owner is on the side of the combatant that applied it.
    pub turns: bool,
    /// The sides whose abilities cannot target its owner.
    pub untargetable: Untargetable,
    /// It forbids something, has triggers or has a condition, so that derived data of its owner change with it.
    pub(crate) binds: bool,
}

/// A part of a text for players.
#[derive(Clone, Debug)]
pub enum TextPart {
    /// Literal text.
    Words(String),
    /// A value.
    Value(FormulaId),
}

/// A modifier.
#[derive(Clone, Copy, Debug)]
pub struct ModifierPlan {
    /// The first slot that it changes.
    pub slot: Slot,
    /// The number of slots: one, or one for each damage type.
    pub slots: u16,
    /// The kind of change.
    pub kind: ModifierKind,
    /// The amount.
    pub amount: FormulaId,
    /// The inputs of the amount; see [`dirty`].
    pub(crate) reads: u64,
    /// The amount, if it is a plain number.
    pub(crate) fixed: Option<f64>,
}

/// Periodic effects.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct EveryPlan {
    /// The interval of ticks.
    pub pace: Pace,
    /// One additional tick at the start.
    pub first_now: bool,
    /// The rest of a period at the end gives a partial tick.
    pub part_tick: bool,
    /// A renewal restarts the rhythm.
    pub restart: bool,
    /// The effects of a tick.
    pub does: Vec<EffectPlan>,
}

/// The interval of ticks.
#[derive(Clone, Copy, Debug)]
pub enum Pace {
    /// A period in seconds.
    Period(FormulaId),
    /// A number of ticks, evenly over the duration.
    Ticks(u32),
}

/// A trigger.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct TriggerPlan {
    /// Its event.
    pub event: TriggerEvent,
    /// A condition.
    pub when: Option<FormulaId>,
    /// A chance.
    pub chance: Option<(FormulaId, SiteId)>,
    /// Seconds until it can trigger again.
    pub cooldown: Option<FormulaId>,
    /// The maximum number of times.
    pub uses: Option<u32>,
    /// The combatants whose events trigger it, relative to the owner.
    pub of: Subject,
    /// Only for these statuses.
    pub status: Option<Vec<StatusId>>,
    /// Only for this reason.
    pub reason: Option<LostReason>,
    /// Only for these abilities.
    pub ability: Option<Vec<AbilityId>>,
    /// The number of stacks to be reached.
    pub stacks: u32,
    /// The pool, and the share that it has to cross.
    pub crossing: Option<(PoolId, f64)>,
    /// Its effects.
    pub does: Vec<EffectPlan>,
    /// Where each instance stores when it is ready again and its remaining uses, see [`StatusWords`]; `None` if it is
    /// always ready.
    pub(crate) words: Option<u16>,
}

/// Diminishing durations of repeated statuses with a tag.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct DiminishPlan {
    /// The tag, by number.
    pub tag: u16,
    /// The time without such a status after which durations are full again.
    pub window: Time,
    /// The factors of the duration.
    pub steps: Vec<f64>,
}

fn listens(triggers: &[TriggerPlan], of: impl Fn(Subject) -> bool) -> u32 {
    triggers.iter().filter(|trigger| of(trigger.of)).fold(0, |bits, trigger| bits | trigger.event.bit())
}

fn most_stacks(rule: &StatusRule) -> u32 {
    match (rule.reapply, rule.stack_timer) {
        (Reapply::Stack, StackTimer::Each) => rule.max_stacks.unwrap_or(MOST_KEPT_APART),
        (Reapply::Stack, _) => rule.max_stacks.unwrap_or(u32::MAX),
        _ => 1,
    }
}

impl Compiler<'_> {
    pub(crate) fn statuses(&mut self, rules: &Ruleset) {
        self.program.tags = vec![String::new(); self.names.tags.len()];
        for (name, id) in self.names.tags.iter() {
            self.program.tags[usize::from(id)].clone_from(name);
        }
        if self.names.forbidden.len() > 64 {
            let message = "statuses forbid more than 64 different tags of abilities";
            self.out.push(Diagnostic::new(Code::TooMany, message));
        }
        let sound = self.plans(&[]).is_some_and(|plans| self.sorted(&plans).is_ok());
        for Named { name, rule, .. } in &rules.statuses {
            let plan = self.status(name, rule, rules);
            if plan.binds || !plan.abilities.is_empty() {
                // Whether the condition held before determines the consequences.
                self.stack_slot(StatusId(self.program.statuses.len() as u16));
            }
            self.program.modifiers_read |= plan.modifiers.iter().fold(0, |bits, modifier| bits | modifier.reads);
            self.program.statuses.push(plan);
        }
        // Modifiers that read attributes can close a cycle that does not exist without them.
        if let Some(plans) = self.plans(&[]).filter(|_| sound) {
            self.ordered(plans);
        }
        for Named { name, span, rule } in &rules.diminish {
            let word = Word { text: name.clone(), span: *span };
            if let Some(tag) = self.status_tag(&word) {
                let (window, steps) = (Time::from_seconds(rule.window), rule.steps.clone());
                self.program.diminish.push(DiminishPlan { tag, window, steps });
            }
        }
    }

    fn pace(&mut self, rule: &PaceRule) -> Option<Pace> {
        let period = match rule {
            PaceRule::Ticks(ticks) => return Some(Pace::Ticks(*ticks)),
            PaceRule::Period(period) => period,
        };
        self.number(period, Scope::APPLIED).map(Pace::Period)
    }

    fn status(&mut self, name: &str, rule: &StatusRule, rules: &Ruleset) -> StatusPlan {
        self.kept = Vec::new();
        let duration = match &rule.duration {
            DurationRule::Endless => None,
            DurationRule::Seconds(seconds) => self.number(seconds, Scope::APPLIED),
        };
        let modifiers: Vec<ModifierPlan> = rule.modify.iter().filter_map(|rule| self.modifier(rule)).collect();
        let every = rule.every.as_ref().and_then(|every| {
            let does = self.effects(&every.does, &rule.tags, &Place::TICK, rules);
            let pace = self.pace(&every.pace)?;
            let (first_now, part_tick, restart) = (every.first_now, every.part_tick, every.restart);
            Some(EveryPlan { pace, first_now, part_tick, restart, does })
        });
        let mut triggers: Vec<TriggerPlan> =
            rule.on.iter().enumerate().filter_map(|(index, on)| self.trigger(name, index, on, rule, rules)).collect();
        let forbids = |word: &str| rule.forbids.iter().any(|known| known.text == word);
        let forbidden = |word: &Word| self.names.forbidden.iter().position(|known| *known == word.text);
        let forbids_tags = rule.forbids.iter().filter_map(forbidden).filter(|bit| *bit < 64).fold(0, |b, i| b | 1 << i);
        let by_tick = modifiers.iter().filter(|one| self.changes_by_tick(one.amount));
        let changes_by_tick = by_tick.fold(0, |bits, one| bits | dirty::bits(one.slot, one.slots));
        let resist = self.optional(&rule.resist, Scope::APPLIED);
        let abilities = rule.abilities.iter().filter_map(|word| self.ability_named(word)).collect();
        let at_max = self.effects(&rule.at_max, &rule.tags, &Place::LONE_TRIGGER, rules);
        let holds_while = rule.holds_while.as_ref().and_then(|holds| self.truth(holds, Scope::HOLDS));
        let most_stacks = most_stacks(rule);
        let tag_ids: Vec<u16> = rule.tags.iter().filter_map(|tag| self.names.tags.get(&tag.text)).collect();
        let holds = holds_while.map(|holds| self.program.inputs(holds)).unwrap_or_default();
        let longest = self.optional(&rule.longest, Scope::APPLIED);
        let rank = self.optional(&rule.rank, Scope::APPLIED);
        let mut words = StatusWords::new(every.is_some(), self.kept.len());
        words.rank = rank.is_some().then(|| words.take(1));
        words.turns = holds.time.then(|| words.take(1));
        for trigger in triggers.iter_mut().filter(|trigger| trigger.uses.is_some() || trigger.cooldown.is_some()) {
            trigger.words = Some(words.take(2));
        }
        StatusPlan {
            holds,
            counted: 0,
            counted_tags: Vec::new(),
            words,
            name: name.to_owned(),
            about: rule.about.clone(),
            icon: rule.icon.as_ref().map_or_else(|| name.to_owned(), |word| word.text.clone()),
            text: self.shown(rule),
            kind: rule.kind,
            tags: texts(&rule.tags),
            duration,
            holds_while,
            reapply: rule.reapply,
            per_caster: rule.per_caster,
            stack_timer: rule.stack_timer,
            max_stacks: most_stacks,
            max_instances: rule.max_instances.unwrap_or(MOST_KEPT_APART),
            longest,
            rank,
            binds: !rule.forbids.is_empty()
                || rule.taunts
                || !triggers.is_empty()
                || rule.holds_while.is_some()
                || rule.turns
                || rule.untargetable != Untargetable::No,
            listens: listens(&triggers, Subject::has_owner),
            watches: listens(&triggers, Subject::has_others),
            abilities,
            turns: rule.turns,
            untargetable: rule.untargetable,
            changes: modifiers.iter().fold(0, |bits, one| bits | dirty::bits(one.slot, one.slots)),
            changes_by_tick,
            modifiers,
            every,
            triggers,
            forbids_act: forbids("act"),
            forbids_move: forbids("move"),
            forbids_tags,
            interrupts: rule.interrupts,
            taunts: rule.taunts,
            immune: rule.immune.iter().filter_map(|tag| self.status_tag(tag)).collect(),
            resist: resist.map(|resist| (resist, self.site(&format!("status.{name}.resist")))),
            hidden: rule.hidden,
            worn: rule.worn,
            point: rule.point,
            cleansable: rule.cleansable,
            warn: rule.warn.map(Time::from_seconds),
            at_max,
            consume: rule.consume,
            kept: std::mem::take(&mut self.kept),
            tag_ids,
        }
    }

    /// Whether a modifier reads values that change while the status lasts: it is recomputed with each tick.
    fn changes_by_tick(&self, amount: FormulaId) -> bool {
        let mut found = false;
        self.program.formula(amount).each_read(|read| {
            use super::layout::Layout;
            use super::tree::Read;
            found |= matches!(read, Read::Local(Layout::TICK | Layout::ELAPSED | Layout::REMAINING));
        });
        found
    }

    fn modifier(&mut self, rule: &ModifierRule) -> Option<ModifierPlan> {
        let text = &rule.attribute.text;
        let (name, of) = text.split_once('.').map_or((text.as_str(), None), |(name, of)| (name, Some(of)));
        let attribute = self.names.attribute(name, rule.attribute.span, self.out);
        let scope = match attribute {
            Some(attribute) if attribute.per_type => Scope::TYPED_MODIFIER,
            _ => Scope::MODIFIER,
        };
        let amount = self.number(&rule.amount, scope);
        let attribute = attribute?;
        let (damage_type, slots) = match (attribute.per_type, of) {
            (false, None) => (0, 1),
            (true, None) => (0, self.program.layout.types),
            (true, Some(of)) => {
                (look_up(&self.names.damage_types, of, rule.attribute.span, "damage type", self.out)?.0, 1)
            }
            (false, Some(of)) => {
                let message = format!("`{name}` is one number; it has no part `{of}`");
                self.out.push(Diagnostic::at(Code::UnknownName, rule.attribute.span, message));
                return None;
            }
        };
        let amount = amount?;
        let reads = self.program.dirty_reads(amount);
        Some(ModifierPlan {
            slot: attribute.slot.plus(damage_type),
            slots,
            kind: rule.kind,
            amount,
            reads,
            fixed: self.program.formula(amount).as_number(),
        })
    }

    fn trigger(
        &mut self,
        status: &str,
        index: usize,
        on: &TriggerRule,
        rule: &StatusRule,
        rules: &Ruleset,
    ) -> Option<TriggerPlan> {
        // For events of others, the subject is `other`.
        let has_other = on.event.has_other() || on.of != Subject::Owner;
        let place = if has_other { Place::TRIGGER } else { Place::LONE_TRIGGER };
        let scope = Scope { target: has_other, ..place.scope };
        let chance = on.chance.as_ref().map(|chance| self.number(chance, scope));
        let chance = chance.map(|chance| Some((chance?, self.site(&format!("status.{status}.on.{index}.chance")))));
        let of_status = on.status.as_ref().map(|which| self.statuses_selected(which, rules));
        let ability = on.ability.as_ref().map(|which| self.abilities_selected(which, rules));
        let pool = on.pool.as_ref().map(|word| look_up(&self.names.pools, &word.text, word.span, "pool", self.out));
        let whole = of_status.as_ref().is_none_or(|found| found.is_some())
            && ability.as_ref().is_none_or(|found| found.is_some())
            && pool.is_none_or(|found| found.is_some());
        let plan = TriggerPlan {
            event: on.event,
            of: on.of,
            when: on.when.as_ref().and_then(|when| self.truth(when, scope)),
            chance: chance.flatten(),
            cooldown: self.optional(&on.cooldown, scope),
            uses: on.uses,
            status: of_status.flatten(),
            reason: on.reason,
            ability: ability.flatten(),
            stacks: on.stacks.unwrap_or(0),
            crossing: pool.flatten().zip(on.share),
            does: self.effects(&on.does, &rule.tags, &place, rules),
            words: None,
        };
        whole.then_some(plan)
    }

    /// The text for players, split at its values.
    fn shown(&mut self, rule: &StatusRule) -> Vec<TextPart> {
        let values: Vec<(String, Option<FormulaId>)> =
            rule.values.iter().map(|(word, value)| (word.text.clone(), self.number(value, Scope::SHOWN))).collect();
        let Some(text) = &rule.text else { return Vec::new() };
        let mut parts = Vec::new();
        let mut rest = text.text.as_str();
        while let Some((before, after)) = rest.split_once('{') {
            parts.push(TextPart::Words(before.to_owned()));
            let (name, after) = after.split_once('}').unwrap_or((after, ""));
            match values.iter().find(|(known, _)| known == name) {
                Some((_, value)) => parts.extend(value.map(TextPart::Value)),
                None => {
                    let message = format!("the text contains `{{{name}}}`, but there is no value of that name");
                    let known = values.iter().map(|(name, _)| name.as_str());
                    self.out.push(Diagnostic::at(Code::UnknownName, text.span, message).nearest(name, known));
                }
            }
            rest = after;
        }
        parts.push(TextPart::Words(rest.to_owned()));
        parts
    }
}
