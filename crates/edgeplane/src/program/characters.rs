//! Characters and policies.

use super::Program;
use super::abilities::PickPlan;
use super::attributes::AttributePlan;
use super::functions::find_circle;
use super::gear::{ChancyPiece, Worn, WornPlan, WornStatus};
use super::ids::{AbilityId, CharacterId, FormulaId, GearId, SiteId, StatusId, ZoneId};
use super::names::look_up;
use super::resolve::Compiler;
use super::scope::Scope;
use super::time::Time;
use super::tree::{Read, Role};
use crate::rules::{CharacterRule, Moves, Named, PolicyRule, Ruleset, Selector, Untargetable, Word, ZoneRule};
use crate::text::{Code, Diagnostic, Span};

/// A character of the ruleset.
#[derive(Clone, Debug)]
pub struct CharacterPlan {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// It can only be extended.
    pub template: bool,
    /// The level.
    pub level: f64,
    /// How its attributes are computed, in order.
    pub attributes: Vec<AttributePlan>,
    /// Whether it has a pool, by the pool's number.
    pub pools: Vec<bool>,
    /// Its abilities.
    pub abilities: Vec<AbilityId>,
    /// Its initial statuses.
    pub statuses: Vec<StatusId>,
    /// Its gear.
    pub gear: Vec<WornPlan>,
    /// The statuses of its gear.
    pub worn: Vec<WornStatus>,
    /// The sides whose abilities cannot target it.
    pub untargetable: Untargetable,
    /// The radius of its body in metres.
    pub body: f64,
    /// The pieces that it always wears at the start of a fight.
    pub(crate) pieces: Vec<GearId>,
    /// The pieces that it wears with a chance.
    pub(crate) chancy: Vec<ChancyPiece>,
    /// The number of its abilities, at the end of the list, that it has only when they are given to it.
    pub(crate) can_learn: usize,
    /// The number of those that only a status or a piece can grant.
    pub(crate) brought: usize,
    /// Tags of statuses to which it is immune, by number.
    pub immune: Vec<u16>,
    /// Experience given to each standing enemy when it is defeated.
    pub reward: Option<FormulaId>,
    /// What it spends its points on, repeated in this order.
    pub spends: Vec<StatusId>,
    /// Its policy.
    pub policy: PolicyPlan,
    /// Its initial numbers.
    pub(crate) block: Vec<f64>,
    /// The hidden attributes computed for it, and their inputs; see [`super::dirty`].
    pub(crate) hidden: Vec<u32>,
    pub(crate) hidden_reads: u64,
}

/// A priority list.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct PolicyPlan {
    /// Its name; empty for a character without one.
    pub name: String,
    /// The delay after which an idle combatant reacts to a line that opens.
    pub reaction: Time,
    /// Its lines, in order of priority.
    pub uses: Vec<UsePlan>,
    /// The score of a candidate, for abilities that leave targets to the policy.
    pub target: Option<FormulaId>,
    /// How it moves while it cannot act.
    pub moves: Moves,
    /// Zones that it leaves and does not enter.
    pub avoid: Vec<ZoneId>,
}

/// One line of a priority list.
#[derive(Clone, Copy, Debug)]
pub struct UsePlan {
    /// The ability.
    pub ability: AbilityId,
    /// The condition; the line is skipped if it is false.
    pub when: Option<FormulaId>,
    /// The weight with which chance chooses it; 1 if not given.
    pub weight: Option<FormulaId>,
    /// The group among whose lines chance chooses; without a group, lines are tried in order.
    pub draws: Option<SiteId>,
    /// One of several lines selected by a tag, with the line of the policy that names the tag: it is skipped if the
    /// combatant lacks the ability.
    pub(crate) of_tag: Option<u32>,
    /// The condition reads the target, so a target has to be picked first.
    pub(crate) aims: bool,
    /// The position of the ability among those of the character.
    pub(crate) place: u16,
}

impl UsePlan {
    /// A line without a condition.
    pub(crate) fn always(ability: AbilityId, place: usize) -> Self {
        Self { ability, when: None, weight: None, draws: None, of_tag: None, aims: false, place: place as u16 }
    }
}

/// The default reaction time of a policy: none.
const REACTION: Time = Time::ZERO;

impl Compiler<'_> {
    pub(crate) fn policies(&mut self, rules: &Ruleset) {
        for Named { name, rule, .. } in &rules.policies {
            let plan = self.policy(name, rule, rules);
            self.program.policies.push(plan);
        }
    }

    fn policy(&mut self, name: &str, rule: &PolicyRule, rules: &Ruleset) -> PolicyPlan {
        let mut uses = Vec::new();
        let groups: Vec<_> = rule
            .groups
            .iter()
            .map(|group| (group.first..group.first + group.count, self.site(&format!("policy.{name}.choose"))))
            .collect();
        for (index, line) in rule.uses.iter().enumerate() {
            let abilities = self.abilities_selected(&line.ability, rules);
            let draws = groups.iter().find(|(lines, _)| lines.contains(&index)).map(|(_, site)| *site);
            let when = line.when.as_ref().map(|when| self.truth(when, Scope::POLICY));
            let weight = self.optional(&line.weight, Scope::POLICY);
            if let (Some(abilities), None | Some(Some(_))) = (abilities, &when) {
                let when = when.flatten();
                let aims = when.is_some_and(|when| self.aims(when));
                let of_tag = matches!(line.ability, Selector::Tag(_)).then_some(index as u32);
                let one = |ability| UsePlan { ability, when, weight, draws, of_tag, aims, place: 0 };
                uses.extend(abilities.into_iter().map(one));
            }
        }
        let reaction = rule.reaction.map_or(REACTION, Time::from_seconds);
        let target = self.optional(&rule.target, Scope::PREFERENCE);
        let avoid = rule.avoid.iter().flat_map(|word| self.zones_selected(word, rules)).collect();
        PolicyPlan { name: name.to_owned(), reaction, uses, target, moves: rule.moves, avoid }
    }

    /// The zones with a name, or with a tag.
    fn zones_selected(&mut self, word: &Word, rules: &Ruleset) -> Vec<ZoneId> {
        if let Some(zone) = self.names.zones.get(&word.text) {
            return vec![zone];
        }
        let tagged = |one: &Named<ZoneRule>| one.rule.tags.iter().any(|tag| tag.text == word.text);
        let found: Vec<ZoneId> =
            (0..).map(ZoneId).zip(&rules.zones).filter(|(_, one)| tagged(one)).map(|(id, _)| id).collect();
        if found.is_empty() {
            let message = format!("no zone is called `{0}`, and none has the tag `{0}`", word.text);
            let tags = rules.zones.iter().flat_map(|one| &one.rule.tags).map(|tag| tag.text.as_str());
            let known = rules.zones.iter().map(|one| one.name.as_str()).chain(tags);
            self.out.push(Diagnostic::at(Code::UnknownName, word.span, message).nearest(&word.text, known));
        }
        found
    }

    fn aims(&self, when: FormulaId) -> bool {
        let mut aims = false;
        self.program.formula(when).each_read(|read| {
            aims |= matches!(
                read,
                Read::Attribute(Role::Target, _)
                    | Read::Typed(Role::Target, _)
                    | Read::Standing(Role::Target, _)
                    | Read::Pool(Role::Target, ..)
                    | Read::Distance
                    | Read::Angle
                    | Read::Threat
            );
        });
        aims
    }

    pub(crate) fn characters(&mut self, rules: &Ruleset) {
        let circles = self.find_extends_circles(rules);
        for (index, named) in rules.characters.iter().enumerate() {
            let lineage: Vec<&CharacterRule> =
                if circles.contains(&index) { vec![&named.rule] } else { self.lineage(named, rules) };
            let plan = self.character(named, &lineage, rules);
            self.program.characters.push(plan);
        }
    }

    /// The rule of a character, then those that it extends, nearest first.
    pub(super) fn lineage<'r>(
        &mut self,
        named: &'r Named<CharacterRule>,
        rules: &'r Ruleset,
    ) -> Vec<&'r CharacterRule> {
        let mut lineage = vec![&named.rule];
        let mut next = named.rule.extends.as_ref();
        while let Some(parent) = next.and_then(|word| self.names.characters.get(&word.text)) {
            if lineage.len() > rules.characters.len() {
                break;
            }
            let rule = &rules.characters[parent.index()].rule;
            lineage.push(rule);
            next = rule.extends.as_ref();
        }
        lineage
    }

    fn find_extends_circles(&mut self, rules: &Ruleset) -> Vec<usize> {
        let parent = |named: &Named<CharacterRule>| -> Vec<usize> {
            let Some(word) = &named.rule.extends else { return Vec::new() };
            look_up(&self.names.characters, &word.text, word.span, "character", self.out)
                .map(|id| id.index())
                .into_iter()
                .collect()
        };
        let parents: Vec<Vec<usize>> = rules.characters.iter().map(parent).collect();
        let circle = find_circle(&parents).unwrap_or_default();
        if let Some(first) = circle.first() {
            let names: Vec<String> =
                circle.iter().chain([first]).map(|i| format!("`{}`", rules.characters[*i].name)).collect();
            let span =
                rules.characters[*first].rule.extends.as_ref().map_or(rules.characters[*first].span, |word| word.span);
            let message = format!("characters extend each other in a circle: {}", names.join(" → "));
            self.out.push(Diagnostic::at(Code::ExtendsCycle, span, message));
        }
        circle
    }

    fn character(
        &mut self,
        named: &Named<CharacterRule>,
        lineage: &[&CharacterRule],
        rules: &Ruleset,
    ) -> CharacterPlan {
        // Names are resolved where they are written, so an error is not repeated for each child.
        let own = &named.rule;
        for word in own.abilities.iter().flatten() {
            look_up(&self.names.abilities, &word.text, word.span, "ability", self.out);
        }
        for word in own.pools.iter().flatten() {
            look_up(&self.names.pools, &word.text, word.span, "pool", self.out);
        }
        for word in own.statuses.iter().flatten() {
            look_up(&self.names.statuses, &word.text, word.span, "status", self.out);
        }
        for word in own.immune.iter().flatten() {
            self.status_tag(word);
        }
        if let Some(word) = &own.policy {
            look_up(&self.names.policies, &word.text, word.span, "policy", self.out);
        }
        let level = lineage.iter().find_map(|rule| rule.level);
        let abilities = lineage.iter().find_map(|rule| rule.abilities.as_deref()).unwrap_or_default();
        let statuses = lineage.iter().find_map(|rule| rule.statuses.as_deref()).unwrap_or_default();
        let immune = lineage.iter().find_map(|rule| rule.immune.as_deref()).unwrap_or_default();
        let statuses = statuses.iter().filter_map(|word| self.names.statuses.get(&word.text)).collect::<Vec<_>>();
        let Worn { plans: gear, pieces, chancy, statuses: worn } = self.worn(&named.name, own, lineage, rules);
        let (can_learn, brought) = self.can_learn(own, lineage, rules);
        let spends = self.spends(own, lineage, rules);
        let reward = lineage.iter().find_map(|rule| rule.reward.as_ref());
        let reward = reward.and_then(|reward| self.number(reward, Scope::REWARD));
        let mut plan = CharacterPlan {
            gear,
            pieces,
            chancy,
            can_learn: can_learn.len(),
            brought,
            reward,
            spends,
            name: named.name.clone(),
            about: own.about.clone(),
            template: own.template,
            level: level.unwrap_or(1.0),
            attributes: self.character_attributes(lineage).unwrap_or_default(),
            pools: self.character_pools(lineage),
            abilities: abilities
                .iter()
                .filter_map(|word| self.names.abilities.get(&word.text))
                .chain(can_learn)
                .collect(),
            statuses,
            worn,
            body: lineage.iter().find_map(|rule| rule.body).unwrap_or(0.0),
            untargetable: lineage.iter().find_map(|rule| rule.untargetable).unwrap_or_default(),
            immune: immune.iter().filter_map(|word| self.names.tags.get(&word.text)).collect(),
            policy: PolicyPlan::default(),
            block: Vec::new(),
            hidden: Vec::new(),
            hidden_reads: 0,
        };
        plan.policy = self.character_policy(&plan, lineage);
        self.check_costs(&plan, named.span);
        self.check_preference(&plan, lineage.iter().find_map(|rule| rule.policy.as_ref()), named.span);
        plan
    }

    /// The abilities that a character has only when they are given to it. Among its initial abilities, no two have the
    /// same slot. The second value is the number of abilities that only statuses and pieces grant.
    fn can_learn(
        &mut self,
        own: &CharacterRule,
        lineage: &[&CharacterRule],
        rules: &Ruleset,
    ) -> (Vec<AbilityId>, usize) {
        for word in own.can_learn.iter().flatten() {
            look_up(&self.names.abilities, &word.text, word.span, "ability", self.out);
            if let Some(other) = own.abilities.iter().flatten().find(|other| other.text == word.text) {
                let message = format!("`{}` is in `can_learn` and in `abilities`", word.text);
                self.out.push(Diagnostic::at(Code::KeyConflict, word.span, message).label(other.span, "had here"));
            }
        }
        let words: Vec<&Word> = own.abilities.iter().flatten().collect();
        let slot = |word: &Word| {
            let named = rules.abilities.iter().find(|named| named.name == word.text)?;
            named.rule.slot.as_ref().map(|slot| slot.text.clone())
        };
        for (index, word) in words.iter().enumerate() {
            let Some(taken) = slot(word) else { continue };
            let earlier = words[..index].iter().find(|other| slot(other).as_ref() == Some(&taken));
            if let Some(other) = earlier {
                let message = format!("`{}` and `{}` are both in the slot `{taken}`", other.text, word.text);
                let help = "move one of them to `can_learn`, and give it when it is needed";
                let diagnostic = Diagnostic::at(Code::KeyConflict, word.span, message).help(help);
                self.out.push(diagnostic.label(other.span, "in that slot already"));
            }
        }
        let had = lineage.iter().find_map(|rule| rule.abilities.as_deref()).unwrap_or_default();
        let can_learn = lineage.iter().find_map(|rule| rule.can_learn.as_deref()).unwrap_or_default();
        let apart = can_learn.iter().filter(|word| had.iter().all(|other| other.text != word.text));
        // Any combatant can have abilities granted by a status or a piece for a while.
        let mut learns: Vec<AbilityId> = apart.filter_map(|word| self.names.abilities.get(&word.text)).collect();
        let given = learns.len();
        for word in rules.statuses.iter().flat_map(|status| &status.rule.abilities) {
            let Some(brought) = self.names.abilities.get(&word.text) else { continue };
            if !learns.contains(&brought) && had.iter().all(|other| other.text != word.text) {
                learns.push(brought);
            }
        }
        let brought = learns.len() - given;
        (learns, brought)
    }

    fn character_pools(&self, lineage: &[&CharacterRule]) -> Vec<bool> {
        let listed = lineage.iter().find_map(|rule| rule.pools.as_ref());
        let has = |name: &String| listed.is_none_or(|words| words.iter().any(|word| word.text == *name));
        self.program.pools.iter().map(|pool| has(&pool.name)).collect()
    }

    fn character_policy(&mut self, plan: &CharacterPlan, lineage: &[&CharacterRule]) -> PolicyPlan {
        let word: Option<&Word> = lineage.iter().find_map(|rule| rule.policy.as_ref());
        let Some((word, id)) = word.and_then(|word| Some((word, self.names.policies.get(&word.text)?))) else {
            let uses: Vec<UsePlan> =
                plan.abilities.iter().enumerate().map(|(place, ability)| UsePlan::always(*ability, place)).collect();
            return PolicyPlan {
                name: String::new(),
                reaction: REACTION,
                uses,
                target: None,
                moves: Moves::Approach,
                avoid: Vec::new(),
            };
        };
        let mut policy = self.program.policies[id.index()].clone();
        // The lines of a tag are in the order in which the character lists its abilities.
        let place_of = |line: &UsePlan| plan.abilities.iter().position(|ability| *ability == line.ability);
        policy.uses.retain(|line| line.of_tag.is_none() || place_of(line).is_some());
        for same in policy.uses.chunk_by_mut(|a, b| a.of_tag == b.of_tag) {
            if same[0].of_tag.is_some() {
                same.sort_by_key(place_of);
            }
        }
        for line in &mut policy.uses {
            let place = place_of(line);
            line.place = place.unwrap_or(0) as u16;
            if !plan.template && place.is_none() {
                let ability =
                    self.program.abilities.get(line.ability.index()).map_or("", |ability| ability.name.as_str());
                let message = format!(
                    "`{}` has the policy `{}`, which uses `{ability}`, but does not have that ability",
                    plan.name, policy.name
                );
                let help = format!("add `{ability}` to its abilities, or give it another policy");
                self.out.push(Diagnostic::at(Code::UnknownName, word.span, message).help(help));
            }
        }
        policy
    }

    /// An ability that leaves its targets to the policy requires a policy with a score.
    fn check_preference(&mut self, plan: &CharacterPlan, policy: Option<&Word>, span: Span) {
        if plan.policy.target.is_some() || plan.template {
            return;
        }
        let leaves = |ability: &&AbilityId| {
            self.program.abilities.get(ability.index()).is_some_and(|plan| matches!(plan.pick, PickPlan::Policy))
        };
        let Some(ability) = plan.abilities.iter().find(leaves) else { return };
        let ability = &self.program.abilities[ability.index()].name;
        let lacks = match policy {
            Some(word) => format!("`policy.{}` has no `target`", word.text),
            None => "it has none".to_owned(),
        };
        let message = format!("`character.{}` leaves the targets of `{ability}` to its policy, and {lacks}", plan.name);
        let help = "add a score to the policy, such as `target = \"1 - target.health.share\"`";
        let span = policy.map_or(span, |word| word.span);
        self.out.push(Diagnostic::at(Code::MissingKey, span, message).help(help));
    }

    fn check_costs(&mut self, plan: &CharacterPlan, span: Span) {
        // A combatant without a pool cannot afford abilities that are given to it; that is not an error of the rules.
        let own = &plan.abilities[..plan.abilities.len() - plan.brought];
        for ability in own.iter().filter_map(|id| self.program.abilities.get(id.index())) {
            let sustained = ability.sustain.iter().flat_map(|sustain| &sustain.cost);
            for (pool, _) in ability.cost.iter().chain(sustained).filter(|(pool, _)| !plan.pools[pool.index()]) {
                let pool = &self.program.pools[pool.index()].name;
                let message = format!(
                    "`{}` has the ability `{}`, which costs `{pool}`, but lacks that pool",
                    plan.name, ability.name
                );
                let help = format!("add `{pool}` to its pools");
                self.out.push(Diagnostic::at(Code::MissingPool, span, message).help(help));
            }
        }
    }
}

impl Program {
    /// Lets a character use only one of its abilities, given by its index among them.
    pub(crate) fn force(&mut self, character: CharacterId, place: usize) {
        let uses = vec![UsePlan::always(self.characters[character.index()].abilities[place], place)];
        let PolicyPlan { moves, target, avoid, .. } = std::mem::take(&mut self.characters[character.index()].policy);
        let policy = PolicyPlan { name: String::new(), reaction: REACTION, uses, target, moves, avoid };
        self.characters[character.index()].policy = policy;
    }
}
