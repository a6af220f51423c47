//! Fight: what happens. One run of an encounter with one seed.
//!
//! The methods of [`Fight`] come in five families: **begin** ([`Fight::new`], [`Fight::restart`]), **let time pass**
//! ([`Fight::run`], [`Fight::advance`]), **call** ([`Fight::take_control`], [`Fight::use_ability`],
//! [`Fight::apply_status`], [`Fight::set_base`], [`Fight::set_pool`]) and **look** ([`Fight::pool`],
//! [`Fight::attribute`], [`Fight::statuses`], [`Fight::contributions`], [`Fight::evaluate`], [`Fight::ready_at`],
//! [`Fight::why_unavailable`], [`Fight::ending`], [`Fight::snapshot`]) and **come and go** ([`Fight::spawn`],
//! [`Fight::despawn`], [`Fight::set_motions`], [`Fight::save`]).
//!
//! The engine is handed time and chance and does no input or output: it reports [`Event`]s to an [`Observer`], and
//! the same code serves a game loop and a study of millions of fights.
//!
//! # A moment
//! There is no fixed step: the fight jumps from one thing due to the next.
//!
//! ```text
//!            ┌──────────────────────────────────────────────────────────────────────┐
//!            ▼                                                                      │
//!  what is due now, in this order, each with what it triggers:                      │
//!      ticks → ends of statuses → ends of zones → script → arrivals                 │
//!      → edges of zones → abilities that take effect → pools that run empty         │
//!            │                                                                      │
//!            ▼                                                                      │
//!  settle, until nothing is left:                                                   │
//!      edges that were crossed → `while` conditions → defeats, all at once          │
//!      → an ending? → ways of those who cannot act                                  │
//!            │                                                                      │
//!            ▼                                                                      │
//!  who is ready, or has had something change on which it waits, decides:            │
//!      all on the same state; then all decisions are carried out, and what          │
//!      they cause is settled ───────── something due now, or to decide? ────────────┘
//!            │ no
//!            ▼
//!  the next moment
//! ```
//!
//! # Where things are
//! `engine` has the parts that all of this works with, `step` the moment. `state` is everything that can change.
//! One folder for each matter: `decide` (gates of policies, signals that have a combatant decide anew, targets, ways),
//! `abilities` (using one), `effects` (hits, pools, gear, threat), `statuses` (applying, ticks, triggers),
//! `space` (zones, flights), `session` (calls, controllers, scripts, what is carried from fight to fight).

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
    /// What gives the functions of the game.
    functions: Option<Arc<GameFunctions>>,
    chance: C,
    limits: Limits,
}

/// Everything about a fight that can change, at one moment. It belongs to fights of the setup that it was taken of.
#[derive(Clone, Debug)]
pub struct Snapshot<C: RandomSource = Sampler> {
    setup: Arc<Setup>,
    state: State,
    chance: C::Saved,
}

/// Equal if the fights are at the same point, whatever setup they share.
impl<C: RandomSource> PartialEq for Snapshot<C> {
    fn eq(&self, other: &Self) -> bool {
        self.state == other.state && self.chance == other.chance
    }
}

impl<C: RandomSource> Snapshot<C> {
    /// Bytes that it takes in memory, without what it shares with others.
    pub fn bytes(&self) -> usize {
        size_of::<Self>() + self.state.bytes() + C::saved_bytes(&self.chance)
    }
}

impl Fight<Sampler> {
    /// A fight of an encounter with sampled chance.
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
    /// A fight whose chances come from elsewhere.
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

    /// Begins anew with another seed. Nothing is allocated.
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

    /// What gives the chances.
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

    /// Whether chance has been drawn in this fight, other than for tie-breaks.
    pub(crate) fn has_drawn(&self) -> bool {
        self.chance.has_drawn(self.setup.program.sites.len())
    }

    /// Other limits than the usual ones.
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

    /// What there is to see of the fight.
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

    /// What holds from the start, without letting anybody act: for explanations.
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
    /// When a formula has no value or a limit is passed. The fight is over then: [`Ending::Failed`].
    pub fn run<O: Observer>(&mut self, observer: &mut O) -> Result<Ending, FightError> {
        self.try_with_engine(observer, |engine| engine.run())
    }

    /// Lets time pass up to and including a moment; returns the ending if the fight is over.
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

    /// The moment at hand.
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

    /// How it ended, if it has.
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

    /// Who fights, and what is fixed.
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

    /// How many things the last call has made happen, one after the other.
    #[cfg(feature = "study")]
    pub(crate) fn steps_taken(&self) -> u64 {
        self.state.steps_taken
    }

    /// Everything that can change, to come back to later.
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

    /// The same into a snapshot that is not needed any more: nothing is allocated, once that has had as much to keep.
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

    /// Comes back to a snapshot of a fight of the same ruleset and encounter.
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
    /// When the snapshot is of another ruleset or encounter; the fight stays as it is.
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
