//! Lists of people to call: what there are, a new one, one of them.

pub(crate) mod columns;
pub(crate) mod do_not_call;
mod health;
pub(crate) mod prefixes;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::imports::{self as importing, FileError};
use barometer_app::lists::{self as listing, country_of, prefixes_of};
use barometer_intake::{ListColumn, ListLayout};
use barometer_store::{ImportState, List, ListCounts, ListSubject, Refusal, StoreError};
use barometer_strategy::PeopleChosen;
use futures_util::TryStreamExt;
use uuid::Uuid;

use crate::access::{Planner, RequestContext};
use crate::extract::{Multipart, Path};
use crate::forms::FormErrors;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::demand::import::{cut_off, kept};
use crate::pages::{page, refused};
use crate::{App, exports, words};
use do_not_call::NotCalledRow;
use health::HealthView;
use prefixes::PrefixesView;

/// Characters in a list's name, at most.
const MOST_NAME_CHARS: usize = 80;
/// Refused rows that a list shows.
const SHOWN_REFUSALS: i64 = 200;

#[derive(Template)]
#[template(path = "strategy/lists/lists.html")]
struct ListsPage {
    frame: Frame,
    answer: String,
    lists: Vec<ListRow>,
    not_called: String,
    not_called_rows: Vec<NotCalledRow>,
    not_called_files: Vec<(String, String)>,
    prefixes: PrefixesView,
    limit: usize,
    /// What was typed.
    name: String,
    number: String,
    wrong: FormErrors,
}

struct ListRow {
    address: String,
    name: String,
    people: String,
    not_called: String,
    file_name: String,
    at: String,
    by: String,
}

/// What a page of lists says beside what is kept: what was typed, and what is wrong with it.
#[derive(Default)]
struct Said {
    name: String,
    number: String,
    wrong: FormErrors,
}

/// `GET /strategy/lists`
pub(crate) async fn show(
    State(app): State<App>,
    Planner(context): Planner,
) -> Result<Response, PageError> {
    page(&lists_page(&app, &context, Said::default()).await?)
}

async fn lists_page(
    app: &App,
    context: &RequestContext,
    said: Said,
) -> Result<ListsPage, PageError> {
    let centre = context.centre.id;
    let (lists, count, rows, own) = tokio::try_join!(
        app.store.lists(centre),
        app.store.do_not_call_count(centre),
        app.store.do_not_call(centre, do_not_call::SHOWN),
        app.store.number_prefixes(centre),
    )?;
    let prefixes = prefixes_of(&app.store, &context.centre).await?;
    let zone = &context.centre.zone;
    let is_people = |list: &List| list.subject == ListSubject::People;
    let people: Vec<ListRow> = lists
        .iter()
        .filter(|(list, _)| is_people(list))
        .map(|(list, counts)| ListRow {
            address: format!("/strategy/lists/{}", list.id),
            name: list.name.clone(),
            people: words::thousands(counts.people as f64),
            not_called: words::thousands(counts.not_called as f64),
            file_name: list.file_name.clone(),
            at: words::moment(list.at, zone),
            by: list.by.clone(),
        })
        .collect();
    let files = lists.iter().filter(|(list, _)| !is_people(list));
    Ok(ListsPage {
        frame: Frame::of(context, Stage::Strategy, None),
        answer: lists_answer(&lists, count),
        lists: people,
        not_called: words::thousands(count as f64),
        not_called_rows: rows.into_iter().map(|row| NotCalledRow::of(row, zone)).collect(),
        not_called_files: files
            .map(|(list, counts)| {
                let told =
                    format!("{}: {} numbers", list.name, words::thousands(counts.people as f64));
                (told, format!("/strategy/lists/{}", list.id))
            })
            .collect(),
        prefixes: PrefixesView::of(&prefixes, own.is_some()),
        limit: app.settings.upload_limit_mb,
        name: said.name,
        number: said.number,
        wrong: said.wrong,
    })
}

fn lists_answer(lists: &[(List, ListCounts)], not_called: i64) -> String {
    let people = lists.iter().filter(|(list, _)| list.subject == ListSubject::People);
    let (count, sum, kept_out) = people.fold((0, 0, 0), |(count, sum, out), (_, counts)| {
        (count + 1, sum + counts.people, out + counts.not_called)
    });
    if count == 0 {
        return "No list is imported yet: campaigns call made-up people. Upload a list to plan with real ones."
            .to_owned();
    }
    let lists = if count == 1 { "list has" } else { "lists have" };
    let out = match kept_out {
        0 if not_called == 0 => String::new(),
        0 => " None of them is on the do-not-call list.".to_owned(),
        1 => " One of them is on the do-not-call list and is left out.".to_owned(),
        out => format!(
            " {} of them are on the do-not-call list and are left out.",
            words::thousands(out as f64)
        ),
    };
    let count = words::capitalised(&words::count_word(count));
    format!("{count} {lists} {}.{out}", words::counted(sum as usize, "person", "people"))
}

/// `POST /strategy/lists`: takes a file in, and reads it where its columns leave no doubt.
pub(crate) async fn upload(
    State(app): State<App>,
    Planner(context): Planner,
    Multipart(mut parts): Multipart,
) -> Result<Response, PageError> {
    let (mut said, mut subject) = (Said::default(), ListSubject::People);
    while let Some(part) = parts.next_field().await.map_err(cut_off)? {
        match part.name() {
            Some("name") => said.name = part.text().await.map_err(cut_off)?.trim().to_owned(),
            Some("subject") => {
                subject = match part.text().await.map_err(cut_off)?.as_str() {
                    "do_not_call" => ListSubject::DoNotCall,
                    _ => ListSubject::People,
                };
            }
            Some("file") => {
                match take_in(&app, &context, subject, &said.name, part).await? {
                    Ok(address) => return Ok(Redirect::to(&address).into_response()),
                    Err(wrong) => said.wrong = wrong,
                }
                return refused(&lists_page(&app, &context, said).await?);
            }
            _ => {}
        }
    }
    said.wrong = FormErrors::of("file", "Choose a file first.");
    refused(&lists_page(&app, &context, said).await?)
}

/// Takes a file in; where to go, or what is wrong with it, of which nothing is kept then.
async fn take_in(
    app: &App,
    context: &RequestContext,
    subject: ListSubject,
    name: &str,
    file: axum::extract::multipart::Field<'_>,
) -> Result<Result<String, FormErrors>, PageError> {
    let field = if subject == ListSubject::People { "file" } else { "do_not_call_file" };
    let file_name = file.file_name().unwrap_or_default().to_owned();
    if file_name.is_empty() {
        return Ok(Err(FormErrors::of(field, "Choose a file first.")));
    }
    let name = if name.is_empty() { stem(&file_name) } else { name.to_owned() };
    if name.chars().count() > MOST_NAME_CHARS {
        let message = format!("May have up to {MOST_NAME_CHARS} characters.");
        return Ok(Err(FormErrors::of("name", message)));
    }
    let by = context.user.id;
    let upload =
        app.store.begin_list_upload(&context.centre, subject, &name, &file_name, by).await?;
    let bytes = file.map_err(|error| error.body_text());
    let read = match kept(app, upload, bytes).await? {
        Ok(list) => first_reading(app, context, list).await?,
        Err(wrong) => Err(wrong),
    };
    Ok(read.map_err(|wrong| FormErrors::of(field, wrong)))
}

/// What a file is called without its ending.
fn stem(file_name: &str) -> String {
    let stem = file_name.rsplit_once('.').map_or(file_name, |(stem, _)| stem);
    stem.chars().filter(|letter| !barometer_intake::is_unseen(*letter)).collect()
}

/// Reads a list as lists with these headings were read before, or as its heading says where that names the
/// number, and asks about the columns of any other; where to go, or what is wrong with the file, of which nothing
/// is kept then.
async fn first_reading(
    app: &App,
    context: &RequestContext,
    list: Uuid,
) -> Result<Result<String, String>, PageError> {
    let outcome = async {
        let beginning = importing::beginning(&app.store, list, None).await?;
        let of = app.store.list(list).await?;
        let (centre, signature) = (context.centre.id, beginning.signature());
        let layout = match app.store.remembered_list_layout(centre, of.subject, &signature).await? {
            Some(layout) => layout,
            None => {
                let prefixes = prefixes_of(&app.store, &context.centre).await?;
                let heading: Vec<&str> = beginning.heading.iter().map(String::as_str).collect();
                let guess = ListLayout::guess(&heading, &country_of(&context.centre, &prefixes));
                if guess.column(ListColumn::Number).is_none() || beginning.sheets.len() > 1 {
                    return Ok(format!("/strategy/lists/{list}/columns"));
                }
                guess
            }
        };
        listing::read(&app.store, &context.centre, &of, &layout).await?;
        Ok(format!("/strategy/lists/{list}"))
    };
    match outcome.await {
        Ok(address) => Ok(Ok(address)),
        Err(FileError::Store(error)) => Err(error.into()),
        Err(error) => {
            app.store.remove_list(list).await?;
            Ok(Err(error.to_string()))
        }
    }
}

#[derive(Template)]
#[template(path = "strategy/lists/list.html")]
struct ListPage {
    frame: Frame,
    title: String,
    answer: String,
    address: String,
    is_open: bool,
    is_saved: bool,
    save: String,
    columns: String,
    refusals: Vec<Refusal>,
    refused_words: String,
    health: Option<HealthView>,
    facts: Vec<(&'static str, String)>,
    remove_words: String,
}

/// `GET /strategy/lists/{list}`: what is in it, before it is saved and after.
pub(crate) async fn show_one(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let list = app.store.list(id).await?;
    let is_broken_off =
        list.state == ImportState::Reading && app.store.is_reading_broken_off(id).await?;
    let address = format!("/strategy/lists/{id}");
    if list.state == ImportState::Uploaded || is_broken_off {
        return Ok(Redirect::to(&format!("{address}/columns")).into_response());
    }
    let everybody = PeopleChosen::default();
    let (counts, groups, refusals) = tokio::try_join!(
        app.store.list_counts(id),
        app.store.list_groups(id, &everybody),
        app.store.refusals(id, SHOWN_REFUSALS),
    )?;
    let is_people = list.subject == ListSubject::People;
    let health = (is_people && !groups.is_empty()).then(|| HealthView::of(&context, groups));
    page(&ListPage {
        frame: Frame::of(&context, Stage::Strategy, None),
        title: format!("Who is on “{}”?", list.name),
        answer: list_answer(&list, counts),
        is_open: list.state == ImportState::Preview,
        is_saved: list.state == ImportState::Saved,
        save: save_words(&list, counts),
        columns: format!("{address}/columns"),
        refused_words: if refusals.len() as i64 == list.refused {
            "Refused rows".to_owned()
        } else {
            format!(
                "The first {} of {} refused rows",
                refusals.len(),
                words::thousands(list.refused as f64)
            )
        },
        facts: facts(&context, &list, counts),
        remove_words: if is_people {
            "Remove this list with everybody on it? Campaigns keep what they have counted of it."
                .to_owned()
        } else {
            "Remove this list? Its numbers may be called again.".to_owned()
        },
        refusals,
        health,
        address,
    })
}

fn list_answer(list: &List, counts: ListCounts) -> String {
    let rows = words::thousands(list.rows_read as f64);
    let people = words::thousands(counts.people as f64);
    let refused = match list.refused {
        0 => String::new(),
        1 => " One row is refused.".to_owned(),
        refused => format!(" {} rows are refused.", words::thousands(refused as f64)),
    };
    let unsaved = if list.state == ImportState::Preview {
        " Nothing is saved until you confirm."
    } else {
        ""
    };
    if list.state == ImportState::Reading {
        return "The file is being read. Reload the page in a moment.".to_owned();
    }
    if list.rows_read == 0 {
        return "The file has a heading but no rows.".to_owned();
    }
    if counts.people == 0 && list.rows_read == 1 {
        return "The only row cannot be used; the reason stands below.".to_owned();
    }
    if counts.people == 0 {
        return format!("None of the {rows} rows can be used; the reasons stand below.");
    }
    if list.subject == ListSubject::DoNotCall {
        let numbers =
            if counts.people == 1 { "One number".to_owned() } else { format!("{people} numbers") };
        return format!("{numbers} that no campaign calls.{refused}{unsaved}");
    }
    let may = counts.people - counts.not_called;
    let may = match counts.not_called {
        0 if counts.people == 1 => "One person may be called.".to_owned(),
        0 => format!("{people} people may be called."),
        1 => format!(
            "{} of {people} people may be called: one is on the do-not-call list.",
            words::thousands(may as f64)
        ),
        out => format!(
            "{} of {people} people may be called: {} are on the do-not-call list.",
            words::thousands(may as f64),
            words::thousands(out as f64)
        ),
    };
    format!("{may}{refused}{unsaved}")
}

fn save_words(list: &List, counts: ListCounts) -> String {
    if counts.people == 0 {
        return String::new();
    }
    let (one, more) = match list.subject {
        ListSubject::People => ("person", "people"),
        ListSubject::DoNotCall => ("number", "numbers"),
    };
    let what = words::counted(counts.people as usize, one, more);
    let refused = match list.refused {
        0 => String::new(),
        1 => ", leave out one row".to_owned(),
        refused => format!(", leave out {} rows", words::thousands(refused as f64)),
    };
    format!("Save {what}{refused}")
}

fn facts(context: &RequestContext, list: &List, counts: ListCounts) -> Vec<(&'static str, String)> {
    let count = |count: i64| words::thousands(count as f64);
    let mut facts = vec![
        ("File", list.file_name.clone()),
        ("Uploaded", format!("{} by {}", words::moment(list.at, &context.centre.zone), list.by)),
        ("Rows", count(list.rows_read)),
        ("Refused", count(list.refused)),
    ];
    if list.subject == ListSubject::People {
        facts.push(("On the do-not-call list", count(counts.not_called)));
        facts.push(("Time zone told from the number", count(counts.zones_guessed)));
    }
    facts
}

/// `POST /strategy/lists/{list}/confirm`: saves all usable rows.
pub(crate) async fn confirm(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    match app.store.confirm_list(id, context.user.id).await {
        Ok(()) => {}
        // Pressed twice: the first time it was saved, and its page says so.
        Err(StoreError::NotFound) if app.store.list(id).await?.state == ImportState::Saved => {}
        Err(StoreError::NotFound) => {
            return Err(PageError::Refused(
                "Nothing was saved: this list was not confirmed within a day. Upload it again."
                    .to_owned(),
            ));
        }
        Err(error) => return Err(error.into()),
    }
    Ok(Redirect::to(&format!("/strategy/lists/{id}")).into_response())
}

/// `POST /strategy/lists/{list}/remove`
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(_): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.remove_list(id).await?;
    Ok(Redirect::to("/strategy/lists").into_response())
}

/// `GET /strategy/lists/example.csv`: a list that can be imported as it is.
pub(crate) async fn example(_context: RequestContext) -> Result<Response, PageError> {
    let heading = ["number", "zone", "priority", "language", "hours", "attempts", "sailing"];
    let rows = [
        ["+44 20 7946 0018", "", "1", "en", "17:00-20:00", "0", "Larkhaven–Skerry 17:40"],
        ["020 7946 0019", "", "", "en", "", "2", "Larkhaven–Skerry 17:40"],
        ["+33 1 99 00 12 34", "Europe/Paris", "", "fr", "", "", "Skerry–Larkhaven 19:10"],
        ["+1 212 555 0142", "", "3", "", "", "", "Skerry–Larkhaven 19:10"],
    ];
    let rows = rows.map(|row| row.map(str::to_owned).to_vec()).to_vec();
    exports::csv("example-list.csv", &heading, rows).await
}
