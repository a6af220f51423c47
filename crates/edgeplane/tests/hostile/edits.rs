//! Initial inputs, and edits of them determined by bytes.

use std::path::{Path, PathBuf};
use std::sync::OnceLock;

/// Bytes that determine choices, one after the other; zeros when they are used up.
pub(super) struct Bytes<'a>(pub(super) &'a [u8]);

impl Bytes<'_> {
    pub(super) fn next(&mut self) -> usize {
        match self.0.split_first() {
            Some((first, rest)) => {
                self.0 = rest;
                usize::from(*first)
            }
            None => 0,
        }
    }

    pub(super) fn two(&mut self) -> usize {
        self.next() << 8 | self.next()
    }

    pub(super) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

/// Initial rulesets, each a list of files, and all words in them.
pub(super) struct Seeds {
    pub(super) rulesets: Vec<Vec<(String, String)>>,
    pub(super) words: Vec<String>,
}

pub(super) const NUMBERS: [&str; 24] = [
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
    // The folder of the library: its tests and its fuzzing are packages below it.
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().to_owned()
}

fn files_of(folder: &Path) -> Vec<PathBuf> {
    let mut files: Vec<PathBuf> = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    files.sort();
    files.retain(|file| file.extension().is_some_and(|kind| kind == "toml" || kind == "csv"));
    files
}

pub(super) fn seeds() -> &'static Seeds {
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

/// The words, numbers and marks of a text, with their ranges.
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

/// A text with some of its words, numbers and lines changed, determined by the bytes.
pub(super) fn edited(text: &str, bytes: &mut Bytes, words: &[String]) -> String {
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
