//! A game tracker on air: a badge with the emblem of the character that is played, a strip, a card with the last rounds.

use super::Drawing;
use super::face::seed;
use crate::markup::html;
use askama::Template;
use tally_core::look::Look;
use tally_core::widgets::Family;
use tally_core::widgets::tracker::{Tracker, TrackerView};

/// Grounds and charges of emblems: any of the first is seen against any of the second.
const GROUNDS: [&str; 6] = ["#1f5c78", "#a83e26", "#55702b", "#6b4a7d", "#7a4a1f", "#1f2329"];
const CHARGES: [&str; 5] = ["#f4efe4", "#e2a62b", "#b9d4c8", "#e6c9cf", "#cfd8e6"];

/// An emblem drawn from a name: always the same for the same name.
#[derive(Template)]
#[template(path = "widgets/emblem.html")]
struct Emblem {
    ground: &'static str,
    charge: &'static str,
    plate: u8,
    figure: u8,
    letter: String,
}

impl Emblem {
    fn of(name: &str) -> Self {
        let mut rest = seed(name);
        let mut pick = |many: u64| {
            let picked = rest % many;
            rest /= many;
            usize::try_from(picked).unwrap_or(0)
        };
        let (ground, charge, plate, figure) = (GROUNDS[pick(6)], CHARGES[pick(5)], pick(4), pick(6));
        let small = |picked: usize| u8::try_from(picked).unwrap_or(0);
        let letter = name.chars().find(|letter| letter.is_alphanumeric()).map(|letter| letter.to_uppercase().collect());
        Self { ground, charge, plate: small(plate), figure: small(figure), letter: letter.unwrap_or_default() }
    }
}

#[derive(Template)]
#[template(path = "widgets/tracker.html")]
struct Inner<'a> {
    view: &'a TrackerView,
    shape: &'a str,
    /// Of the character that is played; of the tracker's name before the game has told of one.
    emblem: Emblem,
}

pub(super) fn draw(view: &TrackerView, look: &Look) -> Drawing {
    let shape = look.shape(Tracker::SHAPES).map_or("badge", |shape| shape.key);
    let emblem = Emblem::of(view.character.as_deref().unwrap_or(&view.title));
    Drawing::of(Tracker::KEY, Tracker::SHAPES, html(&Inner { view, shape, emblem }))
        .figure("digits", view.value.chars().count().clamp(2, 9))
        .class("is-silent", view.reported_at.is_none())
        .class("has-beside", view.beside.is_some())
        .class("part-frame", true)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_has_one_emblem_and_different_names_mostly_have_others() {
        let drawn = |name: &str| Emblem::of(name).render().unwrap_or_default();
        assert_eq!(drawn("Pannier No. 7"), drawn("pannier no. 7"));
        let all: std::collections::BTreeSet<String> =
            (0..50).map(|number| drawn(&format!("engine {number}"))).collect();
        assert!(all.len() > 40, "{}", all.len());
        assert!(!drawn("🚂").is_empty() && !drawn("").is_empty());
    }
}
