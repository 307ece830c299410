//! Codes of an authenticator: time-based one-time passwords (RFC 6238), six digits every thirty seconds.

use argon2::password_hash::rand_core::{OsRng, RngCore};
use jiff::Timestamp;
use qrcode::QrCode;
use qrcode::render::svg::Color;
use totp_rs::{Algorithm, TOTP};

/// Bytes of a secret: as long as the hash (RFC 4226, 4).
const SECRET_BYTES: usize = 20;
const DIGITS: usize = 6;
const STEP_SECS: u64 = 30;

/// Steps before and after this one whose codes are taken too: clocks differ.
const STEPS_OFF: i64 = 1;

/// The side of the picture in pixels.
const PICTURE_SIDE: u32 = 220;

/// Why an authenticator cannot be set up.
#[derive(Debug, thiserror::Error)]
#[error("the authenticator cannot be set up: {0}")]
pub struct SetUpError(String);

/// A secret that an authenticator and the server share.
#[derive(Clone, PartialEq, Eq)]
pub struct Secret(pub Vec<u8>);

impl std::fmt::Debug for Secret {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Secret(..)")
    }
}

impl Secret {
    /// A new one.
    pub fn new() -> Self {
        let mut bytes = vec![0; SECRET_BYTES];
        OsRng.fill_bytes(&mut bytes);
        Self(bytes)
    }

    /// The secret as people type it into an authenticator.
    ///
    /// # Errors
    ///
    /// [`SetUpError`] where it is too short.
    pub fn typed(&self) -> Result<String, SetUpError> {
        Ok(self.totp("", "")?.get_secret_base32())
    }

    /// The picture from which an authenticator reads it, as SVG: for the account of a person in a centre.
    ///
    /// # Errors
    ///
    /// [`SetUpError`] where the names are too long for a picture.
    pub fn picture(&self, centre: &str, account: &str) -> Result<String, SetUpError> {
        // A colon parts the two in the picture's address.
        let plain = |name: &str| name.replace(':', " ");
        let address = self.totp(&plain(centre), &plain(account))?.get_url();
        let code = QrCode::new(address).map_err(|error| SetUpError(error.to_string()))?;
        // Dark on light in either theme, or phones do not read it.
        let picture = code
            .render::<Color<'_>>()
            .min_dimensions(PICTURE_SIDE, PICTURE_SIDE)
            .dark_color(Color("#000"))
            .light_color(Color("#fff"))
            .build();
        // Without the declaration, which has no place within a page.
        Ok(picture.split_once("?>").map_or(picture.clone(), |(_, svg)| svg.to_owned()))
    }

    /// The step of time whose code this is, if it is later than the one that was used last.
    pub fn step_of(&self, code: &str, now: Timestamp, last_used: i64) -> Option<i64> {
        let totp = self.totp("", "").ok()?;
        let code: String = code.chars().filter(|each| !each.is_whitespace()).collect();
        let this = now.as_second() / STEP_SECS as i64;
        (this - STEPS_OFF..=this + STEPS_OFF).find(|step| {
            let at = u64::try_from(*step).unwrap_or_default() * STEP_SECS;
            *step > last_used && totp.generate(at) == code
        })
    }

    fn totp(&self, centre: &str, account: &str) -> Result<TOTP, SetUpError> {
        let issuer = (!centre.is_empty()).then(|| format!("Barometer {centre}"));
        let (algorithm, skew) = (Algorithm::SHA1, 0);
        TOTP::new(algorithm, DIGITS, skew, STEP_SECS, self.0.clone(), issuer, account.to_owned())
            .map_err(|error| SetUpError(error.to_string()))
    }
}

impl Default for Secret {
    fn default() -> Self {
        Self::new()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(second: i64) -> Timestamp {
        Timestamp::from_second(second).unwrap()
    }

    /// RFC 6238, appendix B, in the last six of its eight digits.
    #[test]
    fn codes_are_those_of_the_standard() {
        let secret = Secret(b"12345678901234567890".to_vec());
        for (second, code) in [
            (59, "287082"),
            (1_111_111_109, "081804"),
            (1_234_567_890, "005924"),
            (2_000_000_000, "279037"),
        ] {
            assert_eq!(secret.step_of(code, at(second), 0), Some(second / 30), "{second}");
        }
    }

    #[test]
    fn a_code_opens_once_and_not_much_later() {
        let secret = Secret(b"12345678901234567890".to_vec());
        let step = 1_111_111_109 / 30;
        assert_eq!(
            secret.step_of("081 804", at(1_111_111_109 + 30), 0),
            Some(step),
            "clocks differ"
        );
        assert_eq!(secret.step_of("081804", at(1_111_111_109 + 75), 0), None, "it is over");
        assert_eq!(secret.step_of("081804", at(1_111_111_109), step), None, "it was used");
        assert_eq!(secret.step_of("", at(1_111_111_109), 0), None);
        assert_ne!(Secret::new(), Secret::new());
    }

    #[test]
    fn a_picture_stands_within_a_page() {
        let picture = Secret::new().picture("Harbour: north", "nell@example.org").unwrap();
        assert!(picture.trim_start().starts_with("<svg"), "{picture}");
        assert_eq!(Secret::new().typed().unwrap().len(), 32);
    }
}
