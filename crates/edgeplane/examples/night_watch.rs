//! The demo's night shift in real time, in a terminal: the player is one of the keepers and uses abilities by keys.
//!
//! `cargo run --release --example night_watch`, or with an encounter and a character: `cargo run --release --example
//! night_watch -- mill_race gatekeeper`.
//!
//! It can also read its keys from a file, each with its time in seconds, and print the final screen: `cargo run
//! --example night_watch -- --script crates/edgeplane/examples/night_watch.keys`.

// The game needs a clock, arguments and a screen; the core has none of them.
#![allow(clippy::print_stdout, clippy::disallowed_methods, clippy::disallowed_types, dead_code)]

use std::time::{Duration, Instant};

use edgeplane::fight::{Action, Ending, Event, EventKind, EventMask, Observer, describe_reason, describe_source};
use edgeplane::program::StatusKind;
use edgeplane::{AbilityId, CombatantId, Fight, Game, PoolId, Time, UnavailableReason};
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::{self, KeyCode};
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::style::{Color, Style, Stylize};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Paragraph};
use ratatui::{Frame, Terminal};

type Failed = Box<dyn std::error::Error>;

const FRAMES: u64 = 30;
/// Seconds for which a number floats beside its combatant.
const FLOATS: f64 = 1.2;
/// Seconds for which the response to a key is shown.
const SAID: f64 = 4.0;
const LOG_LINES: usize = 5;
const BAR: usize = 24;

/// The meaning of a key.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Key {
    /// The ability with this number, from 0.
    Use(usize),
    NextTarget,
    Cancel,
    Pause,
    Quit,
}

impl Key {
    fn of(code: KeyCode) -> Option<Self> {
        match code {
            KeyCode::Char(digit @ '1'..='9') => Some(Self::Use(digit as usize - '1' as usize)),
            KeyCode::Tab => Some(Self::NextTarget),
            KeyCode::Char('x') => Some(Self::Cancel),
            KeyCode::Char(' ') => Some(Self::Pause),
            KeyCode::Char('q') | KeyCode::Esc => Some(Self::Quit),
            _ => None,
        }
    }
}

/// A floating number: the time, the combatant, the text.
struct Float {
    at: Time,
    who: CombatantId,
    text: String,
    color: Color,
}

/// The events since the last frame.
#[derive(Default)]
struct Happened(Vec<(Time, Event)>);

impl Observer for Happened {
    fn wants(&self) -> EventMask {
        EventMask::of(&[EventKind::Hit, EventKind::Healed, EventKind::Defeated, EventKind::Interrupted])
    }

    fn event(&mut self, at: Time, event: Event) {
        self.0.push((at, event));
    }
}

/// The game around a fight: the player, its target, and the contents of the screen.
pub(crate) struct Watch {
    game: Game,
    fight: Fight,
    player: CombatantId,
    target: CombatantId,
    abilities: Vec<AbilityId>,
    happened: Happened,
    floats: Vec<Float>,
    log: Vec<String>,
    message: String,
    /// The time of the response, which fades.
    said_at: Time,
    pub(crate) paused: bool,
}

impl Watch {
    pub(crate) fn new(rules: &str, encounter: &str, player: &str, seed: u64) -> Result<Self, Failed> {
        let game = Game::open(rules)?;
        let mut fight = game.fight(encounter, seed)?;
        let player = game.combatant(&fight, player)?;
        fight.take_control(player)?;
        let abilities = fight.abilities(player).collect();
        let mut watch = Self {
            game,
            fight,
            player,
            target: player,
            abilities,
            happened: Happened::default(),
            floats: Vec::new(),
            log: Vec::new(),
            message: "1 to 9 use an ability, Tab picks the next target, x breaks off, space pauses, q quits".to_owned(),
            said_at: Time::ZERO,
            paused: false,
        };
        watch.next_target();
        Ok(watch)
    }

    fn label(&self, who: CombatantId) -> &str {
        self.fight.label(who)
    }

    /// The next standing enemy, in the order of the encounter.
    fn next_target(&mut self) {
        let side = self.fight.side(self.player);
        let enemies: Vec<_> =
            self.fight.present().filter(|who| self.fight.stands(*who) && self.fight.side(*who) != side).collect();
        let next = enemies.iter().find(|who| **who > self.target).or(enemies.first());
        self.target = next.copied().unwrap_or(self.player);
    }

    pub(crate) fn press(&mut self, key: Key) -> Result<(), Failed> {
        self.said_at = self.fight.now();
        match key {
            Key::Use(number) => self.use_ability(number)?,
            Key::NextTarget => self.next_target(),
            Key::Cancel => {
                let broke_off = self.fight.cancel(self.player, &mut self.happened)?;
                self.message = if broke_off { "broken off" } else { "there is nothing to break off" }.to_owned();
            }
            Key::Pause => self.paused = !self.paused,
            Key::Quit => {}
        }
        Ok(())
    }

    /// On the target if the ability can be used on it; otherwise it picks by itself, as a bandage cannot be used on
    /// enemies.
    fn use_ability(&mut self, number: usize) -> Result<(), Failed> {
        let Some(ability) = self.abilities.get(number).copied() else { return Ok(()) };
        let name = self.game.program().ability(ability).name.clone();
        let target = match self.fight.why_unavailable_on(self.player, ability, self.target)? {
            None => Some(self.target),
            Some(_) => None,
        };
        let done = self.fight.use_ability(self.player, ability, target, &mut self.happened)?;
        self.message = match done {
            Ok(()) => String::new(),
            Err(reason) => format!("{name}: {}", describe_reason(self.fight.setup(), reason)),
        };
        Ok(())
    }

    /// Advances to a time, and collects the events.
    pub(crate) fn advance(&mut self, until: Time) -> Result<(), Failed> {
        self.fight.advance(until, &mut self.happened)?;
        for (at, event) in std::mem::take(&mut self.happened.0) {
            self.take_in(at, event);
        }
        let now = self.fight.now();
        self.floats.retain(|float| now.seconds() - float.at.seconds() < FLOATS);
        if now.seconds() - self.said_at.seconds() > SAID {
            self.message.clear();
        }
        if !self.fight.stands(self.target) {
            self.next_target();
        }
        Ok(())
    }

    fn take_in(&mut self, at: Time, event: Event) {
        let seconds = at.seconds();
        match event {
            Event::Hit { caster, target, source, dealt, stopped, .. } => {
                let what = describe_source(self.fight.setup(), source);
                let (text, color) = match stopped {
                    Some(step) => (self.game.program().hit_steps()[step.index()].name.clone(), Color::DarkGray),
                    None => (format!("−{dealt:.0}"), Color::Red),
                };
                let came_to = if stopped.is_some() { text.clone() } else { format!("{dealt:.0}") };
                let line =
                    format!("{seconds:5.1} s  {} → {}  {what} {came_to}", self.label(caster), self.label(target));
                self.log.push(line);
                self.floats.push(Float { at, who: target, text, color });
            }
            Event::Healed { target, healed, .. } if healed >= 0.5 => {
                self.floats.push(Float { at, who: target, text: format!("+{healed:.0}"), color: Color::Green });
            }
            Event::Defeated { who, .. } => self.log.push(format!("{seconds:5.1} s  {} is defeated", self.label(who))),
            Event::Interrupted { who, ability, .. } => {
                let name = &self.game.program().ability(ability).name;
                self.log.push(format!("{seconds:5.1} s  {}: {name} is interrupted", self.label(who)));
            }
            _ => {}
        }
        let extra = self.log.len().saturating_sub(LOG_LINES);
        self.log.drain(..extra);
    }

    pub(crate) fn is_over(&self) -> bool {
        self.fight.ending().is_some()
    }

    pub(crate) fn draw(&mut self, frame: &mut Frame<'_>) {
        let rows = self.fight.present().count() as u16;
        let heads = self.fight.setup().sides.len() as u16;
        let areas = Layout::vertical([
            Constraint::Length(1),
            Constraint::Length(rows * 2 + heads),
            Constraint::Length(LOG_LINES as u16 + 2),
            Constraint::Length(self.abilities.len() as u16 + 2),
            Constraint::Min(2),
        ]);
        let [title, field, log, buttons, message] = areas.areas(frame.area());
        frame.render_widget(self.title(), title);
        frame.render_widget(Paragraph::new(self.field()), field);
        let block = |title: &'static str| Block::bordered().title(title).border_style(Style::new().dark_gray());
        let lines: Vec<Line<'_>> = self.log.iter().map(|line| Line::raw(line.clone())).collect();
        frame.render_widget(Paragraph::new(lines).block(block(" what happened ")), log);
        self.draw_buttons(frame, buttons, block(" your abilities "));
        frame.render_widget(Paragraph::new(Line::from(format!(" {}", self.message)).bold()), message);
    }

    fn title(&self) -> Line<'_> {
        let setup = self.fight.setup();
        let state = match self.fight.ending() {
            Some(Ending::Won(side)) => format!("{} win", setup.sides[side.index()]),
            Some(ending) => format!("{ending:?}"),
            None if self.paused => "paused".to_owned(),
            None => format!("you are {}", self.label(self.player)),
        };
        Line::from(vec![
            Span::from(format!(" {}", setup.name)).bold(),
            Span::from(format!("   {:6.1} s   ", self.fight.now().seconds())),
            Span::from(state).cyan(),
        ])
    }

    /// Two lines for each combatant: bars and floating numbers, then its cast and its statuses.
    fn field(&mut self) -> Vec<Line<'static>> {
        let setup = self.fight.setup().clone();
        let mut lines = Vec::new();
        for (side, name) in setup.sides.iter().enumerate() {
            // The bars are labelled once.
            let heads = if side == 0 { self.heads() } else { String::new() };
            lines.push(Line::from(vec![Span::from(format!(" {name:<17}")).bold(), Span::from(heads).dark_gray()]));
            let of_side: Vec<_> = self.fight.present().filter(|who| self.fight.side(*who).index() == side).collect();
            for who in of_side {
                lines.push(self.bars(who));
                lines.push(self.below(who));
            }
        }
        lines
    }

    fn heads(&self) -> String {
        let program = self.game.program();
        let name = |pool: PoolId| program.pools()[pool.index()].name.clone();
        let [health, breath] = [program.defeat_pool(), program.find_pool("breath")].map(|pool| pool.map(name));
        format!("{:<1$}{2}", health.unwrap_or_default(), BAR + 10, breath.unwrap_or_default())
    }

    fn bars(&self, who: CombatantId) -> Line<'static> {
        let program = self.game.program();
        let mark = if who == self.target { "▶" } else { " " };
        let style = if who == self.player { Style::new().bold().cyan() } else { Style::new() };
        let mut spans = vec![Span::from(format!(" {mark} {:<15}", self.label(who))).style(style)];
        let Some(health) = program.defeat_pool() else { return Line::from(spans) };
        spans.extend(self.bar(who, health, Color::Green, BAR));
        if let Some(breath) = program.find_pool("breath").filter(|breath| self.fight.cap(who, *breath) > 0.0) {
            spans.push(Span::from("  "));
            spans.extend(self.bar(who, breath, Color::Blue, BAR / 3));
        }
        for float in self.floats.iter().filter(|float| float.who == who) {
            spans.push(Span::from(format!("  {}", float.text)).fg(float.color).bold());
        }
        Line::from(spans)
    }

    fn bar(&self, who: CombatantId, pool: PoolId, color: Color, width: usize) -> Vec<Span<'static>> {
        let (amount, cap) = (self.fight.pool(who, pool), self.fight.cap(who, pool));
        let filled = if cap > 0.0 { (amount / cap * width as f64).ceil() as usize } else { 0 };
        vec![
            Span::from("█".repeat(filled)).fg(color),
            Span::from("░".repeat(width - filled.min(width))).dark_gray(),
            Span::from(format!(" {amount:3.0}/{cap:<3.0}")),
        ]
    }

    fn below(&mut self, who: CombatantId) -> Line<'static> {
        let mut spans = vec![Span::from(" ".repeat(18))];
        match self.fight.action(who) {
            Action::Casting { ability, since, until, .. } => {
                let (now, name) = (self.fight.now().seconds(), &self.game.program().ability(ability).name);
                let share = (now - since.seconds()) / (until.seconds() - since.seconds()).max(1e-6);
                let filled = (share.clamp(0.0, 1.0) * 8.0).round() as usize;
                spans.push(Span::from(format!("{}{} {name}  ", "▰".repeat(filled), "▱".repeat(8 - filled))).cyan());
            }
            Action::Recovering { until } => {
                let left = until.seconds() - self.fight.now().seconds();
                spans.push(Span::from(format!("recovers {left:.1} s  ")).dark_gray());
            }
            Action::Defeated => spans.push(Span::from("defeated  ").red()),
            _ => {}
        }
        for held in self.fight.statuses(who).unwrap_or_default().iter().filter(|held| !held.hidden) {
            let stacks = if held.stacks > 1 { format!("×{}", held.stacks) } else { String::new() };
            let left = held.remaining.map_or(String::new(), |left| format!(" {left:.1}"));
            let color = if held.kind == StatusKind::Debuff { Color::Magenta } else { Color::Green };
            let sign = if held.kind == StatusKind::Debuff { "▾" } else { "▴" };
            spans.push(Span::from(format!("{sign}{}{stacks}{left}  ", held.icon)).fg(color));
        }
        Line::from(spans)
    }

    /// A line for each ability: its cost, when it is ready again, why it cannot be used.
    fn draw_buttons(&mut self, frame: &mut Frame<'_>, area: Rect, block: Block<'_>) {
        let (setup, now) = (self.fight.setup().clone(), self.fight.now());
        let mut lines = Vec::new();
        for (number, ability) in self.abilities.clone().into_iter().enumerate() {
            let Ok(Some(button)) = self.fight.button(self.player, ability) else { continue };
            let reason = self.fight.why_unavailable(self.player, ability).ok().flatten();
            let plan = self.game.program().ability(ability);
            let pools = self.game.program().pools();
            let costs = button.costs.iter().map(|(pool, cost)| format!("{cost:.0} {}", pools[pool.index()].name));
            let costs = costs.collect::<Vec<_>>().join(", ");
            let state = match reason {
                _ if button.ready_at > now => {
                    Span::from(format!("{:.1} s", button.ready_at.seconds() - now.seconds())).magenta()
                }
                Some(UnavailableReason::Busy { until }) => {
                    Span::from(format!("busy {:.1} s", until.seconds() - now.seconds())).dark_gray()
                }
                Some(reason) => Span::from(describe_reason(&setup, reason)).dark_gray(),
                None => Span::from("ready").green(),
            };
            let left = button.charges.map(|(left, most)| format!("{left} of {most} charges"));
            let left = left.or(button.uses_left.map(|left| format!("{left} left"))).unwrap_or_default();
            lines.push(Line::from(vec![
                Span::from(format!(" {} ", number + 1)).bold().cyan(),
                Span::from(format!("{:<16}{costs:<14}{left:<18}", plan.name)),
                state,
            ]));
        }
        frame.render_widget(Paragraph::new(lines).block(block), area);
    }
}

/// The keys of a script: each line has a time in seconds and a key, or a comment after `#`.
pub(crate) fn read_script(text: &str) -> Result<Vec<(Time, Key)>, Failed> {
    let mut keys = Vec::new();
    for (number, line) in text.lines().enumerate() {
        let line = line.split('#').next().unwrap_or_default();
        let mut words = line.split_whitespace();
        let (Some(second), Some(key)) = (words.next(), words.next()) else { continue };
        let code = match key {
            "tab" => Some(KeyCode::Tab),
            "space" => Some(KeyCode::Char(' ')),
            _ => key.chars().next().map(KeyCode::Char),
        };
        let key = code.and_then(Key::of).ok_or_else(|| format!("line {}: no key is called `{key}`", number + 1))?;
        let second: f64 = second.parse().map_err(|_| format!("line {}: `{second}` is no number", number + 1))?;
        keys.push((Time::from_seconds(second), key));
    }
    Ok(keys)
}

/// Plays a script and returns the final screen, line by line.
pub(crate) fn play_script(watch: &mut Watch, keys: &[(Time, Key)], width: u16, height: u16) -> Result<String, Failed> {
    for (at, key) in keys {
        watch.advance(*at)?;
        if *key == Key::Quit || watch.is_over() {
            break;
        }
        watch.press(*key)?;
    }
    let mut terminal = Terminal::new(TestBackend::new(width, height))?;
    terminal.draw(|frame| watch.draw(frame))?;
    let screen = terminal.backend().buffer();
    let row = |y: u16| (0..width).map(|x| screen[(x, y)].symbol()).collect::<String>().trim_end().to_owned();
    Ok((0..height).map(row).collect::<Vec<_>>().join("\n").trim_end().to_owned() + "\n")
}

/// At 30 frames per second, until the fight is over and a key is pressed.
fn play(watch: &mut Watch) -> Result<(), Failed> {
    let mut terminal = ratatui::try_init()?;
    let (start, mut paused_for) = (Instant::now(), Duration::ZERO);
    loop {
        let frame_begins = Instant::now();
        terminal.draw(|frame| watch.draw(frame))?;
        while event::poll(Duration::from_secs(1).div_f64(FRAMES as f64).saturating_sub(frame_begins.elapsed()))? {
            let event::Event::Key(key) = event::read()? else { continue };
            match Key::of(key.code).filter(|_| key.is_press()) {
                Some(Key::Quit) => {
                    ratatui::restore();
                    return Ok(());
                }
                Some(key) => watch.press(key)?,
                None => {}
            }
        }
        if watch.paused {
            paused_for += frame_begins.elapsed();
        } else if !watch.is_over() {
            watch.advance(Time::from_seconds((start.elapsed() - paused_for).as_secs_f64()))?;
        }
    }
}

fn main() -> Result<(), Failed> {
    let rules = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine");
    let mut arguments: Vec<String> = std::env::args().skip(1).collect();
    let script = match arguments.iter().position(|argument| argument == "--script") {
        Some(at) if at + 1 < arguments.len() => arguments.drain(at..at + 2).nth(1),
        Some(_) => return Err("--script needs a file".into()),
        None => None,
    };
    let word = |number: usize, other: &'static str| arguments.get(number).map_or(other, String::as_str);
    let mut watch = Watch::new(rules, word(0, "night_shift"), word(1, "sluicer"), 4)?;
    match script {
        Some(path) => {
            let keys = read_script(&std::fs::read_to_string(path)?)?;
            print!("{}", play_script(&mut watch, &keys, 110, 46)?);
            Ok(())
        }
        None => {
            let played = play(&mut watch);
            ratatui::restore();
            played
        }
    }
}
