//! `/in/{feed_token}` of a webhook of any shape: who sent it is checked, rules make events of it, and it is
//! answered as its sender wants.

use crate::app::App;
use crate::error::WebError;
use crate::inbox::body;
use actix_web::http::StatusCode;
use actix_web::http::header::{self, ContentType};
use actix_web::web::Payload;
use actix_web::{HttpRequest, HttpResponse};
use serde_json::Value;
use std::sync::Arc;
use tally_core::record::ids::{ChannelId, FeedId};
use tally_engine::{ChannelHandle, Report};
use tally_feeds::intake::Message;
use tally_feeds::mapping::document::{self, Request};
use tally_feeds::mapping::sender;
use tally_store::feeds::Feed;
use tally_store::mapping::{Sender, Webhook};

/// Longest value that is echoed.
const MOST_ECHOED: usize = 1_000;

/// Takes a delivery in.
///
/// # Errors
/// The answer that says why not.
pub async fn deliver(
    app: &App,
    request: &HttpRequest,
    payload: Payload,
    feed: &Arc<Feed>,
    webhook: &Webhook,
) -> Result<HttpResponse, HttpResponse> {
    let bytes = body(request, payload).await?;
    let arrived = app.engine.now();
    let headers: Vec<(String, String)> = request
        .headers()
        .iter()
        .map(|(name, value)| (name.as_str().to_owned(), String::from_utf8_lossy(value.as_bytes()).into_owned()))
        .collect();
    let request = Request { headers: &headers, query: request.query_string(), body: &bytes };
    let proof = match &webhook.sender {
        Sender::Token { name, .. } => vec![name.as_str()],
        Sender::Hmac(hmac) => vec![hmac.header.as_str()],
        Sender::Address | Sender::Basic { .. } | Sender::Signed => Vec::new(),
    };
    let read = document::of_request(&request);
    let said = read.as_ref().ok().and_then(|document| document.get("body"));
    let channel =
        app.engine.channel(ChannelId(feed.channel_id)).await.map_err(|error| WebError::from(error).problem())?;
    let id = FeedId(feed.id);
    if let Err(why) = sender::check(&webhook.sender, &request, said, &feed.secrets(arrived), arrived) {
        trouble(&channel, id, why).await;
        let words =
            "The sender could not be verified; the state of this feed in the Feeds room says what was expected.";
        return Err(WebError::refuse(StatusCode::UNAUTHORIZED, words));
    }
    if let Some(echo) = challenge(&webhook.challenge, &request, said) {
        return Ok(HttpResponse::Ok().insert_header(ContentType::plaintext()).body(echo));
    }
    let mut document = match read {
        Ok(document) => document,
        Err(why) => {
            trouble(&channel, id, format!("a delivery could not be read: {why}")).await;
            return Err(WebError::refuse(StatusCode::BAD_REQUEST, &why));
        }
    };
    document::mask(&mut document, &proof);
    let intake = match app.ready.of(feed, webhook) {
        Ok(intake) => intake,
        Err(why) => {
            trouble(&channel, id, format!("its rules cannot be followed: {why}")).await;
            return Err(WebError::refuse(StatusCode::SERVICE_UNAVAILABLE, "This feed's rules cannot be followed."));
        }
    };
    let taken = intake
        .take(&app.engine, &channel, vec![Message { arrived, document }])
        .await
        .map_err(|error| WebError::from(error).problem())?;
    if let Some(why) = taken.trouble() {
        trouble(&channel, id, why).await;
    } else if taken.kept > 0 {
        // A line of the ledger tells by itself that something came; what is only kept does not.
        let _ = channel.report(id, Report::Heard).await;
    }
    let status = StatusCode::from_u16(webhook.status).unwrap_or(StatusCode::OK);
    let mut answer = HttpResponse::build(status);
    if webhook.answer.is_empty() || status == StatusCode::NO_CONTENT {
        return Ok(answer.finish());
    }
    let json = serde_json::from_str::<Value>(&webhook.answer).is_ok_and(|value| value.is_object() || value.is_array());
    answer.insert_header((header::CONTENT_TYPE, if json { "application/json" } else { "text/plain; charset=utf-8" }));
    Ok(answer.body(webhook.answer.clone()))
}

async fn trouble(channel: &ChannelHandle, feed: FeedId, why: String) {
    // A channel that is being let go needs no report.
    let _ = channel.report(feed, Report::Trouble(why)).await;
}

/// The value to echo, where the delivery only asks whether we are there.
fn challenge(wanted: &str, request: &Request<'_>, body: Option<&Value>) -> Option<String> {
    let found = if wanted.is_empty() {
        None
    } else if wanted.starts_with('/') {
        body?.pointer(wanted)?.as_str().map(str::to_owned)
    } else {
        request.parameter(wanted)
    };
    found.filter(|echo| !echo.is_empty() && echo.chars().count() <= MOST_ECHOED)
}
