//! Who is offered a contact, when and for how long: each setting changes what reasoning says it must.

use barometer_simulate::{EventLog, TypeTally, What};
use barometer_strategy::{Agent, Duration, Member, Members, Next, OfferOrder, Offering, WhoRings};

use crate::fixture::Scene;

/// One caller a minute, ringing agents who take some seconds to answer.
fn ringing(order: OfferOrder, agents: u32) -> Scene {
    let mut scene = Scene::line(1.0, 4, agents).handled(60.0, Some(120.0));
    scene.team().answer_delay = Duration::Constant { secs: 5.0 };
    scene.hunt(Offering { order, ring_window_secs: Some(15.0), ..Offering::default() });
    scene
}

fn total(scene: &Scene) -> TypeTally {
    let days = scene.experiment(20, 7).play_range(0..20).unwrap();
    days.iter().fold(TypeTally::default(), |mut sum, day| {
        sum.add(&day.total());
        sum
    })
}

/// Contacts that each agent answered, in all.
fn answered(scene: &Scene) -> Vec<f64> {
    let days = scene.experiment(20, 7).play_range(0..20).unwrap();
    let agents = days[0].agents.len();
    (0..agents).map(|agent| days.iter().map(|day| day.agents[agent].answered).sum()).collect()
}

fn story(scene: &Scene) -> EventLog {
    scene.experiment(1, 7).log(0).unwrap().1
}

/// Times and agents of the rings of one contact.
fn rings(story: &EventLog, contact: u32) -> Vec<(f64, u32)> {
    story
        .events
        .iter()
        .filter(|happened| happened.contact == contact)
        .filter_map(|happened| match happened.what {
            What::RingsAt { agent } => Some((happened.at_secs, agent)),
            _ => None,
        })
        .collect()
}

#[test]
fn ringing_takes_its_time_of_every_answer() {
    let slow = ringing(OfferOrder::LongestIdle, 9);
    let mut quick = slow.clone();
    quick.team().answer_delay = Duration::nothing();
    let (slow, quick) = (total(&slow), total(&quick));
    assert_eq!(quick.answer_wait_secs, 0.0, "with nine people somebody is always free");
    assert!((slow.answer_wait_secs / slow.answered - 5.0).abs() < 1e-9);
}

#[test]
fn a_ring_window_shorter_than_the_delay_is_never_answered_and_outlives_patience() {
    let mut scene = ringing(OfferOrder::TopDown, 3);
    scene.group().offering.ring_window_secs = Some(4.0);
    let never = total(&scene);
    assert_eq!((never.answered, never.abandoned), (0.0, never.offered));
    // A member who does not answer keeps callers for the ring window; with a window longer than
    // patience nobody hears of the second member.
    let mut scene = ringing(OfferOrder::TopDown, 2);
    scene.customers().patience = Some(Duration::Constant { secs: 30.0 });
    scene.strategy.teams[0].refused_share = 1.0;
    let willing = scene.add_team("willing", 2).id.clone();
    let member = Member { who: Members::Team(willing), rank: 2, wave: 0 };
    scene.group().members.push(member);
    // Two members of 15 s each: the third is reached after 30 s, when patience is over.
    let (in_vain, sooner) = (total(&scene), {
        let mut scene = scene.clone();
        scene.group().offering.ring_window_secs = Some(6.0);
        total(&scene)
    });
    assert!(in_vain.answered < 0.25 * in_vain.offered, "{in_vain:?}");
    assert!(sooner.answered > 0.8 * sooner.offered, "{sooner:?}");
}

#[test]
fn one_at_a_time_keeps_callers_waiting_though_members_are_free() {
    let mut parallel = ringing(OfferOrder::LongestIdle, 20).handled(60.0, None);
    parallel.demand.types[0].intervals.iter_mut().for_each(|each| each.contacts = 240.0);
    let mut single = parallel.clone();
    single.group().offering.parallel = false;
    let (parallel, single) = (total(&parallel), total(&single));
    let wait = |tally: &TypeTally| tally.answer_wait_secs / tally.answered;
    assert!(wait(&parallel) < 7.0, "{}", wait(&parallel));
    // 8 calls a minute, 5 s each at the one place where they ring: a load of two thirds waits.
    assert!(wait(&single) > wait(&parallel) + 2.0, "{} {}", wait(&single), wait(&parallel));
}

#[test]
fn a_gap_adds_its_seconds_between_offers() {
    let mut scene = ringing(OfferOrder::TopDown, 2);
    scene.team().refused_share = 1.0;
    scene.customers().patience = None;
    scene.group().group_limit_secs = Some(100.0);
    scene.group().offering.gap_secs = 7.0;
    let told = story(&scene);
    let rings = rings(&told, 1);
    assert!(rings.windows(2).all(|pair| (pair[1].0 - pair[0].0 - 22.0).abs() < 1e-9), "{rings:?}");
    assert_eq!(rings.len(), 5, "one every 22 s until the limit of 100 s");
}

#[test]
fn the_group_limit_ends_the_stay_before_the_second_member_has_rung() {
    let mut scene = ringing(OfferOrder::TopDown, 2);
    scene.team().refused_share = 1.0;
    scene.group().group_limit_secs = Some(12.0);
    let day = total(&scene);
    // Whoever comes while somebody else is in the group rings the second member; nobody is answered.
    assert_eq!(day.answered, 0.0);
    assert!(day.released > 0.85 * day.offered, "{day:?}");
    let told = story(&scene);
    assert_eq!(rings(&told, 1).len(), 1);
}

#[test]
fn after_so_many_offers_a_contact_takes_the_exit_of_no_answer() {
    let mut scene = ringing(OfferOrder::TopDown, 3);
    scene.team().refused_share = 1.0;
    scene.customers().patience = None;
    scene.group().offering.most_offers = Some(2);
    scene.group().exits.no_answer = Next::BusyTone;
    let day = total(&scene);
    assert_eq!((day.blocked, day.answered), (day.offered, 0.0));
    assert!(day.wait_secs / day.offered >= 30.0, "two members of 15 s each");
}

#[test]
fn offer_orders_share_the_work_as_their_names_say() {
    let shares = |order| {
        let work = answered(&ringing(order, 4));
        let all: f64 = work.iter().sum();
        work.into_iter().map(|one| one / all).collect::<Vec<_>>()
    };
    let top = shares(OfferOrder::TopDown);
    assert!(top.windows(2).all(|pair| pair[0] > 1.5 * pair[1]), "{top:?}");
    let fresh = shares(OfferOrder::RoundRobinFresh);
    assert!(fresh[0] > 0.4, "begins at the top with every contact: {fresh:?}");
    for order in [OfferOrder::RoundRobin, OfferOrder::LongestIdle, OfferOrder::FewestAnswered] {
        let even = shares(order);
        assert!(even.iter().all(|share| (share - 0.25).abs() < 0.02), "{order:?}: {even:?}");
    }
    let random = shares(OfferOrder::Random);
    assert!(random.iter().all(|share| (share - 0.25).abs() < 0.05), "{random:?}");
}

#[test]
fn round_robin_keeps_its_place_and_fresh_does_not() {
    let first_rings = |order| {
        let mut scene = ringing(order, 3).handled(5.0, None);
        scene.demand.types[0].intervals.iter_mut().for_each(|each| each.contacts = 20.0);
        let told = story(&scene);
        (1..=6).map(|contact| rings(&told, contact)[0].1).collect::<Vec<_>>()
    };
    assert_eq!(first_rings(OfferOrder::RoundRobin), [0, 1, 2, 0, 1, 2]);
    assert_eq!(first_rings(OfferOrder::RoundRobinFresh), [0; 6]);
}

#[test]
fn everybody_rings_at_once_and_the_quickest_answers() {
    let mut scene = ringing(OfferOrder::AllAtOnce, 6);
    scene.team().answer_delay = Duration::exponential(10.0);
    let one = {
        let mut scene = scene.clone();
        scene.group().offering.order = OfferOrder::LongestIdle;
        total(&scene)
    };
    let all = total(&scene);
    let wait = |tally: &TypeTally| tally.answer_wait_secs / tally.answered;
    // The first of about five exponentials of 10 s answers after 2 s.
    assert!(wait(&all) < 3.5 && wait(&one) > 8.0, "{} {}", wait(&all), wait(&one));
    let told = story(&scene);
    assert_eq!(rings(&told, 1).len(), 6);
    scene.group().offering.most_devices = Some(2);
    let told = story(&scene);
    assert_eq!(rings(&told, 1).len(), 2);
    let two = total(&scene);
    assert!(wait(&two) > wait(&all), "fewer devices, slower answers");
}

#[test]
fn a_worse_rank_is_offered_contacts_only_when_the_better_is_taken() {
    let mut scene = ringing(OfferOrder::LongestIdle, 2);
    let second = scene.add_team("second", 2).id.clone();
    scene.strategy.teams[1].answer_delay = Duration::Constant { secs: 5.0 };
    scene.group().members.push(Member { who: Members::Team(second), rank: 2, wave: 0 });
    let ranked = answered(&scene);
    scene.group().members[1].rank = 1;
    let equal = answered(&scene);
    let share = |work: &[f64]| (work[2] + work[3]) / work.iter().sum::<f64>();
    assert!((share(&equal) - 0.5).abs() < 0.03, "{equal:?}");
    assert!(share(&ranked) < 0.35 && share(&ranked) > 0.02, "{ranked:?}");
}

#[test]
fn a_wave_joins_after_its_seconds() {
    let mut scene = ringing(OfferOrder::TopDown, 1).handled(600.0, None);
    let second = scene.add_team("second", 8).id.clone();
    scene.strategy.teams[1].answer_delay = Duration::Constant { secs: 5.0 };
    scene.group().members.push(Member { who: Members::Team(second), rank: 1, wave: 1 });
    scene.group().waves_secs = vec![40.0];
    let told = story(&scene);
    let late: Vec<f64> = told
        .events
        .iter()
        .filter_map(|happened| match happened.what {
            What::RingsAt { agent } if agent > 0 => Some((happened.contact, happened.at_secs)),
            _ => None,
        })
        .map(|(contact, at)| {
            let came = told.events.iter().find(|each| each.contact == contact).unwrap();
            at - came.at_secs
        })
        .collect();
    assert!(!late.is_empty() && late.iter().all(|after| *after > 40.0 - 1e-9), "{late:?}");
    assert!(late.iter().any(|after| (*after - 40.0).abs() < 1e-9), "as soon as the wave joins");
}

#[test]
fn devices_of_people_who_are_away_ring_in_vain() {
    let mut scene = ringing(OfferOrder::TopDown, 5);
    scene.rostered(0, &[(1e6, 2e6), (0.0, 1e6), (0.0, 1e6), (0.0, 1e6), (0.0, 1e6)]);
    let signed_in = total(&scene);
    scene.group().rings = WhoRings::Everyone;
    let everyone = total(&scene);
    let wait = |tally: &TypeTally| tally.answer_wait_secs / tally.answered;
    // The first in the list is away all day: most calls ring there for 15 s first.
    assert!(wait(&everyone) > wait(&signed_in) + 5.0, "{} {}", wait(&everyone), wait(&signed_in));
}

#[test]
fn a_second_call_rings_at_people_on_a_contact_and_is_taken_when_they_are_free_in_time() {
    let mut scene = ringing(OfferOrder::TopDown, 1).handled(30.0, Some(300.0));
    scene.group().offering.second_call = true;
    let told = story(&scene);
    let offers = |told: &EventLog| {
        told.events.iter().filter(|each| matches!(each.what, What::NotAnswered)).count()
    };
    assert!(offers(&told) > 0, "some second calls end before the first one does");
    scene.group().offering.second_call = false;
    assert_eq!(offers(&story(&scene)), 0);
}

#[test]
fn wrap_up_of_the_group_keeps_people_from_the_next_contact() {
    let mut scene = ringing(OfferOrder::LongestIdle, 2);
    let before = total(&scene);
    scene.group().offering.wrap_up_secs = 40.0;
    let after = total(&scene);
    assert!(after.answer_wait_secs > before.answer_wait_secs + 5.0 * after.answered);
    // A wrap-up of the customers' own that is longer changes nothing further.
    scene.customers().wrap_up = Duration::Constant { secs: 40.0 };
    assert_eq!(total(&scene), after);
}

#[test]
fn an_agent_of_a_list_by_name_is_that_agent() {
    let mut scene = ringing(OfferOrder::TopDown, 3);
    let agent = |name: &str| Agent {
        name: name.to_owned(),
        skills: None,
        ranks: Default::default(),
        short_number: None,
        port: None,
    };
    scene.team().agents = vec![agent("Ada"), agent("Brin"), agent("Cara")];
    scene.group().members =
        vec![Member { who: Members::Agent("Brin".to_owned()), rank: 1, wave: 0 }];
    let work = answered(&scene);
    assert!(work[1] > 0.0 && work[0] == 0.0 && work[2] == 0.0, "{work:?}");
}

/// Orders in which members ring one after the other.
const ONE_BY_ONE: [OfferOrder; 6] = [
    OfferOrder::TopDown,
    OfferOrder::RoundRobinFresh,
    OfferOrder::RoundRobin,
    OfferOrder::LongestIdle,
    OfferOrder::FewestAnswered,
    OfferOrder::Random,
];

#[test]
fn round_robin_keeps_its_place_also_where_answers_are_immediate() {
    let mut scene = ringing(OfferOrder::RoundRobin, 4);
    scene.team().answer_delay = Duration::nothing();
    let work = answered(&scene);
    let all: f64 = work.iter().sum();
    assert!(work.iter().all(|one| (one / all - 0.25).abs() < 0.02), "{work:?}");
}

#[test]
fn a_rank_that_has_refused_a_contact_counts_as_taken_in_every_order() {
    for order in ONE_BY_ONE {
        let mut scene = ringing(order, 3).handled(60.0, None);
        scene.team().refused_share = 1.0;
        let team = scene.add_team("willing", 1);
        team.answer_delay = Duration::Constant { secs: 5.0 };
        let willing = team.id.clone();
        let member = Member { who: Members::Team(willing), rank: 2, wave: 0 };
        scene.group().members.push(member);
        // The first contact of the day: each of the three of rank 1 is tried once, then rank 2.
        let told = story(&scene);
        let (rings, came) = (rings(&told, 1), told.events.iter().find(|each| each.contact == 1));
        let mut tried: Vec<u32> = rings.iter().take(3).map(|ring| ring.1).collect();
        tried.sort_unstable();
        assert_eq!(tried, [0, 1, 2], "{order:?}: {rings:?}");
        assert_eq!(rings[3].1, 3, "{order:?}: {rings:?}");
        assert!((rings[3].0 - came.unwrap().at_secs - 45.0).abs() < 1e-9, "{order:?}");
    }
}

#[test]
fn a_rank_that_rang_all_at_once_in_vain_counts_as_taken() {
    let mut scene = ringing(OfferOrder::AllAtOnce, 3).handled(60.0, None);
    scene.team().refused_share = 1.0;
    let willing = scene.add_team("willing", 2).id.clone();
    scene.group().members.push(Member { who: Members::Team(willing), rank: 2, wave: 0 });
    let rings = rings(&story(&scene), 1);
    let ranks: Vec<bool> = rings.iter().map(|ring| ring.1 >= 3).collect();
    assert_eq!(ranks, [false, false, false, true, true], "{rings:?}");
    assert_eq!(rings[3].0 - rings[0].0, 15.0);
}

#[test]
fn a_member_who_declines_stops_ringing_and_the_others_ring_on() {
    let mut scene = ringing(OfferOrder::AllAtOnce, 1).handled(60.0, None);
    scene.group().offering.ring_window_secs = None;
    scene.team().refused_share = 1.0;
    let slow = scene.add_team("slow", 1);
    slow.answer_delay = Duration::Constant { secs: 20.0 };
    scene.group().members.push(Member { who: Members::Team("slow".to_owned()), rank: 1, wave: 0 });
    let told = story(&scene);
    let first: Vec<_> = told.events.iter().filter(|each| each.contact == 1).collect();
    let answered = first.iter().find(|each| each.what == What::Answered { agent: 1 }).unwrap();
    assert!((answered.at_secs - first[0].at_secs - 20.0).abs() < 1e-9);
    assert_eq!(rings(&told, 1).len(), 2, "the one who declined is not rung at again");
}

#[test]
fn priority_decides_between_groups_that_ring_all_at_once() {
    // Two groups of the same five people, both too busy; the waits of the urgent one are shorter.
    let mut scene = ringing(OfferOrder::AllAtOnce, 5).handled(120.0, None);
    scene.demand.types[0].intervals.iter_mut().for_each(|each| each.contacts = 34.0);
    let mut urgent = scene.group().clone();
    urgent.priority = 5;
    scene.add_step("urgent", barometer_strategy::StepKind::HuntGroup(urgent));
    scene.add_type("Urgent", 34.0 / 30.0, barometer_strategy::Customers::calls(120.0, None));
    scene.add_entry("Urgent", "urgent");
    let days = scene.experiment(20, 7).play_range(0..20).unwrap();
    let wait = |kind: usize| {
        let tallies = days.iter().map(|day| day.kinds().nth(kind).unwrap());
        let (secs, count) = tallies
            .fold((0.0, 0.0), |sum, each| (sum.0 + each.answer_wait_secs, sum.1 + each.answered));
        secs / count
    };
    assert!(wait(1) < 0.6 * wait(0), "urgent {} s, others {} s", wait(1), wait(0));
}

#[test]
fn a_team_that_is_no_member_changes_nothing() {
    // The first contacts of the day find everybody idle for equally long: the first as listed is
    // offered the contact, which is not the first of the teams.
    let mut scene = ringing(OfferOrder::LongestIdle, 3);
    scene.team().answer_delay = Duration::nothing();
    let listed_first = scene.add_team("second", 3).id.clone();
    scene.group().members.insert(0, Member { who: Members::Team(listed_first), rank: 1, wave: 0 });
    let mut with_chats = scene.clone();
    with_chats.add_team("chats", 3).channels = vec![barometer_strategy::ChannelSkill {
        channel: barometer_strategy::Channel::Chat,
        at_once: 3,
        slowing: 0.0,
    }];
    let answers = |scene: &Scene| -> Vec<What> {
        let events = story(scene).events.into_iter().map(|event| event.what);
        events.filter(|what| matches!(what, What::Answered { .. })).collect()
    };
    let without = answers(&scene);
    assert_eq!(without[0], What::Answered { agent: 3 });
    assert_eq!(answers(&with_chats), without);
}

#[test]
fn fewest_answered_today_begins_anew_each_day() {
    // The second agent is away all of the first day. On the second day both answer the same.
    let mut scene = ringing(OfferOrder::FewestAnswered, 2).handled(20.0, None);
    scene.demand.types[0].intervals =
        vec![barometer_simulate::DemandInterval { contacts: 20.0, handle_secs: 20.0 }; 96];
    scene.rostered(0, &[(0.0, 172_800.0), (86_400.0, 172_800.0)]);
    let told = story(&scene);
    let late = told.events.iter().filter(|each| each.at_secs > 86_400.0);
    let answered = |agent: u32| {
        late.clone().filter(|each| each.what == What::Answered { agent }).count() as f64
    };
    let share = answered(0) / (answered(0) + answered(1));
    assert!((share - 0.5).abs() < 0.05, "{share}");
}
