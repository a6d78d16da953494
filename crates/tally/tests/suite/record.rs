//! The record in the owner's hands: corrections, lines by hand, files in and out, shows, settings.

use crate::kit::db::Database;
use crate::kit::owner::{Owner, settings};
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use serde_json::{Value, json};

fn start() -> (Database, Program) {
    let database = Database::new();
    let program = Program::start(&database.url);
    (database, program)
}

async fn goal(program: &Program) -> String {
    program.text(&program.widget("Turntable motor")).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_line_is_amended_voided_and_restored_and_a_restart_remembers_it() {
    let (_database, mut program) = start();
    let owner = Owner::of(&program).await;
    let line = Sender::of(&program.demo()["feeds"][0]).deliver(&tip("87.50")).await["last_seq"].clone();
    assert_eq!(goal(&program).await, "£300 of £350 (85%)");
    let path = format!("/ledger/{line}/correct");
    let amend =
        owner.done(&path, &[("what", "amend"), ("amount", "37.50"), ("name", "kestrel_oak"), ("reason", "typo")]).await;
    assert!(amend.contains("kestrel_oak tipped £37.50") && amend.contains("Said at first"), "{amend}");
    assert_eq!(goal(&program).await, "£250 of £350 (71%)");
    assert!(owner.refused(&path, &[("what", "amend"), ("amount", "37.5055")]).await.contains("more decimals than GBP"));
    assert!(owner.refused(&path, &[("what", "amend"), ("tier", "2")]).await.contains("have a tier"));
    assert!(owner.refused(&path, &[("what", "restore")]).await.contains("counts already"));
    owner.done(&path, &[("what", "void"), ("reason", "refunded")]).await;
    assert_eq!(goal(&program).await, "£212.50 of £350 (60%)");
    program.stop();
    program.again();
    let owner = Owner::of(&program).await;
    assert_eq!(goal(&program).await, "£212.50 of £350 (60%)");
    owner.done(&path, &[("what", "restore")]).await;
    assert_eq!(goal(&program).await, "£250 of £350 (71%)", "as it was amended");
    let log = owner.page("/ledger?kind=correct").await;
    assert!(log.contains("to “kestrel_oak tipped £37.50”: typo"), "{log}");
    assert!(owner.page("/ledger?standing=counting&name=kestrel&least=37&most=38").await.contains("£37.50"));
}

#[tokio::test(flavor = "multi_thread")]
async fn lines_are_written_by_hand_through_the_same_checks() {
    let (_database, program) = start();
    let owner = Owner::of(&program).await;
    let fields = |change: &[(&'static str, &'static str)]| {
        let mut fields = vec![
            ("kind", "tip"),
            ("name", "ade"),
            ("amount", "10"),
            ("currency", "gbp"),
            ("tier", "1"),
            ("number", "1"),
            ("what", ""),
            ("measure", "amount_of_tips"),
            ("message", "in cash"),
            ("at", ""),
        ];
        for (name, value) in change {
            fields.retain(|(own, _)| own != name);
            fields.push((name, value));
        }
        fields
    };
    owner.done("/ledger", &fields(&[])).await;
    assert_eq!(goal(&program).await, "£222.50 of £350 (63%)");
    owner.done("/ledger", &fields(&[("kind", "adjust"), ("amount", "-2.50"), ("message", "fees")])).await;
    assert_eq!(goal(&program).await, "£220 of £350 (62%)");
    let slip = owner.page("/widgets/1").await;
    assert!(slip.contains("Adjusted by hand, 1 line") && slip.contains("-£2.50"), "{slip}");
    assert!(owner.refused("/ledger", &fields(&[("amount", "-5")])).await.contains("must be more than 0"));
    assert!(owner.refused("/ledger", &fields(&[("at", "2099-01-01T00:00")])).await.contains("more than a day ahead"));
    assert!(owner.refused("/ledger", &fields(&[("kind", "raid"), ("number", "many")])).await.contains("viewers"));
    assert!(
        owner.refused("/ledger", &fields(&[("kind", "adjust"), ("amount", "0")])).await.contains("changes nothing")
    );
    assert!(owner.page("/ledger?kind=adjust").await.contains("tips: -£2.50 by hand"));
}

/// A file of this minute, so that it counts in whatever month this runs.
fn csv() -> String {
    let now = chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Secs, true);
    format!(
        "When,Who,Sum,Note\n{now},quietferry,10.00,first\n{now},oatcake_jo,2.505,too fine\n\
         tomorrow,oatcake_jo,2,when?\n{now},\"Å, æ & 駅長\",27.50,\"says \"\"hello\"\"\"\n"
    )
}

async fn upload(owner: &Owner, name: &str, file: &str) -> String {
    let sent = owner.send(&format!("/imports?name={name}"), "application/octet-stream", file.to_owned()).await;
    assert_eq!(sent.status(), 200);
    sent.headers()["hx-redirect"].to_str().unwrap().to_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_is_tried_added_known_again_and_undone() {
    let (_database, program) = start();
    let owner = Owner::of(&program).await;
    let file = csv();
    let page = upload(&owner, "tips.csv", &file).await;
    assert!(owner.page(&page).await.contains("<option value=\"2\">Sum</option>"), "the columns are offered");
    let matching =
        [("time", "0"), ("name", "1"), ("amount", "2"), ("message", "3"), ("all_kind", "tip"), ("all_currency", "GBP")];
    let refused = owner.refused(&format!("{page}/try"), &matching[1..]).await;
    assert!(refused.contains("Choose the column that tells when it happened"), "{refused}");
    let tried = owner.done(&format!("{page}/try"), &matching).await;
    assert!(tried.contains("<dt>Added</dt><dd>2</dd>") && tried.contains("<dt>Refused</dt><dd>2</dd>"), "{tried}");
    assert!(tried.contains("Line 3</span> The amount has more decimals than GBP has") && tried.contains("is no time"));
    assert_eq!(goal(&program).await, "£212.50 of £350 (60%)", "trying adds nothing");
    owner.done(&format!("{page}/add"), &matching).await;
    assert_eq!(goal(&program).await, "£250 of £350 (71%)");

    let again = upload(&owner, "tips.csv", &file).await;
    let tried = owner.done(&format!("{again}/try"), &matching).await;
    assert!(tried.contains("<dt>Already known</dt><dd>2</dd>") && tried.contains("nothing new to add"), "{tried}");

    let feeds = owner.page("/feeds").await;
    let undo =
        feeds.split("hx-post=\"/feeds/").find(|part| part.contains("/withdraw")).unwrap().split('/').next().unwrap();
    owner.done(&format!("/feeds/{undo}/withdraw"), &[]).await;
    assert_eq!(goal(&program).await, "£212.50 of £350 (60%)");
    assert!(owner.page("/ledger?name=quietferry").await.contains("Import undone"));
    owner.done(&format!("/feeds/{undo}/withdraw"), &[]).await;
    assert_eq!(goal(&program).await, "£250 of £350 (71%)");
}

#[tokio::test(flavor = "multi_thread")]
async fn files_that_cannot_be_taken_say_what_to_change() {
    let (_database, program) = start();
    let owner = Owner::of(&program).await;
    let refused = async |file: Vec<u8>| {
        let sent = owner.send("/imports?name=x", "application/octet-stream", file).await;
        assert_eq!(sent.status(), 422);
        sent.text().await.unwrap()
    };
    assert!(refused(b"name,amount\nJos\xe9,5\n".to_vec()).await.contains("Line 2 is not UTF-8"));
    assert!(refused("a,".repeat(1_000_000).into_bytes()).await.contains("longer than"));
    let doctype = b"<!DOCTYPE x SYSTEM \"file:///etc/passwd\"><Cube><Cube time='2026-11-24'/></Cube>".to_vec();
    assert!(refused(doctype).await.contains("document type"));
    assert!(owner.get("/imports/AAAA").await.status() == 422);
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_exported_can_be_read_back_with_the_same_numbers() {
    let (_database, program) = start();
    let owner = Owner::of(&program).await;
    let voided = Sender::of(&program.demo()["feeds"][0]).deliver(&tip("50")).await["last_seq"].clone();
    owner.done(&format!("/ledger/{voided}/correct"), &[("what", "void")]).await;
    let csv = owner.page("/ledger/export.csv?kind=tip").await;
    assert!(csv.starts_with("line,time,kind,name,id,amount,currency"), "{csv}");
    assert!(csv.contains(",no,/test,tip-"), "the voided line says that it does not count: {csv}");
    let events = owner.page("/ledger/export.ndjson?standing=counting").await;
    let kinds: Vec<Value> = events.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(kinds.len(), 13 + 11 + 24);

    let (_database, other) = start();
    let other_owner = Owner::of(&other).await;
    let page = upload(&other_owner, "copy.ndjson", &events).await;
    let tried = other_owner.done(&format!("{page}/try"), &[]).await;
    assert!(tried.contains("<dt>Already known</dt><dd>48</dd>"), "the same demo knows every line: {tried}");
    // As lines of another source they are new, and double every figure.
    let page = upload(&other_owner, "other.ndjson", &events.replace("\"/demo/", "\"/elsewhere/")).await;
    other_owner.done(&format!("{page}/add"), &[]).await;
    assert_eq!(goal(&other).await, "£405 of £350 (115%)");
}

#[tokio::test(flavor = "multi_thread")]
async fn shows_begin_by_hand_or_by_a_signal_and_are_trimmed_afterwards() {
    let (_database, program) = start();
    let (owner, sender) = (Owner::of(&program).await, Sender::of(&program.demo()["feeds"][1]));
    let hands = program.widget("New platform hands");
    assert_eq!(program.text(&hands).await, "13 of 40 (32%)", "off air it is the last show");
    assert!(owner.refused("/channel", &settings(&[("on_air", "x"), ("off_air", "x")])).await.contains("two names"));
    owner.done("/channel", &settings(&[("on_air", "picture live"), ("off_air", "picture off")])).await;
    owner.done("/channel/air", &[("ask_s", "0")]).await;
    let signal = |name: &str, id: &str| json!({"specversion": "1.0", "id": id, "source": "/encoder", "type": "tally.signal", "data": {"name": name}});
    sender.deliver(&signal("picture live", "1")).await;
    assert_eq!(program.text(&hands).await, "0 of 40 (0%)", "a new show has begun");
    sender.deliver(&signal("picture live", "2")).await;
    let sub = json!({"actor": {"name": "bram"}, "tier": 3});
    sender.deliver(&json!({"specversion": "1.0", "id": "3", "source": "/x", "type": "tally.sub", "data": sub})).await;
    assert_eq!(program.text(&hands).await, "5 of 40 (12%)");
    assert!(owner.refused("/shows/begin", &[]).await.contains("on air already"));
    let page = owner.page("/shows").await;
    assert!(page.contains("on air for"), "{page}");
    sender.deliver(&signal("picture off", "4")).await;
    assert!(owner.refused("/shows/end", &[]).await.contains("off air already"));
    let seq = page.split("/shows/").nth(1).unwrap().split('/').next().unwrap();
    let wrong = [("from", "2026-11-02T20:00"), ("to", "2026-11-02T19:00")];
    assert!(owner.refused(&format!("/shows/{seq}/trim"), &wrong).await.contains("must end after it began"));
    owner.done(&format!("/shows/{seq}/strike"), &[]).await;
    assert_eq!(program.text(&hands).await, "13 of 40 (32%)", "the last show is the one before again");
}

#[tokio::test(flavor = "multi_thread")]
async fn weights_and_the_base_currency_change_and_everything_is_derived_anew() {
    let (_database, program) = start();
    let owner = Owner::of(&program).await;
    let hands = program.widget("New platform hands");
    let settings =
        |currency, weight, from| settings(&[("currency", currency), ("weight_2", weight), ("weights_from", from)]);
    owner.done("/channel", &settings("GBP", "7", "now")).await;
    assert_eq!(program.text(&hands).await, "13 of 40 (32%)", "the past keeps its weights");
    owner.done("/channel", &settings("GBP", "7", "throughout")).await;
    assert_eq!(program.text(&hands).await, "13 of 40 (32%)", "nothing is changed by saying the same again");
    owner.done("/channel", &settings("GBP", "6", "throughout")).await;
    assert_eq!(program.text(&hands).await, "21 of 40 (52%)", "two of the eleven are of the second tier");

    let xml = "<Cube><Cube time=\"2026-01-01\"><Cube currency=\"GBP\" rate=\"0.5\"/></Cube></Cube>";
    let page = upload(&owner, "rates.xml", xml).await;
    owner.done(&format!("{page}/add"), &[]).await;
    owner.done("/channel", &settings("EUR", "6", "now")).await;
    assert_eq!(goal(&program).await, "€425 of €700 (60%)", "all is worth twice as much in euros");
    owner.done("/channel", &settings("GBP", "6", "now")).await;
    assert_eq!(goal(&program).await, "£212.50 of £350 (60%)");

    // What was set is rounded to something one would set, said, and taken back to the penny.
    for (key, text) in [("target", "333"), ("only", "least"), ("least", "1,23")] {
        owner.done("/widgets/1/edit", &[("key", key), ("text", text)]).await;
    }
    owner.done("/widgets/1/put-on-air", &[]).await;
    let told = owner.done("/channel", &settings("EUR", "6", "now")).await;
    for words in ["1 GBP is 2 EUR", "<b>Turntable motor</b>, the target: £333 → €650", "the minimum: £1.23 → €2.40"]
    {
        assert!(told.contains(words), "{words}: {told}");
    }
    assert_eq!(goal(&program).await, "€425 of €650 (65%)");
    owner.done("/widgets/1/edit", &[("key", "title"), ("text", "Motor")]).await;
    owner.done("/widgets/1/take-back", &[]).await;
    assert!(owner.page("/channel").await.contains("Go back to GBP"));
    owner.done("/channel/currency/back", &[]).await;
    assert_eq!(goal(&program).await, "£212.50 of £333 (63%)");
    assert!(owner.page("/widgets/1").await.contains("£1.23"));
    assert!(owner.refused("/channel/currency/back", &[]).await.contains("ever since"));
    assert!(owner.refused("/channel", &settings("QQQ", "6", "now")).await.contains("is not a currency code"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rehearsal_passes_every_station_and_leaves_no_trace() {
    let (_database, program) = start();
    let owner = Owner::of(&program).await;
    let told = owner.done("/widgets/1/rehearse", &[("act", "one")]).await;
    for station in [
        "Somebody rehearsing tipped £5.",
        "It keeps the contract",
        "Tip jar could bring it: flowing.",
        "It counts £5.",
        "From £20 of £350 (5%) to £25 of £350 (7%).",
        "No page of it is open",
    ] {
        assert!(told.contains(station), "{station}: {told}");
    }
    let page = crate::kit::page::Page::open(program.widget("Turntable motor")["page_url"].as_str().unwrap()).await;
    let told = owner.done("/widgets/1/rehearse", &[("act", "one")]).await;
    assert!(told.contains("to £30 of £350") && told.contains("1 page of it is open"), "{told}");
    drop(page);
    let slip = owner.page("/widgets/1").await;
    assert_eq!(slip.matches("<em>a rehearsal</em>").count(), 2, "near misses, with the reason: {slip}");
    assert_eq!(goal(&program).await, "£212.50 of £350 (60%)");
    assert!(!owner.page("/ledger").await.contains("rehearsing"));

    // What a filter would leave out is said, and what it wants is tried.
    for (key, text) in [("only", "people"), ("people", "bram"), ("only", "least"), ("least", "12")] {
        owner.done("/widgets/1/edit", &[("key", key), ("text", text)]).await;
    }
    let told = owner.done("/widgets/1/rehearse", &[("act", "one")]).await;
    assert!(told.contains("bram tipped £12.") && told.contains("It counts £12."), "{told}");
    owner.done("/widgets/2/edit", &[("key", "measure"), ("text", "count_of_raids")]).await;
    let told = owner.done("/widgets/2/rehearse", &[("act", "one")]).await;
    assert!(told.contains("It is left out: after the period."), "the last show is over: {told}");
    assert!(owner.refused("/widgets/3/rehearse", &[("act", "one")]).await.contains("operate it from the desk"));
}
