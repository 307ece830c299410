//! Who is told of an alarm, and when.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

/// Characters of a recipient at most.
const LONGEST: usize = 300;

/// Where a message goes.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub enum Recipient {
    /// An e-mail address.
    Mail(String),
    /// An http or https address that takes the message as JSON.
    Webhook(String),
}

/// A text that is no recipient.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is neither an e-mail address nor an address that begins with http:// or https://")]
pub struct RecipientError(String);

impl FromStr for Recipient {
    type Err = RecipientError;

    fn from_str(typed: &str) -> Result<Self, RecipientError> {
        let typed = typed.trim();
        let wrong = || RecipientError(typed.chars().take(80).collect());
        let is_plain = !typed.chars().any(|each| each.is_whitespace() || each.is_control());
        if !is_plain || typed.len() > LONGEST {
            return Err(wrong());
        }
        if let Some(rest) = typed.strip_prefix("http://").or_else(|| typed.strip_prefix("https://"))
        {
            let host = rest.split(['/', '?', '#']).next().unwrap_or_default();
            let is_host = !host.is_empty() && !host.contains('@');
            return if is_host { Ok(Self::Webhook(typed.to_owned())) } else { Err(wrong()) };
        }
        let (name, host) = typed.split_once('@').ok_or_else(wrong)?;
        let letters = |text: &str, more: &str| {
            !text.is_empty()
                && text.chars().all(|each| each.is_alphanumeric() || more.contains(each))
        };
        let is_host = letters(host, ".-") && !host.starts_with('.') && !host.ends_with('.');
        if letters(name, ".!#$%&'*+/=?^_`{|}~-") && is_host {
            Ok(Self::Mail(typed.to_owned()))
        } else {
            Err(wrong())
        }
    }
}

impl TryFrom<String> for Recipient {
    type Error = RecipientError;

    fn try_from(text: String) -> Result<Self, RecipientError> {
        text.parse()
    }
}

impl From<Recipient> for String {
    fn from(recipient: Recipient) -> Self {
        recipient.to_string()
    }
}

impl fmt::Display for Recipient {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Mail(text) | Self::Webhook(text) => to.write_str(text),
        }
    }
}

impl Recipient {
    /// The recipients of a typed list, apart by commas, semicolons or lines.
    ///
    /// # Errors
    ///
    /// The first that is none.
    pub fn list(typed: &str) -> Result<Vec<Self>, RecipientError> {
        let each = typed.split([',', ';', '\n']).map(str::trim).filter(|each| !each.is_empty());
        let mut list: Vec<Self> = Vec::new();
        for recipient in each {
            let recipient = recipient.parse()?;
            if !list.contains(&recipient) {
                list.push(recipient);
            }
        }
        Ok(list)
    }
}

/// Hours of a day, by the centre's clock; past midnight where they end before they begin.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct AlarmHours {
    /// Minutes after midnight at which they begin.
    pub from_minute: u16,
    /// Minutes after midnight at which they end.
    pub until_minute: u16,
}

impl AlarmHours {
    pub(super) fn is_right(self) -> bool {
        self.from_minute < 1440
            && self.until_minute <= 1440
            && self.from_minute != self.until_minute
    }

    /// Whether a minute of the day lies in them.
    pub fn holds(self, minute: u16) -> bool {
        if self.from_minute <= self.until_minute {
            (self.from_minute..self.until_minute).contains(&minute)
        } else {
            minute >= self.from_minute || minute < self.until_minute
        }
    }
}

/// "08:00-20:00"
impl fmt::Display for AlarmHours {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (from, until) = (self.from_minute, self.until_minute);
        write!(to, "{:02}:{:02}-{:02}:{:02}", from / 60, from % 60, until / 60, until % 60)
    }
}

impl FromStr for AlarmHours {
    type Err = ();

    fn from_str(typed: &str) -> Result<Self, ()> {
        let minute = |text: &str| -> Result<u16, ()> {
            let (hour, minute) = text.trim().split_once(':').ok_or(())?;
            let (hour, minute): (u16, u16) =
                (hour.parse().map_err(|_| ())?, minute.parse().map_err(|_| ())?);
            if hour <= 24 && minute < 60 { Ok(60 * hour + minute) } else { Err(()) }
        };
        let (from, until) = typed.split_once(['-', '–']).ok_or(())?;
        let hours = Self { from_minute: minute(from)?, until_minute: minute(until)? };
        if hours.is_right() { Ok(hours) } else { Err(()) }
    }
}

/// What happens when nobody has seen an alarm.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Escalation {
    /// Minutes of the switch's clock for which it has rung by then.
    pub after_minutes: f64,
    /// Who is told then.
    pub tells: Vec<Recipient>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn recipients_are_addresses_of_mail_or_of_the_web() {
        let list = Recipient::list(
            "duty@larkhaven.example, https://hooks.example/alarm\n duty@larkhaven.example",
        );
        let mail = Recipient::Mail("duty@larkhaven.example".to_owned());
        let hook = Recipient::Webhook("https://hooks.example/alarm".to_owned());
        assert_eq!(list, Ok(vec![mail, hook]), "each once");
        assert_eq!(Recipient::list(" \n "), Ok(Vec::new()));
        let refused = [
            "duty",
            "@example.org",
            "a@",
            "a@.org",
            "a b@example.org",
            "ftp://example.org",
            "http://",
            "https://user@host/",
            "a@b@c",
            "a@exa<mple.org",
            "a@b.org>\r\nBcc: c@d.org",
        ];
        for text in refused {
            assert!(text.parse::<Recipient>().is_err(), "{text}");
        }
        assert!(format!("{}@example.org", "a".repeat(400)).parse::<Recipient>().is_err());
        assert!(serde_json::from_str::<Recipient>("\"nobody\"").is_err());
    }

    #[test]
    fn hours_may_go_past_midnight() {
        let day: AlarmHours = "08:00-20:30".parse().expect("hours");
        assert!(day.holds(480) && day.holds(1229) && !day.holds(1230) && !day.holds(0));
        let night: AlarmHours = "22:00 – 06:00".parse().expect("hours");
        assert!(night.holds(1320) && night.holds(0) && night.holds(359) && !night.holds(360));
        assert_eq!(day.to_string(), "08:00-20:30");
        for wrong in
            ["8", "08:00", "08:00-08:00", "25:00-26:00", "24:00-08:00", "08:61-09:00", "a:b-c:d"]
        {
            assert!(wrong.parse::<AlarmHours>().is_err(), "{wrong}");
        }
        assert!("00:00-24:00".parse::<AlarmHours>().is_ok_and(|all| all.holds(1439)));
    }
}
