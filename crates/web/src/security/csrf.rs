//! A page of another site can make a browser send our cookies, but it cannot read our pages. So
//! whatever changes something must carry a token that stands in the page.

use crate::error::WebError;
use actix_session::{Session, SessionExt};
use actix_web::ResponseError;
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::middleware::Next;
use subtle::ConstantTimeEq;

/// The header in which pages send the token.
pub const HEADER: &str = "x-csrf-token";
const KEY: &str = "csrf";

/// The session's token, made when first asked for.
pub fn token(session: &Session) -> String {
    if let Ok(Some(token)) = session.get::<String>(KEY) {
        return token;
    }
    let token = super::tokens::token(&mut rand::rng());
    // A session that cannot keep it answers the next request with "reload the page".
    let _ = session.insert(KEY, &token);
    token
}

/// Lets through what only reads, and what carries the token.
pub async fn guard(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody + 'static>, actix_web::Error> {
    if !request.method().is_safe() {
        let kept: Option<String> = request.get_session().get(KEY).unwrap_or_default();
        let sent = request.headers().get(HEADER).map(|value| value.as_bytes().to_vec()).unwrap_or_default();
        let fits = kept.is_some_and(|kept| bool::from(kept.as_bytes().ct_eq(&sent)));
        if !fits {
            return Ok(request.into_response(WebError::StalePage.error_response()).map_into_right_body());
        }
    }
    next.call(request).await.map(ServiceResponse::map_into_left_body)
}
