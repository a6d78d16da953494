//! A goal on air: a rail over sleepers, a water column, a ring, a ladder, tally gates, or words.

use super::Drawing;
use crate::markup::html;
use askama::Template;
use tally_core::language::Language;
use tally_core::look::Look;
use tally_core::widgets::Family;
use tally_core::widgets::goal::{AimView, Arrange, Goal, GoalView, Outcome};

/// Strokes of the tally gates: four gates of five.
const STROKES: u8 = 20;
/// Rungs of a ladder that has none of its own.
const RUNGS: u8 = 5;
/// So long each of several goals is shown where they take turns.
const TURN_SECONDS: u32 = 8;

#[derive(Template)]
#[template(path = "widgets/goal.html")]
struct Inner<'a> {
    aims: Vec<&'a AimView>,
    shape: &'a str,
    of: &'static str,
    outcomes: [&'static str; 2],
    turns: bool,
    language: Language,
}

/// One rung as it is drawn, from the top.
struct Rung {
    name: String,
    target: String,
    reached: bool,
    share: f64,
}

impl Inner<'_> {
    fn outcome(&self, aim: &AimView) -> Option<&'static str> {
        aim.outcome.map(|outcome| self.outcomes[usize::from(outcome == Outcome::Missed)])
    }

    fn shape(&self) -> &str {
        self.shape
    }

    fn seconds(&self) -> u32 {
        TURN_SECONDS
    }

    /// Which of the strokes are drawn.
    fn strokes(&self, aim: &AimView) -> Vec<bool> {
        (1..=STROKES).map(|stroke| aim.share >= f64::from(stroke) / f64::from(STROKES) - 1e-9).collect()
    }

    fn rungs(&self, aim: &AimView) -> Vec<Rung> {
        let own = aim.rungs.iter().map(|rung| Rung {
            name: rung.name.clone(),
            target: rung.target.clone(),
            reached: rung.reached,
            share: rung.share,
        });
        let mut rungs: Vec<Rung> = own.collect();
        if rungs.is_empty() {
            let parts = f64::from(RUNGS);
            rungs = (1..=RUNGS)
                .map(|rung| {
                    let share = (aim.share * parts - f64::from(rung - 1)).clamp(0.0, 1.0);
                    let last = rung == RUNGS;
                    Rung {
                        name: self.language.percent(i64::from(rung) * 100 / i64::from(RUNGS)),
                        target: if last { aim.target.clone() } else { String::new() },
                        reached: if last { aim.reached } else { share >= 1.0 },
                        share,
                    }
                })
                .collect();
        }
        rungs.reverse();
        rungs
    }

    /// The share as degrees of a half circle: of the first half, and of the second.
    fn halves(&self, aim: &AimView) -> [f64; 2] {
        let degrees = aim.share * 360.0;
        [degrees.min(180.0), (degrees - 180.0).max(0.0)]
    }
}

pub(super) fn draw(view: &GoalView, look: &Look) -> Drawing {
    let words = look.language.on_air();
    let shape = look.shape(Goal::SHAPES).map_or("rail", |shape| shape.key);
    let aims: Vec<&AimView> = view.aims().collect();
    let many = aims.len();
    let turns = many > 1 && view.arrange == Arrange::InTurn;
    let rungs = aims.iter().map(|aim| aim.rungs.len()).max().filter(|most| *most > 0).unwrap_or(RUNGS.into());
    let inner =
        Inner { aims, shape, of: words.of, outcomes: [words.met, words.missed], turns, language: look.language };
    let (across, down) = match view.arrange {
        _ if many == 1 => (1, 1),
        Arrange::Stacked => (1, many),
        Arrange::Beside => (many, 1),
        Arrange::InTurn => (1, 1),
    };
    Drawing::of(Goal::KEY, Goal::SHAPES, html(&inner))
        .figure("across", across)
        .figure("down", down)
        .figure("rungs", rungs)
        .class("in-turn", turns)
}
