//! What is on show is kept: an entry, a correction or a period's turn changes it by what it touches.

use super::burst::{Burst, Common};
use super::run::{Run, Runs, boundary};
use super::{BLOCK, Place, Recent};
use crate::book::{Book, Change, Fact, instant};
use crate::record::settings::Settings;
use crate::time::Instant;
use crate::time::calendar::Span;
use std::collections::hash_map::Entry;
use std::collections::{BTreeMap, HashMap};
use std::sync::OnceLock;

/// Beyond so many, what no entry can join any more is forgotten.
const OPEN: usize = 256;
/// So many lengths of a pause ahead of it a line may change how a run is folded: it joins a block and pushes the one after it on, and there
/// may be a pause at each end.
const REACH: i64 = 2 * BLOCK + 2;

/// The newest entries of all who ask for them, at hand. Only a shortcut: whatever is not at hand is looked for.
#[derive(Debug, Clone, Default)]
pub struct Recents(HashMap<Recent, Slot>);

#[derive(Debug, Clone)]
struct Slot {
    /// The kinds that bear on it, as bits.
    kinds: u16,
    /// None until somebody asks.
    known: OnceLock<Kept>,
}

impl Recents {
    /// For these. What is known of one that stays is kept.
    #[must_use]
    pub fn serving(mut self, asked: impl IntoIterator<Item = Recent>) -> Self {
        let mut new = HashMap::new();
        for recent in asked {
            // Several widgets may ask for the same.
            if let Entry::Vacant(place) = new.entry(recent) {
                let known = self.0.remove(place.key());
                let slot = known.unwrap_or_else(|| Slot { kinds: place.key().kinds(), known: OnceLock::new() });
                place.insert(slot);
            }
        }
        Self(new)
    }

    /// Takes up a change of the book.
    pub fn take(&mut self, change: &Change, book: &Book, settings: &Settings) {
        let all_anew = change.people.regrouped;
        for (recent, Slot { kinds, known }) in &mut self.0 {
            let kinds = *kinds;
            let anew = all_anew || (change.kinds & kinds != 0 && change.corrected.is_none());
            let Some(kept) = known.get_mut() else { continue };
            let runs = Runs { recent, span: kept.span, book, settings };
            match change.corrected.as_deref() {
                _ if anew => kept.lost = true,
                Some((before, after)) if (before.kind().bit() | after.kind().bit()) & kinds != 0 => {
                    kept.correct(before, after, &runs);
                }
                _ => {}
            }
            if let Some(fact) = change.added.as_ref().filter(|fact| fact.kind().bit() & kinds != 0) {
                kept.add(fact, &runs);
            }
            if kept.lost {
                known.take();
            }
        }
    }

    /// All are looked for when next asked.
    pub fn forget_all(&mut self) {
        self.0.values_mut().for_each(|slot| drop(slot.known.take()));
    }

    /// Brings all that are at hand to an instant.
    pub fn turn(&mut self, book: &Book, settings: &Settings, now: Instant) {
        for (recent, Slot { known, .. }) in &mut self.0 {
            let Some(kept) = known.get_mut() else { continue };
            let stays = recent.counts.first().is_some_and(|count| count.still_at(kept.span, now));
            let span = if stays { kept.span } else { recent.span(settings, book, now) };
            if span != kept.span {
                kept.move_to(&Runs { recent, span, book, settings });
                if kept.lost {
                    known.take();
                }
            }
        }
    }

    /// The newest at an instant, oldest first.
    #[must_use]
    pub fn get(&self, recent: &Recent, book: &Book, settings: &Settings, now: Instant) -> Vec<Burst> {
        let span = recent.span(settings, book, now);
        let known =
            self.0.get(recent).map(|slot| slot.known.get_or_init(|| Kept::of(&Runs { recent, span, book, settings })));
        match known.filter(|kept| kept.span == span) {
            Some(kept) => kept.newest(recent.most).copied().collect(),
            None => recent.look(book, settings, now),
        }
    }
}

/// How far the newest run of what has so much in common has come.
#[derive(Debug, Clone)]
struct Open {
    /// Since when there was no pause, or some instant a block before the last boundary.
    since: i64,
    /// The first that belongs to its newest burst.
    first: Place,
    /// The newest of it.
    last: Place,
    /// What of that burst lies within the stretch.
    burst: Option<Burst>,
}

impl Open {
    fn begins(since: i64, fact: &Fact) -> Self {
        Self { since, first: fact.place(), last: fact.place(), burst: None }
    }

    /// Whether the next fact, at or after the last, begins a burst.
    fn next_begins(&mut self, fact: &Fact, length: i64) -> bool {
        let (boundary, before) = boundary(fact.at, length);
        if fact.at.saturating_sub(self.last.0) > length {
            self.since = fact.at;
            return true;
        }
        let anew = self.since <= before && self.last.0 < boundary;
        anew || fact.at.saturating_sub(self.first.0) > length
    }

    /// Takes the next fact.
    fn take(&mut self, fact: &Fact, common: Common, runs: &Runs<'_>) {
        if self.next_begins(fact, runs.length_of(common)) {
            (self.first, self.burst) = (fact.place(), None);
        }
        self.last = fact.place();
        self.join(fact, common, runs);
    }

    /// Lets a fact join the newest burst, where it lies within the stretch.
    fn join(&mut self, fact: &Fact, common: Common, runs: &Runs<'_>) {
        if !runs.span.contains(instant(fact.at)) {
            return;
        }
        match &mut self.burst {
            Some(burst) => burst.join(fact, runs.book),
            None => self.burst = Some(Burst::of(fact, self.first.1, Some(common), runs.book)),
        }
    }
}

#[derive(Debug, Clone)]
struct Kept {
    span: Span,
    /// By the place of the first that belongs to each.
    bursts: BTreeMap<Place, Burst>,
    /// What begins before this is not kept; where nothing is said, all of the stretch is.
    floor: Option<Place>,
    open: HashMap<Common, Open>,
    /// When it is time to forget what nothing can join.
    most_open: usize,
    /// It has to be looked for.
    lost: bool,
}

impl Kept {
    fn of(runs: &Runs<'_>) -> Self {
        let wanted = spare(runs.recent.most);
        let bursts = runs.recent.newest(wanted, runs);
        let floor = bursts.keys().next().copied().filter(|_| bursts.len() == wanted);
        Self { span: runs.span, bursts, floor, open: HashMap::new(), most_open: OPEN, lost: false }
    }

    fn newest(&self, most: usize) -> impl Iterator<Item = &Burst> {
        self.bursts.values().skip(self.bursts.len().saturating_sub(most))
    }

    fn put(&mut self, place: Place, burst: Burst, runs: &Runs<'_>) {
        if self.floor.is_none_or(|floor| place >= floor) && !runs.is_small(&burst) {
            self.bursts.insert(place, burst);
        }
    }

    fn add(&mut self, fact: &Fact, runs: &Runs<'_>) {
        if !runs.recent.is_told(fact, runs.book, runs.settings) {
            return;
        }
        let Some(common) = runs.common(fact) else {
            if self.span.contains(instant(fact.at)) {
                self.put(fact.place(), Burst::alone(fact, runs.book), runs);
            }
            return self.trim(runs);
        };
        if self.lies_behind(fact, runs.length_of(common)) {
            // What comes to it later is looked for.
            self.open.remove(&common);
            return;
        }
        match self.open.get_mut(&common) {
            Some(open) if fact.place() > open.last => open.take(fact, common, runs),
            // It came late, into the newest burst.
            Some(open) if fact.place() > open.first => open.join(fact, common, runs),
            // Nearly always: the newest of somebody who rested.
            None if runs.book.rested(common.person(), fact.place(), runs.length_of(common)) => {
                let mut open = Open::begins(fact.at, fact);
                open.join(fact, common, runs);
                self.open.insert(common, open);
            }
            _ => {
                match self.begins_at(fact, common) {
                    Some((since, key)) => self.refold_from(key, since, common, runs),
                    None => {
                        let run = self.refold(fact.place(), common, runs);
                        self.follow(run, runs);
                    }
                }
                return self.trim(runs);
            }
        }
        let now = self.open.get(&common).and_then(|open| Some((open.first, open.burst?)));
        if let Some((first, burst)) = now {
            self.put(first, burst, runs);
        }
        self.trim(runs);
        if self.open.len() > self.most_open {
            let length = runs.length_of(common);
            self.open.retain(|_, open| fact.at.saturating_sub(open.last.0) <= length);
            self.most_open = OPEN.max(self.open.len().saturating_mul(2));
        }
    }

    /// Whether a fact lies so far back that nothing kept has to do with it.
    fn lies_behind(&self, fact: &Fact, length: i64) -> bool {
        let begins = self.span.from.map(|from| from.timestamp_micros());
        let low = begins.max(self.floor.map(|(at, _)| at));
        low.is_some_and(|low| low > fact.at.saturating_add(length.saturating_mul(REACH)))
    }

    /// Since when there was no pause around a fact that came late, and where the burst before it begins; only where that is at
    /// hand.
    fn begins_at(&self, fact: &Fact, common: Common) -> Option<(i64, Place)> {
        let open = self.open.get(&common).filter(|open| open.last > fact.place())?;
        let before = self.bursts.range(..fact.place()).rev().find(|(_, burst)| burst.common == Some(common));
        before.map(|(key, _)| *key).filter(|key| open.since <= key.0).map(|key| (open.since, key))
    }

    /// Folds what has so much in common from the beginning of a burst on, up to the newest.
    fn refold_from(&mut self, key: Place, since: i64, common: Common, runs: &Runs<'_>) {
        self.remove(key, (i64::MAX, u64::MAX), common);
        let mut open: Option<Open> = None;
        for fact in runs.all_from(key, common) {
            match &mut open {
                None => {
                    let mut first = Open::begins(since, fact);
                    first.join(fact, common, runs);
                    open = Some(first);
                }
                Some(open) => {
                    let before = (open.first, open.burst);
                    open.take(fact, common, runs);
                    if open.first != before.0
                        && let Some(burst) = before.1
                    {
                        self.put(before.0, burst, runs);
                    }
                }
            }
        }
        if let Some(open) = open {
            if let Some(burst) = open.burst {
                self.put(open.first, burst, runs);
            }
            self.open.insert(common, open);
        }
    }

    /// Folds what has so much in common anew wherever a change at a place bears on it; the newest run of that.
    fn refold<'a>(&mut self, place: Place, common: Common, runs: &Runs<'a>) -> Option<Run<'a>> {
        let end = runs.end(place, common);
        let last = end.map_or(place, Fact::place);
        if self.open.get(&common).is_some_and(|open| open.last <= last) {
            self.open.remove(&common);
        }
        // What ends further back than that has never had to do with it.
        let reaches = place.0.saturating_sub(runs.length_of(common));
        let mut low = place;
        let mut found = Vec::new();
        let mut newest = None;
        let mut next = end.or_else(|| runs.newest_before(place, reaches, common));
        while let Some(fact) = next {
            let run = runs.up_to(fact, common);
            found.extend(runs.fold(&run));
            let first = run.facts.first().map_or(place, |first| first.place());
            low = low.min(first);
            next = if first < place { None } else { runs.newest_before(first, reaches, common) };
            newest.get_or_insert(run);
        }
        self.remove(low, last, common);
        for (place, burst) in found {
            self.put(place, burst, runs);
        }
        newest
    }

    /// Goes on from a run, if nothing comes after it.
    fn follow(&mut self, run: Option<Run<'_>>, runs: &Runs<'_>) {
        let Some(run) = run else { return };
        let (Some(first), Some(last)) = (runs.last_key(&run), run.facts.last().map(|fact| fact.place())) else {
            return;
        };
        if runs.all_from((last.0, last.1.saturating_add(1)), run.common).next().is_none() {
            let burst = runs.fold(&run).pop().filter(|(key, _)| *key == first).map(|(_, burst)| burst);
            self.open.insert(run.common, Open { since: run.since, first, last, burst });
        }
    }

    fn remove(&mut self, from: Place, to: Place, common: Common) {
        let gone = self.bursts.range(from..=to).filter(|(_, burst)| burst.common == Some(common));
        let gone: Vec<Place> = gone.map(|(place, _)| *place).collect();
        for place in gone {
            self.bursts.remove(&place);
        }
    }

    fn correct(&mut self, before: &Fact, after: &Fact, runs: &Runs<'_>) {
        let place = after.place();
        if self.bursts.get(&place).is_some_and(|burst| burst.common.is_none()) {
            self.bursts.remove(&place);
        }
        let (old, new) = (runs.common(before), runs.common(after));
        if let Some(common) = old {
            self.refold(place, common, runs);
        }
        match new {
            Some(common) if old != new => drop(self.refold(place, common, runs)),
            Some(_) => {}
            None => {
                let told = runs.recent.is_told(after, runs.book, runs.settings);
                if told && self.span.contains(instant(after.at)) {
                    self.put(place, Burst::alone(after, runs.book), runs);
                }
            }
        }
        self.trim(runs);
    }

    /// Goes on to another stretch: what lies before it leaves, what was dated ahead comes.
    fn move_to(&mut self, runs: &Runs<'_>) {
        let (before, after) = (self.span, runs.span);
        if !before.moves_on_to(after) {
            self.lost = true;
            return;
        }
        self.span = after;
        let begins = after.from.map_or(i64::MIN, |from| from.timestamp_micros());
        let left: Vec<(Place, Burst)> = self
            .bursts
            .iter()
            .filter(|(_, burst)| burst.first_place().0 < begins)
            .map(|(place, burst)| (*place, *burst))
            .collect();
        self.open.retain(|_, open| open.burst.is_none_or(|burst| burst.first_place().0 >= begins));
        for (place, burst) in left {
            self.bursts.remove(&place);
            if let Some(common) = burst.common.filter(|_| burst.newest_place().0 >= begins) {
                self.refold(burst.newest_place(), common, runs);
            }
        }
        let come = Span { from: before.to, to: after.to };
        for fact in runs.book.facts(come, runs.recent.kinds()).filter(|_| before.to.is_some()) {
            self.correct(fact, fact, runs);
        }
        self.trim(runs);
    }

    fn trim(&mut self, runs: &Runs<'_>) {
        let (most, kept) = (runs.recent.most, spare(runs.recent.most));
        if self.bursts.len() < most && self.floor.is_some() {
            self.lost = true;
        }
        if self.bursts.len() > kept.saturating_mul(2) {
            let first = self.bursts.keys().rev().nth(kept.saturating_sub(1)).copied();
            if let Some(first) = first {
                self.bursts = self.bursts.split_off(&first);
                self.floor = Some(first);
            }
        }
    }
}

/// How many are kept where so many are shown, so that a few may go without looking for others.
fn spare(most: usize) -> usize {
    most.saturating_add(most / 2).saturating_add(4)
}
