//! Steps that statuses add to the hits of their owners.

#![allow(clippy::unwrap_used, clippy::panic, missing_docs)]

use crate::common::game;
use crate::common::scene::{ONE, OWNER, hurt, waiting};
use edgeplane::fight::{Event, Log};
use edgeplane::{CombatantId, Game, Silent};

/// A hit on the owner and one by it, through the steps of the given statuses.
fn stepped(steps: &str, statuses: &[(&str, CombatantId)]) -> (Vec<f64>, Vec<String>) {
    let text = format!(
        r#"
        [attributes]
        might = 10
        [pools]
        health = {{ max = 1000, defeat = true }}
        [damage_types]
        blow = {{}}
        cold = {{}}
        [[hit_steps]]
        name = "double"
        amount = "amount * 2"
        [[hit_steps]]
        name = "blunt"
        amount = "amount - 1"
        {steps}
        [ability.hit]
        does = [{{ damage = 10, type = "blow" }}, {{ damage = 10, type = "cold" }}]
        [character.one]
        abilities = ["hit"]
        [encounter.scene]
        sides.a = ["one"]
        sides.b = ["one"]
        "#
    );
    let game = game(&text);
    let mut fight = waiting(&game);
    for (status, who) in statuses {
        fight.apply_status(game.status(status).unwrap(), OWNER, *who, 2, &mut Silent).unwrap();
    }
    let hit = game.ability("hit").unwrap();
    let mut log = Log::default();
    fight.apply_effects(OWNER, hit, ONE, &mut log).unwrap();
    let amounts: Vec<f64> = hurt(&log).into_iter().map(|(_, dealt)| dealt).collect();
    let mut printed = Steps { names: Vec::new(), game: game.clone() };
    fight.apply_effects(OWNER, hit, ONE, &mut printed).unwrap();
    (amounts, printed.names)
}

/// Records the steps that a hit goes through, with all details requested.
struct Steps {
    names: Vec<String>,
    game: Game,
}

impl edgeplane::Observer for Steps {
    fn wants(&self) -> edgeplane::fight::EventMask {
        edgeplane::fight::EventMask::DETAIL
    }

    fn event(&mut self, _: edgeplane::Time, event: Event) {
        if let Event::Stepped { step, after, .. } = event {
            let name = &self.game.program().hit_steps()[step.index()].name;
            self.names.push(format!("{name} {after}"));
        }
    }
}

#[test]
fn statuses_add_steps_for_hits_dealt_and_taken_at_their_place() {
    let steps = r#"
        [status.feeble]
        duration = 9
        hit_steps = [{ name = "feeble", of = "hits_dealt", before = "double", amount = "amount - 3" }]
        [status.padded]
        duration = 9
        reapply = "stack"
        max_stacks = 5
        hit_steps = [
          { name = "padding", of = "hits_taken", after = "double", types = ["blow"], amount = "amount * (1 - 0.25 * stacks)" },
        ]
        [status.sheltered]
        duration = 9
        hit_steps = [{ name = "shelter", of = "hits_taken", when = "self.might > 5 and hit.initial > 5", stop = "sheltered" }]
    "#;
    assert_eq!(stepped(steps, &[]).0, [19.0, 19.0], "nobody has any");
    // (10 - 3) × 2 - 1 for hits dealt by the feeble one; not for those dealt to it.
    assert_eq!(stepped(steps, &[("feeble", OWNER)]).0, [13.0, 13.0]);
    assert_eq!(stepped(steps, &[("feeble", ONE)]).0, [19.0, 19.0]);
    // 10 × 2 × (1 - 0.25 × 2) - 1 for blows.
    let (amounts, printed) = stepped(steps, &[("padded", ONE)]);
    assert_eq!(amounts, [9.0, 19.0]);
    assert_eq!(
        printed,
        ["double 20", "padding 10", "blunt 9", "double 20", "blunt 19"],
        "what nobody has is not printed"
    );
    assert_eq!(stepped(steps, &[("padded", OWNER)]).0, [19.0, 19.0]);
    assert_eq!(stepped(steps, &[("feeble", OWNER), ("padded", ONE)]).0, [6.0, 13.0]);
    let (amounts, printed) = stepped(steps, &[("sheltered", ONE)]);
    assert_eq!(amounts, [0.0, 0.0]);
    assert_eq!(printed.last().unwrap(), "shelter 0", "last, where no place is named");
}
