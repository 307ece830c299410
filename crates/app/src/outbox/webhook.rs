//! Webhooks: a message as JSON, with a signature.

use std::time::Duration;

use barometer_store::Message;
use hmac::{Hmac, KeyInit, Mac};
use serde_json::json;
use sha2::Sha256;

use crate::tls::{self, innermost};

/// The longest that the other side may take.
const PATIENCE: Duration = Duration::from_secs(10);
/// The header with the signature: `sha256=` and the HMAC-SHA-256 of the body, in hexadecimal digits.
const SIGNATURE: &str = "barometer-signature";

/// Sends webhooks. Redirects are not followed: the signature is for the address that was named.
pub(super) struct Webhooks {
    http: Option<reqwest::Client>,
}

impl Webhooks {
    pub fn new() -> Self {
        tls::install();
        let client = reqwest::Client::builder()
            .timeout(PATIENCE)
            .redirect(reqwest::redirect::Policy::none())
            .build();
        Self { http: client.ok() }
    }

    /// Sends a message, or says why not.
    pub async fn send(&self, address: &str, message: &Message) -> Result<(), String> {
        let http = self.http.as_ref().ok_or("this machine cannot open connections")?;
        let body = body(message);
        let signature = signature(&message.key, body.as_bytes())?;
        let request = http
            .post(address)
            .header("content-type", "application/json")
            .header(SIGNATURE, signature)
            .body(body);
        let answer = request.send().await.map_err(|error| innermost(&error))?;
        let status = answer.status();
        if status.is_success() { Ok(()) } else { Err(format!("it answered {status}")) }
    }
}

/// What is sent; the id is the same at every attempt, so that the other side can tell repeats.
fn body(message: &Message) -> String {
    json!({
        "id": message.id,
        "subject": message.subject,
        "text": message.body,
        "event": message.event,
        "created_at": message.created_at.to_string(),
    })
    .to_string()
}

fn signature(key: &str, body: &[u8]) -> Result<String, String> {
    let mut mac =
        Hmac::<Sha256>::new_from_slice(key.as_bytes()).map_err(|error| error.to_string())?;
    mac.update(body);
    let digits: String =
        mac.finalize().into_bytes().iter().map(|byte| format!("{byte:02x}")).collect();
    Ok(format!("sha256={digits}"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_signature_is_the_published_one() {
        // RFC 4231, test case 2.
        assert_eq!(
            signature("Jefe", b"what do ya want for nothing?").as_deref(),
            Ok("sha256=5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843")
        );
    }
}
