//! What past calls say of the calls to come: shares by the hour and zone, times, and how sure that is.

use std::collections::BTreeMap;

use barometer_strategy::csv_rows::{self, place_of};
use barometer_strategy::{Assumed, Duration, ZoneAnswers};
use csv::StringRecord;
use jiff::tz::TimeZone;

use crate::carrier::Answer;
use crate::zone_records::{self, ZoneCalls, ZoneEstimate};

/// The least that hours are taken to differ from each other, as a correlation within an hour.
const LEAST_CORRELATION: f64 = 1e-3;
/// Deviations of a normal on both sides of 95 %.
const SURE: f64 = 1.959_963_985;

/// Past calls, counted.
#[derive(Clone, Debug, Default)]
pub struct CallRecords {
    /// Calls and answers by people, by the hour.
    hours: [(f64, f64); 24],
    machines: f64,
    busy: f64,
    unusable: f64,
    congested: f64,
    ring: Times,
    machine_ring: Times,
    talk: Times,
    wrap_up: Times,
    zones: BTreeMap<String, ZoneCalls>,
}

/// Seconds, counted.
#[derive(Clone, Copy, Debug, Default)]
struct Times {
    count: f64,
    sum: f64,
    squares: f64,
}

impl Times {
    fn note(&mut self, secs: f64) {
        self.count += 1.0;
        self.sum += secs;
        self.squares += secs * secs;
    }

    /// A log-normal with the mean and the spread of what was seen; `before` where that is too little.
    fn fitted(&self, before: &Duration) -> Duration {
        if self.count < 2.0 || self.sum <= 0.0 {
            return before.clone();
        }
        let mean = self.sum / self.count;
        let variance = (self.squares / self.count - mean * mean).max(0.0);
        Duration::LogNormal {
            mean_secs: mean,
            variation: (variance.sqrt() / mean).clamp(0.01, 20.0),
        }
    }
}

/// What one past call was.
#[derive(Clone, Debug, PartialEq)]
pub struct CallRecord {
    /// The hour at which it was dialled, 0 to 23, by the clock of the person who was called.
    pub hour: usize,
    /// IANA time zone of the person who was called, where that is known.
    pub zone: Option<String>,
    /// Who or what answered.
    pub answer: Answer,
    /// Seconds until it was answered, where that is known.
    pub ring_secs: Option<f64>,
    /// Seconds of talk with a person, where that is known.
    pub talk_secs: Option<f64>,
    /// Seconds of wrap-up, where that is known.
    pub wrap_up_secs: Option<f64>,
}

/// What past calls make of an assumption.
#[derive(Clone, Debug, PartialEq)]
pub struct Estimated {
    /// The assumption with everything that the records say.
    pub assumed: Assumed,
    /// Hour by hour.
    pub hours: Vec<HourEstimate>,
    /// Zone by zone, those with most calls first; none where the records name fewer than two.
    pub zones: Vec<ZoneEstimate>,
    /// Calls in all.
    pub calls: f64,
}

/// The share of calls in an hour that a person answers.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct HourEstimate {
    /// The hour, 0 to 23.
    pub hour: usize,
    /// Calls in it.
    pub calls: f64,
    /// The share that is assumed from now on: drawn towards that of all hours where calls are few.
    pub share: f64,
    /// Between these the share lies in 95 of 100 cases, by what was counted (Wilson 1927).
    pub between: (f64, f64),
}

impl CallRecords {
    /// Counts a call.
    pub fn add(&mut self, call: &CallRecord) {
        let hour = call.hour.min(23);
        let (calls, people) = &mut self.hours[hour];
        *calls += 1.0;
        if let Some(zone) = &call.zone {
            let of_zone = match self.zones.get_mut(zone) {
                Some(known) => known,
                None => self.zones.entry(zone.clone()).or_default(),
            };
            of_zone.hours[hour] += 1.0;
            of_zone.people += f64::from(u8::from(call.answer == Answer::Person));
        }
        match call.answer {
            Answer::Person => {
                *people += 1.0;
                call.ring_secs.into_iter().for_each(|secs| self.ring.note(secs));
                call.talk_secs.into_iter().for_each(|secs| self.talk.note(secs));
                call.wrap_up_secs.into_iter().for_each(|secs| self.wrap_up.note(secs));
            }
            Answer::Machine => {
                self.machines += 1.0;
                call.ring_secs.into_iter().for_each(|secs| self.machine_ring.note(secs));
            }
            Answer::Busy => self.busy += 1.0,
            Answer::Unusable => self.unusable += 1.0,
            Answer::Congested => self.congested += 1.0,
            Answer::Nobody => {}
        }
    }

    /// The records of a CSV file with the columns `dialled_at` and `outcome`, and where they are there
    /// `zone`, `ring_secs`, `talk_secs` and `wrap_up_secs`.
    ///
    /// # Errors
    ///
    /// What is wrong, row by row: the first few.
    pub fn from_csv(text: &str) -> Result<Self, Vec<String>> {
        let mut records = Self::default();
        csv_rows::read_rows(text, Columns::of, |columns, row| {
            records.add(&columns.call(row)?);
            Ok(())
        })?;
        if records.calls() == 0.0 {
            return Err(vec!["There is no call in the file.".to_owned()]);
        }
        Ok(records)
    }

    /// Calls in all.
    pub fn calls(&self) -> f64 {
        self.hours.iter().map(|(calls, _)| calls).sum()
    }

    /// Calls by which an hour's share is drawn towards that of all hours: an hour with as many calls of its own
    /// lies in the middle. The more the hours differ beyond chance, the fewer (a beta prior by moments,
    /// Kleinman 1973).
    fn prior_calls(&self, overall: f64) -> f64 {
        let spread = overall * (1.0 - overall);
        let seen = self.hours.iter().filter(|(calls, _)| *calls > 0.0);
        let (mut hours, mut all, mut squares, mut apart) = (0.0, 0.0, 0.0, 0.0);
        for (calls, people) in seen {
            hours += 1.0;
            all += calls;
            squares += calls * calls;
            apart += calls * (people / calls - overall).powi(2);
        }
        let by_chance = hours - 1.0;
        let room = all - squares / all.max(1.0) - by_chance;
        let correlation =
            if spread > 0.0 && room > 0.0 { (apart / spread - by_chance) / room } else { 0.0 };
        let correlation = correlation.clamp(LEAST_CORRELATION, 1.0);
        (1.0 - correlation) / correlation
    }

    /// What the records make of an assumption. Times that are not in them stay.
    pub fn estimate(&self, before: &Assumed) -> Estimated {
        let calls = self.calls().max(1.0);
        let overall = self.hours.iter().map(|(_, people)| people).sum::<f64>() / calls;
        let prior = self.prior_calls(overall);
        let hours = self.hours.iter().enumerate().map(|(hour, &(calls, people))| HourEstimate {
            hour,
            calls,
            share: if calls > 0.0 { (people + prior * overall) / (calls + prior) } else { overall },
            between: share_between(people, calls),
        });
        let hours: Vec<HourEstimate> = hours.collect();
        let others = (self.machines + self.busy + self.unusable + self.congested) / calls;
        // What an hour's share leaves is what the rest may be.
        let room = hours.iter().map(|hour| hour.share).fold(0.0, f64::max);
        let fits = if others > 0.0 { ((1.0 - room) / others).min(1.0) } else { 1.0 };
        let share = |count: f64| fits * count / calls;
        let most = if room > 0.0 { (1.0 - fits * others) / room } else { 1.0 };
        let zones = zone_records::estimate(&self.zones, &hours, most.max(1.0));
        let assumed = Assumed {
            answered_share: hours.iter().map(|hour| hour.share).collect(),
            zones: if self.zones.is_empty() {
                before.zones.clone()
            } else {
                zones.iter().map(ZoneAnswers::from).collect()
            },
            worn_numbers: before.worn_numbers,
            machine_share: share(self.machines),
            busy_share: share(self.busy),
            unusable_share: share(self.unusable),
            congested_share: share(self.congested),
            ring: self.ring.fitted(&before.ring),
            machine_ring: self.machine_ring.fitted(&before.machine_ring),
            unanswered_ring: before.unanswered_ring.clone(),
            talk: self.talk.fitted(&before.talk),
            wrap_up: self.wrap_up.fitted(&before.wrap_up),
        };
        Estimated { assumed, hours, zones, calls: self.calls() }
    }
}

/// The 95 % interval of a share that was counted (Wilson 1927): right for few counts and for shares near 0 and 1.
pub fn share_between(count: f64, of: f64) -> (f64, f64) {
    if of <= 0.0 {
        return (0.0, 1.0);
    }
    let (share, squared) = (count / of, SURE * SURE);
    let middle = share + squared / (2.0 * of);
    let half = SURE * (share * (1.0 - share) / of + squared / (4.0 * of * of)).sqrt();
    let scale = 1.0 + squared / of;
    (((middle - half) / scale).max(0.0), ((middle + half) / scale).min(1.0))
}

/// Where the columns of a file stand.
struct Columns {
    dialled_at: usize,
    outcome: usize,
    zone: Option<usize>,
    ring: Option<usize>,
    talk: Option<usize>,
    wrap_up: Option<usize>,
}

impl Columns {
    fn of(heading: &StringRecord) -> Result<Self, String> {
        let place = |name: &str| place_of(heading, &[name]);
        let (Some(dialled_at), Some(outcome)) = (place("dialled_at"), place("outcome")) else {
            return Err(
                "The first row must name the columns dialled_at and outcome; zone, ring_secs, \
                        talk_secs and wrap_up_secs may stand beside them."
                    .to_owned(),
            );
        };
        Ok(Self {
            dialled_at,
            outcome,
            zone: place("zone"),
            ring: place("ring_secs"),
            talk: place("talk_secs"),
            wrap_up: place("wrap_up_secs"),
        })
    }

    fn call(&self, row: &StringRecord) -> Result<CallRecord, String> {
        let cell = |at: Option<usize>| at.and_then(|at| row.get(at)).unwrap_or_default();
        let moment = csv_rows::moment("dialled_at", cell(Some(self.dialled_at)))?;
        let answer = answer_of(cell(Some(self.outcome)))?;
        let zone = Some(cell(self.zone)).filter(|zone| !zone.is_empty());
        if let Some(zone) = zone
            && TimeZone::get(zone).is_err()
        {
            return Err(format!("zone: “{zone}” is no time zone; write it as Europe/Dublin"));
        }
        Ok(CallRecord {
            zone: zone.map(str::to_owned),
            hour: usize::from(moment.hour().unsigned_abs()),
            answer,
            ring_secs: csv_rows::secs("ring_secs", cell(self.ring))?,
            talk_secs: csv_rows::secs("talk_secs", cell(self.talk))?,
            wrap_up_secs: csv_rows::secs("wrap_up_secs", cell(self.wrap_up))?,
        })
    }
}

fn answer_of(text: &str) -> Result<Answer, String> {
    Ok(match text.to_ascii_lowercase().replace(['-', '_'], " ").as_str() {
        "person" | "answered" | "abandoned" => Answer::Person,
        "machine" | "answering machine" | "voicemail" => Answer::Machine,
        "busy" => Answer::Busy,
        "no answer" | "nobody" => Answer::Nobody,
        "unusable" | "invalid" | "no such number" => Answer::Unusable,
        "congested" | "congestion" | "failed" => Answer::Congested,
        _ => {
            return Err(format!(
                "outcome: “{text}” is none of person, machine, busy, no answer, unusable, congested"
            ));
        }
    })
}
