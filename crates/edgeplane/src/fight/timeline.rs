//! What is due when.
//!
//! Each combatant has a fixed few timers, so the timeline is lists of one packed integer for each
//! (moment, phase, lot, combatant) and the next thing due is the least of them. A short list is scanned
//! faster than a heap is kept in order; of a longer one, the least of each block is kept as well.

use super::seats::Seats;
use crate::program::{CombatantId, Setup, Time};

/// The phases of a moment, in order.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Phase {
    /// What the encounter has happen by itself.
    Script = 0,
    /// What was sent out arrives.
    Arrival = 1,
    /// Zones end, and combatants cross their edges.
    Zone = 2,
    /// Abilities take effect.
    Release = 3,
    /// Statuses tick.
    Tick = 4,
    /// Statuses end.
    Expire = 5,
    /// Pools that flow run empty.
    Empty = 6,
    /// Combatants are ready to choose.
    #[default]
    Ready = 7,
}

impl Phase {
    /// The phase that the lowest bits of a key name.
    #[inline(always)]
    pub(super) fn of(key: u64) -> Self {
        match key & ((1 << PHASE_BITS) - 1) {
            0 => Self::Script,
            1 => Self::Arrival,
            2 => Self::Zone,
            3 => Self::Release,
            4 => Self::Tick,
            5 => Self::Expire,
            6 => Self::Empty,
            _ => Self::Ready,
        }
    }
}

/// The timers of a combatant.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Timer {
    /// The end of a cast, a recovery or a wait.
    Act,
    /// A pool that defeats runs empty.
    Empty,
    /// Something happens to a status.
    Status,
    /// What it has sent out arrives.
    Flight,
    /// The encounter has something happen. This one and the next are nobody's, and count as the first combatant's.
    Script,
    /// Something happens to zones.
    Zone,
}

/// The lot and the combatant of a key have so many bits each.
const WHO_BITS: u32 = 10;
pub(super) const PHASE_BITS: u32 = 4;
const NONE: u64 = u64::MAX;
/// Up to so many keys are scanned one by one; more are kept in blocks.
const SHORT: usize = 32;
const BLOCK: usize = 16;

#[derive(Clone, Debug, PartialEq)]
pub(super) struct Timeline {
    /// What each combatant does next: nearly all that is ever due.
    acts: Seats<u64>,
    /// The least of each block of them; none where the list is short.
    blocks: Vec<u64>,
    /// The other timers.
    rarer: Rarer,
}

/// The `Status` timers of all combatants, if there are statuses, then their `Empty` timers, if pools
/// can run empty by themselves, then their `Flight` timers, if anything takes time to arrive, then the one
/// of the script, if there is one, then that of zones; and the least of all of them, which is asked for far more often than
/// it changes.
#[derive(Clone, Debug, PartialEq)]
struct Rarer {
    keys: Vec<u64>,
    blocks: Vec<u64>,
    least: u64,
    /// Where these timers begin, if there are any.
    statuses: Option<usize>,
    empties: Option<usize>,
    flights: Option<usize>,
    script: Option<usize>,
    zones: Option<usize>,
}

/// A timer that is due: moment, phase, lot and combatant in one number, so that the soonest is the
/// least. Each phase belongs to one timer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Due(u64);

impl Due {
    /// Nothing is due.
    pub(super) const NOTHING: Self = Self(NONE);

    /// Whose timer it is.
    #[inline(always)]
    pub(super) fn who(self) -> CombatantId {
        CombatantId((self.0 & ((1 << WHO_BITS) - 1)) as u16)
    }

    /// In which phase of its moment.
    #[inline(always)]
    pub(super) fn phase(self) -> Phase {
        Phase::of(self.0 >> (2 * WHO_BITS))
    }

    /// When; later than [`Time::NEVER`] if nothing is due.
    #[inline(always)]
    pub(super) fn at(self) -> Time {
        Time(self.0 >> (2 * WHO_BITS + PHASE_BITS))
    }
}

/// The lower part of all keys of a combatant: its lot, and who it is.
#[derive(Clone, Copy, Debug)]
pub(super) struct Lot(u64);

impl Lot {
    pub(super) fn of(rank: u32, who: CombatantId) -> Self {
        Self(u64::from(rank) << WHO_BITS | u64::from(who.0))
    }

    /// Its timer for a moment and phase.
    #[inline(always)]
    pub(super) fn due(self, at: Time, phase: Phase) -> Due {
        self.on(at.0 << PHASE_BITS | phase as u64)
    }

    /// The same with moment and phase in one number.
    #[inline(always)]
    pub(super) fn on(self, beat: u64) -> Due {
        Due(beat << (2 * WHO_BITS) | self.0)
    }
}

/// Puts a key into a list of which each block's least is kept.
#[inline(always)]
fn put(keys: &mut [u64], blocks: &mut [u64], index: usize, key: u64) {
    if let Some(place) = keys.get_mut(index) {
        *place = key;
    }
    if let Some(block) = blocks.get_mut(index / BLOCK) {
        *block = least(keys.get(index / BLOCK * BLOCK..).unwrap_or_default().iter().take(BLOCK));
    }
}

fn least<'a>(keys: impl Iterator<Item = &'a u64>) -> u64 {
    keys.fold(NONE, |least, key| least.min(*key))
}

fn blocks_for(keys: usize) -> Vec<u64> {
    if keys > SHORT { vec![NONE; keys.div_ceil(BLOCK)] } else { Vec::new() }
}

impl Timeline {
    pub(super) fn of(setup: &Setup) -> Self {
        let decays = setup.program.pools.iter().any(|pool| pool.defeat && pool.decay.is_some());
        let combatants = setup.combatants.len();
        let statuses = (!setup.program.statuses.is_empty()).then_some(0);
        let empties = decays.then_some(statuses.map_or(0, |_| combatants));
        let before = combatants * (usize::from(statuses.is_some()) + usize::from(decays));
        let travels = setup.is_placed && setup.program.abilities.iter().any(|ability| ability.travel.is_some());
        let flights = travels.then_some(before);
        let before_script = before + combatants * usize::from(travels);
        let script = (!setup.script.moments.is_empty()).then_some(before_script);
        let before_zones = before_script + usize::from(script.is_some());
        let zones = (!setup.program.zones.is_empty()).then_some(before_zones);
        let keys = before_zones + usize::from(zones.is_some());
        let (all, blocks) = (vec![NONE; keys], blocks_for(keys));
        let rarer = Rarer { keys: all, blocks, least: NONE, statuses, empties, flights, script, zones };
        Self { acts: Seats::of(combatants, NONE), blocks: blocks_for(combatants), rarer }
    }

    pub(super) fn reset(&mut self) {
        self.acts.all_mut().fill(NONE);
        self.blocks.fill(NONE);
        self.rarer.keys.fill(NONE);
        self.rarer.blocks.fill(NONE);
        self.rarer.least = NONE;
    }

    #[inline(always)]
    pub(super) fn set(&mut self, who: CombatantId, rank: u32, timer: Timer, at: Time, phase: Phase) {
        let key = Lot::of(rank, who).due(at, phase).0;
        match timer {
            Timer::Act => self.put_act(who, key),
            Timer::Status | Timer::Empty | Timer::Flight | Timer::Script | Timer::Zone => {
                self.rarer.put(who, timer, key)
            }
        }
    }

    /// What a combatant does next.
    pub(super) fn set_act(&mut self, who: CombatantId, due: Due) {
        self.put_act(who, due.0);
    }

    #[inline(always)]
    pub(super) fn clear(&mut self, who: CombatantId, timer: Timer) {
        match timer {
            Timer::Act => self.put_act(who, NONE),
            Timer::Status | Timer::Empty | Timer::Flight | Timer::Script | Timer::Zone => {
                self.rarer.put(who, timer, NONE)
            }
        }
    }

    #[inline(always)]
    fn put_act(&mut self, who: CombatantId, key: u64) {
        if self.blocks.is_empty() {
            self.acts[who] = key;
        } else {
            put(self.acts.all_mut(), &mut self.blocks, who.index(), key);
        }
    }

    /// Whether pools can run empty by themselves.
    #[inline(always)]
    pub(super) fn has_empty_timers(&self) -> bool {
        self.rarer.empties.is_some()
    }

    /// The next thing due.
    #[inline(always)]
    pub(super) fn next(&self) -> Due {
        // Two combatants are by far the commonest fight that is run by the million.
        if self.acts.len() == 2 {
            return Due(self.acts[CombatantId(0)].min(self.acts[CombatantId(1)]).min(self.rarer.least));
        }
        self.next_of()
    }

    #[inline(never)]
    fn next_of(&self) -> Due {
        let acts = if self.blocks.is_empty() { self.acts.all() } else { &self.blocks };
        Due(least(acts.iter()).min(self.rarer.least))
    }
}

impl Rarer {
    #[inline(never)]
    fn put(&mut self, who: CombatantId, timer: Timer, key: u64) {
        let first = match timer {
            Timer::Empty => self.empties,
            Timer::Flight => self.flights,
            Timer::Script => self.script,
            Timer::Zone => self.zones,
            Timer::Status | Timer::Act => self.statuses,
        };
        let Some(first) = first else { return };
        put(&mut self.keys, &mut self.blocks, first + who.index(), key);
        let all = if self.blocks.is_empty() { &self.keys } else { &self.blocks };
        self.least = least(all.iter());
    }
}
