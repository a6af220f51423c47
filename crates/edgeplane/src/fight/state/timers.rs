//! Timers.
//!
//! A timer is one packed integer of time, phase, tie-break rank and combatant, so that the earliest is the minimum.

use super::due_tree::DueTree;
use crate::program::{CombatantId, Setup, Time, WatchKind};

/// The phases of a moment, in order.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(in crate::fight) enum Phase {
    /// Statuses tick.
    Tick = 0,
    /// Statuses and single stacks end.
    Expire = 1,
    /// Zones end.
    ZoneEnd = 2,
    /// Scripted abilities and reinforcements.
    Script = 3,
    /// Abilities in flight arrive.
    Arrival = 4,
    /// Combatants cross the edges of zones.
    Crossing = 5,
    /// Abilities are released.
    Release = 6,
    /// Pools with a flow become empty.
    Empty = 7,
    /// Charges that a formula reads are regained.
    Regain = 8,
    /// Combatants become ready to decide.
    #[default]
    Ready = 9,
    /// Combatants that walk while busy plan their paths.
    Walk = 10,
}

impl Phase {
    fn of(bits: u64) -> Self {
        match bits & ((1 << PHASE_BITS) - 1) {
            0 => Self::Tick,
            1 => Self::Expire,
            2 => Self::ZoneEnd,
            3 => Self::Script,
            4 => Self::Arrival,
            5 => Self::Crossing,
            6 => Self::Release,
            7 => Self::Empty,
            8 => Self::Regain,
            10 => Self::Walk,
            _ => Self::Ready,
        }
    }
}

/// All timers except those of statuses.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::fight) enum Timer {
    /// The end of a cast, a recovery or a wait.
    Act,
    /// A pool that defeats becomes empty.
    Empty,
    /// An ability in flight arrives.
    Flight,
    /// The script of the encounter. This timer and the next two belong to no combatant and are stored under the first
    /// one.
    Script,
    /// A zone ends.
    ZoneEnd,
    /// A combatant crosses the edge of a zone.
    Crossing,
    /// A charge that a formula reads is regained.
    Regain,
    /// A combatant that walks while busy plans its path.
    Walk,
}

impl Timer {
    const ALL: [Self; 8] =
        [Self::Act, Self::Empty, Self::Flight, Self::Script, Self::ZoneEnd, Self::Crossing, Self::Regain, Self::Walk];
}

const WHO_BITS: u32 = 10;
const PHASE_BITS: u32 = 4;
const NONE: u64 = u64::MAX;

/// A timer as one number; earlier timers have smaller numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Due(u64);

impl Default for Due {
    fn default() -> Self {
        Self::NOTHING
    }
}

impl Due {
    /// Nothing is due.
    pub(in crate::fight) const NOTHING: Self = Self(NONE);

    #[inline]
    pub(in crate::fight) fn new(at: Time, phase: Phase, rank: u32, who: CombatantId) -> Self {
        if at >= Time::NEVER {
            return Self::NOTHING;
        }
        Self((at.0 << PHASE_BITS | phase as u64) << (2 * WHO_BITS) | u64::from(rank) << WHO_BITS | u64::from(who.0))
    }

    #[inline]
    pub(in crate::fight) fn who(self) -> CombatantId {
        CombatantId((self.0 & ((1 << WHO_BITS) - 1)) as u16)
    }

    #[inline]
    pub(in crate::fight) fn phase(self) -> Phase {
        Phase::of(self.0 >> (2 * WHO_BITS))
    }

    /// The packed number.
    #[inline]
    pub(in crate::fight) fn bits(self) -> u64 {
        self.0
    }

    /// The inverse of [`Due::bits`].
    #[inline]
    pub(in crate::fight) fn of_bits(bits: u64) -> Self {
        Self(bits)
    }

    /// The time; later than [`Time::NEVER`] if nothing is due.
    #[inline]
    pub(in crate::fight) fn at(self) -> Time {
        Time(self.0 >> (2 * WHO_BITS + PHASE_BITS))
    }
}

#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Timers {
    due: DueTree<Due>,
    /// The index of the first timer of each kind; none for kinds that cannot occur.
    first: [Option<u16>; 8],
}

impl Timers {
    pub(in crate::fight) fn new(setup: &Setup) -> Self {
        let program = &setup.program;
        let combatants = setup.combatants.len();
        let travels = setup.is_placed && program.abilities.iter().any(|ability| ability.travel.is_some());
        let zones = usize::from(!program.zones.is_empty());
        let counts = [
            combatants,
            if setup.decays { combatants } else { 0 },
            if travels { combatants } else { 0 },
            usize::from(!setup.script.moments.is_empty()),
            zones,
            zones,
            if program.watches.iter().any(|watch| watch.kind == WatchKind::Charges) { combatants } else { 0 },
            if setup.is_placed && program.abilities.iter().any(|ability| ability.mobile) { combatants } else { 0 },
        ];
        let mut next = 0;
        let first = counts.map(|count| {
            let at = (count > 0).then_some(next as u16);
            next += count;
            at
        });
        Self { due: DueTree::new(next, Due::NOTHING), first }
    }

    /// Extends the timers for a fight with more combatants.
    pub(in crate::fight) fn grow(&mut self, setup: &Setup, before: usize) {
        let mut larger = Self::new(setup);
        larger.take_over(self, before);
        *self = larger;
    }

    pub(in crate::fight) fn copy_from(&mut self, other: &Self) {
        self.due.copy_from(&other.due);
        self.first = other.first;
    }

    pub(in crate::fight) fn bytes(&self) -> usize {
        self.due.bytes()
    }

    pub(in crate::fight) fn reset(&mut self) {
        self.due.clear(Due::NOTHING);
    }

    /// Whether timers of a kind can occur in this fight.
    #[inline]
    pub(in crate::fight) fn has(&self, timer: Timer) -> bool {
        self.first[timer as usize].is_some()
    }

    #[inline]
    pub(in crate::fight) fn set(&mut self, timer: Timer, due: Due, who: CombatantId) {
        let Some(first) = self.first[timer as usize] else { return };
        self.due.set(usize::from(first) + who.index(), due);
    }

    /// Takes over the timers of another fight, as far as their kinds can occur in this one.
    pub(in crate::fight) fn take_over(&mut self, other: &Self, combatants: usize) {
        for timer in Timer::ALL {
            let of_all = !matches!(timer, Timer::Script | Timer::ZoneEnd | Timer::Crossing);
            let Some(first) = other.first[timer as usize] else { continue };
            for who in (0..if of_all { combatants } else { 1 } as u16).map(CombatantId) {
                let due = other.due.get(usize::from(first) + who.index());
                if due != Due::NOTHING {
                    self.set(timer, due, who);
                }
            }
        }
    }

    #[inline]
    pub(in crate::fight) fn clear(&mut self, timer: Timer, who: CombatantId) {
        self.set(timer, Due::NOTHING, who);
    }

    /// The earliest timer.
    #[inline]
    pub(in crate::fight) fn next(&self) -> Due {
        self.due.least()
    }
}
