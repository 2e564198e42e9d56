//! Sites from files: a spreadsheet (CSV, RFC 4180) or expectation files (TOML). What a file would
//! change is worked out before anything is written ([`plan`]): every row is new, a change, as the
//! site is already, or refused with its reason.

mod cell;
mod near;
mod plan;
mod sheet;
mod write;

pub use cell::guarded;
pub use plan::{Beyond, Change, Estate, ExistingSite, PlannedRow, Question, RowPlan, plan};
pub use sheet::{Cells, Row, Sheet, files, read};
pub use write::{refused, template, write, write_headings, write_rows};

use crate::expectation::{IntendedField, Widget};
use crate::site::{SiteField, SiteFields};

/// Columns that must be there.
pub const NEEDED: [&str; 3] = ["client", "name", "address"];
/// The column of a site's token for its platform's interface: read, sealed, never written.
pub const TOKEN: &str = "platform_token";
/// Rows of one file.
pub const MOST_ROWS: usize = 10_000;
/// A row whose client begins with this is a note to people.
pub(crate) const NOTE: char = '#';

/// All columns: the client's, those of the site, then what its widget is meant to do.
pub fn columns() -> Vec<&'static str> {
    let fields = SiteField::ALL.iter().map(|f| f.heading());
    let intended = IntendedField::ALL.iter().map(|f| f.heading());
    let client = std::iter::once("client");
    client.chain(fields).chain(intended).collect()
}

/// A site with the client it belongs to.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct SiteRow {
    /// Name of the client.
    pub client: String,
    /// Fields of the site.
    pub site: SiteFields,
    /// The site's first widget, with what it is meant to do; none: as usual.
    pub widget: Option<Widget>,
}

/// Reason why a file is not read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum IntakeError {
    /// The file has no rows.
    #[error("the file is empty")]
    Empty,
    /// Columns are missing; which.
    #[error("the first row must name the columns; missing: {0}")]
    Columns(String),
    /// The file is no text.
    #[error("the file is not a text file: save it as CSV")]
    NoText,
    /// The file has more rows than are taken.
    #[error("the file has more than {0} rows: split it")]
    TooLong(usize),
    /// An expectation file that cannot be read.
    #[error("{name}: {why}")]
    File {
        /// Name that nothing has.
        name: String,
        /// Reason, as a clause for people.
        why: String,
    },
}

#[cfg(test)]
mod tests;
