//! Tables: aligned columns, a rule under the header, no boxes.

use comfy_table::{CellAlignment, ContentArrangement, LineStyle, Table, TableStyle};

use super::text;

/// A column: its heading, and whether it contains numbers.
#[derive(Clone, Copy)]
pub(crate) enum Column {
    Words(&'static str),
    Numbers(&'static str),
}

/// Draws rows of numbers under variable headings; the first column is a name.
pub(crate) fn draw_named(header: &[String], rows: Vec<Vec<String>>) -> String {
    let columns: Vec<Heading<'_>> =
        header.iter().enumerate().map(|(index, name)| Heading { name, numbers: index > 0 }).collect();
    draw_headed(&columns, rows)
}

/// Draws numbers under variable headings; the last column is a chart.
pub(crate) fn draw_under(header: &[String], rows: Vec<Vec<String>>) -> String {
    let last = header.len() - 1;
    let columns: Vec<Heading<'_>> =
        header.iter().enumerate().map(|(index, name)| Heading { name, numbers: index < last }).collect();
    draw_headed(&columns, rows)
}

/// A column: its heading, and whether it contains numbers.
struct Heading<'a> {
    name: &'a str,
    numbers: bool,
}

/// Draws rows under headings, two spaces in from the left.
pub(crate) fn draw(columns: &[Column], rows: Vec<Vec<String>>) -> String {
    let heading = |column: &Column| match column {
        Column::Words(name) => Heading { name, numbers: false },
        Column::Numbers(name) => Heading { name, numbers: true },
    };
    draw_headed(&columns.iter().map(heading).collect::<Vec<_>>(), rows)
}

fn draw_headed(columns: &[Heading<'_>], rows: Vec<Vec<String>>) -> String {
    let mut table = Table::new();
    let style = TableStyle::new().header_separator(LineStyle::none().fill('─').junction('─'));
    table.load_style(style).set_content_arrangement(ContentArrangement::Disabled);
    table.set_header(columns.iter().map(|column| column.name));
    for row in rows {
        table.add_row(row);
    }
    for (index, column) in columns.iter().enumerate() {
        if let (true, Some(column)) = (column.numbers, table.column_mut(index)) {
            column.set_cell_alignment(CellAlignment::Right);
        }
    }
    let drawn = table.to_string();
    let line = |(index, line): (usize, &str)| {
        let line = line.trim_end();
        format!(" {}\n", if index == 0 { text::bold(line) } else { line.to_owned() })
    };
    drawn.lines().enumerate().map(line).collect()
}
