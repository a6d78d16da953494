//! Writing a line by hand: a tip in cash, a subscription that no feed told, a plus or minus.

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::rooms::sign_in::{refreshed, refusal};
use crate::security::session::Owner;
use actix_web::{HttpResponse, web};
use chrono::NaiveDateTime;
use serde::Deserialize;
use tally_core::channel::Channel;
use tally_core::language::text;
use tally_core::language::unit::Unit;
use tally_core::money::Money;
use tally_core::record::happening::{Happening, Kind};
use tally_core::record::measure::Measure;
use tally_core::record::settings::Settings;
use tally_core::sentence::Input;
use tally_feeds::words::{self, Words};

/// What the form offers.
pub struct Form {
    /// The channel's currency.
    pub currency: String,
    /// The local time now, as the field writes it.
    pub now: String,
    /// What can be adjusted.
    pub measures: Vec<(&'static str, &'static str)>,
}

/// The form as it stands now.
pub async fn form(owner: &Owner) -> Result<Form, WebError> {
    let form = |channel: &Channel, now| Form {
        currency: channel.settings().currency.code().to_owned(),
        now: channel.settings().calendar.local(now).format("%Y-%m-%dT%H:%M").to_string(),
        measures: Measure::ALL.into_iter().map(|one| (one.key(), one.words())).collect(),
    };
    Ok(owner.channel.ask(form).await?)
}

/// What is typed in.
#[derive(Deserialize)]
pub struct Typed {
    pub kind: String,
    pub name: String,
    pub amount: String,
    pub currency: String,
    pub tier: String,
    pub number: String,
    pub what: String,
    pub measure: String,
    pub message: String,
    pub at: String,
}

/// `POST /ledger`: a line by hand.
pub async fn write(app: web::Data<App>, owner: Owner, typed: web::Form<Typed>) -> Result<HttpResponse, WebError> {
    let settings = owner.channel.ask(|channel, _| channel.settings().clone()).await?;
    let read = || {
        let at = typed.at.trim();
        let happened_at = if at.is_empty() {
            None
        } else {
            let local = NaiveDateTime::parse_from_str(at, "%Y-%m-%dT%H:%M").map_err(|_| {
                WebError::Refused("The time must be a date and a time, such as 2026-11-29T20:00.".into())
            })?;
            let at = settings.calendar.instant(local);
            // A minute's rounding is no future.
            if at > app.engine.now() + chrono::TimeDelta::hours(24) {
                return Err(WebError::Refused("The time lies more than a day ahead; set an earlier one.".into()));
            }
            Some(at.min(app.engine.now()))
        };
        Ok((happening(&typed, &settings)?, happened_at))
    };
    let (happening, happened_at) = match read() {
        Ok(read) => read,
        Err(WebError::Refused(why)) => return Ok(refusal(&why)),
        Err(error) => return Err(error),
    };
    let by = owner.by();
    owner.channel.by_hand(happening, happened_at, by).await?;
    Ok(refreshed())
}

/// Reads what was typed through the same checks as what feeds bring.
///
/// # Errors
/// It tells of nothing that could have happened.
pub fn happening(typed: &Typed, settings: &Settings) -> Result<Happening, WebError> {
    if typed.kind == Kind::Adjust.key() {
        return adjustment(typed, settings);
    }
    let kind = Kind::of_key(&typed.kind);
    let kind = kind.ok_or_else(|| WebError::Refused("Choose what happened from the list.".into()))?;
    let words = Words {
        name: &typed.name,
        amount: &typed.amount,
        currency: &typed.currency,
        tier: &typed.tier,
        number: &typed.number,
        what: &typed.what,
        message: &typed.message,
        ..Words::default()
    };
    words::happening(kind, &words).map_err(|problem| WebError::Refused(problem.detail))
}

fn adjustment(typed: &Typed, settings: &Settings) -> Result<Happening, WebError> {
    let refuse = |why: String| WebError::Refused(sentence(&why));
    let measure =
        Measure::of_key(&typed.measure).ok_or_else(|| refuse("choose what is adjusted from the list".into()))?;
    let text = if measure.is_money() { &typed.amount } else { &typed.number };
    let input = Input { label: "The plus or minus", text: text.trim().trim_start_matches('+') };
    let unit = measure.unit(settings.currency);
    let steps = input.in_unit(unit, -tally_core::money::MOST_MINOR).map_err(|error| refuse(error.to_string()))?;
    if steps == 0 {
        return Err(refuse("a plus or minus of nothing changes nothing; write how much".into()));
    }
    let message = text::message(&typed.message).map_err(|error| refuse(format!("the message {error}")))?;
    let (number, amount) = match unit {
        Unit::Money(currency) => (0, Some(Money { minor: steps, currency })),
        Unit::Things => (steps, None),
    };
    Ok(Happening::Adjust { measure, number, amount, message: Some(message).filter(|message| !message.is_empty()) })
}
