//! Hits and heals between two given combatants, with every number that hangs on attributes filled in.
//!
//! What a step multiplies by and how likely it is depend on who hits whom, and change only when
//! attributes do. So for fights of few combatants each pair's way through the steps is worked out
//! beforehand: a short list of operations on numbers. The operations and their order are the same as
//! in the formulas, so the results are the same to the last bit.

use super::Program;
use super::abilities::{OutcomePlan, StepCode, StepsEffect};
use super::code::{QuickAmount, QuickWhen};
use super::encounters::CombatantPlan;
use super::eval::{Draws, Frame, Memory, NoChance};
use super::ids::{CombatantId, FormulaId, PoolId, StepId};
use super::tree::Read;

/// Most pairs of an outcome and a target for which this is worth the memory.
const MOST_PAIRS: usize = 4_096;

/// One operation of a hit on its way.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum HitOp {
    /// What follows, so many operations, happens only with this chance.
    Chance { stream: u32, p: f64, skip: u32 },
    /// Marks are set.
    Mark(u64),
    /// `amount * a`
    Scale(f64),
    /// `amount * a / b`
    ScaleOver(f64, f64),
    /// A pool takes what it can.
    Soak(StepId, PoolId, u32),
    /// The way ends.
    Stop(StepId),
}

/// The way of one outcome from one combatant to another.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct LinkedHit {
    /// The amount that enters the first step.
    pub(crate) amount: f64,
    /// How far it is spread, and the stream of that.
    pub(crate) spread: Option<(f64, u32)>,
    /// Where the numbers of the receiving pool begin.
    pub(crate) into: u32,
    /// The rest of the way.
    pub(crate) ops: Vec<HitOp>,
}

/// All of them.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct LinkedHits {
    /// By outcome of ability of combatant, then by target. `None`: it has to be worked out each time.
    hits: Vec<Option<LinkedHit>>,
    /// Where the outcomes of an ability of a combatant begin.
    first: Vec<u32>,
    combatants: u32,
}

/// Who is hit, and which pools it has.
struct Receiving<'a> {
    id: CombatantId,
    pools: &'a [bool],
}

impl LinkedHits {
    /// The way of an outcome, by the ability's place among all of all combatants.
    #[inline(always)]
    pub(crate) fn get(&self, place: usize, outcome: usize, target: CombatantId) -> Option<&LinkedHit> {
        let first = *self.first.get(place)?;
        self.hits.get(((first + outcome as u32) * self.combatants + u32::from(target.0)) as usize)?.as_ref()
    }
}

impl Program {
    pub(crate) fn link_hits(&self, combatants: &[CombatantPlan], memory: &mut Memory) -> LinkedHits {
        let mut linked = LinkedHits { hits: Vec::new(), first: Vec::new(), combatants: combatants.len() as u32 };
        let outcomes = |combatant: &CombatantPlan| {
            let abilities = &self.characters[combatant.character.index()].abilities;
            abilities.iter().map(|ability| self.ability(*ability).does.len()).sum::<usize>()
        };
        let all: usize = combatants.iter().map(outcomes).sum();
        if all * combatants.len() > MOST_PAIRS {
            return linked;
        }
        let mut next = 0;
        for (index, combatant) in combatants.iter().enumerate() {
            for ability in &self.characters[combatant.character.index()].abilities {
                linked.first.push(next);
                for outcome in &self.ability(*ability).does {
                    next += 1;
                    let who = CombatantId(index as u16);
                    for (target, plan) in combatants.iter().enumerate() {
                        let pools = &self.characters[plan.character.index()].pools;
                        let target = Receiving { id: CombatantId(target as u16), pools };
                        linked.hits.push(self.link_hit(outcome, who, &target, memory));
                    }
                }
            }
        }
        linked
    }

    fn link_hit(
        &self,
        outcome: &OutcomePlan,
        caster: CombatantId,
        target: &Receiving<'_>,
        memory: &mut Memory,
    ) -> Option<LinkedHit> {
        let (OutcomePlan::Hit(effect) | OutcomePlan::Heal(effect)) = outcome else { return None };
        if !effect.quick {
            return None;
        }
        let frame = Frame::new(self, caster, target.id, effect.damage_type.0, 0.0);
        let spread = match effect.spread {
            Some((spread, site)) => Some((self.fixed(spread, memory, &frame)?, frame.stream(site).0)),
            None => None,
        };
        Some(LinkedHit {
            into: self.place(target.id, self.layout.pool(effect.pool)) as u32,
            amount: self.fixed(effect.amount, memory, &frame)?,
            spread,
            ops: self.ops(effect, target, memory, &frame)?,
        })
    }

    /// The value of a formula that reads nothing but attributes.
    fn fixed(&self, formula: FormulaId, memory: &mut Memory, frame: &Frame) -> Option<f64> {
        let compiled = self.formula(formula);
        let mut fixed = !compiled.draws();
        compiled.each_read(|read| fixed &= matches!(read, Read::Attribute(..) | Read::Typed(..)));
        let value = self.number(formula, memory, frame, &mut NoChance, &mut Draws::default());
        value.ok().filter(|_| fixed)
    }
}

impl Program {
    fn ops(&self, effect: &StepsEffect, target: &Receiving<'_>, memory: &Memory, frame: &Frame) -> Option<Vec<HitOp>> {
        let mut ops = Vec::new();
        for step in &effect.steps {
            let at = |operand| Some(memory.at(frame.index(operand))).filter(|value| value.is_finite());
            let (site, p) = match step.quick_when {
                QuickWhen::Always => (None, 1.0),
                QuickWhen::Roll(site, a) => (Some(site), at(a)?),
                QuickWhen::RollLess(site, a, b) => (Some(site), at(a)? - at(b)?),
                QuickWhen::Ask => return None,
            };
            let does = self.step_ops(step, target, at)?;
            // A chance that is certain, or none, draws nothing.
            if let Some(site) = site.filter(|_| p < 1.0) {
                if p <= 0.0 {
                    continue;
                }
                ops.push(HitOp::Chance { stream: frame.stream(site).0, p, skip: does.len() as u32 });
            }
            ops.extend(does);
        }
        Some(ops)
    }

    fn step_ops(
        &self,
        step: &StepCode,
        target: &Receiving<'_>,
        at: impl Fn(super::code::Operand) -> Option<f64>,
    ) -> Option<Vec<HitOp>> {
        let mut ops = Vec::new();
        ops.extend(step.mark.map(|mark| HitOp::Mark(1 << mark)));
        match step.quick_amount {
            QuickAmount::Same => {}
            // Once is as it is.
            QuickAmount::Scale(a) => ops.extend(Some(at(a)?).filter(|a| *a != 1.0).map(HitOp::Scale)),
            QuickAmount::ScaleOver(a, b) => ops.push(HitOp::ScaleOver(at(a)?, at(b).filter(|b| *b != 0.0)?)),
            QuickAmount::Ask => return None,
        }
        // A pool that the target lacks has nothing to take from.
        let soak = step.soak.filter(|pool| target.pools[pool.index()]);
        ops.extend(soak.map(|pool| HitOp::Soak(step.id, pool, self.place(target.id, self.layout.pool(pool)) as u32)));
        ops.extend(step.stops.then_some(HitOp::Stop(step.id)));
        Some(ops)
    }
}
