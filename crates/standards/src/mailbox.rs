//! The mailbox to which test talks have their mails sent: where it is, and which of its mails is a
//! test's.

use url::Url;

/// Mailbox in which mails of test chats are read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mailbox {
    /// The address that a test gives as its own.
    pub address: String,
    /// Host of the mail server.
    pub host: String,
    /// Port of the mail server.
    pub port: u16,
    /// The connection is encrypted from its first byte.
    pub secure: bool,
    /// User who signs in.
    pub user: String,
}

/// Reason why a mailbox cannot be read from what was typed.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MailboxError {
    /// The text is no mail address.
    #[error("\u{201c}{0}\u{201d} is not a mail address")]
    Address(String),
    /// No address of a server.
    #[error(
        "\u{201c}{0}\u{201d} is not an address of a mailbox, such as \
        imaps://tests@mail.fenwick.example (RFC 5092)"
    )]
    Server(String),
    /// Nobody is named who signs in.
    #[error("the mailbox\u{2019}s address names nobody who signs in, as in imaps://tests@{0}")]
    User(String),
}

impl Mailbox {
    /// Reads a mailbox from the mail address and the server's address, as RFC 5092 writes it;
    /// `imaps` is encrypted throughout.
    ///
    /// # Errors
    /// [`MailboxError`], with what is wrong.
    pub fn read(address: &str, server: &str) -> Result<Mailbox, MailboxError> {
        let (address, server) = (address.trim(), server.trim());
        let halves = address.split_once('@');
        let whole = halves.is_some_and(|(name, host)| {
            !name.is_empty() && host.contains('.') && !host.contains('@')
        });
        if !whole || address.contains(char::is_whitespace) {
            return Err(MailboxError::Address(address.into()));
        }
        let wrong = || MailboxError::Server(server.into());
        let url = Url::parse(server).map_err(|_| wrong())?;
        let secure = match url.scheme() {
            "imaps" => true,
            "imap" => false,
            _ => return Err(wrong()),
        };
        let host = url.host_str().filter(|h| !h.is_empty()).ok_or_else(wrong)?;
        let user = percent_encoding::percent_decode_str(url.username()).decode_utf8();
        let user = user.map_err(|_| wrong())?.into_owned();
        if user.is_empty() {
            return Err(MailboxError::User(host.into()));
        }
        Ok(Mailbox {
            address: address.into(),
            host: host.into(),
            port: url.port().unwrap_or(if secure { 993 } else { 143 }),
            secure,
            user,
        })
    }
}

/// A mail is the test's where the test's message stands in it, however its lines were broken.
pub fn is_about(mail: &str, message: &str) -> bool {
    let folded = |text: &str| text.split_whitespace().collect::<Vec<_>>().join(" ");
    let message = folded(message);
    !message.is_empty() && folded(mail).contains(&message)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_server_is_read_as_the_standard_writes_it() {
        let read = |server| Mailbox::read("tests@fenwick.example", server);
        let plain = read("imaps://tests@mail.fenwick.example").unwrap();
        assert_eq!((plain.port, plain.secure), (993, true));
        // RFC 5092: characters that stand for others are percent-encoded; ports are RFC 8314's and
        // RFC 3501's.
        let other = read("imap://desk%40fenwick.example@mail.fenwick.example:1143/INBOX").unwrap();
        assert_eq!(
            (other.user.as_str(), other.port, other.secure),
            ("desk@fenwick.example", 1143, false)
        );
        assert_eq!(read("imap://a@mail.test").unwrap().port, 143);
        for wrong in ["mail.fenwick.example", "https://a@b.test", "imaps://"] {
            assert!(
                matches!(read(wrong), Err(MailboxError::Server(_))),
                "{wrong}"
            );
        }
        let nobody = read("imaps://mail.fenwick.example").unwrap_err();
        assert!(
            nobody
                .to_string()
                .contains("imaps://tests@mail.fenwick.example")
        );
        for wrong in ["", "tests", "@b.test", "a@b", "a b@c.test"] {
            assert!(Mailbox::read(wrong, "imaps://a@b.test").is_err(), "{wrong}");
        }
    }

    #[test]
    fn a_mail_is_about_a_message_however_its_lines_break() {
        let message = "Hello, this is a test (no. 12)";
        assert!(is_about(
            "You wrote:\r\n> Hello, this is\r\n a test (no. 12)\r\n",
            message
        ));
        assert!(!is_about("Hello, this is a test (no. 123", message));
        assert!(!is_about("anything", ""));
    }
}
