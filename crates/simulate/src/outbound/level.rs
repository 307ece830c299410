//! The service level of the last half hour, by which a campaign gives way to inbound contacts.

use barometer_routing::Seconds;

const BUCKET_SECS: f64 = 300.0;
const BUCKETS: usize = 6;

/// Contacts answered, in time and in all, and abandoned, in the last half hour by five minutes.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct RecentLevel {
    buckets: [(u64, f64, f64); BUCKETS],
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
    }

    /// The level; `None` where there was no contact.
    pub fn now(&self, now: Seconds) -> Option<f64> {
        let since = (now / BUCKET_SECS) as u64;
        let recent = self.buckets.iter().filter(|bucket| bucket.0 + BUCKETS as u64 > since);
        let (in_time, all) =
            recent.fold((0.0, 0.0), |sum, bucket| (sum.0 + bucket.1, sum.1 + bucket.2));
        (all > 0.0).then(|| in_time / all)
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
}
