//! One program alone holds a database and a folder; a clock that jumps moves nothing; whoever asks is told what is wrong.

use super::behind_a_proxy;
use crate::kit::db::Database;
use crate::kit::hostile::{Raw, post};
use crate::kit::owner::Owner;
use crate::kit::program::{Program, ready};
use std::process::{Command, Stdio};
use tempfile::TempDir;

/// Starts a second program, and gives what it says before it ends.
fn second(database: &str, folder: &std::path::Path) -> String {
    let ended = Command::new(env!("CARGO_BIN_EXE_tally"))
        .args(["--listen", "127.0.0.1:0", "--database", database])
        .arg("--data")
        .arg(folder)
        .stdout(Stdio::null())
        .output()
        .unwrap();
    assert!(!ended.status.success());
    String::from_utf8_lossy(&ended.stderr).into_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn two_programs_do_not_share_a_database_or_a_folder() {
    let (database, other) = (Database::new(), Database::new());
    let mut program = Program::start(&database.url);
    let folder = TempDir::new().unwrap();
    let told = second(&database.url, folder.path());
    let holder = format!("the database is in use by process {}", program.id());
    assert!(told.contains(&holder) && told.contains(&program.base), "{told}");
    let told = second(&other.url, program.folder.path());
    assert!(told.contains("the data folder") && told.contains(&format!("process {}", program.id())), "{told}");
    // Whoever was killed holds nothing.
    program.kill();
    program.again();
    ready(&program.base).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn readiness_tells_when_the_disk_is_nearly_full() {
    let database = Database::new();
    let program = Program::with(&database.url, &["--demo", "--demo-days", "0", "--least-free-mb", "900000000"]);
    let told = reqwest::get(format!("{}/readyz", program.base)).await.unwrap();
    assert_eq!(told.status(), 503);
    assert!(told.text().await.unwrap().contains("MB are free on the disk"));
    assert_eq!(reqwest::get(format!("{}/healthz", program.base)).await.unwrap().status(), 200);
}

/// The library by which a program is told another time.
fn faketime() -> std::path::PathBuf {
    let folders = std::fs::read_dir("/usr/lib").unwrap().filter_map(Result::ok);
    let mut found = folders.map(|folder| folder.path().join("faketime/libfaketimeMT.so.1"));
    found.find(|path| path.exists()).expect("libfaketime is installed by ./check")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_jump_of_the_computers_clock_costs_no_second_and_is_told() {
    let database = Database::new();
    let folder = TempDir::new().unwrap();
    let told_time = folder.path().join("time");
    std::fs::write(&told_time, "+0").unwrap();
    let (library, told_time_at) = (faketime(), told_time.clone());
    let envs = [
        ("LD_PRELOAD", library.into_os_string()),
        ("FAKETIME_TIMESTAMP_FILE", told_time_at.into_os_string()),
        ("FAKETIME_NO_CACHE", "1".into()),
        ("DONT_FAKE_MONOTONIC", "1".into()),
        ("FAKETIME_DONT_FAKE_MONOTONIC", "1".into()),
    ];
    let program = Program::in_an_environment(&database.url, &["--demo", "--demo-days", "0"], &envs);
    let clock = program.widget("Thirty-hour build-through");
    let owner = Owner::of(&program).await;
    program.act(&clock, "start", serde_json::json!({})).await;
    let left = async || program.read(&clock).await["left_ms"].as_i64().unwrap();
    let before = left().await;
    let strip = async |wanted: &dyn Fn(&str) -> bool| {
        let mut room = owner.live(&program.base).await;
        loop {
            let message = room.next().await.expect("the connection holds");
            if message["parts"]["strip"].as_str().is_some_and(wanted) {
                return;
            }
            room.say(r#"{"ask": 1.5}"#).await;
        }
    };
    for (time, words) in
        [("+1h", "jumped ahead by 1 h"), ("+40d", "jumped ahead by 40 d"), ("-2h", "jumped back by 2 h")]
    {
        std::fs::write(&told_time, time).unwrap();
        strip(&|strip| strip.contains(words)).await;
        let now = left().await;
        assert!(before - now < 240_000, "{time}: {} s were lost", (before - now) / 1_000);
        assert_eq!(program.read(&clock).await["phase"], "running");
        std::fs::write(&told_time, "+0").unwrap();
        strip(&|strip| !strip.contains("clock jumped")).await;
    }
    // Somebody says that the new time is right: then it is told no more.
    std::fs::write(&told_time, "+1h").unwrap();
    strip(&|strip| strip.contains("clock jumped")).await;
    assert_eq!(owner.post("/clock/follow", &[]).await.status(), 204);
    strip(&|strip| !strip.contains("clock jumped")).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn only_a_trusted_proxy_speaks_of_hosts_and_of_tls() {
    let database = Database::new();
    let program = behind_a_proxy(&database);
    let owner = Owner::of(&program).await;
    let host = program.base.trim_start_matches("http://");
    let upgrade = |origin: &str, more: &str| {
        let cookie = owner.session().0;
        let mut raw = Raw::to(&program.base).unwrap();
        raw.write(&format!(
            "GET /live HTTP/1.1\r\nHost: {host}\r\nCookie: {cookie}\r\nOrigin: {origin}\r\n{more}Connection: Upgrade\r\n\
             Upgrade: websocket\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n"
        ));
        raw.first_line()
    };
    assert!(upgrade(&program.base, "").contains("101"));
    assert!(upgrade("https://elsewhere.example", "").contains("403"));
    assert!(upgrade("https://elsewhere.example", "Forwarded: host=elsewhere.example\r\n").contains("403"));
    // The proxy that is trusted says that it was reached over TLS: the cookie goes back over TLS alone.
    let door = reqwest::Client::new().get(format!("{}/sign-in", program.base));
    let over_tls = door.header("x-forwarded-proto", "https").send().await.unwrap();
    assert!(over_tls.headers()["set-cookie"].to_str().unwrap().contains("; Secure"));
    let other = Database::new();
    let plain = Program::start(&other.url);
    let door = reqwest::Client::new().get(format!("{}/sign-in", plain.base));
    let told = door.header("x-forwarded-proto", "https").send().await.unwrap();
    assert!(!told.headers()["set-cookie"].to_str().unwrap().contains("Secure"), "nobody trusts this one");
}

#[tokio::test(flavor = "multi_thread")]
async fn refusals_say_how_long_to_wait_and_come_in_our_words() {
    let database = Database::new();
    let program = behind_a_proxy(&database);
    let door = Owner::at_the_door(&program.base).await;
    let demo = program.demo();
    let (name, password) = (demo["owner"]["name"].as_str().unwrap(), demo["owner"]["password"].as_str().unwrap());
    // The token of pages is another one once somebody has signed in.
    let mut entering = Owner::at_the_door(&program.base).await;
    let old = entering.session().1.to_owned();
    let entered = entering.post("/sign-in", &[("name", name), ("password", password)]).await;
    entering.keep(&entered).await;
    assert_ne!(entering.session().1, old);
    let mut told = None;
    for round in 0..40 {
        let guessed = format!("guess {round}");
        let answer = door.post("/sign-in", &[("name", name), ("password", &guessed)]).await;
        if answer.status() == 429 {
            told = Some(answer);
            break;
        }
    }
    let told = told.expect("it is too often at some time");
    assert!(told.headers()["retry-after"].to_str().unwrap().parse::<u64>().unwrap() > 0);
    assert!(told.text().await.unwrap().contains("tried too often"));
    let body = "x".repeat(100_000);
    let mut raw = Raw::to(&program.base).unwrap();
    let head = post("/sign-in", &program.base, door.session(), body.len(), "203.0.113.40");
    raw.write(&(head.replace("Content-Type", "Connection: close\r\nContent-Type") + &body));
    let told = raw.read().to_lowercase();
    assert!(told.starts_with("http/1.1 413") && told.contains("content-type: application/problem+json"), "{told}");
}

/// Two readers of one connection must agree on where a request ends.
#[tokio::test(flavor = "multi_thread")]
async fn a_head_that_says_its_length_twice_is_refused_and_a_bare_end_of_line_begins_nothing() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let asked = |head: &str| {
        let mut raw = Raw::to(&program.base).unwrap();
        raw.write(head);
        raw.read()
    };
    for lengths in [
        "Content-Length: 4\r\nContent-Length: 5\r\n",
        "Content-Length: 4\r\nTransfer-Encoding: chunked\r\n",
        "Content-Length: +4\r\n",
        "Transfer-Encoding: chunked, identity\r\n",
    ] {
        let told = asked(&format!(
            "POST /sign-in HTTP/1.1\r\nHost: a\r\nConnection: close\r\n{lengths}\r\n4\r\nabcd\r\n0\r\n\r\n"
        ));
        assert!(told.starts_with("HTTP/1.1 400"), "{lengths}: {told}");
        assert_eq!(told.matches("HTTP/1.1 ").count(), 1, "{lengths}: {told}");
    }
    // RFC 9112 (2.2) lets a recipient take a bare LF for the end of a line: then it is that, in all of the head.
    let told =
        asked("GET /healthz HTTP/1.1\nHost: a\nX-A: b\n\nGET /readyz HTTP/1.1\r\nHost: a\r\nConnection: close\r\n\r\n");
    assert_eq!(told.matches("HTTP/1.1 200").count(), 2, "{told}");
}
