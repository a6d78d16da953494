//! The files of the typefaces that ship with the application: which of them some letters need.
//!
//! A typeface comes in many files, each for some letters. Letters of the far east and emoji alone have some hundred and fifty,
//! and the sheet that names them all is larger than any page; so a page that meets such letters asks for the rules of those
//! alone, and a picture carries the files that it needs.

use crate::assets;
use actix_web::http::header::{CacheControl, CacheDirective, ContentType};
use actix_web::{HttpResponse, web};
use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use serde::Deserialize;
use std::cmp::Reverse;
use std::collections::BTreeSet;
use std::sync::LazyLock;

/// Most letters that are asked for at once.
const MOST_LETTERS: usize = 200;
/// Most files that a page is told to fetch ahead; a page with more typefaces fetches the others when it meets them.
const MOST_AHEAD: usize = 6;
/// What stands in where a typeface lacks a letter.
const FALLBACK: &str = "Noto Sans";

/// One file of a typeface.
struct Typeface {
    family: String,
    /// Its rule, as it stands in the sheet.
    rule: String,
    file: String,
    /// For which letters it is: from and to, both included.
    letters: Vec<(u32, u32)>,
}

impl Typeface {
    /// A line of a sheet, which `tools/browser/fonts.mjs` writes.
    fn of(rule: &str) -> Option<Self> {
        let between = |from: &str, to: char| Some(rule.split_once(from)?.1.split_once(to)?.0.trim());
        let range = |one: &str| {
            let plain = one.trim().strip_prefix("U+")?;
            let (from, to) = plain.split_once('-').unwrap_or((plain, plain));
            Some((u32::from_str_radix(from, 16).ok()?, u32::from_str_radix(to, 16).ok()?))
        };
        Some(Self {
            family: between("font-family: \"", '"')?.to_owned(),
            file: between("url(", ')')?.to_owned(),
            letters: between("unicode-range:", ';')?.split(',').filter_map(range).collect(),
            rule: rule.to_owned(),
        })
    }

    fn has(&self, letter: char) -> bool {
        self.letters.iter().any(|(from, to)| (*from..=*to).contains(&u32::from(letter)))
    }
}

fn sheet(name: &str) -> Vec<Typeface> {
    assets::text(name).unwrap_or_default().lines().filter_map(Typeface::of).collect()
}

/// Those that every page knows.
static COMMON: LazyLock<Vec<Typeface>> = LazyLock::new(|| sheet("fonts.css"));
/// Those of letters that most pages never show.
static SELDOM: LazyLock<Vec<Typeface>> = LazyLock::new(|| sheet("fonts-more.css"));

/// A file inside of an address.
pub fn data_url(kind: &str, bytes: &[u8]) -> String {
    format!("data:{kind};base64,{}", BASE64_STANDARD.encode(bytes))
}

/// The files that a drawing needs for its letters, by the typefaces that it names.
fn needed(drawing: &str, letters: &BTreeSet<char>) -> Vec<&'static Typeface> {
    let named = |all: &'static [Typeface]| all.iter().filter(|face| drawing.contains(&face.family));
    // In turn: what is named, then the fallback, then the fallback for what most pages never show.
    let turns: [Vec<&Typeface>; 3] = [
        named(&COMMON).filter(|face| face.family != FALLBACK).collect(),
        named(&COMMON).filter(|face| face.family == FALLBACK).collect(),
        named(&SELDOM).collect(),
    ];
    let mut missing: BTreeSet<char> = letters.iter().copied().filter(|letter| !letter.is_whitespace()).collect();
    let mut needed = Vec::new();
    for turn in turns {
        let had: Vec<&Typeface> =
            turn.into_iter().filter(|face| missing.iter().any(|letter| face.has(*letter))).collect();
        missing.retain(|letter| !had.iter().any(|face| face.has(*letter)));
        needed.extend(had);
    }
    needed
}

/// The same with their files inside.
pub fn inside(drawing: &str, letters: &BTreeSet<char>) -> String {
    let whole = |face: &Typeface| {
        let bytes = assets::bytes(&face.file)?;
        Some(face.rule.replace(&face.file, &data_url("font/woff2", &bytes)))
    };
    needed(drawing, letters).into_iter().filter_map(whole).collect()
}

/// The files that a page should fetch before its script has put the looks on, which would be late: by their names.
pub fn ahead(drawing: &str) -> Vec<&'static str> {
    let letters: BTreeSet<char> = drawing.chars().collect();
    let mut faces = needed(drawing, &letters);
    // Most of what is written is in a file with the letters of English; one with a single letter of it can wait.
    let many = |face: &Typeface| letters.iter().filter(|letter| face.has(**letter)).count();
    faces.retain(|face| many(face) * 10 >= letters.len());
    faces.sort_by_key(|face| Reverse(many(face)));
    faces.into_iter().map(|face| face.file.as_str()).take(MOST_AHEAD).collect()
}

/// Letters for which a page asks.
#[derive(Deserialize)]
pub struct Asked {
    of: String,
}

/// `GET /letters/{build}/fonts.css?of=…`: the rules of the files that have some of these letters.
pub async fn letters(asked: web::Query<Asked>) -> HttpResponse {
    let build = assets::build();
    let letters: BTreeSet<char> = asked.of.chars().take(MOST_LETTERS).collect();
    let needed = SELDOM.iter().filter(|face| letters.iter().any(|letter| face.has(*letter)));
    let rule = |face: &Typeface| face.rule.replace("url(fonts/", &format!("url(/assets/{build}/fonts/")) + "\n";
    HttpResponse::Ok()
        .insert_header(ContentType(mime()))
        .insert_header(CacheControl(vec![CacheDirective::Private, CacheDirective::MaxAge(31_536_000)]))
        .body(needed.map(rule).collect::<String>())
}

fn mime() -> actix_web::mime::Mime {
    actix_web::mime::TEXT_CSS_UTF_8
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_rule_of_the_sheets_is_read_and_names_a_file_that_is_there() {
        for (name, faces) in [("fonts.css", &*COMMON), ("fonts-more.css", &*SELDOM)] {
            let text = assets::text(name).unwrap();
            assert_eq!(faces.len(), text.matches("@font-face").count(), "{name}");
            for face in faces {
                assert!(assets::bytes(&face.file).is_some() && !face.letters.is_empty(), "{}", face.rule);
            }
        }
    }

    #[test]
    fn only_what_letters_need_comes_along() {
        let of = |text: &str| inside("\"Lobster\", \"Noto Sans\"", &text.chars().collect());
        assert_eq!(of("Tea").matches("@font-face").count(), 1, "the typeface itself");
        assert_eq!(of("Tea \u{3c3}").matches("@font-face").count(), 2, "and what it lacks");
        assert!(of("\u{9ad8}").len() < 400_000);
        assert_eq!(of(" "), "");
    }
}
