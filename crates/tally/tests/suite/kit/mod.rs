//! What the tests and the bench share: databases, the running program, senders, pages, browsers.
#![allow(dead_code, reason = "the bench and the tests each use a part")]

pub mod bench;
pub mod browser;
pub mod called;
pub mod db;
pub mod hostile;
pub mod inside;
pub mod irc;
pub mod owner;
pub mod page;
pub mod program;
pub mod sender;

use std::future::Future;
use std::time::{Duration, Instant};

/// The longest that anything may take before a test gives up. Generous: machines are noisy, and
/// nothing is measured here.
pub const PATIENCE: Duration = Duration::from_secs(60);

/// A picture.
pub const PICTURE: &[u8] = include_bytes!("../files/face.png");

/// Asks until the answer is there.
pub async fn until<T, F: Future<Output = Option<T>>>(what: &str, mut ask: impl FnMut() -> F) -> T {
    let began = Instant::now();
    loop {
        if let Some(answer) = ask().await {
            return answer;
        }
        assert!(began.elapsed() < PATIENCE, "gave up waiting until {what}");
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
}
