//! Secrets that are shown once: of tokens and of links.

use uuid::Uuid;

/// A secret that nobody guesses: two random UUIDs, 244 random bits.
pub(crate) fn secret() -> String {
    format!("{}{}", Uuid::new_v4().simple(), Uuid::new_v4().simple())
}
