use super::file;
use super::guess;
use super::trial::{Kept, Trial};
use super::*;
use chrono::TimeDelta;
use chrono::{NaiveTime, Weekday};
use proptest::prelude::*;
use serde_json::json;
use std::collections::BTreeMap;
use tally_core::record::happening::Happening;

fn calendar() -> Calendar {
    Calendar { zone: chrono_tz::Tz::Europe__London, week_start: Weekday::Mon, day_start: NaiveTime::MIN }
}

fn arrived() -> Instant {
    "2026-11-24T19:30:00Z".parse().unwrap()
}

fn at(pointer: &str) -> Blank {
    read_as(pointer, Reading::Plain)
}

fn read_as(pointer: &str, reading: Reading) -> Blank {
    Blank { from: Source::At(pointer.into()), reading }
}

fn item(pointer: &str) -> Blank {
    Blank { from: Source::Item(pointer.into()), reading: Reading::Plain }
}

fn always(text: &str) -> Blank {
    Blank { from: Source::Always(text.into()), reading: Reading::Plain }
}

fn rule(event: Kind, fields: &[(&str, Blank)]) -> Rule {
    let fields = fields.iter().map(|(key, blank)| ((*key).to_owned(), blank.clone())).collect();
    Rule { event, when: vec![], each: None, fields, guessed: false }
}

fn when(pointer: &str, test: Test) -> Condition {
    Condition { of: Source::At(pointer.into()), test }
}

/// The sentence of the issue's example: a tip in hundredths, with an id and an instant in milliseconds.
fn settled() -> Rule {
    let mut rule = rule(
        Kind::Tip,
        &[
            ("name", at("/body/donor/nick")),
            ("amount", read_as("/body/value/cents", Reading::Hundredths)),
            ("currency", at("/body/value/cur")),
            ("id", at("/body/ref")),
            ("time", read_as("/body/ts", Reading::Milliseconds)),
        ],
    );
    rule.when = vec![when("/body/type", Test::Is("payment.settled".into()))];
    rule
}

fn payment(body: &Value) -> Value {
    json!({ "body": body })
}

fn example() -> Value {
    payment(&json!({
        "type": "payment.settled", "ref": "p-7", "ts": 1_764_012_600_000_i64,
        "donor": {"nick": "quietferry"}, "value": {"cents": 1_250, "cur": "gbp"},
    }))
}

fn follow(rules: &[Rule], document: &Value) -> Outcome {
    Rules::ready(rules).unwrap().follow(document, arrived(), &calendar())
}

fn one(rule: Rule, document: &Value) -> Result<Incoming, (String, String)> {
    let outcome = follow(&[rule], document);
    match (outcome.events.into_iter().next(), outcome.refused.into_iter().next()) {
        (Some((0, event)), None) => Ok(event),
        (None, Some(refused)) => Err((refused.field.into(), refused.why)),
        other => panic!("{other:?}"),
    }
}

#[test]
fn a_sentence_makes_a_tip() {
    let tip = one(settled(), &example()).unwrap();
    assert_eq!(tip.happening.words(), "quietferry tipped £12.50");
    assert_eq!((tip.origin.source.as_str(), tip.origin.id.as_str()), ("tip", "p-7"));
    assert_eq!(tip.happened_at, Some("2025-11-24T19:30:00Z".parse().unwrap()));
    let mut other = example();
    other["body"]["type"] = json!("payment.opened");
    assert_eq!(follow(&[settled()], &other), Outcome { unmatched: 1, ..Outcome::default() });
}

#[test]
fn conditions_say_what_they_say() {
    let holds = |test: Test, value: Value| {
        let mut rule = rule(Kind::Signal, &[("signal", always("x"))]);
        rule.when = vec![when("/body/v", test)];
        follow(&[rule], &payment(&json!({ "v": value }))).events.len() == 1
    };
    assert!(holds(Test::Is("7".into()), json!(7)) && holds(Test::Is("true".into()), json!(true)));
    assert!(!holds(Test::Is("7".into()), json!("7.0")) && !holds(Test::Is("x".into()), json!(["x"])));
    assert!(holds(Test::OneOf(vec!["a".into(), "b".into()]), json!("b")));
    assert!(holds(Test::Present(true), json!(0)) && !holds(Test::Present(true), Value::Null));
    assert!(holds(Test::Present(false), Value::Null) && !holds(Test::Present(false), json!("")));
    assert!(holds(Test::Matches("^pay(ment|out)".into()), json!("payment.settled")));
    // What explodes elsewhere is linear here.
    assert!(!holds(Test::Matches("^(a+)+$".into()), json!(format!("{}b", "a".repeat(50_000)))));
}

#[test]
fn values_are_read_as_the_owner_says() {
    let tip = |amount: Blank, currency: Option<Blank>, body: Value| {
        let mut fields = vec![("name", always("bram")), ("amount", amount)];
        fields.extend(currency.map(|currency| ("currency", currency)));
        one(rule(Kind::Tip, &fields), &payment(&body)).map(|event| event.happening.words())
    };
    let signed = || read_as("/body/v", Reading::WithSign);
    let tipped = |words: &str| Ok(format!("bram tipped {words}"));
    assert_eq!(tip(at("/body/v"), Some(always("EUR")), json!({"v": 12.5})), tipped("€12.50"));
    assert_eq!(tip(at("/body/v"), Some(always("JPY")), json!({"v": "500"})), tipped("¥500"));
    let smallest = read_as("/body/v", Reading::Hundredths);
    assert_eq!(tip(smallest.clone(), Some(always("JPY")), json!({"v": "500"})), tipped("¥500"));
    for (text, words) in
        [("£12.50", "£12.50"), ("12,50 €", "€12.50"), ("USD 1,234.50", "$1,234.50"), ("5 GBP", "£5"), ("$3", "$3")]
    {
        assert_eq!(tip(signed(), None, json!({ "v": text })), tipped(words), "{text}");
    }
    assert_eq!(tip(signed(), Some(always("CAD")), json!({"v": "$3"})), tipped("CAD\u{a0}3"), "the rule knows better");
    for (amount, currency, body, field, said) in [
        (smallest.clone(), None, json!({"v": 5}), "amount", "needs a currency"),
        (smallest, Some(always("GBP")), json!({"v": 5.5}), "amount", "whole number"),
        (at("/body/v"), None, json!({"v": "5"}), "currency", "currency is missing"),
        (at("/body/v"), Some(always("GBP")), json!({}), "amount", "amount is missing"),
        (at("/body/v"), Some(always("GBP")), json!({"v": "5.555"}), "amount", "decimals"),
        (at("/body/v"), Some(always("GBP")), json!({"v": {"x": 1}}), "amount", "holds other values"),
        (at("/body/v"), Some(always("QQQ")), json!({"v": "5"}), "currency", "currency"),
        (signed(), None, json!({"v": "five pounds"}), "amount", "no amount with a known currency"),
    ] {
        let (at, why) = tip(amount, currency, body.clone()).unwrap_err();
        assert!(at == field && why.contains(said), "{body}: {at}: {why}");
    }
}

#[test]
fn instants_and_tiers_and_names() {
    let when = |reading: Reading, value: Value| {
        let fields = [("signal", always("x")), ("time", read_as("/body/v", reading))];
        one(rule(Kind::Signal, &fields), &payment(&json!({ "v": value })))
            .map(|event| event.happened_at.unwrap().to_rfc3339())
    };
    let utc = |text: &str| Ok(format!("2026-11-2{text}+00:00"));
    assert_eq!(when(Reading::Plain, json!("2026-11-24T19:30:00+01:00")), utc("4T18:30:00"));
    assert_eq!(when(Reading::Seconds, json!("1795548600.5")).unwrap(), "2026-11-24T19:30:00.500+00:00");
    assert_eq!(when(Reading::Local, json!("2026-11-24 19:30")), utc("4T19:30:00"));
    assert_eq!(
        when(Reading::Local, json!("2026-07-24")).unwrap(),
        "2026-07-23T23:00:00+00:00",
        "by the channel's zone"
    );
    for (reading, value, said) in [
        (Reading::Plain, json!("yesterday"), "RFC 3339"),
        (Reading::Seconds, json!(1_795_548_600_000_i64), "beyond the calendar"),
        (Reading::Plain, json!("2026-11-26T19:30:00Z"), "more than a day ahead"),
        (Reading::Milliseconds, json!("1e400"), "no number"),
        (Reading::Local, json!("24.11."), "no date and time"),
    ] {
        let (field, why) = when(reading, value).unwrap_err();
        assert!(field == "time" && why.contains(said), "{why}");
    }
    let words = Reading::Tiers([("Guard".to_owned(), 1), ("Driver".to_owned(), 3)].into());
    let sub =
        |fields: &[(&str, Blank)], body: Value| one(rule(Kind::Sub, fields), &payment(&body)).map(|one| one.happening);
    let level = [("name", at("/body/n")), ("tier", read_as("/body/t", words))];
    let Happening::Sub { tier, .. } = sub(&level, json!({"n": "x", "t": "DRIVER"})).unwrap() else { panic!() };
    assert_eq!(u8::from(tier), 3);
    assert!(sub(&level, json!({"n": "x", "t": "Stoker"})).unwrap_err().1.contains("no tier is named"));
    let unnamed = [("name", at("/body/n")), ("person_id", at("/body/i")), ("anonymous", at("/body/a"))];
    let tip = |body: Value| {
        let money = [("amount", always("5")), ("currency", always("GBP"))];
        one(rule(Kind::Tip, &[&unnamed[..], &money[..]].concat()), &payment(&body)).map(|one| one.happening.words())
    };
    assert_eq!(tip(json!({"n": "bram", "i": 7, "a": "yes"})).unwrap(), "Somebody tipped £5");
    assert_eq!(tip(json!({"n": "bram", "i": 7, "a": 0})).unwrap(), "bram tipped £5");
    assert_eq!(tip(json!({"n": null})).unwrap(), "Somebody tipped £5");
    assert_eq!(tip(json!({"i": "b7"})).unwrap(), "b7 tipped £5");
    assert!(tip(json!({"n": "bram", "a": "perhaps"})).unwrap_err().1.contains("neither yes nor no"));
}

#[test]
fn each_item_of_a_list_is_an_event_of_its_own() {
    let mut follows = rule(Kind::Follow, &[("name", item("/1/who")), ("id", item("/1/no"))]);
    follows.each = Some("/body/frames".into());
    follows.when = vec![Condition { of: Source::Item("/0".into()), test: Test::Is("boarded".into()) }];
    let mut raids =
        rule(Kind::Raid, &[("name", item("/1/who")), ("viewers", item("/1/size")), ("id", at("/body/batch"))]);
    raids.each = Some("/body/frames".into());
    raids.when = vec![Condition { of: Source::Item("/0".into()), test: Test::Is("arrived".into()) }];
    let frames = json!([
        ["boarded", {"who": "bram", "no": 1}], ["ping"], ["arrived", {"who": "odile", "size": 40}],
        ["boarded", {"who": "", "no": 2}], ["boarded", {"no": 1}],
    ]);
    let outcome = follow(&[follows, raids], &payment(&json!({"batch": "b9", "frames": frames})));
    let made: Vec<(usize, String, String)> =
        outcome.events.into_iter().map(|(rule, one)| (rule, one.origin.id, one.happening.words())).collect();
    let expected = [
        (0, "1", "bram follows"),
        (1, "b9#2", "odile raided with 40 viewers"),
        (0, "2", "Somebody follows"),
        (0, "1", "Somebody follows"),
    ];
    let expected: Vec<_> = expected.map(|(rule, id, words)| (rule, id.to_owned(), words.to_owned())).into();
    assert_eq!((made, outcome.unmatched, outcome.refused), (expected, 1, vec![]));
    let mut rule = rule(Kind::Follow, &[("name", item("/who"))]);
    rule.each = Some("/body/frames".into());
    assert_eq!(follow(&[rule], &payment(&json!({"frames": []}))), Outcome::default(), "nothing has happened");
}

#[test]
fn what_has_no_id_is_known_by_what_it_says_within_ten_minutes() {
    let tip = |document: &Value, seconds: i64| {
        let mut rule = settled();
        rule.fields.remove("id");
        rule.fields.remove("time");
        let at = tally_core::time::after(arrived(), TimeDelta::seconds(seconds));
        Rules::ready(&[rule]).unwrap().follow(document, at, &calendar()).events[0].1.origin.clone()
    };
    let mut other = example();
    other["body"]["value"]["cents"] = json!(1_251);
    assert_eq!(tip(&example(), 0), tip(&example(), 599));
    assert_ne!(tip(&example(), 0), tip(&example(), 600));
    assert_ne!(tip(&example(), 0), tip(&other, 0));
    // An instant of its own tells it apart better than when it came in.
    let dated = |ms: i64, arrival: i64| {
        let mut rule = settled();
        rule.fields.remove("id");
        let mut document = example();
        document["body"]["ts"] = json!(ms);
        let at = tally_core::time::after(arrived(), TimeDelta::seconds(arrival));
        Rules::ready(&[rule]).unwrap().follow(&document, at, &calendar()).events[0].1.origin.clone()
    };
    assert_eq!(dated(1_764_012_600_000, 0), dated(1_764_012_600_000, 5_000));
    assert_ne!(dated(1_764_012_600_000, 0), dated(1_764_012_600_001, 0));
}

#[test]
fn rules_that_cannot_be_followed_are_refused_where_they_stand() {
    let with = |change: &dyn Fn(&mut Rule)| {
        let mut rule = settled();
        change(&mut rule);
        Rules::ready(&[settled(), rule]).unwrap_err()
    };
    type Case<'a> = (&'a dyn Fn(&mut Rule), Option<&'a str>, &'a str);
    let cases: [Case<'_>; 8] = [
        (&|rule| rule.event = Kind::Adjust, None, "adjustments"),
        (
            &|rule| {
                rule.fields.insert("colour".into(), always("red"));
            },
            None,
            "no field “colour”",
        ),
        (
            &|rule| {
                rule.fields.insert("name".into(), at("donor"));
            },
            Some("name"),
            "beginning with a slash",
        ),
        (
            &|rule| {
                rule.fields.insert("name".into(), item("/x"));
            },
            Some("name"),
            "no list",
        ),
        (&|rule| rule.each = Some("orders".into()), None, "beginning with a slash"),
        (&|rule| rule.when = vec![when("/body", Test::Matches("(".into()))], None, "not well-formed"),
        (&|rule| rule.when = vec![when("/body", Test::Matches("(?:a{1000}){1000}".into()))], None, "too much memory"),
        (&|rule| rule.when = vec![when("/body", Test::Present(true)); 11], None, "at most 10 conditions"),
    ];
    for (change, field, said) in cases {
        let error = with(change);
        assert_eq!((error.rule, error.field.as_deref()), (1, field), "{error}");
        assert!(error.why.contains(said), "{error}");
    }
    assert!(Rules::ready(&vec![settled(); MOST_RULES + 1]).is_err());
}

#[test]
fn a_trial_says_what_would_be() {
    let mut refused = example();
    refused["body"]["value"]["cur"] = Value::Null;
    let other = payment(&json!({"type": "ping"}));
    let kept: Vec<Kept> = [example(), example(), other, refused]
        .into_iter()
        .enumerate()
        .map(|(id, document)| Kept { id: id as u64, arrived: arrived(), document })
        .collect();
    let rules = Rules::ready(&[settled()]).unwrap();
    let words = Trial::of(&rules, &kept, &calendar()).words();
    assert_eq!(
        words,
        "2 would be tips; 1 matches no rule; 1 is refused: The amount needs a currency, to know what its smallest unit is."
    );
    assert!(Trial::of(&rules, &[], &calendar()).words().contains("Nothing has come in"));
}

#[test]
fn first_drafts_are_near_the_mark() {
    let guessed = guess::rule(&example());
    assert!(guessed.guessed);
    assert_eq!(Rule { guessed: false, ..guessed }, settled());
    let shop = payment(&json!({
        "order": "S-118", "customer": "Ada", "article": "mug", "pieces": "2", "total": "£24.00",
        "placed": "2026-11-24 19:30", "note": "for the whistle",
    }));
    let told = one(guess::rule(&shop), &shop).unwrap();
    assert_eq!((told.happening.words().as_str(), told.origin.id.as_str()), ("Ada bought 2 × mug for £24", "S-118"));
    assert_eq!(told.happened_at, Some("2026-11-24T19:30:00Z".parse().unwrap()));
    let frames =
        payment(&json!({"batch": 9, "frames": [["followed", {"who": "bram", "no": 7}], ["raided", {"who": "x"}]]}));
    let rule = guess::rule(&frames);
    assert_eq!((rule.event, rule.each.as_deref()), (Kind::Follow, Some("/body/frames")));
    assert_eq!(follow(&[rule], &frames).events[0].1.happening.words(), "bram follows");
    assert_eq!(guess::rule(&payment(&json!("hello"))).event, Kind::Signal);
}

#[test]
fn a_poll_of_a_platform_is_told_by_its_message() {
    let poll = payment(&json!({
        "event": "poll.progress", "poll_id": "q-7", "title": "Which siding?", "status": "ACTIVE",
        "choices": [{"title": "North", "votes": 12}, {"title": "Harbour", "votes": "30"}],
        "started_at": "2026-11-24T19:29:00Z", "ends_at": "2026-11-24T19:31:00Z",
    }));
    let guessed = guess::rule(&poll);
    assert_eq!((guessed.event, guessed.each.as_deref()), (Kind::Poll, None));
    let Happening::Poll(told) = one(guessed, &poll).unwrap().happening else { panic!() };
    let votes: Vec<_> = told.options.iter().map(|one| (one.text.as_str(), one.votes)).collect();
    assert_eq!(
        (told.poll.as_str(), told.question.as_str(), votes),
        ("q-7", "Which siding?", vec![("North", 12), ("Harbour", 30)])
    );
    assert_eq!(told.closes_at, Some("2026-11-24T19:31:00Z".parse().unwrap()));
    // A service that tells less: options by name, nothing about time and state.
    let fields = [("question", at("/body/q")), ("options", at("/body/o"))];
    let told = |body: &Value| one(rule(Kind::Poll, &fields), &payment(body));
    let Happening::Poll(short) = told(&json!({"q": "Well?", "o": {"no": 2, "yes": 1}})).unwrap().happening else {
        panic!()
    };
    assert_eq!((short.poll.as_str(), short.opened_at, short.options.len()), ("Well?", arrived(), 2));
    assert!(told(&json!({"q": "Well?", "o": "yes"})).unwrap_err().1.contains("no list of options"));
    let state = |word: &str| {
        let fields = [&fields[..], &[("state", always(word))]].concat();
        one(rule(Kind::Poll, &fields), &payment(&json!({"q": "Well?", "o": {"no": 2, "yes": 1}})))
    };
    assert!(state("Ended").is_ok() && state("perhaps").unwrap_err().1.contains("neither open, closed nor cancelled"));
}

#[test]
fn a_file_holds_rules_and_no_more() {
    let rules = vec![settled(), guess::rule(&example())];
    let written = file::write(&rules);
    assert_eq!(file::read(written.as_bytes()).unwrap(), rules);
    for (text, said) in [
        ("{}", "no file of feed rules"),
        (r#"{"version": 2, "rules": []}"#, "version 2"),
        (r#"{"version": 1, "rules": [{"event": "tip", "fields": {}, "secret": "x"}]}"#, "secret"),
        (
            r#"{"version": 1, "rules": [{"event": "tip", "fields": {"name": {"at": "x"}}}]}"#,
            "Rule 1: “x” must be a JSON Pointer",
        ),
    ] {
        let why = file::read(text.as_bytes()).unwrap_err();
        assert!(why.contains(said), "{why}");
    }
    let schema: Value = serde_json::from_str(file::SCHEMA).unwrap();
    let keys: Vec<&str> = schema["$defs"]["rule"]["properties"]["fields"]["propertyNames"]["enum"]
        .as_array()
        .unwrap()
        .iter()
        .filter_map(Value::as_str)
        .collect();
    let events: Vec<&str> = schema["$defs"]["rule"]["properties"]["event"]["enum"]
        .as_array()
        .unwrap()
        .iter()
        .filter_map(Value::as_str)
        .collect();
    assert_eq!(events, Kind::SENT.map(Kind::key), "the schema names every event");
    for kind in Kind::SENT {
        for field in fields::of(kind) {
            assert!(keys.contains(&field.key), "{} is missing in the schema", field.key);
        }
    }
}

fn any_json() -> impl Strategy<Value = Value> {
    let leaf = prop_oneof![
        Just(Value::Null),
        any::<bool>().prop_map(Value::from),
        any::<i64>().prop_map(Value::from),
        any::<f64>().prop_map(|number| json!(number)),
        ".{0,12}".prop_map(Value::from),
        "[0-9]{1,14}([.,][0-9]{1,3})?".prop_map(Value::from),
        prop::sample::select(vec!["payment.settled", "2026-11-24T19:30:00Z", "£5", "GBP", "2026-11-24 19:30"])
            .prop_map(Value::from),
    ];
    leaf.prop_recursive(4, 40, 5, |inner| {
        let names = "type|ref|ts|donor|nick|value|cents|cur|items|amount|name|id|[a-z]{1,3}";
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..4).prop_map(Value::from),
            prop::collection::btree_map(names, inner, 0..5).prop_map(|fields| json!(fields)),
        ]
    })
}

fn any_rule() -> impl Strategy<Value = Rule> {
    let pointer = "(/body)?(/(type|ref|ts|donor|nick|value|cents|cur|items|amount|name|id|0)){0,3}";
    let source =
        prop_oneof![pointer.prop_map(Source::At), pointer.prop_map(Source::Item), ".{0,6}".prop_map(Source::Always),];
    let reading = prop_oneof![
        Just(Reading::Plain),
        Just(Reading::Hundredths),
        Just(Reading::WithSign),
        Just(Reading::Seconds),
        Just(Reading::Milliseconds),
        Just(Reading::Local),
        Just(Reading::Tiers(BTreeMap::from([("x".to_owned(), 2)]))),
    ];
    let test = prop_oneof![
        ".{0,8}".prop_map(Test::Is),
        prop::collection::vec(".{0,4}", 0..3).prop_map(Test::OneOf),
        any::<bool>().prop_map(Test::Present),
        "[a-z.*+]{0,4}".prop_map(Test::Matches),
    ];
    let blank = (source.clone(), reading).prop_map(|(from, reading)| Blank { from, reading });
    let condition = (source, test).prop_map(|(of, test)| Condition { of, test });
    (
        prop::sample::select(Kind::SENT.to_vec()),
        prop::collection::vec(condition, 0..3),
        prop::option::of(pointer),
        prop::collection::vec(any::<prop::sample::Index>(), 0..9),
        prop::collection::vec(blank, 9),
        any::<bool>(),
    )
        .prop_map(|(event, when, each, picks, blanks, guessed)| {
            let all = fields::of(event);
            let fields =
                picks.iter().zip(blanks).map(|(pick, blank)| (all[pick.index(all.len())].key.to_owned(), blank));
            Rule { event, when, each, fields: fields.collect(), guessed }
        })
}

proptest! {
    #[test]
    fn no_message_and_no_rule_make_it_panic_and_nothing_else_decides(
        body in any_json(), written in prop::collection::vec(any_rule(), 1..4), later in 0_i64..600,
    ) {
        let document = payment(&body);
        let guessed = guess::rule(&document);
        prop_assert!(Rules::ready(std::slice::from_ref(&guessed)).is_ok(), "{guessed:?}");
        let _ = follow(&[guessed], &document);
        let Ok(rules) = Rules::ready(&written) else { return Ok(()) };
        let base = arrived().timestamp().div_euclid(ALIKE_SECONDS) * ALIKE_SECONDS;
        let at = |seconds: i64| Instant::from_timestamp(base + seconds, 0).unwrap();
        // Whenever it arrives within the same ten minutes, and however often the rules are made ready.
        let first = rules.follow(&document, at(0), &calendar());
        let again = Rules::ready(&written).unwrap().follow(&document, at(later), &calendar());
        prop_assert_eq!(first.unmatched, again.unmatched);
        let origins = |outcome: &Outcome| outcome.events.iter().map(|(rule, one)| (*rule, one.origin.clone())).collect::<Vec<_>>();
        prop_assert_eq!(origins(&first), origins(&again));
        // A kept message is the one that came.
        let kept: Value = serde_json::from_str(&document.to_string()).unwrap();
        prop_assert_eq!(rules.follow(&kept, at(0), &calendar()), first);
    }

    #[test]
    fn messages_in_any_order_and_again_make_the_same_events(
        sent in prop::collection::vec((0_u32..12, any::<prop::sample::Index>(), 0_i64..1_200), 1..40), with_id in any::<bool>(),
    ) {
        let mut rule = settled();
        if !with_id {
            rule.fields.remove("id");
        }
        let rules = Rules::ready(&[rule]).unwrap();
        let made = |order: &[(u32, i64)]| {
            let mut ledger: BTreeMap<(String, String), String> = BTreeMap::new();
            for (number, seconds) in order {
                let mut message = example();
                message["body"]["ref"] = json!(format!("p-{number}"));
                message["body"]["ts"] = json!(1_764_012_600_000_i64 + i64::from(*number));
                let at = tally_core::time::after(arrived(), TimeDelta::seconds(*seconds));
                for (_, event) in rules.follow(&message, at, &calendar()).events {
                    // What the ledger does: the first line of an origin stays.
                    ledger.entry((event.origin.source, event.origin.id)).or_insert_with(|| event.happening.words());
                }
            }
            ledger
        };
        let first: Vec<(u32, i64)> = sent.iter().map(|(number, _, seconds)| (*number, *seconds)).collect();
        let mut other = [first.clone(), first.clone()].concat();
        for (place, (_, pick, _)) in sent.iter().enumerate() {
            let with = pick.index(other.len());
            other.swap(place, with);
        }
        prop_assert_eq!(made(&other), made(&first));
    }

    #[test]
    fn files_out_and_in_are_the_same(written in prop::collection::vec(any_rule(), 0..4)) {
        prop_assume!(Rules::ready(&written).is_ok());
        prop_assert_eq!(file::read(file::write(&written).as_bytes()), Ok(written));
    }

    #[test]
    fn patterns_are_quick_or_refused(pattern in ".{0,30}", text in "[ab]{0,200}") {
        let mut rule = rule(Kind::Signal, &[("signal", always("x"))]);
        rule.when = vec![when("/body", Test::Matches(pattern))];
        if let Ok(rules) = Rules::ready(&[rule]) {
            let _ = rules.follow(&payment(&json!(text)), arrived(), &calendar());
        }
    }
}
