//! Alarms: when something on the day is so far off that somebody has to be told.
//!
//! An alarm rings when its measure has been beyond the threshold for as long as it says, and clears when the measure is
//! back behind a second threshold: so a value that hovers rings once.

mod tell;
mod words;

use serde::{Deserialize, Serialize};

pub use tell::{AlarmHours, Escalation, Recipient, RecipientError};

/// What an alarm looks at.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum AlarmMeasure {
    /// Service level of the last full interval, as a share; rings below.
    LastLevel,
    /// Service level since opening, as a share; rings below.
    LevelSoFar,
    /// Share of today's contacts that abandoned; rings above.
    Abandonment,
    /// Contacts that wait; rings above.
    Waiting,
    /// The longest wait, in seconds; rings above.
    LongestWait,
    /// Share of simulated days on which the day's target is reached by tonight; rings below.
    ChanceByTonight,
    /// Seconds since the switch was heard; rings above. Of no contact type.
    Silence,
}

impl AlarmMeasure {
    /// All of them.
    pub const ALL: [Self; 7] = [
        Self::LastLevel,
        Self::LevelSoFar,
        Self::Abandonment,
        Self::Waiting,
        Self::LongestWait,
        Self::ChanceByTonight,
        Self::Silence,
    ];

    /// Its name in forms and in the database.
    pub const fn key(self) -> &'static str {
        match self {
            Self::LastLevel => "last_level",
            Self::LevelSoFar => "level_so_far",
            Self::Abandonment => "abandonment",
            Self::Waiting => "waiting",
            Self::LongestWait => "longest_wait",
            Self::ChanceByTonight => "chance_by_tonight",
            Self::Silence => "silence",
        }
    }

    /// The measure with this name.
    pub fn of_key(key: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|measure| measure.key() == key)
    }

    /// What it is called.
    pub const fn words(self) -> &'static str {
        match self {
            Self::LastLevel => "service level of the last full interval",
            Self::LevelSoFar => "service level since opening",
            Self::Abandonment => "abandonment since opening",
            Self::Waiting => "contacts waiting",
            Self::LongestWait => "longest wait",
            Self::ChanceByTonight => "chance of reaching the target by tonight",
            Self::Silence => "time since the switch was heard",
        }
    }

    /// Whether it rings when the value is under the threshold, rather than over it.
    pub const fn rings_below(self) -> bool {
        matches!(self, Self::LastLevel | Self::LevelSoFar | Self::ChanceByTonight)
    }

    /// Whether its values are shares, which people say in per cent.
    pub const fn is_share(self) -> bool {
        matches!(
            self,
            Self::LastLevel | Self::LevelSoFar | Self::Abandonment | Self::ChanceByTonight
        )
    }

    /// The unit in which people say it.
    pub const fn unit(self) -> &'static str {
        match self {
            Self::Waiting => "contacts",
            Self::LongestWait | Self::Silence => "s",
            _ => "%",
        }
    }

    /// Whether it is of a contact type.
    pub const fn is_of_type(self) -> bool {
        !matches!(self, Self::Silence)
    }
}

/// How much an alarm matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Severity {
    /// Good to know.
    Notice,
    /// To be looked at.
    Warning,
    /// To be acted on at once.
    Urgent,
}

impl Severity {
    /// All of them, the least first.
    pub const ALL: [Self; 3] = [Self::Notice, Self::Warning, Self::Urgent];

    /// In a word.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Notice => "notice",
            Self::Warning => "warning",
            Self::Urgent => "urgent",
        }
    }

    /// The severity that is called so.
    pub fn of_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|severity| severity.word() == word)
    }
}

/// When an alarm rings.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct AlarmRule {
    /// What it looks at.
    pub measure: AlarmMeasure,
    /// Of which contact type, by name; none where the measure is of none.
    pub contact_type: Option<String>,
    /// It rings beyond this: a share, seconds or contacts.
    pub threshold: f64,
    /// It clears once the value is back at this, which is not beyond the threshold.
    pub clears_at: f64,
    /// For so many minutes the value must have been beyond the threshold.
    pub minutes: f64,
    /// Minutes between two looks at it; at each state that the switch tells where this is 0.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub every_minutes: f64,
    /// How much it matters.
    pub severity: Severity,
    /// It is looked at in these hours of the centre's clock only; always where there are none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hours: Option<AlarmHours>,
    /// Who is written to when it rings.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub tells: Vec<Recipient>,
    /// Who is written to when nobody has seen it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub escalation: Option<Escalation>,
}

/// What is wrong with a rule: its field, and what would do.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AlarmFault {
    /// The field of [`AlarmRule`].
    pub field: &'static str,
    /// What would do.
    pub message: &'static str,
}

impl AlarmRule {
    /// A rule that rings at once beyond a threshold, clears when the value is back, and writes to nobody.
    pub fn new(
        measure: AlarmMeasure,
        contact_type: Option<&str>,
        threshold: f64,
        severity: Severity,
    ) -> Self {
        Self {
            measure,
            contact_type: contact_type.map(str::to_owned),
            threshold,
            clears_at: threshold,
            minutes: 0.0,
            every_minutes: 0.0,
            severity,
            hours: None,
            tells: Vec::new(),
            escalation: None,
        }
    }

    /// What is wrong with it; nothing where it can be used.
    pub fn faults(&self) -> Vec<AlarmFault> {
        let mut faults = Vec::new();
        let mut ensure = |right: bool, field, message| {
            if !right {
                faults.push(AlarmFault { field, message });
            }
        };
        let most = if self.measure.is_share() { 1.0 } else { 86_400.0 };
        let fits = |value: f64| value.is_finite() && (0.0..=most).contains(&value);
        let range =
            if self.measure.is_share() { "must be 0 to 100 %" } else { "must be 0 to 86400" };
        ensure(fits(self.threshold), "threshold", range);
        ensure(fits(self.clears_at), "clears_at", range);
        ensure(
            !self.is_beyond(self.clears_at) || self.clears_at == self.threshold,
            "clears_at",
            "must be on the good side of the threshold",
        );
        let lasts = self.minutes.is_finite() && (0.0..=1440.0).contains(&self.minutes);
        ensure(lasts, "minutes", "must be 0 to 1440 minutes");
        let often = self.every_minutes.is_finite() && (0.0..=240.0).contains(&self.every_minutes);
        ensure(often, "every_minutes", "must be 0 to 240 minutes");
        let named = self.contact_type.as_ref().is_some_and(|name| !name.is_empty());
        ensure(
            named == self.measure.is_of_type(),
            "contact_type",
            "choose a contact type, or none for the time since the switch was heard",
        );
        if let Some(hours) = &self.hours {
            ensure(hours.is_right(), "hours", "must be two times, as 08:00-20:00");
        }
        if let Some(escalation) = &self.escalation {
            let lasts = (1.0..=1440.0).contains(&escalation.after_minutes);
            ensure(lasts, "escalation_minutes", "must be 1 to 1440 minutes");
            let someone = !escalation.tells.is_empty();
            ensure(someone, "escalation_tells", "say who is told when nobody has seen it");
        }
        faults
    }

    /// Whether a value is beyond the threshold.
    pub fn is_beyond(&self, value: f64) -> bool {
        if self.measure.rings_below() { value < self.threshold } else { value > self.threshold }
    }

    fn is_clear(&self, value: f64) -> bool {
        if self.measure.rings_below() { value >= self.clears_at } else { value <= self.clears_at }
    }
}

fn is_zero(number: &f64) -> bool {
    *number == 0.0
}

/// Where an alarm is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct AlarmState {
    /// Since when its value is beyond the threshold, in seconds of any clock.
    pub beyond_since: Option<f64>,
    /// Whether it rings.
    pub rings: bool,
    /// When it was looked at last, on the same clock.
    #[serde(default)]
    pub looked_at: Option<f64>,
}

/// What has happened to an alarm.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum AlarmChange {
    /// It begins to ring.
    Rings,
    /// It has cleared.
    Clears,
}

impl AlarmState {
    /// The value at a moment; a measure that has no value then leaves everything as it is.
    pub fn step(
        &mut self,
        rule: &AlarmRule,
        at_secs: f64,
        value: Option<f64>,
    ) -> Option<AlarmChange> {
        let value = value?;
        // A clock that was set back must not keep it from being looked at.
        let passed = self.looked_at.map(|looked_at| at_secs - looked_at);
        if passed.is_some_and(|passed| (0.0..60.0 * rule.every_minutes).contains(&passed)) {
            return None;
        }
        self.looked_at = Some(at_secs);
        if self.rings {
            if !rule.is_clear(value) {
                return None;
            }
            (self.rings, self.beyond_since) = (false, None);
            return Some(AlarmChange::Clears);
        }
        if !rule.is_beyond(value) {
            self.beyond_since = None;
            return None;
        }
        let since = *self.beyond_since.get_or_insert(at_secs);
        if at_secs - since < 60.0 * rule.minutes {
            return None;
        }
        self.rings = true;
        Some(AlarmChange::Rings)
    }
}

/// When a rule would have rung on values of the past, in order of time: the moments at which it began to.
pub fn would_have_rung(rule: &AlarmRule, past: &[(f64, Option<f64>)]) -> Vec<f64> {
    let mut state = AlarmState::default();
    let rang = past.iter().filter_map(|&(at, value)| {
        (state.step(rule, at, value) == Some(AlarmChange::Rings)).then_some(at)
    });
    rang.collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rule(measure: AlarmMeasure, threshold: f64, clears_at: f64, minutes: f64) -> AlarmRule {
        let contact_type = measure.is_of_type().then_some("Bookings");
        let rule = AlarmRule::new(measure, contact_type, threshold, Severity::Warning);
        AlarmRule { clears_at, minutes, ..rule }
    }

    #[test]
    fn it_rings_after_its_minutes_and_once_while_a_value_hovers() {
        let rule = rule(AlarmMeasure::LongestWait, 180.0, 120.0, 2.0);
        assert_eq!(rule.faults(), []);
        let values =
            [100.0, 190.0, 200.0, 185.0, 170.0, 190.0, 130.0, 190.0, 110.0, 190.0, 190.0, 190.0];
        let past: Vec<(f64, Option<f64>)> = values
            .iter()
            .enumerate()
            .map(|(minute, value)| (60.0 * minute as f64, Some(*value)))
            .collect();
        // Beyond from minute 1 on, so it rings at 3; it hovers over 120 until 8; then again from 9 on.
        assert_eq!(would_have_rung(&rule, &past), [180.0, 660.0]);
    }

    #[test]
    fn one_that_is_looked_at_every_few_minutes_does_not_see_what_passes_between() {
        let every = |every_minutes| AlarmRule {
            every_minutes,
            ..rule(AlarmMeasure::LongestWait, 180.0, 120.0, 0.0)
        };
        let values = [100.0, 190.0, 100.0, 190.0, 100.0, 200.0, 110.0, 100.0, 100.0, 190.0];
        let past: Vec<(f64, Option<f64>)> =
            (0..).map(|minute| 60.0 * f64::from(minute)).zip(values.map(Some)).collect();
        assert_eq!(would_have_rung(&every(0.0), &past), [60.0, 180.0, 300.0, 540.0]);
        // At minutes 0, 5: once; it clears unseen at 6 and is looked at again at 10.
        assert_eq!(would_have_rung(&every(5.0), &past), [300.0]);
        assert!(would_have_rung(&every(2.0), &past).is_empty(), "it looks at even minutes only");
        assert_eq!(every(241.0).faults()[0].field, "every_minutes");
        // The clock of another switch, an hour behind, goes on.
        let mut state = AlarmState { looked_at: Some(3600.0), ..AlarmState::default() };
        assert_eq!(state.step(&every(5.0), 10.0, Some(200.0)), Some(AlarmChange::Rings));
    }

    #[test]
    fn what_is_not_known_changes_nothing() {
        let rule = rule(AlarmMeasure::LastLevel, 0.7, 0.8, 0.0);
        let mut state = AlarmState::default();
        assert_eq!(state.step(&rule, 0.0, None), None);
        assert_eq!(state.step(&rule, 1.0, Some(0.6)), Some(AlarmChange::Rings));
        assert_eq!(state.step(&rule, 2.0, None), None);
        assert_eq!(state.step(&rule, 3.0, Some(0.75)), None);
        assert_eq!(state.step(&rule, 4.0, Some(0.8)), Some(AlarmChange::Clears));
    }

    #[test]
    fn rules_that_cannot_be_meant_are_refused_by_field() {
        let fields = |rule: AlarmRule| -> Vec<&'static str> {
            rule.faults().into_iter().map(|fault| fault.field).collect()
        };
        assert_eq!(fields(rule(AlarmMeasure::LastLevel, 0.7, 0.6, 0.0)), ["clears_at"]);
        assert_eq!(fields(rule(AlarmMeasure::Waiting, 10.0, 12.0, 0.0)), ["clears_at"]);
        assert_eq!(
            fields(rule(AlarmMeasure::Abandonment, 5.0, 0.04, -1.0)),
            ["threshold", "minutes"]
        );
        let nobody =
            AlarmRule { contact_type: None, ..rule(AlarmMeasure::Waiting, 10.0, 5.0, 0.0) };
        assert_eq!(fields(nobody), ["contact_type"]);
        assert!(fields(rule(AlarmMeasure::Silence, 30.0, 5.0, 0.0)).is_empty());
        for measure in AlarmMeasure::ALL {
            assert_eq!(AlarmMeasure::of_key(measure.key()), Some(measure));
        }
    }

    #[test]
    fn an_escalation_needs_somebody_and_a_time() {
        let waiting = AlarmMeasure::Waiting;
        let mut rule = AlarmRule {
            hours: Some(AlarmHours { from_minute: 600, until_minute: 600 }),
            escalation: Some(Escalation { after_minutes: 0.0, tells: Vec::new() }),
            ..AlarmRule::new(waiting, Some("Bookings"), 10.0, Severity::Notice)
        };
        let fields: Vec<&str> = rule.faults().iter().map(|fault| fault.field).collect();
        assert_eq!(fields, ["hours", "escalation_minutes", "escalation_tells"]);
        let duty = Recipient::Mail("duty@larkhaven.example".to_owned());
        rule.escalation = Some(Escalation { after_minutes: 5.0, tells: vec![duty] });
        rule.hours = None;
        assert_eq!(rule.faults(), []);
        // Rules that were kept before there were these fields can still be read.
        let before = r#"{"measure":"waiting","contact_type":"Bookings","threshold":10.0,"clears_at":10.0,"minutes":0.0,"severity":"notice"}"#;
        let read: AlarmRule = serde_json::from_str(before).expect("it can be read");
        assert_eq!(read.escalation, None);
        let again = serde_json::to_string(&rule).expect("JSON");
        assert_eq!(serde_json::from_str::<AlarmRule>(&again).expect("JSON"), rule);
    }
}
