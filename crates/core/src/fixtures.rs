//! What the unit tests share.

use crate::book::Book;
use crate::book::chat::{Chat, ChatLine};
use crate::book::portraits::Portraits;
use crate::channel::Channel;
use crate::count::published::AllPublished;
use crate::count::{Scope, Tallies};
use crate::language::Language;
use crate::money::Currency;
use crate::record::acts::wheel::Bytes32;
use crate::record::entry::{Body, Entry, Origin};
use crate::record::ids::{FeedId, Seq};
use crate::record::settings::{Settings, Weights};
use crate::time::Instant;
use crate::time::calendar::Calendar;
use chrono::NaiveTime;
use std::collections::BTreeMap;

/// Saltmarsh Halt's: pounds, London, days from five in the morning.
pub fn settings() -> Settings {
    Settings {
        currency: Currency::parse("GBP").unwrap(),
        calendar: Calendar {
            zone: chrono_tz::Tz::Europe__London,
            week_start: chrono::Weekday::Mon,
            day_start: NaiveTime::from_hms_opt(5, 0, 0).unwrap(),
        },
        weights: Weights::default(),
    }
}

/// What a scope looks at, when only that matters.
pub struct World {
    settings: Settings,
    book: Book,
    tallies: Tallies,
    feeds: BTreeMap<FeedId, String>,
    published: AllPublished,
    seeds: BTreeMap<Bytes32, Bytes32>,
    chat: Chat,
    portraits: Portraits,
}

impl World {
    /// In which nothing has happened.
    pub fn new() -> Self {
        Self::after(&[])
    }

    /// After these entries.
    pub fn after(entries: &[Entry]) -> Self {
        let mut channel = Channel::new(settings(), []);
        for entry in entries {
            channel.apply(entry);
        }
        let feeds = [(FeedId(1), "Tip jar".into())].into();
        Self {
            settings: settings(),
            book: channel.book().clone(),
            tallies: Tallies::default(),
            feeds,
            published: AllPublished::new(),
            seeds: BTreeMap::new(),
            chat: Chat::default(),
            portraits: channel.portraits().clone(),
        }
    }

    /// All that a widget may look at, at an instant.
    pub fn scope(&self, now: Instant) -> Scope<'_> {
        Scope {
            settings: &self.settings,
            book: &self.book,
            tallies: &self.tallies,
            feeds: &self.feeds,
            published: &self.published,
            seeds: &self.seeds,
            chat: &self.chat,
            notice: None,
            portraits: &self.portraits,
            language: Language::En,
            now,
        }
    }

    /// Something is said in chat.
    pub fn hear(&mut self, feed: FeedId, line: ChatLine) {
        self.chat.hear(feed, line);
    }
}

/// An entry that arrived when it happened.
pub fn entry(seq: u64, at: Instant, body: Body) -> Entry {
    let origin = Origin { source: "/test".into(), id: seq.to_string() };
    Entry { seq: Seq(seq), origin, feed: None, happened_at: at, arrived_at: at, body }
}
