//! Templates: pages that were made by one pattern, clustered by the shape of their documents and of
//! their addresses. A slot reaches whole templates, so one page of each tells about the others.

use newtfern_standards::html::{Document, Kind};
use std::collections::{BTreeSet, HashMap};
use std::hash::{DefaultHasher, Hash, Hasher};
use url::Url;

/// Shapes of elements kept of one document.
const MOST_SHAPES: usize = 400;
/// Elements below the body that count: deeper down stands what authors wrote.
const MOST_DEPTH: usize = 9;
/// Shapes that two documents share, of all that either has (Jaccard), to be of one template.
const ALIKE: f64 = 0.80;
/// The same for two pages of one folder.
const ALIKE_IN_FOLDER: f64 = 0.55;

/// The shape of a document: its elements with their classes and what is around them.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Shape(BTreeSet<u64>);

impl Shape {
    /// Returns the shape of a document, by its elements down to a depth.
    pub fn of(document: &Document) -> Shape {
        let body = document
            .walk()
            .into_iter()
            .find(|id| document.name(*id) == Some("body"));
        let mut out = BTreeSet::new();
        let mut stack: Vec<(usize, u64, usize)> = body.map(|b| (b, 0, 0)).into_iter().collect();
        while let Some((id, around, depth)) = stack.pop() {
            let Kind::Element { name, .. } = &document.nodes[id].kind else {
                continue;
            };
            // Text is what differs from page to page; its markup says nothing either.
            if depth > MOST_DEPTH || TEXT.contains(&name.as_str()) {
                continue;
            }
            let mut hasher = DefaultHasher::new();
            (around, name, classes(document.attribute(id, "class"))).hash(&mut hasher);
            let shape = hasher.finish();
            if out.len() >= MOST_SHAPES {
                break;
            }
            out.insert(shape);
            let children = document.nodes[id].children.iter().rev();
            stack.extend(children.map(|c| (*c, shape, depth + 1)));
        }
        Shape(out)
    }

    /// Shared shapes of all shapes, 0 to 1.
    pub fn likeness(&self, other: &Shape) -> f64 {
        let shared = self.0.intersection(&other.0).count();
        let all = self.0.len() + other.0.len() - shared;
        match all {
            0 => 1.0,
            all => shared as f64 / all as f64,
        }
    }
}

const TEXT: &[&str] = &[
    "p",
    "a",
    "b",
    "i",
    "em",
    "strong",
    "span",
    "br",
    "img",
    "picture",
    "source",
    "script",
    "style",
    "noscript",
    "template",
    "li",
    "td",
    "th",
    "tr",
    "code",
    "svg",
    "h1",
    "h2",
    "h3",
    "h4",
    "h5",
    "h6",
    "link",
    "meta",
    "iframe",
    "figure",
    "figcaption",
    "blockquote",
    "pre",
    "ul",
    "ol",
    "dl",
    "dt",
    "dd",
    "table",
    "tbody",
    "thead",
    "hr",
    "small",
    "sub",
    "sup",
    "time",
    "abbr",
    "label",
    "input",
    "button",
    "option",
    "select",
    "textarea",
];

/// Classes in their order, without those that carry a number or a state of this page alone.
fn classes(value: Option<&str>) -> Vec<String> {
    let mut out: Vec<String> = value
        .unwrap_or_default()
        .split_ascii_whitespace()
        .filter(|c| !c.bytes().any(|b| b.is_ascii_digit()))
        .filter(|c| !matches!(*c, "active" | "current" | "open" | "selected"))
        .take(12)
        .map(str::to_string)
        .collect();
    out.sort();
    out.dedup();
    out
}

/// Facts about one page that clustering needs.
#[derive(Debug, Clone)]
pub struct PageShape {
    /// Address of the page.
    pub url: Url,
    /// Shape of the document; none where it was not had.
    pub shape: Option<Shape>,
}

/// The folder that a page stands in, where it stands in one.
fn folder(url: &Url) -> Option<&str> {
    let path = url.path().trim_end_matches('/');
    let (folder, _) = path.rsplit_once('/')?;
    (!folder.is_empty()).then_some(folder)
}

/// Comparisons with one template: its first pages stand for it.
const MOST_COMPARED: usize = 4;

struct Cluster {
    members: Vec<usize>,
}

/// The template of each page, in their order, as a short text that is the same for pages of one
/// template: the part of the address that they share, with a number where two share it. The first
/// page, which is where visitors begin, is a template of its own.
pub fn templates(pages: &[PageShape]) -> Vec<String> {
    let mut clusters: Vec<Cluster> = Vec::new();
    for (i, page) in pages.iter().enumerate() {
        let home = i == 0 || page.url.path() == "/";
        let of = |c: &&mut Cluster| !home && belongs(pages, c, page);
        match clusters.iter_mut().find(of) {
            Some(cluster) => cluster.members.push(i),
            None => clusters.push(Cluster { members: vec![i] }),
        }
    }
    let mut names: HashMap<String, usize> = HashMap::new();
    let mut out = vec![String::new(); pages.len()];
    for cluster in &clusters {
        let urls: Vec<&Url> = cluster.members.iter().map(|i| &pages[*i].url).collect();
        let shared = shared_address(&urls);
        let times = names.entry(shared.clone()).or_default();
        *times += 1;
        let name = match *times {
            1 => shared,
            n => format!("{shared} ({n})"),
        };
        for i in &cluster.members {
            out[*i].clone_from(&name);
        }
    }
    out
}

fn belongs(pages: &[PageShape], cluster: &Cluster, page: &PageShape) -> bool {
    let first = &pages[cluster.members[0]];
    if cluster.members[0] == 0 || first.url.path() == "/" {
        return false;
    }
    let alike = |i: &usize| {
        let other = &pages[*i];
        let in_folder = folder(&other.url).is_some() && folder(&other.url) == folder(&page.url);
        match (&other.shape, &page.shape) {
            (Some(a), Some(b)) => a.likeness(b) >= if in_folder { ALIKE_IN_FOLDER } else { ALIKE },
            // Where a document was not had, the address alone tells.
            _ => in_folder,
        }
    };
    cluster.members.iter().take(MOST_COMPARED).any(alike)
}

/// The part of the path that all have, `*` for what differs.
fn shared_address(urls: &[&Url]) -> String {
    let segments = |u: &Url| -> Vec<String> {
        let path = u.path().trim_matches('/').to_string();
        path.split('/')
            .filter(|s| !s.is_empty())
            .map(str::to_string)
            .collect()
    };
    let all: Vec<Vec<String>> = urls.iter().map(|u| segments(u)).collect();
    let Some(first) = all.first() else {
        return "/".into();
    };
    if all.iter().any(|s| s.len() != first.len()) {
        let same = |i: &usize| all.iter().all(|s| s.get(*i) == first.get(*i));
        let shared: Vec<&str> = (0..first.len())
            .take_while(same)
            .map(|i| first[i].as_str())
            .collect();
        return format!(
            "/{}**",
            shared.iter().map(|s| format!("{s}/")).collect::<String>()
        );
    }
    let at = |i: usize| match all.iter().all(|s| s[i] == first[i]) {
        true => first[i].as_str(),
        false => "*",
    };
    format!(
        "/{}",
        (0..first.len()).map(at).collect::<Vec<_>>().join("/")
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    fn page(path: &str, html: &str) -> PageShape {
        PageShape {
            url: Url::parse(&format!("https://kites.example{path}")).unwrap(),
            shape: Some(Shape::of(&Document::parse(html))),
        }
    }

    fn item(name: &str, extra: &str) -> String {
        format!(
            "<header class='top'><nav></nav></header><main class='product'><div \
            class='gallery'><div class='stage'></div></div><section class='price \
            box-7'><h1>{name}</h1><p>{name} flies.</p></section>{extra}<aside \
            class='related'><div></div></aside></main><footer class='end'></footer>"
        )
    }

    fn text(name: &str) -> String {
        format!(
            "<header class='top'><nav></nav></header><main \
            class='text'><article><h1>{name}</h1><p>a</p><ul><li>b</li></ul></article></main>\
            <footer class='end'></footer>"
        )
    }

    #[test]
    fn pages_of_one_pattern_share_a_template_wherever_they_stand() {
        let pages = [
            page(
                "/",
                "<main class='home'><section class='hero'></section></main>",
            ),
            page("/shop/kestrel", &item("Kestrel", "")),
            page("/shop/merlin", &item("Merlin", "<div class='offer'></div>")),
            page("/about", &text("About")),
            page("/legal/privacy", &text("Privacy")),
            page("/shop/size-guide", &text("Sizes")),
        ];
        assert_eq!(
            templates(&pages),
            ["/", "/shop/*", "/shop/*", "/**", "/**", "/**"]
        );
    }

    #[test]
    fn templates_that_share_an_address_are_numbered_and_the_first_page_is_alone() {
        let pages = [
            page("/en/", &text("Home")),
            page("/a/x", &text("X")),
            page("/b/y", &item("Y", "")),
            page("/a/z", &text("Z")),
            page("/c/w", &item("W", "")),
        ];
        assert_eq!(templates(&pages), ["/en", "/a/*", "/*/*", "/a/*", "/*/*"]);
        let flat = [
            page("/", ""),
            page("/x", &text("X")),
            page("/y", &item("Y", "")),
            page("/z", &text("Z")),
            page("/w", &item("W", "")),
        ];
        assert_eq!(templates(&flat), ["/", "/*", "/* (2)", "/*", "/* (2)"]);
    }

    #[test]
    fn a_page_that_was_not_had_is_told_by_its_folder() {
        let mut lost = page("/shop/osprey", "");
        lost.shape = None;
        let pages = [page("/", ""), page("/shop/kestrel", &item("K", "")), lost];
        assert_eq!(templates(&pages)[2], "/shop/*");
        assert!(templates(&[]).is_empty());
    }

    #[test]
    fn numbers_and_states_in_classes_do_not_part() {
        let a = Shape::of(&Document::parse(
            "<body class='page-id-7 single'><div class='active'>",
        ));
        let b = Shape::of(&Document::parse("<body class='page-id-12 single'><div>"));
        assert_eq!(a, b);
        assert!((a.likeness(&Shape::default()) - 0.0).abs() < f64::EPSILON);
    }
}
