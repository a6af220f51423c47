//! Numbers of abilities that formulas read, and chances with limited streaks: numbers beside the attributes of each
//! combatant that the fight keeps up to date.

use std::ops::Range;

use super::ids::{AbilityId, SiteId, Slot};
use super::names::look_up;
use super::ops::BinaryOp;
use super::resolve::{Compiler, Resolver, Typed};
use super::resolve_statuses::one_word;
use super::tree::{Read, Tree, TreeKind};
use crate::formula::{Builtin, Expr, ExprKind, Kind};
use crate::numbers::Extremes;
use crate::rules::Ruleset;
use crate::text::{Code, Diagnostic, Span};

/// The number of an ability that is stored.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum WatchKind {
    /// The remaining uses.
    Uses,
    /// The number of charges.
    Charges,
    /// When its cooldown ends, in seconds since the start of the fight.
    Ready,
    /// 1 while it is cast or sustained, otherwise 0; any ability if none is named.
    Casting,
}

/// A number of each combatant that some formula reads.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Watch {
    pub(crate) kind: WatchKind,
    pub(crate) ability: Option<AbilityId>,
    pub(crate) slot: Slot,
    /// The first formula that reads it.
    span: Span,
}

/// A chance with a limited streak of misses.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Streak {
    pub(crate) site: SiteId,
    /// The slot of each combatant's count of misses since its last success. The two slots after it cache the latest
    /// share and the resulting chance: computing it takes as long as a hit, and the share seldom changes.
    pub(crate) slot: Slot,
    /// The maximum streak.
    pub(crate) most: u32,
}

/// The maximum streak that can be requested.
const MOST_MISSES: f64 = 1_000.0;

impl Streak {
    /// Everything stored of it for a combatant.
    pub(super) fn slots(&self) -> impl Iterator<Item = Slot> {
        (self.slot.0..).take(3).map(Slot)
    }

    /// Whether a long-run share of `p` is possible with the allowed streak of misses.
    pub(crate) fn allows(&self, p: f64) -> bool {
        p <= 0.0 || p * (f64::from(self.most) + 1.0) >= 1.0 - 1e-12
    }

    /// The chance of a draw after a success or fewer misses than allowed, for a long-run share of `p`.
    ///
    /// The draws between two successes are at most `most` misses, each followed by a success with chance q, and then a
    /// certain success. Such a sequence has `(1 - (1 - q)^(most + 1)) / q` draws on average, which has to equal `1 /
    /// p`: that determines q.
    pub(crate) fn chance_for(&self, p: f64) -> f64 {
        if p <= 0.0 || p >= 1.0 {
            return p;
        }
        let draws = f64::from(self.most) + 1.0;
        // Newton's method on `1 - (1 - q)^draws - q / p`, which is concave and decreasing beyond its larger root:
        // starting at `p`, where it is negative, each step approaches that root without passing it. At the minimum
        // share the root is a double root at zero, and each step halves the distance.
        let mut q = p;
        for _ in 0..60 {
            let misses = draws * libm::log1p(-q);
            let excess = -libm::expm1(misses) - q / p;
            let slope = draws * libm::exp(misses) / (1.0 - q) - 1.0 / p;
            let next = q - excess / slope;
            if next < q {
                q = next.larger(0.0);
            } else {
                // NaN, or not below `q`: the limit of precision.
                break;
            }
        }
        q
    }
}

impl Compiler<'_> {
    fn watch(&mut self, kind: WatchKind, ability: Option<AbilityId>, span: Span) -> Slot {
        let known = self.program.watches.iter().find(|watch| watch.kind == kind && watch.ability == ability);
        if let Some(watch) = known {
            return watch.slot;
        }
        let slot = self.new_slot();
        self.program.watches.push(Watch { kind, ability, slot, span });
        slot
    }

    fn new_slot(&mut self) -> Slot {
        let slot = Slot(self.program.layout.stride);
        self.program.layout.stride += 1;
        slot
    }

    /// Uses and charges can be read only for abilities that have them.
    pub(super) fn check_watches(&mut self, rules: &Ruleset) {
        for Watch { kind, ability, span, .. } in self.program.watches.clone() {
            let Some(named) = ability.and_then(|ability| rules.abilities.get(ability.index())) else { continue };
            let (lacks, what, example) = match kind {
                WatchKind::Uses => (named.rule.uses.is_none(), "a limited number of uses", "uses = 3"),
                WatchKind::Charges => (named.rule.charges.is_none(), "charges", "charges = { max = 2, regain = 8 }"),
                _ => continue,
            };
            if lacks {
                let message = format!("`{}` does not have {what}", named.name);
                let diagnostic = Diagnostic::at(Code::NotHere, span, message).help(format!("for example: {example}"));
                self.out.push(diagnostic.label(named.span, "the ability"));
            }
        }
    }
}

impl Resolver<'_, '_> {
    /// `uses(self, flare)`, `charges(self, flare)`, `cooldown(self, flare)`, `casting(target)`, `casting(target, bell)`.
    pub(super) fn ability_query(&mut self, builtin: Builtin, arguments: &[Expr], range: &Range<u32>) -> Option<Typed> {
        let role = self.whom(&arguments[0], "abilities")?;
        let span = self.span(range);
        let ability = match arguments.get(1) {
            Some(argument) => Some(self.ability_word(argument)?),
            None => None,
        };
        let kind = match builtin {
            Builtin::Uses => WatchKind::Uses,
            Builtin::Charges => WatchKind::Charges,
            Builtin::Cooldown => WatchKind::Ready,
            _ => WatchKind::Casting,
        };
        let slot = self.compiler.watch(kind, ability, span);
        let read = self.node(TreeKind::Read(Read::Standing(role, slot)), range);
        let zero = Box::new(self.node(TreeKind::Constant(0.0), range));
        Some(match kind {
            WatchKind::Uses | WatchKind::Charges => (read, Kind::Number),
            WatchKind::Casting => {
                (self.node(TreeKind::Binary(BinaryOp::Greater, Box::new(read), zero), range), Kind::Truth)
            }
            WatchKind::Ready => {
                let now = Box::new(self.node(TreeKind::Read(Read::Now), range));
                let left = Box::new(self.node(TreeKind::Binary(BinaryOp::Subtract, Box::new(read), now), range));
                (self.node(TreeKind::Binary(BinaryOp::Max, left, zero), range), Kind::Number)
            }
        })
    }

    fn ability_word(&mut self, expr: &Expr) -> Option<AbilityId> {
        let Some(word) = one_word(expr) else {
            self.report(Code::WrongKind, &expr.range, "the name of an ability is needed here".to_owned(), None);
            return None;
        };
        let span = self.span(&word.range);
        if self.quiet {
            return self.compiler.names.abilities.get(&word.text);
        }
        look_up(&self.compiler.names.abilities, &word.text, span, "ability", self.compiler.out)
    }

    /// `roll(p, streak = k)`: at most k misses in a row.
    pub(super) fn streak(&mut self, chance: &Expr, streak: &Expr, range: &Range<u32>) -> Option<Typed> {
        let chance: Option<Tree> = self.of_kind(chance, Kind::Number);
        let most = match &streak.kind {
            ExprKind::Named(word, value) if word.text == "streak" => match value.kind {
                ExprKind::Number { value, .. } if value.fract() == 0.0 && (1.0..=MOST_MISSES).contains(&value) => value,
                _ => {
                    let message = format!("`streak` takes a whole number from 1 to {MOST_MISSES}");
                    self.report(Code::BadValue, &value.range, message, None);
                    return None;
                }
            },
            _ => {
                let help = "at most 4 misses in a row: `roll(0.3, streak = 4)`".to_owned();
                let message = "the second argument of `roll` is `streak = n`".to_owned();
                self.report(Code::WrongArguments, &streak.range, message, Some(help));
                return None;
            }
        };
        let site = self.chance_site(range)?;
        let chance = chance?;
        let slot = self.compiler.new_slot();
        let (_share, _chance) = (self.compiler.new_slot(), self.compiler.new_slot());
        let streak = Streak { site, slot, most: most as u32 };
        if let TreeKind::Constant(p) = chance.kind
            && !streak.allows(p)
        {
            let message = format!("a chance of {p} needs more than {most} misses in a row");
            let help = format!("with `streak = {most}` the chance is at least 1/{}", most + 1.0);
            self.report(Code::BadValue, range, message, Some(help));
            return None;
        }
        self.compiler.program.streaks.push(streak);
        let number = (self.compiler.program.streaks.len() - 1) as u16;
        Some((self.node(TreeKind::Streak(number, Box::new(chance)), range), Kind::Truth))
    }
}

impl Watch {
    /// The initial number of a combatant that has the ability.
    pub(crate) fn at_first(&self, program: &super::Program) -> f64 {
        let Some(plan) = self.ability.map(|ability| program.ability(ability)) else { return 0.0 };
        match self.kind {
            WatchKind::Uses => plan.uses.map_or(0.0, f64::from),
            WatchKind::Charges => plan.charges.map_or(0.0, |(most, _)| f64::from(most)),
            WatchKind::Ready | WatchKind::Casting => 0.0,
        }
    }
}
