//! Extractors whose refusals are pages like any other.

use axum::extract::rejection::PathRejection;
use axum::extract::{FromRequest, FromRequestParts, Request};
use axum_extra::extract::{FormRejection, QueryRejection};

use crate::page_error::PageError;

/// Parts of the address; one that cannot be read leads nowhere.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Path), rejection(PageError))]
pub(crate) struct Path<T>(pub T);

/// What stands behind the `?`; a name that is there once or more often can be a list.
#[derive(FromRequestParts)]
#[from_request(via(axum_extra::extract::Query), rejection(PageError))]
pub(crate) struct Query<T>(pub T);

/// A form that was filled in; a field that is there once or more often can be a list.
#[derive(FromRequest)]
#[from_request(via(axum_extra::extract::Form), rejection(PageError))]
pub(crate) struct Form<T>(pub T);

/// A form with a file.
pub(crate) struct Multipart(pub axum::extract::Multipart);

impl<S: Send + Sync> FromRequest<S> for Multipart {
    type Rejection = PageError;

    async fn from_request(request: Request, state: &S) -> Result<Self, PageError> {
        axum::extract::Multipart::from_request(request, state).await.map(Self).map_err(
            |rejection| {
                let reason = rejection.body_text();
                PageError::Refused(format!(
                    "The upload cannot be read; nothing was saved. {reason}."
                ))
            },
        )
    }
}

impl From<PathRejection> for PageError {
    fn from(_: PathRejection) -> Self {
        Self::NotFound
    }
}

impl From<QueryRejection> for PageError {
    fn from(rejection: QueryRejection) -> Self {
        Self::Refused(format!("This address cannot be read. {}.", rejection))
    }
}

impl From<FormRejection> for PageError {
    fn from(rejection: FormRejection) -> Self {
        Self::Refused(format!("The form cannot be read; nothing was changed. {rejection}."))
    }
}
