//! Every model beyond plain Erlang B, C and A against values computed another way (`families.py`).

#![cfg(test)]

use barometer_queueing::{
    ChatPace, ChatTeam, Class, ErlangA, FinitePlaces, GeneralPatience, LevelOf, Patience, Redial,
    Start, Stretch, Traffic, TransientDay, TwoClasses, WhenAllBusy, erlang_b_with_redial,
    lines_for_blocking, load_for_blocking, ordered_hunting,
};

/// One line of `families.csv`.
struct Case {
    line: &'static str,
    inputs: Vec<&'static str>,
    outputs: Vec<f64>,
}

impl Case {
    fn at(&self, column: usize) -> f64 {
        self.inputs[column].parse().unwrap()
    }

    fn known(&self, column: usize) -> Option<f64> {
        self.inputs[column].parse().ok()
    }

    fn count(&self, column: usize) -> u32 {
        self.at(column) as u32
    }

    /// Compares with every output in turn, by relative error; shares below 1e-12 by absolute error.
    fn assert_close(&self, got: &[f64], tolerance: f64) {
        assert_eq!(got.len(), self.outputs.len(), "{}", self.line);
        for (at, (got, exact)) in got.iter().zip(&self.outputs).enumerate() {
            let error = (got - exact).abs() / exact.abs().max(1e-12);
            assert!(error <= tolerance, "{}: output {at} is {got:e}, not {exact:e}", self.line);
        }
    }
}

/// The cases of a family; never none.
fn cases(family: &str) -> Vec<Case> {
    let cases: Vec<Case> = include_str!("families.csv")
        .lines()
        .filter_map(|line| {
            let mut parts = line.split('|');
            let (name, inputs, outputs) = (parts.next()?, parts.next()?, parts.next()?);
            (name == family).then(|| Case {
                line,
                inputs: inputs.split(',').collect(),
                outputs: outputs.split(',').map(|cell| cell.parse().unwrap()).collect(),
            })
        })
        .collect();
    assert!(!cases.is_empty(), "no case of {family}");
    cases
}

/// Where a closed form or a single chain exists.
const CLOSED: f64 = 2e-11;

/// Chains over two numbers, and days: their reference has about ten digits.
const CHAIN: f64 = 1e-8;

#[test]
fn lines_and_loads_for_a_blocking() {
    for case in cases("lines") {
        let lines = lines_for_blocking(case.at(0), case.at(1)).unwrap();
        assert_eq!(f64::from(lines), case.outputs[0], "{}", case.line);
    }
    for case in cases("load") {
        case.assert_close(&[load_for_blocking(case.count(0), case.at(1)).unwrap()], 1e-13);
    }
}

#[test]
fn refused_callers_who_try_again() {
    for case in cases("redial-b") {
        let got = erlang_b_with_redial(case.at(0), case.count(1), case.at(2)).unwrap();
        case.assert_close(&[got.total_erlangs, got.blocking, got.lost], 1e-12);
    }
}

#[test]
fn finite_places_with_patience_and_without() {
    for case in cases("places") {
        let traffic = Traffic::of_load(case.at(0), case.at(2)).unwrap();
        let places = case.known(3).map(|places| places as u32);
        let line = FinitePlaces::new(traffic, case.count(1), places, case.known(4)).unwrap();
        let (within, short_secs) = (case.at(5), case.at(6));
        let level = |of| line.service_level(within, of);
        let figures = line.figures();
        let got = [
            figures.blocked,
            figures.wait_probability,
            figures.answered,
            figures.abandonment,
            figures.answer_secs,
            figures.abandon_secs,
            figures.mean_waiting,
            level(LevelOf::Offered),
            level(LevelOf::OfferedLessShort { short_secs }),
            level(LevelOf::Answered),
            figures.occupancy,
        ];
        case.assert_close(&got, CLOSED);
        if let (None, Some(patience)) = (places, case.known(4)) {
            let erlang_a = ErlangA::new(traffic, case.count(1), patience).unwrap();
            let of = |of| erlang_a.service_level_of(within, of).unwrap();
            let figures = erlang_a.figures().unwrap();
            let got = [
                0.0,
                erlang_a.wait_probability(),
                figures.answered,
                erlang_a.abandonment(),
                erlang_a.answer_secs(),
                figures.abandon_secs,
                figures.mean_waiting,
                of(LevelOf::Offered),
                of(LevelOf::OfferedLessShort { short_secs }),
                of(LevelOf::Answered),
                erlang_a.occupancy(),
            ];
            case.assert_close(&got, CLOSED);
        }
    }
}

#[test]
fn chats_that_slow_each_other_down() {
    for case in cases("chat") {
        let pace = ChatPace { at_once: case.count(2), alone_secs: case.at(3), slowing: case.at(4) };
        let places = case.known(5).map(|places| places as u32);
        let team =
            ChatTeam::new(case.at(0) / 3600.0, case.count(1), pace, places, case.known(6)).unwrap();
        let figures = team.figures();
        let got = [
            figures.blocked,
            figures.wait_probability,
            figures.answered,
            figures.abandonment,
            figures.answer_secs,
            team.service_level(case.at(7), LevelOf::Offered),
            figures.occupancy,
            team.mean_chats(),
        ];
        case.assert_close(&got, CLOSED);
    }
}

#[test]
fn patience_of_any_distribution() {
    for case in cases("patience") {
        let patience = match case.inputs[3] {
            "exponential" => Patience::Exponential { mean_secs: case.at(4) },
            "hyperexponential" => Patience::HyperExponential {
                first: case.at(4),
                first_mean_secs: case.at(5),
                second_mean_secs: case.at(6),
            },
            "weibull" => Patience::Weibull { shape: case.at(4), mean_secs: case.at(5) },
            "lognormal" => Patience::LogNormal { mean_secs: case.at(4), variation: case.at(5) },
            _ => Patience::Constant { secs: case.at(4) },
        };
        let traffic = Traffic::of_load(case.at(0), case.at(2)).unwrap();
        let line = GeneralPatience::new(traffic, case.count(1), patience).unwrap();
        let figures = line.figures();
        let got = [
            figures.wait_probability,
            figures.answered,
            figures.abandonment,
            figures.answer_secs,
            figures.mean_wait_secs,
            line.service_level(case.at(7), LevelOf::Offered),
            line.service_level(case.at(7), LevelOf::OfferedLessShort { short_secs: case.at(8) }),
        ];
        case.assert_close(&got, 1e-10);
    }
}

#[test]
fn members_hunted_from_the_top() {
    for case in cases("hunting") {
        let traffic = Traffic::of_load(case.at(0), case.at(2)).unwrap();
        let when_all_busy = match case.count(3) {
            0 => WhenAllBusy::Refused,
            places => WhenAllBusy::Waits { places: Some(places), patience_secs: case.known(4) },
        };
        let loads = ordered_hunting(traffic, case.count(1), when_all_busy).unwrap();
        case.assert_close(&loads, 1e-10);
    }
}

#[test]
fn two_classes_of_which_one_goes_first() {
    for case in cases("priority") {
        let handle_secs = case.at(3);
        let class = |load: usize, patience: usize| Class {
            contacts_per_sec: case.at(load) / handle_secs,
            patience_secs: case.known(patience),
        };
        let classes = TwoClasses {
            urgent: class(0, 4),
            others: class(1, 5),
            handle_secs,
            servers: case.count(2),
        };
        let [urgent, others] = classes.figures(case.at(6)).unwrap();
        let got = [
            urgent.wait_probability,
            urgent.abandonment,
            others.abandonment,
            urgent.mean_wait_secs,
            others.mean_wait_secs,
            urgent.service_level,
            others.service_level,
            others.answer_secs,
        ];
        // The reference cuts the patient lines off at 18 and 46: that is where its digits end.
        case.assert_close(&got, if case.known(4).is_some() { CHAIN } else { 1e-4 });
    }
}

#[test]
fn without_patience_two_classes_wait_as_cobham_says() {
    let (handle_secs, servers) = (180.0, 8);
    let class = |load: f64| Class { contacts_per_sec: load / handle_secs, patience_secs: None };
    let classes = TwoClasses { urgent: class(2.0), others: class(3.0), handle_secs, servers };
    let [urgent, others] = classes.figures(20.0).unwrap();
    let traffic = Traffic::of_load(5.0, handle_secs).unwrap();
    let wait = barometer_queueing::ErlangC::new(traffic, servers).unwrap().wait_probability();
    let first = wait * handle_secs / (8.0 - 2.0);
    assert!((urgent.mean_wait_secs / first - 1.0).abs() < 1e-11);
    assert!((others.mean_wait_secs / (first * 8.0 / (8.0 - 5.0)) - 1.0).abs() < 1e-11);
    let in_time = 1.0 - wait * (-(8.0 - 2.0) / handle_secs * 20.0f64).exp();
    assert!((urgent.service_level / in_time - 1.0).abs() < 1e-11);
}

#[test]
fn callers_who_come_back() {
    for case in cases("redial") {
        let redial = Redial {
            traffic: Traffic::of_load(case.at(0), case.at(2)).unwrap(),
            servers: case.count(1),
            places: case.known(3).map(|places| places as u32),
            patience_secs: case.known(4),
            share: case.at(5),
            after_secs: case.at(6),
        };
        let got = redial.figures(case.at(7)).unwrap();
        let got = [
            got.calls_per_caller,
            got.callers_answered,
            got.blocked,
            got.wait_probability,
            got.abandonment,
            got.service_level,
            got.occupancy,
        ];
        case.assert_close(&got, CHAIN);
    }
}

#[test]
fn a_day_that_never_settles() {
    for case in cases("day") {
        let plan: Vec<Stretch> = (3..case.inputs.len())
            .step_by(4)
            .map(|at| Stretch {
                secs: case.at(at),
                contacts_per_sec: case.at(at + 1),
                handle_secs: case.at(at + 2),
                servers: case.count(at + 3),
            })
            .collect();
        let day = TransientDay {
            patience_secs: case.known(0),
            within_secs: case.at(1),
            most_waiting: 40,
        };
        let figures = day.evaluate(&Start::Empty, &plan).unwrap()[case.count(2) as usize];
        let got = [figures.service_level, figures.mean_waiting, figures.in_system_at_end];
        case.assert_close(&got, CHAIN);
    }
}
