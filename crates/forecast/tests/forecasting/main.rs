//! Forecasts of made-up histories whose truth is known.

#![cfg(test)]

mod bands;
mod cleaning;
mod low_counts;
mod made;
mod methods;
mod rest_of_day;
mod special_days;
