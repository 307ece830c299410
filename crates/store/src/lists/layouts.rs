//! How a centre's lists were read the last time, by their headings.

use barometer_intake::ListLayout;
use sqlx::types::Json;
use uuid::Uuid;

use super::ListSubject;
use crate::{Store, StoreError};

impl Store {
    /// The layout in which a centre's lists with these headings were read the last time.
    pub async fn remembered_list_layout(
        &self,
        centre: Uuid,
        subject: ListSubject,
        signature: &str,
    ) -> Result<Option<ListLayout>, StoreError> {
        let layout: Option<Json<ListLayout>> = sqlx::query_scalar(
            "SELECT layout FROM list_layouts \
             WHERE centre_id = $1 AND subject = $2 AND signature = $3",
        )
        .bind(centre)
        .bind(subject)
        .bind(signature)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("looking for the layout of a list"))?;
        Ok(layout.map(|Json(layout)| layout))
    }

    /// Remembers the layout of a centre's lists with these headings.
    pub async fn remember_list_layout(
        &self,
        centre: Uuid,
        subject: ListSubject,
        signature: &str,
        layout: &ListLayout,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO list_layouts (centre_id, subject, signature, layout) \
             VALUES ($1, $2, $3, $4) \
             ON CONFLICT (centre_id, subject, signature) DO UPDATE SET layout = excluded.layout",
        )
        .bind(centre)
        .bind(subject)
        .bind(signature)
        .bind(Json(layout))
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("remembering the layout of a list"))
    }
}
