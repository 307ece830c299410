//! Alarms, and when they rang.

use barometer_plan::AlarmRule;
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use sqlx::types::Json;
use sqlx::{FromRow, PgConnection};
use uuid::Uuid;

use crate::outbox::{self, NewMessage};
use crate::saves::count_save;
use crate::{Edited, Save, Store, StoreError};

/// An alarm.
#[derive(Clone, Debug, PartialEq)]
pub struct Alarm {
    /// Its key.
    pub id: Uuid,
    /// When it rings.
    pub rule: AlarmRule,
    /// Whether it is switched on.
    pub is_on: bool,
}

/// A time at which an alarm rang.
#[derive(Clone, Debug, PartialEq)]
pub struct Ring {
    /// Its key.
    pub id: Uuid,
    /// Of which alarm.
    pub alarm: Uuid,
    /// What the alarm was when it rang: it may have been changed since.
    pub rule: AlarmRule,
    /// When, by the switch's clock.
    pub rang_at: Timestamp,
    /// The value that made it ring.
    pub value: f64,
    /// When it cleared; none while it rings.
    pub cleared_at: Option<Timestamp>,
    /// Who has seen it.
    pub seen_by: Option<String>,
    /// When others were told, because nobody had seen it.
    pub escalated_at: Option<Timestamp>,
}

#[derive(FromRow)]
struct AlarmRow {
    id: Uuid,
    rule: Json<AlarmRule>,
    is_on: bool,
}

#[derive(FromRow)]
struct RingRow {
    id: Uuid,
    alarm_id: Uuid,
    rule: Json<AlarmRule>,
    rang_at: jiff_sqlx::Timestamp,
    value: f64,
    cleared_at: Option<jiff_sqlx::Timestamp>,
    seen_by: Option<String>,
    escalated_at: Option<jiff_sqlx::Timestamp>,
}

impl Store {
    /// A centre's alarms, the oldest first.
    pub async fn alarms(&self, centre: Uuid) -> Result<Vec<Alarm>, StoreError> {
        let rows: Vec<AlarmRow> = sqlx::query_as(
            "SELECT id, rule, is_on FROM alarms WHERE centre_id = $1 ORDER BY created_at, id",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing alarms"))?;
        Ok(rows
            .into_iter()
            .map(|row| Alarm { id: row.id, rule: row.rule.0, is_on: row.is_on })
            .collect())
    }

    /// Adds an alarm.
    pub async fn add_alarm(
        &self,
        centre: Uuid,
        rule: &AlarmRule,
        by: Option<Uuid>,
    ) -> Result<(), StoreError> {
        sqlx::query("INSERT INTO alarms (centre_id, rule, created_by) VALUES ($1, $2, $3)")
            .bind(centre)
            .bind(Json(rule))
            .bind(by)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("adding an alarm"))
    }

    /// Switches an alarm on or off; one that rings clears when it is switched off.
    pub async fn switch_alarm(
        &self,
        centre: Uuid,
        alarm: Uuid,
        is_on: bool,
        at: Timestamp,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("switching an alarm");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let done = sqlx::query("UPDATE alarms SET is_on = $3 WHERE id = $2 AND centre_id = $1")
            .bind(centre)
            .bind(alarm)
            .bind(is_on)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        if !is_on {
            clear(&mut tx, alarm, at).await.map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)
    }

    /// Makes another rule of an alarm; one that rings clears, for it rang by the rule before.
    pub async fn change_alarm(
        &self,
        (centre, alarm): (Uuid, Uuid),
        rule: &AlarmRule,
        at: Timestamp,
        save: Save,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("changing an alarm");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        count_save(&mut tx, Edited::Alarm(alarm), save).await?;
        let done = sqlx::query("UPDATE alarms SET rule = $3 WHERE id = $2 AND centre_id = $1")
            .bind(centre)
            .bind(alarm)
            .bind(Json(rule))
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        clear(&mut tx, alarm, at).await.map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }

    /// Removes an alarm with everything that is known of it.
    pub async fn remove_alarm(&self, centre: Uuid, alarm: Uuid) -> Result<(), StoreError> {
        let done = sqlx::query("DELETE FROM alarms WHERE id = $2 AND centre_id = $1")
            .bind(centre)
            .bind(alarm)
            .execute(&self.pool)
            .await
            .map_err(StoreError::on("removing an alarm"))?;
        if done.rows_affected() == 1 { Ok(()) } else { Err(StoreError::NotFound) }
    }

    /// An alarm begins to ring and its recipients are written to, unless it rings already.
    pub async fn ring(
        &self,
        (centre, alarm): (Uuid, Uuid),
        (at, value): (Timestamp, f64),
        messages: &[NewMessage],
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("letting an alarm ring");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let done = sqlx::query(
            "INSERT INTO alarm_rings (alarm_id, rang_at, value, rule) \
             SELECT id, $2, $3, rule FROM alarms WHERE id = $1 \
             ON CONFLICT DO NOTHING",
        )
        .bind(alarm)
        .bind(at.to_sqlx())
        .bind(value)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        // However many servers watch, one of them writes.
        if done.rows_affected() == 1 {
            outbox::put(&mut tx, centre, messages).await?;
        }
        tx.commit().await.map_err(&failed)
    }

    /// Nobody has seen a ring: others are written to, once.
    pub async fn escalate(
        &self,
        (centre, ring): (Uuid, Uuid),
        at: Timestamp,
        messages: &[NewMessage],
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("escalating an alarm");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let done = sqlx::query(
            "UPDATE alarm_rings SET escalated_at = $2 \
             WHERE id = $1 AND escalated_at IS NULL AND seen_at IS NULL AND cleared_at IS NULL",
        )
        .bind(ring)
        .bind(at.to_sqlx())
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        if done.rows_affected() == 1 {
            outbox::put(&mut tx, centre, messages).await?;
        }
        tx.commit().await.map_err(&failed)
    }

    /// An alarm does not ring any more.
    pub async fn clear_alarm(&self, alarm: Uuid, at: Timestamp) -> Result<(), StoreError> {
        let failed = StoreError::on("clearing an alarm");
        let mut connection = self.pool.acquire().await.map_err(&failed)?;
        clear(&mut connection, alarm, at).await.map_err(&failed)
    }

    /// Somebody has seen a ring; whoever came first stays named.
    pub async fn see_ring(&self, centre: Uuid, ring: Uuid, by: Uuid) -> Result<(), StoreError> {
        let done = sqlx::query(
            "UPDATE alarm_rings SET seen_by = coalesce(seen_by, $3), \
               seen_at = coalesce(seen_at, now()) \
             WHERE id = $2 AND alarm_id IN (SELECT id FROM alarms WHERE centre_id = $1)",
        )
        .bind(centre)
        .bind(ring)
        .bind(by)
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("noting who has seen an alarm"))?;
        if done.rows_affected() == 1 { Ok(()) } else { Err(StoreError::NotFound) }
    }

    /// The latest times at which a centre's alarms rang, those that ring first.
    pub async fn rings(&self, centre: Uuid, most: i64) -> Result<Vec<Ring>, StoreError> {
        let rows: Vec<RingRow> = sqlx::query_as(
            "SELECT ring.id, ring.alarm_id, ring.rule, ring.rang_at, ring.value, ring.cleared_at, \
               users.name AS seen_by, ring.escalated_at \
             FROM alarm_rings AS ring JOIN alarms ON alarms.id = ring.alarm_id \
             LEFT JOIN users ON users.id = ring.seen_by \
             WHERE alarms.centre_id = $1 \
             ORDER BY ring.cleared_at IS NULL DESC, ring.rang_at DESC LIMIT $2",
        )
        .bind(centre)
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing when alarms rang"))?;
        Ok(rows
            .into_iter()
            .map(|row| Ring {
                id: row.id,
                alarm: row.alarm_id,
                rule: row.rule.0,
                rang_at: row.rang_at.to_jiff(),
                value: row.value,
                cleared_at: row.cleared_at.map(|at| at.to_jiff()),
                seen_by: row.seen_by,
                escalated_at: row.escalated_at.map(|at| at.to_jiff()),
            })
            .collect())
    }
}

async fn clear(
    connection: &mut PgConnection,
    alarm: Uuid,
    at: Timestamp,
) -> Result<(), sqlx::Error> {
    sqlx::query("UPDATE alarm_rings SET cleared_at = $2 WHERE alarm_id = $1 AND cleared_at IS NULL")
        .bind(alarm)
        .bind(at.to_sqlx())
        .execute(connection)
        .await
        .map(|_| ())
}
