//! Messages that wait, are taken up, fail, are given up and are sent again.

use barometer_plan::{AlarmMeasure, AlarmRule, Recipient, Severity};
use barometer_store::{MOST_ATTEMPTS, MessageState, NewMessage, Store};
use serde_json::json;
use sqlx::PgPool;
use uuid::Uuid;

use crate::fixture::{Fixture, at, fixture};

fn message(to: &str) -> NewMessage {
    NewMessage {
        recipient: to.parse().unwrap(),
        subject: "Bookings: contacts waiting over 4".to_owned(),
        body: "It was 7.".to_owned(),
        event: json!({ "value": 7 }),
    }
}

async fn alarm(store: &Store, centre: Uuid) -> Uuid {
    let rule = AlarmRule {
        tells: vec![Recipient::Mail("duty@example.org".to_owned())],
        ..AlarmRule::new(AlarmMeasure::Waiting, Some("Bookings"), 4.0, Severity::Urgent)
    };
    store.add_alarm(centre, &rule, None).await.unwrap();
    let alarms = store.alarms(centre).await.unwrap();
    assert_eq!(alarms[0].rule, rule);
    alarms[0].id
}

#[sqlx::test(migrations = false)]
async fn an_alarm_writes_once_however_many_servers_let_it_ring(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    let alarm = alarm(&store, centre).await;
    let rang = (at("2026-11-23T10:00:00Z"), 7.0);
    let messages = [message("duty@example.org"), message("https://hooks.example.org/a")];
    store.ring((centre, alarm), rang, &messages).await.unwrap();
    store.ring((centre, alarm), rang, &messages).await.unwrap();
    assert_eq!(store.messages(centre, 10).await.unwrap().len(), 2);
    let ring = store.rings(centre, 10).await.unwrap().remove(0);
    let later = at("2026-11-23T10:10:00Z");
    store.escalate((centre, ring.id), later, &messages[..1]).await.unwrap();
    store.escalate((centre, ring.id), later, &messages[..1]).await.unwrap();
    assert_eq!(store.messages(centre, 10).await.unwrap().len(), 3, "escalated once");
    assert_eq!(store.rings(centre, 10).await.unwrap()[0].escalated_at, Some(later));
    // One that somebody has seen is not escalated.
    store.clear_alarm(alarm, later).await.unwrap();
    store.ring((centre, alarm), (later, 5.0), &[]).await.unwrap();
    let open = store.rings(centre, 1).await.unwrap().remove(0);
    store.see_ring(centre, open.id, planner).await.unwrap();
    store.escalate((centre, open.id), later, &messages).await.unwrap();
    assert_eq!(store.messages(centre, 10).await.unwrap().len(), 3);
}

#[sqlx::test(migrations = false)]
async fn a_message_is_tried_again_given_up_and_sent_again_by_hand(pool: PgPool) {
    let Fixture { store, centre, .. } = fixture(pool.clone()).await;
    let alarm = alarm(&store, centre).await;
    let messages = [message("https://hooks.example.org/a")];
    store.ring((centre, alarm), (at("2026-11-23T10:00:00Z"), 7.0), &messages).await.unwrap();
    for attempt in 1..=MOST_ATTEMPTS {
        let taken = store.take_message().await.unwrap().unwrap();
        assert_eq!(taken.attempts, attempt);
        assert_eq!(store.take_message().await.unwrap(), None, "nobody else gets it meanwhile");
        store.postpone_message(taken.id, "it answered 500").await.unwrap();
        assert_eq!(store.take_message().await.unwrap(), None, "not before its pause is over");
        let pause: f64 =
            sqlx::query_scalar("SELECT extract(epoch FROM due_at - now())::float8 FROM outbox")
                .fetch_one(&pool)
                .await
                .unwrap();
        let wanted = 15.0 * f64::from(attempt - 1).exp2();
        assert!((pause - wanted).abs() < 10.0, "{pause} s before attempt {}", attempt + 1);
        sqlx::query("UPDATE outbox SET due_at = now()").execute(&pool).await.unwrap();
    }
    assert_eq!(store.take_message().await.unwrap(), None, "it is given up");
    let given_up = store.messages(centre, 1).await.unwrap().remove(0);
    assert_eq!(given_up.state, MessageState::Failed);
    assert_eq!(given_up.failure.as_deref(), Some("it answered 500"));
    store.send_again(centre, given_up.id).await.unwrap();
    let taken = store.take_message().await.unwrap().unwrap();
    assert_eq!((taken.id, taken.attempts), (given_up.id, 1));
    assert_eq!(taken.key.len(), 64, "{}", taken.key);
    store.end_message(taken.id, MessageState::Sent).await.unwrap();
    store.postpone_message(taken.id, "late news").await.unwrap();
    assert_eq!(store.messages(centre, 1).await.unwrap()[0].state, MessageState::Sent);
    assert!(store.send_again(Uuid::new_v4(), taken.id).await.is_err(), "another centre's");
}
