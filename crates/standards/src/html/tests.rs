//! Documents with their lines, and the bounds of reading.

use super::*;

fn scripts(doc: &Document) -> Vec<NodeId> {
    doc.walk()
        .into_iter()
        .filter(|id| doc.name(*id) == Some("script"))
        .collect()
}

#[test]
fn lines_are_those_of_the_source() {
    let doc =
        Document::parse("<!doctype html>\n<html>\n<body>\n<p>x</p>\n<script src=a.js></script>\n");
    assert_eq!(doc.nodes[scripts(&doc)[0]].line, 5);
}

#[test]
fn a_script_cut_off_by_the_end_of_the_file_is_marked() {
    let doc = Document::parse("<body><script src=a.js>\n<p>");
    let Kind::Element { never_closed, .. } = doc.nodes[scripts(&doc)[0]].kind else {
        panic!()
    };
    assert!(never_closed);
}

#[test]
fn a_tag_cut_off_by_the_end_of_the_file_leaves_no_node() {
    let doc = Document::parse("<body><p>hello</p><script async src=\"https://a.test/l");
    assert!(scripts(&doc).is_empty());
    assert!(doc.ends_inside_tag);
}

#[test]
fn noscript_content_is_text_when_scripting_is_on() {
    let doc = Document::parse("<body><noscript><script src=a.js></script></noscript>");
    assert!(scripts(&doc).is_empty());
}

#[test]
fn template_content_is_reached_and_named() {
    let doc = Document::parse("<body><template><div><script src=a.js></script></div></template>");
    assert!(doc.nodes[scripts(&doc)[0]].around.template);
}

#[test]
fn deep_nesting_does_not_overflow() {
    let doc = Document::parse(&"<b>".repeat(20_000));
    assert!(doc.walk().len() > 20_000);
    assert_eq!(doc.text(0), "");
}

#[test]
fn a_document_beyond_bounds_says_so() {
    // 400 formatting elements that are opened again in each paragraph.
    let opened: String = (0..400).map(|i| format!("<b class=x{i}>")).collect();
    let hostile = format!("<body><p>{opened}{}", "<p>x".repeat(4_000));
    let doc = Document::parse(&hostile);
    assert!(
        doc.cut && doc.nodes.len() < 2 * MOST_NODES,
        "{}",
        doc.nodes.len()
    );
    assert!(Document::parse(&"<p>x".repeat(MOST_BYTES / 3)).cut);
    assert!(!Document::parse("<p>x").cut);
}

#[test]
fn chunks_of_the_parser_do_not_show() {
    // Characters of several bytes and tags across the borders of the pieces that are fed.
    let text = "\u{20ac}<p title=\"\u{20ac}\">x</p>\n".repeat(200);
    let doc = Document::parse(&text);
    let titles = doc
        .walk()
        .into_iter()
        .filter(|id| doc.attribute(*id, "title") == Some("\u{20ac}"));
    assert_eq!(titles.count(), 200);
    assert_eq!(doc.nodes.iter().map(|n| n.line).max(), Some(201));
}

/// Each of these would take minutes or gigabytes if it were read to its end.
#[test]
fn work_that_grows_with_the_square_is_left() {
    let attributes = |n: usize| (0..n).map(|i| format!(" a{i}")).collect::<String>();
    let cut = [
        // Tags that look through all that is open.
        format!("{}{}", "<div>".repeat(10_000), "</p>".repeat(2_000)),
        // Comparisons of each attribute with those before it, in one tag and in many.
        format!("<p{}", attributes(20_000)),
        format!("<p>x{}", format!("<i{}>", attributes(900)).repeat(300)),
        // Formatting elements that are each compared with all the others.
        (0..10_000).map(|i| format!("<b x{i}>")).collect(),
        // Attributes that pile up on one element, and that are copied.
        (0..2_000)
            .map(|i| format!("<html {}>", attributes(9).replace(" a", &format!(" b{i}x"))))
            .collect(),
        format!(
            "<p><b x=\"{}\">{}",
            "y".repeat(200_000),
            "<p>x".repeat(1_000)
        ),
    ];
    for text in cut {
        let head: String = text.chars().take(40).collect();
        assert!(Document::parse(&text).cut, "{head}");
    }
}

/// Long and untidy pages that people do make.
#[test]
fn what_is_only_untidy_is_read_whole() {
    let json = "{\"a\": 1, \"b c\": [2, 3]} ".repeat(20_000);
    let whole = [
        format!("<div data-state='{json}'>x</div>"),
        format!(
            "<img src=\"data:image/png;base64,{}\">",
            "QUJD".repeat(200_000)
        ),
        "<font color=red>x<br>".repeat(20_000),
        (0..10_000).map(|i| format!("<a href=/{i}>x")).collect(),
        format!(
            "<script>{}</script>",
            "if (a<b && c < d) { e = \"<f g h\"; }\n".repeat(20_000)
        ),
        format!("<!-- {} -->", "<p a b c d ".repeat(20_000)),
    ];
    for text in whole {
        let head: String = text.chars().take(40).collect();
        assert!(!Document::parse(&text).cut, "{head}");
    }
}

#[test]
fn a_long_base_costs_no_more_than_a_short_one() {
    let page = url::Url::parse("https://kites.example/a/b").unwrap();
    let link = "<a href=c>c</a>";
    let long = format!(
        "<base href=\"/{}\">{}",
        "A".repeat(60_000),
        link.repeat(10_000)
    );
    let document = Document::parse(&long);
    assert_eq!(document.base(&page), page, "a base that long is none");
    let found: Vec<String> = document
        .links(&page)
        .iter()
        .map(url::Url::to_string)
        .collect();
    assert_eq!(found, ["https://kites.example/a/c"]);
    // Just short enough, with links that make it too long.
    let base = format!("/{}/", "A".repeat(MOST_ADDRESS - 40));
    let links = format!(
        "<base href=\"{base}\"><a href=c>c</a><a href={}>d</a>",
        "d".repeat(60)
    );
    assert_eq!(Document::parse(&links).links(&page).len(), 1);
    // More links than are kept.
    let many: String = (0..MOST_LINKS + 500)
        .map(|i| format!("<a href={i}>"))
        .collect();
    let kept = Document::parse(&many).links(&page);
    assert!(
        kept.len() <= MOST_LINKS && kept.len() > 1_000,
        "{}",
        kept.len()
    );
}
