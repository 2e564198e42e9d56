//! Pictures of a widget beside those that its design names: whoever answers, the launcher, the
//! logo.

use crate::brand::values::{finding, gap, value};
use crate::report::{ComparedValue, Report};
use newtfern_model::code::Code;
use newtfern_model::design::{Design, Field};
use newtfern_model::finding::{Evidence, Severity};
use newtfern_standards::observation::{PanelDetails, Part, PictureSeen};

/// Fields of a design that name a picture, with the name that a look gives it.
const PLACES: [(Field, &str); 3] = [
    (Field::AgentPhoto, PictureSeen::PHOTO),
    (Field::Picture, PictureSeen::LAUNCHER),
    (Field::LogoPicture, PictureSeen::LOGO),
];

/// Returns the field of the picture that a look calls so.
pub fn field_of(name: &str) -> Option<Field> {
    let place = PLACES.iter().find(|(_, seen)| *seen == name);
    place.map(|(field, _)| *field)
}

/// Compares each picture that the design names; one is another only by its hash.
pub(super) fn judge(design: &Design, details: &PanelDetails, out: &mut Report<Vec<ComparedValue>>) {
    for (field, name) in PLACES {
        let Some(wanted) = design.designed(field) else {
            continue;
        };
        let Some(seen) = details.pictures.iter().find(|p| p.name == name) else {
            gap(
                out,
                name,
                "the supplier\u{2019}s profile does not say where it is",
            );
            continue;
        };
        let logo_shows = || {
            details
                .parts
                .iter()
                .any(|p| p.part == Part::Logo && p.shown == Some(true))
        };
        if seen.src.is_empty() && name == PictureSeen::LOGO && logo_shows() {
            gap(
                out,
                name,
                "what shows there has no picture\u{2019}s address",
            );
            continue;
        }
        if seen.src.is_empty() {
            value(out, field, wanted, None, false);
            let summary = format!("The {name} does not show.");
            out.findings.push(finding(
                Code::BrandPicture,
                Severity::Fault,
                summary,
                "the picture",
            ));
            continue;
        }
        let (Some(is), Some(meant)) = (seen.hash, seen.designed) else {
            gap(out, name, &seen.why);
            continue;
        };
        let same = is.looks_like(meant);
        value(out, field, wanted, Some(seen.src.clone()), same);
        if !same {
            let bits = is.distance(meant);
            let summary = format!("The {name} is another picture than the designed one.");
            out.findings.push(
                finding(Code::BrandPicture, Severity::Fault, summary, "the picture").with_all([
                    Evidence::fact(format!("seen: {}", seen.src)),
                    Evidence::fact(format!("designed: {wanted}")),
                    Evidence::fact(format!(
                        "perceptual hashes differ in {bits} of 64 bits; up to \
                        10 are the same picture"
                    )),
                ]),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::wished;
    use newtfern_standards::image_hash::ImageHash;
    use newtfern_standards::observation::PartSeen;

    fn told(wish: &[(Field, &str)], details: PanelDetails) -> Report<Vec<ComparedValue>> {
        let mut out = Report::default();
        judge(&wished(wish), &details, &mut out);
        out
    }

    fn codes(told: &Report<Vec<ComparedValue>>) -> Vec<Code> {
        told.findings.iter().map(|f| f.code).collect()
    }

    #[test]
    fn a_logo_drawn_in_code_is_neither_missing_nor_another() {
        let with_part = |shown| PanelDetails {
            pictures: vec![PictureSeen {
                name: PictureSeen::LOGO.into(),
                ..PictureSeen::default()
            }],
            parts: vec![PartSeen {
                part: Part::Logo,
                shown: Some(shown),
            }],
            ..PanelDetails::default()
        };
        let wish = [(Field::LogoPicture, "/mark.png")];
        let drawn = told(&wish, with_part(true));
        assert!(drawn.findings.is_empty() && drawn.gaps[0].why.contains("no picture"));
        let gone = told(&wish, with_part(false));
        assert_eq!(codes(&gone), [Code::BrandPicture]);
        assert!(
            gone.findings[0]
                .summary
                .contains("logo picture does not show")
        );
    }

    #[test]
    fn a_picture_is_the_designed_one_by_its_hash_and_never_by_guess() {
        let hash = |text: &str| text.parse::<ImageHash>().ok();
        let of = |seen: PictureSeen| {
            let details = PanelDetails {
                pictures: vec![seen],
                ..PanelDetails::default()
            };
            told(&[(Field::AgentPhoto, "/ida.png")], details)
        };
        let photo = PictureSeen {
            name: "photo".into(),
            src: "https://cdn.example.test/ida.png".into(),
            hash: hash("ff00ff00ff00ff00"),
            designed: hash("ff00ff00ff00ff07"),
            ..PictureSeen::default()
        };
        assert!(codes(&of(photo.clone())).is_empty());
        let other = PictureSeen {
            designed: hash("00ff00ff00ff00ff"),
            ..photo.clone()
        };
        let told = of(other);
        assert_eq!(codes(&told), [Code::BrandPicture]);
        let lines: Vec<String> = told.findings[0].evidence.iter().map(|e| e.line()).collect();
        assert!(lines[2].contains("64 of 64 bits"), "{lines:?}");
        let unread = of(PictureSeen {
            designed: None,
            why: "the designed picture answered with status 404".into(),
            ..photo.clone()
        });
        assert!(unread.findings.is_empty());
        assert!(unread.gaps[0].why.contains("404"));
        let gone = of(PictureSeen {
            src: String::new(),
            ..photo
        });
        assert_eq!(codes(&gone), [Code::BrandPicture]);
    }
}
