//! Measures: named figures over the fights of an encounter.
//!
//! Their names are resolved to ids of one encounter here; counting is done by studies.

mod quantities;

pub use quantities::{Argument, Quantity, Unit};

use std::sync::Arc;

use crate::fight::UnavailableReason;
use crate::program::{AbilityId, CombatantId, DamageTypeId, PoolId, Program, ReportId, Setup, SideId, StatusId};
use crate::rules::{MeasureFault, MeasureText, Part, Statistic};
use crate::text::diagnostic::{listed, suggestion};
use crate::text::{Code, Diagnostic, Diagnostics};

/// A figure over many fights of one encounter.
#[derive(Clone, Debug, PartialEq)]
pub struct Measure {
    /// As written.
    pub text: String,
    /// The quantity measured in each fight.
    pub quantity: Quantity,
    /// The statistic.
    pub statistic: Statistic,
    /// The combatants; for a side, its members.
    pub who: Vec<CombatantId>,
    /// The side, if the quantity requires one.
    pub side: Option<SideId>,
    /// Its restrictions.
    pub picks: Picks,
}

/// The restrictions of a measure.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Picks {
    /// Only contributions of this ability.
    pub ability: Option<AbilityId>,
    /// Only contributions of this status, or those that concern it.
    pub status: Option<StatusId>,
    /// Only damage of this type.
    pub damage_type: Option<DamageTypeId>,
    /// This pool.
    pub pool: Option<PoolId>,
    /// Steps with this name, one bit for each in the order of the hit steps.
    pub steps: Vec<bool>,
    /// Hits with these marks.
    pub marks: u64,
    /// Reports with this name.
    pub report: Option<ReportId>,
    /// Only this reason of unavailability, by [`UnavailableReason::kind`].
    pub reason: Option<usize>,
}

impl Measure {
    /// Reads a measure for an encounter.
    ///
    /// ```
    /// use edgeplane::Measure;
    /// # let game = edgeplane::Game::from_text("small.toml", edgeplane::example_text())?;
    /// # let fight = game.fight("duel", 1)?;
    /// let median = Measure::parse(fight.setup(), "duration.p50").unwrap();
    /// assert_eq!(median.text, "duration.p50");
    /// let fault = Measure::parse(fight.setup(), "durration").unwrap_err();
    /// assert!(fault.help.unwrap().contains("duration"));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// Returns a [`MeasureFault`] with what was found and what was probably meant.
    pub fn parse(setup: &Setup, text: &str) -> Result<Self, MeasureFault> {
        Self::resolve(setup, &MeasureText::parse(text)?)
    }

    pub(crate) fn resolve(setup: &Setup, text: &MeasureText) -> Result<Self, MeasureFault> {
        let quantity = quantity(&text.name)?;
        check_count(quantity, text)?;
        if quantity.is_share_of_fights() && text.statistic != Statistic::Mean {
            let message = format!("`{}` is a share of all fights; it has no quantiles", quantity.name());
            return Err(MeasureFault::new(text.name.range.clone(), message));
        }
        let mut measure = Self {
            text: text.text.clone(),
            quantity,
            statistic: text.statistic,
            who: Vec::new(),
            side: None,
            picks: Picks::default(),
        };
        let kinds = quantity.must().iter().chain(quantity.may());
        // Optional arguments are recognised by their kind, so one may be left out before another.
        let mut kinds = kinds.peekable();
        for part in &text.arguments {
            loop {
                let Some(kind) = kinds.next() else {
                    return Err(unknown(part, quantity.may().last().map_or("", |last| last.name()), &[]));
                };
                let optional = quantity.may().contains(kind);
                match measure.take(setup, *kind, part) {
                    Ok(()) => break,
                    Err(_) if optional && kinds.peek().is_some() => {}
                    Err(fault) => return Err(fault),
                }
            }
        }
        Ok(measure)
    }

    /// The unit of its values.
    pub fn unit(&self) -> Unit {
        self.quantity.unit()
    }

    /// A bound of a share that was probably written in percent: no share reaches it.
    pub(crate) fn check_bounds(&self, least: f64, most: f64) -> Result<(), MeasureFault> {
        let beyond = |bound: &f64| bound.is_finite() && !(-1.0..=2.0).contains(bound);
        let bound = Some(least).filter(|least| *least > 1.0).or([least, most].into_iter().find(beyond));
        match bound.filter(|_| self.unit() == Unit::Share) {
            Some(bound) => {
                let message = format!("`{}` is a share from 0 to 1, and never {bound}", self.text);
                let fault = MeasureFault::new(0..0, message);
                Err(if (1.0..=100.0).contains(&bound) {
                    fault.help(format!("{bound} % is written {}", bound / 100.0))
                } else {
                    fault
                })
            }
            None => Ok(()),
        }
    }

    fn take(&mut self, setup: &Setup, kind: Argument, part: &Part) -> Result<(), MeasureFault> {
        let program = setup.program();
        let name = part.text.as_str();
        match kind {
            Argument::Side => {
                let side = setup.sides.iter().position(|side| side == name);
                let side = SideId(side.ok_or_else(|| unknown(part, "side", &strs(&setup.sides)))? as u16);
                self.side = Some(side);
            }
            Argument::Who => self.who = whom(setup, part)?,
            Argument::Source => self.take_source(setup, part)?,
            Argument::Ability => {
                let names: Vec<&str> = program.abilities.iter().map(|ability| ability.name.as_str()).collect();
                self.picks.ability = Some(AbilityId(place(part, "ability", &names)?));
            }
            Argument::Pool => {
                let names: Vec<&str> = program.pools.iter().map(|pool| pool.name.as_str()).collect();
                self.picks.pool = Some(PoolId(place(part, "pool", &names)?));
            }
            Argument::Status => {
                let names: Vec<&str> = program.statuses.iter().map(|status| status.name.as_str()).collect();
                self.picks.status = Some(StatusId(place(part, "status", &names)?));
            }
            Argument::Step => {
                let names: Vec<&str> = program.hit_steps.iter().map(|step| step.name.as_str()).collect();
                place(part, "hit step", &names)?;
                self.picks.steps = names.iter().map(|step| *step == name).collect();
            }
            Argument::Mark => self.picks.marks = 1 << place(part, "mark", &strs(&program.marks))?,
            Argument::Report => {
                self.picks.report = Some(ReportId(place(part, "report", &strs(&program.reports))?));
            }
            Argument::Reason => {
                self.picks.reason = Some(usize::from(place(part, "reason", &UnavailableReason::NAMES)?));
            }
        }
        Ok(())
    }

    /// `boathook`, or `ability.boathook` if a status has the same name.
    fn take_source(&mut self, setup: &Setup, part: &Part) -> Result<(), MeasureFault> {
        let program = setup.program();
        let (kind, name) =
            part.text.split_once('.').map_or((None, part.text.as_str()), |(kind, name)| (Some(kind), name));
        let asked = |section: &str| kind.is_none_or(|kind| kind == section);
        let found = (
            program.find_ability(name).filter(|_| asked("ability")),
            program.find_status(name).filter(|_| asked("status")),
            program.damage_types.iter().position(|one| one.name == name).filter(|_| asked("damage_types")),
        );
        match found {
            (Some(ability), None, None) => self.picks.ability = Some(ability),
            (None, Some(status), None) => self.picks.status = Some(status),
            (None, None, Some(damage_type)) => self.picks.damage_type = Some(DamageTypeId(damage_type as u16)),
            (None, None, None) => {
                let abilities = program.abilities.iter().map(|ability| ability.name.as_str());
                let statuses = program.statuses.iter().map(|status| status.name.as_str());
                let types = program.damage_types.iter().map(|one| one.name.as_str());
                let names: Vec<&str> = abilities.chain(types).chain(statuses).collect();
                return Err(unknown(part, Argument::Source.name(), &names));
            }
            _ => {
                let message = format!("`{name}` is the name of several things");
                let help = format!("write `ability.{name}`, `status.{name}` or `damage_types.{name}`");
                return Err(MeasureFault::new(part.range.clone(), message).help(help));
            }
        }
        Ok(())
    }
}

/// Reports every expectation whose measure cannot be read.
pub(crate) fn check_expectations(program: &Arc<Program>) -> Vec<Diagnostic> {
    let mut out = Diagnostics::default();
    for rule in program.expectations() {
        let Some(encounter) = program.find_encounter(&rule.encounter.text) else { continue };
        let mut report = |code, span, fault: MeasureFault| {
            let mut diagnostic = Diagnostic::at(code, span, fault.message);
            diagnostic.help = fault.help;
            out.push(diagnostic);
        };
        match Measure::resolve(&Setup::of(program, encounter), &rule.that) {
            Ok(measure) => {
                let (least, most) = (rule.at_least.unwrap_or(f64::NEG_INFINITY), rule.at_most.unwrap_or(f64::INFINITY));
                if let Err(fault) = measure.check_bounds(least, most) {
                    report(Code::BadValue, rule.bounds, fault);
                }
            }
            Err(fault) => report(Code::BadMeasure, rule.map.span(fault.range.clone()), fault),
        }
    }
    out.finish()
}

fn quantity(name: &Part) -> Result<Quantity, MeasureFault> {
    Quantity::named(&name.text).ok_or_else(|| {
        let names: Vec<&str> = Quantity::ALL.iter().map(|quantity| quantity.name()).collect();
        unknown(name, "measure", &names)
    })
}

fn check_count(quantity: Quantity, text: &MeasureText) -> Result<(), MeasureFault> {
    let (must, may) = (quantity.must().len(), quantity.may().len());
    let found = text.arguments.len();
    if (must..=must + may).contains(&found) {
        return Ok(());
    }
    let message = format!("`{}` takes {}", quantity.name(), counts(must, must + may));
    Err(MeasureFault::new(text.name.range.clone(), message).help(format!("write it as `{}`", quantity.shape())))
}

fn counts(least: usize, most: usize) -> String {
    match (least, most) {
        (0, 0) => "nothing in brackets".to_owned(),
        (1, 1) => "one name in brackets".to_owned(),
        (least, most) if least == most => format!("{least} names in brackets"),
        (least, most) => format!("{least} to {most} names in brackets"),
    }
}

/// A combatant by label, all combatants of a character, or a side.
fn whom(setup: &Setup, part: &Part) -> Result<Vec<CombatantId>, MeasureFault> {
    let program = setup.program();
    let name = part.text.as_str();
    let character = |who: &CombatantId| &program.characters[setup.combatants[who.index()].character.index()].name;
    let side = |who: &CombatantId| &setup.sides[setup.combatants[who.index()].side.index()];
    if let Some(who) = setup.find_combatant(name) {
        return Ok(vec![who]);
    }
    let found: Vec<CombatantId> = setup.ids().filter(|who| character(who) == name || side(who) == name).collect();
    if !found.is_empty() {
        return Ok(found);
    }
    let mut known: Vec<&str> = setup.combatants.iter().map(|combatant| combatant.label.as_str()).collect();
    known.extend(
        setup.ids().map(|who| program.characters[setup.combatants[who.index()].character.index()].name.as_str()),
    );
    known.extend(strs(&setup.sides));
    let mut seen: Vec<&str> = Vec::new();
    known.retain(|name| {
        !seen.contains(name) && {
            seen.push(name);
            true
        }
    });
    Err(unknown(part, "combatant, character or side", &known))
}

fn place(part: &Part, what: &str, names: &[&str]) -> Result<u16, MeasureFault> {
    let found = names.iter().position(|name| *name == part.text);
    found.map(|index| index as u16).ok_or_else(|| unknown(part, what, names))
}

fn unknown(part: &Part, what: &str, known: &[&str]) -> MeasureFault {
    let fault = MeasureFault::new(part.range.clone(), format!("no {what} is called `{}`", part.text));
    match suggestion(&part.text, known) {
        Some(help) => fault.help(help),
        None if known.is_empty() => fault,
        None => fault.help(format!("there are {}", listed(known))),
    }
}

fn strs(names: &[String]) -> Vec<&str> {
    names.iter().map(String::as_str).collect()
}
