//! Files that a browser sends: read up to a limit, under the names that they were given.

use crate::error::WebError;
use actix_web::web::{Bytes, BytesMut, Payload};
use futures_util::StreamExt;
use serde::Deserialize;

/// Longest name of a file that is kept, in letters.
const LONGEST_NAME: usize = 80;

/// What the file is called.
#[derive(Deserialize)]
pub struct Named {
    name: String,
}

impl Named {
    /// Its name as it can be shown: in one line, and not too long.
    pub fn tidy(&self) -> String {
        self.name.chars().filter(|letter| !letter.is_control()).take(LONGEST_NAME).collect()
    }
}

/// Reads a whole file of so many bytes at most. `Err` inside says what to change about it.
///
/// # Errors
/// It broke off on its way.
pub async fn file(mut payload: Payload, most: usize) -> Result<Result<Bytes, String>, WebError> {
    let mut body = BytesMut::new();
    while let Some(chunk) = payload.next().await {
        let chunk = chunk.map_err(|_| WebError::Refused("The file broke off on its way; send it again.".into()))?;
        if body.len() + chunk.len() > most {
            let megabytes = most / 1024 / 1024;
            return Ok(Err(format!("the file is larger than {megabytes} MB; make it smaller or split it.")));
        }
        body.extend_from_slice(&chunk);
    }
    Ok(Ok(body.freeze()))
}
