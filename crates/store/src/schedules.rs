//! How channels go on air and off by themselves, and the calendars of their schedules.

use crate::schema::schedules;
use crate::{Store, StoreError, Work};
use chrono::DateTime;
use diesel::prelude::*;
use tally_core::channel::AirRules;
use tally_core::record::ids::ChannelId;
use tally_core::time::Instant;

/// Most letters of why a calendar cannot be read.
const MOST_FAILING: usize = 400;

/// Where a channel's schedule comes from.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct KeptSchedule {
    /// Its address; empty for a file.
    pub url: String,
    /// The calendar as it was read last; empty if none was.
    pub calendar: String,
    /// When that was.
    pub read_at: Option<Instant>,
    /// Why it could not be read since; empty if it could.
    pub failing: String,
}

impl KeptSchedule {
    /// Whether there is a schedule at all.
    #[must_use]
    pub fn is_none(&self) -> bool {
        self.url.is_empty() && self.calendar.is_empty()
    }
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = schedules)]
struct Row {
    channel_id: u32,
    url: String,
    calendar: String,
    read_us: i64,
    failing: String,
}

impl Row {
    fn kept(self) -> (ChannelId, KeptSchedule) {
        let Self { channel_id, url, calendar, read_us, failing } = self;
        let read_at = DateTime::from_timestamp_micros(read_us).filter(|_| read_us > 0);
        (ChannelId(channel_id), KeptSchedule { url, calendar, read_at, failing })
    }
}

/// A channel has a row here as soon as anything is kept of it.
fn begin(conn: &mut MysqlConnection, id: ChannelId) -> Result<(), StoreError> {
    diesel::insert_or_ignore_into(schedules::table).values(schedules::channel_id.eq(id.0)).execute(conn)?;
    Ok(())
}

impl Store {
    /// How a channel goes on air and off by itself.
    ///
    /// # Errors
    /// The database is away.
    pub fn air_rules(&self, id: ChannelId) -> Work<AirRules> {
        self.run(move |conn| {
            let kept: Option<String> = schedules::table.find(id.0).select(schedules::rules).first(conn).optional()?;
            let unreadable = |_| StoreError::Unreadable(format!("channel {id}: going on air by itself"));
            kept.map_or_else(|| Ok(AirRules::default()), |kept| serde_json::from_str(&kept).map_err(unreadable))
        })
    }

    /// Keeps that.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_air_rules(&self, id: ChannelId, rules: AirRules) -> Work<()> {
        self.run(move |conn| {
            let rules = serde_json::to_string(&rules).map_err(|error| StoreError::Unreadable(error.to_string()))?;
            begin(conn, id)?;
            diesel::update(schedules::table.find(id.0)).set(schedules::rules.eq(rules)).execute(conn)?;
            Ok(())
        })
    }

    /// Where a channel's schedule comes from.
    ///
    /// # Errors
    /// The database is away.
    pub fn schedule(&self, id: ChannelId) -> Work<KeptSchedule> {
        self.run(move |conn| {
            let row: Option<Row> = schedules::table.find(id.0).select(Row::as_select()).first(conn).optional()?;
            Ok(row.map(|row| row.kept().1).unwrap_or_default())
        })
    }

    /// Keeps that, together with what was made of it: a server that is killed has both or neither.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_schedule(&self, id: ChannelId, schedule: KeptSchedule, rules: AirRules) -> Work<()> {
        self.run(move |conn| {
            let KeptSchedule { url, calendar, read_at, failing } = schedule;
            let rules = serde_json::to_string(&rules).map_err(|error| StoreError::Unreadable(error.to_string()))?;
            begin(conn, id)?;
            diesel::update(schedules::table.find(id.0))
                .set((
                    schedules::rules.eq(rules),
                    schedules::url.eq(url),
                    schedules::calendar.eq(calendar),
                    schedules::read_us.eq(read_at.map_or(0, |at| at.timestamp_micros())),
                    schedules::failing.eq(failing.chars().take(MOST_FAILING).collect::<String>()),
                ))
                .execute(conn)?;
            Ok(())
        })
    }

    /// All schedules that come from somewhere.
    ///
    /// # Errors
    /// The database is away.
    pub fn schedules(&self) -> Work<Vec<(ChannelId, KeptSchedule)>> {
        self.run(move |conn| {
            let some = schedules::url.ne("").or(schedules::calendar.ne(""));
            let rows: Vec<Row> = schedules::table.filter(some).select(Row::as_select()).load(conn)?;
            Ok(rows.into_iter().map(Row::kept).collect())
        })
    }
}
