//! A widget as a picture by itself (SVG 2): its drawing as XHTML inside, with the styles, the fonts and the pictures that
//! it needs, so that it looks the same in a post or on a printed sheet, where nothing can be loaded and no script runs.

use crate::css::minified;
use crate::{assets, fonts};
use html5ever::tendril::TendrilSink;
use html5ever::{QualName, local_name, ns, parse_fragment};
use markup5ever_rcdom::{Handle, NodeData, RcDom};
use serde_json::{Map, Value};
use std::collections::BTreeSet;
use std::fmt::Write;
use tally_core::time::Instant;
use tally_core::time::face::{Direction, Face};

/// What of a drawing's data a page's script makes into properties: the attribute and the property.
const MEASURES: [(&str, &str); 4] =
    [("data-share", "--share"), ("data-from", "--from"), ("data-first", "--first"), ("data-second", "--second")];

/// A drawing as it will stand in a picture.
pub struct Still {
    /// Its size in pixels.
    pub size: (u32, u32),
    pub title: String,
    /// The inside as XHTML.
    inner: String,
    /// What the drawing's own sheets say.
    own: String,
    /// All letters in it.
    letters: BTreeSet<char>,
    family: String,
    now: Instant,
}

/// Where files of one's own stand in a still, by their tokens.
pub fn files(of: &str) -> BTreeSet<String> {
    let named = |rest: &str| -> Option<String> {
        let token: String = rest.chars().take_while(|one| one.is_ascii_alphanumeric() || "-_".contains(*one)).collect();
        (!token.is_empty()).then_some(token)
    };
    of.split("/clips/").skip(1).filter_map(named).collect()
}

impl Still {
    /// Of a drawing.
    #[must_use]
    pub fn of(drawing: &str, (family, title): (&str, &str), size: (u32, u32), now: Instant) -> Self {
        let context = QualName::new(None, ns!(html), local_name!("div"));
        let dom: RcDom = parse_fragment(RcDom::default(), Default::default(), context, Vec::new(), false).one(drawing);
        let mut still = Self {
            size,
            title: title.to_owned(),
            inner: String::new(),
            own: String::new(),
            letters: BTreeSet::new(),
            family: family.to_owned(),
            now,
        };
        for root in dom.document.children.borrow().iter() {
            // A fragment stands in an element of its own.
            for node in root.children.borrow().iter() {
                still.write(node, false);
            }
        }
        still
    }

    /// Writes a node as XML. Several that take turns stand in one place, of which the first is seen.
    fn write(&mut self, node: &Handle, taking_turns: bool) {
        match &node.data {
            NodeData::Text { contents } => {
                let text = contents.borrow();
                self.letters.extend(text.chars());
                self.inner.push_str(&escaped(&text));
            }
            NodeData::Element { name, attrs, .. } => {
                let tag = &*name.local;
                let attrs: Vec<(String, String)> =
                    attrs.borrow().iter().map(|one| (one.name.local.to_string(), one.value.to_string())).collect();
                let get = |wanted: &str| attrs.iter().find(|(name, _)| name == wanted).map(|(_, value)| value.as_str());
                // Faces come from elsewhere; the drawn ones stand behind them.
                if matches!(tag, "script" | "iframe")
                    || tag == "img" && !get("src").is_some_and(|src| src.starts_with("/clips/"))
                {
                    return;
                }
                let _ = write!(self.inner, "<{tag}");
                if tag == "svg" {
                    self.inner.push_str(" xmlns=\"http://www.w3.org/2000/svg\"");
                }
                if let Some(css) = get("data-style") {
                    self.own.push_str(css);
                }
                let style = style(&attrs);
                let turn = if taking_turns { " has-turn" } else { "" };
                for (name, value) in attrs.iter().filter(|(name, _)| is_kept(name)) {
                    let more = if name == "class" { turn } else { "" };
                    // Styles ask whether there is a look; what it says stands in the style.
                    let value = if name == "data-look" { "" } else { value };
                    let _ = write!(self.inner, " {name}=\"{}{more}\"", escaped(value));
                }
                if !style.is_empty() {
                    let _ = write!(self.inner, " style=\"{}\"", escaped(&style));
                }
                self.inner.push('>');
                // What a page's script would have written by now.
                if get("data-clock") == Some("down") && node.children.borrow().is_empty() {
                    let at: i64 = get("data-at").and_then(|at| at.parse().ok()).unwrap_or_default();
                    let left =
                        Face::plain(Direction::Down).write(at.saturating_sub(self.now.timestamp_millis()).max(0));
                    self.letters.extend(left.chars());
                    self.inner.push_str(&left);
                }
                let turns = get("class").is_some_and(|class| class.split_whitespace().any(|one| one == "in-turn"));
                let mut first = turns;
                for child in node.children.borrow().iter() {
                    let element = matches!(child.data, NodeData::Element { .. });
                    self.write(child, first && element);
                    first = first && !element;
                }
                let _ = write!(self.inner, "</{tag}>");
            }
            _ => {}
        }
    }

    /// The files of one's own that it needs, by their tokens.
    #[must_use]
    pub fn files(&self) -> BTreeSet<String> {
        let fonts = self.inner.split("font-own-").chain(self.own.split("font-own-")).skip(1);
        let fonts = fonts.flat_map(|rest| files(&format!("/clips/{rest}")).into_iter().take(1));
        files(&self.inner).into_iter().chain(files(&self.own)).chain(fonts).collect()
    }

    /// The picture. `file` gives a file of one's own as its kind and its bytes.
    #[must_use]
    pub fn picture(&self, file: impl Fn(&str) -> Option<(&'static str, Vec<u8>)>) -> String {
        let (width, height) = self.size;
        let mut css = fonts::inside(&(self.inner.clone() + &self.own), &self.letters);
        for token in self.files() {
            if let Some((kind, bytes)) = file(&token).filter(|(kind, _)| kind.starts_with("font/")) {
                let url = fonts::data_url(kind, &bytes);
                let _ = write!(css, "@font-face{{font-family:\"font-own-{token}\";src:url({url})}}");
            }
        }
        css.push_str(&sheets(&self.family));
        css.push_str(&self.own);
        let mut inner = self.inner.clone();
        for token in files(&inner).into_iter().chain(files(&css)) {
            if let Some((kind, bytes)) = file(&token) {
                let (from, to) = (format!("/clips/{token}"), fonts::data_url(kind, &bytes));
                (inner, css) = (inner.replace(&from, &to), css.replace(&from, &to));
            }
        }
        format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" \
             viewBox=\"0 0 {width} {height}\" role=\"img\"><title>{}</title><style><![CDATA[{css}\
             .air *{{transition:none!important;animation:none!important}}]]></style>\
             <foreignObject width=\"{width}\" height=\"{height}\"><div xmlns=\"http://www.w3.org/1999/xhtml\" \
             class=\"air-box\" style=\"width:{width}px;height:{height}px\">{inner}</div></foreignObject></svg>",
            escaped(&self.title)
        )
    }
}

/// What stays of an element's attributes: all that styles go by.
fn is_kept(name: &str) -> bool {
    !name.starts_with("on") && !matches!(name, "style" | "id" | "xmlns" | "data-style" | "data-view" | "data-fits")
}

/// What a page's script would have made of the data of an element.
fn style(attrs: &[(String, String)]) -> String {
    let mut style = String::new();
    for (name, value) in attrs {
        if name == "data-look" {
            let look: Map<String, Value> = serde_json::from_str(value).unwrap_or_default();
            for (name, value) in look {
                let _ = write!(style, "{name}:{};", value.as_str().unwrap_or_default());
            }
        }
        if let Some((_, property)) = MEASURES.iter().find(|(of, _)| of == name) {
            let _ = write!(style, "{property}:{value};");
        }
    }
    style
}

fn escaped(text: &str) -> String {
    // Letters that XML does not have would make it none.
    let seen =
        |letter: &char| matches!(letter, '\t' | '\n' | '\r' | ' '..) && !matches!(letter, '\u{fffe}' | '\u{ffff}');
    let text: String = text.chars().filter(seen).collect();
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// The styles that a family's drawing needs.
fn sheets(family: &str) -> String {
    let class = format!(".{family}");
    let all = assets::AIR_STYLES.iter().filter_map(|name| assets::text(name).map(|text| (*name, text)));
    let needed = all.filter(|(name, text)| *name == assets::AIR_STYLES[0] || text.contains(&class));
    needed.map(|(_, text)| minified(&text)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    const DRAWING: &str = "<div class=\"air goal in-turn\" data-look='{\"--font\":\"\\\"Lobster\\\"\"}' data-style=\".a{color:red}\">\
        <p class=\"x\" data-turn=\"8\" data-share=\"0.5\">Tea & <b hidden>toast</b></p><p class=\"x\" data-turn=\"8\"></p>\
        <svg viewBox=\"0 0 9 9\"><path d=\"M0 0\"/></svg><img src=\"/faces/a\"><img src=\"/clips/Zy9_x-3kQ\"></div>";

    #[test]
    fn a_still_is_xml_that_needs_nothing_from_elsewhere() {
        let still = Still::of(DRAWING, ("goal", "Tea & toast"), (840, 260), Instant::UNIX_EPOCH);
        assert_eq!(still.files(), BTreeSet::from(["Zy9_x-3kQ".to_owned()]));
        let picture = still.picture(|token| (token == "Zy9_x-3kQ").then(|| ("image/png", b"png".to_vec())));
        for said in [
            "<title>Tea &amp; toast</title>",
            "style=\"--share:0.5;\"",
            "class=\"x has-turn\"",
            "<b hidden=\"\">toast</b>",
            "viewBox=\"0 0 9 9\"",
            "src=\"data:image/png;base64,cG5n\"",
            "font-family: \"Lobster\"",
            "data:font/woff2;base64,",
            ".a{color:red}",
        ] {
            assert!(picture.contains(said), "{said}");
        }
        for not in ["data-look=\"{", "data-style", "/faces/", "/clips/", "Bricolage", "url(fonts"] {
            assert!(!picture.contains(not), "{not}");
        }
        assert_eq!(picture.matches("has-turn").count() - picture.matches(".has-turn").count(), 1);
    }
}
