//! A board on air: number plates in a row, a slip for a corner, a footer across the picture, a tall one.

use super::Drawing;
use super::clock::Ticks;
use crate::assets::build;
use crate::markup::html;
use askama::Template;
use serde_json::json;
use tally_core::record::acts::board::Picture;
use tally_core::widgets::Family;
use tally_core::widgets::scoreboard::standing::{Mark, MarkKind, Phase};
use tally_core::widgets::scoreboard::{BoardView, Clock, Scoreboard, SideView};

/// Up to this many of a thing are drawn one by one.
const STROKES: usize = 6;
/// How many entrants of a table are drawn.
const ROWS: usize = 12;
/// How many of the newest parts have their own score on a board.
const PARTS: usize = 7;

/// A mark as it is drawn.
struct MarkDrawn<'a> {
    key: &'static str,
    label: &'static str,
    text: &'a str,
    /// As many strokes or dots, where it is a small count.
    strokes: Option<usize>,
}

impl<'a> MarkDrawn<'a> {
    fn of(mark: &'a Mark) -> Self {
        let (key, label) = mark.kind.about();
        let counted = matches!(mark.kind, MarkKind::Fouls | MarkKind::Timeouts | MarkKind::Yellow | MarkKind::Red);
        let strokes = mark.text.parse().ok().filter(|many| counted && *many <= STROKES);
        Self { key, label, text: &mark.text, strokes }
    }
}

/// A side as it is drawn.
struct Drawn<'a> {
    side: &'a SideView,
    /// Its place in the definition, from 1.
    number: usize,
    /// Its colours, as custom properties.
    colours: String,
    /// The address of its flag or its own picture, and which of the two it is.
    picture: Option<(String, &'static str)>,
    marks: Vec<MarkDrawn<'a>>,
    /// The newest parts.
    cells: &'a [tally_core::widgets::scoreboard::Cell],
}

impl<'a> Drawn<'a> {
    fn of(number: usize, side: &'a SideView) -> Self {
        let picture = match &side.picture {
            Picture::Flag(code) => Some((format!("/assets/{}/flags/{code}.svg", build()), "board-flag")),
            Picture::Own(token) => Some((format!("/clips/{token}"), "board-picture")),
            Picture::None => None,
        };
        let cells = side.cells.get(side.cells.len().saturating_sub(PARTS)..).unwrap_or_default();
        let colours = colours(side, number);
        Self { side, number, colours, picture, marks: side.marks.iter().map(MarkDrawn::of).collect(), cells }
    }

    /// Puts it into a row of its own.
    fn at(self, row: usize) -> Self {
        Self { colours: colours(self.side, row), ..self }
    }

    fn place(&self) -> usize {
        let place = self.side.marks.iter().find(|mark| mark.kind == MarkKind::Place);
        place.and_then(|mark| mark.text.parse().ok()).unwrap_or(usize::MAX)
    }
}

/// What is celebrated, in the side's colours.
struct Celebrated<'a> {
    at: i64,
    text: &'a str,
    name: &'a str,
    /// The side's colours and how long it lasts, as custom properties.
    properties: String,
}

/// A side's colours and its row, as custom properties.
fn colours(side: &SideView, row: usize) -> String {
    json!({"--side": side.colour, "--on-side": side.ink, "--at": row.to_string()}).to_string()
}

#[derive(Template)]
#[template(path = "widgets/scoreboard.html")]
struct Inner<'a> {
    view: &'a BoardView,
    sides: Vec<Drawn<'a>>,
    clock: Option<(&'a Clock, Option<Ticks<'a>>)>,
    shot: Option<(&'a Clock, Option<Ticks<'a>>)>,
    /// What is said of how it ended: `Heron Yard wins`.
    ended: String,
    flourish: Option<Celebrated<'a>>,
}

impl Inner<'_> {
    fn penalty<'b>(&self, clock: &'b Clock) -> Option<Ticks<'b>> {
        Ticks::of_match(clock)
    }
}

fn ended(view: &BoardView) -> String {
    if view.phase != Phase::Finished {
        return String::new();
    }
    let winner = view.winner.and_then(|number| view.sides.get(number.checked_sub(1)?));
    winner.map_or_else(|| "A draw".to_owned(), |side| format!("{} wins", side.name))
}

pub(super) fn draw(view: &BoardView) -> Drawing {
    let two = view.sides.len() == 2;
    let mut sides: Vec<Drawn<'_>> = (1..).zip(&view.sides).map(|(number, side)| Drawn::of(number, side)).collect();
    if !two {
        // The best first; those of the same place, and all where there are no places, in their order.
        sides.sort_by_key(Drawn::place);
        sides.truncate(ROWS);
        sides = (1..).zip(sides).map(|(row, side)| side.at(row)).collect();
    }
    let rows = sides.len();
    let names = view.sides.iter().map(|side| side.name.chars().count()).max().unwrap_or(0);
    let parts = view.heads.len().min(PARTS);
    let flourish = view.flourish.as_ref().and_then(|one| {
        let side = view.sides.get(one.side.checked_sub(1)?)?;
        let length = one.until.signed_duration_since(one.at).num_milliseconds();
        let properties = json!({"--side": side.colour, "--on-side": side.ink, "--length": format!("{length}ms")});
        let at = one.at.timestamp_millis();
        Some(Celebrated { at, text: one.text, name: &side.name, properties: properties.to_string() })
    });
    let inner = Inner {
        view,
        sides,
        clock: view.clock.as_ref().map(|clock| (clock, Ticks::of_match(clock))),
        shot: view.shot.as_ref().map(|clock| (clock, Ticks::of_match(clock))),
        ended: ended(view),
        flourish,
    };
    Drawing::of(Scoreboard::KEY, Scoreboard::SHAPES, html(&inner))
        .figure("rows", rows)
        .figure("parts", parts)
        .figure("name", names)
        .class("is-two", two)
        .class("is-many", !two)
        .class("has-clock", view.clock.is_some())
        .class("has-parts", parts > 0)
        .class("has-marks", view.sides.iter().any(|side| !side.marks.is_empty() || !side.penalties.is_empty()))
        .class("is-before", view.phase == Phase::Before)
        .class("is-break", view.phase == Phase::Break)
        .class("is-over", view.phase == Phase::Finished)
}
