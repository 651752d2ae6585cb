//! Documents in TOML or JSON.

use anyhow::{Context as _, Result, bail};
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::path::Path;

/// Reads a document; its ending or else its first character tells which it is.
pub(crate) fn read<T: DeserializeOwned>(file: &Path) -> Result<T> {
    let text = std::fs::read_to_string(file).with_context(|| format!("cannot read {}", file.display()))?;
    let is_json = file.extension().is_some_and(|e| e == "json") || text.trim_start().starts_with('{');
    if is_json {
        return serde_json::from_str(&text).with_context(|| format!("{} is not right", file.display()));
    }
    toml::from_str(&text).map_err(|e| anyhow::anyhow!("{} is not right: {e}", file.display()))
}

/// Writes a document as TOML.
pub(crate) fn to_toml<T: Serialize>(document: &T) -> Result<String> {
    match toml::to_string(document) {
        Ok(text) => Ok(text),
        Err(e) => bail!("it cannot be written as TOML: {e}"),
    }
}
