//! *Turntable motor* counts *tips* *as they come* from *this month* towards *£350*, starting at
//! *£20*, until *29 Nov 2026, 20:00*.

use super::Goal;
use crate::count::sentence as counting;
use crate::measure::Unit;
use crate::sentence::{EditError, Editor, Part, moment_words};
use crate::widgets::{Scope, input, no_such_part};

const TITLE: &str = "The title";
const TARGET: &str = "The target";
const START: &str = "The starting amount";
const UNTIL: &str = "The end";

pub(super) fn parts(goal: &Goal, scope: &Scope<'_>) -> Vec<Part> {
    let unit = goal.count.unit(scope.settings);
    let number = |value| Editor::Number { value: unit.plain(value), sign: unit.sign() };
    let mut parts = vec![
        Part::field("title", TITLE, goal.title.as_str(), Editor::Text { value: goal.title.clone() }),
        Part::Words("counts"),
    ];
    parts.extend(counting::parts(&goal.count, scope));
    parts.extend([
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
    ]);
    parts
}

pub(super) fn edit(goal: &mut Goal, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
    let unit = goal.count.unit(scope.settings);
    match key {
        "title" => goal.title = input(TITLE, text).title()?,
        "target" => goal.target = input(TARGET, text).in_unit(unit, 1)?,
        "start" => goal.start = input(START, text).in_unit(unit, -crate::money::MOST_MINOR)?,
        "until" => goal.until = input(UNTIL, text).maybe_moment()?,
        _ => {
            if !counting::edit(&mut goal.count, key, text, scope)? {
                return Err(no_such_part(key));
            }
            goal.tell_in(unit, goal.count.unit(scope.settings));
        }
    }
    Ok(())
}

impl Goal {
    /// The numerals stay when the unit changes: 350 pounds become 350 follows.
    pub(crate) fn tell_in(&mut self, old: Unit, new: Unit) {
        let rescale = |value: i64| (value / old.whole()).saturating_mul(new.whole());
        if old.whole() != new.whole() {
            self.target = rescale(self.target).max(1);
            self.start = rescale(self.start);
        }
    }
}
