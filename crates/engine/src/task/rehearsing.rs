//! Rehearsing: a record of its own, in which nothing is real.

use super::Task;
use super::celebrations::Celebrations;
use super::{seeds, votes};
use crate::draw::{Draw, Seen};
use crate::drawers::Of;
use crate::error::EngineError;
use crate::hub::Hub;
use crate::orders::{MakeBelieve, Rehearsed};
use std::collections::BTreeMap;
use tally_core::book::chat::ChatLine;
use tally_core::channel::{Channel, Press};
use tally_core::count::{Count, Verdict};
use tally_core::record::acts::{Act, PollAct};
use tally_core::record::entry::{Body, Draft, Entry, Incoming, Origin};
use tally_core::record::ids::{FeedId, WidgetId};
use tally_core::time::Instant;
use tally_core::widgets::view::View;
use tally_core::widgets::{Action, Piece};
use tally_store::secrets::Secret;

/// A channel in which only make-believe things happen, as it is tried on the stage.
pub(super) struct Rehearsal {
    channel: Channel,
    watches: BTreeMap<WidgetId, Celebrations>,
}

impl Task {
    pub(super) fn rehearse(
        &mut self,
        widget: WidgetId,
        make_believe: MakeBelieve,
        feed: FeedId,
    ) -> Result<Rehearsed, EngineError> {
        let now = self.context.clock.now();
        if self.rehearsal.is_none() {
            self.rehearsal = Some(Rehearsal { channel: self.channel.rehearsal(now), watches: BTreeMap::new() });
        }
        let Some(Rehearsal { channel, watches }) = &mut self.rehearsal else { return Err(EngineError::Away) };
        seeds::seal_for_rehearsal(channel, |channel, body| drop(operate(channel, body, now)));
        let before = channel.view(widget, now).ok_or(EngineError::NotFound)?;
        watches.entry(widget).or_default().look(&before, now);
        let mut newest: Option<Entry> = None;
        match make_believe {
            MakeBelieve::Happenings(events) => {
                for event in events {
                    let entry = enter(channel, event, feed, now);
                    if let Body::Happening(happening) = &entry.body {
                        self.hearing.rehearsed(Some((entry.happened_at, happening.clone())));
                    }
                    newest = Some(entry);
                }
            }
            MakeBelieve::Chat(lines) => {
                for line in lines {
                    newest = say(channel, line, feed, now).or(newest);
                }
            }
            MakeBelieve::Press { action, text } => {
                let action = Action { name: &action, value: None, text: text.as_deref(), side: None };
                let body = channel.decide(&Press { widget, action, by: "the rehearsal" }, now)?;
                newest = Some(operate(channel, body, now));
            }
        }
        channel.turn(now);
        let (scope, settings, book) = (channel.scope(now), channel.settings(), channel.book());
        let judge = |count: Count| {
            let entry = newest.as_ref()?;
            let fact = book.find(entry.happened_at, entry.seq)?;
            (count.kinds() & fact.kind().bit() != 0).then_some(())?;
            Some(match count.judge(fact, scope.span(&count), book, settings) {
                Verdict::Counts(worth) => (count.unit(settings).show(worth), true),
                Verdict::LeftOut(reason) => (reason.words().to_owned(), false),
            })
        };
        let piece = channel.widget(widget).ok_or(EngineError::NotFound)?;
        let view = piece.view(&scope);
        let rehearsed = Rehearsed {
            verdicts: piece.counts(settings).into_iter().filter_map(judge).collect(),
            before: before.text(),
            after: view.text(),
            pages: self.hub.pages_of(widget),
        };
        let celebration = watches.entry(widget).or_default().look(&view, now);
        let piece = piece.clone();
        self.publish_rehearsed(widget, piece, view, celebration);
        Ok(rehearsed)
    }

    /// Puts what stands on the stage into the rehearsal: what was rehearsed stays.
    pub(super) fn rehearse_as_staged(&mut self, id: WidgetId) {
        let now = self.context.clock.now();
        let (Some(rehearsal), Some(staged)) = (&mut self.rehearsal, self.channel.staged(id)) else { return };
        let (piece, _) = rehearsal.channel.widget(id).unwrap_or(staged).with(staged.setup());
        rehearsal.channel.put(id, piece);
        rehearsal.channel.turn(now);
        rehearsal.watches.remove(&id);
        let shown = rehearsal.channel.widget(id).cloned().zip(rehearsal.channel.view(id, now));
        if let Some((piece, view)) = shown {
            self.publish_rehearsed(id, piece, view, None);
        }
    }

    fn publish_rehearsed(&self, id: WidgetId, piece: Piece, view: View, celebration: Option<Instant>) {
        let draw = move |draw: &dyn Draw, hub: &Hub| {
            let seen = Seen { view: &view, look: piece.look(), celebration, muted: false };
            hub.broadcast(draw.rehearsal(id, seen));
        };
        self.context.drawers.submit(&self.hub, Of::Rehearsed(id), draw);
    }

    /// A rehearsal is over when the channel reckons otherwise.
    pub(super) fn end_rehearsal(&mut self) {
        self.rehearsal = None;
        self.hearing.rehearsed(None);
    }
}

/// Lets somebody operate a widget in make-believe.
fn operate(channel: &mut Channel, body: Body, now: Instant) -> Entry {
    let seq = channel.last_seq().next();
    let origin = Origin { source: "rehearsal".into(), id: seq.to_string() };
    let entry = Draft { origin, feed: None, happened_at: now, arrived_at: now, body }.at(seq);
    channel.apply(&entry);
    entry
}

/// Says a line of make-believe chat; gives the line of the record that it makes, if it makes one.
fn say(channel: &mut Channel, line: ChatLine, feed: FeedId, now: Instant) -> Option<Entry> {
    let heard = channel.hear(feed, vec![line], now);
    let mut newest = None;
    for (number, (at, happening)) in heard.commands.into_iter().enumerate() {
        let origin = Origin { source: "rehearsal".into(), id: format!("{}:{number}", now.timestamp_micros()) };
        newest = Some(enter(channel, Incoming { origin, happened_at: Some(at), happening }, feed, now));
    }
    for heard in &heard.votes {
        let votes = vec![votes::vote(&Secret::default(), heard)];
        let act = Act::Poll(PollAct::Votes { poll: heard.poll, votes });
        newest = Some(operate(channel, Body::Act { widget: heard.widget, by: "the audience".into(), act }, now));
    }
    newest
}

fn enter(channel: &mut Channel, event: Incoming, feed: FeedId, now: Instant) -> Entry {
    let entry = event.draft(feed, now).at(channel.last_seq().next());
    channel.apply(&entry);
    entry
}
