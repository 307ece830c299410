use barometer_strategy::{
    Campaign, Edit, Next, Pacing, Part, PartChange, PartId, ServedBy, Strategy, ZoneAnswers,
    ZoneShare, changed_parts, changes, merge,
};
use serde_json::json;

fn with_campaign() -> Strategy {
    let mut strategy = Strategy::plain("Calls");
    strategy.campaigns = vec![Campaign::named("news", "News", "team")];
    strategy
}

fn news() -> PartId {
    PartId::Campaign("news".to_owned())
}

fn set(setting: &str, to: serde_json::Value) -> Edit {
    Edit::Set { part: news(), setting: setting.to_owned(), to }
}

#[test]
fn a_strategy_without_campaigns_reads_and_writes_as_before_and_one_with_them_comes_back() {
    let plain = Strategy::plain("Calls");
    assert!(!plain.to_json().contains("campaigns"));
    assert_eq!(Strategy::from_json(&plain.to_json()).unwrap(), plain);
    let strategy = with_campaign();
    assert_eq!(Strategy::from_json(&strategy.to_json()).unwrap(), strategy);
    let short = json!({
        "id": "news", "name": "News", "served_by": { "team": "team" },
        "pacing": { "predictive": {} }, "hours": [], "list": { "people": 5 }
    });
    let mut value: serde_json::Value = serde_json::from_str(&plain.to_json()).unwrap();
    value["campaigns"] = json!([short]);
    let read = Strategy::from_json(&value.to_string()).unwrap();
    assert_eq!(read.campaigns[0].connect_within_secs, 2.0);
    assert_eq!(read.campaigns[0].abandoned_ceiling, 0.03);
}

#[test]
fn what_cannot_be_dialled_is_told_with_its_field() {
    let wrong = [
        ("/name", json!(""), "campaigns[0].name"),
        ("/served_by", json!({ "team": "nobody" }), "campaigns[0].served_by"),
        ("/served_by", json!({ "line": "nowhere" }), "campaigns[0].served_by"),
        (
            "/pacing",
            json!({ "steady": { "lines_per_agent": 0.5 } }),
            "campaigns[0].pacing.steady.lines_per_agent",
        ),
        ("/abandoned_ceiling", json!(1.5), "campaigns[0].abandoned_ceiling"),
        ("/list/people", json!(0), "campaigns[0].list.people"),
        ("/list/people", json!(2_000_000), "campaigns[0].list.people"),
        (
            "/list/zones",
            json!([{ "zone": "Mars/Olympus", "share": 1.0 }]),
            "campaigns[0].list.zones[0].zone",
        ),
        ("/list/zones", json!([{ "zone": "UTC", "share": 0.5 }]), "campaigns[0].list.zones"),
        ("/last_day", json!("2020-01-01"), "campaigns[0].last_day"),
        ("/local_hours", json!({ "from": "21:00", "until": "08:00" }), "campaigns[0].local_hours"),
        ("/retries/most_a_day", json!(0), "campaigns[0].retries.most_a_day"),
        ("/retries/busy_after_secs", json!(0), "campaigns[0].retries.busy_after_secs"),
        ("/machines/sensitivity", json!(2), "campaigns[0].machines.sensitivity"),
        (
            "/outcomes",
            json!([{ "name": "Sold", "share": 0.7 }, { "name": "No", "share": 0.7 }]),
            "campaigns[0].outcomes",
        ),
        ("/assumed/answered_share", json!([0.1, 0.2]), "campaigns[0].assumed.answered_share"),
        ("/assumed/machine_share", json!(0.9), "campaigns[0].assumed"),
        (
            "/assumed/zones",
            json!([{ "zone": "Atlantis", "answered_factor": 1.0 }]),
            "campaigns[0].assumed.zones[0].zone",
        ),
        (
            "/assumed/zones",
            json!([{ "zone": "UTC", "answered_factor": 3.0 }]),
            "campaigns[0].assumed",
        ),
        (
            "/assumed/zones",
            json!([
                { "zone": "UTC", "answered_factor": 1.0 },
                { "zone": "UTC", "answered_factor": 0.5 },
            ]),
            "campaigns[0].assumed.zones[1].zone",
        ),
        (
            "/assumed/worn_numbers",
            json!({ "calls_a_day": 0, "answered_factor": 0.5 }),
            "campaigns[0].assumed.worn_numbers.calls_a_day",
        ),
        (
            "/assumed/worn_numbers",
            json!({ "calls_a_day": 100, "answered_factor": 1.5 }),
            "campaigns[0].assumed.worn_numbers.answered_factor",
        ),
        ("/paused_because", json!(""), "campaigns[0].paused_because"),
        (
            "/last_29_days",
            json!({ "answered": 5, "abandoned": 6 }),
            "campaigns[0].last_29_days.abandoned",
        ),
    ];
    let mut strategy = with_campaign();
    strategy.campaigns[0].first_day = Some(jiff::civil::date(2026, 1, 1));
    assert_eq!(strategy.faults(), []);
    for (setting, to, field) in wrong {
        let faults = set(setting, to.clone()).apply(&strategy).unwrap_err();
        assert!(faults.iter().any(|fault| fault.field == field), "{setting} {to}: {faults:?}");
    }
    let message = set("/served_by", json!({ "message": "queue" })).apply(&strategy).unwrap_err();
    assert_eq!(message[0].field, "campaigns[0].caps.lines");
    let mut kept = strategy.clone();
    kept.campaigns[0].blending.kept_for_calls = 2;
    let message = set("/served_by", json!({ "message": "queue" })).apply(&kept).unwrap_err();
    assert!(message.iter().any(|fault| fault.field == "campaigns[0].blending.kept_for_calls"));
    strategy.campaigns[0].runs_empty = true;
    assert!(set("/list/people", json!(0)).apply(&strategy).is_ok(), "an empty list may be a test");
}

#[test]
fn edits_of_campaigns_say_themselves_and_are_undone() {
    let before = with_campaign();
    let edits = [
        set("/pacing", json!({ "steady": { "lines_per_agent": 2.0 } })),
        Edit::Add { part: Part::new_campaign(&before), at: None },
        Edit::Remove(news()),
    ];
    for edit in edits {
        let after = edit.apply(&before).unwrap();
        assert_ne!(after, before);
        assert!(!edit.sentence(&before).is_empty());
        assert_eq!(edit.inverse(&before).unwrap().apply(&after).unwrap(), before);
        assert_eq!(Edit::between(&before, &after).apply(&before).unwrap(), after);
    }
    let steady = set("/pacing", json!({ "steady": { "lines_per_agent": 2.0 } }));
    let after = steady.apply(&before).unwrap();
    assert_eq!(changed_parts(&before, &after), [(news(), PartChange::Changed)]);
    assert_eq!(changes(&before, &after)[0].subject, "Campaign “News”");
    let numbers = after.numbers();
    let lines = numbers.iter().find(|each| each.setting == "/pacing/steady/lines_per_agent");
    let slower = lines.expect("it can be swept").set(1.5).apply(&after).unwrap();
    assert_eq!(slower.campaigns[0].pacing, Pacing::Steady { lines_per_agent: 1.5 });
}

#[test]
fn a_copy_is_one_of_its_own_and_what_a_campaign_is_served_by_stays() {
    let before = with_campaign();
    let (edit, copy) = Edit::duplicate(&before, &news()).unwrap();
    let after = edit.apply(&before).unwrap();
    assert_eq!(copy, PartId::Campaign("news-1".to_owned()));
    assert_ne!(after.campaigns[0].name, after.campaigns[1].name);
    let gone = Edit::Remove(PartId::Team("team".to_owned()));
    let faults = gone.apply(&before).unwrap_err();
    assert!(faults.iter().any(|fault| fault.field == "campaigns[0].served_by"), "{faults:?}");
    let without = Edit::remove_leading_to(&before, &news(), &Next::Release).unwrap();
    assert!(without.apply(&before).unwrap().campaigns.is_empty());
}

#[test]
fn two_planners_change_one_campaign_and_both_changes_stay() {
    let base = with_campaign();
    let mine = set("/list/people", json!(500)).apply(&base).unwrap();
    let theirs = set("/ring_limit_secs", json!(20.0)).apply(&base).unwrap();
    let merged = merge(&base, &mine, &theirs, &|_| None).unwrap();
    assert_eq!((merged.campaigns[0].list.people, merged.campaigns[0].ring_limit_secs), (500, 20.0));
    // Two new campaigns of the same first free id stay two.
    let plain = Strategy::plain("Calls");
    let added = |name: &str| {
        let mut strategy = plain.clone();
        strategy.campaigns.push(Campaign::named("campaign-1", name, "team"));
        strategy
    };
    let both = merge(&plain, &added("Mine"), &added("Theirs"), &|_| None).unwrap();
    assert_eq!(both.campaigns.len(), 2);
    assert_ne!(both.campaigns[0].id, both.campaigns[1].id);
}

#[test]
fn campaigns_stand_on_the_journey_behind_the_steps() {
    let mut strategy = with_campaign();
    strategy.campaigns[0].list.zones = vec![ZoneShare { zone: "UTC".to_owned(), share: 1.0 }];
    let journey = strategy.journey();
    let stop = strategy.stop_of(&news()).unwrap();
    assert_eq!(journey.stops[stop], barometer_strategy::Stop::Campaign(0));
    let ways = |strategy: &Strategy| {
        strategy.journey().links.iter().filter(|link| link.from == stop).count()
    };
    assert_eq!(ways(&strategy), 1, "an agent is kept: nobody is abandoned");
    strategy.campaigns[0].pacing = Pacing::Predictive {};
    assert_eq!(ways(&strategy), 2);
    strategy.campaigns[0].served_by = ServedBy::Line("queue".to_owned());
    assert_eq!(ways(&strategy), 1);
}

#[test]
fn an_imported_list_is_kept_as_counts_and_its_faults_are_told() {
    let group = |people, zone: &str| json!({ "people": people, "zone": zone });
    let counted = |people: u32, groups: Vec<serde_json::Value>| json!({ "people": people, "imported": { "number": 3, "name": "Autumn", "groups": groups } });
    let set_list = |list| set("/list", list).apply(&with_campaign());
    let strategy = set_list(counted(7, vec![group(4, "UTC"), group(3, "Europe/Paris")])).unwrap();
    assert_eq!(Strategy::from_json(&strategy.to_json()).unwrap(), strategy);
    let together = strategy.campaigns[0].list.callable_together();
    assert_eq!(together.len(), 2);
    assert!((together[1].share - 3.0 / 7.0).abs() < 1e-12);
    let told: Vec<String> =
        changes(&with_campaign(), &strategy).iter().map(|change| change.in_short()).collect();
    let list = "imported list not there → “Autumn”: 4 in UTC, 3 in Europe/Paris, 0 calls so far";
    assert_eq!(told, ["list, people 1000 → 7", list]);
    let many = (0..401).map(|_| group(1, "UTC")).collect();
    let hours = json!({ "from": "20:00", "until": "17:00" });
    let backwards = json!({ "people": 1, "zone": "UTC", "hours": hours });
    let wrong = [
        (counted(8, vec![group(4, "UTC")]), "campaigns[0].list.people"),
        (counted(4, vec![group(4, "Mars/Olympus")]), "campaigns[0].list.imported.groups[0].zone"),
        (counted(1, vec![backwards]), "campaigns[0].list.imported.groups[0].hours"),
        (counted(401, many), "campaigns[0].list.imported.groups"),
    ];
    for (to, field) in wrong {
        let faults = set_list(to).unwrap_err();
        assert!(faults.iter().any(|fault| fault.field == field), "{field}: {faults:?}");
    }
}

#[test]
fn answers_of_a_list_are_those_of_its_zones_and_numbers_are_counted_once() {
    let mut campaign = with_campaign().campaigns.remove(0);
    assert_eq!((campaign.zones_factor(), campaign.answered_at(10)), (1.0, 0.3));
    let zone = |zone: &str, share| ZoneShare { zone: zone.to_owned(), share };
    campaign.list.zones = vec![zone("Europe/London", 0.75), zone("Europe/Paris", 0.25)];
    campaign.assumed.zones =
        vec![ZoneAnswers { zone: "Europe/Paris".to_owned(), answered_factor: 0.6 }];
    assert!((campaign.answered_at(10) - 0.3 * 0.9).abs() < 1e-12, "0.75 + 0.25 · 0.6");
    assert_eq!(campaign.numbers_in_turn(), 1, "the network shows one");
    campaign.further_numbers = vec![String::new(), "0161 496 0001".to_owned()];
    campaign.caller_number = "0161 496 0000".to_owned();
    assert_eq!(campaign.numbers_in_turn(), 2);
    let shown: Vec<&str> = campaign.shown_numbers().collect();
    assert_eq!(shown, ["0161 496 0000", "0161 496 0001"]);
}
