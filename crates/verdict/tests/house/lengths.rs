//! Lines fit a screen, and a long function says why it is long.

use super::sources::{everything, names, of, rooms};
use std::path::{Path, PathBuf};

const LINE: usize = 100;
const TEMPLATE_LINE: usize = 140;
const FUNCTION: usize = 60;

fn shown(path: &Path) -> String {
    let within = path.strip_prefix(rooms()).unwrap_or(path);
    within.display().to_string()
}

/// Returns the lines of a text that are too long, by their numbers.
fn too_long(text: &str, most: usize) -> Vec<usize> {
    let lines = text.lines().enumerate();
    let long = lines.filter(|(_, l)| l.chars().count() > most);
    long.map(|(i, _)| i + 1).collect()
}

/// Returns the functions of a source that are too long and give no reason: name and lines. The
/// source is formatted, so a function ends at the brace below its first word.
fn long_functions(text: &str) -> Vec<(String, usize)> {
    let lines: Vec<&str> = text.lines().collect();
    let mut found = Vec::new();
    for (i, line) in lines.iter().enumerate() {
        let inner = line.trim_start();
        let indent = &line[..line.len() - inner.len()];
        if indent.is_empty() && inner.starts_with("#[cfg(test)]") {
            break;
        }
        let mut words = inner.split(' ').skip_while(|w| {
            w.starts_with("pub") || ["async", "const", "super)", "crate)"].contains(w)
        });
        let (Some("fn"), Some(name)) = (words.next(), words.next()) else {
            continue;
        };
        let end = format!("{indent}}}");
        let length = lines[i..].iter().position(|l| **l == *end).unwrap_or(0) + 1;
        let said = i > 0 && lines[i - 1].trim_start().starts_with("// Long: ");
        if length > FUNCTION && !said {
            found.push((name.split(['(', '<']).next().unwrap().to_string(), length));
        }
    }
    found
}

#[test]
fn lines_fit_a_screen() {
    let mut told = Vec::new();
    for (extension, most) in [
        ("rs", LINE),
        ("html", TEMPLATE_LINE),
        ("txt", TEMPLATE_LINE),
    ] {
        // Pages that tests read are data: one of them is a megabyte in a line.
        let is_data = extension != "rs";
        let ours = |path: &&PathBuf| !is_data || !path.to_string_lossy().contains("/tests/");
        for path in everything(extension).iter().filter(ours) {
            let text = std::fs::read_to_string(path).unwrap();
            let long = too_long(&text, most);
            told.extend(long.iter().map(|n| format!("{}:{n}", shown(path))));
        }
    }
    assert!(told.is_empty(), "longer than they may be: {told:#?}");
    assert_eq!(
        too_long(&format!("a\n{}\n{}", "b".repeat(7), "c".repeat(8)), 7),
        [3]
    );
}

#[test]
fn long_functions_say_why() {
    let mut told = Vec::new();
    for room in names() {
        for path in of(&room) {
            let text = std::fs::read_to_string(&path).unwrap();
            for (name, length) in long_functions(&text) {
                told.push(format!("{}: {name} has {length} lines", shown(&path)));
            }
        }
    }
    assert!(
        told.is_empty(),
        "part them, or say why above them (`// Long: a list.`): {told:#?}"
    );
    let long = |above: &str| {
        format!(
            "{above}pub(super) async fn x<'a>(\n{}}}\n",
            " y\n".repeat(70)
        )
    };
    assert_eq!(long_functions(&long("")), [("x".to_string(), 72)]);
    assert!(long_functions(&long("// Long: a list.\n")).is_empty());
    assert!(long_functions(&format!("#[cfg(test)]\nmod t {{\n{}", long(""))).is_empty());
}
