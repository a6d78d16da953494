//! For whatever watches over the process.

use crate::app::App;
use actix_web::{HttpResponse, web};

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
    match app.engine.store().ping().await {
        Ok(()) => HttpResponse::Ok().body("ready\n"),
        Err(_) => HttpResponse::ServiceUnavailable().body("the database is away\n"),
    }
}
