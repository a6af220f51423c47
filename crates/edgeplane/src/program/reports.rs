//! Reports of effects to the game, by name.

use super::ids::ReportId;
use super::resolve::Compiler;
use crate::rules::Word;

impl Compiler<'_> {
    /// A report is declared by being named.
    pub(super) fn report_named(&mut self, name: &Word) -> ReportId {
        let reports = &mut self.program.reports;
        let place = reports.iter().position(|report| *report == name.text).unwrap_or_else(|| {
            reports.push(name.text.clone());
            reports.len() - 1
        });
        ReportId(place as u16)
    }
}
