//! Bodies come in time, or not at all. Somebody who sends half a form and waits holds a connection and
//! memory; so a body has a deadline and a least rate, and only so many may be under way.

use super::places::{Place, Places, Use};
use crate::app::App;
use crate::error::WebError;
use actix_web::body::MessageBody;
use actix_web::dev::{Payload, ServiceRequest, ServiceResponse};
use actix_web::error::PayloadError;
use actix_web::http::{ConnectionType, Method, StatusCode, header};
use actix_web::middleware::Next;
use actix_web::web::{self, Bytes};
use actix_web::{HttpMessage, HttpRequest};
use futures_util::{FutureExt, StreamExt, stream};
use std::sync::atomic::{AtomicU8, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::time::Instant;

/// A body has so much time, and more as more of it comes.
const PATIENCE: Duration = Duration::from_secs(10);
/// Bytes a second that must come in the long run.
const LEAST_RATE: u64 = 16 * 1024;
const FINE: u8 = 0;
const UNDER_WAY: u8 = 1;
const TOO_SLOW: u8 = 2;
const TOO_MANY: u8 = 3;

/// Whom a request's body is counted to. Whoever finds out who sends it says so before the body is read.
#[derive(Clone)]
struct CountedTo(Arc<Mutex<Use>>);

/// Says who sends the body of a request.
pub fn sent_by(request: &HttpRequest, by: Use) {
    if let Some(counted) = request.extensions().get::<CountedTo>() {
        *counted.0.lock().unwrap_or_else(PoisonError::into_inner) = by;
    }
}

struct Coming {
    payload: Payload,
    places: Arc<Places>,
    counted: CountedTo,
    place: Option<Place>,
    begun: Instant,
    bytes: u64,
    state: Arc<AtomicU8>,
}

impl Coming {
    async fn next(mut self) -> Option<(Result<Bytes, PayloadError>, Self)> {
        if matches!(self.state.load(Ordering::Relaxed), TOO_SLOW | TOO_MANY) {
            return None;
        }
        let mut come = self.payload.next().now_or_never();
        if come.is_none() {
            // What came in the same breath as the head is handed over when the connection has its next turn.
            tokio::task::yield_now().await;
            come = self.payload.next().now_or_never();
        }
        let chunk = match come {
            Some(chunk) => chunk,
            None => {
                if self.place.is_none() {
                    let by = self.counted.0.lock().unwrap_or_else(PoisonError::into_inner).clone();
                    self.place = self.places.take(&by);
                }
                if self.place.is_none() {
                    return Some((self.fails(TOO_MANY), self));
                }
                let deadline = self.begun + PATIENCE + Duration::from_secs(self.bytes / LEAST_RATE);
                match tokio::time::timeout_at(deadline, self.payload.next()).await {
                    Ok(chunk) => chunk,
                    Err(_) => return Some((self.fails(TOO_SLOW), self)),
                }
            }
        };
        match &chunk {
            Some(Ok(bytes)) => self.bytes += bytes.len() as u64,
            Some(Err(_)) => {}
            None => self.state.store(FINE, Ordering::Relaxed),
        }
        chunk.map(|chunk| (chunk, self))
    }

    fn fails(&self, how: u8) -> Result<Bytes, PayloadError> {
        self.state.store(how, Ordering::Relaxed);
        Err(PayloadError::Incomplete(None))
    }
}

/// Watches over the body of whatever brings one.
pub async fn guard(
    mut request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody + 'static>, actix_web::Error> {
    let app = request.app_data::<web::Data<App>>().cloned();
    let empty = request.headers().get(header::CONTENT_LENGTH).is_none_or(|length| length == "0")
        && !request.headers().contains_key(header::TRANSFER_ENCODING);
    let brings = !empty && !matches!(*request.method(), Method::GET | Method::HEAD | Method::OPTIONS);
    let Some(app) = app.filter(|_| brings) else {
        return next.call(request).await.map(ServiceResponse::map_into_left_body);
    };
    let state = Arc::new(AtomicU8::new(UNDER_WAY));
    let peer = Use::Body(app.config.proxies.peer(request.request()));
    let counted = CountedTo(Arc::new(Mutex::new(peer)));
    request.request().extensions_mut().insert(counted.clone());
    let coming = Coming {
        payload: request.take_payload(),
        places: Arc::clone(&app.places),
        counted,
        place: None,
        begun: Instant::now(),
        bytes: 0,
        state: Arc::clone(&state),
    };
    request.set_payload(Payload::Stream { payload: Box::pin(stream::unfold(coming, Coming::next)) });
    let response = next.call(request).await?;
    let why = match state.load(Ordering::Relaxed) {
        FINE => return Ok(response.map_into_left_body()),
        TOO_SLOW => Some((StatusCode::REQUEST_TIMEOUT, "The body came too slowly; send it again, faster.")),
        TOO_MANY => Some((StatusCode::SERVICE_UNAVAILABLE, "Too many bodies are under way; try again in a moment.")),
        _ => None,
    };
    // Whatever is left of the body is not waited for: the connection ends with the answer.
    let mut response = match why {
        Some((status, detail)) => response.into_response(WebError::refuse(status, detail)).map_into_right_body(),
        None => response.map_into_left_body(),
    };
    response.response_mut().head_mut().set_connection_type(ConnectionType::Close);
    Ok(response)
}
