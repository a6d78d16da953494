//! Volleyball, beach volleyball, badminton, table tennis.

use super::script::{rules, script};
use tally_core::record::acts::board::{Rule, Sport};

/// Somebody wins so many rallies in a row.
fn many(side: &str, times: usize) -> String {
    vec![side; times].join("; ")
}

/// Both win so many, in turns, so that nobody is ahead by two.
fn even(times: usize) -> String {
    vec!["a; b"; times].join("; ")
}

#[test]
fn volleyball_needs_two_ahead_and_switches_in_the_fifth() {
    let volleyball = rules(Sport::Volleyball, &[]);
    let (to_24, a_25, b_25, to_14) = (even(24), many("a", 25), many("b", 25), even(7));
    script(
        &volleyball,
        &[
            ("a", "!has not begun"),
            ("first b", "0:0* a(sets0) b(sets0) before"),
            ("start", "0:0* a(sets0, timeouts2) b(sets0, timeouts2)"),
            ("a", "1*:0 a(sets0, timeouts2) b(sets0, timeouts2)"),
            ("first a", "!the set has begun"),
            ("b", "1:1* a(sets0, timeouts2) b(sets0, timeouts2)"),
            ("timeout a", "1:1* a(sets0, timeouts1) b(sets0, timeouts2)"),
            ("timeout a", "1:1* a(sets0, timeouts0) b(sets0, timeouts2)"),
            ("timeout a", "!taken all of its time-outs of this set"),
            (&to_24[6..], "24:24* a(sets0, timeouts0) b(sets0, timeouts2)"),
            ("a", "25*:24 a(sets0, timeouts0) b(sets0, timeouts2) “Set point for a”"),
            ("b", "25:25* a(sets0, timeouts0) b(sets0, timeouts2)"),
            ("b", "25:26* a(sets0, timeouts0) b(sets0, timeouts2) “Set point for b”"),
            // b served first in the first set, so a serves first in the second; time-outs are new.
            ("b", "0*:0 [25:27] a(sets0, timeouts2) b(sets1, timeouts2) “Change ends” break: End of set 1"),
            ("a", "1*:0 [25:27] a(sets0, timeouts2) b(sets1, timeouts2)"),
            (&a_25[3..], "0:0* [25:27 25:0] a(sets1, timeouts2) b(sets1, timeouts2) “Change ends” break: End of set 2"),
            (&a_25, "0*:0 [25:27 25:0 25:0] a(sets2, timeouts2) b(sets1, timeouts2) “Change ends” break: End of set 3"),
            (
                &b_25,
                "0:0 [25:27 25:0 25:0 0:25] a(sets2, timeouts2) b(sets2, timeouts2) “Change ends” break: End of set 4",
            ),
            // The fifth: a new toss decides who serves (12.1.2), ends are changed at 8, it goes to 15.
            (
                "first a",
                "0*:0 [25:27 25:0 25:0 0:25] a(sets2, timeouts2) b(sets2, timeouts2) “Change ends” break: End of set 4",
            ),
            (&to_14, "7:7* [25:27 25:0 25:0 0:25] a(sets2, timeouts2) b(sets2, timeouts2)"),
            ("a", "8*:7 [25:27 25:0 25:0 0:25] a(sets2, timeouts2) b(sets2, timeouts2) “Change ends”"),
            ("b", "8:8* [25:27 25:0 25:0 0:25] a(sets2, timeouts2) b(sets2, timeouts2)"),
            (
                "a; b; a; b; a; b; a; b; a; b; a; b",
                "14:14* [25:27 25:0 25:0 0:25] a(sets2, timeouts2) b(sets2, timeouts2)",
            ),
            ("a", "15*:14 [25:27 25:0 25:0 0:25] a(sets2, timeouts2) b(sets2, timeouts2) “Match point for a”"),
            ("a", "3:2 [25:27 25:0 25:0 0:25 16:14] won by a"),
            ("a", "!the match is over"),
            ("reopen", "!the score decides"),
        ],
    );
}

#[test]
fn a_match_ends_as_soon_as_nobody_can_catch_up() {
    let volleyball = rules(Sport::Volleyball, &[]);
    let a_25 = many("a", 25);
    script(
        &volleyball,
        &[
            ("start", "0:0 a(sets0, timeouts2) b(sets0, timeouts2)"),
            (&a_25, "0:0 [25:0] a(sets1, timeouts2) b(sets0, timeouts2) “Change ends” break: End of set 1"),
            (&a_25, "0:0 [25:0 25:0] a(sets2, timeouts2) b(sets0, timeouts2) “Change ends” break: End of set 2"),
            (&a_25[3..], "24*:0 [25:0 25:0] a(sets2, timeouts2) b(sets0, timeouts2) “Match point for a”"),
            ("finish", "!sets decide"),
            ("retire b", "2:0 [25:0 25:0] won by a"),
        ],
    );
}

#[test]
fn beach_volleyball_changes_ends_every_seven_and_five() {
    let beach = rules(Sport::BeachVolleyball, &[]);
    let (a_21, b_21, six) = (many("a", 21), many("b", 21), many("a", 6));
    script(
        &beach,
        &[
            ("start; first a", "0*:0 a(sets0, timeouts1) b(sets0, timeouts1)"),
            (&six, "6*:0 a(sets0, timeouts1) b(sets0, timeouts1)"),
            ("b", "6:1* a(sets0, timeouts1) b(sets0, timeouts1) “Change ends”"),
            ("b", "6:2* a(sets0, timeouts1) b(sets0, timeouts1)"),
            ("timeout b", "6:2* a(sets0, timeouts1) b(sets0, timeouts0)"),
            ("timeout b", "!taken all of its time-outs"),
            (&a_21[18..], "0:0* [21:2] a(sets1, timeouts1) b(sets0, timeouts1) “Change ends” break: End of set 1"),
            (&b_21, "0:0 [21:2 0:21] a(sets1, timeouts1) b(sets1, timeouts1) “Change ends” break: End of set 2"),
            ("a; a; a; a", "4*:0 [21:2 0:21] a(sets1, timeouts1) b(sets1, timeouts1)"),
            ("a", "5*:0 [21:2 0:21] a(sets1, timeouts1) b(sets1, timeouts1) “Change ends”"),
            ("a; a; a; a; a", "10*:0 [21:2 0:21] a(sets1, timeouts1) b(sets1, timeouts1) “Change ends”"),
            ("a; a; a; a", "14*:0 [21:2 0:21] a(sets1, timeouts1) b(sets1, timeouts1) “Match point for a”"),
            ("a", "2:1 [21:2 0:21 15:0] won by a"),
        ],
    );
}

#[test]
fn badminton_is_capped_and_serves_from_the_court_of_the_score() {
    let badminton = rules(Sport::Badminton, &[]);
    let (to_19, to_29, a_21) = (even(18), even(8), many("a", 21));
    script(
        &badminton,
        &[
            ("start; first a", "0*:0 a(serveR, sets0) b(sets0)"),
            ("a", "1*:0 a(serveL, sets0) b(sets0)"),
            ("b", "1:1* a(sets0) b(serveL, sets0)"),
            ("timeout a", "!badminton has no time-outs"),
            ("a; b; a; b; a; b; a; b; a; b; a; b; a; b; a; b; a; b", "10:10* a(sets0) b(serveR, sets0)"),
            ("a", "11*:10 a(serveL, sets0) b(sets0) “Interval”"),
            ("b", "11:11* a(sets0) b(serveL, sets0)"),
            (&to_19[..to_19.len() - 6 * 10], "19:19* a(sets0) b(serveL, sets0)"),
            ("a", "20*:19 a(serveR, sets0) b(sets0) “Game point for a”"),
            ("b", "20:20* a(sets0) b(serveR, sets0)"),
            ("a", "21*:20 a(serveL, sets0) b(sets0) “Game point for a”"),
            ("b", "21:21* a(sets0) b(serveL, sets0)"),
            (&to_29, "29:29* a(sets0) b(serveL, sets0) “Game point for a, Game point for b”"),
            // Law 7.5: whoever has 30 first; law 7.6: the winner serves first in the next.
            ("a", "0*:0 [30:29] a(serveR, sets1) b(sets0) “Change ends” break: End of game 1"),
            (&many("b", 21), "0:0* [30:29 0:21] a(sets1) b(serveR, sets1) “Change ends” break: End of game 2"),
            (&many("b", 10), "0:10* [30:29 0:21] a(sets1) b(serveR, sets1)"),
            ("b", "0:11* [30:29 0:21] a(sets1) b(serveL, sets1) “Change ends”"),
            (&a_21, "2:1 [30:29 0:21 21:11] won by a"),
        ],
    );
}

#[test]
fn table_tennis_serves_two_each_and_one_each_from_deuce() {
    let table = rules(Sport::TableTennis, &[(Rule::BestOf, 3)]);
    script(
        &table,
        &[
            ("start; first a", "0*:0 a(sets0, timeouts1) b(sets0, timeouts1)"),
            ("a", "1*:0 a(sets0, timeouts1) b(sets0, timeouts1)"),
            ("a", "2:0* a(sets0, timeouts1) b(sets0, timeouts1)"),
            ("b", "2:1* a(sets0, timeouts1) b(sets0, timeouts1)"),
            ("b", "2*:2 a(sets0, timeouts1) b(sets0, timeouts1)"),
            ("timeout a", "2*:2 a(sets0, timeouts0) b(sets0, timeouts1)"),
            ("a; b; a; b; a; b; a; b; a; b; a; b; a; b", "9:9* a(sets0, timeouts0) b(sets0, timeouts1)"),
            ("a", "10:9* a(sets0, timeouts0) b(sets0, timeouts1) “Game point for a”"),
            ("b", "10*:10 a(sets0, timeouts0) b(sets0, timeouts1)"),
            ("a", "11:10* a(sets0, timeouts0) b(sets0, timeouts1) “Game point for a”"),
            ("b", "11*:11 a(sets0, timeouts0) b(sets0, timeouts1)"),
            ("b", "11:12* a(sets0, timeouts0) b(sets0, timeouts1) “Game point for b”"),
            // Whoever received first serves first now; a time-out is one of the match (3.4.4.2).
            ("b", "0:0* [11:13] a(sets0, timeouts0) b(sets1, timeouts1) “Change ends” break: End of game 1"),
            ("timeout a", "!it is a break"),
            (
                &many("a", 11),
                "0*:0 [11:13 11:0] a(sets1, timeouts0) b(sets1, timeouts1) “Change ends” break: End of game 2",
            ),
            ("b; b; b; b", "0*:4 [11:13 11:0] a(sets1, timeouts0) b(sets1, timeouts1)"),
            ("b", "0*:5 [11:13 11:0] a(sets1, timeouts0) b(sets1, timeouts1) “Change ends”"),
            ("timeout a", "!taken its time-out of the match"),
            (&many("b", 6), "1:2 [11:13 11:0 0:11] won by b"),
        ],
    );
}
