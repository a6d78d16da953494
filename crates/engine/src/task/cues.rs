//! Cues at work: what they decided is written, and their steps are done when they are due.

use super::Task;
use super::heard::Quiet;
use super::said::LATER;
use crate::error::EngineError;
use crate::orders::{Command, Pressed};
use chrono::TimeDelta;
use std::collections::{BTreeSet, VecDeque};
use tally_core::channel::{Appear, CUE_SOURCE, Channel, Heeded, Occasion};
use tally_core::cues::{CueEdit, Due, Offer};
use tally_core::record::cue::{Do, Outcome};
use tally_core::record::entry::{Body, Draft, Origin};
use tally_core::record::ids::Seq;
use tally_core::time::{Instant, after};
use tally_store::rows::EntryRow;

/// A step that was due so long ago is not done any more: its moment has passed while the server was away.
const MISSED: TimeDelta = TimeDelta::seconds(60);
/// So many firings are written together.
const TOGETHER: usize = 200;
/// So many steps are done before others have their turn: what cues do never keeps a tip waiting for long.
const STEPS_AT_ONCE: usize = 20;
/// Firings that wait for the database at most.
const MOST_WAITING: usize = 5_000;

/// See the module.
#[derive(Default)]
pub(super) struct CuesAtWork {
    waiting: VecDeque<(Instant, Body, String)>,
    /// Before when nothing is tried, after a failure.
    from: Option<Instant>,
}

impl Task {
    /// Takes note of what a line set off.
    pub(super) fn heed(&mut self, heeded: Vec<Heeded>) {
        for Heeded { occasion: Occasion { cue, cause, at, about, .. }, decided } in heeded {
            match decided {
                Ok(body) if self.cues.waiting.len() < MOST_WAITING => {
                    // One line sets a cue off once, however often it is read.
                    let cause = cause.map(|seq| seq.to_string()).unwrap_or_default();
                    self.cues.waiting.push_back((at, body, format!("{cue} by {cause}")));
                }
                Ok(_) => tracing::warn!(cue, channel = %self.id, "a firing was lost: too many wait for the database"),
                Err(why) => self.hearing.stayed_quiet(Quiet { cue, at, about, why: why.to_string() }),
            }
        }
    }

    /// When something that cues do is due.
    pub(super) fn cues_next(&self) -> Option<Instant> {
        if !self.cues.waiting.is_empty() || self.cues.from.is_some() {
            return Some(self.cues.from.unwrap_or(Instant::MIN_UTC));
        }
        self.channel.next_step().map(|due| due.at)
    }

    /// Writes what cues decided, and does the steps that are due.
    pub(super) async fn run_cues(&mut self) {
        let now = self.inner.clock.now();
        if self.cues_next().is_none_or(|at| now < at) {
            return;
        }
        self.cues.from = None;
        if let Err(error) = self.try_run_cues().await {
            tracing::warn!(%error, channel = %self.id, "what a cue does could not be written yet");
            self.cues.from = Some(after(now, LATER));
        }
    }

    async fn try_run_cues(&mut self) -> Result<(), EngineError> {
        for _ in 0..STEPS_AT_ONCE {
            while !self.cues.waiting.is_empty() {
                self.write_firings().await?;
            }
            let now = self.inner.clock.now();
            let Some(due) = self.channel.next_step().filter(|due| due.at <= now) else { return Ok(()) };
            let outcome = if after(due.at, MISSED) < now { Outcome::Missed } else { self.take_step(&due).await? };
            let origin = Origin { source: format!("{CUE_SOURCE} steps"), id: format!("{}:{}", due.fired, due.step) };
            let body = Body::Stepped { fired: due.fired, step: due.step, name: due.name, outcome };
            self.write_line(origin, now, body).await?;
        }
        Ok(())
    }

    /// Writes firings that wait, together.
    async fn write_firings(&mut self) -> Result<(), EngineError> {
        let now = self.inner.clock.now();
        let draft = |(at, body, id): &(Instant, Body, String)| Draft {
            origin: Origin { source: format!("{CUE_SOURCE} fires"), id: id.clone() },
            feed: None,
            happened_at: *at,
            arrived_at: now,
            body: body.clone(),
        };
        let drafts: Vec<Draft> = self.cues.waiting.iter().take(TOGETHER).map(draft).collect();
        let rows = drafts.iter().map(|draft| EntryRow::of(self.id, draft)).collect::<Result<Vec<_>, _>>()?;
        let written = drafts.len();
        self.append(drafts, rows).await?;
        self.cues.waiting.drain(..written);
        Ok(())
    }

    async fn write_line(&mut self, origin: Origin, at: Instant, body: Body) -> Result<Option<Seq>, EngineError> {
        let draft = Draft { origin, feed: None, happened_at: at, arrived_at: self.inner.clock.now(), body };
        let row = EntryRow::of(self.id, &draft)?;
        Ok(self.append(vec![draft], vec![row]).await?.into_iter().flatten().next())
    }

    /// Does a step. Its line has an origin of its own, so that it is done once, whatever happens in between.
    async fn take_step(&mut self, due: &Due) -> Result<Outcome, EngineError> {
        let by = format!("the cue “{}”", due.name);
        let id = format!("{}:{}", due.fired, due.step);
        let done = match &due.what.what {
            Do::Press { widget, action, value, text, side } => {
                let (widget, action, value, text, side) = (*widget, action.clone(), *value, text.clone(), *side);
                let source = CUE_SOURCE.to_owned();
                let pressed = Pressed { widget, action, value, text, side, pressed_at: None, by, source, id };
                // A line of that origin stands there if it was done before; then nothing is asked again.
                self.record(Command { is_asked: None, ..pressed.command() }).await
            }
            Do::Appear { overlay, piece, shown } => self.step_appear((*overlay, *piece, *shown), by, id).await,
        };
        match done {
            Ok(_) => Ok(Outcome::Done),
            Err(EngineError::Away) => Err(EngineError::Away),
            Err(error) => Ok(Outcome::Failed(error.to_string())),
        }
    }

    async fn step_appear(
        &mut self,
        (overlay, piece, shown): (u32, u32, bool),
        by: String,
        id: String,
    ) -> Result<Seq, EngineError> {
        let (store, channel) = (self.inner.store.clone(), self.id);
        let kept = self.meanwhile(async move { store.overlay(channel, overlay).await }).await?;
        let about = self.channel.piece_words(&kept.air, piece);
        let decide = move |channel: &Channel, _| {
            let pieces = BTreeSet::from([piece]);
            let asked = Appear { overlay, layout: &kept.air, pieces: &pieces, about: &about, shown };
            channel.decide_appear(&asked, &by)
        };
        let origin = Origin { source: CUE_SOURCE.into(), id };
        self.record(Command { origin, happened_at: None, decide: Box::new(decide), is_asked: None }).await
    }

    /// Does something to the cues.
    pub(super) async fn edit_cues(&mut self, edit: CueEdit, offer: &Offer) -> Result<Option<u32>, EngineError> {
        let (cues, edited) = self.channel.cues().edited(edit, offer)?;
        let (store, id, kept) = (self.inner.store.clone(), self.id, cues.clone());
        self.meanwhile(async move { store.save_cues(id, kept).await }).await?;
        self.channel.set_cues(cues);
        Ok(edited)
    }

    /// Fires a cue by hand.
    pub(super) async fn fire_cue(&mut self, cue: u32, by: String, id: String) -> Result<Seq, EngineError> {
        let now = self.inner.clock.now();
        let occasion =
            Occasion { cue, cause: None, at: now, about: format!("{by} pressed it"), person: None, depth: 0 };
        let body = self.channel.decide_cue(&occasion)?;
        let written = self.write_line(Origin { source: format!("{CUE_SOURCE} by hand"), id }, now, body).await?;
        Ok(written.unwrap_or_else(|| self.channel.last_seq()))
    }
}
