//! What is heard through feeds besides lines of the record: chat, and how each feed fares.

use crate::draw::Heard;
use crate::orders::Report;
use std::collections::{BTreeMap, VecDeque};
use tally_core::record::happening::Happening;
use tally_core::record::ids::FeedId;
use tally_core::time::Instant;
use tally_store::feeds::Feed;

/// How many rehearsed happenings are remembered.
const REHEARSED: usize = 20;

/// What cues did not do is remembered for so many occasions.
const QUIET: usize = 200;

/// An occasion on which a cue stayed quiet. Like chat, it is no part of the record.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Quiet {
    /// Which cue.
    pub cue: u32,
    /// When.
    pub at: Instant,
    /// What happened, in words.
    pub about: String,
    /// Why it did not fire.
    pub why: String,
}

/// See the module.
#[derive(Debug, Default)]
pub struct Hearing {
    quiet: VecDeque<Quiet>,
    /// What the bot could not say last.
    unsaid: Option<(Instant, String)>,
    rehearsed: VecDeque<(Instant, Happening)>,
    states: BTreeMap<FeedId, State>,
}

#[derive(Debug, Default)]
struct State {
    last: Option<Instant>,
    connected: bool,
    failing: Option<String>,
    trouble: Option<(Instant, String)>,
    lines: u64,
}

impl Hearing {
    pub(crate) fn report(&mut self, feed: FeedId, report: Report, now: Instant) {
        let state = self.states.entry(feed).or_default();
        match report {
            Report::Heard => (state.last, state.connected, state.failing) = (Some(now), true, None),
            Report::Connected => (state.connected, state.failing) = (true, None),
            Report::Trouble(what) => state.trouble = Some((now, what)),
            Report::Failing(why) => (state.connected, state.failing) = (false, Some(why)),
        }
    }

    pub(crate) fn chat(&mut self, feed: FeedId, lines: usize, now: Instant) {
        self.report(feed, Report::Heard, now);
        if let Some(state) = self.states.get_mut(&feed) {
            state.lines += lines as u64;
        }
    }

    /// Something make-believe happened; none when all of that is over.
    pub(crate) fn rehearsed(&mut self, happening: Option<(Instant, Happening)>) {
        match happening {
            None => self.rehearsed.clear(),
            Some(one) => {
                self.rehearsed.truncate(REHEARSED - 1);
                self.rehearsed.push_front(one);
            }
        }
    }

    /// A cue stayed quiet.
    pub(crate) fn stayed_quiet(&mut self, quiet: Quiet) {
        self.quiet.truncate(QUIET - 1);
        self.quiet.push_front(quiet);
    }

    /// Something cannot be said in chat, and why.
    pub(crate) fn unsaid(&mut self, why: String, now: Instant) {
        self.unsaid = Some((now, why));
    }

    /// What could not be said in chat since an instant, and why.
    pub(crate) fn unsaid_since(&self, since: Instant) -> Option<&str> {
        self.unsaid.as_ref().filter(|(at, _)| *at >= since).map(|(_, why)| why.as_str())
    }

    /// The newest occasions on which cues stayed quiet, newest first.
    pub fn quiet(&self) -> impl Iterator<Item = &Quiet> {
        self.quiet.iter()
    }

    /// What was rehearsed of late, newest first.
    pub fn rehearsals(&self) -> impl Iterator<Item = &(Instant, Happening)> {
        self.rehearsed.iter()
    }

    /// How a feed fares, with when its newest line of the record arrived.
    #[must_use]
    pub fn of(&self, feed: &Feed, recorded: Option<Instant>) -> Heard {
        let state = self.states.get(&FeedId(feed.id));
        Heard {
            last: state.and_then(|state| state.last).max(recorded),
            paused: feed.paused,
            connected: state.is_some_and(|state| state.connected),
            failing: state.and_then(|state| state.failing.clone()).filter(|_| !feed.paused),
        }
    }

    /// What went wrong last with something that came through a feed, and when.
    #[must_use]
    pub fn trouble(&self, feed: FeedId) -> Option<&(Instant, String)> {
        self.states.get(&feed).and_then(|state| state.trouble.as_ref())
    }

    /// How many lines of chat came through a feed since the program was started.
    #[must_use]
    pub fn chat_lines(&self, feed: FeedId) -> u64 {
        self.states.get(&feed).map_or(0, |state| state.lines)
    }
}
