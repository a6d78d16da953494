//! Texts with places for values, in Jinja syntax: `{{ name }} tipped *{{ amount }}*`.
//!
//! A template is checked when it is written, with line and column. It can do nothing but put its
//! own values into words: there is no way out of it, what it may come to is known before it is
//! followed (see [`bounds`]), and what comes out is runs of plain text, never markup.

mod bounds;
#[cfg(test)]
mod tests;

pub use bounds::MOST_WORK;

use crate::language::Language;
use crate::language::unit::Unit;
use crate::money::{Currency, Money};
use minijinja::value::{Kwargs, Rest, Value, ValueKind};
use minijinja::{Environment, ErrorKind, State, UndefinedBehavior};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// Longest template, in characters.
pub const MOST: usize = 400;
/// Longest text that comes out; the rest is cut off.
const MOST_OUT: usize = 600;
/// So many steps a template may take. One of [`MOST`] characters takes fewer, since nothing repeats.
const FUEL: u64 = 4_000;
/// Stands for `*` that came with a value, so that a name cannot emphasise itself.
const STAR: char = '\u{e000}';

/// The values that can stand in a template: name, what it is, and an example.
pub const VALUES: [(&str, &str, &str); 18] = [
    ("name", "who did it", "pinecone_ade"),
    ("amount", "the money, written out", "£12.50"),
    ("figure", "the bare number, for filters", "12.5"),
    ("count", "how many were given or bought", "20"),
    ("points", "points cheered or spent", "500"),
    ("viewers", "viewers of a raid", "77"),
    ("tier", "the tier of a subscription", "2"),
    ("months", "months subscribed", "9"),
    ("message", "what they said with it", "mind the points"),
    ("item", "the reward or thing bought", "Enamel mug"),
    ("giver", "who gave the subscription", "quietferry"),
    ("kind", "what kind it is", "tip"),
    ("times", "how many were folded into one line", "3"),
    ("ago", "how long ago", "5 min"),
    ("value", "the number of a counter", "7"),
    ("show", "how many there were this show", "3"),
    ("all_time", "how many there ever were", "127"),
    ("target", "the target of a counter", "10"),
];
/// How many of them tell of a line of the ledger; the others of a counter.
const OF_LINES: usize = 14;

/// A name, what it is, and an example, of each value.
pub type Offered = &'static [(&'static str, &'static str, &'static str)];

/// The values that tell of a line of the ledger.
#[must_use]
pub fn of_lines() -> Offered {
    VALUES.split_at(OF_LINES).0
}

/// The values that tell of a counter.
#[must_use]
pub fn of_counters() -> Offered {
    VALUES.split_at(OF_LINES).1
}

/// What stands in the places of a template.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct Values {
    /// Who.
    pub name: String,
    /// Money, written out; empty where there is none.
    pub amount: String,
    /// The bare number behind the line.
    pub figure: f64,
    /// Gifts, or things bought.
    pub count: i64,
    /// Points.
    pub points: i64,
    /// Viewers.
    pub viewers: i64,
    /// 1 to 3, or 0.
    pub tier: u8,
    /// Months subscribed, or 0.
    pub months: i64,
    /// What somebody said.
    pub message: String,
    /// Reward or thing bought.
    pub item: String,
    /// Who paid for a subscription.
    pub giver: String,
    /// What kind.
    pub kind: String,
    /// How many lines of the ledger.
    pub times: u64,
    /// How long ago.
    pub ago: String,
    /// The number of a counter.
    pub value: i64,
    /// The same, counted since the show began.
    pub show: i64,
    /// The same, counted ever.
    pub all_time: i64,
    /// Its target, or 0.
    pub target: i64,
}

/// A stretch of text.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Run {
    /// The text.
    pub text: String,
    /// Whether it is emphasised.
    pub strong: bool,
    /// Whether it is the name of whom the line is about, emphasised.
    #[serde(default)]
    pub name: bool,
}

impl Run {
    /// Text that is not emphasised.
    #[must_use]
    pub fn plain(text: &str) -> Self {
        Self { text: text.to_owned(), strong: false, name: false }
    }
}

/// Why a template was refused, and where.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("is wrong in line {line}, column {column}: {why}")]
pub struct TemplateError {
    /// From 1.
    pub line: usize,
    /// In characters, from 1.
    pub column: usize,
    /// What to change.
    pub why: String,
}

/// How a template writes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Locale {
    /// Its language.
    pub language: Language,
    /// The channel's currency, for bare numbers told as money.
    pub currency: Currency,
}

static JINJA: LazyLock<Environment<'static>> = LazyLock::new(|| {
    let mut jinja = Environment::empty();
    jinja.set_undefined_behavior(UndefinedBehavior::Strict);
    jinja.set_fuel(Some(FUEL));
    jinja.set_keep_trailing_newline(false);
    jinja.set_formatter(|out, state, value| match divides_by_nothing(value) {
        true => Err(wrong(BY_NOTHING)),
        false => minijinja::escape_formatter(out, state, value),
    });
    jinja.add_filter("plural", plural);
    jinja.add_filter("money", money);
    jinja.add_filter("number", number);
    jinja.add_filter("upper", |text: String| text.to_uppercase());
    jinja.add_filter("lower", |text: String| text.to_lowercase());
    jinja.add_filter("cut", cut);
    jinja.add_filter("widget", widget);
    jinja.add_filter("default", |value: Value, other: Value| if is_nothing(&value) { other } else { value });
    jinja
});

/// Why a figure cannot be told.
const BY_NOTHING: &str = "it divides by 0 here; ask with an if whether that is more than 0";

fn divides_by_nothing(value: &Value) -> bool {
    value.kind() == ValueKind::Number && f64::try_from(value.clone()).is_ok_and(|figure| !figure.is_finite())
}

fn is_nothing(value: &Value) -> bool {
    value.is_undefined() || value.as_str().is_some_and(str::is_empty) || value.as_i64() == Some(0)
}

fn wrong(why: impl Into<String>) -> minijinja::Error {
    minijinja::Error::new(ErrorKind::InvalidOperation, why.into())
}

fn language(state: &State<'_, '_>) -> Language {
    let key = state.lookup("_language");
    let key = key.as_ref().and_then(Value::as_str).unwrap_or_default();
    Language::ALL.into_iter().find(|one| one.key() == key).unwrap_or_default()
}

fn currency(state: &State<'_, '_>) -> Option<Currency> {
    state.lookup("_currency").as_ref().and_then(Value::as_str).and_then(|code| Currency::parse(code).ok())
}

fn float(value: &Value, filter: &str) -> Result<f64, minijinja::Error> {
    match value.kind() {
        ValueKind::Number if divides_by_nothing(value) => Err(wrong(BY_NOTHING)),
        ValueKind::Number => f64::try_from(value.clone()).map_err(|_| wrong(format!("{filter} takes a number"))),
        _ => Err(wrong(format!("the filter {filter} takes a number such as figure or count"))),
    }
}

/// `{{ months|plural("month", "months") }}`: the word that goes with the number.
#[allow(clippy::needless_pass_by_value, reason = "a filter is handed its values")]
fn plural(state: &State<'_, '_>, value: Value, forms: Rest<String>) -> Result<String, minijinja::Error> {
    let form = forms.get(language(state).plural(float(&value, "plural")?)).or(forms.last());
    form.cloned()
        .ok_or_else(|| wrong("the filter plural takes the forms of a word, such as plural(\"month\", \"months\")"))
}

/// `{{ figure|money }}`, `{{ figure|money(currency="EUR") }}`.
#[allow(clippy::needless_pass_by_value, reason = "a filter is handed its values")]
fn money(state: &State<'_, '_>, value: Value, options: Kwargs) -> Result<String, minijinja::Error> {
    let code: Option<String> = options.get("currency")?;
    options.assert_all_used()?;
    let asked = code.map(|code| Currency::parse(&code).map_err(|error| wrong(format!("the currency {error}"))));
    let currency = asked.transpose()?.or(currency(state)).ok_or_else(|| wrong("there is no currency"))?;
    let scale = 10_f64.powi(i32::from(currency.decimals()));
    #[allow(clippy::cast_possible_truncation, reason = "a float beyond the bounds is cut to them")]
    let minor = (float(&value, "money")? * scale).round() as i64;
    Ok(language(state).money(Money { minor, currency }))
}

/// `{{ count|number }}`: with the language's grouping.
#[allow(clippy::needless_pass_by_value, reason = "a filter is handed its values")]
fn number(state: &State<'_, '_>, value: Value) -> Result<String, minijinja::Error> {
    #[allow(clippy::cast_possible_truncation, reason = "a float beyond the bounds is cut to them")]
    let number = float(&value, "number")?.round() as i64;
    Ok(language(state).number(number))
}

/// `{{ "Cups of tea"|widget }}`: what a widget says now, in a line of chat.
#[allow(clippy::needless_pass_by_value, reason = "a filter is handed its values")]
fn widget(state: &State<'_, '_>, title: String) -> Result<String, minijinja::Error> {
    let all = state.lookup("_widgets").unwrap_or_default();
    let text = all.get_item(&Value::from(title.as_str())).ok().filter(|text| !text.is_undefined());
    let text = text.as_ref().and_then(Value::as_str).map(str::to_owned);
    text.ok_or_else(|| wrong(format!("there is no widget called “{title}” that could be told here")))
}

/// `{{ message|cut(40) }}`: at most so many characters, with an ellipsis.
fn cut(text: String, most: usize) -> String {
    if text.chars().count() <= most {
        return text;
    }
    let mut kept: String = text.chars().take(most.saturating_sub(1)).collect();
    kept.truncate(kept.trim_end().len());
    kept + "…"
}

/// An error at a place in the source, told in bytes.
fn at(source: &str, offset: usize, why: impl Into<String>) -> TemplateError {
    let before = source.get(..offset.min(source.len())).unwrap_or_default();
    let column = before.rsplit('\n').next().map_or(0, |line| line.chars().count()).saturating_add(1);
    TemplateError { line: before.matches('\n').count().saturating_add(1), column, why: why.into() }
}

fn placed(error: &minijinja::Error, source: &str) -> TemplateError {
    let why = match error.kind() {
        ErrorKind::UndefinedError => "something is not always set where it is used; set it before the if",
        _ => error.detail().unwrap_or("it cannot be understood"),
    };
    match error.range() {
        Some(range) => at(source, range.start, why),
        None => TemplateError { line: error.line().unwrap_or(1), column: 1, why: why.to_owned() },
    }
}

/// Follows a template, if its bounds allow it. `widgets` has what each widget says, by its title.
fn render(
    source: &str,
    values: &Values,
    widgets: &BTreeMap<String, String>,
    locale: Locale,
) -> Result<String, TemplateError> {
    bounds::check(source)?;
    let bare = |value: &str, text: &str| -> String {
        let own = text.chars().filter(|c| *c != STAR).take(bounds::longest(value));
        own.map(|c| if c == '*' { STAR } else { c }).collect()
    };
    let shown = Values {
        name: bare("name", &values.name),
        amount: bare("amount", &values.amount),
        message: bare("message", &values.message),
        item: bare("item", &values.item),
        giver: bare("giver", &values.giver),
        kind: bare("kind", &values.kind),
        ago: bare("ago", &values.ago),
        ..*values
    };
    let widgets: BTreeMap<&str, String> = widgets
        .iter()
        .map(|(title, text)| (title.as_str(), text.chars().filter(|c| *c != STAR).take(bounds::WIDGET).collect()))
        .collect();
    let locale = minijinja::context! {
        _language => locale.language.key(), _currency => locale.currency.code(), _widgets => widgets,
    };
    let context = minijinja::context! { ..Value::from_serialize(&shown), ..locale };
    let template = JINJA.template_from_str(source).map_err(|error| placed(&error, source))?;
    template.render(context).map_err(|error| placed(&error, source))
}

/// Checks a template.
///
/// # Errors
/// What is wrong with it, and where.
///
/// ```
/// use tally_core::template;
/// assert!(template::check("{{ name }} tipped *{{ amount }}*").is_ok());
/// let error = template::check("{{ nmae }} tipped").unwrap_err();
/// assert_eq!((error.line, error.column), (1, 4));
/// ```
pub fn check(source: &str) -> Result<(), TemplateError> {
    check_line(source, &BTreeMap::new())
}

/// Checks a template for a line of chat, which can tell what widgets say.
///
/// # Errors
/// What is wrong with it, and where.
pub fn check_line(source: &str, widgets: &BTreeMap<String, String>) -> Result<(), TemplateError> {
    let here = |why: &str| TemplateError { line: 1, column: 1, why: why.to_owned() };
    if source.chars().count() > MOST {
        return Err(here(&format!("it is longer than {MOST} characters")));
    }
    if source.contains(STAR) || crate::language::text::message(source).is_err() {
        return Err(here("it has characters that cannot be shown"));
    }
    let currency = Currency::parse("GBP").map_err(|_| here("there is no currency"))?;
    // What an expression gives depends on the values: so it is tried with everything there, and with nothing.
    for values in [sample(), Values::default()] {
        render(source, &values, widgets, Locale { language: Language::En, currency })?;
    }
    Ok(())
}

/// Values to try a template on.
#[must_use]
pub fn sample() -> Values {
    Values {
        name: "pinecone_ade".into(),
        amount: "£12.50".into(),
        figure: 12.5,
        count: 20,
        points: 500,
        viewers: 77,
        tier: 2,
        months: 9,
        message: "mind the points".into(),
        item: "Enamel mug".into(),
        giver: "quietferry".into(),
        kind: "tip".into(),
        times: 1,
        ago: "5 min".into(),
        value: 7,
        show: 3,
        all_time: 127,
        target: 10,
    }
}

/// Whether a template has a place for a value.
#[must_use]
pub fn mentions(source: &str, value: &str) -> bool {
    source.contains(value)
}

/// Writes values out as runs of text. A template that cannot be followed, which a check rules out,
/// gives its fallback.
#[must_use]
pub fn write(source: &str, fallback: &str, values: &Values, locale: Locale) -> Vec<Run> {
    let none = BTreeMap::new();
    let text = render(source, values, &none, locale).or_else(|_| render(fallback, values, &none, locale));
    let text = text.unwrap_or_default();
    let mut runs = runs(&text);
    for run in runs.iter_mut().filter(|run| run.strong) {
        run.name = run.text == values.name || run.text == values.giver;
    }
    runs
}

/// Writes a line of chat.
///
/// # Errors
/// The template cannot be followed with these values.
pub fn write_line(
    source: &str,
    values: &Values,
    widgets: &BTreeMap<String, String>,
    locale: Locale,
) -> Result<String, TemplateError> {
    let text = render(source, values, widgets, locale)?.replace(STAR, "*");
    Ok(text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect::<String>().trim().to_owned())
}

/// Takes text apart at its `*emphasis*`. A star without a partner is a star.
fn runs(text: &str) -> Vec<Run> {
    let text: String = text.chars().take(MOST_OUT).map(|c| if c.is_control() { ' ' } else { c }).collect();
    let mut runs: Vec<Run> = Vec::new();
    let mut push = |text: &str, strong: bool| {
        let text = text.replace(STAR, "*");
        if !text.is_empty() {
            runs.push(Run { text, strong, name: false });
        }
    };
    let mut rest = text.as_str();
    while let Some((before, after)) = rest.split_once('*') {
        match after.split_once('*') {
            Some((strong, further)) if !strong.trim().is_empty() => {
                push(before, false);
                push(strong, true);
                rest = further;
            }
            _ => {
                push(&rest[..=before.len()], false);
                rest = after;
            }
        }
    }
    push(rest, false);
    runs
}

/// Runs as plain text.
#[must_use]
pub fn plain(runs: &[Run]) -> String {
    runs.iter().map(|run| run.text.as_str()).collect()
}

/// A figure as a float, for filters: pounds, or things.
#[must_use]
#[allow(clippy::cast_precision_loss, reason = "a template's figure needs no more than a float's digits")]
pub fn figure(unit: Unit, value: i64) -> f64 {
    value as f64 / unit.whole() as f64
}
