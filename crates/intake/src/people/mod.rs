//! Lists of people to call, and of numbers that are not called: rows to people with a number, a zone and what
//! else a list says of them.
//!
//! * a [`ListLayout`] says which column holds what; [`ListLayout::guess`] finds it from the heading;
//! * a [`PeopleReader`] turns one row after another into a [`ListedPerson`], or says which column is at fault;
//!   it remembers the numbers that it has read, so that each is called once;
//! * [`PrefixZones`] tells the time zone of a number that a list gives none for.

mod layout;
mod number;
mod reader;
mod zones;

pub use layout::{ListColumn, ListLayout};
pub use number::{DialNumber, NumberReader, is_country};
pub use reader::{ListedPerson, PeopleReader, PreferredHours};
pub use zones::{PrefixError, PrefixZones};
