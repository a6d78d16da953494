//! What is undone: voids, undo, resets and mistakes that ended it.

use super::{PhaseWord, Show, tip, why};
use tally_core::channel::Correcting;
use tally_core::record::ids::Seq;
use tally_core::widgets::subathon::Why;

#[test]
fn start_pressed_at_two_desks_starts_it_once() {
    let mut show = Show::of(&[]);
    show.press("start");
    assert_eq!(show.presses("start", None).unwrap_err().to_string(), "the clock is running already");
    assert_eq!(show.wait(60).shown(), "59:00");
}

#[test]
fn whoever_may_lets_it_go_on_though_it_was_over() {
    let mut show = Show::started(&[]);
    show.wait(4_000);
    assert!(show.presses("add", Some(60)).unwrap_err().to_string().contains("go on"));
    show.presses("go_on", Some(120)).unwrap();
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Running, "2:00"));
    assert_eq!(show.wait(30).shown(), "1:30");
    assert!(show.presses("go_on", None).unwrap_err().to_string().contains("not over"));
}

#[test]
fn a_void_of_the_line_that_gave_the_last_hour_is_asked_about() {
    let mut show = Show::started(&[]);
    let line = show.wait(1_800).happens(tip("ade", 12_000));
    assert_eq!(show.shown(), "1:30:00");
    // The clock would have ended at 19:00, but it was seen running until now.
    show.wait(3_000).corrects(line, &Correcting::Void).unwrap();
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::InDoubt, "0"));
    show.wait(60).settle();
    assert_eq!(show.phase(), PhaseWord::InDoubt, "it does not end by itself");
    let mut restored = Show { channel: show.channel.clone(), entries: show.entries.clone(), now: show.now };
    restored.corrects(line, &Correcting::Restore).unwrap();
    assert_eq!((restored.phase(), restored.shown().as_str()), (PhaseWord::Running, "39:00"));
    let mut supported = Show { channel: show.channel.clone(), entries: show.entries.clone(), now: show.now };
    supported.happens(tip("bea", 10_000));
    assert_eq!((supported.phase(), supported.shown().as_str()), (PhaseWord::Running, "30:00"));
    let mut goes_on = Show { channel: show.channel.clone(), entries: show.entries.clone(), now: show.now };
    goes_on.presses("go_on", Some(300)).unwrap();
    assert_eq!((goes_on.phase(), goes_on.shown().as_str()), (PhaseWord::Running, "5:00"));
    show.press("over");
    assert_eq!(show.phase(), PhaseWord::Over);
    show.happens(tip("bea", 10_000));
    assert_eq!(why(&show), [(0, Some(Why::TooLate))]);
}

#[test]
fn an_end_by_a_mistake_that_is_undone_is_as_if_it_had_not_been() {
    let mut show = Show::started(&[("length", "1:00")]);
    let mistake = show.presses("subtract", Some(300)).unwrap();
    show.settle();
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Over, "That was it. Thank you!"));
    // Refused as too late meanwhile.
    show.wait(1).happens(tip("ade", 200));
    assert_eq!(why(&show)[1], (0, Some(Why::TooLate)));
    show.undoes(mistake);
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Running, "1:59"), "59 s, and what counts again");
    // It runs out when it would have, and that is an end like any other.
    show.wait(119).settle();
    assert_eq!(show.phase(), PhaseWord::Over);

    // Undone so late that time has really run out since: somebody says whether it is over, and it stands still until then.
    let mut show = Show::started(&[("length", "1:00")]);
    let mistake = show.presses("subtract", Some(300)).unwrap();
    show.settle();
    show.wait(90).undoes(mistake);
    assert_eq!(show.phase(), PhaseWord::InDoubt);
    show.wait(600).happens(tip("ade", 200));
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Running, "30"), "30 s too many ran, and no more");
    // Another length after the end starts nothing.
    let mut show = Show::started(&[("length", "1:00")]);
    show.wait(61).settle();
    show.edits(&[("length", "4:00:00")]);
    assert_eq!(show.wait(5).phase(), PhaseWord::Over);
}

#[test]
fn voiding_takes_the_rest_kept_for_a_supporter_too() {
    let mut show = Show::started(&[("rate.step.tip", "5"), ("rate.rounding.tip", "steps_carried")]);
    let first = show.happens(tip("ade", 300));
    show.happens(tip("ade", 300));
    show.happens(tip("bea", 400));
    assert_eq!(why(&show), [(0, None), (30, None), (0, None)]);
    show.corrects(first, &Correcting::Void).unwrap();
    assert_eq!(why(&show), [(0, None), (0, None)]);
    show.corrects(first, &Correcting::Restore).unwrap();
    assert_eq!(why(&show), [(0, None), (30, None), (0, None)]);
    let amend = Correcting::Amend {
        name: "bea".into(),
        amount: "9".into(),
        currency: String::new(),
        tier: String::new(),
        number: String::new(),
        kind: String::new(),
    };
    show.corrects(first, &amend).unwrap();
    assert_eq!(why(&show), [(30, None), (0, None), (30, None)]);
}

#[test]
fn undo_takes_back_what_hands_did_and_not_what_the_clock_did() {
    let mut show = Show::started(&[("breaks", "2026-10-24 19:10 5:00")]);
    show.presses("add", Some(60)).unwrap();
    show.wait(700).settle();
    assert_eq!(show.phase(), PhaseWord::Break);
    show.press("undo");
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Break, "50:00"), "the minute is gone, not the break");
    show.press("undo");
    assert_eq!(show.phase(), PhaseWord::Ready);
    assert_eq!(show.presses("undo", None).unwrap_err().to_string(), "there is nothing to take back");
}

#[test]
fn a_reset_begins_anew_and_its_undo_brings_everything_back() {
    let mut show = Show::started(&[]);
    show.happens(tip("ade", 1_000));
    show.wait(60);
    let before = show.shown();
    show.press("reset");
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Ready, "1:00:00"));
    show.press("undo");
    assert_eq!((show.phase(), show.shown()), (PhaseWord::Running, before));
}

#[test]
fn a_boost_taken_back_takes_back_what_came_by_it_and_one_ended_does_not() {
    let mut show = Show::started(&[]);
    show.press("boost");
    show.happens(tip("ade", 100));
    show.press("end_boosts");
    assert_eq!(show.shown(), "1:01:00");
    show.press("undo");
    show.press("undo");
    assert_eq!(show.shown(), "1:00:30");
}

#[test]
fn of_what_came_long_after_the_end_the_newest_is_kept_and_all_of_it_counts_once_the_end_is_undone() {
    let mut show = Show::started(&[("length", "1:00")]);
    let mistake = show.presses("subtract", Some(300)).unwrap();
    let late: Vec<Seq> = (0..5_000).map(|_| show.happens(tip("ade", 200))).collect();
    let sum = show.computed();
    let kept: Vec<Seq> = sum.lines.iter().filter(|line| line.why == Some(Why::TooLate)).map(|line| line.seq).collect();
    assert!((1_000..2_000).contains(&kept.len()) && late.ends_with(&kept), "{}", kept.len());
    let refused: i64 = sum.lines.iter().filter(|line| line.given == 0).map(|line| line.wanted).sum();
    assert_eq!(refused + sum.forgotten, 5_000 * 60_000);
    show.undoes(mistake);
    let sum = show.computed();
    assert_eq!((sum.added, sum.forgotten, sum.lines.len()), (5_000 * 60_000, 0, 5_000));
}

#[test]
fn a_break_that_was_missed_just_before_the_last_of_the_time_is_made_up_for() {
    // Begun at 19:00 and 61 seconds long; a tip of £2 makes it 2:01, of which a second is left when the break begins.
    let mut show = Show::started(&[("length", "1:01"), ("breaks", "2026-10-24 19:02 5:00")]);
    let line = show.happens(tip("ade", 200));
    show.wait(10).corrects(line, &Correcting::Void).unwrap();
    show.wait(90).settle();
    assert_eq!(show.phase(), PhaseWord::Over, "without the tip it is over before the break");
    show.wait(60).corrects(line, &Correcting::Restore).unwrap();
    show.settle();
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Break, "1"));
}
