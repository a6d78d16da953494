//! Who may do what, and how much of it.

pub mod behind;
pub mod bodies;
pub mod csrf;
pub mod guard;
pub mod headers;
pub mod helper;
pub mod limits;
pub mod passwords;
pub mod peers;
pub mod reach;
pub mod session;
pub mod spoken;
pub mod tokens;
