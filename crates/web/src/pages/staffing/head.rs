//! What the staffing pages of one contact type have in common: frame, chooser and tabs.

use barometer_store::ContactType;
use jiff::civil::Date;
use uuid::Uuid;

use crate::access::RequestContext;
use crate::frame::{Frame, Stage};
use crate::pages::{Choice, choices};

/// The staffing pages of a contact type.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Tab {
    Need,
    WhatIf,
    Cover,
    Customers,
    Lines,
}

impl Tab {
    const ALL: [Self; 5] = [Self::Need, Self::WhatIf, Self::Cover, Self::Customers, Self::Lines];

    const fn name(self) -> &'static str {
        match self {
            Self::Need => "Need",
            Self::WhatIf => "What if",
            Self::Cover => "Cover",
            Self::Customers => "Customers",
            Self::Lines => "Lines and ports",
        }
    }

    const fn path(self) -> &'static str {
        match self {
            Self::Need => "",
            Self::WhatIf => "/what-if",
            Self::Cover => "/roster",
            Self::Customers => "/customers",
            Self::Lines => "/lines",
        }
    }

    /// The address of this page for a contact type and a day.
    pub fn address(self, contact_type: Uuid, day: Date) -> String {
        format!("/staffing/{contact_type}{}?day={day}", self.path())
    }
}

/// What stands above every staffing page of a contact type.
pub(crate) struct Head {
    pub frame: Frame,
    pub name: String,
    pub others: Vec<Choice>,
    pub tabs: Vec<Choice>,
    pub may_plan: bool,
}

impl Head {
    pub fn new(
        context: &RequestContext,
        types: &[ContactType],
        contact_type: &ContactType,
        tab: Tab,
    ) -> Self {
        let id = contact_type.id;
        Self {
            frame: Frame::of(context, Stage::Staffing, Some(id)),
            name: contact_type.name.clone(),
            others: choices(types, id, |other| tab.address(other, context.day)),
            tabs: Tab::ALL
                .into_iter()
                .map(|each| Choice {
                    name: each.name().to_owned(),
                    address: each.address(id, context.day),
                    is_current: each == tab,
                })
                .collect(),
            may_plan: context.may_plan(),
        }
    }
}
