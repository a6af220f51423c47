//! An observer that computes the samples of a fight for a list of measures, summing up only what these need.

use super::free_time::{FreeTime, Stretch};
use crate::fight::{Ending, Event, EventKind, EventMask, Fight, Observer, RandomSource, Source};
use crate::measures::{Measure, Picks, Quantity};
use crate::program::{CombatantId, DamageTypeId, PoolId, Setup, SideId, StatusId, StepId, Time};

/// A value of a fight and its denominator: the mean over many fights is the sum of the values divided by the sum of the
/// denominators. A fight without a value has the denominator 0.
pub(super) type Sample = [f64; 2];

/// The sample of a single fight; `None` if the denominator is 0.
pub(super) fn said(sample: &Sample) -> Option<f64> {
    (sample[1] != 0.0).then(|| sample[0] / sample[1])
}

/// The sums of one fight.
#[derive(Clone, Debug)]
pub(super) struct Book {
    measures: Vec<(Term, Term)>,
    groups: [Vec<Probe>; GROUPS],
    sums: Vec<f64>,
    defeated_at: Vec<Option<Time>>,
    /// When each combatant was first defeated, and how long it was out of the fight until it was revived.
    first_fell: Vec<Option<Time>>,
    out: Vec<Time>,
    /// The amount removed by steps.
    taken: Vec<(StepId, f64)>,
    free_time: FreeTime,
    wants: EventMask,
}

/// A number known at the end of a fight.
#[derive(Clone, Debug)]
enum Term {
    One,
    Won(SideId),
    Drawn,
    Duration,
    /// The duration times a number of combatants.
    Time(f64),
    AllDefeated(Vec<CombatantId>),
    AnyFell(Vec<CombatantId>),
    FirstFall(Vec<CombatantId>),
    Defeated(Vec<CombatantId>),
    Standing(Vec<CombatantId>),
    /// Seconds spent standing.
    Alive(Vec<CombatantId>),
    Left(Vec<CombatantId>, PoolId),
    Cap(Vec<CombatantId>, PoolId),
    Experience(Vec<CombatantId>),
    Sum(usize),
    /// A sum divided by the duration; a fight that ends at time 0 has no rate and counts as 0.
    Rate(usize),
}

impl Term {
    fn per_second(self) -> Self {
        match self {
            Self::Sum(sum) => Self::Rate(sum),
            other => other,
        }
    }
}

/// The events that a probe counts.
#[derive(Clone, Copy, Debug)]
enum Group {
    Hit,
    Heal,
    Pool,
    Spent,
    Used,
    Ticked,
    Held,
    Unavailable,
    Acting,
    Reported,
}

const GROUPS: usize = 10;

impl Group {
    const ALL: [Self; GROUPS] = [
        Self::Hit,
        Self::Heal,
        Self::Pool,
        Self::Spent,
        Self::Used,
        Self::Ticked,
        Self::Held,
        Self::Unavailable,
        Self::Acting,
        Self::Reported,
    ];
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum What {
    Count,
    Amount,
    Over,
    Stopped,
    Prevented,
    Soaked,
    Gained,
    Taken,
    Applied,
    Uptime,
    StackTime,
    Idle,
}

/// A sum, and the events that it includes.
#[derive(Clone, Debug)]
struct Probe {
    what: What,
    /// By combatant: the source or the target that it requires.
    who: Vec<bool>,
    suffered: bool,
    picks: Picks,
    sum: usize,
    /// By combatant: the current stacks and since when; for idleness, 1 while it waits.
    since: Vec<(Time, u32)>,
}

impl Probe {
    #[inline]
    fn concerns(&self, caster: CombatantId, target: CombatantId) -> bool {
        self.who[if self.suffered { target } else { caster }.index()]
    }

    #[inline]
    fn is_of(&self, source: Source) -> bool {
        let picks = &self.picks;
        match source {
            Source::Ability(ability) => picks.status.is_none() && picks.ability.is_none_or(|one| one == ability),
            Source::Status(status) => picks.ability.is_none() && picks.status.is_none_or(|one| one == status),
            Source::Cause(_) => picks.ability.is_none() && picks.status.is_none(),
        }
    }

    fn has_pool(&self, pool: PoolId) -> bool {
        self.picks.pool.is_none_or(|one| one == pool)
    }

    fn has_step(&self, step: StepId) -> bool {
        self.picks.steps.is_empty() || self.picks.steps[step.index()]
    }
}

impl Book {
    /// A book for measures of an encounter.
    pub(super) fn new(measures: &[Measure], setup: &Setup) -> Self {
        let mut book = Self {
            measures: Vec::new(),
            groups: Default::default(),
            sums: Vec::new(),
            defeated_at: vec![None; setup.combatants.len()],
            first_fell: vec![None; setup.combatants.len()],
            out: vec![Time::ZERO; setup.combatants.len()],
            taken: Vec::new(),
            free_time: FreeTime::new(setup),
            wants: EventMask::NONE,
        };
        for measure in measures {
            let terms = book.terms(measure);
            book.measures.push(terms);
        }
        book.wants = book.wanted(measures);
        book
    }

    /// The event kinds that its probes count.
    fn wanted(&self, measures: &[Measure]) -> EventMask {
        let kinds = |group: Group| -> &'static [EventKind] {
            match group {
                Group::Hit => &[EventKind::Hit],
                Group::Heal => &[EventKind::Healed],
                Group::Pool => &[EventKind::Soaked, EventKind::Restored, EventKind::Drained],
                Group::Spent => &[EventKind::Spent],
                Group::Used => &[EventKind::Used],
                Group::Ticked => &[EventKind::StatusTicked],
                Group::Held => &[EventKind::StatusGained, EventKind::StatusStacks, EventKind::StatusLost],
                Group::Unavailable => {
                    &[EventKind::Unavailable, EventKind::Available, EventKind::Waits, EventKind::Used]
                }
                Group::Acting => &[EventKind::Waits, EventKind::Used],
                Group::Reported => &[EventKind::Reported],
            }
        };
        let mut wanted = vec![EventKind::Defeated, EventKind::Revived];
        for group in Group::ALL {
            if !self.groups[group as usize].is_empty() {
                wanted.extend_from_slice(kinds(group));
            }
        }
        if measures.iter().any(|measure| measure.quantity == Quantity::Prevented) {
            wanted.push(EventKind::Stepped);
        }
        EventMask::of(&wanted)
    }

    fn terms(&mut self, measure: &Measure) -> (Term, Term) {
        use Quantity as Q;
        let who = || measure.who.clone();
        let picks = &measure.picks;
        let mut dealt = |group, what| self.probe(measure, group, what, false, picks.clone());
        match measure.quantity {
            Q::WinRate => (measure.side.map_or(Term::Drawn, Term::Won), Term::One),
            Q::DrawRate => (Term::Drawn, Term::One),
            Q::Duration => (Term::Duration, Term::One),
            Q::DefeatRate => (Term::AllDefeated(who()), Term::One),
            Q::Defeated => (Term::Defeated(who()), Term::One),
            Q::Survivors => (Term::Standing(who()), Term::One),
            Q::DefeatTime => (Term::FirstFall(who()), Term::AnyFell(who())),
            Q::Left => (Term::Left(who(), picks.pool.unwrap_or_default()), Term::One),
            Q::LeftShare => {
                let pool = picks.pool.unwrap_or_default();
                (Term::Left(who(), pool), Term::Cap(who(), pool))
            }
            Q::Experience => (Term::Experience(who()), Term::One),
            Q::Damage => (dealt(Group::Hit, What::Amount), Term::One),
            Q::DamagePerSecond => (dealt(Group::Hit, What::Amount).per_second(), Term::One),
            Q::DamageShare => {
                let part = dealt(Group::Hit, What::Amount);
                (part, self.probe(measure, Group::Hit, What::Amount, false, Picks::default()))
            }
            Q::Overkill => (dealt(Group::Hit, What::Over), Term::One),
            Q::Hits => (dealt(Group::Hit, What::Count), Term::One),
            Q::StoppedRate => (dealt(Group::Hit, What::Stopped), dealt(Group::Hit, What::Count)),
            Q::MarkRate => {
                let marked = dealt(Group::Hit, What::Count);
                let all = Picks { marks: 0, ..picks.clone() };
                (marked, self.probe(measure, Group::Hit, What::Count, false, all))
            }
            Q::Healing => (dealt(Group::Heal, What::Amount), Term::One),
            Q::HealingPerSecond => (dealt(Group::Heal, What::Amount).per_second(), Term::One),
            Q::Overheal => (dealt(Group::Heal, What::Over), Term::One),
            Q::Spent => (dealt(Group::Spent, What::Amount), Term::One),
            Q::DamagePerCost => {
                let of = Picks { ability: picks.ability, ..Picks::default() };
                let spent = dealt(Group::Spent, What::Amount);
                (self.probe(measure, Group::Hit, What::Amount, false, of), spent)
            }
            Q::Uses => (dealt(Group::Used, What::Count), Term::One),
            Q::Reports => (dealt(Group::Reported, What::Count), Term::One),
            Q::Reported => (dealt(Group::Reported, What::Amount), Term::One),
            Q::Ticks => (dealt(Group::Ticked, What::Count), Term::One),
            Q::Unavailable => (dealt(Group::Unavailable, What::Amount), Term::One),
            Q::Idle => (dealt(Group::Acting, What::Idle), Term::Alive(who())),
            Q::DamageTaken
            | Q::EvadedRate
            | Q::Prevented
            | Q::Soaked
            | Q::HealingTaken
            | Q::Restored
            | Q::Drained
            | Q::Applied
            | Q::Uptime
            | Q::MeanStacks => self.suffered_terms(measure),
        }
    }

    fn suffered_terms(&mut self, measure: &Measure) -> (Term, Term) {
        use Quantity as Q;
        let picks = &measure.picks;
        let mut suffered = |group, what| self.probe(measure, group, what, true, picks.clone());
        match measure.quantity {
            Q::EvadedRate => {
                let stopped = suffered(Group::Hit, What::Stopped);
                (stopped, self.probe(measure, Group::Hit, What::Count, true, Picks::default()))
            }
            Q::Prevented => (suffered(Group::Hit, What::Prevented), Term::One),
            Q::Soaked => (suffered(Group::Pool, What::Soaked), Term::One),
            Q::HealingTaken => (suffered(Group::Heal, What::Amount), Term::One),
            Q::Restored => (suffered(Group::Pool, What::Gained), Term::One),
            Q::Drained => (suffered(Group::Pool, What::Taken), Term::One),
            Q::Applied => (suffered(Group::Held, What::Applied), Term::One),
            Q::Uptime => (suffered(Group::Held, What::Uptime), Term::Time(measure.who.len() as f64)),
            Q::MeanStacks => (suffered(Group::Held, What::StackTime), suffered(Group::Held, What::Uptime)),
            _ => (suffered(Group::Hit, What::Amount), Term::One),
        }
    }

    fn probe(&mut self, measure: &Measure, group: Group, what: What, suffered: bool, picks: Picks) -> Term {
        let sum = self.sums.len();
        self.sums.push(0.0);
        let who = (0..self.defeated_at.len() as u16).map(|index| measure.who.contains(&CombatantId(index))).collect();
        let since = vec![(Time::ZERO, 0); self.defeated_at.len()];
        self.groups[group as usize].push(Probe { what, who, suffered, picks, sum, since });
        Term::Sum(sum)
    }

    /// Closes the book of a fight: one sample for each measure.
    pub(super) fn close<C: RandomSource>(&mut self, fight: &Fight<C>, ending: Ending, samples: &mut [Vec<Sample>]) {
        self.close_times(fight.now());
        let Self { free_time, groups, sums, .. } = self;
        free_time.close(fight.now(), &mut |stretch| count_stretch(groups, sums, stretch));
        for ((value, over), samples) in self.measures.iter().zip(samples) {
            samples.push([self.value(value, fight, ending), self.value(over, fight, ending)]);
        }
        self.sums.fill(0.0);
        self.defeated_at.fill(None);
        self.first_fell.fill(None);
        self.out.fill(Time::ZERO);
        self.taken.clear();
        for probe in self.groups.iter_mut().flatten() {
            probe.since.fill((Time::ZERO, 0));
        }
    }

    fn close_times(&mut self, end: Time) {
        for index in 0..self.defeated_at.len() as u16 {
            let who = CombatantId(index);
            self.stacks_now(end, who, None, 0);
            self.acts(self.defeated_at[who.index()].unwrap_or(end), who);
        }
    }

    fn value<C: RandomSource>(&self, term: &Term, fight: &Fight<C>, ending: Ending) -> f64 {
        let truth = |holds: bool| f64::from(u8::from(holds));
        let defeated_at = |who: &&CombatantId| self.defeated_at[who.index()].is_some();
        match term {
            Term::One => 1.0,
            Term::Experience(who) => who.iter().map(|who| fight.experience(*who)).sum(),
            Term::Won(side) => truth(ending.winner() == Some(*side)),
            Term::Drawn => truth(ending.winner().is_none()),
            Term::Duration => fight.now().seconds(),
            Term::Time(times) => fight.now().seconds() * times,
            Term::AllDefeated(who) => truth(who.iter().all(|who| self.defeated_at[who.index()].is_some())),
            Term::AnyFell(who) => truth(who.iter().any(|who| self.first_fell[who.index()].is_some())),
            Term::FirstFall(who) => {
                who.iter().filter_map(|who| self.first_fell[who.index()]).min().map_or(0.0, Time::seconds)
            }
            Term::Defeated(who) => who.iter().filter(defeated_at).count() as f64,
            Term::Standing(who) => who.iter().filter(|who| fight.stands(**who)).count() as f64,
            Term::Alive(who) => {
                let stood =
                    |who: &CombatantId| self.defeated_at[who.index()].unwrap_or(fight.now()) - self.out[who.index()];
                who.iter().map(|who| stood(who).seconds()).sum()
            }
            Term::Left(who, pool) => who.iter().map(|who| fight.pool(*who, *pool)).sum(),
            Term::Cap(who, pool) => who.iter().map(|who| fight.cap(*who, *pool)).sum(),
            Term::Sum(sum) => self.sums[*sum],
            Term::Rate(_) if fight.now() == Time::ZERO => 0.0,
            Term::Rate(sum) => self.sums[*sum] / fight.now().seconds(),
        }
    }

    /// The number of stacks changes; of any status for `None`.
    fn stacks_now(&mut self, at: Time, who: CombatantId, status: Option<StatusId>, total: u32) {
        for probe in &mut self.groups[Group::Held as usize] {
            if !probe.who[who.index()] || status.is_some_and(|status| probe.picks.status != Some(status)) {
                continue;
            }
            let (since, stacks) = std::mem::replace(&mut probe.since[who.index()], (at, total));
            let seconds = (at - since).seconds();
            match probe.what {
                What::Uptime if stacks > 0 => self.sums[probe.sum] += seconds,
                What::StackTime => self.sums[probe.sum] += seconds * f64::from(stacks),
                _ => {}
            }
        }
    }

    /// A combatant has nothing to use.
    fn waits(&mut self, at: Time, who: CombatantId) {
        for probe in &mut self.groups[Group::Acting as usize] {
            let since = &mut probe.since[who.index()];
            if since.1 == 0 {
                *since = (at, 1);
            }
        }
    }

    /// A combatant acts, or will not act again.
    fn acts(&mut self, at: Time, who: CombatantId) {
        for probe in &mut self.groups[Group::Acting as usize] {
            let (since, waiting) = std::mem::take(&mut probe.since[who.index()]);
            if waiting == 1 && probe.who[who.index()] {
                self.sums[probe.sum] += (at - since).seconds();
            }
        }
    }

    fn hit(&mut self, hit: &HitTold) {
        for probe in &self.groups[Group::Hit as usize] {
            let typed = probe.picks.damage_type.is_none_or(|one| one == hit.damage_type);
            let marked = hit.marks & probe.picks.marks == probe.picks.marks;
            if !probe.concerns(hit.caster, hit.target) || !probe.is_of(hit.source) || !typed || !marked {
                continue;
            }
            let value = match probe.what {
                What::Count => 1.0,
                What::Over => hit.over,
                What::Stopped => hit.stopped.map_or(0.0, |step| f64::from(u8::from(probe.has_step(step)))),
                What::Prevented => {
                    self.taken.iter().filter(|(step, _)| probe.has_step(*step)).map(|(_, taken)| taken).sum()
                }
                _ => hit.dealt,
            };
            self.sums[probe.sum] += value;
        }
        self.taken.clear();
    }

    fn count(&mut self, group: Group, who: CombatantId, wanted: impl Fn(&Probe) -> bool, value: f64) {
        for probe in &self.groups[group as usize] {
            if probe.who[who.index()] && wanted(probe) {
                self.sums[probe.sum] += value;
            }
        }
    }
}

/// The relevant parts of a hit.
struct HitTold {
    caster: CombatantId,
    target: CombatantId,
    source: Source,
    damage_type: DamageTypeId,
    dealt: f64,
    over: f64,
    stopped: Option<StepId>,
    marks: u64,
}

fn count_stretch(groups: &[Vec<Probe>; GROUPS], sums: &mut [f64], stretch: Stretch) {
    let Stretch::Unavailable(who, _, ability, reason, span) = stretch else { return };
    for probe in &groups[Group::Unavailable as usize] {
        let for_reason = probe.picks.reason.is_none_or(|one| one == usize::from(reason));
        if probe.who[who.index()] && for_reason && probe.is_of(Source::Ability(ability)) {
            sums[probe.sum] += span.seconds();
        }
    }
}

impl Observer for Book {
    fn wants(&self) -> EventMask {
        self.wants
    }

    fn event(&mut self, at: Time, event: Event) {
        if !self.groups[Group::Unavailable as usize].is_empty() {
            let Self { free_time, groups, sums, .. } = self;
            let mut add = |stretch| count_stretch(groups, sums, stretch);
            match event {
                Event::Unavailable { who, ability, reason } => {
                    free_time.turn(at, who, ability, Some(reason.kind() as u8), &mut add);
                }
                Event::Available { who, ability } => free_time.turn(at, who, ability, None, &mut add),
                Event::Waits { who, .. } => free_time.waits(at, who),
                Event::Used { caster, ability, .. } => free_time.uses(at, caster, ability, &mut add),
                Event::Defeated { who, .. } => free_time.stops(at, who),
                _ => {}
            }
        }
        match event {
            Event::Hit { caster, target, source, damage_type, dealt, over, stopped, marks, .. } => {
                self.hit(&HitTold { caster, target, source, damage_type, dealt, over, stopped, marks });
            }
            Event::Stepped { step, heal: false, before, after, .. } => self.taken.push((step, before - after)),
            Event::Healed { caster, target, source, healed, over, .. } => {
                for probe in &self.groups[Group::Heal as usize] {
                    if probe.concerns(caster, target) && probe.is_of(source) {
                        self.sums[probe.sum] += if probe.what == What::Over { over } else { healed };
                    }
                }
            }
            Event::Soaked { target, pool, amount, .. } => {
                self.count(Group::Pool, target, |probe| probe.what == What::Soaked && probe.has_pool(pool), amount);
            }
            Event::Restored { target, pool, gained, .. } => {
                self.count(Group::Pool, target, |probe| probe.what == What::Gained && probe.has_pool(pool), gained);
            }
            Event::Drained { target, pool, taken, .. } => {
                self.count(Group::Pool, target, |probe| probe.what == What::Taken && probe.has_pool(pool), taken);
            }
            Event::Spent { who, ability, pool, amount, .. } => self.count(
                Group::Spent,
                who,
                |probe| probe.has_pool(pool) && probe.is_of(Source::Ability(ability)),
                amount,
            ),
            Event::Used { caster, ability, .. } => {
                self.count(Group::Used, caster, |probe| probe.is_of(Source::Ability(ability)), 1.0);
                self.acts(at, caster);
            }
            Event::Waits { who, .. } => self.waits(at, who),
            Event::StatusTicked { caster, status, .. } => {
                self.count(Group::Ticked, caster, |probe| probe.is_of(Source::Status(status)), 1.0);
            }
            Event::Reported { caster, report, numbers, .. } => {
                let named = |probe: &Probe| probe.picks.report.is_none_or(|one| one == report);
                self.count(Group::Reported, caster, |probe| named(probe) && probe.what == What::Count, 1.0);
                self.count(Group::Reported, caster, |probe| named(probe) && probe.what == What::Amount, numbers[0]);
            }
            Event::StatusGained { target, status, total, .. } => {
                let counts = |probe: &Probe| probe.what == What::Applied && probe.picks.status == Some(status);
                self.count(Group::Held, target, counts, 1.0);
                self.stacks_now(at, target, Some(status), total);
            }
            Event::StatusStacks { target, status, total, .. } | Event::StatusLost { target, status, total, .. } => {
                self.stacks_now(at, target, Some(status), total);
            }
            Event::Defeated { who, .. } => {
                self.defeated_at[who.index()] = Some(at);
                self.first_fell[who.index()].get_or_insert(at);
            }
            Event::Revived { target, .. } => {
                let defeated_at = self.defeated_at[target.index()].take().unwrap_or(at);
                self.out[target.index()] = self.out[target.index()] + (at - defeated_at);
            }
            _ => {}
        }
    }
}
