//! The drawers of the bench: the look of a widget, and how it tells of each kind.

use crate::rooms::control::Control;
use askama::Template;
use std::collections::BTreeMap;
use tally_core::count::Scope;
use tally_core::language::Language;
use tally_core::lines::LineFormat;
use tally_core::look::{Base, Drawer, Form, Look, Looks, OWN_LOOK, Part, Shape, Token, warnings};
use tally_core::record::happening::Kind;
use tally_core::record::ids::WidgetId;
use tally_core::template::{self, Values};
use tally_core::widgets::Piece;
use tally_store::clips::Clip;

/// See the module.
#[derive(Template)]
#[template(path = "rooms/drawers.html")]
pub(super) struct Drawers {
    id: WidgetId,
    /// To which address what is set is sent.
    path: String,
    bases: Vec<Pick>,
    /// Looks of the streamer's own: the word by which each is chosen, its name, and whether it is in use.
    own_looks: Vec<(String, String, bool)>,
    shapes: Vec<Pick>,
    languages: Vec<Pick>,
    /// The part that the drawers work on; everything where it is none.
    part: Option<Part>,
    /// The parts that the drawing has.
    parts: &'static [Part],
    /// What is different, and can be put back: by which part of the look, its name, and what it says.
    changes: Vec<(String, &'static str, String)>,
    drawers: Vec<(Drawer, Vec<Control>)>,
    css: OwnStyle,
    kinds: Vec<KindRow>,
    common: Option<String>,
    warnings: Vec<String>,
    apart: bool,
}

/// A style of one's own as it stands in its field, and why it was not taken.
pub(super) struct OwnStyle {
    pub text: String,
    pub refused: Option<String>,
}

/// One of several, chosen or not.
struct Pick {
    key: &'static str,
    name: &'static str,
    words: &'static str,
    chosen: bool,
}

/// How one kind of entry is told.
struct KindRow {
    kind: Kind,
    on: bool,
    sized: bool,
    sign: String,
    least: String,
    template: String,
    fallback: String,
    preview: String,
    controls: Vec<Control>,
    own: bool,
}

impl Drawers {
    pub(super) fn of(
        id: WidgetId,
        piece: &Piece,
        (scope, looks): (&Scope<'_>, &Looks),
        clips: &[Clip],
        part: Option<Part>,
        apart: bool,
    ) -> Self {
        let look = piece.look();
        let shape: Option<&Shape> = look.shape(piece.shapes());
        let used: Vec<Token> = shape.map(|shape| look.used(shape)).unwrap_or_default();
        let pick = |key, (name, words), chosen| Pick { key, name, words, chosen };
        let parts = shape.map(|shape| shape.parts).unwrap_or_default();
        let part = part.filter(|part| parts.contains(part));
        let control = |token: Token| match part {
            Some(part) => Control::of_part(look, part, token, clips),
            None => Control::common(look, token, clips),
        };
        let offered = part.map_or_else(|| used.clone(), |part| part.tokens().to_vec());
        let in_drawer = |drawer: Drawer| {
            let of_drawer = offered.iter().filter(|token| token.about().2 == drawer);
            (drawer, of_drawer.map(|token| control(*token)).collect::<Vec<_>>())
        };
        let wanted = |(drawer, controls): &(Drawer, Vec<Control>)| match drawer {
            _ if part.is_some() => !controls.is_empty(),
            Drawer::Shape | Drawer::Text | Drawer::Own => true,
            Drawer::Kinds => piece.line_format().is_some(),
            Drawer::Colour | Drawer::Spacing | Drawer::Motion => !controls.is_empty(),
        };
        let speaking = scope.speaking(look.language);
        Self {
            id,
            path: format!("/widgets/{id}/edit"),
            bases: Base::ALL.map(|base| pick(base.key(), base.words(), look.of.is_none() && base == look.base)).into(),
            own_looks: looks
                .all
                .iter()
                .map(|(id, own)| (format!("{OWN_LOOK}{id}"), own.name.clone(), look.of == Some(*id)))
                .collect(),
            shapes: piece
                .shapes()
                .iter()
                .map(|one| pick(one.key, (one.words, ""), shape.is_some_and(|shape| shape.key == one.key)))
                .collect(),
            languages: Language::ALL.map(|one| pick(one.key(), (one.words(), ""), one == look.language)).into(),
            part,
            parts,
            changes: changes(look),
            css: OwnStyle { text: look.css.clone(), refused: None },
            drawers: Drawer::ALL.map(in_drawer).into_iter().filter(wanted).collect(),
            kinds: piece.line_format().map(|format| kinds(format, look, (&used, clips), &speaking)).unwrap_or_default(),
            common: piece.line_format().map(|format| format.common.clone()),
            warnings: shape.map(|shape| warnings(look, shape)).unwrap_or_default(),
            apart,
        }
    }

    /// The same with a style that was not taken, so that nothing typed is lost.
    pub(super) fn with_style(self, css: OwnStyle) -> Self {
        Self { css, ..self }
    }

    fn is_for(&self, part: &Part) -> bool {
        self.part.as_ref() == Some(part)
    }

    fn changed(&self, drawer: &Drawer, controls: &[Control]) -> bool {
        controls.iter().any(|control| control.own) || *drawer == Drawer::Own && !self.css.text.is_empty()
    }

    /// Whether there is something to celebrate, so that a clip of one's own has a use.
    fn celebrates(&self) -> bool {
        self.drawers.iter().flat_map(|(_, controls)| controls).any(|control| control.key == Token::Celebration.key())
    }

    fn values(&self) -> &'static [(&'static str, &'static str, &'static str)] {
        template::of_lines()
    }
}

/// What a widget says otherwise than the look that it uses.
fn changes(look: &Look) -> Vec<(String, &'static str, String)> {
    let labels = |tokens: &mut dyn Iterator<Item = &Token>| {
        let all: Vec<&str> = tokens.map(|token| token.about().1).collect();
        all.join(", ")
    };
    let whole = (!look.own.is_empty()).then(|| ("own".to_owned(), "Everything", labels(&mut look.own.keys())));
    let part = |(part, own): (&Part, &BTreeMap<Token, String>)| {
        (format!("part:{}:all", part.key()), part.words(), labels(&mut own.keys()))
    };
    whole.into_iter().chain(look.parts.iter().map(part)).collect()
}

fn kinds(lines: &LineFormat, look: &Look, (used, clips): (&[Token], &[Clip]), scope: &Scope<'_>) -> Vec<KindRow> {
    let row = |kind: Kind| {
        let format = lines.kinds.get(&kind).cloned();
        let on = format.as_ref().is_some_and(|format| !format.off);
        let format = format.unwrap_or_default();
        let unit = tally_core::lines::least_unit(kind, scope);
        let sample = LineFormat::of(&[kind]).sample(scope).pop();
        let controls: Vec<Control> = Look::OF_KIND
            .into_iter()
            .filter(|token| used.contains(token))
            .map(|token| Control::of_kind(look, kind, token, clips))
            .collect();
        KindRow {
            kind,
            on,
            sized: tally_core::lines::has_size(kind),
            sign: unit.sign(),
            least: if format.least == 0 { String::new() } else { unit.plain(format.least) },
            fallback: lines.fallback(kind, scope.language).to_owned(),
            preview: sample.map(|values| lines.line(&values, scope).text()).unwrap_or_default(),
            own: !format.template.is_empty() || controls.iter().any(|control| control.own),
            template: format.template,
            controls,
        }
    };
    LineFormat::KINDS.into_iter().map(row).collect()
}

/// Values on which a template is tried: those of its kind where its part names one.
pub(super) fn example(key: &str, piece: &Piece, scope: &Scope<'_>) -> Values {
    let named = key.split(':').nth(1).and_then(Kind::of_key);
    let counted = || {
        let count = piece.counts(scope.settings).into_iter().next()?;
        match count.what {
            tally_core::count::What::Sum(measure) => measure.kinds().first().copied(),
            _ => None,
        }
    };
    let told = named.or_else(counted).map(|kind| LineFormat::of(&[kind]).sample(scope));
    told.and_then(|mut told| told.pop()).map_or_else(template::sample, |told| told.values)
}
