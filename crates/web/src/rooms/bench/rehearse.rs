//! One press sends something make-believe through the real path, and says of each station that it
//! passed: made as senders make it, read by the contract, counted, drawn, seen by open pages.

use crate::app::App;
use crate::draw::Lamp;
use crate::error::WebError;
use crate::markup::html;
use crate::rooms::readiness::can_bring;
use crate::rooms::sign_in::refusal;
use crate::security::session::Owner;
use crate::security::tokens;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::book::chat::{ChatLine, Role};
use tally_core::channel::Channel;
use tally_core::count::Count;
use tally_core::money::Money;
use tally_core::record::entry::{Incoming, Origin};
use tally_core::record::happening::{Actor, Happening, Kind, Tier};
use tally_core::record::ids::{FeedId, WidgetId};
use tally_core::record::settings::Settings;
use tally_core::widgets::Piece;
use tally_engine::MakeBelieve;
use tally_feeds::cloudevents::{self, Mode};
use tally_feeds::write;
use tally_store::feeds::Feed;

/// One station of the way.
struct Station {
    lamp: &'static str,
    name: &'static str,
    words: String,
}

#[derive(Template)]
#[template(path = "rooms/stations.html")]
struct Stations {
    stations: Vec<Station>,
}

/// Which feed would bring it, and how that fares.
fn feed_for(
    channel: &Channel,
    hearing: &tally_engine::Hearing,
    count: &Count,
    feeds: &[Feed],
    now: tally_core::time::Instant,
) -> (FeedId, Station) {
    let wanted =
        |feed: &&Feed| !feed.removed && can_bring(feed, count) && count.only.feed.is_none_or(|only| only.0 == feed.id);
    let fares = |feed: &Feed| {
        let heard = hearing.of(feed, channel.pulse(FeedId(feed.id)));
        Lamp::of(&feed.name, &heard, &channel.settings().calendar, now)
    };
    // The one that fares best.
    let rank = |lamp: &Lamp| ["full", "half", "hollow", "barred"].iter().position(|one| *one == lamp.lamp);
    let best = feeds.iter().filter(wanted).map(|feed| (feed, fares(feed))).min_by_key(|(_, lamp)| rank(lamp));
    match best {
        Some((feed, lamp)) => {
            let words = format!("{} could bring it: {}.", lamp.name, lamp.word);
            (FeedId(feed.id), Station { lamp: lamp.lamp, name: "Feed", words })
        }
        None => {
            let words = "No feed is wired that could bring it. Wire one in Feeds.".into();
            (FeedId(0), Station { lamp: "barred", name: "Feed", words })
        }
    }
}

/// What can be let happen to a widget that counts this: key and words of each.
pub(super) fn acts(piece: &Piece, counts: &[Count]) -> Vec<(&'static str, &'static str)> {
    let kinds = counts.iter().fold(0, |kinds, count| kinds | count.kinds());
    let takes = |kind: Kind| kinds & kind.bit() != 0;
    let mut acts = Vec::new();
    if !counts.is_empty() {
        acts.push(("one", "One that counts"));
    }
    if takes(Kind::Tip) {
        acts.extend([("small_tip", "Small tip"), ("large_tip", "Large tip")]);
    }
    if takes(Kind::Gift) || takes(Kind::Sub) {
        acts.push(("gifts", "20 gifts at once"));
    }
    if piece.follows_chat() {
        acts.push(("chat", "Line of chat"));
    }
    if matches!(piece, Piece::Wheel(_)) {
        acts.push(("spin", "Spin"));
        if !counts.is_empty() {
            acts.extend([("open_pot", "Let viewers enter"), ("enter", "Twelve enter")]);
        }
        return acts;
    }
    if matches!(piece, Piece::Poll(_)) {
        acts.extend([("ask", "Open a poll"), ("votes", "Twelve votes"), ("close", "Close it")]);
        return acts;
    }
    if !acts.is_empty() {
        acts.extend([("long", "Very long name"), ("script", "Another script"), ("emoji", "Emoji")]);
    }
    acts
}

/// Which act.
#[derive(Deserialize)]
pub struct Act {
    act: String,
}

fn named(name: &str) -> Actor {
    Actor { id: None, name: name.to_owned(), avatar: None, anonymous: false }
}

/// A name for trying what names can do to a picture.
fn hard_name(act: &str) -> Option<String> {
    match act {
        "long" => Some("Wolfeschlegelsteinhausenbergerdorff_".repeat(11)),
        "script" => Some("محطة القطار 駅長 Стрелочник".to_owned()),
        "emoji" => Some("🚂 station_cat 👩‍🔧".to_owned()),
        _ => None,
    }
}

/// What an act comes to for a count.
fn happenings(act: &str, count: &Count, settings: &Settings) -> Vec<Happening> {
    let whole = 10_i64.pow(u32::from(settings.currency.decimals()));
    let tip = |name: &str, pounds: i64| Happening::Tip {
        actor: named(name),
        amount: Money { minor: pounds * whole, currency: settings.currency },
        message: Some("for the turntable".into()),
    };
    match act {
        "small_tip" => vec![tip("quietferry", 3)],
        "large_tip" => vec![tip("kestrel_oak", 250)],
        "gifts" => {
            let (tier, giver) = (Tier::default(), named("lamplit_sam"));
            let given = |number: u32| Happening::Sub {
                actor: named(&format!("passenger_{number}")),
                tier,
                months: Some(1),
                message: None,
                gifted_by: Some(giver.clone()),
            };
            std::iter::once(Happening::Gift { actor: giver.clone(), tier, count: 20 })
                .chain((1..=20).map(given))
                .collect()
        }
        other => {
            let mut example = count.example(settings);
            if let (Some(name), Some(actor)) = (hard_name(other), example.actor_mut()) {
                actor.name = name;
            }
            vec![example]
        }
    }
}

/// A line of chat for an act.
fn said(act: &str, now: tally_core::time::Instant) -> ChatLine {
    let name = hard_name(act).unwrap_or_else(|| "semaphore_sue".into());
    let text = match act {
        "long" => "that whistle made my cat jump ".repeat(12).trim_end().to_owned(),
        "script" => "出発進行 — все по местам".into(),
        "emoji" => "🚂💨 choo 🎉".into(),
        _ => "is that engine No. 7?".into(),
    };
    ChatLine {
        at: now,
        name: name.chars().take(400).collect(),
        id: None,
        role: Role::Subscriber,
        subscriber: true,
        text,
    }
}

/// The word with which viewers enter a wheel's pot.
fn word_of(channel: &Channel, widget: WidgetId) -> String {
    match channel.staged(widget) {
        Some(Piece::Wheel(folded)) => folded.definition.entry.word.clone(),
        _ => String::new(),
    }
}

/// Votes of a dozen viewers, most of them for the first option.
fn votes(now: tally_core::time::Instant) -> Vec<ChatLine> {
    let line = |viewer: u32| ChatLine {
        at: now,
        name: format!("passenger_{viewer}"),
        id: None,
        role: if viewer.is_multiple_of(4) { Role::Subscriber } else { Role::Viewer },
        subscriber: viewer.is_multiple_of(4),
        text: [1, 2, 1, 3][viewer as usize % 4].to_string(),
    };
    (0..12).map(line).collect()
}

/// `POST /widgets/{id}/rehearse`
pub async fn press(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    form: web::Form<Act>,
) -> Result<HttpResponse, WebError> {
    let (widget, act, now) = (WidgetId(*id), form.into_inner().act, app.engine.now());
    let feeds = app.engine.store().feeds(owner.channel.id).await?;
    let asked = act.clone();
    let begun = owner
        .channel
        .ask_all(move |channel, hearing, now| {
            let piece = channel.staged(widget).ok_or(WebError::NotFound)?;
            let counts = piece.counts(channel.settings());
            if acts(piece, &counts).iter().all(|(key, _)| *key != asked) {
                return Ok(None);
            }
            if matches!(asked.as_str(), "ask" | "votes" | "close" | "spin" | "open_pot" | "enter") {
                return Ok(Some(None));
            }
            let takes = |one: &&Count| match asked.as_str() {
                "small_tip" | "large_tip" => one.kinds() & Kind::Tip.bit() != 0,
                "gifts" => one.kinds() & (Kind::Gift.bit() | Kind::Sub.bit()) != 0,
                _ => true,
            };
            let count = counts.iter().find(takes);
            Ok::<_, WebError>(Some(count.map(|count| {
                let (feed, station) = feed_for(channel, hearing, count, &feeds, now);
                (happenings(&asked, count, channel.settings()), feed, station)
            })))
        })
        .await??;
    let Some(begun) = begun else {
        return Ok(refusal("This widget counts nothing that could be sent; you operate it from the desk."));
    };
    let mut stations = Vec::new();
    let mut pass = |lamp, name, words| stations.push(Station { lamp, name, words });
    let (make_believe, feed) = match begun {
        None if act == "spin" || act == "open_pot" => {
            let words = if act == "spin" { "You spin it." } else { "You let viewers enter." };
            pass("full", "Made", words.into());
            (MakeBelieve::Press { action: act.clone(), text: None }, FeedId(0))
        }
        None if act == "enter" => {
            pass("full", "Made", "Twelve viewers say the word in chat.".into());
            let word = owner.channel.ask(move |channel, _| word_of(channel, widget)).await?;
            let lines = votes(now).into_iter().map(|line| ChatLine { text: word.clone(), ..line });
            (MakeBelieve::Chat(lines.collect()), FeedId(0))
        }
        None if act == "ask" || act == "close" => {
            let words = if act == "ask" { "You open a poll." } else { "You close the poll." };
            pass("full", "Made", words.into());
            let text = (act == "ask").then(|| "Which livery for engine No. 7? Green / Black / Maroon".to_owned());
            let action = if act == "ask" { "open" } else { "close" };
            (MakeBelieve::Press { action: action.into(), text }, FeedId(0))
        }
        None if act == "votes" => {
            pass("full", "Made", "Twelve viewers vote in chat.".into());
            (MakeBelieve::Chat(votes(now)), FeedId(0))
        }
        None => {
            let line = said(&act, now);
            pass("full", "Made", format!("{} says something in chat.", line.name));
            (MakeBelieve::Chat(vec![line]), FeedId(0))
        }
        Some((made, feed, feed_station)) => {
            let words = made.first().map(Happening::words).unwrap_or_default();
            let more = if made.len() > 1 { format!(", and {} more with it", made.len() - 1) } else { String::new() };
            pass("full", "Made", format!("{words}{more}."));
            match sent(&made, now)? {
                Ok(events) => {
                    pass("full", "Read", "It keeps the contract with senders.".into());
                    stations.push(feed_station);
                    (MakeBelieve::Happenings(events), feed)
                }
                Err(detail) => {
                    pass("barred", "Read", detail);
                    return Ok(HttpResponse::Ok()
                        .insert_header(ContentType::html())
                        .body(html(&Stations { stations })));
                }
            }
        }
    };
    let mut pass = |lamp, name, words| stations.push(Station { lamp, name, words });
    let rehearsed = owner.channel.rehearse(widget, make_believe, feed).await?;
    for (words, counts) in &rehearsed.verdicts {
        if *counts {
            pass("full", "Counted", format!("It counts {words}."));
        } else {
            pass("barred", "Counted", format!("It is left out: {words}."));
        }
    }
    if rehearsed.after == rehearsed.before {
        pass("hollow", "Drawn", format!("It shows {} as before.", short(&rehearsed.after)));
    } else {
        pass("full", "Drawn", format!("From {} to {}.", short(&rehearsed.before), short(&rehearsed.after)));
    }
    match rehearsed.pages {
        0 => {
            pass("hollow", "On air", "No page of it is open. Copy the address into your broadcasting software.".into());
        }
        1 => pass("full", "On air", "1 page of it is open and would show it.".into()),
        many => pass("full", "On air", format!("{many} pages of it are open and would show it.")),
    }
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&Stations { stations })))
}

/// Writes happenings as senders do, and reads them by the contract.
fn sent(made: &[Happening], now: tally_core::time::Instant) -> Result<Result<Vec<Incoming>, String>, WebError> {
    let mut events = Vec::with_capacity(made.len());
    for happening in made {
        let origin = Origin { source: "rehearsal".into(), id: tokens::token(&mut rand::rng()) };
        let event = write::event(&origin, now, happening).to_string();
        match cloudevents::parse(Mode::Structured, &[], event.as_bytes(), now) {
            Ok(read) => events.extend(read),
            Err(problem) => return Ok(Err(problem.detail)),
        }
    }
    if events.len() == made.len() { Ok(Ok(events)) } else { Err(WebError::Inside("an event was read as none".into())) }
}

/// A text of many lines or letters, cut for a station.
fn short(text: &str) -> String {
    let line = text.lines().next().unwrap_or("nothing");
    let cut: String = line.chars().take(80).collect();
    match cut.len() < text.len() {
        true => format!("“{cut}…”"),
        false if text.is_empty() => "nothing".into(),
        false => text.to_owned(),
    }
}
