//! Formatting of numbers and styles.

use std::borrow::Cow;

use anstyle::{AnsiColor, Style};

fn styled(style: Style, text: &str) -> String {
    format!("{style}{text}{style:#}")
}

pub(crate) fn bold(text: &str) -> String {
    styled(Style::new().bold(), text)
}

pub(crate) fn dim(text: &str) -> String {
    styled(Style::new().dimmed(), text)
}

/// For what ends a hit or a fight; bold, so that it does not depend on colour alone.
pub(crate) fn strong(text: &str) -> String {
    styled(AnsiColor::Magenta.on_default().bold(), text)
}

/// Text for a terminal without control characters other than styles: those in names of a ruleset are shown in escaped
/// form.
pub(crate) fn harmless(text: &str) -> Cow<'_, str> {
    let commands = |c: char| c.is_control() && c != '\n' && c != '\t';
    if !text.contains(commands) {
        return Cow::Borrowed(text);
    }
    let mut shown = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find(commands) {
        shown.push_str(&rest[..at]);
        rest = &rest[at..];
        let style = rest.strip_prefix("\u{1b}[").and_then(|after| {
            let end = after.find(|c: char| !c.is_ascii_digit() && c != ';')?;
            after[end..].starts_with('m').then_some(end + 3)
        });
        let (taken, is_style) = match style {
            Some(length) => (length, true),
            None => (rest.chars().next().map_or(1, char::len_utf8), false),
        };
        shown.push_str(if is_style { &rest[..taken] } else { "\u{fffd}" });
        rest = &rest[taken..];
    }
    shown.push_str(rest);
    Cow::Owned(shown)
}

/// One decimal: enough to compare hits.
pub(crate) fn tenth(value: f64) -> String {
    format!("{:.1}", value + 0.0)
}

/// Two ends with two decimals; an open end is left out.
pub(crate) fn ends(low: f64, high: f64) -> String {
    match (low.is_finite(), high.is_finite()) {
        (true, true) => format!("{low:.2} – {high:.2}"),
        (true, false) => format!("≥ {low:.2}"),
        (false, true) => format!("≤ {high:.2}"),
        (false, false) => "–".to_owned(),
    }
}

/// A share in percent with one decimal.
pub(crate) fn percent(share: f64) -> String {
    format!("{:.1} %", share * 100.0)
}

/// `99.7 – 99.9 %`; with more digits if an interval would appear to have no width: `99.96 – 100.00 %`.
pub(crate) fn percent_range(low: f64, high: f64) -> String {
    let range = |digits: usize| [low, high].map(|end| format!("{:.digits$}", end * 100.0));
    let ends = (1..5).map(range).find(|[low, high]| low != high).unwrap_or_else(|| range(1));
    format!("{} – {} %", ends[0], ends[1])
}

/// Digits in groups of three: `10,000`.
pub(crate) fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let mut text = String::new();
    for (index, digit) in digits.chars().enumerate() {
        if index > 0 && (digits.len() - index).is_multiple_of(3) {
            text.push(',');
        }
        text.push(digit);
    }
    text
}

pub(crate) fn counted(count: usize, one: &str, many: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { many })
}
