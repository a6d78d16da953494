//! From a press on the scorekeeper's pad to an open page of the board, beside a bare broadcast to a bare page; and how
//! long a long match takes to replay.

use crate::bare::Bare;
use crate::dom::{EVENTS, Round, bare_round, round};
use crate::kit::browser::Browser;
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::report::{Report, median};
use chrono::TimeDelta;
use serde_json::json;
use std::time::Instant;
use tally_core::record::acts::board::{Penalty, Play, Rules, Sport};
use tally_core::widgets::scoreboard::game::Game;

const ROUNDS: i64 = 3;
/// Presses of the match that is replayed.
const LONG: usize = 10_000;

/// Milliseconds to replay a match of so many presses: of points, and of ice hockey.
fn replays() -> (f64, f64) {
    let ran = |sport: Sport, play: &dyn Fn(usize) -> Play| {
        let rules = Rules::of(sport);
        let began = Instant::now();
        let mut game = Game::new(&rules, 2);
        let mut at = tally_core::time::Instant::UNIX_EPOCH;
        for number in 0..LONG {
            at += TimeDelta::milliseconds(700);
            drop(game.play(&rules, play(number), at));
        }
        assert!(!game.standing(&rules).scores.is_empty());
        began.elapsed().as_secs_f64() * 1_000.0
    };
    let side = |number: usize| u8::try_from(number % 2).unwrap();
    let points = ran(Sport::Points, &|number| match number {
        0 => Play::Start,
        number => Play::Score { side: side(number), points: 1 },
    });
    let hockey = ran(Sport::IceHockey, &|number| match number % 40 {
        0 if number == 0 => Play::Start,
        0 => Play::ClockSet { ms: 1_200_000 },
        1 => Play::ClockStart,
        20 => Play::Penalty { side: side(number), penalty: Penalty::Minor, number: None },
        _ => Play::Shot { side: side(number) },
    });
    (points, hockey)
}

pub async fn measure(report: &mut Report) {
    let (points, hockey) = replays();
    report.add(
        "a match of 10,000 presses, replayed",
        format!("{points:.1} ms"),
        format!("of ice hockey, with penalties and a clock: {hockey:.1} ms"),
        "≤ 50 ms",
    );
    let server = Server::start();
    let database = Database::on(&server.url());
    let program = Program::start(&database.url);
    let (board, owner) = (program.widget("Wagons sorted"), Owner::of(&program).await);
    let (bare, browser) = (Bare::start(), Browser::open().await);
    let (client, url) = (reqwest::Client::new(), format!("{}/widgets/{}/press", program.base, board["id"]));
    let (mut ours, mut theirs) = (Vec::new(), Vec::new());
    for number in 0..ROUNDS {
        let from = 13 + number * EVENTS;
        browser.go(board["page_url"].as_str().unwrap()).await;
        browser.shows(".side-1 .board-score", &(from - 1).to_string()).await;
        let press = |number: i64| {
            let body = json!({"action": "score", "side": 1, "value": 1, "id": format!("bench-{number}")});
            let (cookie, csrf) = owner.session();
            let request = client.post(&url).header("cookie", cookie).header("x-csrf-token", csrf).json(&body);
            async move { drop(request.send().await.unwrap()) }
        };
        ours.push(round(&browser, from, |number| number.to_string(), press).await);
        theirs.push(bare_round(&browser, &bare, from).await);
    }
    browser.close().await;
    let of = |rounds: &[Round], figure: fn(&Round) -> f64| median(rounds.iter().map(figure).collect());
    for (name, figure, aim) in [("p50", (|r| r.p50) as fn(&Round) -> f64, ""), ("p99", |r| r.p99, "< 60 ms")] {
        let (mine, bare) = (of(&ours, figure), of(&theirs, figure));
        report.add(
            &format!("a scorekeeper's press to DOM at 20 a second, {name}"),
            format!("{mine:.1} ms"),
            format!("bare broadcast to a bare page {bare:.1} ms: ratio {:.1}", mine / bare),
            aim,
        );
    }
}
