//! The changing state of one combatant: what it is doing, who decides for it, its abilities, and the lines of its
//! policy as last evaluated.

use crate::fight::events::Source;
use crate::program::{CombatantId, FormulaId, JoinPlan, Setup, SideId, StatusId, Time};
use crate::rules::Untargetable;

/// What a combatant is doing.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) enum Doing {
    /// Nothing: it waits for a change.
    #[default]
    Idle,
    /// Casting or sustaining an ability, given by its index among all abilities of all combatants.
    Casting(u32),
    /// Recovering until a given time.
    Recovering,
}

/// Who decides for a combatant.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) enum Control {
    #[default]
    Policy,
    /// Individual calls of the game.
    Hand,
    /// A controller if there is one, otherwise the policy.
    Controller,
}

#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Combatant {
    pub(in crate::fight) doing: Doing,
    pub(in crate::fight) control: Control,
    pub(in crate::fight) stands: bool,
    /// Its current side.
    pub(in crate::fight) side: SideId,
    /// The sides whose abilities cannot target it.
    pub(in crate::fight) untargetable: Untargetable,
    /// A status of another combatant triggers when a pool of this one crosses a share.
    pub(in crate::fight) watched_crossings: bool,
    /// It keeps walking while it is busy.
    pub(in crate::fight) mobile: bool,
    /// It has not joined yet.
    pub(in crate::fight) absent: bool,
    /// The slot is empty: a game can spawn a combatant in it.
    pub(in crate::fight) vacant: bool,
    /// The game moves it; the engine never does.
    pub(in crate::fight) is_moved: bool,
    /// It is queued to decide in this moment.
    pub(in crate::fight) decides: bool,
    /// A pool that defeats may have become empty since the last check.
    pub(in crate::fight) may_be_defeated: bool,
    /// No line was open at its last decision.
    pub(in crate::fight) waits: bool,
    /// The ability under way has several targets or none: they are listed in [`State::aimed`].
    pub(in crate::fight) many: bool,
    /// The ability under way has been released and is sustained.
    pub(in crate::fight) sustains: bool,
    /// A status prevents it from moving.
    pub(in crate::fight) rooted: bool,
    /// A status determines its first target.
    pub(in crate::fight) taunted: bool,
    /// A number of this combatant on which conditions of statuses may depend has changed.
    pub(in crate::fight) conditions_changed: bool,
    /// The number of remaining releases of the ability under way; 0 before the first release.
    pub(in crate::fight) releases_left: u16,
    /// The number of uses it has begun, wrapping around: it distinguishes the current use from earlier ones.
    pub(in crate::fight) uses_begun: u16,
    /// The target of the ability under way, if there is exactly one.
    pub(in crate::fight) target: CombatantId,
    /// The number of targets, if there are several.
    pub(in crate::fight) aimed: u16,
    /// Its tie-break rank: the order of combatants within one moment.
    pub(in crate::fight) rank: u32,
    /// A status that forbids it to start abilities.
    pub(in crate::fight) forbids_act: Option<StatusId>,
    /// Its own events that trigger its statuses, one bit each.
    pub(in crate::fight) listens: u32,
    /// Events of others that trigger its statuses.
    pub(in crate::fight) watches: u32,
    /// Ability tags that its statuses forbid, one bit each.
    pub(in crate::fight) forbids_tags: u64,
    /// Its pools on which something depends, one bit each.
    pub(in crate::fight) alert: u64,
    /// Lines of its policy with a changed input since they were last evaluated.
    pub(in crate::fight) changed_lines: u64,
    /// Lines kept closed by a cooldown, which only the end of the cooldown can open.
    pub(in crate::fight) cooling: u64,
    /// Lines kept closed by distance only: their states hold the required distance in metres.
    pub(in crate::fight) far: u64,
    /// The start and the end of its current action.
    pub(in crate::fight) since: Time,
    pub(in crate::fight) until: Time,
    /// The earliest time at which a line may open without an event, while it waits.
    pub(in crate::fight) wake: Time,
    /// When its reaction time to an opened line ends.
    pub(in crate::fight) reacts_at: Time,
    pub(in crate::fight) hurt_by: Option<(CombatantId, Source)>,
}

/// Data that most fights need for no combatant.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Cold {
    /// The number of earlier occupants of this slot.
    pub(in crate::fight) generation: u32,
    /// The latest end of the sustained ability, and its next tick.
    pub(in crate::fight) sustains_until: Time,
    pub(in crate::fight) next_tick_at: Time,
    /// The experience gained, and the part of it that counts toward the next level.
    pub(in crate::fight) experience: f64,
    pub(in crate::fight) toward: f64,
}

/// A line of a policy, as last evaluated by its owner.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct LineState {
    /// It stays closed until then unless one of its inputs changes.
    pub(in crate::fight) until: Time,
    /// The first closed gate.
    pub(in crate::fight) gate: Gate,
    /// Only distance keeps it closed.
    pub(in crate::fight) only_distance: bool,
}

/// The gates of a line in the order of evaluation: the first closed gate is the reason why the ability is unavailable.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[repr(u8)]
pub(in crate::fight) enum Gate {
    /// Not evaluated yet.
    #[default]
    Unknown = 0,
    /// The combatant does not have the ability.
    NotKnown,
    Forbidden,
    Locked,
    Cooldown,
    /// Charges, uses, or a preceding ability.
    Stock,
    Condition,
    Target,
    Reach,
    Cost,
    Open,
}

/// The changing state of one ability of one combatant.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct AbilityState {
    /// When its cooldown ends.
    pub(in crate::fight) ready: Time,
    /// The combatant currently has it.
    pub(in crate::fight) known: bool,
    /// The combatant has it itself, not only through a status.
    pub(in crate::fight) own: bool,
    /// The gate last reported as the reason why it is unavailable, and the number of the reason; `None` if it is
    /// available.
    pub(in crate::fight) reported: Option<Gate>,
    pub(in crate::fight) reported_kind: u8,
    /// How often it has been used.
    pub(in crate::fight) used: u32,
    /// Its last release; never, if it has not been released.
    pub(in crate::fight) released: Time,
}

/// The charges of one ability of one combatant.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Charges {
    /// The count at the last use or the last regain.
    pub(in crate::fight) left: u32,
    /// When the next charge is regained, and the interval between further ones.
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
            may_be_defeated: true,
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

    /// Records on which of its pools something depends.
    pub(in crate::fight) fn listen_to_pools(&mut self, setup: &Setup, who: CombatantId) {
        let all = self.watched_crossings
            || self.listens & crate::fight::statuses::triggers::CROSSINGS != 0
            || self.control == Control::Controller;
        self.alert = if all { u64::MAX } else { setup.alert[who.index()] };
    }

    /// Whether it has left the fight.
    #[inline]
    pub(in crate::fight) fn is_defeated(&self) -> bool {
        !self.stands && !self.absent
    }

    /// Whether its policy or its controller decides for it.
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

/// The number of lines in all policies.
pub(super) fn lines_of(setup: &Setup) -> usize {
    setup.policies.last().map_or(0, |last| last.first_line as usize + last.lines.len())
}

/// The number of those that distance can close.
pub(super) fn reaches_of(setup: &Setup) -> usize {
    if setup.is_placed { lines_of(setup) } else { 0 }
}

impl AbilityState {
    /// The initial state, given the index among all abilities of all combatants.
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
    /// The initial charges of all abilities that have charges.
    pub(super) fn all(setup: &Setup) -> impl Iterator<Item = Self> {
        setup.abilities.iter().filter_map(|table| setup.program.ability(table.ability).charges).map(Self::full)
    }

    /// The maximum.
    pub(super) fn full((most, _): (u32, FormulaId)) -> Self {
        Self { left: most, next: Time::ZERO, regain: Time::ZERO }
    }

    /// The number of charges at a given time.
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
