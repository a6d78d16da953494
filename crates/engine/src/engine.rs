//! Finds the channel, and hands it what is to be done.

use crate::calls::{Call, MOST_CALLS};
use crate::clock::Clock;
use crate::context::Context;
use crate::draw::Draw;
use crate::drawers::Drawers;
use crate::error::EngineError;
use crate::handle::ChannelHandle;
use crate::hub::Hub;
use crate::keep::Keep;
use crate::orders::Order;
use crate::quarantine::Quarantine;
use crate::task;
use std::collections::HashMap;
use std::sync::{Arc, PoisonError, RwLock};
use std::time::Duration;
use tally_core::record::ids::{ChannelId, WidgetId};
use tally_core::time::Instant;
use tally_store::feeds::Feed;
use tally_store::{Store, StoreError};
use tokio::runtime::Handle;
use tokio::sync::{Mutex, OnceCell, mpsc, oneshot, watch};
use tokio::task::AbortHandle;

/// How many orders may wait at a channel before whoever gives them has to.
pub(crate) const QUEUE: usize = 4_096;

/// How long a stop waits for snapshots.
const STOPPING: Duration = Duration::from_secs(5);

/// How often it is noted that the server is there.
const PRESENCE: Duration = Duration::from_secs(3);
/// A gap longer than this is told to whoever asks why a clock stands where it stands.
const AWAY: Duration = Duration::from_secs(15);

/// So many ends in a row while a channel was loaded keep it from being loaded by itself. Loading takes a while, so that one end
/// may have come from elsewhere.
const ENDS: u32 = 2;

/// All channels of this process.
#[derive(Clone)]
pub struct Engine {
    pub(crate) inner: Arc<Inner>,
}

pub(crate) struct Inner {
    /// What each channel's task works with.
    pub context: Context,
    quarantine: Quarantine,
    channels: Mutex<HashMap<ChannelId, Arc<OnceCell<ChannelHandle>>>>,
    addresses: RwLock<HashMap<String, (ChannelId, WidgetId)>>,
    feeds: RwLock<KeptFeeds>,
    feeds_changed: watch::Sender<()>,
    /// What notes that the server is there.
    presence: Mutex<Option<AbortHandle>>,
    /// The calls that tasks want made, until somebody takes them.
    calls_to_make: Mutex<Option<mpsc::Receiver<Call>>>,
}

/// Feeds that were asked for by their addresses.
#[derive(Default)]
struct KeptFeeds {
    by_token: HashMap<String, Arc<Feed>>,
    /// Raised whenever any feed is changed.
    generation: u64,
}

impl Engine {
    /// An engine over a store. Channels are loaded when first asked for, and run where this is called: within a
    /// runtime.
    #[must_use]
    pub fn new(store: Store, draw: Arc<dyn Draw>, clock: Arc<dyn Clock>) -> Self {
        Self::with(store, draw, clock, Quarantine::default())
    }

    /// The same, with what an earlier run was reading when it ended.
    #[must_use]
    pub fn with(store: Store, draw: Arc<dyn Draw>, clock: Arc<dyn Clock>, quarantine: Quarantine) -> Self {
        let (calls, calls_to_make) = mpsc::channel(MOST_CALLS);
        let context = Context {
            keep: Keep::Database { store: store.clone(), ledger: store.ledger() },
            store,
            drawers: Drawers::new(draw),
            clock,
            runtime: Handle::current(),
            health: Arc::default(),
            calls,
        };
        let inner = Inner {
            context,
            quarantine,
            channels: Mutex::default(),
            addresses: RwLock::default(),
            feeds: RwLock::default(),
            feeds_changed: watch::Sender::new(()),
            presence: Mutex::default(),
            calls_to_make: Mutex::new(Some(calls_to_make)),
        };
        Self { inner: Arc::new(inner) }
    }

    /// Notes from now on that the server is there, and whether it was away before.
    ///
    /// # Errors
    /// The database is away.
    pub async fn be_present(&self) -> Result<(), StoreError> {
        let most_us = i64::try_from(AWAY.as_micros()).unwrap_or(i64::MAX);
        self.inner.context.store.begin_presence(self.now(), most_us).await?;
        let engine = self.clone();
        let keeping = self.inner.context.runtime.spawn(async move {
            loop {
                tokio::time::sleep(PRESENCE).await;
                // A database that is away notes nothing, but the clocks run on all the same.
                let _ = engine.inner.context.store.keep_presence(engine.now()).await;
            }
        });
        if let Some(before) = self.inner.presence.lock().await.replace(keeping.abort_handle()) {
            before.abort();
        }
        Ok(())
    }

    /// The calls that cues make, for whoever can reach outside; none if somebody makes them already.
    pub async fn take_calls(&self) -> Option<mpsc::Receiver<Call>> {
        self.inner.calls_to_make.lock().await.take()
    }

    /// Sets something going where channels' tasks run: not on a thread that answers requests.
    pub fn spawn(&self, work: impl Future<Output = ()> + Send + 'static) {
        self.inner.context.runtime.spawn(work);
    }

    /// The store behind it.
    #[must_use]
    pub fn store(&self) -> &Store {
        &self.inner.context.store
    }

    /// Now.
    #[must_use]
    pub fn now(&self) -> Instant {
        self.inner.context.clock.now()
    }

    /// What the machine's own clock says, by which others sign.
    #[must_use]
    pub fn machine_now(&self) -> Instant {
        self.inner.context.clock.machine()
    }

    /// Goes by the machine's clock again, which has jumped.
    pub fn follow_machine(&self) {
        self.inner.context.clock.follow_machine();
    }

    /// A channel, loaded if need be.
    ///
    /// # Errors
    /// There is none, or the database is away.
    pub async fn channel(&self, id: ChannelId) -> Result<ChannelHandle, EngineError> {
        let cell = Arc::clone(self.inner.channels.lock().await.entry(id).or_default());
        let handle = cell
            .get_or_try_init(|| async {
                let _reading = self.inner.quarantine.enter(&channel_name(id), ENDS)?;
                let (orders, waiting) = mpsc::channel(QUEUE);
                let hub = Arc::new(Hub::new(orders.clone(), self.now()));
                task::load(self.inner.context.clone(), id, Arc::clone(&hub), waiting).await?;
                Ok::<_, EngineError>(ChannelHandle::new(id, hub, orders, Arc::clone(&self.inner.context.clock)))
            })
            .await?;
        Ok(handle.clone())
    }

    /// What is being read, and what is not read again until somebody asks.
    #[must_use]
    pub fn quarantine(&self) -> &Quarantine {
        &self.inner.quarantine
    }

    /// Its owner asks for a channel: it is loaded even if the program ended when it was loaded before.
    pub fn ask_for(&self, id: ChannelId) {
        self.inner.quarantine.release(&channel_name(id));
    }

    /// The channel and the widget behind a page's address.
    ///
    /// # Errors
    /// There is none, or the database is away.
    pub async fn by_page_token(&self, token: &str) -> Result<(ChannelHandle, WidgetId), EngineError> {
        let known = read(&self.inner.addresses).get(token).copied();
        let (channel, widget) = match known {
            Some(known) => known,
            None => {
                let record = self.inner.context.store.widget_by_token(token.to_owned()).await?;
                write(&self.inner.addresses).insert(token.to_owned(), (record.channel, record.id));
                (record.channel, record.id)
            }
        };
        Ok((self.channel(channel).await?, widget))
    }

    /// The feed behind an address.
    ///
    /// # Errors
    /// There is none, or the database is away.
    pub async fn by_feed_token(&self, token: &str) -> Result<Arc<Feed>, EngineError> {
        let known = read(&self.inner.feeds).by_token.get(token).cloned();
        if let Some(feed) = known {
            return Ok(feed);
        }
        let before = read(&self.inner.feeds).generation;
        let feed = Arc::new(self.inner.context.store.feed_by_token(token.to_owned()).await?);
        let mut kept = write(&self.inner.feeds);
        // If a feed was changed meanwhile, what was read may be from before: then it is for this once.
        if kept.generation == before {
            kept.by_token.insert(token.to_owned(), Arc::clone(&feed));
        }
        Ok(feed)
    }

    /// Takes note that a channel's feeds have changed.
    ///
    /// # Errors
    /// The database is away.
    pub async fn feeds_changed(&self, id: ChannelId) -> Result<(), EngineError> {
        {
            let mut kept = write(&self.inner.feeds);
            kept.generation += 1;
            kept.by_token.retain(|_, feed| feed.channel_id != id.0);
        }
        self.inner.feeds_changed.send_replace(());
        let feeds = self.inner.context.store.feeds(id).await?;
        self.channel(id).await?.send(Order::Feeds(feeds)).await
    }

    /// Rings whenever feeds of any channel have changed.
    #[must_use]
    pub fn feeds_watch(&self) -> watch::Receiver<()> {
        self.inner.feeds_changed.subscribe()
    }

    /// Gives a widget's page another address. Pages open at the old one go blank.
    ///
    /// # Errors
    /// There is no such widget, or the database is away.
    pub async fn readdress(&self, id: ChannelId, widget: WidgetId, page_token: String) -> Result<(), EngineError> {
        let channel = self.channel(id).await?;
        let old = channel.order(|reply| Order::Readdress { widget, page_token, reply }).await?;
        write(&self.inner.addresses).remove(&old);
        Ok(())
    }

    /// The channels whose task has ended and does not stand again, or only just.
    #[must_use]
    pub fn failing(&self) -> Vec<ChannelId> {
        self.inner.context.health.failing()
    }

    /// Whether lines can be written, as far as is known.
    #[must_use]
    pub fn writes(&self) -> bool {
        self.inner.context.health.writes()
    }

    /// Lets every channel keep a snapshot and end. A snapshot is a shortcut: whatever takes longer than some
    /// seconds is left.
    pub async fn stop(&self) {
        if let Some(keeping) = self.inner.presence.lock().await.take() {
            keeping.abort();
        }
        let cells: Vec<_> = self.inner.channels.lock().await.drain().map(|(_, cell)| cell).collect();
        let stops = cells.into_iter().map(|cell| async move {
            let Some(handle) = cell.get() else { return };
            let (reply, done) = oneshot::channel();
            if handle.send(Order::Stop(reply)).await.is_ok() {
                // An answer that never comes means that the task is gone already.
                let _ = done.await;
            }
        });
        if tokio::time::timeout(STOPPING, futures_util::future::join_all(stops)).await.is_err() {
            tracing::warn!(
                "not every channel could keep a snapshot in time; the next start reads on from an older one"
            );
        }
    }
}

fn channel_name(id: ChannelId) -> String {
    format!("channel-{id}")
}

fn read<T>(lock: &RwLock<T>) -> std::sync::RwLockReadGuard<'_, T> {
    lock.read().unwrap_or_else(PoisonError::into_inner)
}

fn write<T>(lock: &RwLock<T>) -> std::sync::RwLockWriteGuard<'_, T> {
    lock.write().unwrap_or_else(PoisonError::into_inner)
}
