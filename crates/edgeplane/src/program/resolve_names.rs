//! Resolves names in formulas, and reports unknown ones.

use std::ops::Range;

use super::layout::Layout;
use super::resolve::{Resolver, Typed};
use super::tree::{PoolPart, Read, Role, TreeKind};
use crate::formula::{Ident, Kind};
use crate::text::diagnostic::suggestion;
use crate::text::{Code, Diagnostic};

impl Resolver<'_, '_> {
    pub(super) fn name(&mut self, parts: &[Ident], range: &Range<u32>) -> Option<Typed> {
        let words: Vec<&str> = parts.iter().map(|part| part.text.as_str()).collect();
        let number = |tree| Some((tree, Kind::Number));
        if let [word] = words.as_slice()
            && let Some((_, tree)) = self.arguments.iter().find(|(name, _)| name == word)
        {
            // An argument that is part of the caller's text keeps its location there.
            return number(tree.clone());
        }
        match words.as_slice() {
            ["amount"] if self.scope.amount => number(self.node(TreeKind::Read(Read::Local(Layout::AMOUNT)), range)),
            ["hit", "initial"] if self.scope.amount => {
                number(self.node(TreeKind::Read(Read::Local(Layout::INITIAL)), range))
            }
            ["hit", mark] if self.scope.amount => self.mark(mark, &parts[1].range, range),
            ["now"] if self.scope.fight => number(self.node(TreeKind::Read(Read::Now), range)),
            ["distance"] if self.scope.fight && self.scope.target => {
                number(self.node(TreeKind::Read(Read::Distance), range))
            }
            ["angle"] if self.scope.fight && self.scope.target => number(self.node(TreeKind::Read(Read::Angle), range)),
            ["threat"] if self.scope.fight && self.scope.target && !self.scope.owner_is_target => {
                if !self.compiler.threat {
                    self.compiler.no_threat(self.span(range));
                }
                number(self.node(TreeKind::Read(Read::Threat), range))
            }
            ["order"] if self.scope.order => number(self.node(TreeKind::Read(Read::Local(Layout::ORDER)), range)),
            ["level"] => number(self.node(TreeKind::Read(Read::Attribute(Role::Caster, Layout::LEVEL)), range)),
            ["stacks"] if self.scope.status => number(self.node(TreeKind::Read(Read::Local(Layout::STACKS)), range)),
            ["tick"] if self.scope.runs => number(self.node(TreeKind::Read(Read::Local(Layout::TICK)), range)),
            ["ticks"] if self.scope.runs => number(self.node(TreeKind::Read(Read::Local(Layout::TICKS)), range)),
            ["elapsed"] if self.scope.runs => number(self.node(TreeKind::Read(Read::Local(Layout::ELAPSED)), range)),
            ["remaining"] if self.scope.runs => {
                number(self.node(TreeKind::Read(Read::Local(Layout::REMAINING)), range))
            }
            ["self", ..] if self.scope.owner => self.member(self.scope.owner_role(), parts, 1, range),
            ["caster", ..] if self.scope.caster => self.member(Role::Caster, parts, 1, range),
            ["target", ..] if self.scope.target => self.member(Role::Target, parts, 1, range),
            [word, ..] if self.scope.own && !crate::rules::RESERVED.contains(word) => {
                self.member(Role::Caster, parts, 0, range)
            }
            _ => {
                self.no_such_name(&words, parts, range);
                None
            }
        }
    }

    fn mark(&mut self, mark: &str, at: &Range<u32>, range: &Range<u32>) -> Option<Typed> {
        let marks = &self.compiler.names.marks;
        let Some(index) = marks.iter().position(|known| known == mark) else {
            let known: Vec<String> = marks.iter().cloned().chain(["initial".to_owned()]).collect();
            let message = format!("no step marks a hit as `{mark}`");
            self.unknown(message, mark, at, &known);
            return None;
        };
        let local = Layout::MARKS + index as u16;
        Some((self.node(TreeKind::Read(Read::Local(local)), range), Kind::Truth))
    }

    fn unknown(&mut self, message: String, found: &str, range: &Range<u32>, known: &[String]) {
        if !self.quiet {
            let diagnostic = Diagnostic::at(Code::UnknownName, self.span(range), message);
            self.compiler.out.push(diagnostic.nearest(found, known.iter().map(String::as_str)));
        }
    }

    /// `role.attribute`, `role.attribute.type`, `role.pool`, `role.pool.part`, `role.level`.
    fn member(&mut self, role: Role, parts: &[Ident], skip: usize, range: &Range<u32>) -> Option<Typed> {
        let words: Vec<&str> = parts[skip..].iter().map(|part| part.text.as_str()).collect();
        let names = self.compiler.names;
        let read = match words.as_slice() {
            ["level"] => Some(Read::Attribute(role, Layout::LEVEL)),
            [name] | [name, _] if names.attributes.contains(name) => self.attribute(role, &parts[skip..], range),
            [name] | [name, _] if names.pools.contains(name) => self.pool(role, &parts[skip..], range),
            [] => {
                let message = format!("`{}` is a combatant, not a number", parts[0].text);
                self.report(
                    Code::UnknownName,
                    range,
                    message,
                    Some(format!("name an attribute or a pool: `{}.x`", parts[0].text)),
                );
                None
            }
            [name, ..] => {
                let known: Vec<String> = names
                    .attributes
                    .names()
                    .chain(names.pools.names().filter(|_| self.scope.pools))
                    .cloned()
                    .chain(["level".to_owned()])
                    .collect();
                if names.attributes.contains(name) || names.pools.contains(name) {
                    self.report(Code::UnknownName, range, "this name has too many parts".to_owned(), None);
                } else if names.statuses.contains(name) {
                    let whom = if skip == 0 { "self" } else { parts[0].text.as_str() };
                    let help = format!("use `has({whom}, {name})` or `stacks({whom}, {name})`");
                    let message = format!("`{name}` is a status, not a number");
                    self.report(Code::UnknownName, &parts[skip].range, message, Some(help));
                } else {
                    self.unknown(format!("no attribute or pool is called `{name}`"), name, &parts[skip].range, &known);
                }
                None
            }
        };
        Some((self.node(TreeKind::Read(read?), range), Kind::Number))
    }

    fn attribute(&mut self, role: Role, parts: &[Ident], range: &Range<u32>) -> Option<Read> {
        let attribute = self.compiler.names.attributes.get(&parts[0].text)?;
        match (attribute.per_type, parts.get(1)) {
            (false, None) => Some(Read::Attribute(role, attribute.slot)),
            (true, None) if self.scope.typed => Some(Read::Typed(role, attribute.slot)),
            (true, None) => {
                let message = format!(
                    "`{}` has a value for each damage type, but there is no damage type {}",
                    parts[0].text, self.scope.place
                );
                let first = self.compiler.names.damage_types.names().next().cloned().unwrap_or_default();
                self.report(Code::NotHere, range, message, Some(format!("name one: `{}.{first}`", parts[0].text)));
                None
            }
            (true, Some(of)) => {
                let types = &self.compiler.names.damage_types;
                let Some(id) = types.get(&of.text) else {
                    let message = format!("no damage type is called `{}`", of.text);
                    let known: Vec<String> = types.names().cloned().collect();
                    let near = suggestion(&of.text, &known.iter().map(String::as_str).collect::<Vec<_>>());
                    if self.scope.typed && near.is_none() {
                        let help = format!(
                            "the value for the current damage type is the attribute alone, without `.{}`; the types are {}",
                            of.text,
                            known.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(", ")
                        );
                        self.report(Code::UnknownName, &of.range, message, Some(help));
                    } else {
                        self.unknown(message, &of.text, &of.range, &known);
                    }
                    return None;
                };
                Some(Read::Attribute(role, attribute.slot.plus(id.0)))
            }
            (false, Some(of)) => {
                let message = format!("`{}` is one number; it has no part `{}`", parts[0].text, of.text);
                self.report(Code::UnknownName, &of.range, message, None);
                None
            }
        }
    }

    fn pool(&mut self, role: Role, parts: &[Ident], range: &Range<u32>) -> Option<Read> {
        let pool = self.compiler.names.pools.get(&parts[0].text)?;
        if !self.scope.pools {
            let message = format!("a pool cannot be read {}", self.scope.place);
            let help = "attributes and caps change only when other attributes do, but pools change at any time";
            self.report(Code::NotHere, range, message, Some(help.to_owned()));
            return None;
        }
        let part = match parts.get(1).map(|part| part.text.as_str()) {
            None => PoolPart::Amount,
            Some("max") => PoolPart::Max,
            Some("missing") => PoolPart::Missing,
            Some("share") => PoolPart::Share,
            Some(other) => {
                let known: Vec<String> = ["max", "missing", "share"].map(str::to_owned).to_vec();
                self.unknown(format!("a pool has no part `{other}`"), other, &parts[1].range, &known);
                return None;
            }
        };
        Some(Read::Pool(role, pool, part))
    }

    /// A name that is unknown, or has no meaning in this context.
    fn no_such_name(&mut self, words: &[&str], parts: &[Ident], range: &Range<u32>) {
        let first = words[0];
        let names = self.compiler.names;
        let (place, arguments): (_, Vec<String>) =
            (self.scope.place, self.arguments.iter().map(|(name, _)| name.clone()).collect());
        if names.attributes.contains(first) || names.pools.contains(first) {
            let spellings = self.scope.spellings(&words.join("."));
            let help =
                if spellings.is_empty() { "pass it as an argument".to_owned() } else { format!("write {spellings}") };
            self.report(
                Code::NotHere,
                range,
                format!("whose `{first}`? A name without a role has no meaning {place}"),
                Some(help),
            );
        } else if crate::rules::RESERVED.contains(&first) {
            let spellings = self.scope.spellings(words.get(1).unwrap_or(&"x"));
            let kept = first == "caster" && self.scope.keeps;
            let before = self.scope.status && ["tick", "ticks", "elapsed", "remaining"].contains(&first);
            let help = if before {
                Some("the status has not begun yet; `reapply = \"longest\"` keeps the one that ends later".to_owned())
            } else if kept {
                Some(format!("keep its value from when the status was applied: `snapshot({})`", words.join(".")))
            } else {
                (!spellings.is_empty() && first != "now").then(|| format!("possible here: {spellings}"))
            };
            self.report(Code::NotHere, range, format!("`{first}` has no meaning {place}"), help);
        } else if self.formula.text.trim() == "inf" {
            let help = "an unlimited time is written as a number, without quotes: `inf`".to_owned();
            self.report(Code::UnknownName, range, format!("there is no name `inf` {place}"), Some(help));
        } else {
            let own = names.attributes.names().filter(|_| self.scope.own).cloned();
            let special = [
                ("now", self.scope.fight),
                ("amount", self.scope.amount),
                ("self", self.scope.owner),
                ("caster", self.scope.caster),
                ("target", self.scope.target),
                ("order", self.scope.order),
                ("distance", self.scope.fight && self.scope.target),
                ("angle", self.scope.fight && self.scope.target),
                ("threat", self.scope.fight && self.scope.target && self.compiler.threat),
            ];
            let special = special.iter().filter(|(_, there)| *there).map(|(word, _)| (*word).to_owned());
            let known: Vec<String> =
                arguments.into_iter().chain(own).chain(special).chain(["level".to_owned()]).collect();
            self.unknown(format!("there is no name `{first}` {place}"), first, &parts[0].range, &known);
        }
    }
}
