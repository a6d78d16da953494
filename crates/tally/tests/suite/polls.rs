//! Polls from the chat to the picture: opened by a helper, voted by many, over a restart; a duel; one that the platform
//! holds; and what the record knows of the voters.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::until;
use diesel::dsl::max;
use diesel::prelude::*;
use serde_json::{Value, json};
use tally_core::record::acts::{Act, PollAct};
use tally_core::record::entry::{BY_ITSELF, Body, Draft, Origin};
use tally_core::record::ids::{ChannelId, WidgetId};
use tally_core::time::Instant;
use tally_store::rows::EntryRow;
use tally_store::schema::entries;

const POLL: &str = "The platform decides";
const DUEL: &str = "Tea or coffee";

/// The chat may take a while to connect.
async fn chat_is_heard(program: &Program, owner: &Owner) {
    until("the chat is heard", || async {
        program.say("semaphore_sue", "follower", "is anybody there").await;
        owner.page("/feeds").await.contains("is anybody there").then_some(())
    })
    .await;
}

async fn votes(program: &Program, widget: &Value, many: u64) {
    until(&format!("{many} votes are counted"), || async {
        (program.read(widget).await["votes"] == many).then_some(())
    })
    .await;
}

/// As after a database that answered too late: the line stands there, and the task does not know it.
#[tokio::test(flavor = "multi_thread")]
async fn a_poll_that_was_closed_by_itself_and_committed_late_is_closed_once() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (owner, poll) = (Owner::of(&program).await, program.widget(DUEL));
    let id = u32::try_from(poll["id"].as_u64().unwrap()).unwrap();
    owner.done(&format!("/widgets/{id}/edit"), &[("key", "length"), ("text", "0:05")]).await;
    owner.done(&format!("/widgets/{id}/put-on-air"), &[]).await;
    program.act(&poll, "open", json!({"value": 1})).await;
    let closes: Instant = program.read(&poll).await["closes_at"].as_str().unwrap().parse().unwrap();
    let mut conn = database.connect();
    let last: u64 = entries::table.select(max(entries::seq)).first::<Option<u64>>(&mut conn).unwrap().unwrap();
    let origin = Origin { source: BY_ITSELF.into(), id: format!("{}:{}", closes.timestamp_micros(), last + 1) };
    let act = Act::Poll(PollAct::Close);
    let body = Body::Act { widget: WidgetId(id), by: "the clock".into(), act };
    let draft = Draft { origin, feed: None, happened_at: closes, arrived_at: closes, body };
    let row = EntryRow { seq: last + 1, ..EntryRow::of(ChannelId(1), &draft).unwrap() };
    diesel::insert_into(entries::table).values(row).execute(&mut conn).unwrap();
    until("it is closed", || async { (program.read(&poll).await["phase"] == "closed").then_some(()) }).await;
    // What comes after it has its turn.
    program.act(&program.widget("Derailments"), "add", json!({"value": 1})).await;
    let closings = entries::table.filter(entries::happened_us.eq(closes.timestamp_micros()));
    assert_eq!(closings.count().get_result::<i64>(&mut conn).unwrap(), 1);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_helper_opens_a_poll_and_fifty_chatters_vote_over_a_restart() {
    let database = Database::new();
    let mut program = Program::in_its_world(&database.url);
    let (owner, poll) = (Owner::of(&program).await, program.widget(POLL));
    let browser = Browser::open().await;
    browser.go(poll["page_url"].as_str().unwrap()).await;
    chat_is_heard(&program, &owner).await;
    program.say("tallow_wren", "follower", "!ask Who cares? Nobody / Me").await;
    program.say("bram", "helper,subscriber", "!ask which livery").await;
    browser.shows(".poll-question", "Which livery for engine No. 7?").await;
    for viewer in 0..50 {
        let (badges, said) = match viewer % 5 {
            0 => ("subscriber,follower", "GREEN"),
            1 | 2 => ("follower", "1"),
            3 => ("follower", "Ｂ"),
            _ => ("follower", "lined  maroon"),
        };
        program.say(&format!("viewer{viewer}"), badges, said).await;
    }
    votes(&program, &poll, 50).await;
    // Ten subscribers weigh two: 40 of 60, 10 and 10.
    browser.shows(".poll-options", "67 %").await;
    browser.shows(".poll-foot", "50 votes").await;

    // Who has voted is known after a restart too, and may think again; those who say something else do not vote.
    program.stop();
    program.again();
    let owner = Owner::of(&program).await;
    chat_is_heard(&program, &owner).await;
    program.say("viewer1", "follower", "2 please").await;
    program.say("viewer1", "follower", "black").await;
    program.say("viewer50", "follower", "3").await;
    votes(&program, &poll, 51).await;
    let told = program.read(&poll).await;
    let counted: Vec<u64> =
        told["options"].as_array().unwrap().iter().map(|one| one["votes"].as_u64().unwrap()).collect();
    assert_eq!(counted, [29, 11, 11]);
    let shares = told["options"].as_array().unwrap().iter().map(|one| one["percent"].as_u64().unwrap());
    assert_eq!(shares.sum::<u64>(), 100);

    program.act(&poll, "close", json!({})).await;
    browser.shows(".poll-option.has-won", "Green").await;
    program.act(&poll, "hide", json!({})).await;
    until("the result has left the picture", || async { (browser.text(".air").await.trim().is_empty()).then_some(()) })
        .await;
    program.act(&poll, "recall", json!({})).await;
    browser.shows(".poll-option.has-won", "Green").await;

    // The record tells nobody's name beside a vote, and the key goes when the poll is over.
    let mut conn = diesel::MysqlConnection::establish(&database.url).unwrap();
    use tally_store::schema::vote_keys;
    let bodies: Vec<String> =
        entries::table.filter(entries::body.like("%\"act\":\"votes\"%")).select(entries::body).load(&mut conn).unwrap();
    assert!(bodies.len() > 1 && bodies.iter().all(|body| !body.to_lowercase().contains("viewer")), "{bodies:?}");
    until("the key is thrown away", || async {
        // Anything that comes lets the channel look up.
        program.say("ninepins", "follower", "well then").await;
        let mut conn = diesel::MysqlConnection::establish(&database.url).unwrap();
        (vote_keys::table.count().get_result::<i64>(&mut conn).unwrap() == 0).then_some(())
    })
    .await;

    // The history tells it beside the poll of the last show, as a table, a drawing, CSV and JSON.
    let page = owner.page("/polls").await;
    assert!(page.contains("<th scope=\"row\">Lined maroon") && page.contains("closed after"), "{page}");
    let csv = owner.page("/polls.csv").await;
    assert!(csv.lines().any(|line| line.contains(",Green,29,") && line.ends_with("yes")), "{csv}");
    let all: Value = serde_json::from_str(&owner.page("/polls.json").await).unwrap();
    let newest = &all["polls"][0];
    assert_eq!((&newest["options"][0]["votes"], &newest["state"]), (&json!(29), &json!("closed")));
    let line = newest["which"]["here"].as_u64().unwrap();
    let chart = owner.page(&format!("/polls/{}/chart.svg?which=line-{line}", poll["id"])).await;
    assert!(chart.starts_with("<svg") && chart.contains("Green"), "{chart}");
    owner.post(&format!("/polls/{}/save", poll["id"]), &[("text", "Steam or diesel? Steam / Diesel")]).await;
    let opened = program.act(&poll, "open", json!({"value": 4})).await;
    assert_eq!(opened["question"], "Steam or diesel?");
    let refused = owner.refused(&format!("/polls/{}/save", poll["id"]), &[("text", "Which? One")]).await;
    assert!(refused.contains("2 to 8 options"), "{refused}");
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_duel_is_asked_at_the_desk_and_stands_first_there() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let (owner, duel) = (Owner::of(&program).await, program.widget(DUEL));
    chat_is_heard(&program, &owner).await;
    let browser = Browser::open().await;
    let desk = browser.tab("about:blank").await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.live().await;
    let plate = format!(".plate[data-live='d{}']", duel["id"]);
    browser.fill(&format!("{plate} .lever-text input"), "day train / night train").await;
    browser.click(&format!("{plate} .lever-text button")).await;
    browser.shows(&plate, "day train").await;
    browser.shows(".strip", "A poll is open: day train or night train").await;
    let first = "const plates = [...document.querySelectorAll('.plate')];
        plates.sort((one, other) => one.getBoundingClientRect().top - other.getBoundingClientRect().top);
        return plates[0].dataset.live";
    assert_eq!(browser.run(first).await, format!("d{}", duel["id"]));
    browser.tab(duel["page_url"].as_str().unwrap()).await;
    browser.shows(".duel", "night train").await;
    for (viewer, said) in [("a", "1"), ("b", "2"), ("c", "night train"), ("d", "２")] {
        program.say(viewer, "follower", said).await;
    }
    browser.shows(".duel .is-right", "75 %").await;
    let share = "return document.querySelector('.duel').style.getPropertyValue('--share')";
    until("the coupling stands where it should", || async { (browser.run(share).await == "25").then_some(()) }).await;
    browser.to(&desk).await;
    browser.click(&format!("{plate} .lever-main")).await;
    browser.shows(".strip", "night train has won with 75 %").await;
    // What cannot be asked is said in words, and what was typed stays.
    browser.fill(&format!("{plate} .lever-text input"), "only one").await;
    browser.click(&format!("{plate} .lever-text button")).await;
    browser.shows("#word", "2 to 8 options").await;
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_poll_of_the_platform_is_shown_like_one_of_ours() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let poll = program.widget(POLL);
    let world = program.tip_jar.clone().unwrap();
    let turn = async |what: &str| {
        let form = reqwest::Client::new().post(format!("{world}/world/poll"));
        let form = form.header("content-type", "application/x-www-form-urlencoded");
        form.body(format!("what={what}")).send().await.unwrap();
    };
    let browser = Browser::open().await;
    browser.go(poll["page_url"].as_str().unwrap()).await;
    turn("open").await;
    browser.shows(".poll-question", "Who drives the night train?").await;
    browser.shows(".poll-left", ":").await;
    turn("vote").await;
    browser.shows(".poll-options", "50 %").await;
    turn("vote").await;
    browser.shows(".poll-foot", "40 votes").await;
    turn("close").await;
    browser.shows(".poll-option.has-won", "Odile").await;
    assert_eq!(program.read(&poll).await["which"], json!({"elsewhere": "platform-0"}));
    browser.close().await;
}
