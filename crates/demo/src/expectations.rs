//! What must happen to single contacts, whatever version of the strategy is live.

use barometer_walk::{Called, Expectation, OnShift, Outcome, Scene, WalkEnd};
use jiff::civil::{DateTime, date};

/// Walk-throughs that every version has to keep right.
pub fn expectations() -> Vec<Expectation> {
    let bookings = |people: u32, busy: u32| OnShift {
        team: "bookings-team".to_owned(),
        people,
        busy,
        free_after_secs: 5.0,
        answers_after_secs: Some(3.0),
    };
    let expects = |end, within_secs| Outcome { end: Some(end), reaches: None, within_secs };
    let morning = date(2026, 11, 25).at(9, 30, 0, 0);
    let news = |at, zone: &str| {
        let mut scene = Scene::plain(
            "",
            at,
            vec![OnShift { answers_after_secs: Some(0.0), ..bookings(20, 10) }],
        );
        let zone = Some(zone.to_owned());
        scene.called = Some(Called { zone, ..Called::first_call("sailing-news") });
        scene
    };
    vec![
        Expectation {
            name:
                "A passenger in Paris who is told of a cancelled sailing talks to somebody at once"
                    .to_owned(),
            scene: news(date(2026, 11, 25).at(15, 0, 0, 0), "Europe/Paris"),
            expects: expects(WalkEnd::Answered, Some(20.0)),
        },
        Expectation {
            name: "Nobody in New York is called before eight in the morning".to_owned(),
            scene: news(date(2026, 11, 25).at(12, 30, 0, 0), "America/New_York"),
            expects: expects(WalkEnd::NotCalled, None),
        },
        expectation(
            "A booking on a full morning is answered within a minute",
            ("Bookings", morning, &["English", "New and changed bookings"]),
            vec![bookings(40, 40)],
            expects(WalkEnd::Answered, Some(60.0)),
        ),
        expectation(
            "A Norse caller is answered within a minute though nobody speaks Norse",
            ("Bookings", morning, &["Norse"]),
            vec![bookings(40, 0)],
            expects(WalkEnd::Answered, Some(60.0)),
        ),
        expectation(
            "A group after six may leave a message",
            ("Groups", date(2026, 11, 25).at(19, 30, 0, 0), &["English", "Groups of ten and more"]),
            Vec::new(),
            expects(WalkEnd::Voicemail, None),
        ),
        expectation(
            "Christmas Day is closed",
            ("Bookings", date(2026, 12, 25).at(10, 0, 0, 0), &[]),
            vec![bookings(5, 0)],
            expects(WalkEnd::Voicemail, Some(30.0)),
        ),
    ]
}

fn expectation(
    name: &str,
    (contact_type, at, keys): (&str, DateTime, &[&str]),
    people: Vec<OnShift>,
    expects: Outcome,
) -> Expectation {
    let mut scene = Scene::plain(contact_type, at, people);
    scene.caller.keys = keys.iter().map(|key| (*key).to_owned()).collect();
    Expectation { name: name.to_owned(), scene, expects }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::tz::TimeZone;

    #[test]
    fn the_live_strategy_meets_all_of_them() {
        let zone = TimeZone::get(crate::ZONE).unwrap();
        for expectation in expectations() {
            let checked = expectation.check(&crate::strategy(), &zone);
            assert!(checked.is_met, "{}: {}", expectation.name, checked.told);
        }
    }
}
