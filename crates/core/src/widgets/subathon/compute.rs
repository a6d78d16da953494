//! Folding a subathon's log: what each line of the ledger adds to the clock.
//!
//! All of it follows from the lines in force, in the order in which they came, and from the terms. A line that is
//! voided is passed over, so the clock is what it would be had the line never come; what limits cut off is found
//! anew with it. The clock's own lines (it ran out, a break began) say what was seen on air at the time.

use super::Subathon;
use super::clockwork::{Clockwork, Phase};
use super::line::{Line, Why};
use super::noted::{Noted, NotedLines};
use super::sheet::{Fits, Rounding, Row, Sheet, half_even};
use super::terms::{Limits, Terms, WhilePaused, together};
use crate::book::names::Person;
use crate::count::Scope;
use crate::record::acts::SubathonAct;
use crate::record::entry::{Body, Entry};
use crate::record::ids::Seq;
use crate::time::Instant;
use crate::widgets::act_log::{ActLog, Change};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::collections::BTreeMap;

/// A correction came at that instant: until then the clock was seen as it was before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
struct Seen(Seq, i64);

/// What the ledger holds about a subathon, and what that comes to.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct State {
    acts: ActLog<SubathonAct>,
    noted: NotedLines,
    seen: Vec<Seen>,
    /// What all of it comes to; made anew whenever it may have changed.
    #[serde(skip)]
    pub(super) sum: Computed,
    #[serde(skip)]
    stale: bool,
}

/// What comes of the log can be told from the log.
impl PartialEq for State {
    fn eq(&self, other: &Self) -> bool {
        self.acts == other.acts && self.noted == other.noted && self.seen == other.seen
    }
}

/// A boost by hand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct HandBoost {
    /// The line that gave it.
    pub seq: Seq,
    /// In thousandths.
    pub factor: u32,
    /// From when, in milliseconds of Unix time.
    pub from: i64,
    /// Until when; this instant no longer.
    pub until: i64,
}

/// What a log comes to.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Computed {
    /// Where the clock is.
    pub clock: Clockwork,
    /// Every addition and taking since the start, as it came.
    pub lines: Vec<Line>,
    /// Up to each line and with it: how many came by a row, and what those were given.
    came: Vec<(usize, i64)>,
    /// Their sums by row; by hand under none.
    pub by_row: BTreeMap<Option<Row>, i64>,
    /// Their sums by supporter; of nobody and by hand under none.
    pub by_person: BTreeMap<Option<Person>, i64>,
    /// The boosts by hand.
    pub boosts: Vec<HandBoost>,
    /// The sum of all that was added, and of all that was taken, each at least 0.
    pub added: i64,
    /// See `added`.
    pub taken: i64,
    carried: BTreeMap<(Row, Person), i64>,
    waiting: Vec<usize>,
    /// How many of the newest lines, without another between them, add nothing for good.
    turned_away: usize,
    /// What such lines would have come to that are kept no longer.
    pub forgotten: i64,
}

/// Of lines that add nothing for good so many are kept of each stretch, and as many more until the older ones go: nobody asks for
/// the rest, and a clock that was over last year would keep all of this year's.
const TURNED_AWAY: usize = 1_000;

/// Milliseconds of Unix time.
pub(super) fn ms(at: Instant) -> i64 {
    at.timestamp_millis()
}

impl Limits {
    /// How much more fits on a clock now, and what keeps it from being more.
    fn room(&self, clock: &Clockwork, scope: &Scope<'_>) -> Option<(i64, Why)> {
        let left = clock.left;
        let ran = if self.total_counts_pauses { clock.at.saturating_sub(clock.began) } else { clock.ran };
        let total = self.total_ms.map(|total| (total.saturating_sub(ran).saturating_sub(left), Why::LimitTotal));
        let most = self.most_ms.map(|most| (most.saturating_sub(left), Why::LimitMost));
        let latest = self.latest.map(|moment| {
            let end = ms(scope.settings.calendar.instant(moment));
            (end.saturating_sub(clock.at).saturating_sub(left), Why::LimitLatest)
        });
        [total, most, latest].into_iter().flatten().min_by_key(|(room, _)| *room)
    }
}

impl Computed {
    fn push(&mut self, line: Line) {
        let for_good = matches!(line.why, Some(Why::BeforeStart | Why::TooLate));
        self.turned_away = if for_good { self.turned_away.saturating_add(1) } else { 0 };
        self.lines.push(line);
        let mut new = self.came.len();
        if self.turned_away == 2 * TURNED_AWAY {
            new = self.lines.len().saturating_sub(self.turned_away);
            self.turned_away = TURNED_AWAY;
            let gone = self.lines.drain(new..new.saturating_add(TURNED_AWAY));
            self.forgotten = gone.map(|line| line.wanted).fold(self.forgotten, i64::saturating_add);
        }
        self.add_up(new);
    }

    /// Adds up what came, from a line on.
    fn add_up(&mut self, from: usize) {
        self.came.truncate(from);
        let (mut count, mut sum) = self.came.last().copied().unwrap_or_default();
        for line in self.lines.get(from..).unwrap_or_default() {
            if line.row.is_some() {
                (count, sum) = (count.saturating_add(1), sum.saturating_add(line.given));
            }
            self.came.push((count, sum));
        }
    }

    /// How many lines came by a row after an instant, in milliseconds of Unix time, and what they were given.
    #[must_use]
    pub fn came_after(&self, at: i64) -> (usize, i64) {
        let before = self.lines.partition_point(|line| line.at <= at);
        let until = before.checked_sub(1).and_then(|place| self.came.get(place)).copied().unwrap_or_default();
        let all = self.came.last().copied().unwrap_or_default();
        (all.0.saturating_sub(until.0), all.1.saturating_sub(until.1))
    }

    /// Gives a line what it wants, as far as that fits.
    fn give(&mut self, place: usize, limits: &Limits, scope: &Scope<'_>) {
        let Some(line) = self.lines.get_mut(place) else { return };
        let (given, why) = if line.wanted < 0 {
            let most = self.clock.left.max(0);
            let taken = line.wanted.saturating_neg().min(most);
            (taken.saturating_neg(), (taken < line.wanted.saturating_neg()).then_some(Why::NothingLeft))
        } else {
            let room = limits.room(&self.clock, scope).filter(|(room, _)| *room < line.wanted);
            room.map_or((line.wanted, None), |(room, why)| (room.max(0), Some(why)))
        };
        (line.given, line.why) = (given, why);
        let (row, who) = (line.row.clone(), line.who);
        self.put(given, row, who);
    }

    fn put(&mut self, given: i64, row: Option<Row>, who: Option<Person>) {
        self.clock.add(given);
        match given {
            ..0 => self.taken = self.taken.saturating_sub(given),
            _ => self.added = self.added.saturating_add(given),
        }
        for sum in [self.by_row.entry(row).or_default(), self.by_person.entry(who).or_default()] {
            *sum = sum.saturating_add(given);
        }
    }

    /// Who added most, and how much, most first.
    #[must_use]
    pub fn first_supporters(&self, most: usize) -> Vec<(Person, i64)> {
        let mut all: Vec<(Person, i64)> =
            self.by_person.iter().filter_map(|(who, ms)| who.map(|who| (who, *ms))).filter(|(_, ms)| *ms > 0).collect();
        all.sort_by_key(|(who, ms)| (std::cmp::Reverse(*ms), *who));
        all.truncate(most);
        all
    }

    /// The boosts by hand in force at an instant.
    pub fn boosts_at(&self, at: i64) -> impl Iterator<Item = &HandBoost> {
        self.boosts.iter().filter(move |boost| boost.from <= at && at < boost.until)
    }

    fn happen(&mut self, noted: Noted, subathon: &Subathon, scope: &Scope<'_>) {
        let Noted { seq, happened_at, arrived } = noted;
        self.clock.advance(arrived);
        if self.clock.phase == Phase::Ready {
            return;
        }
        let Some(fact) = scope.book.find(happened_at, seq).filter(|fact| scope.book.stands(fact)) else { return };
        // What is dated ahead counts as it comes; what has no time of its own comes now, should the machine's clock
        // have stepped back.
        let at = match ms(happened_at) {
            happened if happened >= arrived => self.clock.at,
            happened => happened,
        };
        let terms = subathon.terms.at(at);
        let by_hand = self.boosts_at(at).map(|boost| boost.factor);
        let factor = together(by_hand.chain(terms.planned_factors(at, &scope.settings.calendar)));
        let who = fact.person().map(|person| scope.book.names().person(person));
        for fits in terms.sheet.fitting(fact, scope.book) {
            let why = self.turned_away(at, arrived, terms, &fits);
            let base = self.base(&fits, who, why.is_none_or(|why| why == Why::Waits));
            let wanted = match fits.rate.takes {
                true => base,
                // A boost is a gift to whoever adds, never a fine.
                false => half_even(i128::from(base).saturating_mul(factor.into()), 1_000),
            };
            let place = self.lines.len();
            let row = Some(fits.row.clone());
            let factor = if fits.rate.takes { 1_000 } else { factor };
            self.push(Line { seq, happened_at, at: self.clock.at, row, who, base, factor, wanted, given: 0, why });
            match why {
                Some(Why::Waits) => self.waiting.push(place),
                Some(_) => {}
                None => {
                    if matches!(self.clock.phase, Phase::Zero { .. }) && wanted > 0 {
                        self.clock.revive(arrived);
                    }
                    self.give(place, &terms.limits, scope);
                    self.add_up(place);
                }
            }
        }
    }

    /// Why a happening adds nothing, whatever it is worth.
    fn turned_away(&self, at: i64, arrived: i64, terms: &Terms, fits: &Fits<'_>) -> Option<Why> {
        match self.clock.phase {
            _ if at < self.clock.began => Some(Why::BeforeStart),
            Phase::Zero { at: zero }
                if arrived >= zero.saturating_add(terms.grace_ms) && arrived >= zero || fits.rate.takes =>
            {
                Some(Why::TooLate)
            }
            Phase::Over { .. } => Some(Why::TooLate),
            // By when it happened: what comes late out of a pause is of the pause, and what comes late into one is not.
            phase if self.clock.was_paused(at) => match terms.while_paused {
                WhilePaused::Ignore => Some(Why::Ignored),
                WhilePaused::Wait if matches!(phase, Phase::Paused { .. }) => Some(Why::Waits),
                WhilePaused::Wait | WhilePaused::Count => None,
            },
            _ => None,
        }
    }

    /// What a happening comes to by its row. What is left over of a step is kept for its supporter if it counts.
    fn base(&mut self, fits: &Fits<'_>, who: Option<Person>, counts: bool) -> i64 {
        let carries = fits.rate.rounding == Rounding::StepsCarried;
        let key = who.filter(|_| carries).map(|who| (fits.row.clone(), who));
        let before = key.as_ref().and_then(|key| self.carried.get(key)).copied().unwrap_or(0);
        let (base, rest) = fits.rate.compute(fits.size, before);
        if let Some(key) = key.filter(|_| counts) {
            self.carried.insert(key, rest);
        }
        if fits.rate.takes { base.saturating_neg() } else { base }
    }

    fn by_hand(&mut self, seq: Seq, at: Instant, wanted: i64, why: Option<Why>) -> usize {
        let place = self.lines.len();
        let (row, who, base, factor) = (None, None, wanted, 1_000);
        self.push(Line { seq, happened_at: at, at: ms(at), row, who, base, factor, wanted, given: 0, why });
        place
    }

    fn act(&mut self, seq: Seq, at: Instant, act: SubathonAct, subathon: &Subathon, scope: &Scope<'_>) {
        let now = ms(at);
        match act {
            SubathonAct::Start => {
                self.clock.start(now);
                self.give_waiting(subathon, scope);
            }
            SubathonAct::BreakEnds => {
                // Should the break be taken back, there is nothing to end.
                self.clock.advance(now);
                if matches!(self.clock.phase, Phase::Paused { until: Some(_) }) {
                    self.clock.start(now);
                    self.give_waiting(subathon, scope);
                }
            }
            SubathonAct::Changed => self.clock.advance(now),
            SubathonAct::Pause => self.clock.pause(now, None, None),
            SubathonAct::Break { planned, ms, .. } => self.clock.pause(now, Some(now.saturating_add(ms)), planned),
            SubathonAct::Reset => *self = Self { clock: Clockwork::ready(subathon.length_ms()), ..Self::default() },
            SubathonAct::Add { ms } => {
                self.clock.advance(now);
                let late = matches!(self.clock.phase, Phase::Zero { .. } | Phase::Over { .. });
                let place = self.by_hand(seq, at, ms, late.then_some(Why::TooLate));
                if !late {
                    self.give(place, &subathon.terms.at(now).limits, scope);
                }
            }
            SubathonAct::GoOn { ms } => {
                self.clock.advance(now);
                if self.clock.phase != Phase::Ready {
                    // What it ran beyond nothing, because of a mistake, is no time that it ran.
                    self.clock.forgive();
                    let place = self.by_hand(seq, at, ms, None);
                    if let Some(line) = self.lines.get_mut(place) {
                        line.given = ms;
                    }
                    self.put(ms, None, None);
                    self.clock.revive(now);
                    self.give_waiting(subathon, scope);
                }
            }
            SubathonAct::Boost { factor, ms } => {
                self.clock.advance(now);
                self.boosts.push(HandBoost { seq, factor, from: now, until: now.saturating_add(ms) });
            }
            SubathonAct::EndBoosts => {
                self.clock.advance(now);
                for boost in &mut self.boosts {
                    boost.until = boost.until.min(now.max(boost.from));
                }
            }
            SubathonAct::Zero { length_ms } => {
                self.clock.advance(now);
                // Where something is left, what ended it was a mistake that was undone, and it is as if it had not ended. That
                // its length was set to another since is no such thing.
                let longer = length_ms.map_or(0, |then| subathon.length_ms().saturating_sub(then));
                if self.clock.left.saturating_sub(longer) <= 0 {
                    self.clock.zero(now);
                } else {
                    self.clock.went_on(now);
                }
            }
            SubathonAct::Over => self.clock.over(now),
            SubathonAct::Away { from, until, ran: false } => self.clock.skip(ms(from), ms(until)),
            SubathonAct::Away { .. } => {}
        }
    }

    fn give_waiting(&mut self, subathon: &Subathon, scope: &Scope<'_>) {
        if self.clock.phase != Phase::Running {
            return;
        }
        let waiting = std::mem::take(&mut self.waiting);
        for place in &waiting {
            let limits = &subathon.terms.at(self.clock.at).limits;
            self.give(*place, limits, scope);
        }
        if let Some(first) = waiting.first() {
            self.add_up(*first);
        }
    }
}

impl State {
    /// What the log comes to.
    #[must_use]
    pub fn computed(&self) -> &Computed {
        &self.sum
    }

    /// The same as it is seen: with what waited for the end of a break that is due, though that is not written yet.
    pub(super) fn with_due(&self, subathon: &Subathon, scope: &Scope<'_>) -> Cow<'_, Self> {
        let (now, plan) = (ms(scope.now), subathon.plan(scope));
        let due = |sum: &Computed| sum.clock.next(&plan).filter(|(at, _)| *at <= now);
        if self.sum.waiting.is_empty() || due(&self.sum).is_none() {
            return Cow::Borrowed(self);
        }
        let mut seen = self.clone();
        while let Some((at, what)) = due(&seen.sum) {
            seen.sum.clock.happen(at, what);
            seen.sum.give_waiting(subathon, scope);
        }
        Cow::Owned(seen)
    }

    /// The acts done.
    pub(super) fn acts(&self) -> &ActLog<SubathonAct> {
        &self.acts
    }

    /// Notes an act on it, or the taking back of one. What that comes to is reckoned by [`State::reckon`].
    pub(super) fn note_act(
        &mut self,
        entry: &Entry,
        of_family: impl Fn(&crate::record::acts::Act) -> Option<SubathonAct>,
    ) -> bool {
        let Some(change) = self.acts.note(entry, of_family) else { return false };
        if matches!(change, Change::TookBack(_)) {
            self.seen.push(Seen(entry.seq, ms(entry.happened_at)));
        }
        self.stale = true;
        true
    }

    fn note(&mut self, entry: &Entry) -> Option<Noted> {
        // Before the first act nothing counts.
        if self.acts.is_empty() {
            return None;
        }
        let noted = Noted { seq: entry.seq, happened_at: entry.happened_at, arrived: ms(entry.arrived_at) };
        self.noted.push(noted);
        Some(noted)
    }

    /// Notes a line that is read again.
    pub(super) fn note_again(&mut self, entry: &Entry) {
        match &entry.body {
            Body::Happening(happening) if happening.kind().bit() & Sheet::kinds() != 0 => drop(self.note(entry)),
            Body::Happening(_) => {}
            _ => self.note_said(entry),
        }
        self.stale = true;
    }

    /// Notes a happening and reckons on with it.
    pub(super) fn note_happening(&mut self, entry: &Entry, subathon: &Subathon, scope: &Scope<'_>) -> bool {
        let Some(noted) = self.note(entry) else { return false };
        if self.stale {
            self.compute(subathon, scope);
        } else {
            self.sum.happen(noted, subathon, scope);
        }
        true
    }

    /// Notes that something was said about the record, by which earlier lines may count otherwise.
    pub(super) fn note_said(&mut self, entry: &Entry) {
        if !self.acts.is_empty() {
            self.seen.push(Seen(entry.seq, ms(entry.arrived_at)));
            self.sum.clock.corrected(ms(entry.arrived_at));
        }
    }

    /// Reckons everything anew.
    pub(super) fn compute(&mut self, subathon: &Subathon, scope: &Scope<'_>) {
        self.sum = self.without(None, subathon, scope);
        self.stale = false;
    }

    /// Whether acts have been noted that are not reckoned with yet.
    pub(super) fn is_stale(&self) -> bool {
        self.stale
    }

    /// What the log would come to without one act.
    pub(super) fn without(&self, act: Option<Seq>, subathon: &Subathon, scope: &Scope<'_>) -> Computed {
        // All three are in the order of their lines; no line is two of them but an act that is taken back, which is seen after it.
        let acts = self.acts.in_force().filter(|(line, _)| Some(line.seq) != act);
        let (mut acts, mut seen) = (acts.peekable(), self.seen.iter().peekable());
        let mut sum = Computed { clock: Clockwork::ready(subathon.length_ms()), ..Computed::default() };
        let mut operate_before = |sum: &mut Computed, end: Option<Seq>| loop {
            let (act, corrected) = (acts.peek().map(|(line, _)| line.seq), seen.peek().map(|seen| seen.0));
            let Some(next) = act.into_iter().chain(corrected).min() else { break };
            if end.is_some_and(|end| end <= next) {
                break;
            }
            if act == Some(next) {
                if let Some((line, act)) = acts.next() {
                    sum.act(line.seq, line.at, *act, subathon, scope);
                }
            } else if let Some(seen) = seen.next() {
                sum.clock.corrected(seen.1);
            }
        };
        for noted in self.noted.iter() {
            operate_before(&mut sum, Some(noted.seq));
            sum.happen(noted, subathon, scope);
        }
        operate_before(&mut sum, None);
        sum
    }
}
