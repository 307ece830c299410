//! Reports that were made once and stay until something that they tell of changes.

use barometer_report::Report;
use sqlx::types::Json;

use crate::{Store, StoreError};

/// Reports that are kept side by side.
const MOST_PAGES: i64 = 200;

/// What is kept under a key, and how often figures have changed so far.
#[derive(Clone, Debug)]
pub struct PageState {
    /// Changes so far: a report of figures that are read now belongs to this number.
    pub changes: i64,
    /// The report, where one was made since the last of them.
    pub report: Option<Report>,
}

impl Store {
    /// The report that was made for this key, if nothing has changed since.
    pub async fn report_page(&self, key: &[u8]) -> Result<PageState, StoreError> {
        let (changes, report): (i64, Option<Json<Report>>) = sqlx::query_as(
            "SELECT facts.changes, page.report FROM facts_changes AS facts \
             LEFT JOIN report_pages AS page ON page.key = $1 AND page.changes = facts.changes",
        )
        .bind(key)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading a report"))?;
        Ok(PageState { changes, report: report.map(|report| report.0) })
    }

    /// Keeps a report made from figures that were read at this count of changes; older ones are removed.
    pub async fn keep_report_page(
        &self,
        key: &[u8],
        changes: i64,
        report: &Report,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("keeping a report");
        sqlx::query(
            "INSERT INTO report_pages (key, changes, report) VALUES ($1, $2, $3) \
             ON CONFLICT (key) DO UPDATE SET changes = $2, report = $3, made_at = now()",
        )
        .bind(key)
        .bind(changes)
        .bind(Json(report))
        .execute(&self.pool)
        .await
        .map_err(&failed)?;
        sqlx::query(
            "DELETE FROM report_pages WHERE changes < $1 OR made_at < \
               (SELECT made_at FROM report_pages ORDER BY made_at DESC OFFSET $2 LIMIT 1)",
        )
        .bind(changes)
        .bind(MOST_PAGES)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(&failed)
    }

    /// Forgets every kept report: another version of the program may word them otherwise.
    pub async fn forget_report_pages(&self) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM report_pages")
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("forgetting reports"))
    }
}
