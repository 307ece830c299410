//! Mistakes of campaigns, and what is no mistake.

use barometer_preflight::{Premises, Rule};
use barometer_strategy::{
    CallsBefore, Campaign, Pacing, ServedBy, Strategy, Team, WornNumbers, ZoneShare,
};
use jiff::civil::time;

use crate::broken::Broken;
use crate::harbour::{finding, premises, rules_of, strategy};

/// A sound campaign with a team of twelve of its own.
fn outbound<'a>(strategy: &'a mut Strategy, premises: &mut Premises) -> &'a mut Campaign {
    strategy.teams.push(Team::named("callers", "Callers"));
    let mut people = premises.teams[0].clone();
    people.team = "callers".to_owned();
    people.people.iter_mut().for_each(|people| *people = if *people > 0 { 12 } else { 0 });
    premises.teams.push(people);
    // Every queue of the harbour asks for a skill, so that they take no inbound contacts.
    strategy.campaigns.push(Campaign::named("news", "News", "callers"));
    strategy.campaigns.last_mut().expect("it was added")
}

pub const BROKEN: &[Broken] = &[
    Broken {
        rule: Rule::NeverDials,
        reason: "“News” has no hours in the whole period: it calls nobody.",
        break_it: |strategy, premises| outbound(strategy, premises).hours.clear(),
    },
    Broken {
        rule: Rule::ZoneNeverCalled,
        reason: "“News” never dials between 08:00 and 21:00 by the clocks of Pacific/Honolulu: nobody \
                 there is called.",
        break_it: |strategy, premises| {
            let zone = |zone: &str, share| ZoneShare { zone: zone.to_owned(), share };
            outbound(strategy, premises).list.zones =
                vec![zone("UTC", 0.9), zone("Pacific/Honolulu", 0.1)];
        },
    },
    Broken {
        rule: Rule::NobodyToTalk,
        reason: "None of its agents is on shift in any interval in which “News” dials.",
        break_it: |strategy, premises| {
            let hours = &mut outbound(strategy, premises).hours[0];
            (hours.from, hours.until) = (time(18, 30, 0, 0), time(20, 0, 0, 0));
        },
    },
    Broken {
        rule: Rule::OverTheCeiling,
        reason: "With 12 agents and 4 lines for each free one, 30 % of those who answer find nobody free; \
                 3 % is allowed. 1.7 lines would hold.",
        break_it: |strategy, premises| {
            outbound(strategy, premises).pacing = Pacing::Steady { lines_per_agent: 4.0 };
        },
    },
    Broken {
        rule: Rule::FewForPredictive,
        reason: "“News” dials for as few as 6 agents: when one of them is free cannot be foretold, so that \
                 it is hardly faster than one line for each free agent.",
        break_it: |strategy, premises| {
            outbound(strategy, premises).pacing = Pacing::Predictive {};
            let callers = premises.teams.last_mut().expect("the callers");
            callers.people.iter_mut().for_each(|people| *people /= 2);
        },
    },
    Broken {
        rule: Rule::MoreLinesThanThereAre,
        reason: "“News” may use 80 lines at once, and there are 60.",
        break_it: |strategy, premises| outbound(strategy, premises).caps.lines = Some(80),
    },
    Broken {
        rule: Rule::StarvesInbound,
        reason: "“News” keeps each agent who becomes free for its next call at once, so that nobody is free \
                 when an inbound contact arrives.",
        break_it: |strategy, premises| {
            outbound(strategy, premises).served_by = ServedBy::Team("desk".to_owned());
        },
    },
    Broken {
        rule: Rule::KeepsEverybody,
        reason: "“News” keeps 40 agents for its calls, and at times only 5 of them are on shift: while it \
                 dials, no inbound contact is offered to any of them.",
        break_it: |strategy, premises| {
            let campaign = outbound(strategy, premises);
            campaign.served_by = ServedBy::Team("desk".to_owned());
            campaign.pacing = Pacing::Steady { lines_per_agent: 1.2 };
            campaign.blending.pause_at_waiting = Some(1);
            campaign.blending.kept_for_calls = 40;
        },
    },
    Broken {
        rule: Rule::CompetesWithInbound,
        reason: "“News” dials while its agents take inbound contacts, and nothing slows it down when those \
                 wait.",
        break_it: |strategy, premises| {
            let campaign = outbound(strategy, premises);
            campaign.served_by = ServedBy::Team("desk".to_owned());
            campaign.pacing = Pacing::Steady { lines_per_agent: 1.2 };
        },
    },
    Broken {
        rule: Rule::WornNumbers,
        reason: "“News” makes about 3000 calls a day, and shows one number: from its call 1001 on a number is \
                 worn, and people answer 0.5 times as often. 3 numbers would do.",
        break_it: |strategy, premises| {
            outbound(strategy, premises).assumed.worn_numbers =
                Some(WornNumbers { calls_a_day: 1000, answered_factor: 0.5 });
        },
    },
    Broken {
        rule: Rule::CannotBeCalledBack,
        reason: "“News” shows +44 20 7946 0199, which no entry has: people who call back reach nobody.",
        break_it: |strategy, premises| {
            outbound(strategy, premises).caller_number = "+44 20 7946 0199".to_owned();
            strategy.entries[0].number = Some("+44 20 7946 0100".to_owned());
        },
    },
    Broken {
        rule: Rule::DialledByHandBeside,
        reason: "Agents of “News” may dial by hand while its pacing dials for them: no trial and no ceiling \
                 counts those calls.",
        break_it: |strategy, premises| outbound(strategy, premises).hand_dialling = true,
    },
    Broken {
        rule: Rule::OutsideLocalWindow,
        reason: "People may be called from 07:00 to 21:00 by their own clocks.",
        break_it: |strategy, premises| {
            outbound(strategy, premises).local_hours.from = time(7, 0, 0, 0);
        },
    },
    Broken {
        rule: Rule::HangsUpOnPeople,
        reason: "Detection takes 4 % of the people who answer for machines and hangs up on them; the \
                 ceiling for all abandoned calls is 3 %.",
        break_it: |strategy, premises| {
            outbound(strategy, premises).machines.sensitivity = Some(0.6);
        },
    },
    Broken {
        rule: Rule::DetectionTooSlow,
        reason: "Detection takes 1.2 s, and an agent must be connected within 1 s: everybody is late for \
                 whom no agent is free at that very moment.",
        break_it: |strategy, premises| {
            let campaign = outbound(strategy, premises);
            campaign.machines.sensitivity = Some(0.5);
            campaign.connect_within_secs = 1.0;
            campaign.pacing = Pacing::Predictive {};
        },
    },
    Broken {
        rule: Rule::CallsTooClose,
        reason: "After no answer a person is called again within 600 s.",
        break_it: |strategy, premises| {
            outbound(strategy, premises).retries.no_answer_after_secs = Some(600.0);
        },
    },
    Broken {
        rule: Rule::CallsTooOften,
        reason: "One person may be called 5 times in a day.",
        break_it: |strategy, premises| outbound(strategy, premises).retries.most_a_day = 5,
    },
    Broken {
        rule: Rule::RingsTooShort,
        reason: "A line is given up after 8 s of ringing; people take 11 s to answer on average.",
        break_it: |strategy, premises| outbound(strategy, premises).ring_limit_secs = 8.0,
    },
];

#[test]
fn a_sound_campaign_and_a_paused_one_show_nothing() {
    let (mut strategy, mut premises) = (strategy(), premises());
    outbound(&mut strategy, &mut premises);
    assert_eq!(rules_of(&strategy, &premises), []);
    let campaign = strategy.campaigns.last_mut().expect("it was added");
    campaign.hours.clear();
    campaign.paused_because = Some("The list is being checked".to_owned());
    assert_eq!(rules_of(&strategy, &premises), []);
}

#[test]
fn a_campaign_shows_a_number_that_reaches_an_entry_where_entries_have_numbers() {
    let (mut strategy, mut premises) = (strategy(), premises());
    outbound(&mut strategy, &mut premises);
    assert_eq!(rules_of(&strategy, &premises), [], "numbers are kept elsewhere");
    strategy.entries[0].number = Some("+44 20 7946 0100".to_owned());
    let found = finding(&strategy, &premises, Rule::CannotBeCalledBack);
    assert_eq!(
        found.reason,
        "“News” shows no number: people who missed its call cannot call back."
    );
    let mended = found.repairs[0].edit.apply(&strategy).expect("the repair can be applied");
    assert_eq!(mended.campaigns[0].caller_number, "+44 20 7946 0100");
    assert_eq!(rules_of(&mended, &premises), []);
    // However it is written.
    strategy.campaigns[0].caller_number = "+44 (20) 7946-0100".to_owned();
    assert_eq!(rules_of(&strategy, &premises), []);
    // Each of several.
    strategy.campaigns[0].further_numbers =
        ["+44 20 7946 0199", "+44 20 7946 0100"].map(str::to_owned).to_vec();
    let found = finding(&strategy, &premises, Rule::CannotBeCalledBack);
    assert_eq!(
        found.reason,
        "“News” shows +44 20 7946 0199, which no entry has: people who call back reach nobody."
    );
    let mended = found.repairs[0].edit.apply(&strategy).expect("the repair can be applied");
    assert_eq!(mended.campaigns[0].further_numbers, ["+44 20 7946 0100"]);
}

#[test]
fn numbers_are_worn_by_the_calls_of_a_day_and_several_share_them() {
    let (mut strategy, mut premises) = (strategy(), premises());
    let news = outbound(&mut strategy, &mut premises);
    news.assumed.worn_numbers = Some(WornNumbers { calls_a_day: 1000, answered_factor: 0.5 });
    news.further_numbers = vec!["1".to_owned(), "2".to_owned()];
    news.caller_number = "0".to_owned();
    assert_eq!(rules_of(&strategy, &premises), [], "three are enough");
    strategy.campaigns[0].further_numbers.pop();
    let found = finding(&strategy, &premises, Rule::WornNumbers);
    assert!(found.reason.contains("shows 2 numbers"), "{}", found.reason);
    // A short list is called often enough before that.
    strategy.campaigns[0].list.people = 600;
    assert_eq!(rules_of(&strategy, &premises), []);
}

#[test]
fn agents_who_dial_by_hand_anyway_may_do_so() {
    let (mut strategy, mut premises) = (strategy(), premises());
    let news = outbound(&mut strategy, &mut premises);
    news.hand_dialling = true;
    let found = finding(&strategy, &premises, Rule::DialledByHandBeside);
    for repair in &found.repairs {
        let mended = repair.edit.apply(&strategy).expect("the repair can be applied");
        assert_eq!(rules_of(&mended, &premises), [], "{}", repair.what);
    }
}

#[test]
fn a_ceiling_that_the_last_29_days_have_used_up_is_found_where_the_pacing_goes_on_abandoning() {
    let (mut strategy, mut premises) = (strategy(), premises());
    let news = outbound(&mut strategy, &mut premises);
    news.pacing = Pacing::Steady { lines_per_agent: 1.2 };
    news.last_29_days = Some(CallsBefore { answered: 5000, abandoned: 150 });
    assert_eq!(rules_of(&strategy, &premises), [], "3 % is allowed");
    let news = strategy.campaigns.last_mut().expect("it was added");
    news.last_29_days = Some(CallsBefore { answered: 5000, abandoned: 200 });
    let found = finding(&strategy, &premises, Rule::OverTheCeiling);
    assert_eq!(
        found.reason,
        "4 % of those who answered over the last 29 days were abandoned; 3 % is allowed over 30 days. With a \
         fixed number of lines more will be."
    );
    let mended = found.repairs[0].edit.apply(&strategy).expect("the repair can be applied");
    assert_eq!(rules_of(&mended, &premises), []);
}
