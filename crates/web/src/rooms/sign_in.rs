//! Signing in and out.

use crate::air::peer;
use crate::app::App;
use crate::draw::html;
use crate::error::WebError;
use crate::security::{csrf, passwords, session};
use actix_session::Session;
use actix_web::http::header::ContentType;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_store::StoreError;

#[derive(Template)]
#[template(path = "rooms/sign_in.html")]
struct Page {
    build: &'static str,
    csrf: String,
}

#[derive(Template)]
#[template(path = "rooms/refusal.html")]
struct Refusal<'a> {
    message: &'a str,
}

/// What is typed in.
#[derive(Deserialize)]
pub struct Form {
    name: String,
    password: String,
}

/// The line that a form shows when it is refused.
pub fn refusal(message: &str) -> HttpResponse {
    HttpResponse::UnprocessableEntity().insert_header(ContentType::html()).body(html(&Refusal { message }))
}

/// Tells htmx to go to another page.
pub fn go_to(path: &str) -> HttpResponse {
    HttpResponse::Ok().insert_header(("HX-Redirect", path)).finish()
}

/// `GET /sign-in`
pub async fn page(app: web::Data<App>, session: Session) -> Result<HttpResponse, WebError> {
    if !app.engine.store().has_owner().await? {
        return Ok(HttpResponse::SeeOther().insert_header(("Location", "/first-visit")).finish());
    }
    let page = Page { build: crate::assets::build(), csrf: csrf::token(&session) };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}

/// `POST /sign-in`
pub async fn enter(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    form: web::Form<Form>,
) -> Result<HttpResponse, WebError> {
    let Form { name, password } = form.into_inner();
    if app.limits.sign_in(&name, &peer(&request)).is_err() {
        return Ok(refusal("That was tried too often. Wait a minute and try again."));
    }
    let user = match app.engine.store().user_by_name(name.trim().to_owned()).await {
        Ok(user) => Some(user),
        Err(StoreError::NotFound) => None,
        Err(error) => return Err(error.into()),
    };
    let fits = passwords::verify(password, user.as_ref().map(|user| user.password_hash.clone())).await;
    match user.filter(|_| fits) {
        Some(user) => {
            session::sign_in(&session, &user)?;
            Ok(go_to("/desk"))
        }
        None => Ok(refusal("Name and password do not fit together. Check both and try again.")),
    }
}

/// `POST /sign-out`
pub async fn leave(session: Session) -> HttpResponse {
    session::sign_out(&session);
    go_to("/sign-in")
}
