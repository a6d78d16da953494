//! Derailments *counts in steps of* 1 *from* 0, *between* 0 *and* no ceiling, *towards* no target; it resets by hand.

use super::{Beside, Counter, MOST, One, Resets};
use crate::count::Scope;
use crate::language::unit::Unit;
use crate::sentence::{EditError, Editor, MOST_NUMBER, Part, input, numbered};
use crate::template;
use crate::time::words::instant_words;
use crate::widgets::no_such_part;

const TITLE: &str = "The title";
const STEP: &str = "The step";
const START: &str = "The start value";
const FLOOR: &str = "The floor";
const CEILING: &str = "The ceiling";
const TARGET: &str = "The target";
const RESETS: &str = "The reset";
const TEXT: &str = "The text around the number";
const BESIDE: &str = "What stands beside it";
const MORE: &str = "What else the widget counts";

const BESIDES: [(&str, &str); 2] = [("nothing", "nothing"), ("show_and_all_time", "this show and all time")];

impl Resets {
    const ALL: [Self; 4] = [Self::ByHand, Self::EachDay, Self::EachShow, Self::Never];

    fn key(self) -> &'static str {
        match self {
            Self::ByHand => "by_hand",
            Self::EachDay => "each_day",
            Self::EachShow => "each_show",
            Self::Never => "never",
        }
    }

    fn words(self) -> &'static str {
        match self {
            Self::ByHand => "by hand only",
            Self::EachDay => "each day",
            Self::EachShow => "with each show",
            Self::Never => "never",
        }
    }
}

fn one_parts(one: &One) -> Vec<Part> {
    let number = |value: i64| Editor::Number { value: value.to_string(), sign: String::new() };
    let maybe = |value: Option<i64>| Editor::MaybeNumber { value: value.map(|v| v.to_string()).unwrap_or_default() };
    let shown = |value: Option<i64>, none: &str| value.map_or(none.to_owned(), |v| Unit::Things.show(v));
    let text = if one.text.is_empty() { "its name".to_owned() } else { format!("“{}”", one.text) };
    vec![
        Part::field("title", TITLE, one.title.as_str(), Editor::Text { value: one.title.clone() }),
        Part::words("counts by hand in steps of"),
        Part::field("step", STEP, Unit::Things.show(one.step), number(one.step)),
        Part::words("from"),
        Part::field("start", START, Unit::Things.show(one.start), number(one.start)),
        Part::words(", never below"),
        Part::field("floor", FLOOR, shown(one.floor, "anything"), maybe(one.floor)),
        Part::words("nor above"),
        Part::field("ceiling", CEILING, shown(one.ceiling, "anything"), maybe(one.ceiling)),
        Part::words(", towards"),
        Part::field("target", TARGET, shown(one.target, "no target"), maybe(one.target)),
        Part::words(", with"),
        Part::field("text", TEXT, text, Editor::Template { value: one.text.clone(), values: template::of_counters() }),
    ]
}

pub(super) fn parts(counter: &Counter, scope: &Scope<'_>) -> Vec<Part> {
    let mut parts = one_parts(&counter.first);
    let beside = BESIDES[usize::from(counter.beside == Beside::ShowAndAllTime)];
    let resets = Editor::choice(Resets::ALL.map(|one| (one.key(), one.words())), counter.resets.key());
    parts.extend([Part::words(", and resets"), Part::field("resets", RESETS, counter.resets.words(), resets)]);
    if let Some(at) = counter.resets_at(scope.now, scope.settings) {
        parts.push(Part::words(format!("(next {})", instant_words(&scope.settings.calendar, at))));
    }
    parts.extend([
        Part::words(". Beside it stands"),
        Part::field("beside", BESIDE, beside.1, Editor::choice(BESIDES, beside.0)),
    ]);
    for (number, one) in (2..).zip(&counter.more) {
        parts.push(Part::words(". Also"));
        parts.extend(one_parts(one).into_iter().map(|part| part.of(number)));
        let choices = [("keep", "stays"), ("drop", "goes")];
        parts.push(Part::words("; this one"));
        parts.push(Part::field("more", MORE, "stays", Editor::choice(choices, "keep")).of(number));
    }
    if counter.more.len().saturating_add(1) < MOST {
        let choices = [("keep", "nothing else"), ("add", "another counter")];
        parts.push(Part::words(". The widget counts"));
        parts.push(Part::field("more", MORE, "nothing else", Editor::choice(choices, "keep")));
    }
    parts
}

fn edit_one(one: &mut One, key: &str, text: &str) -> Result<(), EditError> {
    let bounds = |label, floor: Option<i64>, ceiling: Option<i64>| match (floor, ceiling) {
        (Some(floor), Some(ceiling)) if floor >= ceiling => Err(input(label, text)
            .refuse(format!("does not fit: the floor ({floor}) must lie below the ceiling ({ceiling})"))),
        _ => Ok(()),
    };
    match key {
        "title" => one.title = input(TITLE, text).title()?,
        "step" => one.step = input(STEP, text).whole(1, 1_000_000)?,
        "start" => one.start = input(START, text).whole(-MOST_NUMBER, MOST_NUMBER)?,
        "floor" => {
            let floor = input(FLOOR, text).maybe_whole(-MOST_NUMBER, MOST_NUMBER)?;
            bounds(FLOOR, floor, one.ceiling)?;
            one.floor = floor;
        }
        "ceiling" => {
            let ceiling = input(CEILING, text).maybe_whole(-MOST_NUMBER, MOST_NUMBER)?;
            bounds(CEILING, one.floor, ceiling)?;
            one.ceiling = ceiling;
        }
        "target" => one.target = input(TARGET, text).maybe_whole(1, MOST_NUMBER)?,
        "text" => {
            template::check(text).map_err(|error| input(TEXT, text).refuse(error.to_string()))?;
            one.text = text.trim().to_owned();
        }
        _ => return Err(no_such_part(key)),
    }
    Ok(())
}

pub(super) fn edit(counter: &mut Counter, key: &str, text: &str) -> Result<(), EditError> {
    let (number, part) = numbered(key);
    match (number, part) {
        (0, "resets") => counter.resets = input(RESETS, text).choice(&Resets::ALL, Resets::key)?,
        (0, "beside") => {
            let chosen = input(BESIDE, text).choice(&["nothing", "show_and_all_time"], |one| one)?;
            counter.beside = if chosen == "nothing" { Beside::Nothing } else { Beside::ShowAndAllTime };
        }
        (0, "more") => match text {
            "add" if counter.more.len().saturating_add(1) < MOST => counter.more.push(One::called("Another")),
            "add" => return Err(input(MORE, text).refuse(format!("has no more room: a widget takes {MOST} counters"))),
            _ => {}
        },
        // Presses of the one that goes are kept, and count again should one come in its place.
        (2.., "more") if number.saturating_sub(1) == counter.more.len() && text == "drop" => drop(counter.more.pop()),
        (2.., "more") if text == "drop" => {
            return Err(input(MORE, text).refuse("can only lose its last counter; let that one go first"));
        }
        (2.., "more") => {}
        (0, part) => edit_one(&mut counter.first, part, text)?,
        (_, part) => match counter.more.get_mut(number.saturating_sub(2)) {
            Some(one) => edit_one(one, part, text)?,
            None => return Err(no_such_part(key)),
        },
    }
    Ok(())
}
