//! What all connections to other machines share.

use std::sync::Once;

/// Lets this process open encrypted connections: TLS has one provider in a process.
pub(crate) fn install() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        // Another library may have installed one: then that one is used.
        let _ = rustls::crypto::ring::default_provider().install_default();
    });
}

/// The cause that says most: the outer ones only say that a request failed.
pub(crate) fn innermost(error: &dyn std::error::Error) -> String {
    let mut cause = error;
    while let Some(source) = cause.source() {
        cause = source;
    }
    cause.to_string()
}
