//! What is heard besides lines of the record: chat, and readings of levels that are not recorded. What widgets make
//! of a line of chat (a command, a vote, a press by a helper) is told to whoever keeps the record.

use super::{Channel, Spoken};
use crate::book::chat::ChatLine;
use crate::cues::When;
use crate::record::entry::{Body, Draft};
use crate::record::happening::{Actor, Happening};
use crate::record::ids::{FeedId, Seq, WidgetId};
use crate::time::Instant;
use crate::widgets::{Piece, Said};
use std::collections::{BTreeMap, BTreeSet};

/// So many seconds a word for which cues wait is not heard again from the same viewer.
const CUE_REST_S: i64 = 5;

/// A vote as it was heard, before the voter's name is hidden.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HeardVote {
    /// In which widget's poll.
    pub widget: WidgetId,
    /// Which was opened by this line.
    pub poll: Seq,
    /// For what, counted from 0.
    pub option: u8,
    /// Whose, see [`ChatLine::viewer`].
    pub viewer: String,
    /// Whether they subscribe.
    pub subscriber: bool,
    /// When it was sent.
    pub at: Instant,
}

/// A press that somebody made by a line of chat.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChatPress {
    /// Of which widget.
    pub widget: WidgetId,
    /// Which action.
    pub action: &'static str,
    /// With which text.
    pub text: String,
    /// Who.
    pub by: String,
}

/// What came of some lines of chat.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Heard {
    /// The widgets that may show them.
    pub touched: BTreeSet<WidgetId>,
    /// Words for which widgets listen, to be recorded: when they were said, and by whom.
    pub commands: Vec<(Instant, Happening)>,
    /// Votes, to be recorded together.
    pub votes: Vec<HeardVote>,
    /// Presses, to be decided.
    pub presses: Vec<ChatPress>,
    /// Who has put the channel on air by it.
    pub begins: Option<String>,
    /// Answers of the bot, to be said in the chat in which it was asked.
    pub answers: Vec<Spoken>,
}

impl Channel {
    /// Takes in what is said in chat.
    pub fn hear(&mut self, feed: FeedId, lines: Vec<ChatLine>, now: Instant) -> Heard {
        let mut heard = Heard::default();
        for line in &lines {
            let (word, message) = line.spoken();
            self.make_of(line, &word, now, &mut heard);
            if heard.begins.is_none() && self.begins_by(line, now) {
                heard.begins = Some(line.name.clone());
            }
            heard.answers.extend(self.answer(line, (&word, message), now));
        }
        heard.touched = self.show_chat(feed, lines);
        heard
    }

    /// Shows lines of chat of which nothing is made, such as our own, and names the widgets that may show them.
    pub fn show_chat(&mut self, feed: FeedId, lines: Vec<ChatLine>) -> BTreeSet<WidgetId> {
        for line in lines {
            self.chat.hear(feed, line);
        }
        let all = self.widgets.iter().chain(&self.drafts);
        all.filter(|(_, piece)| piece.follows_chat()).map(|(id, _)| *id).collect()
    }

    fn make_of(&mut self, line: &ChatLine, spoken: &str, now: Instant, heard: &mut Heard) {
        // Nobody says anything later than it arrives; clocks of chat servers may differ.
        let at = line.at.min(now);
        // Several widgets may listen for one word: it is one line, and rests as long as the most patient wishes.
        let mut words: BTreeMap<String, (String, i64)> = BTreeMap::new();
        for (id, piece) in &self.widgets {
            match piece.hears(line, now) {
                Some(Said::Command { word, text, rest_s }) => {
                    let rest = words.entry(word).or_insert((text, 0));
                    rest.1 = rest.1.max(rest_s);
                }
                Some(Said::Press { action, text }) => {
                    heard.presses.push(ChatPress { widget: *id, action, text, by: line.name.clone() });
                }
                Some(Said::Vote { poll, option }) => heard.votes.push(HeardVote {
                    widget: *id,
                    poll,
                    option,
                    viewer: line.viewer(),
                    subscriber: line.subscriber,
                    at,
                }),
                None => {}
            }
        }
        let waits = self.cue_words.contains(spoken);
        for cue in self.cues.all.values().filter(|cue| waits && cue.on) {
            if let When::Command { word } = &cue.when
                && let Some(text) = line.after(word)
            {
                let rest = words.entry(word.clone()).or_insert((text.to_owned(), 0));
                rest.1 = rest.1.max(CUE_REST_S);
            }
        }
        for (word, (text, rest_s)) in words {
            if self.rests.may(&word, &line.viewer(), rest_s, now) {
                let actor = Actor { id: line.id.clone(), name: line.name.clone(), avatar: None, anonymous: false };
                let text = Some(text).filter(|text| !text.is_empty());
                heard.commands.push((at, Happening::Command { actor, word, text }));
            }
        }
    }

    /// Whether votes for a poll may still come.
    #[must_use]
    pub fn awaits_votes(&self, widget: WidgetId, poll: Seq, now: Instant) -> bool {
        match self.widgets.get(&widget) {
            Some(Piece::Poll(folded)) => folded.state.awaits_votes(poll, now),
            _ => false,
        }
    }

    /// Takes in a reading of a level that is not recorded, and names the widgets that may show it.
    pub fn hear_level(&mut self, reading: &Draft) -> BTreeSet<WidgetId> {
        let Body::Happening(Happening::Gauge { name, value }) = &reading.body else { return BTreeSet::new() };
        let turned = self.book.hear_level(reading.feed, name, *value, reading.happened_at);
        self.tallies.take(&turned, &self.book, &self.settings)
    }
}
