//! From views to what pages get: each widget drawn once, wrapped into a message, shared by all.

use crate::markup::html;
use crate::pad::pad;
use crate::widgets;
use crate::widgets::clock::Ticks;
use askama::Template;
use bytestring::ByteString;
use chrono::TimeDelta;
use serde::Serialize;
use std::collections::BTreeMap;
use tally_core::book::chat::ChatLine;
use tally_core::channel::{Bound, Desk, RollLine};
use tally_core::count::Scope;
use tally_core::record::happening::Kind;
use tally_core::record::ids::WidgetId;
use tally_core::time::Instant;
use tally_core::time::calendar::Calendar;
use tally_core::time::words::minutes_words;
use tally_core::widgets::poll::PhaseWord as PollPhase;
use tally_core::widgets::subathon::{PhaseWord, SubathonView};
use tally_core::widgets::view::View;
use tally_core::widgets::wheel::PhaseWord as WheelPhase;
use tally_core::widgets::{Lever, Piece};
use tally_engine::{Draw, Drawn, Heard, OnAir, Pulse, PulseFeed, Seen, Shown};

/// A feed that has brought nothing for this long is quiet.
const QUIET_MINUTES: i64 = 30;

/// How many keys a row of the desk has.
const KEYS: usize = 4;

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
    /// The key that was chosen for it, and what is printed on it. Others have the key of their place, which pages know.
    key: Option<(&'a str, String)>,
}

/// Who has a plate before them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ForWhom<'a> {
    /// The owner, with the desk and its keys.
    Owner(&'a Desk),
    /// A helper, who is not told of other helpers, and for whom nothing leads into the owner's rooms.
    Helper,
}

#[derive(Template)]
#[template(path = "plate.html")]
struct Plate<'a> {
    id: WidgetId,
    title: &'a str,
    view: &'a View,
    levers: Vec<PlateLever<'a>>,
    /// Those that send a text along.
    typed: Vec<&'a Lever>,
    /// What the desk has to be told of.
    attention: Option<&'a str>,
    for_whom: ForWhom<'a>,
}

impl Plate<'_> {
    /// The levers that are pressed in a hurry: as many as a row of keys has.
    fn first(&self) -> &[PlateLever<'_>] {
        self.levers.get(..KEYS).unwrap_or(&self.levers)
    }

    fn is_owners(&self) -> bool {
        self.for_whom != ForWhom::Helper
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
    clock_jump: Option<String>,
    attention: Vec<&'a (String, String)>,
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
    /// When that ends by itself unless somebody stays, in milliseconds of Unix time.
    ending: Option<i64>,
}

impl AirSwitch {
    /// The switch at an instant.
    pub fn of(on_air: OnAir, calendar: &Calendar, now: Instant) -> Self {
        let (from, ends) = match on_air {
            OnAir::Off => (None, None),
            OnAir::Since(from) => (Some(from), None),
            OnAir::Ending(from, at) => (Some(from), Some(at)),
        };
        Self {
            since: from.map(|at| (since(calendar, at, now), at.timestamp_millis())),
            ending: ends.map(|at| at.timestamp_millis()),
        }
    }
}

#[derive(Template)]
#[template(path = "roll.html")]
struct Roll<'a> {
    lines: &'a [Line],
}

/// What the desk has to be told of that is no widget's, above its plates.
#[derive(Template)]
#[template(path = "needs.html")]
struct Needs<'a> {
    needs: &'a [(String, String)],
}

/// What is said in chat, beside the paper roll.
#[derive(Template)]
#[template(path = "chat_roll.html")]
struct ChatRoll<'a> {
    lines: &'a [(u64, ChatLine)],
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
    /// Whether it tells of something that happened on the channel.
    can_be_voided: bool,
    /// The widget on which it can be taken back.
    undo_on: Option<WidgetId>,
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
    fn widget(&self, shown: &Shown) -> Drawn {
        let seq = Some(shown.seq.0);
        let air = message(seq, [("w", widgets::draw(shown.seen()))], Some(shown.id));
        let (view, levers) = (&shown.view, shown.levers.as_slice());
        let plate = |for_whom| plate(shown.id, for_whom, view, levers, shown.attention.as_deref());
        // Nothing on the stage means that it shows what is on air.
        let tried = shown.tried().map(widgets::draw).unwrap_or_default();
        let pad = |names| pad(view, levers, names).map(|pad| ("s", pad));
        let desk = [("d", plate(ForWhom::Owner(&shown.desk))), ("t", tried)].into_iter().chain(pad(true));
        let desk = message(seq, desk, Some(shown.id));
        let helpers = shown.for_helpers.then(|| [("d", plate(ForWhom::Helper))].into_iter().chain(pad(false)));
        let helpers = helpers.map(|parts| message(seq, parts, Some(shown.id)));
        Drawn { air, desk, helpers }
    }

    fn rehearsal(&self, id: WidgetId, seen: Seen<'_>) -> ByteString {
        message(None, [("r", widgets::draw(seen))], Some(id))
    }

    fn pulse(&self, pulse: &Pulse) -> ByteString {
        let lines = lines(pulse);
        let lamp = |feed: &PulseFeed| Lamp::of(&feed.name, &feed.heard, &pulse.calendar, pulse.now);
        let lamps: Vec<Lamp> = pulse.feeds.iter().map(lamp).collect();
        let needs: Vec<(String, String)> = pulse.needs.iter().cloned().chain(silent(pulse, &lamps)).collect();
        let attention: Vec<&(String, String)> = needs.iter().chain(&pulse.attention).collect();
        let clock_jump = pulse.clock_jump.map(jump_words);
        let strip =
            Strip { clock_jump, attention, lamps, pages: pulse.pages, last: lines.first(), chat: pulse.chat.as_ref() };
        let air = AirSwitch::of(pulse.on_air, &pulse.calendar, pulse.now);
        let (roll, needs) = (html(&Roll { lines: &lines }), html(&Needs { needs: &needs }));
        message(None, [("strip", html(&strip)), ("roll", roll), ("needs", needs), ("air", html(&air))], None)
    }

    fn chat(&self, lines: &[(u64, ChatLine)]) -> ByteString {
        message(None, [("chat", html(&ChatRoll { lines }))], None)
    }
}

/// How far a clock has jumped, in words. To the minute: the two clocks are not read in the same instant.
fn jump_words(jump: TimeDelta) -> String {
    let way = if jump < TimeDelta::zero() { "back" } else { "ahead" };
    format!("{way} by {}", minutes_words(jump))
}

/// The feeds of which the desk has to be told: those that fail, and, on air, those that brought something in this show and are
/// quiet now.
fn silent<'a>(pulse: &'a Pulse, lamps: &'a [Lamp]) -> impl Iterator<Item = (String, String)> + 'a {
    let began = match pulse.on_air {
        OnAir::Off => None,
        OnAir::Since(at) | OnAir::Ending(at, _) => Some(at),
    };
    pulse.feeds.iter().zip(lamps).filter_map(move |(feed, lamp)| {
        let spoke = began.is_some_and(|began| feed.heard.last.is_some_and(|last| last >= began));
        let told = match lamp.lamp {
            "barred" => feed.heard.failing.clone()?,
            "half" if spoke => lamp.word.clone(),
            _ => return None,
        };
        Some((format!("The feed “{}”", feed.name), told))
    })
}

fn lines(pulse: &Pulse) -> Vec<Line> {
    let line = |(line, widget): &(RollLine, Option<String>)| Line {
        seq: line.seq.0,
        time: since(&pulse.calendar, line.happened_at, pulse.now),
        words: widget.as_ref().map_or(line.words.clone(), |widget| format!("{widget}: {}", line.words)),
        can_be_voided: pulse.is_kept && Kind::of_key(&line.file_under).is_some(),
        undo_on: line.widget.filter(|_| pulse.in_force.contains(&line.seq)),
        kind: line.file_under.clone(),
    };
    pulse.roll.iter().rev().map(line).collect()
}

/// What is seen of a widget by whoever operates it.
pub struct Operated {
    /// Which.
    pub id: WidgetId,
    /// What it is called.
    pub title: String,
    view: View,
    levers: Vec<Lever>,
    attention: Option<String>,
}

impl Operated {
    /// As a widget stands at an instant.
    pub fn of(id: WidgetId, piece: &Piece, scope: &Scope<'_>) -> Self {
        Self {
            id,
            title: piece.title().to_owned(),
            view: piece.view(scope),
            levers: piece.levers(scope),
            attention: piece.attention(scope),
        }
    }

    /// Its plate.
    pub fn plate(&self, for_whom: ForWhom<'_>) -> String {
        plate(self.id, for_whom, &self.view, &self.levers, self.attention.as_deref())
    }

    /// Its pad, if it is a board; with the names of other helpers or without.
    pub fn pad(&self, names: bool) -> Option<String> {
        pad(&self.view, &self.levers, names)
    }
}

/// A plate for the desk; without levers where nothing can be operated.
fn plate(id: WidgetId, for_whom: ForWhom<'_>, view: &View, levers: &[Lever], attention: Option<&str>) -> String {
    let key = |lever: &Lever| match for_whom {
        ForWhom::Owner(desk) => {
            let (action, value, side) = (lever.action.to_owned(), lever.value, lever.side);
            desk.key_of(&Bound { widget: id, action, value, side })
        }
        ForWhom::Helper => None,
    };
    // A board has a page of its own for its many keys; the desk has those of a hurry, and Undo.
    let keys_elsewhere = matches!(view, View::Scoreboard(_));
    let undo = levers.iter().filter(|lever| keys_elsewhere && lever.action == "undo");
    let most = if keys_elsewhere { KEYS - 1 } else { usize::MAX };
    let often = levers.iter().filter(|lever| if keys_elsewhere { lever.main } else { !lever.rare });
    let often = often.take(most).chain(undo);
    let (typed, levers): (Vec<&Lever>, Vec<&Lever>) = often.partition(|lever| lever.text.is_some());
    let levers = levers.into_iter().map(|lever| PlateLever { lever, key: key(lever) }).collect();
    html(&Plate { id, title: view.title(), view, levers, typed, attention, for_whom })
}
