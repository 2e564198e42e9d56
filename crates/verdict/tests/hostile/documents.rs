//! Documents made to hurt whoever reads them, at any size: what parsers and rules must answer in
//! linear time. Shared by the tests (small) and the bench (as large as is read).

use newtfern_standards::observation::{DeliveredPage, Look, Observation};

/// A visit that got the document and saw nothing of the widget to the end.
pub fn seen(html: String) -> Observation {
    let mut o = Observation {
        url: "https://mill.example/".into(),
        page: DeliveredPage {
            final_url: "https://mill.example/".into(),
            status: Some(200),
            mime: "text/html".into(),
            html: html.clone(),
            ..DeliveredPage::default()
        },
        final_html: html,
        ..Observation::default()
    };
    o.looks.document = Look::Seen { at_ms: 100.0 };
    let until_ms = 6_000.0;
    o.looks.alive = Look::NotThere { until_ms };
    o.looks.launcher = Look::NotThere { until_ms };
    o
}

/// What the supplier's code looks like, so that no document is passed over by a first look.
pub struct Bait<'a> {
    /// A host of its loader.
    pub host: &'a str,
    /// A word of its inline code.
    pub marker: &'a str,
    /// The whole snippet.
    pub snippet: &'a str,
}

type Make = fn(&Bait, usize) -> String;

/// `piece` again and again.
fn fill(bytes: usize, piece: &str) -> String {
    piece.repeat(bytes / piece.len().max(1) + 1)
}

/// Numbered pieces.
fn count(bytes: usize, piece: impl Fn(usize) -> String) -> String {
    let mut out = String::new();
    let mut i = 0;
    while out.len() < bytes {
        out.push_str(&piece(i));
        i += 1;
    }
    out
}

/// Half of one thing, then half of another.
fn halves(bytes: usize, one: &str, two: &str) -> String {
    fill(bytes / 2, one) + &fill(bytes / 2, two)
}

fn script(text: String) -> String {
    format!("<script>{text}</script>")
}

/// Markup: what the tree's construction may do in the square of the page.
const MARKUP: &[(&str, Make)] = &[
    ("deep", |_, n| fill(n, "<div>")),
    ("deep and closed badly", |_, n| halves(n, "<div>", "</p>")),
    ("deep and closed by other names", |_, n| {
        halves(n, "<section>", "</article>")
    }),
    ("deep lists", |_, n| fill(n, "<ul><li>")),
    ("items that never close", |_, n| fill(n, "<li>x")),
    ("definitions", |_, n| fill(n, "<dl><dt>x<dd>y")),
    ("deep buttons", |_, n| fill(n, "<button><p>")),
    ("headings in headings", |_, n| fill(n, "<h1><h2>")),
    ("formatting alike", |_, n| fill(n, "<b>")),
    ("formatting of all names", |_, n| {
        fill(n, "<b><i><u><s><em><tt><big><font>")
    }),
    ("formatting opened again", |_, n| {
        let opened: String = (0..400).map(|i| format!("<b class=x{i}>")).collect();
        format!("<p>{opened}{}", fill(n, "<p>x"))
    }),
    ("formatting all different", |_, n| {
        count(n, |i| format!("<b x{i}>"))
    }),
    ("formatting with a long value opened again", |_, n| {
        format!("<p><b x=\"{}\">{}", fill(n / 2, "y"), fill(n / 2, "<p>x"))
    }),
    ("formatting closed out of order", |_, n| {
        halves(n, "<b><i><u>", "</b></i></u>")
    }),
    ("adoption over depth", |_, n| fill(n, "<a><div><a><b></a>")),
    ("links that never close", |_, n| {
        count(n, |i| format!("<a href=/{i}>x"))
    }),
    ("foster parenting", |_, n| {
        format!("<table>{}", fill(n, "<b>x"))
    }),
    ("foster parenting of text", |_, n| {
        format!("<table>{}", fill(n, "x<tr>"))
    }),
    ("tables in tables", |_, n| fill(n, "<table><tr><td>")),
    ("tables beside rows", |_, n| {
        fill(n, "<table><tr>x<table><tr>y")
    }),
    ("cells of formatting", |_, n| {
        fill(n, "<table><td><b><i></table>")
    }),
    ("choices", |_, n| fill(n, "<select><option><optgroup>")),
    ("templates in templates", |_, n| fill(n, "<template>")),
    ("templates closed badly", |_, n| {
        halves(n, "<template><b>", "</b></p></template>")
    }),
    ("drawings in drawings", |_, n| {
        fill(n, "<svg><foreignObject><math><mi>")
    }),
    ("drawings broken out of", |_, n| fill(n, "<svg><g><p>")),
    ("frames and bodies", |_, n| {
        fill(n, "<body a><html b><frameset>")
    }),
    ("attributes on the root", |_, n| {
        count(n, |i| format!("<html a{i} b{i} c{i}>"))
    }),
    ("attributes of one tag", |_, n| {
        format!("<p{}>", count(n, |i| format!(" a{i}")))
    }),
    ("attributes of one tag that never ends", |_, n| {
        format!("<p{}", count(n, |i| format!(" a{i}='{i}'")))
    }),
    ("attributes of an end tag", |_, n| {
        format!("</p{}>", count(n, |i| format!(" a{i}")))
    }),
    ("the same attribute", |_, n| format!("<p{}>", fill(n, " a"))),
    ("attributes of many tags", |_, n| {
        let tag = count(4_000, |i| format!(" a{i}"));
        fill(n, &format!("<i{tag}>"))
    }),
    ("comments", |_, n| fill(n, "<!-- -- --!-->")),
    ("a comment that never ends", |_, n| {
        format!("<!--{}", fill(n, "-- "))
    }),
    ("references", |_, n| fill(n, "&lt;&#60;&notit;&amp")),
    ("references to nothing", |_, n| {
        fill(n, "&CounterClockwiseContourIntegra&#xFFFFFFFFF;")
    }),
    ("NUL characters", |_, n| fill(n, "\0<\0")),
    ("end tags only", |_, n| fill(n, "</div></b></table></p>")),
    ("plain text", |_, n| {
        format!("<plaintext>{}", fill(n, "<p>"))
    }),
    ("forms", |_, n| fill(n, "<form><input><div></form>")),
    ("ruby", |_, n| fill(n, "<ruby><rb><rt><rtc><rp>")),
    ("doctypes", |_, n| {
        fill(n, "<!DOCTYPE html PUBLIC \"a\" \"b\">")
    }),
];

/// What the search for a snippet may do again and again.
const PIECES: &[(&str, Make)] = &[
    ("snippets", |b, n| fill(n, b.snippet)),
    ("snippets in comments", |b, n| {
        fill(n, &format!("<!-- {} -->", b.snippet))
    }),
    ("one comment of snippets", |b, n| {
        format!("<!-- {} -->", fill(n, b.snippet))
    }),
    ("snippets as text", |b, n| {
        fill(n, &format!("{}\n", b.snippet.replace('<', "&lt;")))
    }),
    ("markers on one line", |b, n| {
        script(fill(n, &format!("{}\"k\");", b.marker)))
    }),
    ("markers on lines of their own", |b, n| {
        script(fill(n, &format!("{}\"k\");\n", b.marker)))
    }),
    ("scripts that mention it", |b, n| {
        fill(n, &format!("<script>// {}</script>", b.host))
    }),
    ("typographic quotes", |b, n| {
        let quoted = b.snippet.replace('"', "\u{201d}");
        fill(n, &format!("{quoted}\u{2019}"))
    }),
    ("script tags cut off", |b, n| {
        fill(n, &format!("<script src=\"https://{}/", b.host))
    }),
    ("script elements", |b, n| {
        fill(n, "<script></script>") + b.snippet
    }),
    ("deep with snippets", |b, n| {
        fill(n / 2, "<div>") + &fill(n / 2, b.snippet)
    }),
    ("bases", |b, n| {
        fill(n, "<base href='http://['>") + b.snippet
    }),
    ("links", |b, n| {
        count(n, |i| format!("<a href='//x{i}.example/../{i}?#'>a</a>")) + b.snippet
    }),
    ("policies", |b, n| {
        let policy = "<meta http-equiv=content-security-policy content=\"script-src 'self' \
            https://a.example:443\">";
        fill(n, policy) + b.snippet
    }),
    ("one long policy", |b, n| {
        let sources = count(n, |i| format!(" https://x{i}.example:{i}"));
        format!(
            "<meta http-equiv=content-security-policy content=\"script-src{sources}\">{}",
            b.snippet
        )
    }),
];

/// What the scan of script text may do again and again.
const SCRIPTS: &[(&str, Make)] = &[
    ("blanks", |b, n| {
        script(b.marker.to_string() + &fill(n, " "))
    }),
    ("blank lines", |b, n| {
        script(b.marker.to_string() + &fill(n, "\n"))
    }),
    ("divisions that are no expressions", |b, n| {
        script(b.marker.to_string() + &fill(n, "=/a"))
    }),
    ("strings that never end", |b, n| {
        script(b.marker.to_string() + &fill(n, "`${\"'"))
    }),
    ("brackets", |b, n| {
        script(b.marker.to_string() + &fill(n, "([{"))
    }),
    ("timers", |b, n| {
        script(format!("{}{}", b.marker, fill(n, "setTimeout(f,(1,")))
    }),
    ("comments in code", |b, n| {
        script(b.marker.to_string() + &fill(n, "/**//*/*/"))
    }),
    ("tags in code", |b, n| {
        script(b.marker.to_string() + &fill(n, "<script "))
    }),
];

/// All of them: name and text, each at least so many bytes.
pub fn all(bait: &Bait, bytes: usize) -> impl Iterator<Item = (&'static str, String)> {
    let makes = MARKUP.iter().chain(PIECES).chain(SCRIPTS);
    // The first look passes over a page without a word of the supplier's.
    makes.map(move |(name, make)| {
        (
            *name,
            format!("<!-- {} -->{}", bait.marker, make(bait, bytes)),
        )
    })
}
