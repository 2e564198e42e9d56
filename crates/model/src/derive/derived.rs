//! A profile as it was derived from a snippet.

/// Reason why a paste gives no profile.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum DeriveError {
    /// The paste has no code.
    #[error(
        "there is no code in this: paste the snippet as the supplier gives it, with its script tags"
    )]
    NoCode,
    /// Code that loads nothing from anywhere.
    #[error(
        "this code loads nothing from another host, so nothing tells whose it is: paste \
        the whole snippet"
    )]
    NoHost,
    /// More than a snippet.
    #[error("this is longer than {MOST_PASTE} bytes: paste the snippet alone, not the page")]
    TooLong,
    /// The derived profile does not find its own snippet.
    #[error(
        "the snippet breaks off or is too damaged to be used ({0}): copy it again at the supplier"
    )]
    Damaged(String),
}

/// Profile that a snippet tells of its supplier.
#[derive(Debug, Clone, PartialEq)]
pub struct DerivedProfile {
    /// Short name, from the host.
    pub id: String,
    /// Hosts that serve the loader.
    pub script_hosts: Vec<String>,
    /// Texts by which its inline code is known.
    pub inline_markers: Vec<String>,
    /// Regular expressions with a group `key`.
    pub key_patterns: Vec<String>,
    /// The code with `{{key}}` where the key goes.
    pub template: String,
    /// Whether the snippet stands in the head.
    pub in_head: bool,
    /// The key that the snippet holds; none where it holds a sample, or nothing tells.
    pub key: Option<String>,
    /// Repairs that were made to the paste.
    pub mended: Vec<Repair>,
    /// Facts that a person must still give, in words.
    pub unknown: Vec<String>,
}

/// One repair that was made to pasted code.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Repair {
    /// Typographic quotes were replaced by plain ones.
    Quotes,
    /// Non-breaking and zero-width blanks.
    Blanks,
    /// Markup written as text (`&lt;script`).
    Escaped,
    /// The markup comment around it was removed.
    Comment,
    /// Script tags inside a script.
    DoubleWrapped,
    /// Script text without its tags.
    NoTags,
    /// A script element was put around a bare address.
    AddressOnly,
    /// Words or markup around it.
    Around,
    /// The last script had no end.
    NoEnd,
    /// The head element around it was removed.
    Head,
    /// Line ends inside quoted texts, as mail programs make them.
    LineEnds,
}

impl Repair {
    /// Returns the repair in words, to follow "mended: ".
    pub fn words(self) -> &'static str {
        match self {
            Repair::Quotes => "typographic quotes were made plain",
            Repair::Blanks => "non-breaking blanks were made plain",
            Repair::Escaped => "markup that was written as text was read as markup",
            Repair::Comment => "it was taken out of a comment",
            Repair::DoubleWrapped => "script tags around script tags were taken away",
            Repair::NoTags => "script tags were put around it",
            Repair::AddressOnly => "a script element was put around the address",
            Repair::Around => "what stood around it was left out",
            Repair::NoEnd => "the end tag of its last script was added",
            Repair::Head => "it stood in the head of a page",
            Repair::LineEnds => "line ends inside quoted texts were taken out",
        }
    }
}

/// Bytes of a paste that are looked at: the longest snippets have some ten kilobytes.
pub const MOST_PASTE: usize = 200_000;
