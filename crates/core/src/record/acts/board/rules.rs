//! The sports, and the settings in which their leagues differ. A sport has a fixed list of rules, each a whole number
//! with a standard of its own; what is set otherwise is kept beside it.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// By whose rules a board counts.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Sport {
    /// Points in any steps.
    #[default]
    Points,
    /// Basketball: FIBA Official Basketball Rules 2024.
    Basketball,
    /// Football: IFAB Laws of the Game 2024/25.
    Football,
    /// Ice hockey: IIHF Official Rule Book 2024/25.
    IceHockey,
    /// Volleyball: FIVB Official Volleyball Rules 2025–2028.
    Volleyball,
    /// Beach volleyball: FIVB Official Beach Volleyball Rules 2025–2028.
    BeachVolleyball,
    /// Badminton: BWF Laws of Badminton.
    Badminton,
    /// Table tennis: ITTF Statutes, chapter 2.
    TableTennis,
    /// Tennis: ITF Rules of Tennis 2025.
    Tennis,
    /// Frames, games or legs to a number.
    Race,
    /// Counting down to nothing with three darts a visit: WDF Playing and Tournament Rules.
    Darts,
    /// Best of several games.
    Series,
    /// Many entrants in one table.
    Ranking,
}

/// In what form a rule is set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RuleFormat {
    /// A number.
    Number,
    /// A number; 0 is written as that word.
    NumberOr(&'static str),
    /// A length in seconds.
    Length,
    /// A length in seconds; 0 is written as that word.
    LengthOr(&'static str),
    /// One of several, by its place.
    OneOf(&'static [&'static str]),
}

/// A rule in which leagues differ.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Rule {
    /// At how many points somebody wins; 0 for never.
    Target,
    /// By how many points ahead.
    Lead,
    /// At how many points one ahead is enough; 0 for never.
    Cap,
    /// How many periods a match has.
    Periods,
    /// How long one is.
    PeriodLength,
    /// How long an overtime is, or a half of extra time; 0 for none.
    OvertimeLength,
    /// From which foul of a period on the other side has the bonus.
    BonusFrom,
    /// From which foul on it has the double bonus; 0 for never.
    DoubleBonusFrom,
    /// How long a side may keep the ball; 0 for no such clock.
    ShotClock,
    /// To what that clock is put after an offensive rebound.
    ShotClockAgain,
    /// Time-outs in the first half.
    TimeoutsFirstHalf,
    /// Time-outs in the second half.
    TimeoutsSecondHalf,
    /// How many of those may be taken in its last two minutes.
    TimeoutsLate,
    /// Time-outs in an overtime.
    TimeoutsOvertime,
    /// Time-outs in a set, or in a match where it has no sets with their own.
    Timeouts,
    /// Whether a draw goes to a shoot-out.
    ShootOut,
    /// Of how many kicks or shots each that is.
    ShootOutOf,
    /// Whether a goal in extra time ends the match.
    GoldenGoal,
    /// Substitutions a side has; 0 for any number.
    Substitutions,
    /// Best of how many sets, games or legs.
    BestOf,
    /// Points of a set.
    SetPoints,
    /// Points of the deciding set.
    LastSetPoints,
    /// Games of a set.
    SetGames,
    /// Points of a tie-break.
    TieBreak,
    /// How the last set is played.
    LastSet,
    /// Whether one point decides at deuce.
    DecidingPoint,
    /// Singles or doubles.
    Doubles,
    /// How many frames, games or legs win.
    RaceTo,
    /// With how many the first side begins.
    FirstBegins,
    /// With how many the second side begins.
    SecondBegins,
    /// Who breaks.
    BreakOrder,
    /// Whether points within a frame are kept.
    FramePoints,
    /// From where it counts down.
    From,
    /// How one comes in.
    In,
    /// How one goes out.
    Out,
    /// How many legs win a set.
    LegsTo,
    /// How many sets win the match.
    SetsTo,
    /// Which end of the table wins.
    Winner,
    /// For how many seconds a flourish plays; 0 for none.
    Flourish,
}

use Rule::{
    BestOf, BonusFrom, BreakOrder, Cap, DecidingPoint, DoubleBonusFrom, Doubles, FirstBegins, Flourish, FramePoints,
    From, GoldenGoal, In, LastSet, LastSetPoints, Lead, LegsTo, Out, OvertimeLength, PeriodLength, Periods, RaceTo,
    SecondBegins, SetGames, SetPoints, SetsTo, ShootOut, ShootOutOf, ShotClock, ShotClockAgain, Substitutions, Target,
    TieBreak, Timeouts, TimeoutsFirstHalf, TimeoutsLate, TimeoutsOvertime, TimeoutsSecondHalf, Winner,
};

/// What is said of a rule.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct About {
    /// Its word in definitions and forms.
    pub key: &'static str,
    /// Its label.
    pub label: &'static str,
    /// The words before it in the sentence.
    pub before: &'static str,
    /// The words after it.
    pub after: &'static str,
    /// How its value is written.
    pub format: RuleFormat,
    /// The least and the most that it takes.
    pub bounds: (i64, i64),
}

const YES: RuleFormat = RuleFormat::OneOf(&["no", "yes"]);

impl Rule {
    /// What is said of it.
    #[must_use]
    pub fn about(self) -> About {
        let one = |key, label, before, after, format, bounds| About { key, label, before, after, format, bounds };
        match self {
            Target => one("target", "Points to win", "to", "", RuleFormat::NumberOr("no end"), (0, 1_000_000)),
            Lead => one("lead", "The lead to win by", "ahead by", "", RuleFormat::Number, (1, 1_000)),
            Cap => one("cap", "The cap", "capped at", "", RuleFormat::NumberOr("nothing"), (0, 1_000_000)),
            Periods => one("periods", "Periods", "in", "periods", RuleFormat::Number, (1, 12)),
            PeriodLength => one("period_length", "The length of a period", "of", "", RuleFormat::Length, (1, 7_200)),
            OvertimeLength => {
                one("overtime_length", "Extra time", "extra time of", "", RuleFormat::LengthOr("none"), (0, 3_600))
            }
            BonusFrom => one("bonus_from", "The bonus", "bonus from foul", "", RuleFormat::Number, (1, 30)),
            DoubleBonusFrom => {
                one("double_bonus_from", "The double bonus", "double from", "", RuleFormat::NumberOr("none"), (0, 30))
            }
            ShotClock => one("shot_clock", "The shot clock", "shot clock", "", RuleFormat::LengthOr("none"), (0, 120)),
            ShotClockAgain => {
                one("shot_clock_again", "The shorter shot clock", "then", "", RuleFormat::Length, (1, 120))
            }
            TimeoutsFirstHalf => {
                one("timeouts_first_half", "Time-outs of the first half", "time-outs", "", RuleFormat::Number, (0, 20))
            }
            TimeoutsSecondHalf => {
                one("timeouts_second_half", "Time-outs of the second half", "and", "", RuleFormat::Number, (0, 20))
            }
            TimeoutsLate => one(
                "timeouts_late",
                "Time-outs of the last two minutes",
                "of which late",
                "",
                RuleFormat::Number,
                (0, 20),
            ),
            TimeoutsOvertime => {
                one("timeouts_overtime", "Time-outs of an overtime", "in overtime", "", RuleFormat::Number, (0, 20))
            }
            Timeouts => one("timeouts", "Time-outs", "time-outs", "", RuleFormat::Number, (0, 20)),
            ShootOut => one("shoot_out", "The shoot-out", "shoot-out", "", YES, (0, 1)),
            ShootOutOf => one("shoot_out_of", "The shoot-out's length", "of", "each", RuleFormat::Number, (1, 20)),
            GoldenGoal => one("golden_goal", "The golden goal", "golden goal", "", YES, (0, 1)),
            Substitutions => {
                one("substitutions", "Substitutions", "substitutions", "", RuleFormat::NumberOr("any number"), (0, 30))
            }
            BestOf => one("best_of", "Best of", "best of", "", RuleFormat::Number, (1, 99)),
            SetPoints => one("set_points", "The points of a set", "to", "points", RuleFormat::Number, (1, 999)),
            LastSetPoints => {
                one("last_set_points", "The points of the last set", "the last to", "", RuleFormat::Number, (1, 999))
            }
            SetGames => one("set_games", "The games of a set", "sets to", "games", RuleFormat::Number, (1, 20)),
            TieBreak => one("tie_break", "The tie-break", "tie-break to", "", RuleFormat::Number, (1, 30)),
            LastSet => one(
                "last_set",
                "The last set",
                "the last set",
                "",
                RuleFormat::OneOf(&[
                    "as the others",
                    "with a tie-break to 10",
                    "without a tie-break",
                    "as a tie-break to 10",
                ]),
                (0, 3),
            ),
            DecidingPoint => one(
                "deciding_point",
                "Deuce",
                "at deuce",
                "",
                RuleFormat::OneOf(&["an advantage of two", "one deciding point"]),
                (0, 1),
            ),
            Doubles => one("doubles", "Players a side", "as", "", RuleFormat::OneOf(&["singles", "doubles"]), (0, 1)),
            RaceTo => one("race_to", "Frames to win", "first to", "", RuleFormat::Number, (1, 999)),
            FirstBegins => {
                one("first_begins", "The first side's start", "beginning at", "", RuleFormat::Number, (0, 998))
            }
            SecondBegins => one("second_begins", "The second side's start", "and", "", RuleFormat::Number, (0, 998)),
            BreakOrder => one(
                "break_order",
                "Who breaks",
                "the break goes",
                "",
                RuleFormat::OneOf(&["by turns", "to the winner", "to the loser"]),
                (0, 2),
            ),
            FramePoints => one("frame_points", "Points in a frame", "points in a frame", "", YES, (0, 1)),
            From => one("from", "The start of a leg", "from", "", RuleFormat::Number, (2, 9_999)),
            In => one("in", "Coming in", "in", "", RuleFormat::OneOf(&["straight", "on a double"]), (0, 1)),
            Out => one(
                "out",
                "Going out",
                "out",
                "",
                RuleFormat::OneOf(&["straight", "on a double", "on a double or a triple"]),
                (0, 2),
            ),
            LegsTo => one("legs_to", "Legs to win a set", "legs to", "", RuleFormat::Number, (1, 99)),
            SetsTo => one("sets_to", "Sets to win", "sets to", "", RuleFormat::Number, (1, 99)),
            Winner => one("winner", "Who wins", "", "wins", RuleFormat::OneOf(&["the highest", "the lowest"]), (0, 1)),
            Flourish => one("flourish", "The flourish", "flourish for", "", RuleFormat::LengthOr("none"), (0, 20)),
        }
    }
}

impl Sport {
    /// All, in the order in which they are offered.
    pub const ALL: [Self; 13] = [
        Self::Points,
        Self::Basketball,
        Self::Football,
        Self::IceHockey,
        Self::Volleyball,
        Self::BeachVolleyball,
        Self::Badminton,
        Self::TableTennis,
        Self::Tennis,
        Self::Race,
        Self::Darts,
        Self::Series,
        Self::Ranking,
    ];

    /// Its word in definitions and forms.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Points => "points",
            Self::Basketball => "basketball",
            Self::Football => "football",
            Self::IceHockey => "ice_hockey",
            Self::Volleyball => "volleyball",
            Self::BeachVolleyball => "beach_volleyball",
            Self::Badminton => "badminton",
            Self::TableTennis => "table_tennis",
            Self::Tennis => "tennis",
            Self::Race => "race",
            Self::Darts => "darts",
            Self::Series => "series",
            Self::Ranking => "ranking",
        }
    }

    /// Its name, and what it is for.
    #[must_use]
    pub fn words(self) -> (&'static str, &'static str) {
        match self {
            Self::Points => ("Points", "any steps, for two to eight sides"),
            Self::Basketball => ("Basketball", "quarters, fouls, time-outs, shot clock"),
            Self::Football => ("Football", "halves, cards, added time, shoot-out"),
            Self::IceHockey => ("Ice hockey", "periods, penalties that run, shots"),
            Self::Volleyball => ("Volleyball", "sets to 25, the fifth to 15"),
            Self::BeachVolleyball => ("Beach volleyball", "sets to 21, the third to 15"),
            Self::Badminton => ("Badminton", "games to 21, capped at 30"),
            Self::TableTennis => ("Table tennis", "games to 11, two serves each"),
            Self::Tennis => ("Tennis", "games, sets, tie-breaks"),
            Self::Race => ("Race to frames", "frames, games or legs to a number"),
            Self::Darts => ("Darts", "301, 501 or 701 down to nothing"),
            Self::Series => ("Series", "best of several games, each with a name"),
            Self::Ranking => ("Ranking", "two to fifty entrants in one table"),
        }
    }

    /// Its rules with their standards, in the order in which they are told.
    #[must_use]
    pub fn rules(self) -> &'static [(Rule, i64)] {
        match self {
            Self::Points => &[(Target, 0), (Lead, 1), (Cap, 0), (Flourish, 4)],
            // FIBA art. 8 (time), 18 (time-outs), 29 and 50 (shot clock), 41 (team fouls).
            Self::Basketball => &[
                (Periods, 4),
                (PeriodLength, 600),
                (OvertimeLength, 300),
                (BonusFrom, 5),
                (DoubleBonusFrom, 0),
                (ShotClock, 24),
                (ShotClockAgain, 14),
                (TimeoutsFirstHalf, 2),
                (TimeoutsSecondHalf, 3),
                (TimeoutsLate, 2),
                (TimeoutsOvertime, 1),
                (Flourish, 3),
            ],
            // IFAB laws 3 (substitutions), 7 (time), 10 (shoot-out).
            Self::Football => &[
                (PeriodLength, 2_700),
                (OvertimeLength, 0),
                (GoldenGoal, 0),
                (ShootOut, 0),
                (ShootOutOf, 5),
                (Substitutions, 5),
                (Flourish, 8),
            ],
            // IIHF rules 77 (periods), 84 (overtime and shoot-out), 87 (time-outs).
            Self::IceHockey => &[
                (Periods, 3),
                (PeriodLength, 1_200),
                (OvertimeLength, 300),
                (ShootOut, 1),
                (ShootOutOf, 3),
                (Timeouts, 1),
                (Flourish, 8),
            ],
            // FIVB 6.2, 6.3 (sets and match), 15.1 (time-outs).
            Self::Volleyball => {
                &[(BestOf, 5), (SetPoints, 25), (LastSetPoints, 15), (Lead, 2), (Cap, 0), (Timeouts, 2), (Flourish, 4)]
            }
            // FIVB beach 6.2, 6.3, 15.1: one time-out a set.
            Self::BeachVolleyball => {
                &[(BestOf, 3), (SetPoints, 21), (LastSetPoints, 15), (Lead, 2), (Cap, 0), (Timeouts, 1), (Flourish, 4)]
            }
            // BWF law 7.
            Self::Badminton => {
                &[(BestOf, 3), (SetPoints, 21), (LastSetPoints, 21), (Lead, 2), (Cap, 30), (Flourish, 4)]
            }
            // ITTF 2.11 (game), 2.12 (match), 3.4.4.2 (one time-out a match).
            Self::TableTennis => {
                &[(BestOf, 5), (SetPoints, 11), (LastSetPoints, 11), (Lead, 2), (Cap, 0), (Timeouts, 1), (Flourish, 4)]
            }
            // ITF rules 5, 6 and 7; appendix VI for what may be chosen instead.
            Self::Tennis => &[
                (BestOf, 3),
                (SetGames, 6),
                (TieBreak, 7),
                (LastSet, 0),
                (DecidingPoint, 0),
                (Doubles, 0),
                (Flourish, 4),
            ],
            Self::Race => {
                &[(RaceTo, 5), (FirstBegins, 0), (SecondBegins, 0), (BreakOrder, 0), (FramePoints, 0), (Flourish, 4)]
            }
            Self::Darts => &[(From, 501), (In, 0), (Out, 1), (LegsTo, 3), (SetsTo, 1), (Flourish, 4)],
            Self::Series => &[(BestOf, 5), (Flourish, 5)],
            Self::Ranking => &[(Winner, 0), (Flourish, 0)],
        }
    }

    /// How many sides it has, at least and at most.
    #[must_use]
    pub fn sides(self) -> (usize, usize) {
        match self {
            Self::Points => (2, 8),
            Self::Ranking => (2, 50),
            _ => (2, 2),
        }
    }

    /// Whether a clock belongs to it.
    #[must_use]
    pub fn has_clock(self) -> bool {
        matches!(self, Self::Basketball | Self::Football | Self::IceHockey)
    }
}

/// A sport with its settings.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Rules {
    /// Which sport.
    pub sport: Sport,
    /// What is otherwise than its standard.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    set: BTreeMap<Rule, i64>,
    /// The names of the games of a series.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub games: Vec<String>,
}

impl Rules {
    /// With the standards of a sport.
    #[must_use]
    pub fn of(sport: Sport) -> Self {
        Self { sport, set: BTreeMap::new(), games: Vec::new() }
    }

    /// What holds; 0 for a rule that the sport does not have.
    #[must_use]
    pub fn get(&self, rule: Rule) -> i64 {
        let standard = self.sport.rules().iter().find(|(own, _)| *own == rule);
        standard.map_or(0, |(_, standard)| self.set.get(&rule).copied().unwrap_or(*standard))
    }

    /// The same as a count.
    #[must_use]
    pub fn count(&self, rule: Rule) -> u32 {
        u32::try_from(self.get(rule)).unwrap_or(0)
    }

    /// Whether something is chosen.
    #[must_use]
    pub fn is(&self, rule: Rule) -> bool {
        self.get(rule) > 0
    }

    /// A length in milliseconds.
    #[must_use]
    pub fn ms(&self, rule: Rule) -> i64 {
        self.get(rule).saturating_mul(1_000)
    }

    /// The same with one rule otherwise. None for a rule that the sport does not have, or beyond its bounds.
    #[must_use]
    pub fn with(mut self, rule: Rule, value: i64) -> Option<Self> {
        let (_, standard) = self.sport.rules().iter().find(|(own, _)| *own == rule)?;
        let (least, most) = rule.about().bounds;
        if !(least..=most).contains(&value) {
            return None;
        }
        if value == *standard {
            self.set.remove(&rule)
        } else {
            self.set.insert(rule, value)
        };
        Some(self)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_standard_lies_within_its_bounds_and_every_key_is_its_own() {
        let mut keys = std::collections::BTreeSet::new();
        for sport in Sport::ALL {
            assert!(keys.insert(sport.key()));
            let mut own = std::collections::BTreeSet::new();
            for (rule, standard) in sport.rules() {
                let about = rule.about();
                assert!(own.insert(about.key), "{} twice", about.key);
                assert!((about.bounds.0..=about.bounds.1).contains(standard), "{}", about.key);
                assert_eq!(serde_json::to_value(rule).unwrap(), about.key);
                if let RuleFormat::OneOf(words) = about.format {
                    assert_eq!(about.bounds, (0, i64::try_from(words.len()).unwrap() - 1));
                }
            }
        }
    }

    #[test]
    fn what_is_set_back_to_its_standard_is_not_kept() {
        let rules = Rules::of(Sport::Badminton).with(Rule::Cap, 25).unwrap();
        assert_eq!((rules.get(Rule::Cap), rules.get(Rule::Periods)), (25, 0));
        assert_eq!(rules.with(Rule::Cap, 30), Some(Rules::of(Sport::Badminton)));
        assert_eq!(Rules::of(Sport::Badminton).with(Rule::Periods, 3), None);
        assert_eq!(Rules::of(Sport::Badminton).with(Rule::Cap, -1), None);
    }
}
