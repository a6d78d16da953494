//! What is known of a channel at one instant: all that a count, a line or a widget may look at.

use super::recent::{Burst, Recent};
use super::{Count, Ranked, Tallies, Tally};
use crate::book::Book;
use crate::book::chat::Chat;
use crate::book::names::Person;
use crate::book::portraits::Portraits;
use crate::count::published::AllPublished;
use crate::language::Language;
use crate::language::unit::Unit;
use crate::record::acts::wheel::Bytes32;
use crate::record::ids::FeedId;
use crate::record::settings::Settings;
use crate::template::Locale;
use crate::time::Instant;
use crate::time::calendar::Span;
use std::collections::BTreeMap;

/// All that a widget may look at, at one instant.
#[derive(Debug, Clone, Copy)]
pub struct Scope<'a> {
    /// How the channel reckons.
    pub settings: &'a Settings,
    /// What has happened.
    pub book: &'a Book,
    /// Figures at hand.
    pub tallies: &'a Tallies,
    /// The channel's feeds by name.
    pub feeds: &'a BTreeMap<FeedId, String>,
    /// What widgets tell each other.
    pub published: &'a AllPublished,
    /// The seeds of wheels that wait for their spin, by their commitments.
    pub seeds: &'a BTreeMap<Bytes32, Bytes32>,
    /// What is said in chat.
    pub chat: &'a Chat,
    /// The notice that is said just now.
    pub notice: Option<&'a str>,
    /// Where pictures of people are.
    pub portraits: &'a Portraits,
    /// In which language figures are written.
    pub language: Language,
    /// The instant.
    pub now: Instant,
}

impl Scope<'_> {
    /// The same, with figures written in a language.
    #[must_use]
    pub fn speaking(self, language: Language) -> Self {
        Self { language, ..self }
    }

    /// A figure as it is written.
    #[must_use]
    pub fn show(&self, unit: Unit, value: i64) -> String {
        self.language.figure(unit, value)
    }

    /// How templates write.
    #[must_use]
    pub fn locale(&self) -> Locale {
        Locale { language: self.language, currency: self.settings.currency }
    }

    /// The first so many supporters by a count that keeps its people.
    #[must_use]
    pub fn ranking(&self, count: &Count, most: usize) -> Vec<Ranked> {
        self.tallies.ranking(count, most, self.book, self.settings, self.now)
    }

    /// The first so many supporters by when they last added to a count that keeps its people, the newest first.
    #[must_use]
    pub fn newest_people(&self, count: &Count, most: usize) -> Vec<Person> {
        self.tallies.newest_people(count, most, self.book, self.settings, self.now)
    }

    /// The newest entries that are asked for, oldest first.
    #[must_use]
    pub fn recent(&self, recent: &Recent) -> Vec<Burst> {
        self.tallies.recent(recent, self.book, self.settings, self.now)
    }

    /// The name under which somebody is shown.
    #[must_use]
    pub fn name(&self, who: Person) -> String {
        let known = self.book.names().get(who).map(|one| one.name.clone());
        known.unwrap_or_else(|| self.language.on_air().somebody.to_owned())
    }

    /// The stretch of time of a count.
    #[must_use]
    pub fn span(&self, count: &Count) -> Span {
        count.span(self.settings, self.book, self.now)
    }

    /// When the figure of a count next changes without any entry.
    #[must_use]
    pub fn wakes_at(&self, count: &Count) -> Option<Instant> {
        count.wakes_at(self.tallies, self.settings, self.book, self.now)
    }

    /// The figure of a count.
    #[must_use]
    pub fn tally(&self, count: &Count) -> Tally {
        self.tallies.get(count, self.book, self.settings, self.now)
    }
}
