//! What nobody should send: a page that says what is wrong, and nothing changed.

use axum::http::StatusCode;
use barometer_store::Role;
use barometer_strategy::Strategy;
use sqlx::PgPool;

use crate::visitor::{Centre, TODAY, queue_form};

#[sqlx::test(migrations = false)]
async fn addresses_that_lead_nowhere_are_answered_with_a_page(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let nowhere = [
        "/no/such/page",
        "/staffing/not-a-key",
        "/staffing/00000000-0000-0000-0000-000000000000",
        "/trials/00000000-0000-0000-0000-000000000000",
        "/demand/import/00000000-0000-0000-0000-000000000000",
        "/reading?contact_type=00000000-0000-0000-0000-000000000000&at=0",
    ];
    for address in nowhere {
        let answer = planner.get(address).await;
        assert_eq!(answer.status, StatusCode::NOT_FOUND, "{address}");
        answer.says("Where did it go?").says("To the outlook");
    }
    let version = "/strategy/versions/99".to_owned();
    assert_eq!(planner.get(&version).await.status, StatusCode::NOT_FOUND);
    let answer = planner.get("/reading?contact_type=x&at=noon").await;
    assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY);
    answer.says("This address cannot be read.");
}

#[sqlx::test(migrations = false)]
async fn a_day_that_is_none_is_today_and_far_days_are_empty_not_broken(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    for day in ["yesterday", "2026-02-30", "-5", "9999-99-99", "0001-01-01", ""] {
        let answer = viewer.get(&format!("/?day={day}")).await;
        assert_eq!(answer.status, StatusCode::OK, "{day}");
        answer.says("23 – 29 Nov");
    }
    for day in ["1990-01-01", "2199-12-31"] {
        for page in ["", "demand", "staffing", "strategy", "trials", "go-live", "watch"] {
            let mut answer = viewer.get(&format!("/{page}?day={day}")).await;
            if answer.status == StatusCode::SEE_OTHER {
                answer = viewer.get(answer.location()).await;
            }
            assert_eq!(answer.status, StatusCode::OK, "/{page}?day={day}");
        }
    }
}

#[sqlx::test(migrations = false)]
async fn wrong_targets_come_back_as_typed_with_a_message_each(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let before = centre.store.contact_type(centre.bookings).await.unwrap().rules;
    let form = "service_level=180&within_secs=soon&abandonment=-3&occupancy=101&patience_secs=0\
                &concurrency=1.5&breaks=100&day=2026-11-24";
    let answer = planner.post(&format!("/staffing/{}/targets", centre.bookings), form).await;
    assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY);
    for typed in ["180", "soon", "-3", "101", "1.5", "100"] {
        answer.says(&format!("value=\"{typed}\""));
    }
    let messages = [
        ("service_level", "Must be above 0 and at most 99.9 %"),
        ("within_secs", "“soon” is not a number"),
        ("abandonment", "Must be above 0 and at most 100 %"),
        ("occupancy", "Must be above 0 and at most 100 %"),
        ("patience_secs", "Must be at least 1 s"),
        ("concurrency", "Must be 1 to 20 contacts at once"),
        ("breaks", "Must be 0 to 90 %"),
    ];
    for (field, message) in messages {
        answer.says(&format!("id=\"{field}-wrong\">{message}"));
    }
    assert_eq!(centre.store.contact_type(centre.bookings).await.unwrap().rules, before);
}

#[sqlx::test(migrations = false)]
async fn a_wrong_strategy_or_trial_saves_nothing(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = "/strategy/part";
    let form = queue_form(&planner, &[("/does/queue/places", "many")]).await;
    let answer = planner.post(address, &form).await;
    assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY);
    answer.says("“many” is not a whole number.").says("value=\"many\"");
    let wrong = [("/name", " "), ("/does/queue/longest_wait_secs", "-5")];
    let form = queue_form(&planner, &wrong).await;
    let answer = planner.post(address, &form).await;
    assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY);
    answer.says("Needs a name.").says("value=\"-5\"");
    answer.says("id=\"f-does-queue-longest-wait-secs-wrong\"").says("leave it empty for no limit");
    assert!(centre.store.drafts(centre.centre).await.unwrap().is_empty());
    let form = format!(
        "contact_type={}&version={}&days={TODAY}&cover=fixed&people=lots&team=team&more=some&replications=1&seed=-1",
        centre.bookings, centre.strategy_version
    );
    let answer = planner.post("/trials", &form).await;
    assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY);
    for field in ["people", "more", "replications", "seed"] {
        answer.says(&format!("id=\"{field}-wrong\""));
    }
    answer.says("value=\"lots\"");
    assert!(centre.store.latest_trials(None, 5).await.unwrap().is_empty());
}

#[sqlx::test(migrations = false)]
async fn names_that_are_markup_or_formulas_stay_text(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let script = [("/name", "<script>alert(1)</script>")];
    let form = queue_form(&planner, &script).await;
    let answer = planner.post("/strategy/part", &form).await;
    assert_eq!(answer.status, StatusCode::SEE_OTHER);
    let page = planner.get(answer.location()).await;
    assert!(!page.text.contains("<script>alert"));
    page.says("&#60;script&#62;alert(1)");
    let file =
        "contact_type,interval_start,offered\n=1+1,2026-11-02T09:00,5\n=1+1,2026-11-02T09:30,6\n";
    let preview = planner.upload("x.csv", "", file).await.location().to_owned();
    let answer = planner.post(&format!("{preview}/confirm"), "").await;
    assert_eq!(answer.status, StatusCode::SEE_OTHER, "{}", answer.text);
    centre.work_off().await;
    let types =
        centre.store.contact_types(centre.store.centre().await.unwrap().unwrap().id).await.unwrap();
    let added = types.iter().find(|each| each.name == "=1+1").unwrap();
    let page = planner.get(&format!("/demand/{}", added.id)).await;
    page.says("There is no forecast");
}

#[sqlx::test(migrations = false)]
async fn no_field_takes_a_character_that_cannot_be_seen(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let admin = centre.visitor(Role::Administrator).await;
    let bookings = centre.bookings;
    let forms = [
        ("/demand/special-days".to_owned(), "class=holiday&from=2026-12-25&to=&name="),
        (format!("/demand/{bookings}/overlays"), "from=2026-12-01&to=2026-12-02&percent=10&name="),
        (format!("/demand/{bookings}/frozen"), "name="),
        (
            format!("/demand/{bookings}/cleaning"),
            "from=2026-11-01&until=2026-11-02&treatment=leave_out&why=",
        ),
        ("/demand/like".to_owned(), "percent=10&name="),
        (format!("/staffing/{bookings}/agents"), "team=&name="),
        ("/strategy/change".to_owned(), "based_on=v1&do=name&name="),
        ("/people".to_owned(), "email=n%40example.org&role=viewer&password=low+tide+at+nine&name="),
        ("/people/tokens".to_owned(), "name="),
        ("/sign-in".to_owned(), "password=low+tide+at+nine&email="),
    ];
    for (address, form) in &forms {
        for odd in ["%00", "a%00b", "a%0Ab", "a%E2%80%AEb", "%1B%5B2J"] {
            let answer = admin.post(address, &format!("{form}{odd}")).await;
            assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY, "{address} {odd}");
            answer.says("has a character that cannot be seen");
        }
        let endless = admin.post(address, &format!("{form}{}", "a".repeat(100_001))).await;
        assert_eq!(endless.status, StatusCode::UNPROCESSABLE_ENTITY, "{address}");
        endless.says("has more than 100000 characters");
    }
    // Escapes in JSON are found as well, and so are names in files.
    let strategy = Strategy::plain("Book\u{0}ings").to_json();
    admin
        .upload_to("/strategy/json", "s.json", "", strategy)
        .await
        .says("a text in it has a zero byte");
    let file = "contact_type,interval_start,offered,answered,abandoned,handle_secs\n\
                Fer\u{202e}ry,2026-11-02T09:00,1,1,0,60\nFerry,9999-12-31T09:00,1,1,0,60\n";
    let sent = admin.upload("calls.csv", "", file).await;
    let preview = admin.get(sent.location()).await;
    preview.says("has a character that cannot be seen").says("None of the 2 rows can be used");
}

#[sqlx::test(migrations = false)]
async fn days_of_another_age_are_refused_with_a_message(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let bookings = centre.bookings;
    for day in ["9999-12-31", "0001-01-01", "-009999-01-01", "2200-01-01"] {
        let forms = [
            ("/demand/special-days".to_owned(), format!("name=N&class=holiday&from={day}&to=")),
            (
                format!("/demand/{bookings}/overlays"),
                format!("name=N&from={day}&to={day}&percent=10&weekday=0"),
            ),
            (
                format!("/demand/{bookings}/cleaning"),
                format!("from={day}&until={day}T10:00&treatment=leave_out&why=W"),
            ),
            (
                format!("/staffing/{bookings}/time-off"),
                format!("agent=Nobody&first_day={day}&last_day={day}&reason=holiday"),
            ),
        ];
        for (address, form) in forms {
            let answer = planner.post(&address, &form).await;
            assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY, "{address} {form}");
        }
    }
}
