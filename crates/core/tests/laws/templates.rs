//! Whatever somebody writes as a template, and whatever stands in its places: following it takes
//! bounded room and a bounded number of steps. What is counted is bytes and allocations, not time.

#![allow(clippy::unwrap_used)]

use allocation_counter::measure;
use proptest::prelude::*;
use tally_core::language::Language;
use tally_core::money::Currency;
use tally_core::template::{self, Locale, MOST_WORK, VALUES, Values};

/// Checking and following one template may ask for this many bytes in all: each part of it once or
/// twice at its longest, four bytes a character, and what parsing takes.
const MOST_BYTES: u64 = 2 * 4 * MOST_WORK as u64;
/// So many times it may ask. A character of the source asks for a handful of things at most.
const MOST_TIMES: u64 = 5 * template::MOST as u64;

/// Something that has a value, or looks as if it had one.
fn expression() -> BoxedStrategy<String> {
    let value = prop::sample::select(VALUES.map(|(name, ..)| name.to_owned()).to_vec());
    let leaf = prop_oneof![
        6 => value,
        1 => Just("nobody".to_owned()),
        1 => (0_i64..2_000_000).prop_map(|number| number.to_string()),
        1 => (0.0_f64..1e300).prop_map(|number| format!("{number:e}")),
        1 => "[a-z*é駅]{0,12}".prop_map(|text| format!("'{text}'")),
        1 => prop::sample::select(vec!["a".to_owned(), "b".to_owned(), "true".to_owned(), "none".to_owned()]),
    ];
    let two = prop::sample::select(vec![
        "~", "+", "-", "*", "/", "//", "%", "**", "==", "<", ">=", "and", "or", "in", "not in",
    ]);
    let one = prop::sample::select(vec![
        "|upper",
        "|lower",
        "|cut(9)",
        "|cut(99999)",
        "|money",
        "|number",
        "|plural('one', 'more')",
        "|default('-')",
        "|money(currency='JPY')",
        "|length",
        "|list",
        " is defined",
        "[0]",
        "[:99]",
        ".x",
        "()",
        "|upper|upper|upper",
    ]);
    leaf.prop_recursive(5, 24, 3, move |inner| {
        prop_oneof![
            4 => (inner.clone(), two.clone(), inner.clone()).prop_map(|(a, op, b)| format!("({a} {op} {b})")),
            3 => (inner.clone(), one.clone()).prop_map(|(a, filter)| format!("{a}{filter}")),
            1 => inner.clone().prop_map(|a| format!("-{a}")),
            1 => (inner.clone(), inner.clone(), inner.clone()).prop_map(|(a, b, c)| format!("({a} if {b} else {c})")),
            1 => prop::collection::vec(inner.clone(), 0..4).prop_map(|all| format!("[{}]", all.join(", "))),
            1 => (inner.clone(), inner).prop_map(|(a, b)| format!("range({a}, {b})")),
        ]
    })
    .boxed()
}

fn source() -> BoxedStrategy<String> {
    let shown = expression().prop_map(|one| format!("{{{{ {one} }}}}"));
    let leaf = prop_oneof![
        4 => shown,
        2 => "[a-z *\n]{0,10}",
        1 => ".{0,6}",
        2 => (prop::sample::select(vec!["a", "b"]), expression()).prop_map(|(name, one)| format!("{{%set {name}={one}%}}")),
        1 => Just("{%set a=a~a%}".to_owned()),
    ];
    let pieces = leaf.prop_recursive(3, 24, 6, |inner| {
        let body = || prop::collection::vec(inner.clone(), 0..4).prop_map(|all| all.concat());
        prop_oneof![
            3 => body(),
            2 => (expression(), body(), body())
                .prop_map(|(test, yes, no)| format!("{{% if {test} %}}{yes}{{% else %}}{no}{{% endif %}}")),
            1 => (expression(), body()).prop_map(|(list, body)| format!("{{% for x in {list} %}}{body}{{% endfor %}}")),
            1 => (expression(), body()).prop_map(|(one, body)| format!("{{% with a={one} %}}{body}{{% endwith %}}")),
        ]
    });
    // Some grow by being said again: what doubles, doubles until there is no more room to say it.
    (pieces, prop::sample::select(vec![1_usize, 1, 2, 9, 29]))
        .prop_map(|(one, times)| one.repeat(times).chars().take(template::MOST).collect())
        .boxed()
}

fn values() -> impl Strategy<Value = Values> {
    let long = || prop_oneof![".{0,20}", (0_usize..4_000).prop_map(|length| "ΐ".repeat(length))];
    let numbers = (any::<f64>(), any::<i64>(), any::<i64>(), 0..4_u8, any::<u64>());
    (long(), long(), long(), long(), numbers).prop_map(
        |(name, message, item, giver, (figure, count, points, tier, times))| Values {
            name,
            amount: "£12.50".into(),
            figure,
            count,
            points,
            viewers: points,
            tier,
            months: count,
            message,
            item,
            giver,
            kind: "tip".into(),
            times,
            ago: "5 min".into(),
            value: count,
            show: points,
            all_time: count.saturating_mul(3),
            target: points,
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 10_000, ..ProptestConfig::default() })]

    #[test]
    fn no_template_takes_more_than_its_bounds(source in source(), values in values(), language in 0..7_usize) {
        let locale = Locale { language: Language::ALL[language], currency: Currency::parse("GBP").unwrap() };
        let mut runs = Vec::new();
        let taken = measure(|| {
            let _ = template::check(&source);
            runs = template::write(&source, "{{ name }}", &values, locale);
        });
        prop_assert!(taken.bytes_total <= MOST_BYTES, "{} bytes", taken.bytes_total);
        prop_assert!(taken.count_total <= MOST_TIMES, "{} times", taken.count_total);
        prop_assert!(template::plain(&runs).chars().count() <= 600);
    }
}
