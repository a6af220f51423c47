//! `on = [...]`: triggers of statuses.

use super::effects::EffectRule;
use super::reader::{Fields, Formula, Selector, Word, list};
use super::shape;
use crate::text::{Code, Diagnostic, Diagnostics, Node};

/// An event of the owner of a status.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
#[repr(u8)]
pub enum TriggerEvent {
    /// The fight begins.
    FightBegan,
    /// A hit of the owner took something from a pool.
    HitDealt,
    /// A hit took something from a pool of the owner.
    HitTaken,
    /// A step stopped a hit on the owner.
    HitAvoided,
    /// A pool of the owner soaked a hit, or a part of it.
    HitSoaked,
    /// The owner healed a combatant.
    HealGiven,
    /// The owner was healed.
    HealTaken,
    /// The owner started an ability.
    AbilityUsed,
    /// An ability of the owner became unavailable while the owner was free to act.
    AbilityUnavailable,
    /// A cast of the owner was interrupted.
    Interrupted,
    /// The owner gained this status.
    Gained,
    /// This status was renewed.
    Renewed,
    /// The owner lost this status.
    Lost,
    /// The owner gained any status.
    StatusGained,
    /// The owner lost any status.
    StatusLost,
    /// This status reached a number of stacks.
    StacksReached,
    /// A pool of the owner dropped to or below a share.
    PoolBelow,
    /// A pool of the owner rose to or above a share.
    PoolAbove,
    /// Another member of the owner's side was defeated.
    AllyDefeated,
    /// A member of another side was defeated.
    EnemyDefeated,
    /// The owner is defeated.
    Defeated,
    /// The owner became a target of another combatant's ability.
    Targeted,
}

/// The words for [`TriggerEvent`].
pub(crate) const EVENTS: &[(&str, TriggerEvent)] = &[
    ("fight_began", TriggerEvent::FightBegan),
    ("hit_dealt", TriggerEvent::HitDealt),
    ("hit_taken", TriggerEvent::HitTaken),
    ("hit_avoided", TriggerEvent::HitAvoided),
    ("hit_soaked", TriggerEvent::HitSoaked),
    ("heal_given", TriggerEvent::HealGiven),
    ("heal_taken", TriggerEvent::HealTaken),
    ("ability_used", TriggerEvent::AbilityUsed),
    ("ability_unavailable", TriggerEvent::AbilityUnavailable),
    ("interrupted", TriggerEvent::Interrupted),
    ("gained", TriggerEvent::Gained),
    ("renewed", TriggerEvent::Renewed),
    ("lost", TriggerEvent::Lost),
    ("status_gained", TriggerEvent::StatusGained),
    ("status_lost", TriggerEvent::StatusLost),
    ("stacks_reached", TriggerEvent::StacksReached),
    ("pool_below", TriggerEvent::PoolBelow),
    ("pool_above", TriggerEvent::PoolAbove),
    ("ally_defeated", TriggerEvent::AllyDefeated),
    ("enemy_defeated", TriggerEvent::EnemyDefeated),
    ("defeated", TriggerEvent::Defeated),
    ("targeted", TriggerEvent::Targeted),
];

impl TriggerEvent {
    /// As it is written.
    pub fn name(self) -> &'static str {
        EVENTS.iter().find(|(_, event)| *event == self).map_or("", |(name, _)| name)
    }

    /// All events, in the order of the reference.
    pub fn all() -> impl Iterator<Item = Self> {
        EVENTS.iter().map(|(_, event)| *event)
    }

    /// Description of the event; its subject is the owner of the status unless the trigger says `of`.
    pub fn about(self) -> &'static str {
        match self {
            Self::FightBegan => "The fight begins, or it joins.",
            Self::HitDealt => "Its hit takes something from a pool.",
            Self::HitTaken => "A hit takes something from its pool.",
            Self::HitAvoided => "A step stops a hit on it.",
            Self::HitSoaked => "A pool of its own soaks a hit, or a part of one.",
            Self::HealGiven => "It heals a combatant.",
            Self::HealTaken => "It is healed.",
            Self::AbilityUsed => "It starts an ability.",
            Self::AbilityUnavailable => {
                "It is free to act, and an ability that its policy asks for becomes unavailable."
            }
            Self::Interrupted => "Its cast is interrupted.",
            Self::Gained => "It gains this status.",
            Self::Renewed => "This status is applied again while it lasts.",
            Self::Lost => "It loses this status.",
            Self::StatusGained => "It gains any status.",
            Self::StatusLost => "It loses any status.",
            Self::StacksReached => "This status reaches a number of stacks, from below or above.",
            Self::PoolBelow => "Its pool drops to or below a share of the cap.",
            Self::PoolAbove => "Its pool rises to or above a share of the cap.",
            Self::AllyDefeated => "Another member of its side is defeated.",
            Self::EnemyDefeated => "A member of another side is defeated.",
            Self::Defeated => "It is defeated.",
            Self::Targeted => "Another combatant starts an ability aimed at it.",
        }
    }

    /// The other combatant, if there is one.
    pub fn other(self) -> &'static str {
        match self {
            Self::HitDealt => "the target",
            Self::HitTaken | Self::HitAvoided | Self::HitSoaked => "the attacker",
            Self::HealGiven => "the target",
            Self::HealTaken => "the healer",
            Self::AbilityUsed => "the first target",
            Self::Interrupted => "the interrupter",
            Self::Gained | Self::Renewed | Self::Lost | Self::StatusGained | Self::StatusLost => "its caster",
            Self::AllyDefeated | Self::EnemyDefeated => "the defeated",
            Self::Defeated => "the attacker",
            Self::Targeted => "the user",
            Self::FightBegan | Self::AbilityUnavailable | Self::StacksReached | Self::PoolBelow | Self::PoolAbove => "",
        }
    }

    /// As a bit of a set.
    pub fn bit(self) -> u32 {
        1 << self as u8
    }

    /// Whether another combatant takes part in it.
    pub fn has_other(self) -> bool {
        !matches!(
            self,
            Self::FightBegan | Self::AbilityUnavailable | Self::StacksReached | Self::PoolBelow | Self::PoolAbove
        )
    }

    /// Whether it concerns one instance of the status itself, and not its owner.
    pub fn is_of_instance(self) -> bool {
        matches!(self, Self::Gained | Self::Renewed | Self::Lost | Self::StacksReached)
    }

    /// Keys that restrict it.
    pub fn own_keys(self) -> &'static [&'static str] {
        match self {
            Self::StatusGained => &["status", "tag"],
            Self::StatusLost => &["status", "tag", "reason"],
            Self::Lost => &["reason"],
            Self::StacksReached => &["stacks"],
            Self::PoolBelow | Self::PoolAbove => &["pool", "share"],
            Self::AbilityUsed | Self::AbilityUnavailable | Self::Targeted => &["ability", "tag"],
            _ => &[],
        }
    }
}

/// The reason why a status ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
pub enum LostReason {
    /// Its time was up.
    Expired,
    /// It was cleansed.
    Cleansed,
    /// Another application replaced it.
    Replaced,
    /// Its stacks were consumed.
    Consumed,
    /// Its condition or its source no longer holds.
    ConditionEnded,
    /// Its owner was defeated.
    OwnerDefeated,
    /// Its owner has left the fight.
    OwnerLeft,
    /// It was transferred.
    Transferred,
}

/// The words for [`LostReason`].
pub(crate) const REASONS: &[(&str, LostReason)] = &[
    ("expired", LostReason::Expired),
    ("cleansed", LostReason::Cleansed),
    ("replaced", LostReason::Replaced),
    ("consumed", LostReason::Consumed),
    ("condition_ended", LostReason::ConditionEnded),
    ("owner_defeated", LostReason::OwnerDefeated),
    ("owner_left", LostReason::OwnerLeft),
    ("transferred", LostReason::Transferred),
];

impl LostReason {
    /// As it is written.
    pub fn name(self) -> &'static str {
        REASONS.iter().find(|(_, reason)| *reason == self).map_or("", |(name, _)| name)
    }
}

/// The combatants whose events trigger it, relative to the owner of the status.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Subject {
    /// The owner.
    #[default]
    Owner,
    /// The other members of its side.
    Others,
    /// All members of its side.
    Allies,
    /// All other sides.
    Enemies,
    /// Everybody.
    Anyone,
}

/// The words for [`Subject`].
pub(crate) const SUBJECTS: &[(&str, Subject)] = &[
    ("self", Subject::Owner),
    ("others", Subject::Others),
    ("allies", Subject::Allies),
    ("enemies", Subject::Enemies),
    ("anyone", Subject::Anyone),
];

impl Subject {
    /// Whether it includes events of the owner of the status.
    pub fn has_owner(self) -> bool {
        matches!(self, Self::Owner | Self::Allies | Self::Anyone)
    }

    /// Whether it includes events of others.
    pub fn has_others(self) -> bool {
        self != Self::Owner
    }

    /// As it is written.
    pub fn name(self) -> &'static str {
        SUBJECTS.iter().find(|(_, subject)| *subject == self).map_or("", |(name, _)| name)
    }
}

/// One trigger.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct TriggerRule {
    /// The event.
    pub event: TriggerEvent,
    /// A condition.
    pub when: Option<Formula>,
    /// A chance.
    pub chance: Option<Formula>,
    /// Seconds until it can trigger again.
    pub cooldown: Option<Formula>,
    /// The maximum number of times, for each application of the status.
    pub uses: Option<u32>,
    /// The combatants whose events trigger it.
    pub of: Subject,
    /// Only for these statuses.
    pub status: Option<Selector>,
    /// Only for this reason.
    pub reason: Option<LostReason>,
    /// Only for these abilities.
    pub ability: Option<Selector>,
    /// The number of stacks to be reached.
    pub stacks: Option<u32>,
    /// The pool that has to cross a share.
    pub pool: Option<Word>,
    /// That share, from 0 to 1.
    pub share: Option<f64>,
    /// Its effects.
    pub does: Vec<EffectRule>,
}

pub(super) fn read_list(node: &Node, path: &str, out: &mut Diagnostics) -> Vec<TriggerRule> {
    let items = list(node, path, out).unwrap_or_default();
    items.iter().enumerate().filter_map(|(index, item)| read(item, &format!("{path}.{index}"), out)).collect()
}

fn read(node: &Node, path: &str, out: &mut Diagnostics) -> Option<TriggerRule> {
    let all = ["status", "tag", "reason", "ability", "stacks", "pool", "share"];
    let event = event_of(node, path, out)?;
    let has_meaning = |key: &str| !all.contains(&key) || event.own_keys().contains(&key);
    let fields = Fields::open_some(node, path, &shape::TRIGGER, has_meaning, out)?;
    let own = |key: &str| event.own_keys().contains(&key);
    let rule = TriggerRule {
        event,
        when: fields.formula("when", out),
        chance: fields.formula("chance", out),
        cooldown: fields.formula("cooldown", out),
        uses: fields.whole("uses", out),
        of: subject(&fields, event, out),
        status: own("status").then(|| fields.name_or_tag("status", out)).flatten(),
        reason: fields.choice("reason", REASONS, out),
        ability: own("ability").then(|| fields.name_or_tag("ability", out)).flatten(),
        stacks: fields.whole("stacks", out),
        pool: fields.text("pool", out),
        share: fields.number("share", out),
        does: super::statuses::does(&fields, "does", out),
    };
    for (key, example) in [("stacks", "stacks = 3"), ("pool", "pool = \"health\""), ("share", "share = 0.3")] {
        if event.own_keys().contains(&key) && fields.get(key).is_none() {
            fields.missing(key, example, out);
            return None;
        }
    }
    if fields.get("does").is_none() {
        fields.missing("does", "does = [{ restore = \"breath\", amount = 2 }]", out);
    }
    Some(rule)
}

/// Events of an instance are available to that instance only.
fn subject(fields: &Fields<'_>, event: TriggerEvent, out: &mut Diagnostics) -> Subject {
    let of = fields.choice("of", SUBJECTS, out).unwrap_or_default();
    let node = fields.get("of").filter(|_| of != Subject::Owner && event.is_of_instance());
    if let Some(node) = node {
        let message = format!("`{}` concerns this status on its owner, never others", event.name());
        let help = "use status_gained or status_lost with `status = \"…\"` for statuses of others";
        out.push(Diagnostic::at(Code::KeyConflict, node.span, message).help(help));
    }
    of
}

/// The event is read first: it determines the other keys.
fn event_of(node: &Node, path: &str, out: &mut Diagnostics) -> Option<TriggerEvent> {
    let crate::text::Value::Table(table) = &node.value else {
        out.push(super::reader::wrong_type(node, "a table such as { event = \"hit_taken\", does = [ … ] }", path));
        return None;
    };
    let Some(event) = table.get("event") else {
        let message = format!("`{path}` needs a key `event`");
        let help = "for example: event = \"hit_taken\"";
        out.push(Diagnostic::at(Code::MissingKey, node.span, message).help(help));
        return None;
    };
    let word = super::reader::word(event, &format!("{path}.event"), out)?;
    super::reader::choose(&word, &format!("{path}.event"), EVENTS, out)
}
