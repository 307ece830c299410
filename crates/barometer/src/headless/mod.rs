//! Commands without a database: files in, files out, the same core as the pages.

mod csv_file;
pub mod forecast;
mod history;
pub mod need;
pub mod queueing;
pub mod schema;
pub mod trial;
