//! Numbers, days and times as a report writes them.

use jiff::civil::{Date, Time};

/// What stands where there is no figure.
pub(crate) const NONE: &str = "–";

/// "1,412": a count, rounded.
pub fn count(number: f64) -> String {
    decimals(number, 0)
}

/// "1,412.3".
pub fn decimals(number: f64, places: usize) -> String {
    let text = format!("{:.places$}", number.abs());
    let (whole, fraction) = text.split_once('.').unwrap_or((&text, ""));
    let mut grouped = String::new();
    for (at, digit) in whole.chars().enumerate() {
        if at > 0 && (whole.len() - at).is_multiple_of(3) {
            grouped.push(',');
        }
        grouped.push(digit);
    }
    let is_zero = text.chars().all(|character| matches!(character, '0' | '.'));
    let sign = if number < 0.0 && !is_zero { "−" } else { "" };
    let point = if fraction.is_empty() { "" } else { "." };
    format!("{sign}{grouped}{point}{fraction}")
}

/// "82.3 %".
pub fn percent(share: f64) -> String {
    format!("{} %", decimals(share * 100.0, 1))
}

/// "80 %", "97.5 %": as few digits as the share has.
pub fn short_percent(share: f64) -> String {
    let text = format!("{:.2}", share * 100.0);
    format!("{} %", text.trim_end_matches('0').trim_end_matches('.'))
}

/// "20 s", "2 min", "24 h": a threshold.
pub fn threshold(secs: f64) -> String {
    match secs {
        secs if secs >= 7_200.0 => format!("{} h", short(secs / 3_600.0)),
        secs if secs >= 120.0 => format!("{} min", short(secs / 60.0)),
        secs => format!("{} s", short(secs)),
    }
}

fn short(number: f64) -> String {
    let text = format!("{number:.1}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

/// "1 day", "12 days"; "no alarms".
pub fn counted(number: f64, noun: &str) -> String {
    match number {
        0.0 => format!("no {noun}s"),
        1.0 => format!("1 {noun}"),
        number => format!("{} {noun}s", count(number)),
    }
}

/// "a, b and c".
pub fn listing(parts: &[String]) -> String {
    match parts {
        [] => String::new(),
        [only] => only.clone(),
        [first @ .., last] => format!("{} and {last}", first.join(", ")),
    }
}

/// "4.1 % more", "2.0 % fewer", "as many": a count against another.
pub fn more_or_fewer(count: f64, than: f64) -> Option<String> {
    if than <= 0.0 {
        return None;
    }
    let change = count / than - 1.0;
    Some(match change {
        change if change.abs() < 0.000_5 => "as many as".to_owned(),
        change if change > 0.0 => format!("{} more than", percent(change)),
        change => format!("{} fewer than", percent(-change)),
    })
}

/// "Sat 28 Nov".
pub fn short_day(day: Date) -> String {
    day.strftime("%a %-d %b").to_string()
}

/// "28 Nov 2026".
pub fn full_date(day: Date) -> String {
    day.strftime("%-d %b %Y").to_string()
}

/// "09:30".
pub fn clock(time: Time) -> String {
    time.strftime("%H:%M").to_string()
}

/// "Saturday 28 November 2026", "16 – 22 Nov 2026", "30 Nov – 6 Dec 2026".
pub fn days(first: Date, last: Date) -> String {
    let same_month = (first.year(), first.month()) == (last.year(), last.month());
    match (first == last, same_month, first.year() == last.year()) {
        (true, ..) => first.strftime("%A %-d %B %Y").to_string(),
        (_, true, _) => format!("{} – {}", first.day(), full_date(last)),
        (_, _, true) => format!("{} – {}", first.strftime("%-d %b"), full_date(last)),
        _ => format!("{} – {}", full_date(first), full_date(last)),
    }
}

#[cfg(test)]
mod tests {
    use jiff::civil::date;

    use super::*;

    #[test]
    fn numbers_read_as_people_write_them() {
        assert_eq!((count(1_234_567.4), count(999.5)), ("1,234,567".into(), "1,000".into()));
        assert_eq!((decimals(-1_500.25, 1), decimals(-0.04, 1)), ("−1,500.2".into(), "0.0".into()));
        assert_eq!((percent(0.8234), short_percent(0.975)), ("82.3 %".into(), "97.5 %".into()));
        assert_eq!(short_percent(0.8), "80 %");
    }

    #[test]
    fn thresholds_take_the_unit_that_people_would() {
        let said = [20.0, 90.0, 120.0, 150.0, 14_400.0].map(threshold);
        assert_eq!(said, ["20 s", "90 s", "2 min", "2.5 min", "4 h"]);
    }

    #[test]
    fn a_count_agrees_with_its_noun() {
        let said = [0.0, 1.0, 2.0, 1_200.0].map(|number| counted(number, "alarm"));
        assert_eq!(said, ["no alarms", "1 alarm", "2 alarms", "1,200 alarms"]);
    }

    #[test]
    fn a_count_against_another_says_in_which_direction() {
        assert_eq!(more_or_fewer(103.0, 100.0).as_deref(), Some("3.0 % more than"));
        assert_eq!(more_or_fewer(98.0, 100.0).as_deref(), Some("2.0 % fewer than"));
        assert_eq!(more_or_fewer(100.01, 100.0).as_deref(), Some("as many as"));
        assert_eq!(more_or_fewer(5.0, 0.0), None, "there is no share of nothing");
    }

    #[test]
    fn days_name_what_their_ends_do_not_share() {
        let said = |first, last| days(first, last);
        assert_eq!(said(date(2026, 11, 28), date(2026, 11, 28)), "Saturday 28 November 2026");
        assert_eq!(said(date(2026, 11, 16), date(2026, 11, 22)), "16 – 22 Nov 2026");
        assert_eq!(said(date(2026, 11, 30), date(2026, 12, 6)), "30 Nov – 6 Dec 2026");
        assert_eq!(said(date(2026, 12, 28), date(2027, 1, 3)), "28 Dec 2026 – 3 Jan 2027");
    }
}
