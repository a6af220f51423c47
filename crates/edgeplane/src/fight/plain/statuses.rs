//! Statuses that only change numbers and tick: what is known of them beforehand.

use super::settled::{MOST_STATUSES, Reads};
use crate::program::{
    Again, CombatantId, Effect, OutcomePlan, PoolEffectKind, Read, Setup, StackTimer, StatusId, StatusPlan, Time,
};
use crate::rules::Receiver;

/// Stacks that end each on its own: so many are kept.
pub(super) const MOST_ENDS: usize = 16;

/// A status of a plain fight.
#[derive(Clone, Copy, Debug)]
pub(super) struct SettledStatus {
    pub(super) id: StatusId,
    pub(super) again: Renewal,
    pub(super) most: u32,
    /// Each stack ends on its own.
    pub(super) ends_apart: bool,
    /// A renewal begins the rhythm of its ticks anew.
    pub(super) restarts: bool,
}

/// What a second application does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Renewal {
    Nothing,
    Refresh,
    Extend,
    /// More stacks; all share the renewed timer.
    Stack,
    /// More stacks; the first timer runs on.
    StackUp,
    /// More stacks, which end each on its own.
    StackApart,
}

impl Renewal {
    fn of(plan: &StatusPlan) -> Option<Self> {
        Some(match (plan.again, plan.stack_timer) {
            (Again::Keep, _) => Self::Nothing,
            (Again::Refresh, _) => Self::Refresh,
            (Again::Extend, _) if plan.longest.is_none() => Self::Extend,
            (Again::Stack, StackTimer::Refresh) => Self::Stack,
            (Again::Stack, StackTimer::Keep) => Self::StackUp,
            (Again::Stack, StackTimer::Each) => Self::StackApart,
            _ => return None,
        })
    }
}

impl SettledStatus {
    pub(super) const NOTHING: Self =
        Self { id: StatusId(0), again: Renewal::Nothing, most: 0, ends_apart: false, restarts: false };
}

/// How long an application lasts, and how it ticks.
#[derive(Clone, Copy, Debug)]
pub(super) struct Span {
    pub(super) duration: Time,
    /// Zero for a status without ticks.
    pub(super) period: Time,
    /// Ticks from start to end.
    pub(super) ticks: f64,
    /// How likely it is resisted.
    pub(super) resist: f64,
}

/// Which statuses abilities in use can bring about, on whom and by whom.
#[derive(Clone, Debug, Default)]
pub(super) struct Reach {
    pub(super) statuses: Vec<StatusId>,
    /// For each fighter and status.
    pub(super) holds: Vec<[bool; MOST_STATUSES]>,
    /// By whom, one bit for each fighter.
    pub(super) by: Vec<[u64; MOST_STATUSES]>,
}

impl Reach {
    pub(super) fn of_nothing(fighters: usize) -> Self {
        Self { statuses: Vec::new(), holds: vec![Default::default(); fighters], by: vec![Default::default(); fighters] }
    }

    /// Notes that a status can come to somebody; nothing if there are too many of them.
    pub(super) fn note(&mut self, status: StatusId, caster: CombatantId, target: CombatantId) -> Option<()> {
        let place = self.place(status).unwrap_or(self.statuses.len());
        if place == self.statuses.len() {
            self.statuses.push(status);
        }
        *self.holds.get_mut(target.index())?.get_mut(place)? = true;
        self.by[target.index()][place] |= 1 << caster.0;
        Some(())
    }

    pub(super) fn place(&self, status: StatusId) -> Option<usize> {
        self.statuses.iter().position(|known| *known == status)
    }

    /// What is known of the statuses, if all of them do nothing but change numbers and tick.
    pub(super) fn settled_statuses(&self, setup: &Setup) -> Option<Vec<SettledStatus>> {
        let program = &setup.program;
        let mut all = Vec::new();
        let mut bits = 0;
        for (place, id) in self.statuses.iter().enumerate() {
            let plan = program.status(*id);
            let by_one = self.by.iter().all(|by| by[place].count_ones() <= 1);
            let again = Renewal::of(plan)?;
            if !is_plain(setup, plan) || (plan.per_caster && !by_one) {
                return None;
            }
            bits |= program.counted(*id);
            all.push(SettledStatus {
                id: *id,
                again,
                most: plan.max_stacks,
                ends_apart: again == Renewal::StackApart,
                restarts: plan.every.as_ref().is_some_and(|every| every.restart),
            });
        }
        (setup.asked_statuses & bits == 0).then_some(all)
    }
}

fn is_plain(setup: &Setup, plan: &StatusPlan) -> bool {
    let program = &setup.program;
    let stacks = plan.max_stacks > 0 && (plan.stack_timer != StackTimer::Each || plan.max_stacks <= MOST_ENDS as u32);
    // What binds forbids, listens, holds under a condition or taunts.
    let quiet = !plan.binds && plan.triggers.is_empty() && plan.at_max.is_empty() && !plan.consume && !plan.interrupts;
    let bare = plan.kept.is_empty() && plan.rank.is_none() && plan.holds_while.is_none() && plan.warn.is_none();
    let simple = plan.changes_by_tick == 0 && !plan.worn && !plan.point;
    let tagged = |tags: &[u16]| tags.iter().any(|tag| plan.tag_ids.contains(tag));
    let immune = setup.combatants.iter().any(|one| tagged(&program.characters[one.character.index()].immune))
        || program.statuses().iter().any(|other| tagged(&other.immune))
        || program.diminish.iter().any(|group| tagged(&[group.tag]));
    let ticks = plan
        .every
        .as_ref()
        .is_none_or(|every| !every.first_now && !every.part_tick && every.does.iter().all(is_plain_tick));
    stacks && quiet && bare && simple && !immune && ticks && changes_by_stacks(setup, plan)
}

/// A tick hits or restores, and who that is for is known.
fn is_plain_tick(outcome: &OutcomePlan) -> bool {
    let effect = match &outcome.effect {
        Effect::Hit(_) => true,
        Effect::Pool(effect) => matches!(effect.kind, PoolEffectKind::Restore),
        _ => false,
    };
    effect && matches!(outcome.to, Receiver::Target | Receiver::Caster | Receiver::Owner)
}

/// Whether what it does to attributes hangs on its stacks and on its owner's attributes, and on nothing else.
fn changes_by_stacks(setup: &Setup, plan: &StatusPlan) -> bool {
    let nobody = Reads::own(CombatantId(0), 0);
    plan.modifiers.iter().all(|modifier| {
        let mut own = true;
        setup.program.formula(modifier.amount).each_read(|read| own &= !matches!(read, Read::Standing(..)));
        own && nobody.and(&setup.program, modifier.amount).is_some()
    })
}
