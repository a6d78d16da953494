//! What the streamer chooses for all widgets: which stand on the desk, in which order, and the looks that they use.

use super::Channel;
use crate::language::text;
use crate::look::Looks;
use crate::record::ids::WidgetId;
use crate::time::Instant;
use crate::widgets::{Lever, Piece};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

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

/// What somebody does to the desk. What it comes to is decided on the desk as it is then, so that two people at two desks
/// take nothing from each other.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DeskEdit {
    /// These widgets stand on a desk from now on, 0 for the main one, in the order in which all are named.
    Arrange {
        /// Which desk.
        desk: u32,
        /// All widgets.
        order: Vec<WidgetId>,
        /// Those that stand there.
        shown: BTreeSet<WidgetId>,
    },
    /// One more desk for a purpose; at first all stands there that stands on the main one.
    Add {
        /// What it is for.
        name: String,
    },
    /// No such desk any more; what stood on it stays.
    Remove {
        /// Which.
        desk: u32,
    },
    /// Another key for a lever, or none where the code is empty.
    Key {
        /// `KeyboardEvent.code` of the W3C's UI Events.
        code: String,
        /// The lever.
        lever: Bound,
    },
    /// Whether widgets, and the desk, may be heard; none leaves it as it is.
    Sounds {
        /// All sounds of widgets off.
        muted: Option<bool>,
        /// The desk is heard when it has something to tell of.
        chimes: Option<bool>,
    },
}

/// Most desks for a purpose.
pub const MOST_DESKS: usize = 12;
/// Most letters of what a desk is for.
const MOST_NAME: usize = 30;

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
    /// There is no such lever.
    #[error("that lever is gone; reload the page")]
    Gone,
    /// There is no such desk.
    #[error("that desk is gone; reload the page")]
    NoDesk,
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
    pub fn desk(&self) -> &Arc<Desk> {
        &self.desk
    }

    /// What the desk is after something was done to it, and the desk for a purpose that is new.
    ///
    /// # Errors
    /// See [`DeskError`].
    pub fn edited_desk(&self, edit: DeskEdit, now: Instant) -> Result<(Desk, Option<u32>), DeskError> {
        let mut desk = Desk::clone(&self.desk);
        let mut new = None;
        match edit {
            DeskEdit::Arrange { desk: 0, order, shown } => {
                desk.hidden = order.iter().copied().filter(|id| !shown.contains(id)).collect();
                desk.order = order;
            }
            DeskEdit::Arrange { desk: which, order, shown } => {
                let one = desk.more.get_mut(&which).ok_or(DeskError::NoDesk)?;
                one.shown = order.into_iter().filter(|id| shown.contains(id)).collect();
            }
            DeskEdit::Add { name } => {
                if desk.more.len() >= MOST_DESKS {
                    return Err(DeskError::TooMany);
                }
                let name = text::name(&name).map_err(|error| DeskError::Name(error.to_string()))?;
                if name.chars().count() > MOST_NAME {
                    return Err(DeskError::Name(format!("has at most {MOST_NAME} letters")));
                }
                let shown = self.on_desk().filter(|(.., shown)| *shown).map(|(id, ..)| id).collect();
                let id = desk.more.last_key_value().map_or(1, |(id, _)| id.saturating_add(1));
                desk.more.insert(id, OneDesk { name, shown });
                new = Some(id);
            }
            DeskEdit::Remove { desk: which } => {
                desk.more.remove(&which);
            }
            DeskEdit::Key { code, lever } => self.bind(&mut desk, code, lever, now)?,
            DeskEdit::Sounds { muted, chimes } => {
                desk.muted = muted.unwrap_or(desk.muted);
                desk.chimes = chimes.unwrap_or(desk.chimes);
            }
        }
        Ok((desk, new))
    }

    fn bind(&self, desk: &mut Desk, code: String, lever: Bound, now: Instant) -> Result<(), DeskError> {
        // A widget that is gone holds no key.
        desk.keys.retain(|_, bound| *bound != lever && self.widgets.contains_key(&bound.widget));
        if code.is_empty() {
            return Ok(());
        }
        let levers = self.widgets.get(&lever.widget).map(|piece| piece.levers(&self.scope(now))).unwrap_or_default();
        let is_it = |one: &Lever| one.action == lever.action && one.value == lever.value && one.side == lever.side;
        if !levers.iter().any(is_it) {
            return Err(DeskError::Gone);
        }
        let key = key_label(&code).ok_or_else(|| DeskError::NoKey(code.chars().take(20).collect()))?;
        if let Some(other) = desk.keys.get(&code) {
            let title = self.widgets.get(&other.widget).map_or("", |piece| piece.title()).to_owned();
            return Err(DeskError::Taken { key, title, action: other.action.clone() });
        }
        desk.keys.insert(code, lever);
        Ok(())
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
        self.desk = Arc::new(desk);
    }

    /// The looks of the streamer's own.
    #[must_use]
    pub fn looks(&self) -> &Looks {
        &self.looks
    }

    /// Takes note of other looks; names the widgets that look different now.
    pub fn set_looks(&mut self, looks: Looks) -> BTreeSet<WidgetId> {
        self.looks = looks;
        self.apply_looks()
    }

    /// Applies the looks of one's own to whatever uses one.
    pub(super) fn apply_looks(&mut self) -> BTreeSet<WidgetId> {
        let all = self.widgets.iter_mut().chain(&mut self.drafts);
        all.filter_map(|(id, piece)| piece.apply_looks(&self.looks).then_some(*id)).collect()
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

    fn after(channel: &mut Channel, edit: DeskEdit) -> Result<Option<u32>, DeskError> {
        let (desk, new) = channel.edited_desk(edit, Instant::UNIX_EPOCH)?;
        channel.set_desk(desk);
        Ok(new)
    }

    #[test]
    fn a_key_presses_one_lever_and_a_clash_is_refused_in_words() {
        let counter = || Definition::standard("counter", &settings()).unwrap().unfolded();
        let mut channel = Channel::new(settings(), [(WidgetId(1), counter()), (WidgetId(2), counter())]);
        let lever = |widget, value| Bound { widget: WidgetId(widget), action: "add".into(), value, side: None };
        let key = |code: &str, lever: Bound| DeskEdit::Key { code: code.into(), lever };
        after(&mut channel, key("KeyT", lever(1, None))).unwrap();
        assert_eq!(channel.desk().key_of(&lever(1, None)), Some(("KeyT", "T".into())));
        let told = after(&mut channel, key("KeyT", lever(2, None))).unwrap_err().to_string();
        assert_eq!(told, "T is the key of “New counter” already (add); take another, or take it off there first");
        for code in ["KeyG", "Escape", "F5", "KeyTT", "Key", "Backquote", "Numpad", "é"] {
            let refused = after(&mut channel, key(code, lever(2, None)));
            assert!(matches!(refused, Err(DeskError::NoKey(_))), "{code}");
        }
        // Neither a widget that is gone has a key, nor a lever that a widget does not have.
        assert_eq!(after(&mut channel, key("KeyU", lever(9, None))), Err(DeskError::Gone));
        assert_eq!(after(&mut channel, key("KeyU", lever(2, Some(77)))), Err(DeskError::Gone));
        // Another key takes the place of the first; what is gone holds none.
        after(&mut channel, key("Numpad7", lever(1, None))).unwrap();
        assert_eq!(channel.desk().keys.len(), 1);
        channel.take_away(WidgetId(1));
        after(&mut channel, key("Numpad7", lever(2, None))).unwrap();
        after(&mut channel, key("", lever(2, None))).unwrap();
        assert!(channel.desk().keys.is_empty());
    }

    #[test]
    fn a_desk_for_a_purpose_begins_as_the_main_one_and_has_an_order_of_its_own() {
        let counter = || Definition::standard("counter", &settings()).unwrap().unfolded();
        let mut channel = Channel::new(settings(), [1, 2, 3].map(|id| (WidgetId(id), counter())));
        let ids = |ids: &[u32]| ids.iter().copied().map(WidgetId).collect::<Vec<_>>();
        let arrange = |desk, order: &[u32], shown: &[u32]| DeskEdit::Arrange {
            desk,
            order: ids(order),
            shown: ids(shown).into_iter().collect(),
        };
        after(&mut channel, arrange(0, &[1, 2, 3], &[1, 3])).unwrap();
        let add = |name: &str| DeskEdit::Add { name: name.into() };
        assert_eq!(after(&mut channel, add("Match")), Ok(Some(1)));
        assert_eq!(channel.desk().more[&1].shown, ids(&[1, 3]));
        after(&mut channel, arrange(1, &[3, 2, 1, 9], &[2, 3, 9])).unwrap();
        let order = |one: &OneDesk| channel.on_one_desk(one).iter().map(|(id, _, on)| (id.0, *on)).collect::<Vec<_>>();
        assert_eq!(order(&channel.desk().more[&1]), [(3, true), (2, true), (1, false)]);
        assert!(matches!(after(&mut channel, add(" ")), Err(DeskError::Name(_))));
        assert_eq!(after(&mut channel, arrange(7, &[1], &[1])), Err(DeskError::NoDesk));
        for _ in 1..MOST_DESKS {
            after(&mut channel, add("One more")).unwrap();
        }
        assert_eq!(after(&mut channel, add("One too many")), Err(DeskError::TooMany));
        after(&mut channel, DeskEdit::Remove { desk: 1 }).unwrap();
        assert_eq!(channel.desk().more.len(), MOST_DESKS - 1);
    }

    #[test]
    fn two_people_at_two_desks_take_nothing_from_each_other() {
        let counter = || Definition::standard("counter", &settings()).unwrap().unfolded();
        let mut channel = Channel::new(settings(), [(WidgetId(1), counter())]);
        let lever = Bound { widget: WidgetId(1), action: "add".into(), value: None, side: None };
        after(&mut channel, DeskEdit::Key { code: "KeyT".into(), lever: lever.clone() }).unwrap();
        // The other one looks at a desk that has no such key yet.
        after(&mut channel, DeskEdit::Sounds { muted: Some(true), chimes: None }).unwrap();
        after(&mut channel, DeskEdit::Arrange { desk: 0, order: vec![WidgetId(1)], shown: BTreeSet::new() }).unwrap();
        let desk = channel.desk();
        assert_eq!((desk.muted, desk.keys.get("KeyT"), desk.hidden.len()), (true, Some(&lever), 1));
    }
}
