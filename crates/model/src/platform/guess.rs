//! Which platform a page is of, by the marks that it has.

use super::Platform;
use super::marks::MarkSeen;
use newtfern_standards::html::Document;

impl Platform {
    /// Returns how surely a document is of this platform: the weight of the marks seen.
    pub fn marks(&self, html: &str, headers: &[(String, String)]) -> usize {
        let seen = self.marks_in(&Document::parse(html), html, headers);
        seen.iter().map(|m| m.weight).sum()
    }

    /// Each mark of it that a page has.
    pub fn marks_in(
        &self,
        document: &Document,
        html: &str,
        headers: &[(String, String)],
    ) -> Vec<MarkSeen> {
        let mut out = Vec::new();
        let mut seen = |weight: usize, what: String| out.push(MarkSeen { weight, what });
        let generators = generators(document);
        let r = &self.recognise;
        for wanted in &r.generators {
            let wanted = wanted.to_lowercase();
            if let Some(found) = generators.iter().find(|g| g.starts_with(&wanted)) {
                seen(2, format!("its generator is \u{201c}{found}\u{201d}"));
            }
        }
        for marker in r.markers.iter().filter(|m| html.contains(m.as_str())) {
            seen(1, format!("its document has \u{201c}{marker}\u{201d}"));
        }
        for header in &r.headers {
            let Some((name, value)) = header.split_once(':') else {
                continue;
            };
            let (name, value) = (name.trim(), value.trim().to_lowercase());
            let fits = |(n, v): &&(String, String)| {
                n.eq_ignore_ascii_case(name) && v.to_lowercase().starts_with(&value)
            };
            if let Some((n, v)) = headers.iter().find(fits) {
                seen(1, format!("its answer has the header {n}: {v}"));
            }
        }
        out
    }
}

fn generators(document: &Document) -> Vec<String> {
    let is_generator = |id: &usize| {
        document.name(*id) == Some("meta")
            && document
                .attribute(*id, "name")
                .is_some_and(|n| n.eq_ignore_ascii_case("generator"))
    };
    let ids = document.walk().into_iter().filter(is_generator);
    let content = |id| document.attribute(id, "content").map(str::to_lowercase);
    ids.filter_map(content).collect()
}

/// The platform with the most marks; none where nothing was seen.
pub fn guess<'a>(
    platforms: &'a [Platform],
    html: &str,
    headers: &[(String, String)],
) -> Option<&'a Platform> {
    platforms
        .iter()
        .map(|p| (p.marks(html, headers), p))
        .filter(|(marks, _)| *marks > 0)
        .max_by_key(|(marks, _)| *marks)
        .map(|(_, p)| p)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::platform::{PlatformMarks, SetMarks};

    #[test]
    fn a_set_that_only_a_comment_or_a_text_names_is_not_loaded() {
        let marks = SetMarks {
            hosts: vec!["sets.example".into()],
            patterns: vec![r"sets\.example/(?P<set>[A-Z0-9-]+)\.js".into()],
            ..SetMarks::default()
        };
        let html = "<!-- <script src=\"https://sets.example/OLD-1.js\"></script> -->\
            <p>sets.example/TEXT-1.js</p><script src=\"https://sets.example/NEW-1.js\"></script>\
            <script>load('https://sets.example/NEW-2.js'); \
            load('https://sets.example/NEW-1.js')</script>";
        let seen = marks.in_page(&Document::parse(html));
        let sets: Vec<&str> = seen.iter().map(|(set, _)| set.as_str()).collect();
        assert_eq!(sets, ["NEW-1", "NEW-2"]);
        assert_eq!(seen[0].1, "https://sets.example/NEW-1.js");
    }

    #[test]
    fn the_platform_with_most_marks_is_guessed() {
        let p = |id: &str, generator: &str, marker: &str| Platform {
            id: id.into(),
            name: id.into(),
            recognise: PlatformMarks {
                generators: vec![generator.into()],
                markers: vec![marker.into()],
                headers: vec![],
            },
            slots: vec![],
            interface: None,
            desk: None,
            preview: None,
            sets: None,
        };
        let all = [
            p("a", "Quillhouse", "/qh-assets/"),
            p("b", "Other", "id=\"app\""),
        ];
        let html = "<meta name=Generator content='quillhouse 4'><link \
            href=/qh-assets/x.css><div id=\"app\">";
        assert_eq!(guess(&all, html, &[]).unwrap().id, "a");
        assert!(guess(&all, "<p>plain", &[]).is_none());
    }
}
