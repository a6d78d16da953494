use super::*;
use crate::fixtures::{World, entry};
use crate::money::Currency;
use crate::record::entry::{Body, Entry};
use crate::record::happening::{Actor, Happening, Tier};
use crate::time::calendar::Span;
use chrono::TimeDelta;
use proptest::prelude::*;

fn begin() -> Instant {
    "2026-11-24T19:00:00Z".parse().unwrap()
}

fn by(name: &str) -> Actor {
    Actor { id: None, name: name.into(), avatar: None, anonymous: name.is_empty() }
}

fn pounds(minor: i64, code: &str) -> Money {
    Money { minor, currency: Currency::parse(code).unwrap() }
}

fn tip(name: &str, minor: i64, code: &str) -> Happening {
    Happening::Tip { actor: by(name), amount: pounds(minor, code), message: None }
}

fn gift(name: &str, count: u32) -> Happening {
    Happening::Gift { actor: by(name), tier: Tier::default(), count }
}

fn given(name: &str, giver: &str) -> Happening {
    let (tier, months, message) = (Tier::default(), None, None);
    Happening::Sub { actor: by(name), tier, months, message, gifted_by: Some(by(giver)) }
}

fn cheer(name: &str, points: u32) -> Happening {
    Happening::Cheer { actor: by(name), points, message: None }
}

/// What happens at so many seconds after the beginning.
fn after(happenings: Vec<(i64, Happening)>) -> World {
    let entry = |(seq, (second, happening)): (u64, (i64, Happening))| -> Entry {
        entry(seq, begin() + TimeDelta::seconds(second), Body::Happening(happening))
    };
    World::after(&(1..).zip(happenings).map(entry).collect::<Vec<_>>())
}

fn texts(format: &LineFormat, fold: u32, world: &World) -> Vec<String> {
    let scope = world.scope(begin() + TimeDelta::hours(1));
    let told = scope.recent(&format.recent(Period::AllTime, fold, 50));
    format.lines(&told, &scope).iter().map(Line::text).collect()
}

#[test]
fn each_kind_is_told_in_its_own_words() {
    let sub = |months| Happening::Sub {
        actor: by("ninepins"),
        tier: Tier::default(),
        months: Some(months),
        message: None,
        gifted_by: None,
    };
    let world = after(vec![
        (0, Happening::Follow { actor: by("quietferry") }),
        (1, sub(1)),
        (2, sub(9)),
        (3, tip("kestrel_oak", 1_250, "EUR")),
        (4, cheer("oatcake_jo", 1_500)),
        (5, Happening::Raid { actor: by("lamplit_sam"), viewers: 77 }),
        (6, Happening::Reward { actor: by("dusty_bogie"), reward: "Tea break".into(), cost: None, input: None }),
        (7, tip("", 500, "GBP")),
    ]);
    let expected = [
        "quietferry follows",
        "ninepins subscribed",
        "ninepins subscribed, 9 months",
        "kestrel_oak tipped €12.50",
        "oatcake_jo cheered 1,500",
        "lamplit_sam came with 77 viewers",
        "dusty_bogie claimed Tea break",
        "Somebody tipped £5",
    ];
    assert_eq!(texts(&LineFormat::of(&LineFormat::KINDS), 0, &world), expected);
}

#[test]
fn a_burst_of_gifts_is_one_line_and_counts_nobody_twice() {
    let mut burst: Vec<(i64, Happening)> = vec![(0, gift("quietferry", 5)), (1, gift("quietferry", 15))];
    burst.extend((0..20).map(|number| (2 + number / 4, given(&format!("viewer_{number}"), "quietferry"))));
    burst.push((20, gift("quietferry", 1)));
    burst.push((21, gift("ninepins", 1)));
    let all = LineFormat::of(&LineFormat::KINDS);
    let told = ["quietferry gave 20 subscriptions", "quietferry gave 1 subscription", "ninepins gave 1 subscription"];
    assert_eq!(texts(&all, 0, &after(burst.clone())), told);
    // Where gifts are off, the given subscriptions tell of it.
    let subs = LineFormat::of(&[Kind::Sub]);
    assert_eq!(texts(&subs, 0, &after(burst)), ["quietferry gave 20 subscriptions"]);
    let one = after(vec![(0, given("oatcake_jo", "quietferry"))]);
    assert_eq!(texts(&subs, 0, &one), ["oatcake_jo has a subscription from quietferry"]);
}

#[test]
fn the_same_supporters_entries_become_one_with_a_sum() {
    let world = after(vec![
        (0, tip("ninepins", 500, "GBP")),
        (5, tip("kestrel_oak", 300, "GBP")),
        (9, tip("Ninepins", 700, "GBP")),
        (30, tip("ninepins", 100, "GBP")),
        (31, tip("ninepins", 100, "EUR")),
    ]);
    let tips = LineFormat::of(&[Kind::Tip]);
    assert_eq!(texts(&tips, 0, &world).len(), 5, "as they come");
    // Of euros there is no price yet, so they cannot be added up.
    let told = ["Ninepins tipped £12", "kestrel_oak tipped £3", "ninepins tipped £1", "ninepins tipped €1"];
    let folded: Vec<String> =
        texts(&tips, 10, &world).iter().map(|text| text.replace("Ninepins", "ninepins")).collect();
    assert_eq!(folded, told.map(|text| text.replace("Ninepins", "ninepins")));
}

#[test]
fn small_ones_are_left_out_and_kinds_can_be_switched() {
    let world =
        after(vec![(0, tip("ninepins", 499, "GBP")), (1, tip("ninepins", 500, "GBP")), (2, cheer("ninepins", 9))]);
    let scope = world.scope(begin());
    let mut format = LineFormat::of(&[Kind::Tip, Kind::Cheer]);
    assert_eq!(format.edit("line:tip:least", "5", &scope), Ok(true));
    assert_eq!(texts(&format, 0, &world), ["ninepins tipped £5", "ninepins cheered 9"]);
    format.edit("line:cheer:on", "off", &scope).unwrap();
    format.edit("line:tip:template", "{{ amount }}!", &scope).unwrap();
    assert_eq!(texts(&format, 0, &world), ["£5!"]);
    format.edit("kinds", "cheer", &scope).unwrap();
    assert_eq!(texts(&format, 0, &world), ["ninepins cheered 9"]);
    format.edit("kinds", "tip", &scope).unwrap();
    assert_eq!(texts(&format, 0, &world), ["£5!"], "what was decided for a kind is kept");
    format.edit("kinds", "", &scope).unwrap();
    assert_eq!(texts(&format, 0, &world), Vec::<String>::new());
    let error = format.edit("line:tip:template", "{{ amuont }}", &scope).unwrap_err().to_string();
    assert!(error.starts_with("The text is wrong in line 1, column 4"), "{error}");
    assert!(format.edit("kinds", "gale", &scope).is_err());
    assert_eq!(format.edit("target", "1", &scope), Ok(false));
}

#[test]
fn every_language_has_words_that_work() {
    let world = after(Vec::new());
    for language in Language::ALL {
        let scope = world.scope(begin()).speaking(language);
        let format = LineFormat::of(&LineFormat::KINDS);
        for told in format.sample(&scope) {
            let source = format.fallback(told.kind, language);
            assert_eq!(template::check(source), Ok(()), "{source}");
            let text = format.line(&told, &scope).text();
            assert!(text.contains(&told.values.name), "{text}");
        }
    }
}

fn anything() -> impl Strategy<Value = Happening> {
    let name = prop::sample::select(vec!["ninepins", "quietferry", "kestrel_oak"]);
    (name, 0..4_usize, 1..500_u32).prop_map(|(name, which, number)| match which {
        0 => tip(name, number.into(), "GBP"),
        1 => cheer(name, number),
        2 => gift(name, number),
        _ => Happening::Raid { actor: by(name), viewers: number },
    })
}

proptest! {
    #[test]
    fn folding_conserves_sums(steps in prop::collection::vec((anything(), 0..20_i64), 0..40), fold in 0..60_u32) {
        let mut at = 0;
        let timed = steps.into_iter().map(|(happening, wait)| { at += wait; (at, happening) }).collect();
        let world = after(timed);
        let scope = world.scope(begin() + TimeDelta::hours(1));
        let format = LineFormat::of(&LineFormat::KINDS);
        let told = scope.recent(&format.recent(Period::AllTime, fold, 1_000));
        let lines: Vec<LineValues> = told.iter().filter_map(|burst| values::of(burst, &scope)).collect();
        for kind in [Kind::Tip, Kind::Cheer, Kind::Gift, Kind::Raid] {
            let of_kind = || scope.book.facts(Span::ALL, kind.bit());
            let told = || lines.iter().filter(|line| line.kind == kind);
            let times: u64 = told().map(|line| line.values.times).sum();
            prop_assert_eq!(times, of_kind().count() as u64);
            let recorded: i64 = match kind {
                Kind::Tip => of_kind().filter_map(|fact| fact.coins().and_then(crate::book::Coins::priced)).sum(),
                _ => of_kind().map(|fact| fact.number().unwrap()).sum(),
            };
            #[allow(clippy::cast_possible_truncation)]
            let shown: i64 = match kind {
                Kind::Tip => told().map(|line| (line.values.figure * 100.0).round() as i64).sum(),
                Kind::Cheer => told().map(|line| line.values.points).sum(),
                Kind::Gift => told().map(|line| line.values.count).sum(),
                _ => told().map(|line| line.values.viewers).sum(),
            };
            prop_assert_eq!(shown, recorded, "{:?}", kind);
        }
        let keys: std::collections::BTreeSet<u64> = lines.iter().map(|line| line.key).collect();
        prop_assert_eq!(keys.len(), lines.len(), "each line has a key of its own");
    }
}
