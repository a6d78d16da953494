//! What the bot says in this channel: with values of its widgets in it.

use super::Channel;
use crate::book::chat::ChatLine;
use crate::bot::{Bot, Command, Conditions, Place, Talk};
use crate::cues::When;
use crate::language::Language;
use crate::template::{self, Locale, Values};
use crate::time::Instant;
use std::collections::BTreeMap;

/// What is said in chat; or what cannot be said, and why, in words.
pub type Spoken = Result<String, String>;

/// What viewers wrote, so that it calls nobody: many chats ring everybody's bell at `@everyone`, whoever wrote it. A joiner
/// behind the sign is not seen.
fn without_calls(text: &str) -> String {
    text.replace('@', "@\u{2060}")
}

impl Channel {
    /// The bot.
    #[must_use]
    pub fn bot(&self) -> &Bot {
        &self.bot
    }

    /// What the bot goes by.
    #[must_use]
    pub fn talk(&self) -> &Talk {
        &self.talk
    }

    /// Takes note of another bot. `lot` gives a number below the one that it is asked with.
    pub fn set_bot(&mut self, bot: Bot, now: Instant, lot: impl FnMut(usize) -> usize) {
        self.bot = bot;
        self.talk.follow(&self.bot, now, lot);
    }

    /// What widgets say, by their titles: those that a text names, or all.
    #[must_use]
    pub fn texts(&self, named_in: Option<&str>, now: Instant) -> BTreeMap<String, String> {
        let scope = self.scope(now);
        let named = |title: &str| named_in.is_none_or(|text| text.contains(title));
        let all = self.widgets.values().filter(|piece| named(piece.title()));
        all.map(|piece| (piece.title().to_owned(), piece.view(&scope).text())).collect()
    }

    /// A line for chat, with its values put in. One that cannot be followed with these values gives the reason.
    ///
    /// # Errors
    /// In words.
    pub fn chat_line(&self, source: &str, name: &str, message: &str, now: Instant) -> Result<String, String> {
        let values = Values { name: without_calls(name), message: without_calls(message), ..Values::default() };
        let locale = Locale { language: Language::default(), currency: self.settings.currency };
        let mut texts = self.texts(Some(source), now);
        texts.values_mut().filter(|text| text.contains('@')).for_each(|text| *text = without_calls(text));
        let text = template::write_line(source, &values, &texts, locale);
        text.map_err(|error| format!("the line {error}"))
    }

    /// What viewers can say: the word, what it does, and who may, where that is not everyone.
    #[must_use]
    pub fn words_of_chat(&self) -> Vec<(String, String, String)> {
        let commands = self.bot.commands.values().filter(|one| one.on && !one.about.is_empty());
        let command = |one: &Command| (one.word.clone(), one.about.clone(), one.who.for_whom().to_owned());
        let mut all: Vec<_> = commands.map(command).collect();
        let widgets = self.widgets.values().flat_map(|piece| {
            let word = |(word, does): (String, &str)| (word, format!("{does} “{}”", piece.title()), String::new());
            piece.words().into_iter().map(word).collect::<Vec<_>>()
        });
        all.extend(widgets);
        let cues = self.cues().all.values().filter(|cue| cue.on);
        all.extend(cues.filter_map(|cue| match &cue.when {
            When::Command { word } if !word.is_empty() => Some((word.clone(), cue.name.clone(), String::new())),
            _ => None,
        }));
        all
    }

    /// What the bot answers to a line that begins with this word, in plain form.
    pub(super) fn answer(&mut self, line: &ChatLine, (word, message): (&str, &str), now: Instant) -> Option<Spoken> {
        let id = self.talk.hear(&self.bot, line, word, now)?;
        let command = self.bot.commands.get(&id)?;
        let text = self.chat_line(&command.answer, &line.name, message, now);
        let text = text.map_err(|why| format!("the answer to “{}” cannot be said: {why}", command.word));
        (text.as_deref() != Ok("")).then_some(text)
    }

    /// What bears on notices here.
    #[must_use]
    pub fn around_notices(&self, joined: bool) -> Conditions {
        Conditions { on_air: self.book.shows().on_air().is_some(), joined }
    }

    /// Takes the notice that is due by now, if one is: what is said, and where. None where its text is empty as things stand.
    pub fn notice(&mut self, joined: bool, now: Instant, lot: impl FnMut(usize) -> usize) -> Option<(Place, Spoken)> {
        let due = self.talk.due(&self.bot, self.around_notices(joined)).is_some_and(|at| at <= now);
        let id = due.then(|| self.talk.say(&self.bot, now, lot)).flatten()?;
        let source = &self.bot.notices.all.get(&id)?.text;
        let text = self.chat_line(source, "", "", now);
        let text = text.map_err(|why| format!("the notice “{source}” cannot be said: {why}"));
        let place = self.bot.notices.place;
        match &text {
            Ok(text) if text.is_empty() => return None,
            Ok(text) if place.is_on_tickers() => self.talk.show_on_tickers(text.clone()),
            _ => {}
        }
        Some((place, text))
    }
}
