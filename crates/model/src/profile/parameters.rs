//! Values of the design that a supplier's snippet takes beside its key: `{{launcher_colour}}` in an
//! attribute of a script element, in its address, or in a string of its script text. They are
//! written in before the snippet goes anywhere, and what stands there in a page says nothing of
//! whether the snippet is intact.

use super::Supplier;
use crate::design::Design;
use crate::profile::template::filled;

impl Supplier {
    /// Attributes of the template whose values follow the design.
    pub(crate) fn free_attributes(&self) -> &[String] {
        &self.free.attributes
    }

    /// The snippet for a key with [`VALUE_MARK`] for each value of the design, whatever has been
    /// written in.
    pub(crate) fn form_for(&self, key: &str) -> String {
        let form = self.free.form.as_deref();
        form.unwrap_or(&self.snippet.template)
            .replace("{{key}}", key)
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

#[cfg(test)]
mod tests {
    use crate::design::{Design, Field, Layer};
    use crate::placement::{Inspector, PieceState};
    use crate::profile::Supplier;
    use crate::profile::template::places;
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

    const CODE: &str = "<script async src=\"https://cdn.example.test/l.js?c={{launcher_colour}}\" \
        data-key=\"{{key}}\" data-title=\"{{title}}\" data-side=\"{{corner}}\"></script>";

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
            "<script async src=\"https://cdn.example.test/l.js?c=%230b7285\" \
            data-key=\"abcd-1234\" data-title=\"Kites &quot;&amp; &lt;more&gt;&quot;\" \
            data-side=\"bottom-right\"></script>"
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
            unknown.contains("{{colour_of_joy}}") && unknown.contains("not a value of a design"),
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
        // Reading where one place stands takes a look at all before it.
        let many = "{{title}}".repeat(201);
        let told = of(&format!("<script {src} data-x=\"{many}\"></script>"));
        assert!(told.contains("200 times"), "{told}");
        // Braces without an end are the snippet's own, however many there are.
        let open = "{{".repeat(10_000);
        let code = format!("<script {src} data-x=\"{open}{{{{title}}}}\"></script>");
        assert_eq!(places(&code).len(), 1);
    }

    const INLINE: &str = "<script>window.osierSettings = \
        { from: \"https://cdn.example.test/l.js\", key: \"{{key}}\", title: \"{{title}}\", \
        colour: \"{{launcher_colour}}\" }; // {a}\n</script><script async \
        src=\"https://cdn.example.test/l.js\"></script>";

    /// Script text gives values back as string literals do: ECMA-262, 12.9.4, \uXXXX escapes.
    #[test]
    fn values_stand_in_script_text_as_strings_that_cannot_end_early() {
        let plain = supplier(&INLINE.replace('\n', " ")).unwrap();
        let layer = Layer::from([(Field::Title, "</script>\"; alert(`$x`); '\\".to_string())]);
        let design = Design::of_layer(&layer);
        let code = plain.with_design(&design).snippet_for("abcd-1234");
        let written =
            newtfern_standards::script_scan::strings(code.split("</script>").next().unwrap());
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
