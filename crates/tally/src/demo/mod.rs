//! The demo channel, Saltmarsh Halt: a model-railway workshop run by Odile and Bram.

mod audience;
mod boards;
mod bot;
mod cues;
mod game;
mod history;
mod marathon;
mod note;
mod overlays;
mod services;

use crate::serve::StartError;
use chrono::{Datelike, Days, NaiveTime, Weekday};
use note::Note;
use std::net::SocketAddr;
use std::path::Path;
use tally_core::channel::Channel;
use tally_core::channel::Desk;
use tally_core::channel::starts::Start;
use tally_core::count::Count;
use tally_core::money::{Currency, MoneyError};
use tally_core::record::acts::ShowAct;
use tally_core::record::entry::Incoming;
use tally_core::record::ids::{ChannelId, FeedId, WidgetId};
use tally_core::record::measure::Measure;
use tally_core::record::settings::{Settings, Weights};
use tally_core::sentence::EditError;
use tally_core::time::Instant;
use tally_core::time::calendar::{Calendar, Period};
use tally_core::widgets::clock::Clock;
use tally_core::widgets::counter::{Counter, Resets};
use tally_core::widgets::goal::{Aim, Goal, Then};
use tally_core::widgets::{Definition, Family, Setup};
use tally_engine::{By, ChannelHandle, Engine, EngineError};
use tally_standin::{Wirings, delivery};
use tally_store::feeds::{Chat, FeedChange, Poll, Wiring};
use tally_store::{Store, StoreError};
use tally_web::{passwords, tokens};

/// How many events of the past are recorded together.
const BATCH: usize = 1_000;
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
    /// A widget of the demo does not take what the demo says, which a test rules out.
    #[error("the demo could not be loaded: {0}")]
    Widget(#[from] EditError),
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

/// The demo's widgets: what Odile and Bram keep themselves, and one of each family from its start.
fn widgets(settings: &Settings, now: Instant) -> Result<Vec<Setup>, EditError> {
    let goal = |title: &str, measure, period, target, start| {
        let count = Count::of(measure, period);
        let (title, then) = (title.into(), Then::CountPast);
        Setup::from(Definition::Goal(Goal::of(Aim { title, count, target, start, until: None, then })))
    };
    let counter = |title: &str, resets| {
        let mut counter = Counter { resets, ..Counter::standard(settings) };
        counter.first.title = title.into();
        Setup::from(Definition::Counter(counter))
    };
    let mut all = vec![
        goal("Turntable motor", Measure::AmountOfTips, Period::ThisMonth, 35_000, 2_000),
        goal("New platform hands", Measure::SubscriberWeight, Period::ThisShow, 40, 0),
        counter("Derailments", Resets::ByHand),
        counter("Cups of tea", Resets::EachDay),
        Setup::from(Definition::Clock(Clock {
            title: "First train leaves in".into(),
            done_text: "All aboard".into(),
            ..Clock::standard(settings)
        })),
    ];
    let ladder = "Tea break: 100\nPaint No. 7: 250\nNight train: 400\nThirty hours: 600";
    let from_starts: [(&str, &[(&str, &str)]); 9] = [
        ("ladder", &[("title", "Night-train"), ("period", "this_month"), ("rungs", ladder)]),
        (
            "tonight-in-figures",
            &[
                ("title", "This month"),
                ("1.period", "this_month"),
                ("2.period", "this_month"),
                ("3.period", "this_month"),
            ],
        ),
        ("latest-supporter", &[("look", "lamp")]),
        ("in-turn", &[("look", "linen")]),
        ("just-now", &[]),
        ("tape", &[]),
        ("top-five", &[]),
        ("new-followers", &[("rows", "2"), ("columns", "5"), ("shape", "windows")]),
        ("chat", &[("look", "lamp")]),
    ];
    for (key, edits) in from_starts {
        let Some(mut piece) =
            Start::of_key(key).and_then(|start| start.piece(settings, now).transpose()).transpose()?
        else {
            continue;
        };
        let nothing = Channel::new(settings.clone(), []);
        for (part, text) in edits {
            (piece, _) = piece.edited(part, text, &nothing.scope(now))?;
        }
        all.push(piece.setup());
    }
    Ok(all)
}

/// Where the stand-ins listen.
#[derive(Debug, Clone, Copy)]
pub struct StandIns {
    /// Their pages, the platform's numbers and the rates.
    pub pages: SocketAddr,
    /// The chat server.
    pub chat: SocketAddr,
}

/// The feeds that are wired to stand-ins.
fn wired(stand_ins: StandIns) -> Vec<(&'static str, Wiring)> {
    let levels = [("viewers", "/stats/viewers"), ("followers", "/stats/followers")];
    let chat = Chat {
        host: stand_ins.chat.ip().to_string(),
        port: stand_ins.chat.port(),
        tls: false,
        nick: "tally".into(),
        password: String::new(),
        room: tally_standin::chat::ROOM.into(),
        certificate: String::new(),
    };
    let poll = Poll {
        url: format!("http://{}/numbers.json", stand_ins.pages),
        every: 15,
        levels: levels.map(|(name, pointer)| (name.to_owned(), pointer.to_owned())).into(),
    };
    let mut wired = vec![
        ("Chat", Wiring::Chat(chat)),
        ("Numbers", Wiring::Poll(poll)),
        ("Exchange rates", Wiring::Rates { url: format!("http://{}/rates.xml", stand_ins.pages) }),
    ];
    wired.extend(services::wired(stand_ins.pages));
    wired
}

async fn feed(store: &Store, channel: ChannelId, name: &str, wiring: Wiring) -> Result<FeedId, StoreError> {
    let (token, secret) = (tokens::token(&mut rand::rng()), tokens::webhook_secret(&mut rand::rng()));
    Ok(FeedId(store.create_feed(channel, name.into(), wiring, token, secret).await?.id))
}

/// What has happened: the shows of a year with their rates, then this month.
async fn remember(channel: &ChannelHandle, feeds: [FeedId; 2], now: Instant, days: u32) -> Result<(), DemoError> {
    let settings = settings()?;
    let by = |id: String| By { name: OWNER.into(), id };
    let today = settings.calendar.local(now).date();
    let first = today - Days::new(u64::from(days));
    // A table a week tells enough of the past.
    let weekly = first.iter_days().take_while(|day| *day < today).filter(|day| day.weekday() == Weekday::Mon);
    let table = |day| {
        let table = tally_standin::rates::table(day).into_iter();
        (day, table.filter_map(|(code, rate)| Some((code.to_owned(), rate.parse().ok()?))).collect())
    };
    channel.rates(weekly.map(table).collect()).await?;
    let show = async |number: usize, from: Instant, to: Instant| {
        for (at, act) in [(from, ShowAct::Begin), (to, ShowAct::End)] {
            channel.show_at(act, at, by(format!("{number} {act:?}"))).await?;
        }
        Ok::<_, DemoError>(())
    };
    let mut waiting: Vec<Incoming> = Vec::new();
    for (number, evening) in history::evenings(&settings, now, days).into_iter().enumerate() {
        show(number + 1, evening.from, evening.to).await?;
        waiting.extend(evening.events);
        if waiting.len() >= BATCH {
            channel.ingest(feeds[1], std::mem::take(&mut waiting)).await?;
        }
    }
    channel.ingest(feeds[1], waiting).await?;
    let (from, to) = history::last_show(&settings, now);
    show(0, from, to).await?;
    for (feed, events) in feeds.into_iter().zip(history::of_this_month(&settings, now)) {
        channel.ingest(feed, events).await?;
    }
    Ok(())
}

/// Loads the demo if nobody owns the server yet, writes the note about it, and says where the
/// stand-ins deliver. A server with another owner is left alone.
pub async fn load(
    engine: &Engine,
    data: &Path,
    base_url: &str,
    stand_ins: Option<StandIns>,
    days: u32,
) -> Result<Option<Wirings>, DemoError> {
    let store = engine.store();
    let mut note = Note::read(data);
    if !store.has_owner().await? {
        let fresh = Note::fresh(OWNER);
        let hash = passwords::hash(fresh.owner.password.clone()).await.map_err(|_| DemoError::Password)?;
        let channel = store.create_first_channel("Saltmarsh Halt".into(), settings()?, OWNER.into(), hash).await?;
        let webhook = || Wiring::Webhook { expand_gifts: false };
        let feeds =
            [feed(store, channel, TIP_FEED, webhook()).await?, feed(store, channel, PLATFORM_FEED, webhook()).await?];
        for (name, wiring) in stand_ins.map(wired).into_iter().flatten() {
            feed(store, channel, name, wiring).await?;
        }
        let create = async |setup| store.create_widget(channel, setup, tokens::token(&mut rand::rng())).await;
        let (mut derailments, mut marathon) = (WidgetId(0), WidgetId(0));
        for setup in widgets(&settings()?, engine.now())? {
            let is_it = setup.clone().unfolded().title() == "Derailments";
            let id = create(setup).await?.id;
            derailments = if is_it { id } else { derailments };
        }
        for setup in marathon::widgets(&settings()?, engine.now(), derailments)? {
            let is_it = matches!(setup.definition, Definition::Subathon(_));
            let id = create(setup).await?.id;
            marathon = if is_it { id } else { marathon };
        }
        let (mut decides, mut forfeits) = (WidgetId(0), WidgetId(0));
        for setup in audience::widgets(&settings()?)? {
            let title = setup.clone().unfolded().title().to_owned();
            let id = create(setup).await?.id;
            decides = if title == audience::POLL { id } else { decides };
            forfeits = if title == audience::WHEEL { id } else { forfeits };
        }
        let mut kept = Vec::new();
        for board in boards::all() {
            if let Some(setup) = board.setup(&settings()?)? {
                kept.push((create(setup).await?.id, board));
            }
        }
        if let Some(setup) = game::widget(&settings()?)? {
            create(setup).await?;
        }
        overlays::lay_out(store, channel).await?;
        store.save_looks(channel, overlays::looks()).await?;
        store.save_bot(channel, bot::bot()).await?;
        store.save_cues(channel, cues::cues(&overlays::named(store, channel).await?)).await?;
        // One match is enough for the desk; the others are a press away.
        let hidden = kept.iter().skip(1).map(|(id, _)| *id).collect();
        store.save_desk(channel, Desk { hidden, ..Desk::default() }).await?;
        store.create_api_token(channel, "demo scripts".into(), "read operate".into(), fresh.api_token.clone()).await?;
        if let Some((derby, _)) = kept.first() {
            boards::hand_over(store, channel, *derby, engine.now()).await?;
        }
        let handle = engine.channel(channel).await?;
        for (id, board) in kept {
            handle.ingest_as_it_was(board.lines(id, engine.now())).await?;
        }
        remember(&handle, feeds, engine.now(), days).await?;
        let lines = marathon::lines(marathon, feeds[1], &settings()?, engine.now(), days > 0);
        handle.ingest_as_it_was(lines).await?;
        let (last_show, _) = history::last_show(&settings()?, engine.now());
        if days > 0 {
            audience::elsewhere(&handle, feeds[1], last_show).await?;
            handle.ingest(feeds[1], game::reports(last_show)).await?;
        }
        audience::decide(&handle, decides, last_show).await?;
        audience::spin(&handle, store, forfeits, last_show).await?;
        note = Some(fresh);
    }
    let Some(note) = note else {
        tracing::warn!("this server has an owner already, so the demo was not loaded");
        return Ok(None);
    };
    let Ok(owner) = store.user_by_name(note.owner.name.clone()).await else { return Ok(None) };
    let channel = ChannelId(owner.channel_id);
    let (mut feeds, widgets) = (store.feeds(channel).await?, store.widgets(channel).await?);
    // The stand-ins may listen elsewhere than last time.
    for (name, wiring) in stand_ins.map(wired).into_iter().flatten().filter(|(_, wiring)| services::may_move(wiring)) {
        if let Some(feed) = feeds.iter_mut().find(|feed| feed.name == name && feed.wiring.kind() == wiring.kind()) {
            feed.wiring = wiring;
            store.change_feed(channel, feed.id, FeedChange::Wire(feed.wiring.clone())).await?;
        }
    }
    let overlays = store.overlays(channel).await?;
    note.about(base_url, &feeds, &widgets, &overlays).write(data).map_err(|error| DemoError::Note(Box::new(error)))?;
    let wiring = |name: &str| {
        let feed = feeds.iter().find(|feed| feed.name == name && !feed.removed)?;
        Some(delivery::Wiring { url: format!("{base_url}/in/{}", feed.token), secret: feed.secret.clone() })
    };
    let buffer_box = services::calls(&feeds, base_url);
    let both = wiring(TIP_FEED).zip(wiring(PLATFORM_FEED));
    Ok(both.map(|(tips, platform)| Wirings { tips, platform, buffer_box }))
}
