//! What the owner decides: widgets, settings; and rehearsing with them.

use super::{NO_SNAPSHOT, PAGE, Task};
use crate::error::EngineError;
use crate::orders::Rehearsed;
use tally_core::count::{Count, Verdict};
use tally_core::entry::{ACT, Body, Incoming, VOID};
use tally_core::ids::{FeedId, Seq, WidgetId};
use tally_core::widgets::{Definition, Piece};
use tally_store::accounts::ChannelRecord;

impl Task {
    pub(super) async fn edit(&mut self, id: WidgetId, key: &str, text: &str) -> Result<(), EngineError> {
        self.catch_up().await?;
        let piece = self.channel.widget(id).ok_or(EngineError::NotFound)?;
        let (edited, refold) = piece.edited(key, text, &self.channel.scope(self.inner.clock.now()))?;
        let edited = if refold { self.refold(id, &edited).await? } else { edited };
        self.inner.store.save_definition(id, edited.definition()).await?;
        self.channel.put(id, edited);
        self.end_rehearsal();
        self.kept_at = NO_SNAPSHOT;
        self.pace.touch([id]);
        self.set_alarm();
        Ok(())
    }

    /// A definition with all acts on it folded in anew.
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

    pub(super) async fn create(&mut self, definition: Definition, page_token: String) -> Result<WidgetId, EngineError> {
        self.catch_up().await?;
        let record = self.inner.store.create_widget(self.id, definition, page_token).await?;
        self.channel.put(record.id, record.definition.unfolded());
        self.end_rehearsal();
        self.kept_at = NO_SNAPSHOT;
        self.tokens.insert(record.id, record.page_token);
        self.pace.touch([record.id]);
        self.set_alarm();
        Ok(record.id)
    }

    pub(super) async fn settle(&mut self, record: ChannelRecord) -> Result<(), EngineError> {
        self.catch_up().await?;
        let (settings, air) = (record.settings.clone(), record.air_signals.clone());
        self.inner.store.save_settings(record, self.channel.retold(&settings)).await?;
        self.channel.set_settings(settings);
        self.end_rehearsal();
        self.air = air;
        self.kept_at = NO_SNAPSHOT;
        let all: Vec<WidgetId> = self.channel.widgets().map(|(id, _)| id).collect();
        self.pace.touch(all);
        self.set_alarm();
        self.pulse_soon();
        Ok(())
    }

    pub(super) async fn readdress(&mut self, id: WidgetId, page_token: String) -> Result<String, EngineError> {
        let old = self.tokens.get(&id).cloned().ok_or(EngineError::NotFound)?;
        self.inner.store.save_page_token(id, page_token.clone()).await?;
        self.tokens.insert(id, page_token);
        self.pace.touch([id]);
        Ok(old)
    }

    pub(super) fn rehearse(
        &mut self,
        widget: WidgetId,
        event: Incoming,
        feed: FeedId,
    ) -> Result<Rehearsed, EngineError> {
        let now = self.inner.clock.now();
        let channel = self.rehearsal.get_or_insert_with(|| self.channel.rehearsal());
        let before = channel.view(widget, now).ok_or(EngineError::NotFound)?.text();
        let entry = event.draft(feed, now).at(channel.last_seq().next());
        channel.apply(&entry);
        if let Body::Happening(happening) = &entry.body {
            self.hearing.rehearsed(Some((entry.happened_at, happening.clone())));
        }
        let (scope, settings, book) = (channel.scope(now), channel.settings(), channel.book());
        let judge = |count: Count| {
            let fact = book.find(entry.happened_at, entry.seq)?;
            Some(match count.judge(fact, scope.span(&count), book, settings) {
                Verdict::Counts(worth) => (count.unit(settings).show(worth), true),
                Verdict::LeftOut(reason) => (reason.words().to_owned(), false),
            })
        };
        let piece = channel.widget(widget).ok_or(EngineError::NotFound)?;
        Ok(Rehearsed {
            verdicts: piece.counts(settings).into_iter().filter_map(judge).collect(),
            before,
            view: piece.view(&scope),
            pages: self.board.pages_of(widget),
        })
    }

    fn end_rehearsal(&mut self) {
        self.rehearsal = None;
        self.hearing.rehearsed(None);
    }
}
