//! Texts of a ruleset within XML and SVG.

/// A text without characters that XML cannot hold; they become the sign for an unknown one.
pub(crate) fn allowed(text: &str) -> String {
    let can_stand = |c: char| matches!(c, '\t' | '\n' | '\r' | ' '..='~' | '\u{a0}'..='\u{fffd}' | '\u{10000}'..);
    text.chars().map(|c| if can_stand(c) { c } else { '\u{fffd}' }).collect()
}

/// The same as the value of an attribute.
pub(crate) fn escaped(text: &str) -> String {
    let text = allowed(text);
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}
