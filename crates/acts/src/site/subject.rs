//! A site with everything that judging it needs.

use crate::handles::SiteActs;
use crate::{ActError, Result};
use jiff::Timestamp;
use newtfern_heavy::heavy;
use newtfern_model::design::Design;
use newtfern_model::expectation as file;
use newtfern_model::expectation::{TextSet, Widget};
use newtfern_model::pages::{Expect, PageKind, PageRules};
use newtfern_model::profile::sample_words::SampleWords;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_model::region::Region;
use newtfern_model::site::SiteFields;
use newtfern_standards::colour::Rgb;
use newtfern_standards::observation::{Aside, ConsentAct, Observation};
use newtfern_store::estate::clients::Client;
use newtfern_store::estate::sites::Site;
use newtfern_verdict::assess::{Assessment, check};
use newtfern_verdict::family::EarlierLook;
use newtfern_verdict::inputs::Prints;
use newtfern_verdict::site_check::{self, SiteCase, SitePage, WidgetVisits};
use newtfern_verdict::visits::{CheckVisits, own_language, states_of};
use url::Url;

/// Everything that is expected of a site, read at one time.
pub struct Subject {
    pub site: Site,
    pub client: Client,
    pub url: Url,
    pub supplier: Supplier,
    pub rivals: Vec<Supplier>,
    /// Suppliers of the site's further widgets, in their order.
    pub further: Vec<Supplier>,
    pub consent: Option<ConsentManager>,
    pub design: Design,
    pub brand: Option<Rgb>,
    pub region: Region,
    pub rules: PageRules,
    /// Expectation in the form of a file; its first widget is `widget`.
    pub file: file::Expectation,
    /// All that is asked of its widget, with the design's texts.
    pub widget: Widget,
    /// Sample words beyond those that are built in.
    pub sample_words: SampleWords,
    /// Prints of all this, which results are kept with.
    pub prints: Prints,
}

/// Returns the expectation of a site as a file: its fields and its design, over what its file said
/// beyond them.
pub(crate) fn file_of(fields: &SiteFields, beyond: &str, design: &Design) -> file::Expectation {
    let beyond = file::Expectation::kept(beyond).ok();
    let mut out = file::Expectation::of_site(fields, beyond.as_ref());
    out.set_design(design);
    out
}

/// All that is asked of a site's widget: as its file says it, and by the design's texts.
pub(crate) fn widget_of(
    file: &file::Expectation,
    supplier: &str,
    key: &str,
    design: &Design,
) -> Widget {
    let first = file.widgets.first().cloned();
    let mut widget = first.unwrap_or_else(|| Widget::of(supplier, key));
    if file.languages.is_empty() {
        // The design's texts hold in whatever language the browser has.
        widget
            .texts
            .insert(String::new(), TextSet::of_design(design));
    }
    widget
}

impl SiteActs<'_> {
    /// A site and its client.
    ///
    /// # Errors
    /// Where one is gone.
    pub async fn site_and_client(self, id: i64) -> Result<(Site, Client)> {
        let site = self.acts.store.sites().site(id).await?;
        let site = site.ok_or(ActError::NotFound("site"))?;
        let client = self.acts.store.clients().client(site.client_id).await?;
        Ok((site, client.ok_or(ActError::NotFound("client"))?))
    }

    /// A site's design, from all its layers.
    ///
    /// # Errors
    /// Where a layer cannot be read.
    pub async fn design_of(self, site: &Site, client: &Client) -> Result<(Design, Option<Rgb>)> {
        let sheet = client.sheet()?;
        let house = self.acts.store.settings().house_style().await?;
        let design = Design::resolve(&house, &sheet.layer(), site.layer());
        Ok((design, sheet.primary))
    }

    /// Returns the expectation of a site as a file; it needs no supplier.
    ///
    /// # Errors
    /// Where its client is gone, or a layer of its design cannot be read.
    pub async fn expectation_of(self, site: &Site) -> Result<file::Expectation> {
        let client = self.acts.store.clients().client(site.client_id).await?;
        let client = client.ok_or(ActError::NotFound("client"))?;
        let (design, _) = self.design_of(site, &client).await?;
        Ok(file_of(site.fields(), &site.beyond, &design))
    }

    /// The same of many sites, by as many statements as of one.
    ///
    /// # Errors
    /// Where a client is gone, or a layer of a design cannot be read.
    pub async fn expectations_of(self, sites: &[Site]) -> Result<Vec<file::Expectation>> {
        let mut clients: Vec<i64> = sites.iter().map(|s| s.client_id).collect();
        clients.sort_unstable();
        clients.dedup();
        let sheets = self.acts.store.clients().sheets_of(&clients).await?;
        let house = self.acts.store.settings().house_style().await?;
        let one = |site: &Site| {
            let sheet = sheets.get(&site.client_id);
            let sheet = sheet.ok_or(ActError::NotFound("client"))?;
            let design = Design::resolve(&house, &sheet.layer(), site.layer());
            Ok(file_of(site.fields(), &site.beyond, &design))
        };
        sites.iter().map(one).collect()
    }

    /// Everything that judging a site needs.
    ///
    /// # Errors
    /// Where no supplier is chosen, or something it names is gone.
    pub async fn subject(self, id: i64) -> Result<Subject> {
        // First: what changes while the rest is read makes the result old, never fresh.
        let prints = self.acts.checks().prints_of(id).await?;
        let (site, client) = self.site_and_client(id).await?;
        let wanted = site.supplier_id.clone().ok_or_else(|| {
            let why = "This site has no supplier. Choose one in its settings.";
            ActError::Bad(why.into())
        })?;
        let mut all = self.acts.store.profiles().all_suppliers().await?;
        let at = all.iter().position(|s| s.id == wanted);
        let supplier = all[at.ok_or(ActError::NotFound("supplier's profile"))?].clone();
        let consent = match &site.consent_id {
            Some(id) => self.acts.store.profiles().consent_manager(id).await?,
            None => None,
        };
        let (design, brand) = self.design_of(&site, &client).await?;
        let url = site.address()?;
        let mut file = file_of(site.fields(), &site.beyond, &design);
        let widget = widget_of(&file, &supplier.id, &site.key, &design);
        match file.widgets.first_mut() {
            Some(first) => first.clone_from(&widget),
            None => file.widgets.push(widget.clone()),
        }
        let supplier = supplier.at_host(&site.supplier_host);
        if supplier.needs_host() {
            return Err(ActError::Bad(format!(
                "Each client runs {} at an address of its own. Enter it in the site's settings.",
                supplier.name
            )));
        }
        // What the snippet takes of the design is written into it here, once.
        let supplier = supplier.with_design(&design);
        let mut further = Vec::new();
        for w in file.widgets.iter().skip(1) {
            let of = all.iter().find(|s| s.id == w.supplier).cloned();
            let of = of.ok_or(ActError::NotFound("supplier's profile of a further widget"))?;
            further.push(of.at_host(&w.host).with_design(&w.design.resolved()));
        }
        all.retain(|s| file.widgets.iter().all(|w| w.supplier != s.id));
        Ok(Subject {
            file,
            widget,
            sample_words: self.acts.store.settings().sample_words().await?,
            prints,
            region: self.acts.store.settings().region_of(&site.country).await?,
            rivals: all,
            further,
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
    /// Returns whether the widget should be on the site's page.
    pub fn expects(&self) -> Expect {
        self.rules.expects(&self.url, PageKind::Home)
    }

    /// Global Privacy Control is what refuses this widget where its visitors are.
    pub fn gpc_alone_refuses(&self) -> bool {
        self.region.gpc_alone_refuses(self.supplier.consent.class)
    }

    /// Returns the case of a check: the page of the site's address, for its first widget.
    pub fn page(&self, visits: Vec<Observation>, asides: Vec<Aside>) -> SitePage {
        let language = own_language(&self.file.languages, Some(&self.widget));
        let visited = WidgetVisits {
            subject: 0,
            visits: CheckVisits::of(visits, language),
            asides,
        };
        SitePage::given_alone(&self.url, visited)
    }

    /// Returns whether somebody is there at an instant; none where no hours are given.
    pub fn staffed_at(&self, at: Timestamp) -> Option<bool> {
        self.widget.staffed_at(&self.file.time_zone, at)
    }

    /// Consent states that are visited beyond those of the chain. Nobody can be asked for a
    /// decision of which the profile does not say how it is made.
    pub fn states(&self) -> Vec<ConsentAct> {
        states_of(self.consent.as_ref(), self.gpc_alone_refuses())
    }

    /// Judges a look by the hours of the time it was made at; `earlier` is the look that it is
    /// compared with.
    pub async fn judge(
        &self,
        page: &SitePage,
        at: Timestamp,
        earlier: Option<&EarlierLook>,
    ) -> Assessment {
        let suppliers = std::iter::once(&self.supplier).chain(&self.further);
        let widgets = suppliers.zip(&self.file.widgets);
        let widgets: Vec<site_check::Subject> = widgets
            .map(|(supplier, widget)| site_check::Subject {
                supplier,
                key: widget.wanted_key(),
                rules: widget.rules(),
            })
            .collect();
        let case = SiteCase {
            expectation: &self.file,
            subjects: &widgets,
            rivals: &self.rivals,
            consent: self.consent.as_ref(),
            region: &self.region,
            sample_words: &self.sample_words,
            states: &self.states(),
            at,
            pages: std::slice::from_ref(page),
            gaps: &[],
            closed: &[],
        };
        heavy(|| check(&case, self.brand, earlier)).await
    }
}
