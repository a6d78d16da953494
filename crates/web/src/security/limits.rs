//! Rates: how often somebody may try.

use governor::clock::{Clock, DefaultClock};
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use std::collections::{HashMap, HashSet};
use std::net::IpAddr;
use std::num::NonZeroU32;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Sign-ins for one person from one peer, a minute.
const SIGN_INS: u32 = 10;
/// Sign-ins from one peer for whomever, a minute.
const SIGN_INS_A_PEER: u32 = 30;
/// Tries of three words from one peer, a minute, and from all peers of one network.
const WORDS: u32 = 10;
const WORDS_A_NETWORK: u32 = 20;
/// So many addresses or tokens that do not exist may be tried from one peer within [`WINDOW`].
const GUESSES: u32 = 40;
const WINDOW: Duration = Duration::from_secs(10);
/// So many right tokens are remembered of a peer, so that its pages stay while somebody beside it guesses.
const GOOD: usize = 256;
/// So many peers are remembered.
const PEERS: usize = 10_000;

/// All rates that are kept.
pub struct Limits {
    feeds: DefaultKeyedRateLimiter<u32>,
    sign_ins: DefaultKeyedRateLimiter<(String, u32)>,
    sign_ins_a_peer: DefaultKeyedRateLimiter<String>,
    words: DefaultKeyedRateLimiter<String>,
    words_a_network: DefaultKeyedRateLimiter<String>,
    strangers: Mutex<HashMap<String, Stranger>>,
}

/// What is known of a peer that has guessed.
struct Stranger {
    since: Instant,
    guesses: u32,
    good: HashSet<String>,
}

fn quota(a_second: u32) -> Quota {
    Quota::per_second(NonZeroU32::new(a_second).unwrap_or(NonZeroU32::MIN))
}

fn a_minute(times: u32) -> Quota {
    Quota::per_minute(NonZeroU32::new(times).unwrap_or(NonZeroU32::MIN))
}

impl Limits {
    /// With so many requests a second for each feed.
    #[must_use]
    pub fn new(feed_rate: u32) -> Self {
        Self {
            feeds: RateLimiter::keyed(quota(feed_rate)),
            sign_ins: RateLimiter::keyed(a_minute(SIGN_INS)),
            sign_ins_a_peer: RateLimiter::keyed(a_minute(SIGN_INS_A_PEER)),
            words: RateLimiter::keyed(a_minute(WORDS)),
            words_a_network: RateLimiter::keyed(a_minute(WORDS_A_NETWORK)),
            strangers: Mutex::default(),
        }
    }

    /// Counts a request to a feed.
    ///
    /// # Errors
    /// Too many; how many seconds to wait.
    pub fn feed(&self, feed: u32) -> Result<(), u64> {
        wait(self.feeds.check_key(&feed))
    }

    /// Whether a peer may try a token at all: asked before anything is looked up, so that a right one is not
    /// found while too many wrong ones were tried. Those that were right before stay so.
    ///
    /// # Errors
    /// Too many wrong ones; how many seconds to wait.
    pub fn may_try(&self, peer: &str, token: &str) -> Result<(), u64> {
        let strangers = self.strangers.lock().unwrap_or_else(PoisonError::into_inner);
        match strangers.get(peer) {
            Some(one) if one.guesses >= GUESSES && one.since.elapsed() < WINDOW && !one.good.contains(token) => {
                Err((WINDOW - one.since.elapsed()).as_secs() + 1)
            }
            _ => Ok(()),
        }
    }

    /// A token that a peer tried was wrong.
    pub fn was_wrong(&self, peer: &str) {
        let mut strangers = self.strangers.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(one) = stranger(&mut strangers, peer) else { return };
        if one.since.elapsed() >= WINDOW {
            (one.since, one.guesses) = (Instant::now(), 0);
        }
        one.guesses = one.guesses.saturating_add(1);
    }

    /// A token that a peer tried was right.
    pub fn was_right(&self, peer: &str, token: &str) {
        let mut strangers = self.strangers.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(one) = stranger(&mut strangers, peer) else { return };
        if one.good.len() < GOOD && !one.good.contains(token) {
            one.good.insert(token.to_owned());
        }
    }

    /// Counts a sign-in from a peer, before it is known for whom.
    ///
    /// # Errors
    /// Too many; how many seconds to wait.
    pub fn sign_in_from(&self, peer: &str) -> Result<(), u64> {
        wait(self.sign_ins_a_peer.check_key(&peer.to_owned()))
    }

    /// Counts a sign-in for somebody. The key is who was found, however the name was spelled.
    ///
    /// # Errors
    /// Too many; how many seconds to wait.
    pub fn sign_in_for(&self, user: u32, peer: &str) -> Result<(), u64> {
        wait(self.sign_ins.check_key(&(peer.to_owned(), user)))
    }

    /// Counts a try of a pass's three words. There is no limit for all peers together: with one, a stranger who guesses
    /// from many addresses would shut the door for everybody.
    ///
    /// # Errors
    /// Too many; how many seconds to wait.
    pub fn words(&self, peer: &str) -> Result<(), u64> {
        wait(self.words.check_key(&peer.to_owned())).and_then(|()| wait(self.words_a_network.check_key(&network(peer))))
    }

    /// Forgets those who have not been seen for a while, so that nobody can fill the memory.
    pub fn tidy(&self) {
        self.feeds.retain_recent();
        self.sign_ins.retain_recent();
        self.sign_ins_a_peer.retain_recent();
        self.words.retain_recent();
        self.words_a_network.retain_recent();
        self.sign_ins_a_peer.retain_recent();
        let mut strangers = self.strangers.lock().unwrap_or_else(PoisonError::into_inner);
        strangers.retain(|_, one| one.since.elapsed() < WINDOW || !one.good.is_empty());
        if strangers.len() > PEERS / 2 {
            strangers.retain(|_, one| one.since.elapsed() < WINDOW);
        }
    }
}

fn stranger<'a>(strangers: &'a mut HashMap<String, Stranger>, peer: &str) -> Option<&'a mut Stranger> {
    if !strangers.contains_key(peer) {
        if strangers.len() >= PEERS {
            return None;
        }
        let new = Stranger { since: Instant::now(), guesses: 0, good: HashSet::new() };
        strangers.insert(peer.to_owned(), new);
    }
    strangers.get_mut(peer)
}

/// The network of a peer: the first three bytes of an IPv4 address, the first six of an IPv6 address, which is what one
/// customer of a provider is given.
fn network(peer: &str) -> String {
    match peer.parse() {
        Ok(IpAddr::V4(address)) => format!("{:?}", &address.octets()[..3]),
        Ok(IpAddr::V6(address)) => format!("{:?}", &address.octets()[..6]),
        Err(_) => peer.to_owned(),
    }
}

fn wait(checked: Result<(), governor::NotUntil<<DefaultClock as Clock>::Instant>>) -> Result<(), u64> {
    checked.map_err(|until| {
        let wait: Duration = until.wait_time_from(DefaultClock::default().now());
        wait.as_secs() + 1
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_tried_ten_times_a_minute_and_twenty_times_by_a_network() {
        let limits = Limits::new(1);
        let tried = |peer: &str| (0..20).filter(|_| limits.words(peer).is_ok()).count();
        assert_eq!(tried("203.0.113.9"), 10);
        assert_eq!((10..30).map(|last| tried(&format!("203.0.113.{last}"))).sum::<usize>(), 10);
        assert_eq!(tried("203.0.114.1"), 10, "another network is not slowed down");
        assert_eq!(tried("2001:db8:1::1"), 10);
    }

    #[test]
    fn after_many_wrong_tokens_a_right_one_is_not_tried_and_good_ones_stay() {
        let limits = Limits::new(1);
        limits.was_right("peer", "mine");
        for _ in 0..GUESSES {
            assert_eq!(limits.may_try("peer", "a guess"), Ok(()));
            limits.was_wrong("peer");
        }
        assert!(limits.may_try("peer", "the right one").is_err());
        assert_eq!(limits.may_try("peer", "mine"), Ok(()), "a page that is open stays");
        assert_eq!(limits.may_try("another", "the right one"), Ok(()));
    }
}
