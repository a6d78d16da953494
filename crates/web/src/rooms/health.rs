//! For whatever watches over the process.

use crate::app::App;
use actix_web::{HttpResponse, web};
use std::path::Path;

const MB: u64 = 1024 * 1024;

/// So many bytes are free on the disk of a folder, or of the nearest folder above it that is there.
fn free(folder: &Path) -> Option<u64> {
    let there = folder.ancestors().find(|folder| folder.exists())?;
    let disk = rustix::fs::statvfs(there).ok()?;
    Some(disk.f_bavail.saturating_mul(disk.f_frsize))
}

/// `GET /healthz`: the process answers.
pub async fn alive() -> HttpResponse {
    HttpResponse::Ok().body("alive\n")
}

/// `GET /readyz`: the database answers too, and every channel stands.
pub async fn ready(app: web::Data<App>) -> HttpResponse {
    let failing: Vec<String> = app.engine.failing().iter().map(ToString::to_string).collect();
    if !failing.is_empty() {
        let body = format!("a channel has failed and is being loaded anew: {}\n", failing.join(", "));
        return HttpResponse::ServiceUnavailable().body(body);
    }
    if !app.engine.writes() {
        return HttpResponse::ServiceUnavailable()
            .body("the last line could not be written; the database is away, or its disk is full\n");
    }
    if let Some(free) = free(&app.config.text_folder).filter(|free| *free < app.config.least_free) {
        let body = format!("only {} MB are free on the disk; {} MB must be\n", free / MB, app.config.least_free / MB);
        return HttpResponse::ServiceUnavailable().body(body);
    }
    match app.engine.store().ping().await {
        Ok(()) => HttpResponse::Ok().body("ready\n"),
        Err(_) => HttpResponse::ServiceUnavailable().body("the database is away\n"),
    }
}
