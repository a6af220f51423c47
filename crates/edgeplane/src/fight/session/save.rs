//! Saving a fight, to continue it in another process.

use std::sync::Arc;

use super::super::Fight;
use super::super::random::{RandomSource, Sampler, SamplerState};
use super::super::state::State;
use crate::program::{CharacterId, CombatantPlan, JoinPlan, Program, Setup, SideId, stable_hash};

/// Fights of another version of this library may differ.
const VERSION: &str = env!("CARGO_PKG_VERSION");

/// The complete state of a fight, to continue it in another process or after an update of the game, in any serde
/// format. [`crate::Game::load`] continues it.
///
/// The header names the version, the ruleset and the encounter and is compared when loading; the body is exact to the
/// last bit. A checksum covers both.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct SavedFight {
    version: String,
    /// The name of each file of the ruleset, and the hash of its text.
    files: Vec<(String, u64)>,
    policies: u64,
    encounter: String,
    sides: Vec<String>,
    is_placed: bool,
    is_endless: bool,
    combatants: Vec<SavedCombatant>,
    body: Vec<u8>,
    checksum: u64,
}

#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
struct SavedCombatant {
    label: String,
    character: String,
    side: u16,
    spawned: bool,
}

impl SavedFight {
    /// The encounter of the fight; empty for a world without an encounter.
    pub fn encounter(&self) -> &str {
        &self.encounter
    }

    /// A checksum of everything except the header.
    fn sum(&self) -> u64 {
        let head = (&self.encounter, &self.sides, self.is_placed, self.is_endless, &self.combatants);
        stable_hash(&self.body) ^ stable_hash(format!("{head:?}")).rotate_left(1)
    }

    /// The bytes of the body.
    pub fn bytes(&self) -> usize {
        self.body.len()
    }
}

impl Fight<Sampler> {
    /// Saves the current state of the fight.
    ///
    /// ```
    /// use edgeplane::{Game, Log, Time};
    ///
    /// let game = Game::from_text("small.toml", edgeplane::example_text())?;
    /// let mut fight = game.fight("duel", 7)?;
    /// let mut log = Log::default();
    /// fight.advance(Time::from_seconds(2.0), &mut log)?;
    /// let saved = serde_json::to_string(&fight.save()).expect("text");
    ///
    /// let saved = serde_json::from_str(&saved).expect("the same");
    /// let mut loaded = game.load(&saved)?;
    /// assert_eq!(loaded.run(&mut Log::default())?, fight.run(&mut log)?);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn save(&self) -> SavedFight {
        let setup = &*self.setup;
        let kept = (&self.state, self.chance.save());
        // Serialization cannot fail for these types.
        let body = postcard::to_allocvec(&kept).unwrap_or_default();
        let combatant = |(index, plan): (usize, &CombatantPlan)| SavedCombatant {
            label: plan.label.clone(),
            character: setup.program.characters[plan.character.index()].name.clone(),
            side: plan.side.0,
            spawned: setup.script.joins.get(index) == Some(&JoinPlan::Spawned),
        };
        let mut saved = SavedFight {
            version: VERSION.to_owned(),
            files: files(&setup.program),
            policies: policies(&setup.program),
            encounter: setup.name.clone(),
            sides: setup.sides.clone(),
            is_placed: setup.is_placed,
            is_endless: setup.is_endless,
            combatants: setup.combatants.iter().enumerate().map(combatant).collect(),
            checksum: 0,
            body,
        };
        saved.checksum = saved.sum();
        saved
    }

    /// Continues a saved fight under the same ruleset; otherwise the error states the difference.
    pub(crate) fn from_saved(program: &Arc<Program>, saved: &SavedFight) -> Result<Self, String> {
        if saved.version != VERSION {
            return Err(format!("it is of version {}, and this is version {VERSION}", saved.version));
        }
        if let Some(file) = differing_file(&files(program), &saved.files) {
            return Err(format!("it is of another ruleset: {file}"));
        }
        if policies(program) != saved.policies {
            return Err("its policies differ: an ability was forced in one of the two".to_owned());
        }
        let setup = Arc::new(setup(program, saved)?);
        let damaged = || "it is damaged".to_owned();
        if saved.sum() != saved.checksum {
            return Err(damaged());
        }
        let (mut state, chance): (State, SamplerState) = postcard::from_bytes(&saved.body).map_err(|_| damaged())?;
        let mut fight = Self::with_chance(Arc::clone(&setup), Sampler::default(), 0);
        if !state.fits(&fight.state) {
            return Err(damaged());
        }
        fight.chance.load(&chance);
        state.rosters.refresh(&setup, &state.combatants);
        fight.state = state;
        Ok(fight)
    }
}

fn setup(program: &Arc<Program>, saved: &SavedFight) -> Result<Setup, String> {
    if let Some(one) = saved.combatants.iter().find(|one| usize::from(one.side) >= saved.sides.len()) {
        return Err(format!("`{}` is on side {}, and there are {}", one.label, one.side, saved.sides.len()));
    }
    let id = |name: &str| -> Result<CharacterId, String> {
        program.find_character(name).ok_or_else(|| format!("the ruleset has no character `{name}`"))
    };
    let mut setup = if saved.encounter.is_empty() {
        let own = saved.combatants.iter().filter(|one| !one.spawned);
        let plan = |one: &SavedCombatant| {
            Ok(CombatantPlan { label: one.label.clone(), character: id(&one.character)?, side: SideId(one.side) })
        };
        let own = own.map(plan).collect::<Result<Vec<_>, String>>()?;
        Setup::among(program, saved.sides.clone(), own, saved.is_placed)
    } else {
        let encounter = program.find_encounter(&saved.encounter);
        Setup::of(program, encounter.ok_or_else(|| format!("the ruleset has no encounter `{}`", saved.encounter))?)
    };
    let spawned = saved.combatants.iter().filter(|one| one.spawned);
    let spawned = spawned.map(|one| Ok((id(&one.character)?, SideId(one.side)))).collect::<Result<Vec<_>, String>>()?;
    if !spawned.is_empty() {
        setup = setup.extended(&spawned);
    }
    setup.is_endless = saved.is_endless;
    let labels = setup.combatants.iter().map(|plan| &plan.label);
    if setup.sides != saved.sides || !labels.eq(saved.combatants.iter().map(|one| &one.label)) {
        return Err(format!("others fight in `{}`", saved.encounter));
    }
    Ok(setup)
}

fn files(program: &Program) -> Vec<(String, u64)> {
    program.sources().files().iter().map(|file| (file.name().to_owned(), stable_hash(file.text()))).collect()
}

/// Changes by forced abilities, which are in no file.
fn policies(program: &Program) -> u64 {
    let places =
        program.characters.iter().map(|plan| plan.policy.uses.iter().map(|line| line.place).collect::<Vec<_>>());
    stable_hash(format!("{:?}", places.collect::<Vec<_>>()))
}

fn differing_file(now: &[(String, u64)], saved: &[(String, u64)]) -> Option<String> {
    let differs = now.iter().zip(saved).find(|(now, saved)| now.1 != saved.1);
    match differs {
        Some(((name, _), _)) => Some(format!("`{name}` differs")),
        None if now.len() != saved.len() => Some(format!("it has {} files instead of {}", now.len(), saved.len())),
        None => None,
    }
}
