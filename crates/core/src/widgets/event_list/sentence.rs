//! *Just now* tells of *follows, tips and raids* from *all time*, *5* lines at most, the newest
//! *at the top*; …

use super::{EventList, MOST};
use crate::count::{Scope, sentence as counting};
use crate::sentence::{EditError, Editor, Part, input};
use crate::widgets::no_such_part;

const TITLE: &str = "The title";
const LINES: &str = "The number of lines";
const ORDER: &str = "The order";
const FOLD: &str = "The folding time";
const LIFE: &str = "The lifetime of a line";
const QUIET: &str = "The quiet time";
const FADE: &str = "The line where fading starts";
const PLACEHOLDER: &str = "The placeholder";

/// Where the newest line stands: the word, how it reads, whether it stands last, and whether lines stand beside each other.
const ORDERS: [(&str, &str, bool, bool); 4] = [
    ("first", "at the top", false, false),
    ("last", "at the bottom", true, false),
    ("left", "on the left", false, true),
    ("right", "on the right", true, true),
];

pub(super) fn parts(list: &EventList) -> Vec<Part> {
    let number = |value: u32| Editor::Number { value: value.to_string(), sign: String::new() };
    let (order, order_words, ..) = ORDERS
        .into_iter()
        .find(|(_, _, last, sideways)| (*last, *sideways) == (list.newest_last, list.sideways))
        .unwrap_or(ORDERS[0]);
    let fade = if list.fade_from == 0 { "none".to_owned() } else { format!("the {}th", list.fade_from) };
    let mut parts = vec![
        Part::field("title", TITLE, list.title.as_str(), Editor::Text { value: list.title.clone() }),
        Part::words("tells of"),
        list.format.part(),
        Part::words("from"),
    ];
    parts.extend(counting::period(list.period));
    parts.extend([
        Part::words(", on"),
        Part::field("most", LINES, list.most.to_string(), number(list.most)),
        Part::words("lines at most, the newest"),
        Part::field("order", ORDER, order_words, Editor::choice(ORDERS.map(|(key, words, ..)| (key, words)), order)),
        Part::words("; one supporter’s entries fold within"),
        Part::rest(("fold", FOLD), list.fold, "no time", ""),
        Part::words("; a line lives"),
        Part::rest(("life", LIFE), list.life, "for ever", ""),
        Part::words(", all hide after"),
        Part::rest(("quiet", QUIET), list.quiet, "no quiet time", ""),
        Part::words(", growing paler from"),
        Part::field(
            "fade_from",
            FADE,
            fade,
            Editor::MaybeNumber { value: if list.fade_from == 0 { String::new() } else { list.fade_from.to_string() } },
        ),
        Part::words("on; at first it says"),
        Part::field(
            "placeholder",
            PLACEHOLDER,
            if list.placeholder.is_empty() { "nothing" } else { list.placeholder.as_str() },
            Editor::Text { value: list.placeholder.clone() },
        ),
    ]);
    parts
}

pub(super) fn edit(list: &mut EventList, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
    let count = |label, most: u32| -> Result<u32, EditError> {
        Ok(u32::try_from(input(label, text).whole(1, i64::from(most))?).unwrap_or(1))
    };
    match key {
        "title" => list.title = input(TITLE, text).title()?,
        "most" => list.most = count(LINES, MOST)?,
        "order" => {
            let (_, _, last, sideways) = input(ORDER, text).choice(&ORDERS, |(key, ..)| key)?;
            (list.newest_last, list.sideways) = (last, sideways);
        }
        "fold" => list.fold = input(FOLD, text).rest()?,
        "life" => list.life = input(LIFE, text).rest()?,
        "quiet" => list.quiet = input(QUIET, text).rest()?,
        "fade_from" => {
            let from = input(FADE, text).maybe_whole(1, i64::from(MOST))?;
            list.fade_from = from.and_then(|from| u32::try_from(from).ok()).unwrap_or(0);
        }
        "placeholder" => list.placeholder = input(PLACEHOLDER, text).line()?,
        _ => {
            let known =
                list.format.edit(key, text, scope)? || counting::edit_period(&mut list.period, key, text, scope)?;
            if !known {
                return Err(no_such_part(key));
            }
        }
    }
    Ok(())
}
