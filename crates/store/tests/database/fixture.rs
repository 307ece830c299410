//! What most stories begin with: a centre with one contact type, and a planner.

use barometer_forecast::Grain;
use barometer_plan::Rules;
use barometer_store::{Role, Store};
use jiff::Timestamp;
use sqlx::PgPool;
use uuid::Uuid;

pub struct Fixture {
    pub store: Store,
    pub centre: Uuid,
    pub bookings: Uuid,
    pub planner: Uuid,
}

pub async fn fixture(pool: PgPool) -> Fixture {
    let store = Store::on(pool);
    store.migrate().await.unwrap();
    let centre = store.add_centre("Test centre", "Europe/London").await.unwrap();
    let bookings =
        store.add_contact_type(centre, "Bookings", Grain::Half, &Rules::STARTING).await.unwrap();
    let planner =
        store.add_user("A. Planner", "a@example.org", "hash", Role::Planner).await.unwrap();
    Fixture { store, centre, bookings, planner }
}

pub fn at(text: &str) -> Timestamp {
    text.parse().unwrap()
}
