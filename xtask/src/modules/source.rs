//! What a source file names of its own crate.

use std::collections::{BTreeMap, BTreeSet};

/// The paths a file names.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Source {
    pub(super) uses: BTreeSet<Vec<String>>,
    /// What it passes on from other modules (`pub use`), by name.
    pub(super) passed_on: BTreeMap<String, Vec<String>>,
}

impl Source {
    /// Reads a file. Its tests do not count.
    pub(super) fn read(text: &str) -> Self {
        let text = without_texts(text);
        let text = text.split("#[cfg(test)]\nmod ").next().unwrap_or_default();
        let mut source = Self::default();
        let mut rest = String::new();
        for statement in text.split_inclusive(';') {
            let Some((before, paths)) = use_of(statement) else {
                rest.push_str(statement);
                continue;
            };
            rest.push_str(before);
            let is_passed_on = before.trim_end().ends_with("pub") || before.trim_end().ends_with(')');
            for (path, name) in expanded(paths) {
                if is_passed_on {
                    source.passed_on.insert(name, path.clone());
                }
                source.uses.insert(path);
            }
        }
        source.uses.extend(inline(&rest));
        source
    }
}

/// Splits a statement that ends in `use …;` into what is before and the paths.
fn use_of(statement: &str) -> Option<(&str, &str)> {
    let at = statement.rfind("use ")?;
    let is_word = statement[..at].chars().next_back().is_none_or(|before| before.is_whitespace());
    let paths = statement[at + 4..].strip_suffix(';')?;
    (is_word && !paths.contains('(')).then_some((&statement[..at], paths))
}

/// The paths in braces one by one, each with the name it gets.
fn expanded(paths: &str) -> Vec<(Vec<String>, String)> {
    let Some((prefix, inner)) = paths.split_once('{') else {
        let (path, name) = paths.split_once(" as ").map_or((paths, None), |(path, name)| (path, Some(name)));
        let mut parts: Vec<String> = path.split("::").map(|part| part.trim().to_owned()).collect();
        if parts.len() > 1 && parts.last().is_some_and(|last| last == "self" || last == "*") {
            parts.pop();
        }
        let name = name.map(str::trim).or(parts.last().map(String::as_str)).unwrap_or_default().to_owned();
        return vec![(parts, name)];
    };
    let inner = inner.trim_end().strip_suffix('}').unwrap_or(inner);
    let mut found = Vec::new();
    let (mut depth, mut start) = (0_usize, 0);
    for (at, sign) in inner.char_indices().chain([(inner.len(), ',')]) {
        match sign {
            '{' => depth += 1,
            '}' => depth = depth.saturating_sub(1),
            ',' if depth == 0 => {
                let part = inner[start..at].trim();
                if !part.is_empty() {
                    found.extend(expanded(&format!("{}{part}", prefix.trim())));
                }
                start = at + 1;
            }
            _ => {}
        }
    }
    found
}

/// Paths that stand in the code itself: `crate::a::b`, `super::c`.
fn inline(text: &str) -> Vec<Vec<String>> {
    let words = text.split(|sign: char| !(sign.is_alphanumeric() || sign == '_' || sign == ':'));
    words
        .filter(|word| word.starts_with("crate::") || word.starts_with("super::"))
        .map(|word| word.split("::").filter(|part| !part.is_empty()).map(str::to_owned).collect())
        .collect()
}

/// The code without comments and without what stands in quotes.
fn without_texts(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut signs = text.chars().peekable();
    while let Some(sign) = signs.next() {
        match sign {
            '/' if signs.peek() == Some(&'/') => {
                signs.by_ref().take_while(|sign| *sign != '\n').for_each(drop);
                out.push('\n');
            }
            '"' => {
                while let Some(quoted) = signs.next() {
                    match quoted {
                        '\\' => drop(signs.next()),
                        '"' => break,
                        _ => {}
                    }
                }
            }
            '\'' if matches!(signs.peek(), Some('"' | '/')) => drop(signs.next()),
            _ => out.push(sign),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn path(text: &str) -> Vec<String> {
        text.split("::").map(str::to_owned).collect()
    }

    #[test]
    fn paths_are_found_wherever_they_stand() {
        let source = Source::read(
            "//! use crate::comment;\nuse super::a::{self, b::{C, D as E}};\npub use own::F;\nuse std::io;\n\
             fn f() { let text = \"crate::text\"; crate::g::h(super::i::J::new()) }\n\
             #[cfg(test)]\nmod tests { use crate::test; }\n",
        );
        let expected =
            ["super::a", "super::a::b::C", "super::a::b::D", "own::F", "std::io", "crate::g::h", "super::i::J::new"];
        assert_eq!(source.uses, expected.map(path).into_iter().collect());
        assert_eq!(source.passed_on, BTreeMap::from([("F".to_owned(), path("own::F"))]));
    }
}
