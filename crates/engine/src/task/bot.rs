//! The bot at work: notices are said when they are due. Answers to commands go out as they are asked, see `said.rs`.

use super::Task;
use crate::error::EngineError;
use rand::Rng;
use tally_core::bot::BotEdit;
use tally_core::time::Instant;
use tally_core::widgets::Piece;

/// A number below another, by lot.
pub(super) fn lot(below: usize) -> usize {
    if below < 2 { 0 } else { rand::rng().random_range(0..below) }
}

impl Task {
    /// Does something to what is said in chat.
    pub(super) async fn edit_bot(&mut self, edit: BotEdit) -> Result<(), EngineError> {
        let now = self.inner.clock.now();
        let bot = self.channel.bot().edited(edit, &self.channel.texts(None, now))?;
        let (store, id, kept) = (self.inner.store.clone(), self.id, bot.clone());
        self.meanwhile(async move { store.save_bot(id, kept).await }).await?;
        self.channel.set_bot(bot, now, lot);
        self.show_notice();
        Ok(())
    }

    /// When the next notice is due, if it waits for nothing but the time.
    pub(super) fn notice_next(&self) -> Option<Instant> {
        let around = self.channel.around_notices(self.hub.is_chat_joined());
        self.channel.talk().due(self.channel.bot(), around)
    }

    /// Says the notice that is due.
    pub(super) fn say_notices(&mut self) {
        let now = self.inner.clock.now();
        if self.notice_next().is_none_or(|at| now < at) {
            return;
        }
        let Some((place, text)) = self.channel.notice(self.hub.is_chat_joined(), now, lot) else { return };
        if place.is_in_chat() {
            self.hub.say(None, text);
        }
        self.show_notice();
    }

    /// Tickers show the notice of the moment.
    fn show_notice(&mut self) {
        let tickers = self.channel.widgets().filter(|(_, piece)| matches!(piece, Piece::Ticker(_)));
        let tickers: Vec<_> = tickers.map(|(id, _)| id).collect();
        self.pace.touch(tickers);
    }
}
