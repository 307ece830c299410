//! What happened to the contact, moment by moment, and the walk itself.

use barometer_routing::{
    AgentId, Arrival, CampaignId, CompiledStrategy, ContactId, ContactTypeId, End, Id, Router,
    Setting, State, Step, Timer, Work,
};
use barometer_strategy::Strategy;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use serde::Serialize;

use crate::call::Call;
use crate::host::{Due, Follower};
use crate::scene::{Scene, SceneError};

/// Seconds after which a walk-through ends, whatever is still waited for.
const LONGEST_SECS: f64 = 86_400.0;
/// Events that a walk-through may have.
const MOST_EVENTS: usize = 20_000;

/// What happened to a contact.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Walk {
    /// In order of time.
    pub moments: Vec<Moment>,
    /// How it ended.
    pub end: WalkEnd,
    /// Seconds from arrival to the answer or the end.
    pub secs: f64,
    /// Seconds of waiting in queues and hunt groups, until the answer or the end.
    pub wait_secs: f64,
}

/// One thing that happened.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Moment {
    /// Seconds since the contact arrived.
    pub at_secs: f64,
    /// On the centre's clock.
    pub clock: DateTime,
    /// What.
    pub what: What,
    /// The step where it happened, by its id; `None` where there is none.
    pub step: Option<String>,
    /// The setting that decided, as a JSON pointer within the step.
    pub setting: Option<String>,
    /// In the planner's words.
    pub sentence: String,
}

/// What happened, as tests compare it.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum What {
    /// The contact arrived.
    Arrived,
    /// It reached a step.
    Reached,
    /// A menu, an announcement or an assistant plays, or was not understood.
    Plays,
    /// Labels were put on.
    Labelled(Vec<String>),
    /// It took a way: the cause, and where to.
    Took(String, String),
    /// It joined a queue or hunt group.
    Joined,
    /// More agents may be offered it from now on.
    Widened,
    /// Something was told while it waits, counted from 1.
    Told(usize),
    /// A callback was offered.
    CallbackOffered,
    /// It rings at an agent.
    Rings(String),
    /// The agent's device stops ringing.
    StopsRinging(String),
    /// Nobody answered in time.
    NotAnswered,
    /// An agent answered.
    Answered(String),
    /// A callback was promised.
    CallbackPromised,
    /// The campaign does not begin the call, or not yet.
    NotDialled,
    /// An agent is kept for the call.
    Kept(String),
    /// The agent looks at who is next.
    Looks,
    /// The number is dialled.
    Dialled,
    /// Somebody, or a machine, answers.
    LineAnswered,
    /// Detection listens whether a machine talks.
    Detects,
    /// Whether there is another call.
    Again,
    /// It ended.
    Ended(WalkEnd),
}

/// How a walk-through ends.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, Serialize, serde::Deserialize, schemars::JsonSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum WalkEnd {
    /// An agent answered.
    Answered,
    /// The caller hung up.
    Abandoned,
    /// Released.
    Released,
    /// The busy tone.
    BusyTone,
    /// Left a message.
    Voicemail,
    /// Handed to a number outside.
    Outside,
    /// Settled by an assistant.
    Contained,
    /// Promised a callback that nobody made within a day.
    CallbackPromised,
    /// Called back in vain, or cut off.
    Failed,
    /// Still waiting after a day.
    StillWaiting,
    /// Not called at this moment.
    NotCalled,
    /// Called, and nobody was reached.
    NotReached,
    /// Answered our call, and no agent was connected in time.
    NotConnected,
}

impl WalkEnd {
    /// In the planner's words: "was answered".
    pub const fn words(self) -> &'static str {
        match self {
            Self::Answered => "is answered",
            Self::Abandoned => "hangs up",
            Self::Released => "is released",
            Self::BusyTone => "gets the busy tone",
            Self::Voicemail => "leaves a message",
            Self::Outside => "is handed to an outside number",
            Self::Contained => "is settled by the assistant",
            Self::CallbackPromised => "waits for a callback that nobody makes",
            Self::Failed => "is not reached again",
            Self::StillWaiting => "still waits after a day",
            Self::NotCalled => "is not called",
            Self::NotReached => "is not reached",
            Self::NotConnected => "is abandoned by us",
        }
    }

    pub(crate) const fn of(end: End) -> Self {
        match end {
            End::Abandoned => Self::Abandoned,
            End::Released => Self::Released,
            End::Blocked => Self::BusyTone,
            End::Voicemail => Self::Voicemail,
            End::Outside => Self::Outside,
            End::Contained => Self::Contained,
            End::CallbackFailed | End::CutOff => Self::Failed,
            End::NotConnected => Self::NotConnected,
        }
    }
}

impl Scene {
    /// Follows the contact through a strategy.
    ///
    /// # Errors
    ///
    /// [`SceneError`] says what of the scene or the strategy cannot be used.
    pub fn walk(&self, strategy: &Strategy, zone: &TimeZone) -> Result<Walk, SceneError> {
        self.check()?;
        let start =
            self.at.to_zoned(zone.clone()).map_err(|_| SceneError::Moment(self.at))?.timestamp();
        let people: Vec<usize> = strategy
            .teams
            .iter()
            .map(|team| {
                let named = self.people.iter().filter(|each| each.team == team.id);
                named.map(|each| each.people as usize).sum()
            })
            .collect();
        if let Some(stray) =
            self.people.iter().find(|each| strategy.teams.iter().all(|team| team.id != each.team))
        {
            return Err(SceneError::NoTeam(stray.team.clone()));
        }
        let alone = self.called.as_ref().map(|called| called.campaign_of(strategy)).transpose()?;
        let of_caller = [(self.caller.contact_type.as_str(), self.caller.channel)];
        let is_named = !self.caller.contact_type.is_empty();
        let setting = Setting {
            start,
            secs: LONGEST_SECS,
            zone,
            contact_types: if is_named { &of_caller } else { &[] },
            people: &people,
        };
        let compiled = CompiledStrategy::compile(strategy, &setting)?;
        let follower = Follower::new(self, strategy, &compiled);
        let mut router = Router::new(&compiled, follower);
        let profile = is_named.then(|| router.recognise(ContactTypeId::at(0), &self.profile()));
        self.sign_in(&mut router);
        let arrival = Arrival { contact_type: ContactTypeId::at(0), profile, last_agent: None };
        for _ in 0..self.ahead {
            let other = router.admit(arrival);
            router.come_in(other);
        }
        match (&self.called, &alone) {
            (Some(called), Some(alone)) => {
                let place = strategy.campaigns.iter().position(|each| each.id == alone.id);
                let id = CampaignId::at(place.unwrap_or(0));
                let call =
                    Call::of(called, alone, (start, zone), (id, compiled.inbound_points_of(id)));
                play(&mut router, Some(call));
            }
            _ => {
                let contact = router.admit(arrival);
                router.host.follow(contact);
                router.come_in(contact);
                play(&mut router, None);
            }
        }
        Ok(router.host.into_walk(start, zone))
    }

    /// Lets people sign in; those who are busy hold a contact until they are free.
    fn sign_in(&self, router: &mut Router<'_, Follower<'_>>) {
        let compiled = router.strategy();
        let teams = router.host.teams();
        for (team, model) in teams.into_iter().zip(compiled.teams.iter()) {
            let Some(of_team) = self.people.iter().find(|each| each.team == team) else { continue };
            let members: Vec<AgentId> = model.members().take(of_team.people as usize).collect();
            for &agent in &members {
                router.sign_in(agent);
            }
            // Those at the end of the list are busy: the first in the list is offered contacts first.
            let busy = members.iter().rev().take(of_team.busy as usize);
            for (nth, &agent) in busy.enumerate() {
                if let Some(other) = router.occupy(agent, ContactTypeId::at(0)) {
                    let free_at = of_team.free_after_secs * (nth + 1) as f64;
                    router.host.plan(free_at, Due::Finished(other));
                }
            }
        }
    }
}

/// Lets everything happen until the fate of the contact, or of the call, is known.
fn play(router: &mut Router<'_, Follower<'_>>, mut call: Option<Call<'_>>) {
    for _ in 0..MOST_EVENTS {
        if let Some(call) = &mut call {
            call.go_on(router);
        }
        if router.host.is_over() {
            break;
        }
        let Some((at, due)) = router.host.take_next() else { break };
        if at > LONGEST_SECS {
            break;
        }
        router.advance(at);
        match due {
            Due::Timer(id, timer, token) => {
                if timer == Timer::Widens {
                    router.host.note_widening(&router.floor, id, token);
                }
                router.timer_fires(id, timer, token);
            }
            Due::HangsUp(id) => {
                if router.host.hangs_up_at(id) == Some(at) {
                    router.hang_up(id);
                }
            }
            Due::StepOver(id) => leave_step(router, id),
            Due::Answers(agent) => {
                if router.host.answers_at(agent, at) {
                    router.agent_answers(agent);
                }
            }
            Due::Finished(id) => {
                if !router.host.is_followed(id) && is_talking(router, id) {
                    router.finish(id);
                }
            }
            Due::Line => {
                if let Some(call) = &mut call {
                    call.line_over(router);
                }
            }
        }
    }
    if let Some(call) = &mut call {
        call.over(router);
    }
}

fn is_talking(router: &Router<'_, Follower<'_>>, id: ContactId) -> bool {
    let state = router.floor.contacts[id].state;
    matches!(state, State::WithAgent { work: Work::Talking | Work::WrappingUp, .. })
}

fn leave_step(router: &mut Router<'_, Follower<'_>>, id: ContactId) {
    let State::InStep { step, .. } = router.floor.contacts[id].state else { return };
    match &router.strategy().steps[step] {
        Step::Menu { .. } => {
            let choice = router.host.chooses(id, step);
            router.key_pressed(id, choice);
        }
        Step::Announcement { .. } => router.announcement_ends(id),
        Step::Assistant { .. } => {
            let is_contained = router.host.is_contained();
            router.assistant_ends(id, is_contained);
        }
        _ => {}
    }
}
