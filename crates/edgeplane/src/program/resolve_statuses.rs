//! Functions of formulas about statuses.

use std::ops::Range;

use super::Program;
use super::dirty;
use super::ids::{Slot, StatusId};
use super::layout::Layout;
use super::ops::BinaryOp;
use super::resolve::{Compiler, Resolver, Typed};
use super::scope::Scope;
use super::tree::{Read, Role, Tree, TreeKind};
use crate::formula::{Builtin, Expr, ExprKind, Ident, Kind};
use crate::text::{Code, Diagnostic};

impl Resolver<'_, '_> {
    /// `has(target, silted)`, `stacks(target, silted)`, `tagged(target, control)`.
    pub(super) fn status(&mut self, builtin: Builtin, arguments: &[Expr], range: &Range<u32>) -> Option<Typed> {
        let role = self.whom(&arguments[0], "statuses")?;
        let Some(word) = one_word(&arguments[1]) else {
            let what = if builtin == Builtin::Tagged { "the name of a tag" } else { "the name of a status" };
            self.report(Code::WrongKind, &arguments[1].range, format!("{what} is needed here"), None);
            return None;
        };
        let names = self.compiler.names;
        let slot = if builtin == Builtin::Tagged {
            names.tags.get(&word.text).map(|tag| self.compiler.tag_slot(tag))
        } else {
            names.statuses.get(&word.text).map(|status| self.compiler.stack_slot(status))
        };
        let Some(slot) = slot else {
            let (what, known): (_, Vec<&String>) = if builtin == Builtin::Tagged {
                ("status has a tag", names.tags.names().collect())
            } else {
                ("status is called", names.statuses.names().collect())
            };
            if !self.quiet {
                let diagnostic =
                    Diagnostic::at(Code::UnknownName, self.span(&word.range), format!("no {what} `{}`", word.text));
                self.compiler.out.push(diagnostic.nearest(&word.text, known.iter().map(|name| name.as_str())));
            }
            return None;
        };
        let read = self.node(TreeKind::Read(Read::Standing(role, slot)), range);
        if builtin == Builtin::Stacks {
            return Some((read, Kind::Number));
        }
        let none = self.node(TreeKind::Constant(0.0), range);
        Some((self.node(TreeKind::Binary(BinaryOp::Greater, Box::new(read), Box::new(none)), range), Kind::Truth))
    }

    pub(super) fn whom(&mut self, expr: &Expr, what: &str) -> Option<Role> {
        let role = one_word(expr).and_then(|word| match word.text.as_str() {
            "self" if self.scope.owner => Some(self.scope.owner_role()),
            "caster" if self.scope.caster => Some(Role::Caster),
            "target" if self.scope.target => Some(Role::Target),
            _ => None,
        });
        // Inputs of modifiers and attributes must not change without a change of attributes.
        let role = role.filter(|_| self.scope.fight);
        if role.is_none() {
            let message = if self.scope.fight {
                "the name of a role is needed here".to_owned()
            } else {
                format!("{what} cannot be read {}", self.scope.place)
            };
            let people = [("self", self.scope.owner), ("caster", self.scope.caster), ("target", self.scope.target)];
            let people: Vec<&str> = people.iter().filter(|(_, there)| *there).map(|(name, _)| *name).collect();
            let help = self.scope.fight.then(|| format!("one of {}", crate::text::diagnostic::listed(&people)));
            self.report(Code::NotHere, &expr.range, message, help);
        }
        role
    }

    /// `snapshot(x)`: a separate formula, evaluated when the status is applied; here its stored value is read.
    pub(super) fn snapshot(&mut self, inner: &Expr, range: &Range<u32>) -> Option<Typed> {
        if !self.scope.keeps {
            let message = format!("nothing can be kept {}", self.scope.place);
            let help =
                "`snapshot` keeps a value from the application of a status; only formulas of statuses can use it";
            self.report(Code::NotHere, range, message, Some(help.to_owned()));
            return None;
        }
        let formula = self.formula.part(inner.clone());
        let id = self.compiler.number(&formula, Scope::SNAPSHOT)?;
        let number = self.compiler.kept.len() as u16;
        if number == Layout::MOST_KEPT {
            let message = format!("a status can keep at most {} values", Layout::MOST_KEPT);
            self.report(Code::TooMany, range, message, None);
            return None;
        }
        self.compiler.kept.push(id);
        let read: Tree = self.node(TreeKind::Read(Read::Local(Layout::KEPT + number)), range);
        Some((read, Kind::Number))
    }
}

pub(super) fn one_word(expr: &Expr) -> Option<&Ident> {
    match &expr.kind {
        ExprKind::Name(parts) if parts.len() == 1 => parts.first(),
        _ => None,
    }
}

impl Compiler<'_> {
    /// The slot of the stacks of a status, which is added if necessary.
    pub(super) fn stack_slot(&mut self, status: StatusId) -> Slot {
        Self::asked(&mut self.program.layout.stride, &mut self.program.stack_slots[status.index()])
    }

    /// The slot of the count of a tag, which is added if necessary.
    pub(super) fn tag_slot(&mut self, tag: u16) -> Slot {
        Self::asked(&mut self.program.layout.stride, &mut self.program.tag_slots[usize::from(tag)])
    }

    fn asked(stride: &mut u16, slot: &mut Option<Slot>) -> Slot {
        *slot.get_or_insert_with(|| {
            *stride += 1;
            Slot(*stride - 1)
        })
    }
}

impl Program {
    /// Fills in which counts include each status, once it is known which counts are read.
    pub(super) fn with_counted(mut self) -> Self {
        for (plan, own) in self.statuses.iter_mut().zip(&self.stack_slots) {
            let tags = plan.tag_ids.iter().filter_map(|tag| Some((*tag, self.tag_slots[usize::from(*tag)]?)));
            plan.counted_tags = tags.collect();
            let slots = own.iter().chain(plan.counted_tags.iter().map(|(_, slot)| slot));
            plan.counted = slots.fold(0, |bits, slot| bits | dirty::bit(*slot));
        }
        self
    }
}
