//! Signing in and out.

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::html;
use crate::security::passwords::PasswordError;
use crate::security::session::Owner;
use crate::security::{csrf, passwords, session};
use actix_session::Session;
use actix_web::http::StatusCode;
use actix_web::http::header::{ContentType, RETRY_AFTER};
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::record::ids::ChannelId;
use tally_store::StoreError;

/// Most characters of a name.
const MOST_NAME: usize = 80;

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

/// Tells htmx to load the room anew, as it is now, where it stands.
pub fn refreshed() -> HttpResponse {
    HttpResponse::Ok().insert_header(("HX-Refresh", "true")).finish()
}

/// `GET /sign-in`
pub async fn page(app: web::Data<App>, session: Session) -> Result<HttpResponse, WebError> {
    if !app.engine.store().has_owner().await? {
        return Ok(HttpResponse::SeeOther().insert_header(("Location", "/first-visit")).finish());
    }
    let page = Page { build: crate::assets::build(), csrf: csrf::token(&session) };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}

/// The line of a form that was sent too often, which browsers and programs may send again after so many seconds.
pub fn too_often(seconds: u64) -> HttpResponse {
    let message = "That was tried too often. Wait a minute and try again.";
    later(seconds, message)
}

/// The line of a form whose password was not looked at.
pub fn not_looked_at(error: PasswordError) -> HttpResponse {
    later(2, &sentence(&error.to_string()))
}

fn later(seconds: u64, message: &str) -> HttpResponse {
    let mut answer = refusal(message);
    *answer.status_mut() = StatusCode::TOO_MANY_REQUESTS;
    answer.headers_mut().insert(RETRY_AFTER, seconds.into());
    answer
}

/// `POST /sign-in`
pub async fn enter(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    form: web::Form<Form>,
) -> Result<HttpResponse, WebError> {
    const WRONG: &str = "Name and password do not fit together. Check both and try again.";
    let Form { name, password } = form.into_inner();
    let peer = app.config.proxies.peer(&request);
    if let Err(seconds) = app.limits.sign_in_from(&peer) {
        return Ok(too_often(seconds));
    }
    // Nobody has such a name or password, so nobody's time is spent on it.
    if name.chars().count() > MOST_NAME || password.chars().count() > passwords::MOST {
        return Ok(refusal(WRONG));
    }
    let user = match app.engine.store().user_by_name(name.trim().to_owned()).await {
        Ok(user) => Some(user),
        Err(StoreError::NotFound) => None,
        Err(error) => return Err(error.into()),
    };
    // By who was found: however the name is spelled, it is the same person.
    if let Some(user) = &user
        && let Err(seconds) = app.limits.sign_in_for(user.id, &peer)
    {
        return Ok(too_often(seconds));
    }
    let fits = match passwords::verify(password, user.as_ref().map(|user| user.password_hash.clone())).await {
        Ok(fits) => fits,
        Err(error) => return Ok(not_looked_at(error)),
    };
    match user.filter(|_| fits) {
        Some(user) => {
            session::sign_in(&session, &user, app.engine.now())?;
            app.engine.ask_for(ChannelId(user.channel_id));
            Ok(go_to("/desk"))
        }
        None => Ok(refusal(WRONG)),
    }
}

/// `POST /sign-out`: ends every session of whoever is signed in, so that a cookie that was kept opens nothing.
pub async fn leave(app: web::Data<App>, session: Session, owner: Option<Owner>) -> Result<HttpResponse, WebError> {
    if let Some(owner) = owner {
        let epoch = app.engine.store().end_sessions(owner.user).await?;
        app.access.sessions_ended(owner.user, epoch);
    }
    session::sign_out(&session);
    Ok(go_to("/sign-in"))
}
