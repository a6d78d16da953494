//! `/api/v1`: widgets, their values and their levers, for programs with a bearer token.

use crate::app::App;
use crate::error::WebError;
use crate::read::value;
use crate::security::behind::behind;
use crate::security::reach::Reach;
use crate::security::tokens;
use actix_web::dev::Payload;
use actix_web::http::header;
use actix_web::{FromRequest, HttpRequest, HttpResponse, web};
use serde::Deserialize;
use serde_json::{Value, json};
use std::future::Future;
use std::pin::Pin;
use tally_core::record::ids::WidgetId;
use tally_engine::{ChannelHandle, Pressed};

/// A program that showed a token.
pub struct Program {
    token: u32,
    name: String,
    scopes: String,
    channel: ChannelHandle,
}

impl Program {
    fn may(&self, scope: &'static str) -> Result<(), WebError> {
        if self.scopes.split_ascii_whitespace().any(|one| one == scope) { Ok(()) } else { Err(WebError::Scope(scope)) }
    }
}

impl FromRequest for Program {
    type Error = actix_web::Error;
    type Future = Pin<Box<dyn Future<Output = Result<Self, actix_web::Error>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let app = request.app_data::<web::Data<App>>().cloned();
        let sent = request.headers().get(header::AUTHORIZATION).and_then(|value| value.to_str().ok());
        let token = sent.and_then(|value| value.strip_prefix("Bearer ")).unwrap_or_default().to_owned();
        let request = request.clone();
        Box::pin(async move {
            let found = async {
                let app = app.ok_or_else(|| WebError::Inside("no application".into()))?;
                let token = match behind(&app, &request, &token, app.engine.store().api_token(token.clone())).await {
                    Err(WebError::NotFound) => return Ok(None),
                    found => found?,
                };
                let channel = app.engine.channel(token.channel).await?;
                Ok(Some(Self { token: token.id, name: token.name, scopes: token.scopes, channel }))
            };
            match found.await {
                Ok(Some(program)) => Ok(program),
                Ok(None) => Err(answer(&unauthorised())),
                Err(error) => Err(answer(&error)),
            }
        })
    }
}

/// A failure that stays problem+json whatever page it would otherwise become.
fn answer(error: &WebError) -> actix_web::Error {
    let response = match error {
        WebError::SignIn => HttpResponse::Unauthorized()
            .insert_header((header::WWW_AUTHENTICATE, "Bearer"))
            .content_type("application/problem+json")
            .body(
                json!({"type": "about:blank", "title": "Unauthorized", "status": 401,
                    "detail": "Send the header Authorization: Bearer, followed by a token of this channel."})
                .to_string(),
            ),
        other => other.problem(),
    };
    actix_web::error::InternalError::from_response(error.to_string(), response).into()
}

fn unauthorised() -> WebError {
    WebError::SignIn
}

/// `GET /api/v1/widgets`
pub async fn widgets(app: web::Data<App>, request: HttpRequest, program: Program) -> HttpResponse {
    let reach = Reach::of(&app, &request);
    let list = async {
        program.may("read")?;
        let mut records = app.engine.store().widgets(program.channel.id).await?;
        // What lies in the archive shows nothing.
        records.retain(|record| !record.archived);
        let mut widgets = Vec::with_capacity(records.len());
        for record in records {
            let mut one = value(&program.channel, record.id).await?;
            one["page_url"] = json!(reach.page_url(&record.page_token));
            one["read_url"] = json!(reach.read_url(&record.page_token));
            one["actions"] = actions(&program.channel, record.id).await?;
            widgets.push(one);
        }
        Ok(HttpResponse::Ok().json(json!({"widgets": widgets})))
    };
    list.await.unwrap_or_else(|error: WebError| error.problem())
}

async fn actions(channel: &ChannelHandle, id: WidgetId) -> Result<Value, WebError> {
    let levers =
        channel.ask(move |channel, now| channel.widget(id).map(|piece| piece.levers(&channel.scope(now)))).await?;
    Ok(json!(levers.unwrap_or_default()))
}

/// `GET /api/v1/widgets/{id}`
pub async fn widget(program: Program, id: web::Path<u32>) -> HttpResponse {
    let one = async {
        program.may("read")?;
        let mut one = value(&program.channel, WidgetId(*id)).await?;
        one["actions"] = actions(&program.channel, WidgetId(*id)).await?;
        Ok(HttpResponse::Ok().json(one))
    };
    one.await.unwrap_or_else(|error: WebError| error.problem())
}

/// What comes with an action.
#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct ActionBody {
    value: Option<i64>,
    text: Option<String>,
    side: Option<u8>,
}

/// `POST /api/v1/widgets/{id}/actions/{action}`, with `{"value": 5}` where the action takes a
/// number, `{"text": "…"}` where it takes a text, and `{"side": 2}` where it is about a side. `Idempotency-Key` makes a second try harmless.
pub async fn act(
    program: Program,
    request: HttpRequest,
    path: web::Path<(u32, String)>,
    body: web::Bytes,
) -> HttpResponse {
    let (id, action) = path.into_inner();
    let done = async {
        program.may("operate")?;
        let body: ActionBody = if body.is_empty() {
            ActionBody::default()
        } else {
            serde_json::from_slice(&body).map_err(|error| {
                WebError::Refused(format!("The body must be JSON such as {{\"value\": 5}}: {error}."))
            })?
        };
        let key = request.headers().get("idempotency-key").and_then(|key| key.to_str().ok());
        let press = Pressed {
            widget: WidgetId(id),
            action,
            value: body.value,
            text: body.text,
            side: body.side,
            pressed_at: None,
            by: program.name.clone(),
            // A key is good for one token alone.
            source: format!("api/{}", program.token),
            id: key.map_or_else(|| tokens::token(&mut rand::rng()), |key| key.chars().take(200).collect()),
        };
        let seq = program.channel.press(press).await?;
        let mut answer = value(&program.channel, WidgetId(id)).await?;
        answer["entry"] = json!(seq);
        Ok(HttpResponse::Ok().json(answer))
    };
    done.await.unwrap_or_else(|error: WebError| error.problem())
}
