//! Lines of IRC (RFC 2812) with IRCv3 message tags.

use chrono::{DateTime, SubsecRound, Utc};
use std::collections::HashMap;
use tally_core::time::Instant;

/// Most bytes of a line: 8,191 for tags and 512 for the rest, as IRCv3 has it, and some to spare.
pub const MOST_BYTES: usize = 16 * 1024;

/// A line taken apart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Message<'a> {
    /// Tags, with their values unescaped.
    pub tags: HashMap<&'a str, String>,
    /// The nick in front, or the server's name.
    pub from: &'a str,
    /// `PRIVMSG`, `001`.
    pub command: &'a str,
    /// What follows; the last may hold blanks.
    pub params: Vec<&'a str>,
}

impl<'a> Message<'a> {
    /// Takes a line apart. None if it has no command.
    #[must_use]
    pub fn read(line: &'a str) -> Option<Self> {
        let mut rest = line.trim_end_matches(['\r', '\n']);
        let mut tags = HashMap::new();
        if let Some(tagged) = rest.strip_prefix('@') {
            let (all, after) = tagged.split_once(' ')?;
            for tag in all.split(';').filter(|tag| !tag.is_empty()) {
                let (key, value) = tag.split_once('=').unwrap_or((tag, ""));
                tags.insert(key, unescape(value));
            }
            rest = after.trim_start_matches(' ');
        }
        let mut from = "";
        if let Some(prefixed) = rest.strip_prefix(':') {
            let (prefix, after) = prefixed.split_once(' ')?;
            from = prefix.split(['!', '@']).next().unwrap_or(prefix);
            rest = after.trim_start_matches(' ');
        }
        let (middle, trailing) = match rest.split_once(" :") {
            Some((middle, trailing)) => (middle, Some(trailing)),
            None => (rest, None),
        };
        let mut words = middle.split(' ').filter(|word| !word.is_empty());
        let command = words.next()?;
        let params = words.chain(trailing).collect();
        Some(Self { tags, from, command, params })
    }

    /// The name to show: that of the tag where there is one.
    #[must_use]
    pub fn name(&self) -> &str {
        self.tags.get("display-name").map(String::as_str).filter(|name| !name.is_empty()).unwrap_or(self.from)
    }

    /// When it was said, by the tag `time` (IRCv3 `server-time`).
    #[must_use]
    pub fn at(&self) -> Option<Instant> {
        let time = self.tags.get("time")?;
        Some(DateTime::parse_from_rfc3339(time).ok()?.with_timezone(&Utc).trunc_subsecs(6))
    }
}

/// The value of a tag as it was meant.
fn unescape(value: &str) -> String {
    let mut out = String::with_capacity(value.len());
    let mut letters = value.chars();
    while let Some(letter) = letters.next() {
        match letter {
            '\\' => match letters.next() {
                Some(':') => out.push(';'),
                Some('s') => out.push(' '),
                Some('r') => out.push('\r'),
                Some('n') => out.push('\n'),
                Some(other) => out.push(other),
                None => {}
            },
            other => out.push(other),
        }
    }
    out
}

/// Whether a text can stand in a line without beginning another.
#[must_use]
pub fn is_one_line(text: &str) -> bool {
    !text.contains(['\r', '\n', '\0'])
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn lines_are_taken_apart() {
        let line = "@badges=helper,subscriber;display-name=Pinecone\\sAde;time=2026-11-24T19:00:00.123Z \
            :pinecone_ade!ade@host PRIVMSG #saltmarsh :mind the :points\r\n";
        let message = Message::read(line).unwrap();
        assert_eq!((message.from, message.command, message.name()), ("pinecone_ade", "PRIVMSG", "Pinecone Ade"));
        assert_eq!(message.params, ["#saltmarsh", "mind the :points"]);
        assert_eq!(message.at(), Some("2026-11-24T19:00:00.123Z".parse().unwrap()));
        assert_eq!(message.tags["badges"], "helper,subscriber");
        let welcome = Message::read(":irc.example 001 tally :Welcome").unwrap();
        assert_eq!((welcome.command, welcome.params), ("001", vec!["tally", "Welcome"]));
        assert_eq!(Message::read("PING :token").unwrap().params, ["token"]);
        assert_eq!(Message::read("PING").unwrap().params, Vec::<&str>::new());
        for nothing in ["", " ", ":prefix", "@tags", "@tags :prefix", "@a=b "] {
            assert_eq!(Message::read(nothing), None, "{nothing:?}");
        }
    }

    proptest! {
        #[test]
        fn no_line_makes_it_panic(line in ".*", tags in "[@:;= \\\\a]*") {
            let _ = Message::read(&line).map(|message| (message.at(), message.name().len()));
            let _ = Message::read(&tags);
        }
    }
}
