//! Who rings from when to when in a hunt group or queue, if nobody answers.

use barometer_strategy::{Next, Strategy};
use jiff::civil::DateTime;
use jiff::tz::TimeZone;

use crate::scene::{OnShift, Scene, SceneError};
use crate::walk::What;

/// Who rings when, for a contact that nobody answers and that never hangs up.
#[derive(Clone, Debug, PartialEq)]
pub struct RingTimeline {
    /// Each ringing of each member, in order of time.
    pub rings: Vec<Rung>,
    /// When the contact leaves for another reason than an answer, and why; `None` where it stays for
    /// good.
    pub leaves: Option<(f64, String)>,
    /// Seconds after which further members may be offered the contact.
    pub widens: Vec<f64>,
}

/// A member's device rings.
#[derive(Clone, Debug, PartialEq)]
pub struct Rung {
    /// Whose.
    pub agent: String,
    /// From this second of the contact's stay.
    pub from_secs: f64,
    /// To this one; `None` where it rings on.
    pub to_secs: Option<f64>,
}

/// Seconds for which ringing is followed, at most.
const LONGEST_SECS: f64 = 1_800.0;

/// Who would ring from when to when in a step, for a contact of this type that finds everybody on shift
/// free and that nobody answers. `people` are those on shift by team: who is busy, and who answers, is
/// left aside.
///
/// # Errors
///
/// [`SceneError`] where the strategy cannot be followed. A step that is no queue or hunt group rings
/// nobody.
pub fn ring_timeline(
    strategy: &Strategy,
    step: &str,
    contact_type: &str,
    channel: barometer_strategy::Channel,
    people: &[OnShift],
    zone: &TimeZone,
    at: DateTime,
) -> Result<RingTimeline, SceneError> {
    let mut direct = strategy.clone();
    // The contact comes straight to the step.
    for entry in &mut direct.entries {
        entry.first = Next::step(step);
    }
    let people =
        people.iter().map(|team| OnShift { busy: 0, answers_after_secs: None, ..team.clone() });
    let mut scene = Scene::plain(contact_type, at, people.collect());
    scene.caller.channel = channel;
    scene.caller.patience_secs = Some(LONGEST_SECS);
    let walk = scene.walk(&direct, zone)?;
    let mut timeline = RingTimeline { rings: Vec::new(), leaves: None, widens: Vec::new() };
    let here = |moment: &&crate::Moment| moment.step.as_deref() == Some(step);
    for moment in walk.moments.iter().filter(here) {
        match &moment.what {
            What::Rings(agent) => timeline.rings.push(Rung {
                agent: agent.clone(),
                from_secs: moment.at_secs,
                to_secs: None,
            }),
            What::StopsRinging(agent) => {
                let ringing = timeline.rings.iter_mut().rev();
                if let Some(rung) =
                    ringing.into_iter().find(|rung| rung.agent == *agent && rung.to_secs.is_none())
                {
                    rung.to_secs = Some(moment.at_secs);
                }
            }
            What::Widened => timeline.widens.push(moment.at_secs),
            What::Took(why, _) if why != "patience ended" => {
                timeline.leaves = Some((moment.at_secs, why.clone()));
                break;
            }
            _ => {}
        }
    }
    Ok(timeline)
}
