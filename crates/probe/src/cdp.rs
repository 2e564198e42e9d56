//! A thin client of the browser's debugging protocol: a pair of pipes (a port would be open to
//! every user of the machine), flattened sessions, and one ordered stream of events for each page
//! with all its frames (order across frames matters: a request may start on one session and finish
//! on another).

use crate::{ProbeError, pace};
use serde_json::{Value, json};
use std::collections::HashMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::unix::pipe;
use tokio::sync::{mpsc, oneshot};

/// Bytes of one message: a picture of a page is some MB.
const MOST_MESSAGE: usize = 256 << 20;

/// An event of the browser.
#[derive(Debug, Clone)]
pub struct Event {
    /// Session of the page or frame; empty for the browser itself.
    pub session: String,
    /// Name of the event in the protocol.
    pub method: String,
    /// Parameters of the event.
    pub params: Value,
}

type Waiting = HashMap<u64, oneshot::Sender<Result<Value, String>>>;

#[derive(Default)]
struct Routes {
    waiting: Waiting,
    /// Session to the page tree it belongs to.
    tree_of: HashMap<String, String>,
    trees: HashMap<String, mpsc::UnboundedSender<Event>>,
    gone: bool,
}

/// A connection to a browser's protocol.
#[derive(Clone)]
pub struct Cdp {
    out: mpsc::UnboundedSender<Vec<u8>>,
    routes: Arc<Mutex<Routes>>,
    next: Arc<AtomicU64>,
}

impl Cdp {
    /// Over the pipes of a browser that runs with `--remote-debugging-pipe`: messages are JSON
    /// texts, each with a NUL at its end.
    pub fn over(mut to: pipe::Sender, from: pipe::Receiver) -> Cdp {
        let (out, mut queue) = mpsc::unbounded_channel::<Vec<u8>>();
        tokio::spawn(async move {
            while let Some(message) = queue.recv().await {
                if to.write_all(&message).await.is_err() {
                    break;
                }
            }
        });
        let routes: Arc<Mutex<Routes>> = Arc::default();
        let reader = routes.clone();
        tokio::spawn(async move {
            let mut from = BufReader::with_capacity(1 << 16, from);
            while let Some(message) = next_message(&mut from).await {
                match read(&message) {
                    Ok(value) => route(&reader, value),
                    Err(error) => {
                        tracing::warn!("a message of the browser cannot be read: {error}")
                    }
                }
            }
            // The browser is gone: whoever waits is told at once.
            if let Ok(mut routes) = reader.lock() {
                routes.gone = true;
                routes.waiting.clear();
                routes.trees.clear();
            }
        });
        Cdp {
            out,
            routes,
            next: Arc::new(AtomicU64::new(1)),
        }
    }

    /// The browser has gone.
    pub fn is_gone(&self) -> bool {
        self.routes.lock().map(|r| r.gone).unwrap_or(true)
    }

    /// Opens the event stream of a page tree by its root session.
    pub fn listen(&self, root: &str) -> mpsc::UnboundedReceiver<Event> {
        let (sender, receiver) = mpsc::unbounded_channel();
        if let Ok(mut routes) = self.routes.lock() {
            routes.tree_of.insert(root.to_string(), root.to_string());
            routes.trees.insert(root.to_string(), sender);
        }
        receiver
    }

    /// Events of this page are not wanted any more.
    pub fn forget(&self, root: &str) {
        if let Ok(mut routes) = self.routes.lock() {
            routes.trees.remove(root);
            routes.tree_of.retain(|_, tree| tree != root);
        }
    }

    /// Sends without waiting for the answer.
    pub fn send(&self, session: &str, method: &str, params: Value) {
        let id = self.next.fetch_add(1, Ordering::Relaxed);
        let _ = self.out.send(message(id, session, method, params));
    }

    /// Sends and waits, with a deadline: a hung page never answers.
    ///
    /// # Errors
    /// [`ProbeError::Silent`] after that time, [`ProbeError::Command`] where the browser refuses,
    /// [`ProbeError::BrowserGone`].
    pub async fn call(
        &self,
        session: &str,
        method: &str,
        params: Value,
        ms: u64,
    ) -> Result<Value, ProbeError> {
        let id = self.next.fetch_add(1, Ordering::Relaxed);
        let (sender, receiver) = oneshot::channel();
        {
            let mut routes = self.routes.lock().map_err(|_| ProbeError::BrowserGone {
                doing: method.into(),
            })?;
            if routes.gone {
                return Err(ProbeError::BrowserGone {
                    doing: method.into(),
                });
            }
            routes.waiting.insert(id, sender);
        }
        let _ = self.out.send(message(id, session, method, params));
        match pace::within(Duration::from_millis(ms), receiver).await {
            Ok(Ok(Ok(value))) => Ok(value),
            Ok(Ok(Err(message))) => Err(ProbeError::Command {
                method: method.into(),
                message,
            }),
            Ok(Err(_)) => Err(ProbeError::BrowserGone {
                doing: method.into(),
            }),
            Err(_) => {
                if let Ok(mut routes) = self.routes.lock() {
                    routes.waiting.remove(&id);
                }
                Err(ProbeError::Silent {
                    method: method.into(),
                    ms,
                })
            }
        }
    }
}

/// Up to the next NUL; none at the end, and none where a message is larger than any should be.
async fn next_message(from: &mut BufReader<pipe::Receiver>) -> Option<Vec<u8>> {
    let mut message = Vec::new();
    loop {
        let buffered = from.fill_buf().await.ok()?;
        if buffered.is_empty() {
            return None;
        }
        let end = buffered.iter().position(|b| *b == 0);
        let taken = end.unwrap_or(buffered.len());
        message.extend_from_slice(&buffered[..taken]);
        from.consume(taken + usize::from(end.is_some()));
        if end.is_some() {
            return Some(message);
        }
        if message.len() > MOST_MESSAGE {
            return None;
        }
    }
}

/// A message as JSON. A page's texts may hold halves of surrogate pairs, which the browser writes
/// as they are and JSON's readers refuse (RFC 8259, 8.2): those become replacement characters, or a
/// page could make us deaf for its own answers.
///
/// # Errors
/// Where it is no JSON even so.
pub fn read(message: &[u8]) -> serde_json::Result<Value> {
    match serde_json::from_slice(message) {
        Ok(value) => Ok(value),
        Err(_) => serde_json::from_str(&whole(&String::from_utf8_lossy(message))),
    }
}

/// The value of an escape `\uXXXX` at the beginning.
fn escaped(text: &str) -> Option<u32> {
    let digits = text.strip_prefix("\\u")?.get(..4)?;
    u32::from_str_radix(digits, 16).ok()
}

/// The text with escapes of single surrogates replaced.
fn whole(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find('\\') {
        out.push_str(&rest[..at]);
        rest = &rest[at..];
        let pair = rest.get(6..).and_then(escaped);
        let (taken, kept) = match escaped(rest) {
            Some(0xD800..=0xDBFF) if matches!(pair, Some(0xDC00..=0xDFFF)) => (12, &rest[..12]),
            Some(0xD800..=0xDFFF) => (6, "\\ufffd"),
            // Another escape, of which a backslash may be the second half.
            _ => {
                let next = rest[1..].chars().next().map_or(0, char::len_utf8);
                (1 + next, &rest[..1 + next])
            }
        };
        out.push_str(kept);
        rest = &rest[taken..];
    }
    out + rest
}

fn message(id: u64, session: &str, method: &str, params: Value) -> Vec<u8> {
    let mut value = json!({"id": id, "method": method, "params": params});
    if !session.is_empty() {
        value["sessionId"] = json!(session);
    }
    let mut bytes = value.to_string().into_bytes();
    bytes.push(0);
    bytes
}

fn route(routes: &Mutex<Routes>, mut value: Value) {
    let Ok(mut routes) = routes.lock() else {
        return;
    };
    if let Some(id) = value["id"].as_u64() {
        if let Some(waiting) = routes.waiting.remove(&id) {
            let answer = match value.get("error") {
                Some(error) => Err(error["message"]
                    .as_str()
                    .unwrap_or("unknown error")
                    .to_string()),
                None => Ok(value["result"].take()),
            };
            let _ = waiting.send(answer);
        }
        return;
    }
    let session = value["sessionId"].as_str().unwrap_or_default().to_string();
    let Some(tree) = routes.tree_of.get(&session).cloned() else {
        return;
    };
    let method = value["method"].as_str().unwrap_or_default().to_string();
    let params = value["params"].take();
    if method == "Target.attachedToTarget"
        && let Some(child) = params["sessionId"].as_str()
    {
        routes.tree_of.insert(child.to_string(), tree.clone());
    }
    if let Some(sender) = routes.trees.get(&tree) {
        let _ = sender.send(Event {
            session,
            method,
            params,
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn halves_of_surrogate_pairs_do_not_make_us_deaf() {
        for (written, read_as) in [
            (r#""a\ud800b""#, "a\u{fffd}b"),
            (r#""\udc00""#, "\u{fffd}"),
            (r#""\ud83d\ude00\ud83d""#, "\u{1f600}\u{fffd}"),
            (r#""\ud800\ud83d\ude00""#, "\u{fffd}\u{1f600}"),
            (r#""\\ud800 \ud800""#, "\\ud800 \u{fffd}"),
            (r#""\ud800\n\t\"\\""#, "\u{fffd}\n\t\"\\"),
            (r#""m\u00fchle""#, "m\u{fc}hle"),
        ] {
            assert_eq!(read(written.as_bytes()).unwrap(), read_as, "{written}");
        }
        assert_eq!(
            read(b"\"a\xed\xa0\x80b\"").unwrap(),
            "a\u{fffd}\u{fffd}\u{fffd}b"
        );
        assert!(read(b"{\"id\": ").is_err() && read(b"\"\\u12").is_err());
    }
}
