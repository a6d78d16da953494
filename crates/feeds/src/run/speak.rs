//! Speaking in a chat: what is said there, and how fast. Chat servers throw out whoever floods them.

use super::Line;
use std::collections::VecDeque;
use std::time::Duration;
use tally_engine::Report;
use tally_store::feeds::Chat;
use tokio::sync::broadcast::{self, error::RecvError};
use tokio::time::{Instant, sleep_until};

/// So many lines can be said at once.
const BURST: u32 = 5;
/// One more can be said after so long: 20 in 30 seconds.
const GAP: Duration = Duration::from_millis(1_500);
/// What waited for so long is not said any more.
const STALE: Duration = Duration::from_secs(30);
/// For so long a line that was said may come back.
const ECHO: Duration = Duration::from_secs(60);
/// Most bytes of what is said in a line: a line of IRC has 512, and the server puts our name in front of it.
const MOST_BYTES: usize = 512 - 2 - 150;

/// How fast is spoken: some lines at once, then one now and then.
#[derive(Debug, Clone)]
pub(super) struct Pace {
    left: u32,
    since: Instant,
}

impl Pace {
    pub(super) fn new(now: Instant) -> Self {
        Self { left: BURST, since: now }
    }

    /// When the next line can be said.
    fn free_at(&self, now: Instant) -> Instant {
        if self.at(now).left > 0 { now } else { self.since + GAP }
    }

    fn at(&self, now: Instant) -> Self {
        let gained = now.saturating_duration_since(self.since).as_millis() / GAP.as_millis();
        let gained = u32::try_from(gained).unwrap_or(BURST);
        if self.left + gained >= BURST {
            return Self { left: BURST, since: now };
        }
        Self { left: self.left + gained, since: self.since + GAP * gained }
    }

    fn say(&mut self, now: Instant) {
        *self = self.at(now);
        self.left = self.left.saturating_sub(1);
    }
}

/// What was said and may come back: some servers send everybody's lines to whoever said them too (IRCv3 `echo-message`). It is no
/// line of chat, so that it sets nothing off. What a person says under the same name is.
#[derive(Default)]
pub(super) struct Echoes(VecDeque<(Instant, String)>);

impl Echoes {
    pub(super) fn said(&mut self, text: String, now: Instant) {
        self.0.retain(|(at, _)| now.saturating_duration_since(*at) < ECHO);
        self.0.push_back((now, text));
    }

    /// Whether a line is what was said under our name; each comes back once.
    pub(super) fn are(&mut self, text: &str) -> bool {
        self.0.iter().position(|(_, said)| said == text).and_then(|at| self.0.remove(at)).is_some()
    }
}

/// Who speaks through a feed.
pub(super) struct Speaking<'a> {
    pub line: &'a Line,
    pub pace: Pace,
}

/// What is to be said in all chats, or in one.
pub(super) type ToSay = broadcast::Receiver<tally_engine::ToSay>;

/// What is to be said next, once it may be said. Can be dropped at any moment without losing a line, but for one that
/// waits for its turn.
pub(super) async fn next_to_say(out: &mut Option<Speaking<'_>>, to_say: &mut Option<ToSay>) -> String {
    let (Some(out), Some(to_say)) = (out, to_say) else { return std::future::pending().await };
    loop {
        // First its turn, then the line: so nothing is held in hand while somebody speaks to us.
        sleep_until(out.pace.free_at(Instant::now())).await;
        let lost = match to_say.recv().await {
            Ok(one) if one.feed.is_some_and(|feed| feed != out.line.feed) => continue,
            Ok(one) if one.since.elapsed() > STALE => 1,
            Ok(one) => {
                out.pace.say(Instant::now());
                return one.text;
            }
            Err(RecvError::Lagged(lost)) => lost,
            Err(RecvError::Closed) => return std::future::pending().await,
        };
        let lines = if lost == 1 { "line was" } else { "lines were" };
        let what = format!("{lost} {lines} not said: they came faster than the chat server takes them.");
        out.line.report(Report::Trouble(what)).await;
    }
}

/// A text as it fits into a line: no break, not too long, and no command of the server.
pub(super) fn fitting(text: &str, chat: &Chat) -> String {
    let text: String = text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
    let text = text.trim();
    // Some servers take a line that begins so for an order of whoever speaks.
    let text = if text.starts_with(['/', '.', '!']) { format!("› {text}") } else { text.to_owned() };
    let most = MOST_BYTES.saturating_sub(chat.room.len() + "PRIVMSG  :".len());
    if text.len() <= most {
        return text;
    }
    let end = (0..=most - "…".len()).rev().find(|end| text.is_char_boundary(*end)).unwrap_or(0);
    format!("{}…", &text[..end])
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn chat() -> Chat {
        let (host, room, nick) = ("localhost".into(), "#saltmarsh".into(), "tally".into());
        Chat { host, port: 6667, tls: false, certificate: String::new(), room, nick, password: String::new() }
    }

    #[test]
    fn what_comes_back_is_no_line_of_chat_but_what_a_person_says_is() {
        let (mut echoes, now) = (Echoes::default(), Instant::now());
        echoes.said("Next train at 19:30".into(), now);
        echoes.said("Next train at 19:30".into(), now);
        let came = ["Next train at 19:30", "Choo choo", "Next train at 19:30", "Next train at 19:30"];
        assert_eq!(came.map(|text| echoes.are(text)), [true, false, true, false]);
        echoes.said("Once".into(), now);
        echoes.said("Twice".into(), now + ECHO);
        assert!(!echoes.are("Once") && echoes.are("Twice"));
    }

    proptest! {
        #[test]
        fn whatever_is_said_is_one_line_that_fits(text in ".*", long in "[aé日]{0,600}") {
            for text in [text, long] {
                let said = fitting(&text, &chat());
                prop_assert!(crate::irc::is_one_line(&said), "{said:?}");
                prop_assert!(said.len() + "PRIVMSG #saltmarsh :".len() <= MOST_BYTES);
                prop_assert!(!said.starts_with(['/', '.', '!']));
            }
        }

        #[test]
        fn never_more_is_said_than_the_pace_allows(waits in prop::collection::vec(0_u64..4_000, 1..200)) {
            let begin = Instant::now();
            let (mut now, mut pace, mut said) = (begin, Pace::new(begin), Vec::new());
            for wait in waits {
                now = (now + Duration::from_millis(wait)).max(pace.free_at(now + Duration::from_millis(wait)));
                pace.say(now);
                said.push(now);
            }
            for (first, from) in said.iter().enumerate() {
                let within = said[first..].iter().filter(|at| **at < *from + Duration::from_secs(30)).count();
                prop_assert!(within <= 25, "{within} lines in 30 seconds");
            }
        }
    }
}
