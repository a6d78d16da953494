//! A loaded channel, as everybody else holds it: orders go in, answers come back.

use crate::clock::Clock;
use crate::commands::By;
use crate::error::EngineError;
use crate::hub::Hub;
use crate::orders::{Command, Ingested, MakeBelieve, Order, Rehearsed, Reply, Report, Scheduling, Shaping};
use crate::task::heard::Hearing;
use std::sync::Arc;
use std::time::Duration;
use tally_core::book::chat::ChatLine;
use tally_core::bot::BotEdit;
use tally_core::channel::{AirEdit, Channel, DeskEdit};
use tally_core::cues::{CueEdit, Offer};
use tally_core::look::LookEdit;
use tally_core::record::entry::{Draft, Incoming};
use tally_core::record::ids::{ChannelId, FeedId, Seq, WidgetId};
use tally_core::time::Instant;
use tally_core::time::calendar::Calendar;
use tally_core::widgets::Setup;
use tally_store::accounts::ChannelRecord;
use tally_store::rows::{EntryRow, Namespace};
use tokio::sync::{Semaphore, mpsc, oneshot};

/// So many orders with lines of chat may wait at a channel.
const MOST_CHAT: usize = 8;

/// A loaded channel.
#[derive(Clone)]
pub struct ChannelHandle {
    /// Which.
    pub id: ChannelId,
    /// What is on show.
    pub hub: Arc<Hub>,
    orders: mpsc::Sender<Order>,
    clock: Arc<dyn Clock>,
    /// For chat that waits.
    chat_places: Arc<Semaphore>,
    /// For one question at a time: whatever else there is to do waits for no more than that.
    question: Arc<Semaphore>,
}

impl ChannelHandle {
    pub(crate) fn new(id: ChannelId, hub: Arc<Hub>, orders: mpsc::Sender<Order>, clock: Arc<dyn Clock>) -> Self {
        Self {
            id,
            hub,
            orders,
            clock,
            chat_places: Arc::new(Semaphore::new(MOST_CHAT)),
            question: Arc::new(Semaphore::new(1)),
        }
    }

    /// How many times as fast as ours its clock goes: 1, but for a rehearsal.
    #[must_use]
    pub fn speed(&self) -> u32 {
        self.clock.speed()
    }

    /// How long to wait, by our own clock, until an instant on its clock.
    #[must_use]
    pub fn wait(&self, until: Instant) -> Duration {
        self.clock.wait(until)
    }

    /// Now.
    #[must_use]
    pub fn now(&self) -> Instant {
        self.clock.now()
    }

    /// Waits until nobody takes orders any more.
    pub async fn gone(&self) {
        self.orders.closed().await;
    }

    pub(crate) async fn send(&self, order: Order) -> Result<(), EngineError> {
        self.orders.send(order).await.map_err(|_| EngineError::Away)
    }

    pub(crate) async fn order<T>(&self, order: impl FnOnce(Reply<T>) -> Order) -> Result<T, EngineError> {
        let (reply, answer) = oneshot::channel();
        self.send(order(reply)).await?;
        answer.await.map_err(|_| EngineError::Away)?
    }

    /// The channel's clock and calendar.
    ///
    /// # Errors
    /// The channel is being let go.
    pub async fn calendar(&self) -> Result<Calendar, EngineError> {
        self.ask(|channel, _| channel.settings().calendar).await
    }

    /// Records what a feed brings. Answers when it is durable.
    ///
    /// # Errors
    /// The database is away; nothing was kept, or will be found as a duplicate when sent again.
    pub async fn ingest(&self, feed: FeedId, events: Vec<Incoming>) -> Result<Ingested, EngineError> {
        let now = self.clock.now();
        let drafts: Vec<Draft> = events.into_iter().map(|event| event.draft(feed, now)).collect();
        let rows = drafts.iter().map(|draft| EntryRow::of(self.id, draft)).collect::<Result<_, _>>()?;
        self.order(|reply| Order::Ingest { drafts, rows, reply }).await
    }

    /// Records lines as they came at another time: of a copy of a record, or of a demo.
    ///
    /// # Errors
    /// See [`ChannelHandle::ingest`].
    pub async fn ingest_as_it_was(&self, drafts: Vec<Draft>) -> Result<Ingested, EngineError> {
        let rows = drafts.iter().map(|draft| EntryRow::of(self.id, draft)).collect::<Result<_, _>>()?;
        self.order(|reply| Order::Ingest { drafts, rows, reply }).await
    }

    /// Records what was read from a file. What an earlier file told is known.
    ///
    /// # Errors
    /// See [`ChannelHandle::ingest`].
    pub async fn ingest_file(&self, feed: FeedId, events: Vec<Incoming>) -> Result<Ingested, EngineError> {
        let now = self.clock.now();
        let drafts: Vec<Draft> = events.into_iter().map(|event| event.draft(feed, now)).collect();
        let row = |draft| EntryRow::within(Namespace::Files, self.id, draft);
        let rows = drafts.iter().map(row).collect::<Result<_, _>>()?;
        self.order(|reply| Order::Ingest { drafts, rows, reply }).await
    }

    /// Records what somebody does. Answers when it is durable, with the line's place.
    ///
    /// # Errors
    /// The rules refuse it, or the database is away.
    pub async fn record(&self, command: Command) -> Result<Seq, EngineError> {
        self.order(|reply| Order::Record { command, reply }).await
    }

    /// Takes other settings; everything is derived anew, on air at once.
    ///
    /// # Errors
    /// The database is away.
    pub async fn change_settings(&self, record: ChannelRecord) -> Result<(), EngineError> {
        self.order(|reply| Order::ChangeSettings { record: Box::new(record), reply }).await
    }

    /// Does something to the desk; says which desk for a purpose is new.
    ///
    /// # Errors
    /// It makes no desk, or the database is away.
    pub async fn edit_desk(&self, edit: DeskEdit) -> Result<Option<u32>, EngineError> {
        self.order(|reply| Order::EditDesk { edit, reply }).await
    }

    /// Goes on air and off by itself in another way.
    ///
    /// # Errors
    /// The database is away.
    pub async fn edit_air(&self, edit: AirEdit) -> Result<(), EngineError> {
        self.order(|reply| Order::EditAir { edit, reply }).await
    }

    /// Goes on air by another calendar, or by the same as it stands now.
    ///
    /// # Errors
    /// The database is away.
    pub async fn schedule(&self, scheduling: Scheduling) -> Result<(), EngineError> {
        self.order(|reply| Order::Schedule { scheduling: Box::new(scheduling), reply }).await
    }

    /// Does something to the looks of the streamer's own; says which look it was.
    ///
    /// # Errors
    /// It makes no look, or the database is away.
    pub async fn edit_looks(&self, edit: LookEdit) -> Result<Option<u32>, EngineError> {
        self.order(|reply| Order::EditLooks { edit, reply }).await
    }

    /// Does something to the cues; says which cue it was.
    ///
    /// # Errors
    /// It makes no cue, or the database is away.
    pub async fn edit_cues(&self, edit: CueEdit, offer: Offer) -> Result<Option<u32>, EngineError> {
        self.order(|reply| Order::EditCues { edit, offer: Box::new(offer), reply }).await
    }

    /// Does something to what is said in chat.
    ///
    /// # Errors
    /// It cannot be said so, or the database is away.
    pub async fn edit_bot(&self, edit: BotEdit) -> Result<(), EngineError> {
        self.order(|reply| Order::EditBot { edit, reply }).await
    }

    /// Fires a cue by hand; the line with which it did.
    ///
    /// # Errors
    /// There is no such cue, or the database is away.
    pub async fn fire_cue(&self, cue: u32, by: By) -> Result<Seq, EngineError> {
        self.order(|reply| Order::FireCue { cue, by, reply }).await
    }

    /// Lets something make-believe happen, as if it had come through a feed. It has a record of its
    /// own, and nothing of it reaches a real number or a page on air.
    ///
    /// # Errors
    /// There is no such widget.
    pub async fn rehearse(
        &self,
        widget: WidgetId,
        make_believe: MakeBelieve,
        feed: FeedId,
    ) -> Result<Rehearsed, EngineError> {
        self.order(|reply| Order::Rehearse { widget, make_believe, feed, reply }).await
    }

    /// Takes note of how a feed fares.
    ///
    /// # Errors
    /// The channel is being let go.
    pub async fn report(&self, feed: FeedId, report: Report) -> Result<(), EngineError> {
        self.send(Order::Report { feed, report }).await
    }

    /// Takes note of what was said in chat. Where so much of it waits already that a delivery would have to wait for it, these
    /// lines are left out; gives how many were.
    ///
    /// # Errors
    /// The channel is being let go.
    pub async fn chat(&self, feed: FeedId, lines: Vec<ChatLine>) -> Result<usize, EngineError> {
        let Ok(place) = Arc::clone(&self.chat_places).try_acquire_owned() else { return Ok(lines.len()) };
        self.send(Order::Chat { feed, lines, place }).await.map(|()| 0)
    }

    /// Changes what a widget is, on the stage or on air.
    ///
    /// # Errors
    /// The part does not take the value, there is nothing to do, or the database is away.
    pub async fn shape(&self, widget: WidgetId, shaping: Shaping) -> Result<(), EngineError> {
        self.order(|reply| Order::Shape { widget, shaping, reply }).await
    }

    /// Makes a widget.
    ///
    /// # Errors
    /// The database is away.
    pub async fn create(&self, setup: Setup, page_token: String) -> Result<WidgetId, EngineError> {
        self.order(|reply| Order::Create { setup: Box::new(setup), page_token, reply }).await
    }

    /// Asks the channel's state something. All orders given before are done by then.
    ///
    /// # Errors
    /// The channel is being let go.
    pub async fn ask<T: Send + 'static>(
        &self,
        question: impl FnOnce(&Channel, Instant) -> T + Send + 'static,
    ) -> Result<T, EngineError> {
        self.ask_all(|channel, _, now| question(channel, now)).await
    }

    /// Asks the channel's state something, and what is heard through its feeds besides.
    ///
    /// # Errors
    /// The channel is being let go.
    pub async fn ask_all<T: Send + 'static>(
        &self,
        question: impl FnOnce(&Channel, &Hearing, Instant) -> T + Send + 'static,
    ) -> Result<T, EngineError> {
        let (reply, answer) = oneshot::channel();
        let asked = Box::new(move |channel: &Channel, hearing: &Hearing, now: Instant| {
            // Whoever asked may have gone away meanwhile.
            let _ = reply.send(question(channel, hearing, now));
        });
        // Questions have their turn in the order in which they came, and are asked one by one.
        let _turn = self.question.acquire().await.map_err(|_| EngineError::Away)?;
        self.send(Order::Ask(asked)).await?;
        answer.await.map_err(|_| EngineError::Away)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clock::SystemClock;
    use tally_core::book::chat::Role;

    #[tokio::test]
    async fn chat_that_waits_is_left_out_before_anything_else_has_to_wait() {
        let (orders, mut waiting) = mpsc::channel(64);
        let clock: Arc<dyn Clock> = Arc::new(SystemClock);
        let hub = Arc::new(Hub::new(orders.clone(), clock.now()));
        let channel = ChannelHandle::new(ChannelId(1), hub, orders, clock);
        let lines = || {
            let (name, text) = ("ade".to_owned(), "choo".to_owned());
            let line = ChatLine { at: channel.now(), name, id: None, role: Role::Follower, subscriber: false, text };
            vec![line; 500]
        };
        for _ in 0..MOST_CHAT {
            assert_eq!(channel.chat(FeedId(1), lines()).await.unwrap(), 0);
        }
        assert_eq!(channel.chat(FeedId(1), lines()).await.unwrap(), 500, "nobody has read along so far");
        // There is room for what is no chat, and for chat again as soon as some was read.
        channel.report(FeedId(1), Report::Connected).await.unwrap();
        drop(waiting.recv().await);
        assert_eq!(channel.chat(FeedId(1), lines()).await.unwrap(), 0);
        assert_eq!(waiting.len(), MOST_CHAT + 1);
    }
}
