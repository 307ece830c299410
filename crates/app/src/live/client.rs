//! A client of the open interface.

use std::time::Duration;

use barometer_wire::{
    Accepted, Conduct, DayPlan, IntervalPage, Live, Refusal, Release, StaffingPage, SwitchState,
    paths,
};
use reqwest::{Method, StatusCode};
use serde::Serialize;
use serde::de::DeserializeOwned;

use crate::tls::{self, innermost};

/// How long an answer may take.
const PATIENCE: Duration = Duration::from_secs(8);

/// The largest answer that is read, in bytes: a day of a large centre is a hundredth of it.
const LARGEST_ANSWER: usize = 32 * 1024 * 1024;

/// The body of an answer, up to the limit.
async fn within_limit(mut answer: reqwest::Response) -> Result<Vec<u8>, SwitchError> {
    let mut bytes = Vec::new();
    while let Some(part) =
        answer.chunk().await.map_err(|error| SwitchError::Away(innermost(&error)))?
    {
        if bytes.len() + part.len() > LARGEST_ANSWER {
            let message = format!("its answer is larger than {} MB", LARGEST_ANSWER >> 20);
            return Err(SwitchError::Strange(message));
        }
        bytes.extend_from_slice(&part);
    }
    Ok(bytes)
}

/// Where a switch is, and what it wants to be shown.
#[derive(Clone, PartialEq, Eq)]
pub struct SwitchAddress {
    /// As `http://127.0.0.1:4181`.
    pub address: String,
    /// Its token.
    pub token: String,
}

impl std::fmt::Debug for SwitchAddress {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        // The token is nobody's business.
        f.debug_struct("SwitchAddress").field("address", &self.address).finish_non_exhaustive()
    }
}

/// Why the switch does not do what it is asked.
#[derive(Debug, thiserror::Error)]
pub enum SwitchError {
    /// It does not answer, or is out of order: ask again later.
    #[error("the switch does not answer: {0}")]
    Away(String),
    /// It answers that it will not.
    #[error("the switch refuses: {0}")]
    Refused(String),
    /// It answers something else.
    #[error("the switch answers what cannot be understood: {0}")]
    Strange(String),
}

/// A client of a switch.
#[derive(Clone, Debug)]
pub struct SwitchClient {
    http: reqwest::Client,
    address: SwitchAddress,
}

impl SwitchClient {
    /// A client of the switch at an address.
    pub fn of(address: SwitchAddress) -> Self {
        tls::install();
        Self { http: reqwest::Client::new(), address }
    }

    async fn ask<T: DeserializeOwned>(
        &self,
        method: Method,
        path: &str,
        body: Option<&(impl Serialize + Sync)>,
    ) -> Result<T, SwitchError> {
        let address = format!("{}{path}", self.address.address.trim_end_matches('/'));
        let mut request =
            self.http.request(method, address).timeout(PATIENCE).bearer_auth(&self.address.token);
        if let Some(body) = body {
            request = request.json(body);
        }
        let away = |error: reqwest::Error| SwitchError::Away(innermost(&error));
        let answer = request.send().await.map_err(away)?;
        let status = answer.status();
        let bytes = within_limit(answer).await?;
        if status.is_success() {
            return serde_json::from_slice(&bytes)
                .map_err(|error| SwitchError::Strange(error.to_string()));
        }
        let message = serde_json::from_slice::<Refusal>(&bytes)
            .map_or_else(|_| status.to_string(), |refusal| refusal.message);
        Err(match status {
            StatusCode::CONFLICT | StatusCode::UNPROCESSABLE_ENTITY | StatusCode::UNAUTHORIZED => {
                SwitchError::Refused(message)
            }
            _ => SwitchError::Away(message),
        })
    }

    async fn get<T: DeserializeOwned>(&self, path: &str) -> Result<T, SwitchError> {
        self.ask(Method::GET, path, None::<&()>).await
    }

    /// What is true there now.
    ///
    /// # Errors
    ///
    /// [`SwitchError`], as for every question below.
    pub async fn state(&self) -> Result<SwitchState, SwitchError> {
        self.get(paths::STATE).await
    }

    /// What is live there.
    ///
    /// # Errors
    ///
    /// [`SwitchError`]
    pub async fn live(&self) -> Result<Live, SwitchError> {
        self.get(paths::LIVE).await
    }

    /// Intervals after the one with this number.
    ///
    /// # Errors
    ///
    /// [`SwitchError`]
    pub async fn intervals(&self, after: u64) -> Result<IntervalPage, SwitchError> {
        self.get(&format!("{}?after={after}", paths::INTERVALS)).await
    }

    /// Who was on shift: rows after the one with this number.
    ///
    /// # Errors
    ///
    /// [`SwitchError`]
    pub async fn staffing(&self, after: u64) -> Result<StaffingPage, SwitchError> {
        self.get(&format!("{}?after={after}", paths::STAFFING)).await
    }

    /// Makes a release live.
    ///
    /// # Errors
    ///
    /// [`SwitchError`]
    pub async fn publish(&self, release: &Release) -> Result<Accepted, SwitchError> {
        let path = format!("{}/{}", paths::RELEASES, release.number);
        self.ask(Method::PUT, &path, Some(release)).await
    }

    /// Tells the plan of a day.
    ///
    /// # Errors
    ///
    /// [`SwitchError`]
    pub async fn plan(&self, plan: &DayPlan) -> Result<(), SwitchError> {
        self.ask(Method::PUT, &format!("{}/{}", paths::DAYS, plan.date), Some(plan)).await
    }

    /// How a stand-in behaves.
    ///
    /// # Errors
    ///
    /// [`SwitchError`]
    pub async fn conduct(&self) -> Result<Conduct, SwitchError> {
        self.get(paths::CONDUCT).await
    }

    /// Tells a stand-in how to behave.
    ///
    /// # Errors
    ///
    /// [`SwitchError`]
    pub async fn behave(&self, conduct: &Conduct) -> Result<Conduct, SwitchError> {
        self.ask(Method::POST, paths::CONDUCT, Some(conduct)).await
    }
}
