//! What was let in by a token or a session, and stays open: it ends as soon as that is worth nothing any more.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Mutex, PoisonError};
use tokio::sync::watch;

/// By what somebody was let in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Pass {
    /// A token of a program, by its number.
    Token(u32),
    /// A session of somebody, and the count of endings of their sessions at which it began.
    Session {
        /// Who.
        user: u32,
        /// See the variant.
        epoch: u32,
    },
}

/// What has ended since the program runs.
#[derive(Default)]
struct Ended {
    tokens: BTreeSet<u32>,
    /// The newest count of endings, by person.
    epochs: BTreeMap<u32, u32>,
}

/// See the module.
pub struct Access {
    ended: Mutex<Ended>,
    changes: watch::Sender<()>,
}

impl Default for Access {
    fn default() -> Self {
        Self { ended: Mutex::default(), changes: watch::Sender::new(()) }
    }
}

impl Access {
    /// A token is worth nothing any more.
    pub fn revoked(&self, token: u32) {
        self.ended.lock().unwrap_or_else(PoisonError::into_inner).tokens.insert(token);
        self.changes.send_replace(());
    }

    /// All sessions of somebody have ended that began before this count.
    pub fn sessions_ended(&self, user: u32, epoch: u32) {
        self.ended.lock().unwrap_or_else(PoisonError::into_inner).epochs.insert(user, epoch);
        self.changes.send_replace(());
    }

    fn holds(&self, pass: Pass) -> bool {
        let ended = self.ended.lock().unwrap_or_else(PoisonError::into_inner);
        match pass {
            Pass::Token(token) => !ended.tokens.contains(&token),
            Pass::Session { user, epoch } => ended.epochs.get(&user).is_none_or(|newest| epoch >= *newest),
        }
    }

    /// Waits until what let somebody in is worth nothing.
    pub async fn ended(&self, pass: Pass) {
        let mut changes = self.changes.subscribe();
        while self.holds(pass) {
            if changes.changed().await.is_err() {
                return;
            }
        }
    }
}
