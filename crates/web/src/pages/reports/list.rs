//! The reports of the centre, and the ready-made ones.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_report::Ready;
use futures_util::future::try_join_all;

use super::sections;
use crate::App;
use crate::access::RequestContext;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

#[derive(Template)]
#[template(path = "reports/list.html")]
struct ListPage {
    frame: Frame,
    tab: &'static str,
    answer: String,
    reports: Vec<ReportRow>,
    ready: Vec<ReadyRow>,
}

struct ReportRow {
    address: String,
    title: String,
    period: String,
    sections: String,
    schedule: String,
    last: String,
    by: String,
}

struct ReadyRow {
    key: &'static str,
    title: &'static str,
    purpose: &'static str,
    period: String,
}

/// `GET /reports`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
) -> Result<Response, PageError> {
    let reports = app.store.reports(context.centre.id).await?;
    let zone = &context.centre.zone;
    let rows = reports.into_iter().map(|report| {
        let store = &app.store;
        async move {
            let (schedules, latest) =
                tokio::try_join!(store.report_schedules(report.id), store.editions(report.id, 1))?;
            let on: Vec<String> = schedules
                .iter()
                .filter(|schedule| schedule.is_on)
                .map(|schedule| schedule.timing.words())
                .collect();
            Ok::<_, PageError>(ReportRow {
                address: format!("/reports/{}", report.id),
                title: report.definition.title.clone(),
                period: words::capitalised(&report.definition.period.words()),
                sections: sections(&report.definition),
                schedule: if on.is_empty() {
                    words::NONE.to_owned()
                } else {
                    words::capitalised(&on.join("; "))
                },
                last: latest.first().map_or_else(
                    || words::NONE.to_owned(),
                    |made| words::moment(made.due_at, zone),
                ),
                by: report.created_by.unwrap_or_else(|| words::NONE.to_owned()),
            })
        }
    });
    let rows = try_join_all(rows).await?;
    let scheduled = rows.iter().filter(|row| row.schedule != words::NONE).count();
    page(&ListPage {
        frame: Frame::of(&context, Stage::Watch, None),
        tab: "reports",
        answer: answer(rows.len(), scheduled),
        reports: rows,
        ready: Ready::ALL
            .iter()
            .map(|ready| ReadyRow {
                key: ready.key,
                title: ready.title,
                purpose: ready.purpose,
                period: ready.definition().period.words(),
            })
            .collect(),
    })
}

fn answer(reports: usize, scheduled: usize) -> String {
    match (reports, scheduled) {
        (0, _) => {
            "No report is kept yet. Open a ready-made one below, or save it as your own.".to_owned()
        }
        (1, 0) => "One report is kept; it is made when somebody opens it.".to_owned(),
        (1, _) => "One report is kept, and it is made and sent by itself.".to_owned(),
        (reports, scheduled) => format!(
            "{} reports are kept; {} made and sent by themselves.",
            words::capitalised(&words::count_word(reports)),
            match scheduled {
                0 => "none is".to_owned(),
                1 => "one is".to_owned(),
                all if all == reports => "all of them are".to_owned(),
                some => format!("{} are", words::count_word(some)),
            }
        ),
    }
}
