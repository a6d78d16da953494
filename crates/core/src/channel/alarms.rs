//! When each widget's view changes by itself next, in one order. It is asked of a widget when it is drawn, and of no other: what
//! changes a view touches its widget, so that it is drawn anew.

use super::Channel;
use crate::record::ids::WidgetId;
use crate::time::Instant;
use std::collections::{BTreeMap, BTreeSet};

/// See the module.
#[derive(Debug, Clone, Default)]
pub struct Alarms {
    of: BTreeMap<WidgetId, Instant>,
    order: BTreeSet<(Instant, WidgetId)>,
}

impl Alarms {
    /// Notes when a widget's view changes next, from an instant on at which it was drawn; nothing of one that is gone.
    pub fn ask(&mut self, channel: &Channel, id: WidgetId, now: Instant) {
        self.forget(id);
        if let Some(at) = channel.wakes_at(id, now) {
            self.of.insert(id, at);
            self.order.insert((at, id));
        }
    }

    /// When the first of them changes.
    #[must_use]
    pub fn first(&self) -> Option<Instant> {
        self.order.first().map(|(at, _)| *at)
    }

    /// Takes out those that have changed by now; they are to be drawn.
    pub fn ring(&mut self, now: Instant) -> Vec<WidgetId> {
        let mut rung = Vec::new();
        while let Some((_, id)) = self.order.first().filter(|(at, _)| *at <= now).copied() {
            self.forget(id);
            rung.push(id);
        }
        rung
    }

    fn forget(&mut self, id: WidgetId) {
        if let Some(at) = self.of.remove(&id) {
            self.order.remove(&(at, id));
        }
    }
}
