//! On how many days a plan holds and what makes it fail: the same sentence on the outlook, in staffing, trials and searches.

use barometer_plan::{
    DayByDay, Driver, DriverOfDay, HoldingDays, Rules, Target, TargetByDay, TrialInputs,
    share_of_ten,
};
use jiff::civil::Date;

use crate::words;

/// Rows of days as a trial plays them: "Saturdays", "weeks".
pub(crate) fn days_name(first: Date, days: u32) -> String {
    match days {
        1 => first.strftime("%As").to_string(),
        7 => "weeks".to_owned(),
        _ => "rows of days".to_owned(),
    }
}

/// "9 of 10 Saturdays", "all 200 Saturdays".
pub(crate) fn held_words(held: HoldingDays, name: &str) -> String {
    format!("{} {name}", held.of_ten())
}

/// "9 of 10 Saturdays", of a share of simulated days.
pub(crate) fn share_words(share: f64, name: &str) -> String {
    match share {
        none if none <= 0.0 => format!("none of the simulated {name}"),
        all if all >= 1.0 => format!("all simulated {name}"),
        some => format!("{} {name}", share_of_ten(some)),
    }
}

/// "179 of 200 simulated", where that is not what was said already.
fn simulated(held: HoldingDays) -> String {
    match held.holding {
        0 => String::new(),
        all if all == held.days => " simulated".to_owned(),
        some => format!(
            " ({} of {} simulated)",
            words::thousands(f64::from(some)),
            words::thousands(f64::from(held.days))
        ),
    }
}

/// "All targets hold on 9 of 10 Saturdays (179 of 200 simulated). Service level fails most often ...".
pub(crate) fn sentence(inputs: &TrialInputs, days: &DayByDay, name: &str) -> String {
    let one = days.targets.len() == 1;
    let lead = if one { "The target holds" } else { "All targets hold" };
    let mut said = format!("{lead} on {}{}.", held_words(days.held, name), simulated(days.held));
    let Some(tightest) = days.targets.first() else { return said };
    if days.held.holding == days.held.days {
        return said;
    }
    if !one {
        let fails = HoldingDays {
            holding: tightest.held.days - tightest.held.holding,
            days: tightest.held.days,
        };
        said +=
            &format!(" {} fails most often, on {}.", target_name(inputs, tightest), fails.of_ten());
    }
    if let Some(when) = fails_when(inputs, tightest) {
        said += &format!(" It fails when {when}.");
    }
    said
}

/// "more than 1,720 contacts come, or the handle time passes 285 s (each tells over 80 % of days right)".
pub(crate) fn fails_when(inputs: &TrialInputs, target: &TargetByDay) -> Option<String> {
    let told: Vec<(String, f64)> = target
        .drivers
        .iter()
        .filter_map(|driver| {
            let threshold = driver.threshold?;
            let name = driver_name(inputs, driver);
            let above = match driver.what {
                DriverOfDay::Contacts(_) => {
                    format!("more than {} {name} come", words::thousands(threshold.at))
                }
                DriverOfDay::HandleSecs(_) => {
                    format!("the {name} passes {}", words::secs(threshold.at))
                }
            };
            Some((above, threshold.right))
        })
        .take(2)
        .collect();
    let tells = |right: f64| words::whole_percent(right);
    match told.as_slice() {
        [] => None,
        [(above, right)] => Some(format!("{above} (this tells {} of days right)", tells(*right))),
        [(one, right), (other, also), ..] => Some(format!(
            "{one}, or {other} (these tell {} and {} of days right)",
            tells(*right),
            tells(*also)
        )),
    }
}

/// "Service level in 20 s of Bookings".
pub(crate) fn target_name(inputs: &TrialInputs, target: &TargetByDay) -> String {
    let rules = inputs.types.get(target.of.unwrap_or(0)).or(inputs.types.first());
    let rules = rules.map_or(&Rules::STARTING, |each| &each.rules);
    let name = words::target_name(target.target, rules);
    let of = match (target.target, target.of) {
        (Target::Occupancy, Some(team)) => inputs.strategy.teams.get(team).map(|team| &team.name),
        (_, Some(kind)) if inputs.types.len() > 1 => inputs.types.get(kind).map(|kind| &kind.name),
        _ => None,
    };
    words::capitalised(&of.map_or(name.clone(), |of| format!("{name} of {of}")))
}

/// What a driver is called within a sentence.
pub(crate) fn driver_name(inputs: &TrialInputs, driver: &Driver) -> String {
    match driver.what {
        DriverOfDay::Contacts(kind) if inputs.types.len() > 1 => {
            let name = inputs.types.get(kind).map_or("", |each| &each.name);
            format!("contacts of {name}")
        }
        DriverOfDay::Contacts(_) => "contacts".to_owned(),
        DriverOfDay::HandleSecs(team) if inputs.strategy.teams.len() > 1 => {
            let name = inputs.strategy.teams.get(team).map_or("", |team| &team.name);
            format!("handle time of {name}")
        }
        DriverOfDay::HandleSecs(_) => "handle time".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_plan::{Third, Threshold};
    use barometer_strategy::Strategy;
    use jiff::civil::date;

    fn inputs() -> TrialInputs {
        let rules = Rules::STARTING;
        let customers =
            barometer_plan::customers_of(&rules, &barometer_strategy::Duration::exponential(300.0));
        let (zone, strategy) = (&jiff::tz::TimeZone::UTC, Strategy::plain("Bookings"));
        TrialInputs::of_one_type(strategy, rules, zone, 1800.0, ("Bookings", customers), &[])
    }

    fn target(target: Target, holding: u32, drivers: Vec<Driver>) -> TargetByDay {
        let held = HoldingDays { holding, days: 200 };
        TargetByDay { target, of: Some(0), wanted: 0.8, held, drivers, less_patience: None }
    }

    fn driver(what: DriverOfDay, at: f64) -> Driver {
        let third = Third { edge: 0.0, share: 0.5, holding: 0.5 };
        let threshold = Some(Threshold { at, right: 0.91, above: 0.1 });
        Driver { what, least: third, most: third, threshold }
    }

    fn said(holding: u32, targets: Vec<TargetByDay>) -> String {
        let days = DayByDay { held: HoldingDays { holding, days: 200 }, targets };
        sentence(&inputs(), &days, &days_name(date(2026, 11, 28), 1))
    }

    #[test]
    fn a_day_is_said_with_what_fails_and_when() {
        let drivers = vec![
            driver(DriverOfDay::Contacts(0), 1720.4),
            driver(DriverOfDay::HandleSecs(0), 285.2),
        ];
        let targets = vec![
            target(Target::ServiceLevel, 179, drivers),
            target(Target::Abandonment, 199, Vec::new()),
        ];
        insta::assert_snapshot!(said(178, targets), @"All targets hold on 9 of 10 Saturdays (178 of 200 simulated). Service level in 20 s fails most often, on 1 of 10. It fails when more than 1,720 contacts come, or the handle time passes 285.2 s (these tell 91 % and 91 % of days right).");
    }

    #[test]
    fn days_that_all_hold_or_all_fail_are_said_as_such() {
        let level = |holding| vec![target(Target::ServiceLevel, holding, Vec::new())];
        assert_eq!(said(200, level(200)), "The target holds on all 200 Saturdays simulated.");
        assert_eq!(said(0, level(0)), "The target holds on none of 200 Saturdays.");
        assert_eq!(share_words(1.0, "weeks"), "all simulated weeks");
        assert_eq!(share_words(0.0, "weeks"), "none of the simulated weeks");
        assert_eq!(share_words(0.903, "weeks"), "9 of 10 weeks");
        assert_eq!(days_name(date(2026, 11, 28), 7), "weeks");
        assert_eq!(days_name(date(2026, 11, 28), 3), "rows of days");
    }
}
