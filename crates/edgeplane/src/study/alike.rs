//! Groups combatants of one kind: twenty nearly identical rows would hide the rest of a table.

use super::statistics::{Estimate, Proportion};
use super::trials::{AbilityFigures, CombatantFigures, StatusFigures, StatusSourceFigures, Trials};

/// The number of combatants of one kind from which they are grouped.
pub const MANY_OF_A_KIND: usize = 6;

impl Trials {
    /// The same figures with combatants of one kind grouped if there are [`MANY_OF_A_KIND`]: consecutive, numbered
    /// combatants of one side. Each figure is the average for one of them. An interval is the average of their
    /// intervals, and therefore at least as wide as required.
    #[must_use]
    pub fn kinds_together(&self) -> Self {
        let mut trials = self.clone();
        let kinds = self.combatants.chunk_by(follows);
        trials.combatants = kinds
            .flat_map(|kind| if kind.len() < MANY_OF_A_KIND { kind.to_vec() } else { vec![as_one(kind)] })
            .collect();
        trials
    }

    /// Whether any kind is that numerous.
    pub fn has_many_of_a_kind(&self) -> bool {
        self.combatants.chunk_by(follows).any(|kind| kind.len() >= MANY_OF_A_KIND)
    }
}

/// The name and the number of a numbered combatant, and its side if the label contains it: `eel`, 3 and ` (water)`.
fn numbered(label: &str) -> Option<(&str, u64, &str)> {
    let (label, side) = label.split_at(label.find(" (").unwrap_or(label.len()));
    let (name, number) = label.rsplit_once(' ')?;
    Some((name, number.parse().ok()?, side))
}

fn follows(one: &CombatantFigures, next: &CombatantFigures) -> bool {
    let numbers = numbered(&one.combatant).zip(numbered(&next.combatant));
    one.side == next.side && numbers.is_some_and(|(a, b)| a.0 == b.0 && a.1 + 1 == b.1)
}

fn as_one(kind: &[CombatantFigures]) -> CombatantFigures {
    let ends = kind.first().zip(kind.last());
    let label = ends.and_then(|(first, last)| {
        let ((name, from, side), (_, to, _)) = numbered(&first.combatant).zip(numbered(&last.combatant))?;
        Some(format!("{name} {from}–{to}{side}"))
    });
    let abilities = names(kind, |one| one.abilities.iter().map(|of| &of.ability));
    let sources = names(kind, |one| one.by_status.iter().map(|of| &of.status));
    let statuses = names(kind, |one| one.statuses.iter().map(|of| &of.status));
    CombatantFigures {
        combatant: label.unwrap_or_default(),
        side: kind.first().map(|one| one.side.clone()).unwrap_or_default(),
        defeated: proportion(kind),
        damage_per_second: estimate(kind, |one| &one.damage_per_second),
        healing_per_second: estimate(kind, |one| &one.healing_per_second),
        idle: mean(kind, |one| one.idle),
        abilities: abilities.iter().map(|name| ability(kind, name)).collect(),
        by_status: sources.iter().map(|name| source(kind, name)).collect(),
        statuses: statuses.iter().map(|name| status(kind, name)).collect(),
    }
}

/// All names in the group, in order of first appearance.
fn names<'a, I: Iterator<Item = &'a String>>(
    kind: &'a [CombatantFigures],
    of: impl Fn(&'a CombatantFigures) -> I,
) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for name in kind.iter().flat_map(of) {
        if !names.contains(name) {
            names.push(name.clone());
        }
    }
    names
}

fn mean<T>(all: &[T], value: impl Fn(&T) -> f64) -> f64 {
    all.iter().map(value).sum::<f64>() / all.len() as f64
}

/// A share of a whole; 0 if the whole is 0.
fn share(part: f64, whole: f64) -> f64 {
    if whole > 0.0 { part / whole } else { 0.0 }
}

/// The interval of a mean is at most as wide as the average of the intervals, whatever their dependence.
fn proportion(kind: &[CombatantFigures]) -> Proportion {
    Proportion {
        count: kind.iter().map(|one| one.defeated.count).sum::<u64>() / kind.len() as u64,
        value: mean(kind, |one| one.defeated.value),
        low: mean(kind, |one| one.defeated.low),
        high: mean(kind, |one| one.defeated.high),
    }
}

fn estimate(kind: &[CombatantFigures], of: impl Fn(&CombatantFigures) -> &Estimate) -> Estimate {
    Estimate {
        mean: mean(kind, |one| of(one).mean),
        low: mean(kind, |one| of(one).low),
        high: mean(kind, |one| of(one).high),
        deviation: mean(kind, |one| of(one).deviation),
    }
}

/// Shares of reasons, or counts, averaged over the group.
fn reasons<'a>(
    kind: &'a [CombatantFigures],
    of: impl Fn(&'a CombatantFigures) -> Option<&'a Vec<(String, f64)>>,
) -> Vec<(String, f64)> {
    let mut sums: Vec<(String, f64)> = Vec::new();
    for (reason, value) in kind.iter().filter_map(of).flatten() {
        match sums.iter_mut().find(|(known, _)| known == reason) {
            Some((_, sum)) => *sum += value,
            None => sums.push((reason.clone(), *value)),
        }
    }
    sums.iter_mut().for_each(|(_, sum)| *sum /= kind.len() as f64);
    sums
}

/// The total damage of a combatant, by abilities and by statuses.
fn damage_of(one: &CombatantFigures) -> f64 {
    let abilities: f64 = one.abilities.iter().map(|of| of.damage).sum();
    abilities + one.by_status.iter().map(|of| of.damage).sum::<f64>()
}

fn ability(kind: &[CombatantFigures], name: &str) -> AbilityFigures {
    let all = |value: fn(&AbilityFigures) -> f64| {
        mean(kind, |one| one.abilities.iter().find(|of| of.ability == name).map_or(0.0, value))
    };
    AbilityFigures {
        ability: name.to_owned(),
        uses: all(|of| of.uses),
        hits: all(|of| of.hits),
        stopped: share(all(|of| of.stopped * of.hits), all(|of| of.hits)),
        damage: all(|of| of.damage),
        damage_share: share(all(|of| of.damage), mean(kind, damage_of)),
        overkill: all(|of| of.overkill),
        healing: all(|of| of.healing),
        overheal: all(|of| of.overheal),
        unavailable: reasons(kind, |one| Some(&one.abilities.iter().find(|of| of.ability == name)?.unavailable)),
    }
}

fn source(kind: &[CombatantFigures], name: &str) -> StatusSourceFigures {
    let all = |value: fn(&StatusSourceFigures) -> f64| {
        mean(kind, |one| one.by_status.iter().find(|of| of.status == name).map_or(0.0, value))
    };
    StatusSourceFigures {
        status: name.to_owned(),
        ticks: all(|of| of.ticks),
        damage: all(|of| of.damage),
        damage_share: share(all(|of| of.damage), mean(kind, damage_of)),
        overkill: all(|of| of.overkill),
        healing: all(|of| of.healing),
        overheal: all(|of| of.overheal),
    }
}

fn status(kind: &[CombatantFigures], name: &str) -> StatusFigures {
    let all = |value: fn(&StatusFigures) -> f64| {
        mean(kind, |one| one.statuses.iter().find(|of| of.status == name).map_or(0.0, value))
    };
    StatusFigures {
        status: name.to_owned(),
        applied: all(|of| of.applied),
        uptime: all(|of| of.uptime),
        mean_stacks: share(all(|of| of.mean_stacks * of.uptime), all(|of| of.uptime)),
        prevented: reasons(kind, |one| Some(&one.statuses.iter().find(|of| of.status == name)?.prevented)),
    }
}
