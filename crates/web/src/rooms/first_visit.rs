//! The first visit: three questions, ending on the bench with a widget that works.

use crate::app::App;
use crate::draw::html;
use crate::error::{WebError, sentence};
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::{csrf, passwords, session, tokens};
use actix_session::Session;
use actix_web::http::header::ContentType;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use chrono::NaiveTime;
use serde::Deserialize;
use tally_core::calendar::Calendar;
use tally_core::channel::Channel;
use tally_core::measure::Weights;
use tally_core::money::Currency;
use tally_core::text;
use tally_core::widgets::{Definition, Settings};
use tally_store::feeds::Wiring;

#[derive(Template)]
#[template(path = "rooms/first_visit.html")]
struct Page {
    build: &'static str,
    csrf: String,
    families: &'static [(&'static str, &'static str, &'static str)],
    zones: Vec<&'static str>,
    currencies: &'static [&'static str],
}

/// Offered first; any other of ISO 4217 can be typed.
pub const CURRENCIES: [&str; 12] = ["GBP", "EUR", "USD", "AUD", "BRL", "CAD", "CHF", "JPY", "MXN", "PLN", "SEK", "TRY"];

/// What is typed in.
#[derive(Deserialize)]
pub struct Form {
    family: String,
    feed: String,
    title: String,
    channel: String,
    name: String,
    password: String,
    zone: String,
    currency: String,
    day_start: String,
    week_start: String,
}

/// Nobody owns this server yet, so whoever sits at it may. From elsewhere nobody may.
async fn may(app: &App, request: &HttpRequest) -> Result<(), WebError> {
    if app.engine.store().has_owner().await? {
        return Err(WebError::NotFound);
    }
    if request.peer_addr().is_some_and(|address| address.ip().is_loopback()) {
        return Ok(());
    }
    Err(WebError::Refused("The first visit must be made from the machine on which Eager Tally runs.".into()))
}

/// `GET /first-visit`
pub async fn page(app: web::Data<App>, request: HttpRequest, session: Session) -> Result<HttpResponse, WebError> {
    may(&app, &request).await?;
    let page = Page {
        build: crate::assets::build(),
        csrf: csrf::token(&session),
        families: Definition::FAMILIES,
        zones: chrono_tz::TZ_VARIANTS.iter().map(|zone| zone.name()).collect(),
        currencies: &CURRENCIES,
    };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}

/// `POST /first-visit`
pub async fn finish(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    form: web::Form<Form>,
) -> Result<HttpResponse, WebError> {
    may(&app, &request).await?;
    match settle(&app, &session, form.into_inner()).await {
        Ok(path) => Ok(go_to(&path)),
        Err(WebError::Refused(message)) => Ok(refusal(&message)),
        Err(error) => Err(error),
    }
}

/// A name of at most 80 characters.
///
/// # Errors
/// It is none; the text says what to change.
pub fn named(what: &str, typed: &str) -> Result<String, WebError> {
    let name = text::name(typed).map_err(|error| WebError::Refused(format!("{what} {error}.")))?;
    if name.chars().count() > 80 {
        return Err(WebError::Refused(format!("{what} is longer than 80 characters.")));
    }
    Ok(name)
}

/// Money and days from what is typed in.
///
/// # Errors
/// A field that cannot be understood; the text says what to change.
pub fn reckoning(
    currency: &str,
    zone: &str,
    day_start: &str,
    week_start: &str,
) -> Result<(Currency, Calendar), WebError> {
    let refuse = |message: &str| WebError::Refused(message.to_owned());
    let code = currency.trim().to_uppercase();
    let currency = Currency::parse(&code).map_err(|error| WebError::Refused(format!("“{code}” {error}.")))?;
    let calendar = Calendar {
        zone: zone.parse().map_err(|_| refuse("Choose the time zone from the list."))?,
        week_start: week_start.parse().map_err(|_| refuse("Choose the first day of the week from the list."))?,
        day_start: NaiveTime::parse_from_str(day_start, "%H:%M")
            .map_err(|_| refuse("The start of the day must be a time such as 05:00."))?,
    };
    Ok((currency, calendar))
}

async fn settle(app: &App, session: &Session, form: Form) -> Result<String, WebError> {
    let (currency, calendar) = reckoning(&form.currency, &form.zone, &form.day_start, &form.week_start)?;
    let settings = Settings { currency, calendar, weights: Weights::default() };
    let channel_name = named("The channel's name", &form.channel)?;
    let name = named("Your name", &form.name)?;
    let mut piece = Definition::standard(&form.family, &settings)
        .ok_or_else(|| WebError::Refused("Choose what you want to show first.".into()))?
        .unfolded();
    if !form.title.trim().is_empty() {
        let nothing = Channel::new(settings.clone(), []);
        let edited = piece.edited("title", &form.title, &nothing.scope(app.engine.now()));
        (piece, _) = edited.map_err(|error| WebError::Refused(sentence(&error.to_string())))?;
    }
    if form.password.chars().count() < passwords::FEWEST {
        return Err(WebError::Refused(format!("The password needs at least {} characters.", passwords::FEWEST)));
    }
    let hash = passwords::hash(form.password).await.ok_or_else(|| WebError::Inside("no password hash".into()))?;

    let store = app.engine.store();
    let id = store.create_channel(channel_name, settings, name.clone(), hash).await?;
    if form.feed == "webhook" {
        let (token, secret) = (tokens::token(&mut rand::rng()), tokens::webhook_secret(&mut rand::rng()));
        store.create_feed(id, "Tip service".into(), Wiring::Webhook { expand_gifts: false }, token, secret).await?;
    }
    let channel = app.engine.channel(id).await?;
    let widget = channel.create(piece.setup(), tokens::token(&mut rand::rng())).await?;
    session::sign_in(session, &store.user_by_name(name).await?)?;
    Ok(format!("/widgets/{widget}"))
}
