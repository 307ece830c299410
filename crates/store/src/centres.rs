//! The centre and its contact types.

use barometer_forecast::{Grain, MethodName};
use barometer_plan::{EvidenceRules, LineRules, Rules};
use barometer_strategy::CustomerHabits;
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::forecast_runs::queue_forecast_of;
use crate::saves::count_save;
use crate::{Edited, Save, Store, StoreError};

/// One contact centre.
#[derive(Clone, Debug)]
pub struct Centre {
    /// Key.
    pub id: Uuid,
    /// Name as shown.
    pub name: String,
    /// Its time zone.
    pub zone: TimeZone,
    /// The day taken for today; `None` for the real one.
    pub today: Option<Date>,
}

/// One kind of contact.
#[derive(Clone, Debug)]
pub struct ContactType {
    /// Key.
    pub id: Uuid,
    /// Whose.
    pub centre: Uuid,
    /// Name as shown.
    pub name: String,
    /// Length of its intervals.
    pub grain: Grain,
    /// Its targets.
    pub rules: Rules,
    /// Who of its customers calls again, and kinds of customers.
    pub habits: CustomerHabits,
    /// The forecast method that a planner insists on; none for the best on held-out weeks.
    pub pinned_method: Option<MethodName>,
    /// The contact type that it is forecast like, and which share of it, while it has no history.
    pub like: Option<(Uuid, f64)>,
    /// Since when it is archived; none where it is in use.
    pub archived_at: Option<Timestamp>,
}

#[derive(FromRow)]
struct CentreRow {
    id: Uuid,
    name: String,
    zone: String,
    today: Option<jiff_sqlx::Date>,
}

#[derive(FromRow)]
struct ContactTypeRow {
    id: Uuid,
    centre_id: Uuid,
    name: String,
    grain_minutes: i16,
    rules: Json<Rules>,
    habits: Json<CustomerHabits>,
    pinned_method: Option<String>,
    like_type_id: Option<Uuid>,
    like_share: Option<f64>,
    archived_at: Option<jiff_sqlx::Timestamp>,
}

impl TryFrom<ContactTypeRow> for ContactType {
    type Error = StoreError;

    fn try_from(row: ContactTypeRow) -> Result<Self, StoreError> {
        let grain =
            Grain::try_from(row.grain_minutes).map_err(StoreError::unreadable("contact types"))?;
        Ok(Self {
            id: row.id,
            centre: row.centre_id,
            name: row.name,
            grain,
            rules: row.rules.0,
            habits: row.habits.0,
            pinned_method: row.pinned_method.as_deref().and_then(MethodName::from_slug),
            like: row.like_type_id.zip(row.like_share),
            archived_at: row.archived_at.map(|at| at.to_jiff()),
        })
    }
}

const CONTACT_TYPES: &str = "SELECT id, centre_id, name, grain_minutes, rules, habits, pinned_method, \
     like_type_id, like_share, archived_at \
     FROM contact_types";

impl Store {
    /// The centre; `None` before there is one.
    pub async fn centre(&self) -> Result<Option<Centre>, StoreError> {
        let row: Option<CentreRow> =
            sqlx::query_as("SELECT id, name, zone, today FROM centres ORDER BY name LIMIT 1")
                .fetch_optional(&self.pool)
                .await
                .map_err(StoreError::on("reading the centre"))?;
        row.map(|row| {
            let zone = TimeZone::get(&row.zone).map_err(StoreError::unreadable("the centre"))?;
            let today = row.today.map(|today| today.to_jiff());
            Ok(Centre { id: row.id, name: row.name, zone, today })
        })
        .transpose()
    }

    /// Adds a centre in an IANA zone.
    pub async fn add_centre(&self, name: &str, zone: &str) -> Result<Uuid, StoreError> {
        sqlx::query_scalar("INSERT INTO centres (name, zone) VALUES ($1, $2) RETURNING id")
            .bind(name)
            .bind(zone)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("adding a centre"))
    }

    /// Fixes the day taken for today.
    pub async fn set_today(&self, centre: Uuid, today: Date) -> Result<(), StoreError> {
        sqlx::query("UPDATE centres SET today = $2 WHERE id = $1")
            .bind(centre)
            .bind(today.to_sqlx())
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("fixing today"))
    }

    /// What lines the centre has and promises; those of a new centre before anybody said.
    pub async fn line_rules(&self, centre: Uuid) -> Result<LineRules, StoreError> {
        let rules: Option<Json<LineRules>> =
            sqlx::query_scalar("SELECT line_rules FROM centres WHERE id = $1")
                .bind(centre)
                .fetch_one(&self.pool)
                .await
                .map_err(StoreError::on("reading the lines"))?;
        Ok(rules.map_or(LineRules::STARTING, |rules| rules.0))
    }

    /// Changes what lines the centre has and promises.
    pub async fn save_line_rules(
        &self,
        centre: Uuid,
        rules: &LineRules,
        save: Save,
    ) -> Result<(), StoreError> {
        let change = sqlx::query("UPDATE centres SET line_rules = $2 WHERE id = $1")
            .bind(centre)
            .bind(Json(rules));
        self.save_edited(Edited::Lines(centre), save, "saving the lines", change).await
    }

    /// What evidence has to come to; that of a new centre before anybody said.
    pub async fn evidence_rules(&self, centre: Uuid) -> Result<EvidenceRules, StoreError> {
        let rules: Option<Json<EvidenceRules>> =
            sqlx::query_scalar("SELECT evidence_rules FROM centres WHERE id = $1")
                .bind(centre)
                .fetch_one(&self.pool)
                .await
                .map_err(StoreError::on("reading the rules for evidence"))?;
        Ok(rules.map_or(EvidenceRules::STARTING, |rules| rules.0))
    }

    /// Changes what evidence has to come to.
    pub async fn save_evidence_rules(
        &self,
        centre: Uuid,
        rules: &EvidenceRules,
        save: Save,
    ) -> Result<(), StoreError> {
        let change = sqlx::query("UPDATE centres SET evidence_rules = $2 WHERE id = $1")
            .bind(centre)
            .bind(Json(rules));
        let doing = "saving the rules for evidence";
        self.save_edited(Edited::Evidence(centre), save, doing, change).await
    }

    /// Removes a centre with everything that belongs to it.
    pub async fn remove_centre(&self, centre: Uuid) -> Result<(), StoreError> {
        let failed = StoreError::on("removing a centre");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        sqlx::query(
            "DELETE FROM history USING contact_types \
             WHERE contact_types.id = contact_type_id AND centre_id = $1",
        )
        .bind(centre)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        sqlx::query("DELETE FROM centres WHERE id = $1")
            .bind(centre)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }

    /// The centre's contact types that are in use, in their order.
    pub async fn contact_types(&self, centre: Uuid) -> Result<Vec<ContactType>, StoreError> {
        let mut types = self.all_contact_types(centre).await?;
        types.retain(|each| each.archived_at.is_none());
        Ok(types)
    }

    /// The centre's contact types in their order, archived ones too.
    pub async fn all_contact_types(&self, centre: Uuid) -> Result<Vec<ContactType>, StoreError> {
        let rows: Vec<ContactTypeRow> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "{CONTACT_TYPES} WHERE centre_id = $1 ORDER BY position, name"
        )))
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing contact types"))?;
        rows.into_iter().map(ContactType::try_from).collect()
    }

    /// One contact type.
    pub async fn contact_type(&self, id: Uuid) -> Result<ContactType, StoreError> {
        let row: ContactTypeRow =
            sqlx::query_as(sqlx::AssertSqlSafe(format!("{CONTACT_TYPES} WHERE id = $1")))
                .bind(id)
                .fetch_one(&self.pool)
                .await
                .map_err(StoreError::on("reading a contact type"))?;
        row.try_into()
    }

    /// Adds a contact type after the others.
    pub async fn add_contact_type(
        &self,
        centre: Uuid,
        name: &str,
        grain: Grain,
        rules: &Rules,
    ) -> Result<Uuid, StoreError> {
        let mut connection =
            self.pool.acquire().await.map_err(StoreError::on("adding a contact type"))?;
        insert_contact_type(&mut connection, centre, name, grain, rules).await
    }

    /// Adds a contact type that is forecast as a share of another until it has history.
    pub async fn add_contact_type_like(
        &self,
        centre: Uuid,
        name: &str,
        model: &ContactType,
        share: f64,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("adding a contact type");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let id = insert_contact_type(&mut tx, centre, name, model.grain, &model.rules).await?;
        sqlx::query("UPDATE contact_types SET like_type_id = $2, like_share = $3 WHERE id = $1")
            .bind(id)
            .bind(model.id)
            .bind(share)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        queue_forecast_of(&mut tx, id, by).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(id)
    }

    /// Pins the method that a contact type is forecast with, or leaves it to the backtest, and queues the forecast.
    pub async fn pin_method(
        &self,
        contact_type: Uuid,
        method: Option<MethodName>,
        save: Save,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("pinning a method");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        count_save(&mut tx, Edited::Method(contact_type), save).await?;
        sqlx::query("UPDATE contact_types SET pinned_method = $2 WHERE id = $1")
            .bind(contact_type)
            .bind(method.map(MethodName::slug))
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        queue_forecast_of(&mut tx, contact_type, save.by).await?;
        tx.commit().await.map_err(&failed)
    }

    /// Changes the habits of a contact type's customers.
    pub async fn save_habits(
        &self,
        contact_type: Uuid,
        habits: &CustomerHabits,
        save: Save,
    ) -> Result<(), StoreError> {
        let change = sqlx::query("UPDATE contact_types SET habits = $2 WHERE id = $1")
            .bind(contact_type)
            .bind(Json(habits));
        self.save_edited(Edited::Habits(contact_type), save, "saving customers", change).await
    }

    /// Changes the habits of a contact type's customers by what was measured of them, and where it was the mean patience
    /// of its targets with them.
    pub async fn save_measured(
        &self,
        contact_type: Uuid,
        habits: &CustomerHabits,
        patience_secs: Option<f64>,
        save: Save,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("saving what was measured of customers");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        count_save(&mut tx, Edited::Habits(contact_type), save).await?;
        if let Some(secs) = patience_secs {
            let targets = Save { based_on: None, ..save };
            count_save(&mut tx, Edited::Targets(contact_type), targets).await?;
            sqlx::query(
                "UPDATE contact_types SET previous_rules = rules, \
                 rules = jsonb_set(rules, '{patience_secs}', to_jsonb($2::double precision)) WHERE id = $1",
            )
            .bind(contact_type)
            .bind(secs)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        }
        let change = sqlx::query("UPDATE contact_types SET habits = $2 WHERE id = $1")
            .bind(contact_type)
            .bind(Json(habits));
        let done = change.execute(&mut *tx).await.map_err(&failed)?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        tx.commit().await.map_err(&failed)
    }

    /// Changes a contact type's targets, and keeps those from before for
    /// [`undo_rules`](Self::undo_rules).
    pub async fn save_rules(
        &self,
        contact_type: Uuid,
        rules: &Rules,
        save: Save,
    ) -> Result<(), StoreError> {
        let change = sqlx::query(
            "UPDATE contact_types SET rules = $2, previous_rules = rules WHERE id = $1",
        )
        .bind(contact_type)
        .bind(Json(rules));
        self.save_edited(Edited::Targets(contact_type), save, "saving targets", change).await
    }

    /// Changes the targets back to those before the last save; once more makes that undone. Nothing
    /// happens where nothing was saved.
    pub async fn undo_rules(&self, contact_type: Uuid, save: Save) -> Result<(), StoreError> {
        let failed = StoreError::on("undoing targets");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        count_save(&mut tx, Edited::Targets(contact_type), save).await?;
        sqlx::query(
            "UPDATE contact_types SET rules = previous_rules, previous_rules = rules \
             WHERE id = $1 AND previous_rules IS NOT NULL",
        )
        .bind(contact_type)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }
}

pub(crate) async fn insert_contact_type(
    connection: &mut sqlx::PgConnection,
    centre: Uuid,
    name: &str,
    grain: Grain,
    rules: &Rules,
) -> Result<Uuid, StoreError> {
    sqlx::query_scalar(
        "INSERT INTO contact_types (centre_id, name, position, grain_minutes, rules) \
         SELECT $1, $2, coalesce(max(position), 0) + 1, $3, $4 FROM contact_types WHERE centre_id = $1 \
         RETURNING id",
    )
    .bind(centre)
    .bind(name)
    .bind(grain.minutes())
    .bind(Json(rules))
    .fetch_one(connection)
    .await
    .map_err(StoreError::on("adding a contact type"))
}
