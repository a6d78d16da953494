//! Takes the pictures in `docs/screenshots/` from the demo. Asked for by `scripts/pictures` only.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use actix_web::{App, HttpResponse, HttpServer, web};
use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use serde_json::json;
use std::path::PathBuf;
use std::time::Duration;

async fn take(browser: &Browser, name: &str) {
    // Let what moves come to rest.
    tokio::time::sleep(Duration::from_millis(900)).await;
    let folder = PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/screenshots"));
    std::fs::create_dir_all(&folder).unwrap();
    std::fs::write(folder.join(format!("{name}.png")), browser.client.screenshot().await.unwrap()).unwrap();
}

/// What is seen now, as an address.
async fn seen(browser: &Browser) -> String {
    tokio::time::sleep(Duration::from_millis(900)).await;
    format!("data:image/png;base64,{}", BASE64_STANDARD.encode(browser.client.screenshot().await.unwrap()))
}

async fn act(program: &Program, widget: &str, action: &str, value: Option<i64>) {
    let (demo, widget) = (program.demo(), program.widget(widget));
    let url = format!("{}/api/v1/widgets/{}/actions/{action}", program.base, widget["id"]);
    let request = reqwest::Client::new().post(url).bearer_auth(demo["api_token"].as_str().unwrap());
    request.body(json!({"value": value}).to_string()).send().await.unwrap().error_for_status().unwrap();
}

/// Serves a page with pages on air laid over a busy picture, as broadcasting software would lay them: on one picture, or each
/// on one of its own.
fn scene(program: &Program, places: &[(String, [u32; 4])], each: bool) -> String {
    let picture = format!("background:url({}/assets/now/backdrops/busy.svg) center/cover", program.base);
    let own = if each { picture.as_str() } else { "" };
    let frames: String = places
        .iter()
        .map(|(page, [left, top, width, height])| {
            format!("<iframe src='{page}' style='position:absolute;border:0;left:{left}px;top:{top}px;width:{width}px;height:{height}px;{own}'></iframe>")
        })
        .collect();
    let behind = if each { "background:#f4efe4" } else { picture.as_str() };
    let page = format!("<body style='margin:0;overflow:hidden;{behind}'>{frames}");
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let at = listener.local_addr().unwrap();
    let server = HttpServer::new(move || {
        let page = page.clone();
        App::new().default_service(web::to(move || {
            let page = page.clone();
            async move { HttpResponse::Ok().content_type("text/html").body(page) }
        }))
    });
    tokio::spawn(server.workers(1).listen(listener).unwrap().run());
    format!("http://{at}/")
}

const FACE: &[u8] = include_bytes!("files/face.png");
const FILM: &[u8] = include_bytes!("files/pennant.webm");
const PENNANT: &[u8] =
    b"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 24 24'><path d='M6 3v18' stroke='#a83e26' \
    stroke-width='2'/><path d='M6 4l13 4-13 4' fill='#e2a62b'/></svg>";
/// What the audience decides, on one picture.
const ASKED: [(&str, [u32; 4]); 3] = [
    ("The platform decides", [24, 24, 560, 380]),
    ("Tea or coffee", [24, 600, 760, 130]),
    ("Forfeits", [800, 110, 460, 560]),
];

/// A poll that is voted in, and one that is over; a wheel in the midst of a turn.
async fn the_audience(browser: &Browser, program: &Program) {
    let poll = program.widget("The platform decides");
    act(program, "The platform decides", "open", Some(1)).await;
    crate::kit::until("the crowd has voted", || async {
        for viewer in 0..36 {
            let said = ["1", "green", "2", "1", "3", "black", "1", "2", "1"][viewer % 9];
            program.say(&format!("passenger_{viewer}"), "follower", said).await;
        }
        (program.read(&poll).await["votes"] == 36).then_some(())
    })
    .await;
    act(program, "Tea or coffee", "open", Some(1)).await;
    for (viewer, said) in [("ninepins", "1"), ("quietferry", "tea"), ("bram_ade", "2")] {
        program.say(viewer, "follower", said).await;
    }
    act(program, "Forfeits", "spin", None).await;
    browser.size(1280, 800).await;
    let places = ASKED.map(|(name, place)| (program.widget(name)["page_url"].as_str().unwrap().to_owned(), place));
    browser.go(&scene(program, &places, false)).await;
    take(browser, "polls-on-air").await;
    Owner::of(program).await.done("/shows/begin", &[]).await;
    browser.size(1280, 800).await;
    browser.go(&format!("{}/desk", program.base)).await;
    browser.live().await;
    take(browser, "desk").await;
    act(program, "The platform decides", "close", None).await;
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "writes docs/screenshots; run scripts/pictures"]
async fn take_all() {
    let database = Database::new();
    let world = ["--standins", "127.0.0.1:0", "--allow-private-addresses"];
    let program = Program::with(&database.url, &[&["--demo", "--demo-days", "60"], &world[..]].concat());
    let browser = Browser::open().await;
    act(&program, "Derailments", "set", Some(3)).await;
    act(&program, "Cups of tea", "add", None).await;
    act(&program, "Cups of tea", "add", None).await;
    act(&program, "First train leaves in", "start", None).await;
    let sender = Sender::of(&program.demo()["feeds"][0]);
    sender.deliver(&tip("12.50")).await;
    let refunded = sender.deliver(&tip("40")).await["last_seq"].as_u64().unwrap();

    browser.sign_in(&program.base, &program.demo()).await;
    // Both overlays, as the demo's streamer has them on air, and below that in a look of her own.
    let owner = Owner::of(&program).await;
    let list = owner.page("/overlays").await;
    let mut tokens = list.split("/o/").skip(1).map(|rest| rest.split('"').next().unwrap());
    let mut page = || format!("{}/o/{}", program.base, tokens.next().unwrap());
    let (wide, tall) = (page(), page());
    let both = |down: u32| [(wide.clone(), [20, down + 94, 864, 486]), (tall.clone(), [904, down + 20, 356, 633])];
    browser.size(1280, 673).await;
    browser.go(&scene(&program, &both(0), true)).await;
    let first = seen(&browser).await;
    for overlay in ["1", "2"] {
        owner.done("/looks/1/apply", &[("on", overlay)]).await;
    }
    browser.size(1280, 1346).await;
    let above = (first, [0, 0, 1280, 673]);
    browser.go(&scene(&program, &[&both(673)[..], &[above]].concat(), true)).await;
    take(&browser, "overlays-on-air").await;
    for overlay in ["1", "2"] {
        owner.done("/looks/1/back", &[("on", overlay)]).await;
    }
    browser.size(1280, 800).await;
    let rooms = [("/widgets", "shelf"), ("/feeds", "feeds")];
    for (room, name) in rooms {
        browser.go(&format!("{}{room}", program.base)).await;
        browser.live().await;
        take(&browser, name).await;
    }
    browser.go(&format!("{}/ledger", program.base)).await;
    browser.click(&format!("#line-{refunded} button")).await;
    browser.fill(&format!("#reason-{refunded}"), "refunded").await;
    browser.keys("\u{e007}").await;
    browser.shows(&format!("#line-{refunded} .ledger-voided"), "Voided").await;
    browser.click(&format!("#line-{refunded} [aria-expanded=true]")).await;
    browser.click(&format!("#line-{} button", refunded - 1)).await;
    take(&browser, "ledger").await;
    browser.go(&format!("{}/widgets/1", program.base)).await;
    browser.live().await;
    browser.click("[data-part=target] .part-shown").await;
    take(&browser, "bench").await;
    let id = |name: &str| program.widget(name)["id"].clone();
    let marathon = id("Thirty-hour build-through");
    browser.go(&format!("{}/widgets/{marathon}", program.base)).await;
    browser.live().await;
    browser.run("document.querySelector('.rates').scrollIntoView()").await;
    take(&browser, "subathon-bench").await;
    // Every look and shape on one sheet.
    browser.size(1280, 1090).await;
    browser.go(&format!("{}/widgets/{marathon}/looks?backdrop=busy", program.base)).await;
    take(&browser, "subathon-on-air").await;
    browser.size(1280, 1230).await;
    browser.go(&format!("{}/widgets/{}/looks?backdrop=busy", program.base, id("Shunting derby"))).await;
    take(&browser, "boards-on-air").await;
    browser.size(1280, 800).await;
    browser.go(&format!("{}/overlays/1", program.base)).await;
    browser.live().await;
    browser.click("[data-row=\"1\"] .layout-pick").await;
    browser.run("document.querySelector('.layout-bar').scrollIntoView({behavior: 'instant'})").await;
    take(&browser, "layout").await;
    browser.go(&format!("{}/looks/1?on=1", program.base)).await;
    browser.live().await;
    take(&browser, "looks").await;
    let owner = Owner::of(&program).await;
    for (name, bytes) in [("Ade.png", FACE), ("Pennant.svg", PENNANT), ("Falling pennants.webm", FILM)] {
        let path = format!("/files?name={}", name.replace(' ', "%20"));
        owner.send(&path, "application/octet-stream", bytes).await.error_for_status().unwrap();
    }
    // Notices on, so that those to come are seen.
    browser.go(&format!("{}/chat", program.base)).await;
    browser.click("#notices .kind-switch").await;
    browser.shows(".notices-coming", "Next").await;
    browser.run("document.querySelector('.command-word').closest('.cue').scrollIntoView()").await;
    take(&browser, "chat").await;
    // A cue tried on the past.
    browser.go(&format!("{}/cues", program.base)).await;
    browser.click("#cue-1 [hx-get$=past]").await;
    browser.shows("#cue-1 .cue-past", "would have").await;
    take(&browser, "cues").await;
    browser.go(&format!("{}/helpers", program.base)).await;
    browser.fill("#pass-name", "Bram").await;
    browser.click(&format!("input[name=widget][value=\"{}\"]", id("Shunting derby"))).await;
    browser.click(".helpers form .press-main").await;
    browser.shows_one(".pass-qr svg").await;
    // Who else may: helpers by a pass, programs by a token.
    let helpers = seen(&browser).await;
    browser.go(&format!("{}/account", program.base)).await;
    let account = seen(&browser).await;
    browser.size(1280, 1610).await;
    browser.go(&scene(&program, &[(helpers, [0, 0, 1280, 800]), (account, [0, 810, 1280, 800])], true)).await;
    take(&browser, "helpers").await;
    the_audience(&browser, &program).await;
    // On phones: the desk, the list before the show, and a scorekeeper's pad.
    browser.size(390, 844).await;
    browser.go(&format!("{}/desk", program.base)).await;
    browser.live().await;
    let desk = seen(&browser).await;
    browser.click(".before-air summary").await;
    browser.shows_one("#before-air li").await;
    browser.run("document.querySelector('.before-air').scrollIntoView()").await;
    let ready = seen(&browser).await;
    browser.go(&format!("{}/widgets/{}/score", program.base, id("Shunting derby"))).await;
    let pad = seen(&browser).await;
    browser.size(1210, 844).await;
    let phones = [(desk, [0, 0, 390, 844]), (ready, [410, 0, 390, 844]), (pad, [820, 0, 390, 844])];
    browser.go(&scene(&program, &phones, true)).await;
    take(&browser, "phones").await;
    browser.size(1280, 800).await;
    // A rehearsal, run from its desk.
    browser.go(&format!("{}/rehearsals", program.base)).await;
    browser.click("[name=script][value=raid]").await;
    browser.click("[name=speed][value=\"60\"]").await;
    browser.click(".rehearsal [name=overlay]").await;
    browser.click(".rehearsal > .press-main").await;
    browser.shows(".roll", "raid").await;
    take(&browser, "rehearsal").await;
    owner.done("/rehearsals/stop", &[]).await;

    let jar = program.tip_jar.clone().unwrap();
    browser.go(&format!("{}/feeds", program.base)).await;
    browser.click("#wire-any_webhook > summary").await;
    browser.fill("#any_webhook-name", "Ticket Office, by form").await;
    browser.click("#wire-any_webhook .press-main").await;
    browser.shows_one("#rules-url").await;
    let url = browser.run("return document.getElementById('rules-url').value").await;
    let service = async |path: &str, form: &str| {
        let request = reqwest::Client::new().post(format!("{jar}/services/{path}"));
        let request = request.header("content-type", "application/x-www-form-urlencoded").body(form.to_owned());
        request.send().await.unwrap().error_for_status().unwrap();
    };
    service("ticket-office/calls", &format!("url={}", url.as_str().unwrap())).await;
    for form in [
        "customer=bram&thing=tea+towel&pieces=1&paid=on+account",
        "customer=oatcake_jo&thing=enamel+mug&pieces=2&paid=%C2%A324.00",
    ] {
        service("ticket-office", form).await;
    }
    browser.shows(".rules-tree", "enamel mug").await;
    browser.click(".rules-tree-head button").await;
    browser.shows("#rules-trial", "1 would be a purchase; 1 is refused").await;
    browser.click(".blank[data-key=amount] > summary").await;
    take(&browser, "rules").await;
    let database = Database::new();
    let empty = Program::with(&database.url, &[]);
    browser.go(empty.first_visit.as_deref().unwrap()).await;
    take(&browser, "first-visit").await;
    browser.close().await;
}
