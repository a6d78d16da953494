//! The bot: cool-downs against a naive model, notices in turn and shuffled, and what is said.

use crate::LIVES;
use crate::life::{begin, piece};
use chrono::TimeDelta;
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use tally_core::book::chat::{ChatLine, Role};
use tally_core::bot::{Bot, BotEdit, BotError, Order, Place};
use tally_core::channel::Channel;
use tally_core::record::ids::{FeedId, WidgetId};
use tally_core::time::Instant;

fn line(name: &str, role: Role, text: &str, at: Instant) -> ChatLine {
    ChatLine { at, name: name.into(), id: None, role, subscriber: role == Role::Subscriber, text: text.into() }
}

fn tea() -> Channel {
    Channel::new(crate::common::settings(), [(WidgetId(1), piece("counter", &[("title", "Cups of tea")]))])
}

fn edited(bot: &Bot, edits: &[BotEdit]) -> Bot {
    let texts = tea().texts(None, begin());
    edits.iter().fold(bot.clone(), |bot, edit| bot.edited(edit.clone(), &texts).unwrap())
}

fn command(key: &str, text: &str) -> BotEdit {
    BotEdit::SetCommand { command: 1, key: key.into(), text: text.into() }
}

fn notices(key: &str, text: &str) -> BotEdit {
    BotEdit::SetNotices { key: key.into(), text: text.into() }
}

fn hear(channel: &mut Channel, line: ChatLine, now: Instant) -> Vec<String> {
    channel.hear(FeedId(1), vec![line], now).answers.into_iter().map(Result::unwrap).collect()
}

#[test]
fn what_viewers_wrote_calls_nobody_in_what_the_bot_says() {
    let channel = tea();
    let said = channel.chat_line("{{ name }}: {{ message }}", "@everyone", "ask @mara", begin()).unwrap();
    assert_eq!(said, "@\u{2060}everyone: ask @\u{2060}mara");
    assert_eq!(channel.chat_line("Ask @mara", "ade", "", begin()).unwrap(), "Ask @mara", "what the owner wrote does");
}

#[test]
fn a_word_is_answered_with_what_a_widget_says_by_those_who_may() {
    let mut channel = tea();
    let answer = "{{ name }}: {{ 'Cups of tea'|widget }} so far{% if message %}, {{ message|upper }}{% endif %}";
    let bot = edited(
        &Bot::default(),
        &[
            BotEdit::AddCommand("!tea".into()),
            command("answer", answer),
            command("who", "subscriber"),
            command("rest", ""),
            command("rest_each", ""),
        ],
    );
    channel.set_bot(bot, begin(), |_| 0);
    let said = |channel: &mut Channel, role, text: &str| hear(channel, line("ade", role, text, begin()), begin());
    assert_eq!(said(&mut channel, Role::Subscriber, "!TEA"), ["ade: 0 so far"]);
    assert_eq!(said(&mut channel, Role::Owner, "!tea now *"), ["ade: 0 so far, NOW *"]);
    assert_eq!(said(&mut channel, Role::Follower, "!tea"), [""; 0], "they may not");
    assert_eq!(said(&mut channel, Role::Owner, "tea"), [""; 0], "another word");
    let uses = channel.talk().uses(1);
    assert_eq!((uses.answered, uses.refused, uses.rested), (2, 1, 0));
    assert_eq!(channel.words_of_chat(), [], "it says nothing of what it is for");
}

#[test]
fn what_cannot_be_said_is_refused_in_words() {
    let texts = tea().texts(None, begin());
    let bot = edited(&Bot::default(), &[BotEdit::AddCommand("!tea".into())]);
    for (edit, why) in [
        (BotEdit::AddCommand("two words".into()), "The word must be one word"),
        (BotEdit::AddCommand("!TEA".into()), "the word !tea has an answer already"),
        (command("answer", "{{ 'Coffee'|widget }}"), "there is no widget called “Coffee”"),
        (command("answer", "{{ 1 // count }}"), "The answer"),
        (command("answer", "{{ nmae }}"), "no value called nmae"),
        (command("rest", "30:00:00"), "The rest must be a day at most"),
        (command("who", "nobody"), "Who may use it"),
        (command("colour", "red"), "This command has no part"),
        (BotEdit::AddNotice(" ".into()), "The notice must say something"),
        (BotEdit::RemoveNotice(1), "not there any more"),
        (notices("every", "0:05"), "must be between 30 seconds and a day"),
        (notices("lines", "many"), "The lines of chat"),
        (notices("text:9", "x"), "not there any more"),
    ] {
        let told = bot.edited(edit, &texts).unwrap_err().to_string();
        assert!(told.contains(why), "{told}");
    }
    let full = (0..200).fold(Bot::default(), |bot, n| edited(&bot, &[BotEdit::AddCommand(format!("!{n}"))]));
    assert_eq!(full.edited(BotEdit::AddCommand("!x".into()), &texts), Err(BotError::TooMany));
}

/// A bot whose notices are on, in an order.
fn telling(many: usize, order: &str) -> Bot {
    let mut edits = vec![notices("notices", "on"), notices("order", order), notices("on_air", "any")];
    edits.extend([notices("every", "1:00"), notices("lines", "2")]);
    edits.extend((0..many).map(|n| BotEdit::AddNotice(format!("notice {n}"))));
    edited(&Bot::default(), &edits)
}

#[test]
fn a_notice_waits_for_its_time_and_for_chat_and_says_for_what() {
    let mut channel = tea();
    channel.set_bot(edited(&telling(4, "in_turn"), &[notices("on_air", "on")]), begin(), |_| 0);
    let next = |channel: &Channel, joined| channel.talk().next(channel.bot(), channel.around_notices(joined));
    let waits = next(&channel, false);
    assert_eq!(waits.iter().map(|next| (next.at - begin()).num_seconds()).collect::<Vec<_>>(), [60, 120, 180]);
    assert_eq!(waits[0].waits, ["2 more lines of chat", "you to go on air", "a chat that is joined"]);
    channel.set_bot(telling(4, "in_turn"), begin(), |_| 0);
    let minute = begin() + TimeDelta::seconds(60);
    hear(&mut channel, line("ade", Role::Viewer, "hello", begin()), begin());
    assert_eq!(channel.notice(true, minute, |_| 0), None, "chat is too quiet");
    hear(&mut channel, line("ade", Role::Viewer, "hello", begin()), begin());
    assert_eq!(channel.notice(true, minute - TimeDelta::seconds(1), |_| 0), None, "too early");
    assert_eq!(channel.notice(false, minute, |_| 0), None, "nobody would hear it");
    assert_eq!(channel.notice(true, minute, |_| 0), Some((Place::Chat, Ok("notice 0".into()))));
    assert_eq!(channel.notice(true, minute, |_| 0), None, "the next has its own time");
}

#[test]
fn a_notice_for_tickers_runs_on_them_until_the_next() {
    let widgets = [(WidgetId(1), piece("ticker", &[]))];
    let mut channel = Channel::new(crate::common::settings(), widgets);
    let bot = edited(&telling(1, "in_turn"), &[notices("place", "ticker"), notices("lines", "0")]);
    channel.set_bot(bot.clone(), begin(), |_| 0);
    let minute = begin() + TimeDelta::seconds(60);
    let shown = |channel: &Channel| channel.view(WidgetId(1), minute).unwrap().text();
    assert!(!shown(&channel).contains("notice 0"));
    assert_eq!(channel.notice(false, minute, |_| 0), Some((Place::Ticker, Ok("notice 0".into()))));
    assert!(shown(&channel).contains("notice 0"));
    channel.set_bot(edited(&bot, &[notices("notices", "off")]), minute, |_| 0);
    assert!(!shown(&channel).contains("notice 0"), "it is taken off with the notices");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: LIVES, ..ProptestConfig::default() })]

    #[test]
    fn cool_downs_are_what_a_naive_model_says(
        rests in (0_u32..30, 0_u32..60),
        lines in prop::collection::vec((0_u8..4, 0_i64..20), 0..80),
    ) {
        let (rest, each) = rests;
        let mut channel = tea();
        let bot = edited(&Bot::default(), &[
            BotEdit::AddCommand("!tea".into()),
            command("answer", "tea"),
            command("rest", &rest.to_string()),
            command("rest_each", &each.to_string()),
        ]);
        channel.set_bot(bot, begin(), |_| 0);
        let mut now = begin();
        let mut answered: Vec<(u8, Instant)> = Vec::new();
        for (who, wait) in lines {
            now += TimeDelta::seconds(wait);
            let within = |at: &Instant, seconds: u32| now - *at < TimeDelta::seconds(seconds.into());
            let rests = answered.iter().any(|(one, at)| within(at, rest) || (*one == who && within(at, each)));
            let got = !hear(&mut channel, line(&format!("viewer{who}"), Role::Viewer, "!tea", now), now).is_empty();
            prop_assert_eq!(got, !rests);
            if got {
                answered.push((who, now));
            }
        }
    }

    #[test]
    fn no_notice_comes_again_before_all_were_said(
        many in 1_usize..8,
        shuffled in any::<bool>(),
        lots in prop::collection::vec(any::<usize>(), 1..40),
        edits in prop::collection::vec((0_u32..9, any::<bool>()), 0..40),
    ) {
        let mut places = lots.iter().cycle();
        let mut lot = move |below: usize| places.next().unwrap() % below.max(1);
        let mut channel = tea();
        let mut bot = telling(many, if shuffled { "shuffled" } else { "in_turn" });
        bot.notices.least_lines = 0;
        prop_assert_eq!(bot.notices.order == Order::Shuffled, shuffled);
        channel.set_bot(bot, begin(), &mut lot);
        let (mut now, mut round, mut last) = (begin(), BTreeSet::new(), None);
        let mut edits = edits.into_iter();
        for _ in 0..40 {
            now += TimeDelta::seconds(60);
            let on: BTreeSet<String> = texts(&channel);
            let told = channel.talk().next(channel.bot(), channel.around_notices(true));
            let said = channel.notice(true, now, &mut lot).map(|(_, text)| text.unwrap());
            prop_assert_eq!(said.is_some(), !on.is_empty());
            let Some(said) = said else { break };
            prop_assert_eq!(&said, &channel.bot().notices.all[&told[0].notice].text, "what was announced is said");
            prop_assert!(round.insert(said.clone()), "{} came again while {:?} had not been said", said, on);
            prop_assert!(on.len() == 1 || last.as_ref() != Some(&said), "none comes twice on end");
            last = Some(said);
            if on.is_subset(&round) {
                round.clear();
            }
            // Somebody switches one on or off meanwhile; who was switched off need not be waited for.
            if let Some((id, is_on)) = edits.next().filter(|(id, _)| channel.bot().notices.all.contains_key(id)) {
                let set = notices(&format!("on:{id}"), if is_on { "on" } else { "off" });
                channel.set_bot(edited(channel.bot(), &[set]), now, &mut lot);
                round = round.intersection(&texts(&channel)).cloned().collect();
                if texts(&channel).is_subset(&round) {
                    round.clear();
                }
            }
        }
    }

    #[test]
    fn whatever_is_said_and_typed_nothing_panics(
        texts in prop::collection::vec((".{0,40}", ".{0,20}"), 0..20),
        keys in prop::collection::vec("(word|who|answer|rest|about|on|every|lines|text:1|on:1|[a-z:]{0,6})", 1..20),
    ) {
        let mut channel = tea();
        let known = BTreeMap::new();
        let mut bot = edited(&Bot::default(), &[BotEdit::AddCommand("!tea".into()), BotEdit::AddNotice("x".into())]);
        for ((typed, said), key) in texts.into_iter().zip(keys.iter().cycle()) {
            for edit in [command(key, &typed), notices(key, &typed)] {
                bot = bot.edited(edit, &known).unwrap_or(bot);
            }
            channel.set_bot(bot.clone(), begin(), |_| 0);
            hear(&mut channel, line("ade", Role::Viewer, &said, begin()), begin());
            hear(&mut channel, line("ade", Role::Viewer, &bot.commands[&1].word, begin()), begin());
        }
        let kept: Bot = serde_json::from_str(&serde_json::to_string(&bot).unwrap()).unwrap();
        prop_assert_eq!(kept, bot);
    }
}

/// The notices that have their turn.
fn texts(channel: &Channel) -> BTreeSet<String> {
    let on = channel.bot().notices.all.values().filter(|one| one.on);
    on.map(|one| one.text.clone()).collect()
}
