//! Archives of expectation files as people send them: what one says of itself is not believed.

use newtfern_model::intake;
use std::io::Read;

/// Files of an archive that are unpacked.
const MOST_FILES: usize = intake::MOST_ROWS;
/// Bytes of one expectation file.
const MOST_FILE: u64 = 200_000;

/// A file as text; why it is none, in words.
///
/// # Errors
/// Where it is no UTF-8.
pub fn text(name: &str, bytes: Vec<u8>) -> Result<(String, String), String> {
    match String::from_utf8(bytes) {
        Ok(text) => Ok((name.to_string(), text)),
        Err(_) => Err(format!(
            "Nothing was imported: {name} is not a UTF-8 text file."
        )),
    }
}

/// Entries of an archive, folders and files that are passed over among them.
const MOST_ENTRIES: usize = 10 * MOST_FILES;
/// Bytes of all its expectation files together.
const MOST_UNPACKED: usize = 20_000_000;

/// The expectation files of an archive (tar, POSIX.1-2001): plain files only. A sparse one says how
/// large it is without being so.
///
/// # Errors
/// In words, where it cannot be unpacked or goes beyond the bounds.
pub fn unpacked(name: &str, bytes: &[u8]) -> Result<Vec<(String, String)>, String> {
    let bad = |why: String| format!("Nothing was imported: {name} cannot be unpacked: {why}.");
    let mut archive = tar::Archive::new(bytes);
    let mut out = Vec::new();
    let mut total = 0;
    for (n, entry) in archive
        .entries()
        .map_err(|e| bad(e.to_string()))?
        .enumerate()
    {
        if n >= MOST_ENTRIES {
            return Err(bad(format!("it has more than {MOST_ENTRIES} entries")));
        }
        let entry = entry.map_err(|e| bad(e.to_string()))?;
        let path = entry.path().map_err(|e| bad(e.to_string()))?;
        let path = path.to_string_lossy().into_owned();
        if !path.ends_with(".toml") {
            continue;
        }
        if entry.header().entry_type() != tar::EntryType::Regular {
            return Err(bad(format!("{path} is not a plain file")));
        }
        if out.len() >= MOST_FILES {
            return Err(bad(format!("it has more than {MOST_FILES} files")));
        }
        let mut bytes = Vec::new();
        let read = entry.take(MOST_FILE + 1).read_to_end(&mut bytes);
        read.map_err(|e| bad(e.to_string()))?;
        if bytes.len() as u64 > MOST_FILE {
            return Err(bad(format!("{path} is larger than {MOST_FILE} bytes")));
        }
        total += bytes.len();
        if total > MOST_UNPACKED {
            return Err(bad(format!(
                "its files have more than {MOST_UNPACKED} bytes in total"
            )));
        }
        out.push(text(&path, bytes)?);
    }
    match out.is_empty() {
        true => Err(bad("it has no .toml file".into())),
        false => Ok(out),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn header(name: &str, kind: tar::EntryType, size: u64) -> tar::Header {
        let mut header = tar::Header::new_gnu();
        header.set_path(name).unwrap();
        header.set_entry_type(kind);
        header.set_size(size);
        header.set_mode(0o644);
        header.set_cksum();
        header
    }

    #[test]
    fn files_that_say_more_than_they_are_are_refused() {
        // A sparse file (GNU tar): 190 kB for each 512 bytes of the archive.
        let mut sparse = tar::Builder::new(Vec::new());
        for n in 0..1_000 {
            let mut header = header(&format!("{n}.toml"), tar::EntryType::GNUSparse, 0);
            let gnu = header.as_gnu_mut().unwrap();
            gnu.set_real_size(190_000);
            gnu.sparse[0].set_offset(190_000);
            gnu.sparse[0].set_length(0);
            header.set_cksum();
            sparse.append(&header, std::io::empty()).unwrap();
        }
        let told = unpacked("a.tar", &sparse.into_inner().unwrap()).unwrap_err();
        assert!(told.contains("0.toml is not a plain file"), "{told}");
        // Plain ones are counted together.
        let mut many = tar::Builder::new(Vec::new());
        let body = vec![b'#'; 190_000];
        for n in 0..110 {
            let header = header(&format!("{n}.toml"), tar::EntryType::Regular, 190_000);
            many.append(&header, body.as_slice()).unwrap();
        }
        let told = unpacked("b.tar", &many.into_inner().unwrap()).unwrap_err();
        assert!(told.contains("20000000 bytes in total"), "{told}");
        let mut one = tar::Builder::new(Vec::new());
        let header = header("a.toml", tar::EntryType::Regular, 3);
        one.append(&header, b"a=1".as_slice()).unwrap();
        let read = unpacked("c.tar", &one.into_inner().unwrap()).unwrap();
        assert_eq!(read, [("a.toml".to_string(), "a=1".to_string())]);
    }
}
