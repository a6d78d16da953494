//! Live connections: RFC 6455 WebSockets, because a browser opens at most six HTTP connections to
//! one host, and broadcasting software opens many of our pages in one profile.
//!
//! A page asks the time every few seconds. That keeps both ends sure of each other: a page that
//! hears nothing connects anew, a connection that asks nothing is closed.

use actix_web::web::Payload;
use actix_web::{HttpRequest, HttpResponse, rt};
use actix_ws::{AggregatedMessage, CloseReason, MessageStream, Session};
use bytestring::ByteString;
use serde::Deserialize;
use serde_json::json;
use std::sync::Arc;
use std::time::Duration;
use tally_engine::{Board, PageGuard, WidgetChannel};
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

fn hear(message: Option<Result<AggregatedMessage, actix_ws::ProtocolError>>) -> Heard {
    match message {
        Some(Ok(AggregatedMessage::Text(text))) => match serde_json::from_str::<Question>(&text) {
            Ok(Question { ask }) => Heard::Asked(json!({"ask": ask, "now": now_ms()}).to_string()),
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
fn now_ms() -> f64 {
    use tally_engine::Clock;
    tally_engine::SystemClock.now().timestamp_micros() as f64 / 1_000.0
}

fn hello() -> String {
    json!({"hello": crate::assets::build(), "now": now_ms()}).to_string()
}

fn accept(
    request: &HttpRequest,
    payload: Payload,
) -> Result<(HttpResponse, Session, actix_ws::AggregatedMessageStream), actix_web::Error> {
    let (response, session, stream): (_, _, MessageStream) = actix_ws::handle(request, payload)?;
    let stream = stream.max_frame_size(MOST_INCOMING).aggregate_continuations().max_continuation_size(MOST_INCOMING);
    Ok((response, session, stream))
}

/// A page on air: the newest drawing of one widget, always.
pub fn widget(
    request: &HttpRequest,
    payload: Payload,
    mut channel: WidgetChannel,
    guard: PageGuard,
) -> Result<HttpResponse, actix_web::Error> {
    let (response, mut session, mut stream) = accept(request, payload)?;
    channel.mark_changed();
    rt::spawn(async move {
        let _open = guard;
        let mut heard_at = Instant::now();
        if session.text(hello()).await.is_err() {
            return;
        }
        loop {
            let sent = tokio::select! {
                changed = channel.changed() => match changed {
                    Ok(()) => {
                        let message: ByteString = channel.borrow_and_update().clone();
                        session.text(message).await
                    }
                    Err(_) => {
                        // The address was withdrawn.
                        let _ = session.text(gone()).await;
                        let _ = session.close(None).await;
                        return;
                    }
                },
                message = stream.recv() => match hear(message) {
                    Heard::Asked(answer) => {
                        heard_at = Instant::now();
                        session.text(answer).await
                    }
                    Heard::Nothing => Ok(()),
                    Heard::Left => return,
                },
                () = sleep_until(heard_at + SILENCE) => {
                    let _ = session.close(None::<CloseReason>).await;
                    return;
                }
            };
            if sent.is_err() {
                return;
            }
        }
    });
    Ok(response)
}

fn gone() -> String {
    json!({"gone": true}).to_string()
}

/// A page whose address is void: it is told so, and goes blank.
pub fn void(request: &HttpRequest, payload: Payload) -> Result<HttpResponse, actix_web::Error> {
    let (response, mut session, _) = accept(request, payload)?;
    rt::spawn(async move {
        if session.text(gone()).await.is_ok() {
            let _ = session.close(None).await;
        }
    });
    Ok(response)
}

/// A room of the application: everything that is on show in its channel.
pub fn room(request: &HttpRequest, payload: Payload, board: Arc<Board>) -> Result<HttpResponse, actix_web::Error> {
    let (response, mut session, mut stream) = accept(request, payload)?;
    rt::spawn(async move {
        let mut heard_at = Instant::now();
        let mut everything = board.everything();
        if session.text(hello()).await.is_err() || present(&mut session, &board).await.is_err() {
            return;
        }
        loop {
            let sent = tokio::select! {
                message = everything.recv() => match message {
                    Ok(message) => session.text(message).await,
                    Err(RecvError::Lagged(_)) => present(&mut session, &board).await,
                    Err(RecvError::Closed) => return,
                },
                message = stream.recv() => match hear(message) {
                    Heard::Asked(answer) => {
                        heard_at = Instant::now();
                        session.text(answer).await
                    }
                    Heard::Nothing => Ok(()),
                    Heard::Left => return,
                },
                () = sleep_until(heard_at + SILENCE) => {
                    let _ = session.close(None::<CloseReason>).await;
                    return;
                }
            };
            if sent.is_err() {
                return;
            }
        }
    });
    Ok(response)
}

async fn present(session: &mut Session, board: &Board) -> Result<(), actix_ws::Closed> {
    for message in board.present() {
        if !message.is_empty() {
            session.text(message).await?;
        }
    }
    Ok(())
}
