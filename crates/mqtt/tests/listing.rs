//! The list of the standards' statements in the documentation names tests that
//! exist, and each statement has one or says why it needs none.

use std::collections::BTreeSet;
use std::path::Path;

/// Functions of the tests: `module::name`, those of the end-to-end tests with
/// `e2e::` before it.
fn tests() -> BTreeSet<String> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let mut found = BTreeSet::new();
    for (dir, prefix) in [("tests", ""), ("src", ""), ("../e2e/tests", "e2e::")] {
        for entry in std::fs::read_dir(root.join(dir)).unwrap() {
            let file = entry.unwrap().path();
            if file.extension().is_none_or(|extension| extension != "rs") {
                continue;
            }
            let module = file.file_stem().unwrap().to_str().unwrap().to_owned();
            let text = std::fs::read_to_string(&file).unwrap();
            let mut is_test = false;
            for line in text.lines().map(str::trim) {
                if let Some(rest) = line.strip_prefix("async fn ").or_else(|| line.strip_prefix("fn ")) {
                    if is_test {
                        found.insert(format!("{prefix}{module}::{}", rest.split('(').next().unwrap()));
                    }
                    is_test = false;
                }
                is_test |= line.starts_with("#[tokio::test") || line == "#[test]";
            }
        }
    }
    found
}

#[test]
fn every_statement_has_its_test() {
    let page = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/reference/mqtt.md");
    let text = std::fs::read_to_string(page).unwrap();
    let (_, statements) = text.split_once("| section | statement | test |").unwrap();
    let tests = tests();
    let mut count = 0;
    for line in statements.lines().filter(|line| line.starts_with("| ")) {
        let last = line.trim_end_matches('|').rsplit('|').next().unwrap().trim();
        let is_excused = last.starts_with("not applicable: ");
        let named = last.trim_matches('`');
        assert!(is_excused || tests.contains(named), "no test of that name: {line}");
        count += 1;
    }
    assert!(count > 120, "{count} statements");
}
