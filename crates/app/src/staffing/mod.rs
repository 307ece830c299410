//! Staffing: periods that are sized under any rules, rosters and the cover that follows from them.

mod campaigns;
pub mod day_roster;
mod lines;
pub mod roster;
pub mod roster_file;
mod source;

pub use campaigns::{CampaignNeed, campaigns_of_week};
pub use lines::BusiestLines;
pub use source::{Period, Source, Span, TYPICAL_WEEKS};
