//! Channels, the people who sign in, and the tokens of programs.

use crate::schema::{api_tokens, channels, users};
use crate::{Store, StoreError};
use chrono::{NaiveTime, Timelike, Weekday};
use diesel::prelude::*;
use sha2::{Digest, Sha256};
use tally_core::calendar::Calendar;
use tally_core::ids::ChannelId;
use tally_core::measure::Weights;
use tally_core::money::Currency;
use tally_core::widgets::Settings;

/// A channel.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChannelRecord {
    /// Which.
    pub id: ChannelId,
    /// Its name.
    pub name: String,
    /// How it reckons.
    pub settings: Settings,
}

/// Somebody who can sign in.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = users)]
pub struct User {
    /// Which.
    pub id: u32,
    /// Their channel.
    pub channel_id: u32,
    /// Their name.
    pub name: String,
    /// Argon2id, PHC string.
    pub password_hash: String,
    /// Sessions made with another number are over.
    pub session_epoch: u32,
}

/// What a program's token stands for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ApiToken {
    /// Whose.
    pub channel: ChannelId,
    /// How the owner calls it.
    pub name: String,
    /// What it may do: words separated by blanks, out of `read`, `operate`.
    pub scopes: String,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = channels)]
struct ChannelRow {
    id: u32,
    name: String,
    zone: String,
    currency: String,
    day_start_minute: u16,
    weight_1: u16,
    weight_2: u16,
    weight_3: u16,
    week_start: u8,
}

impl ChannelRow {
    fn record(self) -> Result<ChannelRecord, StoreError> {
        let unreadable = |what: &str| StoreError::Unreadable(format!("channel {}: {what}", self.id));
        let minute = u32::from(self.day_start_minute);
        Ok(ChannelRecord {
            id: ChannelId(self.id),
            settings: Settings {
                currency: Currency::parse(&self.currency).map_err(|_| unreadable("currency"))?,
                calendar: Calendar {
                    zone: self.zone.parse().map_err(|_| unreadable("zone"))?,
                    week_start: Weekday::try_from(self.week_start).map_err(|_| unreadable("week start"))?,
                    day_start: NaiveTime::from_hms_opt(minute / 60, minute % 60, 0)
                        .ok_or_else(|| unreadable("day start"))?,
                },
                weights: Weights([self.weight_1, self.weight_2, self.weight_3]),
            },
            name: self.name,
        })
    }
}

diesel::define_sql_function! {
    /// The number that this session's last INSERT gave out.
    fn last_insert_id() -> Unsigned<Bigint>;
}

fn digest(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}

impl Store {
    /// Makes a channel with its owner, both or neither.
    ///
    /// # Errors
    /// [`StoreError::Taken`] when the owner's name is in use.
    pub async fn create_channel(
        &self,
        name: String,
        settings: Settings,
        owner: String,
        password_hash: String,
    ) -> Result<ChannelId, StoreError> {
        self.run(move |conn| {
            conn.transaction(|conn| {
                let day_start = settings.calendar.day_start;
                // Never above 1,439, so it always fits.
                let minute = u16::try_from(day_start.num_seconds_from_midnight() / 60).unwrap_or(0);
                let week_start = u8::try_from(settings.calendar.week_start.num_days_from_monday()).unwrap_or(0);
                let [one, two, three] = settings.weights.0;
                diesel::insert_into(channels::table)
                    .values((
                        channels::name.eq(name),
                        channels::zone.eq(settings.calendar.zone.name()),
                        channels::currency.eq(settings.currency.code().to_owned()),
                        channels::day_start_minute.eq(minute),
                        channels::weight_1.eq(one),
                        channels::weight_2.eq(two),
                        channels::weight_3.eq(three),
                        channels::week_start.eq(week_start),
                    ))
                    .execute(conn)?;
                // MariaDB's INSERT returns nothing through Diesel; the session knows what it made.
                let id: u64 = diesel::select(last_insert_id()).get_result(conn)?;
                let id = u32::try_from(id).map_err(|error| StoreError::Unreadable(error.to_string()))?;
                diesel::insert_into(users::table)
                    .values((users::channel_id.eq(id), users::name.eq(owner), users::password_hash.eq(password_hash)))
                    .execute(conn)?;
                Ok(ChannelId(id))
            })
        })
        .await
    }

    /// A channel.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub async fn channel(&self, id: ChannelId) -> Result<ChannelRecord, StoreError> {
        self.run(move |conn| {
            let row: ChannelRow = channels::table.find(id.0).select(ChannelRow::as_select()).first(conn)?;
            row.record()
        })
        .await
    }

    /// Whether anybody can sign in yet.
    ///
    /// # Errors
    /// The database is away.
    pub async fn has_owner(&self) -> Result<bool, StoreError> {
        self.run(|conn| Ok(users::table.count().get_result::<i64>(conn)? > 0)).await
    }

    /// Somebody by name.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is nobody of that name.
    pub async fn user_by_name(&self, name: String) -> Result<User, StoreError> {
        self.run(move |conn| Ok(users::table.filter(users::name.eq(name)).select(User::as_select()).first(conn)?)).await
    }

    /// Somebody by number.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is nobody.
    pub async fn user(&self, id: u32) -> Result<User, StoreError> {
        self.run(move |conn| Ok(users::table.find(id).select(User::as_select()).first(conn)?)).await
    }

    /// Keeps a program's token; only its digest is written.
    ///
    /// # Errors
    /// The database is away.
    pub async fn create_api_token(
        &self,
        channel: ChannelId,
        name: String,
        scopes: String,
        token: String,
    ) -> Result<(), StoreError> {
        self.run(move |conn| {
            diesel::insert_into(api_tokens::table)
                .values((
                    api_tokens::channel_id.eq(channel.0),
                    api_tokens::name.eq(name),
                    api_tokens::digest.eq(digest(&token)),
                    api_tokens::scopes.eq(scopes),
                ))
                .execute(conn)?;
            Ok(())
        })
        .await
    }

    /// What a program's token stands for.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] for an unknown token.
    pub async fn api_token(&self, token: String) -> Result<ApiToken, StoreError> {
        self.run(move |conn| {
            let (channel, name, scopes): (u32, String, String) = api_tokens::table
                .filter(api_tokens::digest.eq(digest(&token)))
                .select((api_tokens::channel_id, api_tokens::name, api_tokens::scopes))
                .first(conn)?;
            Ok(ApiToken { channel: ChannelId(channel), name, scopes })
        })
        .await
    }
}
