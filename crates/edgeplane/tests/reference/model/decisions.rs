//! Decisions and uses.

use super::*;

impl Model<'_> {
    pub(super) fn decide(&self, who: usize) -> Option<(usize, Vec<usize>)> {
        let one = &self.all[who];
        if !one.stands || one.by_hand || one.doing != Doing::Idle {
            return None;
        }
        let rule = self.rule_of(who);
        let lines = self.world.lines(rule);
        let open = |(ability, when): &(usize, When)| Some((*ability, self.open(who, *ability, *when)?));
        // The more likely outcome: the line at the middle of the weights of all possible lines of the group.
        let weights = self.world.weights(rule);
        let possible: Vec<_> =
            lines.iter().zip(&weights).filter_map(|(line, weight)| Some((open(line)?, *weight))).collect();
        let middle = possible.iter().map(|(_, weight)| weight).sum::<f64>() * 0.5;
        let mut sum = 0.0;
        for (one, weight) in possible {
            sum += weight;
            if middle < sum {
                return Some(one);
            }
        }
        lines[weights.len()..].iter().find_map(open)
    }

    /// The action of a combatant now; an idle one reacts after its reaction time.
    pub(super) fn reacts(&mut self, who: usize) -> Option<(usize, Vec<usize>)> {
        let decided = self.decide(who);
        let (now, reaction) = (self.now, self.rule_of(who).reaction);
        let one = &mut self.all[who];
        if !one.stands || one.by_hand || one.doing != Doing::Idle {
            (one.waits, one.reacts) = (false, None);
            return None;
        }
        if decided.is_none() {
            (one.waits, one.reacts) = (true, None);
        } else if one.waits && reaction > 0 && *one.reacts.get_or_insert(now + reaction) > now {
            // A window that closes after this step is closed before the next one.
            let closes = |rule: &Ability| {
                rule.after.is_some_and(|(after, within)| one.released[after].is_some_and(|at| at + within == now))
            };
            self.close_call.set(self.close_call.get() || self.world.abilities.iter().any(closes));
            return None;
        }
        decided
    }

    /// Whether an ability is closed by the state of its owner.
    pub(crate) fn closed(&self, who: usize, ability: usize) -> Option<()> {
        let (one, rule) = (&self.all[who], &self.world.abilities[ability]);
        let forbids = |held: &Held| match self.status(held.status).forbids {
            Forbids::Nothing => false,
            Forbids::Acting => true,
            Forbids::Loud => rule.loud,
        };
        let unopened = rule
            .after
            .is_some_and(|(after, within)| one.released[after].is_none_or(|released| released + within < self.now));
        let locked = !self.holds(who, who, rule.unlock);
        let used_up = rule.uses.is_some_and(|uses| one.used[ability] >= uses);
        let spent = one.charges[ability].iter().filter(|back| **back > self.now).count() as u32;
        let no_charge = rule.charges.is_some_and(|(most, _)| spent >= most);
        let waits = one.ready[ability] > self.now;
        (!self.known(who)[ability]
            || one.held.iter().any(forbids)
            || locked
            || waits
            || used_up
            || no_charge
            || unopened)
            .then_some(())
    }

    pub(super) fn open(&self, who: usize, ability: usize, when: When) -> Option<Vec<usize>> {
        let rule = &self.world.abilities[ability];
        let first = *self.picked(who, rule).first()?;
        self.open_on(who, ability, when, (first, self.targets(who, rule)))
    }

    /// The targets of an ability, given the first one by the game.
    pub(super) fn aimed(&self, who: usize, ability: usize, first: usize) -> Option<Vec<usize>> {
        let rule = &self.world.abilities[ability];
        let oneself = rule.side == Side::Caster && first == who;
        if !oneself && !self.candidates(who, rule).contains(&first) {
            return None;
        }
        let mut targets = self.picked(who, rule);
        match rule.area {
            Area::Around(radius) if !self.within(who, first, radius) => return None,
            Area::None | Area::Around(_) => {
                targets.retain(|other| *other != first);
                targets.insert(0, first);
                targets.truncate(rule.count.unwrap_or(if rule.area == Area::None { 1 } else { usize::MAX }));
            }
            _ => targets = self.in_area(who, first, rule),
        }
        self.open_on(who, ability, When::Always, (first, targets))
    }

    fn open_on(&self, who: usize, ability: usize, when: When, of: (usize, Vec<usize>)) -> Option<Vec<usize>> {
        let rule = &self.world.abilities[ability];
        if self.closed(who, ability).is_some() {
            return None;
        }
        let (first, targets) = of;
        let near = rule.reaches().is_none_or(|reach| self.within(who, first, reach));
        let affordable = rule.cost - self.amount(who, WIND) <= 1e-9 * 40.0;
        (near && self.holds(who, first, when) && affordable).then_some(targets)
    }

    pub(crate) fn holds(&self, who: usize, first: usize, when: When) -> bool {
        match when {
            When::Always => true,
            When::HealthAtMost(share) => self.share(who) <= share,
            When::WindAtLeast(wind) => self.amount(who, WIND) >= wind,
            When::TargetAtMost(share) => self.share(first) <= share,
            When::Without(status) => !self.all[who].held.iter().any(|held| held.status == status),
            When::Count(side, within, least) => {
                let near = |other: &usize| within.is_none_or(|within| self.within(who, *other, within));
                let counts = |other: &usize| self.all[*other].stands && self.fits(who, *other, side) && near(other);
                (0..self.all.len()).filter(counts).count() as f64 >= least
            }
            When::Near(metres) => self.apart(who, first) <= metres,
            When::Wears(piece) => {
                let status = self.world.status_of_gear(piece);
                self.all[who].held.iter().any(|held| held.status == status)
            }
            When::Level(level) => self.all[who].level >= level,
        }
    }

    pub(super) fn fits(&self, who: usize, other: usize, side: Side) -> bool {
        let ally = self.side_of(other) == self.side_of(who);
        match side {
            Side::Enemies => !ally,
            Side::Allies => ally,
            Side::Others => ally && who != other,
            Side::Everyone => true,
            Side::Caster => who == other,
        }
    }

    pub(crate) fn can_be_targeted(&self, who: usize, other: usize, side: Side) -> bool {
        self.all[other].stands && self.fits(who, other, side) && !self.is_hidden(who, other)
    }

    fn is_hidden(&self, who: usize, other: usize) -> bool {
        let ally = self.side_of(other) == self.side_of(who);
        self.hidden(other).is_some_and(|allies_too| allies_too || !ally)
    }

    /// Whether a combatant cannot be targeted by enemies, or by allies either.
    fn hidden(&self, who: usize) -> Option<bool> {
        let held = self.all[who].held.iter().map(|held| self.status(held.status).untargetable);
        held.fold(self.rule_of(who).untargetable, Option::max)
    }

    pub(crate) fn seen_as(&self, who: usize) -> (bool, usize, Option<bool>) {
        (self.all[who].stands, self.side_of(who), self.hidden(who))
    }

    /// The possible targets of an ability, at any distance.
    pub(crate) fn candidates(&self, who: usize, rule: &Ability) -> Vec<usize> {
        let possible = |other: &usize| {
            if rule.defeated {
                let there = !self.all[*other].stands && !self.all[*other].absent;
                there && self.fits(who, *other, rule.side) && !self.is_hidden(who, *other)
            } else {
                self.can_be_targeted(who, *other, rule.side)
            }
        };
        (0..self.all.len()).filter(possible).collect()
    }

    /// The latest taunter that can be picked.
    pub(crate) fn taunter(&self, who: usize, side: Side) -> Option<usize> {
        let taunts = |held: &&Held| self.status(held.status).taunts;
        let mut held: Vec<&Held> = self.all[who].held.iter().filter(taunts).collect();
        held.sort_by_key(|held| std::cmp::Reverse(held.serial));
        let picked =
            |other: &usize| self.can_be_targeted(who, *other, side) && self.can_be_targeted(who, *other, Side::Enemies);
        held.iter().map(|held| held.caster).find(picked)
    }

    /// The picked target and, without an area, the following ones.
    pub(crate) fn picked(&self, who: usize, rule: &Ability) -> Vec<usize> {
        if rule.side == Side::Caster {
            return vec![who];
        }
        if let (Area::Around(_), true) = (rule.area, self.world.is_placed()) {
            return self.in_area(who, who, rule);
        }
        let mut targets = self.candidates(who, rule);
        if let Some(reach) = rule.reaches() {
            let near: Vec<usize> = targets.iter().copied().filter(|other| self.within(who, *other, reach)).collect();
            if !near.is_empty() {
                targets = near;
            }
        }
        let score = |other: usize| match rule.pick {
            Pick::First => 0.0,
            Pick::Weakest => self.share(other),
            Pick::Strongest => -self.share(other),
            Pick::Nearest => self.apart(who, other),
            Pick::Farthest => -self.apart(who, other),
            Pick::Policy => -self.all[who].threat[other],
            Pick::Lowest(false) => self.might(other),
            Pick::Lowest(true) => self.amount(other, SHELL),
        };
        targets.sort_by(|a, b| self.lesser(score(*a), score(*b)));
        let has_area = rule.area != Area::None;
        let count = if has_area { 1 } else { rule.count.unwrap_or(1) };
        targets.truncate(count);
        if let Some(taunter) = self.taunter(who, rule.side).filter(|_| !rule.defeated) {
            targets.retain(|other| *other != taunter);
            targets.insert(0, taunter);
            targets.truncate(count);
        }
        targets
    }

    pub(crate) fn targets(&self, who: usize, rule: &Ability) -> Vec<usize> {
        let picked = self.picked(who, rule);
        match (picked.first(), rule.area) {
            (_, Area::None | Area::Around(_)) | (None, _) => picked,
            (Some(first), _) => self.in_area(who, *first, rule),
        }
    }

    pub(super) fn start(&mut self, who: usize, ability: usize, targets: Vec<usize>) {
        let rule = &self.world.abilities[ability];
        let release = self.now + rule.times[0];
        (self.all[who].waits, self.all[who].reacts) = (false, None);
        (self.all[who].wants, self.all[who].aims) = (None, None);
        (self.all[who].doing, self.all[who].mobile) = (Doing::Casting(ability, release), rule.mobile);
        let (target, number) = (id(targets[0]), targets.len() as u16);
        let caster = id(who);
        let first = targets[0];
        self.report(Event::Used {
            caster,
            ability: ability_id(ability),
            target,
            targets: number,
            release: Time(release),
        });
        let about = Details { ability: Some(ability), ..Details::default() };
        self.raise(TriggerEvent::AbilityUsed, who, Some(first), &about);
        for target in targets.iter().filter(|target| **target != who) {
            self.raise(TriggerEvent::Targeted, *target, Some(who), &about);
        }
        self.all[who].targets = targets;
        self.all[who].row = 0;
        if !rule.pays_at_release {
            self.pay(who, ability);
        }
        if rule.counts == Counts::Start {
            self.count_use(who, ability, self.now);
        }
        if let Some(status) = rule.during {
            self.hold(who, Source::Ability(ability_id(ability)), IN_USE, who, status);
        }
    }

    pub(super) fn pay(&mut self, who: usize, ability: usize) {
        let cost = self.world.abilities[ability].cost;
        if cost > 0.0 {
            let left = self.take(who, WIND, cost).2;
            let pool = PoolId(WIND as u16);
            self.report(Event::Spent { who: id(who), ability: ability_id(ability), pool, amount: cost, left });
        }
    }

    /// Counts a use: the cooldown starts at a given time, and a use and a charge are spent.
    pub(super) fn count_use(&mut self, who: usize, ability: usize, from: u64) {
        let world = self.world;
        let rule = &world.abilities[ability];
        let (now, cooldown) = (self.now, rule.times[2]);
        let one = &mut self.all[who];
        one.ready[ability] = from + cooldown;
        one.used[ability] += 1;
        if let Some((_, regain)) = rule.charges {
            // Charges are regained one after the other.
            let last = one.charges[ability].last().copied().filter(|last| *last > now).unwrap_or(from);
            one.charges[ability].retain(|back| *back > now);
            one.charges[ability].push(last + regain);
        }
        if let Some(time) = rule.shares {
            for (index, other) in world.abilities.iter().enumerate() {
                if other.shares.is_some() {
                    one.ready[index] = one.ready[index].max(from + time.unwrap_or(cooldown));
                }
            }
        }
    }

    pub(super) fn release(&mut self, who: usize, ability: usize) {
        let world = self.world;
        let rule = &world.abilities[ability];
        let recovered = self.now + rule.times[1];
        if self.all[who].row == 0 {
            if rule.pays_at_release {
                if rule.cost - self.amount(who, WIND) > 1e-9 * 40.0 {
                    self.all[who].doing = Doing::Recovering(recovered);
                    return;
                }
                self.pay(who, ability);
            }
            if rule.counts == Counts::Release {
                self.count_use(who, ability, self.now);
            }
            self.all[who].row = rule.releases.map_or(1, |(count, _)| count);
        }
        let left = self.all[who].row - 1;
        self.all[who].released[ability] = Some(self.now);
        if left == 0 && rule.counts == Counts::End && rule.sustain.is_none() {
            self.count_use(who, ability, recovered);
        }
        let ready = Time(self.all[who].ready[ability]);
        self.report(Event::Released { caster: id(who), ability: ability_id(ability), ready });
        if left == 0 && rule.sustain.is_none() {
            // The cast is over, so its own effects cannot interrupt it.
            (self.all[who].doing, self.all[who].row) = (Doing::Recovering(recovered), 0);
            self.take_effect(who, ability);
            return;
        }
        let reached = self.take_effect(who, ability);
        if self.all[who].doing != Doing::Casting(ability, self.now) {
            return;
        }
        if let (true, Some(sustain)) = (reached, &rule.sustain) {
            let until = sustain.longest.map_or(FOREVER, |longest| self.now + longest);
            self.all[who].row = 1;
            return self.keep_on(who, ability, until);
        }
        self.all[who].row = left;
        if let (true, Some((_, every))) = (reached, rule.releases) {
            self.all[who].doing = Doing::Casting(ability, self.now + every);
            return;
        }
        self.end_use(who, ability);
    }

    fn end_use(&mut self, who: usize, ability: usize) {
        let rule = &self.world.abilities[ability];
        let recovered = self.now + rule.times[1];
        if rule.counts == Counts::End {
            self.count_use(who, ability, recovered);
        }
        let one = &mut self.all[who];
        (one.doing, one.row, one.keeps) = (Doing::Recovering(recovered), 0, None);
    }

    /// A sustained ability ticks, or ends before that.
    fn keep_on(&mut self, who: usize, ability: usize, until: u64) {
        let next = self.now + self.world.abilities[ability].sustain.as_ref().unwrap().every;
        if next > until && until == self.now {
            return self.stop(who, ability, StopReason::Longest);
        }
        self.all[who].keeps = Some((next, until));
        self.all[who].doing = Doing::Casting(ability, next.min(until));
    }

    pub(super) fn stop(&mut self, who: usize, ability: usize, reason: StopReason) {
        self.report(Event::Stopped { caster: id(who), ability: ability_id(ability), reason });
        self.end_use(who, ability);
    }

    pub(super) fn keep_up(&mut self, who: usize, ability: usize, next: u64) {
        let world = self.world;
        let rule = &world.abilities[ability];
        let sustain = rule.sustain.as_ref().unwrap();
        if next > self.now {
            return self.stop(who, ability, StopReason::Longest);
        }
        let first = self.all[who].targets.iter().copied().find(|target| self.all[*target].stands);
        let Some(first) = first else { return self.stop(who, ability, StopReason::NoTarget) };
        if sustain.above.is_some_and(|above| self.share(who) <= above) {
            return self.stop(who, ability, StopReason::Unwanted);
        }
        if rule.reaches().is_some_and(|reach| !self.within(who, first, reach)) {
            return self.stop(who, ability, StopReason::OutOfReach);
        }
        if sustain.cost - self.amount(who, WIND) > 1e-9 * 40.0 {
            return self.stop(who, ability, StopReason::CannotAfford);
        }
        if sustain.cost > 0.0 {
            let left = self.take(who, WIND, sustain.cost).2;
            let (pool, amount) = (PoolId(WIND as u16), sustain.cost);
            self.report(Event::Spent { who: id(who), ability: ability_id(ability), pool, amount, left });
        }
        self.report(Event::Sustained { caster: id(who), ability: ability_id(ability) });
        let until = self.all[who].keeps.unwrap().1;
        let targets = self.all[who].targets.clone();
        self.carry_out(who, ability, &sustain.does, &targets, true);
        if self.all[who].doing == Doing::Casting(ability, self.now) {
            self.keep_on(who, ability, until);
        }
    }

    /// Whether any target was left.
    pub(super) fn take_effect(&mut self, who: usize, ability: usize) -> bool {
        let world = self.world;
        let rule = &world.abilities[ability];
        let targets = self.all[who].targets.clone();
        if !targets.iter().any(|target| self.all[*target].stands != rule.defeated) {
            self.report(Event::Lost { caster: id(who), ability: ability_id(ability) });
            return false;
        }
        if rule.travels {
            self.send_out(who, ability, &targets);
        }
        self.carry_out(who, ability, &rule.does, &targets, !rule.travels);
        true
    }

    /// The effects of an ability, one after the other; on its targets as well, unless they are still in flight.
    pub(super) fn carry_out(
        &mut self,
        who: usize,
        ability: usize,
        does: &[(Effect, To, Only)],
        targets: &[usize],
        on_targets: bool,
    ) {
        let source = Source::Ability(ability_id(ability));
        for (effect, to, only) in does {
            match to {
                To::Target if !on_targets => {}
                To::Target => {
                    for (number, target) in targets.iter().enumerate() {
                        self.effect_if(who, source, *target, *effect, number + 1, *only);
                    }
                }
                To::Caster => self.effect_if(who, source, who, *effect, 1, *only),
                To::Side(side, within) => {
                    let reached = |other: &usize| self.can_be_targeted(who, *other, *side);
                    let reached: Vec<usize> = (0..self.all.len()).filter(reached).collect();
                    for other in reached {
                        if within.is_none_or(|within| self.within(who, other, within)) {
                            self.effect_if(who, source, other, *effect, 1, *only);
                        }
                    }
                }
            }
        }
    }
}
