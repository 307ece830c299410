//! The trail: who did what, when and from where. It only grows.

use std::net::IpAddr;

use jiff::Timestamp;
use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError};

/// What somebody did.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Deed {
    /// Signed in.
    SignedIn,
    /// Typed a wrong password.
    SignInRefused,
    /// Ended their other sessions.
    SessionsEnded,
    /// Added a person.
    PersonAdded,
    /// Changed somebody's role.
    RoleChanged,
    /// Changed who sees single agents.
    AgentsRightChanged,
    /// Kept somebody from signing in, or let them again.
    PersonDeactivated,
    /// Changed a password, their own or somebody else's.
    PasswordChanged,
    /// Set up an authenticator, or took one away.
    SecondFactorChanged,
    /// Made a token for scripts.
    TokenMade,
    /// Ended a token.
    TokenEnded,
    /// Saved history from a file or by the interface.
    ImportSaved,
    /// Took an import back.
    ImportUndone,
    /// Changed a contact type's targets.
    TargetsChanged,
    /// What a contact type's customers are like.
    CustomersChanged,
    /// Changed the people planned.
    CoverChanged,
    /// Put a contact type into the archive.
    ContactTypeArchived,
    /// Took a contact type out of the archive.
    ContactTypeRestored,
    /// Removed a contact type with everything that belonged to it.
    ContactTypeRemoved,
    /// Did something with a change sheet: proposed, approved, went live, went back.
    ChangeSheet,
    /// Changed what counts as evidence.
    EvidenceRulesChanged,
}

impl Deed {
    /// All of them.
    pub const ALL: [Self; 21] = [
        Self::SignedIn,
        Self::SignInRefused,
        Self::SessionsEnded,
        Self::PersonAdded,
        Self::RoleChanged,
        Self::AgentsRightChanged,
        Self::PersonDeactivated,
        Self::PasswordChanged,
        Self::SecondFactorChanged,
        Self::TokenMade,
        Self::TokenEnded,
        Self::ImportSaved,
        Self::ImportUndone,
        Self::TargetsChanged,
        Self::CustomersChanged,
        Self::CoverChanged,
        Self::ContactTypeArchived,
        Self::ContactTypeRestored,
        Self::ContactTypeRemoved,
        Self::ChangeSheet,
        Self::EvidenceRulesChanged,
    ];

    /// As it is kept: wording may change, keys do not.
    pub const fn key(self) -> &'static str {
        match self {
            Self::SignedIn => "signed_in",
            Self::SignInRefused => "sign_in_refused",
            Self::SessionsEnded => "sessions_ended",
            Self::PersonAdded => "person_added",
            Self::RoleChanged => "role_changed",
            Self::AgentsRightChanged => "agents_right_changed",
            Self::PersonDeactivated => "person_deactivated",
            Self::PasswordChanged => "password_changed",
            Self::SecondFactorChanged => "second_factor_changed",
            Self::TokenMade => "token_made",
            Self::TokenEnded => "token_ended",
            Self::ImportSaved => "import_saved",
            Self::ImportUndone => "import_undone",
            Self::TargetsChanged => "targets_changed",
            Self::CustomersChanged => "customers_changed",
            Self::CoverChanged => "cover_changed",
            Self::ContactTypeArchived => "contact_type_archived",
            Self::ContactTypeRestored => "contact_type_restored",
            Self::ContactTypeRemoved => "contact_type_removed",
            Self::ChangeSheet => "change_sheet",
            Self::EvidenceRulesChanged => "evidence_rules_changed",
        }
    }

    /// The deed with this key.
    pub fn of_key(key: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|deed| deed.key() == key)
    }

    /// In words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::SignedIn => "signed in",
            Self::SignInRefused => "sign-in refused",
            Self::SessionsEnded => "ended other sessions",
            Self::PersonAdded => "added a person",
            Self::RoleChanged => "changed a role",
            Self::AgentsRightChanged => "changed who sees single agents",
            Self::PersonDeactivated => "changed who may sign in",
            Self::PasswordChanged => "changed a password",
            Self::SecondFactorChanged => "changed a second factor",
            Self::TokenMade => "made a token",
            Self::TokenEnded => "ended a token",
            Self::ImportSaved => "saved history",
            Self::ImportUndone => "undid an import",
            Self::TargetsChanged => "changed targets",
            Self::CustomersChanged => "changed customers",
            Self::CoverChanged => "changed the cover",
            Self::ContactTypeArchived => "archived a contact type",
            Self::ContactTypeRestored => "restored a contact type",
            Self::ContactTypeRemoved => "removed a contact type",
            Self::ChangeSheet => "worked on a change sheet",
            Self::EvidenceRulesChanged => "changed what counts as evidence",
        }
    }
}

/// Who did something, and from where.
#[derive(Clone, Copy, Debug)]
pub struct Doer<'a> {
    /// Their name, or the address that was typed.
    pub name: &'a str,
    /// Their key, where somebody was signed in.
    pub user: Option<Uuid>,
    /// Where the request came from, where that is known.
    pub from: Option<IpAddr>,
}

/// What was done to what.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Noted {
    /// To what.
    pub about: String,
    /// What it was before.
    pub was: Option<String>,
    /// What it became.
    pub became: Option<String>,
}

impl Noted {
    /// Something that has no before and after.
    pub fn about(about: impl Into<String>) -> Self {
        Self { about: about.into(), ..Self::default() }
    }

    /// From one thing to another.
    pub fn from_to(
        about: impl Into<String>,
        was: impl Into<String>,
        became: impl Into<String>,
    ) -> Self {
        Self { about: about.into(), was: Some(was.into()), became: Some(became.into()) }
    }
}

/// An entry of the trail.
#[derive(Clone, Debug, PartialEq)]
pub struct TrailEntry {
    /// Its place.
    pub number: i64,
    /// When.
    pub at: Timestamp,
    /// By whom.
    pub by: String,
    /// From which address, where that is known.
    pub from: Option<String>,
    /// What was done; none where a later version wrote it.
    pub did: Option<Deed>,
    /// To what.
    pub change: Noted,
}

#[derive(FromRow)]
struct Row {
    number: i64,
    done_at: jiff_sqlx::Timestamp,
    done_by: String,
    from_where: Option<String>,
    did: String,
    about: String,
    was: Option<String>,
    became: Option<String>,
}

impl From<Row> for TrailEntry {
    fn from(row: Row) -> Self {
        Self {
            number: row.number,
            at: row.done_at.to_jiff(),
            by: row.done_by,
            from: row.from_where,
            did: Deed::of_key(&row.did),
            change: Noted { about: row.about, was: row.was, became: row.became },
        }
    }
}

/// Which entries are wanted.
#[derive(Clone, Debug, Default)]
pub struct TrailFilter {
    /// Only those of this deed.
    pub did: Option<Deed>,
    /// Only those with this text in a name, an address or what it was about; all where it is empty.
    pub text: String,
    /// Only those before this one.
    pub before: Option<i64>,
}

impl Store {
    /// Adds an entry.
    pub async fn note(&self, doer: Doer<'_>, did: Deed, change: &Noted) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO trail (done_by, user_id, from_where, did, about, was, became) \
             VALUES ($1, $2, $3, $4, $5, $6, $7)",
        )
        .bind(doer.name)
        .bind(doer.user)
        .bind(doer.from.map(|from| from.to_string()))
        .bind(did.key())
        .bind(&change.about)
        .bind(&change.was)
        .bind(&change.became)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("noting what was done"))
    }

    /// Entries, the latest first.
    pub async fn trail(
        &self,
        filter: &TrailFilter,
        most: i64,
    ) -> Result<Vec<TrailEntry>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT number, done_at, done_by, from_where, did, about, was, became FROM trail \
             WHERE ($1::text IS NULL OR did = $1) AND ($2::bigint IS NULL OR number < $2) \
               AND strpos(lower(concat_ws(' ', done_by, from_where, about, was, became)), lower($3)) > 0 \
             ORDER BY number DESC LIMIT $4",
        )
        .bind(filter.did.map(Deed::key))
        .bind(filter.before)
        .bind(filter.text.trim())
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading the trail"))?;
        Ok(rows.into_iter().map(TrailEntry::from).collect())
    }
}
