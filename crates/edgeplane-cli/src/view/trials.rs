//! Shows the figures of many fights.

use edgeplane::Trials;
use edgeplane::study::{AbilityFigures, CombatantFigures, Proportion};

use super::table::{self, Column};
use super::text;

/// The label of a group of combatants.
const OF_ONE: &str =
    " Rows for several combatants of one kind show the average for one of them; --each gives everyone a row.\n";

pub(crate) fn draw(title: &str, trials: &Trials, each: bool) -> String {
    let is_shorter = !each && trials.has_many_of_a_kind();
    let shorter = if is_shorter { trials.kinds_together() } else { trials.clone() };
    let trials = &shorter;
    let heading =
        format!("{title} · {} · {} fights · seed {}", trials.encounter, text::grouped(trials.trials), trials.seed);
    [
        format!("{}\n", text::bold(&heading)),
        wins(trials),
        duration(trials),
        combatants(trials),
        abilities(trials),
        by_status(trials),
        statuses(trials),
        unavailable(trials),
        if is_shorter { OF_ONE.to_owned() } else { String::new() },
    ]
    .into_iter()
    .filter(|part| !part.is_empty())
    .collect::<Vec<_>>()
    .join("\n")
}

/// The endings that happened: who won, and why nobody did.
pub(crate) fn endings(trials: &Trials) -> Vec<(String, &Proportion)> {
    let mut endings = Vec::new();
    for side in &trials.sides {
        endings.push((format!("{} win", side.side), &side.win_rate));
        if side.held_out.count > 0 {
            endings.push(("  by holding out".to_owned(), &side.held_out));
        }
    }
    let draws = [
        ("draw: all defeated", &trials.all_defeated),
        ("draw: time is up", &trials.time_limit),
        ("draw: stalemate", &trials.stalemate),
        ("draw: several won at once", &trials.drawn),
    ];
    endings
        .extend(draws.into_iter().filter(|(_, share)| share.count > 0).map(|(name, share)| (name.to_owned(), share)));
    endings
}

fn wins(trials: &Trials) -> String {
    let row = |(name, share): (String, &Proportion)| {
        vec![name, text::percent(share.value), text::percent_range(share.low, share.high), bar(share.value)]
    };
    let rows = endings(trials).into_iter().map(row).collect();
    table::draw(
        &[Column::Words("ending"), Column::Numbers("share"), Column::Numbers("95 % interval"), Column::Words("")],
        rows,
    )
}

fn bar(share: f64) -> String {
    let length = (share * 30.0).round() as usize;
    if share > 0.0 { "█".repeat(length.max(1)) } else { String::new() }
}

fn duration(trials: &Trials) -> String {
    let mut rows = vec![vec![
        "mean".to_owned(),
        format!("{:.2}", trials.duration.mean),
        text::ends(trials.duration.low, trials.duration.high),
    ]];
    for quantile in &trials.duration_quantiles {
        let name = if quantile.at == 0.5 {
            "median".to_owned()
        } else {
            format!("{:.0} % are shorter than", quantile.at * 100.0)
        };
        rows.push(vec![name, format!("{:.2}", quantile.value), text::ends(quantile.low, quantile.high)]);
    }
    table::draw(&[Column::Words("duration"), Column::Numbers("s"), Column::Numbers("95 % interval")], rows)
}

fn combatants(trials: &Trials) -> String {
    let row = |figures: &CombatantFigures| {
        let damage = &figures.damage_per_second;
        let healing = if figures.healing_per_second.mean > 0.0 {
            text::tenth(figures.healing_per_second.mean)
        } else {
            "–".to_owned()
        };
        vec![
            figures.combatant.clone(),
            figures.side.clone(),
            text::percent(figures.defeated.value),
            format!("{:.2}", damage.mean),
            text::ends(damage.low, damage.high),
            healing,
        ]
    };
    table::draw(
        &[
            Column::Words("combatant"),
            Column::Words("side"),
            Column::Numbers("defeated"),
            Column::Numbers("damage/s"),
            Column::Numbers("95 % interval"),
            Column::Numbers("healing/s"),
        ],
        trials.combatants.iter().map(row).collect(),
    )
}

fn abilities(trials: &Trials) -> String {
    let mut rows = Vec::new();
    for figures in &trials.combatants {
        for ability in &figures.abilities {
            rows.push(vec![
                figures.combatant.clone(),
                ability.ability.clone(),
                text::tenth(ability.uses),
                dash(ability.damage),
                if ability.damage > 0.0 { text::percent(ability.damage_share) } else { "–".to_owned() },
                dash(ability.overkill),
                dash(ability.healing),
                dash(ability.overheal),
                if ability.hits > 0.0 { text::percent(ability.stopped) } else { "–".to_owned() },
            ]);
        }
    }
    table::draw(
        &[
            Column::Words("per fight"),
            Column::Words("ability"),
            Column::Numbers("uses"),
            Column::Numbers("damage"),
            Column::Numbers("share"),
            Column::Numbers("overkill"),
            Column::Numbers("healing"),
            Column::Numbers("overheal"),
            Column::Numbers("hits stopped"),
        ],
        rows,
    )
}

fn dash(value: f64) -> String {
    if value == 0.0 { "–".to_owned() } else { text::tenth(value) }
}

/// The effects of statuses, by the combatants that applied them.
fn by_status(trials: &Trials) -> String {
    let mut rows = Vec::new();
    for figures in &trials.combatants {
        for status in
            figures.by_status.iter().filter(|one| one.damage + one.overkill + one.healing + one.overheal > 0.0)
        {
            rows.push(vec![
                figures.combatant.clone(),
                status.status.clone(),
                dash(status.ticks),
                dash(status.damage),
                if status.damage > 0.0 { text::percent(status.damage_share) } else { "–".to_owned() },
                dash(status.overkill),
                dash(status.healing),
                dash(status.overheal),
            ]);
        }
    }
    if rows.is_empty() {
        return String::new();
    }
    let columns = [
        Column::Words("by status"),
        Column::Words("status"),
        Column::Numbers("ticks"),
        Column::Numbers("damage"),
        Column::Numbers("share"),
        Column::Numbers("overkill"),
        Column::Numbers("healing"),
        Column::Numbers("overheal"),
    ];
    table::draw(&columns, rows)
}

/// The statuses of combatants.
fn statuses(trials: &Trials) -> String {
    let mut rows = Vec::new();
    for figures in &trials.combatants {
        for status in &figures.statuses {
            let prevented: Vec<String> =
                status.prevented.iter().map(|(reason, count)| format!("{reason} {}", text::tenth(*count))).collect();
            rows.push(vec![
                figures.combatant.clone(),
                status.status.clone(),
                text::tenth(status.applied),
                text::percent(status.uptime),
                if status.uptime > 0.0 { format!("{:.2}", status.mean_stacks) } else { "–".to_owned() },
                prevented.join(", "),
            ]);
        }
    }
    if rows.is_empty() {
        return String::new();
    }
    let columns = [
        Column::Words("statuses of"),
        Column::Words("status"),
        Column::Numbers("applied"),
        Column::Numbers("uptime"),
        Column::Numbers("mean stacks"),
        Column::Words("prevented, per fight"),
    ];
    table::draw(&columns, rows)
}

/// How long each ability was unavailable while its owner was free to act, and why. One row for each ability, so that
/// the reasons of a combatant can be compared.
fn unavailable(trials: &Trials) -> String {
    let row = |combatant: &CombatantFigures, ability: &AbilityFigures| {
        let mut reasons: Vec<&(String, f64)> = ability.unavailable.iter().filter(|(_, share)| *share >= 5e-4).collect();
        reasons.sort_by(|a, b| b.1.total_cmp(&a.1));
        let reasons: Vec<String> = reasons
            .iter()
            .map(|(reason, share)| format!("{} {}", reason.replace('_', " "), text::percent(*share)))
            .collect();
        let idle = text::percent(combatant.idle);
        (!reasons.is_empty())
            .then(|| vec![combatant.combatant.clone(), idle, ability.ability.clone(), reasons.join(", ")])
    };
    let mut rows: Vec<Vec<String>> = Vec::new();
    for combatant in &trials.combatants {
        rows.extend(combatant.abilities.iter().filter_map(|ability| row(combatant, ability)));
    }
    if rows.is_empty() {
        return String::new();
    }
    table::draw(
        &[
            Column::Words("free to act"),
            Column::Numbers("of its time"),
            Column::Words("ability"),
            Column::Words("unavailable, of that time"),
        ],
        rows,
    )
}

/// One row for each figure, for spreadsheets.
pub(crate) fn rows(trials: &Trials) -> Vec<Vec<String>> {
    let mut rows = vec![["measure", "of", "by", "value", "low", "high"].map(str::to_owned).to_vec()];
    let mut push = |measure: &str, of: &str, ability: &str, value: f64, bounds: Option<(f64, f64)>| {
        // A cell is empty if there is no number.
        let cell = |number: f64| if number.is_finite() { number.to_string() } else { String::new() };
        let (low, high) = bounds.map_or_else(Default::default, |(low, high)| (cell(low), cell(high)));
        rows.push(vec![measure.to_owned(), of.to_owned(), ability.to_owned(), cell(value), low, high]);
    };
    for side in &trials.sides {
        push("win rate", &side.side, "", side.win_rate.value, Some((side.win_rate.low, side.win_rate.high)));
    }
    push("draw rate", "", "", trials.draws.value, Some((trials.draws.low, trials.draws.high)));
    push("duration mean", "", "", trials.duration.mean, Some((trials.duration.low, trials.duration.high)));
    for quantile in &trials.duration_quantiles {
        push(
            &format!("duration p{:.0}", quantile.at * 100.0),
            "",
            "",
            quantile.value,
            Some((quantile.low, quantile.high)),
        );
    }
    for combatant in &trials.combatants {
        let of = &combatant.combatant;
        push("defeated", of, "", combatant.defeated.value, Some((combatant.defeated.low, combatant.defeated.high)));
        let (damage, healing) = (&combatant.damage_per_second, &combatant.healing_per_second);
        push("free to act", of, "", combatant.idle, None);
        push("damage per second", of, "", damage.mean, Some((damage.low, damage.high)));
        push("healing per second", of, "", healing.mean, Some((healing.low, healing.high)));
        for ability in &combatant.abilities {
            for (measure, value) in [
                ("uses", ability.uses),
                ("damage", ability.damage),
                ("overkill", ability.overkill),
                ("healing", ability.healing),
                ("overheal", ability.overheal),
                ("hits stopped", ability.stopped),
            ] {
                push(measure, of, &ability.ability, value, None);
            }
            for (reason, share) in &ability.unavailable {
                push(&format!("unavailable: {reason}"), of, &ability.ability, *share, None);
            }
        }
        for status in &combatant.by_status {
            for (measure, value) in [
                ("ticks", status.ticks),
                ("damage", status.damage),
                ("overkill", status.overkill),
                ("healing", status.healing),
                ("overheal", status.overheal),
            ] {
                push(measure, of, &status.status, value, None);
            }
        }
        for status in &combatant.statuses {
            push("applied", of, &status.status, status.applied, None);
            push("uptime", of, &status.status, status.uptime, None);
            push("mean stacks", of, &status.status, status.mean_stacks, None);
            for (reason, count) in &status.prevented {
                push(&format!("prevented: {reason}"), of, &status.status, *count, None);
            }
        }
    }
    rows
}
