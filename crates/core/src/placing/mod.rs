//! Placing a snippet through a platform's interface: the code that goes into a slot, what the slot
//! holds after it, and the proof over the whole page that all slots of the site make together.
//! "Proven" is said of exactly the texts that are pushed, and only where nothing of the same supplier
//! is left in beside the code.

mod mend;
mod spans;

pub use mend::{Mend, SlotChange, Told};
pub use spans::{Found, Span};

use crate::placement::{Inspector, Piece, PieceState};
use crate::platform::{FitError, Fitted, Slot, Takes, fit, proof_page};
use crate::profile::{ConsentManager, Position, Supplier};

/// What one slot of the site holds.
#[derive(Debug, Clone)]
pub struct Held<'a> {
    /// The slot.
    pub slot: &'a Slot,
    /// Its text today.
    pub text: String,
}

impl Held<'_> {
    /// What it would hold.
    fn then<'b>(&'b self, changes: &'b [SlotChange]) -> &'b str {
        let changed = changes.iter().find(|c| c.slot == self.slot.id);
        changed.map_or(self.text.as_str(), |c| c.after.as_str())
    }
}

/// A site whose slots are known.
pub struct Placing<'a> {
    /// Whose widget.
    pub supplier: &'a Supplier,
    /// The key that belongs here.
    pub key: &'a str,
    /// The consent manager that holds scripts back, if the site has one.
    pub consent: Option<&'a ConsentManager>,
    /// All slots that could be read.
    pub slots: Vec<Held<'a>>,
}

/// Why nothing is pushed.
#[derive(Debug, thiserror::Error)]
pub enum PlacingError {
    /// The slot does not take the code.
    #[error(transparent)]
    Fit(#[from] FitError),
    /// The text that results does not parse; why.
    #[error("the slot {0} could not be read, so nothing can be said of what it would hold")]
    Unread(String),
    /// The widget would be there twice; where.
    #[error(
        "the site already has this widget, in {0}; pushing would place it twice: take the other one out first, or check the key"
    )]
    Twice(String),
    /// An open comment or element would swallow the code; which.
    #[error(
        "what the slot holds would swallow the code: a comment or an element in it is not closed, or an old copy is cut off; close it or take it out first ({0})"
    )]
    Swallowed(String),
    /// The code is not in the slot any more.
    #[error("the slot no longer holds what was pushed")]
    Gone,
}

impl<'a> Placing<'a> {
    /// The code for a slot, gated by the consent manager where the slot takes markup.
    ///
    /// # Errors
    /// Where the code would not survive the slot.
    pub fn code(&self, slot: &Slot) -> Result<Fitted, FitError> {
        fit(self.supplier, self.key, slot, self.consent)
    }

    /// A page with what all slots make of their texts, some of which would be others.
    fn page(&self, changes: &[SlotChange]) -> String {
        let (mut head, mut body) = (String::new(), String::new());
        for held in &self.slots {
            let made = becomes(self.supplier, held.slot, held.then(changes));
            match held.slot.position {
                Position::Head => head.push_str(&made),
                Position::BodyEnd => body.push_str(&made),
            }
        }
        proof_page(&head, &body)
    }

    fn pieces(&self, page: &str) -> Vec<Piece> {
        Inspector::new(self.supplier, self.consent).pieces_apart(page)
    }

    /// Runs, or waits for consent as it should, and with the right key.
    fn is_good(&self, piece: &Piece) -> bool {
        let state = matches!(piece.state, PieceState::Live | PieceState::ConsentHeld(_))
            // Script text that makes the element is seen as a mention of the loader.
            || (piece.state == PieceState::Mentioned && piece.excerpt.contains(self.key));
        state && piece.key.key().is_none_or(|k| k == self.key)
    }

    /// How often the whole snippet is there: a snippet may be of several pieces.
    fn times(&self, pieces: &[Piece]) -> usize {
        let shape = crate::placement::Shape::of(self.supplier);
        let of_one = (shape.externals + shape.inlines).max(1);
        let good = pieces.iter().filter(|p| self.is_good(p)).count();
        good.div_ceil(of_one)
    }

    /// A slot with this text brings the right code.
    fn brings(&self, slot: &Slot, text: &str) -> bool {
        let made = becomes(self.supplier, slot, text);
        let pieces = self.pieces(&format!("<body>{made}"));
        pieces.iter().any(|p| self.is_good(p))
    }

    /// The slot that brings the right code already.
    pub fn home(&self) -> Option<&'a Slot> {
        let mut slots = self.slots.iter();
        slots.find(|h| self.brings(h.slot, &h.text)).map(|h| h.slot)
    }

    fn where_good(&self, changes: &[SlotChange]) -> String {
        let has = |h: &&Held| self.brings(h.slot, h.then(changes));
        let names = self.slots.iter().filter(has).map(|h| h.slot.name.clone());
        names.collect::<Vec<_>>().join(", ")
    }
}

/// What a slot makes of its text in the page.
fn becomes(supplier: &Supplier, slot: &Slot, text: &str) -> String {
    let plain = text.trim();
    if plain.is_empty() {
        return String::new();
    }
    match slot.takes {
        Takes::Markup | Takes::Snippet => format!("{text}\n"),
        Takes::ScriptText => format!("<script>\n{text}\n</script>\n"),
        Takes::Key | Takes::Switch => format!("{}\n", supplier.snippet_for(plain)),
        Takes::Address => format!(
            "<script src=\"{}\" async></script>\n",
            plain.replace('&', "&amp;")
        ),
    }
}

/// What a slot holds once a push is taken back: as before where nobody wrote meanwhile, else only ours
/// is taken out.
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
