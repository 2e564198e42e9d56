//! Tokens of interfaces, on their way in: one line, and not over an unencrypted connection unless a
//! person said so.

use crate::{ActError, Result};
use newtfern_standards::address::is_unencrypted;
use newtfern_standards::typed;
use url::Url;

/// A token as it was typed.
#[derive(Debug, Clone, Copy)]
pub struct Token<'a> {
    pub text: &'a str,
    /// Whether the token may go out unencrypted: the person was warned and wants it.
    pub unencrypted: bool,
}

/// The token as it can be kept.
pub(crate) fn one_line(text: &str) -> Result<&str> {
    typed::token(text).map_err(|e| ActError::Bad(format!("The token {e}.")))
}

/// The token as it can be kept; `goes_to` are the addresses that it will be sent to.
pub(crate) fn checked<'a>(
    token: Option<Token<'a>>,
    goes_to: impl IntoIterator<Item = Url>,
) -> Result<Option<&'a str>> {
    let Some(token) = token else {
        return Ok(None);
    };
    let text = one_line(token.text)?;
    let open = goes_to.into_iter().find(is_unencrypted);
    match open.filter(|_| !token.unencrypted) {
        Some(url) => Err(ActError::Unencrypted(url.origin().ascii_serialization())),
        None => Ok(Some(text)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kept(address: &str, unencrypted: bool) -> Result<Option<&'static str>> {
        let text = " abc ";
        let token = Token { text, unencrypted };
        checked(Some(token), Url::parse(address).ok())
    }

    #[test]
    fn a_token_goes_out_unencrypted_only_where_a_person_said_so() {
        let open = "http://mill.example/interface";
        let told = kept(open, false).unwrap_err().to_string();
        assert!(told.contains("http://mill.example"), "{told}");
        assert_eq!(kept(open, true).unwrap(), Some("abc"));
        for safe in [
            "https://mill.example/",
            "http://mill.localhost/",
            "http://127.0.0.1:8480/",
            "http://[::1]/",
        ] {
            assert_eq!(kept(safe, false).unwrap(), Some("abc"), "{safe}");
        }
        assert!(checked(None, Url::parse(open).ok()).unwrap().is_none());
    }
}
