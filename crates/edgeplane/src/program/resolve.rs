//! Resolves the names of a parsed formula and checks its kind.

use std::ops::Range;

use super::Program;
use super::code::{Emitter, Shape};
use super::hoist::Readers;
use super::ids::{FormulaId, SiteId};
use super::layout::Layout;
use super::names::Names;
use super::ops::{BinaryOp, UnaryOp};
use super::scope::Scope;
use super::tree::{Counted, GameCall, Read, Role, Tree, TreeKind};
use crate::formula::{Binary, Builtin, Expr, ExprKind, Ident, Kind, Unary};
use crate::numbers::plain;
use crate::rules::{Formula, FunctionRule, Named};
use crate::text::{Code, Diagnostic, Diagnostics, Span};

/// The maximum number of calls of `[formula.*]` within one formula, including nested ones.
const MAX_CALLS: usize = 200;
/// The maximum nesting of these calls.
const MAX_CALL_DEPTH: usize = 16;

/// A formula, ready to be evaluated, with everything needed to report it.
#[derive(Clone, Debug)]
pub struct CompiledFormula {
    /// The text, with its path and location.
    pub source: Formula,
    /// A number or a condition.
    pub kind: Kind,
    /// The careful form; the fast one is the code of the program.
    pub(crate) tree: Tree,
    /// It reads only attributes of the caster and makes no draws: its value is constant while those are.
    pub(crate) steady: bool,
}

impl CompiledFormula {
    /// The text of a part.
    pub fn text_of(&self, range: &Range<u32>) -> &str {
        self.source.text.get(range.start as usize..range.end as usize).unwrap_or_default()
    }

    /// The value, if it is a plain number.
    pub fn as_number(&self) -> Option<f64> {
        match self.tree.kind {
            TreeKind::Constant(value) => Some(value),
            _ => None,
        }
    }

    /// Visits everything that it reads.
    pub(crate) fn each_read(&self, mut visit: impl FnMut(Read)) {
        self.tree.any(&mut |part| {
            match part.kind {
                TreeKind::Read(read) => visit(read),
                // Counts within a distance change with time, and so do functions of the game.
                TreeKind::Near(..) | TreeKind::Game(..) => visit(Read::Now),
                _ => {}
            }
            false
        });
    }

    /// Calls `count` for each part that counts combatants within a distance, with the side that it counts.
    pub(crate) fn each_count(&self, mut count: impl FnMut(Counted)) {
        self.tree.any(&mut |part| {
            if let TreeKind::Near(counted, _) = part.kind {
                count(counted);
            }
            false
        });
    }

    /// Whether it makes random draws.
    pub fn draws(&self) -> bool {
        draws(&self.tree)
    }
}

fn draws(tree: &Tree) -> bool {
    let is_draw = |kind: &TreeKind| {
        matches!(kind, TreeKind::Roll(..) | TreeKind::Streak(..) | TreeKind::Between(..) | TreeKind::Dice(..))
    };
    tree.any(&mut |part| is_draw(&part.kind))
}

/// Everything that the compilation of formulas needs and extends.
pub(crate) struct Compiler<'a> {
    pub(crate) program: Program,
    pub(crate) names: &'a Names,
    pub(crate) functions: &'a [Named<FunctionRule>],
    /// Functions with reported errors: their callers are not reported.
    pub(crate) broken: Vec<bool>,
    pub(crate) out: &'a mut Diagnostics,
    pub(crate) site_names: Vec<String>,
    /// Snapshots of the status being compiled.
    pub(crate) kept: Vec<FormulaId>,
    /// Words with a meaning in the formulas being compiled.
    pub(crate) given: Vec<(&'static str, Read)>,
    /// The ruleset has a `[threat]`.
    pub(crate) threat: bool,
    /// The possible casters of the formulas being compiled.
    pub(crate) readers: Readers,
    /// The complete form of each formula, for other casters.
    pub(crate) whole_shapes: Vec<Shape>,
}

impl Compiler<'_> {
    /// Compiles a formula that gives a number.
    pub(crate) fn number(&mut self, formula: &Formula, scope: Scope) -> Option<FormulaId> {
        self.compile(formula, scope, Kind::Number)
    }

    /// Compiles a condition.
    pub(crate) fn truth(&mut self, formula: &Formula, scope: Scope) -> Option<FormulaId> {
        self.compile(formula, scope, Kind::Truth)
    }

    fn compile(&mut self, formula: &Formula, scope: Scope, wanted: Kind) -> Option<FormulaId> {
        let first_local = Layout::MARKS + self.names.marks.len() as u16;
        // Snapshots in it become separate formulas.
        let whole = 0..formula.text.len() as u32;
        let given = |(word, read): &(&str, Read)| {
            ((*word).to_owned(), Tree { kind: TreeKind::Read(*read), range: whole.clone(), called: true })
        };
        let given = self.given.iter().map(given).collect();
        let mut resolver = Resolver {
            compiler: self,
            formula,
            scope,
            called: Vec::new(),
            arguments: given,
            next_local: first_local,
            quiet: false,
            put_in: 0,
        };
        let tree = resolver.of_kind(&formula.expr, wanted)?;
        let next_local = resolver.next_local;
        if let TreeKind::Constant(value) = tree.kind {
            self.check_bounds(formula, value);
        }
        // Attributes are computed ahead in any case; the other formulas read them.
        let lean = if scope.plain { tree.clone() } else { self.program.hoist(&tree, next_local, &self.readers) };
        let shape = Emitter::compile(&mut self.program, &lean, next_local);
        let is_whole = matches!(self.readers, Readers::All);
        let whole = if is_whole { shape } else { Emitter::compile(&mut self.program, &tree, next_local) };
        self.program.layout.locals = self.program.layout.locals.max(next_local);
        let mut compiled = CompiledFormula { source: formula.clone(), kind: wanted, tree, steady: false };
        let mut steady = !compiled.draws();
        compiled.each_read(|read| steady &= matches!(read, Read::Attribute(Role::Caster, _) | Read::Local(_)));
        compiled.steady = steady;
        self.program.formulas.push(compiled);
        self.program.shapes.push(shape);
        self.whole_shapes.push(whole);
        Some(FormulaId((self.program.formulas.len() - 1) as u32))
    }

    /// Reports a constant that its key cannot have. Computed values are checked or limited while a fight runs.
    fn check_bounds(&mut self, formula: &Formula, value: f64) {
        let Some((least, most)) = formula.bounds.filter(|(least, most)| !(*least..=*most).contains(&value)) else {
            return;
        };
        let bounds = if most.is_finite() { format!("from {least} to {most}") } else { format!("at least {least}") };
        let message = format!("`{}` is {}; it must be {bounds}", formula.path, plain(value));
        let help = match formula.path.rsplit('.').next() {
            _ if most == 1.0 && (1.0..=100.0).contains(&value) => {
                Some(format!("{} % is written {}", plain(value), plain(value / 100.0)))
            }
            _ if matches!(formula.expr.kind, ExprKind::Binary(Binary::Subtract, ..)) => {
                Some("a random number in a range is `between(low, high)`".to_owned())
            }
            Some("damage" | "heal" | "amount") => {
                Some("`damage` and `drain` take away, `heal` and `restore` give".to_owned())
            }
            _ => None,
        };
        let mut diagnostic = Diagnostic::at(Code::BadValue, formula.span, message);
        diagnostic.help = help;
        self.out.push(diagnostic);
    }

    /// Adds a random stream. Its name determines the draws, so it must depend on nothing but the position: changing a
    /// number elsewhere must not change draws.
    pub(crate) fn site(&mut self, path: &str) -> SiteId {
        let mut name = path.to_owned();
        let mut number = 1;
        while self.site_names.contains(&name) {
            number += 1;
            name = format!("{path}#{number}");
        }
        self.program.sites.push(stable_hash(&name));
        self.site_names.push(name);
        SiteId((self.site_names.len() - 1) as u32)
    }
}

/// FNV-1a. Stream names are hashed into seeds, and a seed must give the same fight in every version, so the hash must
/// not change with a dependency.
pub(crate) fn stable_hash(text: impl AsRef<[u8]>) -> u64 {
    let step = |hash: u64, byte: &u8| (hash ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3);
    text.as_ref().iter().fold(0xcbf2_9ce4_8422_2325, step)
}

pub(super) struct Resolver<'c, 'a> {
    pub(super) compiler: &'c mut Compiler<'a>,
    pub(super) formula: &'c Formula,
    pub(super) scope: Scope,
    /// Functions whose bodies are being inlined.
    pub(super) called: Vec<usize>,
    /// Arguments of the innermost one.
    pub(super) arguments: Vec<(String, Tree)>,
    pub(super) next_local: u16,
    /// Errors are not reported: they have been reported at the definition.
    pub(super) quiet: bool,
    /// The number of calls inlined so far.
    pub(super) put_in: usize,
}

pub(super) type Typed = (Tree, Kind);

impl Resolver<'_, '_> {
    pub(super) fn span(&self, range: &Range<u32>) -> Span {
        self.formula.place(range.clone())
    }

    pub(super) fn report(&mut self, code: Code, range: &Range<u32>, message: String, help: Option<String>) {
        if !self.quiet {
            let mut diagnostic = Diagnostic::at(code, self.span(range), message);
            diagnostic.help = help;
            self.compiler.out.push(diagnostic);
        }
    }

    pub(super) fn of_kind(&mut self, expr: &Expr, wanted: Kind) -> Option<Tree> {
        let (tree, kind) = self.expr(expr)?;
        if kind != wanted {
            let help = match wanted {
                Kind::Truth => "compare it: `x > 0`",
                Kind::Number => "turn it into a number: `if(condition, 1, 0)`",
            };
            let message = format!("this is {}, but {} is needed here", kind.what(), wanted.what());
            self.report(Code::WrongKind, &expr.range, message, Some(help.to_owned()));
            return None;
        }
        Some(tree)
    }

    pub(super) fn node(&self, kind: TreeKind, range: &Range<u32>) -> Tree {
        Tree { kind, range: range.clone(), called: !self.called.is_empty() }
    }

    /// A node that is folded if its parts are constants.
    fn folded(&mut self, kind: TreeKind, range: &Range<u32>) -> Option<Tree> {
        let tree = self.node(kind, range);
        let value = match &tree.kind {
            TreeKind::Unary(op, a) => constant(a).map(|a| op.apply(a)),
            TreeKind::Binary(BinaryOp::Divide, _, b) if constant(b) == Some(0.0) => Some(f64::NAN),
            TreeKind::Binary(op, a, b) => constant(a).zip(constant(b)).map(|(a, b)| op.apply(a, b)),
            TreeKind::Curve(curve, x) => constant(x).map(|x| self.compiler.program.curves[curve.index()].at(x)),
            _ => None,
        };
        match value {
            None => Some(tree),
            Some(value) if value.is_finite() => Some(self.node(TreeKind::Constant(value), range)),
            Some(_) => {
                let divides = matches!(tree.kind, TreeKind::Binary(BinaryOp::Divide, ..));
                self.report_fault(divides, range);
                None
            }
        }
    }

    /// In an inlined body, the arguments of this call are the reason.
    fn report_fault(&mut self, divides: bool, range: &Range<u32>) {
        let what = if divides { "divides by zero" } else { "has no finite value" };
        let within = std::mem::replace(&mut self.quiet, false);
        if within {
            let whole = 0..self.formula.text.len() as u32;
            let message = format!("with these arguments, the formula that is called here {what}");
            self.report(Code::FormulaFault, &whole, message, None);
        } else {
            self.report(Code::FormulaFault, range, format!("this {what}"), None);
        }
        self.quiet = within;
    }

    pub(super) fn expr(&mut self, expr: &Expr) -> Option<Typed> {
        let range = &expr.range;
        match &expr.kind {
            ExprKind::Number { value, .. } if !value.is_finite() => {
                self.report(Code::BadValue, range, "an infinite number is not allowed here".to_owned(), None);
                None
            }
            ExprKind::Number { value, .. } => Some((self.node(TreeKind::Constant(*value), range), Kind::Number)),
            ExprKind::Truth(value) => {
                Some((self.node(TreeKind::Constant(super::ops::truth(*value)), range), Kind::Truth))
            }
            ExprKind::Name(parts) => self.name(parts, range),
            ExprKind::Call(name, arguments) => self.call(name, arguments, range),
            ExprKind::Named(word, _) => {
                let message = format!("no argument is called `{}` here", word.text);
                let help = "the only one with a name is `roll(chance, streak = n)`; to compare, write `==`";
                self.report(Code::WrongArguments, &word.range, message, Some(help.to_owned()));
                None
            }
            ExprKind::Unary(Unary::Negate, a) => {
                let a = self.of_kind(a, Kind::Number)?;
                Some((self.folded(TreeKind::Unary(UnaryOp::Negate, Box::new(a)), range)?, Kind::Number))
            }
            ExprKind::Unary(Unary::Not, a) => {
                let a = self.of_kind(a, Kind::Truth)?;
                Some((self.folded(TreeKind::Unary(UnaryOp::Not, Box::new(a)), range)?, Kind::Truth))
            }
            ExprKind::Binary(op, a, b) => self.binary(*op, a, b, range),
        }
    }

    fn binary(&mut self, op: Binary, a: &Expr, b: &Expr, range: &Range<u32>) -> Option<Typed> {
        let (op, kind) = match op {
            Binary::And | Binary::Or => return self.logic(op, a, b, range),
            Binary::Add => (BinaryOp::Add, Kind::Number),
            Binary::Subtract => (BinaryOp::Subtract, Kind::Number),
            Binary::Multiply => (BinaryOp::Multiply, Kind::Number),
            Binary::Divide => (BinaryOp::Divide, Kind::Number),
            Binary::Power => (BinaryOp::Power, Kind::Number),
            Binary::Less => (BinaryOp::Less, Kind::Truth),
            Binary::AtMost => (BinaryOp::AtMost, Kind::Truth),
            Binary::Greater => (BinaryOp::Greater, Kind::Truth),
            Binary::AtLeast => (BinaryOp::AtLeast, Kind::Truth),
            Binary::Equal => (BinaryOp::Equal, Kind::Truth),
            Binary::Unequal => (BinaryOp::Unequal, Kind::Truth),
        };
        // Both sides are compiled, so that errors of both are reported at once.
        let (a, b) = (self.of_kind(a, Kind::Number), self.of_kind(b, Kind::Number));
        Some((self.folded(TreeKind::Binary(op, Box::new(a?), Box::new(b?)), range)?, kind))
    }

    fn logic(&mut self, op: Binary, a: &Expr, b: &Expr, range: &Range<u32>) -> Option<Typed> {
        let (a, b) = (self.of_kind(a, Kind::Truth), self.of_kind(b, Kind::Truth));
        let (a, b) = (Box::new(a?), Box::new(b?));
        let kind = if op == Binary::And { TreeKind::And(a, b) } else { TreeKind::Or(a, b) };
        Some((self.node(kind, range), Kind::Truth))
    }

    fn call(&mut self, name: &Ident, arguments: &[Expr], range: &Range<u32>) -> Option<Typed> {
        if let Some(builtin) = Builtin::named(&name.text) {
            return self.builtin(builtin, arguments, range);
        }
        if let Some(curve) = self.compiler.names.curves.get(&name.text) {
            self.check_arguments(1, arguments, &format!("{}(x)", name.text), range)?;
            let x = self.of_kind(&arguments[0], Kind::Number)?;
            return Some((self.folded(TreeKind::Curve(curve, Box::new(x)), range)?, Kind::Number));
        }
        if let Some(function) = self.compiler.names.functions.get(&name.text) {
            return self.function(function, arguments, range);
        }
        let known: Vec<String> = self.compiler.names.callable().map(str::to_owned).collect();
        let message = format!("no function, curve or formula is called `{}`", name.text);
        if !self.quiet {
            let diagnostic = Diagnostic::at(Code::UnknownFunction, self.span(&name.range), message);
            self.compiler.out.push(match name.text.as_str() {
                "pow" => diagnostic.help("write `x ^ y`"),
                _ => diagnostic.nearest(&name.text, known.iter().map(String::as_str)),
            });
        }
        None
    }

    fn check_arguments(&mut self, wanted: usize, given: &[Expr], usage: &str, range: &Range<u32>) -> Option<()> {
        if given.len() == wanted {
            return Some(());
        }
        self.wrong_arguments(given.len(), usage, range);
        None
    }

    fn wrong_arguments(&mut self, given: usize, usage: &str, range: &Range<u32>) {
        let given = if given == 1 { "one argument is".to_owned() } else { format!("{given} arguments are") };
        let message = format!("{given} given; the form is `{usage}`");
        self.report(Code::WrongArguments, range, message, None);
    }

    fn builtin(&mut self, builtin: Builtin, arguments: &[Expr], range: &Range<u32>) -> Option<Typed> {
        if !builtin.takes(arguments.len()) {
            self.wrong_arguments(arguments.len(), &builtin.usage(), range);
            return None;
        }
        match builtin {
            Builtin::If => return self.condition(arguments, range),
            Builtin::Count => return self.count(&arguments[0], arguments.get(1), range),
            Builtin::Has | Builtin::Stacks | Builtin::Tagged => return self.status(builtin, arguments, range),
            Builtin::Snapshot => return self.snapshot(&arguments[0], range),
            Builtin::Uses | Builtin::Charges | Builtin::Cooldown | Builtin::Casting => {
                return self.ability_query(builtin, arguments, range);
            }
            Builtin::Roll if arguments.len() == 2 => return self.streak(&arguments[0], &arguments[1], range),
            _ => {}
        }
        let numbers: Vec<Option<Tree>> =
            arguments.iter().map(|argument| self.of_kind(argument, Kind::Number)).collect();
        let numbers: Vec<Tree> = numbers.into_iter().collect::<Option<_>>()?;
        let site = match builtin {
            Builtin::Roll | Builtin::Between | Builtin::Dice => Some(self.chance_site(range)?),
            _ => None,
        };
        let kind = if builtin == Builtin::Roll { Kind::Truth } else { Kind::Number };
        Some((self.numeric(builtin, numbers, site, range)?, kind))
    }

    pub(super) fn chance_site(&mut self, range: &Range<u32>) -> Option<SiteId> {
        if !self.scope.chance {
            let message = format!("random draws are not allowed {}", self.scope.place);
            let help = "it is evaluated repeatedly, and would give a different value each time";
            self.blame(range, message, help);
            return None;
        }
        let path = self.formula.path.clone();
        Some(self.compiler.site(&path))
    }

    /// Reports what is not allowed in this context; even for a called formula, the caller is reported.
    fn blame(&mut self, range: &Range<u32>, message: String, help: &str) {
        let quiet = std::mem::replace(&mut self.quiet, false);
        let whole = 0..self.formula.text.len() as u32;
        self.report(Code::NotHere, if quiet { &whole } else { range }, message, Some(help.to_owned()));
        self.quiet = quiet;
    }

    fn numeric(
        &mut self,
        builtin: Builtin,
        numbers: Vec<Tree>,
        site: Option<SiteId>,
        range: &Range<u32>,
    ) -> Option<Tree> {
        let mut numbers = numbers.into_iter().map(Box::new);
        let mut next = || {
            numbers
                .next()
                .unwrap_or_else(|| Box::new(Tree { kind: TreeKind::Constant(0.0), range: 0..0, called: true }))
        };
        let unary = |op| move |a| TreeKind::Unary(op, a);
        let kind = match (builtin, site) {
            (Builtin::Abs, _) => unary(UnaryOp::Abs)(next()),
            (Builtin::Floor, _) => unary(UnaryOp::Floor)(next()),
            (Builtin::Ceil, _) => unary(UnaryOp::Ceil)(next()),
            (Builtin::Round, _) => unary(UnaryOp::Round)(next()),
            (Builtin::Sqrt, _) => unary(UnaryOp::Sqrt)(next()),
            (Builtin::Exp, _) => unary(UnaryOp::Exp)(next()),
            (Builtin::Ln, _) => unary(UnaryOp::Ln)(next()),
            (Builtin::Lerp, _) => TreeKind::Lerp(Box::new([*next(), *next(), *next()])),
            (Builtin::Roll, Some(site)) => TreeKind::Roll(site, next()),
            (Builtin::Between, Some(site)) => TreeKind::Between(site, next(), next()),
            (Builtin::Dice, Some(site)) => TreeKind::Dice(site, next(), next()),
            (Builtin::Clamp, _) => {
                let (x, low, high) = (next(), next(), next());
                let raised = self.folded(TreeKind::Binary(BinaryOp::Max, x, low), range)?;
                TreeKind::Binary(BinaryOp::Min, Box::new(raised), high)
            }
            _ => {
                return self.extreme(
                    if builtin == Builtin::Min { BinaryOp::Min } else { BinaryOp::Max },
                    numbers.map(|n| *n).collect(),
                    range,
                );
            }
        };
        self.folded(kind, range)
    }

    fn extreme(&mut self, op: BinaryOp, numbers: Vec<Tree>, range: &Range<u32>) -> Option<Tree> {
        let mut numbers = numbers.into_iter();
        let mut so_far = numbers.next()?;
        for number in numbers {
            so_far = self.folded(TreeKind::Binary(op, Box::new(so_far), Box::new(number)), range)?;
        }
        Some(so_far)
    }

    fn condition(&mut self, arguments: &[Expr], range: &Range<u32>) -> Option<Typed> {
        let condition = self.of_kind(&arguments[0], Kind::Truth);
        let (yes, no) = (self.expr(&arguments[1]), self.expr(&arguments[2]));
        let ((yes, kind), (no, other)) = (yes?, no?);
        if kind != other {
            let message = format!("`if` gives {} in one case but {} in the other", kind.what(), other.what());
            self.report(Code::WrongKind, range, message, None);
            return None;
        }
        Some((self.node(TreeKind::If(Box::new([condition?, yes, no])), range), kind))
    }

    fn count(&mut self, whom: &Expr, metres: Option<&Expr>, range: &Range<u32>) -> Option<Typed> {
        let word = match &whom.kind {
            ExprKind::Name(parts) if parts.len() == 1 => parts[0].text.as_str(),
            _ => "",
        };
        if !self.scope.fight {
            let message = format!("combatants cannot be counted {}", self.scope.place);
            self.report(Code::NotHere, range, message, None);
            return None;
        }
        let counted = [
            ("enemies", Counted::Enemies),
            ("allies", Counted::Allies),
            ("others", Counted::Others),
            ("everyone", Counted::Everyone),
        ];
        if let (Some(metres), Some((_, counted))) = (metres, counted.iter().find(|(name, _)| *name == word)) {
            let metres = self.of_kind(metres, Kind::Number)?;
            return Some((self.node(TreeKind::Near(*counted, Box::new(metres)), range), Kind::Number));
        }
        let standing = |slot| TreeKind::Read(Read::Standing(Role::Caster, slot));
        let kind = match word {
            "enemies" => standing(Layout::ENEMIES),
            "allies" => standing(Layout::ALLIES),
            "everyone" => {
                let (enemies, allies) =
                    (self.node(standing(Layout::ENEMIES), range), self.node(standing(Layout::ALLIES), range));
                TreeKind::Binary(BinaryOp::Add, Box::new(enemies), Box::new(allies))
            }
            "others" => {
                let (allies, itself) =
                    (self.node(standing(Layout::ALLIES), range), self.node(standing(Layout::STANDS), range));
                TreeKind::Binary(BinaryOp::Subtract, Box::new(allies), Box::new(itself))
            }
            _ => {
                let message = "`count` takes `enemies`, `allies`, `others` or `everyone`".to_owned();
                self.report(Code::UnknownName, &whom.range, message, None);
                return None;
            }
        };
        Some((self.node(kind, range), Kind::Number))
    }

    fn function(&mut self, index: usize, arguments: &[Expr], range: &Range<u32>) -> Option<Typed> {
        let functions = self.compiler.functions;
        let (name, rule) = (&functions[index].name, &functions[index].rule);
        let words: Vec<&str> = rule.args.iter().map(|arg| arg.text.as_str()).collect();
        self.check_arguments(words.len(), arguments, &format!("{name}({})", words.join(", ")), range)?;
        let bound: Vec<Option<Tree>> = arguments.iter().map(|argument| self.of_kind(argument, Kind::Number)).collect();
        let bound: Vec<Tree> = bound.into_iter().collect::<Option<_>>()?;
        let body = rule.is.as_ref()?;
        if self.compiler.broken[index] || self.called.contains(&index) {
            return None;
        }
        if rule.game && !self.scope.game {
            let message = format!("the game's `{name}` cannot be called {}", self.scope.place);
            let help = "a stored value would not notice a change in the game";
            self.blame(range, message, help);
            return None;
        }
        self.put_in += 1;
        if self.put_in == MAX_CALLS || (self.called.len() == MAX_CALL_DEPTH && self.put_in < MAX_CALLS) {
            let message = format!(
                "more than {MAX_CALLS} calls, or {MAX_CALL_DEPTH} nested ones, depend on `{}`",
                self.formula.path
            );
            self.compiler.out.push(Diagnostic::at(Code::FormulaLimit, self.formula.span, message));
            self.put_in = MAX_CALLS;
        }
        if self.put_in >= MAX_CALLS {
            return None;
        }
        self.put_in(index, body, &words, bound, range)
    }

    /// Inlines a function's body with its arguments bound to locals. Arguments that are plain values are substituted,
    /// which changes no result and allows more folding and hoisting.
    fn put_in(
        &mut self,
        index: usize,
        body: &Formula,
        words: &[&str],
        bound: Vec<Tree>,
        range: &Range<u32>,
    ) -> Option<Typed> {
        let mut lets = Vec::new();
        let mut arguments = Vec::new();
        let game = self.compiler.functions[index].rule.game;
        let first = self.next_local;
        for (word, tree) in words.iter().zip(bound) {
            if !game && matches!(tree.kind, TreeKind::Constant(_) | TreeKind::Read(_)) {
                arguments.push(((*word).to_owned(), tree));
            } else {
                let local = self.next_local;
                self.next_local += 1;
                arguments.push(((*word).to_owned(), self.node(TreeKind::Read(Read::Local(local)), range)));
                lets.push((local, tree));
            }
        }
        let outer_arguments = std::mem::replace(&mut self.arguments, arguments);
        let outer_quiet = std::mem::replace(&mut self.quiet, true);
        self.called.push(index);
        // In the body only the arguments have names; whether draws are allowed depends on the caller.
        let outer_scope = self.scope;
        let Scope { chance, game: asks, place, .. } = outer_scope;
        self.scope = if game { Scope::STAND_IN } else { Scope { chance, game: asks, place, ..Scope::FUNCTION } };
        let result = self.expr(&body.expr);
        self.scope = outer_scope;
        self.called.pop();
        self.quiet = outer_quiet;
        self.arguments = outer_arguments;
        let (mut tree, kind) = result?;
        if game {
            let truth = kind == Kind::Truth;
            let call = GameCall { function: self.compiler.game_function(index, truth), first, truth };
            tree = self.node(TreeKind::Game(call, Box::new(tree)), range);
        }
        for (local, bound) in lets.into_iter().rev() {
            tree = self.node(TreeKind::Let(local, Box::new(bound), Box::new(tree)), range);
        }
        Some((tree, kind))
    }
}

fn constant(tree: &Tree) -> Option<f64> {
    match tree.kind {
        TreeKind::Constant(value) => Some(value),
        _ => None,
    }
}
