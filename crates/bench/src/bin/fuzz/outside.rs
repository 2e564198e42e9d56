//! Parsers of what comes from outside in other shapes than pages: calendars, archives, mail
//! servers' answers, mails, consent strings, sets of tags, texts of slots.

use crate::target::{Target, kind_of, shape_of, size, target};
use newtfern_model::calendar::holidays;
use newtfern_model::design::tokens;
use newtfern_model::placing::{Placing, SlotContent};
use newtfern_model::platform::{Platform, SlotInput};
use newtfern_model::profile::Supplier;
use newtfern_model::tags::TagSet;
use newtfern_probe::mailbox;
use newtfern_standards::tcf::TcString;
use newtfern_web::archive::unpacked;

const CALENDAR: &str = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y\r\nBEGIN:VEVENT\r\n\
                        UID:1\r\nDTSTART;VALUE=DATE:20261225\r\nRRULE:FREQ=YEARLY;BYMONTH=12;\
                        COUNT=3\r\nEXDATE;VALUE=DATE:20271225\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
const IMAP: &str = "* OK ready\r\n* 1 FETCH (UID 7 BODY[]<0> {5}\r\nhello)\r\n* 2 FETCH \
    (BODYSTRUCTURE (\"TEXT\" \"PLAIN\" (\"CHARSET\" \"UTF-8\") NIL NIL \"7BIT\" 12 1))\r\n* SEARCH \
    1 2\r\na1 OK done\r\n";
const MAIL: &str = "From: Ida <ida@mill.example>\r\nSubject: \
    =?utf-8?q?We_have_it?=\r\nMIME-Version: 1.0\r\nContent-Type: multipart/mixed; \
    boundary=b\r\n\r\n--b\r\nContent-Type: text/plain\r\n\r\nHello (no. 7)\r\n--b\r\nContent-Type: \
    message/rfc822\r\n\r\nSubject: in\r\n\r\nx\r\n--b--\r\n";
const TAGS: &str = r#"{"id":"WK-1",
    "version":7,"tags":[{"id":"a","name":"A","html":"<script></script>"}],
    "published":{"version":1,"note":"","tags":[]}}"#;

fn archive() -> Option<String> {
    let mut archive = tar::Builder::new(Vec::new());
    let mut header = tar::Header::new_gnu();
    header.set_size(3);
    header.set_cksum();
    archive
        .append_data(&mut header, "a.toml", "a=1".as_bytes())
        .ok()?;
    String::from_utf8(archive.into_inner().ok()?).ok()
}

/// All answers of a mail server, where they are within the bounds in which they are read.
fn answers(bytes: &[u8]) -> (bool, u32) {
    if !mailbox::is_bounded(bytes) {
        return (false, 0);
    }
    let (mut rest, mut read) = (bytes, 0);
    while let Ok((left, _)) = async_imap::imap_proto::Response::parse(rest) {
        if left.len() >= rest.len() {
            break;
        }
        (rest, read) = (left, read + 1);
    }
    (true, size(read))
}

fn of_bytes(name: &'static str, seeds: &[&str], run: impl Fn(&[u8]) -> u64 + 'static) -> Target {
    let mut out = target(name, seeds, |_| ());
    out.run = Box::new(run);
    out
}

/// Returns the parsers of formats from outside.
// Long: a list.
pub fn all() -> Vec<Target> {
    let (Ok(from), Ok(until)) = ("2026-01-01".parse(), "2028-01-01".parse()) else {
        return Vec::new();
    };
    let supplier = Supplier::from_toml(&newtfern_standins::supplier_profile(80));
    let platform = Platform::from_toml(newtfern_standins::platform_profile());
    let (Ok(supplier), Ok(platform)) = (supplier, platform) else {
        return Vec::new();
    };
    let snippet = supplier.snippet_for("mill-live");
    let slots = [
        format!("<!-- off {snippet} -->{snippet}<p>&lt;script src=x&gt;&lt;/script&gt;</p>"),
        snippet,
    ];
    let slots: Vec<&str> = slots.iter().map(String::as_str).collect();
    let archive = archive().unwrap_or_default();
    vec![
        target("calendar", &[CALENDAR], move |t| {
            holidays(t, from, until, &|| true)
                .map(|h| (size(h.days.len()), size(h.timed)))
                .map_err(kind_of)
        }),
        of_bytes("archive", &[&archive], |bytes| {
            shape_of(
                unpacked("a.tar", bytes)
                    .map(|f| size(f.len()))
                    .map_err(kind_of),
            )
        }),
        of_bytes("mail server", &[IMAP], |bytes| shape_of(answers(bytes))),
        of_bytes("mail", &[MAIL], |bytes| {
            let read = mailbox::parsed(bytes, "Hello (no. 7)");
            shape_of(read.map(|m| (m.from.is_empty(), m.subject.is_empty())))
        }),
        target(
            "consent string",
            &["CPAAAAAPAAAAAAAAAAENAACAAAAAAAAAAAAA"],
            |t| {
                TcString::decode(t)
                    .map(|s| size(s.words().len()))
                    .map_err(kind_of)
            },
        ),
        target("set of tags", &[TAGS], |t| {
            TagSet::read(t).map(|s| size(s.tags.len())).map_err(kind_of)
        }),
        target(
            "design file",
            &["{\"title\": {\"$value\": \"Kites\"}}"],
            |t| tokens::read(t).map(|l| size(l.len())).map_err(kind_of),
        ),
        target("what slots hold", &slots, move |t| {
            let slot = platform.slots.iter().find(|s| s.takes == SlotInput::Markup);
            let placing = Placing {
                siblings: Vec::new(),
                supplier: &supplier,
                key: "mill-live",
                consent: None,
                slots: slot
                    .map(|slot| SlotContent {
                        slot,
                        text: t.to_string(),
                    })
                    .into_iter()
                    .collect(),
            };
            let (changes, told, left) = placing.clear();
            (changes.len(), size(told.len()), size(left.len()))
        }),
    ]
}
