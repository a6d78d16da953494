//! What can go wrong with the database.

use diesel::result::{DatabaseErrorKind, Error};

/// Why the store could not do what was asked.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The database does not answer. What was asked may be tried again.
    #[error("the database is away: {0}")]
    Away(String),
    /// There is no such row.
    #[error("not found")]
    NotFound,
    /// The name is taken.
    #[error("taken")]
    Taken,
    /// The database refused a statement.
    #[error("the database refused a statement: {0}")]
    Refused(String),
    /// A stored value cannot be read by this version.
    #[error("a stored value cannot be read: {0}")]
    Unreadable(String),
    /// A migration failed.
    #[error("a migration failed: {0}")]
    Migration(String),
}

impl From<Error> for StoreError {
    fn from(error: Error) -> Self {
        match &error {
            Error::NotFound => Self::NotFound,
            Error::DatabaseError(DatabaseErrorKind::UniqueViolation, _) => Self::Taken,
            Error::DatabaseError(DatabaseErrorKind::ClosedConnection, info) => Self::Away(info.message().to_owned()),
            Error::DatabaseError(_, info) if lost(info.message()) => Self::Away(info.message().to_owned()),
            Error::BrokenTransactionManager => Self::Away(error.to_string()),
            Error::RollbackErrorOnCommit { rollback_error, .. } => Self::Away(rollback_error.to_string()),
            _ => Self::Refused(error.to_string()),
        }
    }
}

/// The client library tells a broken connection by these words only.
fn lost(message: &str) -> bool {
    let message = message.to_ascii_lowercase();
    ["gone away", "lost connection", "can't connect", "server shutdown", "connection was killed"]
        .iter()
        .any(|words| message.contains(words))
}
