//! Passwords: Argon2id, a few at a time.

use crate::heavy::{Heavy, HeavyError, Most, Whose};
use argon2::password_hash::rand_core::OsRng;
use argon2::password_hash::{
    Decimal, Ident, Output, ParamsString, PasswordHash, PasswordHasher, PasswordVerifier, Result as Hashed, Salt,
    SaltString,
};
use argon2::{Algorithm, Argon2, Block, Params, Version};
use std::cell::RefCell;
use std::sync::LazyLock;

/// Each hash takes 19 MiB and a core for a while, so that guessing is dear; only so many at once, and so
/// many may wait.
static HASHERS: LazyLock<Heavy> = LazyLock::new(|| Heavy::new(2, Most { of_one: 32, in_all: 32 }));

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

thread_local! {
    /// What a hash fills. Taken anew for each, so much memory would leave holes that the next does not fit.
    static MEMORY: RefCell<Vec<Block>> = const { RefCell::new(Vec::new()) };
}

/// Argon2 in memory that its thread keeps.
struct Hasher;

impl PasswordHasher for Hasher {
    type Params = Params;

    fn hash_password_customized<'a>(
        &self,
        password: &[u8],
        algorithm: Option<Ident<'a>>,
        version: Option<Decimal>,
        params: Params,
        salt: impl Into<Salt<'a>>,
    ) -> Hashed<PasswordHash<'a>> {
        let algorithm = algorithm.map(Algorithm::try_from).transpose()?.unwrap_or_default();
        let version = version.map(Version::try_from).transpose()?.unwrap_or_default();
        let salt = salt.into();
        let mut bytes = [0; Salt::RECOMMENDED_LENGTH * 4];
        let salted = salt.decode_b64(&mut bytes)?;
        let told = ParamsString::try_from(&params)?;
        let argon = Argon2::new(algorithm, version, params);
        let length = argon.params().output_len().unwrap_or(Params::DEFAULT_OUTPUT_LEN);
        let output = Output::init_with(length, |out| {
            MEMORY.with_borrow_mut(|memory| {
                memory.resize(argon.params().block_count(), Block::default());
                Ok(argon.hash_password_into_with_memory(password, salted, out, memory)?)
            })
        })?;
        Ok(PasswordHash {
            algorithm: algorithm.ident(),
            version: Some(version.into()),
            params: told,
            salt: Some(salt),
            hash: Some(output),
        })
    }
}

fn hash_now(password: &str) -> Hashed<String> {
    let salt = SaltString::generate(&mut OsRng);
    Ok(Hasher.hash_password(password.as_bytes(), &salt)?.to_string())
}

/// The hash of a password as a PHC string.
///
/// # Errors
/// Too many wait, or there is no randomness.
pub async fn hash(password: String) -> Result<String, PasswordError> {
    HASHERS.run(Whose::Anybody, move || hash_now(&password)).await?.map_err(|_| PasswordError::Failed)
}

/// Whether a password fits a hash. With no hash the answer is no, after the same time.
///
/// # Errors
/// Too many wait.
pub async fn verify(password: String, hash: Option<String>) -> Result<bool, PasswordError> {
    let known = hash.is_some();
    let fits = HASHERS
        .run(Whose::Anybody, move || {
            let hash: &str = hash.as_deref().unwrap_or(&NOBODY);
            let Ok(parsed) = PasswordHash::new(hash) else { return false };
            Hasher.verify_password(password.as_bytes(), &parsed).is_ok()
        })
        .await?;
    Ok(fits && known)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hashes_are_those_of_argon2() {
        let (ours, theirs) = (hash_now("a long password").unwrap(), {
            let salt = SaltString::generate(&mut OsRng);
            Argon2::default().hash_password(b"a long password", &salt).unwrap().to_string()
        });
        assert!(ours.starts_with("$argon2id$v=19$m=19456,t=2,p=1$"), "{ours}");
        for hash in [&ours, &theirs] {
            let parsed = PasswordHash::new(hash).unwrap();
            for password in ["a long password", "another password"] {
                let fits = Hasher.verify_password(password.as_bytes(), &parsed).is_ok();
                assert_eq!(fits, password == "a long password");
                assert_eq!(fits, Argon2::default().verify_password(password.as_bytes(), &parsed).is_ok());
            }
        }
    }
}
