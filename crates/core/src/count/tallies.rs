//! Figures kept up to date, so that an event costs no recount. Only a shortcut: whatever is asked
//! that is not at hand is counted from the book.

use super::recent::{Burst, Recent, Recents};
use super::{Count, Ranked, Tally, What};
use crate::book::names::{Moved, Person};
use crate::book::{Book, Change, Fact, instant, us};
use crate::record::happening::Kind;
use crate::record::ids::WidgetId;
use crate::record::settings::Settings;
use crate::time::Instant;
use crate::time::calendar::{Period, Span};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::OnceLock;

/// See the module.
#[derive(Debug, Clone, Default)]
pub struct Tallies {
    slots: Vec<Slot>,
    places: HashMap<Count, usize>,
    by_kind: BTreeMap<Kind, Vec<usize>>,
    recents: Recents,
}

#[derive(Debug, Clone)]
struct Slot {
    count: Count,
    widgets: Vec<WidgetId>,
    /// The figure of a span; none until somebody asks, or when it must be counted anew.
    kept: OnceLock<(Span, Tally)>,
    /// When the first happened that has a part in that, microseconds of Unix time; none until somebody asks.
    leaves: OnceLock<Option<i64>>,
}

impl Slot {
    fn forget(&mut self) {
        self.kept.take();
        self.leaves.take();
    }
}

impl Tallies {
    /// For widgets that count these and show the newest of those. What is known of what stays is kept.
    #[must_use]
    pub fn serving(
        self,
        counts: impl IntoIterator<Item = (WidgetId, Count)>,
        recents: impl IntoIterator<Item = Recent>,
    ) -> Self {
        let mut new = Self { recents: self.recents.serving(recents), ..Self::default() };
        for (widget, count) in counts {
            let place = match new.places.get(&count) {
                Some(place) => *place,
                None => {
                    let place = new.slots.len();
                    for kind in Kind::ALL.into_iter().filter(|kind| count.kinds() & kind.bit() != 0) {
                        new.by_kind.entry(kind).or_default().push(place);
                    }
                    let old = self.places.get(&count).and_then(|old| self.slots.get(*old)).cloned();
                    new.places.insert(count.clone(), place);
                    let (kept, leaves) = old.map(|old| (old.kept, old.leaves)).unwrap_or_default();
                    new.slots.push(Slot { count, widgets: Vec::new(), kept, leaves });
                    place
                }
            };
            if !new.slots[place].widgets.contains(&widget) {
                new.slots[place].widgets.push(widget);
            }
        }
        new
    }

    /// Takes up a change of the book, and names the widgets that it touches.
    pub fn take(&mut self, change: &Change, book: &Book, settings: &Settings) -> BTreeSet<WidgetId> {
        // Gathered with repetitions and sorted once: a set that grows would cost more than the counting.
        let mut touched: Vec<WidgetId> = Vec::new();
        self.recents.take(change, book, settings);
        match change.corrected.as_deref() {
            Some((before, now)) if !change.people.regrouped => {
                self.correct((before, now), book, settings, &mut touched);
            }
            _ if change.kinds != 0 => self.forget(|count| count.kinds() & change.kinds != 0, &mut touched),
            _ => {}
        }
        if change.shows {
            self.forget(|count| count.period == Period::ThisShow, &mut touched);
        }
        if change.people.regrouped {
            self.forget(Count::asks_who, &mut touched);
        }
        // Whoever is told of by name, wherever that is.
        if change.people != Moved::default() {
            touched.extend(self.slots.iter().flat_map(|slot| &slot.widgets));
        }
        if let Some(fact) = &change.added {
            self.add(fact, book, settings, &mut touched);
        }
        touched.into_iter().collect()
    }

    /// Everything is counted anew when next asked.
    pub fn forget_all(&mut self) {
        self.recents.forget_all();
        self.forget(|_| true, &mut Vec::new());
    }

    fn forget(&mut self, which: impl Fn(&Count) -> bool, touched: &mut Vec<WidgetId>) {
        for slot in self.slots.iter_mut().filter(|slot| which(&slot.count)) {
            slot.forget();
            touched.extend(&slot.widgets);
        }
    }

    fn correct(
        &mut self,
        (before, now): (&Fact, &Fact),
        book: &Book,
        settings: &Settings,
        touched: &mut Vec<WidgetId>,
    ) {
        let kinds = before.kind().bit() | now.kind().bit();
        for slot in self.slots.iter_mut().filter(|slot| slot.count.kinds() & kinds != 0) {
            if let Some((span, tally)) = slot.kept.get_mut()
                && !slot.count.correct(tally, (before, now), *span, book, settings)
            {
                slot.forget();
            }
            slot.leaves.take();
            touched.extend(&slot.widgets);
        }
    }

    fn add(&mut self, fact: &Fact, book: &Book, settings: &Settings, touched: &mut Vec<WidgetId>) {
        let Some(places) = self.by_kind.get(&fact.kind()) else { return };
        for place in places {
            let slot = &mut self.slots[*place];
            let is_sum = matches!(slot.count.what, What::Sum(_));
            match slot.kept.get_mut() {
                Some((span, tally)) if is_sum => {
                    let counts = slot.count.add(tally, fact, *span, book, settings);
                    let comes_first = |first: &Option<i64>| first.is_none_or(|first| fact.at < first);
                    if counts && slot.leaves.get().is_some_and(comes_first) {
                        slot.leaves = OnceLock::from(Some(fact.at));
                    }
                    if counts || slot.count.may_have_turned(*span, fact) {
                        touched.extend(&slot.widgets);
                    }
                }
                _ => {
                    slot.forget();
                    touched.extend(&slot.widgets);
                }
            }
        }
    }

    /// Brings every figure that is at hand to an instant: lets go of what has left its period.
    pub fn turn(&mut self, book: &Book, settings: &Settings, now: Instant) {
        self.recents.turn(book, settings, now);
        for slot in &mut self.slots {
            let Some((kept, tally)) = slot.kept.get_mut() else { continue };
            if slot.count.still_at(*kept, now) {
                continue;
            }
            let span = slot.count.span(settings, book, now);
            if *kept == span {
                continue;
            }
            let stays = kept.moves_on_to(span) && slot.count.leave(tally, (*kept, span), book, settings);
            if !stays {
                slot.forget();
                continue;
            }
            if slot.leaves.get().copied().flatten().is_some_and(|first| span.from.is_some_and(|from| first < us(from)))
            {
                slot.leaves.take();
            }
            let come = Span { from: kept.to, to: span.to };
            for fact in book.facts(come, slot.count.kinds()).filter(|_| kept.to.is_some()) {
                // Where there was none, the first has come.
                if slot.count.add(tally, fact, span, book, settings) && slot.leaves.get() == Some(&None) {
                    slot.leaves = OnceLock::from(Some(fact.at));
                }
            }
            *kept = span;
        }
    }

    /// The ranking at an instant, of a count that keeps its people.
    #[must_use]
    pub fn ranking(&self, count: &Count, most: usize, book: &Book, settings: &Settings, now: Instant) -> Vec<Ranked> {
        let span = count.span(settings, book, now);
        match self.kept(count, span, book, settings) {
            Some(tally) => tally.ranking(most),
            None => count.recount(span, book, settings).ranking(most),
        }
    }

    /// The newest entries at an instant, oldest first.
    #[must_use]
    pub fn recent(&self, recent: &Recent, book: &Book, settings: &Settings, now: Instant) -> Vec<Burst> {
        self.recents.get(recent, book, settings, now)
    }

    /// The figure at an instant.
    #[must_use]
    pub fn get(&self, count: &Count, book: &Book, settings: &Settings, now: Instant) -> Tally {
        let span = count.span(settings, book, now);
        match self.kept(count, span, book, settings) {
            Some(tally) => tally.figures(),
            None => count.recount(span, book, settings),
        }
    }

    /// When the first happened that has a part in the figure of a span, if any has.
    pub(super) fn first(&self, count: &Count, span: Span, book: &Book, settings: &Settings) -> Option<Instant> {
        let look = || count.first(span, book, settings).map(us);
        let slot = self.places.get(count).and_then(|place| self.slots.get(*place));
        let slot = slot.filter(|slot| slot.kept.get().is_some_and(|(kept, _)| *kept == span));
        let first = slot.map_or_else(look, |slot| *slot.leaves.get_or_init(look));
        first.map(instant)
    }

    /// The newest people of a count that keeps them, and adds something for each of their entries: the first so many.
    #[must_use]
    pub fn newest_people(
        &self,
        count: &Count,
        most: usize,
        book: &Book,
        settings: &Settings,
        now: Instant,
    ) -> Vec<Person> {
        let span = count.span(settings, book, now);
        match self.kept(count, span, book, settings) {
            Some(tally) => tally.newest_people(most),
            None => count.recount(span, book, settings).newest_people(most),
        }
    }

    /// What is at hand, from the first question on; nothing of another span, or of what nobody counts.
    fn kept(&self, count: &Count, span: Span, book: &Book, settings: &Settings) -> Option<&Tally> {
        let slot = self.places.get(count).and_then(|place| self.slots.get(*place))?;
        let (kept, tally) = slot.kept.get_or_init(|| (span, count.recount(span, book, settings)));
        (*kept == span).then_some(tally)
    }
}
