//! Values of the design that a supplier's snippet takes beside its key: `{{launcher_colour}}` in an attribute of a
//! script element, or in its address. They are written in before the snippet goes anywhere, and what stands there in
//! a page says nothing of whether the snippet is intact.

use super::Supplier;
use super::sound::Entries;
use crate::design::{Design, Field};
use crate::html::{Document, Kind, escaped};
use crate::profile::ProfileError;
use crate::value_sheet::field_named;
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};

const KEY: &str = "key";

/// What stands between double braces like a name, other than the key's; other braces are the snippet's own.
fn names(template: &str) -> impl Iterator<Item = &str> {
    let parts = template.split("{{").skip(1);
    let inner = parts.filter_map(|p| p.split_once("}}").map(|(name, _)| name));
    let like_a_name =
        |n: &str| !n.is_empty() && n.bytes().all(|b| b.is_ascii_lowercase() || b == b'_');
    inner.filter(move |name| *name != KEY && like_a_name(name))
}

/// How a name stands in a template.
fn place(name: &str) -> String {
    format!("{{{{{name}}}}}")
}

/// Those of them that are values of a design.
fn values(template: &str) -> impl Iterator<Item = (&str, Field)> {
    names(template).filter_map(|name| Some((name, field_named(name)?)))
}

/// The attribute of a script element whose value holds this place, if one does.
fn attribute_of(template: &str, name: &str) -> Option<String> {
    let document = Document::parse(template);
    let place = place(name);
    let scripts = document
        .walk()
        .into_iter()
        .filter(|id| document.name(*id) == Some("script"));
    let attributes = scripts.flat_map(|id| match &document.nodes[id].kind {
        Kind::Element { attributes, .. } => attributes.as_slice(),
        _ => &[],
    });
    let mut holds = attributes.filter(|(_, value)| value.contains(&place));
    holds.next().map(|(attribute, _)| attribute.clone())
}

impl Supplier {
    /// Attributes of the template whose values follow the design.
    pub(crate) fn free_attributes(&self) -> &[String] {
        &self.free
    }

    /// Notes which attributes of the template follow the design, before anything is written into it.
    pub(super) fn note_parameters(&mut self) {
        let template = &self.snippet.template;
        let of = values(template);
        self.free = of.filter_map(|(n, _)| attribute_of(template, n)).collect();
    }

    /// The same supplier with a design's values written into its snippet.
    pub fn with_design(&self, design: &Design) -> Supplier {
        let mut out = self.clone();
        for (name, field) in values(&self.snippet.template) {
            let value = design.get(field);
            let value = match attribute_of(&self.snippet.template, name).as_deref() {
                // In an address it is data, and stands there as such.
                Some("src") => utf8_percent_encode(value, NON_ALPHANUMERIC).to_string(),
                _ => escaped(value),
            };
            out.snippet.template = out.snippet.template.replace(&place(name), &value);
        }
        out
    }

    /// A template without the places of a design that nobody gave.
    pub(super) fn bare_template(&self) -> String {
        let mut out = self.snippet.template.clone();
        for (name, _) in values(&self.snippet.template) {
            out = out.replace(&place(name), "");
        }
        out
    }
}

/// Each place must be a value of a design, and stand where it can be written.
pub(super) fn sound(entries: &Entries, template: &str) -> Result<(), ProfileError> {
    for name in names(template) {
        if field_named(name).is_none() {
            let why = "which is no value of a design, and not {{key}}";
            return Err(entries.refuse("snippet.template", &place(name), why));
        }
        if attribute_of(template, name).is_none() {
            let why = "which must stand in an attribute of a script element";
            return Err(entries.refuse("snippet.template", &place(name), why));
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use crate::design::{Design, Field, Layer};
    use crate::placement::{Inspector, PieceState};
    use crate::profile::Supplier;
    use crate::profile::tests::SAMPLE;
    use url::Url;

    fn supplier(code: &str) -> Result<Supplier, String> {
        let text = SAMPLE
            .lines()
            .map(|line| match line.starts_with("template = ") {
                true => format!("template = '{code}'"),
                false => line.to_string(),
            })
            .collect::<Vec<_>>()
            .join("\n");
        Supplier::given(&text).map_err(|e| e.to_string())
    }

    const CODE: &str = "<script async src=\"https://cdn.example.test/l.js?c={{launcher_colour}}\" data-key=\"{{key}}\" data-title=\"{{title}}\" data-side=\"{{corner}}\"></script>";

    fn design() -> Design {
        let layer = Layer::from([
            (Field::ButtonColour, "#0b7285".to_string()),
            (Field::Title, "Kites \"& <more>\"".to_string()),
        ]);
        Design::resolve(&Layer::new(), &Layer::new(), &layer)
    }

    #[test]
    fn the_designs_values_are_written_where_the_snippet_takes_them() {
        let plain = supplier(CODE).unwrap();
        let code = plain.with_design(&design()).snippet_for("abcd-1234");
        assert_eq!(
            code,
            "<script async src=\"https://cdn.example.test/l.js?c=%230b7285\" data-key=\"abcd-1234\" data-title=\"Kites &quot;&amp; &lt;more&gt;&quot;\" data-side=\"bottom-right\"></script>"
        );
        // Where no design is at hand the places are empty, and the key stands.
        let bare = plain.snippet_for("abcd-1234");
        assert!(
            bare.contains("l.js?c=\"") && bare.contains("data-title=\"\""),
            "{bare}"
        );
    }

    #[test]
    fn another_value_in_the_page_is_no_damage() {
        let filled = supplier(CODE).unwrap().with_design(&design());
        let page = Url::parse("https://kites.example/").unwrap();
        let inspector = Inspector::new(&filled, None);
        let state = |code: &str| {
            let html = format!("<body>{code}</body>");
            inspector.pieces(&html, &page).remove(0).state
        };
        let code = filled.snippet_for("abcd-1234");
        assert_eq!(state(&code), PieceState::Live);
        let edited = code
            .replace("bottom-right", "top-left")
            .replace("%230b7285", "%23ff0000");
        assert_eq!(state(&edited), PieceState::Live);
    }

    #[test]
    fn a_place_that_cannot_be_filled_is_refused() {
        let of = |code: &str| supplier(code).unwrap_err();
        let src = "src=\"https://cdn.example.test/l.js\" data-key=\"{{key}}\"";
        let unknown = of(&format!(
            "<script {src} data-x=\"{{{{colour_of_joy}}}}\"></script>"
        ));
        assert!(
            unknown.contains("{{colour_of_joy}}") && unknown.contains("no value of a design"),
            "{unknown}"
        );
        let inside = of(&format!(
            "<script {src}></script><script>go(\"{{{{title}}}}\")</script>"
        ));
        assert!(inside.contains("attribute of a script element"), "{inside}");
    }
}
