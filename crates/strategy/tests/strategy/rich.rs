//! A strategy with a step of every kind.

use barometer_strategy::{
    Agent, Announcement, Assistant, Callback, Channel, ChannelSkill, Condition, Duration,
    HoursGate, HuntGroup, LabelRule, Labelling, Member, Members, Menu, MenuChoice, Next, Offering,
    OpenHours, Outside, Promise, Route, Routing, Skill, Step, StepKind, Strategy, Voicemail,
    VoicemailWork, Weekday,
};
use jiff::civil::time;

pub fn step(id: &str, does: StepKind) -> Step {
    Step { id: id.to_owned(), name: format!("The {id}"), does }
}

/// A strategy with a step of every kind.
pub fn rich() -> Strategy {
    let hours = OpenHours {
        days: vec![Weekday::Monday, Weekday::Saturday],
        from: time(8, 0, 0, 0),
        until: time(0, 0, 0, 0),
    };
    let gate = HoursGate {
        zone: Some("Europe/Dublin".to_owned()),
        hours: vec![hours.clone()],
        exceptions: Vec::new(),
        open: Next::step("menu"),
        closed: Next::step("voicemail"),
    };
    let menu = Menu {
        time: Duration::LogNormal { mean_secs: 12.0, variation: 0.4 },
        choices: vec![MenuChoice {
            name: "Sailings".to_owned(),
            share: 0.7,
            contact_types: Vec::new(),
            next: Next::step("labels"),
        }],
        retries: 1,
        no_choice: Next::step("queue"),
    };
    let rule = |label: &str, when| LabelRule { label: label.to_owned(), when };
    let labelling = Labelling {
        rules: vec![
            rule("island", Condition::CallerNumber("+44?9*".to_owned())),
            rule("late", Condition::Time(hours)),
            rule("few", Condition::Share(0.1)),
        ],
        next: Next::step("routes"),
    };
    let route = Route { label: "island".to_owned(), next: Next::step("group") };
    let routing = Routing { routes: vec![route], otherwise: Next::step("queue") };
    let told = Announcement { time: Duration::Constant { secs: 6.0 }, next: Next::Release };
    let assistant = Assistant {
        time: Duration::exponential(40.0),
        contained_share: 0.3,
        next: Next::step("queue"),
    };
    let group = HuntGroup {
        short_number: None,
        recording: None,
        members: vec![
            Member { who: Members::Team("team".to_owned()), rank: 1, wave: 0 },
            Member { who: Members::Agent("Ada Quill".to_owned()), rank: 2, wave: 1 },
        ],
        rings: Default::default(),
        waves_secs: vec![20.0],
        group_limit_secs: Some(90.0),
        places: None,
        priority: 1,
        offering: Offering { ring_window_secs: Some(15.0), ..Offering::default() },
        exits: Default::default(),
    };
    let callback = Callback {
        line: "queue".to_owned(),
        promise: Promise::AfterSecs(1800.0),
        accepted_share: 0.5,
        otherwise: Next::Release,
        reached_share: 0.8,
        unanswered_secs: 25.0,
        attempts: 3,
        retry_after_secs: 900.0,
    };
    let work = VoicemailWork { line: "queue".to_owned(), time: Duration::exponential(120.0) };
    let mut strategy = Strategy::plain("Bookings");
    strategy.entries[0].first = Next::step("gate");
    strategy.steps.extend([
        step("gate", StepKind::HoursGate(gate)),
        step("menu", StepKind::Menu(menu)),
        step("labels", StepKind::Labelling(labelling)),
        step("routes", StepKind::Routing(routing)),
        step("told", StepKind::Announcement(told)),
        step("assistant", StepKind::Assistant(assistant)),
        step("group", StepKind::HuntGroup(group)),
        step("callback", StepKind::Callback(callback)),
        step("voicemail", StepKind::Voicemail(Voicemail { work: Some(work) })),
        step("outside", StepKind::Outside(Outside { number: "+44 20".to_owned() })),
    ]);
    let team = &mut strategy.teams[0];
    team.skills = vec![Skill { skill: "Gaelic".to_owned(), level: Some(7) }];
    team.ranks = [("queue".to_owned(), 2)].into();
    team.channels = vec![ChannelSkill { channel: Channel::Chat, at_once: 3, slowing: 0.2 }];
    team.agents = vec![Agent {
        name: "Ada Quill".to_owned(),
        skills: None,
        ranks: Default::default(),
        short_number: None,
        port: None,
    }];
    strategy
}
