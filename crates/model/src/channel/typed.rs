//! A channel's target as people type it, made into the link that it means.

use super::kind::ChannelKind;
use super::target::Target;
use percent_encoding::{AsciiSet, CONTROLS, utf8_percent_encode};
use std::collections::BTreeMap;
use url::Url;

/// Addresses of a supplier's services with `{{handle}}` in place of a name there, by kind.
pub type Addresses = BTreeMap<ChannelKind, String>;

/// Digits of a number with its country code (ITU-T E.164: 15 at most; fewer than 7 are no
/// subscriber's).
const DIGITS: std::ops::RangeInclusive<usize> = 7..=15;

/// What a link to a mail address may not hold as it stands (RFC 6068, section 2).
const IN_MAIL: &AsciiSet = &CONTROLS
    .add(b' ')
    .add(b'%')
    .add(b'&')
    .add(b'?')
    .add(b'#')
    .add(b'"')
    .add(b'/')
    .add(b'<')
    .add(b'>');

/// What a handle may not hold in an address's path or query.
const IN_HANDLE: &AsciiSet = &IN_MAIL.add(b'=').add(b'+').add(b'@');

/// Returns the link that a typed target means: a number with its country code as `tel:` or `sms:`
/// (RFC 3966, RFC 5724), a mail address as `mailto:` (RFC 6068), a handle in the address that the
/// supplier's profile gives for its kind. A link stays as it is.
///
/// # Errors
/// In words for the person, where nothing tells what is meant.
///
/// ```
/// use newtfern_model::channel::{Addresses, ChannelKind, link_of};
/// let none = Addresses::new();
/// let phone = link_of(ChannelKind::Phone, "+44 1632 960 123", &none);
/// assert_eq!(phone.as_deref(), Ok("tel:+441632960123"));
/// assert!(link_of(ChannelKind::Phone, "01632 960123", &none).is_err());
/// ```
pub fn link_of(kind: ChannelKind, typed: &str, addresses: &Addresses) -> Result<String, String> {
    let typed = typed.trim();
    let out = match kind {
        ChannelKind::Phone => number(typed, "tel"),
        ChannelKind::Sms => number(typed, "sms"),
        ChannelKind::Mail => mail(typed),
        ChannelKind::Messaging | ChannelKind::Chat => match is_link(typed) {
            true => Ok(typed.to_string()),
            false => handle(kind, typed, addresses),
        },
        ChannelKind::Link => match is_link(typed) || typed.starts_with('/') {
            true => Ok(typed.to_string()),
            false => Err(format!(
                "\u{201c}{typed}\u{201d} is no address: write it whole, such as \
                https://www.kites.example/contact, or as a path that begins with /"
            )),
        },
    }?;
    match Target::read(&out, None) {
        Some(target) if !target.fits(kind) => Err(format!(
            "\u{201c}{typed}\u{201d} is no target for the kind {}: choose the kind that it is",
            kind.word()
        )),
        _ => Ok(out),
    }
}

/// A whole link with a scheme of its own; `name:` of a bare handle or host with a port is none.
fn is_link(typed: &str) -> bool {
    let scheme = typed.split_once(':').map(|(scheme, _)| scheme);
    scheme.is_some_and(|s| s.len() > 1 && !s.contains('.')) && Url::parse(typed).is_ok()
}

fn scheme_of<'a>(typed: &'a str, scheme: &str) -> Option<&'a str> {
    let (before, rest) = typed.split_once(':')?;
    before.trim().eq_ignore_ascii_case(scheme).then_some(rest)
}

/// A number of any subscriber in the world. A link of the kind may hold more, such as an extension.
fn number(typed: &str, scheme: &str) -> Result<String, String> {
    let within = scheme_of(typed, scheme);
    let text = within.unwrap_or(typed).trim();
    // "(0)" is what callers inside the country dial in place of the code (common practice).
    let bare = text.replace("(0)", "");
    let kept = |c: &char| !matches!(c, '-' | '.' | '(' | ')' | '/') && !c.is_whitespace();
    let plain: String = bare.chars().filter(kept).collect();
    let digits = plain.strip_prefix('+').unwrap_or_default();
    let whole = digits.bytes().all(|b| b.is_ascii_digit()) && DIGITS.contains(&digits.len());
    if whole {
        return Ok(format!("{scheme}:+{digits}"));
    }
    // An extension, a context, several recipients: as the standard writes them.
    if let Some(rest) = within.filter(|rest| rest.contains([';', '?', ','])) {
        return Ok(format!("{scheme}:{}", rest.trim()));
    }
    Err(format!(
        "\u{201c}{typed}\u{201d} is no number that works from everywhere: write it with its \
         country \
        code, such as +44 1632 960 123"
    ))
}

fn mail(typed: &str) -> Result<String, String> {
    let within = scheme_of(typed, "mailto");
    let text = within.unwrap_or(typed).trim();
    let bare = text.split('?').next().unwrap_or_default();
    let is_address = |a: &str| {
        a.rsplit_once('@').is_some_and(|(local, domain)| {
            !local.is_empty() && domain.contains('.') && url::Host::parse(domain).is_ok()
        })
    };
    let blank = |c: char| c.is_whitespace();
    let given = bare.split(',').map(str::trim);
    let all = given.clone().all(|a| is_address(a) && !a.contains(blank));
    // Addressees may all stand after the question mark.
    let elsewhere = within.is_some() && bare.is_empty() && text.to_lowercase().contains("to=");
    match within {
        _ if !all && !elsewhere => Err(format!(
            "\u{201c}{typed}\u{201d} is no mail address: write it as name@kites.example"
        )),
        Some(_) => Ok(format!("mailto:{text}")),
        None => Ok(format!("mailto:{}", utf8_percent_encode(text, IN_MAIL))),
    }
}

fn handle(kind: ChannelKind, typed: &str, addresses: &Addresses) -> Result<String, String> {
    let bare = typed.trim_start_matches('@');
    let Some(template) = addresses.get(&kind) else {
        return Err(format!(
            "\u{201c}{typed}\u{201d} is a name, and the supplier's profile does not say which \
             address \
            it stands in: enter the whole address, or add [channels.addresses] to the profile"
        ));
    };
    if bare.is_empty() || bare.contains(char::is_whitespace) {
        return Err(format!(
            "\u{201c}{typed}\u{201d} is no name at a service: write it without blanks, such as \
            @kite-workshop"
        ));
    }
    let name = utf8_percent_encode(bare, IN_HANDLE).to_string();
    Ok(template.replace("{{handle}}", &name))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn addresses() -> Addresses {
        let template = "https://m.example/{{handle}}".to_string();
        Addresses::from([(ChannelKind::Messaging, template)])
    }

    fn link(kind: ChannelKind, typed: &str) -> Result<String, String> {
        link_of(kind, typed, &addresses())
    }

    // Numbers of the range that is kept free for drama (Ofcom, 01632 960).
    #[test]
    fn numbers_become_links_with_their_country_code() {
        for typed in [
            "+44 1632 960 123",
            "+44 (0)1632 960123",
            "+44-1632.960/123",
            "tel:+44 1632 960123",
            "TEL:+441632960123",
        ] {
            let seen = link(ChannelKind::Phone, typed);
            assert_eq!(seen.as_deref(), Ok("tel:+441632960123"), "{typed}");
        }
        assert_eq!(
            link(ChannelKind::Sms, "+44 1632 960 123").as_deref(),
            Ok("sms:+441632960123")
        );
        let extension = "tel:+441632960123;ext=12";
        assert_eq!(
            link(ChannelKind::Phone, extension).as_deref(),
            Ok(extension)
        );
        for typed in ["01632 960123", "+44", "+44 1632 96o 123", "call us", ""] {
            let why = link(ChannelKind::Phone, typed).unwrap_err();
            assert!(why.contains("country"), "{typed}: {why}");
        }
    }

    #[test]
    fn mail_addresses_become_links() {
        let mail = |typed: &str| link(ChannelKind::Mail, typed);
        assert_eq!(
            mail("hello@kites.example").as_deref(),
            Ok("mailto:hello@kites.example")
        );
        assert_eq!(
            mail("mailto:hello@kites.example?subject=Kites").as_deref(),
            Ok("mailto:hello@kites.example?subject=Kites")
        );
        // RFC 6068, section 6.1: a percent sign in an address is written out.
        assert_eq!(
            mail("gorby%kremvax@example.com").as_deref(),
            Ok("mailto:gorby%25kremvax@example.com")
        );
        for typed in [
            "hello",
            "hello@kites",
            "hello at kites.example",
            "@kites.example",
            "",
        ] {
            assert!(mail(typed).unwrap_err().contains("mail address"), "{typed}");
        }
    }

    #[test]
    fn handles_stand_in_the_address_of_their_service() {
        let messaging = |typed: &str| link(ChannelKind::Messaging, typed);
        for typed in [
            "kite-workshop",
            "@kite-workshop",
            "https://m.example/kite-workshop",
        ] {
            assert_eq!(
                messaging(typed).as_deref(),
                Ok("https://m.example/kite-workshop")
            );
        }
        assert_eq!(messaging("a/b").as_deref(), Ok("https://m.example/a%2Fb"));
        assert!(
            messaging("kite workshop")
                .unwrap_err()
                .contains("without blanks")
        );
        let none = Addresses::new();
        let why = link_of(ChannelKind::Messaging, "@kites", &none).unwrap_err();
        assert!(why.contains("[channels.addresses]"), "{why}");
    }

    #[test]
    fn other_links_are_addresses_and_kinds_are_kept_apart() {
        let other = |typed: &str| link(ChannelKind::Link, typed);
        assert_eq!(other("/contact").as_deref(), Ok("/contact"));
        assert!(other("contact us").unwrap_err().contains("no address"));
        assert!(other("tel:+441632960123").unwrap_err().contains("kind"));
        assert!(link(ChannelKind::Phone, "https://m.example/x").is_err());
    }
}
