//! Diagnostics. Cases are data: every file under `cases/bad` ends with its expected diagnostics in order, each as `#!
//! line:column code +other:places | message`.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;

use edgeplane::text::{Code, Override, Severity};
use edgeplane::{Diagnostic, Error, Game, Sources};
use proptest::prelude::*;

const CASES: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/cases");

fn printed(error: Error, with_file: bool) -> (Vec<String>, Vec<Diagnostic>) {
    let Error::Ruleset { sources, diagnostics } = error else { panic!("not a ruleset's error: {error}") };
    (lines(&sources, &diagnostics, with_file), diagnostics)
}

fn lines(sources: &Sources, diagnostics: &[Diagnostic], with_file: bool) -> Vec<String> {
    let line = |diagnostic: &Diagnostic| {
        let mut places = diagnostic.labels.iter().map(|label| sources.place(label.span));
        let mut line = "#! ".to_owned();
        if let Some(first) = places.next() {
            let file = Path::new(&first.file).file_name().unwrap().to_string_lossy().into_owned();
            let file = if with_file { format!("{file}:") } else { String::new() };
            line.push_str(&format!("{file}{}:{} ", first.line, first.column));
        }
        line.push_str(diagnostic.code.name());
        places.for_each(|place| line.push_str(&format!(" +{}:{}", place.line, place.column)));
        format!("{line} | {}", diagnostic.message)
    };
    diagnostics.iter().map(line).collect()
}

#[test]
fn every_broken_ruleset_is_reported() {
    let mut cases = 0;
    let mut shown: BTreeSet<Code> = BTreeSet::new();
    let mut wrong = Vec::new();
    for entry in fs::read_dir(format!("{CASES}/bad")).unwrap() {
        let path = entry.unwrap().path();
        let folder = path.is_dir();
        let expected = fs::read_to_string(if folder { path.join("expected.txt") } else { path.clone() }).unwrap();
        let expected: Vec<&str> = expected.lines().filter(|line| line.starts_with("#!")).collect();
        let (found, diagnostics) = printed(Game::open(&path).expect_err(&path.display().to_string()), folder);
        shown.extend(diagnostics.iter().map(|diagnostic| diagnostic.code));
        if found != expected || expected.is_empty() {
            wrong.push(format!("{}\n  expected {expected:#?}\n  found {found:#?}", path.display()));
        }
        cases += 1;
    }
    for entry in fs::read_dir(format!("{CASES}/suspicious")).unwrap() {
        let path = entry.unwrap().path();
        let folder = path.is_dir();
        let expected = fs::read_to_string(if folder { path.join("expected.txt") } else { path.clone() }).unwrap();
        let expected: Vec<&str> = expected.lines().filter(|line| line.starts_with("#!")).collect();
        let game = Game::open(&path).unwrap_or_else(|error| panic!("{}: {error}", path.display()));
        let warnings = game.program().warnings();
        assert!(warnings.iter().all(|warning| warning.severity == Severity::Warning), "{}", path.display());
        shown.extend(warnings.iter().map(|warning| warning.code));
        let found = lines(game.program().sources(), warnings, folder);
        if found != expected || expected.is_empty() {
            wrong.push(format!("{}\n  expected {expected:#?}\n  found {found:#?}", path.display()));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(cases >= 100, "only {cases} cases were walked");
    // These three do not concern the content of a file and have tests of their own.
    let elsewhere = [Code::UnreadableFile, Code::UnknownPath, Code::FightFault];
    let missing: Vec<&str> = Code::ALL
        .iter()
        .filter(|code| !shown.contains(code) && !elsewhere.contains(code))
        .map(|code| code.name())
        .collect();
    assert!(missing.is_empty(), "no case shows {missing:?}");
}

#[test]
fn unreadable_files_are_reported() {
    for path in ["no/such/folder", concat!(env!("CARGO_MANIFEST_DIR"), "/../src")] {
        let Err(Error::Ruleset { diagnostics, .. }) = Game::open(path) else { panic!("{path} was read") };
        assert_eq!(diagnostics[0].code, Code::UnreadableFile, "{path}");
    }
}

fn set(path: &str, value: &str) -> Result<Game, Error> {
    let set = Override { path: path.to_owned(), value: value.to_owned() };
    Game::open_with(concat!(env!("CARGO_MANIFEST_DIR"), "/../../../demo/weir-nine"), &[set])
}

#[test]
fn a_value_set_on_the_command_line_is_checked_like_any_other() {
    for (path, value, expected) in [
        ("abilty.boathook.cast", "1", "#! 1:1 unknown-path | the path has no entry `abilty` here"),
        ("attributes.hefd", "1", "#! 1:1 unknown-path | the path has no entry `hefd` here"),
        ("hit_steps.gard.amount", "1", "#! 1:1 unknown-path | the path has no entry `gard` here"),
        ("ability.boathook.cats", "1", "#! 1:1 unknown-key | `ability.boathook` has no key `cats`"),
        ("character.lockhand.attributes.hefd", "1", "#! 1:1 unknown-name | no attribute is called `hefd`"),
        ("ability.boathook.cast", "1 +", "#! 1:4 formula-syntax | expected a value before the end of the formula"),
        ("pools.breath.defeat", "3", "#! 1:1 wrong-type | `pools.breath.defeat` is a number; it takes true or false"),
    ] {
        let (found, _) = printed(set(path, value).expect_err(path), false);
        assert_eq!(found, [expected], "{path}={value}");
    }
}

#[test]
fn a_value_can_be_set_wherever_a_number_stands() {
    for (path, value) in [
        ("ability.boathook.does.0.damage", "10"),
        ("ability.boathook.does.0.spread", "0"),
        ("hit_steps.guard.amount", "amount - target.guard / 10"),
        ("attributes.guard.max", "50"),
        ("attributes.aim", "0.1"),
        ("attributes.aim.max", "0.5"),
        ("character.lockhand.attributes.resist.silt", "0.3"),
        ("character.lockhand.attributes.resist.glare", "0.3"),
        ("encounter.night_shift.sides.silt.0.count", "5"),
        ("policy.front_line.use.brace.when", "self.health.share < 20%"),
        ("curve.grit_by_level.points.1", "[10, 20]"),
        ("ruleset.rounding", "nearest"),
    ] {
        assert!(set(path, value).is_ok(), "{path}={value}: {}", set(path, value).unwrap_err());
    }
}

fn demo_text() -> String {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../../demo/weir-nine");
    let mut files: Vec<_> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    files.sort();
    files.iter().map(|path| fs::read_to_string(path).unwrap()).collect::<Vec<_>>().join("\n")
}

/// A text with some of its characters removed, doubled or replaced.
fn mutated(text: &str, edits: &[(usize, u8, char)]) -> String {
    let mut letters: Vec<char> = text.chars().collect();
    for (at, kind, letter) in edits {
        let at = at % letters.len().max(1);
        match kind % 4 {
            0 => letters.insert(at, *letter),
            1 if at < letters.len() => letters[at] = *letter,
            2 if at < letters.len() => drop(letters.remove(at)),
            _ => {
                let end = (at + usize::from(*kind)).min(letters.len());
                letters.drain(at..end);
            }
        }
    }
    letters.into_iter().collect()
}

fn sound_or_reported(text: &str) -> Result<(), TestCaseError> {
    match Game::from_sources(Sources::from_text("mutated.toml", text), &[]) {
        Ok(game) => {
            // A valid ruleset must play, or report why it cannot continue.
            for encounter in game.program().encounters() {
                let _ = game.play(&encounter.name, 1);
            }
        }
        Err(Error::Ruleset { sources, diagnostics }) => {
            prop_assert!(!diagnostics.is_empty());
            for diagnostic in diagnostics {
                prop_assert!(!diagnostic.line(&sources).is_empty());
            }
        }
        Err(other) => prop_assert!(false, "{other}"),
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn a_mutated_ruleset_never_panics(edits in prop::collection::vec((any::<usize>(), any::<u8>(), any::<char>()), 1..12)) {
        sound_or_reported(&mutated(&demo_text(), &edits))?;
    }

    #[test]
    fn words_of_a_ruleset_in_any_order_never_panic(picks in prop::collection::vec(any::<prop::sample::Index>(), 1..60)) {
        let text = demo_text();
        let words: Vec<&str> = text.split_inclusive([' ', '\n']).collect();
        let mixed: String = picks.iter().map(|pick| *pick.get(&words)).collect();
        sound_or_reported(&mixed)?;
    }

    #[test]
    fn any_text_is_a_formula_or_an_error(text in "\\PC{0,60}") {
        let _ = edgeplane::formula::parse(&text);
    }

    #[test]
    fn any_mixture_of_tokens_is_a_formula_or_an_error(
        tokens in prop::collection::vec(
            prop::sample::select(vec![
                "1", "0.5", "15%", "level", "self.health", "(", ")", "+", "-", "*", "/", "^", "<", ">=", "==", "and", "or",
                "not", "if", ",", "min", "roll", "between", "dice", "softened", "grit_by_level", "heft", "true", ".", "  ",
            ]),
            0..40,
        )
    ) {
        let text = tokens.join(" ");
        let _ = edgeplane::formula::parse(&text);
        let _ = set("character.lockhand.attributes.heft", &format!("'''{text}'''"));
        let _ = set("ability.boathook.does.0.damage", &format!("'''{text}'''"));
    }
}

/// A word of an earlier version is answered with the new one.
#[test]
fn old_words_lead_to_the_new_ones() {
    let text = include_str!("cases/bad/old_words.toml");
    let Err(Error::Ruleset { diagnostics, .. }) = Game::from_text("old.toml", text) else { panic!("sound") };
    let helps: Vec<&str> = diagnostics.iter().filter_map(|diagnostic| diagnostic.help.as_deref()).collect();
    for (old, new) in [
        ("again", "reapply"),
        ("sticky", "cleansable = false"),
        ("fell", "defeated"),
        ("owner_fell", "owner_defeated"),
        ("inflict", "apply"),
        ("withheld", "can_learn"),
        ("worth", "reward"),
    ] {
        let help = format!("`{old}` is now written `{new}`");
        assert!(helps.contains(&help.as_str()), "{help}: {helps:?}");
    }
    let game = crate::common::demo();
    let refused = game.measure("duel", &["fall_rate(lockhand)"], &edgeplane::TrialsPlan::default()).unwrap_err();
    assert!(refused.to_string().contains("`fall_rate` is now written `defeat_rate`"), "{refused}");
}

/// A general word, a longer one, or a section in place of a list is answered with the valid form.
#[test]
fn general_words_lead_to_those_of_the_format() {
    let help_of = |text: &str| {
        let Err(Error::Ruleset { diagnostics, .. }) = Game::from_text("first.toml", text) else {
            panic!("{text}: sound")
        };
        diagnostics.iter().find_map(|diagnostic| diagnostic.help.clone()).unwrap()
    };
    for (text, help) in [
        ("title = \"Mine\"", "did you mean `ruleset`?"),
        ("[expectation]", "did you mean `expect`?"),
        ("[status.slow]\nduration = 1\nmodifiers = []", "did you mean `modify`?"),
        ("[ability.jab]\ntargets = { who = \"allies\" }\ndoes = [{ interrupt = true }]", "did you mean `side`?"),
        ("[[hit_steps]]\nname = \"lucky\"\nmark = \"lucky\"\nwhen = \"chance(10%)\"", "did you mean `roll`?"),
        ("[status.slow]\nduration = \"inf\"", "an unlimited time is written as a number, without quotes: `inf`"),
        (
            "[status.thorns]\nduration = 3\non = [{ event = \"hit_taken\", when = \"owner.level > 2\", does = [{ interrupt = true }] }]",
            "did you mean `self`?",
        ),
        ("[policy.bold]\nlines = [\"jab\"]", "did you mean `use`?"),
        ("[policy.bold]\nuse = [{ use = \"jab\", when = \"self.level > 2\" }]", "did you mean `ability`?"),
        (
            "[status.s]\nduration = 1\non = [{ event = \"pool_falls\", does = [] }]",
            "did you mean `pool_below` or `pool_above`?",
        ),
        (
            "[pools.health]\nmax = 5\n[status.s]\nduration = 1\nwhile = \"health < 5\"",
            "write `self.health` or `caster.health`",
        ),
        (
            "[damage_types.silt]\n[attributes]\nward = { base = 0, per = \"damage_type\" }\n[[hit_steps]]\nname = \"ward\"\namount = \"amount * target.ward.this\"",
            "the value for the current damage type is the attribute alone, without `.this`; the types are `silt`",
        ),
        ("[[expect]]\nencounter = \"duel\"\nthat = \"draw_rate\"\nat_most = 0.1", "did you mean `in`?"),
        ("[ability.jab]\nmana_cost = 3\ndoes = [{ interrupt = true }]", "did you mean `cost`?"),
        ("[ability.jab]\ntargets = \"enemy\"\ndoes = [{ interrupt = true }]", "did you mean `enemies`?"),
        ("[encounter.duel]\nteam1 = [\"a\"]", "did you mean `sides`?"),
        ("[characters.crab]", "did you mean `character`?"),
        ("[status.s]\nduration = \"5s\"", "omit the unit: times are in seconds, lengths in metres"),
        ("[ability.fire]\ndamage = 10", "for example: does = [{ damage = 10 }]"),
        ("[ability.fire]\nheal = 10\ndoes = [{ heal = 3 }]", "write `does = [{ heal = … }]`"),
        ("[status.burn]\nduration = 3\ndamage = 2", "write `every = { period = 1, does = [{ damage = … }] }`"),
        (
            "[zone.fog]\nradius = 3\naffects = \"everyone\"\ndamage = 2",
            "write `enters = [{ damage = … }]`, or `apply` a status that ticks",
        ),
        (
            "[encounter.spar]\nsides.a = []\nability.fire.does = [{ damage = 3 }]",
            "`ability` is a section, and this key is within another table: write `[ability.…]`",
        ),
        (
            "[ability.fire]\ncooldown = 5s",
            "texts and formulas are in quotes, and numbers have no units; nothing else in this file was checked",
        ),
        ("[character.crab]\nstrength = 12", "attributes of a character are in `attributes = { strength = … }`"),
        (
            "[ability.fire]\ntargets = \"weakest\"\ndoes = [{ interrupt = true }]",
            "write `targets = { side = \"enemies\", pick = \"weakest\" }`",
        ),
        (
            "[ability.fire]\ntargets = \"all_allies\"\ndoes = [{ interrupt = true }]",
            "write `targets = { side = \"allies\", count = \"all\" }`",
        ),
        (
            "[pools.hp]\nmax = 5\n[status.s]\nduration = 3\nmodify = [{ attribute = \"hp\", add = 2 }]",
            "its cap can depend on an attribute: `max = \"…\"`",
        ),
        (
            "[pools.hp]\nmax = 5\ndefeat = true\n[ability.fire]\ndoes = [{ damage = \"3-6\" }]",
            "a random number in a range is `between(low, high)`",
        ),
        ("[expect.fair]\nthat = \"draw_rate\"", "write each of them under `[[expect]]`; none has a name in brackets"),
    ] {
        assert_eq!(help_of(text), help, "{text}");
    }
}
