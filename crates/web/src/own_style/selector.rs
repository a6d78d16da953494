//! Selectors of a style of the streamer's own, each led to what is inside of something.

use super::{Wrong, sound, wrong};
use crate::css::{Met, Written, copy};
use cssparser::{ParseError, Parser, SourceLocation, Token};

/// So many selectors come of selectors that stand in one another.
const MOST: usize = 200;
const IN_FRONT: &str = "& stands in front of all else";

/// Whom a rule is about.
#[derive(Debug, Clone)]
pub(super) struct Inside {
    pub text: String,
    /// Whether it is the widget or overlay itself, and nothing in it.
    pub is_itself: bool,
}

/// One selector as it was written.
struct Selector {
    at: SourceLocation,
    /// Whether it begins with `&`, which is left out of the text.
    itself: bool,
    /// What leads from one step to the next the first time, if anything does.
    first: Option<char>,
    /// Whether it begins with that.
    is_relative: bool,
    text: String,
}

/// Whom a list of selectors is about, inside of others.
///
/// # Errors
/// It is none, or leads out.
pub(super) fn inside<'i>(input: &mut Parser<'i, '_>, of: &[Inside]) -> Result<Vec<Inside>, ParseError<'i, Wrong>> {
    let list = input.parse_comma_separated(selector)?;
    if list.len().saturating_mul(of.len()) > MOST {
        return Err(wrong(input.current_source_location(), "too many selectors stand in one another; write fewer"));
    }
    let mut all = Vec::new();
    for around in of {
        for one in &list {
            let leads_beside = matches!(one.first, Some('+' | '~')) && (one.itself || one.is_relative);
            if around.is_itself && leads_beside {
                return Err(wrong(one.at, "& + and & ~ lead out of the widget; style what is inside"));
            }
            let between = if one.itself || one.is_relative { "" } else { " " };
            let is_itself = around.is_itself && one.itself && one.first.is_none();
            all.push(Inside { text: format!("{}{between}{}", around.text, one.text), is_itself });
        }
    }
    Ok(all)
}

fn selector<'i>(input: &mut Parser<'i, '_>) -> Result<Selector, ParseError<'i, Wrong>> {
    input.skip_whitespace();
    let at = input.current_source_location();
    let (mut out, mut itself, mut first, mut is_relative) = (Written::default(), false, None, false);
    // How many parts the step has so far; what leads to it, where it has none.
    let (mut parts, mut leading) = (0_usize, None);
    loop {
        let here = input.current_source_location();
        let Ok(token) = input.next_including_whitespace().cloned() else { break };
        match &token {
            Token::WhiteSpace(_) => {
                if parts > 0 {
                    (parts, leading) = (0, Some(' '));
                }
                continue;
            }
            Token::Delim(way @ ('>' | '+' | '~')) => {
                if matches!(leading, Some('>' | '+' | '~')) {
                    return Err(here.new_unexpected_token_error(token));
                }
                is_relative |= leading.is_none() && parts == 0;
                (parts, leading) = (0, Some(*way));
                continue;
            }
            Token::Delim('&') => {
                if itself || parts > 0 || leading.is_some() {
                    return Err(wrong(here, IN_FRONT));
                }
                itself = true;
            }
            // The name of an element stands first in its step, and never right behind `&`.
            Token::Ident(_) | Token::Delim('*') if parts > 0 => return Err(here.new_unexpected_token_error(token)),
            Token::Ident(_)
            | Token::Delim('*' | '.')
            | Token::Hash(_)
            | Token::IDHash(_)
            | Token::Colon
            | Token::SquareBracketBlock => {}
            _ => return Err(here.new_unexpected_token_error(token)),
        }
        if let Some(way) = leading.take() {
            first.get_or_insert(way);
            match way {
                ' ' => out.space(),
                way => out.token(&Token::Delim(way)),
            }
        }
        parts = parts.saturating_add(1);
        part(input, &token, &mut out)?;
    }
    let leads_nowhere = matches!(leading, Some('>' | '+' | '~'));
    if leads_nowhere || (parts == 0 && leading.is_none()) {
        return Err(wrong(at, "a selector is missing, such as .part-title"));
    }
    // Right behind `&` whatever leads on must not be lost with the space in front.
    let text = if itself && first == Some(' ') { format!(" {}", out.text()) } else { out.text() };
    Ok(Selector { at, itself, first, is_relative, text })
}

/// One part of a step, whose first token was read.
fn part<'i>(input: &mut Parser<'i, '_>, token: &Token<'i>, out: &mut Written) -> Result<(), ParseError<'i, Wrong>> {
    match token {
        Token::Delim('&') => {}
        Token::Delim('.') => {
            out.token(token);
            out.token(&adjoining(input, |token| matches!(token, Token::Ident(_)))?);
        }
        Token::Colon => {
            out.token(token);
            named_state(input, out)?;
        }
        Token::SquareBracketBlock => {
            out.token(token);
            input.parse_nested_block(|input| copy(input, out, &mut in_brackets))?;
            out.token(&Token::CloseSquareBracket);
        }
        _ => out.token(token),
    }
    Ok(())
}

/// What comes right behind something else, if it is what may.
fn adjoining<'i>(
    input: &mut Parser<'i, '_>,
    may: impl Fn(&Token<'i>) -> bool,
) -> Result<Token<'i>, ParseError<'i, Wrong>> {
    let at = input.current_source_location();
    let token = input.next_including_whitespace_and_comments()?.clone();
    if may(&token) { Ok(token) } else { Err(at.new_unexpected_token_error(token)) }
}

/// What stands behind a colon: a state such as `hover`, or after another one a part such as `before`.
fn named_state<'i>(input: &mut Parser<'i, '_>, out: &mut Written) -> Result<(), ParseError<'i, Wrong>> {
    let is_name = |token: &Token<'i>| matches!(token, Token::Ident(_) | Token::Function(_));
    let mut name = adjoining(input, |token| is_name(token) || matches!(token, Token::Colon))?;
    if name == Token::Colon {
        out.token(&name);
        name = adjoining(input, is_name)?;
    }
    out.token(&name);
    if matches!(name, Token::Function(_)) {
        input.parse_nested_block(|input| copy(input, out, &mut in_brackets))?;
        out.token(&Token::CloseParenthesis);
    }
    Ok(())
}

fn in_brackets<'i>(met: Met<'i, '_>) -> Result<Option<Token<'i>>, ParseError<'i, Wrong>> {
    match met.token {
        Token::Delim('&') => Err(wrong(met.at, "& stands in front of all else, not in brackets")),
        Token::CurlyBracketBlock | Token::Semicolon => Err(met.at.new_unexpected_token_error(met.token.clone())),
        token => sound(token, met.at).map(|()| None),
    }
}
