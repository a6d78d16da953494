//! Live connections: RFC 6455 WebSockets, because a browser opens at most six HTTP connections to
//! one host, and broadcasting software opens many of our pages in one profile.
//!
//! A page asks the time every few seconds. That keeps both ends sure of each other: a page that
//! hears nothing connects anew, a connection that asks nothing is closed.

use actix_web::web::Payload;
use actix_web::{HttpRequest, HttpResponse, rt};
use actix_ws::{AggregatedMessage, AggregatedMessageStream, Closed, MessageStream, Session};
use bytestring::ByteString;
use serde::Deserialize;
use serde_json::json;
use std::future::Future;
use std::sync::Arc;
use std::time::Duration;
use tally_engine::{ChannelHandle, Hub, PageGuard, WidgetChannel};
use tokio::sync::broadcast;
use tokio::sync::broadcast::error::RecvError;
use tokio::time::{Instant, sleep_until};

/// A connection that has asked nothing for this long is given up.
const SILENCE: Duration = Duration::from_secs(60);
/// Pages send next to nothing.
const MOST_INCOMING: usize = 256;

/// What a page asks: the time, with a mark of its own to know its question by.
#[derive(Deserialize)]
struct Question {
    ask: f64,
}

/// What happens on a connection besides what it shows.
enum Heard {
    Asked(String),
    Nothing,
    Left,
}

fn hear(message: Option<Result<AggregatedMessage, actix_ws::ProtocolError>>, channel: &ChannelHandle) -> Heard {
    match message {
        Some(Ok(AggregatedMessage::Text(text))) => match serde_json::from_str::<Question>(&text) {
            Ok(Question { ask }) => Heard::Asked(json!({"ask": ask, "now": now_ms(channel)}).to_string()),
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
    json!({"hello": crate::assets::build(), "now": now_ms(channel)}).to_string()
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
trait Showing: 'static {
    /// What a page gets first.
    fn present(&mut self) -> Vec<ByteString>;
    /// What it gets next; none when its address was withdrawn.
    fn next(&mut self) -> impl Future<Output = Option<Vec<ByteString>>>;
}

/// The newest drawing of one widget, always.
struct OneWidget {
    drawings: WidgetChannel,
    _open: PageGuard,
}

impl Showing for OneWidget {
    fn present(&mut self) -> Vec<ByteString> {
        vec![self.drawings.borrow_and_update().clone()]
    }

    async fn next(&mut self) -> Option<Vec<ByteString>> {
        self.drawings.changed().await.ok()?;
        Some(self.present())
    }
}

/// Everything on show in a channel.
struct Everything {
    hub: Arc<Hub>,
    messages: broadcast::Receiver<ByteString>,
}

impl Showing for Everything {
    fn present(&mut self) -> Vec<ByteString> {
        self.hub.present().into_iter().filter(|message| !message.is_empty()).collect()
    }

    async fn next(&mut self) -> Option<Vec<ByteString>> {
        match self.messages.recv().await {
            Ok(message) => Some(vec![message]),
            // Too far behind for every message: the present state makes up for them all.
            Err(RecvError::Lagged(_)) => Some(self.present()),
            Err(RecvError::Closed) => None,
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
                Heard::Nothing => {}
                Heard::Left => return Ok(()),
            },
            () = sleep_until(heard_at + SILENCE) => return session.close(None).await,
        }
    }
}

fn open(
    request: &HttpRequest,
    payload: Payload,
    showing: impl Showing,
    channel: ChannelHandle,
) -> Result<HttpResponse, actix_web::Error> {
    let (response, session, stream) = accept(request, payload)?;
    rt::spawn(async move {
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
    let guard = channel.hub.page_opened();
    open(request, payload, OneWidget { drawings, _open: guard }, channel)
}

/// A room of the application.
pub fn room(request: &HttpRequest, payload: Payload, channel: ChannelHandle) -> Result<HttpResponse, actix_web::Error> {
    let hub = Arc::clone(&channel.hub);
    let messages = hub.everything();
    open(request, payload, Everything { hub, messages }, channel)
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
