//! Rehearsing a whole channel: a second task beside the channel's own, with its widgets, desk, cues and words of chat, a
//! clock that may go faster, pages of its own, and a record that is kept nowhere.

use crate::clock::RehearsalClock;
use crate::engine::{Engine, QUEUE};
use crate::error::EngineError;
use crate::handle::ChannelHandle;
use crate::hub::Hub;
use crate::orders::Order;
use crate::task;
use chrono::TimeDelta;
use serde_json::json;
use std::collections::BTreeSet;
use std::sync::Arc;
use tally_core::record::refusal::Refusal;
use tally_core::time::Instant;
use tokio::sync::{mpsc, oneshot};

/// What is to be rehearsed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Plan {
    /// What is played.
    pub title: String,
    /// How long that takes on the rehearsal's own clock.
    pub length: TimeDelta,
    /// How many times as fast as ours that clock goes.
    pub speed: u32,
    /// The overlays whose pages show the rehearsal and not the show.
    pub overlays: BTreeSet<u32>,
}

/// A rehearsal that runs.
pub struct Rehearsing {
    /// The channel as it is rehearsed.
    pub channel: ChannelHandle,
    /// What is rehearsed.
    pub plan: Plan,
    /// When it began, which is the same instant on both clocks.
    pub began: Instant,
}

impl Rehearsing {
    /// Whether the pages of an overlay show it.
    #[must_use]
    pub fn shows_on(&self, overlay: u32) -> bool {
        self.plan.overlays.contains(&overlay)
    }

    /// What the real desk is told of it.
    pub(crate) fn words(&self) -> String {
        let Plan { title, speed, overlays, .. } = &self.plan;
        let seen = match overlays.len() {
            0 => "on no overlay".to_owned(),
            1 => "on one overlay".to_owned(),
            many => format!("on {many} overlays"),
        };
        format!("“{title}” runs at {speed}×, seen {seen}")
    }

    /// How much of it is over, on its own clock.
    #[must_use]
    pub fn gone(&self) -> TimeDelta {
        self.channel.now() - self.began
    }
}

impl Engine {
    /// Begins to rehearse a channel as it would go on air now. Nothing happens in it yet.
    ///
    /// # Errors
    /// A rehearsal of it runs already, or the database is away.
    pub async fn begin_rehearsal(&self, channel: &ChannelHandle, plan: Plan) -> Result<Arc<Rehearsing>, EngineError> {
        let running = || EngineError::Refused(Refusal::NotNow("a rehearsal runs already; stop it first"));
        if channel.hub.rehearsal().is_some() {
            return Err(running());
        }
        let rehearsed = channel.ask(|channel, now| channel.whole_rehearsal(now, task::lot)).await?;
        let began = self.now();
        let clock = Arc::new(RehearsalClock::new(began, plan.speed));
        let (orders, waiting) = mpsc::channel(QUEUE);
        let hub = Arc::new(Hub::new(orders.clone(), began));
        let context = self.inner.context.rehearsing(Arc::clone(&clock) as _);
        task::rehearse(context, channel.id, Arc::clone(&hub), waiting, rehearsed).await?;
        let own = ChannelHandle::new(channel.id, hub, orders, clock);
        let rehearsing = Arc::new(Rehearsing { channel: own, plan, began });
        if channel.hub.rehearsal_begins(Arc::clone(&rehearsing)) {
            return Ok(rehearsing);
        }
        rehearsing.stop().await;
        Err(running())
    }
}

impl Rehearsing {
    async fn stop(&self) {
        // Its rooms are told, and lead back.
        self.channel.hub.broadcast(json!({"gone": true}).to_string().into());
        let (done, stopped) = oneshot::channel();
        if self.channel.send(Order::Stop(done)).await.is_ok() {
            // An answer that never comes means that it is over already.
            let _ = stopped.await;
        }
    }
}

impl ChannelHandle {
    /// Ends the rehearsal of this channel, if one runs: its overlays show the show again, and nothing of it remains.
    pub async fn end_rehearsal(&self) {
        if let Some(rehearsing) = self.hub.rehearsal_ends() {
            rehearsing.stop().await;
        }
    }
}
