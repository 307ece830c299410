//! What surrounds every page: the stages, the centre, the period, the person.

use barometer_store::Role;
use jiff::Span;
use uuid::Uuid;

use crate::access::RequestContext;
use crate::words;

/// The stages of the job in their order, after the outlook.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Stage {
    Outlook,
    Demand,
    Staffing,
    Strategy,
    Trials,
    GoLive,
    Watch,
}

impl Stage {
    const ALL: [Self; 7] = [
        Self::Outlook,
        Self::Demand,
        Self::Staffing,
        Self::Strategy,
        Self::Trials,
        Self::GoLive,
        Self::Watch,
    ];

    const fn name(self) -> &'static str {
        match self {
            Self::Outlook => "Outlook",
            Self::Demand => "Demand",
            Self::Staffing => "Staffing",
            Self::Strategy => "Strategy",
            Self::Trials => "Trials",
            Self::GoLive => "Go-live",
            Self::Watch => "Watch",
        }
    }

    /// Address of the stage for a day and, where it has pages of one, a contact type.
    pub fn address(self, day: jiff::civil::Date, contact_type: Option<Uuid>) -> String {
        match (self, contact_type) {
            (Self::Outlook, _) => format!("/?day={day}"),
            (Self::Demand, Some(id)) => format!("/demand/{id}?day={day}"),
            (Self::Demand, None) => format!("/demand?day={day}"),
            (Self::Staffing, Some(id)) => format!("/staffing/{id}?day={day}"),
            (Self::Staffing, None) => format!("/staffing?day={day}"),
            (Self::Strategy, _) => format!("/strategy?day={day}"),
            (Self::Trials, Some(id)) => format!("/trials?contact_type={id}&day={day}"),
            (Self::Trials, None) => format!("/trials?day={day}"),
            (Self::GoLive, _) => format!("/go-live?day={day}"),
            (Self::Watch, _) => format!("/watch?day={day}"),
        }
    }
}

/// One stage in the bar.
pub(crate) struct StageLink {
    pub key: String,
    pub name: &'static str,
    pub address: String,
    pub is_current: bool,
}

/// The frame of a page.
pub(crate) struct Frame {
    pub centre: String,
    pub user: String,
    pub role: &'static str,
    pub may_plan: bool,
    pub stages: Vec<StageLink>,
    pub period: String,
    pub earlier: String,
    pub later: String,
    pub today: String,
}

impl Frame {
    /// The frame of a page that belongs to no stage.
    pub fn apart(context: &RequestContext) -> Self {
        let mut frame = Self::of(context, Stage::Outlook, None);
        frame.stages.iter_mut().for_each(|stage| stage.is_current = false);
        frame
    }

    pub fn of(context: &RequestContext, stage: Stage, contact_type: Option<Uuid>) -> Self {
        let week = Span::new().days(7);
        let address = |stage: Stage, day| stage.address(day, contact_type);
        Self {
            centre: context.centre.name.clone(),
            user: context.user.name.clone(),
            role: context.user.role.word(),
            may_plan: context.may(Role::Planner),
            stages: Stage::ALL
                .into_iter()
                .map(|each| StageLink {
                    key: each.name().to_lowercase(),
                    name: each.name(),
                    address: address(each, context.day),
                    is_current: each == stage,
                })
                .collect(),
            period: words::week_span(context.monday()),
            earlier: address(stage, context.day.saturating_sub(week)),
            later: address(stage, context.day.saturating_add(week)),
            today: address(stage, context.today),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    #[test]
    fn the_day_stays_on_the_way_to_every_stage() {
        let (day, id) = (date(2026, 11, 28), Uuid::nil());
        for stage in Stage::ALL {
            for contact_type in [None, Some(id)] {
                let address = stage.address(day, contact_type);
                assert!(address.contains("day=2026-11-28"), "{address}");
            }
        }
        assert_eq!(Stage::Staffing.address(day, Some(id)), format!("/staffing/{id}?day={day}"));
    }
}
