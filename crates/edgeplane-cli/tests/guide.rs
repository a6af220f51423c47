//! Checks the guide against the tool: every output is what the tool prints, examples have no unknown keys, links have
//! targets, and the reference is that of this version.

#![allow(clippy::unwrap_used, clippy::panic)]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use edgeplane::text::Code;
use edgeplane::{Error, Game};

const ROOT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");

/// The output of the tool for a command line.
fn printed(words: &[&str]) -> String {
    let output = Command::new(env!("CARGO_BIN_EXE_edgeplane")).args(words).current_dir(ROOT).output().unwrap();
    assert!(matches!(output.status.code(), Some(0 | 1)), "{words:?}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap()
}

/// The Markdown files of the guide and the README, with their texts.
fn pages() -> Vec<(PathBuf, String)> {
    let guide = Path::new(ROOT).join("docs/guide");
    let folders = [guide.clone(), guide.join("reference")];
    let mut paths: Vec<PathBuf> = folders
        .iter()
        .flat_map(|folder| fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()))
        .filter(|path| path.extension().is_some_and(|kind| kind == "md"))
        .collect();
    paths.push(Path::new(ROOT).join("README.md"));
    paths.sort();
    paths.into_iter().map(|path| (path.clone(), fs::read_to_string(path).unwrap())).collect()
}

/// The text between two marks, each time.
fn between<'a>(text: &'a str, from: &'a str, to: &'a str) -> impl Iterator<Item = &'a str> {
    text.split(from).skip(1).map(move |rest| rest.split(to).next().unwrap())
}

#[test]
fn every_output_of_the_guide_is_what_the_tool_prints() {
    let mut shown = 0;
    for (path, text) in pages() {
        for block in between(&text, "<!-- run: ", "<!-- end -->") {
            let (words, rest) = block.split_once(" -->\n```\n").unwrap();
            let words = words.replace("{r}", "demo/weir-nine");
            let blanks = |word: &str| {
                let operators = ["in", "=", "<=", ">=", "+-"];
                operators
                    .iter()
                    .fold(word.to_owned(), |word, one| word.replace(&format!("_{one}_"), &format!(" {one} ")))
            };
            let words: Vec<String> = words.split(' ').map(blanks).collect();
            let found = printed(&words.iter().map(String::as_str).collect::<Vec<_>>());
            let expected = rest.trim_end().strip_suffix("```").unwrap();
            assert_eq!(
                expected.trim_end(),
                found.trim_end(),
                "{}: {words:?}; run docs/guide/outputs.py",
                path.display()
            );
            shown += 1;
        }
    }
    assert!(shown >= 7, "only {shown} outputs were compared");
}

#[test]
fn the_reference_is_the_one_of_this_version() {
    for page in ["keys", "effects", "events", "functions", "measures"] {
        let written = fs::read_to_string(format!("{ROOT}/docs/guide/reference/{page}.md")).unwrap();
        assert_eq!(written.trim_end(), printed(&["reference", page]).trim_end(), "{page}; run docs/guide/outputs.py");
    }
}

/// Names that an example does not define are no errors; unknown keys and words are.
#[test]
fn the_examples_of_the_guide_have_no_keys_that_do_not_exist() {
    let mistakes = [
        Code::UnknownKey,
        Code::WrongType,
        Code::BadValue,
        Code::MissingKey,
        Code::Syntax,
        Code::FormulaSyntax,
        Code::UnknownFunction,
        Code::WrongArguments,
        Code::NotHere,
    ];
    let mut read = 0;
    for (path, text) in pages() {
        for example in between(&text, "```toml\n", "```") {
            read += 1;
            let Err(Error::Ruleset { diagnostics, .. }) = Game::from_text("example.toml", example) else { continue };
            let mistake = diagnostics.iter().find(|diagnostic| mistakes.contains(&diagnostic.code));
            // A fragment need not name the pool that a hit takes from.
            let fragment = |message: &str| message.contains("does not name a pool") || message.contains("damage type");
            if let Some(mistake) = mistake.filter(|mistake| !fragment(&mistake.message)) {
                panic!("{}: {}\n{example}", path.display(), mistake.message);
            }
        }
    }
    assert!(read >= 25, "only {read} examples were read");
}

#[test]
fn the_links_of_the_guide_lead_somewhere() {
    let heading = |line: &str| -> String {
        let words = line.trim_start_matches('#').trim().to_lowercase();
        words
            .chars()
            .filter(|c| c.is_alphanumeric() || " -_".contains(*c))
            .map(|c| if c == ' ' { '-' } else { c })
            .collect()
    };
    for (path, text) in pages() {
        for link in between(&text, "](", ")").filter(|link| !link.contains("://")) {
            let (file, anchor) = link.split_once('#').unwrap_or((link, ""));
            let target = if file.is_empty() { path.clone() } else { path.parent().unwrap().join(file) };
            assert!(target.exists(), "{} links to {link}", path.display());
            if !anchor.is_empty() {
                let page = fs::read_to_string(&target).unwrap();
                let mut headings = page.lines().filter(|line| line.starts_with('#'));
                assert!(headings.any(|line| heading(line) == anchor), "{} links to {link}", path.display());
            }
        }
    }
}
