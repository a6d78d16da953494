//! What webhooks of every kind share: their bodies, their headers, and rules that are made ready once.

use crate::error::WebError;
use actix_web::HttpRequest;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::http::header::HeaderMap;
use actix_web::web::{self, Bytes, Payload};
use futures_util::StreamExt;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use tally_core::record::ids::FeedId;
use tally_feeds::intake::Intake;
use tally_store::feeds::Feed;
use tally_store::mapping::Webhook;

/// Most bytes of a delivery.
const MOST_BYTES: usize = 1024 * 1024;

/// The rules of feeds, made ready, each with the feed as it was then.
#[derive(Default)]
pub struct Ready(Mutex<HashMap<u32, ReadyFeed>>);

type ReadyFeed = (Arc<Feed>, Arc<Intake>);

impl Ready {
    /// The rules of a feed.
    ///
    /// # Errors
    /// A rule cannot be followed.
    pub fn of(&self, feed: &Arc<Feed>, webhook: &Webhook) -> Result<Arc<Intake>, String> {
        let mut ready = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, intake)) = ready.get(&feed.id).filter(|(known, _)| Arc::ptr_eq(known, feed)) {
            return Ok(Arc::clone(intake));
        }
        let intake = Intake::new(FeedId(feed.id), &webhook.mapping, false).map_err(|error| error.to_string())?;
        let intake = Arc::new(intake);
        ready.insert(feed.id, (Arc::clone(feed), Arc::clone(&intake)));
        Ok(intake)
    }
}

/// A header as text; empty where it is absent or none.
pub fn header<'a>(headers: &'a HeaderMap, name: &str) -> &'a str {
    headers.get(name).and_then(|value| value.to_str().ok()).unwrap_or_default()
}

/// The body, or a refusal as soon as it is known to be too large.
pub async fn body(request: &HttpRequest, mut payload: Payload) -> Result<Bytes, HttpResponse> {
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
