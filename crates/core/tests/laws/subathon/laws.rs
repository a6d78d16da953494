//! Laws of subathon clocks, over shows drawn at random.

use super::{CLOCK, PhaseWord, Show, begin};
use crate::common::settings;
use crate::life::happening;
use chrono::TimeDelta;
use proptest::prelude::*;
use tally_core::channel::{Channel, Correcting};
use tally_core::record::entry::Body;
use tally_core::record::happening::Happening;
use tally_core::record::ids::Seq;
use tally_core::widgets::Notable;
use tally_core::widgets::subathon::{Line, Row, Why};

#[derive(Debug, Clone)]
enum Step {
    Happens { happening: Happening, late: i64 },
    Press { action: &'static str, value: Option<i64> },
    Correct { line: prop::sample::Index, restore: bool },
    Edit(&'static str, &'static str),
    Away(i64),
}

fn press() -> impl Strategy<Value = Step> {
    let actions = vec!["start", "pause", "add", "subtract", "boost", "end_boosts", "break", "go_on", "over", "start"];
    (prop::sample::select(actions), prop::option::of(1_i64..5_000))
        .prop_map(|(action, value)| Step::Press { action, value })
}

fn step() -> impl Strategy<Value = (Step, i64)> {
    let late = prop_oneof![5 => Just(0_i64), 1 => 0_i64..9_000, 1 => -900_i64..0];
    let happens = (happening(), late).prop_map(|(happening, late)| Step::Happens { happening, late });
    let undo = Just(Step::Press { action: "undo", value: None });
    let reset = Just(Step::Press { action: "reset", value: None });
    let correct =
        (any::<prop::sample::Index>(), any::<bool>()).prop_map(|(line, restore)| Step::Correct { line, restore });
    let edits = vec![
        ("rate.time.tip", "60"),
        ("rate.rounding.tip", "steps_carried"),
        ("rate.step.tip", "3"),
        ("rate.does.cheer", "takes"),
        ("rate.does.gift", "adds"),
        ("rate.does.gift", "off"),
        ("rate.does.raid_viewer", "adds"),
        ("most", "1:30:00"),
        ("total", "5:00:00"),
        ("total", ""),
        ("while_paused", "wait"),
        ("while_paused", "ignore"),
        ("grace", "1:00"),
        ("boosts", "2026-10-24 19:30 to 2026-10-24 21:00 ×2.5"),
        ("breaks", "2026-10-24 19:40 12:00\n2026-10-24 23:00 5:00"),
        ("length", "2:00:00"),
    ];
    let edit = prop::sample::select(edits).prop_map(|(key, text)| Step::Edit(key, text));
    let away = (20_i64..5_000).prop_map(Step::Away);
    let step = prop_oneof![8 => happens, 4 => press(), 1 => undo, 1 => reset, 3 => correct, 2 => edit, 1 => away];
    (step, prop_oneof![3 => 0_i64..60, 3 => 0_i64..1_500, 1 => 0_i64..9_000])
}

fn take(show: &mut Show, step: &Step) {
    match step {
        Step::Happens { happening, late } => {
            show.happened(happening.clone(), show.now - TimeDelta::seconds(*late));
        }
        Step::Press { action, value } => drop(show.presses(action, *value)),
        Step::Correct { line, restore } => {
            let lines: Vec<Seq> = happenings(show);
            if !lines.is_empty() {
                let wish = if *restore { Correcting::Restore } else { Correcting::Void };
                drop(show.corrects(lines[line.index(lines.len())], &wish));
            }
        }
        Step::Edit(key, text) => show.edits(&[(key, text)]),
        Step::Away(seconds) => {
            show.settle();
            let from = show.now;
            show.wait(*seconds);
            show.notes(Notable::Away { from, until: show.now });
        }
    }
}

fn happenings(show: &Show) -> Vec<Seq> {
    let lines = show.entries.iter().filter(|entry| matches!(entry.body, Body::Happening(_)));
    lines.map(|entry| entry.seq).collect()
}

/// A line of the log: its place, its row, who, and what it wanted, got and was refused for.
type Told = (Seq, Option<Row>, Option<String>, i64, i64, Option<Why>);

/// The log in words: who somebody is, is numbered in the order in which they come.
fn told(show: &Show) -> Vec<Told> {
    let scope = show.channel.scope(show.now);
    let line =
        |line: Line| (line.seq, line.row, line.who.map(|who| scope.name(who)), line.wanted, line.given, line.why);
    show.computed().lines.into_iter().map(line).collect()
}

fn lived(steps: &[(Step, i64)]) -> Show {
    let mut show = Show::started(&[]);
    for (step, wait) in steps {
        show.wait(*wait);
        take(&mut show, step);
    }
    show.settle();
    show
}

/// The same clock as the ledger tells it, with its present setup.
fn replayed(show: &Show, entries: &[tally_core::record::entry::Entry]) -> Show {
    let mut channel = Channel::new(settings(), [(CLOCK, show.piece().emptied())]);
    for entry in entries {
        channel.apply(entry);
    }
    Show { channel, entries: entries.to_vec(), now: show.now }
}

/// A case of `alarms_and_none_show_the_same`.
#[test]
fn what_waits_for_the_end_of_a_break_is_seen_though_nothing_is_written_yet() {
    let mut show = Show::started(&[("while_paused", "wait"), ("breaks", "2026-10-24 19:40 12:00")]);
    show.wait(45 * 60).happens(super::tip("ade", 300));
    assert_eq!(show.view().added_ms, 0);
    show.wait(7 * 60);
    let unseen = show.view();
    assert_eq!(unseen.left_ms, 20 * 60_000 + unseen.added_ms);
    assert!(unseen.added_ms > 0);
    show.settle();
    assert_eq!(show.view(), unseen);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn shown_is_start_and_log_without_the_time_run(steps in prop::collection::vec(step(), 0..40)) {
        let mut show = Show::started(&[]);
        for (step, wait) in &steps {
            show.wait(*wait);
            take(&mut show, step);
            show.settle();
            let (sum, view) = (show.computed(), show.view());
            let log: i64 = sum.lines.iter().map(|line| line.given).sum();
            let clock = &sum.clock;
            prop_assert_eq!(clock.left, show.length_ms() + log - clock.ran);
            prop_assert_eq!(sum.by_row.values().sum::<i64>(), log);
            prop_assert_eq!(sum.by_person.values().sum::<i64>(), log);
            // What is seen now is that clock, run on to now.
            let over = matches!(view.phase, PhaseWord::Over | PhaseWord::Grace);
            let left = show.length_ms() + log - view.ran_ms;
            prop_assert_eq!(view.left_ms, if over { 0 } else { left.max(0) }, "{:?}", view.phase);
            prop_assert_eq!(view.phase == PhaseWord::InDoubt, !over && left < 0);
            for line in &sum.lines {
                prop_assert!(line.given.signum() * line.wanted.signum() >= 0 && line.given.abs() <= line.wanted.abs());
                prop_assert_eq!(line.why.is_some(), line.given != line.wanted || (line.wanted == 0 && line.why.is_some()));
            }
        }
    }

    #[test]
    fn replay_equals_live_from_the_start_and_from_a_snapshot(steps in prop::collection::vec(step(), 0..40), cut in any::<prop::sample::Index>()) {
        let show = lived(&steps);
        let again = replayed(&show, &show.entries);
        prop_assert_eq!(again.computed(), show.computed());
        prop_assert_eq!(again.view(), show.view());
        let cut = cut.index(show.entries.len() + 1);
        let half = replayed(&show, &show.entries[..cut]);
        let pages = half.channel.book().dirty().map(|(day, facts, _)| (day, facts.to_vec())).collect();
        let json = serde_json::to_string(&half.channel.snapshot()).unwrap();
        let empty = Channel::new(settings(), [(CLOCK, show.piece().emptied())]);
        let mut resumed = empty.resume(serde_json::from_str(&json).unwrap(), pages).unwrap();
        for entry in &show.entries[cut..] {
            resumed.apply(entry);
        }
        let resumed = Show { channel: resumed, entries: Vec::new(), now: show.now };
        prop_assert_eq!(resumed.computed(), show.computed());
    }

    #[test]
    fn alarms_and_none_show_the_same(steps in prop::collection::vec(step(), 0..25), looks in prop::collection::vec(0_i64..9_000, 1..6)) {
        let mut show = lived(&steps);
        let unseen = Show { channel: show.channel.clone(), entries: Vec::new(), now: show.now };
        for wait in looks {
            // One writes what is due whenever it is looked at, the other never does.
            show.wait(wait).settle();
            prop_assert_eq!(show.view(), unseen.view_at(show.now));
            if let Some(at) = show.channel.wakes_at(CLOCK, show.now) {
                prop_assert!(at > show.now);
            }
        }
    }

    #[test]
    fn corrections_equal_a_ledger_without_the_mistake(steps in prop::collection::vec(step(), 1..30), line in any::<prop::sample::Index>()) {
        let mut show = lived(&steps);
        let lines = happenings(&show);
        if lines.is_empty() { return Ok(()) }
        let line = lines[line.index(lines.len())];
        let before = told(&show);
        let was_voided = show.corrects(line, &Correcting::Void).is_err();
        let without: Vec<_> = show.entries.iter().filter(|entry| {
            entry.seq != line && !matches!(&entry.body, Body::Correct { target, .. } if *target == line)
        }).cloned().collect();
        let never = replayed(&show, &without);
        let (sum, ours) = (never.computed(), show.computed());
        prop_assert_eq!(told(&never), told(&show));
        prop_assert_eq!((sum.clock.phase, sum.clock.left + sum.clock.ran), (ours.clock.phase, ours.clock.left + ours.clock.ran));
        if !was_voided {
            show.corrects(line, &Correcting::Restore).unwrap();
            prop_assert_eq!(told(&show), before);
        }
    }

    #[test]
    fn undoing_acts_equals_never_having_done_them(steps in prop::collection::vec((step(), any::<bool>()), 1..30)) {
        let only: Vec<(Step, i64)> = steps.iter().map(|(step, _)| step.clone()).collect();
        let mut show = lived(&only);
        let acts: Vec<Seq> = show.entries.iter().filter_map(|entry| match &entry.body {
            Body::Act { act: tally_core::record::acts::Act::Subathon(act), .. } if act.is_by_hand() => Some(entry.seq),
            _ => None,
        }).collect();
        let mut undone = Vec::new();
        for (seq, (_, undo)) in acts.iter().zip(&steps) {
            let value = Some(i64::try_from(seq.0).unwrap());
            if *undo && show.presses("undo", value).is_ok() {
                undone.push(*seq);
            }
        }
        let without: Vec<_> = show.entries.iter().filter(|entry| {
            !undone.contains(&entry.seq) && !matches!(&entry.body, Body::Void { target, .. } if undone.contains(target))
        }).cloned().collect();
        let never = replayed(&show, &without);
        prop_assert_eq!(never.computed().lines, show.computed().lines);
        let (sum, ours) = (never.computed().clock, show.computed().clock);
        prop_assert_eq!((sum.phase, sum.left + sum.ran), (ours.phase, ours.left + ours.ran));
    }

    #[test]
    fn no_sheet_and_no_plan_makes_it_panic(key in "(rate\\.(does|time|step|rounding|least|worth|reward|signal)\\.?)?(tip|sub1|cheer|raid|breaks|boosts|total|grace|step|boost)?", text in "[0-9:×.,\\- a-zT]{0,24}") {
        let show = Show::started(&[]);
        if let Ok((piece, _)) = show.piece().edited(&key, &text, &show.channel.scope(show.now)) {
            let _ = piece.sentence(&show.channel.scope(begin()));
            let _ = piece.rate_table(&show.channel.scope(begin()));
        }
    }
}
