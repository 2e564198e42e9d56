//! The house rules, and tokens of sites' platforms.

use crate::{ActError, Actor, Acts, Result, record, tokens};
use newtfern_core::agency::Agency;
use newtfern_core::private_hosts::PrivateHosts;
use newtfern_store::Tx;
use newtfern_store::people::Role;
use serde_json::json;

/// Checks of a kind that a site's history may keep.
const KEPT: std::ops::RangeInclusive<i64> = 2..=1000;

/// What holds for the whole house.
#[derive(Debug, Clone)]
pub struct HouseRules {
    /// The private and local addresses that visits may go to, as typed.
    pub private_hosts: String,
    /// How many checks of a kind stay for each site; none where no number was given.
    pub keep_checks: Option<i64>,
    /// Everybody signs in with a second factor.
    pub second_required: bool,
}

impl Acts {
    /// Keeps what holds for the whole house.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the number is none to keep, or a line is no host and no network.
    pub async fn set_house_rules(&self, actor: &Actor, rules: HouseRules) -> Result<()> {
        actor.may(Role::Administrator)?;
        let keep = rules.keep_checks.filter(|n| KEPT.contains(n));
        let keep = keep.ok_or_else(|| {
            let (from, to) = (KEPT.start(), KEPT.end());
            ActError::Bad(format!(
                "The history keeps a number of checks from {from} to {to}."
            ))
        })?;
        let private = PrivateHosts::read(&rules.private_hosts);
        let private = private.map_err(|e| ActError::Bad(format!("Nothing was changed: {e}.")))?;
        let second = rules.second_required;
        let mut tx = self.store.begin().await?;
        tx.set_private_hosts(&private).await?;
        tx.set_setting("keep_checks", &json!(keep)).await?;
        tx.set_setting("second_required", &json!(second)).await?;
        let detail = json!({
            "private addresses": private.to_string(),
            "checks kept": keep,
            "second factor for all": second,
        });
        record(&mut tx, actor, "changed the house rules", "", detail).await?;
        Ok(tx.commit().await?)
    }

    /// Keeps what is known of the agency; a logo is replaced where one is given.
    ///
    /// # Errors
    /// [`ActError::Bad`] with everything that cannot be kept.
    pub async fn set_agency(
        &self,
        actor: &Actor,
        get: &(dyn Fn(&str) -> String + Sync),
        logo: Option<(Vec<u8>, &str)>,
    ) -> Result<()> {
        actor.may(Role::Administrator)?;
        let (mut agency, wrong) = Agency::typed(&|f| get(f));
        if !wrong.is_empty() {
            return Err(ActError::Bad(format!("{}.", wrong.join(". "))));
        }
        agency.logo = match logo {
            Some((bytes, extension)) => Some(self.blobs.put(bytes, extension).await?),
            None => self.store.agency().await?.logo,
        };
        let kept = json!(agency);
        let mut tx = self.store.begin().await?;
        tx.set_setting("agency", &kept).await?;
        record(&mut tx, actor, "changed the agency", &agency.name, kept).await?;
        Ok(tx.commit().await?)
    }

    /// Keeps the token of a site's platform interface.
    ///
    /// # Errors
    /// Where it cannot be sealed.
    pub async fn set_site_token(&self, actor: &Actor, site: i64, token: &str) -> Result<()> {
        actor.may(Role::Technician)?;
        let token = tokens::one_line(token)?;
        let mut tx = self.store.begin().await?;
        self.keep_site_token(&mut tx, site, token).await?;
        record(
            &mut tx,
            actor,
            "changed a token",
            &format!("site {site}"),
            json!({}),
        )
        .await?;
        Ok(tx.commit().await?)
    }

    /// Seals the token of a site's platform interface and keeps it.
    pub(crate) async fn keep_site_token(&self, tx: &mut Tx, site: i64, token: &str) -> Result<()> {
        let sealed = self.sealer.seal(&crate::site_place(site), token)?;
        Ok(tx.set_site_token(site, &sealed).await?)
    }
}
