//! Build-through *starts with* 4:00:00. *It may run for at most* 30:00:00 *in all, breaks not counted, …*

use super::terms::{Boost, WhilePaused};
use super::{Break, Subathon};
use crate::count::Scope;
use crate::record::acts::subathon::factor_words;
use crate::sentence::{EditError, Editor, Part, input};
use crate::time::face::Units;
use crate::time::words::{digits, moment_words};
use crate::widgets::no_such_part;
use chrono::{NaiveDateTime, TimeDelta};

const TITLE: &str = "The title";
const LENGTH: &str = "The start length";
const TOTAL: &str = "The longest it may run";
const PAUSES: &str = "Whether pauses count";
const MOST: &str = "The most on the clock";
const LATEST: &str = "The latest end";
const PAUSED: &str = "What pauses do to additions";
const BREAKS: &str = "The breaks";
const BEGIN: &str = "How breaks begin";
const BOOSTS: &str = "The planned boosts";
const GRACE: &str = "The grace time";
const AWAY: &str = "What it does while the server is away";
const OVER: &str = "The text when it is over";
const UNITS: &str = "The units";
const STEP: &str = "The step of the desk";
const BOOST: &str = "The boost of the desk";
const BOOST_FOR: &str = "The length of that boost";

/// Most breaks and boosts of a plan.
const MOST_PLANNED: usize = 40;

fn length(seconds: i64) -> String {
    digits(TimeDelta::seconds(seconds))
}

fn choice(key: &'static str, label: &'static str, options: &[(&'static str, &'static str)], chosen: &str) -> Part {
    let words = options.iter().find(|(key, _)| *key == chosen).map_or("", |(_, words)| words);
    Part::field(key, label, words, Editor::choice(options.iter().copied(), chosen))
}

const PAUSES_WORDS: [(&str, &str); 2] = [("no", "pauses not counted"), ("yes", "pauses counted too")];
const BEGIN_WORDS: [(&str, &str); 2] = [("by_itself", "begin and end by themselves"), ("remind", "only remind")];
const AWAY_WORDS: [(&str, &str); 2] = [("runs", "it runs on"), ("stands", "it stands still")];

fn yes(value: bool, words: [(&'static str, &'static str); 2]) -> &'static str {
    words[usize::from(value)].0
}

pub(super) fn parts(subathon: &Subathon) -> Vec<Part> {
    let (terms, limits) = (&subathon.terms.now, &subathon.terms.now.limits);
    let latest = limits.latest.map(|moment| moment.format("%Y-%m-%dT%H:%M").to_string()).unwrap_or_default();
    let of = |count: usize, one: &str| match count {
        0 => "none".to_owned(),
        1 => format!("one {one}"),
        more => format!("{more} {one}s"),
    };
    let break_lines: Vec<String> = subathon
        .breaks
        .iter()
        .map(|one| format!("{} {}", one.at.format("%Y-%m-%d %H:%M"), length(one.seconds)))
        .collect();
    let boost_line = |one: &Boost| {
        let (from, to) = (one.from.format("%Y-%m-%d %H:%M"), one.to.format("%Y-%m-%d %H:%M"));
        format!("{from} to {to} ×{}", factor_words(one.factor))
    };
    let boost_lines: Vec<String> = terms.boosts.iter().map(boost_line).collect();
    let paused = WhilePaused::ALL.map(|one| (one.key(), one.words()));
    let units = Units::ALL.map(|one| (one.key(), one.words()));
    let seconds = |ms: Option<i64>| ms.map(|ms| ms / 1_000);
    vec![
        Part::field("title", TITLE, subathon.title.as_str(), Editor::Text { value: subathon.title.clone() }),
        Part::words("starts with"),
        Part::field("length", LENGTH, length(subathon.seconds), Editor::Length { value: length(subathon.seconds) }),
        Part::words("and grows by the sheet below. It may run for at most"),
        Part::maybe_length("total", TOTAL, seconds(limits.total_ms), "any time"),
        Part::words("in all,"),
        choice("total_counts_pauses", PAUSES, &PAUSES_WORDS, yes(limits.total_counts_pauses, PAUSES_WORDS)),
        Part::words(", with at most"),
        Part::maybe_length("most", MOST, seconds(limits.most_ms), "any time"),
        Part::words("on the clock, and until"),
        Part::field(
            "latest",
            LATEST,
            limits.latest.map_or("any moment".into(), moment_words),
            Editor::MaybeMoment { value: latest },
        ),
        Part::words(". While it is paused additions"),
        choice("while_paused", PAUSED, &paused, terms.while_paused.key()),
        Part::words(". Breaks:"),
        Part::field(
            "breaks",
            BREAKS,
            of(subathon.breaks.len(), "break"),
            Editor::Lines { value: break_lines.join("\n") },
        ),
        Part::words(", they"),
        choice("breaks_begin", BEGIN, &BEGIN_WORDS, yes(subathon.breaks_remind, BEGIN_WORDS)),
        Part::words(". Boosts:"),
        Part::field("boosts", BOOSTS, of(terms.boosts.len(), "boost"), Editor::Lines { value: boost_lines.join("\n") }),
        Part::words(". When it has run out, what comes within"),
        Part::maybe_length("grace", GRACE, seconds(Some(terms.grace_ms).filter(|ms| *ms != 0)), "no time"),
        Part::words("revives it; then it says"),
        Part::field(
            "over_text",
            OVER,
            if subathon.over_text.is_empty() { "0".into() } else { format!("“{}”", subathon.over_text) },
            Editor::Text { value: subathon.over_text.clone() },
        ),
        Part::words(". If the server is away,"),
        choice("while_away", AWAY, &AWAY_WORDS, yes(subathon.stands_while_away, AWAY_WORDS)),
        Part::words(". It is written like"),
        choice("units", UNITS, &units, subathon.units.key()),
        Part::words(". On the desk a press adds"),
        Part::field("step", STEP, length(subathon.step_s), Editor::Length { value: length(subathon.step_s) }),
        Part::words("and boosts by"),
        Part::field(
            "boost",
            BOOST,
            format!("×{}", factor_words(subathon.boost)),
            Editor::Number { value: factor_words(subathon.boost), sign: "×".into() },
        ),
        Part::words("for"),
        Part::field(
            "boost_for",
            BOOST_FOR,
            length(subathon.boost_s),
            Editor::Length { value: length(subathon.boost_s) },
        ),
    ]
}

/// A factor between 0.1 and 10, in thousandths.
fn factor(label: &'static str, text: &str) -> Result<u32, EditError> {
    let wrong = || input(label, text).refuse("must be a factor between 0.1 and 10, such as 2 or 1.5");
    let plain = text.trim().trim_start_matches('×');
    let (whole, rest) = plain.split_once(['.', ',']).unwrap_or((plain, ""));
    let digits = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit());
    if whole.is_empty() || whole.len() > 3 || rest.len() > 3 || !digits(whole) || !digits(rest) {
        return Err(wrong());
    }
    let thousandths = format!("{whole}{rest:0<3}").parse().map_err(|_| wrong())?;
    if (100..=10_000).contains(&thousandths) { Ok(thousandths) } else { Err(wrong()) }
}

fn moment(label: &'static str, text: &str) -> Result<NaiveDateTime, EditError> {
    let joined = text.trim().replacen(' ', "T", 1);
    let found = input(label, &joined).maybe_moment().ok().flatten();
    found.ok_or_else(|| {
        input(label, text).refuse(format!("has a line that begins with no moment: “{text}”; write 2026-11-29 22:00"))
    })
}

fn lines<'a>(label: &'static str, text: &'a str) -> Result<Vec<&'a str>, EditError> {
    let lines: Vec<&str> = text.lines().map(str::trim).filter(|line| !line.is_empty()).collect();
    if lines.len() > MOST_PLANNED {
        return Err(input(label, text).refuse(format!("are more than {MOST_PLANNED}")));
    }
    Ok(lines)
}

/// `2026-11-29 22:00 15:00`, one a line.
fn breaks(before: &[Break], text: &str) -> Result<Vec<Break>, EditError> {
    let mut next = before.iter().map(|one| one.id).max().unwrap_or(0);
    let mut all: Vec<Break> = Vec::new();
    for line in lines(BREAKS, text)? {
        let apart = line.rsplit_once(' ');
        let (at, seconds) = apart.ok_or_else(|| {
            input(BREAKS, text).refuse(format!("have a line without a length: “{line}”; write 2026-11-29 22:00 15:00"))
        })?;
        let (at, seconds) = (moment(BREAKS, at)?, input(BREAKS, seconds).length()?);
        // The same break keeps what it is known by, so that one that has begun does not begin anew.
        let id = before.iter().find(|one| one.at == at).map_or_else(
            || {
                next = next.saturating_add(1);
                next
            },
            |one| one.id,
        );
        all.push(Break { id, at, seconds });
    }
    all.sort_by_key(|one| (one.at, one.id));
    let twice = |pair: &[Break]| matches!(pair, [one, other] if one.at == other.at);
    if all.windows(2).any(twice) {
        return Err(input(BREAKS, text).refuse("begin twice at the same moment"));
    }
    Ok(all)
}

/// `2026-11-29 20:00 to 2026-11-29 21:00 ×2`, one a line.
fn boosts(text: &str) -> Result<Vec<Boost>, EditError> {
    let mut all = Vec::new();
    for line in lines(BOOSTS, text)? {
        let wrong = || {
            let form = "write 2026-11-29 20:00 to 2026-11-29 21:00 ×2";
            input(BOOSTS, text).refuse(format!("have a line that cannot be read: “{line}”; {form}"))
        };
        let (from, rest) = line.split_once(" to ").ok_or_else(wrong)?;
        let (to, by) = rest.rsplit_once(' ').ok_or_else(wrong)?;
        let (from, to, by) = (moment(BOOSTS, from)?, moment(BOOSTS, to)?, factor(BOOSTS, by)?);
        if to <= from {
            return Err(input(BOOSTS, text).refuse(format!("have one that ends before it begins: “{line}”")));
        }
        all.push(Boost { factor: by, from, to });
    }
    Ok(all)
}

fn maybe_ms(label: &'static str, text: &str) -> Result<Option<i64>, EditError> {
    Ok(input(label, text).maybe_length()?.map(|seconds| seconds.saturating_mul(1_000)))
}

pub(super) fn edit(subathon: &mut Subathon, key: &str, text: &str, _: &Scope<'_>) -> Result<(), EditError> {
    let second = |label: &'static str, words: [(&'static str, &'static str); 2]| {
        input(label, text).choice(&[words[0].0, words[1].0], |one| one).map(|chosen| chosen == words[1].0)
    };
    let terms = &mut subathon.terms.now;
    match key {
        "title" => subathon.title = input(TITLE, text).title()?,
        "length" => subathon.seconds = input(LENGTH, text).length()?,
        "total" => terms.limits.total_ms = maybe_ms(TOTAL, text)?,
        "total_counts_pauses" => terms.limits.total_counts_pauses = second(PAUSES, PAUSES_WORDS)?,
        "most" => terms.limits.most_ms = maybe_ms(MOST, text)?,
        "latest" => terms.limits.latest = input(LATEST, text).maybe_moment()?,
        "while_paused" => terms.while_paused = input(PAUSED, text).choice(&WhilePaused::ALL, WhilePaused::key)?,
        "breaks" => subathon.breaks = breaks(&subathon.breaks, text)?,
        "breaks_begin" => subathon.breaks_remind = second(BEGIN, BEGIN_WORDS)?,
        "boosts" => terms.boosts = boosts(text)?,
        "grace" => terms.grace_ms = maybe_ms(GRACE, text)?.unwrap_or(0),
        "over_text" => subathon.over_text = input(OVER, text).line()?,
        "while_away" => subathon.stands_while_away = second(AWAY, AWAY_WORDS)?,
        "units" => subathon.units = input(UNITS, text).choice(&Units::ALL, Units::key)?,
        "step" => subathon.step_s = input(STEP, text).length()?,
        "boost" => subathon.boost = factor(BOOST, text)?,
        "boost_for" => subathon.boost_s = input(BOOST_FOR, text).length()?,
        _ => return Err(no_such_part(key)),
    }
    Ok(())
}
