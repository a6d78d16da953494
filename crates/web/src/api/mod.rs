//! `/api/v1`: everything the desk can do, for programs with a bearer token. `schemas/openapi.json` describes it.

mod program;
mod record;
mod run;
mod stream;
mod widgets;

pub use program::Scope;

use crate::error::{WebError, sentence};
use actix_web::http::{Method, StatusCode, header};
use actix_web::{HttpRequest, HttpResponse, Resource, web};
use serde::de::{DeserializeOwned, Error as _};
use serde::{Deserialize, Deserializer};
use serde_json::Number;
use tally_core::record::refusal::Refusal;
use tally_engine::EngineError;

/// What the interface is, as `OpenAPI` 3.1 has it.
const OPENAPI: &str = include_str!("../../schemas/openapi.json");

/// `GET /api/v1/openapi.json`
async fn openapi() -> HttpResponse {
    HttpResponse::Ok()
        .insert_header((header::ACCESS_CONTROL_ALLOW_ORIGIN, "*"))
        .content_type("application/json")
        .body(OPENAPI)
}

/// What the rules refuse, for programs: whether there is no such thing, whether it makes no sense as things stand, or whether
/// it could never be so.
fn refused(error: EngineError) -> WebError {
    let words = sentence(&error.to_string());
    match error {
        EngineError::Refused(Refusal::WrongValue(_)) => WebError::Refused(words),
        EngineError::Refused(Refusal::NoSuchWidget | Refusal::NoSuchAction(..)) => WebError::Missing(words),
        EngineError::Refused(_) | EngineError::KeyReused => WebError::Conflict(words),
        error => error.into(),
    }
}

/// A whole number. JSON has no other numbers than real ones, so `3.0` is one too.
fn whole<'de, D: Deserializer<'de>>(from: D) -> Result<Option<i64>, D::Error> {
    let Some(number) = Option::<Number>::deserialize(from)? else { return Ok(None) };
    #[allow(clippy::cast_possible_truncation, reason = "it was looked at whether it fits")]
    let from_float = |float: f64| {
        let fits = float.fract() == 0.0 && (-9.2e18..=9.2e18).contains(&float);
        fits.then_some(float as i64)
    };
    let whole = number.as_i64().or_else(|| number.as_f64().and_then(from_float));
    whole.map(Some).ok_or_else(|| D::Error::custom(format!("{number} is no whole number that fits")))
}

/// A text that is not too long.
fn bounded(name: &str, text: &str, most: usize) -> Result<(), WebError> {
    if text.chars().count() <= most {
        return Ok(());
    }
    Err(WebError::Refused(format!("The field {name} has at most {most} characters.")))
}

/// A number in an address.
fn number(text: &str) -> Result<u32, WebError> {
    text.parse().map_err(|_| WebError::NotFound)
}

/// A body of JSON.
fn read<T: DeserializeOwned>(body: &[u8]) -> Result<T, WebError> {
    // The library would fill a structure from a list too, field by field.
    if body.trim_ascii_start().first() != Some(&b'{') {
        return Err(WebError::Refused("The body must be a JSON object, in braces.".into()));
    }
    serde_json::from_slice(body)
        .map_err(|error| WebError::Refused(format!("The body cannot be read: {}.", plain_words(&error.to_string()))))
}

/// What the library says is wrong, without the names of its types.
fn plain_words(error: &str) -> String {
    let mut words = Vec::new();
    let mut named = false;
    for word in error.split(' ') {
        let bare = word.trim_end_matches([',', '.', ';', ':']);
        let rest = &word[bare.len()..];
        if std::mem::take(&mut named) {
            // The name of a structure is nobody's business.
            if let Some(last) = words.last_mut() {
                *last = format!("{last}{rest}");
            }
            continue;
        }
        let plain = match bare {
            "u8" | "u16" | "u32" | "u64" | "usize" | "i8" | "i16" | "i32" | "i64" | "isize" => "a whole number",
            "f32" | "f64" => "a number",
            "sequence" => "list",
            "map" => "object",
            "struct" | "enum" | "variant" => {
                named = true;
                "an object"
            }
            other => other,
        };
        words.push(format!("{plain}{rest}"));
    }
    words.join(" ")
}

/// A resource that is read, done, or both; asked otherwise, it says how.
fn resource(path: &str, allowed: &'static str) -> Resource {
    let refuse = move |request: HttpRequest| async move {
        let detail = format!("{} cannot be asked for with {}; use {allowed}.", request.path(), request.method());
        let mut answer = WebError::refuse(StatusCode::METHOD_NOT_ALLOWED, &detail);
        if let Ok(allowed) = header::HeaderValue::from_str(allowed) {
            answer.headers_mut().insert(header::ALLOW, allowed);
        }
        answer
    };
    web::resource(path).default_service(web::route().to(refuse))
}

async fn nothing() -> HttpResponse {
    WebError::NotFound.problem()
}

/// All of it.
pub fn scope() -> actix_web::Scope {
    // Whoever asks for the head alone gets it.
    let get = || {
        web::route()
            .guard(actix_web::guard::fn_guard(|context| matches!(context.head().method, Method::GET | Method::HEAD)))
    };
    let (read_only, done) = ("GET, HEAD", "POST");
    web::scope("/api/v1")
        .service(resource("/openapi.json", read_only).route(get().to(openapi)))
        .service(resource("/channel", read_only).route(get().to(run::channel)))
        .service(resource("/widgets", read_only).route(get().to(widgets::widgets)))
        .service(resource("/widgets/{id}", read_only).route(get().to(widgets::widget)))
        .service(resource("/widgets/{id}/actions/{action}", done).route(web::post().to(widgets::act)))
        .service(resource("/show", done).route(web::post().to(run::show)))
        .service(resource("/cover", done).route(web::post().to(run::cover)))
        .service(resource("/cues", read_only).route(get().to(run::cues)))
        .service(resource("/cues/{id}/fire", done).route(web::post().to(run::fire)))
        .service(resource("/overlays", read_only).route(get().to(run::overlays)))
        .service(resource("/overlays/{id}/appear", done).route(web::post().to(run::appear)))
        .service(
            resource("/entries", "GET, HEAD, POST")
                .route(get().to(record::entries))
                .route(web::post().to(record::write)),
        )
        .service(resource("/entries/{seq}/correct", done).route(web::post().to(record::correct)))
        .service(resource("/stream", read_only).route(get().to(stream::follow)))
        .default_service(web::route().to(nothing))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[derive(Debug, Deserialize)]
    #[allow(dead_code, reason = "only how it is refused matters")]
    struct Sample {
        many: u16,
        all: Vec<bool>,
    }

    #[test]
    fn a_body_is_an_object_and_is_refused_in_plain_words() {
        let refused = |body: &str| read::<Sample>(body.as_bytes()).unwrap_err().to_string();
        assert!(refused("[3, []]").contains("must be a JSON object"));
        assert!(refused("").contains("must be a JSON object"));
        for body in ["{\"many\": \"x\", \"all\": []}", "{\"many\": 70000, \"all\": []}", "{\"many\": 1, \"all\": {}}"] {
            let told = refused(body);
            for word in ["u16", "struct", "Sample", "sequence", "map"] {
                assert!(!told.contains(word), "{told}");
            }
        }
        assert_eq!(plain_words("expected struct Sample at line 1"), "expected an object at line 1");
    }
}
