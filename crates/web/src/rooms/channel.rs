//! The channel: its name, how it reckons days and money, what a subscription weighs, and by which
//! signals it goes on air.

use crate::app::App;
use crate::error::WebError;
use crate::markup::html;
use crate::rooms::by_itself::{ASKS, ByItself};
use crate::rooms::drawn::drawn;
use crate::rooms::first_visit::{CURRENCIES, named, read_settings};
use crate::rooms::frame::Frame;
use crate::rooms::sign_in::{refreshed, refusal};
use crate::security::session::Owner;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::channel::Channel;
use tally_core::count::Scope;
use tally_core::language::unit::Unit;
use tally_core::money::Currency;
use tally_core::record::happening::Kind;
use tally_core::record::settings::{Settings, Weights};
use tally_core::sentence::{Editor, Field, Part};
use tally_core::time::Instant;
use tally_core::widgets::Piece;
use tally_store::accounts::{AirSignals, ChannelRecord};

#[derive(Template)]
#[template(path = "rooms/channel.html")]
struct Page {
    frame: Frame,
    record: ChannelRecord,
    zones: Vec<&'static str>,
    currencies: &'static [&'static str],
    weights: [u16; 3],
    week_days: [&'static str; 3],
    by_itself: ByItself,
}

/// `GET /channel`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let record = app.engine.store().channel(owner.channel.id).await?;
    let page = Page {
        frame: Frame::new(&app, &owner, "/channel").await?,
        weights: record.settings.weights.newest(),
        record,
        zones: chrono_tz::TZ_VARIANTS.iter().map(|zone| zone.name()).collect(),
        currencies: &CURRENCIES,
        week_days: ["Mon", "Sat", "Sun"],
        by_itself: ByItself::of(&app, &owner).await?,
    };
    drawn(owner.whose(), page).await
}

/// What is typed in.
#[derive(Deserialize)]
pub struct Form {
    channel: String,
    zone: String,
    currency: String,
    day_start: String,
    week_start: String,
    weight_1: String,
    weight_2: String,
    weight_3: String,
    weights_from: String,
    on_air: String,
    off_air: String,
    edits: String,
    level_gap_s: u16,
}

/// How often readings of levels are recorded, in seconds, and in words.
const LEVEL_GAPS: &[(u16, &str)] = &[
    (60, "the highest, lowest and last of each minute"),
    (300, "the highest, lowest and last of each five minutes"),
    (900, "the highest, lowest and last of each quarter of an hour"),
    (0, "all readings"),
];

/// `POST /channel`
pub async fn save(app: web::Data<App>, owner: Owner, form: web::Form<Form>) -> Result<HttpResponse, WebError> {
    let record = app.engine.store().channel(owner.channel.id).await?;
    match changed(&form, record, app.engine.now()) {
        Ok(record) => {
            let into = record.settings.currency;
            let converted = owner.channel.ask(move |channel, now| converted(channel, into, now)).await?;
            owner.channel.change_settings(record).await?;
            Ok(match converted {
                Some(converted) => HttpResponse::Ok().insert_header(ContentType::html()).body(html(&converted)),
                None => refreshed(),
            })
        }
        Err(WebError::Refused(why)) => Ok(refusal(&why)),
        Err(error) => Err(error),
    }
}

/// `POST /channel/currency/back`: money is in the currency again that it was in before the last change.
pub async fn currency_back(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let mut record = app.engine.store().channel(owner.channel.id).await?;
    let Some(before) = record.currency_before else {
        return Ok(refusal("Money has been changed in this currency ever since; choose another one above."));
    };
    record.settings.currency = before;
    owner.channel.change_settings(record).await?;
    Ok(refreshed())
}

/// What a change of currency makes of the amounts that somebody has set.
#[derive(Template)]
#[template(path = "rooms/channel_converted.html")]
struct Converted {
    from: Currency,
    into: Currency,
    /// The rate, and its day.
    rate: Option<(String, String)>,
    changed: Vec<Changed>,
}

/// One amount.
struct Changed {
    title: String,
    what: String,
    before: String,
    after: String,
}

fn converted(channel: &Channel, into: Currency, now: Instant) -> Option<Converted> {
    let by = channel.conversion(into)?;
    let (scope, before) = (channel.scope(now), channel.settings());
    let after = Settings { currency: into, ..before.clone() };
    let scope_after = Scope { settings: &after, ..scope };
    let value = |field: &Field| match &field.editor {
        Editor::Number { value, .. } | Editor::Lines { value } => Some(value.clone()),
        _ => None,
    };
    let fields = |parts: Vec<Part>| {
        parts.into_iter().filter_map(|part| match part {
            Part::Field(field) => Some(field),
            Part::Words(_) => None,
        })
    };
    let mut changed = Vec::new();
    for (id, setup, _) in channel.converted(into) {
        let (Some(old), new) = (channel.widget(id), setup.unfolded()) else { continue };
        let pairs = fields(old.sentence(&scope)).zip(fields(new.sentence(&scope_after)));
        for (one, other) in pairs.filter(|(one, other)| value(one) != value(other)) {
            changed.push(Changed {
                title: old.title().to_owned(),
                what: one.label.to_lowercase(),
                before: one.shown,
                after: other.shown,
            });
        }
        let least = |piece: &Piece| piece.line_format().and_then(|telling| Some(telling.kinds.get(&Kind::Tip)?.least));
        if let (Some(one), Some(other)) = (least(old), least(&new))
            && one != other
        {
            changed.push(Changed {
                title: old.title().to_owned(),
                what: "the least tip".into(),
                before: Unit::Money(before.currency).show(one),
                after: Unit::Money(into).show(other),
            });
        }
    }
    let rate =
        by.rate().map(|(rate, day)| (rate.round_dp(5).normalize().to_string(), day.format("%-d %b %Y").to_string()));
    Some(Converted { from: before.currency, into, rate, changed })
}

fn changed(form: &Form, record: ChannelRecord, now: Instant) -> Result<ChannelRecord, WebError> {
    let weight = |text: &str| text.trim().parse::<u16>().ok().filter(|weight| *weight <= 1_000);
    let weights = [weight(&form.weight_1), weight(&form.weight_2), weight(&form.weight_3)];
    let [Some(one), Some(two), Some(three)] = weights else {
        return Err(WebError::Refused("The subscription weight must be a whole number from 0 to 1000.".into()));
    };
    let (weights, old) = ([one, two, three], record.settings.weights);
    let weights = match form.weights_from.as_str() {
        _ if weights == old.newest() => old,
        "throughout" => Weights::throughout(weights),
        _ => old.then(now, weights),
    };
    let (currency, calendar) = read_settings(&form.currency, &form.zone, &form.day_start, &form.week_start)?;
    let signal = |what: &str, typed: &str| {
        if typed.trim().is_empty() { Ok(String::new()) } else { named(what, typed) }
    };
    let air_signals = AirSignals {
        on: signal("The signal that puts you on air", &form.on_air)?,
        off: signal("The signal that takes you off air", &form.off_air)?,
    };
    if LEVEL_GAPS.iter().all(|(seconds, _)| *seconds != form.level_gap_s) {
        return Err(WebError::Refused("Choose how often levels are recorded from the list.".into()));
    }
    if !air_signals.on.is_empty() && air_signals.on == air_signals.off {
        return Err(WebError::Refused(
            "One signal cannot put you on air and take you off; give them two names.".into(),
        ));
    }
    Ok(ChannelRecord {
        looks: record.looks,
        cues: record.cues,
        desk: record.desk,
        id: record.id,
        name: named("The channel's name", &form.channel)?,
        settings: Settings { currency, calendar, weights },
        air_signals,
        edits_at_once: form.edits == "at_once",
        level_gap_s: form.level_gap_s,
        currency_before: record.currency_before,
    })
}
