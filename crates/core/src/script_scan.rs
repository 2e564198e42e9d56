//! A light scan of script text: not a parser, only the three questions that damage by copying
//! raises. Does the code reach its end (brackets, strings, comments closed)? Do typographic quotes
//! stand where code stands? What remains when blanks and comments are taken away?
//!
//! Regular expression literals are told from division by the token before them, which is right for
//! loader code; the browser's own syntax error, where there is one, has the last word in the chain.

/// What the scan saw.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Scan {
    /// The text ends inside a string, a comment or an open bracket.
    pub cut_off: bool,
    /// A typographic quote (or look-alike) stands outside strings and comments.
    pub typographic: Option<char>,
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
    )
}

pub fn scan(text: &str) -> Scan {
    let chars: Vec<char> = text.chars().collect();
    let mut out = Scan::default();
    let mut open: Vec<char> = Vec::new();
    let mut last = ' ';
    let mut i = 0;
    while i < chars.len() {
        let c = chars[i];
        let next = chars.get(i + 1).copied().unwrap_or(' ');
        if c.is_whitespace() {
            // A blank between two words matters, all others do not.
            let following = chars[i..].iter().copied().find(|c| !c.is_whitespace());
            if word(last) && following.is_some_and(word) {
                out.minimal.push(' ');
                last = ' ';
            }
            i += 1;
            continue;
        }
        if c == '/' && next == '/' {
            while i < chars.len() && chars[i] != '\n' {
                i += 1;
            }
            continue;
        }
        if c == '/' && next == '*' {
            match find(&chars, i + 2, &['*', '/']) {
                Some(end) => i = end + 2,
                None => {
                    out.cut_off = true;
                    return out;
                }
            }
            continue;
        }
        if c == '"' || c == '\'' || c == '`' {
            let Some(end) = string_end(&chars, i) else {
                out.cut_off = true;
                return out;
            };
            out.minimal.push('"');
            out.minimal.extend(&chars[i + 1..end]);
            out.minimal.push('"');
            last = '"';
            i = end + 1;
            continue;
        }
        if c == '/'
            && starts_regex(last)
            && let Some(end) = regex_end(&chars, i)
        {
            out.minimal.extend(&chars[i..=end]);
            last = '"';
            i = end + 1;
            continue;
        }
        match c {
            '(' | '[' | '{' => open.push(c),
            ')' | ']' | '}' => {
                open.pop();
            }
            _ if is_typographic_quote(c) => out.typographic = out.typographic.or(Some(c)),
            _ => {}
        }
        out.minimal.push(c);
        last = c;
        i += 1;
    }
    out.cut_off |= !open.is_empty();
    out
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

fn regex_end(chars: &[char], start: usize) -> Option<usize> {
    let mut i = start + 1;
    let mut class = false;
    while i < chars.len() {
        match chars[i] {
            '\\' => i += 1,
            '\n' => return None,
            '[' => class = true,
            ']' => class = false,
            '/' if !class => return Some(i),
            _ => {}
        }
        i += 1;
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whole_code_reaches_its_end() {
        for code in [
            "(function(d){var s=d.createElement('script');s.src=\"https://a.test/l.js\";})(document);",
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
