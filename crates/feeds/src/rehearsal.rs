//! Playing a script into a rehearsal of a channel: what happens is made as senders make it, read by the contract, and told
//! to the rehearsal alone.

use crate::cloudevents::{self, Mode};
use crate::script::people::REGULARS;
use crate::script::{Moment, Script, What};
use chrono::TimeDelta;
use futures_util::FutureExt;
use futures_util::future::BoxFuture;
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::time::Duration;
use tally_core::book::chat::{ChatLine, Role};
use tally_core::record::acts::ShowAct;
use tally_core::record::entry::Incoming;
use tally_core::record::happening::Kind;
use tally_core::record::ids::FeedId;
use tally_core::time::{Instant, after};
use tally_engine::{By, ChannelHandle, Engine, EngineError, Plan, Rehearsing};
use tally_store::feeds::{Feed, Wiring};
use tokio::time::sleep;

/// Fastest.
pub const MOST_SPEED: u32 = 60;
/// How long what stands at the end of the script can be looked at; then the rehearsal ends by itself.
const STANDS: Duration = Duration::from_secs(3_600);
/// Who goes on air and off.
const SCRIPT: &str = "the script";

/// Begins to rehearse a channel by a script, seen on these overlays.
///
/// # Errors
/// A rehearsal of the channel runs already, or the database is away.
pub fn begin<'a>(
    engine: &'a Engine,
    channel: &'a ChannelHandle,
    script: Script,
    speed: u32,
    overlays: BTreeSet<u32>,
) -> BoxFuture<'a, Result<(), EngineError>> {
    async move {
        let feeds = Through::of(engine.store().feeds(channel.id).await?);
        let length = TimeDelta::minutes(script.minutes.into());
        let plan = Plan { title: script.title.clone(), length, speed: speed.clamp(1, MOST_SPEED), overlays };
        let rehearsing = engine.begin_rehearsal(channel, plan).await?;
        let channel = channel.clone();
        engine.spawn(async move {
            tokio::select! {
                () = over(&channel, &rehearsing) => return,
                // It should not have ended, and its pages would stand still.
                () = rehearsing.channel.gone() => {}
                played = play(&rehearsing, &script, &feeds) => match played {
                    // Nobody may be there to stop it.
                    Ok(()) => tokio::select! {
                        () = over(&channel, &rehearsing) => return,
                        () = rehearsing.channel.gone() => {}
                        () = sleep(STANDS) => {}
                    },
                    Err(error) => tracing::warn!(%error, channel = %channel.id, "a rehearsal broke off"),
                },
            }
            if is(&channel, &rehearsing) {
                channel.end_rehearsal().await;
            }
        });
        Ok(())
    }
    .boxed()
}

fn is(channel: &ChannelHandle, rehearsing: &Arc<Rehearsing>) -> bool {
    channel.hub.rehearsal().is_some_and(|running| Arc::ptr_eq(&running, rehearsing))
}

/// Waits until it is stopped.
async fn over(channel: &ChannelHandle, rehearsing: &Arc<Rehearsing>) {
    let mut running = channel.hub.rehearsal_watch();
    // A hub that is gone has no rehearsal either.
    let _ = running.wait_for(|now| !now.as_ref().is_some_and(|now| Arc::ptr_eq(now, rehearsing))).await;
}

/// Through which of the channel's feeds what happens seems to come, so that widgets that count one feed alone count it.
struct Through {
    feeds: Vec<(FeedId, Wiring)>,
}

impl Through {
    fn of(feeds: Vec<Feed>) -> Self {
        let feeds = feeds.into_iter().filter(|feed| !feed.removed);
        Self { feeds: feeds.map(|feed| (FeedId(feed.id), feed.wiring)).collect() }
    }

    fn first(&self, wanted: impl Fn(&Wiring) -> bool) -> FeedId {
        self.feeds.iter().find(|(_, wiring)| wanted(wiring)).map_or(FeedId(0), |(id, _)| *id)
    }

    /// The first that could bring something of a kind.
    fn bringing(&self, kind: Kind) -> FeedId {
        self.first(|wiring| wiring.brings() & kind.bit() != 0)
    }

    fn chat(&self) -> FeedId {
        self.first(|wiring| matches!(wiring, Wiring::Chat(_)))
    }
}

async fn play(rehearsing: &Rehearsing, script: &Script, through: &Through) -> Result<(), EngineError> {
    let (channel, began) = (&rehearsing.channel, rehearsing.began);
    let by = |id: &str| By { name: SCRIPT.into(), id: id.into() };
    channel.show(ShowAct::Begin, by("begin")).await?;
    let mut held: Option<BTreeMap<FeedId, Vec<Incoming>>> = None;
    for (number, Moment { at, what }) in script.moments().into_iter().enumerate() {
        let due = after(began, TimeDelta::milliseconds(i64::try_from(at).unwrap_or(i64::MAX)));
        sleep(channel.wait(due)).await;
        match what {
            What::Chat { name, text } => drop(channel.chat(through.chat(), vec![said(due, name, text)]).await?),
            What::Event(kind, data) => {
                for event in read(number, kind, &data, due) {
                    let feed = through.bringing(event.happening.kind());
                    match &mut held {
                        Some(held) => held.entry(feed).or_default().push(event),
                        None => drop(channel.ingest(feed, vec![event]).await?),
                    }
                }
            }
            What::Outage(true) => held = Some(BTreeMap::new()),
            What::Outage(false) => {
                for (feed, events) in held.take().unwrap_or_default() {
                    channel.ingest(feed, events).await?;
                }
            }
        }
    }
    sleep(channel.wait(after(began, rehearsing.plan.length))).await;
    channel.show(ShowAct::End, by("end")).await?;
    Ok(())
}

fn said(at: Instant, name: String, text: String) -> ChatLine {
    let role = if REGULARS.contains(&name.as_str()) { Role::Subscriber } else { Role::Viewer };
    ChatLine { at, name, id: None, role, subscriber: role == Role::Subscriber, text }
}

/// What a sender would send, read by the contract. What it does not take does not happen, as in a show.
fn read(number: usize, kind: &str, data: &Value, at: Instant) -> Vec<Incoming> {
    let event = json!({
        "specversion": "1.0", "id": number.to_string(), "source": "/rehearsal", "type": format!("tally.{kind}"),
        "time": at.to_rfc3339(), "data": data,
    });
    cloudevents::parse(Mode::Structured, &[], event.to_string().as_bytes(), at).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::script::SHIPPED;

    #[test]
    fn whatever_a_shipped_script_lets_happen_is_read_once_and_at_its_time() {
        let at: Instant = "2026-11-24T19:00:00Z".parse().unwrap();
        for (name, text) in SHIPPED {
            let (mut origins, mut made) = (BTreeMap::new(), 0);
            for (number, moment) in Script::read(text).unwrap().moments().into_iter().enumerate() {
                let What::Event(kind, data) = moment.what else { continue };
                made += 1;
                for event in read(number, kind, &data, at) {
                    assert_eq!(event.happened_at, Some(at), "{name}");
                    origins.insert((event.origin.source, event.origin.id), ());
                }
            }
            assert_eq!(origins.len(), made, "{name}");
        }
    }
}
