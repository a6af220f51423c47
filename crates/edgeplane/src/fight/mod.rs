//! Fight: what happens. One run of an encounter with one seed.
//!
//! The methods of [`Fight`] come in four families: **begin** ([`Fight::new`], [`Fight::restart`]),
//! **let time pass** ([`Fight::run`], [`Fight::advance`]), **act by hand** ([`Fight::take_control`],
//! [`Fight::use_ability`], [`Fight::inflict`], [`Fight::set_base`]) and **look** ([`Fight::pool`], [`Fight::attribute`],
//! [`Fight::statuses`], [`Fight::contributions`], [`Fight::evaluate`], [`Fight::ready_at`], [`Fight::refusal`], [`Fight::ending`], [`Fight::snapshot`]).
//!
//! The engine is handed time and chance and does no input or output: it emits [`Event`]s to an
//! [`Observer`], and the same code serves a game loop and a study of millions of fights.

mod acting;
mod areas;
mod carry;
mod chance;
mod decide;
mod engine;
mod event;
mod filled;
mod flights;
mod ground;
mod held;
mod hits;
mod inflict;
mod leading;
mod limits;
mod outcomes;
mod plain;
mod pointed;
mod pools;
mod reading;
mod script;
mod seats;
mod state;
mod statuses;
mod stock;
mod sustain;
mod targets;
mod telling;
mod threat;
mod timeline;
mod triggers;
mod wearing;
mod zones;

use std::sync::Arc;

pub use carry::{Carried, Uses};
pub use chance::{Branching, Likely, Provider, Recorded, Sampler, seed_of_trial, stream_seed};
pub use event::{
    Applied, Ending, Event, Listener, Log, Logged, Observer, Refusal, Silent, Source, StatusRefusal, StepResult,
    StopReason,
};
pub use leading::{Intent, Leader, Sight};
pub use limits::{FightError, FightErrorKind, Limits};
pub use reading::{Contribution, HeldStatus};
pub use state::Snapshot;
pub use telling::{Telling, name_refusal};

use crate::program::{
    AbilityId, Chance, CombatantId, EncounterId, FormulaId, Frame, PoolId, Program, Setup, Slot, Time,
};
use engine::Engine;
use filled::FilledHits;
use plain::Plain;
use pointed::with_engine;
use state::State;

/// How fights that are run at once are played.
#[derive(Clone, Debug)]
enum Way {
    NotKnownYet,
    Long,
    Short(Plain),
}

/// What has been done since a fight was begun anew.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Since {
    Nothing,
    /// It was played to its end on the shortest way, and nothing else.
    Played,
    Other,
}

/// All that an engine works with but chance and the observer.
struct Rest<'a> {
    setup: &'a Setup,
    state: &'a mut State,
    limits: Limits,
    filled: &'a mut FilledHits,
    plain: Option<&'a mut Plain>,
}

impl<'a> Rest<'a> {
    fn engine<C: Chance, O: Observer>(
        self,
        chance: &'a mut C,
        observer: &'a mut O,
    ) -> (Engine<'a, C, O>, Option<&'a mut Plain>) {
        let engine = Engine {
            program: &self.setup.program,
            setup: self.setup,
            state: self.state,
            chance,
            observer,
            limits: self.limits,
            filled: self.filled,
            dressing: false,
            leader: None,
        };
        (engine, self.plain)
    }
}

/// One fight.
///
/// ```
/// use edgeplane::{Game, Silent};
/// # let text = edgeplane::example_text();
/// let game = Game::from_text("weir.toml", text)?;
/// let mut fight = game.fight("duel", 7)?;
/// let ending = fight.run(&mut Silent)?;
/// println!("{ending:?} after {} s", fight.now().seconds());
/// # Ok::<(), edgeplane::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Fight<C = Sampler> {
    setup: Arc<Setup>,
    state: State,
    chance: C,
    limits: Limits,
    filled: FilledHits,
    /// A shorter way for fights in which little changes; looked for when it is first wanted.
    way: Way,
    since: Since,
}

impl Fight<Sampler> {
    /// A fight of an encounter with sampled chance.
    pub fn new(program: &Arc<Program>, encounter: EncounterId, seed: u64) -> Self {
        Self::with_chance(Arc::new(Setup::of(program, encounter)), Sampler::default(), seed)
    }

    /// Runs to the end and tells every detail.
    ///
    /// # Errors
    /// As for [`Fight::run`].
    pub fn run_told(&mut self, listener: &mut dyn Listener) -> Result<Ending, FightError> {
        self.run(&mut pointed::Told::<true>(listener))
    }
}

impl<C: Provider> Fight<C> {
    /// A fight whose chances come from elsewhere.
    pub fn with_chance(setup: Arc<Setup>, chance: C, seed: u64) -> Self {
        let state = State::of(&setup);
        let (filled, way) = (FilledHits::of(&setup), Way::NotKnownYet);
        let mut fight = Self { setup, state, chance, limits: Limits::default(), filled, way, since: Since::Other };
        fight.restart(seed);
        fight
    }

    /// Begins anew with another seed. Nothing is allocated.
    pub fn restart(&mut self, seed: u64) {
        self.chance.begin(seed, &self.setup.streams);
        match &self.way {
            Way::Short(plain) if self.since == Since::Played => {
                plain.begin_anew(&self.setup, &mut self.state, &mut self.chance);
            }
            _ => self.state.reset(&self.setup, &mut self.chance),
        }
        self.since = Since::Nothing;
    }

    /// What answers for chance.
    pub fn chance_mut(&mut self) -> &mut C {
        &mut self.chance
    }

    /// Other limits than the usual ones.
    #[must_use]
    pub fn with_limits(mut self, limits: Limits) -> Self {
        self.limits = limits;
        self
    }

    /// Chance, and everything else that an engine works with.
    fn split(&mut self) -> (&mut C, Rest<'_>) {
        self.since = Since::Other;
        let rest = Rest {
            setup: &self.setup,
            state: &mut self.state,
            limits: self.limits,
            filled: &mut self.filled,
            plain: match &mut self.way {
                Way::Short(plain) => Some(plain),
                _ => None,
            },
        };
        (&mut self.chance, rest)
    }

    /// What there is to see of the fight.
    pub fn sight(&self) -> Sight<'_> {
        Sight { setup: &self.setup, state: &self.state }
    }

    /// What holds from the start, without letting anybody act: for explanations.
    pub(crate) fn begin(&mut self) -> Result<(), FightError> {
        if self.state.began {
            return Ok(());
        }
        with_engine!(self, &mut Silent, Silent, |engine, _| engine.begin()).map_err(|error| *error)
    }

    /// Runs to the end.
    ///
    /// # Errors
    /// When a formula has no value or a limit is passed. The fight is over then.
    pub fn run<O: Observer>(&mut self, observer: &mut O) -> Result<Ending, FightError> {
        let fresh = self.since == Since::Nothing && !O::DETAIL && self.takes_shortest_way();
        let mut since = Since::Other;
        let ended = with_engine!(self, observer, O, |engine, plain| match plain {
            Some(plain) if fresh && plain.suits(engine.state) => {
                since = Since::Played;
                engine.run_plain(plain)
            }
            _ => engine.run(),
        });
        self.since = since;
        ended.map_err(|error| *error)
    }

    /// Whether [`Fight::run`] plays a fight that nobody has touched from numbers that are settled beforehand: several
    /// times as fast, and the same to the last bit. That is so where nothing can change but pools, cooldowns, who stands, and
    /// stacks of statuses that do nothing but change numbers and tick.
    ///
    /// ```
    /// # let game = edgeplane::Game::from_text("weir.toml", edgeplane::example_text())?;
    /// println!("{}", game.fight("duel", 7)?.takes_shortest_way());
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn takes_shortest_way(&mut self) -> bool {
        if let Way::NotKnownYet = self.way {
            self.way = Plain::of(&self.setup).map_or(Way::Long, Way::Short);
        }
        matches!(self.way, Way::Short(_))
    }

    /// How many waves of a plain duel have been *rehearsed*: gone through once for all fights to come, as far as chance has
    /// no say in them. That begins after some thirty fights on the shortest way, is done as fights come to need it, and ends
    /// when the room for it is full; none, where who does what when hangs on chance. It changes nothing but the speed.
    pub fn rehearsed_waves(&self) -> usize {
        match &self.way {
            Way::Short(plain) => plain.rehearsed_waves(),
            _ => 0,
        }
    }

    /// Lets time pass up to and including a moment; returns the ending if the fight is over.
    ///
    /// # Errors
    /// As for [`Fight::run`].
    pub fn advance<O: Observer>(&mut self, until: Time, observer: &mut O) -> Result<Option<Ending>, FightError> {
        with_engine!(self, observer, O, |engine, _| engine.advance(until)).map_err(|error| *error)
    }

    /// From now on this combatant does only what it is told through [`Fight::use_ability`].
    pub fn take_control(&mut self, who: CombatantId) {
        self.state.actors[who].by_hand = true;
        with_engine!(self, &mut Silent, Silent, |engine, _| engine.stand_still(who));
    }

    /// Where a combatant is now, in metres; the middle of the plane in an encounter without places.
    pub fn place(&self, who: CombatantId) -> [f64; 2] {
        self.sight().place(who)
    }

    /// Lets a combatant that is controlled by hand walk on a course, in metres a second along each axis, until it acts
    /// or is given another one; `[0.0, 0.0]` to stand still. Its own speed is no limit here. Nothing happens
    /// in an encounter without places, to whoever has fallen or is held fast, or while it casts or recovers.
    pub fn walk<O: Observer>(&mut self, who: CombatantId, course: [f64; 2], observer: &mut O) {
        let actor = &self.state.actors[who];
        let free = actor.by_hand && actor.stands && actor.doing == state::Doing::Idle && !actor.rooted;
        if self.setup.is_placed && free && course.iter().all(|speed| speed.is_finite()) {
            with_engine!(self, observer, O, |engine, _| engine.turn(who, course));
        }
    }

    /// Starts an ability. Without a target, the ability's own rule picks.
    ///
    /// Its cost is paid at once; its cast, or its outcomes where it has no cast, follow as time passes.
    ///
    /// # Errors
    /// `Ok(Err(refusal))` says why it cannot be used now. An error is as for [`Fight::run`].
    pub fn use_ability<O: Observer>(
        &mut self,
        who: CombatantId,
        ability: AbilityId,
        target: Option<CombatantId>,
        observer: &mut O,
    ) -> Result<Result<(), Refusal>, FightError> {
        with_engine!(self, observer, O, |engine, _| engine.use_by_hand(who, ability, target)).map_err(|error| *error)
    }

    /// Stops what a combatant keeps up. Whether it was keeping anything up.
    ///
    /// # Errors
    /// As for [`Fight::run`].
    pub fn stop<O: Observer>(&mut self, who: CombatantId, observer: &mut O) -> Result<bool, FightError> {
        let done = with_engine!(self, observer, O, |engine, _| {
            engine.stop_by_hand(who).and_then(|done| engine.answer().map(|()| done))
        });
        done.map_err(|error| *error)
    }

    /// Lets an ability take effect here and now, without cost, cast, cooldown or recovery, with one beat if it is
    /// kept up: what explanations look at.
    ///
    /// # Errors
    /// As for [`Fight::run`].
    pub fn bring_about<O: Observer>(
        &mut self,
        who: CombatantId,
        ability: AbilityId,
        target: CombatantId,
        observer: &mut O,
    ) -> Result<(), FightError> {
        with_engine!(self, observer, O, |engine, _| engine.bring_about(who, ability, target)).map_err(|error| *error)
    }

    /// Why an ability cannot be used now; `None` if it can.
    ///
    /// # Errors
    /// As for [`Fight::run`].
    pub fn refusal(&mut self, who: CombatantId, ability: AbilityId) -> Result<Option<Refusal>, FightError> {
        with_engine!(self, &mut Silent, Silent, |engine, _| engine.why_not(who, ability)).map_err(|error| *error)
    }

    /// Changes the base of an attribute (or the level), as when a character levels up in mid-fight.
    /// Everything that hangs on it follows: derived attributes, caps of pools, flows.
    ///
    /// # Errors
    /// When an attribute has no value with the new base.
    pub fn set_base<O: Observer>(
        &mut self,
        who: CombatantId,
        slot: Slot,
        base: f64,
        observer: &mut O,
    ) -> Result<(), FightError> {
        with_engine!(self, observer, O, |engine, _| engine.set_base(who, slot, base)).map_err(|error| *error)
    }

    /// The moment at hand.
    pub fn now(&self) -> Time {
        self.state.now
    }

    /// How it ended, if it has.
    pub fn ending(&self) -> Option<Ending> {
        self.state.ending
    }

    /// Who fights, and what is fixed.
    pub fn setup(&self) -> &Arc<Setup> {
        &self.setup
    }

    /// Whether a combatant still stands.
    pub fn stands(&self, who: CombatantId) -> bool {
        self.state.actors[who].stands
    }

    /// A pool's amount now.
    pub fn pool(&self, who: CombatantId, pool: PoolId) -> f64 {
        self.sight().pool(who, pool)
    }

    /// How much of a threat `whom` is in the eyes of `eyes`; zero where the ruleset has no `[threat]`.
    pub fn threat(&self, eyes: CombatantId, whom: CombatantId) -> f64 {
        self.sight().threat(eyes, whom)
    }

    /// A pool's cap.
    pub fn cap(&self, who: CombatantId, pool: PoolId) -> f64 {
        self.sight().cap(who, pool)
    }

    /// The final value of an attribute now.
    pub fn attribute(&self, who: CombatantId, slot: Slot) -> f64 {
        self.sight().attribute(who, slot)
    }

    /// What a formula of the ruleset gives for one who acts on another, as things stand: what a swing
    /// would do, for a tooltip. Truths are 1 and 0. If it draws chance, that draw is used up.
    ///
    /// # Errors
    /// When the formula has no value.
    pub fn evaluate(
        &mut self,
        formula: FormulaId,
        caster: CombatantId,
        target: CombatantId,
    ) -> Result<f64, FightError> {
        let program = &self.setup.program;
        let frame = Frame::new(program, caster, target, 0, self.state.now.micros());
        let State { memory, scratch, now, .. } = &mut self.state;
        let value = program.number(formula, memory, &frame, &mut self.chance, &mut scratch.draws);
        value.map_err(|fault| FightError { at: *now, kind: FightErrorKind::Fault(fault) })
    }

    /// When an ability's cooldown ends; a moment in the past if it has none running.
    pub fn ready_at(&self, who: CombatantId, ability: AbilityId) -> Option<Time> {
        self.sight().ready_at(who, ability)
    }

    /// Everything that can change, to come back to later.
    pub fn snapshot(&self) -> Snapshot<C> {
        Snapshot { state: self.state.clone(), chance: self.chance.clone() }
    }

    /// Comes back to a snapshot of a fight of the same setup.
    pub fn restore(&mut self, snapshot: &Snapshot<C>) {
        self.state.clone_from(&snapshot.state);
        self.chance.clone_from(&snapshot.chance);
        self.filled.forget();
        self.since = Since::Other;
    }
}
