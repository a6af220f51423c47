//! Worked arithmetic: the designer's own formula with values in place of names.

use super::Program;
use super::eval::{Draws, Frame, NoChance};
use super::ids::{CombatantId, FormulaId};
use super::memory::Memory;
use super::resolve::CompiledFormula;
use super::tree::{Reading, TreeKind};
use crate::numbers::plain;

impl CompiledFormula {
    /// The text of the formula with the values in place of the names: `10 * (200 - 15) / 200`. The result of a draw
    /// follows its call: `roll(0.05) [no]`.
    pub fn with_values(&self, reading: &Reading) -> String {
        let mut edits: Vec<(usize, usize, String)> = Vec::new();
        for leaf in &reading.leaves {
            let value = match (leaf.truth, leaf.value != 0.0) {
                (true, true) => "yes".to_owned(),
                (true, false) => "no".to_owned(),
                _ => plain(leaf.value),
            };
            let (start, end) = (leaf.range.start as usize, leaf.range.end as usize);
            edits.push(if leaf.drawn { (end, end, format!(" [{value}]")) } else { (start, end, value) });
        }
        edits.sort_by_key(|(start, end, _)| (*start, *end));
        edits.dedup_by_key(|(start, end, _)| (*start, *end));
        let (text, written) = (&self.source.text, self.source.range());
        let (mut worked, mut at) = (String::new(), written.start);
        for (start, end, value) in edits.into_iter().filter(|(start, end, _)| start <= end && *end <= written.end) {
            if start >= at {
                worked.push_str(&text[at..start]);
                worked.push_str(&value);
                at = end;
            }
        }
        worked + &text[at..written.end]
    }

    /// Whether the formula is a single draw, so that its text already contains its result.
    pub fn is_one_draw(&self) -> bool {
        matches!(self.tree.kind, TreeKind::Roll(..) | TreeKind::Streak(..) | TreeKind::Between(..) | TreeKind::Dice(..))
    }

    /// Whether there is anything to show besides the result.
    pub fn is_plain_number(&self) -> bool {
        self.as_number().is_some()
    }
}

impl Program {
    /// Evaluates a formula of a combatant's own attributes, step by step.
    pub(crate) fn own_reading(
        &self,
        formula: FormulaId,
        memory: &Memory,
        of: CombatantId,
        damage_type: u16,
    ) -> Option<Reading> {
        let frame = Frame::new(self, of, of, damage_type, 0.0);
        self.formula(formula).tree.read(self, memory, &frame, &[]).ok()
    }

    /// A formula that reads only its caster, evaluated at the start of a fight; draws are at their midpoint.
    pub(crate) fn own_value(&self, formula: FormulaId, memory: &Memory, of: CombatantId) -> Option<f64> {
        let mut memory = memory.clone();
        let frame = Frame::new(self, of, of, 0, 0.0).in_form(self.whole_form());
        self.number(formula, &mut memory, &frame, &mut NoChance, &mut Draws::default()).ok()
    }
}
