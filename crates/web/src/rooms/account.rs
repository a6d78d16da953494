//! The account: its password, and the tokens of programs.

use crate::api::Scope;
use crate::app::App;
use crate::error::WebError;
use crate::markup::html;
use crate::rooms::drawn::drawn;
use crate::rooms::first_visit::{hashed, named};
use crate::rooms::frame::Frame;
use crate::rooms::sign_in::{go_to, not_looked_at, refusal, too_often};
use crate::security::session::{self, Owner};
use crate::security::{passwords, tokens};
use actix_session::Session;
use actix_web::http::header::ContentType;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::time::words::instant_words;
use tally_store::StoreError;
use tally_store::accounts::ApiToken;

/// Most tokens of a channel.
const MOST_TOKENS: usize = 50;

/// A token that is in force.
struct Kept {
    id: u32,
    name: String,
    may: String,
    used: String,
}

#[derive(Template)]
#[template(path = "rooms/account.html")]
struct Page {
    frame: Frame,
    name: String,
    tokens: Vec<Kept>,
}

/// `GET /account`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let calendar = owner.channel.calendar().await?;
    let kept = |token: ApiToken| Kept {
        id: token.id,
        may: token.scopes.replace(' ', ", "),
        used: token.used_at.map_or("not used yet".into(), |at| format!("used {}", instant_words(&calendar, at))),
        name: token.name,
    };
    let tokens = app.engine.store().api_tokens(owner.channel.id).await?.into_iter().map(kept).collect();
    let frame = Frame::new(&app, &owner, "/account").await?;
    drawn(owner.whose(), Page { frame, name: owner.name, tokens }).await
}

/// A change of password as it is typed.
#[derive(Deserialize)]
pub struct Passwords {
    present: String,
    new: String,
}

/// `POST /account/password`: another password. All other sessions end.
pub async fn password(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    owner: Owner,
    form: web::Form<Passwords>,
) -> Result<HttpResponse, WebError> {
    let Passwords { present, new } = form.into_inner();
    if let Err(seconds) = app.limits.sign_in_for(owner.user, &app.config.proxies.peer(&request)) {
        return Ok(too_often(seconds));
    }
    let user = app.engine.store().user(owner.user).await?;
    match passwords::verify(present, Some(user.password_hash)).await {
        Ok(true) => {}
        Ok(false) => return Ok(refusal("The present password is another one. Check it and try again.")),
        Err(error) => return Ok(not_looked_at(error)),
    }
    let hash = match hashed(new).await {
        Ok(hash) => hash,
        Err(WebError::Refused(why)) => return Ok(refusal(&why)),
        Err(error) => return Err(error),
    };
    let user = app.engine.store().set_password(owner.user, hash).await?;
    app.access.sessions_ended(user.id, user.session_epoch);
    session::sign_in(&session, &user, app.engine.now())?;
    Ok(go_to("/account"))
}

/// A new token as it is typed.
#[derive(Deserialize)]
pub struct NewToken {
    name: String,
    #[serde(default)]
    operate: String,
    #[serde(default)]
    record: String,
}

/// A token that was just made: shown once.
#[derive(Template)]
#[template(path = "rooms/account_token.html")]
struct Made {
    name: String,
    token: String,
}

/// `POST /account/tokens`: a token for a program.
pub async fn create_token(
    app: web::Data<App>,
    owner: Owner,
    form: web::Form<NewToken>,
) -> Result<HttpResponse, WebError> {
    let name = match named("The token's name", &form.name) {
        Ok(name) => name,
        Err(error) => return Ok(refusal(&error.to_string())),
    };
    let store = app.engine.store();
    if store.api_tokens(owner.channel.id).await?.len() >= MOST_TOKENS {
        return Ok(refusal(&format!("There are {MOST_TOKENS} tokens; revoke one first.")));
    }
    let more = [(&form.operate, Scope::Operate), (&form.record, Scope::Record)];
    let more = more.into_iter().filter(|(wanted, _)| !wanted.is_empty()).map(|(_, scope)| scope.key());
    let scopes = std::iter::once(Scope::Read.key()).chain(more).collect::<Vec<_>>().join(" ");
    let token = tokens::token(&mut rand::rng());
    store.create_api_token(owner.channel.id, name.clone(), scopes, token.clone()).await?;
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&Made { name, token })))
}

/// `POST /account/tokens/{id}/revoke`: it is good for nothing, at once.
pub async fn revoke_token(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    match app.engine.store().revoke_api_token(owner.channel.id, *id).await {
        // Gone already is gone.
        Ok(()) | Err(StoreError::NotFound) => {
            app.access.revoked(*id);
            Ok(go_to("/account"))
        }
        Err(error) => Err(error.into()),
    }
}
