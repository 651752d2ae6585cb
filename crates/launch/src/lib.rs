//! Starting the service of Key Lantern as a child, for demo, tests and measurements.
//!
//! ```ignore
//! let service = Launch::new(data).setting("log_level", "warn").start()?;
//! let url = &service.said.url;           // it listens when this returns
//! service.stop(Duration::from_secs(10))?; // or drop it, which kills it
//! ```
//!
//! [`Launch`] is what it is started with, [`Launched`] the process, [`Said`] what it printed
//! when it was up. What is asked of it then, by HTTP or MQTT, is the business of whoever
//! started it.

mod said;

pub use said::Said;

use std::io::{self, BufRead, BufReader};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::time::{Duration, Instant};

/// How often it is looked whether the process has ended.
const LOOK: Duration = Duration::from_millis(5);

/// What the service is started with.
#[derive(Debug, Clone)]
pub struct Launch {
    binary: PathBuf,
    data: PathBuf,
    /// None where HTTP is off.
    http: Option<u16>,
    mqtt: u16,
    settings: Vec<(String, String)>,
    log: Option<PathBuf>,
    is_apart: bool,
}

impl Launch {
    /// The service `binary` with its database in a directory, on free ports of the loopback.
    #[must_use]
    pub fn new(binary: &Path, data: &Path) -> Self {
        Self {
            binary: binary.to_owned(),
            data: data.to_owned(),
            http: Some(0),
            mqtt: 0,
            settings: Vec::new(),
            log: None,
            is_apart: false,
        }
    }

    /// On these ports of the loopback; 0 for a free one.
    #[must_use]
    pub fn on(mut self, http: u16, mqtt: u16) -> Self {
        (self.http, self.mqtt) = (Some(http), mqtt);
        self
    }

    /// Without HTTP: the settings give it HTTPS.
    #[must_use]
    pub fn without_http(mut self) -> Self {
        self.http = None;
        self
    }

    /// With a setting, by its name in the file of settings.
    #[must_use]
    pub fn setting(mut self, name: &str, value: &str) -> Self {
        self.settings.push((format!("KEY_LANTERN_{}", name.to_uppercase()), value.to_owned()));
        self
    }

    /// With a variable in its environment.
    #[must_use]
    pub fn variable(mut self, name: &str, value: &str) -> Self {
        self.settings.push((name.to_owned(), value.to_owned()));
        self
    }

    /// What it says on the standard error goes to the end of a file.
    #[must_use]
    pub fn log_to(mut self, file: &Path) -> Self {
        self.log = Some(file.to_owned());
        self
    }

    /// In a group of its own, so that Ctrl-C reaches only whoever started it.
    #[must_use]
    pub fn apart(mut self) -> Self {
        self.is_apart = true;
        self
    }

    /// Starts it, and waits until it has said where it is.
    ///
    /// # Errors
    /// If it cannot be started, or ends before it listens; its own words are on the standard
    /// error.
    pub fn start(&self) -> io::Result<Launched> {
        let mut command = Command::new(&self.binary);
        command
            .arg("serve")
            .arg("--data")
            .arg(&self.data)
            .args(["--http", &self.http.map_or_else(|| "off".to_owned(), |port| format!("127.0.0.1:{port}"))])
            .args(["--mqtt", &format!("127.0.0.1:{}", self.mqtt)])
            .args(["--log-level", "warn"])
            .envs(self.settings.iter().cloned())
            .stdout(Stdio::piped());
        if let Some(log) = &self.log {
            command.stderr(std::fs::File::options().create(true).append(true).open(log)?);
        }
        if self.is_apart {
            command.process_group(0);
        }
        let mut child = command.spawn().map_err(|error| {
            io::Error::new(error.kind(), format!("cannot start {}: {error}", self.binary.display()))
        })?;
        let lines = child.stdout.take().map(BufReader::new).into_iter().flat_map(BufRead::lines).map_while(Result::ok);
        match Said::listen(lines) {
            Some((said, rest)) => {
                // Whoever prints must find a reader.
                std::thread::spawn(move || rest.for_each(drop));
                Ok(Launched { child, said })
            }
            None => {
                let _ = child.kill();
                let status = child.wait()?;
                Err(io::Error::other(format!("the service did not start ({status}); see what it said above")))
            }
        }
    }
}

/// A running service. Killed when dropped.
#[derive(Debug)]
pub struct Launched {
    child: Child,
    /// What it printed when it was up.
    pub said: Said,
}

impl Launched {
    /// The process.
    #[must_use]
    pub fn id(&self) -> u32 {
        self.child.id()
    }

    /// How it ended, if it has.
    ///
    /// # Errors
    /// If the system does not say.
    pub fn ended(&mut self) -> io::Result<Option<ExitStatus>> {
        self.child.try_wait()
    }

    /// Ends it without warning.
    ///
    /// # Errors
    /// If the system does not do it.
    pub fn kill(&mut self) -> io::Result<()> {
        self.child.kill()?;
        self.child.wait().map(drop)
    }

    /// Asks it to stop, and waits until it has closed its database.
    ///
    /// # Errors
    /// [`io::ErrorKind::TimedOut`] if that takes longer than `patience`.
    pub fn stop(&mut self, patience: Duration) -> io::Result<ExitStatus> {
        Command::new("kill").arg("-TERM").arg(self.id().to_string()).status()?;
        let deadline = Instant::now() + patience;
        loop {
            if let Some(status) = self.ended()? {
                return Ok(status);
            }
            if Instant::now() > deadline {
                return Err(io::Error::new(io::ErrorKind::TimedOut, "the service does not stop"));
            }
            std::thread::sleep(LOOK);
        }
    }
}

impl Drop for Launched {
    fn drop(&mut self) {
        let _ = self.kill();
    }
}
