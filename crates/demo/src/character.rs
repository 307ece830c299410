//! What each contact type is like, and what is expected of its intervals.

use barometer_plan::{IntervalLoad, Model, Rules};
use barometer_strategy::{Channel, ChannelSkill, Strategy};
use jiff::civil::{Date, DateTime};

use crate::calendar::{ONLINE_BOOKING, is_school_holiday, season, storm, years_in};

/// What a contact type is like.
#[derive(Clone, Copy, Debug)]
pub struct Character {
    /// Name as planners call it.
    pub name: &'static str,
    /// Targets, patience, concurrency and shrinkage.
    pub rules: Rules,
    /// Contacts on an average day at the beginning.
    daily: f64,
    /// Growth per year.
    growth: f64,
    /// How strongly the season moves it.
    season: f64,
    /// Monday to Sunday; 0 where closed.
    weekdays: [f64; 7],
    /// First and last hour: open from the first until before the last.
    hours: (i8, i8),
    /// Hours of the morning and the late-afternoon peak.
    peaks: (f64, f64),
    /// By how much a day of cancellations multiplies it, less one.
    storm: f64,
    /// By how much school holidays multiply it.
    holidays: f64,
    /// By how much the launch of online booking multiplied it.
    online_booking: f64,
    /// Mean handle time in seconds.
    handle_secs: f64,
    /// Places in the queue and longest wait in seconds of its strategy.
    queue: (Option<u32>, Option<u32>),
    /// Share of callers who hang up before they reach it: in the menu, or while something is played to them. That is what
    /// the demo's strategy makes of their patience.
    pub(crate) hang_up_share: f64,
}

/// What a paid hour of one person costs.
const COST_PER_HOUR: f64 = 22.5;

const EVEN_WEEK: [f64; 7] = [1.15, 1.02, 0.98, 1.0, 1.08, 0.97, 0.8];
const OFFICE_WEEK: [f64; 7] = [1.3, 1.2, 1.15, 1.15, 1.2, 0.55, 0.35];

impl Character {
    /// The seven contact types of Larkhaven Ferries.
    pub(crate) fn all() -> [Self; 7] {
        let bookings = Self {
            name: "Bookings",
            rules: Rules { patience_secs: Some(150.0), ..Rules::STARTING },
            daily: 3900.0,
            growth: 0.06,
            season: 0.32,
            weekdays: EVEN_WEEK,
            hours: (7, 21),
            peaks: (10.0, 17.5),
            storm: 0.15,
            holidays: 1.12,
            online_booking: 0.8,
            handle_secs: 335.0,
            queue: (Some(120), None),
            hang_up_share: 0.018,
        };
        let sailing_changes = Self {
            name: "Sailing changes",
            rules: Rules { patience_secs: Some(240.0), ..Rules::STARTING },
            daily: 1650.0,
            growth: 0.03,
            season: 0.2,
            weekdays: [1.0, 0.9, 0.9, 0.95, 1.25, 1.2, 0.95],
            peaks: (8.5, 16.5),
            storm: 2.4,
            holidays: 1.15,
            online_booking: 1.0,
            handle_secs: 262.0,
            queue: (None, Some(600)),
            hang_up_share: 0.042,
            ..bookings
        };
        let vehicles = Self {
            name: "Vehicles & freight",
            rules: Rules { within_secs: 30.0, patience_secs: Some(300.0), ..Rules::STARTING },
            daily: 900.0,
            growth: 0.04,
            season: 0.08,
            weekdays: OFFICE_WEEK,
            peaks: (9.5, 15.0),
            storm: 0.9,
            holidays: 0.95,
            online_booking: 0.95,
            handle_secs: 405.0,
            queue: (None, None),
            hang_up_share: 0.0,
            ..bookings
        };
        let assisted = Self {
            name: "Assisted travel",
            rules: Rules {
                service_level: 0.85,
                within_secs: 30.0,
                abandonment: Some(0.03),
                patience_secs: Some(360.0),
                ..Rules::STARTING
            },
            daily: 430.0,
            growth: 0.08,
            season: 0.25,
            weekdays: EVEN_WEEK,
            peaks: (10.5, 14.5),
            storm: 0.6,
            holidays: 1.1,
            online_booking: 1.0,
            handle_secs: 470.0,
            queue: (None, None),
            hang_up_share: 0.0,
            ..bookings
        };
        let groups = Self {
            name: "Groups",
            rules: Rules {
                service_level: 0.75,
                within_secs: 60.0,
                abandonment: Some(0.08),
                patience_secs: Some(300.0),
                ..Rules::STARTING
            },
            daily: 210.0,
            growth: 0.02,
            season: 0.3,
            weekdays: [1.25, 1.2, 1.15, 1.15, 1.1, 0.5, 0.0],
            hours: (8, 18),
            storm: 0.1,
            holidays: 0.8,
            online_booking: 0.9,
            handle_secs: 610.0,
            queue: (Some(20), Some(300)),
            hang_up_share: 0.0,
            ..bookings
        };
        let chat = Self {
            name: "Web chat",
            rules: Rules {
                service_level: 0.8,
                within_secs: 45.0,
                patience_secs: Some(200.0),
                concurrency: 2,
                ..Rules::STARTING
            },
            daily: 1500.0,
            growth: 0.16,
            season: 0.28,
            weekdays: EVEN_WEEK,
            peaks: (11.5, 19.0),
            storm: 1.1,
            holidays: 1.08,
            online_booking: 1.3,
            handle_secs: 560.0,
            queue: (Some(40), None),
            hang_up_share: 0.0,
            ..bookings
        };
        let email = Self {
            name: "E-mail",
            rules: Rules {
                service_level: 0.9,
                within_secs: 14_400.0,
                abandonment: None,
                occupancy: Some(0.9),
                patience_secs: None,
                model: Some(Model::Deadline),
                ..Rules::STARTING
            },
            daily: 950.0,
            growth: 0.05,
            season: 0.22,
            weekdays: [1.35, 1.1, 1.0, 1.0, 1.0, 0.85, 0.7],
            peaks: (9.0, 16.0),
            storm: 0.5,
            holidays: 1.05,
            online_booking: 0.85,
            handle_secs: 380.0,
            queue: (None, None),
            hang_up_share: 0.0,
            ..bookings
        };
        let mut all = [bookings, sailing_changes, vehicles, assisted, groups, chat, email];
        all.iter_mut().for_each(|each| each.rules.cost_per_hour = Some(COST_PER_HOUR));
        all
    }

    /// Contacts expected of the half-hour that starts at a local time, all events included; `None`
    /// where closed.
    pub fn expected_contacts(&self, at: DateTime) -> Option<f64> {
        let day = at.date();
        let weekday = self.weekdays[usize::try_from(day.weekday().to_monday_zero_offset()).ok()?];
        let open = (self.hours.0..self.hours.1).contains(&at.hour());
        if !open || weekday == 0.0 {
            return None;
        }
        Some(self.day_level(day) * weekday * self.share_of_day(hour_of(at)))
    }

    /// Mean handle time in seconds of the half-hour that starts at a local time: longer in the
    /// evening, when the small team does everything, and on storm days.
    pub fn handle_secs(&self, at: DateTime) -> f64 {
        let evening = if at.hour() >= 18 { 1.06 } else { 1.0 };
        self.handle_secs * evening * (1.0 + 0.08 * storm(at.date()))
    }

    /// Contacts and handle time of a half-hour as a planner would expect them who knows everything
    /// but storms; `None` where closed.
    pub(crate) fn planned_load(&self, at: DateTime) -> Option<IntervalLoad> {
        let calm = 1.0 + self.storm * storm(at.date());
        let contacts = self.expected_contacts(at)? / calm;
        Some(IntervalLoad { contacts, handle_secs: self.handle_secs(at) })
    }

    pub(crate) fn strategy(&self) -> Strategy {
        let mut strategy = Strategy::plain(self.name);
        if let Some(queue) = strategy.first_queue_mut() {
            (queue.places, queue.longest_wait_secs) = (self.queue.0, self.queue.1.map(f64::from));
        }
        let (at_once, slowing) = (self.rules.concurrency, self.rules.slowing);
        if at_once > 1 {
            for team in &mut strategy.teams {
                team.channels = vec![ChannelSkill { channel: Channel::Chat, at_once, slowing }];
            }
        }
        strategy
    }

    fn day_level(&self, day: Date) -> f64 {
        let online = if day >= ONLINE_BOOKING { self.online_booking } else { 1.0 };
        let holidays = if is_school_holiday(day) { self.holidays } else { 1.0 };
        self.daily
            * (self.growth * years_in(day)).exp()
            * season(day, self.season)
            * online
            * holidays
            * (1.0 + self.storm * storm(day))
    }

    /// Share of an average day that falls into the half-hour from `hour`.
    fn share_of_day(&self, hour: f64) -> f64 {
        let mut total = 0.0;
        let mut half_hour = f64::from(self.hours.0);
        while half_hour < f64::from(self.hours.1) {
            total += self.shape(half_hour);
            half_hour += 0.5;
        }
        self.shape(hour) / total
    }

    fn shape(&self, hour: f64) -> f64 {
        let bump = |peak: f64, width: f64| (-((hour + 0.25 - peak) / width).powi(2)).exp();
        0.22 + bump(self.peaks.0, 2.2) + 0.62 * bump(self.peaks.1, 2.0)
    }
}

fn hour_of(at: DateTime) -> f64 {
    f64::from(at.hour()) + f64::from(at.minute()) / 60.0
}
