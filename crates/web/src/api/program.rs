//! Programs: who they are by their tokens, and what they may do.

use crate::app::App;
use crate::error::WebError;
use crate::security::behind::behind;
use crate::security::tokens;
use actix_web::dev::Payload;
use actix_web::http::header;
use actix_web::{FromRequest, HttpRequest, HttpResponse, web};
use chrono::TimeDelta;
use serde_json::json;
use std::future::Future;
use std::pin::Pin;
use tally_core::time::after;
use tally_engine::{By, ChannelHandle};

/// The longest key by which a second try is known.
const MOST_KEY: usize = 100;

/// That a token is used is noted at most so often.
const NOTED_EVERY: TimeDelta = TimeDelta::seconds(60);

/// What a token lets a program do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scope {
    /// See everything.
    Read,
    /// Do what the desk does.
    Operate,
    /// Write lines into the ledger by hand, and correct them.
    Record,
}

impl Scope {
    /// Its word.
    pub fn key(self) -> &'static str {
        match self {
            Self::Read => "read",
            Self::Operate => "operate",
            Self::Record => "record",
        }
    }
}

/// A program that showed a token.
pub struct Program {
    /// The number of its token.
    pub token: u32,
    /// What its owner calls it.
    pub name: String,
    scopes: String,
    /// The channel.
    pub channel: ChannelHandle,
}

impl Program {
    /// Whether it may do something.
    ///
    /// # Errors
    /// Its token lacks the scope.
    pub fn may(&self, scope: Scope) -> Result<(), WebError> {
        let has = self.scopes.split_ascii_whitespace().any(|one| one == scope.key());
        if has { Ok(()) } else { Err(WebError::Scope(scope.key())) }
    }

    /// Who does something, with the key by which a second try is known. A key is good for one token alone.
    ///
    /// # Errors
    /// A key that nobody keeps.
    pub fn by(&self, request: &HttpRequest) -> Result<By, WebError> {
        let key = match request.headers().get("idempotency-key") {
            None => tokens::token(&mut rand::rng()),
            Some(key) => match key.to_str() {
                Ok(key) if !key.is_empty() && key.len() <= MOST_KEY => key.to_owned(),
                _ => {
                    let why = format!("Idempotency-Key must be 1 to {MOST_KEY} printable ASCII characters.");
                    return Err(WebError::Refused(why));
                }
            },
        };
        Ok(By { name: self.name.clone(), id: format!("api/{}:{key}", self.token) })
    }
}

/// The token of an `Authorization` header; the name of a scheme is the same in any case (RFC 9110, 11.1).
fn bearer(value: &str) -> Option<&str> {
    let (scheme, token) = value.split_once(' ')?;
    scheme.eq_ignore_ascii_case("Bearer").then(|| token.trim())
}

impl FromRequest for Program {
    type Error = actix_web::Error;
    type Future = Pin<Box<dyn Future<Output = Result<Self, actix_web::Error>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let app = request.app_data::<web::Data<App>>().cloned();
        let sent = request.headers().get(header::AUTHORIZATION).and_then(|value| value.to_str().ok());
        let token = sent.and_then(bearer).unwrap_or_default().to_owned();
        let request = request.clone();
        Box::pin(async move {
            let found = async {
                let app = app.ok_or_else(|| WebError::Inside("no application".into()))?;
                let token = match behind(&app, &request, &token, app.engine.store().api_token(token.clone())).await {
                    Err(WebError::NotFound) => return Ok(None),
                    found => found?,
                };
                let channel = app.engine.channel(token.channel).await?;
                let now = app.engine.now();
                if token.used_at.is_none_or(|used| after(used, NOTED_EVERY) < now) {
                    // A database that is away notes it the next time.
                    let _ = app.engine.store().note_api_token(token.id, now).await;
                }
                Ok(Some(Self { token: token.id, name: token.name, scopes: token.scopes, channel }))
            };
            match found.await {
                Ok(Some(program)) => Ok(program),
                Ok(None) => Err(answer(&unauthorised())),
                Err(error) => Err(answer(&error)),
            }
        })
    }
}

/// A failure that stays problem+json whatever page it would otherwise become.
fn answer(error: &WebError) -> actix_web::Error {
    let response = match error {
        WebError::SignIn => HttpResponse::Unauthorized()
            .insert_header((header::WWW_AUTHENTICATE, "Bearer"))
            .content_type("application/problem+json")
            .body(
                json!({"type": "about:blank", "title": "Unauthorized", "status": 401,
                    "detail": "Send the header Authorization: Bearer, followed by a token of this channel."})
                .to_string(),
            ),
        other => other.problem(),
    };
    actix_web::error::InternalError::from_response(error.to_string(), response).into()
}

fn unauthorised() -> WebError {
    WebError::SignIn
}
