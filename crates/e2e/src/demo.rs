use crate::binary;
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, ExitStatus, Stdio};

/// The demo with all it starts. Stopped in order when dropped.
pub struct Demo {
    child: Child,
    /// Address of its service.
    pub url: String,
    /// Password of the demo person.
    pub password: String,
}

impl Demo {
    /// Starts the demo with its data in a directory and waits until it is ready.
    pub fn start(data: &Path, options: &[&str]) -> Self {
        let mut child = Command::new(binary("lantern-sim"))
            .arg("demo")
            .args(options)
            .arg("--data")
            .arg(data)
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut lines = BufReader::new(child.stdout.take().unwrap()).lines().map_while(Result::ok);
        let (mut url, mut password) = (String::new(), String::new());
        for line in lines.by_ref() {
            if let Some((_, rest)) = line.split_once("Railway is at ") {
                url = rest.split_whitespace().next().unwrap().to_owned();
            } else if let Some(rest) = line.trim().strip_prefix("password ") {
                password = rest.trim().to_owned();
            } else if line.starts_with("Ctrl-C") {
                break;
            }
        }
        std::thread::spawn(move || lines.for_each(drop));
        Self { child, url, password }
    }

    /// Presses Ctrl-C and gives back how it ended.
    pub fn interrupt(&mut self) -> ExitStatus {
        Command::new("kill").args(["-INT", &self.child.id().to_string()]).status().unwrap();
        self.child.wait().unwrap()
    }
}

impl Drop for Demo {
    fn drop(&mut self) {
        if let Ok(None) = self.child.try_wait() {
            self.interrupt();
        }
    }
}
