//! The part of a sentence that says what is counted: *tips* *as they come* from *this month*.

use super::{Count, Filter, What};
use crate::book::Fact;
use crate::count::Scope;
use crate::record::happening::Kind;
use crate::record::ids::FeedId;
use crate::record::measure::{Adding, Measure};
use crate::sentence::{EditError, Editor, Part, input};
use crate::time::calendar::Period;
use std::collections::BTreeSet;

const WHAT: &str = "What is counted";
const ONLY: &str = "Which of them";
const LEAST: &str = "The minimum";
const TIERS: &str = "The tiers";
const GIVEN: &str = "Gifted or not";
const PEOPLE: &str = "The people";
const SAYING: &str = "The word";
const FEED: &str = "The feed";
const PLUS: &str = "The amount for each";
const PERIOD: &str = "The period";
const LENGTH: &str = "The length";
const FROM: &str = "The first date";
const TO: &str = "The last date";

/// Most people that a filter names.
const MOST_PEOPLE: usize = 50;

const GIVING: [(&str, &str); 2] = [("given", "given away"), ("own", "paid for by themselves")];

/// Levels and statistics that the channel has heard of, with the kind each is of.
pub(crate) fn heard<'a>(scope: &'a Scope<'_>, kind: Kind) -> BTreeSet<&'a str> {
    let facts = scope.book.facts(crate::time::calendar::Span::ALL, kind.bit()).rev().take(2_000);
    facts.filter_map(|fact| fact.word()).map(|word| scope.book.words().get(word)).collect()
}

fn what_key(what: &What) -> String {
    match what {
        What::Sum(measure) => measure.key().to_owned(),
        What::Level(name) => format!("level:{name}"),
        What::Running { level, measure } => format!("running:{}:{level}", measure.key()),
        What::Statistic(name) => format!("stat:{name}"),
    }
}

fn whats(count: &Count, scope: &Scope<'_>) -> Vec<(What, String)> {
    let mut all: Vec<What> = Measure::ALL.into_iter().map(What::Sum).collect();
    for name in heard(scope, Kind::Gauge) {
        all.push(What::Level(name.to_owned()));
        all.push(What::Running { level: name.to_owned(), measure: Measure::CountOfFollows });
    }
    all.extend(heard(scope, Kind::Stat).into_iter().map(|name| What::Statistic(name.to_owned())));
    if !all.contains(&count.what) {
        all.push(count.what.clone());
    }
    let words = |what: What| {
        let words = Count { what: what.clone(), ..count.clone() }.words();
        (what, words)
    };
    all.into_iter().map(words).collect()
}

/// What can narrow a count down, or add to it: key and words. Only what makes sense for what is counted.
fn narrowings(count: &Count, scope: &Scope<'_>) -> Vec<(String, String)> {
    let own = |key: &str, words: &str| (key.to_owned(), words.to_owned());
    let What::Sum(measure) = &count.what else { return vec![own("", "as they come")] };
    let mut all = vec![own("", "as they come")];
    let one = |kind| measure.kinds() == [kind];
    if one(Kind::Tip) || one(Kind::Purchase) || one(Kind::Cheer) || one(Kind::Raid) || one(Kind::Gift) {
        all.push(own("least", "only those of at least …"));
    }
    if one(Kind::Sub) || one(Kind::Gift) {
        all.push(own("tiers", "only those of certain tiers"));
    }
    if one(Kind::Sub) {
        all.push(own("given", "only those that were given, or were not"));
    }
    if !one(Kind::Signal) {
        all.push(own("people", "only those by certain people"));
        all.push(own("but_people", "all but those by certain people"));
    }
    if one(Kind::Tip) || one(Kind::Cheer) || one(Kind::Sub) || one(Kind::Reward) {
        all.push(own("saying", "only those that say a word"));
    }
    if !scope.feeds.is_empty() {
        all.push(own("feed", "only those through one feed"));
    }
    if measure.is_money() {
        // Whatever comes in pieces can be worth something each.
        let pieces = |more: &Measure| !more.is_money() && more.adding() == Adding::Each;
        for more in Measure::ALL.into_iter().filter(pieces) {
            all.push((format!("plus:{}", more.key()), format!("and so much more for each of: {}", more.words())));
        }
    }
    all
}

/// The parts, from what is counted to the period.
#[must_use]
pub fn parts(count: &Count, scope: &Scope<'_>) -> Vec<Part> {
    let (unit, only) = (count.unit(scope.settings), &count.only);
    let options = whats(count, scope).iter().map(|(what, words)| (what_key(what), words.clone())).collect();
    let mut parts =
        vec![Part::field("measure", WHAT, count.words(), Editor::Choice { options, chosen: what_key(&count.what) })];
    let filtered = *only != Filter::default();
    let shown = if filtered {
        "but only"
    } else if count.plus.is_empty() {
        "as they come"
    } else {
        "and"
    };
    let narrow = Editor::Choice { options: narrowings(count, scope), chosen: String::new() };
    if matches!(count.what, What::Sum(_)) {
        parts.push(Part::field("only", ONLY, shown, narrow));
    }
    if only.least > 0 {
        let size = count.size_unit(scope.settings);
        parts.push(Part::words("of at least"));
        let editor = Editor::Number { value: size.plain(only.least), sign: size.sign() };
        parts.push(Part::field("least", LEAST, size.show(only.least), editor));
    }
    if !only.tiers.is_empty() {
        let tiers: Vec<String> = only.tiers.iter().map(u8::to_string).collect();
        parts.push(Part::words("of tier"));
        parts.push(Part::field("tiers", TIERS, tiers.join(" and "), Editor::Text { value: tiers.join(", ") }));
    }
    if let Some(given) = only.given {
        let (key, words) = GIVING[usize::from(!given)];
        parts.push(Part::field("given", GIVEN, words, Editor::choice(GIVING, key)));
    }
    if !only.people.is_empty() {
        let people = only.people.join(", ");
        parts.push(Part::words(if only.but_people { "not by" } else { "by" }));
        parts.push(Part::field("people", PEOPLE, people.clone(), Editor::Text { value: people }));
    }
    if !only.saying.is_empty() {
        parts.push(Part::words("saying"));
        let shown = format!("“{}”", only.saying);
        parts.push(Part::field("saying", SAYING, shown, Editor::Text { value: only.saying.clone() }));
    }
    if let Some(feed) = only.feed {
        let options = scope.feeds.iter().map(|(id, name)| (id.to_string(), name.clone())).collect();
        let name = scope.feeds.get(&feed).map_or("a feed that is gone", String::as_str);
        parts.push(Part::words("through"));
        parts.push(Part::field("feed", FEED, name, Editor::Choice { options, chosen: feed.to_string() }));
    }
    for (measure, each) in &count.plus {
        if filtered {
            parts.push(Part::words("and"));
        }
        let editor = Editor::Number { value: unit.plain(*each), sign: unit.sign() };
        let key = format!("plus:{}", measure.key());
        // A given one counts once, by its gift.
        let own = if measure.is_of_subs() && count.adds_gifts_and_subs() { " that were not given" } else { "" };
        let shown = format!("{} for each of the {}{own}", unit.show(*each), measure.words());
        parts.push(Part::field(key, PLUS, shown, editor));
    }
    parts.push(Part::words(", from"));
    parts.extend(period(count.period));
    parts
}

/// The parts that name a period.
#[must_use]
pub fn period(period: Period) -> Vec<Part> {
    let choice = Editor::choice(Period::offered().iter().copied(), period.key());
    let mut parts = vec![Part::field("period", PERIOD, period.words(), choice)];
    match period {
        Period::LastHours(length) | Period::LastDays(length) => {
            parts.push(Part::words(", namely"));
            let editor = Editor::Number { value: length.to_string(), sign: String::new() };
            parts.push(Part::field("length", LENGTH, length.to_string(), editor));
        }
        Period::Between { from, to } => {
            for (key, label, words, date) in [("from", FROM, ":", from), ("to", TO, "to", to)] {
                parts.push(Part::words(words));
                let editor = Editor::Date { value: date.format("%Y-%m-%d").to_string() };
                parts.push(Part::field(key, label, date.format("%-d %b %Y").to_string(), editor));
            }
        }
        _ => {}
    }
    parts
}

/// Changes one part. False if the count has no such part.
///
/// # Errors
/// A value that the part does not take.
pub fn edit(count: &mut Count, key: &str, text: &str, scope: &Scope<'_>) -> Result<bool, EditError> {
    match key {
        "measure" => {
            let chosen = whats(count, scope).into_iter().find(|(what, _)| what_key(what) == text);
            let (what, _) = chosen
                .ok_or_else(|| input(WHAT, text).refuse("is none of the choices offered; pick one from the list"))?;
            if what != count.what {
                // What narrowed the old count down may make no sense for the new one.
                (count.only, count.plus) = (Filter::default(), std::collections::BTreeMap::new());
            }
            count.what = what;
        }
        "only" => narrow(count, text, scope)?,
        "least" => {
            let size = count.size_unit(scope.settings);
            count.only.least = if text.trim().is_empty() { 0 } else { input(LEAST, text).in_unit(size, 0)? };
        }
        "tiers" => {
            let digits = text.split(|c: char| !c.is_ascii_digit()).filter(|part| !part.is_empty());
            let tiers: BTreeSet<u8> = digits.map(|part| part.parse().unwrap_or(0)).collect();
            if tiers.iter().any(|tier| !(1..=3).contains(tier)) {
                return Err(input(TIERS, text).refuse("must be some of 1, 2 and 3, such as “2, 3”"));
            }
            count.only.tiers = tiers;
        }
        "given" => {
            let given = GIVING.iter().position(|(key, _)| *key == text);
            let given = given.ok_or_else(|| input(GIVEN, text).refuse("is none of the choices offered"))?;
            count.only.given = Some(given == 0);
        }
        "people" => count.only.people = people(text)?,
        "saying" => count.only.saying = input(SAYING, text).line()?.to_lowercase(),
        "feed" => {
            let feed = text.parse().ok().map(FeedId).filter(|feed| scope.feeds.contains_key(feed));
            count.only.feed =
                Some(feed.ok_or_else(|| input(FEED, text).refuse("is none of the feeds; pick one from the list"))?);
        }
        "period" | "length" | "from" | "to" => return edit_period(&mut count.period, key, text, scope),
        _ => {
            let Some(measure) = key.strip_prefix("plus:").and_then(Measure::of_key) else { return Ok(false) };
            let unit = count.unit(scope.settings);
            let each = if text.trim().is_empty() { 0 } else { input(PLUS, text).in_unit(unit, 0)? };
            if each == 0 {
                count.plus.remove(&measure);
            } else {
                count.plus.insert(measure, each);
            }
        }
    }
    Ok(true)
}

fn people(text: &str) -> Result<Vec<String>, EditError> {
    let names = text.split(',').map(str::trim).filter(|name| !name.is_empty());
    let names: Result<Vec<String>, _> =
        names.map(|name| crate::language::text::name(name).map(|name| crate::language::text::fold(&name))).collect();
    let names = names.map_err(|error| input(PEOPLE, text).refuse(format!("has a name that {error}")))?;
    if names.len() > MOST_PEOPLE {
        return Err(input(PEOPLE, text).refuse(format!("takes at most {MOST_PEOPLE} names")));
    }
    Ok(names)
}

/// Begins one more narrowing with a value that makes sense; its own part then sets it right.
fn narrow(count: &mut Count, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
    if !narrowings(count, scope).iter().any(|(key, _)| key == text) {
        return Err(input(ONLY, text).refuse("is none of the choices offered; pick one from the list"));
    }
    let only = &mut count.only;
    let newest = || {
        let facts = scope.book.facts(crate::time::calendar::Span::ALL, u16::MAX).rev();
        let names = scope.book.names();
        let name =
            facts.filter_map(Fact::person).find_map(|one| names.get(names.person(one))).map(|one| one.folded.clone());
        vec![name.unwrap_or_else(|| "somebody".into())]
    };
    match text {
        "" => (count.only, count.plus) = (Filter::default(), std::collections::BTreeMap::new()),
        "least" => count.only.least = count.size_unit(scope.settings).whole(),
        "tiers" => only.tiers = [2, 3].into(),
        "given" => only.given = Some(true),
        "people" => (only.people, only.but_people) = (newest(), false),
        "but_people" => (only.people, only.but_people) = (newest(), true),
        "saying" => only.saying = "thanks".into(),
        "feed" => only.feed = scope.feeds.keys().next().copied(),
        other => {
            if let Some(measure) = other.strip_prefix("plus:").and_then(Measure::of_key) {
                count.plus.insert(measure, count.unit(scope.settings).whole());
            }
        }
    }
    Ok(())
}

/// Changes one part of a period. False if it has no such part.
///
/// # Errors
/// A value that the part does not take.
pub fn edit_period(period: &mut Period, key: &str, text: &str, scope: &Scope<'_>) -> Result<bool, EditError> {
    let words = |date: &chrono::NaiveDate| date.format("%-d %b %Y").to_string();
    match (period, key) {
        (period, "period") => {
            let chosen = Period::of_key(text, scope.settings.calendar.day(scope.now));
            *period = chosen
                .ok_or_else(|| input(PERIOD, text).refuse("is none of the choices offered; pick one from the list"))?;
        }
        (Period::LastHours(length), "length") => *length = whole(text, 24 * 366)?,
        (Period::LastDays(length), "length") => *length = whole(text, 3_660)?,
        (Period::Between { from, to }, "from") => {
            let date = input(FROM, text).date()?;
            if date > *to {
                return Err(input(FROM, text).refuse(format!("must not lie after the last, {}", words(to))));
            }
            *from = date;
        }
        (Period::Between { from, to }, "to") => {
            let date = input(TO, text).date()?;
            if date < *from {
                return Err(input(TO, text).refuse(format!("must not lie before the first, {}", words(from))));
            }
            *to = date;
        }
        _ => return Ok(false),
    }
    Ok(true)
}

fn whole(text: &str, most: i64) -> Result<u32, EditError> {
    let length = input(LENGTH, text).whole(1, most)?;
    Ok(u32::try_from(length).unwrap_or(u32::MAX))
}
