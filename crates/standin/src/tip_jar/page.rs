//! The page where a visitor tips.

use super::Wiring;
use super::delivery::{self, Book, Delivery, Tip};
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::header::{self, ContentType, HeaderValue};
use actix_web::middleware::Next;
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

fn html(template: &impl Template) -> HttpResponse {
    match template.render() {
        Ok(body) => HttpResponse::Ok().insert_header(ContentType::html()).body(body),
        Err(error) => {
            tracing::error!(%error, "the tip jar's page failed");
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
pub async fn tip(book: web::Data<Book>, wiring: web::Data<Wiring>, form: web::Form<Form>) -> HttpResponse {
    let form = form.into_inner();
    let late = Duration::from_secs(form.late.trim().parse::<u64>().unwrap_or(0).min(LATEST));
    let times = if form.twice.is_some() { 2 } else { 1 };
    let tip = Tip { name: form.name, amount: form.amount, currency: form.currency, message: form.message };
    let id = format!("tip-{:024x}", rand::random::<u128>() >> 32);
    let event = delivery::event(&id, &tip);
    let who = if tip.name.trim().is_empty() { "Somebody" } else { tip.name.trim() };
    let state = if late.is_zero() { "On its way".to_owned() } else { format!("Held back for {} s", late.as_secs()) };
    book.open(&id, &format!("{who}: {} {}", tip.amount.trim(), tip.currency), &state);
    rt::spawn(async move { delivery::deliver(&wiring, &book, &id, &event, late, times).await });
    HttpResponse::SeeOther().insert_header((header::LOCATION, "/")).finish()
}

/// The page's style.
pub async fn style() -> impl Responder {
    HttpResponse::Ok().content_type("text/css; charset=utf-8").body(include_str!("../../assets/tip-jar.css"))
}

/// The page's script.
pub async fn script() -> impl Responder {
    HttpResponse::Ok().content_type("text/javascript; charset=utf-8").body(include_str!("../../assets/tip-jar.js"))
}

/// The same care as in the application.
pub async fn protected(
    request: ServiceRequest,
    next: Next<impl MessageBody>,
) -> Result<ServiceResponse<impl MessageBody>, actix_web::Error> {
    const POLICY: &str = "default-src 'none'; img-src data:; style-src 'self'; script-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";
    let mut response = next.call(request).await?;
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY));
    headers.insert(header::X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
    Ok(response)
}
