//! What holds for every sport, whatever is pressed.

use super::script::rules;
use chrono::TimeDelta;
use proptest::prelude::*;
use tally_core::record::acts::board::{Card, Penalty, Play, Rule, Rules, Sport};
use tally_core::time::Instant;
use tally_core::widgets::scoreboard::game::Game;
use tally_core::widgets::scoreboard::standing::Phase;

/// Any press, most often one that scores.
fn play() -> impl Strategy<Value = Play> {
    let side = 0_u8..3;
    prop_oneof![
        4 => side.clone().prop_map(|side| Play::Rally { side }),
        4 => (side.clone(), -1_i32..4).prop_map(|(side, points)| Play::Score { side, points }),
        3 => side.clone().prop_map(|side| Play::Frame { side }),
        4 => (0_u16..190, prop::option::of(0_u8..5)).prop_map(|(points, darts)| Play::Visit { points, darts }),
        2 => (prop::option::of(0_u8..2), prop::option::of((0_u16..5, 0_u16..5))).prop_map(|(side, result)| Play::Game { side, result }),
        1 => (0_u8..5).prop_map(|darts| Play::Checkout { darts }),
        1 => prop_oneof![Just(Play::Bust), Just(Play::EndVisit), Just(Play::Flourish { side: 0 })],
        2 => Just(Play::Start),
        2 => Just(Play::EndPeriod),
        1 => Just(Play::Pause),
        1 => Just(Play::Reopen),
        1 => prop_oneof![Just(Play::Finish), side.clone().prop_map(|side| Play::Retire { side })],
        2 => (side.clone(), any::<bool>()).prop_map(|(side, scored)| Play::Kick { side, scored }),
        2 => prop_oneof![Just(Play::ClockStart), Just(Play::ClockStop), Just(Play::ArrowUsed), Just(Play::Round)],
        2 => prop_oneof![Just(0), Just(1_000), Just(-5), -1_000_i64..8_000_000, any::<i64>()].prop_map(|ms| Play::ClockSet { ms }),
        1 => side.clone().prop_map(|side| Play::First { side }),
        1 => side.clone().prop_map(|side| Play::Foul { side }),
        1 => side.clone().prop_map(|side| Play::Timeout { side }),
        1 => side.clone().prop_map(|side| Play::Shot { side }),
        1 => side.clone().prop_map(|side| Play::Pick { side }),
        1 => side.clone().prop_map(|side| Play::Substitution { side }),
        1 => any::<u16>().prop_map(|seconds| Play::ShotClock { seconds }),
        1 => any::<u16>().prop_map(|minutes| Play::AddedTime { minutes }),
        2 => (side.clone(), prop_oneof![Just(2_i64), Just(4), Just(5), Just(10)], prop::option::of(0_u16..4))
            .prop_map(|(side, minutes, number)| Play::Penalty { side, penalty: Penalty::of(minutes).unwrap(), number }),
        1 => (side, any::<bool>(), prop::option::of(0_u16..3)).prop_map(|(side, red, number)| Play::Card {
            side,
            card: if red { Card::Red } else { Card::Yellow },
            number
        }),
    ]
}

/// Presses with the seconds that pass before each.
fn presses() -> impl Strategy<Value = Vec<(Play, i64)>> {
    let gap = prop_oneof![4 => Just(0_i64), 3 => 0_i64..60_000, 1 => 0_i64..3_000_000, 1 => Just(-5_000)];
    prop::collection::vec((play(), gap), 0..120)
}

/// Short matches, so that ends are reached.
fn any_rules() -> impl Strategy<Value = Rules> {
    (prop::sample::select(Sport::ALL.to_vec()), any::<[u8; 12]>()).prop_map(|(sport, dice)| {
        let mut all = Rules::of(sport);
        for ((rule, standard), die) in sport.rules().iter().zip(dice.iter().cycle()) {
            let (least, most) = rule.about().bounds;
            let value = match die % 3 {
                0 => *standard,
                1 => least + i64::from(die / 3 % 4),
                _ => least + i64::from(die / 3) * (most - least) / 85,
            };
            all = all.with(*rule, value.clamp(least, most)).unwrap();
        }
        all
    })
}

struct Match {
    rules: Rules,
    game: Game,
    now: Instant,
    taken: Vec<(Play, Instant)>,
}

impl Match {
    fn of(rules: Rules) -> Self {
        let game = Game::new(&rules, 2);
        Self { rules, game, now: Instant::UNIX_EPOCH, taken: Vec::new() }
    }

    /// Presses as the engine does: on the match as the acts that were taken have left it.
    fn press(&mut self, play: Play, gap: i64) -> bool {
        let at = self.now + TimeDelta::milliseconds(gap);
        self.now = self.now.max(at);
        let mut game = self.game.clone();
        let done = game.play(&self.rules, play, at).is_ok();
        if done {
            self.game = game;
            self.taken.push((play, at));
        }
        done
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, ..ProptestConfig::default() })]

    /// A refusal changes nothing; what is taken leaves a state that can be told; a match that is over takes no score.
    #[test]
    fn any_press_is_refused_or_leaves_a_state_that_can_be_told(rules in any_rules(), presses in presses()) {
        let mut one = Match::of(rules);
        for (play, gap) in presses {
            let at = one.now.max(one.now + TimeDelta::milliseconds(gap));
            one.game.advance(&one.rules, at);
            let before = one.game.clone();
            let over = before.phase() == Phase::Finished;
            if one.press(play, gap) {
                prop_assert!(!over || matches!(play, Play::Reopen | Play::Flourish { .. }), "{play:?} after the end");
                prop_assert_eq!(one.game.phase() == Phase::Finished, one.game.ended().is_some());
            } else {
                prop_assert_eq!(&one.game, &before, "{:?}", play);
            }
            let standing = one.game.standing(&one.rules);
            prop_assert_eq!((standing.scores.len(), standing.points.len(), standing.marks.len(), standing.penalties.len()), (2, 2, 2, 2));
            for column in &standing.columns {
                prop_assert_eq!(column.cells.len(), 2);
            }
            for clock in standing.clock.iter().chain(&standing.shot) {
                prop_assert!(clock.ms >= 0);
            }
            for penalty in standing.penalties.iter().flatten() {
                prop_assert!((1..=600_000).contains(&penalty.left_ms));
            }
            // Whoever has won is not behind, unless the other side gave up; in darts what is left is no score.
            let names = vec!["A".to_owned(), "B".to_owned()];
            for lever in one.game.levers(&one.rules, &names) {
                prop_assert!(!lever.label.is_empty());
            }
        }
    }

    /// The acts that were taken, played again, give the same match.
    #[test]
    fn replay_equals_live(rules in any_rules(), presses in presses()) {
        let mut live = Match::of(rules);
        for (play, gap) in presses {
            live.press(play, gap);
        }
        let mut again = Match::of(live.rules.clone());
        for (play, at) in &live.taken {
            prop_assert!(again.game.play(&again.rules, *play, *at).is_ok());
        }
        again.game.advance(&again.rules, live.now);
        live.game.advance(&live.rules, live.now);
        prop_assert_eq!(again.game.standing(&again.rules), live.game.standing(&live.rules));
        prop_assert_eq!(again.game.phase(), live.game.phase());
    }

    /// Looking at a match in between changes nothing: time passes the same in one step or in many.
    #[test]
    fn time_passes_the_same_in_many_steps(presses in presses(), step in 100_i64..20_000, sport in prop::sample::select(vec![Sport::Basketball, Sport::Football, Sport::IceHockey])) {
        let rules = rules(sport, &[]);
        let (mut looked, mut left) = (Match::of(rules.clone()), Match::of(rules));
        for (play, gap) in presses {
            let gap = gap.max(0);
            let mut passed = 0;
            while passed + step < gap.min(200_000) {
                passed += step;
                looked.game.advance(&looked.rules, looked.now + TimeDelta::milliseconds(passed));
            }
            prop_assert_eq!(looked.press(play, gap), left.press(play, gap));
            looked.game.advance(&looked.rules, looked.now);
            left.game.advance(&left.rules, left.now);
            prop_assert_eq!(looked.game.standing(&looked.rules), left.game.standing(&left.rules));
        }
    }

    /// What stands on the board is what was pressed.
    #[test]
    fn totals_equal_the_log(presses in presses(), sport in prop::sample::select(vec![Sport::Points, Sport::Basketball, Sport::Ranking])) {
        let mut one = Match::of(rules(sport, &[]));
        for (play, gap) in presses {
            one.press(play, gap);
        }
        let mut sums = [0_i64; 2];
        for (play, _) in &one.taken {
            if let Play::Score { side, points } = play {
                sums[usize::from(*side)] += i64::from(*points);
            }
        }
        prop_assert_eq!(one.game.standing(&one.rules).points, sums.to_vec());
    }

    /// Sets and games: of a match that is over, nobody has more than it takes, and the winner has exactly that.
    #[test]
    fn a_match_of_sets_ends_when_it_is_won(rallies in prop::collection::vec(0_u8..2, 0..900), sport in prop::sample::select(vec![Sport::Volleyball, Sport::BeachVolleyball, Sport::Badminton, Sport::TableTennis])) {
        let rules = rules(sport, &[(Rule::BestOf, 3), (Rule::SetPoints, 5), (Rule::LastSetPoints, 4)]);
        let mut one = Match::of(rules);
        one.press(Play::Start, 0);
        let mut taken = 0;
        for side in rallies {
            taken += u32::from(one.press(Play::Rally { side }, 0));
        }
        let standing = one.game.standing(&one.rules);
        let over = one.game.phase() == Phase::Finished;
        let told = |text: &String| text.parse::<u32>().unwrap();
        let past: u32 = standing.columns.iter().flat_map(|column| column.cells.iter().map(told)).sum();
        let now: u32 = if over { 0 } else { standing.scores.iter().map(told).sum() };
        prop_assert_eq!(past + now, taken, "every rally is a point");
        let won = |side: u8| standing.columns.iter().filter(|column| column.won == Some(side)).count();
        prop_assert!(won(0) <= 2 && won(1) <= 2);
        prop_assert_eq!(over, won(0) == 2 || won(1) == 2);
    }
}
