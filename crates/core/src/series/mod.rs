//! Series: runs of readings of one signal in order of time.

mod bucket;
mod merge;

pub use bucket::{MAX_BUCKETS, bucket_width};
pub use merge::{Fate, Merge, merge};
