//! `cargo xtask package` and `cargo xtask image`: what is installed on other machines.

use crate::run::{cargo, command, root, run};
use anyhow::{Context, Result, ensure};
use std::collections::BTreeSet;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};

/// Builds the programs as they ship, or as the tests have them, and says where they are.
fn programs(is_quick: bool) -> Result<PathBuf> {
    let target = crate::run::binary("xtask").parent().and_then(Path::parent).context("no target folder")?.to_owned();
    if is_quick {
        run(&mut cargo(&["build", "--bins"]))?;
        return Ok(target.join("debug"));
    }
    crate::console::build()?;
    run(&mut cargo(&["build", "--release", "--bin", "key-lantern", "--bin", "lantern"]))?;
    Ok(target.join("release"))
}

fn emptied(folder: &Path) -> Result<()> {
    if folder.exists() {
        fs::remove_dir_all(folder)?;
    }
    Ok(fs::create_dir_all(folder)?)
}

fn put(from: &Path, to: &Path) -> Result<()> {
    fs::create_dir_all(to.parent().context("no folder")?)?;
    fs::copy(from, to).with_context(|| format!("cannot copy {} to {}", from.display(), to.display()))?;
    Ok(())
}

fn said(program: &str, arguments: &[&str]) -> Result<String> {
    let output = command(program, arguments).output().with_context(|| format!("cannot run {program}"))?;
    ensure!(output.status.success(), "{program} failed: {}", String::from_utf8_lossy(&output.stderr));
    Ok(String::from_utf8(output.stdout)?)
}

/// Makes a Debian package of service and client.
pub(crate) fn package(is_quick: bool) -> Result<()> {
    let programs = programs(is_quick)?;
    let folder = root().join("target/package");
    let stage = folder.join("root");
    emptied(&stage)?;
    let (service, client) = (programs.join("key-lantern"), programs.join("lantern"));
    let place = stage.display().to_string();
    let install =
        ["install", "--root", &place, "--program", "/usr/bin/key-lantern", "--units", "/usr/lib/systemd/system"];
    said(&service.display().to_string(), &install)?;
    // The folder of the database is made for the user when the package is installed.
    fs::remove_dir_all(stage.join("var"))?;
    put(&client, &stage.join("usr/bin/lantern"))?;
    let completions = said(&client.display().to_string(), &["completions", "bash"])?;
    let completions_at = stage.join("usr/share/bash-completion/completions/lantern");
    fs::create_dir_all(completions_at.parent().context("no folder")?)?;
    fs::write(completions_at, completions)?;
    for name in ["postinst", "prerm", "postrm"] {
        put(&root().join("packaging").join(name), &stage.join("DEBIAN").join(name))?;
        fs::set_permissions(stage.join("DEBIAN").join(name), fs::Permissions::from_mode(0o755))?;
    }
    let architecture = said("dpkg", &["--print-architecture"])?;
    let version = env!("CARGO_PKG_VERSION");
    let control = format!(
        "Package: key-lantern\nVersion: {version}\nArchitecture: {}\nMaintainer: Key Lantern <packages@key-lantern.example>\nDepends: libc6, libgcc-s1, passwd\nSection: net\nPriority: optional\nDescription: receives, keeps and shows what sensors send\n A service that receives readings over HTTP and MQTT, keeps them, makes them\n meaningful and shows them live and in history; with its command line.\n",
        architecture.trim()
    );
    fs::write(stage.join("DEBIAN/control"), control)?;
    fs::write(stage.join("DEBIAN/conffiles"), "/etc/key-lantern/key-lantern.toml\n")?;
    let file = folder.join(format!("key-lantern_{version}_{}.deb", architecture.trim()));
    let file = file.display().to_string();
    run(&mut command("dpkg-deb", &["--build", "--root-owner-group", &place, &file]))
}

/// Gathers what an image holds.
pub(crate) fn image(is_quick: bool) -> Result<()> {
    let programs = programs(is_quick)?;
    let folder = root().join("target/image");
    emptied(&folder)?;
    fs::create_dir_all(folder.join("data"))?;
    let service = programs.join("key-lantern");
    put(&service, &folder.join("root/usr/bin/key-lantern"))?;
    let linked = said("ldd", &[&service.display().to_string()])?;
    for library in libraries(&linked) {
        put(Path::new(library), &folder.join("root").join(library.trim_start_matches('/')))?;
    }
    let folder = folder.display();
    println!("build it with: docker build --file packaging/Containerfile --tag key-lantern {folder}");
    println!(
        "run it with:   docker run --publish 8710:8710 --publish 1883:1883 --volume key-lantern:/data key-lantern"
    );
    Ok(())
}

/// The files of libraries that `ldd` names.
fn libraries(linked: &str) -> BTreeSet<&str> {
    let words = linked.lines().flat_map(str::split_whitespace);
    words.filter(|word| word.starts_with('/')).collect()
}

#[cfg(test)]
mod tests {
    use super::libraries;

    #[test]
    fn libraries_are_found_in_what_ldd_says() {
        let linked = "\tlinux-vdso.so.1 (0x00007ffd)\n\tlibc.so.6 => /lib/x86_64-linux-gnu/libc.so.6 (0x00007f)\n\t/lib64/ld-linux-x86-64.so.2 (0x00007f)\n";
        let found: Vec<&str> = libraries(linked).into_iter().collect();
        assert_eq!(found, ["/lib/x86_64-linux-gnu/libc.so.6", "/lib64/ld-linux-x86-64.so.2"]);
    }
}
