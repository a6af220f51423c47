//! Measures, each counted a second time from the events of the fights.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{demo, game};
use edgeplane::fight::{Event, Logged, Observer, UnavailableReason, seed_of_trial};
use edgeplane::measures::Quantity;
use edgeplane::{CombatantId, Ending, Error, Fight, Game, Measure, Source, Time, TrialsPlan};

const TRIALS: u64 = 120;
const SEED: u64 = 5;

/// The relevant parts of a hit.
struct Dealt {
    dealt: f64,
    over: f64,
    source: Source,
    marked: bool,
}

/// A fight with all its events, details included.
struct Told {
    events: Vec<Logged>,
    ending: Ending,
    fight: Fight,
}

#[derive(Default)]
struct All(Vec<Logged>);

impl Observer for All {
    fn wants(&self) -> edgeplane::fight::EventMask {
        edgeplane::fight::EventMask::DETAIL
    }

    fn event(&mut self, at: Time, event: Event) {
        self.0.push(Logged { at, event });
    }
}

fn fights(game: &Game, encounter: &str) -> Vec<Told> {
    let play = |trial| {
        let mut fight = game.fight(encounter, seed_of_trial(SEED, trial)).unwrap();
        let mut all = All::default();
        let ending = fight.run(&mut all).unwrap();
        Told { events: all.0, ending, fight }
    };
    (0..TRIALS).map(play).collect()
}

impl Told {
    fn sum(&self, value: impl Fn(&Event) -> f64) -> f64 {
        self.events.iter().map(|logged| value(&logged.event)).sum()
    }

    fn who(&self, label: &str) -> CombatantId {
        self.fight.setup().find_combatant(label).unwrap()
    }

    fn end(&self) -> f64 {
        self.fight.now().seconds()
    }

    fn fell(&self, who: CombatantId) -> Option<f64> {
        let fell =
            self.events.iter().find(|logged| matches!(logged.event, Event::Defeated { who: one, .. } if one == who));
        fell.map(|logged| logged.at.seconds())
    }

    fn hits(&self, who: CombatantId, value: impl Fn(&Dealt) -> f64) -> f64 {
        self.sum(|event| match event {
            Event::Hit { caster, dealt, over, source, marks, .. } if *caster == who => {
                value(&Dealt { dealt: *dealt, over: *over, source: *source, marked: marks & 1 == 1 })
            }
            _ => 0.0,
        })
    }

    /// Seconds with the status, and stacks times seconds.
    fn held(&self, who: CombatantId, status: &str) -> [f64; 2] {
        let id = self.fight.setup().program().find_status(status).unwrap();
        let (mut held, mut since, mut stacks) = ([0.0; 2], 0.0, 0);
        let mut until = |at: f64, total: u32| {
            held[0] += if stacks > 0 { at - since } else { 0.0 };
            held[1] += f64::from(stacks) * (at - since);
            (since, stacks) = (at, total);
        };
        for Logged { at, event } in &self.events {
            match event {
                Event::StatusGained { target, status, total, .. }
                | Event::StatusStacks { target, status, total, .. }
                | Event::StatusLost { target, status, total, .. }
                    if *target == who && *status == id =>
                {
                    until(at.seconds(), *total);
                }
                _ => {}
            }
        }
        until(self.end(), 0);
        held
    }
}

/// The mean of a measure is the sum of the first divided by the sum of the second.
fn check(game: &Game, encounter: &str, fights: &[Told], measure: &str, by_hand: impl Fn(&Told) -> [f64; 2]) {
    let plan = TrialsPlan { trials: TRIALS, seed: SEED, threads: Some(2), ..TrialsPlan::default() };
    let figure = game.measure(encounter, &[measure], &plan).unwrap().remove(0);
    let sums = fights.iter().map(by_hand).fold([0.0; 2], |sums, one| [sums[0] + one[0], sums[1] + one[1]]);
    assert!(sums[0] != 0.0, "{measure} never has anything to count");
    let (value, wanted) = (figure.value.unwrap(), sums[0] / sums[1]);
    assert!((value - wanted).abs() <= 1e-9 * wanted.abs().max(1.0), "{measure} is {value}, by hand {wanted}");
    // An end is open if the quotient of no fight differs from another's.
    let covers = figure.low.is_none_or(|low| low <= value) && figure.high.is_none_or(|high| value <= high);
    assert!(covers && figure.trials == TRIALS, "{figure:?}");
}

#[test]
fn measures_of_a_duel_count_what_is_reported() {
    let game = demo();
    let fights = fights(&game, "duel");
    let one = |measure: &str, by_hand: &dyn Fn(&Told, CombatantId) -> [f64; 2]| {
        check(&game, "duel", &fights, measure, |printed| by_hand(printed, printed.who("lockhand")));
    };
    let truth = |holds: bool| f64::from(u8::from(holds));
    one("win_rate(silt)", &|printed, _| [truth(matches!(printed.ending, Ending::Won(side) if side.0 == 1)), 1.0]);
    one("duration", &|printed, _| [printed.end(), 1.0]);
    one("defeat_rate(lockhand)", &|printed, who| [truth(printed.fell(who).is_some()), 1.0]);
    one("defeated(keepers)", &|printed, who| [truth(printed.fell(who).is_some()), 1.0]);
    one("survivors(lockhand)", &|printed, who| [truth(printed.fell(who).is_none()), 1.0]);
    one("defeat_time(lockhand)", &|printed, who| printed.fell(who).map_or([0.0; 2], |at| [at, 1.0]));
    one("damage(lockhand)", &|printed, who| [printed.hits(who, |hit| hit.dealt), 1.0]);
    one("damage_per_second(lockhand)", &|printed, who| [printed.hits(who, |hit| hit.dealt) / printed.end(), 1.0]);
    one("overkill(lockhand)", &|printed, who| [printed.hits(who, |hit| hit.over), 1.0]);
    one("hits(lockhand)", &|printed, who| [printed.hits(who, |_| 1.0), 1.0]);
    one("damage_share(silt_crab, pincer)", &|printed, _| {
        let (crab, pincer) =
            (printed.who("silt_crab"), printed.fight.setup().program().find_ability("pincer").unwrap());
        let part = printed.hits(crab, |hit| hit.dealt * truth(hit.source == Source::Ability(pincer)));
        [part, printed.hits(crab, |hit| hit.dealt)]
    });
    one("mark_rate(lockhand, critical)", &|printed, who| {
        [printed.hits(who, |hit| truth(hit.marked)), printed.hits(who, |_| 1.0)]
    });
    one("evaded_rate(lockhand, dodge)", &|printed, who| {
        let on = |stops: bool| {
            printed.sum(|event| match event {
                Event::Hit { target, stopped, .. } => truth(*target == who && (!stops || stopped.is_some())),
                _ => 0.0,
            })
        };
        [on(true), on(false)]
    });
    one("spent(lockhand, breath, boathook)", &|printed, who| {
        let boathook = printed.fight.setup().program().find_ability("boathook").unwrap();
        let paid = |event: &Event| match event {
            Event::Spent { who: one, ability, amount, .. } if *one == who && *ability == boathook => *amount,
            _ => 0.0,
        };
        [printed.sum(paid), 1.0]
    });
    one("uses(lockhand)", &|printed, who| {
        [printed.sum(|event| truth(matches!(event, Event::Used { caster, .. } if *caster == who))), 1.0]
    });
    one("unavailable(lockhand, boathook, on_cooldown)", &|printed, who| {
        let boathook = printed.fight.setup().program().find_ability("boathook").unwrap();
        let (mut waits, mut since, mut seconds) = (None, None, 0.0);
        for Logged { at, event } in &printed.events {
            let stops = match *event {
                Event::Waits { who: one, .. } if one == who => {
                    waits = Some(*at);
                    false
                }
                Event::Unavailable { who: one, ability, reason } if one == who && ability == boathook => {
                    if let (Some(waits), Some(since)) = (waits, since) {
                        seconds += (*at - Time::max(waits, since)).seconds();
                    }
                    since = matches!(reason, UnavailableReason::OnCooldown { .. }).then_some(*at);
                    false
                }
                Event::Used { caster: one, .. } | Event::Defeated { who: one, .. } => one == who,
                Event::Ended { .. } => true,
                _ => false,
            };
            if let (true, Some(waits), Some(since)) = (stops, waits, since) {
                seconds += (*at - Time::max(waits, since)).seconds();
            }
            if stops {
                waits = None;
            }
            if matches!(*event, Event::Used { caster, ability, .. } if caster == who && ability == boathook) {
                since = None;
            }
        }
        [seconds, 1.0]
    });
    one("left(silt, health)", &|printed, _| {
        let program = printed.fight.setup().program();
        [printed.fight.pool(printed.who("silt_crab"), program.find_pool("health").unwrap()), 1.0]
    });
    one("left_share(lockhand, health)", &|printed, who| {
        let pool = printed.fight.setup().program().find_pool("health").unwrap();
        [printed.fight.pool(who, pool), printed.fight.cap(who, pool)]
    });
}

#[test]
fn idleness_is_the_time_from_a_vain_look_to_the_next_use() {
    let game = demo();
    let fights = fights(&game, "duel");
    check(&game, "duel", &fights, "idle(lockhand)", |printed| {
        let who = printed.who("lockhand");
        let (mut idle, mut since) = (0.0, None);
        let end = printed.fell(who).unwrap_or(printed.end());
        for Logged { at, event } in &printed.events {
            match event {
                Event::Waits { who: one, .. } if *one == who => since = since.or(Some(at.seconds())),
                Event::Used { caster, .. } if *caster == who => {
                    idle += since.take().map_or(0.0, |from| at.seconds() - from)
                }
                _ => {}
            }
        }
        [idle + since.map_or(0.0, |from| end - from), end]
    });
}

#[test]
fn measures_of_a_crowd_count_statuses_heals_steps_and_soaks() {
    let game = demo();
    let fights = fights(&game, "night_shift");
    let check =
        |measure: &str, by_hand: &dyn Fn(&Told) -> [f64; 2]| check(&game, "night_shift", &fights, measure, by_hand);
    let side = |printed: &Told, who: CombatantId| printed.fight.setup().combatants[who.index()].side.0;
    check("uptime(silt_crab 1, waterlogged)", &|printed| {
        [printed.held(printed.who("silt_crab 1"), "waterlogged")[0], printed.end()]
    });
    check("mean_stacks(silt_crab 1, waterlogged)", &|printed| {
        let [time, stacks] = printed.held(printed.who("silt_crab 1"), "waterlogged");
        [stacks, time]
    });
    check("applied(silt_crab, waterlogged)", &|printed| {
        let id = printed.fight.setup().program().find_status("waterlogged").unwrap();
        let crabs: Vec<CombatantId> = (1..=3).map(|number| printed.who(&format!("silt_crab {number}"))).collect();
        let gained = |event: &Event| matches!(event, Event::StatusGained { target, status, .. } if crabs.contains(target) && *status == id);
        [printed.sum(|event| f64::from(u8::from(gained(event)))), 1.0]
    });
    check("healing(keepers)", &|printed| {
        let healed = |event: &Event| match event {
            Event::Healed { caster, healed, .. } if side(printed, *caster) == 0 => *healed,
            _ => 0.0,
        };
        [printed.sum(healed), 1.0]
    });
    check("damage_taken(silt, impact)", &|printed| {
        let taken = |event: &Event| match event {
            Event::Hit { target, dealt, damage_type, .. } if side(printed, *target) == 1 && damage_type.0 == 0 => {
                *dealt
            }
            _ => 0.0,
        };
        [printed.sum(taken), 1.0]
    });
    check("soaked(keepers)", &|printed| {
        let soaked = |event: &Event| match event {
            Event::Soaked { target, amount, .. } if side(printed, *target) == 0 => *amount,
            _ => 0.0,
        };
        [printed.sum(soaked), 1.0]
    });
    check("prevented(silt, guard)", &|printed| {
        let program = printed.fight.setup().program();
        let guard = program.hit_steps().iter().position(|step| step.name == "guard").unwrap();
        let (mut taken, mut all) = (0.0, 0.0);
        for Logged { event, .. } in &printed.events {
            match event {
                Event::Stepped { step, heal: false, before, after, .. } if step.index() == guard => {
                    taken = before - after
                }
                Event::Hit { target, .. } => {
                    all += if side(printed, *target) == 1 {
                        std::mem::take(&mut taken)
                    } else {
                        std::mem::take(&mut taken) * 0.0
                    }
                }
                _ => {}
            }
        }
        [all, 1.0]
    });
}

#[test]
fn quantiles_are_those_of_the_values_fight_by_fight() {
    let game = demo();
    let told = fights(&game, "duel");
    let pincer = |told: &Told| {
        let (crab, pincer) = (told.who("silt_crab"), told.fight.setup().program().find_ability("pincer").unwrap());
        let part = told.hits(crab, |hit| if hit.source == Source::Ability(pincer) { hit.dealt } else { 0.0 });
        part / told.hits(crab, |hit| hit.dealt)
    };
    let sorted = |value: &dyn Fn(&Told) -> f64| {
        let mut values: Vec<f64> = told.iter().map(value).collect();
        values.sort_by(f64::total_cmp);
        values
    };
    let (lasted, shares) = (sorted(&Told::end), sorted(&pincer));
    let plan = TrialsPlan { trials: TRIALS, seed: SEED, threads: Some(1), ..TrialsPlan::default() };
    for (measure, values, rank) in [
        ("duration.p10", &lasted, 12),
        ("duration.p50", &lasted, 60),
        ("duration.p95", &lasted, 114),
        ("damage_share(silt_crab, pincer).p50", &shares, 60),
    ] {
        let figure = game.measure("duel", &[measure], &plan).unwrap().remove(0);
        let (value, wanted) = (figure.value.unwrap(), values[rank - 1]);
        assert!((value / wanted - 1.0).abs() < 1e-5, "{measure}: {value}, by hand {wanted}");
        assert!(figure.low <= figure.value && figure.value <= figure.high);
    }
}

#[test]
fn what_never_happens_has_no_value_rather_than_a_made_up_one() {
    let game = game(
        "[pools]\nhealth = { max = 10, defeat = true }\n[ability.rest]\ncooldown = 1\ndoes = [{ heal = 1 }]\ntargets = \"self\"\n\
         [character.one]\nabilities = [\"rest\"]\n[encounter.calm]\nsides.a = [\"one\"]\nsides.b = [\"one\"]\ntime_limit = 3\n",
    );
    let plan = TrialsPlan { trials: 20, ..TrialsPlan::default() };
    let figures = game.measure("calm", &["defeat_time(a)", "stopped_rate(a)", "draw_rate"], &plan).unwrap();
    assert_eq!((figures[0].value, figures[0].low, figures[1].value), (None, None, None));
    assert_eq!(figures[2].value, Some(1.0));
}

#[test]
fn what_is_no_measure_is_refused_with_what_was_meant() {
    let game = demo();
    let fight = game.fight("night_shift", 0).unwrap();
    for (text, message, help) in [
        ("durration", "no measure is called `durration`", "did you mean `duration`?"),
        ("win_rate(keeprs)", "no side is called `keeprs`", "did you mean `keepers`?"),
        ("damage(lockhnd)", "no combatant, character or side is called `lockhnd`", "did you mean `lockhand`?"),
        (
            "damage(lockhand, bothook)",
            "no ability, status or damage type is called `bothook`",
            "did you mean `boathook`?",
        ),
        ("damage", "`damage` takes 1 to 2 names in brackets", "`damage(who[, ability, status or damage type])`"),
        ("draw_rate(keepers)", "`draw_rate` takes nothing in brackets", "write it as `draw_rate`"),
        ("win_rate(keepers).p50", "`win_rate` is a share of all fights; it has no quantiles", ""),
        ("duration.p0", "`p0` is not between `p0` and `p100`", ""),
        ("duration.median", "the median is written `.p50`", ".p90"),
        ("duration)", "a bracket is missing", "name(who, what)"),
        ("damage(lockhand,)", "a name is missing here", ""),
        ("", "there is no measure here", ""),
        ("damage(lockhand) p90", "`p90` is not expected here", ""),
        ("left(lockhand, helth)", "no pool is called `helth`", "did you mean `health`?"),
        ("prevented(silt, gard)", "no hit step is called `gard`", "did you mean `guard`?"),
        ("uptime(silt, soaked)", "no status is called `soaked`", "there are "),
        ("mark_rate(silt, crit)", "no mark is called `crit`", "did you mean `critical`?"),
        ("unavailable(silt, pincer, tired)", "no reason is called `tired`", "there are "),
    ] {
        let fault = Measure::parse(fight.setup(), text).expect_err(text);
        assert_eq!(fault.message, message, "{text}");
        assert!(fault.help.clone().unwrap_or_default().contains(help), "{text}: {fault:?}");
        assert!(fault.range.end as usize <= text.len(), "{text}: {fault:?}");
        assert!(matches!(game.measured("night_shift", &[text]), Err(Error::Measure { .. })));
    }
}

#[test]
fn every_measure_can_be_asked_of_the_demo() {
    let game = demo();
    let plan = TrialsPlan { trials: 64, seed: 3, threads: Some(2), ..TrialsPlan::default() };
    for quantity in Quantity::ALL {
        let arguments: Vec<&str> = quantity
            .must()
            .iter()
            .map(|kind| match kind.name() {
                "side" | "who" => "keepers",
                "pool" => "health",
                "hit step" => "guard",
                "status" | "ability, status or damage type" => "waterlogged",
                "mark" => "critical",
                "report" => "wheel_taken",
                other => panic!("{other} must be given"),
            })
            .collect();
        let text = match arguments.as_slice() {
            [] => quantity.name().to_owned(),
            some => format!("{}({})", quantity.name(), some.join(", ")),
        };
        let figure = game.measure("night_shift", &[&text], &plan).unwrap().remove(0);
        assert!(figure.value.is_none_or(|value| value >= 0.0 && value.is_finite()), "{text}: {figure:?}");
    }
}
