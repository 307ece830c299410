//! The service level of the last half hour, by which a campaign gives way to inbound contacts.

use barometer_routing::Seconds;

const BUCKET_SECS: f64 = 300.0;
const BUCKETS: usize = 6;

/// Contacts answered, in time and in all, and abandoned, in the last half hour by five minutes.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct RecentLevel {
    buckets: [(u64, f64, f64); BUCKETS],
    /// The five minutes of the last contact, and the sums of the half hour that ends with them.
    last: (u64, f64, f64),
}

impl RecentLevel {
    pub fn note(&mut self, now: Seconds, is_in_time: bool) {
        let which = (now / BUCKET_SECS) as u64;
        let bucket = &mut self.buckets[which as usize % BUCKETS];
        if bucket.0 != which {
            *bucket = (which, 0.0, 0.0);
        }
        bucket.1 += f64::from(u8::from(is_in_time));
        bucket.2 += 1.0;
        if self.last.0 == which {
            self.last.1 += f64::from(u8::from(is_in_time));
            self.last.2 += 1.0;
        } else {
            let (in_time, all) = self.sums(which);
            self.last = (which, in_time, all);
        }
    }

    /// The level; `None` where there was no contact.
    pub fn now(&self, now: Seconds) -> Option<f64> {
        let since = (now / BUCKET_SECS) as u64;
        let (in_time, all) = match self.last {
            (which, in_time, all) if which == since => (in_time, all),
            _ => self.sums(since),
        };
        (all > 0.0).then(|| in_time / all)
    }

    /// Contacts in time and in all of the half hour that ends with these five minutes.
    fn sums(&self, since: u64) -> (f64, f64) {
        let recent = self.buckets.iter().filter(|bucket| bucket.0 + BUCKETS as u64 > since);
        recent.fold((0.0, 0.0), |sum, bucket| (sum.0 + bucket.1, sum.1 + bucket.2))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_level_is_that_of_the_last_half_hour() {
        let mut level = RecentLevel::default();
        assert_eq!(level.now(0.0), None);
        level.note(10.0, true);
        level.note(20.0, false);
        assert_eq!(level.now(100.0), Some(0.5));
        level.note(1900.0, true);
        assert_eq!(level.now(1900.0), Some(1.0), "what was half an hour ago does not count");
        assert_eq!(level.now(9000.0), None);
    }

    #[test]
    fn sums_that_are_kept_are_those_of_the_contacts_one_by_one() {
        let mut level = RecentLevel::default();
        let mut noted: Vec<(f64, bool)> = Vec::new();
        for nth in 0..600_u32 {
            // Contacts come in bursts with pauses of up to an hour between.
            let step = if nth % 40 == 39 { f64::from(nth % 7) * 600.0 } else { 13.0 };
            let now = noted.last().map_or(0.0, |last| last.0) + step;
            let is_in_time = nth % 3 != 0;
            level.note(now, is_in_time);
            noted.push((now, is_in_time));
            for asked in [now, now + 200.0, now + 2000.0] {
                let first = ((asked / BUCKET_SECS) as u64).saturating_sub(BUCKETS as u64 - 1);
                let recent = noted.iter().filter(|(at, _)| (at / BUCKET_SECS) as u64 >= first);
                let (mut in_time, mut all) = (0.0, 0.0);
                for (_, is_in_time) in recent {
                    in_time += f64::from(u8::from(*is_in_time));
                    all += 1.0;
                }
                assert_eq!(level.now(asked), (all > 0.0).then(|| in_time / all), "{asked}");
            }
        }
    }
}
