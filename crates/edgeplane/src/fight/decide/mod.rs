//! Decisions of combatants.
//!
//! A line of a policy is a sequence of gates ([`Gate`](super::state::Gate)). A combatant that cannot use anything
//! remembers for each line until when it stays closed, and the inputs of its condition are known from the setup. A line
//! is therefore evaluated again only when that time has come or one of its inputs has changed (see [`signals`]), unless
//! a threshold shows that it stays closed. The first open line is used.

mod areas;
mod at_place;
mod avoid;
mod chase;
mod courses;
mod gates;
pub(super) mod signals;
mod targets;
mod walk;
mod wishes;

use super::engine::{Engine, FightResult, emit};
use super::events::UnavailableReason;
use super::state::timers::{Phase, Timer};
use super::state::{Control, Doing, Gate};
use super::statuses::triggers::TriggerContext;
use crate::program::{CombatantId, CompiledLine, CompiledPolicy, POLL, SiteId, Time, TriggerEvent};

/// The choice of chance among a group of lines.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Choice {
    /// An ability, by its index among all abilities.
    Line(u32),
    /// A line is open, but the reaction time is not over.
    Delayed,
    /// No line is open.
    Nothing,
}

impl Engine<'_> {
    /// All ready combatants decide; then all decisions are carried out. All decisions are based on the same state, so
    /// the order of evaluation gives no advantage.
    pub(super) fn decide_together(&mut self) -> FightResult<()> {
        if let [who] = *self.state.deciders.as_slice() {
            self.state.deciders.clear();
            let combatant = self.state.who_mut(who);
            combatant.decides = false;
            if combatant.doing != Doing::Idle || !combatant.decides_by_itself() {
                return Ok(());
            }
            return match self.decide(who)? {
                Some(index) => self.start(who, index as usize),
                None => {
                    self.wait(who);
                    Ok(())
                }
            };
        }
        self.decide_all()
    }

    fn decide_all(&mut self) -> FightResult<()> {
        let mut decisions = std::mem::take(&mut self.scratch.decisions);
        decisions.clear();
        while let Some(who) = self.state.deciders.pop() {
            let combatant = self.state.who_mut(who);
            combatant.decides = false;
            // It may have started an ability since it was queued.
            if combatant.doing == Doing::Idle && combatant.decides_by_itself() {
                decisions.push((who, None));
            }
        }
        if decisions.len() > 1 {
            decisions.sort_unstable_by_key(|(who, _)| self.state.who(*who).rank);
        }
        for (who, decision) in &mut decisions {
            *decision = self.decide(*who)?;
        }
        for (who, decision) in &decisions {
            let who = *who;
            match *decision {
                Some(index) => self.start(who, index as usize)?,
                None => self.wait(who),
            }
        }
        self.scratch.decisions = decisions;
        Ok(())
    }

    /// The ability that a combatant uses now, by its index among all abilities, with its targets picked; `None` if no
    /// line is open.
    fn decide(&mut self, who: CombatantId) -> FightResult<Option<u32>> {
        if self.has_controller(who) {
            return self.ask_controller(who);
        }
        let setup = self.setup;
        let policy = &setup.policies[who.index()];
        let now = self.state.now;
        let changed = std::mem::take(&mut self.state.who_mut(who).changed_lines);
        let mut wake = Time::NEVER;
        let mut index = 0;
        while let Some(line) = policy.lines.get(index) {
            if let Some(site) = line.draws {
                let same = policy.lines[index..].iter().take_while(|other| other.draws == Some(site)).count();
                let group = index..index + same;
                index = group.end;
                let (choice, group_wake) = self.decide_by_chance(who, policy, group, site, changed)?;
                wake = wake.min(group_wake);
                if choice == Choice::Nothing {
                    continue;
                }
                self.state.who_mut(who).changed_lines |= changed & !(CompiledPolicy::bit(index) - 1);
                return Ok(match choice {
                    Choice::Line(ability) => Some(ability),
                    _ => None,
                });
            }
            let (bit, at) = (CompiledPolicy::bit(index), policy.first_line as usize + index);
            let until = self.state.lines[at].until;
            if changed & bit == 0 && until > now {
                wake = wake.min(until);
                index += 1;
                continue;
            }
            if self.examine(who, line, at, bit)? == Gate::Open {
                let unseen = changed & !(bit - 1);
                self.state.who_mut(who).changed_lines |= unseen | bit;
                if self.has_to_react(who, policy, line, at) {
                    return Ok(None);
                }
                self.aim_line(who, line)?;
                return Ok(Some(line.ability_index));
            }
            wake = wake.min(self.state.lines[at].until);
            self.note_closed(who, policy, index)?;
            index += 1;
        }
        let combatant = self.state.who_mut(who);
        (combatant.wake, combatant.reacts_at) = (wake, Time::NEVER);
        Ok(None)
    }

    /// Evaluates all lines of a group; chance chooses one of the open lines by weight. Also returns the earliest time
    /// at which a line may open without an event.
    fn decide_by_chance(
        &mut self,
        who: CombatantId,
        policy: &CompiledPolicy,
        group: std::ops::Range<usize>,
        site: SiteId,
        changed: u64,
    ) -> FightResult<(Choice, Time)> {
        let now = self.state.now;
        let (mut wake, mut total, mut open, mut steady) = (Time::NEVER, 0.0, 0, true);
        let mut first_open = None;
        let mut weighed = std::mem::take(&mut self.scratch.weighed);
        let mut aims = std::mem::take(&mut self.scratch.aims);
        weighed.clear();
        aims.clear();
        for index in group {
            let line = &policy.lines[index];
            let (bit, at) = (CompiledPolicy::bit(index), policy.first_line as usize + index);
            let until = self.state.lines[at].until;
            if changed & bit == 0 && until > now {
                wake = wake.min(until);
                continue;
            }
            if self.examine(who, line, at, bit)? != Gate::Open {
                wake = wake.min(self.state.lines[at].until);
                self.note_closed(who, policy, index)?;
                continue;
            }
            open |= bit;
            first_open = first_open.or(Some((line, at)));
            let weighs_target = line.weight.is_some_and(|weight| !self.program.formula(weight).is_plain_number());
            steady &= !weighs_target;
            if weighs_target && !line.aims {
                self.pick_targets(who, self.program.ability(line.ability))?;
            }
            if weighs_target || line.aims {
                // The following lines pick their own targets.
                aims.extend(self.scratch.picked.iter().map(|target| (index as u32, *target)));
            }
            total += match line.weight {
                Some(weight) => {
                    let target = if weighs_target { self.scratch.chosen.unwrap_or(who) } else { who };
                    self.positive(weight, &self.frame(who, target))?
                }
                None => 1.0,
            };
            weighed.push((total, index as u32));
        }
        self.state.who_mut(who).changed_lines |= open;
        let delayed = first_open.is_some_and(|(line, at)| self.has_to_react(who, policy, line, at));
        let drawn = if delayed { None } else { self.draw_of(who, site, total, &weighed) };
        let mut of_line = aims.iter().filter(|(line, _)| drawn == Some(*line)).map(|(_, target)| *target).peekable();
        let is_aimed = of_line.peek().is_some();
        if is_aimed {
            self.scratch.picked.clear();
            self.scratch.picked.extend(of_line);
        }
        (self.scratch.weighed, self.scratch.aims) = (weighed, aims);
        if delayed {
            return Ok((Choice::Delayed, wake));
        }
        if let Some(index) = drawn {
            let line = &policy.lines[index as usize];
            if !is_aimed {
                self.pick_targets(who, self.program.ability(line.ability))?;
            }
            self.aim(who);
            return Ok((Choice::Line(line.ability_index), wake));
        }
        // Open lines without weight are weighed again later if their weights can change.
        let again = if open == 0 || steady { Time::NEVER } else { now + POLL };
        Ok((Choice::Nothing, wake.min(again)))
    }

    /// Chooses by cumulative weights; nothing is drawn if only one choice is possible.
    fn draw_of(&mut self, who: CombatantId, site: SiteId, total: f64, weighed: &[(f64, u32)]) -> Option<u32> {
        let before = std::iter::once(0.0).chain(weighed.iter().map(|(sum, _)| *sum));
        let mut possible = weighed.iter().zip(before).filter(|((sum, _), before)| sum > before).map(|(one, _)| *one);
        if possible.clone().count() <= 1 {
            return possible.next().map(|(_, index)| index);
        }
        let drawn = self.chance.uniform(self.stream_of(who, site)) * total;
        possible.clone().find(|(sum, _)| drawn < *sum).or(possible.last()).map(|(_, index)| index)
    }

    /// Whether a combatant that was idle is still within its reaction time to an open line.
    fn has_to_react(&mut self, who: CombatantId, policy: &CompiledPolicy, line: &CompiledLine, at: usize) -> bool {
        let (now, closes) = (self.state.now, self.state.lines[at].until);
        let combatant = self.state.who_mut(who);
        if !combatant.waits || policy.reaction == Time::ZERO {
            return false;
        }
        if combatant.reacts_at == Time::NEVER {
            combatant.reacts_at = now + policy.reaction;
        }
        if combatant.reacts_at <= now {
            combatant.reacts_at = Time::NEVER;
            return false;
        }
        // A line that closes before that is missed.
        combatant.wake = combatant.reacts_at.min(closes);
        if self.state.abilities[line.ability_index as usize].reported.take().is_some() {
            emit!(self, Available { who, ability: line.ability });
        }
        true
    }

    /// Reports why a line is closed, if the reason has changed.
    #[inline]
    fn note_closed(&mut self, who: CombatantId, policy: &CompiledPolicy, index: usize) -> FightResult<()> {
        let line = &policy.lines[index];
        let gate = self.state.lines[policy.first_line as usize + index].gate;
        let ability = &mut self.state.abilities[line.ability_index as usize];
        // The stock gate has several reasons; any other gate has one.
        let known = (ability.reported == Some(gate) && gate != Gate::Stock) || (gate == Gate::NotKnown && line.quiet);
        if known || (line.repeated && self.another_got_further(policy, index, gate)) {
            return Ok(());
        }
        let reason = self.reason_of(who, line, gate)?;
        self.report_unavailable(who, line.ability_index as usize, reason);
        Ok(())
    }

    /// Whether another line of the same ability is closed by a later gate, which is then the reported reason.
    fn another_got_further(&self, policy: &CompiledPolicy, index: usize, gate: Gate) -> bool {
        let ability = policy.lines[index].ability;
        let first = policy.first_line as usize;
        policy.lines.iter().enumerate().any(|(other, line)| {
            let further = self.state.lines[first + other].gate;
            other != index && line.ability == ability && (further > gate || (further == gate && other < index))
        })
    }

    /// Records that an ability is unavailable; emits an event if the reason has changed.
    pub(super) fn report_unavailable(&mut self, who: CombatantId, index: usize, reason: UnavailableReason) {
        let reported = &mut self.state.abilities[index];
        let (gate, kind) = (Gate::of(reason), reason.kind() as u8);
        let same = reported.reported == Some(gate) && reported.reported_kind == kind;
        (reported.reported, reported.reported_kind) = (Some(gate), kind);
        if same {
            return;
        }
        let ability = self.setup.abilities[index].ability;
        emit!(self, Unavailable { who, ability, reason });
        if reason != UnavailableReason::Condition && self.listens(who) {
            let how = TriggerContext { ability: Some(ability), ..TriggerContext::default() };
            self.raise(TriggerEvent::AbilityUnavailable, who, how);
        }
    }

    /// No line is open for now.
    fn wait(&mut self, who: CombatantId) {
        let mut until = self.state.who(who).wake;
        if self.setup.is_placed {
            self.keep_or_plan_way(who);
            let walk = &self.state.walks[who.index()];
            if !walk.plans {
                until = until.min(walk.until);
            }
        }
        self.set_act(who, until, Phase::Ready);
        let combatant = self.state.who_mut(who);
        if !std::mem::replace(&mut combatant.waits, true) {
            emit!(self, Waits { who, until: (until < Time::NEVER).then_some(until) });
        }
    }

    /// A combatant is free to act.
    pub(in crate::fight) fn ready(&mut self, who: CombatantId) {
        let combatant = self.state.who_mut(who);
        combatant.doing = Doing::Idle;
        if std::mem::take(&mut combatant.mobile) {
            self.state.timers.clear(Timer::Walk, who);
        }
        if self.state.who(who).control != Control::Hand {
            self.will_decide(who);
        }
    }
}

impl Gate {
    /// The gate that corresponds to a reason.
    fn of(reason: UnavailableReason) -> Self {
        match reason {
            UnavailableReason::OutOfTheFight | UnavailableReason::Busy { .. } => Self::Unknown,
            UnavailableReason::NotKnown => Self::NotKnown,
            UnavailableReason::Forbidden { .. } => Self::Forbidden,
            UnavailableReason::Locked => Self::Locked,
            UnavailableReason::OnCooldown { .. } => Self::Cooldown,
            UnavailableReason::NoCharge { .. } | UnavailableReason::UsedUp | UnavailableReason::NotOpen { .. } => {
                Self::Stock
            }
            UnavailableReason::Condition => Self::Condition,
            UnavailableReason::NoTarget => Self::Target,
            UnavailableReason::OutOfReach { .. } => Self::Reach,
            UnavailableReason::CannotAfford { .. } => Self::Cost,
        }
    }
}
