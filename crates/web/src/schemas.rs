//! `GET /schemas/{type}.json`: the published JSON Schemas: of each event type's data,
//! and of a file of feed rules.

use crate::error::WebError;
use actix_web::http::header;
use actix_web::{HttpResponse, web};
use tally_core::record::happening::Kind;
use tally_feeds::mapping::file;
use tally_feeds::schemas;

/// See the module.
pub async fn serve(name: web::Path<String>) -> HttpResponse {
    let kind = name.strip_prefix("tally.").and_then(|name| name.strip_suffix(".json")).and_then(Kind::of_key);
    let schema = match name.as_str() {
        "feed-rules.json" => Some(file::SCHEMA),
        _ => kind.and_then(schemas::of),
    };
    match schema {
        Some(schema) => HttpResponse::Ok()
            .content_type("application/schema+json")
            .insert_header((header::ACCESS_CONTROL_ALLOW_ORIGIN, "*"))
            .body(schema),
        None => WebError::NotFound.problem(),
    }
}
