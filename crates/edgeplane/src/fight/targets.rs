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
        if self.setup.is_placed && ability.is_about_places() {
            self.pick_by_place(who, ability, &mut picked)?;
            self.state.scratch.picked = picked;
            return Ok(());
        }
        match (ability.side, ability.pick) {
            (SideRule::Caster, _) => picked.push(who),
            (_, PickPlan::First) => {
                let possible = self.setup.ids().filter(|other| self.can_be_targeted(who, *other, ability.side));
                picked.extend(possible.take(ability.count as usize));
            }
            _ => {
                picked.extend(self.setup.ids().filter(|other| self.can_be_targeted(who, *other, ability.side)));
                self.arrange(who, ability.pick, ability.count as usize, &mut picked)?;
                picked.truncate(ability.count as usize);
            }
        }
        self.state.scratch.picked = picked;
        Ok(())
    }

    /// Those in reach go before all others; around the one that is picked, or around the caster, everyone in the
    /// radius is a target, the nearest to the middle first.
    fn pick_by_place(&mut self, who: CombatantId, ability: &AbilityPlan, picked: &mut Vec<CombatantId>) -> Outcome<()> {
        let reach = self.reach_of(who, ability.reach)?;
        let radius = match ability.radius {
            Some(_) => Some(self.reach_of(who, ability.radius)?),
            None => None,
        };
        picked.extend(self.setup.ids().filter(|other| self.can_be_targeted(who, *other, ability.side)));
        let mut middle = who;
        if !(ability.around_caster && radius.is_some()) {
            if picked.iter().any(|other| self.within(who, *other, reach)) {
                picked.retain(|other| self.within(who, *other, reach));
            }
            let count = if radius.is_some() { 1 } else { ability.count as usize };
            self.arrange(who, ability.pick, count, picked)?;
            picked.truncate(count);
            match picked.first() {
                Some(first) => middle = *first,
                None => return Ok(()),
            }
        }
        if let Some(radius) = radius {
            picked.clear();
            picked.extend(self.setup.ids().filter(|other| {
                self.can_be_targeted(who, *other, ability.side) && self.within(middle, *other, radius)
            }));
            // Stable: at one distance the order of the encounter decides.
            let far = |other: &CombatantId| self.apart(middle, *other);
            picked.sort_by(|a, b| far(a).total_cmp(&far(b)));
            picked.truncate(ability.count as usize);
        }
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
    fn arrange(&mut self, who: CombatantId, pick: PickPlan, count: usize, picked: &mut [CombatantId]) -> Outcome<()> {
        if let PickPlan::Random(site) = pick {
            let stream = StreamId(u32::from(who.0) * self.program.sites.len() as u32 + site.0);
            for front in 0..picked.len().min(count) {
                let left = (picked.len() - front) as u32;
                let chosen = if left > 1 { self.chance.pick(stream, left) as usize } else { 0 };
                picked.swap(front, front + chosen);
            }
            return Ok(());
        }
        let mut scored = std::mem::take(&mut self.state.scratch.scored);
        scored.clear();
        for other in picked.iter() {
            scored.push((self.score(who, *other, pick)?, *other));
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
            PickPlan::Nearest => Ok(self.apart(who, other)),
            PickPlan::Farthest => Ok(-self.apart(who, other)),
            PickPlan::First | PickPlan::Random(_) => Ok(0.0),
        }
    }
}
