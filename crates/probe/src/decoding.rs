//! Text from bytes, as browsers read them: a byte order mark, the header's charset, the document's
//! own declaration in its first 1,024 bytes (HTML standard, "prescan a byte stream"), and else a
//! guess.

use encoding_rs::{Encoding, UTF_8};

/// Decodes a document. `content_type` is the header's value, where there is one.
pub fn text_of(bytes: &[u8], content_type: Option<&str>) -> String {
    if let Some((encoding, length)) = Encoding::for_bom(bytes) {
        return encoding.decode(&bytes[length..]).0.into_owned();
    }
    let named = content_type
        .and_then(|t| charset_in(t.as_bytes()))
        .or_else(|| charset_in(&bytes[..bytes.len().min(1024)]));
    let encoding = named.unwrap_or_else(|| guess(bytes));
    encoding.decode_without_bom_handling(bytes).0.into_owned()
}

fn guess(bytes: &[u8]) -> &'static Encoding {
    if std::str::from_utf8(bytes).is_ok() {
        return UTF_8;
    }
    let mut detector = chardetng::EncodingDetector::new(chardetng::Iso2022JpDetection::Deny);
    detector.feed(bytes, true);
    detector.guess(None, chardetng::Utf8Detection::Allow)
}

/// `charset=NAME` in a header or in the document's beginning. UTF-16 cannot be declared inside a
/// document that is read byte by byte; then it is UTF-8 (HTML standard).
fn charset_in(bytes: &[u8]) -> Option<&'static Encoding> {
    let text: String = bytes
        .iter()
        .map(|b| char::from(b.to_ascii_lowercase()))
        .collect();
    let mut rest = text.as_str();
    while let Some(at) = rest.find("charset") {
        rest = rest[at + 7..].trim_start();
        let Some(value) = rest.strip_prefix('=') else {
            continue;
        };
        let value = value.trim_start().trim_start_matches(['"', '\'']);
        let end = value
            .find(|c: char| !(c.is_ascii_alphanumeric() || "-_:.".contains(c)))
            .unwrap_or(value.len());
        let found = Encoding::for_label(&value.as_bytes()[..end])?;
        return Some(match found.is_ascii_compatible() {
            true => found,
            false => UTF_8,
        });
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn legacy_encodings_are_read_as_declared() {
        // "Café" in windows-1252 and "Привет" in windows-1251, by header and by the document
        // itself.
        let cafe = b"<p>Caf\xe9</p>";
        assert_eq!(
            text_of(cafe, Some("text/html; charset=ISO-8859-1")),
            "<p>Café</p>"
        );
        let hello = b"<meta charset='windows-1251'><p>\xcf\xf0\xe8\xe2\xe5\xf2</p>";
        assert!(text_of(hello, Some("text/html")).contains("Привет"));
        let old =
            b"<meta http-equiv=content-type content=\"text/html; charset=koi8-r\">\xf0\xd2\xc9";
        assert!(text_of(old, None).contains("При"));
    }

    #[test]
    fn marks_of_byte_order_go_before_everything() {
        assert_eq!(
            text_of(b"\xef\xbb\xbf\xc3\xa9", Some("text/html; charset=latin1")),
            "é"
        );
        assert_eq!(text_of(b"\xff\xfeh\0i\0", None), "hi");
    }

    #[test]
    fn without_a_word_utf8_is_tried_and_then_a_guess() {
        assert_eq!(
            text_of("Wendle \u{2013} mill".as_bytes(), None),
            "Wendle \u{2013} mill"
        );
        assert!(text_of(b"Fenwick & S\xe4llow, caf\xe9 and cr\xeape", None).contains("café"));
        assert_eq!(text_of(b"charset", None), "charset");
    }
}
