//! A style of the streamer's own, read rule by rule and written out flat under a class.

use super::selector::{Inside, inside};
use super::{StyleError, Wrong, sound, wrong};
use crate::css::{DEEPEST, Met, Written, copy};
use cssparser::{
    AtRuleParser, CowRcStr, DeclarationParser, ParseError, Parser, ParserInput, ParserState, QualifiedRuleParser,
    RuleBodyItemParser, RuleBodyParser, ToCss, Token,
};
use std::collections::BTreeSet;
use tally_core::record::own;

/// Where files of one's own are found.
const OWN_FILES: &str = "/clips/";
const FROM_ELSEWHERE: &str =
    "nothing can be loaded from elsewhere; add the picture to Files, and write its address from there";
/// The functions that load whatever address stands in them.
const LOADING: [&str; 5] = ["url", "src", "image", "image-set", "-webkit-image-set"];

/// A whole style under a class.
///
/// # Errors
/// Where it is wrong, and what to change.
pub(super) fn written(css: &str, class: &str) -> Result<String, StyleError> {
    // A movement may be named before it is told of; so the names are gathered first.
    let mut sheet = Sheet { class, names: BTreeSet::new(), movements: String::new() };
    sheet.read(css)?;
    sheet.movements.clear();
    let rules = sheet.read(css)?;
    Ok(rules + &sheet.movements)
}

struct Sheet<'a> {
    class: &'a str,
    /// The movements that it tells of.
    names: BTreeSet<String>,
    /// Them, each under a name of its own. They stand by themselves.
    movements: String,
}

impl Sheet<'_> {
    fn read(&mut self, css: &str) -> Result<String, StyleError> {
        let around = [Inside { text: format!(".{0}.{0}", self.class), is_itself: true }];
        let mut input = ParserInput::new(css);
        Ok(body(&mut Parser::new(&mut input), self, &around, false, DEEPEST)?)
    }

    fn renamed(&self, name: &str) -> Option<String> {
        self.names.contains(name).then(|| format!("{name}-{}", self.class))
    }
}

/// Rules, and where something is said of whom they are about, that too.
fn body<'i>(
    input: &mut Parser<'i, '_>,
    sheet: &mut Sheet<'_>,
    about: &[Inside],
    says: bool,
    depth: usize,
) -> Result<String, ParseError<'i, Wrong>> {
    let Some(depth) = depth.checked_sub(1) else {
        return Err(wrong(input.current_source_location(), "rules stand too deep in one another; write them flat"));
    };
    let mut body = Body { sheet, about, says, depth, said: String::new(), written: String::new() };
    for item in RuleBodyParser::new(input, &mut body) {
        item.map_err(|(error, _)| error)?;
    }
    body.end_saying();
    Ok(body.written)
}

struct Body<'a, 'b> {
    sheet: &'a mut Sheet<'b>,
    about: &'a [Inside],
    says: bool,
    depth: usize,
    /// What was said since the last rule that stands in it.
    said: String,
    written: String,
}

impl Body<'_, '_> {
    fn end_saying(&mut self) {
        if !self.said.is_empty() {
            let about: Vec<&str> = self.about.iter().map(|one| one.text.as_str()).collect();
            self.written += &format!("{}{{{}}}", about.join(","), std::mem::take(&mut self.said));
        }
    }
}

/// What a value may hold.
fn value<'i>(met: &Met<'i, '_>, sheet: &Sheet<'_>, moves: bool) -> Result<Option<Token<'i>>, ParseError<'i, Wrong>> {
    let loads = LOADING.iter().any(|one| met.function.eq_ignore_ascii_case(one));
    match met.token {
        Token::Function(name) if name.eq_ignore_ascii_case("expression") => {
            Err(wrong(met.at, "a style runs no expression; leave it out"))
        }
        // What it stands for is known on the page alone.
        Token::Function(_) if loads && !matches!(met.token, Token::Function(name) if may_stand(name)) => {
            Err(wrong(met.at, FROM_ELSEWHERE))
        }
        Token::UnquotedUrl(url) if !is_own(url) => Err(wrong(met.at, FROM_ELSEWHERE)),
        Token::QuotedString(url) if loads && !is_own(url) => Err(wrong(met.at, FROM_ELSEWHERE)),
        Token::Ident(name) | Token::QuotedString(name) if moves => {
            Ok(sheet.renamed(name).map(|name| Token::Ident(name.into())))
        }
        token => sound(token, met.at).map(|()| None),
    }
}

/// Whether a function may stand where something is loaded: one that names a file itself, or says of which kind it is.
fn may_stand(name: &str) -> bool {
    ["url", "type"].iter().any(|one| name.eq_ignore_ascii_case(one))
}

fn is_own(url: &str) -> bool {
    let token = url.strip_prefix(OWN_FILES).map(|token| format!("{}{token}", own::OWN));
    token.is_some_and(|named| own::token(&named).is_some())
}

impl<'i> DeclarationParser<'i> for Body<'_, '_> {
    type Declaration = ();
    type Error = Wrong;

    fn parse_value<'t>(
        &mut self,
        name: CowRcStr<'i>,
        input: &mut Parser<'i, 't>,
        start: &ParserState,
    ) -> Result<(), ParseError<'i, Wrong>> {
        let is_own_property = name.starts_with("--");
        let moves = name.to_ascii_lowercase().contains("animation");
        let mut out = Written::default();
        copy(input, &mut out, &mut |met| match met.token {
            // Then it is no value, but a rule about an element of this name.
            Token::CurlyBracketBlock if !is_own_property => Err(met.at.new_unexpected_token_error(met.token.clone())),
            _ => value(&met, self.sheet, moves),
        })?;
        if out.is_empty() && !is_own_property {
            return Err(wrong(start.source_location(), "a value is missing"));
        }
        let between = if self.said.is_empty() { "" } else { ";" };
        self.said += &format!("{between}{}:{}", Token::Ident(name).to_css_string(), out.text());
        Ok(())
    }
}

impl<'i> QualifiedRuleParser<'i> for Body<'_, '_> {
    type Prelude = Vec<Inside>;
    type QualifiedRule = ();
    type Error = Wrong;

    fn parse_prelude<'t>(&mut self, input: &mut Parser<'i, 't>) -> Result<Vec<Inside>, ParseError<'i, Wrong>> {
        inside(input, self.about)
    }

    fn parse_block<'t>(
        &mut self,
        about: Vec<Inside>,
        _: &ParserState,
        input: &mut Parser<'i, 't>,
    ) -> Result<(), ParseError<'i, Wrong>> {
        self.end_saying();
        self.written += &body(input, self.sheet, &about, true, self.depth)?;
        Ok(())
    }
}

/// A rule that begins with `@`.
enum At {
    /// The rules in it hold on a condition: its name, and the condition.
    Condition(String),
    /// A movement, under its own name.
    Movement(String),
}

impl<'i> AtRuleParser<'i> for Body<'_, '_> {
    type Prelude = At;
    type AtRule = ();
    type Error = Wrong;

    fn parse_prelude<'t>(
        &mut self,
        name: CowRcStr<'i>,
        input: &mut Parser<'i, 't>,
    ) -> Result<At, ParseError<'i, Wrong>> {
        let mut at = input.current_source_location();
        let length = u32::try_from(name.len()).unwrap_or_default();
        at.column = at.column.saturating_sub(length).saturating_sub(1);
        match name.to_ascii_lowercase().as_str() {
            name @ ("media" | "supports" | "container") => {
                let mut out = Written::default();
                copy(input, &mut out, &mut |met| value(&met, self.sheet, false))?;
                Ok(At::Condition(format!("@{name} {}", out.text())))
            }
            "keyframes" if !self.says => {
                let name = input.expect_ident_or_string()?.to_string();
                self.sheet.names.insert(name.clone());
                Ok(At::Movement(self.sheet.renamed(&name).unwrap_or(name)))
            }
            "keyframes" => Err(wrong(at, "@keyframes stand outside of other rules")),
            "import" => Err(wrong(at, "nothing can be loaded from elsewhere; paste it here instead")),
            "font-face" => Err(wrong(at, "a font comes from Files; add it there, and choose it in the drawer Text")),
            name => {
                let why =
                    format!("@{name} is not used here; there are rules, @media, @supports, @container, @keyframes");
                Err(wrong(at, &why))
            }
        }
    }

    fn parse_block<'t>(
        &mut self,
        at: At,
        _: &ParserState,
        input: &mut Parser<'i, 't>,
    ) -> Result<(), ParseError<'i, Wrong>> {
        self.end_saying();
        match at {
            At::Condition(condition) => {
                let rules = body(input, self.sheet, self.about, self.says, self.depth)?;
                self.written += &format!("{condition}{{{rules}}}");
            }
            At::Movement(name) => {
                let mut frames = Frames { sheet: self.sheet, written: String::new() };
                for frame in RuleBodyParser::new(input, &mut frames) {
                    frame.map_err(|(error, _)| error)?;
                }
                let frames = frames.written;
                self.sheet.movements +=
                    &format!("@keyframes {}{{{frames}}}", Token::Ident(name.into()).to_css_string());
            }
        }
        Ok(())
    }
}

impl<'i> RuleBodyItemParser<'i, (), Wrong> for Body<'_, '_> {
    fn parse_declarations(&self) -> bool {
        self.says
    }

    fn parse_qualified(&self) -> bool {
        true
    }
}

/// The frames of a movement.
struct Frames<'a, 'b> {
    sheet: &'a mut Sheet<'b>,
    written: String,
}

impl<'i> QualifiedRuleParser<'i> for Frames<'_, '_> {
    /// At which parts of it.
    type Prelude = String;
    type QualifiedRule = ();
    type Error = Wrong;

    fn parse_prelude<'t>(&mut self, input: &mut Parser<'i, 't>) -> Result<String, ParseError<'i, Wrong>> {
        let mut out = Written::default();
        copy(input, &mut out, &mut |met| match met.token {
            Token::Percentage { .. } | Token::Comma => Ok(None),
            Token::Ident(word) if word.eq_ignore_ascii_case("from") || word.eq_ignore_ascii_case("to") => Ok(None),
            token => Err(met.at.new_unexpected_token_error(token.clone())),
        })?;
        Ok(out.text())
    }

    fn parse_block<'t>(
        &mut self,
        at: String,
        _: &ParserState,
        input: &mut Parser<'i, 't>,
    ) -> Result<(), ParseError<'i, Wrong>> {
        // What is said in a frame is about nobody: under the text of the frame, it is written as any rule.
        let about = [Inside { text: at, is_itself: false }];
        let mut frame = Body {
            sheet: self.sheet,
            about: &about,
            says: true,
            depth: 0,
            said: String::new(),
            written: String::new(),
        };
        for said in RuleBodyParser::new(input, &mut frame) {
            said.map_err(|(error, _)| error)?;
        }
        frame.end_saying();
        self.written += &frame.written;
        Ok(())
    }
}

impl<'i> AtRuleParser<'i> for Frames<'_, '_> {
    type Prelude = ();
    type AtRule = ();
    type Error = Wrong;
}

impl DeclarationParser<'_> for Frames<'_, '_> {
    type Declaration = ();
    type Error = Wrong;
}

impl RuleBodyItemParser<'_, (), Wrong> for Frames<'_, '_> {
    fn parse_declarations(&self) -> bool {
        false
    }

    fn parse_qualified(&self) -> bool {
        true
    }
}
