//! Lines of the timeline about statuses.

use edgeplane::fight::{Applied, Logged, Prevention, Source};
use edgeplane::program::{LostReason, StatusId};
use edgeplane::{Event, Time};

use super::text;
use super::timeline::{Came, Teller};

impl Teller<'_> {
    pub(super) fn status(&mut self, logged: Logged) {
        let at = logged.at;
        match logged.event {
            // The effects of gear show it.
            Event::StatusGained { status, .. } | Event::StatusLost { status, .. }
                if self.program.status(status).worn =>
            {
                self.formulas.clear();
            }
            Event::StatusGained { caster, target, status, stacks, until, applied, .. } => {
                self.arithmetic_of_status();
                let came = Came {
                    result: self.stacks(status, stacks, applied),
                    left: until.map_or_else(String::new, |until| format!("until {}", time(until))),
                    notes: how(applied).to_owned(),
                    strong: false,
                };
                self.result(at, caster, Source::Status(status), target, &came);
            }
            Event::StatusPrevented { caster, target, status, reason } => {
                self.arithmetic_of_status();
                let came = Came { notes: self.why(reason), strong: true, ..Came::only("prevented") };
                self.result(at, caster, Source::Status(status), target, &came);
            }
            Event::StatusStacks { target, status, stacks, .. } => {
                let came = Came::only(&format!("{stacks} left"));
                self.line(at, self.who(target), &self.program.status(status).name, "", &came);
            }
            Event::StatusMoved { target, status, until } => {
                let came = Came { left: format!("until {}", time(until)), ..Came::only("lasts") };
                self.line(at, self.who(target), &self.program.status(status).name, "", &came);
            }
            Event::StatusLost { target, status, reason, .. }
                if !matches!(reason, LostReason::OwnerDefeated | LostReason::OwnerLeft) =>
            {
                let came = Came::only(ended(reason));
                self.line(at, self.who(target), &self.program.status(status).name, "", &came);
            }
            Event::Triggered { who, status, event } if self.trace => {
                let name = &self.program.status(status).name;
                let came = Came::only(&format!("triggers on {}", event.name()));
                self.line(at, self.who(who), name, "", &came);
            }
            Event::StatusExpiring { target, status, until } if self.trace => {
                let came = Came::only(&format!("will end at {}", time(until)));
                self.line(at, self.who(target), &self.program.status(status).name, "", &came);
            }
            _ => {}
        }
    }

    fn stacks(&self, status: StatusId, stacks: u32, applied: Applied) -> String {
        match (self.program.status(status).max_stacks, applied) {
            (1, Applied::New | Applied::Replaced) => "begins".to_owned(),
            (1, _) => "goes on".to_owned(),
            _ => format!("{stacks} stacked"),
        }
    }

    fn why(&self, reason: Prevention) -> String {
        match reason {
            Prevention::Immune { by: Some(by) } => text::strong(&format!("immune by {}", self.program.status(by).name)),
            other => text::strong(Prevention::NAMES[other.kind()]),
        }
    }
}

fn time(at: Time) -> String {
    format!("{:.2} s", at.seconds())
}

fn how(applied: Applied) -> &'static str {
    match applied {
        Applied::New | Applied::Stacked => "",
        Applied::Renewed => "renewed",
        Applied::Extended => "extended",
        Applied::Replaced => "replaces the previous one",
        _ => "applied",
    }
}

fn ended(reason: LostReason) -> &'static str {
    match reason {
        LostReason::Expired => "ends",
        LostReason::Cleansed => "is cleansed",
        LostReason::Replaced => "is replaced",
        LostReason::Consumed => "is consumed",
        LostReason::ConditionEnded => "condition no longer holds",
        LostReason::OwnerDefeated | LostReason::OwnerLeft => "ends with its owner",
        LostReason::Transferred => "is transferred",
    }
}
