//! Levels, points and gauntlets: progress beyond one fight.

use super::Program;
use super::eval::{Draws, Frame, NoChance};
use super::fault::Fault;
use super::ids::{CharacterId, CombatantId, EncounterId, FormulaId, PoolId, SideId, StatusId};
use super::layout::Layout;
use super::memory::Memory;
use super::names::look_up;
use super::resolve::Compiler;
use super::scope::Scope;
use crate::rules::{CharacterRule, GauntletRule, Named, Ruleset, Word};
use crate::text::{Code, Diagnostic};

/// The rules for experience and levels.
#[derive(Clone, Copy, Debug, Default)]
#[non_exhaustive]
pub struct LevelsPlan {
    /// The experience from one level to the next.
    pub needs: Option<FormulaId>,
    /// The highest level.
    pub most: Option<u32>,
    /// The total number of points to spend at a level.
    pub points: Option<FormulaId>,
    /// Levels rise during a fight.
    pub in_fight: bool,
}

/// Encounters fought in a row by the same combatants.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct GauntletPlan {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// The side that continues from one to the next.
    pub side: String,
    /// The encounters, and the index of that side in each.
    pub stages: Vec<(EncounterId, SideId)>,
    /// Pools that keep their amounts.
    pub keeps: Vec<PoolId>,
    /// What these pools gain between encounters.
    pub rests: Vec<(PoolId, FormulaId)>,
    /// Limited uses and charges stay used.
    pub keeps_uses: bool,
    /// Defeated combatants return in the next encounter.
    pub defeated_return: bool,
}

/// The maximum number of points that a combatant can spend.
pub(crate) const MOST_POINTS: f64 = 1e6;

impl Program {
    /// Every gauntlet.
    pub fn gauntlets(&self) -> &[GauntletPlan] {
        &self.gauntlets
    }

    /// Finds a gauntlet by name.
    pub fn find_gauntlet(&self, name: &str) -> Option<&GauntletPlan> {
        self.gauntlets.iter().find(|gauntlet| gauntlet.name == name)
    }

    /// The number of points to spend at a combatant's level in this memory.
    pub(crate) fn points_of(&self, memory: &mut Memory, who: CombatantId) -> Result<u32, Box<Fault>> {
        let Some(points) = self.levels.points else { return Ok(0) };
        let frame = Frame::new(self, who, who, 0, 0.0);
        let points = self.number(points, memory, &frame, &mut NoChance, &mut Draws::default())?;
        Ok(points.clamp(0.0, MOST_POINTS) as u32)
    }

    /// The level that results from an amount of experience, and the rest toward the next one.
    pub(crate) fn level_after(
        &self,
        memory: &mut Memory,
        who: CombatantId,
        level: f64,
        mut experience: f64,
    ) -> Result<(f64, f64), Box<Fault>> {
        let Some(needs) = self.levels.needs else { return Ok((level, experience)) };
        let (mut level, most) = (level, self.levels.most.map_or(10_000.0, f64::from));
        let place = self.place(who, Layout::LEVEL);
        let was = memory.at(place);
        let reached = loop {
            if level >= most {
                break Ok(());
            }
            memory.set(place, level);
            let frame = Frame::new(self, who, who, 0, 0.0);
            match self.number(needs, memory, &frame, &mut NoChance, &mut Draws::default()) {
                Err(fault) => break Err(fault),
                Ok(needed) if needed <= 0.0 || experience < needed => break Ok(()),
                Ok(needed) => (level, experience) = (level + 1.0, experience - needed),
            }
        };
        memory.set(place, was);
        reached.map(|()| (level, experience))
    }
}

impl Compiler<'_> {
    pub(crate) fn levels(&mut self, rules: &Ruleset) {
        let Some(rule) = &rules.levels else { return };
        let needs = self.optional(&rule.needs, Scope::LEVELS);
        let points = self.optional(&rule.points, Scope::LEVELS);
        self.program.levels = LevelsPlan { needs, most: rule.most, points, in_fight: rule.in_fight };
    }

    /// What a character spends its points on, in order.
    pub(crate) fn spends(&mut self, own: &CharacterRule, lineage: &[&CharacterRule], rules: &Ruleset) -> Vec<StatusId> {
        let known = || rules.points.iter().map(|point| point.name.as_str());
        for word in own.spends.iter().flatten().filter(|word| !known().any(|name| name == word.text)) {
            let message = format!("no point is called `{}`", word.text);
            self.out.push(Diagnostic::at(Code::UnknownName, word.span, message).nearest(&word.text, known()));
        }
        if let Some(word) = own.spends.iter().flatten().next()
            && rules.levels.as_ref().is_none_or(|levels| levels.points.is_none())
        {
            let message = "nobody has points to spend in this ruleset";
            let help = "add a section such as\n[levels]\npoints = \"level - 1\"";
            self.out.push(Diagnostic::at(Code::NotHere, word.span, message).help(help));
        }
        let words = lineage.iter().find_map(|rule| rule.spends.as_deref()).unwrap_or_default();
        words.iter().filter_map(|word| self.names.statuses.get(&word.text)).collect()
    }

    pub(crate) fn gauntlets(&mut self, rules: &Ruleset) {
        for named in &rules.gauntlets {
            if let Some(plan) = self.gauntlet(named, rules) {
                self.program.gauntlets.push(plan);
            }
        }
    }

    fn gauntlet(&mut self, named: &Named<GauntletRule>, rules: &Ruleset) -> Option<GauntletPlan> {
        let rule = &named.rule;
        let pool = |compiler: &mut Self, word: &Word| {
            look_up(&compiler.names.pools, &word.text, word.span, "pool", compiler.out)
        };
        let keeps = rule.keeps.iter().filter_map(|word| pool(self, word)).collect::<Vec<_>>();
        let mut rests = Vec::new();
        for (word, amount) in &rule.rests {
            let amount = self.number(amount, Scope::REST);
            rests.extend(pool(self, word).zip(amount));
        }
        let fall_at_once = |keeps: &PoolId| {
            self.program.pools.get(keeps.index()).is_some_and(|pool| pool.defeat)
                && !rests.iter().any(|(pool, _)| pool == keeps)
        };
        if rule.defeated_return
            && let Some(kept) = keeps.iter().position(fall_at_once)
        {
            let word = &rule.keeps[kept];
            let message = format!("a returning combatant would be defeated at once: its `{}` is empty", word.text);
            let help = format!(
                "add a gain between encounters: rests = {{ {} = \"0.5 * self.{}.max\" }}",
                word.text, word.text
            );
            self.out.push(Diagnostic::at(Code::KeyConflict, word.span, message).help(help));
        }
        let side = rule.side.as_ref()?;
        let stages = rule.encounters.iter().filter_map(|word| self.stage(word, side, rules)).collect::<Vec<_>>();
        self.same_members(rule, &stages);
        Some(GauntletPlan {
            name: named.name.clone(),
            about: rule.about.clone(),
            side: side.text.clone(),
            stages,
            keeps,
            rests,
            keeps_uses: rule.keeps_uses,
            defeated_return: rule.defeated_return,
        })
    }

    fn stage(&mut self, word: &Word, side: &Word, rules: &Ruleset) -> Option<(EncounterId, SideId)> {
        let known = || rules.encounters.iter().map(|encounter| encounter.name.as_str());
        let Some(index) = known().position(|name| name == word.text) else {
            let message = format!("no encounter is called `{}`", word.text);
            self.out.push(Diagnostic::at(Code::UnknownName, word.span, message).nearest(&word.text, known()));
            return None;
        };
        let sides = &self.program.encounters.get(index)?.sides;
        let Some(found) = sides.iter().position(|(name, _)| *name == side.text) else {
            let message = format!("the encounter `{}` has no side `{}`", word.text, side.text);
            let names = sides.iter().map(|(name, _)| name.as_str());
            self.out.push(Diagnostic::at(Code::UnknownName, word.span, message).nearest(&side.text, names));
            return None;
        };
        Some((EncounterId(index as u16), SideId(found as u16)))
    }

    /// The side must have the same combatants in every encounter.
    fn same_members(&mut self, rule: &GauntletRule, stages: &[(EncounterId, SideId)]) {
        let members = |(encounter, side): &(EncounterId, SideId)| -> &[CharacterId] {
            &self.program.encounters[encounter.index()].sides[side.index()].1
        };
        let Some(first) = stages.first().filter(|_| stages.len() == rule.encounters.len()) else { return };
        let other = stages.iter().zip(&rule.encounters).find(|(stage, _)| members(stage) != members(first));
        let Some((stage, word)) = other else { return };
        let names = |stage| {
            let names = members(stage).iter().map(|id| self.program.characters[id.index()].name.as_str());
            names.collect::<Vec<_>>().join(", ")
        };
        let message =
            format!("the members of the side in `{}` differ from those in `{}`", word.text, rule.encounters[0].text);
        let help = format!("{} there, {} here; they must be equal and in the same order", names(first), names(stage));
        self.out.push(Diagnostic::at(Code::KeyConflict, word.span, message).help(help));
    }
}
