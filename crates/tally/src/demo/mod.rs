//! The demo channel, Saltmarsh Halt: a model-railway workshop run by Odile and Bram.

mod history;
mod note;

use crate::serve::StartError;
use chrono::NaiveTime;
use note::Note;
use std::path::Path;
use tally_core::calendar::{Calendar, Period};
use tally_core::ids::{ChannelId, FeedId};
use tally_core::measure::{Measure, Weights};
use tally_core::money::{Currency, MoneyError};
use tally_core::widgets::countdown::Countdown;
use tally_core::widgets::counter::{Counter, Resets};
use tally_core::widgets::goal::Goal;
use tally_core::widgets::{Definition, Settings};
use tally_engine::{Engine, EngineError};
use tally_standin::tip_jar::Wiring;
use tally_store::StoreError;
use tally_web::{passwords, tokens};

/// The owner's name.
const OWNER: &str = "odile";
/// The feed to which the tip jar is wired.
const TIP_FEED: &str = "Tip jar";
/// The feed through which a platform would send follows and subscriptions.
const PLATFORM_FEED: &str = "Platform events";

/// Why the demo could not be loaded.
#[derive(Debug, thiserror::Error)]
pub enum DemoError {
    /// The store failed.
    #[error("the demo could not be loaded: {0}")]
    Store(#[from] StoreError),
    /// The engine failed.
    #[error("the demo could not be loaded: {0}")]
    Engine(#[from] EngineError),
    /// The demo's own currency is unknown, which a test rules out.
    #[error("the demo could not be loaded: {0}")]
    Money(#[from] MoneyError),
    /// No password could be hashed.
    #[error("the demo could not be loaded: no password could be hashed")]
    Password,
    /// demo.json could not be written.
    #[error("demo.json could not be written: {0}")]
    Note(#[source] Box<StartError>),
}

fn settings() -> Result<Settings, MoneyError> {
    Ok(Settings {
        currency: Currency::parse("GBP")?,
        calendar: Calendar {
            zone: chrono_tz::Tz::Europe__London,
            week_start: chrono::Weekday::Mon,
            day_start: NaiveTime::from_hms_opt(5, 0, 0).unwrap_or_default(),
        },
        weights: Weights::default(),
    })
}

fn widgets() -> [Definition; 5] {
    let goal = |title: &str, measure, period, target, start| {
        Definition::Goal(Goal { title: title.into(), measure, period, target, start, until: None })
    };
    let counter =
        |title: &str, resets| Definition::Counter(Counter { title: title.into(), resets, ..Counter::standard() });
    [
        goal("Turntable motor", Measure::AmountOfTips, Period::ThisMonth, 35_000, 2_000),
        goal("New platform hands", Measure::SubscriberWeight, Period::ThisMonth, 40, 0),
        counter("Derailments", Resets::ByHand),
        counter("Cups of tea", Resets::EachDay),
        Definition::Countdown(Countdown {
            title: "First train leaves in".into(),
            seconds: 600,
            ready_text: String::new(),
            done_text: "All aboard".into(),
        }),
    ]
}

/// Loads the demo if nobody owns the server yet, writes the note about it, and says where the tip
/// jar delivers. A server with another owner is left alone.
pub async fn load(engine: &Engine, data: &Path, base_url: &str) -> Result<Option<Wiring>, DemoError> {
    let store = engine.store();
    let mut note = Note::read(data);
    if !store.has_owner().await? {
        let fresh = Note::fresh(OWNER);
        let hash = passwords::hash(fresh.owner.password.clone()).await.ok_or(DemoError::Password)?;
        let channel = store.create_channel("Saltmarsh Halt".into(), settings()?, OWNER.into(), hash).await?;
        let mut feeds = Vec::new();
        for name in [TIP_FEED, PLATFORM_FEED] {
            let (token, secret) = (tokens::token(&mut rand::rng()), tokens::webhook_secret(&mut rand::rng()));
            feeds.push(FeedId(store.create_feed(channel, name.into(), token, secret).await?.id));
        }
        for definition in widgets() {
            store.create_widget(channel, definition, tokens::token(&mut rand::rng())).await?;
        }
        store.create_api_token(channel, "demo scripts".into(), "read operate".into(), fresh.api_token.clone()).await?;
        let handle = engine.channel(channel).await?;
        for (feed, events) in feeds.into_iter().zip(history::of_this_month(&settings()?, engine.now())) {
            handle.ingest(feed, events).await?;
        }
        note = Some(fresh);
    }
    let Some(note) = note else {
        tracing::warn!("this server has an owner already, so the demo was not loaded");
        return Ok(None);
    };
    let Ok(owner) = store.user_by_name(note.owner.name.clone()).await else { return Ok(None) };
    let channel = ChannelId(owner.channel_id);
    let (feeds, widgets) = (store.feeds(channel).await?, store.widgets(channel).await?);
    note.about(base_url, &feeds, &widgets).write(data).map_err(|error| DemoError::Note(Box::new(error)))?;
    let jar = feeds.iter().find(|feed| feed.name == TIP_FEED);
    Ok(jar.map(|feed| Wiring { url: format!("{base_url}/in/{}", feed.token), secret: feed.secret.clone() }))
}
