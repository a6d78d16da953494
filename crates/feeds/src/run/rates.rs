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
                let reading = match line.reading() {
                    Ok(reading) => reading,
                    Err(why) => return why,
                };
                // Off the threads on which everything else waits.
                let read = tokio::task::spawn_blocking(move || {
                    let _reading = reading;
                    let text = std::str::from_utf8(&body).map_err(|_| "its answer is not UTF-8".to_owned())?;
                    parse(text).map_err(|error| error.to_string())
                });
                let days = match read.await.unwrap_or_else(|error| Err(error.to_string())) {
                    Ok(days) => days,
                    Err(why) => return why,
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
