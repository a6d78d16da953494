//! What goes out of channels: the bot, the secret of calls, and the page that lists commands.

use crate::schema::outgoing;
use crate::{Store, StoreError, Work};
use diesel::prelude::*;
use tally_core::bot::Bot;
use tally_core::record::ids::ChannelId;

/// A channel has a row here as soon as anything is kept of it.
fn begin(conn: &mut MysqlConnection, id: ChannelId) -> Result<(), StoreError> {
    diesel::insert_or_ignore_into(outgoing::table).values(outgoing::channel_id.eq(id.0)).execute(conn)?;
    Ok(())
}

impl Store {
    /// What a channel's bot says.
    ///
    /// # Errors
    /// The database is away.
    pub fn bot(&self, id: ChannelId) -> Work<Bot> {
        self.run(move |conn| {
            let kept: Option<String> = outgoing::table.find(id.0).select(outgoing::bot).first(conn).optional()?;
            let unreadable = |_| StoreError::Unreadable(format!("channel {id}: bot"));
            kept.map_or_else(|| Ok(Bot::default()), |kept| serde_json::from_str(&kept).map_err(unreadable))
        })
    }

    /// Keeps that.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_bot(&self, id: ChannelId, bot: Bot) -> Work<()> {
        self.run(move |conn| {
            let bot = serde_json::to_string(&bot).map_err(|error| StoreError::Unreadable(error.to_string()))?;
            begin(conn, id)?;
            diesel::update(outgoing::table.find(id.0)).set(outgoing::bot.eq(bot)).execute(conn)?;
            Ok(())
        })
    }

    /// The secret with which a channel's calls are signed. Where there is none yet, this one is.
    ///
    /// # Errors
    /// The database is away.
    pub fn call_secret(&self, id: ChannelId, fresh: String) -> Work<String> {
        self.run(move |conn| {
            begin(conn, id)?;
            let none = outgoing::table.find(id.0).filter(outgoing::call_secret.eq(""));
            diesel::update(none).set(outgoing::call_secret.eq(fresh)).execute(conn)?;
            Ok(outgoing::table.find(id.0).select(outgoing::call_secret).first(conn)?)
        })
    }

    /// Gives the page that lists a channel's commands an address, or takes it away with an empty one.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_commands_token(&self, id: ChannelId, token: String) -> Work<()> {
        self.run(move |conn| {
            begin(conn, id)?;
            diesel::update(outgoing::table.find(id.0)).set(outgoing::commands_token.eq(token)).execute(conn)?;
            Ok(())
        })
    }

    /// The address of that page; empty where there is none.
    ///
    /// # Errors
    /// The database is away.
    pub fn commands_token(&self, id: ChannelId) -> Work<String> {
        self.run(move |conn| {
            let kept = outgoing::table.find(id.0).select(outgoing::commands_token).first(conn).optional()?;
            Ok(kept.unwrap_or_default())
        })
    }

    /// The channel whose commands stand at an address.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn channel_by_commands_token(&self, token: String) -> Work<ChannelId> {
        self.run(move |conn| {
            let own = outgoing::table.filter(outgoing::commands_token.eq(&token).and(outgoing::commands_token.ne("")));
            Ok(ChannelId(own.select(outgoing::channel_id).first(conn)?))
        })
    }
}
