//! Each aggregate's story, and each promise, on a real database.

#![cfg(test)]

mod demand;
mod drafts;
mod fixture;
mod imports;
mod rosters;
mod sessions;
mod stories;
