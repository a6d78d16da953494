//! The rate sheet as a table that reads like one: each row a sentence whose parts are edited in place, with its
//! fairness at the end.

use super::Subathon;
use super::sheet::{MOST_MS, Rate, Rounding, Row};
use crate::count::Scope;
use crate::language::unit::Unit;
use crate::money::conversion::Conversion;
use crate::sentence::table::{self, Fair, Table};
use crate::sentence::{EditError, Editor, MOST_NUMBER, Part, input};
use crate::widgets::no_such_part;

const DOES: &str = "What a row does";
const TIME: &str = "The time";
const STEP: &str = "The step";
const ROUNDING: &str = "The rounding";
const LEAST: &str = "The least size";
const WORTH: &str = "The worth";
const REWARD: &str = "The reward";
const SIGNAL: &str = "The signal";
const COMMAND: &str = "The word in chat";
const REST: &str = "The rest";
/// The most rows with names.
const MOST_NAMED: usize = 20;
/// A row is flagged when it lies further than this from the tips' row, in percent.
const FAIR_WITHIN: i128 = 25;

const DOES_WORDS: [(&str, &str); 3] = [("off", "adds nothing"), ("adds", "adds"), ("takes", "takes away")];
/// What a renewal may say too, and says while nothing was said of it.
const AS_NEW: (&str, &str) = ("new", "as a new subscription");

/// Time as it is typed and read on a sheet: `30 s`, `0.5 s`, `2:00`.
pub(super) fn time_words(ms: i64) -> String {
    if ms % 1_000 != 0 || ms.abs() < 60_000 {
        return format!("{} s", plain_seconds(ms));
    }
    crate::time::words::digits(chrono::TimeDelta::milliseconds(ms))
}

fn plain_seconds(ms: i64) -> String {
    let (whole, rest) = (ms.div_euclid(1_000), ms.rem_euclid(1_000));
    if rest == 0 { whole.to_string() } else { format!("{whole}.{rest:03}").trim_end_matches('0').to_owned() }
}

fn typed_time(ms: i64) -> String {
    if ms % 1_000 == 0 { crate::time::words::digits(chrono::TimeDelta::milliseconds(ms)) } else { plain_seconds(ms) }
}

fn key(row: &Row, part: &str) -> String {
    format!("rate.{part}.{row}")
}

/// What a step is, in words that follow “for each”.
fn step_words(row: &Row, step: i64, scope: &Scope<'_>) -> String {
    let many = |one: &str, more: &str| match step {
        1 => one.to_owned(),
        step => format!("{} {more}", Unit::Things.show(step)),
    };
    match row {
        Row::Tip => row.unit(scope.settings).show(step),
        Row::Cheer => many("point", "points"),
        Row::RaidViewer => many("viewer", "viewers"),
        Row::Gift => many("one", "of them"),
        _ => many("one", "of them"),
    }
}

/// The parts of a row. A renewal of which nothing was said adds as a new subscription does.
fn row_of(row: &Row, rate: &Rate, as_new: bool, scope: &Scope<'_>) -> Vec<Part> {
    let does = match rate {
        Rate { on: false, .. } => DOES_WORDS[0],
        Rate { takes: false, .. } => DOES_WORDS[1],
        Rate { .. } => DOES_WORDS[2],
    };
    let does = if as_new { AS_NEW } else { does };
    let offered = matches!(row, Row::Renewal(_)).then_some(AS_NEW).into_iter().chain(DOES_WORDS);
    let mut parts = vec![Part::field(key(row, "does"), DOES, does.1, Editor::choice(offered, does.0))];
    if !rate.on {
        return parts;
    }
    let time = Editor::Length { value: typed_time(rate.ms) };
    parts.push(Part::field(key(row, "time"), TIME, time_words(rate.ms), time));
    if row.command().is_some() {
        let seconds = rate.rest_s.saturating_mul(1_000);
        let (shown, value) = match rate.rest_s {
            0 => ("as often as it is said".to_owned(), "0".to_owned()),
            _ => (format!("at most once in {} by each", time_words(seconds)), typed_time(seconds)),
        };
        parts.push(Part::field(key(row, "rest"), REST, shown, Editor::Length { value }));
    }
    if row.is_sized() {
        let unit = row.unit(scope.settings);
        let number = |value: i64| Editor::Number { value: unit.plain(value), sign: unit.sign() };
        let rounding = Editor::choice(Rounding::ALL.map(|one| (one.key(), one.words())), rate.rounding.key());
        parts.extend([
            Part::words("for each"),
            Part::field(key(row, "step"), STEP, step_words(row, rate.step, scope), number(rate.step)),
            Part::words(","),
            Part::field(key(row, "rounding"), ROUNDING, rate.rounding.words(), rounding),
            Part::words(", from"),
            match rate.least {
                0 => Part::field(key(row, "least"), LEAST, "any size", number(0)),
                least => Part::field(key(row, "least"), LEAST, format!("{} on", unit.show(least)), number(least)),
            },
        ]);
    }
    parts
}

/// What one step of a row is worth by what the channel says, in minor units; 0 where that is not told.
fn worth(subathon: &Subathon, row: &Row, rate: &Rate) -> i64 {
    let tier = |tier: u8| subathon.worth.subs.get(usize::from(tier).wrapping_sub(1)).copied().unwrap_or(0);
    let times = |each: i64| each.saturating_mul(rate.step);
    match row {
        Row::Tip => rate.step,
        Row::Sub(one) | Row::Renewal(one) => tier(*one),
        Row::Gift => times(tier(1)),
        Row::Cheer => times(subathon.worth.points).checked_div(100).unwrap_or(0),
        _ => 0,
    }
}

fn fairness(subathon: &Subathon, row: &Row, rate: &Rate, scope: &Scope<'_>) -> Option<Fair> {
    let sheet = &subathon.terms.now.sheet;
    let each = sheet.ms_per_unit(row, worth(subathon, row, rate), scope.settings)?;
    let one = Unit::Money(scope.settings.currency);
    let words = format!("{} per {}", time_words(tidy(each)), one.show(one.whole()));
    let tip = sheet.0.get(&Row::Tip).and_then(|tip| sheet.ms_per_unit(&Row::Tip, tip.step, scope.settings));
    let Some(tip) = tip.filter(|tip| *tip > 0) else { return Some(Fair { words, even: None, permille: 500 }) };
    // The two fractions are compared as they are: what is shown of them is rounded.
    let (own, of_tip) =
        (sheet.exact(row, worth(subathon, row, rate))?, sheet.exact(&Row::Tip, sheet.0.get(&Row::Tip)?.step)?);
    let (mine, even) = (own.0.saturating_mul(of_tip.1), of_tip.0.saturating_mul(own.1));
    let hundred = |share: i128| share.saturating_mul(100);
    let permille = hundred(mine).saturating_mul(5).checked_div(even).unwrap_or(0).clamp(0, 1_000);
    let permille = u16::try_from(permille).unwrap_or(1_000);
    let away = hundred(mine.saturating_sub(even).abs());
    let off = away > even.saturating_mul(FAIR_WITHIN);
    let by = away.saturating_add(even.saturating_sub(1)).checked_div(even).unwrap_or(0);
    let share_is_more = mine > even;
    let even = off.then(|| {
        let ms = i128::from(tip).saturating_mul(worth(subathon, row, rate).into());
        let ms = super::sheet::half_even(ms, one.whole().into());
        let way = if share_is_more { "more" } else { "less" };
        format!("{by} % {way} than a tip; {} would be even", time_words(tidy(ms)))
    });
    Some(Fair { words, even, permille })
}

/// To the second where it is more than ten, for reading.
fn tidy(ms: i64) -> i64 {
    if ms < 10_000 { ms } else { ms.saturating_add(500).div_euclid(1_000).saturating_mul(1_000) }
}

pub(super) fn table(subathon: &Subathon, scope: &Scope<'_>) -> Table {
    let sheet = &subathon.terms.now.sheet.0;
    let named = sheet.keys().filter(|row| row.is_named()).cloned();
    let one = Unit::Money(scope.settings.currency);
    let rows = Row::FIXED.into_iter().chain(named).map(|row| {
        let as_new = matches!(row, Row::Renewal(_)) && !sheet.contains_key(&row);
        let rate = sheet.get(&row).cloned().unwrap_or_else(|| Rate { on: false, ..fresh(&row, scope) });
        let worth_of = |amount: i64, what: &str| {
            let shown = if amount == 0 { "say".to_owned() } else { one.show(amount) };
            let editor = Editor::Number { value: one.plain(amount), sign: one.sign() };
            Part::field(format!("rate.worth.{what}"), WORTH, shown, editor)
        };
        let worth = match &row {
            Row::Sub(tier) => {
                let amount = subathon.worth.subs.get(usize::from(*tier).wrapping_sub(1)).copied().unwrap_or(0);
                Some(worth_of(amount, &format!("sub{tier}")))
            }
            Row::Cheer => Some(worth_of(subathon.worth.points, "points")),
            _ => None,
        };
        let fair = fairness(subathon, &row, &rate, scope);
        table::Row { each: row.words(), on: rate.on, parts: row_of(&row, &rate, as_new, scope), worth, fair }
    });
    let empty = || Editor::Text { value: String::new() };
    Table {
        rows: rows.collect(),
        more: vec![
            Part::field("rate.reward", REWARD, "a reward", empty()),
            Part::words("or"),
            Part::field("rate.command", COMMAND, "a word in chat", empty()),
            Part::words("or"),
            Part::field("rate.signal", SIGNAL, "a signal", empty()),
        ],
    }
}

/// What a row says before anything was said.
fn fresh(row: &Row, scope: &Scope<'_>) -> Rate {
    match row {
        Row::Tip => Rate::of(30, Unit::Money(scope.settings.currency).whole()),
        Row::Cheer => Rate::of(30, 100),
        Row::RaidViewer => Rate::of(1, 1),
        Row::Follow => Rate::of(10, 1),
        Row::Sub(2) | Row::Renewal(2) => Rate::of(240, 1),
        Row::Sub(3) | Row::Renewal(3) => Rate::of(600, 1),
        Row::Sub(_) | Row::Renewal(_) | Row::Gift => Rate::of(120, 1),
        Row::Raid | Row::Purchase | Row::Reward(_) | Row::Signal(_) => Rate::of(60, 1),
        // A word costs nothing to say.
        Row::Command(_) => Rate::of(5, 1),
    }
}

/// Seconds with or without decimals, or minutes and hours with colons.
pub(super) fn read_time(label: &'static str, text: &str) -> Result<i64, EditError> {
    let input = input(label, text);
    let text = text.trim().trim_end_matches('s').trim();
    let wrong = || input.refuse("must be seconds, such as 30 or 0.5, or a length such as 2:00");
    if let Some((whole, rest)) = text.split_once('.') {
        let digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
        if !digits(whole) || !digits(rest) || rest.len() > 3 || whole.len() > 9 {
            return Err(wrong());
        }
        let ms = format!("{whole}{rest:0<3}").parse().map_err(|_| wrong())?;
        return if (1..=MOST_MS).contains(&ms) { Ok(ms) } else { Err(wrong()) };
    }
    match text {
        "" => Err(wrong()),
        "0" => Err(input.refuse("must be more than nothing; choose “adds nothing” to turn the row off")),
        text if text.starts_with(['-', '−']) => {
            Err(input.refuse("must not be negative; choose “takes away” for what shortens the clock"))
        }
        text => crate::sentence::input(label, text).length().map(|seconds| seconds.saturating_mul(1_000)),
    }
}

pub(super) fn edit(subathon: &mut Subathon, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
    let money = Unit::Money(scope.settings.currency);
    if let Some(of) = key.strip_prefix("worth.") {
        let amount = input(WORTH, text).in_unit(money, 0)?;
        let place = match of {
            "points" => &mut subathon.worth.points,
            tier => {
                let tier = tier.strip_prefix("sub").and_then(|tier| tier.parse::<usize>().ok()).unwrap_or(0);
                subathon.worth.subs.get_mut(tier.wrapping_sub(1)).ok_or_else(|| no_such_part(key))?
            }
        };
        *place = amount;
        return Ok(());
    }
    let sheet = &mut subathon.terms.now.sheet.0;
    if let "reward" | "signal" | "command" = key {
        let (label, row): (_, fn(String) -> Row) = match key {
            "reward" => (REWARD, Row::Reward),
            "signal" => (SIGNAL, Row::Signal),
            _ => (COMMAND, Row::Command),
        };
        let row = row(if key == "command" { input(label, text).word()? } else { input(label, text).title()? });
        if sheet.keys().any(|one| one.to_string().to_lowercase() == row.to_string().to_lowercase()) {
            return Err(input(label, text).refuse("has a row already; change that one"));
        }
        if sheet.keys().filter(|one| one.is_named()).count() >= MOST_NAMED {
            return Err(
                input(label, text).refuse(format!("has no more room: a sheet takes {MOST_NAMED} rows with names"))
            );
        }
        let rate = fresh(&row, scope);
        sheet.insert(row, rate);
        return Ok(());
    }
    let (part, row) = key.split_once('.').ok_or_else(|| no_such_part(key))?;
    let row = Row::try_from(row.to_owned()).map_err(|_| no_such_part(key))?;
    if row.is_named() && !sheet.contains_key(&row) {
        return Err(no_such_part(key));
    }
    let unit = row.unit(scope.settings);
    if part == "does" {
        let offered: &[&str] = match row {
            Row::Renewal(_) => &["new", "off", "adds", "takes"],
            _ => &["off", "adds", "takes"],
        };
        let chosen = input(DOES, text).choice(offered, |one| one)?;
        if chosen == "new" {
            sheet.remove(&row);
            return Ok(());
        }
        if chosen == "off" && row.is_named() {
            sheet.remove(&row);
            return Ok(());
        }
        let rate = sheet.entry(row.clone()).or_insert_with(|| fresh(&row, scope));
        (rate.on, rate.takes) = (chosen != "off", chosen == "takes");
        return Ok(());
    }
    let rate = sheet.get_mut(&row).ok_or_else(|| no_such_part(key))?;
    match part {
        "time" => rate.ms = read_time(TIME, text)?,
        "rest" if row.command().is_some() => {
            rate.rest_s = match text.trim() {
                "" | "0" => 0,
                text => input(REST, text).length()?,
            };
        }
        "step" if row.is_sized() => rate.step = input(STEP, text).in_unit(unit, 1)?,
        "rounding" if row.is_sized() => rate.rounding = input(ROUNDING, text).choice(&Rounding::ALL, Rounding::key)?,
        "least" if row.is_sized() => {
            rate.least = if text.trim().is_empty() { 0 } else { input(LEAST, text).in_unit(unit, 0)? };
        }
        _ => return Err(no_such_part(key)),
    }
    rate.step = rate.step.min(MOST_NUMBER);
    Ok(())
}

/// Tells what was set in money in another currency. Former terms are told in it too, so that late arrivals count
/// as they would have.
pub(super) fn convert(subathon: &mut Subathon, by: &Conversion) {
    let former = subathon.terms.former.iter_mut().map(|one| &mut one.terms);
    for terms in former.chain([&mut subathon.terms.now]) {
        if let Some(tip) = terms.sheet.0.get_mut(&Row::Tip) {
            (tip.step, tip.least) = (by.amount(tip.step).max(1), by.amount(tip.least));
        }
    }
    for worth in subathon.worth.subs.iter_mut().chain([&mut subathon.worth.points]) {
        *worth = by.amount(*worth);
    }
}
