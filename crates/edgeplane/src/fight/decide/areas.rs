//! Targets by area: circles, cones, lines and chains.

use super::super::engine::{Engine, FightResult};
use crate::numbers::Extremes;
use crate::program::{AbilityPlan, Area, CombatantId, HAIR, Plane, inner, length, minus};

/// A region of the plane with all numbers evaluated; lengths in metres.
enum Part {
    /// All points within a radius around a centre.
    Circle { middle: Plane, radius: f64 },
    /// A strip from a start point along a unit direction, with a length and a half width.
    Strip { from: Plane, along: Plane, length: f64, half: f64 },
    /// A sector from a tip, with a radius and the cosine of half its angle.
    Sector { tip: Plane, along: Plane, length: f64, cosine: f64 },
}

impl Part {
    /// Whether a body with a radius at a position overlaps the region; edges included.
    fn contains(&self, place: Plane, body: f64) -> bool {
        let body = body + HAIR;
        match self {
            Self::Circle { middle, radius } => length(minus(place, *middle)) <= radius + body,
            Self::Strip { from, along, length: long, half } => {
                let v = minus(place, *from);
                let (ahead, aside) = (inner(v, *along), v[0] * along[1] - v[1] * along[0]);
                let beyond = [(-ahead).larger(ahead - long).larger(0.0), (aside.abs() - half).larger(0.0)];
                inner(beyond, beyond) <= body * body
            }
            Self::Sector { tip, along, length: long, cosine } => {
                let v = minus(place, *tip);
                let far = length(v);
                if inner(v, *along) >= far * cosine - HAIR {
                    return far <= long + body;
                }
                // Beside the sector: the distance to the nearer of its two edges.
                let sine = (1.0 - cosine * cosine).larger(0.0).sqrt();
                let aside = if v[0] * along[1] - v[1] * along[0] > 0.0 { -sine } else { sine };
                let edge = [along[0] * cosine - along[1] * aside, along[0] * aside + along[1] * cosine];
                let ahead = inner(v, edge).clamp(0.0, *long);
                length(minus(v, [edge[0] * ahead, edge[1] * ahead])) <= body
            }
        }
    }
}

impl Engine<'_> {
    /// Writes the targets in the area of an ability into `picked`, nearest to the centre or to the caster first.
    /// `first` is the picked target, or the caster if the area needs no target.
    pub(super) fn pick_area(
        &mut self,
        who: CombatantId,
        first: CombatantId,
        ability: &AbilityPlan,
        picked: &mut Vec<CombatantId>,
    ) -> FightResult<()> {
        if let Area::Chain { within } = ability.area {
            let within = self.reach_of(who, Some(within))?;
            self.pick_chain(who, within, ability, picked);
            return Ok(());
        }
        self.pick_part(who, self.place_of(first), first == who, ability, picked)
    }

    /// The same for an area around a position or toward it. The caster is included in a circle around a position, or if
    /// the area is centred on it.
    pub(super) fn pick_part(
        &mut self,
        who: CombatantId,
        aim: Plane,
        itself: bool,
        ability: &AbilityPlan,
        picked: &mut Vec<CombatantId>,
    ) -> FightResult<()> {
        let tip = self.place_of(who);
        let toward = minus(aim, tip);
        let far = length(toward);
        // There is no direction if both positions are equal.
        let direction = (far > HAIR).then(|| [toward[0] / far, toward[1] / far]);
        let (part, middle) = match ability.area {
            Area::None | Area::Chain { .. } => return Ok(()),
            Area::Circle { radius, around_caster } => {
                let middle = if around_caster { tip } else { aim };
                (Part::Circle { middle, radius: self.reach_of(who, Some(radius))? }, middle)
            }
            Area::Line { width, length } => {
                let length = self.reach_of(who, Some(length))?;
                let half = self.reach_of(who, Some(width))? / 2.0;
                let strip = direction.map(|along| Part::Strip { from: tip, along, length, half });
                (strip.unwrap_or(Part::Circle { middle: tip, radius: half }), tip)
            }
            Area::Cone { degrees, length } => {
                let length = self.reach_of(who, Some(length))?;
                let half = self.reach_of(who, Some(degrees))?.smaller(360.0) / 2.0;
                let cosine = libm::cos(half.to_radians());
                let sector = direction.map(|along| Part::Sector { tip, along, length, cosine });
                (sector.unwrap_or(Part::Circle { middle: tip, radius: length }), tip)
            }
        };
        let itself_too = itself || matches!(ability.area, Area::Circle { .. });
        picked.clear();
        let possible = self.candidates(who, ability).iter().copied();
        picked.extend(possible.filter(|other| {
            (itself_too || *other != who) && part.contains(self.place_of(*other), self.body_of(*other))
        }));
        // Stable sort: at equal distances the order of the encounter decides.
        let apart = |other: CombatantId| length(minus(self.place_of(other), middle));
        picked.sort_by(|a, b| apart(*a).total_cmp(&apart(*b)));
        picked.truncate(ability.count as usize);
        Ok(())
    }

    /// From the picked target to the nearest one that was not hit yet, repeatedly.
    fn pick_chain(&self, who: CombatantId, within: f64, ability: &AbilityPlan, picked: &mut Vec<CombatantId>) {
        picked.truncate(1);
        while let Some(last) = picked.last().copied().filter(|_| picked.len() < ability.count as usize) {
            let possible = self.candidates(who, ability).iter().copied();
            let left =
                possible.filter(|other| !picked.contains(other) && *other != who && self.within(last, *other, within));
            let Some(next) = left.min_by(|a, b| self.apart(last, *a).total_cmp(&self.apart(last, *b))) else { return };
            picked.push(next);
        }
    }
}
