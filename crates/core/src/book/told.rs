//! What all lines tell of people at once: telling a million lines one by one would take a start's time.

use super::names::{Names, Person, Spelling};
use crate::language::text::fold;

/// What lines tell of people, gathered from all of them.
#[derive(Default)]
pub(super) struct Told {
    /// By their places.
    of: Vec<ToldOf>,
}

/// What lines tell of somebody.
#[derive(Clone, Default)]
struct ToldOf {
    /// The newest of their lines in force, and the name in it.
    newest: Option<((i64, u64), Spelling)>,
    /// The newest of all.
    last: Option<((i64, u64), Spelling)>,
    /// In how many lines in force they bore each name. Nearly always that is one name.
    borne: Vec<(Spelling, u32)>,
}

impl Told {
    /// Takes note of a line in which somebody stands. Of two names in one line the later is shown.
    pub(super) fn note(&mut self, person: Person, spelling: Spelling, line: (i64, u64), in_force: bool) {
        if self.of.len() <= person.index() {
            self.of.resize(person.index().saturating_add(1), ToldOf::default());
        }
        let of = &mut self.of[person.index()];
        let newer = |before: Option<((i64, u64), Spelling)>| before.is_none_or(|(before, _)| before <= line);
        if newer(of.last) {
            of.last = Some((line, spelling));
        }
        if !in_force {
            return;
        }
        if newer(of.newest) {
            of.newest = Some((line, spelling));
        }
        match of.borne.iter_mut().find(|(one, _)| *one == spelling) {
            Some((_, lines)) => *lines = lines.saturating_add(1),
            None => of.borne.push((spelling, 1)),
        }
    }
}

impl Names {
    /// Takes what all lines tell, in place of what was told by lines so far.
    pub(super) fn tell(&mut self, told: &Told) {
        self.borne.clear();
        for (place, one) in self.list.iter_mut().enumerate() {
            let of = told.of.get(place);
            let newest = of.and_then(|of| of.newest);
            // Whoever stands in no line at all has no name.
            let shown = newest.or(of.and_then(|of| of.last));
            one.newest = newest.map(|(line, _)| line);
            one.name = shown.map(|(_, spelling)| self.spellings.get(spelling).to_owned()).unwrap_or_default();
            one.folded = fold(&one.name);
            for (spelling, lines) in of.into_iter().flat_map(|of| &of.borne).filter(|_| one.id().is_some()) {
                let spelled = self.spellings.get(*spelling);
                let folded = if *spelled == *one.name { one.folded.clone() } else { fold(spelled) };
                let borne = self.borne.entry(folded).or_default().entry(Person::at(place)).or_default();
                *borne = borne.saturating_add(*lines);
            }
        }
        for place in 0..self.list.len() {
            self.settle(Person::at(place));
        }
    }
}
