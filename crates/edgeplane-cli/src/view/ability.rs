//! Shows the explanation of an ability.

use edgeplane::program::plain;
use edgeplane::study::explain::{AbilityExplanation, AlsoLine, EffectLine, StepLine, UsesLine, Worked};

use super::table::{self, Column};
use super::{sheet, text};

/// In words; `on` is the character named by the command.
pub(crate) fn draw(explained: &AbilityExplanation, on: Option<&str>) -> String {
    let mut title = format!("{} from {} on {}", explained.ability.name, explained.from, explained.on);
    if let Some(other) = on.filter(|on| *on != explained.on) {
        title.push_str(&format!(", against {other}"));
    }
    let mut out = format!("{}\n\n", text::bold(&title));
    if !explained.beforehand.is_empty() {
        out.push_str(&format!(" initially: {}\n\n", explained.beforehand.join("; ")));
    }
    out.push_str(&sheet::abilities(std::slice::from_ref(&explained.ability)));
    for (index, effect) in explained.effects.iter().enumerate() {
        out.push('\n');
        out.push_str(&effect_text(index, effect, &explained.on));
    }
    for UsesLine { of, pool, against, each_use, uses, .. } in &explained.uses_to_empty {
        let (each_use, against) = (text::tenth(*each_use), plain(*against));
        out.push_str(&format!("\n A use takes {each_use} {pool} from {of} on average: {uses} uses empty {against}\n"));
    }
    out.push_str(&also(explained));
    if !explained.exact {
        out.push_str(&text::dim(
            "\n There are too many possible results to enumerate: chances and means are from 20,000 samples.\n",
        ));
    }
    out
}

/// Effects without amounts.
fn also(explained: &AbilityExplanation) -> String {
    if explained.also.is_empty() {
        return String::new();
    }
    let row = |line: &AlsoLine| vec![line.effect.to_owned(), line.what.clone(), line.to.to_owned(), line.only.clone()];
    let columns = [Column::Words("also"), Column::Words("what"), Column::Words("to"), Column::Words("only")];
    format!("\n{}", table::draw(&columns, explained.also.iter().map(row).collect()))
}

fn effect_text(index: usize, effect: &EffectLine, on: &str) -> String {
    // A ruleset without damage types has one that is called `damage`.
    let kind = effect.damage_type.as_ref().filter(|kind| **kind != effect.effect);
    let kind = kind.map_or_else(String::new, |kind| format!(" ({kind})"));
    let tick = if effect.each_tick { ", each tick" } else { "" };
    let (against, pool) = (plain(effect.against), &effect.pool);
    let of = if effect.to == on { String::new() } else { format!(" of {}", effect.to) };
    let heading = format!("{}. {}{kind} to {against} {pool}{of}{tick}", index + 1, effect.effect);
    let mut out = format!(" {}\n", text::bold(&heading));
    let mut rows = vec![vec!["amount".to_owned(), sum(&effect.worked), String::new(), plain(effect.initial)]];
    rows.extend(effect.steps.iter().map(step_row));
    out.push_str(&table::draw(
        &[Column::Words("step"), Column::Words("most likely case"), Column::Words(""), Column::Numbers("left")],
        rows,
    ));
    if effect.endings.len() > 1 || effect.over_all.deviation > 0.0 {
        out.push('\n');
        out.push_str(&endings(effect));
    }
    out.push_str(&to_empty(effect));
    out
}

fn sum(worked: &[Worked]) -> String {
    let one = |worked: &Worked| match (worked.truth, worked.value != 0.0) {
        _ if worked.draw => worked.worked.clone(),
        (true, holds) => format!("{} {}", worked.worked, if holds { "→ yes" } else { "→ no" }),
        _ if worked.key == "spread" => format!("± {} %", plain(worked.value * 100.0)),
        _ if worked.worked == plain(worked.value) => worked.worked.clone(),
        _ => format!("{} = {}", worked.worked, plain(worked.value)),
    };
    worked.iter().map(one).collect::<Vec<_>>().join(", ")
}

fn step_row(step: &StepLine) -> Vec<String> {
    // A step without formulas is a pool that soaks.
    let result = match (step.worked.is_empty(), step.before == step.after) {
        (true, true) => "takes nothing".to_owned(),
        (true, false) => format!("takes {}", plain(step.before - step.after)),
        _ => step.result.clone(),
    };
    vec![step.step.clone(), sum(&step.worked), result, plain(step.after)]
}

fn endings(effect: &EffectLine) -> String {
    let amounts = |mean: f64, least: f64, greatest: f64| {
        if least == greatest {
            vec![text::tenth(mean), String::new()]
        } else {
            vec![text::tenth(mean), format!("{} – {}", text::tenth(least), text::tenth(greatest))]
        }
    };
    let mut rows: Vec<Vec<String>> = Vec::new();
    for ending in &effect.endings {
        let mut row = vec![ending.ending.clone(), text::percent(ending.chance)];
        row.extend(amounts(ending.mean, ending.least, ending.greatest));
        rows.push(row);
    }
    let all = &effect.over_all;
    rows.push(vec![
        "all".to_owned(),
        text::percent(1.0),
        text::tenth(all.mean),
        format!("deviation {}", text::tenth(all.deviation)),
    ]);
    table::draw(
        &[Column::Words("ends as"), Column::Numbers("chance"), Column::Numbers("mean"), Column::Words("range")],
        rows,
    )
}

fn to_empty(effect: &EffectLine) -> String {
    let Some([best, mean, worst]) = effect.to_empty else { return String::new() };
    let against = format!("{} {}", plain(effect.against), effect.pool);
    format!(" {mean} of these empty {against} on average; {best} at best, {worst} at worst if each arrives\n")
}

pub(crate) fn rows(explained: &AbilityExplanation) -> Vec<Vec<String>> {
    let mut rows =
        vec![["effect", "pool", "ending", "chance", "mean", "least", "greatest"].map(str::to_owned).to_vec()];
    for effect in &explained.effects {
        rows.extend(effect.endings.iter().map(|ending| {
            let numbers = [ending.chance, ending.mean, ending.least, ending.greatest].map(|number| number.to_string());
            let mut row = vec![effect.effect.clone(), effect.pool.clone(), ending.ending.clone()];
            row.extend(numbers);
            row
        }));
    }
    rows
}
