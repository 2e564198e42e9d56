//! Sites that one form hands on to the next.

/// Sites as a form carries them on.
pub fn carried(sites: &[i64]) -> String {
    let sites: Vec<String> = sites.iter().map(i64::to_string).collect();
    sites.join(",")
}
