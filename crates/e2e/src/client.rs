use crate::{Service, binary};
use serde_json::Value;
use std::process::{Command, Output};
use tempfile::TempDir;

/// The command line of one person, with a home of its own.
pub struct Client {
    home: TempDir,
    url: String,
}

impl Client {
    /// A client that has not logged in.
    pub fn new(service: &Service) -> Self {
        Self { home: tempfile::tempdir().unwrap(), url: service.url.clone() }
    }

    /// A client logged in as the owner.
    pub fn logged_in(service: &Service) -> Self {
        let client = Self::new(service);
        client.ok(&["login", &service.url, "--name", "ann"]);
        client
    }

    /// Where it keeps its log-in.
    pub fn home(&self) -> &std::path::Path {
        self.home.path()
    }

    /// The command, ready to run.
    pub fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(binary("lantern"));
        command
            .args(arguments)
            .env_clear()
            .env("LANTERN_CONFIG_DIR", self.home.path())
            .env("LANTERN_PASSWORD", crate::service::PASSWORD)
            .stdin(std::process::Stdio::null());
        command
    }

    /// Runs a command to its end.
    pub fn run(&self, arguments: &[&str]) -> Output {
        self.command(arguments).output().unwrap()
    }

    /// What a command that has to succeed prints.
    pub fn ok(&self, arguments: &[&str]) -> String {
        let output = self.run(arguments);
        assert!(output.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8(output.stdout).unwrap()
    }

    /// The same as JSON.
    pub fn json(&self, arguments: &[&str]) -> Value {
        let text = self.ok(&[&["--output", "json"], arguments].concat());
        serde_json::from_str(&text).unwrap_or_else(|e| panic!("{arguments:?} printed no JSON ({e}): {text}"))
    }

    /// Exit code and what a command that has to fail says.
    pub fn fails(&self, arguments: &[&str]) -> (i32, String) {
        let output = self.run(arguments);
        assert!(!output.status.success(), "{arguments:?} succeeded");
        (output.status.code().unwrap_or(-1), String::from_utf8(output.stderr).unwrap())
    }

    /// The service's address.
    pub fn url(&self) -> &str {
        &self.url
    }
}
