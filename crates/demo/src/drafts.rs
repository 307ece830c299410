//! Two drafts of Larkhaven's planners: one that is better than what is live, and one that is full of faults.

use barometer_strategy::{Edit, Next, PartId};
use serde_json::json;

/// A draft, as the edits that lead to it from the live strategy.
#[derive(Clone, Debug)]
pub struct DemoDraft {
    /// What its planner calls it.
    pub name: &'static str,
    /// What was done in it, one after the other.
    pub edits: Vec<Edit>,
}

fn set(step: &str, setting: &str, to: serde_json::Value) -> Edit {
    let part = PartId::Step(step.to_owned());
    Edit::Set { part, setting: setting.to_owned(), to }
}

/// People of Bookings help callers of Sailing changes after 45 seconds instead of three minutes.
pub fn better_draft() -> DemoDraft {
    let help = "/does/queue/need/relaxations/0/after_secs";
    DemoDraft {
        name: "Help on storm days sooner",
        edits: vec![set("sailing-changes-queue", help, json!(45))],
    }
}

/// A tidying-up that looks harmless, with six faults that people really make: an office hunt that ends before
/// the second office rings, an exit that leads back, chats that are cut off at the end of a shift, a callback promised for after
/// closing, messages that nobody hears, and freight calls offered one at a time.
pub fn faulty_draft() -> DemoDraft {
    DemoDraft {
        name: "Autumn tidy-up",
        edits: vec![
            set("harbour-offices", "/does/hunt_group/group_limit_secs", json!(25)),
            Edit::Several(vec![
                set("bookings-queue", "/does/queue/longest_wait_secs", json!(240)),
                Edit::Connect {
                    part: PartId::Step("bookings-queue".to_owned()),
                    exit: "/does/queue/exits/too_long".to_owned(),
                    to: Some(Next::step("travellers")),
                },
            ]),
            Edit::Set {
                part: PartId::Team("web-chat-team".to_owned()),
                setting: "/on_leaving".to_owned(),
                to: json!("cut_off"),
            },
            set("groups-callback", "/does/callback/promise", json!({ "after_secs": 14_400.0 })),
            set("voicemail", "/does/voicemail/work", json!(null)),
            set("vehicles-freight-queue", "/does/queue/offering/parallel", json!(false)),
        ],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn both_drafts_can_be_played_and_say_what_they_change() {
        for draft in [better_draft(), faulty_draft()] {
            let mut strategy = crate::strategy();
            for edit in &draft.edits {
                let told = edit.sentence(&strategy);
                assert!(told.contains('→'), "{told}");
                strategy = edit.apply(&strategy).unwrap();
            }
            assert!(strategy != crate::strategy(), "{}", draft.name);
        }
        assert_eq!(faulty_draft().edits.len(), 6);
    }
}
