//! Sources of chance: samplers, recorded lists, and enumeration of all outcomes.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::collections::BTreeSet;

use crate::common::demo;
use edgeplane::fight::{Branching, Likely, RandomSource, Recorded, Sampler, seed_of_trial, stream_seed};
use edgeplane::program::{Chance, StreamId};

const ONE: StreamId = StreamId(0);
const OTHER: StreamId = StreamId(1);
const DRAWS: u32 = 100_000;

fn sampler(seed: u64) -> Sampler {
    let mut sampler = Sampler::default();
    sampler.begin(seed, &[11, 12].into());
    sampler
}

/// Whether a count is within four deviations of its expectation for this number of draws and this chance.
fn plausible(count: u32, p: f64) -> bool {
    let (n, expected) = (f64::from(DRAWS), f64::from(DRAWS) * p);
    (f64::from(count) - expected).abs() < 4.0 * (n * p * (1.0 - p)).sqrt()
}

#[test]
fn a_sampler_keeps_to_its_chances() {
    let mut sampler = sampler(1);
    for p in [0.001, 0.1, 0.5, 0.75, 0.999] {
        let count = (0..DRAWS).filter(|_| sampler.chance(ONE, p)).count() as u32;
        assert!(plausible(count, p), "{count} of {DRAWS} at {p}");
    }
    let mut faces = [0_u32; 6];
    (0..DRAWS).for_each(|_| faces[sampler.pick(ONE, 6) as usize] += 1);
    assert!(faces.iter().all(|count| plausible(*count, 1.0 / 6.0)), "{faces:?}");
    let draws: Vec<f64> = (0..DRAWS).map(|_| sampler.uniform(ONE)).collect();
    assert!(draws.iter().all(|draw| (0.0..1.0).contains(draw)));
    let mean = draws.iter().sum::<f64>() / f64::from(DRAWS);
    assert!((mean - 0.5).abs() < 4.0 * (1.0 / 12.0_f64 / f64::from(DRAWS)).sqrt(), "{mean}");
}

#[test]
fn certain_chances_draw_nothing() {
    let (mut asked, mut spared) = (sampler(5), sampler(5));
    for _ in 0..10 {
        assert!(asked.chance(ONE, 1.0) && asked.chance(ONE, 2.0));
        assert!(!asked.chance(ONE, 0.0) && !asked.chance(ONE, -1.0));
    }
    assert_eq!(asked.uniform(ONE).to_bits(), spared.uniform(ONE).to_bits());
    let mut recorded = Recorded::new(vec![0.3]);
    assert!(recorded.chance(ONE, 1.0) && !recorded.chance(ONE, 0.0));
    assert!(recorded.chance(ONE, 0.31), "the answer is still there");
}

#[test]
fn streams_do_not_disturb_each_other() {
    let (mut alone, mut together) = (sampler(3), sampler(3));
    for _ in 0..1_000 {
        together.uniform(OTHER);
        assert_eq!(alone.uniform(ONE).to_bits(), together.uniform(ONE).to_bits());
    }
    let mut both = sampler(4);
    let alike = (0..1_000).filter(|_| (both.uniform(ONE) < 0.5) == (both.uniform(OTHER) < 0.5)).count();
    assert!((430..570).contains(&alike), "{alike} of 1000 alike");
}

/// Draws are counted in two bytes while that is enough.
#[test]
fn a_stream_goes_on_past_any_count_and_comes_back_to_where_it_was() {
    let (mut straight, mut other) = (sampler(6), sampler(6));
    let draws: Vec<u64> = (0..140_000).map(|_| straight.uniform(ONE).to_bits()).collect();
    assert_eq!(draws.iter().collect::<BTreeSet<_>>().len(), draws.len(), "it never begins again");
    for kept in [65_535, 65_536, 65_537, 131_072, 139_000] {
        let mut before = sampler(6);
        (0..kept).for_each(|_| _ = before.uniform(ONE));
        let (first, second) = (before.uniform(OTHER), before.uniform(OTHER));
        other.load(&before.save());
        other.rename(&[12, 13, 11].into());
        assert_eq!(other.uniform(StreamId(2)).to_bits(), draws[kept], "{kept}");
        other.rename(&[11, 12].into());
        assert!(first != second && ![first, second].contains(&other.uniform(OTHER)));
        assert_eq!(other.uniform(ONE).to_bits(), draws[kept + 1], "{kept}");
    }
}

#[test]
fn seeds_differ_by_trial_study_and_stream() {
    let mut seeds = BTreeSet::new();
    for study in 0..20 {
        seeds.extend((0..500).map(|trial| seed_of_trial(study, trial)));
    }
    assert_eq!(seeds.len(), 10_000);
    let mut streams = BTreeSet::new();
    for seed in 0..100 {
        streams.extend((0..100).map(|name| stream_seed(seed, name)));
    }
    assert_eq!(streams.len(), 10_000);
}

#[test]
fn streams_are_named_by_combatant_and_place() {
    let fight = demo().fight("night_shift", 1).unwrap();
    let setup = fight.setup();
    let places = [
        "tie-break",
        "hit_steps.dodge.when",
        "hit_steps.critical.when",
        "ability.lash.targets.pick",
        "ability.toll.does.0.damage",
    ];
    let mut names = BTreeSet::new();
    for who in setup.ids() {
        for place in places {
            names.insert(setup.stream(who, place).unwrap_or_else(|| panic!("nothing is drawn at {place}")));
        }
        assert!(setup.stream(who, "hit_steps.guard.amount").is_none());
    }
    assert_eq!(names.len(), places.len() * setup.combatants.len());
}

#[test]
fn a_recorded_list_is_drawn_in_turn_and_then_with_a_half() {
    let mut recorded = Recorded::new(vec![0.1, 0.9, 0.99]);
    recorded.begin(7, &[].into());
    assert!(recorded.chance(ONE, 0.2));
    assert_eq!(recorded.uniform(OTHER), 0.9);
    assert_eq!(recorded.pick(ONE, 10), 9);
    assert_eq!((recorded.uniform(ONE), recorded.pick(ONE, 10)), (0.5, 5));
    recorded.begin(8, &[].into());
    assert_eq!(recorded.uniform(ONE), 0.1);
}

#[test]
fn likely_is_the_likelier_way() {
    assert!(Likely.chance(ONE, 0.5) && !Likely.chance(ONE, 0.49));
    assert_eq!((Likely.pick(ONE, 7), Likely.uniform(ONE)), (3, 0.5));
}

/// Sums of weights over all branches of a small game, by outcome.
fn walk(parts: u32, game: impl Fn(&mut Branching) -> i64) -> Vec<(i64, f64)> {
    let mut chance = Branching::new(parts);
    let mut sums = std::collections::BTreeMap::new();
    loop {
        let came_to = game(&mut chance);
        *sums.entry(came_to).or_insert(0.0) += chance.weight();
        if !chance.next_branch() {
            return sums.into_iter().collect();
        }
    }
}

#[test]
fn branches_carry_their_probabilities() {
    let two_dice = walk(1, |chance| i64::from(chance.pick(ONE, 6) + chance.pick(ONE, 6) + 2));
    for (sum, weight) in &two_dice {
        let ways = 6 - (sum - 7).abs();
        assert!((weight - ways as f64 / 36.0).abs() < 1e-12, "{sum}: {weight}");
    }
    assert_eq!(two_dice.len(), 11);
    // The second question is asked only if the first is true.
    let nested = walk(1, |chance| i64::from(chance.chance(ONE, 0.25) && chance.chance(ONE, 0.5)));
    assert!((nested[1].1 - 0.125).abs() < 1e-12 && (nested[0].1 - 0.875).abs() < 1e-12);
    let certain = walk(1, |chance| i64::from(chance.chance(ONE, 1.0)) + i64::from(chance.chance(ONE, 0.0)));
    assert_eq!(certain, [(1, 1.0)]);
    let cut = walk(4, |chance| (chance.uniform(ONE) * 1_000.0) as i64);
    assert_eq!(cut, [(125, 0.25), (375, 0.25), (625, 0.25), (875, 0.25)]);
}

/// Whether each of a number of hits was stopped, with this chance.
fn stopped(chance: &str, hits: u32) -> Vec<bool> {
    let game = crate::common::game(&format!(
        r#"
        [pools]
        health = {{ max = 1e9, defeat = true }}
        [[hit_steps]]
        name = "dodge"
        when = "{chance}"
        stop = "dodged"
        [ability.jab]
        cooldown = 0.01
        does = [{{ damage = 1 }}]
        [character.one]
        abilities = ["jab"]
        [character.other]
        [encounter.row]
        sides.a = ["one"]
        sides.b = ["other"]
        time_limit = {}
        "#,
        f64::from(hits) * 0.01
    ));
    let (_, log) = game.play("row", 5).unwrap();
    let hit = |logged: &edgeplane::fight::Logged| match logged.event {
        edgeplane::fight::Event::Hit { stopped, .. } => Some(stopped.is_some()),
        _ => None,
    };
    log.events.iter().filter_map(hit).collect()
}

#[test]
fn a_streak_bounds_the_misses_and_keeps_the_share() {
    for (p, streak) in [(0.3, 4), (0.25, 10), (0.5, 1), (0.05, 25)] {
        let draws = stopped(&format!("roll({p}, streak = {streak})"), 40_000);
        let longest = draws.split(|hit| *hit).map(<[bool]>::len).max().unwrap();
        assert!(longest <= streak, "{p}: {longest} misses in a row");
        assert_eq!(longest, streak, "{p}: as many come now and then");
        let share = draws.iter().filter(|hit| **hit).count() as f64 / draws.len() as f64;
        // Rows of misses that end early vary less than independent draws, so the deviation of those bounds theirs.
        let deviation = (p * (1.0 - p) / draws.len() as f64).sqrt();
        assert!((share - p).abs() < 4.0 * deviation, "{p}: {share}");
    }
    // A changed chance applies at once.
    let draws = stopped("roll(if(now < 200, 0.2, 0.6), streak = 8)", 40_000);
    for (p, part) in [(0.2, &draws[..19_990]), (0.6, &draws[20_010..])] {
        let share = part.iter().filter(|hit| **hit).count() as f64 / part.len() as f64;
        assert!((share - p).abs() < 0.014, "{p}: {share}");
    }
    // At the smallest possible chance, every row has its maximum length.
    let draws = stopped("roll(20%, streak = 4)", 100);
    assert!(draws.iter().enumerate().all(|(at, hit)| *hit == (at % 5 == 4)), "{draws:?}");
}
