//! Alarms in words, on pages and in messages.

use super::{AlarmMeasure, AlarmRule, Recipient};

/// "0:40", "1:02:05"
fn minutes(secs: f64) -> String {
    let secs = secs.max(0.0) as u64;
    if secs >= 3600 {
        format!("{}:{:02}:{:02}", secs / 3600, secs / 60 % 60, secs % 60)
    } else {
        format!("{}:{:02}", secs / 60, secs % 60)
    }
}

impl AlarmMeasure {
    /// A value as people say it.
    pub fn said(self, value: f64) -> String {
        match self {
            _ if self.is_share() => format!("{:.1} %", 100.0 * value),
            Self::LongestWait | Self::Silence => minutes(value),
            _ => format!("{value:.0}"),
        }
    }
}

impl AlarmRule {
    /// Who is written to, and when: "duty@example.org; unseen after 10 min: harbour@example.org; 08:00-20:00 only".
    pub fn recipients(&self) -> String {
        let names = |list: &[Recipient]| {
            list.iter().map(Recipient::to_string).collect::<Vec<_>>().join(", ")
        };
        let mut told = Vec::new();
        if !self.tells.is_empty() {
            told.push(names(&self.tells));
        }
        if let Some(escalation) = &self.escalation {
            let minutes = escalation.after_minutes;
            told.push(format!("unseen after {minutes} min: {}", names(&escalation.tells)));
        }
        if let Some(hours) = &self.hours {
            told.push(format!("{hours} only"));
        }
        told.join("; ")
    }

    /// "Sailing changes: longest wait over 3:00 for 2 min"
    pub fn sentence(&self) -> String {
        let side = if self.measure.rings_below() { "under" } else { "over" };
        let measure = self.measure.words();
        let of = match &self.contact_type {
            Some(name) => format!("{name}: {measure}"),
            None => {
                let mut letters = measure.chars();
                letters
                    .next()
                    .map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
            }
        };
        let lasts =
            if self.minutes > 0.0 { format!(" for {} min", self.minutes) } else { String::new() };
        let often = match self.every_minutes {
            every if every > 0.0 => format!(", looked at every {every} min"),
            _ => String::new(),
        };
        format!("{of} {side} {}{lasts}{often}", self.measure.said(self.threshold))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Severity;

    #[test]
    fn an_alarm_says_what_it_rings_on() {
        let rule = |measure, contact_type, threshold, minutes| AlarmRule {
            minutes,
            ..AlarmRule::new(measure, contact_type, threshold, Severity::Urgent)
        };
        let wait = rule(AlarmMeasure::LongestWait, Some("Sailing changes"), 180.0, 2.0);
        assert_eq!(wait.sentence(), "Sailing changes: longest wait over 3:00 for 2 min");
        let level = rule(AlarmMeasure::LastLevel, Some("Bookings"), 0.7, 0.0);
        assert_eq!(
            level.sentence(),
            "Bookings: service level of the last full interval under 70.0 %"
        );
        let seldom = AlarmRule {
            every_minutes: 15.0,
            ..rule(AlarmMeasure::Waiting, Some("Bookings"), 9.0, 0.0)
        };
        assert!(
            seldom.sentence().ends_with("over 9, looked at every 15 min"),
            "{}",
            seldom.sentence()
        );
        let silence = rule(AlarmMeasure::Silence, None, 30.0, 0.0);
        assert_eq!(silence.sentence(), "Time since the switch was heard over 0:30");
    }
}
