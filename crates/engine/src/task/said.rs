//! What came of chat and is to be recorded: words for which widgets listen, and presses by helpers. While the
//! database is away it waits, up to a bound.

use super::Task;
use crate::commands::{self, By};
use crate::error::EngineError;
use crate::orders::{Command, Pressed, Report};
use chrono::TimeDelta;
use std::collections::VecDeque;
use tally_core::book::chat::ChatLine;
use tally_core::channel::ChatPress;
use tally_core::record::entry::{Body, Draft, Origin};
use tally_core::record::ids::FeedId;
use tally_core::time::{Instant, after};
use tally_store::rows::EntryRow;

/// How long a database that is away is left alone with it.
pub(super) const LATER: TimeDelta = TimeDelta::seconds(2);
/// How many words wait at most.
const MOST: usize = 20_000;
/// How many of them are written together.
const TOGETHER: usize = 500;

/// See the module.
#[derive(Default)]
pub(super) struct Said {
    commands: VecDeque<Draft>,
    presses: VecDeque<(FeedId, ChatPress)>,
    /// Whose words have put the channel on air, and when.
    begins: Option<(Instant, String)>,
    /// How many lines were made of chat, so that each has an origin of its own.
    made: u64,
    /// Before when nothing is tried, after a failure.
    from: Option<Instant>,
}

impl Said {
    pub(super) fn origin(&mut self, now: Instant) -> Origin {
        self.made += 1;
        Origin { source: "chat".into(), id: format!("{}:{}", now.timestamp_micros(), self.made) }
    }

    fn is_empty(&self) -> bool {
        self.commands.is_empty() && self.presses.is_empty() && self.begins.is_none()
    }
}

impl Task {
    /// Takes in what is said in chat: it is shown at once, and what is to be recorded of it waits its turn.
    pub(super) fn hear_chat(&mut self, feed: FeedId, lines: Vec<ChatLine>) {
        let now = self.context.clock.now();
        self.hearing.chat(feed, lines.len(), now);
        let heard = self.channel.hear(feed, lines, now);
        self.pace.touch(heard.touched);
        for answer in heard.answers {
            self.speak(Some(feed), answer);
        }
        for (at, happening) in heard.commands {
            if self.said.commands.len() >= MOST {
                self.trouble(feed, "Words of chat were lost, since the database has been away for long.");
                break;
            }
            let origin = self.said.origin(now);
            let draft =
                Draft { origin, feed: Some(feed), happened_at: at, arrived_at: now, body: Body::Happening(happening) };
            self.said.commands.push_back(draft);
        }
        self.said.begins = self.said.begins.take().or(heard.begins.map(|name| (now, name)));
        if !self.votes.take(heard.votes) {
            self.trouble(feed, "Votes were lost, since the database has been away for long.");
        }
        self.said.presses.extend(heard.presses.into_iter().map(|press| (feed, press)).take(TOGETHER));
        self.pulse_soon();
    }

    /// Records what waits.
    pub(super) async fn record_said(&mut self) {
        let now = self.context.clock.now();
        if self.said.is_empty() || self.said.from.is_some_and(|from| now < from) {
            return;
        }
        self.said.from = None;
        if let Err(error) = self.try_record_said().await {
            tracing::warn!(%error, channel = %self.id, "what was said in chat could not be recorded yet");
            self.said.from = Some(after(now, LATER));
        }
    }

    async fn try_record_said(&mut self) -> Result<(), EngineError> {
        if let Some((at, name)) = self.said.begins.clone() {
            let by = By { name: format!("{name} in chat"), id: at.timestamp_micros().to_string() };
            match self.record(Command { happened_at: Some(at), ..commands::air(true, "chat air", by) }).await {
                // On air already: somebody was faster.
                Ok(_) | Err(EngineError::Refused(_)) => self.said.begins = None,
                Err(error) => return Err(error),
            }
        }
        while !self.said.commands.is_empty() {
            let together = self.said.commands.len().min(TOGETHER);
            let drafts: Vec<Draft> = self.said.commands.iter().take(together).cloned().collect();
            let rows = drafts.iter().map(|draft| EntryRow::of(self.id, draft)).collect::<Result<Vec<_>, _>>()?;
            self.append(drafts, rows).await?;
            self.said.commands.drain(..together);
        }
        while let Some((feed, press)) = self.said.presses.pop_front() {
            let Origin { source, id } = self.said.origin(self.context.clock.now());
            let ChatPress { widget, action, text, by } = press;
            let pressed = Pressed {
                widget,
                action: action.into(),
                value: None,
                text: Some(text),
                side: None,
                pressed_at: None,
                by,
                source,
                id,
            };
            match self.record(pressed.command()).await {
                Ok(_) => {}
                Err(EngineError::Refused(refusal)) => self.trouble(feed, &refusal.to_string()),
                // Nobody waits for a press: once the database is back, the moment has passed.
                Err(error) => self.trouble(feed, &error.to_string()),
            }
        }
        Ok(())
    }

    fn trouble(&mut self, feed: FeedId, what: &str) {
        self.hearing.report(feed, Report::Trouble(what.to_owned()), self.context.clock.now());
        self.pulse_soon();
    }

    /// When something that waits is tried again.
    pub(super) fn said_next(&self) -> Option<Instant> {
        self.said.from.filter(|_| !self.said.is_empty())
    }
}
