//! Campaigns: against exact chains, and setting by setting on the same people.

use barometer_dialling::chain::SteadyTeam;
use barometer_simulate::{Burst, CampaignMeasures, Estimate, Summary};
use barometer_strategy::{
    Announcement, Assumed, CallOutcome, Campaign, Duration, MachineAction, Next, OpenHours, Pacing,
    ServedBy, StepKind, ZoneShare,
};
use jiff::civil::time;

use crate::fixture::{Scene, assert_agrees, play};

/// A campaign of the scene's team that dials around the clock a list that nearly never ends, among people
/// of whom `answered` answer, after exponential times; every call that nobody answers rings as long.
fn around_the_clock(answered: f64, ring_secs: f64, handle_secs: f64) -> Campaign {
    let mut campaign = Campaign::named("news", "News", "team");
    let midnight = time(0, 0, 0, 0);
    campaign.hours = vec![OpenHours { days: Vec::new(), from: midnight, until: midnight }];
    campaign.local_hours.from = midnight;
    campaign.local_hours.until = time(23, 59, 59, 0);
    campaign.list.people = 400_000;
    campaign.ring_limit_secs = 3600.0;
    campaign.connect_within_secs = 0.0;
    campaign.assumed = Assumed {
        answered_share: vec![answered],
        machine_share: 0.0,
        busy_share: 0.0,
        unusable_share: 0.0,
        congested_share: 0.0,
        ring: Duration::exponential(ring_secs),
        unanswered_ring: Some(Duration::exponential(ring_secs)),
        talk: Duration::exponential(handle_secs),
        wrap_up: Duration::nothing(),
        ..Assumed::default()
    };
    campaign
}

/// Nobody comes in by themselves; so many agents for so many half-hours.
fn scene(half_hours: usize, agents: u32, campaign: Campaign) -> Scene {
    let mut scene = Scene::line(0.0, half_hours, agents);
    scene.strategy.campaigns = vec![campaign];
    scene
}

fn played(scene: &Scene, replications: u32) -> CampaignMeasures {
    scene.play(replications, 20261128).of_campaign(0)
}

fn mean(estimate: impl Into<Option<Estimate>>) -> f64 {
    estimate.into().expect("there is something to estimate").mean
}

#[test]
fn a_campaign_that_goes_on_with_another_cover_calls_nobody_twice_and_drops_no_conversation() {
    let mut campaign = around_the_clock(0.5, 10.0, 90.0);
    campaign.list.people = 800;
    campaign.retries.most_in_all = 1;
    let scene = scene(4, 5, campaign);
    let experiment = scene.experiment(1, 3);
    let mut live = experiment.live(0);
    live.advance(2500.0);
    let before = live.campaigns().remove(0);
    assert!(before.is_dialling && before.talking > 0 && before.left < 800, "{before:?}");
    let mut live = experiment.live_from(0, &live.carry());
    let after = live.campaigns().remove(0);
    // Calls that rang are called again; those who talk are not.
    assert!(after.left >= before.left && after.left <= before.left + before.lines, "{after:?}");
    let talking = live.present().contacts.len();
    assert_eq!(talking, before.talking as usize);
    live.advance(7200.0);
    let end = live.campaigns().remove(0);
    assert!(end.left < after.left, "it dials on: {end:?}");
}

#[test]
fn progressive_dialling_keeps_agents_as_busy_as_a_renewal_says_and_abandons_nobody() {
    // An agent dials until somebody answers, 1/p calls of r seconds each on average, then talks h seconds.
    let (answered, ring, handle) = (0.3, 12.0, 120.0);
    let campaign = around_the_clock(answered, ring, handle);
    let got = played(&scene(200, 6, campaign), 20);
    let cycle = handle + ring / answered;
    assert_agrees("utilisation", got.utilisation, handle / cycle, 0.003);
    assert_agrees("kept for a line", got.kept, ring / answered / cycle, 0.003);
    assert_agrees("conversations", got.per_agent_hour, 3600.0 / cycle, 0.2);
    assert_eq!(mean(got.abandoned), 0.0);
    assert!(mean(got.free) < 1e-6, "no agent is ever without a line");
}

#[test]
fn steady_dialling_agrees_with_its_exact_chain() {
    for (agents, lines_per_agent, answered) in
        [(1, 2.0, 1.0), (4, 2.0, 0.4), (8, 1.5, 0.6), (6, 3.0, 0.3)]
    {
        let (ring_secs, handle_secs) = (12.0, 90.0);
        let mut campaign = around_the_clock(answered, ring_secs, handle_secs);
        campaign.pacing = Pacing::Steady { lines_per_agent };
        let got = played(&scene(160, agents, campaign), 24);
        let team = SteadyTeam {
            agents,
            lines_per_agent,
            answered_share: answered,
            ring_secs,
            handle_secs,
        };
        let exact = team.solve().unwrap();
        let what = format!("{agents} agents, {lines_per_agent} lines, {answered} answered");
        assert_agrees(&what, got.abandoned_share, exact.abandoned_share, 0.003);
        assert_agrees(&what, got.utilisation, exact.utilisation, 0.003);
        let per_hour = exact.conversations_per_hour / f64::from(agents);
        assert_agrees(&what, got.per_agent_hour, per_hour, 0.2);
    }
}

#[test]
fn more_lines_for_each_free_agent_keep_agents_busier_and_abandon_more_of_the_same_people() {
    let at = |lines_per_agent: f64| {
        let mut campaign = around_the_clock(0.3, 12.0, 120.0);
        campaign.pacing = Pacing::Steady { lines_per_agent };
        played(&scene(16, 10, campaign), 8)
    };
    let [slow, middle, fast] = [1.0, 2.0, 3.0].map(at);
    assert!(mean(slow.utilisation) < mean(middle.utilisation));
    assert!(mean(middle.utilisation) < mean(fast.utilisation));
    assert_eq!(mean(slow.abandoned_share), 0.0);
    assert!(mean(middle.abandoned_share) < mean(fast.abandoned_share));
}

#[test]
fn a_burst_rings_more_lines_while_it_lasts_and_not_beyond_the_caps() {
    let scene = |lines_per_agent: f64, most: Option<u32>| {
        let mut campaign = around_the_clock(0.3, 12.0, 120.0);
        campaign.pacing = Pacing::Steady { lines_per_agent };
        campaign.caps.lines = most;
        scene(16, 10, campaign)
    };
    let with = |scene: &Scene, from_secs: f64, until_secs: f64| {
        let burst = Burst { from_secs, until_secs, factor: 1.5 };
        let experiment = scene.experiment(4, 7).with_burst("news", burst).with_burst("none", burst);
        play(&experiment).of_campaign(0)
    };
    // Two lines for each free agent, half as many again: three.
    let throughout = with(&scene(2.0, None), 0.0, f64::INFINITY);
    assert_eq!(throughout, play(&scene(3.0, None).experiment(4, 7)).of_campaign(0));
    let never = with(&scene(2.0, None), -60.0, 0.0);
    assert_eq!(never, play(&scene(2.0, None).experiment(4, 7)).of_campaign(0));
    let for_a_while = with(&scene(2.0, None), 7_200.0, 14_400.0);
    assert!(mean(never.abandoned_share) < mean(for_a_while.abandoned_share));
    assert!(mean(for_a_while.abandoned_share) < mean(throughout.abandoned_share));
    let capped = with(&scene(2.0, Some(20)), 0.0, f64::INFINITY);
    assert!(mean(capped.lines) <= 20.0);
}

#[test]
fn predictive_dialling_keeps_its_ceiling_and_agents_busier_than_progressive_does() {
    let with = |pacing: Pacing| {
        let mut campaign = around_the_clock(0.3, 12.0, 150.0);
        campaign.connect_within_secs = 2.0;
        campaign.pacing = pacing;
        played(&scene(20, 20, campaign), 20)
    };
    let (progressive, predictive) = (with(Pacing::Progressive {}), with(Pacing::Predictive {}));
    assert!(mean(predictive.utilisation) > mean(progressive.utilisation) + 0.05);
    assert!(mean(predictive.abandoned_share) < 0.03);
    assert_eq!(mean(predictive.dates_over), 0.0);
}

#[test]
fn a_ceiling_of_nothing_lets_predictive_dialling_risk_nothing() {
    let mut campaign = around_the_clock(0.3, 12.0, 120.0);
    campaign.pacing = Pacing::Predictive {};
    campaign.abandoned_ceiling = 0.0;
    assert_eq!(mean(played(&scene(8, 8, campaign), 5).abandoned), 0.0);
}

#[test]
fn looking_takes_an_agents_time_and_those_who_are_skipped_are_not_called() {
    let with = |secs: f64, skipped_share: f64| {
        let mut campaign = around_the_clock(1.0, 10.0, 90.0);
        campaign.pacing = Pacing::Preview { look: Duration::exponential(secs), skipped_share };
        played(&scene(100, 4, campaign), 20)
    };
    let looked = with(20.0, 0.0);
    assert_agrees("looking", looked.looking, 20.0 / 120.0, 0.003);
    assert_agrees("utilisation", looked.utilisation, 90.0 / 120.0, 0.003);
    // Half are skipped: each call is looked at twice on average.
    assert_agrees("looking twice", with(20.0, 0.5).looking, 40.0 / 140.0, 0.003);
}

#[test]
fn dialling_by_hand_takes_the_time_to_look_up() {
    let mut campaign = around_the_clock(1.0, 10.0, 90.0);
    campaign.pacing = Pacing::ByHand { look_up: Duration::exponential(25.0) };
    let got = played(&scene(100, 4, campaign), 20);
    assert_agrees("utilisation", got.utilisation, 90.0 / 125.0, 0.003);
}

#[test]
fn nobody_is_called_outside_the_hours_of_both_clocks() {
    // From midnight UTC: the centre dials from 9 to 17, people in Honolulu may be called from 8 to 21 by
    // clocks that are ten hours behind, so that nobody there may be called before 18:00 UTC.
    let mut campaign = around_the_clock(0.5, 10.0, 60.0);
    campaign.hours =
        vec![OpenHours { days: Vec::new(), from: time(9, 0, 0, 0), until: time(17, 0, 0, 0) }];
    campaign.local_hours = Default::default();
    let honolulu = |share| ZoneShare { zone: "Pacific/Honolulu".to_owned(), share };
    let utc = |share| ZoneShare { zone: "UTC".to_owned(), share };
    let dials = |zones: Vec<ZoneShare>| {
        let mut campaign = campaign.clone();
        campaign.list.zones = zones;
        let summary = scene(48, 5, campaign).play(2, 1);
        summary.campaign_intervals(0).iter().map(|at| at.dials.mean).collect::<Vec<_>>()
    };
    assert_eq!(dials(vec![honolulu(1.0)]).iter().sum::<f64>(), 0.0);
    let called = dials(vec![honolulu(0.5), utc(0.5)]);
    assert_eq!(called[..18].iter().sum::<f64>() + called[34..].iter().sum::<f64>(), 0.0);
    assert!(called[18..34].iter().all(|&dials| dials > 0.0));
}

#[test]
fn a_short_list_is_used_up_after_the_retries() {
    let mut campaign = around_the_clock(0.0, 10.0, 60.0);
    campaign.list.people = 50;
    campaign.retries.no_answer_after_secs = Some(600.0);
    (campaign.retries.most_in_all, campaign.retries.most_a_day) = (4, 10);
    let got = played(&scene(16, 5, campaign.clone()), 3);
    assert_eq!((mean(got.dials), mean(got.used_up), mean(got.left)), (200.0, 1.0, 0.0));
    campaign.retries.most_a_day = 2;
    let got = played(&scene(16, 5, campaign), 3);
    assert_eq!((mean(got.dials), mean(got.used_up), mean(got.left)), (100.0, 0.0, 50.0));
}

#[test]
fn machines_that_are_found_out_take_no_agent_and_some_people_are_taken_for_them() {
    let with = |sensitivity: Option<f64>| {
        let mut campaign = around_the_clock(0.3, 10.0, 90.0);
        campaign.assumed.machine_share = 0.4;
        campaign.connect_within_secs = 2.0;
        campaign.machines.sensitivity = sensitivity;
        played(&scene(100, 6, campaign), 10)
    };
    let (off, on, keen) = (with(None), with(Some(0.3)), with(Some(1.0)));
    assert_eq!(mean(off.lost_to_detection), 0.0);
    assert!(mean(off.machines_to_agents) > mean(on.machines_to_agents));
    assert!(mean(on.machines_to_agents) > mean(keen.machines_to_agents));
    assert!(mean(on.lost_to_detection) < mean(keen.lost_to_detection));
    let lost = barometer_dialling::Detection::of(1.0).people_taken_for_machines;
    assert_agrees("people taken for machines", keen.abandoned_share, lost, 0.004);
}

#[test]
fn a_message_on_a_machine_holds_the_line_and_no_agent() {
    let with = |action: MachineAction| {
        let mut campaign = around_the_clock(0.0, 10.0, 60.0);
        campaign.assumed.machine_share = 1.0;
        campaign.machines.sensitivity = Some(1.0);
        campaign.machines.action = action;
        played(&scene(16, 5, campaign), 3)
    };
    let (released, told) =
        (with(MachineAction::Release), with(MachineAction::Message { secs: 30.0 }));
    assert!(mean(told.lines) > mean(released.lines) + 1.0);
    let to_agent = with(MachineAction::ToAgent);
    assert!(mean(to_agent.machines_to_agents) > 10.0 * mean(released.machines_to_agents));
}

#[test]
fn caps_bound_lines_and_calls() {
    let mut campaign = around_the_clock(0.3, 12.0, 120.0);
    campaign.pacing = Pacing::Steady { lines_per_agent: 4.0 };
    let free = played(&scene(16, 20, campaign.clone()), 3);
    campaign.caps.dials_per_minute = Some(10);
    let slow = played(&scene(16, 20, campaign.clone()), 3);
    assert!(mean(slow.dials) <= 10.0 * 60.0 * 8.0 && mean(slow.dials) > 0.99 * 10.0 * 60.0 * 8.0);
    campaign.caps.dials_per_minute = None;
    campaign.caps.lines = Some(15);
    let few = played(&scene(16, 20, campaign.clone()), 3);
    // What is under way when the day is over holds its lines a little longer.
    assert!(mean(few.lines) <= 15.1 && mean(few.lines) < mean(free.lines));
    campaign.caps.lines = None;
    campaign.caps.lines_per_agent = Some(0.5);
    let ringing = played(&scene(16, 20, campaign), 3);
    assert!(mean(ringing.dials) < mean(free.dials));
}

#[test]
fn the_longest_call_cuts_talk_short_and_outcomes_bring_people_back() {
    let mut campaign = around_the_clock(1.0, 10.0, 300.0);
    let plain = played(&scene(16, 4, campaign.clone()), 4);
    campaign.longest_call_secs = Some(60.0);
    let short = played(&scene(16, 4, campaign.clone()), 4);
    assert!(mean(short.conversations) > 2.0 * mean(plain.conversations));
    campaign.list.people = 200;
    let once = played(&scene(16, 4, campaign.clone()), 4);
    let later =
        CallOutcome { name: "Call later".to_owned(), share: 1.0, again_after_secs: Some(600.0) };
    campaign.outcomes = vec![later];
    (campaign.retries.most_a_day, campaign.retries.most_in_all) = (3, 3);
    let again = played(&scene(16, 4, campaign), 4);
    assert_eq!((mean(once.conversations), mean(again.conversations)), (200.0, 600.0));
}

#[test]
fn nuisance_is_counted_by_person() {
    let mut campaign = around_the_clock(0.8, 10.0, 300.0);
    campaign.pacing = Pacing::Steady { lines_per_agent: 4.0 };
    campaign.list.people = 300;
    campaign.retries.most_in_all = 1;
    let once = played(&scene(8, 4, campaign.clone()), 10);
    assert!(mean(once.abandoned) > 20.0);
    assert_eq!(mean(once.people_abandoned), mean(once.abandoned), "each was called once");
    assert_eq!(mean(once.abandoned_again), 0.0);
    (campaign.retries.most_a_day, campaign.retries.most_in_all) = (4, 4);
    campaign.retries.abandoned_after_secs = Some(60.0);
    let again = played(&scene(8, 4, campaign), 10);
    let (people, share) = (mean(again.people_abandoned), mean(again.abandoned_again));
    assert!(people <= 300.0 && people < mean(again.abandoned));
    // Whoever was left alone twice has had at least two of the calls, and nobody more than four.
    assert!(people * (1.0 + share) <= mean(again.abandoned) + 1e-9);
    assert!(share > 0.2 && mean(again.abandoned) <= people * (1.0 + 3.0 * share) + 1e-9);
}

#[test]
fn agents_left_free_are_there_for_inbound_contacts() {
    let with = |kept_free: u32| -> Summary {
        let mut campaign = around_the_clock(0.5, 10.0, 180.0);
        campaign.blending.kept_free = kept_free;
        let mut scene = Scene::line(2.0, 40, 14).handled(180.0, Some(120.0));
        scene.strategy.campaigns = vec![campaign];
        scene.play(10, 3)
    };
    let (greedy, kind) = (with(0), with(3));
    let level = |summary: &Summary| mean(summary.day().service_level);
    assert!(level(&greedy) + 0.1 < level(&kind), "{} {}", level(&greedy), level(&kind));
    let called = |summary: &Summary| mean(summary.of_campaign(0).conversations);
    assert!(called(&greedy) > called(&kind));
    // The day's own contacts are those without the campaign.
    let mut alone = Scene::line(2.0, 40, 14).handled(180.0, Some(120.0));
    alone.strategy.campaigns.clear();
    assert_eq!(mean(alone.play(10, 3).day().offered), mean(kind.day().offered));
}

/// An inbound line whose agents are partly kept for a campaign's calls, which nobody answers.
fn kept_for_calls(agents: u32, kept: u32, set: impl FnOnce(&mut Campaign)) -> Summary {
    let mut campaign = around_the_clock(0.0, 10.0, 180.0);
    campaign.pacing = Pacing::Steady { lines_per_agent: 1.0 };
    campaign.blending.kept_for_calls = kept;
    set(&mut campaign);
    let mut scene = Scene::line(2.0, 16, agents).handled(180.0, Some(120.0));
    scene.strategy.campaigns = vec![campaign];
    scene.play(10, 3)
}

#[test]
fn inbound_contacts_leave_a_campaign_its_agents() {
    let day = |summary: &Summary| {
        let day = summary.day();
        [day.offered, day.answered].map(mean).into_iter().chain([
            mean(day.service_level),
            mean(day.answer_secs),
            mean(day.abandonment),
        ])
    };
    let day = |summary: &Summary| day(summary).collect::<Vec<f64>>();
    // Nobody ever answers the campaign: with four agents kept for it, fourteen are ten, call by call.
    let ten = kept_for_calls(10, 0, |_| {});
    let fourteen = kept_for_calls(14, 4, |_| {});
    assert_eq!(day(&fourteen), day(&ten));
    let unkept = kept_for_calls(14, 0, |_| {});
    assert!(mean(ten.day().service_level) + 0.02 < mean(unkept.day().service_level));
    // More than there are: inbound contacts get nobody until the day is over.
    let all = kept_for_calls(14, 20, |_| {});
    let intervals = all.type_intervals(0);
    assert!(intervals[..15].iter().all(|each| mean(each.answered) == 0.0));
}

#[test]
fn kept_agents_are_given_back_when_a_campaign_does_not_dial() {
    let without = kept_for_calls(14, 0, |_| {});
    let last = |summary: &Summary, from: usize| -> Vec<f64> {
        let intervals = summary.type_intervals(0);
        intervals[from..].iter().map(|each| mean(each.offered) - mean(each.answered)).collect()
    };
    // Over at ten: from an hour later on the day is as if nobody had been kept.
    let morning = kept_for_calls(14, 14, |campaign| {
        campaign.hours[0].until = time(4, 0, 0, 0);
    });
    assert_eq!(last(&morning, 10), last(&without, 10));
    assert!(mean(morning.day().abandonment) > mean(without.day().abandonment) + 0.1);
    // A list without anybody to be called, and a campaign that gives way, keep nobody.
    let nobody = kept_for_calls(14, 14, |campaign| {
        (campaign.list.people, campaign.runs_empty) = (0, true);
    });
    let gives_way = kept_for_calls(14, 14, |campaign| {
        campaign.blending.pause_at_waiting = Some(0);
    });
    for kind in [nobody, gives_way] {
        assert_eq!(mean(kind.day().answered), mean(without.day().answered));
    }
}

#[test]
fn a_campaign_reaches_more_people_with_agents_kept_for_it() {
    let with = |kept: u32| {
        let mut campaign = around_the_clock(0.5, 10.0, 180.0);
        campaign.blending.kept_for_calls = kept;
        let mut scene = Scene::line(3.0, 16, 12).handled(180.0, Some(120.0));
        scene.strategy.campaigns = vec![campaign];
        let summary = scene.play(10, 3);
        (mean(summary.of_campaign(0).conversations), mean(summary.day().service_level))
    };
    let results = [0, 2, 4, 6].map(with);
    for pair in results.windows(2) {
        assert!(pair[0].0 < pair[1].0 && pair[0].1 > pair[1].1, "{results:?}");
    }
}

#[test]
fn a_campaign_that_pauses_while_contacts_wait_does_not_dial_for_agents_whom_they_take() {
    let with = |pause_at_waiting: Option<u32>| {
        let mut campaign = around_the_clock(0.5, 10.0, 180.0);
        campaign.pacing = Pacing::Predictive {};
        campaign.blending.pause_at_waiting = pause_at_waiting;
        let mut scene = Scene::line(3.0, 40, 14).handled(180.0, Some(120.0));
        scene.strategy.campaigns = vec![campaign];
        scene.play(10, 3).of_campaign(0)
    };
    let (never, pausing) = (with(None), with(Some(1)));
    assert!(mean(pausing.abandoned) < mean(never.abandoned));
}

#[test]
fn a_campaign_pauses_while_the_service_level_is_low() {
    let with = |least: Option<f64>| {
        let mut campaign = around_the_clock(0.5, 10.0, 180.0);
        campaign.blending.pause_below_service_level = least;
        let mut scene = Scene::line(2.0, 40, 10).handled(180.0, Some(120.0));
        scene.strategy.campaigns = vec![campaign];
        scene.play(10, 3)
    };
    let (never, pausing) = (with(None), with(Some(0.8)));
    assert!(mean(pausing.day().service_level) > mean(never.day().service_level) + 0.05);
    assert!(mean(pausing.of_campaign(0).dials) < mean(never.of_campaign(0).dials));
}

#[test]
fn a_campaign_that_paused_dials_again_though_nothing_happens_any_more() {
    let mut campaign = around_the_clock(0.5, 10.0, 180.0);
    campaign.blending.pause_below_service_level = Some(0.9);
    // Far too many contacts in the first half hour, and none after it: they give up, and then nobody comes
    // who could stir the campaign.
    let mut scene = Scene::line(30.0, 8, 2).handled(180.0, Some(30.0));
    for interval in scene.demand.types[0].intervals.iter_mut().skip(1) {
        interval.contacts = 0.0;
    }
    scene.strategy.campaigns = vec![campaign];
    let dials: Vec<f64> =
        scene.play(3, 7).campaign_intervals(0).iter().map(|it| mean(it.dials)).collect();
    assert!(dials[1] < dials[3], "{dials:?}");
    assert!(dials[3..].iter().all(|dials| *dials > 20.0), "{dials:?}");
}

#[test]
fn a_paused_campaign_and_one_without_hours_call_nobody() {
    let mut campaign = around_the_clock(0.5, 10.0, 60.0);
    campaign.paused_because = Some("The list is being checked".to_owned());
    assert_eq!(mean(played(&scene(4, 4, campaign.clone()), 1).dials), 0.0);
    campaign.paused_because = None;
    campaign.hours.clear();
    assert_eq!(mean(played(&scene(4, 4, campaign), 1).dials), 0.0);
}

#[test]
fn a_message_is_heard_without_an_agent_and_may_lead_to_one() {
    let mut campaign = around_the_clock(0.5, 10.0, 60.0);
    campaign.served_by = ServedBy::Message("told".to_owned());
    campaign.caps.lines = Some(20);
    let mut scene = scene(8, 3, campaign);
    let told = |next: Next| {
        StepKind::Announcement(Announcement { time: Duration::Constant { secs: 20.0 }, next })
    };
    scene.add_step("told", told(Next::Release));
    let heard = played(&scene, 3);
    assert!(mean(heard.conversations) > 100.0);
    assert!((mean(heard.lines) - 20.0).abs() < 0.1, "all lines are in use all the time");
    // Those who are handed over wait in the queue like anybody.
    scene.strategy.steps[1].does = told(Next::step("queue"));
    let team = scene.play(3, 20261128).of_team(0);
    assert!(mean(team.answered) > 50.0);
}

#[test]
fn one_agent_everybody_answering_and_nobody_answering_come_to_an_end() {
    for (answered, agents) in [(0.0, 1), (1.0, 1), (0.0, 3), (1.0, 3)] {
        for pacing in [Pacing::Progressive {}, Pacing::Predictive {}] {
            let mut campaign = around_the_clock(answered, 10.0, 60.0);
            campaign.pacing = pacing;
            let got = played(&scene(8, agents, campaign), 2);
            assert!(mean(got.dials) > 0.0);
            assert_eq!(mean(got.people) > 0.0, answered > 0.0);
        }
    }
}

#[test]
fn a_warm_up_is_left_out_and_the_end_is_not() {
    let campaign = around_the_clock(0.5, 10.0, 60.0);
    let counting = barometer_simulate::Counting { warm_up_intervals: 4, agents_by_interval: false };
    let scene = scene(8, 5, campaign);
    let warm = scene.experiment(4, 3).counting(counting).unwrap().play_part(0..4).unwrap();
    let whole = scene.play(4, 3).of_campaign(0);
    let warm = warm.of_campaign(0);
    assert!(mean(warm.dials) < 0.6 * mean(whole.dials));
    assert_eq!(mean(warm.left), mean(whole.left));
    assert_eq!(mean(warm.dates_over), 0.0);
}

#[test]
fn everything_in_the_log_of_a_day_with_a_campaign_has_a_name() {
    use barometer_simulate::What;
    let mut campaign = around_the_clock(0.5, 10.0, 120.0);
    campaign.pacing = Pacing::Steady { lines_per_agent: 3.0 };
    let mut scene = Scene::line(1.0, 4, 8).handled(180.0, Some(120.0));
    scene.strategy.campaigns = vec![campaign];
    let experiment = scene.experiment(1, 5);
    let (_, log) = experiment.log(0).unwrap();
    let names = experiment.names();
    let mut called = 0;
    for event in &log.events {
        assert_ne!(names.of_kind(event.kind), "");
        called += usize::from(names.of_kind(event.kind) == "News");
        if let What::Joined { service_point } = event.what {
            assert!(names.service_points.get(usize::from(service_point)).is_some());
        }
    }
    assert!(called > 100);
    let lost = |what| matches!(what, What::Ended { how: barometer_simulate::End::NotConnected });
    assert!(log.events.iter().any(|event| lost(event.what)));
    assert_eq!(names.of_kind(9), "");
}

#[test]
fn the_same_seed_calls_the_same_people_in_the_same_way() {
    let mut campaign = around_the_clock(0.3, 12.0, 120.0);
    campaign.pacing = Pacing::Predictive {};
    let scene = scene(8, 8, campaign);
    assert_eq!(scene.play(4, 9), scene.play(4, 9));
    assert_ne!(scene.play(4, 9), scene.play(4, 10));
}
