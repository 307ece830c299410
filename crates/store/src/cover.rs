//! People planned on the phones.

use barometer_plan::CoverInterval;
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use uuid::Uuid;

use crate::saves::count_save;
use crate::{Edited, Save, Store, StoreError};

impl Store {
    /// The cover of intervals that start from `from` until before `to`, in order; intervals for
    /// which nothing is planned are left out.
    pub async fn cover_between(
        &self,
        contact_type: Uuid,
        from: Timestamp,
        to: Timestamp,
    ) -> Result<Vec<CoverInterval>, StoreError> {
        let rows: Vec<(jiff_sqlx::Timestamp, i32)> = sqlx::query_as(
            "SELECT interval_start, agents FROM cover \
             WHERE contact_type_id = $1 AND interval_start >= $2 AND interval_start < $3 \
             ORDER BY interval_start",
        )
        .bind(contact_type)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading the cover"))?;
        Ok(rows
            .into_iter()
            .map(|(start, agents)| CoverInterval {
                start: start.to_jiff(),
                agents: agents.unsigned_abs(),
            })
            .collect())
    }

    /// Plans these intervals, replacing what was planned for them, all or none.
    pub async fn save_cover(
        &self,
        contact_type: Uuid,
        cover: &[CoverInterval],
        save: Save,
    ) -> Result<(), StoreError> {
        self.save_covers(&[(contact_type, cover.to_vec(), save)]).await
    }

    /// Plans intervals of several contact types, replacing what was planned for them, all or none.
    pub async fn save_covers(
        &self,
        covers: &[(Uuid, Vec<CoverInterval>, Save)],
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("saving the cover");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        // Always in one order: two who save the same covers wait for each other instead of both failing.
        let mut in_order: Vec<_> = covers.iter().collect();
        in_order.sort_by_key(|(contact_type, _, _)| *contact_type);
        for (contact_type, cover, save) in in_order {
            count_save(&mut tx, Edited::Cover(*contact_type), *save).await?;
            insert_cover(&mut tx, *contact_type, cover).await?;
        }
        tx.commit().await.map_err(&failed)
    }
}

pub(crate) async fn insert_cover(
    connection: &mut sqlx::PgConnection,
    contact_type: Uuid,
    cover: &[CoverInterval],
) -> Result<(), StoreError> {
    let starts: Vec<_> = cover.iter().map(|interval| interval.start.to_sqlx()).collect();
    let agents: Vec<_> =
        cover.iter().map(|interval| i32::try_from(interval.agents).unwrap_or(i32::MAX)).collect();
    sqlx::query(
        "INSERT INTO cover (contact_type_id, interval_start, agents) \
         SELECT $1, * FROM unnest($2::timestamptz[], $3::int4[]) \
         ON CONFLICT (contact_type_id, interval_start) DO UPDATE SET agents = excluded.agents",
    )
    .bind(contact_type)
    .bind(starts)
    .bind(agents)
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(StoreError::on("saving the cover"))
}
