//! One channel's task: the only writer of its state and of its ledger.

mod alarm;
mod bot;
mod by_itself;
mod celebrations;
mod cues;
mod drawing;
pub mod heard;
mod levels;
mod meanwhile;
mod record;
mod rehearsing;
mod said;
mod seeds;
mod shaping;
mod supervise;
mod votes;

use crate::context::Context;
use crate::error::EngineError;
use crate::hub::Hub;
use crate::orders::Order;
use crate::publish::Pace;
pub(crate) use bot::lot;
use celebrations::Celebrations;
use cues::CuesAtWork;
use futures_util::FutureExt;
use futures_util::future::BoxFuture;
use heard::Hearing;
use rehearsing::Rehearsal;
use said::Said;
use seeds::Seeds;
use std::collections::{BTreeMap, VecDeque};
use std::sync::Arc;
use std::time::Duration;
use supervise::Loaded;
pub(crate) use supervise::rehearse;
use tally_core::channel::{Alarms, Channel};
use tally_core::record::ids::{ChannelId, FeedId, Seq, WidgetId};
use tally_core::record::levels::Levels;
use tally_core::time::Instant;
use tally_core::widgets::Setup;
use tally_store::accounts::AirSignals;
use tally_store::feeds::Feed;
use tally_store::snapshots::BookPart;
use tokio::sync::{mpsc, watch};
use votes::Votes;

/// How many entries are read at a time when the ledger is replayed.
const PAGE: i64 = 5_000;
/// A snapshot is kept whenever this many entries have come since the last.
const SNAPSHOT_EVERY: u64 = 50_000;
/// Where a channel stands whose snapshot is out of date, because its setups have changed.
const NO_SNAPSHOT: Seq = Seq(0);
/// Lines that are taken together into one append.
const MOST_DRAFTS: usize = 4_000;
/// The strip is drawn anew after this long without any event, so that "quiet since" stays true.
const PULSE_IDLE: Duration = Duration::from_secs(20);

/// Loads a channel, publishes what is seen of it, and sets it going.
pub(crate) fn load(
    context: Context,
    id: ChannelId,
    hub: Arc<Hub>,
    waiting: mpsc::Receiver<Order>,
) -> BoxFuture<'static, Result<(), EngineError>> {
    async move {
        let task = supervise::begin(&context, id, &hub).await?;
        context.runtime.spawn(supervise::supervise(Task { waiting, ..task }));
        Ok(())
    }
    .boxed()
}

/// The names of feeds that can be chosen: those that are not removed.
fn names(feeds: &[Feed]) -> BTreeMap<FeedId, String> {
    feeds.iter().filter(|feed| !feed.removed).map(|feed| (FeedId(feed.id), feed.name.clone())).collect()
}

struct Task {
    context: Context,
    id: ChannelId,
    waiting: mpsc::Receiver<Order>,
    /// Orders that came while the database was waited for, and have to wait for it too.
    deferred: VecDeque<Order>,
    /// What is being done, for the log should it fail.
    doing: String,
    channel: Channel,
    hub: Arc<Hub>,
    tokens: BTreeMap<WidgetId, String>,
    feeds: Vec<Feed>,
    pace: Pace,
    pulse_due: Option<tokio::time::Instant>,
    pulse_drawn: tokio::time::Instant,
    /// The ledger may hold entries that are not folded in: after a failure during a commit.
    behind: bool,
    /// The last entry in the newest snapshot.
    kept_at: Seq,
    /// When widgets change by themselves.
    alarms: Alarms,
    /// When what widgets did by themselves is tried to be written again, after a failure.
    due_from: Option<Instant>,
    /// Which signals put the channel on air and take it off.
    air: AirSignals,
    /// Whether edits are on air at once.
    edits_at_once: bool,
    /// Which readings of levels are to be recorded.
    levels: Levels,
    /// What came of chat and is to be recorded.
    said: Said,
    /// Votes of the audience that are to be recorded.
    votes: Votes,
    /// What is heard through feeds besides lines of the record.
    hearing: Hearing,
    /// The seeds of wheels that wait for their spin.
    seeds: Seeds,
    /// What cues decided, and what they did not do.
    cues: CuesAtWork,
    /// Rings when an overlay has changed; and whether the layouts on air were read.
    layouts: watch::Receiver<()>,
    knows_layouts: bool,
    /// Whether all of the record was read that stood there at the beginning: what comes from then on sets cues off.
    lives: bool,
    /// What the desk has to be told of.
    attention: BTreeMap<WidgetId, String>,
    /// The newest line of chat that was drawn.
    chat_drawn: Option<u64>,
    /// Who watches the goals, to celebrate them.
    watches: BTreeMap<WidgetId, Celebrations>,
    /// The make-believe record, from the first rehearsed happening on.
    rehearsal: Option<Rehearsal>,
}

impl Task {
    /// Makes a task from the channel's snapshot and the entries since, and publishes all of it.
    ///
    /// Nobody can tell it anything yet: whoever begins it says where orders come from.
    ///
    /// # Errors
    /// The database is away, or there is no such channel.
    async fn begin(context: Context, id: ChannelId, hub: Arc<Hub>) -> Result<Self, EngineError> {
        let mut loaded = Loaded::of(&context, id).await?;
        let drafts = std::mem::take(&mut loaded.drafts);
        let mut task = Self::new(context, id, hub, loaded);
        task.begin_with(drafts).await?;
        Ok(task)
    }

    fn new(context: Context, id: ChannelId, hub: Arc<Hub>, loaded: Loaded) -> Self {
        let Loaded { channel, record, tokens, feeds, .. } = loaded;
        let now = tokio::time::Instant::now();
        let layouts = hub.overlays_watch();
        Self {
            kept_at: channel.last_seq(),
            channel,
            context,
            id,
            waiting: mpsc::channel(1).1,
            deferred: VecDeque::new(),
            doing: "loading".into(),
            hub,
            tokens,
            feeds,
            pace: Pace::default(),
            pulse_due: Some(now),
            pulse_drawn: now,
            behind: true,
            alarms: Alarms::default(),
            due_from: None,
            air: record.air_signals,
            edits_at_once: record.edits_at_once,
            levels: levels::of(record.level_gap_s),
            said: Said::default(),
            votes: Votes::default(),
            hearing: Hearing::default(),
            seeds: Seeds::default(),
            cues: CuesAtWork::default(),
            layouts,
            knows_layouts: false,
            lives: false,
            attention: BTreeMap::new(),
            chat_drawn: None,
            watches: BTreeMap::new(),
            rehearsal: None,
        }
    }

    async fn begin_with(&mut self, drafts: Vec<(WidgetId, Setup)>) -> Result<(), EngineError> {
        self.catch_up().await?;
        self.lives = true;
        self.hub.cover(self.channel.is_covered());
        if !self.context.keep.is_rehearsal() {
            self.note_absences().await?;
        }
        self.load_vote_keys().await?;
        self.load_seeds().await?;
        for (id, setup) in drafts {
            let draft = self.with(id, setup).await?;
            self.channel.try_out(id, Some(draft));
        }
        let all: Vec<WidgetId> = self.channel.widgets().map(|(id, _)| id).collect();
        for id in &all {
            self.register(*id);
        }
        self.pace.touch(all);
        self.publish_changed();
        Ok(())
    }

    /// Does what it is told, until it is told to stop or nobody is left to tell it.
    async fn run(&mut self) {
        // An order that was taken out while looking for more of the same kind.
        let mut next: Option<Order> = None;
        loop {
            let order = match next.take().or_else(|| self.deferred.pop_front()) {
                Some(order) => Some(order),
                None => {
                    let levels = self.levels.next().map(|at| self.until(at));
                    let wake = self.wake_at();
                    let later = [self.said_next(), self.seeds_next(), self.cues_next(), self.timed_next()];
                    let later = later.into_iter().chain([self.notice_next(), self.air_next()]).flatten().min();
                    let said = later.map(|at| self.until(at));
                    let wake =
                        [levels, said, self.votes.due()].into_iter().flatten().fold(wake, |wake, at| wake.min(at));
                    tokio::select! {
                        order = self.waiting.recv() => match order {
                            Some(order) => Some(order),
                            None => return,
                        },
                        () = tokio::time::sleep_until(wake) => None,
                    }
                }
            };
            self.follow_layouts().await;
            if let Some(order) = &order {
                self.doing = order.words();
            }
            match order {
                Some(Order::Ingest { drafts, rows, reply }) => {
                    let mut lines = drafts.len();
                    let mut group = vec![(drafts, rows, reply)];
                    while lines < MOST_DRAFTS {
                        match self.deferred.pop_front().map_or_else(|| self.waiting.try_recv(), Ok) {
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
                    self.record_said().await;
                    self.votes.hurry();
                    self.record_votes().await;
                    self.record_levels(Instant::MAX_UTC).await;
                    self.keep_snapshot().await;
                    let _ = done.send(());
                    return;
                }
                Some(order) => self.handle(order).await,
                None => {}
            }
            self.doing = "writing what widgets do by themselves".into();
            self.write_due_when_idle().await;
            self.doing = "recording what was said in chat".into();
            self.record_said().await;
            self.record_votes().await;
            self.keep_promises().await;
            self.doing = "doing what cues do".into();
            self.run_cues().await;
            self.say_notices();
            self.doing = "recording levels".into();
            self.record_levels(self.context.clock.now()).await;
            self.doing = "publishing".into();
            self.ring_alarms();
            self.publish_changed();
            if self.channel.last_seq().0 >= self.kept_at.0 + SNAPSHOT_EVERY {
                self.keep_snapshot().await;
            }
        }
    }

    async fn handle(&mut self, order: Order) {
        // What is rehearsed is a copy: what people make is made in the channel itself.
        if self.context.keep.is_rehearsal() && order.shapes() {
            return;
        }
        // Replies to somebody who has gone away meanwhile are dropped: the command is done all the same.
        match order {
            Order::Record { command, reply } => {
                let _ = reply.send(self.record(command).await);
            }
            Order::ChangeSettings { record, reply } => {
                let _ = reply.send(self.change_settings(*record).await);
            }
            Order::EditDesk { edit, reply } => {
                let _ = reply.send(self.edit_desk(edit).await);
            }
            Order::EditAir { edit, reply } => {
                let _ = reply.send(self.edit_air(edit).await);
            }
            Order::Schedule { scheduling, reply } => {
                let _ = reply.send(self.schedule(*scheduling).await);
            }
            Order::EditLooks { edit, reply } => {
                let _ = reply.send(self.edit_looks(edit).await);
            }
            Order::EditCues { edit, offer, reply } => {
                let _ = reply.send(self.edit_cues(edit, &offer).await);
            }
            Order::EditBot { edit, reply } => {
                let _ = reply.send(self.edit_bot(edit).await);
            }
            Order::Called { step, outcome } => self.cues.was_called(step, outcome),
            Order::FireCue { cue, by, reply } => {
                let _ = reply.send(self.fire_cue(cue, by).await);
            }
            Order::Rehearse { widget, make_believe, feed, reply } => {
                let _ = reply.send(self.rehearse(widget, make_believe, feed));
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
            looking => self.look(looking),
        }
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
            Ok(parts) => {
                let (keep, id, snapshot) = (self.context.keep.clone(), self.id, self.channel.snapshot());
                self.meanwhile(async move { keep.save_snapshot(id, snapshot, parts.concat()).await }).await
            }
            Err(error) => Err(error),
        };
        match saved {
            Ok(()) => self.channel.kept(),
            Err(error) => tracing::warn!(%error, channel = %self.id, "a snapshot could not be kept"),
        }
    }
}
