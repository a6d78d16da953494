//! Which cues a line of the record sets off, and whether they fire.

use super::Channel;
use crate::cues::{Cue, Cues, Due, Firings, MOST_DEPTH, NotFired, Offer, When, actions};
use crate::language::unit::Unit;
use crate::money::Money;
use crate::overlay::{Overlay, What as Laid};
use crate::record::acts::{Act, PollAct, ShowAct};
use crate::record::cue::Do;
use crate::record::entry::{Body, Entry};
use crate::record::happening::Happening;
use crate::record::ids::{Seq, WidgetId};
use crate::time::Instant;
use crate::widgets::Piece;
use crate::widgets::view::View;
use std::collections::{BTreeMap, BTreeSet};

/// Under this source stand the lines that cues write.
pub const CUE_SOURCE: &str = "cue";

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
    /// How many cues had set each other off before.
    pub depth: u8,
}

/// An occasion, and what came of it: the line with which the cue fires, or why it does not.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Heeded {
    /// The occasion.
    pub occasion: Occasion,
    /// What came of it.
    pub decided: Result<Body, NotFired>,
}

/// What a cue would have done in the past.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WouldFire {
    /// The line that would have set it off.
    pub cause: Option<Seq>,
    /// When.
    pub at: Instant,
    /// What it was, in words.
    pub about: String,
    /// Why it would have stayed quiet all the same.
    pub not: Option<NotFired>,
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
    }

    /// What the record says of cues.
    #[must_use]
    pub fn firings(&self) -> &Firings {
        &self.firings
    }

    /// The first step of a cue that is to be done.
    #[must_use]
    pub fn next_step(&self) -> Option<Due> {
        self.firings.next()
    }

    /// Folds a line that has just come, as [`Channel::apply`] does, and says which cues it sets off: each with the line for the
    /// ledger, or with why it stays quiet. That is decided here and now, so that it depends on nothing that comes later.
    pub fn apply_heeding(&mut self, entry: &Entry) -> (BTreeSet<WidgetId>, Vec<Heeded>) {
        let before = self.marks(entry);
        let touched = self.apply(entry);
        let mut occasions = Vec::new();
        if !matches!(entry.body, Body::Fired { .. } | Body::Stepped { .. }) {
            let depth = self.depth(entry);
            for (id, cue) in self.cues.all.iter().filter(|(_, cue)| cue.on) {
                if let Some(about) = self.is_set_off(cue, entry, &before) {
                    let person = self.person(entry);
                    let (cause, at) = (Some(entry.seq), entry.arrived_at);
                    occasions.push(Occasion { cue: *id, cause, at, about, person, depth });
                }
            }
        }
        let heed = |occasion: Occasion| {
            let decided = self.decide_cue(&occasion);
            if decided.is_ok() {
                // Its line will say so; until it is written, the next occasion must know.
                self.firings.note(occasion.cue, occasion.at, occasion.person.as_deref());
            }
            Heeded { occasion, decided }
        };
        (touched, occasions.into_iter().map(heed).collect())
    }

    /// How many cues have set each other off up to a line.
    fn depth(&self, entry: &Entry) -> u8 {
        if entry.origin.source != CUE_SOURCE {
            return 0;
        }
        let fired = entry.origin.id.split(':').next().and_then(|fired| fired.parse().ok()).map(Seq);
        fired.map_or(0, |fired| self.firings.depth(fired).saturating_add(1))
    }

    /// The figures that cues watch, where a line may change them.
    fn marks(&self, entry: &Entry) -> Marks {
        let watched = self.cues.all.values().filter(|cue| cue.on).filter_map(Cue::watches).collect::<BTreeSet<_>>();
        let moves = |id: &WidgetId| match &entry.body {
            Body::Act { widget, .. } | Body::Void { widget, .. } => widget == id,
            Body::Happening(happening) => self.widgets.get(id).is_some_and(|piece| {
                let bit = happening.kind().bit();
                piece.notes() & bit != 0 || piece.counts(&self.settings).iter().any(|count| count.kinds() & bit != 0)
            }),
            Body::Fired { .. } | Body::Stepped { .. } | Body::Appear { .. } | Body::Cover { .. } => false,
            Body::Correct { .. }
            | Body::Withdraw { .. }
            | Body::Merge { .. }
            | Body::Show { .. }
            | Body::Rates { .. } => true,
        };
        watched.into_iter().filter(moves).filter_map(|id| Some((id, self.mark(id, entry.arrived_at)?))).collect()
    }

    /// The figure of a widget that cues watch: how many targets of a goal were reached, or a counter's value.
    fn mark(&self, id: WidgetId, now: Instant) -> Option<i64> {
        match self.view(id, now)? {
            View::Goal(view) => view.aims().next().map(|aim| i64::from(aim.level)),
            View::Counter(view) => Some(view.first.value),
            _ => None,
        }
    }

    /// What a line did for which a cue waits, in words.
    fn is_set_off(&self, cue: &Cue, entry: &Entry, before: &Marks) -> Option<String> {
        let title = |id: &WidgetId| self.widgets.get(id).map_or("a widget", |piece| piece.title()).to_owned();
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
            (When::Closed { widget }, Body::Act { widget: own, act: Act::Poll(PollAct::Close), .. }) => {
                (widget == own).then(|| format!("“{}” was closed", title(widget)))
            }
            (When::Begins, Body::Show { act: ShowAct::Begin, .. }) => Some("the show began".into()),
            (When::Ends, Body::Show { act: ShowAct::End, .. }) => Some("the show ended".into()),
            _ => None,
        }
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
        let cue =
            self.cues.all.get(&occasion.cue).filter(|cue| cue.on || occasion.cause.is_none()).ok_or(NotFired::Off)?;
        if occasion.depth >= MOST_DEPTH {
            return Err(NotFired::Circle);
        }
        // A press by hand means it.
        if occasion.cause.is_some() {
            // A show that has just ended was on air.
            if cue.on_air && self.book.shows().on_air().is_none() && cue.when != When::Ends {
                return Err(NotFired::OffAir);
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
            depth: occasion.depth,
            steps: cue.steps.clone(),
        })
    }

    /// What a piece of an overlay is called.
    #[must_use]
    pub fn piece_words(&self, layout: &Overlay, piece: u32) -> String {
        let title = |id: WidgetId| self.widgets.get(&id).map(|piece| piece.title().to_owned());
        layout.piece(piece).map_or_else(|| "a piece that is gone".into(), |piece| piece.words(title))
    }

    /// What cues can go by and do here, with the overlays that there are. Pieces of overlays are added by who knows them.
    #[must_use]
    pub fn cue_offer(&self, overlays: &[(u32, Overlay)], now: Instant) -> Offer {
        let scope = self.scope(now);
        let mut offer = Offer { money: Some(Unit::Money(self.settings.currency)), ..Offer::default() };
        for (id, piece) in &self.widgets {
            let (title, key) = (piece.title(), piece.key());
            if matches!(piece, Piece::Goal(_) | Piece::Counter(_) | Piece::Poll(_)) {
                offer.watched.push((*id, key, title.to_owned()));
            }
            offer.families.insert(*id, key);
            let press = |action: &str, value, side| {
                let action = action.to_owned();
                Do::Press { widget: *id, action, value, text: None, side }
            };
            let known = actions::of_family(key).iter();
            offer.actions.extend(known.map(|known| {
                (press(known.action, known.value, None), format!("“{title}”: {}", known.words), known.text)
            }));
            // What a board knows depends on its sport, and on where its match stands.
            if let Piece::Scoreboard(_) = piece {
                let levers = piece.levers(&scope).into_iter().filter(|lever| lever.action != "undo");
                offer.actions.extend(levers.map(|lever| {
                    let what = press(lever.action, lever.value, lever.side);
                    (what, format!("“{title}”: {}", lever.label), lever.text.is_some())
                }));
            }
        }
        for (id, layout) in overlays {
            for piece in layout.pieces.iter().rev() {
                let words = self.piece_words(layout, piece.id);
                if let Laid::Widget(widget) = piece.what {
                    offer.pieces.insert((*id, piece.id), widget);
                }
                for (shown, does) in [(true, "show"), (false, "hide")] {
                    let what = Do::Appear { overlay: *id, piece: piece.id, shown };
                    offer.actions.push((what, format!("{does} {words} on {}", layout.name), false));
                }
            }
        }
        offer
    }
}

/// A cue tried on the past.
#[derive(Debug)]
pub struct DryRun {
    channel: Channel,
    all: Vec<WouldFire>,
}

/// The number of the cue in a dry run, which no cue of a channel has.
const TRIED: u32 = u32::MAX;

impl DryRun {
    /// Of a cue, with the widget that it watches as it stood before anything had happened.
    #[must_use]
    pub fn of(channel: &Channel, cue: &Cue) -> Self {
        let watched = cue.watches().or(match cue.when {
            When::Closed { widget } => Some(widget),
            _ => None,
        });
        let widgets = watched.and_then(|id| Some((id, channel.widgets.get(&id)?.emptied())));
        let mut bare = Channel::new(channel.settings.clone(), widgets);
        bare.feeds.clone_from(&channel.feeds);
        bare.cues.all.insert(TRIED, Cue { on: true, ..cue.clone() });
        Self { channel: bare, all: Vec::new() }
    }

    /// Takes the next line of the record. Only what happened from `from` on is told.
    pub fn take(&mut self, entry: &Entry, from: Instant) {
        let (_, heeded) = self.channel.apply_heeding(entry);
        for Heeded { occasion: Occasion { cause, at, about, .. }, decided } in heeded {
            if at >= from {
                self.all.push(WouldFire { cause, at, about, not: decided.err() });
            }
        }
    }

    /// What it would have done, the oldest first.
    #[must_use]
    pub fn done(self) -> Vec<WouldFire> {
        self.all
    }
}
