//! The trail: who did what, when and from where. For administrators.

use std::net::IpAddr;

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_store::{Deed, Doer, Noted, TrailEntry, TrailFilter};
use serde::Deserialize;
use serde_json::Value;

use crate::App;
use crate::access::{Administrator, RequestContext};
use crate::exports;
use crate::extract::Query;
use crate::frame::Frame;
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::trials::Choosable;
use crate::words;

/// Entries of a page.
const A_PAGE: i64 = 200;
/// Longest name that is kept of somebody who is not known.
const LONGEST_NAME: usize = 120;
/// Most entries of a file.
const A_FILE: i64 = 100_000;

/// Notes what somebody who is signed in did. What was done stays done where it cannot be noted; the log says so then.
pub(crate) async fn note(app: &App, context: &RequestContext, did: Deed, change: Noted) {
    let doer = Doer { name: &context.user.name, user: Some(context.user.id), from: context.from };
    note_of(app, doer, did, &change).await;
}

/// Notes what somebody did at the sign-in page.
pub(crate) async fn note_at_the_door(app: &App, email: &str, from: Option<IpAddr>, did: Deed) {
    let name: String = email.chars().take(LONGEST_NAME).collect();
    let doer = Doer { name: &name, user: None, from };
    note_of(app, doer, did, &Noted::default()).await;
}

async fn note_of(app: &App, doer: Doer<'_>, did: Deed, change: &Noted) {
    if let Err(error) = app.store.note(doer, did, change).await {
        tracing::error!(
            ?error,
            by = doer.name,
            did = did.words(),
            about = change.about,
            "not noted"
        );
    }
}

/// What differs between two kept forms of the same thing, field by field: before, and after.
pub(crate) fn fields_changed(
    was: &impl serde::Serialize,
    is: &impl serde::Serialize,
) -> (String, String) {
    let fields = |of: serde_json::Result<Value>| match of {
        Ok(Value::Object(fields)) => fields,
        _ => serde_json::Map::new(),
    };
    let (was, is) = (fields(serde_json::to_value(was)), fields(serde_json::to_value(is)));
    let mut names: Vec<&String> = was.keys().chain(is.keys()).collect();
    names.sort();
    names.dedup();
    names.retain(|name| was.get(*name) != is.get(*name));
    let told = |of: &serde_json::Map<String, Value>| {
        let each = names.iter().map(|name| {
            let value = of.get(*name).filter(|value| !value.is_null());
            format!("{name} {}", value.map_or_else(|| "none".to_owned(), Value::to_string))
        });
        each.collect::<Vec<String>>().join(", ")
    };
    (told(&was), told(&is))
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct TrailQuery {
    q: String,
    did: String,
    before: Option<i64>,
}

impl TrailQuery {
    fn filter(&self) -> TrailFilter {
        let did = Deed::of_key(&self.did);
        TrailFilter { did, text: self.q.clone(), before: self.before }
    }
}

#[derive(Template)]
#[template(path = "trail.html")]
struct TrailPage {
    frame: Frame,
    answer: String,
    q: String,
    deeds: Vec<Choosable>,
    rows: Vec<TrailRow>,
    /// What the addresses of the file and of older entries have.
    query: String,
    older: Option<i64>,
}

struct TrailRow {
    at: String,
    by: String,
    from: String,
    did: String,
    about: String,
    was: String,
    became: String,
}

impl TrailRow {
    fn of(entry: TrailEntry, context: &RequestContext) -> Self {
        Self {
            at: words::moment(entry.at, &context.centre.zone),
            by: entry.by,
            from: entry.from.unwrap_or_default(),
            did: words_of(entry.did).to_owned(),
            about: entry.change.about,
            was: entry.change.was.unwrap_or_default(),
            became: entry.change.became.unwrap_or_default(),
        }
    }
}

fn words_of(did: Option<Deed>) -> &'static str {
    did.map_or("something that this version does not know", Deed::words)
}

/// `GET /people/trail`
pub(crate) async fn show(
    State(app): State<App>,
    Administrator(context): Administrator,
    Query(query): Query<TrailQuery>,
) -> Result<Response, PageError> {
    let entries = app.store.trail(&query.filter(), A_PAGE).await?;
    let is_full = entries.len() as i64 == A_PAGE;
    let older = entries.last().map(|last| last.number).filter(|_| is_full);
    let option = |did: Deed| Choosable {
        value: did.key().to_owned(),
        name: did.words().to_owned(),
        is_chosen: did.key() == query.did,
    };
    let text = [("q", query.q.as_str()), ("did", query.did.as_str())];
    page(&TrailPage {
        frame: Frame::apart(&context),
        answer: answer(entries.first(), older.is_some(), entries.len(), &context),
        deeds: Deed::ALL.into_iter().map(option).collect(),
        rows: entries.into_iter().map(|entry| TrailRow::of(entry, &context)).collect(),
        query: form_urlencoded::Serializer::new(String::new()).extend_pairs(text).finish(),
        q: query.q,
        older,
    })
}

fn answer(
    latest: Option<&TrailEntry>,
    has_older: bool,
    shown: usize,
    context: &RequestContext,
) -> String {
    let Some(latest) = latest else { return "Nothing of this kind has been done.".to_owned() };
    let count = match (shown, has_older) {
        (1, _) => "One entry".to_owned(),
        (shown, false) => format!("{} entries", words::capitalised(&words::count_word(shown))),
        (shown, true) => format!("The latest {shown} entries"),
    };
    let at = words::moment(latest.at, &context.centre.zone);
    format!("{count}; the latest: {} {} on {at}.", latest.by, words_of(latest.did))
}

/// `GET /people/trail.csv`
pub(crate) async fn export(
    State(app): State<App>,
    Administrator(_): Administrator,
    Query(query): Query<TrailQuery>,
) -> Result<Response, PageError> {
    let entries = app.store.trail(&query.filter(), A_FILE).await?;
    let rows = entries.into_iter().map(|entry| {
        vec![
            entry.at.to_string(),
            entry.by,
            entry.from.unwrap_or_default(),
            words_of(entry.did).to_owned(),
            entry.change.about,
            entry.change.was.unwrap_or_default(),
            entry.change.became.unwrap_or_default(),
        ]
    });
    let heading = ["done_at", "by", "from", "did", "about", "before", "after"];
    exports::csv("trail.csv", &heading, rows.collect()).await
}

#[cfg(test)]
mod tests {
    use barometer_plan::Rules;

    use super::*;

    #[test]
    fn only_what_differs_is_told() {
        let was = Rules::STARTING;
        let is = Rules { service_level: 0.9, abandonment: None, ..was };
        let (before, after) = fields_changed(&was, &is);
        assert!(before.contains(&format!("service_level {}", was.service_level)), "{before}");
        assert!(
            after.contains("service_level 0.9") && after.contains("abandonment none"),
            "{after}"
        );
        assert!(!before.contains("within_secs"), "{before}");
        assert_eq!(fields_changed(&was, &was), (String::new(), String::new()));
    }
}
