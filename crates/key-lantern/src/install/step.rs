//! What installing is made of.

use lantern_service::Cause;
use std::fmt;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::Command;

/// One step.
pub(super) enum Step {
    /// A user of the system, if there is none of that name.
    User { name: String, home: PathBuf },
    /// A copy of a program.
    Copy { from: PathBuf, to: PathBuf },
    /// A folder.
    Folder { path: PathBuf, mode: u32 },
    /// A file.
    File { path: PathBuf, text: String, mode: u32 },
    /// A file, if there is none.
    NewFile { path: PathBuf, text: String, mode: u32 },
    /// A file goes.
    RemoveFile(PathBuf),
    /// A folder goes with all that is in it.
    RemoveFolder(PathBuf),
    /// A command.
    Run(Vec<String>),
    /// A command, where systemd runs.
    Systemd(Vec<String>),
}

impl fmt::Display for Step {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let with_text = |f: &mut fmt::Formatter<'_>, what: &str, path: &Path, mode: &u32, text: &str| {
            writeln!(f, "{what} {} (mode {mode:o}):", path.display())?;
            text.lines().try_for_each(|line| if line.is_empty() { writeln!(f) } else { writeln!(f, "    {line}") })
        };
        match self {
            Self::User { name, .. } => write!(f, "user {name}, if there is none"),
            Self::Copy { from, to } => write!(f, "copy {} to {}", from.display(), to.display()),
            Self::Folder { path, mode } => write!(f, "folder {} (mode {mode:o})", path.display()),
            Self::File { path, text, mode } => with_text(f, "file", path, mode, text),
            Self::NewFile { path, text, mode } => with_text(f, "file, if there is none,", path, mode, text),
            Self::RemoveFile(path) => write!(f, "remove {}", path.display()),
            Self::RemoveFolder(path) => write!(f, "remove {} with all that is in it", path.display()),
            Self::Run(words) => write!(f, "run {}", words.join(" ")),
            Self::Systemd(words) => write!(f, "run {}, where systemd runs", words.join(" ")),
        }
    }
}

/// A path of the system below a root.
fn below(root: &Path, path: &Path) -> PathBuf {
    root.join(path.strip_prefix("/").unwrap_or(path))
}

fn explained(what: &str, path: &Path, error: &std::io::Error) -> Cause {
    format!("{what} {}: {error}; installing takes the rights of root (sudo)", path.display()).into()
}

fn run(words: &[String]) -> Result<(), Cause> {
    let [program, arguments @ ..] = words else { return Ok(()) };
    let status = Command::new(program).args(arguments).status().map_err(|e| format!("cannot run {program}: {e}"))?;
    if status.success() { Ok(()) } else { Err(format!("{} failed ({status})", words.join(" ")).into()) }
}

impl Step {
    /// Whether it is about files only.
    pub(super) fn is_of_files(&self) -> bool {
        !matches!(self, Self::User { .. } | Self::Run(_) | Self::Systemd(_))
    }

    /// Takes it, below a root.
    pub(super) fn take(&self, root: &Path) -> Result<(), Cause> {
        match self {
            Self::User { name, home } => add_user(name, home),
            Self::Copy { from, to } => copy(from, &below(root, to)),
            Self::Folder { path, mode } => make_folder(&below(root, path), *mode),
            Self::File { path, text, mode } => write(&below(root, path), text, *mode),
            Self::NewFile { path, text, mode } => {
                let path = below(root, path);
                if path.exists() { Ok(()) } else { write(&path, text, *mode) }
            }
            Self::RemoveFile(path) => gone(path, fs::remove_file(below(root, path))),
            Self::RemoveFolder(path) => gone(path, fs::remove_dir_all(below(root, path))),
            Self::Run(words) => run(words),
            Self::Systemd(words) if Path::new("/run/systemd/system").is_dir() => run(words),
            Self::Systemd(_) => {
                println!("    left out: systemd does not run here");
                Ok(())
            }
        }
    }
}

/// What is not there need not be removed.
fn gone(path: &Path, result: std::io::Result<()>) -> Result<(), Cause> {
    match result {
        Err(error) if error.kind() != std::io::ErrorKind::NotFound => Err(explained("cannot remove", path, &error)),
        _ => Ok(()),
    }
}

fn add_user(name: &str, home: &Path) -> Result<(), Cause> {
    let known = fs::read_to_string("/etc/passwd").unwrap_or_default();
    if known.lines().any(|line| line.split(':').next() == Some(name)) {
        return Ok(());
    }
    let home = home.display().to_string();
    let words = ["useradd", "--system", "--user-group", "--no-create-home", "--home-dir", &home];
    let words = words.into_iter().chain(["--shell", "/usr/sbin/nologin", name]);
    run(&words.map(str::to_owned).collect::<Vec<_>>())
}

fn copy(from: &Path, to: &Path) -> Result<(), Cause> {
    if fs::canonicalize(to).ok() == fs::canonicalize(from).ok() {
        return Ok(());
    }
    let failed = |error| explained("cannot write", to, &error);
    make_folder(to.parent().unwrap_or(Path::new("/")), 0o755)?;
    // Under another name first: a program that runs cannot be written over.
    let new = to.with_extension("new");
    fs::copy(from, &new).map_err(failed)?;
    fs::set_permissions(&new, fs::Permissions::from_mode(0o755)).map_err(failed)?;
    fs::rename(&new, to).map_err(failed)
}

fn make_folder(path: &Path, mode: u32) -> Result<(), Cause> {
    if path.is_dir() {
        return Ok(());
    }
    let failed = |error| explained("cannot make", path, &error);
    fs::create_dir_all(path).map_err(failed)?;
    fs::set_permissions(path, fs::Permissions::from_mode(mode)).map_err(failed)
}

fn write(path: &Path, text: &str, mode: u32) -> Result<(), Cause> {
    let failed = |error| explained("cannot write", path, &error);
    make_folder(path.parent().unwrap_or(Path::new("/")), 0o755)?;
    fs::write(path, text).map_err(failed)?;
    fs::set_permissions(path, fs::Permissions::from_mode(mode)).map_err(failed)
}
