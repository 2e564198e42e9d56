//! Values of the design that a supplier's snippet takes beside its key: `{{launcher_colour}}` in an attribute of a
//! script element, in its address, or in a string of its script text. They are written in before the snippet goes
//! anywhere, and what stands there in a page says nothing of whether the snippet is intact.

use super::Supplier;
use super::sound::Entries;
use crate::design::{Design, Field};
use crate::html::escaped;
use crate::profile::ProfileError;
use crate::script_scan::{in_a_string, literals};
use crate::value_sheet::field_named;
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
use std::ops::Range;

const KEY: &str = "key";
/// Stands in a template's form for a value of the design; letters and digits only, so that no escaping touches it.
pub(crate) const VALUE_MARK: &str = "newtfernvaluemark0";

/// Where in a template something stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Stands<'a> {
    /// In the value of an attribute of a script element; its name.
    Attribute(&'a str),
    /// In a string of script text.
    InString,
    /// Where nothing can be written.
    Elsewhere,
}

/// A value's place in a template, braces included.
struct Place<'a> {
    at: Range<usize>,
    name: &'a str,
    stands: Stands<'a>,
}

impl Place<'_> {
    /// A value as it can stand there.
    fn written(&self, value: &str) -> String {
        match self.stands {
            // In an address it is data, and stands there as such.
            Stands::Attribute("src") => utf8_percent_encode(value, NON_ALPHANUMERIC).to_string(),
            Stands::Attribute(_) | Stands::Elsewhere => escaped(value),
            Stands::InString => in_a_string(value),
        }
    }
}

/// What stands between double braces like a name, other than the key's; other braces are the snippet's own.
fn places(template: &str) -> Vec<Place<'_>> {
    let mut out = Vec::new();
    let mut at = 0;
    while let Some(from) = template[at..].find("{{").map(|i| at + i) {
        at = from + 2;
        let Some((name, _)) = template[at..].split_once("}}") else {
            break;
        };
        let like_a_name = |n: &str| n.bytes().all(|b| b.is_ascii_lowercase() || b == b'_');
        if !name.is_empty() && like_a_name(name) && name != KEY {
            let whole = from..at + name.len() + 2;
            out.push(Place {
                stands: stands(template, &whole),
                at: whole,
                name,
            });
        }
    }
    out
}

fn stands<'a>(template: &'a str, at: &Range<usize>) -> Stands<'a> {
    let before = &template[..at.start];
    let lower = before.to_ascii_lowercase();
    let Some(tag) = lower.rfind("<script") else {
        return Stands::Elsewhere;
    };
    match open_attribute(&template[tag..at.start]) {
        Tag::Attribute(name) => Stands::Attribute(name),
        Tag::Between => Stands::Elsewhere,
        Tag::Closed(_) if lower[tag..].contains("</script") => Stands::Elsewhere,
        Tag::Closed(text) => {
            let text = tag + text;
            let rest = &template[text..];
            let end = rest.to_ascii_lowercase().find("</script");
            let mut strings = literals(&rest[..end.unwrap_or(rest.len())]).into_iter();
            let around = |(quote, inner): (usize, String)| {
                let from = text + quote + 1;
                from <= at.start && at.end <= from + inner.len()
            };
            match strings.any(around) {
                true => Stands::InString,
                false => Stands::Elsewhere,
            }
        }
    }
}

/// How far into a start tag a text goes.
enum Tag<'a> {
    /// Into the value of this attribute, in quotes.
    Attribute(&'a str),
    /// Between its attributes.
    Between,
    /// Beyond its end: bytes up to there.
    Closed(usize),
}

fn open_attribute(tag: &str) -> Tag<'_> {
    let mut at = 0;
    while let Some(next) = tag[at..].find(['"', '\'', '>']).map(|i| at + i) {
        let quote = &tag[next..=next];
        if quote == ">" {
            return Tag::Closed(next + 1);
        }
        match tag[next + 1..].find(quote) {
            Some(close) => at = next + 1 + close + 1,
            None => {
                let named = tag[at..next].trim_end().strip_suffix('=');
                let name = named.and_then(|n| n.split_whitespace().last());
                return name.map_or(Tag::Between, Tag::Attribute);
            }
        }
    }
    Tag::Between
}

/// A template with something written into the places of a design's values.
fn filled(template: &str, value: impl Fn(&Place, Field) -> String) -> String {
    let mut out = String::with_capacity(template.len());
    let mut at = 0;
    for place in places(template) {
        if let Some(field) = field_named(place.name) {
            out.push_str(&template[at..place.at.start]);
            out.push_str(&value(&place, field));
            at = place.at.end;
        }
    }
    out.push_str(&template[at..]);
    out
}

impl Supplier {
    /// Attributes of the template whose values follow the design.
    pub(crate) fn free_attributes(&self) -> &[String] {
        &self.free.attributes
    }

    /// The snippet for a key with [`VALUE_MARK`] for each value of the design, whatever has been written in.
    pub(crate) fn form_for(&self, key: &str) -> String {
        let form = self.free.form.as_deref();
        form.unwrap_or(&self.snippet.template)
            .replace("{{key}}", key)
    }

    /// Notes where the template follows the design, before anything is written into it.
    pub(super) fn note_parameters(&mut self) {
        let template = &self.snippet.template;
        let attribute = |p: Place| match (field_named(p.name), p.stands) {
            (Some(_), Stands::Attribute(name)) => Some(name.to_string()),
            _ => None,
        };
        self.free = Free {
            attributes: places(template).into_iter().filter_map(attribute).collect(),
            form: Some(filled(template, |_, _| VALUE_MARK.to_string())),
        };
    }

    /// The same supplier with a design's values written into its snippet.
    pub fn with_design(&self, design: &Design) -> Supplier {
        let mut out = self.clone();
        out.snippet.template = filled(&self.snippet.template, |place, field| {
            place.written(design.get(field))
        });
        out
    }

    /// A template without the places of a design that nobody gave.
    pub(super) fn bare_template(&self) -> String {
        filled(&self.snippet.template, |_, _| String::new())
    }
}

/// What of a template follows the design.
#[derive(Debug, Clone, Default)]
pub struct Free {
    attributes: Vec<String>,
    form: Option<String>,
}

/// Each place must be a value of a design, and stand where it can be written.
pub(super) fn sound(entries: &Entries, template: &str) -> Result<(), ProfileError> {
    for place in places(template) {
        let braces = &template[place.at.clone()];
        if field_named(place.name).is_none() {
            let why = "which is no value of a design, and not {{key}}";
            return Err(entries.refuse("snippet.template", braces, why));
        }
        if place.stands == Stands::Elsewhere {
            let why = "which must stand in quotes: in an attribute of a script element, or in a string of its text";
            return Err(entries.refuse("snippet.template", braces, why));
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

    fn supplier(code: &str) -> Result<Supplier, String> {
        let text = SAMPLE
            .lines()
            .map(|line| match line.starts_with("template = ") {
                true => format!("template = '''{code}'''"),
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
        Design::of_layer(&layer)
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
        let inspector = Inspector::new(&filled, None);
        let state = |code: &str| {
            let html = format!("<body>{code}</body>");
            inspector.pieces_apart(&html).remove(0).state
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
        for bare in [
            format!("<script {src}></script><script>go({{{{title}}}})</script>"),
            format!("<script {src}></script><p>{{{{title}}}}</p>"),
            format!("<script {src} data-x={{{{title}}}}></script>"),
            format!("<script {src}></script><script>// \"{{{{title}}}}\"\ngo()</script>"),
        ] {
            let told = of(&bare);
            assert!(told.contains("must stand in quotes"), "{bare}: {told}");
        }
    }

    const INLINE: &str = "<script>window.osierSettings = { from: \"https://cdn.example.test/l.js\", key: \"{{key}}\", title: \"{{title}}\", colour: \"{{launcher_colour}}\" }; // {a}\n</script><script async src=\"https://cdn.example.test/l.js\"></script>";

    /// As a string literal of the language gives it back: ECMA-262, 12.9.4, \uXXXX escapes.
    #[test]
    fn values_stand_in_script_text_as_strings_that_cannot_end_early() {
        let plain = supplier(&INLINE.replace('\n', " ")).unwrap();
        let layer = Layer::from([(Field::Title, "</script>\"; alert(`$x`); '\\".to_string())]);
        let design = Design::of_layer(&layer);
        let code = plain.with_design(&design).snippet_for("abcd-1234");
        let written = crate::script_scan::strings(code.split("</script>").next().unwrap());
        let read: String = serde_json::from_str(&format!("\"{}\"", written[2])).unwrap();
        assert_eq!(read, "</script>\"; alert(`$x`); '\\");
        assert_eq!(code.matches("</script>").count(), 2, "{code}");
        assert!(!written[2].contains(['`', '$', '\'']), "{}", written[2]);
        assert!(plain.snippet_for("abcd-1234").contains("title: \"\""));
    }

    #[test]
    fn another_value_in_script_text_is_no_damage_and_another_name_is() {
        let filled = supplier(&INLINE.replace('\n', " "))
            .unwrap()
            .with_design(&design());
        let inspector = Inspector::new(&filled, None);
        let altered = |code: &str| {
            let pieces = inspector.pieces_apart(&format!("<body>{code}</body>"));
            assert!(
                pieces.iter().all(|p| p.state == PieceState::Live),
                "{pieces:?}"
            );
            pieces[0].altered.clone()
        };
        let code = filled.snippet_for("abcd-1234");
        assert_eq!(altered(&code), None);
        assert_eq!(altered(&code.replace("#0b7285", "#123456")), None);
        let renamed = altered(&code.replace("colour:", "colr:")).unwrap();
        assert!(renamed.contains("colr"), "{renamed}");
    }
}
