//! The script of an encounter: reinforcements, abilities at given times, and goals.

use super::ids::{AbilityId, CharacterId, CombatantId, SideId};
use super::names::look_up;
use super::resolve::Compiler;
use super::time::Time;
use crate::rules::{EncounterRule, Joins, MomentRule, Word};
use crate::text::{Code, Diagnostic};

/// The script of an encounter.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct ScriptPlan {
    /// When each combatant joins; at the start without an entry.
    pub joins: Vec<JoinPlan>,
    /// The vital combatants: if one is defeated, its side loses.
    pub vital: Vec<CombatantId>,
    /// The entries in the order in which they happen within one moment.
    pub moments: Vec<MomentPlan>,
    /// The side that wins at the time limit.
    pub at_limit: Option<SideId>,
}

/// When a combatant joins.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum JoinPlan {
    /// At the start.
    AtStart,
    /// At a given time.
    At(Time),
    /// When it is called.
    Called,
    /// When the game spawns it.
    Spawned,
}

/// A scripted event.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct MomentPlan {
    /// Its first time.
    pub at: Time,
    /// The interval of repetitions; usually never.
    pub every: Time,
    /// The maximum number of times.
    pub times: u32,
    /// The event.
    pub does: MomentEffect,
    /// The combatants that cause it: all of these, whenever they have joined.
    pub(crate) by: Everybody,
}

/// All members of a side, all combatants of a character, or both if one name means both.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Everybody {
    side: Option<SideId>,
    pub(crate) character: Option<CharacterId>,
}

impl MomentPlan {
    /// A combatant has been added that may be one of those that cause it.
    pub(crate) fn include(&mut self, who: CombatantId, side: SideId, character: CharacterId) {
        if let MomentEffect::Bring(_, everybody) = &mut self.does
            && (self.by.side == Some(side) || self.by.character == Some(character))
        {
            everybody.push(who);
        }
    }
}

/// The kind of a scripted event.
#[derive(Clone, Debug)]
pub enum MomentEffect {
    /// A combatant joins.
    Join(CombatantId),
    /// An ability takes effect, for each of these combatants.
    Bring(AbilityId, Vec<CombatantId>),
}

impl ScriptPlan {
    /// When a combatant joins.
    pub fn joins(&self, who: CombatantId) -> JoinPlan {
        self.joins.get(who.index()).copied().unwrap_or(JoinPlan::AtStart)
    }
}

type Sides = [(String, Vec<CharacterId>)];

fn members(sides: &Sides) -> impl Iterator<Item = (SideId, CharacterId)> + '_ {
    (0..).zip(sides).flat_map(|(side, (_, members))| members.iter().map(move |one| (SideId(side), *one)))
}

impl Compiler<'_> {
    pub(super) fn script(&mut self, rule: &EncounterRule, sides: &Sides) -> ScriptPlan {
        let mut script = ScriptPlan::default();
        // Members with an unknown character are absent; they have been reported.
        let known = |word: &Word| self.names.characters.contains(&word.text);
        let members = rule.sides.iter().flat_map(|side| &side.members).filter(|member| known(&member.character));
        for member in members.flat_map(|member| std::iter::repeat_n(member, member.count as usize)) {
            let who = CombatantId(script.joins.len() as u16);
            if member.vital {
                script.vital.push(who);
            }
            script.joins.push(match member.joins {
                Joins::AtStart => JoinPlan::AtStart,
                Joins::Called => JoinPlan::Called,
                Joins::After(seconds) => {
                    let (at, does) = (Time::from_seconds(seconds), MomentEffect::Join(who));
                    let by = Everybody::default();
                    script.moments.push(MomentPlan { at, every: Time::NEVER, times: 1, does, by });
                    JoinPlan::At(at)
                }
            });
        }
        script.moments.extend(rule.script.iter().filter_map(|moment| self.moment(moment, sides)));
        script.at_limit = rule.at_limit.as_ref().and_then(|word| self.side(word, sides));
        script
    }

    fn moment(&mut self, rule: &MomentRule, sides: &Sides) -> Option<MomentPlan> {
        let ability = look_up(&self.names.abilities, &rule.ability.text, rule.ability.span, "ability", self.out);
        let by = self.everybody_called(&rule.by, sides);
        let every = rule.every.map_or(Time::NEVER, Time::from_seconds);
        let times = if rule.every.is_some() { rule.times.unwrap_or(u32::MAX) } else { 1 };
        let (at, does) = (Time::from_seconds(rule.at), MomentEffect::Bring(ability?, Vec::new()));
        let mut moment = MomentPlan { at, every, times, does, by: by? };
        for (index, (side, character)) in (0..).zip(members(sides)) {
            moment.include(CombatantId(index), side, character);
        }
        Some(moment)
    }

    fn everybody_called(&mut self, word: &Word, sides: &Sides) -> Option<Everybody> {
        let side = sides.iter().position(|(side, _)| *side == word.text).map(|side| SideId(side as u16));
        let character = self.names.characters.get(&word.text);
        let by = Everybody { side, character };
        if members(sides).any(|(side, character)| by.side == Some(side) || by.character == Some(character)) {
            return Some(by);
        }
        let message = format!("this encounter has no combatant or side called `{}`", word.text);
        let names = members(sides).map(|(_, one)| self.program.characters[one.index()].name.as_str());
        let known = sides.iter().map(|(side, _)| side.as_str()).chain(names);
        self.out.push(Diagnostic::at(Code::UnknownName, word.span, message).nearest(&word.text, known));
        None
    }

    fn side(&mut self, word: &Word, sides: &Sides) -> Option<SideId> {
        let found = sides.iter().position(|(side, _)| *side == word.text);
        if found.is_none() {
            let message = format!("this encounter has no side called `{}`", word.text);
            let known = sides.iter().map(|(side, _)| side.as_str());
            self.out.push(Diagnostic::at(Code::UnknownName, word.span, message).nearest(&word.text, known));
        }
        found.map(|index| SideId(index as u16))
    }
}
