//! Uploaded files, kept in chunks until their import is saved or thrown away.

use barometer_intake::Layout;
use futures_util::stream::{BoxStream, StreamExt, TryStreamExt};
use sqlx::types::Json;
use uuid::Uuid;

use super::{ImportWriter, forget_rows};
use crate::readings::try_lock;
use crate::{Centre, Store, StoreError};

/// Bytes that are kept as one chunk.
const CHUNK_BYTES: usize = 1 << 18;

/// A file on its way into the database.
pub struct Upload {
    store: Store,
    import: Uuid,
    number: i32,
    chunks: i32,
    buffer: Vec<u8>,
}

impl Upload {
    pub(crate) fn of(store: &Store, import: Uuid, number: i32) -> Self {
        let buffer = Vec::with_capacity(2 * CHUNK_BYTES);
        Self { store: store.clone(), import, number, chunks: 0, buffer }
    }

    /// Adds bytes.
    pub async fn add(&mut self, bytes: &[u8]) -> Result<(), StoreError> {
        self.buffer.extend_from_slice(bytes);
        if self.buffer.len() >= CHUNK_BYTES { self.send().await } else { Ok(()) }
    }

    /// Ends the upload; returns the import's key.
    pub async fn finish(mut self) -> Result<Uuid, StoreError> {
        if !self.buffer.is_empty() {
            self.send().await?;
        }
        Ok(self.import)
    }

    /// Gives up: nothing of the file is kept.
    pub async fn abandon(self) -> Result<(), StoreError> {
        self.store.forget_import(self.import).await
    }

    async fn send(&mut self) -> Result<(), StoreError> {
        sqlx::query("INSERT INTO import_chunks (import_number, chunk, bytes) VALUES ($1, $2, $3)")
            .bind(self.number)
            .bind(self.chunks)
            .bind(&self.buffer)
            .execute(&self.store.pool)
            .await
            .map_err(StoreError::on("keeping the file"))?;
        self.chunks += 1;
        self.buffer.clear();
        Ok(())
    }
}

impl Store {
    /// Begins the upload of a file. `contact_type` is the one of files without such a column.
    pub async fn begin_upload(
        &self,
        centre: &Centre,
        file_name: &str,
        contact_type: Option<&str>,
        by: Uuid,
    ) -> Result<Upload, StoreError> {
        let failed = StoreError::on("beginning an import");
        self.forget_old_uploads().await?;
        let (import, number): (Uuid, i32) = sqlx::query_as(
            "INSERT INTO imports (centre_id, file_name, contact_type, created_by, state) \
             VALUES ($1, $2, $3, $4, 'uploaded') RETURNING id, number",
        )
        .bind(centre.id)
        .bind(file_name)
        .bind(contact_type)
        .bind(by)
        .fetch_one(&self.pool)
        .await
        .map_err(&failed)?;
        Ok(Upload::of(self, import, number))
    }

    /// Discards the imports that nobody came back to within a day, with their files: all of it or
    /// nothing, so that none can be confirmed whose rows are gone.
    pub(crate) async fn forget_old_uploads(&self) -> Result<(), StoreError> {
        let failed = StoreError::on("forgetting old uploads");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let statements = [
            "UPDATE imports SET state = 'discarded' \
             WHERE state IN ('uploaded', 'reading', 'preview') \
               AND created_at < now() - interval '1 day'",
            "DELETE FROM import_rows WHERE import_number IN ( \
               SELECT number FROM imports WHERE state NOT IN ('uploaded', 'reading', 'preview'))",
            "DELETE FROM import_chunks WHERE import_number IN ( \
               SELECT number FROM imports WHERE state NOT IN ('uploaded', 'reading', 'preview'))",
            "DELETE FROM list_people WHERE import_number IN ( \
               SELECT number FROM imports WHERE state = 'discarded')",
        ];
        for statement in statements {
            sqlx::query(statement).execute(&mut *tx).await.map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)
    }

    /// Whether the reading of a file has broken off, as when its server was stopped; then it waits to
    /// be read again.
    pub async fn is_reading_broken_off(&self, import: Uuid) -> Result<bool, StoreError> {
        let failed = StoreError::on("looking after a reading");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        if !try_lock(&mut tx, import).await? {
            return Ok(false);
        }
        let broken_off = sqlx::query(
            "UPDATE imports SET state = 'uploaded' WHERE id = $1 AND state = 'reading'",
        )
        .bind(import)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(broken_off.rows_affected() == 1)
    }

    /// The bytes of an uploaded file, chunk by chunk.
    pub fn uploaded_bytes(&self, import: Uuid) -> BoxStream<'static, Result<Vec<u8>, StoreError>> {
        let pool = self.pool.clone();
        let failed = StoreError::on("reading the uploaded file");
        // Chunk by chunk rather than as one result: a slow reader must not hold it all in memory.
        futures_util::stream::try_unfold((pool, 0_i32), move |(pool, chunk)| async move {
            let bytes: Option<Vec<u8>> = sqlx::query_scalar(
                "SELECT bytes FROM import_chunks JOIN imports ON number = import_number \
                 WHERE id = $1 AND chunk = $2",
            )
            .bind(import)
            .bind(chunk)
            .fetch_optional(&pool)
            .await?;
            Ok(bytes.map(|bytes| (bytes, (pool, chunk + 1))))
        })
        .map_err(failed)
        .boxed()
    }

    /// Begins to read an uploaded file in a layout, whatever was read of it before. Only one reads a file
    /// at a time: [`StoreError::Busy`] for the others.
    pub async fn begin_reading(
        &self,
        centre: &Centre,
        import: Uuid,
        layout: &Layout,
    ) -> Result<ImportWriter, StoreError> {
        let failed = StoreError::on("beginning to read the file");
        let turn = self.reading_turn(import).await?;
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let number: i32 = sqlx::query_scalar(
            "UPDATE imports SET state = 'reading', layout = $2 \
             WHERE id = $1 AND state IN ('uploaded', 'reading', 'preview') RETURNING number",
        )
        .bind(import)
        .bind(Json(layout))
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        forget_rows(&mut tx, import).await?;
        for table in ["import_types", "import_refusals"] {
            sqlx::query(sqlx::AssertSqlSafe(format!("DELETE FROM {table} WHERE import_id = $1")))
                .bind(import)
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)?;
        ImportWriter::open(self, (import, number), centre, turn).await
    }

    /// Forgets an import that came to nothing.
    pub async fn forget_import(&self, import: Uuid) -> Result<(), StoreError> {
        let failed = StoreError::on("giving up an import");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        forget_rows(&mut tx, import).await?;
        sqlx::query(
            "DELETE FROM import_chunks USING imports WHERE number = import_number AND id = $1",
        )
        .bind(import)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        sqlx::query("DELETE FROM imports WHERE id = $1")
            .bind(import)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }

    /// The layout that a centre's files with these headings were read in the last time.
    pub async fn remembered_layout(
        &self,
        centre: Uuid,
        signature: &str,
    ) -> Result<Option<Layout>, StoreError> {
        let layout: Option<Json<Layout>> = sqlx::query_scalar(
            "SELECT layout FROM import_layouts WHERE centre_id = $1 AND signature = $2",
        )
        .bind(centre)
        .bind(signature)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("looking for a layout"))?;
        Ok(layout.map(|Json(layout)| layout))
    }

    /// Remembers the layout of a centre's files with these headings.
    pub async fn remember_layout(
        &self,
        centre: Uuid,
        signature: &str,
        layout: &Layout,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO import_layouts (centre_id, signature, layout) VALUES ($1, $2, $3) \
             ON CONFLICT (centre_id, signature) DO UPDATE SET layout = excluded.layout",
        )
        .bind(centre)
        .bind(signature)
        .bind(Json(layout))
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("remembering a layout"))
    }
}
