//! Schedules: each calendar is read when it is chosen and every hour after that, and laid out for the weeks to come. One that
//! cannot be read any more goes on as it was.

use crate::outside::{Asked, Outside};
use crate::schedule::{MOST_BYTES, read};
use futures_util::future::BoxFuture;
use futures_util::{FutureExt, StreamExt, stream};
use std::time::Duration;
use tally_core::channel::Schedule;
use tally_core::record::ids::ChannelId;
use tally_engine::{ChannelHandle, Engine, EngineError, Scheduling};
use tally_store::schedules::KeptSchedule;
use tokio::sync::{Semaphore, oneshot};

/// How often.
const EVERY: Duration = Duration::from_secs(3_600);
/// How many are fetched at a time.
const TOGETHER: usize = 16;
/// How many are read at a time, each on a thread of its own.
static READERS: Semaphore = Semaphore::const_new(2);
/// Its stack: what a calendar may nest is bounded, and this leaves room for a hundred times as much.
const STACK: usize = 4 * 1024 * 1024;
/// How long a database that is away is left alone with it.
const LATER: Duration = Duration::from_secs(60);

/// Keeps all schedules of all channels. Runs until dropped.
pub fn keep_schedules(engine: Engine, outside: Outside) -> BoxFuture<'static, ()> {
    async move {
        loop {
            let wait = match engine.store().schedules().await {
                Ok(all) => {
                    // One that answers slowly keeps no other waiting.
                    stream::iter(all)
                        .for_each_concurrent(TOGETHER, |(id, kept)| {
                            let engine = &engine;
                            async move {
                                if let Err(error) = refresh(engine, outside, id, kept).await {
                                    tracing::warn!(%error, channel = %id, "a schedule could not be read again");
                                }
                            }
                        })
                        .await;
                    EVERY
                }
                Err(error) => {
                    tracing::warn!(%error, "the schedules cannot be read; they go on as they are");
                    LATER
                }
            };
            tokio::time::sleep(wait).await;
        }
    }
    .boxed()
}

/// Another schedule for a channel: from an address, or the text of a file. It holds from now on.
///
/// # Errors
/// In words: it cannot be had, or is no calendar. The one before goes on.
pub fn choose<'a>(
    engine: &'a Engine,
    outside: Outside,
    channel: &'a ChannelHandle,
    url: &'a str,
    file: Option<String>,
) -> BoxFuture<'a, Result<(), String>> {
    async move {
        let calendar = match file {
            Some(text) => text,
            None => fetch(url, outside).await?,
        };
        // Somebody asks for it.
        engine.quarantine().release(&name(channel.id));
        let schedule = laid_out(engine, channel, calendar.clone()).await?;
        let kept = KeptSchedule { url: url.into(), calendar, read_at: Some(engine.now()), failing: String::new() };
        let scheduling = Scheduling { instead_of: None, kept, schedule };
        channel.schedule(scheduling).await.map_err(|error| error.to_string())
    }
    .boxed()
}

/// No schedule any more.
///
/// # Errors
/// The database is away.
pub async fn drop_schedule(channel: &ChannelHandle) -> Result<(), EngineError> {
    let (kept, schedule) = (KeptSchedule::default(), Schedule::default());
    channel.schedule(Scheduling { instead_of: None, kept, schedule }).await
}

async fn refresh(engine: &Engine, outside: Outside, id: ChannelId, kept: KeptSchedule) -> Result<(), String> {
    let channel = engine.channel(id).await.map_err(|error| error.to_string())?;
    let instead_of = Some(kept.clone());
    let newest = if kept.url.is_empty() { Ok(kept.calendar.clone()) } else { fetch(&kept.url, outside).await };
    let read = match newest {
        Ok(calendar) => laid_out(engine, &channel, calendar.clone()).await.map(|schedule| (schedule, calendar)),
        Err(why) => Err(why),
    };
    let (schedule, kept) = match read {
        Ok((schedule, calendar)) => {
            (schedule, KeptSchedule { calendar, read_at: Some(engine.now()), failing: String::new(), ..kept })
        }
        Err(why) => {
            // What it was read as goes on, laid out for the weeks to come; or as it stands, where it cannot be read.
            let laid_out = laid_out(engine, &channel, kept.calendar.clone()).await;
            let schedule = match laid_out {
                Ok(schedule) => schedule,
                Err(_) => channel
                    .ask(|channel, _| channel.air_rules().schedule.clone())
                    .await
                    .map_err(|error| error.to_string())?,
            };
            (schedule, KeptSchedule { failing: why, ..kept })
        }
    };
    channel.schedule(Scheduling { instead_of, kept, schedule }).await.map_err(|error| error.to_string())
}

async fn fetch(url: &str, outside: Outside) -> Result<String, String> {
    // Programs that hand out calendars call the same address by this name.
    let url = url.strip_prefix("webcal://").map_or_else(|| url.to_owned(), |rest| format!("https://{rest}"));
    let mut asked = Asked::new(&url, outside).map_err(|error| error.to_string())?;
    let body = asked.ask(MOST_BYTES).await.map_err(|error| error.to_string())?.unwrap_or_default();
    String::from_utf8(body).map_err(|_| "its answer is not UTF-8".to_owned())
}

/// Lays a calendar out on a thread of its own, on which nothing else waits and whose stack is known.
async fn laid_out(engine: &Engine, channel: &ChannelHandle, calendar: String) -> Result<Schedule, String> {
    let local = channel.calendar().await.map_err(|error| error.to_string())?;
    let now = channel.now();
    let _place = READERS.acquire().await.map_err(|error| error.to_string())?;
    let reading = engine.quarantine().enter(&name(channel.id), 1);
    let reading = reading.map_err(|error| format!("{error}; choose the calendar again to read it once more"))?;
    let (reply, answer) = oneshot::channel();
    let work = move || {
        let read = read(&calendar, &local, now);
        drop(reading);
        let _ = reply.send(read);
    };
    let started = std::thread::Builder::new().name("calendar".into()).stack_size(STACK).spawn(work);
    started.map_err(|error| error.to_string())?;
    match answer.await {
        Ok(read) => read.map_err(|error| error.to_string()),
        Err(_) => Err("the calendar cannot be read".into()),
    }
}

fn name(channel: ChannelId) -> String {
    format!("calendar-{channel}")
}
