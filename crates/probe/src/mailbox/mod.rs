//! Reads the mailbox of test talks by IMAP (RFC 3501), as its mail address's owner. Only mails of
//! the last day are looked at, and what is the test's is taken away again.

mod bounded;

use crate::guard::{ConnectError, Guard};
use async_imap::Client;
use bounded::BoundedStream;
use futures_util::TryStreamExt;
use jiff::{SignedDuration, Timestamp};
use mail_parser::MessageParser;
use newtfern_standards::mailbox::{Mailbox, is_about};
use rustls_platform_verifier::ConfigVerifierExt;
use std::sync::Arc;
use std::time::{Duration, Instant};
use tokio::io::{AsyncRead, AsyncWrite};
use tokio_rustls::TlsConnector;
use tokio_rustls::rustls::ClientConfig;
use tokio_rustls::rustls::pki_types::ServerName;

/// Mails of a day that are looked at, the newest.
const MOST_MAILS: usize = 40;
/// Request for the first bytes of each mail.
const READ: &str = "(UID BODY.PEEK[]<0.65536>)";
/// Milliseconds between two looks into the mailbox.
const EVERY_MS: u64 = 500;
/// Time for one look, ms.
const LOOK_MS: u64 = 15_000;

/// A mailbox with its password.
#[derive(Clone)]
pub struct Access {
    /// Address of the mailbox.
    pub mailbox: Mailbox,
    /// Password of the mailbox's user.
    pub password: String,
}

/// A mail that is a test's.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TestMail {
    /// Address that the mail came from.
    pub from: String,
    /// Subject of the mail.
    pub subject: String,
}

/// Reason why a mailbox could not be read.
#[derive(Debug, thiserror::Error)]
pub enum MailboxFailure {
    /// No connection came about.
    #[error("the mailbox server {host} cannot be reached: {source}")]
    Connect {
        /// Host of the mail server.
        host: String,
        /// Error of the connection.
        source: ConnectError,
    },
    /// No secure connection came about.
    #[error("no secure connection to the mailbox server {host}: {why}")]
    Tls {
        /// Host of the mail server.
        host: String,
        /// Reason, as a clause for people.
        why: String,
    },
    /// A password is not sent where everybody can read it.
    #[error(
        "the mailbox server {host} is reached without encryption, and the password would be read \
        by anybody on the way: use imaps"
    )]
    Unencrypted {
        /// Host of the mail server.
        host: String,
    },
    /// The server refused something.
    #[error("the mailbox server {host} answered: {why}")]
    Refused {
        /// Host of the mail server.
        host: String,
        /// Answer of the mail server.
        why: String,
    },
    /// The server took too long.
    #[error("the mailbox server {host} did not answer within 15 s")]
    Silent {
        /// Host of the mail server.
        host: String,
    },
}

/// Looks again and again until a mail about the message is there or the time is over. A server that
/// cannot be read at the end of it is an error: then nobody knows whether a mail came.
///
/// # Errors
/// [`MailboxFailure`], where the last look did not come about.
pub async fn wait_for(
    guard: &Guard,
    access: &Access,
    message: &str,
    longest: Duration,
) -> Result<Option<TestMail>, MailboxFailure> {
    let began = Instant::now();
    loop {
        let last = match look(guard, access, message).await {
            Ok(Some(found)) => return Ok(Some(found)),
            // What does not pass by itself is told at once.
            Err(e @ (MailboxFailure::Unencrypted { .. } | MailboxFailure::Refused { .. })) => {
                return Err(e);
            }
            last => last,
        };
        if began.elapsed() > longest {
            return last;
        }
        tokio::time::sleep(Duration::from_millis(EVERY_MS)).await;
    }
}

async fn look(
    guard: &Guard,
    access: &Access,
    message: &str,
) -> Result<Option<TestMail>, MailboxFailure> {
    let host = access.mailbox.host.clone();
    let one = async {
        let m = &access.mailbox;
        let connected = guard.connect(&m.host, m.port).await;
        let stream = connected.map_err(|source| MailboxFailure::Connect {
            host: m.host.clone(),
            source,
        })?;
        if m.secure {
            return read(access, secure(m, stream).await?, message).await;
        }
        // Loopback is not a way that others see.
        if !stream.peer_addr().is_ok_and(|a| a.ip().is_loopback()) {
            return Err(MailboxFailure::Unencrypted {
                host: m.host.clone(),
            });
        }
        read(access, stream, message).await
    };
    match tokio::time::timeout(Duration::from_millis(LOOK_MS), one).await {
        Ok(answer) => answer,
        Err(_) => Err(MailboxFailure::Silent { host }),
    }
}

async fn secure(
    m: &Mailbox,
    stream: tokio::net::TcpStream,
) -> Result<tokio_rustls::client::TlsStream<tokio::net::TcpStream>, MailboxFailure> {
    let failed = |why: String| MailboxFailure::Tls {
        host: m.host.clone(),
        why,
    };
    let config = ClientConfig::with_platform_verifier().map_err(|e| failed(e.to_string()))?;
    let name = ServerName::try_from(m.host.clone()).map_err(|e| failed(e.to_string()))?;
    let connector = TlsConnector::from(Arc::new(config));
    let connected = connector.connect(name, stream).await;
    connected.map_err(|e| failed(e.to_string()))
}

async fn read<S>(
    access: &Access,
    stream: S,
    message: &str,
) -> Result<Option<TestMail>, MailboxFailure>
where
    S: AsyncRead + AsyncWrite + Unpin + std::fmt::Debug + Send,
{
    let refused = |e: async_imap::error::Error| MailboxFailure::Refused {
        host: access.mailbox.host.clone(),
        why: e.to_string(),
    };
    let mut client = Client::new(BoundedStream::new(stream));
    client
        .read_response()
        .await
        .map_err(|e| refused(e.into()))?;
    let login = client.login(&access.mailbox.user, &access.password).await;
    let mut session = login.map_err(|(e, _)| refused(e))?;
    session.select("INBOX").await.map_err(refused)?;
    // Dates of a server in another zone may be a day behind.
    let since = Timestamp::now() - SignedDuration::from_hours(24);
    let since = since.strftime("SINCE %d-%b-%Y").to_string();
    let uids = session.uid_search(since).await.map_err(refused)?;
    let mut uids: Vec<u32> = uids.into_iter().collect();
    uids.sort_unstable_by(|a, b| b.cmp(a));
    uids.truncate(MOST_MAILS);
    let mut found = None;
    if !uids.is_empty() {
        let list: Vec<String> = uids.iter().map(u32::to_string).collect();
        let mails = session.uid_fetch(list.join(","), READ).await;
        let mails: Vec<_> = mails
            .map_err(refused)?
            .try_collect()
            .await
            .map_err(refused)?;
        let ours = |mail: &async_imap::types::Fetch| {
            let told = parsed(mail.body()?, message)?;
            Some((mail.uid?, told))
        };
        found = mails.iter().find_map(ours);
    }
    if let Some((uid, _)) = &found {
        let take_away = session.uid_store(uid.to_string(), "+FLAGS (\\Deleted)");
        let marked = take_away.await.map_err(refused)?;
        marked.try_collect::<Vec<_>>().await.map_err(refused)?;
        let gone = session.expunge().await.map_err(refused)?;
        gone.try_collect::<Vec<_>>().await.map_err(refused)?;
    }
    // What a server says to a farewell changes nothing.
    let _ = session.logout().await;
    Ok(found.map(|(_, told)| told))
}

/// Returns whether the answers of a mail server stay within the bounds in which they are read:
/// bytes, and lists in lists.
pub fn is_bounded(answers: &[u8]) -> bool {
    bounded::Count::new().take(answers)
}

/// Returns the sender and subject of a mail, where it is about the message.
pub fn parsed(bytes: &[u8], message: &str) -> Option<TestMail> {
    let mail = MessageParser::default().parse(bytes)?;
    let texts = (0..mail.text_body_count()).filter_map(|i| mail.body_text(i));
    let about = texts.into_iter().any(|text| is_about(&text, message));
    let from = mail.from().and_then(|a| a.first());
    let from = from.and_then(|a| a.address()).unwrap_or_default();
    about.then(|| TestMail {
        from: from.chars().take(200).collect(),
        subject: mail
            .subject()
            .unwrap_or_default()
            .chars()
            .take(200)
            .collect(),
    })
}
