//! Whom an ability is used on.

use super::engine::{Engine, Outcome};
use super::event::Observer;
use crate::program::{AbilityPlan, Aim, Area, Chance, CombatantId, Frame, PickPlan, PoolId, StreamId};
use crate::rules::SideRule;

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// The target that is found without a longer look.
    fn one_target(&self, who: CombatantId, aim: Aim) -> Option<CombatantId> {
        match aim {
            Aim::Itself => Some(who),
            Aim::Picked => None,
            Aim::FirstEnemy => {
                let taunter = self.taunter(who, SideRule::Enemies);
                if taunter.is_some() {
                    return taunter;
                }
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
                self.put_taunter_first(who, ability, ability.count as usize, &mut picked);
            }
            _ => {
                picked.extend(self.setup.ids().filter(|other| self.can_be_targeted(who, *other, ability.side)));
                self.arrange(who, ability.pick, ability.count as usize, &mut picked)?;
                picked.truncate(ability.count as usize);
                self.put_taunter_first(who, ability, ability.count as usize, &mut picked);
            }
        }
        self.state.scratch.picked = picked;
        Ok(())
    }

    /// Those in reach go before all others; around the one that is picked, or around the caster, everyone in the
    /// radius is a target, the nearest to the middle first.
    fn pick_by_place(&mut self, who: CombatantId, ability: &AbilityPlan, picked: &mut Vec<CombatantId>) -> Outcome<()> {
        if let Area::Circle { around_caster: true, .. } = ability.area {
            return self.pick_area(who, who, ability, picked);
        }
        let reach = self.reach_of(who, ability.reach)?;
        let mut near = std::mem::take(&mut self.state.scratch.near);
        near.clear();
        for other in self.setup.ids().filter(|other| self.can_be_targeted(who, *other, ability.side)) {
            if self.within(who, other, reach) { near.push(other) } else { picked.push(other) }
        }
        if !near.is_empty() {
            std::mem::swap(&mut near, picked);
        }
        self.state.scratch.near = near;
        let count = if ability.area == Area::None { ability.count as usize } else { 1 };
        self.arrange(who, ability.pick, count, picked)?;
        picked.truncate(count);
        self.put_taunter_first(who, ability, count, picked);
        match picked.first().copied() {
            Some(first) => self.pick_area(who, first, ability, picked),
            None => Ok(()),
        }
    }

    /// Whoever taunted the caster comes first, in reach or not.
    fn put_taunter_first(&self, who: CombatantId, ability: &AbilityPlan, count: usize, picked: &mut Vec<CombatantId>) {
        let Some(taunter) = self.taunter(who, ability.side) else { return };
        picked.retain(|other| *other != taunter);
        picked.insert(0, taunter);
        picked.truncate(count);
    }

    #[inline]
    pub(super) fn can_be_targeted(&self, who: CombatantId, other: CombatantId, side: SideRule) -> bool {
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
        if count == 1 {
            return self.best_first(who, pick, picked);
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

    /// Puts the one picked first to the front; among equals the order of the encounter decides.
    fn best_first(&mut self, who: CombatantId, pick: PickPlan, picked: &mut [CombatantId]) -> Outcome<()> {
        let mut best: Option<(f64, usize)> = None;
        for (index, other) in picked.iter().enumerate() {
            let score = self.score(who, *other, pick)?;
            if best.is_none_or(|(least, _)| score.total_cmp(&least).is_lt()) {
                best = Some((score, index));
            }
        }
        if let Some((_, index)) = best {
            picked.swap(0, index);
        }
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
            PickPlan::Policy => match self.setup.linked[who.index()].prefers {
                Some(formula) => {
                    let frame = Frame::new(self.program, who, other, 0, self.state.now.micros());
                    Ok(-self.number(formula, &frame)?)
                }
                None => Ok(0.0),
            },
            PickPlan::Nearest => Ok(self.apart(who, other)),
            PickPlan::Farthest => Ok(-self.apart(who, other)),
            PickPlan::First | PickPlan::Random(_) => Ok(0.0),
        }
    }
}
