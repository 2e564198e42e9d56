//! Functions of the browser that a page has replaced: asked for where the widget's code threw,
//! since one of them may be why.

use super::Tab;
use serde_json::Value;

/// Functions that loaders lean on and that other scripts are known to replace (common practice).
const NAMES: &[&str] = &[
    "Array.from",
    "Array.isArray",
    "Array.prototype.concat",
    "Array.prototype.every",
    "Array.prototype.filter",
    "Array.prototype.find",
    "Array.prototype.forEach",
    "Array.prototype.includes",
    "Array.prototype.indexOf",
    "Array.prototype.map",
    "Array.prototype.push",
    "Array.prototype.reduce",
    "Array.prototype.slice",
    "Array.prototype.some",
    "Element.prototype.closest",
    "Element.prototype.matches",
    "Element.prototype.setAttribute",
    "EventTarget.prototype.addEventListener",
    "Function.prototype.bind",
    "JSON.parse",
    "JSON.stringify",
    "Map",
    "Node.prototype.appendChild",
    "Node.prototype.insertBefore",
    "Object.assign",
    "Object.create",
    "Object.defineProperty",
    "Object.entries",
    "Object.keys",
    "Object.values",
    "Promise",
    "Promise.resolve",
    "Set",
    "String.prototype.includes",
    "String.prototype.replace",
    "String.prototype.split",
    "String.prototype.startsWith",
    "String.prototype.trim",
    "Symbol",
    "URL",
    "WebSocket",
    "XMLHttpRequest",
    "document.createElement",
    "document.getElementById",
    "document.querySelector",
    "fetch",
    "localStorage.getItem",
    "localStorage.setItem",
    "requestAnimationFrame",
    "setTimeout",
];

/// Notes which of them are not the browser's own, in the page's world. A page that does not answer
/// tells nothing.
pub async fn note(tab: &Tab) {
    if tab.with(|s| s.seen.exceptions.is_empty()) || tab.is_alive() {
        return;
    }
    let asked = format!(
        "(() => {{
            const text = Function.prototype.toString;
            const own = (f) => {{
                try {{
                    return typeof f === 'function' && /\\{{\\s*\\[native \
                    code\\]\\s*\\}}\\s*$/.test(text.call(f));
                }} catch {{
                    return false;
                }}
            }};
            const at = (name) => name.split('.').reduce((o, k) => (o == null ? o : o[k]), window);
            const replaced = (name) => {{
                try {{
                    return !own(at(name));
                }} catch {{
                    return false;
                }}
            }};
            return {}.filter(replaced);
        }})()",
        serde_json::json!(NAMES)
    );
    let Ok(Value::Array(told)) = tab.ask_page(&asked).await else {
        return;
    };
    // The page's own world may answer anything.
    let known = NAMES.iter().filter(|n| told.iter().any(|t| t == **n));
    let known: Vec<String> = known.map(|n| n.to_string()).collect();
    tab.mark(|o| o.replaced = known);
}
