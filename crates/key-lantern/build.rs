//! Makes sure the folder of the built console exists, so that the service can
//! be built without it: it then says so on the page instead of showing it.

fn main() {
    let dist = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../console/dist");
    if let Err(error) = std::fs::create_dir_all(&dist) {
        println!("cargo:warning=cannot make {}: {error}", dist.display());
    }
    println!("cargo:rerun-if-changed=../../console/dist");
}
