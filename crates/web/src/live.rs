//! Live connections: RFC 6455 WebSockets, because a browser opens at most six HTTP connections to
//! one host, and broadcasting software opens many of our pages in one profile.
//!
//! A page asks the time every few seconds. That keeps both ends sure of each other: a page that
//! hears nothing connects anew, a connection that asks nothing is closed.

use crate::app::App;
use crate::error::WebError;
use crate::security::access::{Access, Pass};
use crate::security::helper::Helper;
use crate::security::places::Use;
use crate::security::reach;
use crate::security::session::Owner;
use actix_web::http::header;
use actix_web::web::{Data, Payload};
use actix_web::{HttpRequest, HttpResponse, rt};
use actix_ws::{AggregatedMessage, AggregatedMessageStream, Closed, MessageStream, Session};
use bytestring::ByteString;
use serde::Deserialize;
use serde_json::json;
use std::collections::BTreeSet;
use std::future::Future;
use std::sync::Arc;
use std::time::Duration;
use tally_core::overlay::Report;
use tally_core::record::ids::WidgetId;
use tally_engine::{Audience, ChannelHandle, Hub, PageGuard, RoomMessage, WidgetChannel};
use tokio::sync::broadcast::error::RecvError;
use tokio::sync::{broadcast, watch};
use tokio::time::{Instant, sleep_until};
use url::Url;

/// A connection that has asked nothing for this long is given up.
const SILENCE: Duration = Duration::from_secs(60);
/// Pages send next to nothing.
const MOST_INCOMING: usize = 256;

/// What a page says.
#[derive(Deserialize)]
#[serde(rename_all = "snake_case")]
enum Word {
    /// It asks the time, with a mark of its own to know its question by.
    Ask(f64),
    /// It tells how it is seen.
    Seen(Report),
}

/// What happens on a connection besides what it shows.
enum Heard {
    Asked(String),
    Seen(Report),
    Nothing,
    Left,
}

fn hear(message: Option<Result<AggregatedMessage, actix_ws::ProtocolError>>, channel: &ChannelHandle) -> Heard {
    match message {
        Some(Ok(AggregatedMessage::Text(text))) => match serde_json::from_str::<Word>(&text) {
            Ok(Word::Ask(ask)) => Heard::Asked(json!({"ask": ask, "now": now_ms(channel)}).to_string()),
            Ok(Word::Seen(report)) => Heard::Seen(report),
            Err(_) => Heard::Nothing,
        },
        Some(Ok(AggregatedMessage::Ping(_) | AggregatedMessage::Pong(_) | AggregatedMessage::Binary(_))) => {
            Heard::Nothing
        }
        Some(Ok(AggregatedMessage::Close(_)) | Err(_)) | None => Heard::Left,
    }
}

/// Milliseconds of Unix time, with fractions: what pages set their clocks by.
#[allow(clippy::cast_precision_loss, reason = "microseconds of our time fit a float's 53 bits")]
fn now_ms(channel: &ChannelHandle) -> f64 {
    channel.now().timestamp_micros() as f64 / 1_000.0
}

fn hello(channel: &ChannelHandle) -> String {
    json!({"hello": crate::assets::build(), "now": now_ms(channel), "speed": channel.speed()}).to_string()
}

fn accept(
    request: &HttpRequest,
    payload: Payload,
) -> Result<(HttpResponse, Session, AggregatedMessageStream), actix_web::Error> {
    let (response, session, stream): (_, _, MessageStream) = actix_ws::handle(request, payload)?;
    let stream = stream.max_frame_size(MOST_INCOMING).aggregate_continuations().max_continuation_size(MOST_INCOMING);
    Ok((response, session, stream))
}

/// What a connection shows: messages come, until there are no more.
pub trait Showing: 'static {
    /// What a page gets first.
    fn present(&mut self) -> Vec<ByteString>;
    /// What it gets next; none when its address was withdrawn.
    fn next(&mut self) -> impl Future<Output = Option<Vec<ByteString>>>;
    /// How the page is seen.
    fn seen(&mut self, _report: Report) {}
}

/// The newest drawing of one widget, always.
struct OneWidget {
    drawings: WidgetChannel,
    covers: watch::Receiver<bool>,
    reloads: watch::Receiver<u64>,
    _open: PageGuard,
}

impl OneWidget {
    /// The newest drawing, once there is one.
    fn drawing(&mut self) -> Option<ByteString> {
        Some(self.drawings.borrow_and_update().clone()).filter(|drawing| !drawing.is_empty())
    }
}

impl Showing for OneWidget {
    fn present(&mut self) -> Vec<ByteString> {
        let drawing = self.drawing();
        vec![cover(&mut self.covers)].into_iter().chain(drawing).collect()
    }

    async fn next(&mut self) -> Option<Vec<ByteString>> {
        tokio::select! {
            changed = self.drawings.changed() => {
                changed.ok().map(|()| self.drawing().into_iter().collect())
            }
            changed = self.covers.changed() => changed.ok().map(|()| vec![cover(&mut self.covers)]),
            asked = self.reloads.changed() => asked.ok().map(|()| vec![reload()]),
        }
    }
}

/// Everything on show in a channel.
struct Everything {
    hub: Arc<Hub>,
    messages: broadcast::Receiver<RoomMessage>,
}

impl Showing for Everything {
    fn present(&mut self) -> Vec<ByteString> {
        self.hub.present().into_iter().filter(|message| !message.is_empty()).collect()
    }

    async fn next(&mut self) -> Option<Vec<ByteString>> {
        loop {
            match self.messages.recv().await {
                Ok((Audience::Rooms | Audience::Air, message)) => return Some(vec![message]),
                Ok((Audience::Helpers(_), _)) => {}
                // Too far behind for every message: the present state makes up for them all.
                Err(RecvError::Lagged(_)) => return Some(self.present()),
                Err(RecvError::Closed) => return None,
            }
        }
    }
}

/// What a helper's pass lets its holder see, for as long as it holds.
struct Granted {
    hub: Arc<Hub>,
    messages: broadcast::Receiver<RoomMessage>,
    allowed: BTreeSet<WidgetId>,
    helper: Helper,
    passes: watch::Receiver<()>,
    /// Whether it must be asked first if the pass still holds. It stays so until that is answered, since a question may
    /// be cut short by something else that happens on the connection.
    in_doubt: bool,
}

impl Showing for Granted {
    fn present(&mut self) -> Vec<ByteString> {
        self.hub.present_for_helpers(&self.allowed)
    }

    async fn next(&mut self) -> Option<Vec<ByteString>> {
        loop {
            if self.in_doubt {
                // Where it cannot be asked, nothing more is shown.
                if !self.helper.holds().await {
                    return None;
                }
                self.in_doubt = false;
            }
            tokio::select! {
                biased;
                changed = self.passes.changed() => {
                    changed.ok()?;
                    self.in_doubt = true;
                }
                () = self.helper.ended() => return None,
                message = self.messages.recv() => match message {
                    Ok((Audience::Helpers(id), message)) if self.allowed.contains(&id) => return Some(vec![message]),
                    Ok(_) => {}
                    Err(RecvError::Lagged(_)) => return Some(self.present()),
                    Err(RecvError::Closed) => return None,
                },
            }
        }
    }
}

async fn send(session: &mut Session, messages: Vec<ByteString>) -> Result<(), Closed> {
    for message in messages {
        session.text(message).await?;
    }
    Ok(())
}

async fn converse(
    mut session: Session,
    mut stream: AggregatedMessageStream,
    mut showing: impl Showing,
    channel: ChannelHandle,
) -> Result<(), Closed> {
    let mut heard_at = Instant::now();
    session.text(hello(&channel)).await?;
    send(&mut session, showing.present()).await?;
    loop {
        tokio::select! {
            messages = showing.next() => match messages {
                Some(messages) => send(&mut session, messages).await?,
                None => {
                    session.text(gone()).await?;
                    return session.close(None).await;
                }
            },
            message = stream.recv() => match hear(message, &channel) {
                Heard::Asked(answer) => {
                    heard_at = Instant::now();
                    session.text(answer).await?;
                }
                Heard::Seen(report) => showing.seen(report),
                Heard::Nothing => {}
                Heard::Left => return Ok(()),
            },
            () = sleep_until(heard_at + SILENCE) => return session.close(None).await,
        }
    }
}

/// What is shown for as long as what let somebody in is worth something.
struct While<S> {
    access: Arc<Access>,
    pass: Pass,
    showing: S,
}

impl<S: Showing> Showing for While<S> {
    fn present(&mut self) -> Vec<ByteString> {
        self.showing.present()
    }

    async fn next(&mut self) -> Option<Vec<ByteString>> {
        tokio::select! {
            biased;
            () = self.access.ended(self.pass) => None,
            messages = self.showing.next() => messages,
        }
    }
}

/// Opens a connection that shows something of a channel.
pub fn open(
    request: &HttpRequest,
    payload: Payload,
    showing: impl Showing,
    channel: ChannelHandle,
) -> Result<HttpResponse, actix_web::Error> {
    let app = request.app_data::<Data<App>>().ok_or_else(|| WebError::Inside("no application".into()))?;
    let place = app.places.open(&Use::Page(app.config.proxies.peer(request)))?;
    let (response, session, stream) = accept(request, payload)?;
    rt::spawn(async move {
        let _place = place;
        // A page that has gone away is the usual end of a conversation, not a failure.
        let _ = converse(session, stream, showing, channel).await;
    });
    Ok(response)
}

/// A page on air.
pub fn widget(
    request: &HttpRequest,
    payload: Payload,
    drawings: WidgetChannel,
    channel: ChannelHandle,
) -> Result<HttpResponse, actix_web::Error> {
    let hub = &channel.hub;
    let (covers, reloads, guard) = (hub.cover_watch(), hub.reloads_watch(), hub.page_opened());
    open(request, payload, OneWidget { drawings, covers, reloads, _open: guard }, channel)
}

/// A room of the application.
pub fn room(
    request: &HttpRequest,
    payload: Payload,
    app: &App,
    owner: Owner,
) -> Result<HttpResponse, actix_web::Error> {
    let (pass, channel) = (owner.pass(), owner.channel);
    let hub = Arc::clone(&channel.hub);
    let messages = hub.everything();
    let showing = While { access: Arc::clone(&app.access), pass, showing: Everything { hub, messages } };
    open(request, payload, showing, channel)
}

/// A helper's page.
pub fn helper(
    request: &HttpRequest,
    payload: Payload,
    helper: Helper,
    allowed: BTreeSet<WidgetId>,
) -> Result<HttpResponse, actix_web::Error> {
    let channel = helper.channel.clone();
    let hub = Arc::clone(&channel.hub);
    let (messages, passes) = (hub.everything(), hub.passes_watch());
    // It may have been revoked between the question at the door and here.
    let granted = Granted { hub, messages, allowed, helper, passes, in_doubt: true };
    open(request, payload, granted, channel)
}

/// Whether a live connection is asked for by a page of ours: another site's page could open it with our cookie, and a
/// WebSocket asks nobody for leave.
pub fn is_ours(app: &App, request: &HttpRequest) -> bool {
    let origin = request.headers().get(header::ORIGIN).and_then(|value| value.to_str().ok()).unwrap_or_default();
    let host = |url: &str| Url::parse(url).ok().map(|url| (url.host_str().map(str::to_owned), url.port()));
    let sent_to = reach::sent_to(app, request);
    let stated = Some(app.config.base_url.as_str()).filter(|_| app.config.base_url_stated);
    host(origin).is_some_and(|from| {
        [sent_to.as_deref(), stated].into_iter().flatten().any(|own| host(own).as_ref() == Some(&from))
    })
}

/// A page on air is told whether anything is seen.
pub fn cover(covers: &mut watch::Receiver<bool>) -> ByteString {
    json!({"cover": *covers.borrow_and_update()}).to_string().into()
}

/// A page is asked to load itself anew.
pub fn reload() -> ByteString {
    json!({"reload": true}).to_string().into()
}

fn gone() -> String {
    json!({"gone": true}).to_string()
}

/// A page whose address is void: it is told so, and goes blank.
pub fn void(request: &HttpRequest, payload: Payload) -> Result<HttpResponse, actix_web::Error> {
    let (response, mut session, _) = accept(request, payload)?;
    rt::spawn(async move {
        if session.text(gone()).await.is_ok() {
            // It has been told; whether it stays to hear the end is its own affair.
            let _ = session.close(None).await;
        }
    });
    Ok(response)
}
