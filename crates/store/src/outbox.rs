//! Messages: kept before they are sent, so that none is lost and none is sent twice on purpose.

use barometer_plan::Recipient;
use jiff::Timestamp;
use serde_json::Value;
use sqlx::types::Json;
use sqlx::{FromRow, PgConnection};
use uuid::Uuid;

use crate::{Store, StoreError};

/// Attempts after which a message is given up.
pub const MOST_ATTEMPTS: i32 = 8;
/// Seconds before the second attempt; each further one waits twice as long.
const FIRST_PAUSE_SECS: f64 = 15.0;
/// Seconds in which a message that was taken up must be sent; then another server tries.
const SENDING_SECS: f64 = 120.0;

/// A message that is to be sent.
#[derive(Clone, Debug, PartialEq)]
pub struct NewMessage {
    /// To whom.
    pub recipient: Recipient,
    /// In one line.
    pub subject: String,
    /// In full.
    pub body: String,
    /// For programs.
    pub event: Value,
}

/// How far a message is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, sqlx::Type)]
#[sqlx(type_name = "text", rename_all = "lowercase")]
pub enum MessageState {
    /// It is still to be sent, perhaps again.
    Waiting,
    /// The mail server or the webhook has taken it.
    Sent,
    /// It stays in the outbox, because there is no mail server.
    Kept,
    /// It was given up.
    Failed,
}

/// A message.
#[derive(Clone, Debug, PartialEq)]
pub struct Message {
    /// Key.
    pub id: Uuid,
    /// To whom; none where what is kept is no recipient any more.
    pub recipient: Option<Recipient>,
    /// In one line.
    pub subject: String,
    /// In full.
    pub body: String,
    /// For programs.
    pub event: Value,
    /// When it was written.
    pub created_at: Timestamp,
    /// Attempts so far.
    pub attempts: i32,
    /// How far it is.
    pub state: MessageState,
    /// Why the last attempt failed.
    pub failure: Option<String>,
    /// With which a webhook is signed.
    pub key: String,
    /// The made report whose files go with it.
    pub edition: Option<Uuid>,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    recipient: String,
    subject: String,
    body: String,
    event: Json<Value>,
    created_at: jiff_sqlx::Timestamp,
    attempts: i32,
    state: MessageState,
    failure: Option<String>,
    webhook_key: String,
    edition_id: Option<Uuid>,
}

impl From<Row> for Message {
    fn from(row: Row) -> Self {
        Self {
            id: row.id,
            recipient: row.recipient.parse().ok(),
            subject: row.subject,
            body: row.body,
            event: row.event.0,
            created_at: row.created_at.to_jiff(),
            attempts: row.attempts,
            state: row.state,
            failure: row.failure,
            key: row.webhook_key,
            edition: row.edition_id,
        }
    }
}

/// Puts messages into the outbox, in the caller's transaction.
pub(crate) async fn put(
    connection: &mut PgConnection,
    centre: Uuid,
    messages: &[NewMessage],
) -> Result<(), StoreError> {
    put_with_files(connection, centre, messages, None).await
}

/// Puts messages into the outbox, with the files of a made report, in the caller's transaction.
pub(crate) async fn put_with_files(
    connection: &mut PgConnection,
    centre: Uuid,
    messages: &[NewMessage],
    edition: Option<Uuid>,
) -> Result<(), StoreError> {
    for message in messages {
        sqlx::query(
            "INSERT INTO outbox (centre_id, recipient, subject, body, event, edition_id) \
             VALUES ($1, $2, $3, $4, $5, $6)",
        )
        .bind(centre)
        .bind(message.recipient.to_string())
        .bind(&message.subject)
        .bind(&message.body)
        .bind(Json(&message.event))
        .bind(edition)
        .execute(&mut *connection)
        .await
        .map_err(StoreError::on("writing a message"))?;
    }
    Ok(())
}

impl Store {
    /// Takes up the message that is due longest, if any; no other server gets it for two minutes.
    pub async fn take_message(&self) -> Result<Option<Message>, StoreError> {
        let row: Option<Row> = sqlx::query_as(
            "UPDATE outbox SET attempts = attempts + 1, due_at = now() + make_interval(secs => $1) \
             FROM centres WHERE centres.id = outbox.centre_id AND outbox.id = ( \
               SELECT id FROM outbox WHERE state = 'waiting' AND due_at <= now() \
               ORDER BY due_at LIMIT 1 FOR UPDATE SKIP LOCKED) \
             RETURNING outbox.id, recipient, subject, body, event, outbox.created_at, attempts, state, \
               failure, webhook_key, edition_id",
        )
        .bind(SENDING_SECS)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("taking up a message"))?;
        Ok(row.map(Message::from))
    }

    /// Notes that a message has arrived, or stays in the outbox.
    pub async fn end_message(&self, id: Uuid, state: MessageState) -> Result<(), StoreError> {
        sqlx::query(
            "UPDATE outbox SET state = $2, ended_at = now(), failure = NULL \
             WHERE id = $1 AND state = 'waiting'",
        )
        .bind(id)
        .bind(state)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("noting what became of a message"))
    }

    /// Notes that an attempt failed: it is tried again after a while that grows, or given up.
    pub async fn postpone_message(&self, id: Uuid, why: &str) -> Result<(), StoreError> {
        sqlx::query(
            "UPDATE outbox SET failure = $2, \
               due_at = now() + make_interval(secs => $3 * power(2, attempts - 1)), \
               state = CASE WHEN attempts >= $4 THEN 'failed' ELSE state END, \
               ended_at = CASE WHEN attempts >= $4 THEN now() END \
             WHERE id = $1 AND state = 'waiting'",
        )
        .bind(id)
        .bind(why)
        .bind(FIRST_PAUSE_SECS)
        .bind(MOST_ATTEMPTS)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("noting that a message was not sent"))
    }

    /// Lets a message be sent again from the first attempt on.
    pub async fn send_again(&self, centre: Uuid, id: Uuid) -> Result<(), StoreError> {
        let done = sqlx::query(
            "UPDATE outbox SET state = 'waiting', attempts = 0, due_at = now(), ended_at = NULL, \
               failure = NULL WHERE id = $2 AND centre_id = $1",
        )
        .bind(centre)
        .bind(id)
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("sending a message again"))?;
        if done.rows_affected() == 1 { Ok(()) } else { Err(StoreError::NotFound) }
    }

    /// A centre's latest messages, newest first.
    pub async fn messages(&self, centre: Uuid, most: i64) -> Result<Vec<Message>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT outbox.id, recipient, subject, body, event, outbox.created_at, attempts, state, \
               failure, webhook_key, edition_id \
             FROM outbox JOIN centres ON centres.id = outbox.centre_id \
             WHERE centre_id = $1 ORDER BY outbox.created_at DESC, outbox.id LIMIT $2",
        )
        .bind(centre)
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing messages"))?;
        Ok(rows.into_iter().map(Message::from).collect())
    }

    /// With which a centre's webhooks are signed.
    pub async fn webhook_key(&self, centre: Uuid) -> Result<String, StoreError> {
        sqlx::query_scalar("SELECT webhook_key FROM centres WHERE id = $1")
            .bind(centre)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("reading the key of webhooks"))
    }
}
