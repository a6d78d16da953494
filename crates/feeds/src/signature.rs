//! Signatures as Standard Webhooks makes them: `v1,` and the base64 of an HMAC-SHA256 over
//! `id.timestamp.body`, with a secret written as `whsec_` and base64.

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use hmac::{Hmac, Mac};
use sha2::Sha256;
use tally_core::time::Instant;

/// How far the sender's clock may be off, or its delivery late, in seconds.
pub const TOLERANCE_SECONDS: u64 = 300;

/// What a request says about itself. Absent headers are empty.
#[derive(Debug, Clone, Copy, Default)]
pub struct Signed<'a> {
    /// `webhook-id`.
    pub id: &'a str,
    /// `webhook-timestamp`: seconds of Unix time.
    pub timestamp: &'a str,
    /// `webhook-signature`: one or more signatures separated by blanks.
    pub signature: &'a str,
}

/// Why a signature was refused.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum SignatureError {
    /// A header is missing or not well-formed.
    #[error("send the headers webhook-id, webhook-timestamp (seconds of Unix time) and webhook-signature")]
    Missing,
    /// Signed too long ago, or in the future.
    #[error("the timestamp is more than five minutes off; sign anew for every try, and check your clock")]
    Stale,
    /// None of the signatures fits.
    #[error("the signature does not fit; sign id.timestamp.body with this feed's secret")]
    Wrong,
}

/// The key inside a secret.
fn key(secret: &str) -> Option<Vec<u8>> {
    BASE64_STANDARD.decode(secret.strip_prefix("whsec_")?).ok().filter(|key| !key.is_empty())
}

fn mac(secret: &str, id: &str, timestamp: &str, body: &[u8]) -> Option<Hmac<Sha256>> {
    let mut mac = Hmac::<Sha256>::new_from_slice(&key(secret)?).ok()?;
    for part in [id.as_bytes(), b".", timestamp.as_bytes(), b".", body] {
        mac.update(part);
    }
    Some(mac)
}

/// The value of `webhook-signature` for a delivery; none if the secret is not well-formed.
#[must_use]
pub fn sign(secret: &str, id: &str, timestamp: i64, body: &[u8]) -> Option<String> {
    let mac = mac(secret, id, &timestamp.to_string(), body)?;
    Some(format!("v1,{}", BASE64_STANDARD.encode(mac.finalize().into_bytes())))
}

/// Checks a delivery against the secrets in force. Comparison takes the same time wherever it fails.
///
/// # Errors
/// See [`SignatureError`].
pub fn verify(secrets: &[&str], signed: Signed<'_>, body: &[u8], now: Instant) -> Result<(), SignatureError> {
    let digits = !signed.timestamp.is_empty() && signed.timestamp.bytes().all(|b| b.is_ascii_digit());
    if signed.id.is_empty() || signed.signature.is_empty() || !digits {
        return Err(SignatureError::Missing);
    }
    let sent: i64 = signed.timestamp.parse().map_err(|_| SignatureError::Stale)?;
    if sent.abs_diff(now.timestamp()) > TOLERANCE_SECONDS {
        return Err(SignatureError::Stale);
    }
    let claims: Vec<Vec<u8>> = signed
        .signature
        .split_ascii_whitespace()
        .filter_map(|claim| BASE64_STANDARD.decode(claim.strip_prefix("v1,")?).ok())
        .collect();
    let fits = |secret: &&str| {
        let Some(mac) = mac(secret, signed.id, signed.timestamp, body) else { return false };
        claims.iter().any(|claim| mac.clone().verify_slice(claim).is_ok())
    };
    if secrets.iter().any(fits) { Ok(()) } else { Err(SignatureError::Wrong) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const SECRET: &str = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw";
    const OTHER: &str = "whsec_AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA";

    fn now() -> Instant {
        Instant::from_timestamp(1_614_265_330, 0).unwrap()
    }

    #[test]
    fn the_published_example_fits() {
        // The example of the Standard Webhooks reference libraries.
        let body = br#"{"test": 2432232314}"#;
        let signature = "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=";
        let id = "msg_p5jXN8AQM9LWM0D4loKWxJek";
        assert_eq!(sign(SECRET, id, 1_614_265_330, body).as_deref(), Some(signature));
        let signed = Signed { id, timestamp: "1614265330", signature };
        assert_eq!(verify(&[SECRET], signed, body, now()), Ok(()));
        assert_eq!(verify(&[OTHER, SECRET], signed, body, now()), Ok(()));
        assert_eq!(verify(&[OTHER], signed, body, now()), Err(SignatureError::Wrong));
        let two = format!("v1,AAAA {signature} v2,x");
        assert_eq!(verify(&[SECRET], Signed { signature: &two, ..signed }, body, now()), Ok(()));
    }

    #[test]
    fn anything_amiss_is_refused() {
        let body = b"{}";
        let signature = sign(SECRET, "a", 1_614_265_330, body).unwrap();
        let good = Signed { id: "a", timestamp: "1614265330", signature: &signature };
        let check =
            |signed, body: &[u8], seconds| verify(&[SECRET], signed, body, now() + chrono::TimeDelta::seconds(seconds));
        assert_eq!(check(good, body, 300), Ok(()));
        assert_eq!(check(good, body, -300), Ok(()));
        assert_eq!(check(good, body, 301), Err(SignatureError::Stale));
        assert_eq!(check(good, body, -301), Err(SignatureError::Stale));
        assert_eq!(check(good, b"{ }", 0), Err(SignatureError::Wrong));
        assert_eq!(check(Signed { id: "b", ..good }, body, 0), Err(SignatureError::Wrong));
        assert_eq!(check(Signed { id: "", ..good }, body, 0), Err(SignatureError::Missing));
        assert_eq!(check(Signed { timestamp: "soon", ..good }, body, 0), Err(SignatureError::Missing));
        assert_eq!(check(Signed { timestamp: &"9".repeat(40), ..good }, body, 0), Err(SignatureError::Stale));
        assert_eq!(verify(&["no secret"], good, body, now()), Err(SignatureError::Wrong));
        assert_eq!(verify(&["whsec_"], good, body, now()), Err(SignatureError::Wrong));
    }

    proptest! {
        #[test]
        fn what_is_signed_fits_and_a_changed_byte_does_not(
            body in prop::collection::vec(any::<u8>(), 1..200), at in 0_usize..200, id in "[a-z]{1,20}",
        ) {
            let signature = sign(SECRET, &id, now().timestamp(), &body).unwrap();
            let timestamp = now().timestamp().to_string();
            let signed = Signed { id: &id, timestamp: &timestamp, signature: &signature };
            prop_assert_eq!(verify(&[SECRET], signed, &body, now()), Ok(()));
            let mut changed = body;
            let at = at % changed.len();
            changed[at] ^= 1;
            prop_assert_eq!(verify(&[SECRET], signed, &changed, now()), Err(SignatureError::Wrong));
        }

        #[test]
        fn no_header_makes_it_panic(id in ".*", timestamp in ".*", signature in ".*") {
            let signed = Signed { id: &id, timestamp: &timestamp, signature: &signature };
            prop_assert!(verify(&[SECRET], signed, b"", now()).is_err());
        }
    }
}
