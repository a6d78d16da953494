//! Rates: how often somebody may try.

use governor::clock::{Clock, DefaultClock};
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use std::num::NonZeroU32;
use std::time::Duration;

/// Sign-ins for one name, from one address, a minute.
const SIGN_INS: u32 = 10;

/// All rates that are kept.
pub struct Limits {
    feeds: DefaultKeyedRateLimiter<u32>,
    strangers: DefaultKeyedRateLimiter<String>,
    sign_ins: DefaultKeyedRateLimiter<String>,
}

fn quota(a_second: u32) -> Quota {
    Quota::per_second(NonZeroU32::new(a_second).unwrap_or(NonZeroU32::MIN))
}

impl Limits {
    /// With so many requests a second for each feed.
    #[must_use]
    pub fn new(feed_rate: u32) -> Self {
        let sign_ins = Quota::per_minute(NonZeroU32::new(SIGN_INS).unwrap_or(NonZeroU32::MIN));
        Self {
            feeds: RateLimiter::keyed(quota(feed_rate)),
            strangers: RateLimiter::keyed(quota(20)),
            sign_ins: RateLimiter::keyed(sign_ins),
        }
    }

    /// Counts a request to a feed.
    ///
    /// # Errors
    /// Too many; how many seconds to wait.
    pub fn feed(&self, feed: u32) -> Result<(), u64> {
        wait(self.feeds.check_key(&feed))
    }

    /// Counts a request with an address or a token that does not exist, from one peer.
    ///
    /// # Errors
    /// Too many; how many seconds to wait.
    pub fn stranger(&self, peer: &str) -> Result<(), u64> {
        wait(self.strangers.check_key(&peer.to_owned()))
    }

    /// Counts a sign-in.
    ///
    /// # Errors
    /// Too many; how many seconds to wait.
    pub fn sign_in(&self, name: &str, peer: &str) -> Result<(), u64> {
        wait(self.sign_ins.check_key(&format!("{peer} {}", name.to_lowercase())))
    }

    /// Forgets those who have not been seen for a while, so that nobody can fill the memory.
    pub fn tidy(&self) {
        self.feeds.retain_recent();
        self.strangers.retain_recent();
        self.sign_ins.retain_recent();
    }
}

fn wait(checked: Result<(), governor::NotUntil<<DefaultClock as Clock>::Instant>>) -> Result<(), u64> {
    checked.map_err(|until| {
        let wait: Duration = until.wait_time_from(DefaultClock::default().now());
        wait.as_secs() + 1
    })
}
