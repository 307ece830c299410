//! "What would have to change for this contact to be answered?": the scene, or the strategy, with one
//! thing changed, walked again.

use barometer_strategy::{Edit, Pacing, PartId, StepKind, Strategy};
use jiff::tz::TimeZone;
use jiff::{Span, ToSpan};
use serde_json::Value;

use crate::host::plain;
use crate::scene::{OnShift, Scene, SceneError};
use crate::walk::{Walk, WalkEnd};

/// One change with which the contact would have been answered.
#[derive(Clone, Debug, PartialEq)]
pub struct Remedy {
    /// In the planner's words: "With one person more in the Bookings team".
    pub what: String,
    /// Seconds from coming in to the answer, then.
    pub answered_after_secs: f64,
    /// The edit of the strategy, where it is one.
    pub edit: Option<Edit>,
}

/// How far ahead an open moment is looked for, in steps of half an hour.
const HALF_HOURS_AHEAD: i64 = 48 * 7;

impl Scene {
    /// Single changes with which a contact that was not answered would have been, those with the
    /// shortest wait first.
    ///
    /// # Errors
    ///
    /// [`SceneError`] as for the walk itself.
    pub fn remedies(
        &self,
        strategy: &Strategy,
        zone: &TimeZone,
    ) -> Result<Vec<Remedy>, SceneError> {
        let walk = self.walk(strategy, zone)?;
        if walk.end == WalkEnd::Answered {
            return Ok(Vec::new());
        }
        let mut found = Vec::new();
        let mut attempt = |what: String, scene: &Scene, edit: Option<Edit>| {
            let edited = edit.as_ref().map(|edit| edit.apply(strategy));
            let strategy = match &edited {
                None => strategy,
                Some(Ok(edited)) => edited,
                Some(Err(_)) => return false,
            };
            let Ok(walk) = scene.walk(strategy, zone) else { return false };
            let is_answered = walk.end == WalkEnd::Answered;
            if is_answered {
                found.push(Remedy { what, answered_after_secs: walk.secs, edit });
            }
            is_answered
        };
        self.with_more_people(strategy, &mut attempt);
        self.with_more_patience(&walk, &mut attempt);
        self.without_a_limit(strategy, &walk, &mut attempt);
        self.with_an_agent_kept(strategy, &walk, &mut attempt);
        self.at_another_time(&mut attempt);
        found.sort_by(|a, b| a.answered_after_secs.total_cmp(&b.answered_after_secs));
        Ok(found)
    }

    fn with_more_people(
        &self,
        strategy: &Strategy,
        attempt: &mut impl FnMut(String, &Self, Option<Edit>) -> bool,
    ) {
        for team in &strategy.teams {
            let mut scene = self.clone();
            match scene.people.iter_mut().find(|each| each.team == team.id) {
                Some(of_team) => {
                    of_team.people += 1;
                    of_team.answers_after_secs = of_team.answers_after_secs.or(Some(3.0));
                }
                None => scene.people.push(OnShift {
                    team: team.id.clone(),
                    people: 1,
                    busy: 0,
                    free_after_secs: 60.0,
                    answers_after_secs: Some(3.0),
                }),
            }
            attempt(format!("One person more, and free, in “{}”", team.name), &scene, None);
        }
    }

    fn with_more_patience(
        &self,
        walk: &Walk,
        attempt: &mut impl FnMut(String, &Self, Option<Edit>) -> bool,
    ) {
        if walk.end != WalkEnd::Abandoned {
            return;
        }
        let mut scene = self.clone();
        scene.caller.patience_secs = None;
        attempt("A caller who waits as long as it takes".to_owned(), &scene, None);
    }

    /// The limit that sent the contact away, taken off or doubled.
    fn without_a_limit(
        &self,
        strategy: &Strategy,
        walk: &Walk,
        attempt: &mut impl FnMut(String, &Self, Option<Edit>) -> bool,
    ) {
        for step in &strategy.steps {
            let passed = walk.moments.iter().any(|moment| moment.step.as_deref() == Some(&step.id));
            if !passed {
                continue;
            }
            let limits: &[(&str, Option<f64>, &str)] = match &step.does {
                StepKind::Queue(queue) => &[
                    ("/does/queue/longest_wait_secs", queue.longest_wait_secs, "longest wait (s)"),
                    ("/does/queue/places", queue.places.map(f64::from), "places"),
                ],
                StepKind::HuntGroup(group) => &[
                    (
                        "/does/hunt_group/group_limit_secs",
                        group.group_limit_secs,
                        "group limit (s)",
                    ),
                    ("/does/hunt_group/places", group.places.map(f64::from), "places"),
                ],
                _ => continue,
            };
            for (setting, limit, words) in limits {
                let Some(limit) = limit else { continue };
                let part = PartId::Step(step.id.clone());
                let set = |to: Value| Edit::Set {
                    part: part.clone(),
                    setting: (*setting).to_owned(),
                    to,
                };
                let doubled = (limit * 2.0).max(1.0);
                let words_of =
                    |to: &str| format!("“{}”: {words} {} → {to}", step.name, plain(*limit));
                let twice = Edit::set_number(part.clone(), setting, doubled);
                if !attempt(words_of(&plain(doubled)), self, Some(twice)) {
                    attempt(words_of("no limit"), self, Some(set(Value::Null)));
                }
            }
        }
    }

    /// A campaign that abandoned the call, keeping an agent for each.
    fn with_an_agent_kept(
        &self,
        strategy: &Strategy,
        walk: &Walk,
        attempt: &mut impl FnMut(String, &Self, Option<Edit>) -> bool,
    ) {
        let Some(called) = self.called.as_ref().filter(|_| walk.end == WalkEnd::NotConnected)
        else {
            return;
        };
        let Some(campaign) = strategy.campaigns.iter().find(|each| each.id == called.campaign)
        else {
            return;
        };
        let edit = Edit::Set {
            part: PartId::Campaign(campaign.id.clone()),
            setting: "/pacing".to_owned(),
            to: serde_json::json!({ Pacing::Progressive {}.key(): {} }),
        };
        let what = format!(
            "“{}”: pacing {} → {}, which keeps an agent for each call",
            campaign.name,
            campaign.pacing.words(),
            Pacing::Progressive {}.words()
        );
        attempt(what, self, Some(edit));
    }

    fn at_another_time(&self, attempt: &mut impl FnMut(String, &Self, Option<Edit>) -> bool) {
        let half_hour = |nth: i64| -> Span { (30 * nth).minutes() };
        for nth in 1..=HALF_HOURS_AHEAD {
            let Ok(at) = self.at.checked_add(half_hour(nth)) else { return };
            let scene = Self { at, ..self.clone() };
            let day = match nth {
                ..48 => String::new(),
                _ => format!("{:?} ", at.weekday()),
            };
            let comes = if self.called.is_some() { "Called" } else { "Arriving" };
            let what = format!(
                "{comes} at {day}{:02}:{:02}, with the same people",
                at.hour(),
                at.minute()
            );
            if attempt(what, &scene, None) {
                return;
            }
        }
    }
}
