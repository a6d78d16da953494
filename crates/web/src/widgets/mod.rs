//! How each family is drawn on air. One file and one template a family.

mod carousel;
mod chat_lines;
pub mod clock;
mod counter;
mod crowd_wall;
mod event_list;
mod face;
mod goal;
mod icon;
mod label;
mod leaderboard;
mod poll;
mod scoreboard;
mod style;
mod subathon;
mod ticker;
mod total;
mod tracker;
mod wheel;

pub use icon::sign;

use crate::markup::html;
use askama::Template;
use serde_json::Value;
use std::collections::BTreeMap;
use std::fmt;
use tally_core::count::Scope;
use tally_core::look::{Font, Form, Look, Shape, Sort, Token};
use tally_core::record::happening::Kind;
use tally_core::record::own;
use tally_core::widgets::Piece;
use tally_core::widgets::view::View;
use tally_engine::Seen;

/// What is around every drawing: its look and what the page's script goes by.
#[derive(Template)]
#[template(path = "widgets/frame.html")]
struct Frame<'a> {
    family: &'static str,
    classes: String,
    look: String,
    /// The drawing's own style sheet; empty where it has none.
    style: String,
    reached_at: Option<i64>,
    celebration: &'a str,
    sound: &'a str,
    /// What is heard of a clock, by the name of the page's attribute.
    sounds: Vec<(&'static str, &'a str)>,
    volume: &'a str,
    inner: String,
}

/// A page of the streamer's own, which draws in place of us: it is told the view, and can reach nothing.
#[derive(Template)]
#[template(path = "widgets/own_drawing.html")]
struct OwnDrawing<'a> {
    page: &'a str,
    title: &'a str,
    view: String,
}

/// A view as JSON, as other programs read it: what it shows in numbers and in words.
pub fn view_json(view: &View) -> Value {
    let mut value = serde_json::to_value(view).unwrap_or_default();
    if let Value::Object(fields) = &mut value {
        fields.insert("text".into(), view.text().into());
    }
    value
}

/// What a family's template gives: the inside, words about its state, and figures for its style.
struct Drawing {
    family: &'static str,
    shapes: &'static [Shape],
    inner: String,
    classes: Vec<&'static str>,
    figures: Vec<(&'static str, usize)>,
    /// The shape that is drawn where that is another than the look's.
    shape: Option<&'static str>,
}

impl Drawing {
    fn of(family: &'static str, shapes: &'static [Shape], inner: String) -> Self {
        Self { family, shapes, inner, classes: Vec::new(), figures: Vec::new(), shape: None }
    }

    fn figure(mut self, name: &'static str, figure: impl TryInto<usize>) -> Self {
        self.figures.push((name, figure.try_into().unwrap_or(0)));
        self
    }

    fn in_shape(self, shape: Option<&'static str>) -> Self {
        Self { shape, ..self }
    }

    fn class(mut self, class: &'static str, wanted: bool) -> Self {
        self.classes.extend(wanted.then_some(class));
        self
    }
}

/// The drawing of a widget, as HTML that goes inside its box.
pub fn draw(seen: Seen<'_>) -> String {
    let look = seen.look;
    let drawing = match seen.view {
        View::Goal(view) => goal::draw(view, look),
        View::Total(view) => total::draw(view),
        View::Label(view) => label::draw(view, look),
        View::Carousel(view) => carousel::draw(view, look),
        View::EventList(view) => event_list::draw(view, look),
        View::Ticker(view) => ticker::draw(view, look),
        View::Leaderboard(view) => leaderboard::draw(view),
        View::CrowdWall(view) => crowd_wall::draw(view),
        View::ChatLines(view) => chat_lines::draw(view),
        View::Counter(view) => counter::draw(view),
        View::Clock(view) => clock::draw(view, look),
        View::Subathon(view) => subathon::draw(view, look),
        View::Poll(view) => poll::draw(view, look),
        View::Wheel(view) => wheel::draw(view, look),
        View::Scoreboard(view) => scoreboard::draw(view),
        View::Tracker(view) => tracker::draw(view, look),
    };
    let inner = match own::token(look.get(Token::OwnDrawing)) {
        Some(page) => html(&OwnDrawing { page, title: seen.view.title(), view: view_json(seen.view).to_string() }),
        None => drawing.inner.clone(),
    };
    let (class, style) = style::style(look).map(|style| (style.class, style.css)).unzip();
    html(&Frame {
        family: drawing.family,
        classes: classes(look, &drawing, class),
        style: style.unwrap_or_default(),
        look: properties(look, &drawing.figures),
        reached_at: seen.celebration.map(|at| at.timestamp_millis()),
        celebration: look.get(Token::Celebration),
        sound: look.get(Token::CelebrationSound),
        sounds: sounds(look),
        volume: if seen.muted { "0" } else { look.get(Token::Volume) },
        inner,
    })
}

/// A widget with what it shows, which is drawn where it is written out.
pub struct Drawable {
    piece: Piece,
    view: View,
}

impl Drawable {
    /// A widget as it stands at an instant.
    pub fn of(piece: &Piece, scope: &Scope<'_>) -> Self {
        Self::showing(piece, piece.view(scope))
    }

    /// The look of a widget, showing this.
    pub fn showing(piece: &Piece, view: View) -> Self {
        Self { piece: piece.clone(), view }
    }

    /// What is seen of it.
    pub fn seen(&self) -> Seen<'_> {
        seen(&self.piece, &self.view)
    }
}

impl fmt::Display for Drawable {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        to.write_str(&draw(self.seen()))
    }
}

/// The drawing of a widget that stands beside others as an example: nothing in it is found again by its id.
pub fn example(seen: Seen<'_>) -> String {
    draw(seen).replace(" id=\"k", " data-example=\"k")
}

/// What a widget shows in its look, with nothing celebrated.
pub fn seen<'a>(piece: &'a Piece, view: &'a View) -> Seen<'a> {
    Seen { view, look: piece.look(), celebration: None, muted: false }
}

/// What is heard of a clock. Looks of other families have these tokens too, but nobody can set them there.
fn sounds(look: &Look) -> Vec<(&'static str, &str)> {
    let all = [
        ("tick", Token::LastSecondsSound),
        ("done", Token::DoneSound),
        ("added", Token::AddedSound),
        ("opened", Token::OpenedSound),
        ("flourish", Token::FlourishSound),
        ("passing", Token::PassingSound),
    ];
    all.into_iter().map(|(name, token)| (name, look.get(token))).filter(|(_, sound)| *sound != "none").collect()
}

fn classes(look: &Look, drawing: &Drawing, own: Option<String>) -> String {
    let mut all = vec![format!("look-{}", look.base().key())];
    let shape = drawing.shape.or_else(|| look.shape(drawing.shapes).map(|shape| shape.key));
    all.extend(shape.map(|shape| format!("shape-{shape}")));
    let said = [
        Token::LetterCase,
        Token::Alignment,
        Token::EntryMotion,
        Token::Entrance,
        Token::AnimationSpeed,
        Token::ShowTitle,
    ];
    for token in said {
        all.push(format!("{}-{}", token.key().replace('_', "-"), look.get(token)));
    }
    if look.get(Token::HighlightLower) != look.get(Token::HighlightColour) {
        all.push("has-gradient".into());
    }
    if look.number(Token::BackgroundOpacity) == 0 {
        all.push("has-no-background".into());
    }
    if look.get(Token::BackgroundPicture) != "none" {
        all.push("has-picture".into());
    }
    all.extend(drawing.classes.iter().map(|class| (*class).to_owned()));
    all.extend(own);
    all.join(" ")
}

/// A token as a custom property.
fn property(token: Token, value: &str) -> Option<(String, String)> {
    let value = match token.about().3 {
        Form::Clip(Sort::Picture, _) => style::picture_of(value)?,
        Form::Choice(_) | Form::Clip(..) => return None,
        Form::Font => family_of(value),
        Form::Colour | Form::Number(..) => value.to_owned(),
    };
    Some((property_name(token), value))
}

/// What a token is called in style sheets.
fn property_name(token: Token) -> String {
    format!("--{}", token.key().replace('_', "-"))
}

/// The typefaces of a font's word, for style sheets. One of the streamer's own is brought by the page's script, which
/// knows it by its name.
fn family_of(font: &str) -> String {
    let family = match own::token(font) {
        Some(token) => format!("font-own-{token}"),
        None => Font::of(font).family.to_owned(),
    };
    format!("\"{family}\", \"Noto Sans\", sans-serif")
}

/// All tokens as custom properties, in JSON: the page's policy allows no style attributes.
fn properties(look: &Look, figures: &[(&'static str, usize)]) -> String {
    let tokens = Token::ALL.into_iter().filter_map(|token| property(token, look.get(token)));
    let figures = figures.iter().map(|(name, figure)| (format!("--{name}"), figure.to_string()));
    json(&tokens.chain(figures).collect())
}

/// What is different for a kind of entry; empty where nothing is.
fn kind_properties(look: &Look, kind: Option<Kind>) -> String {
    let own = kind.and_then(|kind| look.kinds.get(&kind)).into_iter().flatten();
    let own: BTreeMap<String, String> = own.filter_map(|(token, value)| property(*token, value)).collect();
    if own.is_empty() { String::new() } else { json(&own) }
}

/// The case of lettering for a kind of entry, as a class; empty where it is the common one.
fn kind_case(look: &Look, kind: Option<Kind>) -> String {
    let own = kind.and_then(|kind| look.for_kind(kind, Token::LetterCase));
    own.map(|case| format!("letter-case-{case}")).unwrap_or_default()
}

fn json(properties: &BTreeMap<String, String>) -> String {
    serde_json::to_string(properties).unwrap_or_default()
}

/// The size to type into broadcasting software, in pixels.
pub fn size(piece: &Piece) -> (u32, u32) {
    piece.look().shape(piece.shapes()).map_or((600, 300), |shape| shape.size)
}
