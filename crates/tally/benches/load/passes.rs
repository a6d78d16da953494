//! A stranger who guesses three words from ten thousand addresses: what is found, and what a helper at work notices.

use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::report::{Report, percentile};
use futures_util::StreamExt;
use rand::seq::IndexedRandom;
use serde_json::json;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};

const GUESSES: u32 = 10_000;
/// Guesses that are under way at a time.
const AT_ONCE: usize = 8;
/// Presses of the helper with nobody else there.
const ALONE: usize = 100;

/// How long a press takes, as the helper's phone sees it.
async fn press(helper: &Owner, id: &str, number: usize) -> Duration {
    let body = json!({"action": "add", "value": 1, "id": format!("press {number}")}).to_string();
    let began = Instant::now();
    let answer = helper.send(&format!("/pass/{id}/press"), "application/json", body).await;
    assert_eq!(answer.status(), 200);
    began.elapsed()
}

pub async fn measure(report: &mut Report) {
    let server = Server::start();
    let database = Database::on(&server.url());
    let program = Program::with(&database.url, &["--demo", "--demo-days", "0", "--trust-proxy", "127.0.0.1"]);
    let (owner, id) = (Owner::of(&program).await, program.widget("Cups of tea")["id"].to_string());
    let (_, words) = owner.pass("Bram", &[("widget", &id), ("devices", "9")]).await;
    let mut helper = Owner::at(&format!("{}/join", program.base)).await;
    let opened = helper.post("/join", &[("words", &words)]).await;
    assert_eq!(opened.headers()["hx-redirect"], "/pass", "the right words open it");
    helper.keep_cookie(&opened);

    let mut number = 0;
    let mut pressed = async || {
        number += 1;
        let took = press(&helper, &id, number).await;
        tokio::time::sleep(Duration::from_millis(50)).await;
        took
    };
    let mut alone = Vec::new();
    for _ in 0..ALONE {
        alone.push(pressed().await);
    }

    let stranger = Owner::at(&format!("{}/join", program.base)).await;
    let (cookie, csrf) = stranger.session();
    let (cookie, csrf) = (cookie.to_owned(), csrf.to_owned());
    let (found, over) = (Arc::new(AtomicUsize::new(0)), Arc::new(AtomicBool::new(false)));
    let guessing = tokio::spawn({
        let (found, over, url) = (Arc::clone(&found), Arc::clone(&over), format!("{}/join", program.base));
        let all: Vec<&str> = include_str!("../../../web/src/security/spoken.txt").lines().collect();
        async move {
            let client = reqwest::Client::new();
            let began = Instant::now();
            let guess = |number: u32| {
                let words: Vec<&str> = all.choose_multiple(&mut rand::rng(), 3).copied().collect();
                let [_, a, b, c] = (number << 3).to_be_bytes();
                let request = client.post(&url).header("cookie", &cookie).header("x-csrf-token", &csrf);
                let request = request.header("x-forwarded-for", format!("20.{a}.{b}.{c}"));
                let request = request.form(&[("words", words.join(" "))]);
                let found = &found;
                async move {
                    let answer = request.send().await.unwrap();
                    found.fetch_add(usize::from(answer.headers().contains_key("hx-redirect")), Ordering::Relaxed);
                }
            };
            futures_util::stream::iter(0..GUESSES).map(guess).buffer_unordered(AT_ONCE).for_each(|()| async {}).await;
            over.store(true, Ordering::Relaxed);
            began.elapsed()
        }
    });
    let mut meanwhile = Vec::new();
    while !over.load(Ordering::Relaxed) {
        meanwhile.push(pressed().await);
    }
    let took = guessing.await.unwrap();
    report.add(
        "10,000 guesses at three words, each from another address",
        format!("{} found", found.load(Ordering::Relaxed)),
        format!("in {:.1} s; one in {:.1} billion is right", took.as_secs_f64(), 2_048_f64.powi(3) / 1e9),
        "0 found",
    );
    for (name, share) in [("p50", 50), ("p99", 99)] {
        let (with, without) = (percentile(&mut meanwhile, share), percentile(&mut alone, share));
        report.add(
            &format!("a helper's press meanwhile, {name}"),
            format!("{with:.1} ms"),
            format!("with nobody guessing {without:.1} ms: ratio {:.1}", with / without),
            "slows nobody",
        );
    }
}
