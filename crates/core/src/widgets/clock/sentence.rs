//! First train *counts down to* Fridays, 19:30. *Before it starts it shows* its digits *and when it is done* Here we go.

use super::Clock;
use super::kind::{Kind, Moment, Since, day_words};
use crate::count::published::counters;
use crate::count::{Count, Scope, sentence as counting};
use crate::record::ids::WidgetId;
use crate::record::measure::Measure;
use crate::sentence::{EditError, Editor, Part, input};
use crate::time::calendar::Period;
use crate::time::face::{PLACES, Units, unknown_place};
use crate::time::words::digits;
use crate::widgets::no_such_part;
use chrono::{NaiveTime, TimeDelta, Weekday};
use chrono_tz::Tz;

const TITLE: &str = "The title";
const KIND: &str = "What it counts";
const LENGTH: &str = "The length";
const EVERY: &str = "How often the moment comes";
const MOMENT: &str = "The moment";
const TIME: &str = "The time of day";
const SINCE: &str = "Since what it counts";
const ZONE: &str = "The zone";
const READY: &str = "The text before it starts";
const DONE: &str = "The text when it is done";
const UNITS: &str = "The units";
const FORMAT: &str = "The text around the digits";
const TENTHS: &str = "The bound for tenths";
const SHOWS: &str = "When it shows itself";
const HIDES: &str = "When it hides itself";
const STEP: &str = "The step of the desk";

const SHOWS_WORDS: [(&str, &str); 2] = [("always", "all the time"), ("running", "only while it runs")];
const DAYS: [(&str, Weekday); 7] = [
    ("mon", Weekday::Mon),
    ("tue", Weekday::Tue),
    ("wed", Weekday::Wed),
    ("thu", Weekday::Thu),
    ("fri", Weekday::Fri),
    ("sat", Weekday::Sat),
    ("sun", Weekday::Sun),
];

fn length(seconds: i64) -> String {
    digits(TimeDelta::seconds(seconds))
}

fn text(value: &str) -> Editor {
    Editor::Text { value: value.to_owned() }
}

fn quoted(text: &str, empty: &str) -> String {
    if text.is_empty() { empty.to_owned() } else { format!("“{text}”") }
}

fn moment_parts(moment: &Moment) -> Vec<Part> {
    let mut options: Vec<(String, String)> =
        vec![("once".into(), "one moment".into()), ("daily".into(), "every day at".into())];
    options.extend(DAYS.map(|(key, day)| (key.to_owned(), format!("every {} at", day_words(day)))));
    let every = |chosen: &str| {
        let shown = options.iter().find(|(key, _)| key == chosen).map_or("", |(_, words)| words.as_str());
        Part::field("every", EVERY, shown, Editor::Choice { options: options.clone(), chosen: chosen.to_owned() })
    };
    let at = |time: &NaiveTime| {
        let time = time.format("%H:%M").to_string();
        Part::field("time", TIME, time.clone(), text(&time))
    };
    match moment {
        Moment::Once(local) => {
            let value = local.format("%Y-%m-%dT%H:%M").to_string();
            vec![
                every("once"),
                Part::words(","),
                Part::field("moment", MOMENT, moment.words(), Editor::MaybeMoment { value }),
            ]
        }
        Moment::Daily(time) => vec![every("daily"), at(time)],
        Moment::Weekly { day, time } => {
            let key = DAYS.iter().find(|(_, one)| one == day).map_or("fri", |(key, _)| key);
            vec![every(key), at(time)]
        }
    }
}

fn since_parts(clock: &Clock, scope: &Scope<'_>) -> Vec<Part> {
    let mut options = vec![("show".to_owned(), "the show began".to_owned())];
    options.extend(
        counters(scope.published).map(|(id, name)| (format!("counter:{id}"), format!("{name} was last pressed"))),
    );
    options.push(("latest".into(), "the latest of".into()));
    let (chosen, shown) = match &clock.since {
        Since::Show => ("show".to_owned(), clock.since.words(scope)),
        Since::Counter(widget) => (format!("counter:{widget}"), clock.since.words(scope)),
        // What it is the latest of, follows as parts of its own.
        Since::Latest(_) => ("latest".into(), "the latest of".into()),
    };
    let mut parts = vec![Part::field("since", SINCE, shown, Editor::Choice { options, chosen })];
    if let Since::Latest(count) = &clock.since {
        let period = |part: &Part| matches!(part, Part::Field(field) if field.key == "period");
        let mut counted = counting::parts(count, scope);
        // Its period is all time: what is asked is when it was last.
        if let Some(place) = counted.iter().position(period) {
            counted.truncate(place.saturating_sub(1));
        }
        parts.extend(counted);
    }
    parts
}

pub(super) fn parts(clock: &Clock, scope: &Scope<'_>) -> Vec<Part> {
    let kinds = Kind::ALL.map(|one| (one.key(), one.words()));
    let mut parts = vec![
        Part::field("title", TITLE, clock.title.as_str(), text(&clock.title)),
        Part::field("kind", KIND, clock.kind.words(), Editor::choice(kinds, clock.kind.key())),
    ];
    match clock.kind {
        Kind::Down => parts.push(Part::field(
            "length",
            LENGTH,
            length(clock.seconds),
            Editor::Length { value: length(clock.seconds) },
        )),
        Kind::To => parts.extend(moment_parts(&clock.moment)),
        Kind::Up => {}
        Kind::Since => parts.extend(since_parts(clock, scope)),
        Kind::Zone => {
            let shown = clock.zone.map_or("the channel’s zone".into(), |zone| zone.name().replace('_', " "));
            parts.push(Part::field("zone", ZONE, shown, text(clock.zone.map_or("", |zone| zone.name()))));
        }
    }
    let ready =
        |empty: &str| Part::field("ready_text", READY, quoted(&clock.ready_text, empty), text(&clock.ready_text));
    match clock.kind {
        Kind::Down => parts.extend([Part::words(", shows"), ready("its length"), Part::words("before it starts")]),
        Kind::Up => parts.extend([Part::words(", shows"), ready("0"), Part::words("before it starts")]),
        Kind::Since => parts.extend([Part::words(", shows"), ready("0"), Part::words("if it never was")]),
        Kind::To | Kind::Zone => {}
    }
    if clock.kind.is_down() {
        let and = if clock.kind == Kind::Down { "and" } else { ", shows" };
        parts.extend([
            Part::words(and),
            Part::field("done_text", DONE, quoted(&clock.done_text, "nothing"), text(&clock.done_text)),
            Part::words("when it is done"),
        ]);
    }
    let units = match clock.kind {
        Kind::Zone => vec![("auto", "19:30"), ("hours", "19:30:05")],
        _ => Units::ALL.map(|one| (one.key(), one.words())).to_vec(),
    };
    let chosen = units.iter().find(|(key, _)| *key == clock.units.key()).or(units.first()).copied().unwrap_or_default();
    parts.extend([
        Part::words(". It is written like"),
        Part::field("units", UNITS, chosen.1, Editor::choice(units, chosen.0)),
    ]);
    if clock.kind != Kind::Zone {
        let editor = Editor::Template { value: clock.format.clone(), values: &PLACES };
        parts.extend([
            Part::words("or"),
            Part::field("format", FORMAT, quoted(&clock.format, "a text of your own"), editor),
        ]);
        let tenths = Some(clock.tenths_under_s).filter(|bound| *bound > 0);
        parts.extend([Part::words(", with tenths below"), Part::maybe_length("tenths", TENTHS, tenths, "nothing")]);
    }
    if clock.kind.is_operated() {
        let shows = SHOWS_WORDS[usize::from(clock.only_running)];
        parts.extend([
            Part::words(". It shows itself"),
            Part::field("shows", SHOWS, shows.1, Editor::choice(SHOWS_WORDS, shows.0)),
        ]);
    }
    if clock.kind.is_down() {
        let none = if clock.only_running { "ten seconds" } else { "never" };
        parts.extend([
            Part::words(", and hides after it is done:"),
            Part::maybe_length("hide_after", HIDES, clock.hide_after_s, none),
        ]);
    }
    if clock.kind.is_operated() {
        let step = Editor::Length { value: length(clock.step_s) };
        parts
            .extend([Part::words(". On the desk a press adds"), Part::field("step", STEP, length(clock.step_s), step)]);
    }
    parts
}

fn time(label: &'static str, text: &str) -> Result<NaiveTime, EditError> {
    let read = NaiveTime::parse_from_str(text.trim(), "%H:%M");
    read.map_err(|_| input(label, text).refuse("must be a time such as 19:30"))
}

fn moment_of(clock: &Clock, every: &str, scope: &Scope<'_>) -> Option<Moment> {
    let at = match clock.moment {
        Moment::Weekly { time, .. } | Moment::Daily(time) => time,
        Moment::Once(local) => local.time(),
    };
    match every {
        "daily" => Some(Moment::Daily(at)),
        "once" => {
            let today = scope.settings.calendar.local(scope.now).date();
            Some(Moment::Once(today.succ_opt().unwrap_or(today).and_time(at)))
        }
        day => DAYS.iter().find(|(key, _)| *key == day).map(|(_, day)| Moment::Weekly { day: *day, time: at }),
    }
}

pub(super) fn edit(clock: &mut Clock, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
    match key {
        "title" => clock.title = input(TITLE, text).title()?,
        "kind" => clock.kind = input(KIND, text).choice(&Kind::ALL, Kind::key)?,
        "length" => clock.seconds = input(LENGTH, text).length()?,
        "every" => {
            let chosen = moment_of(clock, text, scope);
            clock.moment = chosen.ok_or_else(|| input(EVERY, text).refuse("is none of the choices offered"))?;
        }
        "moment" => {
            let moment = input(MOMENT, text).maybe_moment()?;
            let moment = moment
                .ok_or_else(|| input(MOMENT, text).refuse("must be a date and a time, such as 2026-11-29T20:00"))?;
            clock.moment = Moment::Once(moment);
        }
        "time" => {
            let at = time(TIME, text)?;
            clock.moment = match clock.moment {
                Moment::Weekly { day, .. } => Moment::Weekly { day, time: at },
                _ => Moment::Daily(at),
            };
        }
        "since" => {
            clock.since = match text {
                "show" => Since::Show,
                "latest" => Since::latest(Measure::CountOfRaids),
                other => {
                    let id = other.strip_prefix("counter:").and_then(|id| id.parse().ok()).map(WidgetId);
                    let known = id.filter(|id| counters(scope.published).any(|(known, _)| known == *id));
                    Since::Counter(known.ok_or_else(|| input(SINCE, text).refuse("is none of the choices offered"))?)
                }
            }
        }
        "zone" if text.trim().is_empty() => clock.zone = None,
        "zone" => {
            let zone: Result<Tz, _> = text.trim().replace(' ', "_").parse();
            clock.zone =
                Some(zone.map_err(|_| input(ZONE, text).refuse("must be a zone such as Europe/London, or empty"))?);
        }
        "ready_text" => clock.ready_text = input(READY, text).line()?,
        "done_text" => clock.done_text = input(DONE, text).line()?,
        "units" => clock.units = input(UNITS, text).choice(&Units::ALL, Units::key)?,
        "format" => {
            let line = input(FORMAT, text).line()?;
            if let Some(place) = unknown_place(&line) {
                let known: Vec<&str> = PLACES.iter().map(|(name, ..)| *name).collect();
                let why = format!("has a place that cannot be filled: “{place}”; there are {}", known.join(", "));
                return Err(input(FORMAT, text).refuse(why));
            }
            clock.format = line;
        }
        "tenths" => clock.tenths_under_s = input(TENTHS, text).maybe_length()?.unwrap_or(0),
        "shows" => clock.only_running = input(SHOWS, text).choice(&["always", "running"], |one| one)? == "running",
        "hide_after" => clock.hide_after_s = input(HIDES, text).maybe_length()?,
        "step" => clock.step_s = input(STEP, text).length()?,
        counted => match &mut clock.since {
            Since::Latest(count) => {
                counting::edit(count, counted, text, scope)?;
                *count = Count { period: Period::AllTime, ..count.clone() };
            }
            _ => return Err(no_such_part(key)),
        },
    }
    Ok(())
}
