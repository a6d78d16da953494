//! Services with shapes of their own: a mapped webhook beside the signed contract, a rule by itself, a stream.

use crate::ingest::{event, request, send};
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::Sender;
use crate::kit::until;
use crate::record::ms;
use crate::report::{Report, median};
use actix_web::web::{self, Payload};
use actix_web::{App, HttpRequest, HttpResponse, HttpServer};
use serde_json::{Value, json};
use std::hint::black_box;
use std::time::{Duration, Instant};
use tally_core::record::happening::Kind;
use tally_core::time::calendar::Calendar;
use tally_feeds::mapping::Rules;
use tally_store::mapping::{Blank, Condition, Reading, Rule, Source, Test};

const ROUNDS: usize = 3;
const SINGLES: usize = 15_000;
const FOLLOWED: u32 = 200_000;
const MESSAGES_A_SECOND: usize = 2_000;
const SECONDS: usize = 10;

fn message(number: usize) -> Value {
    json!({
        "type": "payment.settled", "ref": format!("m-{number}"), "ts": chrono::Utc::now().timestamp_millis(),
        "donor": {"id": number % 997, "nick": format!("viewer_{}", number % 997), "hidden": false, "face": "https://f.example/1.png"},
        "value": {"cents": 350, "cur": "GBP"}, "note": "for the turntable, and mind the points",
    })
}

/// A rule with ten blanks.
fn rule() -> Rule {
    let at = |key: &str, pointer: &str, reading: Reading| {
        (key.to_owned(), Blank { from: Source::At(format!("/body{pointer}")), reading })
    };
    let fields = [
        at("name", "/donor/nick", Reading::Plain),
        at("person_id", "/donor/id", Reading::Plain),
        at("anonymous", "/donor/hidden", Reading::Plain),
        at("picture", "/donor/face", Reading::Plain),
        at("amount", "/value/cents", Reading::Hundredths),
        at("currency", "/value/cur", Reading::Plain),
        at("message", "/note", Reading::Plain),
        at("id", "/ref", Reading::Plain),
        at("time", "/ts", Reading::Milliseconds),
    ];
    let when = Condition { of: Source::At("/body/type".into()), test: Test::Is("payment.settled".into()) };
    Rule { event: Kind::Tip, when: vec![when], each: None, fields: fields.into(), guessed: false }
}

async fn wire(owner: &Owner, fields: &[(&str, &str)], rules: &str) -> String {
    let answer = owner.post("/feeds", fields).await;
    let to = answer.headers()["hx-redirect"].to_str().unwrap().to_owned();
    assert!(
        owner.send(&format!("{to}/file"), "application/octet-stream", rules.to_owned()).await.status().is_success()
    );
    owner.done(&format!("{to}/use"), &[]).await;
    to.split('/').nth(2).unwrap().to_owned()
}

/// A stream that says so many messages a second for so long.
fn stream() -> String {
    async fn line(request: HttpRequest, payload: Payload) -> Result<HttpResponse, actix_web::Error> {
        let (answer, mut session, _messages) = actix_ws::handle(&request, payload)?;
        actix_web::rt::spawn(async move {
            let mut pace = tokio::time::interval(Duration::from_millis(10));
            for piece in 0..SECONDS * 100 {
                pace.tick().await;
                for number in 0..MESSAGES_A_SECOND / 100 {
                    if session.text(message(piece * 1_000 + number).to_string()).await.is_err() {
                        return;
                    }
                }
            }
            std::future::pending::<()>().await;
        });
        Ok(answer)
    }
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let url = format!("ws://{}/", listener.local_addr().unwrap());
    let server = HttpServer::new(|| App::new().default_service(web::to(line)));
    tokio::spawn(server.workers(1).listen(listener).unwrap().run());
    url
}

pub async fn measure(report: &mut Report) {
    let server = Server::start();
    let database = Database::on(&server.url());
    let program = Program::with(&database.url, &["--demo", "--feed-rate", "1000000", "--allow-private-addresses"]);
    let owner = Owner::of(&program).await;
    let signed = Sender::of(&program.demo()["feeds"][0]);
    let rules = tally_feeds::mapping::file::write(&[rule()]);
    let id = wire(&owner, &[("kind", "any_webhook"), ("name", "Odd")], &rules).await;
    let answer = [("kind", "address"), ("status", "200"), ("answer", "{}"), ("challenge", "")];
    owner.done(&format!("/feeds/{id}/sender"), &answer).await;
    let page = owner.page("/feeds").await;
    let own = page.split(&format!("id=\"url-{id}\"")).nth(1).unwrap().split("value=\"").nth(1).unwrap();
    let mapped = Sender { url: own.split('"').next().unwrap().to_owned(), ..signed.clone() };

    let (mut ours, mut theirs, mut number) = (Vec::new(), Vec::new(), 0);
    for _ in 0..ROUNDS {
        let requests: Vec<_> = (number..number + SINGLES)
            .map(|number| request(&signed, "application/cloudevents+json", &event(number).to_string()))
            .collect();
        theirs.push(SINGLES as f64 / send(&signed, requests, 64).await);
        let requests: Vec<_> = (number..number + SINGLES)
            .map(|number| request(&mapped, "application/json", &message(number).to_string()))
            .collect();
        ours.push(SINGLES as f64 / send(&mapped, requests, 64).await);
        number += SINGLES;
    }
    let (ours, theirs) = (median(ours), median(theirs));
    report.add(
        "one delivery a request through a mapped webhook",
        format!("{ours:.0} events/s"),
        format!("the signed contract {theirs:.0}/s: ratio {:.2}", ours / theirs),
        "ratio ≥ 0.8",
    );

    let ready = Rules::ready(&[rule()]).unwrap();
    let document = json!({ "body": message(7) });
    let calendar = Calendar {
        zone: chrono_tz::Tz::Europe__London,
        week_start: chrono::Weekday::Mon,
        day_start: chrono::NaiveTime::MIN,
    };
    let now = chrono::Utc::now();
    assert_eq!(ready.follow(&document, now, &calendar).events.len(), 1);
    let began = Instant::now();
    for _ in 0..FOLLOWED {
        black_box(ready.follow(black_box(&document), now, &calendar));
    }
    let each = began.elapsed() / FOLLOWED;
    report.add(
        "a rule with nine blanks and a condition",
        format!("{:.2} µs", each.as_nanos() as f64 / 1_000.0),
        "read message to checked event".into(),
        "< 20 µs",
    );

    let url = stream();
    let fields = [("kind", "stream"), ("name", "Fast"), ("url", url.as_str())];
    let to = owner.post("/feeds", &fields).await.headers()["hx-redirect"].to_str().unwrap().to_owned();
    // It listens to a first connection; with rules in force it connects anew and counts.
    assert!(owner.send(&format!("{to}/file"), "application/octet-stream", rules).await.status().is_success());
    let before = lines(&program).await;
    owner.done(&format!("{to}/use"), &[]).await;
    tokio::time::sleep(Duration::from_secs(SECONDS as u64)).await;
    let counted = lines(&program).await - before;
    let began = Instant::now();
    let all = MESSAGES_A_SECOND * SECONDS;
    until("all that was said is counted", || async { (lines(&program).await - before >= all as u64).then_some(()) })
        .await;
    report.add(
        "stream messages counted a second",
        format!("{}", counted as usize / SECONDS),
        format!(
            "{} behind after {SECONDS} s, counted {} later",
            all as u64 - counted.min(all as u64),
            ms(began.elapsed())
        ),
        "2,000/s without falling behind",
    );
}

/// How many lines the ledger has: a duplicate tells the last one's place.
async fn lines(program: &Program) -> u64 {
    let sender = Sender::of(&program.demo()["feeds"][0]);
    sender.deliver(&event(0)).await["last_seq"].as_u64().unwrap()
}
