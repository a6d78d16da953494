//! Basketball, football, ice hockey: with a clock.

use super::script::{rules, script};
use tally_core::record::acts::board::{Rule, Sport};

#[test]
fn basketball_bonus_time_outs_shot_clock_and_overtime() {
    let basketball = rules(Sport::Basketball, &[(Rule::DoubleBonusFrom, 7)]);
    script(
        &basketball,
        &[
            ("a+2", "!has not begun"),
            ("start", "0:0 10:00 0:24 [0:0] a(fouls0, timeouts2) b(fouls0, timeouts2)"),
            ("arrow", "!nobody has the arrow"),
            ("first b", "0:0 10:00 0:24 [0:0] a(fouls0, timeouts2) b(possession, fouls0, timeouts2)"),
            ("~10.5", "0:0 9:49.5 0:13.5 [0:0] a(fouls0, timeouts2) b(possession, fouls0, timeouts2)"),
            ("a+3; 24s", "3:0 9:49.5 0:24 [3:0] a(fouls0, timeouts2) b(possession, fouls0, timeouts2)"),
            ("a+4", "!1, 2 or 3"),
            ("arrow; 14s", "3:0 9:49.5 0:14 [3:0] a(possession, fouls0, timeouts2) b(fouls0, timeouts2)"),
            ("30s", "!does not go that far"),
            ("timeout b", "3:0 9:49.5| 0:14| [3:0] a(possession, fouls0, timeouts2) b(fouls0, timeouts1)"),
            ("~30", "3:0 9:49.5| 0:14| [3:0] a(possession, fouls0, timeouts2) b(fouls0, timeouts1)"),
            ("stop", "!stands already"),
            ("run; ~9.5", "3:0 9:40 0:04.5 [3:0] a(possession, fouls0, timeouts2) b(fouls0, timeouts1)"),
            (
                "foul a; foul a; foul a; foul a",
                "3:0 9:40 0:04.5 [3:0] a(possession, fouls4, timeouts2) b(fouls0, timeouts1)",
            ),
            ("foul a", "3:0 9:40 0:04.5 [3:0] a(possession, fouls5, timeouts2) b(bonus, fouls0, timeouts1)"),
            ("foul a; foul a", "3:0 9:40 0:04.5 [3:0] a(possession, fouls7, timeouts2) b(bonus+, fouls0, timeouts1)"),
            ("timeout b", "3:0 9:40| 0:04.5| [3:0] a(possession, fouls7, timeouts2) b(bonus+, fouls0, timeouts0)"),
            ("timeout b", "!no time-out left in this half"),
            ("end", "!time on the clock"),
            ("put 10:01", "!not that long"),
            // The shot clock is off where less than it is left.
            ("put 0:20; 24s", "3:0 0:20| [3:0] a(possession, fouls7, timeouts2) b(bonus+, fouls0, timeouts0)"),
            ("run; ~20", "3:0 0:00| [3:0] a(possession, fouls7, timeouts2) b(bonus+, fouls0, timeouts0)"),
            ("run", "!run down"),
            (
                "end",
                "3:0 0:00| [3:0] a(possession, fouls7, timeouts2) b(bonus+, fouls0, timeouts0) break: End of 1st quarter",
            ),
            ("a+2", "!it is a break"),
            // Fouls are new, time-outs are those of the half.
            ("start", "3:0 10:00 0:24 [3:0 0:0] a(possession, fouls0, timeouts2) b(fouls0, timeouts0)"),
            (
                "put 0:00; end",
                "3:0 0:00| [3:0 0:0] a(possession, fouls0, timeouts2) b(fouls0, timeouts0) break: Half-time",
            ),
            ("start", "3:0 10:00 0:24 [3:0 0:0 0:0] a(possession, fouls0, timeouts3) b(fouls0, timeouts3)"),
            (
                "put 0:00; end; start",
                "3:0 10:00 0:24 [3:0 0:0 0:0 0:0] a(possession, fouls0, timeouts3) b(fouls0, timeouts3)",
            ),
            // Of three, two at most in the last two minutes.
            ("put 2:00", "3:0 2:00 0:24 [3:0 0:0 0:0 0:0] a(possession, fouls0, timeouts2) b(fouls0, timeouts2)"),
            (
                "timeout a; timeout a",
                "3:0 2:00| 0:24| [3:0 0:0 0:0 0:0] a(possession, fouls0, timeouts0) b(fouls0, timeouts2)",
            ),
            ("timeout a", "!no more time-outs may be taken in the last two minutes"),
            (
                "foul b; foul b; foul b; foul b; b+3",
                "3:3 2:00| 0:24| [3:0 0:0 0:0 0:3] a(possession, fouls0, timeouts0) b(fouls4, timeouts2)",
            ),
            ("finish", "!a draw goes to overtime"),
            (
                "put 0:00; end",
                "3:3 0:00| [3:0 0:0 0:0 0:3] a(possession, fouls0, timeouts0) b(fouls4, timeouts2) break: Before overtime",
            ),
            // Fouls go on in overtime; one time-out.
            (
                "start; foul b",
                "3:3 5:00 0:24 [3:0 0:0 0:0 0:3 0:0] a(possession, bonus, fouls0, timeouts1) b(fouls5, timeouts1)",
            ),
            (
                "timeout b",
                "3:3 5:00| 0:24| [3:0 0:0 0:0 0:3 0:0] a(possession, bonus, fouls0, timeouts1) b(fouls5, timeouts0)",
            ),
            ("timeout b", "!time-out of this overtime"),
            (
                "put 0:00; end; start; a+1",
                "4:3 5:00 0:24 [3:0 0:0 0:0 0:3 0:0 1:0] a(possession, bonus, fouls0, timeouts1) b(fouls5, timeouts1)",
            ),
            (
                "put 0:00; end",
                "4:3 0:00| [3:0 0:0 0:0 0:3 0:0 1:0] a(possession, bonus, fouls0, timeouts1) b(fouls5, timeouts1) won by a",
            ),
            ("b+3", "!the match is over"),
        ],
    );
}

#[test]
fn football_cards_added_time_and_the_end() {
    let football = rules(Sport::Football, &[(Rule::Substitutions, 2)]);
    script(
        &football,
        &[
            ("start", "0:0 0:00"),
            ("~600", "0:0 10:00"),
            ("a+1", "1:0 10:00"),
            ("a+2", "!a goal counts one"),
            ("yellow b7", "1:0 10:00 b(yellow1)"),
            ("yellow b8", "1:0 10:00 b(yellow2)"),
            // A second caution sends off.
            ("yellow b7", "1:0 10:00 b(yellow3, red1)"),
            ("red b7", "!sent off already"),
            ("red a", "1:0 10:00 a(red1) b(yellow3, red1)"),
            ("end", "!not over yet"),
            ("~2100; added 3", "1:0 45:00 +3 a(red1) b(yellow3, red1)"),
            ("~190", "1:0 48:10 +3 a(red1) b(yellow3, red1)"),
            ("end", "1:0 48:10| +3 a(red1) b(yellow3, red1) break: Half-time"),
            ("sub a", "1:0 48:10| +3 a(red1, substitutions1) b(yellow3, red1) break: Half-time"),
            ("b+1", "!it is a break"),
            // The second half begins at 45:00, however long the first was.
            ("start", "1:0 45:00 a(red1, substitutions1) b(yellow3, red1)"),
            ("put 44:00", "!began later"),
            ("sub a", "1:0 45:00 a(red1, substitutions2) b(yellow3, red1)"),
            ("sub a", "!all of its substitutions"),
            ("put 90:00; end", "1:0 90:00| a(red1, substitutions2) b(yellow3, red1) won by a"),
        ],
    );
}

#[test]
fn football_may_end_in_a_draw_or_go_to_extra_time_and_kicks() {
    let draw = rules(Sport::Football, &[]);
    script(
        &draw,
        &[("start; put 45:00; end; start; put 90:00; end", "0:0 90:00| drawn"), ("reopen", "!the score decides")],
    );
    let cup = rules(Sport::Football, &[(Rule::OvertimeLength, 900), (Rule::ShootOut, 1)]);
    script(
        &cup,
        &[
            ("start; put 45:00; end; start; put 90:00; end", "0:0 90:00| break: End of normal time"),
            ("start", "0:0 90:00"),
            ("a+1", "1:0 90:00"),
            ("put 105:00; end", "1:0 105:00| break: Half-time of extra time"),
            ("start; ~60; b+1", "1:1 106:00"),
            ("put 120:00; end", "1:1 120:00| break: Before the shoot-out"),
            ("in a", "!it is a break"),
            ("first b; start", "1:1* a(kicks) b(kicks) “0 : 0 in the shoot-out”"),
            ("in a", "!the other side's turn"),
            ("in b", "1*:1 a(kicks) b(kicksx) “0 : 1 in the shoot-out”"),
            ("miss a; in b", "1*:1 a(kickso) b(kicksxx) “0 : 2 in the shoot-out”"),
            ("miss a; in b", "1*:1 a(kicksoo) b(kicksxxx) “0 : 3 in the shoot-out”"),
            ("a+1", "!note each kick"),
            ("run", "!has no clock"),
            // Three down with two left: decided.
            ("miss a", "1:1 a(kicksooo) b(kicksxxx) “0 : 3 in the shoot-out” won by b"),
        ],
    );
    let kicks = "in a; in b; in a; in b; in a; in b; in a; in b; in a; in b";
    script(
        &cup,
        &[
            (
                "start; put 45:00; end; start; put 90:00; end; start; put 105:00; end; start; put 120:00; end; start",
                "0:0 a(kicks) b(kicks) “0 : 0 in the shoot-out”",
            ),
            (kicks, "0*:0 a(kicksxxxxx) b(kicksxxxxx) “5 : 5 in the shoot-out”"),
            // Then pair by pair.
            ("in a", "0:0* a(kicksxxxxxx) b(kicksxxxxx) “6 : 5 in the shoot-out”"),
            ("in b; miss a", "0:0* a(kicksxxxxxxo) b(kicksxxxxxx) “6 : 6 in the shoot-out”"),
            ("in b", "0:0 a(kicksxxxxxxo) b(kicksxxxxxxx) “6 : 7 in the shoot-out” won by b"),
        ],
    );
    let golden = rules(Sport::Football, &[(Rule::OvertimeLength, 900), (Rule::GoldenGoal, 1)]);
    script(&golden, &[("start; put 45:00; end; start; put 90:00; end; start; ~60; b+1", "0:1 91:00| won by b")]);
}

#[test]
fn hockey_penalties_run_with_the_clock_two_at_a_time() {
    let hockey = rules(Sport::IceHockey, &[]);
    script(
        &hockey,
        &[
            ("start; ~60", "0:0 19:00 [0:0] a(shots0, timeouts1) b(shots0, timeouts1)"),
            ("stop; pen a2 7", "0:0 19:00| [0:0] a(shots0, timeouts1, #7 2:00) b(power_play5–4, shots0, timeouts1)"),
            ("~30", "0:0 19:00| [0:0] a(shots0, timeouts1, #7 2:00) b(power_play5–4, shots0, timeouts1)"),
            ("run; ~30", "0:0 18:30 [0:0] a(shots0, timeouts1, #7 1:30) b(power_play5–4, shots0, timeouts1)"),
            (
                "pen a5 9; pen a2 11",
                "0:0 18:30 [0:0] a(shots0, timeouts1, #7 1:30, #9 5:00, #11 2:00 waits) b(power_play5–3, shots0, timeouts1)",
            ),
            (
                "~60",
                "0:0 17:30 [0:0] a(shots0, timeouts1, #7 0:30, #9 4:00, #11 2:00 waits) b(power_play5–3, shots0, timeouts1)",
            ),
            // A goal ends the minor that runs, and the one that waited begins.
            ("b+1", "0:1 17:30 [0:1] a(shots0, timeouts1, #9 4:00, #11 2:00) b(power_play5–3, shots1, timeouts1)"),
            ("~10; b+1", "0:2 17:20 [0:2] a(shots0, timeouts1, #9 3:50) b(power_play5–4, shots2, timeouts1)"),
            // Never a major.
            ("b+1", "0:3 17:20 [0:3] a(shots0, timeouts1, #9 3:50) b(power_play5–4, shots3, timeouts1)"),
            ("~230", "0:3 13:30 [0:3] a(shots0, timeouts1) b(shots3, timeouts1)"),
            // A misconduct runs and makes nobody short.
            ("pen b10 4", "0:3 13:30 [0:3] a(shots0, timeouts1) b(shots3, timeouts1, #4 10:00)"),
        ],
    );
}

#[test]
fn hockey_double_minors_and_equal_penalties() {
    let hockey = rules(Sport::IceHockey, &[]);
    script(
        &hockey,
        &[
            (
                "start; stop; pen a4 7",
                "0:0 20:00| [0:0] a(shots0, timeouts1, #7 4:00) b(power_play5–4, shots0, timeouts1)",
            ),
            ("run; ~30; b+1", "0:1 19:30 [0:1] a(shots0, timeouts1, #7 2:00) b(power_play5–4, shots1, timeouts1)"),
            ("~60; b+1", "0:2 18:30 [0:2] a(shots0, timeouts1) b(shots2, timeouts1)"),
            // Equal ones of one stop: nobody is short, and a goal ends none of them.
            ("stop; pen a2 3", "0:2 18:30| [0:2] a(shots0, timeouts1, #3 2:00) b(power_play5–4, shots2, timeouts1)"),
            ("pen b2 5", "0:2 18:30| [0:2] a(shots0, timeouts1, #3 2:00) b(shots2, timeouts1, #5 2:00)"),
            ("run; ~20; b+1", "0:3 18:10 [0:3] a(shots0, timeouts1, #3 1:40) b(shots3, timeouts1, #5 1:40)"),
            // A later one of the other side does count.
            (
                "stop; pen b2 6",
                "0:3 18:10| [0:3] a(power_play5–4, shots0, timeouts1, #3 1:40) b(shots3, timeouts1, #5 1:40, #6 2:00)",
            ),
            ("a+1", "1:3 18:10| [1:3] a(shots1, timeouts1, #3 1:40) b(shots3, timeouts1, #5 1:40)"),
            ("timeout a", "1:3 18:10| [1:3] a(shots1, timeouts0, #3 1:40) b(shots3, timeouts1, #5 1:40)"),
            ("timeout a", "!taken its time-out"),
        ],
    );
}

#[test]
fn hockey_penalties_are_equal_only_where_given_at_one_stop() {
    let hockey = rules(Sport::IceHockey, &[]);
    script(
        &hockey,
        &[
            // One while it ran, the other at the stop after: both count.
            ("start; pen a2 7", "0:0 20:00 [0:0] a(shots0, timeouts1, #7 2:00) b(power_play5–4, shots0, timeouts1)"),
            ("~30; stop; pen b2 5", "0:0 19:30| [0:0] a(shots0, timeouts1, #7 1:30) b(shots0, timeouts1, #5 2:00)"),
            ("run; ~90", "0:0 18:00 [0:0] a(power_play5–4, shots0, timeouts1) b(shots0, timeouts1, #5 0:30)"),
        ],
    );
    script(
        &hockey,
        &[
            // A double minor against a minor leaves a minor.
            (
                "start; stop; pen a4 7; pen b2 5",
                "0:0 20:00| [0:0] a(shots0, timeouts1, #7 2:00, #7 2:00 waits) b(power_play5–4, shots0, timeouts1, #5 2:00)",
            ),
            ("run; b+1", "0:1 20:00 [0:1] a(shots0, timeouts1, #7 2:00) b(shots1, timeouts1, #5 2:00)"),
        ],
    );
    script(
        &hockey,
        &[
            // Either way round.
            (
                "start; stop; pen b2 5; pen a4 7",
                "0:0 20:00| [0:0] a(shots0, timeouts1, #7 2:00, #7 2:00 waits) b(power_play5–4, shots0, timeouts1, #5 2:00)",
            ),
        ],
    );
}

#[test]
fn hockey_penalties_of_one_player_follow_each_other_and_count_once() {
    let hockey = rules(Sport::IceHockey, &[]);
    script(
        &hockey,
        &[
            (
                "start; stop; pen a2 7; pen a2 7; pen a10 7",
                "0:0 20:00| [0:0] a(shots0, timeouts1, #7 2:00, #7 2:00 waits, #7 10:00 waits) b(power_play5–4, shots0, timeouts1)",
            ),
            (
                "run; ~130",
                "0:0 17:50 [0:0] a(shots0, timeouts1, #7 1:50, #7 10:00 waits) b(power_play5–4, shots0, timeouts1)",
            ),
            ("~120", "0:0 15:50 [0:0] a(shots0, timeouts1, #7 9:50) b(shots0, timeouts1)"),
        ],
    );
    // Three against three: the other side has one more.
    let regular = "start; put 0:00; end; start; put 0:00; end; start; put 0:00; end; start; stop";
    script(
        &hockey,
        &[
            (regular, "0:0 5:00| [0:0 0:0 0:0 0:0] a(shots0, timeouts1) b(shots0, timeouts1)"),
            (
                "pen a2 7",
                "0:0 5:00| [0:0 0:0 0:0 0:0] a(shots0, timeouts1, #7 2:00) b(power_play4–3, shots0, timeouts1)",
            ),
            (
                "pen a2 8",
                "0:0 5:00| [0:0 0:0 0:0 0:0] a(shots0, timeouts1, #7 2:00, #8 2:00) b(power_play5–3, shots0, timeouts1)",
            ),
        ],
    );
}

#[test]
fn a_match_that_a_shoot_out_decides_does_not_end_level() {
    let cup = rules(Sport::Football, &[(Rule::ShootOut, 1)]);
    script(
        &cup,
        &[
            ("start; ~60; yellow a7", "0:0 1:00 a(yellow1)"),
            ("finish", "!a shoot-out decides it"),
            (
                "put 45:00; end; start; put 90:00; end; first a; start",
                "0*:0 a(kicks, yellow1) b(kicks) “0 : 0 in the shoot-out”",
            ),
            // A caution of the match is no first one here.
            ("yellow a7", "0*:0 a(kicks, yellow2) b(kicks) “0 : 0 in the shoot-out”"),
            ("yellow a7", "0*:0 a(kicks, yellow3, red1) b(kicks) “0 : 0 in the shoot-out”"),
        ],
    );
    script(
        &rules(Sport::IceHockey, &[(Rule::ShootOut, 1)]),
        &[
            ("start", "0:0 20:00 [0:0] a(shots0, timeouts1) b(shots0, timeouts1)"),
            ("finish", "!a shoot-out decides it"),
        ],
    );
}

#[test]
fn hockey_overtime_and_shoot_out() {
    let hockey = rules(Sport::IceHockey, &[]);
    let regular = "start; put 0:00; end; start; put 0:00; end; start; put 0:00; end";
    script(
        &hockey,
        &[
            (regular, "0:0 0:00| [0:0 0:0 0:0] a(shots0, timeouts1) b(shots0, timeouts1) break: End of regular time"),
            ("start; ~30; a+1", "1:0 4:30| [0:0 0:0 0:0 1:0] a(shots1, timeouts1) b(shots0, timeouts1) won by a"),
        ],
    );
    script(
        &hockey,
        &[
            (regular, "0:0 0:00| [0:0 0:0 0:0] a(shots0, timeouts1) b(shots0, timeouts1) break: End of regular time"),
            (
                "start; put 0:00; end",
                "0:0 0:00| [0:0 0:0 0:0 0:0] a(shots0, timeouts1) b(shots0, timeouts1) break: Before the shoot-out",
            ),
            ("start; in a", "0:0* [0:0 0:0 0:0 0:0] a(kicksx, shots0, timeouts1) b(kicks, shots0, timeouts1)"),
            ("miss b; in a", "0:0* [0:0 0:0 0:0 0:0] a(kicksxx, shots0, timeouts1) b(kickso, shots0, timeouts1)"),
            // The shoot-out counts one goal.
            ("miss b", "1:0 [0:0 0:0 0:0 0:0] a(kicksxx, shots0, timeouts1) b(kicksoo, shots0, timeouts1) won by a"),
        ],
    );
}
