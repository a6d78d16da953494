//! Votes of the audience: heard one by one, written together a few times a second, with their voters hidden under a
//! key that is thrown away when the poll is over.

use super::Task;
use super::said::LATER;
use crate::error::EngineError;
use hmac::{Hmac, Mac};
use sha2::Sha256;
use std::collections::BTreeMap;
use std::time::Duration;
use tally_core::channel::HeardVote;
use tally_core::record::acts::poll::{Vote, Voter};
use tally_core::record::acts::{Act, PollAct};
use tally_core::record::entry::{Body, Draft};
use tally_core::record::ids::{Seq, WidgetId};
use tally_core::time::after;
use tally_store::rows::EntryRow;
use tally_store::secrets::Secret;
use tokio::time::Instant;

/// Votes are written at most this often.
const APART: Duration = Duration::from_millis(250);
/// As many fit into one line of the ledger: some 45 bytes each.
const A_LINE: usize = 1_000;
/// So many wait at most while the database is away.
const MOST: usize = 500_000;

/// Which poll of which widget.
type Place = (WidgetId, Seq);

/// See the module.
#[derive(Default)]
pub(super) struct Votes {
    waiting: BTreeMap<Place, Vec<HeardVote>>,
    due: Option<Instant>,
    keys: BTreeMap<Place, Secret>,
    /// Polls whose keys are kept, though perhaps not at hand.
    kept: Vec<Place>,
}

/// A viewer under a key: the first 96 bits of HMAC-SHA256 (RFC 2104).
pub(super) fn hidden(key: &Secret, viewer: &str) -> Voter {
    // A key of any length will do.
    let mac = Hmac::<Sha256>::new_from_slice(key).map(|mac| mac.chain_update(viewer).finalize().into_bytes());
    let mut bytes = [0; 12];
    if let Ok(mac) = mac {
        bytes.copy_from_slice(&mac[..12]);
    }
    Voter::of(bytes)
}

/// A vote as it is recorded.
pub(super) fn vote(key: &Secret, heard: &HeardVote) -> Vote {
    let HeardVote { option, viewer, subscriber, at, .. } = heard;
    Vote { voter: hidden(key, viewer), option: *option, at: Vote::sent(*at), subscriber: *subscriber }
}

impl Votes {
    /// Takes votes in. False if there was no more room for some.
    pub(super) fn take(&mut self, votes: Vec<HeardVote>) -> bool {
        let room = MOST.saturating_sub(self.waiting.values().map(Vec::len).sum());
        let fits = votes.len() <= room;
        for vote in votes.into_iter().take(room) {
            self.due.get_or_insert_with(|| Instant::now() + APART);
            self.waiting.entry((vote.widget, vote.poll)).or_default().push(vote);
        }
        fits
    }

    /// Lets those that wait be written now.
    pub(super) fn hurry(&mut self) {
        self.due = (!self.waiting.is_empty()).then(Instant::now);
    }

    /// When they are to be written.
    pub(super) fn due(&self) -> Option<Instant> {
        self.due
    }
}

impl Task {
    /// Remembers which keys were kept when the program ended.
    pub(super) async fn load_vote_keys(&mut self) -> Result<(), EngineError> {
        let (keep, id) = (self.context.keep.clone(), self.id);
        self.votes.kept = self.meanwhile(async move { keep.polls_with_keys(id).await }).await?;
        Ok(())
    }

    /// Writes the votes that wait, if their time has come, and throws away the keys of polls that are over.
    pub(super) async fn record_votes(&mut self) {
        if self.votes.due.is_some_and(|due| due <= Instant::now()) {
            self.votes.due = None;
            let waiting = std::mem::take(&mut self.votes.waiting);
            if let Err(error) = self.try_record_votes(&waiting).await {
                tracing::warn!(%error, channel = %self.id, "votes could not be recorded yet");
                self.put_back(waiting);
            }
        }
        let (now, channel) = (self.context.clock.now(), &self.channel);
        let over = |place: &&Place| !channel.awaits_votes(place.0, place.1, now);
        let over: Vec<Place> = self.votes.kept.iter().filter(over).copied().collect();
        for place in over {
            let keep = self.context.keep.clone();
            let dropped = self.meanwhile(async move { keep.drop_vote_key(place.0, place.1).await }).await;
            // Should the database be away, the key goes with the next try.
            if dropped.is_ok() {
                self.votes.kept.retain(|one| *one != place);
                self.votes.keys.remove(&place);
            }
        }
    }

    async fn try_record_votes(&mut self, waiting: &BTreeMap<Place, Vec<HeardVote>>) -> Result<(), EngineError> {
        let now = self.context.clock.now();
        let mut drafts = Vec::new();
        for (place, heard) in waiting {
            let key = self.vote_key(*place).await?;
            for some in heard.chunks(A_LINE) {
                let votes = some.iter().map(|heard| vote(&key, heard)).collect();
                let act = Act::Poll(PollAct::Votes { poll: place.1, votes });
                let body = Body::Act { widget: place.0, by: "the audience".into(), act };
                // Should they have to be written twice, they count once all the same.
                let origin = self.said.origin(now);
                drafts.push(Draft { origin, feed: None, happened_at: now, arrived_at: now, body });
            }
        }
        let rows = drafts.iter().map(|draft| EntryRow::of(self.id, draft)).collect::<Result<Vec<_>, _>>()?;
        self.append(drafts, rows).await?;
        Ok(())
    }

    /// Lets votes wait for another try, before those that have come meanwhile.
    fn put_back(&mut self, waiting: BTreeMap<Place, Vec<HeardVote>>) {
        for (place, mut votes) in waiting {
            let newer = self.votes.waiting.remove(&place).unwrap_or_default();
            votes.extend(newer);
            self.votes.waiting.insert(place, votes);
        }
        self.votes.due = Some(self.until(after(self.context.clock.now(), LATER)));
    }

    async fn vote_key(&mut self, place: Place) -> Result<Secret, EngineError> {
        if let Some(key) = self.votes.keys.get(&place) {
            return Ok(*key);
        }
        let (fresh, keep): (Secret, _) = (rand::random(), self.context.keep.clone());
        let key = self.meanwhile(async move { keep.vote_key(place.0, place.1, fresh).await }).await?;
        self.votes.keys.insert(place, key);
        if !self.votes.kept.contains(&place) {
            self.votes.kept.push(place);
        }
        Ok(key)
    }
}
