//! Forfeits draws from *its list of 6 slices*; what was drawn *stays*; it turns for *6 s*.

use super::{Source, Wheel};
use crate::book::chat::Role;
use crate::count::Scope;
use crate::count::published::Published;
use crate::language::text;
use crate::record::acts::wheel::{AfterWin, Slice};
use crate::record::ids::WidgetId;
use crate::sentence::{EditError, Editor, Part, input};
use crate::widgets::no_such_part;

const TITLE: &str = "The title";
const SOURCE: &str = "What it draws from";
const SLICES: &str = "The list";
const WORD: &str = "The word in chat";
const LEAST: &str = "Who may enter";
const EACH: &str = "The tickets of the word";
const BY_TIP: &str = "The tickets of a tip";
const BY_SUB: &str = "The tickets of a subscription";
const AFTER: &str = "What was drawn";
const TURN: &str = "The turn";
const REST: &str = "The rest";
const SHOW: &str = "How long the winner is shown";

/// Most slices of a list.
const MOST_SLICES: usize = 2_000;
/// The most that a slice weighs.
const MOST_WEIGHT: u32 = 1_000_000;
/// Most letters of a slice.
const MOST_TEXT: usize = 80;
/// Most tickets that one thing gives.
const MOST_TICKETS: i64 = 1_000;

const AFTERS: [(&str, &str); 3] =
    [("keep", "stays as it is"), ("remove", "is taken out"), ("take_one", "loses one of its weight")];
const LEASTS: [(Role, &str); 4] = [
    (Role::Viewer, "everyone"),
    (Role::Follower, "followers"),
    (Role::Subscriber, "subscribers"),
    (Role::Helper, "helpers"),
];

fn source_key(source: Source) -> String {
    match source {
        Source::List => "list".into(),
        Source::Pot => "pot".into(),
        Source::Poll(widget) => format!("poll:{widget}"),
    }
}

/// A slice in one line, as it is typed.
fn written(slice: &Slice) -> String {
    match slice.weight {
        1 => slice.text.clone(),
        weight => format!("{}: {weight}", slice.text),
    }
}

fn sources(scope: &Scope<'_>) -> Vec<(String, String)> {
    let own = [("list", "its own list"), ("pot", "a pot that viewers enter")];
    let own = own.into_iter().map(|(key, words)| (key.to_owned(), words.to_owned()));
    let poll = |(id, told): (&WidgetId, &Published)| match told {
        Published::Poll { title, .. } => {
            Some((format!("poll:{id}"), format!("the options of “{title}”, by their votes")))
        }
        _ => None,
    };
    own.chain(scope.published.iter().filter_map(poll)).collect()
}

pub(super) fn parts(wheel: &Wheel, scope: &Scope<'_>) -> Vec<Part> {
    let number = |value: i64| Editor::Number { value: value.to_string(), sign: String::new() };
    let (options, chosen) = (sources(scope), source_key(wheel.source));
    let gone = || "a poll that is gone".to_owned();
    let shown = options.iter().find(|(key, _)| *key == chosen).map_or_else(gone, |(_, words)| words.clone());
    let mut parts = vec![
        Part::field("title", TITLE, wheel.title.as_str(), Editor::Text { value: wheel.title.clone() }),
        Part::words("draws from"),
        Part::field("source", SOURCE, shown, Editor::Choice { options, chosen }),
    ];
    match wheel.source {
        Source::List => {
            let many = match wheel.slices.len() {
                1 => "1 slice".to_owned(),
                many => format!("{many} slices"),
            };
            let value = wheel.slices.iter().map(written).collect::<Vec<_>>().join("\n");
            parts.extend([Part::words("of"), Part::field("slices", SLICES, many, Editor::Lines { value })]);
        }
        Source::Pot => {
            let entry = &wheel.entry;
            let word = if entry.word.is_empty() { "no word" } else { entry.word.as_str() };
            let least = LEASTS.iter().find(|(role, _)| *role == wheel.least).map_or("", |(_, words)| words);
            let leasts = LEASTS.map(|(role, words)| (role.key(), words));
            let tickets = |many: u32| match many {
                0 => "none".to_owned(),
                1 => "1 ticket".to_owned(),
                many => format!("{many} tickets"),
            };
            let each = match entry.each {
                1 => "once".to_owned(),
                many => format!("up to {many} times"),
            };
            parts.extend([
                Part::words(":"),
                Part::field("least", LEAST, least, Editor::choice(leasts, wheel.least.key())),
                Part::words("enter with"),
                Part::field("word", WORD, word, Editor::Text { value: entry.word.clone() }),
                Part::field("each", EACH, each, number(entry.each.into())),
                Part::words("; each whole unit of a tip gives"),
                Part::field("by_tip", BY_TIP, tickets(entry.by_tip), number(entry.by_tip.into())),
                Part::words(", a subscription"),
                Part::field("by_sub", BY_SUB, tickets(entry.by_sub), number(entry.by_sub.into())),
            ]);
        }
        Source::Poll(_) => {}
    }
    let after = AFTERS[wheel.after as usize];
    parts.extend([
        Part::words(". What was drawn"),
        Part::field("after", AFTER, after.1, Editor::choice(AFTERS, after.0)),
        Part::words(". It turns for"),
        Part::field("turn", TURN, format!("{} s", wheel.turn_s), number(wheel.turn_s)),
        Part::words("and rests"),
        Part::field("rest", REST, format!("{} s", wheel.rest_s), number(wheel.rest_s)),
        Part::words("; the winner is shown for"),
        Part::field("show", SHOW, format!("{} s", wheel.show_s), number(wheel.show_s)),
    ]);
    parts
}

/// Reads a list, one slice a line; a weight stands behind a colon at the end.
fn slices(typed: &str) -> Result<Vec<Slice>, EditError> {
    let refuse = |why: String| input(SLICES, typed).refuse(why);
    let lines: Vec<&str> = typed.lines().map(str::trim).filter(|line| !line.is_empty()).collect();
    if lines.len() > MOST_SLICES {
        return Err(refuse(format!("takes at most {MOST_SLICES} slices, not {}", lines.len())));
    }
    let mut all: Vec<Slice> = Vec::new();
    for line in lines {
        let weighed = line.rsplit_once(':').and_then(|(text, weight)| Some((text.trim(), weight.trim().parse().ok()?)));
        let (name, weight): (&str, u32) = weighed.filter(|(text, _)| !text.is_empty()).unwrap_or((line, 1));
        if weight > MOST_WEIGHT {
            return Err(refuse(format!("has a weight over {MOST_WEIGHT}: {name}")));
        }
        let name = text::name(name).map_err(|error| refuse(format!("has a slice that {error}")))?;
        if name.chars().count() > MOST_TEXT {
            return Err(refuse(format!("has a slice longer than {MOST_TEXT} letters: {name}")));
        }
        match all.iter_mut().find(|one| one.text == name) {
            // The same twice is one, twice as heavy.
            Some(one) => one.weight = one.weight.saturating_add(weight).min(MOST_WEIGHT),
            None => all.push(Slice { text: name, weight }),
        }
    }
    if all.iter().all(|slice| slice.weight == 0) {
        return Err(refuse("needs at least one slice with a weight, such as “Sing a song: 2”".into()));
    }
    Ok(all)
}

pub(super) fn edit(wheel: &mut Wheel, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
    let tickets = |label| input(label, text).whole(0, MOST_TICKETS).map(|many| u32::try_from(many).unwrap_or(0));
    match key {
        "title" => wheel.title = input(TITLE, text).title()?,
        "source" => {
            let known = sources(scope).into_iter().any(|(key, _)| key == text);
            wheel.source = match (text, text.strip_prefix("poll:").and_then(|id| id.parse().ok())) {
                ("list", _) => Source::List,
                ("pot", _) => Source::Pot,
                (_, Some(id)) if known => Source::Poll(WidgetId(id)),
                _ => return Err(input(SOURCE, text).refuse("is none of the choices offered; pick one from the list")),
            };
        }
        "slices" => wheel.slices = slices(text)?,
        "word" => wheel.entry.word = input(WORD, text).maybe_word()?,
        "least" => {
            wheel.least = input(LEAST, text).choice(&LEASTS.map(|(role, _)| role), Role::key)?;
        }
        "each" => {
            let many = input(EACH, text).whole(1, MOST_TICKETS)?;
            wheel.entry.each = u32::try_from(many).unwrap_or(1);
        }
        "by_tip" => wheel.entry.by_tip = tickets(BY_TIP)?,
        "by_sub" => wheel.entry.by_sub = tickets(BY_SUB)?,
        "after" => {
            let all = [AfterWin::Keep, AfterWin::Remove, AfterWin::TakeOne];
            wheel.after = input(AFTER, text).choice(&all, |one| AFTERS[one as usize].0)?;
        }
        "turn" => wheel.turn_s = input(TURN, text).whole(3, 15)?,
        "rest" => wheel.rest_s = input(REST, text).whole(0, 3_600)?,
        "show" => wheel.show_s = input(SHOW, text).whole(0, 600)?,
        _ => return Err(no_such_part(key)),
    }
    Ok(())
}
