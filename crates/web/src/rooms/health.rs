//! For whatever watches over the process.

use crate::app::App;
use actix_web::{HttpResponse, web};

/// `GET /healthz`: the process answers.
pub async fn alive() -> HttpResponse {
    HttpResponse::Ok().body("alive\n")
}

/// `GET /readyz`: the database answers too.
pub async fn ready(app: web::Data<App>) -> HttpResponse {
    match app.engine.store().ping().await {
        Ok(()) => HttpResponse::Ok().body("ready\n"),
        Err(_) => HttpResponse::ServiceUnavailable().body("the database is away\n"),
    }
}
