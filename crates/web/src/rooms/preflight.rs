//! Before the channel goes on air: what is not as it should be, each with one press that mends it, or the way to where it is mended.

use crate::app::App;
use crate::draw::Lamp;
use crate::error::{WebError, sentence};
use crate::markup::html;
use crate::rooms::readiness;
use crate::security::session::Owner;
use actix_web::HttpResponse;
use actix_web::http::header::ContentType;
use actix_web::web;
use askama::Template;
use std::collections::BTreeSet;
use tally_core::channel::Channel;
use tally_core::cues::Cue;
use tally_core::overlay::advice;
use tally_core::record::cue::{Do, Step};
use tally_core::record::ids::{FeedId, WidgetId};
use tally_core::time::Instant;
use tally_core::time::words::instant_words;
use tally_core::widgets::Piece;
use tally_core::widgets::view::View;
use tally_engine::{Hearing, Hub};
use tally_store::feeds::{Feed, Wiring};
use tally_store::overlays::OverlayRecord;

/// How a line is mended.
enum Mend {
    /// Nothing is wrong.
    Nothing,
    /// In this room.
    There(String, &'static str),
    /// By a form that is sent to this address: what is sent along, and the word on the button.
    Here(String, Option<(&'static str, &'static str)>, &'static str),
    /// By the desk's own key.
    Uncover,
}

/// One line of the list.
struct Line {
    lamp: &'static str,
    words: String,
    mend: Mend,
}

#[derive(Template)]
#[template(path = "rooms/preflight.html")]
struct List {
    lines: Vec<Line>,
    /// How many of them are not as they should be.
    wrong: usize,
}

/// `GET /desk/ready`
pub async fn list(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let store = app.engine.store();
    let (feeds, overlays) = (store.feeds(owner.channel.id).await?, store.overlays(owner.channel.id).await?);
    let mut lines = pages(&owner.channel.hub, &overlays);
    let joined = owner.channel.hub.is_chat_joined();
    let shown: BTreeSet<WidgetId> = overlays.iter().flat_map(|record| record.air.widgets()).collect();
    lines.extend(
        owner
            .channel
            .ask_all(move |channel, hearing, now| {
                let mut lines = brought(channel, hearing, &feeds, now);
                lines.extend(widgets(channel, hearing, (&feeds, &shown), now));
                lines.extend(settings(channel));
                lines.extend(cues(channel));
                lines.extend(chat(channel, joined));
                lines.extend(breaks(channel, now));
                lines
            })
            .await?,
    );
    // What is wrong comes first.
    lines.sort_by_key(|line| line.lamp == "full");
    let wrong = lines.iter().filter(|line| line.lamp != "full").count();
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&List { lines, wrong })))
}

/// Overlays: whether each is open, as large as it was laid out for, and on air as it is arranged.
fn pages(hub: &Hub, overlays: &[OverlayRecord]) -> Vec<Line> {
    let mut lines = Vec::new();
    let rehearsal = hub.rehearsal();
    for record in overlays.iter().filter(|record| !record.air.pieces.is_empty() || !record.layout.pieces.is_empty()) {
        let (name, room) = (&record.layout.name, format!("/overlays/{}", record.id));
        if rehearsal.as_ref().is_some_and(|running| running.shows_on(record.id)) {
            let words = format!("“{name}” shows the rehearsal and not the show.");
            lines.push(Line { lamp: "barred", words, mend: Mend::Here("/rehearsals/stop".into(), None, "Stop it") });
            continue;
        }
        let open = hub.open_pages(record.id);
        let told = open.iter().find_map(|page| advice(&record.air, &page.report));
        let (lamp, words) = match told {
            _ if open.is_empty() => {
                ("barred", format!("“{name}” is open nowhere: add its address to your broadcasting software."))
            }
            Some(told) => ("half", sentence(&format!("“{name}” is {told}"))),
            None => ("full", format!("“{name}” is open, at the size it was laid out for.")),
        };
        let mend = if lamp == "full" { Mend::Nothing } else { Mend::There(room.clone(), "To its address") };
        lines.push(Line { lamp, words, mend });
        if record.layout != record.air {
            let words = format!("“{name}” is arranged otherwise than it is on air.");
            lines.push(Line { lamp: "half", words, mend: Mend::There(room, "Look at it") });
        }
    }
    lines
}

/// Feeds: whether each brings something.
fn brought(channel: &Channel, hearing: &Hearing, feeds: &[Feed], now: Instant) -> Vec<Line> {
    let own = feeds.iter().filter(|feed| !feed.removed && !matches!(feed.wiring, Wiring::Import { .. }));
    let line = |feed: &Feed| {
        let heard = hearing.of(feed, channel.pulse(FeedId(feed.id)));
        let Lamp { name, lamp, word } = Lamp::of(&feed.name, &heard, &channel.settings().calendar, now);
        let mend = match lamp {
            "full" | "half" => Mend::Nothing,
            _ if heard.paused => Mend::Here(format!("/feeds/{}/pause", feed.id), None, "Resume"),
            _ => Mend::There("/feeds".into(), "To the feeds"),
        };
        // A feed that is quiet before the show is as it should be.
        let lamp = if lamp == "half" { "full" } else { lamp };
        Line { lamp, words: format!("The feed “{name}” is {word}."), mend }
    };
    own.map(line).collect()
}

/// Widgets on overlays: those that are not ready, and those with changes that are not on air.
fn widgets(
    channel: &Channel,
    hearing: &Hearing,
    (feeds, shown): (&[Feed], &BTreeSet<WidgetId>),
    now: Instant,
) -> Vec<Line> {
    let mut lines = Vec::new();
    for (id, piece) in channel.widgets() {
        let room = format!("/widgets/{id}");
        if channel.draft(id).is_some() {
            let words = format!("“{}” has changes that are not on air.", piece.title());
            let mend = Mend::Here(format!("{room}/put-on-air"), None, "Put on air");
            lines.push(Line { lamp: "half", words, mend });
        }
        let ready = readiness::of(channel, hearing, id, feeds, now).filter(|_| shown.contains(&id));
        if let Some(ready) = ready.filter(|ready| matches!(ready.lamp, "hollow" | "barred")) {
            let words = format!("“{}”: {}", piece.title(), ready.words);
            lines.push(Line { lamp: ready.lamp, words, mend: Mend::There(room, "To its bench") });
        }
    }
    lines
}

/// What was set: whether the picture is covered or muted.
fn settings(channel: &Channel) -> Vec<Line> {
    let mut lines = Vec::new();
    if channel.is_covered() {
        let words = "The picture is covered: nothing is seen on air.".to_owned();
        lines.push(Line { lamp: "barred", words, mend: Mend::Uncover });
    }
    if channel.desk().muted {
        let mend = Mend::Here("/desk/sounds".into(), Some(("muted", "false")), "Let them be heard");
        lines.push(Line { lamp: "half", words: "All sounds of widgets are muted.".into(), mend });
    }
    lines
}

/// Cues: how many wait, and those that cannot do what they say.
fn cues(channel: &Channel) -> Vec<Line> {
    let all = &channel.cues().all;
    let to = |words| Mend::There("/cues".into(), words);
    let on: Vec<&Cue> = all.values().filter(|cue| cue.on).collect();
    let is_whole = |step: &Step| match &step.what {
        Do::Press { widget, .. } => channel.widget(*widget).is_some(),
        Do::Say { text } => !text.is_empty(),
        Do::Call { address } => !address.is_empty(),
        Do::Appear { .. } | Do::Sound { .. } | Do::Air { .. } => true,
    };
    let broken = on.iter().filter(|cue| cue.steps.is_empty() || !cue.steps.iter().all(is_whole));
    let mut lines: Vec<Line> = broken
        .map(|cue| {
            let words =
                format!("The cue “{}” is on, and a step of it says nothing or is about something gone.", cue.name);
            Line { lamp: "half", words, mend: to("Mend it") }
        })
        .collect();
    if !all.is_empty() {
        let words = format!("{} of {} cues are on.", on.len(), all.len());
        lines.push(Line { lamp: "full", words, mend: to("To the cues") });
    }
    lines
}

/// What is said in chat: whether there is one for it.
fn chat(channel: &Channel, joined: bool) -> Vec<Line> {
    let bot = channel.bot();
    let notices = bot.notices.on && bot.notices.all.values().any(|notice| notice.on);
    let answers = bot.commands.values().any(|command| command.on);
    let says = notices && bot.notices.place.is_in_chat() || answers;
    let (lamp, words, mend) = match (says, joined) {
        (true, false) => {
            let words = "No chat is joined: commands and notices are not said.";
            ("half", words, Mend::There("/feeds".into(), "To the feeds"))
        }
        (_, _) if notices => ("full", "Notices are on.", Mend::There("/chat".into(), "To the notices")),
        _ if bot.notices.all.is_empty() => return Vec::new(),
        _ => ("full", "Notices are off.", Mend::There("/chat".into(), "To the notices")),
    };
    vec![Line { lamp, words: words.to_owned(), mend }]
}

/// Subathons: when the next break of the plan comes.
fn breaks(channel: &Channel, now: Instant) -> Vec<Line> {
    let next = |(id, piece): (WidgetId, &Piece)| {
        let View::Subathon(view) = piece.view(&channel.scope(now)) else { return None };
        let next = view.break_next.filter(|next| !next.under_way)?;
        let at = instant_words(&channel.settings().calendar, next.from);
        let words = format!("“{}”: the next break of its plan is {at}.", view.title);
        Some(Line { lamp: "full", words, mend: Mend::There(format!("/widgets/{id}"), "To the plan") })
    };
    channel.widgets().filter_map(next).collect()
}
