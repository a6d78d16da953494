//! One channel's task: the only writer of its state and of its ledger.

mod drawing;
pub mod heard;

use crate::board::Board;
use crate::engine::Inner;
use crate::error::EngineError;
use crate::orders::{Deed, Ingested, Order, Rehearsed, Reply};
use crate::publish::Pace;
use heard::Hearing;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;
use tally_core::Instant;
use tally_core::book::shows::ShowAct;
use tally_core::channel::Channel;
use tally_core::count::{Count, Verdict};
use tally_core::entry::{ACT, Body, Draft, Incoming, Origin, VOID};
use tally_core::happening::Happening;
use tally_core::ids::{ChannelId, FeedId, Seq, WidgetId};
use tally_core::widgets::{Definition, Piece};
use tally_store::accounts::{AirSignals, ChannelRecord};
use tally_store::feeds::Feed;
use tally_store::ledger::AppendError;
use tally_store::rows::EntryRow;
use tally_store::snapshots::BookPart;
use tokio::sync::mpsc;

/// How many entries are read at a time when the ledger is replayed.
const PAGE: i64 = 5_000;
/// A snapshot is kept whenever this many entries have come since the last.
const SNAPSHOT_EVERY: u64 = 20_000;
/// Where a channel stands whose snapshot is out of date, because its definitions have changed.
const NO_SNAPSHOT: Seq = Seq(0);
/// Lines that are taken together into one append.
const MOST_DRAFTS: usize = 2_000;
/// Least time between two drawings of the signal strip.
const PULSE_GAP: Duration = Duration::from_millis(200);
/// The strip is drawn anew after this long without any event, so that "quiet since" stays true.
const PULSE_IDLE: Duration = Duration::from_secs(20);

/// Loads a channel from its snapshot and the entries since, hangs everything up, and sets it going.
pub(crate) async fn load(
    inner: Arc<Inner>,
    id: ChannelId,
    board: Arc<Board>,
    waiting: mpsc::Receiver<Order>,
) -> Result<(), EngineError> {
    let record = inner.store.channel(id).await?;
    let widgets = inner.store.widgets(id).await?;
    let tokens: BTreeMap<WidgetId, String> = widgets.iter().map(|one| (one.id, one.page_token.clone())).collect();
    let empty = Channel::new(record.settings, widgets.into_iter().map(|one| (one.id, one.definition.unfolded())));
    let mut channel = match inner.store.snapshot(id).await? {
        Some((snapshot, pages)) => empty.resume(snapshot, pages).unwrap_or(empty),
        None => empty,
    };
    let feeds = inner.store.feeds(id).await?;
    channel.set_feeds(names(&feeds));
    let now = tokio::time::Instant::now();
    let mut task = Task {
        kept_at: channel.last_seq(),
        channel,
        inner,
        id,
        board,
        tokens,
        feeds,
        pace: Pace::default(),
        pulse_due: Some(now),
        pulse_drawn: now,
        behind: true,
        ring: None,
        air: record.air_signals,
        hearing: Hearing::default(),
        rehearsal: None,
    };
    task.catch_up().await?;
    let all: Vec<WidgetId> = task.channel.widgets().map(|(id, _)| id).collect();
    task.pace.touch(all);
    task.draw();
    tokio::spawn(task.run(waiting));
    Ok(())
}

/// The names of feeds that can be chosen: those that are not removed.
fn names(feeds: &[Feed]) -> BTreeMap<FeedId, String> {
    feeds.iter().filter(|feed| !feed.removed).map(|feed| (FeedId(feed.id), feed.name.clone())).collect()
}

struct Task {
    inner: Arc<Inner>,
    id: ChannelId,
    channel: Channel,
    board: Arc<Board>,
    tokens: BTreeMap<WidgetId, String>,
    feeds: Vec<Feed>,
    pace: Pace,
    pulse_due: Option<tokio::time::Instant>,
    pulse_drawn: tokio::time::Instant,
    /// The ledger may hold entries that are not folded in: after a failure during a commit.
    behind: bool,
    /// The last entry in the newest snapshot.
    kept_at: Seq,
    /// Which widgets change by themselves next, and when.
    ring: Option<(Instant, Vec<WidgetId>)>,
    /// Which signals put the channel on air and take it off.
    air: AirSignals,
    /// What is heard through feeds besides lines of the record.
    hearing: Hearing,
    /// The make-believe record, from the first rehearsed happening until a definition changes.
    rehearsal: Option<Channel>,
}

impl Task {
    async fn run(mut self, mut waiting: mpsc::Receiver<Order>) {
        self.set_alarm();
        // An order that was taken out while looking for more of the same kind.
        let mut next: Option<Order> = None;
        loop {
            let order = match next.take() {
                Some(order) => Some(order),
                None => {
                    let wake = self.wake_at();
                    tokio::select! {
                        order = waiting.recv() => match order {
                            Some(order) => Some(order),
                            None => return,
                        },
                        () = tokio::time::sleep_until(wake) => None,
                    }
                }
            };
            match order {
                Some(Order::Ingest { drafts, reply }) => {
                    let mut group = vec![(drafts, reply)];
                    let mut lines = group[0].0.len();
                    while lines < MOST_DRAFTS {
                        match waiting.try_recv() {
                            Ok(Order::Ingest { drafts, reply }) => {
                                lines += drafts.len();
                                group.push((drafts, reply));
                            }
                            Ok(other) => {
                                next = Some(other);
                                break;
                            }
                            Err(_) => break,
                        }
                    }
                    self.ingest(group).await;
                }
                Some(Order::Stop(done)) => {
                    self.keep_snapshot().await;
                    let _ = done.send(());
                    return;
                }
                Some(order) => self.obey(order).await,
                None => {}
            }
            self.ring_alarm();
            self.draw();
            if self.channel.last_seq().0 >= self.kept_at.0 + SNAPSHOT_EVERY {
                self.keep_snapshot().await;
            }
        }
    }

    async fn obey(&mut self, order: Order) {
        // Replies to somebody who has gone away meanwhile are dropped: the deed is done all the same.
        match order {
            Order::Record { deed, reply } => {
                let _ = reply.send(self.record(deed).await);
            }
            Order::Settle { record, reply } => {
                let _ = reply.send(self.settle(*record).await);
            }
            Order::Rehearse { widget, event, feed, reply } => {
                let _ = reply.send(self.rehearse(widget, *event, feed));
            }
            Order::Report { feed, report } => {
                self.hearing.report(feed, report, self.inner.clock.now());
                self.pulse_soon();
            }
            Order::Chat { feed, lines } => {
                self.hearing.chat(feed, lines, self.inner.clock.now());
                self.pulse_soon();
            }
            Order::Edit { widget, key, text, reply } => {
                let _ = reply.send(self.edit(widget, &key, &text).await);
            }
            Order::Create { definition, page_token, reply } => {
                let _ = reply.send(self.create(definition, page_token).await);
            }
            Order::Readdress { widget, page_token, reply } => {
                let _ = reply.send(self.readdress(widget, page_token).await);
            }
            Order::Feeds(feeds) => {
                self.channel.set_feeds(names(&feeds));
                self.feeds = feeds;
                self.pulse_soon();
            }
            Order::Pages => self.pulse_soon(),
            Order::Ask(question) => {
                let now = self.inner.clock.now();
                self.channel.turn(now);
                question(&self.channel, &self.hearing, now);
            }
            // Taken out by `run` before they get here.
            Order::Ingest { .. } | Order::Stop(_) => {}
        }
    }

    // ---- decide → commit → apply ----

    async fn ingest(&mut self, group: Vec<(Vec<Draft>, Reply<Ingested>)>) {
        let (mut all, mut replies) = (Vec::new(), Vec::with_capacity(group.len()));
        for (drafts, reply) in group {
            replies.push((drafts.len(), reply));
            all.extend(drafts);
        }
        let signals: Vec<(usize, String)> = self.signals(&all);
        match self.append(all).await {
            Ok(places) => {
                let new =
                    signals.into_iter().filter_map(|(index, name)| Some(((*places.get(index)?)?, name))).collect();
                self.follow_signals(new).await;
                let mut rest = places.as_slice();
                for (count, reply) in replies {
                    let (mine, others) = rest.split_at(count.min(rest.len()));
                    rest = others;
                    let accepted = mine.iter().flatten().count();
                    let ingested =
                        Ingested { accepted, duplicates: count - accepted, last_seq: self.channel.last_seq() };
                    let _ = reply.send(Ok(ingested));
                }
            }
            Err(_) => {
                for (_, reply) in replies {
                    let _ = reply.send(Err(EngineError::Away));
                }
            }
        }
    }

    /// Which of these lines are signals that the channel follows, and what they are called.
    fn signals(&self, drafts: &[Draft]) -> Vec<(usize, String)> {
        let followed = |name: &str| !name.is_empty() && (name == self.air.on || name == self.air.off);
        let signal = |(index, draft): (usize, &Draft)| match &draft.body {
            Body::Happening(Happening::Signal { name, .. }) if followed(name) => Some((index, name.clone())),
            _ => None,
        };
        drafts.iter().enumerate().filter_map(signal).collect()
    }

    async fn record(&mut self, deed: Deed) -> Result<Seq, EngineError> {
        self.catch_up().await?;
        let now = self.inner.clock.now();
        let Deed { origin, happened_at, decide } = deed;
        let body = decide(&self.channel, now)?;
        let draft = Draft { origin, feed: None, happened_at: happened_at.unwrap_or(now), arrived_at: now, body };
        let places = self.append(vec![draft]).await?;
        Ok(places.into_iter().flatten().next().unwrap_or_else(|| self.channel.last_seq()))
    }

    /// Puts the channel on air, or takes it off, if one of these lines is a signal to do so.
    async fn follow_signals(&mut self, signals: Vec<(Seq, String)>) {
        for (seq, name) in signals {
            let act = if name == self.air.on { ShowAct::Begin } else { ShowAct::End };
            let by = format!("the signal “{name}”");
            let decide = move |channel: &Channel, now| channel.decide_show(act, &by, now);
            let origin = Origin { source: "signal".into(), id: seq.to_string() };
            // On air already, or the database is away: then the next signal, or a hand, will do.
            if let Err(error) = self.record(Deed { origin, happened_at: None, decide: Box::new(decide) }).await {
                tracing::info!(%error, channel = %self.id, "a signal changed nothing");
            }
        }
    }

    /// Makes drafts durable, then folds them in. Says which place each was given.
    async fn append(&mut self, drafts: Vec<Draft>) -> Result<Vec<Option<Seq>>, EngineError> {
        for _ in 0..3 {
            self.catch_up().await?;
            let rows = drafts.iter().map(|draft| EntryRow::of(self.id, draft)).collect::<Result<_, _>>()?;
            match self.inner.ledger.append(self.id, self.channel.last_seq(), rows).await {
                Ok(places) => {
                    for (draft, place) in drafts.into_iter().zip(&places) {
                        if let Some(seq) = place {
                            let touched = self.channel.apply(&draft.at(*seq));
                            self.pace.touch(touched);
                        }
                    }
                    self.set_alarm();
                    self.pulse_soon();
                    return Ok(places);
                }
                Err(AppendError::Behind) => self.behind = true,
                Err(AppendError::Away(_)) => {
                    self.behind = true;
                    return Err(EngineError::Away);
                }
            }
        }
        Err(EngineError::Away)
    }

    /// Folds in whatever the ledger holds beyond the present state.
    async fn catch_up(&mut self) -> Result<(), EngineError> {
        while self.behind {
            let entries = self.inner.store.entries_after(self.id, None, self.channel.last_seq(), PAGE).await?;
            self.behind = !entries.is_empty();
            for entry in &entries {
                let touched = self.channel.apply(entry);
                self.pace.touch(touched);
            }
        }
        Ok(())
    }

    // ---- rehearsing ----

    fn rehearse(&mut self, widget: WidgetId, event: Incoming, feed: FeedId) -> Result<Rehearsed, EngineError> {
        let now = self.inner.clock.now();
        let channel = self.rehearsal.get_or_insert_with(|| self.channel.rehearsal());
        let before = channel.view(widget, now).ok_or(EngineError::NotFound)?.text();
        let entry = event.draft(feed, now).at(channel.last_seq().next());
        channel.apply(&entry);
        let (scope, settings, book) = (channel.scope(now), channel.settings(), channel.book());
        let judge = |count: Count| {
            let fact = book.find(entry.happened_at, entry.seq)?;
            Some(match count.judge(fact, scope.span(&count), book, settings) {
                Verdict::Counts(worth) => (count.unit(settings).show(worth), true),
                Verdict::LeftOut(reason) => (reason.words().to_owned(), false),
            })
        };
        let piece = channel.widget(widget).ok_or(EngineError::NotFound)?;
        Ok(Rehearsed {
            verdicts: piece.counts(settings).into_iter().filter_map(judge).collect(),
            before,
            view: piece.view(&scope),
            pages: self.board.pages_of(widget),
        })
    }

    // ---- definitions ----

    async fn edit(&mut self, id: WidgetId, key: &str, text: &str) -> Result<(), EngineError> {
        self.catch_up().await?;
        let piece = self.channel.widget(id).ok_or(EngineError::NotFound)?;
        let (edited, refold) = piece.edited(key, text, &self.channel.scope(self.inner.clock.now()))?;
        let edited = if refold { self.refold(id, &edited).await? } else { edited };
        self.inner.store.save_definition(id, edited.definition()).await?;
        self.channel.put(id, edited);
        self.rehearsal = None;
        self.kept_at = NO_SNAPSHOT;
        self.pace.touch([id]);
        self.set_alarm();
        Ok(())
    }

    /// A definition with all acts on it folded in anew.
    async fn refold(&self, id: WidgetId, piece: &Piece) -> Result<Piece, EngineError> {
        let mut fresh = piece.emptied();
        let mut after = Seq(0);
        loop {
            let acts = self.inner.store.entries_after(self.id, Some(vec![ACT, VOID]), after, PAGE).await?;
            let Some(last) = acts.last() else { return Ok(fresh) };
            after = last.seq;
            for entry in acts.iter().filter(|entry| entry.body.widget() == Some(id)) {
                fresh.apply(entry);
            }
        }
    }

    async fn create(&mut self, definition: Definition, page_token: String) -> Result<WidgetId, EngineError> {
        self.catch_up().await?;
        let record = self.inner.store.create_widget(self.id, definition, page_token).await?;
        self.channel.put(record.id, record.definition.unfolded());
        self.rehearsal = None;
        self.kept_at = NO_SNAPSHOT;
        self.tokens.insert(record.id, record.page_token);
        self.pace.touch([record.id]);
        self.set_alarm();
        Ok(record.id)
    }

    async fn settle(&mut self, record: ChannelRecord) -> Result<(), EngineError> {
        self.catch_up().await?;
        let (settings, air) = (record.settings.clone(), record.air_signals.clone());
        self.inner.store.save_settings(record, self.channel.retold(&settings)).await?;
        self.channel.set_settings(settings);
        self.rehearsal = None;
        self.air = air;
        self.kept_at = NO_SNAPSHOT;
        let all: Vec<WidgetId> = self.channel.widgets().map(|(id, _)| id).collect();
        self.pace.touch(all);
        self.set_alarm();
        self.pulse_soon();
        Ok(())
    }

    async fn readdress(&mut self, id: WidgetId, page_token: String) -> Result<String, EngineError> {
        let old = self.tokens.get(&id).cloned().ok_or(EngineError::NotFound)?;
        self.inner.store.save_page_token(id, page_token.clone()).await?;
        self.tokens.insert(id, page_token);
        self.pace.touch([id]);
        Ok(old)
    }

    // ---- alarms and publishing ----

    fn set_alarm(&mut self) {
        self.ring = self.channel.next_alarm(self.inner.clock.now());
    }

    fn ring_alarm(&mut self) {
        let now = self.inner.clock.now();
        if let Some((at, _)) = &self.ring
            && *at <= now
            && let Some((_, ids)) = self.ring.take()
        {
            self.pace.touch(ids);
            self.set_alarm();
        }
    }

    fn pulse_soon(&mut self) {
        if self.pulse_due.is_none() {
            self.pulse_due = Some(self.pulse_drawn + PULSE_GAP);
        }
    }

    /// When the task must look up even if nobody calls.
    fn wake_at(&self) -> tokio::time::Instant {
        let idle = self.pulse_drawn + PULSE_IDLE;
        let alarm = self.ring.as_ref().map(|(at, _)| {
            let wait = (*at - self.inner.clock.now()).to_std().unwrap_or_default();
            // A far alarm is looked at again from time to time, should the machine's clock be set.
            tokio::time::Instant::now() + wait.min(PULSE_IDLE)
        });
        [Some(idle), self.pace.next(), self.pulse_due, alarm].into_iter().flatten().min().unwrap_or(idle)
    }

    async fn keep_snapshot(&mut self) {
        if self.kept_at == self.channel.last_seq() {
            return;
        }
        // Should this fail, starting takes longer without one, and that is all: no second try soon.
        self.kept_at = self.channel.last_seq();
        let parts: Result<Vec<_>, _> =
            self.channel.book().dirty().map(|(day, facts, changed)| BookPart::of(day, facts, changed)).collect();
        let saved = match parts {
            Ok(parts) => self.inner.store.save_snapshot(self.id, self.channel.snapshot(), parts.concat()).await,
            Err(error) => Err(error),
        };
        match saved {
            Ok(()) => self.channel.kept(),
            Err(error) => tracing::warn!(%error, channel = %self.id, "a snapshot could not be kept"),
        }
    }
}
