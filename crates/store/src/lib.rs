//! PostgreSQL through SQLx, the queue, blobs. Statements are short and stand beside the type they
//! fill; what must happen together is one method with one transaction.

#![warn(missing_docs)]

pub mod access;
mod connection;
pub mod error;
pub mod estate;
pub mod handing;
mod handles;
mod listen;
pub mod profile;
pub mod results;
pub mod sealed;
pub mod server;
pub mod text;
mod tx;
pub mod writing;

pub use connection::{Moment, Store, fresh_token, token_hash};
pub use error::{Result, StoreError};
pub(crate) use error::{doing, unique};
pub use handles::{
    BegunRows, Care, CheckRows, ClientRows, HandingRows, ImportRows, ListRows, PeopleRows,
    ProfileRows, Queue, Reads, RoundRows, SettingRows, SiteRows, WritingRows,
};
pub use listen::Listener;
pub use tx::Tx;

use connection::now;

impl Tx {
    /// The time by the database's clock, not that of the transaction's beginning.
    pub async fn now(&mut self) -> Result<jiff::Timestamp> {
        now(&mut *self.inner).await
    }
}
