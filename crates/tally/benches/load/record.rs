//! A million entries: starting, a new widget, ledger pages, a file, and a busy chat.

use crate::fold::{LONG, LONGEST, entries};
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::until;
use crate::report::{Report, median, percentile, resident};
use diesel::prelude::*;
use std::fmt::Write;
use std::time::{Duration, Instant};
use tally_core::record::entry::Draft;
use tally_core::record::ids::ChannelId;
use tally_store::rows::EntryRow;
use tally_store::schema::entries as table;

const WORLD: [&str; 3] = ["--standins", "127.0.0.1:0", "--allow-private-addresses"];
const FILE_LINES: usize = 200_000;
const CHAT_SECONDS: u64 = 10;
const CHAT_A_MINUTE: u64 = 120_000;

pub fn ms(duration: Duration) -> String {
    format!("{:.0} ms", duration.as_secs_f64() * 1_000.0)
}

/// Writes so many lines straight into the ledger, after those of the demo.
fn fill(database: &Database, many: u64) -> f64 {
    let mut conn = database.connect();
    let last: Option<u64> = table::table.select(diesel::dsl::max(table::seq)).first(&mut conn).unwrap();
    let last = last.unwrap_or(0);
    // Before this month, so that the demo's figures stay.
    let now = chrono::Utc::now();
    let end = now - chrono::TimeDelta::days(40);
    let mut seconds = 0.0;
    let mut rows = entries(many, end).map(|entry| {
        let draft = Draft {
            origin: entry.origin,
            feed: entry.feed,
            happened_at: entry.happened_at,
            // As an import brings them: all arrive at once.
            arrived_at: now,
            body: entry.body,
        };
        EntryRow { seq: last + entry.seq.0, ..EntryRow::of(ChannelId(1), &draft).unwrap() }
    });
    loop {
        let rows: Vec<EntryRow> = rows.by_ref().take(1_000).collect();
        if rows.is_empty() {
            break;
        }
        let began = Instant::now();
        diesel::insert_into(table::table).values(rows).execute(&mut conn).unwrap();
        seconds += began.elapsed().as_secs_f64();
    }
    many as f64 / seconds
}

async fn asked(owner: &Owner, path: &str) -> Duration {
    let began = Instant::now();
    owner.page(path).await;
    began.elapsed()
}

/// A program beside a ledger of so many lines, started again with what it has kept of them; and how many rows a second were written.
async fn started(report: &mut Report, database: &Database, many: u64, aims: [&str; 2]) -> (Program, f64) {
    let options = [&["--demo", "--demo-days", "0"], &WORLD[..]].concat();
    let mut program = Program::with(&database.url, &options);
    program.stop();
    let bare = fill(database, many);
    let lines = many / 1_000_000;

    // The first start replays the ledger and keeps what it made of it; the second takes that up.
    let goal = program.widget("Turntable motor");
    let began = Instant::now();
    program.again();
    program.shows(&goal, "£212.50 of £350 (60%)").await;
    let replayed = began.elapsed();
    program.stop();
    let mut starts = Vec::new();
    for _ in 0..3 {
        let began = Instant::now();
        program.again();
        program.shows(&goal, "£212.50 of £350 (60%)").await;
        starts.push(began.elapsed().as_secs_f64());
        program.stop();
    }
    program.again();
    program.shows(&goal, "£212.50 of £350 (60%)").await;
    report.add(
        &format!("start to ready with {lines},000,000 entries"),
        format!("{:.2} s", median(starts)),
        format!("replaying the whole ledger instead: {:.1} s", replayed.as_secs_f64()),
        aims[0],
    );

    let held = resident(program.id()) / 1_000_000;
    let what = format!("memory with {lines},000,000 entries");
    report.add(&what, format!("{held} MB"), "right after the start".into(), aims[1]);
    (program, bare)
}

/// Ten million entries: a quarter of an hour, so only when it is named.
pub async fn ten_million(report: &mut Report) {
    let server = Server::start();
    let database = Database::on(&server.url());
    started(report, &database, LONGEST, ["≤ 1.5 s", "≤ 600 MB"]).await;
}

pub async fn measure(report: &mut Report) {
    let server = Server::start();
    let database = Database::on(&server.url());
    let (program, bare) = started(report, &database, LONG, ["≤ 0.5 s", "≤ 150 MB"]).await;

    let owner = Owner::of(&program).await;
    let made = owner.post("/widgets", &[("family", "goal")]).await;
    let path = made.headers()["hx-redirect"].to_str().unwrap().to_owned();
    let mut times = Vec::new();
    for period in ["all_time", "this_year", "all_time", "last_days", "all_time"] {
        let began = Instant::now();
        let told = owner.done(&format!("{path}/edit"), &[("key", "period"), ("text", period)]).await;
        assert!(told.contains("Counted, from"));
        times.push(began.elapsed());
    }
    let worst = times.iter().max().copied().unwrap();
    report.add(
        "a new all-time widget shows its number, with its slip",
        format!("{:.0} ms", percentile(&mut times, 50)),
        format!("worst {}", ms(worst)),
        "< 300 ms",
    );

    let filters = [
        "",
        "kind=tip",
        "kind=tip&name=viewer_77",
        "text=turntable",
        "kind=tip&least=45&most=50",
        "kind=sub&name=viewer_1",
        "name=nobody_at_all",
        "text=nothing+says+this",
        "feed=1",
        "standing=voided",
        "from=2026-03-01&to=2026-03-03",
        "kind=cheer&least=890",
        "kind=correct",
        "before=500000",
        "kind=follow&before=1000",
        "kind=rates",
    ];
    let mut times = Vec::new();
    for _ in 0..4 {
        for filter in filters {
            times.push(asked(&owner, &format!("/ledger?{filter}")).await);
        }
    }
    let worst = times.iter().max().copied().unwrap();
    report.add(
        "a ledger page or filter over 1,000,000 entries, median",
        format!("{:.0} ms", percentile(&mut times, 50)),
        format!("worst {} of {}", ms(worst), times.len()),
        "< 100 ms, worst < 300 ms",
    );

    let mut file = String::from("time,name,amount,currency,message\n");
    for number in 0..FILE_LINES {
        let (hour, minute, second) = (number / 3_600 % 24, number / 60 % 60, number % 60);
        writeln!(
            file,
            "2025-06-{:02} {hour:02}:{minute:02}:{second:02},viewer_{},{}.50,GBP,number {number}",
            number / 86_400 + 1,
            number % 997,
            number % 40 + 1
        )
        .unwrap();
    }
    let sent = owner.send("/imports?name=year.csv", "application/octet-stream", file).await;
    let page = sent.headers()["hx-redirect"].to_str().unwrap().to_owned();
    let matching =
        [("time", "0"), ("name", "1"), ("amount", "2"), ("currency", "3"), ("message", "4"), ("all_kind", "tip")];
    let began = Instant::now();
    owner.done(&format!("{page}/try"), &matching).await;
    let tried = FILE_LINES as f64 / began.elapsed().as_secs_f64();
    let began = Instant::now();
    owner.done(&format!("{page}/add"), &matching).await;
    let added = FILE_LINES as f64 / began.elapsed().as_secs_f64();
    report.add(
        "CSV lines imported",
        format!("{added:.0} lines/s"),
        format!("bare insert {bare:.0} rows/s: ratio {:.2}; trying alone {tried:.0} lines/s", added / bare),
        "≥ 20,000/s",
    );
    chat(report, &program, &owner).await;
}

/// Lines heard by the feed and said by the world so far.
async fn lines(program: &Program, owner: &Owner) -> (u64, u64) {
    let number = |page: &str, before: &str, after: &str| -> u64 {
        let page = page.split_whitespace().collect::<Vec<_>>().join(" ");
        let end = page.find(after).unwrap();
        let begin = page[..end].rfind(before).unwrap() + before.len();
        page[begin..end].replace(',', "").trim().parse().unwrap()
    };
    let state = reqwest::get(format!("{}/world/state", program.tip_jar.as_ref().unwrap())).await.unwrap();
    let said = number(&state.text().await.unwrap(), "Said so far: ", " lines.");
    (number(&owner.page("/feeds").await, ", ", " lines heard"), said)
}

async fn chat(report: &mut Report, program: &Program, owner: &Owner) {
    let form = format!("chatter={CHAT_A_MINUTE}");
    let request = reqwest::Client::new().post(format!("{}/world/numbers", program.tip_jar.as_ref().unwrap()));
    request.header("content-type", "application/x-www-form-urlencoded").body(form).send().await.unwrap();
    tokio::time::sleep(Duration::from_secs(1)).await;
    let (before, _) = lines(program, owner).await;
    tokio::time::sleep(Duration::from_secs(CHAT_SECONDS)).await;
    let (heard, said) = lines(program, owner).await;
    let began = Instant::now();
    until("what was said has been heard", || async { (lines(program, owner).await.0 >= said).then_some(()) }).await;
    report.add(
        "chat lines read a second",
        format!("{}", (heard - before) / CHAT_SECONDS),
        format!(
            "{} lines behind after {CHAT_SECONDS} s, heard {} later",
            said.saturating_sub(heard),
            ms(began.elapsed())
        ),
        "2,000/s without falling behind",
    );
}
