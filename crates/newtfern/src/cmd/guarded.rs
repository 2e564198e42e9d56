//! Which addresses a command may visit.

use newtfern_probe::guard::Guard;

/// The network rule of one visit by hand.
pub fn guard(allow_private: bool) -> Guard {
    match allow_private {
        true => Guard::open(),
        false => Guard::default(),
    }
}
