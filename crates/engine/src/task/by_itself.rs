//! What widgets do by themselves: written into the ledger at the instant at which it was due, before anything that
//! comes later, so that the record tells what was seen on air.

use super::Task;
use super::record::Committed;
use crate::error::EngineError;
use crate::orders::Scheduling;
use chrono::TimeDelta;
use tally_core::channel::{AirEdit, Triggered};
use tally_core::record::entry::{BY_ITSELF, Body, Draft, Origin};
use tally_core::record::ids::WidgetId;
use tally_core::time::{Instant, after};
use tally_core::widgets::Notable;
use tally_store::rows::EntryRow;

/// How long a database that is away is left alone with it. Whatever is written meanwhile writes this first.
const REST: TimeDelta = TimeDelta::seconds(2);

impl Task {
    /// Writes all that is due by an instant.
    pub(super) async fn write_due(&mut self, until: Instant) -> Result<(), EngineError> {
        while let Some((_, due)) = self.next_by_itself(until) {
            self.write_next(due).await?;
        }
        Ok(())
    }

    /// What comes by itself next, by an instant, and when. A cue goes by what stood at its instant, before a widget does what is
    /// due then.
    pub(super) fn next_by_itself(&self, until: Instant) -> Option<(Instant, ByItself)> {
        let (due, timed) = (self.channel.due(until), self.channel.comes_by_itself(until));
        match (due, timed) {
            (due, Some(triggered)) if due.as_ref().is_none_or(|(at, _)| triggered.occasion.at <= *at) => {
                Some((triggered.occasion.at, ByItself::Cue(Box::new(triggered))))
            }
            (Some((at, body)), _) => Some((at, ByItself::Widget(at, Box::new(body)))),
            (None, _) => None,
        }
    }

    /// Writes what comes by itself next.
    pub(super) async fn write_next(&mut self, next: ByItself) -> Result<(), EngineError> {
        match next {
            ByItself::Cue(triggered) => self.write_timed_cue(*triggered).await,
            ByItself::Widget(at, body) => self.write_by_itself(at, *body).await,
        }
    }

    /// The same when nothing else is to be written, as soon as the database is there for it.
    pub(super) async fn write_due_when_idle(&mut self) {
        let now = self.context.clock.now();
        let is_due = || self.channel.due(now).is_some() || self.channel.comes_by_itself(now).is_some();
        if self.due_from.is_some_and(|from| now < from) || !is_due() {
            return;
        }
        self.due_from = None;
        if let Err(error) = self.write_due(now).await {
            tracing::warn!(%error, channel = %self.id, "what a widget did by itself could not be recorded yet");
            self.due_from = Some(after(now, REST));
        }
    }

    /// Goes on air and off by itself in another way.
    pub(super) async fn edit_air(&mut self, edit: AirEdit) -> Result<(), EngineError> {
        let rules = self.channel.air_rules().edited(edit, self.context.clock.now());
        let (store, id, kept) = (self.context.store.clone(), self.id, rules.clone());
        self.meanwhile(async move { store.save_air_rules(id, kept).await }).await?;
        self.channel.set_air_rules(rules);
        Ok(())
    }

    /// Goes on air by another calendar, or by the same as it stands now.
    pub(super) async fn schedule(&mut self, scheduling: Scheduling) -> Result<(), EngineError> {
        let Scheduling { instead_of, kept, schedule } = scheduling;
        let (store, id) = (self.context.store.clone(), self.id);
        let edit = match instead_of {
            Some(before) => {
                let reading = store.clone();
                if self.meanwhile(async move { reading.schedule(id).await }).await? != before {
                    return Ok(());
                }
                AirEdit::Plan(schedule)
            }
            None => AirEdit::Schedule(schedule),
        };
        let rules = self.channel.air_rules().edited(edit, self.context.clock.now());
        let kept_rules = rules.clone();
        self.meanwhile(async move { store.save_schedule(id, kept, kept_rules).await }).await?;
        self.channel.set_air_rules(rules);
        Ok(())
    }

    /// When the channel may go on air or off by itself next; not before a failure is over.
    pub(super) fn air_next(&self) -> Option<Instant> {
        let now = self.context.clock.now();
        self.channel.air_next(now).max(self.due_from.filter(|from| now < *from))
    }

    /// Notes what bears on widgets, of one or of all.
    pub(super) async fn note(&mut self, widget: Option<WidgetId>, what: Notable) -> Result<(), EngineError> {
        let now = self.context.clock.now();
        if what == Notable::Changed {
            self.write_due(now).await?;
        }
        for body in self.channel.noting(widget, what, now) {
            self.write_by_itself(now, body).await?;
        }
        Ok(())
    }

    /// Notes when the server was away.
    pub(super) async fn note_absences(&mut self) -> Result<(), EngineError> {
        let newest = self.channel.roll().last().map(|line| line.arrived_at);
        let (store, since) = (self.context.store.clone(), newest.unwrap_or(Instant::UNIX_EPOCH));
        let absences = self.meanwhile(async move { store.absences_since(since).await }).await?;
        for (from, until) in absences {
            self.note(None, Notable::Away { from, until }).await?;
        }
        Ok(())
    }

    pub(super) async fn write_by_itself(&mut self, at: Instant, body: Body) -> Result<(), EngineError> {
        let now = self.context.clock.now();
        let id = format!("{}:{}", at.timestamp_micros(), self.channel.last_seq().next());
        let origin = Origin { source: BY_ITSELF.into(), id };
        let draft = Draft { origin, feed: None, happened_at: at, arrived_at: now, body };
        let row = EntryRow::of(self.id, &draft)?;
        let before = self.channel.last_seq();
        self.catch_up().await?;
        if self.channel.last_seq() != before {
            // Something was written meanwhile, so it may not be due any more.
            return Ok(());
        }
        let written = self.commit(vec![draft], vec![row]).await?;
        if matches!(written, Committed::Written(places) if places.iter().all(Option::is_none)) {
            // It stands there already: it was written late, after nobody waited for it any more. What is read now moves on.
            self.behind = true;
            self.catch_up().await?;
            if self.channel.last_seq() == before {
                return Err(EngineError::Away);
            }
        }
        Ok(())
    }
}

/// Something that comes by itself.
pub(super) enum ByItself {
    /// A cue fires, or stays quiet.
    Cue(Box<Triggered>),
    /// A widget does something.
    Widget(Instant, Box<Body>),
}
