//! Reports: read and made for a reader, made by themselves when their time comes, sent, and had as files.

mod facts;
mod files;
mod make;
mod schedule;
mod sending;

pub use facts::Reader;
pub use files::{BrowserError, file, has_browser, picture_as_png};
pub use make::{make_edition, preview};
pub use schedule::{run, tick};
pub use sending::{make_link, resend};
