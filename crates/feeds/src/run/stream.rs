//! Streams: a WebSocket (RFC 6455) or server-sent events, read along and connected anew by whoever runs it.

use super::{Line, dial};
use crate::intake::{Intake, Message};
use crate::mapping::document;
use crate::outside::{self, Outside};
use futures_util::{SinkExt, StreamExt};
use std::sync::Mutex;
use std::time::Duration;
use tally_engine::Report;
use tally_store::mapping::Stream;
use tokio::sync::mpsc;
use tokio::time::{Instant, timeout};
use tokio_tungstenite::tungstenite::client::IntoClientRequest;
use tokio_tungstenite::tungstenite::http::{HeaderName, HeaderValue};
use tokio_tungstenite::tungstenite::protocol::WebSocketConfig;
use tokio_tungstenite::tungstenite::{self, Message as Frame};

/// Most bytes of one message.
const MOST_BYTES: usize = 1024 * 1024;
/// How long connecting may take.
const PATIENCE: Duration = Duration::from_secs(20);
/// After so long without a word a WebSocket is asked whether anybody is there.
const QUIET: Duration = Duration::from_secs(30);
/// After so much longer without an answer it is given up.
const GIVEN_UP: Duration = Duration::from_secs(90);
/// Messages that are taken in together.
const TOGETHER: usize = 500;

/// The id of the newest server-sent event, by which a stream goes on where it broke off.
pub(super) type LastId = Mutex<Option<String>>;

/// What was read off a stream.
struct Read {
    bytes: Vec<u8>,
    event: Option<String>,
}

/// Reads along until that fails; gives the reason.
pub(super) async fn run(line: &Line, stream: &Stream, last_id: &LastId) -> String {
    let intake = match Intake::new(line.feed, &stream.mapping, false) {
        Ok(intake) => intake,
        Err(error) => return error.to_string(),
    };
    // Reading goes on while what was read is being recorded.
    let (hand, mut read) = mpsc::channel(4 * TOGETHER);
    let mut reading = std::pin::pin!(async {
        match connect(line, stream, last_id, hand).await {
            Ok(()) => "the stream was closed at the other end".to_owned(),
            Err(why) => why,
        }
    });
    let mut group = Vec::new();
    loop {
        tokio::select! {
            biased;
            some = read.recv_many(&mut group, TOGETHER) => if some > 0 {
                if let Err(why) = take(line, &intake, std::mem::take(&mut group)).await {
                    return why;
                }
            } else {
                return reading.await;
            },
            why = &mut reading => {
                // What came before the end counts.
                while let Ok(one) = read.try_recv() {
                    group.push(one);
                }
                return take(line, &intake, group).await.err().unwrap_or(why);
            }
        }
    }
}

async fn take(line: &Line, intake: &Intake, group: Vec<Read>) -> Result<(), String> {
    let arrived = line.engine.now();
    let (mut messages, mut trouble) = (Vec::with_capacity(group.len()), None);
    let reading = line.reading()?;
    for one in group {
        match document::of_message(&one.bytes, one.event.as_deref()) {
            Ok(document) => messages.push(Message { arrived, document }),
            Err(why) => trouble = Some(format!("a message could not be read: {why}")),
        }
    }
    drop(reading);
    let taken = intake.take(&line.engine, &line.channel, messages).await.map_err(|error| error.to_string())?;
    line.report(Report::Heard).await;
    if let Some(trouble) = trouble.or_else(|| taken.trouble()) {
        line.report(Report::Trouble(trouble)).await;
    }
    Ok(())
}

async fn connect(line: &Line, stream: &Stream, last_id: &LastId, hand: mpsc::Sender<Read>) -> Result<(), String> {
    if stream.url.starts_with("ws") {
        web_socket(line, stream, hand).await
    } else {
        sent_events(line, stream, last_id, hand).await
    }
}

// ---- WebSocket ----

async fn web_socket(line: &Line, stream: &Stream, hand: mpsc::Sender<Read>) -> Result<(), String> {
    let url = stream_address(&stream.url, line.outside)?;
    let host = url.host_str().unwrap_or_default().to_owned();
    let port = url.port_or_known_default().unwrap_or(443);
    let socket = dial::connect(line.outside, &host, port, url.scheme() == "wss", "").await?;
    let mut request =
        url.as_str().into_client_request().map_err(|error| format!("the address cannot be used: {error}"))?;
    for (name, value) in &stream.headers {
        let pair = HeaderName::try_from(name.as_str()).ok().zip(HeaderValue::from_str(value).ok());
        let (name, value) = pair.ok_or_else(|| format!("the header {name} cannot be sent"))?;
        request.headers_mut().insert(name, value);
    }
    let config = WebSocketConfig::default().max_message_size(Some(MOST_BYTES)).max_frame_size(Some(MOST_BYTES));
    let shaking = tokio_tungstenite::client_async_with_config(request, socket, Some(config));
    let (mut socket, _) = timeout(PATIENCE, shaking)
        .await
        .map_err(|_| "the other end does not answer".to_owned())?
        .map_err(|error| refused(&error))?;
    if !stream.first.is_empty() {
        socket.send(Frame::text(stream.first.clone())).await.map_err(|error| refused(&error))?;
    }
    line.report(Report::Connected).await;
    let mut heard = Instant::now();
    loop {
        let frame = match timeout(QUIET, socket.next()).await {
            Err(_) if heard.elapsed() > GIVEN_UP => return Err("the other end has fallen silent".into()),
            Err(_) => {
                socket.send(Frame::Ping(Vec::new().into())).await.map_err(|error| refused(&error))?;
                continue;
            }
            Ok(None) => return Ok(()),
            Ok(Some(frame)) => frame.map_err(|error| refused(&error))?,
        };
        heard = Instant::now();
        let bytes = match frame {
            Frame::Text(text) => text.as_bytes().to_vec(),
            Frame::Binary(bytes) => bytes.to_vec(),
            Frame::Close(_) => return Ok(()),
            _ => continue,
        };
        if hand.send(Read { bytes, event: None }).await.is_err() {
            return Ok(());
        }
    }
}

/// Checks the address of a stream as far as that goes without connecting.
///
/// # Errors
/// What to write instead.
pub fn stream_address(url: &str, outside: Outside) -> Result<url::Url, String> {
    let as_http = |url: &str| match url.split_once("://") {
        Some(("ws", rest)) => format!("http://{rest}"),
        Some(("wss", rest)) => format!("https://{rest}"),
        _ => url.to_owned(),
    };
    let url = url.trim();
    outside::address(&as_http(url), outside).map_err(|error| match error {
        outside::OutsideError::Address(_) => {
            "the address of a stream begins with wss://, ws://, https:// or http://".to_owned()
        }
        other => other.to_string(),
    })?;
    url.parse().map_err(|_| "the address cannot be read".to_owned())
}

/// What went wrong, without the address, which may hold a secret.
fn refused(error: &tungstenite::Error) -> String {
    match error {
        tungstenite::Error::Http(answer) => format!("it answered {}", answer.status().as_u16()),
        tungstenite::Error::Capacity(_) => format!("a message is longer than {} KiB", MOST_BYTES / 1024),
        tungstenite::Error::ConnectionClosed | tungstenite::Error::AlreadyClosed => "it closed the connection".into(),
        tungstenite::Error::Protocol(_) => "it does not speak WebSocket as it should".into(),
        _ => "the connection broke off".into(),
    }
}

// ---- server-sent events ----

async fn sent_events(line: &Line, stream: &Stream, last_id: &LastId, hand: mpsc::Sender<Read>) -> Result<(), String> {
    let mut headers = stream.headers.clone();
    headers.push(("accept".into(), "text/event-stream".into()));
    let last = last_id.lock().map(|last| last.clone()).unwrap_or_default();
    headers.extend(last.map(|id| ("last-event-id".to_owned(), id)));
    let mut chunks = outside::open(&stream.url, line.outside, &headers).await.map_err(|error| error.to_string())?;
    line.report(Report::Connected).await;
    let mut events = Events::default();
    while let Some(chunk) = chunks.next().await {
        let chunk = chunk.map_err(|_| "the stream broke off".to_owned())?;
        for event in events.take(&chunk)? {
            if let (Some(id), Ok(mut last)) = (event.id, last_id.lock()) {
                *last = Some(id).filter(|id| !id.is_empty());
            }
            if hand.send(Read { bytes: event.data, event: event.name }).await.is_err() {
                return Ok(());
            }
        }
    }
    Ok(())
}

/// Server-sent events, read piece by piece (the HTML standard, section 9.2).
#[derive(Default)]
struct Events {
    rest: Vec<u8>,
    event: Event,
    after_return: bool,
}

#[derive(Debug, Default, PartialEq, Eq)]
struct Event {
    name: Option<String>,
    id: Option<String>,
    data: Vec<u8>,
}

impl Events {
    /// Takes bytes in and gives the events that are whole.
    fn take(&mut self, chunk: &[u8]) -> Result<Vec<Event>, String> {
        let mut whole = Vec::new();
        for byte in chunk {
            let (was_return, is_return) = (self.after_return, *byte == b'\r');
            self.after_return = is_return;
            match byte {
                b'\n' if was_return => {}
                b'\r' | b'\n' => {
                    let line = std::mem::take(&mut self.rest);
                    whole.extend(self.line(&line));
                }
                byte => self.rest.push(*byte),
            }
            if self.rest.len() + self.event.data.len() > MOST_BYTES {
                return Err(format!("a message is longer than {} KiB, or never ends", MOST_BYTES / 1024));
            }
        }
        Ok(whole)
    }

    fn line(&mut self, line: &[u8]) -> Option<Event> {
        if line.is_empty() {
            let mut event = std::mem::take(&mut self.event);
            event.data.pop();
            return (!event.data.is_empty()).then_some(event);
        }
        let colon = line.iter().position(|byte| *byte == b':');
        let (field, value) = line.split_at(colon.unwrap_or(line.len()));
        let value = value.strip_prefix(b":").unwrap_or(value);
        let value = value.strip_prefix(b" ").unwrap_or(value);
        let text = || String::from_utf8_lossy(value).into_owned();
        match field {
            b"data" => {
                self.event.data.extend_from_slice(value);
                self.event.data.push(b'\n');
            }
            b"event" => self.event.name = Some(text()),
            b"id" if !value.contains(&0) => self.event.id = Some(text()),
            _ => {}
        }
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn read(text: &[u8]) -> Vec<(String, Option<String>, Option<String>)> {
        let events = Events::default().take(text).unwrap();
        events.into_iter().map(|one| (String::from_utf8_lossy(&one.data).into_owned(), one.name, one.id)).collect()
    }

    #[test]
    fn events_are_read_as_the_standard_says() {
        let text = b": a comment\n\ndata: one\nid: 7\n\nevent: sale\r\ndata:two\r\ndata:  lines\r\n\r\ndata\n\nretry: 9\rdata: x\r\rdata: unfinished";
        let some = |text: &str| Some(text.to_owned());
        assert_eq!(
            read(text),
            [
                ("one".to_owned(), None, some("7")),
                ("two\n lines".to_owned(), some("sale"), None),
                ("x".to_owned(), None, None)
            ]
        );
    }

    #[test]
    fn a_message_that_never_ends_is_given_up() {
        let mut events = Events::default();
        let endless = std::iter::repeat_n(b"data: more and more\n", 100_000).find_map(|line| events.take(line).err());
        assert!(endless.unwrap().contains("never ends"));
        assert!(Events::default().take(&vec![b'x'; MOST_BYTES + 1]).is_err());
    }

    #[test]
    fn addresses_of_streams() {
        let open = Outside::default();
        for good in ["wss://live.example/feed", "https://live.example/events?x=1", "ws://live.example:8080/"] {
            assert!(stream_address(good, open).is_ok(), "{good}");
        }
        for bad in ["ftp://live.example/", "live.example", "wss://", "ws://127.0.0.1/", "wss://[::1]/"] {
            assert!(stream_address(bad, open).is_err(), "{bad}");
        }
    }

    proptest! {
        #[test]
        fn pieces_of_any_length_make_the_same_events(text in "([a-z:]{0,6}(data: [a-z]{0,4})?[\r\n]{0,3}){0,12}", cut in 1_usize..9) {
            let mut events = Events::default();
            let pieces: Vec<Event> = text.as_bytes().chunks(cut).flat_map(|piece| events.take(piece).unwrap()).collect();
            prop_assert_eq!(pieces, Events::default().take(text.as_bytes()).unwrap());
        }
    }
}
