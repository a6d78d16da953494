//! What is kept at hand is what would be counted, or found, in the book.

use super::Recent;
use crate::book::Book;
use crate::book::names::key;
use crate::count::*;
use crate::fixtures::settings;
use crate::money::{Currency, Money};
use crate::record::acts::ShowAct;
use crate::record::happening::{Actor, Happening, Tier};
use crate::record::ids::WidgetId;
use crate::record::ids::{FeedId, Seq};
use chrono::TimeDelta;
use proptest::prelude::*;

fn begin() -> Instant {
    "2026-11-24T03:00:00Z".parse().unwrap()
}

#[derive(Debug, Clone)]
enum Op {
    /// So many seconds after, or before, what is the present: something of somebody.
    Add(i64, u8, u8),
    Void(prop::sample::Index, bool),
    Amend(prop::sample::Index, u8, u8),
    Merge(u8, u8, bool),
    Withdraw(bool),
    Rates(u8),
    Show(bool),
    /// So many seconds pass.
    Wait(i64),
}

fn op() -> impl Strategy<Value = Op> {
    let index = any::<prop::sample::Index>;
    prop_oneof![
        12 => (0..4_i64, 0..4_u8, 0..9_u8).prop_map(|(at, who, what)| Op::Add(at, who, what)),
        6 => (-30..0_i64, 0..4_u8, 0..9_u8).prop_map(|(at, who, what)| Op::Add(at, who, what)),
        2 => (-9_000..9_000_i64, 0..4_u8, 0..9_u8).prop_map(|(at, who, what)| Op::Add(at, who, what)),
        2 => (index(), any::<bool>()).prop_map(|(line, voided)| Op::Void(line, voided)),
        1 => (index(), 0..4_u8, 0..9_u8).prop_map(|(line, who, what)| Op::Amend(line, who, what)),
        1 => (0..4_u8, 0..4_u8, any::<bool>()).prop_map(|(from, into, apart)| Op::Merge(from, into, apart)),
        1 => any::<bool>().prop_map(Op::Withdraw),
        1 => (1..9_u8).prop_map(Op::Rates),
        1 => any::<bool>().prop_map(Op::Show),
        3 => (0..20_i64).prop_map(Op::Wait),
        1 => (0..9_000_i64).prop_map(Op::Wait),
    ]
}

fn name(who: u8) -> String {
    ["quietferry", "ninepins", "oatcake_jo", ""][usize::from(who % 4)].to_owned()
}

fn actor(who: u8) -> Actor {
    Actor { id: None, name: name(who), avatar: None, anonymous: who % 4 == 3 }
}

fn money(minor: i64, code: &str) -> Money {
    Money { minor, currency: Currency::parse(code).unwrap() }
}

fn happening(who: u8, what: u8) -> Happening {
    let (actor, tier) = (actor(who), Tier::default());
    match what % 9 {
        0 => Happening::Tip { actor, amount: money(350, "GBP"), message: None },
        1 => Happening::Tip { actor, amount: money(20, "GBP"), message: None },
        2 => Happening::Tip { actor, amount: money(500, "EUR"), message: Some("mind the points".into()) },
        3 => Happening::Cheer { actor, points: 100, message: None },
        4 => Happening::Gift { actor, tier, count: 2 },
        5 => Happening::Sub { actor: self::actor(who + 1), tier, months: None, message: None, gifted_by: Some(actor) },
        6 => Happening::Sub { actor, tier, months: Some(3), message: None, gifted_by: None },
        7 => Happening::Reward { actor, reward: "Tea break".into(), cost: None, input: None },
        _ => Happening::Follow { actor },
    }
}

fn asked() -> Vec<Recent> {
    let all = [
        Measure::CountOfTips,
        Measure::PointsOfCheers,
        Measure::CountOfGifts,
        Measure::CountOfSubs,
        Measure::CountOfFollows,
        Measure::CountOfRewards,
    ];
    let ask = |period: Period, fold: Option<u32>, most: usize, least: i64, measures: &[Measure]| {
        let count = |measure: &Measure| {
            let mut count = Count::of(*measure, period);
            count.only.least = if matches!(measure, Measure::CountOfTips | Measure::CountOfGifts) { least } else { 0 };
            count
        };
        Recent::new(measures.iter().map(count).collect(), fold, most)
    };
    vec![
        ask(Period::AllTime, Some(5), 5, 0, &all),
        ask(Period::AllTime, Some(60), 3, 0, &all),
        ask(Period::AllTime, Some(0), 4, 3, &all),
        ask(Period::AllTime, Some(2), 2, 3, &[Measure::CountOfGifts, Measure::CountOfSubs]),
        ask(Period::Today, Some(5), 50, 100, &all),
        ask(Period::LastHours(1), Some(7), 6, 0, &all),
        ask(Period::ThisShow, Some(3), 3, 0, &all),
        ask(Period::AllTime, None, 2, 100, &[Measure::CountOfTips]),
        ask(Period::LastHours(2), None, 1, 0, &[Measure::CountOfSubs]),
        ask(Period::AllTime, Some(5), 0, 0, &all),
    ]
}

fn counted() -> Vec<Count> {
    let count = |measure, period, keep, least| {
        let only = Filter { least, ..Filter::default() };
        Count { keep, only, ..Count::of(measure, period) }
    };
    let pounds = Measure::AmountOfTips;
    vec![
        count(pounds, Period::AllTime, Keep::Sum, 0),
        count(pounds, Period::AllTime, Keep::People, 100),
        count(pounds, Period::LastHours(1), Keep::People, 0),
        count(pounds, Period::ThisShow, Keep::Largest, 0),
        count(pounds, Period::Today, Keep::Largest, 0),
        count(Measure::DifferentSupporters, Period::AllTime, Keep::Sum, 0),
        count(Measure::DifferentSupporters, Period::LastHours(2), Keep::People, 0),
        count(Measure::PointsOfCheers, Period::LastHours(1), Keep::Sum, 0),
        count(Measure::CountOfSubs, Period::Today, Keep::People, 0),
    ]
}

struct Kept {
    settings: Settings,
    book: Book,
    tallies: Tallies,
    lines: Vec<(Instant, Seq)>,
    now: Instant,
}

impl Kept {
    fn new() -> Self {
        let settings = settings();
        let counts = counted().into_iter().map(|count| (WidgetId(1), count));
        let tallies = Tallies::default().serving(counts, asked());
        Self { book: Book::new(&settings), settings, tallies, lines: Vec::new(), now: begin() }
    }

    fn go(&mut self, op: &Op) {
        let seq = Seq(self.lines.len() as u64 + 1);
        let pick = |index: &prop::sample::Index, lines: &[(Instant, Seq)]| {
            (!lines.is_empty()).then(|| lines[index.index(lines.len())])
        };
        let change = match op {
            Op::Add(after, who, what) => {
                let at = self.now + TimeDelta::seconds(*after);
                self.now = self.now.max(at.min(self.now + TimeDelta::seconds(4)));
                self.lines.push((at, seq));
                Some(self.book.add(at, seq, Some(FeedId(1 + u32::from(*what % 3 == 0))), &happening(*who, *what)))
            }
            Op::Void(line, voided) => pick(line, &self.lines).map(|(at, seq)| self.book.void(at, seq, *voided)),
            Op::Amend(line, who, what) => {
                pick(line, &self.lines).map(|(at, seq)| self.book.amend(at, seq, &happening(*who, *what)))
            }
            Op::Merge(from, into, apart) => {
                let into = (!apart).then(|| key(None, &name(*into % 3)));
                Some(self.book.merge(&key(None, &name(*from % 3)), into.as_deref()))
            }
            Op::Withdraw(withdrawn) => Some(self.book.withdraw(FeedId(2), *withdrawn)),
            Op::Rates(percent) => {
                let day = self.now.date_naive() - TimeDelta::days(1);
                let table = [("GBP".to_owned(), rust_decimal::Decimal::new(i64::from(*percent), 1))];
                Some(self.book.rates_came(&[(day, table.into())].into()))
            }
            Op::Show(begins) => {
                let act = if *begins { ShowAct::Begin } else { ShowAct::End };
                self.lines.push((self.now, seq));
                Some(self.book.show(seq, self.now, &act, "odile"))
            }
            Op::Wait(seconds) => {
                self.now += TimeDelta::seconds(*seconds);
                None
            }
        };
        if let Some(change) = change {
            self.tallies.take(&change, &self.book, &self.settings);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1_000, ..ProptestConfig::default() })]

    #[test]
    fn what_is_at_hand_is_what_stands_in_the_book(ops in prop::collection::vec((op(), any::<bool>()), 1..90)) {
        let mut kept = Kept::new();
        for (op, look) in ops {
            kept.go(&op);
            if !look {
                continue;
            }
            let Kept { settings, book, tallies, now, .. } = &mut kept;
            tallies.turn(book, settings, *now);
            for recent in asked() {
                let at_hand = tallies.recent(&recent, book, settings, *now);
                prop_assert_eq!(at_hand, recent.look(book, settings, *now), "{:?}", recent);
            }
            for count in counted() {
                let span = count.span(settings, book, *now);
                let counted = count.recount(span, book, settings);
                let first = tallies.first(&count, span, book, settings);
                prop_assert_eq!(first, count.first(span, book, settings), "{:?}", count);
                let at_hand = tallies.get(&count, book, settings, *now);
                prop_assert_eq!(at_hand, counted.figures(), "{:?}", count);
                let ranking = tallies.ranking(&count, 9, book, settings, *now);
                prop_assert_eq!(ranking, counted.ranking(9), "{:?}", count);
            }
        }
    }
}
