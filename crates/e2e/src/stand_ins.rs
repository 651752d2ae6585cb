//! Stand-ins for the servers that callouts go to, as a process of their own.

use crate::binary;
use reqwest::Client;
use serde_json::Value;
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};

/// The stand-ins; they end with this.
pub struct StandIns {
    process: Child,
    /// Where mail is taken, as `HOST:PORT`.
    pub mail: String,
    /// Where text messages and webhooks are taken.
    pub http: String,
    client: Client,
}

impl StandIns {
    /// Starts them. A service must have been started before, which prepares TLS.
    pub fn start() -> Self {
        let mut process = Command::new(binary("lantern-sim")).arg("stand-ins").stdout(Stdio::piped()).spawn().unwrap();
        let mut lines = BufReader::new(process.stdout.take().unwrap()).lines();
        let mut said = |what: &str| {
            let line = lines.next().unwrap().unwrap();
            line.strip_prefix(what).unwrap_or_else(|| panic!("{line}")).trim().to_owned()
        };
        let (mail, http) = (said("mail"), said("http"));
        let _ = rustls::crypto::ring::default_provider().install_default();
        Self { process, mail, http, client: Client::new() }
    }

    /// The settings of a service that calls people by them.
    pub fn settings(&self) -> Vec<(&'static str, String)> {
        vec![
            ("mail_server", self.mail.clone()),
            ("mail_security", "clear".to_owned()),
            ("mail_user", "lantern".to_owned()),
            ("mail_password", "secret".to_owned()),
            ("mail_from", "Key Lantern <lantern@railway.example>".to_owned()),
            ("text_url", format!("{}/text", self.http)),
            ("text_taken", "\"taken\": true".to_owned()),
            ("text_reply_key", "0123456789abcdef".to_owned()),
            ("callouts_may_be_private", "true".to_owned()),
            ("sign_of_life_url", format!("{}/alive", self.http)),
            ("public_url", "https://lantern.example".to_owned()),
        ]
    }

    /// What came of a sort: `mail`, `text`, `hook` or `alive`.
    pub async fn kept(&self, sort: &str) -> Vec<Value> {
        let all = self.client.get(format!("{}/kept", self.http)).send().await.unwrap();
        let all: Vec<Value> = all.json().await.unwrap();
        all.into_iter().filter(|message| message["sort"] == sort).collect()
    }

    /// How they behave from now on, such as `{"mail": "busy"}`.
    pub async fn behave(&self, manners: Value) {
        let told = self.client.put(format!("{}/manners", self.http)).json(&manners).send().await.unwrap();
        assert!(told.status().is_success());
    }
}

impl Drop for StandIns {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}
