use barometer_dialling::Detection;
use barometer_dialling::pacing::{Learned, Situation, of};
use barometer_strategy::{CallsBefore, Campaign, Duration, Pacing, ServedBy};

fn campaign(pacing: Pacing) -> Campaign {
    Campaign { pacing, ..Campaign::named("c", "C", "team") }
}

fn situation(free: u32, ringing: &[f64]) -> Situation<'_> {
    Situation {
        now: 100.0,
        free,
        owed: 0,
        on_shift: 20,
        left_secs: 8.0 * 3600.0,
        left_people: 10_000,
        talking_since: &[],
        ringing_since: ringing,
    }
}

#[test]
fn each_way_asks_for_its_own_number_of_lines() {
    let lines = |pacing: Pacing, free: u32| of(&campaign(pacing)).lines(&situation(free, &[90.0]));
    let look = Duration::exponential(20.0);
    assert_eq!(lines(Pacing::Progressive {}, 3), 4, "one is kept for the line in the air");
    assert_eq!(lines(Pacing::ByHand { look_up: look.clone() }, 3), 4);
    assert_eq!(lines(Pacing::Preview { look, skipped_share: 0.1 }, 3), 4);
    assert_eq!(lines(Pacing::Steady { lines_per_agent: 1.5 }, 3), 4);
    assert_eq!(lines(Pacing::Steady { lines_per_agent: 1.1 }, 10), 11);
    assert!(lines(Pacing::Predictive {}, 10) > 10);
    let mut message = campaign(Pacing::Progressive {});
    message.served_by = ServedBy::Message("told".to_owned());
    assert_eq!(of(&message).lines(&situation(0, &[])), u32::MAX);
}

#[test]
fn predictive_dialling_stops_risking_when_its_day_is_used_up_and_risks_again_the_next() {
    let mut pacing = of(&campaign(Pacing::Predictive {}));
    let mut evening = situation(10, &[]);
    evening.left_secs = 60.0;
    for _ in 0..96 {
        pacing.learn(Learned::Connected);
    }
    assert!(
        pacing.lines(&evening) > 10,
        "three of a hundred are allowed, and nobody was abandoned"
    );
    for _ in 0..3 {
        pacing.learn(Learned::Abandoned);
    }
    assert_eq!(pacing.lines(&evening), 10, "one line for each free agent");
    assert!(pacing.lines(&situation(10, &[])) > 10, "the rest of the day would make it good");
    pacing.new_day();
    let mut morning = situation(10, &[]);
    morning.left_secs = 8.0 * 3600.0;
    assert!(pacing.lines(&morning) > 10);
}

#[test]
fn what_the_last_29_days_used_up_of_the_ceiling_is_not_risked_today() {
    let after = |answered: u32, abandoned: u32| {
        let mut campaign = campaign(Pacing::Predictive {});
        campaign.last_29_days = Some(CallsBefore { answered, abandoned });
        of(&campaign)
    };
    let morning = situation(10, &[]);
    assert!(after(20_000, 200).lines(&morning) > 10, "1 % of 3 %");
    assert_eq!(after(20_000, 800).lines(&morning), 10, "4 %: one line for each free agent");
    // Days without anybody abandoned make it good.
    let mut sparing = after(20_000, 700);
    assert_eq!(sparing.lines(&morning), 10);
    for _ in 0..10 {
        for _ in 0..1000 {
            sparing.learn(Learned::Connected);
        }
        sparing.new_day();
    }
    assert!(sparing.lines(&morning) > 10);
}

#[test]
fn predictive_dialling_counts_on_agents_who_are_about_to_be_free() {
    let mut pacing = of(&campaign(Pacing::Predictive {}));
    let talking: Vec<f64> = vec![100.0 - 150.0; 40];
    let mut busy = situation(0, &[]);
    (busy.on_shift, busy.talking_since) = (40, &talking);
    let expected = pacing.lines(&busy);
    assert!(expected > 0);
    busy.owed = 10;
    assert!(pacing.lines(&busy) < expected, "those who are owed to inbound contacts come first");
    busy.talking_since = &[];
    busy.owed = 0;
    assert_eq!(pacing.lines(&busy), 0);
}

#[test]
fn detection_that_tries_harder_takes_longer_and_makes_other_mistakes() {
    let [least, middle, most] = [0.0, 0.5, 1.0].map(Detection::of);
    assert!(least.decide_secs < middle.decide_secs && middle.decide_secs < most.decide_secs);
    assert!(least.people_taken_for_machines < most.people_taken_for_machines);
    assert!(least.machines_taken_for_people > most.machines_taken_for_people);
    // The normal distribution's share below −2.6 and above 1.7.
    assert!((least.people_taken_for_machines - 0.004_661).abs() < 1e-6);
    assert!((most.machines_taken_for_people - 0.044_565).abs() < 1e-6);
}
