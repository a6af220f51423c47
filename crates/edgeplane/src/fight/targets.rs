//! Whom an ability is used on.

use super::Provider;
use super::engine::{Engine, Outcome};
use super::event::Observer;
use crate::program::{AbilityPlan, Aim, CombatantId, Frame, PickPlan, PoolId, StreamId};
use crate::rules::SideRule;

impl<C: Provider, O: Observer> Engine<'_, C, O> {
    /// The target that is found without a longer look.
    fn one_target(&self, who: CombatantId, aim: Aim) -> Option<CombatantId> {
        match aim {
            Aim::Itself => Some(who),
            Aim::Picked => None,
            Aim::FirstEnemy => {
                let side = self.setup.combatants[who.index()].side;
                let others = self.setup.combatants.iter().zip(self.state.actors.all());
                let first = others.enumerate().find(|(_, (plan, actor))| plan.side != side && actor.stands);
                first.map(|(index, _)| CombatantId(index as u16))
            }
        }
    }

    #[inline]
    pub(super) fn pick_one(&mut self, who: CombatantId, aim: Aim) {
        let one = self.one_target(who, aim);
        self.state.scratch.picked.clear();
        self.state.scratch.picked.extend(one);
    }

    /// Puts whom an ability would be used on into the scratch room.
    #[inline(never)]
    pub(super) fn pick_targets(&mut self, who: CombatantId, ability: &AbilityPlan) -> Outcome<()> {
        let mut picked = std::mem::take(&mut self.state.scratch.picked);
        picked.clear();
        match (ability.side, ability.pick) {
            (SideRule::Caster, _) => picked.push(who),
            (_, PickPlan::First) => {
                let possible = self.setup.ids().filter(|other| self.can_be_targeted(who, *other, ability.side));
                picked.extend(possible.take(ability.count as usize));
            }
            _ => {
                picked.extend(self.setup.ids().filter(|other| self.can_be_targeted(who, *other, ability.side)));
                self.arrange(who, ability, &mut picked)?;
                picked.truncate(ability.count as usize);
            }
        }
        self.state.scratch.picked = picked;
        Ok(())
    }

    #[inline]
    fn can_be_targeted(&self, who: CombatantId, other: CombatantId, side: SideRule) -> bool {
        let same = self.setup.combatants[who.index()].side == self.setup.combatants[other.index()].side;
        let fits = match side {
            SideRule::Enemies => !same,
            SideRule::Allies => same,
            SideRule::Caster => who == other,
            SideRule::Everyone => true,
        };
        fits && self.state.actors[other].stands
    }

    /// Puts those picked first to the front.
    fn arrange(&mut self, who: CombatantId, ability: &AbilityPlan, picked: &mut [CombatantId]) -> Outcome<()> {
        if let PickPlan::Random(site) = ability.pick {
            let stream = StreamId(u32::from(who.0) * self.program.sites.len() as u32 + site.0);
            for front in 0..picked.len().min(ability.count as usize) {
                let left = (picked.len() - front) as u32;
                let chosen = if left > 1 { self.chance.pick(stream, left) as usize } else { 0 };
                picked.swap(front, front + chosen);
            }
            return Ok(());
        }
        let mut scored = std::mem::take(&mut self.state.scratch.scored);
        scored.clear();
        for other in picked.iter() {
            scored.push((self.score(who, *other, ability.pick)?, *other));
        }
        // Stable: among equals the order of the encounter decides.
        scored.sort_by(|a, b| a.0.total_cmp(&b.0));
        for (place, (_, other)) in picked.iter_mut().zip(&scored) {
            *place = *other;
        }
        self.state.scratch.scored = scored;
        Ok(())
    }

    fn score(&mut self, who: CombatantId, other: CombatantId, pick: PickPlan) -> Outcome<f64> {
        let share = |pool: Option<PoolId>| pool.map_or(0.0, |pool| self.share(other, pool));
        match pick {
            PickPlan::Weakest(pool) => Ok(share(pool)),
            PickPlan::Strongest(pool) => Ok(-share(pool)),
            PickPlan::Lowest(formula) => {
                let frame = Frame::new(self.program, who, other, 0, self.state.now.micros());
                self.number(formula, &frame)
            }
            PickPlan::First | PickPlan::Random(_) => Ok(0.0),
        }
    }
}
