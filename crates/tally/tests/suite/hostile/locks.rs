//! Locks: who gets in, how often they may try, and what stays out of reach of those who are in.

use super::behind_a_proxy;
use crate::kit::db::Database;
use crate::kit::hostile::{Raw, post};
use crate::kit::inside::{self, Stepping};
use crate::kit::owner::Owner;
use crate::kit::program::{Program, ready};
use crate::kit::sender::{Sender, tip};
use diesel::connection::SimpleConnection;
use serde_json::json;
use std::sync::Arc;
use tally_core::record::ids::ChannelId;
use tally_engine::Clock;
use tally_store::Store;

#[tokio::test(flavor = "multi_thread")]
async fn only_who_started_it_makes_the_first_visit_and_only_once() {
    let database = Database::new();
    let program = Program::with(&database.url, &[]);
    let url = program.first_visit.clone().unwrap();
    let client = reqwest::Client::new();
    let status = async |url: &str, host: Option<&str>| {
        let request = client.get(url);
        let request = host.iter().fold(request, |request, host| request.header("host", *host));
        request.send().await.unwrap().status().as_u16()
    };
    assert_eq!(status(&url, None).await, 200);
    assert_eq!(status(&format!("{}/first-visit", program.base), None).await, 422, "without the key");
    assert_eq!(status(&format!("{}/first-visit?key=guessed", program.base), None).await, 422);
    assert_eq!(status(&url, Some("rebound.example")).await, 422, "another site that points at us");

    let key = url.split("key=").nth(1).unwrap();
    let forms = ["odile", "bram"].map(|name| {
        [
            ("key", key),
            ("start", "tips-this-month"),
            ("title", "Motor"),
            ("channel", "Halt"),
            ("name", name),
            ("password", "long enough for us"),
            ("zone", "Europe/London"),
            ("currency", "GBP"),
            ("day_start", "05:00"),
            ("week_start", "Mon"),
        ]
    });
    let (one, other) = (Owner::at(&url).await, Owner::at(&url).await);
    let (one, other) = tokio::join!(one.post("/first-visit", &forms[0]), other.post("/first-visit", &forms[1]));
    let mut statuses = [one.status().as_u16(), other.status().as_u16()];
    statuses.sort_unstable();
    assert!(statuses == [200, 422] || statuses == [200, 404], "of two at once, one is the owner: {statuses:?}");
    let store = Store::open(&database.url, 1).unwrap();
    assert!(store.channel(ChannelId(2)).await.is_err());
}

#[tokio::test(flavor = "multi_thread")]
async fn signing_out_and_a_new_password_end_every_session() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (one, other) = (Owner::of(&program).await, Owner::of(&program).await);
    one.post("/sign-out", &[]).await;
    assert_eq!(other.get("/desk").await.status(), 303, "a cookie that was kept opens nothing");

    let mut owner = Owner::of(&program).await;
    let kept = Owner::of(&program).await;
    let password = program.demo()["owner"]["password"].as_str().unwrap().to_owned();
    let new = "another good password";
    assert!(owner.refused("/account/password", &[("present", "wrong"), ("new", new)]).await.contains("another one"));
    assert!(owner.refused("/account/password", &[("present", &password), ("new", "short")]).await.contains("at least"));
    let changed = owner.post("/account/password", &[("present", &password), ("new", new)]).await;
    assert_eq!(changed.status(), 200);
    owner.keep(&changed).await;
    assert_eq!(kept.get("/desk").await.status(), 303);
    let name = program.demo()["owner"]["name"].as_str().unwrap().to_owned();
    Owner::named(&program.base, &name, new).await;

    // Tokens of programs come and go.
    let made = owner.done("/account/tokens", &[("name", "deck"), ("operate", "yes")]).await;
    let token = made.split("readonly value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let list = async || {
        let asked = reqwest::Client::new().get(format!("{}/api/v1/widgets", program.base)).bearer_auth(&token);
        asked.send().await.unwrap().status().as_u16()
    };
    assert_eq!(list().await, 200);
    let page = owner.page("/account").await;
    let id = page.rsplit("/account/tokens/").next().unwrap().split('/').next().unwrap().to_owned();
    assert!(page.contains("deck"));
    owner.done(&format!("/account/tokens/{id}/revoke"), &[]).await;
    assert_eq!(list().await, 401);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_session_ends_after_thirty_days_whatever_the_browser_keeps() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    program.stop();
    let clock = Arc::new(Stepping::default());
    let engine = inside::engine(&database.url, Arc::clone(&clock) as Arc<dyn Clock>);
    let server = tokio::spawn(inside::serve(engine, &program.base));
    ready(&program.base).await;
    let owner = Owner::of(&program).await;
    for (days, status) in [(0, 200), (29, 200), (31, 303)] {
        clock.set(days * 86_400);
        assert_eq!(owner.get("/account").await.status(), status, "after {days} days");
    }
    server.abort();
}

#[tokio::test(flavor = "multi_thread")]
async fn behind_a_trusted_proxy_one_guesser_locks_nobody_else_out() {
    let database = Database::new();
    let program = behind_a_proxy(&database);
    let door = Owner::at_the_door(&program.base).await;
    let guess = |peer: &'static str, name: String, password: String| {
        let body = url::form_urlencoded::Serializer::new(String::new())
            .extend_pairs([("name", name), ("password", password)])
            .finish();
        let mut raw = Raw::to(&program.base).unwrap();
        raw.write(
            &(post("/sign-in", &program.base, door.session(), body.len(), peer) + &body)
                .replace("Content-Type", "Connection: close\r\nContent-Type"),
        );
        raw.read()
    };
    // However the name is spelled, it is the same person.
    let spellings = ["odile", " Odile", "ODILE ", "ódile", "odile\u{200b}"];
    let mut told = false;
    for round in 0..4 {
        for name in spellings {
            told |= guess("203.0.113.7", name.into(), format!("guess {round}")).contains("tried too often");
        }
    }
    assert!(told);
    let demo = program.demo();
    let (name, password) = (demo["owner"]["name"].as_str().unwrap(), demo["owner"]["password"].as_str().unwrap());
    let entered = guess("203.0.113.8", name.into(), password.into());
    assert!(entered.starts_with("HTTP/1.1 303") || entered.contains("hx-redirect: /desk"), "{entered}");
}

#[tokio::test(flavor = "multi_thread")]
async fn another_owners_widget_is_out_of_reach() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    owner.done("/widgets/1/edit", &[("key", "target"), ("text", "999")]).await;
    let hash = tally_web::passwords::hash("a password of mine".into()).await.unwrap();
    let mut conn = database.connect();
    for another in [
        "INSERT INTO channels (id, name, zone, currency, day_start_minute, week_start, weights) \
         SELECT 2, 'Elsewhere', zone, currency, day_start_minute, week_start, weights FROM channels WHERE id = 1",
        &format!("INSERT INTO users (channel_id, name, password_hash) VALUES (2, 'bram', '{hash}')"),
    ] {
        conn.batch_execute(another).unwrap();
    }
    let other = Owner::named(&program.base, "bram", "a password of mine").await;
    for operation in ["take-back", "put-on-air", "discard", "archive", "restore", "duplicate", "readdress"] {
        assert_eq!(other.post(&format!("/widgets/1/{operation}"), &[]).await.status(), 404, "{operation}");
    }
    // Neither in the channel's task nor in what is kept.
    assert!(owner.page("/widgets/1").await.contains("£999"), "it is tried on the stage as before");
    program.stop();
    program.again();
    assert!(owner.page("/widgets/1").await.contains("£999"), "and after a start too");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_void_address_stays_void_whatever_happens_at_the_same_time() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let mut url = program.demo()["feeds"][0]["url"].as_str().unwrap().to_owned();
    let secret = program.demo()["feeds"][0]["secret"].as_str().unwrap().to_owned();
    for round in 0..12 {
        let old = Sender { client: reqwest::Client::new(), url: url.clone(), secret: secret.clone() };
        let during = old.clone();
        let event = tip("1");
        let (_, _, _, _) = tokio::join!(
            owner.post("/feeds/1/pause", &[]),
            owner.post("/feeds/1/readdress", &[]),
            owner.post("/feeds/1/gifts", &[]),
            during.send(&event),
        );
        assert_eq!(old.send(&tip("1")).await.unwrap().status(), 403, "round {round}");
        let page = owner.page("/feeds").await;
        let token = page.split("/in/").nth(1).unwrap().split(['"', '<', '&', ' ']).next().unwrap();
        url = format!("{}/in/{token}", program.base);
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_sender_reaches_no_namespace_but_its_own() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let demo = program.demo();
    let (tips, platform) = (Sender::of(&demo["feeds"][0]), Sender::of(&demo["feeds"][1]));
    let one = json!({
        "specversion": "1.0", "id": "1", "source": "/numbered", "type": "tally.tip",
        "data": {"actor": {"name": "ninepins"}, "amount": "10", "currency": "GBP"},
    });
    assert_eq!(tips.deliver(&one).await["accepted"], 1);
    assert_eq!(tips.deliver(&one).await["duplicates"], 1);
    let second = platform.deliver(&one).await;
    assert_eq!(second["accepted"], 1, "another feed numbers as it likes");
    let owner = Owner::of(&program).await;
    let opened = owner.page(&format!("/ledger/{}", second["last_seq"])).await;
    assert!(opened.contains("The same came through"), "and the line says so: {opened}");
    // Whoever calls itself the desk takes no press away.
    let mut forged = one.clone();
    (forged["source"], forged["id"]) = (json!("desk"), json!("press 1"));
    tips.deliver(&forged).await;
    let counter = program.widget("Derailments");
    let body = json!({"action": "add", "value": null, "id": "press 1"}).to_string();
    let pressed = owner.send(&format!("/widgets/{}/press", counter["id"]), "application/json", body).await;
    assert_eq!(pressed.status(), 200);
    assert_eq!(program.text(&counter).await, "1");
}

#[tokio::test(flavor = "multi_thread")]
async fn forms_work_without_scripts() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let door = Owner::at_the_door(&program.base).await;
    let demo = program.demo();
    let (name, password) = (demo["owner"]["name"].as_str().unwrap(), demo["owner"]["password"].as_str().unwrap());
    let (cookie, csrf) = door.session();
    let client = reqwest::Client::builder().redirect(reqwest::redirect::Policy::none()).build().unwrap();
    let send = async |csrf: &str| {
        let form = [("name", name), ("password", password), ("csrf", csrf)];
        let body = url::form_urlencoded::Serializer::new(String::new()).extend_pairs(form).finish();
        let request = client.post(format!("{}/sign-in", program.base)).header("cookie", cookie);
        request.header("content-type", "application/x-www-form-urlencoded").body(body).send().await.unwrap()
    };
    assert_eq!(send("forged").await.status(), 403);
    let entered = send(csrf).await;
    assert_eq!((entered.status().as_u16(), &entered.headers()["location"]), (303, &"/desk".parse().unwrap()));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_key_of_idempotency_is_good_for_one_press_of_one_token() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let token = program.demo()["api_token"].as_str().unwrap().to_owned();
    let press = async |widget: &str, action: &str, key: &str| {
        let url = format!("{}/api/v1/widgets/{}/actions/{action}", program.base, program.widget(widget)["id"]);
        let request = reqwest::Client::new().post(url).bearer_auth(&token).header("idempotency-key", key);
        let answer = request.send().await.unwrap();
        (answer.status().as_u16(), answer.json::<serde_json::Value>().await.unwrap())
    };
    press("First train leaves in", "start", "a").await;
    let (status, paused) = press("First train leaves in", "pause", "b").await;
    assert_eq!((status, &paused["phase"]), (200, &json!("paused")));
    let (status, again) = press("First train leaves in", "pause", "b").await;
    assert_eq!((status, &again["entry"]), (200, &paused["entry"]), "a second try is answered as the first");
    let (status, other) = press("Derailments", "add", "b").await;
    assert_eq!(status, 409);
    assert!(other["detail"].as_str().unwrap().contains("used for another press"), "{other}");
    assert_eq!(program.text(&program.widget("Derailments")).await, "0");
    ready(&program.base).await;
}
