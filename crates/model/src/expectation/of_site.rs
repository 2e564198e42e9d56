//! A site's fields as an expectation file, and a file's values as fields. What a file says beyond
//! the fields is kept beside them, so that a site that came from a file is written as it was read.

use super::{Expectation, NONE, TextSet, Widget, WidgetDesign};
use crate::design::{Design, Field, HIDDEN, Layer};
use crate::pages::PageRules;
use crate::site::SiteFields;
use newtfern_standards::observation::Viewport;
use serde::Serialize;
use serde::de::DeserializeOwned;

impl Expectation {
    /// Returns the expectation of a site: its fields, over what its file said beyond them.
    pub fn of_site(fields: &SiteFields, beyond: Option<&Expectation>) -> Expectation {
        let mut out = beyond.cloned().unwrap_or_else(|| Expectation {
            address: String::new(),
            country: String::new(),
            languages: Vec::new(),
            time_zone: String::new(),
            consent: NONE.into(),
            consent_exception: None,
            platform: None,
            widgets: Vec::new(),
        });
        out.address.clone_from(&fields.url);
        out.country.clone_from(&fields.country);
        let tags = fields.languages.split([',', ' ']);
        out.languages = tags.filter(|t| !t.is_empty()).map(str::to_string).collect();
        out.time_zone.clone_from(&fields.time_zone);
        out.consent = fields.consent_id.clone().unwrap_or_else(|| NONE.into());
        out.platform.clone_from(&fields.platform_id);
        match &fields.supplier_id {
            None => out.widgets.clear(),
            Some(supplier) => {
                if out.widgets.is_empty() {
                    out.widgets.push(Widget::of(supplier, &fields.key));
                }
                let first = &mut out.widgets[0];
                first.supplier.clone_from(supplier);
                first.key.clone_from(&fields.key);
                first.host.clone_from(&fields.supplier_host);
                let rules = fields.rules();
                (first.on, first.not_on) = (rules.on, rules.not_on);
            }
        }
        out
    }

    /// Puts the values into a site's fields; what a file does not know stays as it is there.
    pub fn fill(&self, fields: &mut SiteFields) {
        fields.url.clone_from(&self.address);
        fields.country.clone_from(&self.country);
        fields.languages = self.languages.join(", ");
        fields.time_zone.clone_from(&self.time_zone);
        fields.consent_id = self.consent_id().map(str::to_string);
        fields.platform_id.clone_from(&self.platform);
        let first = self.widgets.first();
        fields.supplier_id = first.map(|w| w.supplier.clone());
        fields.key = first.map(|w| w.key.clone()).unwrap_or_default();
        fields.supplier_host = first.map(|w| w.host.clone()).unwrap_or_default();
        (fields.pages_on, fields.pages_not_on) = first.map(Widget::pages).unwrap_or_default();
    }

    /// The first widget's design, written into the file: its values, and its texts in the site's
    /// first language.
    pub fn set_design(&mut self, design: &Design) {
        let language = self.languages.first().cloned();
        let Some(first) = self.widgets.first_mut() else {
            return;
        };
        if let Some(language) = language {
            first.texts.insert(language, TextSet::of_design(design));
        }
        first.form = word(design.get(Field::Form));
        first.start = word(design.get(Field::Start));
        if design.get(Field::OnPhones) == HIDDEN {
            first.viewports = vec![Viewport::Desktop];
        } else if first.viewports == [Viewport::Desktop] {
            first.viewports = Viewport::ALL.to_vec();
        }
        // A built-in default of what a widget may lack is nobody's wish; hidden on phones is said
        // by the viewports.
        let wished = |field: &Field| match field.is_optional() {
            true => design.designed(*field),
            false => Some(design.get(*field)),
        };
        let in_files = Field::ALL.iter().filter(|f| f.name_in_design().is_some());
        let values = in_files.filter_map(|f| Some((*f, wished(f)?.to_string())));
        let said = |(field, value): &(Field, String)| {
            !value.is_empty() && (*field != Field::OnPhones || value != HIDDEN)
        };
        first.design = values.filter(said).collect();
        let nowhere = Field::ALL.iter().filter(|f| f.is_in_no_file());
        first.uncompared = nowhere
            .copied()
            .filter(|f| design.designed(*f).is_some())
            .collect();
    }

    /// The first widget's design as a site's own values: those that are other than what the layers
    /// above give already.
    pub fn own_values(&self, above: &Design) -> Layer {
        let Some(first) = self.widgets.first() else {
            return Layer::new();
        };
        let mut layer = first.design.layer();
        let of_first = self.languages.first().and_then(|l| first.texts.get(l));
        layer.extend(of_first.map(TextSet::layer).unwrap_or_default());
        layer.insert(Field::Form, in_word(&first.form));
        layer.insert(Field::Start, in_word(&first.start));
        if first.viewports == [Viewport::Desktop] {
            layer.insert(Field::OnPhones, HIDDEN.into());
        }
        layer.retain(|field, value| value != above.get(*field));
        layer
    }
}

/// Returns the first widget of a site by its fields and the file that is kept beside them.
pub fn first_widget(fields: &SiteFields, beyond: &str) -> Option<Widget> {
    let kept = Expectation::kept(beyond).ok();
    let whole = Expectation::of_site(fields, kept.as_ref());
    whole.widgets.into_iter().next()
}

/// Number of a site's widgets beside its first, by the file that is kept beside its fields.
pub fn further_widgets(beyond: &str) -> usize {
    // Almost every site has one, and lists ask for each of their rows.
    match beyond.matches("[[widget]]").count() {
        0 | 1 => 0,
        _ => Expectation::kept(beyond).map_or(0, |f| f.widgets.len().saturating_sub(1)),
    }
}

/// A word of the design as the file's type; the usual one where it is none.
fn word<T: DeserializeOwned + Default>(text: &str) -> T {
    serde_json::from_value(text.into()).unwrap_or_default()
}

/// An enum's word in the file.
pub(super) fn in_word<T: Serialize>(value: &T) -> String {
    let word = serde_json::to_value(value).unwrap_or_default();
    word.as_str().unwrap_or_default().to_string()
}

/// Returns what a file says beyond a site's fields, written in one form for comparing; empty where
/// it says nothing or cannot be read.
pub fn beyond_fields(file: &str) -> String {
    let Ok(mut read) = Expectation::kept(file) else {
        return String::new();
    };
    let language = read.languages.first().cloned().unwrap_or_default();
    if let Some(first) = read.widgets.first_mut() {
        // Kept as the site's own values where they differ from the layers above.
        first.design = WidgetDesign::default();
        first.texts.remove(&language);
        (first.form, first.start) = Default::default();
        if first.viewports == [Viewport::Desktop] {
            first.viewports = Viewport::ALL.to_vec();
        }
        let more = Widget {
            supplier: String::new(),
            key: String::new(),
            host: String::new(),
            on: PageRules::default().on,
            not_on: Vec::new(),
            ..first.clone()
        };
        *first = more;
    }
    let usual = Widget::of("", "");
    let widgets = match read.widgets.as_slice() {
        [only] if *only == usual => &[],
        widgets => widgets,
    };
    let widgets = widgets
        .iter()
        .map(|w| toml::to_string(w).unwrap_or_default());
    let exception = read.consent_exception.map(|e| e.words());
    let said: Vec<String> = exception.into_iter().chain(widgets).collect();
    said.join("\n")
}

#[cfg(test)]
mod tests {
    use super::*;

    const FILE: &str = "address = \"https://www.kites.example/\"\ncountry = \"GB\"\nlanguages = \
        [\"en\", \"cy\"]\ntime_zone = \"Europe/London\"\nconsent = \"hedge\"\nplatform \
        = \"plugin-cms\"\n\n[[widget]]\nsupplier = \"example\"\nkey = \"ab12cd34\"\non = \
        [\"/shop/**\"]\nnot_on = [\"kind:legal\"]\ndelay_s = 3.0\n\n[[widget.hours]]\ndays = \
        [\"mon\"]\nfrom = \"09:00\"\nto = \"17:30\"\n\n[widget.design]\nlauncher_colour \
        = \"#0b7285\"\n\n[widget.texts.en]\ntitle = \"Kite \
        workshop\"\n\n[[widget]]\nsupplier = \"second\"\n";

    #[test]
    fn a_file_that_became_a_site_is_written_as_it_was_read() {
        let read = Expectation::read(FILE).unwrap();
        let mut fields = SiteFields::default();
        read.fill(&mut fields);
        assert_eq!(
            (fields.pages_on.as_str(), fields.pages_not_on.as_str()),
            ("/shop/**", "kind:legal")
        );
        assert_eq!(Expectation::of_site(&fields, Some(&read)), read);
        // A field that was changed since goes before the file.
        fields.key = "ef56ab78".into();
        let written = Expectation::of_site(&fields, Some(&read));
        assert_eq!(written.widgets[0].key, "ef56ab78");
        assert_eq!(written.widgets[0].hours, read.widgets[0].hours);
        assert_eq!(written.widgets[1], read.widgets[1]);
        assert_eq!(Expectation::read(&written.write()).unwrap(), written);
    }

    #[test]
    fn widgets_beside_the_first_are_counted_and_words_about_them_are_not() {
        assert_eq!((further_widgets(""), further_widgets(FILE)), (0, 1));
        let words = "address = 'https://www.kites.example/'\n[[widget]]\nsupplier = \
            'example'\n[widget.texts.en]\ntitle = '[[widget]] [[widget]]'\n";
        assert_eq!(further_widgets(words), 0);
    }

    #[test]
    fn a_site_without_a_supplier_should_have_no_widget() {
        let fields = SiteFields {
            url: "https://kites.example/".into(),
            ..SiteFields::default()
        };
        let out = Expectation::of_site(&fields, None);
        assert!(out.widgets.is_empty());
        assert_eq!(out.write(), "address = \"https://kites.example/\"\n");
    }

    #[test]
    fn only_values_that_differ_become_the_sites_own() {
        let above = Design::of_layer(&Layer::new());
        let mut file = Expectation::read(FILE).unwrap();
        file.set_design(&above);
        assert!(file.own_values(&above).is_empty());
        file.widgets[0]
            .design
            .set(Field::Corner, Some("bottom-left"));
        let own = file.own_values(&above);
        assert_eq!(own.len(), 1);
        assert_eq!(own[&Field::Corner], "bottom-left");
    }
}
