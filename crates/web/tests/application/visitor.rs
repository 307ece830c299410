//! A visitor of an application with one small centre, as a browser would send its requests.

use axum::Router;
use axum::body::{Body, to_bytes};
use axum::http::{HeaderMap, Method, Request, StatusCode, header};
use barometer_app::live::Live;
use barometer_app::{demand::refresh_forecast, passwords::hash_password};
use barometer_forecast::Grain;
use barometer_plan::{CoverInterval, Rules};
use barometer_store::{AnswerSpeed, HistoryInterval, Role, Save, Store};
use barometer_strategy::Strategy;
use barometer_web::{App, Settings, router};
use jiff::civil::{Date, date};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};
use sqlx::PgPool;
use tower::ServiceExt;
use uuid::Uuid;

pub const PASSWORD: &str = "low tide at nine";
pub const TODAY: Date = date(2026, 11, 23);

/// A centre with one contact type, ten weeks of history, a forecast, a strategy and cover.
pub struct Centre {
    pub store: Store,
    pub bookings: Uuid,
    pub centre: Uuid,
    pub strategy_version: Uuid,
}

impl Centre {
    pub async fn new(pool: PgPool) -> Self {
        let store = Store::on(pool);
        store.migrate().await.unwrap();
        let zone = TimeZone::get("Europe/London").unwrap();
        let centre = store.add_centre("Test centre", "Europe/London").await.unwrap();
        store.set_today(centre, TODAY).await.unwrap();
        let hash = hash_password(PASSWORD).unwrap();
        for role in [Role::Viewer, Role::Planner, Role::Approver, Role::Administrator] {
            let email = format!("{}@example.org", role.word());
            store.add_user(&format!("A {}", role.word()), &email, &hash, role).await.unwrap();
        }
        let bookings = store
            .add_contact_type(centre, "Bookings", Grain::Half, &Rules::STARTING)
            .await
            .unwrap();
        store.add_history(bookings, &ten_weeks(&zone)).await.unwrap();
        let contact_type = store.contact_type(bookings).await.unwrap();
        refresh_forecast(&store, &contact_type, &zone).await.unwrap();
        let strategy_version =
            store.add_strategy_version(centre, &Strategy::plain("Bookings"), None).await.unwrap();
        store.go_live(strategy_version, None, None, "to begin with").await.unwrap();
        store.save_cover(bookings, &nine_people(&zone), Save::OURS).await.unwrap();
        Self { store, bookings, centre, strategy_version }
    }

    /// Another contact type with the same history, forecast and cover.
    pub async fn add_type(&self, name: &str) -> Uuid {
        let zone = TimeZone::get("Europe/London").unwrap();
        let id = self
            .store
            .add_contact_type(self.centre, name, Grain::Half, &Rules::STARTING)
            .await
            .unwrap();
        self.store.add_history(id, &ten_weeks(&zone)).await.unwrap();
        let contact_type = self.store.contact_type(id).await.unwrap();
        refresh_forecast(&self.store, &contact_type, &zone).await.unwrap();
        self.store.save_cover(id, &nine_people(&zone), Save::OURS).await.unwrap();
        id
    }

    /// Does what the workers would do with everything that is queued.
    pub async fn work_off(&self) {
        barometer_app::runs::work_off_open(&self.store).await.unwrap();
    }

    pub fn settings() -> Settings {
        Settings {
            demo: false,
            https: false,
            idle_minutes: 60,
            administrators_need_second_factor: false,
            upload_limit_mb: 1,
            metrics_token: None,
            access_log: false,
        }
    }

    pub fn app(&self, settings: Settings) -> Router {
        router(App::new(self.store.clone(), settings, Live::of(None)))
    }

    /// Somebody of this role who has signed in.
    pub async fn visitor(&self, role: Role) -> Visitor {
        signed_in(self.stranger(), role).await
    }

    /// The same of an application that hears a telephone switch.
    pub async fn visitor_of(&self, live: &Live, role: Role) -> Visitor {
        let app = router(App::new(self.store.clone(), Self::settings(), live.clone()));
        signed_in(Visitor { app, cookie: None }, role).await
    }

    /// A visitor who sends this cookie.
    pub fn with_cookie(&self, cookie: &str) -> Visitor {
        Visitor { app: self.app(Self::settings()), cookie: Some(cookie.to_owned()) }
    }

    /// Somebody who has not.
    pub fn stranger(&self) -> Visitor {
        Visitor { app: self.app(Self::settings()), cookie: None }
    }
}

async fn signed_in(mut visitor: Visitor, role: Role) -> Visitor {
    let form =
        format!("email={}%40example.org&password={}", role.word(), PASSWORD.replace(' ', "+"));
    let answer = visitor.post("/sign-in", &form).await;
    assert_eq!(answer.status, StatusCode::SEE_OTHER, "{}", answer.text);
    let cookie = answer.headers[header::SET_COOKIE].to_str().unwrap();
    visitor.cookie = Some(cookie.split(';').next().unwrap().to_owned());
    visitor
}

/// Half-hours from 8 to 18 o'clock, busier in the morning, on every day until yesterday.
/// Nine people at every time of the week.
fn nine_people(zone: &TimeZone) -> Vec<CoverInterval> {
    let from = zone.to_timestamp(TODAY.at(0, 0, 0, 0)).unwrap();
    let interval = |half: i64| CoverInterval { start: from + (30 * half).minutes(), agents: 9 };
    (0..7 * 48).map(interval).collect()
}

fn ten_weeks(zone: &TimeZone) -> Vec<HistoryInterval> {
    let first = TODAY.saturating_sub(70.days());
    (0..70)
        .flat_map(|day| (16..36).map(move |half| (day, half)))
        .map(|(day, half)| {
            let time =
                first.saturating_add(day.days()).at((half / 2) as i8, (half % 2 * 30) as i8, 0, 0);
            let offered = 40 - (half - 20_i32).abs();
            HistoryInterval {
                start: zone.to_timestamp(time).unwrap(),
                offered,
                answered: offered - 1,
                abandoned: 1,
                handle_secs: Some(240.0),
                wrap_up_secs: None,
                speed: Some(AnswerSpeed {
                    in_time: offered - 4,
                    wait_secs: 12.0 * f64::from(offered),
                }),
            }
        })
        .collect()
}

/// The instant of a time on the centre's clocks.
pub fn at(text: &str) -> Timestamp {
    let zone = TimeZone::get("Europe/London").unwrap();
    zone.to_timestamp(text.parse().unwrap()).unwrap()
}

pub struct Visitor {
    app: Router,
    cookie: Option<String>,
}

pub struct Answer {
    pub status: StatusCode,
    pub headers: HeaderMap,
    pub text: String,
}

impl Answer {
    pub fn location(&self) -> &str {
        self.headers.get(header::LOCATION).map_or("", |location| location.to_str().unwrap())
    }

    /// The version that the form to an address shows.
    #[track_caller]
    pub fn version(&self, action: &str) -> String {
        let form = self.text.find(&format!("action=\"{action}\""));
        let form = form.unwrap_or_else(|| panic!("no form to {action} in\n{}", self.text));
        let field = "name=\"based_on\" value=\"";
        let at = form + self.text[form..].find(field).expect("a version") + field.len();
        self.text[at..].split('"').next().unwrap_or_default().to_owned()
    }

    /// Fails unless the page says this.
    #[track_caller]
    pub fn says(&self, wanted: &str) -> &Self {
        assert!(self.text.contains(wanted), "“{wanted}” is not in\n{}", self.text);
        self
    }
}

fn form_to(address: &str) -> axum::http::request::Builder {
    Request::post(address)
        .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
        .header("sec-fetch-site", "same-origin")
}

impl Visitor {
    /// The same server, with this cookie.
    pub fn with(&self, cookie: &str) -> Self {
        Self { app: self.app.clone(), cookie: Some(cookie.to_owned()) }
    }

    /// The same visitor of another server.
    pub fn of(&self, app: Router) -> Self {
        Self { app, cookie: self.cookie.clone() }
    }

    pub async fn get(&self, address: &str) -> Answer {
        self.send(Request::get(address), Body::empty()).await
    }

    pub async fn post(&self, address: &str, form: &str) -> Answer {
        self.send(form_to(address), Body::from(form.to_owned())).await
    }

    /// Sends a form from a page that is looked at in a browser.
    pub async fn post_from(&self, address: &str, form: &str, page: &str) -> Answer {
        let request = form_to(address).header(header::REFERER, page);
        self.send(request, Body::from(form.to_owned())).await
    }

    /// The version that a page shows of what the form to an address changes.
    pub async fn version(&self, page: &str, action: &str) -> String {
        let page = self.get(page).await;
        page.version(action)
    }

    /// Sends a form as somebody does who has just opened its page.
    pub async fn save(&self, page: &str, action: &str, form: &str) -> Answer {
        let version = self.version(page, action).await;
        self.post(action, &format!("{form}&based_on={version}")).await
    }

    /// Uploads a file with the form of the import page.
    pub async fn upload(
        &self,
        file_name: &str,
        contact_type: &str,
        file: impl Into<Vec<u8>>,
    ) -> Answer {
        self.upload_to("/demand/import", file_name, contact_type, file).await
    }

    /// Uploads a file to an address.
    pub async fn upload_to(
        &self,
        address: &str,
        file_name: &str,
        contact_type: &str,
        file: impl Into<Vec<u8>>,
    ) -> Answer {
        self.upload_with(address, file_name, ("contact_type", contact_type), file).await
    }

    /// Sends a file with one field beside it.
    pub async fn upload_with(
        &self,
        address: &str,
        file_name: &str,
        (field, value): (&str, &str),
        file: impl Into<Vec<u8>>,
    ) -> Answer {
        let mut body = format!(
            "--edge\r\nContent-Disposition: form-data; name=\"{field}\"\r\n\r\n{value}\r\n\
             --edge\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{file_name}\"\r\n\
             Content-Type: text/csv\r\n\r\n"
        )
        .into_bytes();
        body.extend(file.into());
        body.extend(b"\r\n--edge--\r\n");
        let request = Request::post(address)
            .header(header::CONTENT_TYPE, "multipart/form-data; boundary=edge")
            .header("sec-fetch-site", "same-origin");
        self.send(request, Body::from(body)).await
    }

    /// Sends a form and goes as soon as there is something to wait for.
    pub async fn post_and_go(&self, address: &str, form: &str) {
        let request = self.signed_in(form_to(address)).body(Body::from(form.to_owned())).unwrap();
        let mut answer = Box::pin(self.app.clone().oneshot(request));
        assert!(futures_util::poll!(&mut answer).is_pending(), "there is something to wait for");
    }

    fn signed_in(&self, request: axum::http::request::Builder) -> axum::http::request::Builder {
        let request = request.header(header::HOST, "barometer.example");
        match &self.cookie {
            Some(cookie) => request.header(header::COOKIE, cookie),
            None => request,
        }
    }

    pub async fn send(&self, request: axum::http::request::Builder, body: Body) -> Answer {
        let request = self.signed_in(request).body(body).unwrap();
        let response = self.app.clone().oneshot(request).await.unwrap();
        let (status, headers) = (response.status(), response.headers().clone());
        let bytes = to_bytes(response.into_body(), usize::MAX).await.unwrap();
        let text = String::from_utf8_lossy(&bytes).into_owned();
        // Where a line of a page ends is nothing that anybody sees.
        let is_page =
            headers.get("content-type").is_some_and(|kind| kind == "text/html; charset=utf-8");
        let text =
            if is_page { text.split_whitespace().collect::<Vec<_>>().join(" ") } else { text };
        Answer { status, headers, text }
    }

    /// What comes first of an answer that never ends.
    pub async fn begins(&self, address: &str) -> String {
        use futures_util::StreamExt;
        let cookie = self.cookie.clone().unwrap_or_default();
        let request = Request::get(address)
            .header(header::HOST, "barometer.example")
            .header(header::COOKIE, cookie);
        let request = request.body(Body::empty()).unwrap();
        let response = self.app.clone().oneshot(request).await.unwrap();
        assert_eq!(response.status(), StatusCode::OK);
        let mut parts = response.into_body().into_data_stream();
        let mut first = String::new();
        while !first.ends_with("\n\n") {
            let part = parts.next().await.expect("something comes").unwrap();
            first.push_str(&String::from_utf8_lossy(&part));
        }
        first
    }

    pub async fn request(&self, method: &Method, address: &str) -> Answer {
        match *method {
            Method::POST => self.post(address, "").await,
            _ => self.get(address).await,
        }
    }
}

/// Draws up the change sheet of a version, with `more` of its form, and gives its address.
pub async fn draw_up(planner: &Visitor, version: i32, more: &str) -> String {
    let form = format!("title=Shorter+waits&why_wanted=Because&way_back=At+once{more}");
    let drawn = planner.post(&format!("/go-live/new?version={version}"), &form).await;
    assert_eq!(drawn.status, axum::http::StatusCode::SEE_OTHER, "{}", drawn.text);
    drawn.location().split('?').next().unwrap().to_owned()
}

/// The form of the newest strategy's queue as a browser would send it, with some fields changed.
/// Keeps the draft that was changed last as a version, and gives its key.
pub async fn keep_draft(centre: &Centre, planner: &Visitor) -> Uuid {
    let draft = centre.store.drafts(centre.centre).await.unwrap().remove(0);
    let form = format!("do=keep&based_on=d{}.{}", draft.number, draft.head);
    let kept = planner.post("/strategy/drafts", &form).await;
    assert!(kept.location().ends_with("note=kept"), "{}", kept.text);
    centre.store.strategy_versions(centre.centre).await.unwrap()[0].id
}

pub async fn queue_form(visitor: &Visitor, changed: &[(&str, &str)]) -> String {
    let page = visitor.get("/strategy?part=step.queue").await.text;
    let start = page.find("<form class=\"part-form\"").unwrap();
    let form = &page[start..start + page[start..].find("</form>").unwrap()];
    let mut fields = Vec::new();
    for tag in form.split('<').filter(|tag| tag.starts_with("input") || tag.starts_with("select")) {
        let attribute = |name: &str| {
            let start = tag.find(&format!(" {name}=\""))? + name.len() + 3;
            Some(tag[start..].split('"').next().unwrap().to_owned())
        };
        let name = attribute("name").unwrap();
        let is_off = tag.contains("checkbox") && !tag.contains(" checked");
        let value = if tag.starts_with("select") {
            let options = &form[form.find(tag).unwrap()..];
            let options = &options[..options.find("</select>").unwrap()];
            let chosen = options.split("<option").find(|option| option.contains(" selected"));
            chosen.and_then(|option| option.split('"').nth(1)).unwrap_or_default().to_owned()
        } else {
            attribute("value").unwrap_or_else(|| "on".to_owned())
        };
        if !is_off {
            fields.push((name, value));
        }
    }
    for (name, value) in changed {
        match fields.iter_mut().find(|field| field.0 == *name) {
            Some(field) => field.1 = (*value).to_owned(),
            None => fields.push(((*name).to_owned(), (*value).to_owned())),
        }
    }
    fields.push(("do".to_owned(), "save".to_owned()));
    let encoded =
        |text: &str| -> String { text.bytes().map(|byte| format!("%{byte:02X}")).collect() };
    let pairs = fields.iter().map(|(name, value)| format!("{}={}", encoded(name), encoded(value)));
    pairs.collect::<Vec<_>>().join("&")
}
