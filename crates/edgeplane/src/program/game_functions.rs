//! Functions of the game: declared in the ruleset, so that their names and arguments are checked, and evaluated by the
//! game while a fight runs.

use std::sync::Arc;

use super::Program;
use super::code::Op;
use super::eval::{Draws, Frame};
use super::ids::CombatantId;
use super::memory::Memory;
use super::ops::truth;
use super::resolve::Compiler;
use super::time::Time;
use super::tree::Role;
use crate::rules::{FunctionRule, Named};

/// A `[formula.*]` that the game evaluates.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct GameFunctionPlan {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// The names of its arguments.
    pub args: Vec<String>,
    /// It returns a condition instead of a number.
    pub truth: bool,
}

/// A call of a function of the game.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub struct Question<'a> {
    /// The arguments, as many as are declared.
    pub args: &'a [f64],
    /// The combatant that acts in the formula.
    pub caster: CombatantId,
    /// The target; the caster if there is none.
    pub target: CombatantId,
    /// The time.
    pub now: Time,
}

type Answer = Arc<dyn Fn(&Question) -> f64 + Send + Sync>;

/// The functions of a game, for some or all of those that a program declares.
#[derive(Clone, Default)]
pub(crate) struct GameFunctions {
    by_name: Vec<(String, Answer)>,
    /// One entry for each declared function, in order.
    by_number: Vec<Option<Answer>>,
}

impl std::fmt::Debug for GameFunctions {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_list().entries(self.by_name.iter().map(|(name, _)| name)).finish()
    }
}

impl GameFunctions {
    /// The same functions under other rules, matched by name.
    pub(crate) fn under(&self, program: &Program) -> Self {
        let mut under = self.clone();
        under.look_up(program);
        under
    }

    /// Sets a function, replacing an earlier one with the same name.
    pub(crate) fn set(&mut self, program: &Program, name: &str, answer: Answer) {
        self.by_name.retain(|(other, _)| other != name);
        self.by_name.push((name.to_owned(), answer));
        self.look_up(program);
    }

    /// Finds the functions of a program by name.
    fn look_up(&mut self, program: &Program) {
        let of = |plan: &GameFunctionPlan| {
            self.by_name.iter().find(|(name, _)| *name == plan.name).map(|(_, answer)| Arc::clone(answer))
        };
        self.by_number = program.game_functions.iter().map(of).collect();
    }
}

impl Compiler<'_> {
    /// The index of a function among those of the game.
    pub(super) fn game_function(&mut self, index: usize, gives_truth: bool) -> u16 {
        let before = self.functions[..index].iter().filter(|function| function.rule.game).count();
        self.program.game_functions[before].truth = gives_truth;
        before as u16
    }
}

/// The declared functions of a ruleset, in order.
pub(super) fn of_game(functions: &[Named<FunctionRule>]) -> Vec<GameFunctionPlan> {
    let of_game = functions.iter().filter(|function| function.rule.game);
    let plan = |Named { name, rule, .. }: &Named<FunctionRule>| GameFunctionPlan {
        name: name.clone(),
        about: rule.about.clone(),
        args: rule.args.iter().map(|arg| arg.text.clone()).collect(),
        truth: false,
    };
    of_game.map(plan).collect()
}

impl Program {
    /// All functions of the game.
    pub fn game_functions(&self) -> &[GameFunctionPlan] {
        &self.game_functions
    }

    /// Calls the game; `None` if it provides no such function. The result is stored with the draws.
    #[cold]
    #[inline(never)]
    pub(super) fn ask_game(
        &self,
        function: u16,
        op: &Op,
        memory: &Memory,
        frame: &Frame,
        draws: &mut Draws,
    ) -> Option<f64> {
        let answer = draws.game.as_deref()?.by_number.get(usize::from(function))?.as_ref()?;
        let plan = &self.game_functions[usize::from(function)];
        let first = frame.index(op.operand);
        let who = |role: Role| {
            CombatantId(((frame.block(role) - self.layout.blocks as usize) / usize::from(self.layout.stride)) as u16)
        };
        let now = Time(frame.now as u64);
        let args = &memory.numbers()[first..first + plan.args.len()];
        let value = answer(&Question { args, caster: who(Role::Caster), target: who(Role::Target), now });
        let value = if plan.truth && value.is_finite() { truth(value != 0.0) } else { value };
        draws.values.push(value);
        Some(value)
    }
}
