//! What is said in chat: commands that are answered on a real server, notices, the list for viewers; and cues that play, say and
//! call.

use crate::kit::browser::Browser;
use crate::kit::called::Called;
use crate::kit::db::Database;
use crate::kit::irc::Ngircd;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use crate::kit::{PATIENCE, until};

use serde_json::Value;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpStream;
use tokio::time::timeout;

/// Somebody in the room, and what they have heard and not yet looked at.
struct Viewer {
    stream: TcpStream,
    heard: String,
}

impl Viewer {
    async fn of(server: &Ngircd, nick: &str) -> Self {
        Self { stream: server.somebody(nick).await, heard: String::new() }
    }

    async fn say(&mut self, text: &str) {
        self.stream.write_all(format!("PRIVMSG #saltmarsh :{text}\r\n").as_bytes()).await.unwrap();
    }

    /// The next line that the program says.
    async fn hears(&mut self) -> String {
        let mut buffer = [0; 4_096];
        loop {
            if let Some((line, rest)) = self.heard.split_once("\r\n") {
                let said = line.split_once("PRIVMSG #saltmarsh :").filter(|(who, _)| who.starts_with(":tally"));
                let said = said.map(|(_, text)| text.to_owned());
                self.heard = rest.to_owned();
                match said {
                    Some(said) => return said,
                    None => continue,
                }
            }
            let read = timeout(PATIENCE, self.stream.read(&mut buffer)).await.expect("something is said").unwrap();
            assert!(read > 0, "the chat server closed the line");
            self.heard += &String::from_utf8_lossy(&buffer[..read]);
        }
    }
}

/// The program with its demo, joined to a real chat.
async fn joined() -> (Database, Program, Owner, Ngircd) {
    let database = Database::new();
    let options = ["--demo", "--demo-days", "0", "--allow-private-addresses"];
    let program = Program::with(&database.url, &options);
    let owner = Owner::of(&program).await;
    let server = Ngircd::start().await;
    let port = server.plain.to_string();
    let wire = [
        ("kind", "chat"),
        ("name", "Chat room"),
        ("host", "127.0.0.1"),
        ("port", &port),
        ("nick", "tally"),
        ("room", "saltmarsh"),
    ];
    owner.done("/feeds", &wire).await;
    until("it has joined", || async { (!owner.page("/chat").await.contains("No chat is joined")).then_some(()) }).await;
    (database, program, owner, server)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_command_is_answered_on_a_real_server_and_rests() {
    let (_database, program, owner, server) = joined().await;
    let mut ferry = Viewer::of(&server, "ferry").await;
    ferry.say("!tea please").await;
    assert_eq!(ferry.hears().await, "ferry, that makes 0 cups so far.");
    // It rests: of the next two, the one that may be asked again at once is answered.
    owner.done("/chat/commands", &[("text", "!echo")]).await;
    let set = async |key: &str, text: &str| owner.done("/chat/commands/3/edit", &[("key", key), ("text", text)]).await;
    set("answer", "{{ name }} says {{ message }}").await;
    set("rest", "0").await;
    set("rest_each", "0").await;
    ferry.say("!tea once more").await;
    ferry.say("!echo /quit everything").await;
    assert_eq!(ferry.hears().await, "ferry says /quit everything");
    set("answer", "{{ message }}").await;
    ferry.say("!echo /quit everything").await;
    assert_eq!(ferry.hears().await, "› /quit everything", "what viewers say is no order to the server");
    let page = set("about", "Says it again").await;
    assert!(page.contains("answered 2"), "{page}");
    // What could not be said is refused, and nothing that was typed is lost.
    let refused = owner.post("/chat/commands/3/edit", &[("key", "answer"), ("text", "{{ 'Coffee'|widget }}")]).await;
    assert_eq!(refused.status(), 422);
    let refused = refused.text().await.unwrap();
    assert!(refused.contains("there is no widget called “Coffee”") && refused.contains("Coffee"), "{refused}");

    // The list for viewers: what commands say of themselves, and nothing else.
    owner.done("/chat/list", &[("open", "true")]).await;
    let chat = owner.page("/chat").await;
    let path = format!("/c/{}", chat.split("/c/").nth(1).unwrap().split('"').next().unwrap());
    let read = async || reqwest::get(format!("{}{path}", program.base)).await.unwrap();
    let list = read().await.text().await.unwrap();
    assert!(list.contains("!echo") && list.contains("Says it again") && !list.contains("odile"), "{list}");
    owner.done("/chat/list", &[("open", "false")]).await;
    assert_eq!(read().await.status(), 404, "whoever had the address finds nothing any more");
}

#[tokio::test(flavor = "multi_thread")]
async fn notices_are_said_in_turn_when_chat_is_lively() {
    let (_database, _program, owner, server) = joined().await;
    let mut ferry = Viewer::of(&server, "ferry").await;
    let set = async |key: &str, text: &str| {
        let answer = owner.post("/chat/notices/edit", &[("key", key), ("text", text)]).await;
        (answer.status().as_u16(), answer.text().await.unwrap())
    };
    let (status, page) = set("every", "0:05").await;
    assert!(status == 422 && page.contains("must be between 30 seconds and a day"), "{page}");
    for (key, text) in [("every", "0:30"), ("lines", "1"), ("order", "in_turn"), ("on_air", "any"), ("notices", "on")] {
        assert_eq!(set(key, text).await.0, 200);
    }
    let coming = owner.page("/chat/coming").await;
    assert!(coming.contains("waits for 1 more line of chat"), "{coming}");
    ferry.say("hello").await;
    assert_eq!(ferry.hears().await, "Say !motor to hear how far the turntable motor has come.");
    let coming = owner.page("/chat/coming").await;
    let first = coming.find("The first train").unwrap();
    assert!(first < coming.find("Enamel mugs").unwrap() && coming.contains("1 more line"), "{coming}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cue_says_plays_and_calls_and_what_fails_is_told() {
    let (_database, program, owner, server) = joined().await;
    let mut ferry = Viewer::of(&server, "ferry").await;
    let called = Called::listen().await;
    owner.done("/cues", &[]).await;
    let say = async |key: &str, text: &str| owner.done("/cues/4/edit", &[("key", key), ("text", text)]).await;
    let overlay = Browser::open().await;
    let page = owner.page("/overlays").await;
    let token = page.split("/o/").nth(1).unwrap().split('"').next().unwrap();
    overlay.go(&format!("{}/o/{token}", program.base)).await;
    overlay.shows(".overlay", "Turntable motor").await;
    // Every sound that comes along is made with one of these.
    overlay.run("window.played = 0; window.AudioContext = class { constructor() { window.played += 1; } };").await;

    say("when", "tip").await;
    say("name", "Thanks").await;
    say("do:add", "sound 1 bell").await;
    say("do:add", "say").await;
    say("do:1:line", "Thank you, {{ name }}! The motor: {{ 'Turntable motor'|widget }}").await;
    for (step, path) in [(2, "/fine"), (3, "/broken"), (4, "/elsewhere"), (5, "/never")] {
        say("do:add", "call").await;
        say(&format!("do:{step}:address"), &format!("{}{path}", called.base)).await;
    }
    say("do:add", &format!("press {} add 1 ", program.widget("Derailments")["id"])).await;
    say("on", "on").await;
    Sender::of(&program.demo()["feeds"][0]).deliver(&tip("5")).await;
    let said = ferry.hears().await;
    assert!(said.starts_with("Thank you, pinecone_ade! The motor: £") && said.ends_with(')'), "{said}");
    until("the sound was played", || async { (overlay.run("return window.played").await == 1).then_some(()) }).await;
    // One that never answers holds up what comes after it, but not for ever.
    program.shows(&program.widget("Derailments"), "1").await;
    let log = owner.page("/cues").await;
    for told in [
        "could not do step 4: it answered 500",
        "could not do step 5: it answered 302: give the address to which it redirects",
        "could not do step 6: no answer: it took too long",
    ] {
        assert!(log.contains(told), "{told}: {log}");
    }
    assert!(!log.contains("could not do step 3") && log.contains("whsec_"), "{log}");
    // Whoever is called can tell that it was us, and what set it off.
    let secret = log.split("<code>whsec_").nth(1).unwrap().split('<').next().unwrap();
    let calls = called.all();
    let fine = calls.iter().find(|call| call.path == "/fine").unwrap();
    let header = |name: &str| fine.header(name);
    let timestamp = header("webhook-timestamp").parse().unwrap();
    let own = tally_feeds::signature::sign(&format!("whsec_{secret}"), &header("webhook-id"), timestamp, &fine.body);
    assert_eq!(own, Some(header("webhook-signature")));
    let body: Value = serde_json::from_slice(&fine.body).unwrap();
    assert_eq!((body["type"].as_str(), body["data"]["supporter"].as_str()), (Some("cue.fired"), Some("pinecone_ade")));
    assert_eq!(calls.iter().filter(|call| call.path == "/elsewhere").count(), 1, "no redirect is followed");
    overlay.close().await;
}
