//! What the customers of a contact type are like: who calls again, and kinds of customers.

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{ContactType, Deed, Edited, Noted, StoreError};
use barometer_strategy::{CustomerHabits, Duration, Profile, Repeat, TryAgain};
use serde::Deserialize;
use uuid::Uuid;

use super::contacts::spread_words;
use super::head::{Head, Tab};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::edited;
use crate::extract::{Form, Path, Query};
use crate::forms::FormErrors;
use crate::page_error::PageError;
use crate::pages::{page, refused, trail};
use crate::words;

/// Empty rows for further kinds of customers.
const FREE_ROWS: usize = 2;
/// Kinds of customers, at most.
const MOST_PROFILES: usize = 50;
/// Minutes after which somebody may call again.
const MINUTES: std::ops::RangeInclusive<f64> = 0.1..=10_080.0;

#[derive(Template)]
#[template(path = "staffing/customers.html")]
struct CustomersPage {
    head: Head,
    id: Uuid,
    day: String,
    answer: String,
    patience: String,
    /// What was measured, in words; empty where nothing was.
    measured: String,
    form: CustomersForm,
    rows: Vec<[String; 4]>,
    saved: bool,
}

/// Habits as typed; what is wrong stands beside its field.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct CustomersForm {
    abandoned_percent: String,
    abandoned_minutes: String,
    abandoned_most: String,
    blocked_percent: String,
    blocked_minutes: String,
    blocked_most: String,
    repeat_percent: String,
    repeat_minutes: String,
    /// Kinds of customers, one in each place of these lists.
    share: Vec<String>,
    language: Vec<String>,
    number: Vec<String>,
    attributes: Vec<String>,
    day: String,
    /// The version that the form shows.
    based_on: String,
    #[serde(skip)]
    wrong: FormErrors,
}

#[derive(Deserialize)]
pub(crate) struct CustomersQuery {
    saved: Option<String>,
}

/// `GET /staffing/{contact_type}/customers`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<CustomersQuery>,
) -> Result<Response, PageError> {
    let based_on = app.store.version_of(Edited::Habits(id)).await?.to_string();
    let contact_type = app.store.contact_type(id).await?;
    let form = CustomersForm { based_on, ..CustomersForm::of(&contact_type.habits) };
    page(&customers_page(&app, &context, &contact_type, form, query.saved.is_some()).await?)
}

/// `POST /staffing/{contact_type}/customers`
pub(crate) async fn save(
    State(app): State<App>,
    Planner(mut context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<CustomersForm>,
) -> Result<Response, PageError> {
    context.day = typed.day.parse().unwrap_or(context.day);
    let before = app.store.contact_type(id).await?;
    let typed = match typed.habits() {
        Ok(habits) => {
            // What was measured is no field of this form.
            let habits = CustomerHabits {
                patience: before.habits.patience.clone(),
                handling: before.habits.handling.clone(),
                ..habits
            };
            let save = edited::save(&context, &typed.based_on);
            match app.store.save_habits(id, &habits, save).await {
                Ok(()) => {
                    let (was, became) = trail::fields_changed(&before.habits, &habits);
                    let change = Noted::from_to(before.name, was, became);
                    trail::note(&app, &context, Deed::CustomersChanged, change).await;
                    let address = Tab::Customers.address(id, context.day);
                    return Ok(Redirect::to(&format!("{address}&saved=yes")).into_response());
                }
                Err(StoreError::SavedMeanwhile(first)) => {
                    let based_on = app.store.version_of(Edited::Habits(id)).await?.to_string();
                    let message = edited::meanwhile(&first, &context, &[]);
                    let wrong = FormErrors::of("based_on", message);
                    CustomersForm { wrong, based_on, ..typed }
                }
                Err(error) => return Err(error.into()),
            }
        }
        Err(wrong) => CustomersForm { wrong, ..typed },
    };
    refused(&customers_page(&app, &context, &before, typed, false).await?)
}

async fn customers_page(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    form: CustomersForm,
    saved: bool,
) -> Result<CustomersPage, PageError> {
    let types = app.store.contact_types(context.centre.id).await?;
    let patience = contact_type.rules.patience_secs.map_or_else(
        || "They wait as long as it takes".to_owned(),
        |secs| format!("They wait {secs:.0} s on average before they abandon"),
    );
    Ok(CustomersPage {
        head: Head::new(context, &types, contact_type, Tab::Customers),
        id: contact_type.id,
        day: context.day.to_string(),
        answer: answer(&contact_type.habits),
        patience,
        measured: measured(&contact_type.habits),
        rows: form.rows(),
        form,
        saved,
    })
}

/// How patience and handle times spread, where they were measured.
fn measured(habits: &CustomerHabits) -> String {
    let of = |what: &str, spread: &Option<Duration>| {
        spread.as_ref().map(|spread| format!("{what} as {}", spread_words(spread)))
    };
    let told = [of("patience", &habits.patience), of("handle times", &habits.handling)];
    let told: Vec<String> = told.into_iter().flatten().collect();
    match told.as_slice() {
        [] => String::new(),
        told => format!("Measured: {}.", told.join(", ")),
    }
}

/// What is kept, in a sentence.
fn answer(habits: &CustomerHabits) -> String {
    let again = |share: f64, who: &str, after: &Duration| {
        let minutes = words::plain_number(after.mean_secs() / 60.0);
        format!(
            "{} of those who {who} call again, after {minutes} min on average",
            words::percent(share)
        )
    };
    let mut told: Vec<String> = [
        (habits.after_abandoning.as_ref(), "abandon"),
        (habits.after_blocked.as_ref(), "find it full"),
    ]
    .into_iter()
    .filter_map(|(habit, who)| habit.map(|habit| again(habit.share, who, &habit.after)))
    .collect();
    told.extend(
        habits.repeat.as_ref().map(|habit| again(habit.share, "were served", &habit.after)),
    );
    let again = match told.as_slice() {
        [] => "Nobody calls again".to_owned(),
        told => told.join("; "),
    };
    match habits.profiles.len() {
        0 => format!("{again}. All customers are alike."),
        1 => format!("{again}. One kind of customers is told from the others."),
        n => format!(
            "{again}. {} kinds of customers are told apart.",
            words::capitalised(&words::count_word(n))
        ),
    }
}

impl CustomersForm {
    fn of(habits: &CustomerHabits) -> Self {
        let percent = |share: f64| words::plain(share * 100.0);
        let minutes = |after: &Duration| words::plain(after.mean_secs() / 60.0);
        let again = |habit: &Option<TryAgain>| {
            habit.as_ref().map_or_else(Default::default, |habit| {
                let most = habit.most_attempts.map_or_else(String::new, |most| most.to_string());
                (percent(habit.share), minutes(&habit.after), most)
            })
        };
        let (abandoned_percent, abandoned_minutes, abandoned_most) =
            again(&habits.after_abandoning);
        let (blocked_percent, blocked_minutes, blocked_most) = again(&habits.after_blocked);
        let (repeat_percent, repeat_minutes) = habits
            .repeat
            .as_ref()
            .map_or_else(Default::default, |habit| (percent(habit.share), minutes(&habit.after)));
        let column = |of: &dyn Fn(&Profile) -> String| habits.profiles.iter().map(of).collect();
        Self {
            abandoned_percent,
            abandoned_minutes,
            abandoned_most,
            blocked_percent,
            blocked_minutes,
            blocked_most,
            repeat_percent,
            repeat_minutes,
            share: column(&|profile| percent(profile.share)),
            language: column(&|profile| profile.language.clone()),
            number: column(&|profile| profile.number.clone()),
            attributes: column(&|profile| {
                let pairs =
                    profile.attributes.iter().map(|(name, value)| format!("{name}={value}"));
                pairs.collect::<Vec<_>>().join("; ")
            }),
            ..Self::default()
        }
    }

    /// The kinds of customers as typed, with empty rows for more.
    fn rows(&self) -> Vec<[String; 4]> {
        let at = |column: &[String], nth: usize| column.get(nth).cloned().unwrap_or_default();
        let row = |nth| {
            [
                at(&self.share, nth),
                at(&self.language, nth),
                at(&self.number, nth),
                at(&self.attributes, nth),
            ]
        };
        let is_typed = |row: &[String; 4]| row.iter().any(|cell| !cell.trim().is_empty());
        let mut rows: Vec<[String; 4]> = (0..self.share.len()).map(row).filter(is_typed).collect();
        rows.resize(rows.len() + FREE_ROWS, Default::default());
        rows
    }

    fn habits(&self) -> Result<CustomerHabits, FormErrors> {
        let mut wrong = FormErrors::default();
        let abandoned = ["abandoned_percent", "abandoned_minutes", "abandoned_most"];
        let blocked = ["blocked_percent", "blocked_minutes", "blocked_most"];
        let habits = CustomerHabits {
            after_abandoning: try_again(
                abandoned,
                [&self.abandoned_percent, &self.abandoned_minutes, &self.abandoned_most],
                &mut wrong,
            ),
            after_blocked: try_again(
                blocked,
                [&self.blocked_percent, &self.blocked_minutes, &self.blocked_most],
                &mut wrong,
            ),
            repeat: try_again(
                ["repeat_percent", "repeat_minutes", "repeat_percent"],
                [&self.repeat_percent, &self.repeat_minutes, ""],
                &mut wrong,
            )
            .map(|again| Repeat { share: again.share, after: again.after }),
            profiles: self.profiles(&mut wrong),
            ..CustomerHabits::default()
        };
        if wrong.is_empty()
            && let Some(fault) = habits.fault()
        {
            let field = match fault.field.split(['.', '[']).next() {
                Some("after_abandoning") => "abandoned_percent",
                Some("after_blocked") => "blocked_percent",
                Some("repeat") => "repeat_percent",
                _ => "profiles",
            };
            wrong.note(field, format!("{}.", words::capitalised(&fault.message)));
        }
        if wrong.is_empty() { Ok(habits) } else { Err(wrong) }
    }

    fn profiles(&self, wrong: &mut FormErrors) -> Vec<Profile> {
        let mut profiles = Vec::new();
        for (nth, [share, language, number, attributes]) in self.rows().into_iter().enumerate() {
            let is_empty = [&share, &language, &number, &attributes]
                .into_iter()
                .all(|cell| cell.trim().is_empty());
            if is_empty {
                continue;
            }
            let mut note = |message: &str| {
                wrong.note("profiles", format!("Row {}: {message}", nth + 1));
            };
            let typed = share.trim().trim_end_matches('%').trim().replace(',', ".");
            let Some(percent) =
                typed.parse::<f64>().ok().filter(|share| (0.0..=100.0).contains(share))
            else {
                note("the share must be 0 to 100 %.");
                continue;
            };
            match pairs(&attributes) {
                Ok(attributes) => profiles.push(Profile {
                    share: percent / 100.0,
                    number: number.trim().to_owned(),
                    language: language.trim().to_owned(),
                    attributes,
                }),
                Err(odd) => note(&format!(
                    "“{odd}” is no attribute. Write name=value, with a semicolon between two of them."
                )),
            }
        }
        let sum: f64 = profiles.iter().map(|profile| profile.share).sum();
        if sum > 1.0 + 1e-9 {
            let sum = words::percent(sum);
            wrong.note("profiles", format!("The shares add up to {sum}; 100 % is the most."));
        }
        if profiles.len() > MOST_PROFILES {
            wrong.note("profiles", format!("There may be {MOST_PROFILES} kinds of customers."));
        }
        profiles
    }
}

/// Attributes as typed: names and values; or what is none.
fn pairs(typed: &str) -> Result<BTreeMap<String, String>, String> {
    let mut attributes = BTreeMap::new();
    for part in typed.split(';').map(str::trim).filter(|part| !part.is_empty()) {
        let pair = part.split_once('=').map(|(name, value)| (name.trim(), value.trim()));
        let Some((name, value)) = pair.filter(|(name, _)| !name.is_empty()) else {
            return Err(part.to_owned());
        };
        attributes.insert(name.to_owned(), value.to_owned());
    }
    Ok(attributes)
}

/// A habit as typed: share in per cent, mean minutes, attempts in all; nothing where nobody has it.
fn try_again(
    fields: [&'static str; 3],
    [percent, minutes, most]: [&str; 3],
    wrong: &mut FormErrors,
) -> Option<TryAgain> {
    let percent = wrong.number(fields[0], percent)?;
    if !(0.0..=100.0).contains(&percent) {
        wrong.note(fields[0], "Must be 0 to 100 %; leave it empty where nobody does.");
        return None;
    }
    let minutes = wrong.number(fields[1], minutes).filter(|minutes| MINUTES.contains(minutes));
    let Some(minutes) = minutes else {
        wrong.note(fields[1], "Must be 0.1 to 10,080 minutes: a week.");
        return None;
    };
    let most_attempts = wrong.optional_whole(fields[2], most, 2..=100);
    (percent > 0.0).then(|| TryAgain {
        share: percent / 100.0,
        after: Duration::exponential(minutes * 60.0),
        most_attempts,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn habits_come_back_from_their_form() {
        let habits = CustomerHabits {
            after_abandoning: Some(TryAgain {
                share: 0.4,
                after: Duration::exponential(600.0),
                most_attempts: Some(3),
            }),
            patience: None,
            handling: None,
            after_blocked: None,
            repeat: Some(Repeat { share: 0.05, after: Duration::exponential(86_400.0) }),
            profiles: vec![Profile {
                share: 0.125,
                number: "+47*".to_owned(),
                language: "nb".to_owned(),
                attributes: [("tier".to_owned(), "frequent".to_owned())].into(),
            }],
        };
        let form = CustomersForm::of(&habits);
        assert_eq!(form.rows().len(), 1 + FREE_ROWS);
        assert_eq!(form.habits().expect("nothing is wrong with it"), habits);
        assert_eq!(
            answer(&habits),
            "40.0 % of those who abandon call again, after 10 min on average; 5.0 % of those who were served call again, \
             after 1440 min on average. One kind of customers is told from the others."
        );
        assert_eq!(
            answer(&CustomerHabits::default()),
            "Nobody calls again. All customers are alike."
        );
        assert_eq!(CustomersForm::default().habits().expect("nobody"), CustomerHabits::default());
    }

    #[test]
    fn attributes_are_read_as_pairs() {
        let read = pairs(" tier = gold ;; since=2019; note= ").expect("pairs");
        let told: Vec<_> = read.iter().map(|(name, value)| format!("{name}:{value}")).collect();
        assert_eq!(told, ["note:", "since:2019", "tier:gold"]);
        assert_eq!(pairs("tier=gold; since"), Err("since".to_owned()));
        assert_eq!(pairs("=gold"), Err("=gold".to_owned()));
    }
}
