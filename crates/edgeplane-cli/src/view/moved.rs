//! Shows what changed between two runs of a watched command.

use anstream::adapter::strip_str;
use edgeplane::Edit;
use imara_diff::{Algorithm, Diff, InternedInput};

use super::differences;
use super::text;

/// The maximum number of lines shown; the rest is counted.
const MOST: usize = 40;

/// The edits, then each changed line of the answer.
pub(crate) fn draw(edits: &[Edit], before: &str, after: &str) -> String {
    let (before, after) = (strip_str(before).to_string(), strip_str(after).to_string());
    let lines = changed(&before, &after);
    let mut drawn = format!("\n{}\n", text::bold("What moved"));
    if !edits.is_empty() {
        drawn.push_str(&differences::edited(edits));
        drawn.push('\n');
    }
    if lines.is_empty() {
        drawn.push_str(" Nothing in the result.\n");
    }
    lines.iter().take(MOST).for_each(|line| drawn.push_str(line));
    if lines.len() > MOST {
        drawn.push_str(&format!(" and {} more lines\n", lines.len() - MOST));
    }
    drawn
}

/// Removed and added lines, in pairs if there are equally many.
fn changed(before: &str, after: &str) -> Vec<String> {
    let input = InternedInput::new(before, after);
    let mut changes = Diff::compute(Algorithm::Histogram, &input);
    changes.postprocess_lines(&input);
    let (old, new): (Vec<&str>, Vec<&str>) = (before.lines().collect(), after.lines().collect());
    let mut shown = Vec::new();
    for hunk in changes.hunks() {
        let range = |lines: std::ops::Range<u32>| lines.start as usize..lines.end as usize;
        let went = old[range(hunk.before)].iter().map(|line| (line, text::dim(&format!("− {line}")) + "\n"));
        let came = new[range(hunk.after)].iter().map(|line| (line, text::bold(&format!("+ {line}")) + "\n"));
        let (went, came): (Vec<_>, Vec<_>) = (went.collect(), came.collect());
        let lines: Vec<_> = if went.len() == came.len() {
            went.into_iter().zip(came).flat_map(|(went, came)| [went, came]).collect()
        } else {
            went.into_iter().chain(came).collect()
        };
        // Rules between rows change with the width of the table and are ignored.
        let says = |line: &str| line.contains(|letter: char| letter.is_alphanumeric());
        shown.extend(lines.into_iter().filter(|(line, _)| says(line)).map(|(_, shown)| shown));
    }
    shown
}
