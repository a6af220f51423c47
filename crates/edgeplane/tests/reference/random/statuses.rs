//! Statuses, their triggers, and effects of gear.

use super::*;

impl Parts {
    pub(super) fn status(&self, dice: &mut Dice) -> Status {
        let reapply = match dice.below(7) {
            5 => Reapply::Longest,
            6 => Reapply::Strongest,
            0 => Reapply::Keep,
            1 => Reapply::Refresh,
            2 => Reapply::Extend,
            3 => Reapply::Stack(2 + dice.below(4) as u32),
            _ => Reapply::Replace,
        };
        let stacks = matches!(reapply, Reapply::Stack(_));
        let ticks = dice.one_in(4).then_some(2);
        Status {
            // Half of it is a whole number of steps, too.
            duration: 2 * STEP * (2 + dice.below(30)),
            reapply,
            rank: dice.below(3) as f64,
            at_max: (stacks && dice.one_in(2)).then(|| {
                (dice.of(&[Effect::Heal(4.0), Effect::Damage(5.0, 0.0), Effect::Restore(4.0)]), dice.one_in(2))
            }),
            period: dice.one_in(2).then(|| (STEP * (3 + dice.below(20)), tick(dice))),
            ticks,
            part_tick: ticks.is_none() && dice.one_in(4),
            ticks_now: ticks.is_none() && dice.one_in(4),
            restarts: dice.one_in(4),
            might: if dice.one_in(2) { dice.below(7) as f64 - 3.0 } else { 0.0 },
            percent: if dice.one_in(5) { dice.of(&[-25.0, 25.0, 50.0]) } else { 0.0 },
            times: if dice.one_in(6) { dice.of(&[0.5, 2.0]) } else { 1.0 },
            set: dice.one_in(10).then(|| 9.0 + dice.below(4) as f64),
            vigour: if dice.one_in(6) { dice.of(&[-6.0, 10.0]) } else { 0.0 },
            resists: dice.one_in(6).then(|| (dice.one_in(2), dice.of(&[-0.25, 0.25, 0.5]))),
            above: dice.one_in(7).then(|| 0.25 * (1 + dice.below(3)) as f64),
            step: dice.one_in(4).then(|| match dice.below(5) {
                0 => Step::AddsDealt,
                1 => Step::Turns,
                2 => Step::Marks,
                3 if self.portions => Step::Soaks,
                _ => Step::HalvesTaken,
            }),
            is_buff: dice.one_in(2),
            cleansable: !dice.one_in(4),
            resisted: likely(dice).map(|likely| !likely),
            at_least: dice.one_in(10).then(|| 6.0 + dice.below(5) as f64),
            at_most: dice.one_in(10).then(|| 10.0 + dice.below(5) as f64),
            wet: dice.one_in(3),
            immune: dice.one_in(7),
            forbids: dice.of(&[Forbids::Nothing, Forbids::Nothing, Forbids::Nothing, Forbids::Acting, Forbids::Loud]),
            interrupts: dice.one_in(6),
            taunts: dice.one_in(6),
            // If the set of possible targets changes for an instant, walkers choose new goals.
            untargetable: dice.one_in(8).then(|| dice.one_in(3)),
            trigger: dice.one_in(2).then(|| self.trigger(dice, stacks)),
            charms: dice.one_in(8),
            brings: (self.partial && dice.one_in(4)).then(|| dice.index(self.abilities)),
        }
    }

    /// The effect of a worn piece.
    pub(super) fn worn(&self, dice: &mut Dice) -> Status {
        let any = self.status(dice);
        Status {
            duration: 2 * STEP,
            reapply: Reapply::Refresh,
            at_max: None,
            ticks: None,
            part_tick: false,
            ticks_now: false,
            restarts: false,
            might: dice.below(5) as f64 - 1.0,
            above: None,
            is_buff: false,
            cleansable: false,
            resisted: None,
            wet: false,
            forbids: Forbids::Nothing,
            interrupts: false,
            taunts: false,
            charms: false,
            step: any.step.filter(|_| dice.one_in(2)),
            trigger: any.trigger.filter(|trigger| trigger.event != TriggerEvent::StacksReached),
            ..any
        }
    }

    pub(super) fn trigger(&self, dice: &mut Dice, stacks: bool) -> Trigger {
        use TriggerEvent::{
            AbilityUsed, AllyDefeated, Defeated, EnemyDefeated, FightBegan, Gained, HealGiven, HealTaken, HitAvoided,
            HitDealt, HitSoaked, HitTaken, Interrupted, Lost, PoolAbove, PoolBelow, Renewed, StacksReached,
            StatusGained, StatusLost, Targeted,
        };
        let event = match dice.below(24) {
            0 | 1 => HitTaken,
            2 => HitDealt,
            3 => AbilityUsed,
            4 => Gained,
            5 => Lost,
            6 => Renewed,
            7 => HealTaken,
            8 => HealGiven,
            9 => AllyDefeated,
            10 => EnemyDefeated,
            11 => Defeated,
            12 => HitAvoided,
            13 => HitSoaked,
            14 => Interrupted,
            15 | 16 => StatusGained,
            17 => StatusLost,
            18 => PoolBelow,
            19 => PoolAbove,
            20 => Targeted,
            21 => FightBegan,
            _ if stacks => StacksReached,
            _ => HitTaken,
        };
        // Damage in turn would continue endlessly, and so would a zone in response to zones.
        let does = match dice.below(6) {
            0 | 1 => Effect::Heal(4.0),
            2 => Effect::Restore(4.0),
            3 => Effect::Damage(3.0, 0.0),
            4 if self.zones > 0 && matches!(event, AllyDefeated | EnemyDefeated) => {
                Effect::Zone(dice.index(self.zones))
            }
            _ => Effect::Drain(2.0),
        };
        let others = !matches!(event, Gained | Lost | Renewed | StacksReached | AllyDefeated | EnemyDefeated);
        let of =
            (others && dice.one_in(3)).then(|| dice.of(&[Side::Others, Side::Allies, Side::Enemies, Side::Everyone]));
        let uses = matches!(event, AbilityUsed | Targeted);
        let held = matches!(event, StatusGained | StatusLost);
        let hits = matches!(event, HitTaken | HitDealt | HealTaken | HealGiven | HitSoaked);
        let to_other = event == Defeated || dice.one_in(2);
        let trigger = Trigger::new(event, STEP * (4 + dice.below(40)), does);
        let by_tag = dice.one_in(2);
        Trigger {
            of,
            to_other,
            uses: dice.one_in(4).then(|| 1 + dice.below(3) as u32),
            loud: uses && by_tag,
            above: dice.one_in(6).then(|| 0.25 * (1 + dice.below(3)) as f64),
            ability: (uses && !by_tag && dice.one_in(2)).then(|| dice.index(self.abilities)),
            status: (held && !by_tag && dice.one_in(2)).then(|| dice.index(self.statuses)),
            wet: held && by_tag,
            reason: (matches!(event, Lost | StatusLost) && dice.one_in(2))
                .then(|| dice.of(&[LostReason::Expired, LostReason::Consumed, LostReason::Cleansed])),
            amount: (hits && dice.one_in(3)).then(|| 1.0 + dice.below(6) as f64),
            likely: likely(dice),
            cut: matches!(event, HitTaken | HitDealt) && dice.one_in(4),
            share: 0.25 * (1 + dice.below(3)) as f64,
            stacks: 2 + dice.below(2) as u32,
            ..trigger
        }
    }
}

/// A status without effects.
pub(super) fn bare() -> Status {
    Status {
        duration: 2 * STEP,
        reapply: Reapply::Refresh,
        rank: 0.0,
        at_max: None,
        period: None,
        ticks: None,
        part_tick: false,
        ticks_now: false,
        restarts: false,
        might: 0.0,
        percent: 0.0,
        times: 1.0,
        set: None,
        vigour: 0.0,
        resists: None,
        above: None,
        step: None,
        is_buff: false,
        cleansable: false,
        resisted: None,
        at_least: None,
        at_most: None,
        wet: false,
        immune: false,
        forbids: Forbids::Nothing,
        interrupts: false,
        taunts: false,
        untargetable: None,
        trigger: None,
        charms: false,
        brings: None,
    }
}
