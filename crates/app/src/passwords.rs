//! Passwords: argon2, off the request threads and only a few at a time: each takes 19 MB while it is hashed.

use std::time::Duration;

use argon2::Argon2;
use argon2::password_hash::rand_core::OsRng;
use argon2::password_hash::{PasswordHash, PasswordHasher, PasswordVerifier, SaltString};
use tokio::sync::Semaphore;

/// A password that argon2 does not take.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the password cannot be hashed: {0}")]
pub struct HashError(String);

/// Passwords that are hashed at the same time.
static HASHING: Semaphore = Semaphore::const_new(2);
/// How long a password waits for its turn.
const LONGEST_WAIT: Duration = Duration::from_secs(10);

/// So many passwords are being checked that this one did not get its turn.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("too many people are signing in at this moment; try again in a minute")]
pub struct Busy;

/// Lets a password be hashed on a thread of its own when it is its turn, which may take so long.
async fn in_turn<T: Send + 'static>(
    longest_wait: Duration,
    hash: impl FnOnce() -> T + Send + 'static,
) -> Result<T, Busy> {
    let turn = tokio::time::timeout(longest_wait, HASHING.acquire()).await;
    let Ok(Ok(turn)) = turn else { return Err(Busy) };
    // The turn ends with the hashing, also where nobody waits for it any more.
    let hashed = tokio::task::spawn_blocking(move || {
        let _turn = turn;
        hash()
    });
    match hashed.await {
        Ok(hashed) => Ok(hashed),
        Err(error) => std::panic::resume_unwind(error.into_panic()),
    }
}

/// As [`is_right`], when it is this password's turn.
///
/// # Errors
///
/// [`Busy`] where that does not come.
pub async fn check(password: String, hash: Option<String>) -> Result<bool, Busy> {
    in_turn(LONGEST_WAIT, move || is_right(&password, hash.as_deref())).await
}

/// As [`hash_password`], when it is this password's turn.
///
/// # Errors
///
/// [`Busy`] where that does not come.
pub async fn hash_in_turn(password: String) -> Result<Result<String, HashError>, Busy> {
    in_turn(LONGEST_WAIT, move || hash_password(&password)).await
}

/// The fewest characters of a password.
pub const LEAST_PASSWORD_CHARS: usize = 12;

/// The most characters of a password.
pub const MOST_PASSWORD_CHARS: usize = 200;

/// Characters of a password by which it is judged: a longer one is not weaker.
const JUDGED_CHARS: usize = 72;

/// Letters that must be left where what belongs to the person is taken out.
const LETTERS_BESIDES: usize = 6;

/// Shorter words of a name are not looked for.
const SHORTEST_OWN: usize = 3;

/// Letters of a password besides the words that belong to the person.
fn letters_besides(password: &str, own: &[&str]) -> usize {
    let mut rest = password.to_lowercase();
    for word in own.iter().filter(|word| word.chars().count() >= SHORTEST_OWN) {
        rest = rest.replace(&word.to_lowercase(), "");
    }
    rest.chars().filter(|letter| letter.is_alphabetic()).count()
}

/// Why a password cannot be taken: too short, or easily guessed by anybody who knows lists of common ones and what
/// belongs to the person (`own`: name, address, centre). `None` where it can.
pub fn fault(password: &str, own: &[&str]) -> Option<String> {
    if !(LEAST_PASSWORD_CHARS..=MOST_PASSWORD_CHARS).contains(&password.chars().count()) {
        return Some(format!("Use {LEAST_PASSWORD_CHARS} to {MOST_PASSWORD_CHARS} characters."));
    }
    let judged: String = password.chars().take(JUDGED_CHARS).collect();
    // As they stand, and word by word.
    let words = own.iter().flat_map(|each| each.split(|letter: char| !letter.is_alphanumeric()));
    let own: Vec<&str> = own.iter().copied().chain(words).filter(|word| !word.is_empty()).collect();
    // Three of four: a hundred million guesses and more. Of what belongs to the person something else must be left.
    let is_weak = zxcvbn::zxcvbn(&judged, &own).score() < zxcvbn::Score::Three
        || letters_besides(&judged, &own) < LETTERS_BESIDES;
    is_weak.then(|| {
        "This is easily guessed: a common password, a name, a row of keys or a repetition. Take several words that have \
         nothing to do with each other."
            .to_owned()
    })
}

/// Hashes a password with argon2id and a fresh salt, in PHC form.
///
/// # Errors
///
/// [`HashError`] only when the password is longer than argon2 takes.
pub fn hash_password(password: &str) -> Result<String, HashError> {
    let salt = SaltString::generate(&mut OsRng);
    Argon2::default()
        .hash_password(password.as_bytes(), &salt)
        .map(|hash| hash.to_string())
        .map_err(|error| HashError(error.to_string()))
}

/// Whether the password belongs to the hash. Without a hash it takes as long and says no, so that
/// an answer's time does not tell which addresses exist.
pub fn is_right(password: &str, hash: Option<&str>) -> bool {
    let Some(parsed) = hash.and_then(|hash| PasswordHash::new(hash).ok()) else {
        // The outcome does not matter, only the time it takes.
        drop(hash_password(password));
        return false;
    };
    Argon2::default().verify_password(password.as_bytes(), &parsed).is_ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn a_password_waits_for_its_turn_and_not_for_ever() {
        let both = HASHING.acquire_many(2).await.unwrap();
        let waited = in_turn(Duration::from_millis(1), || is_right("low tide at nine", None));
        assert_eq!(waited.await, Err(Busy));
        drop(both);
        assert_eq!(check("low tide at nine".to_owned(), None).await, Ok(false));
    }

    #[test]
    fn a_password_is_long_and_not_easily_guessed() {
        let own = ["Nell Quay", "nell.quay@example.org", "Larkhaven Ferries"];
        for easy in [
            "short",
            "password1234",
            "123456789012",
            "qwertyuiop[]",
            "aaaaaaaaaaaa",
            "abcabcabcabcabc",
            "nell.quay@example.org",
            "NellQuay2026",
            "LarkhavenFerries",
            &"z".repeat(201),
        ] {
            assert!(fault(easy, &own).is_some(), "{easy}");
        }
        for good in [
            "low tide at nine",
            "plan-the-tide",
            "mind-the-tide",
            "watch-the-tide",
            "the first tide",
        ] {
            assert_eq!(fault(good, &own), None, "{good}");
        }
        assert_eq!(fault("short", &own).unwrap(), "Use 12 to 200 characters.");
    }

    #[test]
    fn only_the_right_password_opens() {
        let hash = hash_password("low tide at nine").unwrap();
        assert!(is_right("low tide at nine", Some(&hash)));
        assert!(!is_right("low tide at ten", Some(&hash)));
        assert!(!is_right("low tide at nine", None));
        assert_ne!(hash, hash_password("low tide at nine").unwrap(), "salts differ");
    }
}
