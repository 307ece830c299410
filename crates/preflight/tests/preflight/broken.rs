//! One mistake each: preflight finds it, says why in numbers, and its first repair mends it.

use barometer_preflight::{Premises, Rule, preflight};
use barometer_strategy::{
    HuntGroup, Next, OfferOrder, OnLeaving, Promise, Queue, Route, StepKind, Strategy, WhoRings,
};
use jiff::civil::time;

use crate::harbour::{finding, premises, rules_of, strategy};

pub fn queue<'a>(strategy: &'a mut Strategy, id: &str) -> &'a mut Queue {
    let step = strategy.steps.iter_mut().find(|step| step.id == id).expect("it is there");
    match &mut step.does {
        StepKind::Queue(queue) => queue,
        other => panic!("{id} is no queue but {other:?}"),
    }
}

pub fn group(strategy: &mut Strategy) -> &mut HuntGroup {
    let step = strategy.steps.iter_mut().find(|step| step.id == "group").expect("it is there");
    match &mut step.does {
        StepKind::HuntGroup(group) => group,
        other => panic!("the group is {other:?}"),
    }
}

/// A rule that is broken by a change of the sound strategy or of its premises, and the reason given.
pub struct Broken {
    pub rule: Rule,
    pub reason: &'static str,
    pub break_it: fn(&mut Strategy, &mut Premises),
}

/// Every mistake there is.
fn all() -> impl Iterator<Item = &'static Broken> {
    BROKEN.iter().chain(crate::broken_campaigns::BROKEN).chain(crate::broken_numbers::BROKEN)
}

const BROKEN: &[Broken] = &[
    Broken {
        rule: Rule::MoreThanSeats,
        reason: "13 people are on shift on Monday at 08:00, and there are 5 licences.",
        break_it: |_, premises| (premises.seats, premises.licences) = (Some(100), Some(5)),
    },
    Broken {
        rule: Rule::GroupLimitTooShort,
        reason: "The group limit ends after 30 s; reaching all 4 on shift takes 48 s: Quay staff 1 and \
                 Quay staff 2 never ring for a full window. 73 % of callers would still be there.",
        break_it: |strategy, _| group(strategy).group_limit_secs = Some(30.0),
    },
    Broken {
        rule: Rule::NoAnswerTooEarly,
        reason: "“No answer” is taken after 2 offers, and 4 members are on shift: Quay staff 1 and Quay \
                 staff 2 never ring for a full window.",
        break_it: |strategy, _| {
            group(strategy).offering.most_offers = Some(2);
            group(strategy).exits.no_answer = Next::step("mail");
        },
    },
    Broken {
        rule: Rule::RingsPastPatience,
        reason: "When the last of 4 on shift rings, after 135 s, 41 % of callers are still there.",
        break_it: |strategy, _| {
            group(strategy).offering.ring_window_secs = Some(45.0);
            group(strategy).group_limit_secs = Some(200.0);
        },
    },
    Broken {
        rule: Rule::WindowTooShort,
        reason: "Each phone rings for 3 s; half of the members need 4 s or more to answer.",
        break_it: |strategy, _| group(strategy).offering.ring_window_secs = Some(3.0),
    },
    Broken {
        rule: Rule::AfterTheLimit,
        reason: "The longest wait of “Bookings queue” ends after 50 s; relaxation 1 would begin after 60 s.",
        break_it: |strategy, _| {
            queue(strategy, "bookings").longest_wait_secs = Some(50.0);
            let offer = queue(strategy, "bookings").callback.as_mut();
            offer.expect("it offers one").after_secs = 20.0;
        },
    },
    Broken {
        rule: Rule::NoLimit,
        reason: "“Frequent travellers queue” takes any number of contacts and keeps each until it is \
                 answered or hangs up. After 350 s 10 % of callers would still be there.",
        break_it: |strategy, _| queue(strategy, "frequent").longest_wait_secs = None,
    },
    Broken {
        rule: Rule::LimitBeyondPatience,
        reason: "When the longest wait of 900 s is over, under 1 % of callers are left: nearly all have \
                 hung up before its exit.",
        break_it: |strategy, _| queue(strategy, "frequent").longest_wait_secs = Some(900.0),
    },
    Broken {
        rule: Rule::LimitWithoutExit,
        reason: "“Bookings queue” has 20 places, and its exit keeps the contact: the limit does nothing.",
        break_it: |strategy, _| queue(strategy, "bookings").exits.full = Next::KeepRinging,
    },
    Broken {
        rule: Rule::Loop,
        reason: "The exit “longest wait over” of “Frequent travellers queue” leads to “Opening hours”, \
                 from where contacts come back.",
        break_it: |strategy, _| queue(strategy, "frequent").exits.too_long = Next::step("gate"),
    },
    Broken {
        rule: Rule::NobodyOnShift,
        reason: "12 contacts reach “Bookings queue” while nobody is on shift, mostly Calls; first Mon 30 \
                 Nov 00:00–08:00.",
        break_it: |strategy, _| {
            queue(strategy, "bookings").exits.no_staff_at_arrival = None;
            if let StepKind::HoursGate(gate) = &mut strategy.steps[0].does {
                gate.hours[0].from = time(0, 0, 0, 0);
                gate.hours[0].until = time(0, 0, 0, 0);
            }
        },
    },
    Broken {
        rule: Rule::NobodyMatches,
        reason: "“Chat queue” asks for Chat at 3 or more and Gaelic, and no agent matches; 344 contacts \
                 wait there until they hang up.",
        break_it: |strategy, _| {
            let skills = &mut queue(strategy, "chat").need.skills;
            skills[0].at_least = Some(3);
            skills.push(barometer_strategy::WantedSkill {
                skill: "Gaelic".to_owned(),
                at_least: None,
            });
        },
    },
    Broken {
        rule: Rule::OneCarriesIt,
        reason: "“Bookings queue” asks for Ferries at 9 or more: only Ada has it, of 5 who have the skill.",
        break_it: |strategy, _| queue(strategy, "bookings").need.skills[0].at_least = Some(9),
    },
    Broken {
        rule: Rule::RelaxationAddsNobody,
        reason: "After 60 s “Bookings queue” asks for less, and the same 3 agents match as before.",
        break_it: |strategy, _| {
            queue(strategy, "bookings").need.relaxations[0].skills[0].at_least = Some(5);
        },
    },
    Broken {
        rule: Rule::OneAtATime,
        reason: "On Mon 08:00 4 members are on shift, and while one call rings no other is offered.",
        break_it: |strategy, _| group(strategy).offering.parallel = false,
    },
    Broken {
        rule: Rule::SecondCall,
        reason: "When nobody of “Harbour offices” is free, the next call rings at people who are on a \
                 call, for 12 s.",
        break_it: |strategy, _| group(strategy).offering.second_call = true,
    },
    Broken {
        rule: Rule::RingsTooMany,
        reason: "On Mon 08:00 one call rings 32 phones at once; 20 are the most.",
        break_it: |strategy, premises| {
            group(strategy).offering.order = OfferOrder::AllAtOnce;
            premises.teams[1].people.iter_mut().for_each(|people| *people *= 15);
        },
    },
    Broken {
        rule: Rule::RingsTheAbsent,
        reason: "On Mon 08:00 3 of 4 are on shift; the phones of the other 1 ring as well, each for 12 s.",
        break_it: |strategy, premises| {
            group(strategy).rings = WhoRings::Everyone;
            premises.teams[2].people[16..24].fill(1);
        },
    },
    Broken {
        rule: Rule::RankOverload,
        reason: "On Mon 08:00 the 2 of rank 1 are busy 92 % of the time, the 30 of lower ranks 38 %.",
        break_it: |strategy, premises| {
            group(strategy).offering.order = OfferOrder::LongestIdle;
            group(strategy).group_limit_secs = None;
            premises.teams[2].people.iter_mut().for_each(|people| *people *= 15);
            premises.types[0].contacts.iter_mut().for_each(|contacts| *contacts *= 10.0);
        },
    },
    Broken {
        rule: Rule::NeverOpen,
        reason: "“Opening hours” is closed in the whole period; 1222 contacts take its closed way.",
        break_it: |strategy, _| {
            if let StepKind::HoursGate(gate) = &mut strategy.steps[0].does {
                gate.hours.clear();
            }
        },
    },
    Broken {
        rule: Rule::ClosedWhileStaffed,
        reason: "240 contacts take the closed way of “Opening hours” while people who would answer them \
                 are on shift; first Mon 30 Nov 08:00–10:00.",
        break_it: |strategy, _| {
            if let StepKind::HoursGate(gate) = &mut strategy.steps[0].does {
                gate.hours[0].from = time(10, 0, 0, 0);
            }
        },
    },
    Broken {
        rule: Rule::OtherZone,
        reason: "“Opening hours” opens at 08:00 in Europe/Berlin, which is 07:00 on the centre’s clock.",
        break_it: |strategy, _| {
            if let StepKind::HoursGate(gate) = &mut strategy.steps[0].does {
                gate.zone = Some("Europe/Berlin".to_owned());
            }
        },
    },
    Broken {
        rule: Rule::CallbackAfterClosing,
        reason: "“Callback” promises a call after 3600 s; promised Mon 30 Nov 17:00–18:00, it falls due \
                 when nobody of “Bookings queue” is on shift.",
        break_it: |strategy, _| {
            for step in &mut strategy.steps {
                if let StepKind::Callback(callback) = &mut step.does {
                    callback.promise = Promise::AfterSecs(3600.0);
                }
            }
        },
    },
    Broken {
        rule: Rule::RetriesTooClose,
        reason: "A customer who does not answer “Callback” is called again after 60 s, up to 2 times.",
        break_it: |strategy, _| {
            for step in &mut strategy.steps {
                if let StepKind::Callback(callback) = &mut step.does {
                    callback.retry_after_secs = 60.0;
                }
            }
        },
    },
    Broken {
        rule: Rule::MessageNobodyHears,
        reason: "“Voicemail” takes messages, and nobody is given the work of hearing them; 30 contacts \
                 leave one there.",
        break_it: |strategy, _| {
            for step in &mut strategy.steps {
                if let StepKind::Voicemail(voicemail) = &mut step.does {
                    voicemail.work = None;
                }
            }
        },
    },
    Broken {
        rule: Rule::WrapUpTwice,
        reason: "“Bookings queue” adds 30 s of wrap-up to the 240 s that Calls is handled, which include \
                 it.",
        break_it: |strategy, _| queue(strategy, "bookings").offering.wrap_up_secs = 30.0,
    },
    Broken {
        rule: Rule::ChatsOneAtATime,
        reason: "Chats is planned with 2 chats at once, and each agent of “Chat desk” holds one.",
        break_it: |strategy, _| strategy.teams[3].channels[0].at_once = 1,
    },
    Broken {
        rule: Rule::ChatsCutOff,
        reason: "When somebody of “Chat desk” signs out, the chats at hand end.",
        break_it: |strategy, _| strategy.teams[3].on_leaving = OnLeaving::CutOff,
    },
    Broken {
        rule: Rule::PointlessOverflow,
        reason: "The exit “longest wait over” of “Frequent travellers queue” leads to “Bookings queue”, \
                 whose members are the same people.",
        break_it: |strategy, _| queue(strategy, "frequent").exits.too_long = Next::step("bookings"),
    },
    Broken {
        rule: Rule::MorePlacesThanLines,
        reason: "“Bookings queue” holds 20 waiting calls, and there are 12 lines in all: callers get the \
                 busy tone of the line before it is full.",
        break_it: |_, premises| premises.lines = Some(12),
    },
    Broken {
        rule: Rule::NothingLeadsHere,
        reason: "No way leads from an entry to “Assistant”.",
        break_it: |strategy, _| strategy.entries[1].first = Next::step("chat"),
    },
    Broken {
        rule: Rule::NeverRouted,
        reason: "“By label” has two routes for “frequent”; the first takes all contacts.",
        break_it: |strategy, _| {
            for step in &mut strategy.steps {
                if let StepKind::Routing(routing) = &mut step.does {
                    let next = Next::step("bookings");
                    routing.routes.push(Route { label: "frequent".to_owned(), next });
                }
            }
        },
    },
    Broken {
        rule: Rule::ListedTwice,
        reason: "“Harbour office” stands in lines 1 and 3.",
        break_it: |strategy, _| {
            let first = group(strategy).members[0].clone();
            group(strategy).members.push(first);
        },
    },
    Broken {
        rule: Rule::NoEntry,
        reason: "No entry receives Chats.",
        break_it: |strategy, _| strategy.entries[1].contact_types = vec!["Letters".to_owned()],
    },
    Broken {
        rule: Rule::LeadsNowhere,
        reason: "“General line” leads straight to the busy tone.",
        break_it: |strategy, _| strategy.entries[0].first = Next::BusyTone,
    },
    Broken {
        rule: Rule::ExitToNobody,
        reason: "The exit “longest wait over” of “Frequent travellers queue” leads to “Night desk queue”, \
                 where nobody is on shift; first Mon 30 Nov 08:00–18:00.",
        break_it: |strategy, _| {
            queue(strategy, "frequent").exits.too_long = Next::step("night");
            let mut night = strategy.steps.iter().find(|step| step.id == "frequent").cloned();
            let night = night.as_mut().expect("it is there");
            (night.id, night.name) = ("night".to_owned(), "Night desk queue".to_owned());
            if let StepKind::Queue(queue) = &mut night.does {
                queue.exits.no_staff_at_arrival = None;
                queue.exits.too_long = Next::step("mail");
                queue.need.skills[0] =
                    barometer_strategy::WantedSkill { skill: "Night".to_owned(), at_least: None };
            }
            let mut team = strategy.teams[1].clone();
            (team.id, team.name) = ("night".to_owned(), "Night desk".to_owned());
            team.skills =
                vec![barometer_strategy::Skill { skill: "Night".to_owned(), level: None }];
            strategy.steps.push(night.clone());
            strategy.teams.push(team);
        },
    },
];

#[test]
fn every_rule_is_broken_once() {
    for rule in Rule::ALL {
        let times = all().filter(|broken| broken.rule == *rule).count();
        assert_eq!(times, 1, "{rule:?}");
    }
}

#[test]
fn each_mistake_is_found_with_its_reason() {
    for Broken { rule, reason, break_it } in all() {
        let (mut strategy, mut premises) = (strategy(), premises());
        break_it(&mut strategy, &mut premises);
        assert_eq!(finding(&strategy, &premises, *rule).reason, *reason);
    }
}

#[test]
fn a_mistake_is_found_alone_but_for_what_follows_from_it() {
    for Broken { rule, break_it, .. } in all() {
        let (mut strategy, mut premises) = (strategy(), premises());
        break_it(&mut strategy, &mut premises);
        let mut others = rules_of(&strategy, &premises);
        others.retain(|other| other != rule);
        let follows: &[Rule] = match rule {
            // People behind a gate that is never open, or closed, are there for nobody.
            Rule::NeverOpen | Rule::OtherZone => &[Rule::ClosedWhileStaffed],
            // What an entry does not reach, nothing reaches.
            Rule::LeadsNowhere => &[Rule::NothingLeadsHere],
            Rule::NoEntry => &[],
            _ => &[],
        };
        others.retain(|other| !follows.contains(other));
        assert_eq!(others, [], "beside {rule:?}");
    }
}

#[test]
fn the_first_repair_mends_what_was_found() {
    for Broken { rule, break_it, .. } in all() {
        let (mut strategy, mut premises) = (strategy(), premises());
        break_it(&mut strategy, &mut premises);
        let found = finding(&strategy, &premises, *rule);
        let Some(repair) = found.repairs.first() else {
            // Hours, entries and seats are the planner's to decide.
            let open = [
                Rule::NeverOpen,
                Rule::ClosedWhileStaffed,
                Rule::LeadsNowhere,
                Rule::MoreThanSeats,
            ];
            assert!(open.contains(rule), "{rule:?} has no repair");
            continue;
        };
        let mended = repair.edit.apply(&strategy).expect("a repair can be made");
        let left = preflight(&mended, &premises);
        assert!(left.iter().all(|each| each.key() != found.key()), "{rule:?}: {left:?}");
    }
}
