//! Installing the service, below a folder instead of the system's root.

use lantern_e2e::binary;
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::process::{Command, Output};

fn key_lantern(arguments: &[&str]) -> Output {
    Command::new(binary("key-lantern")).args(arguments).output().unwrap()
}

fn ok(arguments: &[&str]) -> String {
    let output = key_lantern(arguments);
    assert!(output.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap()
}

fn mode(path: &Path) -> u32 {
    path.metadata().unwrap().permissions().mode() & 0o777
}

#[test]
fn it_is_installed_brought_up_to_date_and_taken_away() {
    let folder = tempfile::tempdir().unwrap();
    let root = folder.path();
    let below = |path: &str| root.join(path);
    ok(&["install", "--root", root.to_str().unwrap()]);
    let (unit, settings) = (below("etc/systemd/system/key-lantern.service"), below("etc/key-lantern/key-lantern.toml"));
    let unit_text = std::fs::read_to_string(&unit).unwrap();
    assert!(
        unit_text.contains("ExecStart=/usr/local/bin/key-lantern serve --config /etc/key-lantern/key-lantern.toml")
    );
    assert!(unit_text.contains("ReadWritePaths=/var/lib/key-lantern\n") && !unit_text.contains('{'), "{unit_text}");
    assert_eq!((mode(&below("var/lib/key-lantern")), mode(&settings)), (0o700, 0o640));
    // What was installed runs, and understands the settings that were.
    let installed = below("usr/local/bin/key-lantern");
    let shown = Command::new(&installed).args(["settings", "--config", settings.to_str().unwrap()]).output().unwrap();
    let shown = String::from_utf8(shown.stdout).unwrap();
    assert!(shown.lines().any(|line| line.starts_with("data") && line.contains("/var/lib/key-lantern")), "{shown}");

    std::fs::write(&settings, "mqtt = \"off\"\n").unwrap();
    std::fs::write(&unit, "old").unwrap();
    std::fs::write(below("var/lib/key-lantern/key-lantern.sqlite"), "data").unwrap();
    ok(&["install", "--root", root.to_str().unwrap()]);
    assert_eq!(std::fs::read_to_string(&unit).unwrap(), unit_text, "the unit is brought up to date");
    assert_eq!(std::fs::read_to_string(&settings).unwrap(), "mqtt = \"off\"\n", "settings stay");

    let said = ok(&["uninstall", "--root", root.to_str().unwrap()]);
    assert!(!unit.exists() && settings.exists() && said.contains("kept: /var/lib/key-lantern"), "{said}");
    let wrong = key_lantern(&["uninstall", "--root", root.to_str().unwrap(), "--purge", "/var/lib/other"]);
    assert!(!wrong.status.success() && below("var/lib/key-lantern/key-lantern.sqlite").exists());
    ok(&["uninstall", "--root", root.to_str().unwrap(), "--purge", "/var/lib/key-lantern"]);
    assert!(!below("var/lib/key-lantern").exists() && !settings.exists());
}

#[test]
fn a_dry_run_says_every_step_and_does_none() {
    let said = ok(&["install", "--dry-run", "--data", "/srv/lantern", "--user", "lamp"]);
    for part in [
        "user lamp, if there is none",
        "folder /srv/lantern (mode 700)",
        "    User=lamp",
        "    ProtectSystem=strict",
        "run chown lamp:lamp /srv/lantern",
        "run systemctl enable --now key-lantern.service, where systemd runs",
    ] {
        assert!(said.lines().any(|line| line == part), "{part} is missing in:\n{said}");
    }
    assert!(!Path::new("/srv/lantern").exists());
    for wrong in [["--user", "Lamp post"], ["--data", "lantern"], ["--data", "/srv/my lantern"]] {
        assert!(!key_lantern(&["install", "--dry-run", wrong[0], wrong[1]]).status.success(), "{wrong:?}");
    }
}
