//! Looks of the streamer's own: what is different from a shipped look, by day and by night.

use super::{Base, Look, Token};
use crate::language::text;
use crate::sentence::EditError;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Most looks of one's own.
pub const MOST_LOOKS: usize = 40;
/// Most letters of a look's name.
const MOST_NAME: usize = 40;

/// Values of tokens.
pub type Values = BTreeMap<Token, String>;

/// A look of the streamer's own.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct OwnLook {
    /// What it is called.
    pub name: String,
    /// The shipped look from which it is derived.
    pub base: Base,
    /// What is different from that.
    pub day: Values,
    /// What is different again by night.
    pub night: Values,
    /// What a file of tokens said that means nothing to widgets, kept for the next program that reads one.
    pub rest: Map<String, Value>,
}

impl OwnLook {
    /// The value of a token.
    #[must_use]
    pub fn get(&self, token: Token, night: bool) -> &str {
        let by_night = if night { self.night.get(&token) } else { None };
        by_night.or_else(|| self.day.get(&token)).map_or_else(|| self.base.token(token), String::as_str)
    }

    /// What is different from the shipped look.
    #[must_use]
    pub fn values(&self, night: bool) -> Values {
        let mut all = self.day.clone();
        if night {
            all.extend(self.night.iter().map(|(token, value)| (*token, value.clone())));
        }
        all
    }
}

/// All looks of one's own, by their numbers, and whether it is night.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Looks {
    /// Whether widgets use the night's half of their looks.
    pub night: bool,
    /// The looks.
    pub all: BTreeMap<u32, OwnLook>,
}

/// What can be done to looks.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LookEdit {
    /// A new one, as it is given.
    Add(Box<OwnLook>),
    /// Gives one another name.
    Rename(u32, String),
    /// Says a token otherwise; an empty text puts it back.
    Set {
        /// Of which look.
        look: u32,
        /// By night alone.
        night: bool,
        /// Which token, by its word.
        key: String,
        /// The value as it was typed.
        text: String,
    },
    /// Throws one away.
    Remove(u32),
    /// Lets widgets use the night's half, or the day's.
    Night(bool),
}

/// Why looks stay as they are; the text says what to change.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LookError {
    /// No such look.
    #[error("there is no such look any more; it may have been removed meanwhile")]
    NoSuchLook,
    /// No such token.
    #[error("a look has no such part")]
    NoSuchToken,
    /// Its name.
    #[error("the name {0}")]
    Name(String),
    /// Another one is called so.
    #[error("another look has this name; choose another one")]
    NameTaken,
    /// Too many.
    #[error("there are {MOST_LOOKS} looks of your own; remove one first")]
    TooMany,
    /// A value.
    #[error("{0}")]
    Value(#[from] EditError),
}

impl Looks {
    /// What they are after something was done to them, and the look with which it was done.
    ///
    /// # Errors
    /// It cannot be done; nothing is half changed.
    pub fn edited(&self, edit: LookEdit) -> Result<(Self, Option<u32>), LookError> {
        let mut after = self.clone();
        let id = match edit {
            LookEdit::Add(mut look) => {
                if after.all.len() >= MOST_LOOKS {
                    return Err(LookError::TooMany);
                }
                look.name = self.name(&look.name, None)?;
                let id = after.all.last_key_value().map_or(1, |(id, _)| id.saturating_add(1));
                after.all.insert(id, *look);
                Some(id)
            }
            LookEdit::Rename(id, name) => {
                let name = self.name(&name, Some(id))?;
                after.all.get_mut(&id).ok_or(LookError::NoSuchLook)?.name = name;
                Some(id)
            }
            LookEdit::Set { look: id, night, key, text } => {
                let look = after.all.get_mut(&id).ok_or(LookError::NoSuchLook)?;
                let token = Token::of_key(&key).filter(|token| !token.is_of_parts()).ok_or(LookError::NoSuchToken)?;
                let place = if night { &mut look.night } else { &mut look.day };
                if text.is_empty() {
                    place.remove(&token);
                } else {
                    place.insert(token, token.read(&text)?);
                }
                Some(id)
            }
            LookEdit::Remove(id) => {
                after.all.remove(&id).ok_or(LookError::NoSuchLook)?;
                None
            }
            LookEdit::Night(night) => {
                after.night = night;
                None
            }
        };
        Ok((after, id))
    }

    /// A name that no look has: this one, or this one with a number.
    #[must_use]
    pub fn free_name(&self, name: &str) -> String {
        let numbered = (2..=MOST_LOOKS.saturating_add(2)).map(|number| format!("{name} {number}"));
        let mut all = std::iter::once(name.to_owned()).chain(numbered);
        let free = |name: &String| self.name(name, None).is_ok();
        all.find(free).unwrap_or_else(|| name.to_owned())
    }

    /// Refuses that a widget takes a look that there is not.
    ///
    /// # Errors
    /// The part is the look, and the text names one of one's own that is not there.
    pub fn check(&self, key: &str, text: &str) -> Result<(), LookError> {
        let own = if key == "look" { text.strip_prefix(super::OWN_LOOK) } else { None };
        let there = own.is_none_or(|id| id.parse().is_ok_and(|id: u32| self.all.contains_key(&id)));
        if there { Ok(()) } else { Err(LookError::NoSuchLook) }
    }

    /// A name as it is kept, if no other look has it.
    fn name(&self, name: &str, own: Option<u32>) -> Result<String, LookError> {
        let name = text::name(name).map_err(|error| LookError::Name(error.to_string()))?;
        if name.chars().count() > MOST_NAME {
            return Err(LookError::Name(format!("has at most {MOST_NAME} letters")));
        }
        let shipped = Base::ALL.into_iter().any(|base| base.words().0 == name);
        let taken = self.all.iter().any(|(id, look)| Some(*id) != own && look.name == name);
        if shipped || taken { Err(LookError::NameTaken) } else { Ok(name) }
    }
}

/// What a widget takes from a look of one's own, as that stood when looks were applied last. It belongs to that look and
/// not to the widget, so that two setups are the same whatever it says just now.
#[derive(Debug, Clone, Default)]
pub(super) struct Applied(Option<Arc<(Base, Values)>>);

impl PartialEq for Applied {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

impl Eq for Applied {}

impl Applied {
    pub(super) fn base(&self) -> Option<Base> {
        self.0.as_ref().map(|styled| styled.0)
    }

    pub(super) fn get(&self, token: Token) -> Option<&str> {
        self.0.as_ref()?.1.get(&token).map(String::as_str)
    }
}

impl Look {
    /// Applies the look of one's own that it uses, if it uses one. Where that is gone, it is the shipped look from which
    /// it was derived that is left. Says whether anything is different now.
    pub fn apply_looks(&mut self, looks: &Looks) -> bool {
        let of = self.of.and_then(|id| looks.all.get(&id));
        let styled = of.map(|look| (look.base, look.values(looks.night)));
        let before = self.applied.0.as_deref();
        if before == styled.as_ref() {
            return false;
        }
        self.applied = Applied(styled.map(Arc::new));
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn look(name: &str) -> OwnLook {
        OwnLook { name: name.into(), base: Base::Linen, ..OwnLook::default() }
    }

    #[test]
    fn a_widget_wears_a_look_of_ones_own_by_day_and_by_night_with_what_is_its_own_on_top() {
        let (looks, id) = Looks::default().edited(LookEdit::Add(Box::new(look("Harbour")))).unwrap();
        let id = id.unwrap();
        let set = |looks: &Looks, night, key: &str, text: &str| {
            let (key, text) = (key.to_owned(), text.to_owned());
            looks.edited(LookEdit::Set { look: id, night, key, text }).unwrap().0
        };
        let looks = set(&looks, false, "fill", "#1F5C78");
        let looks = set(&looks, true, "fill", "#78b7d4");
        let mut styled = Look { of: Some(id), ..Look::default() };
        let before = styled.clone();
        assert!(styled.apply_looks(&looks) && !styled.apply_looks(&looks));
        assert_eq!(styled.base(), Base::Linen);
        assert_eq!(styled.get(Token::Fill), "#1f5c78");
        assert_eq!(styled.get(Token::Background), Base::Linen.token(Token::Background));
        let by_night = looks.edited(LookEdit::Night(true)).unwrap().0;
        assert!(styled.apply_looks(&by_night));
        assert_eq!(styled.get(Token::Fill), "#78b7d4");
        assert_eq!(styled, before, "the widget is the same whatever its look says");
        styled.own.insert(Token::Fill, "#000000".into());
        assert_eq!(styled.get(Token::Fill), "#000000");
        // Without it, the widget is what it says itself.
        assert!(styled.apply_looks(&by_night.edited(LookEdit::Remove(id)).unwrap().0));
        assert_eq!((styled.base(), styled.get(Token::Fill)), (Base::Enamel, "#000000"));
    }

    #[test]
    fn what_makes_no_look_is_refused_in_words() {
        let (looks, _) = Looks::default().edited(LookEdit::Add(Box::new(look("Harbour")))).unwrap();
        let set =
            |look, key: &str, text: &str| LookEdit::Set { look, night: false, key: key.into(), text: text.into() };
        for (edit, why) in [
            (LookEdit::Add(Box::new(look("Harbour"))), "another look has this name"),
            (LookEdit::Add(Box::new(look("Enamel"))), "another look has this name"),
            (LookEdit::Add(Box::new(look(" "))), "the name"),
            (LookEdit::Rename(1, "x".repeat(41)), "the name has at most 40 letters"),
            (LookEdit::Rename(9, "Night".into()), "there is no such look"),
            (set(9, "fill", "#000000"), "there is no such look"),
            (set(1, "sparkle", "1"), "a look has no such part"),
            (set(1, "fill", "red"), "Fill must be a colour"),
            (LookEdit::Remove(2), "there is no such look"),
        ] {
            let told = looks.edited(edit.clone()).unwrap_err().to_string();
            assert!(told.starts_with(why), "{edit:?}: {told}");
        }
        assert!(looks.edited(LookEdit::Rename(1, "Harbour".into())).is_ok(), "it may keep its own name");
    }

    proptest! {
        #[test]
        fn whatever_is_typed_looks_stay_whole(
            edits in prop::collection::vec((any::<bool>(), 0_usize..50, "[#a-z0-9]{0,7}"), 0..30),
        ) {
            let (mut looks, id) = Looks::default().edited(LookEdit::Add(Box::new(look("Harbour")))).unwrap();
            for (night, token, text) in edits {
                let key = Token::ALL.get(token).map_or("sparkle", |token| token.key()).to_owned();
                if let Ok((after, _)) = looks.edited(LookEdit::Set { look: id.unwrap(), night, key, text }) {
                    looks = after;
                }
            }
            for night in [false, true] {
                for token in Token::ALL {
                    prop_assert!(token.read(looks.all[&1].get(token, night)).is_ok());
                }
            }
            let kept: Looks = serde_json::from_str(&serde_json::to_string(&looks).unwrap()).unwrap();
            prop_assert_eq!(kept, looks);
        }
    }
}
