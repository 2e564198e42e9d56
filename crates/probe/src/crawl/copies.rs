//! Copies of pages and files as they came by HTTP.

use crate::http::{Http, HttpAnswer, MOST_BYTES};
use flate2::read::MultiGzDecoder;
use newtfern_model::pages::sitemap::MOST_SITEMAP;
use newtfern_model::pages::{FoundBy, PageCopy};
use newtfern_standards::observation::DeliveredPage;
use std::io::Read;
use url::Url;

/// The same host, with or without `www.`, whatever the scheme.
pub(super) fn same_site(given: &Url, landed: &Url) -> bool {
    let bare = |u: &Url| {
        let host = u.host_str().unwrap_or_default();
        host.strip_prefix("www.").unwrap_or(host).to_string()
    };
    bare(given) == bare(landed)
}

/// A page as it came.
pub(super) fn read(url: &Url, found: FoundBy, got: HttpAnswer, bytes: &[u8]) -> PageCopy {
    let mime = got.header("content-type").unwrap_or_default();
    let mime = mime
        .split(';')
        .next()
        .unwrap_or_default()
        .trim()
        .to_string();
    let html = match mime.is_empty() || mime.to_ascii_lowercase().contains("html") {
        true => crate::decoding::text_of(bytes, got.header("content-type")),
        false => String::new(),
    };
    PageCopy {
        url: url.clone(),
        found,
        page: DeliveredPage {
            html_cut: bytes.len() >= MOST_BYTES,
            final_url: got.final_url,
            redirects: got.redirects,
            status: got.status,
            headers: got.headers,
            failure: got.failure,
            mime,
            html,
            ..DeliveredPage::default()
        },
    }
}

/// Fetches one page that a person gave, by HTTP.
pub async fn copy_of(http: &Http, url: &Url) -> PageCopy {
    let (got, bytes) = http.get_bytes(url, MOST_BYTES).await;
    read(url, FoundBy::Given, got, &bytes)
}

/// The folder that an address stands in.
pub(super) fn folder(url: &Url) -> &str {
    let path = url.path().trim_end_matches('/');
    path.rsplit_once('/').map_or("", |(folder, _)| folder)
}

/// The text of a file that may be packed (by its first bytes, RFC 1952), and whether that is all of
/// it.
pub(super) fn unpacked(bytes: &[u8]) -> std::io::Result<(String, bool)> {
    let mut out = Vec::new();
    let all: &[u8] = match bytes {
        [0x1f, 0x8b, ..] => {
            let most = MOST_SITEMAP as u64 + 1;
            MultiGzDecoder::new(bytes)
                .take(most)
                .read_to_end(&mut out)?;
            &out
        }
        plain => plain,
    };
    let cut = all.len() > MOST_SITEMAP || bytes.len() >= MOST_SITEMAP;
    let kept = &all[..all.len().min(MOST_SITEMAP)];
    Ok((
        crate::decoding::text_of(kept, Some("application/xml; charset=utf-8")),
        cut,
    ))
}

#[cfg(test)]
mod tests {
    use super::*;
    use flate2::Compression;
    use flate2::write::GzEncoder;
    use newtfern_model::pages::sitemap;
    use std::io::Write;

    /// A file of some kilobytes that unpacks to more than any sitemap may have is read to the
    /// bound.
    #[test]
    fn a_packed_file_is_unpacked_to_the_bound_and_says_so() {
        let mut packed = GzEncoder::new(Vec::new(), Compression::fast());
        packed
            .write_all(b"<urlset><url><loc>https://kites.example/a</loc></url>")
            .unwrap();
        packed.write_all(&vec![b' '; MOST_SITEMAP + 1_000]).unwrap();
        let bomb = packed.finish().unwrap();
        assert!(bomb.len() < 1_000_000);
        let (text, cut) = unpacked(&bomb).unwrap();
        assert!(cut && text.len() == MOST_SITEMAP);
        let map = sitemap::read(&text, &Url::parse("https://kites.example/").unwrap()).unwrap();
        assert_eq!((map.pages.len(), map.cut), (1, true));
        // Plain, broken and half of one.
        assert_eq!(
            unpacked(b"<urlset/>").unwrap(),
            ("<urlset/>".to_string(), false)
        );
        assert!(unpacked(&bomb[..40]).is_err() && unpacked(&[0x1f, 0x8b, 7]).is_err());
    }
}
