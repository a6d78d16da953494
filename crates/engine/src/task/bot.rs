//! The bot at work: notices are said when they are due. Answers to commands go out as they are asked, see `said.rs`.

use super::Task;
use crate::error::EngineError;
use rand::Rng;
use tally_core::book::chat::{ChatLine, Role};
use tally_core::bot::BotEdit;
use tally_core::channel::Spoken;
use tally_core::record::ids::FeedId;
use tally_core::time::Instant;

/// Who says in a rehearsal what would be said in chat.
const BOT: &str = "Eager Tally";

/// A number below another, by lot.
pub(crate) fn lot(below: usize) -> usize {
    if below < 2 { 0 } else { rand::rng().random_range(0..below) }
}

impl Task {
    /// Does something to what is said in chat.
    pub(super) async fn edit_bot(&mut self, edit: BotEdit) -> Result<(), EngineError> {
        let now = self.context.clock.now();
        let bot = self.channel.bot().edited(edit, &self.channel.texts(None, now))?;
        let (store, id, kept) = (self.context.store.clone(), self.id, bot.clone());
        self.meanwhile(async move { store.save_bot(id, kept).await }).await?;
        self.channel.set_bot(bot, now, lot);
        self.show_notice();
        Ok(())
    }

    /// When the next notice is due, if it waits for nothing but the time.
    pub(super) fn notice_next(&self) -> Option<Instant> {
        let around = self.channel.around_notices(self.is_chat_joined());
        self.channel.talk().due(self.channel.bot(), around)
    }

    /// Says the notice that is due.
    pub(super) fn say_notices(&mut self) {
        let now = self.context.clock.now();
        let Some((place, text)) = self.channel.notice(self.is_chat_joined(), now, lot) else { return };
        if place.is_in_chat() || text.is_err() {
            self.speak(None, text);
        }
        self.show_notice();
    }

    /// Says what the bot has to say; what cannot be said is told where it is seen.
    pub(super) fn speak(&mut self, feed: Option<FeedId>, text: Spoken) {
        match text {
            Ok(text) => self.say(feed, text),
            Err(why) => {
                self.hearing.unsaid(why, self.context.clock.now());
                self.pulse_soon();
            }
        }
    }

    /// Whether there is a chat in which can be spoken. A rehearsal has one of its own.
    pub(super) fn is_chat_joined(&self) -> bool {
        self.context.keep.is_rehearsal() || self.hub.is_chat_joined()
    }

    /// Says a line in the chat of a feed, or in all that are joined. In a rehearsal it is seen where chat is seen, and goes
    /// nowhere else.
    pub(super) fn say(&mut self, feed: Option<FeedId>, text: String) {
        if !self.context.keep.is_rehearsal() {
            // Where no chat is joined any more, there is nobody to hear it.
            let _ = self.hub.say(feed, text);
            return;
        }
        let at = self.context.clock.now();
        let line = ChatLine { at, name: BOT.into(), id: None, role: Role::Owner, subscriber: false, text };
        let touched = self.channel.show_chat(feed.unwrap_or(FeedId(0)), vec![line]);
        self.pace.touch(touched);
        self.pulse_soon();
    }

    /// Tickers show the notice of the moment.
    fn show_notice(&mut self) {
        let tickers = self.channel.widgets().filter(|(_, piece)| piece.follows_notices());
        let tickers: Vec<_> = tickers.map(|(id, _)| id).collect();
        self.pace.touch(tickers);
    }
}
