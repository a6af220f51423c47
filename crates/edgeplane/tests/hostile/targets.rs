//! What hostile input must not do, one function for each way in. Coverage-guided fuzzing (`fuzz/`) calls them with inputs
//! that reach new code, the tests with inputs that were worth keeping and with many others.

#![allow(unreachable_pub, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

use edgeplane::fight::{FightErrorKind, Limits, Logged, SavedFight};
use edgeplane::study::{StudyPart, TrialsPlan, merge_parts, run_part};
use edgeplane::{Ending, Error, Event, Fight, Game, Log, Setup, Sources, Time};

/// Bytes that decide something, one after the other; zeros when they are used up.
struct Bytes<'a>(&'a [u8]);

impl Bytes<'_> {
    fn next(&mut self) -> usize {
        match self.0.split_first() {
            Some((first, rest)) => {
                self.0 = rest;
                usize::from(*first)
            }
            None => 0,
        }
    }

    fn two(&mut self) -> usize {
        self.next() << 8 | self.next()
    }

    fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

/// Rulesets to begin with, each a list of files, and all the words in them.
struct Seeds {
    rulesets: Vec<Vec<(String, String)>>,
    words: Vec<String>,
}

const NUMBERS: [&str; 24] = [
    "0",
    "1",
    "-1",
    "0.5",
    "2",
    "3",
    "10",
    "100",
    "1000",
    "1e6",
    "1e9",
    "1e15",
    "1e-9",
    "0.1",
    "1.5",
    "-0.5",
    "64",
    "65",
    "1023",
    "inf",
    "1e308",
    "0.000001",
    "4294967296",
    "9007199254740993",
];

fn root() -> PathBuf {
    let here = Path::new(env!("CARGO_MANIFEST_DIR"));
    // The folder of the library, or the one of its fuzzing below it.
    if here.ends_with("fuzz") { here.parent().unwrap().to_owned() } else { here.to_owned() }
}

fn files_of(folder: &Path) -> Vec<PathBuf> {
    let mut files: Vec<PathBuf> = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    files.sort();
    files.retain(|file| file.extension().is_some_and(|kind| kind == "toml" || kind == "csv"));
    files
}

fn seeds() -> &'static Seeds {
    static SEEDS: OnceLock<Seeds> = OnceLock::new();
    SEEDS.get_or_init(|| {
        let root = root();
        let read = |path: &PathBuf| {
            (path.file_name().unwrap().to_string_lossy().into_owned(), std::fs::read_to_string(path).unwrap())
        };
        let mut rulesets: Vec<Vec<(String, String)>> =
            files_of(&root.join("tests/cases/fights")).iter().map(|path| vec![read(path)]).collect();
        rulesets.extend(files_of(&root.join("examples/rulesets")).iter().map(|path| vec![read(path)]));
        for demo in ["tide-mill", "lock-house", "weir-nine"] {
            rulesets.push(files_of(&root.join("../../demo").join(demo)).iter().map(read).collect());
        }
        let texts = rulesets.iter().flatten().map(|(_, text)| text.as_str());
        let mut words: Vec<String> = texts
            .flat_map(|text| {
                let ours = spans(text);
                ours.into_iter().filter(|(class, ..)| *class == Class::Word).map(|(_, a, b)| text[a..b].to_owned())
            })
            .collect();
        words.sort();
        words.dedup();
        Seeds { rulesets, words }
    })
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Class {
    Word,
    Number,
    Mark,
}

/// The words, numbers and marks of a text, with where they begin and end.
fn spans(text: &str) -> Vec<(Class, usize, usize)> {
    let bytes = text.as_bytes();
    let (mut all, mut at) = (Vec::new(), 0);
    while at < bytes.len() {
        let first = bytes[at];
        let run = |inside: fn(u8) -> bool| bytes[at..].iter().take_while(|byte| inside(**byte)).count();
        let (class, length) = match first {
            b'a'..=b'z' | b'A'..=b'Z' | b'_' => {
                (Some(Class::Word), run(|byte| byte.is_ascii_alphanumeric() || byte == b'_'))
            }
            b'0'..=b'9' => (Some(Class::Number), run(|byte| byte.is_ascii_digit() || byte == b'.')),
            b'#' => (None, bytes[at..].iter().take_while(|byte| **byte != b'\n').count()),
            0x21..=0x7e => (Some(Class::Mark), 1),
            0..=0x7f => (None, 1),
            _ => (None, text[at..].chars().next().map_or(1, char::len_utf8)),
        };
        if let Some(class) = class {
            all.push((class, at, at + length));
        }
        at += length;
    }
    all
}

/// A text with some of its words, numbers and lines changed, as the bytes say.
fn edited(text: &str, bytes: &mut Bytes, words: &[String]) -> String {
    let mut text = text.to_owned();
    for _ in 0..12 {
        if bytes.is_empty() || text.is_empty() {
            break;
        }
        let (how, at, other) = (bytes.next(), bytes.two(), bytes.two());
        let all = spans(&text);
        let pick = |class: Class, number: usize| {
            let of_class: Vec<_> = all.iter().filter(|one| one.0 == class).collect();
            (!of_class.is_empty()).then(|| *of_class[number % of_class.len()])
        };
        let lines: Vec<&str> = text.split_inclusive('\n').collect();
        text = match how % 9 {
            0 | 1 => {
                let Some((_, a, b)) = pick(Class::Number, at) else { continue };
                format!("{}{}{}", &text[..a], NUMBERS[other % NUMBERS.len()], &text[b..])
            }
            2 => {
                let Some((_, a, b)) = pick(Class::Word, at) else { continue };
                let Some((_, c, d)) = pick(Class::Word, other) else { continue };
                format!("{}{}{}", &text[..a], &text[c..d], &text[b..])
            }
            3 => {
                let Some((_, a, b)) = pick(Class::Word, at) else { continue };
                format!("{}{}{}", &text[..a], words[other % words.len()], &text[b..])
            }
            4 => {
                let Some((_, a, b)) = pick(Class::Mark, at) else { continue };
                let Some((_, c, d)) = pick(Class::Mark, other) else { continue };
                format!("{}{}{}", &text[..a], &text[c..d], &text[b..])
            }
            5 => {
                let at = at % lines.len();
                lines.iter().enumerate().filter(|(index, _)| *index != at).map(|(_, line)| *line).collect()
            }
            6 => {
                let (at, other) = (at % lines.len(), other % lines.len());
                let mut lines = lines.clone();
                lines.insert(at, lines[other]);
                lines.concat()
            }
            7 => {
                let Some((_, _, b)) = pick(Class::Word, at) else { continue };
                format!("{} + {}{}", &text[..b], words[other % words.len()], &text[b..])
            }
            _ => {
                let at = at % lines.len();
                let line = format!("{} = {}\n", words[other % words.len()], NUMBERS[bytes.next() % NUMBERS.len()]);
                let mut lines = lines.clone();
                lines.insert(at, &line);
                lines.concat()
            }
        };
    }
    text
}

/// What an error says can be said, and its places lie within its files.
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

/// Few steps: what goes on without end is noticed all the same.
const LIMITS: Limits = Limits { steps: 1_200, waves: 60, chain: 60 };

fn begins(game: &Game, encounter: &str, seed: u64) -> Option<Fight> {
    let fight = game.fight(encounter, seed).ok()?.with_limits(LIMITS);
    // Crowds are slow, and nothing else.
    (fight.setup().combatants.len() <= 24).then_some(fight)
}

/// Any text is read, or what is wrong with it is said.
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

/// Any formula is understood, or what is wrong with it is said; what it gives is a number, or an error.
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
    // One place after the other, since what is right in one is wrong in another.
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

/// A ruleset with sheets, for those who read them.
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

/// Any sheet is read, as a part of a ruleset and to be taken back; what is taken stands there afterwards.
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
                // Numbers may be written in another way.
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

/// A saved fight that was tampered with is refused, or goes on; it never brings the game down.
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
            // A world into which everybody has come.
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
    // The body has a checksum: what is changed there is refused. The head is read before.
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

/// Any ruleset that is sound is fought by, and the promises hold: pools stay within their caps, who is defeated acts no
/// more, frames, snapshots and saves leave no trace.
pub fn fights(data: &[u8]) {
    fought(data);
}

/// The same; says whether the ruleset was sound, and there was a fight.
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

    // In frames, with looks into another future on the way, and once through a save.
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

/// What a game may do to a fight in any order, with numbers and ids of any kind, is done or refused. Looking into another
/// future on the way, and going through a save, leaves no trace. Says how much has happened.
pub fn calls(data: &[u8]) -> usize {
    let Some((first, rest)) = data.split_first() else { return 0 };
    static GAMES: OnceLock<Vec<Game>> = OnceLock::new();
    let games = GAMES.get_or_init(|| seeds().rulesets.iter().filter_map(|files| open(files).ok()).collect());
    let game = &games[usize::from(*first) % games.len()];
    let (plain, with_looks) = (called(game, &mut Bytes(rest), false), called(game, &mut Bytes(rest), true));
    let (Some(plain), Some(with_looks)) = (plain, with_looks) else { return 0 };
    let differ = plain.events.iter().zip(&with_looks.events).find(|(one, other)| one != other);
    assert!(differ.is_none(), "{differ:?}");
    assert_eq!(plain.events.len(), with_looks.events.len());
    plain.events.len()
}

fn called(game: &Game, bytes: &mut Bytes, looks: bool) -> Option<Log> {
    let (kind, seed) = (bytes.next(), bytes.next() as u64);
    let encounters = game.program().encounters();
    let mut fight = match encounters.get(kind % (encounters.len() + 1)) {
        Some(encounter) => begins(game, &encounter.name, seed)?,
        None => game.world_on_ground(&["a", "b"], seed).with_limits(LIMITS),
    };
    let mut log = Log::default();
    let mut number = 0;
    while !bytes.is_empty() && number < 60 {
        number += 1;
        if looks && number % 5 == 0 {
            let here = fight.snapshot();
            let _ = fight.advance(fight.now() + Time::from_seconds(0.9), &mut Log::default());
            fight.restore(&here).unwrap();
        }
        if looks && number % 11 == 0 && fight.ending().is_none() {
            let saved = serde_json::to_string(&fight.save()).unwrap();
            fight = game.load(&serde_json::from_str(&saved).unwrap()).unwrap().with_limits(LIMITS);
        }
        call(&mut fight, bytes, &mut log);
        pools_are_within(&fight);
    }
    let _ = fight.run(&mut log);
    pools_are_within(&fight);
    Some(log)
}

/// One call.
fn call(fight: &mut Fight, bytes: &mut Bytes, log: &mut Log) {
    use edgeplane::program::{CauseId, GearId, Motion, Slot};
    use edgeplane::{AbilityId, CharacterId, CombatantId, PoolId, SideId, StatusId};
    // One id more than there is, now and then.
    fn of(bytes: &mut Bytes, count: usize) -> u16 {
        (bytes.next() % (count + 1)) as u16
    }
    let setup = fight.setup().clone();
    let program = setup.program();
    let who = |bytes: &mut Bytes| CombatantId(of(bytes, setup.combatants.len()));
    let any = |bytes: &mut Bytes| {
        let text = [NUMBERS.as_slice(), &["nan", "-inf", "3", "7", "12"]].concat()[bytes.next() % (NUMBERS.len() + 5)];
        text.parse::<f64>().unwrap()
    };
    let ability = |bytes: &mut Bytes| AbilityId(of(bytes, program.abilities().len()));
    let status = |bytes: &mut Bytes| StatusId(of(bytes, program.statuses().len()));
    let place = |bytes: &mut Bytes| [any(bytes), any(bytes)];
    let is_known = |who: CombatantId| who.index() < setup.combatants.len();
    match bytes.next() % 28 {
        0..4 => {
            let until = fight.now() + Time::from_seconds(f64::from(bytes.next() as u32) / 40.0);
            let _ = fight.advance(until, log);
        }
        4 => _ = fight.apply_status(status(bytes), who(bytes), who(bytes), bytes.next() as u32, log),
        5 => _ = fight.remove_status(status(bytes), who(bytes), log),
        6 => _ = fight.set_pool(who(bytes), PoolId(of(bytes, program.pools().len())), any(bytes)),
        7 => _ = fight.set_base(who(bytes), Slot(of(bytes, 60)), any(bytes), log),
        8 => _ = fight.apply_effects(who(bytes), ability(bytes), who(bytes), log),
        9 => _ = fight.bring_about(CauseId(of(bytes, 2)), Some(who(bytes)), who(bytes), any(bytes), log),
        10 => _ = fight.take_control(who(bytes)),
        11 => _ = fight.use_ability(who(bytes), ability(bytes), Some(who(bytes)), log),
        12 => _ = fight.use_ability(who(bytes), ability(bytes), None, log),
        13 => _ = fight.use_ability_at(who(bytes), ability(bytes), place(bytes), log),
        14 => _ = fight.walk(who(bytes), place(bytes), log),
        15 => _ = fight.stop(who(bytes), log),
        16 => _ = fight.cancel(who(bytes), log),
        17 => _ = fight.wear(who(bytes), GearId(of(bytes, 6)), log),
        18 => _ = fight.take_off(who(bytes), GearId(of(bytes, 6)), log),
        19 => {
            let character = CharacterId(of(bytes, program.characters().len()));
            _ = fight.spawn(character, SideId(of(bytes, 2)), place(bytes), log);
        }
        20 => {
            let who = who(bytes);
            if is_known(who) {
                let handle = fight.handle(who);
                _ = fight.despawn(handle, log);
            }
        }
        21 => _ = fight.move_by_game(who(bytes)),
        22 => _ = fight.set_motion(who(bytes), place(bytes), place(bytes)),
        23 => {
            let motion = |bytes: &mut Bytes| Motion { who: who(bytes), place: place(bytes), velocity: place(bytes) };
            let motions = [motion(bytes), motion(bytes)];
            _ = fight.set_motions(&motions);
        }
        24 => _ = fight.release_control(who(bytes)),
        25 => _ = fight.move_by_policy(who(bytes)),
        26 => _ = fight.set_facing(who(bytes), place(bytes)),
        _ => {
            let (who, ability) = (who(bytes), ability(bytes));
            _ = fight.why_unavailable(who, ability);
            _ = fight.button(who, ability);
            _ = fight.statuses(who);
        }
    }
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
