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
    hash.finalize().iter().take(6).map(|byte| format!("{byte:02x}")).collect()
});

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
    match Assets::get(&name) {
        Some(file) => HttpResponse::Ok()
            .insert_header((header::CONTENT_TYPE, content_type(&name)))
            .insert_header(CacheControl(vec![
                CacheDirective::Public,
                CacheDirective::MaxAge(31_536_000),
                CacheDirective::Extension("immutable".into(), None),
            ]))
            .body(file.data.into_owned()),
        None => HttpResponse::NotFound().finish(),
    }
}
