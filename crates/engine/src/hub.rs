//! The hub, where drawings are published for all pages to see.

use crate::draw::Drawn;
use crate::orders::Order;
use bytestring::ByteString;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tally_core::record::ids::WidgetId;
use tokio::sync::{broadcast, mpsc, watch};

/// How many messages an application page may lag behind before it gets the present state anew.
const LAG: usize = 256;

/// What is on show in one channel, shared between its task and all pages.
pub struct Hub {
    widgets: Mutex<BTreeMap<WidgetId, Place>>,
    pulse: Mutex<ByteString>,
    everything: broadcast::Sender<ByteString>,
    pages: AtomicUsize,
    orders: mpsc::Sender<Order>,
}

struct Place {
    page_token: String,
    desk: ByteString,
    air: watch::Sender<ByteString>,
}

/// One widget's channel: always holds the newest message, and ends when its address is withdrawn.
pub type WidgetChannel = watch::Receiver<ByteString>;

/// Counts an open page for as long as it lives.
pub struct PageGuard {
    hub: Arc<Hub>,
}

impl Drop for PageGuard {
    fn drop(&mut self) {
        self.hub.pages.fetch_sub(1, Ordering::Relaxed);
        self.hub.report_pages();
    }
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    // Nothing panics while holding one of these locks, and a map is whole at every step.
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Hub {
    pub(crate) fn new(orders: mpsc::Sender<Order>) -> Self {
        let (everything, _) = broadcast::channel(LAG);
        Self { widgets: Mutex::default(), pulse: Mutex::default(), everything, pages: AtomicUsize::new(0), orders }
    }

    /// Publishes the newest drawing of a widget. Another token ends the pages at the old address.
    pub(crate) fn publish(&self, id: WidgetId, page_token: &str, drawn: Drawn) {
        let mut widgets = lock(&self.widgets);
        match widgets.get_mut(&id) {
            Some(place) if place.page_token == page_token => {
                place.desk.clone_from(&drawn.desk);
                place.air.send_replace(drawn.air.clone());
            }
            _ => {
                let place = Place {
                    page_token: page_token.to_owned(),
                    desk: drawn.desk.clone(),
                    air: watch::Sender::new(drawn.air.clone()),
                };
                widgets.insert(id, place);
            }
        }
        drop(widgets);
        // No listener is no fault: nobody has the application open.
        let _ = self.everything.send(drawn.air);
        let _ = self.everything.send(drawn.desk);
    }

    /// Tells the application's pages something that only those want to know that are open now.
    pub(crate) fn broadcast(&self, message: ByteString) {
        let _ = self.everything.send(message);
    }

    /// Takes a widget down: pages at its address go blank.
    pub(crate) fn take_down(&self, id: WidgetId) {
        lock(&self.widgets).remove(&id);
    }

    pub(crate) fn publish_pulse(&self, message: ByteString) {
        lock(&self.pulse).clone_from(&message);
        let _ = self.everything.send(message);
    }

    /// The channel of one widget, if it still has this address.
    #[must_use]
    pub fn widget(&self, id: WidgetId, page_token: &str) -> Option<WidgetChannel> {
        lock(&self.widgets).get(&id).filter(|place| place.page_token == page_token).map(|place| place.air.subscribe())
    }

    /// The present message of one widget for the pages on air.
    #[must_use]
    pub fn air(&self, id: WidgetId) -> Option<ByteString> {
        lock(&self.widgets).get(&id).map(|place| place.air.borrow().clone())
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
        all
    }

    /// Every message from now on.
    #[must_use]
    pub fn everything(&self) -> broadcast::Receiver<ByteString> {
        self.everything.subscribe()
    }

    /// How many pages on air are open.
    #[must_use]
    pub fn pages(&self) -> usize {
        self.pages.load(Ordering::Relaxed)
    }

    /// How many pages of one widget are open.
    #[must_use]
    pub fn pages_of(&self, id: WidgetId) -> usize {
        lock(&self.widgets).get(&id).map_or(0, |place| place.air.receiver_count())
    }

    /// Counts a page in until the guard is dropped.
    #[must_use]
    pub fn page_opened(self: &Arc<Self>) -> PageGuard {
        self.pages.fetch_add(1, Ordering::Relaxed);
        self.report_pages();
        PageGuard { hub: Arc::clone(self) }
    }

    fn report_pages(&self) {
        // A full queue means that the strip is about to be drawn anyway.
        let _ = self.orders.try_send(Order::Pages);
    }
}
