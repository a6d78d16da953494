//! Cues at work: what they decided is written, and their steps are done when they are due.

use super::Task;
use super::heard::Quiet;
use super::said::LATER;
use crate::calls::{CALL_PATIENCE, Call};
use crate::commands::{self, By};
use crate::error::EngineError;
use crate::orders::{Pressed, Stepped};
use chrono::TimeDelta;
use std::collections::{BTreeSet, VecDeque};
use tally_core::channel::{CUE_SOURCE, Channel, Occasion, Triggered};
use tally_core::cues::{CueEdit, Due, Offer};
use tally_core::record::cue::{Do, Outcome};
use tally_core::record::entry::{Body, Draft, Origin};
use tally_core::record::ids::Seq;
use tally_core::record::refusal::Refusal;
use tally_core::time::{Instant, after};
use tally_store::rows::EntryRow;
use tokio::sync::oneshot;

/// A step that was due so long ago is not done any more: its moment has passed while the server was away.
const MISSED: TimeDelta = TimeDelta::seconds(60);
/// So far ahead is looked for what comes by itself: longer than the task ever sleeps.
const AHEAD: TimeDelta = TimeDelta::seconds(60);
/// So many firings are written together.
const TOGETHER: usize = 200;
/// So many steps are done before others have their turn: what cues do never keeps a tip waiting for long.
const STEPS_AT_ONCE: usize = 20;
/// How loud cues play sounds, in hundredths.
const VOLUME: u8 = 70;
/// Firings that wait for the database at most.
const MOST_WAITING: usize = 5_000;

/// See the module.
#[derive(Default)]
pub(super) struct CuesAtWork {
    waiting: VecDeque<(Instant, Body, String)>,
    /// Before when nothing is tried, after a failure.
    from: Option<Instant>,
    /// Firings whose step is a call that was not answered yet.
    under_way: BTreeSet<Seq>,
    /// Calls that were answered, and of which that is to be written.
    called: VecDeque<(Stepped, Outcome)>,
}

impl CuesAtWork {
    /// A call was answered.
    pub(super) fn was_called(&mut self, step: Stepped, outcome: Outcome) {
        self.called.push_back((step, outcome));
    }
}

/// What is to become of a step.
enum Taken {
    /// That became of it.
    Now(Outcome),
    /// It is said or played as soon as it is written as done, so that it is never done twice.
    Then(Doing),
    /// It is under way, and is heard of later.
    Later,
}

/// What is done after it was written.
enum Doing {
    Say(String),
    Play(u32, String),
}

impl Task {
    /// Takes note of what a line set off.
    pub(super) fn queue_triggered(&mut self, triggered: Vec<Triggered>) {
        for Triggered { occasion: Occasion { cue, cause, at, about, .. }, decided } in triggered {
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
        if !self.cues.waiting.is_empty() || !self.cues.called.is_empty() || self.cues.from.is_some() {
            return Some(self.cues.from.unwrap_or(Instant::MIN_UTC));
        }
        self.channel.next_step(&self.cues.under_way).map(|due| due.at)
    }

    /// When something comes by itself that cues wait for; no further ahead than the task sleeps.
    pub(super) fn timed_next(&self) -> Option<Instant> {
        let horizon = after(self.context.clock.now(), AHEAD * i32::try_from(self.context.clock.speed()).unwrap_or(1));
        let timed = self.channel.comes_by_itself(horizon).map(|triggered| triggered.occasion.at);
        timed.into_iter().chain(self.due_from).max()
    }

    /// Writes what cues decided, and does the steps that are due.
    pub(super) async fn run_cues(&mut self) {
        let now = self.context.clock.now();
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
            while let Some((step, outcome)) = self.cues.called.front().cloned() {
                let fired = step.fired;
                self.write_stepped(step, outcome).await?;
                self.cues.called.pop_front();
                self.cues.under_way.remove(&fired);
            }
            let now = self.context.clock.now();
            let due = self.channel.next_step(&self.cues.under_way).filter(|due| due.at <= now);
            let Some(due) = due else { return Ok(()) };
            let missed = after(due.at, MISSED) < now;
            let taken = if missed { Taken::Now(Outcome::Missed) } else { self.take_step(&due).await? };
            let step = Stepped { fired: due.fired, step: due.step, name: due.name };
            match taken {
                Taken::Now(outcome) => self.write_stepped(step, outcome).await?,
                Taken::Then(doing) => {
                    self.write_stepped(step, Outcome::Done).await?;
                    match doing {
                        Doing::Say(text) => self.say(None, text),
                        Doing::Play(overlay, sound) => {
                            let desk = self.channel.desk();
                            self.hub.play(overlay, &sound, if desk.muted { 0 } else { VOLUME });
                        }
                    }
                }
                Taken::Later => {}
            }
        }
        Ok(())
    }

    async fn write_stepped(&mut self, step: Stepped, outcome: Outcome) -> Result<(), EngineError> {
        let Stepped { fired, step, name } = step;
        let origin = Origin { source: format!("{CUE_SOURCE} steps"), id: format!("{fired}:{step}") };
        let now = self.context.clock.now();
        self.write_line(origin, now, Body::Stepped { fired, step, name, outcome }).await.map(drop)
    }

    /// Takes note of what came by itself and set a cue off, or not.
    pub(super) async fn write_timed_cue(&mut self, triggered: Triggered) -> Result<(), EngineError> {
        let Triggered { occasion, decided } = triggered;
        match decided {
            Ok(body) => self.write_by_itself(occasion.at, body).await,
            Err(why) => {
                self.channel.pass(occasion.at, occasion.cue);
                let Occasion { cue, at, about, .. } = occasion;
                self.hearing.stayed_quiet(Quiet { cue, at, about, why: why.to_string() });
                Ok(())
            }
        }
    }

    /// Reads the layouts on air, where a cue goes by them and they have changed.
    pub(super) async fn follow_layouts(&mut self) {
        let changed = self.layouts.has_changed().unwrap_or(false);
        let wanted = self.channel.cues().all.values().any(|cue| cue.on && cue.while_shown.is_some());
        if !wanted || (self.knows_layouts && !changed) {
            return;
        }
        self.layouts.mark_unchanged();
        let (store, id) = (self.context.store.clone(), self.id);
        // Where it cannot be read, the next look tries again.
        self.knows_layouts = match self.meanwhile(async move { store.overlays(id).await }).await {
            Ok(all) => {
                self.channel.set_layouts(all.into_iter().map(|record| (record.id, record.air)).collect());
                true
            }
            Err(_) => false,
        };
    }

    /// Writes firings that wait, together.
    async fn write_firings(&mut self) -> Result<(), EngineError> {
        let now = self.context.clock.now();
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
        let draft = Draft { origin, feed: None, happened_at: at, arrived_at: self.context.clock.now(), body };
        let row = EntryRow::of(self.id, &draft)?;
        Ok(self.append(vec![draft], vec![row]).await?.into_iter().flatten().next())
    }

    /// Does a step. What it writes has an origin of its own, so that it is done once, whatever happens in between.
    async fn take_step(&mut self, due: &Due) -> Result<Taken, EngineError> {
        let by = format!("the cue “{}”", due.name);
        let id = format!("{}:{}", due.fired, due.step);
        let done = match &due.what.what {
            Do::Press { widget, action, value, text, side } => {
                let (widget, action, value, text, side) = (*widget, action.clone(), *value, text.clone(), *side);
                let source = CUE_SOURCE.to_owned();
                let pressed = Pressed { widget, action, value, text, side, pressed_at: None, by, source, id };
                self.record(pressed.command()).await
            }
            Do::Appear { overlay, piece, shown } => self.step_appear((*overlay, *piece, *shown), by, id).await,
            Do::Sound { overlay, sound } => {
                return Ok(Taken::Then(Doing::Play(*overlay, sound.clone())));
            }
            Do::Air { on } => self.record(commands::air(*on, CUE_SOURCE, By { name: by, id })).await,
            Do::Say { text } => return Ok(self.step_say(due, text)),
            Do::Call { address } => return Ok(self.step_call(due, address)),
        };
        match done {
            Ok(_) => Ok(Taken::Now(Outcome::Done)),
            // What is to be seen and is seen already is as it should be; so is what is hidden, and on air.
            Err(EngineError::Refused(Refusal::SoAlready(_))) => Ok(Taken::Now(Outcome::Done)),
            Err(EngineError::Away) => Err(EngineError::Away),
            Err(error) => Ok(Taken::Now(Outcome::Failed(error.to_string()))),
        }
    }

    fn step_say(&self, due: &Due, text: &str) -> Taken {
        let failed = |why: String| Taken::Now(Outcome::Failed(why));
        if text.is_empty() {
            return failed("there is no line yet; write one".into());
        }
        let name = due.person.as_deref().and_then(|person| self.channel.name_of(person)).unwrap_or_default();
        match self.channel.chat_line(text, &name, &due.about, self.context.clock.now()) {
            Ok(_) if !self.is_chat_joined() => failed("no chat is joined; wire one in Feeds".into()),
            Ok(line) if line.is_empty() => Taken::Now(Outcome::Done),
            Ok(line) => Taken::Then(Doing::Say(line)),
            Err(why) => failed(why),
        }
    }

    fn step_call(&mut self, due: &Due, address: &str) -> Taken {
        if address.is_empty() {
            return Taken::Now(Outcome::Failed("there is no address yet; write one".into()));
        }
        // Nothing of a rehearsal goes out.
        if self.context.keep.is_rehearsal() {
            return Taken::Now(Outcome::Done);
        }
        let name = due.person.as_deref().and_then(|person| self.channel.name_of(person));
        let body = serde_json::json!({
            "type": "cue.fired", "timestamp": due.at,
            "data": {"cue": due.name, "about": due.about, "supporter": name, "entry": due.fired, "step": due.step},
        });
        let (answer, answered) = oneshot::channel();
        let id = format!("cue_{}_{}_{}", self.id, due.fired, due.step);
        let (channel, address, body) = (self.id, address.to_owned(), body.to_string().into_bytes());
        if self.context.calls.try_send(Call { channel, id, address, body, answer }).is_err() {
            return Taken::Now(Outcome::Failed("too many calls are under way".into()));
        }
        self.cues.under_way.insert(due.fired);
        let step = Stepped { fired: due.fired, step: due.step, name: due.name.clone() };
        let hub = std::sync::Arc::clone(&self.hub);
        self.context.runtime.spawn(async move {
            let outcome = match tokio::time::timeout(CALL_PATIENCE, answered).await {
                Ok(Ok(Ok(()))) => Outcome::Done,
                Ok(Ok(Err(why))) => Outcome::Failed(why),
                Ok(Err(_)) => Outcome::Failed("nobody could make the call".into()),
                Err(_) => Outcome::Failed("it did not answer in time".into()),
            };
            hub.called(step, outcome).await;
        });
        Taken::Later
    }

    async fn step_appear(
        &mut self,
        (overlay, piece, shown): (u32, u32, bool),
        by: String,
        id: String,
    ) -> Result<Seq, EngineError> {
        let (store, channel) = (self.context.store.clone(), self.id);
        let kept = self.meanwhile(async move { store.overlay(channel, overlay).await }).await?;
        let (layout, pieces) = ((overlay, kept.air), BTreeSet::from([piece]));
        self.record(commands::appear(layout, pieces, shown, CUE_SOURCE, By { name: by, id })).await
    }

    /// Does something to the cues.
    pub(super) async fn edit_cues(&mut self, edit: CueEdit, offer: &Offer) -> Result<Option<u32>, EngineError> {
        let (cues, edited) = self.channel.cues().edited(edit, offer, self.context.clock.now())?;
        let (store, id, kept) = (self.context.store.clone(), self.id, cues.clone());
        self.meanwhile(async move { store.save_cues(id, kept).await }).await?;
        self.channel.set_cues(cues);
        Ok(edited)
    }

    /// Fires a cue by hand, which means it: only one that is gone does not.
    pub(super) async fn fire_cue(&mut self, cue: u32, By { name, id }: By) -> Result<Seq, EngineError> {
        let decide = move |channel: &Channel, now| {
            let about = format!("{name} pressed it");
            let occasion = Occasion { cue, cause: None, at: now, about, person: None, chain: None, by_hand: true };
            channel.decide_cue(&occasion).map_err(|_| Refusal::NotNow("there is no such cue"))
        };
        let command = commands::command(&format!("{CUE_SOURCE} by hand"), id, decide);
        self.record(command.asking(move |body| matches!(body, Body::Fired { cue: fired, .. } if *fired == cue))).await
    }
}
