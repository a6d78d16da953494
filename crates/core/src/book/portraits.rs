//! Pictures of supporters: where each can be found, as the newest of their events told.

use crate::record::happening::Actor;
use crate::record::ids::Seq;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Of so many people the picture is known: those of whom one was told last.
const MOST: usize = 4_000;
/// Longest address that is kept, in bytes.
const LONGEST: usize = 500;

/// See the module. A correction takes no picture away: it says what counted, not what somebody looks like.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Portraits {
    by_name: BTreeMap<String, (Seq, String)>,
    by_age: BTreeMap<Seq, String>,
}

impl Portraits {
    /// Takes note of the picture of who did something, if one was told.
    pub fn note(&mut self, seq: Seq, actor: &Actor) {
        let told = actor.avatar.as_deref().filter(|address| address.len() <= LONGEST && !actor.anonymous);
        let Some(address) = told else { return };
        let name = crate::language::text::fold(&actor.name);
        if let Some((before, _)) = self.by_name.insert(name.clone(), (seq, address.to_owned())) {
            self.by_age.remove(&before);
        }
        self.by_age.insert(seq, name);
        if self.by_age.len() > MOST
            && let Some((_, oldest)) = self.by_age.pop_first()
        {
            self.by_name.remove(&oldest);
        }
    }

    /// Somebody's line bears another name now: whoever has no picture under that name is shown with the one
    /// that came with the line.
    pub fn rename(&mut self, seq: Seq, from: &str, to: &Actor) {
        if self.of(&to.name).is_none()
            && let Some(address) = self.of(from).map(str::to_owned)
        {
            self.note(seq, &Actor { avatar: Some(address), ..to.clone() });
        }
    }

    /// The address of somebody's picture, as it was told.
    #[must_use]
    pub fn of(&self, name: &str) -> Option<&str> {
        self.by_name.get(&crate::language::text::fold(name)).map(|(_, address)| address.as_str())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn actor(name: &str, avatar: &str) -> Actor {
        Actor { id: None, name: name.into(), avatar: Some(avatar.into()), anonymous: false }
    }

    #[test]
    fn the_newest_picture_of_each_is_known() {
        let mut portraits = Portraits::default();
        portraits.note(Seq(1), &actor("Ninepins", "https://pictures.example/1.png"));
        portraits.note(Seq(2), &actor("ninepins", "https://pictures.example/2.png"));
        portraits.note(Seq(3), &Actor { avatar: None, ..actor("ninepins", "") });
        portraits.note(Seq(4), &Actor { anonymous: true, ..actor("quietferry", "https://pictures.example/3.png") });
        portraits.note(Seq(5), &actor("bram", &format!("https://pictures.example/{}", "x".repeat(LONGEST))));
        assert_eq!(portraits.of("NINEPINS"), Some("https://pictures.example/2.png"));
        assert_eq!((portraits.of("quietferry"), portraits.of("bram")), (None, None));
    }

    #[test]
    fn a_picture_goes_along_with_a_name_that_is_put_right() {
        let mut portraits = Portraits::default();
        portraits.note(Seq(1), &actor("nimepins", "https://pictures.example/1.png"));
        portraits.note(Seq(2), &actor("bram", "https://pictures.example/2.png"));
        let named = |name: &str| Actor { avatar: None, ..actor(name, "") };
        portraits.rename(Seq(3), "nimepins", &named("ninepins"));
        portraits.rename(Seq(4), "nimepins", &named("bram"));
        portraits.rename(Seq(5), "nobody", &named("quietferry"));
        assert_eq!(portraits.of("ninepins"), Some("https://pictures.example/1.png"));
        assert_eq!(portraits.of("bram"), Some("https://pictures.example/2.png"), "one's own picture stays");
        assert_eq!(portraits.of("quietferry"), None);
    }

    #[test]
    fn those_of_whom_nothing_was_told_for_longest_are_forgotten() {
        let mut portraits = Portraits::default();
        portraits.note(Seq(0), &actor("first", "a"));
        for seq in 1..=MOST as u64 {
            portraits.note(Seq(seq), &actor(&format!("viewer_{seq}"), "b"));
        }
        assert_eq!((portraits.of("first"), portraits.of("viewer_1")), (None, Some("b")));
        portraits.note(Seq(9_000), &actor("viewer_1", "c"));
        portraits.note(Seq(9_001), &actor("last", "d"));
        assert_eq!((portraits.of("viewer_1"), portraits.of("viewer_2")), (Some("c"), None));
    }
}
