//! Every act of a person, a worker or a program, one method each: rights, one transaction, the audit
//! row and an outbox row. Pages, workers and the command line change nothing but through here; what
//! they read, they read from the store, which this room hands on.

mod bulk_design;
mod checks;
mod clients;
mod design;
mod documents;
mod estate;
mod hand_tests;
mod hand_work;
mod handovers;
mod hashing;
mod import;
mod intended;
mod mailbox;
pub mod outside;
mod pages;
mod people;
mod placing;
mod profiles;
mod reach;
mod rounds;
mod rules_beside;
mod second_factor;
mod sessions;
mod settings;
mod sites;
mod subject;
mod supplier_settings;
mod survey;
mod tags;
mod test_talks;
mod tokens;
pub mod tries;

use newtfern_core::placing::PlacingError;
use newtfern_core::site::FieldError;
pub use newtfern_store as store;
use newtfern_store::blobs::Blobs;
use newtfern_store::client_tokens::TokenKind;
use newtfern_store::people::{Person, Role};
use newtfern_store::seal::Sealer;
use newtfern_store::{Store, StoreError, Tx};
use std::sync::Arc;

pub use bulk_design::DesignSet;
pub use checks::Seen;
pub use estate::{BULK_FIELDS, BulkChange};
pub use hand_work::{DiaryForm, ErrandPage, LINK_DAYS};
pub use hashing::hash_password;
pub use import::{Brings, Shown, Taken};
pub use intended::Intended;
pub use mailbox::KeptMailbox;
pub use outside::{Looked, Outside, SlotError, SlotText};
pub use pages::{RuleShown, RulesShown};
pub use people::{LINK_HOURS, PeopleAct};
pub use placing::{Others, PlacePage, PushShown, Pushed, SlotView};
pub use profiles::{Brought, MOST_PROFILE, ProfileForm};
pub use reach::Reach;
pub use rounds::none_ticked;
pub use second_factor::Setup;
pub use sessions::Opened;
pub use settings::HouseRules;
pub use sites::Added;
pub use subject::Subject;
pub use survey::TakeOver;
pub use tags::TagPage;
pub use tokens::Token;

/// Who acts.
#[derive(Debug, Clone)]
pub struct Actor {
    /// As the audit trail names them.
    pub name: String,
    /// What they may do.
    pub role: Role,
}

impl Actor {
    /// A program of ours.
    pub fn program(name: &str) -> Actor {
        Actor {
            name: name.to_string(),
            role: Role::Administrator,
        }
    }

    /// Somebody who can sign in.
    pub fn of(person: &Person) -> Actor {
        Actor {
            name: person.name.clone(),
            role: person.role(),
        }
    }

    pub fn may(&self, least: Role) -> Result<()> {
        if self.role >= least {
            return Ok(());
        }
        Err(ActError::Forbidden(match least {
            Role::Administrator => "Only an administrator can change this.",
            _ => "You may look, not change. Ask an administrator for the role of a technician.",
        }))
    }
}

/// Why an act was not done; nothing of it is kept then.
#[derive(Debug, thiserror::Error)]
pub enum ActError {
    #[error("{0}")]
    Forbidden(&'static str),
    #[error("there is no such {0}: it may have been removed")]
    NotFound(&'static str),
    /// The person can mend it.
    #[error("{0}")]
    Bad(String),
    /// A token would go to this origin unencrypted.
    #[error(
        "The token would go to {0} unencrypted, and whoever listens on the way could use it: use an https address, or tick that you want it all the same, and type the token again."
    )]
    Unencrypted(String),
    /// The same, each at its field.
    #[error("{}", .0.iter().map(FieldError::to_string).collect::<Vec<_>>().join("; "))]
    Fields(Vec<FieldError>),
    #[error(transparent)]
    Placing(#[from] PlacingError),
    #[error(transparent)]
    Slot(#[from] SlotError),
    #[error(transparent)]
    Store(#[from] StoreError),
    /// Who is signed in was asked for the password once more.
    #[error("Your present password is not right.")]
    WrongPassword,
    /// Too much of it is asked for at once.
    #[error("too many people sign in at this moment: try again in a minute")]
    Busy,
    /// The job was taken over by another worker; its result here is dropped.
    #[error("the job was taken over by another worker")]
    TakenOver,
}

impl ActError {
    /// The same act may be done again: the database was out of reach for a moment.
    pub fn is_passing(&self) -> bool {
        matches!(self, ActError::Store(error) if error.is_passing())
    }
}

/// The result of an act.
pub type Result<T> = std::result::Result<T, ActError>;

/// The room.
#[derive(Clone)]
pub struct Acts {
    /// For reading.
    pub store: Store,
    /// Pictures and files.
    pub blobs: Blobs,
    sealer: Sealer,
    outside: Arc<dyn Outside>,
    hashing: hashing::Hashing,
}

impl Acts {
    /// Opens the room.
    pub fn new(store: Store, blobs: Blobs, sealer: Sealer, outside: Arc<dyn Outside>) -> Acts {
        Acts {
            store,
            blobs,
            sealer,
            outside,
            hashing: hashing::Hashing::default(),
        }
    }

    /// What can be asked of the outside.
    pub fn outside(&self) -> &dyn Outside {
        &*self.outside
    }

    /// Opens a secret that was sealed for a row.
    fn open_secret(&self, place: &str, sealed: Option<Vec<u8>>) -> Result<Option<String>> {
        Ok(match sealed {
            Some(sealed) => Some(self.sealer.open(place, &sealed)?),
            None => None,
        })
    }

    /// The token of a site's platform interface.
    ///
    /// # Errors
    /// Where it cannot be opened.
    pub async fn site_token(&self, site: i64) -> Result<Option<String>> {
        let sealed = self.store.site_token(site).await?;
        if let Some(own) = self.open_secret(&site_place(site), sealed)? {
            return Ok(Some(own));
        }
        // Entered once for all sites of the client's account with the platform.
        let row = self.store.site(site).await?;
        let Some((row, platform)) = row.and_then(|s| Some((s.clone(), s.platform_id.clone()?)))
        else {
            return Ok(None);
        };
        // Nobody was asked whether it may go out unencrypted to this site.
        let goes_to = self.interface_of(row.fields()).await?;
        if goes_to.is_none_or(|url| newtfern_core::address::is_unencrypted(&url)) {
            return Ok(None);
        }
        let client = row.client_id;
        self.client_token(client, TokenKind::Platform, &platform)
            .await
    }

    /// The opened token of a client's account with a supplier: its own, or the house's.
    ///
    /// # Errors
    /// Where it cannot be opened.
    pub async fn account_token(&self, client: i64, supplier: &str) -> Result<Option<String>> {
        let own = self
            .client_token(client, TokenKind::Supplier, supplier)
            .await?;
        match own {
            Some(own) => Ok(Some(own)),
            None => self.supplier_token(supplier).await,
        }
    }

    /// The opened token of the house's own account with a supplier.
    ///
    /// # Errors
    /// Where it cannot be opened.
    pub async fn supplier_token(&self, id: &str) -> Result<Option<String>> {
        let sealed = self.store.supplier_token(id).await?;
        self.open_secret(&supplier_place(id), sealed)
    }
}

fn site_place(id: i64) -> String {
    format!("site {id} token")
}

fn supplier_place(id: &str) -> String {
    format!("supplier {id} token")
}

/// The audit row and the outbox row of an act.
async fn record(
    tx: &mut Tx,
    actor: &Actor,
    act: &str,
    subject: &str,
    detail: serde_json::Value,
) -> Result<()> {
    tx.note(&actor.name, act, subject, detail).await?;
    tx.tell("act", serde_json::json!({"act": act, "subject": subject}))
        .await?;
    Ok(())
}
