//! The pages that are open, and what they say of themselves.

use super::{Hub, Place, lock};
use crate::orders::Order;
use crate::publish::SeenBy;
use std::collections::btree_map::Entry;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::Ordering;
use std::sync::{Arc, MutexGuard};
use tally_core::overlay::Report;
use tally_core::record::ids::WidgetId;

/// An open page of an overlay.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenPage {
    /// Which overlay it shows.
    pub overlay: u32,
    /// What that is called.
    pub name: String,
    /// What it says of itself.
    pub report: Report,
    /// What is wrong with it, in words that say what to do.
    pub advice: Option<String>,
}

/// Counts an open page for as long as it lives.
pub struct PageGuard {
    hub: Arc<Hub>,
    number: u64,
    /// The widgets that it shows, where those are several.
    shows: BTreeSet<WidgetId>,
}

impl PageGuard {
    /// Notes what the page says of itself, and the overlay that it shows.
    pub fn tells(&self, page: OpenPage) {
        let mut reports = lock(&self.hub.reports);
        if reports.get(&self.number) == Some(&page) {
            return;
        }
        reports.insert(self.number, page);
        drop(reports);
        self.hub.report_pages();
    }

    /// Notes which widgets the page of an overlay shows.
    pub fn shows(&mut self, widgets: &BTreeSet<WidgetId>) {
        let mut on_overlays = lock(&self.hub.on_overlays);
        for id in widgets {
            let pages = on_overlays.entry(*id).or_default();
            *pages = pages.saturating_add(1);
        }
        for id in std::mem::replace(&mut self.shows, widgets.clone()) {
            if let Entry::Occupied(mut pages) = on_overlays.entry(id) {
                *pages.get_mut() = pages.get().saturating_sub(1);
                if *pages.get() == 0 {
                    pages.remove();
                }
            }
        }
        drop(on_overlays);
        self.hub.report_pages();
    }
}

impl Drop for PageGuard {
    fn drop(&mut self) {
        self.shows(&BTreeSet::new());
        self.hub.pages.fetch_sub(1, Ordering::Relaxed);
        lock(&self.hub.reports).remove(&self.number);
        self.hub.report_pages();
    }
}

/// Who sees the widgets of a channel at an instant.
pub(crate) struct Viewers<'a> {
    rooms: bool,
    widgets: MutexGuard<'a, BTreeMap<WidgetId, Place>>,
    on_overlays: MutexGuard<'a, BTreeMap<WidgetId, usize>>,
}

impl Viewers<'_> {
    /// By whom a widget is seen, if by anybody.
    pub(crate) fn of(&self, id: WidgetId) -> Option<SeenBy> {
        let pages = self.widgets.get(&id).is_some_and(|place| place.air.receiver_count() > 0);
        if pages || self.on_overlays.contains_key(&id) {
            return Some(SeenBy::Pages);
        }
        self.rooms.then_some(SeenBy::Rooms)
    }
}

impl Hub {
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

    /// Who is there now. Nothing is published while it is held.
    pub(crate) fn viewers(&self) -> Viewers<'_> {
        Viewers {
            rooms: self.everything.receiver_count() > 0 || self.drawings.receiver_count() > 0,
            widgets: lock(&self.widgets),
            on_overlays: lock(&self.on_overlays),
        }
    }

    /// Whether other viewers may be there than when this was asked last.
    pub(crate) fn viewers_changed(&self) -> bool {
        self.viewers_changed.swap(false, Ordering::AcqRel)
    }

    /// Counts a page in until the guard is dropped.
    #[must_use]
    pub fn page_opened(self: &Arc<Self>) -> PageGuard {
        self.pages.fetch_add(1, Ordering::Relaxed);
        self.report_pages();
        PageGuard {
            hub: Arc::clone(self),
            number: self.next_page.fetch_add(1, Ordering::Relaxed),
            shows: BTreeSet::new(),
        }
    }

    /// The open pages of an overlay.
    #[must_use]
    pub fn open_pages(&self, overlay: u32) -> Vec<OpenPage> {
        let all = lock(&self.reports);
        all.values().filter(|page| page.overlay == overlay).cloned().collect()
    }

    /// What is wrong with open pages: each thing once, with the name of the overlay.
    pub(crate) fn wrong(&self) -> BTreeSet<(String, String)> {
        let all = lock(&self.reports);
        all.values().filter_map(|page| Some((page.name.clone(), page.advice.clone()?))).collect()
    }

    pub(super) fn report_pages(&self) {
        self.viewers_changed.store(true, Ordering::Release);
        // A full queue means that whoever takes it looks up soon anyway.
        let _ = self.orders.try_send(Order::Pages);
    }
}
