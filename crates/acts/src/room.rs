//! The room itself: what every act has at hand.

use crate::access::actor::Actor;
use crate::access::hashing;
use crate::error::Result;
use crate::writing::slot_access::Outside;
use newtfern_store::results::blobs::Blobs;
use newtfern_store::sealed::seal::Sealer;
use newtfern_store::{Store, Tx};
use std::sync::Arc;

/// Everything that an act needs: database, stored files, keys and the outside.
#[derive(Clone)]
pub struct Acts {
    pub(crate) store: Store,
    /// Store of pictures and other files.
    pub blobs: Blobs,
    pub(crate) sealer: Sealer,
    pub(crate) outside: Arc<dyn Outside>,
    pub(crate) hashing: hashing::Hashing,
}

impl Acts {
    /// Puts together what acts need.
    pub fn new(store: Store, blobs: Blobs, sealer: Sealer, outside: Arc<dyn Outside>) -> Acts {
        Acts {
            store,
            blobs,
            sealer,
            outside,
            hashing: hashing::Hashing::default(),
        }
    }

    /// Returns the way to everything outside: sites, suppliers, browsers.
    pub fn outside(&self) -> &dyn Outside {
        &*self.outside
    }

    /// Opens a secret that was sealed for a row.
    pub(crate) fn open_secret(
        &self,
        place: &str,
        sealed: Option<Vec<u8>>,
    ) -> Result<Option<String>> {
        Ok(match sealed {
            Some(sealed) => Some(self.sealer.open(place, &sealed)?),
            None => None,
        })
    }
}

/// The same for one act on many subjects, each with its detail.
pub(crate) async fn record_each(
    tx: &mut Tx,
    actor: &Actor,
    act: &str,
    subjects: &[(String, serde_json::Value)],
) -> Result<()> {
    Ok(tx.note_each(&actor.in_trail(), act, subjects).await?)
}

/// The audit row and the outbox row of an act.
pub(crate) async fn record(
    tx: &mut Tx,
    actor: &Actor,
    act: &str,
    subject: &str,
    detail: serde_json::Value,
) -> Result<()> {
    tx.note(&actor.in_trail(), act, subject, detail).await?;
    tx.tell("act", serde_json::json!({"act": act, "subject": subject}))
        .await?;
    Ok(())
}
