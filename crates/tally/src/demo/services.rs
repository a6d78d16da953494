//! The feeds of the demo that are wired to services with shapes of their own.

use std::net::SocketAddr;
use tally_core::record::happening::Kind;
use tally_standin::services::{Calls, TICKET};
use tally_store::feeds::{Feed, Wiring};
use tally_store::mapping::{
    Blank, Condition, Hmac, List, Mapping, Reading, Rule, Sender, Source, Stream, Test, Webhook,
};

/// How the feed of the made-up tip service is called.
const BUFFER_BOX: &str = "Buffer Box";
/// What it seals with. Nothing but a stand-in on this machine ever calls with it.
const SEAL: &str = "saltmarsh halt keeps the box";

fn at(pointer: &str, reading: Reading) -> Blank {
    Blank { from: Source::At(format!("/body/{pointer}")), reading }
}

fn item(pointer: &str) -> Blank {
    Blank { from: Source::Item(pointer.into()), reading: Reading::Plain }
}

fn rule(event: Kind, fields: Vec<(&str, Blank)>) -> Rule {
    let fields = fields.into_iter().map(|(key, blank)| (key.to_owned(), blank)).collect();
    Rule { event, when: Vec::new(), each: None, fields, guessed: false }
}

fn counting(rules: Vec<Rule>) -> Mapping {
    Mapping { counts: true, rules, draft: None }
}

fn tips() -> Rule {
    let fields = vec![
        ("name", at("filled/by/called", Reading::Plain)),
        ("anonymous", at("filled/by/veiled", Reading::Plain)),
        ("amount", at("filled/pennies", Reading::Hundredths)),
        ("currency", at("filled/coinage", Reading::Plain)),
        ("message", at("filled/card", Reading::Plain)),
        ("id", at("slip", Reading::Plain)),
        ("time", at("stamped", Reading::Milliseconds)),
    ];
    let when = vec![Condition { of: Source::At("/body/what".into()), test: Test::Is("box.filled".into()) }];
    Rule { when, ..rule(Kind::Tip, fields) }
}

/// A rule for one kind of car of a Branchline run.
fn car(event: Kind, word: &str, more: Vec<(&str, Blank)>) -> Rule {
    let fields = [vec![("name", item("/1/rider")), ("id", item("/1/pass"))], more].concat();
    let when = vec![Condition { of: Source::Item("/0".into()), test: Test::Is(word.into()) }];
    Rule { when, each: Some("/body/cars".into()), ..rule(event, fields) }
}

fn orders() -> Rule {
    let fields = vec![
        ("name", at("customer", Reading::Plain)),
        ("item", at("thing", Reading::Plain)),
        ("quantity", at("pieces", Reading::Plain)),
        ("amount", at("paid", Reading::WithSign)),
        ("id", at("order", Reading::Plain)),
    ];
    rule(Kind::Purchase, fields)
}

/// The feeds, for services at an address.
pub fn wired(pages: SocketAddr) -> Vec<(&'static str, Wiring)> {
    let seal = Hmac { header: "x-buffer-seal".into(), prefix: "seal:".into(), secret: SEAL.into(), ..Hmac::default() };
    let buffer_box = Webhook { sender: Sender::Hmac(seal), mapping: counting(vec![tips()]), ..Webhook::default() };
    let tier = Blank {
        from: Source::Item("/1/class".into()),
        reading: Reading::Tiers(
            [("third", 1), ("second", 2), ("first", 3)].map(|(word, tier)| (word.to_owned(), tier)).into(),
        ),
    };
    let cars = vec![
        car(Kind::Follow, "boarded", vec![]),
        car(Kind::Sub, "season", vec![("tier", tier), ("months", item("/1/trips"))]),
        car(Kind::Raid, "excursion", vec![("viewers", item("/1/party"))]),
    ];
    let branchline = Stream {
        url: format!("ws://{pages}/branchline/line"),
        first: serde_json::json!({ "ticket": TICKET }).to_string(),
        mapping: counting(cars),
        ..Stream::default()
    };
    let office = List {
        url: format!("http://{pages}/ticket-office/orders.json"),
        every: 15,
        items: "/orders".into(),
        next: "/older".into(),
        mapping: counting(vec![orders()]),
        ..List::default()
    };
    vec![
        (BUFFER_BOX, Wiring::AnyWebhook(buffer_box)),
        ("Branchline", Wiring::Stream(branchline)),
        ("Ticket Office", Wiring::List(office)),
    ]
}

/// Whether a feed of the demo goes to an address that may be another one after a restart.
pub fn may_move(wiring: &Wiring) -> bool {
    !matches!(wiring, Wiring::AnyWebhook(_))
}

/// Where the made-up tip service calls.
pub fn calls(feeds: &[Feed], base_url: &str) -> Calls {
    let feed = feeds.iter().find(|feed| feed.name == BUFFER_BOX && !feed.removed);
    feed.map_or_else(Calls::default, |feed| Calls { url: format!("{base_url}/in/{}", feed.token), key: SEAL.into() })
}
