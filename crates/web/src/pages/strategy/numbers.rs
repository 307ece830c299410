//! The numbers of a strategy: who has which, what is set aside, and what is recorded.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_app::drafts::Opened;
use barometer_app::strategy_week;
use barometer_preflight::{Finding, Premises, Recorded, Rule, recorded};
use barometer_strategy::{Entry, NumberPlace, NumberPurpose, NumberRange, PartId, Strategy};

use super::change::{opened_at, save_edit};
use super::files::Uploaded;
use super::panel::FindingView;
use super::{OpenQuery, open, query_of, shown, which};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::exports;
use crate::extract::{Multipart, Query};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::words;

#[derive(Template)]
#[template(path = "strategy/numbers.html")]
struct NumbersPage {
    frame: Frame,
    answer: String,
    findings: Vec<FindingView>,
    rows: Vec<NumberRow>,
    ranges: Vec<RangeRow>,
    recordings: Vec<RecordingRow>,
    kept: String,
    /// What is open, as forms say it and as people do.
    based_on: String,
    shown: String,
    back: String,
    csv_address: String,
    import_address: String,
    change_address: String,
    wrong: Vec<String>,
    may_plan: bool,
}

struct NumberRow {
    kind: String,
    name: String,
    address: String,
    number: Option<String>,
    /// What is set for callers of the number.
    set: String,
}

struct RangeRow {
    name: String,
    address: String,
    from: String,
    until: String,
    /// Too long for a line of its table.
    is_long: bool,
    purpose: &'static str,
    used: String,
    next_free: String,
}

struct RecordingRow {
    line: String,
    address: String,
    share: String,
    is_announced: bool,
    keep_days: u32,
    a_day: String,
    bytes_a_day: String,
    kept: String,
}

/// `GET /strategy/numbers`
pub(crate) async fn numbers(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<OpenQuery>,
) -> Result<Response, PageError> {
    let opened = open(&app, &context, which(query.draft, query.version)).await?;
    page(&page_of(&app, &context, &opened, Vec::new()).await?)
}

/// `GET /strategy/numbers.csv`: everything that can have a number; also the template to fill in.
pub(crate) async fn numbers_csv(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<OpenQuery>,
) -> Result<Response, PageError> {
    let opened = open(&app, &context, which(query.draft, query.version)).await?;
    let text = opened.strategy.numbers_csv();
    Ok(exports::attachment("numbers.csv", "text/csv; charset=utf-8", text.into_bytes()))
}

/// `POST /strategy/numbers`: the numbers of a file, as an edit of the draft.
pub(crate) async fn import_numbers(
    State(app): State<App>,
    Planner(context): Planner,
    parts: Multipart,
) -> Result<Response, PageError> {
    let Uploaded { text, based_on, .. } = Uploaded::of(parts).await?;
    let opened = opened_at(&app, &context, &based_on).await?;
    match opened.strategy.edit_from_numbers_csv(&text) {
        Ok(edit) => save_edit(&app, &context, &opened, &edit, None).await,
        Err(wrong) => refused(&page_of(&app, &context, &opened, wrong).await?),
    }
}

async fn page_of(
    app: &App,
    context: &RequestContext,
    opened: &Opened,
    wrong: Vec<String>,
) -> Result<NumbersPage, PageError> {
    let (strategy, monday) = (&opened.strategy, context.monday());
    let week =
        strategy_week::check(&app.store, &context.centre, &opened.types, strategy, monday).await?;
    let is_told = |rule: Rule| rule.is_of_numbering() || rule == Rule::BlocksEverybody;
    let findings: Vec<&Finding> =
        week.findings.iter().filter(|finding| is_told(finding.rule)).collect();
    let of = query_of(opened);
    let back = format!("/strategy?day={}&{of}", context.day);
    let places = strategy.number_places();
    let (recordings, kept) = recordings(strategy, &week.premises, &back);
    Ok(NumbersPage {
        frame: Frame::of(context, Stage::Strategy, None),
        answer: answer(&places, findings.len()),
        findings: findings
            .into_iter()
            .map(|finding| FindingView::of(finding, strategy, &back))
            .collect(),
        rows: places
            .iter()
            .filter(|place| place.purpose.is_dialled())
            .map(|place| number_row(strategy, place, &back))
            .collect(),
        ranges: strategy
            .number_ranges
            .iter()
            .map(|range| range_row(strategy, range, &back))
            .collect(),
        recordings,
        kept,
        based_on: opened.basis.to_string(),
        shown: shown(opened),
        csv_address: format!("/strategy/numbers.csv?{of}"),
        import_address: format!("/strategy/numbers?day={}", context.day),
        change_address: format!("/strategy/change?day={}", context.day),
        back,
        wrong,
        may_plan: context.may_plan(),
    })
}

fn answer(places: &[NumberPlace], amiss: usize) -> String {
    let count = |purpose: NumberPurpose| {
        places.iter().filter(|place| place.purpose == purpose && place.number.is_some()).count()
    };
    let counted = |count: usize, one: &str, more: &str| match count {
        0 => format!("no {one}"),
        1 => format!("one {one}"),
        count => format!("{} {more}", words::count_word(count)),
    };
    let entries = counted(count(NumberPurpose::Entries), "entry", "entries");
    let lines =
        counted(count(NumberPurpose::Lines), "queue or hunt group", "queues and hunt groups");
    let people = counted(count(NumberPurpose::People), "agent", "agents");
    let amiss = match amiss {
        0 => "Nothing is wrong with them.".to_owned(),
        1 => "Preflight finds one fault in them.".to_owned(),
        count => format!("Preflight finds {} faults in them.", words::count_word(count)),
    };
    let sentence = format!("{entries}, {lines} and {people} have a number of their own. {amiss}");
    words::capitalised(&sentence)
}

fn number_row(strategy: &Strategy, place: &NumberPlace, back: &str) -> NumberRow {
    NumberRow {
        kind: words::capitalised(place.kind),
        name: place.name.clone(),
        address: format!("{back}&part={}", place.part),
        number: place.number.clone(),
        set: match &place.part {
            PartId::Entry(at) => set_for(strategy, &strategy.entries[*at]),
            PartId::Team(_) => at_port(strategy, &place.name),
            _ => String::new(),
        },
    }
}

/// Where an agent's telephone is: "port 101".
fn at_port(strategy: &Strategy, agent: &str) -> String {
    let mut agents = strategy.teams.iter().flat_map(|team| &team.agents);
    let port = agents.find(|each| each.name == agent).and_then(|each| each.port.as_ref());
    port.map(|port| format!("port {port}")).unwrap_or_default()
}

/// What callers of a number get beside the way: "hears “Storm notice”; label storm; speaks de; blocks +4470*".
fn set_for(strategy: &Strategy, entry: &Entry) -> String {
    let told = entry.announcement.as_ref().map(|id| {
        let name = strategy.step(id).map_or(id.as_str(), |step| step.name.as_str());
        format!("hears “{name}”")
    });
    let label = entry.label.as_ref().map(|label| format!("label “{label}”"));
    let language = entry.language.as_ref().map(|language| format!("speaks {language}"));
    let blocked =
        (!entry.blocked.is_empty()).then(|| format!("blocks {}", entry.blocked.join(", ")));
    [told, label, language, blocked].into_iter().flatten().collect::<Vec<_>>().join("; ")
}

fn range_row(strategy: &Strategy, range: &NumberRange, back: &str) -> RangeRow {
    let in_use = strategy.use_of(range);
    RangeRow {
        name: range.name.clone(),
        address: format!("{back}&part=range.{}", range.id),
        from: range.from.clone(),
        until: range.until.clone(),
        is_long: range.from.len() > 8,
        purpose: range.purpose.words(),
        used: format!("{} of {}", in_use.used, words::thousands(range.count() as f64)),
        next_free: in_use.next_free.unwrap_or_else(|| "none".to_owned()),
    }
}

/// What is recorded at each line, and what all of it takes.
fn recordings(strategy: &Strategy, premises: &Premises, back: &str) -> (Vec<RecordingRow>, String) {
    let recorded = recorded(strategy, premises);
    let kept: f64 = recorded.iter().map(Recorded::kept_bytes).sum();
    let row = |each: &Recorded| {
        let step = &strategy.steps[each.at];
        RecordingRow {
            line: step.name.clone(),
            address: format!("{back}&part=step.{}", step.id),
            share: words::percent(each.recording.share),
            is_announced: each.recording.is_announced,
            keep_days: each.recording.keep_days,
            a_day: words::thousands(each.a_day),
            bytes_a_day: words::bytes(each.bytes_a_day),
            kept: words::bytes(each.kept_bytes()),
        }
    };
    (recorded.iter().map(row).collect(), words::bytes(kept))
}
