//! What a fight reports.

use crate::program::{
    AbilityId, CauseId, CombatantId, DamageTypeId, FormulaId, LostReason, PoolFlow, PoolId, Reading, ReportId, SideId,
    StatusId, StepId, Time, TriggerEvent, ZoneId,
};
use crate::rules::MOST_NUMBERS;

/// What an effect comes of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub enum Source {
    /// An ability.
    Ability(AbilityId),
    /// A status.
    Status(StatusId),
    /// Something that the game has brought about.
    Cause(CauseId),
}

/// What an application of a status came to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Applied {
    /// It is new.
    New,
    /// It was there; its time is renewed.
    Renewed,
    /// It was there; time is added.
    Extended,
    /// It was there; it has more stacks.
    Stacked,
    /// Another one was there, and is gone.
    Replaced,
}

/// Why a status was not applied.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub enum Prevention {
    /// It is there, and a second application does nothing.
    Held,
    /// One of the same or higher rank is there.
    Weaker,
    /// There is no room for another.
    Full,
    /// A status makes immune, or the character is.
    Immune {
        /// The status.
        by: Option<StatusId>,
    },
    /// It was resisted.
    Resisted,
    /// It was repeated too often.
    Diminished,
    /// The target has been defeated.
    Defeated,
}

impl Prevention {
    /// How many reasons there are.
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

/// Something that happened at a moment of a fight. Its events describe all of a fight.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[allow(missing_docs)]
#[non_exhaustive]
pub enum Event {
    /// The fight begins.
    Began,
    /// An ability is started; it takes effect at `release`.
    Used { caster: CombatantId, ability: AbilityId, target: CombatantId, targets: u16, release: Time },
    /// A cost is paid.
    Spent { who: CombatantId, ability: AbilityId, pool: PoolId, amount: f64, left: f64 },
    /// An ability of a combatant that is free to act is unavailable, for this reason; it stays so until another
    /// event says otherwise, or the combatant uses something. Reported when the reason changes.
    Unavailable { who: CombatantId, ability: AbilityId, reason: UnavailableReason },
    /// An ability that was unavailable is available, and its owner has not reacted to that yet.
    Available { who: CombatantId, ability: AbilityId },
    /// A combatant is free to act and can use nothing; `until` is when that may change by itself.
    Waits { who: CombatantId, until: Option<Time> },
    /// A combatant goes on another course, in metres a second; with none it stands still.
    Walks { who: CombatantId, from: [f64; 2], course: [f64; 2] },
    /// What an ability has sent out is on its way to a target.
    Flies { caster: CombatantId, ability: AbilityId, target: CombatantId, arrives: Time },
    /// A combatant is pushed or pulled.
    Shifted { target: CombatantId, caster: CombatantId, source: Source, from: [f64; 2], to: [f64; 2] },
    /// An ability takes effect.
    Released { caster: CombatantId, ability: AbilityId, ready: Time },
    /// An ability that is kept up ticks.
    Sustained { caster: CombatantId, ability: AbilityId },
    /// An ability is kept up no longer.
    Stopped { caster: CombatantId, ability: AbilityId, reason: StopReason },
    /// An ability would take effect, but all its targets are defeated.
    Lost { caster: CombatantId, ability: AbilityId },
    /// A hit or heal goes through a step. Only reported to observers that want it.
    Stepped { step: StepId, heal: bool, before: f64, after: f64, result: StepResult },
    /// What is in a pool is set, or what the pool gains or loses by itself changes. Only reported to observers that ask
    /// for this kind; see [`EventMask::with`].
    Flows { who: CombatantId, pool: PoolId, flow: PoolFlow },
    /// A step's pool takes a part of a hit.
    Soaked { target: CombatantId, step: StepId, pool: PoolId, amount: f64, left: f64 },
    /// A hit arrives, or was stopped on its way. `amount` left the last step, `dealt` was taken
    /// from the pool, `over` found nothing left to take.
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
    /// A heal arrives, or was stopped on its way; `over` found no room.
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
    /// A pool gains past all steps.
    Restored {
        caster: CombatantId,
        target: CombatantId,
        source: Source,
        pool: PoolId,
        gained: f64,
        over: f64,
        left: f64,
    },
    /// A pool loses past all steps; `over` found nothing left to take.
    Drained { caster: CombatantId, target: CombatantId, source: Source, pool: PoolId, taken: f64, over: f64, left: f64 },
    /// Somebody becomes more or less of a threat in the eyes of another, by an effect that says so; `threat` is what
    /// it is then.
    Threatened { caster: CombatantId, target: CombatantId, source: Source, amount: f64, threat: f64 },
    /// The target has an ability from now on.
    Given { caster: CombatantId, target: CombatantId, source: Source, ability: AbilityId },
    /// The target has an ability no more.
    Taken { caster: CombatantId, target: CombatantId, source: Source, ability: AbilityId },
    /// A cast is broken.
    Interrupted { who: CombatantId, ability: AbilityId, by: CombatantId, source: Source },
    /// A status is applied; `until` is when it ends, if it ends by itself. `stacks` are those of this
    /// instance, `total` all of this status on the target.
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
    /// A status ticks, for the `tick`th time.
    StatusTicked { target: CombatantId, caster: CombatantId, status: StatusId, tick: u32 },
    /// A status has other stacks than before, and goes on.
    StatusStacks { target: CombatantId, status: StatusId, stacks: u32, total: u32 },
    /// A status ends at another time than before.
    StatusMoved { target: CombatantId, status: StatusId, until: Time },
    /// A status will end soon.
    StatusExpiring { target: CombatantId, status: StatusId, until: Time },
    /// A status is gone.
    StatusLost {
        target: CombatantId,
        caster: CombatantId,
        status: StatusId,
        stacks: u32,
        total: u32,
        reason: LostReason,
    },
    /// A status triggers on something.
    Triggered { who: CombatantId, status: StatusId, event: TriggerEvent },
    /// A pool's cap has moved.
    CapChanged { who: CombatantId, pool: PoolId, cap: f64, left: f64 },
    /// A zone comes about around somebody, with its middle and radius in metres.
    ZoneBegan {
        zone: ZoneId,
        owner: CombatantId,
        on: CombatantId,
        carried: bool,
        middle: [f64; 2],
        radius: f64,
        until: Option<Time>,
    },
    /// A zone is gone.
    ZoneEnded { zone: ZoneId, owner: CombatantId },
    /// A combatant comes into a zone, or the zone over it.
    Entered { who: CombatantId, zone: ZoneId, owner: CombatantId },
    /// A combatant comes out of a zone, or the zone from it.
    Left { who: CombatantId, zone: ZoneId, owner: CombatantId },
    /// A combatant leaves the fight for good: a game has taken it out.
    Despawned { who: CombatantId },
    /// A combatant begins to take part; called by whom and by what, unless its time has come.
    Joined { who: CombatantId, by: Option<(CombatantId, Source)> },
    /// The encounter has an ability of somebody take effect by itself.
    Scripted { who: CombatantId, ability: AbilityId },
    /// A combatant gains experience, from one who was defeated or who gives it; `total` is what it has gained in this fight.
    Learned { who: CombatantId, from: CombatantId, amount: f64, total: f64 },
    /// A combatant has another level from now on, for the experience that it has gained.
    LevelGained { who: CombatantId, level: f64 },
    /// A combatant that was defeated is back.
    Revived { target: CombatantId, caster: CombatantId, source: Source },
    /// Something that the rules report to the game, with the first `count` of these numbers.
    Reported {
        caster: CombatantId,
        target: CombatantId,
        source: Source,
        report: ReportId,
        numbers: [f64; MOST_NUMBERS],
        count: u8,
    },
    /// A combatant is on another side from now on.
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
    /// Only this side stands, or of every other somebody vital was defeated.
    Won(SideId),
    /// This side held out until the time was up, as it had to.
    HeldOut(SideId),
    /// Nobody stands: the last were defeated at the same moment.
    AllDefeated,
    /// The time limit came first.
    TimeLimit,
    /// Nothing can ever happen again.
    Stalemate,
    /// Several sides won at the same moment.
    Drawn,
    /// An error ended it: a formula without a value, or a limit that was passed.
    Failed,
}

impl Ending {
    /// The side that won, if one did.
    pub fn winner(self) -> Option<SideId> {
        match self {
            Self::Won(side) | Self::HeldOut(side) => Some(side),
            Self::AllDefeated | Self::TimeLimit | Self::Stalemate | Self::Drawn | Self::Failed => None,
        }
    }
}

/// Why an ability cannot be used: the first reason of these that applies.
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
    /// Its cooldown runs.
    OnCooldown { until: Time },
    /// All its charges are spent.
    NoCharge { until: Time },
    /// It has been used as often as it can be in one fight.
    UsedUp,
    /// It is open only after another ability, for some time.
    NotOpen { after: AbilityId },
    /// The policy's condition does not hold.
    Condition,
    /// Nobody is there whom it could be used on.
    NoTarget,
    /// The target, or the place where there is none, is too far away, in metres; `until` is when it will not be, if both
    /// go on as they do.
    OutOfReach { target: Option<CombatantId>, distance: f64, reach: f64, until: Option<Time> },
    /// A pool holds too little; `until` is when it will hold enough, if nothing interferes.
    CannotAfford { pool: PoolId, cost: f64, has: f64, until: Option<Time> },
}

impl UnavailableReason {
    /// How many reasons there are.
    pub const KINDS: usize = 13;
    /// A name for each reason, by [`UnavailableReason::kind`], as measures and files use it.
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

    /// A name for the reason, as measures and files use it.
    pub fn name(self) -> &'static str {
        Self::NAMES[self.kind()]
    }

    /// When the reason will be gone by itself.
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

/// Why an ability is kept up no longer.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub enum StopReason {
    /// Its longest time is over.
    Longest,
    /// Its `while` is false.
    Unwanted,
    /// All its targets are defeated.
    NoTarget,
    /// Its first target that stands is too far away.
    OutOfReach,
    /// A pool holds too little for the next tick.
    CannotAfford,
    /// The game stopped it.
    ByHand,
}

impl StopReason {
    /// In words.
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

/// What a step did to a hit.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub enum StepResult {
    /// Its condition did not hold.
    Passed,
    /// It changed the amount, or set a mark, or soaked.
    Applied,
    /// It stopped the hit.
    Stopped,
}

/// Receives the events of a fight.
pub trait Observer {
    /// The kinds of event that it wants: others are not built. Asked once for each call of a fight.
    fn wants(&self) -> EventMask {
        EventMask::EVENTS
    }

    /// Something happened.
    fn event(&mut self, at: Time, event: Event);

    /// A formula was evaluated on the way to the next event; see [`EventMask::DETAIL`].
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

/// An event with its moment.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct Logged {
    /// When.
    pub at: Time,
    /// What.
    pub event: Event,
}

/// Keeps all events.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Log {
    /// In the order in which they happened.
    pub events: Vec<Logged>,
}

impl Observer for Log {
    fn event(&mut self, at: Time, event: Event) {
        self.events.push(Logged { at, event });
    }
}

/// Kinds of event, as one bit each.
///
/// ```
/// use edgeplane::fight::{EventKind, EventMask};
/// let mask = EventMask::of(&[EventKind::Hit, EventKind::Defeated]);
/// assert!(mask.has(EventKind::Hit) && !mask.has(EventKind::Used));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct EventMask(u64);

/// Stands for readings of formulas in a mask.
const FORMULAS: u64 = 1 << 63;

impl EventMask {
    /// Nothing.
    pub const NONE: Self = Self(0);
    /// Every kind of event but [`EventKind::Stepped`] and [`EventKind::Flows`].
    pub const EVENTS: Self = Self(Self::DETAIL.0 & !FORMULAS & !(1 << EventKind::Stepped as u64));
    /// Every kind of event but [`EventKind::Flows`], and [`Observer::formula`] for every formula that is evaluated.
    pub const DETAIL: Self = Self(!(1 << EventKind::Flows as u64));

    /// These kinds.
    pub const fn of(kinds: &[EventKind]) -> Self {
        let (mut bits, mut index) = (0, 0);
        while index < kinds.len() {
            bits |= 1 << kinds[index] as u64;
            index += 1;
        }
        Self(bits)
    }

    /// These kinds as well.
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
        /// A kind of event, by the name of its variant.
        #[derive(Clone, Copy, Debug, PartialEq, Eq)]
        #[allow(missing_docs)]
        #[non_exhaustive]
        pub enum EventKind {
            $($kind),*
        }

        impl Event {
            /// Its kind.
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
