//! Parsers of what tells of whole sites: robots.txt, sitemaps, page patterns, pasted snippets,
//! expectation files, the form of a profile.

use crate::target::{Target, kind_of, size, target};
use newtfern_model::derive::derive;
use newtfern_model::expectation::Expectation;
use newtfern_model::pages::{PageKind, Pattern, Robots, kind_of as page_kind, sitemap};
use newtfern_model::profile_form::{fields, look, set};
use newtfern_model::profiles::ProfileKind;
use newtfern_standards::html::Document;
use url::Url;

const ROBOTS: &str =
    "User-agent: *\nDisallow: /basket*$\nAllow: /b\nSitemap: /m.xml\nCrawl-delay: 2\n";
const SITEMAP: &str = "<urlset \
                       xmlns='http://www.sitemaps.org/schemas/sitemap/0.9'><url>\
                       <loc>https://kites.example/a?b=1&amp;c=2</loc></url></urlset>";
const SNIPPET: &str = "<script async src=\"https://cdn.osier.test/l.js?v=3\" \
    data-key=\"ab12-cd34\"></script><script>osier('boot', 'K-88231')</script>";
const SITE: &str = "address = 'https://kites.example/'\n[[widget]]\nsupplier = 'osier'\non = \
    ['/**']\n[widget.texts.en]\ntitle = 'Kites'\n";

/// Returns the parsers of what sites deliver.
// Long: a list.
pub fn all() -> Vec<Target> {
    let Ok(page) = Url::parse("https://kites.example/shop/kite?a=1") else {
        return Vec::new();
    };
    let base = page.clone();
    let at = page.clone();
    // Nothing in this address tells a kind.
    let Ok(site) = Url::parse("https://kites.example/x") else {
        return Vec::new();
    };
    vec![
        target("robots", &[ROBOTS], move |t| {
            let robots = Robots::read(t, "newtfern");
            (
                robots.allows(&page),
                size(robots.sitemaps.len()),
                robots.pause.is_some(),
            )
        }),
        target(
            "sitemap",
            &[SITEMAP, "https://kites.example/a\n"],
            move |t| {
                let map = sitemap::read(t, &base).map_err(kind_of)?;
                Ok::<_, String>((size(map.pages.len()), size(map.sitemaps.len()), map.cut))
            },
        ),
        target(
            "page pattern",
            &["/shop/*/a?b=*", "kind:legal", "/**/x**"],
            move |t| {
                Pattern::read(t)
                    .map(|p| p.takes(&at, PageKind::Item))
                    .map_err(kind_of)
            },
        ),
        target(
            "page kind",
            &["<script type='application/ld+json'>{\"@type\": \
                 [\"Product\"]}</script><h1>Imprint</h1>"],
            move |t| page_kind(&site, &Document::parse(t), &["en".into()]).kind,
        ),
        target("pasted snippet", &[SNIPPET], |t| {
            derive(t)
                .map(|d| (d.key.is_some(), d.mended.len(), d.script_hosts.len().min(3)))
                .map_err(kind_of)
        }),
        target("expectation", &[SITE], |t| {
            let read = Expectation::read(t).map_err(kind_of)?;
            // What was read is written so that it is read the same.
            assert_eq!(Expectation::read(&read.write()).ok().as_ref(), Some(&read));
            Ok::<_, String>((size(read.widgets.len()), read.platform.is_some()))
        }),
        target(
            "profile form",
            &[&newtfern_standins::supplier_profile(80)],
            |t| {
                let kind = ProfileKind::Supplier;
                let changed = fields(kind)
                    .iter()
                    .filter(|f| set(kind, t, f.path, "7").is_ok());
                let looked = look(kind, t);
                (
                    changed.count(),
                    size(looked.problems.len()),
                    size(looked.remarks.len()),
                )
            },
        ),
    ]
}
