//! How the map is looked at: kept in the address, from one change of the strategy to the next.

use serde::Deserialize;
use uuid::Uuid;

use super::map::Fold;
use super::seen::Asked;
use crate::access::RequestContext;
use crate::words;

/// What an address says about how the map is looked at.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
pub(super) struct Look {
    /// The time of day that the map shows, such as `09:30`.
    at: Option<String>,
    /// The trial whose contacts it shows.
    trial: Option<String>,
    /// The contact type whose contacts alone it shows.
    contact_type: Option<String>,
    /// The ways that are folded.
    fold: Option<String>,
}

impl Look {
    /// How the map was looked at on the page from which a form was sent.
    pub fn before(context: &RequestContext) -> Self {
        Self::read(&context.query_before)
    }

    fn read(query: &str) -> Self {
        let mut look = Self::default();
        for (name, said) in form_urlencoded::parse(query.as_bytes()) {
            let setting = match &*name {
                "at" => &mut look.at,
                "trial" => &mut look.trial,
                "contact_type" => &mut look.contact_type,
                "fold" => &mut look.fold,
                _ => continue,
            };
            *setting = Some(said.into_owned());
        }
        look
    }

    /// What follows the other settings of an address: empty, or beginning with `&`.
    pub fn in_address(&self) -> String {
        let settings = [
            ("at", &self.at),
            ("trial", &self.trial),
            ("contact_type", &self.contact_type),
            ("fold", &self.fold),
        ];
        let said = settings.into_iter().filter_map(|(name, said)| Some((name, said.as_ref()?)));
        said.map(|(name, said)| format!("&{name}={}", words::in_address(said))).collect()
    }

    /// What is to be seen; what cannot be read is as if it were not said.
    pub fn asked(self) -> Asked {
        Asked {
            at: self.at.and_then(|at| at.parse().ok()),
            trial: self.trial.and_then(|trial| trial.parse::<Uuid>().ok()),
            contact_type: self.contact_type,
            fold: Fold::read(&self.fold.unwrap_or_default()),
            ..Asked::default()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_look_is_read_from_an_address_and_written_into_the_next() {
        let query = "day=2026-11-23&draft=3&at=09:30&contact_type=Crew+%26+cabin&part=step.queue&fold=entry.0";
        let look = Look::read(query);
        let address = look.in_address();
        assert_eq!(Look::read(&address), look);
        let asked = look.asked();
        assert_eq!(asked.at, Some(jiff::civil::time(9, 30, 0, 0)));
        assert_eq!(asked.contact_type.as_deref(), Some("Crew & cabin"));
        assert_eq!(asked.fold, Fold::Of(vec![barometer_strategy::PartId::Entry(0)]));
        assert_eq!(Look::default().in_address(), "");
    }

    #[test]
    fn what_cannot_be_read_is_as_if_it_were_not_said() {
        let asked = Look::read("at=noon&trial=yesterday&fold=%00").asked();
        assert_eq!((asked.at, asked.trial, asked.fold), (None, None, Fold::Nothing));
    }
}
