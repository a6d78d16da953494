//! Ready-made starts: widgets for what people want most, to be changed from there.

use super::Channel;
use crate::record::settings::Settings;
use crate::sentence::EditError;
use crate::widgets::{Definition, Piece};

/// A start: a family and what is said differently from its standard.
#[derive(Debug, Clone, Copy)]
pub struct Start {
    /// Its word in addresses.
    pub key: &'static str,
    /// What it is for, as the streamer would say it.
    pub words: &'static str,
    /// Its family.
    pub family: &'static str,
    /// Parts of its sentence or its look, each with the value that is typed in.
    edits: &'static [(&'static str, &'static str)],
}

const fn start(
    key: &'static str,
    words: &'static str,
    family: &'static str,
    edits: &'static [(&'static str, &'static str)],
) -> Start {
    Start { key, words, family, edits }
}

/// All starts, in the order in which they are offered.
pub const STARTS: [Start; 48] = [
    start(
        "tips-this-month",
        "This month’s tips towards something",
        "goal",
        &[("title", "Towards something new"), ("target", "350")],
    ),
    start(
        "subs-tonight",
        "Subscribers tonight",
        "goal",
        &[
            ("title", "Subscribers tonight"),
            ("measure", "subscriber_weight"),
            ("period", "this_show"),
            ("target", "40"),
            ("shape", "gates"),
        ],
    ),
    start(
        "follows-this-week",
        "Follows this week",
        "goal",
        &[
            ("title", "New faces this week"),
            ("measure", "count_of_follows"),
            ("period", "this_week"),
            ("target", "100"),
            ("shape", "ring"),
        ],
    ),
    start(
        "ladder",
        "A ladder of promises",
        "goal",
        &[
            ("title", "What we do tonight"),
            ("period", "this_show"),
            ("then", "rungs"),
            ("rungs", "Tea break: 25\nPaint it red: 75\nNight train: 150\nTwo hours more: 300"),
            ("shape", "ladder"),
            ("beside", "missing"),
        ],
    ),
    start(
        "ever-further",
        "A goal that moves on when it is reached",
        "goal",
        &[
            ("title", "One more length of track"),
            ("period", "this_show"),
            ("target", "20"),
            ("then", "raise"),
            ("step", "20"),
            ("shape", "column"),
        ],
    ),
    start(
        "two-goals",
        "Tips and subscribers side by side",
        "goal",
        &[
            ("title", "Tips"),
            ("more", "add"),
            ("2.title", "Subscribers"),
            ("2.measure", "count_of_subs"),
            ("2.target", "50"),
            ("arrange", "beside"),
        ],
    ),
    start(
        "goal-in-words",
        "A goal in one line of words",
        "goal",
        &[("title", "This month"), ("shape", "words"), ("look", "plain"), ("beside", "missing")],
    ),
    start(
        "latest-supporter",
        "The latest supporter",
        "label",
        &[("title", "Latest supporter"), ("measure", "different_supporters"), ("template", "*{{ name }}*")],
    ),
    start(
        "latest-follow",
        "The latest follow",
        "label",
        &[("title", "Latest follow"), ("measure", "count_of_follows"), ("template", "*{{ name }}*")],
    ),
    start(
        "latest-sub",
        "The latest subscriber",
        "label",
        &[
            ("title", "Latest subscriber"),
            ("measure", "count_of_subs"),
            ("template", "*{{ name }}*{% if months > 1 %}, {{ months }} months{% endif %}"),
        ],
    ),
    start(
        "largest-tip-tonight",
        "Tonight’s largest tip",
        "label",
        &[("title", "Largest tip tonight"), ("which", "largest"), ("period", "this_show")],
    ),
    start(
        "top-supporter",
        "This month’s top supporter",
        "label",
        &[("title", "Top supporter this month"), ("which", "top"), ("period", "this_month"), ("shape", "pennant")],
    ),
    start("in-turn", "Latest and largest in turn", "carousel", &[("title", "In turn")]),
    start("just-now", "What has just happened", "event_list", &[("title", "Just now")]),
    start(
        "thank-you-log",
        "A log of thanks that fades",
        "event_list",
        &[
            ("title", "Thank you"),
            ("kinds", "sub,gift,tip"),
            ("shape", "lines"),
            ("most", "6"),
            ("order", "last"),
            ("fade_from", "4"),
            ("life", "10:00"),
        ],
    ),
    start(
        "arrivals",
        "Arrivals: follows and raids",
        "event_list",
        &[("title", "Arrivals"), ("kinds", "follow,raid"), ("shape", "strips"), ("most", "4")],
    ),
    start("tape", "A tape along the foot of the picture", "ticker", &[("title", "On the line")]),
    start(
        "notices",
        "Notices that run past",
        "ticker",
        &[
            ("title", "Notices"),
            ("kinds", ""),
            (
                "texts",
                "New every *Tuesday* at half past seven\nThe rules of the house are under the picture\nThank you for being here",
            ),
            ("shape", "board"),
        ],
    ),
    start("top-five", "This month’s top five", "leaderboard", &[("title", "Top five this month")]),
    start(
        "gift-givers",
        "Tonight’s givers of subscriptions",
        "leaderboard",
        &[
            ("title", "Most generous tonight"),
            ("measure", "count_of_gifts"),
            ("period", "this_show"),
            ("shape", "rails"),
        ],
    ),
    start(
        "all-time-steps",
        "The three best of all time",
        "leaderboard",
        &[("title", "Hall of helpers"), ("period", "all_time"), ("most", "6"), ("shape", "steps")],
    ),
    start("who-is-here", "Who is here", "crowd_wall", &[("title", "Who is here")]),
    start(
        "new-followers",
        "The newest followers as bunting",
        "crowd_wall",
        &[("title", "New on board"), ("who", "followers"), ("rows", "1"), ("columns", "8"), ("shape", "bunting")],
    ),
    start("chat", "Chat on the picture", "chat_lines", &[("title", "Chat")]),
    start(
        "tonight-in-figures",
        "Tonight in figures",
        "total",
        &[
            ("title", "Tonight"),
            ("1.period", "this_show"),
            ("1.more", "add"),
            ("2.period", "this_show"),
            ("2.more", "add"),
            ("3.measure", "count_of_subs"),
            ("3.label", "Subscribers"),
            ("3.period", "this_show"),
        ],
    ),
    start(
        "follower-count",
        "Followers, counted on from a total",
        "total",
        &[("title", "Followers"), ("1.period", "all_time"), ("1.start", "1000"), ("shape", "words")],
    ),
    start("count-by-hand", "Something that you count by hand", "counter", &[("title", "Attempts")]),
    start("starting-soon", "A countdown to the start", "clock", &[("title", "Starting in")]),
    start(
        "every-friday",
        "Until the next show, week after week",
        "clock",
        &[("title", "Next show in"), ("kind", "to"), ("units", "days"), ("shape", "flaps")],
    ),
    start(
        "on-air-for",
        "How long you have been on air",
        "clock",
        &[("title", "On air for"), ("kind", "since"), ("shape", "digits"), ("look", "plain")],
    ),
    start(
        "laps",
        "A stopwatch with laps",
        "clock",
        &[("title", "This lap"), ("kind", "up"), ("tenths", "10:00"), ("shape", "ring")],
    ),
    start(
        "time-of-day",
        "The time where you are",
        "clock",
        &[("title", "Here it is"), ("kind", "zone"), ("shape", "words")],
    ),
    start(
        "poll",
        "A poll that your chat votes in",
        "poll",
        &[("title", "You decide"), ("saved", "What shall we do next? Go on / Something else\nyes / no")],
    ),
    start(
        "duel",
        "A duel of two sides",
        "poll",
        &[("title", "This or that"), ("saved", "this / that"), ("length", "1:00"), ("shape", "coupling")],
    ),
    start(
        "poll-elsewhere",
        "A poll that your platform holds",
        "poll",
        &[("title", "The poll"), ("shape", "slate"), ("look", "chalk")],
    ),
    start(
        "wheel",
        "A wheel of things that might happen",
        "wheel",
        &[("title", "What happens now"), ("slices", "Sing: 2\nDance: 2\nA silly hat\nNothing at all: 3")],
    ),
    start(
        "raffle",
        "A raffle among your viewers",
        "wheel",
        &[("title", "Who wins the mug"), ("source", "pot"), ("after", "remove"), ("shape", "drum"), ("look", "lamp")],
    ),
    start("wheel-strip", "Names that run past", "wheel", &[("title", "Next up"), ("source", "pot"), ("shape", "run")]),
    start(
        "subathon",
        "A subathon: your audience keeps the clock going",
        "subathon",
        &[("title", "We go on as long as you do"), ("total", "24:00:00")],
    ),
    start(
        "subathon-ring",
        "A subathon in a ring, for a corner",
        "subathon",
        &[("title", "Keep us going"), ("total", "12:00:00"), ("shape", "ring"), ("look", "lamp")],
    ),
    start(
        "match",
        "A match, by points",
        "scoreboard",
        &[("title", "The match"), ("1.name", "Home"), ("2.name", "Guests")],
    ),
    start(
        "football",
        "A football match, in a slip for a corner",
        "scoreboard",
        &[("title", "Football"), ("sport", "football"), ("1.name", "Home"), ("2.name", "Guests"), ("shape", "slip")],
    ),
    start(
        "basketball",
        "A basketball game, in plates",
        "scoreboard",
        &[("title", "Basketball"), ("sport", "basketball"), ("1.name", "Home"), ("2.name", "Guests")],
    ),
    start(
        "tennis",
        "A tennis match",
        "scoreboard",
        &[
            ("title", "Tennis"),
            ("sport", "tennis"),
            ("1.name", "One"),
            ("2.name", "Two"),
            ("shape", "slip"),
            ("look", "lamp"),
        ],
    ),
    start(
        "darts",
        "A match of darts",
        "scoreboard",
        &[("title", "Darts"), ("sport", "darts"), ("1.name", "One"), ("2.name", "Two"), ("shape", "tall")],
    ),
    start(
        "table",
        "A table of many",
        "scoreboard",
        &[("title", "The table"), ("sport", "ranking"), ("sides", "One\nTwo\nThree\nFour"), ("shape", "slip")],
    ),
    start("tracker", "What a game counts, in a badge", "tracker", &[("title", "The game")]),
    start(
        "tracker-card",
        "A game with its last rounds",
        "tracker",
        &[("title", "Wins tonight"), ("beside", "losses"), ("shape", "card"), ("look", "lamp")],
    ),
];

impl Start {
    /// The start of that word.
    #[must_use]
    pub fn of_key(key: &str) -> Option<Self> {
        STARTS.into_iter().find(|start| start.key == key)
    }

    /// The widget as it begins in a channel.
    ///
    /// # Errors
    /// A part does not take its value, which a test rules out for a fresh channel.
    pub fn piece(&self, settings: &Settings, now: crate::time::Instant) -> Result<Option<Piece>, EditError> {
        let Some(definition) = Definition::standard(self.family, settings) else { return Ok(None) };
        let (mut piece, nothing) = (definition.unfolded(), Channel::new(settings.clone(), []));
        // A look is tried on as it is shipped, so it comes first.
        let first = |(key, _): &&(&str, &str)| *key != "look";
        let (rest, looks): (Vec<_>, Vec<_>) = self.edits.iter().partition(first);
        for (key, text) in looks.into_iter().chain(rest) {
            (piece, _) = piece.edited(key, text, &nothing.scope(now))?;
        }
        Ok(Some(piece))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fixtures::settings;

    #[test]
    fn every_start_begins_in_a_channel_of_any_currency() {
        let now = "2026-11-24T19:00:00Z".parse().unwrap();
        let mut keys = std::collections::BTreeSet::new();
        for start in STARTS {
            for currency in ["GBP", "JPY", "KWD"] {
                let settings = Settings { currency: crate::money::Currency::parse(currency).unwrap(), ..settings() };
                let piece = start.piece(&settings, now).unwrap_or_else(|error| panic!("{}: {error}", start.key));
                let piece = piece.unwrap_or_else(|| panic!("{}: no such family", start.key));
                let nothing = Channel::new(settings, []);
                assert!(!piece.sample(&nothing.scope(now)).text().is_empty(), "{}", start.key);
            }
            assert!(keys.insert(start.key), "{} stands twice", start.key);
        }
        assert!(keys.len() >= 20);
    }
}
