//! Failed attempts to sign in, by account and by address: after too many, both have to wait.

use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Failures within this time count.
const WINDOW: Duration = Duration::from_secs(15 * 60);
/// Failures of one account from one address after which both have to wait.
const MOST_FOR_BOTH: usize = 5;
/// Failures of one account from anywhere.
const MOST_FOR_ACCOUNT: usize = 20;
/// Failures from one address, whatever the account: a whole office may share it.
const MOST_FROM_ADDRESS: usize = 60;
/// Accounts and addresses that are remembered; those that failed longest ago are forgotten first.
const MOST_REMEMBERED: usize = 10_000;

/// Who tries, as far as is counted.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
enum Who {
    Both(String, Option<IpAddr>),
    Account(String),
    Address(Option<IpAddr>),
}

impl Who {
    const fn most(&self) -> usize {
        match self {
            Self::Both(..) => MOST_FOR_BOTH,
            Self::Account(_) => MOST_FOR_ACCOUNT,
            Self::Address(_) => MOST_FROM_ADDRESS,
        }
    }
}

/// The failures of the last quarter of an hour.
#[derive(Debug, Default)]
pub struct Attempts {
    failed: Mutex<HashMap<Who, Vec<Instant>>>,
}

impl Attempts {
    /// How long an account has to wait at an address before it may try again; `None` where it may now.
    pub fn wait(&self, now: Instant, account: &str, address: Option<IpAddr>) -> Option<Duration> {
        let failed = self.failed.lock().unwrap_or_else(PoisonError::into_inner);
        let wait = |who: Who| {
            let recent = failed.get(&who)?.iter().filter(|&&at| now - at < WINDOW);
            // The oldest of as many failures as are allowed must be over.
            let blocking = *recent.rev().nth(who.most() - 1)?;
            Some(WINDOW - (now - blocking))
        };
        all(account, address).into_iter().filter_map(wait).max()
    }

    /// Notes a failure.
    pub fn failed(&self, now: Instant, account: &str, address: Option<IpAddr>) {
        let mut failed = self.failed.lock().unwrap_or_else(PoisonError::into_inner);
        if failed.len() >= MOST_REMEMBERED {
            failed.retain(|_, times| times.last().is_some_and(|&last| now - last < WINDOW));
        }
        if failed.len() >= MOST_REMEMBERED {
            let mut last: Vec<Instant> =
                failed.values().filter_map(|times| times.last().copied()).collect();
            last.sort();
            let middle = last[last.len() / 2];
            failed.retain(|_, times| times.last().is_some_and(|&last| last > middle));
        }
        for who in all(account, address) {
            let times = failed.entry(who).or_default();
            times.retain(|&at| now - at < WINDOW);
            times.push(now);
        }
    }

    /// Forgets the failures of an account at an address: it has signed in.
    pub fn succeeded(&self, account: &str, address: Option<IpAddr>) {
        let [both, ..] = all(account, address);
        self.failed.lock().unwrap_or_else(PoisonError::into_inner).remove(&both);
    }
}

fn all(account: &str, address: Option<IpAddr>) -> [Who; 3] {
    let account = account.trim().to_lowercase();
    [Who::Both(account.clone(), address), Who::Account(account), Who::Address(address)]
}

#[cfg(test)]
mod tests {
    use super::*;

    const HERE: Option<IpAddr> = Some(IpAddr::V4(std::net::Ipv4Addr::new(192, 0, 2, 1)));
    const THERE: Option<IpAddr> = Some(IpAddr::V4(std::net::Ipv4Addr::new(192, 0, 2, 2)));

    fn fail(attempts: &Attempts, times: usize, now: Instant, account: &str, from: Option<IpAddr>) {
        (0..times).for_each(|_| attempts.failed(now, account, from));
    }

    #[test]
    fn who_guesses_waits_and_others_do_not() {
        let (attempts, start) = (Attempts::default(), Instant::now());
        let at = |secs| start + Duration::from_secs(secs);
        fail(&attempts, 4, start, "ada@example.org", HERE);
        assert_eq!(attempts.wait(at(1), "ada@example.org", HERE), None);
        fail(&attempts, 1, at(60), " Ada@Example.org ", HERE);
        // The fifth failure: until the first is a quarter of an hour ago.
        assert_eq!(attempts.wait(at(60), "ADA@example.org", HERE), Some(Duration::from_secs(840)));
        assert_eq!(attempts.wait(at(60), "ada@example.org", THERE), None, "she is elsewhere");
        assert_eq!(attempts.wait(at(60), "ben@example.org", HERE), None);
        assert_eq!(attempts.wait(at(901), "ada@example.org", HERE), None);
        fail(&attempts, 5, at(1000), "ada@example.org", HERE);
        attempts.succeeded("ada@example.org", HERE);
        assert_eq!(attempts.wait(at(1000), "ada@example.org", HERE), None);
    }

    #[test]
    fn an_account_is_not_guessed_from_many_addresses_nor_many_from_one() {
        let (attempts, now) = (Attempts::default(), Instant::now());
        for last in 0..20 {
            let from = Some(IpAddr::from([198, 51, 100, last]));
            assert_eq!(attempts.wait(now, "ada@example.org", from), None, "{last}");
            attempts.failed(now, "ada@example.org", from);
        }
        assert!(attempts.wait(now, "ada@example.org", HERE).is_some());
        for nth in 0..60 {
            let account = format!("{nth}@example.org");
            assert_eq!(attempts.wait(now, &account, THERE), None, "{nth}");
            attempts.failed(now, &account, THERE);
        }
        assert!(attempts.wait(now, "new@example.org", THERE).is_some());
        assert_eq!(attempts.wait(now, "new@example.org", HERE), None);
    }

    #[test]
    fn what_is_remembered_is_bounded_and_the_newest_stay() {
        let (attempts, start) = (Attempts::default(), Instant::now());
        for nth in 0..30_000_u64 {
            attempts.failed(
                start + Duration::from_millis(nth),
                &format!("{nth}@example.org"),
                HERE,
            );
        }
        assert!(attempts.failed.lock().unwrap().len() <= MOST_REMEMBERED + 3);
        let now = start + Duration::from_secs(30);
        assert!(attempts.wait(now, "another@example.org", HERE).is_some());
    }
}
