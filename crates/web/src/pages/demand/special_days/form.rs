//! A special day as it is typed.

use barometer_forecast::{Repeats, Rule};
use barometer_store::NewSpecialDay;
use jiff::civil::Date;
use serde::Deserialize;

use super::MOST_CHARS;
use crate::forms::{self, FormErrors};

/// The largest factor that can be set.
const MOST_PERCENT: f64 = 1000.0;

/// A special day as typed.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct SpecialDayForm {
    #[serde(default)]
    pub of: String,
    #[serde(default)]
    pub name: String,
    #[serde(default)]
    pub class: String,
    #[serde(default)]
    pub from: String,
    #[serde(default)]
    pub to: String,
    /// "once", "date", "easter" or "weekday".
    #[serde(default)]
    pub repeats: String,
    #[serde(default)]
    pub before: String,
    #[serde(default)]
    pub after: String,
    #[serde(default)]
    pub closed: Option<String>,
    #[serde(default)]
    pub percent: String,
}

/// The entry that is typed, or what is wrong with it.
pub(super) fn typed_entry(typed: &SpecialDayForm, wrong: &mut FormErrors) -> Option<NewSpecialDay> {
    let mut text = |field: &'static str, typed: &str| {
        let text = typed.trim();
        if text.is_empty() || text.chars().count() > MOST_CHARS {
            wrong.note(field, format!("Write up to {MOST_CHARS} characters."));
        }
        text.to_owned()
    };
    let (name, class) = (text("name", &typed.name), text("class", &typed.class));
    let from = forms::day(&typed.from);
    if from.is_none() {
        wrong.note("from", "Write a day such as 2026-12-25.");
    }
    let to = match typed.to.trim() {
        "" => from,
        to => {
            let to = forms::day(to);
            if to.is_none() {
                wrong.note("to", "Write a day such as 2026-12-26, or nothing.");
            }
            to
        }
    };
    let repeats = from.zip(to).and_then(|(from, to)| repeats(typed, from, to, wrong));
    let mut around = |field: &'static str, typed: &str| {
        wrong.optional_whole(field, typed, 0_i8..=14).unwrap_or(0)
    };
    let (days_before, days_after) =
        (around("before", &typed.before), around("after", &typed.after));
    let factor = wrong.number("percent", &typed.percent).map(|percent| percent / 100.0);
    if factor.is_some_and(|factor| !(factor > 0.0 && factor <= MOST_PERCENT / 100.0)) {
        wrong.note("percent", "Must be above 0 and up to 1000 % of an ordinary day.");
    }
    if !wrong.is_empty() {
        return None;
    }
    Some(NewSpecialDay {
        name,
        class,
        repeats: repeats?,
        days_before,
        days_after,
        closed: typed.closed.is_some(),
        factor,
        source: "entered by hand".to_owned(),
    })
}

fn repeats(
    typed: &SpecialDayForm,
    from: Date,
    to: Date,
    wrong: &mut FormErrors,
) -> Option<Repeats> {
    if from > to {
        wrong.note("to", "Must not be before the first day.");
        return None;
    }
    if typed.repeats == "once" {
        if (to - from).get_days() > 365 {
            wrong.note("to", "Must be within a year of the first day.");
        }
        return Some(Repeats::Once { from, to });
    }
    if from != to {
        wrong.note("to", "What repeats every year is one day; enter each, or choose “once”.");
        return None;
    }
    let rule = Rule::all_of(from).into_iter().find(|rule| match typed.repeats.as_str() {
        "easter" => matches!(rule, Rule::Easter { .. }),
        "weekday" => matches!(rule, Rule::Nth { .. }),
        _ => matches!(rule, Rule::Date { .. }),
    });
    if rule.is_none() {
        wrong.note("repeats", "This day is not near Easter; choose another way to repeat.");
    }
    rule.map(Repeats::Yearly)
}

#[cfg(test)]
mod tests {
    use super::super::rule_words;
    use super::*;

    fn typed(from: &str, repeats: &str) -> SpecialDayForm {
        SpecialDayForm {
            name: "Holiday".to_owned(),
            class: "Public holiday".to_owned(),
            from: from.to_owned(),
            repeats: repeats.to_owned(),
            ..SpecialDayForm::default()
        }
    }

    #[test]
    fn a_day_becomes_the_rule_that_it_is_an_example_of() {
        let rule = |from, repeats| {
            let entry = typed_entry(&typed(from, repeats), &mut FormErrors::default()).unwrap();
            rule_words(entry.repeats)
        };
        assert_eq!(rule("2026-12-25", "once"), "25 Dec 2026");
        assert_eq!(rule("2026-12-25", "date"), "every year, 25 Dec");
        assert_eq!(rule("2026-04-03", "easter"), "every year, 2 days before Easter");
        assert_eq!(rule("2026-08-31", "weekday"), "every year, last Mon of Aug");
    }

    #[test]
    fn what_is_wrong_is_said_at_its_field() {
        let at = |typed: SpecialDayForm, field: &str| {
            let mut wrong = FormErrors::default();
            assert_eq!(typed_entry(&typed, &mut wrong), None);
            assert!(wrong.at(field).is_some(), "{field}: {wrong:?}");
        };
        at(typed("Christmas", "date"), "from");
        at(typed("2026-10-01", "easter"), "repeats");
        at(SpecialDayForm { to: "2026-12-24".to_owned(), ..typed("2026-12-25", "once") }, "to");
        at(SpecialDayForm { percent: "-10".to_owned(), ..typed("2026-12-25", "date") }, "percent");
        at(SpecialDayForm { before: "99".to_owned(), ..typed("2026-12-25", "date") }, "before");
        at(SpecialDayForm { name: " ".to_owned(), ..typed("2026-12-25", "date") }, "name");
    }
}
