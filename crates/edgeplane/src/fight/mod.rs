//! A fight: one run of an encounter with one seed.
//!
//! The methods of [`Fight`] come in five families: **begin** ([`Fight::new`], [`Fight::restart`]), **advance time**
//! ([`Fight::run`], [`Fight::advance`]), **change** ([`Fight::take_control`], [`Fight::use_ability`],
//! [`Fight::apply_status`], [`Fight::set_base`], [`Fight::set_pool`]), **read** ([`Fight::pool`], [`Fight::attribute`],
//! [`Fight::statuses`], [`Fight::contributions`], [`Fight::evaluate`], [`Fight::ready_at`], [`Fight::why_unavailable`],
//! [`Fight::ending`], [`Fight::snapshot`]) and **spawn and save** ([`Fight::spawn`], [`Fight::despawn`],
//! [`Fight::set_motions`], [`Fight::save`]).
//!
//! The engine receives time and chance from its caller and does no input or output. It reports [`Event`]s to an
//! [`Observer`], and the same code serves a game loop and a study of millions of fights.
//!
//! # A moment
//! There is no fixed time step: the fight jumps from event to event.
//!
//! ```text
//!            ┌──────────────────────────────────────────────────────────────────────┐
//!            ▼                                                                      │
//!  run due timers in this order, each followed by its triggers:                     │
//!      ticks → ends of statuses → ends of zones → script → arrivals                 │
//!      → edges of zones → releases → pools that become empty → free combatants      │
//!            │                                                                      │
//!            ▼                                                                      │
//!  settle, until nothing is left:                                                   │
//!      crossed edges → `while` conditions → defeats, all at once                    │
//!      → an ending? → paths of combatants that cannot act                           │
//!            │                                                                      │
//!            ▼                                                                      │
//!  combatants that are free, or for which an input has changed, decide:             │
//!      all on the same state; then all decisions are carried out, and what          │
//!      they cause is settled ───────── timers due now, or decisions left? ──────────┘
//!            │ no
//!            ▼
//!  the next moment
//! ```
//!
//! # Modules
//! `engine` holds the parts that all modules work with, `step` plays moments, and `state` is everything that can
//! change. There is one folder for each topic: `decide` (gates of policies, signals that cause new decisions, targets,
//! paths), `abilities` (uses), `effects` (hits, pools, gear, threat), `statuses` (application, ticks, triggers),
//! `space` (zones, flights) and `session` (calls, controllers, scripts, state carried between fights).

mod abilities;
mod decide;
mod effects;
mod engine;
mod events;
mod limits;
#[cfg(feature = "serde")]
mod named_event;
mod names;
mod random;
mod session;
mod space;
mod state;
mod statuses;
mod step;

use std::sync::Arc;

pub use crate::program::{Motion, Question};
pub use events::{
    Applied, Ending, Event, EventKind, EventMask, Log, Logged, Observer, Prevention, Silent, Source, StepResult,
    StopReason, UnavailableReason,
};
pub use limits::{FightError, FightErrorKind, Limits};
#[cfg(feature = "serde")]
pub use named_event::NamedEvent;
pub use names::{describe_reason, describe_source};
pub use random::{Branching, Likely, RandomSource, Recorded, Sampler, SamplerState, seed_of_trial, stream_seed};
pub use session::adopt::{Adoption, Transfer, TransferKind};
pub use session::buttons::Button;
pub use session::carry::{Carried, Uses};
pub use session::control::{Controller, Decision, View};
pub use session::reading::{Action, Contribution, HeldStatus};
#[cfg(feature = "serde")]
pub use session::save::SavedFight;
pub use session::world::Handle;

use crate::program::{EncounterId, GameFunctions, Program, Setup, Time};
use state::State;

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
    /// The source of the game's functions.
    functions: Option<Arc<GameFunctions>>,
    chance: C,
    limits: Limits,
}

/// The complete state of a fight at one moment. It can be restored to fights with the same setup.
#[derive(Clone, Debug)]
pub struct Snapshot<C: RandomSource = Sampler> {
    setup: Arc<Setup>,
    state: State,
    chance: C::Saved,
}

/// Equal if both fights are at the same point, whatever setup they share.
impl<C: RandomSource> PartialEq for Snapshot<C> {
    fn eq(&self, other: &Self) -> bool {
        self.state == other.state && self.chance == other.chance
    }
}

impl<C: RandomSource> Snapshot<C> {
    /// Its size in memory in bytes, without shared data.
    pub fn bytes(&self) -> usize {
        size_of::<Self>() + self.state.bytes() + C::saved_bytes(&self.chance)
    }
}

impl Fight<Sampler> {
    /// Starts a fight of an encounter with sampled chance.
    ///
    /// ```
    /// # use edgeplane::{Fight, Game, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let fight = Fight::new(game.program(), game.encounter("shore")?, 1);
    /// assert_eq!((fight.now(), fight.ending()), (Time::ZERO, None));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn new(program: &Arc<Program>, encounter: EncounterId, seed: u64) -> Self {
        Self::with_chance(Arc::new(Setup::of(program, encounter)), Sampler::default(), seed)
    }
}

impl<C: RandomSource> Fight<C> {
    /// Starts a fight with another source of chance.
    ///
    /// ```
    /// # use edgeplane::fight::Likely;
    /// # use edgeplane::{Fight, Game, Setup, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let setup = std::sync::Arc::new(Setup::of(game.program(), game.encounter("shore")?));
    /// // Every chance goes the likelier way, whatever the seed.
    /// let mut fight = Fight::with_chance(setup, Likely, 0);
    /// fight.run(&mut Silent)?;
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn with_chance(setup: Arc<Setup>, chance: C, seed: u64) -> Self {
        let state = State::new(&setup);
        let mut fight = Self { setup, state, functions: None, chance, limits: Limits::default() };
        fight.restart(seed);
        fight
    }

    /// Restarts with another seed. Nothing is allocated.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let first = fight.run(&mut Silent)?;
    /// fight.restart(1);
    /// assert_eq!(fight.run(&mut Silent)?, first, "the same seed, the same fight");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn restart(&mut self, seed: u64) {
        self.chance.begin(seed, &self.setup.streams);
        self.with_engine(&mut Silent, |engine| engine.reset());
    }

    /// The source of chance.
    ///
    /// ```
    /// # use edgeplane::fight::Branching;
    /// # use edgeplane::{Fight, Game, Setup, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let setup = std::sync::Arc::new(Setup::of(game.program(), game.encounter("shore")?));
    /// let mut fight = Fight::with_chance(setup, Branching::new(3), 0);
    /// fight.run(&mut Silent)?;
    /// assert_eq!(fight.chance_mut().weight(), 1.0, "nothing was drawn: it can go no other way");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn chance_mut(&mut self) -> &mut C {
        &mut self.chance
    }

    /// Whether any chance has been drawn in this fight, other than for tie-breaks.
    pub(crate) fn has_drawn(&self) -> bool {
        self.chance.has_drawn(self.setup.program.sites.len())
    }

    /// Sets limits other than the defaults.
    ///
    /// ```
    /// # use edgeplane::fight::Limits;
    /// # use edgeplane::{Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let mut fight = game.fight("shore", 1)?.with_limits(Limits { steps: 5, ..Limits::default() });
    /// assert!(fight.run(&mut Silent).is_err(), "five steps are not enough");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    #[must_use]
    pub fn with_limits(mut self, limits: Limits) -> Self {
        self.limits = limits;
        self
    }

    /// A view of the fight.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let view = fight.view();
    /// assert_eq!(view.enemies(cutter).collect::<Vec<_>>(), [pike]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn view(&self) -> View<'_> {
        View { setup: &self.setup, state: &self.state }
    }

    /// Applies the initial state without letting anybody act: for explanations.
    pub(crate) fn begin(&mut self) -> Result<(), FightError> {
        if self.state.began {
            return Ok(());
        }
        self.try_with_engine(&mut Silent, |engine| engine.begin())
    }

    /// Runs to the end.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let ending = fight.run(&mut Silent)?;
    /// println!("{ending:?} after {} s", fight.now().seconds());
    /// assert_eq!(fight.ending(), Some(ending));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// Returns an error if a formula has no value or a limit is exceeded. The fight is then over: [`Ending::Failed`].
    pub fn run<O: Observer>(&mut self, observer: &mut O) -> Result<Ending, FightError> {
        self.try_with_engine(observer, |engine| engine.run())
    }

    /// Advances up to and including a time; returns the ending if the fight is over.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// for frame in 1..=60 {
    ///     fight.advance(Time(frame * 16_667), &mut Silent)?;
    /// }
    /// assert_eq!(fight.now(), Time(1_000_020), "a second of frames");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::run`].
    pub fn advance<O: Observer>(&mut self, until: Time, observer: &mut O) -> Result<Option<Ending>, FightError> {
        self.try_with_engine(observer, |engine| engine.advance(until))
    }

    /// The current time.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.advance(Time(250_000), &mut Silent)?;
    /// assert_eq!(fight.now().seconds(), 0.25);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn now(&self) -> Time {
        self.state.now
    }

    /// The ending, if the fight is over.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// assert_eq!(fight.ending(), None, "it is still on");
    /// let ending = fight.run(&mut Silent)?;
    /// assert_eq!(fight.ending(), Some(ending));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn ending(&self) -> Option<Ending> {
        self.state.ending
    }

    /// The participants and everything that is fixed.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let labels: Vec<&str> = fight.setup().combatants.iter().map(|one| one.label.as_str()).collect();
    /// assert_eq!(labels, ["reed_cutter", "bog_pike"]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn setup(&self) -> &Arc<Setup> {
        &self.setup
    }

    /// The number of steps taken by the last call.
    #[cfg(feature = "study")]
    pub(crate) fn steps_taken(&self) -> u64 {
        self.state.steps_taken
    }

    /// The complete state, to be restored later.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let kept = fight.snapshot();
    /// let ending = fight.run(&mut Silent)?;
    /// fight.restore(&kept)?;
    /// assert_eq!(fight.run(&mut Silent)?, ending);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn snapshot(&self) -> Snapshot<C> {
        let mut state = State::new(&self.setup);
        state.save(&self.state, &self.setup);
        Snapshot { setup: Arc::clone(&self.setup), state, chance: self.chance.save() }
    }

    /// The same into an existing snapshot: nothing is allocated once it has the required capacity.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let mut kept = fight.snapshot();
    /// for frame in 1..10 {
    ///     fight.advance(Time(frame * 16_667), &mut Silent)?;
    ///     fight.snapshot_into(&mut kept);
    /// }
    /// assert_eq!(kept, fight.snapshot());
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn snapshot_into(&self, snapshot: &mut Snapshot<C>) {
        snapshot.setup.clone_from(&self.setup);
        snapshot.state.save(&self.state, &self.setup);
        self.chance.save_into(&mut snapshot.chance);
    }

    /// Restores a snapshot of a fight of the same ruleset and encounter.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let before = fight.snapshot();
    /// fight.advance(Time::from_seconds(5.0), &mut Silent)?;
    /// fight.restore(&before)?;
    /// assert_eq!(fight.now(), Time::ZERO);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// Returns an error if the snapshot is of another ruleset or encounter; the fight is then unchanged.
    pub fn restore(&mut self, snapshot: &Snapshot<C>) -> Result<(), FightError> {
        if let Some(what) = self.setup.difference(&snapshot.setup) {
            let kind = FightErrorKind::Call { what: format!("the snapshot is of another fight: {what}") };
            return Err(FightError::new(self.state.now, kind, &self.setup));
        }
        if !Arc::ptr_eq(&self.setup, &snapshot.setup) {
            self.setup = Arc::clone(&snapshot.setup);
            self.chance.begin(0, &self.setup.streams);
        }
        self.state.load(&snapshot.state, &self.setup);
        self.chance.load(&snapshot.chance);
        Ok(())
    }
}
