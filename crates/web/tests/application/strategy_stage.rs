//! The strategy stage: the map, what preflight finds, repairs, the walk-through.

use axum::http::StatusCode;
use barometer_store::Role;
use barometer_strategy::{Next, StepKind};
use sqlx::PgPool;

use crate::visitor::{Answer, Centre, Visitor, draw_up, keep_draft};

/// Begins a draft whose queue has an exit that leads back to it; gives its page.
async fn with_a_loop(centre: &Centre, planner: &Visitor) -> String {
    let versions = centre.store.strategy_versions(centre.centre).await.unwrap();
    let mut strategy = centre.store.strategy(versions[0].id).await.unwrap();
    for step in &mut strategy.steps {
        if let StepKind::Queue(queue) = &mut step.does {
            queue.longest_wait_secs = Some(60.0);
            queue.exits.too_long = Next::step(&step.id);
        }
    }
    let json = strategy.to_json();
    let saved = planner.upload_to("/strategy/json", "strategy.json", "", json).await;
    assert!(saved.location().ends_with("note=begun"), "{}", saved.location());
    saved.location().to_owned()
}

#[sqlx::test(migrations = false)]
async fn the_map_shows_every_stop_and_leaves_as_a_file(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let page = viewer.get("/strategy").await;
    page.says("What happens to a contact on").says("Journey map").says("data-map");
    page.says("queue Bookings queue").says("No trial of this version shows yet");
    let file = viewer.get("/strategy/map.svg?version=1").await;
    assert_eq!(file.headers["content-type"], "image/svg+xml");
    assert!(file.text.starts_with("<svg xmlns="), "{}", &file.text[..40]);
    file.says("Answered").says("Abandoned");
    assert!(!file.text.contains("hx-get"), "a file asks nobody for anything");
    assert_eq!(viewer.get("/strategy/map.svg?version=99").await.status, StatusCode::NOT_FOUND);
    viewer.get("/strategy/rules").await.says("limit-before-all-rang").says("An exit leads back");
}

#[sqlx::test(migrations = false)]
async fn the_way_of_an_entry_is_folded_and_stays_folded_when_something_is_changed(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let page = planner.get("/strategy").await;
    page.says("queue Bookings queue").says("Fold the way of").says("Fold all ways");
    let folded = planner.get("/strategy?version=1&fold=entry.0").await;
    folded.says("1 step folded").says("Unfold the way of").says("Unfold all ways");
    assert!(!folded.text.contains("queue Bookings queue"), "the queue stands behind its entry");
    assert!(folded.text.contains("&#38;fold=entry.0&#38;part="), "a step that is chosen keeps it");
    let file = planner.get("/strategy/map.svg?version=1&fold=all").await;
    file.says("1 step folded");
    assert!(!file.text.contains("Unfold"), "nothing is pressed in a file");

    // A change is sent from the page as it is looked at, and comes back to it.
    let looked_at = "https://barometer.example/strategy?version=1&at=10:30&fold=entry.0";
    let form = "do=name&name=Harbour&based_on=v1";
    let sent = planner.post_from("/strategy/change", form, looked_at).await;
    assert!(sent.location().contains("&at=10%3A30&fold=entry.0&"), "{}", sent.location());
    planner.get(sent.location()).await.says("at 10:30?").says("1 step folded");
    // What no page says is as usual.
    for address in ["/strategy?fold=", "/strategy?fold=entry.99,step.x,%2C&at=noon&trial=none"] {
        planner.get(address).await.says("queue Bookings queue");
    }
}

#[sqlx::test(migrations = false)]
async fn a_repair_is_made_with_one_press_and_undone(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = with_a_loop(&centre, &planner).await;
    let page = planner.get(&address).await;
    page.says("Preflight finds").says("leads back to itself").says("Lead this exit to");
    let part = page.text.split("name=\"finding\" value=\"").nth(1).unwrap();
    let key = part.split('"').next().unwrap().to_owned();
    let form = format!("based_on=d1.1&finding={}&repair=0", key.replace('/', "%2F"));
    let repaired = planner.post("/strategy/repair", &form).await;
    assert!(repaired.location().ends_with("note=saved"), "{}", repaired.location());
    let after = planner.get(repaired.location()).await;
    assert!(!after.text.contains("leads back to itself"));
    // The same press again, on a page that is old by now, comes to the same.
    let again = planner.post("/strategy/repair", &form).await;
    assert!(again.location().ends_with("note=saved"), "{}", again.location());
    let undone = planner.post("/strategy/drafts", "do=undo&draft=1&head=2").await;
    planner.get(undone.location()).await.says("Undone.").says("leads back to itself");
    let redone = planner.post("/strategy/drafts", "do=redo&draft=1&head=1").await;
    let page = planner.get(redone.location()).await;
    page.says("Redone.");
    assert!(!page.text.contains("leads back to itself"));
    // What somebody else did since is not taken back unseen.
    let other = centre.visitor(Role::Administrator).await;
    let stale = other.post("/strategy/drafts", "do=undo&draft=1&head=1").await;
    planner.get(stale.location()).await.says("Somebody has changed this draft meanwhile");
    let gone = "based_on=d1.2&finding=loop%40step.attic&repair=0";
    let refused = planner.post("/strategy/repair", gone).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("this is not found any more");
}

#[sqlx::test(migrations = false)]
async fn what_a_repair_would_do_is_simulated_once_and_told_before_it_is_made(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = with_a_loop(&centre, &planner).await;
    let page = planner.get(&address).await;
    page.says("what would it do?");
    let (_, after) = page.text.split_once("hx-get=\"/strategy/repair-effect").unwrap();
    let asks = format!("/strategy/repair-effect{}", after.split_once('"').unwrap().0);
    let asks = asks.replace("&#38;", "&").replace("&amp;", "&");
    // Where nothing is planned, nothing can be played.
    let (before, day) = asks.split_once("day=").unwrap();
    let far = planner.get(&format!("{before}day=2027-06-01{}", &day[10..])).await;
    far.says("It cannot be tried: ");
    let waits = planner.get(&asks).await;
    waits.says("Queued: 0 steps").says("hx-get=\"/strategy/repair-effect");
    centre.work_off().await;
    let told = planner.get(&asks).await;
    told.says("answered in time and")
        .says("are lost (the same 40 simulated days with and without it");
    let gone =
        planner.get("/strategy/repair-effect?draft=1&finding=loop%40step.attic&repair=0").await;
    gone.says("This is not found any more");
}

#[sqlx::test(migrations = false)]
async fn a_contact_is_walked_through_as_it_is_typed(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let team = {
        let versions = centre.store.strategy_versions(centre.centre).await.unwrap();
        centre.store.strategy(versions[0].id).await.unwrap().teams[0].id.clone()
    };
    viewer.get("/strategy/walk").await.says("What happens to this one contact?").says("arrives at");
    let asked = |people: &str, more: &str| {
        format!(
            "/strategy/walk?contact_type=Bookings&at=10:00&people.{team}={people}&answers.{team}=4{more}"
        )
    };
    let answered = viewer.get(&asked("2", "")).await;
    answered.says("is answered at “Bookings queue” after 4.0 s").says("data-at-step=\"queue\"");
    let lost = viewer.get(&asked("0", "&patience=25")).await;
    lost.says("hangs up").says("What would have to change for it to be answered?");
    lost.says("One person more, and free, in");
    for (more, wanted) in [
        ("&patience=soon", "Patience: “soon” is no number of 0 or more."),
        ("&ahead=9000", "Ahead: must be 0 to 500, got 9000."),
        ("&attributes=gold", "Attributes: “gold” is not name=value."),
    ] {
        let refused = viewer.get(&asked("1", more)).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{more}");
        refused.says(wanted);
    }
    let markup = viewer.get(&asked("1", "&number=%3Cb%3E")).await;
    assert!(!markup.text.contains("<b>"), "what is typed is escaped");
}

#[sqlx::test(migrations = false)]
async fn a_call_of_a_campaign_is_walked_through_and_kept_as_an_expectation(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    assert!(!planner.get("/strategy/walk").await.text.contains("Is called"));
    let mut strategy = barometer_strategy::Strategy::plain("With a campaign");
    let team = strategy.teams[0].id.clone();
    strategy.campaigns = vec![barometer_strategy::Campaign::named("news", "News", &team)];
    let sent = ("based_on", "");
    planner.upload_with("/strategy/json", "strategy.json", sent, strategy.to_json()).await;
    let asked = |more: &str| {
        format!(
            "/strategy/walk?draft=1&campaign=news&at=10:00&people.{team}=2&busy.{team}=1&answers.{team}=0{more}"
        )
    };
    planner.get("/strategy/walk?draft=1").await.says("Is called");
    let talks = planner.get(&asked("")).await;
    talks.says("What happens to this one call?").says("talks to an agent after 11.0 s");
    talks.says("is kept for the call").says("part=campaign.news");
    let asleep = planner.get(&asked("&zone=America/New_York")).await;
    asleep.says("is not called").says("may be called 08:00 to 21:00").says("Called at 13:00");
    planner.get(&asked("&answers=machine")).await.says("The next call is not before");
    for (more, wanted) in [
        ("&zone=Atlantis", "“Atlantis” is no time zone"),
        ("&attempts=often", "Calls on days before: “often” is no whole number from 0 to 255."),
        ("&from=12:00&until=09:00", "Preferred hours: “12:00” to “09:00” are no hours of a day."),
    ] {
        let refused = planner.get(&asked(more)).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{more}");
        refused.says(wanted);
    }
    let scene =
        r#"{"at":"2026-11-25T10:00","called":{"campaign":"news","zone":"America/New_York"}}"#;
    let mut form =
        form_urlencoded::Serializer::new("name=Asleep&end=not_called&within_secs=".to_owned());
    let form = form.append_pair("scene", scene).finish();
    planner.post("/strategy/expectations", &form).await;
    planner.get("/strategy?draft=1").await.says("Asleep").says("is not called");
    planner.get("/strategy").await.says("the strategy has no campaign “news”");
}

/// What the forms of a page were made of.
fn basis(page: &Answer) -> String {
    let (_, after) = page.text.split_once("name=\"based_on\" value=\"").unwrap();
    after.split_once('"').unwrap().0.to_owned()
}

#[sqlx::test(migrations = false)]
async fn seats_and_licences_are_held_against_the_week_and_it_is_told_who_is_told(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let page = planner.get("/strategy/people").await;
    page.says("how many seats there are is not known, how many licences there are is not known");
    page.says("No alarm is on, and no report is sent by itself");
    let lines = format!("/staffing/{}/lines", centre.bookings);
    let form =
        "blocking=1&ring_secs=6&menu_secs=0&announcement_secs=12&wrap_up=10&seats=200&licences=5";
    let saved = planner.save(&lines, &lines, form).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    let page = planner.get("/strategy/people").await;
    page.says("9 people are on shift at once, on").says("9 of 200 seats, 9 of 5 licences");
    planner.get("/strategy").await.says("More people than seats or licences").says("5 licences");
    let refused = planner.save(&lines, &lines, &form.replace("seats=200", "seats=many")).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    // A report that is sent by itself, and an alarm that mails somebody.
    let report = planner
        .post(
            "/reports",
            "title=Board&section=service&period=last-week&by=day&against=forecast&keep_days=90",
        )
        .await;
    let schedules = format!("{}/schedules", report.location());
    let schedule = "days=weekdays&weekday=0&at=06:45&addresses=boss@example.org&format=csv&how=files&link_days=30";
    let added = planner.post(&schedules, schedule).await;
    assert_eq!(added.status, StatusCode::SEE_OTHER, "{}", added.text);
    let told = planner.get("/strategy/people").await;
    told.says("Report: Board, ").says("boss@example.org");
}

#[sqlx::test(migrations = false)]
async fn numbers_are_told_proposed_taken_from_a_file_and_checked(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let page = planner.get("/strategy/numbers").await;
    page.says("Which number reaches what?").says("No entry, no queue or hunt group and no agent");
    page.says("Nothing is recorded").says("None yet. Set numbers aside");
    let based_on = basis(&page);
    // A range, in which the next free number is proposed.
    let added =
        planner.post("/strategy/change", &format!("do=add&kind=range&based_on={based_on}")).await;
    planner.get(added.location()).await.says("Range of numbers “Range 1”");
    let page = planner.get("/strategy/numbers?draft=1").await;
    page.says("0 of 10").says("100 – 109");
    let based_on = basis(&page);
    // What is wrong in a file is told by row and column, and nothing is taken from it.
    let take_in = async |text: &str| {
        let beside = ("based_on", based_on.as_str());
        planner.upload_with("/strategy/numbers", "numbers.csv", beside, text).await
    };
    let refused = take_in("for,name,number\nqueue,Bookings queue,six\n").await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("row 2, number: “six” is no telephone number").says("Nothing was saved");
    let taken = take_in("for,name,number\nqueue,Bookings queue,205\n").await;
    assert_eq!(taken.status, StatusCode::SEE_OTHER, "{}", taken.text);
    // It is in no range for queues, which is found and said here as on the map.
    let page = planner.get("/strategy/numbers?draft=1").await;
    page.says("One queue or hunt group".to_lowercase().as_str())
        .says("Preflight finds one fault in them");
    page.says(
        "205 of queue “Bookings queue” is in no range that is set aside for queues and hunt groups",
    );
    let file = planner.get("/strategy/numbers.csv?draft=1").await;
    assert!(file.text.contains("queue,Bookings queue,205"), "{}", file.text);
    let viewer = centre.visitor(Role::Viewer).await;
    let seen = viewer.get("/strategy/numbers").await;
    assert!(!seen.text.contains("Take them into the draft"));
}

#[sqlx::test(migrations = false)]
async fn expectations_are_kept_checked_on_every_version_and_come_back_as_csv(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let csv = |end: &str| {
        format!(
            "name,contact_type,at,people,end,within_secs\n\
             In the morning,Bookings,2026-11-30T10:00,team:2,{end},10\n"
        )
    };
    let take_in = async |text: String| {
        planner.upload_to("/strategy/expectations/import", "expectations.csv", "", text).await
    };
    let saved = take_in(csv("answered")).await;
    assert!(saved.location().ends_with("#expectations"), "{}", saved.location());
    planner.get("/strategy").await.says("In the morning").says("met");
    // The same name again takes its place; what is expected now does not happen.
    take_in(csv("voicemail")).await;
    planner.get("/strategy").await.says("broken").says("is answered after 3 s");
    let file = planner.get("/strategy/expectations.csv").await;
    assert_eq!(file.text.lines().count(), 2, "{}", file.text);
    assert!(take_in(file.text.clone()).await.location().ends_with("#expectations"));
    for (text, wanted) in [
        (csv("vanished"), "row 2, end: unknown variant"),
        ("name,at\n".to_owned(), "the column “contact_type” is missing"),
        (String::new(), "is missing"),
    ] {
        let refused = take_in(text).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
        refused.says("Nothing was saved").says(wanted);
    }
    // A draft that waits to go live says what it breaks.
    with_a_loop(&centre, &planner).await;
    keep_draft(&centre, &planner).await;
    let sheet = draw_up(&planner, 2, "").await;
    planner.get(&sheet).await.says("1 of 1 expectations broken").says("In the morning");
    let (id, _) = centre.store.expectations(centre.centre).await.unwrap()[0].clone();
    planner.post(&format!("/strategy/expectations/{id}/remove"), "").await;
    planner.get("/strategy").await.says("None is kept yet.");
    // One kept from the page itself.
    let scene = r#"{"at":"2026-11-30T10:00:00","caller":{"contact_type":"Bookings"}}"#;
    let form = |scene: &str, within: &str| {
        let scene = scene.replace('"', "%22").replace('{', "%7B").replace('}', "%7D");
        format!("name=Nobody+there&scene={scene}&end=still_waiting&within_secs={within}")
    };
    planner.post("/strategy/expectations", &form("{}", "5")).await.says("missing field");
    planner
        .post("/strategy/expectations", &form(scene, "soon"))
        .await
        .says("is no number of seconds")
        .says("What happens to this one contact?")
        .says(r#"value="soon""#)
        .says(r#"value="Nobody there""#);
    planner.post("/strategy/expectations", &form(scene, "")).await;
    planner.get("/strategy").await.says("Nobody there");
}
