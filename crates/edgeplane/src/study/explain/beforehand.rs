//! Initial statuses for explanations.

use crate::error::Error;
use crate::fight::{Event, Fight, Log, Prevention, RandomSource};
use crate::program::{CombatantId, Program, StatusId, StatusKind};

/// Initial statuses of two characters, with stacks. A debuff is applied by the other character, any other status by its
/// owner, and none is resisted.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Beforehand {
    /// Those of the caster.
    pub caster: Vec<(StatusId, u32)>,
    /// Those of the target; for a caster that is its own target, these too.
    pub target: Vec<(StatusId, u32)>,
}

impl Beforehand {
    /// In words: "lockhand has braced", "silt_crab has waterlogged, 3 stacks".
    pub(super) fn in_words(&self, program: &Program, caster: &str, target: &str) -> Vec<String> {
        let line = |who: &str, (status, stacks): &(StatusId, u32)| {
            let stacks = if *stacks == 1 { String::new() } else { format!(", {stacks} stacks") };
            format!("{who} has {}{stacks}", program.status(*status).name)
        };
        let of_caster = self.caster.iter().map(|one| line(caster, one));
        of_caster.chain(self.target.iter().map(|one| line(target, one))).collect()
    }

    /// Begins a fight with the initial state of both, and applies these statuses in addition.
    pub(super) fn begin<C: RandomSource>(&self, fight: &mut Fight<C>, target: CombatantId) -> Result<(), Error> {
        fight.begin()?;
        let caster = CombatantId(0);
        let all = [(&self.caster, caster, target), (&self.target, target, caster)];
        for (statuses, owner, other) in all {
            for (status, stacks) in statuses {
                apply(fight, (*status, *stacks), owner, other)?;
            }
        }
        Ok(())
    }
}

fn apply<C: RandomSource>(
    fight: &mut Fight<C>,
    (status, stacks): (StatusId, u32),
    owner: CombatantId,
    other: CombatantId,
) -> Result<(), Error> {
    let mut log = Log::default();
    let is_bad = fight.setup().program().status(status).kind == StatusKind::Debuff;
    let caster = if is_bad { other } else { owner };
    if fight.apply_status_if(status, (caster, owner), stacks, false, &mut log)? {
        return Ok(());
    }
    let prevented = log.events.iter().find_map(|logged| match logged.event {
        Event::StatusPrevented { reason, .. } => Some(reason),
        _ => None,
    });
    let setup = fight.setup();
    Err(Error::NotApplied {
        status: setup.program().status(status).name.clone(),
        to: setup.combatants[owner.index()].label.clone(),
        reason: prevented.map_or_else(String::new, |reason| Prevention::NAMES[reason.kind()].replace('_', " ")),
    })
}
