//! Everything of a plain fight that does not change.

use super::ending::ends_at_once;
use super::outcomes::{Hit, SettledEffect, SettledOutcome, receiver_of};
use super::settled::{MOST_CURSORS, MOST_SHIFTS, MOST_STATUSES, Reads, Settling, Shift};
use super::statuses::{Reach, SettledStatus, Span};
use super::when::{When, condition};
use crate::fight::seats::Seats;
use crate::program::flow::PoolNumbers;
use crate::program::{
    AbilityId, Aim, CombatantId, Effect, FormulaId, InHand, JoinPlan, Layout, PoolId, Program, Read, Rounding, Setup,
    SideId, Slot, Time, dirty, pool_slot,
};

/// More than that are played by the engine alone.
pub(super) const MOST_FIGHTERS: usize = 8;
pub(super) const MOST_POOLS: usize = 8;
pub(super) const MOST_MOVES: usize = 32;
pub(super) const MOST_LINES: usize = 16;
pub(super) const MOST_OUTCOMES: usize = 256;

/// A line of a policy.
#[derive(Clone, Copy, Debug)]
pub(super) struct Line {
    pub(super) when: When,
    pub(super) place: usize,
    pub(super) itself: bool,
}

/// What is known of one who takes part.
#[derive(Clone, Copy, Debug)]
pub(super) struct Fighter {
    pub(super) side: SideId,
    pub(super) lines: [Line; MOST_LINES],
    /// Lines that are wanted at the start, one bit each, and those without a condition.
    pub(super) wanted: u64,
    pub(super) unconditional: u64,
    /// Some line has a condition.
    pub(super) conditional: bool,
    /// For each pool, the lines that read it.
    pub(super) readers: [u64; MOST_POOLS],
    /// Pools that its conditions read, and those that it pays from.
    pub(super) own: u64,
    pub(super) costs: u64,
    /// It has the pool that defeats.
    pub(super) mortal: bool,
    pub(super) pools: [PoolNumbers; MOST_POOLS],
}

/// An ability in somebody's hands.
#[derive(Clone, Copy, Debug)]
#[repr(align(64))]
pub(super) struct Move {
    pub(super) ability: AbilityId,
    pub(super) itself: bool,
    /// Where its outcomes stand, by target.
    pub(super) does: [(u16, u16); MOST_FIGHTERS],
    /// The cursor of the one hit that they are, if they are one hit and nothing else.
    pub(super) strikes: [u16; MOST_FIGHTERS],
    /// The hits that those cursors point to, and its times and cost, while nobody has any status.
    pub(super) hits: [u16; MOST_FIGHTERS],
    pub(super) tempo: Tempo,
}

/// No hit, or more than that.
pub(super) const NO_STRIKE: u16 = u16::MAX;

/// What a tick does: where its outcomes stand, and the cursor of the one hit that they are, if they are one.
#[derive(Clone, Copy, Debug)]
pub(super) struct Tick {
    pub(super) does: (u16, u16),
    pub(super) strike: u16,
}

impl Tick {
    const NOTHING: Self = Self { does: (0, 0), strike: NO_STRIKE };
}

/// Times and cost of a move, as they are with so many stacks.
#[derive(Clone, Copy, Debug)]
pub(super) struct Tempo {
    pub(super) cast: Time,
    pub(super) recovery: Time,
    pub(super) cooldown: Time,
    pub(super) cost: f64,
    pub(super) pays_from: u16,
    pub(super) free: bool,
}

impl Tempo {
    const NONE: Self =
        Self { cast: Time::ZERO, recovery: Time::ZERO, cooldown: Time::ZERO, cost: 0.0, pays_from: 0, free: true };
}

#[derive(Clone, Debug)]
pub(super) struct PlainPlan {
    pub(super) fighters: Seats<Fighter, MOST_FIGHTERS>,
    pub(super) moves: Seats<Move, MOST_MOVES>,
    pub(super) outcomes: Seats<SettledOutcome, MOST_OUTCOMES>,
    /// What cursors point to. Those of tempos come first, one for each move.
    pub(super) tempos: Vec<Tempo>,
    pub(super) hits: Vec<Hit>,
    pub(super) amounts: Vec<f64>,
    pub(super) spans: Vec<Span>,
    /// Which attributes a fighter has, told apart by a number.
    pub(super) looks: Vec<u32>,
    /// The cursor of each fighter's looks, if it matters to it whether its attributes change.
    pub(super) looks_at: [Option<u16>; MOST_FIGHTERS],
    /// Where cursors are while nobody has any status, and how they move with each status of each fighter.
    pub(super) cursors: [u32; MOST_CURSORS],
    pub(super) cursors_used: usize,
    pub(super) shifts: Seats<Shift, MOST_SHIFTS>,
    pub(super) shifts_of: [[(u16, u16); MOST_STATUSES]; MOST_FIGHTERS],
    pub(super) statuses: Seats<SettledStatus, MOST_STATUSES>,
    /// What a tick does, by owner, status and who inflicted it; and the cursor of the one hit that it is, if it is that.
    pub(super) ticks: Box<[[[Tick; MOST_FIGHTERS]; MOST_STATUSES]; MOST_FIGHTERS]>,
    pub(super) pools: usize,
    /// The pool that defeats, if there is one.
    pub(super) defeats: Option<usize>,
    pub(super) defeating: u64,
    pub(super) rounding: Rounding,
    pub(super) threatens: bool,
    /// Two fight, against one another.
    pub(super) duel: bool,
    /// Pools that hang on chance, and the lines of each fighter that hang on them.
    pub(super) live: u64,
    pub(super) live_lines: [u64; MOST_FIGHTERS],
    /// Chance has no say in who does what when, but by way of conditions and defeats.
    pub(super) is_rehearsed: bool,
    /// The first defeat ends it, and brings about nothing else.
    pub(super) ends_at_once: bool,
    /// Where the pools of the first begin among the numbers of a fight, and how far apart those of two are.
    pub(super) first_pool: usize,
    pub(super) stride: usize,
}

impl PlainPlan {
    /// If nothing can change but pools, cooldowns, who stands, and stacks of statuses that only change numbers.
    pub(super) fn of(setup: &Setup) -> Option<Self> {
        let program = &setup.program;
        let pools = program.pools.len();
        let still = !setup.is_placed && setup.script.moments.is_empty() && !setup.enters_empty && setup.watched == 0;
        let here = setup.ids().all(|who| setup.script.joins(who) == JoinPlan::AtStart);
        let few = setup.combatants.len() <= MOST_FIGHTERS && pools <= MOST_POOLS && setup.in_hand.len() <= MOST_MOVES;
        let endures = program.pools.iter().all(|pool| !pool.defeat || pool.decay.is_none());
        let defeating: Vec<usize> = (0..pools).filter(|pool| program.pools[*pool].defeat).collect();
        if !(still && here && few && endures) || defeating.len() > 1 {
            return None;
        }
        let fighters: Vec<Fighter> = setup.ids().map(|who| fighter(setup, who)).collect::<Option<_>>()?;
        let nobody = *fighters.first()?;
        let reach = reach(setup, &fighters)?;
        let mut settling = Settling::new(setup, &reach.statuses, &reach.holds)?;
        if setup.ids().any(|who| hangs_on_more(&settling, who)) {
            return None;
        }
        let no_move = unused_move(setup.in_hand.first()?);
        let mut plan = Self {
            fighters: Seats::filled(&fighters, nobody),
            moves: Seats::of(0, no_move),
            outcomes: Seats::of(0, SettledOutcome::NOTHING),
            tempos: Vec::new(),
            hits: Vec::new(),
            amounts: Vec::new(),
            spans: Vec::new(),
            looks: Vec::new(),
            looks_at: [None; MOST_FIGHTERS],
            cursors: [0; MOST_CURSORS],
            cursors_used: 0,
            shifts: Seats::of(0, Shift { cursor: 0, by: 0 }),
            shifts_of: Default::default(),
            statuses: Seats::filled(&reach.settled_statuses(setup)?, SettledStatus::NOTHING),
            ticks: Box::new([[[Tick::NOTHING; MOST_FIGHTERS]; MOST_STATUSES]; MOST_FIGHTERS]),
            pools,
            defeats: defeating.first().copied(),
            defeating: setup.defeating,
            rounding: program.rounding,
            threatens: program.threat.is_some(),
            duel: matches!(fighters[..], [one, other] if one.side != other.side),
            live: setup.defeating,
            live_lines: [0; MOST_FIGHTERS],
            is_rehearsed: false,
            ends_at_once: false,
            first_pool: program.place(CombatantId(0), Slot(program.layout.pools)),
            stride: usize::from(program.layout.stride),
        };
        plan.ends_at_once = ends_at_once(setup, &plan);
        plan.take_tempos(&mut settling)?;
        plan.take_moves(&mut settling)?;
        plan.take_ticks(&mut settling, &reach)?;
        plan.take_looks(&mut settling)?;
        plan.cursors_used = settling.cursors.len();
        plan.cursors[..plan.cursors_used].copy_from_slice(&settling.cursors);
        for (places, of) in plan.shifts_of.iter_mut().zip(&settling.shifts) {
            for (place, shifts) in places.iter_mut().zip(of) {
                let first = plan.shifts.len() as u16;
                shifts.iter().try_for_each(|shift| plan.shifts.push(*shift))?;
                *place = (first, plan.shifts.len() as u16);
            }
        }
        plan.find_what_is_live();
        Some(plan)
    }

    /// Times and costs of all abilities in hand.
    fn take_tempos(&mut self, settling: &mut Settling) -> Option<()> {
        for (who, place) in in_hand(settling.setup) {
            let used = self.fighters[who].uses(place);
            let ability = settling.setup.in_hand[place].ability;
            let reads = Reads::own(who, settling.setup.program.ability(ability).reads);
            let cursor = settling.settle(&mut self.tempos, reads, None, |setup, memory, _| {
                let hand = setup.program.ability_in_hand(ability, who, &setup.linked[who.index()], memory);
                let known = [hand.cast, hand.recovery, hand.cooldown].iter().all(|time| *time != InHand::ASK);
                // What no line ever wants is never used at all.
                (!used || (known && hand.plain)).then_some(Tempo {
                    cast: hand.cast,
                    recovery: hand.recovery,
                    cooldown: hand.cooldown,
                    cost: hand.cost,
                    pays_from: hand.cost_pool.0,
                    free: hand.free,
                })
            })?;
            (usize::from(cursor) == place).then_some(())?;
        }
        Some(())
    }

    fn take_moves(&mut self, settling: &mut Settling) -> Option<()> {
        let setup = settling.setup;
        let mut moves = Vec::new();
        for (who, place) in in_hand(setup) {
            let hand = &setup.in_hand[place];
            let mut one = unused_move(hand);
            one.tempo = self.tempos[settling.cursors[place] as usize];
            if self.fighters[who].uses(place) {
                for target in targets(setup, who, one.itself) {
                    let does = &setup.program.ability(hand.ability).does;
                    let (first, end) = self.take_outcomes(settling, does, who, target, None)?;
                    one.does[target.index()] = (first, end);
                    let strike = self.only_strike(first, end, target);
                    one.strikes[target.index()] = strike;
                    one.hits[target.index()] = settling.cursors.get(usize::from(strike)).map_or(0, |at| *at as u16);
                }
            }
            moves.push(one);
        }
        self.moves = Seats::filled(&moves, unused_move(setup.in_hand.first()?));
        Some(())
    }

    fn only_strike(&self, first: u16, end: u16, target: CombatantId) -> u16 {
        let outcome = &self.outcomes[usize::from(first)];
        match outcome.what {
            SettledEffect::Hit(cursor) if end == first + 1 && outcome.chance >= 1.0 && outcome.receiver == target => {
                cursor
            }
            _ => NO_STRIKE,
        }
    }

    fn take_ticks(&mut self, settling: &mut Settling, reach: &Reach) -> Option<()> {
        let setup = settling.setup;
        for (place, status) in reach.statuses.iter().enumerate() {
            let Some(every) = &setup.program.status(*status).every else { continue };
            for owner in setup.ids() {
                let by = reach.by[owner.index()][place];
                for caster in setup.ids().filter(|caster| by >> caster.0 & 1 == 1) {
                    let (first, end) =
                        self.take_outcomes(settling, &every.does, caster, owner, Some((owner, place)))?;
                    let strike = self.only_strike(first, end, owner);
                    self.ticks[owner.index()][place][caster.index()] = Tick { does: (first, end), strike };
                }
            }
        }
        Some(())
    }

    /// Tells apart which attributes a fighter has, where it looks again when they change.
    fn take_looks(&mut self, settling: &mut Settling) -> Option<()> {
        for who in settling.setup.ids().filter(|who| self.fighters[*who].conditional) {
            let mut known: Vec<Vec<u64>> = Vec::new();
            let cursor = settling.settle(&mut self.looks, Reads::own(who, u64::MAX), None, |setup, memory, _| {
                let layout = &setup.program.layout;
                let block = setup.program.place(who, Slot(0));
                let attributes = usize::from(Layout::ATTRIBUTES.0)..usize::from(layout.pools);
                let bits: Vec<u64> = attributes.map(|slot| memory.at(block + slot).to_bits()).collect();
                let place = known.iter().position(|one| *one == bits).unwrap_or_else(|| {
                    known.push(bits);
                    known.len() - 1
                });
                Some(place as u32)
            })?;
            self.looks_at[who.index()] = Some(cursor);
        }
        Some(())
    }
}

/// All abilities of all combatants: whose, and their places.
fn in_hand(setup: &Setup) -> Vec<(CombatantId, usize)> {
    let of = |who: CombatantId| {
        let character = setup.combatants[who.index()].character;
        let first = setup.linked[who.index()].first as usize;
        (first..first + setup.program.characters[character.index()].abilities.len()).map(move |place| (who, place))
    };
    setup.ids().flat_map(of).collect()
}

fn targets(setup: &Setup, who: CombatantId, itself: bool) -> impl Iterator<Item = CombatantId> {
    let side = |one: CombatantId| setup.combatants[one.index()].side;
    setup.ids().filter(move |target| if itself { *target == who } else { side(*target) != side(who) })
}

/// Which statuses the abilities that anybody uses bring about.
fn reach(setup: &Setup, fighters: &[Fighter]) -> Option<Reach> {
    let mut reach = Reach::of_nothing(fighters.len());
    for (who, place) in in_hand(setup) {
        let hand = &setup.in_hand[place];
        if !fighters[who.index()].uses(place) {
            continue;
        }
        for target in targets(setup, who, hand.aim == Aim::Itself) {
            for outcome in &setup.program.ability(hand.ability).does {
                if let Effect::Inflict(status, ..) = outcome.effect {
                    reach.note(status, who, receiver_of(outcome, who, target, false)?)?;
                }
            }
        }
    }
    Some(reach)
}

/// Whether conditions of a policy, caps or flows of pools hang on what statuses change.
fn hangs_on_more(settling: &Settling, who: CombatantId) -> bool {
    let setup = settling.setup;
    let program = &setup.program;
    let has = &program.characters[setup.combatants[who.index()].character.index()].pools;
    let pools = program.pools.iter().zip(has).any(|(pool, has)| *has && settling.may_change(who, pool.reads));
    let conditions = setup.linked[who.index()].lines.iter().filter_map(|line| line.when);
    pools || conditions.into_iter().any(|when| settling.may_change(who, reads_of_condition(program, when)))
}

/// What a condition reads of its owner's besides pools.
fn reads_of_condition(program: &Program, when: FormulaId) -> u64 {
    let mut found = program.dirty_reads(when);
    program.formula(when).each_read(|read| {
        if let Read::Standing(_, slot) = read {
            found |= dirty::bit(slot);
        }
    });
    found
}

impl Fighter {
    /// Whether any line ever wants the ability at this place.
    fn uses(&self, place: usize) -> bool {
        self.lines.iter().any(|line| line.place == place && !matches!(line.when, When::Fixed(false)))
    }
}

fn fighter(setup: &Setup, who: CombatantId) -> Option<Fighter> {
    let (program, linked) = (&setup.program, &setup.linked[who.index()]);
    let combatant = &setup.combatants[who.index()];
    let character = &program.characters[combatant.character.index()];
    let points = program.points_of(&mut setup.memory.clone(), who).ok()?;
    let begins = setup.begins.get(who.index()).is_some_and(|begin| !begin.statuses.is_empty());
    let dressed = begins
        || !character.statuses.is_empty()
        || !character.chancy.is_empty()
        || (!character.spends.is_empty() && points > 0);
    if dressed || linked.careful || linked.polls != Time::NEVER || linked.lines.len() > MOST_LINES {
        return None;
    }
    let nothing = Line { when: When::Fixed(false), place: usize::MAX, itself: false };
    let mut lines = [nothing; MOST_LINES];
    for (place, line) in lines.iter_mut().zip(&linked.lines) {
        let when = match line.when {
            None => When::Fixed(true),
            Some(_) if line.fleeting => return None,
            Some(_) => condition(setup, who, line.quick)?,
        };
        let itself = setup.in_hand[line.place as usize].aim == Aim::Itself;
        *place = Line { when, place: line.place as usize, itself };
    }
    let mut fighter = Fighter {
        side: combatant.side,
        lines,
        wanted: 0,
        unconditional: linked.unconditional,
        conditional: linked.lines.iter().any(|line| line.when.is_some()),
        readers: [0; MOST_POOLS],
        own: linked.watch.own,
        costs: linked.watch.costs,
        mortal: (0..program.pools.len()).any(|pool| setup.defeating >> pool & 1 == 1 && character.pools[pool]),
        pools: [[0.0; pool_slot::WIDTH as usize]; MOST_POOLS],
    };
    for (pool, (numbers, readers)) in fighter.pools.iter_mut().zip(&mut fighter.readers).enumerate() {
        if pool < program.pools.len() {
            let first = program.place(who, program.layout.pool(PoolId(pool as u16)));
            *numbers = *setup.memory.pool_numbers(first)?;
            *readers = linked.readers[pool];
        }
    }
    let holds = |line: &Line| line.when.holds(&fighter.pools, 0.0);
    fighter.wanted = lines.iter().enumerate().filter(|(_, line)| holds(line)).fold(0, |bits, (bit, _)| bits | 1 << bit);
    Some(fighter)
}

fn unused_move(hand: &InHand) -> Move {
    Move {
        ability: hand.ability,
        itself: hand.aim == Aim::Itself,
        does: [(0, 0); MOST_FIGHTERS],
        strikes: [NO_STRIKE; MOST_FIGHTERS],
        hits: [0; MOST_FIGHTERS],
        tempo: Tempo::NONE,
    }
}
