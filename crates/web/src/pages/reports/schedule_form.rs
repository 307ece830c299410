//! A report's schedule as a form.

use barometer_plan::Recipient;
use barometer_report::{Format, Timing, TimingDays};
use barometer_store::{Role, Sending};
use jiff::civil::Time;
use serde::Deserialize;

use super::LINK_DAYS;
use crate::forms::FormErrors;
use crate::words;

/// A schedule as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct ScheduleForm {
    pub days: String,
    pub weekday: Vec<usize>,
    pub month_day: String,
    pub at: String,
    pub addresses: String,
    pub role: Vec<String>,
    pub format: Vec<String>,
    pub how: String,
    pub link_days: String,
    pub only_if_missed: Option<String>,
}

impl ScheduleForm {
    /// Every working day's morning, as a PDF.
    pub fn usual() -> Self {
        Self {
            days: "weekdays".to_owned(),
            weekday: (0..5).collect(),
            month_day: "1".to_owned(),
            at: "07:00".to_owned(),
            format: vec![Format::Pdf.key().to_owned()],
            how: "files".to_owned(),
            link_days: LINK_DAYS.to_string(),
            ..Self::default()
        }
    }

    fn timing(&self, wrong: &mut FormErrors) -> Option<Timing> {
        let Ok(at) = self.at.trim().parse::<Time>() else {
            wrong.note("at", "Must be a time, as 07:00.");
            return None;
        };
        let days = if self.days == "month" {
            TimingDays::Monthly(wrong.whole("month_day", &self.month_day, 1_u8..=31)?)
        } else {
            let mut chosen = [false; 7];
            for day in &self.weekday {
                if let Some(chosen) = chosen.get_mut(*day) {
                    *chosen = true;
                }
            }
            TimingDays::Weekdays(chosen)
        };
        match Timing::new(days, at) {
            Ok(timing) => Some(timing),
            Err(error) => {
                wrong.note("weekday", format!("{}.", words::capitalised(&error.to_string())));
                None
            }
        }
    }

    fn sending(&self, wrong: &mut FormErrors) -> Sending {
        let addresses = match Recipient::list(&self.addresses) {
            Ok(recipients) => recipients
                .into_iter()
                .filter_map(|recipient| match recipient {
                    Recipient::Mail(address) => Some(address),
                    Recipient::Webhook(address) => {
                        wrong.note(
                            "addresses",
                            format!("{address} is a web address; reports go to mail addresses."),
                        );
                        None
                    }
                })
                .collect(),
            Err(error) => {
                wrong.note("addresses", format!("{error}."));
                Vec::new()
            }
        };
        let roles: Vec<Role> = self.role.iter().filter_map(|role| Role::of_word(role)).collect();
        if addresses.is_empty() && roles.is_empty() {
            wrong.note("addresses", "Say who gets it: type addresses or choose roles.");
        }
        let is_linked = self.how == "link";
        let formats: Vec<Format> =
            self.format.iter().filter_map(|format| format.parse().ok()).collect();
        if formats.is_empty() && !is_linked {
            wrong.note("format", "Choose at least one file, or send a link.");
        }
        let link_days =
            if is_linked { wrong.whole("link_days", &self.link_days, 1..=365) } else { None };
        Sending {
            addresses,
            roles,
            formats,
            link_days,
            only_if_missed: self.only_if_missed.is_some(),
        }
    }
    /// When it is made and to whom it goes, or what is wrong.
    pub fn read(&self) -> Result<(Timing, Sending), FormErrors> {
        let mut wrong = FormErrors::default();
        let timing = self.timing(&mut wrong);
        let sending = self.sending(&mut wrong);
        match timing {
            Some(timing) if wrong.is_empty() => Ok((timing, sending)),
            _ => Err(wrong),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_usual_schedule_lacks_only_its_recipients() {
        let wrong = ScheduleForm::usual().read().unwrap_err();
        assert!(wrong.at("addresses").is_some() && wrong.at("at").is_none());
        let typed = ScheduleForm { role: vec!["approver".into()], ..ScheduleForm::usual() };
        let (timing, sending) = typed.read().unwrap();
        assert_eq!(timing.words(), "Monday to Friday at 07:00");
        assert_eq!((sending.roles, sending.link_days), (vec![Role::Approver], None));
    }

    #[test]
    fn every_mistake_is_told_at_once_at_its_own_field() {
        let typed = ScheduleForm {
            weekday: Vec::new(),
            addresses: "boss at work".into(),
            format: Vec::new(),
            ..ScheduleForm::usual()
        };
        let wrong = typed.read().unwrap_err();
        for field in ["weekday", "addresses", "format"] {
            assert!(wrong.at(field).is_some(), "{field}");
        }
    }

    #[test]
    fn a_day_that_no_week_has_is_left_out() {
        let typed = ScheduleForm {
            weekday: vec![0, 9],
            addresses: "boss@example.org".into(),
            ..ScheduleForm::usual()
        };
        assert_eq!(typed.read().unwrap().0.words(), "every Monday at 07:00");
    }
}
