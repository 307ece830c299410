//! Shapes to start from: each can be played and has a way for every contact type to its own people.

use barometer_strategy::{Channel, StartingShape, StartingType, StepName};

fn types() -> Vec<StartingType> {
    let of = |name: &str, channel, at_once| StartingType {
        name: name.to_owned(),
        channel,
        at_once,
        slowing: 0.0,
    };
    vec![
        of("Bookings", Channel::Call, 1),
        of("Vehicles & freight", Channel::Call, 1),
        of("Web chat", Channel::Chat, 3),
        of("E-mail", Channel::Task, 1),
    ]
}

#[test]
fn every_contact_type_comes_in_and_is_answered_in_every_shape() {
    for shape in StartingShape::ALL {
        let strategy = shape.strategy("Larkhaven", &types());
        assert_eq!(strategy.faults(), [], "{}", shape.words());
        for each in types() {
            let home = strategy.home_team(&each.name, each.channel);
            let home = home.unwrap_or_else(|| panic!("{}: {}", shape.words(), each.name));
            let answers = home.answers(each.channel).unwrap();
            assert_eq!(answers.at_once, each.at_once, "{}: {}", shape.words(), each.name);
        }
        let only_written = shape.strategy("Larkhaven", &types()[2..]);
        assert_eq!(only_written.faults(), [], "{} without calls", shape.words());
        let only_calls = shape.strategy("Larkhaven", &types()[..1]);
        assert_eq!((only_calls.faults(), only_calls.entries.len()), (vec![], 1));
    }
}

#[test]
fn each_shape_has_the_steps_that_it_is_named_after() {
    let steps = |shape: StartingShape| -> Vec<StepName> {
        let strategy = shape.strategy("Larkhaven", &types()[..2]);
        strategy.steps.iter().map(|step| step.does.name()).collect()
    };
    use StepName::{HoursGate, HuntGroup, Menu, Queue, Voicemail};
    assert_eq!(steps(StartingShape::OneQueue), [Queue]);
    assert_eq!(steps(StartingShape::MenuAndQueues), [HoursGate, Menu, Queue, Queue, Voicemail]);
    assert_eq!(steps(StartingShape::HuntGroup), [HuntGroup, Queue, Voicemail]);
}
