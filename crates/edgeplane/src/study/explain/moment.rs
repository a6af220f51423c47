//! The state of a fight at one moment: numbers, statuses, actions, and available abilities of everyone.

use std::sync::Arc;

use serde::Serialize;

use super::character::part_text;
use crate::error::Error;
use crate::fight::{Action, Fight, Sampler, Silent, UnavailableReason, describe_reason};
use crate::numbers::{Extremes, plain};
use crate::program::{CombatantId, PoolId, Setup, Slot, Time};

/// The state of a fight at one moment.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Moment {
    /// The encounter.
    pub encounter: String,
    /// The seed.
    pub seed: u64,
    /// The time in seconds: the requested time, or the end of the fight if that is earlier.
    pub at: f64,
    /// Whether the fight had ended.
    pub ended: bool,
    /// All combatants in the order of the encounter.
    pub combatants: Vec<CombatantMoment>,
}

/// The state of one combatant.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct CombatantMoment {
    /// Its label.
    pub who: String,
    /// Its side.
    pub side: String,
    /// Its action: "idle", "walking to silt_crab at 3 m/s", "casting boathook on silt_crab until 3.70 s".
    pub doing: String,
    /// Its position in metres; `None` in an encounter without positions.
    pub place: Option<[f64; 2]>,
    /// Its pools.
    pub pools: Vec<PoolMoment>,
    /// Its attributes in the order of the ruleset.
    pub attributes: Vec<AttributeMoment>,
    /// Its statuses in order of application.
    pub statuses: Vec<StatusMoment>,
    /// Its abilities.
    pub abilities: Vec<AbilityMoment>,
}

/// The state of a pool.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct PoolMoment {
    /// Its name.
    pub name: String,
    /// Its amount.
    pub holds: f64,
    /// Its cap; `None` if it has no bound.
    pub max: Option<f64>,
    /// The gain per second or per portion; negative for a loss.
    pub rate: f64,
    /// Seconds between portions; `None` for a continuous flow.
    pub portions: Option<f64>,
}

/// The state of an attribute.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct AttributeMoment {
    /// Its name, with the damage type for per-type attributes.
    pub name: String,
    /// Its value.
    pub value: f64,
    /// Its value at the beginning of the fight.
    pub at_start: f64,
    /// The current contributions of statuses: "+ 35 braced".
    pub statuses: Vec<String>,
}

/// The state of a status.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct StatusMoment {
    /// Its name.
    pub name: String,
    /// The combatant that applied it.
    pub from: String,
    /// The number of stacks.
    pub stacks: u32,
    /// Seconds until it ends; `None` if it does not end by itself.
    pub remaining: Option<f64>,
    /// Its tags.
    pub tags: Vec<String>,
}

/// The state of an ability.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct AbilityMoment {
    /// Its name.
    pub name: String,
    /// Why it cannot be used, whatever the policy wants; `None` if it can.
    pub unavailable: Option<String>,
    /// Seconds until its cooldown ends; 0 if none is running.
    pub ready_in: f64,
}

/// Plays a fight up to a time (in seconds, at least 0) and reads its complete state.
///
/// ```
/// use std::sync::Arc;
/// use edgeplane::study::explain::explain_moment;
/// use edgeplane::{Game, Setup};
///
/// let game = Game::from_text("small.toml", edgeplane::example_text())?;
/// let setup = Arc::new(Setup::of(game.program(), game.encounter("duel")?));
/// let moment = explain_moment(&setup, 1, 2.5)?;
/// assert_eq!(moment.combatants.len(), 2);
/// assert!(moment.combatants[0].pools.iter().any(|pool| pool.name == "health"));
/// # Ok::<(), edgeplane::Error>(())
/// ```
///
/// # Errors
/// [`Error::Fight`] if the fight fails before that.
pub fn explain_moment(setup: &Arc<Setup>, seed: u64, at: f64) -> Result<Moment, Error> {
    let mut fight = Fight::with_chance(Arc::clone(setup), Sampler::default(), seed);
    fight.begin().map_err(Error::from)?;
    let slots: Vec<(String, Slot)> = setup.program().attribute_slots().map(|(name, slot, _)| (name, slot)).collect();
    let who = |index: usize| CombatantId(index as u16);
    let everyone = 0..setup.combatants.len();
    let starts: Vec<Vec<f64>> = everyone
        .clone()
        .map(|index| slots.iter().map(|(_, slot)| fight.attribute(who(index), *slot)).collect())
        .collect();
    let ended = fight.advance(Time::from_seconds(at), &mut Silent).map_err(Error::from)?.is_some();
    let combatants = everyone.map(|index| combatant(&mut fight, setup, who(index), &slots, &starts[index]));
    let combatants = combatants.collect::<Result<Vec<_>, _>>()?;
    let at = if ended { fight.now().seconds() } else { at };
    Ok(Moment { encounter: setup.name.clone(), seed, at, ended, combatants })
}

fn combatant(
    fight: &mut Fight,
    setup: &Setup,
    who: CombatantId,
    slots: &[(String, Slot)],
    starts: &[f64],
) -> Result<CombatantMoment, Error> {
    let program = setup.program();
    let plan = &setup.combatants[who.index()];
    let character = &program.characters()[plan.character.index()];
    let now = fight.now();
    let mut attributes = Vec::new();
    for ((name, slot), at_start) in slots.iter().zip(starts) {
        let parts = fight.contributions(who, *slot).map_err(Error::from)?;
        let statuses = parts.iter().map(|part| part_text(program, part)).collect();
        let value = fight.attribute(who, *slot);
        attributes.push(AttributeMoment { name: name.clone(), value, at_start: *at_start, statuses });
    }
    let mut statuses = Vec::new();
    for held in fight.statuses(who).map_err(Error::from)? {
        let plan = program.status(held.status);
        statuses.push(StatusMoment {
            name: plan.name.clone(),
            from: setup.combatants[held.caster.index()].label.clone(),
            stacks: held.stacks,
            remaining: held.remaining,
            tags: plan.tags.clone(),
        });
    }
    let mut abilities = Vec::new();
    for (index, ability) in program.abilities().iter().enumerate() {
        let id = crate::program::AbilityId(index as u16);
        let reason = fight.why_unavailable(who, id).map_err(Error::from)?;
        let ready = fight.ready_at(who, id);
        if reason == Some(UnavailableReason::NotKnown) || ready.is_none() {
            continue;
        }
        abilities.push(AbilityMoment {
            name: ability.name.clone(),
            unavailable: reason.map(|reason| describe_reason(setup, reason)),
            ready_in: ready.map_or(0.0, |ready| (ready.seconds() - now.seconds()).larger(0.0)),
        });
    }
    let pools = (0..program.pools().len()).filter(|pool| character.pools[*pool]).map(|pool| {
        let id = PoolId(pool as u16);
        let max = Some(fight.cap(who, id)).filter(|cap| cap.is_finite());
        let flow = fight.pool_flow(who, id);
        let (rate, portions) = (flow.rate(), flow.portions());
        PoolMoment { name: program.pools()[pool].name.clone(), holds: fight.pool(who, id), max, rate, portions }
    });
    Ok(CombatantMoment {
        who: plan.label.clone(),
        side: setup.sides[fight.side(who).index()].clone(),
        doing: doing(setup, fight, who),
        place: setup.is_placed.then(|| fight.place(who)),
        pools: pools.collect(),
        attributes,
        statuses,
        abilities,
    })
}

fn doing(setup: &Setup, fight: &Fight, who: CombatantId) -> String {
    let [x, y] = fight.velocity(who);
    let speed = libm::hypot(x, y);
    match fight.action(who) {
        Action::Idle if speed > 0.0 => {
            let toward = fight.walks_to(who).map(|toward| format!(" to {}", setup.combatants[toward.index()].label));
            format!("walking{} at {} m/s", toward.unwrap_or_default(), plain((speed * 100.0).round() / 100.0))
        }
        Action::Idle => "idle".to_owned(),
        Action::Defeated => "defeated".to_owned(),
        Action::Absent => "not there".to_owned(),
        Action::Recovering { until } => format!("recovering until {:.2} s", until.seconds()),
        Action::Casting { ability, target, until, .. } => {
            let (ability, target) = (&setup.program().ability(ability).name, &setup.combatants[target.index()].label);
            format!("casting {ability} on {target} until {:.2} s", until.seconds())
        }
    }
}
