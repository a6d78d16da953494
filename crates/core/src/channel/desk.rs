//! What the streamer chooses for all widgets: which stand on the desk, in which order, and the looks that they wear.

use super::Channel;
use crate::language::text;
use crate::look::Looks;
use crate::record::ids::WidgetId;
use crate::time::Instant;
use crate::widgets::Piece;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// The streamer's choice. Widgets that it does not name stand behind the others, in the order in which they
/// were made.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Desk {
    /// The first ones, in their order.
    pub order: Vec<WidgetId>,
    /// Those that are left out.
    pub hidden: BTreeSet<WidgetId>,
    /// Whether all sounds of widgets are off.
    pub muted: bool,
    /// Whether the desk is heard when it has something to tell of.
    pub chimes: bool,
    /// Desks for a purpose, by their numbers: the show, the subathon, a match.
    pub more: BTreeMap<u32, OneDesk>,
    /// Keys of the streamer's own choosing, by the place of the key (`KeyboardEvent.code` of the W3C's UI Events).
    pub keys: BTreeMap<String, Bound>,
}

/// A desk for a purpose.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct OneDesk {
    /// What it is for.
    pub name: String,
    /// What stands on it, in its order.
    pub shown: Vec<WidgetId>,
}

/// A lever that a key presses.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Bound {
    /// Of which widget.
    pub widget: WidgetId,
    /// The action.
    pub action: String,
    /// The number with it.
    #[serde(default)]
    pub value: Option<i64>,
    /// The side with it.
    #[serde(default)]
    pub side: Option<u8>,
}

/// Most desks for a purpose.
pub const MOST_DESKS: usize = 12;

/// Why a desk or its keys stay as they are; the text says what to change.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum DeskError {
    /// A key that means something else, or none that a desk has.
    #[error("{0} cannot be the key of a lever; take a letter other than G, a digit, or one of the number pad")]
    NoKey(String),
    /// A key of another lever.
    #[error("{key} is the key of “{title}” already ({action}); take another, or take it off there first")]
    Taken {
        /// The key.
        key: String,
        /// The widget.
        title: String,
        /// The lever's action.
        action: String,
    },
    /// The lever's widget is gone.
    #[error("that widget is gone; reload the page")]
    Gone,
    /// Too many.
    #[error("there are {MOST_DESKS} desks already; remove one first")]
    TooMany,
    /// A name that none can have.
    #[error("the name {0}")]
    Name(String),
}

/// What is printed on a key, if it can be the key of a lever. G leads to other rooms; the key left of 1 covers the picture.
#[must_use]
pub fn key_label(code: &str) -> Option<String> {
    let only = |rest: &str| rest.chars().count() == 1;
    match code {
        "KeyG" => None,
        "NumpadAdd" => Some("Num +".into()),
        "NumpadSubtract" => Some("Num −".into()),
        "NumpadMultiply" => Some("Num ×".into()),
        "NumpadDivide" => Some("Num ÷".into()),
        "NumpadDecimal" => Some("Num .".into()),
        _ => {
            let letter =
                code.strip_prefix("Key").filter(|rest| only(rest) && rest.chars().all(|c| c.is_ascii_uppercase()));
            let digit = |prefix: &str| {
                code.strip_prefix(prefix).filter(|rest| only(rest) && rest.chars().all(|c| c.is_ascii_digit()))
            };
            let pad = digit("Numpad").map(|digit| format!("Num {digit}"));
            letter.or_else(|| digit("Digit")).map(str::to_owned).or(pad)
        }
    }
}

impl Desk {
    /// The key that was chosen for a lever, and what is printed on it.
    #[must_use]
    pub fn key_of(&self, lever: &Bound) -> Option<(&str, String)> {
        let (code, _) = self.keys.iter().find(|(_, bound)| *bound == lever)?;
        Some((code, key_label(code)?))
    }
}

impl Channel {
    /// What stands on the desk.
    #[must_use]
    pub fn desk(&self) -> &Desk {
        &self.desk
    }

    /// The desk with another key for a lever, or with none where `code` is empty.
    ///
    /// # Errors
    /// It is no key for a lever, or another's.
    pub fn with_key(&self, code: &str, lever: Bound) -> Result<Desk, DeskError> {
        let mut desk = self.desk.clone();
        // A widget that is gone holds no key.
        desk.keys.retain(|_, bound| *bound != lever && self.widgets.contains_key(&bound.widget));
        if code.is_empty() {
            return Ok(desk);
        }
        if !self.widgets.contains_key(&lever.widget) {
            return Err(DeskError::Gone);
        }
        let key = key_label(code).ok_or_else(|| DeskError::NoKey(code.chars().take(20).collect()))?;
        if let Some(other) = desk.keys.get(code) {
            let title = self.widgets.get(&other.widget).map_or("", |piece| piece.title()).to_owned();
            return Err(DeskError::Taken { key, title, action: other.action.clone() });
        }
        desk.keys.insert(code.to_owned(), lever);
        Ok(desk)
    }

    /// The desk with one more for a purpose, and its number: at first all stands there that stands on the main one.
    ///
    /// # Errors
    /// A name that none can have, or there are too many.
    pub fn with_desk(&self, name: &str) -> Result<(Desk, u32), DeskError> {
        let mut desk = self.desk.clone();
        if desk.more.len() >= MOST_DESKS {
            return Err(DeskError::TooMany);
        }
        let name = text::name(name).map_err(|error| DeskError::Name(error.to_string()))?;
        if name.chars().count() > 30 {
            return Err(DeskError::Name("has at most 30 letters".into()));
        }
        let shown = self.on_desk().filter(|(.., shown)| *shown).map(|(id, ..)| id).collect();
        let id = desk.more.last_key_value().map_or(1, |(id, _)| id.saturating_add(1));
        desk.more.insert(id, OneDesk { name, shown });
        Ok((desk, id))
    }

    /// The widgets in the order of a desk for a purpose, and whether each stands there; those that do come first.
    #[must_use]
    pub fn on_one_desk(&self, one: &OneDesk) -> Vec<(WidgetId, &Piece, bool)> {
        let shown = one.shown.iter().filter_map(|id| Some((*id, self.widgets.get(id)?, true)));
        let others = self.on_desk().filter(|(id, ..)| !one.shown.contains(id)).map(|(id, piece, _)| (id, piece, false));
        shown.chain(others).collect()
    }

    /// Takes note of what stands on the desk.
    pub fn set_desk(&mut self, desk: Desk) {
        self.desk = desk;
    }

    /// The looks of the streamer's own.
    #[must_use]
    pub fn looks(&self) -> &Looks {
        &self.looks
    }

    /// Takes note of other looks; names the widgets that look different now.
    pub fn set_looks(&mut self, looks: Looks) -> BTreeSet<WidgetId> {
        self.looks = looks;
        self.dress()
    }

    /// Puts the looks of one's own on whatever wears one.
    pub(super) fn dress(&mut self) -> BTreeSet<WidgetId> {
        let all = self.widgets.iter_mut().chain(&mut self.drafts);
        all.filter_map(|(id, piece)| piece.dress(&self.looks).then_some(*id)).collect()
    }

    /// All widgets in the order of the desk, and whether each stands there.
    pub fn on_desk(&self) -> impl Iterator<Item = (WidgetId, &Piece, bool)> {
        let place: BTreeMap<WidgetId, usize> =
            self.desk.order.iter().enumerate().map(|(place, id)| (*id, place)).collect();
        let mut all: Vec<(WidgetId, &Piece)> = self.widgets().collect();
        all.sort_by_key(|(id, _)| (place.get(id).copied().unwrap_or(usize::MAX), *id));
        all.into_iter().map(|(id, piece)| (id, piece, !self.desk.hidden.contains(&id)))
    }

    /// Whether a widget is operated during a show: it has a lever that is pressed most. Others may have levers, but no plate
    /// and no keys.
    #[must_use]
    pub fn is_operated(&self, id: WidgetId, now: Instant) -> bool {
        let scope = self.scope(now);
        self.widgets.get(&id).is_some_and(|piece| piece.levers(&scope).iter().any(|lever| lever.main))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fixtures::settings;
    use crate::widgets::Definition;

    #[test]
    fn what_is_named_stands_first_what_is_hidden_not_at_all_and_the_rest_behind() {
        let counter = || Definition::standard("counter", &settings()).unwrap().unfolded();
        let goal = || Definition::standard("goal", &settings()).unwrap().unfolded();
        let widgets =
            [(1, counter()), (2, goal()), (3, counter()), (4, counter())].map(|(id, one)| (WidgetId(id), one));
        let mut channel = Channel::new(settings(), widgets);
        let order = |channel: &Channel| channel.on_desk().map(|(id, _, shown)| (id.0, shown)).collect::<Vec<_>>();
        assert_eq!(order(&channel), [(1, true), (2, true), (3, true), (4, true)]);
        // A widget that is gone leaves no gap.
        let hidden = BTreeSet::from([WidgetId(1)]);
        channel.set_desk(Desk { order: [9, 4, 1].map(WidgetId).to_vec(), hidden, ..Desk::default() });
        assert_eq!(order(&channel), [(4, true), (1, false), (2, true), (3, true)]);
        let operated = |id| channel.is_operated(WidgetId(id), Instant::UNIX_EPOCH);
        assert_eq!([operated(4), operated(2), operated(9)], [true, false, false]);
    }

    #[test]
    fn a_key_presses_one_lever_and_a_clash_is_refused_in_words() {
        let counter = || Definition::standard("counter", &settings()).unwrap().unfolded();
        let mut channel = Channel::new(settings(), [(WidgetId(1), counter()), (WidgetId(2), counter())]);
        let lever =
            |widget, action: &str| Bound { widget: WidgetId(widget), action: action.into(), value: None, side: None };
        channel.set_desk(channel.with_key("KeyT", lever(1, "add")).unwrap());
        assert_eq!(channel.desk().key_of(&lever(1, "add")), Some(("KeyT", "T".into())));
        let told = channel.with_key("KeyT", lever(2, "add")).unwrap_err().to_string();
        assert_eq!(told, "T is the key of “New counter” already (add); take another, or take it off there first");
        for code in ["KeyG", "Escape", "F5", "KeyTT", "Key", "Backquote", "Numpad", "é"] {
            assert!(matches!(channel.with_key(code, lever(2, "add")), Err(DeskError::NoKey(_))), "{code}");
        }
        assert_eq!(channel.with_key("KeyU", lever(9, "add")), Err(DeskError::Gone));
        // Another key takes the place of the first; what is gone holds none.
        channel.set_desk(channel.with_key("Numpad7", lever(1, "add")).unwrap());
        assert_eq!(channel.desk().keys.len(), 1);
        channel.take_away(WidgetId(1));
        channel.set_desk(channel.with_key("Numpad7", lever(2, "add")).unwrap());
        channel.set_desk(channel.with_key("", lever(2, "add")).unwrap());
        assert!(channel.desk().keys.is_empty());
    }

    #[test]
    fn a_desk_for_a_purpose_begins_as_the_main_one_and_has_an_order_of_its_own() {
        let counter = || Definition::standard("counter", &settings()).unwrap().unfolded();
        let mut channel = Channel::new(settings(), [1, 2, 3].map(|id| (WidgetId(id), counter())));
        channel.set_desk(Desk { hidden: BTreeSet::from([WidgetId(2)]), ..Desk::default() });
        let (mut desk, id) = channel.with_desk("Match").unwrap();
        assert_eq!((id, &desk.more[&1].shown), (1, &vec![WidgetId(1), WidgetId(3)]));
        desk.more.get_mut(&1).unwrap().shown = vec![WidgetId(3), WidgetId(2), WidgetId(9)];
        let order = |one: &OneDesk| channel.on_one_desk(one).iter().map(|(id, _, on)| (id.0, *on)).collect::<Vec<_>>();
        assert_eq!(order(&desk.more[&1]), [(3, true), (2, true), (1, false)]);
        assert!(matches!(channel.with_desk(" "), Err(DeskError::Name(_))));
        desk.more = (1..13).map(|id| (id, desk.more[&1].clone())).collect();
        channel.set_desk(desk);
        assert_eq!(channel.with_desk("One more"), Err(DeskError::TooMany));
    }
}
