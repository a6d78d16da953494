//! Votes *of two minutes* count by *the last of each viewer*; what can be asked is *three saved polls*.

use super::{Poll, Saved, ballot};
use crate::sentence::{EditError, Editor, Part, input};
use crate::widgets::no_such_part;

const TITLE: &str = "The title";
const SAVED: &str = "The saved polls";
const LENGTH: &str = "The length";
const COUNTS: &str = "Which vote counts";
const WEIGHT: &str = "The weight of a subscriber";
const TIPS: &str = "The votes of a tip";
const LINGER: &str = "How long the result stays";
const SECRET: &str = "When shares are shown";
const WORD: &str = "The word for helpers";
const ELSEWHERE: &str = "Polls held elsewhere";
const SAVE: &str = "The poll to be saved";

/// The most polls that are kept.
const MOST_SAVED: usize = 40;
/// The longest that a result stays, in seconds.
const MOST_LINGER_S: i64 = 600;
/// The most that a vote weighs, and the most votes of one unit of a tip.
const MOST_WEIGHT: i64 = 1_000;

const COUNTING: [(&str, &str); 2] = [("last", "last vote"), ("first", "first vote")];
const SHOWING: [(&str, &str); 2] = [("always", "while votes come in"), ("closed", "only when it is over")];
const OTHERS: [(&str, &str); 2] = [("shown", "are shown too"), ("not", "are not shown")];

fn pick(words: &[(&'static str, &'static str); 2], second: bool) -> (&'static str, &'static str) {
    words[usize::from(second)]
}

pub(super) fn parts(poll: &Poll) -> Vec<Part> {
    let number = |value: u32| Editor::Number { value: value.to_string(), sign: String::new() };
    let saved = match poll.saved.len() {
        0 => "whatever you type on the desk".to_owned(),
        1 => "1 saved poll".to_owned(),
        many => format!("{many} saved polls"),
    };
    let written = |one: &Saved| ballot::written(&one.question, one.options.iter().map(String::as_str));
    let saved_value = poll.saved.iter().map(written).collect::<Vec<_>>().join("\n");
    let counts = pick(&COUNTING, !poll.last_counts);
    let secret = pick(&SHOWING, poll.secret);
    let elsewhere = pick(&OTHERS, !poll.elsewhere);
    let weight = match poll.subscriber_weight {
        1 => "like any other".to_owned(),
        weight => format!("{weight} times"),
    };
    let tips = match poll.votes_per_unit {
        0 => "do not vote".to_owned(),
        1 => "cast 1 vote for each whole unit".to_owned(),
        votes => format!("cast {votes} votes for each whole unit"),
    };
    let word = if poll.word.is_empty() { "nothing" } else { poll.word.as_str() };
    let linger = match poll.linger_s {
        0 => "goes at once".to_owned(),
        seconds => format!("stays {seconds} s"),
    };
    vec![
        Part::field("title", TITLE, poll.title.as_str(), Editor::Text { value: poll.title.clone() }),
        Part::words("asks"),
        Part::field("saved", SAVED, saved, Editor::Lines { value: saved_value }),
        Part::words("and is open"),
        Part::maybe_length("length", LENGTH, poll.seconds, "until you close it"),
        Part::words(". The"),
        Part::field("counts", COUNTS, counts.1, Editor::choice(COUNTING, counts.0)),
        Part::words("of each viewer counts; a subscriber counts"),
        Part::field("weight", WEIGHT, weight, number(poll.subscriber_weight)),
        Part::words("; tips"),
        Part::field("tips", TIPS, tips, number(poll.votes_per_unit)),
        Part::words(". Shares are shown"),
        Part::field("secret", SECRET, secret.1, Editor::choice(SHOWING, secret.0)),
        Part::words("; the result"),
        Part::field("linger", LINGER, linger, Editor::Number { value: poll.linger_s.to_string(), sign: String::new() }),
        Part::words(". In chat a helper opens one with"),
        Part::field("word", WORD, word, Editor::Text { value: poll.word.clone() }),
        Part::words("; polls held elsewhere"),
        Part::field("elsewhere", ELSEWHERE, elsewhere.1, Editor::choice(OTHERS, elsewhere.0)),
    ]
}

pub(super) fn edit(poll: &mut Poll, key: &str, text: &str) -> Result<(), EditError> {
    let read = |label, line: &str| {
        let (question, options) =
            ballot::line(line).map_err(|why| EditError { label, why: format!("cannot be kept. {why}") })?;
        Ok(Saved { question, options })
    };
    let room = |label, many: usize| match many > MOST_SAVED {
        true => Err(input(label, text).refuse(format!("have no more room: a widget keeps {MOST_SAVED}"))),
        false => Ok(()),
    };
    match key {
        "title" => poll.title = input(TITLE, text).title()?,
        "saved" => {
            let lines = text.lines().filter(|line| !line.trim().is_empty());
            let saved = lines.map(|line| read(SAVED, line)).collect::<Result<Vec<_>, _>>()?;
            room(SAVED, saved.len())?;
            poll.saved = saved;
        }
        // One more, as the history does.
        "save" => {
            let one = read(SAVE, text)?;
            room(SAVED, poll.saved.len().saturating_add(1))?;
            if !poll.saved.contains(&one) {
                poll.saved.push(one);
            }
        }
        "length" => {
            poll.seconds = input(LENGTH, text).maybe_length()?;
        }
        "counts" => poll.last_counts = input(COUNTS, text).choice(&["last", "first"], |one| one)? == "last",
        "weight" => poll.subscriber_weight = u32::try_from(input(WEIGHT, text).whole(1, MOST_WEIGHT)?).unwrap_or(1),
        "tips" => poll.votes_per_unit = u32::try_from(input(TIPS, text).whole(0, MOST_WEIGHT)?).unwrap_or(0),
        "secret" => poll.secret = input(SECRET, text).choice(&["always", "closed"], |one| one)? == "closed",
        "linger" => poll.linger_s = input(LINGER, text).whole(0, MOST_LINGER_S)?,
        "word" => poll.word = input(WORD, text).maybe_word()?,
        "elsewhere" => poll.elsewhere = input(ELSEWHERE, text).choice(&["shown", "not"], |one| one)? == "shown",
        _ => return Err(no_such_part(key)),
    }
    Ok(())
}
