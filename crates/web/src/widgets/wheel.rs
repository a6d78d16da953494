//! A wheel on air: an inked disc with a pennant as its pointer, a drum seen from the side, a strip that runs past. The
//! page turns it by itself, from the anchor in the drawing; see `assets/wheel.js`.

use super::Drawing;
use crate::markup::html;
use askama::Template;
use serde_json::json;
use tally_core::language::text::cut;
use tally_core::look::Look;
use tally_core::widgets::Family;
use tally_core::widgets::wheel::{PhaseWord, Sector, Wheel, WheelView};

/// Half the width of the drawing, and how far the disc reaches.
const RADIUS: f64 = 94.0;
/// Where lettering ends towards the middle, and begins at the rim.
const INNER: f64 = 29.0;
const OUTER: f64 = 89.0;
/// The largest lettering.
const LARGEST: f64 = 11.5;
/// Over so many sectors no lettering fits: the page tells the one at the pointer.
const LETTERED: usize = 72;
/// A whole turn in millionths.
const WHOLE: f64 = 1_000_000.0;

#[derive(Template)]
#[template(path = "widgets/wheel.html")]
struct Inner<'a> {
    view: &'a WheelView,
    shape: &'a str,
    slices: Vec<Drawn>,
    /// What the page turns by.
    turn: String,
    /// What passes the pointer: words and where each ends.
    passing: String,
}

/// A slice as it is drawn on the disc.
struct Drawn {
    path: String,
    shade: usize,
    label: Option<Label>,
}

struct Label {
    /// One line or two, and how far each stands from the middle of its sector.
    lines: Vec<(String, String)>,
    turned: String,
    size: String,
}

fn point(share: f64, radius: f64) -> (f64, f64) {
    let angle = share * std::f64::consts::TAU;
    (100.0 + radius * angle.sin(), 100.0 - radius * angle.cos())
}

/// The outline of a sector, clockwise from the top.
fn path(from: f64, to: f64) -> String {
    if to - from >= 0.999_999 {
        return format!("M100 6a{RADIUS} {RADIUS} 0 1 1-.01 0z");
    }
    let ((x1, y1), (x2, y2)) = (point(from, RADIUS), point(to, RADIUS));
    let large = u8::from(to - from > 0.5);
    format!("M100 100L{x1:.2} {y1:.2}A{RADIUS} {RADIUS} 0 {large} 1 {x2:.2} {y2:.2}z")
}

/// How many letters of a size stand between rim and hub.
fn letters(size: f64) -> usize {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "between 2 and 60")]
    let most = ((OUTER - INNER) / (0.56 * size) + 0.05) as usize;
    most.max(2)
}

/// A text in two lines, broken at the blank that is nearest to its middle.
fn halves(text: &str) -> Option<(&str, &str)> {
    let middle = text.len() / 2;
    let blank = text.match_indices(' ').map(|(at, _)| at).min_by_key(|at| at.abs_diff(middle))?;
    Some((text[..blank].trim(), text[blank..].trim()))
}

/// Lettering along the radius, as large as its sector lets it be: in two lines where there is room for them, smaller if it
/// must, and cut at last.
fn label(sector: &Sector, many: usize) -> Option<Label> {
    let share = |place: u64| f64::from(u32::try_from(place).unwrap_or(u32::MAX)) / WHOLE;
    let (from, to) = (share(sector.from), share(sector.to));
    // As high as the sector is wide at two thirds of the way out.
    let room = (to - from) * std::f64::consts::TAU * (INNER + (OUTER - INNER) * 0.6);
    let largest = (room * 0.72).min(LARGEST);
    if many > LETTERED || largest < 2.4 {
        return None;
    }
    let fitting = |text: &str| {
        let length = u32::try_from(text.chars().count().max(1)).unwrap_or(u32::MAX);
        (OUTER - INNER) / (0.56 * f64::from(length))
    };
    let (one, least) = (fitting(&sector.text).min(largest), (largest * 0.45).max(2.4));
    let two = halves(&sector.text)
        .map(|(first, second)| (fitting(first).min(fitting(second)).min(room * 0.36).min(LARGEST), first, second));
    let middle = f64::midpoint(from, to) * 360.0 - 90.0;
    let (size, lines) = match two {
        Some((size, first, second)) if size > one => {
            let line = |text: &str, at: f64| (cut(text, letters(size)), format!("{:.2}", 100.0 + at * size));
            (size, vec![line(first, -0.54), line(second, 0.54)])
        }
        _ => {
            let size = one.max(least);
            (size, vec![(cut(&sector.text, letters(size)), "100".to_owned())])
        }
    };
    Some(Label { lines, turned: format!("rotate({middle:.3} 100 100)"), size: format!("{size:.2}") })
}

/// Which of the shades a sector has: neighbours differ, the last from the first too.
fn shade(index: usize, many: usize) -> usize {
    match index % 3 {
        0 if index + 1 == many && many > 1 => 1,
        shade => shade,
    }
}

pub(super) fn draw(view: &WheelView, look: &Look) -> Drawing {
    let shape = look.shape(Wheel::SHAPES).map_or("disc", |shape| shape.key);
    let many = view.sectors.len();
    let share = |place: u64| f64::from(u32::try_from(place).unwrap_or(u32::MAX)) / WHOLE;
    let slice = |(index, sector): (usize, &Sector)| Drawn {
        path: path(share(sector.from), share(sector.to)),
        shade: shade(index, many),
        label: label(sector, many),
    };
    let slices = if shape == "disc" { view.sectors.iter().enumerate().map(slice).collect() } else { Vec::new() };
    let turn = view.turn.as_ref().map(|turn| {
        json!({
            "line": turn.line, "from": turn.from, "to": turn.to,
            "begins": turn.begins_at.timestamp_millis(), "ends": turn.ends_at.timestamp_millis(),
        })
    });
    let passing: Vec<_> = view.sectors.iter().map(|sector| json!([cut(&sector.text, 40), sector.to])).collect();
    let turn = json!({"turn": turn.filter(|_| view.phase == PhaseWord::Turning), "rests": view.rests_at});
    let (turn, passing) = (turn.to_string(), serde_json::to_string(&passing).unwrap_or_default());
    let won = view.winner.as_ref().map_or(0, |winner| winner.text.chars().count());
    let inner = Inner { view, shape, slices, turn, passing };
    Drawing::of(Wheel::KEY, Wheel::SHAPES, html(&inner))
        .figure("won", won)
        .class("is-turning", view.phase == PhaseWord::Turning)
        .class("is-result", view.phase == PhaseWord::Result)
        .class("is-bare", view.sectors.is_empty())
        .class("is-unlettered", many > LETTERED)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn neighbours_differ_all_around() {
        for many in 2..20 {
            let shades: Vec<usize> = (0..many).map(|index| shade(index, many)).collect();
            for index in 0..many {
                assert_ne!(shades[index], shades[(index + 1) % many], "{many}: {shades:?}");
            }
        }
    }

    #[test]
    fn names_are_cut_to_what_fits() {
        let sector = |text: &str, to| Sector { text: text.into(), chance: String::new(), from: 0, to };
        let lines = |text: &str, to| {
            label(&sector(text, to), 4).unwrap().lines.into_iter().map(|(line, _)| line).collect::<Vec<_>>()
        };
        assert_eq!(lines("Sing", 250_000), ["Sing"]);
        assert_eq!(lines("Sing the timetable", 250_000), ["Sing the", "timetable"]);
        assert_eq!(lines("Sing the timetable", 30_000), ["Sing the timetable"]);
        let long = lines(&"x".repeat(400), 250_000).remove(0);
        assert!(long.chars().count() < 40 && long.ends_with('…'));
        assert!(label(&sector("x", 5_000), 200).is_none());
        assert!(label(&sector("station_cat", 25_000), 40).is_some());
    }
}
