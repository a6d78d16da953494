//! One channel's task: the only writer of its state and of its ledger.

mod drawing;
mod feasts;
pub mod heard;
mod record;
mod rehearsing;
mod shaping;

use crate::board::Board;
use crate::engine::Inner;
use crate::error::EngineError;
use crate::orders::Order;
use crate::publish::Pace;
use feasts::Feasts;
use heard::Hearing;
use rehearsing::Rehearsal;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;
use tally_core::Instant;
use tally_core::channel::Channel;
use tally_core::ids::{ChannelId, FeedId, Seq, WidgetId};
use tally_core::widgets::Setup;
use tally_store::accounts::AirSignals;
use tally_store::feeds::Feed;
use tally_store::snapshots::BookPart;
use tokio::sync::mpsc;

/// How many entries are read at a time when the ledger is replayed.
const PAGE: i64 = 5_000;
/// A snapshot is kept whenever this many entries have come since the last.
const SNAPSHOT_EVERY: u64 = 50_000;
/// Where a channel stands whose snapshot is out of date, because its setups have changed.
const NO_SNAPSHOT: Seq = Seq(0);
/// Lines that are taken together into one append.
const MOST_DRAFTS: usize = 4_000;
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
    let mut widgets = inner.store.widgets(id).await?;
    let tokens: BTreeMap<WidgetId, String> = widgets.iter().map(|one| (one.id, one.page_token.clone())).collect();
    widgets.retain(|one| !one.archived);
    let drafts: Vec<(WidgetId, Setup)> = widgets.iter().filter_map(|one| Some((one.id, one.draft.clone()?))).collect();
    let empty = Channel::new(record.settings, widgets.into_iter().map(|one| (one.id, one.setup.unfolded())));
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
        edits_at_once: record.edits_at_once,
        hearing: Hearing::default(),
        watches: BTreeMap::new(),
        rehearsal: None,
    };
    task.catch_up().await?;
    for (id, setup) in drafts {
        let draft = task.with(id, setup).await?;
        task.channel.try_out(id, Some(draft));
    }
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
    /// Whether edits are on air at once.
    edits_at_once: bool,
    /// What is heard through feeds besides lines of the record.
    hearing: Hearing,
    /// Who watches the goals, to celebrate them.
    watches: BTreeMap<WidgetId, Feasts>,
    /// The make-believe record, from the first rehearsed happening on.
    rehearsal: Option<Rehearsal>,
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
                Some(Order::Ingest { drafts, rows, reply }) => {
                    let mut lines = drafts.len();
                    let mut group = vec![(drafts, rows, reply)];
                    while lines < MOST_DRAFTS {
                        match waiting.try_recv() {
                            Ok(Order::Ingest { drafts, rows, reply }) => {
                                lines += drafts.len();
                                group.push((drafts, rows, reply));
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
            Order::Rehearse { widget, make_believe, feed, reply } => {
                let _ = reply.send(self.rehearse(widget, make_believe, feed));
            }
            Order::Report { feed, report } => {
                self.hearing.report(feed, report, self.inner.clock.now());
                self.pulse_soon();
            }
            Order::Chat { feed, lines } => {
                self.hearing.chat(feed, lines.len(), self.inner.clock.now());
                let touched = self.channel.hear(feed, lines);
                self.pace.touch(touched);
                self.set_alarm();
                self.pulse_soon();
            }
            Order::Shape { widget, shaping, reply } => {
                let _ = reply.send(self.shape(widget, shaping).await);
            }
            Order::Create { setup, page_token, reply } => {
                let _ = reply.send(self.create(*setup, page_token).await);
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
