//! Whether the public interface of the library is the one that `docs/api.txt` lists.
//!
//! Usage: `api RUSTDOC_JSON LISTING [--write]`. What a change adds to the interface, and above all what it takes away or
//! changes, shows as lines of the listing in the same commit: the interface is kept on purpose, or changed on purpose.

use std::collections::BTreeSet;
use std::process::{Command, ExitCode};
use std::{env, fs};

type Failure = Box<dyn std::error::Error>;

/// How many lines of each kind are printed.
const SHOWN: usize = 40;

fn main() -> ExitCode {
    match run() {
        Ok(code) => code,
        Err(error) => {
            eprintln!("{error}");
            ExitCode::from(2)
        }
    }
}

fn run() -> Result<ExitCode, Failure> {
    let arguments: Vec<String> = env::args().skip(1).collect();
    let [json, listing, rest @ ..] = arguments.as_slice() else {
        return Err("usage: api RUSTDOC_JSON LISTING [--write]".into());
    };
    let toolchain = toolchain()?;
    let kept = fs::read_to_string(listing).unwrap_or_default();
    let writes = rest.iter().any(|word| word == "--write");
    // What rustdoc writes differs from version to version, and so do the traits of the standard library.
    if !writes && kept.lines().next() != Some(&toolchain) {
        eprintln!("not compared: {listing} was written with another toolchain than {}", &toolchain[2..]);
        return Ok(ExitCode::SUCCESS);
    }
    let now = format!("{toolchain}\n{}", interface(json)?);
    if writes {
        fs::write(listing, now)?;
        return Ok(ExitCode::SUCCESS);
    }
    let lines = |text: &'_ str| text.lines().map(str::to_owned).collect::<BTreeSet<String>>();
    let (before, after) = (lines(&kept), lines(&now));
    let gone: Vec<&String> = before.difference(&after).collect();
    let new: Vec<&String> = after.difference(&before).collect();
    if gone.is_empty() && new.is_empty() {
        return Ok(ExitCode::SUCCESS);
    }
    for (sign, lines) in [('-', &gone), ('+', &new)] {
        lines.iter().take(SHOWN).for_each(|line| eprintln!("{sign} {line}"));
        if lines.len() > SHOWN {
            eprintln!("{sign} … and {} more", lines.len() - SHOWN);
        }
    }
    eprintln!("\nThe public interface is not the one of {listing}: {} lines are gone, {} are new.", gone.len(), new.len());
    eprintln!("If that is meant: .ci/interface --write");
    Ok(ExitCode::FAILURE)
}

/// The toolchain, as the first line of a listing.
fn toolchain() -> Result<String, Failure> {
    let rustc = env::var("RUSTC").unwrap_or_else(|_| "rustc".to_owned());
    let version = Command::new(rustc).arg("--version").output()?.stdout;
    let version = String::from_utf8(version)?;
    let words: Vec<&str> = version.split_whitespace().take(2).collect();
    Ok(format!("# {}", words.join(" ")))
}

/// Everything public, one line each, with short names for common types. The lines are sorted, since the order in which
/// rustdoc lists impl blocks changes with any of them.
fn interface(json: &str) -> Result<String, Failure> {
    let api = public_api::Builder::from_rustdoc_json(json)
        .omit_blanket_impls(true)
        .omit_auto_trait_impls(true)
        .omit_auto_derived_impls(true)
        .build()?;
    let short = [
        ("edgeplane::", ""),
        ("alloc::string::", ""),
        ("alloc::vec::", ""),
        ("alloc::boxed::", ""),
        ("alloc::sync::", ""),
        ("core::option::", ""),
        ("core::result::", ""),
        ("core::convert::", ""),
    ];
    let plain = |line: String| short.iter().fold(line, |line, (long, short)| line.replace(long, short));
    let lines = api.items().map(|item| plain(item.to_string()) + "\n");
    Ok(lines.collect::<BTreeSet<String>>().into_iter().collect())
}
