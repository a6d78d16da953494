//! Decide → commit → apply: how anything gets into the record.

use super::{PAGE, Task};
use crate::commands::{self, By};
use crate::error::EngineError;
use crate::orders::{Command, Ingested, IsAsked, Reply};
use tally_core::record::entry::{Body, Draft, Entry, Origin};
use tally_core::record::happening::Happening;
use tally_core::record::ids::Seq;
use tally_store::StoreError;
use tally_store::ledger::AppendError;
use tally_store::rows::{EntryRow, Namespace, origin_key};

/// What became of lines that were to be written.
pub(super) enum Committed {
    /// They stand there, at these places; none of those that are known already.
    Written(Vec<Option<Seq>>),
    /// Somebody else has written meanwhile.
    Behind(Vec<Draft>, Vec<EntryRow>),
}

impl Task {
    pub(super) async fn ingest(&mut self, group: Vec<(Vec<Draft>, Vec<EntryRow>, Reply<Ingested>)>) {
        let (mut all, mut all_rows, mut replies) = (Vec::new(), Vec::new(), Vec::with_capacity(group.len()));
        for (drafts, rows, reply) in group {
            let came = drafts.len();
            let (drafts, rows) = self.hear_levels(drafts, rows);
            replies.push((drafts.len(), came - drafts.len(), reply));
            all.extend(drafts);
            all_rows.extend(rows);
        }
        let signals: Vec<(usize, String)> = self.signals(&all);
        match self.append(all, all_rows).await {
            Ok(places) => {
                let new =
                    signals.into_iter().filter_map(|(index, name)| Some(((*places.get(index)?)?, name))).collect();
                self.follow_signals(new).await;
                let mut rest = places.as_slice();
                for (count, heard, reply) in replies {
                    let (mine, others) = rest.split_at(count.min(rest.len()));
                    rest = others;
                    let new = mine.iter().flatten().count();
                    let (accepted, duplicates) = (new + heard, count - new);
                    let ingested = Ingested { accepted, duplicates, last_seq: self.channel.last_seq() };
                    let _ = reply.send(Ok(ingested));
                }
            }
            Err(_) => {
                for (.., reply) in replies {
                    let _ = reply.send(Err(EngineError::Away));
                }
            }
        }
    }

    /// Which of these lines are signals that the channel follows, and what they are called.
    fn signals(&self, drafts: &[Draft]) -> Vec<(usize, String)> {
        let followed = |name: &str| !name.is_empty() && (name == self.air.on || name == self.air.off);
        let signal = |(index, draft): (usize, &Draft)| match &draft.body {
            Body::Happening(Happening::Signal { name, .. }) if followed(name) => Some((index, name.clone())),
            _ => None,
        };
        drafts.iter().enumerate().filter_map(signal).collect()
    }

    pub(super) async fn record(&mut self, command: Command) -> Result<Seq, EngineError> {
        self.catch_up().await?;
        let now = self.context.clock.now();
        self.write_due(now).await?;
        let Command { origin, happened_at, decide, is_asked } = command;
        let body = match decide(&self.channel, now) {
            Ok(body) => body,
            Err(refusal) => {
                // It may have been done already, and make no sense twice.
                let Some(is_asked) = is_asked else { return Err(refusal.into()) };
                return self.done_before(origin, &is_asked).await?.ok_or_else(|| refusal.into());
            }
        };
        let asked = origin.clone();
        let draft = Draft { origin, feed: None, happened_at: happened_at.unwrap_or(now), arrived_at: now, body };
        let row = EntryRow::of(self.id, &draft)?;
        // What was due by now is written: only where somebody else wrote meanwhile has it to be looked for again.
        let places = match self.commit(vec![draft], vec![row]).await? {
            Committed::Written(places) => places,
            Committed::Behind(drafts, rows) => self.append(drafts, rows).await?,
        };
        let place = places.into_iter().flatten().next();
        match (place, is_asked) {
            (Some(place), _) => Ok(place),
            (None, Some(is_asked)) => {
                Ok(self.done_before(asked, &is_asked).await?.unwrap_or_else(|| self.channel.last_seq()))
            }
            (None, None) => Ok(self.channel.last_seq()),
        }
    }

    /// The line that was written for an origin before, if it says what is asked now.
    async fn done_before(&mut self, origin: Origin, is_asked: &IsAsked) -> Result<Option<Seq>, EngineError> {
        let (keep, id, key) = (self.context.keep.clone(), self.id, origin_key(Namespace::Own, &origin));
        match self.meanwhile(async move { keep.entry_by_origin(id, key).await }).await {
            Ok(entry) if is_asked(&entry.body) => Ok(Some(entry.seq)),
            Ok(_) => Err(EngineError::KeyReused),
            Err(StoreError::NotFound) => Ok(None),
            Err(error) => Err(error.into()),
        }
    }

    /// Puts the channel on air, or takes it off, if one of these lines is a signal to do so.
    async fn follow_signals(&mut self, signals: Vec<(Seq, String)>) {
        for (seq, name) in signals {
            let by = By { name: format!("the signal “{name}”"), id: seq.to_string() };
            let command = commands::air(name == self.air.on, "signal", by);
            // On air already, or the database is away: then the next signal, or a hand, will do.
            if let Err(error) = self.record(command).await {
                tracing::info!(%error, channel = %self.id, "a signal changed nothing");
            }
        }
    }

    /// Makes drafts durable, then folds them in. Says which place each was given. What came by itself before one of them
    /// arrived is written before it, whoever writes: what is passed over here would never be looked at again.
    pub(super) async fn append(
        &mut self,
        mut drafts: Vec<Draft>,
        mut rows: Vec<EntryRow>,
    ) -> Result<Vec<Option<Seq>>, EngineError> {
        let mut places = Vec::with_capacity(rows.len());
        let mut tries = 0;
        while !rows.is_empty() {
            self.catch_up().await?;
            let arrived = drafts.iter().map(|draft| draft.arrived_at).max();
            let next = arrived.and_then(|arrived| self.next_by_itself(arrived));
            let ready = next
                .as_ref()
                .map_or(rows.len(), |(at, _)| drafts.iter().take_while(|draft| draft.arrived_at < *at).count());
            if ready == 0 {
                if let Some((_, next)) = next {
                    self.write_next(next).await?;
                }
                continue;
            }
            let (later_drafts, later_rows) = (drafts.split_off(ready), rows.split_off(ready));
            match self.commit(drafts, rows).await? {
                Committed::Written(given) => {
                    places.extend(given);
                    (drafts, rows) = (later_drafts, later_rows);
                }
                Committed::Behind(mut these, mut theirs) if tries < 2 => {
                    tries += 1;
                    these.extend(later_drafts);
                    theirs.extend(later_rows);
                    (drafts, rows) = (these, theirs);
                }
                Committed::Behind(..) => return Err(EngineError::Away),
            }
        }
        Ok(places)
    }

    /// Writes drafts as they are, and folds them in; gives them back where somebody else has written meanwhile.
    pub(super) async fn commit(&mut self, drafts: Vec<Draft>, rows: Vec<EntryRow>) -> Result<Committed, EngineError> {
        let (keep, id, after) = (self.context.keep.clone(), self.id, self.channel.last_seq());
        match self.meanwhile(async move { keep.append(id, after, rows).await }).await {
            Ok(places) => {
                for (draft, place) in drafts.into_iter().zip(&places) {
                    if let Some(seq) = place {
                        self.apply(&draft.at(*seq));
                    }
                }
                self.context.health.wrote();
                self.pulse_soon();
                Ok(Committed::Written(places))
            }
            Err(AppendError::Behind(rows)) => {
                self.behind = true;
                Ok(Committed::Behind(drafts, rows))
            }
            Err(AppendError::Away(_)) => {
                self.behind = true;
                self.context.health.could_not_write();
                Err(EngineError::Away)
            }
        }
    }

    fn apply(&mut self, entry: &Entry) {
        let touched = if self.lives {
            let (touched, triggered) = self.channel.apply_with_cues(entry);
            self.queue_triggered(triggered);
            touched
        } else {
            self.channel.apply(entry)
        };
        self.pace.touch(touched);
        if matches!(entry.body, Body::Cover { .. }) {
            self.hub.cover(self.channel.is_covered());
        }
        if matches!(entry.body, Body::Appear { .. }) {
            self.hub.overlays_changed();
        }
    }

    /// Folds in whatever the ledger holds beyond the present state.
    pub(super) async fn catch_up(&mut self) -> Result<(), EngineError> {
        while self.behind {
            let (keep, id, after) = (self.context.keep.clone(), self.id, self.channel.last_seq());
            let entries = self.meanwhile(async move { keep.entries_after(id, None, after, PAGE).await }).await?;
            self.behind = !entries.is_empty();
            for entry in &entries {
                self.apply(entry);
            }
        }
        Ok(())
    }
}
