//! Abilities that the game aims at a position on the ground.

use super::super::engine::{Engine, FightResult};
use super::super::events::UnavailableReason;
use super::super::state::{EffectContext, Gate};
use crate::program::{AbilityId, Area, CombatantId, Effect, EffectPlan, HAIR, Plane, ZoneId, length, minus};
use crate::rules::Receiver;

impl Engine<'_> {
    /// The position at which the ability under way of a combatant is aimed, if it is aimed at one.
    #[inline]
    pub(in crate::fight) fn place_aimed_at(&self, who: CombatantId) -> Option<Plane> {
        self.state.walks.get(who.index())?.aims_at
    }

    /// Whether an ability can be aimed at a position: it has an area around its first target or toward it, or places a
    /// zone at its target.
    pub(in crate::fight) fn can_aim_at_position(&self, id: AbilityId) -> bool {
        let plan = self.program.ability(id);
        let around_caster = matches!(plan.area, Area::Circle { around_caster: true, .. });
        let area = !around_caster && !matches!(plan.area, Area::None | Area::Chain { .. });
        area || plan.does.iter().any(|effect| self.zone_on_ground(effect).is_some())
    }

    /// The zone that an effect places at its target and that stays there.
    pub(in crate::fight) fn zone_on_ground(&self, effect: &EffectPlan) -> Option<ZoneId> {
        match effect.effect {
            Effect::Zone(zone) if effect.to == Receiver::Target && !self.program.zone(zone).carried => Some(zone),
            _ => None,
        }
    }

    /// Places the zone of an effect at the position of the use; returns whether the effect is of this kind.
    pub(in crate::fight) fn placed_at_position(
        &mut self,
        by: &EffectContext,
        effect: &EffectPlan,
        place: Option<Plane>,
    ) -> FightResult<bool> {
        let (Some(zone), Some(place)) = (self.zone_on_ground(effect), place) else { return Ok(false) };
        if self.effect_applies(by, by.caster, effect)? {
            self.place_zone_at(by, by.caster, place, zone)?;
        }
        Ok(true)
    }

    /// A call uses an ability at a position.
    pub(in crate::fight) fn use_at_place(
        &mut self,
        who: CombatantId,
        id: AbilityId,
        place: Plane,
    ) -> FightResult<Result<(), UnavailableReason>> {
        let reason = match self.callable(who, id) {
            Err(reason) => Some(reason),
            Ok(index) => self.unavailable_at(who, index, place)?,
        };
        let index = self.state.ability_index(self.setup, who, id);
        let (None, Some(index)) = (reason, index) else {
            let reason = reason.unwrap_or(UnavailableReason::NotKnown);
            if let Some(index) = index {
                self.report_unavailable(who, index, reason);
                self.respond()?;
            }
            return Ok(Err(reason));
        };
        self.aim_at_place(who, id, place)?;
        self.start(who, index)?;
        self.respond()?;
        Ok(Ok(()))
    }

    /// Targets everyone in the area around a position or toward it.
    pub(in crate::fight) fn aim_at_place(&mut self, who: CombatantId, id: AbilityId, place: Plane) -> FightResult<()> {
        let mut picked = std::mem::take(&mut self.scratch.picked);
        picked.clear();
        self.pick_part(who, place, false, self.program.ability(id), &mut picked)?;
        self.scratch.picked = picked;
        self.aim(who);
        if let Some(walk) = self.state.walks.get_mut(who.index()) {
            walk.aims_at = Some(place);
        }
        Ok(())
    }

    /// The reason why an ability cannot be used at a position now, or `None` if it can.
    pub(in crate::fight) fn unavailable_at(
        &mut self,
        who: CombatantId,
        index: usize,
        place: Plane,
    ) -> FightResult<Option<UnavailableReason>> {
        let gate = self.before_condition(who, index)?;
        if gate != Gate::Open {
            return self.reason_before_condition(who, index, gate).map(Some);
        }
        let plan = self.program.ability(self.setup.abilities[index].ability);
        // A cone or a line only needs a direction, however far away the position is.
        if !matches!(plan.area, Area::Cone { .. } | Area::Line { .. }) {
            let reach = self.reach_of(who, plan.reach)?;
            let distance = length(minus(place, self.place_of(who)));
            if distance > reach + HAIR {
                return Ok(Some(UnavailableReason::OutOfReach { target: None, distance, reach, until: None }));
            }
        }
        self.affordable(who, plan)
    }
}
