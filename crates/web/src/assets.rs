//! Styles, scripts and the typeface, inside the program; nothing is fetched from elsewhere. Each is
//! addressed by a name with its fingerprint, so that browsers keep it for good and a new version
//! has another address.

use axum::extract::Path;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use std::collections::HashMap;
use std::io::Write;
use std::sync::{LazyLock, OnceLock};

#[derive(rust_embed::RustEmbed)]
#[folder = "assets"]
#[exclude = "LICENSE*"]
struct Files;

struct Asset {
    bytes: Vec<u8>,
    kind: &'static str,
    tag: String,
    /// Compressed content, made by [`prepare`].
    brotli: OnceLock<Vec<u8>>,
    /// Made when first asked for.
    gzip: OnceLock<Vec<u8>>,
}

/// Assets by the name with its fingerprint.
static ASSETS: LazyLock<HashMap<String, Asset>> = LazyLock::new(|| {
    let all = Files::iter().filter_map(|name| {
        let file = Files::get(&name)?;
        let hash = file.metadata.sha256_hash();
        let tag: String = hash.iter().take(6).map(|b| format!("{b:02x}")).collect();
        let asset = Asset {
            kind: kind_of(&name),
            bytes: file.data.into_owned(),
            tag: tag.clone(),
            brotli: OnceLock::new(),
            gzip: OnceLock::new(),
        };
        Some((with_tag(&name, &tag), asset))
    });
    all.collect()
});

/// Addresses by the plain names.
static PATHS: LazyLock<HashMap<String, String>> = LazyLock::new(|| {
    let plain = |full: &String, a: &Asset| full.replacen(&format!(".{}", a.tag), "", 1);
    let all = ASSETS
        .iter()
        .map(|(full, a)| (plain(full, a), format!("/assets/{full}")));
    all.collect()
});

fn with_tag(name: &str, tag: &str) -> String {
    match name.rsplit_once('.') {
        Some((stem, extension)) => format!("{stem}.{tag}.{extension}"),
        None => format!("{name}.{tag}"),
    }
}

fn kind_of(name: &str) -> &'static str {
    match name.rsplit('.').next() {
        Some("css") => "text/css; charset=utf-8",
        Some("js") => "text/javascript; charset=utf-8",
        Some("svg") => "image/svg+xml",
        Some("woff2") => "font/woff2",
        _ => "application/octet-stream",
    }
}

/// The address of an asset, for templates.
pub fn path(name: &str) -> &'static str {
    PATHS.get(name).map_or("/assets/unknown", String::as_str)
}

/// The best; what it takes is paid once ([`prepare`]).
const QUALITY: u32 = 11;

/// Compresses everything, so that the first visitor does not wait for it.
pub fn prepare() {
    for asset in ASSETS.values().filter(|a| a.is_text()) {
        asset.brotli();
    }
}

impl Asset {
    fn is_text(&self) -> bool {
        !self.kind.starts_with("font")
    }

    fn brotli(&self) -> &[u8] {
        self.brotli.get_or_init(|| {
            let mut out = Vec::new();
            let mut writer = brotli::CompressorWriter::new(&mut out, 4096, QUALITY, 22);
            // Writing to memory does not fail.
            let _ = writer.write_all(&self.bytes);
            drop(writer);
            out
        })
    }

    fn gzip(&self) -> &[u8] {
        self.gzip.get_or_init(|| {
            let level = flate2::Compression::best();
            let mut writer = flate2::write::GzEncoder::new(Vec::new(), level);
            let _ = writer.write_all(&self.bytes);
            writer.finish().unwrap_or_default()
        })
    }
}

/// Answers for an asset. The typeface's address in the style sheet has no fingerprint.
pub async fn asset(Path(name): Path<String>, headers: HeaderMap) -> Response {
    let plain = || {
        PATHS
            .get(&name)
            .and_then(|p| ASSETS.get(p.trim_start_matches("/assets/")))
    };
    let Some(asset) = ASSETS.get(&name).or_else(plain) else {
        return StatusCode::NOT_FOUND.into_response();
    };
    let fingerprinted = ASSETS.contains_key(&name);
    let cache = match fingerprinted {
        true => "public, max-age=31536000, immutable",
        false => "public, max-age=86400",
    };
    let etag = format!("\"{}\"", asset.tag);
    let common = [
        (header::CONTENT_TYPE, asset.kind),
        (header::CACHE_CONTROL, cache),
        (header::ETAG, &etag),
        (header::VARY, "accept-encoding"),
    ];
    let said = |name| {
        headers
            .get(name)
            .and_then(|v| v.to_str().ok())
            .unwrap_or_default()
    };
    if said(header::IF_NONE_MATCH).contains(&etag) {
        return (StatusCode::NOT_MODIFIED, common).into_response();
    }
    let accepts = said(header::ACCEPT_ENCODING);
    let text = asset.is_text();
    // Until it is made (`prepare`), gzip does.
    let brotli = asset.brotli.get().filter(|_| accepts.contains("br"));
    if let Some(brotli) = brotli {
        let encoding = [(header::CONTENT_ENCODING, "br")];
        (common, encoding, brotli.clone()).into_response()
    } else if text && accepts.contains("gzip") {
        let encoding = [(header::CONTENT_ENCODING, "gzip")];
        (common, encoding, asset.gzip().to_vec()).into_response()
    } else {
        (common, asset.bytes.clone()).into_response()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_asset_has_an_address_of_its_own_and_comes_back_whole() {
        let path = path("newtfern.css");
        assert!(path.starts_with("/assets/newtfern.") && path.len() > "/assets/newtfern.css".len());
        let asset = &ASSETS[path.trim_start_matches("/assets/")];
        let mut plain = Vec::new();
        std::io::copy(&mut flate2::read::GzDecoder::new(asset.gzip()), &mut plain).unwrap();
        assert_eq!(plain, asset.bytes);
        let mut plain = Vec::new();
        std::io::copy(
            &mut brotli::Decompressor::new(asset.brotli(), 4096),
            &mut plain,
        )
        .unwrap();
        assert_eq!(plain, asset.bytes);
        assert_eq!(super::path("no such file"), "/assets/unknown");
    }

    /// Only what is used of Bulma is shipped (`vendor/bulma.sh`).
    #[test]
    fn every_class_of_bulma_that_is_used_is_shipped() {
        let css = Files::get("bulma.min.css").unwrap().data;
        let css = String::from_utf8(css.into_owned()).unwrap();
        let shipped = |class: &str| {
            css.match_indices(&format!(".{class}")).any(|(at, found)| {
                let next = css[at + found.len()..].chars().next();
                next.is_none_or(|c| !c.is_alphanumeric() && c != '-' && c != '_')
            })
        };
        let word = |c: char| !c.is_alphanumeric() && c != '-' && c != '_';
        let mut missing = std::collections::BTreeSet::new();
        let known: std::collections::HashSet<&str> =
            include_str!("../tests/bulma-classes.txt").lines().collect();
        let mut folders: Vec<std::path::PathBuf> =
            vec![concat!(env!("CARGO_MANIFEST_DIR"), "/templates").into()];
        let mut pages: Vec<std::path::PathBuf> = Vec::new();
        while let Some(folder) = folders.pop() {
            for entry in std::fs::read_dir(folder).unwrap() {
                let path = entry.unwrap().path();
                match path.is_dir() {
                    true => folders.push(path),
                    false => pages.push(path),
                }
            }
        }
        assert!(pages.len() > 40, "{pages:?}");
        let mut seen = 0;
        for path in pages {
            let text = std::fs::read_to_string(path).unwrap();
            // Classes stand in class attributes, outside of the template's blocks: the same words
            // as prose or as part of an address need no style.
            let plain: String = text
                .split("{%")
                .map(|part| part.split_once("%}").map_or(part, |(_, after)| after))
                .collect();
            for classes in plain.split("class=\"").skip(1) {
                let classes = classes.split('"').next().unwrap_or_default();
                let used = classes.split(word).filter(|w| known.contains(w));
                missing.extend(used.filter(|w| !shipped(w)).map(str::to_string));
                seen += 1;
            }
        }
        assert!(seen > 300, "only {seen} class attributes were found");
        assert!(missing.is_empty(), "run vendor/bulma.sh for {missing:?}");
    }
}
