//! The console's files, wherever they lie.

use std::borrow::Cow;

/// A file of the console.
pub struct File {
    /// What is in it.
    pub data: Cow<'static, [u8]>,
    /// A hash of that.
    pub hash: [u8; 32],
}

/// Where the console's files are.
pub trait Files: Send + Sync {
    /// The file at a path such as `index.html`, if there is one.
    fn get(&self, path: &str) -> Option<File>;
}

/// There is no console.
pub struct NoFiles;

impl Files for NoFiles {
    fn get(&self, _: &str) -> Option<File> {
        None
    }
}
