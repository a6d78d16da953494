//! What scorekeepers, the desk and programs can do to a board, and how their presses are read.

use super::game::Game;
use super::standing::Phase;
use super::{Scoreboard, State};
use crate::language::text::cut;
use crate::record::acts::BoardAct;
use crate::record::acts::board::{Card, Penalty, Play};
use crate::record::refusal::Refusal;
use crate::time::Instant;
use crate::widgets::{Action, Lever};

/// How many letters of a side's name stand on a lever.
const ON_LEVER: usize = 18;
/// The highest number on a shirt.
const MOST_NUMBER: u16 = 999;

/// Numbers in a text, in their order.
fn numbers(text: &str) -> Vec<u32> {
    text.split(|letter: char| !letter.is_ascii_digit()).filter_map(|digits| digits.parse().ok()).collect()
}

/// `9:41`, `0:32.4`, `1:02:10`: as milliseconds.
fn clock(text: &str) -> Option<i64> {
    let (whole, tenth) = match text.trim().split_once(['.', ',']) {
        Some((whole, tenth)) if tenth.len() == 1 => (whole, tenth.parse::<u8>().ok()?),
        Some(_) => return None,
        None => (text.trim(), 0),
    };
    let parts: Vec<i64> =
        whole.split(':').map(|part| part.parse::<u32>().ok().map(i64::from)).collect::<Option<_>>()?;
    let seconds = match parts[..] {
        [minutes, seconds] if seconds < 60 => minutes.saturating_mul(60).saturating_add(seconds),
        [hours, minutes, seconds] if minutes < 60 && seconds < 60 => {
            hours.saturating_mul(3_600).saturating_add(minutes.saturating_mul(60)).saturating_add(seconds)
        }
        _ => return None,
    };
    Some(seconds.saturating_mul(1_000).saturating_add(i64::from(tenth).saturating_mul(100)))
}

/// The number that comes with a press, as a number or as a text.
fn number<T: TryFrom<i64>>(action: &Action<'_>, what: &str) -> Result<T, Refusal> {
    let typed = || action.text.and_then(|text| text.trim().parse().ok());
    let value = action.value.or_else(typed).and_then(|value| T::try_from(value).ok());
    value.ok_or_else(|| Refusal::WrongValue(format!("“{}” takes {what}", cut(action.name, 30))))
}

/// The number on a player's shirt, where one is told.
fn player(action: &Action<'_>) -> Result<Option<u16>, Refusal> {
    match action.text.map(str::trim).filter(|text| !text.is_empty()) {
        None => Ok(None),
        Some(text) => {
            let number = text.parse().ok().filter(|number| *number <= MOST_NUMBER);
            number.map(Some).ok_or_else(|| Refusal::WrongValue("a player's number is 0 to 999, or nothing".into()))
        }
    }
}

/// What an action means.
fn read(action: &Action<'_>, sides: usize) -> Result<Play, Refusal> {
    let side = || match action.side.and_then(|side| side.checked_sub(1)) {
        Some(side) if usize::from(side) < sides => Ok(side),
        _ => Err(Refusal::WrongValue(format!("“{}” takes a side: 1 to {sides}", cut(action.name, 30)))),
    };
    Ok(match action.name {
        "start" => Play::Start,
        "end_period" => Play::EndPeriod,
        "pause" => Play::Pause,
        "finish" => Play::Finish,
        "reopen" => Play::Reopen,
        "retire" => Play::Retire { side: side()? },
        "score" => Play::Score { side: side()?, points: number(action, "how many points")? },
        "rally" => Play::Rally { side: side()? },
        "frame" => Play::Frame { side: side()? },
        "game" => game(action, action.side.map(|_| side()).transpose()?)?,
        "pick" => Play::Pick { side: side()? },
        "visit" => visit(action)?,
        "end_visit" => Play::EndVisit,
        "bust" => Play::Bust,
        "checkout" => Play::Checkout { darts: number(action, "how many darts")? },
        "first" => Play::First { side: side()? },
        "arrow_used" => Play::ArrowUsed,
        "foul" => Play::Foul { side: side()? },
        "timeout" => Play::Timeout { side: side()? },
        "shot_clock" => Play::ShotClock { seconds: number(action, "how many seconds")? },
        "shot" => Play::Shot { side: side()? },
        "yellow_card" => Play::Card { side: side()?, card: Card::Yellow, number: player(action)? },
        "red_card" => Play::Card { side: side()?, card: Card::Red, number: player(action)? },
        "substitution" => Play::Substitution { side: side()? },
        "added_time" => Play::AddedTime { minutes: number(action, "how many minutes")? },
        "penalty" => {
            let penalty = action.value.and_then(Penalty::of);
            let penalty = penalty.ok_or(Refusal::NotNow("a penalty has 2, 4, 5 or 10 minutes"))?;
            Play::Penalty { side: side()?, penalty, number: player(action)? }
        }
        "kick_in" => Play::Kick { side: side()?, scored: true },
        "kick_missed" => Play::Kick { side: side()?, scored: false },
        "clock_start" => Play::ClockStart,
        "clock_stop" => Play::ClockStop,
        "clock_set" => {
            let typed = action.text.and_then(clock);
            let ms = typed.or(action.value.map(|seconds| seconds.saturating_mul(1_000)));
            Play::ClockSet { ms: ms.ok_or(Refusal::NotNow("write what the clock shows, such as 9:41"))? }
        }
        "round" => Play::Round,
        "flourish" => Play::Flourish { side: side()? },
        other => {
            let known = "start, score and what else the board lists under its actions; undo, redo, new_match";
            return Err(Refusal::NoSuchAction(cut(other, 40), known.into()));
        }
    })
}

/// `60`, or `40 with 2`.
fn visit(action: &Action<'_>) -> Result<Play, Refusal> {
    let wrong = || {
        Refusal::WrongValue(
            "write what three darts made, such as 60; with a finish also how many, such as 40 with 2".into(),
        )
    };
    let typed = action.text.map(numbers).unwrap_or_default();
    let (points, darts) = match (action.value, &typed[..]) {
        (Some(points), []) => (u32::try_from(points).map_err(|_| wrong())?, None),
        (Some(points), [darts]) => (u32::try_from(points).map_err(|_| wrong())?, Some(*darts)),
        (None, [points]) => (*points, None),
        (None, [points, darts]) => (*points, Some(*darts)),
        _ => return Err(wrong()),
    };
    let points = u16::try_from(points).map_err(|_| wrong())?;
    let darts = darts.map(u8::try_from).transpose().map_err(|_| wrong())?;
    Ok(Play::Visit { points, darts })
}

/// `13:7`, the winner's first.
fn game(action: &Action<'_>, side: Option<u8>) -> Result<Play, Refusal> {
    let wrong = || Refusal::WrongValue("write a result such as 13:7, the winner's number first".into());
    let result = match action.text.map(str::trim).filter(|text| !text.is_empty()) {
        None => None,
        Some(text) => match numbers(text)[..] {
            [most, least] => {
                let read = |number: u32| u16::try_from(number).map_err(|_| wrong());
                let (most, least) = (read(most)?, read(least)?);
                Some(if side == Some(1) { (least, most) } else { (most, least) })
            }
            _ => return Err(wrong()),
        },
    };
    Ok(Play::Game { side, result })
}

pub(super) fn decide(
    board: &Scoreboard,
    state: &State,
    action: &Action<'_>,
    now: Instant,
) -> Result<BoardAct, Refusal> {
    if action.name == "new_match" {
        if state.game.is_none() {
            return Err(Refusal::NotNow("no match has begun; start this one"));
        }
        return Ok(BoardAct::NewMatch { rules: board.rules.clone(), sides: board.sides.clone() });
    }
    let play = read(action, board.sides.len())?;
    state.game(board).play(&board.rules, play, now)?;
    Ok(BoardAct::Play(play))
}

/// What could be pressed now; those that the sport would refuse are there but not ready.
pub(super) fn levers(board: &Scoreboard, state: &State, now: Instant) -> Vec<Lever> {
    let mut game = state.game(board);
    game.advance(&board.rules, now);
    let names: Vec<String> = board.sides.iter().map(|side| cut(&side.name, ON_LEVER)).collect();
    let mut levers = game.levers(&board.rules, &names);
    for lever in &mut levers {
        lever.ready = lever.ready && is_possible(board, &game, lever, now);
    }
    let over = game.phase() == Phase::Finished;
    let undo = Lever::new("undo", "Undo", state.log.newest().is_some());
    let redo = Lever::new("redo", "Redo", state.redoable().is_some());
    levers.extend([if over { undo } else { undo.rare() }, redo.rare()]);
    if state.game.is_some() {
        let new = Lever::new("new_match", "New match", true);
        if over { levers.insert(0, new.main()) } else { levers.push(new.rare().asking(true)) }
    }
    levers
}

/// Whether a press would be taken, as far as that is known without what is typed.
fn is_possible(board: &Scoreboard, game: &Game, lever: &Lever, now: Instant) -> bool {
    if lever.text.is_some() && !lever.text_optional {
        return true;
    }
    let action = Action { name: lever.action, value: lever.value, text: None, side: lever.side };
    match read(&action, board.sides.len()) {
        Ok(play) => game.clone().play(&board.rules, play, now).is_ok(),
        Err(_) => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn clocks_are_read_as_they_are_written() {
        for (text, ms) in [("9:41", 581_000), ("0:32.4", 32_400), ("92:10", 5_530_000), ("1:02:10", 3_730_000)] {
            assert_eq!(clock(text), Some(ms), "{text}");
        }
        for text in ["", "9", "9:60", "1:60:00", "a:10", "-1:00", "0:10.25", "1:2:3:4"] {
            assert_eq!(clock(text), None, "{text}");
        }
    }

    proptest! {
        #[test]
        fn no_text_makes_it_panic(name in "[a-z_]{0,12}", text in ".{0,20}", value in any::<Option<i64>>(), side in any::<Option<u8>>()) {
            for name in [name.as_str(), "clock_set", "visit", "game", "yellow_card", "penalty", "score"] {
                let _ = read(&Action { name, value, text: Some(&text), side }, 2);
            }
        }
    }
}
