//! What viewers say in chat and a rate sheet listens for.

use super::Show;
use chrono::TimeDelta;
use tally_core::book::chat::{ChatLine, Role};
use tally_core::record::happening::Happening;
use tally_core::record::ids::FeedId;

#[test]
fn a_word_in_chat_is_heard_once_in_a_while_from_each_viewer() {
    let mut show = Show::started(&[("rate.command", "!coal"), ("rate.rest.command:!coal", "30")]);
    let line = |name: &str, id: Option<&str>, text: &str, at| ChatLine {
        at,
        name: name.into(),
        id: id.map(str::to_owned),
        role: Role::Viewer,
        subscriber: false,
        text: text.into(),
    };
    let now = show.now;
    let words = |show: &mut Show, name: &str, id: Option<&str>, text: &str| {
        let heard = show.channel.hear(FeedId(1), vec![line(name, id, text, show.now)], show.now);
        assert!(heard.votes.is_empty() && heard.presses.is_empty());
        heard.commands
    };
    let said = words(&mut show, "ade", Some("7"), " ！COAL  please ");
    let [(at, Happening::Command { actor, word, text })] = &said[..] else { panic!("{said:?}") };
    assert_eq!((*at, actor.id.as_deref(), word.as_str(), text.as_deref()), (now, Some("7"), "!coal", Some("please")));
    // The same viewer under another name is the same viewer; one without an id is known by name.
    assert!(words(&mut show, "Ade the second", Some("7"), "!coal").is_empty());
    assert_eq!(words(&mut show, "bea", None, "!coal").len(), 1);
    assert!(words(&mut show, "BEA", None, "!coal").is_empty());
    assert!(
        words(&mut show, "cat", None, "more !coal").is_empty() && words(&mut show, "cat", None, "!coals").is_empty()
    );
    show.wait(30);
    assert_eq!(words(&mut show, "ade", Some("7"), "!coal").len(), 1);
    // Nothing is said later than it arrives.
    show.wait(30);
    let later = line("ade", Some("7"), "!coal", show.now + TimeDelta::hours(1));
    assert_eq!(show.channel.hear(FeedId(1), vec![later], show.now).commands[0].0, show.now);
    assert!(show.refusal("rate.command", "two words").contains("one word"));
    assert!(show.refusal("rate.command", "!COAL").contains("a row already"));
}
