//! The pages: routes, view models, templates, static files. No rules of the job, no SQL.
//!
//! [`router`] is the whole application as a function of its [`App`]; tests and `main` build the same.
//! A handler parses, asks the store and the core, builds a view model and renders it; a [`RequestContext`]
//! in its arguments means that the visitor is signed in, a `Planner` or an `Approver` that they may.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod access;
mod access_log;
mod api;
mod assets;
mod charts;
mod edited;
mod exports;
mod extract;
mod forms;
mod frame;
mod holding_words;
mod once;
mod operator;
mod page_error;
mod pages;
mod pressure_scale;
mod schema_form;
mod security;
mod strip;
mod to_the_end;
mod words;

use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::middleware::{from_fn, from_fn_with_state};
use axum::routing::{get, post, put};
use barometer_app::live::Live;
use barometer_app::sign_in::Attempts;
use barometer_store::Store;
use barometer_wire::centre::paths;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::timeout::RequestBodyTimeoutLayer;

pub use pages::sign_in::{DEMO_USERS, DemoUser};

use pages::demand::import::{columns, sent};
use pages::demand::{cleaning, frozen, overlays, special_days};
pub use pages::strategy::journey_map;
use pages::strategy::{expectations, lists};
use pages::{
    comparisons, demand, go_live, methods, outlook, people, progress, reports, searches,
    second_factor, server, sign_in, staffing, strategy, tokens, trail, trials, watch,
};

/// What the pages work on.
#[derive(Clone, Debug)]
pub struct App {
    /// The database.
    pub store: Store,
    /// Settings of this server.
    pub settings: Settings,
    /// Failed attempts to sign in.
    pub attempts: Arc<Attempts>,
    /// The telephone switch.
    pub live: Live,
    /// Its board as it was drawn last.
    pub(crate) drawn: watch::Drawn,
    /// What is counted for a monitor.
    pub(crate) metrics: operator::Metrics,
}

impl App {
    /// An application on a database.
    pub fn new(store: Store, settings: Settings, live: Live) -> Self {
        Self {
            store,
            settings,
            attempts: Arc::default(),
            live,
            drawn: watch::Drawn::default(),
            metrics: operator::Metrics::default(),
        }
    }
}

/// Settings of a server.
#[derive(Clone, Debug)]
pub struct Settings {
    /// Shows the demo users with their passwords on the sign-in page.
    pub demo: bool,
    /// The server is reached over HTTPS only: cookies are marked so.
    pub https: bool,
    /// Minutes without a request after which people sign in again.
    pub idle_minutes: u32,
    /// Administrators need a second factor for what only they may do.
    pub administrators_need_second_factor: bool,
    /// Uploads larger than this, in MB, are refused while they stream in.
    pub upload_limit_mb: usize,
    /// What a monitor has to show for figures; without one they are for this machine alone.
    pub metrics_token: Option<String>,
    /// Whether every request is logged.
    pub access_log: bool,
}

/// The longest pause in the body of a request.
const LONGEST_PAUSE: Duration = Duration::from_secs(30);
/// Bytes of a file of single contacts, a quarter of a million of them, and of one of past calls, at most.
const MOST_CONTACTS_BYTES: usize = 16 << 20;
const MOST_CALLS_BYTES: usize = 8 << 20;

/// The application.
pub fn router(app: App) -> Router {
    let pages = Router::new()
        .route("/", get(outlook::show))
        .route("/reading", get(outlook::reading))
        .route("/outlook/days", get(outlook::days))
        .route("/demand", get(demand::list::show))
        .route(
            "/demand/import",
            get(demand::import::form)
                .post(demand::import::upload)
                .layer(DefaultBodyLimit::disable()),
        )
        .route("/demand/import/example.csv", get(demand::import::example))
        .route("/demand/import/{import}", get(demand::import::preview))
        .route("/demand/import/{import}/columns", get(columns::show).post(columns::choose))
        .route("/demand/import/{import}/undo", post(demand::import::undo))
        .route("/demand/import/{import}/confirm", post(demand::import::confirm))
        .route("/demand/import/{import}/discard", post(demand::import::discard))
        .route("/demand/forecast-all", post(demand::runs::start))
        .route("/demand/like", post(demand::list::add_like))
        .route("/demand/special-days", get(special_days::show).post(special_days::add))
        .route("/demand/special-days/found", post(special_days::add_found))
        .route("/demand/special-days/import", post(special_days::import))
        .route("/demand/special-days/{entry}/remove", post(special_days::remove))
        .route("/demand/{contact_type}", get(demand::forecast::show))
        .route("/demand/{contact_type}/made-of", get(demand::made_of::show))
        .route("/demand/{contact_type}/forecast/{format}", get(demand::export::forecast))
        .route("/demand/{contact_type}/accuracy", get(demand::accuracy::show))
        .route("/demand/{contact_type}/method", post(demand::accuracy::pin))
        .route("/demand/{contact_type}/cleaning", get(cleaning::show).post(cleaning::mark))
        .route("/demand/{contact_type}/cleaning/decide", post(cleaning::decide))
        .route("/demand/{contact_type}/cleaning/{mark}/remove", post(cleaning::remove))
        .route("/demand/{contact_type}/overlays", get(overlays::show).post(overlays::add))
        .route("/demand/{contact_type}/overlays/{overlay}/remove", post(overlays::remove))
        .route("/demand/{contact_type}/frozen", get(frozen::show).post(frozen::freeze))
        .route("/demand/{contact_type}/frozen/{version}/remove", post(frozen::remove))
        .route("/demand/{contact_type}/frozen/{version}/{format}", get(demand::export::frozen))
        .route("/demand/{contact_type}/archive", post(demand::archive::archive))
        .route("/demand/{contact_type}/restore", post(demand::archive::restore))
        .route("/demand/{contact_type}/remove", post(demand::archive::remove))
        .route("/staffing", get(staffing::first))
        .route("/staffing/{contact_type}", get(staffing::show))
        .route("/staffing/{contact_type}/try", post(staffing::try_out))
        .route("/staffing/{contact_type}/why", get(staffing::why))
        .route("/staffing/{contact_type}/targets", post(staffing::save_targets))
        .route("/staffing/{contact_type}/targets/undo", post(staffing::undo_targets))
        .route("/staffing/{contact_type}/need/{format}", get(staffing::export))
        .route(
            "/staffing/{contact_type}/what-if",
            get(staffing::show_what_if).post(staffing::try_what_if),
        )
        .route("/staffing/{contact_type}/every-interval", get(staffing::every_interval))
        .route("/staffing/{contact_type}/day-need", get(staffing::day_need))
        .route(
            "/staffing/{contact_type}/roster",
            get(staffing::show_cover).post(staffing::import_roster),
        )
        .route("/staffing/{contact_type}/roster/{format}", get(staffing::export_roster))
        .route(
            "/staffing/{contact_type}/roster/day",
            get(staffing::show_day_roster).post(staffing::save_day_roster),
        )
        .route("/staffing/{contact_type}/roster/day/try", post(staffing::try_day_roster))
        .route("/staffing/people/{agent}/shifts.ics", get(staffing::person_calendar))
        .route(
            "/staffing/{contact_type}/customers",
            get(staffing::customers::show).post(staffing::customers::save),
        )
        .route("/staffing/contacts.csv", get(staffing::contacts::example))
        .route(
            "/staffing/{contact_type}/contacts",
            post(staffing::contacts::look).layer(DefaultBodyLimit::max(MOST_CONTACTS_BYTES)),
        )
        .route("/staffing/{contact_type}/contacts/take", post(staffing::contacts::take))
        .route("/staffing/{contact_type}/cover", post(staffing::save_cover))
        .route("/staffing/{contact_type}/shifts", post(staffing::start_search))
        .route("/staffing/{contact_type}/shifts/{search}", get(staffing::search_progress))
        .route("/staffing/{contact_type}/shifts/{search}/stop", post(staffing::cancel_search))
        .route("/staffing/{contact_type}/shifts/{search}/use", post(staffing::use_roster))
        .route("/staffing/{contact_type}/agents", post(staffing::add_agent))
        .route("/staffing/{contact_type}/agents/{agent}/remove", post(staffing::remove_agent))
        .route("/staffing/{contact_type}/time-off", post(staffing::add_time_off))
        .route("/staffing/{contact_type}/time-off/{entry}/remove", post(staffing::remove_time_off))
        .route(
            "/staffing/{contact_type}/lines",
            get(staffing::show_lines).post(staffing::save_lines),
        )
        .route("/strategy", get(strategy::show))
        .route("/comparisons", get(comparisons::ask).post(comparisons::queue))
        .route("/comparisons/{comparison}", get(comparisons::show))
        .route("/comparisons/{comparison}/comparison.json", get(comparisons::export))
        .route("/strategy-schema.json", get(strategy::schema))
        .route("/customers-schema.json", get(strategy::customers_schema))
        .route("/strategy/part", post(strategy::save))
        .route("/strategy/change", post(strategy::change))
        .route("/strategy/map.svg", get(strategy::map_file))
        .route("/strategy/rules", get(strategy::rules))
        .route("/strategy/campaigns", get(strategy::campaigns::show))
        .route("/strategy/campaigns/records.csv", get(strategy::campaigns::records::example))
        .route(
            "/strategy/campaigns/{campaign}/records",
            get(strategy::campaigns::records::look_again)
                .post(strategy::campaigns::records::look)
                .layer(DefaultBodyLimit::max(MOST_CALLS_BYTES)),
        )
        .route(
            "/strategy/campaigns/{campaign}/records/{calls}/remove",
            post(strategy::campaigns::records::remove),
        )
        .route("/strategy/campaigns/{campaign}/assumed", post(strategy::campaigns::records::take))
        .route(
            "/strategy/campaigns/{campaign}/list",
            post(strategy::campaigns::people::choose_list),
        )
        .route(
            "/strategy/lists",
            get(lists::show).post(lists::upload).layer(DefaultBodyLimit::disable()),
        )
        .route("/strategy/lists/example.csv", get(lists::example))
        .route("/strategy/lists/do-not-call", post(lists::do_not_call::add))
        .route("/strategy/lists/do-not-call/remove", post(lists::do_not_call::remove))
        .route("/strategy/lists/do-not-call.csv", get(lists::do_not_call::export))
        .route("/strategy/lists/prefixes", post(lists::prefixes::replace))
        .route("/strategy/lists/prefixes/reset", post(lists::prefixes::reset))
        .route("/strategy/lists/prefixes.csv", get(lists::prefixes::export))
        .route("/strategy/lists/{list}", get(lists::show_one))
        .route(
            "/strategy/lists/{list}/columns",
            get(lists::columns::show).post(lists::columns::choose),
        )
        .route("/strategy/lists/{list}/confirm", post(lists::confirm))
        .route("/strategy/lists/{list}/remove", post(lists::remove))
        .route("/strategy/people", get(strategy::people).post(strategy::import_people))
        .route("/strategy/people.csv", get(strategy::people_csv))
        .route("/strategy/people.xlsx", get(strategy::people_xlsx))
        .route("/strategy/repair-effect", get(strategy::repair_effect))
        .route("/strategy/numbers", get(strategy::numbers).post(strategy::import_numbers))
        .route("/strategy/numbers.csv", get(strategy::numbers_csv))
        .route("/strategy/walk", get(strategy::walk))
        .route("/strategy/expectations", post(expectations::keep))
        .route("/strategy/expectations.csv", get(expectations::export_expectations))
        .route("/strategy/expectations/import", post(expectations::import))
        .route("/strategy/expectations/{expectation}/remove", post(expectations::remove))
        .route("/strategy/repair", post(strategy::repair))
        .route("/strategy/drafts", post(strategy::act_on_draft))
        .route("/strategy/waivers", post(strategy::waive))
        .route("/strategy/waivers/{waiver}/take-back", post(strategy::take_waiver_back))
        .route("/strategy/merge", post(strategy::merge))
        .route("/strategy/json", post(strategy::save_json))
        .route("/strategy/versions/{version}", get(strategy::export))
        .route("/trials", get(trials::list).post(trials::queue))
        .route("/trials/{trial}", get(trials::show))
        .route("/runs/{run}/progress", get(progress::progress))
        .route("/runs/{run}/cancel", post(progress::cancel))
        .route("/runs/{run}/retry", post(progress::retry))
        .route("/trials/record", get(trials::record))
        .route("/trials/sets/{set}", get(trials::show_set))
        .route("/trials/{trial}/repeat", post(trials::repeat))
        .route("/trials/{trial}/screening", get(searches::screening))
        .route("/trials/{trial}/search", get(searches::ask).post(searches::queue))
        .route("/searches", post(searches::queue_for_day))
        .route("/searches/{search}", get(searches::show))
        .route("/searches/{search}/enough", post(searches::enough))
        .route("/searches/{search}/trial", post(searches::try_it))
        .route("/searches/{search}/cover", post(searches::use_as_cover))
        .route("/searches/{search}/draft", post(searches::begin_draft))
        .route("/searches/{search}/search.json", get(searches::export))
        .route("/searches/{search}/people.csv", get(searches::people))
        .route("/searches/{search}/tried.csv", get(searches::tried))
        .route("/trials/{trial}/steps/{step}", get(trials::show_step))
        .route("/trials/{trial}/day", get(trials::replay))
        .route("/trials/{trial}/day.csv", get(trials::replay_csv))
        .route("/trials/{trial}/pacing.csv", get(trials::pacing_csv))
        .route("/trials/{trial}/intervals.csv", get(trials::export))
        .route("/trials/{trial}/days.csv", get(trials::export_days))
        .route("/trials/{trial}/trial.json", get(trials::export_inputs))
        .route("/go-live", get(go_live::show))
        .route("/go-live/evidence", post(go_live::evidence::save))
        .route("/go-live/new", get(go_live::form::ask).post(go_live::form::draw_up))
        .route("/go-live/sheets/{number}", get(go_live::sheet::show).post(go_live::sheet::act))
        .route(
            "/go-live/sheets/{number}/text",
            get(go_live::form::ask_again).post(go_live::form::revise),
        )
        .route("/go-live/sheets/{number}/sheet.json", get(go_live::sheet::export))
        .route("/watch", get(watch::board::show))
        .route("/watch/boards", post(watch::boards::add))
        .route("/watch/boards/new", get(watch::boards::begin))
        .route("/watch/boards/arranged", post(watch::boards::arrange))
        .route("/watch/boards/{board}", get(watch::boards::show).post(watch::boards::save))
        .route("/watch/boards/{board}/edit", get(watch::boards::edit))
        .route("/watch/boards/{board}/remove", post(watch::boards::remove))
        .route("/watch/boards/{board}/stream", get(watch::own_stream))
        .route("/watch/stream", get(watch::stream))
        .route("/watch/help", get(watch::help::show).post(watch::help::act))
        .route("/watch/help/message", get(watch::help_message::ask).post(watch::help_message::send))
        .route("/watch/alarms", get(watch::alarms::show).post(watch::alarms::add))
        .route("/watch/alarms/{id}", post(watch::alarms::act))
        .route("/watch/outbox", get(watch::outbox::show))
        .route("/watch/outbox/{id}", post(watch::outbox::send_again))
        .route("/watch/switch", post(watch::stand_in::behave))
        .route("/watch/queues/{step}", get(watch::drill::queue))
        .route("/watch/teams/{team}", get(watch::drill::team))
        .route("/watch/account", get(watch::account::show).post(watch::account::start))
        .route("/watch/account/{date}/{format}", get(watch::account::export))
        .route("/watch/weeks", get(watch::weeks::show))
        .route("/reports", get(reports::list::show).post(reports::edit::add))
        .route("/reports/new", get(reports::edit::begin))
        .route("/reports/preview", post(reports::edit::preview))
        .route(
            "/reports/editions/{edition}",
            get(reports::edition::show).post(reports::edition::act),
        )
        .route("/reports/editions/{edition}/{format}", get(reports::edition::file))
        .route("/reports/drawings/{drawing}", get(reports::drawing::show))
        .route("/reports/drawings/{drawing}/part", get(reports::drawing::part))
        .route("/reports/drawings/{drawing}/file", get(reports::drawing::file))
        .route("/reports/{report}", get(reports::show::show).post(reports::edit::save))
        .route("/reports/{report}/edit", get(reports::edit::edit))
        .route("/reports/{report}/remove", post(reports::edit::remove))
        .route("/reports/{report}/file/{format}", get(reports::show::file))
        .route("/reports/{report}/picture/{name}", get(reports::show::picture))
        .route("/reports/{report}/made", get(reports::made::show).post(reports::made::make))
        .route("/reports/{report}/schedules", post(reports::made::add))
        .route("/reports/{report}/schedules/{schedule}", post(reports::made::act))
        .route("/methods/{note}", get(methods::show))
        .route("/people", get(people::show).post(people::add))
        .route("/people/trail", get(trail::show))
        .route("/people/server", get(server::show))
        .route("/people/trail.csv", get(trail::export))
        .route("/people/tokens", post(tokens::add))
        .route("/people/tokens/{token}/remove", post(tokens::remove))
        .route("/people/me", post(people::change_own_password))
        .route("/people/me/sessions", post(people::end_other_sessions))
        .route("/people/{person}/role", post(people::change_role))
        .route("/people/{person}/agents", post(people::let_see_agents))
        .route("/people/{person}/deactivated", post(people::deactivate))
        .route("/people/{person}/password", post(people::give_password))
        .route("/people/me/second-factor", get(second_factor::show).post(second_factor::set_up))
        .route("/people/me/second-factor/remove", post(second_factor::remove_own))
        .route("/people/{person}/second-factor", post(second_factor::remove))
        .route("/sign-in", get(sign_in::form).post(sign_in::sign_in))
        .route("/sign-in/code", get(sign_in::ask_for_code).post(sign_in::take_code))
        .route("/sign-out", post(sign_in::sign_out))
        .fallback(page_error::not_found)
        .with_state(app.clone());
    let api = Router::new()
        .route(paths::HISTORY, put(sent::put).layer(DefaultBodyLimit::disable()))
        .route(paths::CONTACT_TYPES, get(api::lists::contact_types))
        .route(paths::STRATEGIES, get(api::lists::strategies))
        .route(&format!("{}/{{version}}", paths::STRATEGIES), get(api::lists::strategy))
        .route(paths::SHEETS, get(api::lists::sheets))
        .route(&format!("{}/{{number}}", paths::SHEETS), get(api::lists::sheet))
        .route(paths::BOARD, get(api::board::show))
        .route(paths::OPENAPI, get(api::openapi))
        .route("/reports/shared/{secret}", get(reports::shared::show))
        .with_state(app.clone());
    let monitored = Router::new()
        .route("/health/live", get(operator::live))
        .route("/health/ready", get(operator::ready))
        .route("/metrics", get(operator::show))
        .with_state(app.clone());
    let all = security::protect(pages, &app)
        .merge(api)
        .route("/static/{file}", get(assets::serve))
        .merge(monitored);
    security::with_headers(all, &app)
        .layer(from_fn(to_the_end::answered))
        .layer(from_fn_with_state(app.clone(), operator::measured))
        .layer(RequestBodyTimeoutLayer::new(LONGEST_PAUSE))
        .layer(CatchPanicLayer::custom(page_error::panicked))
        .layer(from_fn_with_state(app, access_log::logged))
}
