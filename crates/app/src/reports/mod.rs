//! Reports: read and made for a reader, made by themselves when their time comes, sent, and had as files.

mod coverage;
mod facts;
mod files;
mod make;
mod schedule;
mod sending;

pub use coverage::Coverage;
pub use facts::Reader;
pub(crate) use files::drawn;
pub use files::{BrowserError, document_page, file, has_browser, picture_as_png, picture_page};
pub use make::{make_edition, preview};
pub use schedule::{run, tick};
pub use sending::{make_link, resend};

use crate::AppError;

/// An error that is told to the person who asked, as a sentence.
fn refused(error: impl std::error::Error) -> AppError {
    let text = error.to_string();
    let mut letters = text.chars();
    let first = letters.next().into_iter().flat_map(char::to_uppercase);
    AppError::Refused(format!("{}.", first.chain(letters).collect::<String>()))
}
