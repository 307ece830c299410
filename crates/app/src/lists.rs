//! Lists of people to call: read from an uploaded file, and counted for a campaign.

use barometer_dialling::list::{TooManyGroups, put_together};
use barometer_intake::{ListLayout, PeopleReader, PrefixZones, Refusal};
use barometer_store::{Centre, List, ListRow, ListSubject, ListWriter, Store, StoreError};
use barometer_strategy::{CampaignList, ImportedList, PeopleChosen};
use uuid::Uuid;

use crate::imports::{FileError, Rows, gave_up};

/// Why a list cannot be given to a campaign.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the messages say it")]
pub enum ListError {
    #[error("Nobody on “{0}” may be called: every number stands on the do-not-call list.")]
    Nobody(String),
    #[error("Nobody on “{0}” who may be called is one of those {1}.{2}")]
    NobodyChosen(String, String, String),
    #[error("“{0}” is not saved yet. Save it first.")]
    NotSaved(String),
    #[error("{0}.")]
    TooMany(#[from] TooManyGroups),
    #[error(transparent)]
    Store(#[from] StoreError),
}

/// The table of time zones by prefix that a centre uses.
///
/// # Errors
///
/// The database does not answer.
pub async fn prefixes_of(store: &Store, centre: &Centre) -> Result<PrefixZones, StoreError> {
    let own = store.number_prefixes(centre.id).await?;
    // A table is looked at before it is kept; one that cannot be read any more is as good as none.
    let own = own.and_then(|csv| PrefixZones::from_csv(&csv).ok());
    Ok(own.unwrap_or_else(PrefixZones::shipped))
}

/// The country, as two letters, in which a centre's numbers are written without a country code.
pub fn country_of(centre: &Centre, prefixes: &PrefixZones) -> String {
    let zone = centre.zone.iana_name().unwrap_or_default();
    prefixes.country_in(zone).unwrap_or_default()
}

/// Reads an uploaded list in a layout, so that it can be looked at.
///
/// # Errors
///
/// [`FileError`] for the first thing because of which nothing can be read. Rows that are wrong are kept with the preview.
pub async fn read(
    store: &Store,
    centre: &Centre,
    list: &List,
    layout: &ListLayout,
) -> Result<(), FileError> {
    let prefixes = prefixes_of(store, centre).await?;
    let mut writer = store.begin_list_reading(list.id, layout).await?;
    match read_rows(store, list, layout, &prefixes, &mut writer).await {
        Ok(()) => Ok(writer.finish().await?),
        Err(error) => Err(gave_up(error, writer.abandon().await)),
    }
}

async fn read_rows(
    store: &Store,
    list: &List,
    layout: &ListLayout,
    prefixes: &PrefixZones,
    writer: &mut ListWriter,
) -> Result<(), FileError> {
    let mut rows = Rows::open(store, list.id, layout.sheet.as_deref()).await?;
    let heading = rows.next().await?.ok_or(FileError::Empty)?;
    let heading: Vec<String> =
        heading.iter().map(|cell| String::from_utf8_lossy(cell).into_owned()).collect();
    let mut reader = PeopleReader::new(layout, &heading, prefixes);
    let mut row_number = 1;
    while let Some(cells) = rows.next().await? {
        row_number += 1;
        let kept = match list.subject {
            ListSubject::People => keep_person(&mut reader, writer, row_number, &cells).await?,
            ListSubject::DoNotCall => keep_number(&mut reader, writer, row_number, &cells).await?,
        };
        if let Err(refusal) = kept {
            writer.refuse(row_number, refusal.field, refusal.reason);
        }
    }
    Ok(())
}

type Kept = Result<Result<(), Refusal>, StoreError>;

async fn keep_person(
    reader: &mut PeopleReader<'_>,
    writer: &mut ListWriter,
    row: u64,
    cells: &[&[u8]],
) -> Kept {
    let person = match reader.read(row, cells) {
        Ok(person) => person,
        Err(refusal) => return Ok(Err(refusal)),
    };
    let minutes = |time: jiff::civil::Time| {
        u16::from(time.hour().unsigned_abs()) * 60 + u16::from(time.minute().unsigned_abs())
    };
    let row = ListRow {
        number: person.number.digits(),
        zone: Some(&person.zone),
        is_zone_guessed: person.is_zone_guessed,
        priority: person.priority,
        language: person.language.as_deref(),
        hours: person.hours.map(|hours| (minutes(hours.from), minutes(hours.until))),
        attempts: person.attempts,
        attributes: &person.attributes,
    };
    writer.add(&row).await.map(Ok)
}

async fn keep_number(
    reader: &mut PeopleReader<'_>,
    writer: &mut ListWriter,
    row: u64,
    cells: &[&[u8]],
) -> Kept {
    match reader.read_number(row, cells) {
        Ok(number) => {
            let row = ListRow { number: number.digits(), ..ListRow::default() };
            writer.add(&row).await.map(Ok)
        }
        Err(refusal) => Ok(Err(refusal)),
    }
}

/// What a campaign keeps of a list: how many of those who are chosen are alike, without those who must not be
/// called now.
///
/// # Errors
///
/// [`ListError`] where nobody is left, or there are more kinds of people than a campaign tells apart.
pub async fn for_campaign(
    store: &Store,
    id: Uuid,
    only: PeopleChosen,
) -> Result<CampaignList, ListError> {
    let list = store.list(id).await?;
    if list.state != barometer_store::ImportState::Saved || list.subject != ListSubject::People {
        return Err(ListError::NotSaved(list.name));
    }
    let groups = put_together(store.list_groups(id, &only).await?.into_iter())?;
    if groups.is_empty() && only.is_everybody() {
        return Err(ListError::Nobody(list.name));
    }
    if groups.is_empty() {
        let known = known_words(&store.list_languages(id).await?);
        return Err(ListError::NobodyChosen(list.name, only.words(), known));
    }
    let imported = ImportedList { number: list.number, name: list.name, only, groups };
    Ok(CampaignList::of_imported(imported))
}

/// The languages of a list: " It names English (40), Norse (12)."; empty where it names none.
fn known_words(languages: &[(String, i64)]) -> String {
    let words = languages.iter().map(|(language, people)| format!("{language} ({people})"));
    let words: Vec<String> = words.collect();
    if words.is_empty() { String::new() } else { format!(" It names {}.", words.join(", ")) }
}
