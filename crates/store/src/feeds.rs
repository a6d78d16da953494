//! Wired-up origins of happenings.

use crate::schema::feeds;
use crate::{Store, StoreError};
use diesel::prelude::*;
use std::fmt;
use tally_core::Instant;
use tally_core::ids::ChannelId;

/// A feed with its secrets.
#[derive(Clone, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = feeds)]
pub struct Feed {
    /// Which.
    pub id: u32,
    /// Whose.
    pub channel_id: u32,
    /// How its owner calls it.
    pub name: String,
    /// `webhook`.
    pub kind: String,
    /// The unguessable part of its address.
    pub token: String,
    /// `whsec_…`: what senders sign with.
    pub secret: String,
    /// The secret before the last rotation.
    pub previous_secret: Option<String>,
    /// Until when the previous secret is still good, microseconds of Unix time.
    pub previous_until_us: Option<i64>,
}

/// Secrets and tokens never reach a log by way of `{:?}`.
impl fmt::Debug for Feed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Feed").field("id", &self.id).field("name", &self.name).finish_non_exhaustive()
    }
}

impl Feed {
    /// The secrets that are good at an instant, newest first.
    #[must_use]
    pub fn secrets(&self, now: Instant) -> Vec<&str> {
        let previous = self
            .previous_secret
            .as_deref()
            .filter(|_| self.previous_until_us.is_some_and(|until| now.timestamp_micros() < until));
        std::iter::once(self.secret.as_str()).chain(previous).collect()
    }
}

impl Store {
    /// Makes a webhook feed.
    ///
    /// # Errors
    /// The database is away.
    pub async fn create_feed(
        &self,
        channel: ChannelId,
        name: String,
        token: String,
        secret: String,
    ) -> Result<Feed, StoreError> {
        self.run(move |conn| {
            diesel::insert_into(feeds::table)
                .values((
                    feeds::channel_id.eq(channel.0),
                    feeds::name.eq(name),
                    feeds::kind.eq("webhook"),
                    feeds::token.eq(&token),
                    feeds::secret.eq(secret),
                ))
                .execute(conn)?;
            Ok(feeds::table.filter(feeds::token.eq(token)).select(Feed::as_select()).first(conn)?)
        })
        .await
    }

    /// A channel's feeds in the order in which they were made.
    ///
    /// # Errors
    /// The database is away.
    pub async fn feeds(&self, channel: ChannelId) -> Result<Vec<Feed>, StoreError> {
        self.run(move |conn| {
            Ok(feeds::table
                .filter(feeds::channel_id.eq(channel.0))
                .order(feeds::id)
                .select(Feed::as_select())
                .load(conn)?)
        })
        .await
    }

    /// The feed behind an address.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub async fn feed_by_token(&self, token: String) -> Result<Feed, StoreError> {
        self.run(move |conn| Ok(feeds::table.filter(feeds::token.eq(token)).select(Feed::as_select()).first(conn)?))
            .await
    }

    /// Gives a feed a new secret; the present one stays good until `until`.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the channel has no such feed.
    pub async fn rotate_secret(
        &self,
        channel: ChannelId,
        feed: u32,
        secret: String,
        until: Instant,
    ) -> Result<Feed, StoreError> {
        self.run(move |conn| {
            let old: Feed = feeds::table
                .find(feed)
                .filter(feeds::channel_id.eq(channel.0))
                .select(Feed::as_select())
                .first(conn)?;
            diesel::update(feeds::table.find(feed))
                .set((
                    feeds::secret.eq(secret),
                    feeds::previous_secret.eq(Some(old.secret)),
                    feeds::previous_until_us.eq(Some(until.timestamp_micros())),
                ))
                .execute(conn)?;
            Ok(feeds::table.find(feed).select(Feed::as_select()).first(conn)?)
        })
        .await
    }
}
