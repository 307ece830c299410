//! What a report is to contain, and for which part of the centre.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::{Grouping, Period};

/// A report as a planner defines it; made of a period's facts, it becomes a [`Report`](crate::Report).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Definition {
    /// What it is called.
    pub title: String,
    /// Its sections, in order.
    pub sections: Vec<Section>,
    /// The contact types that it covers; empty for all of the centre.
    #[serde(default)]
    pub contact_types: Vec<Uuid>,
    /// The teams that it covers; empty for all of the centre.
    #[serde(default)]
    pub teams: Vec<String>,
    /// The queues and hunt groups that it covers; empty for all of the strategy.
    #[serde(default)]
    pub queues: Vec<String>,
    /// The campaigns that it covers; empty for all of the strategy.
    #[serde(default)]
    pub campaigns: Vec<String>,
    /// What one row of a table stands for.
    pub grouping: Grouping,
    /// The days that it covers.
    pub period: Period,
    /// What its figures stand beside.
    #[serde(default)]
    pub against: Against,
}

/// What a report's figures stand beside.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Against {
    /// Nothing.
    Nothing,
    /// The period of the same length just before.
    Before,
    /// The same period a year ago: the same weekdays 52 weeks earlier, or the same months.
    YearAgo,
    /// The forecast.
    #[default]
    Forecast,
    /// The plan: the forecast under the people planned, as a day began.
    Plan,
}

impl Against {
    /// All of them, in the order of a form.
    pub const ALL: [Self; 5] =
        [Self::Forecast, Self::Plan, Self::Before, Self::YearAgo, Self::Nothing];

    /// Whether it is other days of the history.
    pub const fn is_past(self) -> bool {
        matches!(self, Self::Before | Self::YearAgo)
    }

    /// As it is kept and typed.
    pub const fn key(self) -> &'static str {
        match self {
            Self::Nothing => "nothing",
            Self::Before => "before",
            Self::YearAgo => "year_ago",
            Self::Forecast => "forecast",
            Self::Plan => "plan",
        }
    }

    /// The comparison with this key.
    pub fn of_key(key: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|against| against.key() == key)
    }

    /// In a form.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Nothing => "nothing",
            Self::Before => "the period before",
            Self::YearAgo => "a year ago",
            Self::Forecast => "the forecast",
            Self::Plan => "the plan",
        }
    }

    /// At the end of "3.1 % more than …".
    pub(crate) const fn in_sentence(self) -> &'static str {
        match self {
            Self::Nothing => "",
            Self::Before => "in the period before",
            Self::YearAgo => "a year ago",
            Self::Forecast => "forecast",
            Self::Plan => "planned",
        }
    }

    /// As the heading of a column.
    pub const fn heading(self) -> &'static str {
        match self {
            Self::Nothing => "",
            Self::Before => "Period before",
            Self::YearAgo => "Year ago",
            Self::Forecast => "Forecast",
            Self::Plan => "Plan",
        }
    }
}

/// Something that a report can tell.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Section {
    /// Contacts offered.
    Demand,
    /// How far forecasts were off.
    Accuracy,
    /// Service level, speed of answer and abandonment against their targets.
    Service,
    /// Handle time and the work that it makes.
    HandleTime,
    /// Waits by percentile, as simulated.
    Waits,
    /// Queues and hunt groups, as simulated.
    Queues,
    /// Where contacts go, as simulated.
    Flow,
    /// People needed and planned.
    Staffing,
    /// Hours on shift and occupancy of teams.
    Teams,
    /// Rostered hours of single agents.
    Agents,
    /// Campaigns as their latest trial found them.
    Campaigns,
    /// Telephone lines needed and installed.
    Lines,
    /// What went live.
    Releases,
    /// Alarms that rang.
    Alarms,
    /// Trials and what became of them.
    Trials,
    /// Why days ended differently from their plan.
    Causes,
}

impl Section {
    /// All of them, in the order in which a report reads best.
    pub const ALL: [Self; 16] = [
        Self::Service,
        Self::Demand,
        Self::Accuracy,
        Self::HandleTime,
        Self::Waits,
        Self::Queues,
        Self::Flow,
        Self::Staffing,
        Self::Teams,
        Self::Agents,
        Self::Causes,
        Self::Campaigns,
        Self::Lines,
        Self::Releases,
        Self::Alarms,
        Self::Trials,
    ];

    /// As it is kept and typed.
    pub const fn key(self) -> &'static str {
        match self {
            Self::Demand => "demand",
            Self::Accuracy => "accuracy",
            Self::Service => "service",
            Self::HandleTime => "handle_time",
            Self::Waits => "waits",
            Self::Queues => "queues",
            Self::Flow => "flow",
            Self::Staffing => "staffing",
            Self::Teams => "teams",
            Self::Agents => "agents",
            Self::Campaigns => "campaigns",
            Self::Lines => "lines",
            Self::Releases => "releases",
            Self::Alarms => "alarms",
            Self::Trials => "trials",
            Self::Causes => "causes",
        }
    }

    /// The section with this key.
    pub fn of_key(key: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|section| section.key() == key)
    }

    /// Its heading.
    pub const fn title(self) -> &'static str {
        match self {
            Self::Demand => "Demand",
            Self::Accuracy => "Forecast accuracy",
            Self::Service => "Service",
            Self::HandleTime => "Handle time",
            Self::Waits => "Waits",
            Self::Queues => "Queues and hunt groups",
            Self::Flow => "Flow",
            Self::Staffing => "Need and cover",
            Self::Teams => "Teams",
            Self::Agents => "Agents",
            Self::Campaigns => "Campaigns",
            Self::Lines => "Telephone lines",
            Self::Releases => "Releases",
            Self::Alarms => "Alarms",
            Self::Trials => "Trials",
            Self::Causes => "Plan against actual",
        }
    }

    /// What it tells, in a form.
    pub const fn tells(self) -> &'static str {
        match self {
            Self::Demand => "contacts offered, by contact type and time",
            Self::Accuracy => "error and bias of the forecast on held-out days",
            Self::Service => "service level, speed of answer and abandonment against targets",
            Self::HandleTime => "average handle time and workload",
            Self::Waits => {
                "waits by percentile, as the latest trial of the live strategy found them"
            }
            Self::Queues => {
                "queues and hunt groups, as the latest trial of the live strategy found them"
            }
            Self::Flow => "where contacts go and where they are lost, as simulated",
            Self::Staffing => "hours needed and planned, intervals short of people",
            Self::Teams => "hours on shift and occupancy, as the switch measured them",
            Self::Agents => "rostered hours of each agent; for those who may see single agents",
            Self::Campaigns => "people reached and calls abandoned, as simulated",
            Self::Lines => "lines needed and installed, calls blocked",
            Self::Releases => "strategies that went live, and who approved them",
            Self::Alarms => "alarms that rang, how long, and who saw them",
            Self::Trials => "trials run, their verdicts, and whether they went live",
            Self::Causes => "what moved each day's service level away from its plan",
        }
    }

    /// Whether it names single agents: only people with this right may see it.
    pub const fn names_agents(self) -> bool {
        matches!(self, Self::Agents)
    }
}

/// A ready-made report.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Ready {
    /// As it is named on a command line.
    pub key: &'static str,
    /// What it is called.
    pub title: &'static str,
    /// For whom it is.
    pub purpose: &'static str,
    sections: &'static [Section],
    grouping: Grouping,
    period: Period,
    against: Against,
}

impl Ready {
    /// The ready-made reports.
    pub const ALL: [Self; 5] = [
        Self {
            key: "morning-brief",
            title: "Morning brief",
            purpose: "Team leaders: how yesterday went and why, interval by interval",
            sections: &[Section::Service, Section::Demand, Section::Causes, Section::Alarms],
            grouping: Grouping::Interval,
            period: Period::YESTERDAY,
            against: Against::Plan,
        },
        Self {
            key: "week-review",
            title: "Week review",
            purpose: "Managers: last week's service, demand and people, day by day",
            sections: &[
                Section::Service,
                Section::Demand,
                Section::HandleTime,
                Section::Staffing,
                Section::Teams,
                Section::Releases,
            ],
            grouping: Grouping::Day,
            period: Period::LAST_WEEK,
            against: Against::Forecast,
        },
        Self {
            key: "month-for-finance",
            title: "Month for finance",
            purpose: "Finance: contacts, workload and hours of the last month, against a year ago",
            sections: &[Section::Demand, Section::HandleTime, Section::Staffing, Section::Service],
            grouping: Grouping::Week,
            period: Period::LAST_MONTH,
            against: Against::YearAgo,
        },
        Self {
            key: "campaign-account",
            title: "Campaign account",
            purpose: "Campaign owners: people reached and calls abandoned against the ceiling",
            sections: &[Section::Campaigns, Section::Teams, Section::Lines],
            grouping: Grouping::Day,
            period: Period::THIS_WEEK,
            against: Against::Nothing,
        },
        Self {
            key: "accuracy",
            title: "Forecast accuracy",
            purpose: "Planners: how far forecasts were off in the last four weeks, and where",
            sections: &[Section::Accuracy, Section::Demand, Section::Causes],
            grouping: Grouping::Day,
            period: Period::LAST_FOUR_WEEKS,
            against: Against::Forecast,
        },
    ];

    /// Its definition, of the whole centre.
    pub fn definition(&self) -> Definition {
        Definition {
            title: self.title.to_owned(),
            sections: self.sections.to_vec(),
            contact_types: Vec::new(),
            teams: Vec::new(),
            queues: Vec::new(),
            campaigns: Vec::new(),
            grouping: self.grouping,
            period: self.period,
            against: self.against,
        }
    }
}
