//! Link `usable`: it opens on click and by keyboard, has an accessible name, the panel shows, and
//! closes again.

mod loss;
pub mod new_window;
pub mod no_close;
pub mod no_keyboard;
pub mod no_name;
pub mod no_open;
pub mod small_target;
