//! Comma-separated values with a place for every cell.

use csv_core::{ReadFieldResult, Reader};

use super::literal::TextMap;
use super::source::{FileId, Sources, Span};

/// One cell.
#[derive(Clone, Debug)]
pub(super) struct Cell {
    /// What it says, without quotes and space around it.
    pub(super) text: String,
    /// Where it stands.
    pub(super) span: Span,
    /// From its characters back into the file.
    pub(super) map: TextMap,
    /// The text stands in the file as it is.
    pub(super) verbatim: bool,
}

/// All rows of a file; blank lines are left out.
pub(super) fn rows(sources: &Sources, file: FileId) -> Vec<Vec<Cell>> {
    let text = sources.file(file).text();
    let (mut reader, mut rows, mut row) = (Reader::new(), Vec::new(), Vec::new());
    let (mut at, mut start, mut bytes) = (0, 0, Vec::new());
    let mut room = [0; 1024];
    loop {
        let (result, read, written) = reader.read_field(&text.as_bytes()[at..], &mut room);
        at += read;
        bytes.extend_from_slice(&room[..written]);
        match result {
            // No input left: the reader learns of it by being called with nothing, until it says that it is done.
            ReadFieldResult::InputEmpty | ReadFieldResult::OutputFull => {}
            ReadFieldResult::Field { record_end } => {
                row.push(cell(file, text, start..at, &String::from_utf8_lossy(&bytes)));
                bytes.clear();
                start = at;
                if record_end {
                    rows.push(std::mem::take(&mut row));
                }
            }
            ReadFieldResult::End => break,
        }
    }
    let blank = |row: &Vec<Cell>| row.iter().all(|cell| cell.text.is_empty());
    rows.retain(|row| !blank(row));
    rows
}

/// The text of each cell of a file, and where it stands.
pub(crate) fn sheet_cells(sources: &Sources, file: FileId) -> Vec<Vec<(String, Span)>> {
    let bare = |row: Vec<Cell>| row.into_iter().map(|cell| (cell.text, cell.span)).collect();
    rows(sources, file).into_iter().map(bare).collect()
}

/// A cell from the bytes that the reader took for it: perhaps quotes, and the separator behind it.
fn cell(file: FileId, text: &str, range: std::ops::Range<usize>, decoded: &str) -> Cell {
    let taken = &text[range.start..range.end];
    let lead = taken.len() - taken.trim_start_matches(['\n', '\r', ' ', '\t']).len();
    let body = taken[lead..].trim_end_matches(['\n', '\r']).trim_end_matches(',');
    let quoted = body.starts_with('"');
    let body = body.trim_end();
    let (from, raw) = if quoted { (1, body.trim_matches('"')) } else { (0, body) };
    let start = (range.start + lead) as u32;
    let span = Span { file, start, end: start + body.len() as u32 };
    let decoded = decoded.trim();
    let verbatim = raw == decoded;
    let map = if verbatim { TextMap::verbatim(file, start + from) } else { TextMap::whole(span) };
    Cell { text: decoded.to_owned(), span, map, verbatim }
}
