//! Which cues a line of the record sets off, and whether they fire.

use super::Channel;
use super::listening::Listening;
use crate::cues::{Chain, Cue, Cues, Due, Firings, MOST_DEPTH, NotFired, When, next_minute};
use crate::language::text::plain;
use crate::money::Money;
use crate::overlay::{Overlay, What as Laid};
use crate::record::acts::{Act, PollAct, ShowAct};
use crate::record::entry::{BY_ITSELF, Body, CUE_SOURCE, Entry};
use crate::record::happening::Happening;
use crate::record::ids::{Seq, WidgetId};
use crate::time::words::digits;
use crate::time::{Instant, before};
use chrono::{NaiveTime, TimeDelta};
use std::collections::{BTreeMap, BTreeSet};

/// Something for which a cue waits has happened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Occasion {
    /// Which cue.
    pub cue: u32,
    /// The line that told of it; none for a press.
    pub cause: Option<Seq>,
    /// When it happened.
    pub at: Instant,
    /// What, in words.
    pub about: String,
    /// The key of the supporter who did it.
    pub person: Option<String>,
    /// The cues that had set each other off before, where any had.
    pub chain: Option<Chain>,
    /// Whether somebody pressed it, and means it.
    pub by_hand: bool,
}

/// An occasion, and what came of it: the line with which the cue fires, or why it does not.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Triggered {
    /// The occasion.
    pub occasion: Occasion,
    /// What came of it.
    pub decided: Result<Body, NotFired>,
}

/// So many cues that set each other off within this time are a circle.
const ROUND: TimeDelta = TimeDelta::seconds(60);

/// So often at most is looked ahead how a widget goes on by itself.
const MOST_CHANGES: usize = 100;

fn left_words(title: &str, seconds: i64) -> String {
    match seconds {
        0 => format!("“{title}” ran out"),
        _ => format!("“{title}” had {} left", digits(TimeDelta::seconds(seconds))),
    }
}

/// Figures that cues watch, as they were before a line.
type Marks = BTreeMap<WidgetId, i64>;

impl Channel {
    /// The cues.
    #[must_use]
    pub fn cues(&self) -> &Cues {
        &self.cues
    }

    /// Takes note of other cues.
    pub fn set_cues(&mut self, cues: Cues) {
        self.cues = cues;
        let on = self.cues.all.values().filter(|cue| cue.on);
        let word = |cue: &Cue| match &cue.when {
            When::Command { word } => Some(plain(word)),
            _ => None,
        };
        self.cue_words = on.filter_map(word).collect();
        self.listening = Listening::of(self);
    }

    /// What the record says of cues.
    #[must_use]
    pub fn firings(&self) -> &Firings {
        &self.firings
    }

    /// Takes note of the overlays' layouts on air.
    pub fn set_layouts(&mut self, layouts: BTreeMap<u32, Overlay>) {
        self.layouts = layouts;
    }

    /// Whether a widget is seen on some overlay.
    #[must_use]
    pub fn is_seen(&self, widget: WidgetId) -> bool {
        let on = |(id, layout): (&u32, &Overlay)| {
            let said = self.appearances(*id);
            layout.pieces.iter().any(|piece| piece.what == Laid::Widget(widget) && layout.shows(piece, &said))
        };
        !self.covered && self.layouts.iter().any(on)
    }

    /// The first step of a cue that is to be done, of all whose firing has no step under way.
    #[must_use]
    pub fn next_step(&self, under_way: &BTreeSet<Seq>) -> Option<Due> {
        self.firings.next(under_way)
    }

    /// What a supporter is called, by their key.
    #[must_use]
    pub fn name_of(&self, person: &str) -> Option<String> {
        let names = self.book.names();
        Some(names.get(names.find(person)?)?.name.clone())
    }

    /// Folds a line that has just come, as [`Channel::apply`] does, and says which cues it sets off: each with the line for the
    /// ledger, or with why it stays quiet. That is decided here and now, so that it depends on nothing that comes later.
    pub fn apply_with_cues(&mut self, entry: &Entry) -> (BTreeSet<WidgetId>, Vec<Triggered>) {
        let before = self.marks(entry);
        let touched = self.apply(entry);
        let mut occasions = Vec::new();
        if !matches!(entry.body, Body::Fired { .. } | Body::Stepped { .. }) {
            let chain = self.chain(entry);
            for (id, cue) in self.cues.all.iter().filter(|(_, cue)| cue.on) {
                if let Some(about) = self.is_set_off(cue, entry, &before) {
                    let person = self.person(entry);
                    let (cause, at) = (Some(entry.seq), entry.arrived_at);
                    occasions.push(Occasion { cue: *id, cause, at, about, person, chain, by_hand: false });
                }
            }
        }
        let decide = |occasion: Occasion| {
            let decided = self.decide_cue(&occasion);
            if decided.is_ok() {
                // Its line will say so; until it is written, the next occasion must know.
                self.firings.note(occasion.cue, occasion.at, occasion.person.as_deref());
            }
            Triggered { occasion, decided }
        };
        (touched, occasions.into_iter().map(decide).collect())
    }

    /// The cues that have set each other off up to a line: one that a cue wrote, or what a widget that a cue operated did by
    /// itself.
    fn chain(&self, entry: &Entry) -> Option<Chain> {
        match &entry.body {
            _ if entry.origin.source == CUE_SOURCE => self.firings.chain_of(entry),
            Body::Act { widget, .. } if entry.origin.source == BY_ITSELF => self.firings.chain(*widget),
            _ => None,
        }
    }

    /// The figures that cues watch, where a line may change them.
    fn marks(&self, entry: &Entry) -> Marks {
        let moves = |(id, kinds): &&(WidgetId, u16)| match &entry.body {
            Body::Act { widget, .. } | Body::Void { widget, .. } => widget == id,
            Body::Happening(happening) => kinds & happening.kind().bit() != 0,
            Body::Fired { .. } | Body::Stepped { .. } | Body::Appear { .. } | Body::Cover { .. } => false,
            Body::Correct { .. }
            | Body::Withdraw { .. }
            | Body::Merge { .. }
            | Body::Show { .. }
            | Body::Rates { .. } => true,
        };
        let watched = self.listening.watched.iter().filter(moves);
        watched.filter_map(|(id, _)| Some((*id, self.mark(*id, entry.arrived_at)?))).collect()
    }

    /// The figure of a widget that cues watch.
    fn mark(&self, id: WidgetId, now: Instant) -> Option<i64> {
        self.widgets.get(&id)?.figure(&self.scope(now))
    }

    fn title_of(&self, id: WidgetId) -> &str {
        self.widgets.get(&id).map_or("a widget", |piece| piece.title())
    }

    /// What a line did for which a cue waits, in words.
    fn is_set_off(&self, cue: &Cue, entry: &Entry, before: &Marks) -> Option<String> {
        let title = |id: &WidgetId| self.title_of(*id);
        let change = |id: &WidgetId| Some((*before.get(id)?, self.mark(*id, entry.arrived_at)?));
        match (&cue.when, &entry.body) {
            (When::Entry { kind, least }, Body::Happening(happening)) if happening.kind() == *kind => {
                (*least == 0 || self.size(happening, entry)? >= *least).then(|| happening.words())
            }
            (When::Command { word }, Body::Happening(Happening::Command { word: said, .. })) => {
                (!word.is_empty() && word == said).then(|| entry.body.words())
            }
            (When::Reward { name }, Body::Happening(Happening::Reward { reward, .. })) => {
                let same = name.is_empty() || name.to_lowercase() == reward.to_lowercase();
                same.then(|| entry.body.words())
            }
            (When::Signal { name }, Body::Happening(Happening::Signal { name: told, .. })) => {
                (!name.is_empty() && name == told).then(|| entry.body.words())
            }
            (When::Reached { widget }, _) => {
                change(widget).filter(|(was, is)| is > was).map(|_| format!("“{}” was reached", title(widget)))
            }
            (When::Passed { widget, value }, _) => change(widget)
                .filter(|(was, is)| was < value && value <= is)
                .map(|(_, is)| format!("“{}” came to {is}", title(widget))),
            (When::Left { widget, seconds }, _) => change(widget)
                .filter(|(was, is)| *was > seconds.saturating_mul(1_000) && *is <= seconds.saturating_mul(1_000))
                .map(|_| left_words(title(widget), *seconds)),
            (When::Closed { widget }, Body::Act { widget: own, act: Act::Poll(PollAct::Close), .. }) => {
                (widget == own).then(|| format!("“{}” was closed", title(widget)))
            }
            (When::Begins, Body::Show { act: ShowAct::Begin, .. }) => Some("the show began".into()),
            (When::Ends, Body::Show { act: ShowAct::End, .. }) => Some("the show ended".into()),
            _ => None,
        }
    }

    /// The instant up to which was looked for what comes by itself, and the cue that was looked at last there.
    fn looked_until(&self) -> (Instant, u32) {
        self.firings.looked_until().max(self.passed)
    }

    /// What came by itself up to an instant was looked at, as far as that cue.
    pub fn pass(&mut self, at: Instant, cue: u32) {
        self.passed = self.passed.max((at, cue));
    }

    /// The first that comes by itself for which a cue waits, up to an instant, and what comes of it. It is to be written, or
    /// passed, before anything else: so whatever happens then, it was decided by what was known at its own instant.
    #[must_use]
    pub fn comes_by_itself(&self, until: Instant) -> Option<Triggered> {
        let strikes = self.strikes(until);
        let comes = |cue: &Cue| match cue.when {
            When::At { minute, .. } => strikes(minute),
            _ => cue.when.comes_by_itself(),
        };
        let timed = self.cues.all.iter().filter(|(_, cue)| cue.on && comes(cue));
        let (at, cue, about) = timed
            .filter_map(|(id, cue)| self.comes(*id, cue, until).map(|(at, about)| (at, *id, about)))
            .filter(|(at, ..)| *at <= until)
            .min_by_key(|(at, id, _)| (*at, *id))?;
        let watched = self.cues.all.get(&cue).and_then(|cue| cue.when.watches());
        let chain = watched.and_then(|(_, widget)| self.firings.chain(widget));
        let occasion = Occasion { cue, cause: None, at, about, person: None, chain, by_hand: false };
        let decided = self.decide_cue(&occasion);
        Some(Triggered { occasion, decided })
    }

    /// Whether the channel's clock can show so many minutes after midnight, from what was looked at last up to an instant. Most
    /// times of day lie outside of that, and need not be looked at one by one.
    fn strikes(&self, until: Instant) -> impl Fn(u16) -> bool + use<> {
        let calendar = &self.settings.calendar;
        let from = before(self.looked_until().0, TimeDelta::microseconds(1));
        let span = until.signed_duration_since(from);
        let day = TimeDelta::days(1);
        // Where clocks change, or it is long ago, each is looked at.
        let steady = (span >= TimeDelta::zero() && span < day)
            .then(|| (calendar.local(from), calendar.local(until)))
            .filter(|(local, to)| to.signed_duration_since(*local) == span);
        move |minute| {
            let Some((local, to)) = steady else { return true };
            let today = local.date().and_time(NaiveTime::MIN);
            let at = today.checked_add_signed(TimeDelta::minutes(minute.into()));
            let tomorrow = at.and_then(|at| at.checked_add_signed(day));
            [at, tomorrow].into_iter().flatten().any(|at| local <= at && at <= to)
        }
    }

    /// When a cue's occasion comes by itself next, and what it is, in words.
    fn comes(&self, id: u32, cue: &Cue, until: Instant) -> Option<(Instant, String)> {
        let looked = cue.since.map_or(self.looked_until(), |since| self.looked_until().max((since, u32::MAX)));
        let is_new = |at: Instant| (at, id) > looked;
        let from = before(looked.0, TimeDelta::microseconds(1));
        if let When::At { minute, days } = cue.when {
            // Nothing has happened yet, and nobody has said since when.
            if looked.0 == Instant::MIN_UTC {
                return None;
            }
            let calendar = &self.settings.calendar;
            let at = next_minute(calendar, (minute, days), from).filter(|at| is_new(*at));
            let at = at.or_else(|| next_minute(calendar, (minute, days), looked.0))?;
            return Some((at, format!("it was {:02}:{:02}", minute / 60, minute % 60)));
        }
        let (_, widget) = cue.when.watches()?;
        let piece = self.widgets.get(&widget)?;
        let mut now = from;
        // What stands may go on by itself, as a clock after a break.
        for _ in 0..MOST_CHANGES {
            let scope = self.scope(now);
            if let Some((at, text)) = piece.ending(&scope) {
                let (at, about) = match &cue.when {
                    When::Left { seconds, .. } => {
                        (before(at, TimeDelta::seconds(*seconds)), left_words(piece.title(), *seconds))
                    }
                    When::Rested { on, .. } if on.is_empty() || on.to_lowercase() == text.to_lowercase() => {
                        (at, format!("“{}” came to rest on {text}", piece.title()))
                    }
                    _ => return None,
                };
                if is_new(at) {
                    return Some((at, about));
                }
            }
            now = piece.wakes_at(&scope).filter(|at| *at > now && *at <= until)?;
        }
        None
    }

    /// How large a happening is: money in the channel's own, as it is worth on its day.
    fn size(&self, happening: &Happening, entry: &Entry) -> Option<i64> {
        let money = |amount: &Money| {
            if amount.currency == self.settings.currency {
                return Some(amount.minor);
            }
            let day = self.settings.calendar.day(entry.happened_at);
            Some(self.book.rates().convert(*amount, self.settings.currency, day)?.minor)
        };
        let number = match happening {
            Happening::Tip { amount, .. } => return money(amount),
            Happening::Purchase { amount: Some(amount), .. } => return money(amount),
            other => other.clone().number_mut().map(|number| *number)?,
        };
        Some(i64::from(number))
    }

    /// The key of the supporter of whom a line tells, where it names one.
    fn person(&self, entry: &Entry) -> Option<String> {
        let Body::Happening(happening) = &entry.body else { return None };
        let actor = happening.actor().filter(|actor| !actor.anonymous)?;
        let (names, key) = (self.book.names(), crate::book::names::key(actor.id.as_deref(), &actor.name));
        // Two names that count as one supporter are one here too.
        let one = names.find(&key).and_then(|one| names.get(names.person(one)));
        Some(one.map_or(key, |one| one.key.clone()))
    }

    /// Decides whether a cue fires.
    ///
    /// # Errors
    /// It does not, and why.
    pub fn decide_cue(&self, occasion: &Occasion) -> Result<Body, NotFired> {
        let cue = self.cues.all.get(&occasion.cue).filter(|cue| cue.on || occasion.by_hand).ok_or(NotFired::Off)?;
        // One that goes round slowly, such as a clock of ten minutes that starts itself, is meant to.
        let fast = |chain: &Chain| occasion.at.signed_duration_since(chain.since) < ROUND;
        let chain = occasion.chain.filter(|chain| chain.depth < MOST_DEPTH || fast(chain));
        if chain.is_some_and(|chain| chain.depth >= MOST_DEPTH) {
            return Err(NotFired::Circle);
        }
        // A press by hand means it.
        if !occasion.by_hand {
            // A show that has just ended was on air.
            if cue.on_air && self.book.shows().on_air().is_none() && cue.when != When::Ends {
                return Err(NotFired::OffAir);
            }
            if cue.while_shown.is_some_and(|widget| !self.is_seen(widget)) {
                return Err(NotFired::NotShown);
            }
            let since =
                self.firings.last(occasion.cue).map(|last| occasion.at.signed_duration_since(last).num_seconds());
            if let Some(since) = since.filter(|since| cue.every_s > 0 && *since < i64::from(cue.every_s)) {
                return Err(NotFired::Resting(since.max(0)));
            }
            if cue.once_each && occasion.person.as_ref().is_some_and(|one| self.firings.has_met(occasion.cue, one)) {
                return Err(NotFired::Met);
            }
        }
        Ok(Body::Fired {
            cue: occasion.cue,
            name: cue.name.clone(),
            about: occasion.about.clone(),
            cause: occasion.cause,
            person: occasion.person.clone(),
            depth: chain.map_or(0, |chain| chain.depth),
            since: chain.map(|chain| chain.since),
            steps: cue.steps.clone(),
        })
    }
}
