//! Feeds that fetch for themselves, against real servers and bad ones.

use crate::kit::db::Database;
use crate::kit::irc::Ngircd;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use crate::kit::until;
use serde_json::{Value, json};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpListener;

fn at_home() -> (Database, Program) {
    let database = Database::new();
    let options = ["--demo", "--demo-days", "0", "--allow-private-addresses"];
    let program = Program::with(&database.url, &options);
    (database, program)
}

/// The room shows a text, sooner or later.
async fn shows(owner: &Owner, path: &str, text: &str) -> String {
    until(&format!("{path} shows {text}"), || async {
        let page = owner.page(path).await;
        page.contains(text).then_some(page)
    })
    .await
}

#[tokio::test(flavor = "multi_thread")]
async fn chat_is_read_from_a_real_irc_server_plain_and_encrypted_and_comes_back_by_itself() {
    let (_database, program) = at_home();
    let owner = Owner::of(&program).await;
    let mut server = Ngircd::start().await;
    let (plain, tls) = (server.plain.to_string(), server.tls.to_string());
    let wire = |name, host, port, nick| {
        vec![("kind", "chat"), ("name", name), ("host", host), ("port", port), ("nick", nick), ("room", "saltmarsh")]
    };
    owner.done("/feeds", &wire("Plain", "127.0.0.1", &plain, "tally_p")).await;
    let mut encrypted = wire("Encrypted", "localhost", &tls, "tally_t");
    encrypted.extend([("tls", "yes"), ("certificate", &server.certificate)]);
    owner.done("/feeds", &encrypted).await;
    until("both have joined", || async {
        (owner.page("/feeds").await.matches("chat, connected").count() == 2).then_some(())
    })
    .await;
    let mut somebody = server.somebody("ferry").await;
    somebody.write_all("PRIVMSG #saltmarsh :mind the : po\u{202e}ints <b>żółw</b>\r\n".as_bytes()).await.unwrap();
    until("both have heard it", || async {
        let page = owner.page("/feeds").await;
        (page.matches("ferry: mind the : points &#60;b&#62;żółw&#60;/b&#62;").count() == 2).then_some(())
    })
    .await;

    // While wiring one can join and listen: who speaks is heard, and what would go wrong is said.
    let probing = wire("Tried", "127.0.0.1", &plain, "tally_q");
    let talk = async {
        let mut pace = tokio::time::interval(std::time::Duration::from_millis(200));
        loop {
            pace.tick().await;
            somebody.write_all(b"PRIVMSG #saltmarsh :still here\r\n").await.unwrap();
        }
    };
    let answer = tokio::select! {
        answer = owner.done("/feeds/probe", &probing) => answer,
        () = talk => unreachable!("it talks without end"),
    };
    assert!(answer.contains("<b>ferry</b> still here"), "{answer}");
    let nowhere = owner.done("/feeds/probe", &wire("Tried", "127.0.0.1", "1", "tally_q")).await;
    assert!(nowhere.contains("127.0.0.1:1 cannot be reached"), "{nowhere}");

    // Another certificate than the one that is trusted is no encrypted line at all.
    let mut other = wire("Deceived", "localhost", &tls, "tally_o");
    other.push(("tls", "yes"));
    owner.done("/feeds", &other).await;
    shows(&owner, "/feeds", "The line could not be encrypted").await;

    // The server goes away: that is said, in words, and it is tried again by itself.
    server.stop();
    shows(&owner, "/feeds", &format!("127.0.0.1:{plain} cannot be reached")).await;
    program.shows(&program.widget("Turntable motor"), "£212.50 of £350 (60%)").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_chat_server_that_talks_nonsense_harms_nothing_else() {
    let (_database, program) = at_home();
    let owner = Owner::of(&program).await;
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port().to_string();
    tokio::spawn(async move {
        while let Ok((mut stream, _)) = listener.accept().await {
            tokio::spawn(async move {
                let _ = stream.write_all(&[b'x'; 100 * 1024]).await;
                let mut buffer = [0; 1_024];
                while stream.read(&mut buffer).await.is_ok_and(|read| read > 0) {}
            });
        }
    });
    let fields =
        [("kind", "chat"), ("name", "Bad"), ("host", "127.0.0.1"), ("port", &port), ("nick", "t"), ("room", "#r")];
    owner.done("/feeds", &fields).await;
    let page = shows(&owner, "/feeds", "longer than IRC allows").await;
    assert!(page.contains("chat, failing") && page.contains("lamp-barred"));
    Sender::of(&program.demo()["feeds"][0]).deliver(&tip("7.50")).await;
    program.shows(&program.widget("Turntable motor"), "£220 of £350 (62%)").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn numbers_and_rates_are_fetched_and_what_fails_says_why_until_it_works_again() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let (owner, world) = (Owner::of(&program).await, program.tip_jar.clone().unwrap());
    shows(&owner, "/ledger?kind=gauge", "followers stands at 4,218").await;
    // A tip in euros is priced by the bank's table.
    shows(&owner, "/ledger?kind=rates", "reference rates of").await;
    let mut euros = tip("10");
    euros["data"]["currency"] = json!("EUR");
    let seq = Sender::of(&program.demo()["feeds"][0]).deliver(&euros).await["last_seq"].clone();
    let line = owner.page(&format!("/ledger/{seq}")).await;
    assert!(line.contains("€10 at 0.8") && line.contains("is £8."), "{line}");

    let client = reqwest::Client::new();
    let trouble = async |trouble: &str| {
        let request = client.post(format!("{world}/world/numbers")).body(format!("trouble={trouble}"));
        request.header("content-type", "application/x-www-form-urlencoded").send().await.unwrap();
    };
    // A wiring that asks often, so that the test need not wait long.
    let wire = |name: &'static str, url: String| {
        let fields =
            [("kind", "poll"), ("name", name), ("url", url.leak()), ("every", "2"), ("levels", "now /stats/viewers")];
        fields.to_vec()
    };
    owner.done("/feeds", &wire("Often", format!("{world}/numbers.json"))).await;
    shows(&owner, "/ledger?kind=gauge", "now stands at").await;
    for (what, said) in
        [("down", "It answered 503"), ("endless", "Its answer is larger than"), ("nonsense", "Its answer is not JSON")]
    {
        trouble(what).await;
        shows(&owner, "/feeds", said).await;
    }
    trouble("none").await;
    until("it flows again", || async { (!owner.page("/feeds").await.contains("lamp-barred")).then_some(()) }).await;
    owner.done("/feeds", &wire("Elsewhere", format!("{world}/nothing-here"))).await;
    shows(&owner, "/feeds", "It answered 404").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn each_reading_of_a_level_is_shown_and_a_few_of_them_are_recorded() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let read = |id: u32, value: i64| {
        let data = json!({"name": "queue", "value": value});
        json!({"specversion": "1.0", "id": format!("queue-{id}"), "source": "/q", "type": "tally.gauge", "data": data})
    };
    sender.deliver(&read(0, 500)).await;
    let goal = program.widget("Turntable motor");
    let bench = format!("/widgets/{}", goal["id"]);
    for (key, text) in [("measure", "level:queue"), ("start", "0")] {
        owner.done(&format!("{bench}/edit"), &[("key", key), ("text", text)]).await;
    }
    owner.done(&format!("{bench}/put-on-air"), &[]).await;
    let shows = async |program: &Program, value: i64| {
        let text = async || program.text(&goal).await.starts_with(&format!("{value} of ")).then_some(());
        until(&format!("the goal shows {value}"), text).await;
    };
    shows(&program, 500).await;
    // As many as a service sends in two minutes, far faster than a minute.
    for (id, value) in (1..).zip([510, 900, 20, 640, 612]) {
        assert_eq!(sender.deliver(&read(id, value)).await["accepted"], 1);
        shows(&program, value).await;
    }
    assert_eq!(sender.batch(&[read(7, 613), read(8, 614)]).await.status(), 200);
    shows(&program, 614).await;
    let lines = async |owner: &Owner| owner.page("/ledger?kind=gauge&find=queue").await;
    assert!(lines(&owner).await.contains("queue stands at 500"), "the first is recorded at once");
    assert!(!lines(&owner).await.contains("614"), "the others wait");
    program.stop();
    program.again();
    shows(&program, 614).await;
    let owner = Owner::of(&program).await;
    let page = lines(&owner).await;
    for part in ["queue: 4 readings, 20 to 900", "614"] {
        assert!(page.contains(part), "{part}: {page}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn feeds_reach_no_private_address_unless_the_operator_allows_it() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    for url in ["http://127.0.0.1:1/x", "http://[::1]/", "http://192.168.7.7/", "http://169.254.169.254/"] {
        let poll = [("kind", "poll"), ("name", "x"), ("url", url), ("every", "30"), ("levels", "a /a")];
        assert!(owner.refused("/feeds", &poll).await.contains("of this machine or its network"), "{url}");
        assert!(owner.refused("/feeds", &[("kind", "rates"), ("name", "x"), ("url", url)]).await.contains("network"));
    }
    // A name tells nothing beforehand; it is found out when it is asked.
    let named = [("kind", "rates"), ("name", "Named"), ("url", "http://localhost:1/")];
    owner.done("/feeds", &named).await;
    shows(&owner, "/feeds", "of this machine or its network").await;
    let chat = [("kind", "chat"), ("name", "c"), ("host", "localhost"), ("port", "1"), ("nick", "t"), ("room", "r")];
    owner.done("/feeds", &chat).await;
    until("both are refused", || async {
        (owner.page("/feeds").await.matches("which may not be reached").count() == 2).then_some(())
    })
    .await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_webhook_is_paused_readdressed_and_removed() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (owner, sender) = (Owner::of(&program).await, Sender::of(&program.demo()["feeds"][0]));
    let status = async |sender: &Sender| sender.send(&tip("1")).await.unwrap().status().as_u16();
    assert_eq!(status(&sender).await, 200);
    owner.done("/feeds/1/pause", &[]).await;
    let told = sender.send(&tip("1")).await.unwrap();
    assert_eq!((told.status().as_u16(), told.headers()["retry-after"].to_str().unwrap()), (429, "60"));
    assert!(owner.page("/feeds").await.contains("signed webhook, paused"));
    let bench = owner.page("/widgets/1").await;
    assert!(bench.contains("<b>Tip jar</b>&nbsp;paused") && bench.contains("Ready."), "the other feed flows: {bench}");
    owner.done("/feeds/2/pause", &[]).await;
    assert!(owner.page("/widgets/1").await.contains("what could bring more is paused"));
    owner.done("/feeds/1/pause", &[]).await;
    assert_eq!(status(&sender).await, 200);

    owner.done("/feeds/1/readdress", &[]).await;
    assert_eq!(status(&sender).await, 403, "the old address is void");
    let page = owner.page("/feeds").await;
    let url = page.split("id=\"url-1\" readonly value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let moved = Sender { url, ..sender };
    assert_eq!(status(&moved).await, 200);
    owner.done("/feeds/1/remove", &[]).await;
    assert_eq!(status(&moved).await, 403);
    assert!(owner.page("/ledger").await.contains("Tip jar"), "what came through it still tells from where");
    assert_eq!(program.text(&program.widget("Turntable motor")).await, "£215.50 of £350 (61%)");
}

#[tokio::test(flavor = "multi_thread")]
async fn gifts_can_stand_for_their_subscriptions() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (owner, sender) = (Owner::of(&program).await, Sender::of(&program.demo()["feeds"][1]));
    let gift = |id: &str| {
        let data = json!({"actor": {"name": "bram"}, "tier": 2, "count": 5});
        json!({"specversion": "1.0", "id": id, "source": "/test", "type": "tally.gift", "data": data})
    };
    let hands = program.widget("New platform hands");
    let before = program.text(&hands).await;
    sender.deliver(&gift("alone")).await;
    assert_eq!(program.text(&hands).await, before, "a gift alone is the giver's credit");
    owner.done("/shows/begin", &[]).await;
    owner.done("/feeds/2/gifts", &[]).await;
    let told: Value = sender.deliver(&gift("standing")).await;
    assert_eq!(told["accepted"], 6, "the gift and its five subscriptions");
    assert_eq!(sender.deliver(&gift("standing")).await["duplicates"], 6);
    assert_eq!(program.text(&hands).await, "10 of 40 (25%)");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_scripted_show_is_recorded_whole_outage_and_all() {
    use tally_feeds::script::{SHIPPED, Script, What};
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let (owner, world) = (Owner::of(&program).await, program.tip_jar.clone().unwrap());
    let (_, text) = SHIPPED.iter().find(|(name, _)| *name == "outage").unwrap();
    let moments = Script::read(text).unwrap().moments();
    let events = moments.iter().filter(|moment| matches!(moment.what, What::Event(..))).count();
    let form = reqwest::Client::new()
        .post(format!("{world}/world/script"))
        .header("content-type", "application/x-www-form-urlencoded")
        .body("script=outage&speed=600");
    form.send().await.unwrap().error_for_status().unwrap();
    until("every event has arrived once", || async {
        let lines = owner.page("/ledger/export.ndjson?feed=2").await;
        let played = lines.lines().filter(|line| line.contains("/stand-in/script")).count();
        assert!(played <= events, "{played} of {events}");
        (played == events).then_some(())
    })
    .await;
    let own = "title = 'x'\nseed = 1\nminutes = 0\nstretch = []";
    let form = url::form_urlencoded::Serializer::new(String::new())
        .extend_pairs([("script", ""), ("speed", "1"), ("own", own)])
        .finish();
    let refused = reqwest::Client::new()
        .post(format!("{world}/world/script"))
        .header("content-type", "application/x-www-form-urlencoded")
        .body(form);
    assert_eq!(refused.send().await.unwrap().text().await.unwrap(), "a script lasts from 1 to 2880 minutes");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_address_is_asked_while_wiring_and_a_wiring_can_be_edited() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let (owner, world) = (Owner::of(&program).await, program.tip_jar.clone().unwrap());
    let probe = async |kind: &str, path: &str| {
        owner.done("/feeds/probe", &[("kind", kind), ("url", &format!("{world}{path}"))]).await
    };
    // Numbers can be pressed, and all else can be read.
    let answer = probe("poll", "/numbers.json").await;
    assert!(answer.contains("data-pick=\"/stats/viewers\"") && answer.contains("data-name=\"viewers\""), "{answer}");
    assert!(probe("poll", "/nothing-here").await.contains("It answered 404"));
    assert!(probe("poll", "/rates.xml").await.contains("Its answer is not JSON"));
    assert!(probe("rates", "/rates.xml").await.contains("the newest"));
    let guarded = owner.done("/feeds/probe", &[("kind", "poll"), ("url", "file:///etc/passwd")]).await;
    assert!(guarded.contains("refusal"), "{guarded}");

    let poll = |name: &'static str, levels: &'static str| {
        [("name", name), ("url", format!("{world}/numbers.json").leak()), ("every", "2"), ("levels", levels)]
    };
    owner.done("/feeds", &[&[("kind", "poll")][..], &poll("Numbers two", "now /stats/viewers")].concat()).await;
    shows(&owner, "/ledger?kind=gauge", "now stands at").await;
    let page = owner.page("/feeds").await;
    let id = page.split("/feeds/").filter(|rest| rest.contains("value=\"Numbers two\"")).last().unwrap();
    let edit = format!("/feeds/{}/edit", id.split('/').next().unwrap());
    // Its kind stays, whatever is sent; what cannot work is refused, and the wiring stays as it was.
    assert!(owner.refused(&edit, &poll("Numbers two", "now")).await.contains("JSON Pointer"));
    owner.done(&edit, &[&[("kind", "chat")][..], &poll("Renamed", "crowd /stats/viewers")].concat()).await;
    shows(&owner, "/ledger?kind=gauge", "crowd stands at").await;
    let page = owner.page("/feeds").await;
    assert!(page.contains("Renamed") && !page.contains("Numbers two"), "{page}");
    assert_eq!(owner.post("/feeds/9999/edit", &poll("x", "y /z")).await.status(), 404);
    // A password is kept by an empty field and never sent back.
    let chat = [
        ("kind", "chat"),
        ("name", "Room"),
        ("host", "127.0.0.1"),
        ("port", "1"),
        ("nick", "tally"),
        ("room", "r"),
        ("password", "secret words"),
    ];
    owner.done("/feeds", &chat).await;
    assert!(!owner.page("/feeds").await.contains("secret words"));
}
