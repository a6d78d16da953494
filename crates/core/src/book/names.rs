//! Supporters, and the names that they bear.
//!
//! A supporter is known by the sender's id, and without one by the folded name. A name without id
//! that exactly one supporter known by id has borne is theirs; when several have, it stays apart
//! until somebody merges it. Merging joins supporters, and each merge stands by itself: taking one
//! back leaves the others as they are. What counts is what lines in force say, so a voided line
//! neither names nor joins anybody.

use super::told::Told;
use super::words::Words;
use crate::language::text::fold;
use crate::record::happening::Actor;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet, HashMap};

pub use super::words::Word as Spelling;

/// The place of a supporter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Person(u32);

impl Person {
    /// A number that stays theirs as long as the ledger is the same.
    #[must_use]
    pub fn number(self) -> u64 {
        self.0.into()
    }

    pub(super) fn at(index: usize) -> Self {
        Self(u32::try_from(index).unwrap_or(u32::MAX))
    }

    pub(super) fn index(self) -> usize {
        self.0 as usize
    }
}

/// Who did something, and the name that they bore.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum By {
    /// Nobody: it happened by itself.
    Nobody,
    /// Somebody who gave no name.
    Anonymous,
    /// Somebody.
    Known(Person, Spelling),
}

impl By {
    /// The supporter, and the name as it was spelled.
    #[must_use]
    pub fn named(self) -> Option<(Person, Spelling)> {
        match self {
            Self::Known(person, spelling) => Some((person, spelling)),
            Self::Nobody | Self::Anonymous => None,
        }
    }

    /// The supporter.
    #[must_use]
    pub fn person(self) -> Option<Person> {
        self.named().map(|(person, _)| person)
    }
}

/// Somebody.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Supporter {
    /// What identifies them: the platform's identifier behind a `#`, or the folded name.
    pub key: String,
    /// The name shown: the newest by when it happened, of lines in force where there are any.
    pub name: String,
    /// The same folded, for comparing.
    pub folded: String,
    /// Of which line the name is; none where no line in force bears one.
    pub(super) newest: Option<(i64, u64)>,
}

impl Supporter {
    /// What tells them from others of the same name: their id behind a `#`, or, of one known by name alone,
    /// the name behind a `=`.
    #[must_use]
    pub fn exactly(&self) -> String {
        if self.id().is_some() { self.key.clone() } else { format!("={}", self.key) }
    }

    /// The platform's identifier.
    #[must_use]
    pub fn id(&self) -> Option<&str> {
        self.key.strip_prefix('#')
    }
}

/// How a change of lines has changed people.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Moved {
    /// Somebody is shown under another name.
    pub renamed: bool,
    /// Lines from before belong to somebody else now, or somebody is known by another name.
    pub regrouped: bool,
}

impl std::ops::BitOrAssign for Moved {
    fn bitor_assign(&mut self, other: Self) {
        self.renamed |= other.renamed;
        self.regrouped |= other.regrouped;
    }
}

/// Everybody who ever did something on the channel. What is kept are keys, spellings and merges; the
/// rest is told by lines, see [`Names::come`] and [`Names::go`].
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(from = "Kept", into = "Kept")]
pub struct Names {
    pub(super) list: Vec<Supporter>,
    places: HashMap<String, Person>,
    pub(super) spellings: Words,
    /// Who was merged into whom, by hand.
    merged: BTreeMap<Person, Person>,
    /// By folded name, who of those known by id has borne it, in how many lines in force.
    pub(super) borne: HashMap<String, BTreeMap<Person, u32>>,
    /// Who counts as whom: by merges, and by names borne by one alone.
    parents: Vec<Option<Person>>,
    /// The other way round.
    children: BTreeMap<Person, BTreeSet<Person>>,
}

/// What is kept of [`Names`].
#[derive(Serialize, Deserialize)]
struct Kept {
    keys: Vec<String>,
    spellings: Words,
    merged: BTreeMap<Person, Person>,
}

impl From<Kept> for Names {
    fn from(kept: Kept) -> Self {
        let mut names = Self { spellings: kept.spellings, ..Self::default() };
        for key in kept.keys {
            names.enter(key);
        }
        names.merged = kept.merged;
        names.tell(&Told::default());
        names
    }
}

impl From<Names> for Kept {
    fn from(names: Names) -> Self {
        let keys = names.list.into_iter().map(|one| one.key).collect();
        Self { keys, spellings: names.spellings, merged: names.merged }
    }
}

/// What identifies somebody. A platform's identifier outlives a change of name.
#[must_use]
pub fn key(id: Option<&str>, name: &str) -> String {
    match id {
        Some(id) => format!("#{id}"),
        None => fold(name),
    }
}

impl Names {
    /// Notes who did something.
    pub(super) fn by(&mut self, actor: &Actor) -> By {
        if actor.anonymous {
            return By::Anonymous;
        }
        let key = key(actor.id.as_deref(), &actor.name);
        let person = self.places.get(&key).copied().unwrap_or_else(|| self.enter(key));
        By::Known(person, self.spellings.place(&actor.name))
    }

    fn enter(&mut self, key: String) -> Person {
        let person = Person::at(self.list.len());
        self.places.insert(key.clone(), person);
        self.list.push(Supporter { key, name: String::new(), folded: String::new(), newest: None });
        self.parents.push(None);
        self.settle(person);
        person
    }

    /// Somebody.
    #[must_use]
    pub fn get(&self, person: Person) -> Option<&Supporter> {
        self.list.get(person.index())
    }

    /// A name as it was spelled in a line.
    #[must_use]
    pub fn spelled(&self, spelling: Spelling) -> &str {
        self.spellings.get(spelling)
    }

    fn parent(&self, person: Person) -> Option<Person> {
        self.parents.get(person.index()).copied().flatten()
    }

    /// Whoever somebody counts as: themselves, unless they were merged or their name is another's.
    #[must_use]
    pub fn person(&self, person: Person) -> Person {
        let (mut slow, mut fast) = (person, person);
        loop {
            for _ in 0..2 {
                match self.parent(fast) {
                    Some(parent) => fast = parent,
                    None => return fast,
                }
            }
            slow = self.parent(slow).unwrap_or(slow);
            // Somebody merged into a name that has become theirs since goes in a circle: all in it are one.
            if slow == fast {
                return self.first_in_circle(slow);
            }
        }
    }

    fn first_in_circle(&self, one: Person) -> Person {
        let (mut first, mut at) = (one, self.parent(one));
        while let Some(other) = at.filter(|other| *other != one) {
            first = first.min(other);
            at = self.parent(other);
        }
        first
    }

    /// Whether nobody else counts as the same supporter, and they count as nobody else.
    #[must_use]
    pub fn is_alone(&self, person: Person) -> bool {
        self.parent(person).is_none() && !self.children.contains_key(&person)
    }

    /// All who count as the same supporter as somebody, themselves among them.
    #[must_use]
    pub fn same_as(&self, person: Person) -> BTreeSet<Person> {
        let (mut all, mut next) = (BTreeSet::new(), vec![self.person(person)]);
        while let Some(one) = next.pop() {
            if all.insert(one) {
                next.extend(self.children.get(&one).into_iter().flatten());
            }
        }
        all
    }

    /// Somebody by their key.
    #[must_use]
    pub fn find(&self, key: &str) -> Option<Person> {
        let folded = if key.starts_with('#') { key.to_owned() } else { fold(key) };
        self.places.get(&folded).copied()
    }

    /// All supporters who are meant by a name; or the one meant by what [`Supporter::exactly`] gives.
    #[must_use]
    pub fn called(&self, name: &str) -> BTreeSet<Person> {
        let folded = fold(name);
        let exact = match folded.strip_prefix('=') {
            Some(bare) => self.places.get(bare),
            None => self.places.get(name.trim()).filter(|_| folded.starts_with('#')),
        };
        if let Some(one) = exact {
            return [self.person(*one)].into();
        }
        let mut all: BTreeSet<Person> = self.places.get(&folded).copied().into_iter().collect();
        all.extend(self.borne.get(&folded).into_iter().flat_map(BTreeMap::keys));
        if all.is_empty() {
            let shown = (0..).zip(&self.list).filter(|(_, one)| one.folded == folded);
            all.extend(shown.map(|(place, _)| Person(place)));
        }
        all.into_iter().map(|one| self.person(one)).collect()
    }

    /// Whether a supporter is known by a folded name.
    #[must_use]
    pub fn is_called(&self, person: Person, folded: &str) -> bool {
        let person = self.person(person);
        let shown = self.get(person).is_some_and(|one| one.folded == folded);
        shown
            || self.places.get(folded).is_some_and(|one| self.person(*one) == person)
            || self.borne.get(folded).is_some_and(|all| all.keys().any(|one| self.person(*one) == person))
    }

    /// The spellings that hold a folded text, and those whose shown name does.
    pub(super) fn holding(&self, folded: &str) -> (BTreeSet<Spelling>, BTreeSet<Person>) {
        let people = (0..).zip(&self.list).filter(|(_, one)| one.folded.contains(folded));
        (
            self.spellings.holding(|spelled| fold(spelled).contains(folded)).collect(),
            people.map(|(place, _)| Person(place)).collect(),
        )
    }

    // ---- lines ----

    /// Whether no line in force bears somebody's name.
    pub(super) fn is_out_of_force(&self, person: Person) -> bool {
        self.get(person).is_some_and(|one| one.newest.is_none())
    }

    /// A line comes into force that somebody did. `before` says whether others of theirs were there.
    pub(super) fn come(&mut self, person: Person, spelling: Spelling, line: (i64, u64), before: bool) -> Moved {
        let mut moved = self.show(person, spelling, line, before);
        if let Some(one) = self.list.get(person.index()).filter(|one| one.id().is_some()) {
            // Nearly always the name that they bear already.
            let folded = if one.name == self.spelled(spelling) { &one.folded } else { &fold(self.spelled(spelling)) };
            if let Some(lines) = self.borne.get_mut(folded).and_then(|bearers| bearers.get_mut(&person)) {
                *lines = lines.saturating_add(1);
            } else {
                let folded = folded.clone();
                self.borne.entry(folded.clone()).or_default().insert(person, 1);
                moved.regrouped |= before | self.settle_name(&folded);
            }
        }
        moved
    }

    fn show(&mut self, person: Person, spelling: Spelling, line: (i64, u64), before: bool) -> Moved {
        let name = self.spellings.get(spelling);
        let Some(one) = self.list.get_mut(person.index()) else { return Moved::default() };
        if one.newest.is_some_and(|newest| newest > line) {
            return Moved::default();
        }
        one.newest = Some(line);
        if one.name == name {
            return Moved::default();
        }
        let folded = fold(name);
        let other = one.folded != folded;
        (one.name, one.folded) = (name.to_owned(), folded);
        Moved { renamed: before, regrouped: before && other }
    }

    /// A line goes out of force. `rest` are the others of theirs, newest first, with whether each is in force.
    pub(super) fn go(
        &mut self,
        person: Person,
        spelling: Spelling,
        line: (i64, u64),
        rest: impl Iterator<Item = ((i64, u64), Spelling, bool)>,
    ) -> Moved {
        let mut moved = Moved::default();
        let folded = fold(self.spelled(spelling));
        if let Some(all) = self.borne.get_mut(&folded)
            && let Some(lines) = all.get_mut(&person)
        {
            *lines = lines.saturating_sub(1);
            if *lines == 0 {
                all.remove(&person);
                if all.is_empty() {
                    self.borne.remove(&folded);
                }
                self.settle_name(&folded);
                moved.regrouped = true;
            }
        }
        if self.get(person).is_some_and(|one| one.newest == Some(line)) {
            moved |= self.show_newest(person, rest);
        }
        moved
    }

    /// Shows somebody under the newest of their lines, one in force if there is any.
    pub(super) fn show_newest(
        &mut self,
        person: Person,
        rest: impl Iterator<Item = ((i64, u64), Spelling, bool)>,
    ) -> Moved {
        let mut last = None;
        let mut newest = None;
        for (line, spelling, in_force) in rest {
            last = last.or(Some(spelling));
            if in_force {
                newest = Some((line, spelling));
                break;
            }
        }
        // Whoever stands in no line at all has no name.
        let shown = newest.map(|(_, spelling)| spelling).or(last);
        let name = shown.map(|spelling| self.spelled(spelling).to_owned()).unwrap_or_default();
        let Some(one) = self.list.get_mut(person.index()) else { return Moved::default() };
        one.newest = newest.map(|(line, _)| line);
        if name == one.name {
            return Moved::default();
        }
        let folded = fold(&name);
        let moved = Moved { renamed: true, regrouped: one.folded != folded };
        (one.name, one.folded) = (name, folded);
        moved
    }

    // ---- who counts as whom ----

    /// The first among somebody and those they count as who was merged by hand.
    #[must_use]
    pub fn merged_at(&self, person: Person) -> Option<Person> {
        let mut at = person;
        for _ in 0..self.list.len() {
            if self.merged.contains_key(&at) {
                return Some(at);
            }
            at = self.parent(at)?;
        }
        None
    }

    /// Lets `from` count as `into`, or as itself again. Whether that changes anything.
    pub(super) fn merge(&mut self, from: &str, into: Option<&str>) -> bool {
        let Some(from) = self.find(from) else { return false };
        let changed = match into.map(|into| self.find(into)) {
            None => self.merged.remove(&from).is_some(),
            Some(Some(into)) if into != from => self.merged.insert(from, into) != Some(into),
            Some(_) => false,
        };
        self.settle(from);
        changed
    }

    /// Whoever is known by a folded name alone belongs to the one known by id who has borne it.
    fn settle_name(&mut self, folded: &str) -> bool {
        self.places.get(folded).copied().is_some_and(|person| self.settle(person))
    }

    /// Finds out anew whom somebody counts as. Whether that is somebody else.
    pub(super) fn settle(&mut self, person: Person) -> bool {
        let parent = self.merged.get(&person).copied().or_else(|| {
            let all = self.borne.get(&self.list.get(person.index())?.key)?;
            all.keys().next().copied().filter(|_| all.len() == 1)
        });
        let Some(place) = self.parents.get_mut(person.index()) else { return false };
        let before = std::mem::replace(place, parent);
        if before == parent {
            return false;
        }
        if let Some(before) = before
            && let Some(all) = self.children.get_mut(&before)
        {
            all.remove(&person);
            if all.is_empty() {
                self.children.remove(&before);
            }
        }
        if let Some(parent) = parent {
            self.children.entry(parent).or_default().insert(person);
        }
        true
    }
}
