//! `[damage_types]`, `[[hit_steps]]` and `[[heal_steps]]`.

use super::reader::{Fields, Formula, Named, Word, check_name, list};
use super::shape::{self, TableShape};
use crate::text::{Code, Diagnostic, Diagnostics, Node, Value};

/// One kind of damage.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct DamageTypeRule {
    /// Hit steps that this type skips.
    pub skips: Skips,
    /// For readers.
    pub about: String,
}

/// Steps that a hit or a heal skips.
#[derive(Clone, Debug)]
pub enum Skips {
    /// These.
    Named(Vec<Word>),
    /// Every step without `always = true`, including those of statuses.
    All,
}

impl Default for Skips {
    fn default() -> Self {
        Self::Named(Vec::new())
    }
}

/// Reads `skips`: a list of steps, or `"all"`.
pub(super) fn skips(fields: &Fields<'_>, out: &mut Diagnostics) -> Skips {
    match fields.get("skips") {
        Some(Node { value: Value::Text(text, _), .. }) if text == "all" => Skips::All,
        Some(Node { value: Value::Text(text, _), span }) => {
            let message =
                format!("`{}` cannot be `{text}`; it takes a list of steps, or \"all\"", fields.path_of("skips"));
            let help = format!("put it in brackets: skips = [\"{text}\"]");
            out.push(Diagnostic::at(Code::BadValue, *span, message).help(help));
            Skips::default()
        }
        _ => Skips::Named(fields.words("skips", out).unwrap_or_default()),
    }
}

/// A step that every hit (or heal) passes.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct StepRule {
    /// A condition; the step is skipped if it is false.
    pub when: Option<Formula>,
    /// Only for these damage types.
    pub types: Option<Vec<Word>>,
    /// Only for effects and abilities with one of these tags.
    pub tags: Option<Vec<Word>>,
    /// The new amount.
    pub amount: Option<Formula>,
    /// The hit ends here and is reported with this word.
    pub stop: Option<Word>,
    /// This pool of the target soaks as much as it holds.
    pub soak: Option<Word>,
    /// `hit.<mark>` is true from here on.
    pub mark: Option<Word>,
    /// For readers.
    pub about: String,
    /// `skips = "all"` does not skip it.
    pub always: bool,
    /// For a step that a status adds.
    pub owned: Option<OwnedStep>,
}

pub(super) fn read_damage_type(node: &Node, path: &str, out: &mut Diagnostics) -> DamageTypeRule {
    let Some(fields) = Fields::open(node, path, &shape::DAMAGE_TYPE, out) else {
        return DamageTypeRule::default();
    };
    DamageTypeRule { skips: skips(&fields, out), about: fields.about(out) }
}

/// The hits for which a step of a status is used, and its position among the others.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct OwnedStep {
    /// For hits that the owner takes instead of those that it deals.
    pub taken: bool,
    /// The step before which it runs.
    pub before: Option<Word>,
    /// The step after which it runs.
    pub after: Option<Word>,
}

/// Reads the ordered steps.
pub(super) fn read_list(node: Option<&Node>, section: &str, out: &mut Diagnostics) -> Vec<Named<StepRule>> {
    read_steps(node, section, &shape::STEP, out)
}

/// Reads the steps that a status adds.
pub(super) fn read_owned(node: Option<&Node>, section: &str, out: &mut Diagnostics) -> Vec<Named<StepRule>> {
    read_steps(node, section, &shape::OWNED_STEP, out)
}

fn read_steps(
    node: Option<&Node>,
    section: &str,
    shape: &'static TableShape,
    out: &mut Diagnostics,
) -> Vec<Named<StepRule>> {
    let Some(node) = node else { return Vec::new() };
    let Some(items) = list(node, section, out) else { return Vec::new() };
    let mut steps: Vec<Named<StepRule>> = Vec::new();
    for (index, item) in items.iter().enumerate() {
        let path = format!("{section}.{index}");
        let Some(fields) = Fields::open(item, &path, shape, out) else { continue };
        let Some(name) = fields.text("name", out) else {
            if fields.get("name").is_none() {
                fields.missing("name", "name = \"guard\"", out);
            }
            continue;
        };
        check_name(&name.text, name.span, out);
        if let Some(first) = steps.iter().find(|step| step.name == name.text) {
            let message = format!("two {section} are called `{}`", name.text);
            out.push(
                Diagnostic::at(Code::DuplicateName, name.span, message)
                    .saying("again here")
                    .label(first.span, "first here"),
            );
            continue;
        }
        let path = format!("{section}.{}", name.text);
        let rule = read_step(&fields.renamed(path), out);
        steps.push(Named { name: name.text, span: name.span, rule });
    }
    steps
}

fn read_step(fields: &Fields<'_>, out: &mut Diagnostics) -> StepRule {
    let mark = fields.text("mark", out);
    if let Some(mark) = &mark {
        check_name(&mark.text, mark.span, out);
    }
    if ["amount", "stop", "soak", "mark"].iter().all(|key| fields.get(key).is_none()) && fields.all_known() {
        let message = format!("`{}` does nothing", fields.path);
        out.push(
            Diagnostic::at(Code::KeyConflict, fields.span, message).help("it needs `amount`, `stop`, `soak` or `mark`"),
        );
    }
    StepRule {
        when: fields.formula("when", out),
        types: fields.words("types", out),
        tags: fields.words("tags", out),
        amount: fields.formula("amount", out),
        stop: fields.text("stop", out),
        soak: fields.text("soak", out),
        mark,
        always: fields.flag("always", out),
        about: fields.about(out),
        owned: owned(fields, out),
    }
}

fn owned(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<OwnedStep> {
    fields.get("of")?;
    let taken = fields.choice("of", &[("hits_dealt", false), ("hits_taken", true)], out).unwrap_or_default();
    let (before, after) = (fields.text("before", out), fields.text("after", out));
    if let (Some(_), Some(after)) = (&before, &after) {
        let message = format!("`{}` cannot have both `before` and `after`", fields.path);
        out.push(Diagnostic::at(Code::KeyConflict, after.span, message));
    }
    Some(OwnedStep { taken, before, after })
}
