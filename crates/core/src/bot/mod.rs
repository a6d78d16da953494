//! The bot: what the program says in chat by itself, answers to commands and notices. Like chat, none of it is part of the record;
//! what it goes by (rests, lines since the last notice, which notice comes next) is forgotten when the server ends.

mod notices;
mod rests;
mod sentence;
mod talk;

pub use notices::{Deck, Next};
pub use rests::Rests;
pub use talk::{Conditions, Talk, Uses};

use crate::book::chat::Role;
use crate::sentence::EditError;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Most commands of a channel, and most notices.
pub const MOST: usize = 200;

/// A word of chat that is answered.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Command {
    /// The word with which a line must begin.
    pub word: String,
    /// Whether it is answered at all.
    pub on: bool,
    /// Who may use it: they, and whoever is more.
    pub who: Role,
    /// So many seconds it is not answered again, to anybody.
    pub rest_s: u32,
    /// So many seconds it is not answered again to the same viewer.
    pub rest_each_s: u32,
    /// What is answered, with places for values.
    pub answer: String,
    /// What it is for, in the list for viewers; empty where it stays out of that.
    pub about: String,
}

/// In which order notices come.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Order {
    /// One after the other.
    #[default]
    InTurn,
    /// Shuffled; each once before any comes again.
    Shuffled,
}

/// Where notices are said.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Place {
    /// In chat.
    #[default]
    Chat,
    /// On tickers.
    Ticker,
    /// In both.
    Both,
}

impl Place {
    /// Whether they are said in chat.
    #[must_use]
    pub fn is_in_chat(self) -> bool {
        self != Self::Ticker
    }

    /// Whether they run on tickers.
    #[must_use]
    pub fn is_on_tickers(self) -> bool {
        self != Self::Chat
    }
}

/// A notice.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Notice {
    /// What it says, with places for values.
    pub text: String,
    /// Whether it has its turn.
    pub on: bool,
}

/// Notices, and when they are said.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Notices {
    /// Whether any is said.
    pub on: bool,
    /// Seconds from one to the next.
    pub every_s: u32,
    /// At least so many lines of chat from one to the next.
    pub least_lines: u32,
    /// In which order.
    pub order: Order,
    /// Where.
    pub place: Place,
    /// Only while on air.
    pub on_air: bool,
    /// The notices by their numbers.
    pub all: BTreeMap<u32, Notice>,
    /// The highest number that any has had.
    pub spent: u32,
}

impl Default for Notices {
    fn default() -> Self {
        Self {
            on: false,
            every_s: 900,
            least_lines: 10,
            order: Order::InTurn,
            place: Place::Chat,
            on_air: true,
            all: BTreeMap::new(),
            spent: 0,
        }
    }
}

/// What the program says in chat.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Bot {
    /// The commands by their numbers.
    pub commands: BTreeMap<u32, Command>,
    /// The notices.
    pub notices: Notices,
    /// The highest number that any command has had.
    pub spent: u32,
}

/// What can be done to it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BotEdit {
    /// A new command with a word.
    AddCommand(String),
    /// Says one part of a command otherwise.
    SetCommand {
        /// Of which.
        command: u32,
        /// Which part of its sentence.
        key: String,
        /// As it was typed.
        text: String,
    },
    /// Throws a command away.
    RemoveCommand(u32),
    /// A new notice.
    AddNotice(String),
    /// Says one part of when notices come, or of one of them, otherwise.
    SetNotices {
        /// Which part.
        key: String,
        /// As it was typed.
        text: String,
    },
    /// Throws a notice away.
    RemoveNotice(u32),
}

/// Why it stays as it is; the text says what to change.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BotError {
    /// No such command or notice.
    #[error("that is not there any more; it may have been removed meanwhile")]
    Gone,
    /// Too many.
    #[error("there are {MOST} already; remove one first")]
    TooMany,
    /// Two commands with one word.
    #[error("the word {0} has an answer already; change that one, or take another word")]
    Taken(String),
    /// A part of a sentence.
    #[error("{0}")]
    Value(#[from] EditError),
}

/// A number for one more. Those of removed ones are never used again, or a new one would have their memory.
fn next_id<T>(all: &BTreeMap<u32, T>, spent: &mut u32) -> Result<u32, BotError> {
    if all.len() >= MOST {
        return Err(BotError::TooMany);
    }
    let id = all.last_key_value().map_or(0, |(id, _)| *id).max(*spent).saturating_add(1);
    *spent = id;
    Ok(id)
}

impl Bot {
    /// What it is after something was done to it. `widgets` has what each widget says now, by its title.
    ///
    /// # Errors
    /// It cannot be done; nothing is half changed.
    pub fn edited(&self, edit: BotEdit, widgets: &BTreeMap<String, String>) -> Result<Self, BotError> {
        let mut after = self.clone();
        match edit {
            BotEdit::AddCommand(word) => {
                let id = next_id(&after.commands, &mut after.spent)?;
                let mut command = Command::new();
                command.edit("word", &word, widgets)?;
                after.commands.insert(id, command);
            }
            BotEdit::SetCommand { command, key, text } => {
                after.commands.get_mut(&command).ok_or(BotError::Gone)?.edit(&key, &text, widgets)?;
            }
            BotEdit::RemoveCommand(id) => {
                after.commands.remove(&id).ok_or(BotError::Gone)?;
                after.spent = after.spent.max(id);
            }
            BotEdit::AddNotice(text) => {
                let id = next_id(&after.notices.all, &mut after.notices.spent)?;
                after.notices.all.insert(id, Notice { text: String::new(), on: true });
                after.notices.edit(&format!("text:{id}"), &text, widgets)?;
            }
            BotEdit::SetNotices { key, text } => after.notices.edit(&key, &text, widgets)?,
            BotEdit::RemoveNotice(id) => {
                after.notices.all.remove(&id).ok_or(BotError::Gone)?;
                after.notices.spent = after.notices.spent.max(id);
            }
        }
        let mut words: Vec<String> =
            after.commands.values().map(|one| crate::language::text::plain(&one.word)).collect();
        words.sort();
        match words.windows(2).find(|pair| pair[0] == pair[1]) {
            Some(pair) => Err(BotError::Taken(pair[0].clone())),
            None => Ok(after),
        }
    }
}
