//! *When* a tip *of at least* £10 *comes,* at any time*, at most every* minute: *press* “Cups of tea”: +1.

use super::{Cue, Days, MOST_STEPS, When};
use crate::language::unit::Unit;
use crate::record::cue::Do;
use crate::record::happening::Kind;
use crate::record::ids::WidgetId;
use crate::sentence::{Editor, Part};
use crate::widgets::Watched;
use std::collections::BTreeMap;

pub(super) const NAME: &str = "The name";
pub(super) const WHEN: &str = "The occasion";
pub(super) const LEAST: &str = "The least size";
pub(super) const WORD: &str = "The word";
pub(super) const WIDGET: &str = "The widget";
pub(super) const VALUE: &str = "The value";
pub(super) const LEFT: &str = "The time left";
pub(super) const DAYS: &str = "The days";
pub(super) const TIME: &str = "The time of day";
pub(super) const SHOWN: &str = "What must be seen";
pub(super) const ADDRESS: &str = "The address";
pub(super) const LINE: &str = "The line";
const AIR: &str = "When it may fire";
pub(super) const EVERY: &str = "The rest between firings";
const EACH: &str = "For whom";
pub(super) const WAIT: &str = "The wait";
pub(super) const WHAT: &str = "What is done";
pub(super) const NUMBER: &str = "The number";
pub(super) const TEXT: &str = "The text";
pub(super) const NONE_OF_THEM: &str = "is none of the choices offered; pick one from the list";

/// Kinds that can be waited for.
pub(super) const KINDS: [Kind; 7] =
    [Kind::Tip, Kind::Sub, Kind::Gift, Kind::Cheer, Kind::Follow, Kind::Raid, Kind::Purchase];

/// What a channel has that a cue can go by and do.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Offer {
    /// Widgets that can be waited for: which, what in them, and their titles.
    pub watched: Vec<(WidgetId, Watched, String)>,
    /// What can be done: in words, and whether a text goes along.
    pub actions: Vec<(Do, String, bool)>,
    /// What widgets are called that stand on overlays.
    pub titles: BTreeMap<WidgetId, String>,
    /// Of which family each widget is that can be operated.
    pub families: BTreeMap<WidgetId, &'static str>,
    /// Which widget a piece of an overlay is, by the overlay's number and the piece's.
    pub pieces: BTreeMap<(u32, u32), WidgetId>,
    /// In what money is told.
    pub money: Option<Unit>,
    /// What the values are called that stand in a line of chat, with what they are now.
    pub texts: BTreeMap<String, String>,
}

/// What a step does besides operating widgets and pieces: how it begins, and its words.
const BESIDES: [(&str, &str); 4] =
    [("say", "say in chat"), ("call", "call an address"), ("air true", "go on air"), ("air false", "go off air")];

/// The key of an action among all that are offered.
pub(super) fn key_of(what: &Do) -> String {
    match what {
        Do::Press { widget, action, value, side, .. } => {
            let some = |number: Option<i64>| number.map(|number| number.to_string()).unwrap_or_default();
            format!("press {widget} {action} {} {}", some(*value), some(side.map(i64::from)))
        }
        Do::Appear { overlay, piece, shown } => format!("appear {overlay} {piece} {shown}"),
        Do::Sound { overlay, sound } => format!("sound {overlay} {sound}"),
        Do::Say { .. } => "say".into(),
        Do::Call { .. } => "call".into(),
        Do::Air { on } => format!("air {on}"),
    }
}

impl Offer {
    pub(super) fn of(&self, watched: Watched) -> impl Iterator<Item = &(WidgetId, Watched, String)> {
        self.watched.iter().filter(move |(_, own, _)| *own == watched)
    }

    pub(super) fn unit(&self, kind: Kind) -> Unit {
        match self.money {
            Some(money) if kind == Kind::Tip || kind == Kind::Purchase => money,
            _ => Unit::Things,
        }
    }

    /// What is offered under the key of an action; its number and its text are the cue's own.
    fn find(&self, what: &Do) -> Option<&(Do, String, bool)> {
        let same = |offered: &Do| match (offered, what) {
            (
                Do::Press { widget, action, side, value, .. },
                Do::Press { widget: own, action: its, side: whose, value: number, .. },
            ) => widget == own && action == its && side == whose && value.is_some() == number.is_some(),
            (one, other) => one == other,
        };
        // Of several that differ in their number the one with the same number is meant, if there is one.
        let exact = self.actions.iter().find(|(offered, ..)| key_of(offered) == key_of(what));
        exact.or_else(|| self.actions.iter().find(|(offered, ..)| same(offered)))
    }
}

fn when_key(when: &When) -> String {
    match when {
        When::Entry { kind, .. } => kind.key().to_owned(),
        When::Command { .. } => "command".into(),
        When::Reward { .. } => "reward".into(),
        When::Signal { .. } => "signal".into(),
        When::Reached { .. } => "reached".into(),
        When::Passed { .. } => "passed".into(),
        When::Closed { .. } => "closed".into(),
        When::Left { .. } => "left".into(),
        When::Rested { .. } => "rested".into(),
        When::At { .. } => "at".into(),
        When::Begins => "begins".into(),
        When::Ends => "ends".into(),
        When::ByHand => "hand".into(),
    }
}

/// What can be waited for in widgets: its key, and its words.
const WATCHES: [(Watched, &str, &str); 5] = [
    (Watched::Reached, "reached", "a goal is reached"),
    (Watched::Passed, "passed", "a counter comes to a value"),
    (Watched::Closed, "closed", "a poll is closed"),
    (Watched::Left, "left", "a clock runs down"),
    (Watched::Rested, "rested", "a wheel comes to rest"),
];

fn occasions(offer: &Offer) -> Vec<(String, String)> {
    let entry = |kind: Kind| {
        let words = match kind {
            Kind::Tip => "a tip comes",
            Kind::Sub => "somebody subscribes",
            Kind::Gift => "subscriptions are given",
            Kind::Cheer => "somebody cheers",
            Kind::Follow => "somebody follows",
            Kind::Raid => "a raid comes",
            _ => "something is bought",
        };
        (kind.key().to_owned(), words.to_owned())
    };
    let mut all: Vec<(String, String)> = KINDS.map(entry).into();
    let mut more = |key: &str, words: &str| all.push((key.to_owned(), words.to_owned()));
    more("command", "somebody says a word in chat");
    more("reward", "somebody takes a reward");
    more("signal", "a signal comes");
    for (watched, key, words) in WATCHES {
        if offer.of(watched).next().is_some() {
            more(key, words);
        }
    }
    more("at", "the clock strikes");
    more("begins", "the show begins");
    more("ends", "the show ends");
    more("hand", "you press it");
    all
}

/// A choice whose present value may be gone: then it says so.
fn choice(
    key: impl Into<std::borrow::Cow<'static, str>>,
    label: &'static str,
    mut options: Vec<(String, String)>,
    chosen: String,
    gone: &str,
) -> Part {
    let shown = options.iter().find(|(key, _)| *key == chosen).map(|(_, words)| words.clone());
    if shown.is_none() {
        options.insert(0, (chosen.clone(), gone.to_owned()));
    }
    Part::field(key, label, shown.unwrap_or_else(|| gone.to_owned()), Editor::Choice { options, chosen })
}

impl Cue {
    /// Its sentence.
    #[must_use]
    pub fn sentence(&self, offer: &Offer) -> Vec<Part> {
        let mut parts = vec![
            Part::words("When"),
            choice("when", WHEN, occasions(offer), when_key(&self.when), "something that is gone"),
        ];
        match &self.when {
            When::Entry { kind, least } if !matches!(kind, Kind::Follow | Kind::Sub) => {
                let unit = offer.unit(*kind);
                let shown = if *least == 0 { "any size".to_owned() } else { format!("at least {}", unit.show(*least)) };
                let value = if *least == 0 { String::new() } else { unit.plain(*least) };
                parts.push(Part::words("of"));
                parts.push(Part::field("least", LEAST, shown, Editor::MaybeNumber { value }));
            }
            When::Reward { name } => parts.push(Part::field(
                "word",
                WORD,
                if name.is_empty() { "whichever".to_owned() } else { format!("“{name}”") },
                Editor::Text { value: name.clone() },
            )),
            When::Command { word } => parts.push(Part::field(
                "word",
                WORD,
                if word.is_empty() { "no word yet".to_owned() } else { word.clone() },
                Editor::Text { value: word.clone() },
            )),
            When::Signal { name } => parts.push(Part::field(
                "word",
                WORD,
                if name.is_empty() { "no name yet".to_owned() } else { format!("“{name}”") },
                Editor::Text { value: name.clone() },
            )),
            _ => {}
        }
        if let Some((watched, widget)) = self.when.watches() {
            let options = offer.of(watched).map(|(id, _, title)| (id.to_string(), format!("“{title}”"))).collect();
            parts.push(Part::words("in"));
            parts.push(choice("widget", WIDGET, options, widget.to_string(), "a widget that is gone"));
        }
        match &self.when {
            When::Passed { value, .. } => {
                let editor = Editor::Number { value: value.to_string(), sign: String::new() };
                parts.extend([Part::words("at"), Part::field("value", VALUE, value.to_string(), editor)]);
            }
            When::Left { seconds, .. } => {
                let seconds = u32::try_from(*seconds).unwrap_or(u32::MAX);
                parts.extend([Part::words("to"), Part::rest(("left", LEFT), seconds, "its end", "")]);
            }
            When::Rested { on, .. } => {
                let shown = if on.is_empty() { "anything".to_owned() } else { format!("“{on}”") };
                let editor = Editor::Text { value: on.clone() };
                parts.extend([Part::words("on"), Part::field("word", WORD, shown, editor)]);
            }
            When::At { minute, days } => {
                let value = format!("{:02}:{:02}", minute / 60, minute % 60);
                parts.push(Part::field("time", TIME, value.clone(), Editor::Text { value }));
                let all = Days::ALL.iter().map(|(_, key, words)| ((*key).to_owned(), (*words).to_owned())).collect();
                let chosen = Days::ALL.iter().find(|(one, ..)| one == days).map_or("every", |(_, key, _)| key);
                parts.push(choice("days", DAYS, all, chosen.to_owned(), ""));
            }
            _ => {}
        }
        let plain = |options: &[(&str, &str)]| -> Vec<(String, String)> {
            options.iter().map(|(key, words)| ((*key).to_owned(), (*words).to_owned())).collect()
        };
        let air = if self.on_air { "on" } else { "any" };
        parts.extend([
            Part::words(","),
            choice("on_air", AIR, plain(&[("any", "at any time"), ("on", "only on air")]), air.to_owned(), ""),
            Part::words(", with"),
            Part::rest(("every", EVERY), self.every_s, "no rest between", "a rest of "),
            Part::words(","),
            choice(
                "each",
                EACH,
                plain(&[("all", "every time"), ("first", "only the first time of each supporter in a show")]),
                if self.once_each { "first" } else { "all" }.to_owned(),
                "",
            ),
        ]);
        let mut seen = vec![(String::new(), "whatever is seen".to_owned())];
        let titles = offer.titles.iter();
        seen.extend(titles.map(|(id, title)| (id.to_string(), format!("only while “{title}” is seen"))));
        let chosen = self.while_shown.map_or_else(String::new, |id| id.to_string());
        parts.extend([
            Part::words(","),
            choice("shown", SHOWN, seen, chosen, "only while a widget is seen that is gone"),
        ]);
        let mut actions: Vec<(String, String)> =
            offer.actions.iter().map(|(what, words, _)| (key_of(what), words.clone())).collect();
        actions.extend(BESIDES.map(|(key, words)| (key.to_owned(), words.to_owned())));
        for (place, step) in self.steps.iter().enumerate() {
            let found = offer.find(&step.what);
            parts.push(Part::words(if place == 0 { ":" } else { ", then" }));
            parts.push(Part::rest((format!("do:{place}:wait"), WAIT), step.wait_s, "at once", "after "));
            let mut options = actions.clone();
            options.push(("remove".into(), "nothing (leave this step out)".into()));
            let chosen = found.map_or_else(|| key_of(&step.what), |(offered, ..)| key_of(offered));
            parts.push(choice(format!("do:{place}:what"), WHAT, options, chosen, "something that is gone"));
            if let Do::Press { value: Some(value), .. } = step.what {
                let editor = Editor::Number { value: value.to_string(), sign: String::new() };
                parts.push(Part::words("by"));
                parts.push(Part::field(format!("do:{place}:value"), NUMBER, value.to_string(), editor));
            }
            if let Do::Say { text } = &step.what {
                let shown = if text.is_empty() { "nothing yet".to_owned() } else { format!("“{text}”") };
                let editor = Editor::Text { value: text.clone() };
                parts.push(Part::field(format!("do:{place}:line"), LINE, shown, editor));
            }
            if let Do::Call { address } = &step.what {
                let shown = if address.is_empty() { "none yet" } else { address }.to_owned();
                let editor = Editor::Text { value: address.clone() };
                parts.push(Part::field(format!("do:{place}:address"), ADDRESS, shown, editor));
            }
            if let (Do::Press { text, .. }, true) = (&step.what, found.is_some_and(|(.., takes_text)| *takes_text)) {
                let value = text.clone().unwrap_or_default();
                let shown = if value.is_empty() { "no text".to_owned() } else { format!("“{value}”") };
                parts.push(Part::words("with"));
                parts.push(Part::field(format!("do:{place}:text"), TEXT, shown, Editor::Text { value }));
            }
        }
        if self.steps.len() < MOST_STEPS {
            parts.push(Part::words(if self.steps.is_empty() { ":" } else { ", then" }));
            parts.push(choice("do:add", WHAT, actions, String::new(), "add a step"));
        }
        parts
    }
}
