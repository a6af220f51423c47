//! Functions of the game that formulas call.

use std::sync::Arc;

use super::super::Fight;
use super::super::events::Silent;
use super::super::limits::FightError;
use super::super::random::RandomSource;
use crate::program::{GameFunctions, Question};

impl<C: RandomSource> Fight<C> {
    /// From now on, the game provides the values of a `[formula.*]` with `game = true`; until then its `is` is used, as
    /// in all studies. For a condition, any value except 0 is true.
    ///
    /// The function is called whenever a formula that uses it is evaluated, possibly several times in one moment, and
    /// should return the same value until the game's world has changed. Neither snapshots nor saves keep it: it stays
    /// with the fight through `restore`, is kept by name through [`crate::Game::adopt`], and has to be set again for a
    /// loaded fight.
    ///
    /// ```
    /// use edgeplane::{Game, Silent, Time};
    ///
    /// let rules = r#"
    ///     [pools]
    ///     health = { max = 30, defeat = true }
    ///     [formula.is_dark]
    ///     is = "false"                 # what studies reckon with
    ///     game = true
    ///     [ability.lunge]
    ///     cooldown = 1
    ///     does = [{ damage = "if(is_dark(), 2, 6)" }]
    ///     [character.eel]
    ///     abilities = ["lunge"]
    ///     [encounter.bout]
    ///     sides.a = ["eel"]
    ///     sides.b = ["eel"]
    /// "#;
    /// let game = Game::from_text("rules.toml", rules)?;
    /// let mut fight = game.fight("bout", 1)?;
    /// fight.set_function("is_dark", |_| 1.0)?;
    /// fight.advance(Time::ZERO, &mut Silent)?;
    /// let (health, one) = (game.pool("health")?, game.combatant(&fight, "eel (a)")?);
    /// assert_eq!(fight.pool(one, health), 28.0);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the ruleset declares no such function of the game.
    pub fn set_function(
        &mut self,
        name: &str,
        answer: impl Fn(&Question) -> f64 + Send + Sync + 'static,
    ) -> Result<(), FightError> {
        let program = &self.setup.program;
        if !program.game_functions.iter().any(|function| function.name == name) {
            let known: Vec<&str> = program.game_functions.iter().map(|function| function.name.as_str()).collect();
            let help = match crate::text::diagnostic::suggestion(name, &known) {
                Some(help) => help,
                None if known.is_empty() => "no `[formula.*]` has `game = true`".to_owned(),
                None => format!("there are {}", crate::text::diagnostic::listed(&known)),
            };
            return Err(
                self.call_error(format!("the ruleset declares no function of the game called `{name}`; {help}"))
            );
        }
        let mut functions = self.functions.as_deref().cloned().unwrap_or_else(GameFunctions::default);
        functions.set(program, name, Arc::new(answer));
        self.functions = Some(Arc::new(functions));
        Ok(())
    }

    /// Announces that the functions of the game return different values from now on: idle combatants decide again when
    /// time advances, still in this moment. Without this call they do so within a tenth of a second.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// // A gate has opened in the game's world, and a function of the game says so.
    /// fight.world_changed();
    /// fight.advance(Time::from_seconds(1.0), &mut Silent)?;
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn world_changed(&mut self) {
        self.with_engine(&mut Silent, |engine| engine.setup.ids().for_each(|who| engine.touch_all(who)));
    }
}
