//! Points, races, darts, series, rankings.

use super::script::{play, rules, script};
use tally_core::record::acts::board::{Play, Rule, Sport};
use tally_core::time::Instant;
use tally_core::widgets::scoreboard::game::Game;
use tally_core::widgets::scoreboard::standing::How;

#[test]
fn points_to_a_number_two_ahead_with_a_cap() {
    let points = rules(Sport::Points, &[(Rule::Target, 11), (Rule::Lead, 2), (Rule::Cap, 13)]);
    script(
        &points,
        &[
            ("start", "0:0"),
            ("a+10; b+10", "10:10"),
            ("a+1", "11:10 “Match point for a”"),
            ("b+1; a+1", "12:11 “Match point for a”"),
            ("b+1", "12:12 “Match point for a, Match point for b”"),
            ("a-1", "11:12 “Match point for b”"),
            ("a+1; b+1", "12:13 won by b"),
            ("a+1", "!the match is over"),
            ("reopen", "!the score decides"),
        ],
    );
    let open = rules(Sport::Points, &[]);
    script(
        &open,
        &[
            ("start; a+3", "3:0"),
            ("b+0", "!adds or takes away"),
            ("c+1", "!sides 1 to 2"),
            ("pause", "3:0 break: "),
            ("pause", "!a break already"),
            ("b+2", "3:2"),
            ("end", "!no such act"),
            ("finish", "3:2 won by a"),
            ("b+1", "!the match is over"),
            ("reopen; b+1", "3:3"),
            ("finish", "3:3 drawn"),
        ],
    );
}

#[test]
fn races_have_handicaps_and_an_order_of_breaks() {
    let race = rules(Sport::Race, &[(Rule::RaceTo, 3), (Rule::SecondBegins, 1), (Rule::FramePoints, 1)]);
    script(
        &race,
        &[
            ("first a; start", "0*:1 a(frame_points0) b(frame_points0)"),
            // A visit of several balls is one break, until another scores, it is said to be over, or the frame is.
            ("a+50; a+7; b+3; a+20", "0*:1 a(frame_points77, highest57) b(frame_points3, highest3)"),
            ("over; a+40; over", "0*:1 a(frame_points117, highest57) b(frame_points3, highest3)"),
            ("over", "!no visit has points"),
            ("frame a", "1:1* [117:3] a(frame_points0, highest57) b(frame_points0, highest3)"),
            (
                "b+1; frame b",
                "1*:2 [117:3 0:1] a(frame_points0, highest57) b(frame_points0, highest3) “One away for b”",
            ),
            ("a+0", "!1 to 1000"),
            ("b+3", "1*:2 [117:3 0:1] a(frame_points0, highest57) b(frame_points3, highest3) “One away for b”"),
            ("frame b", "1:3 [117:3 0:1 0:3] a(frame_points0, highest57) b(frame_points0, highest3) won by b"),
        ],
    );
    let loser = rules(Sport::Race, &[(Rule::BreakOrder, 2)]);
    script(&loser, &[("start; frame a", "1:0*"), ("frame b", "1*:1"), ("a+5", "!not kept")]);
    let winner = rules(Sport::Race, &[(Rule::BreakOrder, 1)]);
    script(&winner, &[("start; frame a", "1*:0"), ("frame b", "1:1*")]);
}

#[test]
fn a_flourish_is_played_whatever_the_score_unless_the_board_plays_none() {
    let flourish = |seconds| {
        let rules = rules(Sport::Points, &[(Rule::Flourish, seconds)]);
        let mut game = Game::new(&rules, 2);
        let played = game.play(&rules, Play::Flourish { side: 1 }, Instant::UNIX_EPOCH);
        (played.is_ok(), game.big().map(|(big, _)| (big.side, big.what.words())))
    };
    assert_eq!(flourish(5), (true, Some((1, "Bravo"))));
    assert_eq!(flourish(0), (false, None));
}

#[test]
fn a_bust_is_a_press_of_its_own() {
    let darts = rules(Sport::Darts, &[(Rule::From, 301)]);
    script(
        &darts,
        &[
            ("start", "301*:301 a(legs0) b(legs0)"),
            ("bust", "!cannot make more than what is left"),
            (
                "v180; v0",
                "121*:301 a(legs0, average180.00, first_nine180.00, one_eighties1) b(legs0, average0.00, first_nine0.00) “121 to finish for a”",
            ),
            (
                "bust",
                "121:301* a(legs0, average90.00, first_nine90.00, one_eighties1) b(legs0, average0.00, first_nine0.00) “Bust for a”",
            ),
        ],
    );
}

#[test]
fn of_several_sides_who_stays_last_has_won() {
    let rules = rules(Sport::Points, &[]);
    let mut game = Game::new(&rules, 4);
    let mut press = |text: &str| game.play(&rules, play(text), Instant::UNIX_EPOCH).map_err(|why| why.to_string());
    for text in ["start", "b+5", "retire b", "a+1", "retire d"] {
        press(text).unwrap();
    }
    assert!(press("b+1").unwrap_err().contains("given up"));
    press("finish").unwrap();
    press("reopen").unwrap();
    press("retire a").unwrap();
    assert_eq!(game.ended().map(|ended| (ended.winner, ended.how)), Some((Some(2), How::Retired)));
    let levers = game.levers(&rules, &["a", "b", "c", "d"].map(String::from));
    assert!(levers.iter().any(|lever| lever.action == "reopen" && lever.ready));
    let mut press = |text: &str| game.play(&rules, play(text), Instant::UNIX_EPOCH);
    press("reopen").unwrap();
    press("a+1").unwrap();
    press("finish").unwrap();
    assert_eq!(game.ended().and_then(|ended| ended.winner), Some(0), "who has given up wins nothing");
}

#[test]
fn darts_bust_finish_and_averages() {
    let darts = rules(Sport::Darts, &[(Rule::LegsTo, 2)]);
    script(
        &darts,
        &[
            ("start", "501*:501 a(legs0) b(legs0)"),
            ("v180", "321:501* a(legs0, average180.00, first_nine180.00, one_eighties1) b(legs0)"),
            ("v179", "!cannot make 179"),
            (
                "v60",
                "321*:441 a(legs0, average180.00, first_nine180.00, one_eighties1) b(legs0, average60.00, first_nine60.00)",
            ),
            (
                "v180; v60",
                "141*:381 a(legs0, average180.00, first_nine180.00, one_eighties2) b(legs0, average60.00, first_nine60.00) “141 to finish for a”",
            ),
            // 1 left is a bust on a double out, and the visit is given back.
            (
                "v140",
                "141:381* a(legs0, average120.00, first_nine120.00, one_eighties2) b(legs0, average60.00, first_nine60.00) “Bust with 140 for a”",
            ),
            (
                "v60",
                "141*:321 a(legs0, average120.00, first_nine120.00, one_eighties2) b(legs0, average60.00, first_nine60.00) “141 to finish for a”",
            ),
            ("v141", "!say with how many darts"),
            ("v141/2", "!cannot be finished with 2"),
            ("out 1", "!cannot be finished with 1"),
            // Four visits of a, three of which are its first nine darts; b begins the second leg.
            (
                "v141/3",
                "501:501* a(legs1, average125.25, first_nine120.00, highest141, one_eighties2) b(legs0, average60.00, first_nine60.00)",
            ),
            (
                "v100; v100; v100; v100; v100; v100",
                "201:201* a(legs1, average114.43, first_nine110.00, highest141, one_eighties2) b(legs0, average80.00, first_nine80.00)",
            ),
            (
                "v170",
                "201*:31 a(legs1, average114.43, first_nine110.00, highest141, one_eighties2) b(legs0, average92.86, first_nine80.00)",
            ),
            (
                "v180; v31/2",
                "501*:501 a(legs1, average122.63, first_nine110.00, highest141, one_eighties3) b(legs1, average88.83, first_nine80.00, highest31)",
            ),
        ],
    );
}

#[test]
fn darts_on_doubles_and_in_sets() {
    let darts = rules(Sport::Darts, &[(Rule::From, 301), (Rule::In, 1), (Rule::LegsTo, 1), (Rule::SetsTo, 2)]);
    script(
        &darts,
        &[
            ("first b; start", "301:301* a(sets0, legs0) b(sets0, legs0)"),
            // Not in yet: nothing scored, or a visit with a double in it.
            ("v179", "!cannot make"),
            ("v0", "301*:301 a(sets0, legs0) b(sets0, legs0, average0.00, first_nine0.00)"),
            ("v1", "!begins on a double"),
            ("v180", "!begins on a double"),
            (
                "v160; v0",
                "141*:301 a(sets0, legs0, average160.00, first_nine160.00) b(sets0, legs0, average0.00, first_nine0.00) “141 to finish for a”",
            ),
            (
                "v141/3",
                "301*:301 a(sets1, legs0, average150.50, first_nine150.50, highest141) b(sets0, legs0, average0.00, first_nine0.00)",
            ),
            (
                "v0; v0; v100; v0; v100; v0; v101/3",
                "2:0 a(sets2, average100.33, first_nine100.20, highest141) b(sets0, average0.00, first_nine0.00) won by a",
            ),
        ],
    );
    let straight = rules(Sport::Darts, &[(Rule::From, 101), (Rule::Out, 0), (Rule::LegsTo, 1)]);
    script(
        &straight,
        &[
            (
                "start; v100; v0",
                "1*:101 a(legs0, average100.00, first_nine100.00) b(legs0, average0.00, first_nine0.00) “1 to finish for a”",
            ),
            ("v1/1", "1:0 a(average75.75, first_nine75.75, highest1) b(average0.00, first_nine0.00) won by a"),
        ],
    );
}

#[test]
fn a_series_ends_when_it_is_decided() {
    let series = rules(Sport::Series, &[(Rule::BestOf, 5)]);
    script(
        &series,
        &[
            ("start", "0:0"),
            ("pick b; game a 13:7", "1:0 [13:7]"),
            ("game b 9:13", "1:1 [13:7 9:13]"),
            ("game a 3:9", "!another side won"),
            ("game a", "2:1 [13:7 9:13 1:0] “One away for a”"),
            // A draw leaves one game: nobody can catch up any more than to a draw.
            ("game draw", "2:1 [13:7 9:13 1:0 0:0] “One away for a”"),
            ("game b 1:2", "2:2 [13:7 9:13 1:0 0:0 1:2] drawn"),
        ],
    );
    script(
        &series,
        &[("start; game a; game a", "2:0 [1:0 1:0] “One away for a”"), ("game a", "3:0 [1:0 1:0 1:0] won by a")],
    );
}

#[test]
fn a_ranking_has_rounds_and_shares_places() {
    let ranking = rules(Sport::Ranking, &[]);
    script(
        &ranking,
        &[
            ("start; a+5; b+5", "5:5 a(place1) b(place1)"),
            ("round", "5:5 [5:5] a(place1) b(place1) break: After round 1"),
            ("b-1", "5:4 [5:5] a(place1) b(place2)"),
            ("finish", "5:4 [5:5] a(place1) b(place2) won by a"),
        ],
    );
    let lowest = rules(Sport::Ranking, &[(Rule::Winner, 1)]);
    script(&lowest, &[("start; a+5; b+4; finish", "5:4 a(place2) b(place1) won by b")]);
}
