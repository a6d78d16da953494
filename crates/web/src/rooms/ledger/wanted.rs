//! Which lines somebody wants to see, as the room's form and its addresses say it.

use crate::error::WebError;
use chrono::{Days, NaiveDate};
use serde::{Deserialize, Deserializer};
use tally_core::book::search::Search;
use tally_core::record::entry::{ACT, CORRECT, RATES, SHOW, VOID};
use tally_core::record::happening::Kind;
use tally_core::record::ids::FeedId;
use tally_core::record::settings::Settings;
use tally_core::sentence::Input;
use tally_core::time::calendar::{Calendar, Span};

/// The form. What is empty narrows nothing.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
#[serde(default)]
pub struct Wanted {
    #[serde(deserialize_with = "maybe_number")]
    pub before: Option<u64>,
    pub kind: String,
    pub feed: String,
    pub name: String,
    pub text: String,
    pub from: String,
    pub to: String,
    pub least: String,
    pub most: String,
    pub standing: String,
}

/// An empty field of a form is no number.
fn maybe_number<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Option<u64>, D::Error> {
    let text = String::deserialize(deserializer)?;
    if text.is_empty() { Ok(None) } else { text.parse().map(Some).map_err(serde::de::Error::custom) }
}

/// Where the lines are looked for.
pub enum Where {
    /// In the ledger as it lies: everything, or lines filed under one word.
    Ledger(Option<&'static str>),
    /// Among what happened.
    Book(Search),
}

/// What the ledger can be narrowed down to: every kind, what was operated, what was corrected.
pub fn kinds() -> Vec<(&'static str, &'static str)> {
    let happened = Kind::ALL.into_iter().map(|kind| (kind.key(), kind.plural()));
    let others = [
        (ACT, "what you operated"),
        (VOID, "what you took back"),
        (CORRECT, "corrections"),
        (SHOW, "going on and off air"),
        (RATES, "exchange rates"),
    ];
    happened.chain(others).collect()
}

impl Wanted {
    /// Whether the lines begin with the newest.
    pub fn is_head(&self) -> bool {
        self.before.is_none()
    }

    /// Whether anything but the kind narrows it down.
    pub fn is_narrow(&self) -> bool {
        Self { before: None, kind: String::new(), ..self.clone() } != Self::default()
    }

    /// Where and for what to look.
    ///
    /// # Errors
    /// A field that cannot be understood; the text says what to change.
    pub fn place(&self, settings: &Settings) -> Result<Where, WebError> {
        let other = kinds().into_iter().map(|(key, _)| key).find(|key| *key == self.kind);
        let kind = Kind::of_key(&self.kind);
        if kind.is_none() && !self.is_narrow() {
            return Ok(Where::Ledger(other));
        }
        if kind.is_none() && other.is_some() {
            let why = "These lines have no people, amounts or messages; show them without the other fields.";
            return Err(WebError::Refused(why.into()));
        }
        self.search(settings).map(Where::Book)
    }

    /// The same as a search among what happened.
    ///
    /// # Errors
    /// A field that cannot be understood.
    pub fn search(&self, settings: &Settings) -> Result<Search, WebError> {
        let kind = Kind::of_key(&self.kind);
        let refuse =
            |error: tally_core::sentence::EditError| WebError::Refused(crate::error::sentence(&error.to_string()));
        let date = |label, text: &str| -> Result<Option<NaiveDate>, WebError> {
            if text.trim().is_empty() { Ok(None) } else { Input { label, text }.date().map(Some).map_err(refuse) }
        };
        // Amounts of money where money comes; else numbers.
        let unit = match kind {
            None | Some(Kind::Tip | Kind::Purchase | Kind::Adjust) => {
                tally_core::language::unit::Unit::Money(settings.currency)
            }
            Some(_) => tally_core::language::unit::Unit::Things,
        };
        let number = |label, text: &str| -> Result<Option<i64>, WebError> {
            if text.trim().is_empty() {
                return Ok(None);
            }
            Input { label, text }.in_unit(unit, -tally_core::sentence::MOST_NUMBER).map(Some).map_err(refuse)
        };
        let (least, most) = (number("The minimum", &self.least)?, number("The most", &self.most)?);
        let money = Kind::Tip.bit() | Kind::Purchase.bit();
        let kinds = match kind {
            Some(kind) => kind.bit(),
            // An amount without a kind asks for money.
            None if least.or(most).is_some() => money,
            None => u16::MAX,
        };
        Ok(Search {
            kinds,
            feed: Some(&self.feed).filter(|feed| !feed.is_empty()).and_then(|feed| feed.parse().ok()).map(FeedId),
            name: self.name.clone(),
            text: self.text.clone(),
            span: span(&settings.calendar, date("The first date", &self.from)?, date("The last date", &self.to)?),
            least,
            most,
            voided: match self.standing.as_str() {
                "voided" => Some(true),
                "counting" => Some(false),
                _ => None,
            },
        })
    }

    /// The same as the query of an address, from the line before which to go on.
    pub fn query(&self, before: Option<u64>) -> String {
        let mut query = url::form_urlencoded::Serializer::new(String::new());
        let fields = [
            ("kind", &self.kind),
            ("feed", &self.feed),
            ("name", &self.name),
            ("text", &self.text),
            ("from", &self.from),
            ("to", &self.to),
            ("least", &self.least),
            ("most", &self.most),
            ("standing", &self.standing),
        ];
        for (name, value) in fields.into_iter().filter(|(_, value)| !value.is_empty()) {
            query.append_pair(name, value);
        }
        if let Some(before) = before {
            query.append_pair("before", &before.to_string());
        }
        query.finish()
    }
}

/// The channel's days from one date to another, both included.
fn span(calendar: &Calendar, from: Option<NaiveDate>, to: Option<NaiveDate>) -> Span {
    let begins = |date: NaiveDate| calendar.instant(date.and_time(calendar.day_start));
    Span { from: from.map(begins), to: to.and_then(|to| to.checked_add_days(Days::new(1))).map(begins) }
}
