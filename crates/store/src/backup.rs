//! What a backup needs of the database: one moment of it, and sums by which two databases are compared.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use sqlx::{PgConnection, Postgres, Transaction};

use crate::operating::MIGRATIONS;
use crate::{Store, StoreError};

/// Rows of a table and a digest of all of them, whatever their order.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct TableSum {
    /// Rows.
    pub rows: i64,
    /// Sum of the rows' digests.
    pub digest: String,
}

/// Sums by table.
pub type TableSums = BTreeMap<String, TableSum>;

/// One moment of the database, which lasts as long as this does.
#[derive(Debug)]
pub struct Snapshot {
    tx: Transaction<'static, Postgres>,
    /// By which another connection can look at the same moment.
    pub id: String,
}

impl Snapshot {
    /// The sums of all tables at that moment.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database fails.
    pub async fn sums(&mut self) -> Result<TableSums, StoreError> {
        sums(&mut self.tx).await
    }
}

/// The version of the schema that this program makes.
pub fn schema_version() -> i64 {
    MIGRATIONS.iter().map(|migration| migration.version).max().unwrap_or(0)
}

async fn sums(connection: &mut PgConnection) -> Result<TableSums, StoreError> {
    let failed = StoreError::on("adding up the tables");
    // Values are compared as text: it must not depend on who asks.
    sqlx::query("SET LOCAL TimeZone = 'UTC'").execute(&mut *connection).await.map_err(&failed)?;
    let tables: Vec<(String, String)> = sqlx::query_as(
        "SELECT table_schema::text, table_name::text FROM information_schema.tables \
         WHERE table_type = 'BASE TABLE' AND table_schema NOT IN ('pg_catalog', 'information_schema') ORDER BY 1, 2",
    )
    .fetch_all(&mut *connection)
    .await
    .map_err(&failed)?;
    let mut sums = TableSums::new();
    for (schema, table) in tables {
        let quoted = |name: &str| format!("\"{}\"", name.replace('"', "\"\""));
        let (rows, digest) = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT count(*), \
               coalesce(sum(('x' || left(md5(each::text), 15))::bit(60)::bigint), 0)::text \
             FROM {}.{} AS each",
            quoted(&schema),
            quoted(&table)
        )))
        .fetch_one(&mut *connection)
        .await
        .map_err(&failed)?;
        sums.insert(format!("{schema}.{table}"), TableSum { rows, digest });
    }
    Ok(sums)
}

impl Store {
    /// Holds on to this moment of the database.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database fails.
    pub async fn snapshot(&self) -> Result<Snapshot, StoreError> {
        let failed = StoreError::on("holding on to a moment");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        sqlx::query("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        let id = sqlx::query_scalar("SELECT pg_export_snapshot()")
            .fetch_one(&mut *tx)
            .await
            .map_err(&failed)?;
        Ok(Snapshot { tx, id })
    }

    /// Makes an empty database beside this one.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] where this user may not.
    pub async fn make_database(&self, name: &str) -> Result<(), StoreError> {
        self.on_database("CREATE DATABASE", name).await
    }

    /// Removes a database beside this one.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] where this user may not.
    pub async fn drop_database(&self, name: &str) -> Result<(), StoreError> {
        self.on_database("DROP DATABASE IF EXISTS", name).await
    }

    async fn on_database(&self, what: &str, name: &str) -> Result<(), StoreError> {
        let name = name.replace('"', "");
        sqlx::query(sqlx::AssertSqlSafe(format!("{what} \"{name}\"")))
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("making a database for the check"))
    }

    /// Ends every connection.
    pub async fn close(self) {
        self.pool.close().await;
    }
}
