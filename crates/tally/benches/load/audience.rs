//! The audience decides: five thousand votes a second through chat, while tips go on; a wheel of two hundred slices
//! turning; and how many spins the core draws.

use crate::bare::Bare;
use crate::dom::{EVENTS, bare_round, round};
use crate::kit::browser::Browser;
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use crate::report::Report;
use crate::show::{FRAMES, number};
use serde_json::json;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};
use tally_core::record::acts::wheel::{Bytes32, Slice};
use tally_core::widgets::wheel::{commitment, draw};
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpListener;

/// Votes a second, and how many are sent together.
const RATE: u64 = 5_000;
const TOGETHER: u64 = 100;
/// Different viewers; each votes again and again.
const VIEWERS: u64 = 20_000;
const SPINS: u64 = 200_000;

pub async fn measure(report: &mut Report) {
    let server = Server::start();
    let database = Database::on(&server.url());
    let program = Program::with(&database.url, &["--demo", "--demo-days", "0", "--allow-private-addresses"]);
    votes(report, &program).await;
    turning(report, &program).await;
    spins(report);
}

/// A chat server that lets one reader in and then says lines as fast as it is told to.
pub struct Crowd {
    pub port: u16,
    /// Whether it speaks.
    pub goes: Arc<AtomicBool>,
    /// How many lines it has said.
    pub said: Arc<AtomicU64>,
}

/// The vote of a number: one of three.
fn vote(number: u64) -> String {
    (number.wrapping_mul(2_654_435_761) % 3 + 1).to_string()
}

impl Crowd {
    /// Says so many lines a second, some together; each what is told for its number, by one of many viewers in turn.
    pub async fn open((rate, together): (u64, u64), says: fn(u64) -> String) -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let port = listener.local_addr().unwrap().port();
        let (goes, said) = (Arc::new(AtomicBool::new(false)), Arc::new(AtomicU64::new(0)));
        let crowd = Self { port, goes: Arc::clone(&goes), said: Arc::clone(&said) };
        tokio::spawn(async move {
            let (stream, _) = listener.accept().await.unwrap();
            let (read, mut write) = stream.into_split();
            let mut lines = BufReader::new(read).lines();
            // No capabilities, a welcome, and the room.
            while let Some(line) = lines.next_line().await.unwrap() {
                let answer = match line.split(' ').next().unwrap_or_default() {
                    "CAP" if line.contains("LS") => ":bench CAP * LS :message-tags\r\n",
                    "CAP" if line.contains("REQ") => ":bench CAP * ACK :message-tags\r\n",
                    "USER" => ":bench 001 tally :hello\r\n",
                    "JOIN" => ":bench 366 tally #crowd :end\r\n",
                    _ => "",
                };
                write.write_all(answer.as_bytes()).await.unwrap();
                if line.starts_with("JOIN") {
                    break;
                }
            }
            let mut pace = tokio::time::interval(Duration::from_micros(1_000_000 * together / rate));
            let mut number = 0_u64;
            loop {
                pace.tick().await;
                if !goes.load(Ordering::SeqCst) {
                    continue;
                }
                let mut text = String::new();
                for _ in 0..together {
                    let (viewer, line) = (number % VIEWERS, says(number));
                    text += &format!("@user-id={viewer};badges=follower :v{viewer}!v@crowd PRIVMSG #crowd :{line}\r\n");
                    number += 1;
                }
                if write.write_all(text.as_bytes()).await.is_err() {
                    return;
                }
                said.store(number, Ordering::SeqCst);
            }
        });
        crowd
    }

    /// Lets the program read along.
    pub async fn join(&self, owner: &Owner) {
        let port = self.port.to_string();
        let chat = [
            ("kind", "chat"),
            ("name", "Crowd"),
            ("host", "127.0.0.1"),
            ("port", port.as_str()),
            ("nick", "tally"),
            ("room", "#crowd"),
        ];
        owner.done("/feeds", &chat).await;
        crate::kit::until("the crowd is heard", || async {
            owner.page("/feeds").await.contains("chat, connected").then_some(())
        })
        .await;
    }
}

async fn votes(report: &mut Report, program: &Program) {
    let crowd = Crowd::open((RATE, TOGETHER), vote).await;
    let owner = Owner::of(program).await;
    crowd.join(&owner).await;
    let poll = program.widget("The platform decides");
    program.act(&poll, "open", json!({"value": 1})).await;
    program.act(&poll, "extend", json!({"value": 3_600})).await;
    let bare = Bare::start();
    let (browser, page) = (Browser::open().await, Browser::open().await);
    page.go(poll["page_url"].as_str().unwrap()).await;
    page.shows(".poll-question", "livery").await;
    let drawings = "window.drawn = 0; document.addEventListener('tally:put', () => { drawn += 1; }); return 1";
    page.run(drawings).await;
    browser.go(program.widget("Turntable motor")["page_url"].as_str().unwrap()).await;
    browser.shows(".goal-value", "£212.50").await;
    crowd.goes.store(true, Ordering::SeqCst);
    let (began, drawn_before) = (Instant::now(), number(&page, "return window.drawn").await);
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let pounds = |number: i64| tally_core::money::group(u64::try_from(212 + number).unwrap());
    let send = |_| {
        let sender = sender.clone();
        async move { drop(sender.deliver(&tip("1")).await) }
    };
    let ours = round(&browser, 1, |number| format!("£{}.50", pounds(number)), send).await;
    let drawn = (number(&page, "return window.drawn").await - drawn_before) / began.elapsed().as_secs_f64();
    let theirs = bare_round(&browser, &bare, EVENTS + 1).await;
    // Until every viewer has voted, and all of it is counted.
    crate::kit::until("all have voted", || async { (crowd.said.load(Ordering::SeqCst) >= VIEWERS * 2).then_some(()) })
        .await;
    crowd.goes.store(false, Ordering::SeqCst);
    let (said, seconds) = (crowd.said.load(Ordering::SeqCst), began.elapsed().as_secs_f64());
    // What each viewer said last.
    let mut said_last = vec![0_u64; usize::try_from(VIEWERS).unwrap()];
    for vote in 0..said {
        said_last[usize::try_from(vote % VIEWERS).unwrap()] = vote.wrapping_mul(2_654_435_761) % 3;
    }
    let expected: Vec<u64> =
        (0..3).map(|option| said_last.iter().filter(|one| **one == option).count() as u64).collect();
    let counted = async || {
        let told = program.read(&poll).await["options"].clone();
        told.as_array().unwrap().iter().map(|one| one["votes"].as_u64().unwrap()).collect::<Vec<u64>>()
    };
    let mut last = counted().await;
    while last != expected && began.elapsed().as_secs_f64() < seconds + 20.0 {
        tokio::time::sleep(Duration::from_millis(20)).await;
        last = counted().await;
    }
    let settled = began.elapsed().as_secs_f64() - seconds;
    let lost = if last == expected { "none lost" } else { "NOT AS SAID" };
    let counted = last;
    report.add(
        "votes through chat a second",
        format!("{:.0}", said as f64 / seconds),
        format!("{said} by {VIEWERS} viewers, {lost}: {counted:?}; the last counted {settled:.1} s after it was said"),
        "5,000, none lost",
    );
    report.add(
        "tip to DOM meanwhile, p99",
        format!("{:.1} ms", ours.p99),
        format!(
            "p50 {:.1} ms; bare broadcast to a bare page beside the same votes, p99 {:.1} ms",
            ours.p50, theirs.p99
        ),
        "< 60 ms",
    );
    report.add(
        "drawings of the poll a second meanwhile",
        format!("{drawn:.1}"),
        "what its page was sent".into(),
        "at most 20",
    );
    program.act(&poll, "close", json!({})).await;
    browser.close().await;
    page.close().await;
}

async fn turning(report: &mut Report, program: &Program) {
    let (owner, wheel) = (Owner::of(program).await, program.widget("Forfeits"));
    let list: String = (1..=200).map(|number| format!("Slice number {number}\n")).collect();
    for (key, text) in [("slices", list.as_str()), ("turn", "15")] {
        owner.done(&format!("/widgets/{}/edit", wheel["id"]), &[("key", key), ("text", text)]).await;
    }
    owner.done(&format!("/widgets/{}/put-on-air", wheel["id"]), &[]).await;
    let browser = Browser::open().await;
    browser.go("about:blank").await;
    let watched = async |seconds: u64| {
        browser.run(&format!("{FRAMES} return 1")).await;
        tokio::time::sleep(Duration::from_secs(seconds)).await;
        number(&browser, "return window.frames()[0]").await
    };
    let idle = watched(8).await;
    browser.go(wheel["page_url"].as_str().unwrap()).await;
    browser.shows_one(".wheel-disc").await;
    program.act(&wheel, "spin", json!({})).await;
    browser.shows_one(".wheel.is-turning").await;
    let turning = watched(8).await;
    report.add(
        "frames a second, a wheel of 200 slices turning",
        format!("{turning:.1}"),
        format!("a page that does nothing {idle:.1}"),
        "at least 55",
    );
    browser.close().await;
}

fn spins(report: &mut Report) {
    let slices: Vec<Slice> = (1..=200).map(|weight| Slice { text: weight.to_string(), weight }).collect();
    let mut seed = Bytes32([1; 32]);
    let began = Instant::now();
    let mut sum = 0;
    for _ in 0..SPINS {
        seed = commitment(seed);
        sum += draw(seed, &slices).unwrap().index;
    }
    let seconds = began.elapsed().as_secs_f64();
    report.add(
        "spins of an uneven wheel of 200 slices a second",
        format!("{:.0}", SPINS as f64 / seconds),
        format!("each with a seed of its own; mean slice {:.1}", sum as f64 / SPINS as f64),
        "100,000 (a million in 10 s)",
    );
}
