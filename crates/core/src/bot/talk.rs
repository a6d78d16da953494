//! The bot at work: which lines of chat it answers, and which notice is due.

use super::{Bot, Deck, Next, Rests};
use crate::book::chat::ChatLine;
use crate::language::text::plain;
use crate::time::{Instant, after};
use chrono::TimeDelta;
use std::collections::BTreeMap;

/// So many notices to come are told.
const TOLD: usize = 3;

/// How often a command was used since the server was started.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Uses {
    /// Answered.
    pub answered: u64,
    /// Not answered, since it rested.
    pub rested: u64,
    /// Not answered, since they may not use it.
    pub refused: u64,
}

/// What the bot goes by, see [`Bot`].
#[derive(Debug, Clone, Default)]
pub struct Talk {
    /// The commands that are on, by their words in plain form.
    words: BTreeMap<String, u32>,
    rests: Rests,
    uses: BTreeMap<u32, Uses>,
    deck: Deck,
    /// When the last notice was said, or from when on the next is waited for.
    last: Option<Instant>,
    /// Lines of chat since.
    lines: u32,
    /// The notice that tickers show.
    on_tickers: Option<String>,
}

/// What bears on notices besides time and chat.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Conditions {
    /// Whether the channel is on air.
    pub on_air: bool,
    /// Whether some chat is joined.
    pub joined: bool,
}

impl Conditions {
    fn waits_for_air(self, bot: &Bot) -> bool {
        bot.notices.on_air && !self.on_air
    }

    fn waits_for_chat(self, bot: &Bot) -> bool {
        bot.notices.place.is_in_chat() && !self.joined
    }
}

impl Talk {
    /// Takes a line of chat in that begins with this word, in plain form, and says which command is to be answered.
    pub fn hear(&mut self, bot: &Bot, line: &ChatLine, word: &str, now: Instant) -> Option<u32> {
        self.lines = self.lines.saturating_add(1);
        let id = self.words.get(word)?;
        let command = bot.commands.get(id)?;
        let uses = self.uses.entry(*id).or_default();
        if line.role < command.who {
            uses.refused = uses.refused.saturating_add(1);
            return None;
        }
        let (key, viewer) = (id.to_string(), line.viewer());
        // Whoever finds it resting for all does not begin to rest themselves.
        let answers = !self.rests.rests(&key, "", now)
            && self.rests.may(&key, &viewer, command.rest_each_s.into(), now)
            && self.rests.may(&key, "", command.rest_s.into(), now);
        if !answers {
            uses.rested = uses.rested.saturating_add(1);
            return None;
        }
        uses.answered = uses.answered.saturating_add(1);
        Some(*id)
    }

    /// How often a command was used.
    #[must_use]
    pub fn uses(&self, command: u32) -> Uses {
        self.uses.get(&command).copied().unwrap_or_default()
    }

    /// Brings commands and notices in line with what they are, notices from an instant on if they were off before.
    pub fn follow(&mut self, bot: &Bot, now: Instant, lot: impl FnMut(usize) -> usize) {
        self.words.clear();
        for (id, command) in bot.commands.iter().filter(|(_, command)| command.on) {
            self.words.entry(plain(&command.word)).or_insert(*id);
        }
        if !bot.notices.on {
            (self.last, self.on_tickers) = (None, None);
        } else if self.last.is_none() {
            (self.last, self.lines) = (Some(now), 0);
        }
        if !bot.notices.place.is_on_tickers() {
            self.on_tickers = None;
        }
        self.deck.follow(&bot.notices, lot);
    }

    /// The next notices, when each is due at the earliest, and what it waits for.
    #[must_use]
    pub fn next(&self, bot: &Bot, around: Conditions) -> Vec<Next> {
        let Some(last) = self.last else { return Vec::new() };
        let (first, lines) = bot.notices.due(last, self.lines);
        let mut waits = Vec::new();
        if lines > 0 {
            waits.push(format!("{lines} more {} of chat", if lines == 1 { "line" } else { "lines" }));
        }
        if around.waits_for_air(bot) {
            waits.push("you to go on air".to_owned());
        }
        if around.waits_for_chat(bot) {
            waits.push("a chat that is joined".to_owned());
        }
        let gap = i64::from(bot.notices.every_s);
        let next = |(place, notice): (i64, u32)| Next {
            notice,
            at: after(first, TimeDelta::seconds(gap.saturating_mul(place))),
            waits: if place == 0 { waits.clone() } else { Vec::new() },
        };
        (0..).zip(self.deck.coming()).take(TOLD).map(next).collect()
    }

    /// When a notice is due, if nothing else is waited for.
    #[must_use]
    pub fn due(&self, bot: &Bot, around: Conditions) -> Option<Instant> {
        let (at, lines) = bot.notices.due(self.last?, self.lines);
        let waits = lines > 0 || around.waits_for_air(bot) || around.waits_for_chat(bot);
        (!waits && self.deck.coming().next().is_some()).then_some(at)
    }

    /// Takes the notice that is said now.
    pub fn say(&mut self, bot: &Bot, now: Instant, lot: impl FnMut(usize) -> usize) -> Option<u32> {
        (self.last, self.lines) = (Some(now), 0);
        self.deck.take(&bot.notices, lot)
    }

    /// The notice that tickers show.
    #[must_use]
    pub fn on_tickers(&self) -> Option<&str> {
        self.on_tickers.as_deref()
    }

    /// Lets tickers show a notice.
    pub fn show_on_tickers(&mut self, text: String) {
        self.on_tickers = Some(text);
    }
}
