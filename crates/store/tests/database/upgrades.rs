//! What earlier versions have kept is brought up to date, and nothing of it is lost.

use barometer_store::Store;
use barometer_strategy::{Channel, Strategy};
use sqlx::PgPool;
use sqlx::types::Json;
use uuid::Uuid;

/// The schema before strategies belonged to the centre.
async fn before_centre_strategies(pool: &PgPool) {
    let mut earlier = sqlx::migrate!("./migrations");
    earlier.migrations.to_mut().retain(|migration| migration.version < 19);
    earlier.run(pool).await.unwrap();
}

async fn key(pool: &PgPool, insert: &'static str, name: &str, of: Uuid) -> Uuid {
    sqlx::query_scalar(insert).bind(name).bind(of).fetch_one(pool).await.unwrap()
}

#[sqlx::test(migrations = false)]
async fn live_strategies_of_contact_types_become_one_live_version_of_the_centre(pool: PgPool) {
    before_centre_strategies(&pool).await;
    let centre = "INSERT INTO centres (id, name, zone) VALUES ($2, $1, 'UTC') RETURNING id";
    let centre = key(&pool, centre, "Larkhaven", Uuid::new_v4()).await;
    let contact_type = "INSERT INTO contact_types (centre_id, name, position, grain_minutes, rules) \
        VALUES ($2, $1, (SELECT count(*) FROM contact_types), 30, '{}') RETURNING id";
    let mut trials = Vec::new();
    for name in ["Bookings", "Groups"] {
        let of = key(&pool, contact_type, name, centre).await;
        for (version, is_live) in [(1, true), (2, false)] {
            let mut strategy = Strategy::plain(name);
            strategy.first_queue_mut().unwrap().places = Some(10 * version as u32);
            let id: Uuid = sqlx::query_scalar(
                "INSERT INTO strategy_versions (contact_type_id, version, body) \
                 VALUES ($1, $2, $3) RETURNING id",
            )
            .bind(of)
            .bind(version)
            .bind(Json(&strategy))
            .fetch_one(&pool)
            .await
            .unwrap();
            if is_live {
                let live = "INSERT INTO go_lives (note, strategy_version_id) VALUES ($1, $2) \
                    RETURNING id";
                key(&pool, live, "first", id).await;
                let trial = "INSERT INTO trials (cover_words, strategy_version_id, contact_type_id, \
                    day, inputs) SELECT $1, $2, contact_type_id, '2026-07-02', '{}' \
                    FROM strategy_versions WHERE id = $2 RETURNING id";
                trials.push(key(&pool, trial, "planned cover", id).await);
            }
        }
    }
    let store = Store::on(pool.clone());
    // A second start finds nothing left to do.
    for _ in 0..2 {
        store.migrate().await.unwrap();
    }
    let versions = store.strategy_versions(centre).await.unwrap();
    let numbers: Vec<_> = versions.iter().map(|each| (each.version, each.is_live)).collect();
    assert_eq!(numbers, [(5, true), (4, false), (3, false), (2, false), (1, false)]);
    let joined = &versions[0].strategy;
    assert_eq!((joined.name.as_str(), joined.faults()), ("Larkhaven", Vec::new()));
    assert_eq!(joined.home_team("Groups", Channel::Call).unwrap().name, "Groups team");
    let places: Vec<_> = joined
        .steps
        .iter()
        .filter_map(|step| match &step.does {
            barometer_strategy::StepKind::Queue(queue) => queue.places,
            _ => None,
        })
        .collect();
    assert_eq!(places, [10, 10], "what was live, not what was newest");
    let names: Vec<String> = sqlx::query_scalar("SELECT subject FROM trials ORDER BY subject")
        .fetch_all(&pool)
        .await
        .unwrap();
    assert_eq!((trials.len(), names), (2, vec!["Bookings".to_owned(), "Groups".to_owned()]));
}
