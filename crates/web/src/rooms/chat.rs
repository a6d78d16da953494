//! The chat room: what is answered there, and the notices that are said from time to time.

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::html;
use crate::rooms::drawn::drawn;
use crate::rooms::frame::Frame;
use crate::rooms::parts::{Edit, EditedInPlace, Placed, Refused};
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::reach::Reach;
use crate::security::session::Owner;
use crate::security::tokens;
use actix_web::http::header::ContentType;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::bot::{BotEdit, Uses};
use tally_core::sentence::{Editor, Field, Part};
use tally_core::time::calendar::Calendar;
use tally_core::time::words::instant_words;
use tally_engine::EngineError;

/// A command as it is drawn.
#[derive(Template)]
#[template(path = "rooms/command.html")]
struct Command {
    id: u32,
    under: String,
    target: String,
    word: String,
    on: bool,
    uses: Uses,
    /// What it would say now.
    example: Option<Result<String, String>>,
    parts: Vec<Part>,
    refused: Option<Refused>,
}

impl EditedInPlace for Command {
    fn place(&self) -> (&str, &str) {
        (&self.under, &self.target)
    }

    fn refused(&self) -> Option<&Refused> {
        self.refused.as_ref()
    }
}

/// A notice as it is drawn.
struct Notice {
    id: u32,
    on: bool,
    text: Field,
}

impl Notice {
    /// The part that its switch sets.
    fn on_key(&self) -> String {
        format!("on:{}", self.id)
    }

    fn label(&self) -> String {
        format!("This notice has its turn: {}", self.text.shown)
    }
}

/// The notices as they are drawn.
#[derive(Template)]
#[template(path = "rooms/notices.html")]
struct Notices {
    on: bool,
    parts: Vec<Part>,
    all: Vec<Notice>,
    coming: String,
    refused: Option<Refused>,
}

impl EditedInPlace for Notices {
    fn place(&self) -> (&str, &str) {
        ("/chat/notices", "#notices")
    }

    fn refused(&self) -> Option<&Refused> {
        self.refused.as_ref()
    }
}

/// The notices to come.
#[derive(Template)]
#[template(path = "rooms/notices_coming.html")]
struct Coming {
    on: bool,
    /// What each says, when, and what it waits for.
    next: Vec<(String, String, Vec<String>)>,
}

#[derive(Template)]
#[template(path = "rooms/chat.html")]
struct Page {
    frame: Frame,
    /// Whether some chat is joined in which can be spoken.
    joined: bool,
    commands: Vec<String>,
    notices: String,
    /// The page for viewers, where there is one.
    list_url: Option<String>,
}

async fn commands(owner: &Owner, wanted: Option<u32>) -> Result<Vec<Command>, WebError> {
    let all = owner.channel.ask(move |channel, now| {
        let commands = channel.bot().commands.iter().filter(|(id, _)| wanted.is_none_or(|wanted| wanted == **id));
        let one = |(id, command): (&u32, &tally_core::bot::Command)| Command {
            id: *id,
            under: format!("/chat/commands/{id}"),
            target: format!("#command-{id}"),
            word: command.word.clone(),
            on: command.on,
            uses: channel.talk().uses(*id),
            example: (!command.answer.is_empty())
                .then(|| channel.chat_line(&command.answer, "pinecone_ade", "mind the points", now)),
            parts: command.sentence(),
            refused: None,
        };
        commands.map(one).collect()
    });
    Ok(all.await?)
}

async fn coming(owner: &Owner) -> Result<String, WebError> {
    let joined = owner.channel.hub.is_chat_joined();
    let (on, next, calendar): (_, _, Calendar) = owner
        .channel
        .ask(move |channel, _| {
            let notices = &channel.bot().notices;
            let text = |id: u32| notices.all.get(&id).map(|one| one.text.clone()).unwrap_or_default();
            let next = channel.talk().next(channel.bot(), channel.around_notices(joined)).into_iter();
            let next: Vec<_> = next.map(|next| (text(next.notice), next.at, next.waits)).collect();
            (notices.on, next, channel.settings().calendar)
        })
        .await?;
    let told = next.into_iter().map(|(text, at, waits)| (text, instant_words(&calendar, at), waits));
    Ok(html(&Coming { on, next: told.collect() }))
}

async fn notices(owner: &Owner, refused: Option<Refused>) -> Result<String, WebError> {
    let coming = coming(owner).await?;
    let all = owner.channel.ask(|channel, _| channel.bot().notices.clone()).await?;
    let notice = |(id, notice): (&u32, &tally_core::bot::Notice)| {
        let editor = Editor::Text { value: notice.text.clone() };
        let shown = notice.text.clone();
        Notice {
            id: *id,
            on: notice.on,
            text: Field { key: format!("text:{id}").into(), label: "The notice", shown, editor },
        }
    };
    let drawn =
        Notices { on: all.on, parts: all.sentence(), all: all.all.iter().map(notice).collect(), coming, refused };
    Ok(html(&drawn))
}

/// `GET /chat`
pub async fn page(app: web::Data<App>, owner: Owner, request: HttpRequest) -> Result<HttpResponse, WebError> {
    let token = app.engine.store().commands_token(owner.channel.id).await?;
    let page = Page {
        frame: Frame::new(&app, &owner, "/chat").await?,
        joined: owner.channel.hub.is_chat_joined(),
        commands: commands(&owner, None).await?.iter().map(html).collect(),
        notices: notices(&owner, None).await?,
        list_url: (!token.is_empty()).then(|| Reach::of(&app, &request).commands_url(&token)),
    };
    drawn(owner.whose(), page).await
}

/// `GET /chat/coming`: the notices to come, as they stand now.
pub async fn to_come(owner: Owner) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(coming(&owner).await?))
}

/// What is typed for a new command or notice.
#[derive(Deserialize)]
pub struct New {
    text: String,
}

/// Makes or removes something, and shows the room as it is then.
async fn change(owner: &Owner, edit: BotEdit) -> Result<HttpResponse, WebError> {
    match owner.channel.edit_bot(edit).await {
        Ok(()) => Ok(go_to("/chat")),
        Err(EngineError::Bot(why)) => Ok(refusal(&sentence(&why.to_string()))),
        Err(error) => Err(error.into()),
    }
}

/// `POST /chat/commands`
pub async fn add_command(owner: Owner, form: web::Form<New>) -> Result<HttpResponse, WebError> {
    change(&owner, BotEdit::AddCommand(form.into_inner().text)).await
}

/// `POST /chat/notices`
pub async fn add_notice(owner: Owner, form: web::Form<New>) -> Result<HttpResponse, WebError> {
    change(&owner, BotEdit::AddNotice(form.into_inner().text)).await
}

async fn edit(owner: &Owner, edit: BotEdit, key: String, text: String) -> Result<Option<Refused>, WebError> {
    match owner.channel.edit_bot(edit).await {
        Ok(()) => Ok(None),
        Err(EngineError::Bot(error)) => Ok(Some(Refused { key, text, message: sentence(&error.to_string()) })),
        Err(error) => Err(error.into()),
    }
}

fn answer(refused: bool, body: String) -> HttpResponse {
    let mut answer = if refused { HttpResponse::UnprocessableEntity() } else { HttpResponse::Ok() };
    answer.insert_header(ContentType::html()).body(body)
}

/// `POST /chat/commands/{id}/edit`
pub async fn edit_command(owner: Owner, id: web::Path<u32>, form: web::Form<Edit>) -> Result<HttpResponse, WebError> {
    let Edit { key, text } = form.into_inner();
    let set = BotEdit::SetCommand { command: *id, key: key.clone(), text: text.clone() };
    let refused = edit(&owner, set, key, text).await?;
    let one = commands(&owner, Some(*id)).await?.pop().ok_or(WebError::NotFound)?;
    Ok(answer(refused.is_some(), html(&Command { refused, ..one })))
}

/// `POST /chat/commands/{id}/remove`
pub async fn remove_command(owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    change(&owner, BotEdit::RemoveCommand(*id)).await
}

/// `POST /chat/notices/edit`
pub async fn edit_notices(owner: Owner, form: web::Form<Edit>) -> Result<HttpResponse, WebError> {
    let Edit { key, text } = form.into_inner();
    let set = BotEdit::SetNotices { key: key.clone(), text: text.clone() };
    let refused = edit(&owner, set, key, text).await?;
    Ok(answer(refused.is_some(), notices(&owner, refused).await?))
}

/// `POST /chat/notices/{id}/remove`
pub async fn remove_notice(owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    change(&owner, BotEdit::RemoveNotice(*id)).await
}

/// Whether there is to be a page for viewers.
#[derive(Deserialize)]
pub struct List {
    open: bool,
}

/// `POST /chat/list`: gives the page that lists commands a new address, or takes it away.
pub async fn list(app: web::Data<App>, owner: Owner, form: web::Form<List>) -> Result<HttpResponse, WebError> {
    let token = if form.open { tokens::token(&mut rand::rng()) } else { String::new() };
    app.engine.store().save_commands_token(owner.channel.id, token).await?;
    Ok(go_to("/chat"))
}
