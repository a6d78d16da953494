//! Polled lists: asks an address for a list, page by page, and takes each item that was not there before.

use super::Line;
use crate::intake::{Intake, Message};
use crate::mapping::document;
use crate::outside::Asked;
use serde_json::Value;
use sha2::{Digest, Sha256};
use std::collections::BTreeSet;
use std::time::Duration;
use tally_engine::Report;
use tally_store::mapping::List;

/// Most bytes of a page.
const MOST_BYTES: usize = 1024 * 1024;
/// Most pages of one list, and most items of a page.
const MOST_PAGES: usize = 20;
const MOST_ITEMS: usize = 1_000;
/// How many items are remembered, so that they need not be looked at again.
const REMEMBERED: usize = 20_000;
/// Nobody is asked more often than this.
const LEAST_EVERY: Duration = Duration::from_secs(2);

/// Asks until that fails; gives the reason.
pub(super) async fn run(line: &Line, list: &List) -> String {
    let intake = match Intake::new(line.feed, &list.mapping, true) {
        Ok(intake) => intake,
        Err(error) => return error.to_string(),
    };
    let mut asked = match Asked::new(&list.url, line.outside) {
        Ok(asked) => asked.with_headers(list.headers.clone()),
        Err(error) => return error.to_string(),
    };
    // What the ledger knows is found there; this only spares it the same questions.
    let mut seen: BTreeSet<[u8; 32]> = BTreeSet::new();
    loop {
        if seen.len() > REMEMBERED {
            seen.clear();
        }
        match round(line, list, &intake, &mut asked, &mut seen).await {
            Ok(None) => line.report(Report::Heard).await,
            Ok(Some(trouble)) => {
                line.report(Report::Heard).await;
                line.report(Report::Trouble(trouble)).await;
            }
            Err(why) => {
                asked.forget();
                return why;
            }
        }
        tokio::time::sleep(Duration::from_secs(u64::from(list.every)).max(LEAST_EVERY)).await;
    }
}

/// Asks once. Gives what the owner is to know, if anything.
async fn round(
    line: &Line,
    list: &List,
    intake: &Intake,
    asked: &mut Asked,
    seen: &mut BTreeSet<[u8; 32]>,
) -> Result<Option<String>, String> {
    let (mut pages, mut trouble) = (BTreeSet::new(), None);
    let mut next: Option<String> = None;
    loop {
        let body = match &next {
            None => asked.ask(MOST_BYTES).await,
            Some(page) => asked.page(page, MOST_BYTES).await.map(Some),
        };
        let Some(body) = body.map_err(|error| error.to_string())? else { return Ok(trouble) };
        let (items, following) = line.reading().and_then(|_reading| read(&body, list))?;
        let arrived = line.engine.now();
        let documents = items.iter().map(document::of_item);
        let new = documents.filter(|document| seen.insert(Sha256::digest(document.to_string()).into()));
        let messages: Vec<_> = new.map(|document| Message { arrived, document }).collect();
        if !messages.is_empty() {
            let taken = intake.take(&line.engine, &line.channel, messages).await.map_err(|error| error.to_string())?;
            trouble = trouble.or_else(|| taken.trouble());
        }
        match following {
            None => return Ok(trouble),
            // A page that leads back to one that was read, or on and on.
            Some(page) if !pages.insert(page.clone()) || pages.len() >= MOST_PAGES => {
                return Ok(trouble.or_else(|| {
                    Some(format!("its pages do not end; {} of them were read", pages.len().min(MOST_PAGES)))
                }));
            }
            Some(page) => next = Some(page),
        }
    }
}

/// The items of a page, and the address of the next.
fn read(body: &[u8], list: &List) -> Result<(Vec<Value>, Option<String>), String> {
    let page: Value = document::of_message(body, None)
        .map_err(|why| format!("its answer cannot be read: {why}"))
        .map(|mut document| document["body"].take())?;
    let next = Some(&list.next).filter(|next| !next.is_empty()).and_then(|next| page.pointer(next));
    let next = match next {
        None | Some(Value::Null) | Some(Value::Bool(false)) => None,
        Some(Value::String(next)) if next.trim().is_empty() => None,
        Some(Value::String(next)) => Some(next.trim().to_owned()),
        Some(_) => return Err(format!("what stands at {} is no address of a next page", list.next)),
    };
    let place = if list.items.is_empty() { "the top of its answer" } else { list.items.as_str() };
    let Some(Value::Array(items)) = page.pointer(&list.items) else {
        return Err(format!("there is no list at {place}"));
    };
    if items.len() > MOST_ITEMS {
        return Err(format!("its list has {} items; ask for pages of at most {MOST_ITEMS}", items.len()));
    }
    Ok((items.clone(), next))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(items: &str, next: &str) -> List {
        List { items: items.into(), next: next.into(), ..List::default() }
    }

    #[test]
    fn pages_are_read_and_what_is_no_list_is_told() {
        let page = br#"{"orders": [1, 2], "more": {"next": "/orders?after=2"}, "last": null}"#;
        let (items, next) = read(page, &of("/orders", "/more/next")).unwrap();
        assert_eq!((items.len(), next.as_deref()), (2, Some("/orders?after=2")));
        assert_eq!(read(page, &of("/orders", "/last")).unwrap().1, None);
        assert_eq!(read(b"[3]", &of("", "")).unwrap().0.len(), 1);
        for (body, list, said) in [
            (&page[..], of("/more", ""), "no list at /more"),
            (page, of("", ""), "no list at the top"),
            (page, of("/orders", "/orders"), "no address of a next page"),
            (b"<html>", of("", ""), "cannot be read"),
        ] {
            assert!(read(body, &list).unwrap_err().contains(said), "{said}");
        }
        let long = format!("[{}0]", "0,".repeat(MOST_ITEMS));
        assert!(read(long.as_bytes(), &of("", "")).unwrap_err().contains("1001 items"));
    }
}
