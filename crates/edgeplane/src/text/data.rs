//! Content of a ruleset for the game only: texts, numbers, lists and tables that the engine passes through unchanged.

use std::collections::BTreeMap;

use super::document::{Node, Value};
use super::{Code, Diagnostic, Diagnostics};

/// A value under a `data` key.
///
/// ```
/// use edgeplane::Game;
///
/// let rules = r#"
///     [ability.shout]
///     does = []
///     data = { icon = "shout.png", sounds = ["a.ogg", "b.ogg"], shake = { metres = 0.2 } }
/// "#;
/// let game = Game::from_text("rules.toml", rules)?;
/// let data = game.data("ability.shout").expect("it has some");
/// assert_eq!(data.get("icon").and_then(|icon| icon.text()), Some("shout.png"));
/// assert_eq!(data.get("shake.metres").and_then(|metres| metres.number()), Some(0.2));
/// assert_eq!(data.get("sounds").map(|sounds| sounds.list().len()), Some(2));
/// # Ok::<(), edgeplane::Error>(())
/// ```
#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(untagged))]
pub enum Data {
    /// A text.
    Text(String),
    /// A number, whole or not.
    Number(f64),
    /// `true` or `false`.
    Flag(bool),
    /// A list.
    List(Vec<Self>),
    /// A table.
    Table(BTreeMap<String, Self>),
}

impl Data {
    /// The value under a key, or under nested keys separated by dots; `None` if there is no such key.
    pub fn get(&self, path: &str) -> Option<&Self> {
        path.split('.').try_fold(self, |data, key| match data {
            Self::Table(table) => table.get(key),
            _ => None,
        })
    }

    /// The text, if it is a text.
    pub fn text(&self) -> Option<&str> {
        if let Self::Text(text) = self { Some(text) } else { None }
    }

    /// The number, if it is a number.
    pub fn number(&self) -> Option<f64> {
        if let Self::Number(number) = self { Some(*number) } else { None }
    }

    /// The flag, if it is a flag.
    pub fn flag(&self) -> Option<bool> {
        if let Self::Flag(flag) = self { Some(*flag) } else { None }
    }

    /// The items of a list; otherwise empty.
    pub fn list(&self) -> &[Self] {
        if let Self::List(list) = self { list } else { &[] }
    }

    /// A value of a file. Dates and times are not supported.
    pub(crate) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> Self {
        match &node.value {
            Value::Text(text, _) => Self::Text(text.clone()),
            Value::Number(number) => Self::Number(*number),
            Value::Flag(flag) => Self::Flag(*flag),
            Value::List(items) => Self::List(
                items.iter().zip(0..).map(|(item, index)| Self::read(item, &format!("{path}.{index}"), out)).collect(),
            ),
            Value::Table(table) => {
                let entry = |entry: &super::Entry| {
                    let path = format!("{path}.{}", entry.key);
                    (entry.key.clone(), Self::read(&entry.node, &path, out))
                };
                Self::Table(table.entries.iter().map(entry).collect())
            }
            Value::Moment => {
                let message = format!("`{path}` is a date or a time, which data does not support");
                out.push(Diagnostic::at(Code::WrongType, node.span, message).help("write it as a text"));
                Self::Flag(false)
            }
        }
    }
}
