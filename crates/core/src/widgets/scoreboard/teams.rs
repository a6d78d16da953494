//! Teams that have played before: remembered with their colours and pictures, so that nobody sets them up twice.

use crate::language::text::plain;
use crate::record::acts::board::Side;
use std::collections::HashSet;

/// How many teams are remembered.
pub const MOST_TEAMS: usize = 200;

/// Each team once, as it was told first in this order; so the newest boards come first. What it had won or lost by then
/// is not remembered, nor are sides that nobody has named.
#[must_use]
pub fn remembered(sides: impl IntoIterator<Item = Side>) -> Vec<Side> {
    let mut known = HashSet::new();
    let unnamed = |side: &Side| {
        let rest = side.name.strip_prefix("Side ");
        rest.is_some_and(|rest| rest.bytes().all(|byte| byte.is_ascii_digit()))
    };
    let new = sides.into_iter().filter(|side| !unnamed(side)).filter(|side| known.insert(plain(&side.name)));
    let bare = |side| Side { rank: String::new(), record: String::new(), ..side };
    new.map(bare).take(MOST_TEAMS).collect()
}

/// The team of that name, however it is spelled.
#[must_use]
pub fn of_name<'a>(teams: &'a [Side], name: &str) -> Option<&'a Side> {
    let wanted = plain(name);
    teams.iter().find(|team| plain(&team.name) == wanted)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::acts::board::Picture;

    fn side(name: &str, colour: &str) -> Side {
        Side {
            name: name.into(),
            short: String::new(),
            colour: colour.into(),
            picture: Picture::Flag("gb".into()),
            rank: "3rd".into(),
            record: "4-1".into(),
        }
    }

    #[test]
    fn a_team_is_known_by_its_name_and_the_newest_of_it_counts() {
        let told = [
            side("Heron Yard", "#112233"),
            side("Side 2", "#000000"),
            side("heron  yard", "#445566"),
            side("Copper Yard", "#778899"),
        ];
        let teams = remembered(told);
        assert_eq!(teams.iter().map(|team| team.name.as_str()).collect::<Vec<_>>(), ["Heron Yard", "Copper Yard"]);
        let heron = of_name(&teams, " HERON YARD ").unwrap();
        assert_eq!((heron.colour.as_str(), &heron.picture), ("#112233", &Picture::Flag("gb".into())));
        assert_eq!((heron.rank.as_str(), heron.record.as_str()), ("", ""), "the next table is another one");
        assert_eq!(of_name(&teams, "Side 2"), None);
    }
}
