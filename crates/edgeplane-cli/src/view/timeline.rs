//! Shows a fight: one line for each event with an effect and, in a trace, the arithmetic and the decisions behind it.

use edgeplane::fight::{Ending, Logged, Source, StepResult, UnavailableReason, describe_reason, describe_source};
use edgeplane::program::{FormulaId, PoolId, Reading, ZoneId, plain};
use edgeplane::rules::Formula;
use edgeplane::{AbilityId, CombatantId, Event, Program, Setup, Time};

use super::recorder::{Chart, Entry};
use super::{pools, text};

/// The complete record.
#[derive(Clone)]
pub(crate) struct Story<'a> {
    pub(crate) title: String,
    pub(crate) setup: &'a Setup,
    pub(crate) entries: &'a [Entry],
    pub(crate) charts: &'a [Vec<Chart>],
    pub(crate) trace: bool,
}

pub(crate) fn draw(story: &Story<'_>) -> String {
    let mut teller = Teller::new(story);
    teller.header();
    for entry in shown(story) {
        match entry {
            Entry::Event(logged) => teller.event(*logged),
            Entry::Formula(_, formula, reading) => teller.formulas.push((*formula, reading)),
        }
    }
    let sides: String = (0..story.setup.sides.len()).map(|side| side_line(story.setup, side)).collect();
    format!("{}\n{sides}\n{}{}", text::bold(&story.title), teller.out, pools::draw(story))
}

/// Each event with a line in the timeline, with that line and the arithmetic below it.
pub(crate) fn event_lines(story: &Story<'_>) -> Vec<(Logged, String)> {
    let mut teller = Teller::new(story);
    let mut found = Vec::new();
    for entry in shown(story) {
        match entry {
            Entry::Event(logged) => {
                teller.event(*logged);
                let text = std::mem::take(&mut teller.out);
                let text = anstream::adapter::strip_str(&text).to_string();
                if !text.is_empty() {
                    found.push((*logged, text.trim_end().to_owned()));
                }
            }
            Entry::Formula(_, formula, reading) => teller.formulas.push((*formula, reading)),
        }
    }
    found
}

/// All entries without the courses that are replaced by another one in the same moment.
fn shown<'a>(story: &Story<'a>) -> Vec<&'a Entry> {
    let mut next = vec![None; story.setup.combatants.len()];
    let is_final = |entry: &&Entry| match entry {
        Entry::Event(Logged { at, event: Event::Walks { who, .. } }) => next[who.index()].replace(*at) != Some(*at),
        _ => true,
    };
    let mut entries: Vec<&Entry> = story.entries.iter().rev().filter(is_final).collect();
    entries.reverse();
    entries
}

fn side_line(setup: &Setup, side: usize) -> String {
    let members = setup.combatants.iter().filter(|combatant| combatant.side.index() == side);
    let names: Vec<&str> = members.map(|combatant| combatant.label.as_str()).collect();
    format!("  {}: {}\n", setup.sides[side], names.join(", "))
}

/// An event in the columns of the timeline.
#[derive(Default)]
pub(super) struct Came {
    pub(super) result: String,
    pub(super) left: String,
    pub(super) notes: String,
    pub(super) strong: bool,
}

impl Came {
    pub(super) fn only(result: &str) -> Self {
        Self { result: result.to_owned(), ..Self::default() }
    }
}

/// Whether a formula is a condition of an ability. Other conditions may have been evaluated with it whose results have
/// not changed.
fn is_about(program: &Program, formula: FormulaId, ability: AbilityId) -> bool {
    let (path, plan) = (&program.formula(formula).source.path, program.ability(ability));
    let line = path.strip_suffix(".when").filter(|line| line.starts_with("policy."));
    let named = line.and_then(|line| line.rsplit('.').next());
    named.is_some_and(|name| name == plan.name || plan.tags.iter().any(|tag| tag == name))
        || *path == format!("ability.{}.unlock", plan.name)
}

/// A position in metres, without negative zero.
fn place(at: [f64; 2]) -> String {
    let [x, y] = at.map(|metres| (metres * 10.0).round() / 10.0 + 0.0);
    format!("({x:.1}, {y:.1})")
}

/// Widths of the columns.
const RESULT: usize = 14;
const LEFT: usize = 14;

pub(super) struct Teller<'a> {
    setup: &'a Setup,
    pub(super) program: &'a Program,
    pub(super) trace: bool,
    names: usize,
    abilities: usize,
    out: String,
    /// Formulas evaluated since the last event.
    pub(super) formulas: Vec<(FormulaId, &'a Reading)>,
    /// Amounts soaked by pools on the way of the current hit.
    soaked: Vec<String>,
    /// Lines of arithmetic that belong below the next line.
    pub(super) below: Vec<String>,
    /// Whether each combatant is walking, and to whom.
    walking: Vec<(bool, Option<CombatantId>)>,
    /// Decisions of the moment, shown below the resulting use.
    reasons: Vec<(CombatantId, String)>,
}

impl<'a> Teller<'a> {
    fn new(story: &'a Story<'a>) -> Self {
        let program = story.setup.program();
        let longest = |names: &mut dyn Iterator<Item = &str>| names.map(|name| name.chars().count()).max().unwrap_or(0);
        let abilities = program.abilities().iter().map(|ability| ability.name.as_str());
        let mut does = abilities.chain(program.statuses().iter().map(|status| status.name.as_str()));
        Self {
            setup: story.setup,
            program,
            trace: story.trace,
            names: longest(&mut story.setup.combatants.iter().map(|combatant| combatant.label.as_str())),
            abilities: longest(&mut does),
            out: String::new(),
            formulas: Vec::new(),
            soaked: Vec::new(),
            below: Vec::new(),
            walking: vec![(false, None); story.setup.combatants.len()],
            reasons: Vec::new(),
        }
    }

    fn header(&mut self) {
        let (names, abilities) = (self.names, self.abilities);
        let line = format!(
            "{:>8}  {:<names$}  {:<abilities$}  {:<names$}  {:<RESULT$}  {:<LEFT$}  notes",
            "s", "who", "does", "to", "result", "left"
        );
        self.out.push_str(&text::dim(&line));
        self.out.push('\n');
    }

    pub(super) fn who(&self, id: CombatantId) -> &'a str {
        &self.setup.combatants[id.index()].label
    }

    fn ability(&self, id: AbilityId) -> &'a str {
        &self.program.ability(id).name
    }

    fn pool(&self, id: PoolId) -> &'a str {
        &self.program.pools()[id.index()].name
    }

    /// A line of the timeline, and the arithmetic below it.
    pub(super) fn line(&mut self, at: Time, who: &str, does: &str, to: &str, came: &Came) {
        let (names, abilities) = (self.names, self.abilities);
        // No trailing blanks.
        let (ends_left, ends_result) = (came.notes.is_empty(), came.notes.is_empty() && came.left.is_empty());
        let left = if ends_left { came.left.clone() } else { format!("{:<LEFT$}", came.left) };
        let left = if left.is_empty() { left } else { text::dim(&left) };
        let result = if ends_result { came.result.clone() } else { format!("{:<RESULT$}", came.result) };
        let result = if came.strong { text::strong(&result) } else { result };
        let line = format!(
            "{:>8.2}  {who:<names$}  {does:<abilities$}  {to:<names$}  {result}  {left}  {}",
            at.seconds(),
            came.notes
        );
        self.out.push_str(line.trim_end());
        self.out.push('\n');
        let below = std::mem::take(&mut self.below);
        if self.trace {
            for line in below {
                self.out.push_str(&text::dim(&format!("{:12}{line}", "")));
                self.out.push('\n');
            }
        }
    }

    /// The effect of an ability; a caster that is its own target is not named twice.
    pub(super) fn result(&mut self, at: Time, caster: CombatantId, source: Source, target: CombatantId, what: &Came) {
        let to = if caster == target { "itself" } else { self.who(target) };
        self.line(at, self.who(caster), self.source(source), to, what);
    }

    fn zone(&self, id: ZoneId) -> &'a str {
        &self.program.zone(id).name
    }

    fn on_whom(&self, owner: CombatantId, who: CombatantId) -> String {
        if owner == who { "itself".to_owned() } else { self.who(who).to_owned() }
    }

    fn source(&self, source: Source) -> &'a str {
        describe_source(self.setup, source)
    }

    /// The formulas since the last event, one per line: `guard    17.5 * (200 - 15) / 200 = 16.2`.
    fn arithmetic(&mut self, label: &str) {
        self.arithmetic_by(|is_first, _| if is_first { label } else { "" });
    }

    /// The formulas evaluated when a status was applied or prevented, each with its key; `keeps` for a snapshot.
    pub(super) fn arithmetic_of_status(&mut self) {
        self.arithmetic_by(|_, source| match source.path.rsplit('.').next() {
            _ if source.is_part() => "keeps",
            key => key.unwrap_or_default(),
        });
    }

    fn arithmetic_by<'l>(&mut self, label: impl Fn(bool, &'a Formula) -> &'l str)
    where
        'a: 'l,
    {
        let mut is_first = true;
        for (formula, reading) in std::mem::take(&mut self.formulas) {
            let compiled = self.program.formula(formula);
            if compiled.is_plain_number() {
                continue;
            }
            let truth = compiled.kind == edgeplane::formula::Kind::Truth;
            let value = match (truth, reading.value != 0.0) {
                (true, true) => "yes".to_owned(),
                (true, false) => "no".to_owned(),
                _ => plain(reading.value),
            };
            let label = label(std::mem::take(&mut is_first), &compiled.source);
            let worked = compiled.with_values(reading);
            // For a single name, the name says more than its value twice.
            let worked = if worked == value { compiled.source.written().to_owned() } else { worked };
            let value = if compiled.is_one_draw() { String::new() } else { format!(" = {value}") };
            self.below.push(format!("{label:<10} {worked}{value}"));
        }
    }

    fn left(&self, pool: PoolId, left: f64) -> String {
        format!("{} {}", self.pool(pool), text::tenth(left))
    }

    fn event(&mut self, logged: Logged) {
        let at = logged.at;
        match logged.event {
            Event::Unavailable { who, ability, reason } => {
                if !matches!(reason, UnavailableReason::Locked | UnavailableReason::Condition) {
                    self.formulas.clear();
                }
                self.note_reason(who, ability, &describe_reason(self.setup, reason));
            }
            Event::Available { who, ability } => self.note_reason(who, ability, "available"),
            Event::Waits { who, until } => {
                let until = until.map_or_else(
                    || "until something changes".to_owned(),
                    |until| format!("until {:.2} s", until.seconds()),
                );
                self.chose(at, who, &format!("waits {until}"));
            }
            Event::Used { caster, ability, release, .. } => {
                let cast =
                    if release > at { format!(", takes effect at {:.2} s", release.seconds()) } else { String::new() };
                self.chose(at, caster, &format!("{}{cast}", self.ability(ability)));
            }
            Event::Stepped { step, heal, before, after, result } => {
                self.step(step.index(), heal, before, after, result)
            }
            Event::Soaked { pool, amount, left, .. } => {
                let took = format!("{} took {}", self.pool(pool), text::tenth(amount));
                self.below.push(format!("{:<10} {took}, {} left", "", plain(left)));
                self.soaked.push(took);
            }
            Event::Hit { caster, target, source, .. } | Event::Healed { caster, target, source, .. } => {
                let mut what = self.arrival(logged.event);
                let mut notes = std::mem::take(&mut self.soaked);
                if !what.notes.is_empty() {
                    notes.insert(0, what.notes);
                }
                what.notes = notes.join(", ");
                self.arithmetic("amount");
                self.result(at, caster, source, target, &what);
            }
            Event::Restored { caster, target, source, pool, gained, over, left } => {
                self.arithmetic("amount");
                let came =
                    self.came(format!("+{} {}", text::tenth(gained), self.pool(pool)), pool, left, over, "wasted");
                self.result(at, caster, source, target, &came);
            }
            Event::Drained { caster, target, source, pool, taken, over, left } => {
                self.arithmetic("amount");
                let sign = if taken > 0.0 { "-" } else { "" };
                let taken = format!("{sign}{} {}", text::tenth(taken), self.pool(pool));
                let came = self.came(taken, pool, left, over, "not there");
                self.result(at, caster, source, target, &came);
            }
            Event::Walks { who, from, course, toward } => self.walks(at, who, from, course, toward),
            Event::Flies { caster, ability, target, arrives } => {
                let came = Came::only(&format!("arrives at {:.2} s", arrives.seconds()));
                self.line(at, self.who(caster), self.ability(ability), self.who(target), &came);
            }
            Event::Shifted { target, caster, source, from, to } => {
                let metres = (to[0] - from[0]).hypot(to[1] - from[1]);
                let came = Came { left: place(to), ..Came::only(&format!("moved by {metres:.1} m")) };
                self.result(at, caster, source, target, &came);
            }
            Event::Learned { who, from, amount, total } => {
                let notes = format!("{} in all", text::tenth(total));
                let came = Came { notes, ..Came::only(&format!("+{} experience", text::tenth(amount))) };
                self.line(at, self.who(who), "", self.who(from), &came);
            }
            // The effects of a tick show it.
            Event::Sustained { .. } => {}
            Event::Stopped { caster, ability, reason } => {
                let came = Came { notes: reason.name().replace('_', " "), ..Came::only("ends") };
                self.line(at, self.who(caster), self.ability(ability), "", &came);
            }
            Event::Threatened { caster, target, source, amount, threat } => {
                self.arithmetic("threat");
                let came = Came {
                    notes: format!("{} now", text::tenth(threat)),
                    ..Came::only(&format!("{amount:+.1} threat"))
                };
                self.result(at, caster, source, target, &came);
            }
            Event::Given { caster, target, source, ability } => {
                let came = Came::only(&format!("receives {}", self.ability(ability)));
                self.result(at, caster, source, target, &came);
            }
            Event::Taken { caster, target, source, ability } => {
                let came = Came::only(&format!("loses {}", self.ability(ability)));
                self.result(at, caster, source, target, &came);
            }
            Event::Lost { caster, ability } => {
                self.line(at, self.who(caster), self.ability(ability), "", &Came::only("has no target left"))
            }
            Event::CapChanged { who, pool, cap, left } => {
                let came = self.came(format!("{} cap {}", self.pool(pool), plain(cap)), pool, left, 0.0, "");
                self.line(at, self.who(who), "", "", &came);
            }
            Event::ZoneBegan { zone, owner, on, middle, radius, until, .. } => {
                let notes = until.map_or_else(String::new, |until| format!("until {:.2} s", until.seconds()));
                let came =
                    Came { left: place(middle), notes, ..Came::only(&format!("{} m around", text::tenth(radius))) };
                self.line(at, self.who(owner), self.zone(zone), &self.on_whom(owner, on), &came);
            }
            Event::ZoneEnded { zone, owner } => {
                self.line(at, self.who(owner), self.zone(zone), "", &Came::only("zone ends"));
            }
            Event::Entered { who, zone, owner } => {
                self.line(at, self.who(owner), self.zone(zone), &self.on_whom(owner, who), &Came::only("enters"));
            }
            Event::Left { who, zone, owner } => {
                self.line(at, self.who(owner), self.zone(zone), &self.on_whom(owner, who), &Came::only("leaves"));
            }
            Event::Joined { who, by } => {
                let by = by.map_or_else(String::new, |(by, source)| {
                    format!(", called by {}'s {}", self.who(by), self.source(source))
                });
                self.line(at, self.who(who), "", "", &Came { strong: true, ..Came::only(&format!("joins{by}")) });
            }
            Event::Despawned { who } => self.line(at, self.who(who), "", "", &Came::only("leaves the fight")),
            Event::Scripted { who, ability } => {
                self.chose(at, who, &format!("{} (script)", self.ability(ability)));
            }
            Event::LevelGained { who, level } => {
                let came = Came { strong: true, ..Came::only(&format!("reaches level {}", plain(level))) };
                self.line(at, self.who(who), "", "", &came);
            }
            Event::Revived { target, caster, source } => {
                let came = Came { strong: true, ..Came::only("is revived") };
                self.result(at, caster, source, target, &came);
            }
            Event::Reported { caster, target, source, report, numbers, count } => {
                let name = &self.setup.program().reports()[report.index()];
                let numbers: Vec<String> = numbers[..usize::from(count)].iter().map(|number| plain(*number)).collect();
                let with = if numbers.is_empty() { String::new() } else { format!(" ({})", numbers.join(", ")) };
                self.result(at, caster, source, target, &Came::only(&format!("reports {name}{with}")));
            }
            Event::SideChanged { who, side } => {
                let came = Came::only(&format!("changes to the side of {}", self.setup.sides[side.index()]));
                self.line(at, self.who(who), "", "", &came);
            }
            Event::Defeated { who, by } => {
                let by = by
                    .map_or_else(String::new, |(by, source)| format!(" by {}'s {}", self.who(by), self.source(source)));
                self.line(at, self.who(who), "", "", &Came { strong: true, ..Came::only(&format!("is defeated{by}")) });
            }
            Event::Interrupted { who, ability, by, source } => {
                let came = Came { strong: true, ..Came::only(&format!("breaks {}", self.ability(ability))) };
                self.result(at, by, source, who, &came);
            }
            Event::StatusGained { .. }
            | Event::StatusPrevented { .. }
            | Event::StatusTicked { .. }
            | Event::StatusStacks { .. }
            | Event::StatusMoved { .. }
            | Event::StatusExpiring { .. }
            | Event::StatusLost { .. }
            | Event::Triggered { .. } => self.status(logged),
            Event::Ended { ending } => self.ended(at, ending),
            Event::Released { .. } | Event::Spent { .. } | Event::Began => self.formulas.clear(),
            // Every event has a row, even without a specific description.
            other => self.line(at, "", "", "", &Came::only(&format!("{other:?}"))),
        }
    }

    /// Starting, stopping and turning to somebody else are shown; other turns are part of the trace only.
    fn walks(&mut self, at: Time, who: CombatantId, from: [f64; 2], course: [f64; 2], toward: Option<CombatantId>) {
        let speed = course[0].hypot(course[1]);
        let (walked, before) = std::mem::replace(&mut self.walking[who.index()], (speed > 0.0, toward));
        let is_same = walked == (speed > 0.0) && before == toward;
        if is_same && (!walked || !self.trace) {
            return;
        }
        let came = match (walked, speed > 0.0) {
            (true, true) => "turns",
            (false, true) => "sets out",
            _ => "stands still",
        };
        let notes = if speed > 0.0 { format!("{speed:.1} m/s") } else { String::new() };
        let to = toward.map_or("", |toward| self.who(toward));
        self.line(at, self.who(who), "", to, &Came { left: place(from), notes, ..Came::only(came) });
    }

    /// A possibility that was examined and not taken.
    fn note_reason(&mut self, who: CombatantId, ability: AbilityId, why: &str) {
        self.formulas.retain(|(formula, _)| is_about(self.program, *formula, ability));
        self.arithmetic("");
        let because = self.below.pop().map(|line| format!(": {}", line.trim())).unwrap_or_default();
        self.below.clear();
        self.reasons.push((who, format!("{} {why}{because}", self.ability(ability))));
    }

    fn chose(&mut self, at: Time, who: CombatantId, what: &str) {
        self.formulas.clear();
        self.below.clear();
        let (mine, others) = std::mem::take(&mut self.reasons).into_iter().partition(|(decider, _)| *decider == who);
        self.reasons = others;
        if self.trace {
            let mut text: Vec<String> = mine.into_iter().map(|(_, reason): (_, String)| reason).collect();
            text.push(format!("→ {what}"));
            let names = self.names;
            let line = format!("{:>8.2}  {:<names$}  {}", at.seconds(), self.who(who), text.join("; "));
            self.out.push_str(&text::dim(&line));
            self.out.push('\n');
        }
    }

    fn step(&mut self, step: usize, heal: bool, before: f64, after: f64, result: StepResult) {
        let steps = if heal { self.program.heal_steps() } else { self.program.hit_steps() };
        let name = &steps[step].name;
        if self.below.is_empty() {
            self.initial(before, name);
        }
        let lines = self.below.len();
        self.arithmetic(name);
        if self.below.len() == lines && result != StepResult::Passed {
            let what = if before == after {
                "nothing to take from".to_owned()
            } else {
                format!("{} → {}", plain(before), plain(after))
            };
            self.below.push(format!("{name:<10} {what}"));
        }
    }

    /// The formulas of an effect itself come before those of its first step.
    fn initial(&mut self, before: f64, first_step: &str) {
        let of_step = |path: &str| path.contains(&format!("_steps.{first_step}."));
        let split = self.formulas.iter().position(|(formula, _)| of_step(&self.program.formula(*formula).source.path));
        let rest = self.formulas.split_off(split.unwrap_or(self.formulas.len()));
        self.arithmetic("amount");
        self.formulas = rest;
        self.below.push(format!("{:<10} {} enters the steps", "", plain(before)));
    }

    fn came(&self, result: String, pool: PoolId, left: f64, over: f64, over_is: &str) -> Came {
        let notes = if over > 0.0 { format!("{} {over_is}", text::tenth(over)) } else { String::new() };
        Came { result, left: self.left(pool, left), notes, strong: false }
    }

    fn arrival(&self, event: Event) -> Came {
        let stop = |step: Option<&String>| Came { strong: true, ..Came::only(step.map_or("stopped", |stop| stop)) };
        match event {
            Event::Hit { damage_type, dealt, over, left, stopped, marks, amount, initial, pool, .. } => {
                if let Some(step) = stopped {
                    return stop(self.program.hit_steps()[step.index()].stop.as_ref());
                }
                let kind = &self.program.damage_types()[damage_type.index()].name;
                let marked = self.program.marks().iter().enumerate().filter(|(bit, _)| marks >> bit & 1 == 1);
                let mut notes: Vec<String> = marked.map(|(_, name)| text::strong(name)).collect();
                if (amount - initial).abs() > 0.05 {
                    notes.push(format!("raw {}", text::tenth(initial)));
                }
                if over > 0.0 {
                    notes.push(format!("{} overkill", text::tenth(over)));
                }
                Came {
                    notes: notes.join(", "),
                    ..self.came(format!("{} {kind}", text::tenth(dealt)), pool, left, 0.0, "")
                }
            }
            Event::Healed { healed, over, left, stopped, pool, .. } => {
                if let Some(step) = stopped {
                    return stop(self.program.heal_steps()[step.index()].stop.as_ref());
                }
                self.came(format!("+{} healed", text::tenth(healed)), pool, left, over, "overheal")
            }
            _ => Came::default(),
        }
    }

    fn ended(&mut self, at: Time, ending: Ending) {
        let text = match ending {
            Ending::Won(side) => format!("{} win", self.setup.sides[side.index()]),
            Ending::HeldOut(side) => format!("{} win: they have held out", self.setup.sides[side.index()]),
            Ending::AllDefeated => "a draw: the last ones were defeated in the same moment".to_owned(),
            Ending::TimeLimit => "a draw: the time is up".to_owned(),
            Ending::Stalemate => "a draw: nothing more can happen".to_owned(),
            Ending::Drawn => "a draw: several sides won in the same moment".to_owned(),
            Ending::Failed => "error: the fight could not continue".to_owned(),
        };
        self.out.push_str(&format!("{:>8.2}  {}\n", at.seconds(), text::bold(&text)));
    }
}
