//! Texts of a ruleset in XML and SVG.

/// A text in which characters that XML does not allow are replaced by the replacement character.
pub(crate) fn allowed(text: &str) -> String {
    let can_stand = |c: char| matches!(c, '\t' | '\n' | '\r' | ' '..='~' | '\u{a0}'..='\u{fffd}' | '\u{10000}'..);
    text.chars().map(|c| if can_stand(c) { c } else { '\u{fffd}' }).collect()
}

/// The same for the value of an attribute.
pub(crate) fn escaped(text: &str) -> String {
    let text = allowed(text);
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}
