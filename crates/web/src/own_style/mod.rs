//! Styles of the streamer's own: read by a parser, held to one drawing or one overlay, and unable to load anything.
//!
//! What is written stands inside of the class of what it is for, so `&` is that thing itself, and any other selector means something
//! in it. See docs/own-style.md for the classes and properties that are promised to stay.

use lightningcss::properties::custom::Function;
use lightningcss::rules::{CssRule, CssRuleList, Location};
use lightningcss::selector::{Component, Selector};
use lightningcss::stylesheet::{MinifyOptions, ParserOptions, PrinterOptions, StyleSheet};
use lightningcss::targets::{Features, Targets};
use lightningcss::traits::ToCss;
use lightningcss::values::ident::CustomIdent;
use lightningcss::values::url::Url;
use lightningcss::visit_types;
use lightningcss::visitor::{Visit, VisitTypes, Visitor};
use std::collections::{BTreeSet, HashMap};
use std::sync::{Arc, LazyLock, Mutex, PoisonError};
use tally_core::record::own;

/// As many styles are kept as they were made, since drawings are made many times a second.
const MOST_KEPT: usize = 256;
/// Where files of one's own are found.
const OWN_FILES: &str = "/clips/";

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
    let mut sheet = parsed(css)?;
    let mut names = BTreeSet::new();
    looked_through(&sheet.rules, true, &mut names)?;
    sheet.visit(&mut Bounds { names, class })?;
    // Rules of movements stand by themselves under names of their own, all others inside of the class.
    let (mut inside, mut beside) = (String::new(), String::new());
    for rule in &sheet.rules.0 {
        let place = if matches!(rule, CssRule::Keyframes(_)) { &mut beside } else { &mut inside };
        place.push_str(&rule.to_css_string(PrinterOptions::default()).unwrap_or_default());
    }
    let whole = format!(".{class}.{class}{{{inside}}}{beside}");
    let mut nested = parsed(&whole)?;
    let targets = Targets { include: Features::Nesting, ..Targets::default() };
    let unfolded = nested.minify(MinifyOptions { targets, ..MinifyOptions::default() });
    let printed = nested.to_css(PrinterOptions { minify: true, targets, ..PrinterOptions::default() });
    match (unfolded, printed) {
        (Ok(()), Ok(printed)) => Ok(printed.code),
        _ => Err(StyleError { line: 1, column: 1, why: "it cannot be written as plain rules".into() }),
    }
}

fn parsed(css: &str) -> Result<StyleSheet<'_>, StyleError> {
    StyleSheet::parse(css, ParserOptions::default()).map_err(|error| {
        let (line, column) = error.loc.as_ref().map_or((0, 1), |loc| (loc.line, loc.column));
        StyleError { line: line.saturating_add(1), column, why: format!("{}", error.kind) }
    })
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

/// Only rules that say how something looks, and only of what is inside.
fn looked_through<'a>(rules: &CssRuleList<'a>, top: bool, names: &mut BTreeSet<String>) -> Result<(), StyleError> {
    for rule in &rules.0 {
        match rule {
            CssRule::Style(style) => {
                style.selectors.0.iter().try_for_each(|selector| keeps_inside(selector, style.loc))?;
                looked_through(&style.rules, false, names)?;
            }
            CssRule::Media(media) => looked_through(&media.rules, false, names)?,
            CssRule::Supports(supports) => looked_through(&supports.rules, false, names)?,
            CssRule::Container(container) => looked_through(&container.rules, false, names)?,
            CssRule::NestedDeclarations(_) | CssRule::Ignored => {}
            CssRule::Keyframes(frames) if top => {
                names.insert(frames.name.to_css_string(PrinterOptions::default()).unwrap_or_default());
            }
            CssRule::Keyframes(frames) => return Err(wrong(frames.loc, "@keyframes stand outside of other rules")),
            CssRule::Import(import) => {
                return Err(wrong(import.loc, "nothing can be loaded from elsewhere; paste it here instead"));
            }
            CssRule::FontFace(face) => {
                return Err(wrong(face.loc, "a font comes from Files; add it there, and choose it in the drawer Text"));
            }
            other => {
                let rule = other.to_css_string(PrinterOptions::default()).unwrap_or_default();
                let name: String = rule.chars().take_while(|letter| !letter.is_whitespace()).take(20).collect();
                let why =
                    format!("{name} is not used here; there are rules, @media, @supports, @container, @keyframes");
                return Err(StyleError { line: 1, column: 1, why });
            }
        }
    }
    Ok(())
}

/// `&` is the thing itself: it stands in front, and leads to nothing beside it.
fn keeps_inside(selector: &Selector<'_>, at: Location) -> Result<(), StyleError> {
    let is_itself = |part: &Component<'_>| matches!(part, Component::Nesting);
    let says_itself = |one: &Selector<'_>| one.iter_raw_parse_order_from(0).any(is_itself);
    // The first step from the first stretch to the second; a stretch is told of from its end.
    let mut first = None;
    for part in selector.iter_raw_parse_order_from(0) {
        match part {
            Component::Nesting if first.is_some() => return Err(wrong(at, "& stands in front of all else")),
            Component::Combinator(way) if first.is_none() => first = Some(*way),
            Component::Is(all) | Component::Where(all) | Component::Has(all) | Component::Negation(all)
                if all.iter().any(says_itself) =>
            {
                return Err(wrong(at, "& stands in front of all else, not in brackets"));
            }
            _ => {}
        }
    }
    if says_itself(selector) && first.is_some_and(|way| way.is_sibling()) {
        return Err(wrong(at, "& + and & ~ lead out of the widget; style what is inside"));
    }
    Ok(())
}

/// Looks at every value: no address but those of files of one's own, and movements under names of their own.
struct Bounds<'a> {
    names: BTreeSet<String>,
    class: &'a str,
}

impl<'i> Visitor<'i> for Bounds<'_> {
    type Error = StyleError;

    fn visit_types(&self) -> VisitTypes {
        visit_types!(URLS | CUSTOM_IDENTS | FUNCTIONS)
    }

    fn visit_url(&mut self, url: &mut Url<'i>) -> Result<(), StyleError> {
        let token = url.url.strip_prefix(OWN_FILES).map(|token| format!("{}{token}", own::OWN));
        if token.is_some_and(|named| own::token(&named).is_some()) {
            return Ok(());
        }
        // Addresses count their lines from 1, rules from 0.
        let at = Location { source_index: 0, line: url.loc.line.saturating_sub(1), column: url.loc.column };
        Err(wrong(
            at,
            "nothing can be loaded from elsewhere; add the picture to Files, and write its address from there",
        ))
    }

    fn visit_custom_ident(&mut self, ident: &mut CustomIdent<'_>) -> Result<(), StyleError> {
        if self.names.contains(ident.0.as_ref()) {
            ident.0 = format!("{}-{}", ident.0, self.class).into();
        }
        Ok(())
    }

    fn visit_function(&mut self, function: &mut Function<'i>) -> Result<(), StyleError> {
        if function.name.0.eq_ignore_ascii_case("expression") {
            return Err(StyleError { line: 1, column: 1, why: "a style runs no expression; leave it out".into() });
        }
        function.visit_children(self)
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
            ".own-1.own-1 .part-title{color:#00f}",
            ".own-1.own-1 .part-title:hover{color:red}",
            "@media (width<=500px){.own-1.own-1 .part-icon{display:none}}",
            "@keyframes sway-own-1{",
            "animation:2s infinite sway-own-1",
        ] {
            assert!(made.contains(said), "{said} in {made}");
        }
        let picture = check(".part-frame { background: url(/clips/Zy9_x-3kQ) }");
        assert_eq!(picture, Ok(()));
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
            (".a { width: expression(alert(1)) }", (1, 1), "a style runs no expression"),
            ("& + .air { color: red }", (1, 1), "& + and & ~ lead out"),
            ("&.x ~ .air { color: red }", (1, 1), "& + and & ~ lead out"),
            ("body:has(&) { color: red }", (1, 1), "& stands in front"),
            (".a & { color: red }", (1, 1), "& stands in front"),
            ("@page { margin: 0 }", (1, 1), "@page is not used here"),
            (".a {\n  color: red;\n  ] }", (3, 5), ""),
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
