//! Calls of a game. They follow the rules of the fight, and everyone affected by a change reacts at once.

use super::super::engine::{Engine, FightResult};
use super::super::events::{Observer, Silent, UnavailableReason};
use super::super::limits::{FightError, FightErrorKind};
use super::super::random::{Preview, RandomSource};
use super::super::state::{Control, Doing, EffectContext, Scratch};
use super::super::statuses::apply::Dose;
use super::super::{Ending, Fight};
use super::control::Controller;
use crate::numbers::Extremes;
use crate::program::{
    AbilityId, CauseId, Chance, CombatantId, FARTHEST, Layout, Plane, PoolId, Slot, StatusId, Time, dirty,
    is_on_the_plane,
};

impl<C: RandomSource> Fight<C> {
    /// Runs the engine on this fight for the duration of a call, with a controller. If it only asks, draws are not
    /// consumed.
    fn with_engine_and<R>(
        &mut self,
        controller: Option<&mut dyn Controller>,
        observer: &mut dyn Observer,
        asks: bool,
        call: impl FnOnce(&mut Engine<'_>) -> R,
    ) -> R {
        let mut scratch = Scratch::lend(self.functions.as_ref());
        scratch.share_queue(&mut self.state);
        let setup = &*self.setup;
        let wants = observer.wants();
        let mut preview;
        let chance: &mut dyn Chance = if asks {
            preview = Preview { source: &self.chance, copy: None };
            &mut preview
        } else {
            &mut self.chance
        };
        let mut engine = Engine {
            program: &setup.program,
            setup,
            state: &mut self.state,
            scratch: &mut scratch,
            chance,
            observer,
            wants,
            limits: self.limits,
            controller: controller.map(|controller| controller as &mut dyn Controller),
            until: Time::NEVER,
            reach: 0.0,
            only_distance: false,
            only_looks: false,
            form: 0,
            initialising: false,
        };
        let result = call(&mut engine);
        scratch.share_queue(&mut self.state);
        scratch.give_back();
        result
    }

    /// The same without a controller.
    pub(in crate::fight) fn with_engine<R>(
        &mut self,
        observer: &mut dyn Observer,
        call: impl FnOnce(&mut Engine<'_>) -> R,
    ) -> R {
        self.with_engine_and(None, observer, false, call)
    }

    /// The same for a call whose errors end the fight.
    pub(in crate::fight) fn try_with_controller<R>(
        &mut self,
        controller: &mut dyn Controller,
        observer: &mut dyn Observer,
        call: impl FnOnce(&mut Engine<'_>) -> FightResult<R>,
    ) -> Result<R, FightError> {
        self.with_engine_and(Some(controller), observer, false, call).map_err(|error| self.failed(*error))
    }

    /// The same without a controller.
    pub(in crate::fight) fn try_with_engine<R>(
        &mut self,
        observer: &mut dyn Observer,
        call: impl FnOnce(&mut Engine<'_>) -> FightResult<R>,
    ) -> Result<R, FightError> {
        self.with_engine(observer, call).map_err(|error| self.failed(*error))
    }

    /// Asks something that changes nothing in the fight: draws are not consumed, and an error does not end it.
    pub(in crate::fight) fn ask<R>(
        &mut self,
        call: impl FnOnce(&mut Engine<'_>) -> FightResult<R>,
    ) -> Result<R, FightError> {
        self.with_engine_and(None, &mut Silent, true, call).map_err(|error| *error)
    }

    /// An error ends the fight.
    pub(in crate::fight) fn failed(&mut self, error: FightError) -> FightError {
        self.state.ending = Some(Ending::Failed);
        error
    }

    pub(in crate::fight) fn call_error(&self, what: String) -> FightError {
        FightError::new(self.state.now, FightErrorKind::Call { what }, &self.setup)
    }

    /// Checks that there is such a combatant.
    pub(in crate::fight) fn check_combatant(&self, who: CombatantId) -> Result<(), FightError> {
        let count = self.setup.combatants.len();
        if who.index() < count {
            return Ok(());
        }
        Err(self.call_error(format!("there is no combatant {}: the fight has {count}", who.0)))
    }

    /// Checks that an id is within the number of rules of its kind.
    pub(in crate::fight) fn check_id(&self, kind: &str, index: usize, count: usize) -> Result<(), FightError> {
        if index < count {
            return Ok(());
        }
        Err(self.call_error(format!("there is no {kind} {index}: the rules have {count}")))
    }

    pub(in crate::fight) fn check_number(&self, what: &str, value: f64) -> Result<(), FightError> {
        if value.is_finite() {
            return Ok(());
        }
        Err(self.call_error(format!("{what} cannot be {value}: it has to be a finite number")))
    }

    pub(in crate::fight) fn check_plane(&self, what: &str, metres: Plane) -> Result<(), FightError> {
        metres.iter().try_for_each(|part| self.check_number(what, *part))?;
        if is_on_the_plane(metres) {
            return Ok(());
        }
        Err(self.call_error(format!("{what} cannot be {metres:?}: each number is limited to {FARTHEST:e}")))
    }

    pub(in crate::fight) fn give_control(&mut self, who: CombatantId, control: Control) {
        let setup = std::sync::Arc::clone(&self.setup);
        let combatant = self.state.who_mut(who);
        if combatant.control != control {
            // A new controller decides at once: the combatant has not waited, so no reaction time applies.
            (combatant.waits, combatant.reacts_at) = (false, Time::NEVER);
        }
        combatant.control = control;
        combatant.listen_to_pools(&setup, who);
    }

    /// From now on, this combatant acts only through [`Fight::use_ability`].
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.take_control(pike)?;
    /// fight.run(&mut Silent)?;
    /// assert_eq!(fight.pool(cutter, game.pool("health")?), 60.0, "nobody had it do anything");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant.
    pub fn take_control(&mut self, who: CombatantId) -> Result<(), FightError> {
        self.check_combatant(who)?;
        self.give_control(who, Control::Hand);
        self.with_engine(&mut Silent, |engine| engine.stand_still(who));
        Ok(())
    }

    /// Sets the course of a combatant that is controlled by calls, in metres per second along each axis, until it acts
    /// or gets another course; `[0.0, 0.0]` stops it. The velocity is not limited by its own speed. Nothing happens in
    /// an encounter without positions, to a combatant that is defeated or cannot move, or while it casts or recovers.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// fight.take_control(who)?;
    /// fight.walk(who, [1.5, 0.0], &mut Silent)?;
    /// fight.advance(Time::from_seconds(2.0), &mut Silent)?;
    /// assert_eq!(fight.place(who), [6.0, 4.0]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant, or a number is not finite or beyond 1e9.
    pub fn walk<O: Observer>(
        &mut self,
        who: CombatantId,
        course: [f64; 2],
        observer: &mut O,
    ) -> Result<(), FightError> {
        self.check_combatant(who)?;
        self.check_plane("a course", course)?;
        self.begin_now(observer)?;
        let combatant = self.state.who(who);
        let free = combatant.control == Control::Hand && combatant.stands && combatant.doing == Doing::Idle;
        if self.setup.is_placed && free && !combatant.rooted {
            self.with_engine(observer, |engine| engine.turn(who, course));
        }
        Ok(())
    }

    /// Starts an ability. Without a target, the ability's own rule picks one; a given target becomes the first target,
    /// under the ability's rules: side and reach apply, and areas extend from it.
    ///
    /// The cost is paid at once; the cast, or the effects of an ability without a cast, follow as time advances.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let sickle = game.ability("sickle")?;
    /// fight.take_control(cutter)?;
    /// if let Err(reason) = fight.use_ability(cutter, sickle, Some(pike), &mut Silent)? {
    ///     println!("not now: {reason:?}");
    /// }
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// `Ok(Err(reason))` is the reason why it cannot be used now. An error is as for [`Fight::run`], or there is no
    /// such combatant.
    pub fn use_ability<O: Observer>(
        &mut self,
        who: CombatantId,
        ability: AbilityId,
        target: Option<CombatantId>,
        observer: &mut O,
    ) -> Result<Result<(), UnavailableReason>, FightError> {
        self.check_combatant(who)?;
        target.map_or(Ok(()), |target| self.check_combatant(target))?;
        self.begin_now(observer)?;
        self.try_with_engine(observer, |engine| engine.use_by_call(who, ability, target))
    }

    /// Stops a sustained ability. Returns whether the combatant was sustaining one.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.take_control(cutter)?;
    /// let used = fight.use_ability(cutter, game.ability("rest")?, None, &mut Silent)?;
    /// assert_eq!(used, Ok(()));
    /// fight.advance(Time::from_seconds(2.5), &mut Silent)?;
    /// assert!(fight.stop(cutter, &mut Silent)?, "it was resting");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::use_ability`].
    pub fn stop<O: Observer>(&mut self, who: CombatantId, observer: &mut O) -> Result<bool, FightError> {
        self.check_combatant(who)?;
        self.try_with_engine(observer, |engine| {
            let done = engine.stop_by_call(who)?;
            engine.respond().map(|()| done)
        })
    }

    /// Applies the effects of an ability without cost, cast, cooldown or recovery, with one tick if it is sustained:
    /// used by explanations.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.apply_effects(cutter, game.ability("sickle")?, pike, &mut Silent)?;
    /// assert_eq!(fight.pool(pike, game.pool("health")?), 54.0);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::use_ability`].
    pub fn apply_effects<O: Observer>(
        &mut self,
        who: CombatantId,
        ability: AbilityId,
        target: CombatantId,
        observer: &mut O,
    ) -> Result<(), FightError> {
        self.check_combatant(who)?;
        self.check_combatant(target)?;
        self.check_id("ability", ability.index(), self.setup.program.abilities.len())?;
        self.begin_now(observer)?;
        self.try_with_engine(observer, |engine| {
            engine.in_form_of(who, ability, |engine| engine.effects_of_ability(who, ability, target))
        })
    }

    /// Applies the effects of a `[cause.*]` of the ruleset to a target, with a number that they read as `amount`. They
    /// go through all steps, and events, tables and traces name the cause. Without a source, the target itself acts: a
    /// fall is nobody else's doing.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// // It has fallen from five metres, by nobody's doing.
    /// fight.bring_about(game.cause("fall")?, None, pike, 15.0, &mut Silent)?;
    /// assert_eq!(fight.pool(pike, game.pool("health")?), 45.0);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant or cause, the number is not finite, and as for [`Fight::run`].
    pub fn bring_about<O: Observer>(
        &mut self,
        cause: CauseId,
        by: Option<CombatantId>,
        target: CombatantId,
        amount: f64,
        observer: &mut O,
    ) -> Result<(), FightError> {
        self.check_combatant(target)?;
        let by = by.unwrap_or(target);
        self.check_combatant(by)?;
        self.check_number("an amount", amount)?;
        if cause.index() >= self.setup.program.causes.len() {
            return Err(self.call_error(format!("there is no cause {}", cause.0)));
        }
        self.begin_now(observer)?;
        self.try_with_engine(observer, |engine| engine.effects_of_cause(cause, by, target, amount))
    }

    /// The reason why an ability cannot be used now; `None` if it can. The conditions of policies do not matter here.
    /// The question changes nothing: a target that is picked at random is the one that the next draw would pick.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let sickle = game.ability("sickle")?;
    /// fight.set_pool(cutter, game.pool("breath")?, 0.0)?;
    /// assert!(fight.why_unavailable(cutter, sickle)?.is_some(), "it is out of reach and of breath");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::use_ability`].
    pub fn why_unavailable(
        &mut self,
        who: CombatantId,
        ability: AbilityId,
    ) -> Result<Option<UnavailableReason>, FightError> {
        self.check_combatant(who)?;
        self.ask(|engine| engine.why_unavailable(who, ability))
    }

    /// Applies a status. Returns whether the target has it because of that.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let muddy = game.status("muddy")?;
    /// assert!(fight.apply_status(muddy, cutter, pike, 1, &mut Silent)?);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::use_ability`].
    pub fn apply_status<O: Observer>(
        &mut self,
        status: StatusId,
        caster: CombatantId,
        target: CombatantId,
        stacks: u32,
        observer: &mut O,
    ) -> Result<bool, FightError> {
        self.apply_status_if(status, (caster, target), stacks, true, observer)
    }

    /// The same, optionally without resistance.
    pub(crate) fn apply_status_if<O: Observer>(
        &mut self,
        status: StatusId,
        (caster, target): (CombatantId, CombatantId),
        stacks: u32,
        can_resist: bool,
        observer: &mut O,
    ) -> Result<bool, FightError> {
        self.check_combatant(caster)?;
        self.check_combatant(target)?;
        self.check_id("status", status.index(), self.setup.program.statuses.len())?;
        self.begin_now(observer)?;
        let by = EffectContext::of_status(caster, status, caster, caster);
        self.try_with_engine(observer, |engine| {
            let done = engine.apply_if(&by, target, status, Dose { stacks, duration: None }, can_resist)?;
            engine.respond().map(|()| done)
        })
    }

    /// Removes all instances of a status. Returns whether there was one.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let muddy = game.status("muddy")?;
    /// fight.apply_status(muddy, cutter, pike, 1, &mut Silent)?;
    /// assert!(fight.remove_status(muddy, pike, &mut Silent)?);
    /// assert!(!fight.remove_status(muddy, pike, &mut Silent)?, "there is none any more");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::use_ability`].
    pub fn remove_status<O: Observer>(
        &mut self,
        status: StatusId,
        target: CombatantId,
        observer: &mut O,
    ) -> Result<bool, FightError> {
        self.check_combatant(target)?;
        self.check_id("status", status.index(), self.setup.program.statuses.len())?;
        self.begin_now(observer)?;
        self.try_with_engine(observer, |engine| engine.remove_all(status, target))
    }

    /// Changes the base of an attribute (or the level), as when a character levels up during a fight. Everything that
    /// depends on it follows: derived attributes, caps of pools, flows, decisions. A higher level brings its points,
    /// like a level gained in the fight. Before the fight has begun, this is part of the initial state, so pools are
    /// filled as the rules say.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let heft = game.program().find_attribute("heft").expect("the ruleset has it");
    /// fight.set_base(pike, heft, 25.0, &mut Silent)?;
    /// assert_eq!(fight.attribute(pike, heft), 25.0);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant, the slot is not an attribute or the level, the number is not finite, or an
    /// attribute has no value with the new base.
    pub fn set_base<O: Observer>(
        &mut self,
        who: CombatantId,
        slot: Slot,
        base: f64,
        observer: &mut O,
    ) -> Result<(), FightError> {
        self.check_combatant(who)?;
        self.check_number("a base", base)?;
        let layout = &self.setup.program.layout;
        let is_attribute = (Layout::ATTRIBUTES.0..layout.pools).contains(&slot.0);
        if slot != Layout::LEVEL && !is_attribute {
            return Err(self.call_error(format!("slot {} is neither an attribute nor the level", slot.0)));
        }
        let rises = slot == Layout::LEVEL && self.state.began && base > self.level(who);
        self.try_with_engine(
            observer,
            |engine| {
                if rises { engine.rise(who, base) } else { engine.set_base(who, slot, base) }
            },
        )
    }

    /// Sets the amount of a pool, limited to 0 and its cap. Triggers of that are carried out when the fight continues,
    /// before anybody decides. A combatant that has not joined yet begins with what its rules say all the same.
    ///
    /// Before the fight has begun, this is part of the initial state and replaces the amount of the encounter, as far
    /// as there is room with initial statuses and gear. Nothing is triggered.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let health = game.pool("health")?;
    /// fight.set_pool(pike, health, 20.0)?;
    /// fight.set_pool(cutter, health, 1000.0)?;
    /// assert_eq!((fight.pool(pike, health), fight.pool(cutter, health)), (20.0, 60.0), "no more than the cap");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant, or the number is not finite.
    pub fn set_pool(&mut self, who: CombatantId, pool: PoolId, amount: f64) -> Result<(), FightError> {
        self.check_combatant(who)?;
        self.check_number("an amount", amount)?;
        self.check_id("pool", pool.index(), self.setup.program.pools.len())?;
        let slot = self.setup.program.layout.pool(pool);
        let first = self.setup.program.place(who, slot);
        let within = amount.clamp(0.0, self.cap(who, pool));
        if !self.state.began && self.state.stands(who) {
            self.state.set_by_game(who, slot, amount.larger(0.0));
            self.with_engine(&mut Silent, |engine| engine.write_pool(who, pool, first, within));
        } else {
            self.with_engine(&mut Silent, |engine| engine.put(who, pool, first, within));
        }
        // Before the fight has begun, a combatant with nothing left is defeated when it begins.
        self.state.may_be_defeated(who);
        Ok(())
    }
}

impl Engine<'_> {
    fn effects_of_cause(
        &mut self,
        cause: CauseId,
        by: CombatantId,
        target: CombatantId,
        amount: f64,
    ) -> FightResult<()> {
        if self.state.ending.is_some() {
            return Ok(());
        }
        let program = self.program;
        self.state.numbers.set_local(Layout::AMOUNT, amount);
        let context = EffectContext::of_cause(by, cause);
        self.effects(&context, target, &program.causes[cause.index()].does)?;
        self.respond()
    }

    pub(in crate::fight) fn set_base(&mut self, who: CombatantId, slot: Slot, base: f64) -> FightResult<()> {
        if slot == Layout::LEVEL {
            self.state.numbers.set(self.program.place(who, slot), base);
        } else {
            self.state.set_by_game(who, slot, base);
        }
        // Before the beginning, pools are filled when the fight begins; their caps are reported then, too.
        let before = self.initialising;
        self.initialising |= !self.state.began;
        let done = self.refresh_attributes(who, dirty::bit(slot));
        self.initialising = before;
        done
    }
}
