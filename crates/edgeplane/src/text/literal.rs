//! Maps positions in the value of a TOML string to the file.
//!
//! A formula is parsed from the value of a string, but an error must refer to the file, where escapes (`\u0041`), a
//! first line break or a folded line have a different length.

use super::source::{FileId, Span};

/// Maps byte offsets of a decoded TOML string to byte offsets of its file.
#[derive(Clone, Debug)]
pub struct TextMap {
    file: FileId,
    /// The file offset of each decoded byte, and of the end.
    offsets: Offsets,
}

#[derive(Clone, Debug)]
enum Offsets {
    /// The text is in the file as it is, from this byte on.
    Verbatim(u32),
    /// One file offset for each decoded byte, and the end.
    Each(Box<[u32]>),
    /// Everything maps to one span: the value is not a text, or could not be followed.
    Whole(u32, u32),
}

impl TextMap {
    /// A map for a value that is not a string: every position maps to the whole span.
    pub(crate) fn whole(span: Span) -> Self {
        Self { file: span.file, offsets: Offsets::Whole(span.start, span.end) }
    }

    /// A map for text that is in the file as it is.
    pub(crate) fn verbatim(file: FileId, start: u32) -> Self {
        Self { file, offsets: Offsets::Verbatim(start) }
    }

    /// A map for a string literal whose raw text, quotes included, begins at `start`.
    pub(crate) fn of_literal(file: FileId, start: u32, raw: &str, decoded: &str) -> Self {
        let (delimiter, body_start) = opening(raw);
        let body = raw.get(body_start..raw.len().saturating_sub(delimiter.len())).unwrap_or_default();
        if body == decoded {
            return Self { file, offsets: Offsets::Verbatim(start + body_start as u32) };
        }
        let offsets = match follow(body, decoded, delimiter) {
            Some(map) => Offsets::Each(map.into_iter().map(|at| start + body_start as u32 + at).collect()),
            None => Offsets::Whole(start, start + raw.len() as u32),
        };
        Self { file, offsets }
    }

    /// The span in the file of a range of the decoded text.
    pub fn span(&self, range: std::ops::Range<u32>) -> Span {
        let (start, end) = match &self.offsets {
            Offsets::Verbatim(base) => (base + range.start, base + range.end),
            Offsets::Whole(start, end) => (*start, *end),
            Offsets::Each(map) => {
                let last = map.len().saturating_sub(1);
                (map[(range.start as usize).min(last)], map[(range.end as usize).min(last)])
            }
        };
        Span { file: self.file, start, end }
    }
}

fn opening(raw: &str) -> (&'static str, usize) {
    for delimiter in ["\"\"\"", "'''"] {
        if let Some(rest) = raw.strip_prefix(delimiter) {
            let newline = if rest.starts_with("\r\n") { 2 } else { usize::from(rest.starts_with('\n')) };
            return (delimiter, 3 + newline);
        }
    }
    if raw.starts_with('"') { ("\"", 1) } else { ("'", usize::from(raw.starts_with('\''))) }
}

/// Walks the raw and the decoded text in parallel. `None` if they do not match, so that a gap in this code can only
/// make a span coarser, never wrong.
fn follow(body: &str, decoded: &str, delimiter: &str) -> Option<Vec<u32>> {
    let escapes = delimiter.starts_with('"');
    let mut map = Vec::with_capacity(decoded.len() + 1);
    let mut at = 0;
    for wanted in decoded.chars() {
        if escapes {
            at += folded_line(&body[at..]);
        }
        let rest = &body[at..];
        let first = rest.chars().next()?;
        let length = if escapes && first == '\\' {
            escape_length(rest)?
        } else if first == wanted {
            first.len_utf8()
        } else if wanted == '\n' && rest.starts_with("\r\n") {
            2
        } else {
            return None;
        };
        map.extend(std::iter::repeat_n(at as u32, wanted.len_utf8()));
        at += length;
    }
    map.push(at as u32);
    Some(map)
}

/// The length of a backslash at the end of a line, including the skipped white space.
fn folded_line(rest: &str) -> usize {
    let Some(after) = rest.strip_prefix('\\') else { return 0 };
    let trimmed = after.trim_start_matches([' ', '\t']);
    if !trimmed.starts_with(['\n', '\r']) {
        return 0;
    }
    let length = rest.len() - trimmed.trim_start().len();
    length + folded_line(&rest[length..])
}

fn escape_length(rest: &str) -> Option<usize> {
    Some(match rest.as_bytes().get(1)? {
        b'x' => 4,
        b'u' => 6,
        b'U' => 10,
        _ => 2,
    })
    .filter(|length| rest.is_char_boundary(*length))
}
