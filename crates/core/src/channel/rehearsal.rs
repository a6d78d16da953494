//! Copies of a channel for rehearsing, from which no way leads back.

use super::{Channel, Press};
use crate::book::Book;
use crate::record::entry::{Draft, Origin};
use crate::record::ids::WidgetId;
use crate::time::Instant;
use crate::widgets::{Action, Piece};

impl Channel {
    /// A channel for rehearsing from an instant on: the same widgets, shows and rates, and a record of its own in
    /// which nothing has happened yet. What notes happenings only while it runs is started.
    #[must_use]
    pub fn rehearsal(&self, now: Instant) -> Self {
        // What is tried on the stage is what is rehearsed.
        let tried = self.widgets.iter().map(|(id, piece)| (*id, self.drafts.get(id).unwrap_or(piece).emptied()));
        let mut rehearsal = self.beside(tried, self.book.blank(&self.settings));
        rehearsal.start_those_that_note(now);
        rehearsal
    }

    /// A channel for rehearsing a whole show from an instant on, as it would go on air now: the same widgets, rates,
    /// desk, cues and words of chat, and a record of its own that begins with nothing, not even a show. `lot` gives a number
    /// below the one that it is asked with.
    #[must_use]
    pub fn whole_rehearsal(&self, now: Instant, lot: impl FnMut(usize) -> usize) -> Self {
        let on_air = self.widgets.iter().map(|(id, piece)| (*id, piece.emptied()));
        let mut rehearsal = self.beside(on_air, self.book.unbegun(&self.settings));
        rehearsal.desk.clone_from(&self.desk);
        rehearsal.layouts.clone_from(&self.layouts);
        rehearsal.set_cues(self.cues.clone());
        rehearsal.set_bot(self.bot.clone(), now, lot);
        rehearsal
    }

    fn beside(&self, widgets: impl IntoIterator<Item = (WidgetId, Piece)>, book: Book) -> Self {
        let mut beside = Self::new(self.settings.clone(), widgets);
        beside.book = book;
        beside.feeds.clone_from(&self.feeds);
        beside.set_looks(self.looks.clone());
        beside
    }

    /// Starts the widgets that note happenings, in a rehearsal.
    fn start_those_that_note(&mut self, now: Instant) {
        let noting: Vec<WidgetId> =
            self.widgets.iter().filter(|(_, piece)| piece.notes() != 0).map(|(id, _)| *id).collect();
        for widget in noting {
            let press = Press {
                widget,
                action: Action { name: "start", value: None, text: None, side: None },
                by: "the rehearsal",
            };
            if let Ok(body) = self.decide(&press, now) {
                let origin = Origin { source: "rehearsal".into(), id: widget.to_string() };
                let draft = Draft { origin, feed: None, happened_at: now, arrived_at: now, body };
                self.apply(&draft.at(self.last_seq.next()));
            }
        }
    }
}
