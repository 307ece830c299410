//! What single contacts say: exact small cases, and made-up customers whose truth is known.

use barometer_plan::single_contacts::{
    ContactOutcome, CustomersEstimate, SingleContact, SingleContacts,
};
use barometer_strategy::Duration;

/// Uniform numbers from a seed (splitmix64).
struct Dice(u64);

impl Dice {
    fn uniform(&mut self) -> f64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut mixed = self.0;
        mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((mixed ^ (mixed >> 31)) >> 11) as f64 / (1u64 << 53) as f64
    }

    fn exponential(&mut self, mean: f64) -> f64 {
        -mean * (1.0 - self.uniform()).ln()
    }

    fn normal(&mut self) -> f64 {
        // Box and Muller 1958.
        let (one, two) = (1.0 - self.uniform(), self.uniform());
        (-2.0 * one.ln()).sqrt() * (std::f64::consts::TAU * two).cos()
    }
}

fn contact(arrived: f64, waited: f64, outcome: ContactOutcome) -> SingleContact {
    SingleContact {
        arrived_secs: arrived,
        queue: 0,
        waited_secs: waited,
        outcome,
        handled_secs: None,
        customer: None,
    }
}

/// Customers whose offered waits are exponential with a mean of a hundred seconds; half are answered at once.
fn waiting(dice: &mut Dice, count: usize, patience: impl Fn(&mut Dice) -> f64) -> SingleContacts {
    let contacts = (0..count).map(|nth| {
        let offered = if dice.uniform() < 0.5 { 0.0 } else { dice.exponential(100.0) };
        let patience = patience(dice);
        let (waited, outcome) = if patience < offered {
            (patience, ContactOutcome::Abandoned)
        } else {
            (offered, ContactOutcome::Answered)
        };
        contact(nth as f64 * 10.0, waited, outcome)
    });
    SingleContacts { contacts: contacts.collect(), queues: vec![String::new()], others: 0 }
}

fn estimate(contacts: Vec<SingleContact>) -> CustomersEstimate {
    SingleContacts { contacts, queues: vec![String::new()], others: 0 }.estimate()
}

#[test]
fn the_curve_is_that_of_the_textbooks_remissions() {
    use ContactOutcome::{Abandoned, Answered};
    // Freireich and others 1963, in every textbook of survival analysis: weeks, and whether it ended.
    let ended = [6.0, 6.0, 6.0, 7.0, 10.0, 13.0, 16.0, 22.0, 23.0];
    let cut = [6.0, 9.0, 10.0, 11.0, 17.0, 19.0, 20.0, 25.0, 32.0, 32.0, 34.0, 35.0];
    let contacts = ended.iter().map(|&secs| contact(0.0, secs, Abandoned));
    let contacts = contacts.chain(cut.iter().map(|&secs| contact(0.0, secs, Answered)));
    let got = estimate(contacts.collect()).patience;
    assert_eq!((got.contacts, got.abandoned), (21, 9));
    let wanted = [
        (6.0, 0.857),
        (7.0, 0.807),
        (10.0, 0.753),
        (13.0, 0.690),
        (16.0, 0.627),
        (22.0, 0.538),
        (23.0, 0.448),
    ];
    assert_eq!(got.curve.len(), wanted.len() + 1);
    for (point, (secs, share)) in got.curve[1..].iter().zip(wanted) {
        assert!(
            (point.secs - secs).abs() < 1e-9 && (point.share - share).abs() < 5e-4,
            "{point:?}"
        );
        assert!(point.between.0 < point.share && point.share < point.between.1);
    }
    // Kalbfleisch and Prentice give 0.620 to 0.952 at six weeks on this scale.
    let six = got.curve[1].between;
    assert!((six.0 - 0.620).abs() < 2e-3 && (six.1 - 0.952).abs() < 2e-3, "{six:?}");
    // 359 weeks for nine: few, so that the mean is all that is told.
    assert_eq!(got.fit, Some(Duration::exponential(359.0 / 9.0)));
    // 718 over chi-square values 34.17 (20 degrees) and 8.231 (18 degrees).
    assert!((got.between.0 - 718.0 / 34.17).abs() < 0.01, "{:?}", got.between);
    assert!((got.between.1 - 718.0 / 8.231).abs() < 0.01, "{:?}", got.between);
}

#[test]
fn patience_is_found_again_whatever_its_distribution() {
    let mut dice = Dice(7);
    let simple = waiting(&mut dice, 40_000, |dice| dice.exponential(180.0)).estimate().patience;
    let mean = simple.fit.as_ref().unwrap().mean_secs();
    // Some 7,000 abandon: the mean has a relative deviation of 1.2 %, the fits with a shape one of 3 %.
    assert!((mean / 180.0 - 1.0).abs() < 0.05, "{:?}", simple.fit);

    // Scale 120 and shape 2.5: a mean of 120 Γ(1.4) = 106.5 s; nobody hangs up at once.
    let steep = waiting(&mut dice, 40_000, |dice| 120.0 * dice.exponential(1.0).powf(0.4));
    let steep = steep.estimate().patience;
    let Some(Duration::Weibull { mean_secs, shape }) = steep.fit else { panic!("{:?}", steep.fit) };
    assert!(
        (mean_secs / 106.5 - 1.0).abs() < 0.03 && (shape - 2.5).abs() < 0.08,
        "{mean_secs} {shape}"
    );

    // Deviation 0.8 on the scale of logarithms around 90 s: a mean of 90 e^0.32 = 123.9 s.
    let heavy = waiting(&mut dice, 40_000, |dice| 90.0 * (0.8 * dice.normal()).exp());
    let heavy = heavy.estimate().patience;
    let Some(Duration::LogNormal { mean_secs, .. }) = heavy.fit else { panic!("{:?}", heavy.fit) };
    assert!((mean_secs / 123.9 - 1.0).abs() < 0.05, "{mean_secs}");
    // The mean wait of those who abandoned is no patience: those who were answered first were left out.
    let gave_up: Vec<f64> = waiting(&mut dice, 10_000, |dice| dice.exponential(180.0))
        .contacts
        .iter()
        .filter(|each| each.outcome == ContactOutcome::Abandoned)
        .map(|each| each.waited_secs)
        .collect();
    let naive = gave_up.iter().sum::<f64>() / gave_up.len() as f64;
    assert!(naive < 80.0, "{naive}");
}

#[test]
fn the_interval_of_the_mean_holds_what_it_claims() {
    let mut dice = Dice(11);
    let mut held = 0;
    let samples = 400;
    for _ in 0..samples {
        // Under fifty abandon, so that it is the exponential's.
        let got = waiting(&mut dice, 120, |dice| dice.exponential(240.0)).estimate().patience;
        assert!(got.abandoned < 50);
        held += i32::from(got.between.0 <= 240.0 && 240.0 <= got.between.1);
    }
    // Binomial with 0.95: a deviation of 4.4; the exact interval errs to the safe side.
    assert!(held >= 380 - 13, "{held} of {samples}");
}

#[test]
fn queues_are_told_apart_and_too_few_say_nothing() {
    let mut dice = Dice(3);
    let mut both = waiting(&mut dice, 4_000, |dice| dice.exponential(60.0));
    let patient = waiting(&mut dice, 4_000, |dice| dice.exponential(600.0));
    both.contacts
        .extend(patient.contacts.into_iter().map(|each| SingleContact { queue: 1, ..each }));
    both.contacts.push(SingleContact { queue: 2, ..contact(0.0, 9.0, ContactOutcome::Abandoned) });
    both.contacts.push(contact(0.0, 0.0, ContactOutcome::Blocked));
    both.queues = ["Bookings", "Freight", "Chat"].map(str::to_owned).to_vec();
    let got = both.estimate();
    let mean = |at: usize| got.by_queue[at].1.fit.as_ref().map(Duration::mean_secs);
    assert_eq!(got.by_queue[0].1.contacts, 4_000, "who found it full never waited");
    assert!((mean(0).unwrap() / 60.0 - 1.0).abs() < 0.15, "{:?}", mean(0));
    assert!((mean(1).unwrap() / 600.0 - 1.0).abs() < 0.35, "{:?}", mean(1));
    assert_eq!((mean(2), got.by_queue[2].1.abandoned), (None, 1));
    assert_eq!(estimate(vec![contact(0.0, 5.0, ContactOutcome::Answered)]).patience.fit, None);
}

#[test]
fn handle_times_are_fitted_and_their_mean_has_an_interval() {
    let mut dice = Dice(5);
    let with = |secs: Vec<f64>| {
        let contacts = secs.into_iter().map(|secs| SingleContact {
            handled_secs: Some(secs),
            ..contact(0.0, 0.0, ContactOutcome::Answered)
        });
        estimate(contacts.collect()).handling
    };
    // The sum of four exponentials: a gamma of shape 4, whose variation is a half.
    let sums = (0..6_000).map(|_| (0..4).map(|_| dice.exponential(75.0)).sum()).collect();
    let got = with(sums).unwrap();
    let Duration::Gamma { mean_secs, variation } = got.fit else { panic!("{:?}", got.fit) };
    assert!(
        (mean_secs - got.mean_secs).abs() < 1e-9 && (variation - 0.5).abs() < 0.015,
        "{variation}"
    );
    // 300 s with a deviation of 150 / √6000 = 1.94 s.
    assert!((got.mean_secs - 300.0).abs() < 6.0);
    assert!((got.between.1 - got.between.0 - 2.0 * 1.96 * 1.94).abs() < 0.3, "{:?}", got.between);
    let logs = (0..6_000).map(|_| 200.0 * (0.7 * dice.normal()).exp()).collect();
    let got = with(logs).unwrap();
    assert!(matches!(got.fit, Duration::LogNormal { .. }), "{:?}", got.fit);
    assert_eq!(with(vec![100.0]), None);
    assert_eq!(with(vec![60.0, 180.0]).unwrap().fit, Duration::exponential(120.0));
}

#[test]
fn whoever_comes_again_within_a_day_is_counted_once_after_each_contact() {
    use ContactOutcome::{Abandoned, Answered};
    let of = |arrived: f64, customer: u32, outcome| SingleContact {
        customer: Some(customer),
        handled_secs: (outcome == Answered).then_some(100.0),
        ..contact(arrived, 50.0, outcome)
    };
    let day = 86_400.0;
    let contacts = vec![
        of(0.0, 1, Abandoned),
        of(650.0, 1, Abandoned),
        of(1_900.0, 1, Answered),
        of(100.0, 2, Abandoned),
        of(3.0 * day, 2, Answered),
        of(500.0, 3, Abandoned),
        contact(700.0, 20.0, Abandoned),
        // Nothing is known of the day after these.
        of(4.0 * day, 4, Abandoned),
        of(4.5 * day, 5, Answered),
    ];
    let got = estimate(contacts);
    let again = got.after_abandoning.unwrap();
    // Customer 1 twice of two, 2 and 3 not: after 600 s and 1,200 s.
    assert_eq!((again.contacts, again.share, again.after_secs), (4, 0.5, 900.0));
    assert!(again.between.0 < 0.2 && again.between.1 > 0.8);
    let habits = got.habits();
    let kept = habits.after_abandoning.unwrap();
    assert_eq!((kept.share, kept.after.mean_secs(), kept.most_attempts), (0.5, 900.0, Some(5)));
    assert_eq!((habits.after_blocked, habits.repeat), (None, None), "nobody returned after these");
    let served = got.after_answer.unwrap();
    assert_eq!((served.contacts, served.share), (2, 0.0));
    assert_eq!(got.after_blocked, None);
    assert_eq!(estimate(vec![contact(0.0, 1.0, Abandoned)]).after_abandoning, None);
}

#[test]
fn a_file_is_read_by_its_headings_and_says_what_is_wrong_row_by_row() {
    let text = "arrived_at;queue;waited_secs;outcome;handled_secs;contact_type;customer\n\
                2026-11-20 10:02:11;Bookings queue;12,5;answered;180;Bookings;A-17\n\
                2026-11-20T10:03:00;Bookings queue;40;abandoned;;bookings;\n\
                2026-11-20 10:03:00;Freight queue;40;abandoned;;Freight;B-2\n\
                2026-11-20 10:04:00;Bookings night;0;hung up;;;A-17\n";
    let read = SingleContacts::from_csv(text, "Bookings").unwrap();
    assert_eq!((read.contacts.len(), read.others), (3, 1));
    assert_eq!(read.queues, ["Bookings queue", "Bookings night"]);
    assert_eq!(read.contacts[0].handled_secs, Some(180.0));
    assert_eq!(read.contacts[0].waited_secs, 12.5);
    assert_eq!(read.contacts[0].customer, read.contacts[2].customer);
    assert_eq!(read.contacts[1].arrived_secs - read.contacts[0].arrived_secs, 49.0);
    let wrong = "arrived_at,waited_secs,outcome\n\
                 yesterday,1,answered\n\
                 2026-11-20 10:00,-3,answered\n\
                 2026-11-20 10:00,3,vanished\n\
                 2026-11-20 10:00,3\n";
    let told = SingleContacts::from_csv(wrong, "Bookings").unwrap_err();
    assert_eq!(told.len(), 4, "{told:?}");
    assert!(told[0].starts_with("Row 2, arrived_at: “yesterday” is no moment"), "{told:?}");
    assert!(told[1].contains("waited_secs: “-3” is no number of seconds"), "{told:?}");
    assert!(told[2].contains("outcome: “vanished” is none of answered"), "{told:?}");
    let none =
        SingleContacts::from_csv("arrived_at,waited_secs,outcome\n", "Bookings").unwrap_err();
    assert_eq!(none, ["There is no contact in the file."]);
    let other = "arrived_at,waited_secs,outcome,type\n2026-11-20 10:00,3,answered,Freight\n";
    let other = SingleContacts::from_csv(other, "Bookings").unwrap_err();
    assert_eq!(other, ["There is no contact of Bookings in the file, and 1 of others."]);
    assert!(
        SingleContacts::from_csv("a,b\n", "Bookings").unwrap_err()[0]
            .contains("must name the columns")
    );
}
