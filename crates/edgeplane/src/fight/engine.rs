//! The parts of a fight, borrowed for as long as a call lasts. Everything else in this folder is methods
//! of [`Engine`], one module for each matter.

use super::events::{EventMask, Observer};
use super::limits::{FightError, FightErrorKind, Limits};
use super::session::control::Controller;
use super::state::{Scratch, State};
use crate::program::{
    AbilityId, Chance, CharacterPlan, CombatantId, Fault, FormulaId, Frame, Program, Setup, Shape, SideId, SiteId,
    StreamId, Time,
};

/// Errors are boxed within the engine: a result that is nearly always good should be small.
pub(super) type FightResult<T> = Result<T, Box<FightError>>;

/// A fight at work, compiled once: chance and observer are called through pointers, and which events are built is decided
/// by the observer's mask.
pub(super) struct Engine<'a> {
    pub(super) program: &'a Program,
    pub(super) setup: &'a Setup,
    pub(super) state: &'a mut State,
    pub(super) scratch: &'a mut Scratch,
    pub(super) chance: &'a mut dyn Chance,
    pub(super) observer: &'a mut dyn Observer,
    pub(super) wants: EventMask,
    pub(super) limits: Limits,
    /// Who decides for combatants that have a controller.
    pub(super) controller: Option<&'a mut dyn Controller>,
    /// Until when the gate that was looked at last stays closed, and within how many metres somebody has to come.
    pub(super) until: Time,
    pub(super) reach: f64,
    /// And whether nothing but distance keeps it closed.
    pub(super) only_distance: bool,
    /// Lines are looked at for the way alone: nothing is drawn.
    pub(super) only_looks: bool,
    /// The form in which formulas are evaluated, see [`Frame::in_form`].
    pub(super) form: u32,
    /// Statuses that combatants have from the start are coming: caps are reported when all are there.
    pub(super) dressing: bool,
}

/// Hands an event to the observer, if it wants that kind; else it is not even built.
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

    /// The side on which a combatant is now.
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

    /// The frame of a formula at this moment.
    #[inline]
    pub(super) fn frame(&self, caster: CombatantId, target: CombatantId) -> Frame {
        self.typed_frame(caster, target, 0)
    }

    /// The same with a damage type at hand.
    #[inline]
    pub(super) fn typed_frame(&self, caster: CombatantId, target: CombatantId, damage_type: u16) -> Frame {
        Frame::new(self.program, caster, target, damage_type, self.state.now.micros()).in_form(self.form)
    }

    /// Brings about what an ability does, with its formulas in the form that fits whoever acts: who does not have the ability
    /// evaluates them whole.
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

    /// Evaluates a formula, and reports it where that is asked for.
    #[inline(always)]
    pub(super) fn number(&mut self, formula: FormulaId, frame: &Frame) -> FightResult<f64> {
        let value = self.quiet_number(formula, frame)?;
        if self.wants.detail() {
            self.report_formula(formula, frame);
        }
        Ok(value)
    }

    /// The same without a report: for what is only looked at.
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

    /// A number that cannot be below zero: a time, a cost.
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

    /// A chance that belongs to a combatant, at a place of the ruleset.
    #[inline]
    pub(super) fn stream_of(&self, who: CombatantId, site: SiteId) -> StreamId {
        StreamId(u32::from(who.0) * self.program.sites.len() as u32 + site.0)
    }
}
