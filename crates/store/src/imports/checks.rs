//! What is checked once a file has been read, and what it would do.

use barometer_intake::seen;
use jiff::tz::TimeZone;
use sqlx::PgConnection;
use uuid::Uuid;

use super::file_type::FileType;
use super::{KEPT_REFUSALS, Refusal};
use crate::StoreError;

/// Memory for the sorts and hashes of a large file, so that they need no disk.
const ENOUGH_MEMORY: &str = "SET LOCAL work_mem = '256MB'";

pub(super) async fn insert_types(
    connection: &mut PgConnection,
    import: Uuid,
    types: &[FileType],
) -> Result<(), StoreError> {
    let file_minutes: Vec<i16> = types.iter().map(|each| each.file_minutes).collect();
    let kept_minutes: Vec<i16> = types.iter().map(|each| each.kept_grain().minutes()).collect();
    let names: Vec<_> = types.iter().map(|each| each.name.as_str()).collect();
    let known: Vec<_> = types.iter().map(|each| each.known.map(|(id, _)| id)).collect();
    sqlx::query(
        "INSERT INTO import_types \
           (import_id, type_number, name, contact_type_id, file_minutes, kept_minutes) \
         SELECT $1, number - 1, name, id, least(file, kept), kept \
         FROM unnest($2::text[], $3::uuid[], $4::int2[], $5::int2[]) \
           WITH ORDINALITY AS types (name, id, file, kept, number)",
    )
    .bind(import)
    .bind(names)
    .bind(known)
    .bind(file_minutes)
    .bind(kept_minutes)
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(StoreError::on("noting the file's contact types"))
}

pub(crate) async fn insert_refusals(
    connection: &mut PgConnection,
    import: Uuid,
    refusals: &[Refusal],
) -> Result<(), StoreError> {
    let rows: Vec<_> = refusals.iter().map(|refusal| refusal.row_number).collect();
    // They cite what stood in the file.
    let fields: Vec<_> = refusals.iter().map(|refusal| seen(&refusal.field)).collect();
    let reasons: Vec<_> = refusals.iter().map(|refusal| seen(&refusal.reason)).collect();
    sqlx::query(
        "INSERT INTO import_refusals (import_id, row_number, field, reason) \
         SELECT $1, * FROM unnest($2::int8[], $3::text[], $4::text[])",
    )
    .bind(import)
    .bind(rows)
    .bind(fields)
    .bind(reasons)
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(StoreError::on("noting refused rows"))
}

/// Refuses rows of contact types whose kept intervals are shorter than the file's: an hour cannot
/// be told apart into halves. Rows that only happen to start on the hour (a correction of 10:00)
/// are no hours: it takes two in a row to tell.
pub(super) async fn refuse_coarser(
    connection: &mut PgConnection,
    (import, number): (Uuid, i32),
    types: &[FileType],
) -> Result<(), StoreError> {
    for (type_number, each) in types.iter().enumerate() {
        let (file, kept) = (each.file_minutes, each.kept_grain().minutes());
        if file <= kept {
            continue;
        }
        let reason = format!(
            "the file has {file}-minute intervals, and this contact type is kept in {kept} minutes; \
             export it at {kept} minutes or shorter"
        );
        sqlx::query(
            "WITH of_type AS ( \
               SELECT interval_start FROM import_rows WHERE import_number = $2 AND type_number = $3), \
             gone AS ( \
               DELETE FROM import_rows WHERE import_number = $2 AND type_number = $3 AND EXISTS ( \
                 SELECT FROM of_type AS one JOIN of_type AS next \
                 ON next.interval_start = one.interval_start + make_interval(mins => $4)) \
               RETURNING row_number) \
             INSERT INTO import_refusals (import_id, row_number, field, reason) \
             SELECT $1, row_number, 'interval_start', $5 FROM gone ORDER BY row_number LIMIT $6",
        )
        .bind(import)
        .bind(number)
        .bind(i16::try_from(type_number).map_err(|_| StoreError::TooManyTypes)?)
        .bind(i32::from(file))
        .bind(reason)
        .bind(KEPT_REFUSALS)
        .execute(&mut *connection)
        .await
        .map_err(StoreError::on("comparing interval lengths"))?;
    }
    Ok(())
}

/// Refuses rows that are only a part of a longer interval of history and would leave less in it than there is: a half-hour that
/// is sent alone to a contact type kept by the hour would stand for the whole hour. Parts without contacts may be missing in
/// a file, so what adds up to as much or more is taken.
pub(super) async fn refuse_parts(
    connection: &mut PgConnection,
    (import, number): (Uuid, i32),
    types: &[FileType],
    zone: &TimeZone,
) -> Result<(), StoreError> {
    const WHOLE: &str = "date_bin(make_interval(mins => $4), interval_start, \
        timestamp '2000-01-01' AT TIME ZONE $5)";
    for (type_number, each) in types.iter().enumerate() {
        let (file, kept) = (each.file_minutes, each.kept_grain().minutes());
        let Some((contact_type, _)) = each.known.filter(|_| file < kept) else { continue };
        let reason = format!(
            "is a part of {kept} minutes that are in the history with more contacts, and the file has no row for the rest; \
             send all {} of its {file}-minute intervals",
            kept / file
        );
        sqlx::query(sqlx::AssertSqlSafe(format!(
            "WITH parts AS ( \
               SELECT {WHOLE} AS whole, count(*) AS found, sum(offered) AS offered \
               FROM import_rows WHERE import_number = $2 AND type_number = $3 GROUP BY 1), \
             less AS ( \
               SELECT whole FROM parts JOIN history \
                 ON history.contact_type_id = $6 AND history.interval_start = whole \
               WHERE found < $7 AND parts.offered < history.offered), \
             gone AS ( \
               DELETE FROM import_rows WHERE import_number = $2 AND type_number = $3 \
                 AND {WHOLE} IN (SELECT whole FROM less) RETURNING row_number) \
             INSERT INTO import_refusals (import_id, row_number, field, reason) \
             SELECT $1, row_number, 'interval_start', $8 FROM gone ORDER BY row_number LIMIT $9"
        )))
        .bind(import)
        .bind(number)
        .bind(i16::try_from(type_number).map_err(|_| StoreError::TooManyTypes)?)
        .bind(i32::from(kept))
        .bind(zone.iana_name().unwrap_or("UTC"))
        .bind(contact_type)
        .bind(i64::from(kept / file))
        .bind(reason)
        .bind(KEPT_REFUSALS)
        .execute(&mut *connection)
        .await
        .map_err(StoreError::on("comparing parts with what is kept"))?;
    }
    Ok(())
}

/// Refuses rows of archived contact types: what nobody sees would be saved.
pub(super) async fn refuse_archived(
    connection: &mut PgConnection,
    (import, number): (Uuid, i32),
    (types, archived): (&[FileType], &[Uuid]),
) -> Result<(), StoreError> {
    let is_archived = |each: &FileType| each.known.is_some_and(|(id, _)| archived.contains(&id));
    for (type_number, each) in types.iter().enumerate().filter(|(_, each)| is_archived(each)) {
        let reason =
            format!("{} is archived; restore it under Demand, then read the file again", each.name);
        sqlx::query(
            "WITH gone AS ( \
               DELETE FROM import_rows WHERE import_number = $2 AND type_number = $3 \
               RETURNING row_number) \
             INSERT INTO import_refusals (import_id, row_number, field, reason) \
             SELECT $1, row_number, 'contact_type', $4 FROM gone ORDER BY row_number LIMIT $5",
        )
        .bind(import)
        .bind(number)
        .bind(i16::try_from(type_number).map_err(|_| StoreError::TooManyTypes)?)
        .bind(reason)
        .bind(KEPT_REFUSALS)
        .execute(&mut *connection)
        .await
        .map_err(StoreError::on("looking for archived contact types"))?;
    }
    Ok(())
}

/// Refuses the second and later rows of the same interval: which is right cannot be told.
pub(super) async fn refuse_repeats(
    connection: &mut PgConnection,
    (import, number): (Uuid, i32),
) -> Result<(), StoreError> {
    let failed = StoreError::on("looking for repeated rows");
    sqlx::query(ENOUGH_MEMORY).execute(&mut *connection).await.map_err(&failed)?;
    sqlx::query(
        "WITH repeated AS ( \
           SELECT type_number, interval_start, min(row_number) AS first \
           FROM import_rows WHERE import_number = $2 GROUP BY 1, 2 HAVING count(*) > 1), \
         gone AS ( \
           DELETE FROM import_rows AS later USING repeated \
           WHERE later.import_number = $2 AND later.type_number = repeated.type_number \
             AND later.interval_start = repeated.interval_start \
             AND later.row_number > repeated.first \
           RETURNING later.row_number, repeated.first) \
         INSERT INTO import_refusals (import_id, row_number, field, reason) \
         SELECT $1, row_number, 'interval_start', \
           'repeats the interval of row ' || first || '; keep one of them' \
         FROM gone ORDER BY row_number LIMIT $3",
    )
    .bind(import)
    .bind(number)
    .bind(KEPT_REFUSALS)
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(&failed)
}

/// The rows of an import as they will be kept. Where any contact type is kept in longer intervals
/// than the file's, shorter ones are added up and handle times weighed by answered contacts. `$1` is
/// the import, `$2` its number.
pub(super) const fn kept_rows(is_summed: bool) -> &'static str {
    if is_summed {
        "SELECT type_number, \
           date_bin(make_interval(mins => kept_minutes), interval_start, \
             timestamp '2000-01-01' AT TIME ZONE centres.zone) AS interval_start, \
           sum(offered)::int AS offered, sum(answered)::int AS answered, \
           sum(abandoned)::int AS abandoned, \
           sum(answered * handle_secs) / nullif(sum(answered) FILTER (WHERE handle_secs IS NOT NULL), 0) \
             AS handle_secs, \
           sum(answered * wrap_up_secs) / nullif(sum(answered) FILTER (WHERE wrap_up_secs IS NOT NULL), 0) \
             AS wrap_up_secs \
         FROM import_rows JOIN import_types USING (type_number) \
         JOIN imports ON imports.id = import_types.import_id \
         JOIN centres ON centres.id = imports.centre_id \
         WHERE import_number = $2 AND import_types.import_id = $1 GROUP BY 1, 2"
    } else {
        "SELECT type_number, interval_start, offered, answered, abandoned, handle_secs, wrap_up_secs \
         FROM import_rows WHERE import_number = $2 AND $1::uuid IS NOT NULL"
    }
}

/// Whether an interval of history differs from the row of this alias. A file that does not tell wrap-up apart does not
/// differ from one that does.
pub(super) fn differs(row: &str) -> String {
    format!(
        "((history.offered, history.answered, history.abandoned, history.handle_secs) \
           IS DISTINCT FROM ({row}.offered, {row}.answered, {row}.abandoned, {row}.handle_secs) \
         OR history.wrap_up_secs IS DISTINCT FROM coalesce({row}.wrap_up_secs, history.wrap_up_secs))"
    )
}

/// Works out what the import would add, replace and leave, and how many intervals are missing within
/// days, between each local day's first and last.
pub(super) async fn work_out_preview(
    connection: &mut PgConnection,
    (import, number): (Uuid, i32),
    is_summed: bool,
    zone: &TimeZone,
) -> Result<(), StoreError> {
    let failed = StoreError::on("working out the preview");
    sqlx::query(ENOUGH_MEMORY).execute(&mut *connection).await.map_err(&failed)?;
    let (kept, differs) = (kept_rows(is_summed), differs("kept"));
    sqlx::query(sqlx::AssertSqlSafe(format!(
        "WITH kept AS MATERIALIZED ({kept}), \
         types AS (SELECT * FROM import_types WHERE import_id = $1), \
         days AS ( \
           SELECT type_number, count(*) AS found, min(interval_start) AS first, \
             max(interval_start) AS last \
           FROM kept GROUP BY type_number, (interval_start AT TIME ZONE $3)::date), \
         spans AS ( \
           SELECT type_number, min(first) AS first, max(last) AS last, sum(found) AS found, \
             sum(extract(epoch FROM last - first) / 60 / kept_minutes + 1 - found)::int8 AS missing \
           FROM days JOIN types USING (type_number) GROUP BY type_number), \
         met AS ( \
           SELECT type_number, \
             count(*) FILTER (WHERE {differs}) AS replaced, \
             count(*) AS all \
           FROM kept JOIN types USING (type_number) \
           JOIN history ON history.contact_type_id = types.contact_type_id \
             AND history.interval_start = kept.interval_start GROUP BY type_number) \
         UPDATE import_types SET first_start = spans.first, last_start = spans.last, \
           missing = spans.missing, replaced = coalesce(met.replaced, 0), \
           unchanged = coalesce(met.all - met.replaced, 0), added = spans.found - coalesce(met.all, 0) \
         FROM spans LEFT JOIN met USING (type_number) \
         WHERE import_types.import_id = $1 AND import_types.type_number = spans.type_number"
    )))
    .bind(import)
    .bind(number)
    .bind(zone.iana_name().unwrap_or("UTC"))
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(&failed)
}
