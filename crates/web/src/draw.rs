//! From views to what pages get: each widget drawn once, wrapped into a message, shared by all.

use crate::markup::html;
use crate::widgets;
use crate::widgets::clock::Ticks;
use askama::Template;
use bytestring::ByteString;
use serde::Serialize;
use std::collections::BTreeMap;
use tally_core::book::chat::ChatLine;
use tally_core::channel::RollLine;
use tally_core::record::ids::WidgetId;
use tally_core::time::Instant;
use tally_core::time::calendar::Calendar;
use tally_core::widgets::Lever;
use tally_core::widgets::subathon::{PhaseWord, SubathonView};
use tally_core::widgets::view::View;
use tally_engine::{Draw, Drawn, Heard, OnAir, Pulse, PulseFeed, Seen, Shown};

/// A feed that has brought nothing for this long is quiet.
const QUIET_MINUTES: i64 = 30;

/// How many keys a row of the desk has.
const KEYS: usize = 4;

/// The keys of the desk: a row of the keyboard for each plate, from the top, by the place of the
/// key and not by what is printed on it, so that the rows stay rows on every layout.
const KEY_ROWS: [[(&str, &str); KEYS]; 4] = [
    [("Digit1", "1"), ("Digit2", "2"), ("Digit3", "3"), ("Digit4", "4")],
    [("KeyQ", "Q"), ("KeyW", "W"), ("KeyE", "E"), ("KeyR", "R")],
    [("KeyA", "A"), ("KeyS", "S"), ("KeyD", "D"), ("KeyF", "F")],
    [("KeyZ", "Z"), ("KeyX", "X"), ("KeyC", "C"), ("KeyV", "V")],
];

/// A message to pages: parts by the name of the place where they go.
#[derive(Serialize)]
struct Message<'a> {
    #[serde(skip_serializing_if = "Option::is_none")]
    seq: Option<u64>,
    parts: BTreeMap<&'a str, String>,
}

fn message(
    seq: Option<u64>,
    parts: impl IntoIterator<Item = (&'static str, String)>,
    id: Option<WidgetId>,
) -> ByteString {
    let named: Vec<(String, String)> =
        parts.into_iter().map(|(name, html)| (id.map_or(name.to_owned(), |id| format!("{name}{id}")), html)).collect();
    let parts = named.iter().map(|(name, html)| (name.as_str(), html.clone())).collect();
    serde_json::to_string(&Message { seq, parts }).unwrap_or_default().into()
}

/// One lever of a plate, with its key.
pub struct PlateLever<'a> {
    lever: &'a Lever,
    key: Option<(&'static str, &'static str)>,
}

#[derive(Template)]
#[template(path = "plate.html")]
struct Plate<'a> {
    id: WidgetId,
    title: &'a str,
    view: &'a View,
    levers: Vec<PlateLever<'a>>,
}

impl Plate<'_> {
    /// The levers that are pressed in a hurry: as many as a row of keys has.
    fn first(&self) -> &[PlateLever<'_>] {
        self.levers.get(..KEYS).unwrap_or(&self.levers)
    }

    /// The others.
    fn others(&self) -> &[PlateLever<'_>] {
        self.levers.get(KEYS..).unwrap_or_default()
    }

    /// What a glance at a subathon wants to know besides its digits.
    fn more(&self, view: &SubathonView) -> String {
        let state = match view.phase {
            PhaseWord::Ready => "not started",
            PhaseWord::Running => "",
            PhaseWord::Paused => "paused",
            PhaseWord::Break => "on a break",
            PhaseWord::Grace => "run out; an addition revives it",
            PhaseWord::Over => "over",
            PhaseWord::InDoubt => "a correction left nothing on it: is it over?",
        };
        let newest = view.newest.last().map(|one| {
            let by = one.name.as_deref().map(|name| format!(" {name}")).unwrap_or_default();
            format!("{}{by}", one.words)
        });
        let due = view.break_next.filter(|next| next.due).map(|_| "a break is due: begin it".to_owned());
        let boost = view.boost.as_ref().map(|boost| format!("boost {boost}"));
        let parts = [Some(state.to_owned()).filter(|state| !state.is_empty()), due, boost, newest];
        parts.into_iter().flatten().collect::<Vec<_>>().join(" · ")
    }
}

#[derive(Template)]
#[template(path = "strip.html")]
struct Strip<'a> {
    lamps: Vec<Lamp>,
    pages: usize,
    last: Option<&'a Line>,
    chat: Option<&'a ChatLine>,
}

/// The switch that puts the channel on air and takes it off, at the top edge of every room.
#[derive(Template)]
#[template(path = "air_switch.html")]
pub struct AirSwitch {
    /// Since when the channel has been on air, in words and in milliseconds of Unix time.
    since: Option<(String, i64)>,
}

impl AirSwitch {
    /// The switch at an instant.
    pub fn of(on_air: OnAir, calendar: &Calendar, now: Instant) -> Self {
        let since = match on_air {
            OnAir::Off => None,
            OnAir::Since(at) => Some((since(calendar, at, now), at.timestamp_millis())),
        };
        Self { since }
    }
}

#[derive(Template)]
#[template(path = "roll.html")]
struct Roll<'a> {
    lines: &'a [Line],
}

/// A feed's lamp: full, half or hollow, always with a word.
pub struct Lamp {
    /// The feed.
    pub name: String,
    /// Shape of the lamp.
    pub lamp: &'static str,
    /// Its word.
    pub word: String,
}

/// A line of the paper roll.
pub struct Line {
    seq: u64,
    time: String,
    words: String,
    kind: String,
}

impl Lamp {
    /// The lamp of a feed at an instant.
    pub fn of(name: &str, heard: &Heard, calendar: &Calendar, now: Instant) -> Self {
        let (lamp, word) = match heard {
            Heard { paused: true, .. } => ("hollow", "paused".to_owned()),
            Heard { failing: Some(_), .. } => ("barred", "failing".to_owned()),
            Heard { last: None, connected: true, .. } => ("half", "connected".to_owned()),
            Heard { last: None, .. } => ("hollow", "nothing yet".to_owned()),
            Heard { last: Some(last), .. } if (now - *last).num_minutes() < QUIET_MINUTES => {
                ("full", "flowing".to_owned())
            }
            Heard { last: Some(last), .. } => ("half", format!("quiet since {}", since(calendar, *last, now))),
        };
        Self { name: name.to_owned(), lamp, word }
    }
}

/// `19:30` on the same day, else `24 Nov, 19:30`.
pub fn since(calendar: &Calendar, at: Instant, now: Instant) -> String {
    let form = if calendar.day(at) == calendar.day(now) { "%H:%M" } else { "%-d %b, %H:%M" };
    calendar.local(at).format(form).to_string()
}

/// Draws with the templates of this crate.
pub struct Drawer;

impl Draw for Drawer {
    fn widget(&self, shown: &Shown<'_>) -> Drawn {
        let seq = Some(shown.seq.0);
        let air = message(seq, [("w", widgets::draw(shown.seen))], Some(shown.id));
        let plate = plate(shown.id, shown.plate, shown.seen.view, shown.levers);
        // Nothing on the stage means that it shows what is on air.
        let tried = shown.tried.map(widgets::draw).unwrap_or_default();
        let desk = message(seq, [("d", plate), ("t", tried)], Some(shown.id));
        Drawn { air, desk }
    }

    fn rehearsal(&self, id: WidgetId, seen: Seen<'_>) -> ByteString {
        message(None, [("r", widgets::draw(seen))], Some(id))
    }

    fn pulse(&self, pulse: &Pulse<'_>) -> ByteString {
        let lines = lines(pulse.roll, &pulse.calendar, pulse.now);
        let lamp = |feed: &PulseFeed| Lamp::of(&feed.name, &feed.heard, &pulse.calendar, pulse.now);
        let strip = Strip {
            lamps: pulse.feeds.iter().map(lamp).collect(),
            pages: pulse.pages,
            last: lines.first(),
            chat: pulse.chat.map(|(_, line)| line),
        };
        let air = AirSwitch::of(pulse.on_air, &pulse.calendar, pulse.now);
        let parts = [("strip", html(&strip)), ("roll", html(&Roll { lines: &lines })), ("air", html(&air))];
        message(None, parts, None)
    }
}

fn lines(roll: &[(RollLine, Option<String>)], calendar: &Calendar, now: Instant) -> Vec<Line> {
    roll.iter()
        .rev()
        .map(|(line, widget)| Line {
            seq: line.seq.0,
            time: since(calendar, line.happened_at, now),
            words: widget.as_ref().map_or(line.words.clone(), |widget| format!("{widget}: {}", line.words)),
            kind: line.file_under.clone(),
        })
        .collect()
}

/// A plate for the desk; without levers where nothing can be operated.
pub fn plate(id: WidgetId, place: Option<usize>, view: &View, levers: &[Lever]) -> String {
    let row = place.and_then(|place| KEY_ROWS.get(place));
    let levers = levers
        .iter()
        .enumerate()
        .map(|(index, lever)| PlateLever { lever, key: row.and_then(|row| row.get(index)).copied() })
        .collect();
    html(&Plate { id, title: view.title(), view, levers })
}
