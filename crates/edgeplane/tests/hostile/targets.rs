//! Properties that hold for hostile input, one function for each entry point. Coverage-guided fuzzing (`fuzz/`) calls
//! them with inputs that reach new code, the tests with the corpus and random inputs.

#![allow(unreachable_pub, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::sync::{Arc, OnceLock};

#[path = "calls.rs"]
mod calls;
#[path = "edits.rs"]
mod edits;

pub use calls::calls;

use edits::{Bytes, edited, seeds};

use edgeplane::fight::{FightErrorKind, Limits, Logged, SavedFight};
use edgeplane::study::{StudyPart, TrialsPlan, merge_parts, run_part};
use edgeplane::{Ending, Error, Event, Fight, Game, Log, Setup, Sources, Time};

/// The message of an error can be printed, and its spans lie within its files.
fn is_sound(error: &Error) {
    assert!(!error.to_string().is_empty());
    if let Error::Ruleset { sources, diagnostics } = error {
        assert!(!diagnostics.is_empty());
        for diagnostic in diagnostics {
            for span in diagnostic.labels.iter().map(|label| label.span) {
                let text = sources.file(span.file).text();
                let (start, end) = (span.start as usize, span.end as usize);
                assert!(start <= end && text.is_char_boundary(start) && text.is_char_boundary(end), "{diagnostic:?}");
            }
        }
    }
}

/// A low limit of steps, so that endless fights are detected soon.
const LIMITS: Limits = Limits { steps: 1_200, waves: 60, chain: 60 };

fn begins(game: &Game, encounter: &str, seed: u64) -> Option<Fight> {
    let fight = game.fight(encounter, seed).ok()?.with_limits(LIMITS);
    // Large crowds are merely slow.
    (fight.setup().combatants.len() <= 24).then_some(fight)
}

/// Any text is read, or its errors are reported.
pub fn reader(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    match Game::from_text("fuzz.toml", &text) {
        Ok(game) => play_some(&game, 1),
        Err(error) => is_sound(&error),
    }
}

fn play_some(game: &Game, seed: u64) {
    for encounter in game.program().encounters().iter().take(2) {
        if let Some(mut fight) = begins(game, &encounter.name, seed) {
            let _ = fight.run(&mut Log::default());
        }
    }
}

/// Any formula is parsed, or its errors are reported; its value is a number, or an error.
pub fn formulas(data: &[u8]) {
    let text = String::from_utf8_lossy(data).replace(['\'', '\r'], " ");
    let rules = format!(
        "[attributes]\nheft = 7\nguard = {{ per = \"damage_type\", base = 2 }}\n[pools]\nhealth = {{ max = 60, defeat = true }}\n\
         wind = {{ max = 30, regen = 2 }}\n[damage_types]\nblow = {{}}\nchill = {{}}\n[formula.half]\nargs = [\"x\"]\nis = \"x / 2\"\n\
         [status.damp]\nduration = 3\nmax_stacks = 4\n\
         [ability.swing]\ncooldown = 1\ndoes = [{{ damage = '''{text}''', type = \"blow\" }}, {{ apply = \"damp\", when = '''{text}''' }}]\n\
         [policy.plan]\nuse = [{{ ability = \"swing\", when = '''{text}''' }}, {{ ability = \"swing\" }}]\n\
         [character.one]\nabilities = [\"swing\"]\npolicy = \"plan\"\nattributes.heft = '''{text}'''\n\
         [encounter.bout]\nsides.a = [\"one\"]\nsides.b = [\"one\"]\ntime_limit = 20\n"
    );
    // One context after the other, since what is valid in one is not in another.
    let places: Vec<usize> = rules.match_indices(&format!("'''{text}'''")).map(|(at, _)| at).collect();
    for keep in 0..places.len() {
        let mut only = rules.clone();
        for (number, at) in places.iter().enumerate().rev() {
            if number != keep {
                let plain = ["3", "true", "true", "7"].get(number).copied().unwrap_or("1");
                only.replace_range(*at..*at + text.len() + 6, &format!("'{plain}'"));
            }
        }
        match Game::from_text("fuzz.toml", &only) {
            Ok(game) => play_out(&game, "bout", 3, &mut Bytes(&[7, 3])),
            Err(error) => is_sound(&error),
        }
    }
}

/// A ruleset with sheets.
const WITH_SHEETS: [(&str, &str); 4] = [
    (
        "rules.toml",
        "[attributes]\nmight = 10\nhide = { per = \"damage_type\", base = 0 }\n[pools]\nhealth = { max = 40, defeat = true }\n\
         [damage_types]\nblow = {}\nchill = {}\n[ability.hit]\ndoes = [{ type = \"blow\", spread = 0.1 }]\n\
         [ability.hold]\ncooldown = 3\ndoes = [{ damage = \"1 + might_of(2)\", type = \"chill\" }]\n\
         [sheet.moves]\nfile = \"moves.csv\"\nof = \"ability\"\n[sheet.beasts]\nfile = \"beasts.csv\"\nof = \"character\"\n\
         [sheet.growth]\nfile = \"growth.csv\"\nof = \"curve\"\n\
         [encounter.bout]\nsides.one = [\"eel\"]\nsides.other = [\"crab\"]\ntime_limit = 30\n",
    ),
    ("moves.csv", "name,cast,does.0.damage\nhit,0.2,\"3 + caster.might / 2\"\nhold,,\n"),
    (
        "beasts.csv",
        "name,about,abilities,attributes.might,\"attributes.\"\"hide.chill\"\"\"\n\
         eel,\"long, and cold\",\"[\"\"hit\"\", \"\"hold\"\"]\",12,0.5\ncrab,,\"[\"\"hit\"\"]\",,\n",
    ),
    ("growth.csv", "at,might_of,pace\n1,2,1\n5,10,\n9,,3\n"),
];

/// Any sheet is read, as a part of a ruleset and for import; imported values are in the files afterwards.
pub fn sheets(data: &[u8]) {
    let Some((how, rest)) = data.split_first() else { return };
    let (which, raw) = (1 + usize::from(*how) % 3, how / 3 % 2 == 0);
    let of = ["", "ability", "character", "curve"][which];
    let csv = match raw {
        true => String::from_utf8_lossy(rest).into_owned(),
        false => edited(WITH_SHEETS[which].1, &mut Bytes(rest), &seeds().words),
    };
    let with = |csv: &str| {
        let mut sources = Sources::default();
        for (number, (name, text)) in WITH_SHEETS.iter().enumerate() {
            sources.add(*name, if number == which { csv } else { *text });
        }
        Game::from_sources(sources, &[])
    };
    match with(&csv) {
        Ok(game) => play_some(&game, 1),
        Err(error) => is_sound(&error),
    }
    let game = with(WITH_SHEETS[which].1).unwrap();
    match game.take_sheet(of, "taken.csv", &csv) {
        Err(error) => is_sound(&error),
        Ok(taken) => {
            let mut sources = Sources::default();
            for file in game.sources().files() {
                let changed = taken.files.iter().find(|(path, _)| path.to_string_lossy() == file.name());
                sources.add(file.name(), changed.map_or(file.text(), |(_, text)| text.as_str()));
            }
            let after = Game::from_sources(sources, &[]).unwrap();
            for change in &taken.changes {
                // Numbers may be written differently.
                let number = |text: &str| text.parse::<f64>().map_err(|_| text.to_owned());
                if let Some(there) = after.written_at(&change.path) {
                    assert_eq!(number(&there), number(&change.after), "{change:?}");
                }
            }
        }
    }
}

/// Any part of a study is merged or refused.
pub fn parts(data: &[u8]) {
    static WHOLE: OnceLock<(Arc<Setup>, String)> = OnceLock::new();
    let (setup, whole) = WHOLE.get_or_init(|| {
        let game = Game::from_text("small.toml", include_str!("../../examples/rulesets/small.toml")).unwrap();
        let setup = Arc::new(Setup::of(game.program(), game.encounter("duel").unwrap()));
        let plan = TrialsPlan { trials: 600, threads: Some(1), ..TrialsPlan::default() };
        let part = run_part(&setup, &plan, (1, 1), &|_| ()).unwrap();
        (setup, serde_json::to_string(&part).unwrap())
    });
    let Some((how, rest)) = data.split_first() else { return };
    let text = match how % 2 {
        0 => edited(whole, &mut Bytes(rest), &seeds().words),
        _ => String::from_utf8_lossy(rest).into_owned(),
    };
    if let Ok(part) = serde_json::from_str::<StudyPart>(&text) {
        let _ = merge_parts(setup, std::slice::from_ref(&part));
        let unchanged: StudyPart = serde_json::from_str(whole).unwrap();
        let _ = merge_parts(setup, &[unchanged, part]);
    }
}

/// A manipulated save is refused or continues; it never causes a panic.
pub fn saves(data: &[u8]) {
    static GAMES: OnceLock<Vec<(Game, Vec<String>)>> = OnceLock::new();
    let games = GAMES.get_or_init(|| {
        let all = seeds().rulesets.iter().filter_map(|files| open(files).ok());
        all.map(|game| {
            let mut saves = Vec::new();
            for encounter in game.program().encounters() {
                let Some(mut fight) = begins(&game, &encounter.name, 5) else { continue };
                let _ = fight.advance(Time::from_seconds(4.3), &mut Log::default());
                saves.push(serde_json::to_string(&fight.save()).unwrap());
            }
            // A world into which all characters have been spawned.
            let mut world = game.world_on_ground(&["a", "b"], 5).with_limits(LIMITS);
            for number in 0..game.program().characters().len() {
                let (who, side) = (edgeplane::CharacterId(number as u16), edgeplane::SideId(number as u16 % 2));
                let _ = world.spawn(who, side, [number as f64, 0.0], &mut Log::default());
            }
            saves.push(serde_json::to_string(&world.save()).unwrap());
            (game, saves)
        })
        .filter(|(_, saves)| !saves.is_empty())
        .collect()
    });
    let mut bytes = Bytes(data);
    let (game, saves) = &games[bytes.next() % games.len()];
    let save = &saves[bytes.next() % saves.len()];
    let mut value: serde_json::Value = serde_json::from_str(save).unwrap();
    // The body has a checksum: changes in it are refused. The header is read before.
    let body = value.as_object_mut().unwrap().remove("body").unwrap();
    let head = edited(&value.to_string(), &mut bytes, &seeds().words);
    let Ok(mut value) = serde_json::from_str::<serde_json::Value>(&head) else { return };
    let Some(head) = value.as_object_mut() else { return };
    head.insert("body".to_owned(), body);
    let Ok(saved) = serde_json::from_value::<SavedFight>(value) else { return };
    match game.load(&saved) {
        Ok(fight) => {
            let _ = fight.with_limits(LIMITS).run(&mut Log::default());
        }
        Err(error) => is_sound(&error),
    }
}

fn open(files: &[(String, String)]) -> Result<Game, Error> {
    let mut sources = Sources::default();
    for (name, text) in files {
        sources.add(name.as_str(), text.as_str());
    }
    Game::from_sources(sources, &[])
}

/// Any valid ruleset can be played, with its properties: pools stay within their caps, defeated combatants do not act,
/// frames, snapshots and saves have no effect.
pub fn fights(data: &[u8]) {
    fought(data);
}

/// The same; returns whether the ruleset was valid and there was a fight.
pub fn fought(data: &[u8]) -> bool {
    let mut bytes = Bytes(data);
    let seeds = seeds();
    let mut files = seeds.rulesets[bytes.next() % seeds.rulesets.len()].clone();
    let (which, seed) = (bytes.next(), bytes.next() as u64);
    let mut rest = Bytes(bytes.0);
    let file = rest.next() % files.len();
    files[file].1 = edited(&files[file].1, &mut rest, &seeds.words);
    match open(&files) {
        Ok(game) => {
            let encounters = game.program().encounters();
            if encounters.is_empty() {
                return false;
            }
            let encounter = encounters[which % encounters.len()].name.clone();
            play_out(&game, &encounter, seed, &mut Bytes(data));
            true
        }
        Err(error) => {
            is_sound(&error);
            false
        }
    }
}

fn play_out(game: &Game, encounter: &str, seed: u64, bytes: &mut Bytes) {
    let Some(mut fight) = begins(game, encounter, seed) else { return };
    let mut whole = Log::default();
    let outcome = fight.run(&mut whole);
    if let Err(error) = &outcome {
        assert!(!error.to_string().is_empty());
        assert!(!matches!(error.kind, FightErrorKind::Call { .. }), "{error}");
        assert_eq!(fight.ending(), Some(Ending::Failed));
    }
    pools_are_within(&fight);
    look_through(&fight, &whole.events);

    // In frames, with looking ahead on the way, and once through a save.
    let mut framed = Log::default();
    let mut fight = begins(game, encounter, seed).unwrap();
    let mut failed = None;
    for frame in 1..=60_u32 {
        let until = Time::from_seconds(f64::from(frame) * (0.05 + f64::from(frame % 7) * 0.4));
        let until = until.max(fight.now());
        if frame % 9 == 4 {
            let here = fight.snapshot();
            let _ = fight.advance(fight.now() + Time::from_seconds(1.7), &mut Log::default());
            fight.restore(&here).unwrap();
        }
        if frame == 5 + bytes.next() as u32 % 20 && fight.ending().is_none() {
            let saved = serde_json::to_string(&fight.save()).unwrap();
            fight = game.load(&serde_json::from_str(&saved).unwrap()).unwrap().with_limits(LIMITS);
        }
        match fight.advance(until, &mut framed) {
            Ok(Some(_)) => break,
            Ok(None) => pools_are_within(&fight),
            Err(error) => {
                failed = Some(error);
                break;
            }
        }
    }
    if failed.is_none() && fight.ending().is_none() {
        failed = fight.run(&mut framed).err();
    }
    let differ = whole.events.iter().zip(&framed.events).find(|(one, other)| one != other);
    assert!(differ.is_none(), "{differ:?}");
    assert_eq!(outcome.err().map(|error| error.to_string()), failed.map(|error| error.to_string()));
    assert_eq!(whole.events.len(), framed.events.len());
}

fn pools_are_within(fight: &Fight) {
    for who in fight.setup().ids() {
        for pool in 0..fight.setup().program().pools().len() {
            let pool = edgeplane::PoolId(pool as u16);
            let (amount, cap) = (fight.pool(who, pool), fight.cap(who, pool));
            assert!(amount.is_finite() && amount >= 0.0 && amount <= cap, "{amount} of {cap}");
        }
    }
}

fn look_through(fight: &Fight, events: &[Logged]) {
    let mut fallen: Vec<Option<Time>> = vec![None; fight.setup().combatants.len()];
    let mut before = Time::ZERO;
    for logged in events {
        assert!(logged.at >= before, "time runs on");
        before = logged.at;
        match logged.event {
            Event::Defeated { who, .. } => fallen[who.index()] = Some(logged.at),
            Event::Revived { target, .. } => fallen[target.index()] = None,
            Event::Used { caster, .. } | Event::Released { caster, .. } => {
                assert!(fallen[caster.index()].is_none_or(|at| at >= logged.at), "{logged:?}");
            }
            Event::Hit { dealt, over, amount, left, .. } => {
                assert!(dealt >= 0.0 && over >= 0.0 && left >= 0.0, "{logged:?}");
                assert!((dealt + over - amount).abs() <= 1e-9 * amount.abs().max(1.0), "{logged:?}");
            }
            Event::Healed { healed, over, amount, .. } => {
                assert!(healed >= 0.0 && over >= 0.0, "{logged:?}");
                assert!((healed + over - amount).abs() <= 1e-9 * amount.abs().max(1.0), "{logged:?}");
            }
            _ => {}
        }
    }
}
