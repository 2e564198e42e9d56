//! What results rest on. Each family declares the inputs that its judging reads
//! ([`Family::reads`]); a check keeps a print of every input as it was when the look began;
//! [`changed`] compares that with how things are now. Nothing else decides what has grown old after
//! a change.

pub mod input;

use crate::family::{Family, Standing};
use input::Input;
use newtfern_model::design::Design;
use newtfern_model::expectation::{ConsentException, Widget};
use newtfern_model::platform::Platform;
use newtfern_model::profile::sample_words::SampleWords;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_model::region::Region;
use newtfern_model::site::SiteFields;
use newtfern_standards::colour::Rgb;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;

/// Everything that results of a site rest on, but for how it stands in other families.
pub struct SiteInputs<'a> {
    /// Fields of the site.
    pub fields: &'a SiteFields,
    /// Expectation of its widget, with the design's texts.
    pub widget: &'a Widget,
    /// Expectations of the site's widgets beside its first.
    pub further: &'a [Widget],
    /// Exception to the consent rules that the client agreed to.
    pub consent_exception: Option<&'a ConsentException>,
    /// Design of the site, all layers applied.
    pub design: &'a Design,
    /// The colour that the client is known by.
    pub brand: Option<Rgb>,
    /// Name of the client.
    pub client: &'a str,
    /// Name of the agency.
    pub agency: &'a str,
    /// The supplier that is chosen, with what the design puts into its code.
    pub supplier: Option<&'a Supplier>,
    /// Profiles of all known suppliers.
    pub suppliers: &'a [Supplier],
    /// Profile of the consent manager.
    pub consent: Option<&'a ConsentManager>,
    /// Profile of the platform.
    pub platform: Option<&'a Platform>,
    /// Profile of the tag manager.
    pub tag_manager: Option<&'a Platform>,
    /// Rules of the region of its visitors.
    pub region: &'a Region,
    /// Sample texts that are looked for beyond the built-in ones.
    pub sample_words: &'a SampleWords,
    /// Number of times that slots, sets and drafts were written to.
    pub slots_written: i64,
    /// Number of times that the supplier's settings were written to.
    pub console_written: i64,
}

/// Prints of inputs by key: the same print, the same input.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Prints(BTreeMap<String, String>);

/// Eight bytes of SHA-256 over a value as JSON: enough to tell a value from the one before.
fn print(value: &impl Serialize) -> String {
    let json = serde_json::to_vec(value).unwrap_or_default();
    let bytes = Sha256::digest(json);
    bytes.iter().take(8).map(|b| format!("{b:02x}")).collect()
}

impl Prints {
    /// Prints of everything that is known.
    pub fn of(known: &SiteInputs<'_>) -> Prints {
        // Taken apart whole, so that a new value of a widget cannot be forgotten here.
        let Widget {
            supplier: _,
            key: _,
            host: _,
            on: _,
            not_on: _,
            viewports,
            delay_s,
            start,
            form,
            opens,
            outside_hours,
            hours,
            closed,
            channels,
            design,
            // Part of the design that is printed whole.
            uncompared: _,
            texts,
        } = known.widget;
        // The layer that a value comes from says nothing of the widget.
        let values = known.design.values.iter();
        let values: Vec<_> = values.map(|v| (v.field, &v.value)).collect();
        let own = known.fields.supplier_id.as_deref();
        let others = known
            .suppliers
            .iter()
            .filter(|s| Some(s.id.as_str()) != own);
        let rivals: Vec<_> = others.map(|s| (&s.id, &s.name, &s.recognise)).collect();
        let of = |input: Input| match input {
            Input::Site(field) => print(&known.fields.get(field)),
            Input::Supplier => print(&known.supplier),
            Input::Rivals => print(&rivals),
            Input::ConsentManager => print(&known.consent),
            Input::Platform => print(&known.platform),
            Input::TagManager => print(&known.tag_manager),
            Input::Region => print(known.region),
            Input::SampleWords => print(known.sample_words),
            Input::Design => print(&(&values, design, known.brand)),
            Input::Texts => print(texts),
            Input::Start => print(start),
            Input::Form => print(&(form, channels, opens)),
            Input::Screens => print(viewports),
            Input::Delay => print(delay_s),
            Input::Hours => print(&(outside_hours, hours, closed)),
            Input::FurtherWidgets => print(&known.further),
            Input::Exception => print(&known.consent_exception),
            Input::Client => print(&known.client),
            Input::Agency => print(&known.agency),
            Input::Slots => known.slots_written.to_string(),
            Input::Console => known.console_written.to_string(),
            // Told by [`Prints::with_results`].
            Input::Result(_) => String::new(),
        };
        let inputs = Input::all().filter(|i| !matches!(i, Input::Result(_)));
        Prints(inputs.map(|i| (i.key(), of(i))).collect())
    }

    /// Adds the site's standing in each family that is not among them yet.
    pub fn with_results(mut self, stands: &BTreeMap<Family, Standing>) -> Prints {
        for (family, standing) in stands {
            let key = Input::Result(*family).key();
            // Remarks are none of another family's business.
            let standing = || match standing.is_good() {
                true => Standing::Passing.key().to_string(),
                false => standing.key().to_string(),
            };
            self.0.entry(key).or_insert_with(standing);
        }
        self
    }

    /// Returns the inputs of judging again: the look's inputs as they were at the look, the others
    /// as they are now.
    pub fn judged_again(&self, at_the_look: &Prints) -> Prints {
        let mut out = self.clone();
        for input in Input::all().filter(|i| i.takes_a_look()) {
            let key = input.key();
            if let Some(was) = at_the_look.0.get(&key) {
                out.0.insert(key, was.clone());
            }
        }
        out
    }

    /// Returns one print of all: it tells what one check was judged by from what another was.
    pub fn in_one(&self) -> String {
        print(self)
    }

    /// Returns whether nothing was stored: of a check that was made before prints were.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    fn get(&self, input: Input) -> Option<&str> {
        self.0.get(&input.key()).map(String::as_str)
    }
}

/// Returns whether another family's standing counts as an input: that somebody could not tell, or
/// has not looked since, contradicts nothing.
fn is_known(standing: Option<&str>) -> bool {
    let of = standing.and_then(Standing::from_key);
    matches!(of, Some(Standing::Passing | Standing::Failing))
}

/// The inputs of a family that are other now than when it was looked at.
pub fn changed(family: Family, then: &Prints, now: &Prints) -> Vec<Input> {
    if then.is_empty() {
        return Vec::new();
    }
    let differs = |input: &Input| {
        let (was, is) = (then.get(*input), now.get(*input));
        match input {
            Input::Result(_) => is_known(is) && was != is,
            _ => was != is,
        }
    };
    family.reads().into_iter().filter(differs).collect()
}

/// Returns in words why a result is old.
pub fn why_old(changed: &[Input], now: &Prints) -> String {
    let is_written = |i: &Input| matches!(i, Input::Slots | Input::Console);
    if !changed.is_empty() && changed.iter().all(is_written) {
        return "Newtfern wrote to the site after this check. Verify again.".into();
    }
    let results: Vec<Family> = changed
        .iter()
        .filter_map(|i| match i {
            Input::Result(family) => Some(*family),
            _ => None,
        })
        .collect();
    let other: Vec<String> = changed
        .iter()
        .filter(|i| !matches!(i, Input::Result(_)))
        .map(|i| i.words())
        .collect();
    if !other.is_empty() {
        return format!("Changed since this check: {}.", other.join(", "));
    }
    let told: Vec<String> = results
        .iter()
        .map(|family| {
            let now = now.get(Input::Result(*family)).and_then(Standing::from_key);
            let now = now.unwrap_or_default().words();
            format!("{} is {now}", family.label())
        })
        .collect();
    format!("{} since this check.", told.join(", "))
}

#[cfg(test)]
mod tests;
