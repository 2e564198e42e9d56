//! Undoes what pasting does to code.

use super::derived::DeriveError;
use super::scripts::{absolute, scripts_of};
use crate::derive::derived::Repair;
use crate::placement::plain_quotes;
use newtfern_standards::html::{Document, Kind};
use newtfern_standards::script_scan::{is_typographic_quote, scan};

/// The code as its supplier wrote it, as far as that can be told.
pub(super) fn mend(pasted: &str) -> Result<(String, Vec<Repair>), DeriveError> {
    let mut mended = Vec::new();
    let mut text = characters(pasted, &mut mended);
    if !has_script(&text) && text.to_ascii_lowercase().contains("lt;script") {
        // Escaped once for each editor it went through.
        for _ in 0..3 {
            if has_script(&text) {
                break;
            }
            text = Document::parse(&format!("<body>{text}")).text(0);
        }
        text = characters(&text, &mut mended);
        mended.push(Repair::Escaped);
    }
    text = joined(&text, &mut mended);
    if let Some(within) = in_comment(&text) {
        text = within;
        mended.push(Repair::Comment);
    }
    let text = match has_script(&text) {
        true => pieces(&text, &mut mended)?,
        false => without_tags(&text, &mut mended)?,
    };
    Ok((text, mended))
}

fn has_script(text: &str) -> bool {
    text.to_ascii_lowercase().contains("<script")
}

fn characters(text: &str, mended: &mut Vec<Repair>) -> String {
    let blank = |c: char| matches!(c, '\u{a0}' | '\u{202f}' | '\u{2007}');
    let nothing = |c: char| matches!(c, '\u{200b}' | '\u{feff}' | '\u{2060}' | '\0');
    let mut out = text.replace("\r\n", "\n");
    if out.contains(blank) || out.contains(nothing) {
        out = out.replace(blank, " ").replace(nothing, "");
        mended.push(Repair::Blanks);
    }
    // In the words of a snippet a typographic quote may be meant; where code stands it cannot be.
    if out.contains(is_typographic_quote) && quotes_are_code(&out) {
        out = plain_quotes(&out);
        mended.push(Repair::Quotes);
    }
    out
}

/// Bytes of a quoted text that a mail program may have broken.
const MOST_QUOTED: usize = 400;

/// Takes line ends out of keys and addresses: a mail program breaks long lines, and one that
/// answers puts its mark before each. A quoted text that has blanks of its own is left alone.
fn joined(text: &str, mended: &mut Vec<Repair>) -> String {
    // A mail's transport writes each = as =3D, and = at the end of a line that it broke (RFC 2045,
    // section 6.7).
    let encoded = text.contains("=3D");
    let text = match encoded {
        true => text.replace("=\n", "").replace("=3D", "="),
        false => text.to_string(),
    };
    let mut out = String::with_capacity(text.len());
    let (mut rest, mut broken) = (text.as_str(), encoded);
    while let Some(at) = rest.find(['"', '\'']) {
        let (quote, inside) = (&rest[at..=at], &rest[at + 1..]);
        let end = inside.find(quote).filter(|end| *end <= MOST_QUOTED);
        let whole = end.and_then(|end| without_line_ends(&inside[..end]).map(|w| (end, w)));
        let Some((end, whole)) = whole else {
            out.push_str(&rest[..=at]);
            rest = inside;
            continue;
        };
        broken |= whole.len() < end;
        out.push_str(&rest[..=at]);
        out.push_str(&whole);
        out.push_str(quote);
        rest = &inside[end + 1..];
    }
    out.push_str(rest);
    if broken {
        mended.push(Repair::LineEnds);
    }
    out
}

/// Returns a quoted text in one line; nothing where it breaks between words or across code.
fn without_line_ends(quoted: &str) -> Option<String> {
    if !quoted.contains('\n') {
        return Some(quoted.to_string());
    }
    let lines = quoted
        .split('\n')
        .map(|l| l.trim_start_matches([' ', '\t', '>']).trim_end());
    let whole: String = lines.collect();
    let code = |c: char| c.is_whitespace() || matches!(c, '<' | '>' | ';' | '(' | ')' | '=');
    let is_address = whole.contains("://");
    (!whole.contains(|c| code(c) && !(is_address && c == '='))).then_some(whole)
}

/// A typographic quote stands after `=`, `(`, `,` or `:`, or there is no plain one at all.
fn quotes_are_code(text: &str) -> bool {
    if !text.contains(['"', '\'']) {
        return true;
    }
    let mut before = ' ';
    for c in text.chars() {
        if is_typographic_quote(c) && matches!(before, '=' | '(' | ',' | ':' | '[') {
            return true;
        }
        if !c.is_whitespace() {
            before = c;
        }
    }
    false
}

/// All code stands in a comment.
fn in_comment(text: &str) -> Option<String> {
    let document = Document::parse(text);
    if document
        .walk()
        .into_iter()
        .any(|id| document.name(id) == Some("script"))
    {
        return None;
    }
    document
        .walk()
        .into_iter()
        .find_map(|id| match &document.nodes[id].kind {
            Kind::Comment(inner) if has_script(inner) => Some(inner.clone()),
            _ => None,
        })
}

/// The elements that make up a snippet, without what stands around them.
fn pieces(text: &str, mended: &mut Vec<Repair>) -> Result<String, DeriveError> {
    let text = unwrapped(text, mended);
    let text = ended(&text, mended);
    let document = Document::parse(&text);
    let mut spans = Vec::new();
    let lower = text.to_ascii_lowercase();
    let mut at = 0;
    while let Some(start) = lower[at..].find("<script").map(|i| at + i) {
        let Some(end) = lower[start..].find("</script").map(|i| start + i) else {
            break;
        };
        let close = text[end..].find('>').map_or(text.len(), |i| end + i + 1);
        spans.push((start, close));
        at = close;
    }
    if spans.is_empty() {
        return Err(DeriveError::NoCode);
    }
    spans.extend(custom_elements(&lower, &spans));
    spans.sort_unstable();
    let (Some((first, _)), Some((_, last))) = (spans.first(), spans.last()) else {
        return Err(DeriveError::NoCode);
    };
    if document
        .walk()
        .into_iter()
        .any(|id| document.name(id) == Some("script") && document.nodes[id].around.head)
        && lower.contains("<head")
    {
        mended.push(Repair::Head);
    }
    let around = format!("{}{}", &text[..*first], &text[*last..]);
    if !around.trim().is_empty() {
        mended.push(Repair::Around);
    }
    // A whole page was pasted: what the snippets of others say is told apart by nobody here, so
    // only the code is taken, one element after the other.
    let parts: Vec<&str> = spans.iter().map(|(a, b)| &text[*a..*b]).collect();
    let between = spans
        .windows(2)
        .all(|w| text[w[0].1..w[1].0].trim().is_empty());
    Ok(match between {
        true => text[*first..*last].to_string(),
        false => {
            mended.push(Repair::Around);
            mended.dedup();
            parts.join("\n")
        }
    })
}

/// Elements of the supplier's own beside the scripts, in text in lower case: a name with a hyphen.
fn custom_elements(lower: &str, scripts: &[(usize, usize)]) -> Vec<(usize, usize)> {
    let mut out: Vec<(usize, usize)> = Vec::new();
    for (start, _) in lower.match_indices('<') {
        let within =
            |spans: &[(usize, usize)]| spans.iter().any(|(a, b)| (*a..*b).contains(&start));
        if within(scripts) || within(&out) {
            continue;
        }
        let part = |c: char| c.is_ascii_alphanumeric() || c == '-';
        let name = lower[start + 1..]
            .split(|c| !part(c))
            .next()
            .unwrap_or_default();
        let is_custom = name.starts_with(|c: char| c.is_ascii_lowercase()) && name.contains('-');
        let tag_end = lower[start..].find('>').map(|i| start + i + 1);
        let (true, Some(tag_end)) = (is_custom, tag_end) else {
            continue;
        };
        let end_tag = format!("</{name}>");
        let end = lower[tag_end..]
            .find(&end_tag)
            .map(|i| tag_end + i + end_tag.len());
        let end = end.unwrap_or(tag_end);
        // One around scripts is part of the page that was pasted, not of the snippet.
        if scripts.iter().all(|(a, b)| end <= *a || *b <= start) {
            out.push((start, end));
        }
    }
    out
}

/// `<script><script src=...></script></script>`: a code box that wraps was given what is wrapped
/// already.
fn unwrapped(text: &str, mended: &mut Vec<Repair>) -> String {
    let scripts = scripts_of(text);
    let wrapped = scripts
        .iter()
        .find(|s| s.src.is_none() && scan(&s.text).markup);
    let Some(inner) = wrapped.map(|s| s.text.trim().to_string()) else {
        return text.to_string();
    };
    mended.push(Repair::DoubleWrapped);
    let closed = inner.to_ascii_lowercase().contains("</script");
    if closed {
        inner
    } else {
        format!("{inner}</script>")
    }
}

/// The last script with its end tag. One that breaks off within its code stays as it is and is
/// refused when it is proven.
fn ended(text: &str, mended: &mut Vec<Repair>) -> String {
    let lower = text.to_ascii_lowercase();
    let last = lower.rfind("<script").unwrap_or(0);
    if lower[last..].contains("</script") {
        return text.to_string();
    }
    mended.push(Repair::NoEnd);
    let tag_ends = text[last..].contains('>');
    format!(
        "{}{}</script>",
        text.trim_end(),
        if tag_ends { "" } else { ">" }
    )
}

/// Script text, or an address, without a tag.
fn without_tags(text: &str, mended: &mut Vec<Repair>) -> Result<String, DeriveError> {
    let text = text.trim();
    if let Some(url) = absolute(text).filter(|_| !text.contains(char::is_whitespace)) {
        mended.push(Repair::AddressOnly);
        return Ok(format!("<script async src=\"{url}\"></script>"));
    }
    let code = text.contains(['(', '=']) && text.contains(['"', '\'']);
    if !code || text.contains('<') && !text.contains("createElement") {
        return Err(DeriveError::NoCode);
    }
    mended.push(Repair::NoTags);
    Ok(format!("<script>\n{text}\n</script>"))
}
