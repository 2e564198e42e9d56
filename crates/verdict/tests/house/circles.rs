//! No file leans on one that leans on it: whoever reads a file from its imports downwards comes to
//! an end.

use super::names::{self, Names};
use super::sources;
use std::collections::{BTreeMap, BTreeSet};

/// A place in a crate: `["chain", "facts"]`.
type Place = Vec<String>;

/// The files of one crate, by the module that each is.
#[derive(Default)]
struct House {
    files: BTreeMap<Place, Names>,
}

/// No name is handed on more often than this.
const MOST_HANDED_ON: usize = 10;

impl House {
    /// The file that a path leads to, seen from a module; none if it leads out of the crate.
    fn leads_to(&self, from: &Place, path: &[String], handed_on: usize) -> Option<Place> {
        let mut steps = path.iter().peekable();
        let mut at = match path.first()?.as_str() {
            "crate" => {
                steps.next();
                Vec::new()
            }
            "self" | "super" => from.clone(),
            first => {
                let child = [from.clone(), vec![first.to_string()]].concat();
                match self.files.contains_key(&child) {
                    true => from.clone(),
                    false => return self.by_import(from, path, handed_on),
                }
            }
        };
        while let Some(step) = steps.next_if(|s| *s == "self" || *s == "super") {
            if step == "super" {
                at.pop();
            }
        }
        for step in steps {
            let child = [at.clone(), vec![step.clone()]].concat();
            if self.files.contains_key(&child) {
                at = child;
                continue;
            }
            // A name that a module hands on stands where it is defined.
            return Some(self.stands(&at, step, handed_on).unwrap_or(at));
        }
        Some(at)
    }

    /// Where a name stands that a module defines or hands on.
    fn stands(&self, at: &Place, name: &str, handed_on: usize) -> Option<Place> {
        let file = self.files.get(at)?;
        if handed_on > MOST_HANDED_ON || file.defines.contains(name) || file.inner.contains(name) {
            return Some(at.clone());
        }
        let by_name = file.imports.iter().find(|i| i.is_public && i.name == name);
        if let Some(import) = by_name {
            return self.leads_to(at, &import.path, handed_on + 1);
        }
        let all = file.imports.iter().filter(|i| i.is_public && i.name == "*");
        all.filter_map(|i| self.leads_to(at, &i.path, handed_on + 1))
            .find(|place| self.files[place].defines.contains(name))
    }

    /// A path that begins with a name that the file brought in.
    fn by_import(&self, from: &Place, path: &[String], handed_on: usize) -> Option<Place> {
        if handed_on > MOST_HANDED_ON {
            return None;
        }
        let file = self.files.get(from)?;
        let import = file.imports.iter().find(|i| i.name == path[0])?;
        if import.path.first() == Some(&path[0]) {
            return None;
        }
        let whole = [import.path.clone(), path[1..].to_vec()].concat();
        self.leads_to(from, &whole, handed_on + 1)
    }

    /// What a file leans on.
    pub fn arrows(&self, from: &Place) -> BTreeSet<Place> {
        let file = &self.files[from];
        let used: BTreeSet<&String> = file.paths.iter().map(|p| &p[0]).collect();
        let mut to = BTreeSet::new();
        for import in &file.imports {
            // What is only handed on is not leaned on.
            if !import.is_public || used.contains(&import.name) {
                to.extend(self.leads_to(from, &import.path, 0));
            }
        }
        for path in &file.paths {
            to.extend(self.leads_to(from, path, 0));
        }
        to.remove(from);
        to
    }

    /// Files that come back to themselves, in groups that lean on each other, each with its arrows
    /// within the group.
    fn circles(&self) -> Vec<String> {
        let arrows: BTreeMap<&Place, BTreeSet<Place>> =
            self.files.keys().map(|f| (f, self.arrows(f))).collect();
        let reach: BTreeMap<&Place, BTreeSet<&Place>> =
            arrows.keys().map(|f| (*f, reached(&arrows, f))).collect();
        let mut told = BTreeSet::new();
        for (file, all) in &reach {
            let group: Vec<&&Place> = all.iter().filter(|o| reach[**o].contains(*file)).collect();
            if all.contains(*file) {
                let lines = group.iter().flat_map(|f| {
                    let within = arrows[**f].iter().filter(|to| group.contains(&to));
                    within.map(move |to| format!("  {} -> {}", f.join("::"), to.join("::")))
                });
                told.insert(lines.collect::<Vec<_>>().join("\n"));
            }
        }
        told.into_iter().collect()
    }
}

fn reached<'a>(arrows: &'a BTreeMap<&Place, BTreeSet<Place>>, from: &Place) -> BTreeSet<&'a Place> {
    let mut seen = BTreeSet::new();
    let mut waiting: Vec<&Place> = arrows[from].iter().collect();
    while let Some(next) = waiting.pop() {
        if seen.insert(next) {
            waiting.extend(arrows[next].iter());
        }
    }
    seen
}

/// The module that a file is, below the folder of its crate's root.
fn module(path: &str) -> Place {
    let steps = path.trim_end_matches(".rs").split('/');
    let mut place: Place = steps.map(ToString::to_string).collect();
    if place
        .last()
        .is_some_and(|l| l == "mod" || l == "lib" || l == "main")
    {
        place.pop();
    }
    place
}

/// The crates of a room: its library or program, and more programs.
fn houses(room: &str) -> BTreeMap<String, House> {
    let folder = sources::rooms().join(room).join("src");
    let mut houses: BTreeMap<String, House> = BTreeMap::new();
    for file in sources::of(room) {
        let path = file.strip_prefix(&folder).unwrap();
        let path = path.to_string_lossy().into_owned();
        let names = names::of(&std::fs::read_to_string(&file).unwrap());
        let (name, place) = match path.strip_prefix("bin/").and_then(|p| p.split_once('/')) {
            Some((program, rest)) => (format!("{room}/{program}"), module(rest)),
            None => (room.to_string(), module(&path)),
        };
        houses.entry(name).or_default().files.insert(place, names);
    }
    houses
}

#[test]
fn no_files_lean_on_each_other_in_a_circle() {
    let (mut told, mut read) = (Vec::new(), 0);
    for room in sources::names() {
        for (name, house) in houses(&room) {
            read += house.files.len();
            told.extend(house.circles().iter().map(|c| format!("{name}:\n{c}")));
        }
    }
    assert!(read > 300, "{read} files are too few to mean anything");
    assert!(
        told.is_empty(),
        "{} circles:\n{}",
        told.len(),
        told.join("\n")
    );
}

fn house(files: &[(&str, &str)]) -> House {
    let files = files
        .iter()
        .map(|(path, text)| (module(path), names::of(text)));
    House {
        files: files.collect(),
    }
}

#[test]
fn circles_of_every_kind_are_seen() {
    for (what, files) in [
        (
            "by an import",
            vec![
                ("a.rs", "use crate::b::B; fn a(b: B) {}"),
                ("b.rs", "use super::a::a; struct B;"),
            ],
        ),
        (
            "by a path in code",
            vec![
                ("a.rs", "fn a() { crate::b::b() }"),
                ("b.rs", "fn b() { super::a::a() }"),
            ],
        ),
        (
            "by a module brought in",
            vec![
                ("a.rs", "use crate::b; fn a() { b::b() }"),
                ("b.rs", "fn b() -> crate::a::A {}"),
            ],
        ),
        (
            "within a macro",
            vec![
                ("a.rs", "fn a() { println!(\"{}\", crate::b::b(1)) }"),
                ("b.rs", "fn b() { crate::a::a() }"),
            ],
        ),
        (
            "through a module that hands a name on, and a parent that its child leans on",
            vec![
                ("a/mod.rs", "mod c; pub use c::C; pub struct D;"),
                ("a/c.rs", "use crate::b::B; pub struct C;"),
                ("b.rs", "use crate::a::C; pub struct B;"),
            ],
        ),
        (
            "between parent and child",
            vec![
                ("a/mod.rs", "mod c; pub struct D; fn a() { c::c() }"),
                ("a/c.rs", "use super::D; pub fn c(d: D) {}"),
            ],
        ),
        (
            "by all names of a place",
            vec![
                ("a.rs", "use super::b::*; pub fn a() {}"),
                ("b.rs", "use super::a::a;"),
            ],
        ),
    ] {
        assert_eq!(house(&files).circles().len(), 1, "{what}");
    }
}

#[test]
fn what_is_only_handed_on_or_meant_for_tests_is_no_circle() {
    for (what, files) in [
        (
            "a module that hands its child's name on, and the child that leans on \
            another name of it",
            vec![
                ("a/mod.rs", "mod c; pub use c::C; pub struct D;"),
                ("a/c.rs", "use super::D; pub struct C(D);"),
            ],
        ),
        (
            "two children, one of which names the other through their parent",
            vec![
                ("a/mod.rs", "mod c; mod d; pub use c::C; pub use d::D;"),
                ("a/c.rs", "pub struct C;"),
                ("a/d.rs", "use super::C; pub struct D(C);"),
            ],
        ),
        (
            "a test that uses what stands above",
            vec![
                (
                    "a.rs",
                    "pub struct A; #[cfg(test)] mod tests { use crate::b::B; }",
                ),
                ("b.rs", "use crate::a::A; pub struct B(A);"),
            ],
        ),
        (
            "a name of another crate",
            vec![
                ("a.rs", "use url::Url; use crate::url::b;"),
                ("url.rs", "use url::Url; pub fn b() {}"),
            ],
        ),
    ] {
        assert_eq!(house(&files).circles(), Vec::<String>::new(), "{what}");
    }
}
