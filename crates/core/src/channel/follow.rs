//! Widgets that note happenings one by one, and what widgets do by themselves.

use super::Channel;
use crate::book::Change;
use crate::count::Scope;
use crate::language::Language;
use crate::record::acts::Act;
use crate::record::entry::{Body, Entry};
use crate::record::ids::WidgetId;
use crate::time::Instant;
use crate::widgets::{News, Notable, Piece};
use std::collections::BTreeSet;

/// Tells some widgets some news, on air and on the stage, while they are changed and all else is looked at.
macro_rules! update {
    ($channel:ident, $now:expr, $of:expr, |$id:ident, $piece:ident, $scope:ident| $tell:expr) => {{
        let $scope = Scope {
            settings: &$channel.settings,
            book: &$channel.book,
            tallies: &$channel.tallies,
            feeds: &$channel.feeds,
            published: &$channel.published,
            seeds: &$channel.seeds,
            chat: &$channel.chat,
            notice: $channel.talk.on_tickers(),
            portraits: &$channel.portraits,
            language: Language::default(),
            now: $now,
        };
        for $id in $of {
            for $piece in [$channel.widgets.get_mut($id), $channel.drafts.get_mut($id)].into_iter().flatten() {
                $tell
            }
        }
    }};
}

impl Channel {
    /// Tells those widgets that note happenings what has become of the book.
    pub(super) fn follow(&mut self, entry: &Entry, turned: &Change, touched: &mut BTreeSet<WidgetId>) {
        let (added, people) = (turned.added.as_ref().map_or(0, |fact| fact.kind().bit()), turned.people.regrouped);
        update!(self, entry.arrived_at, &self.listening.noting, |id, piece, scope| {
            let notes = piece.notes();
            let said = notes != 0 && !matches!(entry.body, Body::Happening(_));
            let news = [
                (notes & added != 0).then_some(News::Happened(entry)),
                said.then_some(News::Said(entry)),
                (notes & turned.kinds != 0 || (people && notes != 0)).then_some(News::Anew),
            ];
            for news in news.into_iter().flatten() {
                if piece.follow(news, &scope) {
                    touched.insert(*id);
                }
            }
        });
    }

    /// Folds a line of the ledger into a widget that stands beside the channel and will be put into it.
    pub fn replay(&self, piece: &mut Piece, id: WidgetId, entry: &Entry) {
        match &entry.body {
            Body::Act { widget, .. } | Body::Void { widget, .. } if *widget == id => drop(piece.apply(entry)),
            Body::Act { widget, .. } | Body::Void { widget, .. } if piece.beside() == Some(*widget) => {
                piece.follow(News::Beside(entry), &self.scope(entry.arrived_at));
            }
            Body::Act { .. } | Body::Void { .. } => {}
            _ if piece.notes() != 0 => drop(piece.follow(News::Replayed(entry), &self.scope(entry.arrived_at))),
            _ => {}
        }
    }

    /// Lets a widget reckon with what was done to it, and those that count beside it. Names the latter.
    pub(super) fn operated(&mut self, widget: WidgetId, entry: &Entry) -> BTreeSet<WidgetId> {
        let mut touched = BTreeSet::new();
        update!(self, entry.arrived_at, [&widget], |_id, piece, scope| {
            piece.follow(News::Operated, &scope);
        });
        let beside = self.listening.beside.get(&widget);
        update!(self, entry.arrived_at, beside.into_iter().flatten(), |id, piece, scope| {
            if piece.beside() == Some(widget) && piece.follow(News::Beside(entry), &scope) {
                touched.insert(*id);
            }
        });
        touched
    }

    /// Lets a widget reckon anew.
    pub(super) fn compute(&mut self, widget: WidgetId) {
        update!(self, Instant::UNIX_EPOCH, [&widget], |_id, piece, scope| {
            piece.follow(News::Anew, &scope);
        });
    }

    /// Lets all widgets reckon anew.
    pub(super) fn recompute_all(&mut self) {
        let all: Vec<WidgetId> = self.widgets.keys().copied().collect();
        update!(self, Instant::UNIX_EPOCH, &all, |_id, piece, scope| {
            piece.follow(News::Anew, &scope);
        });
    }

    /// What a widget, or the channel as a whole, does first by itself, if that is due by now: a line for the ledger, and when it happened.
    /// Lines that are due are written before any other, so that the record tells what was seen.
    #[must_use]
    pub fn due(&self, now: Instant) -> Option<(Instant, Body)> {
        let scope = self.scope(now);
        let due = |(id, piece): (&WidgetId, &Piece)| {
            let (at, act) = piece.due(&scope)?;
            (at <= now).then_some((at, *id, act))
        };
        let widgets = self.widgets.iter().filter_map(due).min_by_key(|(at, id, _)| (*at, *id));
        let widgets = widgets.map(|(at, widget, act)| (at, by_itself(widget, act)));
        widgets.into_iter().chain(self.air_due(now)).min_by_key(|(at, _)| *at)
    }

    /// What is to be noted in the ledger of something that bears on all widgets, or on one.
    #[must_use]
    pub fn noting(&self, widget: Option<WidgetId>, what: Notable, now: Instant) -> Vec<Body> {
        let scope = self.scope(now);
        let noted = |(id, piece): (&WidgetId, &Piece)| Some(by_itself(*id, piece.noting(what, &scope)?));
        self.widgets.iter().filter(|(id, _)| widget.is_none_or(|widget| widget == **id)).filter_map(noted).collect()
    }
}

fn by_itself(widget: WidgetId, act: Act) -> Body {
    Body::Act { widget, by: "the clock".into(), act }
}
