//! Boards that planners arrange of tiles: shown, on the wall too, arranged, saved and removed.

use askama::Template;
use axum::extract::State;
use axum::response::{Html, IntoResponse, Redirect, Response};
use barometer_app::live::View;
use barometer_intake::MOST_NAME_CHARS;
use barometer_plan::{BoardFigure, BoardLayout, BoardSubject, MOST_TILES, Shows, Tile};
use barometer_store::{Board, Centre, Edited, StoreError};
use barometer_wire::SwitchState;
use serde::Deserialize;
use uuid::Uuid;

use super::alarms::ring_rows;
use super::board::{BoardQuery, MOST_RINGS, outlook_of, speed_word, trouble_of};
use super::tiles::{self, RingLine, TileView};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::edited;
use crate::extract::{Form, Path, Query};
use crate::forms::FormErrors;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::words;

/// A link to a board.
pub(super) struct BoardLink {
    pub name: String,
    pub address: String,
    pub is_current: bool,
}

/// The links above a board: the whole day, then the planners' own.
pub(super) async fn links(
    app: &App,
    context: &RequestContext,
    current: Option<Uuid>,
) -> Result<Vec<BoardLink>, PageError> {
    let boards = app.store.boards(context.centre.id).await?;
    let whole = BoardLink {
        name: "The whole day".to_owned(),
        address: "/watch".to_owned(),
        is_current: current.is_none(),
    };
    let own = boards.into_iter().map(|board| BoardLink {
        address: address(board.id),
        is_current: current == Some(board.id),
        name: board.name,
    });
    Ok(std::iter::once(whole).chain(own).collect())
}

fn address(board: Uuid) -> String {
    format!("/watch/boards/{board}")
}

#[derive(Template)]
#[template(path = "watch/own_board.html")]
struct OwnBoardPage {
    frame: Frame,
    tab: &'static str,
    links: Vec<BoardLink>,
    name: String,
    address: String,
    is_wall: bool,
    is_there: bool,
    board: String,
}

#[derive(Template)]
#[template(path = "watch/own_board_part.html")]
struct OwnBoardPart {
    clock: String,
    speed: String,
    trouble: Option<String>,
    tiles: Vec<TileView>,
}

/// `GET /watch/boards/{board}`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<BoardQuery>,
) -> Result<Response, PageError> {
    let board = app.store.board(context.centre.id, id).await?;
    let view = app.live.view().borrow().clone();
    page(&OwnBoardPage {
        frame: Frame::of(&context, Stage::Watch, None),
        tab: "board",
        links: links(&app, &context, Some(id)).await?,
        name: board.name.clone(),
        address: address(id),
        is_wall: query.wall.is_some(),
        is_there: app.live.is_there(),
        board: draw(&app, &context.centre, &view, &board.layout).await?,
    })
}

/// The part of a board that changes.
pub(super) async fn draw(
    app: &App,
    centre: &Centre,
    view: &View,
    layout: &BoardLayout,
) -> Result<String, PageError> {
    let Some(state) = view.state.clone() else {
        let nothing = "Nothing has been heard from the telephone switch yet.".to_owned();
        let (clock, speed) = (String::new(), String::new());
        let trouble = view.trouble.clone().or(Some(nothing));
        return Ok(OwnBoardPart { clock, speed, trouble, tiles: Vec::new() }.render()?);
    };
    let (outlook, unplanned) = outlook_of(app, centre).await?;
    let mut rings = Vec::new();
    if layout.tiles.iter().any(|tile| tile.shows == Shows::Alarms) {
        let mut ringing = app.store.rings(centre.id, MOST_RINGS).await?;
        ringing.retain(|ring| ring.cleared_at.is_none());
        rings.extend(ring_rows(ringing, &centre.zone).into_iter().map(RingLine::from));
    }
    let part = OwnBoardPart {
        clock: centre.zone.to_datetime(state.clock.now).strftime("%H:%M:%S").to_string(),
        speed: speed_word(&state),
        trouble: trouble_of(view, unplanned),
        tiles: tiles::views(layout, &state, outlook.as_deref(), &rings, &centre.zone),
    };
    Ok(part.render()?)
}

#[derive(Template)]
#[template(path = "watch/board_edit.html")]
struct EditPage {
    frame: Frame,
    tab: &'static str,
    /// The address that saves; that of the board, or of boards for a new one.
    action: String,
    /// Where who gives up goes.
    back: String,
    is_new: bool,
    name: String,
    based_on: String,
    arranged: String,
    figures: Vec<(&'static str, Vec<(String, String)>)>,
    things: Vec<(&'static str, Vec<(String, String)>)>,
    wrong: FormErrors,
}

#[derive(Template)]
#[template(path = "watch/board_arranged.html")]
struct ArrangedPart {
    rows: Vec<ArrangedRow>,
    tiles: Vec<TileView>,
    wrong: FormErrors,
}

/// A tile in the list of a board that is arranged.
struct ArrangedRow {
    words: String,
    /// The tile as the form sends it back.
    json: String,
}

/// The form in which a board is arranged.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct BoardForm {
    #[serde(default)]
    name: String,
    #[serde(default)]
    based_on: String,
    #[serde(default)]
    tile: Vec<String>,
    /// The figure of a tile to be added, `strip` or `alarms`.
    #[serde(default)]
    figure: String,
    /// Whose: the kind and the key, as `teams:desk`.
    #[serde(default)]
    of: String,
    #[serde(default)]
    wide: String,
    /// `add`, or nothing.
    #[serde(default)]
    act: String,
    /// The place of a tile that goes.
    #[serde(default)]
    drop: String,
}

impl BoardForm {
    fn layout(&self) -> Result<BoardLayout, PageError> {
        let read = |json: &String| serde_json::from_str::<Tile>(json);
        let tiles: Result<Vec<Tile>, _> = self.tile.iter().map(read).collect();
        let tiles = tiles.map_err(|error| {
            PageError::Refused(format!("Nothing was saved: a tile cannot be read ({error})."))
        })?;
        Ok(BoardLayout { tiles })
    }

    /// The tile that is to be added, or why it cannot be.
    fn added(&self) -> Result<Tile, FormErrors> {
        let is_wide = self.wide == "yes";
        let (subject, of) = self.of.split_once(':').unwrap_or(("", ""));
        if self.figure == "alarms" {
            return Ok(Tile { shows: Shows::Alarms, is_wide });
        }
        let wanted = match BoardFigure::of_key(&self.figure) {
            Some(figure) => figure.subject(),
            None if self.figure == "strip" => BoardSubject::ContactType,
            None => return Err(FormErrors::of("figure", "Choose what the tile shows.")),
        };
        if of.is_empty() || subject != wanted.words() {
            let message = format!("This is a figure of {}: choose one of them.", wanted.words());
            return Err(FormErrors::of("of", message));
        }
        let of = of.to_owned();
        let shows = match BoardFigure::of_key(&self.figure) {
            Some(figure) => Shows::Figure { figure, of },
            None => Shows::Strip { contact_type: of },
        };
        Ok(Tile { shows, is_wide })
    }
}

/// `GET /watch/boards/new`
pub(crate) async fn begin(
    State(app): State<App>,
    Planner(context): Planner,
) -> Result<Response, PageError> {
    let form = BoardForm { based_on: "0".to_owned(), ..BoardForm::default() };
    page(&edit_page(&app, &context, None, form, FormErrors::default()).await?)
}

/// `GET /watch/boards/{board}/edit`
pub(crate) async fn edit(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let based_on = app.store.version_of(Edited::Board(id)).await?.to_string();
    let board = app.store.board(context.centre.id, id).await?;
    let form = BoardForm { based_on, ..form_of(&board)? };
    page(&edit_page(&app, &context, Some(id), form, FormErrors::default()).await?)
}

fn form_of(board: &Board) -> Result<BoardForm, PageError> {
    let tile: Result<Vec<String>, PageError> = board.layout.tiles.iter().map(sent).collect();
    Ok(BoardForm { name: board.name.clone(), tile: tile?, ..BoardForm::default() })
}

/// A tile as a form sends it back.
fn sent(tile: &Tile) -> Result<String, PageError> {
    serde_json::to_string(tile).map_err(|error| PageError::Internal(Box::new(error)))
}

/// `POST /watch/boards/arranged`: the tiles as they stand in the form, with one more, one fewer, or in another order.
/// Nothing is saved.
pub(crate) async fn arrange(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<BoardForm>,
) -> Result<Response, PageError> {
    let mut layout = form.layout()?;
    let mut wrong = FormErrors::default();
    if let Some(place) = form.drop.parse().ok().filter(|place| *place < layout.tiles.len()) {
        layout.tiles.remove(place);
    }
    if form.act == "add" {
        match form.added() {
            Ok(_) if layout.tiles.len() >= MOST_TILES => {
                wrong.note("figure", format!("A board has up to {MOST_TILES} tiles."));
            }
            Ok(tile) => layout.tiles.push(tile),
            Err(of_tile) => wrong = of_tile,
        }
    }
    Ok(Html(arranged(&app, &context, &layout, wrong).await?).into_response())
}

/// `POST /watch/boards`
pub(crate) async fn add(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<BoardForm>,
) -> Result<Response, PageError> {
    keep(&app, &context, None, form).await
}

/// `POST /watch/boards/{board}`
pub(crate) async fn save(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(form): Form<BoardForm>,
) -> Result<Response, PageError> {
    keep(&app, &context, Some(id), form).await
}

/// `POST /watch/boards/{board}/remove`
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.remove_board(context.centre.id, id).await?;
    Ok(Redirect::to("/watch").into_response())
}

async fn keep(
    app: &App,
    context: &RequestContext,
    board: Option<Uuid>,
    mut form: BoardForm,
) -> Result<Response, PageError> {
    let layout = form.layout()?;
    let name = form.name.trim().to_owned();
    let mut wrong = FormErrors::default();
    if name.is_empty() || name.chars().count() > MOST_NAME_CHARS {
        wrong.note("name", format!("Write a name of up to {MOST_NAME_CHARS} characters."));
    }
    if layout.tiles.is_empty() {
        wrong.note("figure", "Add a tile first.");
    }
    if layout.tiles.len() > MOST_TILES {
        wrong.note("figure", format!("A board has up to {MOST_TILES} tiles."));
    }
    if !wrong.is_empty() {
        return refused(&edit_page(app, context, board, form, wrong).await?);
    }
    let centre = context.centre.id;
    let kept = match board {
        None => app.store.add_board(centre, &name, &layout, Some(context.user.id)).await,
        Some(id) => {
            let save = edited::save(context, &form.based_on);
            app.store.change_board((centre, id), &name, &layout, save).await.map(|()| id)
        }
    };
    match kept {
        Ok(id) => return Ok(Redirect::to(&address(id)).into_response()),
        Err(StoreError::Taken) => wrong.note("name", "Another board has this name."),
        Err(StoreError::SavedMeanwhile(first)) => {
            if let Some(id) = board {
                form.based_on = app.store.version_of(Edited::Board(id)).await?.to_string();
            }
            wrong.note("based_on", edited::meanwhile(&first, context, &[]));
        }
        Err(error) => return Err(error.into()),
    }
    refused(&edit_page(app, context, board, form, wrong).await?)
}

async fn edit_page(
    app: &App,
    context: &RequestContext,
    board: Option<Uuid>,
    form: BoardForm,
    wrong: FormErrors,
) -> Result<EditPage, PageError> {
    let layout = form.layout()?;
    let state = app.live.view().borrow().state.clone();
    let types = app.store.contact_types(context.centre.id).await?;
    let names = |subject: BoardSubject| -> Vec<(String, String)> {
        match (subject, &state) {
            (BoardSubject::ContactType, _) => {
                types.iter().map(|each| (each.name.clone(), each.name.clone())).collect()
            }
            (_, None) => Vec::new(),
            (BoardSubject::Queue, Some(state)) => {
                state.queues.iter().map(|each| (each.step.clone(), each.name.clone())).collect()
            }
            (BoardSubject::Team, Some(state)) => {
                state.teams.iter().map(|each| (each.team.clone(), each.name.clone())).collect()
            }
            (BoardSubject::Campaign, Some(state)) => {
                let campaigns = state.campaigns.iter();
                campaigns.map(|each| (each.campaign.clone(), each.name.clone())).collect()
            }
        }
    };
    let things = BoardSubject::ALL.into_iter().map(|subject| {
        let named = names(subject).into_iter();
        let value = |(id, name): (String, String)| (format!("{}:{id}", subject.words()), name);
        (subject.words(), named.map(value).collect())
    });
    let figures = BoardSubject::ALL.into_iter().map(|subject| {
        let of = BoardFigure::ALL.into_iter().filter(|each| each.subject() == subject);
        let named = of.map(|each| (each.key(), words::capitalised(each.words())));
        (subject.words(), named.collect())
    });
    let own = board.map(address);
    let no_tile_wrong = FormErrors::default();
    Ok(EditPage {
        frame: Frame::of(context, Stage::Watch, None),
        tab: "board",
        action: own.clone().unwrap_or_else(|| "/watch/boards".to_owned()),
        back: own.unwrap_or_else(|| "/watch".to_owned()),
        is_new: board.is_none(),
        arranged: arranged(app, context, &layout, no_tile_wrong).await?,
        figures: figures.collect(),
        things: things.filter(|(_, named): &(_, Vec<_>)| !named.is_empty()).collect(),
        name: form.name,
        based_on: form.based_on,
        wrong,
    })
}

async fn arranged(
    app: &App,
    context: &RequestContext,
    layout: &BoardLayout,
    wrong: FormErrors,
) -> Result<String, PageError> {
    let state = app.live.view().borrow().state.clone();
    let rows: Result<Vec<ArrangedRow>, PageError> = layout
        .tiles
        .iter()
        .map(|tile| {
            Ok(ArrangedRow { words: tile_words(tile, state.as_deref()), json: sent(tile)? })
        })
        .collect();
    let tiles = match &state {
        None => Vec::new(),
        Some(state) => {
            let (outlook, _) = outlook_of(app, &context.centre).await?;
            tiles::views(layout, state, outlook.as_deref(), &[], &context.centre.zone)
        }
    };
    Ok(ArrangedPart { rows: rows?, tiles, wrong }.render()?)
}

/// "Bookings: waiting".
fn tile_words(tile: &Tile, state: Option<&SwitchState>) -> String {
    let shows = match &tile.shows {
        Shows::Alarms => "Alarms that ring".to_owned(),
        Shows::Strip { contact_type } => format!("{contact_type}: pressure, opening to close"),
        Shows::Figure { figure, of } => {
            format!("{}: {}", tiles::name_of(state, *figure, of), figure.words())
        }
    };
    if tile.is_wide { format!("{shows}, wide") } else { shows }
}
