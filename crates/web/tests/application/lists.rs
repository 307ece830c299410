//! Lists of people: what their pages say, and all of a list or nothing.

use axum::http::StatusCode;
use barometer_store::{ListSubject, Role};
use barometer_strategy::{Campaign, Strategy};
use sqlx::PgPool;

use crate::visitor::{Centre, Visitor};

const PASSENGERS: &str = "\u{feff}Phone;TZ;Best time;Sailing\n\
    020 7946 0001;;;Holm 12:15\n\
    +44 20 7946 0002;;17-20;Holm 12:15\n\
    +33 1 99 00 12 34;;;Skerry 07:30\n\
    0044 20 7946 0001;;;Skerry 07:30\n\
    ask Mara;;;\n\
    020 7946 0003;Mars/Base;;\n";

impl Visitor {
    /// Sends a list, and follows to what it says.
    async fn send_list(&self, name: &str, file: &str) -> String {
        let sent = self.upload_with("/strategy/lists", "people.csv", ("name", name), file).await;
        assert_eq!(sent.status, StatusCode::SEE_OTHER, "{}", sent.text);
        sent.location().to_owned()
    }
}

async fn people_of(centre: &Centre) -> Vec<(String, i64, i64)> {
    let lists = centre.store.lists(centre.centre).await.unwrap();
    lists.into_iter().map(|(list, it)| (list.name, it.people, it.not_called)).collect()
}

#[sqlx::test(migrations = false)]
async fn a_list_is_told_row_by_row_and_saved_only_when_confirmed(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let list = planner.send_list("Autumn", PASSENGERS).await;
    planner
        .get(&list)
        .await
        .says("3 people may be called. 3 rows are refused. Nothing is saved until you confirm.")
        .says("+442079460001 stands in row 2 too")
        .says("“ask Mara” is no telephone number")
        .says("there is no time zone “Mars/Base”")
        .says("Europe/London, 17:00 to 20:00")
        .says("Everybody can be called from 17:00 to 20:00 here.");
    assert_eq!(people_of(&centre).await, []);
    planner.post(&format!("{list}/confirm"), "").await;
    planner.post(&format!("{list}/confirm"), "").await;
    assert_eq!(people_of(&centre).await, [("Autumn".to_owned(), 3, 0)]);
    planner.get("/strategy/lists").await.says("One list has 3 people.").says("people.csv");
    let closed = planner.get(&format!("{list}/columns")).await;
    assert_eq!(closed.location(), list, "a saved list is not read again");
    planner.post(&format!("{list}/remove"), "").await;
    assert_eq!(people_of(&centre).await, []);
}

#[sqlx::test(migrations = false)]
async fn columns_are_asked_for_where_no_heading_names_the_number(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let columns = planner.send_list("", "Customer,Reach at\nA,01 411 2000\nB,01 411 2001\n").await;
    let page = planner.get(&columns).await;
    page.says("no heading names the telephone number").says("01 411 2000").says("value=\"GB\"");
    let wrong = planner.post(&columns, "column=attribute&column=attribute&region=Eire").await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    wrong.says("Choose the column with the telephone number.").says("a country&#39;s two letters");
    let read = planner.post(&columns, "column=attribute&column=number&region=ie").await;
    planner.get(read.location()).await.says("2 people may be called").says("Europe/Dublin");
    // The next file with these headings is read in the same way, unasked; numbers that are never called are
    // another matter.
    let next = planner.send_list("", "customer , Reach at\nC,01 411 2002\n").await;
    assert!(!next.ends_with("/columns"), "{next}");
    planner
        .get(&next)
        .await
        .says("One person may be called")
        .says("Save 1 person")
        .says("Europe/Dublin");
    let other = planner.send_list("", "Customer,Reach by\nA,01 411 2000\n").await;
    assert!(other.ends_with("/columns"), "{other}");
    let layout = |subject| {
        centre.store.remembered_list_layout(centre.centre, subject, "customer\u{1f}reach at")
    };
    assert_eq!(layout(ListSubject::DoNotCall).await.unwrap(), None);
}

#[sqlx::test(migrations = false)]
async fn files_that_are_no_list_say_so_beside_the_field_and_nothing_is_kept(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let sent = async |file: &[u8]| {
        let field = ("name", "Typed name");
        planner.upload_with("/strategy/lists", "people.csv", field, file).await
    };
    for (file, message) in [
        (&b""[..], "The file is empty."),
        (b"\xff\xfen\0u\0m\0", "The file is UTF-16 text."),
        (b"PK\x03\x04 is no workbook", "The workbook cannot be read"),
    ] {
        let answer = sent(file).await;
        assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY);
        answer.says(message).says("value=\"Typed name\"");
    }
    // Latin-1 is told by its rows.
    let list = sent(b"number,name\n02079460001,Zo\xeb\n").await.location().to_owned();
    planner.get(&list).await.says("The only row cannot be used").says("is not UTF-8 text");
}

#[sqlx::test(migrations = false)]
async fn numbers_are_entered_and_uploaded_and_left_out_of_lists(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let list = planner.send_list("Autumn", PASSENGERS).await;
    planner.post(&format!("{list}/confirm"), "").await;
    let add = async |number: &str| planner.post("/strategy/lists/do-not-call", number).await;
    let wrong = add("number=nobody").await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    wrong.says("“nobody” is no telephone number").says("value=\"nobody\"");
    assert_eq!(add("number=020+7946+0001").await.status, StatusCode::SEE_OTHER);
    add("number=%2B442079460001").await.says("+442079460001 is on the list already.");
    planner.get(&list).await.says("2 of 3 people may be called: one is on the do-not-call list.");
    let field = ("subject", "do_not_call");
    let numbers = "number\n+33 1 99 00 12 34\n";
    let sent = planner.upload_with("/strategy/lists", "not.csv", field, numbers).await;
    let file = sent.location().to_owned();
    planner.get(&file).await.says("One number that no campaign calls.");
    planner.post(&format!("{file}/confirm"), "").await;
    planner.get("/strategy/lists").await.says("2 of them are on the do-not-call list");
    let csv = planner.get("/strategy/lists/do-not-call.csv").await;
    csv.says("442079460001").says("33199001234");
    planner.post("/strategy/lists/do-not-call/remove", "digits=442079460001").await;
    assert_eq!(centre.store.do_not_call_count(centre.centre).await.unwrap(), 1);
}

#[sqlx::test(migrations = false)]
async fn a_table_of_prefixes_is_replaced_by_ones_own_and_comes_back(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let replace = async |table: &str| {
        planner.upload_with("/strategy/lists/prefixes", "zones.csv", ("a", "b"), table).await
    };
    let wrong = replace("prefix,zone\n+44,Atlantis\n").await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    wrong.says("Row 2, column zone: there is no time zone “Atlantis”.");
    replace("prefix,zone\n+44,Europe/Paris\n").await;
    planner.get("/strategy/lists").await.says("Your own table has 1 prefixes.");
    let list = planner.send_list("Autumn", "number\n+442079460001\n+33199001234\n").await;
    planner.get(&list).await.says("Europe/Paris").says("no prefix of +33199001234 has one");
    planner.get("/strategy/lists/prefixes.csv").await.says("+44,Europe/Paris");
    planner.post("/strategy/lists/prefixes/reset", "").await;
    planner.get("/strategy/lists").await.says("The table that ships with Barometer has 572");
}

#[sqlx::test(migrations = false)]
async fn a_campaign_counts_the_people_of_a_list_into_its_draft(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let mut strategy = Strategy::plain("With a campaign");
    strategy.campaigns = vec![Campaign::named("news", "News", &strategy.teams[0].id)];
    let sent = planner
        .upload_with("/strategy/json", "strategy.json", ("based_on", ""), strategy.to_json())
        .await;
    assert_eq!(sent.status, StatusCode::SEE_OTHER, "{}", sent.text);
    let list = planner.send_list("Autumn", PASSENGERS).await;
    let key = list.rsplit('/').next().unwrap();
    let draft = async || centre.store.drafts(centre.centre).await.unwrap().remove(0);
    let choose = async |list: &str| {
        let draft = draft().await;
        let form = format!("based_on=d{}.{}&list={list}", draft.number, draft.head);
        planner.post("/strategy/campaigns/news/list", &form).await
    };
    choose(key).await.says("is not saved yet").says("Nothing was changed.");
    planner.post(&format!("{list}/confirm"), "").await;
    assert_eq!(choose(key).await.status, StatusCode::SEE_OTHER);
    let number = draft().await.number;
    let page = planner.get(&format!("/strategy/campaigns?draft={number}")).await;
    page.says("3 people of the list “Autumn”.").says("Europe/London, 17:00 to 20:00");
    // A number that is not called from now on is told, and left out when the list is counted again.
    planner.post("/strategy/lists/do-not-call", "number=020+7946+0001").await;
    let page = planner.get(&format!("/strategy/campaigns?draft={number}")).await;
    page.says("2 of them may be called now");
    choose(key).await;
    let page = planner.get(&format!("/strategy/campaigns?draft={number}")).await;
    page.says("2 people of the list “Autumn”.");
    // Only those with an attribute, as its column is headed; where nobody is, that is said.
    let only = async |more: &str| {
        let draft = draft().await;
        let form = format!("based_on=d{}.{}&list={key}&{more}", draft.number, draft.head);
        planner.post("/strategy/campaigns/news/list", &form).await
    };
    only("attributes=Sailing%3Dholm+12:15").await;
    let page = planner.get(&format!("/strategy/campaigns?draft={number}")).await;
    page.says("1 person of the list “Autumn”: those Sailing holm 12:15.");
    page.says("value=\"Sailing=holm 12:15\"");
    only("attributes=Sailing").await.says("“Sailing” is not name=value");
    only("language=Norse")
        .await
        .says("is one of those who speak Norse")
        .says("Nothing was changed.");
    choose("made_up").await;
    let page = planner.get(&format!("/strategy/campaigns?draft={number}")).await;
    page.says("1 made-up person.");
    assert_eq!(choose("none").await.status, StatusCode::NOT_FOUND);
    let kept = centre.store.lists(centre.centre).await.unwrap();
    assert_eq!(kept[0].0.subject, ListSubject::People);
}
