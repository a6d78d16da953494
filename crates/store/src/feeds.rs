//! Wired-up origins of happenings.

use crate::mapping::{Mapping, Webhook};
use crate::schema::feeds;
pub use crate::wiring::{Chat, Poll, Wiring};
use crate::{Store, StoreError, Work};
use diesel::prelude::*;
use std::fmt;
use tally_core::record::ids::ChannelId;
use tally_core::time::Instant;

/// A feed with its secrets.
#[derive(Clone, PartialEq, Eq)]
pub struct Feed {
    /// Which.
    pub id: u32,
    /// Whose.
    pub channel_id: u32,
    /// How its owner calls it.
    pub name: String,
    /// The unguessable part of its address.
    pub token: String,
    /// `whsec_…`: what senders sign with.
    pub secret: String,
    /// The secret before the last rotation.
    pub previous_secret: Option<String>,
    /// Until when the previous secret is still good, microseconds of Unix time.
    pub previous_until_us: Option<i64>,
    /// Of which kind it is, and how it is wired.
    pub wiring: Wiring,
    /// Whether it stands still.
    pub paused: bool,
    /// Whether its owner has removed it. Its lines stay.
    pub removed: bool,
}

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

#[derive(Queryable, Selectable)]
#[diesel(table_name = feeds)]
struct FeedRow {
    id: u32,
    channel_id: u32,
    name: String,
    token: String,
    secret: String,
    previous_secret: Option<String>,
    previous_until_us: Option<i64>,
    wiring: Option<String>,
    paused: u8,
    removed: u8,
}

impl FeedRow {
    fn feed(self) -> Result<Feed, StoreError> {
        let wiring = match &self.wiring {
            // Wired before there was any other kind.
            None => Wiring::Webhook { expand_gifts: false },
            Some(wiring) => serde_json::from_str(wiring)
                .map_err(|error| StoreError::Unreadable(format!("feed {}: {error}", self.id)))?,
        };
        Ok(Feed {
            id: self.id,
            channel_id: self.channel_id,
            name: self.name,
            token: self.token,
            secret: self.secret,
            previous_secret: self.previous_secret,
            previous_until_us: self.previous_until_us,
            wiring,
            paused: self.paused != 0,
            removed: self.removed != 0,
        })
    }
}

fn json(wiring: &Wiring) -> Result<String, StoreError> {
    serde_json::to_string(wiring).map_err(|error| StoreError::Unreadable(error.to_string()))
}

impl Store {
    /// Makes a feed. Only a webhook uses its token and secret, but every feed has them.
    ///
    /// # Errors
    /// The database is away.
    pub fn create_feed(
        &self,
        channel: ChannelId,
        name: String,
        wiring: Wiring,
        token: String,
        secret: String,
    ) -> Work<Feed> {
        self.run(move |conn| {
            diesel::insert_into(feeds::table)
                .values((
                    feeds::channel_id.eq(channel.0),
                    feeds::name.eq(name),
                    feeds::kind.eq(wiring.kind()),
                    feeds::token.eq(&token),
                    feeds::secret.eq(secret),
                    feeds::wiring.eq(json(&wiring)?),
                ))
                .execute(conn)?;
            let row: FeedRow = feeds::table.filter(feeds::token.eq(token)).select(FeedRow::as_select()).first(conn)?;
            row.feed()
        })
    }

    /// A channel's feeds in the order in which they were made, removed ones too.
    ///
    /// # Errors
    /// The database is away.
    pub fn feeds(&self, channel: ChannelId) -> Work<Vec<Feed>> {
        self.run(move |conn| {
            let rows: Vec<FeedRow> = feeds::table
                .filter(feeds::channel_id.eq(channel.0))
                .order(feeds::id)
                .select(FeedRow::as_select())
                .load(conn)?;
            rows.into_iter().map(FeedRow::feed).collect()
        })
    }

    /// The feeds of all channels that must be kept going: neither paused nor removed.
    ///
    /// # Errors
    /// The database is away.
    pub fn feeds_to_run(&self) -> Work<Vec<Feed>> {
        self.run(move |conn| {
            let rows: Vec<FeedRow> = feeds::table
                .filter(feeds::removed.eq(0).and(feeds::paused.eq(0)))
                .filter(feeds::kind.eq_any(["chat", "poll", "rates", "stream", "list"]))
                .order(feeds::id)
                .select(FeedRow::as_select())
                .load(conn)?;
            // What is still being written is no reason to begin a feed anew.
            let in_force = |mut feed: Feed| {
                if let Some(mapping) = feed.wiring.mapping_mut() {
                    mapping.draft = None;
                }
                feed
            };
            rows.into_iter().map(|row| row.feed().map(in_force)).collect()
        })
    }

    /// The feed behind an address.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none, or it was removed.
    pub fn feed_by_token(&self, token: String) -> Work<Feed> {
        self.run(move |conn| {
            let row: FeedRow = feeds::table
                .filter(feeds::token.eq(token).and(feeds::removed.eq(0)))
                .select(FeedRow::as_select())
                .first(conn)?;
            row.feed()
        })
    }

    /// One feed of a channel.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the channel has no such feed.
    pub fn feed(&self, channel: ChannelId, feed: u32) -> Work<Feed> {
        self.run(move |conn| {
            let row: FeedRow = feeds::table
                .find(feed)
                .filter(feeds::channel_id.eq(channel.0))
                .select(FeedRow::as_select())
                .first(conn)?;
            row.feed()
        })
    }

    /// Changes the rules of a feed as they stand now. What `change` refuses is given back, and nothing is changed.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the channel has no such feed, or it has no rules.
    pub fn change_mapping(
        &self,
        channel: ChannelId,
        feed: u32,
        change: impl FnOnce(&mut Mapping) -> Result<(), String> + Send + 'static,
    ) -> Work<Result<(), String>> {
        self.run(move |conn| {
            conn.transaction(|conn| {
                let own = feeds::table.find(feed).filter(feeds::channel_id.eq(channel.0));
                let row: FeedRow = own.select(FeedRow::as_select()).for_update().first(conn)?;
                let mut feed = row.feed()?;
                if let Err(why) = change(feed.wiring.mapping_mut().ok_or(StoreError::NotFound)?) {
                    return Ok(Err(why));
                }
                let wiring = feeds::wiring.eq(json(&feed.wiring)?);
                diesel::update(feeds::table.find(feed.id)).set(wiring).execute(conn)?;
                Ok(Ok(()))
            })
        })
    }

    /// Changes one thing about a feed, and nothing besides: two changes at once are both made.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the channel has no such feed.
    pub fn change_feed(&self, channel: ChannelId, feed: u32, change: FeedChange) -> Work<()> {
        self.run(move |conn| {
            conn.transaction(|conn| {
                let own = feeds::table.find(feed).filter(feeds::channel_id.eq(channel.0));
                let row: FeedRow = own.select(FeedRow::as_select()).for_update().first(conn)?;
                let feed = row.feed()?;
                let this = diesel::update(feeds::table.find(feed.id));
                match change {
                    FeedChange::Pause => this.set(feeds::paused.eq(u8::from(!feed.paused))).execute(conn)?,
                    FeedChange::Remove => this.set(feeds::removed.eq(1)).execute(conn)?,
                    FeedChange::Readdress(token) => this.set(feeds::token.eq(token)).execute(conn)?,
                    FeedChange::Rotate { secret, previous_until } => this
                        .set((
                            feeds::previous_secret.eq(Some(feed.secret)),
                            feeds::previous_until_us.eq(Some(previous_until.timestamp_micros())),
                            feeds::secret.eq(secret),
                        ))
                        .execute(conn)?,
                    FeedChange::ExpandGifts => match feed.wiring {
                        Wiring::Webhook { expand_gifts } => {
                            let wiring = Wiring::Webhook { expand_gifts: !expand_gifts };
                            this.set(feeds::wiring.eq(json(&wiring)?)).execute(conn)?
                        }
                        _ => return Err(StoreError::NotFound),
                    },
                    FeedChange::Answer(webhook) => {
                        let wiring = Wiring::AnyWebhook(*webhook).with_rules_of(&feed.wiring);
                        this.set(feeds::wiring.eq(json(&wiring)?)).execute(conn)?
                    }
                    FeedChange::Edit { name, wiring } => {
                        let wiring = wiring.with_rules_of(&feed.wiring);
                        this.set((
                            feeds::name.eq(name),
                            feeds::kind.eq(wiring.kind()),
                            feeds::wiring.eq(json(&wiring)?),
                        ))
                        .execute(conn)?
                    }
                    FeedChange::Wire(wiring) => {
                        let wiring = wiring.with_rules_of(&feed.wiring);
                        this.set((feeds::kind.eq(wiring.kind()), feeds::wiring.eq(json(&wiring)?))).execute(conn)?
                    }
                };
                Ok(())
            })
        })
    }
}

/// One thing that is changed about a feed.
#[derive(Clone, PartialEq, Eq)]
pub enum FeedChange {
    /// It stands still, or goes on.
    Pause,
    /// It is gone; what came through it stays.
    Remove,
    /// Another address; the present one is void at once.
    Readdress(String),
    /// Another secret; the present one stays good for a while.
    Rotate {
        /// The new one.
        secret: String,
        /// How long the present one stays good.
        previous_until: Instant,
    },
    /// Of a webhook: whether a gift stands for its subscriptions too.
    ExpandGifts,
    /// It is called and wired otherwise.
    Edit {
        /// How its owner calls it.
        name: String,
        /// How it is wired.
        wiring: Wiring,
    },
    /// Of a webhook of any shape: who may send, and how it is answered. Its rules stay as they are.
    Answer(Box<Webhook>),
    /// It is wired otherwise. Its rules, if it has any, stay as they are.
    Wire(Wiring),
}
