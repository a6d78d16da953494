//! A tip service: a page where a visitor tips. It signs and delivers each tip to the feed's
//! address, tries again with growing waits, and can be told to deliver twice or late.

use crate::Wirings;
use crate::delivery::{self, Book, Delivery, Tip};
use actix_web::http::header::{self, ContentType};
use actix_web::{HttpResponse, Responder, rt, web};
use askama::Template;
use serde::Deserialize;
use std::time::Duration;

/// The longest that a tip can be held back, in seconds.
const LATEST: u64 = 3_600;

#[derive(Template)]
#[template(path = "tip_jar.html")]
struct Page {
    deliveries: Deliveries,
}

#[derive(Template)]
#[template(path = "deliveries.html")]
struct Deliveries {
    all: Vec<Delivery>,
}

/// What is typed in.
#[derive(Debug, Deserialize)]
pub struct Form {
    name: String,
    amount: String,
    currency: String,
    message: String,
    twice: Option<String>,
    late: String,
}

/// A template as a page.
pub(crate) fn html(template: &impl Template) -> HttpResponse {
    match template.render() {
        Ok(body) => HttpResponse::Ok().insert_header(ContentType::html()).body(body),
        Err(error) => {
            tracing::error!(%error, "a stand-in's page failed");
            HttpResponse::InternalServerError().finish()
        }
    }
}

/// `GET /`
pub async fn show(book: web::Data<Book>) -> HttpResponse {
    html(&Page { deliveries: Deliveries { all: book.all() } })
}

/// `GET /deliveries`
pub async fn deliveries(book: web::Data<Book>) -> HttpResponse {
    html(&Deliveries { all: book.all() })
}

/// `POST /`
pub async fn tip(book: web::Data<Book>, wirings: web::Data<Wirings>, form: web::Form<Form>) -> HttpResponse {
    let form = form.into_inner();
    let late = Duration::from_secs(form.late.trim().parse::<u64>().unwrap_or(0).min(LATEST));
    let times = if form.twice.is_some() { 2 } else { 1 };
    let tip = Tip { name: form.name, amount: form.amount, currency: form.currency, message: form.message };
    let id = format!("tip-{:024x}", rand::random::<u128>() >> 32);
    let event = delivery::event(&id, &tip);
    let who = if tip.name.trim().is_empty() { "Somebody" } else { tip.name.trim() };
    let state = if late.is_zero() { "On its way".to_owned() } else { format!("Held back for {} s", late.as_secs()) };
    book.open(&id, &format!("{who}: {} {}", tip.amount.trim(), tip.currency), &state);
    rt::spawn(async move { delivery::deliver(&wirings.tips, &book, &id, &event, late, times).await });
    HttpResponse::SeeOther().insert_header((header::LOCATION, "/")).finish()
}

/// The page's style.
pub async fn style() -> impl Responder {
    HttpResponse::Ok().content_type("text/css; charset=utf-8").body(include_str!("../assets/stand-in.css"))
}

/// The page's script.
pub async fn script() -> impl Responder {
    HttpResponse::Ok().content_type("text/javascript; charset=utf-8").body(include_str!("../assets/stand-in.js"))
}
