//! The console's files, which are part of the binary.

use lantern_http::files::{File, Files};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../console/dist"]
struct Embedded;

/// The console as it was built last.
pub(crate) struct Console;

impl Files for Console {
    fn get(&self, path: &str) -> Option<File> {
        Embedded::get(path).map(|file| File { hash: file.metadata.sha256_hash(), data: file.data })
    }
}
