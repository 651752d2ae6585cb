//! Series: the readings of one signal in order of time.
//!
//! Recent changes are [`Layer`]s; what has settled is sealed in segments, each a
//! [`Run`] as bytes with its [`Digest`] of summaries beside it. A [`Fold`] sums
//! up by buckets of any width from digests where no edge lies inside their
//! summaries, and from readings elsewhere.

mod bits;
mod bucket;
mod buckets;
mod digest;
mod error;
mod floats;
mod fold;
mod ints;
mod layer;
mod lttb;
mod merge;
mod rollup;
mod run;
mod segment;
mod stays;
mod summary;
mod values;

pub use bucket::{MAX_BUCKETS, bucket_width};
pub use buckets::{Buckets, CalendarUnit};
pub use digest::{Digest, SealedDigest, SealedTier, Tier};
pub use error::SegmentError;
pub use fold::{Bucket, Fold};
pub use layer::Layer;
pub use lttb::largest_triangles;
pub use merge::{Fate, Merge, merge};
pub use rollup::Rollup;
pub use run::{Point, Run};
pub use segment::{EncodedLayer, MAX_RUN, decode_layers, decode_segment, encode_layers, encode_segment};
pub use stays::{Stay, StayFold, StayOf};
pub use summary::{Summary, summarize};
