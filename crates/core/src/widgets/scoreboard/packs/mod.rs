//! The rule packs: one file a sport, or a family of sports that score alike.

pub mod basketball;
pub mod darts;
pub mod football;
pub mod game_clock;
pub mod ice_hockey;
pub mod points;
pub mod race;
pub mod rally;
pub mod ranking;
pub mod series;
pub mod shoot_out;
pub mod tennis;

use crate::record::refusal::Refusal;

/// The two of a match for two.
pub type Two<T> = [T; 2];

/// The place of a side of two. Whoever plays has been looked at before: see [`super::game::Game::play`].
pub(crate) fn place(side: u8) -> usize {
    usize::from(side).min(1)
}

/// The other of two.
pub(crate) fn other(side: usize) -> usize {
    1_usize.saturating_sub(side)
}

/// Who of two is ahead.
pub(crate) fn ahead<T: Ord>(score: &Two<T>) -> Option<usize> {
    match score[0].cmp(&score[1]) {
        std::cmp::Ordering::Greater => Some(0),
        std::cmp::Ordering::Less => Some(1),
        std::cmp::Ordering::Equal => None,
    }
}

/// The side as acts have it.
pub(crate) fn number(side: usize) -> u8 {
    u8::try_from(side).unwrap_or(u8::MAX)
}

/// `1st`, `2nd`, `3rd`, `4th`.
pub(crate) fn ordinal(number: u32) -> String {
    let ending = match (number % 10, number % 100) {
        (1, 11) | (2, 12) | (3, 13) => "th",
        (1, _) => "st",
        (2, _) => "nd",
        (3, _) => "rd",
        _ => "th",
    };
    format!("{number}{ending}")
}

/// A press that the sport does not know.
pub(crate) fn unknown<T>() -> Result<T, Refusal> {
    Err(Refusal::NotNow("this sport has no such act"))
}
