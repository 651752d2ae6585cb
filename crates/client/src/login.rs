//! What `login` keeps: address, token and site, readable by the person alone.

use anyhow::{Context, Result};
use serde::{Deserialize, Serialize};
use std::io::Write;
use std::path::PathBuf;

/// A log-in on this computer.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub(crate) struct Login {
    /// Address of the service.
    pub(crate) url: String,
    /// Token of the person.
    pub(crate) token: String,
    /// Site used when none is named.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub(crate) site: Option<String>,
}

fn file() -> Result<PathBuf> {
    let variable = |name: &str| std::env::var_os(name).filter(|v| !v.is_empty()).map(PathBuf::from);
    let dir = variable("LANTERN_CONFIG_DIR")
        .or_else(|| variable("XDG_CONFIG_HOME").map(|dir| dir.join("key-lantern")))
        .or_else(|| variable("HOME").map(|home| home.join(".config/key-lantern")))
        .context("there is no place to keep the log-in: set HOME or LANTERN_CONFIG_DIR")?;
    Ok(dir.join("login.toml"))
}

impl Login {
    /// The log-in kept on this computer, if there is one.
    pub(crate) fn load() -> Result<Option<Self>> {
        let file = file()?;
        match std::fs::read_to_string(&file) {
            Ok(text) => {
                toml::from_str(&text).map(Some).with_context(|| format!("{} is damaged; log in again", file.display()))
            }
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
            Err(error) => Err(error).with_context(|| format!("cannot read {}", file.display())),
        }
    }

    /// Keeps it, readable by this person alone.
    pub(crate) fn save(&self) -> Result<()> {
        let file = file()?;
        let write = || -> std::io::Result<()> {
            use std::os::unix::fs::OpenOptionsExt;
            if let Some(dir) = file.parent() {
                std::fs::create_dir_all(dir)?;
            }
            // A new file put in place of the old one: never half written, and
            // never with the old one's looser rights.
            let new = file.with_extension("new");
            let _ = std::fs::remove_file(&new);
            let mut opened = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(&new)?;
            opened.write_all(toml::to_string(self).unwrap_or_default().as_bytes())?;
            opened.sync_all()?;
            std::fs::rename(&new, &file)
        };
        write().with_context(|| format!("cannot write {}", file.display()))
    }

    /// Forgets it.
    pub(crate) fn forget() -> Result<()> {
        let file = file()?;
        match std::fs::remove_file(&file) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => {
                Err(error).with_context(|| format!("cannot remove {}", file.display()))
            }
            _ => Ok(()),
        }
    }
}
