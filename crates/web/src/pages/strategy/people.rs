//! The people of a strategy: who has which skill, which queues they match, what another level would leave.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_app::drafts::Opened;
use barometer_strategy::{Person, StepKind, WantedSkill};

use super::change::{opened_at, save_edit};
use super::files::Uploaded;
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
#[template(path = "strategy/people.html")]
struct PeoplePage {
    frame: Frame,
    answer: String,
    /// What is open, as forms say it and as people do.
    based_on: String,
    shown: String,
    back: String,
    csv_address: String,
    import_address: String,
    skills: Vec<String>,
    rows: Vec<PersonRow>,
    queues: Vec<QueueRow>,
    levels: Vec<LevelRow>,
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
    page(&page_of(&context, &opened, Vec::new()))
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

/// `POST /strategy/people`: the named agents of a CSV file, as an edit of the draft.
pub(crate) async fn import_people(
    State(app): State<App>,
    Planner(context): Planner,
    parts: Multipart,
) -> Result<Response, PageError> {
    let Uploaded { text, based_on } = Uploaded::of(parts).await?;
    let opened = opened_at(&app, &context, &based_on).await?;
    match opened.strategy.edit_from_people_csv(&text) {
        Ok(edit) => save_edit(&app, &context, &opened, &edit, None).await,
        Err(wrong) => refused(&page_of(&context, &opened, wrong)),
    }
}

fn page_of(context: &RequestContext, opened: &Opened, wrong: Vec<String>) -> PeoplePage {
    let strategy = &opened.strategy;
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
    PeoplePage {
        frame: Frame::of(context, Stage::Strategy, None),
        answer: answer(&people, &queues),
        based_on: opened.basis.to_string(),
        shown: shown(opened),
        csv_address: format!("/strategy/people.csv?{of}"),
        import_address: format!("/strategy/people?day={}", context.day),
        rows: people.iter().map(row).collect(),
        queues,
        levels: levels.collect(),
        back,
        skills,
        wrong,
        may_plan: context.may_plan(),
    }
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
