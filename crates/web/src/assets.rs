//! Fonts, styles, scripts and pictures: shipped inside the binary.

use crate::css::minified;
use actix_web::http::header::{self, AcceptEncoding, CacheControl, CacheDirective, Encoding, Header};
use actix_web::{HttpRequest, HttpResponse, web};
use bytes::Bytes;
use flate2::Compression;
use flate2::write::GzEncoder;
use rust_embed::Embed;
use sha2::{Digest, Sha256};
use std::collections::HashMap;
use std::io::Write;
use std::sync::{LazyLock, Mutex, PoisonError};

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

/// Several files as one: a page that has just been opened waits for one answer, not for twenty, and fonts can come beside it.
/// The name, and what is in it.
const BUNDLES: [(&str, &[&[&str]]); 4] = [
    ("air.css", &[&["fonts.css"], &AIR_STYLES]),
    ("live-page.js", &[&LIVE_SCRIPTS]),
    ("overlay-page.css", &[&["fonts.css"], &AIR_STYLES, &["overlay.css"]]),
    ("overlay-page.js", &[&["overlay.js"], &LIVE_SCRIPTS]),
];

/// A shipped file.
#[must_use]
pub fn bytes(name: &str) -> Option<Vec<u8>> {
    if let Some((_, parts)) = BUNDLES.iter().find(|(bundle, _)| *bundle == name) {
        let parts = parts.iter().flat_map(|parts| *parts).filter_map(|part| Assets::get(part));
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

/// A shipped file as browsers get it: styles without what only people read, and pressed as far as it goes, once and for all.
#[derive(Clone)]
struct Served {
    plain: Bytes,
    /// As gzip (RFC 1952); none where that saves nothing, as with fonts.
    pressed: Option<Bytes>,
}

impl Served {
    fn of(name: &str) -> Option<Self> {
        let plain = bytes(name)?;
        let kind = content_type(name);
        let is_text = kind.starts_with("text/") || kind.ends_with("xml");
        let plain =
            if kind.starts_with("text/css") { minified(&String::from_utf8_lossy(&plain)).into() } else { plain };
        let pressed = is_text.then(|| pressed(&plain)).filter(|pressed| pressed.len() < plain.len());
        Some(Self { pressed: pressed.map(Bytes::from), plain: plain.into() })
    }

    /// The same, made when it is asked for the first time.
    fn kept(name: &str) -> Option<Self> {
        static KEPT: LazyLock<Mutex<HashMap<String, Served>>> = LazyLock::new(Mutex::default);
        if let Some(served) = KEPT.lock().unwrap_or_else(PoisonError::into_inner).get(name) {
            return Some(served.clone());
        }
        let served = Self::of(name)?;
        KEPT.lock().unwrap_or_else(PoisonError::into_inner).insert(name.to_owned(), served.clone());
        Some(served)
    }
}

fn pressed(plain: &[u8]) -> Vec<u8> {
    let mut press = GzEncoder::new(Vec::new(), Compression::best());
    // Writing to memory does not fail.
    press.write_all(plain).and_then(|()| press.finish()).unwrap_or_default()
}

/// `GET /assets/{build}/{name}`: for ever the same, so it may be kept for ever.
pub async fn serve(request: HttpRequest, path: web::Path<(String, String)>) -> HttpResponse {
    let (_, name) = path.into_inner();
    let unpacks = AcceptEncoding::parse(&request).is_ok_and(|accepted| {
        accepted.negotiate([Encoding::gzip()].iter()).is_some_and(|best| best == Encoding::gzip())
    });
    let served = Served::kept(&name);
    let body = served.map(|served| match served.pressed.filter(|_| unpacks) {
        Some(pressed) => (pressed, Some((header::CONTENT_ENCODING, "gzip"))),
        None => (served.plain, None),
    });
    match body {
        Some((file, packed)) => HttpResponse::Ok()
            .insert_header((header::CONTENT_TYPE, content_type(&name)))
            .insert_header((header::VARY, "accept-encoding"))
            .append_header(packed.unwrap_or((header::X_CONTENT_TYPE_OPTIONS, "nosniff")))
            .insert_header(CacheControl(vec![
                CacheDirective::Public,
                CacheDirective::MaxAge(31_536_000),
                CacheDirective::Extension("immutable".into(), None),
            ]))
            .body(file),
        None => HttpResponse::NotFound().finish(),
    }
}
