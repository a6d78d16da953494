//! Exchange rates: asks for the table a few times a day, and records each day's once.

use super::Line;
use crate::outside::Asked;
use crate::rates::{MOST_BYTES, parse};
use std::time::Duration;
use tally_engine::Report;

/// The bank writes a table a day.
const EVERY: Duration = Duration::from_secs(3 * 3_600);

/// Asks until that fails; gives the reason.
pub(super) async fn run(line: &Line, url: &str) -> String {
    let mut asked = match Asked::new(url, line.outside) {
        Ok(asked) => asked,
        Err(error) => return error.to_string(),
    };
    loop {
        match asked.ask(MOST_BYTES).await {
            Err(error) => return error.to_string(),
            Ok(None) => {}
            Ok(Some(body)) => {
                let Ok(text) = std::str::from_utf8(&body) else { return "its answer is not UTF-8".into() };
                let days = match parse(text) {
                    Ok(days) => days,
                    Err(error) => return error.to_string(),
                };
                if let Err(error) = line.channel.rates(days).await {
                    return error.to_string();
                }
            }
        }
        line.report(Report::Heard).await;
        tokio::time::sleep(EVERY).await;
    }
}
