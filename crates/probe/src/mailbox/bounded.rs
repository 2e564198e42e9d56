//! A connection to a mail server that is left where its answers go beyond bounds: the reader behind
//! it calls itself for each list inside a list.

use std::io;
use std::pin::Pin;
use std::task::{Context, Poll, ready};
use tokio::io::{AsyncRead, AsyncWrite, ReadBuf};

/// Bytes of all answers: forty mails of 64 kB each, and some.
const MOST_BYTES: usize = 8_000_000;
/// Lists inside lists (RFC 3501, 7.4.2: a mail inside a mail is one; we ask for none).
const DEEPEST: usize = 32;

/// Count of what a server sends, while it comes.
///
/// Lists are counted twice. Once from line to line, with the bytes of literals left out (RFC 3501,
/// 4.3), as the reader takes them. Since free text may look like the beginning of a literal, a line
/// that is free text begins none, and each line is counted for itself as well, literal or not.
#[derive(Debug)]
pub(super) struct Count {
    bytes: usize,
    /// Open lists of the answer.
    open: usize,
    /// Open brackets of the line.
    on_line: usize,
    /// Bytes of a literal that are still to come.
    literal: usize,
    /// The line so far: its beginning and its end are looked at.
    line: Vec<u8>,
    /// The answer began with what is followed by free text.
    is_text: bool,
    /// A literal has ended: its answer goes on.
    goes_on: bool,
}

/// Bytes of a line that are kept.
const KEPT: usize = 64;

impl Count {
    pub(super) fn new() -> Count {
        Count {
            bytes: 0,
            open: 0,
            on_line: 0,
            literal: 0,
            line: Vec::new(),
            is_text: false,
            goes_on: false,
        }
    }

    /// Takes in what came. False where it is beyond the bounds.
    pub(super) fn take(&mut self, bytes: &[u8]) -> bool {
        self.bytes += bytes.len();
        self.bytes <= MOST_BYTES && bytes.iter().all(|byte| self.byte(*byte))
    }

    fn byte(&mut self, byte: u8) -> bool {
        let inside = self.literal > 0;
        self.literal = self.literal.saturating_sub(1);
        match byte {
            b'(' => {
                self.on_line += 1;
                self.open += usize::from(!inside);
            }
            b')' => {
                self.on_line = self.on_line.saturating_sub(1);
                self.open = self.open.saturating_sub(usize::from(!inside));
            }
            b'\n' => self.on_line = 0,
            _ => {}
        }
        if !inside {
            self.outside(byte);
        }
        self.on_line <= DEEPEST && self.open <= DEEPEST
    }

    /// A byte that is no literal's.
    fn outside(&mut self, byte: u8) {
        if byte != b'\n' {
            if self.line.len() >= 2 * KEPT {
                self.line.drain(KEPT / 2..KEPT + KEPT / 2);
            }
            self.line.push(byte);
            return;
        }
        if !self.goes_on {
            self.is_text = is_text(&self.line);
        }
        self.literal = match self.is_text {
            true => 0,
            false => announced(&self.line),
        };
        // A literal is part of the answer that it stands in; any other line ends its answer.
        self.goes_on = self.literal > 0 || (self.line.ends_with(b"{0}\r") && !self.is_text);
        if !self.goes_on {
            self.open = 0;
        }
        self.line.clear();
    }
}

/// Lines that end in free text (RFC 3501, 7.1 and 7.5): status answers, and what asks us to go on.
/// A line with a tag of ours is a status answer.
fn is_text(line: &[u8]) -> bool {
    let line = line.to_ascii_uppercase();
    let Some(rest) = line.strip_prefix(b"* ") else {
        return true;
    };
    let status: [&[u8]; 5] = [b"OK", b"NO", b"BAD", b"BYE", b"PREAUTH"];
    status.iter().any(|s| rest.starts_with(s))
}

/// The length of the literal that a line announces at its end.
fn announced(line: &[u8]) -> usize {
    let digits = || {
        let line = line
            .strip_suffix(b"\r")
            .unwrap_or(line)
            .strip_suffix(b"}")?;
        let open = line.iter().rposition(|b| *b == b'{')?;
        std::str::from_utf8(&line[open + 1..]).ok()?.parse().ok()
    };
    digits().unwrap_or_default()
}

/// Connection that reads no more than it may.
#[derive(Debug)]
pub(super) struct BoundedStream<S> {
    inner: S,
    count: Count,
}

impl<S> BoundedStream<S> {
    pub(super) fn new(inner: S) -> BoundedStream<S> {
        BoundedStream {
            inner,
            count: Count::new(),
        }
    }
}

impl<S: AsyncRead + Unpin> AsyncRead for BoundedStream<S> {
    fn poll_read(
        mut self: Pin<&mut Self>,
        cx: &mut Context<'_>,
        buffer: &mut ReadBuf<'_>,
    ) -> Poll<io::Result<()>> {
        let before = buffer.filled().len();
        ready!(Pin::new(&mut self.inner).poll_read(cx, buffer))?;
        if self.count.take(&buffer.filled()[before..]) {
            return Poll::Ready(Ok(()));
        }
        // What is beyond the bounds is not handed on.
        buffer.set_filled(before);
        Poll::Ready(Err(io::Error::other(
            "its answer is larger, or nests deeper, than that of any mail server should",
        )))
    }
}

impl<S: AsyncWrite + Unpin> AsyncWrite for BoundedStream<S> {
    fn poll_write(
        mut self: Pin<&mut Self>,
        cx: &mut Context<'_>,
        bytes: &[u8],
    ) -> Poll<io::Result<usize>> {
        Pin::new(&mut self.inner).poll_write(cx, bytes)
    }

    fn poll_flush(mut self: Pin<&mut Self>, cx: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.inner).poll_flush(cx)
    }

    fn poll_shutdown(mut self: Pin<&mut Self>, cx: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.inner).poll_shutdown(cx)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn holds(text: &str) -> bool {
        // Whatever the pieces in which it comes.
        let whole = Count::new().take(text.as_bytes());
        let mut count = Count::new();
        assert_eq!(
            text.as_bytes().chunks(7).all(|piece| count.take(piece)),
            whole
        );
        whole
    }

    #[test]
    fn mails_are_let_through_whatever_is_in_them() {
        let mail = ":( ".repeat(20);
        let many = format!("{mail}\r\n").repeat(500);
        let text = format!(
            "* OK ready\r\na1 OK [CAPABILITY IMAP4rev1] in\r\n* 1 FETCH (UID 7 BODY[]<0> \
            {{{}}}\r\n{many})\r\n* SEARCH 7\r\na2 OK done\r\n",
            many.len()
        );
        assert!(holds(&text));
    }

    #[test]
    fn lists_without_end_are_left_however_they_come() {
        let lists = "(".repeat(60_000);
        let over_lines = "({1}\r\na".repeat(100);
        for text in [
            format!("* 1 FETCH (BODYSTRUCTURE {lists}"),
            format!("* OK {{70000}}\r\n* 1 FETCH {lists}"),
            format!("* 1 FETCH (BODY[\"] {lists}"),
            format!("* 1 FETCH {over_lines}"),
            // What looks like a literal in free text hides nothing.
            format!("* OK {{70000}}\r\n* 1 FETCH {over_lines}"),
            format!("a1 NO {{70000}}\r\n* 1 FETCH {over_lines}"),
            format!("+ {{70000}}\r\n* 1 FETCH {over_lines}"),
        ] {
            assert!(!holds(&text), "{}", &text[..40]);
        }
        assert!(!holds(&"* SEARCH 1\r\n".repeat(MOST_BYTES / 12 + 1)));
    }
}
