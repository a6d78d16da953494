//! Brackets of a style: each has its partner, and they stand in one another no deeper than any style needs. The parser goes down
//! as deep as they do, so this is looked at before it.

use super::StyleError;
use cssparser::{Parser, ParserInput, SourceLocation, Token};

/// How deep brackets may stand in one another.
const DEEPEST: usize = 24;

/// Whether brackets fit together, and stand no deeper than that.
///
/// # Errors
/// Where they do not.
pub(super) fn check(css: &str) -> Result<(), StyleError> {
    let mut input = ParserInput::new(css);
    within(&mut Parser::new(&mut input), css, DEEPEST)
}

fn wrong(at: SourceLocation, why: &str) -> StyleError {
    StyleError { line: at.line.saturating_add(1), column: at.column, why: why.to_owned() }
}

fn within(input: &mut Parser<'_, '_>, css: &str, depth: usize) -> Result<(), StyleError> {
    loop {
        let at = input.current_source_location();
        let Ok(token) = input.next_including_whitespace_and_comments() else { return Ok(()) };
        let close = match token {
            Token::Function(_) | Token::ParenthesisBlock => b')',
            Token::SquareBracketBlock => b']',
            Token::CurlyBracketBlock => b'}',
            Token::CloseCurlyBracket => return Err(wrong(at, "this brace closes nothing; take it out")),
            Token::CloseParenthesis | Token::CloseSquareBracket => {
                return Err(wrong(at, "this bracket closes nothing; take it out"));
            }
            Token::BadString(_) => return Err(wrong(at, "this text has no closing quote; add one")),
            Token::BadUrl(_) => return Err(wrong(at, "this address cannot be read; put it in quotes")),
            _ => continue,
        };
        let Some(depth) = depth.checked_sub(1) else {
            return Err(wrong(at, "brackets stand too deep in one another; write it flatter"));
        };
        let begins = input.position().byte_index();
        // What is wrong within is told as it is; nothing else can fail here.
        let mut found = Ok(());
        let _: Result<(), cssparser::ParseError<'_, ()>> = input.parse_nested_block(|input| {
            found = within(input, css, depth);
            while input.next_including_whitespace_and_comments().is_ok() {}
            Ok(())
        });
        found?;
        let ends = input.position().byte_index();
        // A parser of styles closes by itself at the end of the text whatever is open.
        if ends <= begins || css.as_bytes().get(ends.saturating_sub(1)) != Some(&close) {
            let why = match close {
                b'}' => "this brace is never closed; add a }",
                _ => "this bracket is never closed; add one that closes it",
            };
            return Err(wrong(at, why));
        }
    }
}
