//! Following the channel: what every widget shows, and how the channel stands, as server-sent events (WHATWG HTML, 9.2).

use super::program::{Program, Scope};
use super::run::standing;
use crate::app::App;
use crate::error::{Answer, WebError};
use crate::read::{KEEP_ALIVE, widget_json, without_moment};
use crate::security::access::Pass;
use crate::security::places::Use;
use actix_web::http::header;
use actix_web::web::Data;
use actix_web::{HttpRequest, HttpResponse};
use bytes::Bytes;
use futures_util::{StreamExt, stream};
use serde_json::Value;
use sha2::{Digest, Sha256};
use std::collections::{BTreeMap, BTreeSet};
use std::convert::Infallible;
use std::sync::Arc;
use tally_core::channel::Channel;
use tally_core::record::ids::WidgetId;
use tally_engine::{ChannelHandle, RoomMessage};
use tokio::sync::broadcast::error::RecvError;
use tokio::sync::broadcast::{self, error::TryRecvError};

/// A program that follows.
struct Following {
    channel: ChannelHandle,
    drawings: broadcast::Receiver<(WidgetId, bytestring::ByteString)>,
    rooms: broadcast::Receiver<RoomMessage>,
    /// The mark of what was sent last of each widget, and of the channel.
    sent: BTreeMap<WidgetId, u64>,
    stands: Option<u64>,
    /// The widgets of which it must be looked up what they show.
    wanted: BTreeSet<WidgetId>,
    /// The mark of all that it was told.
    told: u64,
    /// The same as it says it when it comes back.
    known: Option<u64>,
}

/// What a value comes to in a few letters.
fn mark(of: u32, value: &Value) -> u64 {
    let digest = Sha256::digest(format!("{of} {value}"));
    digest.iter().take(8).fold(0, |mark, byte| mark << 8 | u64::from(*byte))
}

/// An event, known by the newest line of the ledger at that moment and by all that was told up to it.
fn event(name: &str, (seq, told): (u64, u64), value: &Value) -> String {
    format!("event: {name}\ndata: {value}\nid: {seq}-{told:016x}\n\n")
}

impl Following {
    async fn all(&self) -> Result<BTreeSet<WidgetId>, WebError> {
        Ok(self.channel.ask(|channel, _| channel.widgets().map(|(id, _)| id).collect()).await?)
    }

    /// Waits until something may have changed. None when the channel is being let go.
    async fn changed(&mut self) -> Option<()> {
        tokio::select! {
            drawing = self.drawings.recv() => match drawing {
                Ok((id, _)) => drop(self.wanted.insert(id)),
                Err(RecvError::Lagged(_)) => self.wanted = self.all().await.ok()?,
                Err(RecvError::Closed) => return None,
            },
            told = self.rooms.recv() => if matches!(told, Err(RecvError::Closed)) {
                return None;
            },
        }
        // What else is there already is told together.
        loop {
            match self.drawings.try_recv() {
                Ok((id, _)) => drop(self.wanted.insert(id)),
                Err(TryRecvError::Lagged(_)) => self.wanted = self.all().await.ok()?,
                Err(_) => return Some(()),
            }
        }
    }

    /// What has changed. Whoever has been told just that before is told nothing.
    async fn news(&mut self, known: Option<u64>) -> Result<String, WebError> {
        let mut news = String::new();
        let wanted = std::mem::take(&mut self.wanted);
        // One that is gone meanwhile tells nothing.
        let ask = move |channel: &Channel, now| {
            let views: Vec<_> =
                wanted.into_iter().filter_map(|id| Some((id, widget_json(channel, id, now)?))).collect();
            (channel.last_seq().0, standing(channel, now), views)
        };
        let (seq, stands, views) = self.channel.ask(ask).await?;
        let new = mark(0, &without_moment(stands.clone()));
        if self.stands != Some(new) {
            self.told ^= self.stands.replace(new).unwrap_or(0) ^ new;
            news += &event("channel", (seq, self.told), &stands);
        }
        for (id, view) in views {
            let new = mark(id.0, &without_moment(view.clone()));
            if self.sent.get(&id) != Some(&new) {
                self.told ^= self.sent.insert(id, new).unwrap_or(0) ^ new;
                news += &event("widget", (seq, self.told), &view);
            }
        }
        if known == Some(self.told) {
            news.clear();
        }
        Ok(news)
    }

    /// The next message; none when the channel is being let go.
    async fn next(&mut self) -> Option<Bytes> {
        loop {
            if self.stands.is_some() {
                match tokio::time::timeout(KEEP_ALIVE, self.changed()).await {
                    Ok(changed) => changed?,
                    Err(_) => return Some(Bytes::from_static(b": nothing new\n\n")),
                }
            }
            let known = self.known.take();
            let news = self.news(known).await.ok()?;
            if !news.is_empty() {
                return Some(news.into());
            }
        }
    }
}

/// `GET /api/v1/stream`
pub async fn follow(app: Data<App>, request: HttpRequest, program: Program) -> Answer {
    program.may(Scope::Read)?;
    let place = app.places.open(&Use::Stream(app.config.proxies.peer(&request)))?;
    let channel = program.channel.clone();
    let (drawings, rooms) = (channel.hub.drawings(), channel.hub.everything());
    let (sent, stands) = (BTreeMap::new(), None);
    // As event sources do when they connect again (WHATWG HTML, 9.2.4).
    let known = request.headers().get("last-event-id").and_then(|id| {
        let (_, told) = id.to_str().ok()?.split_once('-')?;
        u64::from_str_radix(told, 16).ok()
    });
    let mut following = Following { channel, drawings, rooms, sent, stands, wanted: BTreeSet::new(), told: 0, known };
    following.wanted = following.all().await?;
    let messages = stream::unfold((following, place), |(mut following, place)| async move {
        let message = following.next().await?;
        Some((Ok::<_, Infallible>(message), (following, place)))
    });
    let access = Arc::clone(&app.access);
    let messages = messages.take_until(async move { access.ended(Pass::Token(program.token)).await });
    let mut answer = HttpResponse::Ok();
    answer.insert_header((header::CACHE_CONTROL, "no-store"));
    Ok(answer.content_type("text/event-stream").streaming(Box::pin(messages)))
}
