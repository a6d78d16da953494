//! What widgets show, for other programs: whoever knows a widget's address may read it, from any page.

use crate::air::find;
use crate::app::App;
use crate::clips;
use crate::error::WebError;
use crate::heavy::{ROOMS, Whose};
use crate::security::places::{Place, Use};
use crate::still::Still;
use crate::widgets::{self, Drawable};
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, HttpResponseBuilder, web};
use bytes::Bytes;
use futures_util::stream;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::convert::Infallible;
use std::time::Duration;
use tally_core::channel::Channel;
use tally_core::look::Token;
use tally_core::record::ids::WidgetId;
use tally_core::time::Instant;
use tally_core::widgets::Family;
use tally_core::widgets::view::View;
use tally_core::widgets::wheel::Wheel;
use tally_engine::{ChannelHandle, PageGuard, WidgetChannel};

/// A stream that has nothing to tell says so, so that both ends know that the other is there.
pub const KEEP_ALIVE: Duration = Duration::from_secs(15);

/// The whole view of a widget as JSON: what it shows in words and in numbers.
pub async fn value(channel: &ChannelHandle, id: WidgetId) -> Result<Value, WebError> {
    let view = move |channel: &Channel, now| {
        let mut view = channel.view(id, now)?;
        if let View::Poll(poll) = &mut view {
            poll.keep_secret();
        }
        Some(stamped(channel, id, now, &view))
    };
    channel.ask(view).await?.ok_or(WebError::NotFound)
}

/// A view with whose it is, and when it was looked at.
fn stamped(channel: &Channel, id: WidgetId, now: Instant, view: &View) -> Value {
    let mut value = widgets::view_json(view);
    if let Value::Object(fields) = &mut value {
        let seq = json!(channel.last_seq());
        fields.extend([("id".to_owned(), json!(id)), ("seq".to_owned(), seq), ("at".to_owned(), json!(now))]);
    }
    value
}

/// The same in the channel's turn; none where there is no such widget.
pub fn widget_json(channel: &Channel, id: WidgetId, now: Instant) -> Option<Value> {
    Some(stamped(channel, id, now, &channel.view(id, now)?))
}

/// For a picture that is opened by itself: it has all that it needs inside.
const STILL_POLICY: &str = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:; sandbox";

/// `GET /read/{token}.json`, `.txt` and `.svg`.
pub async fn read(
    app: web::Data<App>,
    request: HttpRequest,
    path: web::Path<(String, String)>,
) -> Result<HttpResponse, actix_web::Error> {
    let (token, form) = path.into_inner();
    let read = async {
        let (channel, id) = find(&app, &request, &token).await?;
        let mut answer = open_to_all();
        match form.as_str() {
            "json" => Ok(answer.json(value(&channel, id).await?)),
            "txt" => {
                let text = channel.ask(move |channel, now| Some(channel.view(id, now)?.text())).await?;
                let text = text.ok_or(WebError::NotFound)?;
                Ok(answer.content_type(header::ContentType::plaintext()).body(text))
            }
            "svg" => {
                let still = still(&channel, id).await?.ok_or(WebError::NotFound)?;
                let mut files = BTreeMap::new();
                for token in still.files() {
                    // One that was removed is not there; the fallback stands in.
                    if let Ok((sort, bytes)) = app.engine.store().clip(token.clone()).await {
                        files.insert(token, (clips::kind(sort, &bytes), bytes));
                    }
                }
                let draw = move || still.picture(|token| files.get(token).cloned());
                let picture = ROOMS.run(Whose::Channel(channel.id), draw).await?;
                answer.insert_header((header::CONTENT_SECURITY_POLICY, STILL_POLICY));
                Ok(answer.content_type("image/svg+xml").body(picture))
            }
            _ => Err(WebError::NotFound),
        }
    };
    Ok(read.await.unwrap_or_else(|error| error.problem()))
}

/// A widget as a picture by itself.
async fn still(channel: &ChannelHandle, id: WidgetId) -> Result<Option<Still>, WebError> {
    let seen = channel.ask(move |channel, now| {
        let scope = channel.scope(now);
        // A page of the streamer's own runs, which a picture does not: there the shape's drawing stands in.
        let (mut piece, _) = channel.widget(id)?.edited(Token::OwnDrawing.key(), "none", &scope).ok()?;
        if piece.key() == Wheel::KEY {
            // Other shapes of a wheel are turned by the page.
            piece = piece.edited("shape", "disc", &scope).ok()?.0;
        }
        piece.apply_looks(channel.looks());
        Some((Drawable::of(&piece, &scope), piece, now))
    });
    let Some((seen, piece, now)) = seen.await? else { return Ok(None) };
    let draw = move || Still::of(&seen.to_string(), (piece.key(), piece.title()), widgets::size(&piece), now);
    Ok(Some(ROOMS.run(Whose::Channel(channel.id), draw).await?))
}

/// An answer that any page may read, and nobody keeps: it is what is shown now.
fn open_to_all() -> HttpResponseBuilder {
    let mut answer = HttpResponse::Ok();
    answer.insert_header((header::ACCESS_CONTROL_ALLOW_ORIGIN, "*"));
    answer.insert_header((header::CACHE_CONTROL, "no-store"));
    answer
}

/// A program that follows a widget.
struct Following {
    channel: ChannelHandle,
    id: WidgetId,
    drawings: WidgetChannel,
    /// What was sent last: a widget may be drawn anew without showing anything else.
    sent: Option<Value>,
    _open: PageGuard,
    _place: Place,
}

/// Of what a program is told, what a change is seen by: not when it was asked for, nor after which line.
pub fn without_moment(mut told: Value) -> Value {
    if let Value::Object(fields) = &mut told {
        fields.retain(|name, _| !["at", "seq", "last_entry"].contains(&name.as_str()));
    }
    told
}

impl Following {
    /// The next message; none when the widget's address was withdrawn, or the channel is being let go.
    async fn next(&mut self) -> Option<Bytes> {
        loop {
            if self.sent.is_some() {
                match tokio::time::timeout(KEEP_ALIVE, self.drawings.changed()).await {
                    Ok(changed) => changed.ok()?,
                    Err(_) => return Some(Bytes::from_static(b": nothing new\n\n")),
                }
            }
            self.drawings.borrow_and_update();
            let view = value(&self.channel, self.id).await.ok()?;
            let told = without_moment(view.clone());
            if self.sent.as_ref() != Some(&told) {
                self.sent = Some(told);
                return Some(format!("data: {view}\n\n").into());
            }
        }
    }
}

/// `GET /read/{token}/stream`: the JSON of a widget now, and again whenever it shows something else, as server-sent events
/// (WHATWG HTML, 9.2).
pub async fn follow(
    app: web::Data<App>,
    request: HttpRequest,
    token: web::Path<String>,
) -> Result<HttpResponse, actix_web::Error> {
    let follow = async {
        let (channel, id) = find(&app, &request, &token).await?;
        let drawings = channel.hub.widget(id, &token).ok_or(WebError::NotFound)?;
        let place = app.places.open(&Use::Stream(app.config.proxies.peer(&request)))?;
        let open = channel.hub.page_opened();
        let following = Following { channel, id, drawings, sent: None, _open: open, _place: place };
        let messages = stream::unfold(following, |mut following| async move {
            let message = following.next().await?;
            Some((Ok::<_, Infallible>(message), following))
        });
        Ok(open_to_all().content_type("text/event-stream").streaming(Box::pin(messages)))
    };
    Ok(follow.await.unwrap_or_else(|error: WebError| error.problem()))
}
