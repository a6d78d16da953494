//! What comes from outside as nobody should send it: no reader falls over it, or takes more than it may.

#[path = "../../core/tests/common/hostile.rs"]
mod harm;

use crate::cloudevents::{self, Mode};
use crate::{irc, mapping, rates, schedule, table};
use chrono::{NaiveTime, Weekday};
use harm::{Costs, hostile, within};
use proptest::prelude::*;
use tally_core::time::Instant;
use tally_core::time::calendar::Calendar;

const MIB: u64 = 1024 * 1024;

fn now() -> Instant {
    "2026-11-18T12:00:00Z".parse().unwrap()
}

fn london() -> Calendar {
    Calendar { zone: chrono_tz::Europe::London, week_start: Weekday::Mon, day_start: NaiveTime::MIN }
}

fn seeds(texts: &[&str]) -> Vec<Vec<u8>> {
    texts.iter().map(|text| text.as_bytes().to_vec()).collect()
}

fn calendars() -> Vec<Vec<u8>> {
    let begins = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Saltmarsh Halt//EN\r\n";
    let zone = "BEGIN:VTIMEZONE\r\nTZID:Halt\r\nBEGIN:STANDARD\r\nDTSTART:19701025T020000\r\nTZOFFSETFROM:+0100\r\n\
        TZOFFSETTO:+0000\r\nRRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n";
    let entry = "BEGIN:VEVENT\r\nUID:a\r\nSUMMARY:Build night\r\nDTSTART;TZID=Halt:20261016T193000\r\nDURATION:PT3H\r\n\
        RRULE:FREQ=SECONDLY;INTERVAL=1;BYDAY=FR;BYHOUR=1,2,3;BYMINUTE=0,30;BYSETPOS=-1;COUNT=4\r\n\
        EXDATE:20261023T193000\r\nRDATE;VALUE=PERIOD:20261024T180000/PT2H\r\nEND:VEVENT\r\n";
    let moved = "BEGIN:VEVENT\r\nUID:a\r\nRECURRENCE-ID;RANGE=THISANDFUTURE:20261030T193000Z\r\n\
        DTSTART:20261031T180000Z\r\nDTEND:20261031T200000Z\r\nRRULE:FREQ=YEARLY;BYWEEKNO=20;BYYEARDAY=1,-1\r\nEND:VEVENT\r\n";
    vec![format!("{begins}{zone}{entry}{moved}END:VCALENDAR\r\n").into_bytes()]
}

fn events() -> Vec<Vec<u8>> {
    seeds(&[
        r#"{"specversion":"1.0","id":"1","source":"/jar","type":"tally.tip","time":"2026-11-18T11:00:00Z","data":{"actor":{"id":"v1","name":"Ade \ud83d\ude82","avatar":"https://a.example/x.png"},"amount":"12.50","currency":"EUR","message":"choo"}}"#,
        r#"[{"specversion":"1.0","id":"2","source":"/jar","type":"tally.poll","data":{"poll":"p","question":"Which?","options":[{"text":"a","votes":1e3}],"opened_at":"2026-11-18T11:00:00Z","state":"open"}}]"#,
        r#"{"actor":{"name":"x","anonymous":true},"tier":2,"count":1000}"#,
        "[[[[{\"a\":",
    ])
}

proptest! {
    #[test]
    fn calendars_of_shows(sent in hostile(&calendars())) {
        // The text is held once unfolded, and once taken apart; laying out is bounded by its own steps.
        let costs = Costs { bytes: 24 * MIB, allocations: 60_000, each_byte: 12 };
        let text = String::from_utf8_lossy(&sent);
        let _ = within(costs, &sent, || schedule::read(&text, &london(), now()));
    }

    #[test]
    fn cloud_events(sent in hostile(&events()), kind in "tally\\.(tip|sub|gift|raid|poll|gauge|stat|signal)") {
        // A gift stands for two thousand subscriptions at most.
        let costs = Costs { bytes: 16 * MIB, allocations: 24_000, each_byte: 8 };
        let named = [("specversion", "1.0"), ("id", "a"), ("source", "/b"), ("type", &kind)];
        let named: Vec<(String, String)> = named.map(|(key, value)| (key.to_owned(), value.to_owned())).into();
        for (mode, named) in [(Mode::Structured, &[][..]), (Mode::Batch, &[][..]), (Mode::Binary, &named[..])] {
            let _ = within(costs, &sent, || {
                cloudevents::parse(mode, named, &sent, now()).and_then(cloudevents::expand_gifts)
            });
        }
    }

    #[test]
    fn lines_of_chat(sent in hostile(&seeds(&[
        "@badges=owner;display-name=Ad\\se;time=2026-11-18T11:00:00.000Z;user-id=v1 :ade!ade@a PRIVMSG #saltmarsh :choo choo",
        ":server CAP * LS * :message-tags server-time sasl=PLAIN\r\n",
    ]))) {
        let text = String::from_utf8_lossy(&sent);
        let costs = Costs { bytes: 8 * MIB, allocations: 100, each_byte: 1 };
        if let Some(message) = within(costs, &sent, || irc::Message::read(&text)) {
            let _ = (message.name(), message.at());
        }
    }

    #[test]
    fn tables(sent in hostile(&seeds(&[
        "When;Name;Amount;Currency\n2026-11-01 20:00;Ade;12,50;EUR\n\"2026-11-02\";\"Ruth \"\"R\"\"\";3;GBP\n",
        "time,name,amount\n1,2,3,4\n\u{feff}",
    ]))) {
        let costs = Costs { bytes: 16 * MIB, allocations: 4_000, each_byte: 24 };
        let _ = within(costs, &sent, || {
            let text = table::text(&sent)?;
            let look = table::look(text)?;
            let matching = table::guess(&look);
            Ok::<_, table::FileError>(table::read(text, &look, &matching, &london(), now()).filter(|row| row.1.is_ok()).count())
        });
    }

    #[test]
    fn events_by_the_line(sent in hostile(&events())) {
        let costs = Costs { bytes: 16 * MIB, allocations: 4_000, each_byte: 24 };
        let text = String::from_utf8_lossy(&sent);
        let _ = within(costs, &sent, || table::ndjson(&text, now()).filter(|row| row.1.is_ok()).count());
    }

    #[test]
    fn rates_of_the_day(sent in hostile(&seeds(&[
        "<gesmes:Envelope xmlns:gesmes='g'><Cube><Cube time='2026-11-18'><Cube currency='GBP' rate='0.8456'/></Cube></Cube></gesmes:Envelope>",
        "<!DOCTYPE x [<!ENTITY a \"&a;&a;\">]><Cube time='&a;'>",
    ]))) {
        let costs = Costs { bytes: 16 * MIB, allocations: 200, each_byte: 2 };
        let text = String::from_utf8_lossy(&sent);
        let _ = within(costs, &sent, || rates::parse(&text));
    }

    #[test]
    fn rules_of_feeds(sent in hostile(&seeds(&[
        r#"{"format":"eager-tally-feed-rules","version":1,"rules":[{"name":"Tips","type":"tally.tip","when":[{"at":"/body/kind","is":"tip"}],"fields":{"amount":{"at":"/body/sum","divide":100},"currency":{"is":"EUR"}}}]}"#,
        r#"{"body":{"kind":"tip","sum":1250,"who":{"name":"Ade"}}}"#,
    ])), message in hostile(&events())) {
        let costs = Costs { bytes: 16 * MIB, allocations: 4_000, each_byte: 12 };
        let rules = within(costs, &sent, || mapping::file::read(&sent));
        let document = within(costs, &message, || mapping::document::of_message(&message, None));
        if let (Ok(rules), Ok(document)) = (rules.and_then(|rules| mapping::Rules::ready(&rules).map_err(|why| why.to_string())), document) {
            let _ = within(costs, &message, || rules.follow(&document, now(), &london()));
        }
    }
}
