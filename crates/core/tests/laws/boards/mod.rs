//! Boards: matches of every sport, act by act, and what holds for all of them.

mod laws;
mod points_and_tables;
mod script;
mod sets;
mod tennis;
mod timed;
mod undo;
