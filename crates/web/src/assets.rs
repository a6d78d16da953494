//! Fonts, styles, scripts and pictures: shipped inside the binary.

use actix_web::http::header::{self, CacheControl, CacheDirective};
use actix_web::{HttpRequest, HttpResponse, web};
use rust_embed::Embed;
use sha2::{Digest, Sha256};
use std::sync::LazyLock;

#[derive(Embed)]
#[folder = "assets/"]
struct Assets;

/// A word that changes whenever any asset or the version does. Pages carry it in the addresses of
/// what they load, so that a browser never mixes old and new.
static BUILD: LazyLock<String> = LazyLock::new(|| {
    let mut hash = Sha256::new();
    hash.update(env!("CARGO_PKG_VERSION"));
    let mut names: Vec<_> = Assets::iter().collect();
    names.sort();
    for file in names.iter().filter_map(|name| Assets::get(name)) {
        hash.update(file.metadata.sha256_hash());
    }
    crate::markup::hex(&hash.finalize()[..6])
});

/// The styles of drawings, in the order in which they count.
pub const AIR_STYLES: [&str; 13] = [
    "air/base.css",
    "air/goal.css",
    "air/lines.css",
    "air/leaderboard.css",
    "air/ticker.css",
    "air/crowd_wall.css",
    "air/figures.css",
    "air/clocks.css",
    "air/polls.css",
    "air/duels.css",
    "air/wheels.css",
    "air/boards.css",
    "air/trackers.css",
];

/// The scripts of live pages, in the order in which they are read.
const LIVE_SCRIPTS: [&str; 8] = [
    "vendor/idiomorph.min.js",
    "sounds.js",
    "celebration.js",
    "clock.js",
    "wheel.js",
    "own.js",
    "motion.js",
    "live.js",
];

/// Several files as one: a page that has just been opened waits for one answer, not for twenty. The name, and what is in it.
const BUNDLES: [(&str, &[&str]); 2] = [("air.css", &AIR_STYLES), ("live-page.js", &LIVE_SCRIPTS)];

/// A shipped file.
#[must_use]
pub fn bytes(name: &str) -> Option<Vec<u8>> {
    if let Some((_, parts)) = BUNDLES.iter().find(|(bundle, _)| *bundle == name) {
        let parts = parts.iter().filter_map(|part| Assets::get(part));
        return Some(parts.flat_map(|part| [&part.data[..], b"\n"].concat()).collect());
    }
    Assets::get(name).map(|file| file.data.into_owned())
}

/// A shipped file as text.
#[must_use]
pub fn text(name: &str) -> Option<String> {
    String::from_utf8(bytes(name)?).ok()
}

/// See [`BUILD`].
pub fn build() -> &'static str {
    &BUILD
}

fn content_type(name: &str) -> &'static str {
    match name.rsplit_once('.').map(|(_, end)| end) {
        Some("css") => "text/css; charset=utf-8",
        Some("js") => "text/javascript; charset=utf-8",
        Some("svg") => "image/svg+xml",
        Some("woff2") => "font/woff2",
        _ => "text/plain; charset=utf-8",
    }
}

/// `GET /assets/{build}/{name}`: for ever the same, so it may be kept for ever.
pub async fn serve(_: HttpRequest, path: web::Path<(String, String)>) -> HttpResponse {
    let (_, name) = path.into_inner();
    match bytes(&name) {
        Some(file) => HttpResponse::Ok()
            .insert_header((header::CONTENT_TYPE, content_type(&name)))
            .insert_header(CacheControl(vec![
                CacheDirective::Public,
                CacheDirective::MaxAge(31_536_000),
                CacheDirective::Extension("immutable".into(), None),
            ]))
            .body(file),
        None => HttpResponse::NotFound().finish(),
    }
}
