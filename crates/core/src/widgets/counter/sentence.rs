//! Derailments *counts in steps of* 1 *from* 0, *between* 0 *and* no ceiling, *towards* no target; it resets by hand.

use super::{Counter, Resets};
use crate::language::unit::Unit;
use crate::sentence::{EditError, Editor, MOST_NUMBER, Part, input};
use crate::widgets::no_such_part;

const TITLE: &str = "The title";
const STEP: &str = "The step";
const START: &str = "The start value";
const FLOOR: &str = "The floor";
const CEILING: &str = "The ceiling";
const TARGET: &str = "The target";
const RESETS: &str = "The reset";

impl Resets {
    const ALL: [Self; 3] = [Self::ByHand, Self::EachDay, Self::EachShow];

    fn key(self) -> &'static str {
        match self {
            Self::ByHand => "by_hand",
            Self::EachDay => "each_day",
            Self::EachShow => "each_show",
        }
    }

    fn words(self) -> &'static str {
        match self {
            Self::ByHand => "by hand only",
            Self::EachDay => "each day",
            Self::EachShow => "with each show",
        }
    }
}

pub(super) fn parts(counter: &Counter) -> Vec<Part> {
    let number = |value: i64| Editor::Number { value: value.to_string(), sign: String::new() };
    let maybe = |value: Option<i64>| Editor::MaybeNumber { value: value.map(|v| v.to_string()).unwrap_or_default() };
    let shown = |value: Option<i64>, none: &str| value.map_or(none.to_owned(), |v| Unit::Things.show(v));
    vec![
        Part::field("title", TITLE, counter.title.as_str(), Editor::Text { value: counter.title.clone() }),
        Part::words("counts by hand in steps of"),
        Part::field("step", STEP, Unit::Things.show(counter.step), number(counter.step)),
        Part::words("from"),
        Part::field("start", START, Unit::Things.show(counter.start), number(counter.start)),
        Part::words(", never below"),
        Part::field("floor", FLOOR, shown(counter.floor, "anything"), maybe(counter.floor)),
        Part::words("nor above"),
        Part::field("ceiling", CEILING, shown(counter.ceiling, "anything"), maybe(counter.ceiling)),
        Part::words(", towards"),
        Part::field("target", TARGET, shown(counter.target, "no target"), maybe(counter.target)),
        Part::words(", and resets"),
        Part::field(
            "resets",
            RESETS,
            counter.resets.words(),
            Editor::choice(Resets::ALL.map(|one| (one.key(), one.words())), counter.resets.key()),
        ),
    ]
}

pub(super) fn edit(counter: &mut Counter, key: &str, text: &str) -> Result<(), EditError> {
    let bounds = |label, floor: Option<i64>, ceiling: Option<i64>| match (floor, ceiling) {
        (Some(floor), Some(ceiling)) if floor >= ceiling => Err(input(label, text)
            .refuse(format!("does not fit: the floor ({floor}) must lie below the ceiling ({ceiling})"))),
        _ => Ok(()),
    };
    match key {
        "title" => counter.title = input(TITLE, text).title()?,
        "step" => counter.step = input(STEP, text).whole(1, 1_000_000)?,
        "start" => counter.start = input(START, text).whole(-MOST_NUMBER, MOST_NUMBER)?,
        "floor" => {
            let floor = input(FLOOR, text).maybe_whole(-MOST_NUMBER, MOST_NUMBER)?;
            bounds(FLOOR, floor, counter.ceiling)?;
            counter.floor = floor;
        }
        "ceiling" => {
            let ceiling = input(CEILING, text).maybe_whole(-MOST_NUMBER, MOST_NUMBER)?;
            bounds(CEILING, counter.floor, ceiling)?;
            counter.ceiling = ceiling;
        }
        "target" => counter.target = input(TARGET, text).maybe_whole(1, MOST_NUMBER)?,
        "resets" => counter.resets = input(RESETS, text).choice(&Resets::ALL, Resets::key)?,
        _ => return Err(no_such_part(key)),
    }
    Ok(())
}
