//! The parts of a fight, borrowed for the duration of a call. Everything else in this folder is methods of [`Engine`],
//! one module for each topic.

use super::events::{EventMask, Observer};
use super::limits::{FightError, FightErrorKind, Limits};
use super::session::control::Controller;
use super::state::{Scratch, State};
use crate::program::{
    AbilityId, Chance, CharacterPlan, CombatantId, Fault, FormulaId, Frame, Program, Setup, Shape, SideId, SiteId,
    StreamId, Time,
};

/// Errors are boxed within the engine, to keep results small that are almost always `Ok`.
pub(super) type FightResult<T> = Result<T, Box<FightError>>;

/// A running fight. It is compiled once: chance and observer are called through pointers, and the observer's mask
/// decides which events are built.
pub(super) struct Engine<'a> {
    pub(super) program: &'a Program,
    pub(super) setup: &'a Setup,
    pub(super) state: &'a mut State,
    pub(super) scratch: &'a mut Scratch,
    pub(super) chance: &'a mut dyn Chance,
    pub(super) observer: &'a mut dyn Observer,
    pub(super) wants: EventMask,
    pub(super) limits: Limits,
    /// The controller of combatants that have one.
    pub(super) controller: Option<&'a mut dyn Controller>,
    /// How long the gate evaluated last stays closed, and the distance in metres that a target has to be within.
    pub(super) until: Time,
    pub(super) reach: f64,
    /// Whether only distance keeps it closed.
    pub(super) only_distance: bool,
    /// Lines are evaluated for a path only: no draws are made.
    pub(super) only_looks: bool,
    /// The form in which formulas are evaluated; see [`Frame::in_form`].
    pub(super) form: u32,
    /// Initial statuses are being applied: changes of caps are reported after all of them.
    pub(super) initialising: bool,
}

/// Passes an event to the observer if it wants that kind; otherwise the event is not built.
macro_rules! emit {
    ($engine:expr, $kind:ident) => {
        if $engine.wants.has($crate::fight::events::EventKind::$kind) {
            $engine.observer.event($engine.state.now, $crate::fight::events::Event::$kind);
        }
    };
    ($engine:expr, $kind:ident { $($fields:tt)* }) => {
        if $engine.wants.has($crate::fight::events::EventKind::$kind) {
            $engine.observer.event($engine.state.now, $crate::fight::events::Event::$kind { $($fields)* });
        }
    };
}

pub(super) use emit;

impl<'a> Engine<'a> {
    /// The character of a combatant.
    pub(super) fn plan_of(&self, who: CombatantId) -> &'a CharacterPlan {
        &self.program.characters[self.setup.combatants[who.index()].character.index()]
    }

    /// The current side of a combatant.
    #[inline]
    pub(super) fn side_of(&self, who: CombatantId) -> SideId {
        self.state.who(who).side
    }

    #[cold]
    pub(super) fn fault(&self, fault: Box<Fault>) -> Box<FightError> {
        self.error(FightErrorKind::Fault(fault))
    }

    #[cold]
    pub(super) fn error(&self, kind: FightErrorKind) -> Box<FightError> {
        Box::new(FightError::new(self.state.now, kind, self.setup))
    }

    /// The evaluation context of a formula at this moment.
    #[inline]
    pub(super) fn frame(&self, caster: CombatantId, target: CombatantId) -> Frame {
        self.typed_frame(caster, target, 0)
    }

    /// The same with a damage type.
    #[inline]
    pub(super) fn typed_frame(&self, caster: CombatantId, target: CombatantId, damage_type: u16) -> Frame {
        Frame::new(self.program, caster, target, damage_type, self.state.now.micros()).in_form(self.form)
    }

    /// Applies effects of an ability with its formulas in the form that fits the caster: for a caster without the
    /// ability, hoisted parts are evaluated in place.
    pub(super) fn in_form_of<R>(
        &mut self,
        who: CombatantId,
        ability: AbilityId,
        effects: impl FnOnce(&mut Self) -> FightResult<R>,
    ) -> FightResult<R> {
        let character = self.setup.combatants[who.index()].character;
        let before = std::mem::replace(&mut self.form, self.program.form_of(ability, character));
        let result = effects(self);
        self.form = before;
        result
    }

    /// Evaluates a formula, and reports it if the observer wants that.
    #[inline(always)]
    pub(super) fn number(&mut self, formula: FormulaId, frame: &Frame) -> FightResult<f64> {
        let value = self.quiet_number(formula, frame)?;
        if self.wants.detail() {
            self.report_formula(formula, frame);
        }
        Ok(value)
    }

    /// The same without a report, for evaluations that are not events.
    #[inline(always)]
    pub(super) fn quiet_number(&mut self, formula: FormulaId, frame: &Frame) -> FightResult<f64> {
        if let Shape::Value(operand) = self.program.shape(formula, frame) {
            let value = self.state.numbers.at(frame.index(operand));
            if value.is_finite() {
                return Ok(value);
            }
        }
        self.evaluate(formula, frame)
    }

    #[inline(never)]
    fn evaluate(&mut self, formula: FormulaId, frame: &Frame) -> FightResult<f64> {
        let draws = &mut self.scratch.draws;
        match self.program.number(formula, &mut self.state.numbers, frame, self.chance, draws) {
            Ok(value) => Ok(value),
            Err(fault) => Err(self.fault(fault)),
        }
    }

    /// Reports a formula that has just been evaluated.
    #[cold]
    pub(super) fn report_formula(&mut self, formula: FormulaId, frame: &Frame) {
        let draws = self.scratch.draws.all();
        if let Ok(reading) = self.program.formula(formula).tree.read(self.program, &self.state.numbers, frame, draws) {
            self.observer.formula(self.state.now, formula, &reading);
        }
    }

    /// Evaluates a number that must not be negative: a time or a cost.
    #[inline]
    pub(super) fn positive(&mut self, formula: FormulaId, frame: &Frame) -> FightResult<f64> {
        let value = self.number(formula, frame)?;
        if value >= 0.0 { Ok(value) } else { Err(self.below_zero(formula, value, frame)) }
    }

    #[cold]
    pub(super) fn below_zero(&mut self, formula: FormulaId, value: f64, frame: &Frame) -> Box<FightError> {
        let fault = self.program.negative_fault(formula, value, &self.state.numbers, frame, &self.scratch.draws);
        self.fault(Box::new(fault))
    }

    /// The random stream of a combatant at a position in the ruleset.
    #[inline]
    pub(super) fn stream_of(&self, who: CombatantId, site: SiteId) -> StreamId {
        StreamId(u32::from(who.0) * self.program.sites.len() as u32 + site.0)
    }
}
