//! Shows a fight at one moment, combatant by combatant.

use edgeplane::program::plain;
use edgeplane::study::explain::{AbilityMoment, AttributeMoment, CombatantMoment, Moment, PoolMoment, StatusMoment};

use super::table::{self, Column};
use super::text;

pub(crate) fn draw(found: &Moment, title: &str) -> String {
    let at = format!("{title} · at {:.2} s", found.at);
    let ended = if found.ended { " The fight has ended: this is its final state.\n" } else { "" };
    let everyone: String = found.combatants.iter().map(|one| combatant(one, found.ended)).collect();
    format!("{}\n{ended}{everyone}", text::bold(&at))
}

fn combatant(one: &CombatantMoment, ended: bool) -> String {
    let place = one.place.map_or_else(String::new, |[x, y]| format!(" at ({}, {}) m", short(x), short(y)));
    let pools: Vec<String> = one.pools.iter().map(pool).collect();
    // A label that is not unique without it names the side already.
    let side = format!(" ({})", one.side);
    let side = if one.who.ends_with(&side) { "" } else { &side };
    let mut out = format!("\n{}{side} · {}{place}\n", text::strong(&one.who), one.doing);
    out.push_str(&format!("   {}\n", pools.join(" · ")));
    let differs = |line: &&AttributeMoment| line.value != line.at_start || !line.statuses.is_empty();
    let attributes: Vec<_> = one.attributes.iter().filter(differs).map(attribute).collect();
    if !attributes.is_empty() {
        let columns =
            [Column::Words("attribute"), Column::Numbers("at the start"), Column::Numbers("now"), Column::Words("")];
        out.push('\n');
        out.push_str(&table::draw(&columns, attributes));
    }
    if !one.statuses.is_empty() {
        let columns = [
            Column::Words("status"),
            Column::Numbers("stacks"),
            Column::Numbers("ends in"),
            Column::Words("from"),
            Column::Words("tags"),
        ];
        out.push('\n');
        out.push_str(&table::draw(&columns, one.statuses.iter().map(status).collect()));
    }
    if !one.abilities.is_empty() && !ended && one.doing != "defeated" {
        let columns = [Column::Words("ability"), Column::Numbers("ready in"), Column::Words("could be used")];
        out.push('\n');
        out.push_str(&table::draw(&columns, one.abilities.iter().map(ability).collect()));
    }
    out
}

/// `breath 49.5 of 60, +1.5 each second`
fn pool(pool: &PoolMoment) -> String {
    let most = pool.max.map_or_else(String::new, |max| format!(" of {}", short(max)));
    let every = pool.portions.map_or_else(|| "each second".to_owned(), |every| format!("every {} s", short(every)));
    let sign = if pool.rate > 0.0 { "+" } else { "−" };
    let flow = if pool.rate == 0.0 { String::new() } else { format!(", {sign}{} {every}", short(pool.rate.abs())) };
    format!("{} {}{most}{flow}", pool.name, short(pool.holds))
}

fn attribute(line: &AttributeMoment) -> Vec<String> {
    vec![line.name.clone(), short(line.at_start), short(line.value), line.statuses.join(", ")]
}

fn status(line: &StatusMoment) -> Vec<String> {
    let ends = line.remaining.map_or_else(|| "–".to_owned(), |seconds| format!("{seconds:.2} s"));
    vec![line.name.clone(), line.stacks.to_string(), ends, line.from.clone(), line.tags.join(", ")]
}

fn ability(line: &AbilityMoment) -> Vec<String> {
    let ready = if line.ready_in > 0.0 { format!("{:.2} s", line.ready_in) } else { "–".to_owned() };
    let says = line.unavailable.as_ref().map_or_else(|| "yes".to_owned(), |why| format!("no, {why}"));
    vec![line.name.clone(), ready, says]
}

/// At most three decimals.
fn short(value: f64) -> String {
    plain((value * 1000.0).round() / 1000.0)
}

/// One row for each value of each combatant.
pub(crate) fn rows(found: &Moment) -> Vec<Vec<String>> {
    let mut rows = vec![["who", "kind", "name", "value", "of", "says"].map(str::to_owned).to_vec()];
    let number = |value: f64| value.to_string();
    for one in &found.combatants {
        let mut row = |kind: &str, name: &str, value: String, of: String, says: String| {
            rows.push(vec![one.who.clone(), kind.to_owned(), name.to_owned(), value, of, says]);
        };
        row("action", "", String::new(), String::new(), one.doing.clone());
        if let Some([x, y]) = one.place {
            row("place", "", number(x), number(y), String::new());
        }
        for pool in &one.pools {
            row("pool", &pool.name, number(pool.holds), pool.max.map_or_else(String::new, number), String::new());
        }
        for line in &one.attributes {
            row("attribute", &line.name, number(line.value), number(line.at_start), line.statuses.join(", "));
        }
        for line in &one.statuses {
            let remaining = line.remaining.map_or_else(String::new, number);
            row("status", &line.name, line.stacks.to_string(), remaining, line.from.clone());
        }
        for line in &one.abilities {
            row(
                "ability",
                &line.name,
                number(line.ready_in),
                String::new(),
                line.unavailable.clone().unwrap_or_default(),
            );
        }
    }
    rows
}
