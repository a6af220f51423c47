//! Encounters, and the setup of fights.

use std::sync::Arc;

use super::Program;
use super::ids::{CharacterId, CombatantId, EncounterId, FormulaId, PoolId, SideId, Slot, StatusId};
use super::layout::{Layout, pool_slot};
use super::memory::Memory;
use super::names::look_up;
use super::resolve::{Compiler, stable_hash};
use super::scope::Scope;
use super::script::{JoinPlan, ScriptPlan};
use super::tables::{AbilityTable, CompiledPolicy, Derived, Listeners};
use super::threat::Threat;
use super::time::Time;
use crate::numbers::Extremes;
use crate::rules::{EncounterRule, Formula, MAX_COMBATANTS, MemberRule, Named, Ruleset, Word};
use crate::text::{Code, Diagnostic};

/// An encounter of the ruleset.
#[derive(Clone, Debug)]
pub struct EncounterPlan {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// The sides and their characters.
    pub sides: Vec<(String, Vec<CharacterId>)>,
    /// Their positions in metres, in the same order; empty without positions.
    pub places: Vec<[f64; 2]>,
    /// The time limit.
    pub time_limit: Time,
    /// Reinforcements, scripted abilities and goals.
    pub script: ScriptPlan,
    /// The initial state of each member, in the same order.
    pub(crate) begins: Vec<BeginPlan>,
}

/// Initial state in addition to that of the character.
#[derive(Clone, Debug, Default)]
pub(crate) struct BeginPlan {
    /// Additional statuses, for their own duration.
    pub(crate) statuses: Vec<StatusId>,
    /// Amounts of pools.
    pub(crate) pools: Vec<(PoolId, FormulaId)>,
}

/// A participant.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct CombatantPlan {
    /// Its label: the character's name, with a number and side where needed.
    pub label: String,
    /// The character.
    pub character: CharacterId,
    /// The side.
    pub side: SideId,
}

/// Everything that is fixed in a fight, computed once and shared by all its fights.
#[derive(Clone, Debug)]
pub struct Setup {
    pub(crate) program: Arc<Program>,
    /// The encounter's name.
    pub name: String,
    /// Names of the sides.
    pub sides: Vec<String>,
    /// The participants.
    pub combatants: Vec<CombatantPlan>,
    /// The time limit.
    pub time_limit: Time,
    pub(crate) memory: Memory,
    /// The hashed names of the random streams.
    pub(crate) streams: Arc<[u64]>,
    /// Their policies.
    pub(crate) policies: Vec<CompiledPolicy>,
    /// The combatants that depend on numbers of others.
    pub(crate) listeners: Listeners,
    /// All abilities of all combatants, with their initial times and costs.
    pub(crate) abilities: Vec<AbilityTable>,
    /// The number of those that have charges.
    pub(crate) charges: u32,
    pub(crate) derived: Vec<Derived>,
    /// The indices of abilities for which attributes change the times or cost.
    pub(crate) varied: Vec<u32>,
    /// For each combatant, the pools on which the engine depends, one bit each: those that defeat, and those that
    /// policies read.
    pub(crate) alert: Vec<u64>,
    /// For each combatant, its pools that defeat, one bit each. A combatant without such pools is scenery.
    pub(crate) defeating: Vec<u64>,
    /// The start of each combatant's range of targets for abilities with several targets; the last element is the end
    /// of the last range.
    pub(crate) aim_room: Vec<u32>,
    /// Some pool of the ruleset defeats.
    pub(crate) any_defeats: bool,
    /// A pool that defeats can become empty by its own flow.
    pub(crate) decays: bool,
    /// The combatants have positions.
    pub(crate) is_placed: bool,
    /// The attribute for walking speed.
    pub(crate) speed: Option<Slot>,
    /// A combatant enters with an empty pool that defeats.
    pub(crate) enters_empty: bool,
    /// Reinforcements, scripted abilities and goals.
    pub(crate) script: ScriptPlan,
    /// The initial state of each combatant; empty if all begin as their characters say.
    pub(crate) begins: Vec<BeginPlan>,
    /// The fight continues whoever is left: no side wins by being the last one, and it does not end when nothing can
    /// happen.
    pub(crate) is_endless: bool,
}

impl Compiler<'_> {
    pub(crate) fn encounters(&mut self, rules: &Ruleset) {
        for Named { name, rule, .. } in &rules.encounters {
            let plan = self.encounter(name, rule);
            self.program.encounters.push(plan);
        }
    }

    /// Expectations are evaluated by studies; only their encounter is resolved here.
    pub(crate) fn expectations(&mut self, rules: &Ruleset) {
        let known = || rules.encounters.iter().map(|encounter| encounter.name.as_str());
        for expect in &rules.expectations {
            let word = &expect.encounter;
            if !known().any(|name| name == word.text) {
                let message = format!("no encounter is called `{}`", word.text);
                self.out.push(Diagnostic::at(Code::UnknownName, word.span, message).nearest(&word.text, known()));
            }
        }
        self.program.expectations.clone_from(&rules.expectations);
    }

    fn encounter(&mut self, name: &str, rule: &EncounterRule) -> EncounterPlan {
        let mut sides = Vec::new();
        for side in &rule.sides {
            let members = side.members.iter().flat_map(|member| self.member(member)).collect();
            sides.push((side.name.text.clone(), members));
        }
        let time_limit = rule.time_limit.map_or(Time::NEVER, Time::from_seconds);
        let places = places(rule);
        let script = self.script(rule, &sides);
        let mut begins = Vec::new();
        for member in rule.sides.iter().flat_map(|side| &side.members) {
            let begin = self.begin(member);
            begins.extend(std::iter::repeat_n(begin, member.count as usize));
        }
        if begins.iter().all(|begin| begin.statuses.is_empty() && begin.pools.is_empty()) {
            begins.clear();
        }
        EncounterPlan { name: name.to_owned(), about: rule.about.clone(), sides, places, time_limit, script, begins }
    }

    fn begin(&mut self, member: &MemberRule) -> BeginPlan {
        let statuses = member.statuses.iter().filter_map(|word| self.status_named(word)).collect();
        let pool = |(word, amount): &(Word, Formula)| {
            let pool = look_up(&self.names.pools, &word.text, word.span, "pool", self.out);
            pool.zip(self.number(amount, Scope::START))
        };
        BeginPlan { statuses, pools: member.start.iter().filter_map(pool).collect() }
    }

    fn member(&mut self, member: &MemberRule) -> Vec<CharacterId> {
        let word = &member.character;
        let Some(id) = look_up(&self.names.characters, &word.text, word.span, "character", self.out) else {
            return Vec::new();
        };
        if self.program.characters.get(id.index()).is_some_and(|plan| plan.template) {
            let message = format!("`{}` is a template: it can only be extended, and cannot fight", word.text);
            self.out.push(Diagnostic::at(Code::TemplateUsed, word.span, message));
        }
        vec![id; member.count as usize]
    }
}

impl Setup {
    /// The setup of an encounter.
    pub fn of(program: &Arc<Program>, encounter: EncounterId) -> Self {
        let plan = &program.encounters[encounter.index()];
        let mut setup = Self::placed(program, &plan.sides, &plan.places);
        setup.name.clone_from(&plan.name);
        setup.time_limit = plan.time_limit;
        setup.script.clone_from(&plan.script);
        setup.count_heads();
        setup.begin_as(&plan.begins);
        setup
    }

    /// A fight between given sides, without an encounter in the ruleset and without a time limit. As in an encounter,
    /// at most 1,000 combatants can take part; any beyond that are left out.
    pub fn between(program: &Arc<Program>, sides: &[(String, Vec<CharacterId>)]) -> Self {
        Self::placed(program, sides, &[])
    }

    /// The same on the ground, with a position in metres for each combatant, in the same order. Without positions,
    /// distances do not matter: everyone is in reach, and nobody moves.
    pub fn placed(program: &Arc<Program>, sides: &[(String, Vec<CharacterId>)], places: &[[f64; 2]]) -> Self {
        let names = sides.iter().map(|(name, _)| name.clone()).collect();
        let mut setup = Self::among(program, names, combatants(program, sides), !places.is_empty());
        setup.put_in_place(places);
        setup
    }

    /// A fight with these sides and without combatants, for a game that spawns them. It continues whoever is left.
    pub fn empty(program: &Arc<Program>, sides: &[&str]) -> Self {
        let names = sides.iter().map(|side| (*side).to_owned()).collect();
        Self { is_endless: true, ..Self::among(program, names, Vec::new(), false) }
    }

    /// The same on the ground, where each combatant will have a position.
    pub fn empty_ground(program: &Arc<Program>, sides: &[&str]) -> Self {
        let names = sides.iter().map(|side| (*side).to_owned()).collect();
        Self { is_endless: true, ..Self::among(program, names, Vec::new(), true) }
    }

    /// The same fight with more combatants, which are absent until they are spawned.
    pub(crate) fn extended(&self, more: &[(CharacterId, SideId)]) -> Self {
        let mut combatants = self.combatants.clone();
        for (character, side) in more {
            let name = &self.program.characters[character.index()].name;
            let same = combatants.iter().filter(|other| other.character == *character).count();
            let label = (same + 1..).map(|number| format!("{name} {number}"));
            let known = |label: &String| combatants.iter().any(|other| other.label == *label);
            let label = label.into_iter().find(|label| !known(label)).unwrap_or_default();
            combatants.push(CombatantPlan { label, character: *character, side: *side });
        }
        let mut setup = Self::among(&self.program, self.sides.clone(), combatants, self.is_placed);
        setup.name.clone_from(&self.name);
        (setup.time_limit, setup.is_endless) = (self.time_limit, self.is_endless);
        setup.script.clone_from(&self.script);
        setup.script.joins.resize(self.combatants.len(), JoinPlan::AtStart);
        setup.script.joins.resize(setup.combatants.len(), JoinPlan::Spawned);
        for (index, plan) in setup.combatants.iter().enumerate().skip(self.combatants.len()) {
            let moments = setup.script.moments.iter_mut();
            moments.for_each(|moment| moment.include(CombatantId(index as u16), plan.side, plan.character));
        }
        setup.begins.clone_from(&self.begins);
        if !setup.begins.is_empty() {
            setup.begins.resize_with(setup.combatants.len(), BeginPlan::default);
        }
        setup.count_heads();
        setup.memory.begin_with(&self.memory);
        setup.enters_empty = self.enters_empty;
        setup
    }

    /// A fight of these combatants.
    pub(crate) fn among(
        program: &Arc<Program>,
        sides: Vec<String>,
        combatants: Vec<CombatantPlan>,
        placed: bool,
    ) -> Self {
        let (policies, listeners) = program.policies_of(&combatants, placed);
        let defeats = bits(program, |pool| pool.defeat);
        let has = |combatant: &CombatantPlan| {
            let pools = program.characters[combatant.character.index()].pools.iter().enumerate();
            pools.filter(|(_, has)| **has).map(|(pool, _)| 1 << pool).sum::<u64>()
        };
        let mut setup = Self {
            program: Arc::clone(program),
            name: String::new(),
            sides,
            time_limit: Time::NEVER,
            memory: Memory::default(),
            streams: streams(program, &combatants),
            policies,
            listeners,
            abilities: Vec::new(),
            charges: 0,
            derived: Vec::new(),
            varied: Vec::new(),
            alert: Vec::new(),
            defeating: combatants.iter().map(|combatant| defeats & has(combatant)).collect(),
            aim_room: vec![0],
            any_defeats: defeats != 0,
            decays: program.pools.iter().any(|pool| pool.defeat && pool.decay.is_some()),
            is_placed: placed,
            speed: program.find_attribute("speed"),
            enters_empty: false,
            script: ScriptPlan::default(),
            begins: Vec::new(),
            is_endless: false,
            combatants,
        };
        setup.memory = setup.first_memory();
        setup.begin_watches();
        setup.count_heads();
        let mut memory = setup.memory.clone();
        for (who, combatant) in setup.ids().zip(&setup.combatants) {
            let policy = &setup.policies[who.index()];
            let mut tables = program.ability_tables(combatant, policy, placed);
            for place in tables.iter_mut().filter_map(|table| table.charges.as_mut()) {
                *place = setup.charges;
                setup.charges += 1;
            }
            for (index, table) in (setup.abilities.len()..).zip(&mut tables) {
                if let Some(place) = &mut table.varies {
                    *place = setup.varied.len() as u32;
                    setup.varied.push(index as u32);
                }
            }
            setup.derived.extend(tables.iter().map(|table| program.derived(table.ability, who, &mut memory)));
            setup.abilities.extend(tables);
            let own = (0..program.pools.len()).filter(|pool| policy.own_pools[*pool] != 0);
            let own = own.fold(0, |bits, pool| bits | 1 << pool);
            let most = policy_room(program, combatant, setup.combatants.len() as u32);
            setup.aim_room.push(setup.aim_room.last().map_or(0, |last| *last) + most);
            setup.alert.push(own | setup.listeners.any_pools | setup.defeating[who.index()]);
        }
        setup.enters_empty = setup.ids().any(|who| setup.is_empty(&setup.memory, who, 0.0));
        setup
    }

    /// The differences between two setups, in words; `None` if fights of one can continue as fights of the other.
    pub(crate) fn difference(&self, other: &Self) -> Option<String> {
        if std::ptr::eq(self, other) {
            return None;
        }
        // Spawned combatants belong to the fight and not to the setup.
        let base = self.spawned_from();
        if self.name != other.name
            || self.sides != other.sides
            || self.is_placed != other.is_placed
            || self.combatants[..base] != other.combatants[..other.spawned_from()]
        {
            return Some(format!("`{}` and not `{}`", other.name, self.name));
        }
        let texts = |setup: &Self| {
            let files = setup.program.sources.files().iter().map(|file| stable_hash(file.text()));
            files.fold(0, |hash: u64, text| hash.rotate_left(17) ^ text)
        };
        let same_rules = Arc::ptr_eq(&self.program, &other.program)
            || (texts(self) == texts(other)
                && self.memory.is_like(&other.memory, self.program.place(CombatantId(base as u16), Slot(0))));
        (!same_rules).then(|| "its ruleset differs".to_owned())
    }

    /// The number of participants that have not been spawned.
    pub(super) fn spawned_from(&self) -> usize {
        self.ids().take_while(|who| self.script.joins(*who) != JoinPlan::Spawned).count()
    }

    /// Whether a combatant can be defeated at all. If it cannot, it is scenery: no enemy targets it, and it does not
    /// keep its side in the fight. In a ruleset in which no pool defeats, no combatant is scenery.
    #[inline]
    pub(crate) fn can_be_defeated(&self, who: CombatantId) -> bool {
        self.defeating[who.index()] != 0 || !self.any_defeats
    }

    /// Sets the pools as the encounter says. An amount without a value is an error of the fight, not of its setup.
    fn begin_as(&mut self, begins: &[BeginPlan]) {
        self.begins = begins.to_vec();
        let program = Arc::clone(&self.program);
        for (who, begin) in self.ids().zip(begins) {
            for (pool, amount) in &begin.pools {
                if let Ok(amount) = program.own_number(*amount, &mut self.memory, who) {
                    let first = program.place(who, program.layout.pool(*pool));
                    let cap = self.memory.at(first + usize::from(pool_slot::CAP));
                    self.memory.set_pool(first, amount.larger(0.0).smaller(cap), 0.0);
                }
            }
        }
        self.enters_empty |= self.ids().any(|who| self.is_empty(&self.memory, who, 0.0));
    }

    /// Random streams are named after the combatants that draw from them.
    pub(super) fn name_streams(&mut self) {
        self.streams = streams(&self.program, &self.combatants);
    }

    /// Initial values of the numbers of abilities that formulas read.
    fn begin_watches(&mut self) {
        let program = Arc::clone(&self.program);
        for watch in &program.watches {
            for (who, combatant) in self.ids().zip(&self.combatants) {
                let abilities = &program.characters[combatant.character.index()].abilities;
                if watch.ability.is_some_and(|ability| abilities.contains(&ability)) {
                    self.memory.set(program.place(who, watch.slot), watch.at_first(&program));
                }
            }
        }
    }

    fn put_in_place(&mut self, places: &[[f64; 2]]) {
        for (who, place) in self.ids().zip(places) {
            for (axis, metres) in (0..).zip(place) {
                self.memory.set(self.program.place(who, Layout::PLACE.plus(axis)), *metres);
            }
        }
    }

    /// Whether the combatants have positions.
    pub fn is_placed(&self) -> bool {
        self.is_placed
    }

    /// Whether a combatant has a pool.
    pub(crate) fn has_pool(&self, who: CombatantId, pool: PoolId) -> bool {
        self.program.characters[self.combatants[who.index()].character.index()].pools[pool.index()]
    }

    /// Whether a pool that defeats is empty.
    #[inline]
    pub(crate) fn is_empty(&self, memory: &Memory, who: CombatantId, now: f64) -> bool {
        let mut defeating = self.defeating[who.index()];
        while defeating != 0 {
            let pool = PoolId(defeating.trailing_zeros() as u16);
            defeating &= defeating - 1;
            if memory.pool_amount(self.program.place(who, self.program.layout.pool(pool)), now) <= 0.0 {
                return true;
            }
        }
        false
    }

    fn first_memory(&self) -> Memory {
        let program = &self.program;
        let mut numbers = vec![0.0; usize::from(program.layout.locals)];
        numbers.extend_from_slice(&program.constants);
        for combatant in &self.combatants {
            numbers.extend_from_slice(&program.characters[combatant.character.index()].block);
        }
        let mut memory = Memory::new(numbers, program.layout.locals);
        memory.set_local(Layout::ORDER, 1.0);
        if program.threat.is_some() {
            memory.threat = Threat::among(self.combatants.len());
        }
        memory
    }

    /// The initial numbers of standing combatants on each side.
    pub(super) fn count_heads(&mut self) {
        for me in self.ids() {
            let side = self.combatants[me.index()].side;
            let present = || self.ids().filter(|other| self.script.joins(*other) == JoinPlan::AtStart);
            let ours = |other: &CombatantId| self.combatants[other.index()].side == side;
            let allies = present().filter(ours).count();
            let enemies = present().filter(|other| !ours(other) && self.can_be_defeated(*other)).count();
            self.memory.set(self.program.place(me, Layout::ALLIES), allies as f64);
            self.memory.set(self.program.place(me, Layout::ENEMIES), enemies as f64);
            let stands = self.script.joins(me) == JoinPlan::AtStart;
            self.memory.set(self.program.place(me, Layout::STANDS), f64::from(u8::from(stands)));
            self.memory.set(self.program.place(me, Layout::SIDE), f64::from(side.0));
        }
    }

    /// The program of the fight.
    pub fn program(&self) -> &Arc<Program> {
        &self.program
    }

    /// Finds a combatant by its label.
    pub fn find_combatant(&self, label: &str) -> Option<CombatantId> {
        self.combatants.iter().position(|combatant| combatant.label == label).map(|index| CombatantId(index as u16))
    }

    /// The hashed name of a combatant's stream for a position in the rules, such as `hit_steps.dodge.when`; see
    /// [`crate::fight::stream_seed`].
    pub fn stream(&self, who: CombatantId, place: &str) -> Option<u64> {
        let site = self.program.site_names.iter().position(|name| name == place)?;
        Some(self.streams[who.index() * self.program.sites.len() + site])
    }

    /// Ids of all combatants.
    pub fn ids(&self) -> impl Iterator<Item = CombatantId> + use<> {
        (0..self.combatants.len() as u16).map(CombatantId)
    }
}

/// Initial positions: as given, with several of a kind in a row across; otherwise the two sides face each other at the
/// encounter's distance.
fn places(rule: &EncounterRule) -> Vec<[f64; 2]> {
    let said = rule.sides.iter().flat_map(|side| &side.members).any(|member| member.at.is_some());
    if !said && rule.distance.is_none() {
        return Vec::new();
    }
    let half = rule.distance.unwrap_or(0.0) / 2.0;
    let mut places = Vec::new();
    for (side, x) in rule.sides.iter().zip([-half, half].into_iter().chain(std::iter::repeat(0.0))) {
        let lost = || side.members.iter().filter(|member| member.at.is_none());
        let mut row = in_a_row(lost().map(|member| member.count).sum(), SIDE_BY_SIDE);
        for member in &side.members {
            match member.at {
                Some([x, y]) => places.extend(in_a_row(member.count, member.spread).map(|across| [x, y + across])),
                None => places.extend(row.by_ref().take(member.count as usize).map(|across| [x, across])),
            }
        }
    }
    places
}

/// The distance in metres between neighbours of a side whose members have no given positions.
const SIDE_BY_SIDE: f64 = 1.0;

/// Positions of members in a row, with its centre at 0.
fn in_a_row(count: u32, spread: f64) -> impl Iterator<Item = f64> {
    (0..count).map(move |index| (f64::from(index) - f64::from(count - 1) / 2.0) * spread)
}

/// The greatest number of targets that an ability of a combatant can have.
fn policy_room(program: &Program, combatant: &CombatantPlan, all: u32) -> u32 {
    let abilities = &program.characters[combatant.character.index()].abilities;
    abilities.iter().map(|ability| program.ability(*ability).count.min(all)).max().unwrap_or(1)
}

fn bits(program: &Program, test: impl Fn(&super::steps::PoolPlan) -> bool) -> u64 {
    program.pools.iter().enumerate().filter(|(_, pool)| test(pool)).fold(0, |bits, (index, _)| bits | 1 << index)
}

fn combatants(program: &Program, sides: &[(String, Vec<CharacterId>)]) -> Vec<CombatantPlan> {
    let mut combatants = Vec::new();
    for (side_index, (side, characters)) in sides.iter().enumerate() {
        for (index, character) in characters.iter().enumerate() {
            let same = |list: &[CharacterId]| list.iter().filter(|other| *other == character).count();
            let mut label = program.characters[character.index()].name.clone();
            if same(characters) > 1 {
                label.push_str(&format!(" {}", same(&characters[..=index])));
            }
            if sides.iter().filter(|(_, list)| list.contains(character)).count() > 1 {
                label.push_str(&format!(" ({side})"));
            }
            if combatants.len() == MAX_COMBATANTS as usize {
                return combatants;
            }
            combatants.push(CombatantPlan { label, character: *character, side: SideId(side_index as u16) });
        }
    }
    combatants
}

/// Streams are named by the label of the combatant and the position in the rules, never by an order, so that listing
/// the sides the other way round gives the same draws.
fn streams(program: &Program, combatants: &[CombatantPlan]) -> Arc<[u64]> {
    let name = |label: u64, site: &u64| label.rotate_left(29).wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ site;
    let of = |combatant: &CombatantPlan| {
        let label = stable_hash(&combatant.label);
        program.sites.iter().map(|site| name(label, site)).collect::<Vec<_>>()
    };
    combatants.iter().flat_map(of).collect()
}
