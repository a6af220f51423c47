//! Picking targets.

use super::super::engine::{Engine, FightResult};
use super::super::state::State;
use crate::numbers::Extremes;
use crate::program::{
    AbilityPlan, Area, CombatantId, CompiledLine, FormulaId, Frame, HAIR, Memory, PickPlan, PoolId, Score, Slot, Spot,
    Threshold, Time, length, minus, nearer_after,
};
use crate::rules::{SideRule, Untargetable};

impl Engine<'_> {
    /// Picks the targets of a line's ability, unless its condition has already picked them, and sets them as targets of
    /// the use.
    pub(super) fn aim_line(&mut self, who: CombatantId, line: &CompiledLine) -> FightResult<()> {
        if !line.aims {
            self.pick_targets(who, self.program.ability(line.ability))?;
        }
        self.aim(who);
        Ok(())
    }

    /// Copies the picked targets from the scratch buffers to the caster.
    pub(in crate::fight) fn aim(&mut self, who: CombatantId) {
        let room = self.setup.aim_room[who.index()] as usize..self.setup.aim_room[who.index() + 1] as usize;
        if let Some(walk) = self.state.walks.get_mut(who.index()) {
            walk.aims_at = None;
        }
        let combatant = self.state.who_mut(who);
        match self.scratch.picked.as_slice() {
            [one] => (combatant.target, combatant.many) = (*one, false),
            several => {
                let several = &several[..several.len().min(room.len())];
                (combatant.many, combatant.aimed) = (true, several.len() as u16);
                self.state.aimed[room.start..room.start + several.len()].copy_from_slice(several);
            }
        }
    }

    /// Writes the targets that an ability would have into the scratch buffers.
    #[inline(never)]
    pub(in crate::fight) fn pick_targets(&mut self, who: CombatantId, ability: &AbilityPlan) -> FightResult<()> {
        let mut picked = std::mem::take(&mut self.scratch.picked);
        picked.clear();
        if self.setup.is_placed && ability.is_about_places() {
            self.scratch.chosen = self.pick_by_place(who, ability, &mut picked)?;
            self.scratch.picked = picked;
            return Ok(());
        }
        match (ability.side, ability.pick) {
            (SideRule::Caster, _) => picked.push(who),
            (_, PickPlan::First) => {
                let possible = self.candidates(who, ability);
                picked.extend_from_slice(&possible[..possible.len().min(ability.count as usize)]);
                self.put_taunter_first(who, ability, ability.count as usize, &mut picked);
            }
            _ => {
                picked.extend_from_slice(self.candidates(who, ability));
                self.arrange(who, ability.pick, ability.count as usize, &mut picked)?;
                picked.truncate(ability.count as usize);
                self.put_taunter_first(who, ability, ability.count as usize, &mut picked);
            }
        }
        self.scratch.chosen = picked.first().copied();
        self.scratch.picked = picked;
        Ok(())
    }

    /// Targets in reach come first. Around the picked target, or around the caster, everyone within the radius becomes
    /// a target, nearest to the centre first. Returns the picked target.
    fn pick_by_place(
        &mut self,
        who: CombatantId,
        ability: &AbilityPlan,
        picked: &mut Vec<CombatantId>,
    ) -> FightResult<Option<CombatantId>> {
        if let Area::Circle { around_caster: true, .. } = ability.area {
            self.pick_area(who, who, ability, picked)?;
            return Ok(picked.first().copied());
        }
        let reach = self.reach_of_ability(who, ability)?;
        let has_area = ability.area != Area::None;
        if (has_area || ability.count == 1) && !ability.pick.is_drawn() {
            let chosen = self.first_by_place(who, ability, reach)?;
            if let Some(first) = chosen {
                picked.push(first);
                if has_area {
                    self.pick_area(who, first, ability, picked)?;
                }
            }
            return Ok(chosen);
        }
        let mut near = std::mem::take(&mut self.scratch.near);
        near.clear();
        let (here, reach) = (self.place_of(who), reach + HAIR);
        for other in self.candidates(who, ability) {
            let Spot { place, body, .. } = self.spot_of(*other);
            if length(minus(place, here)) <= reach + body { near.push(*other) } else { picked.push(*other) }
        }
        if !near.is_empty() {
            std::mem::swap(&mut near, picked);
        }
        self.scratch.near = near;
        let count = if has_area { 1 } else { ability.count as usize };
        self.arrange(who, ability.pick, count, picked)?;
        picked.truncate(count);
        self.put_taunter_first(who, ability, count, picked);
        let chosen = picked.first().copied();
        if let Some(first) = chosen.filter(|_| has_area) {
            self.pick_area(who, first, ability, picked)?;
        }
        Ok(chosen)
    }

    /// The first target, if it is not picked by chance: among those in reach, if there are any.
    fn first_by_place(
        &mut self,
        who: CombatantId,
        ability: &AbilityPlan,
        reach: f64,
    ) -> FightResult<Option<CombatantId>> {
        if let Some(taunter) = self.taunter(who, ability.side) {
            return Ok(Some(taunter));
        }
        let first = match ability.pick {
            PickPlan::Nearest => self.first_near(who, ability, reach, |_, distance| distance),
            PickPlan::Farthest => self.first_near(who, ability, reach, |_, distance| -distance),
            PickPlan::Weakest(Some(pool)) => self.first_near(who, ability, reach, |other, _| self.share(other, pool)),
            PickPlan::Strongest(Some(pool)) => {
                self.first_near(who, ability, reach, |other, _| -self.share(other, pool))
            }
            PickPlan::Lowest(formula) => return self.first_by_formula(who, ability, reach, formula, 1.0),
            PickPlan::Policy if let Some(formula) = self.setup.policies[who.index()].prefers => {
                return self.first_by_formula(who, ability, reach, formula, -1.0);
            }
            _ => self.first_near(who, ability, reach, |_, _| 0.0),
        };
        Ok(first)
    }

    /// The candidate with the lowest score of a formula multiplied by a sign.
    fn first_by_formula(
        &mut self,
        who: CombatantId,
        ability: &AbilityPlan,
        reach: f64,
        formula: FormulaId,
        sign: f64,
    ) -> FightResult<Option<CombatantId>> {
        let (here, reach, now) = (self.place_of(who), reach + HAIR, self.state.now.micros());
        let (program, side) = (self.program, self.side_of(who));
        let State { rosters, numbers, .. } = &mut *self.state;
        let is_near = |numbers: &Memory, other: CombatantId| {
            let Spot { place, body, .. } = numbers.spot(program.place(other, Slot(0)), now);
            length(minus(place, here)) <= reach + body
        };
        let others = rosters.of(who, side, ability.side, ability.defeated);
        let any_near = others.iter().any(|other| is_near(numbers, *other));
        let (mut best, mut least) = (None, f64::INFINITY);
        for other in others {
            if any_near && !is_near(numbers, *other) {
                continue;
            }
            let frame = Frame::new(program, who, *other, 0, now).in_form(self.form);
            match program.number(formula, numbers, &frame, self.chance, &mut self.scratch.draws) {
                // With equal scores the order of the encounter decides.
                Ok(value) if best.is_none() || (sign * value).total_cmp(&least).is_lt() => {
                    (best, least) = (Some(*other), sign * value);
                }
                Ok(_) => {}
                Err(fault) => return Err(self.fault(fault)),
            }
        }
        Ok(best)
    }

    /// The candidate with the lowest score by identity and distance: among those in reach, if there are any.
    #[inline(always)]
    fn first_near(
        &self,
        who: CombatantId,
        ability: &AbilityPlan,
        reach: f64,
        score: impl Fn(CombatantId, f64) -> f64,
    ) -> Option<CombatantId> {
        let (first, others) = self.candidates(who, ability).split_first()?;
        if others.is_empty() {
            return Some(*first);
        }
        let (here, reach) = (self.place_of(who), reach + HAIR);
        let seen = |other: CombatantId| {
            let Spot { place, body, .. } = self.spot_of(other);
            let distance = length(minus(place, here));
            (distance <= reach + body, score(other, distance))
        };
        let (mut best, (mut near, mut least)) = (*first, seen(*first));
        for other in others {
            let (is_near, score) = seen(*other);
            // With equal scores the order of the encounter decides.
            if is_near && !near || is_near == near && score.total_cmp(&least).is_lt() {
                (best, near, least) = (*other, is_near, score);
            }
        }
        Some(best)
    }

    /// The first target that an ability would have, and the distance that it has to be within.
    pub(super) fn pick_first(
        &mut self,
        who: CombatantId,
        ability: &AbilityPlan,
    ) -> FightResult<(Option<CombatantId>, f64)> {
        let reach = self.reach_of_ability(who, ability)?;
        let around_caster = matches!(ability.area, Area::Circle { around_caster: true, .. });
        if self.setup.is_placed
            && ability.is_about_places()
            && ability.side != SideRule::Caster
            && !around_caster
            && !ability.pick.is_drawn()
        {
            return Ok((self.first_by_place(who, ability, reach)?, reach));
        }
        self.pick_targets(who, ability)?;
        Ok((self.scratch.chosen, reach))
    }

    /// The same with the first target given: areas and further targets extend from it.
    pub(in crate::fight) fn pick_from(
        &mut self,
        who: CombatantId,
        first: CombatantId,
        ability: &AbilityPlan,
    ) -> FightResult<()> {
        self.pick_targets(who, ability)?;
        let mut picked = std::mem::take(&mut self.scratch.picked);
        let around_caster = matches!(ability.area, Area::Circle { around_caster: true, .. });
        if self.setup.is_placed && ability.area != Area::None && !around_caster {
            picked.clear();
            picked.push(first);
            self.pick_area(who, first, ability, &mut picked)?;
        } else {
            picked.retain(|other| *other != first);
            picked.insert(0, first);
            picked.truncate(ability.count as usize);
        }
        self.scratch.picked = picked;
        self.scratch.chosen = Some(first);
        Ok(())
    }

    /// A combatant that taunted the caster comes first, in reach or not.
    fn put_taunter_first(&self, who: CombatantId, ability: &AbilityPlan, count: usize, picked: &mut Vec<CombatantId>) {
        let Some(taunter) = self.taunter(who, ability.side) else { return };
        picked.retain(|other| *other != taunter);
        picked.insert(0, taunter);
        picked.truncate(count);
    }

    /// The standing combatants that can be targeted under a side rule, in the order of the encounter.
    #[inline]
    pub(in crate::fight) fn targets_of(&self, who: CombatantId, rule: SideRule) -> &[CombatantId] {
        self.state.rosters.of(who, self.side_of(who), rule, false)
    }

    /// The possible targets of an ability, at any distance.
    #[inline]
    pub(in crate::fight) fn candidates(&self, who: CombatantId, ability: &AbilityPlan) -> &[CombatantId] {
        self.state.rosters.of(who, self.side_of(who), ability.side, ability.defeated)
    }

    #[inline]
    pub(in crate::fight) fn can_be_targeted(&self, who: CombatantId, other: CombatantId, side: SideRule) -> bool {
        let same = self.side_of(who) == self.side_of(other);
        let untargetable = self.state.who(other).untargetable;
        if untargetable == Untargetable::Everyone || (untargetable == Untargetable::Enemies && !same) {
            return side == SideRule::Caster && who == other && self.state.stands(other);
        }
        let fits = match side {
            SideRule::Enemies => !same && self.setup.can_be_defeated(other),
            SideRule::Allies => same,
            SideRule::Others => same && who != other,
            SideRule::Caster => who == other,
            SideRule::Everyone => same || self.setup.can_be_defeated(other),
        };
        fits && self.state.stands(other)
    }

    /// The earliest time at which a different target may be picked for a line without an event: a candidate enters or
    /// leaves the reach, or overtakes the picked one.
    pub(super) fn pick_turns(&mut self, who: CombatantId, line: &CompiledLine) -> FightResult<Time> {
        let ability = self.program.ability(line.ability);
        let candidates = self.candidates(who, ability);
        if candidates.len() < 2 {
            return Ok(Time::NEVER);
        }
        // If no candidate meets the condition, it does not matter which one is picked.
        let closed = line.closes.is_some_and(|closes| candidates.iter().all(|other| self.fails(closes, *other)));
        let lead = if closed { Time::NEVER } else { self.lead_turns(who, line, ability) };
        Ok(lead.min(self.reach_turns(who, ability)?))
    }

    /// When a candidate may overtake the picked target.
    fn lead_turns(&mut self, who: CombatantId, line: &CompiledLine, ability: &AbilityPlan) -> Time {
        let Some(lead) = self.scratch.chosen else { return Time::NEVER };
        let prefers = self.setup.policies[who.index()].prefers;
        let score = match ability.pick {
            _ if matches!(ability.area, Area::Circle { around_caster: true, .. }) => {
                return self.nearer_at(who, lead, ability, 1.0);
            }
            PickPlan::Nearest => return self.nearer_at(who, lead, ability, 1.0),
            PickPlan::Farthest => return self.nearer_at(who, lead, ability, -1.0),
            PickPlan::Weakest(Some(pool)) => Score::Share(pool, 1.0),
            PickPlan::Strongest(Some(pool)) => Score::Share(pool, -1.0),
            PickPlan::Lowest(formula) if line.pick_time => Score::Formula(formula, 1.0),
            PickPlan::Policy
                if line.pick_time
                    && let Some(formula) = prefers =>
            {
                Score::Formula(formula, -1.0)
            }
            _ => return Time::NEVER,
        };
        let (side, now) = (self.side_of(who), self.state.now.micros());
        let State { rosters, numbers, .. } = &mut *self.state;
        let among = rosters.of(who, side, ability.side, ability.defeated);
        self.program.lead_turns(score, (who, lead), among, numbers, now)
    }

    /// When another candidate will be nearer than the picked one, or farther away (with a negative sign).
    fn nearer_at(&self, who: CombatantId, lead: CombatantId, ability: &AbilityPlan, sign: f64) -> Time {
        if !self.setup.is_placed || !self.any_moves(who, ability) {
            return Time::NEVER;
        }
        let own = self.spot_of(who);
        let seen = |other: CombatantId| {
            let their = self.spot_of(other);
            (minus(their.place, own.place), minus(their.course, own.course))
        };
        let lead_seen = seen(lead);
        let others = self.candidates(who, ability).iter().filter(|other| **other != lead);
        let first = others.map(|other| nearer_after(lead_seen, seen(*other), sign)).fold(f64::INFINITY, f64::smaller);
        if first < f64::INFINITY { self.after(first) } else { Time::NEVER }
    }

    /// Whether a combatant fails a threshold and will not meet it through flows alone.
    #[inline]
    pub(super) fn fails(&self, threshold: Threshold, other: CombatantId) -> bool {
        let first = self.program.place(other, self.program.layout.pool(threshold.pool));
        let pool = self.state.numbers.pool_numbers(first);
        pool.is_some_and(|pool| threshold.fails(pool, self.state.now.micros()))
    }

    /// Whether any candidate moves relative to the caster.
    fn any_moves(&self, who: CombatantId, ability: &AbilityPlan) -> bool {
        let course = self.course_of(who);
        self.candidates(who, ability).iter().any(|other| self.course_of(*other) != course)
    }

    /// When a candidate will enter or leave the reach without an event.
    pub(super) fn reach_turns(&mut self, who: CombatantId, ability: &AbilityPlan) -> FightResult<Time> {
        if !self.setup.is_placed || !ability.is_about_places() || !self.any_moves(who, ability) {
            return Ok(Time::NEVER);
        }
        let reach = match ability.area {
            Area::Circle { radius, around_caster: true } => self.reach_of(who, Some(radius))?,
            _ => self.reach_of_ability(who, ability)?,
        };
        Ok(self.first_crossing(who, self.candidates(who, ability), reach))
    }

    /// When the first of several combatants crosses a reach, in either direction.
    pub(super) fn first_crossing(&self, who: CombatantId, others: &[CombatantId], reach: f64) -> Time {
        let crossings = others.iter().map(|other| self.crosses_reach_at(who, *other, reach));
        crossings.min().unwrap_or(Time::NEVER)
    }

    /// Moves the targets with the lowest scores to the front.
    fn arrange(
        &mut self,
        who: CombatantId,
        pick: PickPlan,
        count: usize,
        picked: &mut [CombatantId],
    ) -> FightResult<()> {
        if let PickPlan::Random(site) = pick {
            let stream = self.stream_of(who, site);
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
        let mut scored = std::mem::take(&mut self.scratch.scored);
        scored.clear();
        for other in picked.iter() {
            scored.push((self.score(who, *other, pick)?, *other));
        }
        // Stable sort: with equal scores the order of the encounter decides.
        scored.sort_by(|a, b| a.0.total_cmp(&b.0));
        for (place, (_, other)) in picked.iter_mut().zip(&scored) {
            *place = *other;
        }
        self.scratch.scored = scored;
        Ok(())
    }

    /// Moves the first target to the front; with equal scores the order of the encounter decides.
    fn best_first(&mut self, who: CombatantId, pick: PickPlan, picked: &mut [CombatantId]) -> FightResult<()> {
        let (mut best, mut least) = (0, f64::INFINITY);
        let by_formula = match pick {
            PickPlan::Lowest(formula) => Some((formula, 1.0)),
            PickPlan::Policy => self.setup.policies[who.index()].prefers.map(|formula| (formula, -1.0)),
            _ => None,
        };
        for (index, other) in picked.iter().enumerate() {
            let score = match by_formula {
                Some((formula, sign)) => sign * self.value_for(who, *other, formula)?,
                None => self.score(who, *other, pick)?,
            };
            if index == 0 || score.total_cmp(&least).is_lt() {
                (best, least) = (index, score);
            }
        }
        if !picked.is_empty() {
            picked.swap(0, best);
        }
        Ok(())
    }

    /// The value of a formula for a combatant and a candidate.
    #[inline(always)]
    fn value_for(&mut self, who: CombatantId, other: CombatantId, formula: FormulaId) -> FightResult<f64> {
        let frame = self.frame(who, other);
        let (numbers, draws) = (&mut self.state.numbers, &mut self.scratch.draws);
        match self.program.number(formula, numbers, &frame, self.chance, draws) {
            Ok(value) => Ok(value),
            Err(fault) => Err(self.fault(fault)),
        }
    }

    fn score(&mut self, who: CombatantId, other: CombatantId, pick: PickPlan) -> FightResult<f64> {
        let share = |pool: Option<PoolId>| pool.map_or(0.0, |pool| self.share(other, pool));
        match pick {
            PickPlan::Weakest(pool) => Ok(share(pool)),
            PickPlan::Strongest(pool) => Ok(-share(pool)),
            PickPlan::Lowest(formula) => self.value_for(who, other, formula),
            PickPlan::Policy => match self.setup.policies[who.index()].prefers {
                Some(formula) => Ok(-self.value_for(who, other, formula)?),
                None => Ok(0.0),
            },
            PickPlan::Nearest => Ok(self.apart(who, other)),
            PickPlan::Farthest => Ok(-self.apart(who, other)),
            PickPlan::First | PickPlan::Random(_) => Ok(0.0),
        }
    }
}
