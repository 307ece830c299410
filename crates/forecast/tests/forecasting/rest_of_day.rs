//! The rest of today, given what has come so far.

use barometer_forecast::{Uncertainty, rest_of_day};
use jiff::civil::date;

use crate::made::{Made, plain_forecast};

fn uncertainty() -> Uncertainty {
    let made = Made { day_spread: 0.15, ..Made::noisy(date(2026, 1, 5), 250, 4) };
    plain_forecast(&made.grid()).unwrap().uncertainty
}

#[test]
fn a_busy_morning_lifts_the_afternoon_the_more_the_more_was_seen() {
    let forecast = [50.0; 20];
    let spread = uncertainty();
    let after = |hours: usize| rest_of_day(&forecast, &vec![Some(65.0); hours], 1, &spread);
    assert_eq!(after(0).factor, 1.0);
    assert_eq!(after(0).contacts, forecast);
    assert!(after(1).factor > 1.0 && after(4).factor > after(1).factor);
    assert!((after(10).factor - 1.3).abs() < 0.06, "{}", after(10).factor);
    assert!(after(10).factor_spread < after(1).factor_spread);
    let rest = after(10);
    assert_eq!(rest.contacts.len(), 10);
    assert!((rest.contacts[0] - 50.0 * rest.factor).abs() < 1e-9);
}

#[test]
fn unknown_intervals_say_nothing_and_a_day_without_forecast_stays_so() {
    let spread = uncertainty();
    let known = rest_of_day(&[40.0; 4], &[Some(50.0), Some(50.0)], 1, &spread);
    let gap = rest_of_day(&[40.0; 5], &[Some(50.0), None, Some(50.0)], 1, &spread);
    assert!((known.factor - gap.factor).abs() < 0.02);
    let closed = rest_of_day(&[0.0; 4], &[Some(0.0)], 1, &spread);
    assert_eq!((closed.factor, closed.contacts), (1.0, vec![0.0; 3]));
}
