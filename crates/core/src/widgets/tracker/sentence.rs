//! Yardmaster tells *deliveries* of *this show*, beside *derailments*.

use super::Tracker;
use crate::count::Scope;
use crate::count::sentence::heard;
use crate::language::text;
use crate::record::happening::Kind;
use crate::sentence::{EditError, Editor, Part, input};
use crate::time::calendar::Period;
use crate::widgets::no_such_part;

const TITLE: &str = "The title";
const STATISTIC: &str = "The statistic";
const PERIOD: &str = "The period";
const BESIDE: &str = "The other statistic";

/// Most letters of a statistic's word.
const MOST_WORD: usize = 60;
/// The periods that a tracker offers.
const PERIODS: [(Period, &str); 3] =
    [(Period::ThisShow, "this_show"), (Period::Today, "today"), (Period::AllTime, "all_time")];

/// The statistics that the game has reported, as a choice; while there are none, a text.
fn editor(scope: &Scope<'_>, present: &str, none: Option<&str>) -> Editor {
    let known = heard(scope, Kind::Stat);
    if known.is_empty() {
        return Editor::Text { value: present.to_owned() };
    }
    let none = none.map(|words| (String::new(), words.to_owned()));
    let own = (!present.is_empty() && !known.contains(present)).then_some(present);
    let all = own.into_iter().chain(known).map(|name| (name.to_owned(), name.to_owned()));
    Editor::Choice { options: none.into_iter().chain(all).collect(), chosen: present.to_owned() }
}

pub(super) fn parts(tracker: &Tracker, scope: &Scope<'_>) -> Vec<Part> {
    let beside = if tracker.beside.is_empty() { "nothing" } else { tracker.beside.as_str() };
    let chosen = PERIODS.iter().find(|(period, _)| *period == tracker.period).map_or("this_show", |(_, key)| key);
    let periods = PERIODS.map(|(period, key)| (key, period.words()));
    vec![
        Part::field("title", TITLE, tracker.title.as_str(), Editor::Text { value: tracker.title.clone() }),
        Part::words("tells"),
        Part::field("statistic", STATISTIC, tracker.statistic.as_str(), editor(scope, &tracker.statistic, None)),
        Part::words("of"),
        Part::field("period", PERIOD, tracker.period.words(), Editor::choice(periods, chosen)),
        Part::words("over all characters, beside"),
        Part::field("beside", BESIDE, beside, editor(scope, &tracker.beside, Some("nothing"))),
        Part::words(", and moves only when the game reports"),
    ]
}

fn word(label: &'static str, typed: &str) -> Result<String, EditError> {
    let word = text::name(typed).map_err(|error| input(label, typed).refuse(error.to_string()))?;
    if word.chars().count() > MOST_WORD {
        return Err(input(label, typed).refuse(format!("has at most {MOST_WORD} letters")));
    }
    Ok(word)
}

pub(super) fn edit(tracker: &mut Tracker, key: &str, text: &str, _: &Scope<'_>) -> Result<(), EditError> {
    match key {
        "title" => tracker.title = input(TITLE, text).title()?,
        "statistic" => tracker.statistic = word(STATISTIC, text)?,
        "beside" if text.trim().is_empty() => tracker.beside = String::new(),
        "beside" => tracker.beside = word(BESIDE, text)?,
        "period" => {
            let found = PERIODS.iter().find(|(_, key)| *key == text).map(|(period, _)| *period);
            let none = || input(PERIOD, text).refuse("is none of the choices offered; pick one from the list");
            tracker.period = found.ok_or_else(none)?;
        }
        _ => return Err(no_such_part(key)),
    }
    Ok(())
}
