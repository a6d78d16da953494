//! What is sent to take the program down: files that unfold, calendars that nest, forms that never end, streams without number.
//! It is refused within bounds, and nobody else notices.

use super::{MOST_MEMORY, behind_a_proxy};
use crate::kit::db::Database;
use crate::kit::hostile::{Raw, hold_many, post};
use crate::kit::owner::Owner;
use crate::kit::page::Page;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use crate::kit::{PATIENCE, until};
use futures_util::StreamExt;
use std::io::Write;

fn zeros(many: usize) -> Vec<u8> {
    let mut packer = flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::best());
    packer.write_all(&vec![0; many]).unwrap();
    packer.finish().unwrap()
}

/// A WOFF 1 font of so many tables that all lie in the same packed bytes, each of which unfolds to so much.
fn folded(tables: u16, unfolded: usize) -> Vec<u8> {
    let packed = zeros(unfolded);
    let begins = 44 + u32::from(tables) * 20;
    let mut file = b"wOFF\0\x01\0\0".to_vec();
    file.extend((begins + u32::try_from(packed.len()).unwrap()).to_be_bytes());
    file.extend(tables.to_be_bytes());
    file.extend([0; 30]);
    for table in 0..tables {
        file.extend([b't', b'a', table.to_be_bytes()[0], table.to_be_bytes()[1]]);
        for number in [begins, u32::try_from(packed.len()).unwrap(), u32::try_from(unfolded).unwrap(), 0] {
            file.extend(number.to_be_bytes());
        }
    }
    file.extend(packed);
    file
}

fn calendar(events: &str) -> String {
    format!("BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//Saltmarsh Halt//EN\n{events}END:VCALENDAR\n").replace('\n', "\r\n")
}

#[tokio::test(flavor = "multi_thread")]
async fn files_that_unfold_are_refused_within_memory_and_say_what_they_are_not() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let svg = |inside: String| format!("<svg xmlns='http://www.w3.org/2000/svg'>{inside}").into_bytes();
    let mut wav = b"RIFF\x24\0\0\0WAVEfmt \x10\0\0\0\x01\0\x01\0".to_vec();
    wav.extend([0; 8]);
    wav.extend(b"\x02\0\x10\0data\x10\0\0\0");
    wav.extend([0; 16]);
    let files = [
        ("deep.svg", svg("<g><!-- </g> -->".repeat(10_000)), "no SVG drawing"),
        ("cdata.svg", svg("<g><![CDATA[</g>]]>".repeat(8_000)), "no SVG drawing"),
        ("wide.svg", svg("<g/>".repeat(1_900_000)), "no SVG drawing"),
        ("bomb.woff", folded(10, 60_000_000), "no font"),
        ("many.woff", folded(60_000, 100), "no font"),
        ("fake.png", b"nothing of the kind".to_vec(), "fake.png: this is no picture"),
        ("fake.wav", b"nothing of the kind".to_vec(), "fake.wav: this is no sound"),
        ("still.wav", wav, "still.wav: the file is broken off"),
    ];
    for (name, bytes, why) in files {
        let answer = owner.send(&format!("/files?name={name}"), "application/octet-stream", bytes).await;
        assert_eq!(answer.status(), 422, "{name}");
        let told = answer.text().await.unwrap();
        assert!(told.contains(why), "{name}: {told}");
    }
    // A field says what it wants.
    let widget = program.widget("Turntable motor")["id"].clone();
    let picture = include_bytes!("../files/face.png").to_vec();
    let sent = format!("/widgets/{widget}/clips?name=face.png");
    let told = owner.send(&sent, "application/octet-stream", picture).await.text().await.unwrap();
    assert!(told.contains("face.png: this is a picture, no sound and no video"), "{told}");
    assert!(program.most_memory() < MOST_MEMORY, "{} MiB", program.most_memory());
}

#[tokio::test(flavor = "multi_thread")]
async fn what_brought_the_program_down_is_not_read_again_until_somebody_asks() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let send = async |text: String| {
        let answer = owner.send("/channel/schedule/file?name=a.ics", "application/octet-stream", text).await;
        (answer.status().as_u16(), answer.text().await.unwrap())
    };
    let deep = "BEGIN:VEVENT\n".repeat(300) + &"END:VEVENT\n".repeat(300);
    let (status, told) = send(calendar(&deep)).await;
    assert!(status == 422 && told.contains("parts within parts"), "{status} {told}");
    let weekly = "BEGIN:VEVENT\nUID:a\nDTSTAMP:20261001T000000Z\nSUMMARY:Build night\nDTSTART:20260901T193000\nDURATION:PT3H\n\
        RRULE:FREQ=WEEKLY\nEND:VEVENT\n";
    assert_eq!(send(calendar(weekly)).await.0, 200);
    assert!(owner.page("/channel").await.contains("Build night"));
    // It ended while it read that, and twice while it loaded the channel.
    program.stop();
    let reading = program.folder.path().join("reading");
    assert_eq!(std::fs::read_dir(&reading).unwrap().count(), 0, "what was read is noted no more");
    for (name, times) in [("calendar-1", "1"), ("channel-1", "2")] {
        std::fs::write(reading.join(name), times).unwrap();
    }
    program.again();
    let goal = program.widget("Turntable motor")["page_url"].as_str().unwrap().to_owned();
    assert_eq!(reqwest::get(&goal).await.unwrap().status(), 503, "nothing loads it by itself");
    let owner = Owner::of(&program).await;
    assert_eq!(reqwest::get(&goal).await.unwrap().status(), 200, "its owner asks by signing in");
    // The plan goes on as it was; the calendar is read when it is chosen again.
    assert!(owner.page("/channel").await.contains("Build night"));
    let answer = owner.send("/channel/schedule/file?name=a.ics", "application/octet-stream", calendar(weekly)).await;
    assert_eq!(answer.status(), 200);
    assert_eq!(std::fs::read_dir(&reading).unwrap().count(), 0);
}

#[tokio::test(flavor = "multi_thread")]
async fn half_sent_forms_of_strangers_take_no_place_from_feeds_and_people() {
    hold_many();
    let database = Database::new();
    let program = behind_a_proxy(&database);
    let owner = Owner::of(&program).await;
    let door = Owner::at_the_door(&program.base).await;
    let mut held = Vec::new();
    for number in 0..256 {
        let head = post("/sign-in", &program.base, door.session(), 1_000, &format!("203.0.113.{}", number % 6));
        let mut raw = Raw::to(&program.base).unwrap();
        raw.write(&(head + "name=ha"));
        held.push(raw);
    }
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let counter = program.widget("Derailments");
    for round in 0..20 {
        sender.deliver(&tip("1")).await;
        let body = serde_json::json!({"action": "add", "value": null, "id": format!("press {round}")}).to_string();
        let pressed = owner.send(&format!("/widgets/{}/press", counter["id"]), "application/json", body).await;
        assert_eq!(pressed.status(), 200);
        // A large delivery comes in pieces.
        let many: Vec<serde_json::Value> = (0..900).map(|_| tip("0.01")).collect();
        assert_eq!(sender.batch(&many).await.status(), 200);
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_token_or_a_session_let_in_ends_with_it() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let made = owner.done("/account/tokens", &[("name", "deck")]).await;
    let token = made.split("readonly value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let follow = reqwest::Client::new().get(format!("{}/api/v1/stream", program.base));
    // The name of a scheme is the same in any case.
    let stream = follow.header("authorization", format!("bearer {token}")).send().await.unwrap();
    assert_eq!(stream.status(), 200);
    let mut lines = stream.bytes_stream();
    let told = String::from_utf8(lines.next().await.unwrap().unwrap().to_vec()).unwrap();
    assert!(told.starts_with("event: channel\n") && told.contains("\nid: "), "each event has an id: {told}");
    let page = owner.page("/account").await;
    let id = page.rsplit("/account/tokens/").next().unwrap().split('/').next().unwrap().to_owned();
    owner.done(&format!("/account/tokens/{id}/revoke"), &[]).await;
    let ended = tokio::time::timeout(PATIENCE, async { while let Some(Ok(_)) = lines.next().await {} });
    ended.await.expect("the stream has ended");

    // A room's connection ends when its session does.
    let mut room = owner.live(&program.base).await;
    room.next().await.unwrap();
    owner.post("/sign-out", &[]).await;
    until_gone(&mut room).await;
}

async fn until_gone(page: &mut Page) {
    while let Some(message) = page.next().await {
        if message["gone"] == true {
            return;
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn streams_have_their_places_and_pages_keep_theirs() {
    hold_many();
    let database = Database::new();
    let program = Program::start(&database.url);
    let goal = program.widget("Turntable motor");
    let mut page = Page::open(goal["page_url"].as_str().unwrap()).await;
    page.drawn("£212.50").await;
    let stream = goal["read_url"].as_str().unwrap().replace(".json", "/stream");
    let client = reqwest::Client::new();
    let mut open = Vec::new();
    let refused = loop {
        let answer = client.get(&stream).send().await.unwrap();
        if answer.status() != 200 {
            break answer;
        }
        open.push(answer);
        assert!(open.len() < 2_000);
    };
    assert_eq!((open.len(), refused.status().as_u16()), (100, 503));
    assert!(refused.headers().contains_key("retry-after"));
    assert!(refused.text().await.unwrap().contains("Too many streams are open: at most 100 from one address"));
    Sender::of(&program.demo()["feeds"][0]).deliver(&tip("12.50")).await;
    page.drawn("£225").await;
    drop(open);
    until("places are free again", || async {
        (client.get(&stream).send().await.unwrap().status() == 200).then_some(())
    })
    .await;
}
