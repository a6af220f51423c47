//! Engines that are compiled once for all: chance and observer are called through pointers.
//!
//! The engine is compiled anew for each pair of a source of chance and an observer. That is worth it for those that
//! play fights by the million, and for nobody else: each takes seconds of every build.

use super::event::{Event, Listener, Observer};
use crate::program::{Chance, FormulaId, Reading, StreamId, Time};

/// Any source of chance.
pub(super) struct AnyChance<'a>(pub(super) &'a mut dyn Chance);

impl Chance for AnyChance<'_> {
    fn chance(&mut self, stream: StreamId, p: f64) -> bool {
        self.0.chance(stream, p)
    }

    fn pick(&mut self, stream: StreamId, n: u32) -> u32 {
        self.0.pick(stream, n)
    }

    fn uniform(&mut self, stream: StreamId) -> f64 {
        self.0.uniform(stream)
    }
}

/// Any observer, one that wants every detail or one that does not.
pub(super) struct Told<'a, const DETAIL: bool>(pub(super) &'a mut dyn Listener);

impl<const DETAIL: bool> Observer for Told<'_, DETAIL> {
    const DETAIL: bool = DETAIL;

    fn event(&mut self, at: Time, event: Event) {
        self.0.event(at, event);
    }

    fn formula(&mut self, at: Time, formula: FormulaId, reading: &Reading) {
        self.0.formula(at, formula, reading);
    }
}

/// An observer as one that can be pointed to.
pub(super) struct Pointed<'a, O>(pub(super) &'a mut O);

impl<O: Observer> Listener for Pointed<'_, O> {
    fn event(&mut self, at: Time, event: Event) {
        self.0.event(at, event);
    }

    fn formula(&mut self, at: Time, formula: FormulaId, reading: &Reading) {
        self.0.formula(at, formula, reading);
    }
}

/// Does something with the engine of a fight: one of its own where both the chance `C` and the observer are worth one,
/// and that of all others elsewhere.
macro_rules! with_engine {
    ($fight:expr, $observer:expr, $seen:ty, |$engine:ident, $plain:pat_param| $body:expr) => {{
        let observer: &mut $seen = $observer;
        let (chance, rest) = $fight.split();
        if const { C::OWN_ENGINE && <$seen>::OWN_ENGINE } {
            let (mut $engine, $plain) = rest.engine(chance, observer);
            $body
        } else {
            let (mut chance, mut pointed) =
                (crate::fight::pointed::AnyChance(chance), crate::fight::pointed::Pointed(observer));
            if const { <$seen>::DETAIL } {
                let mut told = crate::fight::pointed::Told::<true>(&mut pointed);
                let (mut $engine, $plain) = rest.engine(&mut chance, &mut told);
                $body
            } else {
                let mut told = crate::fight::pointed::Told::<false>(&mut pointed);
                let (mut $engine, $plain) = rest.engine(&mut chance, &mut told);
                $body
            }
        }
    }};
}

pub(super) use with_engine;
