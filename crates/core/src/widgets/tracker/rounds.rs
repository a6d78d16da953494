//! What a game has reported: by how much a statistic has grown, report by report. A total is told for each player and
//! character; of one first seen, its first total is where it begins, and a total that falls was reset by the game.

use crate::book::{Book, What, instant};
use crate::record::happening::Kind;
use crate::time::Instant;
use crate::time::calendar::Span;
use std::collections::HashMap;

/// A report that changed something.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Round {
    /// When.
    pub at: Instant,
    /// Of which character, where the game tells.
    pub character: Option<String>,
    /// How much the statistic has grown.
    pub grown: i64,
    /// How much the one beside it has.
    pub beside: i64,
}

/// What the reports of a stretch of time come to.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Reports {
    /// Those that changed something, oldest first.
    pub rounds: Vec<Round>,
    /// The character of the newest report, whether it changed something or not, since the beginning.
    pub character: Option<String>,
    /// When the newest report came, since the beginning.
    pub newest: Option<Instant>,
}

impl Reports {
    /// Reads them from the book.
    #[must_use]
    pub fn of(statistic: &str, beside: Option<&str>, span: Span, book: &Book) -> Self {
        let mut all = Self::default();
        let words = book.words();
        let (wanted, beside) = (words.find(statistic), beside.and_then(|name| words.find(name)));
        let mut last = HashMap::new();
        for fact in book.facts(Span { from: None, ..span }, Kind::Stat.bit()) {
            let What::Stat { player, character, stat, total } = fact.what else { continue };
            if (Some(stat) != wanted && Some(stat) != beside) || !book.stands(fact) {
                continue;
            }
            let at = instant(fact.at);
            let before = last.insert((player, character, stat), total);
            let name = character.map(|character| words.get(character).to_owned());
            all.character.clone_from(&name);
            all.newest = Some(at);
            let grown = before.map_or(0, |before| total.saturating_sub(before)).max(0);
            if grown == 0 || !span.contains(at) {
                continue;
            }
            let of_wanted = Some(stat) == wanted;
            let (grown, beside) = if of_wanted { (grown, 0) } else { (0, grown) };
            all.rounds.push(Round { at, character: name, grown, beside });
        }
        all
    }

    /// How much the statistic has grown in all, and the one beside it.
    #[must_use]
    pub fn totals(&self) -> (i64, i64) {
        self.rounds.iter().fold((0, 0), |(grown, beside): (i64, i64), round| {
            (grown.saturating_add(round.grown), beside.saturating_add(round.beside))
        })
    }

    /// How much it has grown since the one beside it last did, and the most that it ever did in between.
    #[must_use]
    pub fn streaks(&self) -> (i64, i64) {
        self.rounds.iter().fold((0, 0), |(streak, best): (i64, i64), round| {
            let streak = if round.beside > 0 { 0 } else { streak.saturating_add(round.grown) };
            (streak, best.max(streak))
        })
    }
}
