//! What a style may say: rules of how something looks, of what is inside of its class, and nothing that loads from elsewhere.

use super::{StyleError, somewhere, where_it_says, wrong};
use lightningcss::error::ParserError;
use lightningcss::properties::animation::AnimationName;
use lightningcss::properties::custom::{CustomProperty, Function, Token, TokenList, TokenOrValue};
use lightningcss::properties::{Property, PropertyId};
use lightningcss::rules::keyframes::KeyframesName;
use lightningcss::rules::{CssRule, CssRuleList, Location};
use lightningcss::selector::{Combinator, Component, Selector};
use lightningcss::traits::ToCss;
use lightningcss::values::ident::CustomIdent;
use lightningcss::values::url::Url;
use lightningcss::visit_types;
use lightningcss::visitor::{Visit, VisitTypes, Visitor};
use std::collections::BTreeSet;
use tally_core::record::own;

/// Where files of one's own are found.
const OWN_FILES: &str = "/clips/";
const FROM_ELSEWHERE: &str =
    "nothing can be loaded from elsewhere; add the picture to Files, and write its address from there";
/// The functions that load whatever text stands in them.
const LOADING: [&str; 4] = ["src", "image", "image-set", "-webkit-image-set"];
/// What may stand in these: an address, which is looked at by itself, and the kind of a picture.
const WITHIN_LOADING: [&str; 2] = ["url", "type"];
const IN_FRONT: &str = "& stands in front of all else";
const LEADS_OUT: &str = "& + and & ~ lead out of the widget; style what is inside";
/// So many letters are told of what cannot stand somewhere.
const MOST_TOLD: usize = 20;

/// Why the parser takes no style, in our words.
pub(super) fn why(kind: &ParserError<'_>) -> String {
    match kind {
        ParserError::UnexpectedToken(token) => {
            let token: String =
                token.to_css_string(Default::default()).unwrap_or_default().chars().take(MOST_TOLD).collect();
            format!("“{token}” cannot stand here")
        }
        ParserError::EndOfInput => "something is missing here; a rule is a selector, and { what it says }".into(),
        ParserError::SelectorError(_) => "this is no selector; write one such as .part-title".into(),
        _ => "this is no rule; write a selector, and { what it says }".into(),
    }
}

/// Only rules that say how something looks, and only of what is inside. Gives the names of the movements that they tell of.
///
/// # Errors
/// Where it is wrong, and what to change.
pub(super) fn rules(rules: &CssRuleList<'_>, css: &str) -> Result<BTreeSet<String>, StyleError> {
    let mut names = BTreeSet::new();
    looked_through(rules, css, true, &mut names)?;
    Ok(names)
}

fn looked_through(
    rules: &CssRuleList<'_>,
    css: &str,
    top: bool,
    names: &mut BTreeSet<String>,
) -> Result<(), StyleError> {
    for rule in &rules.0 {
        match rule {
            CssRule::Style(style) => {
                style.selectors.0.iter().try_for_each(|selector| itself_in_front(selector, style.loc))?;
                looked_through(&style.rules, css, false, names)?;
            }
            CssRule::Media(media) => looked_through(&media.rules, css, false, names)?,
            CssRule::Supports(supports) => looked_through(&supports.rules, css, false, names)?,
            CssRule::Container(container) => looked_through(&container.rules, css, false, names)?,
            CssRule::NestedDeclarations(_) | CssRule::Ignored => {}
            CssRule::Keyframes(frames) if top => {
                names.insert(movement(&frames.name).to_owned());
            }
            CssRule::Keyframes(frames) => return Err(wrong(frames.loc, "@keyframes stand outside of other rules")),
            CssRule::Import(import) => {
                return Err(wrong(import.loc, "nothing can be loaded from elsewhere; paste it here instead"));
            }
            CssRule::FontFace(face) => {
                return Err(wrong(face.loc, "a font comes from Files; add it there, and choose it in the drawer Text"));
            }
            other => {
                let rule = other.to_css_string(Default::default()).unwrap_or_default();
                let name: String = rule.chars().take_while(|letter| !letter.is_whitespace()).take(MOST_TOLD).collect();
                let why =
                    format!("{name} is not used here; there are rules, @media, @supports, @container, @keyframes");
                return Err(where_it_says(css, &name, why));
            }
        }
    }
    Ok(())
}

fn movement<'a>(name: &'a KeyframesName<'_>) -> &'a str {
    match name {
        KeyframesName::Ident(name) => &name.0,
        KeyframesName::Custom(name) => name,
    }
}

/// What a selector begins with, up to where it leads on, and how it does.
fn first_step<'a, 'i>(selector: &'a Selector<'i>) -> (Vec<&'a Component<'i>>, Option<Combinator>) {
    let mut way = None;
    let step = selector.iter_raw_parse_order_from(0).take_while(|part| {
        if let Component::Combinator(leads) = part {
            way = Some(*leads);
        }
        way.is_none()
    });
    (step.collect(), way)
}

fn is_itself(part: &Component<'_>) -> bool {
    matches!(part, Component::Nesting)
}

/// `&` is the thing itself, and stands in front.
fn itself_in_front(selector: &Selector<'_>, at: Location) -> Result<(), StyleError> {
    let (step, _) = first_step(selector);
    if selector.iter_raw_parse_order_from(step.len()).any(is_itself) {
        return Err(wrong(at, IN_FRONT));
    }
    Ok(())
}

/// Whether every rule, as it is written in the end, is about something inside of a class.
///
/// # Errors
/// One is not.
pub(super) fn stays_inside(rules: &CssRuleList<'_>, class: &str) -> Result<(), StyleError> {
    for rule in &rules.0 {
        match rule {
            CssRule::Style(style) => {
                style.selectors.0.iter().try_for_each(|selector| begins_inside(selector, class).map(drop))?;
                stays_inside(&style.rules, class)?;
            }
            CssRule::Media(media) => stays_inside(&media.rules, class)?,
            CssRule::Supports(supports) => stays_inside(&supports.rules, class)?,
            CssRule::Container(container) => stays_inside(&container.rules, class)?,
            CssRule::Keyframes(_) | CssRule::Ignored => {}
            _ => return Err(somewhere(IN_FRONT)),
        }
    }
    Ok(())
}

/// Whether a selector begins with the class, and leads to nothing beside that. Says whether it is about that itself.
fn begins_inside(selector: &Selector<'_>, class: &str) -> Result<bool, StyleError> {
    let (step, way) = first_step(selector);
    let is_class = |part: &&&Component<'_>| matches!(part, Component::Class(name) if name.0 == class);
    // Several selectors around one are written together.
    let together = step.iter().find_map(|part| match part {
        Component::Is(all) | Component::Where(all) => Some(all),
        _ => None,
    });
    let itself = match together {
        _ if step.iter().filter(is_class).count() > 1 => true,
        Some(all) => {
            let each = all.iter().map(|one| begins_inside(one, class)).collect::<Result<Vec<bool>, _>>()?;
            each.contains(&true)
        }
        None => return Err(somewhere(IN_FRONT)),
    };
    match way {
        Some(Combinator::NextSibling | Combinator::LaterSibling) if itself => Err(somewhere(LEADS_OUT)),
        way => Ok(itself && way.is_none()),
    }
}

/// Looks at every value: no address but those of files of one's own, and movements under names of their own.
pub(super) struct Values<'a> {
    pub css: &'a str,
    pub names: BTreeSet<String>,
    pub class: &'a str,
}

impl Values<'_> {
    fn renamed(&self, name: &str) -> Option<String> {
        self.names.contains(name).then(|| format!("{name}-{}", self.class))
    }

    fn rename(&self, name: &mut AnimationName<'_>) {
        let own = match name {
            AnimationName::Ident(ident) => self.renamed(&ident.0),
            AnimationName::String(text) => self.renamed(&text.0),
            AnimationName::None => None,
        };
        if let Some(own) = own {
            *name = AnimationName::Ident(CustomIdent(own.into()));
        }
    }

    /// In a value that is known on the page alone, since a variable stands in it.
    fn rename_within(&self, list: &mut TokenList<'_>) {
        for part in &mut list.0 {
            if let TokenOrValue::Token(Token::Ident(name) | Token::String(name)) = part
                && let Some(own) = self.renamed(name)
            {
                *part = TokenOrValue::Token(Token::Ident(own.into()));
            }
        }
    }
}

fn is_own(url: &str) -> bool {
    let token = url.strip_prefix(OWN_FILES).map(|token| format!("{}{token}", own::OWN));
    token.is_some_and(|named| own::token(&named).is_some())
}

/// What stands in a function that loads: addresses of one's own, and nothing that is known on the page alone.
fn loads_own(list: &TokenList<'_>) -> bool {
    list.0.iter().all(|part| match part {
        TokenOrValue::Token(Token::String(url)) => is_own(url),
        TokenOrValue::Function(function) => WITHIN_LOADING.iter().any(|one| function.name.0.eq_ignore_ascii_case(one)),
        TokenOrValue::Var(_) | TokenOrValue::Env(_) => false,
        _ => true,
    })
}

impl<'i> Visitor<'i> for Values<'_> {
    type Error = StyleError;

    fn visit_types(&self) -> VisitTypes {
        visit_types!(RULES | PROPERTIES | URLS | FUNCTIONS)
    }

    fn visit_rule(&mut self, rule: &mut CssRule<'i>) -> Result<(), StyleError> {
        if let CssRule::Keyframes(frames) = rule
            && let Some(own) = self.renamed(movement(&frames.name))
        {
            frames.name = KeyframesName::Ident(CustomIdent(own.into()));
        }
        rule.visit_children(self)
    }

    fn visit_property(&mut self, property: &mut Property<'i>) -> Result<(), StyleError> {
        match property {
            Property::Animation(all, _) => all.iter_mut().for_each(|one| self.rename(&mut one.name)),
            Property::AnimationName(all, _) => all.iter_mut().for_each(|one| self.rename(one)),
            Property::Unparsed(one)
                if matches!(one.property_id, PropertyId::Animation(_) | PropertyId::AnimationName(_)) =>
            {
                self.rename_within(&mut one.value);
            }
            Property::Custom(CustomProperty { name, value }) if name.as_ref().contains("animation") => {
                self.rename_within(value);
            }
            _ => {}
        }
        property.visit_children(self)
    }

    fn visit_url(&mut self, url: &mut Url<'i>) -> Result<(), StyleError> {
        if is_own(&url.url) {
            return Ok(());
        }
        // Addresses count their lines from 1, rules from 0.
        let at = Location { source_index: 0, line: url.loc.line.saturating_sub(1), column: url.loc.column };
        Err(wrong(at, FROM_ELSEWHERE))
    }

    fn visit_function(&mut self, function: &mut Function<'i>) -> Result<(), StyleError> {
        let is = |name: &&str| function.name.0.eq_ignore_ascii_case(name);
        if is(&"expression") {
            return Err(where_it_says(self.css, &function.name.0, "a style runs no expression; leave it out"));
        }
        if LOADING.iter().any(is) && !loads_own(&function.arguments) {
            return Err(where_it_says(self.css, &function.name.0, FROM_ELSEWHERE));
        }
        function.visit_children(self)
    }
}
