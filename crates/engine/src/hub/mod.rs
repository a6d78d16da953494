//! The hub, where drawings are published for all pages to see.

mod pages;

use crate::draw::Drawn;
use crate::drawers::ToDraw;
use crate::orders::{Order, Stepped};
use crate::rehearsal::Rehearsing;
use bytestring::ByteString;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::{AtomicBool, AtomicU64, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tally_core::record::cue::Outcome;
use tally_core::record::ids::{FeedId, WidgetId};
use tokio::sync::{broadcast, mpsc, watch};
use tokio::time::Instant;

pub use pages::{OpenPage, PageGuard};

/// How many messages an application page may lag behind before it gets the present state anew.
const LAG: usize = 256;

/// Whom a message is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Audience {
    /// The owner's rooms.
    Rooms,
    /// The owner's rooms, which show what is on air too.
    Air,
    /// Helpers who may operate this widget.
    Helpers(WidgetId),
}

/// A line that is to be said in chat.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ToSay {
    /// In the chat of which feed; in all that are joined if none is named.
    pub feed: Option<FeedId>,
    /// What.
    pub text: String,
    /// Since when it waits.
    pub since: Instant,
}

/// A message on its way to the application's pages.
pub type RoomMessage = (Audience, ByteString);

/// What is on show in one channel, shared between its task and all pages.
pub struct Hub {
    widgets: Mutex<BTreeMap<WidgetId, Place>>,
    pulse: Mutex<ByteString>,
    chat_roll: Mutex<ByteString>,
    everything: broadcast::Sender<RoomMessage>,
    /// Drawings alone, for overlays: thousands of pages need not wake for what only rooms are told.
    drawings: broadcast::Sender<(WidgetId, ByteString)>,
    passes: watch::Sender<()>,
    overlays: watch::Sender<()>,
    pages: AtomicUsize,
    /// How many drawings were published, or would have been: see [`Hub::new`].
    published: AtomicU64,
    /// The next page's number.
    next_page: AtomicU64,
    /// By page: which overlay it shows, and what it says of itself.
    reports: Mutex<BTreeMap<u64, OpenPage>>,
    /// Whether somebody came or went.
    viewers_changed: AtomicBool,
    /// On how many open pages of overlays each widget stands.
    on_overlays: Mutex<BTreeMap<WidgetId, usize>>,
    /// How often pages were asked to load themselves anew.
    reloads: watch::Sender<u64>,
    /// Whether nothing is seen on air.
    covered: watch::Sender<bool>,
    /// What is played on the pages of an overlay, by its number.
    sounds: broadcast::Sender<(u32, ByteString)>,
    /// What is said in chat.
    chat: broadcast::Sender<ToSay>,
    /// The rehearsal of the whole channel that runs beside it.
    rehearsal: watch::Sender<Option<Arc<Rehearsing>>>,
    orders: mpsc::Sender<Order>,
    /// What of it is to be drawn.
    to_draw: Mutex<ToDraw>,
}

/// Where a widget is seen; its messages are empty until it is drawn.
#[derive(Default)]
struct Place {
    page_token: String,
    desk: ByteString,
    helpers: Option<ByteString>,
    air: watch::Sender<ByteString>,
}

/// One widget's channel: always holds the newest message, an empty one until it is drawn, and ends when its address is withdrawn.
pub type WidgetChannel = watch::Receiver<ByteString>;

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    // Nothing panics while holding one of these locks, and a map is whole at every step.
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Hub {
    /// A hub on which nothing is shown yet. It counts drawings on from the instant at which it began, so that no two of a
    /// channel ever stand at the same number.
    pub(crate) fn new(orders: mpsc::Sender<Order>, began: tally_core::time::Instant) -> Self {
        let (everything, _) = broadcast::channel(LAG);
        let (drawings, _) = broadcast::channel(LAG);
        Self {
            widgets: Mutex::default(),
            pulse: Mutex::default(),
            chat_roll: Mutex::default(),
            everything,
            drawings,
            passes: watch::Sender::new(()),
            overlays: watch::Sender::new(()),
            pages: AtomicUsize::new(0),
            published: AtomicU64::new(began.timestamp_micros().unsigned_abs()),
            next_page: AtomicU64::new(0),
            reports: Mutex::default(),
            viewers_changed: AtomicBool::new(true),
            on_overlays: Mutex::default(),
            reloads: watch::Sender::new(0),
            covered: watch::Sender::new(false),
            sounds: broadcast::channel(LAG).0,
            chat: broadcast::channel(LAG).0,
            rehearsal: watch::Sender::new(None),
            orders,
            to_draw: Mutex::default(),
        }
    }

    /// What of it is to be drawn.
    pub(crate) fn to_draw(&self) -> MutexGuard<'_, ToDraw> {
        lock(&self.to_draw)
    }

    /// Lets a widget be seen at its address, as soon as it is drawn. Another address ends the pages at the old one.
    pub(crate) fn register(&self, id: WidgetId, page_token: &str) {
        let mut widgets = lock(&self.widgets);
        if widgets.get(&id).is_none_or(|place| place.page_token != page_token) {
            let place = Place { page_token: page_token.to_owned(), ..Place::default() };
            widgets.insert(id, place);
        }
    }

    /// A widget has changed that nobody sees: its last drawing is worth nothing any more. Whoever opens its page sees it there, and
    /// is sent the next.
    pub(crate) fn invalidate(&self, id: WidgetId) {
        if let Some(place) = lock(&self.widgets).get_mut(&id) {
            (place.desk, place.helpers) = (ByteString::new(), None);
            place.air.send_replace(ByteString::new());
        }
        self.changed_unseen();
    }

    /// What nobody sees has changed again.
    pub(crate) fn changed_unseen(&self) {
        self.published.fetch_add(1, Ordering::Relaxed);
    }

    /// Publishes the newest drawing of a widget, if it still has this address.
    pub(crate) fn publish(&self, id: WidgetId, page_token: &str, drawn: Drawn) {
        let mut widgets = lock(&self.widgets);
        let Some(place) = widgets.get_mut(&id).filter(|place| place.page_token == page_token) else { return };
        place.desk.clone_from(&drawn.desk);
        place.helpers.clone_from(&drawn.helpers);
        place.air.send_replace(drawn.air.clone());
        drop(widgets);
        self.published.fetch_add(1, Ordering::Relaxed);
        // No listener is no fault: nobody has the application open.
        let _ = self.drawings.send((id, drawn.air.clone()));
        let _ = self.everything.send((Audience::Air, drawn.air));
        let _ = self.everything.send((Audience::Rooms, drawn.desk));
        if let Some(message) = drawn.helpers {
            let _ = self.everything.send((Audience::Helpers(id), message));
        }
    }

    /// Tells the application's pages something that only those want to know that are open now.
    pub(crate) fn broadcast(&self, message: ByteString) {
        let _ = self.everything.send((Audience::Rooms, message));
    }

    /// Takes a widget down: pages at its address go blank.
    pub(crate) fn take_down(&self, id: WidgetId) {
        lock(&self.widgets).remove(&id);
    }

    pub(crate) fn publish_pulse(&self, message: ByteString) {
        lock(&self.pulse).clone_from(&message);
        let _ = self.everything.send((Audience::Rooms, message));
    }

    pub(crate) fn publish_chat(&self, message: ByteString) {
        lock(&self.chat_roll).clone_from(&message);
        let _ = self.everything.send((Audience::Rooms, message));
    }

    /// The channel of one widget, if it still has this address.
    #[must_use]
    pub fn widget(&self, id: WidgetId, page_token: &str) -> Option<WidgetChannel> {
        lock(&self.widgets).get(&id).filter(|place| place.page_token == page_token).map(|place| place.air.subscribe())
    }

    /// All present messages, for an application page that has just connected.
    #[must_use]
    pub fn present(&self) -> Vec<ByteString> {
        let widgets = lock(&self.widgets);
        let mut all: Vec<ByteString> = Vec::with_capacity(widgets.len() * 2 + 1);
        for place in widgets.values() {
            all.push(place.air.borrow().clone());
            all.push(place.desk.clone());
        }
        drop(widgets);
        all.push(lock(&self.pulse).clone());
        all.push(lock(&self.chat_roll).clone());
        all
    }

    /// The present messages of these widgets for helpers.
    #[must_use]
    pub fn present_for_helpers(&self, allowed: &BTreeSet<WidgetId>) -> Vec<ByteString> {
        let widgets = lock(&self.widgets);
        allowed.iter().filter_map(|id| widgets.get(id)?.helpers.clone()).collect()
    }

    /// Every drawing for pages on air from now on.
    #[must_use]
    pub fn drawings(&self) -> broadcast::Receiver<(WidgetId, ByteString)> {
        let drawings = self.drawings.subscribe();
        self.report_pages();
        drawings
    }

    /// Every message to rooms and helpers from now on.
    #[must_use]
    pub fn everything(&self) -> broadcast::Receiver<RoomMessage> {
        let everything = self.everything.subscribe();
        self.report_pages();
        everything
    }

    /// Some pass of the channel has changed: whoever goes by one asks again whether it holds.
    pub fn passes_changed(&self) {
        self.passes.send_replace(());
    }

    /// Some overlay of the channel has another layout on air, or another address.
    pub fn overlays_changed(&self) {
        self.overlays.send_replace(());
    }

    /// Rings whenever an overlay of the channel has changed.
    #[must_use]
    pub fn overlays_watch(&self) -> watch::Receiver<()> {
        self.overlays.subscribe()
    }

    /// Rings whenever a pass of the channel has changed.
    #[must_use]
    pub fn passes_watch(&self) -> watch::Receiver<()> {
        self.passes.subscribe()
    }

    /// A number that grows with every drawing: as long as it stays, a page that has been drawn since has all of them.
    #[must_use]
    pub fn published(&self) -> u64 {
        self.published.load(Ordering::Relaxed)
    }

    /// Asks every page on air to load itself anew.
    pub fn reload_pages(&self) {
        self.reloads.send_modify(|times| *times = times.wrapping_add(1));
    }

    /// Rings whenever pages on air are asked to load themselves anew.
    #[must_use]
    pub fn reloads_watch(&self) -> watch::Receiver<u64> {
        self.reloads.subscribe()
    }

    /// Hides everything on air, or brings it back.
    pub(crate) fn cover(&self, covered: bool) {
        self.covered.send_if_modified(|was| std::mem::replace(was, covered) != covered);
    }

    /// Whether nothing is seen on air, now and whenever that changes.
    #[must_use]
    pub fn cover_watch(&self) -> watch::Receiver<bool> {
        self.covered.subscribe()
    }

    /// Plays a sound on the pages of an overlay, so loud, in hundredths.
    pub(crate) fn play(&self, overlay: u32, sound: &str, volume: u8) {
        let message = serde_json::json!({"play": {"sound": sound, "volume": volume}}).to_string().into();
        // No listener is no fault: the overlay is open nowhere.
        let _ = self.sounds.send((overlay, message));
    }

    /// What is played on overlays from now on.
    #[must_use]
    pub fn sounds(&self) -> broadcast::Receiver<(u32, ByteString)> {
        self.sounds.subscribe()
    }

    /// Says a line in chat: in that of a feed, or in all that are joined. False if none is.
    pub(crate) fn say(&self, feed: Option<FeedId>, text: String) -> bool {
        self.chat.send(ToSay { feed, text, since: Instant::now() }).is_ok()
    }

    /// Whether some chat is joined in which can be spoken.
    #[must_use]
    pub fn is_chat_joined(&self) -> bool {
        self.chat.receiver_count() > 0
    }

    /// What is to be said in chat from now on: for whoever has joined one.
    #[must_use]
    pub fn to_say(&self) -> broadcast::Receiver<ToSay> {
        self.chat.subscribe()
    }

    /// The rehearsal that runs beside it.
    #[must_use]
    pub fn rehearsal(&self) -> Option<Arc<Rehearsing>> {
        self.rehearsal.borrow().clone()
    }

    /// The rehearsal that runs beside it, now and whenever that changes.
    #[must_use]
    pub fn rehearsal_watch(&self) -> watch::Receiver<Option<Arc<Rehearsing>>> {
        self.rehearsal.subscribe()
    }

    /// A rehearsal has begun, if none runs already; says whether.
    pub(crate) fn rehearsal_begins(&self, rehearsing: Arc<Rehearsing>) -> bool {
        let begins = self.rehearsal.send_if_modified(|running| {
            let begins = running.is_none();
            if begins {
                *running = Some(rehearsing);
            }
            begins
        });
        self.report_pages();
        begins
    }

    /// The rehearsal is over; gives it if one ran.
    pub(crate) fn rehearsal_ends(&self) -> Option<Arc<Rehearsing>> {
        let ended = self.rehearsal.send_replace(None);
        self.report_pages();
        ended
    }

    /// A call that a cue made was answered.
    pub(crate) async fn called(&self, step: Stepped, outcome: Outcome) {
        // A channel that is being let go makes the call again when it comes back.
        let _ = self.orders.send(Order::Called { step, outcome }).await;
    }
}
