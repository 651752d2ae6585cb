//! Settings: defaults, then the TOML file, the environment and the flags, each
//! over the one before.

use clap::Args;
use figment::providers::{Env, Format, Serialized, Toml};
use figment::value::{Dict, Map};
use figment::{Figment, Metadata, Profile, Provider};
use serde::{Deserialize, Serialize};
use std::net::SocketAddr;
use std::path::PathBuf;

const PREFIX: &str = "KEY_LANTERN_";
/// Settings that are not shown.
const SECRETS: [&str; 3] = ["mail_password", "text_authorization", "text_reply_key"];

/// How log lines are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, clap::ValueEnum)]
#[serde(rename_all = "lowercase")]
pub enum LogFormat {
    /// For people.
    Text,
    /// One JSON object a line, for programs.
    Json,
}

/// How the connection to the mail server is protected.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum MailSecurity {
    /// It begins in the clear and turns to TLS.
    Starttls,
    /// It is TLS from the start.
    Tls,
    /// Not at all.
    Clear,
}

/// Where to listen, if at all.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Listen {
    /// Not at all.
    Off,
    /// On this address.
    At(SocketAddr),
}

impl std::fmt::Display for Listen {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Off => f.write_str("off"),
            Self::At(address) => address.fmt(f),
        }
    }
}

impl std::str::FromStr for Listen {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        if text == "off" {
            return Ok(Self::Off);
        }
        text.parse().map(Self::At).map_err(|_| format!("`{text}` is neither ADDRESS:PORT nor `off`"))
    }
}

impl Serialize for Listen {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Listen {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer)?.parse().map_err(serde::de::Error::custom)
    }
}

/// The effective settings of a service.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Settings {
    /// Directory of the database (default: `key-lantern-data`).
    pub data: PathBuf,
    /// Address and port to listen on for HTTP, or `off` where there is `https`
    /// (default: 127.0.0.1:8710; port 0 takes a free one).
    pub http: Listen,
    /// Connections by HTTP and HTTPS there may be at once, a quarter of them from one
    /// network: an IPv4 address or the first half of an IPv6 address (default: 4000).
    pub http_connections: u32,
    /// Address and port to listen on for MQTT, or `off` (default: 127.0.0.1:1883;
    /// port 0 takes a free one). Over WebSocket it is spoken at /mqtt on the HTTP
    /// port.
    pub mqtt: Listen,
    /// MQTT connections there may be at once, half of them from one network
    /// (default: 10000).
    pub mqtt_connections: u32,
    /// Address and port to listen on for MQTT over TLS, or `off` (default:
    /// 127.0.0.1:8883 where there is a certificate).
    pub mqtts: Listen,
    /// Address and port to listen on for HTTP over TLS, or `off` (default: off).
    pub https: Listen,
    /// Address and port where figures for machines are given in the format OpenMetrics,
    /// or `off` (default: off). They are given to anybody who reaches it.
    pub metrics: Listen,
    /// PEM file with the service's certificate and those between it and its root.
    pub tls_certificate: String,
    /// PEM file with the private key of the certificate.
    pub tls_key: String,
    /// PEM file with the certificates that sign those of clients (default: clients
    /// are not asked for one).
    pub tls_clients: String,
    /// How log lines are written (default: text).
    pub log_format: LogFormat,
    /// `error`, `warn`, `info`, `debug` or `trace`, or a filter by module
    /// (default: info).
    pub log_level: String,
    /// Mark session cookies as Secure: set it when people reach the console by
    /// https through a proxy (default: false).
    pub secure_cookies: bool,
    /// Where senders reach the service from outside, such as
    /// `https://lantern.example`: what addresses and recipes show (default: the
    /// address the console was asked at).
    pub public_url: String,
    /// Requests a key may send at once (default: 600).
    pub requests_at_once: f64,
    /// Requests a key may send each second (default: 20).
    pub requests_per_s: f64,
    /// Readings a key may send at once (default: 100000); samples of waveforms
    /// count a tenth.
    pub readings_at_once: f64,
    /// Readings a key may send each second (default: 1000).
    pub readings_per_s: f64,
    /// Mail server that callouts go out by, as `HOST:PORT` (default: none, and nobody is
    /// called by mail).
    pub mail_server: String,
    /// How the connection to the mail server is protected: `starttls`, `tls` from the start,
    /// or `clear` for a server on this machine (default: starttls).
    pub mail_security: MailSecurity,
    /// Who logs in at the mail server (default: nobody).
    pub mail_user: String,
    /// The password for that.
    pub mail_password: String,
    /// Whom mail comes from, such as `Key Lantern <lantern@railway.example>`.
    pub mail_from: String,
    /// Address of the gateway that takes text messages by HTTP POST (default: none).
    pub text_url: String,
    /// What the gateway is sent: JSON or a form, in which `{to}` and `{text}` stand for the
    /// number and the words (default: `{"to": "{to}", "text": "{text}"}`).
    pub text_body: String,
    /// What the gateway is sent as `Authorization` (default: nothing).
    pub text_authorization: String,
    /// What the gateway's answer holds when it has taken a message (default: any good
    /// answer will do).
    pub text_taken: String,
    /// Mail address of a gateway that takes text messages by mail, in which `{to}` stands for
    /// the digits of the number, such as `{to}@text.example` (default: none).
    pub text_mail: String,
    /// What stands at the end of /api/v1/text-replies/ when the gateway hands over what
    /// people answer (default: answers are not taken).
    pub text_reply_key: String,
    /// How the gateway calls the number an answer came from (default: from).
    pub text_reply_from: String,
    /// How the gateway calls the words of an answer (default: text).
    pub text_reply_text: String,
    /// PEM file with certificates that sign those of servers that callouts go to, besides
    /// the system's (default: none).
    pub outside_roots: String,
    /// Whether webhooks and the gateway may be at addresses that are no public ones
    /// (default: false).
    pub callouts_may_be_private: bool,
    /// Address that is asked for as long as all is well, so that somebody notices when the
    /// service is gone (default: none).
    pub sign_of_life_url: String,
    /// Minutes between two signs of life (default: 1).
    pub sign_of_life_min: f64,
    /// Megabytes the database may use, 0 for all the disk has (default: 0). When
    /// they are used, readings are turned away until there is room.
    pub disk_budget_mb: u64,
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            data: PathBuf::from("key-lantern-data"),
            http: Listen::At(SocketAddr::from(([127, 0, 0, 1], 8710))),
            http_connections: 4_000,
            mqtt: Listen::At(SocketAddr::from(([127, 0, 0, 1], 1883))),
            mqtt_connections: 10_000,
            mqtts: Listen::At(SocketAddr::from(([127, 0, 0, 1], 8883))),
            https: Listen::Off,
            metrics: Listen::Off,
            tls_certificate: String::new(),
            tls_key: String::new(),
            tls_clients: String::new(),
            log_format: LogFormat::Text,
            log_level: "info".to_owned(),
            secure_cookies: false,
            public_url: String::new(),
            requests_at_once: 600.0,
            requests_per_s: 20.0,
            readings_at_once: 100_000.0,
            readings_per_s: 1_000.0,
            mail_server: String::new(),
            mail_security: MailSecurity::Starttls,
            mail_user: String::new(),
            mail_password: String::new(),
            mail_from: String::new(),
            text_url: String::new(),
            text_body: r#"{"to": "{to}", "text": "{text}"}"#.to_owned(),
            text_authorization: String::new(),
            text_taken: String::new(),
            text_mail: String::new(),
            text_reply_key: String::new(),
            text_reply_from: "from".to_owned(),
            text_reply_text: "text".to_owned(),
            outside_roots: String::new(),
            callouts_may_be_private: false,
            sign_of_life_url: String::new(),
            sign_of_life_min: 1.0,
            disk_budget_mb: 0,
        }
    }
}

impl Settings {
    fn check(&self) -> Result<(), String> {
        for (name, value) in [
            ("requests_at_once", self.requests_at_once),
            ("requests_per_s", self.requests_per_s),
            ("readings_at_once", self.readings_at_once),
            ("readings_per_s", self.readings_per_s),
        ] {
            if !(0.001..=1e12).contains(&value) {
                return Err(format!("`{name}` is {value}; it must be from 0.001 to 1e12"));
            }
        }
        if self.disk_budget_mb > 1 << 40 {
            return Err(format!("`disk_budget_mb` is {}; no disk is as large", self.disk_budget_mb));
        }
        if self.tls_certificate.is_empty() != self.tls_key.is_empty() {
            return Err("`tls_certificate` and `tls_key` go together; set both or neither".to_owned());
        }
        if self.tls_certificate.is_empty() && (self.https != Listen::Off || !self.tls_clients.is_empty()) {
            return Err("`https` and `tls_clients` need `tls_certificate` and `tls_key`".to_owned());
        }
        if self.http == Listen::Off && self.https == Listen::Off {
            return Err("`http` and `https` are both off; the console and the API need one of them".to_owned());
        }
        if !(0.1..=1_440.0).contains(&self.sign_of_life_min) {
            return Err(format!("`sign_of_life_min` is {}; it must be from 0.1 to 1440", self.sign_of_life_min));
        }
        for (name, value) in [("http_connections", self.http_connections), ("mqtt_connections", self.mqtt_connections)]
        {
            if !(4..=1_000_000).contains(&value) {
                return Err(format!("`{name}` is {value}; it must be from 4 to 1000000"));
            }
        }
        let url = &self.public_url;
        if url.is_empty() || url.starts_with("http://") || url.starts_with("https://") {
            Ok(())
        } else {
            Err(format!("`public_url` is {url}; it must begin with https:// or http://"))
        }
    }
}

/// The settings that can be given as flags, and where the file is.
#[derive(Debug, Clone, Default, Args, Serialize)]
pub struct Flags {
    /// TOML file with settings
    #[arg(long, value_name = "FILE", env = "KEY_LANTERN_CONFIG")]
    #[serde(skip)]
    pub config: Option<PathBuf>,
    /// Directory of the database
    #[arg(long, value_name = "DIR")]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub data: Option<PathBuf>,
    /// Address and port to listen on for HTTP, or `off`; port 0 takes a free one
    #[arg(long, value_name = "ADDR:PORT")]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub http: Option<Listen>,
    /// Address and port to listen on for MQTT, or `off`; port 0 takes a free one
    #[arg(long, value_name = "ADDR:PORT")]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mqtt: Option<Listen>,
    /// How log lines are written
    #[arg(long, value_name = "FORMAT")]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub log_format: Option<LogFormat>,
    /// error, warn, info, debug or trace, or a filter by module
    #[arg(long, value_name = "LEVEL")]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub log_level: Option<String>,
}

/// The settings, the values as text, and where each came from.
pub type Sourced = (Settings, Vec<(String, String, String)>);

impl Flags {
    /// Puts the settings together.
    ///
    /// # Errors
    /// A sentence that names the setting and its source.
    pub fn resolve(&self) -> Result<Sourced, String> {
        let mut figment = Figment::from(Serialized::defaults(Settings::default()));
        if let Some(file) = &self.config {
            if !file.is_file() {
                return Err(format!("the settings file {} does not exist; check --config", file.display()));
            }
            figment = figment.merge(Toml::file_exact(file));
        }
        let names: Vec<String> = fields(&Settings::default()).into_iter().map(|(name, _)| name).collect();
        let names: Vec<&str> = names.iter().map(String::as_str).collect();
        figment = figment.merge(Env::prefixed(PREFIX).only(&names)).merge(FlagSource(self));
        let settings: Settings = figment.extract().map_err(|e| e.to_string())?;
        settings.check()?;
        let sourced = fields(&settings).into_iter().map(|(name, value)| (name.clone(), value, source(&figment, &name)));
        let sourced = sourced.collect();
        Ok((settings, sourced))
    }
}

fn fields(settings: &Settings) -> Vec<(String, String)> {
    let Ok(serde_json::Value::Object(fields)) = serde_json::to_value(settings) else { return Vec::new() };
    let text = |value: serde_json::Value| value.as_str().map_or_else(|| value.to_string(), str::to_owned);
    let shown = |name: &str, text: String| {
        if SECRETS.contains(&name) && !text.is_empty() { "(set)".to_owned() } else { text }
    };
    fields.into_iter().map(|(name, value)| (name.clone(), shown(&name, text(value)))).collect()
}

fn source(figment: &Figment, name: &str) -> String {
    let Some(metadata) = figment.find_metadata(name) else { return "default".to_owned() };
    if let Some(figment::Source::File(path)) = &metadata.source {
        return format!("file {}", path.display());
    }
    match metadata.name.as_ref() {
        "flag" => format!("flag --{}", name.replace('_', "-")),
        other if other.contains("environment") => format!("environment {PREFIX}{}", name.to_uppercase()),
        _ => "default".to_owned(),
    }
}

struct FlagSource<'a>(&'a Flags);

impl Provider for FlagSource<'_> {
    fn metadata(&self) -> Metadata {
        Metadata::named("flag")
    }

    fn data(&self) -> Result<Map<Profile, Dict>, figment::Error> {
        Serialized::defaults(self.0).data()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn flags_win_and_sources_are_named() {
        let flags = Flags { log_level: Some("debug".into()), ..Flags::default() };
        let (settings, sourced) = flags.resolve().unwrap();
        assert_eq!(settings.log_level, "debug");
        let source_of = |name: &str| sourced.iter().find(|(n, ..)| n == name).unwrap().2.clone();
        assert_eq!(source_of("log_level"), "flag --log-level");
        assert_eq!(source_of("http"), "default");
    }

    #[test]
    fn a_misspelt_setting_in_the_file_is_named() {
        let file = std::env::temp_dir().join(format!("key-lantern-settings-{}.toml", std::process::id()));
        std::fs::write(&file, "htp = \"127.0.0.1:1\"\n").unwrap();
        let message = Flags { config: Some(file.clone()), ..Flags::default() }.resolve().unwrap_err();
        std::fs::remove_file(file).unwrap();
        assert!(message.contains("htp") && message.contains(".toml"), "{message}");
    }
}
