//! Drafts: begun, changed on the map, taken back, merged, kept as versions.

use axum::http::StatusCode;
use barometer_store::Role;
use barometer_strategy::{Next, PartId, StepKind, Strategy};
use sqlx::PgPool;

use crate::visitor::{Centre, TODAY, Visitor, draw_up, keep_draft, queue_form};

const CHANGE: &str = "/strategy/change";
const DRAFTS: &str = "/strategy/drafts";

/// What the draft that was changed last says.
async fn latest(centre: &Centre) -> Strategy {
    let draft = centre.store.drafts(centre.centre).await.unwrap().remove(0);
    centre.store.draft_strategy(draft.id, draft.head).await.unwrap()
}

/// Makes a change to what is open and gives what is open then.
async fn change(centre: &Centre, planner: &Visitor, form: &str) -> String {
    let answer = planner.post(CHANGE, form).await;
    assert_eq!(answer.status, StatusCode::SEE_OTHER, "{form}: {}", answer.text);
    let page = planner.get(answer.location()).await;
    assert_eq!(page.status, StatusCode::OK, "{form}");
    let draft = centre.store.drafts(centre.centre).await.unwrap().remove(0);
    format!("d{}.{}", draft.number, draft.head)
}

#[sqlx::test(migrations = false)]
async fn parts_of_every_kind_are_added_and_the_draft_comes_back_to_a_version(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let kinds = barometer_strategy::StepName::ALL.map(|kind| kind.key());
    let mut open = "v1".to_owned();
    for kind in kinds.into_iter().chain(["team", "entry"]) {
        open = change(&centre, &planner, &format!("based_on={open}&do=add&kind={kind}")).await;
    }
    assert_eq!(open, "d1.13", "the first began a draft, in which the others are");
    let all = latest(&centre).await;
    assert_eq!((all.steps.len(), all.teams.len(), all.entries.len()), (12, 2, 2));
    let page = planner.get("/strategy?draft=1").await;
    page.says("Draft “Changes to v1”: 13 edits since v1").says("Added hunt group “Hunt group”.");
    page.says("Changes since v1").says("data-undo");
    change(&centre, &planner, &format!("based_on={open}&do=restore&version=1")).await;
    let first = centre.store.strategy(centre.strategy_version).await.unwrap();
    assert_eq!(latest(&centre).await, first);
    planner.get("/strategy?draft=1").await.says("None: it says the same.");
    let renamed = change(&centre, &planner, "based_on=d1.14&do=name&name=Winter").await;
    assert_eq!((renamed.as_str(), latest(&centre).await.name.as_str()), ("d1.15", "Winter"));
    for (form, wanted) in [
        ("based_on=d1.15&do=add&kind=balloon", StatusCode::NOT_FOUND),
        ("based_on=d1.99&do=name&name=X", StatusCode::NOT_FOUND),
        ("based_on=d7.1&do=name&name=X", StatusCode::NOT_FOUND),
        ("based_on=v9&do=name&name=X", StatusCode::NOT_FOUND),
        ("based_on=1&do=name&name=X", StatusCode::NOT_FOUND),
        ("based_on=d1.15&do=name&name=", StatusCode::UNPROCESSABLE_ENTITY),
    ] {
        assert_eq!(planner.post(CHANGE, form).await.status, wanted, "{form}");
    }
}

#[sqlx::test(migrations = false)]
async fn a_way_gets_a_step_in_between_and_is_led_elsewhere(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let exit = "exit=%2Ffirst&part=entry.0";
    let open = change(&centre, &planner, &format!("based_on=v1&do=insert&{exit}&kind=menu")).await;
    let with_menu = latest(&centre).await;
    assert_eq!(with_menu.entries[0].first, Next::step("menu-1"));
    let page = planner.get("/strategy?draft=1&part=step.menu-1").await;
    page.says("added in this draft").says("Choice 1").says("menu Menu, 2 choices; added");
    // A choice is led to the busy tone, the menu is copied, then taken out for the queue again.
    let lead = "do=connect&part=step.menu-1&exit=%2Fdoes%2Fmenu%2Fchoices%2F0%2Fnext&to=busy_tone";
    let open = change(&centre, &planner, &format!("based_on={open}&{lead}")).await;
    let StepKind::Menu(menu) = &latest(&centre).await.step("menu-1").unwrap().does.clone() else {
        panic!("a menu")
    };
    assert_eq!(menu.choices[0].next, Next::BusyTone);
    let open =
        change(&centre, &planner, &format!("based_on={open}&do=duplicate&part=step.menu-1")).await;
    assert_eq!(latest(&centre).await.step("menu-1-1").unwrap().name, "Menu, copy");
    let replace = "do=replace&part=step.menu-1&to=step.menu-1-1";
    let open = change(&centre, &planner, &format!("based_on={open}&{replace}")).await;
    assert_eq!(latest(&centre).await.entries[0].first, Next::step("menu-1-1"));
    let remove = "do=remove&part=step.menu-1-1&to=step.queue";
    let open = change(&centre, &planner, &format!("based_on={open}&{remove}")).await;
    assert_eq!(latest(&centre).await.entries[0].first, Next::step("queue"));
    for (form, wanted) in [
        ("do=connect&part=step.menu-1&exit=%2Fdoes%2Fmenu%2Fno&to=release", "unknown field `no`"),
        ("do=insert&part=entry.0&exit=%2Fname&kind=menu", "there is no exit “/name”"),
        ("do=connect&part=entry.0&exit=%2Ffirst&to=step.attic", "there is no step “attic”"),
        ("do=duplicate&part=entry.0", "two entries cannot receive the same contacts"),
        ("do=remove&part=entry.0", "needs 1 to 500 of them"),
        ("do=replace&part=step.menu-1-1&to=release", "no way leads to"),
    ] {
        let refused = planner.post(CHANGE, &format!("based_on={open}&{form}")).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{form}");
        refused.says("Nothing was changed.").says(wanted);
    }
}

#[sqlx::test(migrations = false)]
async fn two_planners_on_one_draft_keep_what_both_did_and_choose_where_it_differs(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let (first, second) =
        (centre.visitor(Role::Planner).await, centre.visitor(Role::Administrator).await);
    let begun = first.post(DRAFTS, "do=begin&based_on=v1&name=Summer").await;
    assert!(begun.location().contains("draft=1"), "{}", begun.location());
    let form = async |visitor: &Visitor, places: &str, wait: &str| {
        let limits = [
            ("/does/queue/places", places),
            ("/does/queue/longest_wait_secs", wait),
            ("based_on", "d1.0"),
        ];
        queue_form(visitor, &limits).await
    };
    let part = "/strategy/part";
    let mine = form(&first, "30", "").await;
    let theirs = form(&second, "", "240").await;
    let other = form(&first, "40", "").await;
    let saved = second.post(part, &theirs).await;
    assert!(saved.location().ends_with("note=saved"), "{theirs}: {}", saved.location());
    // Different settings of one queue: both hold.
    assert!(first.post(part, &mine).await.location().ends_with("note=merged"));
    let queue = latest(&centre).await.first_queue().unwrap().1.clone();
    assert_eq!((queue.places, queue.longest_wait_secs), (Some(30), Some(240.0)));
    // The same setting: the one who comes second chooses, and nothing is saved until then.
    let asked = second.post(part, &other).await;
    assert_eq!(asked.status, StatusCode::CONFLICT);
    asked.says("A planner has changed this draft since you opened it.");
    asked.says("“Bookings queue”, queue, places").says("> 40</label>").says("> 30</label>");
    assert_eq!(latest(&centre).await.first_queue().unwrap().1.places, Some(30));
    let edit = asked.text.split("name=\"edit\" value=\"").nth(1).unwrap();
    let edit = edit.split('"').next().unwrap().replace("&#34;", "\"");
    let edit: String = edit.bytes().map(|byte| format!("%{byte:02X}")).collect();
    let choose = |side: &str| {
        format!("edit={edit}&based_on=d1.0&of:steps/queue/does/queue/places={side}&part=step.queue")
    };
    let nobody = second.post("/strategy/merge", &choose("nobody")).await;
    assert_eq!(nobody.status, StatusCode::CONFLICT, "somebody has to choose");
    let kept = second.post("/strategy/merge", &choose("theirs")).await;
    assert!(kept.location().ends_with("note=merged"), "{}", kept.text);
    assert_eq!(latest(&centre).await.first_queue().unwrap().1.places, Some(30));
    second.post("/strategy/merge", &choose("mine")).await;
    let queue = latest(&centre).await.first_queue().unwrap().1.clone();
    assert_eq!((queue.places, queue.longest_wait_secs), (Some(40), Some(240.0)));
    // What one person did in an earlier state of the same form gives way without a question.
    let head = centre.store.drafts(centre.centre).await.unwrap()[0].head;
    let based_on = format!("d1.{head}");
    for places in ["50", "60"] {
        let own = [("/does/queue/places", places), ("based_on", based_on.as_str())];
        let saved = second.post(part, &queue_form(&second, &own).await).await;
        assert!(saved.location().ends_with("note=saved"), "{places}: {}", saved.location());
    }
    assert_eq!(latest(&centre).await.first_queue().unwrap().1.places, Some(60));
    let broken = second.post("/strategy/merge", "edit={&based_on=d1.0").await;
    broken.says("the edit cannot be read");
}

#[sqlx::test(migrations = false)]
async fn a_draft_is_renamed_thrown_away_brought_back_kept_and_tried(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    planner.post(DRAFTS, "do=begin&based_on=v1&name=Summer").await;
    let again = planner.post(DRAFTS, "do=begin&based_on=v1&name=Summer").await;
    planner.get(again.location()).await.says("Draft “Summer, 2”: no edit yet since v1");
    planner.post(DRAFTS, "do=rename&draft=2&name=Autumn").await;
    planner.post(DRAFTS, "do=rename&draft=2&name=+").await.says("a draft needs a name");
    let long = format!("do=rename&draft=2&name={}", "x".repeat(81));
    planner.post(DRAFTS, &long).await.says("up to 80 characters");
    let away = planner.post(DRAFTS, "do=away&draft=2").await;
    planner.get(away.location()).await.says("The draft is discarded.").says("Restore it");
    planner.get("/strategy").await.says("Discarded drafts").says("Autumn");
    planner
        .get(planner.post(DRAFTS, "do=back&draft=2").await.location())
        .await
        .says("is restored.");
    // A draft without an edit is kept as a version all the same; the next press gives the same one.
    let tried = planner.post(DRAFTS, "do=try&based_on=d2.0").await;
    let version = centre.store.strategy_versions(centre.centre).await.unwrap().remove(0);
    assert!(tried.location().contains(&format!("version={}", version.id)), "{}", tried.location());
    assert_eq!((version.version, version.label.as_str()), (2, "Autumn"));
    assert_eq!(planner.post(DRAFTS, "do=try&based_on=d2.0").await.location(), tried.location());
    let compared = planner.post(DRAFTS, "do=compare&based_on=d2.0").await;
    let candidates = format!("version={}&more=0&version={}", centre.strategy_version, version.id);
    assert!(compared.location().contains(&candidates), "{}", compared.location());
    let form = planner.get(compared.location()).await;
    form.says(&format!("<option value=\"{}\" selected", version.id));
    planner.get("/strategy?draft=2").await.says("kept as v2").says("<strong>Autumn</strong>");
    // From a version that is one already, trying keeps nothing more.
    planner.post(DRAFTS, "do=try&based_on=v1").await;
    assert_eq!(centre.store.strategy_versions(centre.centre).await.unwrap().len(), 2);
    change(&centre, &planner, "based_on=d2.0&do=add&kind=menu").await;
    keep_draft(&centre, &planner).await;
    let version = centre.store.strategy_versions(centre.centre).await.unwrap().remove(0);
    assert_eq!((version.version, version.summary.as_str()), (3, "Added menu “Menu”."));
    for form in ["do=undo&draft=9&head=0", "do=sing&draft=2", "do=keep&based_on=x"] {
        assert_eq!(planner.post(DRAFTS, form).await.status, StatusCode::NOT_FOUND, "{form}");
    }
}

#[sqlx::test(migrations = false)]
async fn a_centre_without_any_strategy_begins_with_a_shape(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    sqlx::query("TRUNCATE strategy_versions CASCADE").execute(&pool).await.unwrap();
    let planner = centre.visitor(Role::Planner).await;
    let page = planner.get("/strategy").await;
    page.says("Begin with a shape").says("Menu and queues").says("Hunt group with overflow");
    for (at, shape) in barometer_strategy::StartingShape::ALL.into_iter().enumerate() {
        let begun = planner.post(DRAFTS, &format!("do=begin&shape={}", shape.key())).await;
        assert!(begun.location().contains(&format!("draft={}", at + 1)), "{}", begun.location());
        let page = planner.get(begun.location()).await;
        page.says("no edit yet");
        assert!(!page.text.contains("Begin with a shape"));
        assert!(latest(&centre).await.entry_of("Bookings").is_some());
    }
    let nothing = planner.post(DRAFTS, "do=begin&shape=star").await;
    assert_eq!(nothing.status, StatusCode::NOT_FOUND);
    let group = PartId::Step("group".to_owned());
    planner
        .get(&format!("/strategy?draft=3&part={group}"))
        .await
        .says("“Hunt group”, a hunt group");
}

#[sqlx::test(migrations = false)]
async fn a_finding_is_waived_with_a_reason_and_taken_back(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    change(&centre, &planner, "based_on=v1&do=add&kind=voicemail").await;
    let page = planner.get("/strategy?draft=1").await;
    page.says("No way leads here").says("Waive with a reason");
    let key = "nothing-leads-here%40step.voicemail-1";
    let address = "/strategy/waivers?draft=1";
    let silent = planner.post(address, &format!("finding={key}&reason=+")).await;
    silent.says("say in up to 300 characters why it may stay");
    let waive = format!("finding={key}&reason=Kept+for+the+winter");
    for _ in 0..2 {
        let waived = planner.post(address, &waive).await;
        assert!(waived.location().ends_with("&draft=1"), "{}", waived.location());
    }
    let page = planner.get("/strategy?draft=1").await;
    page.says("Waived: 1").says("“Kept for the winter”, A planner");
    page.says("withdraw");
    // The change sheet says who lives with what.
    keep_draft(&centre, &planner).await;
    let sheet = draw_up(&planner, 2, "").await;
    planner.get(&sheet).await.says("Waived:").says("No way leads here: “Kept for the winter”");
    let waiver = centre.store.waivers(centre.centre).await.unwrap().remove(0);
    planner.post(&format!("/strategy/waivers/{}/take-back?draft=1", waiver.id), "").await;
    let page = planner.get("/strategy?draft=1").await;
    assert!(!page.text.contains("Waived: 1"));
    let kept = centre.store.waivers(centre.centre).await.unwrap();
    assert_eq!(kept.len(), 1, "it stays on record");
    assert_eq!(kept[0].taken_back_by.as_deref(), Some("A planner"));
    planner.post(address, &waive).await;
    assert_eq!(centre.store.waivers(centre.centre).await.unwrap().len(), 2);
}

#[sqlx::test(migrations = false)]
async fn named_agents_come_in_from_a_file_or_are_refused_by_row_and_column(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    planner
        .get("/strategy/people")
        .await
        .says("No agent is named yet. No queue hangs on one person.");
    let begun = planner.post(DRAFTS, "do=begin&based_on=v1&name=People").await;
    assert!(begun.location().contains("draft=1"));
    let upload = async |text: &str| {
        planner.upload_with("/strategy/people", "people.csv", ("based_on", "d1.0"), text).await
    };
    let refused =
        upload("name,team,Norse\nAda Quill,Night team,4\nBo Tarn,Bookings team,12\n").await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("Nothing was saved.").says("row 3, Norse: “12” is neither yes, no nor a level");
    let unknown = upload("name,team,Norse\nAda Quill,Night team,4\n").await;
    unknown.says("row 2, team: there is no team “Night team”");
    let saved =
        upload("name,team,Norse\nAda Quill,Bookings team,4\nBo Tarn,Bookings team,\n").await;
    assert!(saved.location().contains("draft=1") && saved.location().ends_with("note=saved"));
    let page = planner.get("/strategy/people?draft=1").await;
    page.says("2 agents are named.").says("Ada Quill").says("Norse");
    // A workbook does as well.
    let mut book = rust_xlsxwriter::Workbook::new();
    let sheet = book.add_worksheet();
    for (row, cells) in
        [["name", "team", "Norse"], ["Cleo, Marsh", "Bookings team", "7"]].iter().enumerate()
    {
        for (column, cell) in cells.iter().enumerate() {
            sheet.write_string(row as u32, column as u16, *cell).unwrap();
        }
    }
    let bytes = book.save_to_buffer().unwrap();
    let version = planner
        .get("/strategy/people?draft=1")
        .await
        .version(&format!("/strategy/people?day={TODAY}"));
    let saved =
        planner.upload_with("/strategy/people", "people.xlsx", ("based_on", &version), bytes).await;
    assert!(saved.location().ends_with("note=saved"), "{}", saved.text);
    planner.get("/strategy/people?draft=1").await.says("One agent is named.").says("Cleo, Marsh");
    let file = planner.get("/strategy/people.csv?draft=1").await;
    assert_eq!(file.text, "name,team,Norse\n\"Cleo, Marsh\",Bookings team,7\n");
    let book = planner.get("/strategy/people.xlsx?draft=1").await;
    assert!(book.text.starts_with("PK"), "it leaves as a workbook, too");
    let odd = planner
        .upload_with("/strategy/people", "people.csv", ("based_on", &version), b"na\xffme".to_vec())
        .await;
    odd.says("The file is not UTF-8 text.");
    upload("name,team,Norse\nAda Quill,Bookings team,4\nBo Tarn,Bookings team,\n").await;
    let file = planner.get("/strategy/people.csv?draft=1").await;
    assert_eq!(file.text, "name,team,Norse\nAda Quill,Bookings team,4\nBo Tarn,Bookings team,\n");
}
