//! Preflight on strategies that are sound, and on the same with one mistake each.

mod broken;
mod broken_campaigns;
mod broken_numbers;
mod harbour;
mod sound;
