//! A piece of a snippet in a document, and its state.

use serde::{Deserialize, Serialize};

/// Form in which a piece stands in the page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Form {
    /// A script element with an address.
    External,
    /// Script text in the page.
    Inline,
}

/// State that keeps a piece from running, if any.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum PieceState {
    /// The browser runs it.
    Live,
    /// Script text of somebody else that mentions the loader's host (a tag manager, an optimiser).
    Mentioned,
    /// The code stands in an HTML comment.
    Commented,
    /// Shown to visitors as text.
    AsText,
    /// Inside the named element, whose content does not run, or put in as markup.
    Inert(String),
    /// Script tags inside a script.
    DoubleWrapped,
    /// Typographic quotes instead of straight ones.
    BadQuotes,
    /// The code is cut off.
    Truncated,
    /// A `type`, `nomodule` or `language` that keeps it from running.
    WrongType(String),
    /// Held back until consent by the manager's own mark.
    ConsentHeld(String),
    /// The address stands in another attribute, waiting for a script to put it in `src`.
    Delayed(String),
}

impl PieceState {
    /// Returns whether the piece comes up for a visitor, at once or once it is let go.
    pub fn comes(&self) -> bool {
        matches!(
            self,
            PieceState::Live | PieceState::ConsentHeld(_) | PieceState::Delayed(_)
        )
    }
}

/// Piece of a supplier's snippet in a document.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Piece {
    /// Form in which it stands there.
    pub form: Form,
    /// State that keeps it from running.
    pub state: PieceState,
    /// Key that the code carries.
    pub key: KeySeen,
    /// Absolute address that the code loads.
    pub src: Option<String>,
    /// Lines of the source that the piece covers, 1-based, both included.
    pub line: u32,
    /// Last line of the piece, counted from 1.
    pub last_line: u32,
    /// Beginning of the piece, in one line.
    pub excerpt: String,
    /// External, in the head, neither async nor deferred.
    pub blocking: bool,
    /// Whether the piece stands in the head.
    pub in_head: bool,
    /// Whether the piece stands after the end of the body.
    pub after_end: bool,
    /// Difference from the supplier's code, where it matters.
    pub altered: Option<String>,
}

/// Pieces that were found in a document.
#[derive(Debug, Clone, Default)]
pub struct Inspection {
    /// Every piece of code, in document order.
    pub pieces: Vec<Piece>,
    /// The document goes beyond what is read: what is missing here may be in the rest.
    pub cut: bool,
}

/// Content of the place where the key belongs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum KeySeen {
    /// One key, as the code has it.
    Key(String),
    /// Empty, blank or a sample left in.
    Placeholder(String),
    /// The piece carries no key, nor need it.
    Nothing,
}

impl KeySeen {
    /// The key, if it is one.
    pub fn key(&self) -> Option<&str> {
        match self {
            KeySeen::Key(key) => Some(key),
            _ => None,
        }
    }
}
