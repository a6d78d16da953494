//! Passwords: Argon2id, a few at a time.

use crate::heavy::{Heavy, HeavyError};
use argon2::Argon2;
use argon2::password_hash::{PasswordHash, PasswordHasher, PasswordVerifier, SaltString, rand_core::OsRng};
use std::sync::LazyLock;

/// Each hash takes 19 MiB and a core for a while, so that guessing is dear; only so many at once, and so
/// many may wait.
static HASHERS: LazyLock<Heavy> = LazyLock::new(|| Heavy::new(2, 32));

/// A hash that no password fits, for names that do not exist: they take as long as those that do.
static NOBODY: LazyLock<String> = LazyLock::new(|| hash_now("nobody has this password").unwrap_or_default());

/// Fewest and most characters of a password.
pub const FEWEST: usize = 10;
/// See [`FEWEST`].
pub const MOST: usize = 1_000;

/// Why a password was not looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum PasswordError {
    /// Too many wait already.
    #[error("too many people are signing in; try again in a moment")]
    Busy,
    /// The machine has no randomness to give.
    #[error("a password cannot be hashed")]
    Failed,
}

impl From<HeavyError> for PasswordError {
    fn from(error: HeavyError) -> Self {
        match error {
            HeavyError::Busy => Self::Busy,
            HeavyError::Failed => Self::Failed,
        }
    }
}

fn hash_now(password: &str) -> Result<String, argon2::password_hash::Error> {
    let salt = SaltString::generate(&mut OsRng);
    Ok(Argon2::default().hash_password(password.as_bytes(), &salt)?.to_string())
}

/// The hash of a password as a PHC string.
///
/// # Errors
/// Too many wait, or there is no randomness.
pub async fn hash(password: String) -> Result<String, PasswordError> {
    HASHERS.run(move || hash_now(&password)).await?.map_err(|_| PasswordError::Failed)
}

/// Whether a password fits a hash. With no hash the answer is no, after the same time.
///
/// # Errors
/// Too many wait.
pub async fn verify(password: String, hash: Option<String>) -> Result<bool, PasswordError> {
    let known = hash.is_some();
    let fits = HASHERS
        .run(move || {
            let hash: &str = hash.as_deref().unwrap_or(&NOBODY);
            let Ok(parsed) = PasswordHash::new(hash) else { return false };
            Argon2::default().verify_password(password.as_bytes(), &parsed).is_ok()
        })
        .await?;
    Ok(fits && known)
}
