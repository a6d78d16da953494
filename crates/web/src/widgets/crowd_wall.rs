//! A crowd wall on air: carriage windows, medals, or bunting, each with a face, drawn where there is no picture.

use super::Drawing;
use super::face::Face;
use crate::faces;
use crate::markup::html;
use askama::Template;
use tally_core::widgets::Family;
use tally_core::widgets::crowd_wall::{self, CrowdWall, CrowdWallView};

#[derive(Template)]
#[template(path = "widgets/crowd_wall.html")]
struct Inner<'a> {
    view: &'a CrowdWallView,
}

impl Inner<'_> {
    fn face(&self, name: &str) -> Face {
        Face::of(name)
    }

    /// The address at which we serve somebody's picture.
    fn picture(&self, face: &crowd_wall::Face) -> Option<String> {
        face.picture.as_deref().map(faces::address)
    }

    fn key(&self, name: &str) -> String {
        format!("{:x}", super::face::seed(name))
    }
}

pub(super) fn draw(view: &CrowdWallView) -> Drawing {
    Drawing::of(CrowdWall::KEY, CrowdWall::SHAPES, html(&Inner { view }))
        .figure("rows", view.rows)
        .figure("columns", view.columns)
        .class("is-empty", view.faces.is_empty())
        .class("has-names", view.names)
}
