//! When the server was there, and when it was away.

use crate::schema::{absences, presence};
use crate::{Store, Work, alone};
use diesel::prelude::*;
use tally_core::book::instant;
use tally_core::time::Instant;

/// There is one row, whatever number of processes: any of them is the server.
const ONLY: u8 = 1;

impl Store {
    /// Notes that the server is there again, and that it was away if nobody was for longer than `most_us`
    /// microseconds.
    ///
    /// # Errors
    /// The database is away.
    pub fn begin_presence(&self, now: Instant, most_us: i64) -> Work<()> {
        let now = now.timestamp_micros();
        self.run(move |conn| {
            alone(conn, "presence", 10, |conn| {
                let alive: Option<i64> = presence::table.select(presence::alive_us).first(conn).optional()?;
                if let Some(alive) = alive.filter(|alive| now.saturating_sub(*alive) > most_us) {
                    let away = (absences::from_us.eq(alive), absences::until_us.eq(now));
                    diesel::insert_or_ignore_into(absences::table).values(away).execute(conn)?;
                }
                let row = (presence::id.eq(ONLY), presence::alive_us.eq(now));
                diesel::replace_into(presence::table).values(row).execute(conn)?;
                Ok(())
            })
        })
    }

    /// Notes that the server is there.
    ///
    /// # Errors
    /// The database is away.
    pub fn keep_presence(&self, now: Instant) -> Work<()> {
        let now = now.timestamp_micros();
        self.run(move |conn| {
            // The machine's clock may have been set back.
            let row = presence::table.filter(presence::id.eq(ONLY).and(presence::alive_us.lt(now)));
            diesel::update(row).set(presence::alive_us.eq(now)).execute(conn)?;
            Ok(())
        })
    }

    /// The stretches that ended after an instant during which the server was away, in order.
    ///
    /// # Errors
    /// The database is away.
    pub fn absences_since(&self, since: Instant) -> Work<Vec<(Instant, Instant)>> {
        let since = since.timestamp_micros();
        self.run(move |conn| {
            let rows: Vec<(i64, i64)> = absences::table
                .filter(absences::until_us.gt(since))
                .order(absences::from_us.asc())
                .select((absences::from_us, absences::until_us))
                .load(conn)?;
            Ok(rows.into_iter().map(|(from, until)| (instant(from), instant(until))).collect())
        })
    }
}
