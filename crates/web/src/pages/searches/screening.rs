//! Which settings matter to a trial's worst target, to be searched with one tick.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{Answer, Question, Screened, ScreenedValue};
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::extract::Path;
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::ProgressPart;
use crate::pages::searches::typed::{VALUES_BETWEEN, value_words};
use crate::words;

#[derive(Template)]
#[template(path = "searches/screening.html")]
struct ScreeningPart {
    rows: Vec<Row>,
}

struct Row {
    name: String,
    now: String,
    values: Vec<Cell>,
    /// As the search's form sends it.
    key: String,
}

struct Cell {
    value: String,
    change: String,
    is_told: bool,
}

/// `GET /trials/{trial}/screening`
pub(crate) async fn screening(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let question = Question::Screening { inputs: Box::new(trial.inputs) };
    let (centre, by) = (context.centre.id, context.user.id);
    let address = format!("/trials/{id}/search");
    let kept = app.store.ask(centre, &question, &address, Some(by)).await?;
    match kept.answer {
        Some(Answer::Screening { settings }) => {
            page(&ScreeningPart { rows: settings.iter().map(row).collect() })
        }
        Some(_) => page(&ScreeningPart { rows: Vec::new() }),
        None => {
            page(&ProgressPart::of(&kept.run, &context).within(format!("/trials/{id}/screening")))
        }
    }
}

fn row(screened: &Screened) -> Row {
    let value_words = |value: f64| value_words(&screened.setting, value);
    let cell = |value: &ScreenedValue| Cell {
        value: value_words(value.value),
        change: format!(
            "{}{}",
            words::signed_one_decimal(100.0 * value.change),
            words::plus_minus(Some(value.half_width), 100.0)
        ),
        is_told: value.is_told(),
    };
    let values: Vec<String> =
        screened.values.iter().map(|value| value_words(value.value)).collect();
    Row {
        name: words::capitalised(&screened.name),
        now: value_words(screened.now),
        values: screened.values.iter().map(cell).collect(),
        key: format!("{}={}", screened.setting.key(), values.join(VALUES_BETWEEN)),
    }
}
