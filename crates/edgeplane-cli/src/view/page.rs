//! The report: one page that needs nothing but itself.

use edgeplane::Trials;
use edgeplane::study::{Expectation, Proportion};
use maud::{DOCTYPE, Markup, PreEscaped, html};

use super::{figures, text, verdicts};

/// Everything on the page.
pub(crate) struct Page {
    pub(crate) title: String,
    pub(crate) trials: u64,
    pub(crate) seed: u64,
    pub(crate) expectations: Vec<Expectation>,
    pub(crate) encounters: Vec<Encounter>,
    pub(crate) matrix: Option<String>,
    /// What is not there, since the tool was stopped before.
    pub(crate) missing: Vec<String>,
}

/// One encounter: its figures and its pictures.
pub(crate) struct Encounter {
    pub(crate) name: String,
    pub(crate) about: String,
    pub(crate) trials: Trials,
    pub(crate) pictures: Vec<String>,
}

const STYLE: &str = "
:root { color-scheme: light dark; --ink: #262e34; --paper: #fcfbf6; --faint: #ced0cc; --quiet: #5c646a; --strong: #a33d17; }
@media (prefers-color-scheme: dark) { :root { --ink: #e4e4de; --paper: #1b2024; --faint: #444b50; --quiet: #a4abb0; --strong: #f0a070; } }
body { font: 16px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--paper); max-width: 64rem; margin: 0 auto; padding: 1.5rem; }
h1 { font-size: 1.7rem; margin: 0 0 .2rem; } h2 { font-size: 1.25rem; margin: 2.2rem 0 .3rem; border-top: 1px solid var(--faint); padding-top: 1.4rem; }
p { margin: .3rem 0 .8rem; } .quiet { color: var(--quiet); } nav { display: flex; flex-wrap: wrap; gap: .2rem 1rem; } nav a { color: inherit; }
.wide { overflow-x: auto; } table { border-collapse: collapse; font-variant-numeric: tabular-nums; margin: .6rem 0 1rem; }
th, td { text-align: left; padding: .25rem .9rem .25rem 0; border-bottom: 1px solid var(--faint); white-space: nowrap; }
td.why { white-space: normal; min-width: 14rem; } .number { text-align: right; } .bad { color: var(--strong); font-weight: 700; }
.bar { display: inline-block; height: .7rem; background: #145c66; vertical-align: middle; }
figure { margin: 1rem 0; overflow-x: auto; } figure svg { width: 100%; height: auto; min-width: 34rem; border-radius: 6px; }
@media print { body { max-width: none; padding: 0; } nav { display: none; } figure, table { break-inside: avoid; } figure svg { min-width: 0; } h2 { break-after: avoid; } }
@media (max-width: 40rem) { body { padding: .8rem; font-size: 15px; } figure svg { min-width: 46rem; }
  table.cards thead { display: none; } table.cards tr { display: block; border-bottom: 1px solid var(--faint); padding: .4rem 0; }
  table.cards td { display: block; border: 0; padding: 0; text-align: left; white-space: normal; }
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
                @if !page.missing.is_empty() { p.bad { "Stopped early. Not here: " (page.missing.join(", ")) "." } }
                nav {
                    @for encounter in &page.encounters { a href=(format!("#{}", encounter.name)) { (encounter.name) } }
                    @if page.matrix.is_some() { a href="#matrix" { "everyone against everyone" } }
                }
                @if !page.expectations.is_empty() { (expectations(&page.expectations)) }
                @for encounter in &page.encounters { (one(encounter)) }
                @if let Some(matrix) = &page.matrix {
                    h2 id="matrix" { "Everyone against everyone" }
                    figure { (PreEscaped(matrix)) }
                }
            }
        }
    }
    .into_string()
}

fn expectations(found: &[Expectation]) -> Markup {
    let failed = found.iter().filter(|one| !one.verdict.holds()).count();
    html! {
        h2 { "What is expected" }
        @if failed == 0 { p { "All " (found.len()) " expectations hold." } }
        @else { p.bad { (failed) " of " (found.len()) " expectations fail." } }
        div.wide {
            table.cards {
                thead { tr { th { "verdict" } th { "of" } th { "in" } th.number { "wanted" } th.number { "found" } th { "because" } } }
                tbody {
                    @for one in found {
                        tr {
                            td.bad[!one.verdict.holds()] data-of="" { (verdicts::word(one.verdict)) }
                            td data-of="of" { (one.that) }
                            td data-of="in" { (one.encounter) }
                            td.number data-of="wanted" { (verdicts::wanted(one)) }
                            td.number data-of="found" { (figures::of(&one.figure)) }
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
                    @for side in &trials.sides { (share(&format!("{} win", side.side), &side.win_rate)) }
                    @if trials.draws.count > 0 { (share("draw", &trials.draws)) }
                }
            }
            table {
                thead { tr { th { "combatant" } th { "side" } th.number { "defeated" } th.number { "damage/s" } th.number { "healing/s" } } }
                tbody {
                    @for combatant in &trials.combatants {
                        tr {
                            td { (combatant.combatant) }
                            td { (combatant.side) }
                            td.number { (text::percent(combatant.defeated.value)) }
                            td.number { (format!("{:.2}", combatant.damage_per_second.mean)) }
                            td.number { (format!("{:.2}", combatant.healing_per_second.mean)) }
                        }
                    }
                }
            }
        }
        @for picture in &encounter.pictures { figure { (PreEscaped(picture)) } }
    }
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
