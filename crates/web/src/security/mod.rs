//! Who may do what, and how much of it.

pub mod access;
pub mod behind;
pub mod csrf;
pub mod guard;
pub mod headers;
pub mod helper;
pub mod limits;
pub mod passwords;
pub mod peers;
pub mod places;
pub mod reach;
pub mod session;
pub mod spoken;
pub mod tokens;
