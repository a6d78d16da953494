//! Drawings (SVG), made clean by a library: nothing in them runs, and nothing is loaded from elsewhere.
//!
//! The library takes time and memory that grow much faster than a drawing that is nested deep, so a drawing is read once before,
//! by a parser that does not, and written anew within bounds: without comments, declarations and whatever else two parsers could
//! take differently.

use super::{Clean, ClipError};
use quick_xml::Reader;
use quick_xml::escape::{partial_escape, resolve_predefined_entity};
use quick_xml::events::{BytesStart, Event};
use std::collections::BTreeMap;
use svg_hush::{Filter, data_url_filter};

/// Deepest nesting of elements that is read; what draws something has less.
const MOST_DEPTH: usize = 200;
/// Most elements, texts and other parts.
const MOST_PARTS: usize = 200_000;
/// Most attributes of an element.
const MOST_ATTRIBUTES: usize = 100;
/// Most entities that a drawing may define, and the longest of them; drawing programs shorten addresses in this way.
const MOST_ENTITIES: usize = 100;
const LONGEST_ENTITY: usize = 500;

/// Whether a file says that it is a drawing.
pub(super) fn is_one(sent: &[u8]) -> bool {
    let head = String::from_utf8_lossy(&sent[..sent.len().min(1_024)]).to_lowercase();
    head.trim_start_matches('\u{feff}').trim_start().starts_with('<') && head.contains("<svg")
}

/// Texts by the names under which a document type defines them: plain ones alone.
fn entities(doctype: &str) -> BTreeMap<String, String> {
    let mut all = BTreeMap::new();
    for part in doctype.split("<!ENTITY").skip(1).take(MOST_ENTITIES) {
        let part = part.trim_start();
        let Some((name, rest)) = part.split_once(char::is_whitespace) else { continue };
        let rest = rest.trim_start();
        let Some(quote) = rest.chars().next().filter(|first| matches!(first, '"' | '\'')) else { continue };
        let Some((text, _)) = rest[1..].split_once(quote) else { continue };
        if text.len() <= LONGEST_ENTITY && !text.contains(['<', '&', '%']) {
            all.insert(name.to_owned(), text.to_owned());
        }
    }
    all
}

fn text(bytes: &[u8]) -> Result<&str, ClipError> {
    std::str::from_utf8(bytes).map_err(|_| ClipError::NotADrawing)
}

/// What is written, up to a bound.
struct Written(String);

impl Written {
    fn put(&mut self, text: &str) -> Result<(), ClipError> {
        if self.0.len() + text.len() > super::MOST_BYTES {
            return Err(ClipError::Heavy);
        }
        self.0.push_str(text);
        Ok(())
    }

    fn tag(&mut self, tag: &BytesStart, end: &str, entities: &BTreeMap<String, String>) -> Result<(), ClipError> {
        self.put("<")?;
        self.put(text(tag.name().as_ref())?)?;
        for (count, attribute) in tag.attributes().enumerate() {
            let attribute = attribute.map_err(|_| ClipError::NotADrawing)?;
            if count >= MOST_ATTRIBUTES {
                return Err(ClipError::NotADrawing);
            }
            let entity =
                |name: &str| resolve_predefined_entity(name).or_else(|| entities.get(name).map(String::as_str));
            let value = attribute.unescape_value_with(entity).map_err(|_| ClipError::NotADrawing)?;
            self.put(" ")?;
            self.put(text(attribute.key.as_ref())?)?;
            self.put("=\"")?;
            self.put(&partial_escape(&*value).replace('"', "&quot;").replace(['\n', '\r', '\t'], " "))?;
            self.put("\"")?;
        }
        self.put(end)
    }
}

/// The same drawing in plain words: elements, attributes and texts, nested no deeper than what is drawn.
fn plain(sent: &str) -> Result<String, ClipError> {
    let mut reader = Reader::from_str(sent.trim_start_matches('\u{feff}'));
    let (mut written, mut depth, mut begun) = (Written(String::with_capacity(sent.len())), 0_usize, false);
    let mut known = BTreeMap::new();
    for _ in 0..MOST_PARTS {
        match reader.read_event().map_err(|_| ClipError::NotADrawing)? {
            Event::Eof if depth == 0 && begun => return Ok(written.0),
            Event::Eof => return Err(ClipError::NotADrawing),
            Event::Start(tag) => {
                depth += 1;
                begun = true;
                if depth > MOST_DEPTH {
                    return Err(ClipError::NotADrawing);
                }
                written.tag(&tag, ">", &known)?;
            }
            Event::Empty(tag) => {
                begun = true;
                written.tag(&tag, "/>", &known)?;
            }
            Event::End(tag) => {
                depth = depth.checked_sub(1).ok_or(ClipError::NotADrawing)?;
                written.put("</")?;
                written.put(text(tag.name().as_ref())?)?;
                written.put(">")?;
            }
            Event::Text(text) if depth > 0 => {
                let text = text.decode().map_err(|_| ClipError::NotADrawing)?;
                written.put(&partial_escape(&*text))?;
            }
            Event::CData(text) if depth > 0 => {
                let text = text.decode().map_err(|_| ClipError::NotADrawing)?;
                written.put(&partial_escape(&*text))?;
            }
            Event::GeneralRef(name) if depth > 0 => {
                let letter = name.resolve_char_ref().map_err(|_| ClipError::NotADrawing)?;
                let name = name.decode().map_err(|_| ClipError::NotADrawing)?;
                let text = match letter {
                    Some(letter) => letter.to_string(),
                    None => resolve_predefined_entity(&name)
                        .or_else(|| known.get(&*name).map(String::as_str))
                        .ok_or(ClipError::NotADrawing)?
                        .to_owned(),
                };
                written.put(&partial_escape(text.as_str()))?;
            }
            Event::DocType(text) => known = entities(&text.decode().map_err(|_| ClipError::NotADrawing)?),
            // Comments, declarations and instructions draw nothing.
            _ => {}
        }
    }
    Err(ClipError::NotADrawing)
}

pub(super) fn clean(sent: &[u8]) -> Result<Clean, ClipError> {
    let plain = plain(text(sent)?)?;
    let mut filter = Filter::new();
    filter.set_data_url_filter(data_url_filter::allow_standard_images);
    let (mut source, mut bytes) = (plain.as_bytes(), Vec::new());
    filter.filter(&mut source, &mut bytes).map_err(|_| ClipError::NotADrawing)?;
    // An entity or a declaration may say what the filter does not see; a clean drawing has neither.
    let text = String::from_utf8_lossy(&bytes).to_lowercase();
    if !text.contains("<svg") || text.contains("<!entity") {
        return Err(ClipError::NotADrawing);
    }
    Ok(Clean { bytes, milliseconds: 0 })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn made(inside: &str) -> String {
        let sent = format!(
            "<svg xmlns='http://www.w3.org/2000/svg' xmlns:xlink='http://www.w3.org/1999/xlink' viewBox='0 0 9 9'>{inside}</svg>"
        );
        String::from_utf8(clean(sent.as_bytes()).unwrap().bytes).unwrap()
    }

    #[test]
    fn what_draws_stays_and_what_runs_or_loads_goes() {
        let drawn = made("<g fill='#c98a00'><path d='M1 1h7v7z'/><text x='1' y='8'>Halt</text></g>");
        assert!(drawn.contains("M1 1h7v7z") && drawn.contains("Halt") && drawn.contains("#c98a00"), "{drawn}");
        for inside in [
            "<script>alert(1)</script>",
            "<path d='M0 0' onload='alert(1)'/>",
            "<image href='https://a.example/x.png'/>",
            "<image xlink:href='//a.example/x.png'/>",
            "<use href='https://a.example/x.svg#a'/>",
            "<a href='javascript:alert(1)'><path d='M0 0'/></a>",
            "<foreignObject><iframe src='https://a.example'/></foreignObject>",
            "<path style='fill:url(https://a.example/z)'/>",
        ] {
            let drawn = made(inside);
            for word in ["script", "onload", "a.example", "iframe", "foreignobject"] {
                assert!(!drawn.to_lowercase().contains(word), "{inside}: {drawn}");
            }
        }
        let styled = made("<style>@import url(https://a.example/x.css); path{fill:url(https://a.example/y)}</style>");
        assert!(!styled.contains("@import") && !styled.contains("url(http"), "{styled}");
        let moved = made("<animate attributeName='href' values='javascript:alert(1)'/>");
        assert!(!moved.contains("attributeName"), "what it would change is not named any more: {moved}");
        assert!(clean(b"<svg").is_err() && clean(b"<html></html>").is_err());
        assert!(clean("<svg>".repeat(5_000).as_bytes()).is_err());
    }

    /// What two parsers take differently, and what is deep where only one sees it.
    #[test]
    fn depth_is_counted_where_elements_are_and_nowhere_else() {
        let deep = |between: &str| format!("<svg xmlns='http://www.w3.org/2000/svg'>{}", "<g>".repeat(201) + between);
        for hidden in ["<!-- </g></g> -->", "<![CDATA[</g>]]>", "<?x </g>?>", "<g a='</g>'/>"] {
            let sent = format!("<svg xmlns='http://www.w3.org/2000/svg'>{}", format!("<g>{hidden}").repeat(40_000));
            assert_eq!(clean(sent.as_bytes()).unwrap_err(), ClipError::NotADrawing, "{hidden}");
            assert_eq!(clean(deep(hidden).as_bytes()).unwrap_err(), ClipError::NotADrawing);
        }
        let flat = "<g><!-- <g><g> --><path d='M0 0'/></g>".repeat(20_000);
        assert!(made(&flat).contains("M0 0"), "many beside each other are drawn");
        let many = format!("<path {}/>", (0..101).map(|n| format!("a{n}='1' ")).collect::<String>());
        assert!(clean(format!("<svg xmlns='http://www.w3.org/2000/svg'>{many}</svg>").as_bytes()).is_err());
    }

    #[test]
    fn short_texts_of_a_document_type_are_put_in_and_bombs_are_not() {
        let typed = |defined: &str, used: &str| {
            format!("<?xml version='1.0'?><!DOCTYPE svg [{defined}]><svg xmlns='&n;'><text>{used}</text></svg>")
        };
        let address = "<!ENTITY n \"http://www.w3.org/2000/svg\"><!ENTITY h 'Halt &#38; Co'>";
        let sent = typed("<!ENTITY n \"http://www.w3.org/2000/svg\">", "Tea &amp; cake");
        assert!(String::from_utf8(clean(sent.as_bytes()).unwrap().bytes).unwrap().contains("Tea &amp; cake"));
        assert!(clean(typed(address, "&h;").as_bytes()).is_err(), "no text within a text");
        let mut bomb = String::from("<!ENTITY n \"http://www.w3.org/2000/svg\"><!ENTITY a0 'ha'>");
        for n in 1..30 {
            bomb += &format!("<!ENTITY a{n} '&a{};&a{};'>", n - 1, n - 1);
        }
        assert!(clean(typed(&bomb, "&a29;").as_bytes()).is_err());
    }

    proptest! {
        #[test]
        fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
            let _ = clean(&[b"<svg xmlns='http://www.w3.org/2000/svg'>", &bytes[..]].concat());
            is_one(&bytes);
        }
    }
}
