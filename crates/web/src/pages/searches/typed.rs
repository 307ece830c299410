//! What is typed into the form of a search, and the question that it stands for.

use barometer_plan::{Searchable, Sweepable, TrialInputs};
use barometer_search::{DayKind, Prices, Promise, Question, SettingKnob, TeamKnob};
use serde::Deserialize;

use crate::forms::FormErrors;
use crate::words;

/// Fresh days of the test, at least and at most.
const LEAST_FRESH: u32 = 300;
const MOST_FRESH: u32 = 20_000;

/// Other kinds of day that a form has room for.
pub(super) const DAY_KINDS: usize = 2;

/// Values of a number that are tried, at most.
const MOST_VALUES: usize = 8;

/// What stands between values: options have spaces and commas of their own.
pub(super) const VALUES_BETWEEN: &str = "; ";

/// A question as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct SearchForm {
    pub promise: String,
    pub block: String,
    pub team: Vec<String>,
    pub least: Vec<String>,
    pub most: Vec<String>,
    pub cost: Vec<String>,
    pub setting: Vec<String>,
    pub values: Vec<String>,
    /// Settings ticked after a screening, each as "key=value; value".
    pub screened: Vec<String>,
    /// What contacts cost, in the order of [`Prices::named`].
    pub price: Vec<String>,
    /// Other kinds of day: names, and contacts, people missing, service level and abandonment in per cent.
    pub kind: Vec<String>,
    pub kind_volume: Vec<String>,
    pub kind_absent: Vec<String>,
    pub kind_level: Vec<String>,
    pub kind_abandonment: Vec<String>,
    pub days: String,
    #[serde(skip)]
    pub wrong: FormErrors,
}

impl SearchForm {
    /// The form as it stands for a question.
    pub(super) fn of(question: &Question) -> Self {
        let minutes = question.block_intervals as f64 * question.base.interval_secs / 60.0;
        let mut form = Self {
            block: words::plain(minutes.round()),
            days: question.days.to_string(),
            ..Self::default()
        };
        for team in &question.base.teams {
            let knob = question.teams.iter().find(|knob| knob.team == team.team);
            form.team.push(team.team.clone());
            form.least.push(knob.map_or_else(String::new, |knob| knob.least.to_string()));
            form.most.push(knob.map_or_else(String::new, |knob| knob.most.to_string()));
            form.cost.push(cost_of(question, &team.team));
        }
        form
    }

    /// The question that was typed, or what is wrong with it.
    pub(super) fn question(&self, base: &TrialInputs) -> Result<Question, FormErrors> {
        let mut wrong = FormErrors::default();
        let promise = match self.promise.as_str() {
            "" => Promise::OnAverage,
            "interval" => Promise::InEveryInterval,
            percent => {
                let percent = wrong.whole("promise", percent, 50..=99_u32).unwrap_or(90);
                Promise::OnShareOfDays(f64::from(percent) / 100.0)
            }
        };
        let minutes = wrong.whole("block", &self.block, 1..=1440_u32).unwrap_or(60);
        let block_intervals = (f64::from(minutes) * 60.0 / base.interval_secs).round().max(1.0);
        let days = wrong.whole("days", &self.days, 20..=5000_u32).unwrap_or(200);
        let teams = self.teams(&mut wrong);
        let settings = self.settings(base, &mut wrong);
        let prices = self.prices(&mut wrong);
        let day_kinds = self.day_kinds(&mut wrong);
        let usual = Question::about(base.clone());
        let question = Question {
            promise,
            block_intervals: (block_intervals as usize).min(base.interval_count().max(1)),
            days,
            // Who asks for a quick search is not kept waiting by its test.
            fresh_days: (usual.fresh_days * days / usual.days).clamp(LEAST_FRESH, MOST_FRESH),
            teams,
            settings,
            prices,
            day_kinds,
            ..usual
        };
        if wrong.is_empty()
            && let Err(error) = question.check()
        {
            wrong.note("team", format!("{}.", words::capitalised(&error.to_string())));
        }
        if wrong.is_empty() { Ok(question) } else { Err(wrong) }
    }

    /// The teams that may change: those with a most.
    fn teams(&self, wrong: &mut FormErrors) -> Vec<TeamKnob> {
        let at = |column: &[String], nth: usize| column.get(nth).cloned().unwrap_or_default();
        let changing = self.team.iter().enumerate();
        let changing = changing.filter(|(nth, _)| !at(&self.most, *nth).trim().is_empty());
        changing
            .filter_map(|(nth, team)| {
                let most = wrong.whole("team", &at(&self.most, nth), 0..=20_000_u32)?;
                let least = wrong.optional_whole("team", &at(&self.least, nth), 0..=20_000_u32);
                let cost_per_hour = wrong.number("team", &at(&self.cost, nth)).unwrap_or(1.0);
                Some(TeamKnob {
                    team: team.clone(),
                    least: least.unwrap_or(0),
                    most,
                    cost_per_hour,
                })
            })
            .collect()
    }

    fn prices(&self, wrong: &mut FormErrors) -> Prices {
        let mut typed = |nth: usize| {
            let price = self.price.get(nth).map_or("", |price| price.trim());
            if price.is_empty() {
                return 0.0;
            }
            let price = wrong.number("price", price).unwrap_or(0.0);
            if !(0.0..=1e6).contains(&price) {
                wrong.note("price", "A price is 0 to 1,000,000.");
            }
            price
        };
        Prices {
            abandoned: typed(0),
            turned_away: typed(1),
            elsewhere: typed(2),
            callback: typed(3),
            waiting_hour: typed(4),
        }
    }

    /// Other kinds of day: the rows with anything in them.
    fn day_kinds(&self, wrong: &mut FormErrors) -> Vec<DayKind> {
        let row = |nth: usize| {
            let name = self.kind.get(nth).map_or("", |name| name.trim());
            let mut share =
                |column: &[String], what: &str, range: std::ops::RangeInclusive<f64>| {
                    let typed = column.get(nth).map_or("", |typed| typed.trim());
                    let share = wrong.number("kind", typed)? / 100.0;
                    if !range.contains(&share) {
                        let (least, most) = (100.0 * range.start(), 100.0 * range.end());
                        wrong.note("kind", format!("{what} must be {least} to {most} %."));
                    }
                    Some(share)
                };
            let volume = share(&self.kind_volume, "Contacts", 0.1..=10.0);
            let absent = share(&self.kind_absent, "People missing", 0.0..=0.9);
            let service_level = share(&self.kind_level, "Service level", 0.0..=0.999);
            let abandonment = share(&self.kind_abandonment, "Abandonment", 0.0..=1.0);
            let typed = [volume, absent, service_level, abandonment];
            if name.is_empty() && typed.iter().any(Option::is_some) {
                wrong.note("kind", "Give each kind of day a name.");
            }
            (!name.is_empty()).then(|| DayKind {
                name: name.to_owned(),
                volume: volume.unwrap_or(1.0),
                absent_share: absent.unwrap_or(0.0),
                service_level,
                abandonment,
            })
        };
        (0..DAY_KINDS).filter_map(row).collect()
    }

    fn settings(&self, base: &TrialInputs, wrong: &mut FormErrors) -> Vec<SettingKnob> {
        let all = Searchable::all(&base.strategy);
        let typed = self.setting.iter().zip(&self.values);
        let typed = typed.map(|(key, values)| (key.as_str(), values.as_str()));
        // What is typed by hand goes before a tick at the same setting.
        let is_typed = |key: &str| self.setting.iter().any(|typed| typed == key);
        let ticked = self.screened.iter().filter_map(|ticked| ticked.split_once('='));
        typed
            .filter(|(key, _)| !key.is_empty())
            .chain(ticked.filter(|(key, _)| !is_typed(key)))
            .filter_map(|(key, values)| {
                let Some(found) = all.iter().find(|found| found.setting.key() == key) else {
                    wrong.note("setting", "Choose a setting of this strategy.");
                    return None;
                };
                let values = typed_values(found, values, wrong);
                for &value in &values {
                    if let Err(error) = found.setting.set(base, value) {
                        wrong.note("setting", format!("The value {error}."));
                    }
                }
                Some(SettingKnob { setting: found.setting.clone(), values })
            })
            .collect()
    }
}

/// The values of a setting that were typed; of a choice all others where none are named.
fn typed_values(of: &Searchable, typed: &str, wrong: &mut FormErrors) -> Vec<f64> {
    if matches!(of.setting, Sweepable::Choice { .. }) {
        let named = typed.split([';', ',']).map(str::trim).filter(|value| !value.is_empty());
        let named = named.filter_map(|value| match of.setting.named_value(value) {
            Ok(value) => Some(value),
            Err(error) => {
                wrong.note("setting", format!("The value {error}."));
                None
            }
        });
        let named: Vec<f64> = named.collect();
        return if typed.trim().is_empty() { of.other_options() } else { named };
    }
    let numbers = typed.split([' ', ';']).map(|value| value.trim_end_matches(','));
    let numbers = numbers.filter(|value| !value.is_empty());
    let values: Vec<f64> = numbers.filter_map(|value| wrong.number("setting", value)).collect();
    if values.is_empty() || values.len() > MOST_VALUES {
        wrong.note("setting", "Write one to eight values with “;” between.");
    }
    values
}

/// A value of a setting as people read and type it.
pub(super) fn value_words(setting: &Sweepable, value: f64) -> String {
    let number = || words::plain_number((value * 1e4).round() / 1e4);
    setting.option_words(value).map_or_else(number, str::to_owned)
}

/// The cost of an hour of a team: that of the contact types at home with it, or 1 where nobody said.
fn cost_of(question: &Question, team: &str) -> String {
    let base = &question.base;
    let costs = (0..base.types.len())
        .filter(|&kind| base.home_of(kind).is_some_and(|home| home.team == team))
        .filter_map(|kind| base.types[kind].rules.cost_per_hour);
    costs.reduce(f64::max).map_or_else(|| "1".to_owned(), words::plain)
}
