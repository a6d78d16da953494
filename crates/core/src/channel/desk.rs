//! What the streamer chooses for all widgets: which stand on the desk, in which order, and the looks that they wear.

use super::Channel;
use crate::look::Looks;
use crate::record::ids::WidgetId;
use crate::time::Instant;
use crate::widgets::Piece;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// The streamer's choice. Widgets that it does not name stand behind the others, in the order in which they
/// were made.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Desk {
    /// The first ones, in their order.
    pub order: Vec<WidgetId>,
    /// Those that are left out.
    pub hidden: BTreeSet<WidgetId>,
    /// Whether all sounds of widgets are off.
    pub muted: bool,
    /// Whether the desk is heard when it has something to tell of.
    pub chimes: bool,
}

impl Channel {
    /// What stands on the desk.
    #[must_use]
    pub fn desk(&self) -> &Desk {
        &self.desk
    }

    /// Takes note of what stands on the desk.
    pub fn set_desk(&mut self, desk: Desk) {
        self.desk = desk;
    }

    /// The looks of the streamer's own.
    #[must_use]
    pub fn looks(&self) -> &Looks {
        &self.looks
    }

    /// Takes note of other looks; names the widgets that look different now.
    pub fn set_looks(&mut self, looks: Looks) -> BTreeSet<WidgetId> {
        self.looks = looks;
        self.dress()
    }

    /// Puts the looks of one's own on whatever wears one.
    pub(super) fn dress(&mut self) -> BTreeSet<WidgetId> {
        let all = self.widgets.iter_mut().chain(&mut self.drafts);
        all.filter_map(|(id, piece)| piece.dress(&self.looks).then_some(*id)).collect()
    }

    /// All widgets in the order of the desk, and whether each stands there.
    pub fn on_desk(&self) -> impl Iterator<Item = (WidgetId, &Piece, bool)> {
        let place: BTreeMap<WidgetId, usize> =
            self.desk.order.iter().enumerate().map(|(place, id)| (*id, place)).collect();
        let mut all: Vec<(WidgetId, &Piece)> = self.widgets().collect();
        all.sort_by_key(|(id, _)| (place.get(id).copied().unwrap_or(usize::MAX), *id));
        all.into_iter().map(|(id, piece)| (id, piece, !self.desk.hidden.contains(&id)))
    }

    /// The places on the desk of the widgets that are operated during a show, counted from 0: those
    /// with a lever that is pressed most. Others may have levers, but no place and no keys.
    #[must_use]
    pub fn plates(&self, now: Instant) -> BTreeMap<WidgetId, usize> {
        let scope = self.scope(now);
        let operated =
            self.on_desk().filter(|(_, piece, shown)| *shown && piece.levers(&scope).iter().any(|lever| lever.main));
        operated.enumerate().map(|(place, (id, ..))| (id, place)).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fixtures::settings;
    use crate::widgets::Definition;

    #[test]
    fn what_is_named_stands_first_what_is_hidden_not_at_all_and_the_rest_behind() {
        let counter = || Definition::standard("counter", &settings()).unwrap().unfolded();
        let goal = || Definition::standard("goal", &settings()).unwrap().unfolded();
        let widgets =
            [(1, counter()), (2, goal()), (3, counter()), (4, counter())].map(|(id, one)| (WidgetId(id), one));
        let mut channel = Channel::new(settings(), widgets);
        let order = |channel: &Channel| channel.on_desk().map(|(id, _, shown)| (id.0, shown)).collect::<Vec<_>>();
        assert_eq!(order(&channel), [(1, true), (2, true), (3, true), (4, true)]);
        // A widget that is gone leaves no gap.
        let hidden = BTreeSet::from([WidgetId(1)]);
        channel.set_desk(Desk { order: [9, 4, 1].map(WidgetId).to_vec(), hidden, ..Desk::default() });
        assert_eq!(order(&channel), [(4, true), (1, false), (2, true), (3, true)]);
        let now = Instant::UNIX_EPOCH;
        assert_eq!(channel.plates(now), BTreeMap::from([(WidgetId(4), 0), (WidgetId(3), 1)]));
    }
}
