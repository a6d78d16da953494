//! The pages that are open, and what they say of themselves.

use super::{Hub, lock};
use crate::orders::Order;
use std::collections::BTreeSet;
use std::sync::Arc;
use std::sync::atomic::Ordering;
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
}

impl Drop for PageGuard {
    fn drop(&mut self) {
        self.hub.pages.fetch_sub(1, Ordering::Relaxed);
        lock(&self.hub.reports).remove(&self.number);
        self.hub.report_pages();
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

    /// Counts a page in until the guard is dropped.
    #[must_use]
    pub fn page_opened(self: &Arc<Self>) -> PageGuard {
        self.pages.fetch_add(1, Ordering::Relaxed);
        self.report_pages();
        PageGuard { hub: Arc::clone(self), number: self.next_page.fetch_add(1, Ordering::Relaxed) }
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
        // A full queue means that the strip is about to be drawn anyway.
        let _ = self.orders.try_send(Order::Pages);
    }
}
