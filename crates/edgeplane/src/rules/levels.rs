//! `[levels]`, `[point.*]` and `[gauntlet.*]`: progress beyond one fight.

use super::reader::{Fields, Formula, Named, Word};
use super::shape;
use super::statuses::{ModifierKind, ModifierRule, Reapply, StatusRule};
use crate::formula::{Binary, Expr, ExprKind, Ident};
use crate::text::{Code, Diagnostic, Diagnostics, Node, Span};

/// The rules for experience and levels.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct LevelsRule {
    /// For readers.
    pub about: String,
    /// The experience from one level to the next.
    pub needs: Option<Formula>,
    /// The highest level.
    pub most: Option<u32>,
    /// The total number of points to spend at a level.
    pub points: Option<Formula>,
    /// Levels also rise during a fight.
    pub in_fight: bool,
    /// The span of the table.
    pub span: Span,
}

/// Something to spend points on.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct PointRule {
    /// For readers.
    pub about: String,
    /// Its effects, as a status of which each point is a stack.
    pub held: StatusRule,
}

/// Encounters fought in a row by the same combatants.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct GauntletRule {
    /// For readers.
    pub about: String,
    /// The side that continues from one to the next.
    pub side: Option<Word>,
    /// The encounters.
    pub encounters: Vec<Word>,
    /// Pools that keep their amounts.
    pub keeps: Vec<Word>,
    /// What these pools gain between encounters.
    pub rests: Vec<(Word, Formula)>,
    /// Limited uses and charges stay used.
    pub keeps_uses: bool,
    /// Defeated combatants return in the next encounter.
    pub defeated_return: bool,
}

pub(super) fn read_levels(node: &Node, out: &mut Diagnostics) -> Option<LevelsRule> {
    let fields = Fields::open(node, "levels", &shape::LEVELS, out)?;
    Some(LevelsRule {
        about: fields.about(out),
        needs: fields.formula("needs", out),
        most: fields.whole("most", out),
        points: fields.formula("points", out),
        in_fight: fields.flag("in_fight", out),
        span: fields.span,
    })
}

pub(super) fn read_point(node: &Node, path: &str, out: &mut Diagnostics) -> PointRule {
    let Some(fields) = Fields::open(node, path, &shape::POINT, out) else { return PointRule::default() };
    let about = fields.about(out);
    let gives = fields.amounts("gives", "amounts by attribute, such as { heft = 1.5 }", out);
    if fields.get("gives").is_none() {
        fields.missing("gives", "gives = { heft = 1.5 }", out);
    }
    let modify = gives.into_iter().map(|(attribute, each)| ModifierRule {
        attribute,
        kind: ModifierKind::Add,
        amount: for_each_stack(each),
    });
    let held = StatusRule {
        about: about.clone(),
        modify: modify.collect(),
        reapply: Reapply::Stack,
        max_stacks: Some(1_000_000),
        hidden: true,
        cleansable: false,
        worn: true,
        point: true,
        ..StatusRule::default()
    };
    PointRule { about, held }
}

/// `x` as `(x) * stacks`.
fn for_each_stack(mut each: Formula) -> Formula {
    let range = each.expr.range.clone();
    let at = |kind| Expr { kind, range: range.clone() };
    let stacks = at(ExprKind::Name(vec![Ident { text: "stacks".to_owned(), range: range.clone() }]));
    each.expr = at(ExprKind::Binary(Binary::Multiply, Box::new(each.expr.clone()), Box::new(stacks)));
    each
}

pub(super) fn read_gauntlet(node: &Node, path: &str, out: &mut Diagnostics) -> GauntletRule {
    let Some(fields) = Fields::open(node, path, &shape::GAUNTLET, out) else { return GauntletRule::default() };
    for (key, example) in [("side", "side = \"keepers\""), ("encounters", "encounters = [\"first\", \"second\"]")] {
        if fields.get(key).is_none() {
            fields.missing(key, example, out);
        }
    }
    let rule = GauntletRule {
        about: fields.about(out),
        side: fields.text("side", out),
        encounters: fields.words("encounters", out).unwrap_or_default(),
        keeps: fields.words("keeps", out).unwrap_or_default(),
        rests: fields.amounts("rests", "amounts by pool, such as { health = 20 }", out),
        keeps_uses: fields.flag("keeps_uses", out),
        defeated_return: fields.choice("defeated", &[("out", false), ("back", true)], out).unwrap_or_default(),
    };
    if let Some(node) = fields.get("encounters").filter(|_| rule.encounters.is_empty()) {
        let message = format!("`{}` lists no encounters", fields.path_of("encounters"));
        out.push(Diagnostic::at(Code::BadValue, node.span, message));
    }
    for (pool, _) in rule.rests.iter().filter(|(pool, _)| !rule.keeps.iter().any(|kept| kept.text == pool.text)) {
        let message = format!("`{}` is filled anew in every encounter, so adding to it has no effect", pool.text);
        let help = format!("add it to `keeps`: keeps = [\"{}\"]", pool.text);
        out.push(Diagnostic::at(Code::KeyConflict, pool.span, message).help(help));
    }
    rule
}

impl super::Ruleset {
    /// The effects of points are stored among the statuses.
    pub(super) fn spend(&mut self, out: &mut Diagnostics) {
        for Named { name, span, rule } in &self.points {
            if let Some(status) = self.statuses.iter().find(|status| status.name == *name) {
                let message = format!("`{name}` is a point and a status or a piece of gear");
                let help = "give one of them another name";
                let diagnostic = Diagnostic::at(Code::DuplicateName, *span, message);
                out.push(diagnostic.label(status.span, "the other").help(help));
                continue;
            }
            self.statuses.push(Named { name: name.clone(), span: *span, rule: rule.held.clone() });
        }
    }
}
