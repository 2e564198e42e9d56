//! No function calls itself over input without a bound: a page, a file or a form could nest deeper
//! than any stack. All sources are read, and every circle of calls within a crate must stand below
//! with what bounds it.

use super::names::steps;
use super::sources::{self, is_test};
use std::collections::{BTreeMap, BTreeSet};
use syn::visit::Visit;

/// Circles that are meant: the functions in them, and what bounds their depth.
const BOUNDED: &[(&str, &str)] = &[
    (
        "standards/src/html/tree.rs Sink::insert",
        "once: a text becomes a node, and a node is inserted at once",
    ),
    (
        "model/src/pages/kind.rs json_types",
        "serde_json reads no deeper than 128 levels",
    ),
    (
        "newtfern/src/profiles_folder.rs find",
        "it counts how deep it is, and a folder of deeper ones is an error",
    ),
    (
        "store/src/text.rs clean_json",
        "what comes from outside was read by serde_json, no deeper than 128 levels",
    ),
    (
        "web/src/pages/site/history.rs written",
        "once: without lines it writes one to take its headings",
    ),
];

/// Functions of a file with the functions that each calls. A method is known by the type that it is
/// of, a function by its file: calls by another path lead to other files, where modules call each
/// other in one direction.
#[derive(Default)]
struct Calls {
    of: String,
    inside: Vec<String>,
    /// Names that the function gives to values: they stand for no function.
    values: BTreeSet<String>,
    calls: BTreeMap<String, BTreeSet<String>>,
}

impl Calls {
    fn named(&self, name: &str) -> String {
        match self.of.is_empty() {
            true => name.to_string(),
            false => format!("{}::{name}", self.of),
        }
    }

    fn call(&mut self, to: String) {
        if let Some(from) = self.inside.last() {
            self.calls.entry(from.clone()).or_default().insert(to);
        }
    }

    fn within(&mut self, name: String, visit: impl FnOnce(&mut Self)) {
        self.calls.entry(name.clone()).or_default();
        self.inside.push(name);
        let values = std::mem::take(&mut self.values);
        visit(self);
        self.values = values;
        self.inside.pop();
    }
}

impl<'a> Visit<'a> for Calls {
    fn visit_item_mod(&mut self, item: &'a syn::ItemMod) {
        if !is_test(&item.attrs) {
            syn::visit::visit_item_mod(self, item);
        }
    }

    fn visit_item_fn(&mut self, item: &'a syn::ItemFn) {
        if !is_test(&item.attrs) {
            let of = std::mem::take(&mut self.of);
            let name = item.sig.ident.to_string();
            self.within(name, |this| syn::visit::visit_item_fn(this, item));
            self.of = of;
        }
    }

    fn visit_item_impl(&mut self, item: &'a syn::ItemImpl) {
        let syn::Type::Path(of) = &*item.self_ty else {
            return;
        };
        let name = of.path.segments.last().unwrap().ident.to_string();
        let before = std::mem::replace(&mut self.of, name);
        syn::visit::visit_item_impl(self, item);
        self.of = before;
    }

    fn visit_impl_item_fn(&mut self, item: &'a syn::ImplItemFn) {
        let name = self.named(&item.sig.ident.to_string());
        self.within(name, |this| syn::visit::visit_impl_item_fn(this, item));
    }

    fn visit_expr_call(&mut self, call: &'a syn::ExprCall) {
        if let syn::Expr::Path(path) = &*call.func {
            let segments = steps(&path.path);
            match segments.as_slice() {
                [name] if !self.values.contains(name) => self.call(name.clone()),
                [of, name] if of == "Self" => self.call(self.named(name)),
                [of, name] if of.starts_with(char::is_uppercase) => {
                    self.call(format!("{of}::{name}"))
                }
                _ => {}
            }
        }
        syn::visit::visit_expr_call(self, call);
    }

    fn visit_pat_ident(&mut self, pattern: &'a syn::PatIdent) {
        self.values.insert(pattern.ident.to_string());
        syn::visit::visit_pat_ident(self, pattern);
    }

    // A function that is handed on (`.map(read)`) is called too.
    fn visit_expr_path(&mut self, path: &'a syn::ExprPath) {
        let segments = steps(&path.path);
        match segments.as_slice() {
            [of, name] if of == "Self" => self.call(self.named(name)),
            [name] if !self.values.contains(name) => self.call(name.clone()),
            _ => {}
        }
        syn::visit::visit_expr_path(self, path);
    }

    fn visit_expr_method_call(&mut self, call: &'a syn::ExprMethodCall) {
        if let syn::Expr::Path(receiver) = &*call.receiver
            && receiver.path.is_ident("self")
        {
            self.call(self.named(&call.method.to_string()));
        }
        syn::visit::visit_expr_method_call(self, call);
    }
}

/// Whether a function can come back to itself.
fn comes_back(calls: &BTreeMap<String, BTreeSet<String>>, from: &str) -> bool {
    let mut seen = BTreeSet::new();
    let mut waiting: Vec<&String> = calls[from].iter().collect();
    while let Some(next) = waiting.pop() {
        if next == from {
            return true;
        }
        if seen.insert(next)
            && let Some(more) = calls.get(next)
        {
            waiting.extend(more);
        }
    }
    false
}

/// Functions of a text that can come back to themselves.
fn circles(text: &str) -> Vec<String> {
    let file = syn::parse_file(text).unwrap();
    let mut calls = Calls::default();
    calls.visit_file(&file);
    let names = calls.calls.keys();
    names
        .filter(|f| comes_back(&calls.calls, f))
        .cloned()
        .collect()
}

#[test]
fn nothing_calls_itself_over_input_without_a_bound() {
    let folder = sources::rooms();
    let (mut found, mut read) = (BTreeSet::new(), 0);
    for room in sources::names().iter().filter(|r| *r != "bench") {
        for file in sources::of(room) {
            let path = file.strip_prefix(&folder).unwrap().display().to_string();
            read += 1;
            let text = std::fs::read_to_string(&file).unwrap();
            found.extend(circles(&text).into_iter().map(|f| format!("{path} {f}")));
        }
    }
    assert!(read > 300, "{read} files are too few to mean anything");
    let meant: BTreeSet<String> = BOUNDED.iter().map(|(f, _)| f.to_string()).collect();
    let new: Vec<&String> = found.difference(&meant).collect();
    assert!(
        new.is_empty(),
        "these call themselves and no bound is told: {new:#?}"
    );
    let gone: Vec<&String> = meant.difference(&found).collect();
    assert!(gone.is_empty(), "these call themselves no more: {gone:#?}");
}

#[test]
fn circles_of_every_kind_are_seen() {
    for (text, expected) in [
        ("fn a() { a() }", vec!["a"]),
        ("fn a() { b() } fn b() { if true { a() } }", vec!["a", "b"]),
        ("fn a() { x.map(a); }", vec!["a"]),
        (
            "struct T; impl T { fn a(&self) { self.b() } fn b(&self) { Self::a(self) } }",
            vec!["T::a", "T::b"],
        ),
        ("struct T; impl T { fn a(x: T) { T::a(x) } }", vec!["T::a"]),
        ("fn a() { b() } fn b() {}", vec![]),
        ("struct T; impl T { fn a(&self) { a() } } fn a() {}", vec![]),
    ] {
        assert_eq!(circles(text), expected, "{text}");
    }
}
