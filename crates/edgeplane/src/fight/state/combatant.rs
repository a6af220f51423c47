//! What changes of one combatant: what it does, who decides for it, its abilities, and the lines of its policy as it last found
//! them.

use crate::fight::events::Source;
use crate::program::{CombatantId, FormulaId, JoinPlan, Setup, SideId, StatusId, Time};
use crate::rules::Untargetable;

/// What a combatant is doing.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) enum Doing {
    /// Nothing: it waits for something to change.
    #[default]
    Idle,
    /// It winds up for an ability, by its index among all abilities of all combatants, or keeps it up.
    Casting(u32),
    /// It is locked out until a moment.
    Recovering,
}

/// Who decides for a combatant.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) enum Control {
    #[default]
    Policy,
    /// Calls of the game, one by one.
    Hand,
    /// A controller, where there is one; else its policy.
    Controller,
}

#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Combatant {
    pub(in crate::fight) doing: Doing,
    pub(in crate::fight) control: Control,
    pub(in crate::fight) stands: bool,
    /// The side on which it is now.
    pub(in crate::fight) side: SideId,
    /// Whose abilities cannot be used on it.
    pub(in crate::fight) untargetable: Untargetable,
    /// Somebody else's status is triggered when its pools cross a share.
    pub(in crate::fight) watched_crossings: bool,
    /// It walks on while it is busy.
    pub(in crate::fight) mobile: bool,
    /// It has not joined yet.
    pub(in crate::fight) absent: bool,
    /// Nobody is there: a game can spawn somebody.
    pub(in crate::fight) vacant: bool,
    /// A game moves it, and the engine never does.
    pub(in crate::fight) is_moved: bool,
    /// It decides before this moment is over.
    pub(in crate::fight) decides: bool,
    /// A pool that defeats may have run empty since that was last looked at.
    pub(in crate::fight) may_fall: bool,
    /// Nothing was possible when it last decided.
    pub(in crate::fight) waits: bool,
    /// The ability under way is aimed at several (or nobody): they stand in [`State::aimed`].
    pub(in crate::fight) many: bool,
    /// The ability under way has been released and is kept up.
    pub(in crate::fight) sustains: bool,
    /// A status keeps it from moving.
    pub(in crate::fight) rooted: bool,
    /// A status says whom it picks first.
    pub(in crate::fight) taunted: bool,
    /// A number of it has changed on which conditions of statuses may depend.
    pub(in crate::fight) conditions_changed: bool,
    /// How often the ability under way will still take effect; none, before it does for the first time.
    pub(in crate::fight) releases_left: u16,
    /// Uses of abilities that it has begun, counted with wrap-around: it tells the one under way from those before.
    pub(in crate::fight) uses_begun: u16,
    /// Whom the ability under way is aimed at, if that is one.
    pub(in crate::fight) target: CombatantId,
    /// How many it is aimed at, if several.
    pub(in crate::fight) aimed: u16,
    /// Its tie-break rank: who comes first at one moment.
    pub(in crate::fight) rank: u32,
    /// A status that keeps it from starting abilities.
    pub(in crate::fight) forbids_act: Option<StatusId>,
    /// Events of its own that its statuses are triggered by, one bit each.
    pub(in crate::fight) listens: u32,
    /// Events of others that its statuses are triggered by.
    pub(in crate::fight) watches: u32,
    /// Tags of abilities that statuses forbid it, one bit each.
    pub(in crate::fight) forbids_tags: u64,
    /// Own pools of which a change concerns somebody, one bit each.
    pub(in crate::fight) alert: u64,
    /// Lines of its policy on which something has changed since it last looked at them.
    pub(in crate::fight) changed_lines: u64,
    /// Lines that a cooldown keeps closed, which nothing but its end can open.
    pub(in crate::fight) cooling: u64,
    /// Lines that only distance keeps closed: their states say within how many metres somebody has to come.
    pub(in crate::fight) far: u64,
    /// When what it is doing has begun, and when it ends.
    pub(in crate::fight) since: Time,
    pub(in crate::fight) until: Time,
    /// When a line may open by itself, while it waits.
    pub(in crate::fight) wake: Time,
    /// When it will have reacted to what has opened a line.
    pub(in crate::fight) reacts_at: Time,
    pub(in crate::fight) hurt_by: Option<(CombatantId, Source)>,
}

/// What most fights need of nobody.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Cold {
    /// How many have been there before it.
    pub(in crate::fight) generation: u32,
    /// The ability under way is kept up until then at the latest; its next tick.
    pub(in crate::fight) sustains_until: Time,
    pub(in crate::fight) next_tick_at: Time,
    /// Experience that it has gained, and how much of it counts toward its next level.
    pub(in crate::fight) experience: f64,
    pub(in crate::fight) toward: f64,
}

/// A line of a policy, as its owner last found it.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct LineState {
    /// It stays closed until then, unless something changes on which it depends.
    pub(in crate::fight) until: Time,
    /// How far along its gates it got.
    pub(in crate::fight) gate: Gate,
    /// Nothing but distance keeps it closed.
    pub(in crate::fight) only_distance: bool,
}

/// The gates of a line, in the order in which they are looked at: the first that is closed is why the
/// ability is unavailable.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[repr(u8)]
pub(in crate::fight) enum Gate {
    /// Nobody has looked yet.
    #[default]
    Unknown = 0,
    /// The combatant does not have the ability.
    NotKnown,
    Forbidden,
    Locked,
    Cooldown,
    /// Charges, uses, an opener.
    Stock,
    Condition,
    Target,
    Reach,
    Cost,
    Open,
}

/// What changes of one ability of one combatant.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct AbilityState {
    /// When its cooldown ends.
    pub(in crate::fight) ready: Time,
    /// The combatant has it now.
    pub(in crate::fight) known: bool,
    /// It has it of its own, and not only by a status.
    pub(in crate::fight) own: bool,
    /// The gate for which it was last reported to be unavailable, and the number of the reason; none, if it was not.
    pub(in crate::fight) reported: Option<Gate>,
    pub(in crate::fight) reported_kind: u8,
    /// How often it was used.
    pub(in crate::fight) used: u32,
    /// When it last took effect; never, if it has not.
    pub(in crate::fight) released: Time,
}

/// The charges of one ability of one combatant.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Charges {
    /// How many there were at the last use, or when one was last regained.
    pub(in crate::fight) left: u32,
    /// When the next one is regained, and how long each of those after it takes.
    pub(in crate::fight) next: Time,
    pub(in crate::fight) regain: Time,
}

impl Combatant {
    pub(super) fn new(setup: &Setup, who: CombatantId) -> Self {
        let present = setup.script.joins(who) == JoinPlan::AtStart;
        Self {
            doing: Doing::Idle,
            control: Control::Policy,
            side: setup.combatants[who.index()].side,
            untargetable: setup.program.characters[setup.combatants[who.index()].character.index()].untargetable,
            watched_crossings: false,
            mobile: false,
            stands: present,
            absent: !present,
            vacant: setup.script.joins(who) == JoinPlan::Spawned,
            is_moved: false,
            decides: false,
            may_fall: true,
            waits: false,
            many: false,
            sustains: false,
            rooted: false,
            taunted: false,
            conditions_changed: false,
            releases_left: 0,
            uses_begun: 0,
            target: CombatantId(0),
            aimed: 0,
            rank: 0,
            forbids_act: None,
            listens: 0,
            watches: 0,
            forbids_tags: 0,
            alert: setup.alert[who.index()],
            changed_lines: u64::MAX,
            cooling: 0,
            far: 0,
            since: Time::ZERO,
            until: Time::ZERO,
            wake: Time::ZERO,
            reacts_at: Time::NEVER,
            hurt_by: None,
        }
    }

    /// Notes of which own pools a change concerns somebody.
    pub(in crate::fight) fn listen_to_pools(&mut self, setup: &Setup, who: CombatantId) {
        let all = self.watched_crossings
            || self.listens & crate::fight::statuses::triggers::CROSSINGS != 0
            || self.control == Control::Controller;
        self.alert = if all { u64::MAX } else { setup.alert[who.index()] };
    }

    /// Whether it has taken part and does no more.
    #[inline]
    pub(in crate::fight) fn is_defeated(&self) -> bool {
        !self.stands && !self.absent
    }

    /// Whether its policy, or its controller, decides for it.
    #[inline]
    pub(in crate::fight) fn decides_by_itself(&self) -> bool {
        self.stands && self.control != Control::Hand
    }
}

impl Cold {
    pub(super) const NONE: Self =
        Self { generation: 0, sustains_until: Time::NEVER, next_tick_at: Time::NEVER, experience: 0.0, toward: 0.0 };
}

impl LineState {
    pub(super) const NEW: Self = Self { until: Time::ZERO, gate: Gate::Unknown, only_distance: false };
}

/// Lines of all policies.
pub(super) fn lines_of(setup: &Setup) -> usize {
    setup.policies.last().map_or(0, |last| last.first_line as usize + last.lines.len())
}

/// How many of them can be closed by distance.
pub(super) fn reaches_of(setup: &Setup) -> usize {
    if setup.is_placed { lines_of(setup) } else { 0 }
}

impl AbilityState {
    /// As a fight begins, by its index among all abilities of all combatants.
    pub(super) fn new(setup: &Setup, index: usize) -> Self {
        let table = &setup.abilities[index];
        Self {
            ready: Time::ZERO,
            known: table.known,
            own: table.known,
            reported: None,
            reported_kind: 0,
            used: 0,
            released: Time::NEVER,
        }
    }
}

impl Charges {
    /// As a fight begins: those of all abilities that have any.
    pub(super) fn all(setup: &Setup) -> impl Iterator<Item = Self> {
        setup.abilities.iter().filter_map(|table| setup.program.ability(table.ability).charges).map(Self::full)
    }

    /// All that there can be.
    pub(super) fn full((most, _): (u32, FormulaId)) -> Self {
        Self { left: most, next: Time::ZERO, regain: Time::ZERO }
    }

    /// How many there are at a moment.
    pub(in crate::fight) fn refill(&mut self, most: u32, now: Time) -> u32 {
        while self.left < most && self.next <= now {
            self.left += 1;
            self.next = self.next + self.regain;
            if self.regain == Time::ZERO {
                self.left = most;
            }
        }
        self.left
    }
}
