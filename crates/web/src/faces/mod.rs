//! Pictures of supporters: fetched from where their events said, made small and new, and served from here.
//!
//! Pages on air load nothing from elsewhere. An address is sealed when a wall is drawn, so that nobody
//! can have us fetch anything that no feed has told of.

pub mod serve;

use crate::heavy::{DECODERS, Whose};
use crate::picture;
use base64::Engine;
use base64::prelude::BASE64_URL_SAFE_NO_PAD as BASE64;
use bytes::Bytes;
use hmac::{Hmac, Mac};
use rand::RngCore;
use sha2::Sha256;
use std::collections::{HashMap, VecDeque};
use std::sync::{LazyLock, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tally_feeds::outside::{Asked, Outside};
use tokio::sync::Semaphore;

/// Largest picture that is fetched, in bytes.
const MOST_BYTES: usize = 2 * 1024 * 1024;
/// So many pictures are kept at hand.
const KEPT: usize = 400;
/// What could not be had is not asked for again before this.
const AGAIN: Duration = Duration::from_secs(600);

/// Seals addresses for as long as the program runs; pages are drawn anew after a restart.
static SEAL: LazyLock<[u8; 64]> = LazyLock::new(|| {
    let mut key = [0; 64];
    rand::rng().fill_bytes(&mut key);
    key
});

fn seal(picture: &str) -> Hmac<Sha256> {
    let mut seal = <Hmac<Sha256> as Mac>::new((&*SEAL).into());
    seal.update(picture.as_bytes());
    seal
}

/// The address at which we serve a picture that lies elsewhere.
pub fn address(picture: &str) -> String {
    let seal = BASE64.encode(&seal(picture).finalize().into_bytes()[..16]);
    format!("/faces/{seal}/{}", BASE64.encode(picture))
}

/// What was sealed, if the seal is ours.
fn opened(sealed: &str, address: &str) -> Option<String> {
    let picture = String::from_utf8(BASE64.decode(address).ok()?).ok()?;
    let told = BASE64.decode(sealed).ok().filter(|told| told.len() == 16)?;
    seal(&picture).verify_truncated_left(&told).ok()?;
    Some(picture)
}

/// A picture that was fetched, or the moment at which that failed.
type Fetched = Result<Bytes, Instant>;

/// The pictures at hand.
pub struct Faces {
    kept: Mutex<(HashMap<String, Fetched>, VecDeque<String>)>,
    /// A wall of two hundred faces must not open two hundred connections.
    asking: Semaphore,
}

impl Default for Faces {
    fn default() -> Self {
        Self { kept: Mutex::default(), asking: Semaphore::new(4) }
    }
}

impl Faces {
    fn at_hand(&self, picture: &str) -> Option<Fetched> {
        // A map is whole at every step, so a panic elsewhere leaves it usable.
        let kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        kept.0.get(picture).filter(|fetched| !matches!(fetched, Err(at) if at.elapsed() > AGAIN)).cloned()
    }

    fn keep(&self, picture: &str, fetched: Fetched) {
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        let (by_address, order) = &mut *kept;
        if by_address.insert(picture.to_owned(), fetched).is_none() {
            order.push_back(picture.to_owned());
        }
        if order.len() > KEPT
            && let Some(oldest) = order.pop_front()
        {
            by_address.remove(&oldest);
        }
    }

    /// A picture, from here or from where it lies.
    async fn picture(&self, picture: &str, outside: Outside) -> Option<Bytes> {
        if let Some(fetched) = self.at_hand(picture) {
            return fetched.ok();
        }
        let _turn = self.asking.acquire().await.ok()?;
        // Somebody else may have fetched it meanwhile.
        if let Some(fetched) = self.at_hand(picture) {
            return fetched.ok();
        }
        let fetched = fetch(picture, outside).await.ok_or_else(Instant::now);
        self.keep(picture, fetched.clone());
        fetched.ok()
    }
}

async fn fetch(picture: &str, outside: Outside) -> Option<Bytes> {
    let mut asked = Asked::new(picture, outside).ok()?;
    let sent = match asked.ask(MOST_BYTES).await {
        Ok(sent) => sent?,
        Err(why) => {
            tracing::debug!(%why, "a picture could not be had");
            return None;
        }
    };
    DECODERS.run(Whose::Anybody, move || picture::small(&sent)).await.ok()?
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_we_sealed_is_opened() {
        let told = address("https://pictures.example/7.png?size=ä");
        let mut parts = told.split('/').skip(2);
        let (sealed, encoded) = (parts.next().unwrap(), parts.next().unwrap());
        assert_eq!(opened(sealed, encoded).as_deref(), Some("https://pictures.example/7.png?size=ä"));
        let other = BASE64.encode("http://127.0.0.1:3306/");
        assert_eq!(opened(sealed, &other), None);
        assert_eq!(opened("", encoded), None, "no seal at all");
        assert_eq!(opened(&sealed[..4], encoded), None, "a short seal is no seal");
    }

    #[tokio::test]
    async fn what_could_not_be_had_is_not_asked_for_at_once_again() {
        let faces = Faces::default();
        let closed = "http://127.0.0.1:9/7.png";
        assert_eq!(faces.picture(closed, Outside::default()).await, None, "an address of this machine");
        assert!(matches!(faces.at_hand(closed), Some(Err(_))));
        for number in 0..=KEPT {
            faces.keep(&number.to_string(), Ok(Bytes::from_static(b"x")));
        }
        assert_eq!(faces.at_hand(closed), None, "the oldest goes");
    }
}
