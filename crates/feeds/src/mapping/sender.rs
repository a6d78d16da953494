//! Whether a delivery to a webhook of any shape comes from who may send.

use super::document::Request;
use crate::signature::{self, Signed};
use base64::Engine;
use base64::prelude::{BASE64_STANDARD, BASE64_STANDARD_NO_PAD, BASE64_URL_SAFE, BASE64_URL_SAFE_NO_PAD};
use hmac::Mac;
use serde_json::Value;
use subtle::ConstantTimeEq;
use tally_core::time::Instant;
use tally_store::mapping::{Digest, Encoding, Hmac, Sender, Stamp, TokenPlace};

fn same(one: &[u8], other: &[u8]) -> bool {
    one.ct_eq(other).into()
}

/// Checks a delivery. `document` is what it says, as far as that could be read; `secrets` are the feed's own.
///
/// # Errors
/// What was expected, without any secret; a sentence.
pub fn check(
    sender: &Sender,
    delivery: &Request<'_>,
    body: Option<&Value>,
    secrets: &[&str],
    now: Instant,
) -> Result<(), String> {
    match sender {
        Sender::Address => Ok(()),
        Sender::Token { place, name, token } => {
            let (found, words) = match place {
                TokenPlace::Header => (delivery.header(name).map(str::to_owned), "header"),
                TokenPlace::Query => (delivery.parameter(name), "parameter of the address"),
                TokenPlace::Field => {
                    let field = body.and_then(|body| body.get(name)).and_then(Value::as_str);
                    (field.map(str::to_owned), "field")
                }
            };
            match found {
                None => Err(format!("It came without its token; expected is the {words} “{name}”.")),
                Some(found) if same(found.as_bytes(), token.as_bytes()) => Ok(()),
                // Many services write the word Bearer before it.
                Some(found) if same(found.trim_start_matches("Bearer ").as_bytes(), token.as_bytes()) => Ok(()),
                Some(_) => Err(format!("The token in the {words} “{name}” is another one than this feed's.")),
            }
        }
        Sender::Basic { user, password } => {
            let expected = BASE64_STANDARD.encode(format!("{user}:{password}"));
            let found = delivery.header("authorization").and_then(|value| value.split_once(' '));
            match found {
                Some((scheme, found))
                    if scheme.eq_ignore_ascii_case("basic") && same(found.trim().as_bytes(), expected.as_bytes()) =>
                {
                    Ok(())
                }
                Some((scheme, _)) if scheme.eq_ignore_ascii_case("basic") => {
                    Err(format!("The name or the password is wrong; expected is “{user}” with this feed's password."))
                }
                _ => Err("It came without a name and a password (HTTP Basic, RFC 7617).".into()),
            }
        }
        Sender::Hmac(hmac) => hmac_fits(hmac, delivery, now),
        Sender::Signed => {
            let header = |name| delivery.header(name).unwrap_or_default();
            let signed = Signed {
                id: header("webhook-id"),
                timestamp: header("webhook-timestamp"),
                signature: header("webhook-signature"),
            };
            signature::verify(secrets, signed, delivery.body, now)
                .map_err(|error| format!("It is not signed well: {error}."))
        }
    }
}

fn hmac_fits(hmac: &Hmac, delivery: &Request<'_>, now: Instant) -> Result<(), String> {
    let written = match hmac.encoding {
        Encoding::Hex => "in hexadecimal digits",
        Encoding::Base64 => "in Base64",
    };
    let signature = delivery
        .header(&hmac.header)
        .ok_or_else(|| format!("It is not signed; expected is the header “{}”.", hmac.header))?;
    let signature = signature
        .trim()
        .strip_prefix(hmac.prefix.as_str())
        .ok_or_else(|| format!("The signature in “{}” does not begin with “{}”.", hmac.header, hmac.prefix))?;
    let claim = decoded(hmac.encoding, signature)
        .ok_or_else(|| format!("The signature in “{}” is not written {written}.", hmac.header))?;
    let stamp = match &hmac.timestamp {
        None => String::new(),
        Some(stamp) => format!("{}{}", stamped(stamp, delivery, now)?, stamp.separator),
    };
    let parts = [stamp.as_bytes(), delivery.body];
    if verify(hmac.digest, hmac.secret.as_bytes(), &parts, &claim) {
        return Ok(());
    }
    let over = match &hmac.timestamp {
        None => "the body".to_owned(),
        Some(stamp) => format!("the timestamp, “{}” and the body", stamp.separator),
    };
    let digest = match hmac.digest {
        Digest::Sha1 => "SHA-1",
        Digest::Sha256 => "SHA-256",
        Digest::Sha512 => "SHA-512",
    };
    Err(format!(
        "The signature does not fit; expected is an HMAC with {digest} over {over}, {written}, with this feed's key."
    ))
}

/// The timestamp of a delivery as it was signed.
fn stamped<'a>(stamp: &Stamp, delivery: &'a Request<'_>, now: Instant) -> Result<&'a str, String> {
    let text = delivery
        .header(&stamp.header)
        .ok_or_else(|| format!("It came without its timestamp; expected is the header “{}”.", stamp.header))?;
    let sent: i64 = text
        .trim()
        .parse()
        .map_err(|_| format!("The timestamp in “{}” is not in seconds since 1970.", stamp.header))?;
    let off = now.timestamp().saturating_sub(sent);
    if off.unsigned_abs() > u64::from(stamp.tolerance_s) {
        let way = if off > 0 { "behind" } else { "ahead" };
        return Err(format!(
            "Its timestamp is {} s {way}; up to {} s are taken. Is the sender's clock right?",
            off.unsigned_abs(),
            stamp.tolerance_s
        ));
    }
    Ok(text)
}

fn decoded(encoding: Encoding, text: &str) -> Option<Vec<u8>> {
    match encoding {
        Encoding::Hex => {
            let digits = text.as_bytes();
            let nibble = |digit: u8| char::from(digit).to_digit(16);
            let byte = |pair: &[u8]| u8::try_from(nibble(*pair.first()?)? * 16 + nibble(*pair.get(1)?)?).ok();
            (digits.len().is_multiple_of(2) && !digits.is_empty())
                .then(|| digits.chunks(2).map(byte).collect())
                .flatten()
        }
        Encoding::Base64 => [BASE64_STANDARD, BASE64_STANDARD_NO_PAD, BASE64_URL_SAFE, BASE64_URL_SAFE_NO_PAD]
            .iter()
            .find_map(|engine| engine.decode(text).ok())
            .filter(|bytes| !bytes.is_empty()),
    }
}

fn verify(digest: Digest, key: &[u8], parts: &[&[u8]], claim: &[u8]) -> bool {
    fn fits<M: Mac + hmac::digest::KeyInit>(key: &[u8], parts: &[&[u8]], claim: &[u8]) -> bool {
        let Ok(mut mac) = <M as Mac>::new_from_slice(key) else { return false };
        parts.iter().for_each(|part| mac.update(part));
        // Compares in constant time.
        mac.verify_slice(claim).is_ok()
    }
    match digest {
        Digest::Sha1 => fits::<hmac::Hmac<sha1::Sha1>>(key, parts, claim),
        Digest::Sha256 => fits::<hmac::Hmac<sha2::Sha256>>(key, parts, claim),
        Digest::Sha512 => fits::<hmac::Hmac<sha2::Sha512>>(key, parts, claim),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn now() -> Instant {
        Instant::from_timestamp(1_780_000_000, 0).unwrap()
    }

    fn sent<'a>(headers: &'a [(String, String)], query: &'a str, body: &'a [u8]) -> Request<'a> {
        Request { headers, query, body }
    }

    fn header(name: &str, value: &str) -> Vec<(String, String)> {
        vec![(name.to_owned(), value.to_owned())]
    }

    /// HMAC as RFC 2104 writes it, from the digest alone.
    fn reference<D: sha2::Digest>(block: usize, key: &[u8], text: &[u8]) -> Vec<u8> {
        let mut key = if key.len() > block { D::digest(key).to_vec() } else { key.to_vec() };
        key.resize(block, 0);
        let pad = |with: u8| key.iter().map(|byte| byte ^ with).collect::<Vec<u8>>();
        let inner = D::digest([pad(0x36), text.to_vec()].concat());
        D::digest([pad(0x5c), inner.to_vec()].concat()).to_vec()
    }

    fn signed(hmac: &Hmac, stamp: i64, body: &[u8]) -> Vec<(String, String)> {
        let before = hmac.timestamp.as_ref().map_or(String::new(), |one| format!("{stamp}{}", one.separator));
        let text = [before.as_bytes(), body].concat();
        let mac = match hmac.digest {
            Digest::Sha1 => reference::<sha1::Sha1>(64, hmac.secret.as_bytes(), &text),
            Digest::Sha256 => reference::<sha2::Sha256>(64, hmac.secret.as_bytes(), &text),
            Digest::Sha512 => reference::<sha2::Sha512>(128, hmac.secret.as_bytes(), &text),
        };
        let written = match hmac.encoding {
            Encoding::Hex => mac.iter().map(|byte| format!("{byte:02x}")).collect(),
            Encoding::Base64 => BASE64_STANDARD.encode(mac),
        };
        let mut headers = header(&hmac.header, &format!("{}{written}", hmac.prefix));
        headers.extend(hmac.timestamp.iter().map(|one| (one.header.clone(), stamp.to_string())));
        headers
    }

    #[test]
    fn the_reference_is_the_one_of_the_rfc() {
        // RFC 4231, test case 2.
        let mac = reference::<sha2::Sha256>(64, b"Jefe", b"what do ya want for nothing?");
        assert_eq!(mac[..4], [0x5b, 0xdc, 0xc1, 0x46]);
    }

    #[test]
    fn tokens_and_passwords() {
        let token = |place, name: &str| Sender::Token { place, name: name.into(), token: "hunter2".into() };
        let body = serde_json::json!({"verification": "hunter2"});
        let says = |sender: &Sender, headers: &[(String, String)], query: &str| {
            check(sender, &sent(headers, query, b""), Some(&body), &[], now())
        };
        assert!(says(&Sender::Address, &[], "").is_ok());
        assert!(says(&token(TokenPlace::Header, "X-Key"), &header("x-key", "hunter2"), "").is_ok());
        assert!(
            says(&token(TokenPlace::Header, "Authorization"), &header("authorization", "Bearer hunter2"), "").is_ok()
        );
        assert!(says(&token(TokenPlace::Query, "k"), &[], "a=1&k=hunter2").is_ok());
        assert!(says(&token(TokenPlace::Field, "verification"), &[], "").is_ok());
        for (sender, headers, query) in [
            (token(TokenPlace::Header, "X-Key"), header("x-key", "hunter3"), ""),
            (token(TokenPlace::Header, "X-Key"), vec![], ""),
            (token(TokenPlace::Query, "k"), vec![], "k=hunter"),
            (token(TokenPlace::Field, "other"), vec![], ""),
        ] {
            let why = says(&sender, &headers, query).unwrap_err();
            assert!(!why.contains("hunter2") && why.contains('“'), "{why}");
        }
        let basic = Sender::Basic { user: "shop".into(), password: "hunter2".into() };
        assert!(says(&basic, &header("authorization", "Basic c2hvcDpodW50ZXIy"), "").is_ok());
        assert!(says(&basic, &header("authorization", "Basic c2hvcDpodW50ZXIz"), "").unwrap_err().contains("“shop”"));
        assert!(says(&basic, &[], "").unwrap_err().contains("RFC 7617"));
    }

    #[test]
    fn what_was_expected_of_a_signature_is_said() {
        let stamp = Stamp { header: "x-time".into(), separator: ".".into(), tolerance_s: 300 };
        let hmac = Hmac {
            header: "X-Sig".into(),
            prefix: "v0=".into(),
            secret: "hunter2".into(),
            timestamp: Some(stamp),
            ..Hmac::default()
        };
        let sender = Sender::Hmac(hmac.clone());
        let says =
            |headers: &[(String, String)], body: &[u8]| check(&sender, &sent(headers, "", body), None, &[], now());
        let good = |at: i64| {
            let mut headers = signed(&hmac, now().timestamp() + at, b"{}");
            headers.iter_mut().for_each(|(name, _)| name.make_ascii_lowercase());
            headers
        };
        assert_eq!(says(&good(0), b"{}"), Ok(()));
        assert_eq!(says(&good(-299), b"{}"), Ok(()));
        for (headers, body, said) in [
            (good(0), &b"{ }"[..], "HMAC with SHA-256 over the timestamp, “.” and the body, in hexadecimal digits"),
            (good(-3_600), b"{}", "3600 s behind; up to 300 s are taken"),
            (good(3_600), b"{}", "3600 s ahead"),
            (vec![], b"{}", "the header “X-Sig”"),
            (header("x-sig", "v0=zz"), b"{}", "not written in hexadecimal digits"),
            (header("x-sig", "abc"), b"{}", "does not begin with “v0=”"),
            (header("x-sig", "v0=ab"), b"{}", "the header “x-time”"),
        ] {
            let why = says(&headers, body).unwrap_err();
            assert!(why.contains(said) && !why.contains("hunter2"), "{why}");
        }
    }

    proptest! {
        #[test]
        fn signatures_agree_with_the_reference_and_a_changed_bit_does_not(
            digest in prop::sample::select(vec![Digest::Sha1, Digest::Sha256, Digest::Sha512]),
            encoding in prop::sample::select(vec![Encoding::Hex, Encoding::Base64]),
            secret in ".{1,160}", prefix in "[a-z0-9]{0,6}=?",
            stamped in any::<bool>(), separator in "[.:|]?",
            body in prop::collection::vec(any::<u8>(), 0..200), flip in any::<prop::sample::Index>(),
        ) {
            let timestamp = stamped.then(|| Stamp { header: "x-time".into(), separator, tolerance_s: 5 });
            let hmac = Hmac { digest, encoding, header: "x-sig".into(), prefix, secret, timestamp };
            let headers = signed(&hmac, now().timestamp(), &body);
            let sender = Sender::Hmac(hmac);
            prop_assert_eq!(check(&sender, &sent(&headers, "", &body), None, &[], now()), Ok(()));
            let mut other = body;
            if other.is_empty() { other.push(0) } else { let at = flip.index(other.len()); other[at] ^= 1; }
            prop_assert!(check(&sender, &sent(&headers, "", &other), None, &[], now()).is_err());
        }

        #[test]
        fn no_headers_make_it_panic(value in ".{0,60}", stamp in ".{0,20}", prefix in ".{0,3}") {
            for encoding in [Encoding::Hex, Encoding::Base64] {
                let timestamp = Some(Stamp { header: "t".into(), separator: ".".into(), tolerance_s: 9 });
                let hmac = Hmac { encoding, header: "s".into(), prefix: prefix.clone(), timestamp, ..Hmac::default() };
                let headers = [("s".to_owned(), value.clone()), ("t".to_owned(), stamp.clone())];
                let _ = check(&Sender::Hmac(hmac), &sent(&headers, &value, b"x"), None, &[], now());
            }
        }
    }
}
