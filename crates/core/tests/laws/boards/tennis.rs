//! Tennis: deuce, tie-breaks, who serves, the last set.

use super::script::{rules, script};
use tally_core::record::acts::board::{Rule, Sport};

fn games(side: &str, many: usize) -> String {
    vec![side; many * 4].join("; ")
}

#[test]
fn deuce_and_advantage() {
    let tennis = rules(Sport::Tennis, &[]);
    script(
        &tennis,
        &[
            ("first a; start", "0*:0 [0:0] a(sets0) b(sets0)"),
            ("a", "15*:0 [0:0] a(sets0) b(sets0)"),
            ("a", "30*:0 [0:0] a(sets0) b(sets0)"),
            ("b; b", "30*:30 [0:0] a(sets0) b(sets0)"),
            ("b", "30*:40 [0:0] a(sets0) b(sets0) “Break point for b”"),
            ("a", "40*:40 [0:0] a(sets0) b(sets0) “Deuce”"),
            ("a", "Ad*:40 [0:0] a(sets0) b(sets0)"),
            ("b", "40*:40 [0:0] a(sets0) b(sets0) “Deuce”"),
            ("b", "40*:Ad [0:0] a(sets0) b(sets0) “Break point for b”"),
            ("b", "0:0* [0:1] a(sets0) b(sets0) “Change ends”"),
            ("first b", "!the match has begun"),
            ("a", "15:0* [0:1] a(sets0) b(sets0)"),
        ],
    );
}

#[test]
fn one_deciding_point() {
    let tennis = rules(Sport::Tennis, &[(Rule::DecidingPoint, 1)]);
    script(
        &tennis,
        &[
            ("first a; start; a; a; a; b; b; b", "40*:40 [0:0] a(sets0) b(sets0) “Break point for b, Deciding point”"),
            ("b", "0:0* [0:1] a(sets0) b(sets0) “Change ends”"),
        ],
    );
}

#[test]
fn a_tie_break_has_its_own_order_of_service() {
    let tennis = rules(Sport::Tennis, &[]);
    let even = |many: usize| vec![format!("{}; {}", games("a", 1), games("b", 1)); many].join("; ");
    let to_five = even(5);
    script(
        &tennis,
        &[
            ("first a; start", "0*:0 [0:0] a(sets0) b(sets0)"),
            (&to_five, "0*:0 [5:5] a(sets0) b(sets0)"),
            (&games("a", 1), "0:0* [6:5] a(sets0) b(sets0) “Change ends”"),
            ("a; a; a", "40:0* [6:5] a(sets0) b(sets0) “Set point for a”"),
            ("b; b; b; b; b", "0*:0 [6:6] a(sets0) b(sets0)"),
            // One by a, then two each.
            ("a", "1:0* [6:6] a(sets0) b(sets0)"),
            ("a", "2:0* [6:6] a(sets0) b(sets0)"),
            ("a", "3*:0 [6:6] a(sets0) b(sets0)"),
            ("b", "3*:1 [6:6] a(sets0) b(sets0)"),
            ("b", "3:2* [6:6] a(sets0) b(sets0)"),
            ("b", "3:3* [6:6] a(sets0) b(sets0) “Change ends”"),
            ("a; a; a", "6:3* [6:6] a(sets0) b(sets0) “Set point for a”"),
            ("b; b; b", "6*:6 [6:6] a(sets0) b(sets0) “Change ends”"),
            ("b", "6:7* [6:6] a(sets0) b(sets0) “Set point for b”"),
            // a served first in the tie-break, so b serves first in the next set.
            ("b", "0:0* [6(6):7 0:0] a(sets0) b(sets1) “Change ends”"),
        ],
    );
}

#[test]
fn sets_and_the_match() {
    let tennis = rules(Sport::Tennis, &[]);
    script(
        &tennis,
        &[
            ("first a; start", "0*:0 [0:0] a(sets0) b(sets0)"),
            // 6-0: even games, so ends stay until after the first game of the next set.
            (&games("a", 6), "0*:0 [6:0 0:0] a(sets1) b(sets0)"),
            (&games("b", 1), "0:0* [6:0 0:1] a(sets1) b(sets0) “Change ends”"),
            (&games("a", 5), "0*:0 [6:0 5:1] a(sets1) b(sets0)"),
            ("a; a; a", "40*:0 [6:0 5:1] a(sets1) b(sets0) “Match point for a”"),
            ("a", "2:0 [6:0 6:1] won by a"),
            ("b", "!the match is over"),
        ],
    );
}

#[test]
fn the_last_set_as_leagues_have_it() {
    let third = |last: i64| {
        let rules = rules(Sport::Tennis, &[(Rule::LastSet, last)]);
        let even = vec![format!("{}; {}", games("a", 1), games("b", 1)); 6].join("; ");
        (rules, format!("start; {}; {}", games("a", 6), games("b", 6)), even)
    };
    let (as_others, two, even) = third(0);
    script(
        &as_others,
        &[
            (&two, "0:0 [6:0 0:6 0:0] a(sets1) b(sets1)"),
            (&even, "0:0 [6:0 0:6 6:6] a(sets1) b(sets1)"),
            ("a; a; a; a; a; a", "6:0 [6:0 0:6 6:6] a(sets1) b(sets1) “Match point for a, Change ends”"),
            ("a", "2:1 [6:0 0:6 7:6(0)] won by a"),
        ],
    );
    let (to_ten, two, even) = third(1);
    script(
        &to_ten,
        &[
            (&two, "0:0 [6:0 0:6 0:0] a(sets1) b(sets1)"),
            (&even, "0:0 [6:0 0:6 6:6] a(sets1) b(sets1)"),
            ("a; a; a; a; a; a; a; a; a", "9:0 [6:0 0:6 6:6] a(sets1) b(sets1) “Match point for a”"),
            ("a", "2:1 [6:0 0:6 7:6(0)] won by a"),
        ],
    );
    let (no_tie_break, two, even) = third(2);
    script(
        &no_tie_break,
        &[
            (&two, "0:0 [6:0 0:6 0:0] a(sets1) b(sets1)"),
            (&even, "0:0 [6:0 0:6 6:6] a(sets1) b(sets1)"),
            (&games("a", 1), "0:0 [6:0 0:6 7:6] a(sets1) b(sets1) “Change ends”"),
            (&games("a", 1), "2:1 [6:0 0:6 8:6] won by a"),
        ],
    );
    let (match_tie_break, two, _) = third(3);
    script(
        &match_tie_break,
        &[
            (&two, "0:0 [6:0 0:6 0:0] a(sets1) b(sets1)"),
            ("a; a; a; a; a; a; a; a; a; b", "9:1 [6:0 0:6 0:0] a(sets1) b(sets1) “Match point for a”"),
            ("a", "2:1 [6:0 0:6 1:0(1)] won by a"),
        ],
    );
}

#[test]
fn doubles_keep_their_order() {
    let doubles = rules(Sport::Tennis, &[(Rule::Doubles, 1)]);
    script(
        &doubles,
        &[
            ("first a; start", "0*:0 [0:0] a(serve1, sets0) b(sets0)"),
            (&games("a", 1), "0:0* [1:0] a(sets0) b(serve1, sets0) “Change ends”"),
            (&games("b", 1), "0*:0 [1:1] a(serve2, sets0) b(sets0)"),
            (&games("a", 1), "0:0* [2:1] a(sets0) b(serve2, sets0) “Change ends”"),
            (&games("b", 1), "0*:0 [2:2] a(serve1, sets0) b(sets0)"),
        ],
    );
}

#[test]
fn doubles_go_on_after_a_tie_break_and_choose_anew_in_each_set() {
    let doubles = rules(Sport::Tennis, &[(Rule::Doubles, 1)]);
    let six_all: Vec<String> = (0..6).map(|_| format!("{}; {}", games("a", 1), games("b", 1))).collect();
    script(
        &doubles,
        &[
            ("first a; start", "0*:0 [0:0] a(serve1, sets0) b(sets0)"),
            (&six_all.join("; "), "0*:0 [6:6] a(serve1, sets0) b(sets0)"),
            // Eleven points, of which a1 served 1, 8 and 9, b1 2 and 3 and 10 and 11, a2 4 and 5, b2 6 and 7: then b2 is next.
            ("a; a; a; a; b; b; b; b; a; a; a", "0:0* [7:6(4) 0:0] a(sets1) b(serve2, sets0) “Change ends”"),
            ("first b", "0:0* [7:6(4) 0:0] a(sets1) b(serve1, sets0) “Change ends”"),
            (&games("b", 1), "0*:0 [7:6(4) 0:1] a(serve2, sets1) b(sets0) “Change ends”"),
            ("first a", "!the match has begun"),
        ],
    );
}
