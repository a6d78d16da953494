//! How one token of a look is set, on the bench and in the looks room.

use tally_core::look::{FONTS, Font, Form, Look, OwnLook, Part, Sort, Token};
use tally_core::record::happening::Kind;
use tally_core::record::own::OWN;
use tally_store::clips::Clip;

/// How one token is set.
pub struct Control {
    /// The word by which it is said.
    pub key: String,
    /// Its label.
    pub label: &'static str,
    /// What it takes.
    pub form: Form,
    /// What it is now.
    pub value: String,
    /// Whether it is different from the look, or from the common one.
    pub own: bool,
    /// The streamer's own clips that it takes: their word in looks, and their name.
    pub clips: Vec<(String, String)>,
}

impl Control {
    /// Of a widget's look.
    pub fn common(look: &Look, token: Token, clips: &[Clip]) -> Self {
        Self::of(token, look.get(token), look.own.contains_key(&token), clips)
    }

    /// Of a look of the streamer's own, by day or by night.
    pub fn of_own(look: &OwnLook, token: Token, night: bool, clips: &[Clip]) -> Self {
        let half = if night { &look.night } else { &look.day };
        Self::of(token, look.get(token, night), half.contains_key(&token), clips)
    }

    fn of(token: Token, value: &str, own: bool, clips: &[Clip]) -> Self {
        let (key, label, _, form) = token.about();
        let value = value.to_owned();
        let mut clips: Vec<_> = match form {
            Form::Clip(sort, _) => of_sort(clips, sort),
            Form::Font => of_sort(clips, Sort::Font),
            _ => Vec::new(),
        };
        if value.starts_with(OWN) && clips.iter().all(|(word, _)| *word != value) {
            clips.push((value.clone(), "one that was removed".into()));
        }
        Self { key: key.to_owned(), label, form, value, own, clips }
    }

    /// Of a kind of entry, in a widget's look.
    pub fn of_kind(look: &Look, kind: Kind, token: Token, clips: &[Clip]) -> Self {
        let own = look.for_kind(kind, token);
        let control = Self::of(token, own.unwrap_or(look.get(token)), own.is_some(), clips);
        Self { key: format!("kind:{}:{}", kind.key(), control.key), ..control }
    }

    /// Of a part of the drawing, in a widget's look.
    pub fn of_part(look: &Look, part: Part, token: Token, clips: &[Clip]) -> Self {
        let own = look.for_part(part, token);
        // What a part has of its size is said of itself, not of the whole again.
        let common = if token == Token::FontSize { "100" } else { look.get(token) };
        let control = Self::of(token, own.unwrap_or(common), own.is_some(), clips);
        Self { key: format!("part:{}:{}", part.key(), control.key), ..control }
    }

    /// The label without its article, for a row of controls.
    pub fn short(&self) -> String {
        let bare = self.label.trim_start_matches("The ").trim_start_matches("the ");
        let mut letters = bare.chars();
        let first = letters.next().map(|first| first.to_uppercase().to_string()).unwrap_or_default();
        format!("{first}{}", letters.as_str())
    }

    /// The typefaces that there are.
    pub fn fonts(&self) -> &'static [Font] {
        &FONTS
    }
}

/// The streamer's own files of a sort: the word of each, and its name.
fn of_sort(clips: &[Clip], sort: Sort) -> Vec<(String, String)> {
    let all = clips.iter().filter(|clip| clip.sort == sort);
    all.map(|clip| (format!("{OWN}{}", clip.token), clip.name.clone())).collect()
}
