//! Boards of a planner's own: which figures of the day stand on them, in which order and how large.

use serde::{Deserialize, Serialize};

/// Tiles of a board, at most.
pub const MOST_TILES: usize = 40;

/// A board as a planner arranged it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct BoardLayout {
    /// From the left to the right, and down.
    pub tiles: Vec<Tile>,
}

/// One tile.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tile {
    /// What stands on it.
    pub shows: Shows,
    /// Whether it is twice as wide.
    #[serde(default)]
    pub is_wide: bool,
}

/// What stands on a tile.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Shows {
    /// One figure of one thing.
    Figure {
        /// Which.
        figure: BoardFigure,
        /// Whose: a contact type's name, or the id of a queue, a team or a campaign.
        of: String,
    },
    /// The pressure of a contact type over the day.
    Strip {
        /// Its name.
        contact_type: String,
    },
    /// The alarms that ring.
    Alarms,
}

/// What has figures on a board.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum BoardSubject {
    /// A contact type.
    ContactType,
    /// A queue or hunt group.
    Queue,
    /// A team.
    Team,
    /// A campaign.
    Campaign,
}

impl BoardSubject {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::ContactType, Self::Queue, Self::Team, Self::Campaign];

    /// In words, several of them.
    pub const fn words(self) -> &'static str {
        match self {
            Self::ContactType => "contact types",
            Self::Queue => "queues and hunt groups",
            Self::Team => "teams",
            Self::Campaign => "campaigns",
        }
    }
}

/// A figure that a tile shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum BoardFigure {
    /// Contacts that wait.
    Waiting,
    /// How long the first of them has waited.
    LongestWait,
    /// The service level of the last full interval.
    LastLevel,
    /// The service level since opening.
    LevelSoFar,
    /// The service level by tonight, simulated.
    LevelTonight,
    /// Days out of ten on which the target is reached by tonight.
    ChanceTonight,
    /// The share of contacts that gave up since opening.
    Abandoned,
    /// Pressure now.
    Pressure,
    /// Contacts since opening, against the forecast.
    Contacts,
    /// Contacts that wait in a queue.
    QueueWaiting,
    /// How long the first of them has waited.
    QueueLongestWait,
    /// Members who are free.
    QueueFree,
    /// People on shift, of those planned.
    TeamOnShift,
    /// People who are free.
    TeamFree,
    /// People who talk.
    TeamTalking,
    /// Occupancy in the last full interval.
    TeamOccupancy,
    /// Lines that a campaign uses.
    CampaignLines,
    /// People whom it talks with.
    CampaignTalking,
    /// People left on its list.
    CampaignLeft,
}

impl BoardFigure {
    /// All of them, by what they are of.
    pub const ALL: [Self; 19] = [
        Self::Waiting,
        Self::LongestWait,
        Self::LastLevel,
        Self::LevelSoFar,
        Self::LevelTonight,
        Self::ChanceTonight,
        Self::Abandoned,
        Self::Pressure,
        Self::Contacts,
        Self::QueueWaiting,
        Self::QueueLongestWait,
        Self::QueueFree,
        Self::TeamOnShift,
        Self::TeamFree,
        Self::TeamTalking,
        Self::TeamOccupancy,
        Self::CampaignLines,
        Self::CampaignTalking,
        Self::CampaignLeft,
    ];

    /// What it is a figure of.
    pub const fn subject(self) -> BoardSubject {
        match self {
            Self::Waiting
            | Self::LongestWait
            | Self::LastLevel
            | Self::LevelSoFar
            | Self::LevelTonight
            | Self::ChanceTonight
            | Self::Abandoned
            | Self::Pressure
            | Self::Contacts => BoardSubject::ContactType,
            Self::QueueWaiting | Self::QueueLongestWait | Self::QueueFree => BoardSubject::Queue,
            Self::TeamOnShift | Self::TeamFree | Self::TeamTalking | Self::TeamOccupancy => {
                BoardSubject::Team
            }
            Self::CampaignLines | Self::CampaignTalking | Self::CampaignLeft => {
                BoardSubject::Campaign
            }
        }
    }

    /// As a tile is headed.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Waiting | Self::QueueWaiting => "waiting",
            Self::LongestWait | Self::QueueLongestWait => "longest wait",
            Self::LastLevel => "service level, last full interval",
            Self::LevelSoFar => "service level since opening",
            Self::LevelTonight => "service level by tonight, simulated",
            Self::ChanceTonight => "target reached by tonight, days",
            Self::Abandoned => "abandoned since opening",
            Self::Pressure => "pressure now",
            Self::Contacts => "contacts since opening",
            Self::QueueFree => "members free",
            Self::TeamOnShift => "on shift, of planned",
            Self::TeamFree => "free",
            Self::TeamTalking | Self::CampaignTalking => "talking",
            Self::TeamOccupancy => "occupancy, last full interval",
            Self::CampaignLines => "lines in use",
            Self::CampaignLeft => "people left on the list",
        }
    }

    /// As a form sends it.
    pub fn key(self) -> String {
        serde_json::to_value(self)
            .ok()
            .and_then(|value| value.as_str().map(str::to_owned))
            .unwrap_or_default()
    }

    /// The figure that a form sends.
    pub fn of_key(key: &str) -> Option<Self> {
        serde_json::from_value(serde_json::Value::String(key.to_owned())).ok()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_figure_is_read_as_it_is_sent_and_has_a_subject() {
        for figure in BoardFigure::ALL {
            assert_eq!(BoardFigure::of_key(&figure.key()), Some(figure));
            assert!(BoardSubject::ALL.contains(&figure.subject()));
            assert!(!figure.words().is_empty());
        }
        assert_eq!(BoardFigure::of_key("the weather"), None);
        let of = |subject| BoardFigure::ALL.iter().filter(|each| each.subject() == subject).count();
        assert_eq!(BoardSubject::ALL.map(of), [9, 3, 4, 3]);
    }

    #[test]
    fn a_layout_is_kept_as_json_and_read_again() {
        let figure = BoardFigure::LevelSoFar;
        let shows = Shows::Figure { figure, of: "Bookings".to_owned() };
        let strip = Shows::Strip { contact_type: "Bookings".to_owned() };
        let layout = BoardLayout {
            tiles: vec![
                Tile { shows, is_wide: false },
                Tile { shows: strip, is_wide: true },
                Tile { shows: Shows::Alarms, is_wide: false },
            ],
        };
        let text = serde_json::to_string(&layout).unwrap();
        assert!(text.contains(r#"{"figure":{"figure":"level_so_far","of":"Bookings"}}"#), "{text}");
        assert_eq!(serde_json::from_str::<BoardLayout>(&text).unwrap(), layout);
        assert!(serde_json::from_str::<Tile>(r#"{"shows":"weather"}"#).is_err());
    }
}
