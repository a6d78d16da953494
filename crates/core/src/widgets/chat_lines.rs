//! Chat lines: what is said, on the picture. Text only; addresses are taken out, so that nothing on
//! the picture can be followed.

use super::{Cued, Family, NoActs, no_such_part};
use crate::book::chat::{ChatLine, Role};
use crate::count::Scope;
use crate::count::explain::Slip;
use crate::language::text::{self, fold};
use crate::look::tokens::{ENTERING, LINES, PLATE, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::record::settings::Settings;
use crate::sentence::{EditError, Editor, Part, input};
use crate::time::{Instant, after};
use crate::widgets::view::View;
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};

const TITLE: &str = "The title";
const MOST: &str = "The number of lines";
const LIFE: &str = "The lifetime of a line";
const COMMANDS: &str = "Showing commands";
const PEOPLE: &str = "The hidden people";
const WORDS: &str = "The hidden words";
const COMMAND_WORDS: [(&str, &str); 2] = [("hide", "without commands"), ("show", "commands too")];
/// Most hidden people or words.
const MOST_HIDDEN: usize = 100;

/// What is shown of chat.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ChatLines {
    /// Its name.
    pub title: String,
    /// Most lines.
    pub most: u32,
    /// So many seconds a line lives; 0 for ever.
    pub life: u32,
    /// Whether lines that begin with `!` are left out.
    pub hide_commands: bool,
    /// Names in small letters of those whose lines are left out.
    pub hidden_people: Vec<String>,
    /// Words in small letters; a line with one of them is left out.
    pub hidden_words: Vec<String>,
}

/// What is shown.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ChatLinesView {
    /// Its name.
    pub title: String,
    /// Oldest first.
    pub lines: Vec<Said>,
    /// How many there is room for.
    pub most: u32,
}

/// One line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Said {
    /// Stays the same while it is shown.
    pub key: u64,
    /// Who said it.
    pub name: String,
    /// What they are in chat: `owner`, `helper`, `subscriber`, `follower` or `viewer`.
    pub role: &'static str,
    /// What.
    pub text: String,
}

impl ChatLinesView {
    /// The lines, each on a line of its own.
    #[must_use]
    pub fn text(&self) -> String {
        self.lines.iter().map(|line| format!("{}: {}", line.name, line.text)).collect::<Vec<_>>().join("\n")
    }
}

/// A text without addresses that could be followed.
fn defused(text: &str) -> String {
    let is_address = |word: &str| {
        let bare = word.trim_matches(|c: char| !c.is_alphanumeric()).to_lowercase();
        let scheme = bare.contains("://") || bare.starts_with("www.");
        let host = bare.split('/').next().unwrap_or_default();
        let dotted = host.rsplit_once('.').is_some_and(|(name, end)| {
            !name.is_empty() && (2..=10).contains(&end.len()) && end.bytes().all(|byte| byte.is_ascii_alphabetic())
        });
        scheme || dotted
    };
    text.split_whitespace().map(|word| if is_address(word) { "(link)" } else { word }).collect::<Vec<_>>().join(" ")
}

/// Text as it is compared with hidden words: folded, apostrophes in one form, with single blanks.
fn spoken(text: &str) -> String {
    let folded = fold(text).replace(['’', 'ʼ'], "'");
    folded.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Whether a text holds some words, not as a part of longer ones: `sham` is not in `shame`. What is no
/// letter or figure, such as an emoji, may stand anywhere.
fn says(text: &str, hidden: &str) -> bool {
    let in_word = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
    let (first, last) = (hidden.chars().next(), hidden.chars().next_back());
    text.match_indices(hidden).any(|(at, found)| {
        let (before, after) = (text[..at].chars().next_back(), text[at..][found.len()..].chars().next());
        let goes_on = in_word(first) && in_word(before) || in_word(last) && in_word(after);
        !goes_on
    })
}

impl ChatLines {
    fn hides(&self, line: &ChatLine) -> bool {
        let (name, text) = (fold(&line.name), spoken(&line.text));
        (self.hide_commands && line.text.trim_start().starts_with('!'))
            || self.hidden_people.contains(&name)
            || self.hidden_words.iter().any(|hidden| says(&text, hidden))
    }

    fn alive(&self, line: &ChatLine, now: Instant) -> bool {
        self.life == 0 || after(line.at, TimeDelta::seconds(i64::from(self.life))) > now
    }

    fn of<'a>(&self, lines: impl Iterator<Item = (u64, &'a ChatLine)>) -> View {
        let said = |(key, line): (u64, &ChatLine)| Said {
            key,
            name: line.name.clone(),
            role: line.role.key(),
            text: defused(&line.text),
        };
        let mut lines: Vec<Said> = lines.take(self.most as usize).map(said).collect();
        lines.reverse();
        View::ChatLines(ChatLinesView { title: self.title.clone(), lines, most: self.most })
    }
}

/// Names or words, with commas between.
fn list(label: &'static str, all: &str) -> Result<Vec<String>, EditError> {
    let parts: Vec<&str> = all.split(',').map(str::trim).filter(|part| !part.is_empty()).collect();
    if parts.len() > MOST_HIDDEN {
        return Err(input(label, all).refuse(format!("are more than {MOST_HIDDEN}")));
    }
    let one = |part: &str| text::name(part).map(|part| spoken(&part));
    let parts: Result<Vec<String>, _> = parts.into_iter().map(one).collect();
    parts.map_err(|error| input(label, all).refuse(format!("have one that {error}")))
}

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] = &[look::Part::Title, look::Part::Name, look::Part::Words, look::Part::Line];

impl Family for ChatLines {
    type State = NoActs;
    const KEY: &'static str = "chat_lines";
    const CUED: Cued = Cued::NOTHING;
    const SHAPES: &'static [Shape] = &[
        Shape {
            key: "slips",
            words: "Paper slips",
            tokens: &[TITLED, TEXT, PLATE, LINES, ENTERING],
            parts: PARTS,
            size: (520, 560),
        },
        Shape {
            key: "sheet",
            words: "One sheet",
            tokens: &[TITLED, TEXT, PLATE, LINES, ENTERING],
            parts: PARTS,
            size: (520, 480),
        },
        Shape {
            key: "words",
            words: "Close lines",
            tokens: &[TITLED, TEXT, PLATE, LINES, ENTERING],
            parts: PARTS,
            size: (520, 480),
        },
    ];

    fn standard(_: &Settings) -> Self {
        Self {
            title: "Chat".into(),
            most: 6,
            life: 0,
            hide_commands: true,
            hidden_people: Vec::new(),
            hidden_words: Vec::new(),
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn follows_chat(&self) -> bool {
        true
    }

    fn sentence(&self, _: &Scope<'_>) -> Vec<Part> {
        let number = Editor::Number { value: self.most.to_string(), sign: String::new() };
        let (key, words) = COMMAND_WORDS[usize::from(!self.hide_commands)];
        let hidden = |all: &[String], none: &str| match all {
            [] => none.to_owned(),
            [one] => one.clone(),
            all => format!("{} of them", all.len()),
        };
        vec![
            Part::field("title", TITLE, self.title.as_str(), Editor::Text { value: self.title.clone() }),
            Part::words("shows the newest"),
            Part::field("most", MOST, self.most.to_string(), number),
            Part::words("lines of chat,"),
            Part::field("commands", COMMANDS, words, Editor::choice(COMMAND_WORDS, key)),
            Part::words("; a line lives"),
            Part::rest(("life", LIFE), self.life, "until others push it out", ""),
            Part::words("; hidden are"),
            Part::field(
                "people",
                PEOPLE,
                hidden(&self.hidden_people, "no people"),
                Editor::Text { value: self.hidden_people.join(", ") },
            ),
            Part::words("and"),
            Part::field(
                "words",
                WORDS,
                hidden(&self.hidden_words, "no words"),
                Editor::Text { value: self.hidden_words.join(", ") },
            ),
        ]
    }

    fn edit(&mut self, key: &str, text: &str, _: &Scope<'_>) -> Result<(), EditError> {
        match key {
            "title" => self.title = input(TITLE, text).title()?,
            "most" => self.most = u32::try_from(input(MOST, text).whole(1, 30)?).unwrap_or(1),
            "commands" => self.hide_commands = input(COMMANDS, text).choice(&["hide", "show"], |key| key)? == "hide",
            "life" => self.life = input(LIFE, text).rest()?,
            "people" => self.hidden_people = list(PEOPLE, text)?,
            "words" => self.hidden_words = list(WORDS, text)?,
            _ => return Err(no_such_part(key)),
        }
        Ok(())
    }

    fn view(&self, _: &NoActs, scope: &Scope<'_>) -> View {
        let shown = scope.chat.newest().map(|(key, _, line)| (key, line));
        self.of(shown.filter(|(_, line)| !self.hides(line) && self.alive(line, scope.now)))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        const SAID: [(&str, Role, &str); 6] = [
            ("odile", Role::Owner, "the turntable moves again!"),
            ("pinecone_ade", Role::Subscriber, "mind the points"),
            ("quietferry", Role::Follower, "is that engine No. 7?"),
            ("bram", Role::Helper, "it is, fresh from the paint shop"),
            ("semaphore_sue", Role::Viewer, "that whistle made my cat jump"),
            ("駅長🚂", Role::Subscriber, "出発進行"),
        ];
        let line = |(name, role, text): &(&str, Role, &str)| ChatLine {
            id: None,
            at: scope.now,
            name: (*name).to_owned(),
            role: *role,
            subscriber: *role == Role::Subscriber,
            text: (*text).to_owned(),
        };
        let lines: Vec<ChatLine> = SAID.iter().rev().map(line).collect();
        self.of((1..100).rev().zip(&lines))
    }

    fn wakes_at(&self, _: &NoActs, scope: &Scope<'_>) -> Option<Instant> {
        let life = TimeDelta::seconds(i64::from(self.life));
        let ends = scope.chat.newest().filter(|_| self.life > 0).map(|(_, _, line)| after(line.at, life));
        ends.filter(|at| *at > scope.now).min()
    }

    fn explain(&self, _: &NoActs, scope: &Scope<'_>) -> Slip {
        let lines = || scope.chat.newest().map(|(_, _, line)| line);
        let hidden = lines().filter(|line| self.hides(line)).count();
        let View::ChatLines(view) = self.view(&NoActs {}, scope) else {
            return Slip { terms: Vec::new(), shown: String::new(), span: String::new(), lines: Vec::new() };
        };
        Slip {
            terms: vec![
                ("Lines of chat at hand".into(), lines().count().to_string()),
                ("Hidden by what you chose".into(), format!("-{hidden}")),
            ],
            shown: format!("{} lines", view.lines.len()),
            span: "Chat is heard, not recorded; it begins anew with the program".into(),
            lines: Vec::new(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fixtures::{World, settings};
    use crate::record::ids::FeedId;
    use proptest::prelude::*;

    fn begin() -> Instant {
        "2026-11-24T19:00:00Z".parse().unwrap()
    }

    fn world(lines: &[(&str, &str)]) -> World {
        let mut world = World::new();
        for (second, (name, text)) in (0..).zip(lines) {
            let at = begin() + TimeDelta::seconds(second * 10);
            world.hear(
                FeedId(1),
                ChatLine {
                    at,
                    name: (*name).into(),
                    id: None,
                    role: Role::Viewer,
                    subscriber: false,
                    text: (*text).into(),
                },
            );
        }
        world
    }

    fn text(world: &World, edits: &[(&str, &str)]) -> String {
        let mut chat = ChatLines::standard(&settings());
        let scope = world.scope(begin() + TimeDelta::seconds(45));
        for (key, text) in edits {
            chat.edit(key, text, &scope).unwrap();
        }
        chat.view(&NoActs {}, &scope).text()
    }

    #[test]
    fn what_is_hidden_stays_hidden() {
        let world = world(&[
            ("ninepins", "!derail"),
            ("Troll_1", "boo"),
            ("quietferry", "what a Sham, really"),
            ("oatcake_jo", "shame about the points"),
            ("kestrel_oak", "choo"),
        ]);
        let hide = [("people", "troll_1"), ("words", "sham, the points of")];
        assert_eq!(text(&world, &hide), "oatcake_jo: shame about the points\nkestrel_oak: choo");
        assert_eq!(text(&world, &[("most", "1")]), "kestrel_oak: choo");
        for (said, hidden) in [
            ("what an f-word!", "f-word"),
            ("I don’t think so", "don't"),
            ("look🤡here", "🤡"),
            ("a GOOD   show", "good show"),
            ("no\u{200b}pe", "nope"),
        ] {
            assert_eq!(text(&self::world(&[("ninepins", said)]), &[("words", hidden)]), "", "{said}");
        }
        for (said, hidden) in [("half-words", "f-word"), ("shame", "sham"), ("wonderful", "under")] {
            assert_ne!(text(&self::world(&[("ninepins", said)]), &[("words", hidden)]), "", "{said}");
        }
        assert!(text(&world, &[("commands", "show")]).starts_with("ninepins: !derail"));
        assert_eq!(text(&world, &[("life", "0:20")]), "oatcake_jo: shame about the points\nkestrel_oak: choo");
    }

    #[test]
    fn addresses_are_taken_out() {
        for (said, shown) in [
            ("see https://example.org/a?b now", "see (link) now"),
            ("www.example.org!", "(link)"),
            ("go to example.org/free", "go to (link)"),
            ("No. 7 at 19.30, e.g. here...", "No. 7 at 19.30, e.g. here..."),
        ] {
            assert_eq!(defused(said), shown);
        }
    }

    proptest! {
        #[test]
        fn no_line_of_chat_makes_it_panic(name in ".*", said in ".*") {
            let world = world(&[(&name, &said)]);
            let _ = text(&world, &[("people", "a"), ("words", "b c, d")]);
        }
    }
}
