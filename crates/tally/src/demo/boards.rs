//! The boards of Saltmarsh Halt: the shunting derby, kept by a helper, and a match of every other sport.

use chrono::TimeDelta;
use tally_core::channel::{Channel, Grant};
use tally_core::record::acts::Act;
use tally_core::record::acts::board::{BoardAct, Card, Penalty, Play};
use tally_core::record::entry::{Body, Draft, Origin};
use tally_core::record::ids::{ChannelId, WidgetId};
use tally_core::record::settings::Settings;
use tally_core::sentence::EditError;
use tally_core::time::Instant;
use tally_core::widgets::{Definition, Setup};
use tally_store::passes::{Keys, NewPass};
use tally_store::{Store, StoreError};
use tally_web::tokens;

/// The derby's name.
const DERBY: &str = "Shunting derby";
/// Who keeps the score.
const HELPER: &str = "quietferry";
/// Seconds between two presses.
const APART_S: i64 = 20;

/// A board: its sentence and what has been pressed.
pub(super) struct Board {
    edits: &'static [(&'static str, &'static str)],
    plays: Vec<Play>,
}

fn score(side: u8, points: i32) -> Play {
    Play::Score { side, points }
}

fn rallies(text: &str) -> Vec<Play> {
    text.bytes().filter_map(|letter| letter.checked_sub(b'a')).map(|side| Play::Rally { side }).collect()
}

fn visits(points: &[u16]) -> Vec<Play> {
    points.iter().map(|points| Play::Visit { points: *points, darts: None }).collect()
}

/// Goals with the clock put where they fell.
fn at(seconds: i64, play: Play) -> [Play; 2] {
    [Play::ClockSet { ms: seconds * 1_000 }, play]
}

const OVER: Play = Play::ClockSet { ms: 0 };

fn derby() -> Vec<Play> {
    let first = [score(0, 2), score(1, 3), score(0, 2), Play::Foul { side: 1 }, score(1, 2), OVER, Play::EndPeriod];
    let second = [score(0, 3), score(1, 2), score(0, 1), Play::Foul { side: 0 }, OVER, Play::EndPeriod];
    let third = [score(1, 3), score(0, 2), Play::Foul { side: 1 }, Play::Foul { side: 1 }, Play::Timeout { side: 1 }];
    let mut all = vec![Play::Start, Play::First { side: 0 }];
    all.extend(first);
    all.push(Play::Start);
    all.extend(second);
    all.push(Play::Start);
    all.extend(third);
    all.extend([Play::ClockSet { ms: 372_000 }, Play::ShotClock { seconds: 14 }]);
    all
}

fn football() -> Vec<Play> {
    let mut all = vec![Play::Start];
    all.extend(at(760, score(0, 1)));
    all.extend(at(1_930, Play::Card { side: 1, card: Card::Yellow, number: Some(6) }));
    all.extend(at(2_703, Play::EndPeriod));
    all.push(Play::Start);
    all.extend(at(3_300, score(1, 1)));
    all.push(Play::Substitution { side: 0 });
    all.extend(at(4_012, score(0, 1)));
    all.extend(at(5_406, Play::EndPeriod));
    all
}

fn ice_hockey() -> Vec<Play> {
    let mut all = vec![Play::Start, Play::Shot { side: 1 }, Play::Shot { side: 0 }];
    all.extend(at(700, score(0, 1)));
    all.extend([OVER, Play::EndPeriod, Play::Start]);
    all.extend(at(910, score(1, 1)));
    all.push(Play::ClockStop);
    all.push(Play::ClockSet { ms: 545_000 });
    all.extend([(1, Penalty::Minor, 14), (1, Penalty::Major, 8)].map(|(side, penalty, number)| Play::Penalty {
        side,
        penalty,
        number: Some(number),
    }));
    all
}

/// All boards, the derby first.
pub(super) fn all() -> Vec<Board> {
    let board = |edits, plays: Vec<Play>| Board { edits, plays };
    let started = |rest: Vec<Play>| [vec![Play::First { side: 0 }, Play::Start], rest].concat();
    vec![
        board(
            &[
                ("title", DERBY),
                ("sport", "basketball"),
                ("1.name", "Heron Yard"),
                ("1.short", "HER"),
                ("1.colour", "#1f5c78"),
                ("1.record", "4–1"),
                ("2.name", "Copper Yard"),
                ("2.short", "COP"),
                ("2.colour", "#c9662e"),
                ("2.record", "3–2"),
            ],
            derby(),
        ),
        board(
            &[
                ("title", "Platform five-a-side"),
                ("sport", "football"),
                ("1.name", "Signal Box"),
                ("1.colour", "#55702b"),
                ("2.name", "Goods Shed"),
                ("2.colour", "#6b4a7d"),
                ("shape", "footer"),
            ],
            football(),
        ),
        board(
            &[
                ("title", "Frozen turntable cup"),
                ("sport", "ice_hockey"),
                ("1.name", "Points Men"),
                ("1.flag", "fi"),
                ("2.name", "Night Mail"),
                ("2.flag", "ca"),
                ("look", "lamp"),
            ],
            ice_hockey(),
        ),
        board(
            &[
                ("title", "Yard volleyball"),
                ("sport", "volleyball"),
                ("1.name", "Fog Horns"),
                ("2.name", "Slow Train"),
                ("shape", "slip"),
            ],
            started(rallies(&format!("{}{}{}", "aabab".repeat(9), "babba".repeat(8), "aab".repeat(6)))),
        ),
        board(
            &[
                ("title", "Sand drag volleyball"),
                ("sport", "beach_volleyball"),
                ("1.name", "Ade and Jo"),
                ("2.name", "Sue and Sam"),
            ],
            started(rallies(&"aba".repeat(5))),
        ),
        board(
            &[
                ("title", "Village hall final"),
                ("sport", "badminton"),
                ("1.name", "Ruth"),
                ("1.flag", "dk"),
                ("2.name", "Oak"),
                ("2.flag", "id"),
                ("shape", "slip"),
                ("look", "linen"),
            ],
            started(rallies(&format!("{}{}", "ab".repeat(19), "aa"))),
        ),
        board(
            &[
                ("title", "Waiting room table tennis"),
                ("sport", "table_tennis"),
                ("1.name", "Dusty"),
                ("2.name", "Ninepins"),
                ("shape", "tall"),
            ],
            started(rallies(&"abaab".repeat(7))),
        ),
        board(
            &[
                ("title", "Ballast court"),
                ("sport", "tennis"),
                ("1.name", "Quiet Ferry"),
                ("1.rank", "1"),
                ("2.name", "Moss and Marl"),
                ("2.rank", "4"),
                ("shape", "slip"),
                ("look", "chalk"),
            ],
            started(rallies(&format!("{}{}{}", "aaaabbbb".repeat(4), "aaaaaaaa", "bbbbababab"))),
        ),
        board(
            &[
                ("title", "Frames by the stove"),
                ("sport", "race"),
                ("1.name", "Bram"),
                ("2.name", "Odile"),
                ("frame_points", "1"),
                ("shape", "footer"),
                ("look", "chalk"),
            ],
            started(vec![
                score(0, 34),
                score(1, 51),
                Play::Frame { side: 1 },
                score(0, 62),
                Play::Frame { side: 0 },
                score(0, 12),
            ]),
        ),
        board(
            &[
                ("title", "Lamp room darts"),
                ("sport", "darts"),
                ("1.name", "Oatcake Jo"),
                ("2.name", "Lamplit Sam"),
                ("shape", "tall"),
                ("look", "enamel"),
            ],
            started(visits(&[60, 45, 100, 81, 140, 60, 81, 100])),
        ),
        board(
            &[
                ("title", "Three yards, five puzzles"),
                ("sport", "series"),
                ("1.name", "Heron Yard"),
                ("2.name", "Copper Yard"),
                ("games", "Harbour\nViaduct\nQuarry\nTunnel\nSummit"),
            ],
            started(vec![
                Play::Game { side: Some(0), result: Some((13, 7)) },
                Play::Game { side: Some(1), result: Some((9, 13)) },
            ]),
        ),
        board(
            &[("title", "Wagons sorted"), ("sport", "points"), ("sides", "Bram\nOdile\nThe cat")],
            started(vec![score(0, 12), score(1, 14), score(2, 3)]),
        ),
        board(
            &[
                ("title", "Forfeit table"),
                ("sport", "ranking"),
                ("sides", "pinecone_ade\nquietferry\nmoss_and_marl\ntinplate_ruth\nninepins\nkestrel_oak"),
                ("shape", "slip"),
            ],
            started(vec![
                score(0, 12),
                score(1, 7),
                score(2, 9),
                score(3, 12),
                score(4, 3),
                Play::Round,
                score(5, 8),
                score(1, 4),
            ]),
        ),
    ]
}

impl Board {
    /// The widget.
    pub(super) fn setup(&self, settings: &Settings) -> Result<Option<Setup>, EditError> {
        let Some(definition) = Definition::standard("scoreboard", settings) else { return Ok(None) };
        let (mut piece, nothing) = (definition.unfolded(), Channel::new(settings.clone(), []));
        // A look is tried on as it is shipped, so it comes first.
        let (looks, rest): (Vec<_>, Vec<_>) = self.edits.iter().partition(|(key, _)| *key == "look");
        for (key, text) in looks.into_iter().chain(rest) {
            (piece, _) = piece.edited(key, text, &nothing.scope(Instant::UNIX_EPOCH))?;
        }
        Ok(Some(piece.setup()))
    }

    /// What has been pressed, the last of it at an instant.
    pub(super) fn lines(&self, widget: WidgetId, until: Instant) -> Vec<Draft> {
        let many = i64::try_from(self.plays.len()).unwrap_or(0);
        let line = |(number, play): (i64, &Play)| {
            let origin = Origin { source: format!("/demo/boards/{widget}"), id: number.to_string() };
            let at = until - TimeDelta::seconds((many - number) * APART_S);
            let body = Body::Act { widget, by: HELPER.into(), act: Act::Board(BoardAct::Play(*play)) };
            Draft { origin, feed: None, happened_at: at, arrived_at: at, body }
        };
        (0..).zip(&self.plays).map(line).collect()
    }
}

/// Gives the derby's scorekeeper a pass. Nobody knows its link or its words; Helpers makes new ones.
pub(super) async fn hand_over(
    store: &Store,
    channel: ChannelId,
    derby: WidgetId,
    now: Instant,
) -> Result<(), StoreError> {
    let wanted = NewPass {
        name: HELPER.into(),
        grant: Grant::Widgets([derby].into()),
        ends: Some(now + TimeDelta::hours(12)),
        most_devices: 2,
        most_uses: None,
    };
    let link = tokens::token(&mut rand::rng());
    let keys = Keys { words: rand::random::<[u8; 32]>().to_vec(), link, words_until: now };
    store.create_pass(channel, wanted, keys, now).await.map(drop)
}
