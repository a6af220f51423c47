//! The report: a page without external resources.

use edgeplane::Trials;
use edgeplane::study::{Estimate, Expectation, Proportion};
use maud::{DOCTYPE, Markup, PreEscaped, html};

use super::trials::endings;
use super::{figures, text, verdicts};

/// The contents of the page.
pub(crate) struct Page {
    pub(crate) title: String,
    pub(crate) trials: u64,
    pub(crate) seed: u64,
    pub(crate) expectations: Vec<Expectation>,
    pub(crate) encounters: Vec<Encounter>,
    pub(crate) matrix: Option<String>,
    /// What is missing because the tool was stopped.
    pub(crate) missing: Vec<String>,
    /// The command that produces the page.
    pub(crate) command: String,
}

/// One encounter: its figures, its pictures and some of its fights.
pub(crate) struct Encounter {
    pub(crate) name: String,
    pub(crate) about: String,
    pub(crate) trials: Trials,
    pub(crate) pictures: Vec<String>,
    pub(crate) fights: Vec<ShownFight>,
}

/// A representative fight.
pub(crate) struct ShownFight {
    /// Why it was chosen: `typical`.
    pub(crate) kind: &'static str,
    /// Its course, in a few words.
    pub(crate) about: String,
    pub(crate) picture: String,
}

const SCRIPT: &str = include_str!("page.js");

const STYLE: &str = "
:root { color-scheme: light dark; --ink: #262e34; --paper: #fcfbf6; --faint: #ced0cc; --quiet: #5c646a; --strong: #a33d17; }
@media (prefers-color-scheme: dark) { :root { --ink: #e4e4de; --paper: #1b2024; --faint: #444b50; --quiet: #a4abb0; --strong: #f0a070; } }
body { font: 16px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--paper); max-width: 64rem; margin: 0 auto; padding: 1.5rem; }
h1 { font-size: 1.7rem; margin: 0 0 .2rem; } h2 { font-size: 1.25rem; margin: 2.2rem 0 .3rem; border-top: 1px solid var(--faint); padding-top: 1.4rem; }
p { margin: .3rem 0 .8rem; } .quiet { color: var(--quiet); } nav { display: flex; flex-wrap: wrap; gap: .2rem 1rem; } a { color: inherit; }
.wide { overflow-x: auto; } table { border-collapse: collapse; font-variant-numeric: tabular-nums; margin: .6rem 0 1rem; }
th, td { text-align: left; padding: .25rem .9rem .25rem 0; border-bottom: 1px solid var(--faint); white-space: nowrap; }
td.why { white-space: normal; min-width: 14rem; } .number { text-align: right; } .bad { color: var(--strong); font-weight: 700; }
.bar { display: inline-block; height: .7rem; background: #145c66; vertical-align: middle; } .bar.side1 { background: repeating-linear-gradient(45deg, #ba5628 0 4px, #d98a63 4px 7px); }
th button { font: inherit; color: inherit; background: none; border: 0; padding: 0; cursor: pointer; } th button:hover { text-decoration: underline; }
th[aria-sort=ascending] button::after { content: \" ▲\"; font-size: .7em; } th[aria-sort=descending] button::after { content: \" ▼\"; font-size: .7em; }
[data-tip] { cursor: help; } :is(td, span)[data-tip] { text-decoration: underline dotted var(--quiet); text-underline-offset: 3px; }
path.mark:hover { stroke: #000; } .fights > label { display: inline-block; margin: .4rem .9rem .2rem 0; cursor: pointer; }
.fights > input { position: absolute; opacity: 0; } .fights > figure { display: none; }
.fights > input:checked + label { font-weight: 700; border-bottom: 2px solid var(--strong); } .fights > input:focus-visible + label { outline: 2px solid var(--strong); }
.fights > input:nth-of-type(1):checked ~ figure:nth-of-type(1), .fights > input:nth-of-type(2):checked ~ figure:nth-of-type(2),
.fights > input:nth-of-type(3):checked ~ figure:nth-of-type(3) { display: block; }
#tip { position: fixed; z-index: 9; max-width: 60rem; white-space: pre; overflow: hidden; font: 12px/1.45 ui-monospace, \"DejaVu Sans Mono\", monospace; background: #262e34; color: #fcfbf6; padding: .5rem .7rem; border-radius: 5px; pointer-events: none; }
code { font: 13px ui-monospace, \"DejaVu Sans Mono\", monospace; overflow-wrap: anywhere; } footer { margin-top: 2.5rem; border-top: 1px solid var(--faint); padding-top: .8rem; }
figure { margin: 1rem 0; overflow-x: auto; } figure svg { width: 100%; height: auto; min-width: 34rem; border-radius: 6px; }
@media print { * { print-color-adjust: exact; } body { max-width: none; padding: 0; font-size: 11px; } .wide, figure { overflow: visible; } th, td { white-space: normal; padding-right: .6rem; } td.why { min-width: 0; } td.number { white-space: nowrap; } h3, .fights > label { break-after: avoid; } nav, #tip { display: none; } .fights > label { display: none; } .fights > input:checked + label { display: block; border: 0; } th button::after { display: none; } figure, table { break-inside: avoid; } figure svg { min-width: 0; } h2 { break-after: avoid; } }
@media (max-width: 40rem) { body { padding: .8rem; font-size: 15px; } figure svg { min-width: 46rem; }
  table.cards thead { display: none; } table.cards tr { display: block; border-bottom: 1px solid var(--faint); padding: .4rem 0; }
  table.cards td { display: block; border: 0; padding: 0; text-align: left; white-space: normal; }
  .share { display: inline-block; max-width: 100%; overflow-wrap: anywhere; }
  table.cards td::before { content: attr(data-of) \" \"; color: var(--quiet); } }
";

pub(crate) fn draw(page: &Page) -> String {
    html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                title { (page.title) ", report" }
                style { (PreEscaped(STYLE)) }
            }
            body {
                h1 { (page.title) }
                p.quiet { (text::grouped(page.trials)) " fights of each encounter, seed " (page.seed) ". Intervals are for 95 %." }
                @if !page.missing.is_empty() { p.bad { "Stopped early. Missing: " (page.missing.join(", ")) "." } }
                nav {
                    @for encounter in &page.encounters { a href=(format!("#{}", encounter.name)) { (encounter.name) } }
                    @if page.matrix.is_some() { a href="#matrix" { "everyone against everyone" } }
                }
                (overview(page))
                @if !page.expectations.is_empty() { (expectations(&page.expectations)) }
                @for encounter in &page.encounters { (one(encounter)) }
                @if let Some(matrix) = &page.matrix {
                    h2 id="matrix" { "Everyone against everyone" }
                    figure { (PreEscaped(matrix)) }
                }
                footer { p.quiet { "Made by " code { (page.command) } } }
                script { (PreEscaped(SCRIPT)) }
            }
        }
    }
    .into_string()
}

/// All encounters, one per row: who wins, the duration, whether expectations hold.
fn overview(page: &Page) -> Markup {
    if page.encounters.is_empty() {
        return html! {};
    }
    html! {
        h2 { "At a glance" }
        div.wide {
            table.cards.sorts {
                thead { tr { th { "encounter" } th { "who wins" } th.number { "draws" } th.number { "median duration" } th { "expectations" } } }
                tbody {
                    @for encounter in &page.encounters { (glance(encounter, &page.expectations)) }
                }
            }
        }
    }
}

fn glance(encounter: &Encounter, expectations: &[Expectation]) -> Markup {
    let trials = &encounter.trials;
    let own: Vec<&Expectation> = expectations.iter().filter(|one| one.encounter == encounter.name).collect();
    let failed = own.iter().filter(|one| !one.verdict.holds()).count();
    let first = trials.sides.first().map_or(0.0, |side| side.win_rate.value);
    let median = trials.duration_quantiles.iter().find(|quantile| quantile.at == 0.5);
    html! {
        tr {
            td data-of="" { a href=(format!("#{}", encounter.name)) { (encounter.name) } }
            td data-of="who wins" data-value=(first) {
                @for (index, side) in trials.sides.iter().enumerate() {
                    span.share {
                        span.bar.(format!("side{}", index % 2)) style=(format!("width: {:.1}rem", side.win_rate.value * 8.0)) {}
                        " " span title=(interval(&side.win_rate)) { (side.side) " " (text::percent(side.win_rate.value)) }
                    }
                    " "
                }
            }
            td.number data-of="draws" data-value=(trials.draws.value) title=(interval(&trials.draws)) { (text::percent(trials.draws.value)) }
            @match median {
                Some(one) => td.number data-of="median duration" data-value=(one.value) title=(format!("95 % interval {:.1} – {:.1} s", one.low, one.high)) {
                    (format!("{:.1} s", one.value))
                },
                None => td.number { "–" },
            }
            @if own.is_empty() { td.quiet data-of="expectations" data-value="2" { "none" } }
            @else if failed == 0 { td data-of="expectations" data-value="1" { "✓ " (text::counted(own.len(), "holds", "hold")) } }
            @else { td.bad data-of="expectations" data-value="0" { "✗ " (failed) " of " (own.len()) " fail" } }
        }
    }
}

fn interval(share: &Proportion) -> String {
    format!("95 % interval {}", text::percent_range(share.low, share.high))
}

fn expectations(found: &[Expectation]) -> Markup {
    let failed = found.iter().filter(|one| !one.verdict.holds()).count();
    html! {
        h2 { "Expectations" }
        @if failed == 0 { p { "All " (found.len()) " expectations hold." } }
        @else { p.bad { (failed) " of " (found.len()) " expectations fail." } }
        div.wide {
            table.cards.sorts {
                thead { tr { th { "verdict" } th { "of" } th { "in" } th.number { "wanted" } th.number { "found" } th { "because" } } }
                tbody {
                    @for one in found {
                        tr {
                            td.bad[!one.verdict.holds()] data-of="" { (verdicts::word(one.verdict)) }
                            td data-of="of" { (one.that) }
                            td data-of="in" { (one.encounter) }
                            td.number data-of="wanted" { (verdicts::wanted(one)) }
                            td.number data-of="found" title=(format!("interval {}", figures::range(one.figure.unit, one.figure.low, one.figure.high))) { (figures::of(&one.figure)) }
                            td.why data-of="because" { (one.because) }
                        }
                    }
                }
            }
        }
    }
}

fn one(encounter: &Encounter) -> Markup {
    let trials = &encounter.trials;
    html! {
        h2 id=(encounter.name) { (encounter.name) }
        @if !encounter.about.is_empty() { p { (encounter.about) } }
        div.wide {
            table {
                thead { tr { th { "ending" } th.number { "share" } th.number { "95 % interval" } th {} } }
                tbody {
                    @for (ending, rate) in endings(trials) { (share(&ending, rate)) }
                }
            }
            table.sorts {
                thead { tr { th { "combatant" } th { "side" } th.number { "defeated" } th.number { "damage/s" } th.number { "healing/s" } } }
                tbody {
                    @for combatant in &trials.kinds_together().combatants {
                        tr {
                            td { (combatant.combatant) }
                            td { (combatant.side) }
                            td.number data-value=(combatant.defeated.value) title=(interval(&combatant.defeated)) { (text::percent(combatant.defeated.value)) }
                            (rate(&combatant.damage_per_second))
                            (rate(&combatant.healing_per_second))
                        }
                    }
                }
            }
        }
        @if trials.has_many_of_a_kind() { p.quiet { "Rows for several combatants of one kind show the average for one of them." } }
        @for picture in &encounter.pictures { figure { (PreEscaped(picture)) } }
        @if !encounter.fights.is_empty() {
            h3 { "Representative fights" }
            div.fights {
                @for (index, fight) in encounter.fights.iter().enumerate() {
                    @let id = format!("{}-{}", encounter.name, fight.kind);
                    input type="radio" name=(format!("fights-{}", encounter.name)) id=(id) checked[index == 0];
                    label for=(id) title=(fight.about) { "the " (fight.kind) " one" }
                }
                @for fight in &encounter.fights { figure { (PreEscaped(&fight.picture)) } }
            }
        }
    }
}

fn rate(estimate: &Estimate) -> Markup {
    let tip = format!("95 % interval {}", text::ends(estimate.low, estimate.high));
    html! { td.number data-value=(estimate.mean) title=(tip) { (format!("{:.2}", estimate.mean)) } }
}

fn share(name: &str, share: &Proportion) -> Markup {
    let length = format!("width: {:.1}rem", share.value * 14.0);
    html! {
        tr {
            td { (name) }
            td.number { (text::percent(share.value)) }
            td.number { (text::percent_range(share.low, share.high)) }
            td { span.bar style=(length) {} }
        }
    }
}
