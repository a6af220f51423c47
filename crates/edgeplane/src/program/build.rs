//! Ruleset → program.

use super::Program;
use super::hoist::Readers;
use super::ids::CharacterId;
use super::layout::{Layout, pool_slot};
use super::names::Names;
use super::ops::Curve;
use super::resolve::Compiler;
use crate::rules::{AbilityRule, EffectKind, Named, Receiver, Ruleset, SideRule};
use crate::text::{Code, Diagnostic, Diagnostics, Document, Override, Sources};

/// The maximum number of pools: policies use one bit for each.
const MAX_POOLS: usize = 64;
/// The maximum number of attribute slots; a per-type attribute uses one for each type.
const MAX_ATTRIBUTE_SLOTS: usize = 20_000;

impl Program {
    /// Reads and compiles a ruleset, with some values replaced.
    ///
    /// # Errors
    /// Returns every independent error in the order of the files, together with the sources to which they refer.
    pub fn load(sources: Sources, overrides: &[Override]) -> Result<Self, (Sources, Vec<Diagnostic>)> {
        let mut out = Diagnostics::default();
        let document = Document::read(&sources, &mut out);
        Self::of_document(document, sources, overrides, out)
    }

    /// The same for a document that has already been read from the sources, with the errors reported then.
    pub(crate) fn of_document(
        mut document: Document,
        mut sources: Sources,
        overrides: &[Override],
        mut out: Diagnostics,
    ) -> Result<Self, (Sources, Vec<Diagnostic>)> {
        for set in overrides {
            set.apply(&mut document, &mut sources, &mut out);
        }
        let rules = Ruleset::read(&document, &mut out);
        let program = Self::compile(&rules, &mut out);
        if out.any_error() {
            return Err((sources, out.finish()));
        }
        super::lints::lint(&rules, &program, &mut out);
        super::nowhere_near::nowhere_near(&rules, &program, &mut out);
        super::nowhere_near::keeps_too_far(&rules, &program, &mut out);
        super::never_used::never_used(&rules, &program, &mut out);
        super::idle::idle(&rules, &program, &mut out);
        Ok(Self { sources, warnings: out.finish(), ..program })
    }

    /// Compiles rules. The program is complete only if nothing was reported.
    pub fn compile(rules: &Ruleset, out: &mut Diagnostics) -> Self {
        if !within_limits(rules, out) {
            return Self::default();
        }
        let names = Names::of(rules, out);
        let mut program = Self { name: rules.name.clone(), rounding: rules.rounding, ..Self::default() };
        program.data.clone_from(&rules.data);
        program.layout = first_layout(&names, rules);
        let curve = |Named { name, rule, .. }: &Named<crate::rules::CurveRule>| {
            let crate::rules::CurveRule { points, step, about } = rule.clone();
            Curve { name: name.clone(), about, points, step }
        };
        program.stack_slots = vec![None; rules.statuses.len()];
        program.tag_slots = vec![None; names.tags.len()];
        program.functions.clone_from(&rules.functions);
        program.forbidden.clone_from(&names.forbidden);
        program.game_functions = super::game_functions::of_game(&rules.functions);
        program.curves = rules.curves.iter().map(curve).collect();
        let mut compiler = Compiler {
            program,
            names: &names,
            functions: &rules.functions,
            broken: vec![false; rules.functions.len()],
            out,
            site_names: Vec::new(),
            kept: Vec::new(),
            given: Vec::new(),
            threat: rules.threat.is_some(),
            readers: Readers::All,
            whole_shapes: Vec::new(),
        };
        let others = |ability: &Named<AbilityRule>| ability.rule.targets.side == SideRule::Others;
        compiler.program.means_others =
            rules.abilities.iter().any(others) || rules.effects().any(|effect| effect.to == Some(Receiver::Others));
        compiler.program.revives = rules.effects().any(|effect| matches!(effect.kind, EffectKind::Revive(_)));
        compiler.all(rules);
        let mut program = Self { site_names: compiler.site_names, ..compiler.program };
        program.shapes.extend(compiler.whole_shapes);
        program.layout.blocks = u32::from(program.layout.locals) + program.constants.len() as u32;
        if program.constants.len() > usize::from(u16::MAX) {
            out.push(Diagnostic::new(Code::TooMany, "a ruleset may contain at most 65535 different numbers"));
        }
        program.with_counted().with_modifiers().with_hidden().with_blocks(out)
    }

    /// Computes the initial numbers of each character; only possible for a program without errors.
    fn with_blocks(mut self, out: &mut Diagnostics) -> Self {
        if out.any_error() {
            return self;
        }
        for index in 0..self.characters.len() {
            match self.entry_block(&self.characters[index]) {
                Ok(block) => self.characters[index].block = block,
                Err(fault) if !self.characters[index].template => {
                    let diagnostic = fault.diagnostic(&self, Code::FormulaFault);
                    let name = &self.characters[CharacterId(index as u16).index()].name;
                    out.push(Diagnostic { message: format!("{} for `{name}`", diagnostic.message), ..diagnostic });
                }
                // A template may be completed by the characters that extend it.
                Err(_) => {}
            }
        }
        self
    }
}

impl Compiler<'_> {
    fn all(&mut self, rules: &Ruleset) {
        // The first random stream of a combatant is the tie-break that determines the order within a moment.
        self.site("tie-break");
        self.check_functions();
        self.attributes(rules);
        self.pools(rules);
        self.damage_types(rules);
        self.steps(rules);
        self.statuses(rules);
        self.abilities(rules);
        self.gear(rules);
        self.zones(rules);
        self.causes(rules);
        self.threat(rules);
        self.levels(rules);
        self.policies(rules);
        self.characters(rules);
        self.encounters(rules);
        self.gauntlets(rules);
        self.expectations(rules);
        self.check_watches(rules);
    }
}

fn first_layout(names: &Names, rules: &Ruleset) -> Layout {
    let pools = Layout::ATTRIBUTES.0 + names.attribute_slots();
    // Slots for values that exist only because formulas read them follow.
    let stride = pools + rules.pools.len() as u16 * pool_slot::WIDTH;
    let locals = Layout::MARKS + names.marks.len() as u16;
    let types = names.damage_types.len() as u16;
    Layout { types, pools, stride, locals, blocks: 0 }
}

fn within_limits(rules: &Ruleset, out: &mut Diagnostics) -> bool {
    let types = rules.damage_types.len().max(1);
    let slots: usize = rules.attributes.iter().map(|attribute| if attribute.rule.per_type { types } else { 1 }).sum();
    let limits = [
        (rules.pools.len(), MAX_POOLS, "pools"),
        (slots, MAX_ATTRIBUTE_SLOTS, "numbers in attributes"),
        (types, 1_000, "damage types"),
        (rules.statuses.len(), 10_000, "statuses"),
        (rules.statuses.iter().map(|status| status.rule.tags.len()).sum(), 10_000, "tags of statuses"),
        (rules.abilities.len(), 10_000, "abilities"),
        (rules.zones.len(), 10_000, "zones"),
        (rules.causes.len(), 10_000, "causes"),
        (rules.characters.len(), 10_000, "characters"),
        (rules.policies.len(), 10_000, "policies"),
        (rules.encounters.len(), 10_000, "encounters"),
        (rules.curves.len(), 10_000, "curves"),
        (
            rules.all_hit_steps().chain(&rules.heal_steps).filter(|step| step.rule.mark.is_some()).count(),
            64,
            "steps that mark",
        ),
        (rules.all_hit_steps().count() + rules.heal_steps.len(), 1_000, "hit and heal steps"),
    ];
    for (found, most, what) in limits.iter().filter(|(found, most, _)| found > most) {
        out.push(Diagnostic::new(
            Code::TooMany,
            format!("the ruleset has {found} {what}; at most {most} are possible"),
        ));
    }
    limits.iter().all(|(found, most, _)| found <= most)
}
