//! Lists of people: a preview, then everybody or nobody, and what must not be called.

use barometer_intake::ListLayout;
use barometer_store::{ImportState, ListCounts, ListRow, ListSubject, Store, StoreError};
use barometer_strategy::PeopleChosen;
use futures_util::TryStreamExt;
use sqlx::PgPool;
use uuid::Uuid;

use crate::fixture::{Fixture, fixture};

impl Fixture {
    async fn upload(&self, subject: ListSubject, name: &str) -> Uuid {
        let centre = self.store.centre().await.unwrap().unwrap();
        let by = self.planner;
        let upload =
            self.store.begin_list_upload(&centre, subject, name, "list.csv", by).await.unwrap();
        upload.finish().await.unwrap()
    }

    /// A list of numbers from 1 on, every other one with preferred hours, read and not saved.
    async fn read(&self, subject: ListSubject, numbers: std::ops::Range<u64>) -> Uuid {
        let id = self.upload(subject, "Autumn").await;
        let mut writer = self.store.begin_list_reading(id, &layout()).await.unwrap();
        for number in numbers {
            writer.add(&person(number)).await.unwrap();
        }
        writer.refuse(99, "number", "is no number".to_owned());
        writer.finish().await.unwrap();
        id
    }
}

fn layout() -> ListLayout {
    ListLayout::guess(&["number", "zone"], "GB")
}

fn person(number: u64) -> ListRow<'static> {
    ListRow {
        number,
        zone: Some(if number < 10 { "Europe/London" } else { "Europe/Paris" }),
        is_zone_guessed: number < 5,
        hours: number.is_multiple_of(2).then_some((17 * 60, 20 * 60 + 30)),
        ..ListRow::default()
    }
}

async fn counts(store: &Store, id: Uuid) -> ListCounts {
    store.list_counts(id).await.unwrap()
}

#[sqlx::test(migrations = false)]
async fn a_list_is_looked_at_then_saved_and_counted_by_who_is_alike(pool: PgPool) {
    let fixture = fixture(pool).await;
    let store = &fixture.store;
    let id = fixture.read(ListSubject::People, 1..13).await;
    let list = store.list(id).await.unwrap();
    assert_eq!((list.rows_read, list.refused, list.state), (13, 1, ImportState::Preview));
    assert_eq!((list.name.as_str(), list.by.as_str()), ("Autumn", "A. Planner"));
    assert_eq!(list.layout, Some(layout()));
    assert_eq!(store.refusals(id, 10).await.unwrap()[0].row_number, 99);
    assert!(store.lists(fixture.centre).await.unwrap().is_empty(), "nothing is saved yet");
    store.confirm_list(id, fixture.planner).await.unwrap();
    let again = store.confirm_list(id, fixture.planner).await;
    assert!(matches!(again, Err(StoreError::NotFound)));
    let lists = store.lists(fixture.centre).await.unwrap();
    assert_eq!(lists[0].1, ListCounts { people: 12, not_called: 0, zones_guessed: 4 });
    let groups = store.list_groups(id, &PeopleChosen::default()).await.unwrap();
    let told: Vec<(u32, &str, bool)> =
        groups.iter().map(|it| (it.people, it.zone.as_str(), it.hours.is_some())).collect();
    assert_eq!(
        told,
        [
            (4, "Europe/London", true),
            (5, "Europe/London", false),
            (2, "Europe/Paris", true),
            (1, "Europe/Paris", false)
        ]
    );
    assert_eq!(groups[0].hours.unwrap().until.to_string(), "20:30:00");
    // History and lists do not see each other.
    assert!(matches!(store.import(id).await, Err(StoreError::NotFound)));
    assert_eq!(store.last_import(fixture.centre).await.unwrap(), None);
}

#[sqlx::test(migrations = false)]
async fn people_are_chosen_by_language_and_attributes(pool: PgPool) {
    let fixture = fixture(pool).await;
    let store = &fixture.store;
    let id = fixture.upload(ListSubject::People, "Autumn").await;
    let mut writer = store.begin_list_reading(id, &layout()).await.unwrap();
    for number in 1..13 {
        let language = ["Norse", "English", " english "][number as usize % 3];
        let card = if number < 7 { "Gold" } else { "plain" };
        let attributes =
            [("Card".to_owned(), card.to_owned()), ("Sailing".to_owned(), "7".to_owned())];
        let row = ListRow { language: Some(language), attributes: &attributes, ..person(number) };
        writer.add(&row).await.unwrap();
    }
    writer.finish().await.unwrap();
    store.confirm_list(id, fixture.planner).await.unwrap();
    let people = async |language: Option<&str>, attributes: &[(&str, &str)]| -> u32 {
        let attributes =
            attributes.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned()));
        let only = PeopleChosen {
            language: language.map(str::to_owned),
            attributes: attributes.collect(),
        };
        store.list_groups(id, &only).await.unwrap().iter().map(|group| group.people).sum()
    };
    assert_eq!(people(None, &[]).await, 12);
    assert_eq!(people(Some("norse "), &[]).await, 4);
    assert_eq!(people(Some("English"), &[]).await, 8, "however it is written");
    assert_eq!(people(None, &[("Card", "gold")]).await, 6);
    assert_eq!(people(Some("Norse"), &[("Card", "gold"), ("Sailing", "7")]).await, 2);
    assert_eq!(people(None, &[("Card", "gold"), ("Sailing", "8")]).await, 0);
    assert_eq!(people(None, &[("Colour", "red")]).await, 0, "nobody has this column");
    let languages = store.list_languages(id).await.unwrap();
    let told: Vec<(String, i64)> = languages
        .into_iter()
        .map(|(language, people)| (language.trim().to_lowercase(), people))
        .collect();
    assert_eq!(told, [("english".to_owned(), 8), ("norse".to_owned(), 4)]);
    // Two lists are counted at once, each with its own.
    let other = fixture.read(ListSubject::People, 20..23).await;
    store.confirm_list(other, fixture.planner).await.unwrap();
    store.add_do_not_call(fixture.centre, 21, fixture.planner).await.unwrap();
    let lists = store.lists(fixture.centre).await.unwrap();
    let counts: Vec<(i64, i64)> =
        lists.iter().map(|each| (each.1.people, each.1.not_called)).collect();
    assert_eq!(counts, [(3, 1), (12, 0)]);
}

#[sqlx::test(migrations = false)]
async fn what_must_not_be_called_is_left_out_of_every_list_until_it_may_be_again(pool: PgPool) {
    let fixture = fixture(pool).await;
    let store = &fixture.store;
    let id = fixture.read(ListSubject::People, 1..13).await;
    store.confirm_list(id, fixture.planner).await.unwrap();
    assert!(store.add_do_not_call(fixture.centre, 3, fixture.planner).await.unwrap());
    assert!(!store.add_do_not_call(fixture.centre, 3, fixture.planner).await.unwrap());
    assert_eq!(counts(store, id).await.not_called, 1);
    let people = async || -> u32 {
        store
            .list_groups(id, &PeopleChosen::default())
            .await
            .unwrap()
            .iter()
            .map(|group| group.people)
            .sum()
    };
    assert_eq!(people().await, 11);
    // A file with more numbers than the list has, one of which is known.
    let file = fixture.read(ListSubject::DoNotCall, 3..500).await;
    assert_eq!(store.do_not_call_count(fixture.centre).await.unwrap(), 1, "not before it is saved");
    store.confirm_list(file, fixture.planner).await.unwrap();
    assert_eq!(store.do_not_call_count(fixture.centre).await.unwrap(), 497);
    assert_eq!(people().await, 2);
    store.remove_list(file).await.unwrap();
    assert_eq!(people().await, 11, "the number that was entered stays");
    let kept = store.do_not_call(fixture.centre, 10).await.unwrap();
    assert_eq!((kept[0].number, kept[0].list.as_deref()), (3, None));
    store.remove_do_not_call(fixture.centre, 3).await.unwrap();
    assert_eq!(people().await, 12);
}

#[sqlx::test(migrations = false)]
async fn a_reading_that_is_given_up_keeps_nobody_and_a_list_is_removed_with_everybody(
    pool: PgPool,
) {
    let fixture = fixture(pool).await;
    let store = &fixture.store;
    let id = fixture.upload(ListSubject::People, "Spring").await;
    let mut writer = store.begin_list_reading(id, &layout()).await.unwrap();
    writer.add(&person(1)).await.unwrap();
    assert!(matches!(store.begin_list_reading(id, &layout()).await, Err(StoreError::Busy)));
    writer.abandon().await.unwrap();
    assert_eq!(store.list(id).await.unwrap().state, ImportState::Uploaded);
    assert_eq!(counts(store, id).await.people, 0);
    // What stands between tabs and line ends in a COPY is only text.
    let odd = [("Name\t".to_owned(), "O'Neil \\ \"two\"\nlines\r\t🚢\0".to_owned())];
    let mut writer = store.begin_list_reading(id, &layout()).await.unwrap();
    let row = ListRow { attributes: &odd, language: Some("\\N"), ..person(7) };
    writer.add(&row).await.unwrap();
    writer.finish().await.unwrap();
    assert_eq!(counts(store, id).await.people, 1);
    store.remove_list(id).await.unwrap();
    assert!(matches!(store.list(id).await, Err(StoreError::NotFound)));
    assert!(matches!(store.remove_list(id).await, Err(StoreError::NotFound)));
    let left: Vec<Vec<u8>> = store.uploaded_bytes(id).try_collect().await.unwrap();
    assert!(left.is_empty());
}

#[sqlx::test(migrations = false)]
async fn a_table_of_prefixes_is_replaced_and_given_up(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    assert_eq!(store.number_prefixes(centre).await.unwrap(), None);
    for csv in ["one", "two"] {
        store.replace_number_prefixes(centre, Some(csv), planner).await.unwrap();
        assert_eq!(store.number_prefixes(centre).await.unwrap().as_deref(), Some(csv));
    }
    store.replace_number_prefixes(centre, None, planner).await.unwrap();
    assert_eq!(store.number_prefixes(centre).await.unwrap(), None);
}

#[sqlx::test(migrations = false)]
async fn past_calls_are_kept_by_name_and_are_those_of_their_centre(pool: PgPool) {
    let fixture = fixture(pool).await;
    let (store, centre, by) = (&fixture.store, fixture.centre, fixture.planner);
    let first = store.keep_past_calls(centre, ("october.csv", "one"), 1, by).await.unwrap();
    let again = store.keep_past_calls(centre, ("october.csv", "two"), 2, by).await.unwrap();
    assert_eq!(first, again, "a file of the same name takes its place");
    store.keep_past_calls(centre, ("november.csv", "three"), 3, by).await.unwrap();
    let kept = store.past_calls(centre).await.unwrap();
    let told: Vec<(&str, i64)> = kept.iter().map(|file| (file.name.as_str(), file.calls)).collect();
    assert_eq!(told, [("november.csv", 3), ("october.csv", 2)]);
    assert_eq!(kept[0].by, "A. Planner");
    assert_eq!(store.past_calls_csv(centre, first).await.unwrap(), "two");
    let elsewhere = store.past_calls_csv(Uuid::new_v4(), first).await;
    assert!(matches!(elsewhere, Err(StoreError::NotFound)));
    store.remove_past_calls(Uuid::new_v4(), first).await.unwrap();
    assert_eq!(store.past_calls(centre).await.unwrap().len(), 2, "another centre removes nothing");
    store.remove_past_calls(centre, first).await.unwrap();
    assert_eq!(store.past_calls(centre).await.unwrap().len(), 1);
}
