//! What the owner decides: widgets, tried on the stage and put on air; settings.

use super::{NO_SNAPSHOT, PAGE, Task};
use crate::error::EngineError;
use crate::orders::Shaping;
use std::collections::BTreeSet;
use tally_core::conversion::Conversion;
use tally_core::entry::{ACT, VOID};
use tally_core::ids::{Seq, WidgetId};
use tally_core::money::Currency;
use tally_core::widgets::{Piece, Refusal, Settings, Setup};
use tally_store::accounts::ChannelRecord;
use tally_store::widgets::{Converted, Past};

/// What is kept as the words of a change of currency.
const CONVERTED: &str = "told its money in another currency";

impl Task {
    pub(super) async fn shape(&mut self, id: WidgetId, shaping: Shaping) -> Result<(), EngineError> {
        self.catch_up().await?;
        match shaping {
            Shaping::Edit { key, text } => self.edit(id, &key, &text).await,
            Shaping::PutOnAir => match self.channel.draft(id).map(Piece::setup) {
                Some(setup) => self.change(id, setup, None, "put it on air").await,
                None => Err(Refusal::NotNow("everything on the stage is on air already").into()),
            },
            Shaping::Discard => match self.channel.draft(id) {
                Some(_) => {
                    let setup = self.channel.widget(id).ok_or(EngineError::NotFound)?.setup();
                    self.change(id, setup, None, "discarded what was tried").await
                }
                None => Err(Refusal::NotNow("nothing else is tried on the stage").into()),
            },
            Shaping::TakeBack => match self.inner.store.take_back_setup(id).await? {
                Some(past) => {
                    let told = (past.setup.clone(), past.draft.clone());
                    let (setup, draft) = self.told_now(past);
                    // What lies this far back was told in another currency.
                    if (&setup, &draft) != (&told.0, &told.1) {
                        self.inner.store.replace_setup(id, setup.clone(), draft.clone()).await?;
                    }
                    self.take_up(id, setup, draft).await
                }
                None => Err(Refusal::NotNow("there is nothing to take back").into()),
            },
            Shaping::Archive => self.archive(id).await,
            Shaping::Restore => self.restore(id).await,
        }
    }

    async fn edit(&mut self, id: WidgetId, key: &str, text: &str) -> Result<(), EngineError> {
        let air = self.channel.widget(id).ok_or(EngineError::NotFound)?.setup();
        let staged = self.channel.staged(id).ok_or(EngineError::NotFound)?;
        let (edited, _) = staged.edited(key, text, &self.channel.scope(self.inner.clock.now()))?;
        let setup = edited.setup();
        if setup == staged.setup() {
            return Ok(());
        }
        let words = format!("changed {}", key.rsplit(['.', ':']).next().unwrap_or(key).replace('_', " "));
        match self.edits_at_once {
            true => self.change(id, setup, None, &words).await,
            false if setup == air => self.change(id, air, None, &words).await,
            false => self.change(id, air, Some(setup), &words).await,
        }
    }

    /// Keeps another setup and draft with what they were before, and shows them.
    async fn change(
        &mut self,
        id: WidgetId,
        setup: Setup,
        draft: Option<Setup>,
        words: &str,
    ) -> Result<(), EngineError> {
        let before = Past {
            setup: self.channel.widget(id).ok_or(EngineError::NotFound)?.setup(),
            draft: self.channel.draft(id).map(Piece::setup),
            words: words.to_owned(),
            currency: Some(self.channel.settings().currency),
        };
        self.inner.store.save_setup(id, setup.clone(), draft.clone(), before).await?;
        self.take_up(id, setup, draft).await
    }

    /// What a widget was before, as it would be told in the channel's present currency.
    fn told_now(&self, past: Past) -> (Setup, Option<Setup>) {
        let settings = self.channel.settings();
        let by = past.currency.filter(|was| *was != settings.currency);
        let by = by.map(|was| (Conversion::new(was, settings.currency, self.channel.book().rates()), was));
        let told = |setup: Setup| match &by {
            Some((by, was)) => {
                let mut piece = setup.unfolded();
                piece.convert(by, &Settings { currency: *was, ..settings.clone() });
                piece.setup()
            }
            None => setup,
        };
        (told(past.setup), past.draft.map(told))
    }

    /// Shows a widget with another setup and draft.
    async fn take_up(&mut self, id: WidgetId, setup: Setup, draft: Option<Setup>) -> Result<(), EngineError> {
        if self.channel.widget(id).is_none_or(|piece| piece.setup() != setup) {
            let piece = self.with(id, setup).await?;
            self.channel.put(id, piece);
            self.kept_at = NO_SNAPSHOT;
            // What is reached by being changed is no feast.
            self.watches.remove(&id);
        }
        let draft = match draft {
            Some(setup) => Some(self.with(id, setup).await?),
            None => None,
        };
        self.channel.try_out(id, draft);
        self.rehearse_as_staged(id);
        self.pace.touch([id]);
        self.set_alarm();
        Ok(())
    }

    /// A widget with another setup and the state that belongs to it.
    pub(super) async fn with(&self, id: WidgetId, setup: Setup) -> Result<Piece, EngineError> {
        let old = self.channel.staged(id).ok_or(EngineError::NotFound)?;
        let (piece, refold) = old.with(setup);
        if refold { self.refold(id, &piece).await } else { Ok(piece) }
    }

    /// A widget with all acts on it folded in anew.
    async fn refold(&self, id: WidgetId, piece: &Piece) -> Result<Piece, EngineError> {
        let mut fresh = piece.emptied();
        let mut after = Seq(0);
        loop {
            let acts = self.inner.store.entries_after(self.id, Some(vec![ACT, VOID]), after, PAGE).await?;
            let Some(last) = acts.last() else { return Ok(fresh) };
            after = last.seq;
            for entry in acts.iter().filter(|entry| entry.body.widget() == Some(id)) {
                fresh.apply(entry);
            }
        }
    }

    pub(super) async fn create(&mut self, setup: Setup, page_token: String) -> Result<WidgetId, EngineError> {
        self.catch_up().await?;
        let record = self.inner.store.create_widget(self.id, setup, page_token).await?;
        self.channel.put(record.id, record.setup.unfolded());
        self.tokens.insert(record.id, record.page_token);
        self.show_anew(record.id);
        Ok(record.id)
    }

    async fn archive(&mut self, id: WidgetId) -> Result<(), EngineError> {
        self.channel.widget(id).ok_or(EngineError::NotFound)?;
        self.inner.store.archive_widget(id, true).await?;
        self.channel.take_away(id);
        self.board.take_down(id);
        self.kept_at = NO_SNAPSHOT;
        self.end_rehearsal();
        self.set_alarm();
        Ok(())
    }

    async fn restore(&mut self, id: WidgetId) -> Result<(), EngineError> {
        let all = self.inner.store.widgets(self.id).await?;
        let record = all.into_iter().find(|one| one.id == id && one.archived).ok_or(EngineError::NotFound)?;
        self.inner.store.archive_widget(id, false).await?;
        let piece = self.refold(id, &record.setup.unfolded()).await?;
        self.channel.put(id, piece);
        if let Some(draft) = record.draft {
            let draft = self.with(id, draft).await?;
            self.channel.try_out(id, Some(draft));
        }
        self.show_anew(id);
        Ok(())
    }

    fn show_anew(&mut self, id: WidgetId) {
        self.end_rehearsal();
        self.kept_at = NO_SNAPSHOT;
        self.pace.touch([id]);
        self.set_alarm();
    }

    pub(super) async fn settle(&mut self, mut record: ChannelRecord) -> Result<(), EngineError> {
        self.catch_up().await?;
        let (before, after) = (self.channel.settings().currency, record.settings.currency);
        let goes_back = record.currency_before == Some(after);
        record.currency_before = match before == after {
            true => record.currency_before,
            false if goes_back => None,
            false => Some(before),
        };
        let converted = self.converted(after, goes_back).await?;
        let on_shelf: BTreeSet<WidgetId> = self.channel.widgets().map(|(id, _)| id).collect();
        let (settings, air, at_once) = (record.settings.clone(), record.air_signals.clone(), record.edits_at_once);
        self.inner.store.save_settings(record, converted.clone()).await?;
        self.channel.set_settings(settings);
        for one in converted.into_iter().filter(|one| on_shelf.contains(&one.id)) {
            self.take_up(one.id, one.setup, one.draft).await?;
        }
        self.end_rehearsal();
        (self.air, self.edits_at_once) = (air, at_once);
        self.kept_at = NO_SNAPSHOT;
        let all: Vec<WidgetId> = self.channel.widgets().map(|(id, _)| id).collect();
        self.pace.touch(all);
        self.set_alarm();
        self.pulse_soon();
        Ok(())
    }

    /// What becomes of the widgets in another currency. Going back, whatever was not changed since is what
    /// it was, to the penny.
    async fn converted(&self, into: Currency, goes_back: bool) -> Result<Vec<Converted>, EngineError> {
        let was = self.channel.settings().currency;
        let Some(by) = self.channel.conversion(into) else { return Ok(Vec::new()) };
        let mut all = Vec::new();
        // Those in the archive too: they may come back.
        for widget in self.inner.store.widgets(self.id).await? {
            let (id, now) = (widget.id, widget.setup.clone());
            let told = |setup: Setup| {
                let mut piece = setup.unfolded();
                piece.convert(&by, self.channel.settings());
                piece.setup()
            };
            let (setup, draft) = (told(widget.setup), widget.draft.clone().map(told));
            if setup == now && draft == widget.draft {
                continue;
            }
            let newest = if goes_back { self.inner.store.widget_past(id).await? } else { None };
            let untouched = newest.filter(|past| past.words == CONVERTED && past.currency == Some(into));
            all.push(match untouched {
                Some(past) => Converted { id, setup: past.setup, draft: past.draft, before: None },
                None => {
                    let words = CONVERTED.to_owned();
                    let before = Past { setup: now, draft: widget.draft, words, currency: Some(was) };
                    Converted { id, setup, draft, before: Some(before) }
                }
            });
        }
        Ok(all)
    }

    pub(super) async fn readdress(&mut self, id: WidgetId, page_token: String) -> Result<String, EngineError> {
        let old = self.tokens.get(&id).cloned().ok_or(EngineError::NotFound)?;
        self.inner.store.save_page_token(id, page_token.clone()).await?;
        self.tokens.insert(id, page_token);
        self.pace.touch([id]);
        Ok(old)
    }
}
