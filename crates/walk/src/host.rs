//! The host of a walk-through: nothing is drawn, everything is as the scene says, and every decision
//! about the followed contact is noted.

use barometer_routing::{
    AgentId, CallbackId, CallbackOffered, CompiledStrategy, ContactId, End, Floor, Host, Id,
    Interrupted, Observation, Reply, Seconds, Serves, ServicePointId, Stays, StepId, Timer,
    TimerToken, number_matches,
};
use barometer_strategy::{Condition, Journey, Step, StepKind, Strategy};
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};

use crate::scene::{OnShift, Scene};
use crate::walk::{Moment, Walk, WalkEnd, What};

/// What happens at a planned moment.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Due {
    /// A timer of routing's.
    Timer(ContactId, Timer, TimerToken),
    /// Patience is over.
    HangsUp(ContactId),
    /// A menu, an announcement or an assistant is over.
    StepOver(ContactId),
    /// An agent answers, if the device has not stopped since.
    Answers(AgentId),
    /// An agent is done with a contact.
    Finished(ContactId),
    /// What the line of a campaign's call does is over.
    Line,
}

/// Something that happened to the followed contact.
struct Noted {
    at: Seconds,
    what: What,
    step: Option<StepId>,
    setting: Option<String>,
    told: String,
}

/// Follows one contact.
pub(crate) struct Follower<'a> {
    scene: &'a Scene,
    strategy: &'a Strategy,
    compiled: &'a CompiledStrategy,
    journey: Journey,
    followed: Option<ContactId>,
    agenda: Vec<(Seconds, u32, Due)>,
    planned: u32,
    patience: Vec<(ContactId, Seconds)>,
    /// When each device that rings is going to be answered.
    answers: Vec<(AgentId, Seconds)>,
    /// Menus that each contact has heard, in the order of the choices that it makes.
    menus_heard: Vec<(ContactId, usize)>,
    labels: u64,
    step: Option<StepId>,
    moments: Vec<Noted>,
    waited_secs: f64,
    end: Option<(WalkEnd, Seconds)>,
    is_promised: bool,
}

impl<'a> Follower<'a> {
    pub fn new(scene: &'a Scene, strategy: &'a Strategy, compiled: &'a CompiledStrategy) -> Self {
        Self {
            scene,
            strategy,
            compiled,
            journey: strategy.journey(),
            followed: None,
            agenda: Vec::new(),
            planned: 0,
            patience: Vec::new(),
            answers: Vec::new(),
            menus_heard: Vec::new(),
            labels: 0,
            step: None,
            moments: Vec::new(),
            waited_secs: 0.0,
            end: None,
            is_promised: false,
        }
    }

    pub fn follow(&mut self, contact: ContactId) {
        self.followed = Some(contact);
    }

    pub fn is_followed(&self, contact: ContactId) -> bool {
        self.followed == Some(contact)
    }

    /// Ids of the teams, in the strategy's order.
    pub fn teams(&self) -> Vec<&'a str> {
        self.strategy.teams.iter().map(|team| team.id.as_str()).collect()
    }

    pub fn is_over(&self) -> bool {
        self.end.is_some()
    }

    pub fn has_ended(&self, how: WalkEnd) -> bool {
        self.end.is_some_and(|(end, _)| end == how)
    }

    pub fn plan(&mut self, at: Seconds, due: Due) {
        self.planned += 1;
        self.agenda.push((at, self.planned, due));
    }

    /// The next thing that happens: the soonest, of those at one moment the one planned first.
    pub fn take_next(&mut self) -> Option<(Seconds, Due)> {
        let soonest = |a: &&(Seconds, u32, Due), b: &&(Seconds, u32, Due)| {
            a.0.total_cmp(&b.0).then(a.1.cmp(&b.1))
        };
        let number = self.agenda.iter().min_by(soonest)?.1;
        let place = self.agenda.iter().position(|each| each.1 == number)?;
        let (at, _, due) = self.agenda.swap_remove(place);
        Some((at, due))
    }

    /// Whether an agent answers at this moment: the device has rung since the answer was planned.
    pub fn answers_at(&mut self, agent: AgentId, at: Seconds) -> bool {
        let before = self.answers.len();
        self.answers.retain(|each| *each != (agent, at));
        self.answers.len() < before
    }

    /// When a contact's patience ends.
    pub fn hangs_up_at(&self, contact: ContactId) -> Option<Seconds> {
        self.patience.iter().find(|each| each.0 == contact).map(|each| each.1)
    }

    /// The choice that a caller makes in a menu.
    pub fn chooses(&mut self, contact: ContactId, step: StepId) -> Option<usize> {
        let heard = match self.menus_heard.iter_mut().find(|each| each.0 == contact) {
            Some(heard) => heard,
            None => {
                self.menus_heard.push((contact, 0));
                self.menus_heard.last_mut()?
            }
        };
        let key = self.scene.caller.keys.get(heard.1);
        heard.1 += 1;
        let StepKind::Menu(menu) = &self.strategy.steps[step.place()].does else { return None };
        let choice = key.and_then(|key| menu.choices.iter().position(|each| each.name == *key));
        if self.followed == Some(contact)
            && choice.is_none()
            && let Some(key) = key
        {
            let told = format!("This menu has no choice “{key}”: nothing is chosen.");
            self.note_now(What::Plays, Some(step), None, told);
        }
        choice
    }

    pub fn is_contained(&self) -> bool {
        self.scene.caller.is_contained
    }

    /// What is set for the number that was called: ", where +44* is blocked", ", which labels it “storm”".
    fn set_there(&self, contact_type: &str) -> String {
        let Some(entry) = self.strategy.entry_of(contact_type) else { return String::new() };
        let number = self.scene.caller.number.as_str();
        if let Some(pattern) = entry.blocked.iter().find(|pattern| number_matches(pattern, number))
        {
            return format!(", where {pattern} is blocked");
        }
        let label = entry.label.iter().map(|label| format!(", which labels it “{label}”"));
        let language = entry.language.iter().map(|spoken| format!(", where {spoken} is spoken"));
        label.chain(language).collect()
    }

    fn name_of(&self, step: StepId) -> &'a str {
        &self.strategy.steps[step.place()].name
    }

    /// The step of a queue or hunt group; none where a campaign's calls wait for a team.
    fn step_of(&self, point: ServicePointId) -> Option<StepId> {
        let is_step = point.place() < self.compiled.points_of_steps();
        is_step.then(|| self.compiled.service_points[point].step)
    }

    /// What a queue, a hunt group, or the campaign whose calls wait for a team is called.
    fn point_name(&self, point: ServicePointId) -> &'a str {
        let campaigns = self.compiled.campaigns.iter().zip(&self.strategy.campaigns);
        let mut own = campaigns.filter(|(campaign, _)| campaign.serves == Serves::Agents(point));
        match self.step_of(point) {
            Some(step) => self.name_of(step),
            None => own.next().map_or("", |(_, campaign)| campaign.name.as_str()),
        }
    }

    fn team_of(&self, agent: AgentId) -> Option<&'a OnShift> {
        let team = self.compiled.agents[agent].team;
        let id = &self.strategy.teams[team.place()].id;
        self.scene.people.iter().find(|each| each.team == *id)
    }

    pub fn agent_name(&self, agent: AgentId) -> String {
        self.compiled.agents[agent].name.clone()
    }

    /// Notes something at the moment of the note before.
    fn note_now(
        &mut self,
        what: What,
        step: Option<StepId>,
        setting: Option<String>,
        told: String,
    ) {
        let at = self.moments.last().map_or(0.0, |last| last.at);
        self.moments.push(Noted { at, what, step, setting, told });
    }

    pub fn note(
        &mut self,
        floor: &Floor,
        what: What,
        step: Option<StepId>,
        setting: Option<String>,
        told: String,
    ) {
        self.moments.push(Noted { at: floor.now, what, step, setting, told });
    }

    pub fn settle(&mut self, floor: &Floor, end: WalkEnd) {
        if self.end.is_none() {
            self.end = Some((end, floor.now));
        }
    }

    pub fn into_walk(self, start: Timestamp, zone: &TimeZone) -> Walk {
        let left_over =
            if self.is_promised { WalkEnd::CallbackPromised } else { WalkEnd::StillWaiting };
        let last = self.moments.last().map_or(0.0, |moment| moment.at);
        let (end, secs) = self.end.unwrap_or((left_over, last));
        let id_of = |step: StepId| self.strategy.steps[step.place()].id.clone();
        let moments = self.moments.into_iter().map(|noted| {
            let at = start + SignedDuration::from_secs_f64(noted.at);
            Moment {
                at_secs: noted.at,
                clock: at.to_zoned(zone.clone()).datetime(),
                what: noted.what,
                step: noted.step.map(id_of),
                setting: noted.setting,
                sentence: noted.told,
            }
        });
        Walk { moments: moments.collect(), end, secs, wait_secs: self.waited_secs }
    }

    fn took(&mut self, floor: &Floor, contact: ContactId, flow: barometer_routing::FlowId) {
        let Some(step) = self.step else { return };
        let flow = &self.compiled.flows[flow];
        let name = self.name_of(step);
        if flow.from != name {
            return;
        }
        self.note_labels(floor, contact, step);
        let from = self.strategy.entries.len() + step.place();
        let links = &self.journey.links;
        let link = links.iter().find(|link| link.from == from && link.cause == flow.why);
        let setting = link.and_then(|link| link.exit.clone());
        let to = match link.map(|link| &self.journey.stops[link.to]) {
            Some(barometer_strategy::Stop::Step(at)) => {
                format!("on to “{}”", self.strategy.steps[*at].name)
            }
            _ => flow.to.clone(),
        };
        let clock = self.clock_words(floor.now);
        let told = match (&self.strategy.steps[step.place()].does, flow.why.as_str()) {
            (StepKind::HoursGate(_), why) => format!("“{name}” is {why} at {clock}: {to}."),
            (StepKind::Menu(_), "nothing chosen") => {
                format!("Nothing is chosen in “{name}”: {to}.")
            }
            (StepKind::Menu(_), choice) => format!("Chooses “{choice}” in “{name}”: {to}."),
            (StepKind::Labelling(_), _) => format!("Through “{name}”, {to}."),
            (StepKind::Routing(_), "otherwise") => {
                format!("“{name}”: none of its labels, so {to}.")
            }
            (StepKind::Routing(_), label) => format!("“{name}”: labelled “{label}”, so {to}."),
            (StepKind::Queue(_) | StepKind::HuntGroup(_), "answered") => return,
            (_, why) => format!("“{name}”: {why}, {to}."),
        };
        let what = What::Took(flow.why.clone(), flow.to.clone());
        self.note(floor, what, Some(step), setting, told);
    }

    /// Labels that a step has put on a contact, with the rule that did it.
    fn note_labels(&mut self, floor: &Floor, contact: ContactId, step: StepId) {
        let StepKind::Labelling(labelling) = &self.strategy.steps[step.place()].does else {
            return;
        };
        let now = floor.contacts[contact].labels;
        let fresh = now & !std::mem::replace(&mut self.labels, now);
        let names = self.compiled.labels.iter().enumerate();
        let put_on: Vec<String> = names
            .filter(|(bit, _)| fresh & (1 << bit) != 0)
            .map(|(_, name)| name.clone())
            .collect();
        let name = self.name_of(step);
        if put_on.is_empty() {
            let told = format!("“{name}” puts no label on.");
            return self.note(floor, What::Labelled(put_on), Some(step), None, told);
        }
        for label in put_on {
            let rule = labelling.rules.iter().position(|rule| rule.label == label);
            let why =
                rule.map_or_else(String::new, |at| condition_words(&labelling.rules[at].when));
            let setting = rule.map(|at| format!("/does/labelling/rules/{at}/when"));
            let told = format!("“{name}” labels it “{label}”: {why}.");
            self.note(floor, What::Labelled(vec![label]), Some(step), setting, told);
        }
    }

    fn clock_words(&self, secs: Seconds) -> String {
        let at = self.scene.at.saturating_add(SignedDuration::from_secs_f64(secs));
        format!("{:02}:{:02}", at.hour(), at.minute())
    }
}

fn condition_words(condition: &Condition) -> String {
    match condition {
        Condition::CallerNumber(pattern) => format!("the number matches {pattern}"),
        Condition::Attribute { name, value } => format!("{name} is {value}"),
        Condition::Language(language) => format!("the language is {language}"),
        Condition::Time(hours) => {
            let time = |time: jiff::civil::Time| format!("{:02}:{:02}", time.hour(), time.minute());
            format!("it is between {} and {}", time(hours.from), time(hours.until))
        }
        Condition::Share(share) => {
            format!("it is among the {:.0} % for whom this holds", share * 100.0)
        }
    }
}

fn step_path(step: &Step, setting: &str) -> String {
    format!("/does/{}/{setting}", step.does.name().key())
}

impl Host for Follower<'_> {
    fn set_timer(
        &mut self,
        _floor: &Floor,
        at: Seconds,
        contact: ContactId,
        timer: Timer,
    ) -> TimerToken {
        // Numbers begin at one, so that every timer has a token of its own.
        let number = self.planned.saturating_add(1);
        let token =
            TimerToken(std::num::NonZeroU32::new(number).unwrap_or(std::num::NonZeroU32::MIN));
        self.plan(at, Due::Timer(contact, timer, token));
        token
    }

    fn answers_at_once(&self, _floor: &Floor, agent: AgentId) -> bool {
        self.team_of(agent).is_some_and(|team| team.answers_after_secs == Some(0.0))
    }

    fn ring(&mut self, floor: &Floor, _contact: ContactId, agent: AgentId, until: Seconds) {
        let after = self.team_of(agent).and_then(|team| team.answers_after_secs);
        if let Some(answers_at) = after.map(|after| floor.now + after).filter(|&at| at <= until)
            && floor.agents[agent].is_on_shift
        {
            self.answers.push((agent, answers_at));
            self.plan(answers_at, Due::Answers(agent));
        }
    }

    fn stop_ringing(&mut self, floor: &Floor, contact: ContactId, agent: AgentId) {
        self.answers.retain(|each| each.0 != agent);
        if self.followed == Some(contact) && !self.is_over() {
            let name = self.agent_name(agent);
            let told = format!("{name}’s device stops ringing.");
            self.note(floor, What::StopsRinging(name), self.step, None, told);
        }
    }

    fn connect(&mut self, floor: &Floor, contact: ContactId, _agent: AgentId) {
        self.plan(floor.now + self.scene.caller.handle_secs, Due::Finished(contact));
    }

    fn call_back(&mut self, _: &Floor, _: ContactId, _: CallbackId) -> Reply {
        Reply::Accepted
    }

    fn disconnect(&mut self, _: &Floor, _: ContactId, _: AgentId, _: Interrupted) {}

    fn holds(&mut self, _: &Floor, _: AgentId, _: u32) {}

    fn play(&mut self, floor: &Floor, contact: ContactId, step: StepId) {
        let of = &self.strategy.steps[step.place()];
        let (secs, does) = match &of.does {
            StepKind::Menu(menu) => (menu.time.mean_secs(), "Hears the menu"),
            StepKind::Announcement(told) => (told.time.mean_secs(), "Hears"),
            StepKind::Assistant(assistant) => (assistant.time.mean_secs(), "Talks with"),
            _ => return,
        };
        self.plan(floor.now + secs, Due::StepOver(contact));
        if self.followed == Some(contact) {
            let told = format!("{does} “{}” for {} s.", of.name, plain(secs));
            let setting = Some(step_path(of, "time"));
            self.note(floor, What::Plays, Some(step), setting, told);
        }
    }

    fn wait(&mut self, floor: &Floor, contact: ContactId) {
        // Those who are ahead wait as long as it takes.
        let Some(patience) = self.scene.caller.patience_secs else { return };
        if self.followed != Some(contact) || self.hangs_up_at(contact).is_some() {
            return;
        }
        let since = floor.contacts[contact].waiting_since.unwrap_or(floor.now);
        self.patience.push((contact, since + patience));
        self.plan(since + patience, Due::HangsUp(contact));
    }

    fn announce(
        &mut self,
        floor: &Floor,
        contact: ContactId,
        service_point: ServicePointId,
        announcement: usize,
    ) -> Stays {
        let Some(step) = self.step_of(service_point) else { return Stays::On };
        let of = &self.strategy.steps[step.place()];
        if self.followed == Some(contact)
            && let StepKind::Queue(queue) = &of.does
            && let Some(told) = queue.announcements.get(announcement)
        {
            if let Some(ends) = self.hangs_up_at(contact)
                && told.patience_factor != 1.0
            {
                let ends = floor.now + (ends - floor.now) * told.patience_factor;
                self.patience.iter_mut().for_each(|each| {
                    if each.0 == contact {
                        each.1 = ends;
                    }
                });
                self.plan(ends, Due::HangsUp(contact));
            }
            let setting = Some(step_path(of, &format!("announcements/{announcement}")));
            let words =
                format!("Announcement {} plays for {} s.", announcement + 1, plain(told.secs));
            self.note(floor, What::Told(announcement + 1), Some(step), setting, words);
        }
        Stays::On
    }

    fn offer_callback(
        &mut self,
        floor: &Floor,
        contact: ContactId,
        offer: CallbackOffered,
    ) -> Reply {
        let accepts = self.scene.caller.accepts_callback && self.followed == Some(contact);
        if self.followed == Some(contact) {
            let (step, setting) = match offer {
                CallbackOffered::WhileWaiting(point) => {
                    let step = self.step_of(point);
                    (step, Some("/does/queue/callback".to_owned()))
                }
                CallbackOffered::AtStep(step, _) => (Some(step), None),
            };
            let does = if accepts { "accepts" } else { "does not accept" };
            let told = format!("A callback is offered, and the caller {does}.");
            self.note(floor, What::CallbackOffered, step, setting, told);
        }
        if accepts { Reply::Accepted } else { Reply::Declined }
    }

    fn share_applies(&self, _: &Floor, _: ContactId, label: u64, _: f64) -> bool {
        let name = self.compiled.labels.get(label.trailing_zeros() as usize);
        name.is_some_and(|name| self.scene.caller.labels.contains(name))
    }

    fn order_at_random(&self, _: &Floor, _: ContactId, _: u32, place: usize) -> f64 {
        // Nothing is drawn: the list's order stands for any.
        place as f64 / 1e6
    }

    fn mean_handle_secs(&self, _: &Floor, _: ContactId) -> Seconds {
        self.scene.caller.handle_secs
    }

    fn work_made(&mut self, _: &Floor, _: ContactId, _: ContactId) {}

    fn leaves_when_free(&mut self, _: &Floor, _: AgentId) -> bool {
        false
    }

    fn observe(&mut self, floor: &Floor, what: Observation) {
        let contact = match what {
            Observation::Arrived { contact }
            | Observation::ReachedStep { contact, .. }
            | Observation::Took { contact, .. }
            | Observation::Joined { contact, .. }
            | Observation::Rings { contact, .. }
            | Observation::NotAnswered { contact }
            | Observation::Waited { contact, .. }
            | Observation::CallbackPromised { contact }
            | Observation::Answered { contact, .. }
            | Observation::Ended { contact, .. } => contact,
            _ => return,
        };
        if self.followed != Some(contact) || self.is_over() {
            return;
        }
        match what {
            Observation::Arrived { .. } => {
                self.labels = floor.contacts[contact].labels;
                if self.scene.called.is_some() {
                    // The call has told it.
                    return;
                }
                let name = &self.scene.caller.contact_type;
                let entry = self.strategy.entry_of(name);
                let entry = entry.map_or("", |entry| entry.name.as_str());
                let told = format!("{name} arrives at “{entry}”{}.", self.set_there(name));
                self.note(floor, What::Arrived, None, None, told);
            }
            Observation::ReachedStep { step, .. } => {
                self.step = Some(step);
                let told = format!("Reaches “{}”.", self.name_of(step));
                self.note(floor, What::Reached, Some(step), None, told);
            }
            Observation::Took { flow, .. } => self.took(floor, contact, flow),
            Observation::Joined { service_point, .. } => {
                let state = &floor.service_points[service_point];
                let (before, step) = (state.waiting, self.step_of(service_point));
                self.step = step;
                let on_shift: u32 = state.on_shift.iter().copied().max().unwrap_or(0);
                let name = self.point_name(service_point);
                let told = match step {
                    Some(_) => format!(
                        "Joins “{name}”: {}, {}.",
                        counted(before, "nobody waits", "waits before it", "wait before it"),
                        counted(
                            on_shift,
                            "nobody is on shift",
                            "member on shift",
                            "members on shift"
                        ),
                    ),
                    None => format!(
                        "Needs an agent of “{name}”: {}.",
                        counted(on_shift, "nobody is on shift", "is on shift", "are on shift")
                    ),
                };
                self.note(floor, What::Joined, step, None, told);
            }
            Observation::Rings { agent, .. } => {
                let name = self.agent_name(agent);
                let told = format!("Rings at {name}.");
                let step = self.step;
                let setting = step.map(|step| {
                    step_path(&self.strategy.steps[step.place()], "offering/ring_window_secs")
                });
                self.note(floor, What::Rings(name), step, setting, told);
            }
            Observation::NotAnswered { .. } => {
                let told = "Nobody answers in time.".to_owned();
                self.note(floor, What::NotAnswered, self.step, None, told);
            }
            Observation::Waited { secs, .. } => self.waited_secs += secs,
            Observation::CallbackPromised { .. } => {
                self.is_promised = true;
                self.patience.retain(|each| each.0 != contact);
                let told = "A callback is promised; the caller hangs up.".to_owned();
                self.note(floor, What::CallbackPromised, self.step, None, told);
            }
            Observation::Answered { agent, .. } => {
                let name = self.agent_name(agent);
                // The device that is answered stops, which needs no saying.
                let stopped = What::StopsRinging(name.clone());
                self.moments.retain(|noted| noted.at < floor.now || noted.what != stopped);
                let told = match self.scene.called {
                    Some(_) => format!("{name} is connected."),
                    None => format!("{name} answers, {} s after arrival.", plain(floor.now)),
                };
                self.note(floor, What::Answered(name), self.step, None, told);
                self.settle(floor, WalkEnd::Answered);
            }
            Observation::Ended { how, .. } => {
                let end = WalkEnd::of(how);
                let told = match how {
                    End::Abandoned => {
                        format!("Hangs up after {} s of waiting.", plain(self.waited_secs))
                    }
                    End::NotConnected => "No agent in time: the call is released, and counts as \
                                          abandoned."
                        .to_owned(),
                    _ => format!("The contact {}.", end.words()),
                };
                self.note(floor, What::Ended(end), self.step, None, told);
                self.settle(floor, end);
            }
            _ => {}
        }
    }
}

impl Follower<'_> {
    /// More agents may be offered the followed contact from now on.
    pub fn note_widening(&mut self, floor: &Floor, contact: ContactId, token: TimerToken) {
        let Some(stay) = floor.contacts[contact].stay() else { return };
        if self.followed == Some(contact) && stay.widening == Some(token) && !self.is_over() {
            let Some(step) = self.step_of(stay.service_point) else { return };
            let of = &self.strategy.steps[step.place()];
            let (setting, told) = match &of.does {
                StepKind::HuntGroup(_) => ("waves_secs", "The next wave of members joins"),
                _ => ("need/relaxations", "The queue asks for less, so more agents match"),
            };
            let setting = Some(step_path(of, setting));
            let told = format!("{told} after {} s here.", plain(floor.now - stay.since));
            self.note(floor, What::Widened, Some(step), setting, told);
        }
    }
}

pub(crate) fn counted(count: u32, none: &str, one: &str, more: &str) -> String {
    match count {
        0 => none.to_owned(),
        1 => format!("1 {one}"),
        count => format!("{count} {more}"),
    }
}

/// Seconds as people write them: whole where they are, one decimal otherwise.
pub(crate) fn plain(secs: f64) -> String {
    let tenths = (secs * 10.0).round() / 10.0;
    if tenths.fract() == 0.0 { format!("{tenths:.0}") } else { format!("{tenths:.1}") }
}
