//! Small pieces of text: numbers with sensible digits, styles.

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

/// For what ends a hit or a fight; bold, so that it does not hang on colour alone.
pub(crate) fn strong(text: &str) -> String {
    styled(AnsiColor::Magenta.on_default().bold(), text)
}

/// One decimal: enough to compare hits by.
pub(crate) fn tenth(value: f64) -> String {
    format!("{:.1}", value + 0.0)
}

/// A share in percent with one decimal.
pub(crate) fn percent(share: f64) -> String {
    format!("{:.1} %", share * 100.0)
}

/// `99.7 – 99.9 %`
pub(crate) fn percent_range(low: f64, high: f64) -> String {
    format!("{:.1} – {:.1} %", low * 100.0, high * 100.0)
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
