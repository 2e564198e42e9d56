//! What a slot holds, and what is put there.

use crate::placement::{Inspector, Piece, PieceState};
use crate::platform::{FitError, Fitted, Slot, SlotInput, fit, proof_page};
use crate::profile::{ConsentManager, Position, Supplier};

/// Content of one slot of the site.
#[derive(Debug, Clone)]
pub struct SlotContent<'a> {
    /// Slot of the platform.
    pub slot: &'a Slot,
    /// Text that the slot holds today.
    pub text: String,
}

impl SlotContent<'_> {
    /// Returns the text that the slot would hold.
    fn then<'b>(&'b self, changes: &'b [SlotChange]) -> &'b str {
        let changed = changes.iter().find(|c| c.slot == self.slot.id);
        changed.map_or(self.text.as_str(), |c| c.after.as_str())
    }
}

/// A site whose slots are known.
pub struct Placing<'a> {
    /// Supplier whose widget is placed.
    pub supplier: &'a Supplier,
    /// The key that belongs here.
    pub key: &'a str,
    /// Keys of the site's other widgets of this supplier: their code is left alone.
    pub siblings: Vec<&'a str>,
    /// The consent manager that holds scripts back, if the site has one.
    pub consent: Option<&'a ConsentManager>,
    /// All slots that could be read.
    pub slots: Vec<SlotContent<'a>>,
}

/// Reason why nothing is pushed.
#[derive(Debug, thiserror::Error)]
pub enum PlacingError {
    /// The slot does not take the code.
    #[error(transparent)]
    Fit(#[from] FitError),
    /// The text that results does not parse; why.
    #[error("the slot {0} could not be read, so its new content cannot be planned")]
    Unread(String),
    /// The widget would be there twice; where.
    #[error(
        "the site already has this widget in {0}, and publishing would add it twice: remove the \
        other one first, or check the key"
    )]
    Twice(String),
    /// The slot holds the key of another widget of the site; its name.
    #[error("{0} holds the key of another widget of this site: choose another slot")]
    Taken(String),
    /// An open comment or element would swallow the code; which.
    #[error(
        "the present content of the slot would swallow the code: a comment or an element is not \
        closed, or an old copy is cut off. Close it or remove it first ({0})"
    )]
    Swallowed(String),
    /// The code is not in the slot any more.
    #[error("the slot changed after the code was published")]
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
    pub(super) fn page(&self, changes: &[SlotChange]) -> String {
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

    pub(super) fn pieces(&self, page: &str) -> Vec<Piece> {
        let mut pieces = Inspector::new(self.supplier, self.consent).pieces_apart(page);
        pieces.retain(|p| {
            p.key
                .key()
                .map_or(!self.is_siblings(&p.excerpt), |k| !self.has_sibling(k))
        });
        pieces
    }

    fn has_sibling(&self, key: &str) -> bool {
        key != self.key && self.siblings.contains(&key)
    }

    /// Returns whether a piece of code is another widget's of the site: it has that widget's key as
    /// a whole word, and not this one's.
    pub(super) fn is_siblings(&self, code: &str) -> bool {
        let word = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.');
        let mut words = code.split(|c: char| !word(c));
        words.clone().all(|w| w != self.key) && words.any(|w| self.has_sibling(w))
    }

    /// Runs, or waits for consent as it should, and with the right key.
    pub(super) fn is_good(&self, piece: &Piece) -> bool {
        let state = matches!(piece.state, PieceState::Live | PieceState::ConsentHeld(_))
            // Script text that makes the element is seen as a mention of the loader.
            || (piece.state == PieceState::Mentioned && piece.excerpt.contains(self.key));
        state && piece.key.key().is_none_or(|k| k == self.key)
    }

    /// Returns how often the whole snippet is there: a snippet may be of several pieces.
    pub(super) fn times(&self, pieces: &[Piece]) -> usize {
        let shape = crate::placement::Shape::of(self.supplier);
        let of_one = (shape.externals + shape.inlines).max(1);
        let good = pieces.iter().filter(|p| self.is_good(p)).count();
        good.div_ceil(of_one)
    }

    /// A slot with this text brings the right code.
    pub(super) fn brings(&self, slot: &Slot, text: &str) -> bool {
        let made = becomes(self.supplier, slot, text);
        let pieces = self.pieces(&format!("<body>{made}"));
        pieces.iter().any(|p| self.is_good(p))
    }

    /// The slot that brings the right code already.
    pub fn home(&self) -> Option<&'a Slot> {
        let mut slots = self.slots.iter();
        slots.find(|h| self.brings(h.slot, &h.text)).map(|h| h.slot)
    }

    pub(super) fn where_good(&self, changes: &[SlotChange]) -> String {
        let has = |h: &&SlotContent| self.brings(h.slot, h.then(changes));
        let names = self.slots.iter().filter(has).map(|h| h.slot.name.clone());
        names.collect::<Vec<_>>().join(", ")
    }
}

/// Text of one slot, before and after.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SlotChange {
    /// Short name of the slot.
    pub slot: String,
    /// Slot's name on the platform.
    pub name: String,
    /// Text that the slot holds today.
    pub before: String,
    /// Text that the slot will hold.
    pub after: String,
}

impl SlotChange {
    /// None where the text stays as it is.
    pub(super) fn of(held: &SlotContent, after: String) -> Option<SlotChange> {
        (after != held.text).then(|| SlotChange {
            slot: held.slot.id.clone(),
            name: held.slot.name.clone(),
            before: held.text.clone(),
            after,
        })
    }
}

/// Returns what a slot makes of its text in the page.
pub(super) fn becomes(supplier: &Supplier, slot: &Slot, text: &str) -> String {
    let plain = text.trim();
    if plain.is_empty() {
        return String::new();
    }
    match slot.takes {
        SlotInput::Markup | SlotInput::Snippet => format!("{text}\n"),
        SlotInput::ScriptText => format!("<script>\n{text}\n</script>\n"),
        SlotInput::Key | SlotInput::Switch => format!("{}\n", supplier.snippet_for(plain)),
        SlotInput::Address => format!(
            "<script src=\"{}\" async></script>\n",
            plain.replace('&', "&amp;")
        ),
    }
}
