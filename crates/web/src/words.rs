//! Numbers, days and times as people write them.

use barometer_plan::{Check, Model, Rules, Target};
use barometer_simulate::Estimate;
use jiff::Timestamp;
use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;

/// What stands where there is no figure.
pub(crate) const NONE: &str = "–";

/// "82.3 %".
pub(crate) fn percent(share: f64) -> String {
    format!("{:.1} %", share * 100.0)
}

/// "80 %", "97.5 %": as few digits as the share has.
pub(crate) fn short_percent(share: f64) -> String {
    format!("{} %", plain(share * 100.0))
}

/// "82 %".
pub(crate) fn whole_percent(share: f64) -> String {
    format!("{:.0} %", share * 100.0)
}

/// "+412", "−3": a difference of counts, rounded.
pub(crate) fn signed_count(number: f64) -> String {
    let sign = if number < 0.0 { "−" } else { "+" };
    format!("{sign}{}", thousands(number.abs()))
}

/// "1,412.3".
pub(crate) fn one_decimal(number: f64) -> String {
    let tenths = (number.abs() * 10.0).round();
    let sign = if number < 0.0 && tenths > 0.0 { "−" } else { "" };
    format!("{sign}{}.{}", thousands((tenths / 10.0).floor()), tenths as u64 % 10)
}

/// "+4.1", "−2.0", and "0.0" without a sign.
pub(crate) fn signed_one_decimal(number: f64) -> String {
    let sign = match number {
        _ if number.abs() < 0.05 => "",
        _ if number < 0.0 => "−",
        _ => "+",
    };
    format!("{sign}{}", one_decimal(number.abs()))
}

/// A number as it would be typed: no digits that say nothing.
pub(crate) fn plain(number: f64) -> String {
    let text = format!("{number:.4}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

/// "1 step", "6 steps".
pub(crate) fn counted(count: usize, one: &str, more: &str) -> String {
    match count {
        1 => format!("1 {one}"),
        count => format!("{} {more}", thousands(count as f64)),
    }
}

/// "12.4 s".
pub(crate) fn secs(secs: f64) -> String {
    if secs >= 1000.0 { format!("{} s", thousands(secs)) } else { format!("{secs:.1} s") }
}

/// "1,412": a count, rounded.
pub(crate) fn thousands(number: f64) -> String {
    let digits = format!("{:.0}", number.abs());
    let mut text = String::new();
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at) % 3 == 0 {
            text.push(',');
        }
        text.push(digit);
    }
    if number <= -0.5 { format!("−{text}") } else { text }
}

/// "12.4 MB".
pub(crate) fn bytes(bytes: f64) -> String {
    let mega = bytes / 1e6;
    if mega < 1_000.0 { format!("{mega:.1} MB") } else { format!("{:.1} GB", mega / 1e3) }
}

/// "+4.1 %", "−2.0 %".
pub(crate) fn change(share: f64) -> String {
    let sign = if share < 0.0 { '−' } else { '+' };
    format!("{sign}{:.1} %", share.abs() * 100.0)
}

/// How much longer something takes that has taken so many seconds for this share of it; `None`
/// while too little is done to tell.
pub(crate) fn time_left(running_secs: Option<f64>, done: f64) -> Option<String> {
    let running_secs = running_secs.filter(|_| (0.02..1.0).contains(&done))?;
    let left = running_secs * (1.0 - done) / done;
    Some(match left {
        left if left < 1.5 => "about a second left".to_owned(),
        left if left < 90.0 => format!("about {left:.0} s left"),
        left => format!("about {:.0} min left", left / 60.0),
    })
}

/// A number with as many digits as it has: "2", "0.75", "−3".
pub(crate) fn plain_number(value: f64) -> String {
    let digits = format!("{}", value.abs());
    if value < 0.0 { format!("−{digits}") } else { digits }
}

/// "82.3 ± 0.4 %".
pub(crate) fn estimated_percent(estimate: Option<Estimate>) -> String {
    estimated(estimate, 100.0, " %")
}

/// "12.4 ± 0.8 s".
pub(crate) fn estimated_secs(estimate: Option<Estimate>) -> String {
    estimated(estimate, 1.0, " s")
}

/// "1,884.6 ± 5.8".
pub(crate) fn estimated_count(estimate: Estimate) -> String {
    let tenths = (estimate.mean * 10.0).round() / 10.0;
    let whole = thousands(tenths.trunc());
    let tenth = ((tenths - tenths.trunc()) * 10.0).round().abs();
    format!("{whole}.{tenth:.0}{}", plus_minus(estimate.half_width, 1.0))
}

fn estimated(estimate: Option<Estimate>, scale: f64, unit: &str) -> String {
    let Some(Estimate { mean, half_width, .. }) = estimate else { return NONE.to_owned() };
    format!("{:.1}{}{unit}", mean * scale, plus_minus(half_width, scale))
}

/// " ± 0.8", and nothing where it is under half of the last digit shown.
pub(crate) fn plus_minus(half_width: Option<f64>, scale: f64) -> String {
    match half_width.map(|half| half * scale) {
        Some(half) if half >= 0.05 => format!(" ± {half:.1}"),
        _ => String::new(),
    }
}

/// A text as it stands in an address: "Vehicles+%26+freight".
pub(crate) fn in_address(text: &str) -> String {
    form_urlencoded::byte_serialize(text.as_bytes()).collect()
}

/// "Sat 28 Nov".
pub(crate) fn short_day(day: Date) -> String {
    format!("{} {} {}", day.strftime("%a"), day.day(), day.strftime("%b"))
}

/// "Saturday 28 November".
pub(crate) fn long_day(day: Date) -> String {
    format!("{} {} {}", day.strftime("%A"), day.day(), day.strftime("%B"))
}

/// "28 Nov 2026".
pub(crate) fn full_date(day: Date) -> String {
    format!("{} {}", day.day(), day.strftime("%b %Y"))
}

/// "23 – 29 Nov", "30 Nov – 6 Dec".
pub(crate) fn week_span(monday: Date) -> String {
    let sunday = monday.saturating_add(jiff::Span::new().days(6));
    if monday.month() == sunday.month() {
        format!("{} – {} {}", monday.day(), sunday.day(), sunday.strftime("%b"))
    } else {
        format!(
            "{} {} – {} {}",
            monday.day(),
            monday.strftime("%b"),
            sunday.day(),
            sunday.strftime("%b")
        )
    }
}

/// "09:30" on the centre's wall clock.
pub(crate) fn clock(at: Timestamp, zone: &TimeZone) -> String {
    clock_time(zone.to_datetime(at).time())
}

/// "Sat 09:30" of a timestamp in a zone.
pub(crate) fn day_clock(at: Timestamp, zone: &TimeZone) -> String {
    let at = zone.to_datetime(at);
    format!("{} {}", at.strftime("%a"), clock_time(at.time()))
}

/// "09:30".
pub(crate) fn clock_time(time: Time) -> String {
    format!("{:02}:{:02}", time.hour(), time.minute())
}

/// "24 Nov 2026, 09:30" on the centre's wall clock.
pub(crate) fn moment(at: Timestamp, zone: &TimeZone) -> String {
    let local = zone.to_datetime(at);
    format!("{}, {}", full_date(local.date()), clock_time(local.time()))
}

/// "1 person", "12 people".
pub(crate) fn people(count: u32) -> String {
    if count == 1 { "1 person".to_owned() } else { format!("{count} people") }
}

/// "0.94"; nobody for some load is "∞".
pub(crate) fn pressure(pressure: f64) -> String {
    if pressure.is_finite() { format!("{pressure:.2}") } else { "∞".to_owned() }
}

/// "one", "two" … "ten", then figures.
pub(crate) fn count_word(count: usize) -> String {
    const WORDS: [&str; 11] =
        ["none", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten"];
    WORDS.get(count).map_or_else(|| count.to_string(), |word| (*word).to_owned())
}

/// "a, b and c".
pub(crate) fn listing(parts: &[String]) -> String {
    match parts {
        [] => String::new(),
        [only] => only.clone(),
        [first @ .., last] => format!("{} and {last}", first.join(", ")),
    }
}

/// The first letter in upper case.
pub(crate) fn capitalised(text: &str) -> String {
    let mut characters = text.chars();
    characters.next().map_or_else(String::new, |first| {
        first.to_uppercase().collect::<String>() + characters.as_str()
    })
}

/// "Erlang A", "Erlang C" …
pub(crate) const fn model_name(model: Model) -> &'static str {
    match model {
        Model::ErlangA => "Erlang A",
        Model::ErlangC => "Erlang C",
        Model::Chat => "chat team",
        Model::Deadline => "deadline",
    }
}

/// "≤ 5 %"; nothing to keep to is [`NONE`].
pub(crate) fn at_most(ceiling: Option<f64>) -> String {
    ceiling.map_or_else(|| NONE.to_owned(), |most| format!("≤ {}", short_percent(most)))
}

/// "service level in 20 s", "abandonment", "occupancy".
pub(crate) fn target_name(target: Target, rules: &Rules) -> String {
    match target {
        Target::ServiceLevel => format!("service level in {} s", plain(rules.within_secs)),
        Target::AnswerSpeed => "speed of answer".to_owned(),
        Target::Abandonment => "abandonment".to_owned(),
        Target::Occupancy => "occupancy".to_owned(),
    }
}

/// "≥ 80 %" or "≤ 5 %".
pub(crate) fn target_bound(target: Target, wanted: f64) -> String {
    match target {
        Target::ServiceLevel => format!("≥ {}", short_percent(wanted)),
        Target::AnswerSpeed => format!("≤ {}", secs(wanted)),
        Target::Abandonment | Target::Occupancy => format!("≤ {}", short_percent(wanted)),
    }
}

/// "service level in 20 s is 71.2 %, not 80 %".
pub(crate) fn missed(check: &Check, rules: &Rules) -> String {
    let got = match check.target {
        Target::AnswerSpeed => secs(check.got),
        _ => percent(check.got),
    };
    format!(
        "{} is {got}, not {}",
        target_name(check.target, rules),
        target_bound(check.target, check.wanted)
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    #[test]
    fn numbers_read_as_people_write_them() {
        assert_eq!(thousands(1_234_567.4), "1,234,567");
        assert_eq!((thousands(999.5), thousands(-1500.0)), ("1,000".into(), "−1,500".into()));
        assert_eq!((short_percent(0.8), short_percent(0.975)), ("80 %".into(), "97.5 %".into()));
        assert_eq!((change(0.041), change(-0.02)), ("+4.1 %".into(), "−2.0 %".into()));
        assert_eq!(plain(0.1 + 0.2), "0.3");
        assert_eq!((bytes(12.44e6), bytes(2.5e9)), ("12.4 MB".into(), "2.5 GB".into()));
        let estimate = |mean| Estimate { mean, half_width: Some(5.84), error: None };
        assert_eq!(estimated_count(estimate(1884.64)), "1,884.6 ± 5.8");
        assert_eq!(estimated_count(estimate(999.96)), "1,000.0 ± 5.8");
    }

    #[test]
    fn weeks_and_lists_read_as_people_say_them() {
        assert_eq!(week_span(date(2026, 11, 23)), "23 – 29 Nov");
        assert_eq!(week_span(date(2026, 11, 30)), "30 Nov – 6 Dec");
        assert_eq!(long_day(date(2026, 11, 28)), "Saturday 28 November");
        let parts = ["a".to_owned(), "b".to_owned(), "c".to_owned()];
        assert_eq!((listing(&parts), listing(&parts[..1])), ("a, b and c".into(), "a".into()));
    }
}
