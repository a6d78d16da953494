//! Something make-believe that a count would take, for rehearsing.

use super::{Count, What};
use crate::money::Money;
use crate::record::happening::{Actor, Happening, Kind, Tier};
use crate::record::measure::Measure;
use crate::record::settings::Settings;

/// Whoever does it where the count does not ask for certain people.
const SOMEBODY: &str = "Somebody rehearsing";

impl Count {
    /// A happening that this count would take, as far as its filter goes; whether the period is open
    /// now is another matter.
    #[must_use]
    pub fn example(&self, settings: &Settings) -> Happening {
        let only = &self.only;
        let named = only.people.first().filter(|_| !only.but_people);
        let person = |name: &str| Actor { id: None, name: name.into(), avatar: None, anonymous: false };
        let actor = person(named.map_or(SOMEBODY, String::as_str));
        let tier = only.tiers.first().and_then(|tier| Tier::try_from(*tier).ok()).unwrap_or_default();
        let number = u32::try_from(only.least.max(1)).unwrap_or(u32::MAX);
        // Five whole ones of the currency, or the least if that is more.
        let whole = 10_i64.pow(u32::from(settings.currency.decimals()));
        let amount = Money { minor: only.least.max(whole.saturating_mul(5)), currency: settings.currency };
        let message = Some(only.saying.clone()).filter(|word| !word.is_empty());
        let kind = match &self.what {
            What::Sum(measure) | What::Running { measure, .. } => measure.kinds().first().copied(),
            What::Level(name) => return Happening::Gauge { name: name.clone(), value: 1 },
            What::Statistic(name) => {
                return Happening::Stat { player: actor.name, character: None, stat: name.clone(), total: 1 };
            }
        };
        match kind.unwrap_or(Kind::Signal) {
            Kind::Follow => Happening::Follow { actor },
            Kind::Sub => Happening::Sub {
                actor,
                tier,
                months: None,
                message,
                gifted_by: (only.given == Some(true)).then(|| person(SOMEBODY)),
            },
            Kind::Gift => Happening::Gift { actor, tier, count: number },
            Kind::Tip => Happening::Tip { actor, amount, message },
            Kind::Cheer => Happening::Cheer { actor, points: number, message },
            Kind::Raid => Happening::Raid { actor, viewers: number },
            Kind::Reward => Happening::Reward { actor, reward: "Whistle".into(), cost: None, input: message },
            Kind::Purchase => {
                let amount = Some(amount).filter(|_| self.what == What::Sum(Measure::AmountOfPurchases));
                Happening::Purchase { actor, item: "Enamel mug".into(), quantity: number, amount }
            }
            Kind::Command => Happening::Command { actor, word: "!whistle".into(), text: message },
            Kind::Gauge | Kind::Stat | Kind::Signal | Kind::Adjust | Kind::Poll => {
                Happening::Signal { name: "whistle".into(), value: None, text: None }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::book::Book;
    use crate::count::{Filter, Verdict};
    use crate::fixtures::settings;
    use crate::record::ids::Seq;
    use crate::time::calendar::{Period, Span};

    #[test]
    fn an_example_of_what_a_count_takes_is_taken() {
        let filters = [
            Filter::default(),
            Filter { people: vec!["bram".into()], ..Filter::default() },
            Filter { people: vec!["bram".into()], but_people: true, ..Filter::default() },
        ];
        let narrow = Filter { least: 1_200, ..Filter::default() };
        let only_subs = Filter { tiers: [3].into(), given: Some(true), saying: "choo".into(), ..Filter::default() };
        let mut counts: Vec<Count> = Vec::new();
        for measure in Measure::ALL {
            let of = |only: Filter| Count { only, ..Count::of(measure, Period::AllTime) };
            counts.extend(filters.iter().filter(|_| measure != Measure::CountOfSignals).cloned().map(of));
            match measure.kinds() {
                [Kind::Tip | Kind::Cheer | Kind::Raid | Kind::Gift] => counts.push(of(narrow.clone())),
                [Kind::Sub] => counts.push(of(only_subs.clone())),
                _ => {}
            }
        }
        let of_what = |what| Count { what, ..Count::of(Measure::CountOfTips, Period::AllTime) };
        counts.extend([What::Level("viewers".into()), What::Statistic("deliveries".into())].map(of_what));
        let settings = settings();
        for count in counts {
            let mut book = Book::new(&settings);
            let at = "2026-11-24T19:00:00Z".parse().unwrap();
            book.add(at, Seq(1), None, &count.example(&settings));
            let fact = book.find(at, Seq(1)).unwrap();
            let verdict = count.judge(fact, Span::ALL, &book, &settings);
            assert!(matches!(verdict, Verdict::Counts(_)), "{count:?}: {verdict:?}");
        }
    }
}
