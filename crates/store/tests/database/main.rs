//! Each aggregate's story, and each promise, on a real database.

#![cfg(test)]

mod accounts;
mod answers;
mod boards;
mod change_sheets;
mod demand;
mod drafts;
mod drawings;
mod fixture;
mod imports;
mod left;
mod lists;
mod operating;
mod outbox;
mod report_pages;
mod reports;
mod rosters;
mod saves;
mod searches;
mod sessions;
mod stories;
mod trail;
