//! What templates may say, and what is refused.

use super::*;
use proptest::prelude::*;

fn locale(language: Language) -> Locale {
    Locale { language, currency: Currency::parse("GBP").unwrap() }
}

fn written(source: &str, language: Language) -> String {
    plain(&write(source, "", &sample(), locale(language)))
}

#[test]
fn values_are_put_into_words() {
    let cases = [
        ("{{ name }} tipped {{ amount }}", "pinecone_ade tipped £12.50"),
        ("{{ months }} {{ months|plural('month', 'months') }}", "9 months"),
        ("{{ figure|money }} {{ figure|money(currency='EUR') }}", "£12.50 €12.50"),
        ("{{ (points * 100)|number }}", "50,000"),
        ("{{ message|cut(8)|upper }}", "MIND TH…"),
        ("{% if tier > 1 %}tier {{ tier }}{% endif %}", "tier 2"),
        ("{{ giver|default('nobody') }}", "quietferry"),
    ];
    for (source, expected) in cases {
        assert_eq!(check(source), Ok(()), "{source}");
        assert_eq!(written(source, Language::En), expected);
    }
    assert_eq!(written("{{ 5|plural('miesiąc', 'miesiące', 'miesięcy') }}", Language::Pl), "miesięcy");
    assert_eq!(written("{{ 12345.6|money }}", Language::De), "12.345,60\u{a0}£");
}

#[test]
fn what_is_divided_by_nothing_is_refused_in_words() {
    for source in ["{{ 10 / 0 }}", "{{ (10 / 0)|number }}", "{{ (0 / 0)|money }}", "{{ -10 / (2 - 2) }}"] {
        let told = check(source).unwrap_err().to_string();
        assert!(told.contains("it divides by 0 here"), "{source}: {told}");
    }
    assert_eq!(written("{{ 10 / 4 }}", Language::En), "2.5");
}

#[test]
fn mistakes_are_told_with_line_and_column() {
    let cases = [
        ("{{ nmae }} tipped", 1, 4, "there is no value called nmae; there are name, amount"),
        ("one\n{{ name|shout }}", 2, 9, "there are plural, money"),
        ("{{ name", 1, 8, "unexpected"),
        ("{% for a in [1] %}", 1, 1, "unexpected"),
        ("{{ message|money }}", 1, 12, "takes a number"),
        ("{% if months > 99 %}{{ nobody }}{% endif %}", 1, 24, "no value called nobody"),
        ("nobody\n{% if months > 99 %}{{ name ~ nobody }}{% endif %}", 2, 31, "no value called nobody"),
        ("{{ 1 if tier > 3 else nobody }}", 1, 23, "no value called nobody"),
        ("{% if tier > 3 %}{% set a = 1 %}{% endif %}{{ a }}", 1, 47, "set it before the if"),
        ("{{ 5 // count }}", 1, 4, "unable to calculate"),
    ];
    for (source, line, column, why) in cases {
        let error = check(source).unwrap_err();
        assert!(error.why.contains(why), "{source}: {error}");
        assert_eq!(error.line, line, "{source}: {error}");
        // The end of an unfinished template is somewhere near its end.
        assert!(column == error.column || why == "unexpected", "{source}: {error}");
    }
    assert!(check(&"x".repeat(401)).is_err());
    assert!(check("a\u{202e}b").is_err());
}

#[test]
fn what_repeats_or_grows_is_refused_before_it_is_followed() {
    let doubling = format!("{{% set a=message %}}{}{{{{ a }}}}", "{%set a=a~a%}".repeat(24));
    for (source, why) in [
        ("{{ [1,2,3]*999999999 }}", "a list can only stand after in"),
        ("{{ [1,2,3]|plural('a') }}", "a list can only stand after in"),
        ("{{ message * 999999999 }}", "only numbers can be reckoned with"),
        ("{{ 'x' * 999999999 }}", "only numbers can be reckoned with"),
        ("{% for a in range(9999) %}x{% endfor %}", "a loop cannot be used here"),
        ("{% for a in message %}x{% endfor %}", "a loop cannot be used here"),
        ("{{ range(9999) }}", "there are no functions"),
        ("{{ message[:10] }}", "shorten a text with cut"),
        ("{{ message is defined }}", "there are no tests with is"),
        (&doubling, "it may become too long"),
    ] {
        let error = check(source).unwrap_err();
        assert!(error.why.contains(why), "{source}: {error}");
        // One that was kept before it was known to be so gives its fallback.
        let long = Values { message: "x".repeat(2_000), ..sample() };
        assert_eq!(plain(&write(source, "{{ name }}", &long, locale(Language::En))), "pinecone_ade");
    }
    assert_eq!(check("{% set a = message %}{% set a = a ~ a %}{{ a ~ a|cut(90) }}"), Ok(()));
    assert_eq!(check("{% if kind in ['tip', 'cheer'] %}{{ amount }}{% endif %}"), Ok(()));
}

#[test]
fn the_form_of_a_word_goes_with_the_whole_number() {
    for (source, language, form) in [
        ("{{ 1.5|plural('pound', 'pounds') }}", Language::En, "pounds"),
        ("{{ 1.5|plural('livre', 'livres') }}", Language::Fr, "livre"),
        ("{{ 1000000|plural('abonné', 'abonnés', 'd’abonnés') }}", Language::Fr, "d’abonnés"),
        ("{{ 1000000|plural('abonné', 'abonnés') }}", Language::Fr, "abonnés"),
        ("{{ 1.5|plural('miesiąc', 'miesiące', 'miesięcy', 'miesiąca') }}", Language::Pl, "miesiąca"),
    ] {
        assert_eq!(written(source, language), form, "{source}");
    }
}

#[test]
fn emphasis_is_the_templates_own() {
    let values = Values { name: "*star* & <b>".into(), ..sample() };
    let runs = write("*{{ name }}* gave *all* 2 * 3", "", &values, locale(Language::En));
    let run = |text: &str, strong| Run { text: text.into(), strong, name: false };
    let expected = [
        Run { name: true, ..run("*star* & <b>", true) },
        run(" gave ", false),
        run("all", true),
        run(" 2 *", false),
        run(" 3", false),
    ];
    assert_eq!(runs, expected);
}

#[test]
fn one_that_cannot_be_followed_gives_its_fallback() {
    assert_eq!(plain(&write("{{ oh", "{{ name }}", &sample(), locale(Language::En))), "pinecone_ade");
}

proptest! {
    #[test]
    fn no_template_and_no_value_makes_it_panic(source in ".*", name in ".*") {
        let _ = check(&source);
        let values = Values { name, ..Values::default() };
        let text = plain(&write(&source, "{{ name }}", &values, locale(Language::Fr)));
        prop_assert!(text.chars().count() <= MOST_OUT && !text.contains(STAR));
    }

    #[test]
    fn whatever_is_emphasised_no_text_is_lost(text in "[a-c *]{0,40}") {
        let kept = |text: &str| text.chars().filter(|c| *c != '*').collect::<String>();
        prop_assert_eq!(kept(&plain(&runs(&text))), kept(&text));
    }
}
