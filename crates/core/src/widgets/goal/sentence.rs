//! *Count* tips *from* this month *towards* £350 *starting at* £20 *until* 29 Nov 2026, 20:00.

use super::Goal;
use crate::calendar::Period;
use crate::measure::{Measure, Unit};
use crate::sentence::{EditError, Editor, Part, moment_words};
use crate::widgets::{Settings, input, no_such_part};

const TITLE: &str = "The title";
const MEASURE: &str = "What is counted";
const PERIOD: &str = "The period";
const TARGET: &str = "The target";
const START: &str = "The starting amount";
const UNTIL: &str = "The end";

pub(super) fn parts(goal: &Goal, settings: &Settings) -> Vec<Part> {
    let unit = goal.unit(settings);
    let sign = match unit {
        Unit::Money(currency) => currency.sign().to_owned(),
        Unit::Things => String::new(),
    };
    let number = |value| Editor::Number { value: unit.plain(value), sign: sign.clone() };
    vec![
        Part::field("title", TITLE, goal.title.as_str(), Editor::Text { value: goal.title.clone() }),
        Part::Words("counts"),
        Part::field(
            "measure",
            MEASURE,
            goal.measure.words(),
            Editor::Choice {
                options: Measure::ALL.iter().map(|one| (one.key(), one.words())).collect(),
                chosen: goal.measure.key(),
            },
        ),
        Part::Words("from"),
        Part::field(
            "period",
            PERIOD,
            goal.period.words(),
            Editor::Choice {
                options: Period::ALL.iter().map(|one| (one.key(), one.words())).collect(),
                chosen: goal.period.key(),
            },
        ),
        Part::Words("towards"),
        Part::field("target", TARGET, unit.show(goal.target), number(goal.target)),
        Part::Words(", starting at"),
        Part::field("start", START, unit.show(goal.start), number(goal.start)),
        Part::Words(", until"),
        Part::field(
            "until",
            UNTIL,
            goal.until.map_or("further notice".to_owned(), moment_words),
            Editor::MaybeMoment {
                value: goal.until.map(|until| until.format("%Y-%m-%dT%H:%M").to_string()).unwrap_or_default(),
            },
        ),
    ]
}

pub(super) fn edit(goal: &mut Goal, key: &str, text: &str, settings: &Settings) -> Result<(), EditError> {
    let unit = goal.unit(settings);
    match key {
        "title" => goal.title = input(TITLE, text).title()?,
        "measure" => {
            let measure = input(MEASURE, text).choice(&Measure::ALL, Measure::key)?;
            // The numeral stays: 350 pounds become 350 follows.
            let (old, new) = (unit.whole(), measure.unit(settings.currency).whole());
            let rescale = |value: i64| (value / old).saturating_mul(new);
            goal.target = rescale(goal.target).max(1);
            goal.start = rescale(goal.start);
            goal.measure = measure;
        }
        "period" => goal.period = input(PERIOD, text).choice(&Period::ALL, Period::key)?,
        "target" => goal.target = input(TARGET, text).in_unit(unit, 1)?,
        "start" => goal.start = input(START, text).in_unit(unit, -crate::money::MOST_MINOR)?,
        "until" => goal.until = input(UNTIL, text).maybe_moment()?,
        _ => return Err(no_such_part(key)),
    }
    Ok(())
}
