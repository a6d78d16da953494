//! *Latest tip* tells of the *latest* of the *tips* *as they come* from *all time*, as *…*; before
//! there is one, *Be the first*.

use super::{Label, Which};
use crate::count::{Scope, sentence as counting};
use crate::lines::checked;
use crate::sentence::{EditError, Editor, Part, input};
use crate::template;
use crate::widgets::no_such_part;

const TITLE: &str = "The title";
const WHICH: &str = "The entry shown";
const NTH: &str = "The place";
const TEXT: &str = "The text";
const PLACEHOLDER: &str = "The placeholder";
/// Furthest place that can be asked for.
const MOST: i64 = 50;

impl Which {
    const ALL: [Self; 3] = [Self::Latest, Self::Largest, Self::Top];

    fn key(self) -> &'static str {
        match self {
            Self::Latest => "latest",
            Self::Largest => "largest",
            Self::Top => "top",
        }
    }

    fn words(self) -> &'static str {
        match self {
            Self::Latest => "the latest one",
            Self::Largest => "the largest one",
            Self::Top => "whoever gave most",
        }
    }
}

/// The parts from which one to the placeholder, without the title.
pub(in crate::widgets) fn parts(label: &Label, scope: &Scope<'_>) -> Vec<Part> {
    let choice = Editor::choice(Which::ALL.map(|one| (one.key(), one.words())), label.which.key());
    let mut parts = vec![Part::field("which", WHICH, label.which.words(), choice)];
    if label.which != Which::Largest {
        let shown = if label.nth <= 1 { "in first place".to_owned() } else { format!("in place {}", label.nth) };
        parts.push(Part::field(
            "nth",
            NTH,
            shown,
            Editor::Number { value: label.nth.to_string(), sign: String::new() },
        ));
    }
    parts.push(Part::words("of"));
    parts.extend(counting::parts(&label.count, scope));
    let text = if label.template.is_empty() { "name and figure" } else { label.template.as_str() };
    parts.extend([
        Part::words(", saying"),
        Part::field(
            "template",
            TEXT,
            text,
            Editor::Template { value: label.source().to_owned(), values: template::of_lines() },
        ),
        Part::words("; before there is one,"),
        Part::field(
            "placeholder",
            PLACEHOLDER,
            if label.placeholder.is_empty() { "nothing" } else { label.placeholder.as_str() },
            Editor::Text { value: label.placeholder.clone() },
        ),
    ]);
    let title = Part::field("title", TITLE, label.title.as_str(), Editor::Text { value: label.title.clone() });
    [title, Part::words("tells of")].into_iter().chain(parts).collect()
}

pub(in crate::widgets) fn edit(label: &mut Label, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
    match key {
        "title" => label.title = input(TITLE, text).title()?,
        "which" => label.which = input(WHICH, text).choice(&Which::ALL, Which::key)?,
        "nth" => label.nth = u32::try_from(input(NTH, text).whole(1, MOST)?).unwrap_or(1),
        "template" => label.template = checked(text)?,
        "placeholder" => label.placeholder = input(PLACEHOLDER, text).line()?,
        _ => {
            if !counting::edit(&mut label.count, key, text, scope)? {
                return Err(no_such_part(key));
            }
        }
    }
    Ok(())
}
