//! Names that are nearly the same: a client that is typed another way is asked about, not added.

use newtfern_standards::nearest::distance_under;

/// Legal forms and articles, which people leave out.
const LEFT_OUT: &[&str] = &[
    "the", "ltd", "limited", "llc", "inc", "plc", "gmbh", "ag", "as", "aps", "bv", "sarl", "co",
    "and",
];

/// A name as it is compared: letters and digits, without legal forms.
pub fn plain(name: &str) -> String {
    let lower = name.to_lowercase().replace('&', " and ");
    let words = lower
        .split(|c: char| !c.is_alphanumeric())
        .filter(|w| !w.is_empty());
    let kept: Vec<&str> = words.clone().filter(|w| !LEFT_OUT.contains(w)).collect();
    match kept.is_empty() {
        true => words.collect(),
        false => kept.concat(),
    }
}

/// The known name that a new one nearly equals; both are given [`plain`] beside it.
pub fn near<'a>(name: &str, known: &'a [(String, String)]) -> Option<&'a str> {
    let own = plain(name);
    let letters: Vec<char> = own.chars().take(60).collect();
    // A slip of a key or two; a short name has no room for one.
    let most = match letters.len() {
        0..=4 => 1,
        5..=8 => 2,
        _ => 3,
    };
    let mut best: Option<(usize, &str)> = None;
    for (kept, name) in known {
        let below = best.map_or(most, |(d, _)| d);
        if let Some(d) = distance_under(&letters, kept, below) {
            best = Some((d, name));
        }
    }
    best.map(|(_, name)| name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn another_way_of_writing_is_near_and_another_name_is_not() {
        let known: Vec<(String, String)> = ["Pell & Daughter Clocks", "Skerrin Ferry Line", "Reed"]
            .map(|n| (plain(n), n.to_string()))
            .into();
        for (given, wanted) in [
            (
                "Pell and Daughter Clocks Ltd.",
                Some("Pell & Daughter Clocks"),
            ),
            ("PELL & DAUGHTERS CLOCKS", Some("Pell & Daughter Clocks")),
            ("Skerin Ferry-Line", Some("Skerrin Ferry Line")),
            ("Skerrin Freight Line", None),
            ("Reid", None),
            ("Northmere Ice Rink", None),
            ("", None),
        ] {
            assert_eq!(near(given, &known), wanted, "{given}");
        }
    }
}
