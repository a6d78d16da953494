//! Whose lines are whose: kept up to date as lines come into force and go out of it.

use super::fact::What;
use super::names::{By, Moved, Person, Spelling};
use super::told::Told;
use super::{Book, Fact};
use crate::record::ids::Seq;

/// The lines of everybody, each list in order of time. It follows from the facts alone.
#[derive(Debug, Clone, Default)]
pub(super) struct Lines {
    of: Vec<Vec<(i64, u64)>>,
    /// Gifts, and subscriptions given, by people who gave no name.
    anonymous: Vec<(i64, u64)>,
}

impl Lines {
    fn list(&self, of: Option<Person>) -> &[(i64, u64)] {
        match of {
            Some(person) => self.of.get(person.index()).map_or(&[], Vec::as_slice),
            None => &self.anonymous,
        }
    }

    fn list_mut(&mut self, of: Option<Person>) -> &mut Vec<(i64, u64)> {
        let Some(person) = of else { return &mut self.anonymous };
        if self.of.len() <= person.index() {
            self.of.resize(person.index().saturating_add(1), Vec::new());
        }
        &mut self.of[person.index()]
    }

    fn insert(&mut self, of: Option<Person>, line: (i64, u64)) {
        let list = self.list_mut(of);
        // Nearly always at the end.
        if list.last().is_none_or(|last| *last < line) {
            list.push(line);
            return;
        }
        let place = list.partition_point(|other| *other < line);
        if list.get(place) != Some(&line) {
            list.insert(place, line);
        }
    }

    fn remove(&mut self, of: Option<Person>, line: (i64, u64)) {
        let list = self.list_mut(of);
        if let Ok(place) = list.binary_search(&line) {
            list.remove(place);
        }
    }
}

/// In whose lists a fact stands.
fn lists(fact: &Fact) -> impl Iterator<Item = Option<Person>> + use<> {
    let gives = match fact.what {
        What::Gift { .. } => Some(fact.by),
        _ => fact.giver(),
    };
    let anonymous = (gives == Some(By::Anonymous)).then_some(None);
    fact.people().map(|(person, _)| Some(person)).chain(anonymous)
}

impl Book {
    /// The facts that somebody did or paid for, from before a place on, newest first. With nobody
    /// named, those in which something was given.
    pub fn lines_of(&self, of: Option<Person>, before: (i64, u64)) -> impl Iterator<Item = &Fact> {
        let list = self.lines.list(of);
        let end = list.partition_point(|line| *line < before);
        list[..end]
            .iter()
            .rev()
            .filter_map(|(at, seq)| self.find(super::instant(*at), Seq(*seq)))
            .inspect(super::look_at)
    }

    /// Whether a line is the newest of somebody who did nothing for so many microseconds before it. False where they count as one
    /// with others: that would have to be looked for.
    #[must_use]
    pub fn rested(&self, of: Option<Person>, line: (i64, u64), length: i64) -> bool {
        if of.is_some_and(|person| !self.cover.names.is_alone(person)) {
            return false;
        }
        match self.lines.list(of) {
            [.., (before, _), last] => *last == line && line.0.saturating_sub(*before) > length,
            [last] => *last == line,
            [] => false,
        }
    }

    /// The same from a place on, oldest first.
    pub fn lines_from(&self, of: Option<Person>, from: (i64, u64)) -> impl Iterator<Item = &Fact> {
        let list = self.lines.list(of);
        let begin = list.partition_point(|line| *line < from);
        list[begin..].iter().filter_map(|(at, seq)| self.find(super::instant(*at), Seq(*seq))).inspect(super::look_at)
    }

    /// Takes note of whose a fact is: a new one, or one that counts again.
    pub(super) fn note_people(&mut self, fact: &Fact) -> Moved {
        let line = fact.place();
        for list in lists(fact) {
            self.lines.insert(list, line);
        }
        let mut moved = Moved::default();
        for (person, spelling) in fact.people() {
            if self.stands(fact) {
                let before = self.lines.list(Some(person)).len() > 1;
                moved |= self.cover.names.come(person, spelling, line, before);
            } else if self.cover.names.is_out_of_force(person) {
                moved |= self.rename(person);
            }
        }
        moved
    }

    /// Takes note that a fact has stopped to count.
    pub(super) fn drop_people(&mut self, fact: &Fact) -> Moved {
        let mut moved = Moved::default();
        for (person, spelling) in fact.people() {
            let rest = self.spellings_of(person);
            moved |= self.cover.names.go(person, spelling, fact.place(), rest.into_iter());
        }
        moved
    }

    /// Takes note that a fact stands there no more, and did not count in the end.
    pub(super) fn forget_people(&mut self, fact: &Fact) -> Moved {
        for list in lists(fact) {
            self.lines.remove(list, fact.place());
        }
        let mut moved = Moved::default();
        for (person, _) in fact.people() {
            if self.cover.names.is_out_of_force(person) {
                moved |= self.rename(person);
            }
        }
        moved
    }

    fn rename(&mut self, person: Person) -> Moved {
        let rest = self.spellings_of(person);
        self.cover.names.show_newest(person, rest.into_iter())
    }

    /// The names in somebody's lines, newest first, as far as the first in force, and whether each is.
    fn spellings_of(&self, person: Person) -> Vec<((i64, u64), Spelling, bool)> {
        let mut all = Vec::new();
        for fact in self.lines_of(Some(person), (i64::MAX, u64::MAX)) {
            let stands = self.stands(fact);
            // Who gave to themselves stands in it twice; what was told last is shown.
            let own = fact.people().filter(|(one, _)| *one == person).last();
            all.extend(own.map(|(_, spelling)| (fact.place(), spelling, stands)));
            if stands {
                break;
            }
        }
        all
    }

    /// Tells all of it from the facts anew, in one go: a million lines told one by one would take a start's time.
    pub(super) fn note_everybody(&mut self) {
        let (mut lines, mut told) = (Lines::default(), Told::default());
        for fact in self.pages.values().flat_map(|page| &page.facts) {
            for list in lists(fact) {
                lines.insert(list, fact.place());
            }
            let in_force = self.stands(fact);
            for (person, spelling) in fact.people() {
                told.note(person, spelling, fact.place(), in_force);
            }
        }
        lines.of.iter_mut().for_each(Vec::shrink_to_fit);
        self.lines = lines;
        self.cover.names.tell(&told);
    }
}
