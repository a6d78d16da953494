//! Calls that cues make: signed as Standard Webhooks has it, to addresses that may be reached, answered within some seconds.

use crate::outside::{Outside, OutsideError, post};
use crate::signature;
use base64::Engine as _;
use base64::prelude::BASE64_STANDARD;
use futures_util::FutureExt;
use futures_util::future::BoxFuture;
use tally_engine::{Call, Engine};
use tokio::task::JoinSet;

/// So many calls are under way at once at most.
const AT_ONCE: usize = 20;

/// A secret to sign with, written as Standard Webhooks does.
#[must_use]
pub fn fresh_secret() -> String {
    format!("whsec_{}", BASE64_STANDARD.encode(rand::random::<[u8; 24]>()))
}

/// Makes the calls of all channels. Runs until dropped; ends at once where somebody makes them already.
pub fn make(engine: Engine, outside: Outside) -> BoxFuture<'static, ()> {
    async move {
        let Some(mut calls) = engine.take_calls().await else { return };
        let mut under_way = JoinSet::new();
        while let Some(call) = calls.recv().await {
            if under_way.len() >= AT_ONCE {
                let _ = under_way.join_next().await;
            }
            let engine = engine.clone();
            under_way.spawn(async move {
                let Call { channel, id, address, body, answer } = call;
                let made = match engine.store().call_secret(channel, fresh_secret()).await {
                    Ok(secret) => one(&secret, (&id, &address, body), engine.now().timestamp(), outside).await,
                    Err(error) => Err(error.to_string()),
                };
                // Whoever asked may have given up on it.
                let _ = answer.send(made);
            });
            while under_way.try_join_next().is_some() {}
        }
    }
    .boxed()
}

async fn one(
    secret: &str,
    (id, address, body): (&str, &str, Vec<u8>),
    timestamp: i64,
    outside: Outside,
) -> Result<(), String> {
    let signature = signature::sign(secret, id, timestamp, &body).ok_or("the secret of calls cannot be read")?;
    let headers = [
        ("content-type", "application/json".to_owned()),
        ("webhook-id", id.to_owned()),
        ("webhook-timestamp", timestamp.to_string()),
        ("webhook-signature", signature),
    ];
    match post(address, outside, &headers, body).await {
        Ok(200..300) => Ok(()),
        Ok(status @ 300..400) => Err(format!("it answered {status}: give the address to which it redirects")),
        Ok(status) => Err(OutsideError::Status(status).to_string()),
        Err(error) => Err(error.to_string()),
    }
}
