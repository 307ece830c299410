use barometer_dialling::need::{CallMix, Goal};
use barometer_strategy::{Assumed, Campaign, Duration};

/// Everybody answers after 10 s and talks for 110 s.
fn campaign(answered: f64) -> Campaign {
    let mut campaign = Campaign::named("c", "C", "team");
    campaign.assumed = Assumed {
        answered_share: vec![answered],
        machine_share: 0.0,
        busy_share: 0.0,
        unusable_share: 0.0,
        ring: Duration::Constant { secs: 10.0 },
        unanswered_ring: Some(Duration::Constant { secs: 10.0 }),
        talk: Duration::Constant { secs: 100.0 },
        wrap_up: Duration::Constant { secs: 20.0 },
        ..Assumed::default()
    };
    campaign
}

#[test]
fn agents_and_lines_for_a_goal_follow_from_the_mix_of_calls() {
    let goal = Goal { conversations: 600.0, hours: 10.0, utilisation: 0.8, blocked_share: 0.01 };
    let need = goal.need(&campaign(0.5)).unwrap();
    assert_eq!(need.dials, 1200.0);
    // 600 × 120 s are 20 hours; at 80 % 25 agent hours; three agents for ten hours.
    assert_eq!(need.agents, 3);
    // 1200 calls of 10 s and 600 talks of 100 s are 72,000 s in 36,000 s: 2 erlangs, 7 lines at 1 %.
    assert!((need.line_erlangs - 2.0).abs() < 1e-9);
    assert_eq!(need.lines, barometer_queueing::lines_for_blocking(2.0, 0.01).unwrap());
    // Six calls to each reach 1 − 0.5⁶ of the people.
    assert!((need.people - 600.0 / (1.0 - 0.5f64.powi(6))).abs() < 1e-9);
}

#[test]
fn machines_that_reach_an_agent_take_time_and_detection_saves_it() {
    let mut machines = campaign(0.3);
    machines.assumed.machine_share = 0.4;
    let off = CallMix::of(&machines, None);
    machines.machines.sensitivity = Some(0.5);
    let on = CallMix::of(&machines, None);
    assert!(on.agent_share < off.agent_share && on.conversation_share < off.conversation_share);
    assert!(on.lost_to_detection > 0.0 && off.lost_to_detection == 0.0);
    assert!(on.agent_secs > off.agent_secs, "more of the agents' calls are with people");
}

#[test]
fn a_goal_that_nobody_answers_is_refused() {
    let goal = Goal { conversations: 600.0, hours: 10.0, utilisation: 0.8, blocked_share: 0.01 };
    assert!(goal.need(&campaign(0.0)).is_err());
}

#[test]
fn the_mix_of_an_hour_is_that_hours_own() {
    let mut by_hour = campaign(0.3);
    by_hour.assumed.answered_share =
        (0..24).map(|hour| if hour == 18 { 0.6 } else { 0.2 }).collect();
    assert_eq!(CallMix::of(&by_hour, Some(18)).conversation_share, 0.6);
    // From 8 to 21 o'clock: twelve hours of 0.2 and one of 0.6.
    let mean = CallMix::of(&by_hour, None).conversation_share;
    assert!((mean - (12.0 * 0.2 + 0.6) / 13.0).abs() < 1e-12);
}

#[test]
fn a_goal_takes_agents_as_busy_as_their_pacing_makes_them() {
    use barometer_strategy::Pacing;
    let mut own = campaign(0.5);
    // One agent for each call: two calls of 10 s for each talk of 120 s.
    let goal = Goal::of(&own, 600.0, 10.0, 0.01);
    assert!((goal.utilisation - 120.0 / 140.0).abs() < 1e-12, "{goal:?}");
    own.pacing = Pacing::Preview { look: Duration::Constant { secs: 20.0 }, skipped_share: 0.0 };
    let goal = Goal::of(&own, 600.0, 10.0, 0.01);
    assert!((goal.utilisation - 120.0 / 180.0).abs() < 1e-12, "{goal:?}");
    own.pacing = Pacing::Predictive {};
    assert_eq!(Goal::of(&own, 600.0, 10.0, 0.01).utilisation, 0.8);
    // The whole list: what the retries reach of it; the people it needs are those it has.
    own.list.people = 2000;
    own.retries.most_in_all = 3;
    let goal = Goal::of_whole_list(&own, 10.0, 0.01);
    assert!((goal.conversations - 2000.0 * 0.875).abs() < 1e-9);
    assert!((goal.need(&own).unwrap().people - 2000.0).abs() < 1e-9);
}
