//! When the server was there, and when it was away.

use crate::schema::{absences, presence};
use crate::{Store, StoreError, Work, alone, connect, lock};
use diesel::mysql::MysqlConnection;
use diesel::prelude::*;
use diesel::sql_query;
use std::pin::Pin;
use std::sync::mpsc::{self, RecvTimeoutError};
use std::time::Duration;
use tally_core::book::instant;
use tally_core::time::Instant;
use tokio::sync::watch;

/// How long a program that is just ending is waited for, in seconds.
const SECONDS: i32 = 5;
const PATIENCE: Duration = Duration::from_secs(20);
/// There is one row, whatever number of processes: any of them is the server.
const ONLY: u8 = 1;

/// How often it is seen whether the database is still held.
const SEEN_EVERY: Duration = Duration::from_secs(2);

/// The database, held by this program alone for as long as this is kept.
pub struct Held {
    lost: watch::Receiver<bool>,
    stop: mpsc::Sender<()>,
}

impl Held {
    /// Waits until another program has it.
    #[must_use]
    pub fn lost(self) -> Pin<Box<dyn Future<Output = ()> + Send>> {
        Box::pin(async move {
            // All of it: without `stop` the thread that watches would end, and the lock with it.
            let mut held = self;
            let _ = held.lost.wait_for(|lost| *lost).await;
            drop(held.stop);
        })
    }
}

/// Takes the lock that only one program has; who has it otherwise.
fn hold(conn: &mut MysqlConnection, seconds: i32) -> Result<Result<(), String>, StoreError> {
    if lock(conn, "server", seconds)?.is_some() {
        return Ok(Ok(()));
    }
    // Tables of another version may not say.
    let holder: Option<String> = presence::table.select(presence::holder).first(conn).ok();
    Ok(Err(holder.filter(|holder| !holder.is_empty()).unwrap_or_else(|| "another program".into())))
}

impl Store {
    /// Holds the database, so that no second program uses it at the same time: both would write, and neither see what the other
    /// wrote.
    ///
    /// # Errors
    /// Another program has it, whose name is given; or the database is away.
    pub fn hold(&self) -> Work<Result<Held, String>> {
        let url = self.url.clone();
        self.run_within(PATIENCE, move |_| {
            // A connection of its own: the lock goes with it.
            let mut conn = connect(&url)?;
            if let Err(holder) = hold(&mut conn, SECONDS)? {
                return Ok(Err(holder));
            }
            let (told, lost) = watch::channel(false);
            let (stop, stopped) = mpsc::channel();
            std::thread::spawn(move || watch_over(conn, &url, &stopped, &told));
            Ok(Ok(Held { lost, stop }))
        })
    }

    /// Says who holds the database, so that another program that would can name this one.
    ///
    /// # Errors
    /// The database is away.
    pub fn name_holder(&self, name: String) -> Work<()> {
        self.run(move |conn| {
            let row = (presence::id.eq(ONLY), presence::alive_us.eq(0), presence::holder.eq(&name));
            diesel::insert_or_ignore_into(presence::table).values(row).execute(conn)?;
            diesel::update(presence::table).set(presence::holder.eq(&name)).execute(conn)?;
            Ok(())
        })
    }

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
                if let Some(alive) = alive.filter(|alive| *alive > 0 && now.saturating_sub(*alive) > most_us) {
                    let away = (absences::from_us.eq(alive), absences::until_us.eq(now));
                    diesel::insert_or_ignore_into(absences::table).values(away).execute(conn)?;
                }
                let row = (presence::id.eq(ONLY), presence::alive_us.eq(now), presence::holder.eq(""));
                diesel::insert_or_ignore_into(presence::table).values(row).execute(conn)?;
                diesel::update(presence::table).set(presence::alive_us.eq(now)).execute(conn)?;
                Ok(())
            })
        })
    }

    /// When the server was there last.
    ///
    /// # Errors
    /// The database is away.
    pub fn was_there(&self) -> Work<Option<Instant>> {
        self.run(move |conn| {
            let alive: Option<i64> = presence::table.select(presence::alive_us).first(conn).optional()?;
            Ok(alive.filter(|alive| *alive > 0).map(instant))
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

/// Keeps the lock until it is told to stop. A connection that broke is made again; should another program have taken the lock
/// meanwhile, that is told.
fn watch_over(conn: MysqlConnection, url: &str, stopped: &mpsc::Receiver<()>, lost: &watch::Sender<bool>) {
    let mut conn = Some(conn);
    while stopped.recv_timeout(SEEN_EVERY) == Err(RecvTimeoutError::Timeout) {
        if let Some(one) = &mut conn
            && sql_query("SELECT 1").execute(one).is_err()
        {
            conn = None;
        }
        if conn.is_some() {
            continue;
        }
        // While the database is away nobody has it.
        let Ok(mut new) = connect(url) else { continue };
        match hold(&mut new, 0) {
            Ok(Ok(())) => conn = Some(new),
            Ok(Err(holder)) => {
                tracing::error!(%holder, "another program has taken the database");
                lost.send_replace(true);
                return;
            }
            Err(_) => {}
        }
    }
}
