//! The people of a strategy: who has which skill, which queues they match, what another level would leave.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_app::drafts::Opened;
use barometer_app::strategy_week;
use barometer_preflight::Premises;
use barometer_strategy::{Person, StepKind, WantedSkill};

use super::change::{opened_at, save_edit};
use super::files::Uploaded;
use super::{OpenQuery, open, query_of, shown, which};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::exports::{self, Cell};
use crate::extract::{Multipart, Query};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::words;

#[derive(Template)]
#[template(path = "strategy/people.html")]
struct PeoplePage {
    frame: Frame,
    answer: String,
    /// What is open, as forms say it and as people do.
    based_on: String,
    shown: String,
    back: String,
    csv_address: String,
    xlsx_address: String,
    import_address: String,
    skills: Vec<String>,
    rows: Vec<PersonRow>,
    queues: Vec<QueueRow>,
    levels: Vec<LevelRow>,
    /// How many seats and licences the planned week takes.
    room: String,
    lines_address: Option<String>,
    told: Vec<ToldRow>,
    wrong: Vec<String>,
    may_plan: bool,
}

struct PersonRow {
    name: String,
    team: String,
    address: String,
    /// What stands in each skill's cell.
    cells: Vec<String>,
}

struct QueueRow {
    name: String,
    address: String,
    asks: String,
    teams: String,
    named: String,
    /// Whether all hangs on one person.
    is_only_one: bool,
}

/// Something that people are told of.
struct ToldRow {
    what: String,
    address: String,
    whom: String,
}

struct LevelRow {
    queue: String,
    skill: String,
    /// Agents left at the levels 1 to 10, and whether that level is asked for now.
    left: Vec<(usize, bool)>,
}

/// `GET /strategy/people`
pub(crate) async fn people(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<OpenQuery>,
) -> Result<Response, PageError> {
    let opened = open(&app, &context, which(query.draft, query.version)).await?;
    page(&page_of(&app, &context, &opened, Vec::new()).await?)
}

/// `GET /strategy/people.csv`: named agents and their skills; also the template to fill in.
pub(crate) async fn people_csv(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<OpenQuery>,
) -> Result<Response, PageError> {
    let opened = open(&app, &context, which(query.draft, query.version)).await?;
    let text = opened.strategy.people_csv();
    Ok(exports::attachment("people.csv", "text/csv; charset=utf-8", text.into_bytes()))
}

/// `GET /strategy/people.xlsx`: the same as a workbook.
pub(crate) async fn people_xlsx(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<OpenQuery>,
) -> Result<Response, PageError> {
    let opened = open(&app, &context, which(query.draft, query.version)).await?;
    let mut rows = opened.strategy.people_table().into_iter();
    let heading = rows.next().unwrap_or_default();
    let heading: Vec<&str> = heading.iter().map(String::as_str).collect();
    let cells = rows.map(|row| row.into_iter().map(Cell::Text).collect()).collect();
    exports::xlsx("people.xlsx", &heading, cells)
}

/// `POST /strategy/people`: the named agents of a CSV file, as an edit of the draft.
pub(crate) async fn import_people(
    State(app): State<App>,
    Planner(context): Planner,
    parts: Multipart,
) -> Result<Response, PageError> {
    let Uploaded { text, based_on, .. } = Uploaded::of(parts).await?;
    let opened = opened_at(&app, &context, &based_on).await?;
    match opened.strategy.edit_from_people_csv(&text) {
        Ok(edit) => save_edit(&app, &context, &opened, &edit, None).await,
        Err(wrong) => refused(&page_of(&app, &context, &opened, wrong).await?),
    }
}

async fn page_of(
    app: &App,
    context: &RequestContext,
    opened: &Opened,
    wrong: Vec<String>,
) -> Result<PeoplePage, PageError> {
    let (strategy, centre, monday) = (&opened.strategy, &context.centre, context.monday());
    let (premises, told) = tokio::try_join!(
        async {
            let types = &opened.types;
            let week = strategy_week::premises(&app.store, centre, types, strategy, monday).await?;
            Ok::<_, PageError>(week)
        },
        told_rows(app, context),
    )?;
    let of = query_of(opened);
    let back = format!("/strategy?day={}&{of}", context.day);
    let people = strategy.people();
    // A skill that only whole teams have would be an empty column.
    let is_had = |name: &String| people.iter().any(|person| person.skill(name).is_some());
    let skills: Vec<String> = strategy.skills().into_iter().filter(is_had).collect();
    let row = |person: &Person| PersonRow {
        name: person.name.clone(),
        team: person.team_name.clone(),
        address: format!("{back}&part=team.{}", person.team),
        cells: skills
            .iter()
            .map(|name| match person.skill(name).map(|skill| skill.level) {
                None => String::new(),
                Some(None) => "yes".to_owned(),
                Some(Some(level)) => level.to_string(),
            })
            .collect(),
    };
    let queues: Vec<QueueRow> = queue_rows(opened, &people, &back);
    let levels = strategy.steps.iter().flat_map(|step| {
        strategy.levels_left(step).into_iter().map(|levels| LevelRow {
            queue: step.name.clone(),
            skill: levels.skill,
            left: (1..=10)
                .zip(levels.left)
                .map(|(level, left)| (left, levels.at_least == Some(level)))
                .collect(),
        })
    });
    let first_type = opened.types.first().map(|each| each.id);
    Ok(PeoplePage {
        room: room(&premises),
        lines_address: first_type.map(|id| format!("/staffing/{id}/lines?day={}", context.day)),
        told,
        frame: Frame::of(context, Stage::Strategy, None),
        answer: answer(&people, &queues),
        based_on: opened.basis.to_string(),
        shown: shown(opened),
        csv_address: format!("/strategy/people.csv?{of}"),
        xlsx_address: format!("/strategy/people.xlsx?{of}"),
        import_address: format!("/strategy/people?day={}", context.day),
        rows: people.iter().map(row).collect(),
        queues,
        levels: levels.collect(),
        back,
        skills,
        wrong,
        may_plan: context.may_plan(),
    })
}

/// "At most 94 people are on shift at once, on Friday at 10:00: 94 of 120 seats, 94 of 100 licences."
fn room(premises: &Premises) -> String {
    let Some((at, people)) = premises.most_on_shift() else {
        return "Nobody is planned in this week.".to_owned();
    };
    let of = |count: Option<u32>, what: &str| match count {
        Some(count) => format!("{people} of {count} {what}"),
        None => format!("how many {what} there are is not known"),
    };
    format!(
        "At most {} on shift at once, on {}: {}, {}.",
        if people == 1 { "1 person is".to_owned() } else { format!("{people} people are") },
        premises.clock(at).strftime("%A at %H:%M"),
        of(premises.seats, "seats"),
        of(premises.licences, "licences")
    )
}

/// Alarms and reports, with those who are told of them.
async fn told_rows(app: &App, context: &RequestContext) -> Result<Vec<ToldRow>, PageError> {
    let centre = context.centre.id;
    let (alarms, reports, schedules) = tokio::try_join!(
        app.store.alarms(centre),
        app.store.reports(centre),
        app.store.schedules_of_centre(centre)
    )?;
    let alarms = alarms.into_iter().filter(|alarm| alarm.is_on).map(|alarm| {
        let written = alarm.rule.recipients();
        ToldRow {
            what: format!("Alarm: {}", alarm.rule.sentence()),
            address: "/watch/alarms".to_owned(),
            whom: match written.as_str() {
                "" => "everybody who has a board open".to_owned(),
                written => format!("everybody who has a board open; {written}"),
            },
        }
    });
    let schedules = schedules.into_iter().filter(|schedule| schedule.is_on);
    let schedules = schedules.filter_map(|schedule| {
        let report = reports.iter().find(|report| report.id == schedule.report)?;
        Some(ToldRow {
            what: format!("Report: {}, {}", report.definition.title, schedule.timing.words()),
            address: format!("/reports/{}/made", report.id),
            whom: words::listing(&schedule.sending.recipients()),
        })
    });
    Ok(alarms.chain(schedules).collect())
}

fn answer(people: &[Person], queues: &[QueueRow]) -> String {
    let carried: Vec<String> = queues
        .iter()
        .filter(|queue| queue.is_only_one)
        .map(|queue| format!("“{}”", queue.name))
        .collect();
    let named = match people.len() {
        0 => "No agent is named yet".to_owned(),
        1 => "One agent is named".to_owned(),
        count => format!("{count} agents are named"),
    };
    let hangs = match carried.as_slice() {
        [] => "No queue hangs on one person.".to_owned(),
        carried => format!("{} hangs on one person.", words::listing(carried)),
    };
    format!("{named}. {hangs}")
}

fn queue_rows(opened: &Opened, people: &[Person], back: &str) -> Vec<QueueRow> {
    let strategy = &opened.strategy;
    let asked = |wanted: &WantedSkill| match wanted.at_least {
        Some(level) => format!("{} {level} or more", wanted.skill),
        None => wanted.skill.clone(),
    };
    let row = |step: &barometer_strategy::Step| {
        let StepKind::Queue(queue) = &step.does else { return None };
        let wanted = &queue.need.skills;
        let teams = strategy
            .teams
            .iter()
            .filter(|team| wanted.iter().all(|wanted| wanted.is_met_by(&team.skills)));
        let teams: Vec<&str> = teams.map(|team| team.name.as_str()).collect();
        let named: Vec<&Person> = people.iter().filter(|person| person.has_all(wanted)).collect();
        Some(QueueRow {
            name: step.name.clone(),
            address: format!("{back}&part=step.{}", step.id),
            asks: match wanted.as_slice() {
                [] => "nothing".to_owned(),
                wanted => wanted.iter().map(asked).collect::<Vec<_>>().join(", "),
            },
            is_only_one: teams.is_empty() && named.len() == 1,
            named: match named.as_slice() {
                [] => "nobody by name".to_owned(),
                [only] => only.name.clone(),
                [first, second] => format!("{}, {}", first.name, second.name),
                several => format!("{} and {} more", several[0].name, several.len() - 1),
            },
            teams: if teams.is_empty() { "no whole team".to_owned() } else { teams.join(", ") },
        })
    };
    strategy.steps.iter().filter_map(row).collect()
}
