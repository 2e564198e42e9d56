//! What should be on one site, as one file (TOML). The web application, the command line and the
//! programmable interface read and write the same.

mod design;
mod error;
mod further;
mod hours;
mod intended;
mod of_site;
mod staffing;
mod texts;

pub use design::WidgetDesign;
pub use error::ExpectationError;
pub use further::{form_line, more_of, read_more};
pub use hours::{CalendarDay, ClosedDay, Day, Hours, OutsideHours, TimeOfDay};
pub use intended::{IntendedError, IntendedField, read_delay, with_intended};
pub use of_site::{beyond_fields, first_widget, further_widgets};
pub use staffing::{next_change, staffed, zone};
pub use texts::{TEXTS, TextSet};

pub use crate::channel::{Channel, ChannelKind};

use crate::design::Field;
use crate::pages::{PageKind, PageRules, Pattern};
use crate::profile::own_host;
use error::bad;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use newtfern_standards::observation::Viewport;
use newtfern_standards::strict_toml::{self, TomlError};
use newtfern_standards::{address, country};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use url::Url;

/// Widgets of one site.
const MOST_WIDGETS: usize = 20;

/// Expectation of one site.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Expectation {
    /// Address of the site's home page.
    pub address: String,
    /// ISO 3166-1 alpha-2, of the visitors; empty or unknown: the strictest region counts.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub country: String,
    /// BCP 47; the first is the default.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub languages: Vec<String>,
    /// Time zone of the hours, as an IANA name.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub time_zone: String,
    /// Id of a consent profile, or `none`.
    #[serde(default = "none", skip_serializing_if = "is_none")]
    pub consent: String,
    /// An exception to the consent rules that the client agreed to in writing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub consent_exception: Option<ConsentException>,
    /// Id of a platform profile.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub platform: Option<String>,
    /// Widgets of the site; empty means that any known widget is unexpected.
    #[serde(default, rename = "widget", skip_serializing_if = "Vec::is_empty")]
    pub widgets: Vec<Widget>,
}

/// Exception to the rule that a widget waits for consent.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ConsentException {
    /// Name of who agreed to it.
    pub by: String,
    /// Day on which it was agreed to.
    pub on: CalendarDay,
    /// Reason, in a sentence.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub reason: String,
}

impl ConsentException {
    /// Returns who agreed to it, when and why.
    pub fn words(&self) -> String {
        let day = String::from(self.on);
        let agreed = format!("{} agreed to an exception on {day}", self.by);
        match self.reason.is_empty() {
            true => agreed,
            false => format!("{agreed}: {}", self.reason),
        }
    }
}

/// Word in place of the id of a consent profile.
const NONE: &str = "none";

fn none() -> String {
    NONE.into()
}

fn is_none(consent: &String) -> bool {
    consent == NONE
}

/// One widget of a site.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Widget {
    /// Id of a supplier profile.
    pub supplier: String,
    /// Key of the client's account; empty where any key is right.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub key: String,
    /// Host at which the client runs its supplier; empty where the supplier has hosts of its own.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub host: String,
    /// Pages on which the widget must be.
    #[serde(default = "every", skip_serializing_if = "is_every")]
    pub on: Vec<Pattern>,
    /// Pages on which the widget must not be; wins over `on`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub not_on: Vec<Pattern>,
    /// Viewports on which the widget shows.
    #[serde(default = "both", skip_serializing_if = "is_both")]
    pub viewports: Vec<Viewport>,
    /// Designed seconds from the load to the launcher; none: nobody asked for any, and none is
    /// compared.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub delay_s: Option<f64>,
    /// Open or closed when it comes.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub start: Start,
    /// Form of the closed widget.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub form: Form,
    /// Place in which it opens.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub opens: Opens,
    /// Behaviour while nobody is there.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub outside_hours: OutsideHours,
    /// Staffed hours; empty means always.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub hours: Vec<Hours>,
    /// Days on which the hours do not count.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub closed: Vec<ClosedDay>,
    /// Channels of the form `channels`, in order.
    #[serde(default, rename = "channel", skip_serializing_if = "Vec::is_empty")]
    pub channels: Vec<Channel>,
    /// Values of its design; only those given are compared.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub design: WidgetDesign,
    /// Values that somebody designed and that no file carries: they are compared with nothing.
    #[serde(skip)]
    pub uncompared: Vec<Field>,
    /// Texts by language; only those given are compared.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub texts: BTreeMap<String, TextSet>,
}

fn every() -> Vec<Pattern> {
    PageRules::default().on
}

fn is_every(on: &Vec<Pattern>) -> bool {
    *on == every()
}

fn both() -> Vec<Viewport> {
    vec![Viewport::Desktop, Viewport::Phone]
}

fn is_both(viewports: &Vec<Viewport>) -> bool {
    *viewports == both()
}

fn is_usual<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

/// Open or closed when it comes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Start {
    /// Only the launcher shows.
    #[default]
    Closed,
    /// The panel at once.
    Open,
}

/// Place in which a widget opens.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Opens {
    /// In the page.
    #[default]
    Page,
    /// In a window of its own.
    Window,
}

/// Form of the closed widget.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Form {
    /// A button in a corner.
    #[default]
    Launcher,
    /// A tab at an edge.
    Tab,
    /// The form is part of the page.
    Inline,
    /// Links to other channels.
    Channels,
}

impl Expectation {
    /// Reads an expectation from a TOML file.
    ///
    /// # Errors
    /// [`ExpectationError`], with the line or the field.
    ///
    /// ```
    /// use newtfern_model::expectation::Expectation;
    /// let site = Expectation::read(
    ///     "address = 'https://www.kites.example/'\n\
    ///      [[widget]]\nsupplier = 'osier'\nnot_on = ['/legal/**']",
    /// )
    /// .unwrap();
    /// assert_eq!(site.widgets[0].not_on[0].text(), "/legal/**");
    /// let wrong = Expectation::read("adress = 'https://www.kites.example/'").unwrap_err();
    /// assert!(wrong.to_string().contains("address"));
    /// ```
    pub fn read(text: &str) -> Result<Expectation, ExpectationError> {
        let mut out: Expectation = strict_toml::read(text)?;
        out.sound()?;
        for channel in out.widgets.iter_mut().flat_map(|w| &mut w.channels) {
            *channel = channel.anywhere().map_err(|why| {
                let given = |l: &str| l.contains("target") && l.contains(&channel.target);
                let line = text.lines().position(given).unwrap_or_default() + 1;
                TomlError { line, why }
            })?;
        }
        Ok(out)
    }

    /// Reads an expectation that is kept already: what could be kept once and is refused today
    /// stays as it is.
    ///
    /// # Errors
    /// [`ExpectationError`], where it has another shape.
    pub fn kept(text: &str) -> Result<Expectation, ExpectationError> {
        Ok(strict_toml::read(text)?)
    }

    /// Writes a file; what is as usual is left out.
    pub fn write(&self) -> String {
        // Strings, numbers and tables: nothing here that TOML cannot hold.
        toml::to_string(self).unwrap_or_default()
    }

    /// The site's address, parsed.
    pub fn url(&self) -> Option<Url> {
        address::parse(&self.address).ok()
    }

    /// Supplier and host of each widget.
    pub fn hosts(&self) -> impl Iterator<Item = (&str, &str)> {
        let widgets = self.widgets.iter();
        widgets.map(|w| (w.supplier.as_str(), w.host.as_str()))
    }

    /// Id of its consent profile, if it names one.
    pub fn consent_id(&self) -> Option<&str> {
        Some(self.consent.as_str()).filter(|c| !c.is_empty() && *c != NONE)
    }

    fn sound(&self) -> Result<(), ExpectationError> {
        if let Err(error) = address::parse(&self.address) {
            return bad("address", error.to_string());
        }
        let mut countries = self.country.split(',').map(str::trim);
        if !self.country.is_empty()
            && let Some(strange) = countries.find(|c| country::name_of(c).is_none())
        {
            let why = "is not a country code of ISO 3166-1, such as GB";
            return bad("country", format!("\u{201c}{strange}\u{201d} {why}"));
        }
        for language in &self.languages {
            language_tag("languages", language)?;
        }
        if !self.time_zone.is_empty() && !crate::site::time_zones().any(|z| z == self.time_zone) {
            return bad(
                "time_zone",
                format!(
                    "\u{201c}{}\u{201d} is not a zone of the IANA list, such as Europe/London",
                    self.time_zone
                ),
            );
        }
        if self
            .consent_exception
            .as_ref()
            .is_some_and(|e| e.by.trim().is_empty())
        {
            return bad(
                "consent_exception.by",
                "it is empty: give the name of who agreed to it",
            );
        }
        if self.widgets.len() > MOST_WIDGETS {
            return bad("widget", format!("a site may have {MOST_WIDGETS} widgets"));
        }
        for (i, widget) in self.widgets.iter().enumerate() {
            widget.sound(&format!("widget {}", i + 1))?;
        }
        Ok(())
    }
}

fn language_tag(field: &str, tag: &str) -> Result<(), ExpectationError> {
    match oxilangtag::LanguageTag::parse(tag) {
        Ok(_) => Ok(()),
        Err(error) => bad(
            field,
            format!("\u{201c}{tag}\u{201d} is not a language tag (BCP 47), such as en: {error}"),
        ),
    }
}

impl Widget {
    /// Returns whether somebody is there, by the clock of a zone; none where no hours are given, or
    /// the zone is not known.
    pub fn staffed_at(&self, time_zone: &str, at: Timestamp) -> Option<bool> {
        let zone = self.zone_of_hours(time_zone)?;
        Some(staffed(&self.hours, &self.closed, &zone, at))
    }

    /// Returns the next instant at which [`Widget::staffed_at`] changes.
    pub fn next_change(&self, time_zone: &str, at: Timestamp) -> Option<Timestamp> {
        let zone = self.zone_of_hours(time_zone)?;
        next_change(&self.hours, &self.closed, &zone, at)
    }

    fn zone_of_hours(&self, time_zone: &str) -> Option<TimeZone> {
        let timed = !self.hours.is_empty() || !self.closed.is_empty();
        zone(time_zone).filter(|_| timed)
    }
}

impl Widget {
    /// A widget of a supplier on every page.
    pub fn of(supplier: &str, key: &str) -> Widget {
        Widget {
            supplier: supplier.into(),
            key: key.into(),
            host: String::new(),
            on: every(),
            not_on: Vec::new(),
            viewports: both(),
            delay_s: None,
            start: Start::default(),
            form: Form::default(),
            opens: Opens::default(),
            outside_hours: OutsideHours::default(),
            hours: Vec::new(),
            closed: Vec::new(),
            channels: Vec::new(),
            design: WidgetDesign::default(),
            uncompared: Vec::new(),
            texts: BTreeMap::new(),
        }
    }

    /// Returns the rules that say where it must and must not be.
    pub fn rules(&self) -> PageRules {
        PageRules {
            on: self.on.clone(),
            not_on: self.not_on.clone(),
        }
    }

    /// Returns the rules as lines of a form: pages with it, empty for all, and pages without it.
    pub fn pages(&self) -> (String, String) {
        let on = match is_every(&self.on) {
            true => String::new(),
            false => PageRules::line(&self.on),
        };
        (on, PageRules::line(&self.not_on))
    }

    /// Returns the right key, if one is given.
    pub fn wanted_key(&self) -> Option<&str> {
        Some(self.key.as_str()).filter(|k| !k.is_empty())
    }

    /// Should it be on this page?
    pub fn expects(&self, page: &Url, kind: PageKind) -> crate::pages::Expect {
        self.rules().expects(page, kind)
    }

    fn sound(&self, name: &str) -> Result<(), ExpectationError> {
        let field = |f: &str| format!("{name}, {f}");
        if self.supplier.trim().is_empty() {
            return bad(
                field("supplier"),
                "it is empty: give the id of a supplier profile",
            );
        }
        if !self.host.is_empty() {
            own_host(&self.host).or_else(|why| bad(field("host"), why))?;
        }
        if self.viewports.is_empty() {
            return bad(
                field("viewports"),
                "it is empty: a widget shows on a desktop, a phone or both",
            );
        }
        if self.delay_s.is_some_and(|s| !(0.0..=86_400.0).contains(&s)) {
            return bad(
                field("delay_s"),
                "it must be a number of seconds from 0 to 86400",
            );
        }
        for hours in &self.hours {
            hours.sound().or_else(|why| bad(field("hours"), why))?;
        }
        if self.form == Form::Channels && self.channels.is_empty() {
            return bad(
                field("channel"),
                "a widget of the form channels has at least one",
            );
        }
        self.design
            .sound()
            .or_else(|(f, why)| bad(field(&format!("design.{f}")), why))?;
        for (language, texts) in &self.texts {
            language_tag(&field("texts"), language)?;
            let within = |f: &str| field(&format!("texts.{language}.{f}"));
            texts.sound().or_else(|(f, why)| bad(within(f), why))?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests;
