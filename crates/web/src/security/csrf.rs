//! A page of another site can make a browser send our cookies, but it cannot read our pages. So
//! whatever changes something must carry a token that stands in the page: scripts send it as a header,
//! forms that are sent without scripts as a field.

use super::places::Use;
use crate::error::WebError;
use actix_session::{Session, SessionExt};
use actix_web::ResponseError;
use actix_web::body::MessageBody;
use actix_web::dev::{Payload, ServiceRequest, ServiceResponse};
use actix_web::http::StatusCode;
use actix_web::http::header::{self, HeaderMap, HeaderValue};
use actix_web::middleware::Next;
use actix_web::web::Bytes;
use futures_util::stream;
use subtle::ConstantTimeEq;

/// The header in which pages send the token.
pub const HEADER: &str = "x-csrf-token";
/// The field in which forms send it.
const FIELD: &str = "csrf";
const KEY: &str = "csrf";

tokio::task_local! {
    /// The session of the request that is being answered.
    static SESSION: Session;
    /// Its token, where a page is drawn on another thread than the request is answered on.
    static TOKEN: String;
}

/// The token of the request that is being answered, for drawing its page elsewhere; empty where it has no session.
pub fn of_request() -> String {
    SESSION.try_with(token).unwrap_or_default()
}

/// Draws a page of a request elsewhere: its forms carry this token.
pub fn drawing<T>(token: String, draw: impl FnOnce() -> T) -> T {
    TOKEN.sync_scope(token, draw)
}

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

/// Forgets the session's token, so that the next page gets another: one that was known before somebody signed in is
/// good for nothing after.
pub fn renew(session: &Session) {
    session.remove(KEY);
}

/// The field of a form that carries the token, as markup. Tokens need no escaping.
pub fn field() -> String {
    let token = TOKEN.try_with(String::clone).unwrap_or_else(|_| of_request());
    format!(r#"<input type="hidden" name="{FIELD}" value="{token}">"#)
}

/// Lets through what only reads, and what carries the token.
pub async fn guard(
    mut request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody + 'static>, actix_web::Error> {
    let session = request.get_session();
    if !request.method().is_safe() {
        if let Some(person) = super::session::person(&session) {
            super::guard::sent_by(request.request(), Use::PersonBody(person));
        }
        let kept: Option<String> = session.get(KEY).unwrap_or_default();
        let sent = match request.headers().get(HEADER) {
            Some(value) => value.as_bytes().to_vec(),
            None => in_form(&mut request).await,
        };
        let fits = kept.is_some_and(|kept| bool::from(kept.as_bytes().ct_eq(&sent)));
        if !fits {
            return Ok(request.into_response(WebError::StalePage.error_response()).map_into_right_body());
        }
    }
    let by_script = request.headers().contains_key("hx-request") || request.headers().contains_key(HEADER);
    let from = request.headers().get(header::REFERER).and_then(|value| value.to_str().ok()).map(str::to_owned);
    let mut response = SESSION.scope(session, next.call(request)).await?;
    if !by_script {
        follow(response.response_mut(), from.as_deref());
    }
    Ok(response.map_into_left_body())
}

/// The token in a form's field. The body is put back for whoever reads it next.
async fn in_form(request: &mut ServiceRequest) -> Vec<u8> {
    let kind = request.headers().get(header::CONTENT_TYPE).and_then(|value| value.to_str().ok()).unwrap_or_default();
    if !kind.starts_with("application/x-www-form-urlencoded") {
        return Vec::new();
    }
    let body = request.extract::<Bytes>().await.unwrap_or_default();
    let sent = url::form_urlencoded::parse(&body).find(|(name, _)| name == FIELD);
    let sent = sent.map(|(_, value)| value.as_bytes().to_vec()).unwrap_or_default();
    request.set_payload(Payload::Stream { payload: Box::pin(stream::iter([Ok(body)])) });
    sent
}

/// What scripts would be told to go to, a browser without them is sent to.
fn follow(response: &mut actix_web::HttpResponse<impl MessageBody>, from: Option<&str>) {
    let headers: &mut HeaderMap = response.headers_mut();
    let to = match headers.remove("hx-redirect").next() {
        Some(to) => Some(to),
        None if headers.remove("hx-refresh").next().is_some() => {
            // The page from which it came, told without its host.
            let path = from.and_then(|from| url::Url::parse(from).ok()).map(|from| from.path().to_owned());
            HeaderValue::from_str(&path.unwrap_or_else(|| "/".into())).ok()
        }
        None => None,
    };
    if let Some(to) = to {
        headers.insert(header::LOCATION, to);
        *response.status_mut() = StatusCode::SEE_OTHER;
    }
}

#[cfg(test)]
mod tests {
    use std::path::Path;

    fn forms(folder: &Path, found: &mut Vec<(String, String)>) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                forms(&path, found);
            } else {
                let text = std::fs::read_to_string(&path).unwrap();
                let rest = text.split("<form").skip(1);
                let form = |rest: &str| (path.display().to_string(), rest.split("</form>").next().unwrap().to_owned());
                found.extend(rest.map(form));
            }
        }
    }

    #[test]
    fn every_form_can_be_sent_without_scripts_and_never_by_its_address() {
        let mut found = Vec::new();
        forms(&Path::new(env!("CARGO_MANIFEST_DIR")).join("templates"), &mut found);
        assert!(found.len() > 20);
        for (file, form) in found {
            let head = form.split('>').next().unwrap();
            assert!(head.contains("action=\""), "{file}: {head}");
            if head.contains("method=\"get\"") {
                continue;
            }
            assert!(head.contains("method=\"post\""), "{file}: {head}");
            // Files are sent by a script, which carries the token in a header.
            assert!(form.contains("csrf::field()") || head.contains("data-upload"), "{file}: {head}");
        }
    }
}
