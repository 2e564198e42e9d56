//! What a file names of other files: its imports, and paths in its code and in what it gives to
//! macros.

use super::sources::is_test;
use std::collections::BTreeSet;
use syn::visit::Visit;

/// A name brought in: the path it stands for, and the name it has here (`*` for all names of a
/// place).
#[derive(Debug, Clone)]
pub struct Import {
    pub path: Vec<String>,
    pub name: String,
    pub is_public: bool,
}

/// What one file names and defines.
#[derive(Debug, Default)]
pub struct Names {
    pub imports: Vec<Import>,
    /// Paths in code, as they are written.
    pub paths: BTreeSet<Vec<String>>,
    pub defines: BTreeSet<String>,
    /// Modules that stand within the file itself.
    pub inner: BTreeSet<String>,
}

/// Returns the names that a path goes through.
pub fn steps(path: &syn::Path) -> Vec<String> {
    path.segments.iter().map(|s| s.ident.to_string()).collect()
}

/// Reads one file.
pub fn of(text: &str) -> Names {
    let mut names = Names::default();
    names.visit_file(&syn::parse_file(text).unwrap());
    names
}

fn spread(tree: &syn::UseTree, so_far: &[String], is_public: bool, out: &mut Vec<Import>) {
    let mut waiting = vec![(tree, so_far.to_vec())];
    while let Some((tree, mut path)) = waiting.pop() {
        let name = match tree {
            syn::UseTree::Path(step) => {
                path.push(step.ident.to_string());
                waiting.push((&step.tree, path));
                continue;
            }
            syn::UseTree::Group(group) => {
                waiting.extend(group.items.iter().map(|item| (item, path.clone())));
                continue;
            }
            syn::UseTree::Name(leaf) => {
                path.push(leaf.ident.to_string());
                leaf.ident.to_string()
            }
            syn::UseTree::Rename(leaf) => {
                path.push(leaf.ident.to_string());
                leaf.rename.to_string()
            }
            syn::UseTree::Glob(_) => "*".to_string(),
        };
        // `a::{self}` is `a`.
        let (path, name) = match name == "self" && path.len() > 1 {
            true => (
                path[..path.len() - 1].to_vec(),
                path[path.len() - 2].clone(),
            ),
            false => (path, name),
        };
        out.push(Import {
            path,
            name,
            is_public,
        });
    }
}

/// Paths in a text of tokens, which stand apart from each other: `a :: b ( c )`.
fn in_tokens(text: &str) -> Vec<Vec<String>> {
    let is_name = |w: &str| w.starts_with(|c: char| c.is_alphabetic() || c == '_');
    let words: Vec<&str> = text
        .split(|c: char| !(c.is_alphanumeric() || c == '_' || c == ':'))
        .filter(|w| !w.is_empty())
        .collect();
    let mut paths: Vec<Vec<String>> = Vec::new();
    let mut goes_on = false;
    for word in words {
        let steps: Vec<&str> = word.split("::").collect();
        for (at, step) in steps.iter().enumerate() {
            goes_on |= at > 0;
            let step = step.trim_matches(':');
            if !is_name(step) {
                continue;
            }
            match paths.last_mut() {
                Some(path) if goes_on => path.push(step.to_string()),
                _ => paths.push(vec![step.to_string()]),
            }
            goes_on = false;
        }
    }
    paths
}

macro_rules! define {
    ($($visit:ident $item:ident),*) => {$(
        fn $visit(&mut self, item: &'a syn::$item) {
            if !is_test(&item.attrs) {
                self.defines.insert(item.ident.to_string());
                syn::visit::$visit(self, item);
            }
        }
    )*};
}

impl<'a> Visit<'a> for Names {
    define!(visit_item_struct ItemStruct, visit_item_enum ItemEnum, visit_item_trait ItemTrait,
        visit_item_type ItemType, visit_item_const ItemConst, visit_item_static ItemStatic);

    fn visit_item_fn(&mut self, item: &'a syn::ItemFn) {
        if !is_test(&item.attrs) {
            self.defines.insert(item.sig.ident.to_string());
            syn::visit::visit_item_fn(self, item);
        }
    }

    fn visit_item_impl(&mut self, item: &'a syn::ItemImpl) {
        if !is_test(&item.attrs) {
            syn::visit::visit_item_impl(self, item);
        }
    }

    fn visit_item_mod(&mut self, item: &'a syn::ItemMod) {
        if !is_test(&item.attrs) && item.content.is_some() {
            self.inner.insert(item.ident.to_string());
            syn::visit::visit_item_mod(self, item);
        }
    }

    fn visit_item_use(&mut self, item: &'a syn::ItemUse) {
        if !is_test(&item.attrs) {
            let is_public = !matches!(item.vis, syn::Visibility::Inherited);
            spread(&item.tree, &[], is_public, &mut self.imports);
        }
    }

    // `pub(super)` names who may look in, not what is looked at.
    fn visit_vis_restricted(&mut self, _: &'a syn::VisRestricted) {}

    fn visit_path(&mut self, path: &'a syn::Path) {
        self.paths.insert(steps(path));
        syn::visit::visit_path(self, path);
    }

    fn visit_macro(&mut self, made: &'a syn::Macro) {
        self.paths.extend(in_tokens(&made.tokens.to_string()));
        syn::visit::visit_macro(self, made);
    }
}
