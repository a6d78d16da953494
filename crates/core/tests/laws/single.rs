//! Of the whole channel, by example.

use crate::common::settings;
use crate::life::{begin, edited, piece};
use tally_core::channel::{Channel, Press};
use tally_core::money::{Currency, Money};
use tally_core::record::entry::{Body, Draft, Origin};
use tally_core::record::happening::{Actor, Happening};
use tally_core::record::ids::{Seq, WidgetId};
use tally_core::record::settings::Settings;
use tally_core::widgets::{Action, Piece};

fn channel() -> Channel {
    let pieces = [piece("goal", &[]), piece("counter", &[])];
    Channel::new(settings(), (1..).map(WidgetId).zip(pieces))
}

#[test]
fn a_rehearsal_is_a_record_of_its_own() {
    let mut real = channel();
    let actor = Actor { id: None, name: "bram".into(), avatar: None, anonymous: false };
    let amount = Money { minor: 500, currency: Currency::parse("GBP").unwrap() };
    let tip = |seq| {
        let origin = Origin { source: "x".into(), id: format!("{seq}") };
        let body = Body::Happening(Happening::Tip { actor: actor.clone(), amount, message: None });
        Draft { origin, feed: None, happened_at: begin(), arrived_at: begin(), body }.at(Seq(seq))
    };
    real.apply(&tip(1));
    let before = real.clone();
    let mut rehearsal = real.rehearsal(begin());
    let text = |channel: &Channel| channel.view(WidgetId(1), begin()).unwrap().text();
    assert_eq!(text(&rehearsal), "£0 of £100 (0%)");
    rehearsal.apply(&tip(1));
    rehearsal.apply(&tip(2));
    assert_eq!((text(&rehearsal).as_str(), text(&real).as_str()), ("£10 of £100 (10%)", "£5 of £100 (5%)"));
    assert_eq!(real, before);
}

#[test]
fn a_snapshot_of_other_definitions_is_left_aside() {
    let channel = channel();
    let other = edited(channel.widget(WidgetId(1)).unwrap(), "target", "5");
    let mut changed = channel.clone();
    changed.put(WidgetId(1), other);
    assert!(channel.resume(changed.snapshot(), Vec::new()).is_none());
    assert!(channel.resume(channel.snapshot(), Vec::new()).is_some());
}

#[test]
fn other_settings_keep_a_snapshot_and_price_anew() {
    let mut lived = channel();
    let per_euro = [("GBP".to_owned(), "0.80".parse().unwrap())].into();
    let amount = Money { minor: 1_000, currency: Currency::parse("EUR").unwrap() };
    let actor = Actor { id: None, name: "bram".into(), avatar: None, anonymous: false };
    let bodies = [
        Body::Rates { days: [("2026-10-01".parse().unwrap(), per_euro)].into() },
        Body::Happening(Happening::Tip { actor, amount, message: None }),
    ];
    for (seq, body) in (1..).zip(bodies) {
        let origin = Origin { source: "x".into(), id: seq.to_string() };
        let draft = Draft { origin, feed: None, happened_at: begin(), arrived_at: begin(), body };
        lived.apply(&draft.at(Seq(seq)));
    }
    let snapshot = lived.snapshot();
    let pages = lived.book().dirty().map(|(day, facts, _)| (day, facts.to_vec())).collect();
    let euros = Settings { currency: Currency::parse("EUR").unwrap(), ..settings() };
    let pieces: Vec<(WidgetId, Piece)> = channel().widgets().map(|(id, piece)| (id, piece.clone())).collect();
    let resumed = Channel::new(euros, pieces).resume(snapshot, pages).unwrap();
    let text = |channel: &Channel| channel.view(WidgetId(1), begin()).unwrap().text();
    assert_eq!((text(&lived).as_str(), text(&resumed).as_str()), ("£8 of £100 (8%)", "€10 of €100 (10%)"));
}

#[test]
fn a_press_on_nothing_is_refused_in_words() {
    let press = |widget, name, value| {
        let press =
            Press { widget: WidgetId(widget), action: Action { name, value, text: None, side: None }, by: "odile" };
        channel().decide(&press, begin()).unwrap_err().to_string()
    };
    assert_eq!(press(99, "add", None), "there is no such widget");
    assert!(press(1, "add", None).contains("all else follows the ledger"));
    assert_eq!(press(2, "undo", None), "there is nothing to take back");
    assert_eq!(press(2, "undo", Some(-1)), "“undo” takes the number of a line");
    assert_eq!(
        channel().apply(
            &Draft {
                origin: Origin { source: "x".into(), id: "x".into() },
                feed: None,
                happened_at: begin(),
                arrived_at: begin(),
                body: Body::Void { widget: WidgetId(99), by: "x".into(), target: Seq(1) },
            }
            .at(Seq(1))
        ),
        std::collections::BTreeSet::new()
    );
}
