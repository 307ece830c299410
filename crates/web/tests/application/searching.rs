//! The search for the cheapest design, from a trial, from a day, and what it found.

use axum::http::StatusCode;
use barometer_store::{Role, RunState};
use sqlx::PgPool;
use uuid::Uuid;

use crate::visitor::{Centre, TODAY, Visitor};

/// The key at the end of an address.
fn key(address: &str) -> Uuid {
    address.split('?').next().unwrap().rsplit('/').next().unwrap().parse().unwrap()
}

/// A trial of the need of today.
async fn trial(centre: &Centre, planner: &Visitor) -> Uuid {
    let form = format!(
        "contact_type={}&days={TODAY}&cover=need&demand=exact&replications=20&seed=3&version={}",
        centre.bookings, centre.strategy_version
    );
    key(planner.post("/trials", &form).await.location())
}

#[sqlx::test(migrations = false)]
async fn a_search_begins_from_a_trial_and_says_what_it_takes(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let trial = trial(&centre, &planner).await;
    let asked = planner.get(&format!("/trials/{trial}/search")).await;
    asked.says("What may change, and what must hold?").says("Fewest people of");
    let strategy = centre.store.trial(trial).await.unwrap().inputs.strategy;
    let team = &strategy.teams[0].id;
    let form =
        format!("promise=&block=240&days=40&team={team}&least=2&most=25&cost=20&setting=&values=");
    let address = format!("/trials/{trial}/search");
    let queued = planner.post(&address, &form).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let id = key(queued.location());
    planner.get(queued.location()).await.says("Queued: 0 simulated days");
    planner.get(&format!("/searches/{id}/search.json")).await.says("Where did it go?");
    centre.work_off().await;
    assert_eq!(centre.store.search(id).await.unwrap().run.state, RunState::Done);
    let page = planner.get(&format!("/searches/{id}")).await;
    page.says("agent-hours (cost").says("hold every target on average");
    page.says("People by team and hour").says("Cost against service").says("Point costs");
    page.says("Designs tried</h2>")
        .says("designs near the best one")
        .says("Proven on simulated days");
    let listed = planner.get(&format!("/searches/{id}/tried.csv")).await;
    let heads = format!("part,cost,worst_target_points,days,hours_{team}");
    listed.says(&heads).says("anything cheaper,");
    planner.get(&format!("/searches/{id}/search.json")).await.says("\"frontier\"");
    let people = planner.get(&format!("/searches/{id}/people.csv")).await;
    people.says("interval_start,team,agents");
    planner.get("/trials").await.says("Latest searches").says("people by 240 min");
    // The design is tried on other customers, with its own people.
    let tried = planner.post(&format!("/searches/{id}/trial"), "").await;
    let tried = centre.store.trial(key(tried.location())).await.unwrap();
    let search = centre.store.search(id).await.unwrap();
    assert_ne!(tried.inputs.seed, search.question.seed);
    let best = &search.answer.unwrap().best.design.people;
    assert!(tried.inputs.teams[0].agents.iter().any(|people| best.contains(people)));
    // Its people become the cover of the day, interval by interval.
    let planned =
        planner.save(&format!("/searches/{id}"), &format!("/searches/{id}/cover"), "").await;
    assert_eq!(planned.location(), format!("/?day={TODAY}"));
    let day = (tried.inputs.starts().next().unwrap(), tried.inputs.starts().last().unwrap());
    let cover = centre.store.cover_between(centre.bookings, day.0, day.1).await.unwrap();
    let agents: Vec<u32> = cover.iter().map(|interval| interval.agents).collect();
    assert_eq!(agents, tried.inputs.teams[0].agents[..agents.len()]);
    assert!(agents.iter().any(|agents| *agents > 0));
    // Each interval by itself is promised, and the worst is named.
    let every = form.replace("promise=", "promise=interval").replace("most=25", "most=40");
    let id = key(planner.post(&address, &every).await.location());
    centre.work_off().await;
    let page = planner.get(&format!("/searches/{id}")).await;
    page.says("hold every target in every interval").says("Bookings, worst at ");
    // What is wrong stands at its field, and what was typed stays.
    for (typed, wanted) in [
        (form.replace("most=25", "most=1"), "must be 2 to 20000, got 1"),
        (form.replace("cost=20", "cost=0"), "must be above 0, got 0"),
        (form.replace("days=40", "days=4"), "Must be a whole number from 20 to 5000."),
        (form.replace("most=25", "most="), "choose at least one"),
        (form.replace("setting=&values=", "setting=queue:x&values=3"), "Choose a setting"),
    ] {
        let refused = planner.post(&address, &typed).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
        refused.says(wanted).says("value=\"2\"");
    }
}

#[sqlx::test(migrations = false)]
async fn one_press_searches_a_day_and_one_that_is_enough_answers(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    centre.store.go_live(centre.strategy_version, None, None, "a test").await.unwrap();
    let queued = planner.post("/searches", &format!("days={TODAY}&cover=need")).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let id = key(queued.location());
    planner.post(&format!("/searches/{id}/enough"), "").await;
    centre.work_off().await;
    let page = planner.get(&format!("/searches/{id}")).await;
    page.says("The search ended before it was done");
    // Nothing is forecast a year ahead: the form of a trial says so.
    let refused = planner.post("/searches", "days=2028-11-27&cover=need").await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("There is neither a forecast nor history for this time");
    // A search that nobody wants any more has no answer.
    let other =
        key(planner.post("/searches", &format!("days={TODAY}&cover=need")).await.location());
    planner.post(&format!("/runs/{other}/cancel"), "").await;
    centre.work_off().await;
    planner.get(&format!("/searches/{other}")).await.says("Cancelled after");
}

#[sqlx::test(migrations = false)]
async fn a_setting_that_a_search_found_becomes_a_draft(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let planner = centre.visitor(Role::Planner).await;
    let trial = trial(&centre, &planner).await;
    let address = format!("/trials/{trial}/search");
    let asked = planner.get(&address).await;
    let keys = asked.text.split("value=\"").map(|rest| rest.split('"').next().unwrap());
    let setting =
        keys.into_iter().find(|key| key.ends_with("/places")).expect("a number of a step");
    let team = &centre.store.trial(trial).await.unwrap().inputs.strategy.teams[0].id.clone();
    let form = format!(
        "promise=&block=240&days=20&team={team}&least=2&most=25&cost=20&setting={}&values=37",
        setting.replace('/', "%2F")
    );
    let queued = planner.post(&address, &form).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let id = key(queued.location());
    centre.work_off().await;
    let page = planner.get(&format!("/searches/{id}")).await;
    page.says("as in the trial: ").says("37: ");
    // Whether its value helps is the search's affair; here it is taken for the best.
    let mut answer = centre.store.search(id).await.unwrap().answer.unwrap();
    answer.best.design.settings = vec![None];
    let keep = |answer: barometer_search::Answer| {
        let update = sqlx::query("UPDATE searches SET answer = $2 WHERE id = $1");
        update.bind(id).bind(sqlx::types::Json(answer)).execute(&pool)
    };
    keep(answer.clone()).await.unwrap();
    let refused = planner.post(&format!("/searches/{id}/draft"), "").await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("only people differ");
    answer.best.design.settings = vec![Some(37.0)];
    keep(answer).await.unwrap();
    planner.get(&format!("/searches/{id}")).await.says("Open as a draft");
    let draft = planner.post(&format!("/searches/{id}/draft"), "").await;
    assert_eq!(draft.status, StatusCode::SEE_OTHER, "{}", draft.text);
    assert!(draft.location().starts_with("/strategy?draft="));
    planner.get(draft.location()).await.says("Changes to v1");
    let number = draft.location().rsplit('=').next().unwrap().parse().unwrap();
    let own = centre.store.centre().await.unwrap().unwrap();
    let opened = barometer_app::drafts::Opened::open(
        &centre.store,
        &own,
        barometer_app::drafts::Which::Draft(number),
    )
    .await
    .unwrap();
    assert!(serde_json::to_string(&opened.strategy).unwrap().contains("37"));
}

#[sqlx::test(migrations = false)]
async fn settings_that_matter_are_found_and_searched_with_a_tick(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let trial = trial(&centre, &planner).await;
    let address = format!("/trials/{trial}/search");
    planner.get(&address).await.says("Which settings matter?");
    let part = format!("/trials/{trial}/screening");
    planner.get(&part).await.says("Queued");
    centre.work_off().await;
    let found = planner.get(&part).await;
    found.says("worst target, points").says("wrap up");
    let ticked = found.text.split("name=\"screened\" value=\"").nth(1).unwrap();
    let ticked = ticked.split('"').next().unwrap().to_owned();
    let team = centre.store.trial(trial).await.unwrap().inputs.strategy.teams[0].id.clone();
    let sent: String = ticked.bytes().map(|byte| format!("%{byte:02X}")).collect();
    let form = |days: &str| {
        format!("promise=&block=240&days={days}&team={team}&least=2&most=25&cost=1&screened={sent}")
    };
    // A refused form keeps the tick.
    let refused = planner.post(&address, &form("1")).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("checked");
    let queued = planner.post(&address, &form("40")).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let question = centre.store.search(key(queued.location())).await.unwrap().question;
    let [knob] = question.settings.as_slice() else { panic!("one: {:?}", question.settings) };
    assert!(ticked.starts_with(&knob.setting.key()) && !knob.values.is_empty());
    let nonsense = planner.post(&address, &form("40").replace(&sent, "nothing%3D1")).await;
    nonsense.says("Choose a setting of this strategy.");
}

#[sqlx::test(migrations = false)]
async fn a_choice_is_searched_among_its_options_and_told_in_their_words(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let planner = centre.visitor(Role::Planner).await;
    let trial = trial(&centre, &planner).await;
    let address = format!("/trials/{trial}/search");
    let asked = planner.get(&address).await;
    asked.says("offer order");
    let keys = asked.text.split("value=\"").map(|rest| rest.split('"').next().unwrap());
    let order = keys.into_iter().find(|key| key.ends_with("/offering/order")).unwrap();
    let team = centre.store.trial(trial).await.unwrap().inputs.strategy.teams[0].id.clone();
    let form = |values: &str| {
        format!(
            "promise=&block=240&days=20&team={team}&least=2&most=25&cost=20&setting={}&values={values}",
            order.replace('/', "%2F")
        )
    };
    planner
        .post(&address, &form("upside+down"))
        .await
        .says("upside down: is none of longest idle;");
    let named = planner.post(&address, &form("top-down;+random")).await;
    assert_eq!(named.status, StatusCode::SEE_OTHER, "{}", named.text);
    let question = centre.store.search(key(named.location())).await.unwrap().question;
    assert_eq!(question.settings[0].values, [2.0, 5.0]);
    // Without any named, all others are tried.
    let all = planner.post(&address, &form("")).await;
    let all = centre.store.search(key(all.location())).await.unwrap().question;
    assert_eq!(all.settings[0].values, [1.0, 2.0, 3.0, 4.0, 5.0, 6.0]);
    centre.work_off().await;
    let page = planner.get(named.location()).await;
    page.says("offer order").says("top-down: ").says("random: ");
    let id = key(named.location());
    planner.get(&format!("/searches/{id}/tried.csv")).await.says(",top-down");
    // Whether an order helps is the search's affair; here it is taken for the best.
    let mut answer = centre.store.search(id).await.unwrap().answer.unwrap();
    answer.best.design.settings = vec![Some(2.0)];
    let update = sqlx::query("UPDATE searches SET answer = $2 WHERE id = $1");
    update.bind(id).bind(sqlx::types::Json(answer)).execute(&pool).await.unwrap();
    let draft = planner.post(&format!("/searches/{id}/draft"), "").await;
    planner.get(draft.location()).await.says("Changes to v1").says("longest idle").says("top-down");
}

#[sqlx::test(migrations = false)]
async fn people_can_be_asked_to_hold_on_a_storm_day_too(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let trial = trial(&centre, &planner).await;
    let address = format!("/trials/{trial}/search");
    planner.get(&address).await.says("Other kinds of day, if any");
    let team = centre.store.trial(trial).await.unwrap().inputs.strategy.teams[0].id.clone();
    let form = |kind: &str| {
        format!(
            "promise=&block=240&days=20&team={team}&least=2&most=40&cost=20&setting=&values={kind}"
        )
    };
    for (kind, said) in [
        ("&kind_volume=140", "Give each kind of day a name."),
        ("&kind=Storm&kind_volume=2", "Contacts must be 10 to 1000 %."),
        ("&kind=Storm&kind_absent=95", "People missing must be 0 to 90 %."),
        ("&kind=Storm&kind_level=most", "“most” is not a number"),
    ] {
        let refused = planner.post(&address, &form(kind)).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{kind}");
        refused.says(said);
        let typed = kind.rsplit('=').next().unwrap();
        refused.says(&format!("value=\"{typed}\""));
    }
    let asked = "&kind=Storm&kind_volume=130&kind_absent=10&kind_level=60&kind_abandonment=20";
    let queued = planner.post(&address, &form(asked)).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let question = centre.store.search(key(queued.location())).await.unwrap().question;
    let [kind] = question.day_kinds.as_slice() else { panic!("{:?}", question.day_kinds) };
    assert_eq!((kind.volume, kind.absent_share), (1.3, 0.1));
    assert_eq!((kind.service_level, kind.abandonment), (Some(0.6), Some(0.2)));
    centre.work_off().await;
    planner
        .get(queued.location())
        .await
        .says(", Storm")
        .says("Storm: 130.0 % of the contacts, 10.0 % of people missing");
}

#[sqlx::test(migrations = false)]
async fn contacts_may_have_a_price_and_what_they_cost_is_told(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let trial = trial(&centre, &planner).await;
    let team = centre.store.trial(trial).await.unwrap().inputs.strategy.teams[0].id.clone();
    let address = format!("/trials/{trial}/search");
    planner.get(&address).await.says("What contacts cost, if anything").says("Promised callback");
    let form = |prices: &str| {
        format!(
            "promise=&block=240&days=40&team={team}&least=2&most=25&cost=20&setting=&values={prices}"
        )
    };
    let wrong = planner.post(&address, &form("&price=-3&price=&price=&price=&price=")).await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    wrong.says("A price is 0 to 1,000,000.").says("value=\"-3\"");
    planner.post(&address, &form("&price=dear")).await.says("“dear” is not a number");
    let queued = planner.post(&address, &form("&price=15&price=&price=&price=&price=2.5")).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    centre.work_off().await;
    let id = key(queued.location());
    let page = planner.get(&format!("/searches/{id}")).await;
    page.says("of it for contacts)").says(
        "What contacts cost: 15 for each abandoned contact and 2.5 for each hour of waiting.",
    );
    let answer = centre.store.search(id).await.unwrap().answer.unwrap();
    assert!(answer.best.priced > 0.0 && answer.best.cost > 20.0 * answer.best.hours);
}
