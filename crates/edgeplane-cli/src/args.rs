//! Command-line arguments.

use std::path::{Path, PathBuf};

use clap::{Args as ClapArgs, Parser, Subcommand, ValueEnum};
use edgeplane::Override;
use edgeplane::study::{Goal, MOST_PARTS, Vary};

/// Combat rules as data: check a ruleset, explain its numbers, play single fights, and study thousands of them.
#[derive(Debug, Parser)]
#[command(name = "edgeplane", version, about, max_term_width = 100)]
pub(crate) struct Args {
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Checks a ruleset and reports what is wrong with it, and where
    Check(CheckArgs),
    /// Explains a named rule: where the numbers of a character, an ability or a status come from, what any other rule
    /// does, and which rules refer to it
    Explain(ExplainArgs),
    /// Plays one fight and prints its events
    Fight(FightArgs),
    /// Plays many fights and counts who wins, how long it takes and what did the damage
    Trials(TrialsArgs),
    /// Compares two rulesets, or one with and without --set, fight by fight on the same random numbers
    Compare(CompareArgs),
    /// Repeats a study over the values of one or two numbers
    Sweep(SweepArgs),
    /// Ranks the numbers of a ruleset by how much a small change of each moves a measure
    Sensitivity(SensitivityArgs),
    /// Finds the smallest change of some numbers that meets goals
    Tune(TuneArgs),
    /// Plays every character against every other, one against one
    Matrix(MatrixArgs),
    /// Plays a row of encounters with the same combatants and counts how far they get
    Gauntlet(GauntletArgs),
    /// Exports rules as a spreadsheet, or imports the values of one into the files
    Sheet(SheetArgs),
    /// Checks a ruleset against its expectations
    Verify(VerifyArgs),
    /// Writes a page with all results: who wins, how long it takes, what does the damage, and one fight of each
    /// encounter
    Report(ReportArgs),
    /// Merges the parts of a study that were run separately with `trials --part`
    Merge(MergeArgs),
    /// Lists everything that can be measured
    Measures(MeasuresArgs),
    /// Writes the format of rulesets as a JSON Schema, for completion and checks in editors
    Schema(SchemaArgs),
    /// Prints a page of the reference: every key, effect, event, function or measure
    Reference(ReferenceArgs),
    /// Creates a small ruleset to start from
    New(NewArgs),
    /// Runs the whole tour on the demo ruleset and leaves its files in a folder
    Demo(DemoArgs),
}

impl Command {
    /// Whether it plays many fights, and Ctrl-C ends it with the results so far.
    pub(crate) fn is_study(&self) -> bool {
        matches!(
            self,
            Self::Trials(_)
                | Self::Compare(_)
                | Self::Sweep(_)
                | Self::Sensitivity(_)
                | Self::Tune(_)
                | Self::Matrix(_)
                | Self::Gauntlet(_)
                | Self::Verify(_)
                | Self::Report(_)
        )
    }

    /// The ruleset to which it refers, for commands in which values can be set and the ruleset can be watched.
    pub(crate) fn ruleset(&self) -> Option<&RulesetArgs> {
        match self {
            Self::Check(args) => Some(&args.ruleset),
            Self::Explain(args) => Some(&args.ruleset),
            Self::Fight(args) => Some(&args.ruleset),
            Self::Trials(args) => Some(&args.ruleset),
            Self::Sweep(args) => Some(&args.ruleset),
            Self::Sensitivity(args) => Some(&args.ruleset),
            Self::Tune(args) => Some(&args.ruleset),
            Self::Matrix(args) => Some(&args.ruleset),
            Self::Gauntlet(args) => Some(&args.ruleset),
            Self::Verify(args) => Some(&args.ruleset),
            Self::Report(args) => Some(&args.ruleset),
            Self::Merge(args) => Some(&args.ruleset),
            Self::Compare(_)
            | Self::Sheet(_)
            | Self::Measures(_)
            | Self::Schema(_)
            | Self::Reference(_)
            | Self::New(_)
            | Self::Demo(_) => None,
        }
    }
}

impl Command {
    /// The files that it writes.
    pub(crate) fn outputs(&self) -> Vec<&Path> {
        let plot = match self {
            Self::Fight(args) => &args.plot,
            Self::Trials(args) => &args.plot,
            Self::Sweep(args) => &args.plot,
            Self::Sensitivity(args) => &args.plot,
            Self::Matrix(args) => &args.plot,
            Self::Merge(args) => &args.plot,
            Self::Verify(args) => return self.answer_file().into_iter().chain(args.junit.as_deref()).collect(),
            _ => return self.answer_file().into_iter().collect(),
        };
        self.answer_file().into_iter().chain(plot.plot.as_deref()).collect()
    }

    /// The output file, if the answer does not go to standard output.
    pub(crate) fn answer_file(&self) -> Option<&Path> {
        let output = match self {
            Self::Check(args) => &args.output,
            Self::Explain(args) => &args.output,
            Self::Fight(args) => &args.output,
            Self::Trials(args) => &args.output,
            Self::Compare(args) => &args.output,
            Self::Sweep(args) => &args.output,
            Self::Sensitivity(args) => &args.output,
            Self::Tune(args) => &args.output,
            Self::Matrix(args) => &args.output,
            Self::Gauntlet(args) => &args.output,
            Self::Sheet(args) => &args.output,
            Self::Verify(args) => &args.output,
            Self::Merge(args) => &args.output,
            Self::Measures(args) => &args.output,
            Self::Report(args) => return Some(&args.output),
            Self::Schema(args) => return args.output.as_deref(),
            Self::Reference(args) => return args.output.as_deref(),
            Self::New(_) | Self::Demo(_) => return None,
        };
        output.output.as_deref()
    }

    /// The files and folders that it reads.
    pub(crate) fn inputs(&self) -> Vec<&Path> {
        let mut inputs: Vec<&Path> = self.ruleset().map(|args| args.ruleset.as_path()).into_iter().collect();
        match self {
            Self::Compare(args) => {
                inputs.push(&args.ruleset);
                inputs.extend(args.new.as_ref().map(Path::new));
            }
            Self::Sheet(args) => inputs.extend([&args.ruleset].into_iter().chain(&args.take).map(PathBuf::as_path)),
            Self::Merge(args) => inputs.extend(args.parts.iter().map(PathBuf::as_path)),
            _ => {}
        }
        inputs
    }
}

/// The ruleset, and values set in place of those in its files.
#[derive(Debug, ClapArgs)]
pub(crate) struct RulesetArgs {
    /// A ruleset: a folder of .toml files, or one file
    pub(crate) ruleset: PathBuf,
    /// Sets a value without editing a file, such as character.lockhand.attributes.heft=16
    #[arg(long, value_name = "PATH=VALUE", value_parser = parse_set)]
    pub(crate) set: Vec<Override>,
    /// Runs again whenever a file of the ruleset is saved, and shows what changed
    #[arg(long)]
    pub(crate) watch: bool,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct OutputArgs {
    /// How to print the result; by default chosen by the extension of the output file (.json, .csv), otherwise text
    #[arg(id = "format", long, value_name = "FORMAT", value_enum)]
    chosen: Option<Format>,
    /// Writes the result to a file
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
}

impl OutputArgs {
    pub(crate) fn format(&self) -> Format {
        let extension = self.output.as_ref().and_then(|path| path.extension()?.to_str());
        let named = || match extension?.to_ascii_lowercase().as_str() {
            "json" => Some(Format::Json),
            "csv" => Some(Format::Csv),
            _ => None,
        };
        self.chosen.or_else(named).unwrap_or(Format::Text)
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For people
    Text,
    /// For programs
    Json,
    /// For spreadsheets
    Csv,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct CheckArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct ExplainArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    /// A character, an ability, a status, or any other named rule, from attributes to tags,
    /// preceded by its kind if several rules have that name: ability.mire, hit_step.guard. Or one
    /// number of a character: lockhand.heft
    pub(crate) what: String,
    /// The character that uses the ability, or applies the status; by default the first that does
    #[arg(long, value_name = "CHARACTER")]
    pub(crate) from: Option<String>,
    /// The target of the ability, or the owner of the status; for an ability used on oneself, an enemy. By default, the
    /// first opponent or ally in an encounter
    #[arg(long, value_name = "CHARACTER")]
    pub(crate) on: Option<String>,
    /// An initial status of the character, with its stacks if there are several: waterlogged=3; with --from and --on,
    /// of which of the two: on:waterlogged=3
    #[arg(long, value_name = "[from:|on:]STATUS[=STACKS]", value_parser = parse_with)]
    pub(crate) with: Vec<With>,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct FightArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    /// An encounter of the ruleset; not needed if there is only one
    pub(crate) encounter: Option<String>,
    /// Makes a character use only this ability, whenever it can: lockhand=boathook
    #[arg(long, value_name = "CHARACTER=ABILITY", value_parser = parse_force)]
    pub(crate) force: Vec<(String, String)>,
    /// The seed of all random numbers of the fight
    #[arg(long, default_value_t = 1, value_parser = parse_seed, allow_negative_numbers = true)]
    pub(crate) seed: u64,
    /// Shows the arithmetic behind each number, and why each choice was made
    #[arg(long)]
    pub(crate) trace: bool,
    /// Shows everyone's state at this time in seconds instead: pools, attributes, statuses, and why each ability is
    /// unavailable
    #[arg(long, value_name = "SECONDS", value_parser = parse_moment, conflicts_with_all = ["trace", "plot"])]
    pub(crate) at: Option<f64>,
    #[command(flatten)]
    pub(crate) plot: PlotArgs,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct TrialsArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    /// An encounter of the ruleset; not needed if there is only one
    pub(crate) encounter: Option<String>,
    /// Makes a character use only this ability, whenever it can: lockhand=boathook
    #[arg(long, value_name = "CHARACTER=ABILITY", value_parser = parse_force)]
    pub(crate) force: Vec<(String, String)>,
    /// Only these measures, such as duration.p50 or damage(lockhand, boathook); see `edgeplane measures`
    #[arg(short, long, value_name = "MEASURE", conflicts_with = "plot")]
    pub(crate) measure: Vec<String>,
    /// Runs until every interval extends at most this far to either side, such as 0.5% or 0.02
    #[arg(long, value_name = "WIDTH", value_parser = parse_precision, requires = "measure")]
    pub(crate) precision: Option<f64>,
    /// Runs one part of the fights and writes it as JSON, to be merged with the others: 3/16 is the third of sixteen
    #[arg(long, value_name = "K/N", value_parser = parse_part, conflicts_with_all = ["measure", "plot", "format"])]
    pub(crate) part: Option<(u64, u64)>,
    /// Shows a row for every combatant, even if six or more are of one kind
    #[arg(long)]
    pub(crate) each: bool,
    #[command(flatten)]
    pub(crate) plan: PlanArgs,
    #[command(flatten)]
    pub(crate) plot: PlotArgs,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct MergeArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    /// Files that `trials --part` wrote, in any order
    #[arg(required = true, value_name = "PART.json")]
    pub(crate) parts: Vec<PathBuf>,
    /// As given to `trials`
    #[arg(long, value_name = "CHARACTER=ABILITY", value_parser = parse_force)]
    pub(crate) force: Vec<(String, String)>,
    /// Shows a row for every combatant, even if six or more are of one kind
    #[arg(long)]
    pub(crate) each: bool,
    #[command(flatten)]
    pub(crate) plot: PlotArgs,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

/// The picture of a result.
#[derive(Debug, ClapArgs)]
pub(crate) struct PlotArgs {
    /// Also draws a picture of the result: FILE.svg, or FILE.png
    #[arg(long, value_name = "FILE", value_parser = parse_picture)]
    pub(crate) plot: Option<PathBuf>,
}

/// The number of fights, and how they are run.
#[derive(Debug, ClapArgs)]
pub(crate) struct PlanArgs {
    /// Number of fights
    #[arg(short = 'n', long, default_value_t = 10_000, value_parser = parse_count)]
    pub(crate) trials: u64,
    /// The seed of the study
    #[arg(long, default_value_t = 1, value_parser = parse_seed, allow_negative_numbers = true)]
    pub(crate) seed: u64,
    /// Number of threads; all cores by default
    #[arg(long, value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub(crate) threads: Option<u16>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct CompareArgs {
    /// A ruleset: a folder of .toml files, or one file
    pub(crate) ruleset: PathBuf,
    /// Another ruleset; can be left out, also before an encounter, to compare the same one with the values of --set
    pub(crate) new: Option<String>,
    /// An encounter of both; not needed if there is only one
    pub(crate) encounter: Option<String>,
    /// Sets a value in the new ruleset, such as character.lockhand.attributes.heft=16
    #[arg(long, value_name = "PATH=VALUE", value_parser = parse_set)]
    pub(crate) set: Vec<Override>,
    /// What to compare; win rates, durations and damage by default
    #[arg(short, long, value_name = "MEASURE")]
    pub(crate) measure: Vec<String>,
    #[command(flatten)]
    pub(crate) plan: PlanArgs,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct SweepArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    /// An encounter of the ruleset; not needed if there is only one
    pub(crate) encounter: Option<String>,
    /// A number and its values: PATH=LOW..HIGH, PATH=LOW..HIGH:STEP or PATH=A,B,C; with *= they are factors
    #[arg(long, value_name = "PATH=VALUES", value_parser = Vary::parse, required = true)]
    pub(crate) vary: Vec<Vary>,
    /// What to measure; the first side's win rate and the duration by default
    #[arg(short, long, value_name = "MEASURE")]
    pub(crate) measure: Vec<String>,
    #[command(flatten)]
    pub(crate) plan: PlanArgs,
    #[command(flatten)]
    pub(crate) plot: PlotArgs,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct SensitivityArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    /// An encounter of the ruleset; not needed if there is only one
    pub(crate) encounter: Option<String>,
    /// The measure; the first side's win rate by default
    #[arg(short, long, value_name = "MEASURE")]
    pub(crate) measure: Option<String>,
    /// The share by which every number is raised and lowered
    #[arg(long, value_name = "SHARE", default_value = "5%", value_parser = parse_precision)]
    pub(crate) by: f64,
    /// Changes many numbers at once, and shows the effect of each averaged over changes of the others: more precise
    /// with the same number of fights, but not the effect of the change alone
    #[arg(long, conflicts_with = "without")]
    pub(crate) together: bool,
    /// Removes every ability, status and step instead, one at a time: what the measure rests on
    #[arg(long, conflicts_with = "by")]
    pub(crate) without: bool,
    /// Shows every number, not only those that matter most
    #[arg(long)]
    pub(crate) all: bool,
    #[command(flatten)]
    pub(crate) plan: PlanArgs,
    #[command(flatten)]
    pub(crate) plot: PlotArgs,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
#[command(mut_arg("trials", |trials| trials
    .default_value("5000")
    .help("Minimum number of fights of the proof; twice as many if a goal has only one bound")))]
pub(crate) struct TuneArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    /// An encounter of the ruleset; not needed if there is only one
    pub(crate) encounter: Option<String>,
    /// A number that may be changed, and its range: PATH=LOW..HIGH or PATH=LOW..HIGH:STEP; with *= a factor
    #[arg(long, value_name = "PATH=RANGE", value_parser = Vary::parse, required = true)]
    pub(crate) vary: Vec<Vary>,
    /// A goal, such as 'win_rate(keepers) = 0.5 +- 0.02', 'duration.p50 in 6..9' or, for another encounter,
    /// 'night_shift: win_rate(keepers) >= 0.4'
    #[arg(long, value_name = "GOAL", value_parser = Goal::parse, required = true)]
    pub(crate) want: Vec<Goal>,
    /// Maximum number of fights of the search, after which the best values found are proven
    #[arg(long, value_name = "NUMBER", default_value_t = 4_000_000, value_parser = parse_count)]
    pub(crate) fights: u64,
    #[command(flatten)]
    pub(crate) plan: PlanArgs,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct MatrixArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    /// The characters, separated by commas; by default all but templates
    #[arg(long, value_name = "CHARACTERS", value_delimiter = ',')]
    pub(crate) among: Vec<String>,
    /// Time limit of a duel in seconds
    #[arg(long, value_name = "SECONDS", default_value_t = 300.0)]
    pub(crate) time_limit: f64,
    /// Initial distance of a duel in metres; without it everyone is in reach
    #[arg(long, value_name = "METRES")]
    pub(crate) distance: Option<f64>,
    #[command(flatten)]
    pub(crate) plan: PlanArgs,
    #[command(flatten)]
    pub(crate) plot: PlotArgs,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct GauntletArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    /// A gauntlet of the ruleset; not needed if there is only one
    pub(crate) gauntlet: Option<String>,
    #[command(flatten)]
    pub(crate) plan: PlanArgs,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct SheetArgs {
    /// A ruleset: a folder of .toml files, or one file
    pub(crate) ruleset: PathBuf,
    /// The kind of rules: character, ability, status, gear, zone, point or curve
    pub(crate) section: String,
    /// Only these columns, separated by commas, such as level,attributes.heft
    #[arg(long, value_name = "COLUMNS", value_delimiter = ',')]
    pub(crate) columns: Vec<String>,
    /// Imports the values of this .csv file into the ruleset's files; comments and everything else stay as they are
    #[arg(long, value_name = "FILE", conflicts_with = "columns")]
    pub(crate) take: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct VerifyArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    /// Encounters to check; by default all that have expectations
    pub(crate) encounters: Vec<String>,
    /// Also writes the verdicts as JUnit XML, for build servers
    #[arg(long, value_name = "FILE")]
    pub(crate) junit: Option<PathBuf>,
    /// The seed of the studies
    #[arg(long, default_value_t = 1, value_parser = parse_seed, allow_negative_numbers = true)]
    pub(crate) seed: u64,
    /// Number of threads; all cores by default
    #[arg(long, value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub(crate) threads: Option<u16>,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct ReportArgs {
    #[command(flatten)]
    pub(crate) ruleset: RulesetArgs,
    /// Encounters on the page; all by default
    pub(crate) encounters: Vec<String>,
    /// Also ranks the numbers of each encounter, which takes longer
    #[arg(long)]
    pub(crate) sensitivity: bool,
    #[command(flatten)]
    pub(crate) plan: PlanArgs,
    /// The page to write
    #[arg(short, long, value_name = "FILE", default_value = "report.html")]
    pub(crate) output: PathBuf,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct MeasuresArgs {
    /// A ruleset whose names are listed as well, except in CSV: a folder of .toml files, or one file
    pub(crate) ruleset: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) output: OutputArgs,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct SchemaArgs {
    /// Writes the schema into a file
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct ReferenceArgs {
    /// Which page
    pub(crate) page: Page,

    /// Writes the page into a file
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
}

/// A page of the reference, as Markdown.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum Page {
    /// Every table of a ruleset with its keys
    Keys,
    /// Effects of abilities, ticks, triggers and zones
    Effects,
    /// Events of triggers
    Events,
    /// Functions of formulas
    Functions,
    /// Measures of studies
    Measures,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct NewArgs {
    /// The folder to create; it must not exist, or must be empty
    pub(crate) folder: PathBuf,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct DemoArgs {
    /// The folder for the demo's files
    #[arg(short, long, value_name = "FOLDER", default_value = "edgeplane-demo")]
    pub(crate) output: PathBuf,
}

/// An initial status of a character.
#[derive(Clone, Debug)]
pub(crate) struct With {
    /// "from" or "on", if given.
    pub(crate) whose: Option<String>,
    pub(crate) status: String,
    pub(crate) stacks: u32,
}

fn parse_with(text: &str) -> Result<With, String> {
    let (whose, what) = match text.split_once(':') {
        Some((whose @ ("from" | "on"), what)) => (Some(whose.to_owned()), what),
        _ => (None, text),
    };
    let (status, stacks) = what.split_once('=').unwrap_or((what, "1"));
    match stacks.parse() {
        Ok(stacks) if stacks > 0 => Ok(With { whose, status: status.to_owned(), stacks }),
        _ => Err("write it as STATUS or STATUS=STACKS, such as waterlogged=3 or on:waterlogged=3".to_owned()),
    }
}

fn parse_force(text: &str) -> Result<(String, String), String> {
    let parts = text.split_once('=').filter(|(character, ability)| !character.is_empty() && !ability.is_empty());
    let (character, ability) = parts.ok_or("write it as CHARACTER=ABILITY, such as lockhand=boathook")?;
    Ok((character.to_owned(), ability.to_owned()))
}

fn parse_picture(text: &str) -> Result<PathBuf, String> {
    let path = PathBuf::from(text);
    let known = path.extension().is_some_and(|kind| kind == "svg" || kind == "png");
    if known { Ok(path) } else { Err("pictures are SVG or PNG: end the name with .svg or .png".to_owned()) }
}

/// `0.5%` or `0.005`.
fn parse_part(text: &str) -> Result<(u64, u64), String> {
    let read = |text: &str| text.parse::<u64>().ok();
    let part = text.split_once('/').and_then(|(part, parts)| Some((read(part)?, read(parts)?)));
    match part {
        Some((part, parts)) if (1..=parts).contains(&part) && parts <= MOST_PARTS => Ok((part, parts)),
        Some(_) => Err(format!("parts are numbered from 1 to their number, which is at most {MOST_PARTS}")),
        None => Err("a part is written 3/16: the third of sixteen".to_owned()),
    }
}

fn parse_moment(text: &str) -> Result<f64, String> {
    let seconds = text.trim().trim_end_matches('s').trim().parse::<f64>().ok();
    let seconds = seconds.filter(|seconds| (0.0..=1e9).contains(seconds));
    seconds.ok_or_else(|| format!("`{text}` is not a time in seconds, such as 3.5"))
}

fn parse_seed(text: &str) -> Result<u64, String> {
    text.parse().map_err(|_| format!("it must be a whole number from 0 to {}", u64::MAX))
}

/// A number of fights: `10000`, `10_000` or `1e4`.
fn parse_count(text: &str) -> Result<u64, String> {
    const MOST: f64 = 1e9;
    // A comma could be a decimal one.
    let plain = text.replace('_', "");
    let number = plain.parse::<f64>().ok().filter(|number| number.fract() == 0.0 && (1.0..=MOST).contains(number));
    number.map(|number| number as u64).ok_or_else(|| "it must be a whole number from 1 to 1000000000".to_owned())
}

fn parse_precision(text: &str) -> Result<f64, String> {
    let (digits, part) = text.strip_suffix('%').map_or((text, 1.0), |digits| (digits, 100.0));
    let value = digits.trim().parse::<f64>().ok().map(|value| value / part);
    value.filter(|value| value.is_finite() && *value > 0.0).ok_or_else(|| "write it as 0.5% or 0.02".to_owned())
}

fn parse_set(text: &str) -> Result<Override, String> {
    Override::parse(text).ok_or_else(|| "write it as PATH=VALUE, such as ability.boathook.cooldown=1.2".to_owned())
}
