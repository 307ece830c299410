//! Contact types and days of a trial in words.

use barometer_app::trials::{DayKind, PlayedDays, Scope};
use barometer_store::Subject;
use jiff::Span;
use jiff::civil::Date;

use crate::access::RequestContext;
use crate::words;

/// How the choice of days is typed where it is no date.
pub(crate) const WHOLE_WEEK: &str = "week";
pub(crate) const KINDS_OF_DAYS: &str = "kinds";

/// The chosen contact types as they stand in a sentence.
pub(crate) fn scope_name(scope: &Scope) -> String {
    let names: Vec<String> = scope.types.iter().map(|each| each.name.clone()).collect();
    match names.as_slice() {
        [first, ..] if names.len() == 1 => first.clone(),
        _ if names.len() == scope.of => "the whole centre".to_owned(),
        [first, second, rest @ ..] if !rest.is_empty() => {
            let more = words::count_word(rest.len());
            format!("{first}, {second} and {more} more")
        }
        _ => words::listing(&names),
    }
}

/// What a trial or a comparison of these days is about.
pub(crate) fn subject_of(scope: &Scope, context: &RequestContext, days: &PlayedDays) -> Subject {
    Subject {
        centre: context.centre.id,
        contact_types: scope.ids(),
        name: scope_name(scope),
        day: days.first,
        days: days.days as u32,
    }
}

/// A kind of day, as it stands in a sentence.
pub(crate) fn kind_words(kind: DayKind) -> String {
    match kind {
        DayKind::Typical => "typical day".to_owned(),
        DayKind::Fullest => "busiest day".to_owned(),
        DayKind::Storm { as_on } => format!("storm day (as on {})", words::full_date(as_on)),
    }
}

/// Days in a row, in words.
pub fn days_words(first: Date, days: u32) -> String {
    match days {
        1 => words::long_day(first),
        days => {
            let last = first.saturating_add(Span::new().days(i64::from(days) - 1));
            format!("{} to {}", words::short_day(first), words::short_day(last))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_forecast::Grain;
    use barometer_plan::Rules;
    use barometer_store::ContactType;
    use jiff::civil::date;
    use uuid::Uuid;

    fn types(names: &[&str]) -> Vec<ContactType> {
        let each = |name: &&str| ContactType {
            id: Uuid::new_v4(),
            centre: Uuid::nil(),
            name: (*name).to_owned(),
            grain: Grain::Half,
            rules: Rules::STARTING,
            habits: Default::default(),
            pinned_method: None,
            like: None,
            archived_at: None,
        };
        names.iter().map(each).collect()
    }

    #[test]
    fn contact_types_are_named_as_in_a_sentence() {
        let all = types(&["Bookings", "Groups", "Freight", "Chat", "E-mail"]);
        let name = |count: usize| {
            let ids: Vec<Uuid> = all.iter().take(count).map(|each| each.id).collect();
            scope_name(&Scope::of(&all, &ids))
        };
        assert_eq!(name(1), "Bookings");
        assert_eq!(name(2), "Bookings and Groups");
        assert_eq!(name(4), "Bookings, Groups and two more");
        assert_eq!((name(5), name(0)), ("the whole centre".into(), "the whole centre".into()));
        assert_eq!(
            scope_name(&Scope::of(&all[..1], &[])),
            "Bookings",
            "a centre of one has its name"
        );
        // What is not of this centre is no choice.
        assert_eq!(Scope::of(&all, &[Uuid::new_v4()]).types.len(), 5);
    }

    #[test]
    fn days_in_a_row_are_named_by_their_first_and_last() {
        assert_eq!(days_words(date(2026, 11, 27), 1), "Friday 27 November");
        assert_eq!(days_words(date(2026, 11, 23), 7), "Mon 23 Nov to Sun 29 Nov");
        let scope = Scope::of(&types(&["Bookings"]), &[]);
        let days = scope.days(date(2026, 11, 23), 7);
        assert_eq!((days.days, days.factors, days.is_as_it_was), (7, vec![1.0], false));
    }
}
