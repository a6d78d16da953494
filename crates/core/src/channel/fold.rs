//! Folding lines of the record: what each does to the state, and which widgets it touches.

use super::Channel;
use crate::overlay::Appearances;
use crate::record::entry::{Body, Change, Entry};
use crate::record::ids::WidgetId;
use std::collections::BTreeSet;

impl Channel {
    /// Folds one entry in and names the widgets whose view may have changed. An entry at or before
    /// the last one folded in changes nothing.
    pub fn apply(&mut self, entry: &Entry) -> BTreeSet<WidgetId> {
        if entry.seq <= self.last_seq {
            return BTreeSet::new();
        }
        self.last_seq = entry.seq;
        self.firings.apply(entry);
        if entry.body.is_news() {
            self.tell(entry);
        }
        if let Some(feed) = entry.feed {
            let pulse = self.pulses.entry(feed).or_insert(entry.arrived_at);
            *pulse = entry.arrived_at.max(*pulse);
        }
        if let Body::Happening(happening) = &entry.body
            && let Some(actor) = happening.actor()
        {
            self.portraits.note(entry.seq, actor);
        }
        if let Body::Correct { target, happened_at, change: Change::Amend(happening), .. } = &entry.body
            && let Some(actor) = happening.actor()
            && let Some(before) = self.book.find(*happened_at, *target).map(|fact| self.book.happening(fact))
        {
            self.portraits.rename(entry.seq, before.name(), actor);
        }
        let turned = match &entry.body {
            Body::Act { widget, .. } | Body::Void { widget, .. } => return self.operate(*widget, entry),
            Body::Happening(happening) => self.book.add(entry.happened_at, entry.seq, entry.feed, happening),
            Body::Correct { target, happened_at, change, .. } => match change {
                Change::Void => self.book.void(*happened_at, *target, true),
                Change::Restore => self.book.void(*happened_at, *target, false),
                Change::Amend(happening) => self.book.amend(*happened_at, *target, happening),
            },
            Body::Withdraw { feed, withdrawn, .. } => self.book.withdraw(*feed, *withdrawn),
            Body::Merge { from, into, .. } => self.book.merge(from, into.as_deref()),
            Body::Show { act, by } => self.book.show(entry.seq, entry.happened_at, act, by),
            Body::Rates { days } => self.book.rates_came(days),
            Body::Appear { overlay, pieces, shown, .. } => {
                let said = self.appearances.entry(*overlay).or_default();
                said.extend(pieces.iter().map(|piece| (*piece, *shown)));
                return BTreeSet::new();
            }
            Body::Cover { covered, .. } => {
                self.covered = *covered;
                return BTreeSet::new();
            }
            Body::Fired { .. } | Body::Stepped { .. } => return BTreeSet::new(),
        };
        let mut touched = self.tallies.take(&turned, &self.book, &self.settings);
        self.follow(entry, &turned, &mut touched);
        if turned.shows {
            let all = self.widgets.iter().chain(&self.drafts);
            touched.extend(all.filter(|(_, piece)| piece.follows_shows()).map(|(id, _)| *id));
        }
        touched.extend(self.collect_published(&touched));
        touched
    }

    /// What was said last of the pieces of an overlay.
    #[must_use]
    pub fn appearances(&self, overlay: u32) -> Appearances {
        self.appearances.get(&overlay).cloned().unwrap_or_default()
    }

    /// Whether everything on air is hidden.
    #[must_use]
    pub fn is_covered(&self) -> bool {
        self.covered
    }

    fn operate(&mut self, widget: WidgetId, entry: &Entry) -> BTreeSet<WidgetId> {
        let Some(piece) = self.widgets.get_mut(&widget) else { return BTreeSet::new() };
        let before = piece.counts(&self.settings);
        if !piece.apply(entry) {
            return BTreeSet::new();
        }
        let mut other = piece.counts(&self.settings) != before;
        if let Some(draft) = self.drafts.get_mut(&widget) {
            draft.apply(entry);
            other = true;
        }
        let mut touched = self.operated(widget, entry);
        if other {
            self.listen();
        }
        touched.insert(widget);
        touched.extend(self.collect_published(&touched));
        touched
    }
}
