//! The engine takes shortcuts: hits with their numbers filled in, conditions that are known, looks
//! that compare nothing but cooldowns. None of them may ever show.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::sync::Arc;

use crate::common::{Careful, ONE, OTHER, demo, game};
use edgeplane::fight::{Event, Likely};
use edgeplane::program::Time;
use edgeplane::{Fight, Game, Log, Setup, Silent};

/// Plays the same seeds with and without shortcuts, in one fight that is begun anew again and again
/// and in fresh ones.
pub(crate) fn plays_alike(game: &Game, encounter: &str, seeds: u64) {
    let mut warm = game.fight(encounter, 0).unwrap();
    for seed in 0..seeds {
        let (mut quick, mut careful) = (Log::default(), Careful::default());
        warm.restart(seed);
        let ending = warm.run(&mut quick).unwrap();
        let mut fresh = game.fight(encounter, seed).unwrap();
        assert_eq!(fresh.run(&mut careful).unwrap(), ending, "{encounter}, seed {seed}");
        let differ = quick.events.iter().zip(&careful.0.events).find(|(a, b)| a != b);
        assert_eq!(differ, None, "{encounter}, seed {seed}");
        assert_eq!(quick.events.len(), careful.0.events.len(), "{encounter}, seed {seed}");
    }
}

#[test]
fn every_encounter_of_the_demo_is_the_same_with_and_without_shortcuts() {
    let game = demo();
    for encounter in ["duel", "mirror", "night_shift", "mill_race", "sluice_gate"] {
        plays_alike(&game, encounter, 60);
    }
}

pub(crate) const BUFFETED: &str = r#"
[attributes]
might = 10
poise = { base = "might / 100", max = 0.6 }
[pools]
health = { max = 300, defeat = true }
crust = { max = "30 + might", start = "empty" }
[damage_types]
blow = {}

[[hit_steps]]
name = "slip"
when = "roll(target.poise)"
stop = "slipped"
[[hit_steps]]
name = "hard"
when = "roll(caster.might / 50)"
mark = "hard"
amount = "amount * 1.5"
[[hit_steps]]
name = "held"
soak = "crust"

[status.gusty]
duration = 4
again = "stack"
max_stacks = 5
modify = [{ attribute = "might", add = "2 * stacks" }]

[status.braced]
duration = 3
hit_steps = [{ name = "wall", of = "hits_taken", before = "held", amount = "amount * 0.5" }]

[ability.shove]
cooldown = 1
does = [{ damage = "8 + caster.might / 2", spread = 0.2, type = "blow" }, { inflict = "gusty", to = "caster" }]
[ability.huddle]
targets = "self"
cooldown = 7
does = [{ inflict = "braced" }, { restore = "crust", amount = 15 }]

[policy.plain]
use = [{ ability = "huddle", when = "self.health.share < 70%" }, { ability = "shove" }]
[character.one]
abilities = ["shove", "huddle"]
policy = "plain"
[character.other]
extends = "one"
[encounter.gusts]
sides.one = ["one"]
sides.other = ["other"]
time_limit = 120
"#;

#[test]
fn numbers_filled_in_go_stale_when_attributes_and_stacks_change() {
    plays_alike(&game(BUFFETED), "gusts", 200);
    // Where no cap hangs on what a status changes, the fight takes the shortest way of all.
    let settled = game(&BUFFETED.replace("30 + might", "40"));
    let ways = [&game(BUFFETED), &settled].map(|game| game.fight("gusts", 0).unwrap().takes_shortest_way());
    assert_eq!(ways, [false, true]);
    plays_alike(&settled, "gusts", 200);
    ends_alike(&settled, "gusts", 200..300);
}

#[test]
fn a_base_set_in_mid_fight_is_seen_by_the_next_hit() {
    let game = game(BUFFETED);
    let shove = game.program().find_ability("shove").unwrap();
    let might = game.program().find_attribute("might").unwrap();
    let sides = ["one", "other"].map(|name| (name.to_owned(), vec![game.character(name).unwrap()]));
    let mut fight = Fight::with_chance(Arc::new(Setup::between(game.program(), &sides)), Likely, 0);
    let hit = |fight: &mut Fight<Likely>| {
        let mut log = Log::default();
        fight.bring_about(ONE, shove, OTHER, &mut log).unwrap();
        let dealt = log.events.iter().find_map(|logged| match logged.event {
            Event::Hit { initial, .. } => Some(initial),
            _ => None,
        });
        dealt.unwrap()
    };
    // Each shove also makes its user gustier: two more might each time, up to five times.
    assert_eq!([hit(&mut fight), hit(&mut fight), hit(&mut fight)], [13.0, 14.0, 15.0]);
    fight.set_base(ONE, might, 40.0, &mut Silent).unwrap();
    assert_eq!([hit(&mut fight), hit(&mut fight)], [31.0, 32.0]);
    // At five stacks nothing changes any more, so that the numbers are filled in; they must not be
    // used once they are wrong again.
    assert_eq!([hit(&mut fight), hit(&mut fight), hit(&mut fight), hit(&mut fight)], [33.0, 33.0, 33.0, 33.0]);
    fight.set_base(ONE, might, 10.0, &mut Silent).unwrap();
    assert_eq!([hit(&mut fight), hit(&mut fight)], [18.0, 18.0]);
}

#[test]
fn going_back_to_a_snapshot_forgets_what_was_filled_in_since() {
    let game = game(BUFFETED);
    let might = game.program().find_attribute("might").unwrap();
    let mut fight = game.fight("gusts", 5).unwrap();
    fight.advance(Time::from_seconds(9.5), &mut Silent).unwrap();
    let before = fight.snapshot();
    let mut expected = Log::default();
    fight.run(&mut expected).unwrap();
    for other in 0..20 {
        fight.restore(&before);
        fight.set_base(ONE, might, f64::from(other), &mut Silent).unwrap();
        fight.run(&mut Silent).unwrap();
        fight.restore(&before);
        let mut again = Log::default();
        fight.run(&mut again).unwrap();
        assert_eq!(again, expected, "after a detour with might {other}");
    }
}

#[test]
fn a_pool_that_holds_nothing_but_flows_still_soaks() {
    let text = r#"
[pools]
health = { max = 100, defeat = true }
crust = { max = 20, start = "empty", regen = 4 }
[damage_types]
blow = {}
[[hit_steps]]
name = "held"
soak = "crust"
[ability.shove]
cooldown = 5
does = [{ damage = 9, type = "blow" }]
[character.one]
abilities = ["shove"]
[character.other]
[encounter.gusts]
sides.one = ["one"]
sides.other = ["other"]
time_limit = 26
"#;
    let game = game(text);
    let mut fight = game.fight("gusts", 0).unwrap();
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    let soaked = log.events.iter().filter_map(|logged| match logged.event {
        Event::Soaked { amount, left, .. } => Some((logged.at.seconds(), amount, left)),
        _ => None,
    });
    // Nothing at first; 20 are there after 5 s, of which 9 go each time and come back in 2.25 s.
    let expected = [5.0, 10.0, 15.0, 20.0, 25.0].map(|at| (at, 9.0, 11.0));
    assert_eq!(soaked.collect::<Vec<_>>(), expected);
}

/// Nobody has statuses here, so a fight that is run to its end takes the shortest way of all.
pub(crate) const BARE: &str = r#"
[ruleset]
rounding = "nearest"
[attributes]
might = 10
poise = { base = 0.1, max = 0.6 }
wards = { per = "damage_type", base = 0.1 }
[pools]
health = { max = 120, defeat = true }
crust = { max = 30, start = 8, decay = 1 }
wind = { max = 12, start = 6, regen = { amount = 2, every = 0.7 } }
nerve = { max = 20 }
[damage_types]
blow = {}
chill = {}
[threat]
damage = "1 + caster.might / 20"

[[hit_steps]]
name = "slip"
when = "roll(target.poise)"
stop = "slipped"
[[hit_steps]]
name = "hard"
when = "roll(caster.might / 50)"
mark = "hard"
amount = "amount * 1.5"
[[hit_steps]]
name = "wards"
amount = "amount * (1 - target.wards)"
[[hit_steps]]
name = "held"
soak = "crust"

[ability.shove]
cooldown = 1
cast = 0.2
recovery = 0.3
does = [{ damage = "8 + caster.might / 2", spread = 0.2, type = "blow" }, { damage = 2, type = "chill" }]
[ability.gust]
cost = { wind = 7 }
cast = 0.4
does = [{ damage = 15, type = "chill", skips = ["slip"] }, { restore = "nerve", amount = 3, to = "caster" }]
[ability.huddle]
targets = "self"
cooldown = 4
does = [{ restore = "crust", amount = "10 + caster.might" }, { restore = "wind", amount = 1 }]
[ability.many]
does = [{ damage = 1, type = "blow" }]

[policy.plain]
use = [
  { ability = "huddle", when = "self.health.share < 70%" },
  { ability = "many", when = "count(enemies) >= 9" },
  { ability = "gust", when = "self.health < 100" },
  { ability = "shove" },
]
[character.one]
abilities = ["shove", "gust", "huddle", "many"]
policy = "plain"
[character.other]
attributes = { might = 14, "wards.chill" = 0.4 }
abilities = ["gust", "shove"]
[encounter.pair]
sides.one = ["one"]
sides.other = ["other"]
[encounter.crowd]
sides.one = [{ character = "one", count = 3 }]
sides.other = [{ character = "other", count = 2 }]
sides.third = ["one"]
time_limit = 40
"#;

/// Run at once, and let on by the engine alone.
pub(crate) fn ends_alike(game: &Game, encounter: &str, seeds: std::ops::Range<u64>) {
    for seed in seeds {
        let (mut short, mut long) = (game.fight(encounter, seed).unwrap(), game.fight(encounter, seed).unwrap());
        let (mut one, mut other) = (Log::default(), Log::default());
        let ending = short.run(&mut one).unwrap();
        assert_eq!(long.advance(Time::NEVER, &mut other).unwrap(), Some(ending));
        assert_eq!(one.events, other.events, "{encounter}, seed {seed}");
        assert_eq!(short.snapshot(), long.snapshot(), "{encounter}, seed {seed}");
    }
}

#[test]
fn what_is_left_of_a_fight_is_the_same_on_the_shortest_way() {
    ends_alike(&demo(), "duel", 0..200);
    ends_alike(&demo(), "mirror", 0..50);
    let bare = game(BARE);
    ends_alike(&bare, "pair", 0..200);
    ends_alike(&bare, "crowd", 0..200);
    plays_alike(&bare, "crowd", 200);
}

#[test]
fn whatever_is_done_by_hand_beforehand_is_heeded_on_the_shortest_way() {
    let bare = game(BARE);
    let health = bare.program().find_pool("health").unwrap();
    let ending_with = |prepare: &dyn Fn(&mut Fight)| {
        let (mut fight, mut log) = (bare.fight("pair", 3).unwrap(), Log::default());
        prepare(&mut fight);
        fight.run(&mut log).unwrap();
        log.events
    };
    let plain = ending_with(&|_| {});
    assert_ne!(ending_with(&|fight| fight.set_pool(ONE, health, 1.0)), plain);
    assert_ne!(ending_with(&|fight| fight.keep_out(OTHER)), plain);
    assert_ne!(ending_with(&|fight| fight.take_control(ONE)), plain);
    let might = bare.program().find_attribute("might").unwrap();
    assert_ne!(ending_with(&|fight| fight.set_base(ONE, might, 40.0, &mut Silent).unwrap()), plain);
}
