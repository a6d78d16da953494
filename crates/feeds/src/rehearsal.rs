//! Playing a script into a rehearsal of a channel: what happens is made as senders make it, read by the contract, and told
//! to the rehearsal alone.

use crate::cloudevents::{self, Mode};
use crate::script::people::REGULARS;
use crate::script::{Moment, Script, What};
use chrono::TimeDelta;
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::sync::Arc;
use std::time::Duration;
use tally_core::book::chat::{ChatLine, Role};
use tally_core::record::acts::ShowAct;
use tally_core::record::entry::Incoming;
use tally_core::record::ids::FeedId;
use tally_core::time::{Instant, after};
use tally_engine::{By, ChannelHandle, Engine, EngineError, Plan, Rehearsing};
use tally_store::feeds::{Feed, Wiring};
use tokio::time::timeout;

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
pub async fn begin(
    engine: &Engine,
    channel: &ChannelHandle,
    script: Script,
    speed: u32,
    overlays: BTreeSet<u32>,
) -> Result<(), EngineError> {
    let feeds = Through::of(&engine.store().feeds(channel.id).await?);
    let length = TimeDelta::minutes(script.minutes.into());
    let plan = Plan { title: script.title.clone(), length, speed: speed.clamp(1, MOST_SPEED), overlays };
    let rehearsing = engine.begin_rehearsal(channel, plan).await?;
    let channel = channel.clone();
    tokio::spawn(async move {
        tokio::select! {
            () = over(&channel, &rehearsing) => return,
            played = play(&rehearsing, &script, &feeds) => match played {
                // Nobody may be there to stop it.
                Ok(()) => drop(timeout(STANDS, over(&channel, &rehearsing)).await),
                Err(error) => tracing::warn!(%error, channel = %channel.id, "a rehearsal broke off"),
            },
        }
        if is(&channel, &rehearsing) {
            channel.end_rehearsal().await;
        }
    });
    Ok(())
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
    events: FeedId,
    chat: FeedId,
}

impl Through {
    fn of(feeds: &[Feed]) -> Self {
        let first = |wanted: fn(&Wiring) -> bool| {
            let found = feeds.iter().find(|feed| !feed.removed && wanted(&feed.wiring));
            FeedId(found.map_or(0, |feed| feed.id))
        };
        Self {
            events: first(|wiring| matches!(wiring, Wiring::Webhook { .. })),
            chat: first(|wiring| matches!(wiring, Wiring::Chat(_))),
        }
    }
}

async fn play(rehearsing: &Rehearsing, script: &Script, through: &Through) -> Result<(), EngineError> {
    let (channel, began) = (&rehearsing.channel, rehearsing.began);
    let by = |id: &str| By { name: SCRIPT.into(), id: id.into() };
    channel.show(ShowAct::Begin, by("begin")).await?;
    let mut held: Option<Vec<Incoming>> = None;
    for (number, Moment { at, what }) in script.moments().into_iter().enumerate() {
        let due = after(began, TimeDelta::milliseconds(i64::try_from(at).unwrap_or(i64::MAX)));
        tokio::time::sleep(channel.wait(due)).await;
        match what {
            What::Chat { name, text } => channel.chat(through.chat, vec![said(due, name, text)]).await?,
            What::Event(kind, data) => {
                let events = read(number, kind, &data, due);
                match &mut held {
                    Some(held) => held.extend(events),
                    None => {
                        channel.ingest(through.events, events).await?;
                    }
                }
            }
            What::Outage(true) => held = Some(Vec::new()),
            What::Outage(false) => {
                channel.ingest(through.events, held.take().unwrap_or_default()).await?;
            }
        }
    }
    tokio::time::sleep(channel.wait(after(began, rehearsing.plan.length))).await;
    channel.show(ShowAct::End, by("end")).await?;
    Ok(())
}

fn said(at: Instant, name: String, text: String) -> ChatLine {
    let role = if REGULARS.contains(&name.as_str()) { Role::Subscriber } else { Role::Viewer };
    ChatLine { at, name, id: None, role, text }
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
    use std::collections::BTreeMap;

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
