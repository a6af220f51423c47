//! Statuses: application, ticks, loss, and triggers.

use super::*;

impl Model<'_> {
    pub(super) fn held(&self, who: usize, status: usize) -> Option<&Held> {
        self.all[who].held.iter().find(|held| held.status == status)
    }

    pub(super) fn prevented(&mut self, by: usize, target: usize, status: usize, reason: Prevention) {
        let (caster, target, status) = (id(by), id(target), status_id(status));
        self.report(Event::StatusPrevented { caster, target, status, reason });
    }

    pub(crate) fn apply(
        &mut self,
        by: usize,
        source: Source,
        target: usize,
        status: usize,
        lasts: Option<u64>,
        stacks: u32,
    ) {
        if !self.all[target].stands {
            return self.prevented(by, target, status, Prevention::Defeated);
        }
        let rule = self.world.status(status);
        if rule.wet && self.rule_of(target).immune {
            return self.prevented(by, target, status, Prevention::Immune { by: None });
        }
        let immune = |held: &&Held| self.status(held.status).immune;
        if let Some(held) = self.all[target].held.iter().find(immune).filter(|_| rule.wet) {
            let by_status = Some(status_id(held.status));
            return self.prevented(by, target, status, Prevention::Immune { by: by_status });
        }
        if rule.resisted == Some(true) {
            return self.prevented(by, target, status, Prevention::Resisted);
        }
        let mut lasts = lasts.unwrap_or(rule.duration);
        let (count, last) = self.all[target].wet;
        let count = if self.now > last + 3_000_000 { 0 } else { count };
        if rule.wet && self.world.diminishes {
            let parts = [2, 1, 0][count.min(2)];
            if parts == 0 {
                return self.prevented(by, target, status, Prevention::Diminished);
            }
            if lasts < FOREVER {
                lasts = lasts * parts / 2;
                // Between two steps the model evaluates nothing.
                self.close_call.set(self.close_call.get() || !lasts.is_multiple_of(STEP));
            }
        }
        let before = self.log.len();
        self.apply_sound(by, source, target, status, lasts, stacks);
        let prevented = matches!(self.log[before].event, Event::StatusPrevented { .. });
        if rule.wet && !prevented {
            self.all[target].wet = (count + 1, self.now);
        }
    }

    /// The same, without reasons for prevention.
    pub(super) fn apply_sound(
        &mut self,
        by: usize,
        source: Source,
        target: usize,
        status: usize,
        lasts: u64,
        stacks: u32,
    ) {
        let rule = self.world.status(status);
        let ends = self.now.saturating_add(lasts);
        let there = self.all[target].held.iter().position(|held| held.status == status);
        let most = if let Reapply::Stack(most) = rule.reapply { most } else { 1 };
        let Some(index) = there else {
            return self.apply_new(by, target, source, status, lasts, stacks.min(most), Applied::New);
        };
        let held = &self.all[target].held[index];
        // A permanent status stays permanent.
        let for_good = held.ends == FOREVER && held.zones.is_empty();
        let ends = if for_good { FOREVER } else { ends };
        let mut before = 1;
        let applied = match rule.reapply {
            Reapply::Keep => return self.prevented(by, target, status, Prevention::Held),
            Reapply::Replace => {
                let serial = held.serial;
                self.lose(target, serial, LostReason::Replaced);
                let lasts = if for_good { FOREVER } else { lasts };
                return self.apply_new(by, target, source, status, lasts, stacks.min(most), Applied::Replaced);
            }
            // All of a kind have the same rank, and the first of equal ones is kept.
            Reapply::Strongest => return self.prevented(by, target, status, Prevention::Weaker),
            Reapply::Longest if ends <= held.ends => return self.prevented(by, target, status, Prevention::Weaker),
            Reapply::Refresh | Reapply::Longest => {
                self.all[target].held[index].ends = ends;
                Applied::Renewed
            }
            Reapply::Extend => {
                let held = &mut self.all[target].held[index];
                held.ends = held.ends.saturating_add(lasts);
                Applied::Extended
            }
            Reapply::Stack(most) => {
                before = held.stacks;
                let held = &mut self.all[target].held[index];
                (held.stacks, held.ends) = ((held.stacks + stacks).min(most), ends);
                Applied::Stacked
            }
        };
        let held = &mut self.all[target].held[index];
        if rule.restarts && rule.period.is_some() {
            (held.rhythm, held.since) = (self.now, 0);
        }
        let held = held.clone();
        let as_before = (self.side_of(target), &self.known(target)[..]);
        self.gained(by, source, target, &held, applied, TriggerEvent::Renewed, before, as_before);
    }

    #[allow(clippy::too_many_arguments)]
    pub(super) fn apply_new(
        &mut self,
        by: usize,
        target: usize,
        source: Source,
        status: usize,
        lasts: u64,
        stacks: u32,
        applied: Applied,
    ) {
        let period = match self.status(status) {
            // A status that is permanent or held by a zone ticks as in its own duration.
            Status { ticks: Some(ticks), duration, period: Some(_), .. } => {
                (if lasts < FOREVER { lasts } else { *duration }) / u64::from(*ticks)
            }
            Status { period: Some((period, _)), ticks: None, .. } => *period,
            _ => FOREVER,
        };
        if period < FOREVER {
            self.close_call.set(self.close_call.get() || !period.is_multiple_of(STEP));
        }
        let held = Held {
            serial: self.serial,
            side: self.status(status).charms.then(|| self.side_of(by)),
            period,
            status,
            caster: by,
            stacks,
            rhythm: self.now,
            since: 0,
            ends: self.now.saturating_add(lasts),
            ticks: 0,
            ready: 0,
            done: 0,
            zones: Vec::new(),
        };
        self.serial += 1;
        let (side, had) = (self.side_of(target), self.known(target));
        self.all[target].held.push(held.clone());
        self.gained(by, source, target, &held, applied, TriggerEvent::Gained, 0, (side, &had));
    }

    #[allow(clippy::too_many_arguments)]
    pub(super) fn gained(
        &mut self,
        by: usize,
        source: Source,
        target: usize,
        held: &Held,
        applied: Applied,
        event: TriggerEvent,
        before: u32,
        (side, had): (usize, &[bool]),
    ) {
        let ends_by_itself = held.ends < FOREVER && held.zones.is_empty();
        let (caster, until) = (id(by), ends_by_itself.then_some(Time(held.ends)));
        let (status, stacks) = (status_id(held.status), held.stacks);
        self.report(Event::StatusGained { caster, target: id(target), status, stacks, total: stacks, until, applied });
        self.follow_status(target, held.status, side, had);
        let ticks_now = |status: &Status| {
            status.ticks_now && status.period.is_some() && (event == TriggerEvent::Gained || status.restarts)
        };
        if ticks_now(self.status(held.status)) {
            self.queue.push_back(Waiting { ticks: true, ..Waiting::new(target, held) });
        }
        self.reach_stacks(target, held, before);
        if self.trigger(held.status).is_some_and(|trigger| trigger.event == event) {
            self.queue.push_back(Waiting { other: Some(by), ..Waiting::new(target, held) });
        }
        let details = Details { status: Some(held.status), ..Details::default() };
        if event == TriggerEvent::Gained {
            self.raise(TriggerEvent::StatusGained, target, Some(by), &details);
        }
        if self.status(held.status).interrupts {
            self.interrupt(target, by, source);
        }
    }

    pub(crate) fn lose(&mut self, who: usize, serial: u32, reason: LostReason) {
        let index = self.all[who].held.iter().position(|held| held.serial == serial).unwrap();
        let (side, had) = (self.side_of(who), self.known(who));
        let held = self.all[who].held.remove(index);
        let other = Some(held.caster);
        let (caster, status) = (id(held.caster), status_id(held.status));
        let stacks = held.stacks;
        self.report(Event::StatusLost { target: id(who), caster, status, stacks, total: 0, reason });
        self.follow_status(who, held.status, side, &had);
        let fits = |trigger: &Trigger| trigger.reason.is_none_or(|wanted| wanted == reason);
        let triggered = self.trigger(held.status).filter(|trigger| trigger.event == TriggerEvent::Lost);
        let details = Details { status: Some(held.status), reason: Some(reason), ..Details::default() };
        if triggered.is_some_and(|trigger| fits(&trigger)) {
            self.queue.push_back(Waiting { other, ..Waiting::new(who, &held) });
        }
        self.raise(TriggerEvent::StatusLost, who, other, &details);
    }

    /// A status was gained or lost: its owner may change sides and abilities.
    fn follow_status(&mut self, who: usize, status: usize, side: usize, had: &[bool]) {
        let now = self.side_of(who);
        if now != side {
            self.report(Event::SideChanged { who: id(who), side: SideId(now as u16) });
        }
        self.hand_over(who, Source::Status(status_id(status)), who, had);
        self.follow_cap(who);
    }

    /// The abilities of a combatant: in each slot the one granted last, otherwise its own.
    pub(crate) fn known(&self, who: usize) -> Vec<bool> {
        let all = &self.world.abilities;
        let brought: Vec<usize> =
            self.all[who].held.iter().rev().filter_map(|held| self.status(held.status).brings).collect();
        let has = |ability: usize| {
            let same = |other: &usize| all[*other].slot.is_some() && all[*other].slot == all[ability].slot;
            match brought.iter().find(|other| same(other)) {
                Some(last) => *last == ability,
                None => self.all[who].own[ability] || brought.contains(&ability),
            }
        };
        (0..all.len()).map(has).collect()
    }

    /// Reports lost abilities, then new ones.
    pub(super) fn hand_over(&mut self, caster: usize, source: Source, who: usize, had: &[bool]) {
        let has = self.known(who);
        let (caster, target) = (id(caster), id(who));
        for index in (0..had.len()).filter(|index| had[*index] && !has[*index]) {
            self.report(Event::Taken { caster, target, source, ability: ability_id(index) });
        }
        for index in (0..had.len()).filter(|index| has[*index] && !had[*index]) {
            self.report(Event::Given { caster, target, source, ability: ability_id(index) });
        }
    }

    /// The number of stacks of a status has changed.
    fn reach_stacks(&mut self, who: usize, held: &Held, before: u32) {
        let full = match self.status(held.status) {
            Status { reapply: Reapply::Stack(most), at_max, .. } if held.stacks == *most && before < *most => *at_max,
            _ => None,
        };
        let trigger = self.trigger(held.status).filter(|trigger| trigger.event == TriggerEvent::StacksReached);
        let reached = |trigger: Trigger| {
            (before < trigger.stacks && trigger.stacks <= held.stacks)
                || (held.stacks <= trigger.stacks && trigger.stacks < before)
        };
        if trigger.is_some_and(reached) {
            self.queue.push_back(Waiting { other: Some(held.caster), ..Waiting::new(who, held) });
        }
        if full.is_some() {
            self.queue.push_back(Waiting { full, ..Waiting::new(who, held) });
        }
    }

    pub(super) fn take_away(&mut self, who: usize, status: usize, reason: LostReason) {
        if let Some(held) = self.held(who, status) {
            let serial = held.serial;
            self.lose(who, serial, reason);
        }
    }

    pub(super) fn use_up(&mut self, who: usize, status: usize, stacks: u32) {
        let Some(index) = self.all[who].held.iter().position(|held| held.status == status) else { return };
        let held = &mut self.all[who].held[index];
        if held.stacks <= stacks {
            let serial = held.serial;
            return self.lose(who, serial, LostReason::Consumed);
        }
        let before = held.stacks;
        held.stacks -= stacks;
        let held = held.clone();
        let stacks = held.stacks;
        self.report(Event::StatusStacks { target: id(who), status: status_id(status), stacks, total: stacks });
        self.reach_stacks(who, &held, before);
    }

    pub(super) fn move_end(&mut self, who: usize, status: usize, moved: impl Fn(u64, u64) -> u64) {
        let now = self.now;
        let Some(index) = self.all[who].held.iter().position(|held| held.status == status) else { return };
        let held = &mut self.all[who].held[index];
        if held.ends < FOREVER {
            held.ends = moved(held.ends, now);
            let until = Time(held.ends);
            self.report(Event::StatusMoved { target: id(who), status: status_id(status), until });
        }
    }

    pub(super) fn tick(&mut self, who: usize, serial: u32) {
        let held = self.all[who].held.iter_mut().find(|held| held.serial == serial).unwrap();
        held.ticks += 1;
        let (status, caster, tick) = (held.status, held.caster, held.ticks);
        self.report(Event::StatusTicked { target: id(who), caster: id(caster), status: status_id(status), tick });
        if let Some((_, effect)) = self.status(status).period {
            self.effect(caster, Source::Status(status_id(status)), who, effect, 1);
        }
    }

    /// An event of a combatant: triggered actions of its statuses are queued, then those of other watching statuses.
    pub(super) fn raise(&mut self, event: TriggerEvent, subject: usize, other: Option<usize>, about: &Details) {
        self.raise_for(subject, subject, event, other, about);
        for owner in 0..self.all.len() {
            if owner != subject && self.all[owner].stands {
                self.raise_for(owner, subject, event, Some(subject), about);
            }
        }
    }

    fn raise_for(&mut self, owner: usize, subject: usize, event: TriggerEvent, other: Option<usize>, about: &Details) {
        let watches = |trigger: &Trigger| match trigger.of {
            None => owner == subject,
            Some(side) => self.fits(owner, subject, side),
        };
        let mut waiting = Vec::new();
        for held in self.all[owner].held.iter().filter(|held| held.ready <= self.now) {
            let left = |trigger: &Trigger| trigger.uses.is_none_or(|uses| held.done < uses);
            let fits = |trigger: &Trigger| trigger.event == event && self.is_about(trigger, about);
            let trigger = self.trigger(held.status).filter(|one| fits(one) && left(one) && watches(one));
            if let Some(trigger) = trigger {
                // For watching statuses, the subject is the other combatant.
                let other = if trigger.of.is_some() { Some(subject) } else { other };
                let about = about.clone();
                waiting.push(Waiting { other, about, ..Waiting::new(owner, held) });
            }
        }
        self.queue.extend(waiting);
    }

    /// Whether an event satisfies the restrictions of a trigger.
    fn is_about(&self, trigger: &Trigger, about: &Details) -> bool {
        let is_loud = || about.ability.is_some_and(|ability| self.world.abilities[ability].loud);
        let is_wet = || about.status.is_some_and(|status| self.status(status).wet);
        let crosses = match (trigger.event, about.moved) {
            (TriggerEvent::PoolBelow, Some((from, to))) => from > trigger.share && to <= trigger.share,
            (TriggerEvent::PoolAbove, Some((from, to))) => from < trigger.share && to >= trigger.share,
            _ => true,
        };
        (!trigger.loud || is_loud())
            && (!trigger.wet || is_wet())
            && trigger.ability.is_none_or(|ability| about.ability == Some(ability))
            && trigger.status.is_none_or(|status| about.status == Some(status))
            && trigger.reason.is_none_or(|reason| about.reason == Some(reason))
            && crosses
    }

    pub(crate) fn respond(&mut self) {
        while let Some(Waiting { owner, held, other, ticks, full, about }) = self.queue.pop_front() {
            if let Some((does, uses_up)) = full {
                self.effect(owner, Source::Status(status_id(held.status)), owner, does, 1);
                if uses_up && self.all[owner].held.iter().any(|one| one.serial == held.serial) {
                    self.lose(owner, held.serial, LostReason::Consumed);
                }
                continue;
            }
            if ticks {
                let founded = self.status(held.status).above.is_none_or(|above| self.share(owner) > above);
                if founded && self.all[owner].held.iter().any(|one| one.serial == held.serial) {
                    self.tick(owner, held.serial);
                }
                continue;
            }
            let Some(trigger) = self.trigger(held.status) else { continue };
            let Trigger { event, cooldown, does, to_other, .. } = trigger;
            let now = self.now;
            // Actions since then count, too; a lost status still performs the triggers of its loss.
            let there = self.all[owner].held.iter().find(|one| one.serial == held.serial);
            let (ready, done) = there.map_or((held.ready, held.done), |one| (one.ready, one.done));
            let share = self.share(owner);
            let is_above = trigger.above.is_none_or(|above| share > above)
                && trigger.amount.is_none_or(|amount| about.amount > amount)
                && (!trigger.cut || about.cut)
                && trigger.likely != Some(false);
            if ready > now || trigger.uses.is_some_and(|uses| done >= uses) || !is_above {
                continue;
            }
            let waiting = self.queue.iter_mut().map(|waiting| &mut waiting.held);
            for one in self.all[owner].held.iter_mut().chain(waiting).filter(|one| one.serial == held.serial) {
                (one.ready, one.done) = (now + cooldown, done + 1);
            }
            let status = status_id(held.status);
            self.report(Event::Triggered { who: id(owner), status, event });
            let receiver = if to_other && event.has_other() { other } else { Some(owner) };
            if let Some(receiver) = receiver {
                self.aftermath = matches!(event, TriggerEvent::AllyDefeated | TriggerEvent::EnemyDefeated);
                self.effect(owner, Source::Status(status), receiver, does, 1);
                self.aftermath = false;
            }
        }
    }
}
