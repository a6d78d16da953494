//! Tokens that nobody can guess.

use base64::Engine;
use base64::prelude::{BASE64_STANDARD, BASE64_URL_SAFE_NO_PAD};
use rand::RngCore;

/// 192 random bits as text for an address, from a source of randomness.
#[must_use]
pub fn token(random: &mut impl RngCore) -> String {
    let mut bytes = [0_u8; 24];
    random.fill_bytes(&mut bytes);
    BASE64_URL_SAFE_NO_PAD.encode(bytes)
}

/// A secret for signing deliveries, as Standard Webhooks writes it.
#[must_use]
pub fn webhook_secret(random: &mut impl RngCore) -> String {
    let mut bytes = [0_u8; 24];
    random.fill_bytes(&mut bytes);
    format!("whsec_{}", BASE64_STANDARD.encode(bytes))
}
