//! Why something that somebody wants to do is refused.

/// Why an action was refused; the text says what to do instead.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// No such widget in this channel.
    #[error("there is no such widget")]
    NoSuchWidget,
    /// The family has no such action.
    #[error("this widget cannot be told to “{0}”; it knows: {1}")]
    NoSuchAction(String, String),
    /// The action takes a number and none came, or one beyond its bounds.
    #[error("{0}")]
    WrongValue(String),
    /// Everything is known already.
    #[error("there is nothing new in it")]
    NothingNew,
    /// What is wanted is so already.
    #[error("{0}")]
    SoAlready(&'static str),
    /// The action makes no sense in the present state.
    #[error("{0}")]
    NotNow(&'static str),
}
