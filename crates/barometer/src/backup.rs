//! `backup` and `restore`: the whole database as one file, with sums by which it is checked.

use std::path::{Path, PathBuf};
use std::process::Command;

use anyhow::{Context, Result, bail};
use barometer_app::clock::now;
use barometer_store::{BackupLine, Store, TableSums, schema_version};
use clap::Args;
use jiff::Timestamp;
use percent_encoding::percent_decode_str;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::database::DatabaseOptions;

const DUMP: &str = "barometer.dump";
const MANIFEST: &str = "backup.json";
/// Connections of a check.
const FEW: u32 = 2;

/// Options of `backup`.
#[derive(Args)]
pub struct BackupOptions {
    /// A new folder for the backup.
    folder: PathBuf,
    /// Leaves out the check, which restores the backup into a database of its own and compares every table.
    #[arg(long)]
    unchecked: bool,
}

/// Options of `restore`.
#[derive(Args)]
pub struct RestoreOptions {
    /// The folder of a backup.
    folder: PathBuf,
}

/// What is known of a backup beside its dump.
#[derive(Serialize, Deserialize)]
struct Manifest {
    made_at: Timestamp,
    /// Of the program.
    version: String,
    /// Of the schema.
    schema: i64,
    tables: TableSums,
}

/// Writes the database of one moment into a folder, and checks that it can be had back.
pub async fn backup(
    store: &Store,
    database: &DatabaseOptions,
    options: &BackupOptions,
) -> Result<()> {
    let folder = &options.folder;
    std::fs::create_dir(folder).with_context(|| {
        format!("making the folder {}; a backup begins a new one", folder.display())
    })?;
    let mut snapshot = store.snapshot().await?;
    let dump = folder.join(DUMP);
    let mut tool = Tool::of("pg_dump", database.url()?)?;
    tool.0.args(["--format=custom", "--no-owner", "--no-privileges"]);
    tool.0.arg(format!("--snapshot={}", snapshot.id)).arg("--file").arg(&dump);
    tool.run()?;
    let manifest = Manifest {
        made_at: now(),
        version: env!("CARGO_PKG_VERSION").to_owned(),
        schema: schema_version(),
        tables: snapshot.sums().await?,
    };
    drop(snapshot);
    let text = serde_json::to_string_pretty(&manifest)?;
    std::fs::write(folder.join(MANIFEST), text).context("writing the backup's sums")?;
    let rows: i64 = manifest.tables.values().map(|table| table.rows).sum();
    println!("{}: {} tables, {rows} rows.", folder.display(), manifest.tables.len());
    let made = BackupLine {
        made_at: manifest.made_at,
        folder: folder.display().to_string(),
        rows,
        is_checked: !options.unchecked,
    };
    if options.unchecked {
        println!("It was not checked.");
        return Ok(store.note_backup(&made).await?);
    }
    let name = format!("barometer_check_{}", Uuid::new_v4().simple());
    store.make_database(&name).await.context(
        "the backup is written and not checked: this database user may make no database for the check \
         (give --unchecked to do without)",
    )?;
    let checked = restored(&manifest, &dump, &named(database.url()?, &name)).await;
    store.drop_database(&name).await?;
    checked?;
    println!("Checked: restored elsewhere, every table is the same.");
    Ok(store.note_backup(&made).await?)
}

/// Fills an empty database from a backup, and compares every table.
pub async fn restore(
    store: &Store,
    database: &DatabaseOptions,
    options: &RestoreOptions,
) -> Result<()> {
    let folder = &options.folder;
    let read = std::fs::read_to_string(folder.join(MANIFEST)).with_context(|| {
        format!("reading {}: is {} a backup?", folder.join(MANIFEST).display(), folder.display())
    })?;
    let manifest: Manifest = serde_json::from_str(&read)
        .with_context(|| format!("reading {}", folder.join(MANIFEST).display()))?;
    if manifest.schema > schema_version() {
        bail!(
            "this backup was made by a newer version, {}; install that one to restore it",
            manifest.version
        );
    }
    if !store.snapshot().await?.sums().await?.is_empty() {
        bail!("this database has tables already; restore into an empty one");
    }
    restored(&manifest, &folder.join(DUMP), database.url()?).await?;
    println!(
        "The database of {} is back, every table the same. Its schema is brought up to date when the server starts.",
        manifest.made_at
    );
    Ok(())
}

/// Fills an empty database, and compares.
async fn restored(manifest: &Manifest, dump: &Path, url: &str) -> Result<()> {
    let mut tool = Tool::of("pg_restore", url)?;
    tool.0.args(["--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction"]);
    tool.0.arg(dump);
    tool.run()?;
    let store = Store::connect(url, FEW).await.context("looking at what was restored")?;
    let found = store.snapshot().await?.sums().await?;
    store.close().await;
    let names = manifest.tables.keys().chain(found.keys());
    let mut differ: Vec<&String> =
        names.filter(|name| manifest.tables.get(*name) != found.get(*name)).collect();
    differ.dedup();
    if !differ.is_empty() {
        let differ: Vec<&str> = differ.into_iter().map(String::as_str).collect();
        bail!("what was restored differs from the backup in {}", differ.join(", "));
    }
    Ok(())
}

/// One of PostgreSQL's own programs on a database. The password goes by the environment: everybody on a machine can read
/// command lines.
struct Tool(Command);

impl Tool {
    fn of(program: &str, url: &str) -> Result<Self> {
        let (url, password) = without_password(url);
        let mut command = Command::new(program);
        command.arg("--dbname").arg(url);
        if let Some(password) = password {
            command.env("PGPASSWORD", password);
        }
        Ok(Self(command))
    }

    fn run(mut self) -> Result<()> {
        let program = self.0.get_program().to_string_lossy().into_owned();
        let done = self.0.output().with_context(|| {
            format!("starting {program}; it comes with PostgreSQL (postgresql-client)")
        })?;
        if !done.status.success() {
            let said = String::from_utf8_lossy(&done.stderr);
            bail!("{program} failed: {}", said.trim().lines().collect::<Vec<_>>().join("; "));
        }
        Ok(())
    }
}

/// A database's address without its password, and the password.
fn without_password(url: &str) -> (String, Option<String>) {
    let Some((scheme, rest)) = url.split_once("://") else { return (url.to_owned(), None) };
    let end = rest.find('/').unwrap_or(rest.len());
    let (authority, path) = rest.split_at(end);
    let Some((user, host)) = authority.rsplit_once('@') else { return (url.to_owned(), None) };
    let Some((name, password)) = user.split_once(':') else { return (url.to_owned(), None) };
    let password = percent_decode_str(password).decode_utf8_lossy().into_owned();
    (format!("{scheme}://{name}@{host}{path}"), Some(password))
}

/// The address of another database of the same server.
fn named(url: &str, name: &str) -> String {
    let (address, query) =
        url.split_once('?').map_or((url, None), |(url, query)| (url, Some(query)));
    let start = address.find("://").map_or(0, |at| at + 3);
    let end = address[start..].find('/').map_or(address.len(), |at| start + at);
    let query = query.map_or_else(String::new, |query| format!("?{query}"));
    format!("{}/{name}{query}", &address[..end])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_password_does_not_stand_on_a_command_line() {
        let apart = |url: &str| without_password(url);
        assert_eq!(
            apart("postgres://ana:a%40b%2Bc@db:5432/centre?sslmode=require"),
            ("postgres://ana@db:5432/centre?sslmode=require".to_owned(), Some("a@b+c".to_owned()))
        );
        for plain in ["postgres://ana@db/centre", "postgres://db/centre", "host=db user=ana"] {
            assert_eq!(apart(plain), (plain.to_owned(), None));
        }
    }

    #[test]
    fn the_check_has_a_database_of_its_own_on_the_same_server() {
        assert_eq!(named("postgres://a:b@db:5432/centre", "x"), "postgres://a:b@db:5432/x");
        assert_eq!(
            named("postgres://db/centre?sslmode=require", "x"),
            "postgres://db/x?sslmode=require"
        );
        assert_eq!(named("postgres://db", "x"), "postgres://db/x");
    }
}
