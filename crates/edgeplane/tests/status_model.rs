//! Statuses compared with a model of one page: for any sequence of applications, stacks and ends are as the guide says.

#![allow(clippy::unwrap_used, clippy::panic, missing_docs)]

use crate::common::scene::{ONE, OTHER, OWNER, scene, waiting};
use edgeplane::{CombatantId, Silent, Time};
use proptest::prelude::*;

/// The duration of the model's status, in milliseconds.
const LASTS: u64 = 2_500;
const MOST: usize = 4;
const LONGEST: u64 = 6_000;

#[derive(Clone, Copy, Debug, PartialEq)]
enum Policy {
    Keep,
    Refresh,
    Extend,
    Replace,
    Longest,
    StackRefresh,
    StackKeep,
    StackEach,
    Separate,
}

const POLICIES: [(Policy, &str); 9] = [
    (Policy::Keep, "reapply = \"keep\""),
    (Policy::Refresh, "reapply = \"refresh\""),
    (Policy::Extend, "reapply = \"extend\"\nlongest = 6"),
    (Policy::Replace, "reapply = \"replace\""),
    (Policy::Longest, "reapply = \"longest\""),
    (Policy::StackRefresh, "reapply = \"stack\"\nmax_stacks = 4"),
    (Policy::StackKeep, "reapply = \"stack\"\nstack_timer = \"keep\"\nmax_stacks = 4"),
    (Policy::StackEach, "reapply = \"stack\"\nstack_timer = \"each\"\nmax_stacks = 4"),
    (Policy::Separate, "reapply = \"separate\"\nmax_instances = 4"),
];

/// One record of the model: the end of each of its stacks, in milliseconds.
#[derive(Clone, Debug, Default)]
struct Model {
    ends: Vec<u64>,
}

impl Model {
    fn pass(&mut self, now: u64) {
        self.ends.retain(|end| *end > now);
    }

    fn apply(&mut self, policy: Policy, now: u64, stacks: usize) {
        let end = now + LASTS;
        match policy {
            Policy::Separate => {
                if self.ends.len() < MOST {
                    self.ends.push(end);
                }
            }
            Policy::StackEach => {
                for _ in 0..stacks.min(MOST) {
                    if self.ends.len() < MOST {
                        self.ends.push(end);
                    } else {
                        *self.ends.iter_mut().min().unwrap() = end;
                    }
                }
            }
            Policy::StackRefresh => {
                let all = (self.ends.len() + stacks).min(MOST);
                self.ends = vec![end; all];
            }
            Policy::StackKeep => {
                let all = (self.ends.len() + stacks).min(MOST);
                let first = self.ends.first().copied().unwrap_or(end);
                self.ends = vec![first; all];
            }
            Policy::Keep if !self.ends.is_empty() => {}
            Policy::Extend if !self.ends.is_empty() => {
                self.ends[0] = (self.ends[0] + LASTS).min(now + LONGEST);
            }
            Policy::Longest => self.ends = vec![end.max(self.ends.first().copied().unwrap_or(0))],
            Policy::Keep | Policy::Extend | Policy::Refresh | Policy::Replace => self.ends = vec![end],
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    #[test]
    fn stacks_and_ends_are_those_of_the_model(
        which in 0..POLICIES.len(),
        per_caster in any::<bool>(),
        steps in prop::collection::vec((0_u64..2_000, 1_u32..4, any::<bool>()), 1..25),
    ) {
        let (policy, keys) = POLICIES[which];
        let per = if per_caster { "caster" } else { "target" };
        let game = scene(&format!("[status.s]\nduration = 2.5\nper = \"{per}\"\n{keys}\n\
            modify = [{{ attribute = \"might\", add = \"stacks\" }}]"));
        let (status, mut fight) = (game.status("s").unwrap(), waiting(&game));
        let might = game.program().find_attribute("might").unwrap();
        let mut models = [Model::default(), Model::default()];
        let mut now = 0;
        for (wait, stacks, other) in steps {
            now += wait;
            fight.advance(Time(now * 1_000), &mut Silent).unwrap();
            models.iter_mut().for_each(|model| model.pass(now));
            let caster: CombatantId = if other { OTHER } else { ONE };
            fight.apply_status(status, caster, OWNER, stacks, &mut Silent).unwrap();
            let model = &mut models[usize::from(per_caster && other)];
            model.apply(policy, now, stacks as usize);

            let all: usize = models.iter().map(|model| model.ends.len()).sum();
            prop_assert_eq!(fight.stacks(OWNER, status) as usize, all);
            prop_assert_eq!(fight.attribute(OWNER, might), 10.0 + all as f64);
            let last = models.iter().flat_map(|model| &model.ends).max().map(|end| (end - now) as f64 / 1e3);
            let held = fight.statuses(OWNER).unwrap();
            let longest = held.iter().filter_map(|one| one.remaining).max_by(f64::total_cmp);
            prop_assert_eq!(longest, last);
        }
        fight.advance(Time((now + LONGEST + LASTS) * 1_000), &mut Silent).unwrap();
        prop_assert_eq!((fight.stacks(OWNER, status), fight.attribute(OWNER, might)), (0, 10.0));
    }

    /// A number of ticks, evenly over the duration, at the start + k × duration ÷ ticks; a further application
    /// continues that rhythm to its end, or begins a new one if the status had ended.
    #[test]
    fn so_many_ticks_come_at_even_parts_of_the_duration(
        which in prop::sample::select(vec![0_usize, 1, 3, 4]),
        ticks in 1_u64..9,
        waits in prop::collection::vec(0_u64..4_000, 0..6),
    ) {
        let (policy, keys) = POLICIES[which];
        let game = scene(&format!("[status.s]\nduration = 2.5\n{keys}\n\
            every = {{ ticks = {ticks}, does = [{{ damage = 1, type = \"blow\" }}] }}"));
        let (status, mut fight, mut log) = (game.status("s").unwrap(), waiting(&game), edgeplane::Log::default());
        // Start and end of each continuous period, in milliseconds.
        let mut stretches: Vec<(u64, u64)> = Vec::new();
        let mut now = 0;
        for wait in std::iter::once(0).chain(waits) {
            now += wait;
            fight.advance(Time(now * 1_000), &mut log).unwrap();
            fight.apply_status(status, ONE, OWNER, 1, &mut log).unwrap();
            match stretches.last_mut().filter(|(_, end)| *end > now) {
                Some((_, end)) if policy == Policy::Replace => {
                    *end = now;
                    stretches.push((now, now + LASTS));
                }
                Some(_) if policy == Policy::Keep => {}
                Some((_, end)) => *end = now + LASTS,
                None => stretches.push((now, now + LASTS)),
            }
        }
        fight.advance(Time((now + 2 * LASTS) * 1_000), &mut log).unwrap();
        let tick = |event: &edgeplane::fight::Logged| {
            matches!(event.event, edgeplane::Event::StatusTicked { .. }).then_some(event.at.0)
        };
        let found: Vec<u64> = log.events.iter().filter_map(tick).collect();
        let at = |start: u64, k: u64| start * 1_000 + ((k * LASTS * 1_000) as f64 / ticks as f64).round() as u64;
        let of = |&(start, end): &(u64, u64)| (1..100).map(move |k| at(start, k)).filter(move |at| *at <= end * 1_000);
        prop_assert_eq!(found, stretches.iter().flat_map(of).collect::<Vec<_>>());
    }

    /// A fight with statuses that is saved and restored continues as if it had never stopped.
    #[test]
    fn a_fight_that_is_kept_goes_on_alike(
        steps in prop::collection::vec((0_u64..1_500, 0..3_usize), 1..20),
        keep in 0..20_usize,
    ) {
        let game = scene(r#"
            [status.a]
            duration = 3
            reapply = "stack"
            stack_timer = "each"
            max_stacks = 3
            every = { period = 0.7, does = [{ damage = "between(1, 3) * stacks", type = "blow" }] }
            on = [{ event = "lost", chance = 0.5, does = [{ apply = "b" }] }]
            [status.b]
            duration = 2
            reapply = "separate"
            modify = [{ attribute = "guard", times = 0.9 }]
            on = [{ event = "hit_taken", cooldown = 1, does = [{ heal = 1 }] }]
            [status.c]
            duration = 4
            tags = ["k"]
            warn = 1
            every = { period = 1, part_tick = true, does = [{ cleanse = "b" }] }
            [diminish.k]
            window = 6
        "#);
        let names = ["a", "b", "c"].map(|name| game.status(name).unwrap());
        let mut fight = waiting(&game);
        let mut kept = None;
        let (mut log, mut now) = (edgeplane::Log::default(), 0);
        let mut rest = Vec::new();
        for (index, (wait, which)) in steps.iter().enumerate() {
            if index == keep {
                kept = Some((fight.snapshot(), log.events.len()));
            }
            if kept.is_some() {
                rest.push((*wait, *which));
            }
            now += wait;
            fight.advance(Time(now * 1_000), &mut log).unwrap();
            fight.apply_status(names[*which], ONE, OWNER, 2, &mut log).unwrap();
        }
        fight.advance(Time((now + 9_000) * 1_000), &mut log).unwrap();
        let Some((snapshot, printed)) = kept else { return Ok(()) };
        let end = fight.snapshot();
        fight.restore(&snapshot).unwrap();
        let mut again = edgeplane::Log::default();
        let mut at = now - rest.iter().map(|(wait, _)| wait).sum::<u64>();
        for (wait, which) in rest {
            at += wait;
            fight.advance(Time(at * 1_000), &mut again).unwrap();
            fight.apply_status(names[which], ONE, OWNER, 2, &mut again).unwrap();
        }
        fight.advance(Time((now + 9_000) * 1_000), &mut again).unwrap();
        prop_assert_eq!(&log.events[printed..], again.events.as_slice());
        prop_assert_eq!(fight.snapshot(), end);
    }
}
