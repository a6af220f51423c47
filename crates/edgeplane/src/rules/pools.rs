//! `[pools]`: amounts that are spent and regained.

use super::reader::{Fields, Formula, formula, wrong_type};
use super::shape;
use crate::text::{Code, Diagnostic, Diagnostics, Node, Value};

/// One pool.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct PoolRule {
    /// The cap. `None` after an error.
    pub max: Option<Formula>,
    /// The amount at the start of a fight.
    pub start: StartRule,
    /// Gains over time.
    pub regen: Option<FlowRule>,
    /// Losses over time.
    pub decay: Option<FlowRule>,
    /// The effect of a change of the cap on the amount.
    pub on_cap_change: CapChange,
    /// Whether a combatant is defeated when it becomes empty.
    pub defeat: bool,
    /// For readers.
    pub about: String,
}

/// The initial amount.
#[derive(Clone, Debug, Default)]
pub enum StartRule {
    /// The cap.
    #[default]
    Full,
    /// Empty.
    Empty,
    /// This amount, limited by the cap.
    Amount(Formula),
}

/// A regeneration or a decay.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct FlowRule {
    /// Per second, or per portion.
    pub amount: Formula,
    /// Seconds between portions; `None` for a continuous flow.
    pub every: Option<Formula>,
}

/// The effect of a change of the cap on the amount.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum CapChange {
    /// The amount is kept, up to the cap.
    #[default]
    Keep,
    /// The share of the cap is kept.
    Scale,
    /// The difference to the cap is kept.
    Shift,
}

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> PoolRule {
    let Some(fields) = Fields::open(node, path, &shape::POOL, out) else { return PoolRule::default() };
    if fields.get("max").is_none() {
        fields.missing("max", "max = 60", out);
    }
    let changes = [("keep", CapChange::Keep), ("scale", CapChange::Scale), ("shift", CapChange::Shift)];
    let rule = PoolRule {
        max: fields.formula("max", out),
        start: start(&fields, out),
        regen: flow(&fields, "regen", out),
        decay: flow(&fields, "decay", out),
        on_cap_change: fields.choice("on_cap_change", &changes, out).unwrap_or_default(),
        defeat: fields.flag("defeat", out),
        about: fields.about(out),
    };
    if let (Some(regen), Some(decay)) = (&rule.regen, &rule.decay)
        && (regen.every.is_some() || decay.every.is_some())
    {
        let message = format!("`{path}` has portions in one and a continuous flow in the other");
        out.push(
            Diagnostic::at(Code::KeyConflict, decay.amount.span, message)
                .label(regen.amount.span, "the other one")
                .help("if both are given, both must be continuous"),
        );
    }
    rule
}

fn start(fields: &Fields<'_>, out: &mut Diagnostics) -> StartRule {
    let Some(node) = fields.get("start") else { return StartRule::Full };
    match &node.value {
        Value::Text(text, _) if text == "full" => StartRule::Full,
        Value::Text(text, _) if text == "empty" => StartRule::Empty,
        _ => fields.formula("start", out).map_or(StartRule::Full, StartRule::Amount),
    }
}

fn flow(fields: &Fields<'_>, key: &str, out: &mut Diagnostics) -> Option<FlowRule> {
    let node = fields.get(key)?;
    match &node.value {
        Value::Table(_) => {
            let path = fields.path_of(key);
            let inner = Fields::open(node, &path, &shape::FLOW, out)?;
            for key in ["amount", "every"] {
                if inner.get(key).is_none() {
                    inner.missing(key, "{ amount = 5, every = 2 }", out);
                }
            }
            Some(FlowRule { amount: inner.formula("amount", out)?, every: Some(inner.formula("every", out)?) })
        }
        Value::Number(_) | Value::Text(..) => {
            Some(FlowRule { amount: formula(node, fields.path_of(key), out)?, every: None })
        }
        _ => {
            out.push(wrong_type(node, "an amount per second, or { amount, every }", &fields.path_of(key)));
            None
        }
    }
}
