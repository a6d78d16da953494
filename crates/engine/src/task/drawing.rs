//! From the state to the hub: what has changed is drawn once and published.

use super::{PULSE_IDLE, Task};
use crate::draw::{Drawn, Heard, OnAir, Pulse, PulseFeed, Seen, Shown};
use chrono::TimeDelta;
use std::panic::AssertUnwindSafe;
use tally_core::channel::{Job, RollLine};
use tally_core::cues::Cue;
use tally_core::record::ids::{FeedId, WidgetId};
use tally_core::time::{Instant, after, before};
use tally_store::feeds::{Feed, Wiring};

/// For so long the desk is told that a cue failed, or that something could not be said.
const FAILED: TimeDelta = TimeDelta::minutes(10);
/// What brings everything that happens in a rehearsal.
const SCRIPT: &str = "The script";
/// So many lines of chat stand beside the paper roll.
const CHAT: usize = 40;

impl Task {
    /// Draws whatever has changed and whose turn it is.
    pub(super) fn draw(&mut self) {
        let tick = tokio::time::Instant::now();
        let mut ready = self.pace.take(tick);
        // What somebody looks at comes first.
        ready.sort_by_key(|id| self.hub.pages_of(*id) == 0);
        if !ready.is_empty() {
            let now = self.context.clock.now();
            self.channel.turn(now);
            for id in ready {
                self.draw_one(id, now);
            }
        }
        if self.pulse_due.is_some_and(|due| due <= tick) || self.pulse_drawn + PULSE_IDLE <= tick {
            self.pulse_due = None;
            self.pulse_drawn = tick;
            self.draw_pulse();
        }
    }

    /// Draws one widget now, whoever's turn it is.
    pub(super) fn draw_one(&mut self, id: WidgetId, now: Instant) {
        let begun = tokio::time::Instant::now();
        // Drawing changes nothing; so if one widget cannot be drawn, it keeps its last picture, and the others go on.
        let drawing = AssertUnwindSafe(|| {
            let drawn = self.drawn(id, now);
            self.alarms.ask(&self.channel, id, now);
            drawn
        });
        match std::panic::catch_unwind(drawing) {
            Ok(Some(drawn)) => {
                let token = self.tokens.get(&id).map_or("", String::as_str);
                self.hub.publish(id, token, drawn);
            }
            Ok(None) => {}
            Err(_) => tracing::error!(channel = %self.id, widget = %id, "a widget could not be drawn"),
        }
        self.pace.took(id, begun.elapsed(), tokio::time::Instant::now());
    }

    fn drawn(&mut self, id: WidgetId, now: Instant) -> Option<Drawn> {
        let piece = self.channel.widget(id)?;
        let scope = self.channel.scope(now);
        let (view, levers) = (piece.view(&scope), piece.levers(&scope));
        let attention = piece.attention(&scope);
        let muted = self.channel.desk().muted;
        let celebration = self.watches.entry(id).or_default().look(&view, now);
        let draft = self.channel.draft(id).map(|draft| (draft.view(&scope), draft.look()));
        let shown = Shown {
            id,
            desk: self.channel.desk(),
            seq: self.channel.last_seq(),
            seen: Seen { view: &view, look: piece.look(), celebration, muted },
            tried: draft.as_ref().map(|(view, look)| Seen { view, look, celebration: None, muted }),
            levers: &levers,
            attention: attention.as_deref(),
            for_helpers: Job::of(piece).is_some(),
            now,
        };
        let drawn = self.context.draw.widget(&shown);
        if self.attention.get(&id) != attention.as_ref() {
            match attention {
                Some(words) => self.attention.insert(id, words),
                None => self.attention.remove(&id),
            };
            self.pulse_soon();
        }
        Some(drawn)
    }

    /// How a feed fares: what its lines in the record and its keeper say together.
    fn heard(&self, feed: &Feed) -> Heard {
        self.hearing.of(feed, self.channel.pulse(FeedId(feed.id)))
    }

    fn draw_pulse(&mut self) {
        let shown = self.feeds.iter().filter(|feed| !feed.removed && !matches!(feed.wiring, Wiring::Import { .. }));
        let mut feeds: Vec<PulseFeed> =
            shown.map(|feed| PulseFeed { name: feed.name.clone(), heard: self.heard(feed) }).collect();
        if self.context.keep.is_rehearsal() {
            let last = self.channel.roll().last().map(|line| line.arrived_at);
            feeds.push(PulseFeed { name: SCRIPT.into(), heard: Heard { last, connected: true, ..Heard::default() } });
        }
        let title = |id| self.channel.widget(id).map(|piece| piece.title().to_owned());
        let roll: Vec<(RollLine, Option<String>)> =
            self.channel.roll().map(|line| (line.clone(), line.widget.and_then(title))).collect();
        let named = |(id, words): (&WidgetId, &String)| Some((title(*id)?, words.clone()));
        let attention: Vec<(String, String)> = self.attention.iter().filter_map(named).collect();
        let shows = self.channel.book().shows();
        let now = self.context.clock.now();
        let pulse = Pulse {
            attention: &attention,
            needs: &self.needs(now),
            feeds: &feeds,
            roll: &roll,
            in_force: &self.channel.roll_in_force(),
            is_kept: !self.context.keep.is_rehearsal(),
            pages: self.hub.pages(),
            on_air: match (shows.on_air(), shows.ending()) {
                (None, _) => OnAir::Off,
                (Some(show), None) => OnAir::Since(show.from),
                (Some(show), Some((at, _))) => OnAir::Ending(show.from, at),
            },
            clock_jump: self.context.clock.jumped(),
            chat: self.channel.chat().newest().next().map(|(.., line)| line),
            calendar: self.channel.settings().calendar,
            now,
        };
        self.hub.publish_pulse(self.context.draw.pulse(&pulse));
        let newest = self.channel.chat().newest().next().map(|(number, ..)| number);
        if self.chat_drawn != newest {
            self.chat_drawn = newest;
            let chat: Vec<_> =
                self.channel.chat().newest().take(CHAT).map(|(number, _, line)| (number, line)).collect();
            self.hub.publish_chat(self.context.draw.chat(&chat));
        }
    }

    /// What the desk has to be told of that is no widget's, the most urgent first.
    fn needs(&self, now: Instant) -> Vec<(String, String)> {
        let mut needs = Vec::new();
        if let Some((_, by)) = self.channel.book().shows().ending() {
            needs.push(("On air".into(), format!("{by} ends the show in a moment, unless you stay on air")));
        }
        if self.channel.is_covered() {
            needs.push(("The picture".into(), "covered: nothing is seen on air".into()));
        }
        needs.extend(self.hub.wrong());
        let failed = |(id, cue): (&u32, &Cue)| {
            let last = self.channel.firings().log(*id).next().filter(|last| after(last.at, FAILED) > now)?;
            let words = last.failed.first()?;
            // What the line says after the cue's name.
            let words = words.split_once("” ").map_or(words.as_str(), |(_, rest)| rest);
            Some((format!("The cue “{}”", cue.name), words.to_owned()))
        };
        needs.extend(self.channel.cues().all.iter().filter_map(failed));
        let unsaid = self.hearing.unsaid_since(before(now, FAILED));
        needs.extend(unsaid.map(|why| ("Chat".to_owned(), why.to_owned())));
        needs.extend(self.hub.rehearsal().map(|running| ("Rehearsal".to_owned(), running.words())));
        needs
    }
}
