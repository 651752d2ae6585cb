use std::path::PathBuf;
use std::process::Command;
use std::sync::OnceLock;

/// The path of a built binary of the workspace; builds them if they are missing.
pub fn binary(name: &str) -> PathBuf {
    static DIR: OnceLock<PathBuf> = OnceLock::new();
    let dir = DIR.get_or_init(|| {
        let own = std::env::current_exe().expect("a test has a path");
        let mut dir = own.parent().expect("a binary lies in a folder").to_owned();
        if dir.ends_with("deps") {
            dir.pop();
        }
        if !["key-lantern", "lantern", "lantern-sim"].iter().all(|name| dir.join(name).is_file()) {
            let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".to_owned());
            let profile = if dir.ends_with("release") { "release" } else { "dev" };
            let status = Command::new(cargo)
                .args(["build", "--bins", "--profile", profile])
                .current_dir(env!("CARGO_MANIFEST_DIR"))
                .status()
                .expect("cargo runs");
            assert!(status.success(), "the binaries do not build");
        }
        dir
    });
    dir.join(name)
}
