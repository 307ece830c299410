//! The method notes: formulas, sources and limits, as they stand in `docs/methods`; and the interface for scripts.

use askama::Template;
use axum::response::Response;
use pulldown_cmark::{Event, HeadingLevel, Options, Parser, Tag, TagEnd, html};

use crate::access::RequestContext;
use crate::extract::Path;
use crate::frame::Frame;
use crate::page_error::PageError;
use crate::pages::{Choice, page};

/// The notes by name.
const NOTES: [(&str, &str); 15] = [
    ("account", include_str!("../../../../docs/methods/account.md")),
    ("bands", include_str!("../../../../docs/methods/bands.md")),
    ("cleaning", include_str!("../../../../docs/methods/cleaning.md")),
    ("day", include_str!("../../../../docs/methods/day.md")),
    ("erlang", include_str!("../../../../docs/methods/erlang.md")),
    ("families", include_str!("../../../../docs/methods/families.md")),
    ("forecast", include_str!("../../../../docs/methods/forecast.md")),
    ("interface", include_str!("../../../../docs/centre-interface.md")),
    ("live", include_str!("../../../../docs/methods/live.md")),
    ("need", include_str!("../../../../docs/methods/need.md")),
    ("pacing", include_str!("../../../../docs/methods/pacing.md")),
    ("patience", include_str!("../../../../docs/methods/patience.md")),
    ("report", include_str!("../../../../docs/methods/report.md")),
    ("search", include_str!("../../../../docs/methods/search.md")),
    ("trial", include_str!("../../../../docs/methods/trial.md")),
];

#[derive(Template)]
#[template(path = "method.html")]
struct MethodPage {
    frame: Frame,
    notes: Vec<Choice>,
    note: String,
}

/// `GET /methods/{note}`
pub(crate) async fn show(
    context: RequestContext,
    Path(name): Path<String>,
) -> Result<Response, PageError> {
    let (_, text) = NOTES.iter().find(|note| note.0 == name).ok_or(PageError::NotFound)?;
    page(&MethodPage {
        frame: Frame::apart(&context),
        notes: NOTES
            .iter()
            .map(|(each, text)| Choice {
                name: title(text).to_owned(),
                address: format!("/methods/{each}"),
                is_current: *each == name,
            })
            .collect(),
        note: rendered(text),
    })
}

/// The title of a note: its first line.
fn title(text: &str) -> &str {
    text.lines().next().unwrap_or("").trim_start_matches("# ")
}

/// A note as HTML. Its title stands below the page's question; links are left as text, since
/// not every document they lead to is served.
fn rendered(text: &str) -> String {
    let lower = |level| match level {
        HeadingLevel::H1 => HeadingLevel::H2,
        _ => HeadingLevel::H3,
    };
    let events = Parser::new_ext(text, Options::ENABLE_TABLES).filter_map(|event| match event {
        Event::Start(Tag::Heading { level, id, classes, attrs }) => {
            Some(Event::Start(Tag::Heading { level: lower(level), id, classes, attrs }))
        }
        Event::End(TagEnd::Heading(level)) => Some(Event::End(TagEnd::Heading(lower(level)))),
        Event::Start(Tag::Link { .. }) | Event::End(TagEnd::Link) => None,
        // The notes are ours and hold no markup; whatever looks like some is text.
        Event::Html(text) | Event::InlineHtml(text) => Some(Event::Text(text)),
        event => Some(event),
    });
    let mut note = String::new();
    html::push_html(&mut note, events);
    note
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_note_has_a_title_and_no_markup_of_its_own() {
        for (name, text) in NOTES {
            let note = rendered(text);
            assert!(note.starts_with(&format!("<h2>{}", title(text))), "{name}");
            assert!(!note.contains("<h1") && !note.contains("<script") && !note.contains("<a "));
        }
    }
}
