//! Demand: how many contacts will arrive, what that is made of, and how far to trust it.

pub(crate) mod accuracy;
pub(crate) mod archive;
pub(crate) mod cleaning;
pub(crate) mod export;
pub(crate) mod forecast;
pub(crate) mod frozen;
pub(crate) mod import;
pub(crate) mod list;
pub(crate) mod made_of;
pub(crate) mod overlays;
pub(crate) mod runs;
pub(crate) mod special_days;
pub(crate) mod tabs;
