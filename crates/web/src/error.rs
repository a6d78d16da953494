//! One place where failures become answers: problem+json (RFC 9457) for programs, a page or a line
//! of text for people. What is inside stays inside: a 5xx says nothing of its cause, the log does.

use crate::heavy::HeavyError;
use crate::markup::html;
use actix_web::http::StatusCode;
use actix_web::http::header::{self, ContentType};
use actix_web::{HttpResponse, ResponseError};
use askama::Template;
use serde_json::json;
use tally_core::record::ids::Seq;
use tally_engine::EngineError;
use tally_store::StoreError;

/// Why a helper's pass opens nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum PassOver {
    /// This browser has none.
    #[error("This needs a pass. Open the link that you were given, or type its three words.")]
    None,
    /// Its owner has taken it back.
    #[error("This pass was revoked. Ask whoever gave it to you for another.")]
    Revoked,
    /// Its time is over.
    #[error("This pass has ended. Ask whoever gave it to you for another.")]
    Ended,
    /// It is open on other devices already.
    #[error("This pass is open on as many devices as it allows. Give it back on one of them, or ask for another.")]
    NoMoreDevices,
    /// It was good for so many presses.
    #[error("This pass is used up. Ask whoever gave it to you for another.")]
    UsedUp,
    /// It is for other widgets.
    #[error("This pass is not for that.")]
    NotForThat,
}

/// Why a request was not carried out.
#[derive(Debug, thiserror::Error)]
pub enum WebError {
    /// Nobody is signed in.
    #[error("Sign in first.")]
    SignIn,
    /// A helper's pass does not open it.
    #[error(transparent)]
    Pass(#[from] PassOver),
    /// A program's token is not for that.
    #[error("This token lacks the scope “{0}”.")]
    Scope(&'static str),
    /// The page is older than the session.
    #[error("This page has grown old. Reload it and try again.")]
    StalePage,
    /// No such thing.
    #[error("There is nothing at this address.")]
    NotFound,
    /// At an address of the rehearsal, while none runs.
    #[error("The rehearsal is over. Begin another in its room.")]
    NoRehearsal,
    /// Too often.
    #[error("That was too often. Wait {0} seconds and try again.")]
    TooMany(u64),
    /// There is no place for more of it; the text says of what.
    #[error("{0}")]
    Full(String),
    /// The database is away.
    #[error("The record cannot be read or written at this moment. Nothing is lost; it will try again.")]
    Away,
    /// The program ended while it loaded the channel.
    #[error("The program ended while it loaded this channel. Sign in again to load it once more.")]
    Quarantined,
    /// The rules or the form refuse it; the text says what to change.
    #[error("{0}")]
    Refused(String),
    /// Of what a program asks: there is no such thing, and what there is.
    #[error("{0}")]
    Missing(String),
    /// Of what a program asks: it makes no sense as things stand.
    #[error("{0}")]
    Conflict(String),
    /// Something that should not happen. The text is for the log only.
    #[error("Something went wrong here. It has been written down.")]
    Inside(String),
}

impl From<StoreError> for WebError {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::Away(cause) => {
                tracing::warn!(%cause, "the database is away");
                Self::Away
            }
            StoreError::NotFound => Self::NotFound,
            StoreError::Taken => Self::Refused("That name is taken; choose another.".into()),
            StoreError::Refused(_) | StoreError::Unreadable(_) | StoreError::Migration(_) => {
                Self::Inside(error.to_string())
            }
        }
    }
}

/// Longest id of a press, in bytes.
const MOST_ID: usize = 100;

/// The id that a press brings along, by which a second try of it is known.
///
/// # Errors
/// It has none, or one that nobody keeps.
pub fn press_id(id: String) -> Result<String, WebError> {
    if id.is_empty() || id.len() > MOST_ID {
        return Err(WebError::Refused("A press needs an id of its own.".into()));
    }
    Ok(id)
}

impl From<HeavyError> for WebError {
    fn from(error: HeavyError) -> Self {
        match error {
            HeavyError::Busy => Self::TooMany(1),
            HeavyError::Failed => Self::Inside("work on a thread of its own came to no end".into()),
        }
    }
}

impl From<EngineError> for WebError {
    fn from(error: EngineError) -> Self {
        match error {
            EngineError::Away => Self::Away,
            EngineError::NotFound => Self::NotFound,
            EngineError::Refused(refusal) => Self::Refused(sentence(&refusal.to_string())),
            EngineError::Edit(refusal) => Self::Refused(sentence(&refusal.to_string())),
            EngineError::Cue(refusal) => Self::Refused(sentence(&refusal.to_string())),
            EngineError::Bot(refusal) => Self::Refused(sentence(&refusal.to_string())),
            EngineError::Desk(refusal) => Self::Refused(sentence(&refusal.to_string())),
            EngineError::Look(refusal) => Self::Refused(sentence(&refusal.to_string())),
            EngineError::KeyReused => Self::Refused(sentence(&error.to_string())),
            EngineError::Quarantined => Self::Quarantined,
            EngineError::Store(error) => error.into(),
        }
    }
}

/// Words with a capital letter in front and a full stop behind.
pub fn sentence(words: &str) -> String {
    let mut letters = words.chars();
    let first = letters.next().map(|first| first.to_uppercase().to_string()).unwrap_or_default();
    let stop = if words.ends_with(['.', '!', '?']) { "" } else { "." };
    format!("{first}{}{stop}", letters.as_str())
}

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage<'a> {
    build: &'a str,
    message: &'a str,
    /// Where to go from here, and its words.
    way: (&'static str, &'static str),
}

impl WebError {
    /// The answer for programs.
    #[must_use]
    pub fn problem(&self) -> HttpResponse {
        self.note();
        let status = self.status_code();
        let mut answer = HttpResponse::build(status);
        if let Some(seconds) = self.retry_after() {
            answer.insert_header((header::RETRY_AFTER, seconds));
        }
        answer.content_type("application/problem+json").body(
            json!({
                "type": "about:blank",
                "title": status.canonical_reason(),
                "status": status.as_u16(),
                "detail": self.to_string(),
            })
            .to_string(),
        )
    }

    /// Another answer for programs, with its status and what to do.
    #[must_use]
    pub fn refuse(status: StatusCode, detail: &str) -> HttpResponse {
        HttpResponse::build(status).content_type("application/problem+json").body(
            json!({
                "type": "about:blank",
                "title": status.canonical_reason(),
                "status": status.as_u16(),
                "detail": detail,
            })
            .to_string(),
        )
    }

    fn retry_after(&self) -> Option<u64> {
        match self {
            Self::TooMany(seconds) => Some(*seconds),
            Self::Away => Some(2),
            Self::Full(_) => Some(10),
            _ => None,
        }
    }

    fn note(&self) {
        if let Self::Inside(cause) = self {
            tracing::error!(%cause, "a request failed");
        }
    }
}

/// A failure of which a program, or a script of ours, is told as problem+json.
#[derive(Debug)]
pub struct Problem(WebError);

/// What a program, or a script of ours, is told.
pub type Answer = Result<HttpResponse, Problem>;

impl<E: Into<WebError>> From<E> for Problem {
    fn from(error: E) -> Self {
        Self(error.into())
    }
}

impl std::fmt::Display for Problem {
    fn fmt(&self, to: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.fmt(to)
    }
}

impl ResponseError for Problem {
    fn status_code(&self) -> StatusCode {
        self.0.status_code()
    }

    fn error_response(&self) -> HttpResponse {
        self.0.problem()
    }
}

/// The line of the ledger that something has made.
pub fn entered(seq: Seq) -> HttpResponse {
    HttpResponse::Ok().json(json!({"entry": seq}))
}

impl ResponseError for WebError {
    fn status_code(&self) -> StatusCode {
        match self {
            Self::SignIn | Self::NoRehearsal => StatusCode::SEE_OTHER,
            Self::StalePage | Self::Pass(_) | Self::Scope(_) => StatusCode::FORBIDDEN,
            Self::NotFound | Self::Missing(_) => StatusCode::NOT_FOUND,
            Self::Conflict(_) => StatusCode::CONFLICT,
            Self::TooMany(_) => StatusCode::TOO_MANY_REQUESTS,
            Self::Away | Self::Quarantined | Self::Full(_) => StatusCode::SERVICE_UNAVAILABLE,
            Self::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
            Self::Inside(_) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    fn error_response(&self) -> HttpResponse {
        self.note();
        let mut answer = HttpResponse::build(self.status_code());
        if matches!(self, Self::SignIn) {
            return answer.insert_header((header::LOCATION, "/sign-in")).finish();
        }
        if matches!(self, Self::NoRehearsal) {
            return answer.insert_header((header::LOCATION, "/rehearsals")).finish();
        }
        if let Some(seconds) = self.retry_after() {
            answer.insert_header((header::RETRY_AFTER, seconds));
        }
        let message = self.to_string();
        let way = match self {
            Self::Pass(_) => ("/join", "Type three words"),
            Self::Quarantined => ("/sign-in", "Sign in"),
            _ => ("/", "To the first page"),
        };
        let page = ErrorPage { build: crate::assets::build(), message: &message, way };
        answer.insert_header(ContentType::html()).body(html(&page))
    }
}
