//! Placing a snippet through a platform's interface: the code that goes into a slot, what the slot
//! holds after it, and the proof over the whole page that all slots of the site make together.
//! "Proven" is said of exactly the texts that are pushed, and only where nothing of the same
//! supplier is left in beside the code.

mod held;
mod mend;
mod spans;
mod wrong_copy;

pub use held::{Placing, PlacingError, SlotChange, SlotContent};
pub use mend::{Mend, PlannedChange};
pub use spans::{Span, SpanKind};
pub use wrong_copy::{WrongCopy, wrong_copies};

/// Returns the text of a slot once a push is undone: as before where nobody wrote meanwhile, else
/// only our code is taken out.
///
/// # Errors
/// [`PlacingError::Gone`], where the slot no longer holds what was pushed.
pub fn put_back(held: &str, before: &str, after: &str, ours: &str) -> Result<String, PlacingError> {
    let ours = ours.trim_end();
    if held == after {
        Ok(before.to_string())
    } else if !ours.is_empty() && held.contains(ours) {
        Ok(held.replacen(ours, "", 1))
    } else {
        Err(PlacingError::Gone)
    }
}

#[cfg(test)]
mod tests;
