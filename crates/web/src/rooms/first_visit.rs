//! The first visit: three steps, ending on the bench with a widget that works.

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::html;
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::reach;
use crate::security::{csrf, passwords, session, tokens};
use crate::widgets;
use actix_session::Session;
use actix_web::http::header::ContentType;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use chrono::NaiveTime;
use serde::Deserialize;
use subtle::ConstantTimeEq;
use tally_core::channel::Channel;
use tally_core::channel::starts::Start;
use tally_core::language::text;
use tally_core::money::Currency;
use tally_core::record::settings::{Settings, Weights};
use tally_core::time::Instant;
use tally_core::time::calendar::Calendar;
use tally_store::StoreError;
use tally_store::feeds::Wiring;
use url::Url;

/// What one wants, and the starts for it with their drawings.
type Group = (&'static str, Vec<(Start, String)>);

#[derive(Template)]
#[template(path = "rooms/first_visit.html")]
struct Page {
    build: &'static str,
    csrf: String,
    key: String,
    groups: Vec<Group>,
    zones: Vec<&'static str>,
    currencies: &'static [&'static str],
}

/// What most begin with, by what one wants.
const GROUPS: [(&str, &[&str]); 4] = [
    ("Towards something", &["tips-this-month", "subs-tonight", "ladder"]),
    ("Who supports me", &["latest-supporter", "top-five", "who-is-here"]),
    ("What just happened", &["just-now", "thank-you-log", "tape"]),
    ("Run by hand", &["count-by-hand", "starting-soon"]),
];

/// The starts of each group, drawn with made-up figures.
fn groups(now: Instant) -> Result<Vec<Group>, WebError> {
    let currency = Currency::parse("GBP").map_err(|error| WebError::Inside(error.to_string()))?;
    let calendar = Calendar { zone: chrono_tz::UTC, week_start: chrono::Weekday::Mon, day_start: NaiveTime::MIN };
    let nothing = Channel::new(Settings { currency, calendar, weights: Weights::default() }, []);
    let drawn = |key: &&str| {
        let start = Start::of_key(key)?;
        let piece = start.piece(nothing.settings(), now).ok()??;
        Some((start, widgets::example(widgets::seen(&piece, &piece.sample(&nothing.scope(now))))))
    };
    Ok(GROUPS.iter().map(|(group, keys)| (*group, keys.iter().filter_map(drawn).collect())).collect())
}

/// Offered first; any other of ISO 4217 can be typed.
pub const CURRENCIES: [&str; 12] = ["GBP", "EUR", "USD", "AUD", "BRL", "CAD", "CHF", "JPY", "MXN", "PLN", "SEK", "TRY"];

/// What is typed in.
#[derive(Deserialize)]
pub struct Form {
    #[serde(default)]
    key: String,
    start: String,
    title: String,
    channel: String,
    name: String,
    password: String,
    zone: String,
    currency: String,
    day_start: String,
    week_start: String,
}

/// Nobody owns this server yet, so whoever started it may: they have the key that was printed then. The host
/// must be ours too, or a page from elsewhere could have pointed its own name at us.
async fn may(app: &App, request: &HttpRequest, key: &str) -> Result<(), WebError> {
    if app.engine.store().has_owner().await? {
        return Err(WebError::NotFound);
    }
    let sent_to = reach::sent_to(app, request).unwrap_or_default();
    if !is_ours(&app.config.base_url, &sent_to) {
        return Err(WebError::Refused(format!(
            "This server is reached at {}. Open the address that the start command printed.",
            app.config.base_url
        )));
    }
    let fits: bool = key.as_bytes().ct_eq(app.first_visit.as_bytes()).into();
    if fits {
        return Ok(());
    }
    Err(WebError::Refused(
        "Nobody owns this server yet. To be the one, open the address of the first visit, which the start command \
         printed in its terminal."
            .into(),
    ))
}

/// Whether a host, as a browser names it, is where this server is reached: at its own address, or at this
/// machine.
fn is_ours(base_url: &str, sent_to: &str) -> bool {
    let name = |url: &str| Url::parse(url).ok()?.host_str().map(str::to_owned);
    let local = ["localhost", "127.0.0.1", "[::1]"];
    name(sent_to).is_some_and(|host| local.contains(&host.as_str()) || Some(host) == name(base_url))
}

/// What the address of the first visit carries.
#[derive(Deserialize)]
pub struct Key {
    #[serde(default)]
    key: String,
}

/// `GET /first-visit`
pub async fn page(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    asked: web::Query<Key>,
) -> Result<HttpResponse, WebError> {
    may(&app, &request, &asked.key).await?;
    let page = Page {
        key: asked.into_inner().key,
        build: crate::assets::build(),
        csrf: csrf::token(&session),
        groups: groups(app.engine.now())?,
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
    may(&app, &request, &form.key).await?;
    match create_channel(&app, &session, form.into_inner()).await {
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
pub fn read_settings(
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

/// The hash of a password that somebody has chosen.
///
/// # Errors
/// It is too short or too long, or too many wait; the text says so.
pub async fn hashed(password: String) -> Result<String, WebError> {
    let length = password.chars().count();
    if length < passwords::FEWEST {
        return Err(WebError::Refused(format!("The password needs at least {} characters.", passwords::FEWEST)));
    }
    if length > passwords::MOST {
        return Err(WebError::Refused(format!("The password has more than {} characters.", passwords::MOST)));
    }
    passwords::hash(password).await.map_err(|error| WebError::Refused(sentence(&error.to_string())))
}

async fn create_channel(app: &App, session: &Session, form: Form) -> Result<String, WebError> {
    let (currency, calendar) = read_settings(&form.currency, &form.zone, &form.day_start, &form.week_start)?;
    let settings = Settings { currency, calendar, weights: Weights::default() };
    let channel_name = named("The channel's name", &form.channel)?;
    let name = named("Your name", &form.name)?;
    let now = app.engine.now();
    let start = Start::of_key(&form.start).and_then(|start| start.piece(&settings, now).ok()?);
    let mut piece = start.ok_or_else(|| WebError::Refused("Choose what you want to show first.".into()))?;
    if !form.title.trim().is_empty() {
        let nothing = Channel::new(settings.clone(), []);
        let edited = piece.edited("title", &form.title, &nothing.scope(now));
        (piece, _) = edited.map_err(|error| WebError::Refused(sentence(&error.to_string())))?;
    }
    let hash = hashed(form.password).await?;

    let store = app.engine.store();
    let id = match store.create_first_channel(channel_name, settings, name.clone(), hash).await {
        Err(StoreError::Taken) => {
            return Err(WebError::Refused("Somebody has made the first visit already. Sign in.".into()));
        }
        made => made?,
    };
    // An address that events can be sent to from the first minute on.
    let (token, secret) = (tokens::token(&mut rand::rng()), tokens::webhook_secret(&mut rand::rng()));
    store.create_feed(id, "Tip service".into(), Wiring::Webhook { expand_gifts: false }, token, secret).await?;
    let channel = app.engine.channel(id).await?;
    let widget = channel.create(piece.setup(), tokens::token(&mut rand::rng())).await?;
    session::sign_in(session, &store.user_by_name(name).await?, app.engine.now())?;
    Ok(format!("/widgets/{widget}?next"))
}
