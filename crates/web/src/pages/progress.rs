//! The part of a page that changes while something long is played: how far it is, and a way to stop it.

use askama::Template;
use axum::http::HeaderValue;
use axum::response::Response;
use barometer_store::TrialState;

use super::page;
use super::trials::state_word;
use crate::access::Visit;
use crate::page_error::PageError;
use crate::words;

/// How far it is.
#[derive(Template)]
#[template(path = "progress.html")]
pub(crate) struct ProgressPart {
    address: String,
    cancel: String,
    state: TrialState,
    is_stopping: bool,
    /// What is done, in words: "75 of 200 days".
    done: String,
    percent: u32,
    left: Option<String>,
    failure: Option<String>,
    may_cancel: bool,
}

/// What is played, as the store tells it.
pub(crate) struct Played<'a> {
    /// Address of its page.
    pub address: String,
    pub state: TrialState,
    pub is_cancel_requested: bool,
    /// What is done, in words and as a share.
    pub done: (String, f64),
    pub running_secs: Option<f64>,
    pub failure: Option<&'a str>,
}

impl ProgressPart {
    pub fn of(played: Played<'_>, visit: &Visit) -> Self {
        let (done, share) = played.done;
        Self {
            cancel: format!("{}/cancel", played.address),
            address: format!("{}/progress", played.address),
            state: played.state,
            is_stopping: played.is_cancel_requested && !played.state.is_over(),
            percent: (share * 100.0) as u32,
            left: words::time_left(played.running_secs, share),
            done,
            failure: played.failure.map(str::to_owned),
            may_cancel: visit.may_plan(),
        }
    }

    fn word(&self) -> &'static str {
        if self.is_stopping { "stopping" } else { state_word(self.state) }
    }

    fn is_over(&self) -> bool {
        self.state.is_over()
    }

    /// The part alone; once it is over, the page is loaded anew.
    pub fn response(&self) -> Result<Response, PageError> {
        let mut response = page(self)?;
        if self.is_over() {
            response.headers_mut().insert("hx-refresh", HeaderValue::from_static("true"));
        }
        Ok(response)
    }
}
