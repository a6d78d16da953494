//! What is different for parts of one drawing, and the streamer's own style, as a style sheet of that drawing alone.
//!
//! A page's policy allows no style in markup. So the sheet goes along as data, under a class that is made from what it says, and the
//! page's script takes it up: the same sheet once, however many drawings use it.

use super::family_of;
use crate::own_style;
use sha2::{Digest, Sha256};
use std::fmt::Write;
use tally_core::look::{Look, Part, Token};
use tally_core::record::own;

/// The sheet of a drawing.
pub(super) struct Style {
    /// The class under which all of it stands.
    pub class: String,
    /// The rules.
    pub css: String,
}

/// The sheet of a look; none where nothing of it is different.
pub(super) fn style(look: &Look) -> Option<Style> {
    if look.parts.is_empty() && look.css.is_empty() {
        return None;
    }
    // The class is that of what was said, so that two drawings that say the same share one sheet.
    let said = serde_json::to_string(&(&look.parts, &look.css, look.base(), &look.own)).unwrap_or_default();
    let class = format!("own-{}", crate::markup::hex(&Sha256::digest(said)[..8]));
    let mut css: String = look.parts.keys().map(|part| rule(look, *part, &class)).collect();
    css.push_str(&own_style::scoped(&look.css, &class));
    Some(Style { class, css })
}

/// What is different for one part, as rules. The class stands twice, so that they count for more than any rule of ours.
fn rule(look: &Look, part: Part, scope: &str) -> String {
    let name = part.class();
    let said = declarations(look, part);
    let mut rules = format!(".{scope}.{scope} .{name}.{name},.{scope}.{scope}.{name}{{{said}}}");
    let moved = look.for_part(part, Token::MoveAcross).or(look.for_part(part, Token::MoveDown));
    if moved.is_some() {
        // A stretch of text stands in a line, where nothing can be moved that is no box.
        let _ = write!(rules, ".{scope} .run.{name}{{display:inline-block}}");
    }
    rules
}

fn declarations(look: &Look, part: Part) -> String {
    let own = |token| look.for_part(part, token);
    let resolved = |token: Token| own(token).unwrap_or_else(|| look.get(token)).to_owned();
    let any = |tokens: &[Token]| tokens.iter().any(|token| own(*token).is_some());
    let mut css = String::new();
    let mut say = |property: &str, value: String| {
        let _ = write!(css, "{property}:{value};");
    };
    if let Some(colour) = own(Token::TextColour) {
        say(if part == Part::Icon { "stroke" } else { "color" }, colour.into());
    }
    if let Some(font) = own(Token::Font) {
        say("font-family", family_of(font));
    }
    if let Some(weight) = own(Token::FontWeight) {
        say("font-weight", weight.into());
    }
    if let Some(width) = own(Token::FontWidth) {
        say("font-stretch", format!("{width}%"));
    }
    if let Some(size) = own(Token::FontSize) {
        say("zoom", format!("{size}%"));
    }
    if let Some(spacing) = own(Token::LetterSpacing) {
        say("letter-spacing", format!("calc({spacing} * 0.01em)"));
    }
    if let Some(case) = own(Token::LetterCase) {
        say("text-transform", if case == "upper" { "uppercase" } else { "none" }.into());
        say("font-variant-caps", if case == "small" { "small-caps" } else { "normal" }.into());
    }
    if any(&[Token::OutlineWidth, Token::OutlineColour]) {
        let (width, colour) = (resolved(Token::OutlineWidth), resolved(Token::OutlineColour));
        say("-webkit-text-stroke", format!("calc({width} * 0.012em) {colour}"));
    }
    if any(&[Token::Shadow, Token::ShadowColour, Token::ShadowOffset, Token::ShadowSoftness]) {
        let (strength, colour) = (resolved(Token::Shadow), resolved(Token::ShadowColour));
        let (offset, softness) = (resolved(Token::ShadowOffset), resolved(Token::ShadowSoftness));
        let mix = format!("color-mix(in srgb,{colour} {strength}%,transparent)");
        say("text-shadow", format!("0 calc({offset} * 0.01em) calc({softness} * 0.01em) {mix}"));
    }
    for token in
        [Token::IconSize, Token::IconPlate, Token::IconPlateOpacity, Token::Fill, Token::Track, Token::BarThickness]
    {
        if let Some(value) = own(token) {
            say(&super::property_name(token), value.into());
        }
    }
    // A colour that was chosen is to be seen, also where the look has no plates.
    let seen = match own(Token::BackgroundOpacity) {
        Some(opacity) => opacity.to_owned(),
        None if look.number(Token::BackgroundOpacity) == 0 => "100".into(),
        None => look.get(Token::BackgroundOpacity).to_owned(),
    };
    if any(&[Token::Background, Token::BackgroundOpacity]) {
        let mix = format!("color-mix(in srgb,{} {seen}%,transparent)", resolved(Token::Background));
        say("--background-colour", mix.clone());
        say("background-color", mix);
    }
    if let Some(colour) = own(Token::BorderColour) {
        say("--border-colour", colour.into());
        say("border-color", colour.into());
    }
    if let Some(width) = own(Token::BorderWidth) {
        say("--border", format!("calc({width} * 0.01em)"));
    }
    if let Some(radius) = own(Token::CornerRadius) {
        say("--radius", format!("calc({radius} * 0.01em)"));
        say("border-radius", "var(--radius)".into());
    }
    if let Some(picture) = own(Token::BackgroundPicture) {
        match picture_of(picture) {
            Some(url) => say("background", format!("{url} center / cover")),
            None => say("background-image", "none".into()),
        }
    }
    if any(&[Token::MoveAcross, Token::MoveDown]) {
        let (across, down) = (resolved(Token::MoveAcross), resolved(Token::MoveDown));
        say("translate", format!("calc({across} * 0.01em) calc({down} * 0.01em)"));
    }
    if let Some(opacity) = own(Token::Opacity) {
        say("opacity", format!("{opacity}%"));
    }
    if own(Token::Visibility) == Some("hidden") {
        say("display", "none!important".into());
    }
    css
}

/// The address of a file of one's own, for style sheets.
pub(super) fn picture_of(named: &str) -> Option<String> {
    own::token(named).map(|token| format!("url(\"/clips/{token}\")"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_core::look::Base;
    use tally_core::look::Shape;

    const SHAPES: &[Shape] = &[];

    #[test]
    fn what_is_different_for_a_part_stands_under_a_class_of_its_own() {
        let mut look = Look::of(Base::Plain);
        assert!(style(&look).is_none());
        for (key, text) in [
            ("part:name:font", "lobster"),
            ("part:name:move_down", "-10"),
            ("part:line:background", "#102030"),
            ("part:icon:visibility", "hidden"),
            ("part:icon:text_colour", "#ff0000"),
        ] {
            assert_eq!(look.edit(key, text, SHAPES), Ok(true), "{key}");
        }
        let Style { class, css } = style(&look).unwrap();
        for said in [
            "font-family:\"Lobster\", \"Noto Sans\", sans-serif;",
            "translate:calc(0 * 0.01em) calc(-10 * 0.01em);",
            "background-color:color-mix(in srgb,#102030 100%,transparent);",
            "display:none!important;",
            "stroke:#ff0000;",
        ] {
            assert!(css.contains(said), "{said} in {css}");
        }
        assert!(css.contains(&format!(".{class} .run.part-name{{display:inline-block}}")), "{css}");
        let mut other = look.clone();
        other.edit("part:name:font", "", SHAPES).unwrap();
        assert_ne!(style(&other).unwrap().class, class);
        assert_eq!(style(&look.clone()).unwrap().class, class);
    }
}
