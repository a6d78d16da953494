//! Why a delivery was refused.

/// One broken rule: where it is, and what to change. Nothing of the delivery was kept.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{detail}")]
pub struct Problem {
    /// In a batch, which event, from 0.
    pub index: Option<usize>,
    /// JSON Pointer (RFC 6901) of the field within the event as it looks in structured mode,
    /// whichever mode it came in.
    pub pointer: String,
    /// A sentence.
    pub detail: String,
}

impl Problem {
    pub(crate) fn new(pointer: impl Into<String>, detail: impl Into<String>) -> Self {
        Self { index: None, pointer: pointer.into(), detail: detail.into() }
    }

    pub(crate) fn in_event(self, index: usize) -> Self {
        Self { index: Some(index), ..self }
    }
}
