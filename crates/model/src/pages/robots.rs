//! `robots.txt` (RFC 9309): which pages a site asks programs to stay away from.

use super::pattern::plain_path;
use std::time::Duration;
use url::Url;

/// Bytes that are read (RFC 9309, 2.5: at least 500 kibibytes).
pub const MOST_ROBOTS: usize = 512_000;
/// Our product token (RFC 9309, 2.2.1).
pub const TOKEN: &str = "newtfern";
/// The longest pause between two requests that we keep, however long a one is asked for; a site
/// that asks for more gets fewer of its pages looked at.
const MOST_PAUSE: Duration = Duration::from_secs(10);

/// Rules that a site sets for programs (robots.txt).
#[derive(Debug, Clone, Default)]
pub struct Robots {
    rules: Rules,
    /// Addresses of its sitemaps, as they stand there.
    pub sitemaps: Vec<String>,
    /// The pause between two requests that it asks for (common practice; not in the RFC).
    pub pause: Option<Duration>,
    closed: bool,
}

#[derive(Debug, Clone)]
struct Rule {
    allow: bool,
    /// Compared piece by piece: between two pieces anything may stand.
    pieces: Vec<String>,
    /// The path must end with the last piece.
    to_end: bool,
    /// Octets of the path, by which the most specific rule is found.
    length: usize,
}

/// A line of the file that says something.
enum Line<'a> {
    Agent(&'a str),
    Rule(bool, &'a str),
    Pause(&'a str),
    Sitemap(&'a str),
}

fn line(text: &str) -> Option<Line<'_>> {
    let text = text.split('#').next().unwrap_or_default();
    let (name, value) = text.split_once(':')?;
    let value = value.trim();
    Some(match name.trim().to_ascii_lowercase().as_str() {
        "user-agent" => Line::Agent(value),
        "allow" => Line::Rule(true, value),
        "disallow" => Line::Rule(false, value),
        "crawl-delay" => Line::Pause(value),
        "sitemap" => Line::Sitemap(value),
        _ => return None,
    })
}

/// The product token that a line of agents begins with.
fn token(agent: &str) -> &str {
    let end = agent.find(|c: char| !(c.is_ascii_alphabetic() || matches!(c, '_' | '-')));
    &agent[..end.unwrap_or(agent.len())]
}

impl Robots {
    /// Reads the file for one product token.
    ///
    /// ```
    /// use newtfern_model::pages::Robots;
    /// let text = "User-agent: *\nDisallow: /basket\nAllow: /basket/help\n";
    /// let robots = Robots::read(text, "newtfern");
    /// let page = |path: &str| url::Url::parse(&format!("https://kites.example{path}")).unwrap();
    /// assert!(!robots.allows(&page("/basket?add=7")));
    /// assert!(robots.allows(&page("/basket/help")));
    /// ```
    pub fn read(text: &str, product: &str) -> Robots {
        let text = text.strip_prefix('\u{feff}').unwrap_or(text);
        let mut out = Robots::default();
        let (mut own, mut others) = (Group::default(), Group::default());
        // Agents that follow each other share the rules after them.
        let (mut for_own, mut for_others, mut in_agents) = (false, false, false);
        for line in text.split(['\n', '\r']).filter_map(line) {
            match line {
                Line::Agent(agent) => {
                    if !in_agents {
                        (for_own, for_others, in_agents) = (false, false, true);
                    }
                    let ours = token(agent).eq_ignore_ascii_case(product);
                    for_own |= ours;
                    own.named |= ours;
                    for_others |= agent.starts_with('*');
                }
                Line::Sitemap(address) => out.sitemaps.push(address.to_string()),
                Line::Rule(allow, path) => {
                    in_agents = false;
                    if for_own {
                        own.rules.extend(Rule::read(allow, path));
                    }
                    if for_others {
                        others.rules.extend(Rule::read(allow, path));
                    }
                }
                Line::Pause(seconds) => {
                    in_agents = false;
                    let pause = seconds.parse().ok().filter(|s: &f64| *s >= 0.0);
                    let pause =
                        pause.map(|s| Duration::from_secs_f64(s.min(3600.0)).min(MOST_PAUSE));
                    if for_own {
                        own.pause = pause;
                    }
                    if for_others {
                        others.pause = pause;
                    }
                }
            }
        }
        let group = if own.named { own } else { others };
        (out.rules, out.pause) = (Rules::of(group.rules), group.pause);
        out
    }

    /// The file could not be had because the server fails: nothing may be looked at (RFC 9309,
    /// 2.3.1.4).
    pub fn unreachable() -> Robots {
        Robots {
            closed: true,
            ..Robots::default()
        }
    }

    /// The whole site is closed because the file could not be had.
    pub fn is_unreachable(&self) -> bool {
        self.closed
    }

    /// May this page be looked at? The rule with the longest path counts; of two alike the one that
    /// allows (RFC 9309, 2.2.2).
    pub fn allows(&self, page: &Url) -> bool {
        if page.path() == "/robots.txt" {
            return true;
        }
        if self.closed {
            return false;
        }
        let mut path = comparable(page.path());
        if let Some(query) = page.query() {
            path.push('?');
            path.push_str(&comparable(query));
        }
        let fitting = self.rules.that_may_fit(&path).filter(|r| r.fits(&path));
        fitting
            .max_by_key(|r| (r.length, r.allow))
            .is_none_or(|r| r.allow)
    }
}

/// Rules in the order of what their paths begin with, so that a page is compared only with those
/// whose beginning is its own: a file may have tens of thousands.
#[derive(Debug, Clone, Default)]
struct Rules {
    sorted: Vec<Rule>,
    /// For each rule, the nearest before it whose beginning begins its own, or is the same.
    shorter: Vec<Option<usize>>,
}

impl Rules {
    fn of(mut sorted: Vec<Rule>) -> Rules {
        sorted.sort_by(|a, b| a.beginning().cmp(b.beginning()));
        let mut shorter: Vec<Option<usize>> = Vec::with_capacity(sorted.len());
        for (i, rule) in sorted.iter().enumerate() {
            let mut near = i.checked_sub(1);
            while let Some(n) = near {
                if rule.beginning().starts_with(sorted[n].beginning()) {
                    break;
                }
                near = shorter[n];
            }
            shorter.push(near);
        }
        Rules { sorted, shorter }
    }

    /// Rules whose beginning is the path's. All of them begin the last rule that does not sort
    /// behind the path.
    fn that_may_fit<'a>(&'a self, path: &'a str) -> impl Iterator<Item = &'a Rule> {
        let behind = self.sorted.partition_point(|r| r.beginning() <= path);
        let last = behind.checked_sub(1);
        let chain = std::iter::successors(last, |n| self.shorter[*n]);
        chain
            .map(|n| &self.sorted[n])
            .filter(|r| path.starts_with(r.beginning()))
    }
}

#[derive(Default)]
struct Group {
    named: bool,
    rules: Vec<Rule>,
    pause: Option<Duration>,
}

impl Rule {
    /// None where the path is empty, which says nothing (RFC 9309, 2.2.2).
    fn read(allow: bool, path: &str) -> Option<Rule> {
        if path.is_empty() {
            return None;
        }
        let (path, to_end) = match path.strip_suffix('$') {
            Some(path) => (path, true),
            None => (path, false),
        };
        let path = comparable(path);
        Some(Rule {
            allow,
            to_end,
            length: path.len() + usize::from(to_end),
            pieces: path.split('*').map(str::to_string).collect(),
        })
    }

    fn beginning(&self) -> &str {
        self.pieces.first().map_or("", String::as_str)
    }

    /// Linear in the path for each piece: every piece is taken where it first comes.
    fn fits(&self, path: &str) -> bool {
        let Some((first, rest)) = self.pieces.split_first() else {
            return false;
        };
        let Some(mut left) = path.strip_prefix(first.as_str()) else {
            return false;
        };
        let Some((last, between)) = rest.split_last() else {
            return !self.to_end || left.is_empty();
        };
        for piece in between {
            let Some(at) = left.find(piece.as_str()) else {
                return false;
            };
            left = &left[at + piece.len()..];
        }
        match self.to_end {
            true => left.ends_with(last.as_str()),
            false => left.contains(last.as_str()),
        }
    }
}

/// Returns a path in the form in which paths are compared: what is encoded beyond need is decoded,
/// a slash at the end stays.
fn comparable(path: &str) -> String {
    let plain = plain_path(path);
    match path.ends_with('/') {
        true => format!("{plain}/"),
        false => plain,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn allowed(text: &str, product: &str, path: &str) -> bool {
        let page = Url::parse(&format!("https://kites.example{path}")).unwrap();
        Robots::read(text, product).allows(&page)
    }

    /// RFC 9309, 5.1 "Simple Example".
    #[test]
    fn the_simple_example_of_the_rfc() {
        let text = "User-Agent: *\nDisallow: *.gif$\nDisallow: /example/\nAllow: /publications/\n\n\
            User-Agent: \
            foobot\nDisallow:/\nAllow:/example/page.html\nAllow:/example/allowed.gif\n\n\
            User-Agent: barbot\nUser-Agent: bazbot\nDisallow: /example/page.html\n\n\
            User-Agent: quxbot\n\nEOF";
        for (agent, path, may) in [
            ("newtfern", "/a.gif", false),
            ("newtfern", "/a.gif?x", true),
            ("newtfern", "/example/x", false),
            ("newtfern", "/publications/x", true),
            ("foobot", "/other", false),
            ("foobot", "/example/page.html", true),
            ("foobot", "/example/allowed.gif", true),
            ("barbot", "/example/page.html", false),
            ("bazbot", "/example/page.html", false),
            ("bazbot", "/example/", true),
            ("quxbot", "/example/", true),
        ] {
            assert_eq!(allowed(text, agent, path), may, "{agent} {path}");
        }
    }

    /// RFC 9309, 5.2 "Longest Match".
    #[test]
    fn the_longest_match_counts() {
        let text =
            "User-Agent: foobot\nAllow: /example/page/\nDisallow: /example/page/disallowed.gif";
        assert!(!allowed(text, "foobot", "/example/page/disallowed.gif"));
        assert!(allowed(text, "foobot", "/example/page/other"));
        // Of two alike the one that allows, in either order.
        for text in ["Allow: /p\nDisallow: /p", "Disallow: /p\nAllow: /p"] {
            assert!(allowed(&format!("User-agent: *\n{text}"), "x", "/p"));
        }
    }

    /// The table in RFC 9309, 2.2.2: paths with and without encoding. RFC 9309, 2.2.3: special
    /// characters.
    #[test]
    fn paths_are_matched_encoded_or_not() {
        for (rule, path) in [
            ("/foo/bar?baz=quz", "/foo/bar?baz=quz"),
            ("/foo/bar/\u{30c4}", "/foo/bar/%E3%83%84"),
            ("/foo/bar/%E3%83%84", "/foo/bar/%E3%83%84"),
            ("/foo/bar/%62%61%7A", "/foo/bar/baz"),
            ("/path/file-with-a-%2A.html", "/path/file-with-a-%2A.html"),
            ("/path/foo-%24", "/path/foo-%24"),
            ("/this/*/exactly", "/this/and/that/exactly"),
            ("/*.gif$", "/deep/a.gif"),
        ] {
            let text = format!("User-agent: *\nDisallow: {rule}");
            assert!(!allowed(&text, "newtfern", path), "{rule} {path}");
        }
        let text = "User-agent: *\nDisallow: /fish/";
        assert!(allowed(text, "newtfern", "/fish") && !allowed(text, "newtfern", "/fish/"));
    }

    #[test]
    fn groups_of_one_agent_are_one_and_odd_lines_are_passed_over() {
        let text = "\u{feff}Disallow: /no-agent\nUser-agent: NewtFern/2\nDisallow: /a # why\n\
            nonsense\nSitemap: https://kites.example/map.xml\nUser-agent: other\nDisallow: /\n\
            user-agent: newtfern\r\nDISALLOW: /b\rCrawl-delay: 2.5";
        let robots = Robots::read(text, "newtfern");
        let may =
            |path: &str| robots.allows(&Url::parse(&format!("https://k.example{path}")).unwrap());
        assert!(!may("/a") && !may("/b") && may("/c") && may("/no-agent"));
        assert_eq!(robots.sitemaps, ["https://kites.example/map.xml"]);
        assert_eq!(robots.pause, Some(Duration::from_millis(2_500)));
        for odd in [
            "Crawl-delay: 1e999",
            "Crawl-delay: -3",
            "Crawl-delay: NaN",
            "Crawl-delay: soon",
        ] {
            let pause = Robots::read(&format!("User-agent: *\n{odd}"), "x").pause;
            assert!(pause.is_none_or(|p| p == MOST_PAUSE), "{odd}: {pause:?}");
        }
    }

    #[test]
    fn without_the_file_all_is_open_and_with_a_failing_server_nothing_is() {
        assert!(allowed("", "newtfern", "/x"));
        let page = Url::parse("https://kites.example/x").unwrap();
        assert!(!Robots::unreachable().allows(&page));
    }

    /// All rules are asked, whatever their order in the file: compared with asking each one.
    #[test]
    fn rules_are_found_by_their_beginnings() {
        let beginnings = [
            "/", "/a", "/a", "/a/b", "/a/bc", "/ab", "/b", "", "/a/b/c/d",
        ];
        let rules: Vec<Rule> = beginnings
            .iter()
            .map(|b| Rule::read(false, &format!("{b}*x")).unwrap())
            .collect();
        let sorted = Rules::of(rules.clone());
        for path in [
            "/",
            "/a",
            "/a/b/c",
            "/a/bcd",
            "/abc",
            "/c",
            "/a/b/c/d/e",
            "/B",
            "*",
        ] {
            let begins = |r: &&Rule| path.starts_with(r.beginning());
            let mut each: Vec<&str> = rules.iter().filter(begins).map(Rule::beginning).collect();
            let mut found: Vec<&str> = sorted.that_may_fit(path).map(Rule::beginning).collect();
            each.sort_unstable();
            found.sort_unstable();
            assert_eq!(found, each, "{path}");
        }
    }
}
