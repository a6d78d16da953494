//! Live connections: RFC 6455 WebSockets, because a browser opens at most six HTTP connections to
//! one host, and broadcasting software opens many of our pages in one profile.
//!
//! A page asks the time every few seconds. That keeps both ends sure of each other: a page that
//! hears nothing connects anew, a connection that asks nothing is closed.

use crate::app::App;
use crate::overlay;
use crate::security::helper::Helper;
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
use tally_core::overlay::{Overlay, Report, advice};
use tally_core::record::ids::WidgetId;
use tally_engine::{Audience, ChannelHandle, Hub, OpenPage, PageGuard, Rehearsing, Told, WidgetChannel};
use tally_store::StoreError;
use tally_store::overlays::OverlayRecord;
use tokio::sync::broadcast::error::RecvError;
use tokio::sync::{broadcast, watch};
use tokio::time::{Instant, sleep_until};

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
trait Showing: 'static {
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

impl Showing for OneWidget {
    fn present(&mut self) -> Vec<ByteString> {
        vec![cover(&mut self.covers), self.drawings.borrow_and_update().clone()]
    }

    async fn next(&mut self) -> Option<Vec<ByteString>> {
        tokio::select! {
            changed = self.drawings.changed() => {
                changed.ok().map(|()| vec![self.drawings.borrow_and_update().clone()])
            }
            changed = self.covers.changed() => changed.ok().map(|()| vec![cover(&mut self.covers)]),
            asked = self.reloads.changed() => asked.ok().map(|()| vec![reload()]),
        }
    }
}

/// Everything on show in a channel.
struct Everything {
    hub: Arc<Hub>,
    messages: broadcast::Receiver<Told>,
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
    messages: broadcast::Receiver<Told>,
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

/// A layout with everything that stands on it. Thousands may be open, so a page keeps no more of it than it needs.
struct Laid {
    drawings: broadcast::Receiver<(WidgetId, ByteString)>,
    layouts: watch::Receiver<()>,
    covers: watch::Receiver<bool>,
    reloads: watch::Receiver<u64>,
    sounds: broadcast::Receiver<(u32, ByteString)>,
    /// The rehearsal that runs, if one does: some overlays show it.
    rehearsals: watch::Receiver<Option<Arc<Rehearsing>>>,
    rehearses: bool,
    /// The channel that it shows: the rehearsal, where that is seen on this overlay.
    channel: ChannelHandle,
    app: Data<App>,
    token: String,
    overlay: u32,
    /// The board on air, without its pieces.
    board: Overlay,
    /// The widgets that stand on it.
    widgets: BTreeSet<WidgetId>,
    /// The mark of the stage with which the page was loaded, until that was looked at.
    have: Option<String>,
    /// How the page was seen last.
    report: Option<Report>,
    /// Whether it must be looked up what is on air now: at first, when the layout has changed, and when the page has missed
    /// something. See [`Granted::in_doubt`].
    in_doubt: bool,
    open: PageGuard,
    /// Counts it among the pages of the rehearsal that it shows.
    _rehearsed: Option<PageGuard>,
}

impl Laid {
    /// What stands on it now, or nothing where the page was loaded with just that; none where its address was withdrawn.
    async fn look_up(&mut self) -> Option<Vec<ByteString>> {
        loop {
            match self.app.engine.store().overlay_by_token(self.token.clone()).await {
                Ok(record) => {
                    let mark = overlay::mark(&self.channel, &record).await.ok()?;
                    let has_it = self.have.take().is_some_and(|have| have == mark);
                    let stage = if has_it { None } else { Some(overlay::stage(&self.channel, &record).await.ok()?) };
                    self.widgets = record.air.widgets().collect();
                    self.board = Overlay { pieces: Vec::new(), css: String::new(), ..record.air };
                    // Whether its window is right depends on the layout too.
                    self.report.into_iter().for_each(|report| self.tell(report));
                    let message = |stage| json!({"parts": {"overlay": stage}}).to_string().into();
                    return Some(stage.into_iter().map(message).collect());
                }
                Err(StoreError::NotFound) => return None,
                // The picture stays as it is until the database answers.
                Err(_) => tokio::time::sleep(Duration::from_secs(1)).await,
            }
        }
    }
}

impl Laid {
    fn tell(&self, report: Report) {
        let (overlay, name) = (self.overlay, self.board.name.clone());
        let advice = advice(&self.board, &report);
        self.open.tells(OpenPage { overlay, name, report, advice });
    }
}

impl Showing for Laid {
    fn seen(&mut self, report: Report) {
        self.report = Some(report);
        self.tell(report);
    }

    fn present(&mut self) -> Vec<ByteString> {
        // The stage follows at once: it is looked up after drawings are listened for, so that none is missed.
        self.in_doubt = true;
        vec![cover(&mut self.covers)]
    }

    async fn next(&mut self) -> Option<Vec<ByteString>> {
        loop {
            if self.in_doubt {
                let staged = self.look_up().await?;
                self.in_doubt = false;
                return Some(staged);
            }
            tokio::select! {
                biased;
                changed = self.layouts.changed() => {
                    changed.ok()?;
                    self.in_doubt = true;
                }
                changed = self.covers.changed() => return changed.ok().map(|()| vec![cover(&mut self.covers)]),
                asked = self.reloads.changed() => return asked.ok().map(|()| vec![reload()]),
                changed = self.rehearsals.changed() => {
                    changed.ok()?;
                    let running = self.rehearsals.borrow_and_update().clone();
                    let rehearses = running.is_some_and(|running| running.shows_on(self.overlay));
                    // The page connects anew, and is shown the other one.
                    if rehearses != self.rehearses {
                        return Some(vec![json!({"again": true}).to_string().into()]);
                    }
                }
                played = self.sounds.recv() => match played {
                    Ok((overlay, message)) if overlay == self.overlay => return Some(vec![message]),
                    // A sound that came too late is not played.
                    Ok(_) | Err(RecvError::Lagged(_)) => {}
                    Err(RecvError::Closed) => return None,
                },
                drawing = self.drawings.recv() => match drawing {
                    Ok((id, message)) if self.widgets.contains(&id) => return Some(vec![message]),
                    Ok(_) => {}
                    Err(RecvError::Lagged(_)) => self.in_doubt = true,
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
    let hub = &channel.hub;
    let (covers, reloads, guard) = (hub.cover_watch(), hub.reloads_watch(), hub.page_opened());
    open(request, payload, OneWidget { drawings, covers, reloads, _open: guard }, channel)
}

/// A room of the application.
pub fn room(request: &HttpRequest, payload: Payload, channel: ChannelHandle) -> Result<HttpResponse, actix_web::Error> {
    let hub = Arc::clone(&channel.hub);
    let messages = hub.everything();
    open(request, payload, Everything { hub, messages }, channel)
}

/// An overlay, and what it shows.
pub struct OnAir {
    /// Its channel.
    pub real: ChannelHandle,
    /// The same; or the rehearsal that runs, where the overlay shows that.
    pub shown: ChannelHandle,
    pub record: OverlayRecord,
}

/// An overlay's page.
pub fn overlay(
    request: &HttpRequest,
    payload: Payload,
    OnAir { real, shown, record }: OnAir,
    app: Data<App>,
    have: Option<String>,
) -> Result<HttpResponse, actix_web::Error> {
    // What is arranged and who has it open is the channel's own; what is shown may be rehearsed.
    let hub = Arc::clone(&real.hub);
    let rehearses = !Arc::ptr_eq(&hub, &shown.hub);
    let laid = Laid {
        drawings: shown.hub.drawings(),
        layouts: hub.overlays_watch(),
        covers: shown.hub.cover_watch(),
        reloads: hub.reloads_watch(),
        sounds: shown.hub.sounds(),
        rehearsals: hub.rehearsal_watch(),
        rehearses,
        _rehearsed: rehearses.then(|| shown.hub.page_opened()),
        channel: shown.clone(),
        app,
        token: record.token,
        overlay: record.id,
        board: record.air,
        widgets: BTreeSet::new(),
        have,
        report: None,
        in_doubt: true,
        open: hub.page_opened(),
    };
    open(request, payload, laid, shown)
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
pub fn is_ours(request: &HttpRequest) -> bool {
    let origin = request.headers().get(header::ORIGIN).and_then(|value| value.to_str().ok()).unwrap_or_default();
    origin.split_once("://").map(|(_, rest)| rest) == Some(request.connection_info().host())
}

/// A page on air is told whether anything is seen.
fn cover(covers: &mut watch::Receiver<bool>) -> ByteString {
    json!({"cover": *covers.borrow_and_update()}).to_string().into()
}

/// A page is asked to load itself anew.
fn reload() -> ByteString {
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
