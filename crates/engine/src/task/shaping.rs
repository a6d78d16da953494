//! What the owner decides: widgets, tried on the stage and put on air; settings.

use super::{NO_SNAPSHOT, PAGE, Task, levels};
use crate::error::EngineError;
use crate::orders::Shaping;
use std::collections::BTreeSet;
use tally_core::channel::DeskEdit;
use tally_core::look::LookEdit;
use tally_core::money::Currency;
use tally_core::money::conversion::Conversion;
use tally_core::record::entry::{ACT, VOID};
use tally_core::record::ids::{Seq, WidgetId};
use tally_core::record::refusal::Refusal;
use tally_core::record::settings::Settings;
use tally_core::time::Instant;
use tally_core::widgets::{Notable, Piece, Setup};
use tally_store::accounts::ChannelRecord;
use tally_store::widgets::{Converted, OwnWidget, Past, WidgetRecord};

/// What is kept as the words of a change of currency.
const CONVERTED: &str = "told its money in another currency";

impl Task {
    pub(super) async fn shape(&mut self, id: WidgetId, shaping: Shaping) -> Result<(), EngineError> {
        self.catch_up().await?;
        let widget = self.own(id).await?;
        match shaping {
            Shaping::Edit { key, text } => self.edit(widget, &key, &text).await,
            Shaping::PutOnAir => match self.channel.draft(id).map(Piece::setup) {
                Some(setup) => {
                    let setup = self.successor(id, setup)?;
                    self.change(widget, setup, None, "put it on air").await
                }
                None => Err(Refusal::NotNow("everything on the stage is on air already").into()),
            },
            Shaping::Discard => match self.channel.draft(id) {
                Some(_) => {
                    let setup = self.channel.widget(id).ok_or(EngineError::NotFound)?.setup();
                    self.change(widget, setup, None, "discarded what was tried").await
                }
                None => Err(Refusal::NotNow("nothing else is tried on the stage").into()),
            },
            Shaping::TakeBack => match self.take_back(id, widget).await? {
                Some(past) => {
                    let told = (past.setup.clone(), past.draft.clone());
                    let (setup, draft) = self.in_present_currency(past);
                    let setup = self.successor(id, setup)?;
                    // What lies this far back was told in another currency, or does not remember what held since.
                    if (&setup, &draft) != (&told.0, &told.1) {
                        let (store, setup, draft) = (self.context.store.clone(), setup.clone(), draft.clone());
                        self.meanwhile(async move { store.replace_setup(widget, setup, draft).await }).await?;
                    }
                    self.replace(id, setup, draft).await
                }
                None => Err(Refusal::NotNow("there is nothing to take back").into()),
            },
            Shaping::Archive => self.archive(widget).await,
            Shaping::Restore => self.restore(widget).await,
        }
    }

    async fn edit(&mut self, widget: OwnWidget, key: &str, text: &str) -> Result<(), EngineError> {
        let id = widget.id();
        let air = self.channel.widget(id).ok_or(EngineError::NotFound)?.setup();
        let staged = self.channel.staged(id).ok_or(EngineError::NotFound)?;
        self.channel.looks().check(key, text)?;
        let (edited, _) = staged.edited(key, text, &self.channel.scope(self.context.clock.now()))?;
        if edited.setup() == staged.setup() {
            return Ok(());
        }
        let setup = self.successor(id, edited.setup())?;
        let words = said(key);
        match self.edits_at_once {
            true => self.change(widget, setup, None, &words).await,
            false if setup == air => self.change(widget, air, None, &words).await,
            false => self.change(widget, air, Some(setup), &words).await,
        }
    }

    /// Notes in the record that a widget on air is another one from now on. How it looks is nothing to note.
    async fn note_change(&mut self, id: WidgetId, setup: &Setup) -> Result<(), EngineError> {
        let on_air = self.channel.widget(id).ok_or(EngineError::NotFound)?.definition();
        if setup.definition == on_air { Ok(()) } else { self.note(Some(id), Notable::Changed).await }
    }

    /// What a widget was before its newest change, taken out of its past.
    async fn take_back(&mut self, id: WidgetId, widget: OwnWidget) -> Result<Option<Past>, EngineError> {
        let store = self.context.store.clone();
        let past = self.meanwhile(async move { store.widget_past(widget).await }).await?;
        if let Some(past) = past {
            self.note_change(id, &past.setup).await?;
        }
        let store = self.context.store.clone();
        Ok(self.meanwhile(async move { store.take_back_setup(widget).await }).await?)
    }

    async fn set_archived(&mut self, widget: OwnWidget, archived: bool) -> Result<(), EngineError> {
        let store = self.context.store.clone();
        Ok(self.meanwhile(async move { store.archive_widget(widget, archived).await }).await?)
    }

    /// A widget, if it is the channel's own.
    async fn own(&mut self, id: WidgetId) -> Result<OwnWidget, EngineError> {
        let (store, channel) = (self.context.store.clone(), self.id);
        Ok(self.meanwhile(async move { store.own_widget(channel, id).await }).await?)
    }

    /// The channel's widgets, with those in the archive.
    async fn all_widgets(&mut self) -> Result<Vec<WidgetRecord>, EngineError> {
        let (store, channel) = (self.context.store.clone(), self.id);
        Ok(self.meanwhile(async move { store.widgets(channel).await }).await?)
    }

    /// A setup that takes the place of the one on air.
    fn successor(&self, id: WidgetId, setup: Setup) -> Result<Setup, EngineError> {
        let piece = self.channel.widget(id).ok_or(EngineError::NotFound)?;
        Ok(piece.succeeded_by(setup, self.context.clock.now()))
    }

    /// Keeps another setup and draft with what they were before, and shows them.
    async fn change(
        &mut self,
        widget: OwnWidget,
        setup: Setup,
        draft: Option<Setup>,
        words: &str,
    ) -> Result<(), EngineError> {
        let id = widget.id();
        let on_air = self.channel.widget(id).ok_or(EngineError::NotFound)?.setup();
        self.note_change(id, &setup).await?;
        let before = Past {
            setup: on_air,
            draft: self.channel.draft(id).map(Piece::setup),
            words: words.to_owned(),
            currency: Some(self.channel.settings().currency),
        };
        let (store, kept, tried) = (self.context.store.clone(), setup.clone(), draft.clone());
        self.meanwhile(async move { store.save_setup(widget, kept, tried, before).await }).await?;
        self.replace(id, setup, draft).await
    }

    /// What a widget was before, as it would be told in the channel's present currency.
    fn in_present_currency(&self, past: Past) -> (Setup, Option<Setup>) {
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
    async fn replace(&mut self, id: WidgetId, setup: Setup, draft: Option<Setup>) -> Result<(), EngineError> {
        if self.channel.widget(id).is_none_or(|piece| piece.setup() != setup) {
            let piece = self.with(id, setup).await?;
            self.channel.put(id, piece);
            self.kept_at = NO_SNAPSHOT;
            // What is reached by being changed is no celebration.
            self.watches.remove(&id);
        }
        let draft = match draft {
            Some(setup) => Some(self.with(id, setup).await?),
            None => None,
        };
        self.channel.try_out(id, draft);
        self.rehearse_as_staged(id);
        self.pace.touch([id]);
        Ok(())
    }

    /// A widget with another setup and the state that belongs to it.
    pub(super) async fn with(&mut self, id: WidgetId, setup: Setup) -> Result<Piece, EngineError> {
        let old = self.channel.staged(id).ok_or(EngineError::NotFound)?;
        let (piece, refold) = old.with(setup);
        if refold { self.refold(id, &piece).await } else { Ok(piece) }
    }

    /// A widget with all that the ledger holds of it folded in anew.
    async fn refold(&mut self, id: WidgetId, piece: &Piece) -> Result<Piece, EngineError> {
        let mut fresh = piece.emptied();
        let mut after = Seq(0);
        let acts_alone = fresh.notes() == 0;
        loop {
            let (keep, channel) = (self.context.keep.clone(), self.id);
            let kinds = acts_alone.then(|| vec![ACT, VOID]);
            let entries = self.meanwhile(async move { keep.entries_after(channel, kinds, after, PAGE).await }).await?;
            let Some(last) = entries.last() else { return Ok(fresh) };
            after = last.seq;
            for entry in &entries {
                self.channel.replay(&mut fresh, id, entry);
            }
        }
    }

    pub(super) async fn create(&mut self, setup: Setup, page_token: String) -> Result<WidgetId, EngineError> {
        self.catch_up().await?;
        let (store, id) = (self.context.store.clone(), self.id);
        let record = self.meanwhile(async move { store.create_widget(id, setup, page_token).await }).await?;
        self.channel.put(record.id, record.setup.unfolded());
        self.tokens.insert(record.id, record.page_token);
        self.show_anew(record.id);
        Ok(record.id)
    }

    async fn archive(&mut self, widget: OwnWidget) -> Result<(), EngineError> {
        let id = widget.id();
        self.channel.widget(id).ok_or(EngineError::NotFound)?;
        self.set_archived(widget, true).await?;
        self.channel.take_away(id);
        self.hub.take_down(id);
        self.kept_at = NO_SNAPSHOT;
        self.end_rehearsal();
        Ok(())
    }

    async fn restore(&mut self, widget: OwnWidget) -> Result<(), EngineError> {
        let id = widget.id();
        let all = self.all_widgets().await?;
        let record = all.into_iter().find(|one| one.id == id && one.archived).ok_or(EngineError::NotFound)?;
        self.set_archived(widget, false).await?;
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
        // Its address holds as soon as whoever asked for it hears that it is there.
        self.register(id);
        self.pace.touch([id]);
    }

    /// Lets a widget be seen at its address.
    pub(super) fn register(&self, id: WidgetId) {
        self.hub.register(id, self.tokens.get(&id).map_or("", String::as_str));
    }

    pub(super) async fn change_settings(&mut self, mut record: ChannelRecord) -> Result<(), EngineError> {
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
        self.record_levels(Instant::MAX_UTC).await;
        let (settings, air, at_once) = (record.settings.clone(), record.air_signals.clone(), record.edits_at_once);
        let levels = levels::of(record.level_gap_s);
        let (store, kept) = (self.context.store.clone(), converted.clone());
        self.note(None, Notable::Changed).await?;
        record.cues = self.channel.converted_cues(after);
        let cues = record.cues.clone();
        self.meanwhile(async move { store.save_settings(record, kept).await }).await?;
        self.channel.set_settings(settings);
        self.channel.set_cues(cues);
        for one in converted.into_iter().filter(|one| on_shelf.contains(&one.id)) {
            self.replace(one.id, one.setup, one.draft).await?;
        }
        self.end_rehearsal();
        (self.air, self.edits_at_once, self.levels) = (air, at_once, levels);
        self.kept_at = NO_SNAPSHOT;
        let all: Vec<WidgetId> = self.channel.widgets().map(|(id, _)| id).collect();
        self.pace.touch(all);
        self.pulse_soon();
        Ok(())
    }

    pub(super) async fn edit_desk(&mut self, edit: DeskEdit) -> Result<Option<u32>, EngineError> {
        let (desk, new) = self.channel.edited_desk(edit, self.context.clock.now())?;
        let (store, id, kept) = (self.context.store.clone(), self.id, desk.clone());
        self.meanwhile(async move { store.save_desk(id, kept).await }).await?;
        self.channel.set_desk(desk);
        // Plates carry their keys, which go by their places.
        let all: Vec<WidgetId> = self.channel.widgets().map(|(id, _)| id).collect();
        self.pace.touch(all);
        Ok(new)
    }

    pub(super) async fn edit_looks(&mut self, edit: LookEdit) -> Result<Option<u32>, EngineError> {
        let (looks, edited) = self.channel.looks().edited(edit)?;
        let (store, id, kept) = (self.context.store.clone(), self.id, looks.clone());
        self.meanwhile(async move { store.save_looks(id, kept).await }).await?;
        let touched = self.channel.set_looks(looks);
        for id in &touched {
            self.rehearse_as_staged(*id);
        }
        self.pace.touch(touched);
        Ok(edited)
    }

    /// What becomes of the widgets in another currency. Going back, whatever was not changed since is what
    /// it was, to the penny.
    async fn converted(&mut self, into: Currency, goes_back: bool) -> Result<Vec<Converted>, EngineError> {
        let was = self.channel.settings().currency;
        let Some(by) = self.channel.conversion(into) else { return Ok(Vec::new()) };
        let mut all = Vec::new();
        // Those in the archive too: they may come back.
        for widget in self.all_widgets().await? {
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
            let own = self.own(id).await?;
            let store = self.context.store.clone();
            let newest = match goes_back {
                true => self.meanwhile(async move { store.widget_past(own).await }).await?,
                false => None,
            };
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
        let widget = self.own(id).await?;
        let (store, token) = (self.context.store.clone(), page_token.clone());
        self.meanwhile(async move { store.save_page_token(widget, token).await }).await?;
        self.tokens.insert(id, page_token);
        self.register(id);
        self.pace.touch([id]);
        Ok(old)
    }
}

/// What an edit is called where it can be taken back.
fn said(key: &str) -> String {
    let plain = |word: &str| word.replace('_', " ");
    match key.split(':').collect::<Vec<_>>().as_slice() {
        ["css"] => "changed the CSS".into(),
        ["own"] => "put the look back".into(),
        ["part", part, "all"] => format!("put the {part} back"),
        ["part", part, token] => format!("changed {} of the {part}", plain(token)),
        _ => format!("changed {}", plain(key.rsplit(['.', ':']).next().unwrap_or(key))),
    }
}
