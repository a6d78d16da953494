//! Shunting derby is a match of *basketball*: *Heron Yard* against *Copper Yard*, in *4* periods of *10:00* …

use super::standing::MarkKind;
use super::{Scoreboard, side};
use crate::language::text;
use crate::record::acts::board::rules::RuleFormat;
use crate::record::acts::board::{Picture, Rule, Rules, Side, Sport};
use crate::record::own;
use crate::sentence::{EditError, Editor, Part, input};
use crate::time::words::digits;
use crate::widgets::no_such_part;
use chrono::{NaiveDateTime, TimeDelta};
use std::collections::BTreeSet;

const TITLE: &str = "The title";
const SPORT: &str = "The sport";
const SIDES: &str = "The sides";
const NAME: &str = "The name";
const SHORT: &str = "The short name";
const COLOUR: &str = "The colour";
const FLAG: &str = "The flag or picture";
const RANK: &str = "The rank";
const RECORD: &str = "The record";
const GAMES: &str = "The games";
const HIDDEN: &str = "What is left out";
const STARTS: &str = "When it begins";

/// Most letters of a side's name.
pub const MOST_NAME: usize = 40;
/// Most letters of its short name.
const MOST_SHORT: usize = 5;
/// Most letters of a rank or a record.
const MOST_WORDS: usize = 12;
/// Most games of a series that have a name.
const MOST_GAMES: usize = 99;

fn formatted(rule: Rule, value: i64) -> String {
    let length = || digits(TimeDelta::seconds(value));
    match rule.about().format {
        RuleFormat::NumberOr(none) | RuleFormat::LengthOr(none) if value == 0 => none.to_owned(),
        RuleFormat::Number | RuleFormat::NumberOr(_) => value.to_string(),
        RuleFormat::Length | RuleFormat::LengthOr(_) => length(),
        RuleFormat::OneOf(words) => {
            usize::try_from(value).ok().and_then(|at| words.get(at)).map_or("", |word| word).to_owned()
        }
    }
}

fn editor(rule: Rule, value: i64) -> Editor {
    match rule.about().format {
        RuleFormat::Number | RuleFormat::NumberOr(_) => {
            Editor::Number { value: value.to_string(), sign: String::new() }
        }
        RuleFormat::Length | RuleFormat::LengthOr(_) => Editor::Length { value: digits(TimeDelta::seconds(value)) },
        RuleFormat::OneOf(words) => Editor::Choice {
            options: (0..).zip(words).map(|(at, word): (i64, _)| (at.to_string(), (*word).to_owned())).collect(),
            chosen: value.to_string(),
        },
    }
}

fn side_parts(side: &Side, number: usize) -> Vec<Part> {
    let text = |value: &str| Editor::Text { value: value.to_owned() };
    let or = |value: &str, none: &str| if value.is_empty() { none.to_owned() } else { value.to_owned() };
    let pictured = match &side.picture {
        Picture::None => "no flag".to_owned(),
        Picture::Flag(code) => format!("flag {code}"),
        Picture::Own(_) => "a picture of its own".into(),
    };
    let parts = vec![
        Part::field("name", NAME, side.name.as_str(), text(&side.name)),
        Part::words("as"),
        Part::field("short", SHORT, or(&side.short, "its first letters"), text(&side.short)),
        Part::words("in"),
        Part::field("colour", COLOUR, side.colour.as_str(), text(&side.colour)),
        Part::words("with"),
        Part::field("flag", FLAG, pictured, text(&side.picture.word())),
        Part::words(","),
        Part::field("rank", RANK, or(&side.rank, "no rank"), text(&side.rank)),
        Part::words("and"),
        Part::field("record", RECORD, or(&side.record, "no record"), text(&side.record)),
    ];
    parts.into_iter().map(|part| part.of(number)).collect()
}

pub(super) fn parts(board: &Scoreboard) -> Vec<Part> {
    let sport = board.rules.sport;
    let sports = Sport::ALL.into_iter().map(|one| (one.key().to_owned(), one.words().0.to_owned())).collect();
    let mut parts = vec![
        Part::field("title", TITLE, board.title.as_str(), Editor::Text { value: board.title.clone() }),
        Part::words("is a match of"),
        Part::field("sport", SPORT, sport.words().0, Editor::Choice { options: sports, chosen: sport.key().into() }),
        Part::words(":"),
    ];
    match &board.sides[..] {
        [first, second] => {
            parts.extend(side_parts(first, 1));
            parts.push(Part::words("against"));
            parts.extend(side_parts(second, 2));
        }
        all => {
            let names = all.iter().map(|side| side.name.as_str()).collect::<Vec<_>>().join("\n");
            parts.push(Part::field("sides", SIDES, format!("{} sides", all.len()), Editor::Lines { value: names }));
        }
    }
    if let ([_, _], true) = (&board.sides[..], sport.sides().1 > 2) {
        let names = board.sides.iter().map(|side| side.name.as_str()).collect::<Vec<_>>().join("\n");
        parts.push(Part::words(", or"));
        parts.push(Part::field("sides", SIDES, "more sides", Editor::Lines { value: names }));
    }
    for (rule, _) in sport.rules() {
        let (about, value) = (rule.about(), board.rules.get(*rule));
        // What goes on from the rule before needs no comma.
        if !matches!(about.before, "of" | "then" | "and" | "of which late") {
            parts.push(Part::words(","));
        }
        if !about.before.is_empty() {
            parts.push(Part::words(about.before));
        }
        parts.push(Part::field(about.key, about.label, formatted(*rule, value), editor(*rule, value)));
        if !about.after.is_empty() {
            parts.push(Part::words(about.after));
        }
    }
    if sport == Sport::Series {
        let value = board.rules.games.join("\n");
        let shown = if value.is_empty() { "no names yet".into() } else { board.rules.games.join(", ") };
        parts.extend([Part::words("; its games are"), Part::field("games", GAMES, shown, Editor::Lines { value })]);
    }
    let option = |kind: MarkKind| {
        let (key, words) = kind.about();
        (key.to_owned(), words.to_owned(), board.hidden.contains(&kind))
    };
    let hidden: Vec<&str> = board.hidden.iter().map(|kind| kind.about().1).collect();
    let hidden = if hidden.is_empty() { "nothing".to_owned() } else { hidden.join(", ") };
    let all = MarkKind::ALL.into_iter().map(option).collect();
    let moment = board.starts.map(|local| local.format("%Y-%m-%dT%H:%M").to_string()).unwrap_or_default();
    let starts = board.starts.map_or_else(|| "when you press Start".to_owned(), moment_words);
    parts.extend([
        Part::words("; the board leaves out"),
        Part::field("hidden", HIDDEN, hidden, Editor::Several { options: all }),
        Part::words("and says that it begins"),
        Part::field("starts", STARTS, starts, Editor::MaybeMoment { value: moment }),
    ]);
    parts
}

fn moment_words(local: NaiveDateTime) -> String {
    local.format("%-d %b, %H:%M").to_string()
}

fn name(label: &'static str, typed: &str, most: usize) -> Result<String, EditError> {
    let name = text::name(typed).map_err(|error| input(label, typed).refuse(error.to_string()))?;
    if name.chars().count() > most {
        return Err(input(label, typed).refuse(format!("has at most {most} letters")));
    }
    Ok(name)
}

fn maybe_name(label: &'static str, typed: &str, most: usize) -> Result<String, EditError> {
    if typed.trim().is_empty() { Ok(String::new()) } else { name(label, typed, most) }
}

/// A colour as `#rrggbb`.
///
/// # Errors
/// Anything else.
pub fn colour(typed: &str) -> Result<String, EditError> {
    let typed = typed.trim().to_lowercase();
    let digits = typed.strip_prefix('#').unwrap_or(&typed);
    if digits.len() == 6 && digits.bytes().all(|byte| byte.is_ascii_hexdigit()) {
        return Ok(format!("#{digits}"));
    }
    Err(input(COLOUR, &typed).refuse("is written as six hexadecimal digits, such as #a83e26"))
}

/// A flag's code: two letters, or with a part of the country behind a hyphen. Or a picture of the streamer's own.
fn picture(typed: &str) -> Result<Picture, EditError> {
    if let Some(token) = own::token(typed) {
        return Ok(Picture::Own(token.to_owned()));
    }
    let code = typed.trim().to_lowercase();
    let fits = code.len() <= 8 && code.bytes().all(|byte| byte.is_ascii_lowercase() || byte == b'-');
    match code.as_str() {
        "" => Ok(Picture::None),
        code if fits && code.len() >= 2 => Ok(Picture::Flag(code.to_owned())),
        _ => Err(input(FLAG, typed).refuse(
            "is a country's code of two letters, such as pl, or empty; pictures are uploaded below the sentence",
        )),
    }
}

/// Sides by their names, one a line. Those that keep their place keep what else is known of them.
fn sides(old: &[Side], typed: &str, sport: Sport) -> Result<Vec<Side>, EditError> {
    let lines: Vec<&str> = typed.lines().map(str::trim).filter(|line| !line.is_empty()).collect();
    let (least, most) = sport.sides();
    if !(least..=most).contains(&lines.len()) {
        let why = format!("has {least} to {most} sides, one a line; these are {}", lines.len());
        return Err(input(SIDES, typed).refuse(why));
    }
    let named = lines.iter().enumerate().map(|(place, line)| {
        let name = name(SIDES, line, MOST_NAME)?;
        let known = old.iter().find(|side| side.name == name).or_else(|| old.get(place));
        Ok(known.map_or_else(|| side(name.clone(), place), |known| Side { name: name.clone(), ..known.clone() }))
    });
    named.collect()
}

/// The same sides, as many as another sport has.
fn fitting(mut all: Vec<Side>, sport: Sport) -> Vec<Side> {
    let (least, most) = sport.sides();
    all.truncate(most);
    for place in all.len()..least {
        all.push(side(format!("Side {}", place.saturating_add(1)), place));
    }
    all
}

fn rule(rules: &Rules, key: &str, typed: &str) -> Option<Result<Rules, EditError>> {
    let (rule, _) = rules.sport.rules().iter().find(|(rule, _)| rule.about().key == key)?;
    let about = rule.about();
    let (least, most) = about.bounds;
    let typed = input(about.label, typed);
    let value = match about.format {
        RuleFormat::Length => typed.length(),
        RuleFormat::LengthOr(none) => typed.length_or(none),
        RuleFormat::NumberOr(none) if typed.is_none(none) => Ok(0),
        _ => typed.whole(least, most),
    };
    Some(value.and_then(|value| {
        let wrong = || {
            let bound = |value| formatted(*rule, value);
            typed.refuse(format!("must be between {} and {}", bound(least), bound(most)))
        };
        if *rule == Rule::BestOf && value % 2 == 0 && rules.sport != Sport::Series {
            return Err(typed.refuse("must be an odd number, so that somebody wins"));
        }
        rules.clone().with(*rule, value).ok_or_else(wrong)
    }))
}

pub(super) fn edit(board: &mut Scoreboard, key: &str, text: &str) -> Result<(), EditError> {
    if let Some((number, part)) = key.split_once('.') {
        let place = number.parse::<usize>().ok().and_then(|number| number.checked_sub(1));
        let side = place.and_then(|place| board.sides.get_mut(place)).ok_or_else(|| no_such_part(key))?;
        match part {
            "name" => side.name = name(NAME, text, MOST_NAME)?,
            "short" => side.short = maybe_name(SHORT, text, MOST_SHORT)?,
            "colour" => side.colour = colour(text)?,
            "flag" => side.picture = picture(text)?,
            "rank" => side.rank = maybe_name(RANK, text, MOST_WORDS)?,
            "record" => side.record = maybe_name(RECORD, text, MOST_WORDS)?,
            _ => return Err(no_such_part(key)),
        }
        return Ok(());
    }
    match key {
        "title" => board.title = input(TITLE, text).title()?,
        "sport" => {
            let sport = input(SPORT, text).choice(&Sport::ALL, Sport::key)?;
            if sport != board.rules.sport {
                board.rules = Rules::of(sport);
                board.sides = fitting(std::mem::take(&mut board.sides), sport);
            }
        }
        "sides" => board.sides = sides(&board.sides, text, board.rules.sport)?,
        "games" => {
            let lines: Vec<&str> = text.lines().map(str::trim).filter(|line| !line.is_empty()).collect();
            if lines.len() > MOST_GAMES {
                return Err(input(GAMES, text).refuse(format!("has at most {MOST_GAMES} games")));
            }
            board.rules.games = lines.iter().map(|line| name(GAMES, line, MOST_NAME)).collect::<Result<_, _>>()?;
        }
        "hidden" => {
            let wanted: Vec<&str> = text.split(',').map(str::trim).filter(|key| !key.is_empty()).collect();
            let known = |key: &&str| MarkKind::ALL.into_iter().find(|kind| kind.about().0 == *key);
            let hidden: Option<BTreeSet<MarkKind>> = wanted.iter().map(known).collect();
            board.hidden = hidden.ok_or_else(|| input(HIDDEN, text).refuse("is none of the marks offered"))?;
        }
        "starts" => board.starts = input(STARTS, text).maybe_moment()?,
        _ => match rule(&board.rules, key, text) {
            Some(rules) => board.rules = rules?,
            None => return Err(no_such_part(key)),
        },
    }
    Ok(())
}
