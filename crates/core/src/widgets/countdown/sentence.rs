//! First train *counts down from* 10:00, *says* the time left *before it starts and* Here we go *when it is done.*

use super::Countdown;
use crate::sentence::{EditError, Editor, Part, input};
use crate::time::words::digits;
use crate::widgets::no_such_part;

const TITLE: &str = "The title";
const LENGTH: &str = "The length";
const READY: &str = "The text before it starts";
const DONE: &str = "The text when it is done";

pub(super) fn parts(clock: &Countdown) -> Vec<Part> {
    let text = |value: &str| Editor::Text { value: value.to_owned() };
    let quoted = |text: &str, empty: &str| if text.is_empty() { empty.to_owned() } else { format!("“{text}”") };
    vec![
        Part::field("title", TITLE, clock.title.as_str(), text(&clock.title)),
        Part::words("counts down from"),
        Part::field("length", LENGTH, digits(clock.length()), Editor::Length { value: digits(clock.length()) }),
        Part::words(", shows"),
        Part::field("ready_text", READY, quoted(&clock.ready_text, "its length"), text(&clock.ready_text)),
        Part::words("before it starts and"),
        Part::field("done_text", DONE, quoted(&clock.done_text, "nothing"), text(&clock.done_text)),
        Part::words("when it is done"),
    ]
}

pub(super) fn edit(clock: &mut Countdown, key: &str, text: &str) -> Result<(), EditError> {
    match key {
        "title" => clock.title = input(TITLE, text).title()?,
        "length" => clock.seconds = input(LENGTH, text).length()?,
        "ready_text" => clock.ready_text = input(READY, text).line()?,
        "done_text" => clock.done_text = input(DONE, text).line()?,
        _ => return Err(no_such_part(key)),
    }
    Ok(())
}
