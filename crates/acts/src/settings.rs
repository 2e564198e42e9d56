//! The house rules and the agency.

use crate::handles::SettingActs;
use crate::results::ground::age;
use crate::{ActError, Actor, Result, record};
use newtfern_model::agency::Agency;
use newtfern_model::profile::sample_words::SampleWords;
use newtfern_standards::private_hosts::PrivateHosts;
use newtfern_store::access::people::Role;
use newtfern_store::estate::lists::Filter;
use serde_json::json;

/// Checks of a kind that a site's history may keep.
const KEPT: std::ops::RangeInclusive<i64> = 2..=1000;

/// Settings that hold for the whole house.
#[derive(Debug, Clone)]
pub struct HouseRules {
    /// The private and local addresses that visits may go to, as typed.
    pub private_hosts: String,
    /// Sample texts that are looked for beyond the built-in ones, as typed.
    pub sample_words: String,
    /// Number of checks of a kind to keep for each site; none where no number was typed.
    pub keep_checks: Option<i64>,
    /// Everybody signs in with a second factor.
    pub second_required: bool,
}

impl SettingActs<'_> {
    /// Keeps what holds for the whole house.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the number is none to keep, or a line is no host, no network or no
    /// sample text.
    pub async fn set_house_rules(self, actor: &Actor, rules: HouseRules) -> Result<()> {
        actor.may(Role::Administrator)?;
        let keep = rules.keep_checks.filter(|n| KEPT.contains(n));
        let keep = keep.ok_or_else(|| {
            let (from, to) = (KEPT.start(), KEPT.end());
            ActError::Bad(format!(
                "Results to keep per site must be a number from {from} to {to}."
            ))
        })?;
        let private = PrivateHosts::read(&rules.private_hosts);
        let private = private.map_err(|e| ActError::Bad(format!("Nothing was changed: {e}.")))?;
        let samples = SampleWords::read(&rules.sample_words);
        let samples = samples.map_err(|e| ActError::Bad(format!("Nothing was changed: {e}.")))?;
        let second = rules.second_required;
        let changed = self.acts.store.settings().sample_words().await? != samples;
        let sites = self.acts.store.lists().site_ids(&Filter::default()).await?;
        let mut tx = self.acts.store.begin().await?;
        tx.set_private_hosts(&private).await?;
        // Of these rules, sample texts alone are an input of results.
        if changed {
            tx.set_sample_words(&samples).await?;
            age(&mut tx, &sites).await?;
        }
        tx.set_setting("keep_checks", &json!(keep)).await?;
        tx.set_setting("second_required", &json!(second)).await?;
        let detail = json!({
            "private addresses": private.to_string(),
            "sample texts": samples,
            "results to keep": keep,
            "two-factor sign-in required": second,
        });
        record(&mut tx, actor, "changed the house rules", "", detail).await?;
        Ok(tx.commit().await?)
    }

    /// Keeps what is known of the agency; a logo is replaced where one is given.
    ///
    /// # Errors
    /// [`ActError::Bad`] with everything that cannot be kept.
    pub async fn set_agency(
        self,
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
            Some((bytes, extension)) => Some(self.acts.blobs.put(bytes, extension).await?),
            None => self.acts.store.settings().agency().await?.logo,
        };
        let kept = json!(agency);
        let sites = self.acts.store.lists().site_ids(&Filter::default()).await?;
        let mut tx = self.acts.store.begin().await?;
        tx.set_setting("agency", &kept).await?;
        age(&mut tx, &sites).await?;
        record(&mut tx, actor, "changed the agency", &agency.name, kept).await?;
        Ok(tx.commit().await?)
    }
}
