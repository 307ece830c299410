//! A report's definition as a form.

use barometer_app::reports::Coverage;
use barometer_report::{Against, Definition, Grouping, Period, Section};
use barometer_store::ContactType;
use jiff::civil::Date;
use serde::Deserialize;
use uuid::Uuid;

use crate::forms::{self, FormErrors};
use crate::pages::trials::Choosable;
use crate::words;

/// Longest title.
const LONGEST_TITLE: usize = 80;
/// Days that made reports are kept, unless another number is typed.
pub(super) const KEPT_DAYS: i32 = 400;

/// A definition as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct ReportForm {
    pub title: String,
    pub section: Vec<String>,
    pub contact_type: Vec<Uuid>,
    pub team: Vec<String>,
    pub queue: Vec<String>,
    pub campaign: Vec<String>,
    pub by: String,
    pub period: String,
    pub first: String,
    pub last: String,
    pub against: String,
    pub keep_days: String,
    /// The version of the report that the form shows.
    pub based_on: String,
    #[serde(skip)]
    pub wrong: FormErrors,
}

fn option(key: &str, words: &str, is_chosen: bool) -> Choosable {
    Choosable { value: key.to_owned(), name: words.to_owned(), is_chosen }
}

/// The periods to choose from; dates last.
pub(super) fn period_options(chosen: Period) -> Vec<Choosable> {
    let named = Period::NAMED.into_iter();
    let named = named.map(|(key, words, period)| option(key, words, period == chosen));
    let dates = option("dates", "these dates", matches!(chosen, Period::Fixed { .. }));
    named.chain([dates]).collect()
}

/// The groupings to choose from.
pub(super) fn grouping_options(chosen: &str) -> Vec<Choosable> {
    let keys = Grouping::ALL.into_iter().map(Grouping::key);
    keys.map(|key| option(key, key, key == chosen)).collect()
}

/// What a report may be compared with.
pub(super) fn against_options(chosen: &str) -> Vec<Choosable> {
    let all = Against::ALL.into_iter();
    all.map(|against| option(against.key(), against.words(), against.key() == chosen)).collect()
}

/// The period that is typed, or what is wrong with it; none where nothing is typed.
pub(super) fn typed_period(
    period: &str,
    first: &str,
    last: &str,
) -> Option<Result<Period, String>> {
    match period {
        "" => None,
        "dates" => Some(dates(first, last)),
        named => Some(named.parse::<Period>().map_err(|error| error.to_string())),
    }
}

fn dates(first: &str, last: &str) -> Result<Period, String> {
    let day = |typed: &str| -> Result<Date, String> {
        forms::day(typed).ok_or_else(|| {
            format!("“{}” is no day; type the first and the last day, as 2026-11-27.", typed.trim())
        })
    };
    Ok(Period::Fixed { first: day(first)?, last: day(last)? })
}

impl ReportForm {
    /// The form of a definition.
    pub fn of(definition: &Definition, keep_days: i32, version: i64) -> Self {
        let (period, first, last) = match definition.period {
            Period::Fixed { first, last } => {
                ("dates".to_owned(), first.to_string(), last.to_string())
            }
            period => (period.to_string(), String::new(), String::new()),
        };
        Self {
            title: definition.title.clone(),
            section: definition.sections.iter().map(|section| section.key().to_owned()).collect(),
            contact_type: definition.contact_types.clone(),
            team: definition.teams.clone(),
            queue: definition.queues.clone(),
            campaign: definition.campaigns.clone(),
            by: definition.grouping.key().to_owned(),
            period,
            first,
            last,
            against: definition.against.key().to_owned(),
            keep_days: keep_days.to_string(),
            based_on: version.to_string(),
            wrong: FormErrors::default(),
        }
    }

    /// The definition that is typed, and the days that made reports are kept; or what is wrong.
    pub fn definition(&self, today: Date) -> Result<(Definition, i32), FormErrors> {
        let mut wrong = FormErrors::default();
        let title = self.title.trim();
        if title.is_empty() {
            wrong.note("title", "Give the report a title.");
        }
        if title.chars().count() > LONGEST_TITLE {
            wrong.note("title", format!("Must have at most {LONGEST_TITLE} characters."));
        }
        let sections: Vec<Section> =
            self.section.iter().filter_map(|key| Section::of_key(key)).collect();
        if sections.is_empty() {
            wrong.note("section", "Choose at least one section.");
        }
        let grouping = Grouping::of_key(&self.by).unwrap_or(Grouping::Day);
        let period = match typed_period(&self.period, &self.first, &self.last) {
            Some(Ok(period)) => period,
            Some(Err(why)) => {
                wrong.note("period", why);
                Period::LAST_WEEK
            }
            None => Period::LAST_WEEK,
        };
        if let Err(error) = period.days(today, grouping) {
            wrong.note("period", format!("{}.", words::capitalised(&error.to_string())));
        }
        let keep_days = wrong.whole("keep_days", &self.keep_days, 1..=3650).unwrap_or(KEPT_DAYS);
        let definition = Definition {
            title: title.to_owned(),
            sections,
            contact_types: self.contact_type.clone(),
            teams: self.team.clone(),
            queues: self.queue.clone(),
            campaigns: self.campaign.clone(),
            grouping,
            period,
            against: Against::of_key(&self.against).unwrap_or_default(),
        };
        if wrong.is_empty() { Ok((definition, keep_days)) } else { Err(wrong) }
    }

    /// The period that is typed, for the form.
    pub fn period(&self) -> Period {
        let fixed = || Period::Fixed { first: Date::MIN, last: Date::MIN };
        match typed_period(&self.period, &self.first, &self.last) {
            Some(Ok(period)) => period,
            Some(Err(_)) if self.period == "dates" => fixed(),
            _ => Period::LAST_WEEK,
        }
    }

    /// Sections to choose from, with what each tells: those that are chosen first, in their order.
    pub fn sections(&self) -> Vec<(Choosable, &'static str)> {
        let chosen: Vec<Section> =
            self.section.iter().filter_map(|key| Section::of_key(key)).collect();
        let others = Section::ALL.into_iter().filter(|section| !chosen.contains(section));
        let others = others.map(|section| (section, false));
        let all = chosen.iter().map(|section| (*section, true)).chain(others);
        let choosable = |(section, is_chosen): (Section, bool)| {
            (option(section.key(), section.title(), is_chosen), section.tells())
        };
        all.map(choosable).collect()
    }

    /// Contact types to choose from.
    pub fn contact_types(&self, types: &[ContactType]) -> Vec<Choosable> {
        let choosable = |each: &ContactType| {
            option(&each.id.to_string(), &each.name, self.contact_type.contains(&each.id))
        };
        types.iter().map(choosable).collect()
    }

    /// Parts of the live strategy to choose from.
    pub fn limits(&self, coverage: Coverage) -> Vec<Limit> {
        [
            ("Teams", "team", coverage.teams, &self.team),
            ("Queues and hunt groups", "queue", coverage.queues, &self.queue),
            ("Campaigns", "campaign", coverage.campaigns, &self.campaign),
        ]
        .into_iter()
        .map(|(heading, field, names, chosen)| Limit {
            heading,
            field,
            options: limits(names, chosen),
        })
        .filter(|limit| !limit.options.is_empty())
        .collect()
    }
}

/// Names of one kind that a report can be limited to.
pub(crate) struct Limit {
    pub heading: &'static str,
    pub field: &'static str,
    pub options: Vec<Choosable>,
}

/// The names of the live strategy, then those that were chosen and are gone from it.
fn limits(names: Vec<String>, chosen: &[String]) -> Vec<Choosable> {
    let gone: Vec<&String> = chosen.iter().filter(|name| !names.contains(name)).collect();
    let gone = gone.into_iter().map(|name| option(name, &format!("{name} (removed)"), true));
    let live = names.iter().map(|name| option(name, name, chosen.contains(name)));
    live.chain(gone).collect()
}

#[cfg(test)]
mod tests {
    use barometer_report::Ready;
    use jiff::civil::date;

    use super::*;

    #[test]
    fn every_ready_made_report_survives_its_way_through_the_form() {
        for ready in Ready::ALL {
            let definition = ready.definition();
            let typed = ReportForm::of(&definition, 90, 3);
            assert_eq!(typed.definition(date(2026, 11, 23)).unwrap(), (definition, 90));
        }
    }

    #[test]
    fn what_is_chosen_keeps_its_order_and_what_is_gone_stays_visible() {
        let mut form = ReportForm::of(&Ready::ALL[0].definition(), 90, 3);
        form.section = ["alarms", "service"].map(str::to_owned).to_vec();
        form.queue = ["Old queue", "Freight desk"].map(str::to_owned).to_vec();
        let definition = form.definition(date(2026, 11, 23)).unwrap().0;
        assert_eq!(definition.sections, [Section::Alarms, Section::Service]);
        assert_eq!(definition.queues, ["Old queue", "Freight desk"]);
        let offered = form.sections();
        assert_eq!(offered.len(), Section::ALL.len());
        let first: Vec<&str> =
            offered.iter().take(3).map(|(option, _)| option.value.as_str()).collect();
        assert_eq!(first, ["alarms", "service", "demand"]);
        let names = ["Bookings line", "Freight desk"].map(str::to_owned).to_vec();
        let limits = form.limits(Coverage { queues: names, ..Coverage::default() });
        assert_eq!(limits.len(), 1, "a kind that the strategy does not have is left out");
        let shown: Vec<(&str, bool)> =
            limits[0].options.iter().map(|each| (each.name.as_str(), each.is_chosen)).collect();
        let wanted =
            [("Bookings line", false), ("Freight desk", true), ("Old queue (removed)", true)];
        assert_eq!(shown, wanted);
        assert_eq!(ReportForm::of(&definition, 90, 3).queue, form.queue);
    }

    #[test]
    fn what_is_wrong_stands_at_its_field() {
        let today = date(2026, 11, 23);
        let typed = |change: fn(&mut ReportForm)| {
            let mut form = ReportForm::of(&Ready::ALL[0].definition(), 90, 3);
            change(&mut form);
            form.definition(today).unwrap_err()
        };
        assert!(typed(|form| form.title = "  ".into()).at("title").is_some());
        assert!(typed(|form| form.section.clear()).at("section").is_some());
        let dates = |form: &mut ReportForm| {
            form.period = "dates".into();
            form.first = "2026-11-20".into();
            form.last = "2026-11-01".into();
        };
        assert!(typed(dates).at("period").unwrap().contains("ends on"));
        let many = |form: &mut ReportForm| {
            form.period = "dates".into();
            form.first = "2025-10-01".into();
            form.last = "2026-11-04".into();
        };
        assert!(typed(many).at("period").unwrap().starts_with("400 days by interval"));
        let garbled = |form: &mut ReportForm| {
            form.period = "dates".into();
            form.first = "soon".into();
        };
        assert!(typed(garbled).at("period").unwrap().contains("“soon” is no day"));
    }
}
