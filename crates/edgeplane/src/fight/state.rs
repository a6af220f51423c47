//! Everything about a fight that can change.

use super::event::Ending;
use super::timeline::{Phase, Timeline, Timer};
use crate::program::{
    AbilityId, BaseChange, Chance, CombatantId, InHand, LinkedHits, Memory, Setup, SiteId, StreamId, Time,
};

/// What a combatant is doing.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Doing {
    /// Nothing: it waits for something to change.
    Idle,
    /// It winds up for an ability.
    Casting { ability: AbilityId, place: u32 },
    /// It is locked out until a moment.
    Recovering,
}

#[derive(Clone, Debug, PartialEq)]
pub(super) struct Actor {
    pub(super) doing: Doing,
    /// When what it is doing ends.
    pub(super) until: Time,
    pub(super) stands: bool,
    pub(super) by_hand: bool,
    /// It chooses before this moment is over.
    pub(super) chooses: bool,
    /// Whom the ability under way is aimed at, if that is one.
    pub(super) target: CombatantId,
    /// It is aimed at several (or nobody): they stand in `targets`.
    pub(super) many: bool,
    pub(super) targets: Vec<CombatantId>,
    pub(super) hurt_by: Option<(CombatantId, AbilityId)>,
    /// Own pools that have changed in this wave, one bit each.
    pub(super) changed: u64,
    /// Lines of the policy whose conditions did not hold at the last look, one bit each.
    pub(super) unwanted: u64,
    /// Something was wanted at the last look, and could not be paid.
    pub(super) short: bool,
    /// When a cooldown or a cost will allow something, as far as is known.
    pub(super) wake: Time,
    /// The timer is set for looking at conditions that change with time, and for nothing else.
    pub(super) polls: bool,
}

impl Actor {
    fn reset(&mut self) {
        self.doing = Doing::Idle;
        self.until = Time::ZERO;
        self.stands = true;
        self.chooses = false;
        self.targets.clear();
        self.hurt_by = None;
        self.changed = 0;
        self.unwanted = 0;
        self.short = false;
        self.wake = Time::NEVER;
        self.polls = false;
    }
}

#[derive(Clone, Debug, PartialEq)]
pub(super) struct State {
    pub(super) now: Time,
    pub(super) memory: Memory,
    pub(super) timeline: Timeline,
    pub(super) actors: Vec<Actor>,
    /// When each ability of each combatant is ready.
    pub(super) ready: Vec<Time>,
    /// What is known of each ability of each combatant.
    pub(super) in_hand: Vec<InHand>,
    /// Combatants in the order of their lots, which settle who comes first at one moment.
    pub(super) order: Vec<CombatantId>,
    pub(super) rank: Vec<usize>,
    /// Pools of anybody that have changed in this wave.
    pub(super) changed: u64,
    /// How many choose before this moment is over, and one of them.
    pub(super) choosers: u32,
    pub(super) chooser: CombatantId,
    pub(super) someone_fell: bool,
    /// Somebody may wait for a cost: a change of what it is paid from can wake.
    pub(super) someone_short: bool,
    pub(super) someone_hurt: bool,
    pub(super) began: bool,
    pub(super) ending: Option<Ending>,
    /// Who started what last: whom to name when things go on without end.
    pub(super) last_used: (CombatantId, Option<AbilityId>),
    pub(super) steps_taken: u64,
    pub(super) base_changes: Vec<BaseChange>,
    /// Ways of hits that attributes changed in this fight have made other than in the setup.
    pub(super) relinked: Option<Box<LinkedHits>>,
    /// Kept between evaluations so that nothing is allocated.
    pub(super) scratch: Scratch,
}

/// What a combatant has chosen.
#[derive(Clone, Copy, Debug)]
pub(super) enum Choice {
    /// To use an ability, kept at a place among all abilities of all combatants.
    Use { ability: AbilityId, place: u32 },
    /// To wait, until a moment if one is known, else until never.
    Wait(Time),
}

/// Room to work in; means nothing between two calls.
#[derive(Clone, Debug, Default)]
pub(super) struct Scratch {
    pub(super) draws: crate::program::Draws,
    pub(super) picked: Vec<CombatantId>,
    pub(super) scored: Vec<(f64, CombatantId)>,
    pub(super) choices: Vec<(CombatantId, Choice)>,
    pub(super) lots: Vec<(u32, CombatantId)>,
    pub(super) costs: Vec<f64>,
}

impl PartialEq for Scratch {
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
        let actor = Actor {
            doing: Doing::Idle,
            until: Time::ZERO,
            stands: true,
            by_hand: false,
            chooses: false,
            target: CombatantId(0),
            many: false,
            targets: Vec::with_capacity(setup.combatants.len()),
            hurt_by: None,
            changed: 0,
            unwanted: 0,
            short: false,
            wake: Time::NEVER,
            polls: false,
        };
        Self {
            now: Time::ZERO,
            memory: Memory::default(),
            timeline: Timeline::of(setup),
            actors: vec![actor; setup.combatants.len()],
            ready: vec![Time::ZERO; setup.in_hand.len()],
            in_hand: setup.in_hand.clone(),
            order: setup.ids().collect(),
            rank: vec![0; setup.combatants.len()],
            changed: 0,
            choosers: 0,
            chooser: CombatantId(0),
            someone_fell: false,
            someone_short: false,
            someone_hurt: false,
            began: false,
            ending: None,
            last_used: (CombatantId(0), None),
            steps_taken: 0,
            base_changes: Vec::new(),
            relinked: None,
            scratch: Scratch::default(),
        }
    }

    pub(super) fn reset(&mut self, setup: &Setup, chance: &mut impl Chance) {
        self.now = Time::ZERO;
        self.memory.copy_from(&setup.memory);
        self.timeline.reset();
        self.actors.iter_mut().for_each(Actor::reset);
        self.ready.fill(Time::ZERO);
        self.changed = 0;
        self.choosers = 0;
        self.someone_fell = false;
        self.someone_short = false;
        // A combatant may enter with nothing left.
        self.someone_hurt = true;
        self.began = false;
        self.ending = None;
        self.steps_taken = 0;
        self.base_changes.clear();
        // A level that was set is no base change, but has changed what is linked all the same.
        if self.relinked.take().is_some() {
            self.in_hand.clone_from(&setup.in_hand);
        }
        self.draw_lots(setup, chance);
        for rank in 0..self.order.len() {
            self.timeline.set(rank, Timer::Act, Time::ZERO, Phase::Ready);
        }
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
            self.rank[who.index()] = rank;
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
