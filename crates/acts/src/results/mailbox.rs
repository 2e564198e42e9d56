//! The mailbox of test talks: where mails to the visitor of a test are read. Its password is
//! sealed.

use crate::handles::SettingActs;
use crate::{ActError, Actor, Result, record};
use newtfern_standards::mailbox::Mailbox;
use newtfern_standards::typed;
use newtfern_store::access::people::Role;
use serde::{Deserialize, Serialize};
use serde_json::json;

/// Name of the setting, and what its password is sealed for.
const SETTING: &str = "mailbox";

/// Test mailbox as it is stored.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct KeptMailbox {
    /// Mail address that test messages name.
    pub address: String,
    /// The server's, as RFC 5092 writes it.
    pub server: String,
    sealed: Vec<u8>,
}

impl SettingActs<'_> {
    /// Returns the stored test mailbox, without its password.
    pub async fn kept_mailbox(self) -> Result<Option<KeptMailbox>> {
        let kept = self.acts.store.settings().setting(SETTING).await?;
        Ok(kept.and_then(|v| serde_json::from_value(v).ok()))
    }

    /// The mailbox with its password, where one is kept.
    ///
    /// # Errors
    /// Where it cannot be unsealed, or is none any more.
    pub async fn mailbox(self) -> Result<Option<(Mailbox, String)>> {
        let Some(kept) = self.kept_mailbox().await? else {
            return Ok(None);
        };
        let mailbox = Mailbox::read(&kept.address, &kept.server);
        let mailbox = mailbox.map_err(|e| ActError::Bad(format!("The mailbox: {e}.")))?;
        let password = self.acts.sealer.open(SETTING, &kept.sealed)?;
        Ok(Some((mailbox, password)))
    }

    /// Keeps the mailbox; an empty password leaves the one before, empty addresses forget it all.
    ///
    /// # Errors
    /// [`ActError::Bad`] with what cannot be kept.
    pub async fn set_mailbox(
        self,
        actor: &Actor,
        (address, server, password): (&str, &str, &str),
    ) -> Result<()> {
        actor.may(Role::Administrator)?;
        let (address, server) = (address.trim(), server.trim());
        if address.is_empty() && server.is_empty() {
            let mut tx = self.acts.store.begin().await?;
            tx.set_setting(SETTING, &json!(null)).await?;
            record(&mut tx, actor, "removed the test mailbox", "", json!({})).await?;
            return Ok(tx.commit().await?);
        }
        Mailbox::read(address, server).map_err(|e| ActError::Bad(format!("Not saved: {e}.")))?;
        let sealed = match password.is_empty() {
            false => {
                let password = typed::token(password)
                    .map_err(|e| ActError::Bad(format!("Not saved: the password {e}.")))?;
                self.acts.sealer.seal(SETTING, password)?
            }
            true => match self.kept_mailbox().await? {
                // For another server it would be given away.
                Some(kept) if kept.server == server => kept.sealed,
                _ => {
                    let why = "Not saved: a new mailbox needs its password.";
                    return Err(ActError::Bad(why.into()));
                }
            },
        };
        let kept = KeptMailbox {
            address: address.into(),
            server: server.into(),
            sealed,
        };
        let mut tx = self.acts.store.begin().await?;
        tx.set_setting(SETTING, &json!(kept)).await?;
        let told = json!({"address": address, "server": server});
        record(&mut tx, actor, "changed the test mailbox", "", told).await?;
        Ok(tx.commit().await?)
    }
}
