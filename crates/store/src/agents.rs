//! People who work shifts: who they are, when they are at work, when they are away.

use barometer_plan::CoverInterval;
use jiff::Timestamp;
use jiff::civil::Date;
use jiff_sqlx::ToSqlx;
use sqlx::{FromRow, PgConnection};
use uuid::Uuid;

use crate::saves::count_save;
use crate::{Edited, Save, Store, StoreError};

/// One person.
#[derive(Clone, Debug, FromRow)]
pub struct Agent {
    /// Key.
    pub id: Uuid,
    /// Name as shown.
    pub name: String,
    /// Team; empty where there is none.
    pub team: String,
    /// What they can handle: names of contact types, languages.
    pub skills: Vec<String>,
    /// Hours a week of the contract.
    pub contract_hours: f64,
}

/// A stretch in which somebody is at work for a contact type.
#[derive(Clone, Debug, PartialEq)]
pub struct AgentStretch {
    /// Who.
    pub agent: Uuid,
    /// When it starts.
    pub start: Timestamp,
    /// When it ends.
    pub end: Timestamp,
}

/// Days on which somebody is away.
#[derive(Clone, Debug)]
pub struct TimeOff {
    /// Key.
    pub id: Uuid,
    /// Who.
    pub agent: Uuid,
    /// First day.
    pub first_day: Date,
    /// Last day.
    pub last_day: Date,
    /// Why.
    pub why: String,
}

/// A person as a roster names them, with what it says about them.
#[derive(Clone, Debug, PartialEq)]
pub struct NamedAgent {
    /// Name.
    pub name: String,
    /// Team, where known.
    pub team: Option<String>,
    /// Skills, where known.
    pub skills: Vec<String>,
    /// Contract hours, where known.
    pub contract_hours: Option<f64>,
    /// Stretches at work.
    pub stretches: Vec<(Timestamp, Timestamp)>,
}

/// The shifts of a contact type on one day as a planner has changed them.
#[derive(Clone, Debug)]
pub struct DayRoster {
    /// The day.
    pub date: Date,
    /// When it begins and ends.
    pub span: (Timestamp, Timestamp),
    /// Who works when; all shifts that begin on the day.
    pub stretches: Vec<AgentStretch>,
    /// The cover of the intervals that they change, which may reach into the next day.
    pub cover: Vec<CoverInterval>,
    /// People who turn out to be away on the day.
    pub absent: Vec<Uuid>,
    /// People who are not away on the day after all: what was noted for this day alone is removed.
    pub back: Vec<Uuid>,
}

impl NamedAgent {
    /// Somebody of whom only the name is known.
    pub fn named(name: String) -> Self {
        Self { name, team: None, skills: Vec::new(), contract_hours: None, stretches: Vec::new() }
    }
}

impl Store {
    /// The centre's people by name.
    pub async fn agents(&self, centre: Uuid) -> Result<Vec<Agent>, StoreError> {
        sqlx::query_as(
            "SELECT id, name, team, skills, contract_hours FROM agents \
             WHERE centre_id = $1 ORDER BY lower(name)",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing agents"))
    }

    /// Adds a person, or changes what is known about the one of this name.
    pub async fn save_agent(&self, centre: Uuid, agent: &NamedAgent) -> Result<Uuid, StoreError> {
        let mut connection =
            self.pool.acquire().await.map_err(StoreError::on("saving an agent"))?;
        save_agent(&mut connection, centre, agent).await
    }

    /// Removes a person with their shifts.
    pub async fn remove_agent(&self, centre: Uuid, agent: Uuid) -> Result<(), StoreError> {
        let done = sqlx::query("DELETE FROM agents WHERE id = $1 AND centre_id = $2")
            .bind(agent)
            .bind(centre)
            .execute(&self.pool)
            .await
            .map_err(StoreError::on("removing an agent"))?;
        if done.rows_affected() == 0 { Err(StoreError::NotFound) } else { Ok(()) }
    }

    /// Stretches of everybody at work for a contact type that overlap a time, in order.
    pub async fn stretches_between(
        &self,
        contact_type: Uuid,
        from: Timestamp,
        to: Timestamp,
    ) -> Result<Vec<AgentStretch>, StoreError> {
        let found = self.stretches_where("contact_type_id = $1", contact_type, (from, to)).await?;
        Ok(found.into_iter().map(|(_, stretch)| stretch).collect())
    }

    /// Stretches of everybody of the centre at work that overlap a time, in order, each with its contact type.
    pub async fn all_stretches_between(
        &self,
        centre: Uuid,
        from: Timestamp,
        to: Timestamp,
    ) -> Result<Vec<(Uuid, AgentStretch)>, StoreError> {
        let of_centre = "agent_id IN (SELECT id FROM agents WHERE centre_id = $1)";
        self.stretches_where(of_centre, centre, (from, to)).await
    }

    async fn stretches_where(
        &self,
        condition: &'static str,
        key: Uuid,
        (from, to): (Timestamp, Timestamp),
    ) -> Result<Vec<(Uuid, AgentStretch)>, StoreError> {
        type Row = (Uuid, Uuid, jiff_sqlx::Timestamp, jiff_sqlx::Timestamp);
        let rows: Vec<Row> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT contact_type_id, agent_id, starts_at, ends_at FROM agent_shifts \
             WHERE {condition} AND starts_at < $3 AND ends_at > $2 ORDER BY starts_at, agent_id"
        )))
        .bind(key)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading shifts"))?;
        let stretch = |(contact_type, agent, start, end): Row| {
            (contact_type, AgentStretch { agent, start: start.to_jiff(), end: end.to_jiff() })
        };
        Ok(rows.into_iter().map(stretch).collect())
    }

    /// Keeps a day of a contact type as a planner has changed it: shifts, absences and cover, all of it or nothing.
    /// People of other centres are left out.
    pub async fn save_day_roster(
        &self,
        centre: Uuid,
        contact_type: Uuid,
        day: &DayRoster,
        save: Save,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("saving the roster of a day");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        count_save(&mut tx, Edited::Cover(contact_type), save).await?;
        forget_shifts(&mut tx, contact_type, day.span).await?;
        let agents: Vec<Uuid> = day.stretches.iter().map(|each| each.agent).collect();
        let starts: Vec<_> = day.stretches.iter().map(|each| each.start.to_sqlx()).collect();
        let ends: Vec<_> = day.stretches.iter().map(|each| each.end.to_sqlx()).collect();
        sqlx::query(
            "INSERT INTO agent_shifts (agent_id, contact_type_id, starts_at, ends_at) \
             SELECT agents.id, $2, from_at, to_at \
             FROM unnest($3::uuid[], $4::timestamptz[], $5::timestamptz[]) AS piece (agent, from_at, to_at) \
             JOIN agents ON agents.id = agent AND centre_id = $1",
        )
        .bind(centre)
        .bind(contact_type)
        .bind(agents)
        .bind(starts)
        .bind(ends)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        sqlx::query(
            "INSERT INTO time_off (agent_id, first_day, last_day, why) \
             SELECT id, $3, $3, 'Absent' FROM agents WHERE id = ANY($2) AND centre_id = $1",
        )
        .bind(centre)
        .bind(&day.absent)
        .bind(day.date.to_sqlx())
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        sqlx::query(
            "DELETE FROM time_off USING agents \
             WHERE agents.id = agent_id AND centre_id = $1 AND agent_id = ANY($2) \
               AND first_day = $3 AND last_day = $3",
        )
        .bind(centre)
        .bind(&day.back)
        .bind(day.date.to_sqlx())
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        crate::cover::insert_cover(&mut tx, contact_type, &day.cover).await?;
        tx.commit().await.map_err(&failed)
    }

    /// Replaces the shifts of a contact type between two times by those of `people`, and its cover
    /// there by `cover`: all of it or nothing.
    pub async fn save_roster(
        &self,
        centre: Uuid,
        contact_type: Uuid,
        (from, to): (Timestamp, Timestamp),
        people: &[NamedAgent],
        cover: &[CoverInterval],
        save: Save,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("saving the roster");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        count_save(&mut tx, Edited::Cover(contact_type), save).await?;
        forget_shifts(&mut tx, contact_type, (from, to)).await?;
        for person in people {
            let agent = save_agent(&mut tx, centre, person).await?;
            let starts: Vec<_> = person.stretches.iter().map(|each| each.0.to_sqlx()).collect();
            let ends: Vec<_> = person.stretches.iter().map(|each| each.1.to_sqlx()).collect();
            sqlx::query(
                "INSERT INTO agent_shifts (agent_id, contact_type_id, starts_at, ends_at) \
                 SELECT $1, $2, * FROM unnest($3::timestamptz[], $4::timestamptz[])",
            )
            .bind(agent)
            .bind(contact_type)
            .bind(starts)
            .bind(ends)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        }
        sqlx::query(
            "DELETE FROM cover \
             WHERE contact_type_id = $1 AND interval_start >= $2 AND interval_start < $3",
        )
        .bind(contact_type)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        crate::cover::insert_cover(&mut tx, contact_type, cover).await?;
        tx.commit().await.map_err(&failed)
    }

    /// Days on which people of the centre are away, from a day on.
    pub async fn time_off(&self, centre: Uuid, from: Date) -> Result<Vec<TimeOff>, StoreError> {
        type Row = (Uuid, Uuid, jiff_sqlx::Date, jiff_sqlx::Date, String);
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT time_off.id, agent_id, first_day, last_day, why FROM time_off \
             JOIN agents ON agents.id = agent_id \
             WHERE centre_id = $1 AND last_day >= $2 ORDER BY first_day, agents.name",
        )
        .bind(centre)
        .bind(from.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading time off"))?;
        Ok(rows
            .into_iter()
            .map(|(id, agent, first_day, last_day, why)| TimeOff {
                id,
                agent,
                first_day: first_day.to_jiff(),
                last_day: last_day.to_jiff(),
                why,
            })
            .collect())
    }

    /// Adds days on which a person of the centre is away.
    pub async fn add_time_off(
        &self,
        centre: Uuid,
        agent: Uuid,
        first_day: Date,
        last_day: Date,
        why: &str,
    ) -> Result<(), StoreError> {
        let done = sqlx::query(
            "INSERT INTO time_off (agent_id, first_day, last_day, why) \
             SELECT id, $3, $4, $5 FROM agents WHERE id = $2 AND centre_id = $1",
        )
        .bind(centre)
        .bind(agent)
        .bind(first_day.to_sqlx())
        .bind(last_day.to_sqlx())
        .bind(why)
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("adding time off"))?;
        if done.rows_affected() == 0 { Err(StoreError::NotFound) } else { Ok(()) }
    }

    /// Takes days away again.
    pub async fn remove_time_off(&self, centre: Uuid, id: Uuid) -> Result<(), StoreError> {
        let done = sqlx::query(
            "DELETE FROM time_off USING agents \
             WHERE time_off.id = $1 AND agents.id = agent_id AND centre_id = $2",
        )
        .bind(id)
        .bind(centre)
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("removing time off"))?;
        if done.rows_affected() == 0 { Err(StoreError::NotFound) } else { Ok(()) }
    }
}

/// Leaves a contact type without shifts that begin from a time until another.
async fn forget_shifts(
    connection: &mut PgConnection,
    contact_type: Uuid,
    (from, to): (Timestamp, Timestamp),
) -> Result<(), StoreError> {
    sqlx::query(
        "DELETE FROM agent_shifts WHERE contact_type_id = $1 AND starts_at >= $2 AND starts_at < $3",
    )
    .bind(contact_type)
    .bind(from.to_sqlx())
    .bind(to.to_sqlx())
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(StoreError::on("replacing shifts"))
}

async fn save_agent(
    connection: &mut PgConnection,
    centre: Uuid,
    agent: &NamedAgent,
) -> Result<Uuid, StoreError> {
    sqlx::query_scalar(
        "INSERT INTO agents (centre_id, name, team, skills, contract_hours) \
         VALUES ($1, $2, coalesce($3, ''), $4, coalesce($5, 37.5)) \
         ON CONFLICT (centre_id, lower(name)) DO UPDATE SET \
           team = coalesce($3, agents.team), \
           skills = CASE WHEN $4 = '{}' THEN agents.skills ELSE $4 END, \
           contract_hours = coalesce($5, agents.contract_hours) \
         RETURNING id",
    )
    .bind(centre)
    .bind(&agent.name)
    .bind(&agent.team)
    .bind(&agent.skills)
    .bind(agent.contract_hours)
    .fetch_one(connection)
    .await
    .map_err(StoreError::on("saving an agent"))
}
