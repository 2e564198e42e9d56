//! Acts over a database of their own: what grows old with them, who may do them, what they leave in
//! the trail.
#![allow(clippy::unwrap_used)]

mod aging;
mod other_hours;
mod rights;
mod room;
mod table;
