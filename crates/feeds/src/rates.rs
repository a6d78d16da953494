//! The central bank's daily reference rates: `Cube time="…"` with `Cube currency="…" rate="…"`
//! inside, rates per one euro.

use chrono::NaiveDate;
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use rust_decimal::Decimal;
use std::collections::BTreeMap;
use tally_core::money::Currency;
use tally_core::money::rates::Table;

/// Most bytes of a file.
pub const MOST_BYTES: usize = 4 * 1024 * 1024;
/// Most days in a file: a hundred years.
const MOST_DAYS: usize = 36_600;
/// Most elements, and texts between them.
const MOST_PIECES: usize = 1_000_000;

/// Why a file of rates was refused.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("line {line}: {why}")]
pub struct RatesError {
    /// Counted from 1.
    pub line: usize,
    /// What is wrong, and what to send instead.
    pub why: String,
}

/// Reads the tables of a file, by date.
///
/// # Errors
/// Not XML, a document type (which could make the reader fetch or unfold things), no tables, or a
/// rate that is none.
pub fn parse(text: &str) -> Result<BTreeMap<NaiveDate, Table>, RatesError> {
    let mut reader = Reader::from_str(text);
    let mut days: BTreeMap<NaiveDate, Table> = BTreeMap::new();
    let mut day: Option<NaiveDate> = None;
    // Lines are counted on from where the last piece ended: each byte is looked at once.
    let (mut line, mut counted, mut pieces) = (1, 0, 0_usize);
    loop {
        let event = reader.read_event();
        let place = usize::try_from(reader.buffer_position()).unwrap_or(usize::MAX).min(text.len());
        line += text.as_bytes().get(counted..place).unwrap_or_default().iter().filter(|byte| **byte == b'\n').count();
        (counted, pieces) = (place.max(counted), pieces + 1);
        let refuse = |why: String| RatesError { line, why };
        if pieces > MOST_PIECES {
            return Err(refuse(format!("there are more than {MOST_PIECES} elements in it; send fewer days")));
        }
        match event {
            Err(error) => return Err(refuse(format!("this is not well-formed XML ({error})"))),
            Ok(Event::Eof) => break,
            Ok(Event::DocType(_)) => {
                return Err(refuse("a document type is not taken; send the plain table".into()));
            }
            Ok(Event::Start(element) | Event::Empty(element)) if element.local_name().as_ref() == b"Cube" => {
                if let Some(time) = attribute(&element, "time").map_err(refuse)? {
                    let date = time.parse().map_err(|_| refuse(format!("“{time}” is no date such as 2026-11-24")))?;
                    if days.len() >= MOST_DAYS {
                        return Err(refuse(format!("more than {MOST_DAYS} days are not taken")));
                    }
                    days.insert(date, Table::new());
                    day = Some(date);
                }
                if let Some(code) = attribute(&element, "currency").map_err(refuse)? {
                    let rate = attribute(&element, "rate").map_err(refuse)?.unwrap_or_default();
                    let (code, rate) = one(&code, &rate).map_err(refuse)?;
                    let day = day.ok_or_else(|| refuse("a rate stands before any date".into()))?;
                    if let Some(code) = code {
                        days.entry(day).or_default().insert(code, rate);
                    }
                }
            }
            Ok(_) => {}
        }
    }
    days.retain(|_, table| !table.is_empty());
    if days.is_empty() {
        return Err(RatesError { line: 1, why: "there is no table of rates in it".into() });
    }
    Ok(days)
}

fn attribute(element: &BytesStart<'_>, name: &str) -> Result<Option<String>, String> {
    let found =
        element.try_get_attribute(name).map_err(|error| format!("an attribute is not well-formed ({error})"))?;
    let text = found.map(|one| one.unescape_value().map(std::borrow::Cow::into_owned)).transpose();
    text.map_err(|error| format!("an attribute is not well-formed ({error})"))
}

/// One rate. A currency that is not in ISO 4217 any more is passed over.
fn one(code: &str, rate: &str) -> Result<(Option<String>, Decimal), String> {
    if code.len() != 3 || !code.bytes().all(|byte| byte.is_ascii_uppercase()) {
        return Err(format!("“{}” is no currency code", code.chars().take(20).collect::<String>()));
    }
    let decimal = Some(rate).filter(|rate| rate.len() <= 20).and_then(|rate| rate.parse::<Decimal>().ok());
    let rate = decimal
        .filter(|rate| *rate > Decimal::ZERO && *rate < Decimal::from(1_000_000_000))
        .ok_or_else(|| format!("“{}” is no rate for {code}", rate.chars().take(20).collect::<String>()))?;
    Ok((Currency::parse(code).is_ok().then(|| code.to_owned()), rate))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const TABLE: &str = r#"<?xml version="1.0" encoding="UTF-8"?>
<gesmes:Envelope xmlns:gesmes="http://www.gesmes.org/xml/2002-08-01" xmlns="http://www.ecb.int/vocabulary/2002-08-01/eurofxref">
  <gesmes:subject>Reference rates</gesmes:subject>
  <Cube>
    <Cube time="2026-11-24"><Cube currency="USD" rate="1.0842"/><Cube currency="GBP" rate='0.8343'/><Cube currency="QQQ" rate="3"/></Cube>
    <Cube time="2026-11-23">
      <Cube currency="JPY" rate="163.52"/>
    </Cube>
  </Cube>
</gesmes:Envelope>"#;

    #[test]
    fn the_central_banks_layout_is_read() {
        let days = parse(TABLE).unwrap();
        let day = |text: &str| text.parse::<NaiveDate>().unwrap();
        assert_eq!(days.len(), 2);
        assert_eq!(days[&day("2026-11-24")].len(), 2, "what is no currency any more is passed over");
        assert_eq!(days[&day("2026-11-24")]["GBP"].to_string(), "0.8343");
        assert_eq!(days[&day("2026-11-23")]["JPY"].to_string(), "163.52");
    }

    #[test]
    fn a_file_of_nothing_but_elements_is_read_once() {
        // Counting lines from the beginning at each of them took a minute and a half.
        let text = "<a/>".repeat(262_144);
        assert!(parse(&text).unwrap_err().to_string().contains("no table"));
        let text = format!("<Cube>\n{}", "<a/>".repeat(MOST_PIECES));
        assert!(parse(&text).unwrap_err().to_string().starts_with("line 2: there are more than"));
    }

    #[test]
    fn what_is_wrong_is_said_with_its_line() {
        let refused = |text: &str| parse(text).unwrap_err().to_string();
        let doctype = format!("<!DOCTYPE x [<!ENTITY a \"b\">]>\n{TABLE}");
        assert!(refused(&doctype).contains("document type"), "{}", refused(&doctype));
        assert!(refused(&TABLE.replace("1.0842", "-1")).starts_with("line 5: “-1” is no rate for USD"));
        assert!(refused(&TABLE.replace("1.0842", &"9".repeat(400))).contains("is no rate"));
        assert!(refused(&TABLE.replace("2026-11-23", "yesterday")).starts_with("line 6"));
        assert!(refused(&TABLE.replace("USD", "dollar")).contains("no currency code"));
        assert_eq!(refused(""), "line 1: there is no table of rates in it");
        assert!(refused("{}").contains("no table"));
        assert!(refused("<Cube><Cube time='2026-11-24'></Oops>").contains("well-formed"));
        assert!(refused("<Cube currency='USD' rate='1'/>").contains("before any date"));
    }

    proptest! {
        #[test]
        fn no_text_makes_it_panic(text in ".*", cut in any::<prop::sample::Index>(), more in "[<>/='\"a-z& ]*") {
            let _ = parse(&text);
            let at = cut.index(TABLE.len());
            let _ = parse(&format!("{}{more}{}", &TABLE[..at], &TABLE[at..]));
        }
    }
}
