//! Who else is hit, going by who stands where: circles, cones, lines and chains.

use super::super::engine::{Engine, FightResult};

use crate::program::{AbilityPlan, Area, Chance, CombatantId, HAIR};

/// A part of the plane, with all numbers known; lengths in metres.
enum Part {
    /// Everywhere within so many of a middle.
    Circle { middle: [f64; 2], radius: f64 },
    /// From an end, along a direction of length 1, so far and so far to either side.
    Strip { from: [f64; 2], along: [f64; 2], length: f64, half: f64 },
    /// From a tip, within so far and an angle of which this is the cosine to either side.
    Sector { tip: [f64; 2], along: [f64; 2], length: f64, cosine: f64 },
}

impl Part {
    /// Edges included.
    fn contains(&self, place: [f64; 2]) -> bool {
        let from = |origin: &[f64; 2]| [place[0] - origin[0], place[1] - origin[1]];
        let size = |v: [f64; 2]| (v[0] * v[0] + v[1] * v[1]).sqrt();
        match self {
            Self::Circle { middle, radius } => size(from(middle)) <= radius + HAIR,
            Self::Strip { from: end, along, length, half } => {
                let v = from(end);
                let (ahead, aside) = (v[0] * along[0] + v[1] * along[1], v[0] * along[1] - v[1] * along[0]);
                ahead >= -HAIR && ahead <= length + HAIR && aside.abs() <= half + HAIR
            }
            Self::Sector { tip, along, length, cosine } => {
                let v = from(tip);
                let far = size(v);
                far <= length + HAIR && v[0] * along[0] + v[1] * along[1] >= far * cosine - HAIR
            }
        }
    }
}

impl<C: Chance> Engine<'_, C> {
    /// Puts into `picked` who is in the area of an ability; `first` is the one that was picked, or the caster where the area
    /// needs nobody. The nearest to the middle, or to the caster, come first.
    pub(super) fn pick_area(
        &mut self,
        who: CombatantId,
        first: CombatantId,
        ability: &AbilityPlan,
        picked: &mut Vec<CombatantId>,
    ) -> FightResult<()> {
        let tip = self.place_of(who);
        let (part, middle) = match ability.area {
            Area::None => return Ok(()),
            Area::Chain { within } => {
                let within = self.reach_of(who, Some(within))?;
                self.pick_chain(who, within, ability, picked);
                return Ok(());
            }
            Area::Circle { radius, around_caster } => {
                let middle = if around_caster { who } else { first };
                (Part::Circle { middle: self.place_of(middle), radius: self.reach_of(who, Some(radius))? }, middle)
            }
            Area::Line { width, length } => {
                let length = self.reach_of(who, Some(length))?;
                let half = self.reach_of(who, Some(width))? / 2.0;
                let strip = self.direction(who, first).map(|along| Part::Strip { from: tip, along, length, half });
                (strip.unwrap_or(Part::Circle { middle: tip, radius: half }), who)
            }
            Area::Cone { degrees, length } => {
                let length = self.reach_of(who, Some(length))?;
                let half = self.reach_of(who, Some(degrees))?.min(360.0) / 2.0;
                let cosine = libm::cos(half.to_radians());
                let sector = self.direction(who, first).map(|along| Part::Sector { tip, along, length, cosine });
                (sector.unwrap_or(Part::Circle { middle: tip, radius: length }), who)
            }
        };
        let itself_too = matches!(ability.area, Area::Circle { .. }) || first == who;
        picked.clear();
        let possible = self.candidates(who, ability).iter().copied();
        picked.extend(possible.filter(|other| (itself_too || *other != who) && part.contains(self.place_of(*other))));
        // Stable: at one distance the order of the encounter decides.
        picked.sort_by(|a, b| self.apart(middle, *a).total_cmp(&self.apart(middle, *b)));
        picked.truncate(ability.count as usize);
        Ok(())
    }

    /// The direction from one to another, of length 1; none where they stand at one place.
    fn direction(&self, from: CombatantId, to: CombatantId) -> Option<[f64; 2]> {
        let ([x, y], [to_x, to_y], far) = (self.place_of(from), self.place_of(to), self.apart(from, to));
        (far > HAIR).then(|| [(to_x - x) / far, (to_y - y) / far])
    }

    /// From the one that was picked on to the nearest that was not hit yet, and so on.
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
