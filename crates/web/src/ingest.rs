//! `POST /in/{feed_token}`: signed CloudEvents from outside, answered when they are durable.

use crate::app::App;
use crate::error::WebError;
use crate::inbox::{body, header};
use crate::mapped;
use crate::security::behind::behind;

use crate::security::guard;
use crate::security::places::Use;
use actix_web::http::header::{ALLOW, HeaderValue};
use actix_web::http::{Method, StatusCode};
use actix_web::web::{self, Payload};
use actix_web::{HttpRequest, HttpResponse};
use serde_json::json;
use tally_core::record::ids::{ChannelId, FeedId};
use tally_feeds::cloudevents::{self, Mode};
use tally_feeds::signature::{self, Signed};
use tally_store::feeds::Wiring;

/// When a sender should try a paused feed again.
const PAUSED_SECONDS: u64 = 60;

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
    let feed = match behind(app, request, token, app.engine.by_feed_token(token)).await {
        Ok(feed) => feed,
        Err(WebError::NotFound) => {
            return Err(WebError::refuse(
                StatusCode::FORBIDDEN,
                "No feed has this address; copy it anew from the Feeds room.",
            ));
        }
        Err(error) => return Err(error.problem()),
    };
    app.limits.feed(feed.id).map_err(|seconds| WebError::TooMany(seconds).problem())?;
    if feed.paused {
        // The sender keeps it and tries again, so that nothing is lost while the feed stands still.
        return Err(WebError::TooMany(PAUSED_SECONDS).problem());
    }
    guard::sent_by(request, Use::FeedBody(feed.id));
    let expand_gifts = match &feed.wiring {
        Wiring::Webhook { expand_gifts } if request.method() == Method::POST => *expand_gifts,
        Wiring::Webhook { .. } => {
            let mut answer = WebError::refuse(StatusCode::METHOD_NOT_ALLOWED, "Send events with POST.");
            answer.headers_mut().insert(ALLOW, HeaderValue::from_static("POST"));
            return Err(answer);
        }
        Wiring::AnyWebhook(webhook) => return mapped::deliver(app, request, payload, &feed, webhook).await,
        _ => {
            let words = "This feed is no webhook; make one in the Feeds room.";
            return Err(WebError::refuse(StatusCode::FORBIDDEN, words));
        }
    };
    let body = body(request, payload).await?;

    let headers = request.headers();
    let signed = Signed {
        id: header(headers, "webhook-id"),
        timestamp: header(headers, "webhook-timestamp"),
        signature: header(headers, "webhook-signature"),
    };
    let now = app.engine.now();
    // Where the computer's clock has jumped, the sender goes by one of the two.
    let fits = |at| signature::verify(&feed.secrets(at), signed, &body, at);
    fits(now)
        .or_else(|error| fits(app.engine.machine_now()).map_err(|_| error))
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
