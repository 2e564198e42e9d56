//! A site with everything that judging it needs.

use crate::{ActError, Acts, Result};
use jiff::Timestamp;
use newtfern_core::assess::{Expectation, Judged, check};
use newtfern_core::chain::{Aside, Expect};
use newtfern_core::code::Code;
use newtfern_core::colour::Rgb;
use newtfern_core::consent::Region;
use newtfern_core::design::Design;
use newtfern_core::expectation::{self as file, TextSet, Widget};
use newtfern_core::observation::Observation;
use newtfern_core::pages::{PageKind, PageRules};
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_core::site::SiteFields;
use newtfern_heavy::heavy;
use newtfern_store::clients::Client;
use newtfern_store::sites::Site;
use std::collections::BTreeSet;
use url::Url;

/// What should be on a site, read at one time.
pub struct Subject {
    pub site: Site,
    pub client: Client,
    pub url: Url,
    pub supplier: Supplier,
    pub rivals: Vec<Supplier>,
    pub consent: Option<ConsentManager>,
    pub design: Design,
    pub brand: Option<Rgb>,
    pub region: Region,
    pub rules: PageRules,
    /// What should be, as a file says it, with the design's texts.
    pub file: file::Expectation,
    /// All that is asked of its widget.
    pub widget: Widget,
}

/// What should be on a site, as a file: its fields and its design, over what its file said beyond them.
pub(crate) fn file_of(fields: &SiteFields, beyond: &str, design: &Design) -> file::Expectation {
    let beyond = file::Expectation::read(beyond).ok();
    let mut out = file::Expectation::of_site(fields, beyond.as_ref());
    out.set_design(design);
    out
}

impl Acts {
    /// A site and its client.
    ///
    /// # Errors
    /// Where one is gone.
    pub async fn site_and_client(&self, id: i64) -> Result<(Site, Client)> {
        let site = self.store.site(id).await?;
        let site = site.ok_or(ActError::NotFound("site"))?;
        let client = self.store.client(site.client_id).await?;
        Ok((site, client.ok_or(ActError::NotFound("client"))?))
    }

    /// A site's design, from all its layers.
    ///
    /// # Errors
    /// Where a layer cannot be read.
    pub async fn design_of(&self, site: &Site, client: &Client) -> Result<(Design, Option<Rgb>)> {
        let sheet = client.sheet()?;
        let house = self.store.house_style().await?;
        let design = Design::resolve(&house, &sheet.layer(), site.layer());
        Ok((design, sheet.primary))
    }

    /// What should be on a site, as a file; it needs no supplier.
    ///
    /// # Errors
    /// Where its client is gone, or a layer of its design cannot be read.
    pub async fn expectation_of(&self, site: &Site) -> Result<file::Expectation> {
        let client = self.store.client(site.client_id).await?;
        let client = client.ok_or(ActError::NotFound("client"))?;
        let (design, _) = self.design_of(site, &client).await?;
        Ok(file_of(site.fields(), &site.beyond, &design))
    }

    /// Everything that judging a site needs.
    ///
    /// # Errors
    /// Where no supplier is chosen, or something it names is gone.
    pub async fn subject(&self, id: i64) -> Result<Subject> {
        let (site, client) = self.site_and_client(id).await?;
        let wanted = site.supplier_id.clone().ok_or_else(|| {
            let why = "No supplier is chosen for this site: choose one in its settings.";
            ActError::Bad(why.into())
        })?;
        let mut all = self.store.all_suppliers().await?;
        let at = all.iter().position(|s| s.id == wanted);
        let supplier = all.remove(at.ok_or(ActError::NotFound("supplier's profile"))?);
        let consent = match &site.consent_id {
            Some(id) => self.store.consent_manager(id).await?,
            None => None,
        };
        let (design, brand) = self.design_of(&site, &client).await?;
        let url = Url::parse(&site.url)
            .map_err(|e| ActError::Bad(format!("The site's address cannot be read: {e}.")))?;
        let file = file_of(site.fields(), &site.beyond, &design);
        let mut widget = file
            .widgets
            .first()
            .cloned()
            .unwrap_or_else(|| Widget::of(&supplier.id, &site.key));
        if file.languages.is_empty() {
            // The design's texts hold in whatever language the browser has.
            widget
                .texts
                .insert(String::new(), TextSet::of_design(&design));
        }
        // What the snippet takes of the design is written into it here, once.
        let supplier = supplier.with_design(&design);
        Ok(Subject {
            file,
            widget,
            region: self.store.region_of(&site.country).await?,
            rivals: all,
            url,
            supplier,
            consent,
            design,
            brand,
            rules: site.rules(),
            site,
            client,
        })
    }
}

impl Subject {
    /// What should be.
    pub fn expects(&self) -> Expect {
        self.rules.expects(&self.url, PageKind::Home)
    }

    /// Global Privacy Control is what refuses this widget where its visitors are.
    pub fn gpc_alone_refuses(&self) -> bool {
        self.region.gpc_alone_refuses(self.supplier.consent.class)
    }

    /// What a check judges by.
    pub fn expectation(&self) -> Expectation<'_> {
        Expectation {
            supplier: &self.supplier,
            rivals: &self.rivals,
            key: &self.site.key,
            consent: self.consent.as_ref(),
            design: &self.design,
            brand: self.brand,
            region: &self.region,
            rules: &self.rules,
            expect: self.expects(),
            widget: &self.widget,
            time_zone: &self.site.time_zone,
        }
    }

    /// Judges visits by the hours of the time they were made at; `before` are the codes of the look before.
    pub async fn judge(
        &self,
        visits: &[Observation],
        asides: &[Aside],
        at: Timestamp,
        before: Option<&BTreeSet<Code>>,
    ) -> Judged {
        heavy(|| check(&self.expectation(), visits, asides, at, before)).await
    }
}
