//! The nearest of several names, for messages about typing errors.

/// The candidate with the smallest edit distance (Levenshtein), for messages about typing errors.
pub fn nearest<'a>(given: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    // A hostile text is compared by its beginning only.
    let given: Vec<char> = given.chars().take(60).collect();
    let mut best: Option<(usize, &'a str)> = None;
    for candidate in candidates {
        let most = best.map_or(usize::MAX, |(d, _)| d);
        if let Some(d) = distance_under(&given, candidate, most) {
            best = Some((d, candidate));
        }
    }
    best.map(|(_, candidate)| candidate)
}

/// Levenshtein's distance, if it is less than `most`. It is at least the difference of the lengths,
/// and at least the smallest number of any row, so most candidates are left early.
pub fn distance_under(a: &[char], b: &str, most: usize) -> Option<usize> {
    if b.chars().count().abs_diff(a.len()) >= most {
        return None;
    }
    let mut row: Vec<usize> = (0..=a.len()).collect();
    for (i, cb) in b.chars().enumerate() {
        let mut diagonal = row[0];
        row[0] = i + 1;
        let mut least = row[0];
        for (j, ca) in a.iter().enumerate() {
            let changed = diagonal + usize::from(*ca != cb);
            diagonal = row[j + 1];
            row[j + 1] = changed.min(row[j] + 1).min(diagonal + 1);
            least = least.min(row[j + 1]);
        }
        if least >= most {
            return None;
        }
    }
    row.last().copied().filter(|d| *d < most)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn distances_are_levenshteins() {
        // The textbook example, Wagner and Fischer 1974 as commonly taught: kitten to sitting is 3.
        let kitten: Vec<char> = "kitten".chars().collect();
        assert_eq!(distance_under(&kitten, "sitting", usize::MAX), Some(3));
        assert_eq!(distance_under(&kitten, "sitting", 4), Some(3));
        assert_eq!(distance_under(&kitten, "sitting", 3), None);
        assert_eq!(distance_under(&[], "ab", usize::MAX), Some(2));
        // Of two alike the first counts.
        assert_eq!(nearest("cat", ["cart", "bat", "hat"]), Some("cart"));
    }
}
