//! A stand-in mailbox: takes mail by SMTP (RFC 5321) and gives it out by IMAP (RFC 3501), as far as
//! the suppliers here send and a test talk reads. One inbox, one user, loopback only.

use crate::StandinError;
use lettre::message::Mailbox as Person;
use lettre::{AsyncSmtpTransport, AsyncTransport, Message, Tokio1Executor};
use std::net::Ipv4Addr;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader, Lines};
use tokio::net::{TcpListener, TcpStream};

/// Name and password of the mailbox's user.
pub const USER: &str = "tests";
pub const PASSWORD: &str = "mailbox-for-stand-ins";
/// Mail address of the stand-in mailbox.
pub const ADDRESS: &str = "tests@fenwick-sallow.example";
/// Mails that are kept.
const MOST_KEPT: usize = 200;
/// Bytes of one mail.
const MOST_MAIL: usize = 100_000;

#[derive(Clone)]
struct Mail {
    uid: u32,
    raw: String,
    deleted: bool,
}

#[derive(Default)]
struct Inbox {
    mails: Vec<Mail>,
    next: u32,
}

/// The mailbox, and where it listens.
#[derive(Clone)]
pub struct Mailbox {
    inbox: Arc<Mutex<Inbox>>,
    pub smtp_port: u16,
    pub imap_port: u16,
}

impl Mailbox {
    /// Listens; port 0 takes any free one.
    pub async fn start(imap_port: u16) -> Result<Mailbox, StandinError> {
        let smtp = listen(0).await?;
        let imap = listen(imap_port).await?;
        let port = |l: &TcpListener| l.local_addr().map_or(0, |a| a.port());
        let mailbox = Mailbox {
            inbox: Arc::default(),
            smtp_port: port(&smtp),
            imap_port: port(&imap),
        };
        let taking = mailbox.clone();
        tokio::spawn(async move {
            while let Ok((stream, _)) = smtp.accept().await {
                let taking = taking.clone();
                tokio::spawn(async move { taking.take(stream).await });
            }
        });
        let giving = mailbox.clone();
        tokio::spawn(async move {
            while let Ok((stream, _)) = imap.accept().await {
                let giving = giving.clone();
                tokio::spawn(async move { giving.give(stream).await });
            }
        });
        Ok(mailbox)
    }

    fn inbox(&self) -> MutexGuard<'_, Inbox> {
        self.inbox.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Returns the number of mails in it.
    pub fn len(&self) -> usize {
        self.inbox().mails.len()
    }

    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Takes mails as long as somebody sends.
    async fn take(&self, stream: TcpStream) -> std::io::Result<()> {
        let (read, mut write) = stream.into_split();
        let mut lines = BufReader::new(read).lines();
        write.write_all(b"220 mail.localhost\r\n").await?;
        while let Some(line) = lines.next_line().await? {
            let verb = line.split(' ').next().unwrap_or_default();
            let answer = match verb.to_ascii_uppercase().as_str() {
                "EHLO" | "HELO" | "MAIL" | "RCPT" | "RSET" | "NOOP" => "250 fine\r\n",
                "DATA" => {
                    write.write_all(b"354 go on\r\n").await?;
                    let raw = body(&mut lines).await?;
                    let mut inbox = self.inbox();
                    inbox.next += 1;
                    let uid = inbox.next;
                    inbox.mails.push(Mail {
                        uid,
                        raw,
                        deleted: false,
                    });
                    let over = inbox.mails.len().saturating_sub(MOST_KEPT);
                    inbox.mails.drain(..over);
                    "250 taken\r\n"
                }
                "QUIT" => {
                    write.write_all(b"221 farewell\r\n").await?;
                    break;
                }
                _ => "502 unknown\r\n",
            };
            write.write_all(answer.as_bytes()).await?;
        }
        Ok(())
    }

    /// Answers one connection of a mail reader.
    async fn give(&self, stream: TcpStream) -> std::io::Result<()> {
        let (read, mut write) = stream.into_split();
        let mut lines = BufReader::new(read).lines();
        write.write_all(b"* OK ready\r\n").await?;
        let mut known = false;
        while let Some(line) = lines.next_line().await? {
            let (tag, command) = line.split_once(' ').unwrap_or((line.as_str(), ""));
            let upper = command.to_ascii_uppercase();
            let whole = format!("LOGIN \"{USER}\" \"{PASSWORD}\"");
            let (told, done) = match upper.as_str() {
                _ if upper.starts_with("LOGIN") => {
                    known = command == whole;
                    match known {
                        true => (String::new(), "OK signed in"),
                        false => (String::new(), "NO wrong name or password"),
                    }
                }
                "LOGOUT" => ("* BYE farewell\r\n".into(), "OK"),
                _ if !known => (String::new(), "NO sign in first"),
                _ => self.answer(&upper),
            };
            let answer = format!("{told}{tag} {done}\r\n");
            write.write_all(answer.as_bytes()).await?;
            if upper == "LOGOUT" {
                break;
            }
        }
        Ok(())
    }

    fn answer(&self, command: &str) -> (String, &'static str) {
        let mut inbox = self.inbox();
        if command.starts_with("SELECT") {
            let told = format!(
                "* FLAGS (\\Deleted)\r\n* {} EXISTS\r\n* 0 RECENT\r\n* OK [UIDVALIDITY 1] fine\r\n",
                inbox.mails.len()
            );
            return (told, "OK [READ-WRITE] selected");
        }
        if command.starts_with("UID SEARCH") {
            let uids: Vec<String> = inbox.mails.iter().map(|m| m.uid.to_string()).collect();
            return (format!("* SEARCH {}\r\n", uids.join(" ")), "OK");
        }
        let wanted: Vec<u32> = command
            .split(' ')
            .nth(2)
            .map(|list| list.split(',').filter_map(|n| n.parse().ok()).collect())
            .unwrap_or_default();
        if command.starts_with("UID FETCH") {
            let mails = inbox.mails.iter().enumerate();
            let told = mails
                .filter(|(_, m)| wanted.contains(&m.uid))
                .map(|(i, m)| {
                    let (at, uid, length, raw) = (i + 1, m.uid, m.raw.len(), &m.raw);
                    format!("* {at} FETCH (UID {uid} BODY[]<0> {{{length}}}\r\n{raw})\r\n")
                });
            return (told.collect(), "OK");
        }
        if command.starts_with("UID STORE") {
            for mail in &mut inbox.mails {
                mail.deleted |= wanted.contains(&mail.uid);
            }
            return (String::new(), "OK");
        }
        if command == "EXPUNGE" {
            inbox.mails.retain(|m| !m.deleted);
            return (String::new(), "OK");
        }
        (String::new(), "BAD unknown")
    }
}

async fn listen(port: u16) -> Result<TcpListener, StandinError> {
    let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, port)).await;
    listener.map_err(|source| StandinError::Listen { port, source })
}

/// Lines to the lone dot; a dot that was doubled at the beginning of a line is one.
async fn body<R: AsyncBufReadExt + AsyncReadExt + Unpin>(
    lines: &mut Lines<R>,
) -> std::io::Result<String> {
    let mut raw = String::new();
    while let Some(line) = lines.next_line().await? {
        if line == "." {
            break;
        }
        if raw.len() < MOST_MAIL {
            raw.push_str(line.strip_prefix('.').unwrap_or(&line));
            raw.push_str("\r\n");
        }
    }
    Ok(raw)
}

/// Sends a mail to a stand-in mailbox.
pub async fn send(smtp_port: u16, to: &str, subject: &str, text: String) {
    let person = |address: &str| address.parse::<Person>();
    let (Ok(from), Ok(to)) = (person("Farthing Desk <desk@farthing.example>"), person(to)) else {
        return;
    };
    let message = Message::builder().from(from).to(to).subject(subject);
    let Ok(message) = message.body(text) else {
        return;
    };
    let transport = AsyncSmtpTransport::<Tokio1Executor>::builder_dangerous("127.0.0.1");
    let transport = transport.port(smtp_port).build();
    if let Err(error) = transport.send(message).await {
        tracing::warn!("the stand-in supplier's mail was not taken: {error}");
    }
}
