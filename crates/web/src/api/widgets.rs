//! Widgets: what they show, and pressing their levers.

use super::program::{Program, Scope};
use super::{bounded, number, read, refused, whole};
use crate::app::App;
use crate::error::{Answer, WebError};
use crate::read::value;
use crate::security::reach::Reach;
use actix_web::{HttpRequest, HttpResponse, web};
use serde::Deserialize;
use serde_json::{Value, json};
use tally_core::record::ids::WidgetId;
use tally_engine::{By, ChannelHandle, Pressed};

/// `GET /api/v1/widgets`
pub async fn widgets(app: web::Data<App>, request: HttpRequest, program: Program) -> Answer {
    let reach = Reach::of(&app, &request);
    program.may(Scope::Read)?;
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
}

async fn actions(channel: &ChannelHandle, id: WidgetId) -> Result<Value, WebError> {
    let levers =
        channel.ask(move |channel, now| channel.widget(id).map(|piece| piece.levers(&channel.scope(now)))).await?;
    Ok(json!(levers.unwrap_or_default()))
}

/// `GET /api/v1/widgets/{id}`
pub async fn widget(program: Program, id: web::Path<String>) -> Answer {
    program.may(Scope::Read)?;
    let id = WidgetId(number(&id)?);
    let mut one = value(&program.channel, id).await?;
    one["actions"] = actions(&program.channel, id).await?;
    Ok(HttpResponse::Ok().json(one))
}

/// What comes with an action.
#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct ActionBody {
    #[serde(default, deserialize_with = "whole")]
    value: Option<i64>,
    text: Option<String>,
    #[serde(default, deserialize_with = "whole")]
    side: Option<i64>,
}

/// `POST /api/v1/widgets/{id}/actions/{action}`, with `{"value": 5}` where the action takes a
/// number, `{"text": "…"}` where it takes a text, and `{"side": 2}` where it is about a side. `Idempotency-Key` makes a second try harmless.
pub async fn act(
    program: Program,
    request: HttpRequest,
    path: web::Path<(String, String)>,
    body: web::Bytes,
) -> Answer {
    let (id, action) = path.into_inner();
    program.may(Scope::Operate)?;
    let widget = WidgetId(number(&id)?);
    let ActionBody { value: with, text, side } = if body.is_empty() { ActionBody::default() } else { read(&body)? };
    let side = side.map(u8::try_from).transpose();
    let side = side.map_err(|_| WebError::Refused("The field side is a side of a board, from 1.".into()))?;
    bounded("text", text.as_deref().unwrap_or_default(), 2_000)?;
    let By { name: by, id } = program.by(&request)?;
    let source = "api".to_owned();
    let press = Pressed { widget, action, value: with, text, side, pressed_at: None, by, source, id };
    let seq = program.channel.press(press).await.map_err(refused)?;
    let mut answer = value(&program.channel, widget).await?;
    answer["entry"] = json!(seq);
    Ok(HttpResponse::Ok().json(answer))
}
