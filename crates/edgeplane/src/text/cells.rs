//! Comma-separated values with a span for every cell.

use csv_core::{ReadFieldResult, Reader};

use super::literal::TextMap;
use super::source::{FileId, Sources, Span};

/// One cell.
#[derive(Clone, Debug)]
pub(super) struct Cell {
    /// Its text, without quotes and surrounding space.
    pub(super) text: String,
    /// Its span.
    pub(super) span: Span,
    /// Maps ranges of its text to the file.
    pub(super) map: TextMap,
    /// The text is in the file as it is.
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
            // At the end of the input the reader is called with an empty slice until it reports the end.
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

/// The text of each cell of a file, and its span.
pub(crate) fn sheet_cells(sources: &Sources, file: FileId) -> Vec<Vec<(String, Span)>> {
    let bare = |row: Vec<Cell>| row.into_iter().map(|cell| (cell.text, cell.span)).collect();
    rows(sources, file).into_iter().map(bare).collect()
}

/// The cell in the bytes that the reader consumed, which may include quotes and the separator.
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
