//! Services with shapes of their own, from the first message to a counted event: over HTTP, and hostile ones.

use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::until;
use actix_web::web::{self, Payload};
use actix_web::{App, HttpRequest, HttpResponse, HttpServer};
use actix_ws::Message;
use futures_util::StreamExt;
use serde_json::{Value, json};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;

/// A feed that was wired in the Feeds room.
struct Wired {
    owner: Arc<Owner>,
    id: String,
}

impl Wired {
    async fn new(owner: Arc<Owner>, fields: &[(&str, &str)]) -> Self {
        let answer = owner.post("/feeds", fields).await;
        let status = answer.status();
        let to = answer.headers().get("hx-redirect").map(|to| to.to_str().unwrap().to_owned());
        let to = match to {
            Some(to) => to,
            None => panic!("{status}: {}", answer.text().await.unwrap()),
        };
        Self { owner, id: to.split('/').nth(2).unwrap().to_owned() }
    }

    fn path(&self, rest: &str) -> String {
        format!("/feeds/{}/{rest}", self.id)
    }

    async fn rules(&self) -> String {
        words(&self.owner.page(&self.path("rules")).await)
    }

    /// Does something to its rules, and gives what the room says then.
    async fn does(&self, what: &str, fields: &[(&str, &str)]) -> String {
        words(&self.owner.done(&self.path(&format!("rules/{what}")), fields).await)
    }

    /// The address of a webhook.
    async fn address(&self) -> String {
        let page = self.owner.page("/feeds").await;
        let own = page.split(&format!("id=\"url-{}\"", self.id)).nth(1).unwrap();
        own.split("value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned()
    }

    /// Waits until the Feeds room says something.
    async fn says(&self, expected: &str) {
        until(&format!("the room says {expected}"), || async {
            words(&self.owner.page("/feeds").await).contains(expected).then_some(())
        })
        .await;
    }

    async fn lines(&self) -> usize {
        let found = self.owner.page(&format!("/ledger?feed={}", self.id)).await;
        found.matches("class=\"ledger-line").count()
    }
}

/// A page's text, without tags and with single spaces.
fn words(page: &str) -> String {
    let text: String =
        page.split('<').map(|part| part.split_once('>').map_or(part, |(_, text)| text)).collect::<Vec<_>>().join(" ");
    let text = text.replace("&#39;", "'").replace("&#34;", "\"").replace("&lt;", "<").replace("&amp;", "&");
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

async fn sends(url: &str, headers: &[(&str, &str)], body: impl Into<reqwest::Body>) -> (u16, String) {
    let request =
        headers.iter().fold(reqwest::Client::new().post(url), |request, (name, value)| request.header(*name, *value));
    let answer = request.body(body).send().await.unwrap();
    (answer.status().as_u16(), answer.text().await.unwrap())
}

fn payment(reference: &str, pennies: i64) -> String {
    json!({"kind": "payment", "ref": reference, "who": {"nick": "quietferry"}, "pence": pennies, "cur": "GBP"})
        .to_string()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_service_is_wired_by_showing_it_one_message() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let wired = Wired::new(Arc::new(Owner::of(&program).await), &[("kind", "any_webhook"), ("name", "Odd tips")]).await;
    let url = wired.address().await;
    let json = [("content-type", "application/json")];

    // It listens, and nothing counts.
    assert!(wired.rules().await.contains("Waiting for the first message"));
    assert_eq!(sends(&url, &json, payment("a", 500)).await, (200, "ok".into()));
    let page = wired.rules().await;
    assert!(page.contains("Nothing counts yet") && page.contains("quietferry"), "{page}");
    assert_eq!(wired.lines().await, 0);

    // The first rule is a guess, which says what would be, and counts once it is switched on.
    let page = wired.does("edit", &[("part", "new")]).await;
    assert!(page.contains("a guess: check it") && page.contains("1 would be a tip."), "{page}");
    let page = wired.does("use", &[]).await;
    assert!(page.contains("What its rules fit counts") && page.contains("Also count this one"), "{page}");
    let goal = program.widget("Turntable motor");
    program.shows(&goal, "£212.50 of £350 (60%)").await;
    sends(&url, &json, payment("b", 1_000)).await;
    program.shows(&goal, "£222.50 of £350 (63%)").await;
    sends(&url, &json, payment("b", 1_000)).await;
    wired.does("count", &[]).await;
    program.shows(&goal, "£227.50 of £350 (65%)").await;
    assert_eq!(wired.lines().await, 2, "each once");

    // What no rule fits waits for one that is made later, and counts then, once.
    let gift = json!({"kind": "boarding", "ref": "c", "who": {"nick": "bram"}}).to_string();
    for _ in 0..2 {
        sends(&url, &json, gift.clone()).await;
    }
    assert!(wired.rules().await.contains("2 match no rule."));
    assert_eq!(wired.lines().await, 2);
    wired.does("edit", &[("part", "new")]).await;
    wired.does("edit", &[("rule", "1"), ("part", "event"), ("key", "follow")]).await;
    wired.does("edit", &[("rule", "1"), ("part", "field"), ("key", "name"), ("pointer", "/body/who/nick")]).await;
    let page = wired.does("edit", &[("rule", "1"), ("part", "field"), ("key", "id"), ("pointer", "/body/ref")]).await;
    assert!(page.contains("2 would be follows") && page.contains("not in force yet"), "{page}");
    let page = wired.does("use", &[]).await;
    assert!(page.contains("Also count these 2"), "{page}");
    let page = wired.does("count", &[]).await;
    assert!(page.contains("No message waits"), "what fits is kept no longer: {page}");
    assert_eq!(wired.lines().await, 3, "two that are the same are one");

    // Its rules go out and come in as a file.
    let file = wired.owner.page(&wired.path("rules.json")).await;
    assert!(!file.contains(url.rsplit('/').next().unwrap()), "no address in it");
    let other = Wired::new(Arc::clone(&wired.owner), &[("kind", "any_webhook"), ("name", "Same again")]).await;
    let taken = other.owner.send(&other.path("rules/file"), "application/octet-stream", file.clone()).await;
    assert_eq!(taken.headers()["hx-redirect"], other.path("rules").as_str());
    assert_eq!(other.owner.page(&other.path("rules.json")).await, file);
    let schema = reqwest::get(format!("{}/schemas/feed-rules.json", program.base)).await.unwrap();
    assert_eq!(schema.json::<Value>().await.unwrap()["$id"], "/schemas/feed-rules.json");
    let refused = other.owner.send(&other.path("rules/file"), "application/octet-stream", "{}").await;
    assert_eq!(refused.status(), 422);
    assert!(refused.text().await.unwrap().contains("no file of feed rules"));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_webhook_cannot_take_is_told_and_changes_nothing() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let wired = Wired::new(Arc::new(Owner::of(&program).await), &[("kind", "any_webhook"), ("name", "Hard")]).await;
    let url = wired.address().await;
    let token = [
        ("kind", "token"),
        ("place", "header"),
        ("name", "X-Key"),
        ("secret", "hunter2"),
        ("status", "202"),
        ("answer", "{\"taken\": true}"),
        ("challenge", "hub_check"),
    ];
    wired.owner.done(&wired.path("sender"), &token).await;
    let good = [("content-type", "application/json"), ("x-key", "hunter2")];
    assert_eq!(sends(&url, &good, payment("a", 1)).await, (202, "{\"taken\": true}".into()));
    assert_eq!(sends(&url, &good[..1], payment("a", 1)).await.0, 401);
    wired.says("expected is the header “X-Key”").await;
    assert_eq!(sends(&url, &[("x-key", "hunter3")], payment("a", 1)).await.0, 401);
    wired.says("is another one than this feed's").await;
    assert!(!wired.owner.page("/feeds").await.contains("hunter2"), "a secret is never shown");
    // Whether we are there is asked with a value to echo.
    let asked = reqwest::Client::new().get(format!("{url}?hub_check=a%20b%3Cc")).header("x-key", "hunter2");
    let echo = asked.send().await.unwrap();
    assert!(echo.headers()["content-type"].to_str().unwrap().starts_with("text/plain"));
    assert_eq!(echo.text().await.unwrap(), "a b<c");

    let deep = format!("{}1{}", "[".repeat(200), "]".repeat(200));
    for (body, status, said) in [
        (vec![b' '; 10_000_000], 413, ""),
        (deep.into_bytes(), 400, "more than 128 deep"),
        (format!("{{\"n\": {}}}", "9".repeat(400)).into_bytes(), 400, "number out of range"),
        (br#"{"a": "\ud800"}"#.to_vec(), 400, "not JSON"),
        (vec![0xff, 0xfe], 400, "not UTF-8"),
    ] {
        assert_eq!(sends(&url, &good, body).await.0, status);
        if !said.is_empty() {
            wired.says(said).await;
        }
    }
    let twice = r#"{"kind": "payment", "kind": "payment", "ref": "d", "who": {"nick": "x"}, "pence": 1, "cur": "GBP"}"#;
    assert_eq!(sends(&url, &good, twice).await.0, 202);
    // A rule that matches everything, and one that is refused: nothing is lost, and it is said what is wrong.
    wired.does("edit", &[("part", "new")]).await;
    wired.does("edit", &[("part", "field"), ("key", "amount"), ("pointer", "/body/nothing")]).await;
    wired.does("edit", &[("part", "when"), ("place", "0"), ("reading", "remove")]).await;
    let page = wired.does("use", &[]).await;
    assert!(page.contains("The amount is missing"), "{page}");
    assert_eq!(sends(&url, &good, payment("e", 100)).await.0, 202);
    wired.says("The amount is missing").await;
    assert_eq!(wired.lines().await, 0);
    let why = wired
        .owner
        .post(
            &wired.path("rules/edit"),
            &[("part", "when"), ("pointer", "/body"), ("reading", "matches"), ("text", "(")],
        )
        .await;
    assert_eq!((why.status().as_u16(), why.headers()["hx-retarget"].to_str().unwrap()), (422, "#refusal"));
    // Form posts are read as well, and a paused feed asks to be tried later.
    let form = [("content-type", "application/x-www-form-urlencoded"), ("x-key", "hunter2")];
    assert_eq!(sends(&url, &form, "kind=sale&who=bram&sum=%C2%A35").await.0, 202);
    assert!(wired.rules().await.contains("£5"));
    wired.owner.done(&wired.path("pause"), &[]).await;
    assert_eq!(sends(&url, &good, payment("f", 100)).await.0, 429);
    // A clock that is an hour ahead is told, and what it tells counts.
    wired.owner.done(&wired.path("pause"), &[]).await;
    let rules = json!({"version": 1, "rules": [{"event": "tip", "fields": {
        "amount": {"at": "/body/pence", "as": "hundredths"}, "currency": {"always": "GBP"},
        "time": {"at": "/body/at", "as": "seconds"},
    }}]});
    let file = wired.owner.send(&wired.path("rules/file"), "application/octet-stream", rules.to_string()).await;
    assert!(file.status().is_success(), "{}", file.text().await.unwrap());
    wired.does("use", &[]).await;
    let ahead = json!({"kind": "payment", "pence": 100, "at": chrono::Utc::now().timestamp() + 3_600}).to_string();
    assert_eq!(sends(&url, &good, ahead).await.0, 202);
    wired.says("Its times lie").await;
    assert_eq!(wired.lines().await, 1);
    // Nobody else sees what came in.
    let stranger = Owner::at_the_door(&program.base).await;
    assert_ne!(stranger.get(&wired.path("rules")).await.status(), 200);
}

/// A server of hostile streams and lists, and the port at which it listens.
fn outside() -> u16 {
    static ASKED: AtomicUsize = AtomicUsize::new(0);
    async fn socket(
        request: HttpRequest,
        payload: Payload,
        how: web::Path<String>,
    ) -> Result<HttpResponse, actix_web::Error> {
        let (answer, mut session, mut messages) = actix_ws::handle(&request, payload)?;
        actix_web::rt::spawn(async move {
            match how.as_str() {
                "binary" => drop(session.binary(vec![0_u8, 159, 146, 150]).await),
                "long" => drop(session.text("x".repeat(2 * 1024 * 1024)).await),
                "asks" => {
                    // Whoever says nothing first, or the wrong thing, is told nothing.
                    if let Some(Ok(Message::Text(text))) = messages.next().await
                        && text == "let me in"
                    {
                        for number in 0..3 {
                            let note = json!({"no": number, "rider": "bram", "seen": request.headers().get("x-pass").is_some()});
                            drop(session.text(note.to_string()).await);
                        }
                    }
                }
                _ => {
                    drop(session.close(None).await);
                    return;
                }
            }
            while messages.next().await.is_some_and(|message| message.is_ok()) {}
        });
        Ok(answer)
    }
    async fn events(request: HttpRequest) -> HttpResponse {
        // Three events a connection, going on after the one that was heard last.
        let from: usize =
            request.headers().get("last-event-id").map_or(0, |id| id.to_str().unwrap().parse::<usize>().unwrap() + 1);
        let text: String =
            (from..from + 3).map(|n| format!("id: {n}\nevent: board\ndata: {{\"rider\": \"r{n}\"}}\n\n")).collect();
        HttpResponse::Ok().content_type("text/event-stream").body(text)
    }
    async fn list(how: web::Path<String>) -> HttpResponse {
        let asked = ASKED.fetch_add(1, Ordering::SeqCst);
        let item = |n: usize| json!({"order": n, "who": "jo"});
        match how.as_str() {
            "turning" => {
                let mut items: Vec<Value> = [0, 1, 2, 1].map(item).to_vec();
                items.rotate_left(asked % 4);
                HttpResponse::Ok().json(items)
            }
            "endless" => HttpResponse::Ok().json(json!({"list": [item(1)], "next": format!("/list/endless?{asked}")})),
            "elsewhere" => HttpResponse::Ok().json(json!({"list": [item(1)], "next": "http://127.0.0.2:1/"})),
            "moved" => HttpResponse::Found().insert_header(("location", "/list/turning")).finish(),
            _ => HttpResponse::Ok().json(json!({"list": {"no": "list"}})),
        }
    }
    let server = HttpServer::new(|| {
        App::new()
            .route("/socket/{how}", web::get().to(socket))
            .route("/events", web::get().to(events))
            .route("/list/{how}", web::get().to(list))
    });
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let port = listener.local_addr().unwrap().port();
    tokio::spawn(server.workers(1).listen(listener).unwrap().run());
    port
}

#[tokio::test(flavor = "multi_thread")]
async fn streams_and_lists_are_read_and_hostile_ones_are_told() {
    let database = Database::new();
    let program = Program::with(&database.url, &["--demo", "--demo-days", "0", "--allow-private-addresses"]);
    let port = outside();
    let owner = Arc::new(Owner::of(&program).await);
    let wire = async |kind: &str, name: &str, address: &str, more: &[(&str, &str)]| {
        let url = format!("{}://127.0.0.1:{port}/{address}", if address.starts_with("socket") { "ws" } else { "http" });
        let fields = [&[("kind", kind), ("name", name), ("url", url.as_str()), ("every", "2")], more].concat();
        Wired::new(Arc::clone(&owner), &fields).await
    };
    // A list that turns round and repeats itself: each item once, in whatever order.
    let turning = wire("list", "Turning", "list/turning", &[]).await;
    until("the list was read", || async { turning.rules().await.contains("3 match no rule").then_some(()) }).await;
    turning.does("edit", &[("part", "new")]).await;
    turning.does("edit", &[("part", "event"), ("key", "follow")]).await;
    turning.does("edit", &[("part", "field"), ("key", "name"), ("pointer", "/body/who")]).await;
    turning.does("edit", &[("part", "field"), ("key", "id"), ("pointer", "/body/order")]).await;
    turning.does("use", &[]).await;
    until("three orders count", || async { (turning.lines().await == 3).then_some(()) }).await;

    for (kind, name, address, more, said) in [
        ("stream", "Closing", "socket/closing", &[][..], "closed"),
        ("stream", "Binary", "socket/binary", &[], "could not be read: It is not UTF-8"),
        ("stream", "Long", "socket/long", &[], "longer than 1024 KiB"),
        ("stream", "Not one", "socket-less", &[], "It answered 404"),
        ("list", "No list", "list/none", &[("items", "/list")], "There is no list at /list"),
        ("list", "Endless", "list/endless", &[("items", "/list"), ("next", "/next")], "Its pages do not end"),
        ("list", "Elsewhere", "list/elsewhere", &[("items", "/list"), ("next", "/next")], "not on the same host"),
        ("list", "Moved", "list/moved", &[], "It answered 302"),
    ] {
        let wired = wire(kind, name, address, more).await;
        wired.says(said).await;
        wired.owner.done(&wired.path("remove"), &[]).await;
    }
    // One that asks for a first message and a header.
    let asks = wire("stream", "Asks", "socket/asks", &[("first", "let me in"), ("headers", "X-Pass: hunter2")]).await;
    until("it was let in", || async { asks.rules().await.contains("3 match no rule").then_some(()) }).await;
    assert!(asks.rules().await.contains("seen true"), "the header was sent along");
    assert!(!asks.owner.page("/feeds").await.contains("hunter2"), "a header's value is not shown");
    // Server-sent events go on where they broke off.
    let events = wire("stream", "Events", "events", &[]).await;
    until("a second connection went on", || async { events.rules().await.contains("r5").then_some(()) }).await;
    assert!(turning.lines().await == 3, "nothing of it stops another feed");
}

#[tokio::test(flavor = "multi_thread")]
async fn addresses_inside_the_house_are_refused_for_streams_and_lists() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    for (kind, url) in
        [("stream", "ws://127.0.0.1:1/"), ("stream", "http://10.0.0.1/"), ("list", "http://192.168.0.1/")]
    {
        let fields = [("kind", kind), ("name", "x"), ("url", url), ("every", "2")];
        assert!(owner.refused("/feeds", &fields).await.contains("this machine or its network"), "{url}");
    }
    let named = [("kind", "stream"), ("name", "Home"), ("url", "ws://localhost:1/"), ("every", "2")];
    let wired = Wired::new(Arc::new(owner), &named).await;
    wired.says("Localhost is an address of this machine").await;
    tokio::time::timeout(Duration::from_secs(5), wired.rules()).await.expect("its room opens all the same");
}
