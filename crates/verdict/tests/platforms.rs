//! The kinds of platform that ship are whole.
#![allow(clippy::unwrap_used, clippy::disallowed_methods)] // tests may read files

use newtfern_model::platform::{Platform, SlotInput, advise};
use newtfern_model::profile::Supplier;
use newtfern_model::profile_form::look;
use newtfern_model::profiles::ProfileKind;

const SUPPLIER: &str = "id = 'osier'\nname = 'Osier'\n[recognise]\nscript_hosts = \
    ['cdn.osier.test']\n\
    key_patterns = ['k=(?P<key>[a-z0-9-]{8,20})']\n[snippet]\n\
    template = '<script async src=\"https://cdn.osier.test/l.js?k={{key}}\"></script>'";

/// Each slot is possible for an ordinary snippet or says why not, has steps that show the code once
/// where there is code, each with something to see, and says what undoes it.
#[test]
fn the_kinds_that_ship_are_whole() {
    let supplier = Supplier::from_toml(SUPPLIER).unwrap();
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../profiles/platforms");
    let mut kinds = 0;
    for file in std::fs::read_dir(folder).unwrap() {
        let path = file.unwrap().path();
        let text = std::fs::read_to_string(&path).unwrap();
        let looked = look(ProfileKind::Platform, &text);
        let fine = looked.problems.is_empty() && looked.remarks.is_empty();
        assert!(fine, "{path:?}: {looked:?}");
        let platform = Platform::given(&text).unwrap();
        let advice = advise(&platform, &supplier, "abcd-1234", None);
        assert!(advice[0].impossible.is_none() && !advice[0].reasons.is_empty());
        for slot in &platform.slots {
            let name = format!("{}, {}", platform.id, slot.id);
            let one = advice.iter().find(|a| a.slot == slot.id).unwrap();
            if one.impossible.is_some() {
                assert!(slot.destroys().is_some(), "{name}: {one:?}");
                continue;
            }
            let with_code = slot.steps.iter().filter(|s| s.act.contains("{{code}}"));
            assert_eq!(
                with_code.count(),
                usize::from(slot.takes != SlotInput::Switch),
                "{name}"
            );
            assert!(slot.steps.iter().all(|s| !s.check.is_empty()), "{name}");
            assert!(!slot.undo.is_empty(), "{name}");
        }
        kinds += 1;
    }
    assert_eq!(kinds, 9);
}
