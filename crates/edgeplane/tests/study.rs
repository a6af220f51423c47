//! Figures of many fights and explanations, compared with counting by hand.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{OTHER, demo, game};
use edgeplane::fight::{Event, NamedEvent, UnavailableReason, seed_of_trial};
use edgeplane::study::explain::{
    AbilityExplanation, Beforehand, explain_ability, explain_ability_with, explain_character, explain_status,
};
use edgeplane::study::{Values, share_of};
use edgeplane::{Ending, Game, Log, Source, TrialsPlan};

const TRIALS: u64 = 300;

/// The same fights as the study's, one by one.
fn logs(game: &Game, encounter: &str) -> Vec<(Ending, Log)> {
    (0..TRIALS).map(|trial| game.play(encounter, seed_of_trial(9, trial)).unwrap()).collect()
}

fn near(a: f64, b: f64) {
    assert!((a - b).abs() <= 1e-9 * b.abs().max(1.0), "{a} is not {b}");
}

#[test]
fn a_study_counts_the_events_of_its_fights() {
    let game = demo();
    for encounter in ["duel", "night_shift", "mill_race"] {
        let plan = TrialsPlan { trials: TRIALS, seed: 9, threads: Some(2), ..TrialsPlan::default() };
        let trials = game.trials(encounter, &plan).unwrap();
        let logs = logs(&game, encounter);
        let setup = game.fight(encounter, 0).unwrap().setup().clone();
        for (index, side) in trials.sides.iter().enumerate() {
            let won =
                logs.iter().filter(|(ending, _)| matches!(ending, Ending::Won(id) if id.index() == index)).count();
            assert_eq!(side.win_rate.count, won as u64, "{encounter}");
        }
        let durations: Vec<f64> = logs.iter().map(|(_, log)| log.events.last().unwrap().at.seconds()).collect();
        near(trials.duration.mean, durations.iter().sum::<f64>() / TRIALS as f64);
        for (index, combatant) in trials.combatants.iter().enumerate() {
            let of = |event: &Event| match event {
                Event::Hit { caster, dealt, source, .. } if caster.index() == index => Some((*source, *dealt)),
                _ => None,
            };
            for ability in &combatant.abilities {
                let hits: Vec<f64> = logs
                    .iter()
                    .flat_map(|(_, log)| log.events.iter().filter_map(|logged| of(&logged.event)))
                    .filter(|(source, _)| {
                        Some(*source) == setup.program().find_ability(&ability.ability).map(Source::Ability)
                    })
                    .map(|(_, dealt)| dealt)
                    .collect();
                near(ability.damage, hits.iter().sum::<f64>() / TRIALS as f64);
                near(ability.hits, hits.len() as f64 / TRIALS as f64);
            }
            let rate = |(log, duration): (&(Ending, Log), &f64)| {
                log.1.events.iter().filter_map(|logged| of(&logged.event)).map(|(_, dealt)| dealt).sum::<f64>()
                    / duration
            };
            let rates: Vec<f64> = logs.iter().zip(&durations).map(rate).collect();
            near(combatant.damage_per_second.mean, rates.iter().sum::<f64>() / TRIALS as f64);
            let fell = logs.iter().filter(|(_, log)| {
                log.events
                    .iter()
                    .any(|logged| matches!(logged.event, Event::Defeated { who, .. } if who.index() == index))
            });
            assert_eq!(combatant.defeated.count, fell.count() as u64);
        }
    }
}

#[test]
fn the_time_in_which_abilities_are_unavailable_adds_up_to_that_of_the_events() {
    let game = demo();
    let trials = game
        .trials("duel", &TrialsPlan { trials: TRIALS, seed: 9, threads: Some(1), ..TrialsPlan::default() })
        .unwrap();
    // The crab's pincer: from each event that reports it on cooldown, while its owner waits, to the next use.
    let pincer = game.ability("pincer").unwrap();
    let (mut cooling, mut free) = (0.0, 0.0);
    for (_, log) in &logs(&game, "duel") {
        let (mut waits, mut since) = (None, None);
        for logged in &log.events {
            let at = logged.at.seconds();
            match logged.event {
                Event::Waits { who: OTHER, .. } => waits = Some(at),
                Event::Unavailable { who: OTHER, ability, reason } if ability == pincer => {
                    assert!(matches!(reason, UnavailableReason::OnCooldown { .. }), "it lacks nothing else");
                    since = Some(at);
                }
                Event::Used { caster: OTHER, .. } | Event::Defeated { who: OTHER, .. } | Event::Ended { .. } => {
                    if let Some(from) = waits.take() {
                        free += at - from;
                        cooling += since.map_or(0.0, |since: f64| at - since.max(from));
                    }
                    if matches!(logged.event, Event::Used { ability, .. } if ability == pincer) {
                        since = None;
                    }
                }
                _ => {}
            }
        }
    }
    let crab = &trials.combatants[1];
    let figures = crab.abilities.iter().find(|figures| figures.ability == "pincer").unwrap();
    let share = figures.unavailable.iter().find(|(reason, _)| reason == "on_cooldown").unwrap().1;
    near(share, cooling / free);
}

#[test]
fn quantiles_of_the_duration_are_values_of_their_rank() {
    let game = demo();
    let trials = game
        .trials("night_shift", &TrialsPlan { trials: TRIALS, seed: 9, threads: Some(1), ..TrialsPlan::default() })
        .unwrap();
    let mut durations: Vec<u64> =
        logs(&game, "night_shift").iter().map(|(_, log)| log.events.last().unwrap().at.0 / 1_000).collect();
    durations.sort_unstable();
    for quantile in &trials.duration_quantiles {
        let rank = (quantile.at * TRIALS as f64).ceil() as usize;
        near(quantile.value, durations[rank - 1] as f64 / 1_000.0);
        assert!(quantile.low <= quantile.value && quantile.value <= quantile.high);
    }
    assert_eq!(trials.duration_quantiles.len(), 5);
}

#[test]
fn intervals_are_those_of_the_textbook() {
    // The limits of a share, from their definition: the values of p for which so many or more, and so many or fewer,
    // have a probability of one in forty.
    let binomial = |n: u64, k: u64, p: f64| {
        (1..=k).fold(libm::pow(1.0 - p, n as f64), |so_far, i| so_far * (n - i + 1) as f64 / i as f64 * p / (1.0 - p))
    };
    for (count, trials) in [(0, 10), (1, 10), (50, 100), (180, 200), (10, 10)] {
        let share = share_of(count, trials);
        let at_most = |k: u64, p: f64| (0..=k).map(|k| binomial(trials, k, p)).sum::<f64>();
        if count > 0 {
            near(1.0 - at_most(count - 1, share.low), 0.025);
        }
        if count < trials {
            near(at_most(count, share.high), 0.025);
        }
        let found = count as f64 / trials as f64;
        assert!(0.0 <= share.low && share.low <= found && found <= share.high && share.high <= 1.0);
    }
    let nothing = share_of(0, 0);
    assert_eq!((nothing.low, nothing.high), (0.0, 1.0));
    let estimate = |of: &[f64]| {
        let mut values = Values::default();
        of.iter().for_each(|value| values.add(*value));
        values.estimate()
    };
    // Mean 2.5, deviation √(5/3), standard error half of that; not skewed.
    let mean = estimate(&[1.0, 2.0, 3.0, 4.0]);
    near(mean.mean, 2.5);
    near(mean.deviation, (5.0_f64 / 3.0).sqrt());
    // Student's, with three degrees of freedom.
    near(mean.high - mean.mean, 3.182_446_305_284_263 * (5.0_f64 / 3.0).sqrt() / 2.0);
    near(mean.high - mean.mean, mean.mean - mean.low);
    // Rare and large values are expected above, by Hall's formula with the skewness worked out by hand: thirty-nine
    // values of 0 and one of 40 have the mean 1, the variance 40, and the skewness 38 / √39 before its correction.
    let skewed = estimate(&[&[0.0; 39][..], &[40.0]].concat());
    let n = 40.0_f64;
    let skewness = 38.0 / 39.0_f64.sqrt() * (n * 39.0).sqrt() / 38.0;
    let (lean, t) = (skewness / n.sqrt(), 2.022_690_920_036_762);
    let above = 3.0 / lean * ((1.0 + lean * (-t - lean / 6.0)).cbrt() - 1.0);
    near(skewed.high, 1.0 - above);
    near(skewed.low, 1.0 - t);
    // A large mean with a small spread, joined from two.
    let (mut left, mut right) = (Values::default(), Values::default());
    [1e9 + 1.0, 1e9 + 2.0].into_iter().for_each(|value| left.add(value));
    [1e9 + 3.0, 1e9 + 4.0].into_iter().for_each(|value| right.add(value));
    left.join(&right);
    near(left.estimate().deviation, mean.deviation);
    // One value shows nothing about the variation of values, and none not even their location.
    let one = estimate(&[7.0]);
    assert_eq!((one.mean, one.low, one.high), (7.0, f64::NEG_INFINITY, f64::INFINITY));
    assert!(estimate(&[]).mean.is_infinite());
}

fn explained(game: &Game, ability: &str, from: &str, on: &str) -> AbilityExplanation {
    let character = |name| game.character(name).unwrap();
    explain_ability(game.program(), game.ability(ability).unwrap(), character(from), character(on)).unwrap()
}

const ENDINGS: &str = r#"
    [attributes]
    heft = 10
    [pools]
    health = { max = 50, defeat = true }
    shell = { max = 20, start = 6 }
    [[hit_steps]]
    name = "dodge"
    when = "roll(20%)"
    stop = "dodged"
    [[hit_steps]]
    name = "critical"
    when = "roll(25%)"
    amount = "amount * 2"
    mark = "critical"
    [[hit_steps]]
    name = "shell"
    soak = "shell"
    [ability.swing]
    does = [{ damage = "caster.heft", spread = 0.1 }]
    [ability.throw]
    does = [{ damage = "dice(2, 6)" }]
    [ability.storm]
    does = [{ damage = "dice(9, 6)" }]
    [ability.patch]
    targets = { side = "allies" }
    does = [{ heal = 5 }]
    [character.one]
    abilities = ["swing", "throw", "storm", "patch"]
    [character.other]
"#;

#[test]
fn explain_walks_through_all_that_can_happen() {
    let swing = explained(&game(ENDINGS), "swing", "one", "other");
    assert!(swing.exact);
    let effect = &swing.effects[0];
    let ending = |name: &str| effect.endings.iter().find(|ending| ending.ending == name).unwrap();
    near(ending("dodged").chance, 0.2);
    near(ending("critical").chance, 0.8 * 0.25);
    near(ending("plain").chance, 0.8 * 0.75);
    near(ending("plain").mean, 4.0);
    near(ending("critical").mean, 14.0);
    assert!(ending("plain").least >= 3.0 && ending("plain").greatest <= 5.0);
    near(effect.over_all.mean, 0.6 * 4.0 + 0.2 * 14.0);
    assert_eq!(effect.against, 50.0);
    // At best 50 / 15.92, on average 50 / 5.2, at worst 50 / 3.04.
    assert_eq!(effect.to_empty, Some([4, 10, 17]));
    let steps: Vec<(&str, &str)> = effect.steps.iter().map(|step| (step.step.as_str(), step.result.as_str())).collect();
    assert_eq!(steps, [("dodge", "skipped"), ("critical", "skipped"), ("shell", "applied")]);
    assert_eq!(effect.steps[2].after, 4.0);
}

#[test]
fn explain_samples_where_too_much_can_happen_and_says_so() {
    let game = game(ENDINGS);
    let throw = explained(&game, "throw", "one", "other");
    assert!(throw.exact);
    // Two dice, less a shell of 6: of 36 throws, 26 leave more than nothing when not critical.
    let plain = throw.effects[0].endings.iter().find(|ending| ending.ending == "plain").unwrap();
    let expected: f64 = (1..=6).flat_map(|a| (1..=6).map(move |b| f64::from(a + b - 6).max(0.0))).sum::<f64>() / 36.0;
    near(plain.mean, expected);
    let storm = explained(&game, "storm", "one", "other");
    assert!(!storm.exact);
    let plain = storm.effects[0].endings.iter().find(|ending| ending.ending == "plain").unwrap();
    assert!((plain.mean - 25.5).abs() < 0.3 && (plain.chance - 0.6).abs() < 0.02, "{plain:?}");
}

/// Effects are distinguished even if some do not happen, and two differ only in their receiver.
#[test]
fn explain_shows_effects_that_do_not_always_happen() {
    let game = game(
        "[pools]\nhealth = { max = 80, defeat = true }\n[status.numb]\nkind = \"debuff\"\ntags = [\"cold\"]\nresist = \"80%\"\nduration = 5\n\
         [status.warm]\nimmune = [\"cold\"]\nduration = inf\n\
         [ability.double]\ndoes = [{ damage = \"if(has(target, numb), 30, 20)\", chance = 0.3 }, { damage = 5 }, { damage = 2, to = \"caster\" }]\n\
         [character.one]\nabilities = [\"double\"]\n[character.other]\nstatuses = [\"warm\"]\n",
    );
    let double = explained(&game, "double", "one", "one");
    assert!(double.exact);
    let found: Vec<(&str, f64, f64, usize)> = double
        .effects
        .iter()
        .map(|effect| (effect.to.as_str(), effect.amount, effect.over_all.mean, effect.endings.len()))
        .collect();
    assert_eq!(found, [("one", 20.0, 6.0, 2), ("one", 5.0, 5.0, 1), ("one", 2.0, 2.0, 1)]);
    let never = &double.effects[0].endings[0];
    assert_eq!((never.ending.as_str(), never.chance), ("does not happen", 0.7));
    let double = explained(&game, "double", "one", "other");
    assert_eq!(double.uses_to_empty.len(), 1, "the caster's own 2 are apart: {:?}", double.uses_to_empty);
    let uses = &double.uses_to_empty[0];
    assert_eq!((uses.of.as_str(), uses.each_use, uses.uses), ("other", 11.0, 8));
    // An initial status is present whatever its chance to be resisted.
    let ids = |name| game.character(name).unwrap();
    let numb = Beforehand { target: vec![(game.status("numb").unwrap(), 1)], ..Beforehand::default() };
    let with = |on| explain_ability_with(game.program(), game.ability("double").unwrap(), ids("one"), ids(on), &numb);
    let numbed = with("one").unwrap();
    assert_eq!((numbed.effects[0].amount, numbed.effects[0].over_all.mean), (30.0, 9.0));
    assert_eq!(numbed.beforehand, ["one has numb"]);
    let refused = with("other").unwrap_err().to_string();
    assert_eq!(refused, "`numb` does not apply to `other`: immune");
}

/// Numbers that formulas read of the user of an ability are computed for those that have it, in memory that others use
/// for theirs.
#[test]
fn it_does_not_matter_to_an_ability_who_else_has_which() {
    let names = ["jab", "heave", "spit", "mend", "idle_threat"];
    let rules = |learns: bool| {
        let mut text = "[attributes]\nheft = 10\nwit = 4\n[pools]\nhealth = { max = 90, defeat = true }\n\
            [status.bold]\nduration = 2\nmodify = [{ attribute = \"heft\", add = 3 }, { attribute = \"wit\", percent = 50 }]\n\
            [ability.jab]\ncooldown = \"2 - self.wit / 10\"\ndoes = [{ damage = \"2 + self.heft / 5\" }, { apply = \"bold\", to = \"caster\" }]\n\
            [ability.heave]\nrecovery = \"self.heft / 8\"\ndoes = [{ damage = \"self.heft * 2 - self.wit\" }]\n\
            [ability.spit]\ncooldown = 1\ndoes = [{ damage = \"self.wit + target.wit / 2\" }]\n\
            [ability.mend]\ncooldown = \"self.wit + 1\"\ntargets = { side = \"self\" }\ndoes = [{ heal = \"self.wit / 3\" }]\n\
            [ability.idle_threat]\ndoes = [{ damage = \"self.heft + self.wit\" }]\n\
            [encounter.e]\ntime_limit = 60\nsides.a = [\"one\", \"two\", \"three\"]\nsides.b = [\"two\", \"three\", \"four\"]\n"
            .to_owned();
        let has = [("one", 0..2, 12), ("two", 1..3, 14), ("three", 2..4, 9), ("four", 0..1, 20)];
        for (who, own, heft) in has {
            let others: Vec<&str> =
                names.iter().copied().filter(|name| learns && !names[own.clone()].contains(name)).collect();
            text += &format!(
                "[character.{who}]\nattributes.heft = {heft}\nabilities = {:?}\ncan_learn = {others:?}\n",
                &names[own]
            );
        }
        game(&text)
    };
    let (apart, all) = (rules(false), rules(true));
    for (ability, from) in names.iter().flat_map(|name| ["one", "two", "three", "four"].map(|from| (*name, from))) {
        let strip = |game| {
            let AbilityExplanation { ability, mut effects, also, .. } = explained(game, ability, from, "two");
            effects.iter_mut().for_each(|effect| effect.worked.clear());
            format!("{:?} {effects:?} {also:?}", (ability.cast, ability.recovery, ability.cooldown))
        };
        assert_eq!(strip(&apart), strip(&all), "{ability} of {from}");
    }
    let heave = explained(&apart, "heave", "four", "one");
    assert_eq!((heave.effects[0].amount, heave.ability.recovery), (36.0, 2.5));
    let log = |game: &Game| {
        let mut log = Log::default();
        game.fight("e", 3).unwrap().run(&mut log).unwrap();
        let logged = log.events.iter().filter(|one| !matches!(one.event, Event::Unavailable { .. }));
        logged.map(|one| format!("{one:?}")).collect::<Vec<_>>()
    };
    assert_eq!(log(&apart), log(&all));
}

#[test]
fn an_amount_is_explained_by_its_own_effect_alone() {
    let game = game(
        "[attributes]\nheft = 14\n[pools]\nhealth = { max = 80, defeat = true }\n[status.slow]\nduration = 3\n\
         [ability.lunge]\ndoes = [{ leap = \"caster.heft / 7\" }, { apply = \"slow\", stacks = 1 }, { leap = 1 }, { damage = \"caster.heft * 2\" }]\n\
         [character.one]\nabilities = [\"lunge\"]\n",
    );
    let lunge = explained(&game, "lunge", "one", "one");
    let worked: Vec<&str> = lunge.effects[0].worked.iter().map(|one| one.worked.as_str()).collect();
    assert_eq!(worked, ["14 * 2"]);
    let also: Vec<&str> = lunge.also.iter().map(|line| line.what.as_str()).collect();
    assert_eq!(also, ["to within caster.heft / 7 m", "slow, 1 stack", "to within 1 m"]);
}

#[test]
fn explain_shows_the_share_that_a_streak_has_in_the_long_run() {
    let game = game(
        "[pools]\nhealth = { max = 80, defeat = true }\n[[hit_steps]]\nname = \"miss\"\nwhen = \"roll(20%, streak = 9)\"\nstop = \"missed\"\n\
         [ability.jab]\ndoes = [{ damage = 10 }]\n[character.one]\nabilities = [\"jab\"]\n",
    );
    let jab = explained(&game, "jab", "one", "one");
    let endings: Vec<(&str, f64)> =
        jab.effects[0].endings.iter().map(|ending| (ending.ending.as_str(), ending.chance)).collect();
    assert_eq!(endings, [("plain", 0.8), ("missed", 0.2)]);
    near(jab.effects[0].over_all.mean, 8.0);
}

#[test]
fn a_status_comes_from_every_place_that_has_it() {
    let game = game(
        "[pools]\nhealth = { max = 80, defeat = true }\n[status.glow]\nduration = inf\n\
         [status.ember]\nevery = { period = 1, does = [{ apply = \"glow\" }] }\nduration = 3\n\
         [ability.light]\ndoes = [{ apply = \"glow\" }]\n[ability.flick]\ndoes = [{ toggle = \"glow\" }]\n\
         [ability.fan]\nsustain = { every = 1, does = [{ apply = \"glow\" }, { apply = \"ember\" }] }\n\
         [ability.kneel]\nduring = [\"glow\"]\ndoes = [{ zone = \"hearth\" }, { zone = \"door\" }]\n\
         [zone.hearth]\nradius = 2\nlasts = 3\naffects = \"allies\"\napply = [\"glow\"]\n\
         [zone.door]\nradius = 2\nlasts = 3\naffects = \"allies\"\nenters = [{ apply = \"glow\" }]\n\
         [cause.sun]\ndoes = [{ apply = \"glow\" }]\n\
         [gear.lamp]\nslot = \"hand\"\nset = \"night\"\nstatuses = [\"glow\"]\n[gear.hood]\nslot = \"head\"\nset = \"night\"\n\
         [gear_set.night]\nworn = { 2 = [\"glow\"] }\n\
         [character.one]\nabilities = [\"light\", \"flick\", \"fan\", \"kneel\"]\nstatuses = [\"glow\"]\n\
         [character.other]\n[encounter.dusk]\nsides.a = [\"one\"]\nsides.b = [{ character = \"other\", statuses = [\"glow\"] }]\n",
    );
    let one = game.character("one").unwrap();
    let glow = explain_status(game.program(), game.status("glow").unwrap(), one, one).unwrap();
    let wanted = [
        "light",
        "flick",
        "fan",
        "ember",
        "door",
        "sun",
        "during kneel",
        "inside hearth",
        "wearing lamp",
        "2 pieces of night",
        "one from the start",
        "the start of dusk",
    ];
    assert_eq!(glow.applied_by, wanted);
}

#[test]
fn explain_takes_allies_for_what_helps_them() {
    let patch = explained(&game(ENDINGS), "patch", "one", "other");
    assert_eq!((patch.on.as_str(), patch.effects[0].effect.as_str()), ("other", "heal"));
    assert_eq!((patch.effects[0].amount, patch.effects[0].to_empty), (5.0, None));
}

#[test]
fn a_sheet_shows_pools_abilities_and_policy() {
    let game = demo();
    let sheet = explain_character(game.program(), game.character("lampwright").unwrap()).unwrap();
    let pool = |name: &str| sheet.pools.iter().find(|pool| pool.cap.name == name).unwrap();
    assert_eq!((pool("oil").start, pool("oil").flow.as_str()), (3.0, "+1 every 4 s"));
    assert_eq!((pool("shell").start, pool("shell").flow.as_str()), (0.0, "-2 per second"));
    assert!(pool("health").defeat && !pool("breath").defeat);
    let bandage = sheet.abilities.iter().find(|ability| ability.name == "bandage").unwrap();
    assert_eq!(bandage.cost, [("breath".to_owned(), 10.0)]);
    assert_eq!((bandage.cast, bandage.cooldown, bandage.targets.as_str()), (0.7, 3.0, "weakest of allies"));
    let line = &sheet.policy[1];
    let printed = (line.ability.as_str(), line.when.as_str(), line.weight.as_str());
    assert_eq!(printed, ("bandage", "target.health.share < 40%", ""));
    let novice = explain_character(game.program(), game.character("bell_ringer").unwrap()).unwrap();
    assert!(novice.abilities.iter().all(|ability| ability.unlocked));
    let crab = explain_character(game.program(), game.character("silt_crab").unwrap()).unwrap();
    assert!(crab.pools.iter().all(|pool| pool.cap.name != "oil"), "it has no lamp");
}

#[test]
fn events_are_reported_with_names_and_can_be_read_back() {
    let game = demo();
    let (_, log) = game.play("night_shift", 3).unwrap();
    let setup = game.fight("night_shift", 3).unwrap().setup().clone();
    let mut kinds = std::collections::BTreeSet::new();
    for logged in &log.events {
        let printed = serde_json::to_value(NamedEvent::new(&setup, *logged)).unwrap();
        assert_eq!(printed["at"].as_f64(), Some(logged.at.seconds()));
        kinds.insert(printed["event"].as_str().unwrap().to_owned());
        if let Some(who) = printed["who"].as_str() {
            assert!(setup.find_combatant(who).is_some(), "{who}");
        }
        let text = serde_json::to_string(logged).unwrap();
        assert_eq!(serde_json::from_str::<edgeplane::fight::Logged>(&text).unwrap(), *logged);
    }
    for kind in [
        "began",
        "used",
        "spent",
        "released",
        "hit",
        "healed",
        "drained",
        "restored",
        "unavailable",
        "waits",
        "defeated",
        "ended",
    ] {
        assert!(kinds.contains(kind), "{kind} never came up: {kinds:?}");
    }
}

#[test]
fn combatants_are_named_apart_by_number_and_side() {
    let game = game(
        "[character.crab]\n[character.keeper]\n[encounter.e]\nsides.a = [\"keeper\", { character = \"crab\", count = 2 }]\nsides.b = [\"crab\"]",
    );
    let fight = game.fight("e", 1).unwrap();
    let labels: Vec<&str> = fight.setup().combatants.iter().map(|combatant| combatant.label.as_str()).collect();
    assert_eq!(labels, ["keeper", "crab 1 (a)", "crab 2 (a)", "crab (b)"]);
    assert_eq!(game.combatant(&fight, "crab (b)").unwrap().0, 3);
    let unknown = game.combatant(&fight, "crab (c)").unwrap_err().to_string();
    assert!(unknown.contains("no combatant is called `crab (c)`"), "{unknown}");
}

#[test]
fn unknown_names_are_reported_with_what_there_is() {
    let game = demo();
    for (error, expected) in [
        (game.fight("duell", 1).unwrap_err(), "no encounter is called `duell`; did you mean `duel`?"),
        (game.ability("boathok").unwrap_err(), "no ability is called `boathok`; did you mean `boathook`?"),
        (game.pool("mana").unwrap_err(), "no pool is called `mana`; there are `health`, `breath`, `oil`, `shell`"),
        (game.duel("lockhand", "heron", 1).unwrap_err(), "no character is called `heron`; there are"),
        (game.duel("lockhand", "crab", 1).unwrap_err(), "no character is called `crab`; did you mean `silt_crab`?"),
    ] {
        assert!(error.to_string().starts_with(expected), "{error}");
    }
}

#[test]
fn every_kind_of_ending_is_counted_once() {
    let game = game(
        "[pools]\nhealth = { max = 10, defeat = true }\n[status.hum]\nduration = 99\nevery = { period = 1, does = [{ heal = 1 }] }\n\
         [ability.strike]\ncast = 1\nuses = 1\n\
         does = [{ damage = 20, chance = 0.4 }, { win = true, chance = 0.2 }, { apply = \"hum\", chance = 0.2 }]\n\
         [character.one]\nabilities = [\"strike\"]\n\
         [encounter.e]\nsides = { a = [\"one\"], b = [\"one\"] }\ntime_limit = 5\n",
    );
    let trials = game.trials("e", &TrialsPlan { trials: 3_000, seed: 9, ..TrialsPlan::default() }).unwrap();
    let kinds = [trials.all_defeated, trials.time_limit, trials.stalemate, trials.drawn].map(|share| share.count);
    let wins: u64 = trials.sides.iter().map(|side| side.win_rate.count).sum();
    assert!(kinds.iter().all(|count| *count > 10), "{kinds:?}");
    assert_eq!((trials.draws.count, trials.draws.count + wins), (kinds.iter().sum(), 3_000), "{kinds:?}");
}
