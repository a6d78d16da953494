//! Channels, the people who sign in, and the tokens of programs.

use crate::schema::{api_tokens, channels, users};
use crate::widgets::Converted;
use crate::{Store, StoreError, Work, alone};
use chrono::{DateTime, NaiveTime, Timelike, Weekday};
use diesel::prelude::*;
use sha2::{Digest, Sha256};
use tally_core::channel::Desk;
use tally_core::cues::Cues;
use tally_core::look::Looks;
use tally_core::money::Currency;
use tally_core::record::ids::ChannelId;
use tally_core::record::settings::{Settings, Weights};
use tally_core::time::Instant;
use tally_core::time::calendar::Calendar;

/// A channel.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChannelRecord {
    /// Which.
    pub id: ChannelId,
    /// Its name.
    pub name: String,
    /// How it reckons.
    pub settings: Settings,
    /// Which signals put it on air and take it off.
    pub air_signals: AirSignals,
    /// Whether edits on the bench are on air at once.
    pub edits_at_once: bool,
    /// Of levels that are read often, the highest, lowest and last reading of each stretch of so many seconds
    /// are recorded; every reading, if it is 0.
    pub level_gap_s: u16,
    /// In which currency money was told before the last change of it.
    pub currency_before: Option<Currency>,
    /// What stands on the desk.
    pub desk: Desk,
    /// The looks of the streamer's own.
    pub looks: Looks,
    /// The cues.
    pub cues: Cues,
}

/// The names of the signals that put a channel on air and take it off; empty for by hand only.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct AirSignals {
    /// On air.
    pub on: String,
    /// Off air.
    pub off: String,
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
    /// Which.
    pub id: u32,
    /// Whose.
    pub channel: ChannelId,
    /// How the owner calls it.
    pub name: String,
    /// What it may do: words separated by blanks, out of `read`, `operate`, `record`.
    pub scopes: String,
    /// When it was noted last that it was used.
    pub used_at: Option<Instant>,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = api_tokens)]
struct TokenRow {
    id: u32,
    channel_id: u32,
    name: String,
    scopes: String,
    used_us: Option<i64>,
}

impl TokenRow {
    fn token(self) -> ApiToken {
        let used_at = self.used_us.and_then(DateTime::from_timestamp_micros);
        let Self { id, channel_id, name, scopes, .. } = self;
        ApiToken { id, channel: ChannelId(channel_id), name, scopes, used_at }
    }
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = channels)]
struct ChannelRow {
    id: u32,
    name: String,
    zone: String,
    currency: String,
    day_start_minute: u16,
    week_start: u8,
    weights: String,
    on_air_signal: String,
    off_air_signal: String,
    edits_at_once: u8,
    level_gap_s: u16,
    currency_before: Option<String>,
    desk: String,
    looks: String,
    cues: String,
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
                weights: serde_json::from_str::<Weights>(&self.weights).map_err(|_| unreadable("weights"))?,
            },
            air_signals: AirSignals { on: self.on_air_signal, off: self.off_air_signal },
            edits_at_once: self.edits_at_once != 0,
            level_gap_s: self.level_gap_s,
            currency_before: self.currency_before.and_then(|code| Currency::parse(&code).ok()),
            desk: serde_json::from_str(&self.desk).map_err(|_| unreadable("desk"))?,
            looks: serde_json::from_str(&self.looks).map_err(|_| unreadable("looks"))?,
            cues: serde_json::from_str(&self.cues).map_err(|_| unreadable("cues"))?,
            name: self.name,
        })
    }
}

/// Settings as their columns.
#[derive(Insertable, AsChangeset)]
#[diesel(table_name = channels)]
struct SettingsColumns {
    zone: String,
    currency: String,
    day_start_minute: u16,
    week_start: u8,
    weights: String,
}

impl SettingsColumns {
    fn of(settings: &Settings) -> Result<Self, StoreError> {
        let calendar = &settings.calendar;
        Ok(Self {
            zone: calendar.zone.name().to_owned(),
            currency: settings.currency.code().to_owned(),
            // Never above 1,439 and 6, so both always fit.
            day_start_minute: u16::try_from(calendar.day_start.num_seconds_from_midnight() / 60).unwrap_or(0),
            week_start: u8::try_from(calendar.week_start.num_days_from_monday()).unwrap_or(0),
            weights: serde_json::to_string(&settings.weights)
                .map_err(|error| StoreError::Unreadable(error.to_string()))?,
        })
    }
}

diesel::define_sql_function! {
    /// The number that this session's last INSERT gave out.
    fn last_insert_id() -> Unsigned<Bigint>;
}

pub(crate) fn digest(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}

fn create(
    conn: &mut MysqlConnection,
    name: String,
    settings: &Settings,
    owner: String,
    password_hash: String,
) -> Result<ChannelId, StoreError> {
    let columns = (channels::name.eq(name), &SettingsColumns::of(settings)?);
    diesel::insert_into(channels::table).values(columns).execute(conn)?;
    // MariaDB's INSERT returns nothing through Diesel; the session knows what it made.
    let id: u64 = diesel::select(last_insert_id()).get_result(conn)?;
    let id = u32::try_from(id).map_err(|error| StoreError::Unreadable(error.to_string()))?;
    let columns = (users::channel_id.eq(id), users::name.eq(owner), users::password_hash.eq(password_hash));
    diesel::insert_into(users::table).values(columns).execute(conn)?;
    Ok(ChannelId(id))
}

impl Store {
    /// Makes the first channel with its owner, both or neither. Of several who try at once, one does.
    ///
    /// # Errors
    /// [`StoreError::Taken`] when there is an owner already.
    pub fn create_first_channel(
        &self,
        name: String,
        settings: Settings,
        owner: String,
        password_hash: String,
    ) -> Work<ChannelId> {
        self.run(move |conn| {
            // One at a time, so that a second one finds the first. Rows that are not there cannot be locked.
            alone(conn, "owners", 4, |conn| {
                conn.transaction(|conn| {
                    if users::table.count().get_result::<i64>(conn)? > 0 {
                        return Err(StoreError::Taken);
                    }
                    create(conn, name, &settings, owner, password_hash)
                })
            })
        })
    }

    /// A channel.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn channel(&self, id: ChannelId) -> Work<ChannelRecord> {
        self.run(move |conn| {
            let row: ChannelRow = channels::table.find(id.0).select(ChannelRow::as_select()).first(conn)?;
            row.record()
        })
    }

    /// Changes a channel's name, how it reckons, and which signals put it on air and take it off;
    /// with the cues, and the setups of widgets, that are told otherwise because of it. All or nothing.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_settings(&self, record: ChannelRecord, widgets: Vec<Converted>) -> Work<()> {
        self.run(move |conn| {
            conn.transaction(|conn| {
                let cues = serde_json::to_string(&record.cues);
                let cues = cues.map_err(|error| StoreError::Unreadable(error.to_string()))?;
                diesel::update(channels::table.find(record.id.0))
                    .set((
                        channels::cues.eq(cues),
                        channels::name.eq(record.name),
                        &SettingsColumns::of(&record.settings)?,
                        channels::on_air_signal.eq(record.air_signals.on),
                        channels::off_air_signal.eq(record.air_signals.off),
                        channels::edits_at_once.eq(u8::from(record.edits_at_once)),
                        channels::level_gap_s.eq(record.level_gap_s),
                        channels::currency_before.eq(record.currency_before.map(|one| one.code().to_owned())),
                    ))
                    .execute(conn)?;
                widgets.iter().try_for_each(|one| crate::widgets::convert(conn, one))
            })
        })
    }

    /// Keeps what stands on a channel's desk.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_desk(&self, id: ChannelId, desk: Desk) -> Work<()> {
        self.run(move |conn| {
            let desk = serde_json::to_string(&desk).map_err(|error| StoreError::Unreadable(error.to_string()))?;
            diesel::update(channels::table.find(id.0)).set(channels::desk.eq(desk)).execute(conn)?;
            Ok(())
        })
    }

    /// Keeps a channel's cues.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_cues(&self, id: ChannelId, cues: Cues) -> Work<()> {
        self.run(move |conn| {
            let cues = serde_json::to_string(&cues).map_err(|error| StoreError::Unreadable(error.to_string()))?;
            diesel::update(channels::table.find(id.0)).set(channels::cues.eq(cues)).execute(conn)?;
            Ok(())
        })
    }

    /// Keeps a channel's own looks.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_looks(&self, id: ChannelId, looks: Looks) -> Work<()> {
        self.run(move |conn| {
            let looks = serde_json::to_string(&looks).map_err(|error| StoreError::Unreadable(error.to_string()))?;
            diesel::update(channels::table.find(id.0)).set(channels::looks.eq(looks)).execute(conn)?;
            Ok(())
        })
    }

    /// Whether anybody can sign in yet.
    ///
    /// # Errors
    /// The database is away.
    pub fn has_owner(&self) -> Work<bool> {
        self.run(|conn| Ok(users::table.count().get_result::<i64>(conn)? > 0))
    }

    /// Ends all sessions of somebody.
    ///
    /// # Errors
    /// The database is away.
    pub fn end_sessions(&self, user: u32) -> Work<u32> {
        self.run(move |conn| {
            let raised = users::session_epoch.eq(users::session_epoch + 1);
            diesel::update(users::table.find(user)).set(raised).execute(conn)?;
            Ok(users::table.find(user).select(users::session_epoch).first(conn)?)
        })
    }

    /// Gives somebody another password, and ends all their sessions.
    ///
    /// # Errors
    /// The database is away.
    pub fn set_password(&self, user: u32, password_hash: String) -> Work<User> {
        self.run(move |conn| {
            conn.transaction(|conn| {
                let raised = users::session_epoch.eq(users::session_epoch + 1);
                let new = (users::password_hash.eq(password_hash), raised);
                diesel::update(users::table.find(user)).set(new).execute(conn)?;
                Ok(users::table.find(user).select(User::as_select()).first(conn)?)
            })
        })
    }

    /// The tokens of a channel's programs: their numbers, names and scopes.
    ///
    /// # Errors
    /// The database is away.
    pub fn api_tokens(&self, channel: ChannelId) -> Work<Vec<ApiToken>> {
        self.run(move |conn| {
            let own = api_tokens::table.filter(api_tokens::channel_id.eq(channel.0)).order(api_tokens::id);
            let rows: Vec<TokenRow> = own.select(TokenRow::as_select()).load(conn)?;
            Ok(rows.into_iter().map(TokenRow::token).collect())
        })
    }

    /// Notes that a program's token is used.
    ///
    /// # Errors
    /// The database is away.
    pub fn note_api_token(&self, token: u32, now: Instant) -> Work<()> {
        self.run(move |conn| {
            let used = api_tokens::used_us.eq(now.timestamp_micros());
            diesel::update(api_tokens::table.find(token)).set(used).execute(conn)?;
            Ok(())
        })
    }

    /// Takes a program's token out of force, at once.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the channel has no such token.
    pub fn revoke_api_token(&self, channel: ChannelId, token: u32) -> Work<()> {
        self.run(move |conn| {
            let own = api_tokens::table.find(token).filter(api_tokens::channel_id.eq(channel.0));
            if diesel::delete(own).execute(conn)? == 0 { Err(StoreError::NotFound) } else { Ok(()) }
        })
    }

    /// Somebody by name.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is nobody of that name.
    pub fn user_by_name(&self, name: String) -> Work<User> {
        self.run(move |conn| Ok(users::table.filter(users::name.eq(name)).select(User::as_select()).first(conn)?))
    }

    /// Somebody by number.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is nobody.
    pub fn user(&self, id: u32) -> Work<User> {
        self.run(move |conn| Ok(users::table.find(id).select(User::as_select()).first(conn)?))
    }

    /// Keeps a program's token; only its digest is written.
    ///
    /// # Errors
    /// The database is away.
    pub fn create_api_token(&self, channel: ChannelId, name: String, scopes: String, token: String) -> Work<()> {
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
    }

    /// What a program's token stands for.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] for an unknown token.
    pub fn api_token(&self, token: String) -> Work<ApiToken> {
        self.run(move |conn| {
            let own = api_tokens::table.filter(api_tokens::digest.eq(digest(&token)));
            Ok(own.select(TokenRow::as_select()).first(conn)?.token())
        })
    }
}
