//! Accounts of days: what each day was planned to be, who was on shift, and what the account found.

use barometer_plan::{AccountInputs, DayAccount, TrialInputs};
use barometer_wire::StaffingRow;
use jiff::Timestamp;
use jiff::civil::Date;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::runs::{JOIN_RUNS, NewRun, RUN_COLUMNS, Run, RunKind, RunRow, end, queue};
use crate::{Store, StoreError};

/// A day as it was planned when it began.
#[derive(Clone, Debug, PartialEq)]
pub struct OpeningPlan {
    /// When the plan was kept, by the switch's clock.
    pub kept_at: Timestamp,
    /// The version of the strategy that was live.
    pub version: Uuid,
    /// The plan.
    pub inputs: TrialInputs,
}

/// The account of a day, or the run that works it out.
#[derive(Clone, Debug)]
pub struct KeptAccount {
    /// Key, also of its run.
    pub id: Uuid,
    /// The day.
    pub date: Date,
    /// It covers the day until then.
    pub until: Timestamp,
    /// How far it is; its work is counted in simulated scenarios.
    pub run: Run,
    /// What it found; none before it is done.
    pub account: Option<DayAccount>,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    date: jiff_sqlx::Date,
    until: jiff_sqlx::Timestamp,
    account: Option<Json<DayAccount>>,
    #[sqlx(flatten)]
    run: RunRow,
}

impl From<Row> for KeptAccount {
    fn from(row: Row) -> Self {
        Self {
            id: row.id,
            date: row.date.to_jiff(),
            until: row.until.to_jiff(),
            run: row.run.into(),
            account: row.account.map(|account| account.0),
        }
    }
}

fn accounts(condition: &str) -> String {
    format!(
        "SELECT account.id, account.date, account.until, account.account, {RUN_COLUMNS} \
         FROM day_accounts AS account JOIN runs ON runs.id = account.id {JOIN_RUNS} {condition}"
    )
}

impl Store {
    /// The number of the last row of staffing that a switch has told and that is kept; 0 before the first.
    pub async fn last_staffing_row(&self, switch: &str) -> Result<u64, StoreError> {
        let last: Option<i64> =
            sqlx::query_scalar("SELECT max(sequence) FROM switch_staffing WHERE switch = $1")
                .bind(switch)
                .fetch_one(&self.pool)
                .await
                .map_err(StoreError::on("reading who was on shift"))?;
        Ok(last.map_or(0, i64::unsigned_abs))
    }

    /// Keeps rows of staffing that a switch has told, all or none; a row that is kept already stays as it is.
    pub async fn add_staffing_rows(
        &self,
        centre: Uuid,
        switch: &str,
        rows: &[StaffingRow],
    ) -> Result<u64, StoreError> {
        let sequences: Vec<i64> =
            rows.iter().map(|row| i64::try_from(row.sequence).unwrap_or(i64::MAX)).collect();
        let teams: Vec<&str> = rows.iter().map(|row| row.team.as_str()).collect();
        let starts: Vec<_> = rows.iter().map(|row| row.start.to_sqlx()).collect();
        let secs: Vec<f64> = rows.iter().map(|row| row.secs).collect();
        let staffed: Vec<f64> = rows.iter().map(|row| row.staffed_secs).collect();
        let busy: Vec<f64> = rows.iter().map(|row| row.busy_secs).collect();
        let most: Vec<Option<i32>> = rows
            .iter()
            .map(|row| row.most_on_shift.and_then(|most| i32::try_from(most).ok()))
            .collect();
        let done = sqlx::query(
            "INSERT INTO switch_staffing \
               (switch, centre_id, sequence, team, started_at, secs, staffed_secs, busy_secs, \
                most_on_shift) \
             SELECT $1, $2, * FROM unnest($3::int8[], $4::text[], $5::timestamptz[], $6::float8[], \
               $7::float8[], $8::float8[], $9::int4[]) ON CONFLICT DO NOTHING",
        )
        .bind(switch)
        .bind(centre)
        .bind(sequences)
        .bind(teams)
        .bind(starts)
        .bind(secs)
        .bind(staffed)
        .bind(busy)
        .bind(most)
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("keeping who was on shift"))?;
        Ok(done.rows_affected())
    }

    /// Who was on shift between two times, by team and time.
    pub async fn staffing_rows(
        &self,
        centre: Uuid,
        from: Timestamp,
        to: Timestamp,
    ) -> Result<Vec<StaffingRow>, StoreError> {
        type Line = (i64, String, jiff_sqlx::Timestamp, f64, f64, f64, Option<i32>);
        let lines: Vec<Line> = sqlx::query_as(
            "SELECT DISTINCT ON (team, started_at) sequence, team, started_at, secs, staffed_secs, \
               busy_secs, most_on_shift \
             FROM switch_staffing WHERE centre_id = $1 AND started_at >= $2 AND started_at < $3 \
             ORDER BY team, started_at, sequence DESC",
        )
        .bind(centre)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading who was on shift"))?;
        let row =
            |(sequence, team, start, secs, staffed_secs, busy_secs, most): Line| StaffingRow {
                sequence: sequence.unsigned_abs(),
                team,
                start: start.to_jiff(),
                secs,
                staffed_secs,
                busy_secs,
                most_on_shift: most.map(i32::unsigned_abs),
            };
        Ok(lines.into_iter().map(row).collect())
    }

    /// Keeps a day as it is planned when it begins; the first plan stays.
    pub async fn keep_opening_plan(
        &self,
        centre: Uuid,
        date: Date,
        plan: &OpeningPlan,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO opening_plans (centre_id, date, kept_at, version_id, inputs) \
             VALUES ($1, $2, $3, $4, $5) ON CONFLICT DO NOTHING",
        )
        .bind(centre)
        .bind(date.to_sqlx())
        .bind(plan.kept_at.to_sqlx())
        .bind(plan.version)
        .bind(Json(&plan.inputs))
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("keeping the plan of a day"))
    }

    /// A day as it was planned when it began; none where no plan was kept.
    pub async fn opening_plan(
        &self,
        centre: Uuid,
        date: Date,
    ) -> Result<Option<OpeningPlan>, StoreError> {
        let row: Option<(jiff_sqlx::Timestamp, Uuid, Json<TrialInputs>)> = sqlx::query_as(
            "SELECT kept_at, version_id, inputs FROM opening_plans WHERE centre_id = $1 AND date = $2",
        )
        .bind(centre)
        .bind(date.to_sqlx())
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reading the plan of a day"))?;
        Ok(row.map(|(kept_at, version, inputs)| OpeningPlan {
            kept_at: kept_at.to_jiff(),
            version,
            inputs: inputs.0,
        }))
    }

    /// The days between two dates, as they were planned when they began; only those of which a plan was kept.
    pub async fn opening_plans(
        &self,
        centre: Uuid,
        first: Date,
        last: Date,
    ) -> Result<Vec<(Date, TrialInputs)>, StoreError> {
        let rows: Vec<(jiff_sqlx::Date, Json<TrialInputs>)> = sqlx::query_as(
            "SELECT date, inputs FROM opening_plans WHERE centre_id = $1 AND date BETWEEN $2 AND $3 ORDER BY date",
        )
        .bind(centre)
        .bind(first.to_sqlx())
        .bind(last.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading the plans of days"))?;
        Ok(rows.into_iter().map(|(date, inputs)| (date.to_jiff(), inputs.0)).collect())
    }

    /// The strategies that went live on the switch between two times of its clock, in order.
    pub async fn releases_between(
        &self,
        centre: Uuid,
        after: Timestamp,
        before: Timestamp,
    ) -> Result<Vec<(Timestamp, Uuid)>, StoreError> {
        let rows: Vec<(jiff_sqlx::Timestamp, Uuid)> = sqlx::query_as(
            "SELECT answer.live_since, version.id FROM go_live_answers AS answer \
             JOIN go_lives AS live ON live.number = answer.number \
             JOIN strategy_versions AS version ON version.id = live.strategy_version_id \
             WHERE version.centre_id = $1 AND answer.live_since > $2 AND answer.live_since < $3 \
             ORDER BY answer.live_since, live.number",
        )
        .bind(centre)
        .bind(after.to_sqlx())
        .bind(before.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading what went live during a day"))?;
        Ok(rows.into_iter().map(|(at, version)| (at.to_jiff(), version)).collect())
    }

    /// Queues the account of a day until a time; the one that there is already, if any, unless it failed.
    pub async fn queue_account(
        &self,
        centre: Uuid,
        (date, until): (Date, Timestamp),
        inputs: &AccountInputs,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("queueing the account of a day");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        // However many servers close the day, there is one account of it.
        sqlx::query("SELECT FROM centres WHERE id = $1 FOR UPDATE")
            .bind(centre)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        let known: Option<Uuid> = sqlx::query_scalar(
            "SELECT account.id FROM day_accounts AS account JOIN runs ON runs.id = account.id \
             WHERE account.centre_id = $1 AND date = $2 AND until = $3 \
               AND state NOT IN ('failed', 'cancelled')",
        )
        .bind(centre)
        .bind(date.to_sqlx())
        .bind(until.to_sqlx())
        .fetch_optional(&mut *tx)
        .await
        .map_err(&failed)?;
        if let Some(known) = known {
            return Ok(known);
        }
        sqlx::query("DELETE FROM day_accounts WHERE centre_id = $1 AND date = $2 AND until = $3")
            .bind(centre)
            .bind(date.to_sqlx())
            .bind(until.to_sqlx())
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        let (kind, work_total) = (RunKind::Account, inputs.steps());
        let new = NewRun { centre, kind, work_total, parts: 1, created_by: by };
        let id = queue(&mut tx, new).await?;
        sqlx::query(
            "INSERT INTO day_accounts (id, centre_id, date, until, inputs) VALUES ($1, $2, $3, $4, $5)",
        )
        .bind(id)
        .bind(centre)
        .bind(date.to_sqlx())
        .bind(until.to_sqlx())
        .bind(Json(inputs))
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(id)
    }

    /// Whether a day has an account until a time, or had one that failed.
    pub async fn has_account(
        &self,
        centre: Uuid,
        date: Date,
        until: Timestamp,
    ) -> Result<bool, StoreError> {
        sqlx::query_scalar(
            "SELECT EXISTS (SELECT FROM day_accounts WHERE centre_id = $1 AND date = $2 AND until = $3)",
        )
        .bind(centre)
        .bind(date.to_sqlx())
        .bind(until.to_sqlx())
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("looking for the account of a day"))
    }

    /// What an account is worked out from.
    pub async fn account_inputs(&self, id: Uuid) -> Result<AccountInputs, StoreError> {
        let inputs: Json<AccountInputs> =
            sqlx::query_scalar("SELECT inputs FROM day_accounts WHERE id = $1")
                .bind(id)
                .fetch_optional(&self.pool)
                .await
                .map_err(StoreError::on("reading the account of a day"))?
                .ok_or(StoreError::NotFound)?;
        Ok(inputs.0)
    }

    /// Ends an account with what it found.
    pub async fn end_account(&self, id: Uuid, account: &DayAccount) -> Result<(), StoreError> {
        let failed = StoreError::on("keeping the account of a day");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        if end(&mut tx, id).await? {
            sqlx::query("UPDATE day_accounts SET account = $2 WHERE id = $1")
                .bind(id)
                .bind(Json(account))
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)
    }

    /// The latest account of each of the last days before and on a date, the latest day first.
    pub async fn accounts(
        &self,
        centre: Uuid,
        until: Date,
        days: u32,
    ) -> Result<Vec<KeptAccount>, StoreError> {
        let latest = accounts(
            "WHERE account.id IN (SELECT DISTINCT ON (date) id FROM day_accounts \
               WHERE centre_id = $1 AND date <= $2 ORDER BY date DESC, until DESC LIMIT $3) \
             ORDER BY account.date DESC",
        );
        let rows: Vec<Row> = sqlx::query_as(sqlx::AssertSqlSafe(latest))
            .bind(centre)
            .bind(until.to_sqlx())
            .bind(i64::from(days))
            .fetch_all(&self.pool)
            .await
            .map_err(StoreError::on("reading accounts of days"))?;
        Ok(rows.into_iter().map(KeptAccount::from).collect())
    }
}
