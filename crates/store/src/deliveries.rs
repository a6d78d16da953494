//! Messages of feeds whose rules are being made, or that no rule fits: kept for a day, for the owner alone.

use crate::schema::deliveries;
use crate::{Store, Work};
use diesel::prelude::*;
use tally_core::time::Instant;

/// A message as it came.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Arrived {
    /// When it came in.
    pub at: Instant,
    /// What it is known by within its feed; a second one is not kept.
    pub digest: [u8; 32],
    /// What it says, as JSON.
    pub document: String,
}

/// A message that was kept.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = deliveries)]
pub struct Kept {
    /// Its number.
    pub id: u64,
    /// When it came in, microseconds of Unix time.
    pub arrived_us: i64,
    /// What it says, as JSON.
    pub document: String,
}

impl Store {
    /// Keeps messages of a feed, and of all that it has kept only the newest so many.
    ///
    /// # Errors
    /// The database is away.
    pub fn keep_deliveries(&self, feed: u32, arrived: Vec<Arrived>, most: usize) -> Work<()> {
        self.run(move |conn| {
            let rows: Vec<_> = arrived
                .iter()
                .map(|one| {
                    (
                        deliveries::feed_id.eq(feed),
                        deliveries::arrived_us.eq(one.at.timestamp_micros()),
                        deliveries::digest.eq(one.digest.to_vec()),
                        deliveries::document.eq(&one.document),
                    )
                })
                .collect();
            diesel::insert_or_ignore_into(deliveries::table).values(rows).execute(conn)?;
            let own = deliveries::table.filter(deliveries::feed_id.eq(feed));
            let skipped = i64::try_from(most).unwrap_or(i64::MAX);
            let last: Option<u64> =
                own.order(deliveries::id.desc()).offset(skipped).select(deliveries::id).first(conn).optional()?;
            if let Some(last) = last {
                diesel::delete(own.filter(deliveries::id.le(last))).execute(conn)?;
            }
            Ok(())
        })
    }

    /// What a feed has kept since an instant, newest first.
    ///
    /// # Errors
    /// The database is away.
    pub fn deliveries(&self, feed: u32, since: Instant) -> Work<Vec<Kept>> {
        self.run(move |conn| {
            Ok(deliveries::table
                .filter(deliveries::feed_id.eq(feed).and(deliveries::arrived_us.ge(since.timestamp_micros())))
                .order(deliveries::id.desc())
                .select(Kept::as_select())
                .load(conn)?)
        })
    }

    /// Forgets messages of a feed.
    ///
    /// # Errors
    /// The database is away.
    pub fn forget_deliveries(&self, feed: u32, ids: Vec<u64>) -> Work<()> {
        self.run(move |conn| {
            let own = deliveries::table.filter(deliveries::feed_id.eq(feed).and(deliveries::id.eq_any(ids)));
            diesel::delete(own).execute(conn)?;
            Ok(())
        })
    }

    /// Forgets all messages that came in before an instant, of whatever feed.
    ///
    /// # Errors
    /// The database is away.
    pub fn forget_deliveries_before(&self, before: Instant) -> Work<()> {
        self.run(move |conn| {
            diesel::delete(deliveries::table.filter(deliveries::arrived_us.lt(before.timestamp_micros())))
                .execute(conn)?;
            Ok(())
        })
    }
}
