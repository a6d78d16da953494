//! What cues can tell widgets to do. The desk offers what makes sense at this moment; a cue is written long before its moment,
//! so what each family can ever do stands here.

/// One action of a family.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Known {
    /// Its name, as the family knows it.
    pub action: &'static str,
    /// What it is, after the widget's title.
    pub words: &'static str,
    /// The number with it, where it takes one.
    pub value: Option<i64>,
    /// Whether a text goes along.
    pub text: bool,
}

const fn known(action: &'static str, words: &'static str) -> Known {
    Known { action, words, value: None, text: false }
}

const fn numbered(action: &'static str, words: &'static str, value: i64) -> Known {
    Known { action, words, value: Some(value), text: false }
}

const COUNTER: &[Known] = &[
    numbered("add", "add", 1),
    numbered("subtract", "subtract", 1),
    numbered("set", "set it to", 0),
    known("reset", "reset"),
];
const CLOCK: &[Known] = &[known("start", "start"), known("pause", "pause"), known("reset", "reset")];
const SUBATHON: &[Known] = &[
    numbered("add", "add seconds", 300),
    numbered("subtract", "take seconds away", 300),
    known("start", "start, or end the break"),
    known("pause", "pause"),
    known("break", "begin a break"),
    known("boost", "boost"),
    known("end_boosts", "end the boost"),
];
const POLL: &[Known] = &[
    Known { action: "open", words: "ask", value: None, text: true },
    numbered("open", "ask the saved poll number", 1),
    known("close", "close"),
    numbered("extend", "stay open for so many seconds more", 60),
    known("cancel", "call it off"),
    known("hide", "hide the result"),
];
const WHEEL: &[Known] = &[
    known("spin", "spin"),
    known("open_pot", "let viewers enter"),
    known("close_pot", "close the pot"),
    known("empty_pot", "empty the pot"),
];
const GOAL: &[Known] = &[known("reset", "reset"), known("rearm", "celebrate once more when it is reached")];

/// What a family can be told; nothing for those that follow the ledger alone.
#[must_use]
pub fn of_family(key: &str) -> &'static [Known] {
    match key {
        "counter" => COUNTER,
        "clock" => CLOCK,
        "subathon" => SUBATHON,
        "poll" => POLL,
        "wheel" => WHEEL,
        "goal" => GOAL,
        _ => &[],
    }
}
