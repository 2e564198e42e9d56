//! Pages of these sites: of several kinds, each builder with its own markup.

use super::kinds::{Effect, Kind, Scope, Slot};
use crate::answers::escape;

/// Content of a page.
pub struct Page {
    pub path: &'static str,
    pub title: &'static str,
    pub kind: &'static str,
}

const fn page(path: &'static str, title: &'static str, kind: &'static str) -> Page {
    Page { path, title, kind }
}

pub static PAGES: [Page; 10] = [
    page("/", "Welcome", "home"),
    page("/shop/", "All we have", "listing"),
    page("/shop/lantern", "Lantern", "item"),
    page("/shop/compass", "Compass", "item"),
    page("/shop/satchel", "Satchel", "item"),
    page("/news/opening-day", "Opening day", "article"),
    page("/contact", "Contact", "contact"),
    page("/privacy", "Privacy notice", "legal"),
    page("/terms", "Terms", "legal"),
    page("/basket", "Your basket", "basket"),
];

pub fn find(path: &str) -> Option<&'static Page> {
    let plain = |p: &str| p.trim_end_matches('/').to_string();
    PAGES.iter().find(|p| plain(p.path) == plain(path))
}

pub fn sitemap(origin: &str) -> String {
    let urls: String = PAGES
        .iter()
        .filter(|p| p.kind != "basket")
        .map(|p| format!("<url><loc>{origin}{}</loc></url>", p.path))
        .collect();
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?><urlset \
        xmlns=\"http://www.sitemaps.org/schemas/sitemap/0.9\">{urls}</urlset>"
    )
}

/// Returns what a slot makes of its text; `snippet` writes the supplier's code for a key.
pub fn made(slot: &Slot, text: &str, snippet: &dyn Fn(&str) -> String) -> String {
    if text.trim().is_empty() {
        return String::new();
    }
    match slot.effect {
        Effect::Plain => format!("{text}\n"),
        Effect::Wrap => format!("<script>\n{text}\n</script>\n"),
        Effect::Frame => format!(
            "<iframe title=\"Embedded\" width=\"320\" height=\"160\" srcdoc=\"{}\"></iframe>\n",
            escape(text)
        ),
        Effect::Strip => without_scripts(text),
        Effect::Rules => String::new(),
        Effect::Key => format!("{}\n", snippet(text.trim())),
    }
}

/// Returns a text as a text field of such a host takes it: script elements go, the rest stays.
fn without_scripts(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.to_ascii_lowercase().find("<script") {
        out.push_str(&rest[..at]);
        let end = rest[at..].to_ascii_lowercase().find("</script>");
        rest = end.map_or("", |e| &rest[at + e + "</script>".len()..]);
    }
    out + rest
}

pub fn comes_out(scope: Scope, page: &Page) -> bool {
    match scope {
        Scope::Site => true,
        Scope::Items => page.kind == "item",
        Scope::Home => page.kind == "home",
    }
}

/// A page's own content.
pub fn content(page: &Page, client: &str, line: &str) -> String {
    let title = escape(page.title);
    match page.kind {
        "item" => format!(
            "<article class=\"item\" itemscope itemtype=\"https://schema.org/Product\"><h1 \
            itemprop=\"name\">{title}</h1><div class=\"pictures\"><div></div></div>\
            <section class=\"price\"><span itemprop=\"price\">24.00</span> <button>Into the \
            basket</button></section><aside><p>More of the same</p></aside></article>"
        ),
        "listing" => {
            let cards: String = PAGES
                .iter()
                .filter(|p| p.kind == "item")
                .map(|p| {
                    format!(
                        "<li class=\"card\"><a href=\"{}\">{}</a></li>",
                        p.path, p.title
                    )
                })
                .collect();
            format!(
                "<section class=\"list\"><h1>{title}</h1><nav class=\"filter\">All, new, \
                small</nav><ul class=\"grid\">{cards}</ul></section>"
            )
        }
        "article" => format!(
            "<article itemscope itemtype=\"https://schema.org/NewsArticle\"><h1 \
            itemprop=\"headline\">{title}</h1><time>1 June</time><p>{}</p><p>Read on \
            below.</p></article>",
            escape(line)
        ),
        "contact" => format!(
            "<h1>{title}</h1><form><label>Name <input></label><label>Words \
            <textarea></textarea></label></form><address>{}</address>",
            escape(client)
        ),
        "legal" => format!(
            "<h1>{title}</h1><h2>1</h2><p>What we keep, why, and for how \
            long.</p><h2>2</h2><p>Your rights.</p>"
        ),
        "basket" => format!("<h1>{title}</h1><table><tr><td>Nothing yet</td></tr></table>"),
        _ => format!(
            "<h1>{title}</h1><p class=\"lead\">{}</p><p><a href=\"/shop/\">See what \
            we have</a></p>",
            escape(line)
        ),
    }
}

pub struct Dress<'a> {
    pub kind: &'a Kind,
    pub client: &'a str,
    pub name: &'a str,
    pub primary: &'a str,
    pub secondary: &'a str,
}

/// The whole document around a page's content; `head` and `tail` come out of slots and sets.
pub fn document(dress: &Dress, page: &Page, content: &str, head: &str, tail: &str) -> String {
    let menu: String = PAGES
        .iter()
        .filter(|p| !matches!(p.kind, "item"))
        .map(|p| format!("<a href=\"{}\">{}</a> ", p.path, escape(p.title)))
        .collect();
    let generator = match dress.kind.generator {
        "" => String::new(),
        g => format!("<meta name=\"generator\" content=\"{g}\">"),
    };
    let id = dress.kind.id;
    format!(
        "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" \
        content=\"width=device-width, initial-scale=1\">{generator}\n\
        <title>{title} - {name}, {client}</title>\n<style>body{{margin:0;font:17px/1.6 \
        Georgia,serif;color:#2a2a2a;background:#fdfdfb}}\
        .{id}-top{{background:{primary};color:#fff;padding:22px 7vw}}.{id}-menu{{padding:9px \
        7vw;border-bottom:3px solid {secondary}}}\
        .{id}-menu a{{margin-right:16px;color:#333}}.{id}-main{{max-width:720px;padding:24px \
        7vw}}</style>\n<!-- {id} -->\n{head}</head>\n\
        <body class=\"{id} {page_kind}\"><div \
        class=\"{id}-top\"><strong>{client}</strong><div>{name}</div></div>\n<div \
        class=\"{id}-menu\">{menu}</div>\n\
        <main class=\"{id}-main\" id=\"app\">{content}</main>\n{tail}</body></html>\n",
        title = escape(page.title),
        name = escape(dress.name),
        client = escape(dress.client),
        primary = dress.primary,
        secondary = dress.secondary,
        page_kind = page.kind,
    )
}
