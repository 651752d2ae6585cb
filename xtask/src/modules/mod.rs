//! `cargo xtask modules`: which modules of a crate use which, in layers; modules that go
//! round in a circle are an error.

mod graph;
mod source;

use crate::run::root;
use anyhow::{Context, Result, ensure};
use graph::{Graph, circles, layers};
use source::Source;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

/// Prints the layers of the crates named, or of all.
pub(crate) fn print(names: &[String]) -> Result<()> {
    for (name, source) in crates()? {
        if !names.is_empty() && !names.contains(&name) {
            continue;
        }
        println!("{name}");
        for (at, graph) in Crate::read(&source)?.graphs() {
            let indent = "  ".repeat(at.len() + 1);
            if let Some(folder) = at.last() {
                println!("{}{folder}/", "  ".repeat(at.len()));
            }
            for layer in layers(&graph) {
                println!("{indent}{}", layer.join(" "));
            }
        }
    }
    Ok(())
}

/// Makes sure that there is no circle.
pub(crate) fn check() -> Result<()> {
    let mut found = Vec::new();
    for (name, source) in crates()? {
        for (at, graph) in Crate::read(&source)?.graphs() {
            let circles = circles(&graph);
            found.extend(circles.iter().map(|circle| format!("{name} {}: {}", at.join("::"), circle.join(" -> "))));
        }
    }
    ensure!(found.is_empty(), "modules go round in circles; `cargo xtask modules` lists them:\n{}", found.join("\n"));
    Ok(())
}

/// Names of the crates, and where their sources are.
fn crates() -> Result<BTreeMap<String, PathBuf>> {
    let mut found = BTreeMap::from([("xtask".to_owned(), root().join("xtask/src"))]);
    for entry in fs::read_dir(root().join("crates")).context("the crates cannot be listed")? {
        let entry = entry?;
        found.insert(entry.file_name().to_string_lossy().into_owned(), entry.path().join("src"));
    }
    Ok(found)
}

type ModulePath = Vec<String>;

/// The modules of a crate, by their path within it.
struct Crate(BTreeMap<ModulePath, Source>);

impl Crate {
    fn read(source: &Path) -> Result<Self> {
        let mut modules = BTreeMap::new();
        let mut folders = vec![source.to_owned()];
        while let Some(folder) = folders.pop() {
            for entry in fs::read_dir(&folder).with_context(|| format!("{} cannot be listed", folder.display()))? {
                let path = entry?.path();
                if path.is_dir() {
                    folders.push(path);
                } else if path.extension().is_some_and(|extension| extension == "rs") && !path.ends_with("tests.rs") {
                    let text =
                        fs::read_to_string(&path).with_context(|| format!("{} cannot be read", path.display()))?;
                    modules.insert(module_of(source, &path), Source::read(&text));
                }
            }
        }
        Ok(Self(modules))
    }

    /// For each module with modules below it: which of those use which. What a module shares
    /// with its own parent is no circle, it is one piece in two files.
    fn graphs(&self) -> BTreeMap<ModulePath, Graph> {
        let mut graphs: BTreeMap<ModulePath, Graph> = BTreeMap::new();
        for (module, source) in &self.0 {
            if let Some((name, parent)) = module.split_last() {
                graphs.entry(parent.to_vec()).or_default().entry(name.clone()).or_default();
            }
            for used in source.uses.iter().filter_map(|path| self.resolve(module, path)) {
                let shared = module.iter().zip(&used).take_while(|(a, b)| a == b).count();
                if let (Some(from), Some(to)) = (module.get(shared), used.get(shared)) {
                    let graph = graphs.entry(module[..shared].to_vec()).or_default();
                    graph.entry(from.clone()).or_default().insert(to.clone());
                }
            }
        }
        graphs
    }

    /// The module in which something is that a module names by a path.
    fn resolve(&self, module: &[String], path: &[String]) -> Option<ModulePath> {
        let full = self.absolute(module, path)?;
        self.settle(&full, &mut BTreeSet::new())
    }

    /// The path from the root of the crate; nothing if it leads out of it.
    fn absolute(&self, module: &[String], path: &[String]) -> Option<ModulePath> {
        let (first, rest) = path.split_first()?;
        let mut base = match first.as_str() {
            "crate" => Vec::new(),
            "self" => module.to_vec(),
            "super" => {
                let above = path.iter().take_while(|part| *part == "super").count();
                let mut full = module.get(..module.len().checked_sub(above)?)?.to_vec();
                full.extend(path[above..].iter().cloned());
                return Some(full);
            }
            _ => {
                let child: Vec<String> = module.iter().chain([first]).cloned().collect();
                self.0.contains_key(&child).then_some(child)?
            }
        };
        base.extend(rest.iter().cloned());
        Some(base)
    }

    /// Follows what modules pass on from below, until a module defines it itself.
    fn settle(&self, full: &[String], seen: &mut BTreeSet<ModulePath>) -> Option<ModulePath> {
        let holder = (0..=full.len()).rev().map(|count| &full[..count]).find(|path| self.0.contains_key(*path))?;
        let passed_on = full.get(holder.len()).and_then(|name| self.0.get(holder)?.passed_on.get(name));
        match passed_on {
            Some(path) if seen.insert(full.to_vec()) => {
                let next = self.absolute(holder, path);
                next.and_then(|next| self.settle(&next, seen)).or_else(|| Some(holder.to_vec()))
            }
            _ => Some(holder.to_vec()),
        }
    }
}

/// The path of the module that a file holds.
fn module_of(source: &Path, file: &Path) -> ModulePath {
    let inner = file.strip_prefix(source).unwrap_or(file).with_extension("");
    let mut path: ModulePath = inner.iter().map(|part| part.to_string_lossy().into_owned()).collect();
    if path.last().is_some_and(|last| matches!(last.as_str(), "mod" | "lib" | "main")) {
        path.pop();
    }
    path
}
