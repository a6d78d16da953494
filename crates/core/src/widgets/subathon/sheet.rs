//! The rate sheet: what adds how much.

use crate::book::{Book, Coins, Fact, What};
use crate::language::unit::Unit;
use crate::record::happening::Kind;
use crate::record::measure::Measure;
use crate::record::settings::Settings;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt;

/// The most that one step of a row may add, in milliseconds: 100 days.
pub const MOST_MS: i64 = 100 * 24 * 3_600 * 1_000;

/// What a row is about. Written as text: `tip`, `sub2`, `reward:Hydrate`.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub enum Row {
    /// Each follow.
    Follow,
    /// Each new subscription of a tier, 1 to 3.
    Sub(u8),
    /// Each renewed one; where it has no row of its own, the row of new ones counts.
    Renewal(u8),
    /// Each subscription given away. While this row is on, given subscriptions add nothing by their own rows.
    Gift,
    /// Tips, by the channel's currency.
    Tip,
    /// Cheers, by points.
    Cheer,
    /// Each raid.
    Raid,
    /// Each viewer of a raid.
    RaidViewer,
    /// Each thing bought.
    Purchase,
    /// Each reward of that name.
    Reward(String),
    /// Each signal of that name.
    Signal(String),
    /// Each time that word is said in chat.
    Command(String),
}

impl fmt::Display for Row {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Follow => f.write_str("follow"),
            Self::Sub(tier) => write!(f, "sub{tier}"),
            Self::Renewal(tier) => write!(f, "renewal{tier}"),
            Self::Gift => f.write_str("gift"),
            Self::Tip => f.write_str("tip"),
            Self::Cheer => f.write_str("cheer"),
            Self::Raid => f.write_str("raid"),
            Self::RaidViewer => f.write_str("raid_viewer"),
            Self::Purchase => f.write_str("purchase"),
            Self::Reward(name) => write!(f, "reward:{name}"),
            Self::Signal(name) => write!(f, "signal:{name}"),
            Self::Command(word) => write!(f, "command:{word}"),
        }
    }
}

impl From<Row> for String {
    fn from(row: Row) -> Self {
        row.to_string()
    }
}

impl TryFrom<String> for Row {
    type Error = &'static str;
    fn try_from(text: String) -> Result<Self, Self::Error> {
        let fixed = Self::FIXED.into_iter().find(|row| row.to_string() == text);
        let named = || match text.split_once(':') {
            Some(("reward", name)) if !name.is_empty() => Some(Self::Reward(name.to_owned())),
            Some(("signal", name)) if !name.is_empty() => Some(Self::Signal(name.to_owned())),
            Some(("command", word)) if !word.is_empty() => Some(Self::Command(word.to_owned())),
            _ => None,
        };
        fixed.or_else(named).ok_or("there is no such row on a rate sheet")
    }
}

impl Row {
    /// The rows that have no name of the streamer's, in the order in which they are shown.
    pub const FIXED: [Self; 13] = [
        Self::Tip,
        Self::Sub(1),
        Self::Sub(2),
        Self::Sub(3),
        Self::Renewal(1),
        Self::Renewal(2),
        Self::Renewal(3),
        Self::Gift,
        Self::Cheer,
        Self::Follow,
        Self::Raid,
        Self::RaidViewer,
        Self::Purchase,
    ];

    /// What adds time, in words that follow “each”.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Follow => "follow".into(),
            Self::Sub(tier) => format!("new subscription, tier {tier}"),
            Self::Renewal(tier) => format!("renewal, tier {tier}"),
            Self::Gift => "subscription given".into(),
            Self::Tip => "tip".into(),
            Self::Cheer => "cheer".into(),
            Self::Raid => "raid".into(),
            Self::RaidViewer => "viewer of a raid".into(),
            Self::Purchase => "thing bought".into(),
            Self::Reward(name) => format!("reward “{name}”"),
            Self::Signal(name) => format!("signal “{name}”"),
            Self::Command(word) => format!("{word} in chat"),
        }
    }

    /// In what the size of one happening is measured.
    #[must_use]
    pub fn unit(&self, settings: &Settings) -> Unit {
        if *self == Self::Tip { Unit::Money(settings.currency) } else { Unit::Things }
    }

    /// The measure that counts what it is about.
    #[must_use]
    pub fn measure(&self) -> Measure {
        match self {
            Self::Follow => Measure::CountOfFollows,
            Self::Sub(_) | Self::Renewal(_) => Measure::CountOfSubs,
            Self::Gift => Measure::CountOfGifts,
            Self::Tip => Measure::AmountOfTips,
            Self::Cheer => Measure::PointsOfCheers,
            Self::Raid => Measure::CountOfRaids,
            Self::RaidViewer => Measure::ViewersOfRaids,
            Self::Purchase => Measure::CountOfPurchases,
            Self::Reward(_) => Measure::CountOfRewards,
            Self::Signal(_) => Measure::CountOfSignals,
            Self::Command(_) => Measure::CountOfCommands,
        }
    }

    /// Of a reward's row, its name.
    #[must_use]
    pub fn reward(&self) -> Option<&str> {
        if let Self::Reward(name) = self { Some(name) } else { None }
    }

    /// Of a signal's row, its name.
    #[must_use]
    pub fn signal(&self) -> Option<&str> {
        if let Self::Signal(name) = self { Some(name) } else { None }
    }

    /// Of a row of a word in chat, that word.
    #[must_use]
    pub fn command(&self) -> Option<&str> {
        if let Self::Command(word) = self { Some(word) } else { None }
    }

    /// Whether it bears a name of the streamer's.
    #[must_use]
    pub fn is_named(&self) -> bool {
        matches!(self, Self::Reward(_) | Self::Signal(_) | Self::Command(_))
    }

    /// Whether happenings of it differ in size, so that a row needs a step and a way of rounding.
    #[must_use]
    pub fn is_sized(&self) -> bool {
        matches!(self, Self::Tip | Self::Cheer | Self::RaidViewer | Self::Gift | Self::Purchase)
    }
}

/// How a size becomes time.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Rounding {
    /// In proportion, rounded half-even to the millisecond.
    #[default]
    ProRata,
    /// Whole steps only.
    Steps,
    /// Whole steps, and what is left over of a supporter counts with what they give next. Nobody can be told
    /// apart who is not named, so their rest is lost.
    StepsCarried,
}

impl Rounding {
    /// All, in the order in which they are offered.
    pub const ALL: [Self; 3] = [Self::ProRata, Self::Steps, Self::StepsCarried];

    /// The word for definitions and forms.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::ProRata => "pro_rata",
            Self::Steps => "steps",
            Self::StepsCarried => "steps_carried",
        }
    }

    /// In words.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::ProRata => "in proportion",
            Self::Steps => "whole steps only",
            Self::StepsCarried => "whole steps, rest kept",
        }
    }
}

/// What one row says.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Rate {
    /// Whether it counts.
    pub on: bool,
    /// Whether it takes time away instead.
    #[serde(default)]
    pub takes: bool,
    /// Milliseconds for each step.
    pub ms: i64,
    /// The size of a step, in the row's smallest unit.
    pub step: i64,
    /// Smaller ones add nothing, in the row's smallest unit.
    #[serde(default)]
    pub least: i64,
    /// How sizes between steps count.
    #[serde(default)]
    pub rounding: Rounding,
    /// Of a word in chat: seconds for which it is not heard again from the same viewer.
    #[serde(default = "Rate::standard_rest")]
    pub rest_s: i64,
}

impl Rate {
    /// So many seconds for each step.
    #[must_use]
    pub fn of(seconds: i64, step: i64) -> Self {
        let ms = seconds.saturating_mul(1_000);
        let rest_s = Self::standard_rest();
        Self { on: true, takes: false, ms, step, least: 0, rounding: Rounding::ProRata, rest_s }
    }

    /// A minute: often enough for whoever means it, and no way to talk a clock up.
    fn standard_rest() -> i64 {
        60
    }

    /// What a size comes to in milliseconds, always at least 0, and what is carried on from what was carried before.
    #[must_use]
    pub fn compute(&self, size: i64, carried: i64) -> (i64, i64) {
        let step = self.step.max(1);
        match self.rounding {
            Rounding::ProRata => (half_even(i128::from(self.ms).saturating_mul(size.into()), step.into()), carried),
            Rounding::Steps => (size.checked_div(step).unwrap_or(0).saturating_mul(self.ms), carried),
            Rounding::StepsCarried => {
                let all = size.saturating_add(carried);
                (all.checked_div(step).unwrap_or(0).saturating_mul(self.ms), all.checked_rem(step).unwrap_or(0))
            }
        }
    }
}

/// A quotient rounded to the nearest whole number, halves to the even one.
#[must_use]
pub fn half_even(number: i128, by: i128) -> i64 {
    let by = by.max(1);
    let (whole, rest) = (number.div_euclid(by), number.rem_euclid(by));
    let twice = rest.saturating_mul(2);
    let up = twice > by || (twice == by && whole.rem_euclid(2) == 1);
    i64::try_from(whole.saturating_add(i128::from(up))).unwrap_or(if number < 0 { i64::MIN } else { i64::MAX })
}

/// All rows that have been filled in.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Sheet(pub BTreeMap<Row, Rate>);

/// A happening as a row sees it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fits<'a> {
    /// By which row.
    pub row: &'a Row,
    /// What that row says.
    pub rate: &'a Rate,
    /// How large it is, in the row's smallest unit.
    pub size: i64,
}

impl Sheet {
    /// The kinds of happenings that any row is about, as bits.
    #[must_use]
    pub fn kinds() -> u16 {
        let kinds = [
            Kind::Follow,
            Kind::Sub,
            Kind::Gift,
            Kind::Tip,
            Kind::Cheer,
            Kind::Raid,
            Kind::Reward,
            Kind::Purchase,
            Kind::Signal,
            Kind::Command,
        ];
        kinds.into_iter().fold(0, |bits, kind| bits | kind.bit())
    }

    fn on(&self, row: &Row) -> Option<(&Row, &Rate)> {
        self.0.get_key_value(row).filter(|(_, rate)| rate.on)
    }

    fn named(&self, name: &str, of: fn(&Row) -> Option<&str>) -> Option<(&Row, &Rate)> {
        let mut rows = self.0.iter().filter(|(_, rate)| rate.on);
        rows.find(|(row, _)| of(row).is_some_and(|own| own.to_lowercase() == name.to_lowercase()))
    }

    /// The rows that a happening adds by, each with its size: at most two, of a raid. One that has no price yet,
    /// and one below a row's least size, adds by none.
    pub fn fitting<'a>(&'a self, fact: &Fact, book: &Book) -> impl Iterator<Item = Fits<'a>> {
        let one = |found: Option<(&'a Row, &'a Rate)>, size: i64| [found.map(|found| (found, size)), None];
        let found = match &fact.what {
            What::Follow => one(self.on(&Row::Follow), 1),
            What::Sub { giver: Some(_), .. } if self.on(&Row::Gift).is_some() => [None, None],
            What::Sub { tier, months, .. } => {
                let tier = u8::from(*tier);
                let own = months.is_some_and(|months| months > 1).then(|| self.0.get_key_value(&Row::Renewal(tier)));
                match own.flatten() {
                    Some((row, rate)) => one(Some((row, rate)).filter(|(_, rate)| rate.on), 1),
                    None => one(self.on(&Row::Sub(tier)), 1),
                }
            }
            What::Gift { count, .. } => one(self.on(&Row::Gift), i64::from(*count)),
            What::Tip { money } => match Coins::priced(*money) {
                Some(minor) => one(self.on(&Row::Tip), minor),
                None => [None, None],
            },
            What::Cheer { points } => one(self.on(&Row::Cheer), i64::from(*points)),
            What::Raid { viewers } => {
                let by_viewer = self.on(&Row::RaidViewer).map(|found| (found, i64::from(*viewers)));
                [self.on(&Row::Raid).map(|found| (found, 1)), by_viewer]
            }
            What::Reward { reward, .. } => one(self.named(book.words().get(*reward), Row::reward), 1),
            What::Purchase { quantity, .. } => one(self.on(&Row::Purchase), i64::from(*quantity)),
            What::Signal { signal, .. } => one(self.named(book.words().get(*signal), Row::signal), 1),
            What::Command { word } => one(self.named(book.words().get(*word), Row::command), 1),
            What::Gauge { .. } | What::Stat { .. } | What::Adjust { .. } | What::Poll { .. } => [None, None],
        };
        let fits = found.into_iter().flatten().map(|((row, rate), size)| Fits { row, rate, size });
        fits.filter(|fits| fits.size >= fits.rate.least)
    }

    /// What a row gives, exactly: so many milliseconds for so much of worth, in minor units; none where a row or a worth is missing.
    #[must_use]
    pub fn exact(&self, row: &Row, worth: i64) -> Option<(i128, i128)> {
        let rate = self.0.get(row).filter(|rate| rate.on && !rate.takes && worth > 0)?;
        Some((rate.ms.into(), worth.into()))
    }

    /// Milliseconds for one of the channel's currency, by the row's worth; none where a row or a worth is missing.
    #[must_use]
    pub fn ms_per_unit(&self, row: &Row, worth: i64, settings: &Settings) -> Option<i64> {
        let (ms, worth) = self.exact(row, worth)?;
        let whole = Unit::Money(settings.currency).whole();
        Some(half_even(ms.saturating_mul(whole.into()), worth))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn rows_are_written_as_text_and_read_again() {
        let named = [Row::Reward("Hydrate: now".into()), Row::Signal("deploy".into()), Row::Command("!coal".into())];
        for row in Row::FIXED.into_iter().chain(named) {
            assert_eq!(Row::try_from(row.to_string()), Ok(row));
        }
        assert!(Row::try_from("reward:".to_owned()).is_err());
        assert!(Row::try_from("sub4".to_owned()).is_err());
    }

    #[test]
    fn three_ways_of_rounding() {
        let rate = |rounding| Rate { rounding, ..Rate::of(30, 500) };
        assert_eq!(rate(Rounding::ProRata).compute(750, 0), (45_000, 0));
        assert_eq!(rate(Rounding::Steps).compute(750, 0), (30_000, 0));
        assert_eq!(rate(Rounding::StepsCarried).compute(750, 300), (60_000, 50));
        // Halves go to the even one: 0.5 ms, 1.5 ms, 2.5 ms.
        let fine = Rate { ms: 1, ..Rate::of(0, 2) };
        assert_eq!([1, 3, 5].map(|size| fine.compute(size, 0).0), [0, 2, 2]);
    }

    proptest! {
        #[test]
        fn carried_rests_lose_nothing(sizes in prop::collection::vec(0_i64..10_000, 1..30), step in 1_i64..700) {
            let rate = Rate { rounding: Rounding::StepsCarried, ..Rate::of(7, step) };
            let (mut sum, mut carry) = (0, 0);
            for size in &sizes {
                let (ms, rest) = rate.compute(*size, carry);
                (sum, carry) = (sum + ms, rest);
            }
            let all: i64 = sizes.iter().sum();
            prop_assert_eq!((sum, carry), (all / step * 7_000, all % step));
        }

        #[test]
        fn no_rate_and_no_size_overflows(ms in any::<i64>(), step in any::<i64>(), size in any::<i64>(), carried in any::<i64>()) {
            for rounding in Rounding::ALL {
                let _ = Rate { ms, step, rounding, ..Rate::of(1, 1) }.compute(size, carried);
            }
        }
    }
}
