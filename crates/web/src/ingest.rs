//! `POST /in/{feed_token}`: signed CloudEvents from outside, answered when they are durable.

use crate::app::App;
use crate::error::WebError;
use actix_web::http::StatusCode;
use actix_web::http::header::HeaderMap;
use actix_web::web::{self, Bytes, Payload};
use actix_web::{HttpRequest, HttpResponse};
use futures_util::StreamExt;
use serde_json::json;
use tally_core::record::ids::{ChannelId, FeedId};
use tally_engine::EngineError;
use tally_feeds::cloudevents::{self, Mode};
use tally_feeds::signature::{self, Signed};
use tally_store::feeds::Wiring;

/// When a sender should try a paused feed again.
const PAUSED_SECONDS: u64 = 60;
/// Most bytes of a delivery.
const MOST_BYTES: usize = 1024 * 1024;

fn refuse_event(problem: &tally_feeds::Problem) -> HttpResponse {
    let mut body = json!({
        "type": "about:blank",
        "title": "Bad Request",
        "status": 400,
        "detail": problem.detail,
        "pointer": problem.pointer,
    });
    if let Some(index) = problem.index {
        body["index"] = json!(index);
    }
    HttpResponse::BadRequest().content_type("application/problem+json").body(body.to_string())
}

fn header<'a>(headers: &'a HeaderMap, name: &str) -> &'a str {
    headers.get(name).and_then(|value| value.to_str().ok()).unwrap_or_default()
}

/// The body, or a refusal as soon as it is known to be too large.
async fn body(request: &HttpRequest, mut payload: Payload) -> Result<Bytes, HttpResponse> {
    let too_large =
        || WebError::refuse(StatusCode::PAYLOAD_TOO_LARGE, "A delivery has at most 1 MiB; send it in parts.");
    let announced: Option<usize> = header(request.headers(), "content-length").parse().ok();
    if announced.is_some_and(|bytes| bytes > MOST_BYTES) {
        return Err(too_large());
    }
    let mut body = web::BytesMut::with_capacity(announced.unwrap_or(1_024));
    while let Some(chunk) = payload.next().await {
        let chunk =
            chunk.map_err(|_| WebError::refuse(StatusCode::BAD_REQUEST, "The body broke off; send it again."))?;
        if body.len() + chunk.len() > MOST_BYTES {
            return Err(too_large());
        }
        body.extend_from_slice(&chunk);
    }
    Ok(body.freeze())
}

/// See the module.
pub async fn receive(
    app: web::Data<App>,
    request: HttpRequest,
    payload: Payload,
    token: web::Path<String>,
) -> HttpResponse {
    match deliver(&app, &request, payload, &token).await {
        Ok(answer) | Err(answer) => answer,
    }
}

async fn deliver(
    app: &App,
    request: &HttpRequest,
    payload: Payload,
    token: &str,
) -> Result<HttpResponse, HttpResponse> {
    let peer = app.config.proxies.peer(request);
    app.limits.may_try(&peer, token).map_err(|seconds| WebError::TooMany(seconds).problem())?;
    let feed = match app.engine.by_feed_token(token).await {
        Ok(feed) => {
            app.limits.was_right(&peer, token);
            feed
        }
        Err(EngineError::NotFound) => {
            app.limits.was_wrong(&peer);
            return Err(WebError::refuse(
                StatusCode::FORBIDDEN,
                "No feed has this address; copy it anew from the Feeds room.",
            ));
        }
        Err(error) => return Err(WebError::from(error).problem()),
    };
    app.limits.feed(feed.id).map_err(|seconds| WebError::TooMany(seconds).problem())?;
    let Wiring::Webhook { expand_gifts } = feed.wiring else {
        return Err(WebError::refuse(StatusCode::FORBIDDEN, "This feed is no webhook; make one in the Feeds room."));
    };
    if feed.paused {
        // The sender keeps it and tries again, so that nothing is lost while the feed stands still.
        return Err(WebError::TooMany(PAUSED_SECONDS).problem());
    }
    let body = body(request, payload).await?;

    let headers = request.headers();
    let signed = Signed {
        id: header(headers, "webhook-id"),
        timestamp: header(headers, "webhook-timestamp"),
        signature: header(headers, "webhook-signature"),
    };
    let now = app.engine.now();
    signature::verify(&feed.secrets(now), signed, &body, now)
        .map_err(|error| WebError::refuse(StatusCode::UNAUTHORIZED, &crate::error::sentence(&error.to_string())))?;

    let mode = Mode::of(header(headers, "content-type")).ok_or_else(|| {
        WebError::refuse(
            StatusCode::UNSUPPORTED_MEDIA_TYPE,
            "Send application/cloudevents+json, application/cloudevents-batch+json, or application/json with ce- headers.",
        )
    })?;
    let attributes: Vec<(String, String)> = headers
        .iter()
        .filter_map(|(name, value)| {
            let name = name.as_str().strip_prefix("ce-")?;
            Some((name.to_owned(), value.to_str().unwrap_or("\u{fffd}").to_owned()))
        })
        .collect();
    let events = cloudevents::parse(mode, &attributes, &body, now).map_err(|problem| refuse_event(&problem))?;
    let events = if expand_gifts {
        cloudevents::expand_gifts(events).map_err(|problem| refuse_event(&problem))?
    } else {
        events
    };

    let done = async {
        let channel = app.engine.channel(ChannelId(feed.channel_id)).await?;
        channel.ingest(FeedId(feed.id), events).await
    };
    match done.await {
        Ok(done) => Ok(HttpResponse::Ok().json(json!({
            "accepted": done.accepted,
            "duplicates": done.duplicates,
            "last_seq": done.last_seq,
        }))),
        Err(error) => Err(WebError::from(error).problem()),
    }
}
