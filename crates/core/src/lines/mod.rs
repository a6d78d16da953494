//! How entries are told in lines: which kinds, from what size on, in which words, and how a burst
//! becomes one line.

use crate::book::Fact;
use crate::count::recent::{Burst, Recent};
use crate::count::{Count, Scope};
use crate::language::unit::Unit;
use crate::language::{Language, age_changes_at};
use crate::money::Money;
use crate::money::conversion::Conversion;
use crate::record::happening::Kind;
use crate::record::measure::Measure;
use crate::sentence::{EditError, Editor, Part, input};
use crate::template::{self, Run, Values};
use crate::time::calendar::Period;
use crate::time::{Instant, before};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Whom samples name, some in other scripts.
pub(crate) const SAMPLE_NAMES: [&str; 20] = [
    "pinecone_ade",
    "quietferry",
    "moss_and_marl",
    "tinplate_ruth",
    "ninepins",
    "kestrel_oak",
    "oatcake_jo",
    "lamplit_sam",
    "semaphore_sue",
    "dusty_bogie",
    "駅長🚂",
    "Zażółć",
    "Стрелочник",
    "brass_whistle",
    "fog_signal",
    "clinker_kit",
    "Ευγενία",
    "ballast_bea",
    "gauge_one",
    "halt_hana",
];

mod values;
mod words;

/// See the module.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LineFormat {
    /// The words for every kind that has none of its own; empty for the standard ones.
    #[serde(default)]
    pub common: String,
    /// What is different for a kind; one that is not named is off.
    pub kinds: BTreeMap<Kind, KindFormat>,
}

/// How one kind is told.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct KindFormat {
    /// Kept, but not told.
    pub off: bool,
    /// Not told below this amount, number of points, viewers, gifts or things.
    pub least: i64,
    /// Its words; empty for the common ones.
    pub template: String,
}

/// What is told in one line.
#[derive(Debug, Clone, PartialEq)]
pub struct LineValues {
    /// The first of its lines in the ledger: stays the same while it grows.
    pub key: u64,
    /// How it is told.
    pub kind: Kind,
    /// When the newest of its entries happened.
    pub at: Instant,
    /// What stands in its places.
    pub values: Values,
}

/// A line as it is shown.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Line {
    /// Stays the same while it is shown.
    pub key: u64,
    /// Of which kind.
    pub kind: Kind,
    /// Its text.
    pub runs: Vec<Run>,
    /// When it happened.
    pub at: Instant,
}

impl Line {
    /// The text without emphasis.
    #[must_use]
    pub fn text(&self) -> String {
        template::plain(&self.runs)
    }
}

impl LineFormat {
    /// The kinds that can be told.
    pub const KINDS: [Kind; 8] =
        [Kind::Follow, Kind::Sub, Kind::Gift, Kind::Tip, Kind::Cheer, Kind::Raid, Kind::Reward, Kind::Purchase];

    /// Of these kinds, in the standard words.
    #[must_use]
    pub fn of(kinds: &[Kind]) -> Self {
        Self { common: String::new(), kinds: kinds.iter().map(|kind| (*kind, KindFormat::default())).collect() }
    }

    /// The kinds that are told.
    pub fn shown_kinds(&self) -> impl Iterator<Item = Kind> {
        self.kinds.iter().filter(|(_, format)| !format.off).map(|(kind, _)| *kind)
    }

    /// What each kind that is told counts.
    #[must_use]
    pub fn counts(&self, period: Period) -> Vec<Count> {
        let count = |(kind, format): (&Kind, &KindFormat)| {
            let mut count = Count::of(measure(*kind), period);
            count.only.least = format.least;
            count
        };
        self.kinds.iter().filter(|(_, format)| !format.off).map(count).collect()
    }

    /// The newest entries of a period that it tells. With a length in seconds, the same supporter's
    /// entries of a kind within it become one.
    #[must_use]
    pub fn recent(&self, period: Period, fold: u32, most: u32) -> Recent {
        Recent::new(self.counts(period), Some(fold), most as usize)
    }

    /// When the lines of a period next change without any entry; `told` are those on show.
    #[must_use]
    pub fn wakes_at(&self, period: Period, told: &[Burst], scope: &Scope<'_>) -> Option<Instant> {
        let counts = self.counts(period);
        let turns = counts.iter().filter_map(|count| scope.wakes_at(count));
        let ages = told.iter().filter(|_| self.ages()).map(|one| age_changes_at(one.at(), scope.now));
        turns.chain(ages).min()
    }

    /// Entries in lines of words.
    #[must_use]
    pub fn lines(&self, told: &[Burst], scope: &Scope<'_>) -> Vec<Line> {
        told.iter().filter_map(|burst| Some(self.line(&values::of(burst, scope)?, scope))).collect()
    }

    /// A line in words.
    #[must_use]
    pub fn line(&self, told: &LineValues, scope: &Scope<'_>) -> Line {
        let standard = words::standard(scope.language, told.kind);
        let own = self.kinds.get(&told.kind).map_or("", |format| format.template.as_str());
        let source = [own, self.common.as_str(), standard].into_iter().find(|one| !one.is_empty()).unwrap_or(standard);
        let runs = template::write(source, standard, &told.values, scope.locale());
        Line { key: told.key, kind: told.kind, runs, at: told.at }
    }

    /// Whether any line says how long ago it was, so that it changes by itself.
    #[must_use]
    pub fn ages(&self) -> bool {
        let own = self.kinds.values().map(|format| &format.template);
        own.chain([&self.common]).any(|source| template::mentions(source, "ago"))
    }

    /// The words of a kind where it has none of its own.
    #[must_use]
    pub fn fallback(&self, kind: Kind, language: Language) -> &str {
        if self.common.is_empty() { words::standard(language, kind) } else { &self.common }
    }

    /// Made-up lines, oldest first: one of each kind that is shown.
    #[must_use]
    pub fn sample(&self, scope: &Scope<'_>) -> Vec<LineValues> {
        let kinds: Vec<Kind> = self.shown_kinds().collect();
        let line = |(index, kind): (usize, Kind)| {
            let minutes = i64::try_from(kinds.len().saturating_sub(index)).unwrap_or(1).saturating_mul(3);
            sample(kind, index, before(scope.now, chrono::TimeDelta::minutes(minutes)), scope)
        };
        kinds.iter().copied().enumerate().map(line).collect()
    }

    /// The part of a sentence that names the kinds.
    #[must_use]
    pub fn part(&self) -> Part {
        let kinds: Vec<Kind> = self.shown_kinds().collect();
        let shown = match kinds.as_slice() {
            [] => "nothing".to_owned(),
            [one] => one.plural().to_owned(),
            [rest @ .., last] => {
                let rest: Vec<&str> = rest.iter().map(|kind| kind.plural()).collect();
                format!("{} and {}", rest.join(", "), last.plural())
            }
        };
        let option = |kind: Kind| (kind.key().to_owned(), kind.plural().to_owned(), kinds.contains(&kind));
        Part::field("kinds", KINDS, shown, Editor::Several { options: Self::KINDS.into_iter().map(option).collect() })
    }

    /// Changes something: `kinds`, `common`, or `line:<kind>:on|least|template`. False if there is
    /// no such part.
    ///
    /// # Errors
    /// A value that the part does not take.
    pub fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<bool, EditError> {
        match key {
            "kinds" => {
                let wanted: Vec<&str> = text.split(',').map(str::trim).filter(|key| !key.is_empty()).collect();
                if let Some(unknown) = wanted.iter().find(|key| !Self::KINDS.iter().any(|kind| kind.key() == **key)) {
                    return Err(input(KINDS, text).refuse(format!("has no “{unknown}”; pick from the list")));
                }
                for kind in Self::KINDS {
                    self.switch(kind, wanted.contains(&kind.key()));
                }
            }
            "common" => self.common = checked(text)?,
            _ => {
                let Some((kind, what)) = key.strip_prefix("line:").and_then(|rest| rest.split_once(':')) else {
                    return Ok(false);
                };
                let Some(kind) = Self::KINDS.into_iter().find(|one| one.key() == kind) else { return Ok(false) };
                match what {
                    "on" => self.switch(kind, text == "on"),
                    "least" => {
                        let least = if text.trim().is_empty() {
                            0
                        } else {
                            input("The minimum", text).in_unit(least_unit(kind, scope), 0)?
                        };
                        self.kinds.entry(kind).or_insert_with(KindFormat::away).least = least;
                    }
                    "template" => {
                        let template = checked(text)?;
                        self.kinds.entry(kind).or_insert_with(KindFormat::away).template = template;
                    }
                    _ => return Ok(false),
                }
            }
        }
        Ok(true)
    }

    /// Tells what was set in money in another currency.
    pub fn convert(&mut self, by: &Conversion) {
        if let Some(format) = self.kinds.get_mut(&Kind::Tip) {
            format.least = by.amount(format.least);
        }
    }

    fn switch(&mut self, kind: Kind, on: bool) {
        if on || self.kinds.contains_key(&kind) {
            self.kinds.entry(kind).or_default().off = !on;
        }
    }
}

const KINDS: &str = "The kinds shown";

impl KindFormat {
    fn away() -> Self {
        Self { off: true, ..Self::default() }
    }
}

/// A template that may be empty.
///
/// # Errors
/// It is wrong, with line and column.
pub fn checked(text: &str) -> Result<String, EditError> {
    let text = text.trim();
    template::check(text).map_err(|error| input("The text", text).refuse(error.to_string()))?;
    Ok(text.to_owned())
}

/// What a kind is counted by where it is told.
fn measure(kind: Kind) -> Measure {
    match kind {
        Kind::Sub => Measure::CountOfSubs,
        Kind::Gift => Measure::CountOfGifts,
        Kind::Tip => Measure::CountOfTips,
        Kind::Cheer => Measure::PointsOfCheers,
        Kind::Raid => Measure::ViewersOfRaids,
        Kind::Reward => Measure::CountOfRewards,
        Kind::Purchase => Measure::CountOfPurchases,
        Kind::Command => Measure::CountOfCommands,
        Kind::Follow | Kind::Gauge | Kind::Stat | Kind::Signal | Kind::Adjust | Kind::Poll => Measure::CountOfFollows,
    }
}

/// In what the least of a kind is told; follows, subscriptions and rewards have no size.
#[must_use]
pub fn least_unit(kind: Kind, scope: &Scope<'_>) -> Unit {
    if kind == Kind::Tip { Unit::Money(scope.settings.currency) } else { Unit::Things }
}

/// Whether a kind has a size, so that small ones can be left out.
#[must_use]
pub fn has_size(kind: Kind) -> bool {
    matches!(kind, Kind::Gift | Kind::Tip | Kind::Cheer | Kind::Raid | Kind::Purchase)
}

/// What stands in the places of a template about one entry.
#[must_use]
pub fn fact_values(fact: &Fact, scope: &Scope<'_>) -> Values {
    values::of(&Burst::alone(fact, scope.book), scope).map(|line| line.values).unwrap_or_default()
}

/// A line made up for trying a look.
fn sample(kind: Kind, index: usize, at: Instant, scope: &Scope<'_>) -> LineValues {
    let money = Money {
        minor: 10_i64.pow(u32::from(scope.settings.currency.decimals())).saturating_mul(25) / 2,
        currency: scope.settings.currency,
    };
    let (amount, number) = match kind {
        Kind::Tip => (scope.language.money(money), 0),
        Kind::Gift => (scope.language.number(20), 20),
        Kind::Cheer => (scope.language.number(500), 500),
        Kind::Raid => (scope.language.number(77), 77),
        _ => (String::new(), 1),
    };
    let values = Values {
        name: SAMPLE_NAMES.iter().cycle().nth(index).copied().unwrap_or_default().to_owned(),
        amount,
        figure: template::figure(Unit::Things, number),
        count: number,
        points: number,
        viewers: number,
        giver: String::new(),
        kind: words::kind(scope.language, kind).to_owned(),
        ago: scope.language.ago(scope.now.signed_duration_since(at).num_seconds()),
        item: if kind == Kind::Reward { "Tea break".into() } else { "Enamel mug".into() },
        ..template::sample()
    };
    LineValues { key: (index as u64).saturating_add(1), kind, at, values }
}

#[cfg(test)]
mod tests;
