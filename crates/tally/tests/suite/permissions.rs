//! Who gets through where: every address and live connection, tried as everybody, and held against
//! `docs/permissions.md`.

use crate::kit::PICTURE;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use diesel::connection::SimpleConnection;
use futures_util::StreamExt;
use reqwest::{Client, RequestBuilder, StatusCode};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use tokio::net::TcpStream;
use tokio_tungstenite::client_async;
use tokio_tungstenite::tungstenite::client::IntoClientRequest;
use tokio_tungstenite::tungstenite::{Error, Message};

const PAGE: &str = include_str!("../../../../docs/permissions.md");
const ROUTES: &str = include_str!("../../../web/src/routes.rs");
const API: &str = include_str!("../../../web/src/api/mod.rs");

/// Everybody, in the order of the page's columns; a column may have several.
const EVERYBODY: [&str; 9] =
    ["nobody", "another owner", "over", "elsewhere", "used up", "pass", "reads", "operates", "owner"];
/// What nobody but the owner may read in any answer, and a pass neither.
const PRIVATE: [&str; 7] = ["£", "Nell at the gate", "/w/", "/o/", "/in/", "whsec_", "Account"];

/// A line of the page: method, address, and what each column says.
struct Row {
    method: &'static str,
    path: String,
    cells: Vec<&'static str>,
}

fn rows() -> Vec<Row> {
    let lines = PAGE.lines().filter(|line| line.starts_with("| GET") || line.starts_with("| POST"));
    lines
        .map(|line| {
            let path = line.split('`').nth(1).unwrap().replace("\\|", "|");
            let cells: Vec<&str> = line.rsplit('`').next().unwrap().split('|').map(str::trim).collect();
            let cells = cells[1..=EVERYBODY.len()].to_vec();
            Row { method: if line.starts_with("| GET") { "GET" } else { "POST" }, path, cells }
        })
        .collect()
}

/// The addresses that the program serves.
fn routes() -> BTreeSet<String> {
    let mut all = BTreeSet::new();
    let (mut under, mut resource) = ("", "");
    for line in ROUTES.lines().map(str::trim) {
        let quoted = line.split('"').nth(1).unwrap_or_default();
        if line.starts_with("web::scope(") {
            under = quoted;
        } else if line.starts_with(".service(web::resource(") {
            resource = quoted;
            (under, _) = ("", ());
        }
        let method = ["get", "post"].into_iter().find(|method| line.contains(&format!("{method}().to(")));
        if let Some(method) = method {
            let path = if line.starts_with(".route(\"") { format!("{under}{quoted}") } else { resource.to_owned() };
            all.insert(format!("{} {path}", method.to_uppercase()));
        }
    }
    for resource in API.split("service(").flat_map(|rest| rest.split_once("resource(\"")).map(|(_, rest)| rest) {
        let path = resource.split('"').next().unwrap();
        for method in ["get", "post"].into_iter().filter(|method| resource.contains(&format!("{method}().to("))) {
            all.insert(format!("{} /api/v1{path}", method.to_uppercase()));
        }
    }
    all
}

#[test]
fn the_page_names_every_address_once() {
    let named: Vec<String> = rows().iter().map(|row| format!("{} {}", row.method, row.path)).collect();
    let once: BTreeSet<String> = named.iter().cloned().collect();
    assert_eq!(named.len(), once.len());
    assert!(once.len() > 100);
    assert_eq!(once, routes());
}

/// Somebody at the door: a browser with its session, or a program with its token.
#[derive(Clone, Default)]
struct Caller {
    cookie: String,
    csrf: String,
    bearer: Option<String>,
}

impl Caller {
    fn of(owner: &Owner) -> Self {
        let (cookie, csrf) = owner.session();
        Self { cookie: cookie.into(), csrf: csrf.into(), bearer: None }
    }

    fn program(token: &str) -> Self {
        Self { bearer: Some(token.to_owned()), ..Self::default() }
    }

    fn dressed(&self, request: RequestBuilder) -> RequestBuilder {
        let request = if self.cookie.is_empty() { request } else { request.header("cookie", &self.cookie) };
        let request = if self.csrf.is_empty() { request } else { request.header("x-csrf-token", &self.csrf) };
        self.bearer.iter().fold(request, |request, token| request.bearer_auth(token))
    }
}

/// What an answer means.
#[derive(Debug, PartialEq, Eq)]
enum Outcome {
    Through(String),
    Refused(String),
}

/// Asks for a live connection: through, if it shows anything.
async fn connect(base: &str, path: &str, caller: &Caller) -> Outcome {
    let mut request = format!("{}{path}", base.replace("http", "ws")).into_client_request().unwrap();
    for (name, value) in [("cookie", &caller.cookie), ("origin", &base.to_owned())] {
        if !value.is_empty() {
            request.headers_mut().insert(name, value.parse().unwrap());
        }
    }
    let stream = TcpStream::connect(base.trim_start_matches("http://")).await.unwrap();
    let mut socket = match client_async(request, stream).await {
        Ok((socket, _)) => socket,
        Err(Error::Http(answer)) => return Outcome::Refused(answer.status().to_string()),
        Err(error) => panic!("{path}: {error}"),
    };
    while let Some(Ok(Message::Text(text))) = socket.next().await {
        let message: Value = serde_json::from_str(&text).unwrap();
        if message["gone"] == true {
            break;
        }
        if message["parts"].is_object() {
            return Outcome::Through(text.to_string());
        }
    }
    Outcome::Refused("gone".into())
}

/// What comes back; of what goes on for ever, the first of it.
async fn read(mut answer: reqwest::Response) -> String {
    let goes_on = answer.headers().get("content-type").is_some_and(|kind| kind == "text/event-stream");
    let bytes = if goes_on { answer.chunk().await.unwrap().unwrap_or_default() } else { answer.bytes().await.unwrap() };
    String::from_utf8_lossy(&bytes).into_owned()
}

/// Asks for an address, with what its form would send.
async fn ask(base: &str, method: &str, path: &str, body: &Sent, caller: &Caller, number: usize) -> Outcome {
    if path.ends_with("/live") {
        return connect(base, path, caller).await;
    }
    let client = Client::builder().redirect(reqwest::redirect::Policy::none()).build().unwrap();
    let url = format!("{base}{path}");
    let request = match body {
        _ if method == "GET" => client.get(url),
        Sent::Form(fields) => {
            let form = url::form_urlencoded::Serializer::new(String::new()).extend_pairs(fields).finish();
            client.post(url).header("content-type", "application/x-www-form-urlencoded").body(form)
        }
        Sent::Json(value) => client.post(url).json(value),
        Sent::Bytes(bytes) => client.post(url).body(bytes.clone()),
        Sent::Event(sender) => sender.signed("application/cloudevents+json", tip("1.00").to_string(), 0),
    };
    // Everybody comes from an address of their own, so that nobody's guesses are another's.
    let request = request.header("x-forwarded-for", format!("203.0.{}.{}", number / 200, number % 200 + 1));
    let answer = caller.dressed(request).send().await.unwrap();
    let (status, to) = (answer.status(), answer.headers().get("location").cloned());
    let text = read(answer).await;
    let to_the_door = to.is_some_and(|to| to == "/sign-in");
    match status {
        StatusCode::UNAUTHORIZED | StatusCode::FORBIDDEN | StatusCode::NOT_FOUND => Outcome::Refused(text),
        StatusCode::SEE_OTHER if to_the_door => Outcome::Refused(text),
        StatusCode::UNPROCESSABLE_ENTITY if text.contains("There is no such") => Outcome::Refused(text),
        status => {
            assert!(status.as_u16() < 500 && status.as_u16() != 429, "{method} {path}: {status} {text}");
            Outcome::Through(text)
        }
    }
}

/// What is sent along.
enum Sent {
    Form(Vec<(&'static str, String)>),
    Json(Value),
    Bytes(Vec<u8>),
    Event(Sender),
}

fn form(fields: &[(&'static str, &str)]) -> Sent {
    Sent::Form(fields.iter().map(|(name, value)| (*name, (*value).to_owned())).collect())
}

/// A pass that its owner makes; its link.
async fn pass(owner: &Owner, name: &str, widget: &Value, more: &[(&str, &str)]) -> String {
    let id = widget["id"].to_string();
    owner.pass(name, &[&[("widget", id.as_str()), ("devices", "50")], more].concat()).await.0
}

/// Somebody who has opened a pass.
async fn holder(base: &str, link: &str) -> Owner {
    let mut holder = Owner::at(&format!("{base}/p/{link}")).await;
    let opened = holder.post(&format!("/p/{link}"), &[]).await;
    assert_eq!(opened.headers()["hx-redirect"], "/pass");
    holder.keep_cookie(&opened);
    holder
}

/// Everything that addresses and forms name, of one channel.
struct Things {
    board: u64,
    page: String,
    fields: BTreeMap<&'static str, String>,
}

impl Things {
    /// An address with its places filled.
    fn filled(&self, path: &str) -> String {
        let fixed = match path {
            "/w/{token}" | "/w/{token}/live" => path.replace("{token}", &self.page),
            "/o/{token}" | "/o/{token}/live" => path.replace("{token}", &self.fields["overlay page"]),
            "/c/{token}" => path.replace("{token}", &self.fields["list"]),
            "/files" => "/files?name=a.wav".into(),
            "/files/{token}/replace" => format!("/files/{}/replace?name=a.wav", self.fields["clip"]),
            "/looks/import" => "/looks/import?name=a.json".into(),
            "/read/{token}/stream" => path.replace("{token}", &self.page),
            "/read/{token:[A-Za-z0-9_-]+}.{form}" => format!("/read/{}.json", self.page),
            "/schemas/{name}" => "/schemas/tally.tip.json".into(),
            "/schemas/views/{name}" => "/schemas/views/goal.json".into(),
            "/assets/{build}/{name:.*}" => "/assets/any/app.css".into(),
            "/faces/{seal}/{address}" => "/faces/AAAAAAAAAAAAAAAAAAAAAA/aHR0cHM6Ly9hLmV4YW1wbGUvYS5wbmc".into(),
            "/polls.{form:csv|json}" => "/polls.csv".into(),
            "/helpers/qr.{form:svg|png}" => "/helpers/qr.svg".into(),
            "/ledger/export.{form}" => "/ledger/export.csv".into(),
            "/matches/{widget}/{line}.{form:csv|json|svg}" => {
                format!("/matches/{}/{}.csv", self.board, self.fields["match"])
            }
            "/feeds/{id}/sender" => format!("/feeds/{}/sender", self.fields["webhook"]),
            "/feeds/{id}/gifts" => format!("/feeds/{}/gifts", self.fields["signed feed"]),
            "/widgets/{id}/rehearse" => format!("/widgets/{}/rehearse", self.fields["goal"]),
            "/widgets/{id}/clips" => format!("/widgets/{}/clips?name=a.wav", self.board),
            "/polls/{widget}/chart.svg" => self.fields["chart"].clone(),
            "/widgets/{id}/{operation:put-on-air|discard|take-back}" => format!("/widgets/{}/take-back", self.board),
            path => path.to_owned(),
        };
        let own = |prefix: &str, name: &str| fixed.starts_with(prefix).then(|| self.fields[name].clone());
        let id = own("/feeds/", "feed").or(own("/account/", "api token")).or(own("/helpers/", "another pass"));
        let first = ["/looks/", "/cues/", "/chat/", "/api/v1/cues/", "/api/v1/overlays/"]
            .iter()
            .any(|room| fixed.starts_with(room));
        let id = id
            .or(own("/overlays/", "overlay"))
            .or(own("/rehearsal/overlays/", "overlay"))
            .or(first.then(|| "1".to_owned()));
        let widget = own("/polls/", "poll").unwrap_or_default();
        let token = own("/clips/", "clip").or(own("/imports/", "upload")).or(own("/in/", "feed token"));
        fixed
            .replace("{id}", &id.unwrap_or_else(|| self.board.to_string()))
            .replace("{widget}", &widget)
            .replace("{token}", &token.unwrap_or_default())
            .replace("{seq}", &self.fields[if fixed.starts_with("/shows/") { "show" } else { "line" }])
            .replace("{desk}", "1")
            .replace("{link}", &self.fields["link"])
            .replace("{commitment}", &self.fields["commitment"])
            .replace("{action}", "score")
    }

    /// What its form sends, so that nothing is refused for another reason than who sends it.
    fn sent(&self, path: &str, number: usize) -> Sent {
        let press = || Sent::Json(json!({"action": "score", "value": 1, "side": 1, "id": format!("press {number}")}));
        match path {
            "/in/{token}" => Sent::Event(Sender {
                client: Client::new(),
                url: self.fields["feed url"].clone(),
                secret: self.fields["feed secret"].clone(),
            }),
            "/api/v1/show" => Sent::Json(json!({"on_air": number.is_multiple_of(2)})),
            "/api/v1/cover" => Sent::Json(json!({"covered": number.is_multiple_of(2)})),
            "/api/v1/overlays/{id}/appear" => Sent::Json(json!({"pieces": [1], "shown": number.is_multiple_of(2)})),
            "/api/v1/entries" => Sent::Json(json!({"kind": "follow", "name": "ann"})),
            "/api/v1/entries/{seq}/correct" => Sent::Json(json!({"counts": false})),
            "/api/v1/widgets/{id}/actions/{action}" => Sent::Json(json!({"value": 1, "side": 1})),
            "/overlays" => form(&[("name", "Main"), ("size", "1920x1080")]),
            "/files" | "/files/{token}/replace" => Sent::Bytes(b"no clip".to_vec()),
            "/chat/commands" => form(&[("text", &format!("!word{number}"))]),
            "/chat/notices" => form(&[("text", "Mugs are in the shop")]),
            "/chat/commands/{id}/edit" => form(&[("key", "about"), ("text", "How it goes")]),
            "/chat/notices/edit" => form(&[("key", "lines"), ("text", "5")]),
            "/chat/list" => form(&[("open", "true")]),
            "/cues/{id}/edit" => form(&[("key", "on_air"), ("text", "on")]),
            "/looks" => form(&[("name", &format!("Look {number}")), ("from", "linen")]),
            "/looks/import" => Sent::Bytes(b"{}".to_vec()),
            "/looks/{id}/edit" => form(&[("key", "fill"), ("text", "#123456")]),
            "/looks/{id}/rename" => form(&[("name", "Harbour")]),
            "/looks/{id}/apply" | "/looks/{id}/back" => form(&[("on", &self.fields["overlay"])]),
            "/looks/{id}/same" => form(&[("widget", &self.board.to_string())]),
            "/overlays/{id}/edit" => Sent::Json(json!({"step": 1, "edit": {"remove": {"ids": []}}})),
            "/channel/air" => form(&[("ask_s", "60")]),
            "/channel/schedule" => form(&[("url", "")]),
            "/channel/schedule/file" => Sent::Bytes(b"BEGIN:NOTHING".to_vec()),
            "/rehearsals" => form(&[("script", "quiet"), ("speed", "1"), ("overlay", "1")]),
            "/rehearsals/stop" => form(&[("in_room", "true")]),
            "/overlays/{id}/appear" | "/rehearsal/overlays/{id}/appear" => {
                Sent::Json(json!({"pieces": [1], "shown": number.is_multiple_of(2), "id": format!("appear {number}")}))
            }
            "/desk/more" => form(&[("name", "Match night")]),
            "/desk/keys" => Sent::Json(json!({"code": "KeyT", "widget": self.board, "action": "undo"})),
            "/desk/cover" | "/rehearsal/desk/cover" => {
                Sent::Json(json!({"covered": true, "id": format!("cover {number}")}))
            }
            "/overlays/{id}/turn" | "/overlays/{id}/air" => Sent::Json(json!({"step": 1})),
            "/widgets/{id}/press" | "/rehearsal/widgets/{id}/press" | "/pass/{id}/press" => press(),
            "/widgets/{id}/clips" => Sent::Bytes(b"no clip".to_vec()),
            "/feeds/{id}/rules/file" => Sent::Bytes(self.fields["rules"].clone().into_bytes()),
            "/imports" => Sent::Bytes(b"type,name\nfollow,ann\n".to_vec()),
            "/feeds/{id}/rules/edit" => form(&[("do", "nothing"), ("what", "nothing")]),
            "/feeds/{id}/edit" => {
                form(&[("kind", "list"), ("name", "A list"), ("url", "https://a.example/"), ("every", "30")])
            }
            "/widgets/{id}/edit" | "/widgets/{id}/check" => form(&[("key", "title"), ("text", "Shunting derby")]),
            "/widgets/{id}/text-file" => form(&[("name", "")]),
            "/overlays/{id}/style" => form(&[("css", "")]),
            "/widgets/{id}/look" => form(&[("variant", "enamel plates")]),
            "/widgets/{id}/rehearse" => form(&[("act", "small_tip")]),
            "/shows/{seq}/trim" => form(&[("from", "2026-11-01T20:00"), ("to", "2026-11-01T21:00")]),
            "/ledger/{seq}/correct" => form(&[("what", "void")]),
            "/polls/{widget}/save" => form(&[("text", "Tea? / yes / no")]),
            "/widgets" => form(&[("family", "counter")]),
            "/feeds/probe" => form(&[("kind", "poll"), ("url", "https://a.example/")]),
            "/first-visit" => form(&[
                ("key", "guessed"),
                ("start", "tips-this-month"),
                ("title", "Motor"),
                ("channel", "Halt"),
                ("name", "odile"),
                ("password", "long enough for us"),
                ("zone", "Europe/London"),
                ("currency", "GBP"),
                ("day_start", "05:00"),
                ("week_start", "Mon"),
            ]),
            _ => Sent::Form(Vec::new()),
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn everybody_gets_exactly_what_the_page_says() {
    let database = Database::new();
    let program = Program::with(&database.url, &["--demo", "--demo-days", "0", "--trust-proxy", "127.0.0.1"]);
    let (base, demo) = (program.base.clone(), program.demo());
    let owner = Owner::of(&program).await;
    let (board, other) = (program.widget("Shunting derby"), program.widget("Cups of tea"));

    let hash = tally_web::passwords::hash("a password of mine".into()).await.unwrap();
    let mut conn = database.connect();
    conn.batch_execute(&format!(
        "INSERT INTO channels (id, name, zone, currency, day_start_minute, week_start, weights) SELECT 2, 'Elsewhere', \
         zone, currency, day_start_minute, week_start, weights FROM channels WHERE id = 1; \
         INSERT INTO users (channel_id, name, password_hash) VALUES (2, 'stranger', '{hash}')"
    ))
    .unwrap();
    let stranger = Owner::named(&base, "stranger", "a password of mine").await;

    // Passes of every kind. Nell's is the one that the others must never hear of.
    let _nell = pass(&owner, "Nell at the gate", &board, &[]).await;
    let revoked = holder(&base, &pass(&owner, "Revoked", &board, &[]).await).await;
    let ended = holder(&base, &pass(&owner, "Ended", &board, &[]).await).await;
    conn.batch_execute("UPDATE passes SET ends_us = 1 WHERE name = 'Ended'").unwrap();
    let list = owner.page("/helpers").await;
    let of = |name: &str| {
        let rest = list.split(&format!("<h3>{name}</h3>")).nth(1).unwrap();
        rest.split("/helpers/").nth(1).unwrap().split('/').next().unwrap().to_owned()
    };
    owner.done(&format!("/helpers/{}/revoke", of("Revoked")), &[]).await;
    let elsewhere = holder(&base, &pass(&owner, "Elsewhere", &other, &[]).await).await;
    let used_up = holder(&base, &pass(&owner, "Used up", &board, &[("uses", "1")]).await).await;
    let press = json!({"action": "score", "value": 1, "side": 1, "id": "the only one"});
    let pressed = used_up.send(&format!("/pass/{}/press", board["id"]), "application/json", press.to_string()).await;
    assert_eq!(pressed.status(), 200);
    let link = pass(&owner, "Bram", &board, &[]).await;
    let good = holder(&base, &link).await;

    let reads = owner.done("/account/tokens", &[("name", "Reader")]).await;
    let reads = reads.split("value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let operates = demo["api_token"].as_str().unwrap();
    let callers: BTreeMap<&str, Vec<Caller>> = BTreeMap::from([
        ("nobody", vec![Caller::of(&Owner::at_the_door(&base).await), Caller::default()]),
        ("another owner", vec![Caller::of(&stranger)]),
        ("over", vec![Caller::of(&revoked), Caller::of(&ended)]),
        ("elsewhere", vec![Caller::of(&elsewhere)]),
        ("used up", vec![Caller::of(&used_up)]),
        ("pass", vec![Caller::of(&good)]),
        ("reads", vec![Caller::program(&reads)]),
        ("operates", vec![Caller::program(operates)]),
        ("owner", vec![Caller::of(&owner)]),
    ]);

    let things = things(&owner, &program, &board, link, of("Nell at the gate")).await;
    let (mut number, mut wrong) = (0, Vec::new());
    for row in rows() {
        for (who, says) in EVERYBODY.into_iter().zip(&row.cells) {
            for caller in &callers[who] {
                // Nobody without even a session is stopped by the pages' token wherever something is changed.
                if caller.cookie.is_empty() && caller.bearer.is_none() && row.method == "POST" && *says == "yes" {
                    continue;
                }
                number += 1;
                let path = things.filled(&row.path);
                let outcome = ask(&base, row.method, &path, &things.sent(&row.path, number), caller, number).await;
                let (through, text) = match &outcome {
                    Outcome::Through(text) => (true, text),
                    Outcome::Refused(text) => (false, text),
                };
                if through != (*says != "–") {
                    let start: String = text.chars().take(160).collect();
                    wrong.push(format!("{} {path} as {who}: {says}, but through is {through}: {start}", row.method));
                }
                let private =
                    !["owner", "reads", "operates"].contains(&who) && !row.cells.iter().all(|one| *one == "yes");
                let told = PRIVATE.iter().find(|word| text.contains(**word) && who != "another owner");
                let of_the_channel = ["Shunting derby", &things.page, "Nell at the gate"];
                let stolen = of_the_channel.iter().find(|word| who == "another owner" && text.contains(**word));
                if let Some(word) = told.or(stolen).filter(|_| private) {
                    wrong.push(format!("{} {path} as {who} tells “{word}”", row.method));
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(number > 1_000, "{number}");
}

/// One of everything that an address names.
async fn things(owner: &Owner, program: &Program, board: &Value, link: String, nell: String) -> Things {
    let path = format!("/widgets/{}/clips?name=heron.png&side=1", board["id"]);
    assert!(owner.send(&path, "image/png", PICTURE).await.headers().contains_key("hx-redirect"));
    let clips = owner.page("/files").await;
    let clip = clips.split("href=\"/clips/").nth(1).unwrap().split('"').next().unwrap();
    let sent = owner.send("/imports?name=old.csv", "text/csv", "type,name\nfollow,ann\n").await;
    let upload = sent.headers()["hx-redirect"].to_str().unwrap().rsplit('/').next().unwrap().to_owned();
    let wire = async |fields: &[(&str, &str)]| {
        let wired = owner.post("/feeds", fields).await;
        let to = wired.headers()["hx-redirect"].to_str().unwrap().to_owned();
        to.split('/').nth(2).unwrap().to_owned()
    };
    let list = [("kind", "list"), ("name", "A list"), ("url", "https://a.example/"), ("every", "30")];
    let (feed, webhook) = (wire(&list).await, wire(&[("kind", "any_webhook"), ("name", "Odd tips")]).await);
    let rules = owner.page(&format!("/feeds/{feed}/rules.json")).await;
    let polls = owner.page("/polls").await;
    let chart = polls.split("/polls/").find(|rest| rest.contains("chart.svg?which=")).unwrap();
    let overlays = owner.page("/overlays").await;
    let overlay = overlays.split("/o/").nth(1).unwrap().split('"').next().unwrap();
    let shows = owner.page("/shows").await;
    let show = shows.split("/shows/").filter_map(|rest| rest.split('/').next()?.parse::<u64>().ok()).next().unwrap();
    let ledger = owner.page("/ledger?kind=tip").await;
    let line = ledger.split("/ledger/").filter_map(|rest| rest.split(['"', '?']).next()?.parse::<u64>().ok()).next();
    let matches = owner.page("/matches").await;
    let of_board = matches.split(&format!("/matches/{}/", board["id"])).nth(1).unwrap();
    let account = owner.page("/account").await;
    let token = account.rsplit("/account/tokens/").next().unwrap().split('/').next().unwrap().to_owned();
    owner.done("/chat/list", &[("open", "true")]).await;
    let chat = owner.page("/chat").await;
    let list = chat.split("/c/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let wheel = program.read(&program.widget("Forfeits")).await;
    let signed = &program.demo()["feeds"][0];
    let text = |value: &Value| value.as_str().unwrap().to_owned();
    let url = text(&signed["url"]);
    Things {
        board: board["id"].as_u64().unwrap(),
        page: text(&board["page_url"]).rsplit('/').next().unwrap().to_owned(),
        fields: BTreeMap::from([
            ("clip", clip.to_owned()),
            ("upload", upload),
            ("feed", feed),
            ("webhook", webhook),
            ("signed feed", "1".into()),
            ("rules", rules),
            ("chart", format!("/polls/{}", chart.split('"').next().unwrap())),
            ("goal", program.widget("Turntable motor")["id"].to_string()),
            ("feed token", url.rsplit('/').next().unwrap().to_owned()),
            ("feed url", url),
            ("feed secret", text(&signed["secret"])),
            ("show", show.to_string()),
            ("line", line.unwrap().to_string()),
            ("match", of_board.split('.').next().unwrap().to_owned()),
            ("api token", token),
            ("another pass", nell),
            ("overlay", "1".into()),
            ("overlay page", overlay.to_owned()),
            ("poll", program.widget("The platform decides")["id"].to_string()),
            ("commitment", text(&wheel["check"])),
            ("link", link),
            ("list", list),
        ]),
    }
}
