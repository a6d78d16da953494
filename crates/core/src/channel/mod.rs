//! One channel: its widgets, and what its ledger has made of them so far.

mod air;
mod alarms;
mod bot;
mod cue;
mod cue_offer;
mod decide;
mod desk;
mod dry_run;
mod fold;
mod follow;
mod grant;
mod hear;
mod listening;
mod rehearsal;
mod roll;
mod snapshot;
pub mod starts;

pub use crate::record::entry::CUE_SOURCE;
pub use air::{AirEdit, AirRules, Planned, Schedule};
pub use alarms::Alarms;
pub use bot::Spoken;
pub use cue::{Occasion, Triggered};
pub use cue_offer::Around;
pub use decide::{Appear, Correcting, Press};
pub use desk::{Bound, Desk, DeskEdit, DeskError, OneDesk, key_label};
pub use dry_run::{DryRun, WouldFire};
pub use grant::{Grant, Job};
pub use hear::{ChatPress, Heard, HeardVote};
pub use roll::{ROLL, RollLine};
pub use snapshot::Snapshot;

use crate::book::Book;
use crate::book::chat::Chat;
use crate::book::portraits::Portraits;
use crate::bot::{Bot, Rests, Talk};
use crate::count::published::AllPublished;
use crate::count::{Scope, Tallies};
use crate::cues::{Cues, Firings};
use crate::language::Language;
use crate::look::Looks;
use crate::money::Currency;
use crate::money::conversion::Conversion;
use crate::overlay::{Appearances, Overlay};
use crate::record::acts::wheel::Bytes32;
use crate::record::ids::{FeedId, Seq, WidgetId};
use crate::record::settings::Settings;
use crate::time::Instant;
use crate::widgets::view::View;
use crate::widgets::{Piece, Setup};
use listening::Listening;
use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::sync::Arc;

/// A channel's state. Folding entries one by one, in any batching, from any snapshot, gives the same.
#[derive(Debug, Clone)]
pub struct Channel {
    settings: Settings,
    widgets: BTreeMap<WidgetId, Piece>,
    feeds: BTreeMap<FeedId, String>,
    /// What widgets tell each other.
    published: AllPublished,
    /// The seeds of wheels that wait for their spin, by their commitments.
    seeds: BTreeMap<Bytes32, Bytes32>,
    /// Shared with those who draw.
    desk: Arc<Desk>,
    air_rules: AirRules,
    looks: Looks,
    cues: Cues,
    /// The words of chat for which cues wait, in plain form.
    cue_words: BTreeSet<String>,
    firings: Firings,
    /// Widgets as they are tried on the stage, where that differs from what is on air.
    drafts: BTreeMap<WidgetId, Piece>,
    book: Book,
    tallies: Tallies,
    listening: Listening,
    chat: Chat,
    rests: Rests,
    bot: Bot,
    talk: Talk,
    portraits: Portraits,
    last_seq: Seq,
    roll: VecDeque<RollLine>,
    pulses: BTreeMap<FeedId, Instant>,
    appearances: BTreeMap<u32, Appearances>,
    covered: bool,
    /// The overlays' layouts on air, as far as anybody has said.
    layouts: BTreeMap<u32, Overlay>,
    /// What came by itself was passed up to there without a line.
    passed: (Instant, u32),
}

/// Figures at hand, chat, drafts and the names of feeds come from elsewhere; the rest is what entries
/// made.
impl PartialEq for Channel {
    fn eq(&self, other: &Self) -> bool {
        self.settings == other.settings
            && self.widgets == other.widgets
            && self.book == other.book
            && self.portraits == other.portraits
            && self.last_seq == other.last_seq
            && self.roll == other.roll
            && self.pulses == other.pulses
            && self.appearances == other.appearances
            && self.firings == other.firings
            && self.covered == other.covered
    }
}

impl Channel {
    /// A channel before any entry.
    #[must_use]
    pub fn new(settings: Settings, widgets: impl IntoIterator<Item = (WidgetId, Piece)>) -> Self {
        let mut channel = Self {
            book: Book::new(&settings),
            settings,
            widgets: widgets.into_iter().collect(),
            feeds: BTreeMap::new(),
            published: AllPublished::new(),
            seeds: BTreeMap::new(),
            desk: Arc::default(),
            air_rules: AirRules::default(),
            looks: Looks::default(),
            cues: Cues::default(),
            cue_words: BTreeSet::new(),
            firings: Firings::default(),
            drafts: BTreeMap::new(),
            tallies: Tallies::default(),
            listening: Listening::default(),
            chat: Chat::default(),
            rests: Rests::default(),
            bot: Bot::default(),
            talk: Talk::default(),
            portraits: Portraits::default(),
            last_seq: Seq(0),
            roll: VecDeque::new(),
            pulses: BTreeMap::new(),
            appearances: BTreeMap::new(),
            covered: false,
            layouts: BTreeMap::new(),
            passed: (Instant::MIN_UTC, 0),
        };
        channel.listen();
        channel.recompute_all();
        channel
    }

    fn listen(&mut self) {
        self.apply_looks();
        let pieces = || self.widgets.iter().chain(&self.drafts);
        let counts =
            pieces().flat_map(|(id, piece)| piece.counts(&self.settings).into_iter().map(move |count| (*id, count)));
        let recents = pieces().flat_map(|(_, piece)| piece.recents());
        self.tallies = std::mem::take(&mut self.tallies).serving(counts, recents);
        self.listening = Listening::of(self);
        let all: BTreeSet<WidgetId> = self.widgets.keys().copied().collect();
        self.published.retain(|id, _| all.contains(id));
        self.collect_published(&all);
    }

    /// Lets widgets publish what others go by, as of the newest line; names those who may go by it if it has changed.
    fn collect_published(&mut self, of: &BTreeSet<WidgetId>) -> BTreeSet<WidgetId> {
        let now = self.roll.back().map_or(Instant::UNIX_EPOCH, |line| line.arrived_at);
        let scope = self.scope(now);
        let publish = |id: &WidgetId| self.widgets.get(id).map(|piece| (*id, piece.publishes(&scope)));
        let changed: Vec<_> =
            of.iter().filter_map(publish).filter(|(id, one)| self.published.get(id) != one.as_ref()).collect();
        if changed.is_empty() {
            return BTreeSet::new();
        }
        for (id, one) in changed {
            match one {
                Some(one) => self.published.insert(id, one),
                None => self.published.remove(&id),
            };
        }
        self.widgets.iter().filter(|(_, piece)| piece.goes_by_others()).map(|(id, _)| *id).collect()
    }

    /// Takes note of the seeds of wheels that wait for their spin.
    pub fn set_seeds(&mut self, seeds: BTreeMap<Bytes32, Bytes32>) {
        self.seeds = seeds;
    }

    /// All that a widget may look at, at an instant.
    #[must_use]
    pub fn scope(&self, now: Instant) -> Scope<'_> {
        Scope {
            settings: &self.settings,
            book: &self.book,
            tallies: &self.tallies,
            feeds: &self.feeds,
            published: &self.published,
            seeds: &self.seeds,
            chat: &self.chat,
            notice: self.talk.on_tickers(),
            portraits: &self.portraits,
            language: Language::default(),
            now,
        }
    }

    /// Takes note of the channel's feeds.
    pub fn set_feeds(&mut self, feeds: BTreeMap<FeedId, String>) {
        self.feeds = feeds;
    }

    /// How amounts that somebody has set are told in another currency; none where it is the same one.
    #[must_use]
    pub fn conversion(&self, into: Currency) -> Option<Conversion> {
        (into != self.settings.currency).then(|| Conversion::new(self.settings.currency, into, self.book.rates()))
    }

    /// The widgets, and the drafts, whose setup is another one in another currency.
    #[must_use]
    pub fn converted(&self, into: Currency) -> Vec<(WidgetId, Setup, Option<Setup>)> {
        let Some(by) = self.conversion(into) else { return Vec::new() };
        let converted = |piece: &Piece| {
            let mut new = piece.clone();
            new.convert(&by, &self.settings);
            new.setup()
        };
        let all = self.widgets.iter().map(|(id, piece)| {
            let draft = self.drafts.get(id);
            let (new, new_draft) = (converted(piece), draft.map(converted));
            let same = new == piece.setup() && new_draft == draft.map(Piece::setup);
            (*id, new, new_draft, same)
        });
        all.filter(|(.., same)| !same).map(|(id, new, draft, _)| (id, new, draft)).collect()
    }

    /// The cues as they are in another currency.
    #[must_use]
    pub fn converted_cues(&self, into: Currency) -> Cues {
        let mut cues = self.cues.clone();
        if let Some(by) = self.conversion(into) {
            cues.all.values_mut().for_each(|cue| cue.convert(&by));
        }
        cues
    }

    /// Takes other settings. Everything is derived from the record anew.
    pub fn set_settings(&mut self, settings: Settings) {
        if settings == self.settings {
            return;
        }
        if let Some(by) = self.conversion(settings.currency) {
            for piece in self.widgets.values_mut().chain(self.drafts.values_mut()) {
                piece.convert(&by, &self.settings);
            }
            self.cues = self.converted_cues(settings.currency);
        }
        self.apply_settings(settings);
    }

    fn apply_settings(&mut self, settings: Settings) {
        self.settings = settings;
        self.book.apply_settings(&self.settings);
        self.tallies.forget_all();
        self.listen();
        self.recompute_all();
    }

    /// Brings the figures at hand to an instant. Only speed depends on it.
    pub fn turn(&mut self, now: Instant) {
        self.tallies.turn(&self.book, &self.settings, now);
    }

    /// Everything that has happened.
    #[must_use]
    pub fn book(&self) -> &Book {
        &self.book
    }

    /// What all widgets share.
    #[must_use]
    pub fn settings(&self) -> &Settings {
        &self.settings
    }

    /// The last entry folded in.
    #[must_use]
    pub fn last_seq(&self) -> Seq {
        self.last_seq
    }

    /// When the newest entry of a feed arrived.
    #[must_use]
    pub fn pulse(&self, feed: FeedId) -> Option<Instant> {
        self.pulses.get(&feed).copied()
    }

    /// All widgets.
    pub fn widgets(&self) -> impl Iterator<Item = (WidgetId, &Piece)> {
        self.widgets.iter().map(|(id, piece)| (*id, piece))
    }

    /// One widget.
    #[must_use]
    pub fn widget(&self, id: WidgetId) -> Option<&Piece> {
        self.widgets.get(&id)
    }

    /// A widget as it is tried on the stage, if that differs from what is on air.
    #[must_use]
    pub fn draft(&self, id: WidgetId) -> Option<&Piece> {
        self.drafts.get(&id)
    }

    /// A widget as it stands on the stage.
    #[must_use]
    pub fn staged(&self, id: WidgetId) -> Option<&Piece> {
        self.drafts.get(&id).or_else(|| self.widgets.get(&id))
    }

    /// Adds a widget or puts another setup in its place. Its state comes as given.
    pub fn put(&mut self, id: WidgetId, piece: Piece) {
        self.widgets.insert(id, piece);
        self.listen();
        self.compute(id);
    }

    /// Puts a widget on the stage to be tried, or takes it off.
    pub fn try_out(&mut self, id: WidgetId, draft: Option<Piece>) {
        match draft {
            Some(piece) => self.drafts.insert(id, piece),
            None => self.drafts.remove(&id),
        };
        self.listen();
        self.compute(id);
    }

    /// Takes a widget away.
    pub fn take_away(&mut self, id: WidgetId) {
        self.widgets.remove(&id);
        self.drafts.remove(&id);
        self.listen();
    }

    /// What is said in chat.
    #[must_use]
    pub fn chat(&self) -> &Chat {
        &self.chat
    }

    /// Where pictures of people are.
    #[must_use]
    pub fn portraits(&self) -> &Portraits {
        &self.portraits
    }

    /// What a widget shows at an instant.
    #[must_use]
    pub fn view(&self, id: WidgetId, now: Instant) -> Option<View> {
        self.widgets.get(&id).map(|piece| piece.view(&self.scope(now)))
    }

    /// When a widget's view changes by itself, on air or on the stage.
    #[must_use]
    pub fn wakes_at(&self, id: WidgetId, now: Instant) -> Option<Instant> {
        let scope = self.scope(now);
        let pieces = [self.widgets.get(&id), self.drafts.get(&id)];
        pieces.into_iter().flatten().filter_map(|piece| piece.wakes_at(&scope)).min()
    }
}
