//! Calls that cues make: addresses outside that are told something. Whoever can reach outside takes them from here.

use std::time::Duration;
use tally_core::record::ids::ChannelId;
use tokio::sync::oneshot;

/// So many calls wait at most for whoever makes them.
pub(crate) const MOST_CALLS: usize = 100;
/// How long an answer may take.
pub(crate) const CALL_PATIENCE: Duration = Duration::from_secs(20);

/// A call that is to be made.
#[derive(Debug)]
pub struct Call {
    /// For which channel: it is signed with its secret.
    pub channel: ChannelId,
    /// Unique to this call, whenever it is tried: whoever is called can tell a second try by it.
    pub id: String,
    /// Which address.
    pub address: String,
    /// What it is told, as JSON.
    pub body: Vec<u8>,
    /// Where it is told how it went: the reason, in words, if it did not go well.
    pub answer: oneshot::Sender<Result<(), String>>,
}
