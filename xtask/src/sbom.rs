//! `cargo xtask sbom`: what the programs are made of, as a CycloneDX 1.6 document, and under which
//! licences.

use crate::run::{cargo, root};
use anyhow::{Context, Result, ensure};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::PathBuf;

/// The programs that ship.
const PROGRAMS: [&str; 2] = ["key-lantern", "lantern"];

/// Writes the document, and says how many parts are under which licence.
pub(crate) fn write() -> Result<()> {
    let output = cargo(&["metadata", "--format-version", "1"]).output().context("cargo metadata")?;
    ensure!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let metadata: Value = serde_json::from_slice(&output.stdout).context("what cargo metadata says")?;
    let lock = read("Cargo.lock")?;
    let npm: Value = serde_json::from_str(&read("console/package-lock.json")?).context("the console's lock")?;
    let mut components = crates(&metadata, &checksums(&lock));
    components.extend(packages(&npm));
    let file = path();
    std::fs::create_dir_all(file.parent().context("no folder")?)?;
    std::fs::write(&file, format!("{:#}\n", document(&components)))?;
    let mut licences: BTreeMap<&str, usize> = BTreeMap::new();
    for component in &components {
        *licences.entry(component["licenses"][0]["expression"].as_str().unwrap_or("none said")).or_default() += 1;
    }
    for (licence, count) in &licences {
        println!("{count:>5}  {licence}");
    }
    println!("{:>5}  in all, written to {}", components.len(), file.display());
    Ok(())
}

fn path() -> PathBuf {
    root().join("target/key-lantern.cdx.json")
}

fn read(file: &str) -> Result<String> {
    std::fs::read_to_string(root().join(file)).with_context(|| format!("{file} cannot be read"))
}

fn document(components: &[Value]) -> Value {
    json!({
        "$schema": "http://cyclonedx.org/schema/bom-1.6.schema.json",
        "bomFormat": "CycloneDX",
        "specVersion": "1.6",
        "version": 1,
        "metadata": {
            "component": {"type": "application", "name": "key-lantern", "version": env!("CARGO_PKG_VERSION")},
        },
        "components": components,
    })
}

/// Checksums of `Cargo.lock`, by name and version.
fn checksums(lock: &str) -> HashMap<(String, String), String> {
    let mut found = HashMap::new();
    for package in lock.split("[[package]]") {
        let field = |name: &str| {
            let line = package.lines().find_map(|line| line.strip_prefix(&format!("{name} = \"")))?;
            Some(line.trim_end_matches('"').to_owned())
        };
        if let (Some(name), Some(version), Some(sum)) = (field("name"), field("version"), field("checksum")) {
            found.insert((name, version), sum);
        }
    }
    found
}

/// Crates that are linked into the programs, or run while they are built; not what only tests use.
fn crates(metadata: &Value, checksums: &HashMap<(String, String), String>) -> Vec<Value> {
    let list = |value: &Value| value.as_array().cloned().unwrap_or_default();
    let packages: HashMap<String, Value> =
        list(&metadata["packages"]).into_iter().map(|package| (text(&package["id"]), package)).collect();
    let nodes: HashMap<String, Value> =
        list(&metadata["resolve"]["nodes"]).into_iter().map(|node| (text(&node["id"]), node)).collect();
    let mut waiting: Vec<String> = packages
        .iter()
        .filter(|(_, package)| PROGRAMS.contains(&package["name"].as_str().unwrap_or_default()))
        .map(|(id, _)| id.clone())
        .collect();
    let mut reached = BTreeSet::new();
    while let Some(id) = waiting.pop() {
        if !reached.insert(id.clone()) {
            continue;
        }
        for dependency in nodes.get(&id).map(|node| list(&node["deps"])).unwrap_or_default() {
            if list(&dependency["dep_kinds"]).iter().any(|kind| kind["kind"] != "dev") {
                waiting.push(text(&dependency["pkg"]));
            }
        }
    }
    let foreign = reached.iter().filter_map(|id| packages.get(id)).filter(|package| !package["source"].is_null());
    let component = |package: &Value| {
        let (name, version) = (text(&package["name"]), text(&package["version"]));
        // An old way to write "or".
        let licence = package["license"].as_str().map(|licence| licence.replace(" / ", "/").replace('/', " OR "));
        let hash = checksums.get(&(name.clone(), version.clone()));
        let hash = hash.map(|sum| json!({"alg": "SHA-256", "content": sum}));
        part("cargo", &name, &version, licence, hash)
    };
    foreign.map(component).collect()
}

/// Packages that are in the console; not what only builds or tests it.
fn packages(lock: &Value) -> Vec<Value> {
    let Some(packages) = lock["packages"].as_object() else { return Vec::new() };
    let shipped = packages.iter().filter(|(place, package)| !place.is_empty() && package["dev"] != true);
    let component = |(place, package): (&String, &Value)| {
        let name = place.rsplit("node_modules/").next().unwrap_or(place);
        let licence = package["license"].as_str().map(str::to_owned);
        part("npm", name, &text(&package["version"]), licence, None)
    };
    shipped.map(component).collect()
}

fn part(kind: &str, name: &str, version: &str, licence: Option<String>, hash: Option<Value>) -> Value {
    let purl = format!("pkg:{kind}/{}@{version}", name.replace('@', "%40"));
    let mut part = json!({"type": "library", "name": name, "version": version, "bom-ref": purl, "purl": purl});
    if let Some(licence) = licence {
        part["licenses"] = json!([{"expression": licence}]);
    }
    if let Some(hash) = hash {
        part["hashes"] = json!([hash]);
    }
    part
}

fn text(value: &Value) -> String {
    value.as_str().unwrap_or_default().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_ships_is_listed_and_what_only_tests_use_is_not() {
        let package = |name: &str, source: Value| json!({"id": name, "name": name, "version": "1.0.0", "license": "MIT/Apache-2.0", "source": source});
        let node = |name: &str, deps: &[(&str, Value)]| {
            let deps: Vec<Value> =
                deps.iter().map(|(to, kind)| json!({"pkg": to, "dep_kinds": [{"kind": kind}]})).collect();
            json!({"id": name, "deps": deps})
        };
        let metadata = json!({
            "packages": [package("key-lantern", Value::Null), package("used", json!("registry")),
                package("builds", json!("registry")), package("tests", json!("registry"))],
            "resolve": {"nodes": [
                node("key-lantern", &[("used", Value::Null), ("tests", json!("dev"))]),
                node("used", &[("builds", json!("build"))]),
            ]},
        });
        let lock = "[[package]]\nname = \"used\"\nversion = \"1.0.0\"\nchecksum = \"abc\"\n";
        let found = crates(&metadata, &checksums(lock));
        let names: Vec<&str> = found.iter().map(|part| part["name"].as_str().unwrap()).collect();
        assert_eq!(names, ["builds", "used"]);
        assert_eq!(found[1]["hashes"][0]["content"], "abc");
        assert_eq!(found[1]["licenses"][0]["expression"], "MIT OR Apache-2.0");
        let npm = json!({"packages": {"": {}, "node_modules/@a/b": {"version": "2.0.0", "license": "ISC"},
            "node_modules/c": {"version": "3.0.0", "dev": true}}});
        assert_eq!(packages(&npm)[0]["purl"], "pkg:npm/%40a/b@2.0.0");
        assert_eq!(packages(&npm).len(), 1);
    }
}
