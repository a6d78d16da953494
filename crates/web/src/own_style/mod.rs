//! Styles of the streamer's own: read by a parser, held to one drawing or one overlay, and unable to load anything.
//!
//! What is written stands inside of the class of what it is for, so `&` is that thing itself, and any other selector means something
//! in it. See docs/own-style.md for the classes and properties that are promised to stay.

mod bounds;
mod brackets;

use lightningcss::rules::{CssRule, Location};
use lightningcss::stylesheet::{MinifyOptions, ParserOptions, PrinterOptions, StyleSheet};
use lightningcss::targets::{Features, Targets};
use lightningcss::traits::ToCss;
use lightningcss::visitor::Visit;
use std::collections::HashMap;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

/// As many styles are kept as they were made, since drawings are made many times a second.
const MOST_KEPT: usize = 256;

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

fn wrong(at: Location, why: impl Into<String>) -> StyleError {
    StyleError { line: at.line.saturating_add(1), column: at.column, why: why.into() }
}

/// Where the parser gives no place.
fn somewhere(why: impl Into<String>) -> StyleError {
    StyleError { line: 1, column: 1, why: why.into() }
}

/// The same for what has a word by which it is found: where that stands first.
fn where_it_says(css: &str, word: &str, why: impl Into<String>) -> StyleError {
    let Some(before) = css.find(word).and_then(|at| css.get(..at)) else { return somewhere(why) };
    let count = |count: usize| u32::try_from(count).unwrap_or(u32::MAX).saturating_add(1);
    let column = before.rsplit('\n').next().unwrap_or_default().chars().count();
    StyleError { line: count(before.matches('\n').count()), column: count(column), why: why.into() }
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
    brackets::check(css)?;
    let mut sheet = parsed(css)?;
    let names = bounds::rules(&sheet.rules, css)?;
    sheet.visit(&mut bounds::Values { css, names, class })?;
    // Rules of movements stand by themselves under names of their own, all others inside of the class.
    let (mut inside, mut beside) = (String::new(), String::new());
    for rule in &sheet.rules.0 {
        let place = if matches!(rule, CssRule::Keyframes(_)) { &mut beside } else { &mut inside };
        place.push_str(&rule.to_css_string(PrinterOptions::default()).map_err(|_| unwritable())?);
    }
    let whole = format!(".{class}.{class}{{{inside}}}{beside}");
    let mut nested = parsed(&whole)?;
    // The embedded browsers of broadcasting programs may be some years old.
    let targets = Targets { include: Features::Nesting | Features::MediaRangeSyntax, ..Targets::default() };
    nested.minify(MinifyOptions { targets, ..MinifyOptions::default() }).map_err(|_| unwritable())?;
    let printed = nested.to_css(PrinterOptions { minify: true, targets, ..PrinterOptions::default() });
    let code = printed.map_err(|_| unwritable())?.code;
    bounds::stays_inside(&parsed(&code)?.rules, class)?;
    Ok(code)
}

fn unwritable() -> StyleError {
    somewhere("it cannot be written as plain rules; write it flatter")
}

fn parsed(css: &str) -> Result<StyleSheet<'_>, StyleError> {
    StyleSheet::parse(css, ParserOptions::default()).map_err(|error| {
        let (line, column) = error.loc.as_ref().map_or((0, 1), |loc| (loc.line, loc.column));
        StyleError { line: line.saturating_add(1), column, why: bounds::why(&error.kind) }
    })
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
            ".own-1.own-1 .part-title{color:#00f}",
            ".own-1.own-1 .part-title:hover{color:red}",
            "@media (max-width:500px){.own-1.own-1 .part-icon{display:none}}",
            "@keyframes sway-own-1{0%{rotate:1deg}}",
            ".own-1.own-1 .part-bar{animation:2s infinite sway-own-1}",
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
        assert!(!made.contains('&'), "{made}");
        for said in ["~.d:not(.e,[title=\\}]){margin:-1px}", " a:hover{color:red!important}", "@media print{"] {
            assert!(made.contains(said), "{said} in {made}");
        }
        for deep in
            [".a { ".repeat(60) + &"}".repeat(60), format!(".a {{ width: {}1{} }}", "(".repeat(60), ")".repeat(60))]
        {
            assert!(check(&deep).unwrap_err().why.starts_with("brackets stand too deep"));
        }
        // What stands in brackets leads nowhere, if what is in front of them is inside.
        assert_eq!(
            super::made(":nth-child(1 of & ~ .air) { top: 0 }", "o").unwrap(),
            ".o.o :nth-child(1 of .o.o~.air){top:0}"
        );
        // A text ends with its line, so what comes after it is no text.
        let hidden = format!(".a {{ width: \"\n{}", "(".repeat(200_000));
        assert!(check(&hidden).unwrap_err().why.starts_with("this text has no closing quote"));
    }

    #[test]
    fn movements_keep_their_names_apart_from_words_and_from_others() {
        let css = "@keyframes infinite { to { opacity: 0 } } @keyframes \"a b\" { to { opacity: 1 } }
            .a { animation: infinite 2s infinite } .b { animation: \"a b\" var(--t) } .c { animation-name: \"a b\", other }";
        let made = made(css, "o").unwrap();
        for said in [
            "@keyframes infinite-o{",
            "@keyframes a\\ b-o{",
            ".o.o .a{animation:2s infinite infinite-o}",
            ".o.o .b{animation:a\\ b-o var(--t)}",
            ".o.o .c{animation-name:a\\ b-o,other}",
        ] {
            assert!(made.contains(said), "{said} in {made}");
        }
        let kept = check("@media print { @keyframes x { to { opacity: 0 } } }").unwrap_err();
        assert!(kept.why.starts_with("@keyframes stand outside"), "{kept}");
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
            (".a { --x: image-set(\"a.png\" 1x) }", (1, 11), "nothing can be loaded from elsewhere"),
            (".a { background: image-set(var(--x) 1x) }", (1, 18), "nothing can be loaded from elsewhere"),
            (".a { background: IMAGE-SET((\"a.png\") 1x) }", (1, 18), "nothing can be loaded from elsewhere"),
            (".a { width: expression(alert(1)) }", (1, 13), "a style runs no expression"),
            ("& + .air { color: red }", (1, 1), "& + and & ~ lead out"),
            ("+ .air { color: red }", (1, 1), "this is no selector"),
            ("& { & ~ .air { color: red } }", (1, 1), "& + and & ~ lead out"),
            ("&.x ~ .air { color: red }", (1, 1), "& + and & ~ lead out"),
            ("body:has(&) { color: red }", (1, 1), "& stands in front"),
            (".a & { color: red }", (1, 1), "& stands in front"),
            (".a > { color: red }", (1, 6), "this is no selector"),
            (".a { color }", (1, 12), "something is missing here"),
            ("color: red", (1, 11), "something is missing here; a rule is a selector"),
            ("@page { margin: 0 }", (1, 1), "@page is not used here"),
            (".a { @keyframes x { from { color: red } } }", (1, 18), "this is no rule"),
            (".a {\n  color: red;\n  ] }", (3, 3), "this bracket closes nothing"),
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
