//! *Turntable motor* counts *tips* *as they come* from *this month* towards *£350*, starting at
//! *£20*, until *29 Nov 2026, 20:00*; when reached it *counts past*.

use super::{Aim, Arrange, Beside, Goal, MOST, Rung, Then};
use crate::count::{Scope, sentence as counting};
use crate::language::text;
use crate::language::unit::Unit;
use crate::money;
use crate::sentence::{EditError, Editor, Part, input, numbered};
use crate::time::words::moment_words;
use crate::widgets::no_such_part;
use rust_decimal::Decimal;

const TITLE: &str = "The title";
const TARGET: &str = "The target";
const START: &str = "The starting amount";
const UNTIL: &str = "The end";
const THEN: &str = "What happens when it is reached";
const STEP: &str = "The step";
const FACTOR: &str = "The factor";
const RUNGS: &str = "The rungs";
const BESIDE: &str = "The text beside the value";
const MORE: &str = "What else the widget shows";
const ARRANGE: &str = "The arrangement";
/// Most rungs of a ladder.
const MOST_RUNGS: usize = 12;

const THENS: [(&str, &str); 5] = [
    ("past", "it counts past"),
    ("full", "it stays full"),
    ("raise", "the target is raised by"),
    ("times", "the target is multiplied by"),
    ("rungs", "it climbs to the next rung"),
];
const BESIDES: [(&str, &str); 4] = [
    ("percent", "the percentage"),
    ("missing", "what is missing"),
    ("pace", "what an hour needs"),
    ("nothing", "nothing"),
];
const ARRANGES: [(&str, &str); 3] =
    [("stacked", "one above the other"), ("beside", "side by side"), ("in_turn", "taking turns")];

fn then_place(then: &Then) -> usize {
    match then {
        Then::CountPast => 0,
        Then::StayFull => 1,
        Then::RaiseBy(_) => 2,
        Then::RaiseTimes(_) => 3,
        Then::Rungs(_) => 4,
    }
}

fn beside_place(beside: Beside) -> usize {
    match beside {
        Beside::Percent => 0,
        Beside::Missing => 1,
        Beside::Pace => 2,
        Beside::Nothing => 3,
    }
}

fn arrange_place(arrange: Arrange) -> usize {
    match arrange {
        Arrange::Stacked => 0,
        Arrange::Beside => 1,
        Arrange::InTurn => 2,
    }
}

fn rung_lines(rungs: &[Rung], unit: Unit) -> String {
    rungs.iter().map(|rung| format!("{}: {}", rung.name, unit.plain(rung.target))).collect::<Vec<_>>().join("\n")
}

fn aim_parts(aim: &Aim, scope: &Scope<'_>) -> Vec<Part> {
    let unit = aim.count.unit(scope.settings);
    let number = |value| Editor::Number { value: unit.plain(value), sign: unit.sign() };
    let mut parts = vec![
        Part::field("title", TITLE, aim.title.as_str(), Editor::Text { value: aim.title.clone() }),
        Part::words("counts"),
    ];
    parts.extend(counting::parts(&aim.count, scope));
    if let Then::Rungs(rungs) = &aim.then {
        let shown: Vec<String> = rungs.iter().map(|rung| unit.show(rung.target)).collect();
        parts.push(Part::words("up the rungs"));
        parts.push(Part::field("rungs", RUNGS, shown.join(", "), Editor::Lines { value: rung_lines(rungs, unit) }));
    } else {
        parts.push(Part::words("towards"));
        parts.push(Part::field("target", TARGET, unit.show(aim.target), number(aim.target)));
    }
    let until = aim.until.map(|until| until.format("%Y-%m-%dT%H:%M").to_string()).unwrap_or_default();
    parts.extend([
        Part::words(", starting at"),
        Part::field("start", START, unit.show(aim.start), number(aim.start)),
        Part::words(", until"),
        Part::field(
            "until",
            UNTIL,
            aim.until.map_or("further notice".to_owned(), moment_words),
            Editor::MaybeMoment { value: until },
        ),
        Part::words("; when it is reached,"),
    ]);
    let (key, words) = THENS[then_place(&aim.then)];
    parts.push(Part::field("then", THEN, words, Editor::choice(THENS, key)));
    match &aim.then {
        Then::RaiseBy(step) => parts.push(Part::field("step", STEP, unit.show(*step), number(*step))),
        Then::RaiseTimes(hundredths) => {
            let factor = Unit::plain_hundredths(*hundredths);
            parts.push(Part::field(
                "factor",
                FACTOR,
                factor.clone(),
                Editor::Number { value: factor, sign: String::new() },
            ));
        }
        Then::CountPast | Then::StayFull | Then::Rungs(_) => {}
    }
    parts
}

pub(super) fn parts(goal: &Goal, scope: &Scope<'_>) -> Vec<Part> {
    let mut parts = aim_parts(&goal.first, scope);
    for (number, aim) in (2..).zip(&goal.more) {
        parts.push(Part::words(";"));
        parts.extend(aim_parts(aim, scope).into_iter().map(|part| part.of(number)));
        let choices = [("keep", "stays"), ("drop", "take this goal out")];
        parts.push(Part::words(", and it"));
        parts.push(Part::field("more", MORE, "stays", Editor::choice(choices, "keep")).of(number));
    }
    let (beside, words) = BESIDES[beside_place(goal.beside)];
    parts.push(Part::words("; beside the value stands"));
    parts.push(Part::field("beside", BESIDE, words, Editor::choice(BESIDES, beside)));
    if goal.more.is_empty() {
        let choices = [("keep", "one goal alone"), ("add", "another goal with it")];
        parts.push(Part::words(";"));
        parts.push(Part::field("more", MORE, "one goal alone", Editor::choice(choices, "keep")));
    } else {
        let (arrange, words) = ARRANGES[arrange_place(goal.arrange)];
        parts.push(Part::words("; the goals stand"));
        parts.push(Part::field("arrange", ARRANGE, words, Editor::choice(ARRANGES, arrange)));
        if goal.aims().count() < MOST {
            let choices = [("keep", "no more goals"), ("add", "another goal with them")];
            parts.push(Part::words(", and"));
            parts.push(Part::field("more", MORE, "no more goals", Editor::choice(choices, "keep")));
        }
    }
    parts
}

/// One of the choices by its place.
fn place(label: &'static str, text: &str, choices: &[(&str, &str)]) -> Result<usize, EditError> {
    let place = choices.iter().position(|(key, _)| *key == text);
    place.ok_or_else(|| input(label, text).refuse("is none of the choices offered; pick one from the list"))
}

pub(super) fn edit(goal: &mut Goal, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
    let (number, rest) = numbered(key);
    match (number, rest) {
        (0, "beside") => {
            goal.beside =
                [Beside::Percent, Beside::Missing, Beside::Pace, Beside::Nothing][place(BESIDE, text, &BESIDES)?];
        }
        (0, "arrange") => {
            goal.arrange = [Arrange::Stacked, Arrange::Beside, Arrange::InTurn][place(ARRANGE, text, &ARRANGES)?];
        }
        (0, "more") => match text {
            "keep" => {}
            "add" if goal.aims().count() < MOST => goal.more.push(Aim::standard(scope.settings)),
            _ => return Err(input(MORE, text).refuse(format!("must be at most {MOST} goals; pick from the list"))),
        },
        (2.., "more") if number.saturating_sub(2) < goal.more.len() => match text {
            "keep" => {}
            "drop" => drop(goal.more.remove(number.saturating_sub(2))),
            _ => return Err(input(MORE, text).refuse("is none of the choices offered; pick one from the list")),
        },
        (0 | 1, _) => edit_aim(&mut goal.first, rest, text, scope)?,
        _ => match goal.more.get_mut(number.saturating_sub(2)) {
            Some(aim) => edit_aim(aim, rest, text, scope)?,
            None => return Err(no_such_part(key)),
        },
    }
    Ok(())
}

fn edit_aim(aim: &mut Aim, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
    let unit = aim.count.unit(scope.settings);
    match key {
        "title" => aim.title = input(TITLE, text).title()?,
        "target" => aim.target = input(TARGET, text).in_unit(unit, 1)?,
        "start" => aim.start = input(START, text).in_unit(unit, -crate::money::MOST_MINOR)?,
        "until" => aim.until = input(UNTIL, text).maybe_moment()?,
        "then" => {
            let chosen = place(THEN, text, &THENS)?;
            if chosen != then_place(&aim.then) {
                aim.then = match chosen {
                    0 => Then::CountPast,
                    1 => Then::StayFull,
                    2 => Then::RaiseBy(aim.target),
                    3 => Then::RaiseTimes(150),
                    _ => Then::Rungs(ladder(aim.target)),
                };
            }
        }
        "step" if matches!(aim.then, Then::RaiseBy(_)) => aim.then = Then::RaiseBy(input(STEP, text).in_unit(unit, 1)?),
        "factor" if matches!(aim.then, Then::RaiseTimes(_)) => {
            let factor: Option<Decimal> = money::plain(text.trim(), 2).ok().and_then(|plain| plain.parse().ok());
            let hundredths = factor.and_then(|factor| factor.checked_mul(Decimal::from(100)));
            let hundredths = hundredths.and_then(|hundredths| i64::try_from(hundredths.trunc()).ok());
            let within = hundredths.filter(|hundredths| (101..=10_000).contains(hundredths));
            aim.then = Then::RaiseTimes(
                within
                    .ok_or_else(|| input(FACTOR, text).refuse("must be a number between 1.01 and 100, such as 1.5"))?,
            );
        }
        "rungs" => aim.then = Then::Rungs(rungs(text, unit)?),
        _ => {
            if !counting::edit(&mut aim.count, key, text, scope)? {
                return Err(no_such_part(key));
            }
            aim.rescale(unit, aim.count.unit(scope.settings));
        }
    }
    Ok(())
}

/// Four rungs up to a target, to begin with.
fn ladder(target: i64) -> Vec<Rung> {
    let rung = |part: i64| Rung { name: format!("Rung {part}"), target: (target.saturating_mul(part) / 4).max(part) };
    (1..=4).map(rung).collect()
}

/// Rungs as they are typed: one a line, `Boiler: 120`.
fn rungs(all: &str, unit: Unit) -> Result<Vec<Rung>, EditError> {
    let refuse = |why: String| input(RUNGS, all).refuse(why);
    let rung = |line: &str| {
        let (name, target) = line.rsplit_once(':').ok_or_else(|| {
            refuse(format!("need a name, a colon and a target in each line, as in “Boiler: 120”; “{line}” has none"))
        })?;
        let name = text::name(name).map_err(|error| refuse(format!("have a name that {error}")))?;
        Ok(Rung { name, target: input(RUNGS, target).in_unit(unit, 1)? })
    };
    let rungs: Vec<Rung> =
        all.lines().map(str::trim).filter(|line| !line.is_empty()).map(rung).collect::<Result<_, EditError>>()?;
    if rungs.is_empty() || rungs.len() > MOST_RUNGS {
        return Err(refuse(format!("must be between 1 and {MOST_RUNGS}")));
    }
    match rungs.windows(2).find(|pair| pair[0].target >= pair[1].target) {
        Some(pair) => Err(refuse(format!("must rise: “{}” must lie above “{}”", pair[1].name, pair[0].name))),
        None => Ok(rungs),
    }
}
