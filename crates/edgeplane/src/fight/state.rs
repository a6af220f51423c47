//! Everything about a fight that can change.

use std::collections::VecDeque;

use super::event::{Ending, Source};
use super::filled::Version;
use super::flights::Flight;
use super::ground::Walker;
use super::held::Instance;
use super::seats::Seats;
use super::stock::Stock;
use super::timeline::{Phase, Timeline, Timer};
use super::triggers::Pending;
use super::zones::{Hold, Zone};
use crate::program::{
    AbilityId, BaseChange, Chance, CombatantId, GearId, InHand, JoinPlan, Memory, Setup, SideId, SiteId, StatusId,
    StreamId, Time,
};

/// What a combatant is doing.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) enum Doing {
    /// Nothing: it waits for something to change.
    #[default]
    Idle,
    /// It winds up for an ability, kept at this place among all abilities of all combatants.
    Casting(u32),
    /// It is locked out until a moment.
    Recovering,
}

/// What a combatant knows of the lines of its policy. Whoever knows less asks again and comes to the same, so two fights
/// that are alike may differ in this.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Lines {
    /// Lines of which it is known whether their conditions hold, one bit each.
    pub(super) known: u64,
    /// Those of them that hold.
    pub(super) wanted: u64,
    /// What it has just chosen.
    pub(super) choice: Choice,
}

impl PartialEq for Lines {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Actor {
    pub(super) doing: Doing,
    pub(super) stands: bool,
    pub(super) by_hand: bool,
    /// Code of the game chooses for it, where there is some.
    pub(super) led: bool,
    /// It chooses before this moment is over.
    pub(super) chooses: bool,
    /// The ability under way is aimed at several (or nobody): they stand in [`State::aimed`].
    pub(super) many: bool,
    /// Something was wanted at the last look, and could not be paid.
    pub(super) short: bool,
    /// The timer is set for looking at conditions that change with time, and for nothing else.
    pub(super) polls: bool,
    /// How often the ability under way will still take effect; none, before it does for the first time.
    pub(super) releases_left: u32,
    /// The ability under way has been released and is kept up, until then at the latest; its next beat.
    pub(super) sustains: bool,
    pub(super) sustains_until: Time,
    pub(super) beat_at: Time,
    /// Whom the ability under way is aimed at, if that is one.
    pub(super) target: CombatantId,
    /// The place of its timers.
    pub(super) rank: u32,
    /// When what it is doing ends.
    pub(super) until: Time,
    /// A status that keeps it from starting abilities.
    pub(super) forbids_act: Option<StatusId>,
    /// Tags of abilities that statuses forbid it, one bit each.
    pub(super) forbids_tags: u64,
    /// One of these two forbids something.
    pub(super) bound: bool,
    /// A status keeps it from moving.
    pub(super) rooted: bool,
    /// A status says whom it picks first.
    pub(super) taunted: bool,
    /// Events that its statuses answer to, one bit each.
    pub(super) listens: u32,
    /// Own pools of which a change is worth noting, one bit each: they defeat, or somebody waits
    /// for them.
    pub(super) alert: u64,
    /// Those that this combatant itself waits for.
    pub(super) watch: u64,
    /// Those that have changed in this wave.
    pub(super) changed: u64,
    pub(super) lines: Lines,
    /// How often it looks at conditions that change as time passes.
    pub(super) poll_every: Time,
    /// When a cooldown or a cost will allow something, as far as is known.
    pub(super) wake: Time,
    pub(super) hurt_by: Option<(CombatantId, Source)>,
    /// Told apart whenever its attributes or stacks change.
    pub(super) version: Version,
}

impl Actor {
    /// Code of the game chooses for it: every change of its pools may matter, and no shortcut is good.
    pub(super) fn be_led(&mut self) {
        (self.led, self.bound, self.alert) = (true, true, u64::MAX);
    }

    pub(super) fn new(setup: &Setup, who: CombatantId) -> Self {
        let linked = &setup.linked[who.index()];
        let watch = linked.watch.own;
        let present = setup.script.joins(who) == JoinPlan::AtStart;
        Self {
            doing: Doing::Idle,
            stands: present,
            by_hand: false,
            led: false,
            chooses: false,
            many: false,
            short: false,
            polls: false,
            releases_left: 0,
            sustains: false,
            sustains_until: Time::NEVER,
            beat_at: Time::NEVER,
            target: CombatantId(0),
            rank: 0,
            until: Time::ZERO,
            forbids_act: None,
            forbids_tags: 0,
            bound: false,
            rooted: false,
            taunted: false,
            listens: 0,
            alert: watch | setup.watched | setup.defeating,
            watch,
            changed: 0,
            lines: Lines { known: linked.unconditional, wanted: linked.unconditional, choice: None },
            poll_every: linked.polls,
            wake: Time::NEVER,
            hurt_by: None,
            version: Version::default(),
        }
    }
}

#[derive(Clone, Debug, PartialEq)]
pub(super) struct State {
    pub(super) now: Time,
    pub(super) memory: Memory,
    pub(super) timeline: Timeline,
    pub(super) actors: Seats<Actor>,
    /// Each ability of each combatant.
    pub(super) in_hand: Vec<InHand>,
    /// What else is kept of each of them.
    pub(super) stock: Vec<Stock>,
    /// Combatants in the order of their lots, which settle who comes first at one moment.
    pub(super) order: Vec<CombatantId>,
    /// The statuses of each combatant, in the order in which they came.
    pub(super) statuses: Vec<Vec<Instance>>,
    /// The version of the fight, which is that of whoever changed last; and the last one ever given.
    pub(super) version: Version,
    pub(super) last_version: Version,
    pub(super) next_serial: u32,
    /// Statuses that are gone, but may still answer to that.
    pub(super) leaving: Vec<Instance>,
    /// Room for statuses to come.
    pub(super) spare: Spare,
    /// Answers wait, or statuses leave.
    pub(super) waiting: bool,
    /// Answers of statuses that wait.
    pub(super) queue: VecDeque<Pending>,
    /// How many answers led to what is under way, how many were given at this moment, and the statuses
    /// that gave the last of them.
    pub(super) depth: u32,
    pub(super) answers: u64,
    pub(super) recent: Vec<StatusId>,
    /// For each combatant and tag that diminishes: how often, and when last.
    pub(super) diminished: Vec<(u32, Time)>,
    /// There may be statuses that hold only under a condition.
    pub(super) conditions: bool,
    /// Whom abilities under way are aimed at, by caster, where that is not just one.
    pub(super) aimed: Vec<Vec<CombatantId>>,
    /// Pools of anybody that have changed in this wave and are worth a look, one bit each.
    pub(super) changed: u64,
    /// Something has happened that is seen to at the end of the wave: one of the next three, or a
    /// change that somebody may wait for.
    pub(super) attention: bool,
    /// How many choose before this moment is over, and one of them.
    pub(super) choosers: u32,
    pub(super) chooser: CombatantId,
    pub(super) someone_fell: bool,
    pub(super) someone_hurt: bool,
    pub(super) began: bool,
    pub(super) ending: Option<Ending>,
    /// Who started what last: whom to name when things go on without end.
    pub(super) last_used: (CombatantId, Option<AbilityId>),
    pub(super) steps_taken: u64,
    pub(super) base_changes: Vec<BaseChange>,
    /// What is kept of each combatant on the ground; nothing where nobody has a place.
    pub(super) walkers: Vec<Walker>,
    /// What each wears, in the order in which it was put on.
    pub(super) worn: Vec<Vec<GearId>>,
    /// A side has won, whatever stands; nobody has, if several did at one moment.
    pub(super) decided: Option<Option<SideId>>,
    /// Experience that each has gained.
    pub(super) experience: Vec<f64>,
    /// Who does not stand because it has not joined yet.
    pub(super) absent: Vec<bool>,
    /// What is on its way, in the order in which it was sent out.
    pub(super) flights: Vec<Flight>,
    /// Somebody has changed course.
    pub(super) moved: bool,
    /// The zones that are there, in the order in which they came, and the statuses that they hold.
    pub(super) zones: Vec<Zone>,
    pub(super) holds: Vec<Hold>,
    pub(super) next_zone: u32,
    /// When zones were looked at last, and how often then.
    pub(super) heeded: (Time, u32),
    /// For each moment of the script, when it comes next and how often it is still to come.
    pub(super) script: Vec<(Time, u32)>,
    /// Kept between evaluations so that nothing is allocated.
    pub(super) scratch: Scratch,
}

/// What a combatant has chosen: to use an ability, by its place among all abilities of all
/// combatants, or to wait.
pub(super) type Choice = Option<u32>;

/// Room to work in; means nothing between two calls.
#[derive(Clone, Debug, Default)]
pub(super) struct Scratch {
    pub(super) draws: crate::program::Draws,
    pub(super) picked: Vec<CombatantId>,
    /// Those of whoever can be meant who are in reach.
    pub(super) near: Vec<CombatantId>,
    pub(super) scored: Vec<(f64, CombatantId)>,
    pub(super) lots: Vec<(u32, CombatantId)>,
    /// Who has fallen at this moment and is worth something to others.
    pub(super) worthy: Vec<CombatantId>,
    /// Uses among which chance chooses, by the sum of weights up to and with each.
    pub(super) weighed: Vec<(f64, u32)>,
    pub(super) costs: Vec<f64>,
    /// Statuses to which something is due.
    pub(super) due: Vec<u32>,
    /// Statuses that are to be taken away, and when they would have ended.
    pub(super) meant: Vec<(u32, Time)>,
    /// Statuses of what is worn, before and after a change.
    pub(super) gear_before: Vec<StatusId>,
    pub(super) gear_after: Vec<StatusId>,
}

impl PartialEq for Scratch {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

/// Instances that are not in use: room for others, without meaning.
#[derive(Clone, Debug, Default)]
pub(super) struct Spare(Vec<Instance>);

impl Spare {
    pub(super) fn pop(&mut self) -> Option<Instance> {
        self.0.pop()
    }

    pub(super) fn append(&mut self, used: &mut Vec<Instance>) {
        self.0.append(used);
    }
}

impl PartialEq for Spare {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

/// Everything about a fight that can change, at one moment.
#[derive(Clone, Debug, PartialEq)]
pub struct Snapshot<C> {
    pub(super) state: State,
    pub(super) chance: C,
}

impl State {
    pub(super) fn of(setup: &Setup) -> Self {
        let all = setup.combatants.len();
        Self {
            walkers: vec![Walker::default(); if setup.is_placed { setup.combatants.len() } else { 0 }],
            absent: vec![false; all],
            experience: vec![0.0; all],
            worn: vec![Vec::new(); all],
            decided: None,
            flights: Vec::new(),
            moved: false,
            zones: Vec::new(),
            holds: Vec::new(),
            next_zone: 0,
            heeded: (Time::ZERO, 0),
            script: Vec::with_capacity(setup.script.moments.len()),
            now: Time::ZERO,
            memory: Memory::default(),
            timeline: Timeline::of(setup),
            actors: Seats::of(all, Actor::default()),
            in_hand: setup.in_hand.clone(),
            stock: Stock::all(setup),
            order: setup.ids().collect(),
            statuses: (0..all).map(|_| Vec::with_capacity(16)).collect(),
            version: Version::default(),
            last_version: Version::default(),
            next_serial: 0,
            leaving: Vec::new(),
            spare: Spare::default(),
            waiting: false,
            queue: VecDeque::new(),
            depth: 0,
            answers: 0,
            recent: Vec::new(),
            diminished: vec![(0, Time::ZERO); all * setup.program.diminish.len()],
            conditions: false,
            aimed: (0..all).map(|_| Vec::with_capacity(all)).collect(),
            changed: 0,
            attention: false,
            choosers: 0,
            chooser: CombatantId(0),
            someone_fell: false,
            someone_hurt: false,
            began: false,
            ending: None,
            last_used: (CombatantId(0), None),
            steps_taken: 0,
            base_changes: Vec::new(),
            scratch: Scratch::default(),
        }
    }

    pub(super) fn reset(&mut self, setup: &Setup, chance: &mut impl Chance) {
        self.now = Time::ZERO;
        self.memory.copy_from(&setup.memory);
        self.timeline.reset();
        for (who, actor) in self.actors.all_mut().iter_mut().enumerate() {
            // Who is led by hand stays so.
            let kept = (actor.by_hand, actor.led);
            *actor = Actor { by_hand: kept.0, ..Actor::new(setup, CombatantId(who as u16)) };
            if kept.1 {
                actor.be_led();
            }
        }
        self.in_hand.clone_from(&setup.in_hand);
        if setup.specials {
            Stock::reset(&mut self.stock, setup);
        }
        self.base_changes.clear();
        self.walkers.fill(Walker::default());
        self.flights.clear();
        self.experience.fill(0.0);
        self.decided = None;
        for (worn, combatant) in self.worn.iter_mut().zip(&setup.combatants) {
            worn.clone_from(&setup.program.characters[combatant.character.index()].pieces);
        }
        self.reset_statuses();
        self.begin_at_once(setup, chance);
        self.zones.clear();
        self.holds.clear();
        self.next_zone = 0;
        self.heeded = (Time::ZERO, 0);
        for (who, absent) in self.absent.iter_mut().enumerate() {
            *absent = !self.actors[CombatantId(who as u16)].stands;
        }
        self.script.clear();
        self.script.extend(setup.script.moments.iter().map(|moment| (moment.at, moment.times)));
        self.schedule_script();
    }

    /// Nothing has happened yet, and whoever is there chooses at once.
    pub(super) fn begin_at_once(&mut self, setup: &Setup, chance: &mut impl Chance) {
        self.changed = 0;
        (self.choosers, self.chooser) = (0, CombatantId(0));
        self.last_used = (CombatantId(0), None);
        self.someone_fell = false;
        self.someone_hurt = setup.enters_empty;
        self.attention = setup.enters_empty;
        self.began = false;
        self.moved = false;
        self.version = Version::default();
        self.ending = None;
        self.steps_taken = 0;
        self.draw_lots(setup, chance);
        for who in setup.ids() {
            if self.actors[who].stands {
                self.timeline.set(who, self.actors[who].rank, Timer::Act, Time::ZERO, Phase::Ready);
            }
        }
    }

    /// Sets the timer for what the encounter has happen next.
    pub(super) fn schedule_script(&mut self) {
        let next = self.script.iter().filter(|(_, times)| *times > 0).map(|(at, _)| *at).min();
        match next {
            Some(at) => self.timeline.set(CombatantId(0), 0, Timer::Script, at, Phase::Script),
            None => self.timeline.clear(CombatantId(0), Timer::Script),
        }
    }

    /// Attributes or stacks of a combatant have changed.
    pub(super) fn new_version(&mut self, who: CombatantId) {
        self.last_version.0 += 1;
        self.version = self.last_version;
        self.actors[who].version = self.last_version;
    }

    fn reset_statuses(&mut self) {
        for held in &mut self.statuses {
            self.spare.append(held);
        }
        self.spare.append(&mut self.leaving);
        self.next_serial = 0;
        self.waiting = false;
        self.queue.clear();
        self.depth = 0;
        self.answers = 0;
        self.recent.clear();
        self.diminished.fill((0, Time::ZERO));
        self.conditions = false;
    }

    /// Lots are drawn from each combatant's own stream, so the order hangs on the seed and on who
    /// takes part, and not on who is listed first.
    fn draw_lots(&mut self, setup: &Setup, chance: &mut impl Chance) {
        let sites = setup.program.sites.len() as u32;
        let lots = &mut self.scratch.lots;
        lots.clear();
        lots.extend(
            setup.ids().map(|who| (chance.pick(StreamId(u32::from(who.0) * sites + SiteId::LOT.0), u32::MAX), who)),
        );
        lots.sort_unstable_by_key(|(lot, who)| (*lot, *who));
        for (rank, (_, who)) in lots.iter().enumerate() {
            self.order[rank] = *who;
            self.actors[*who].rank = rank as u32;
        }
    }

    /// Where the readiness of an ability is kept.
    #[inline]
    pub(super) fn ready_index(&self, setup: &Setup, who: CombatantId, ability: AbilityId) -> Option<usize> {
        let character = setup.combatants[who.index()].character;
        let abilities = &setup.program.characters[character.index()].abilities;
        let at = abilities.iter().position(|known| *known == ability)?;
        Some(setup.linked[who.index()].first as usize + at)
    }
}
