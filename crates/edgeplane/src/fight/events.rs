//! Events of fights.

use crate::program::{
    AbilityId, CauseId, CombatantId, DamageTypeId, FormulaId, LostReason, PoolFlow, PoolId, Reading, ReportId, SideId,
    StatusId, StepId, Time, TriggerEvent, ZoneId,
};
use crate::rules::MOST_NUMBERS;

/// The source of an effect.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub enum Source {
    /// An ability.
    Ability(AbilityId),
    /// A status.
    Status(StatusId),
    /// A cause brought about by the game.
    Cause(CauseId),
}

/// The result of applying a status.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Applied {
    /// It is new.
    New,
    /// It existed; its time is renewed.
    Renewed,
    /// It existed; time is added.
    Extended,
    /// It existed; stacks are added.
    Stacked,
    /// It replaced an existing one.
    Replaced,
}

/// The reason why a status was not applied.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub enum Prevention {
    /// It exists, and a further application has no effect.
    Held,
    /// One with the same or a higher rank exists.
    Weaker,
    /// The maximum number of instances is reached.
    Full,
    /// A status grants immunity, or the character is immune.
    Immune {
        /// The status.
        by: Option<StatusId>,
    },
    /// It was resisted.
    Resisted,
    /// It was repeated too often.
    Diminished,
    /// The target is defeated.
    Defeated,
}

impl Prevention {
    /// The number of reasons.
    pub const KINDS: usize = 7;
    /// A name for each reason, by [`Prevention::kind`].
    pub const NAMES: [&'static str; Self::KINDS] =
        ["already_held", "weaker", "full", "immune", "resisted", "diminished", "defeated"];

    /// The number of the reason, for counting.
    pub fn kind(self) -> usize {
        match self {
            Self::Held => 0,
            Self::Weaker => 1,
            Self::Full => 2,
            Self::Immune { .. } => 3,
            Self::Resisted => 4,
            Self::Diminished => 5,
            Self::Defeated => 6,
        }
    }
}

/// An event of a fight. The events describe the fight completely.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[allow(missing_docs)]
#[non_exhaustive]
pub enum Event {
    /// The fight begins.
    Began,
    /// An ability is started; it will be released at `release`.
    Used { caster: CombatantId, ability: AbilityId, target: CombatantId, targets: u16, release: Time },
    /// A cost is paid.
    Spent { who: CombatantId, ability: AbilityId, pool: PoolId, amount: f64, left: f64 },
    /// An ability of a combatant that is free to act is unavailable for this reason, until another event says otherwise
    /// or the combatant uses an ability. Reported when the reason changes.
    Unavailable { who: CombatantId, ability: AbilityId, reason: UnavailableReason },
    /// An ability that was unavailable is available, and its owner is still within its reaction time.
    Available { who: CombatantId, ability: AbilityId },
    /// A combatant is free to act but cannot use anything; `until` is the earliest time at which that may change
    /// without an event.
    Waits { who: CombatantId, until: Option<Time> },
    /// A combatant takes a new course, in metres per second; zeros if it stops. `toward` is the combatant that it walks
    /// to; `None` if it stops, retreats, leaves a zone, or is controlled by the game.
    Walks { who: CombatantId, from: [f64; 2], course: [f64; 2], toward: Option<CombatantId> },
    /// An ability is in flight to a target.
    Flies { caster: CombatantId, ability: AbilityId, target: CombatantId, arrives: Time },
    /// A combatant is pushed or pulled.
    Shifted { target: CombatantId, caster: CombatantId, source: Source, from: [f64; 2], to: [f64; 2] },
    /// An ability is released.
    Released { caster: CombatantId, ability: AbilityId, ready: Time },
    /// A sustained ability ticks.
    Sustained { caster: CombatantId, ability: AbilityId },
    /// A sustained ability ends.
    Stopped { caster: CombatantId, ability: AbilityId, reason: StopReason },
    /// An ability is released, but all its targets are defeated.
    Lost { caster: CombatantId, ability: AbilityId },
    /// A hit or heal passes a step. Only reported to observers that want it.
    Stepped { step: StepId, heal: bool, before: f64, after: f64, result: StepResult },
    /// The amount or the flow of a pool is set. Only reported to observers that request this kind; see
    /// [`EventMask::with`].
    Flows { who: CombatantId, pool: PoolId, flow: PoolFlow },
    /// The pool of a step soaks a part of a hit.
    Soaked { target: CombatantId, step: StepId, pool: PoolId, amount: f64, left: f64 },
    /// A hit arrives, or was stopped by a step. `amount` is the result of the steps, `dealt` was taken from the pool,
    /// and `over` exceeded it.
    Hit {
        caster: CombatantId,
        target: CombatantId,
        source: Source,
        damage_type: DamageTypeId,
        pool: PoolId,
        initial: f64,
        amount: f64,
        dealt: f64,
        over: f64,
        left: f64,
        stopped: Option<StepId>,
        marks: u64,
    },
    /// A heal arrives, or was stopped by a step; `over` exceeded the cap.
    Healed {
        caster: CombatantId,
        target: CombatantId,
        source: Source,
        pool: PoolId,
        initial: f64,
        amount: f64,
        healed: f64,
        over: f64,
        left: f64,
        stopped: Option<StepId>,
    },
    /// A pool gains an amount without steps.
    Restored {
        caster: CombatantId,
        target: CombatantId,
        source: Source,
        pool: PoolId,
        gained: f64,
        over: f64,
        left: f64,
    },
    /// A pool loses an amount without steps; `over` exceeded it.
    Drained { caster: CombatantId, target: CombatantId, source: Source, pool: PoolId, taken: f64, over: f64, left: f64 },
    /// An effect changes the threat of a combatant for another one; `threat` is the new value.
    Threatened { caster: CombatantId, target: CombatantId, source: Source, amount: f64, threat: f64 },
    /// The target receives an ability.
    Given { caster: CombatantId, target: CombatantId, source: Source, ability: AbilityId },
    /// The target loses an ability.
    Taken { caster: CombatantId, target: CombatantId, source: Source, ability: AbilityId },
    /// A cast is interrupted.
    Interrupted { who: CombatantId, ability: AbilityId, by: CombatantId, source: Source },
    /// A status is applied; `until` is its end, if it ends by itself. `stacks` are those of this instance, `total` all
    /// of this status on the target.
    StatusGained {
        caster: CombatantId,
        target: CombatantId,
        status: StatusId,
        stacks: u32,
        total: u32,
        until: Option<Time>,
        applied: Applied,
    },
    /// A status is not applied.
    StatusPrevented { caster: CombatantId, target: CombatantId, status: StatusId, reason: Prevention },
    /// A status ticks for the `tick`th time.
    StatusTicked { target: CombatantId, caster: CombatantId, status: StatusId, tick: u32 },
    /// The number of stacks of a status changes.
    StatusStacks { target: CombatantId, status: StatusId, stacks: u32, total: u32 },
    /// The end of a status changes.
    StatusMoved { target: CombatantId, status: StatusId, until: Time },
    /// A status will end soon.
    StatusExpiring { target: CombatantId, status: StatusId, until: Time },
    /// A status ends.
    StatusLost {
        target: CombatantId,
        caster: CombatantId,
        status: StatusId,
        stacks: u32,
        total: u32,
        reason: LostReason,
    },
    /// A status is triggered.
    Triggered { who: CombatantId, status: StatusId, event: TriggerEvent },
    /// The cap of a pool changes.
    CapChanged { who: CombatantId, pool: PoolId, cap: f64, left: f64 },
    /// A zone is placed around a combatant, with its centre and radius in metres.
    ZoneBegan {
        zone: ZoneId,
        owner: CombatantId,
        on: CombatantId,
        carried: bool,
        middle: [f64; 2],
        radius: f64,
        until: Option<Time>,
    },
    /// A zone ends.
    ZoneEnded { zone: ZoneId, owner: CombatantId },
    /// A combatant enters a zone, or the zone reaches it.
    Entered { who: CombatantId, zone: ZoneId, owner: CombatantId },
    /// A combatant leaves a zone, or the zone leaves it.
    Left { who: CombatantId, zone: ZoneId, owner: CombatantId },
    /// A combatant is removed from the fight by the game.
    Despawned { who: CombatantId },
    /// A combatant joins; with the caller and the cause, unless it joins at a given time.
    Joined { who: CombatantId, by: Option<(CombatantId, Source)> },
    /// The script of the encounter applies an ability of a combatant.
    Scripted { who: CombatantId, ability: AbilityId },
    /// A combatant gains experience from a defeated combatant or an effect; `total` is its sum in this fight.
    Learned { who: CombatantId, from: CombatantId, amount: f64, total: f64 },
    /// The level of a combatant changes because of experience.
    LevelGained { who: CombatantId, level: f64 },
    /// A defeated combatant is revived.
    Revived { target: CombatantId, caster: CombatantId, source: Source },
    /// A report of the rules to the game, with the first `count` of these numbers.
    Reported {
        caster: CombatantId,
        target: CombatantId,
        source: Source,
        report: ReportId,
        numbers: [f64; MOST_NUMBERS],
        count: u8,
    },
    /// A combatant changes sides.
    SideChanged { who: CombatantId, side: SideId },
    /// A combatant is defeated; by whom and by what, unless a pool ran out by itself.
    Defeated { who: CombatantId, by: Option<(CombatantId, Source)> },
    /// The fight is over.
    Ended { ending: Ending },
}

/// How a fight ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub enum Ending {
    /// Only this side stands, or a vital member of every other side was defeated.
    Won(SideId),
    /// This side held out until the time limit, as required.
    HeldOut(SideId),
    /// Nobody stands: the last combatants were defeated in the same moment.
    AllDefeated,
    /// The time limit was reached.
    TimeLimit,
    /// Nothing can happen any more.
    Stalemate,
    /// Several sides won in the same moment.
    Drawn,
    /// An error ended it: a formula without a value, or a limit that was exceeded.
    Failed,
}

impl Ending {
    /// The winning side, if there is one.
    pub fn winner(self) -> Option<SideId> {
        match self {
            Self::Won(side) | Self::HeldOut(side) => Some(side),
            Self::AllDefeated | Self::TimeLimit | Self::Stalemate | Self::Drawn | Self::Failed => None,
        }
    }
}

/// The reason why an ability cannot be used: the first of these that applies.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[allow(missing_docs)]
#[non_exhaustive]
pub enum UnavailableReason {
    /// The combatant has been defeated, or the fight is over.
    OutOfTheFight,
    /// The combatant is casting or recovering.
    Busy { until: Time },
    /// The combatant does not have it.
    NotKnown,
    /// A status forbids it.
    Forbidden { by: StatusId },
    /// Its unlock condition does not hold.
    Locked,
    /// It is on cooldown.
    OnCooldown { until: Time },
    /// All its charges are spent.
    NoCharge { until: Time },
    /// It has reached its maximum number of uses in this fight.
    UsedUp,
    /// It is available only for some time after another ability.
    NotOpen { after: AbilityId },
    /// The condition of the policy line is false.
    Condition,
    /// There is no possible target.
    NoTarget,
    /// The target or the position is out of reach, in metres; `until` is when it will be in reach on current courses.
    OutOfReach { target: Option<CombatantId>, distance: f64, reach: f64, until: Option<Time> },
    /// A pool holds too little; `until` is when it will hold enough without further events.
    CannotAfford { pool: PoolId, cost: f64, has: f64, until: Option<Time> },
}

impl UnavailableReason {
    /// The number of reasons.
    pub const KINDS: usize = 13;
    /// A name for each reason, by [`UnavailableReason::kind`], as used in measures and files.
    pub const NAMES: [&'static str; Self::KINDS] = [
        "out_of_the_fight",
        "busy",
        "not_known",
        "forbidden",
        "locked",
        "on_cooldown",
        "no_charge",
        "used_up",
        "not_open",
        "condition",
        "no_target",
        "out_of_reach",
        "cannot_afford",
    ];

    /// The number of the reason, for counting.
    pub fn kind(self) -> usize {
        match self {
            Self::OutOfTheFight => 0,
            Self::Busy { .. } => 1,
            Self::NotKnown => 2,
            Self::Forbidden { .. } => 3,
            Self::Locked => 4,
            Self::OnCooldown { .. } => 5,
            Self::NoCharge { .. } => 6,
            Self::UsedUp => 7,
            Self::NotOpen { .. } => 8,
            Self::Condition => 9,
            Self::NoTarget => 10,
            Self::OutOfReach { .. } => 11,
            Self::CannotAfford { .. } => 12,
        }
    }

    /// A name for the reason, as used in measures and files.
    pub fn name(self) -> &'static str {
        Self::NAMES[self.kind()]
    }

    /// When the reason ends without an event.
    pub fn until(self) -> Option<Time> {
        match self {
            Self::OnCooldown { until } | Self::Busy { until } | Self::NoCharge { until } => Some(until),
            Self::CannotAfford { until, .. } | Self::OutOfReach { until, .. } => until,
            Self::OutOfTheFight
            | Self::NotKnown
            | Self::Forbidden { .. }
            | Self::Locked
            | Self::UsedUp
            | Self::NotOpen { .. }
            | Self::Condition
            | Self::NoTarget => None,
        }
    }
}

/// The reason why a sustained ability ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub enum StopReason {
    /// Its maximum time is over.
    Longest,
    /// Its `while` is false.
    Unwanted,
    /// All its targets are defeated.
    NoTarget,
    /// Its first standing target is out of reach.
    OutOfReach,
    /// A pool holds too little for the next tick.
    CannotAfford,
    /// The game stopped it.
    ByHand,
}

impl StopReason {
    /// The reason in words.
    pub fn name(self) -> &'static str {
        match self {
            Self::Longest => "longest_reached",
            Self::Unwanted => "condition_ended",
            Self::NoTarget => "no_target",
            Self::OutOfReach => "out_of_reach",
            Self::CannotAfford => "cannot_afford",
            Self::ByHand => "stopped",
        }
    }
}

/// The effect of a step on a hit.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub enum StepResult {
    /// Its condition did not hold.
    Passed,
    /// It changed the amount, set a mark, or soaked.
    Applied,
    /// It stopped the hit.
    Stopped,
}

/// Receives the events of a fight.
pub trait Observer {
    /// The kinds of event that it wants: others are not built. Queried once for each call of a fight.
    fn wants(&self) -> EventMask {
        EventMask::EVENTS
    }

    /// An event happened.
    fn event(&mut self, at: Time, event: Event);

    /// A formula was evaluated before the next event; see [`EventMask::DETAIL`].
    fn formula(&mut self, at: Time, formula: FormulaId, reading: &Reading) {
        let _ = (at, formula, reading);
    }
}

/// Ignores everything.
#[derive(Clone, Copy, Debug, Default)]
pub struct Silent;

impl Observer for Silent {
    fn wants(&self) -> EventMask {
        EventMask::NONE
    }

    fn event(&mut self, _: Time, _: Event) {}
}

/// An event with its time.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct Logged {
    /// The time.
    pub at: Time,
    /// The event.
    pub event: Event,
}

/// Stores all events.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Log {
    /// In order of occurrence.
    pub events: Vec<Logged>,
}

impl Observer for Log {
    fn event(&mut self, at: Time, event: Event) {
        self.events.push(Logged { at, event });
    }
}

/// A set of event kinds, one bit each.
///
/// ```
/// use edgeplane::fight::{EventKind, EventMask};
/// let mask = EventMask::of(&[EventKind::Hit, EventKind::Defeated]);
/// assert!(mask.has(EventKind::Hit) && !mask.has(EventKind::Used));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct EventMask(u64);

/// The bit for readings of formulas.
const FORMULAS: u64 = 1 << 63;

impl EventMask {
    /// The empty set.
    pub const NONE: Self = Self(0);
    /// Every kind of event except [`EventKind::Stepped`] and [`EventKind::Flows`].
    pub const EVENTS: Self = Self(Self::DETAIL.0 & !FORMULAS & !(1 << EventKind::Stepped as u64));
    /// Every kind of event except [`EventKind::Flows`], and [`Observer::formula`] for every formula that is evaluated.
    pub const DETAIL: Self = Self(!(1 << EventKind::Flows as u64));

    /// The set of these kinds.
    pub const fn of(kinds: &[EventKind]) -> Self {
        let (mut bits, mut index) = (0, 0);
        while index < kinds.len() {
            bits |= 1 << kinds[index] as u64;
            index += 1;
        }
        Self(bits)
    }

    /// Adds these kinds.
    pub const fn with(self, kinds: &[EventKind]) -> Self {
        Self(self.0 | Self::of(kinds).0)
    }

    /// Whether a kind is wanted.
    #[inline]
    pub const fn has(self, kind: EventKind) -> bool {
        self.0 >> kind as u64 & 1 == 1
    }

    /// Whether readings of formulas are wanted.
    #[inline]
    pub const fn detail(self) -> bool {
        self.0 & FORMULAS != 0
    }
}

macro_rules! kinds {
    ($($kind:ident)*) => {
        /// A kind of event, named after its variant.
        #[derive(Clone, Copy, Debug, PartialEq, Eq)]
        #[allow(missing_docs)]
        #[non_exhaustive]
        pub enum EventKind {
            $($kind),*
        }

        impl Event {
            /// The kind of the event.
            pub fn kind(&self) -> EventKind {
                match self {
                    $(Self::$kind { .. } => EventKind::$kind),*
                }
            }
        }
    };
}

kinds! {
    Began Used Spent Unavailable Available Waits Walks Flies Shifted Released Sustained Stopped Lost Stepped Flows Soaked Hit
    Healed Restored Drained Threatened Given Taken Interrupted StatusGained StatusPrevented StatusTicked StatusStacks
    StatusMoved StatusExpiring StatusLost Triggered CapChanged ZoneBegan ZoneEnded Entered Left Joined Despawned Scripted Learned
    LevelGained Revived Reported SideChanged Defeated Ended
}
