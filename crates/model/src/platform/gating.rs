//! How a consent manager holds code back in each kind of slot: by its mark on a script element, by
//! a call around script text, or by the hosts that it was told at its own desk.

use super::step::Step;
use crate::profile::{ConsentManager, Supplier};
use newtfern_standards::html::escaped;
use serde::{Deserialize, Serialize};

/// Each script element marked so that the manager lets it go once consent is given. The mark comes
/// first: of two `type` attributes the first one counts (HTML standard, duplicate attributes).
pub(super) fn marked(snippet: &str, supplier: &Supplier, manager: &ConsentManager) -> String {
    let gating = &manager.gating;
    let mark = format!(
        "<script type=\"{}\" {}=\"{}\"",
        gating.script_type,
        gating.attribute,
        escaped(gating.category(supplier.consent.class))
    );
    snippet.replace("<script", &mark)
}

/// Script text inside the manager's call, which runs it once consent is given.
pub(crate) fn called(code: &str, supplier: &Supplier, manager: &ConsentManager) -> String {
    let gating = &manager.gating;
    let category =
        newtfern_standards::script_scan::in_a_string(gating.category(supplier.consent.class));
    // The code last: nothing in it is a place to fill.
    (gating.script)
        .replace("{{category}}", &category)
        .replace("{{code}}", &format!("\n{}\n", code.trim()))
}

/// Script text as an element of its own.
pub(crate) fn in_script_tags(code: &str) -> String {
    format!("<script>\n{}\n</script>", code.trim())
}

/// Steps of a person at a consent manager, so that it holds back what the code cannot.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct AtManager {
    /// Steps in their order; `{{hosts}}` marks the step that shows the hosts to copy.
    pub steps: Vec<Step>,
    /// Hosts of the supplier that the manager holds back.
    pub hosts: Vec<String>,
}

impl AtManager {
    pub(super) fn of(supplier: &Supplier, manager: &ConsentManager) -> AtManager {
        let category = manager.gating.category(supplier.consent.class);
        let filled = |text: &str| text.replace("{{category}}", category);
        let steps = manager.gating.steps.iter();
        AtManager {
            steps: steps
                .map(|s| Step {
                    act: filled(&s.act),
                    check: filled(&s.check),
                })
                .collect(),
            hosts: supplier.hosts().map(str::to_string).collect(),
        }
    }
}
