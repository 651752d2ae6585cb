//! Installing the service on a system with systemd, and taking it away again.

mod step;

use clap::Args;
use lantern_service::Cause;
use std::path::{Path, PathBuf};
use step::Step;

const UNIT: &str = include_str!("key-lantern.service");
const SETTINGS: &str = include_str!("key-lantern.toml");
const SERVICE: &str = "key-lantern.service";

/// Where the service is installed.
#[derive(Args)]
pub(crate) struct Place {
    /// Say what would be done, and do nothing
    #[arg(long)]
    dry_run: bool,
    /// Folder of the database
    #[arg(long, value_name = "DIR", default_value = "/var/lib/key-lantern")]
    data: PathBuf,
    /// File of the settings
    #[arg(long, value_name = "FILE", default_value = "/etc/key-lantern/key-lantern.toml")]
    config: PathBuf,
    /// Folder of the units of systemd
    #[arg(long, value_name = "DIR", default_value = "/etc/systemd/system")]
    units: PathBuf,
    /// The system's user that the service runs as
    #[arg(long, default_value = "key-lantern")]
    user: String,
    /// Write the files below this folder instead, for a package or an image: no user is made and
    /// nothing is started
    #[arg(long, value_name = "DIR")]
    root: Option<PathBuf>,
}

#[derive(Args)]
pub(crate) struct InstallArgs {
    #[command(flatten)]
    place: Place,
    /// Where the program is put
    #[arg(long, value_name = "FILE", default_value = "/usr/local/bin/key-lantern")]
    program: PathBuf,
}

#[derive(Args)]
pub(crate) struct UninstallArgs {
    #[command(flatten)]
    place: Place,
    /// Remove the settings, the user and all readings too: name the folder of the database once more
    #[arg(long, value_name = "DIR")]
    purge: Option<PathBuf>,
}

fn words(words: &[&str]) -> Vec<String> {
    words.iter().map(|word| (*word).to_owned()).collect()
}

fn shown(path: &Path) -> String {
    path.display().to_string()
}

impl Place {
    fn unit(&self) -> PathBuf {
        self.units.join(SERVICE)
    }

    fn filled(&self, text: &str, program: &Path) -> String {
        text.replace("{user}", &self.user)
            .replace("{data}", &shown(&self.data))
            .replace("{config}", &shown(&self.config))
            .replace("{program}", &shown(program))
    }

    fn check(&self) -> Result<(), Cause> {
        let is_name = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || matches!(c, '-' | '_');
        if self.user.is_empty() || !self.user.chars().all(is_name) {
            return Err(format!("`{}` is no name of a user: small letters, digits, - and _", self.user).into());
        }
        for path in [&self.data, &self.config, &self.units] {
            let is_plain = path.to_str().is_some_and(|text| !text.contains(['"', '\\', '\n', ' ', '%']));
            if !path.is_absolute() || !is_plain {
                return Err(format!("`{}` must be a whole path without spaces, quotes and %", path.display()).into());
            }
        }
        Ok(())
    }

    /// Does the steps, or says them.
    fn walk(&self, steps: &[Step]) -> Result<(), Cause> {
        let root = self.root.as_deref().unwrap_or(Path::new("/"));
        for step in steps.iter().filter(|step| self.root.is_none() || step.is_of_files()) {
            println!("{step}");
            if !self.dry_run {
                step.take(root)?;
            }
        }
        Ok(())
    }
}

/// Installs the service and starts it.
pub(crate) fn install(args: &InstallArgs) -> Result<(), Cause> {
    let InstallArgs { place, program } = args;
    place.check()?;
    let own = std::env::current_exe()?;
    let folder = |path: &Path| path.parent().map(Path::to_owned).unwrap_or_default();
    let steps = [
        Step::User { name: place.user.clone(), home: place.data.clone() },
        Step::Copy { from: own, to: program.clone() },
        Step::Folder { path: place.data.clone(), mode: 0o700 },
        Step::Folder { path: folder(&place.config), mode: 0o755 },
        Step::NewFile { path: place.config.clone(), text: place.filled(SETTINGS, program), mode: 0o640 },
        Step::File { path: place.unit(), text: place.filled(UNIT, program), mode: 0o644 },
        Step::Run(words(&["chown", &format!("{0}:{0}", place.user), &shown(&place.data)])),
        Step::Run(words(&["chown", &format!("root:{}", place.user), &shown(&place.config)])),
        Step::Systemd(words(&["systemctl", "daemon-reload"])),
        Step::Systemd(words(&["systemctl", "enable", "--now", SERVICE])),
        Step::Systemd(words(&["systemctl", "restart", SERVICE])),
    ];
    place.walk(&steps)?;
    if !place.dry_run && place.root.is_none() {
        println!("\nThe set-up code is in its log: journalctl --unit key-lantern");
    }
    Ok(())
}

/// Takes the service away; its data stay unless they are named.
pub(crate) fn uninstall(args: &UninstallArgs) -> Result<(), Cause> {
    let UninstallArgs { place, purge } = args;
    place.check()?;
    if purge.as_ref().is_some_and(|named| *named != place.data) {
        return Err("--purge does not name the folder of the database (see --data); nothing was removed".into());
    }
    let mut steps = vec![
        Step::Systemd(words(&["systemctl", "disable", "--now", SERVICE])),
        Step::RemoveFile(place.unit()),
        Step::Systemd(words(&["systemctl", "daemon-reload"])),
    ];
    if purge.is_some() {
        steps.push(Step::RemoveFolder(place.data.clone()));
        steps.push(Step::RemoveFile(place.config.clone()));
        steps.push(Step::Run(words(&["userdel", &place.user])));
    }
    place.walk(&steps)?;
    if purge.is_none() {
        println!("\nkept: {}, {} and the user {}", place.data.display(), place.config.display(), place.user);
    }
    Ok(())
}
