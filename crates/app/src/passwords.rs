//! Passwords: argon2, off the request threads.

use argon2::Argon2;
use argon2::password_hash::rand_core::OsRng;
use argon2::password_hash::{PasswordHash, PasswordHasher, PasswordVerifier, SaltString};

/// A password that argon2 does not take.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the password cannot be hashed: {0}")]
pub struct HashError(String);

/// The fewest characters of a password.
pub const LEAST_PASSWORD_CHARS: usize = 10;

/// Whether a password is long enough to be worth hashing.
pub fn is_long_enough(password: &str) -> bool {
    password.chars().count() >= LEAST_PASSWORD_CHARS
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

    #[test]
    fn only_the_right_password_opens() {
        let hash = hash_password("low tide at nine").unwrap();
        assert!(is_right("low tide at nine", Some(&hash)));
        assert!(!is_right("low tide at ten", Some(&hash)));
        assert!(!is_right("low tide at nine", None));
        assert_ne!(hash, hash_password("low tide at nine").unwrap(), "salts differ");
    }
}
