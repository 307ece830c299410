//! What was done on a day to help.

use barometer_plan::CoverInterval;
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use sqlx::types::Json;
use uuid::Uuid;

use crate::cover::insert_cover;
use crate::outbox::{self, NewMessage};
use crate::saves::count_save;
use crate::{Edited, Save, Store, StoreError};

/// Something that was done on a day to help.
#[derive(Clone, Debug, PartialEq)]
pub struct Intervention {
    /// When, by the switch's clock.
    pub at: Timestamp,
    /// By whom.
    pub by: Option<String>,
    /// What, and what it was said to do to each contact type.
    pub done: InterventionNote,
}

/// What is kept of an intervention.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct InterventionNote {
    /// In words.
    pub words: String,
    /// The contact types for which it was told from luck: the day's service level that was expected without it and
    /// with it.
    pub expected: Vec<(String, f64, f64)>,
}

/// A break of somebody at work for a contact type: the time between two stretches.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Break {
    /// Who.
    pub agent: Uuid,
    /// For which contact type they work before and after it.
    pub contact_type: Uuid,
    /// When it begins.
    pub from: Timestamp,
    /// When it ends.
    pub until: Timestamp,
    /// When the work after it ends.
    pub work_ends: Timestamp,
}

/// Something that is done to help.
#[derive(Clone, Debug)]
pub struct NewIntervention<'a> {
    /// When, by the switch's clock.
    pub at: Timestamp,
    /// By whom.
    pub by: Uuid,
    /// What.
    pub note: &'a InterventionNote,
    /// Cover that is planned for it, by contact type.
    pub covers: &'a [(Uuid, Vec<CoverInterval>)],
    /// Breaks, and by how many seconds each begins later.
    pub breaks: &'a [(Break, f64)],
    /// Whom it is told.
    pub messages: &'a [NewMessage],
}

/// The longest time between two stretches that is a break and no evening off, in hours.
const LONGEST_BREAK_HOURS: f64 = 3.0;

impl Store {
    /// Plans the cover of an intervention, takes breaks later, tells whom it says, and keeps what was done: all or
    /// nothing. A break that somebody else has moved meanwhile stays where it is.
    pub async fn intervene(
        &self,
        centre: Uuid,
        new: NewIntervention<'_>,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("keeping what was done");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        for (contact_type, cover) in new.covers {
            // A form of this cover that somebody has open was filled in before it.
            let save = Save { based_on: None, by: Some(new.by) };
            count_save(&mut tx, Edited::Cover(*contact_type), save).await?;
            insert_cover(&mut tx, *contact_type, cover).await?;
        }
        for (each, by_secs) in new.breaks {
            sqlx::query(
                "UPDATE agent_shifts SET \
                   ends_at = CASE WHEN ends_at = $3 THEN ends_at + make_interval(secs => $5) ELSE ends_at END, \
                   starts_at = CASE WHEN starts_at = $4 THEN starts_at + make_interval(secs => $5) ELSE starts_at END \
                 WHERE agent_id = $1 AND contact_type_id = $2 AND (ends_at = $3 OR starts_at = $4)",
            )
            .bind(each.agent)
            .bind(each.contact_type)
            .bind(each.from.to_sqlx())
            .bind(each.until.to_sqlx())
            .bind(by_secs)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        }
        outbox::put(&mut tx, centre, new.messages).await?;
        sqlx::query(
            "INSERT INTO interventions (centre_id, done_at, done_by, help) VALUES ($1, $2, $3, $4)",
        )
        .bind(centre)
        .bind(new.at.to_sqlx())
        .bind(new.by)
        .bind(Json(new.note))
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }

    /// Breaks of the centre's people that begin between two times, in order.
    pub async fn breaks_between(
        &self,
        centre: Uuid,
        from: Timestamp,
        to: Timestamp,
    ) -> Result<Vec<Break>, StoreError> {
        type Row = (Uuid, Uuid, jiff_sqlx::Timestamp, jiff_sqlx::Timestamp, jiff_sqlx::Timestamp);
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT agent_id, contact_type_id, ends_at, next_start, next_end FROM ( \
               SELECT agent_id, contact_type_id, ends_at, \
                 lead(starts_at) OVER work AS next_start, lead(agent_shifts.ends_at) OVER work AS next_end \
               FROM agent_shifts JOIN agents ON agents.id = agent_id \
               WHERE centre_id = $1 AND starts_at < $3 AND ends_at > $2 - interval '1 day' \
               WINDOW work AS (PARTITION BY agent_id, contact_type_id ORDER BY starts_at)) AS stretches \
             WHERE ends_at >= $2 AND ends_at < $3 AND next_start > ends_at \
               AND next_start <= ends_at + make_interval(secs => $4) \
             ORDER BY ends_at, agent_id",
        )
        .bind(centre)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .bind(3600.0 * LONGEST_BREAK_HOURS)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading breaks"))?;
        let read = |(agent, contact_type, from, until, ends): Row| Break {
            agent,
            contact_type,
            from: from.to_jiff(),
            until: until.to_jiff(),
            work_ends: ends.to_jiff(),
        };
        Ok(rows.into_iter().map(read).collect())
    }

    /// What was done between two times of the switch's clock, the latest first.
    pub async fn interventions(
        &self,
        centre: Uuid,
        from: Timestamp,
        to: Timestamp,
    ) -> Result<Vec<Intervention>, StoreError> {
        type Row = (jiff_sqlx::Timestamp, Option<String>, Json<InterventionNote>);
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT done_at, users.name, help FROM interventions \
             LEFT JOIN users ON users.id = done_by \
             WHERE centre_id = $1 AND done_at >= $2 AND done_at < $3 ORDER BY done_at DESC",
        )
        .bind(centre)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading what was done"))?;
        Ok(rows
            .into_iter()
            .map(|(at, by, done)| Intervention { at: at.to_jiff(), by, done: done.0 })
            .collect())
    }
}
