//! What the law of a region asks of a widget before a visitor has decided: rules as data.

use newtfern_standards::strict_toml::{self, TomlError};
use newtfern_standards::tcf::ConsentClass;
use serde::{Deserialize, Serialize};

/// Regional rules as data: which classes may do what while the visitor has not decided.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Region {
    /// Unique short name.
    pub id: String,
    /// Name of the region, for people.
    pub name: String,
    /// Countries of the region (ISO 3166-1 alpha-2).
    #[serde(default)]
    pub countries: Vec<String>,
    /// Classes that may give signals before a decision.
    pub before: ClassRules,
    /// Meaning of Global Privacy Control; missing: a refusal, where `before` does not allow the
    /// class.
    #[serde(default)]
    pub gpc: Option<GpcMeans>,
    /// Reason why it was taken as the strictest, where no region's list has the visitors' country.
    #[serde(skip)]
    pub for_want_of: Option<String>,
}

/// Meaning of a visitor's Global Privacy Control (W3C) in a region.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum GpcMeans {
    /// The visitor has refused.
    Refusal,
    /// The signal has no meaning.
    Ignore,
}

/// Classes that may do something before consent.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ClassRules {
    /// Classes whose requests may leave.
    pub requests: Vec<ConsentClass>,
    /// Classes that may store.
    pub storage: Vec<ConsentClass>,
    /// Classes of frames; missing means as for requests.
    #[serde(default)]
    pub frames: Option<Vec<ConsentClass>>,
}

impl ClassRules {
    /// Returns the classes that may give this signal.
    pub fn of(&self, signal: Signal) -> &[ConsentClass] {
        match signal {
            Signal::Requests => &self.requests,
            Signal::Cookies | Signal::Storage => &self.storage,
            Signal::Frames => self.frames.as_deref().unwrap_or(&self.requests),
        }
    }

    /// Returns how many classes may do something; the fewest is the strictest.
    fn breadth(&self) -> usize {
        Signal::ALL.iter().map(|s| self.of(*s).len()).sum()
    }
}

impl Region {
    /// Reads a region profile.
    ///
    /// # Errors
    /// What the TOML reader says of a text that is no region.
    pub fn from_toml(text: &str) -> Result<Region, TomlError> {
        strict_toml::read(text)
    }

    /// Reads a region that somebody gives in: a field that nothing reads is refused.
    ///
    /// # Errors
    /// [`TomlError`], with the line.
    pub fn given(text: &str) -> Result<Region, TomlError> {
        strict_toml::read_known(text)
    }

    /// Without any region profile nothing but the class necessary is allowed.
    pub fn strictest_of_all() -> Region {
        let only = vec![ConsentClass::Necessary];
        Region {
            id: "strictest".into(),
            name: "Strictest rules".into(),
            countries: Vec::new(),
            before: ClassRules {
                requests: only.clone(),
                storage: only,
                frames: None,
            },
            gpc: None,
            for_want_of: None,
        }
    }

    /// Returns whether Global Privacy Control counts as a refusal of this class.
    pub fn gpc_refuses(&self, class: ConsentClass) -> bool {
        match self.gpc {
            Some(means) => means == GpcMeans::Refusal,
            None => Signal::ALL
                .iter()
                .any(|s| !self.before.of(*s).contains(&class)),
        }
    }

    /// May this class do everything before a decision, and nothing once the browser asks for
    /// privacy? Only then does a visit with Global Privacy Control tell more than one without a
    /// decision.
    pub fn gpc_alone_refuses(&self, class: ConsentClass) -> bool {
        let before = |s: &Signal| self.before.of(*s).contains(&class);
        self.gpc_refuses(class) && Signal::ALL.iter().all(before)
    }

    /// The rules for visitors of a country, or of several, parted by commas: then the strictest of
    /// theirs. A country that is unknown or in no region's list is judged by the strictest region
    /// there is. Of two that allow as much, the one in which Global Privacy Control counts is the
    /// stricter.
    ///
    /// ```
    /// use newtfern_model::region::Region;
    /// let lax = Region::from_toml(
    ///     "id='lax'\nname='Lax'\ncountries=['CA']\n\
    ///      [before]\nrequests=['necessary','functional']\nstorage=['necessary']",
    /// )
    /// .unwrap();
    /// let strict = Region::from_toml(
    ///     "id='strict'\nname='Strict'\ncountries=['AT']\n[before]\nrequests=[]\nstorage=[]",
    /// )
    /// .unwrap();
    /// let all = [lax, strict];
    /// assert_eq!(Region::for_country(&all, "ca").id, "lax");
    /// assert_eq!(Region::for_country(&all, "ca").for_want_of, None);
    /// assert!(Region::for_country(&all, "ZZ").for_want_of.unwrap().contains("ZZ"));
    /// assert_eq!(Region::for_country(&all, "").id, "strict");
    /// assert_eq!(Region::for_country(&all, "ZZ").id, "strict");
    /// assert_eq!(Region::for_country(&all, "CA, AT").id, "strict");
    /// ```
    pub fn for_country(regions: &[Region], countries: &str) -> Region {
        let strictness = |r: &&Region| {
            let heeds = r.gpc != Some(GpcMeans::Ignore) && r.gpc_refuses(ConsentClass::Marketing);
            (r.before.breadth(), !heeds)
        };
        let of = |country: &str| {
            let listed = |r: &&Region| r.countries.iter().any(|c| c.eq_ignore_ascii_case(country));
            regions.iter().find(listed)
        };
        let asked: Vec<Option<&Region>> = countries.split(',').map(|c| of(c.trim())).collect();
        let known = asked.iter().all(Option::is_some);
        let found = match known {
            true => asked.into_iter().flatten().min_by_key(strictness),
            false => regions.iter().min_by_key(strictness),
        };
        let mut found = found.cloned().unwrap_or_else(Region::strictest_of_all);
        found.for_want_of = (!known).then(|| match countries.trim() {
            "" => "the site names no country of its visitors".into(),
            countries => format!("no region\u{2019}s list has all of {countries}"),
        });
        found
    }
}

/// Signal of a widget that a visitor could object to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Signal {
    /// Requests and live connections to the supplier.
    Requests,
    /// Cookies that are set.
    Cookies,
    /// Local and session storage.
    Storage,
    /// Frames of the supplier; each is a request as well.
    Frames,
}

impl Signal {
    /// Every signal, in the order of the grid.
    pub const ALL: [Signal; 4] = [
        Signal::Requests,
        Signal::Cookies,
        Signal::Storage,
        Signal::Frames,
    ];

    /// Returns the signal's name in the grid.
    pub fn words(self) -> &'static str {
        match self {
            Signal::Requests => "requests",
            Signal::Cookies => "cookies",
            Signal::Storage => "storage",
            Signal::Frames => "frames",
        }
    }
}
