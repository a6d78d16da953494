//! Matches as short scripts: each line an act, and how the match stands after it.
//!
//! Acts: `a` and `b` win a rally; `a+2` scores; `frame a`, `game a 13:7`, `v60`, `v40/2` (with two darts), `out 2`, `bust`, `over` (of a visit), `first a`,
//! `foul a`, `timeout a`, `shot a`, `yellow a7`, `red a`, `sub a`, `added 3`, `pen a2 7`, `in a`, `miss a`, `arrow`,
//! `24s`, `run`, `stop`, `put 9:41`, `start`, `end`, `pause`, `finish`, `reopen`, `retire a`, `round`; `~90` lets 90
//! seconds pass.
//!
//! How it stands: `15*:0` (a serves), the clock, the parts in brackets, marks after `a` and `b`, notes, the phase where it
//! is not being played. `!words` is a refusal that has these words, and nothing has changed.

use chrono::TimeDelta;
use tally_core::record::acts::board::{Card, Penalty, Play, Rule, Rules, Sport};
use tally_core::time::Instant;
use tally_core::widgets::scoreboard::game::Game;
use tally_core::widgets::scoreboard::standing::{MarkKind, Phase, Standing};

/// A sport with some rules set otherwise.
pub fn rules(sport: Sport, set: &[(Rule, i64)]) -> Rules {
    set.iter().fold(Rules::of(sport), |rules, (rule, value)| rules.with(*rule, *value).unwrap())
}

fn side(text: &str) -> u8 {
    match text.chars().next() {
        Some(letter @ 'a'..='z') => letter as u8 - b'a',
        _ => panic!("no side: {text}"),
    }
}

fn player(text: &str) -> Option<u16> {
    text.get(1..).and_then(|digits| digits.trim().parse().ok())
}

fn pair(text: &str) -> Option<(u16, u16)> {
    let (left, right) = text.split_once(':')?;
    Some((left.parse().ok()?, right.parse().ok()?))
}

/// An act as it is written.
pub fn play(text: &str) -> Play {
    let (word, rest) = text.split_once(' ').unwrap_or((text, ""));
    match word {
        "start" => Play::Start,
        "end" => Play::EndPeriod,
        "pause" => Play::Pause,
        "finish" => Play::Finish,
        "reopen" => Play::Reopen,
        "retire" => Play::Retire { side: side(rest) },
        "frame" => Play::Frame { side: side(rest) },
        "game" if rest == "draw" => Play::Game { side: None, result: None },
        "game" => {
            Play::Game { side: Some(side(rest)), result: rest.split_once(' ').and_then(|(_, result)| pair(result)) }
        }
        "bust" => Play::Bust,
        "over" => Play::EndVisit,
        "out" => Play::Checkout { darts: rest.parse().unwrap() },
        "pick" => Play::Pick { side: side(rest) },
        "first" => Play::First { side: side(rest) },
        "foul" => Play::Foul { side: side(rest) },
        "timeout" => Play::Timeout { side: side(rest) },
        "shot" => Play::Shot { side: side(rest) },
        "yellow" => Play::Card { side: side(rest), card: Card::Yellow, number: player(rest) },
        "red" => Play::Card { side: side(rest), card: Card::Red, number: player(rest) },
        "sub" => Play::Substitution { side: side(rest) },
        "added" => Play::AddedTime { minutes: rest.parse().unwrap() },
        "pen" => {
            let (who, number) = rest.split_once(' ').unwrap_or((rest, ""));
            let penalty = Penalty::of(who[1..].parse().unwrap()).unwrap();
            Play::Penalty { side: side(who), penalty, number: number.parse().ok() }
        }
        "in" => Play::Kick { side: side(rest), scored: true },
        "miss" => Play::Kick { side: side(rest), scored: false },
        "arrow" => Play::ArrowUsed,
        "run" => Play::ClockStart,
        "stop" => Play::ClockStop,
        "put" => {
            let (minutes, seconds) = rest.split_once(':').unwrap();
            let seconds = minutes.parse::<i64>().unwrap() * 60 + seconds.parse::<i64>().unwrap();
            Play::ClockSet { ms: seconds * 1_000 }
        }
        "round" => Play::Round,
        _ => other(word),
    }
}

fn other(word: &str) -> Play {
    if let Some(visit) = word.strip_prefix('v') {
        let (points, darts) =
            visit.split_once('/').map_or((visit, None), |(points, darts)| (points, darts.parse().ok()));
        return Play::Visit { points: points.parse().unwrap(), darts };
    }
    if let Some(seconds) = word.strip_suffix('s').and_then(|digits| digits.parse().ok()) {
        return Play::ShotClock { seconds };
    }
    match word.get(1..) {
        Some("") => Play::Rally { side: side(word) },
        Some(points) => Play::Score { side: side(word), points: points.parse().unwrap() },
        None => panic!("no act: {word}"),
    }
}

/// How it stands, in short.
pub fn told(game: &Game, rules: &Rules) -> String {
    let standing: Standing = game.standing(rules);
    let letter = |side: usize| char::from(b'a' + u8::try_from(side).unwrap());
    let serves = |side: usize| standing.marks[side].iter().any(|mark| mark.kind == MarkKind::Serve);
    let scores: Vec<String> = (0..standing.scores.len())
        .map(|side| format!("{}{}", standing.scores[side], if serves(side) { "*" } else { "" }))
        .collect();
    let mut all = vec![scores.join(":")];
    for clock in [standing.clock, standing.shot].into_iter().flatten() {
        let (seconds, tenths) = (clock.ms / 1_000, clock.ms % 1_000 / 100);
        let stands = if clock.running { "" } else { "|" };
        let tenths = if tenths > 0 { format!(".{tenths}") } else { String::new() };
        all.push(format!("{}:{:02}{tenths}{stands}", seconds / 60, seconds % 60));
    }
    all.extend(standing.added.map(|minutes| format!("+{minutes}")));
    if !standing.columns.is_empty() {
        let columns: Vec<String> = standing.columns.iter().map(|column| column.cells.join(":")).collect();
        all.push(format!("[{}]", columns.join(" ")));
    }
    for side in 0..standing.scores.len() {
        let marks = standing.marks[side].iter().filter(|mark| mark.kind != MarkKind::Serve || !mark.text.is_empty());
        let mut own: Vec<String> = marks.map(|mark| format!("{}{}", mark.kind.about().0, mark.text)).collect();
        own.extend(standing.penalties[side].iter().map(|one| {
            let number = one.number.map(|number| format!("#{number} ")).unwrap_or_default();
            let seconds = (one.left_ms + 999) / 1_000;
            format!("{number}{}:{:02}{}", seconds / 60, seconds % 60, if one.counts_down { "" } else { " waits" })
        }));
        if !own.is_empty() {
            all.push(format!("{}({})", letter(side), own.join(", ")));
        }
    }
    let note = |note: &tally_core::widgets::scoreboard::standing::Note| match note.side {
        Some(side) => format!("{} for {}", note.text, letter(usize::from(side))),
        None => note.text.clone(),
    };
    if !standing.notes.is_empty() {
        all.push(format!("“{}”", standing.notes.iter().map(note).collect::<Vec<_>>().join(", ")));
    }
    match (game.phase(), game.ended()) {
        (Phase::Before, _) => all.push("before".into()),
        (Phase::Break, _) => all.push(format!("break: {}", standing.part)),
        (Phase::Finished, Some(ended)) => all.push(match ended.winner {
            Some(side) => format!("won by {}", letter(usize::from(side))),
            None => "drawn".into(),
        }),
        _ => {}
    }
    all.join(" ")
}

/// Plays a script. `marks` are the kinds of marks that it tells of; others are left out.
pub fn script(rules: &Rules, lines: &[(&str, &str)]) {
    let mut game = Game::new(rules, 2);
    let mut now = Instant::UNIX_EPOCH;
    let mut wrong = Vec::new();
    for (number, (acts, expected)) in (1..).zip(lines) {
        let mut refused = None;
        let before = game.clone();
        for act in acts.split("; ") {
            if let Some(seconds) = act.strip_prefix('~') {
                now += TimeDelta::milliseconds((seconds.parse::<f64>().unwrap() * 1_000.0).round() as i64);
                game.advance(rules, now);
            } else if let Err(refusal) = game.play(rules, play(act), now) {
                refused = Some(refusal.to_string());
            }
        }
        let found = match refused {
            Some(refusal) => {
                assert_eq!(told(&game, rules), told(&before, rules), "a refusal changes nothing: {acts}");
                format!("!{refusal}")
            }
            None => told(&game, rules),
        };
        let fits = match expected.strip_prefix('!') {
            Some(words) => found.contains(words) && found.starts_with('!'),
            None => found == *expected,
        };
        if !fits {
            wrong.push(format!("{number}. {acts}\n  expected {expected}\n  found    {found}"));
        }
    }
    assert!(wrong.is_empty(), "\n{}\n", wrong.join("\n"));
}
