//! What a template may do, and how much: decided from its text alone, before it is followed.
//!
//! A template knows values, texts in quotes, numbers, operators, filters, `if` and `set`. There is
//! nothing that repeats, so each part is followed once at most, and every part has a kind and a
//! longest written form that follow from those of its own parts. Together they must stay below
//! [`MOST_WORK`], whatever the values are: no template can take more time or room than that.

use super::{TemplateError, VALUES, at};
use minijinja::machinery::ast::{self, BinOpKind, CallArg, Expr, Stmt, UnaryOpKind};
use minijinja::machinery::{WhitespaceConfig, parse};
use minijinja::value::{Value, ValueKind};
use std::collections::HashMap;

/// So many characters all parts of a template may come to, taken together, at their longest.
pub const MOST_WORK: usize = 60_000;
/// The longest number that arithmetic can bring about, written out: a float near its bounds.
const NUMBER: usize = 350;
/// The longest figure with its currency or grouping.
const FIGURE: usize = 60;
/// The longest that a widget says in a line of chat.
pub(super) const WIDGET: usize = 200;
/// One character in capitals is three at most (Unicode SpecialCasing).
const CAPITALS: usize = 3;

/// What a part of a template is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Kind {
    Number,
    Text,
    /// Yes or no.
    Truth,
    /// One or another of these, depending on the values: it can be shown and tested.
    Either,
}

/// A part of a template: what it is, and its longest written form in characters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Shape {
    kind: Kind,
    most: usize,
}

impl Shape {
    fn number(most: usize) -> Self {
        Self { kind: Kind::Number, most }
    }

    fn text(most: usize) -> Self {
        Self { kind: Kind::Text, most }
    }

    const TRUTH: Self = Self { kind: Kind::Truth, most: 5 };

    fn or(self, other: Self) -> Self {
        let kind = if self.kind == other.kind { self.kind } else { Kind::Either };
        Self { kind, most: self.most.max(other.most) }
    }
}

/// The longest that a value of [`VALUES`] is written, in characters.
pub(super) fn longest(value: &str) -> usize {
    match value {
        "name" | "giver" | "item" => crate::language::text::NAME_MOST,
        "message" => crate::language::text::MESSAGE_MOST,
        "amount" | "kind" | "ago" => FIGURE,
        _ => 24,
    }
}

fn of_value(name: &str) -> Option<Shape> {
    VALUES.iter().any(|(known, ..)| *known == name).then(|| match name {
        "name" | "giver" | "item" | "message" | "amount" | "kind" | "ago" => Shape::text(longest(name)),
        _ => Shape::number(longest(name)),
    })
}

/// Checks what a template may do.
///
/// # Errors
/// What it must not, and where.
pub(super) fn check(source: &str) -> Result<(), TemplateError> {
    let parsed = parse(source, "text", Default::default(), WhitespaceConfig::default());
    let template = parsed.map_err(|error| super::placed(&error, source))?;
    let mut reading = Reading { source, set: HashMap::new(), work: source.chars().count() };
    reading.statement(&template)
}

struct Reading<'a> {
    source: &'a str,
    /// What the template has set so far.
    set: HashMap<&'a str, Shape>,
    work: usize,
}

type Read<T> = Result<T, TemplateError>;

impl<'a> Reading<'a> {
    fn refuse<T>(&self, expr: &Expr<'_>, why: impl Into<String>) -> Read<T> {
        Err(at(self.source, expr.span().start_offset as usize, why))
    }

    fn all(&mut self, statements: &[Stmt<'a>]) -> Read<()> {
        statements.iter().try_for_each(|one| self.statement(one))
    }

    fn statement(&mut self, statement: &Stmt<'a>) -> Read<()> {
        let no = |offset: u32, what: &str| {
            Err(at(self.source, offset as usize, format!("{what} cannot be used here; there are if and set")))
        };
        match statement {
            Stmt::Template(one) => self.all(&one.children),
            Stmt::EmitRaw(_) => Ok(()),
            Stmt::EmitExpr(one) => self.expression(&one.expr).map(drop),
            Stmt::IfCond(one) => {
                self.expression(&one.expr)?;
                self.all(&one.true_body)?;
                self.all(&one.false_body)
            }
            Stmt::Set(one) => {
                let Expr::Var(name) = &one.target else {
                    return self.refuse(&one.target, "set takes one name, as in {% set who = name %}");
                };
                if of_value(name.id).is_some() {
                    return self.refuse(&one.target, format!("{} is a value already; take another name", name.id));
                }
                let shape = self.expression(&one.expr)?;
                let joined = self.set.get(name.id).map_or(shape, |before| before.or(shape));
                self.set.insert(name.id, joined);
                Ok(())
            }
            Stmt::ForLoop(one) => no(one.span().start_offset, "a loop"),
            Stmt::WithBlock(one) => no(one.span().start_offset, "with"),
            Stmt::SetBlock(one) => no(one.span().start_offset, "a block that is set"),
            Stmt::AutoEscape(one) => no(one.span().start_offset, "autoescape"),
            Stmt::FilterBlock(one) => no(one.span().start_offset, "a block of filters"),
            Stmt::Do(one) => no(one.span().start_offset, "do"),
        }
    }

    /// What an expression is. Whatever it comes to is added to the work.
    fn expression(&mut self, expr: &Expr<'a>) -> Read<Shape> {
        let shape = self.shape(expr)?;
        self.work = self.work.saturating_add(shape.most);
        if self.work > MOST_WORK {
            return self.refuse(expr, "it may become too long; join less, or shorten texts with cut");
        }
        Ok(shape)
    }

    fn shape(&mut self, expr: &Expr<'a>) -> Read<Shape> {
        match expr {
            Expr::Var(name) => match self.set.get(name.id).copied().or_else(|| of_value(name.id)) {
                Some(shape) => Ok(shape),
                None => {
                    let names: Vec<&str> = VALUES.iter().map(|(name, ..)| *name).collect();
                    self.refuse(expr, format!("there is no value called {}; there are {}", name.id, names.join(", ")))
                }
            },
            Expr::Const(one) => Ok(constant(&one.value)),
            Expr::UnaryOp(one) => {
                let shape = self.expression(&one.expr)?;
                match (&one.op, shape.kind) {
                    (UnaryOpKind::Not, _) => Ok(Shape::TRUTH),
                    (UnaryOpKind::Neg, Kind::Number) => Ok(Shape::number(shape.most.saturating_add(1))),
                    (UnaryOpKind::Neg, _) => self.refuse(&one.expr, "a minus takes a number such as figure"),
                }
            }
            Expr::BinOp(one) => self.operation(one),
            Expr::Compare(one) => {
                self.expression(&one.expr)?;
                for part in &one.ops {
                    self.compared(&part.expr)?;
                }
                Ok(Shape::TRUTH)
            }
            Expr::IfExpr(one) => {
                self.expression(&one.test_expr)?;
                let yes = self.expression(&one.true_expr)?;
                match &one.false_expr {
                    Some(no) => Ok(yes.or(self.expression(no)?)),
                    None => self.refuse(expr, "a choice needs an else, as in a if b else c"),
                }
            }
            Expr::Filter(one) => self.filter(expr, one),
            Expr::Test(_) => self.refuse(expr, "there are no tests with is; compare instead, as in count > 1"),
            Expr::Slice(_) | Expr::GetAttr(_) | Expr::GetItem(_) => {
                self.refuse(expr, "parts of a value cannot be taken; shorten a text with cut")
            }
            Expr::Call(_) => self.refuse(expr, "there are no functions; there are filters, as in name|upper"),
            Expr::List(_) | Expr::Map(_) => self.refuse(expr, "a list can only stand after in"),
        }
    }

    /// The right side of a comparison, where a list may stand.
    fn compared(&mut self, expr: &Expr<'a>) -> Read<()> {
        match expr {
            Expr::List(list) => list.items.iter().try_for_each(|item| self.expression(item).map(drop)),
            _ => self.expression(expr).map(drop),
        }
    }

    fn operation(&mut self, one: &ast::BinOp<'a>) -> Read<Shape> {
        use BinOpKind::{Add, Concat, Div, Eq, FloorDiv, Gt, Gte, In, Lt, Lte, Mul, Ne, Pow, Rem, ScAnd, ScOr, Sub};
        match one.op {
            Add | Sub | Mul | Div | FloorDiv | Rem | Pow => {
                for side in [&one.left, &one.right] {
                    if self.expression(side)?.kind != Kind::Number {
                        return self.refuse(side, "only numbers can be reckoned with; join texts with ~");
                    }
                }
                Ok(Shape::number(NUMBER))
            }
            Concat => {
                let (left, right) = (self.expression(&one.left)?, self.expression(&one.right)?);
                Ok(Shape::text(left.most.saturating_add(right.most)))
            }
            ScAnd | ScOr => Ok(self.expression(&one.left)?.or(self.expression(&one.right)?).or(Shape::TRUTH)),
            Eq | Ne | Lt | Lte | Gt | Gte | In => {
                self.expression(&one.left)?;
                self.compared(&one.right)?;
                Ok(Shape::TRUTH)
            }
        }
    }

    fn filter(&mut self, expr: &Expr<'a>, one: &ast::Filter<'a>) -> Read<Shape> {
        let Some(input) = &one.expr else { return self.refuse(expr, "a filter stands behind a value") };
        let shape = self.expression(input)?;
        let mut others = Vec::with_capacity(one.args.len());
        for argument in &one.args {
            match argument {
                CallArg::Pos(value) | CallArg::Kwarg(_, value) => others.push(self.expression(value)?),
                CallArg::PosSplat(value) | CallArg::KwargSplat(value) => {
                    return self.refuse(value, "a star has no place here");
                }
            }
        }
        let number = |shape: Shape| match shape.kind {
            Kind::Number => Ok(()),
            _ => self.refuse(expr, format!("the filter {} takes a number such as figure or count", one.name)),
        };
        let text = |shape: Shape| match shape.kind {
            Kind::Text | Kind::Either => Ok(()),
            _ => self.refuse(expr, format!("the filter {} takes a text such as name", one.name)),
        };
        match one.name {
            "plural" => {
                number(shape)?;
                others.iter().copied().try_for_each(text)?;
                Ok(Shape::text(others.iter().map(|form| form.most).max().unwrap_or(0)))
            }
            "money" | "number" => number(shape).map(|()| Shape::text(FIGURE)),
            "upper" | "lower" => text(shape).map(|()| Shape::text(shape.most.saturating_mul(CAPITALS))),
            "widget" => text(shape).map(|()| Shape::text(WIDGET)),
            "cut" => {
                text(shape)?;
                let kept = match one.args.first() {
                    Some(CallArg::Pos(Expr::Const(most))) => usize::try_from(most.value.clone()).unwrap_or(usize::MAX),
                    _ => usize::MAX,
                };
                Ok(Shape::text(shape.most.min(kept)))
            }
            "default" => Ok(others.first().map_or(shape, |other| shape.or(*other))),
            name => self.refuse(
                expr,
                format!("filter {name} is unknown; there are plural, money, number, upper, lower, cut and default"),
            ),
        }
    }
}

fn constant(value: &Value) -> Shape {
    match value.kind() {
        ValueKind::Number => Shape::number(NUMBER),
        ValueKind::String => Shape::text(value.as_str().map_or(0, |text| text.chars().count())),
        _ => Shape::TRUTH,
    }
}
