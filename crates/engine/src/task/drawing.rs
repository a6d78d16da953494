//! From the state to the hub: what has changed is published, to be drawn once.

use super::{PULSE_IDLE, Task};
use crate::draw::{Draw, Heard, OnAir, Pulse, PulseFeed, Shown};
use crate::drawers::Of;
use crate::hub::Hub;
use crate::publish::{SeenBy, Turn};
use chrono::TimeDelta;
use std::panic::AssertUnwindSafe;
use std::sync::Arc;
use tally_core::book::chat::ChatLine;
use tally_core::channel::{Channel, Job, RollLine};
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

/// By whom each widget is seen now, if by anybody.
pub(super) fn seen_by<'a>(hub: &'a Hub, channel: &'a Channel) -> impl Fn(WidgetId) -> Option<SeenBy> + 'a {
    let viewers = hub.viewers();
    let celebrates = |id| channel.widget(id).is_some_and(|piece| piece.celebrates());
    move |id| viewers.of(id).or_else(|| celebrates(id).then_some(SeenBy::Us))
}

impl Task {
    /// Publishes whatever has changed and whose turn it is.
    pub(super) fn publish_changed(&mut self) {
        let tick = tokio::time::Instant::now();
        if self.hub.viewers_changed() {
            self.pace.viewers_changed();
        }
        let Turn { ready, unseen, unseen_again } = self.pace.take(tick, seen_by(&self.hub, &self.channel));
        for id in &unseen {
            self.hub.invalidate(*id);
        }
        if unseen_again {
            self.hub.changed_unseen();
        }
        if !ready.is_empty() {
            let now = self.context.clock.now();
            self.channel.turn(now);
            for id in ready {
                self.publish(id, now);
            }
        }
        if self.pulse_due.is_some_and(|due| due <= tick) || self.pulse_drawn + PULSE_IDLE <= tick {
            self.pulse_due = None;
            self.pulse_drawn = tick;
            self.publish_pulse();
        }
    }

    /// Publishes what one widget shows now. It is drawn elsewhere, soon.
    fn publish(&mut self, id: WidgetId, now: Instant) {
        let begun = tokio::time::Instant::now();
        // Looking changes nothing; so if one widget cannot be looked at, it keeps its last picture, and the others go on.
        let looking = AssertUnwindSafe(|| {
            let shown = self.shown(id, now);
            self.alarms.ask(&self.channel, id, now);
            shown
        });
        match std::panic::catch_unwind(looking) {
            Ok(Some(_)) if self.hub.viewers().of(id).is_none() => self.hub.invalidate(id),
            Ok(Some(shown)) => {
                let token = self.tokens.get(&id).cloned().unwrap_or_default();
                let draw = move |draw: &dyn Draw, hub: &Hub| hub.publish(id, &token, draw.widget(&shown));
                self.context.drawers.submit(&self.hub, Of::Widget(id), draw);
            }
            Ok(None) => {}
            Err(_) => tracing::error!(channel = %self.id, widget = %id, "a widget could not be looked at"),
        }
        self.pace.took(id, begun.elapsed(), tokio::time::Instant::now());
    }

    fn shown(&mut self, id: WidgetId, now: Instant) -> Option<Shown> {
        let piece = self.channel.widget(id)?;
        let scope = self.channel.scope(now);
        let (view, attention) = (piece.view(&scope), piece.attention(&scope));
        let shown = Shown {
            id,
            desk: Arc::clone(self.channel.desk()),
            seq: self.channel.last_seq(),
            celebration: self.watches.entry(id).or_default().look(&view, now),
            view,
            piece: piece.clone(),
            muted: self.channel.desk().muted,
            tried: self.channel.draft(id).map(|draft| (draft.clone(), draft.view(&scope))),
            levers: piece.levers(&scope),
            attention: attention.clone(),
            for_helpers: Job::of(piece).is_some(),
        };
        if self.attention.get(&id) != attention.as_ref() {
            match attention {
                Some(words) => self.attention.insert(id, words),
                None => self.attention.remove(&id),
            };
            self.pulse_soon();
        }
        Some(shown)
    }

    /// How a feed fares: what its lines in the record and its keeper say together.
    fn heard(&self, feed: &Feed) -> Heard {
        self.hearing.of(feed, self.channel.pulse(FeedId(feed.id)))
    }

    fn publish_pulse(&mut self) {
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
            attention,
            needs: self.needs(now),
            feeds,
            roll,
            in_force: self.channel.roll_in_force(),
            is_kept: !self.context.keep.is_rehearsal(),
            pages: self.hub.pages(),
            on_air: match (shows.on_air(), shows.ending()) {
                (None, _) => OnAir::Off,
                (Some(show), None) => OnAir::Since(show.from),
                (Some(show), Some((at, _))) => OnAir::Ending(show.from, at),
            },
            clock_jump: self.context.clock.jumped(),
            chat: self.channel.chat().newest().next().map(|(.., line)| line.clone()),
            calendar: self.channel.settings().calendar,
            now,
        };
        let draw = move |draw: &dyn Draw, hub: &Hub| hub.publish_pulse(draw.pulse(&pulse));
        self.context.drawers.submit(&self.hub, Of::Pulse, draw);
        let newest = self.channel.chat().newest().next().map(|(number, ..)| number);
        if self.chat_drawn != newest {
            self.chat_drawn = newest;
            let newest = self.channel.chat().newest().take(CHAT);
            let chat: Vec<(u64, ChatLine)> = newest.map(|(number, _, line)| (number, line.clone())).collect();
            let draw = move |draw: &dyn Draw, hub: &Hub| hub.publish_chat(draw.chat(&chat));
            self.context.drawers.submit(&self.hub, Of::Chat, draw);
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
