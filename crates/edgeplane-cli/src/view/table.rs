//! Tables: aligned columns, a rule under the header, no boxes.

use comfy_table::{CellAlignment, ContentArrangement, LineStyle, Table, TableStyle};

use super::text;

/// A column's heading, and whether it holds numbers.
pub(crate) enum Column {
    Words(&'static str),
    Numbers(&'static str),
}

/// Draws rows under headings, two spaces in from the left.
pub(crate) fn draw(columns: &[Column], rows: Vec<Vec<String>>) -> String {
    let mut table = Table::new();
    let style = TableStyle::new().header_separator(LineStyle::none().fill('─').junction('─'));
    table.load_style(style).set_content_arrangement(ContentArrangement::Disabled);
    table.set_header(columns.iter().map(|column| {
        let (Column::Words(name) | Column::Numbers(name)) = column;
        *name
    }));
    for row in rows {
        table.add_row(row);
    }
    for (index, column) in columns.iter().enumerate() {
        if let (Column::Numbers(_), Some(column)) = (column, table.column_mut(index)) {
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
