//! What is said in chat. It is heard and forgotten after a while: chat is no part of the record.

use crate::language::text::{fold, plain};
use crate::record::ids::FeedId;
use crate::time::Instant;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// How many lines are remembered.
const MOST: usize = 400;

/// What somebody is in chat, the highest that applies. The badges `owner`, `helper`, `subscriber`
/// and `follower` of the contract with chat servers tell it.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Role {
    /// Nothing in particular.
    #[default]
    #[serde(alias = "everyone")]
    Viewer,
    /// Follows the channel.
    Follower,
    /// Subscribes to it.
    Subscriber,
    /// Helps to run it.
    Helper,
    /// Owns it.
    Owner,
}

impl Role {
    /// All of them, from the highest.
    pub const ALL: [Self; 5] = [Self::Owner, Self::Helper, Self::Subscriber, Self::Follower, Self::Viewer];

    /// Its word, which is also its badge.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Viewer => "viewer",
            Self::Follower => "follower",
            Self::Subscriber => "subscriber",
            Self::Helper => "helper",
            Self::Owner => "owner",
        }
    }

    /// Who that is at least: `a follower`.
    #[must_use]
    pub fn at_least(self) -> &'static str {
        match self {
            Self::Viewer => "anyone",
            Self::Follower => "a follower",
            Self::Subscriber => "a subscriber",
            Self::Helper => "a helper",
            Self::Owner => "you alone",
        }
    }

    /// For whom a word is that only they may use, in the list for viewers; nothing where it is for everyone.
    #[must_use]
    pub fn for_whom(self) -> &'static str {
        match self {
            Self::Viewer => "",
            Self::Follower => "for followers",
            Self::Subscriber => "for subscribers",
            Self::Helper => "for helpers",
            Self::Owner => "for the streamer",
        }
    }

    /// The role that a comma-separated list of badges gives. A badge may carry a version: `subscriber/12`.
    #[must_use]
    pub fn of_badges(badges: &str) -> Self {
        let roles = badges.split(',').filter_map(|badge| {
            let word = badge.split('/').next().unwrap_or_default().trim();
            Self::ALL.into_iter().find(|role| role.key() == word)
        });
        roles.max().unwrap_or_default()
    }
}

/// A line of chat.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChatLine {
    /// When it was said.
    pub at: Instant,
    /// Who said it.
    pub name: String,
    /// What the chat server knows them by, where it tells.
    pub id: Option<String>,
    /// What they are in chat.
    pub role: Role,
    /// Whether they subscribe, whatever else they are.
    pub subscriber: bool,
    /// What.
    pub text: String,
}

impl ChatLine {
    /// Who said it, so that one viewer is one: by what the server knows them by, else by their name.
    #[must_use]
    pub fn viewer(&self) -> String {
        self.id.as_ref().map_or_else(|| fold(&self.name), |id| format!("#{id}"))
    }

    /// The first word in plain form, by which words of chat are known, and what was said after it.
    #[must_use]
    pub fn spoken(&self) -> (String, &str) {
        let text = self.text.trim();
        let (first, rest) = text.split_once(char::is_whitespace).unwrap_or((text, ""));
        (plain(first), rest.trim())
    }

    /// What was said after a word, if the line begins with that word.
    ///
    /// ```
    /// use tally_core::book::chat::{ChatLine, Role};
    /// let at = "2026-11-24T19:00:00Z".parse().unwrap();
    /// let line = ChatLine { at, name: "odile".into(), id: None, role: Role::Viewer, subscriber: false, text: "！Coal for No. 7".into() };
    /// assert_eq!(line.after("!coal"), Some("for No. 7"));
    /// assert_eq!(line.after("!co"), None);
    /// ```
    #[must_use]
    pub fn after(&self, word: &str) -> Option<&str> {
        let (first, rest) = self.spoken();
        (first == plain(word)).then_some(rest)
    }
}

/// The newest lines, each with the feed through which it came and a number of its own.
#[derive(Debug, Clone, Default)]
pub struct Chat {
    lines: VecDeque<(u64, FeedId, ChatLine)>,
    heard: u64,
}

impl Chat {
    /// Takes a line in.
    pub fn hear(&mut self, feed: FeedId, line: ChatLine) {
        if self.lines.len() == MOST {
            self.lines.pop_front();
        }
        self.heard = self.heard.saturating_add(1);
        self.lines.push_back((self.heard, feed, line));
    }

    /// All lines at hand, newest first, each with its number and feed.
    pub fn newest(&self) -> impl Iterator<Item = (u64, FeedId, &ChatLine)> {
        self.lines.iter().rev().map(|(number, feed, line)| (*number, *feed, line))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_highest_badge_decides() {
        for (badges, role) in [
            ("", Role::Viewer),
            ("follower", Role::Follower),
            ("subscriber/12,helper/1", Role::Helper),
            ("something,owner,follower", Role::Owner),
            ("Owner", Role::Viewer),
        ] {
            assert_eq!(Role::of_badges(badges), role, "{badges}");
        }
    }

    #[test]
    fn old_lines_are_forgotten() {
        let mut chat = Chat::default();
        for number in 0..=MOST {
            let at = "2026-11-24T19:00:00Z".parse().unwrap();
            let line = ChatLine {
                at,
                name: "ninepins".into(),
                id: None,
                role: Role::Viewer,
                subscriber: false,
                text: number.to_string(),
            };
            chat.hear(FeedId(1), line);
        }
        let newest: Vec<_> = chat.newest().map(|(number, _, line)| (number, line.text.clone())).collect();
        assert_eq!(newest.len(), MOST);
        assert_eq!(newest.first(), Some(&(MOST as u64 + 1, MOST.to_string())));
    }
}
