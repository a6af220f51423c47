//! `edgeplane verify`: checks expectations.

use edgeplane::study::{Expectation, run_expectation};
use edgeplane::{Error, TrialsPlan};

use super::{Failure, Sink, files, stop};
use crate::args::{Format, VerifyArgs};
use crate::view::{progress, text, verdicts};

pub(crate) fn run(args: &VerifyArgs) -> Result<(), Failure> {
    let game = super::open(&args.ruleset)?;
    let rules = super::expectations(&game, &args.encounters)?;
    let title = super::title(&game, &args.ruleset);
    if rules.is_empty() && !game.program().expectations().is_empty() {
        return Err(Failure::Message(format!("{title} has no expectations for {}", args.encounters.join(" or "))));
    }
    if rules.is_empty() {
        let first = game.program().encounters().first().map(|one| {
            let side = one.sides.first().map_or("", |(side, _)| side.as_str());
            let of = format!("that = \"win_rate({side})\"\nin = \"{}\"", one.name);
            format!("; for example\n\n[[expect]]\n{of}\nbetween = [0.45, 0.60]")
        });
        return Err(Failure::Message(format!("{title} has no expectations yet{}", first.unwrap_or_default())));
    }
    let bar = progress::Bar::new(rules.len() as u64, "expectations");
    let plan = TrialsPlan {
        seed: args.seed,
        threads: args.threads.map(usize::from),
        stop: Some(stop::on_request()),
        ..TrialsPlan::default()
    };
    let mut found: Vec<Expectation> = Vec::new();
    for (done, rule) in rules.iter().enumerate() {
        bar.at(done as u64);
        let verdict = run_expectation(game.program(), rule, &plan, &|_| bar.at(done as u64));
        match verdict {
            Err(Error::Stopped) => break,
            verdict => found.push(verdict?),
        }
    }
    bar.finish();
    if let Some(path) = &args.junit {
        files::write(path, verdicts::junit(&title, &found, &rules[found.len()..])?)?;
    }
    if found.is_empty() {
        return Err(Failure::StoppedBefore);
    }
    let sink = Sink(&args.output);
    match args.output.format() {
        Format::Text => {
            let asked = if found.len() < rules.len() { format!("{} of ", found.len()) } else { String::new() };
            let all = text::counted(rules.len(), "expectation", "expectations");
            let heading = format!("{title} · {asked}{all} · seed {}", args.seed);
            sink.text(&format!("{}\n{}", text::bold(&heading), verdicts::draw(&found, rules.len())))?;
        }
        Format::Json => sink.json(&found)?,
        Format::Csv => sink.csv(&verdicts::rows(&found))?,
    }
    if found.iter().all(|one| one.verdict.holds()) { Ok(()) } else { Err(Failure::No) }
}
