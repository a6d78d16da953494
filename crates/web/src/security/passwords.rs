//! Passwords: Argon2id, a few at a time.

use argon2::Argon2;
use argon2::password_hash::{PasswordHash, PasswordHasher, PasswordVerifier, SaltString, rand_core::OsRng};
use std::sync::LazyLock;
use tokio::sync::Semaphore;

/// Each hash takes 19 MiB and a core for a while, so that guessing is dear; only so many at once.
static AT_ONCE: Semaphore = Semaphore::const_new(2);

/// A hash that no password fits, for names that do not exist: they take as long as those that do.
static NOBODY: LazyLock<String> = LazyLock::new(|| hash_now("nobody has this password").unwrap_or_default());

/// Fewest characters of a password.
pub const FEWEST: usize = 10;

fn hash_now(password: &str) -> Result<String, argon2::password_hash::Error> {
    let salt = SaltString::generate(&mut OsRng);
    Ok(Argon2::default().hash_password(password.as_bytes(), &salt)?.to_string())
}

async fn aside<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Option<T> {
    let _turn = AT_ONCE.acquire().await.ok()?;
    tokio::task::spawn_blocking(work).await.ok()
}

/// The hash of a password as a PHC string; none if the machine has no randomness to give.
pub async fn hash(password: String) -> Option<String> {
    aside(move || hash_now(&password).ok()).await.flatten()
}

/// Whether a password fits a hash. With no hash the answer is no, after the same time.
pub async fn verify(password: String, hash: Option<String>) -> bool {
    let known = hash.is_some();
    let fits = aside(move || {
        let hash: &str = hash.as_deref().unwrap_or(&NOBODY);
        let Ok(parsed) = PasswordHash::new(hash) else { return false };
        Argon2::default().verify_password(password.as_bytes(), &parsed).is_ok()
    })
    .await
    .unwrap_or(false);
    fits && known
}
