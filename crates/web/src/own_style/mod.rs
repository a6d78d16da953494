//! Styles of the streamer's own: read by a parser, held to one drawing or one overlay, and unable to load anything.
//!
//! What is written stands inside of the class of what it is for, so `&` is that thing itself, and any other selector means something
//! in it. See docs/own-style.md for the classes and properties that are promised to stay.

mod selector;
mod sheet;

use cssparser::{BasicParseErrorKind, ParseError, ParseErrorKind, SourceLocation, ToCss, Token};
use std::collections::HashMap;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

/// As many styles are kept as they were made, since drawings are made many times a second.
const MOST_KEPT: usize = 256;
/// So many letters are told of what cannot stand somewhere.
const MOST_TOLD: usize = 20;

/// Why a style is not taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("your style is wrong in line {line}, column {column}: {why}")]
pub struct StyleError {
    /// From 1.
    pub line: u32,
    /// From 1.
    pub column: u32,
    /// What to change.
    pub why: String,
}

/// What to change, as the parser passes it on with its place.
type Wrong = String;

fn wrong<'i>(at: SourceLocation, why: &str) -> ParseError<'i, Wrong> {
    at.new_custom_error(why.to_owned())
}

impl From<ParseError<'_, Wrong>> for StyleError {
    fn from(error: ParseError<'_, Wrong>) -> Self {
        let why = match error.kind {
            ParseErrorKind::Custom(why) => why,
            ParseErrorKind::Basic(BasicParseErrorKind::UnexpectedToken(token)) => {
                let token: String = token.to_css_string().chars().take(MOST_TOLD).collect();
                format!("“{token}” cannot stand here")
            }
            ParseErrorKind::Basic(BasicParseErrorKind::EndOfInput) => {
                "something is missing here; a rule is a selector, and { what it says }".into()
            }
            ParseErrorKind::Basic(_) => "this is no rule; write a selector, and { what it says }".into(),
        };
        Self { line: error.location.line.saturating_add(1), column: error.location.column, why }
    }
}

/// Whether a token is whole.
fn sound<'i>(token: &Token<'i>, at: SourceLocation) -> Result<(), ParseError<'i, Wrong>> {
    if token.is_parse_error() { Err(at.new_unexpected_token_error(token.clone())) } else { Ok(()) }
}

/// Whether a style is one, and keeps to what it is for.
///
/// # Errors
/// Where it is wrong, and what to change.
pub fn check(css: &str) -> Result<(), StyleError> {
    made(css, "own").map(drop)
}

/// A style under a class; empty where it is no style, which a check rules out.
pub fn scoped(css: &str, class: &str) -> Arc<str> {
    type Kept = HashMap<(String, String), Arc<str>>;
    static KEPT: LazyLock<Mutex<Kept>> = LazyLock::new(Mutex::default);
    if css.is_empty() {
        return "".into();
    }
    let key = (css.to_owned(), class.to_owned());
    let mut kept = KEPT.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(made) = kept.get(&key) {
        return made.clone();
    }
    let fresh: Arc<str> = made(css, class).unwrap_or_default().into();
    if kept.len() >= MOST_KEPT {
        kept.clear();
    }
    kept.insert(key, fresh.clone());
    fresh
}

fn made(css: &str, class: &str) -> Result<String, StyleError> {
    balanced(css)?;
    sheet::written(css, class)
}

/// Refuses braces without partners, which parsers of styles put up with.
fn balanced(css: &str) -> Result<(), StyleError> {
    let mut open: Vec<(u32, u32)> = Vec::new();
    let (mut line, mut column) = (1_u32, 0_u32);
    let mut letters = css.chars().peekable();
    let mut quote = None;
    while let Some(letter) = letters.next() {
        column = column.saturating_add(1);
        if letter == '\n' {
            (line, column) = (line.saturating_add(1), 0);
        }
        match (quote, letter) {
            (_, '\\') => drop(letters.next()),
            (Some('*'), '*') if letters.peek() == Some(&'/') => quote = None,
            (Some(mark), _) if mark == letter && mark != '*' => quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'') => quote = Some(letter),
            (None, '/') if letters.peek() == Some(&'*') => quote = Some('*'),
            (None, '{') => open.push((line, column)),
            (None, '}') if open.pop().is_none() => {
                return Err(StyleError { line, column, why: "this brace closes nothing; take it out".into() });
            }
            (None, _) => {}
        }
    }
    match open.pop() {
        Some((line, column)) => Err(StyleError { line, column, why: "this brace is never closed; add a }".into() }),
        None => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_style_stays_inside_of_its_class() {
        let css = "& { background: red } .part-title { color: blue; &:hover { color: red } }
            @media (max-width: 500px) { .part-icon { display: none } }
            @keyframes sway { from { rotate: 1deg } } .part-bar { animation: sway 2s infinite }";
        let made = made(css, "own-1").unwrap();
        for said in [
            ".own-1.own-1{background:red}",
            ".own-1.own-1 .part-title{color:blue}",
            ".own-1.own-1 .part-title:hover{color:red}",
            "@media (max-width: 500px){.own-1.own-1 .part-icon{display:none}}",
            "@keyframes sway-own-1{from{rotate:1deg}}",
            ".own-1.own-1 .part-bar{animation:sway-own-1 2s infinite}",
        ] {
            assert!(made.contains(said), "{said} in {made}");
        }
        let picture = check(".part-frame { background: url(/clips/Zy9_x-3kQ) }");
        assert_eq!(picture, Ok(()));
    }

    #[test]
    fn rules_within_rules_are_written_out_flat() {
        let css = "&.x, .a { > .b, .c { & ~ .d:not(.e, [title=\"}\"]) { margin: -1px } } --x: {a:b};
            a:hover { color: red !important } @media print { color: blue } }";
        let made = made(css, "o").unwrap();
        for said in [
            ".o.o.x>.b~.d:not(.e,[title=\"}\"]),.o.o.x .c~.d:not(.e,[title=\"}\"])",
            ".o.o.x,.o.o .a{--x:{a:b}}",
            ".o.o.x a:hover,.o.o .a a:hover{color:red !important}",
            "@media print{.o.o.x,.o.o .a{color:blue}}",
        ] {
            assert!(made.contains(said), "{said} in {made}");
        }
        let many = ".a, .b, .c, .d, .e { ".repeat(4) + &"}".repeat(4);
        assert!(check(&many).unwrap_err().why.starts_with("too many selectors"));
        let deep = ".a { ".repeat(60) + &"}".repeat(60);
        assert!(check(&deep).unwrap_err().why.starts_with("rules stand too deep"));
        assert!(check(&format!(".a {{ width: {}1{} }}", "(".repeat(60), ")".repeat(60))).is_err());
    }

    #[test]
    fn what_leads_out_or_is_no_style_is_refused_with_its_place() {
        for (css, place, why) in [
            ("@import url(//x.example/a.css);", (1, 1), "nothing can be loaded from elsewhere"),
            (".a {}\n@font-face { font-family: x; src: url(/clips/abcdefgh) }", (2, 1), "a font comes from Files"),
            (".a { background: url(https://x.example/a.png) }", (1, 18), "nothing can be loaded from elsewhere"),
            (".a { --x: url(a.png) }", (1, 11), "nothing can be loaded from elsewhere"),
            (".a { color: red", (1, 4), "this brace is never closed"),
            (".a { color: red }\n }", (2, 2), "this brace closes nothing"),
            (".a { --x: image-set(\"a.png\" 1x) }", (1, 21), "nothing can be loaded from elsewhere"),
            (".a { background: image-set(var(--x) 1x) }", (1, 28), "nothing can be loaded from elsewhere"),
            (".a { background: IMAGE-SET((\"a.png\") 1x) }", (1, 29), "nothing can be loaded from elsewhere"),
            (".a { width: expression(alert(1)) }", (1, 13), "a style runs no expression"),
            ("& + .air { color: red }", (1, 1), "& + and & ~ lead out"),
            ("+ .air { color: red }", (1, 1), "& + and & ~ lead out"),
            ("& { & ~ .air { color: red } }", (1, 5), "& + and & ~ lead out"),
            ("&.x ~ .air { color: red }", (1, 1), "& + and & ~ lead out"),
            ("body:has(&) { color: red }", (1, 10), "& stands in front"),
            (".a & { color: red }", (1, 4), "& stands in front"),
            ("&air { color: red }", (1, 2), "“air” cannot stand here"),
            (".a > { color: red }", (1, 1), "a selector is missing"),
            (".a { color }", (1, 12), "something is missing here"),
            (".a { color: }", (1, 6), "a value is missing"),
            ("color: red", (1, 11), "something is missing here; a rule is a selector"),
            ("@page { margin: 0 }", (1, 1), "@page is not used here"),
            (".a { @keyframes x { from { color: red } } }", (1, 6), "@keyframes stand outside"),
            (".a {\n  color: red;\n  ] }", (3, 5), "something is missing here"),
        ] {
            let error = check(css).unwrap_err();
            assert_eq!((error.line, error.column), place, "{css}: {error}");
            assert!(error.why.starts_with(why), "{css}: {error}");
        }
    }

    proptest! {
        #[test]
        fn whatever_is_written_nothing_falls_over_and_nothing_stands_outside(
            css in "([.&a-z]{1,6}[ +~>]{0,2}){1,3}[{]([a-z-]{1,8}:[a-z0-9#()/ ]{0,12};){0,3}[}]{1,2}",
        ) {
            if let Ok(made) = made(&css, "own-1") {
                for rule in made.split('}').filter(|rule| !rule.is_empty()) {
                    let selectors = rule.split('{').next().unwrap_or_default();
                    prop_assert!(selectors.split(',').all(|one| one.contains(".own-1.own-1")), "{}", made);
                }
            }
        }

        #[test]
        fn no_text_makes_the_parser_panic(css in ".{0,80}") {
            let _ = check(&css);
        }
    }
}
