//! The published JSON Schemas: of each event type's data and of a file of feed rules (`GET /schemas/{type}.json`), and
//! of what each family of widgets tells to programs (`GET /schemas/views/{family}.json`).

use crate::error::WebError;
use actix_web::http::header;
use actix_web::{HttpResponse, web};
use tally_core::record::happening::Kind;
use tally_feeds::mapping::file;
use tally_feeds::schemas;

/// `GET /schemas/{type}.json`
pub async fn serve(name: web::Path<String>) -> HttpResponse {
    let kind = name.strip_prefix("tally.").and_then(|name| name.strip_suffix(".json")).and_then(Kind::of_key);
    let schema = match name.as_str() {
        "feed-rules.json" => Some(file::SCHEMA),
        _ => kind.and_then(schemas::of),
    };
    answer(schema)
}

/// The views, by family. A test holds every family to its schema.
const VIEWS: [(&str, &str); 16] = [
    ("goal", include_str!("../schemas/views/goal.json")),
    ("total", include_str!("../schemas/views/total.json")),
    ("label", include_str!("../schemas/views/label.json")),
    ("carousel", include_str!("../schemas/views/carousel.json")),
    ("event_list", include_str!("../schemas/views/event_list.json")),
    ("ticker", include_str!("../schemas/views/ticker.json")),
    ("leaderboard", include_str!("../schemas/views/leaderboard.json")),
    ("crowd_wall", include_str!("../schemas/views/crowd_wall.json")),
    ("chat_lines", include_str!("../schemas/views/chat_lines.json")),
    ("counter", include_str!("../schemas/views/counter.json")),
    ("clock", include_str!("../schemas/views/clock.json")),
    ("subathon", include_str!("../schemas/views/subathon.json")),
    ("poll", include_str!("../schemas/views/poll.json")),
    ("scoreboard", include_str!("../schemas/views/scoreboard.json")),
    ("tracker", include_str!("../schemas/views/tracker.json")),
    ("wheel", include_str!("../schemas/views/wheel.json")),
];

/// `GET /schemas/views/{family}.json`
pub async fn view(name: web::Path<String>) -> HttpResponse {
    let family = name.strip_suffix(".json");
    answer(VIEWS.into_iter().find(|(known, _)| Some(*known) == family).map(|(_, schema)| schema))
}

fn answer(schema: Option<&'static str>) -> HttpResponse {
    match schema {
        Some(schema) => HttpResponse::Ok()
            .content_type("application/schema+json")
            .insert_header((header::ACCESS_CONTROL_ALLOW_ORIGIN, "*"))
            .body(schema),
        None => WebError::NotFound.problem(),
    }
}
