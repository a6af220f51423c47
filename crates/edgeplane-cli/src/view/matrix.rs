//! Shows the matrix of duels as two grids.

use edgeplane::Figure;
use edgeplane::study::{Duel, Matrix, Stand, Standing};

use super::table::{self, Column};
use super::{figures, text};

pub(crate) fn draw(found: &Matrix) -> String {
    let widest = found.duels.iter().flat_map(|duel| [&duel.win_rate, &duel.loss_rate]).map(Figure::half_width);
    let widest = widest.filter(|width| width.is_finite());
    let reach = widest.fold(0.0, f64::max) * 100.0;
    let wins = grid(found, "wins against →", true, &|duel, swapped| {
        let figure = if swapped { &duel.loss_rate } else { &duel.win_rate };
        figure.value.map_or_else(String::new, |value| format!("{:.1} %", value * 100.0))
    });
    let lasts = grid(found, "lasts, seconds →", false, &|duel, _| {
        duel.duration.value.map_or_else(String::new, |value| format!("{value:.1}"))
    });
    format!(
        "{wins}\n Each ± {reach:.1} pp at most; the rest to 100 % are draws, including duels longer than {} s.\n\n{lasts}{}",
        found.time_limit,
        found.standing.as_ref().map_or_else(String::new, standing)
    )
}

/// Who beats whom, and the balance of the roster.
fn standing(found: &Standing) -> String {
    let by = |one: &Stand| {
        let found = found.dominated.iter().find(|dominated| dominated.character == one.character);
        found.map_or_else(|| "–".to_owned(), |dominated| dominated.by.clone())
    };
    let row = |one: &Stand| {
        let mix = if one.mix > 0.0 { text::percent(one.mix) } else { "–".to_owned() };
        vec![one.character.clone(), one.ahead_of.len().to_string(), one.behind.len().to_string(), by(one), mix]
    };
    let columns = [
        Column::Words("beyond chance, all pairs at once"),
        Column::Numbers("ahead of"),
        Column::Numbers("behind"),
        Column::Words("dominated by"),
        Column::Numbers("mix"),
    ];
    let table = table::draw(&columns, found.characters.iter().map(row).collect());
    let uneven = text::percent(found.uneven).replace('%', "pp");
    format!(
        "\n{table}\n Dominated: the other one is better against at least one, and worse against none by more than 3 pp.\n \
         Mix: against these shares, nobody wins more often than it loses. Against all others equally often, {} has\n \
         {uneven} more wins than losses.\n",
        found.best
    )
}

/// The mean share of fights that a character wins against the others, as far as they were played.
fn mean(found: &Matrix, row: usize) -> f64 {
    let others = (0..found.characters.len()).filter(|other| *other != row);
    let wins = others.filter_map(|other| {
        let (duel, swapped) = found.duel(row, other);
        if swapped { &duel.loss_rate } else { &duel.win_rate }.value
    });
    let wins: Vec<f64> = wins.collect();
    wins.iter().sum::<f64>() / wins.len().max(1) as f64
}

fn grid(found: &Matrix, corner: &str, means: bool, cell: &dyn Fn(&Duel, bool) -> String) -> String {
    let mut header: Vec<String> = std::iter::once(corner.to_owned()).chain(found.characters.iter().cloned()).collect();
    header.extend(means.then(|| "others, mean".to_owned()));
    let row = |(index, name): (usize, &String)| {
        let cells = (0..found.characters.len()).map(|other| {
            let (duel, swapped) = found.duel(index, other);
            cell(duel, swapped)
        });
        let last = means.then(|| text::percent(mean(found, index)));
        std::iter::once(name.clone()).chain(cells).chain(last).collect()
    };
    table::draw_named(&header, found.characters.iter().enumerate().map(row).collect())
}

/// One row for each pair.
pub(crate) fn rows(found: &Matrix) -> Vec<Vec<String>> {
    let header = ["one", "other", "one wins", "low", "high", "other wins", "low", "high", "duration", "low", "high"];
    let row = |duel: &Duel| {
        let mut row = vec![duel.one.clone(), duel.other.clone()];
        for figure in [&duel.win_rate, &duel.loss_rate, &duel.duration] {
            row.extend([figure.value, figure.low, figure.high].map(figures::cell));
        }
        row
    };
    std::iter::once(header.map(str::to_owned).to_vec()).chain(found.duels.iter().map(row)).collect()
}
