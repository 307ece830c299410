//! What the demand pages of one contact type have in common: frame, chooser and tabs.

use barometer_store::ContactType;
use uuid::Uuid;

use super::archive::day;
use super::runs::run_of;
use crate::App;
use crate::access::RequestContext;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::progress::ProgressPart;
use crate::pages::{Choice, choices};

/// The demand pages of a contact type.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Tab {
    Forecast,
    Accuracy,
    Cleaning,
    Overlays,
    Frozen,
}

impl Tab {
    const ALL: [Self; 5] =
        [Self::Forecast, Self::Accuracy, Self::Cleaning, Self::Overlays, Self::Frozen];

    const fn name(self) -> &'static str {
        match self {
            Self::Forecast => "Forecast",
            Self::Accuracy => "Accuracy",
            Self::Cleaning => "Cleaning",
            Self::Overlays => "Overlays",
            Self::Frozen => "Frozen",
        }
    }

    const fn path(self) -> &'static str {
        match self {
            Self::Forecast => "",
            Self::Accuracy => "/accuracy",
            Self::Cleaning => "/cleaning",
            Self::Overlays => "/overlays",
            Self::Frozen => "/frozen",
        }
    }

    /// The address of this page for a contact type and a day.
    pub fn address(self, contact_type: Uuid, day: jiff::civil::Date) -> String {
        format!("/demand/{contact_type}{}?day={day}", self.path())
    }
}

/// What stands above every demand page of a contact type.
pub(crate) struct Head {
    pub frame: Frame,
    pub name: String,
    pub others: Vec<Choice>,
    pub tabs: Vec<Choice>,
    pub special_days: String,
    /// Since when it is archived, where it is.
    pub archived: Option<String>,
    pub restore: String,
    /// The run that makes its forecast, while it is not made.
    pub run: Option<ProgressPart>,
}

impl Head {
    pub async fn new(
        app: &App,
        context: &RequestContext,
        contact_type: &ContactType,
        tab: Tab,
    ) -> Result<Self, PageError> {
        let types = app.store.contact_types(context.centre.id).await?;
        let id = contact_type.id;
        Ok(Self {
            frame: Frame::of(context, Stage::Demand, Some(id)),
            name: contact_type.name.clone(),
            others: choices(&types, id, |other| tab.address(other, context.day)),
            tabs: Tab::ALL
                .into_iter()
                .map(|each| Choice {
                    name: each.name().to_owned(),
                    address: each.address(id, context.day),
                    is_current: each == tab,
                })
                .collect(),
            archived: contact_type.archived_at.map(|at| day(at, &context.centre.zone)),
            restore: format!("/demand/{id}/restore?day={}", context.day),
            run: run_of(app, context, contact_type).await?,
            special_days: format!("/demand/special-days?of={id}&day={}", context.day),
        })
    }
}
