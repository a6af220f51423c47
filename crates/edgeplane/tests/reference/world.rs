//! The contents of a ruleset and its encounter, as the model reads them.

use edgeplane::program::{LostReason, TriggerEvent};

use super::calls::Call;

/// A sixteenth of a second: flows in that time are exact in binary, so both implementations find the same times.
pub(super) const STEP: u64 = 62_500;
pub(super) const LIMIT: u64 = 12_000_000;
/// The experience from each level to the next.
pub(super) const NEEDED: f64 = 20.0;
/// Walking speed in metres per second.
pub(super) const SPEED: f64 = 4.0;
/// Travel speed in metres per second.
pub(super) const TRAVEL: f64 = 8.0;

#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Side {
    Enemies,
    Allies,
    Others,
    Everyone,
    Caster,
}

impl Side {
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Enemies => "enemies",
            Self::Allies => "allies",
            Self::Others => "others",
            Self::Everyone => "everyone",
            Self::Caster => "self",
        }
    }
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Pick {
    First,
    Weakest,
    Strongest,
    Nearest,
    Farthest,
    Policy,
    /// By a formula: the smallest might (`false`) or shell.
    Lowest(bool),
}

#[derive(Clone, Copy, Debug)]
pub(super) enum Effect {
    /// An amount plus one per point of the caster's might.
    Damage(f64, f64),
    /// An amount, halved with every further target.
    InOrder(f64),
    /// An amount plus one per metre.
    Far(f64),
    /// An amount plus two per level of the caster.
    Grown(f64),
    Heal(f64),
    Drain(f64),
    Restore(f64),
    Apply(usize),
    Interrupt,
    Push(f64),
    Pull(f64),
    Leap(f64),
    Zone(usize),
    Threat(f64),
    Wear(usize),
    TakeOff(usize),
    Learn(f64),
    Call(usize, u32),
    Consume(usize, Option<u32>),
    Cleanse(usize),
    Transfer(usize),
    Extend(usize, u64),
    Shorten(usize, u64),
    Toggle(usize),
    Revive(f64),
    /// Interrupts only casts of abilities with the tag.
    InterruptLoud,
    /// Interrupts only casts of one ability.
    InterruptOne(usize),
    /// The oldest with the tag.
    CleanseWet,
    /// A stack of each with the tag.
    ConsumeWet,
    Win,
    /// Of the other type; with or without the steps that can be skipped.
    Cold(f64, bool),
    Shield(f64),
    /// A number of stacks, with a duration.
    ApplyMore(usize, u32, u64),
    /// A drain of which half goes to the caster.
    Leech(f64),
    /// The newest of this kind.
    CleanseKind(bool),
    /// Damage to the other pool.
    Winding(f64),
    /// Damage that skips one step by name.
    Piercing(f64),
    /// Damage of the type that skips every step.
    Pure(f64),
    /// Damage with the tag named by a step.
    Keen(f64),
    /// A heal with the tag named by a step; with the other step, or skipping it.
    HealKind(f64, bool),
    /// A heal of the other pool.
    HealWind(f64),
    Teach(usize),
    Take(usize),
    TakeLoud,
    /// Damage by an amount that the game provides.
    Asked(f64),
    /// Reports the might of its caster to the game.
    Report,
}

/// The condition of an effect.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Only {
    /// Its receiver's health is above this share.
    pub(super) above: Option<f64>,
    /// Its chance is one half or more, or less than that.
    pub(super) likely: Option<bool>,
}

/// The receivers of an effect, and the distance in metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum To {
    Target,
    Caster,
    Side(Side, Option<f64>),
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Reapply {
    Keep,
    Refresh,
    Extend,
    Stack(u32),
    Replace,
    Longest,
    Strongest,
}

#[derive(Clone, Copy, Debug)]
pub(super) struct Trigger {
    pub(super) event: TriggerEvent,
    /// Whose events; by default its owner's.
    pub(super) of: Option<Side>,
    pub(super) cooldown: u64,
    pub(super) does: Effect,
    pub(super) to_other: bool,
    pub(super) uses: Option<u32>,
    /// Only for abilities with the tag.
    pub(super) loud: bool,
    /// Only if its owner's health is above this share.
    pub(super) above: Option<f64>,
    /// Only for this ability, this status, or a status that ended for this reason.
    pub(super) ability: Option<usize>,
    pub(super) status: Option<usize>,
    /// Only for statuses with the tag.
    pub(super) wet: bool,
    pub(super) reason: Option<LostReason>,
    /// Only for larger amounts dealt or healed.
    pub(super) amount: Option<f64>,
    /// Its chance is one half or more, or less than that.
    pub(super) likely: Option<bool>,
    /// Only for hits with the mark.
    pub(super) cut: bool,
    /// The share of its health to be crossed.
    pub(super) share: f64,
    /// The number of stacks to be reached.
    pub(super) stacks: u32,
}

impl Trigger {
    /// One that applies each time.
    pub(super) fn new(event: TriggerEvent, cooldown: u64, does: Effect) -> Self {
        Self {
            event,
            of: None,
            cooldown,
            does,
            to_other: false,
            uses: None,
            loud: false,
            above: None,
            ability: None,
            status: None,
            wet: false,
            reason: None,
            amount: None,
            likely: None,
            cut: false,
            share: 0.0,
            stacks: 0,
        }
    }
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Forbids {
    Nothing,
    Acting,
    /// Abilities with the tag.
    Loud,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Step {
    HalvesTaken,
    AddsDealt,
    /// After the guard, wind soaks damage of any type.
    Soaks,
    /// After the guard, cold hits up to this amount are stopped.
    Turns,
    /// Before the guard, loud hits dealt by its owner get the mark.
    Marks,
}

impl Step {
    pub(super) fn is_after_guard(self) -> bool {
        matches!(self, Self::Soaks | Self::Turns)
    }
}

#[derive(Clone, Debug)]
pub(super) struct Status {
    pub(super) duration: u64,
    pub(super) reapply: Reapply,
    pub(super) period: Option<(u64, Effect)>,
    /// A number of ticks in its duration, instead of a period.
    pub(super) ticks: Option<u32>,
    /// The rest of a period gives a partial tick.
    pub(super) part_tick: bool,
    /// Its first tick is at the start.
    pub(super) ticks_now: bool,
    /// A renewal restarts its rhythm.
    pub(super) restarts: bool,
    pub(super) might: f64,
    pub(super) percent: f64,
    pub(super) times: f64,
    pub(super) set: Option<f64>,
    /// Its addition to the cap of health, and to the resistance to cold or to everything.
    pub(super) vigour: f64,
    pub(super) resists: Option<(bool, f64)>,
    /// The rank.
    pub(super) rank: f64,
    /// The effect of reaching the maximum of stacks, and whether they are consumed.
    pub(super) at_max: Option<(Effect, bool)>,
    /// Its condition: its owner's health is above this share.
    pub(super) above: Option<f64>,
    /// Its step: half of what its owner takes, or two more than it deals.
    pub(super) step: Option<Step>,
    /// A buff or a debuff.
    pub(super) is_buff: bool,
    pub(super) cleansable: bool,
    /// Whether it is resisted in most cases.
    pub(super) resisted: Option<bool>,
    pub(super) at_least: Option<f64>,
    pub(super) at_most: Option<f64>,
    /// It has the tag named by immunities and cleanses.
    pub(super) wet: bool,
    pub(super) immune: bool,
    pub(super) forbids: Forbids,
    pub(super) interrupts: bool,
    pub(super) taunts: bool,
    /// For enemies (`false`), or for allies, too.
    pub(super) untargetable: Option<bool>,
    pub(super) trigger: Option<Trigger>,
    /// Its owner is on the side of its caster.
    pub(super) charms: bool,
    /// The ability that it grants.
    pub(super) brings: Option<usize>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Area {
    None,
    Radius(f64),
    Around(f64),
    Cone(f64, f64),
    Line(f64, f64),
    Chain(f64),
}

/// How an ability is sustained after its release.
#[derive(Clone, Debug)]
pub(super) struct Sustain {
    pub(super) every: u64,
    pub(super) longest: Option<u64>,
    pub(super) cost: f64,
    /// While its user's health is above this share.
    pub(super) above: Option<f64>,
    pub(super) does: Vec<(Effect, To, Only)>,
}

#[derive(Clone, Debug)]
pub(super) struct Ability {
    pub(super) cost: f64,
    pub(super) times: [u64; 3],
    pub(super) charges: Option<(u32, u64)>,
    pub(super) uses: Option<u32>,
    pub(super) side: Side,
    pub(super) pick: Pick,
    pub(super) count: Option<usize>,
    pub(super) defeated: bool,
    pub(super) reach: Option<f64>,
    pub(super) area: Area,
    pub(super) travels: bool,
    pub(super) does: Vec<(Effect, To, Only)>,
    pub(super) loud: bool,
    pub(super) unlock: When,
    pub(super) pays_at_release: bool,
    /// Its user keeps walking.
    pub(super) mobile: bool,
    pub(super) counts: Counts,
    pub(super) refund: f64,
    pub(super) releases: Option<(u32, u64)>,
    /// It shares its cooldown, or another time.
    pub(super) shares: Option<Option<u64>>,
    pub(super) after: Option<(usize, u64)>,
    pub(super) during: Option<usize>,
    pub(super) slot: Option<u32>,
    pub(super) sustain: Option<Sustain>,
}

/// When a use counts and its cooldown starts.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Counts {
    Start,
    Release,
    End,
}

impl Ability {
    /// A cone or a line reaches no farther than its length.
    pub(super) fn reaches(&self) -> Option<f64> {
        match self.area {
            Area::Cone(_, length) | Area::Line(_, length) => Some(self.reach.unwrap_or(length).min(length)),
            _ => self.reach,
        }
    }
}

#[derive(Clone, Copy, Debug)]
pub(super) enum When {
    Always,
    HealthAtMost(f64),
    WindAtLeast(f64),
    TargetAtMost(f64),
    Without(usize),
    Count(Side, Option<f64>, f64),
    Near(f64),
    Wears(usize),
    Level(f64),
}

/// The abilities of a policy line.
#[derive(Clone, Copy, Debug)]
pub(super) enum Uses {
    One(usize),
    /// All loud abilities, or all others, one after the other.
    Tagged(bool),
}

#[derive(Clone, Debug)]
pub(super) struct Character {
    pub(super) might: f64,
    pub(super) guard: f64,
    pub(super) vigour: f64,
    pub(super) body: f64,
    pub(super) reward: f64,
    /// Whether it has a pool for shells.
    pub(super) has_shell: bool,
    pub(super) gear: Vec<usize>,
    /// A piece that it wears by chance, and whether the chance is one half or more.
    pub(super) perhaps: Option<(usize, bool)>,
    pub(super) level: f64,
    /// Its permanent statuses.
    pub(super) statuses: Vec<usize>,
    pub(super) immune: bool,
    pub(super) lines: Vec<(Uses, When)>,
    /// The number of its first lines that are a group; by weight, or with equal chances.
    pub(super) group: Option<(usize, bool)>,
    pub(super) reaction: u64,
    pub(super) abilities: Vec<usize>,
    pub(super) can_learn: Vec<usize>,
    pub(super) untargetable: Option<bool>,
}

#[derive(Clone, Debug)]
pub(super) struct Zone {
    pub(super) radius: f64,
    pub(super) grows: f64,
    pub(super) lasts: Option<u64>,
    pub(super) affects: Side,
    pub(super) owner: bool,
    pub(super) applies: Option<usize>,
    pub(super) enters: Option<Effect>,
    pub(super) leaves: Option<Effect>,
    pub(super) most: usize,
    pub(super) uses: Option<u32>,
    pub(super) carried: bool,
}

/// A status that gear gives.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Given {
    pub(super) status: usize,
    pub(super) stacks: u32,
    /// Its duration from when it is put on; by default, as long as it is worn.
    pub(super) lasts: Option<u64>,
}

#[derive(Clone, Debug)]
pub(super) struct Gear {
    pub(super) slot: Option<u32>,
    pub(super) in_set: bool,
    /// The statuses that it gives in addition to its own effect.
    pub(super) gives: Option<Given>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Joins {
    AtOnce,
    At(u64),
    Called,
}

#[derive(Clone, Copy, Debug)]
pub(super) struct Member {
    pub(super) character: usize,
    pub(super) joins: Joins,
    pub(super) at: [f64; 2],
    pub(super) vital: bool,
    pub(super) health: Option<f64>,
    pub(super) begins_with: Option<usize>,
}

#[derive(Clone, Copy, Debug)]
pub(super) struct Scripted {
    pub(super) at: u64,
    pub(super) every: Option<u64>,
    pub(super) times: Option<u32>,
    pub(super) ability: usize,
    /// A side.
    pub(super) by: usize,
}

/// The effect of a change of the cap on health.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum CapRule {
    Keep,
    Scale,
    Shift,
}

/// The kind of ground.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Ground {
    None,
    /// On the plane; nobody walks.
    Plane,
    /// On a line, so that times are exact in binary: zones grow and abilities travel.
    Line,
    /// On a line; the first side walks.
    Walked,
}

#[derive(Clone, Debug)]
pub(super) struct World {
    pub(super) ground: Ground,
    pub(super) cap_rule: CapRule,
    /// Wind comes in portions, twice a second.
    pub(super) portions: bool,
    /// The shell decays by one per second.
    pub(super) decays: bool,
    pub(super) statuses: Vec<Status>,
    pub(super) zones: Vec<Zone>,
    pub(super) gear: Vec<Gear>,
    /// The effects of worn gear: that of the set, if there is one, then that of each piece; then the effects of points.
    pub(super) worn: Vec<Status>,
    /// The statuses of the set in addition to its bonus.
    pub(super) set_gives: Option<Given>,
    /// Every amount of a hit or a heal is rounded down.
    pub(super) floors: bool,
    pub(super) abilities: Vec<Ability>,
    pub(super) characters: Vec<Character>,
    pub(super) threat: bool,
    pub(super) levels: bool,
    /// The highest level, and whether points come with each.
    pub(super) most: f64,
    pub(super) points: bool,
    /// Repeated statuses with the tag have diminishing durations.
    pub(super) diminishes: bool,
    /// The side that wins at the time limit.
    pub(super) at_limit: Option<usize>,
    pub(super) sides: [Vec<Member>; 2],
    pub(super) script: Vec<Scripted>,
    pub(super) calls: Vec<(u64, Call)>,
    /// Calls of a game before the fight begins.
    pub(super) before: Vec<Call>,
}

/// The weight of a line of a group, by its index.
pub(super) fn weight(line: usize) -> f64 {
    [1.0, 3.0, 0.5, 2.0][line % 4]
}

impl World {
    pub(super) fn members(&self) -> impl Iterator<Item = (usize, Member)> + '_ {
        self.sides.iter().enumerate().flat_map(|(side, members)| members.iter().map(move |one| (side, *one)))
    }

    /// The lines of a policy, one for each ability.
    pub(super) fn lines(&self, character: &Character) -> Vec<(usize, When)> {
        let tagged =
            |loud: bool| (0..self.abilities.len()).filter(|ability| self.abilities[*ability].loud == loud).collect();
        let lines = character.lines.iter().flat_map(|(uses, when)| {
            let abilities: Vec<usize> = match uses {
                Uses::One(ability) => vec![*ability],
                Uses::Tagged(loud) => tagged(*loud),
            };
            abilities.into_iter().map(|ability| (ability, *when))
        });
        lines.collect()
    }

    /// The weight of each line of the group.
    pub(super) fn weights(&self, character: &Character) -> Vec<f64> {
        let Some((count, by_weight)) = character.group else { return Vec::new() };
        let lines = character.lines.iter().take(count).enumerate().flat_map(|(index, (uses, _))| {
            let weight = if by_weight { weight(index) } else { 1.0 };
            let count = match uses {
                Uses::One(_) => 1,
                Uses::Tagged(loud) => self.abilities.iter().filter(|ability| ability.loud == *loud).count(),
            };
            vec![weight; count]
        });
        lines.collect()
    }

    /// The status of a worn piece; those of gear come after those of the rules and that of the set.
    pub(super) fn status_of_gear(&self, piece: usize) -> usize {
        self.statuses.len() + usize::from(self.has_set()) + piece
    }

    /// The status of each point, in the order in which they are spent.
    pub(super) fn points(&self) -> std::ops::Range<usize> {
        let all = self.statuses.len() + self.worn.len();
        if self.points { all - 2..all } else { all..all }
    }

    pub(super) fn has_set(&self) -> bool {
        self.gear.iter().any(|gear| gear.in_set)
    }

    /// A status by number.
    pub(super) fn status(&self, status: usize) -> &Status {
        self.statuses.get(status).unwrap_or_else(|| &self.worn[status - self.statuses.len()])
    }

    /// The numbers of all statuses in the order of their names: those of gear, those of the rules, that of the set.
    pub(super) fn by_name(&self) -> Vec<usize> {
        let all = self.statuses.len() + self.worn.len();
        let mut names: Vec<usize> = (self.status_of_gear(0)..all).chain(0..self.statuses.len()).collect();
        names.extend(self.has_set().then_some(self.statuses.len()));
        names
    }

    pub(super) fn is_placed(&self) -> bool {
        self.ground != Ground::None
    }
}
