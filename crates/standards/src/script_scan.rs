//! A light scan of script text: not a parser, only the three questions that damage by copying
//! raises. Does the code reach its end (brackets, strings, comments closed)? Do typographic quotes
//! stand where code stands? What remains when blanks and comments are taken away?
//!
//! Regular expression literals are told from division by the token before them, which is right for
//! loader code; the browser's own syntax error, where there is one, has the last word in the chain.

/// Result of a scan.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Scan {
    /// The text ends inside a string, a comment or an open bracket.
    pub cut_off: bool,
    /// A typographic quote (or look-alike) stands outside strings and comments.
    pub typographic: Option<char>,
    /// A script tag stands where code stands, outside strings and comments.
    pub markup: bool,
    /// The code without blanks and comments, strings in double quotes.
    pub minimal: String,
}

/// Quotes that word processors and visual editors put in place of the plain ones.
pub fn is_typographic_quote(c: char) -> bool {
    matches!(
        c,
        '\u{2018}'
            ..='\u{201F}'
                | '\u{2032}'
                | '\u{2033}'
                | '\u{00AB}'
                | '\u{00BB}'
                | '\u{FF02}'
                | '\u{FF07}'
                // Their bytes in windows-1252, read as Latin-1 or as UTF-8.
                | '\u{0091}'
                ..='\u{0094}'
                | '\u{FFFD}'
    )
}

/// Typographic quotes of UTF-8 that were read as windows-1252: three characters each.
const MISREAD: &str = "\u{e2}\u{20ac}";

/// Returns whether a text has a typographic quote, in whatever encoding it was read.
pub fn has_typographic_quote(text: &str) -> bool {
    text.contains(is_typographic_quote) || text.contains(MISREAD)
}

/// Returns the text with each misread quote as the quote that it was.
///
/// ```
/// use newtfern_standards::script_scan::reread_quotes;
/// let torn = "chat(\u{e2}\u{20ac}\u{153}abc\u{e2}\u{20ac}\u{9d})";
/// assert_eq!(reread_quotes(torn), "chat(\u{201c}abc\u{201d})");
/// ```
pub fn reread_quotes(text: &str) -> std::borrow::Cow<'_, str> {
    if !text.contains(MISREAD) {
        return text.into();
    }
    // The third byte of each in windows-1252; the closing double quote's has no character there.
    let quotes = [
        ("\u{2dc}", "\u{2018}"),
        ("\u{2122}", "\u{2019}"),
        ("\u{153}", "\u{201c}"),
        ("\u{9d}", "\u{201d}"),
        ("", "\u{201d}"),
    ];
    let mut out = text.to_string();
    for (last, quote) in quotes {
        out = out.replace(&format!("{MISREAD}{last}"), quote);
    }
    out.into()
}

/// Scans script text once, from left to right.
///
/// ```
/// use newtfern_standards::script_scan::scan;
/// assert!(scan("chat(\"abc").cut_off);
/// assert_eq!(scan("chat( 'a' ) ; // note").minimal, "chat(\"a\");");
/// ```
pub fn scan(text: &str) -> Scan {
    let chars: Vec<char> = reread_quotes(text).chars().collect();
    let mut scanner = Scanner::over(&chars);
    scanner.run();
    scanner.out.cut_off |= scanner.open > 0;
    scanner.out
}

/// A value as it stands inside a string literal of any quotes, a template's too, in a script
/// element.
///
/// ```
/// use newtfern_standards::script_scan::in_a_string;
/// assert_eq!(in_a_string("a\"</b>"), r#"a\u0022\u003c/b>"#);
/// ```
pub fn in_a_string(value: &str) -> String {
    let risky = |c: char| {
        c.is_control()
            || matches!(
                c,
                '"' | '\'' | '`' | '$' | '\\' | '<' | '\u{2028}' | '\u{2029}'
            )
    };
    let written = |c: char| match risky(c) {
        // All of them are in the basic plane.
        true => format!("\\u{:04x}", c as u32),
        false => c.to_string(),
    };
    value.chars().map(written).collect()
}

/// The string literals of script text, in their order, escapes as they stand.
///
/// ```
/// use newtfern_standards::script_scan::strings;
/// assert_eq!(strings("chat('a', /'/, \"b\") // 'c'"), ["a", "b"]);
/// ```
pub fn strings(text: &str) -> Vec<String> {
    literals(text).into_iter().map(|(_, s)| s).collect()
}

/// The same with the bytes of the text before each one's opening quote.
pub fn literals(text: &str) -> Vec<(usize, String)> {
    let chars: Vec<char> = text.chars().collect();
    let mut scanner = Scanner::over(&chars);
    scanner.run();
    let (mut at, mut before) = (0, 0);
    let mut out = Vec::with_capacity(scanner.strings.len());
    for (from, to) in scanner.strings {
        let opening = from - 1;
        before += chars[at..opening]
            .iter()
            .map(|c| c.len_utf8())
            .sum::<usize>();
        at = opening;
        out.push((before, chars[from..to].iter().collect()));
    }
    out
}

/// State of the scan. Every step moves on; nothing is read again and again.
struct Scanner<'a> {
    chars: &'a [char],
    at: usize,
    /// Brackets that are open.
    open: usize,
    /// The last character of the minimal text.
    last: char,
    /// Up to here a `/` is division: a regular expression that does not end on its line was tried.
    no_regex_before: usize,
    /// Ranges of string literals, without their quotes.
    strings: Vec<(usize, usize)>,
    out: Scan,
}

impl Scanner<'_> {
    fn over(chars: &[char]) -> Scanner<'_> {
        Scanner {
            chars,
            at: 0,
            open: 0,
            last: ' ',
            no_regex_before: 0,
            strings: Vec::new(),
            out: Scan::default(),
        }
    }

    fn run(&mut self) {
        while self.at < self.chars.len() && !self.out.cut_off {
            self.step();
        }
    }

    fn step(&mut self) {
        let c = self.chars[self.at];
        let next = self.chars.get(self.at + 1).copied().unwrap_or(' ');
        match c {
            c if c.is_whitespace() => self.blanks(),
            '/' if next == '/' => self.line_comment(),
            '/' if next == '*' => match find(self.chars, self.at + 2, &['*', '/']) {
                Some(end) => self.at = end + 2,
                None => self.out.cut_off = true,
            },
            '"' | '\'' | '`' => match string_end(self.chars, self.at) {
                Some(end) => {
                    self.strings.push((self.at + 1, end));
                    self.out.minimal.push('"');
                    self.out.minimal.extend(&self.chars[self.at + 1..end]);
                    self.out.minimal.push('"');
                    self.last = '"';
                    self.at = end + 1;
                }
                None => self.out.cut_off = true,
            },
            '/' if starts_regex(self.last) && self.at >= self.no_regex_before => self.regex(),
            _ => self.code(c),
        }
    }

    /// A blank between two words matters, all others do not.
    fn blanks(&mut self) {
        while self.chars.get(self.at).is_some_and(|c| c.is_whitespace()) {
            self.at += 1;
        }
        if word(self.last) && self.chars.get(self.at).is_some_and(|c| word(*c)) {
            self.out.minimal.push(' ');
            self.last = ' ';
        }
    }

    fn line_comment(&mut self) {
        while self.chars.get(self.at).is_some_and(|c| *c != '\n') {
            self.at += 1;
        }
    }

    fn regex(&mut self) {
        match regex_end(self.chars, self.at) {
            Ok(end) => {
                self.out.minimal.extend(&self.chars[self.at..=end]);
                self.last = '"';
                self.at = end + 1;
            }
            Err(line_end) => {
                self.no_regex_before = line_end;
                self.code('/');
            }
        }
    }

    fn code(&mut self, c: char) {
        match c {
            '(' | '[' | '{' => self.open += 1,
            ')' | ']' | '}' => self.open = self.open.saturating_sub(1),
            '<' => self.out.markup |= starts_script_tag(&self.chars[self.at..]),
            _ if is_typographic_quote(c) => {
                self.out.typographic = self.out.typographic.or(Some(c));
            }
            _ => {}
        }
        self.out.minimal.push(c);
        self.last = c;
        self.at += 1;
    }
}

/// `<script` with an attribute or a bracket behind it, where code stands: a comparison with a
/// variable of that name has neither.
fn starts_script_tag(chars: &[char]) -> bool {
    let head: String = chars
        .iter()
        .take(16)
        .collect::<String>()
        .to_ascii_lowercase();
    let Some(rest) = head.strip_prefix("<script") else {
        return false;
    };
    let after = rest.trim_start();
    after.starts_with('>')
        || (after.len() < rest.len()
            && ["async", "src", "defer", "type", "data-", "id=", "charset"]
                .iter()
                .any(|a| after.starts_with(a)))
}

fn word(c: char) -> bool {
    c.is_alphanumeric() || c == '_' || c == '$'
}

fn starts_regex(last: char) -> bool {
    matches!(
        last,
        ' ' | '(' | ',' | '=' | ':' | '[' | '!' | '&' | '|' | '?' | '{' | '}' | ';'
    )
}

fn find(chars: &[char], from: usize, what: &[char]) -> Option<usize> {
    (from..chars.len()).find(|i| chars[*i..].starts_with(what))
}

/// Index of the closing quote. A plain string may not run over a line's end.
fn string_end(chars: &[char], start: usize) -> Option<usize> {
    let quote = chars[start];
    let mut i = start + 1;
    while i < chars.len() {
        match chars[i] {
            '\\' => i += 1,
            '\n' if quote != '`' => return None,
            c if c == quote => return Some(i),
            _ => {}
        }
        i += 1;
    }
    None
}

/// Index of the closing slash, or where the line ends without one.
fn regex_end(chars: &[char], start: usize) -> Result<usize, usize> {
    let mut i = start + 1;
    let mut class = false;
    while i < chars.len() {
        match chars[i] {
            '\\' => i += 1,
            '\n' => return Err(i),
            '[' => class = true,
            ']' => class = false,
            '/' if !class => return Ok(i),
            _ => {}
        }
        i += 1;
    }
    Err(chars.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whole_code_reaches_its_end() {
        for code in [
            "(function(d){var \
             s=d.createElement('script');s.src=\"https://a.test/l.js\";})(document);",
            "var r=/[)\\]\"]/g.test(x) ? 1 : 2;",
            "x = `a ${1} b`; // (",
            "var text = 'We’re here';",
        ] {
            let scan = scan(code);
            assert!(!scan.cut_off, "{code}");
            assert_eq!(scan.typographic, None, "{code}");
        }
    }

    #[test]
    fn cut_code_does_not() {
        for code in [
            "chat('abc",
            "(function(){ chat('abc')",
            "/* note",
            "chat(\"ab\ncd\")",
        ] {
            assert!(scan(code).cut_off, "{code}");
        }
    }

    #[test]
    fn typographic_quotes_count_only_outside_strings() {
        assert_eq!(scan("chat(“abc”)").typographic, Some('“'));
        assert_eq!(scan("chat(\"“abc”\")").typographic, None);
        // The same quotes, read in another encoding.
        for (open, close) in [
            ("\u{e2}\u{20ac}\u{153}", "\u{e2}\u{20ac}\u{9d}"),
            ("\u{93}", "\u{94}"),
            ("\u{fffd}", "\u{fffd}"),
        ] {
            let text = format!("chat({open}abc{close})");
            assert!(
                scan(&text).typographic.is_some() && has_typographic_quote(&text),
                "{text:?}"
            );
        }
        assert_eq!(scan("chat('5 \u{20ac}')").typographic, None);
    }

    #[test]
    fn a_script_tag_in_code_is_markup_and_a_comparison_is_not() {
        assert!(scan("count();\n<script async src=\"l.js\">").markup);
        assert!(scan("count(); <script>").markup);
        for code in [
            "i<script.length",
            "a <script && b",
            "s = '<script src=x>'",
            "// <script src=x>",
        ] {
            assert!(!scan(code).markup, "{code}");
        }
    }

    /// A megabyte of filler once took a minute: the work grows with the text, not with its square.
    #[test]
    fn a_megabyte_of_any_filler_is_scanned_in_one_pass() {
        for filler in [" ", "=/[", "a ", "\\", "(", "/*", "<script ", "`"] {
            let text = filler.repeat(1_000_000 / filler.len());
            assert!(scan(&text).minimal.len() <= text.len(), "{filler}");
        }
    }

    #[test]
    fn layout_comments_and_quote_style_do_not_matter() {
        assert_eq!(
            scan("chat( 'a' ) ; // x").minimal,
            scan("chat(\"a\");").minimal
        );
        assert_ne!(scan("var a").minimal, scan("vara").minimal);
    }
}
