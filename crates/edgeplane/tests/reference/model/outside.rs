//! External influences: the script, reinforcements, the calls of a game, and gear.

use super::*;

impl Model<'_> {
    pub(super) fn run_script(&mut self) -> bool {
        let mut any = false;
        for who in 0..self.all.len() {
            if self.all[who].absent && self.all[who].joins == Joins::At(self.now) {
                any = true;
                self.join(who, None);
            }
        }
        for index in 0..self.script.len() {
            let Scripted { every, ability, by, .. } = self.world.script[index];
            let (at, times) = self.script[index];
            if at != self.now || times == 0 {
                continue;
            }
            any = true;
            self.script[index] = every.map_or((at, 0), |every| (at + every, times - 1));
            for who in (0..self.all.len()).filter(|who| self.all[*who].side == by).collect::<Vec<_>>() {
                if self.all[who].stands {
                    self.report(Event::Scripted { who: id(who), ability: ability_id(ability) });
                    let targets = self.targets(who, &self.world.abilities[ability]);
                    let world = self.world;
                    self.carry_out(who, ability, &world.abilities[ability].does, &targets, true);
                    self.respond();
                }
            }
        }
        self.respond();
        any
    }

    pub(super) fn join(&mut self, who: usize, by: Option<(CombatantId, Source)>) {
        let vigour = self.rule_of(who).vigour;
        let now = self.now;
        let one = &mut self.all[who];
        (one.stands, one.absent) = (true, false);
        one.pools = [(vigour, now), (20.0, now), (0.0, now)];
        one.cap = vigour;
        self.report(Event::Joined { who: id(who), by });
        self.dress(who, true);
        self.raise(TriggerEvent::FightBegan, who, None, &Details::default());
    }

    pub(super) fn call(&mut self, who: usize, source: Source, character: usize, count: u32) {
        for _ in 0..count {
            let side = self.side_of(who);
            let waits =
                |one: &One| one.absent && one.joins == Joins::Called && one.character == character && one.side == side;
            let Some(called) = self.all.iter().position(waits) else { return };
            self.join(called, Some((id(who), source)));
        }
    }

    pub(super) fn call_from_outside(&mut self, call: Call) {
        if call.last() >= self.all.len() {
            return;
        }
        match call {
            Call::Apply(status, caster, target) => {
                self.apply(caster, Source::Status(status_id(status)), target, status, None, 1);
            }
            Call::Remove(status, target) => {
                while let Some(held) = self.all[target].held.iter().find(|held| held.status == status) {
                    self.lose(target, held.serial, LostReason::Cleansed);
                }
            }
            Call::Pool(who, pool, amount) => self.put(who, pool, amount.min(self.cap(who, pool))),
            Call::Cause(by, target, amount) => {
                let blow = Blow::of(Type::Cold);
                if self.all[target].stands {
                    self.hit(by, Source::Cause(CauseId(0)), target, amount, blow);
                }
            }
            Call::Wear(who, piece) => self.wear(who, piece),
            Call::TakeOff(who, piece) => self.take_off(who, piece),
            Call::Place(who, place) => self.put_at(who, place),
            Call::Use(who, ability, target) => {
                let aimed = target
                    .map_or_else(|| self.open(who, ability, When::Always), |first| self.aimed(who, ability, first));
                if let (Some(targets), true, Doing::Idle) = (aimed, self.all[who].stands, self.all[who].doing) {
                    self.start(who, ability, targets);
                }
            }
            Call::Effects(who, ability, target) => {
                let rule = &self.world.abilities[ability];
                self.carry_out(who, ability, &rule.does, &[target], true);
                if let Some(sustain) = &rule.sustain {
                    self.report(Event::Sustained { caster: id(who), ability: ability_id(ability) });
                    self.carry_out(who, ability, &sustain.does, &[target], true);
                }
            }
            Call::Cancel(who) => {
                if let Doing::Casting(ability, _) = self.all[who].doing {
                    self.interrupt(who, who, Source::Ability(ability_id(ability)));
                }
            }
            Call::Stop(who) => {
                if let (Doing::Casting(ability, _), Some(_)) = (self.all[who].doing, self.all[who].keeps) {
                    self.stop(who, ability, StopReason::ByHand);
                }
            }
            Call::Despawn(who) if self.all[who].gone => {}
            Call::Despawn(who) => self.leave(who),
            Call::Spawn(character, side, place) => self.spawn(character, side, place),
            Call::KeepOut(_) => unreachable!("the fight has begun"),
            Call::Control(who, by_hand) => {
                let one = &mut self.all[who];
                if one.by_hand != by_hand {
                    (one.by_hand, one.waits, one.reacts) = (by_hand, false, None);
                }
            }
            Call::Base(who, of, base) => self.set_base(who, of, base),
        }
    }

    /// Takes the first free slot of a despawned combatant once nothing refers to it, or adds slots.
    fn spawn(&mut self, character: usize, side: usize, place: [f64; 2]) {
        let member =
            Member { character, joins: Joins::AtOnce, at: place, vital: false, health: None, begins_with: None };
        let mut new = One::new(self.world, side, member);
        (new.stands, new.absent, new.gone) = (false, true, true);
        let alike = |one: &One| one.character == character && one.side == side;
        let of_encounter = self.world.members().count();
        let is_free = |who: &usize| alike(&self.all[*who]) && self.all[*who].gone && !self.is_meant(*who);
        let free = (of_encounter..self.all.len()).find(is_free);
        let who = free.unwrap_or(self.all.len());
        if free.is_none() {
            let more = self.all.iter().filter(|one| alike(one)).count().max(4);
            self.all.extend(std::iter::repeat_n(new.clone(), more));
        }
        new.threat = vec![0.0; self.all.len()];
        self.all[who] = new;
        let count = self.all.len();
        for one in &mut self.all {
            one.threat.resize(count, 0.0);
            one.threat[who] = 0.0;
        }
        self.all[who].gone = false;
        self.join(who, None);
        self.respond();
    }

    /// Whether anything refers to a combatant: its statuses on others, flights, zones, or target lists.
    fn is_meant(&self, who: usize) -> bool {
        let by = |one: &One| one.held.iter().any(|held| held.caster == who);
        let aims = |one: &One| matches!(one.doing, Doing::Casting(..)) && one.targets.contains(&who);
        self.all.iter().any(|one| by(one) || aims(one))
            || self.zones.iter().any(|placed| placed.owner == who || placed.carrier == Some(who))
            || self.flights.iter().any(|flight| flight.caster == who || flight.target == who)
    }

    /// Removes a combatant; its statuses on others and its zones remain.
    fn leave(&mut self, who: usize) {
        self.let_go(who, IN_USE);
        let one = &mut self.all[who];
        (one.stands, one.absent, one.gone, one.joins) = (false, true, true, Joins::AtOnce);
        (one.doing, one.keeps, one.waits) = (Doing::Idle, None, false);
        for other in &mut self.all {
            other.hurt_by = other.hurt_by.filter(|(by, _)| *by != id(who));
        }
        while let Some(held) = self.all[who].held.first() {
            self.lose(who, held.serial, LostReason::OwnerLeft);
        }
        self.report(Event::Despawned { who: id(who) });
        self.respond();
        if self.ending.is_none() {
            self.ending = self.ending_of_sides();
        }
    }

    fn set_base(&mut self, who: usize, of: Base, base: f64) {
        let rises = of == Base::Level && base > self.all[who].level;
        self.note_base(who, of, base);
        self.follow_cap(who);
        if rises {
            self.gain_level(who);
        }
    }

    fn note_base(&mut self, who: usize, of: Base, base: f64) {
        let one = &mut self.all[who];
        match of {
            Base::Level => one.level = base,
            Base::Might => one.might = Some(base),
            Base::Vigour => one.vigour = Some(base),
        }
    }

    /// Values that a game sets before the fight become the initial state.
    pub(super) fn set_before(&mut self, call: Call) {
        match call {
            Call::Pool(who, pool, amount) => self.all[who].put[pool] = Some(amount).filter(|_| self.all[who].stands),
            Call::Base(who, of, base) => self.note_base(who, of, base),
            Call::KeepOut(who) => {
                let one = &mut self.all[who];
                (one.stands, one.absent) = (false, one.absent || one.stands);
            }
            Call::Wear(who, piece) => self.all[who].worn = self.with(who, piece),
            Call::TakeOff(who, piece) => self.all[who].worn.retain(|other| *other != piece),
            _ => unreachable!("{call:?}"),
        }
    }

    /// The gear of a combatant and its initial statuses and amounts.
    pub(super) fn dress(&mut self, who: usize, begins: bool) {
        self.dressing = true;
        for status in self.rule_of(who).statuses.clone() {
            self.apply(who, Source::Status(status_id(status)), who, status, Some(FOREVER), 1);
        }
        for given in self.of_gear(who) {
            self.wear_status(who, given);
        }
        if !begins {
            (self.dressing, self.all[who].cap) = (false, self.cap(who, HEALTH));
            return;
        }
        if let Some(status) = self.all[who].begins_with {
            self.apply(who, Source::Status(status_id(status)), who, status, None, 1);
        }
        self.spend_points(who);
        if let Some((piece, true)) = self.rule_of(who).perhaps {
            self.wear(who, piece);
        }
        self.dressing = false;
        let cap = self.cap(who, HEALTH);
        if cap != self.all[who].cap {
            self.report(Event::CapChanged { who: id(who), pool: PoolId(HEALTH as u16), cap, left: cap });
        }
        (self.all[who].cap, self.all[who].pools[HEALTH]) = (cap, (cap, self.now));
        if let Some(health) = self.all[who].health {
            self.all[who].pools[HEALTH] = (health.min(cap), self.now);
        }
        for pool in [HEALTH, WIND, SHELL] {
            if let Some(amount) = self.all[who].put[pool].take() {
                self.all[who].pools[pool] = (amount.min(self.cap(who, pool)), self.now);
            }
        }
    }

    /// A point comes with each level after the first; they are spent in order, repeatedly.
    pub(super) fn spend_points(&mut self, who: usize) {
        let points = self.all[who].level as u32 - 1;
        for (index, status) in (0..).zip(self.world.points()) {
            let wanted = points / 2 + u32::from(index < points % 2);
            let held = self.held(who, status).map_or(0, |held| held.stacks);
            if wanted > held {
                self.apply(who, Source::Status(status_id(status)), who, status, Some(FOREVER), wanted - held);
            }
        }
    }

    /// The statuses of a combatant's gear: of the pieces, then of the set.
    pub(super) fn of_gear(&self, who: usize) -> Vec<Given> {
        let worn = &self.all[who].worn;
        let own = |status: usize| Given { status, stacks: 1, lasts: None };
        let of_piece = |piece: &usize| [Some(own(self.world.status_of_gear(*piece))), self.world.gear[*piece].gives];
        let mut statuses: Vec<Given> = worn.iter().flat_map(of_piece).flatten().collect();
        if worn.iter().filter(|piece| self.world.gear[**piece].in_set).count() >= 2 {
            statuses.push(own(self.world.statuses.len()));
            statuses.extend(self.world.set_gives);
        }
        // A status that several give is held once, with the highest number of stacks.
        let most = |one: &Given| {
            let same = statuses.iter().filter(|other| other.status == one.status && other.lasts == one.lasts);
            Given { stacks: same.map(|other| other.stacks).max().unwrap(), ..*one }
        };
        let mut once: Vec<Given> = Vec::new();
        for one in statuses.iter().map(most) {
            if !once.contains(&one) {
                once.push(one);
            }
        }
        once
    }

    pub(super) fn wear_status(&mut self, who: usize, given: Given) {
        let Given { status, stacks, lasts } = given;
        let source = Source::Status(status_id(status));
        if status < self.world.statuses.len() {
            return self.apply(who, source, who, status, Some(lasts.unwrap_or(FOREVER)), stacks);
        }
        self.apply_new(who, who, source, status, FOREVER, stacks, Applied::New);
    }

    pub(super) fn change_gear(&mut self, who: usize, worn: Vec<usize>) {
        let before = self.of_gear(who);
        self.all[who].worn = worn;
        let after = self.of_gear(who);
        let own = self.rule_of(who).statuses.clone();
        let goes = |given: &&Given| given.lasts.is_none() && !after.contains(given) && !own.contains(&given.status);
        for given in before.iter().filter(goes) {
            let worn = |held: &&Held| held.status == given.status && held.ends == FOREVER && held.zones.is_empty();
            if let Some(held) = self.all[who].held.iter().find(worn) {
                self.lose(who, held.serial, LostReason::ConditionEnded);
            }
        }
        for given in after.iter().filter(|given| !before.contains(given)) {
            if self.all[who].stands {
                self.wear_status(who, *given);
            } else {
                self.prevented(who, who, given.status, Prevention::Defeated);
            }
        }
    }

    pub(super) fn wear(&mut self, who: usize, piece: usize) {
        self.change_gear(who, self.with(who, piece));
    }

    /// The gear of a combatant after it has put a piece on.
    fn with(&self, who: usize, piece: usize) -> Vec<usize> {
        let mut worn = self.all[who].worn.clone();
        if !worn.contains(&piece) {
            let slot = self.world.gear[piece].slot;
            worn.retain(|other| slot.is_none() || self.world.gear[*other].slot != slot);
            worn.push(piece);
        }
        worn
    }

    pub(super) fn take_off(&mut self, who: usize, piece: usize) {
        let mut worn = self.all[who].worn.clone();
        worn.retain(|other| *other != piece);
        self.change_gear(who, worn);
    }
}
